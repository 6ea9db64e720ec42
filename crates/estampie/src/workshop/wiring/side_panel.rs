//! Drawing the notes of the view *Wiring*: what is known of the selected line, and what would happen now.

use super::super::app::App;
use super::super::curve::{Frame, curve_of, number};
use super::super::painter::{Painter, rows_of};
use super::super::theme::Role;
use super::{Column, Row};
use estampie_engine::names::NameKey;
use estampie_engine::vocabulary::Urgency;
use estampie_project::document::{ModulationDoc, ParameterDoc, StateDoc, ValueOf, source_text};
use estampie_project::language::{Test, Trigger};
use estampie_proof::trace::would;
use ratatui::layout::Rect;

pub(super) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect) {
    let Some(subject) = app.wiring_subject() else {
        painter.heading(area.x, area.y, area.width, "Notes", "on what is selected");
        return;
    };
    let mut y = area.y;
    if app.wiring.column == Column::Centre
        && let Some(Row::Modulation(written)) = app.wiring_row()
    {
        y = modulation(app, painter, Rect { y, height: area.bottom() - y, ..area }, written) + 1;
    }
    if let Some(index) = app.document().parameters.iter().position(|p| p.name == subject) {
        y = parameter(app, painter, Rect { y, height: area.bottom().saturating_sub(y), ..area }, index) + 1;
    } else if let Some(index) = app.document().states.iter().position(|s| s.name == subject) {
        y = state(app, painter, Rect { y, height: area.bottom().saturating_sub(y), ..area }, index) + 1;
    } else {
        y = event(app, painter, Rect { y, height: area.bottom().saturating_sub(y), ..area }, &subject) + 1;
    }
    y = what_would(app, painter, Rect { y, height: area.bottom().saturating_sub(y), ..area }, &subject) + 1;
    lines(app, painter, Rect { y, height: area.bottom().saturating_sub(y), ..area });
}

/// A name and a value; gives the next line.
fn pair(painter: &mut Painter<'_>, area: Rect, y: u16, name: &str, value: &str, role: Role) -> u16 {
    if y < area.bottom() {
        painter.text(area.x + 1, y, 14, name, Role::Secondary);
        painter.text(area.x + 16, y, area.width.saturating_sub(16), value, role);
    }
    y + 1
}

/// Text in lines of the area's width; gives the next line.
fn wrapped(painter: &mut Painter<'_>, area: Rect, mut y: u16, indent: u16, text: &str, role: Role) -> u16 {
    for row in rows_of(text, usize::from(area.width.saturating_sub(indent)), "") {
        if y < area.bottom() {
            painter.text(area.x + indent, y, area.width - indent, &row, role);
        }
        y += 1;
    }
    y
}

