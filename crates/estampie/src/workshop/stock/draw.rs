//! Drawing the view *Stock*: progress and groups, the items of one with their stages, and the chosen item with its evidence.

use super::known::Page;
use super::{ClickField, ClickGroup, ClickItem, ClickPage, FACE, List, Test, draw_files};
use crate::workshop::app::App;
use crate::workshop::painter::{Painter, Sees, cut, rows_of};
use crate::workshop::playthroughs::NEVER;
use crate::workshop::theme::Role;
use crate::workshop::view::Targets;
use estampie_project::progress::{Done, Evidence};
use estampie_project::stock::{COLUMNS, Column, Mark};
use ratatui::layout::Rect;
use std::rc::Rc;

/// The widths of the columns behind an item's name.
const KIND: u16 = 9;
const STAGE: u16 = 7;
const PERSON: u16 = 9;
const DEADLINE: u16 = 11;

pub(super) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    match app.stock.page {
        Page::Items => {}
        Page::Files => return draw_files::files(app, painter, area, targets),
        Page::Budget => return draw_files::budget(app, painter, area, targets),
    }
    let sees = match app.stock.list {
        List::Groups => Sees::Left,
        List::Items => Sees::Centre,
        List::Fields => Sees::Right,
    };
    let (left, centre, right) = painter.columns_of_page(area, FACE.widths.0, FACE.widths.1, sees);
    if painter.shows(left) {
        groups(app, painter, left, targets);
    }
    if painter.shows(centre) {
        items(app, painter, centre, targets);
    }
    if painter.shows(right) {
        item(app, painter, right, targets);
    }
}

/// The pages of the view, the one that is shown marked; gives the row below.
pub(super) fn pages(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) -> u16 {
    let mut x = 2;
    for (page, word) in Page::ALL {
        let here = page == app.stock.page;
        let end = painter.text(x, area.y, area.width.saturating_sub(x), word, if here { Role::Active } else { Role::Secondary });
        targets.push((Rect { x, y: area.y, width: end.saturating_sub(x), height: 1 }, Rc::new(ClickPage(page))));
        x = end + 2;
    }
    area.y + 2
}

fn groups(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let read = app.stock_read();
    let all = read.stages.len();
    let top = pages(app, painter, area, targets);
    painter.heading(1, top, area.width - 1, "Stock", &format!("{all} item{}", if all == 1 { "" } else { "s" }));
    let mut y = top + 1;
    if all > 0 {
        for stage in 0..3 {
            let done = read.stages.iter().filter(|s| s.all()[stage].1.done == Done::Yes).count();
            let word = read.stages[0].all()[stage].0;
            painter.text(2, y, 8, word, Role::Text);
            painter.bar(9, y, area.width.saturating_sub(14), done as f32 / all as f32, Role::Good);
            painter.right(area.right() - 1, y, &format!("{:.0} %", 100.0 * done as f64 / all as f64), Role::Secondary);
            y += 1;
        }
    }
    let chosen = read.groups.iter().position(|g| g.test.as_ref() == Some(&app.stock.group)).unwrap_or(0);
    let list = Rect { y: y + 1, height: area.bottom().saturating_sub(y + 1), ..area };
    let rows = usize::from(list.height);
    let first = chosen.saturating_sub(rows * 2 / 3).min(read.groups.len().saturating_sub(rows));
    for (row, (at, group)) in read.groups.iter().enumerate().skip(first).take(rows).enumerate() {
        let y = list.y + row as u16;
        let Some(test) = &group.test else {
            painter.heading(1, y, area.width - 1, &group.words, "");
            continue;
        };
        if at == chosen {
            painter.mark(Rect { x: 0, ..area }, y, app.stock.list == List::Groups);
        }
        let role = match test {
            Test::Late | Test::Marked(Mark::Retake) => Role::Accent,
            _ if at == chosen => Role::Active,
            _ => Role::Text,
        };
        painter.text(2, y, area.width.saturating_sub(11), &cut(&group.words, area.width.saturating_sub(11)), role);
        // Of those that are told by how far they are the count says it all.
        let of_kind = matches!(test, Test::All | Test::Kind(_) | Test::Person(_) | Test::Due(_));
        let count = if of_kind { format!("{}/{}", group.done, group.count) } else { group.count.to_string() };
        painter.right(area.right() - 1, y, &count, Role::Secondary);
        targets.push((Rect { x: 0, y, width: area.width, height: 1 }, Rc::new(ClickGroup(test.clone()))));
    }
    painter.more(list, first, read.groups.len().saturating_sub(first + rows));
}

/// How far a stage is, as a sign and as it is meant.
fn sign(done: Done) -> (&'static str, Role) {
    match done {
        Done::Yes => ("■", Role::Good),
        Done::Partly => ("▪", Role::Text),
        Done::No => ("·", Role::Rule),
    }
}

