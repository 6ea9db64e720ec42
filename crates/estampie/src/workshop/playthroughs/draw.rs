//! Drawing the view *Replay*: all of them at the left, the lanes of the chosen one over its time, and its lines.

use super::{ClickLine, ClickName, ClickTime, Column, file_of};
use crate::workshop::app::App;
use crate::workshop::painter::{Painter, cut};
use crate::workshop::theme::Role;
use crate::workshop::view::Targets;
use estampie_engine::world::emitters::LISTENER_NAME;
use estampie_project::language::playthrough::{Placing, time_of};
use estampie_project::language::{Playthrough, StepAction};
use ratatui::layout::Rect;
use std::rc::Rc;

/// The width of the names of lanes.
const NAMES: u16 = 18;
/// The most lanes.
const LANES: usize = 9;

pub(super) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let left = Rect { width: super::FACE.widths.0, ..area };
    painter.upright(left.right(), area.y, area.height);
    names(app, painter, left, targets);
    let right = Rect { x: left.right() + 2, width: area.width - left.width - 3, ..area };
    let Some(at) = app.playthrough_chosen() else {
        painter.heading(right.x, right.y, right.width, "Lines", "");
        painter.text(right.x + 1, right.y + 2, right.width - 1, "there is no playthrough yet: n makes one, R records what is pressed", Role::Secondary);
        return;
    };
    let (name, playthrough) = &app.document().playthroughs[at];
    let length = playthrough.length().0;
    let steps = playthrough.steps().len();
    painter.heading(right.x, right.y, right.width, name, &format!("{length:.1} s · {steps} steps · seed {}", playthrough.seed()));
    let lanes = lanes(playthrough);
    let tall = (lanes.len() as u16).min(right.height / 3);
    let over = Rect { y: right.y + 1, height: tall + 1, ..right };
    timeline(app, painter, over, (name, length), &lanes[..usize::from(tall)], targets);
    lines(app, painter, Rect { y: over.bottom(), height: right.bottom() - over.bottom(), ..right }, name, targets);
}

fn names(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let all = &app.document().playthroughs;
    painter.heading(1, area.y, area.width - 1, "Playthroughs", "R records");
    let chosen = app.playthrough_chosen();
    let rows = usize::from(area.height.saturating_sub(1));
    let first = chosen.unwrap_or(0).saturating_sub(rows * 2 / 3).min(all.len().saturating_sub(rows));
    for (row, (at, (name, playthrough))) in all.iter().enumerate().skip(first).take(rows).enumerate() {
        let y = area.y + 1 + row as u16;
        if chosen == Some(at) {
            painter.mark(Rect { x: 0, ..area }, y, app.playthroughs.column == Column::Names);
        }
        let replaying = app.rehearsal.replay.as_ref().is_some_and(|r| r.name == *name);
        let faulty = app.faults.iter().any(|f| f.place.file == file_of(name));
        let role = if replaying { Role::Active } else { Role::Text };
        let x = if replaying { painter.text(2, y, 2, "▶", Role::Active) + 1 } else { 2 };
        painter.text(x, y, area.width - x - 6, &cut(name, area.width - x - 6), role);
        let length = format!("{:.0} s", playthrough.length().0);
        painter.right(area.right() - 1, y, if faulty { "!" } else { &length }, if faulty { Role::Accent } else { Role::Secondary });
        targets.push((Rect { x: 0, y, width: area.width, height: 1 }, Rc::new(ClickName(at))));
    }
}

/// What happens to one thing over time: moments, and stretches in which it is on its way.
struct Lane {
    name: String,
    spans: Vec<(f64, f64)>,
}

/// A lane for all events, and one for each thing that is moved; the busiest first, in the order in which they begin.
fn lanes(playthrough: &Playthrough) -> Vec<Lane> {
    let walks = playthrough.walks();
    let mut lanes: Vec<Lane> = Vec::new();
    for (index, (step, _)) in playthrough.steps().into_iter().enumerate() {
        let at = step.at.0;
        let (name, end) = match &step.action {
            StepAction::Send(..) => ("events".to_owned(), at),
            StepAction::State(state, _) => (state.text.clone(), at),
            StepAction::Parameter(parameter, _) | StepAction::ParameterOn(parameter, ..) => (parameter.text.clone(), at),
            StepAction::Glide { parameter, over, .. } => (parameter.text.clone(), at + over.0),
            StepAction::Place(Placing { emitter, over, .. }) => {
                (emitter.as_ref().map_or(LISTENER_NAME, |e| &e.text).to_owned(), at + over.map_or(0.0, |o| o.0))
            }
            StepAction::Walk(walking) => {
                let done = walks.iter().find(|(step, _)| *step == index).map_or(at, |(_, done)| *done);
                (walking.emitter.as_ref().map_or(LISTENER_NAME, |e| &e.text).to_owned(), done)
            }
            StepAction::Remove(emitter) => (emitter.text.clone(), at),
            StepAction::PlayerLevel(level, _) => (format!("level {level}"), at),
            StepAction::End => continue,
        };
        match lanes.iter_mut().find(|lane| lane.name == name) {
            Some(lane) => lane.spans.push((at, end)),
            None => lanes.push(Lane { name, spans: vec![(at, end)] }),
        }
    }
    // Where there are more than the page has room for, those with the least to show are left out.
    while lanes.len() > LANES {
        let least = (0..lanes.len()).rev().min_by_key(|at| lanes[*at].spans.len()).unwrap_or(0);
        lanes.remove(least);
    }
    lanes
}

