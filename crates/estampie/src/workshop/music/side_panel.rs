//! The side of the view *Music*: the selected way with its seam and its waits, the selected layer, what was heard
//! lately, and the problems that a check found.

use super::super::app::App;
use super::super::painter::{Painter, rows_of};
use super::super::theme::Role;
use super::super::view::Targets;
use super::inputs::MusicTarget;
use super::{Column, Stave};
use estampie_engine::index::SectionIndex;
use estampie_engine::music::wait;
use estampie_project::document::{LayerOf, SILENCE, TRANSITION_FIELDS, TransitionDoc, unsaid_of_transition};
use estampie_proof::check::{ProblemKind, Seam};

use estampie_engine::music::spec::When;
use estampie_engine::program::Program;
use ratatui::layout::Rect;

/// A moment in words.
pub(super) fn when_text(program: &Program, when: When) -> String {
    match when {
        When::AtOnce => "at once".into(),
        When::Beat => "next beat".into(),
        When::Bar => "next bar".into(),
        When::Bars(n) => format!("every {n} bars"),
        When::Phrase => "phrase end".into(),
        When::End => "section end".into(),
        When::OpenEnding => "open ending".into(),
        When::Marker(key) => format!("marker {}", program.names.get(key)),
    }
}

/// A moment in as few words as a cell of the matrix has room for.
pub(super) fn when_short(program: &Program, when: When) -> String {
    match when {
        When::Bars(n) => format!("{n}-bar line"),
        When::OpenEnding => "open end".into(),
        When::End => "end".into(),
        When::Marker(key) => format!("at {}", program.names.get(key)),
        _ => when_text(program, when),
    }
}

/// A field of a transition as it is written; `None` if it is not.
pub(super) fn field_text(way: Option<&TransitionDoc>, field: &str) -> Option<String> {
    let way = way?;
    let usual = unsaid_of_transition(field);
    let text = match field {
        "leave" => way.leave.as_ref()?.to_string(),
        "by-way-of" => way.way.to_string(),
        "arrive" => way.arrive.to_string(),
        "fade-out" => way.falls?.to_string(),
        "fade-in" => way.rises.to_string(),
        "overlap" => way.overlap.to_string(),
        "accepted" => way.accepted.clone()?,
        _ => if way.allowed { "yes" } else { "no" }.to_owned(),
    };
    (text != usual).then_some(text)
}

/// The field of a transition as a person would name it.
pub(crate) fn label(field: &str) -> &'static str {
    TRANSITION_FIELDS.iter().zip(LABELS).find(|(f, _)| **f == field).map_or("", |(_, label)| label)
}

/// The fields of a transition as a person would name them.
const LABELS: [&str; 8] = ["leaves at", "by way of", "arrives at", "fade-out", "fade-in", "overlap", "allowed", "accepted"];

pub(super) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let check = &app.music.beside.check;
    if check.open && (check.problems.is_some() || app.music.beside.checking()) {
        return draw_check(app, painter, area);
    }
    let y = match app.music.column {
        Column::Ways | Column::Fields => draw_way(app, painter, area, targets),
        Column::Staves => draw_stave(app, painter, area),
        Column::Index => draw_now(app, painter, area),
    };
    draw_heard(app, painter, Rect { y: y + 1, height: area.bottom().saturating_sub(y + 1), ..area });
}

fn pair(painter: &mut Painter<'_>, area: Rect, y: u16, label: &str, value: &str, role: Role) {
    painter.text(area.x + 1, y, 15, label, Role::Secondary);
    painter.text(area.x + 16, y, area.width.saturating_sub(16), value, role);
}

