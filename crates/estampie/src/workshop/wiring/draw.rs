//! Drawing the view *Wiring*: the index and the centre.

use super::super::app::{App, Mode};
use super::super::curve::{Frame, curve_of, number};
use super::super::painter::{Painter, Sees};
use super::super::playthroughs::NEVER;
use super::super::theme::Role;
use super::super::view::Targets;
use super::inputs::WiringTarget;
use super::sentence::{Pick, Sentence, word_at};
use super::{Column, FILE, Row, Told, Written};
use estampie_engine::names::NameKey;
use estampie_project::document::{Fault, ValueOf, did_you_mean, source_text};
use ratatui::layout::Rect;
use ratatui::style::Modifier;

const INDEX: u16 = 31;
const SIDE: u16 = 44;

/// The widths of index and side.
pub(crate) const WIDTHS: (u16, u16) = (INDEX, SIDE);

pub(crate) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let (index, centre, side) = painter.columns_of_page(area, INDEX, SIDE, if app.wiring.column == Column::Told { Sees::Left } else { Sees::Right });
    if painter.shows(index) {
        told(app, painter, index, targets);
    }
    self::centre(app, painter, centre, targets);
    if painter.shows(side) {
        super::side_panel::draw(app, painter, side);
    }
}

/// A line of the index as it is drawn.
enum Drawn {
    Heading(&'static str, &'static str, bool),
    Item(usize),
    Fix(String),
    Blank,
}

fn told(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let items = app.told();
    let mut lines = vec![Drawn::Heading("The game tells us", "", true)];
    let mut part = "";
    for (at, item) in items.iter().enumerate().filter(|(_, item)| app.shows_told(item)) {
        let (name, chief) = match item {
            Told::Event(_) => ("events", false),
            Told::Parameter(index) if app.document().parameters[*index].source == ValueOf::Game => ("parameters", false),
            Told::Parameter(_) => ("worked out", false),
            Told::State(_) => ("states", false),
            Told::Unwired(_) => ("Never wired", true),
            Told::Unsent(_) => ("Never sent", true),
            Told::Undeclared(_) => ("Not declared, yet sent", true),
        };
        if name != part {
            if !part.is_empty() {
                lines.push(Drawn::Blank);
            }
            lines.push(Drawn::Heading(name, "", chief));
            part = name;
        }
        lines.push(Drawn::Item(at));
        if let Told::Undeclared(name) = item {
            let fix = did_you_mean(name, app.document().events.iter().map(|e| e.name.as_str()), "");
            lines.push(Drawn::Fix(if fix.is_empty() { "enter declares it".into() } else { format!("{fix} press r") }));
        }
    }
    // What needs someone stays in sight at the foot, whatever is scrolled above it.
    let needs = lines.iter().skip(1).position(|l| matches!(l, Drawn::Heading(_, _, true))).map_or(lines.len(), |at| at + 1);
    let pinned = lines.split_off(needs);
    let foot = (pinned.len() as u16 + u16::from(!pinned.is_empty())).min(area.height / 2);
    list(app, painter, Rect { height: area.height - foot, ..area }, &lines, &items, targets);
    if foot > 1 {
        list(app, painter, Rect { y: area.bottom() - foot + 1, height: foot - 1, ..area }, &pinned, &items, targets);
    }
    if !app.wiring.filter.is_empty() {
        painter.right(area.right() - 1, area.y, &format!("with \"{}\"", app.wiring.filter), Role::Active);
    }
    if items.is_empty() {
        painter.text(2, area.y + 1, area.width - 2, "game.toml declares nothing yet", Role::Secondary);
    }
}