fn parameter(app: &App, painter: &mut Painter<'_>, area: Rect, index: usize) -> u16 {
    let document = app.document();
    let doc: &ParameterDoc = &document.parameters[index];
    let whole = doc.high - doc.low < 1e5;
    let range = if whole { format!("{} … {} {}", number(doc.low), number(doc.high), doc.unit) } else { "any number".to_owned() };
    painter.heading(area.x, area.y, area.width, &doc.name, &range);
    let mut y = area.y + 1;
    let key = NameKey::of(&doc.name);
    let values = app.rehearsal.lately(key);
    if values.len() > 1 {
        let plot = Rect { y, height: 5.min(area.height.saturating_sub(10).max(2)), ..area };
        let (from, to) = (values.first().map_or(0, |v| v.0), values.last().map_or(1, |v| v.0));
        let (low, high) = if whole { (doc.low, doc.high) } else { values.iter().fold((0.0f32, 1.0f32), |(l, h), (_, v)| (l.min(*v), h.max(*v))) };
        let points: Vec<(f64, f64)> =
            values.iter().map(|(frame, v)| ((frame - from) as f64 / (to - from).max(1) as f64, f64::from((v - low) / (high - low)) * 0.94 + 0.03)).collect();
        painter.plot(plot, &points, Role::FromGame);
        for number in thresholds(app, &doc.name) {
            let share = ((number - low) / (high - low)).clamp(0.0, 1.0);
            let row = plot.y + ((1.0 - share) * f32::from(plot.height - 1)).round() as u16;
            for x in (plot.x..plot.right()).step_by(3) {
                painter.text(x, row, 1, "·", Role::Accent);
            }
        }
        y = plot.bottom();
        let begun = painter.text(area.x, y, area.width, "the last 20 s", Role::Secondary);
        let list: Vec<String> = thresholds(app, &doc.name).iter().map(|n| number(*n)).collect();
        let text = format!("· thresholds {}", list.join(", "));
        if !list.is_empty() && begun + 2 + text.chars().count() as u16 <= area.right() {
            painter.right(area.right(), y, &text, Role::Accent);
        } else if !list.is_empty() {
            y = wrapped(painter, area, y + 1, 0, &text, Role::Accent) - 1;
        }
        y += 1;
    }
    let value = format!("{} {}", number(app.value(index)), doc.unit);
    y = pair(painter, area, y, "now", &value, Role::Active);
    match &doc.source {
        ValueOf::Game => y = pair(painter, area, y, "default", &number(doc.rest), Role::Text),
        ValueOf::Measure(_) => y = pair(painter, area, y, "measured", &source_text(&doc.source), Role::FromGame),
        ValueOf::Formula(_) => {
            painter.text(area.x + 1, y, 14, "worked out", Role::Secondary);
            y = wrapped(painter, area, y, 16, &source_text(&doc.source), Role::FromGame);
        }
    }
    if app.rehearsal.only.held.contains(&key) {
        y = pair(painter, area, y, "held by hand", "g gives it back (temporary)", Role::Accent);
    }
    y = pair(painter, area, y, "rises in", &doc.rise.to_string(), Role::Text);
    y = pair(painter, area, y, "falls in", &doc.fall.to_string(), Role::Text);
    if doc.of_each {
        y = pair(painter, area, y, "of", "each emitter by itself", Role::Text);
    }
    if let Some((low, high)) = doc.from_game {
        y = pair(painter, area, y, "the game sends", &format!("{} … {}", number(low), number(high)), Role::Text);
    }
    let moves = document.modulations.iter().filter(|m| m.from.value == doc.name).count();
    y = pair(painter, area, y, "moves", &counted(moves, "thing"), Role::Text);
    let guards = document.reactions.iter().filter(|r| r.conditions.iter().chain(&r.until).any(|c| c.subject.text == doc.name)).count();
    let called = |t: &Trigger| match t {
        Trigger::Becomes(word, _) | Trigger::Crosses(word, ..) | Trigger::Every(estampie_project::language::Interval::Of(word)) => word.text == doc.name,
        _ => false,
    };
    let calls = document.reactions.iter().filter(|r| called(&r.trigger)).count();
    y = pair(painter, area, y, "calls", &counted(calls, "reaction"), Role::Text);
    y = pair(painter, area, y, "guards", &counted(guards, "reaction"), Role::Text);
    if doc.note.is_empty() { y } else { wrapped(painter, area, y, 1, &doc.note, Role::Secondary) }
}

fn counted(n: usize, what: &str) -> String {
    format!("{n} {what}{}", if n == 1 { "" } else { "s" })
}

/// The numbers at which reactions wait for a parameter.
fn thresholds(app: &App, name: &str) -> Vec<f32> {
    let mut list: Vec<f32> = Vec::new();
    for reaction in &app.document().reactions {
        let mut add = |n: f64| {
            if !list.contains(&(n as f32)) {
                list.push(n as f32);
            }
        };
        match &reaction.trigger {
            Trigger::Becomes(word, Test::Compare(_, n, _)) | Trigger::Crosses(word, _, n, _) if word.text == name => add(*n),
            _ => {}
        }
        for condition in reaction.conditions.iter().filter(|c| c.subject.text == name) {
            match &condition.test {
                Test::Compare(_, n, _) => add(*n),
                Test::Between(a, b, _) => {
                    add(*a);
                    add(*b);
                }
                _ => {}
            }
        }
    }
    list.truncate(4);
    list
}

fn state(app: &App, painter: &mut Painter<'_>, area: Rect, index: usize) -> u16 {
    let doc = &app.document().states[index];
    painter.heading(area.x, area.y, area.width, &doc.name, "a state");
    let now = app.state_value(index);
    let mut y = lately(app, painter, area, doc, area.y + 1);
    for (at, value) in doc.values.iter().enumerate() {
        let theirs: Vec<&str> = doc.dictionary.iter().filter(|(_, ours)| *ours == at).map(|(name, _)| name.as_str()).collect();
        let aside = if theirs.is_empty() { String::new() } else { format!("the game's {}", theirs.join(", ")) };
        if y < area.bottom() {
            let x = painter.text(area.x + 1, y, 18, &value.value, if at == now { Role::Active } else { Role::Text }) + 2;
            painter.text(x, y, area.right().saturating_sub(x), &aside, Role::Secondary);
        }
        y += 1;
    }
    if doc.note.is_empty() { y } else { wrapped(painter, area, y, 1, &doc.note, Role::Secondary) }
}

