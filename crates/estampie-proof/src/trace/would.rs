//! What would happen now: which reactions to something hold, and why the others do not; without doing anything.

use super::tidy;
use estampie_engine::engine::Status;
use estampie_engine::names::{NameKey, Names};
use estampie_engine::program::{Edge, Interval, Program, Trigger};
use estampie_engine::test::Test;

/// What a reaction would do.
#[derive(Debug, Clone, PartialEq)]
pub struct Verdict {
    /// Its place among the reactions as written.
    pub written: usize,
    /// Whether it would act.
    pub acts: bool,
    /// Why, or why not, in words.
    pub why: String,
}

/// The verdicts on all reactions to an event, a parameter or a state, in their order. For those to a change, that change is
/// taken to come: what is told is whether everything else holds.
#[must_use]
pub fn would(program: &Program, status: &Status, names: &Names, subject: NameKey) -> Vec<Verdict> {
    let mut list: Vec<Verdict> = Vec::new();
    let mut held: Option<(Trigger, usize)> = None;
    for (index, reaction) in program.reactions.iter().enumerate() {
        let about = called_by(program, reaction.trigger);
        if about != subject {
            continue;
        }
        let memory = status.reactions.iter().find(|r| r.reaction == index as u32);
        let failing = reaction.conditions.iter().find(|test| !holds(program, status, **test));
        let (acts, why) = if reaction.off {
            (false, "switched off".to_owned())
        } else if let Some((_, before)) = held.filter(|(trigger, _)| reaction.otherwise && *trigger == reaction.trigger) {
            (false, format!("skipped: {} held", before + 1))
        } else if let Some(test) = failing {
            (false, format!("no: {}", told(program, status, names, *test, false)))
        } else if memory.is_some_and(|m| m.spent && reaction.until.is_some()) {
            (false, reaction.until.map_or(String::new(), |test| format!("no: it acted, and waits until {}", wanted(program, names, test))))
        } else if let Some(nth) = reaction.nth.filter(|nth| memory.map_or(0, |m| m.counted) + 1 < nth.n) {
            (false, format!("counts: this would be number {} of {}", memory.map_or(0, |m| m.counted) + 1, nth.n))
        } else if reaction.hold > 0 {
            let left = memory.and_then(|m| m.due).map(|d| d as f64 / f64::from(program.rate));
            let whole = reaction.hold as f64 / f64::from(program.rate);
            (
                true,
                left.map_or_else(
                    || {
                        if matches!(reaction.trigger, Trigger::Event(_)) {
                            format!("holds {whole:.1} s after it")
                        } else {
                            format!("holds once it has lasted {whole:.1} s")
                        }
                    },
                    |left| format!("holds in {left:.1} s"),
                ),
            )
        } else if reaction.conditions.is_empty() {
            (true, "holds".to_owned())
        } else {
            let all: Vec<String> = reaction.conditions.iter().map(|test| told(program, status, names, *test, true)).collect();
            (true, format!("holds: {}", all.join(", ")))
        };
        // What waits for a change says for which.
        let why = match reaction.trigger {
            Trigger::Event(_) | Trigger::Clock(_) => why,
            Trigger::Zone(_, enters) => format!("on {}: {why}", if enters { "entering" } else { "leaving" }),
            Trigger::Change(Edge::Holds(test)) => format!("once {}: {why}", wanted(program, names, test)),
            Trigger::Change(Edge::Crosses(parameter, rises, number)) => {
                let verb = if rises { "rises over" } else { "falls under" };
                format!("once {} {verb} {}: {why}", names.get(program.parameters[parameter].key), tidy(number))
            }
        };
        if acts {
            held = Some((reaction.trigger, reaction.written as usize));
        }
        list.push(Verdict { written: reaction.written as usize, acts, why });
    }
    list
}

/// What a reaction is called by: an event, a parameter, a state, a zone; none of a clock of its own.
pub(super) fn called_by(program: &Program, trigger: Trigger) -> NameKey {
    match trigger {
        Trigger::Event(event) => program.events[event].key,
        Trigger::Change(Edge::Crosses(parameter, ..)) => program.parameters[parameter].key,
        Trigger::Change(Edge::Holds(test)) => subject_of(program, test),
        Trigger::Zone(zone, _) => program.world.zones[zone as usize].key,
        Trigger::Clock(Interval::Of(parameter, _)) => program.parameters[parameter].key,
        Trigger::Clock(Interval::Between(..)) => NameKey::NONE,
    }
}

pub(super) fn subject_of(program: &Program, test: Test) -> NameKey {
    match (test, test.parameter()) {
        (Test::State(state, ..), _) => program.states[state].key,
        (_, Some(parameter)) => program.parameters[parameter].key,
        _ => NameKey::NONE,
    }
}

fn holds(program: &Program, status: &Status, test: Test) -> bool {
    match (test, test.parameter()) {
        (Test::State(state, value, is), _) => status.states.get(state).is_some_and(|now| (*now == value) == is),
        (_, Some(parameter)) => test.passes(status.parameters.get(parameter).map_or(program.parameters[parameter].rest, |p| p.value)),
        _ => false,
    }
}

fn wanted(program: &Program, names: &Names, test: Test) -> String {
    let subject = names.get(subject_of(program, test));
    match test {
        Test::Compare(_, comparison, number) => format!("{subject} is {comparison} {}", tidy(number)),
        Test::Equals(_, number, true) => format!("{subject} is {}", tidy(number)),
        Test::Equals(_, number, false) => format!("{subject} is not {}", tidy(number)),
        Test::Between(_, low, high) => format!("{subject} is between {} and {}", tidy(low), tidy(high)),
        Test::State(state, value, is) => {
            format!("{subject} is {}{}", if is { "" } else { "not " }, names.get(program.states[state].values[usize::from(value)]))
        }
    }
}

/// A test with the present value: "strain 0.64 is over 0.6".
fn told(program: &Program, status: &Status, names: &Names, test: Test, holds: bool) -> String {
    let not = if holds { "is" } else { "is not" };
    match (test, test.parameter()) {
        (Test::State(state, value, is), _) => {
            let subject = names.get(program.states[state].key);
            let now = status.states.get(state).map_or("?", |v| names.get(program.states[state].values[usize::from(*v)]));
            let wanted = names.get(program.states[state].values[usize::from(value)]);
            if holds { format!("{subject} is {now}") } else { format!("{subject} is {now}, not {}{wanted}", if is { "" } else { "other than " }) }
        }
        (_, Some(parameter)) => {
            let spec = &program.parameters[parameter];
            let value = tidy(status.parameters.get(parameter).map_or(spec.rest, |p| p.value));
            let what = match test {
                Test::Compare(_, comparison, number) => format!("{not} {comparison} {}", tidy(number)),
                Test::Between(_, low, high) => format!("{not} between {} and {}", tidy(low), tidy(high)),
                Test::Equals(_, number, is) => format!("{} {}", if is == holds { "is" } else { "is not" }, tidy(number)),
                Test::State(..) => String::new(),
            };
            format!("{} {value} {what}", names.get(spec.key))
        }
        _ => String::new(),
    }
}