fn draw_way(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) -> u16 {
    let Some((from, to)) = app.selected_way() else { return area.y };
    painter.heading(area.x, area.y, area.width, &format!("{from} ⟶ {to}"), "");
    let mut y = area.y + 1;
    if from == to {
        painter.text(area.x + 1, y, area.width, "it loops by itself", Role::Secondary);
        return y + 1;
    }
    let way = app.written_way(&from, &to);
    let rule = app.wanted_seam().and_then(|(_, _, f, t)| Some(*app.piece_spec()?.1.rule(Some(f), t)));
    for (at, (field, label)) in TRANSITION_FIELDS.iter().zip(LABELS).enumerate() {
        let usual = unsaid_of_transition(field);
        let chosen = app.music.column == Column::Fields && app.music.field == at;
        if chosen {
            painter.select(area.x, y, area.width);
        }
        targets.push((Rect { x: area.x, y, width: area.width, height: 1 }, std::rc::Rc::new(MusicTarget::Field(at))));
        let text = field_text(way, field);
        // What a row or column of "any" says is shown as such.
        let inherited = rule.filter(|r| r.written.is_some() && way.is_none() && *field == "leave").map(|r| when_text(app.program(), r.leave));
        let role = if text.is_some() { Role::Text } else { Role::Secondary };
        pair(painter, area, y, label, &text.or(inherited).unwrap_or_else(|| usual.to_owned()), role);
        y += 1;
    }
    if way.is_none() && rule.is_some_and(|r| r.written.is_some()) {
        painter.text(area.x + 1, y, area.width - 1, "as written for \"any\"", Role::Secondary);
        y += 1;
    }
    y += 1;
    if let Some(key) = app.wanted_seam() {
        painter.heading(area.x, y, area.width, "The seam", "as it will sound");
        y += 1;
        y = match app.music.beside.seam_of(&key) {
            Some(seam) => draw_seam(app, painter, Rect { y, ..area }, seam),
            None => {
                painter.text(area.x + 1, y, area.width, "is being rendered", Role::Secondary);
                y + 1
            }
        };
        if let Some((_, spec)) = app.piece_spec()
            && let Some(long) = wait(spec, key.2, spec.rule(Some(key.2), key.3).leave)
        {
            let rate = f64::from(app.program().rate);
            let most = (long.longest / rate).max(1.0);
            painter.heading(area.x, y + 1, area.width, "The wait", "whenever it is asked for");
            for (row, (label, frames, role)) in [("longest", long.longest, Role::Text), ("median", long.median, Role::Secondary)].into_iter().enumerate() {
                let row = y + 2 + row as u16;
                let seconds = frames / rate;
                painter.text(area.x + 1, row, 8, label, Role::Secondary);
                painter.right(area.x + 16, row, &format!("{seconds:.2} s"), Role::Text);
                painter.bar(area.x + 18, row, area.width.saturating_sub(19), (seconds / most) as f32, role);
            }
            y += 4;
        }
    }
    y
}

