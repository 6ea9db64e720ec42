//! From a document and its audio to a program. Whatever names nothing is a fault and is left out.

use super::{
    Action, At, Bus, Choice, Event, Group, Lookup, MOST_NESTED, Modulation, Parameter, Part, Program, Reaction, Recipe, Sound, State, Take, Target, Test,
    Trigger,
};
use crate::assets::{Assets, Clip};
use crate::document::{Curve, Document, Fault, Located, PickDoc, Place, SoundDoc, TakeDoc, did_you_mean, read_point};
use crate::dsp::block_coefficient;
use crate::engine::BLOCK;
use crate::language::{self, Comparison, Where, Word};
use crate::names::{NameKey, Names};
use crate::units::{read_number, split_number};
use std::collections::{BTreeSet, HashMap};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

static NEXT_ID: AtomicU64 = AtomicU64::new(1);

/// The audio files that a document needs, each once.
#[must_use]
pub fn wanted_audio(document: &Document) -> BTreeSet<String> {
    let takes = document.sounds.iter().flat_map(|s| s.groups.iter().flat_map(|(_, t)| t));
    let files = takes.filter_map(|t| if let TakeDoc::File(file) = &t.value { Some(file.clone()) } else { None });
    files.chain(document.sounds.iter().flat_map(|s| s.chain.iter().map(|p| p.file.value.clone()))).collect()
}

/// Compiles. Audio that is not in `assets` counts as still loading and is no fault.
#[must_use]
pub fn compile(document: &Document, assets: &Assets) -> (Program, Vec<Fault>) {
    let mut compiler = Compiler { document, assets, program: Program::default(), faults: Vec::new(), recipes: HashMap::new() };
    compiler.run();
    (compiler.program, compiler.faults)
}

struct Compiler<'a> {
    document: &'a Document,
    assets: &'a Assets,
    program: Program,
    faults: Vec<Fault>,
    /// Recipes made so far, so that a file shared by takes is one.
    recipes: HashMap<(String, bool), Option<Arc<Recipe>>>,
}

