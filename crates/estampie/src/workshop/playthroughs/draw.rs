//! Drawing the view *Replay*: all of them at the left, the lanes of the chosen one over its time, and its lines.

use super::overview::Overview;
use super::{ClickLine, ClickName, ClickTime, Column, file_of};
use crate::workshop::app::App;
use crate::workshop::checks::Standing;
use crate::workshop::painter::{Painter, cut};
use crate::workshop::theme::Role;
use crate::workshop::view::Targets;
use estampie_engine::units::Seconds;
use estampie_project::language::lex::print_time;
use estampie_project::language::playthrough::time_of;
use estampie_proof::check::Broken;
use estampie_proof::explore::FOUND;
use ratatui::layout::Rect;
use std::rc::Rc;

/// The width of the names of lanes.
const NAMES: u16 = 18;

pub(super) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let left = Rect { width: super::FACE.widths.0, ..area };
    painter.upright(left.right(), area.y, area.height);
    names(app, painter, left, targets);
    let right = Rect { x: left.right() + 2, width: area.width - left.width - 3, ..area };
    if app.checks.covers {
        return super::covered::draw(app, painter, right, targets);
    }
    let Some(at) = app.playthrough_chosen() else {
        painter.heading(right.x, right.y, right.width, "Lines", "");
        painter.text(right.x + 1, right.y + 2, right.width - 1, "there is no playthrough yet: n makes one, R records what is pressed", Role::Secondary);
        return;
    };
    let name = &app.document().playthroughs[at].0;
    app.of_playthrough(|shown| {
        let Overview { length, steps, seed, lanes, .. } = shown;
        let kept = match app.standing(at) {
            Standing::Nothing => String::new(),
            Standing::Unknown => " · listening to what is expected".to_owned(),
            Standing::Kept(all) => format!(" · ✓ all {all} expectations kept"),
            Standing::Broken(broken, all) => format!(" · ✗ {broken} of {all} expectations not kept"),
        };
        let facts = format!("{length:.1} s · {steps} step{} · seed {seed}{kept}", if *steps == 1 { "" } else { "s" });
        painter.heading(right.x, right.y, right.width, name, &facts);
        let tall = (lanes.len() as u16).min(right.height / 3);
        let over = Rect { y: right.y + 1, height: tall + 1, ..right };
        timeline(app, painter, over, name, shown, targets);
        lines(app, painter, Rect { y: over.bottom(), height: right.bottom() - over.bottom(), ..right }, name, shown, targets);
    });
}

/// What was instead of what was expected, and when.
fn when(broken: &Broken) -> String {
    match broken.at {
        Some(at) => format!("{} (at {:.2} s)", broken.was, at.0),
        None => broken.was.clone(),
    }
}

fn names(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let all = &app.document().playthroughs;
    painter.heading(1, area.y, area.width - 1, "Playthroughs", "R records");
    let chosen = app.playthrough_chosen();
    let rows = usize::from(area.height.saturating_sub(1));
    let first = chosen.unwrap_or(0).saturating_sub(rows * 2 / 3).min(all.len().saturating_sub(rows));
    let lengths = app.of_playthrough(|shown| shown.lengths.clone());
    for (row, (at, (name, _))) in all.iter().enumerate().skip(first).take(rows).enumerate() {
        let y = area.y + 1 + row as u16;
        if chosen == Some(at) {
            painter.mark(Rect { x: 0, ..area }, y, app.playthroughs.column == Column::Names);
        }
        let replaying = app.rehearsal.replay.as_ref().is_some_and(|r| r.name == *name);
        let faulty = app.faults.iter().any(|f| f.place.file == file_of(name));
        // What exploring has found is trouble as long as it lies there.
        let (name, found) = name.strip_prefix(FOUND).map_or((name.as_str(), false), |rest| (rest, true));
        let role = if replaying { Role::Active } else { Role::Text };
        let x = if replaying { painter.text(2, y, 2, "▶", Role::Active) + 1 } else { 2 };
        let x = if found { painter.text(x, y, 1, "!", Role::Accent) + 1 } else { x };
        painter.text(x, y, area.width - x - 9, &cut(name, area.width - x - 9), role);
        let length = format!("{:.0} s", lengths.get(at).copied().unwrap_or_default());
        let (mark, role) = match app.standing(at) {
            _ if faulty => ("!", Role::Accent),
            Standing::Nothing => (" ", Role::Secondary),
            Standing::Unknown => ("…", Role::Secondary),
            Standing::Kept(_) => ("✓", Role::Secondary),
            Standing::Broken(..) => ("✗", Role::Accent),
        };
        painter.right(area.right() - 3, y, &length, Role::Secondary);
        painter.right(area.right() - 1, y, mark, role);
        targets.push((Rect { x: 0, y, width: area.width, height: 1 }, Rc::new(ClickName(at))));
    }
}