/// The wave of a seam: the old before it, the new after it.
fn draw_seam(app: &App, painter: &mut Painter<'_>, area: Rect, seam: &Seam) -> u16 {
    let rate = f64::from(app.program().rate);
    let height = 6.min(area.height.saturating_sub(4));
    let plot = Rect { height, ..area };
    let count = seam.samples[0].len().max(1);
    let columns = usize::from(area.width) * 2;
    let peak = seam.samples[0].iter().fold(1e-6f32, |p, s| p.max(s.abs()));
    let (mut old, mut new) = (Vec::new(), Vec::new());
    for column in 0..columns {
        let range = column * count / columns..((column + 1) * count / columns).max(column * count / columns + 1).min(count);
        let high = seam.samples[0][range.clone()].iter().fold(0.0f32, |p, s| p.max(s.abs())) / peak;
        let x = (column as f64 + 0.5) / columns as f64;
        let steps = (f64::from(high) * f64::from(height) * 2.0).ceil() as usize;
        let list = if range.start < seam.leaves { &mut old } else { &mut new };
        for step in 0..=steps {
            let offset = step as f64 / (f64::from(height) * 4.0);
            list.push((x, (0.5 + offset).min(1.0)));
            list.push((x, (0.5 - offset).max(0.0)));
        }
    }
    painter.plot(plot, &old, Role::Secondary);
    let split = (seam.leaves as f64 / count as f64 * f64::from(area.width)) as u16;
    let right = Rect { x: area.x + split, width: area.width - split, ..plot };
    let share = f64::from(split) / f64::from(area.width);
    let moved: Vec<(f64, f64)> = new.iter().map(|(x, y)| ((x - share) / (1.0 - share).max(0.01), *y)).collect();
    painter.plot(right, &moved, Role::Active);
    let y = area.y + height;
    painter.text(area.x + split, y, 1, "▲", Role::Accent);
    let waited = format!("left {:.1} s after it was asked", seam.waited as f64 / rate);
    if usize::from(area.width - split) > waited.chars().count() + 1 {
        painter.text(area.x + split + 2, y, area.width - split - 2, &waited, Role::Secondary);
    } else {
        let short = format!("{:.1} s after asking", seam.waited as f64 / rate);
        let room = (area.width - split).saturating_sub(2);
        if usize::from(room) >= short.chars().count() {
            painter.text(area.x + split + 2, y, room, &short, Role::Secondary);
        }
    }
    let step =
        if seam.step_db > -200.0 { format!("step {:.0} dB, around {:.0} dB", seam.step_db, seam.around_db).replace('-', "−") } else { "no step".into() };
    let click = seam.problems.iter().any(|f| matches!(f, ProblemKind::Click(..)));
    let (text, role) = if click { (format!("✗ {step}: a click"), Role::Accent) } else { (format!("✓ {step}"), Role::Good) };
    painter.text(area.x, y + 1, area.width, &text, role);
    let (before, after) = seam.loudness;
    if before.is_finite() && after.is_finite() {
        let jump = seam.problems.iter().any(|f| matches!(f, ProblemKind::Jump(_)));
        let text = format!("{} {before:.1} ⟶ {after:.1} LUFS", if jump { "✗" } else { "✓" }).replace('-', "−");
        painter.text(area.x, y + 2, area.width, &text, if jump { Role::Accent } else { Role::Good });
    }
    let mut y = y + 3;
    for find in &seam.problems {
        let text = match find {
            ProblemKind::Gap(s) => format!("✗ a gap of {:.0} ms", s * 1000.0),
            ProblemKind::Doubled(s) => format!("✗ two downbeats, {:.0} ms apart", s * 1000.0),
            ProblemKind::Again => "✗ a recording sounds again".to_owned(),
            ProblemKind::Never => "✗ it never leaves".to_owned(),
            ProblemKind::Click(..) | ProblemKind::Jump(_) => continue,
        };
        painter.text(area.x, y, area.width, &text, Role::Accent);
        y += 1;
    }
    y
}

fn draw_stave(app: &App, painter: &mut Painter<'_>, area: Rect) -> u16 {
    let Some(doc) = app.piece_doc() else { return area.y };
    let mut y = area.y + 1;
    match app.selected_stave() {
        Some(Stave::Section(at)) => {
            let section = &doc.sections[at];
            painter.heading(area.x, area.y, area.width, &section.name, "");
            let mut say = |label: &str, value: &str| {
                if !value.is_empty() {
                    pair(painter, area, y, label, value, Role::Text);
                    y += 1;
                }
            };
            say("bars", &section.bars.to_string());
            say("phrases of", &format!("{} bars", section.phrase));
            say("then", &section.then.to_string());
            say("open ending", &if section.open > 0 { format!("the last {} bars", section.open) } else { String::new() });
            say("close ending", section.close.as_ref().map_or("", |c| c.value.as_str()));
            say("markers", &section.markers.iter().map(|(n, s)| format!("{n} {}.{}", s.value.bar, s.value.beat)).collect::<Vec<_>>().join(", "));
            say("chords", &section.chords.iter().map(|c| format!("{}: {}", c.at.bar, c.name.value)).collect::<Vec<_>>().join("  "));
        }
        Some(Stave::Layer(at, layer)) => {
            let section = &doc.sections[at];
            let layer_doc = &section.layers[layer];
            painter.heading(area.x, area.y, area.width, &format!("{} of {}", layer_doc.name, section.name), "");
            let mut say = |label: &str, value: &str| {
                pair(painter, area, y, label, value, Role::Text);
                y += 1;
            };
            match &layer_doc.of {
                LayerOf::File(file) => say("file", file.value.rsplit('/').next().unwrap_or_default()),
                LayerOf::Sound(sound) => say("sound", &sound.value),
                LayerOf::Notes(notes) => {
                    say("notes", &notes.tracks.iter().map(|t| t.value.as_str()).collect::<Vec<_>>().join(", "));
                    say("instrument", &notes.instrument.value);
                    if let Some(not_taken) = app.not_taken(&notes.file.value) {
                        say("not taken", &not_taken);
                    }
                }
                LayerOf::Nothing => say("plays", "nothing"),
            }
            say("level", &layer_doc.level.to_string());
            if layer_doc.pan.0 != 0.0 {
                say("pan", &layer_doc.pan.to_string());
            }
            let when: Vec<String> = layer_doc.when.iter().map(|c| format!("{} {}", c.subject, c.test)).collect();
            say("while", &if when.is_empty() { "always".to_owned() } else { when.join(" and ") });
            say("switched on", &layer_doc.on.to_string());
            say("fades over", &layer_doc.fade.to_string());
            let name = format!("{}/{}", doc.name, layer_doc.name);
            let moved: Vec<_> = app.document().modulations.iter().filter(|m| m.target.value == name).collect();
            for modulation in moved.iter().take(2) {
                y = draw_curve(app, painter, Rect { y: y + 1, height: area.bottom().saturating_sub(y + 1), ..area }, modulation.written);
            }
        }
        None => {}
    }
    y
}

