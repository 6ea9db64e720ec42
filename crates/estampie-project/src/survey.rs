//! What is wired and what is not: events, parameters and states that nothing listens to, sounds that nothing plays.

use crate::document::{BusDoc, Document, Place, TakeDoc, ValueOf};
use crate::language::actions::SlotKind;
use crate::language::{Expression, Interval, Measure, StepAction, Trigger};
use std::collections::HashSet;
use std::fmt;

/// What is declared and no playthrough says: events that nothing sends, parameters and states that nothing sets.
#[must_use]
pub fn never_sent(document: &Document) -> Vec<String> {
    let mut said: HashSet<&str> = HashSet::new();
    for (_, playthrough) in &document.playthroughs {
        for (step, _) in playthrough.steps() {
            match &step.action {
                StepAction::Send(word, _) | StepAction::State(word, _) | StepAction::Parameter(word, _) | StepAction::ParameterOn(word, ..) => {
                    said.insert(&word.text);
                }
                StepAction::Glide { parameter, .. } => {
                    said.insert(&parameter.text);
                }
                StepAction::Place(_) | StepAction::Walk(_) | StepAction::Remove(_) | StepAction::PlayerLevel(..) | StepAction::Expect(_) | StepAction::End => {}
            }
        }
    }
    for act in document.reactions.iter().flat_map(|r| &r.actions) {
        said.extend(
            act.action
                .names()
                .filter(|(holds, _)| matches!(holds, SlotKind::Event | SlotKind::Subject | SlotKind::Parameter))
                .map(|(_, word)| word.text.as_str()),
        );
    }
    said.extend(document.sounds.iter().filter_map(|s| s.when_refused.as_ref()).map(|event| event.value.as_str()));
    let events = document.events.iter().map(|e| &e.name);
    let parameters = document.parameters.iter().filter(|p| p.source == ValueOf::Game).map(|p| &p.name);
    events.chain(parameters).chain(document.states.iter().map(|s| &s.name)).filter(|name| !said.contains(name.as_str())).cloned().collect()
}

/// What of a project nothing uses.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Survey {
    /// Events that no reaction, measure or refusal listens to or sends.
    pub events: Vec<String>,
    /// Parameters that nothing is moved, picked, measured or guarded by.
    pub parameters: Vec<String>,
    /// States that nothing is picked or guarded by.
    pub states: Vec<String>,
    /// Sounds that no reaction, music, place or other sound plays.
    pub sounds: Vec<String>,
}

/// A sound whose own bus does not count, since what plays it has one: effects on it are not heard.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Passed {
    /// The sound.
    pub sound: String,
    /// Its own bus.
    pub bus: String,
    /// An effect on the bus, or on one that it runs into, that the other does not run through.
    pub effect: String,
    /// The sound that plays it.
    pub by: String,
    /// The bus of that one.
    pub counts: String,
    /// Where the sound is written.
    pub place: Place,
}

impl fmt::Display for Passed {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Passed { sound, bus, effect, by, counts, place } = self;
        write!(
            f,
            "{place}: {sound} does not go through {effect} on {bus} when {by} plays it: the bus of the outer sound counts, {counts}; take the bus of {by} out, or put {effect} on {counts}"
        )
    }
}

/// Sounds whose own bus has effects that are not heard because the sound that plays them goes elsewhere.
#[must_use]
pub fn passed_by(document: &Document) -> Vec<Passed> {
    let way = |bus: &str| {
        let mut list: Vec<&BusDoc> = Vec::new();
        let mut next = document.buses.iter().find(|b| b.name == bus);
        while let Some(bus) = next.filter(|b| !list.iter().any(|l| l.name == b.name)) {
            list.push(bus);
            next = bus.into.as_ref().and_then(|into| document.buses.iter().find(|b| b.name == into.value));
        }
        list
    };
    let mut found = Vec::new();
    for outer in &document.sounds {
        let Some(counts) = &outer.bus else { continue };
        for take in outer.groups.iter().flat_map(|(_, takes)| takes) {
            let TakeDoc::Sound(name) = &take.value.take else { continue };
            let Some(inner) = document.sounds.iter().find(|s| s.name == *name) else { continue };
            let Some(bus) = inner.bus.as_ref().filter(|b| b.value != counts.value) else { continue };
            let heard = way(&counts.value);
            let missed = way(&bus.value).into_iter().filter(|b| !heard.iter().any(|h| h.name == b.name)).find_map(|b| Some((b, b.effects.first()?)));
            if let Some((at, effect)) = missed {
                found.push(Passed {
                    sound: inner.name.clone(),
                    bus: at.name.clone(),
                    effect: effect.name.clone(),
                    by: outer.name.clone(),
                    counts: counts.value.clone(),
                    place: inner.place.clone(),
                });
            }
        }
    }
    found
}

