//! From a document and its audio to a program. Whatever names nothing is a fault and is left out.

mod mix;
mod music;
mod notes;
mod sounds;
mod wiring;
mod world;

use super::{Lookup, Program, Recipe};
use crate::assets::Assets;
use crate::document::{Document, Fault, LayerOf, Place, TakeDoc};
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
    let effects = document.buses.iter().flat_map(|b| &b.inserts).chain(&document.shared.effect);
    music.extend(effects.filter_map(|e| e.file.as_ref()).map(|f| f.value.clone()));
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
        self.sends_of_sounds();
        self.mix();
        self.music();
        self.modulations();
        self.world();
        self.tempos();
        self.reactions();
        self.playthroughs();
    }

    fn fault(&mut self, place: &Place, what: impl Into<String>, mend: impl Into<String>) {
        self.faults.push(Fault::new(place, what, mend));
    }
}