/// A part of the index; what is selected in it stays in sight.
fn list(app: &App, painter: &mut Painter<'_>, area: Rect, lines: &[Drawn], items: &[Told], targets: &mut Targets) {
    // A list that is longer says so in its last row.
    let longer = lines.len() > usize::from(area.height);
    let height = usize::from(area.height) - usize::from(longer && area.height > 1);
    let selected = lines.iter().position(|l| matches!(l, Drawn::Item(at) if *at == app.wiring.told)).unwrap_or(0);
    let first = (selected + 3).saturating_sub(height).min(lines.len().saturating_sub(height));
    let focused = app.wiring.column == Column::Told;
    for (row, line) in lines.iter().skip(first).take(height).enumerate() {
        let y = area.y + row as u16;
        match line {
            Drawn::Heading(title, aside, true) => painter.heading(1, y, area.width - 1, title, aside),
            Drawn::Heading(title, ..) => {
                painter.text(2, y, area.width - 2, title, Role::Secondary);
            }
            Drawn::Fix(text) => {
                painter.text(3, y, area.width - 4, text, Role::Secondary);
            }
            Drawn::Item(at) => {
                let chosen = focused && *at == app.wiring.told;
                if chosen {
                    painter.select(0, y, area.width);
                }
                targets.push((Rect { x: 0, y, width: area.width, height: 1 }, std::rc::Rc::new(WiringTarget::Told(*at))));
                told_item(app, painter, Rect { x: 3, y, width: area.width - 4, height: 1 }, &items[*at], chosen);
            }
            Drawn::Blank => {}
        }
    }
    if longer {
        let left = lines.len().saturating_sub(first + height);
        let text = if left > 0 { format!("and {left} lines more") } else { format!("and {first} lines above") };
        painter.text(2, area.bottom() - 1, area.width - 3, &text, Role::Secondary);
    }
}

fn told_item(app: &App, painter: &mut Painter<'_>, area: Rect, item: &Told, chosen: bool) {
    let role = |usual| if chosen { Role::Active } else { usual };
    match item {
        Told::Event(name) => {
            if app.never_come_by("events", name) {
                painter.text(area.x - 1, area.y, 1, NEVER, Role::Active);
            }
            painter.text(area.x, area.y, area.width - 6, name, role(Role::Text));
            let count = app.rehearsal.history.events.get(&NameKey::of(name)).copied().unwrap_or(0);
            painter.right(area.right(), area.y, &count.to_string(), if count > 0 { Role::Text } else { Role::Rule });
        }
        Told::Parameter(index) => {
            let doc = &app.document().parameters[*index];
            painter.text(area.x, area.y, area.width - 10, &doc.name, role(Role::FromGame));
            let held = app.rehearsal.only.held.contains(&NameKey::of(&doc.name));
            let text = if doc.of_each { "of each".to_owned() } else { format!("{} {}", number(app.value(*index)), doc.unit) };
            painter.right(
                area.right(),
                area.y,
                &format!("{}{}", if held { "held " } else { "" }, text.trim_end()),
                if held { Role::Accent } else { Role::Text },
            );
        }
        Told::State(index) => {
            let doc = &app.document().states[*index];
            painter.text(area.x, area.y, area.width / 2, &doc.name, role(Role::FromGame));
            painter.right(area.right(), area.y, &doc.values[app.state_value(*index)].value, Role::Text);
        }
        Told::Unwired(name) => {
            painter.text(area.x, area.y, area.width - 12, name, role(Role::Accent));
            painter.right(area.right(), area.y, "enter wires", Role::Secondary);
        }
        Told::Unsent(name) => {
            painter.text(area.x, area.y, area.width - 12, name, role(Role::Accent));
            painter.right(area.right(), area.y, "enter sends", Role::Secondary);
        }
        Told::Undeclared(name) => {
            painter.text(area.x, area.y, area.width - 5, name, role(Role::Accent));
            let count = app.rehearsal.history.undeclared().find(|(key, _)| *key == NameKey::of(name)).map_or(0, |(_, count)| count);
            painter.right(area.right(), area.y, &format!("× {count}"), Role::Accent);
        }
    }
}

