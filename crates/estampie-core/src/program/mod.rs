//! The compiled project: dense, immutable, all names resolved to indices.
//!
//! [`compile`] makes a [`Program`] from a document and its audio. The engine only reads it; an edit makes a new one.

mod compile;

pub use compile::{compile, wanted_audio};

use crate::assets::Clip;
use crate::document::{Curve, Property, WhenFull};
use crate::language::Comparison;
use crate::names::{NameKey, Names};
use std::sync::Arc;

/// How deep sounds may be takes of sounds.
pub const MOST_NESTED: usize = 8;

/// Finds the index of a thing by its key.
#[derive(Debug, Clone, Default)]
pub struct Lookup(Vec<(NameKey, u32)>);

impl Lookup {
    /// A lookup of keys in the order of their indices; the first of equal keys counts.
    #[must_use]
    pub fn new(keys: impl IntoIterator<Item = NameKey>) -> Lookup {
        let mut pairs: Vec<_> = keys.into_iter().zip(0u32..).collect();
        pairs.sort();
        pairs.dedup_by_key(|(key, _)| *key);
        Lookup(pairs)
    }

    /// The index of `key`.
    #[must_use]
    pub fn get(&self, key: NameKey) -> Option<usize> {
        self.0.binary_search_by_key(&key, |(k, _)| *k).ok().map(|at| self.0[at].1 as usize)
    }
}

/// A number from the game.
#[derive(Debug, Clone)]
pub struct Parameter {
    /// Its name's key.
    pub key: NameKey,
    /// The least value.
    pub low: f32,
    /// The greatest value.
    pub high: f32,
    /// The value before the game says anything.
    pub rest: f32,
    /// Share of the way upwards followed in a block.
    pub rise: f32,
    /// Share of the way downwards followed in a block.
    pub fall: f32,
    /// Reactions that watch it.
    pub reactions: Vec<u32>,
}

/// A named value from the game.
#[derive(Debug, Clone)]
pub struct State {
    /// Its name's key.
    pub key: NameKey,
    /// The keys of its values.
    pub values: Vec<NameKey>,
    /// The value at the start.
    pub start: u16,
    /// The game's names for the values, sorted by key.
    pub dictionary: Vec<(NameKey, u16)>,
    /// Reactions that watch it.
    pub reactions: Vec<u32>,
}

impl State {
    /// The index of a value by our name or the game's.
    #[must_use]
    pub fn value(&self, key: NameKey) -> Option<u16> {
        let ours = self.values.iter().position(|v| *v == key).map(|v| v as u16);
        ours.or_else(|| self.dictionary.binary_search_by_key(&key, |(k, _)| *k).ok().map(|at| self.dictionary[at].1))
    }
}

/// A moment from the game.
#[derive(Debug, Clone)]
pub struct Event {
    /// Its name's key.
    pub key: NameKey,
    /// The reactions to it, in order.
    pub reactions: Vec<u32>,
}

/// One part of what a voice plays.
#[derive(Debug)]
pub struct Part {
    /// The audio.
    pub clip: Arc<Clip>,
    /// First frame of the round and the one after its last, if it goes round.
    pub round: Option<(usize, usize)>,
}

/// What one voice plays: parts one after another without a gap.
#[derive(Debug)]
pub struct Recipe {
    /// The key of the take's name.
    pub name: NameKey,
    /// The parts; at least one, none of them empty.
    pub parts: Vec<Part>,
    /// Whether any part has two channels.
    pub stereo: bool,
}

/// One variation.
#[derive(Debug, Clone)]
pub enum Take {
    /// Audio.
    Recipe(Arc<Recipe>),
    /// Another sound, by index.
    Sound(u32),
}

/// Takes of which one is picked by shuffling.
#[derive(Debug, Clone)]
pub struct Group {
    /// The takes.
    pub takes: Vec<Take>,
    /// How many of the last picked are not picked again; less than there are takes.
    pub not_last: usize,
}

/// How the group is chosen.
#[derive(Debug, Clone)]
pub enum Choice {
    /// There is one group.
    Only,
    /// By a state: the group for each of its values.
    ByState {
        /// The state's index.
        state: usize,
        /// Index of the group for each value; `None` if no take is for it.
        groups: Vec<Option<u16>>,
    },
}

