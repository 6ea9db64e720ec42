//! Drawing the view *Wiring*: the index and the folio.

use super::super::app::{App, Hit, Mode};
use super::super::curve::{Frame, number};
use super::super::pen::Pen;
use super::super::theme::Role;
use super::sentence::{Pick, Sentence, word_at};
use super::{Column, FILE, Row, Told};
use estampie_engine::curve::Curve;
use estampie_engine::names::NameKey;
use estampie_project::complete::blocks;
use estampie_project::document::{Fault, ModulationDoc, ValueOf, did_you_mean, read_point, source_text};
use ratatui::layout::Rect;
use ratatui::style::Modifier;

type Hits = Vec<(Rect, Hit)>;

const INDEX: u16 = 31;
const GLOSS: u16 = 44;

/// The widths of index and gloss.
pub(crate) const WIDTHS: (u16, u16) = (INDEX, GLOSS);

pub(crate) fn draw(app: &App, pen: &mut Pen<'_>, area: Rect, hits: &mut Hits) {
    let (index, folio, gloss) = pen.columns_of_page(area, INDEX, GLOSS);
    told(app, pen, index, hits);
    self::folio(app, pen, folio, hits);
    super::gloss::draw(app, pen, gloss);
}

/// A line of the index as it is drawn.
enum Drawn {
    Heading(&'static str, &'static str, bool),
    Item(usize),
    Mend(String),
    Blank,
}

fn told(app: &App, pen: &mut Pen<'_>, area: Rect, hits: &mut Hits) {
    let items = app.told();
    let mut lines = vec![Drawn::Heading("The game tells us", "", true)];
    let mut part = "";
    for (at, item) in items.iter().enumerate() {
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
            let mend = did_you_mean(name, app.document().events.iter().map(|e| e.name.as_str()), "");
            lines.push(Drawn::Mend(if mend.is_empty() { "enter declares it".into() } else { format!("{mend} press r") }));
        }
    }
    // What needs someone stays in sight at the foot, whatever is scrolled above it.
    let needs = lines.iter().skip(1).position(|l| matches!(l, Drawn::Heading(_, _, true))).map_or(lines.len(), |at| at + 1);
    let pinned = lines.split_off(needs);
    let foot = (pinned.len() as u16 + u16::from(!pinned.is_empty())).min(area.height / 2);
    list(app, pen, Rect { height: area.height - foot, ..area }, &lines, &items, hits);
    if foot > 1 {
        list(app, pen, Rect { y: area.bottom() - foot + 1, height: foot - 1, ..area }, &pinned, &items, hits);
    }
    if items.is_empty() {
        pen.text(2, area.y + 1, area.width - 2, "game.toml declares nothing yet", Role::Faded);
    }
}

/// A part of the index; what is selected in it stays in sight.
fn list(app: &App, pen: &mut Pen<'_>, area: Rect, lines: &[Drawn], items: &[Told], hits: &mut Hits) {
    // A list that is longer says so in its last row.
    let longer = lines.len() > usize::from(area.height);
    let height = usize::from(area.height) - usize::from(longer && area.height > 1);
    let selected = lines.iter().position(|l| matches!(l, Drawn::Item(at) if *at == app.wiring.told)).unwrap_or(0);
    let first = (selected + 3).saturating_sub(height).min(lines.len().saturating_sub(height));
    let focused = app.wiring.column == Column::Told;
    for (row, line) in lines.iter().skip(first).take(height).enumerate() {
        let y = area.y + row as u16;
        match line {
            Drawn::Heading(title, aside, true) => pen.heading(1, y, area.width - 1, title, aside),
            Drawn::Heading(title, ..) => {
                pen.text(2, y, area.width - 2, title, Role::Faded);
            }
            Drawn::Mend(text) => {
                pen.text(3, y, area.width - 4, text, Role::Faded);
            }
            Drawn::Item(at) => {
                let chosen = focused && *at == app.wiring.told;
                if chosen {
                    pen.select(0, y, area.width);
                }
                hits.push((Rect { x: 0, y, width: area.width, height: 1 }, Hit::Told(*at)));
                told_item(app, pen, Rect { x: 3, y, width: area.width - 4, height: 1 }, &items[*at], chosen);
            }
            Drawn::Blank => {}
        }
    }
    if longer {
        let left = lines.len().saturating_sub(first + height);
        let text = if left > 0 { format!("and {left} lines more") } else { format!("and {first} lines above") };
        pen.text(2, area.bottom() - 1, area.width - 3, &text, Role::Faded);
    }
}