/// The values that a state had in the last seconds, the first one on top; gives the next line.
fn lately(app: &App, painter: &mut Painter<'_>, area: Rect, doc: &StateDoc, y: u16) -> u16 {
    let values = app.rehearsal.state_lately(NameKey::of(&doc.name));
    let rows = doc.values.len().min(6) as u16;
    let (Some(first), Some(last)) = (values.first(), values.last()) else { return y };
    if area.height < rows + 12 || last.0 <= first.0 {
        return y;
    }
    let plot = Rect { x: area.x + 12, y, width: area.width.saturating_sub(12), height: rows };
    let keys: Vec<NameKey> = doc.values.iter().map(|v| NameKey::of(&v.value)).collect();
    for (row, value) in doc.values.iter().take(usize::from(rows)).enumerate() {
        painter.text(area.x + 1, y + row as u16, 10, &value.value, Role::Secondary);
    }
    // It stands until the next one comes.
    let share = |frame: u64| (frame - first.0) as f64 / (last.0 - first.0) as f64 * f64::from(plot.width);
    for (at, (frame, value)) in values.iter().enumerate() {
        let Some(row) = keys.iter().position(|key| key == value).filter(|row| *row < usize::from(rows)) else { continue };
        let until = values.get(at + 1).map_or(last.0, |next| next.0);
        let (from, to) = (share(*frame) as u16, share(until).ceil() as u16);
        painter.text(plot.x + from, y + row as u16, plot.width.saturating_sub(from), &"━".repeat(usize::from(to.saturating_sub(from).max(1))), Role::FromGame);
    }
    painter.text(area.x, plot.bottom(), area.width, "the last 20 s", Role::Secondary);
    plot.bottom() + 1
}

fn event(app: &App, painter: &mut Painter<'_>, area: Rect, name: &str) -> u16 {
    let doc = app.document().events.iter().find(|e| e.name == name);
    painter.heading(area.x, area.y, area.width, name, if doc.is_some() { "an event" } else { "not declared" });
    let key = NameKey::of(name);
    let mut y = area.y + 1;
    if let Some(doc) = doc.filter(|d| !d.note.is_empty()) {
        y = wrapped(painter, area, y, 1, &doc.note, Role::Text);
    }
    let count = app.rehearsal.history.events.get(&key).copied().unwrap_or(0);
    y = pair(painter, area, y, "came", &format!("{count} time{} in this rehearsal", if count == 1 { "" } else { "s" }), Role::Text);
    let sent: usize = app
        .document()
        .playthroughs
        .iter()
        .map(|(_, p)| p.steps().iter().filter(|(s, _)| matches!(&s.action, estampie_project::language::StepAction::Send(e, _) if e.text == name)).count())
        .sum();
    y = pair(painter, area, y, "playthroughs", &format!("send it {sent} time{}", if sent == 1 { "" } else { "s" }), Role::Text);
    if app.wiring.column == Column::Centre
        && let Some(Row::Line(line)) = app.wiring_row()
        && let Some((number, block)) = app.block_of(line)
    {
        let program = app.program();
        let written = app.document().reactions.iter().position(|r| r.place.0.line as usize == block.head + 1);
        let acted =
            program.reactions.iter().find(|r| Some(r.written as usize) == written).and_then(|r| app.rehearsal.history.acted.get(&r.key)).copied().unwrap_or(0);
        y = pair(painter, area, y, &format!("reaction {}", number + 1), &format!("acted {acted} time{}", if acted == 1 { "" } else { "s" }), Role::Text);
    }
    y
}

