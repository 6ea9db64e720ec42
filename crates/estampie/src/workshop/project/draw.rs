//! Drawing the view *Project*: the kinds with how many there are, the things of one, the fields of one of them.

use super::{ClickField, ClickKind, ClickThing, Column, FieldLine, parts_of};
use crate::workshop::app::App;
use crate::workshop::painter::{NARROW, Painter, Sees, cut, rows_of};
use crate::workshop::playthroughs::NEVER;
use crate::workshop::theme::Role;
use crate::workshop::view::Targets;
use estampie_project::things::{Form, KINDS, Row, Use};
use ratatui::layout::Rect;
use std::rc::Rc;

/// The widths of the left and of the right column.
pub(super) const WIDTHS: (u16, u16) = (28, 68);

pub(super) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    if !app.kind_chosen().several() {
        // There is nothing to choose from: its fields have all the room.
        let index = WIDTHS.0.min(area.width * 3 / 10);
        painter.upright(index, area.y, area.height);
        kinds(app, painter, Rect { width: index, ..area }, targets);
        let right = Rect { x: index + 2, width: area.width - index - 3, ..area };
        let half = if app.kind_chosen().word == "project" && area.width >= NARROW { right.width / 2 } else { right.width };
        fields(app, painter, Rect { width: half, ..right }, targets);
        if half < right.width {
            painter.upright(right.x + half + 1, area.y, area.height);
            left_over(app, painter, Rect { x: right.x + half + 3, width: right.width - half - 3, ..right });
        }
        return;
    }
    let (left, centre, right) = painter.columns_of_page(area, WIDTHS.0, WIDTHS.1, if app.project.column == Column::Fields { Sees::Right } else { Sees::Left });
    if painter.shows(left) {
        kinds(app, painter, left, targets);
    }
    let rows = things(app, painter, centre, targets);
    let y = area.y + rows + 1;
    if area.bottom() > y + 3 {
        named_at(app, painter, Rect { y, height: area.bottom() - y, ..centre });
    }
    if painter.shows(right) {
        fields(app, painter, right, targets);
    }
}

/// The part of a list that is shown so that one line is in sight: from which on.
fn from(chosen: usize, count: usize, rows: usize) -> usize {
    chosen.saturating_sub(rows * 2 / 3).min(count.saturating_sub(rows))
}

fn kinds(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let counts = app.of_project(|read| read.counts.clone());
    // A heading for each part of the project, where it begins.
    let mut lines: Vec<Result<usize, &str>> = Vec::new();
    for (at, kind) in KINDS.iter().enumerate() {
        if at == 0 || KINDS[at - 1].area != kind.area {
            lines.push(Err(kind.area));
        }
        lines.push(Ok(at));
    }
    let chosen = lines.iter().position(|line| *line == Ok(app.project.kind)).unwrap_or(0);
    let rows = usize::from(area.height);
    let first = from(chosen, lines.len(), rows);
    let inner = Rect { x: area.x + 1, width: area.width.saturating_sub(1), ..area };
    for (at, line) in lines.iter().skip(first).take(rows).enumerate() {
        let y = area.y + at as u16;
        match line {
            Err(part) => {
                let mut title = (*part).to_owned();
                title[..1].make_ascii_uppercase();
                painter.heading(inner.x, y, inner.width, &title, "");
            }
            Ok(kind) => {
                if *kind == app.project.kind {
                    painter.mark(inner, y, app.project.column == Column::Kinds);
                }
                let kind_of = &KINDS[*kind];
                let count = counts.get(kind_of.word).copied().unwrap_or_default();
                let role = if *kind == app.project.kind { Role::Active } else { Role::Text };
                painter.text(inner.x + 1, y, inner.width.saturating_sub(6), kind_of.many, role);
                if kind_of.several() {
                    painter.right(inner.right(), y, &if count == 0 { "·".to_owned() } else { count.to_string() }, Role::Secondary);
                }
                targets.push((Rect { y, height: 1, ..area }, Rc::new(ClickKind(*kind))));
            }
        }
    }
    painter.more(area, first, lines.len().saturating_sub(first + rows));
}