/// A sound.
#[derive(Debug, Clone)]
pub struct Sound {
    /// Its name's key.
    pub key: NameKey,
    /// The bus it asks for.
    pub bus: Option<u32>,
    /// Level in dB.
    pub level: f32,
    /// Pitch in semitones.
    pub pitch: f32,
    /// Cutoff in octaves from the open low-pass (0 or less).
    pub low_pass: f32,
    /// Ends of the level drawn each time, in dB.
    pub vary_level: (f32, f32),
    /// Ends of the pitch drawn each time, in semitones.
    pub vary_pitch: (f32, f32),
    /// Fade at the start, in frames.
    pub fade_in: u64,
    /// Fade when stopped, in frames.
    pub fade_out: u64,
    /// The most voices of one emitter.
    pub each: u32,
    /// The most voices in all.
    pub all: u32,
    /// Who yields.
    pub when_full: WhenFull,
    /// The groups of takes; empty if there is nothing to play.
    pub groups: Vec<Group>,
    /// How the group is chosen.
    pub choice: Choice,
    /// Modulations of this sound.
    pub modulations: Vec<u32>,
    /// Whether some of its audio has yet to be loaded.
    pub loading: bool,
}

/// A bus. Buses come after the one they run into.
#[derive(Debug, Clone)]
pub struct Bus {
    /// Its name's key.
    pub key: NameKey,
    /// The bus it runs into; the root into itself.
    pub into: u32,
    /// Level in dB; minus infinity is silence.
    pub level: f32,
    /// Modulations of its level.
    pub modulations: Vec<u32>,
    /// How many buses lie between it and the root.
    pub depth: u32,
}

/// What a modulation moves.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Target {
    /// A sound, by index.
    Sound(u32),
    /// A bus, by index.
    Bus(u32),
}

/// Parameter, curve, property.
#[derive(Debug, Clone)]
pub struct Modulation {
    /// A key of the whole.
    pub key: NameKey,
    /// The parameter's index.
    pub parameter: usize,
    /// What the parameter comes to.
    pub curve: Curve,
    /// What is moved.
    pub property: Property,
    /// Of what.
    pub target: Target,
    /// Share of the way followed in a block.
    pub smooth: f32,
}

/// A test of a parameter's or state's value.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Test {
    /// A parameter compared with a number.
    Compare(usize, Comparison, f32),
    /// A parameter equal (or not) to a number.
    Equals(usize, f32, bool),
    /// A state equal (or not) to a value.
    State(usize, u16, bool),
}

/// What calls a reaction.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Trigger {
    /// An event, by index.
    Event(u32),
    /// A test that comes to hold.
    Becomes(Test),
}

/// At which emitter.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum At {
    /// Whichever: for `stop` and `finish`, all.
    Any,
    /// The one that the event came from.
    Sender,
    /// A named one.
    Named(NameKey),
}

/// What a reaction does.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Action {
    /// Plays a sound with a chance from 0 to 1.
    Play {
        /// The sound's index.
        sound: u32,
        /// Where.
        at: At,
        /// 1 is always.
        chance: f32,
    },
    /// Fades voices of a sound out.
    Stop {
        /// The sound's index.
        sound: u32,
        /// Whose.
        at: At,
        /// Frames of the fade; as the sound says if `None`.
        frames: Option<u64>,
    },
    /// Lets loops complete their round.
    Finish {
        /// The sound's index.
        sound: u32,
        /// Whose.
        at: At,
    },
    /// Sets a parameter.
    SetParameter(usize, f32),
    /// Sets a state.
    SetState(usize, u16),
    /// Sends an event.
    Send(u32, At),
}

/// A reaction.
#[derive(Debug, Clone)]
pub struct Reaction {
    /// A key of its sentence.
    pub key: NameKey,
    /// What calls it.
    pub trigger: Trigger,
    /// What must hold besides.
    pub conditions: Vec<Test>,
    /// Whether it holds only if none before it did.
    pub otherwise: bool,
    /// What it does, in order.
    pub actions: Vec<Action>,
}

/// The compiled project.
#[derive(Debug, Clone, Default)]
pub struct Program {
    /// A number that no other program of this process has.
    pub id: u64,
    /// Frames a second.
    pub rate: u32,
    /// The most voices at once.
    pub voices: usize,
    /// What no sample exceeds, as a factor of full scale.
    pub ceiling: f32,
    /// Parameters.
    pub parameters: Vec<Parameter>,
    /// States.
    pub states: Vec<State>,
    /// Events.
    pub events: Vec<Event>,
    /// Sounds.
    pub sounds: Vec<Sound>,
    /// Buses; the first is the root.
    pub buses: Vec<Bus>,
    /// Modulations.
    pub modulations: Vec<Modulation>,
    /// Reactions, in order.
    pub reactions: Vec<Reaction>,
    /// Indices of parameters by key.
    pub find_parameter: Lookup,
    /// Indices of states by key.
    pub find_state: Lookup,
    /// Indices of events by key.
    pub find_event: Lookup,
    /// Indices of sounds by key.
    pub find_sound: Lookup,
    /// Indices of buses by key.
    pub find_bus: Lookup,
    /// Indices of modulations by key.
    pub find_modulation: Lookup,
    /// Indices of reactions by key.
    pub find_reaction: Lookup,
    /// The names of all keys above.
    pub names: Names,
}