fn modulation(app: &App, painter: &mut Painter<'_>, area: Rect, written: usize) -> u16 {
    let Some(doc) = app.document().modulations.iter().find(|m| m.written == written) else { return area.y };
    let others = app.document().modulations.iter().filter(|m| m.kind == doc.kind && m.target.value == doc.target.value && m.property == doc.property).count();
    let aside = if others > 1 { format!("{others} add up") } else { "the only one on it".to_owned() };
    painter.heading(area.x, area.y, area.width, &doc.whole(), &aside);
    let Some((curve, parameter)) = curve_of(app, doc) else { return area.y + 1 };
    let frame = Frame::of(&curve, &app.document().parameters[parameter]);
    let plot = Rect { y: area.y + 1, height: 6.min(area.height.saturating_sub(2)), ..area };
    frame.draw(painter, plot, &curve);
    let value = app.smooth_value(parameter);
    frame.mark(painter, plot, value, Role::Active);
    let y = plot.bottom();
    painter.text(area.x, y, area.width / 2, &format!("{} {}", number(frame.x.0), app.document().parameters[parameter].unit), Role::Secondary);
    painter.right(area.right(), y, &format!("{} {}", number(frame.x.1), app.document().parameters[parameter].unit), Role::Secondary);
    let y = pair(painter, area, y + 1, "comes to", &doc.property.print(curve.at(value)).replace('-', "−"), Role::Active);
    if others > 1 { sum(app, painter, area, y, doc) } else { y }
}

/// What all modulations of one property come to now, each and together; gives the next line.
fn sum(app: &App, painter: &mut Painter<'_>, area: Rect, mut y: u16, doc: &ModulationDoc) -> u16 {
    let document = app.document();
    let alike = |m: &&ModulationDoc| m.kind == doc.kind && m.target.value == doc.target.value && m.property == doc.property;
    let print = |value: f32| doc.property.print(value).replace('-', "−");
    let mut all = 0.0;
    for one in document.modulations.iter().filter(alike) {
        let Some((curve, parameter)) = curve_of(app, one) else { continue };
        let now = curve.at(app.smooth_value(parameter));
        all += now;
        y = pair(painter, area, y, &one.from.value, &print(now), if one.written == doc.written { Role::Active } else { Role::Text });
    }
    pair(painter, area, y, "together", &print(all), Role::Active)
}

fn what_would(app: &App, painter: &mut Painter<'_>, area: Rect, subject: &str) -> u16 {
    if area.height < 2 {
        return area.y;
    }
    let program = app.program();
    let Some(status) = app.rehearsal.status.as_ref().filter(|s| s.program == program.id) else { return area.y };
    let list = would(program, status, &app.rehearsal.names, NameKey::of(subject));
    painter.heading(area.x, area.y, area.width, "What would happen now", "");
    let mut y = area.y + 1;
    if list.is_empty() {
        return wrapped(painter, area, y, 1, "nothing: no reaction waits for it", Role::Secondary);
    }
    for verdict in list {
        if y >= area.bottom() {
            break;
        }
        painter.text(area.x + 1, y, 4, &format!("{}", verdict.written + 1), Role::Secondary);
        y = wrapped(painter, area, y, 5, &verdict.why, if verdict.acts { Role::Good } else { Role::Text });
        if verdict.acts
            && let Some(reaction) = app.document().reactions.get(verdict.written)
        {
            for act in reaction.actions.iter().take(3) {
                y = wrapped(painter, area, y, 7, &act.to_string(), Role::Secondary);
            }
        }
    }
    y
}

/// Who speaks, what waits to be said, and for how long.
fn lines(app: &App, painter: &mut Painter<'_>, area: Rect) {
    let Some(status) = app.rehearsal.status.as_ref().filter(|s| !s.lines.is_empty()) else { return };
    if area.height < 2 {
        return;
    }
    painter.heading(area.x, area.y, area.width, "Lines", "said now, and waiting");
    for (at, line) in status.lines.iter().enumerate() {
        let y = area.y + 1 + at as u16;
        if y >= area.bottom() {
            break;
        }
        let name = app.rehearsal.names.get(line.sound);
        let rate = app.program().rate as f32;
        let text = if line.speaking {
            "says it".to_owned()
        } else {
            let urgent = match line.urgency {
                Urgency::InTurn => "",
                Urgency::First => "first, ",
                Urgency::CutIn => "cutting in, ",
            };
            format!("{urgent}{:.1} s of {:.0}", status.frame.saturating_sub(line.asked) as f32 / rate, line.worth as f32 / rate)
        };
        painter.text(area.x + 1, y, 22, name, if line.speaking { Role::Active } else { Role::Text });
        painter.right(area.right(), y, &text, if line.speaking { Role::Active } else { Role::Secondary });
    }
}
