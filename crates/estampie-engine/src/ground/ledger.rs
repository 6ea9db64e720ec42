//! The ledger: contributions to a level, a pitch or a cutoff, of which each is kept by itself and all add up.

use super::names::NameKey;
use super::property::Property;

/// One contribution to a level (dB), a pitch (semitones) or a cutoff (octaves).
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Term {
    /// To what it contributes.
    pub property: Property,
    /// What kind of contribution it is.
    pub kind: TermKind,
    /// Whose: the sound's, parameter's or bus's key.
    pub of: NameKey,
    /// How much.
    pub value: f32,
}

/// Kinds of contributions.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum TermKind {
    /// The level of the audio itself just now (measured).
    Recorded,
    /// What the sound is set to.
    Set,
    /// What was drawn for this voice.
    Varied,
    /// What the take itself is set to.
    Take,
    /// What a cross-fade leaves of it.
    Across,
    /// What distance does.
    Distance,
    /// How far the emitter is turned away.
    Cone,
    /// How the emitter and the listener move.
    Doppler,
    /// What the listener's zone lets in of outside.
    Outside,
    /// What the emitter's zone lets out.
    Inside,
    /// What a shelter takes.
    Shelter,
    /// What a doorway takes.
    Doorway,
    /// What walls take.
    Wall,
    /// How much there is of the zone that it belongs to.
    Depth,
    /// What a sweep has done so far.
    Swept,
    /// The sound is muted, or another is heard alone.
    GatedSound,
    /// What a parameter's curve comes to.
    Moved,
    /// What the low-pass takes away just now (measured).
    Filtered,
    /// A fade in or out.
    Fading,
    /// The level of the piece that it belongs to.
    Piece,
    /// Its layer fades, or is out.
    Layer,
    /// Another piece holds it down.
    DuckedByPiece,
    /// A stinger holds it down.
    Ducked,
    /// The level of a bus.
    Bus,
    /// A snapshot over it.
    Snapshot,
    /// Something holds the bus down.
    DuckedBus,
    /// The player's level.
    Player,
    /// The level of its group of sounds.
    Group,
    /// A bus is muted or another is soloed.
    Gated,
    /// The soft start of the rehearsal.
    SoftStart,
    /// The guard at the ceiling.
    Ceiling,
}
