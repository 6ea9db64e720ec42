//! From here: what was said to an engine from a moment on, as a playthrough of its own.

use crate::offline;
use estampie_engine::engine::Status;
use estampie_engine::names::{NameKey, Names};
use estampie_engine::program::{Program, ValueFrom};
use estampie_engine::units::Seconds;
use estampie_engine::world::emitters::LISTENER_NAME;
use estampie_project::language::playthrough::{Placing, PlaythroughLine, Way};
use estampie_project::language::{PlaceOf, Playthrough, Step, StepAction, Word};
use std::collections::HashMap;

/// How a playthrough from a moment on begins.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum From {
    /// With what stood at that moment as its first lines: short, and music begins anew.
    Here,
    /// With all that was said before, unheard: it renders what was heard, to the bit.
    Beginning,
}

/// What was said from `frame` on, as a playthrough. `all` is all that was said; `stood` is how everything stood at that frame, with its program, if
/// it is known: so what reactions have set by then is set, too.
#[must_use]
pub fn keep(all: &Playthrough, stood: Option<(&Status, &Program)>, names: &Names, frame: u64, rate: u32, from: From) -> Playthrough {
    let at = Seconds::of_frames(frame, rate);
    match from {
        From::Beginning => {
            let mut kept = all.clone();
            let seeds = kept.lines.iter().take_while(|l| matches!(l, PlaythroughLine::Seed(_))).count();
            kept.lines.insert(seeds, PlaythroughLine::From(at));
            kept
        }
        From::Here => {
            let (first, later) = parted(all, at);
            let first = match stood {
                Some((status, program)) if status.program == program.id => as_stood(first, status, program, names),
                _ => first,
            };
            let mut lines: Vec<PlaythroughLine> = all.lines.iter().filter(|l| matches!(l, PlaythroughLine::Seed(_))).cloned().collect();
            lines.extend(first.into_iter().map(|action| PlaythroughLine::Step(Step { at: Seconds(0.0), action }, PlaceOf::default())));
            lines.extend(later.into_iter().map(|step| PlaythroughLine::Step(step, PlaceOf::default())));
            Playthrough { lines }
        }
    }
}

/// What is set at a moment by what was said before, and what is said from then on with its time from that moment. What was on its way goes on.
#[must_use]
pub fn parted(all: &Playthrough, at: Seconds) -> (Vec<StepAction>, Vec<Step>) {
    let mut first: Vec<StepAction> = Vec::new();
    let mut places: HashMap<String, usize> = HashMap::new();
    let mut later = Vec::new();
    let mut going: Vec<(Option<String>, StepAction)> = Vec::new();
    let ways: HashMap<usize, Way> = all.ways().into_iter().map(|way| (way.step, way)).collect();
    for (index, (step, _)) in all.steps().into_iter().enumerate() {
        if step.at.0 >= at.0 {
            later.push(Step { at: Seconds(step.at.0 - at.0), action: step.action.clone() });
            continue;
        }
        if let StepAction::Remove(emitter) = &step.action {
            // What is gone needs no line; what it had goes with it.
            first.retain(|action| !concerns(action, &emitter.text));
            places = first.iter().enumerate().filter_map(|(at, action)| offline::lasting(action).map(|(name, _)| (name, at))).collect();
            continue;
        }
        let Some((name, lasting)) = offline::lasting(&step.action) else { continue };
        let now = under_way(step, ways.get(&index), at).unwrap_or(lasting);
        // A kind that was said once is remembered.
        let now = match (now, places.get(&name).map(|at| &first[*at])) {
            (StepAction::Place(new), Some(StepAction::Place(old))) => {
                StepAction::Place(Placing { kind: new.kind.or_else(|| old.kind.clone()), facing: new.facing.or(old.facing), ..new })
            }
            (now, _) => now,
        };
        match places.get(&name) {
            Some(at) => first[*at] = now,
            None => {
                places.insert(name, first.len());
                first.push(now);
            }
        }
        // Who is on the way goes on, from where he is.
        if let Some(who) = who(&step.action) {
            let goes_on = ways.get(&index).filter(|way| way.end > at.0).map(|way| match &step.action {
                StepAction::Place(placing) => StepAction::Place(Placing { over: Some(Seconds(way.end - at.0)), kind: None, ..placing.clone() }),
                other => other.clone(),
            });
            going.retain(|(other, _)| *other != who);
            going.extend(goes_on.map(|action| (who, action)));
        }
    }
    let there = |who: &Option<String>| first.iter().any(|a| self::who(a).is_some_and(|w| w == *who));
    let going = going.into_iter().filter(|(who, _)| there(who)).map(|(_, action)| Step { at: Seconds(0.0), action });
    let later = going.chain(later).collect();
    (first, later)
}

