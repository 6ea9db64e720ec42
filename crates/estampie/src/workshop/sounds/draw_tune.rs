//! Drawing the tune of a generator that plays notes: steps to the right, the scale upwards.

use super::super::app::App;
use super::super::painter::Painter;
use super::super::theme::Role;
use super::super::view::{Clicks, Targets};
use super::made::{Focus, Made};
use super::made_tune::{note_at, row_of};
use estampie_engine::curve::Curve;
use estampie_engine::dsp::generators::{GeneratorKind, MOST_CONTROLS, TuneStep, scale_size, tune_steps};
use estampie_project::document::print_tune;
use ratatui::layout::Rect;
use std::rc::Rc;

/// The rows' names to the left.
const NAMES: u16 = 5;
/// A step is no wider, in cells.
const WIDEST: u16 = 12;

/// The picture: a click begins a note at its step and row, or takes it away.
#[derive(Debug, Clone, Copy)]
struct TuneClick {
    /// The row of the scale at the top, and how many cells a step is wide.
    top: i32,
    wide: u16,
}

impl Clicks for TuneClick {
    fn click(&self, app: &mut App, area: Rect, (x, y): (u16, u16)) {
        let Some((_, kind)) = app.sounds.made.as_ref().and_then(|m| m.doc(app)) else { return };
        let step = usize::from(x.saturating_sub(area.x) / self.wide.max(1));
        app.touch_tune(kind, (step, self.top - i32::from(y.saturating_sub(area.y))));
    }
}

/// The step that sounds now, if a voice of it does.
fn sounding(app: &App, kind: &GeneratorKind, values: &[f32; MOST_CONTROLS], count: usize) -> Option<usize> {
    let since = app.made_voice()?;
    let of = |word: &str| kind.settings.iter().position(|s| s.word == word).map(|at| f64::from(values[at]));
    let at = (since / of("interval")?.max(0.001)) as usize;
    let rounds = of("rounds")? as usize;
    (rounds == 0 || at < rounds * count).then_some(at % count.max(1))
}

/// How many rows the lowest and the highest note are apart.
fn span(steps: &[TuneStep], scale: i32) -> (i32, i32) {
    let rows = || steps.iter().flat_map(|s| s.notes.iter().flatten().map(|n| row_of(*n, scale)));
    (rows().min().unwrap_or(0), rows().max().unwrap_or(0))
}

/// How many lines the picture of a tune needs: an octave at least, what it goes through, and its head and foot.
pub(super) fn rows(curves: &[Curve], values: &[f32; MOST_CONTROLS]) -> u16 {
    let (low, high) = span(&tune_steps(curves).collect::<Vec<_>>(), scale_size(values) as i32);
    (high - low + 5).clamp(11, 22) as u16
}

/// The row at the top of so many, so that all is in sight, or what is chosen if there is no room for all.
fn top_of(steps: &[TuneStep], scale: i32, tall: i32, focus: Focus) -> i32 {
    let (low, high) = span(steps, scale);
    if high - low < tall {
        // The tonic stands a third from the bottom as long as there is room, so that rows do not move while notes are put.
        return (tall * 2 / 3).clamp(high, low + tall - 1);
    }
    let chosen = if let Focus::Point(_, at) = focus { steps.get(at).and_then(|s| s.notes[0]) } else { None };
    chosen.map_or(high, |note| (row_of(note, scale) + tall / 2).clamp(low + tall - 1, high))
}

pub(super) fn draw(
    app: &App,
    painter: &mut Painter<'_>,
    area: Rect,
    made: &Made,
    (kind, values): (&'static GeneratorKind, &[f32; MOST_CONTROLS]),
    curves: &[Curve],
    targets: &mut Targets,
) {
    let steps: Vec<TuneStep> = tune_steps(curves).collect();
    painter.heading(area.x, area.y, area.width, "Tune", "degrees of the scale; tab goes into it");
    let scale = scale_size(values) as i32;
    let tall = i32::from(area.height.saturating_sub(2));
    if tall < 1 || steps.is_empty() {
        return;
    }
    let top = top_of(&steps, scale, tall, made.focus);
    let wide = (area.width.saturating_sub(NAMES) / steps.len() as u16).clamp(1, WIDEST);
    let plot = Rect { x: area.x + NAMES, y: area.y + 1, width: (wide * steps.len() as u16).min(area.width.saturating_sub(NAMES)), height: tall as u16 };
    let playing = sounding(app, kind, values, steps.len());
    for line in 0..plot.height {
        let row = top - i32::from(line);
        let Some(note) = note_at(row, scale) else { continue };
        let name = print_tune(&[TuneStep { notes: [Some(note), None, None, None], ..TuneStep::default() }]);
        painter.text(area.x + 1, plot.y + line, NAMES - 1, &name, if note.degree == 1 { Role::Text } else { Role::Rule });
        let mut from = None;
        for (at, step) in steps.iter().enumerate().take(usize::from(plot.width / wide)) {
            let x = plot.x + wide * at as u16;
            let here = step.notes.iter().flatten().find(|n| row_of(**n, scale) == row);
            from = if step.held { from } else { here };
            let role = match (from.is_some(), made.focus == Focus::Point(0, at), playing == Some(at)) {
                (true, _, true) => Role::Good,
                (true, true, _) => Role::Active,
                (true, ..) => Role::Text,
                _ => Role::Rule,
            };
            let (sign, cells) = match (from.is_some(), step.held, step.accented) {
                (true, true, _) => ("─", wide),
                (true, _, accented) => (if accented { "█" } else { "▄" }, wide.saturating_sub(1).max(1)),
                _ => (if note.degree == 1 { "┈" } else { "·" }, 1),
            };
            painter.text(x, plot.y + line, cells, &sign.repeat(usize::from(cells)), role);
            if let Some(altered) = here.map(|n| n.altered).filter(|a| *a != 0) {
                painter.text(x + cells.saturating_sub(1), plot.y + line, 1, if altered > 0 { "♯" } else { "♭" }, role);
            }
        }
    }
    if let Focus::Point(_, at) = made.focus
        && let Some(step) = steps.get(at)
    {
        let x = (plot.x + wide * at as u16).min(plot.right());
        painter.text(x, plot.bottom(), 1, "▲", Role::Active);
        let text = format!("step {} of {}: {}", at + 1, steps.len(), print_tune(std::slice::from_ref(step)));
        if x + 2 + (text.chars().count() as u16) < area.right() {
            painter.text(x + 2, plot.bottom(), area.right().saturating_sub(x + 2), &text, Role::Active);
        } else {
            painter.right(x.saturating_sub(1), plot.bottom(), &text, Role::Active);
        }
    }
    targets.push((plot, Rc::new(TuneClick { top, wide })));
}