fn timeline(app: &App, painter: &mut Painter<'_>, area: Rect, name: &str, shown: &Overview, targets: &mut Targets) {
    let width = area.width.saturating_sub(NAMES);
    let (length, lanes) = (shown.length, &shown.lanes[..usize::from(area.height - 1).min(shown.lanes.len())]);
    if length <= 0.0 || width < 10 || lanes.is_empty() {
        return;
    }
    let x = area.x + NAMES;
    let place = |at: f64| ((at / length).clamp(0.0, 1.0) * f64::from(width - 1)).round() as u16;
    let column = |at: f64| x + place(at);
    for (row, lane) in lanes.iter().enumerate() {
        let y = area.y + row as u16;
        painter.right(x - 1, y, &cut(&lane.name, NAMES - 2), Role::Secondary);
        // However much there is: each column is written once.
        let mut cells = vec!["·"; usize::from(width)];
        for (from, to) in lane.spans.iter().filter(|(from, to)| to > from) {
            cells[usize::from(place(*from))..=usize::from(place(*to))].fill("━");
        }
        lane.spans.iter().for_each(|(from, _)| cells[usize::from(place(*from))] = "●");
        for (at, cell) in cells.iter().enumerate() {
            painter.text(x + at as u16, y, 1, cell, if *cell == "·" { Role::Rule } else { Role::FromGame });
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

fn lines(app: &App, painter: &mut Painter<'_>, area: Rect, name: &str, shown: &Overview, targets: &mut Targets) {
    let file = file_of(name);
    let text = app.workspace.sources().get(&file).map_or("", |text| text);
    let focused = app.playthroughs.column == Column::Lines;
    painter.heading(area.x, area.y, area.width, "Lines", if focused { "← → moves one in time, shift finely" } else { "tab to edit them" });
    let count = text.lines().count();
    if count == 0 {
        painter.text(area.x + 1, area.y + 2, area.width, "none yet: n makes one", Role::Secondary);
        return;
    }
    let chosen = app.playthroughs.line.min(count - 1);
    let fault = |at: usize| app.faults.iter().find(|f| f.place.file == file && f.place.line as usize == at + 1);
    let all_broken = app.broken_of(name);
    let listened = app.playthrough_chosen().is_some_and(|at| matches!(app.standing(at), Standing::Kept(_) | Standing::Broken(..)));
    let broken = |at: usize| all_broken.iter().find(|b| b.place.file == file && b.place.line as usize == at + 1);
    let replayed = app.rehearsal.replay.as_ref().filter(|r| r.name == name).map(|_| app.rehearsal.frame() as f64 / f64::from(app.program().rate));
    // The last step that has come.
    let come = replayed.and_then(|now| shown.times.iter().rev().find(|(_, at)| *at <= now)).map(|(line, _)| *line);
    // The last row is for what is wrong with the chosen line.
    let height = usize::from(area.height.saturating_sub(2));
    let first = chosen.saturating_sub(height * 2 / 3).min(count.saturating_sub(height));
    for (row, (at, text)) in text.lines().enumerate().skip(first).take(height).enumerate() {
        let y = area.y + 1 + row as u16;
        if at == chosen {
            painter.mark(area, y, focused);
        }
        if come == Some(at) {
            painter.text(area.x + 1, y, 1, "▶", Role::Active);
        }
        let wrong = fault(at).is_some() || broken(at).is_some();
        let role = if wrong { Role::Accent } else { Role::Text };
        if come != Some(at) {
            let expects = text.split_whitespace().nth(1) == Some("expect");
            match broken(at) {
                Some(_) => drop(painter.text(area.x + 1, y, 1, "✗", Role::Accent)),
                None if expects && listened => drop(painter.text(area.x + 1, y, 1, "✓", Role::Secondary)),
                None => {}
            }
        }
        match time_of(text).zip(text.trim().split_once(char::is_whitespace)) {
            Some((time, (_, rest))) => {
                // Milliseconds are enough to look at, and fit.
                painter.right(area.x + 11, y, &print_time(Seconds((time.0 * 1e3).round() / 1e3)), Role::Secondary);
                painter.text(area.x + 13, y, area.width.saturating_sub(13), rest.trim(), role);
            }
            None => {
                painter.text(area.x + 3, y, area.width.saturating_sub(3), text, if fault(at).is_some() { Role::Accent } else { Role::Secondary });
            }
        }
        targets.push((Rect { x: area.x, y, width: area.width, height: 1 }, Rc::new(ClickLine(at))));
    }
    painter.more(Rect { y: area.y + 1, height: height as u16, ..area }, first, count.saturating_sub(first + height));
    // What is expected of all playthroughs has no line here.
    let of_all = || all_broken.iter().find(|b| b.place.file != file).map(|b| format!("✗ always expected {}; {}", b.expected, when(b)));
    let said = fault(chosen).map(|fault| format!("{}; {}", fault.what, fault.fix));
    if let Some(said) = said.or_else(|| broken(chosen).map(when)).or_else(of_all) {
        painter.text(area.x + 1, area.bottom() - 1, area.width - 1, &said, Role::Accent);
    }
}