fn told_item(app: &App, pen: &mut Pen<'_>, area: Rect, item: &Told, chosen: bool) {
    let role = |usual| if chosen { Role::Gold } else { usual };
    match item {
        Told::Event(name) => {
            pen.text(area.x, area.y, area.width - 6, name, role(Role::Vellum));
            let count = app.rehearsal.history.events.get(&NameKey::of(name)).copied().unwrap_or(0);
            pen.right(area.right(), area.y, &count.to_string(), if count > 0 { Role::Vellum } else { Role::Ghost });
        }
        Told::Parameter(index) => {
            let doc = &app.document().parameters[*index];
            pen.text(area.x, area.y, area.width - 10, &doc.name, role(Role::Lapis));
            let held = app.rehearsal.only.held.contains(&NameKey::of(&doc.name));
            let text = if doc.of_each { "of each".to_owned() } else { format!("{} {}", number(app.value(*index)), doc.unit) };
            pen.right(area.right(), area.y, &format!("{}{}", if held { "held " } else { "" }, text.trim_end()), if held { Role::Red } else { Role::Vellum });
        }
        Told::State(index) => {
            let doc = &app.document().states[*index];
            pen.text(area.x, area.y, area.width / 2, &doc.name, role(Role::Lapis));
            pen.right(area.right(), area.y, &doc.values[app.state_value(*index)].value, Role::Vellum);
        }
        Told::Unwired(name) => {
            pen.text(area.x, area.y, area.width - 12, name, role(Role::Red));
            pen.right(area.right(), area.y, "enter wires", Role::Faded);
        }
        Told::Unsent(name) => {
            pen.text(area.x, area.y, area.width - 12, name, role(Role::Red));
            pen.right(area.right(), area.y, "enter sends", Role::Faded);
        }
        Told::Undeclared(name) => {
            pen.text(area.x, area.y, area.width - 5, name, role(Role::Red));
            let count = app.rehearsal.history.undeclared.get(&NameKey::of(name)).copied().unwrap_or(0);
            pen.right(area.right(), area.y, &format!("× {count}"), Role::Red);
        }
    }
}

