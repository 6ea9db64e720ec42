//! From a document and its audio to a program. Whatever names nothing is a fault and is left out.

mod actions;
mod audio;
mod bundles;
mod checks;
mod derived;
mod explore;
mod generators;
mod mix;
mod music;
mod notes;
mod sounds;
mod wiring;
mod world;

pub use audio::{audio_of, files_of, wanted_audio, whole_audio};
pub use bundles::over_budget;
pub use music::map_of;
pub use notes::weakness;

use crate::assets::Assets;
use crate::document::{Document, Fault, Place};
use estampie_engine::lookup::Lookup;
use estampie_engine::mixer::spec::Recipe;
use estampie_engine::names::{NameKey, Names};
use estampie_engine::program::Program;
use estampie_engine::units::Seconds;
use std::cell::OnceCell;
use std::collections::{BTreeSet, HashMap};
use std::sync::Arc;

/// Compiles. Audio that is not in `assets` counts as still loading and is no fault.
#[must_use]
pub fn compile(document: &Document, assets: &Assets) -> (Program, Vec<Fault>) {
    let mut compiler = Compiler::new(document, assets, Program::default());
    compiler.run();
    (compiler.program, compiler.faults)
}

/// What looks at single reactions while they are typed, without reading or compiling the rest of the project again.
#[derive(Debug)]
pub struct Sentences {
    /// What the project is compiled to, but for its reactions and its sounds' audio.
    program: Program,
}

impl Sentences {
    /// For a project as it is compiled.
    #[must_use]
    pub fn new(program: &Program) -> Sentences {
        Sentences { program: Program { reactions: Vec::new().into(), clocks: Vec::new(), ..program.clone() } }
    }

    /// What is wrong with reactions, in a text that holds only them; `document` is the project that was compiled.
    pub fn faults(&mut self, document: &Document, file: &str, text: &str) -> Vec<Fault> {
        let (list, mut faults) = crate::language::reactions::parse(file, text);
        let program = std::mem::take(&mut self.program);
        let assets = Assets::default();
        let mut compiler = Compiler::new(document, &assets, program);
        for reaction in &list {
            // Only what it finds at fault is wanted.
            let _meant = compiler.meant(reaction);
        }
        self.program = compiler.program;
        faults.extend(compiler.faults);
        document.improve(&mut faults);
        faults
    }
}

/// The nearest whole number of frames.
fn frames_of(time: Seconds, rate: u32) -> u64 {
    time.frames(rate)
}

/// Where the things that are named most often stand in a document, by their names; the first of a name counts.
struct Found<'a> {
    states: HashMap<&'a str, usize>,
    parameters: HashMap<&'a str, usize>,
    instruments: HashMap<&'a str, usize>,
    /// The emitters that are known: declared, in the world, or placed by a playthrough.
    emitters: OnceCell<BTreeSet<&'a str>>,
}

impl<'a> Found<'a> {
    fn of(document: &'a Document) -> Found<'a> {
        // Put in from the last to the first, so that the first stays.
        fn places<'a>(names: impl DoubleEndedIterator<Item = &'a String> + ExactSizeIterator) -> HashMap<&'a str, usize> {
            names.enumerate().rev().map(|(at, name)| (name.as_str(), at)).collect()
        }
        Found {
            states: places(document.states.iter().map(|s| &s.name)),
            parameters: places(document.parameters.iter().map(|p| &p.name)),
            instruments: places(document.music.instruments.iter().map(|i| &i.name)),
            emitters: OnceCell::new(),
        }
    }
}

struct Compiler<'a> {
    document: &'a Document,
    assets: &'a Assets,
    found: Found<'a>,
    program: Program,
    faults: Vec<Fault>,
    /// Recipes made so far, so that a file shared by takes is one.
    recipes: HashMap<(String, bool), Option<Arc<Recipe>>>,
    /// What generators make, by their names.
    made: HashMap<String, Option<Arc<Recipe>>>,
}

impl<'a> Compiler<'a> {
    fn new(document: &'a Document, assets: &'a Assets, program: Program) -> Compiler<'a> {
        Compiler { document, assets, found: Found::of(document), program, faults: Vec::new(), recipes: HashMap::new(), made: HashMap::new() }
    }
}

impl Compiler<'_> {
    fn run(&mut self) {
        let document = self.document;
        let manifest = &document.manifest;
        self.program = Program {
            id: Program::next_id(),
            rate: manifest.rate,
            voices: manifest.voices as usize,
            ceiling_gain: manifest.ceiling.gain(),
            names: Names::default(),
            reads: Some(Arc::new(self.assets.streams().clone())),
            ..Program::default()
        };
        self.program.names.add(estampie_engine::world::emitters::LISTENER_NAME);
        self.game();
        self.derived();
        self.buses();
        self.groups();
        self.generators();
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
        self.look_at_repeats();
        self.world();
        self.tempos();
        self.reactions();
        self.playthroughs();
        self.checks();
        self.bundle_parts();
        self.budget();
        self.explored();
    }

    fn fault(&mut self, place: &Place, what: impl Into<String>, fix: impl Into<String>) {
        self.faults.push(Fault::new(place, what, fix));
    }
}