/// The curve of a modulation with the value that it comes to now.
fn draw_curve(app: &App, painter: &mut Painter<'_>, area: Rect, written: usize) -> u16 {
    let program = app.program();
    let Some((index, spec)) = program.modulations.iter().enumerate().find(|(_, m)| m.written as usize == written) else { return area.y };
    let parameter = &program.parameters[spec.parameter];
    let name = program.names.get(parameter.key);
    painter.heading(area.x, area.y, area.width, &format!("{name} ⟶ {}", spec.property.word()), "");
    let status = app.rehearsal.status.as_ref().filter(|s| s.program == program.id);
    let now = status.and_then(|s| s.parameters.get(spec.parameter)).map_or(parameter.rest, |p| p.smooth);
    let value = status.and_then(|s| s.modulations.get(index)).copied().unwrap_or(0.0);
    let height = 4.min(area.height.saturating_sub(3));
    let plot = Rect { y: area.y + 1, height, ..area };
    let (low, high) = (parameter.low, parameter.high);
    let values: Vec<f32> = (0..200).map(|i| spec.curve.at(low + (high - low) * i as f32 / 199.0)).collect();
    let (least, most) = values.iter().fold((f32::INFINITY, f32::NEG_INFINITY), |(a, b), v| (a.min(*v), b.max(*v)));
    let span = (most - least).max(1e-3);
    let points: Vec<(f64, f64)> = values.iter().enumerate().map(|(i, v)| (i as f64 / 199.0, f64::from((v - least) / span))).collect();
    painter.plot(plot, &points, Role::Text);
    let share = ((now - low) / (high - low).max(1e-6)).clamp(0.0, 1.0);
    let x = area.x + (share * f32::from(area.width.saturating_sub(1))) as u16;
    for row in 0..height {
        painter.text(x, plot.y + row, 1, "╎", Role::Active);
    }
    let text = format!("{name} {now:.2} ⟶ {}", spec.property.print(value));
    painter.text(area.x, plot.bottom(), area.width, &text, Role::Active);
    plot.bottom() + 1
}

