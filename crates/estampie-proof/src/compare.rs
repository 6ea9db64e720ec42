//! Comparing two states of a project: what the mix differs in, and by how much one is louder than the other.

use crate::measure::Meter;
use crate::offline;
use estampie_engine::engine::{Engine, Input, Options, Prepared};
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::property::Property;
use estampie_engine::units::{Decibels, Seconds};
use estampie_project::language::PlaceOf;
use estampie_project::language::playthrough::PlaythroughLine;
use estampie_project::language::{Playthrough, Step};
use std::collections::HashMap;
use std::sync::Arc;

/// What of a rehearsal is heard for a comparison: the last ten seconds.
pub const WINDOW: Seconds = Seconds(10.0);
/// A rehearsal longer than this is not rendered from its beginning, but from so long ago with the values that were set then.
pub const LONGEST: Seconds = Seconds(180.0);

/// The values of the mix that are set otherwise in `now` than in `saved` and are in both: each with its name and what a
/// snapshot would hold of it to come from the saved one to the present one, as `by -3 dB` or `to 900 Hz`.
#[must_use]
pub fn moved(saved: &Program, now: &Program) -> Vec<(String, String)> {
    let mut list = Vec::new();
    for cell in &now.mix.cells {
        let Some(old) = saved.mix.find_cell.get(cell.key).map(|at| &saved.mix.cells[at]) else { continue };
        if old.property != cell.property || (old.rest - cell.rest).abs() < 1e-6 {
            continue;
        }
        let text = if cell.property == Property::Level && cell.rest > -120.0 && old.rest > -120.0 {
            format!("by {}", Decibels(((cell.rest - old.rest) * 100.0).round() / 100.0))
        } else if cell.property == Property::Level && cell.rest <= -120.0 {
            "to silent".to_owned()
        } else {
            format!("to {}", cell.property.print(cell.unscaled(cell.rest)))
        };
        list.push((now.names.get(cell.key).to_owned(), text));
    }
    list
}

/// The end of a long playthrough: what was set before `LONGEST` from `until` is set at its beginning, what only happened then
/// is left out. A short one is as it was.
#[must_use]
pub fn lately(playthrough: &Playthrough, until: Seconds) -> (Playthrough, Seconds) {
    let from = until.0 - LONGEST.0;
    if from <= 0.0 {
        return (playthrough.clone(), until);
    }
    let mut lines = vec![PlaythroughLine::Seed(playthrough.seed())];
    let mut first: HashMap<String, usize> = HashMap::new();
    for (step, _) in playthrough.steps() {
        if step.at.0 >= from {
            let at = Seconds(step.at.0 - from);
            lines.push(PlaythroughLine::Step(Step { at, action: step.action.clone() }, PlaceOf::default()));
            continue;
        }
        let Some((key, action)) = offline::lasting(&step.action) else { continue };
        let line = PlaythroughLine::Step(Step { at: Seconds(0.0), action }, PlaceOf::default());
        match first.get(&key) {
            Some(at) => lines[*at] = line,
            None => {
                first.insert(key, lines.len());
                lines.push(line);
            }
        }
    }
    (Playthrough { lines }, Seconds(LONGEST.0))
}

/// How loud a rehearsal's last ten seconds are with a program: gated loudness by BS.1770 in LUFS, minus infinity for silence.
///
/// `inputs` are said at the beginning besides what the playthrough says: what is for the rehearsal only, say.
/// `going_on` is asked now and then; when it says no, the answer is `None`.
#[must_use]
pub fn loudness(
    program: &Arc<Program>,
    playthrough: &Playthrough,
    until: Seconds,
    player: &[(NameKey, f32)],
    inputs: &[Input],
    mut going_on: impl FnMut() -> bool,
) -> Option<f64> {
    let rate = program.rate;
    let (playthrough, until) = lately(playthrough, until);
    let mut schedule = inputs.to_vec();
    schedule.extend(offline::inputs(&playthrough, rate));
    schedule.sort_by_key(|i| i.frame);
    let prepared = Prepared::new(Arc::clone(program), playthrough.seed()).with_player_levels(player);
    let options = Options { schedule: schedule.into(), status_every: u32::MAX, ..Options::default() };
    let (mut engine, mut remote) = Engine::new(prepared, options);
    let mut meter = Meter::new(2, rate).ok()?;
    let frames = until.frames(rate);
    let from = frames.saturating_sub(WINDOW.frames(rate));
    let mut samples = vec![0.0f32; 2 * 2400];
    let mut at = 0;
    while at < frames {
        if !going_on() {
            return None;
        }
        let edge = if at < from { from } else { frames };
        let part = &mut samples[..2 * (edge - at).min(2400) as usize];
        engine.render(part);
        while remote.happening().is_some() {}
        if at >= from {
            meter.add(part);
        }
        at += part.len() as u64 / 2;
    }
    Some(meter.reading().integrated)
}