impl Compiler<'_> {
    fn run(&mut self) {
        let document = self.document;
        let manifest = &document.manifest;
        self.program = Program {
            id: NEXT_ID.fetch_add(1, Ordering::Relaxed),
            rate: manifest.rate,
            voices: manifest.voices as usize,
            ceiling: manifest.ceiling.gain(),
            names: Names::default(),
            ..Program::default()
        };
        self.game();
        self.buses();
        self.program.find_sound = Lookup::new(document.sounds.iter().map(|s| NameKey::of(&s.name)));
        for sound in &document.sounds {
            let sound = self.sound(sound);
            self.program.sounds.push(sound);
        }
        self.break_cycles();
        self.modulations();
        self.reactions();
        self.playthroughs();
    }

    fn fault(&mut self, place: &Place, what: impl Into<String>, mend: impl Into<String>) {
        self.faults.push(Fault::new(place, what, mend));
    }

    fn game(&mut self) {
        let document = self.document;
        for parameter in &document.parameters {
            let key = self.program.names.add(&parameter.name);
            let coefficient = |time: f64| block_coefficient(time, BLOCK, self.program.rate);
            let (rise, fall) = (coefficient(parameter.rise.0), coefficient(parameter.fall.0));
            self.program.parameters.push(Parameter { key, low: parameter.low, high: parameter.high, rest: parameter.rest, rise, fall, reactions: Vec::new() });
        }
        for state in &document.states {
            let key = self.program.names.add(&state.name);
            let values = state.values.iter().map(|v| self.program.names.add(&v.value)).collect();
            let mut dictionary: Vec<_> = state.dictionary.iter().map(|(theirs, ours)| (self.program.names.add(theirs), *ours as u16)).collect();
            dictionary.sort_unstable();
            self.program.states.push(State { key, values, start: state.start as u16, dictionary, reactions: Vec::new() });
        }
        for event in &document.events {
            let key = self.program.names.add(&event.name);
            self.program.events.push(Event { key, reactions: Vec::new() });
        }
        self.program.find_parameter = Lookup::new(self.program.parameters.iter().map(|p| p.key));
        self.program.find_state = Lookup::new(self.program.states.iter().map(|s| s.key));
        self.program.find_event = Lookup::new(self.program.events.iter().map(|e| e.key));
    }

    /// Puts the buses in an order in which each comes after the one it runs into.
    fn buses(&mut self) {
        let docs = &self.document.buses;
        let names = || docs.iter().map(|b| b.name.as_str());
        let mut parents: Vec<usize> = vec![0; docs.len()];
        for (at, bus) in docs.iter().enumerate() {
            let Some(into) = &bus.into else { continue };
            match docs.iter().position(|b| b.name == into.value) {
                Some(parent) => parents[at] = parent,
                None => self.fault(
                    &into.place,
                    format!("there is no bus {}", into.value),
                    did_you_mean(&into.value, names(), "add it to mix.toml, or name another"),
                ),
            }
        }
        // A bus from which the root is not reached is in a loop, or runs into one.
        for at in 1..docs.len() {
            let mut way = vec![at];
            let mut here = parents[at];
            while here != 0 && !way.contains(&here) {
                way.push(here);
                here = parents[here];
            }
            if here == at {
                way.push(at);
                let loop_names: Vec<&str> = way.iter().map(|b| docs[*b].name.as_str()).collect();
                let place = docs[at].into.as_ref().map_or(&docs[at].place, |i| &i.place).clone();
                self.fault(&place, format!("these buses run in a circle: {}", loop_names.join(" ⟶ ")), "let one of them run into all");
                parents[at] = 0;
            }
        }
        let mut order: Vec<usize> = vec![0];
        let mut at = 0;
        // Depth first, so that a list of buses reads as a tree.
        while at < order.len() {
            let parent = order[at];
            let children: Vec<usize> = (1..docs.len()).filter(|b| parents[*b] == parent).collect();
            order.splice(at + 1..at + 1, children);
            at += 1;
        }
        for at in order.iter().copied() {
            let key = self.program.names.add(&docs[at].name);
            let into = order.iter().position(|b| *b == parents[at]).unwrap_or(0);
            let depth = if at == 0 { 0 } else { self.program.buses[into].depth + 1 };
            self.program.buses.push(Bus { key, into: into as u32, level: docs[at].level.0, modulations: Vec::new(), depth });
        }
        self.program.find_bus = Lookup::new(self.program.buses.iter().map(|b| b.key));
    }

    fn sound(&mut self, doc: &SoundDoc) -> Sound {
        let key = self.program.names.add(&doc.name);
        let bus = doc.bus.as_ref().and_then(|bus| self.bus(bus)).map(|b| b as u32);
        let mut loading = false;
        let mut choice = Choice::Only;
        let mut groups = Vec::new();
        if doc.chain.is_empty() {
            let not_last = if let PickDoc::Shuffle(n) = doc.pick { n as usize } else { 1 };
            for (_, takes) in &doc.groups {
                let takes: Vec<Take> = takes.iter().filter_map(|take| self.take(take, doc.looped, &mut loading)).collect();
                groups.push(Group { not_last: not_last.min(takes.len().saturating_sub(1)), takes });
            }
            if let PickDoc::ByState(state) = &doc.pick {
                choice = self.by_state(doc, state);
            }
        } else {
            let recipe = self.chain(doc, &mut loading);
            groups.extend(recipe.map(|r| Group { takes: vec![Take::Recipe(r)], not_last: 0 }));
        }
        let frames = |time: crate::units::Seconds| time.frames(self.program.rate);
        Sound {
            key,
            bus,
            level: doc.level.0,
            pitch: doc.pitch.0,
            low_pass: doc.low_pass.below_open().0,
            vary_level: (doc.vary_level.low.0, doc.vary_level.high.0),
            vary_pitch: (doc.vary_pitch.low.0, doc.vary_pitch.high.0),
            fade_in: frames(doc.fade_in),
            fade_out: frames(doc.fade_out),
            each: doc.each.unwrap_or(u32::MAX),
            all: doc.all.unwrap_or(u32::MAX),
            when_full: doc.when_full,
            groups,
            choice,
            modulations: Vec::new(),
            loading,
        }
    }

    fn bus(&mut self, name: &Located<String>) -> Option<usize> {
        let found = self.program.find_bus.get(NameKey::of(&name.value));
        if found.is_none() {
            let mend = did_you_mean(&name.value, self.document.buses.iter().map(|b| b.name.as_str()), "add it to mix.toml, or name another");
            self.fault(&name.place, format!("there is no bus {}", name.value), mend);
        }
        found
    }

    fn by_state(&mut self, doc: &SoundDoc, name: &Located<String>) -> Choice {
        let Some(state) = self.document.states.iter().position(|s| s.name == name.value) else {
            let mend = did_you_mean(&name.value, self.document.states.iter().map(|s| s.name.as_str()), "add it to game.toml, or name another");
            self.fault(&name.place, format!("there is no state {}", name.value), mend);
            return Choice::Only;
        };
        let values = &self.document.states[state].values;
        let mut groups: Vec<Option<u16>> = vec![None; values.len()];
        let mut rest = None;
        for (at, (value, _)) in doc.groups.iter().enumerate() {
            let Some(value) = value else { continue };
            if value.value == "otherwise" {
                rest = Some(at as u16);
            } else if let Some(index) = values.iter().position(|v| v.value == value.value) {
                groups[index] = Some(at as u16);
            } else {
                let mend = did_you_mean(&value.value, values.iter().map(|v| v.value.as_str()), "write one of its values, or \"otherwise\"");
                self.fault(&value.place, format!("the state {} has no value {}", name.value, value.value), mend);
            }
        }
        for group in &mut groups {
            *group = group.or(rest);
        }
        Choice::ByState { state, groups }
    }

    fn take(&mut self, take: &Located<TakeDoc>, looped: bool, loading: &mut bool) -> Option<Take> {
        match &take.value {
            TakeDoc::Sound(name) => match self.program.find_sound.get(NameKey::of(name)) {
                Some(sound) => Some(Take::Sound(sound as u32)),
                None => {
                    let mend = did_you_mean(
                        name,
                        self.document.sounds.iter().map(|s| s.name.as_str()),
                        "add it to a file in sounds/, or write a file like \"audio/…\"",
                    );
                    self.fault(&take.place, format!("there is no sound {name}"), mend);
                    None
                }
            },
            TakeDoc::File(file) => {
                let known = (file.clone(), looped);
                if let Some(recipe) = self.recipes.get(&known) {
                    return recipe.clone().map(Take::Recipe);
                }
                let recipe = self.clip(file, &take.place, loading).map(|clip| {
                    let name = self.program.names.add(file);
                    let stereo = clip.channels.len() > 1;
                    Arc::new(Recipe { name, parts: vec![part(clip, looped)], stereo })
                });
                if self.assets.get(file).is_some() {
                    self.recipes.insert(known, recipe.clone());
                }
                recipe.map(Take::Recipe)
            }
        }
    }

    fn clip(&mut self, file: &str, place: &Place, loading: &mut bool) -> Option<Arc<Clip>> {
        match self.assets.get(file) {
            None => {
                *loading = true;
                None
            }
            Some(Ok(clip)) => Some(Arc::clone(clip)),
            Some(Err(reason)) => {
                let reason = reason.clone();
                self.fault(place, format!("{file} cannot be played: {reason}"), "mend the file or take it out");
                None
            }
        }
    }

    fn chain(&mut self, doc: &SoundDoc, loading: &mut bool) -> Option<Arc<Recipe>> {
        let mut parts = Vec::new();
        for written in &doc.chain {
            let clip = self.clip(&written.file.value, &written.file.place, loading);
            parts.extend(clip.map(|clip| part(clip, written.looped)));
        }
        if parts.is_empty() || *loading {
            return None;
        }
        // One part of two channels makes the whole voice stereo.
        let stereo = parts.iter().any(|p| p.clip.channels.len() > 1);
        let name = self.program.names.add(&doc.chain[0].file.value);
        Some(Arc::new(Recipe { name, parts, stereo }))
    }

    /// Takes out takes that lead a sound back to itself, or deeper than voices can remember.
    fn break_cycles(&mut self) {
        for start in 0..self.program.sounds.len() {
            let mut way = vec![start];
            self.walk(start, &mut way);
        }
    }

    fn walk(&mut self, sound: usize, way: &mut Vec<usize>) {
        for group in 0..self.program.sounds[sound].groups.len() {
            let mut take = 0;
            while let Some(found) = self.program.sounds[sound].groups[group].takes.get(take) {
                let Take::Sound(next) = found else {
                    take += 1;
                    continue;
                };
                let next = *next as usize;
                let circle = way.iter().position(|s| *s == next);
                if circle.is_some() || way.len() >= MOST_NESTED {
                    let names: Vec<&str> = way[circle.unwrap_or(0)..].iter().chain([&next]).map(|s| self.document.sounds[*s].name.as_str()).collect();
                    let what = if circle.is_some() {
                        format!("these sounds are takes of each other in a circle: {}", names.join(" ⟶ "))
                    } else {
                        format!("sounds are nested more than {MOST_NESTED} deep: {}", names.join(" ⟶ "))
                    };
                    let place = self.place_of_take(sound, next);
                    self.fault(&place, what, "take one of them out");
                    let group = &mut self.program.sounds[sound].groups[group];
                    group.takes.remove(take);
                    group.not_last = group.not_last.min(group.takes.len().saturating_sub(1));
                } else {
                    way.push(next);
                    self.walk(next, way);
                    way.pop();
                    take += 1;
                }
            }
        }
    }

    fn place_of_take(&self, sound: usize, take: usize) -> Place {
        let name = &self.document.sounds[take].name;
        let doc = &self.document.sounds[sound];
        let written = doc.groups.iter().flat_map(|(_, t)| t).find(|t| matches!(&t.value, TakeDoc::Sound(s) if s == name));
        written.map_or(&doc.place, |t| &t.place).clone()
    }

    fn parameter(&mut self, name: &str, place: &Place) -> Option<usize> {
        let found = self.program.find_parameter.get(NameKey::of(name));
        if found.is_none() {
            let mend = did_you_mean(name, self.document.parameters.iter().map(|p| p.name.as_str()), "add it to game.toml, or name another");
            self.fault(place, format!("there is no parameter {name}"), mend);
        }
        found
    }

    fn modulations(&mut self) {
        let document = self.document;
        let mut keys: BTreeSet<NameKey> = BTreeSet::new();
        for doc in &document.modulations {
            let parameter = self.parameter(&doc.from.value, &doc.from.place);
            let target = if doc.bus {
                self.bus(&doc.target).map(|b| Target::Bus(b as u32))
            } else {
                let place = doc.target.place.clone();
                self.sound_named(&doc.target.value, &place).map(Target::Sound)
            };
            let (Some(parameter), Some(target)) = (parameter, target) else { continue };
            let unit = document.parameters[parameter].unit.clone();
            let mut points = Vec::new();
            let mut last = f32::NEG_INFINITY;
            for (text, place) in &doc.curve {
                match read_point(text, &unit, doc.property) {
                    Ok(point) if point.x > last => {
                        last = point.x;
                        points.push(point);
                    }
                    Ok(_) => self.fault(place, format!("the point \"{text}\" does not lie after the one before it"), "put the points in rising order"),
                    Err(what) => self.fault(place, what, format!("write a point like \"0.5: {}\"", doc.property.print(-2.0))),
                }
            }
            if points.is_empty() {
                self.fault(&doc.place, "this modulation has no points", "write curve = [\"0: -12 dB\", \"1: 0 dB\"]");
                continue;
            }
            let label = format!("{} ⟶ {} {}", doc.from.value, doc.target.value, doc.property.word());
            let mut key = NameKey::of(&label);
            while !keys.insert(key) {
                key = key.with(1);
            }
            self.program.names.add_as(key, &label);
            let index = self.program.modulations.len() as u32;
            match target {
                Target::Sound(sound) => self.program.sounds[sound as usize].modulations.push(index),
                Target::Bus(bus) => self.program.buses[bus as usize].modulations.push(index),
            }
            let smooth = block_coefficient(doc.smooth.0, BLOCK, self.program.rate);
            self.program.modulations.push(Modulation { key, parameter, curve: Curve::new(points), property: doc.property, target, smooth });
        }
        self.program.find_modulation = Lookup::new(self.program.modulations.iter().map(|m| m.key));
    }

    fn sound_named(&mut self, name: &str, place: &Place) -> Option<u32> {
        let found = self.program.find_sound.get(NameKey::of(name));
        if found.is_none() {
            let mend = did_you_mean(name, self.document.sounds.iter().map(|s| s.name.as_str()), "add it to a file in sounds/, or name another");
            self.fault(place, format!("there is no sound {name}"), mend);
        }
        found.map(|s| s as u32)
    }

    fn event(&mut self, word: &Word) -> Option<u32> {
        let found = self.program.find_event.get(NameKey::of(&word.text));
        if found.is_none() {
            let mend = did_you_mean(&word.text, self.document.events.iter().map(|e| e.name.as_str()), "add it to game.toml, or name another");
            self.fault(&word.place, format!("there is no event {}", word.text), mend);
        }
        found.map(|e| e as u32)
    }

    /// A test of a state or parameter, whichever has the name.
    fn test(&mut self, subject: &Word, test: &language::Test) -> Option<Test> {
        let document = self.document;
        if let Some(state) = document.states.iter().position(|s| s.name == subject.text) {
            let (value, is) = match test {
                language::Test::Is(value) => (value, true),
                language::Test::IsNot(value) => (value, false),
                language::Test::Compare(..) => {
                    self.fault(
                        &subject.place,
                        format!("{} is a state and cannot be compared with a number", subject.text),
                        "write \"is\" and one of its values",
                    );
                    return None;
                }
            };
            return self.state_value(state, value).map(|v| Test::State(state, v, is));
        }
        let names = document.parameters.iter().map(|p| p.name.as_str()).chain(document.states.iter().map(|s| s.name.as_str()));
        let Some(parameter) = document.parameters.iter().position(|p| p.name == subject.text) else {
            let mend = did_you_mean(&subject.text, names, "add it to game.toml, or name another");
            self.fault(&subject.place, format!("there is no parameter or state {}", subject.text), mend);
            return None;
        };
        let unit = &document.parameters[parameter].unit;
        match test {
            language::Test::Compare(comparison, number, own) => {
                if !own.is_empty() && own != unit {
                    let mend = if unit.is_empty() { "write the number alone".to_owned() } else { format!("write the number alone or with {unit}") };
                    self.fault(&subject.place, format!("{} is not in {own}", subject.text), mend);
                    return None;
                }
                self.reachable(parameter, *comparison, *number, &subject.place);
                Some(Test::Compare(parameter, *comparison, *number as f32))
            }
            language::Test::Is(value) | language::Test::IsNot(value) => match read_number(&value.text, unit) {
                Ok(number) => Some(Test::Equals(parameter, number as f32, matches!(test, language::Test::Is(_)))),
                Err(_) => {
                    self.fault(
                        &value.place,
                        format!("{} is a number, and \"{}\" is none", subject.text, value.text),
                        "write a number, or over, under, at least, at most and a number",
                    );
                    None
                }
            },
        }
    }

    /// Says when a comparison can never hold.
    fn reachable(&mut self, parameter: usize, comparison: Comparison, number: f64, place: &Place) {
        let doc = &self.document.parameters[parameter];
        let number = number as f32;
        let never = match comparison {
            Comparison::Over => number >= doc.high,
            Comparison::AtLeast => number > doc.high,
            Comparison::Under => number <= doc.low,
            Comparison::AtMost => number < doc.low,
        };
        if never {
            let what = format!("{} is never {comparison} {number}: its range is {} to {}", doc.name, doc.low, doc.high);
            self.fault(place, what, "write a number within the range, or widen the range in game.toml");
        }
    }

    fn state_value(&mut self, state: usize, value: &Word) -> Option<u16> {
        let doc = &self.document.states[state];
        let found = doc.values.iter().position(|v| v.value == value.text);
        if found.is_none() {
            let mend = did_you_mean(&value.text, doc.values.iter().map(|v| v.value.as_str()), "write one of its values");
            self.fault(&value.place, format!("the state {} has no value {}", doc.name, value.text), mend);
        }
        found.map(|v| v as u16)
    }

    fn reactions(&mut self) {
        let document = self.document;
        let mut keys: BTreeSet<NameKey> = BTreeSet::new();
        for doc in &document.reactions {
            let trigger = match &doc.trigger {
                language::Trigger::Event(event) => self.event(event).map(Trigger::Event),
                language::Trigger::Becomes(subject, test) => self.test(subject, test).map(Trigger::Becomes),
            };
            let conditions: Vec<Option<Test>> = doc.conditions.iter().map(|c| self.test(&c.subject, &c.test)).collect();
            let actions: Vec<Action> = doc.actions.iter().filter_map(|(action, _)| self.action(action)).collect();
            // A reaction with a condition that means nothing would act when it should not.
            let (Some(trigger), Some(conditions)) = (trigger, conditions.into_iter().collect::<Option<Vec<_>>>()) else { continue };
            let head = doc.head();
            let mut key = NameKey::of(&head);
            while !keys.insert(key) {
                key = key.with(1);
            }
            self.program.names.add_as(key, &head);
            let index = self.program.reactions.len() as u32;
            match trigger {
                Trigger::Event(event) => self.program.events[event as usize].reactions.push(index),
                Trigger::Becomes(Test::State(state, ..)) => self.program.states[state].reactions.push(index),
                Trigger::Becomes(Test::Compare(parameter, ..) | Test::Equals(parameter, ..)) => self.program.parameters[parameter].reactions.push(index),
            }
            self.program.reactions.push(Reaction { key, trigger, conditions, otherwise: doc.otherwise, actions });
        }
        self.program.find_reaction = Lookup::new(self.program.reactions.iter().map(|r| r.key));
    }

    fn at(&mut self, at: &Where, unsaid: At) -> At {
        match at {
            Where::Unsaid => unsaid,
            Where::Sender => At::Sender,
            Where::Named(name) => At::Named(self.program.names.add(&name.text)),
        }
    }

    fn action(&mut self, action: &language::Action) -> Option<Action> {
        Some(match action {
            language::Action::Play { sound, at, chance } => {
                let index = self.sound_named(&sound.text, &sound.place)?;
                Action::Play { sound: index, at: self.at(at, At::Sender), chance: chance.map_or(1.0, |percent| (percent / 100.0) as f32) }
            }
            language::Action::Stop { sound, at, over } => {
                let index = self.sound_named(&sound.text, &sound.place)?;
                let shortest = u64::from(self.program.rate) / 500;
                Action::Stop { sound: index, at: self.at(at, At::Any), frames: over.map(|t| t.frames(self.program.rate).max(shortest)) }
            }
            language::Action::Finish { sound, at } => Action::Finish { sound: self.sound_named(&sound.text, &sound.place)?, at: self.at(at, At::Any) },
            language::Action::Send { event, at } => Action::Send(self.event(event)?, self.at(at, At::Sender)),
            language::Action::Set { subject, to } => {
                if let Some(state) = self.document.states.iter().position(|s| s.name == subject.text) {
                    return self.state_value(state, to).map(|v| Action::SetState(state, v));
                }
                let names = self.document.parameters.iter().map(|p| p.name.as_str()).chain(self.document.states.iter().map(|s| s.name.as_str()));
                let Some(parameter) = self.document.parameters.iter().position(|p| p.name == subject.text) else {
                    let mend = did_you_mean(&subject.text, names, "add it to game.toml, or name another");
                    self.fault(&subject.place, format!("there is no parameter or state {}", subject.text), mend);
                    return None;
                };
                let doc = &self.document.parameters[parameter];
                let number = split_number(&to.text).filter(|(_, unit)| unit.is_empty() || *unit == doc.unit).map(|(n, _)| n as f32);
                match number.filter(|n| (doc.low..=doc.high).contains(n)) {
                    Some(number) => Action::SetParameter(parameter, number),
                    None => {
                        let mend = format!("write a number from {} to {}", doc.low, doc.high);
                        self.fault(&to.place, format!("{} cannot be set to {}", subject.text, to.text), mend);
                        return None;
                    }
                }
            }
        })
    }

    /// Names in playthroughs that nothing in the project has.
    fn playthroughs(&mut self) {
        use language::StepAction;
        let document = self.document;
        for (_, playthrough) in &document.playthroughs {
            for (step, _) in playthrough.steps() {
                match &step.action {
                    StepAction::Send(event, emitter) => {
                        self.event(event);
                        if let Some(emitter) = emitter {
                            self.program.names.add(&emitter.text);
                        }
                    }
                    StepAction::State(state, value) => match document.states.iter().position(|s| s.name == state.text) {
                        Some(index) if document.states[index].dictionary.iter().any(|(theirs, _)| *theirs == value.text) => {}
                        Some(index) => {
                            self.state_value(index, value);
                        }
                        None => {
                            let mend = did_you_mean(&state.text, document.states.iter().map(|s| s.name.as_str()), "add it to game.toml, or name another");
                            self.fault(&state.place, format!("there is no state {}", state.text), mend);
                        }
                    },
                    StepAction::Parameter(parameter, _) | StepAction::Glide { parameter, .. } => {
                        self.parameter(&parameter.text, &parameter.place);
                    }
                    StepAction::End => {}
                }
            }
        }
    }
}

fn part(clip: Arc<Clip>, looped: bool) -> Part {
    let round = looped.then(|| clip.loop_points.unwrap_or((0, clip.frames())));
    Part { clip, round }
}
