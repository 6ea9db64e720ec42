//! From a long play that shows a problem to the fewest inputs and the shortest time that still do: delta debugging (Zeller and Hildebrandt,
//! "Simplifying and isolating failure-inducing input", 2002), after what came before has been put together as what stood then.

use super::finds::{DETECTORS, Find, Looking};
use super::play::{Ending, Play, SETTLE, SETTLE_LONG, draw};
use crate::cores::on_cores;
use crate::keep::parted;
use estampie_engine::units::Seconds;
use estampie_project::language::playthrough::{Placing, PlaythroughLine, Walking};
use estampie_project::language::{PlaceOf, Playthrough, Step, StepAction};
use std::cell::Cell;
use std::collections::BTreeMap;

/// So often a play is rendered at most for one problem.
const RENDERINGS: usize = 160;
/// So many seconds before the problem are tried alone, the shortest first.
const BEFORE: [f64; 4] = [0.5, 2.0, 8.0, 25.0];

/// With numbers as people write them.
fn tidy(action: StepAction) -> StepAction {
    let cents = |v: f64| (v * 100.0).round() / 100.0;
    let time = |t: Seconds| Seconds((t.0 * 1e3).round() / 1e3);
    match action {
        StepAction::Place(p) => StepAction::Place(Placing { at: p.at.map(cents), facing: p.facing.map(cents), over: p.over.map(time), ..p }),
        StepAction::Glide { parameter, from, to, over } => StepAction::Glide { parameter, from, to, over: time(over) },
        other => other,
    }
}

/// A problem with the shortest playthrough that was found for it.
#[derive(Debug, Clone, PartialEq)]
pub struct Minimised {
    /// The problem, as the playthrough shows it.
    pub find: Find,
    /// The playthrough, with what it shows in its first lines.
    pub playthrough: Playthrough,
    /// How many inputs it has, its end left out.
    pub inputs: usize,
}

/// One that is being made smaller.
struct Smaller<'a> {
    looking: &'a Looking<'a>,
    find: &'a Find,
    /// Whether it shows only once everything has been ended.
    settles: bool,
    /// For how long, just now.
    settle: Cell<f64>,
    /// Whether what it is about is only what was near.
    near: bool,
    left: Cell<usize>,
}