fn items(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let shown = app.items_shown();
    let read = app.stock_read();
    let all = &read.document.stock.items;
    let marked = app.stock.marked.len();
    let mut aside = vec![app.stock.sort.words().to_owned()];
    if !app.stock.filter.is_empty() {
        aside.push(format!("{} with \"{}\"", shown.len(), app.stock.filter));
    }
    if marked > 0 {
        aside.push(format!("edits are for all {marked} marked"));
    }
    let aside = aside.join(" · ");
    let words = read.groups.iter().find(|g| g.test.as_ref() == Some(&app.stock.group)).map_or("Everything", |g| g.words.as_str());
    let mut letters = words.chars();
    let title: String = letters.next().into_iter().flat_map(char::to_uppercase).chain(letters).collect();
    painter.heading(area.x, area.y, area.width, &title, &aside);
    if all.is_empty() {
        let lines = [
            "nothing is in the stock yet: n makes an item, or bring in the team's table",
            "with: estampie stock PROJECT import TABLE.csv",
            "what is not made yet sounds already: W wires it, p hears its placeholder",
        ];
        for (row, line) in lines.iter().enumerate() {
            painter.text(area.x + 1, area.y + 2 + row as u16, area.width - 1, line, Role::Secondary);
        }
        return;
    }
    // What there is no room for is left out from the right.
    let mut left = area.width.saturating_sub(4);
    let name = all.iter().map(|i| i.name.chars().count()).max().unwrap_or(0).clamp(10, 30) as u16 + 1;
    // How far each is counts for more than the end of its name.
    let name = name.min(left.saturating_sub(3 * STAGE)).max(8);
    left = left.saturating_sub(name + 3 * STAGE);
    let mut room = |width: u16| {
        let fits = left >= width;
        left = if fits { left - width } else { 0 };
        fits
    };
    let (kind, deadline, person) = (room(KIND), room(DEADLINE), room(PERSON));
    let note = left;
    let stage_at = area.x + 3 + name + if kind { KIND } else { 0 };
    let person_at = stage_at + 3 * STAGE + 1;
    let deadline_at = person_at + if person { PERSON } else { 0 };
    let note_at = deadline_at + if deadline { DEADLINE } else { 0 };
    let head = area.y + 1;
    let heads = [
        (area.x + 3, "item", true),
        (area.x + 3 + name, "kind", kind),
        (person_at, "person", person),
        (deadline_at, "deadline", deadline),
        (note_at, "note", note > 8),
    ];
    for (x, word, shown) in heads {
        if shown {
            painter.text(x, head, 10, word, Role::Secondary);
        }
    }
    for (at, word) in ["made", "built", "hooked"].iter().enumerate() {
        painter.text(stage_at + at as u16 * STAGE, head, STAGE - 1, word, Role::Secondary);
    }
    let list = Rect { y: head + 1, height: area.bottom().saturating_sub(head + 1), ..area };
    let rows = usize::from(list.height);
    let chosen = app.place_of_item(&shown);
    let first = chosen.saturating_sub(rows * 2 / 3).min(shown.len().saturating_sub(rows));
    for (row, (place, at)) in shown.iter().enumerate().skip(first).take(rows).enumerate() {
        let (item, stages, y) = (&all[*at], &read.stages[*at], list.y + row as u16);
        if place == chosen {
            painter.mark(list, y, app.stock.list == List::Items);
        }
        let (mark, role) = match item.mark {
            _ if app.stock.marked.contains(&item.name) => ("x", Role::Active),
            Some(Mark::Approved) => ("✓", Role::Good),
            Some(Mark::Retake) => ("↺", Role::Accent),
            None => (" ", Role::Text),
        };
        painter.text(list.x + 1, y, 1, mark, role);
        let role = if place == chosen { Role::Active } else { Role::Text };
        painter.text(list.x + 3, y, name - 1, &cut(&item.name, name - 1), role);
        if kind {
            painter.text(list.x + 3 + name, y, KIND - 1, item.kind.word(), Role::Secondary);
        }
        for (stage, (_, evidence)) in stages.all().iter().enumerate() {
            let (sign, role) = sign(evidence.done);
            let x = stage_at + stage as u16 * STAGE;
            let count = if stage == 0 && (item.variations > 1 || evidence.by.len() > 1) {
                format!(" {}/{}", evidence.by.len(), item.variations)
            } else {
                String::new()
            };
            let end = painter.text(x, y, 1, sign, role);
            painter.text(end, y, STAGE - 1, &count, Role::Secondary);
        }
        if person {
            painter.text(person_at, y, PERSON - 1, &cut(item.text(Column::Person), PERSON - 1), Role::Text);
        }
        if deadline {
            let late = Test::Late.fits(item, stages);
            painter.text(deadline_at, y, DEADLINE - 1, item.text(Column::Deadline), if late { Role::Accent } else { Role::Secondary });
        }
        if note > 8 {
            painter.text(note_at, y, note, &cut(item.text(Column::Note), note), Role::Secondary);
        }
        targets.push((Rect { y, height: 1, ..list }, Rc::new(ClickItem(item.name.clone()))));
    }
    if shown.is_empty() {
        painter.text(list.x + 2, list.y + 1, list.width - 2, "no item is like that: esc shows all", Role::Secondary);
    }
    painter.more(list, first, shown.len().saturating_sub(first + rows));
}