/// Who is placed or walks: an emitter, or the listener.
fn who(action: &StepAction) -> Option<Option<String>> {
    match action {
        StepAction::Place(placing) => Some(placing.emitter.as_ref().map(|e| e.text.clone())),
        StepAction::Walk(walking) => Some(walking.emitter.as_ref().map(|e| e.text.clone())),
        _ => None,
    }
}

/// Whether an action is of an emitter.
fn concerns(action: &StepAction, emitter: &str) -> bool {
    match action {
        StepAction::ParameterOn(_, of, _) => of.text == emitter,
        StepAction::Place(placing) => placing.emitter.as_ref().is_some_and(|e| e.text == emitter),
        _ => false,
    }
}

/// A number with as few digits as read back as the same f32.
fn shortest(value: f32) -> f64 {
    value.to_string().parse().unwrap_or(f64::from(value))
}

/// A glide or a way of which the end is still to come, as it stands at a moment.
fn under_way(step: &Step, way: Option<&Way>, at: Seconds) -> Option<StepAction> {
    match &step.action {
        StepAction::Glide { parameter, from: Some(from), to, over } if step.at.0 + over.0 > at.0 => {
            // As fine as the engine has it.
            let now = shortest((from + (to - from) * (at.0 - step.at.0) / over.0) as f32);
            Some(StepAction::Glide { parameter: parameter.clone(), from: Some(now), to: *to, over: Seconds(step.at.0 + over.0 - at.0) })
        }
        StepAction::Place(placing) => {
            let way = way.filter(|way| way.end > at.0)?;
            Some(StepAction::Place(Placing { at: way.at(at.0).map(|v| shortest(v as f32)), over: None, ..placing.clone() }))
        }
        StepAction::Walk(walking) => {
            let way = way.filter(|way| way.end > at.0)?;
            Some(StepAction::Place(Placing {
                emitter: walking.emitter.clone(),
                kind: None,
                at: way.at(at.0).map(|v| shortest(v as f32)),
                facing: None,
                over: None,
            }))
        }
        _ => None,
    }
}

/// First lines with what a status says otherwise: states and parameters of the game that reactions have set, and what was never said.
fn as_stood(mut first: Vec<StepAction>, status: &Status, program: &Program, names: &Names) -> Vec<StepAction> {
    let word = |key: NameKey| Word::new(names.get(key));
    let number = shortest;
    for (spec, now) in program.states.iter().zip(&status.states) {
        let is = StepAction::State(word(spec.key), word(spec.values[usize::from(*now)]));
        let at = first.iter().position(|a| matches!(a, StepAction::State(state, _) if NameKey::of(&state.text) == spec.key));
        match at {
            Some(at) => first[at] = is,
            None if *now != spec.start => first.push(is),
            None => {}
        }
    }
    for (spec, now) in program.parameters.iter().zip(&status.parameters) {
        if spec.source != ValueFrom::Game || spec.local.is_some() {
            continue;
        }
        let value = spec.to_game(now.value);
        let named = |a: &StepAction| match a {
            StepAction::Parameter(parameter, _) | StepAction::Glide { parameter, .. } => NameKey::of(&parameter.text) == spec.key,
            _ => false,
        };
        match first.iter().position(named) {
            // What glides is where it was worked out to be.
            Some(at) if matches!(first[at], StepAction::Glide { .. }) => {}
            Some(at) => first[at] = StepAction::Parameter(word(spec.key), number(value)),
            None if now.value != spec.rest => first.push(StepAction::Parameter(word(spec.key), number(value))),
            None => {}
        }
    }
    // Emitters that somebody else has placed, in a game that is joined in its midst.
    for emitter in &status.emitters {
        let listener = emitter.emitter == NameKey::of(LISTENER_NAME);
        let member = program.world.is_member(emitter.emitter);
        let known = |a: &StepAction| matches!(a, StepAction::Place(p) if p.emitter.as_ref().map_or(LISTENER_NAME, |e| &e.text) == names.get(emitter.emitter));
        if emitter.of_project || member || first.iter().any(known) || (listener && emitter.at == [0.0; 3] && emitter.facing_degrees == 0.0) {
            continue;
        }
        first.push(StepAction::Place(Placing {
            emitter: (!listener).then(|| word(emitter.emitter)),
            kind: (!emitter.kind.is_none()).then(|| word(emitter.kind)),
            at: emitter.at.map(number),
            facing: Some(number(emitter.facing_degrees)),
            over: None,
        }));
    }
    first
}
