//! What the view *Trace* shows: lanes over one time on the left, what happened and why on the right.

use super::inputs::{ClickRow, ClickTime, Line};
use super::{Column, Row, compare};
use crate::workshop::app::App;
use crate::workshop::checks::Standing;
use crate::workshop::lanes::{Span, paint, paint_before};
use crate::workshop::painter::{NARROW, Painter, rows_of};
use crate::workshop::rehearsal::LogLine;
use crate::workshop::stage::{role, why_of};
use crate::workshop::theme::Role;
use crate::workshop::view::Targets;
use estampie_engine::names::NameKey;
use estampie_engine::program::Trigger;
use estampie_engine::units::Seconds;
use estampie_project::language::StepAction;
use estampie_proof::check::Broken;
use estampie_proof::trace::lanes::{Content, Follows, Lane, drawn, last_told};
use estampie_proof::trace::would;
use estampie_proof::trace::{print_value, tidy};
use ratatui::layout::Rect;
use std::rc::Rc;

/// The columns of names.
const NAMES: u16 = 22;
/// The columns of what is happening and why.
const SIDE: u16 = 56;
/// The columns of time on a page of a usual width, for steps of the keys.
pub(super) const PLOT: u16 = 80;

pub(super) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    if area.width < NARROW {
        match app.trace.column {
            Column::Lanes => lanes(app, painter, Rect { x: 1, width: area.width - 2, ..area }, targets),
            Column::Lines => lines(app, painter, Rect { x: 1, width: area.width - 2, ..area }, targets),
        }
        return;
    }
    let side = SIDE.min(area.width * 9 / 20);
    let at = area.width - side;
    painter.upright(area.x + at, area.y, area.height);
    lanes(app, painter, Rect { x: 1, width: at - 2, ..area }, targets);
    let side = Rect { x: area.x + at + 2, width: side - 3, ..area };
    let told = told(app);
    // What happened keeps two fifths of the column, however much there is to explain.
    let rows = if app.trace.column == Column::Lanes { area.height * 3 / 5 } else { area.height / 2 };
    let foot = match told {
        Some(_) => rows.min(area.height.saturating_sub(8)),
        None => 0,
    };
    match &app.trace.compared {
        Some(compared) => compare::draw(painter, Rect { height: area.height - foot, ..side }, compared),
        None => lines(app, painter, Rect { height: area.height - foot, ..side }, targets),
    }
    if let Some(told) = told {
        explain(app, painter, Rect { y: side.bottom() - foot + 1, height: foot - 1, ..side }, &told);
    }
}

/// What is explained: the thing of the chosen lane, or of the chosen line.
pub(super) fn told(app: &App) -> Option<Lane> {
    match app.trace.column {
        Column::Lanes => app.chosen_lane(),
        Column::Lines => {
            let lines = app.trace_lines();
            let line = lines.get(app.trace.place_in(&lines))?;
            // The longest name counts.
            let named = |name: &str| line.text.split_whitespace().any(|word| word.trim_end_matches(',') == name);
            let sounds = app.document().sounds.iter().map(|s| (Follows::Sound, s.name.as_str()));
            let events = app.document().events.iter().map(|e| (Follows::Events, e.name.as_str()));
            let (follows, name) = sounds.chain(events).filter(|(_, name)| named(name)).max_by_key(|(_, name)| name.len())?;
            Some(Lane { group: estampie_proof::trace::lanes::Group::Sounds, follows, key: NameKey::of(name), name: name.to_owned() })
        }
    }
}

fn time(seconds: f64, fine: bool) -> String {
    let seconds = seconds.max(0.0);
    let (minutes, rest) = ((seconds / 60.0).floor(), seconds % 60.0);
    if fine { format!("{minutes:.0}:{rest:06.3}") } else { format!("{minutes:.0}:{rest:02.0}") }
}