/// Looks through a project.
#[must_use]
pub fn survey(document: &Document) -> Survey {
    let mut used: HashSet<&str> = HashSet::new();
    for reaction in &document.reactions {
        match &reaction.trigger {
            Trigger::Event(word) | Trigger::Becomes(word, _) | Trigger::Crosses(word, ..) => {
                used.insert(&word.text);
            }
            Trigger::Every(Interval::Of(word)) => {
                used.insert(&word.text);
            }
            Trigger::Zone(..) | Trigger::Every(_) => {}
        }
        used.extend(reaction.conditions.iter().chain(&reaction.until).map(|c| c.subject.text.as_str()));
    }
    for modulation in &document.modulations {
        used.insert(&modulation.from.value);
    }
    for parameter in &document.parameters {
        match &parameter.source {
            ValueOf::Game => {}
            ValueOf::Measure(measure) => {
                if let Measure::Rate(word) | Measure::Since(word) = &measure.value {
                    used.insert(&word.text);
                }
            }
            ValueOf::Formula(formula) => names_in(&formula.value, &mut used),
        }
    }
    let mut played: HashSet<&str> = HashSet::new();
    for sound in &document.sounds {
        use crate::document::PickDoc;
        if let PickDoc::By(of) | PickDoc::Across(of, _) = &sound.pick {
            used.insert(&of.value);
        }
        used.extend(sound.always.iter().map(|c| c.subject.text.as_str()));
        for (_, takes) in &sound.groups {
            played.extend(takes.iter().filter_map(|t| if let TakeDoc::Sound(name) = &t.value.take { Some(name.as_str()) } else { None }));
        }
    }
    // What a project sends itself is heard of by whoever listens; sending alone is no use.
    for act in document.reactions.iter().flat_map(|r| &r.actions) {
        played.extend(act.action.sound().filter(|_| act.action.kind.begins).map(|sound| sound.text.as_str()));
    }
    used.extend(document.music.subjects());
    used.extend(document.snapshots.iter().flat_map(|s| &s.during).map(|c| c.subject.text.as_str()));
    used.extend(document.world.subjects());
    played.extend(document.music.sounds().into_iter().chain(document.world.sounds()).map(|(sound, _)| sound.value.as_str()));
    let unused = |names: Vec<&String>, used: &HashSet<&str>| names.into_iter().filter(|n| !used.contains(n.as_str())).cloned().collect();
    Survey {
        events: unused(document.events.iter().map(|e| &e.name).collect(), &used),
        parameters: unused(document.parameters.iter().map(|p| &p.name).collect(), &used),
        states: unused(document.states.iter().map(|s| &s.name).collect(), &used),
        sounds: unused(document.sounds.iter().map(|s| &s.name).collect(), &played),
    }
}

fn names_in<'a>(expression: &'a Expression, used: &mut HashSet<&'a str>) {
    match expression {
        Expression::Number(_) => {}
        Expression::Parameter(word) | Expression::State(word, ..) => {
            used.insert(&word.text);
        }
        Expression::Negative(inner) => names_in(inner, used),
        Expression::Binary(_, a, b) => {
            names_in(a, used);
            names_in(b, used);
        }
        Expression::Call(_, list) => list.iter().for_each(|e| names_in(e, used)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::document::Sources;
    use std::collections::BTreeSet;

    #[test]
    fn what_nothing_says_is_listed() {
        let game = "[events]\nhit = \"a\"\nlost = \"b\"\nown = \"c\"\n[parameters.strain]\nrange = \"0..1\"\n[parameters.idle]\nrange = \"0..1\"\n[states.deck]\nvalues = [\"plank\"]\n";
        let play = "0 send hit\n1 strain 0 to 1 over 2 s\n";
        let sources = Sources::from_texts([
            ("estampie.toml", "format = 1"),
            ("game.toml", game),
            ("reactions.est", "When hit\n  send own\n"),
            ("playthroughs/p.play", play),
        ]);
        let (document, _) = Document::read(&sources, &BTreeSet::new());
        assert_eq!(never_sent(&document), ["lost", "idle", "deck"]);
    }

    #[test]
    fn an_effect_that_is_not_heard_because_the_outer_bus_counts_is_told() {
        let sounds = "[all]\nbus = \"dry\"\ntakes = [\"b\", \"c\"]\n[b]\nbus = \"wavy\"\ntakes = [\"audio/a.wav\"]\n[c]\nbus = \"inner\"\ntakes = [\"audio/a.wav\"]\n[free]\ntakes = [\"b\"]\n";
        let mix = "[buses.dry]\n[buses.wavy]\n[buses.wavy.effect.tremolo]\ndepth = \"50 %\"\n[buses.inner]\ninto = \"dry\"\n";
        let sources = Sources::from_texts([("estampie.toml", "format = 1"), ("mix.toml", mix), ("sounds/a.toml", sounds)]);
        let (document, _) = Document::read(&sources, &["audio/a.wav".to_owned()].into());
        let found = passed_by(&document);
        assert_eq!(found.len(), 1, "{found:?}");
        let text = found[0].to_string();
        assert!(text.starts_with("sounds/a.toml:4") && text.contains("b does not go through tremolo on wavy when all plays it"), "{text}");
    }

    #[test]
    fn what_nothing_uses_is_listed() {
        let game = "[events]\nhit = \"a\"\nlost = \"b\"\n[parameters.strain]\nrange = \"0..1\"\n[parameters.idle]\nrange = \"0..1\"\n[formulas]\nf = \"strain * 2\"\n[states.deck]\nvalues = [\"plank\"]\n";
        let sounds = "[a]\ntakes = [\"b\"]\n[b]\ntakes = [\"audio/a.wav\"]\n[c]\ntakes = [\"audio/a.wav\"]\n";
        let sources = Sources::from_texts([
            ("estampie.toml", "format = 1"),
            ("game.toml", game),
            ("reactions.est", "When hit\n  play a\n  send lost\n"),
            ("sounds/a.toml", sounds),
        ]);
        let (document, _) = Document::read(&sources, &["audio/a.wav".to_owned()].into());
        let found = survey(&document);
        assert_eq!(
            found,
            Survey { events: vec!["lost".into()], parameters: vec!["idle".into(), "f".into()], states: vec!["deck".into()], sounds: vec!["c".into()] }
        );
    }
}