impl Smaller<'_> {
    fn ending(&self, until: f64) -> Ending<'_> {
        if self.settles { Ending::SettledFor(&self.find.about, self.settle.get()) } else { Ending::At(until) }
    }

    /// The problem as a play shows it, if it does. What comes after it is not played.
    fn shows(&self, play: &Play, until: f64) -> Option<Find> {
        let left = self.left.get().checked_sub(1)?;
        self.left.set(left);
        let playthrough = play.with_end(self.looking.plan, self.ending(until));
        let (_, finds) = self.looking.look(&playthrough, &|| true)?;
        let mut same = finds.into_iter().filter(|f| f.kind == self.find.kind).collect::<Vec<_>>();
        match same.iter().position(|f| f.about == self.find.about) {
            Some(at) => Some(same.swap_remove(at)),
            // What was only near may go.
            None if self.near => same.pop(),
            None => None,
        }
    }

    /// The end of a play that shows it at a moment.
    fn until(&self, at: f64) -> f64 {
        ((at + 0.3) * 1e3).ceil() / 1e3
    }

    fn make(&self, play: Play) -> Option<(Play, f64, Find)> {
        let whole = self.until(self.find.at);
        let mut best = match self.shows(&play, whole) {
            Some(find) => (play, whole, find),
            // It only took its time.
            None if self.settles => return None,
            // It does not show without what came after it: then all of it is kept.
            None => return Some((play, whole + 60.0, self.find.clone())),
        };
        let first = best.clone();
        self.settle.set(SETTLE);
        best = self.later(best);
        best = self.fewer(best);
        best = self.simpler(best);
        best = self.sooner(best);
        best = self.fewer(best);
        if self.settles {
            // What is left has to stand for it when it is given time, too.
            self.settle.set(SETTLE_LONG);
            self.left.set(1);
            best = match self.shows(&best.0, best.1) {
                Some(find) => (best.0, best.1, find),
                None => first,
            };
        }
        Some(best)
    }

    /// Begins as late as it can, with what stood then.
    fn later(&self, best: (Play, f64, Find)) -> (Play, f64, Find) {
        let (play, _, find) = &best;
        let at = if self.settles { play.steps.last().map_or(0.0, |s| s.at.0) } else { find.at };
        for before in BEFORE {
            let from = at - before;
            if from <= 1.0 {
                break;
            }
            let all = Playthrough { lines: play.steps.iter().map(|s| PlaythroughLine::Step(s.clone(), PlaceOf::default())).collect() };
            let (first, rest) = parted(&all, Seconds(from));
            let mut steps: Vec<Step> = first.into_iter().map(|action| Step { at: Seconds(0.0), action }).collect();
            steps.extend(rest.into_iter().filter(|s| self.settles || s.at.0 <= before + 0.3));
            // What stood is said at once, and what follows comes soon after.
            let steps: Vec<Step> = steps.into_iter().map(|s| Step { at: Seconds(((s.at.0 + 0.2) * 1e3).round() / 1e3), action: tidy(s.action) }).collect();
            let shorter = Play { seed: play.seed, steps };
            let until = before + 0.8;
            if let Some(find) = self.shows(&shorter, until) {
                let until = self.until(find.at);
                return (shorter, until, find);
            }
        }
        best
    }

    /// Leaves out what is not needed.
    fn fewer(&self, mut best: (Play, f64, Find)) -> (Play, f64, Find) {
        // What comes after it is not needed.
        if !self.settles {
            best.0.steps.retain(|s| s.at.0 <= best.1);
        }
        let mut parts = 2;
        while best.0.steps.len() > 1 && parts <= best.0.steps.len() && self.left.get() > 0 {
            let size = best.0.steps.len().div_ceil(parts);
            let mut changed = false;
            let mut from = 0;
            while from < best.0.steps.len() && self.left.get() > 0 {
                let mut steps = best.0.steps.clone();
                let to = (from + size).min(steps.len());
                steps.drain(from..to);
                let fewer = Play { seed: best.0.seed, steps };
                match self.shows(&fewer, best.1) {
                    Some(find) => {
                        let until = self.until(find.at);
                        best = (fewer, if self.settles { best.1 } else { until }, find);
                        changed = true;
                    }
                    None => from = to,
                }
            }
            if size == 1 && !changed {
                break;
            }
            parts = if changed { 2.max(parts.saturating_sub(1)) } else { parts * 2 };
            parts = parts.min(best.0.steps.len().max(1));
            if size == 1 && changed && best.0.steps.len() <= 1 {
                break;
            }
        }
        best
    }

    /// Tries a play instead; true if it shows the problem, too.
    fn take(&self, best: &mut (Play, f64, Find), steps: Vec<Step>, until: f64) -> bool {
        let play = Play { seed: best.0.seed, steps };
        let Some(find) = self.shows(&play, until) else { return false };
        let until = if self.settles { until } else { self.until(find.at) };
        *best = (play, until, find);
        true
    }

    /// Lets things be at once instead of on their way.
    fn simpler(&self, mut best: (Play, f64, Find)) -> (Play, f64, Find) {
        for at in 0..best.0.steps.len() {
            let mut steps = best.0.steps.clone();
            steps[at].action = match steps[at].action.clone() {
                StepAction::Glide { parameter, to, .. } => StepAction::Parameter(parameter, to),
                StepAction::Walk(Walking { emitter, to, .. }) => StepAction::Place(Placing { emitter, kind: None, at: to, facing: None, over: None }),
                _ => continue,
            };
            let until = best.1;
            self.take(&mut best, steps, until);
        }
        best
    }

    /// Lets less time go by: everywhere, and then between each two.
    fn sooner(&self, mut best: (Play, f64, Find)) -> (Play, f64, Find) {
        let thousandths = |at: f64| (at * 1e3).round() / 1e3;
        let last = |steps: &[Step]| steps.last().map_or(0.0, |s| s.at.0);
        for factor in [0.1, 0.3, 0.6] {
            let first = best.0.steps.first().map_or(0.0, |s| s.at.0);
            let squeeze = |at: f64| thousandths((at - first) * factor + first.min(0.2));
            let steps: Vec<Step> = best.0.steps.iter().map(|s| Step { at: Seconds(squeeze(s.at.0)), action: s.action.clone() }).collect();
            // What hangs on a time stays as far after the last input as it was.
            let until = last(&steps) + (best.1 - last(&best.0.steps)).max(0.3);
            if self.take(&mut best, steps, until) {
                break;
            }
        }
        for at in 1..best.0.steps.len() {
            let gap = best.0.steps[at].at.0 - best.0.steps[at - 1].at.0;
            if gap < 0.4 {
                continue;
            }
            let by = gap - 0.1;
            let mut steps = best.0.steps.clone();
            steps[at..].iter_mut().for_each(|s| s.at = Seconds(thousandths(s.at.0 - by)));
            let until = best.1 - by;
            self.take(&mut best, steps, until);
        }
        best
    }
}