/// Between two lines of the scale, in seconds.
fn scale(seconds: f64, width: u16) -> f64 {
    let least = seconds / f64::from(width) * 12.0;
    let steps = [0.0001, 0.0005, 0.001, 0.005, 0.01, 0.05, 0.1, 0.5, 1.0, 2.0, 5.0, 10.0, 30.0, 60.0, 120.0, 300.0, 600.0];
    steps.into_iter().find(|step| *step >= least).unwrap_or(1_200.0)
}

fn lanes(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let rehearsal = &app.rehearsal;
    let rate = f64::from(app.program().rate);
    let names = NAMES.min(area.width / 3);
    let span = app.trace_span(area.x + names, area.width - names);
    let now = rehearsal.now();
    let shown = match app.trace.seconds {
        s if s < 1.0 => format!("{} ms in sight", (s * 1e5).round() / 100.0),
        s if s < 120.0 => format!("{s:.0} s in sight"),
        s => format!("{:.0} min in sight", s / 60.0),
    };
    let kept = Seconds(now.saturating_sub(rehearsal.kept().begins()) as f64 / rate);
    let only = app.trace.only.map_or_else(String::new, |key| format!(", only what has to do with {}", rehearsal.names.get(key)));
    painter.heading(area.x, area.y, area.width, "Lanes", &format!("{shown} of {}{only}", time(kept.0, false)));
    let (from, step) = (span.from / rate, scale(app.trace.seconds, span.width));
    let top = area.y + 1;
    let head = playhead_label(app, &span);
    let mut at = (from.max(0.0) / step).ceil() * step;
    while at * rate <= span.to {
        let x = span.column((at * rate).round() as u64);
        for y in top + 1..area.bottom() {
            painter.text(x, y, 1, "┊", Role::Rule);
        }
        let label = time(at, step < 1.0);
        // Half a label beside that of the moment that is looked at is none.
        let end = x + label.len() as u16;
        let clear = head.as_ref().is_none_or(|(left, text)| end < *left || x > left + text.len() as u16);
        if clear && end <= area.right() {
            painter.text(x, top, 12, &label, Role::Secondary);
        }
        at += step;
    }
    targets.push((Rect { x: span.x, y: top, width: span.width, height: area.bottom() - top }, Rc::new(ClickTime(None, span))));
    if rehearsal.kept().is_empty() {
        painter.text(area.x + 1, top + 2, area.width - 2, "nothing yet: send an event on the Stage, or replay a playthrough", Role::Secondary);
        return;
    }
    let marks = marks(app);
    let area = if marks.is_empty() {
        area
    } else {
        expectations(app, painter, &span, Rect { width: names, ..area }, &marks);
        Rect { height: area.height - 1, ..area }
    };
    let rows = app.trace_rows();
    let chosen = app.trace.row_in(&rows);
    let room = area.height.saturating_sub(2);
    let heights = heights(&rows, room);
    let first = first_row(&heights, chosen, room);
    let mut y = top + 1;
    let mut last = first;
    for (at, row) in rows.iter().enumerate().skip(first) {
        if y + heights[at] > area.bottom() {
            break;
        }
        last = at + 1;
        let here = at == chosen && app.trace.column == Column::Lanes;
        if at == chosen {
            painter.mark(Rect { width: names, ..area }, y, here);
        }
        targets.push((Rect { x: area.x, y, width: names, height: heights[at] }, Rc::new(ClickRow(row.clone()))));
        match row {
            Row::Heading(group, folded) => {
                let bold = painter.style(Role::Text).add_modifier(ratatui::style::Modifier::BOLD);
                let sign = if *folded { "▶" } else { "▼" };
                painter.text(area.x + 1, y, 1, sign, Role::Secondary);
                painter.put(area.x + 3, y, names - 4, group.word(), bold);
            }
            Row::Lane(lane) => {
                targets.push((Rect { x: span.x, y, width: span.width, height: heights[at] }, Rc::new(ClickTime(Some(row.which()), span))));
                lane_row(app, painter, Rect { x: area.x, y, width: names, height: heights[at] }, &span, lane, at == chosen);
            }
        }
        y += heights[at];
    }
    painter.more(Rect { y: top + 1, height: room, width: names - 1, ..area }, first, rows.len() - last);
    playhead(app, painter, &span, Rect { y: top, height: area.bottom() - top, ..area });
}

