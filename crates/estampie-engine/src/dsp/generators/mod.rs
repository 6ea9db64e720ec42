//! Generators: what makes samples without a file, and the list of them.
//!
//! A generator is one file here and one line in [`GENERATORS`]. A voice reads from it as it reads from a recording: pitch, filters, level
//! and place are the voice's business. It is as repeatable as a recording, too: the same seed gives the same samples, and what comes after
//! skipping is what would have come after reading. Its controls are values of the mix (`mixer::spec::Cell`): they can be set, held by snapshots
//! and moved while it sounds, and each voice may add what it has drawn and what sweeps do.

mod blip;
mod crackle;
mod hum;
mod modal;
mod noise;
mod notes;
mod pass_by;
mod pulses;
mod stepped;
mod tone;
mod tune;
mod waves;
mod wind;

pub use notes::{PLAYED, scale_size};
pub use pass_by::{Along, along};
pub use tune::{MOST_CHORD, MOST_DEGREE, MOST_TUNE_STEPS, TuneNote, TuneStep, tune_curves, tune_steps};

use super::effects::Setting;
use super::instrument::InstrumentSettings;
use crate::ground::curve::Curve;
use crate::ground::property::Property;
use std::fmt;
use std::sync::LazyLock;

/// The most controls of a generator.
pub const MOST_CONTROLS: usize = 32;

/// All generators are about as loud as each other at their usual settings: their RMS, in dB below full scale. Of what ends by itself it is that of its loudest tenth of a second.
pub const LOUDNESS: f32 = -18.0;

/// What a generator begins from.
#[derive(Debug, Clone, Copy)]
pub struct Beginning<'a> {
    /// Frames a second.
    pub rate: u32,
    /// Where its controls are.
    pub controls: Controls<'a>,
    /// What its draws begin from.
    pub seed: u64,
    /// The instrument of the project that it plays, if it plays one.
    pub instrument: Option<&'a InstrumentSettings>,
}

/// Where the controls of a generator are.
#[derive(Debug, Clone, Copy)]
pub struct Controls<'a> {
    /// Their values, in the order of its kind. Those that are one of some words stay as they were when it began.
    pub values: &'a [f32; MOST_CONTROLS],
    /// Its drawings as curves, in the order of its kind.
    pub drawings: &'a [Curve],
}

/// A generator at work.
pub trait Generator: Send + Sync + fmt::Debug {
    /// Begins anew. Allocates nothing.
    fn begin(&mut self, beginning: &Beginning<'_>);
    /// Makes the next samples of both sides, of equal length. One of one channel leaves the second side as it is. Controls that have moved are
    /// gone to without a step.
    fn fill(&mut self, controls: &Controls<'_>, left: &mut [f32], right: &mut [f32]);
    /// Goes on as if so many samples had been made. Takes no longer for many than for a second.
    fn skip(&mut self, controls: &Controls<'_>, count: usize);
    /// Whether nothing more comes of it.
    fn ended(&self) -> bool {
        false
    }
}

/// What can be drawn of a generator, besides its controls.
#[derive(Debug, Clone, Copy)]
pub struct Drawing {
    /// Its word.
    pub word: &'static str,
    /// What it says, in a few words.
    pub says: &'static str,
    /// What it is.
    pub form: Form,
    /// What it is when nothing is said, as it is written.
    pub rest: &'static [&'static str],
}

/// What a drawing is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// A way by places, in metres to the right and ahead of the ear: two curves over the places' numbers, 0, 1, 2 …
    Path,
    /// A share over a share: one curve.
    Curve,
    /// Steps in a row, each off, on or accented: one curve that holds 0, 1 or 2 over the steps' numbers.
    Steps,
    /// Notes in steps: a curve of what each step is, and one for each note that can begin with others ([`tune_curves`]).
    Tune,
}

impl Form {
    /// How many curves it comes to.
    #[must_use]
    pub const fn curves(self) -> usize {
        match self {
            Form::Path => 2,
            Form::Curve | Form::Steps => 1,
            Form::Tune => 1 + MOST_CHORD,
        }
    }
}

/// Settings to begin with.
#[derive(Debug, Clone, Copy)]
pub struct Preset {
    /// Its name.
    pub name: &'static str,
    /// What it is like.
    pub says: &'static str,
    /// Controls and drawings with their values, as they are written. Those of a drawing stand between semicolons.
    pub set: &'static [(&'static str, &'static str)],
}

/// A kind of generator.
pub struct GeneratorKind {
    /// Its word.
    pub word: &'static str,
    /// What it makes, in a few words.
    pub says: &'static str,
    /// Its controls. What is fixed stands from its beginning to its end; the others can be moved.
    pub settings: &'static [Setting],
    /// What can be drawn of it.
    pub drawings: &'static [Drawing],
    /// Settings to begin with.
    pub presets: &'static [Preset],
    /// Whether it makes two channels, by the values of its settings.
    pub stereo: fn(&[f32]) -> bool,
    /// Whether it ends by itself, by the values of its settings.
    pub ends: fn(&[f32]) -> bool,
    /// Makes one, which has yet to begin, for a rate.
    pub make: fn(u32) -> Box<dyn Generator>,
    /// Each needs so much memory that no more than so many are made, and only for programs that use them ([`Brought`]).
    pub most: Option<usize>,
    /// Whether one of such settings, on such an instrument, plays strings.
    pub strings: fn(&[f32], Option<&InstrumentSettings>) -> bool,
    /// Makes one that plays no strings, as `make` does, where those take most of its memory.
    pub stringless: Option<fn(u32) -> Box<dyn Generator>>,
}

impl GeneratorKind {
    /// What a kind is unless it says otherwise: of one channel, without drawings and presets, and it goes on until it is let go.
    const PLAIN: GeneratorKind = GeneratorKind {
        word: "",
        says: "",
        settings: &[],
        drawings: &[],
        presets: &[],
        stereo: |_| false,
        ends: |_| false,
        make: |_| unreachable!("every kind makes its own"),
        most: None,
        strings: |_, _| false,
        stringless: None,
    };