/// A line of the centre as it is drawn.
enum CentreLine {
    Heading(&'static str, String),
    Columns,
    Row(usize),
    Comment(String),
    Sentence,
    Note(String, Role),
    Blank,
}

fn centre(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let written = app.written();
    let rows = &written.rows;
    let editing = if let Mode::Sentence(sentence) = &app.mode { Some(&**sentence) } else { None };
    // While a sentence is written all the others are in sight.
    let shown = app.shown_rows().filter(|_| editing.is_none());
    let list = layout(&written, editing, shown.as_ref().map(|s| s.as_slice()));
    let height = usize::from(area.height);
    let target = |l: &CentreLine| match (editing, l) {
        (Some(_), CentreLine::Sentence) => true,
        (None, CentreLine::Row(at)) => *at == app.wiring.row,
        _ => false,
    };
    let selected = list.iter().position(target).unwrap_or(0);
    let below = if editing.is_some() { 8 } else { 3 };
    let first = (selected + below).saturating_sub(height).min(list.len().saturating_sub(height.min(list.len())));
    let mut picks_at = None;
    for (at, line) in list.iter().skip(first).take(height).enumerate() {
        let y = area.y + at as u16;
        match line {
            CentreLine::Heading(title, aside) => painter.heading(area.x, y, area.width, title, aside),
            CentreLine::Columns => columns(painter, area, y),
            CentreLine::Comment(text) => {
                painter.text(area.x + 5, y, area.width - 5, text, Role::Secondary);
            }
            CentreLine::Note(text, role) => {
                painter.text(area.x + 2, y, area.width - 2, text, *role);
            }
            CentreLine::Blank => {}
            CentreLine::Sentence => {
                if let Some(sentence) = editing {
                    picks_at = Some((sentence, y));
                }
            }
            CentreLine::Row(row) => {
                let chosen = app.wiring.column == Column::Centre && *row == app.wiring.row && editing.is_none();
                if chosen {
                    painter.select(area.x - 1, y, area.width + 1);
                }
                targets.push((Rect { x: area.x - 1, y, width: area.width + 1, height: 1 }, std::rc::Rc::new(WiringTarget::Row(*row))));
                match &rows[*row] {
                    Row::Line(line) => {
                        let said = |line: usize| written.line(line).unwrap_or_default();
                        let (number, off) = written.block_at(*line).map_or((None, false), |at| {
                            let head = written.blocks[at].head;
                            ((head == *line).then_some(at + 1), said(head).starts_with("Off:"))
                        });
                        sentence(app, painter, Rect { y, height: 1, ..area }, *line, said(*line), (number, off));
                        if number.is_some() && app.never_come_by("reactions", said(*line).trim()) {
                            painter.text(area.x - 1, y, 1, NEVER, Role::Active);
                        }
                    }
                    Row::Modulation(written) => modulation(app, painter, Rect { y, height: 1, ..area }, *written, chosen),
                    Row::Formula(name) => formula(app, painter, Rect { y, height: 1, ..area }, name, chosen),
                }
            }
        }
    }
    // Last, so that what is offered lies over the rest.
    if let Some((sentence, y)) = picks_at {
        edited(app, painter, area, y, sentence);
    }
}

/// The most offers shown at once.
const OFFERS: usize = 6;

/// Makes room below the line being edited for its fault and what is offered.
fn offered(list: &mut Vec<CentreLine>, sentence: &Sentence) {
    let rows = usize::from(!sentence.faults.is_empty()) + sentence.picks.len().min(OFFERS);
    list.extend((0..rows).map(|_| CentreLine::Blank));
}

fn layout(written: &Written, editing: Option<&Sentence>, shown: Option<&[bool]>) -> Vec<CentreLine> {
    let rows = || written.rows.iter().enumerate().filter(|(at, _)| shown.is_none_or(|shown| shown[*at]));
    let said = |line: usize| written.line(line).unwrap_or_default();
    let mut list = vec![CentreLine::Heading("Reactions", "hear it, then act".into())];
    let mut before: Option<usize> = None;
    let reactions: Vec<(usize, usize)> = rows().filter_map(|(at, r)| if let Row::Line(line) = r { Some((at, *line)) } else { None }).collect();
    let inserted = |list: &mut Vec<CentreLine>, sentence: &Sentence| {
        if sentence.head {
            list.push(CentreLine::Blank);
        }
        list.push(CentreLine::Sentence);
        offered(list, sentence);
    };
    let mut placed = false;
    for (at, line) in &reactions {
        let head = !said(*line).starts_with(char::is_whitespace);
        if let Some(sentence) = editing.filter(|s| s.new && !placed && s.line <= *line) {
            inserted(&mut list, sentence);
            placed = true;
        }
        if head {
            list.push(CentreLine::Blank);
        }
        // Where some are left out, so is what is written above them.
        let from = shown.and_then(|_| written.block_at(*line)).map_or(0, |at| written.blocks[at].first).max(before.map_or(0, |b| b + 1));
        for comment in from..*line {
            if let Some(text) = said(comment).trim().strip_prefix('#').filter(|_| comment + 1 == *line || said(comment + 1).trim().starts_with('#')) {
                list.push(CentreLine::Comment(text.trim().to_owned()));
            }
        }
        match editing {
            Some(sentence) if !sentence.new && sentence.line == *line => {
                list.push(CentreLine::Sentence);
                offered(&mut list, sentence);
            }
            _ => list.push(CentreLine::Row(*at)),
        }
        before = Some(*line);
    }
    if let Some(sentence) = editing.filter(|s| s.new && !placed) {
        inserted(&mut list, sentence);
    }
    if reactions.is_empty() && editing.is_none() {
        let words = if shown.is_some() { "none has these letters" } else { "no reactions yet: n writes one" };
        list.push(CentreLine::Note(words.into(), Role::Secondary));
    }
    let of = |wanted: fn(&Row) -> bool| rows().filter(move |(_, r)| wanted(r)).map(|(at, _)| at);
    list.push(CentreLine::Blank);
    list.push(CentreLine::Heading("Modulation", "parameter, curve, what it moves".into()));
    if of(|r| matches!(r, Row::Modulation(_))).next().is_none() {
        let words = if shown.is_some() { "none has these letters" } else { "none yet: M writes one" };
        list.push(CentreLine::Note(words.into(), Role::Secondary));
    } else {
        list.push(CentreLine::Columns);
    }
    list.extend(of(|r| matches!(r, Row::Modulation(_))).map(CentreLine::Row));
    if of(|r| matches!(r, Row::Formula(_))).next().is_some() {
        list.push(CentreLine::Blank);
        list.push(CentreLine::Heading("Formulas", String::new()));
        list.extend(of(|r| matches!(r, Row::Formula(_))).map(CentreLine::Row));
    }
    list
}

/// Words of the language are red or faded, names by what they are.
fn words(app: &App, painter: &mut Painter<'_>, x: u16, y: u16, width: u16, text: &str, off: bool) {
    let written = app.written();
    let mut column = x;
    for piece in text.split_inclusive(' ') {
        let word = piece.trim_end_matches([' ', ',']);
        let role = match word {
            _ if off => Role::Secondary,
            "When" | "Off:" => Role::Accent,
            _ => match written.name(word) {
                Some(true) => Role::FromGame,
                Some(false) => Role::Text,
                None if word.parse::<f64>().is_ok() => Role::Text,
                None => Role::Secondary,
            },
        };
        column = painter.text(column, y, (x + width).saturating_sub(column), piece, role);
    }
}

fn underline(painter: &mut Painter<'_>, x: u16, y: u16, length: usize, right: u16) {
    let style = painter.style(Role::Accent).add_modifier(Modifier::UNDERLINED);
    let width = (length as u16).min(right.saturating_sub(x));
    painter.buffer.set_style(Rect { x, y, width, height: 1 }.intersection(painter.buffer.area), style);
}

fn fault_of(app: &App, line: usize) -> Option<&Fault> {
    app.faults.iter().find(|f| f.place.file == FILE && f.place.line as usize == line + 1)
}

fn sentence(app: &App, painter: &mut Painter<'_>, area: Rect, line: usize, text: &str, (number, off): (Option<usize>, bool)) {
    if let Some(number) = number {
        painter.text(area.x, area.y, 4, &number.to_string(), Role::Secondary);
    }
    let indent = text.chars().take_while(|c| c.is_whitespace()).count() as u16;
    let x = area.x + 5 + indent;
    words(app, painter, x, area.y, area.right().saturating_sub(x), text.trim(), off);
    if let Some(fault) = fault_of(app, line) {
        let column = (fault.place.column as usize).saturating_sub(1);
        underline(painter, area.x + 5 + column as u16, area.y, word_at(text, column), area.right());
        let end = x + text.trim().chars().count() as u16 + 2;
        painter.text(end, area.y, area.right().saturating_sub(end), &format!("! {}", fault.fix), Role::Accent);
    }
}

/// The line being edited, its faults with their fix below it, and what tab takes.
fn edited(app: &App, painter: &mut Painter<'_>, area: Rect, y: u16, sentence: &Sentence) {
    painter.select(area.x - 1, y, area.width + 1);
    let x = area.x + 5 + if sentence.head { 0 } else { 2 };
    let text = &sentence.edit.text;
    words(app, painter, x, y, area.right().saturating_sub(x), text, false);
    for (column, _) in &sentence.faults {
        underline(painter, x + *column as u16, y, word_at(text, *column), area.right());
    }
    let cursor = x + sentence.edit.at as u16;
    if cursor < area.right() {
        let style = painter.theme.selection().add_modifier(Modifier::REVERSED);
        let under = text.chars().nth(sentence.edit.at).map_or(" ".to_owned(), |c| c.to_string());
        painter.put(cursor, y, 1, &under, style);
    }
    let mut below = y + 1;
    let blank = " ".repeat(usize::from(area.width));
    if let Some((_, fault)) = sentence.faults.first().filter(|_| below < area.bottom()) {
        painter.text(area.x, below, area.width, &blank, Role::Rule);
        painter.text(x, below, area.right().saturating_sub(x), &format!("{}; {}", fault.what, fault.fix), Role::Accent);
        below += 1;
    }
    let first = (sentence.pick + 1).saturating_sub(OFFERS);
    for (at, pick) in sentence.picks.iter().enumerate().skip(first).take(OFFERS) {
        if below >= area.bottom() {
            break;
        }
        painter.text(area.x, below, area.width, &blank, Role::Rule);
        let chosen = at == sentence.pick;
        painter.text(x, below, 4, if chosen { "tab" } else { "" }, Role::Accent);
        let role = if chosen { Role::Active } else { Role::Text };
        let end = painter.text(x + 4, below, area.right().saturating_sub(x + 4), pick.text(), role);
        if matches!(pick, Pick::Fix(..)) {
            painter.text(end + 2, below, area.right().saturating_sub(end + 2), "the fix", Role::Good);
        }
        below += 1;
    }
}

/// Where the columns of the modulations stand.
fn stops(area: Rect) -> [u16; 4] {
    let wide = area.width;
    [area.x + 17, area.x + 29, area.right().saturating_sub((wide / 3).min(22)), area.right()]
}

fn columns(painter: &mut Painter<'_>, area: Rect, y: u16) {
    let [shape, moves, smooth, now] = stops(area);
    for (x, text) in [(area.x + 1, "from"), (shape, "shape"), (moves, "moves"), (smooth, "smooth")] {
        painter.text(x, y, 12, text, Role::Secondary);
    }
    painter.right(now, y, "now", Role::Secondary);
}

fn modulation(app: &App, painter: &mut Painter<'_>, area: Rect, written: usize, chosen: bool) {
    let Some(doc) = app.document().modulations.iter().find(|m| m.written == written) else { return };
    let [shape, moves, smooth, now] = stops(area);
    let y = area.y;
    painter.text(area.x + 1, y, 15, &doc.from.value, if chosen { Role::Active } else { Role::FromGame });
    if let Some((curve, parameter)) = curve_of(app, doc) {
        let frame = Frame::of(&curve, &app.document().parameters[parameter]);
        let plot = Rect { x: shape, y, width: 11, height: 1 };
        frame.draw(painter, plot, &curve);
        let column = frame.column(plot, app.smooth_value(parameter));
        let style = painter.style(Role::Active).add_modifier(Modifier::REVERSED);
        painter.buffer.set_style(Rect { x: column, y, width: 1, height: 1 }.intersection(painter.buffer.area), style);
    }
    let target = doc.written_whole();
    painter.text(moves, y, smooth.saturating_sub(moves + 1), &target, Role::Text);
    let time = if doc.smooth.0 == 0.0 { "−".to_owned() } else { doc.smooth.to_string() };
    painter.text(smooth, y, 9, &time, Role::Secondary);
    let program = app.program();
    let value = program
        .modulations
        .iter()
        .position(|m| m.written as usize == written)
        .and_then(|at| app.rehearsal.status.as_ref().filter(|s| s.program == program.id)?.modulations.get(at).copied());
    if let Some(value) = value {
        painter.right(now, y, &doc.property.print((value * 100.0).round() / 100.0).replace('-', "−"), Role::Active);
    }
}

fn formula(app: &App, painter: &mut Painter<'_>, area: Rect, name: &str, chosen: bool) {
    let Some(at) = app.document().parameters.iter().position(|p| p.name == name) else { return };
    let doc = &app.document().parameters[at];
    let x = painter.text(area.x + 1, area.y, 20, name, if chosen { Role::Active } else { Role::FromGame }) + 1;
    let x = painter.text(x, area.y, 2, "=", Role::Secondary) + 1;
    painter.text(x, area.y, area.right().saturating_sub(x + 10), &source_text(&doc.source), Role::Text);
    painter.right(area.right(), area.y, &format!("{} {}", number(app.value(at)), doc.unit), Role::Active);
}