/// What is expected of the playthrough that was replayed: when, and what is instead if it is not kept.
fn marks(app: &App) -> Vec<(f64, Option<&Broken>)> {
    let Some(name) = &app.rehearsal.replayed else { return Vec::new() };
    let Some(at) = app.document().playthroughs.iter().position(|(n, _)| n == name) else { return Vec::new() };
    if !matches!(app.standing(at), Standing::Kept(_) | Standing::Broken(..)) {
        return Vec::new();
    }
    let broken = app.broken_of(name);
    let steps = app.document().playthroughs[at].1.steps();
    let own = steps.into_iter().filter(|(step, _)| matches!(step.action, StepAction::Expect(_)));
    let mut marks: Vec<(f64, Option<&Broken>)> =
        own.map(|(step, place)| (step.at.0, broken.iter().find(|b| b.place.file == place.file && b.place.line == place.line))).collect();
    // What is always expected is marked where it is not kept.
    let file = crate::workshop::playthroughs::file_of(name);
    marks.extend(broken.iter().filter(|b| b.place.file != file).map(|b| (b.at.unwrap_or(b.from).0, Some(b))));
    marks
}

/// A row with what is expected, at the foot: ✓ where it is kept, ✗ where it is not, with what was instead where there is room.
fn expectations(app: &App, painter: &mut Painter<'_>, span: &Span, names: Rect, marks: &[(f64, Option<&Broken>)]) {
    let y = names.bottom() - 1;
    let rate = f64::from(app.program().rate);
    painter.text(names.x + 2, y, names.width - 8, "expected", Role::Text);
    // What is always expected counts, too.
    let at = app.rehearsal.replayed.as_ref().and_then(|name| app.document().playthroughs.iter().position(|(n, _)| n == name));
    let (count, role) = match at.map(|at| app.standing(at)) {
        Some(Standing::Broken(wrong, _)) => (format!("✗ {wrong}"), Role::Accent),
        Some(Standing::Kept(all)) => (format!("✓ {all}"), Role::Good),
        _ => (String::new(), Role::Text),
    };
    painter.right(names.right() - 1, y, &count, role);
    let at = |seconds: f64| (seconds * rate).round() as u64;
    let inside = |seconds: f64| (span.from..=span.to).contains(&(seconds * rate));
    for (seconds, _) in marks.iter().filter(|m| inside(m.0) && m.1.is_none()) {
        painter.text(span.column(at(*seconds)), y, 1, "✓", Role::Good);
    }
    for (seconds, broken) in marks.iter().filter(|m| inside(m.0)) {
        let Some(broken) = broken else { continue };
        let x = span.column(at(*seconds));
        let text = format!("✗ {}: {}", broken.expected, broken.was);
        let room = (span.x + span.width).saturating_sub(x);
        painter.text(x, y, if usize::from(room) >= 20 { room } else { 1 }, if usize::from(room) >= 20 { &text } else { "✗" }, Role::Accent);
    }
}

/// How many rows each row has: what is drawn as a curve has two where that pushes little out of sight.
fn heights(rows: &[Row], room: u16) -> Vec<u16> {
    let curve = |row: &Row| matches!(row, Row::Lane(lane) if matches!(lane.follows, Follows::Parameter | Follows::Loudness | Follows::Peak | Follows::Voices));
    let curves = rows.iter().filter(|row| curve(row)).count();
    let tall = rows.len() + curves <= usize::from(room) * 5 / 4;
    rows.iter().map(|row| if tall && curve(row) { 2 } else { 1 }).collect()
}