/// A line of the folio as it is drawn.
enum Line {
    Heading(&'static str, String),
    Columns,
    Row(usize),
    Comment(String),
    Sentence,
    Note(String, Role),
    Blank,
}

fn folio(app: &App, pen: &mut Pen<'_>, area: Rect, hits: &mut Hits) {
    let rows = app.wiring_rows();
    let text = app.reactions_text();
    let lines: Vec<&str> = text.lines().collect();
    let editing = if let Mode::Sentence(sentence) = &app.mode { Some(&**sentence) } else { None };
    let list = layout(&rows, &lines, editing);
    let height = usize::from(area.height);
    let target = |l: &Line| match (editing, l) {
        (Some(_), Line::Sentence) => true,
        (None, Line::Row(at)) => *at == app.wiring.row,
        _ => false,
    };
    let selected = list.iter().position(target).unwrap_or(0);
    let below = if editing.is_some() { 8 } else { 3 };
    let first = (selected + below).saturating_sub(height).min(list.len().saturating_sub(height.min(list.len())));
    let blocks = blocks(&text);
    let mut picks_at = None;
    for (at, line) in list.iter().skip(first).take(height).enumerate() {
        let y = area.y + at as u16;
        match line {
            Line::Heading(title, aside) => pen.heading(area.x, y, area.width, title, aside),
            Line::Columns => columns(pen, area, y),
            Line::Comment(text) => {
                pen.text(area.x + 5, y, area.width - 5, text, Role::Faded);
            }
            Line::Note(text, role) => {
                pen.text(area.x + 2, y, area.width - 2, text, *role);
            }
            Line::Blank => {}
            Line::Sentence => {
                if let Some(sentence) = editing {
                    picks_at = Some((sentence, y));
                }
            }
            Line::Row(row) => {
                let chosen = app.wiring.column == Column::Folio && *row == app.wiring.row && editing.is_none();
                if chosen {
                    pen.select(area.x - 1, y, area.width + 1);
                }
                hits.push((Rect { x: area.x - 1, y, width: area.width + 1, height: 1 }, Hit::Wiring(*row)));
                match &rows[*row] {
                    Row::Line(line) => {
                        // Blocks are in the order of the file.
                        let at = blocks.partition_point(|b| b.first <= *line).saturating_sub(1);
                        let (number, off) = blocks.get(at).map_or((None, false), |b| ((b.head == *line).then_some(at + 1), lines[b.head].starts_with("Off:")));
                        sentence(app, pen, Rect { y, height: 1, ..area }, *line, lines[*line], (number, off));
                    }
                    Row::Modulation(written) => modulation(app, pen, Rect { y, height: 1, ..area }, *written, chosen),
                    Row::Formula(name) => formula(app, pen, Rect { y, height: 1, ..area }, name, chosen),
                }
            }
        }
    }
    // Last, so that what is offered lies over the rest.
    if let Some((sentence, y)) = picks_at {
        edited(app, pen, area, y, sentence);
    }
}

/// The most offers shown at once.
const OFFERS: usize = 6;

/// Makes room below the line being edited for its fault and what is offered.
fn offered(list: &mut Vec<Line>, sentence: &Sentence) {
    let rows = usize::from(!sentence.faults.is_empty()) + sentence.picks.len().min(OFFERS);
    list.extend((0..rows).map(|_| Line::Blank));
}

fn layout(rows: &[Row], lines: &[&str], editing: Option<&Sentence>) -> Vec<Line> {
    let mut list = vec![Line::Heading("Reactions", "hear it, then act".into())];
    let mut before: Option<usize> = None;
    let reactions: Vec<(usize, usize)> = rows.iter().enumerate().filter_map(|(at, r)| if let Row::Line(line) = r { Some((at, *line)) } else { None }).collect();
    let inserted = |list: &mut Vec<Line>, sentence: &Sentence| {
        if sentence.head {
            list.push(Line::Blank);
        }
        list.push(Line::Sentence);
        offered(list, sentence);
    };
    let mut placed = false;
    for (at, line) in &reactions {
        let head = !lines[*line].starts_with(char::is_whitespace);
        if let Some(sentence) = editing.filter(|s| s.new && !placed && s.line <= *line) {
            inserted(&mut list, sentence);
            placed = true;
        }
        if head {
            list.push(Line::Blank);
        }
        for comment in before.map_or(0, |b| b + 1)..*line {
            if let Some(text) = lines[comment].trim().strip_prefix('#').filter(|_| comment + 1 == *line || lines[comment + 1].trim().starts_with('#')) {
                list.push(Line::Comment(text.trim().to_owned()));
            }
        }
        match editing {
            Some(sentence) if !sentence.new && sentence.line == *line => {
                list.push(Line::Sentence);
                offered(&mut list, sentence);
            }
            _ => list.push(Line::Row(*at)),
        }
        before = Some(*line);
    }
    if let Some(sentence) = editing.filter(|s| s.new && !placed) {
        inserted(&mut list, sentence);
    }
    if reactions.is_empty() && editing.is_none() {
        list.push(Line::Note("no reactions yet: n writes one".into(), Role::Faded));
    }
    let of = |wanted: fn(&Row) -> bool| rows.iter().enumerate().filter(move |(_, r)| wanted(r)).map(|(at, _)| at);
    list.push(Line::Blank);
    list.push(Line::Heading("Modulation", "parameter, curve, what it moves".into()));
    if of(|r| matches!(r, Row::Modulation(_))).next().is_none() {
        list.push(Line::Note("none yet: M writes one".into(), Role::Faded));
    } else {
        list.push(Line::Columns);
    }
    list.extend(of(|r| matches!(r, Row::Modulation(_))).map(Line::Row));
    if of(|r| matches!(r, Row::Formula(_))).next().is_some() {
        list.push(Line::Blank);
        list.push(Line::Heading("Formulas", String::new()));
        list.extend(of(|r| matches!(r, Row::Formula(_))).map(Line::Row));
    }
    list
}

/// Words of the language are red or faded, names by what they are.
fn words(app: &App, pen: &mut Pen<'_>, x: u16, y: u16, width: u16, text: &str, off: bool) {
    let document = app.document();
    let mut column = x;
    for piece in text.split_inclusive(' ') {
        let word = piece.trim_end_matches([' ', ',']);
        let game = document.parameters.iter().any(|p| p.name == word) || document.states.iter().any(|s| s.name == word);
        let known = document.events.iter().any(|e| e.name == word) || document.sounds.iter().any(|s| s.name == word);
        let value = word.parse::<f64>().is_ok() || document.states.iter().any(|s| s.values.iter().any(|v| v.value == word));
        let role = match word {
            _ if off => Role::Faded,
            "When" | "Off:" => Role::Red,
            _ if game => Role::Lapis,
            _ if known || value => Role::Vellum,
            _ => Role::Faded,
        };
        column = pen.text(column, y, (x + width).saturating_sub(column), piece, role);
    }
}

fn underline(pen: &mut Pen<'_>, x: u16, y: u16, length: usize, right: u16) {
    let style = pen.style(Role::Red).add_modifier(Modifier::UNDERLINED);
    let width = (length as u16).min(right.saturating_sub(x));
    pen.buffer.set_style(Rect { x, y, width, height: 1 }.intersection(pen.buffer.area), style);
}

fn fault_of(app: &App, line: usize) -> Option<&Fault> {
    app.faults.iter().find(|f| f.place.file == FILE && f.place.line as usize == line + 1)
}

fn sentence(app: &App, pen: &mut Pen<'_>, area: Rect, line: usize, text: &str, (number, off): (Option<usize>, bool)) {
    if let Some(number) = number {
        pen.text(area.x, area.y, 4, &number.to_string(), Role::Faded);
    }
    let indent = text.chars().take_while(|c| c.is_whitespace()).count() as u16;
    let x = area.x + 5 + indent;
    words(app, pen, x, area.y, area.right().saturating_sub(x), text.trim(), off);
    if let Some(fault) = fault_of(app, line) {
        let column = (fault.place.column as usize).saturating_sub(1);
        underline(pen, area.x + 5 + column as u16, area.y, word_at(text, column), area.right());
        let end = x + text.trim().chars().count() as u16 + 2;
        pen.text(end, area.y, area.right().saturating_sub(end), &format!("! {}", fault.mend), Role::Red);
    }
}

/// The line being edited, its faults with their mend below it, and what tab takes.
fn edited(app: &App, pen: &mut Pen<'_>, area: Rect, y: u16, sentence: &Sentence) {
    pen.select(area.x - 1, y, area.width + 1);
    let x = area.x + 5 + if sentence.head { 0 } else { 2 };
    let text = &sentence.edit.text;
    words(app, pen, x, y, area.right().saturating_sub(x), text, false);
    for (column, _) in &sentence.faults {
        underline(pen, x + *column as u16, y, word_at(text, *column), area.right());
    }
    let cursor = x + sentence.edit.at as u16;
    if cursor < area.right() {
        let style = pen.theme.selection().add_modifier(Modifier::REVERSED);
        let under = text.chars().nth(sentence.edit.at).map_or(" ".to_owned(), |c| c.to_string());
        pen.put(cursor, y, 1, &under, style);
    }
    let mut below = y + 1;
    let blank = " ".repeat(usize::from(area.width));
    if let Some((_, fault)) = sentence.faults.first().filter(|_| below < area.bottom()) {
        pen.text(area.x, below, area.width, &blank, Role::Ghost);
        pen.text(x, below, area.right().saturating_sub(x), &format!("{}; {}", fault.what, fault.mend), Role::Red);
        below += 1;
    }
    let first = (sentence.pick + 1).saturating_sub(OFFERS);
    for (at, pick) in sentence.picks.iter().enumerate().skip(first).take(OFFERS) {
        if below >= area.bottom() {
            break;
        }
        pen.text(area.x, below, area.width, &blank, Role::Ghost);
        let chosen = at == sentence.pick;
        pen.text(x, below, 4, if chosen { "tab" } else { "" }, Role::Red);
        let role = if chosen { Role::Gold } else { Role::Vellum };
        let end = pen.text(x + 4, below, area.right().saturating_sub(x + 4), pick.text(), role);
        if matches!(pick, Pick::Mend(..)) {
            pen.text(end + 2, below, area.right().saturating_sub(end + 2), "the fix", Role::Verdigris);
        }
        below += 1;
    }
}

/// Where the columns of the modulations stand.
fn stops(area: Rect) -> [u16; 4] {
    let wide = area.width;
    [area.x + 17, area.x + 29, area.right().saturating_sub((wide / 3).min(22)), area.right()]
}

fn columns(pen: &mut Pen<'_>, area: Rect, y: u16) {
    let [shape, moves, smooth, now] = stops(area);
    for (x, text) in [(area.x + 1, "from"), (shape, "shape"), (moves, "moves"), (smooth, "smooth")] {
        pen.text(x, y, 12, text, Role::Faded);
    }
    pen.right(now, y, "now", Role::Faded);
}

/// The curve of a modulation as written.
pub(super) fn curve_of(app: &App, doc: &ModulationDoc) -> Option<(Curve, usize)> {
    let parameter = app.document().parameters.iter().position(|p| p.name == doc.from.value)?;
    let unit = &app.document().parameters[parameter].unit;
    let points: Vec<_> = doc.curve.iter().filter_map(|(text, _)| read_point(text, unit, doc.property).ok()).collect();
    Some((Curve::new(points), parameter))
}

fn modulation(app: &App, pen: &mut Pen<'_>, area: Rect, written: usize, chosen: bool) {
    let Some(doc) = app.document().modulations.iter().find(|m| m.written == written) else { return };
    let [shape, moves, smooth, now] = stops(area);
    let y = area.y;
    pen.text(area.x + 1, y, 15, &doc.from.value, if chosen { Role::Gold } else { Role::Lapis });
    if let Some((curve, parameter)) = curve_of(app, doc) {
        let frame = Frame::of(&curve, &app.document().parameters[parameter]);
        let plot = Rect { x: shape, y, width: 11, height: 1 };
        frame.draw(pen, plot, &curve);
        let column = frame.column(plot, app.smooth_value(parameter));
        let style = pen.style(Role::Gold).add_modifier(Modifier::REVERSED);
        pen.buffer.set_style(Rect { x: column, y, width: 1, height: 1 }.intersection(pen.buffer.area), style);
    }
    let target = doc.written_whole();
    pen.text(moves, y, smooth.saturating_sub(moves + 1), &target, Role::Vellum);
    let time = if doc.smooth.0 == 0.0 { "−".to_owned() } else { doc.smooth.to_string() };
    pen.text(smooth, y, 9, &time, Role::Faded);
    let program = app.program();
    let value = program
        .modulations
        .iter()
        .position(|m| m.written as usize == written)
        .and_then(|at| app.rehearsal.status.as_ref().filter(|s| s.program == program.id)?.modulations.get(at).copied());
    if let Some(value) = value {
        pen.right(now, y, &doc.property.print((value * 100.0).round() / 100.0).replace('-', "−"), Role::Gold);
    }
}

fn formula(app: &App, pen: &mut Pen<'_>, area: Rect, name: &str, chosen: bool) {
    let Some(at) = app.document().parameters.iter().position(|p| p.name == name) else { return };
    let doc = &app.document().parameters[at];
    let x = pen.text(area.x + 1, area.y, 20, name, if chosen { Role::Gold } else { Role::Lapis }) + 1;
    let x = pen.text(x, area.y, 2, "=", Role::Faded) + 1;
    pen.text(x, area.y, area.right().saturating_sub(x + 10), &source_text(&doc.source), Role::Vellum);
    pen.right(area.right(), area.y, &format!("{} {}", number(app.value(at)), doc.unit), Role::Gold);
}
