//! What goes into the engine.

use super::state::Prepared;
use crate::names::NameKey;

/// A frame that is always past: the input is for now, that is, the start of the next block.
pub const NOW: u64 = 0;

/// One thing that the game says, with the frame at which it says it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Input {
    /// The frame; one that is past means the start of the next block.
    pub frame: u64,
    /// What is said.
    pub what: InputKind,
}

/// What the game, or whoever plays it, can say.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum InputKind {
    /// A moment, perhaps of an emitter.
    Event {
        /// Its name.
        event: NameKey,
        /// The emitter, or none.
        emitter: NameKey,
    },
    /// A number.
    Parameter {
        /// Its name.
        parameter: NameKey,
        /// The value in its unit; what is out of range is clamped and said.
        value: f32,
    },
    /// A number that moves in a straight line.
    Glide {
        /// Its name.
        parameter: NameKey,
        /// Where it begins; where it is if `None`.
        from: Option<f32>,
        /// Where it ends.
        to: f32,
        /// How many frames it takes.
        frames: u64,
    },
    /// A named value, by our name or the game's.
    State {
        /// Its name.
        state: NameKey,
        /// The value's name.
        value: NameKey,
    },
    /// A sound by itself, without a reaction: to hear it.
    Play {
        /// Its name.
        sound: NameKey,
        /// The emitter, or none.
        emitter: NameKey,
    },
    /// All voices of a sound fade as the sound says.
    Stop {
        /// Its name.
        sound: NameKey,
    },
    /// Everything fades out over so many frames.
    StopAll {
        /// Frames of the fade.
        frames: u64,
    },
    /// Rehearsal only: a bus is silent, or no longer.
    Mute {
        /// The bus.
        bus: NameKey,
        /// Whether.
        on: bool,
    },
    /// Rehearsal only: of all buses only those so marked are heard.
    Solo {
        /// The bus.
        bus: NameKey,
        /// Whether.
        on: bool,
    },
}

/// What crosses to the engine.
#[derive(Debug)]
pub enum Message {
    /// An input.
    Input(Input),
    /// A new program with its memory; it takes effect at the next block.
    Program(Box<Prepared>),
}