/// Draws the things of the chosen kind; gives how many rows they took.
fn things(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) -> u16 {
    let kind = app.kind_chosen();
    let things = app.things_shown();
    let all = app.of_project(|read| read.things.len());
    let aside = match (app.project.filter.as_str(), app.project.column) {
        ("", _) | (_, Column::Fields) => String::new(),
        (filter, _) => format!("{} of {all} with \"{filter}\"", things.len()),
    };
    let mut title = kind.many.to_owned();
    title[..1].make_ascii_uppercase();
    painter.heading(area.x, area.y, area.width, &title, &aside);
    if things.is_empty() {
        let text = match (all, kind.owner()) {
            (0, Some(of)) => format!("none yet: n makes one in a {}", of.word),
            (0, None) => "none yet: n makes one".to_owned(),
            _ => "none is like that: esc shows all".to_owned(),
        };
        painter.text(area.x + 1, area.y + 2, area.width.saturating_sub(1), &text, Role::Secondary);
        return 3;
    }
    let list = Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area };
    let rows = usize::from(list.height);
    let chosen = app.place_of_thing(&things);
    let first = from(chosen, things.len(), rows);
    let longest = things.iter().map(|thing| thing.whole_name().chars().count()).max().unwrap_or(0);
    let width = (longest as u16 + 2).clamp(8, (area.width / 2).max(12));
    for (at, thing) in things.iter().enumerate().skip(first).take(rows) {
        let y = list.y + (at - first) as u16;
        if at == chosen {
            painter.mark(list, y, app.project.column == Column::Things);
        }
        let name = if thing.kind.several() { thing.whole_name() } else { thing.file.clone() };
        // An effect is called by its bus and its name.
        if app.covered().is_some() && (app.never_come_by(thing.kind.many, &name) || app.never_come_by(thing.kind.many, &name.replace('/', " "))) {
            painter.text(list.x, y, 1, NEVER, Role::Active);
        }
        painter.text(list.x + 1, y, width, &cut(&name, width), if at == chosen { Role::Active } else { Role::Text });
        let left = list.width.saturating_sub(width + 2);
        if left > 6 {
            let summary = app.summary_of(thing).replace(" -", " −");
            painter.text(list.x + 1 + width, y, left, &cut(&summary, left), Role::Secondary);
        }
        targets.push((Rect { y, height: 1, ..list }, Rc::new(ClickThing(thing.clone()))));
    }
    painter.more(list, first, things.len().saturating_sub(first + rows));
    1 + things.len().min(rows) as u16
}

/// What of the project nothing uses, and what is never said.
fn left_over(app: &App, painter: &mut Painter<'_>, area: Rect) {
    let (survey, unsent) = app.survey();
    let faults: Vec<String> = app.faults.iter().map(|fault| format!("{}: {}", fault.place, fault.what)).collect();
    let lists: [(&str, &str, &[String]); 6] = [
        ("Faults", "! shows each with its fix", &faults),
        ("Sounds that nothing plays", "", &survey.sounds),
        ("Events that nothing waits for", "", &survey.events),
        ("Parameters that nothing follows", "", &survey.parameters),
        ("States that nothing asks for", "", &survey.states),
        ("No playthrough says", "", unsent),
    ];
    let mut y = area.y;
    for (title, aside, list) in lists.iter().filter(|(.., list)| !list.is_empty()) {
        if y + 1 >= area.bottom() {
            return;
        }
        painter.heading(area.x, y, area.width, title, aside);
        let rows = rows_of(&list.join(", "), usize::from(area.width.saturating_sub(2)), "");
        for row in rows {
            y += 1;
            if y >= area.bottom() {
                return;
            }
            painter.text(area.x + 1, y, area.width - 1, &row, Role::Text);
        }
        y += 2;
    }
    if y == area.y {
        painter.heading(area.x, y, area.width, "Nothing left over", "everything is used, and every event is in a playthrough");
    }
}

/// Where the chosen thing is named.
fn named_at(app: &App, painter: &mut Painter<'_>, area: Rect) {
    let Some(thing) = app.thing_chosen().filter(|thing| thing.kind.named() && thing.kind.names.is_none()) else { return };
    // While they stand at the right they need not stand here too.
    if app.project.uses.is_some() {
        return;
    }
    let called = app.workspace.called(&thing);
    let Some(uses) = app.uses_of_chosen() else {
        painter.heading(area.x, area.y, area.width, "Uses", "looking …");
        return;
    };
    if uses.is_empty() {
        painter.heading(area.x, area.y, area.width, "Uses", &format!("nothing names {called}"));
        return;
    }
    let names = if uses.len() == 1 { "line names".to_owned() } else { "lines name".to_owned() };
    painter.heading(area.x, area.y, area.width, "Uses", &format!("{} {names} {called}", uses.len()));
    list_uses(painter, Rect { y: area.y + 1, height: area.height - 1, ..area }, &uses);
}

/// Places with the lines that stand there.
fn list_uses(painter: &mut Painter<'_>, area: Rect, uses: &[Use]) {
    let place = |found: &Use| format!("{}:{}", found.place.file, found.place.line);
    let width = uses.iter().map(|found| place(found).chars().count()).max().unwrap_or(0).min(usize::from(area.width) / 2) as u16 + 2;
    let rows = usize::from(area.height);
    let shown = if uses.len() > rows { rows - 1 } else { rows };
    for (at, found) in uses.iter().take(shown).enumerate() {
        let y = area.y + at as u16;
        painter.text(area.x + 1, y, width - 1, &cut(&place(found), width - 1), Role::Secondary);
        let left = area.width.saturating_sub(width + 1);
        painter.text(area.x + 1 + width, y, left, &cut(&found.line, left), Role::Text);
    }
    if uses.len() > shown {
        painter.text(area.x + 1, area.bottom() - 1, area.width - 1, &format!("and {} more", uses.len() - shown), Role::Secondary);
    }
}