/// The first row that is drawn, so that the chosen one is in sight.
fn first_row(heights: &[u16], chosen: usize, room: u16) -> usize {
    let mut first = chosen.min(heights.len().saturating_sub(1));
    let mut all = heights.get(first).copied().unwrap_or(0);
    while first > 0 && all + heights[first - 1] <= room.saturating_sub(1).max(1) * 3 / 4 {
        first -= 1;
        all += heights[first];
    }
    // The end of the list leaves no empty rows.
    let mut below: u16 = heights[first..].iter().sum();
    while first > 0 && below + heights[first - 1] <= room {
        first -= 1;
        below += heights[first];
    }
    first
}

fn lane_row(app: &App, painter: &mut Painter<'_>, names: Rect, span: &Span, lane: &Lane, chosen: bool) {
    let held = drawn(lane, app.rehearsal.kept(), app.program(), &app.rehearsal.names, span.frames(), span.grain());
    let frame = app.rehearsal.frame();
    let sounding = matches!(&held, Content::Bars(bars, _) if bars.iter().any(|(from, to, _)| (*from..=*to).contains(&frame)));
    let role = match lane.follows {
        _ if chosen => Role::Active,
        Follows::State | Follows::Parameter | Follows::Events | Follows::Zones => Role::FromGame,
        Follows::Snapshot | Follows::Stingers => Role::Snapshot,
        Follows::Sound if sounding => Role::Active,
        _ => Role::Text,
    };
    // What it comes to at the moment that is looked at, where there is room for it.
    let value = match &held {
        Content::Values { points, .. } => points.iter().rev().find(|p| p.0 <= frame).map(|p| (lane.follows, p.1)),
        _ => None,
    };
    let value = value.map_or_else(String::new, |(follows, value)| match follows {
        Follows::Snapshot | Follows::Load => format!("{:.0} %", value * 100.0),
        Follows::Voices | Follows::Waiting => format!("{value:.0}"),
        Follows::Reduction => print_value(-value).replace('+', ""),
        Follows::Bus | Follows::Peak if value <= -119.0 => "−∞".to_owned(),
        Follows::Parameter => tidy(value).replace('-', "−"),
        _ => print_value(value).replace('+', ""),
    });
    let room = names.width.saturating_sub(4 + value.chars().count() as u16);
    painter.text(names.x + 2, names.y, room, &lane.name, role);
    painter.right(names.right() - 1, names.y, &value, Role::Secondary);
    if let Some(compared) = &app.trace.compared {
        let before = drawn(lane, &compared.before, app.program(), &app.rehearsal.names, span.frames(), span.grain());
        paint_before(painter, span, names.y, names.height, &before);
    }
    paint(painter, span, names.y, names.height, lane, &held);
}

/// The time of the moment that is looked at, and the column where it begins; none if it is out of sight.
fn playhead_label(app: &App, span: &Span) -> Option<(u16, String)> {
    let frame = app.rehearsal.frame();
    if (frame as f64) < span.from || frame as f64 > span.to {
        return None;
    }
    let label = time(frame as f64 / f64::from(app.program().rate), true);
    let width = label.chars().count() as u16;
    let at = span.column(frame).saturating_sub(width / 2).clamp(span.x, (span.x + span.width).saturating_sub(width).max(span.x));
    Some((at, label))
}

/// The moment that is looked at.
fn playhead(app: &App, painter: &mut Painter<'_>, span: &Span, area: Rect) {
    let Some((at, label)) = playhead_label(app, span) else { return };
    let x = span.column(app.rehearsal.frame());
    let style = painter.style(Role::Active);
    for y in area.y + 1..area.bottom() {
        // What happens in this very column stays in sight.
        if painter.is_blank(x, y) {
            painter.put(x, y, 1, "╎", style);
        }
    }
    painter.put(at, area.y, label.len() as u16, &label, style.add_modifier(ratatui::style::Modifier::BOLD | ratatui::style::Modifier::UNDERLINED));
}

