//! From a document and its audio to a program. Whatever names nothing is a fault and is left out.

mod music;
mod notes;
mod sounds;
mod wiring;

use super::{Bus, Lookup, Program, Recipe};
use crate::assets::Assets;
use crate::document::{Document, Fault, LayerOf, Place, TakeDoc, did_you_mean};
use crate::names::{NameKey, Names};
use crate::units::Seconds;
use std::collections::{BTreeSet, HashMap};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

static NEXT_ID: AtomicU64 = AtomicU64::new(1);

/// The audio files that a document needs, each once.
#[must_use]
pub fn wanted_audio(document: &Document) -> BTreeSet<String> {
    let takes = document.sounds.iter().flat_map(|s| s.groups.iter().flat_map(|(_, t)| t));
    let files = takes.filter_map(|t| if let TakeDoc::File(file) = &t.value.take { Some(file.clone()) } else { None });
    let mut music: Vec<String> = Vec::new();
    for layer in document.music.pieces.iter().flat_map(|p| &p.sections).flat_map(|s| &s.layers) {
        match &layer.of {
            LayerOf::File(file) => music.push(file.value.clone()),
            LayerOf::Notes(notes) => music.push(notes.file.value.clone()),
            LayerOf::Sound(_) | LayerOf::Nothing => {}
        }
    }
    music.extend(document.music.instruments.iter().flat_map(|i| &i.takes).map(|(file, ..)| file.value.clone()));
    let files = files.chain(music);
    files.chain(document.sounds.iter().flat_map(|s| s.chain.iter().flat_map(|p| p.files.iter().map(|f| f.value.clone())))).collect()
}

/// Compiles. Audio that is not in `assets` counts as still loading and is no fault.
#[must_use]
pub fn compile(document: &Document, assets: &Assets) -> (Program, Vec<Fault>) {
    let mut compiler = Compiler { document, assets, program: Program::default(), faults: Vec::new(), recipes: HashMap::new() };
    compiler.run();
    (compiler.program, compiler.faults)
}

/// The nearest whole number of frames.
fn frames_of(time: Seconds, rate: u32) -> u64 {
    time.frames(rate)
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
        self.program.names.add(crate::engine::LISTENER_NAME);
        self.game();
        self.derived();
        self.buses();
        self.groups();
        self.program.find_sound = Lookup::new(document.sounds.iter().map(|s| NameKey::of(&s.name)));
        for sound in &document.sounds {
            let sound = self.sound(sound);
            self.program.sounds.push(sound);
        }
        self.break_cycles();
        self.music();
        self.modulations();
        self.tempos();
        self.reactions();
        self.playthroughs();
    }

    fn fault(&mut self, place: &Place, what: impl Into<String>, mend: impl Into<String>) {
        self.faults.push(Fault::new(place, what, mend));
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
}