fn timeline(app: &App, painter: &mut Painter<'_>, area: Rect, (name, length): (&str, f64), lanes: &[Lane], targets: &mut Targets) {
    let width = area.width.saturating_sub(NAMES);
    if length <= 0.0 || width < 10 || lanes.is_empty() {
        return;
    }
    let x = area.x + NAMES;
    let column = |at: f64| x + ((at / length).clamp(0.0, 1.0) * f64::from(width - 1)).round() as u16;
    for (row, lane) in lanes.iter().enumerate() {
        let y = area.y + row as u16;
        painter.right(x - 1, y, &cut(&lane.name, NAMES - 2), Role::Secondary);
        painter.text(x, y, width, &"·".repeat(usize::from(width)), Role::Rule);
        for (from, to) in &lane.spans {
            let (first, last) = (column(*from), column(*to));
            if last > first {
                painter.text(first, y, last - first + 1, &"━".repeat(usize::from(last - first + 1)), Role::FromGame);
            }
            painter.text(first, y, 1, "●", Role::FromGame);
        }
    }
    // Where the chosen line is, and where it is replayed just now.
    let chosen = app.time_of_chosen().map(|t| (t.0, Role::Text));
    let rate = f64::from(app.program().rate);
    let now = app.rehearsal.replay.as_ref().filter(|r| r.name == name).map(|_| (app.rehearsal.frame() as f64 / rate, Role::Active));
    for (at, role) in chosen.into_iter().chain(now) {
        for y in area.y..area.y + lanes.len() as u16 {
            let under = painter.buffer[(column(at), y)].symbol().to_owned();
            painter.text(column(at), y, 1, if under == "·" { "│" } else { &under }, role);
        }
    }
    // The scale below: a mark at each tenth of what is round.
    let y = area.y + lanes.len() as u16;
    let step = [1.0, 2.0, 5.0, 10.0, 20.0, 30.0, 60.0, 120.0, 300.0, 600.0, 1800.0, 3600.0].into_iter().find(|s| length / s <= 10.0).unwrap_or(7200.0);
    let mut at = 0.0;
    while at <= length {
        let label = format!("{at} s");
        let end = (column(at) + label.chars().count() as u16).min(x + width);
        painter.text(end.saturating_sub(label.chars().count() as u16), y, 10, &label, Role::Secondary);
        at += step;
    }
    targets.push((area, Rc::new(ClickTime(length, NAMES))));
}

fn lines(app: &App, painter: &mut Painter<'_>, area: Rect, name: &str, targets: &mut Targets) {
    let rows = app.step_rows();
    let focused = app.playthroughs.column == Column::Lines;
    painter.heading(area.x, area.y, area.width, "Lines", if focused { "← → moves one in time, shift finely" } else { "tab to edit them" });
    if rows.is_empty() {
        painter.text(area.x + 1, area.y + 2, area.width, "none yet: n makes one", Role::Secondary);
        return;
    }
    let file = file_of(name);
    let chosen = app.playthroughs.line.min(rows.len() - 1);
    let fault = |at: usize| app.faults.iter().find(|f| f.place.file == file && f.place.line as usize == at + 1);
    let replayed = app.rehearsal.replay.as_ref().filter(|r| r.name == name).map(|_| app.rehearsal.frame() as f64 / f64::from(app.program().rate));
    // The last step that has come.
    let come = replayed.and_then(|now| rows.iter().rposition(|row| time_of(row).is_some_and(|t| t.0 <= now)));
    // The last row is for what is wrong with the chosen line.
    let height = usize::from(area.height.saturating_sub(2));
    let first = chosen.saturating_sub(height * 2 / 3).min(rows.len().saturating_sub(height));
    for (row, (at, text)) in rows.iter().enumerate().skip(first).take(height).enumerate() {
        let y = area.y + 1 + row as u16;
        if at == chosen {
            painter.mark(area, y, focused);
        }
        if come == Some(at) {
            painter.text(area.x + 1, y, 1, "▶", Role::Active);
        }
        let role = if fault(at).is_some() { Role::Accent } else { Role::Text };
        let step = time_of(text).and_then(|_| text.trim().split_once(char::is_whitespace));
        match step {
            Some((time, rest)) => {
                painter.right(area.x + 11, y, time.trim_end_matches('s'), Role::Secondary);
                painter.text(area.x + 13, y, area.width.saturating_sub(13), rest.trim(), role);
            }
            None => {
                painter.text(area.x + 3, y, area.width.saturating_sub(3), text, if fault(at).is_some() { Role::Accent } else { Role::Secondary });
            }
        }
        targets.push((Rect { x: area.x, y, width: area.width, height: 1 }, Rc::new(ClickLine(at))));
    }
    painter.more(Rect { y: area.y + 1, height: height as u16, ..area }, first, rows.len().saturating_sub(first + height));
    if let Some(fault) = fault(chosen) {
        painter.text(area.x + 1, area.bottom() - 1, area.width - 1, &format!("{}; {}", fault.what, fault.fix), Role::Accent);
    }
}