/// Makes the play of a number, which shows a problem, as small as it can be made; `None` if it is none when it is given time.
#[must_use]
pub(crate) fn minimise(looking: &Looking<'_>, seed: u64, number: u64, find: &Find) -> Option<Minimised> {
    let settles = super::SETTLES.contains(&find.kind);
    let near = DETECTORS.iter().any(|d| d.kind == find.kind && d.near);
    let smaller = Smaller { looking, find, settles, settle: Cell::new(SETTLE_LONG), near, left: Cell::new(RENDERINGS) };
    let (play, until, find) = smaller.make(draw(looking.plan, seed, number))?;
    let inputs = play.steps.len();
    let ending = if settles { Ending::SettledFor(&find.about, SETTLE_LONG) } else { Ending::At(until) };
    let mut playthrough = play.with_end(looking.plan, ending);
    let about = [format!("{}{}", super::PROBLEM, find.signature()), format!("{:.2} s: {}", find.at, find.words)];
    playthrough.lines.splice(0..0, about.into_iter().map(PlaythroughLine::Comment));
    Some(Minimised { find, playthrough, inputs })
}

/// Of problems that are the same once they are small the smallest.
#[must_use]
pub fn each_once(all: Vec<Option<Minimised>>) -> Vec<Minimised> {
    let mut found: BTreeMap<String, Minimised> = BTreeMap::new();
    for one in all.into_iter().flatten() {
        let smaller = |known: &Minimised| one.inputs < known.inputs;
        if found.get(&one.find.signature()).is_none_or(smaller) {
            found.insert(one.find.signature(), one);
        }
    }
    found.into_values().collect()
}

/// Makes all plays that show problems as small as they can be made, on `cores` cores at most; in their order, `None` for what is no problem after all. `done` may stop the rest by giving false.
#[must_use]
pub fn minimise_all(looking: &Looking<'_>, seed: u64, shown: &[(u64, Find)], cores: usize, done: impl Fn() -> bool + Sync) -> Vec<Option<Minimised>> {
    on_cores(cores, shown, |(number, find)| minimise(looking, seed, *number, find), |_| done())
}

/// The name of the playthrough of a problem: its letters and digits, joined by `-`.
#[must_use]
pub fn name_of(find: &Find) -> String {
    let mut name = String::new();
    for c in find.signature().chars() {
        if c.is_ascii_alphanumeric() {
            name.push(c.to_ascii_lowercase());
        } else if !name.ends_with('-') && !name.is_empty() {
            name.push('-');
        }
    }
    name.truncate(60);
    format!("{}{}", super::FOUND, name.trim_end_matches('-'))
}