fn item(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let direction = &app.document().manifest.direction;
    let mut y = area.y;
    if !direction.is_empty() {
        painter.heading(area.x, y, area.width, "Direction", "");
        y += 1;
        for line in rows_of(&direction.join(" · "), usize::from(area.width - 1), "").into_iter().take(3) {
            painter.text(area.x + 1, y, area.width - 1, &line, Role::Secondary);
            y += 1;
        }
        y += 1;
    }
    let Some((item, stages)) = app.item_chosen() else { return };
    painter.heading(area.x, y, area.width, &item.name, "what is wanted of it");
    y += 1;
    for (at, spec) in COLUMNS.iter().enumerate().skip(1) {
        if y >= area.bottom() {
            return;
        }
        let here = app.stock.list == List::Fields && app.stock.field == at;
        if here {
            painter.select(area.x, y, area.width);
        }
        painter.text(area.x + 1, y, 12, spec.word, if here { Role::Active } else { Role::Secondary });
        let text = item.text(spec.column).replace('-', if matches!(spec.column, Column::Loudness) { "−" } else { "-" });
        let width = area.width.saturating_sub(14);
        let (text, role) = if text.is_empty() { ("·".to_owned(), Role::Rule) } else { (text, Role::Text) };
        painter.text(area.x + 14, y, width, &cut(&text, width), role);
        targets.push((Rect { y, height: 1, ..area }, Rc::new(ClickField(at))));
        y += 1;
    }
    if app.stock.list == List::Fields {
        for line in rows_of(COLUMNS[app.stock.field].says, usize::from(area.width - 1), "").into_iter().take(2) {
            painter.text(area.x + 1, y, area.width - 1, &line, Role::Secondary);
            y += 1;
        }
    }
    y += 1;
    let left = area.bottom().saturating_sub(y);
    let each = (left / 3).max(3);
    for (word, evidence) in stages.all() {
        if y + 1 >= area.bottom() {
            return;
        }
        y = proof(app, painter, Rect { y, height: each.min(area.bottom() - y), ..area }, (word, evidence), item.variations);
    }
    // What the playthroughs come by is known while their coverage is shown.
    if let Some(heard) = app.heard_of_item(&stages).filter(|_| y < area.bottom()) {
        let words = if heard == 0 { format!("{NEVER} in no playthrough") } else { format!("heard {heard} times in the playthroughs") };
        painter.text(area.x + 1, y.saturating_sub(1), area.width - 1, &words, if heard == 0 { Role::Active } else { Role::Secondary });
    }
}

/// What a stage is known by; gives the row below.
fn proof(app: &App, painter: &mut Painter<'_>, area: Rect, (word, evidence): (&'static str, &Evidence), wanted: u32) -> u16 {
    let mut title = word.to_owned();
    title[..1].make_ascii_uppercase();
    let aside = match (word, evidence.done) {
        ("made", Done::No) => format!("0 of {wanted}: its placeholder sounds"),
        ("made", _) => format!("{} of {wanted}", evidence.by.len()),
        ("built", Done::No) => "nothing plays it: W makes its sound".to_owned(),
        ("built", Done::Partly) => "some of its files are not played".to_owned(),
        ("built", Done::Yes) => "played by".to_owned(),
        (_, Done::No) => "the game does not reach it yet".to_owned(),
        _ => "reached by".to_owned(),
    };
    painter.heading(area.x, area.y, area.width, &title, &aside);
    let rule = &app.document().manifest.naming;
    let rows = usize::from(area.height.saturating_sub(2)).max(1);
    let shown = if evidence.by.len() > rows { rows - 1 } else { rows };
    let mut y = area.y + 1;
    for by in evidence.by.iter().take(shown) {
        // A file that is named otherwise than the rule has it is worth a word.
        let stem = by.strip_prefix("audio/").map(|path| path.rsplit_once('.').map_or(path, |(stem, _)| stem));
        let fits = word != "made" || stem.is_none_or(|stem| rule.fits(stem));
        painter.text(area.x + 1, y, area.width - 1, &cut(by, area.width - 1), if fits { Role::Text } else { Role::Accent });
        y += 1;
    }
    if evidence.by.len() > shown {
        painter.text(area.x + 1, y, area.width - 1, &format!("and {} more", evidence.by.len() - shown), Role::Secondary);
        y += 1;
    }
    y + 1
}