    /// Whether it plays an instrument, which can be one of the project's.
    #[must_use]
    pub fn plays(&self) -> bool {
        self.drawings.iter().any(|d| d.form == Form::Tune)
    }

    /// Where the curves of a drawing begin among all of its curves.
    #[must_use]
    pub fn first_curve(&self, drawing: usize) -> usize {
        self.drawings.iter().take(drawing).map(|d| d.form.curves()).sum()
    }
}

impl fmt::Debug for GeneratorKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.word)
    }
}

/// All kinds of generators.
pub const GENERATORS: &[GeneratorKind] =
    &[noise::NOISE, tone::TONE, wind::WIND, pass_by::PASS_BY, pulses::PULSES, crackle::CRACKLE, hum::HUM, modal::MODAL, blip::BLIP, notes::NOTES];

/// The place of a kind in [`GENERATORS`], by its word.
#[must_use]
pub fn generator(word: &str) -> Option<usize> {
    GENERATORS.iter().position(|kind| kind.word == word)
}

/// A control by its word: it is the same kind of value in all generators that have one of the word.
#[derive(Debug, Clone, Copy)]
pub struct ControlWord {
    /// The word.
    pub word: &'static str,
    /// The property that it is, for what is added to it.
    pub property: Property,
    /// Whether it stands from beginning to end.
    pub fixed: bool,
}

/// All controls of all generators, each word once, in the order of the table. Not for the audio thread: it is worked out when it is asked for first.
pub fn controls() -> &'static [ControlWord] {
    static ALL: LazyLock<Vec<ControlWord>> = LazyLock::new(|| {
        let mut all: Vec<ControlWord> = Vec::new();
        for setting in GENERATORS.iter().flat_map(|kind| kind.settings) {
            if all.iter().all(|c| c.word != setting.word) {
                let property = Property::Control(all.len() as u8, setting.unit, setting.by_octaves());
                all.push(ControlWord { word: setting.word, property, fixed: setting.fixed });
            }
        }
        all
    });
    &ALL
}

/// The word of a property, controls included.
#[must_use]
pub fn word_of(property: Property) -> &'static str {
    if let Property::Control(at, ..) = property { controls().get(usize::from(at)).map_or("control", |c| c.word) } else { property.word() }
}

/// The control of a word, if it can be moved.
#[must_use]
pub fn control(word: &str) -> Option<Property> {
    controls().iter().find(|c| c.word == word && !c.fixed).map(|c| c.property)
}