fn fields(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let Some(thing) = app.thing_chosen() else { return };
    if let Some(uses) = &app.project.uses {
        painter.heading(area.x, area.y, area.width, &app.workspace.called(&thing), &format!("is named at {} places", uses.len()));
        list_uses(painter, Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area }, uses);
        return;
    }
    let lines = app.field_lines();
    let set = lines.iter().filter(|(line, row)| matches!(line, FieldLine::Field(_)) && row.now.is_some()).count();
    let count = lines.iter().filter(|(line, _)| matches!(line, FieldLine::Field(_))).count();
    let aside = match (app.project.filter.as_str(), app.project.column) {
        ("", _) | (_, Column::Kinds | Column::Things) => format!("{set} of {count} fields set"),
        (filter, _) => format!("fields with \"{filter}\""),
    };
    painter.heading(area.x, area.y, area.width, &app.workspace.called(&thing), &aside);
    let chosen = app.project.line.min(lines.len().saturating_sub(1));
    // What the chosen field does stands below, where it can be found.
    let told = lines.get(chosen).map_or(Vec::new(), |(_, row)| explanation(row, usize::from(area.width)));
    let below = told.len() as u16 + 1;
    let list = Rect { y: area.y + 1, height: area.height.saturating_sub(1 + below), ..area };
    let rows = usize::from(list.height);
    let first = from(chosen, lines.len(), rows);
    let longest = lines.iter().map(|(_, row)| row.key.chars().count()).max().unwrap_or(0);
    let width = (longest as u16 + 2).clamp(8, (area.width / 2).max(10));
    let own = matches!(thing.kind.form, Form::Pair(_));
    for (at, (line, row)) in lines.iter().enumerate().skip(first).take(rows) {
        let y = list.y + (at - first) as u16;
        if at == chosen {
            painter.mark(list, y, app.project.column == Column::Fields);
        }
        let left = list.width.saturating_sub(width + 1);
        match line {
            FieldLine::Part(_, part) => {
                let text = parts_of(row).into_iter().nth(*part).unwrap_or_default();
                painter.right(list.x + 1 + width - 1, y, &format!("{}", part + 1), Role::Secondary);
                painter.text(list.x + 1 + width, y, left, &cut(&text.replace('-', "−"), left), Role::Text);
            }
            FieldLine::Field(_) => {
                let role = if row.now.is_some() { Role::Text } else { Role::Secondary };
                let name = if own { "text" } else { row.key.as_str() };
                painter.text(list.x + 1, y, width - 1, &cut(name, width - 1), role);
                let (text, role) = value(row);
                painter.text(list.x + 1 + width, y, left, &cut(&text, left), role);
            }
        }
        targets.push((Rect { y, height: 1, ..list }, Rc::new(ClickField(at))));
    }
    painter.more(list, first, lines.len().saturating_sub(first + rows));
    let y = area.bottom().saturating_sub(below);
    painter.rule(area.x, y, area.width);
    for (at, row) in told.iter().enumerate() {
        painter.text(area.x + 1, y + 1 + at as u16, area.width - 1, row, if at == 0 { Role::Text } else { Role::Secondary });
    }
}

/// What stands in a field: what is written, or what counts instead.
fn value(row: &Row) -> (String, Role) {
    match &row.now {
        Some(now) => {
            let parts = parts_of(row);
            let text = if parts.len() > 1 { format!("{} in a list", parts.len()) } else { now.clone() };
            // A minus is one on the screen; a hyphen within a name stays.
            (if text.starts_with('-') { text.replacen('-', "−", 1) } else { text.replace(" -", " −").replace("..-", "..−") }, Role::Active)
        }
        None if row.unsaid.is_empty() => ("none".to_owned(), Role::Secondary),
        None => (row.unsaid.replace(" -", " −").replacen('-', if row.unsaid.starts_with('-') { "−" } else { "-" }, 1), Role::Secondary),
    }
}

/// What a field does, what it holds, and what counts without it.
fn explanation(row: &Row, width: usize) -> Vec<String> {
    let unsaid = match row.unsaid.as_str() {
        "" => String::new(),
        "must be there" => "; it must be there".to_owned(),
        unsaid => format!("; {unsaid} if unsaid"),
    };
    let mut told = rows_of(&row.says, width.saturating_sub(2), "");
    told.extend(rows_of(&format!("{}{unsaid}", row.holds).replace(" -", " −"), width.saturating_sub(2), ""));
    told.truncate(5);
    told
}
