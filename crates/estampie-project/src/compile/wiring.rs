//! Compiling what the game tells and what follows from it: parameters, formulas, modulations, reactions.

use super::{Compiler, frames_of};
use crate::document::{ModulationDoc, Moved, Place, did_you_mean, read_point};
use crate::language;
use crate::language::Word;
use estampie_engine::curve::{Curve, Point};
use estampie_engine::dsp::block_coefficient;
use estampie_engine::index::{EventIndex, ReactionIndex, SnapshotIndex, SoundIndex};
use estampie_engine::lookup::Lookup;
use estampie_engine::names::NameKey;
use estampie_engine::program::{Act, Edge, Event, Interval, Modulation, Nth, Parameter, Reaction, State, Target, Trigger, ValueFrom, Watch};
use estampie_engine::property::{Property, Unit};
use estampie_engine::test::Test;
use estampie_engine::time::BLOCK;
use estampie_engine::units::{Quantity as _, Seconds, read_number};
use estampie_engine::vocabulary::Comparison;
use std::collections::{HashMap, HashSet};

/// Keys for things that may be called alike: each of them gets one of its own, and the same one as long as their order stays.
#[derive(Default)]
pub(super) struct Keys {
    taken: HashSet<NameKey>,
    /// The last key that was made of each.
    last: HashMap<NameKey, NameKey>,
}

impl Keys {
    fn of(&mut self, name: NameKey) -> NameKey {
        let mut key = self.last.get(&name).map_or(name, |last| last.with(1));
        while !self.taken.insert(key) {
            key = key.with(1);
        }
        self.last.insert(name, key);
        key
    }
}

/// What a reaction means.
pub(super) struct Meant {
    trigger: Trigger,
    conditions: Vec<Test>,
    until: Option<Test>,
    actions: Vec<Act>,
}