/// The values of a kind's settings when nothing is said.
#[must_use]
pub fn usual(kind: &GeneratorKind) -> [f32; MOST_CONTROLS] {
    let mut values = [0.0; MOST_CONTROLS];
    for (value, setting) in values.iter_mut().zip(kind.settings) {
        *value = setting.rest;
    }
    values
}

/// Amplitude factor of a level in dB.
fn gain_of(db: f32) -> f32 {
    (db * (std::f32::consts::LOG2_10 / 20.0)).exp2()
}

/// The factor that brings what has such an RMS to [`LOUDNESS`].
fn levelled(rms: f32) -> f32 {
    gain_of(LOUDNESS) / rms
}

/// Generators that wait to be used, made beforehand: as many of each kind.
#[derive(Debug)]
pub(crate) struct Pool {
    waiting: Vec<Vec<Box<dyn Generator>>>,
    /// How many are in use.
    used: Vec<usize>,
    of_each: usize,
}

/// Generators that a program brings along: of kinds of which none are made beforehand.
#[derive(Debug, Default)]
pub(crate) struct Brought(Vec<(usize, Vec<Box<dyn Generator>>)>);

impl Brought {
    /// Those that a program needs that uses such kinds. It allocates.
    pub(crate) fn of(kinds: impl Iterator<Item = usize>, rate: u32) -> Brought {
        let mut all: Vec<(usize, Vec<Box<dyn Generator>>)> = Vec::new();
        for kind in kinds {
            if let Some(most) = GENERATORS.get(kind).and_then(|k| k.most).filter(|_| all.iter().all(|(known, _)| *known != kind)) {
                all.push((kind, (0..most).map(|_| (GENERATORS[kind].make)(rate)).collect()));
            }
        }
        Brought(all)
    }

    /// Those of a program that is the only one: of all its kinds, so many of each; without strings if it has none.
    pub(crate) fn lean(kinds: impl Iterator<Item = usize>, of_each: usize, strings: bool, rate: u32) -> Brought {
        let mut all: Vec<(usize, Vec<Box<dyn Generator>>)> = Vec::new();
        for at in kinds {
            if let Some(kind) = GENERATORS.get(at).filter(|_| all.iter().all(|(known, _)| *known != at)) {
                let make = kind.stringless.filter(|_| !strings).unwrap_or(kind.make);
                all.push((at, (0..of_each.min(kind.most.unwrap_or(of_each))).map(|_| make(rate)).collect()));
            }
        }
        Brought(all)
    }
}

impl Pool {
    /// Without any: all come with the program ([`Brought::lean`]).
    pub(crate) fn empty(of_each: usize) -> Pool {
        Pool { waiting: GENERATORS.iter().map(|_| Vec::new()).collect(), used: vec![0; GENERATORS.len()], of_each }
    }

    /// Makes so many of each kind, for a rate.
    pub(crate) fn new(of_each: usize, rate: u32) -> Pool {
        let of = |kind: &GeneratorKind| if kind.most.is_some() { Vec::new() } else { (0..of_each).map(|_| (kind.make)(rate)).collect() };
        Pool { waiting: GENERATORS.iter().map(of).collect(), used: vec![0; GENERATORS.len()], of_each }
    }

    /// How many there are of each kind, those that are in use included.
    pub(crate) fn of_each(&self) -> usize {
        self.of_each
    }

    /// Takes in what a program brings, where there is none yet; the rest stays with it. Allocates nothing.
    pub(crate) fn take_in(&mut self, brought: &mut Brought) {
        for (kind, generators) in &mut brought.0 {
            if self.waiting[*kind].is_empty() && self.used[*kind] == 0 {
                std::mem::swap(&mut self.waiting[*kind], generators);
            }
        }
    }

    /// Takes one of a kind, by its place; `None` if all are in use.
    pub(crate) fn take(&mut self, kind: usize) -> Option<Box<dyn Generator>> {
        if *self.used.get(kind)? >= self.of_each {
            return None;
        }
        let taken = self.waiting[kind].pop()?;
        self.used[kind] += 1;
        Some(taken)
    }

    /// Gives one back.
    pub(crate) fn give_back(&mut self, kind: usize, generator: Box<dyn Generator>) {
        // There is room: it was taken from here.
        if let Some(waiting) = self.waiting.get_mut(kind) {
            waiting.push(generator);
            self.used[kind] -= 1;
        }
    }
}

#[cfg(test)]
mod tests;
