//! Compiling the mix: the tree of buses, routes without loops, effects, snapshots, ducks, player levels.

use super::{Compiler, frames_of};
use crate::document::{EffectDoc, Going, Located, Place, did_you_mean, kind_of, read_octaves};
use estampie_engine::curve::Shape;
use estampie_engine::dsp::effects;
use estampie_engine::dsp::effects::{Impulse, KINDS, Kind, MOST_SETTINGS, Making};
use estampie_engine::index::{BusIndex, ByIndex, CellIndex, SnapshotIndex, SoundIndex};
use estampie_engine::lookup::Lookup;
use estampie_engine::mixer::spec::{Bus, BusEffect, Cell, Duck, DuckKey, PlayerLevel, Send, Snapshot, SnapshotHold, SoundSend};
use estampie_engine::names::NameKey;
use estampie_engine::property::{Property, Unit};
use estampie_engine::units::ValueError;
use estampie_engine::units::{Decibels, Quantity as _};
use petgraph::algo::{astar, toposort};
use petgraph::graph::{DiGraph, NodeIndex};
use std::sync::Arc;

/// The ends of a level in the mix, in dB.
const LEVELS: (f32, f32) = (-120.0, 36.0);

impl Compiler<'_> {
    /// Puts the buses in an order in which each comes after the one it runs into.
    pub(super) fn buses(&mut self) {
        let docs = &self.document.buses;
        let parents = self.parents();
        let mut order: Vec<usize> = vec![0];
        let mut at = 0;
        // Depth first, so that a list of buses reads as a tree.
        while at < order.len() {
            let parent = order[at];
            let children: Vec<usize> = (1..docs.len()).filter(|b| parents[*b] == parent).collect();
            order.splice(at + 1..at + 1, children);
            at += 1;
        }
        let order: ByIndex<BusIndex, usize> = order.into();
        for at in order.iter().copied() {
            let doc = &docs[at];
            let key = self.program.names.add(&doc.name);
            let into = order.find(|b| *b == parents[at]).unwrap_or(BusIndex::ROOT);
            let depth = if at == 0 { 0 } else { self.program.mix.buses[into].depth + 1 };
            let named = |what: &str| format!("bus {} {what}", doc.name);
            let octaves = (-10.0, 10.0);
            let cells = [
                self.cell(&named("level"), Property::Level, doc.level.0.max(LEVELS.0), LEVELS, false),
                self.cell(&named("low-pass"), Property::LowPass, doc.low_pass.below_open().0, octaves, false),
                self.cell(&named("high-pass"), Property::HighPass, doc.high_pass.above_open().0, octaves, false),
                self.cell(&named("pan"), Property::Pan, doc.pan.0, (-1.0, 1.0), false),
            ];
            self.program.mix.buses.push(Bus {
                key,
                into,
                level_db: doc.level.0,
                modulations: Vec::new(),
                depth,
                returns: doc.returns,
                cells,
                effects: Vec::new(),
                sends: Vec::new(),
                voice_delay: 0,
                into_delay: 0,
                listened: false,
            });
        }
        self.program.mix.find_bus = Lookup::new(self.program.mix.buses.iter().map(|b| b.key));
        for (index, at) in order.with_places() {
            for effect in &docs[*at].effects {
                let made = self.insert(&docs[*at].name, effect);
                self.program.mix.buses[index].effects.extend(made);
            }
        }
        self.routes(&order);
    }

    /// Into which bus each runs; what would run in a circle runs into the root instead.
    fn parents(&mut self) -> Vec<usize> {
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
                self.fault(&place, format!("these buses run in a circle: {}", loop_names.join(" ⟶ ")), "let one of them run into main");
                parents[at] = 0;
            }
        }
        parents
    }

    /// Adds a value of the mix under its name.
    pub(super) fn cell(&mut self, name: &str, property: Property, rest: f32, ends: (f32, f32), by_octaves: bool) -> CellIndex {
        let key = self.program.names.add(name);
        let scale = |v: f32| if by_octaves { v.max(1e-6).log2() } else { v };
        let (rest, ends) = (scale(rest), (scale(ends.0), scale(ends.1)));
        self.program.mix.cells.add(Cell { key, property, rest, ends, by_octaves, given: None, modulations: Vec::new(), holds: Vec::new() })
    }

    fn insert(&mut self, bus: &str, doc: &EffectDoc) -> Option<BusEffect> {
        let document = self.document;
        let shared = doc.like.as_ref().and_then(|like| {
            let found = document.shared.effect.iter().find(|e| e.name == like.value);
            if found.is_none() {
                let fix = did_you_mean(&like.value, document.shared.effect.iter().map(|e| e.name.as_str()), "add it to shared.toml, or name another");
                self.fault(&like.place, format!("there is no shared effect {}", like.value), fix);
            }
            found
        });
        let (kind, values) = self.values_of(doc, shared)?;
        let name = |what: &str| format!("bus {bus} {} {what}", doc.name);
        let first = CellIndex::new(self.program.mix.cells.len());
        for (setting, value) in kind.settings.iter().zip(values) {
            self.cell(&name(setting.word), Property::Setting(setting.unit), value, (setting.low, setting.high), setting.by_octaves());
        }
        let wet = doc.wet.or_else(|| shared.and_then(|s| s.wet)).map_or(1.0, |w| w.0);
        self.cell(&name("wet"), Property::Setting(Unit::Share), wet, (0.0, 1.0), false);
        let file = doc.file.as_ref().or_else(|| shared.and_then(|s| s.file.as_ref()));
        let key = doc.key.as_ref().or_else(|| shared.and_then(|s| s.key.as_ref()));
        // What means nothing here is no part of it.
        for (word, text, taken) in [("file", file, kind.takes.file), ("sidechain", key, kind.takes.sidechain)] {
            if let Some(text) = text.filter(|_| !taken) {
                self.fault(&text.place, format!("{} takes no {word}", kind.word), "take it out");
            }
        }
        let impulse = file.filter(|_| kind.takes.file).and_then(|file| self.impulse(file));
        if kind.takes.file && file.is_none() {
            self.fault(&doc.place, format!("{} has no impulse response", doc.name), "write file = and an audio file");
        }
        let listens = key.filter(|_| kind.takes.sidechain).and_then(|key| self.bus(key));
        if let Some(listens) = listens {
            self.program.mix.buses[listens].listened = true;
        }
        // Another response, even of the same file, is another effect: it fades in.
        let mut fixed = NameKey::of(kind.word).with(impulse.as_ref().map_or(0, |i| i.key.0));
        for (setting, value) in kind.settings.iter().zip(values).filter(|(s, _)| s.fixed) {
            fixed = fixed.with(u64::from(value.to_bits())).with(setting.word.len() as u64);
        }
        let making = Making { rate: self.program.rate, values, impulse: None };
        let latency = (kind.latency)(&making) as u32;
        let remembers = (kind.remembers)(&making);
        if remembers > 0 {
            fixed = fixed.with(u64::from(remembers));
        }
        self.program.mix.wants_tempo |= kind.takes.tempo;
        let at = KINDS.iter().position(|k| k.word == kind.word).unwrap_or(0);
        Some(BusEffect {
            key: self.program.names.add(&format!("{bus} {}", doc.name)),
            kind: at,
            first,
            values,
            fixed: fixed.0,
            impulse,
            listens,
            off: doc.off.or_else(|| shared.and_then(|s| s.off)).unwrap_or(false),
            latency,
        })
    }

    /// The kind of an effect, and the values of its settings: those of its preset, then those of the shared one, then its own.
    fn values_of(&mut self, doc: &EffectDoc, shared: Option<&EffectDoc>) -> Option<(&'static Kind, [f32; MOST_SETTINGS])> {
        let Some(kind) = kind_of(&self.document.shared.effect, doc) else {
            let (word, place) = doc.kind.as_ref().map_or((doc.name.as_str(), &doc.place), |k| (k.value.as_str(), &k.place));
            let known: Vec<&str> = KINDS.iter().map(|k| k.word).collect();
            let fix = did_you_mean(word, known.iter().copied(), &format!("write kind = and one of {}", known.join(", ")));
            self.fault(&place.clone(), format!("there is no effect {word}"), fix);
            return None;
        };
        let mut values = effects::at_rest(kind);
        if let Some(preset) = doc.preset.as_ref().or_else(|| shared.and_then(|s| s.preset.as_ref())) {
            match kind.presets.iter().find(|(name, ..)| *name == preset.value) {
                Some((.., ready)) => values[..ready.len()].copy_from_slice(ready),
                None => {
                    let known: Vec<&str> = kind.presets.iter().map(|(name, ..)| *name).collect();
                    let what = format!("{} has no preset {}", kind.word, preset.value);
                    let fix = if known.is_empty() { "take it out".to_owned() } else { format!("write one of {}", known.join(", ")) };
                    self.fault(&preset.place, what, fix);
                }
            }
        }
        for doc in shared.into_iter().chain([doc]) {
            self.settings((kind.word, &doc.name), kind.settings, &doc.set, &mut values);
        }
        Some((kind, values))
    }

    /// The impulse response of a file; silence while it is being loaded.
    fn impulse(&mut self, file: &Located<String>) -> Option<Arc<Impulse>> {
        let mut loading = false;
        let clip = self.clip(&file.value, &file.place, &mut loading)?;
        Some(self.assets.impulse(&clip, self.program.rate))
    }

    /// Sends, in an order without loops; the order of work; and what is held back so that all routes agree.
    fn routes(&mut self, order: &ByIndex<BusIndex, usize>) {
        let document = self.document;
        let mut graph: DiGraph<BusIndex, ()> = DiGraph::new();
        let nodes: ByIndex<BusIndex, NodeIndex> = order.places().map(|at| graph.add_node(at)).collect();
        for (at, bus) in self.program.mix.buses.with_places().skip(1) {
            graph.add_edge(nodes[at], nodes[bus.into], ());
        }
        for (index, at) in order.with_places() {
            let doc = &document.buses[*at];
            for send in &doc.sends {
                let Some(to) = self.return_named(&send.to) else { continue };
                let back = astar(&graph, nodes[to], |n| n == nodes[index], |_| 1, |_| 0);
                if let Some((_, way)) = back {
                    let mut names = vec![doc.name.as_str()];
                    names.extend(way.iter().map(|n| document.buses[order[graph[*n]]].name.as_str()));
                    let what = format!("this send would feed back: {}", names.join(" ⟶ "));
                    self.fault(&send.to.place, what, "take it out, or send to a return that does not come back");
                    continue;
                }
                graph.add_edge(nodes[index], nodes[to], ());
                let name = format!("bus {} send {}", doc.name, send.to.value);
                let cell = self.cell(&name, Property::Level, send.level.0.max(LEVELS.0), LEVELS, false);
                self.program.mix.buses[index].sends.push(Send { to, before: send.before, cell, delay: 0 });
            }
        }
        // There is no loop: each edge was looked at before it was added.
        self.program.mix.order = toposort(&graph, None)
            .map_or_else(|_| order.places().collect::<Vec<_>>().into_iter().rev().collect(), |list| list.iter().map(|n| graph[*n]).collect());
        self.agree();
        for (at, doc) in order.with_places().map(|(at, doc)| (at, &document.buses[*doc])) {
            if doc.returns {
                self.look_at_return(at, &doc.place, &doc.name);
            }
        }
    }

    fn return_named(&mut self, name: &Located<String>) -> Option<BusIndex> {
        let document = self.document;
        let known = || document.buses.iter().filter(|b| b.returns).map(|b| b.name.as_str());
        let found = self.program.mix.find_bus.get(NameKey::of(&name.value));
        match found {
            Some(at) if self.program.mix.buses[at].returns => Some(at),
            Some(_) => {
                self.fault(&name.place, format!("{} is no return", name.value), format!("write return = true in [buses.{}], or send elsewhere", name.value));
                None
            }
            None => {
                let fix = did_you_mean(&name.value, known(), "add it to mix.toml with return = true, or name another");
                self.fault(&name.place, format!("there is no return {}", name.value), fix);
                None
            }
        }
    }

    /// Holds routes back so that all that meet on a bus are equally late.
    fn agree(&mut self) {
        let program = &mut self.program;
        let own: ByIndex<BusIndex, u32> = program.mix.buses.iter().map(|b| b.effects.iter().map(|i| i.latency).sum()).collect();
        let mut arrive: ByIndex<BusIndex, u32> = vec![0; program.mix.buses.len()].into();
        for at in program.mix.order.clone() {
            let leaves = arrive[at] + own[at];
            let bus = &program.mix.buses[at];
            for to in bus.sends.iter().map(|s| s.to).chain((at != BusIndex::ROOT).then_some(bus.into)) {
                arrive[to] = arrive[to].max(leaves);
            }
        }
        for at in program.mix.buses.places() {
            let leaves = arrive[at] + own[at];
            let bus = &mut program.mix.buses[at];
            bus.voice_delay = arrive[at];
            bus.into_delay = if at == BusIndex::ROOT { 0 } else { arrive[bus.into] - leaves };
            for send in &mut bus.sends {
                send.delay = arrive[send.to] - leaves;
            }
        }
    }

    /// Says when dry sound comes through a return.
    fn look_at_return(&mut self, at: BusIndex, place: &Place, name: &str) {
        let bus = &self.program.mix.buses[at];
        let wet = |effect: &BusEffect| {
            let kind = &KINDS[effect.kind];
            let share = self.program.mix.cells[effect.first.plus(kind.settings.len())].rest;
            (kind.wet_alone && !effect.off).then_some(share)
        };
        let shares: Vec<f32> = bus.effects.iter().filter_map(wet).collect();
        let fix = "put an effect on it that leaves nothing of the dry sound, as reverb, echo or convolution, with wet = \"100 %\"";
        if shares.is_empty() {
            self.fault(place, format!("the return {name} lets dry sound through: no effect on it makes it wet"), fix);
        } else if shares.iter().all(|s| *s < 1.0) {
            self.fault(place, format!("the return {name} lets dry sound through: its effect is not all wet"), fix);
        }
    }

    /// The levels of groups of sounds, and what sounds send.
    pub(super) fn sends_of_sounds(&mut self) {
        let document = self.document;
        for group in &document.shared.group {
            let cell = self.cell(&format!("group {} level", group.name), Property::Level, 0.0, LEVELS, false);
            self.program.mix.groups.push(cell);
        }
        for (at, sound) in document.sounds.iter().enumerate() {
            let at = SoundIndex::new(at);
            for send in &sound.sends {
                let Some(to) = self.return_named(&send.to) else { continue };
                let name = format!("sound {} send {}", sound.name, send.to.value);
                let cell = self.cell(&name, Property::Level, send.level.0.max(LEVELS.0), LEVELS, false);
                self.program.sounds[at].sends.push(SoundSend { to, cell });
            }
        }
    }

    /// Snapshots, ducks and player levels; all values of the mix have their names by now.
    pub(super) fn mix(&mut self) {
        let document = self.document;
        self.program.mix.find_cell = Lookup::new(self.program.mix.cells.iter().map(|c| c.key));
        self.program.mix.find_generator = Lookup::new(self.program.mix.generators.iter().map(|g| g.key));
        let rate = self.program.rate;
        let way = |going: Going| -> (u64, Shape) { (frames_of(going.time, rate), going.curve) };
        for doc in &document.snapshots {
            let key = self.program.names.add(&doc.name);
            let during = doc.during.iter().filter_map(|c| self.test(&c.subject, &c.test)).collect();
            self.program.mix.snapshots.push(Snapshot {
                key,
                rise: way(doc.rise),
                fall: way(doc.fall),
                order: doc.order,
                amount: doc.amount.0,
                modulations: Vec::new(),
                during,
            });
        }
        self.program.mix.find_snapshot = Lookup::new(self.program.mix.snapshots.iter().map(|s| s.key));
        // Of equal order the later in the file lies over the earlier.
        let mut list: Vec<usize> = (0..document.snapshots.len()).collect();
        list.sort_by_key(|at| (document.snapshots[*at].order, *at));
        for at in list {
            let snapshot = SnapshotIndex::new(at);
            for held in &document.snapshots[at].holds {
                let Some(cell) = self.cell_named(&held.what.value, &held.what.place) else { continue };
                if let Some(value) = self.held_value(cell, held.by, &held.value) {
                    self.program.mix.cells[cell].holds.push(SnapshotHold { snapshot, by: held.by, value });
                }
            }
        }
        for doc in &document.ducks {
            let Some(bus) = self.bus(&doc.ducks) else { continue };
            let (of, listens) = match doc.key.value.split_once(' ') {
                Some(("bus", name)) => (name, self.bus(&Located { value: name.to_owned(), place: doc.key.place.clone() }).map(DuckKey::Bus)),
                Some(("sound", name)) => (name, self.sound_named(name, &doc.key.place).map(DuckKey::Sound)),
                _ => {
                    self.fault(
                        &doc.key.place,
                        format!("\"{}\" is neither a bus nor a sound", doc.key.value),
                        "write sidechain = \"bus voice\" or \"sound NAME\"",
                    );
                    continue;
                }
            };
            let Some(listens) = listens else { continue };
            if listens == DuckKey::Bus(bus) {
                self.fault(&doc.key.place, format!("{of} cannot duck itself"), "name another bus");
                continue;
            }
            let of = self.program.names.add(of);
            let key = of.with(self.program.mix.buses[bus].key.0).with(self.program.mix.ducks.len() as u64);
            self.program.mix.ducks.push(Duck {
                key,
                listens,
                of,
                bus,
                by_db: doc.by.0,
                over_gain: doc.over.gain(),
                attack: way(doc.attack),
                hold: frames_of(doc.hold, rate),
                release: way(doc.release),
            });
        }
        for doc in &document.player_levels {
            let key = self.program.names.add(&doc.name);
            if let Some(bus) = self.bus(&doc.bus) {
                self.program.mix.player_levels.push(PlayerLevel { key, bus });
            }
        }
    }

    /// A value of the mix by its whole name.
    pub(super) fn cell_named(&mut self, name: &str, place: &Place) -> Option<CellIndex> {
        let found = self.program.mix.find_cell.get(NameKey::of(name));
        if found.is_none() {
            let known: Vec<String> = self.program.mix.cells.iter().map(|c| self.program.names.get(c.key).to_owned()).collect();
            let usual = "write \"bus BUS level\", \"bus BUS low-pass\", \"bus BUS pan\", \"bus BUS send RETURN\", \"bus BUS EFFECT SETTING\", \"generator NAME CONTROL\" or \"group GROUP level\"";
            self.fault(place, format!("there is no {name} in the mix"), did_you_mean(name, known.iter().map(String::as_str), usual));
        }
        found
    }

    fn held_value(&mut self, cell: CellIndex, by: bool, text: &Located<String>) -> Option<f32> {
        let spec = &self.program.mix.cells[cell];
        let (property, by_octaves, ends) = (spec.property, spec.by_octaves, spec.ends);
        let fixed = matches!(property, Property::Setting(Unit::Choice(_))) || self.is_fixed_control(cell);
        let read = if fixed {
            Err(ValueError::Refused("it is fixed and cannot be held".to_owned()))
        } else if by && (by_octaves || matches!(property, Property::LowPass | Property::HighPass)) {
            read_octaves(&text.value).ok_or_else(|| ValueError::not(&text.value, "a difference in octaves, like -1 oct"))
        } else if !by && property == Property::Level {
            Decibels::read(&text.value).map(|v| v.0)
        } else {
            property.read(&text.value).map(|v| if by_octaves { v.max(1e-6).log2() } else { v })
        };
        match read {
            Ok(value) if by || value == f32::NEG_INFINITY || (value >= ends.0 && value <= ends.1) => Some(value),
            Ok(_) => {
                self.fault(&text.place, format!("{} is out of range", text.value), "write a value within the setting's range");
                None
            }
            Err(what) => {
                self.fault(&text.place, what, if by { "write \"by -3 dB\"" } else { "write \"to -20 dB\"" });
                None
            }
        }
    }
}

/// The number of all settings fits the room that there is for them.
const _: () = assert!(MOST_SETTINGS >= 17);