impl Compiler<'_> {
    pub(super) fn game(&mut self) {
        let document = self.document;
        for parameter in &document.parameters {
            let key = self.program.names.add(&parameter.name);
            let coefficient = |time: f64| block_coefficient(time, BLOCK, self.program.rate);
            let (rise, fall) = (coefficient(parameter.rise.0), coefficient(parameter.fall.0));
            let local = parameter.of_each.then_some(self.program.locals as u16);
            if parameter.of_each {
                self.program.local_parameters.push(self.program.parameters.len() as u32);
            }
            self.program.locals += usize::from(parameter.of_each);
            self.program.parameters.push(Parameter {
                key,
                low: parameter.low,
                high: parameter.high,
                rest: parameter.rest,
                rise_per_block: rise,
                fall_per_block: fall,
                from_game: parameter.from_game,
                source: ValueFrom::Game,
                local,
                watches: Vec::new(),
            });
        }
        for state in &document.states {
            let key = self.program.names.add(&state.name);
            let values = state.values.iter().map(|v| self.program.names.add(&v.value)).collect();
            let mut dictionary: Vec<_> = state.dictionary.iter().map(|(theirs, ours)| (self.program.names.add(theirs), *ours as u16)).collect();
            dictionary.sort_unstable();
            self.program.states.push(State { key, values, start: state.start as u16, dictionary, watches: Vec::new() });
        }
        for event in &document.events {
            let key = self.program.names.add(&event.name);
            self.program.events.push(Event { key, reactions: Vec::new() });
        }
        let theirs: Vec<(NameKey, NameKey)> =
            document.from_game.iter().map(|name| (self.program.names.add(&name.theirs), NameKey::of(&name.ours.value))).collect();
        self.program.find_parameter = Lookup::new(self.program.parameters.iter().map(|p| p.key)).with_other_names(&theirs);
        self.program.find_state = Lookup::new(self.program.states.iter().map(|s| s.key)).with_other_names(&theirs);
        self.program.find_event = Lookup::new(self.program.events.iter().map(|e| e.key)).with_other_names(&theirs);
    }

    pub(super) fn parameter(&mut self, name: &str, place: &Place) -> Option<usize> {
        let found = self.program.find_parameter.get(NameKey::of(name));
        if found.is_none() {
            let fix = did_you_mean(name, self.document.parameters.iter().map(|p| p.name.as_str()), "add it to game.toml, or name another");
            self.fault(place, format!("there is no parameter {name}"), fix);
        }
        found
    }

    pub(super) fn modulations(&mut self) {
        let document = self.document;
        let mut keys = Keys::default();
        for doc in &document.modulations {
            let parameter = self.parameter(&doc.from.value, &doc.from.place);
            let targets = self.moved(doc);
            let Some(parameter) = parameter.filter(|_| !targets.is_empty()) else { continue };
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
            for target in targets {
                self.modulate(doc, parameter, target, &points, &mut keys);
            }
        }
        self.program.find_modulation = Lookup::new(self.program.modulations.iter().map(|m| m.key));
    }

    /// What a modulation moves: one thing, or all layers of a name.
    fn moved(&mut self, doc: &ModulationDoc) -> Vec<Target> {
        let place = doc.target.place.clone();
        match doc.kind {
            Moved::Bus => self.bus(&doc.target).map(Target::Bus).into_iter().collect(),
            Moved::Mix => self.moved_in_mix(doc).into_iter().collect(),
            Moved::Sound => self.sound_named(&doc.target.value, &place).map(Target::Sound).into_iter().collect(),
            Moved::Piece => self.piece_named(&doc.target.value, &place).map(Target::Piece).into_iter().collect(),
            Moved::Layer => {
                let Some(switch) = self.switch_named(&doc.target.value, &place) else { return Vec::new() };
                self.program.music.layers.iter().filter(|l| l.switch == switch).map(|l| Target::Sound(l.sound)).collect()
            }
        }
    }

    /// A value of the mix, or the amount of a snapshot.
    fn moved_in_mix(&mut self, doc: &ModulationDoc) -> Option<Target> {
        if let ["snapshot", name, _] = doc.target.value.split(' ').collect::<Vec<_>>().as_slice() {
            return self.snapshot_named(name, &doc.target.place).map(Target::Snapshot);
        }
        let cell = self.cell_named(&doc.target.value, &doc.target.place)?;
        let spec = &self.program.mix.cells[cell];
        match spec.property {
            Property::Setting(unit) if matches!(unit, Unit::Choice(_)) || self.is_fixed_control(cell) => {
                self.fault(&doc.target.place, format!("{} is fixed and cannot be moved", doc.target.value), "move another setting");
                None
            }
            Property::Setting(_) if spec.given.is_some() => {
                self.fault(&doc.target.place, format!("{} is moved already", doc.target.value), "move it by one parameter; a formula can join several");
                None
            }
            _ => Some(Target::Cell(cell)),
        }
    }

    pub(super) fn snapshot_named(&mut self, name: &str, place: &Place) -> Option<SnapshotIndex> {
        let found = self.program.mix.find_snapshot.get(NameKey::of(name));
        if found.is_none() {
            let fix = did_you_mean(name, self.document.snapshots.iter().map(|s| s.name.as_str()), "add it to mix.toml, or name another");
            self.fault(place, format!("there is no snapshot {name}"), fix);
        }
        found
    }

    /// The switch of the layers of a name such as `tidewalk/reed`.
    pub(super) fn switch_named(&mut self, name: &str, place: &Place) -> Option<u32> {
        let found = self.program.music.find_switch.get(NameKey::of(name));
        if found.is_none() {
            let known: Vec<String> = self.program.music.switches.iter().map(|s| self.program.names.get(s.key).to_owned()).collect();
            let fix = did_you_mean(name, known.iter().map(String::as_str), "write the piece and its layer, like tidewalk/reed");
            self.fault(place, format!("there is no layer {name}"), fix);
        }
        found.map(|s| s as u32)
    }

    fn modulate(&mut self, doc: &ModulationDoc, parameter: usize, target: Target, points: &[Point], keys: &mut Keys) {
        let label = format!("{} ⟶ {}", doc.from.value, doc.whole());
        let key = keys.of(NameKey::of(&label));
        self.program.names.add_as(key, &label);
        let index = self.program.modulations.len() as u32;
        let local = self.program.parameters[parameter].local.is_some();
        let control = if let Target::Cell(cell) = target { self.control_of(cell) } else { None };
        match target {
            // What each emitter says for itself each voice follows for itself.
            Target::Cell(_) if local && control.is_some() => {
                if let Some((of, control)) = control {
                    self.program.mix.generators[of].local.push((control, index));
                }
            }
            Target::Bus(_) | Target::Piece(_) | Target::Cell(_) | Target::Snapshot(_) if self.one_for_all(parameter, &doc.from.place).is_none() => return,
            Target::Sound(sound) if doc.property.of_voices() => self.program.sounds[sound].modulations.push(index),
            Target::Sound(sound) => self.program.sounds[sound].asked.push(index),
            Target::Bus(bus) => {
                let bus = &mut self.program.mix.buses[bus];
                bus.modulations.push(index);
                self.program.mix.cells[bus.cells[0]].modulations.push(index);
            }
            Target::Cell(cell) => {
                let cell = &mut self.program.mix.cells[cell];
                if let Property::Setting(_) = doc.property {
                    cell.given = Some(index);
                } else {
                    cell.modulations.push(index);
                }
            }
            Target::Snapshot(snapshot) => self.program.mix.snapshots[snapshot].modulations.push(index),
            Target::Piece(piece) => {
                let piece = &mut self.program.music.pieces[piece];
                match doc.property {
                    Property::Tempo => piece.tempo.push(index),
                    Property::Transposition => piece.transposition.push(index),
                    _ => piece.modulations.push(index),
                }
            }
        }
        let smooth = block_coefficient(doc.smooth.0, BLOCK, self.program.rate);
        self.program.modulations.push(Modulation {
            key,
            written: doc.written as u32,
            parameter,
            curve: Curve::new(points.iter().copied()),
            property: doc.property,
            target,
            smooth_per_block: smooth,
            local,
        });
    }

    pub(super) fn sound_named(&mut self, name: &str, place: &Place) -> Option<SoundIndex> {
        let found = self.program.find_sound.get(NameKey::of(name));
        if found.is_none() {
            let fix = did_you_mean(name, self.document.sounds.iter().map(|s| s.name.as_str()), "add it to a file in sounds/, or name another");
            self.fault(place, format!("there is no sound {name}"), fix);
        }
        found
    }

    pub(super) fn event(&mut self, word: &Word) -> Option<EventIndex> {
        self.event_named(&word.text, &word.place)
    }

    pub(super) fn event_named(&mut self, name: &str, place: &Place) -> Option<EventIndex> {
        let found = self.program.find_event.get(NameKey::of(name));
        if found.is_none() {
            let fix = did_you_mean(name, self.document.events.iter().map(|e| e.name.as_str()), "add it to game.toml, or name another");
            self.fault(place, format!("there is no event {name}"), fix);
        }
        found
    }

    /// A test of a state or parameter, whichever has the name.
    pub(super) fn test(&mut self, subject: &Word, test: &language::Test) -> Option<Test> {
        let document = self.document;
        if let Some(state) = self.found.states.get(subject.text.as_str()).copied() {
            let (value, is) = match test {
                language::Test::Is(value) => (value, true),
                language::Test::IsNot(value) => (value, false),
                language::Test::Compare(..) | language::Test::Between(..) => {
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
        let Some(parameter) = self.found.parameters.get(subject.text.as_str()).copied() else {
            let names = document.parameters.iter().map(|p| p.name.as_str()).chain(document.states.iter().map(|s| s.name.as_str()));
            let fix = did_you_mean(&subject.text, names, "add it to game.toml, or name another");
            self.fault(&subject.place, format!("there is no parameter or state {}", subject.text), fix);
            return None;
        };
        let unit = &document.parameters[parameter].unit;
        match test {
            language::Test::Compare(comparison, number, own) => {
                self.same_unit(subject, own, unit)?;
                self.reachable(parameter, *comparison, *number, &subject.place);
                Some(Test::Compare(parameter, *comparison, *number as f32))
            }
            language::Test::Between(low, high, own) => {
                self.same_unit(subject, own, unit)?;
                self.reachable(parameter, Comparison::AtLeast, *low, &subject.place);
                self.reachable(parameter, Comparison::AtMost, *high, &subject.place);
                Some(Test::Between(parameter, *low as f32, *high as f32))
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

    /// Says when a number was written with a unit that is not the parameter's.
    fn same_unit(&mut self, subject: &Word, own: &str, unit: &str) -> Option<()> {
        if own.is_empty() || own == unit {
            return Some(());
        }
        let fix = if unit.is_empty() { "write the number alone".to_owned() } else { format!("write the number alone or with {unit}") };
        self.fault(&subject.place, format!("{} is not in {own}", subject.text), fix);
        None
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

    pub(super) fn state_value(&mut self, state: usize, value: &Word) -> Option<u16> {
        let doc = &self.document.states[state];
        let found = doc.values.iter().position(|v| v.value == value.text);
        if found.is_none() {
            let known: Vec<&str> = doc.values.iter().map(|v| v.value.as_str()).collect();
            let some = known.iter().take(12).copied().collect::<Vec<_>>().join(", ");
            let all = format!("write one of its values: {some}{}", if known.len() > 12 { " …" } else { "" });
            let fix = match crate::document::nearest(&value.text, known.iter().copied()) {
                Some(near) => format!("{near}? Its values are {some}{}", if known.len() > 12 { " …" } else { "" }),
                None => all,
            };
            self.fault(&value.place, format!("the state {} has no value {}", doc.name, value.text), fix);
        }
        found.map(|v| v as u16)
    }

    pub(super) fn reactions(&mut self) {
        let document = self.document;
        let mut keys = Keys::default();
        for (written, doc) in document.reactions.iter().enumerate() {
            let Some(Meant { trigger, conditions, until, actions }) = self.meant(doc) else { continue };
            let head = doc.head();
            let key = keys.of(NameKey::of(&head));
            self.program.names.add_as(key, &head);
            let index = ReactionIndex::new(self.program.reactions.len());
            if !doc.off {
                self.watch(index, trigger, until);
            }
            let nth = doc.nth.as_ref().map(|nth| {
                self.program.counters += 1;
                Nth { n: nth.n, within: nth.within.map(|t| frames_of(t, self.program.rate)), counter: self.program.counters as u32 - 1 }
            });
            let hold = doc.hold.map_or(0, |t| frames_of(t, self.program.rate));
            let written = written as u32;
            self.program.reactions.push(Reaction { key, written, off: doc.off, trigger, hold, nth, conditions, until, otherwise: doc.otherwise, actions });
        }
        self.program.find_reaction = Lookup::new(self.program.reactions.iter().map(|r| r.key));
    }

    /// What a reaction means; `None`, with faults, if it would act when it should not.
    pub(super) fn meant(&mut self, doc: &language::Reaction) -> Option<Meant> {
        let trigger = self.trigger(&doc.trigger);
        let conditions: Vec<Option<Test>> = doc.conditions.iter().map(|c| self.test(&c.subject, &c.test)).collect();
        let until = doc.until.as_ref().map(|c| self.test(&c.subject, &c.test));
        let actions = doc.actions.iter().filter_map(|act| self.act(act)).collect();
        let conditions = conditions.into_iter().collect::<Option<Vec<_>>>();
        Some(Meant { trigger: trigger?, conditions: conditions?, until: until.map_or(Some(None), |test| test.map(Some))?, actions })
    }

    fn trigger(&mut self, trigger: &language::Trigger) -> Option<Trigger> {
        match trigger {
            language::Trigger::Event(event) => self.event(event).map(Trigger::Event),
            language::Trigger::Becomes(subject, test) => self.test(subject, test).map(|t| Trigger::Change(Edge::Holds(t))),
            language::Trigger::Crosses(subject, rises, number, unit) => {
                let comparison = if *rises { Comparison::Over } else { Comparison::Under };
                let test = self.test(subject, &language::Test::Compare(comparison, *number, unit.clone()))?;
                test.parameter().map(|p| Trigger::Change(Edge::Crosses(p, *rises, *number as f32)))
            }
            language::Trigger::Every(language::Interval::Between(span)) => Some(Trigger::Clock(Interval::Between(span.low.0 as f32, span.high.0 as f32))),
            language::Trigger::Every(language::Interval::Of(name)) => self.clock(name),
            language::Trigger::Zone(zone, enters) => self.zone_named(&zone.text, &zone.place).map(|z| Trigger::Zone(z, *enters)),
        }
    }

    /// A clock whose interval is what a parameter says.
    fn clock(&mut self, name: &Word) -> Option<Trigger> {
        let parameter = self.parameter(&name.text, &name.place)?;
        let doc = &self.document.parameters[parameter];
        if doc.of_each {
            self.fault(&name.place, format!("every emitter has a {} of its own, and a clock is one for all", doc.name), "name a parameter that is for all");
            return None;
        }
        let Some(unit) = Seconds::from_parts(1.0, &doc.unit).filter(|_| !doc.unit.is_empty()) else {
            self.fault(&name.place, format!("{} is not a time", doc.name), "give it the unit s, ms or min in game.toml, or write a time like 10 s");
            return None;
        };
        Some(Trigger::Clock(Interval::Of(parameter, unit.0 as f32)))
    }

    /// Puts a reaction where its calls come from.
    fn watch(&mut self, reaction: ReactionIndex, trigger: Trigger, until: Option<Test>) {
        match trigger {
            Trigger::Event(event) => self.program.events[event].reactions.push(reaction),
            Trigger::Change(edge) => self.add_watch(Watch { reaction, edge, readies: false }),
            Trigger::Clock(_) => self.program.clocks.push(reaction),
            Trigger::Zone(zone, enters) => {
                let zone = &mut self.program.world.zones[zone as usize];
                if enters { &mut zone.entering } else { &mut zone.leaving }.push(reaction);
            }
        }
        if let Some(test) = until {
            self.add_watch(Watch { reaction, edge: Edge::Holds(test), readies: true });
        }
    }

    fn add_watch(&mut self, watch: Watch) {
        match watch.edge {
            Edge::Crosses(parameter, ..) => self.program.parameters[parameter].watches.push(watch),
            Edge::Holds(Test::State(state, ..)) => self.program.states[state].watches.push(watch),
            Edge::Holds(test) => {
                if let Some(parameter) = test.parameter() {
                    self.program.parameters[parameter].watches.push(watch);
                }
            }
        }
    }

    /// Names in playthroughs that nothing in the project has.
    pub(super) fn playthroughs(&mut self) {
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
                    StepAction::State(state, value) => match self.found.states.get(state.text.as_str()).copied() {
                        Some(index) if document.states[index].dictionary.iter().any(|(theirs, _)| *theirs == value.text) => {}
                        Some(index) => {
                            self.state_value(index, value);
                        }
                        None => {
                            let fix = did_you_mean(&state.text, document.states.iter().map(|s| s.name.as_str()), "add it to game.toml, or name another");
                            self.fault(&state.place, format!("there is no state {}", state.text), fix);
                        }
                    },
                    StepAction::Parameter(parameter, _) | StepAction::Glide { parameter, .. } => {
                        self.parameter(&parameter.text, &parameter.place);
                    }
                    StepAction::ParameterOn(parameter, emitter, _) => {
                        self.program.names.add(&emitter.text);
                        if let Some(index) = self.parameter(&parameter.text, &parameter.place)
                            && self.program.parameters[index].local.is_none()
                        {
                            let fix = format!("take \"on {}\" out, or give the parameter of = \"each emitter\"", emitter.text);
                            self.fault(&parameter.place, format!("{} is one for all, not of each emitter", parameter.text), fix);
                        }
                    }
                    StepAction::Place(placing) => {
                        for word in [&placing.emitter, &placing.kind].into_iter().flatten() {
                            self.program.names.add(&word.text);
                        }
                    }
                    StepAction::Walk(walking) => {
                        if let Some(emitter) = &walking.emitter {
                            self.program.names.add(&emitter.text);
                        }
                    }
                    StepAction::PlayerLevel(level, _) => {
                        if !document.player_levels.iter().any(|l| l.name == level.text) {
                            let known = document.player_levels.iter().map(|l| l.name.as_str());
                            let fix = did_you_mean(&level.text, known, "declare it under [player-levels] in mix.toml");
                            self.fault(&level.place, format!("there is no player level {level}"), fix);
                        }
                    }
                    StepAction::Expect(expected) => self.names_expected(expected),
                    StepAction::Remove(_) => {}
                    StepAction::End => {}
                }
            }
        }
    }
}