/// What plays, in sentences.
fn draw_now(app: &App, painter: &mut Painter<'_>, area: Rect) -> u16 {
    painter.heading(area.x, area.y, area.width, "Now", "");
    let mut y = area.y + 1;
    let program = app.program();
    let frame = app.rehearsal.status.as_ref().map_or(0, |s| s.frame);
    let mut any = false;
    for (index, spec) in program.music.pieces.with_places() {
        let Some(now) = app.piece_now(index) else { continue };
        let Some(pass) = now.sequencer.pass() else { continue };
        any = true;
        let (bar, beat, _) = now.sequencer.position(spec, frame).unwrap_or_default();
        let section = program.names.get(spec.sections[pass.section].key);
        painter.text(area.x + 1, y, area.width - 1, &format!("{} {section} {}.{}", program.names.get(spec.key), bar + 1, beat + 1), Role::Active);
        y += 1;
        let to = |to: Option<SectionIndex>| to.map_or(SILENCE, |s| program.names.get(spec.sections[s].key));
        if let Some(between) = now.sequencer.between() {
            painter.text(area.x + 3, y, area.width - 3, &format!("leads to {}", to(between.to)), Role::Accent);
            y += 1;
        }
        if let Some(ask) = now.sequencer.waits() {
            let leaves = now.sequencer.leaves(spec).map(|f| f.saturating_sub(frame) as f64 / f64::from(program.rate));
            let text = format!("waits for {}{}", to(ask.to), leaves.map_or(String::new(), |s| format!(", {s:.1} s")));
            painter.text(area.x + 3, y, area.width - 3, &text, Role::Accent);
            let by = program.names.get(ask.by);
            if !by.is_empty() {
                y += 1;
                painter.text(area.x + 3, y, area.width - 3, &format!("asked by {by}"), Role::Secondary);
            }
            y += 1;
        }
        for (value, what) in [(now.held_db, "by another piece"), (now.ducked_db, "by a stinger")] {
            if value < -0.05 {
                painter.text(area.x + 3, y, area.width - 3, &format!("ducked {} dB {what}", estampie_proof::trace::print_value(value)), Role::Accent);
                y += 1;
            }
        }
    }
    if !any {
        painter.text(area.x + 1, y, area.width - 1, "no piece plays", Role::Secondary);
        y += 1;
    }
    y
}

fn draw_heard(app: &App, painter: &mut Painter<'_>, area: Rect) {
    if area.height < 3 {
        return;
    }
    painter.heading(area.x, area.y, area.width, "Heard lately", "");
    let rate = f64::from(app.program().rate);
    let mut y = area.y + 1;
    for (frame, text, alarm) in app.rehearsal.history.music.iter().rev() {
        for (row, line) in rows_of(text.trim(), usize::from(area.width) - 8, "  ").iter().enumerate() {
            if y >= area.bottom() {
                return;
            }
            if row == 0 {
                painter.right(area.x + 6, y, &format!("{:.1}", *frame as f64 / rate), Role::Secondary);
            }
            painter.text(area.x + 8, y, area.width.saturating_sub(8), line, if *alarm { Role::Accent } else { Role::Text });
            y += 1;
        }
    }
    if app.rehearsal.history.music.is_empty() {
        painter.text(area.x + 1, area.y + 1, area.width - 1, "nothing yet", Role::Secondary);
    }
}

fn draw_check(app: &App, painter: &mut Painter<'_>, area: Rect) {
    let check = &app.music.beside.check;
    painter.heading(area.x, area.y, area.width, "Every transition", "from several bars");
    let mut y = area.y + 1;
    match &check.problems {
        None => {
            painter.text(area.x + 1, y, area.width - 1, &format!("{} renderings heard so far", check.heard), Role::Active);
        }
        Some(problems) => {
            let accepted = problems.iter().filter(|f| f.accepted.is_some()).count();
            let and = if accepted > 0 { format!(", {accepted} accepted") } else { String::new() };
            let (text, role) = match problems.len() - accepted {
                0 => (format!("✓ {} renderings, nothing found{and}", check.heard), Role::Good),
                open => (format!("{} renderings, {open} problems{and}", check.heard), Role::Accent),
            };
            painter.text(area.x + 1, y, area.width - 1, &text, role);
            y += 2;
            for problem in problems {
                for line in rows_of(&problem.to_string(), usize::from(area.width) - 3, "  ") {
                    if y + 1 >= area.bottom() {
                        painter.text(area.x + 1, y, area.width, "and more; estampie check lists all", Role::Secondary);
                        return;
                    }
                    painter.text(area.x + 1, y, area.width - 1, &line, Role::Text);
                    y += 1;
                }
                y += 1;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn moments_are_said_as_they_are_written() {
        let program = Program::default();
        assert_eq!(when_text(&program, When::Bars(2)), "every 2 bars");
        assert_eq!(when_text(&program, When::AtOnce), "at once");
    }
}