fn lines(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let lines = app.trace_lines();
    let all = app.rehearsal.log.len();
    let which = match (app.trace.attention, app.trace.filter.as_str()) {
        (false, "") => format!("{all} lines, newest first"),
        (attention, filter) => {
            let only = if attention { " refused or at fault" } else { "" };
            let with = if filter.is_empty() { String::new() } else { format!(" with \"{filter}\"") };
            format!("{} of {all}{only}{with}", lines.len())
        }
    };
    painter.heading(area.x, area.y, area.width, "What happened", &which);
    if lines.is_empty() {
        let text = if all == 0 { "nothing yet: send an event on the Stage" } else { "nothing of what happened is like that" };
        painter.text(area.x + 1, area.y + 2, area.width - 1, text, Role::Secondary);
        return;
    }
    let focused = app.trace.column == Column::Lines;
    // Where the lanes have the keys, the lines go with the moment that is looked at.
    let chosen = match app.rehearsal.back() {
        Some(frame) if !focused => lines.iter().position(|line| line.frame <= frame).unwrap_or(lines.len() - 1),
        _ => app.trace.place_in(&lines),
    };
    let rate = f64::from(app.program().rate);
    let rows = usize::from(area.height.saturating_sub(2));
    // Long lines go on below; the chosen one is always in sight.
    let width = usize::from(area.width.saturating_sub(11));
    let tall = |line: &LogLine| rows_of(&line.text, width, "  ").len();
    let mut first = chosen;
    let mut height = tall(lines[chosen]);
    while first > 0 && height + tall(lines[first - 1]) < rows * 2 / 3 {
        first -= 1;
        height += tall(lines[first]);
    }
    let mut y = area.y + 1;
    for (at, line) in lines.iter().enumerate().skip(first) {
        let parts = rows_of(&line.text, width, "  ");
        if usize::from(y) + parts.len() > usize::from(area.bottom()) {
            break;
        }
        if at == chosen {
            for row in 0..parts.len() as u16 {
                painter.mark(area, y + row, focused);
            }
        }
        targets.push((Rect { y, height: parts.len() as u16, ..area }, Rc::new(Line(line.number, line.frame))));
        painter.right(area.x + 9, y, &format!("{:.3}", line.frame as f64 / rate), Role::Secondary);
        for part in parts {
            painter.text(area.x + 10, y, area.width - 10, &part, role(line.label));
            y += 1;
        }
    }
}

/// Why a thing is as it is at the moment that is looked at, or why it is not heard.
fn explain(app: &App, painter: &mut Painter<'_>, area: Rect, lane: &Lane) {
    if area.height < 3 {
        return;
    }
    // The newest line may be newer than the newest status.
    let chosen = || {
        let lines = app.trace_lines();
        lines.get(app.trace.place_in(&lines)).map_or(0, |line| line.frame)
    };
    let frame = app.rehearsal.frame().max(if app.trace.column == Column::Lines { chosen() } else { 0 });
    let kept = app.rehearsal.kept();
    match lane.follows {
        Follows::Sound => {
            let voices = app.sounding();
            if let Some(voice) = voices.iter().find(|v| v.sound == lane.key) {
                why_of(app, painter, area, voice);
                return;
            }
            painter.heading(area.x, area.y, area.width, &format!("{} is not heard here", lane.name), "");
            let (text, role) = match last_told(kept, &app.rehearsal.names, lane.key, frame) {
                Some((text, seconds, refused)) => (format!("{seconds:.2} s before: {text}"), if refused { Role::Accent } else { Role::Text }),
                None => ("nothing has asked for it in what is kept".to_owned(), Role::Secondary),
            };
            for (row, part) in rows_of(&text, usize::from(area.width - 2), "  ").into_iter().enumerate() {
                painter.text(area.x + 1, area.y + 1 + row as u16, area.width - 1, &part, role);
            }
        }
        Follows::Events | Follows::State | Follows::Parameter => {
            let key = if lane.key.is_none() { last_event(app, frame) } else { Some(lane.key) };
            let Some(key) = key else {
                painter.heading(area.x, area.y, area.width, "No event until here", "");
                return;
            };
            // As it stood just before it came.
            let came = kept.last_of(key, frame);
            let at = came.map_or(frame, |h| h.frame.saturating_sub(1));
            let Some((status, program)) = kept.at(at).and_then(|s| Some((s, app.rehearsal.program_of(s.program)?))) else { return };
            let name = app.rehearsal.names.get(key);
            let verdicts = would(program, status, &app.rehearsal.names, key);
            let seconds = at as f64 / f64::from(app.program().rate);
            painter.heading(
                area.x,
                area.y,
                area.width,
                &format!("What {name} {} to", if came.is_some() { "led" } else { "would lead" }),
                &format!("as it stood at {}", time(seconds, true)),
            );
            let mut y = area.y + 1;
            if verdicts.is_empty() {
                painter.text(area.x + 1, y, area.width - 1, "no reaction is about it", Role::Secondary);
            }
            for verdict in verdicts {
                let sentence = program.reactions.iter().find(|r| r.written as usize == verdict.written).map_or("", |r| app.rehearsal.names.get(r.key));
                let parts = [
                    (format!("{} {}", if verdict.acts { "✓" } else { "✗" }, first_line(sentence)), Role::Text),
                    (format!("  {}", verdict.why), Role::Secondary),
                ];
                for (text, role) in parts {
                    for row in rows_of(&text, usize::from(area.width - 2), "    ") {
                        if y >= area.bottom() {
                            return;
                        }
                        painter.text(area.x + 1, y, area.width - 1, &row, role);
                        y += 1;
                    }
                }
            }
        }
        _ => {
            let told = last_told(kept, &app.rehearsal.names, lane.key, frame);
            painter.heading(area.x, area.y, area.width, &lane.name, "");
            if let Some((text, seconds, _)) = told {
                painter.text(area.x + 1, area.y + 1, area.width - 1, &format!("{seconds:.2} s before: {text}"), Role::Text);
            }
        }
    }
}

