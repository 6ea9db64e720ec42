//! What reactions do, compiled: which action, and what is said of it, slot by slot.

use crate::ground::curve::Shape;
use crate::ground::index::{EventIndex, PieceIndex, SectionIndex, SnapshotIndex, SoundIndex};
use crate::ground::names::NameKey;
use crate::ground::property::Property;
use crate::ground::vocabulary::Urgency;
use crate::music::spec::When;

/// At which emitter.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum At {
    /// Whichever: for what acts on sounds that are heard, all of them.
    Any,
    /// The one that the event came from.
    Sender,
    /// A named one (the listener's name is `listener`).
    Named(NameKey),
}

/// What is said in one slot of an action.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Filled {
    /// It is left unsaid.
    #[default]
    Nothing,
    /// A sound, by index.
    Sound(SoundIndex),
    /// An emitter.
    At(At),
    /// How soon a line is said.
    Urgency(Urgency),
    /// A time in frames.
    Frames(u64),
    /// A property of sounds.
    Property(Property),
    /// A number: the value of a property in its unit, of a parameter in its own, or an amount.
    Value(f32),
    /// The curve of a way.
    Shape(Shape),
    /// It is let go at the end.
    LetGo,
    /// An event, by index.
    Event(EventIndex),
    /// A parameter, by index.
    Parameter(usize),
    /// A state, by index.
    State(usize),
    /// A value of a state, by its place among the state's values.
    StateValue(u16),
    /// A piece, by index.
    Piece(PieceIndex),
    /// A playlist, by index.
    Playlist(u16),
    /// A section of the piece, or silence if `None`.
    Section(Option<SectionIndex>),
    /// A musical moment.
    When(When),
    /// A stinger, by index.
    Stinger(u16),
    /// Layers, by their switch.
    Layers(u32),
    /// A snapshot, by index.
    Snapshot(SnapshotIndex),
}

impl Filled {
    /// The time, if one is said.
    #[must_use]
    pub fn frames(self) -> Option<u64> {
        if let Filled::Frames(frames) = self { Some(frames) } else { None }
    }

    /// The moment, if one is said.
    #[must_use]
    pub fn when(self) -> Option<When> {
        if let Filled::When(when) = self { Some(when) } else { None }
    }
}

/// The most slots that an action has.
pub const MOST_SLOTS: usize = 7;

/// What a reaction does.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Action {
    /// Its place among [`ACTIONS`](crate::director::actions::ACTIONS).
    pub kind: u8,
    /// What is said of it, in the order of its slots.
    pub slots: [Filled; MOST_SLOTS],
}

/// An action with what is said of it besides.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Act {
    /// What is done.
    pub action: Action,
    /// From 0 to 1, drawn each time; 1 is always.
    pub chance: f32,
    /// Frames it waits.
    pub after: u64,
}