/// A sentence's first line.
fn first_line(sentence: &str) -> &str {
    sentence.lines().next().unwrap_or_default()
}

/// The event that came last before a frame and has reactions of its own.
fn last_event(app: &App, frame: u64) -> Option<NameKey> {
    let program = app.program();
    let about = |key: NameKey| program.reactions.iter().any(|r| matches!(r.trigger, Trigger::Event(e) if program.events[e].key == key));
    app.rehearsal.kept().happened(0, frame).rev().find_map(|h| match h.what {
        estampie_engine::telemetry::What::Event { event, .. } if about(event) => Some(event),
        _ => None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_are_read_at_a_glance_and_lines_of_the_scale_have_room() {
        assert_eq!(
            (time(0.0, false), time(61.4, false), time(1_799.0, false), time(61.4567, true)),
            ("0:00".into(), "1:01".into(), "29:59".into(), "1:01.457".into())
        );
        for width in [30, 80, 160] {
            for seconds in [0.001, 0.3, 20.0, 600.0, 3_600.0] {
                let step = scale(seconds, width);
                let columns = step / seconds * f64::from(width);
                assert!(columns >= 11.99 || step >= 1_200.0, "{seconds} s on {width}: a line every {columns} columns");
                assert!(columns <= 80.0 || seconds < 0.001, "{seconds} s on {width}: a line every {columns} columns");
            }
        }
    }

    #[test]
    fn the_chosen_row_is_in_sight_and_the_foot_of_the_list_leaves_nothing_empty() {
        for count in 1..40usize {
            let heights: Vec<u16> = (0..count).map(|at| 1 + u16::from(at % 3 == 0)).collect();
            for room in [4u16, 11, 30] {
                for chosen in 0..count {
                    let first = first_row(&heights, chosen, room);
                    let used: u16 = heights[first..=chosen].iter().sum();
                    assert!(first <= chosen && used <= room, "{count} rows, {room} room, {chosen}: from {first}");
                    let all: u16 = heights[first..].iter().sum();
                    assert!(first == 0 || all + heights[first - 1] > room, "{count} rows, {room} room, {chosen}: from {first}");
                }
            }
        }
    }
}
