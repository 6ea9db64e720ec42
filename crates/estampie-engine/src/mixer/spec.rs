//! The compiled mix: buses with effects and sends, the values that can be moved and held, snapshots, ducks, player levels.

use crate::dsp::effects::{Impulse, MOST_SETTINGS};
use crate::dsp::generators::{GENERATORS, MOST_CONTROLS};
use crate::dsp::instrument::InstrumentSettings;
use crate::ground::clip::Clip;
use crate::ground::curve::{Curve, Shape};
use crate::ground::index::{BusIndex, ByIndex, CellIndex, SnapshotIndex, SoundIndex};
use crate::ground::lookup::Lookup;
use crate::ground::names::NameKey;
use crate::ground::property::Property;
use crate::ground::random::Draw;
use crate::ground::test::Test;
use crate::ground::vocabulary::Rounds;
use std::sync::Arc;

/// A bus. Buses come after the one they run into.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Bus {
    /// Its name's key.
    pub key: NameKey,
    /// The bus it runs into; the root into itself.
    pub into: BusIndex,
    /// Level in dB; minus infinity is silence.
    pub level_db: f32,
    /// Modulations of its level.
    pub modulations: Vec<u32>,
    /// How many buses lie between it and the root.
    pub depth: u32,
    /// Whether it is a return.
    pub returns: bool,
    /// The cells of its level, low-pass, high-pass and pan.
    pub cells: [CellIndex; 4],
    /// Its effects, in order.
    pub effects: Vec<BusEffect>,
    /// What it sends to returns.
    pub sends: Vec<Send>,
    /// Frames by which voices on it are held back, so that they agree with what comes through effects that look ahead.
    pub voice_delay: u32,
    /// Frames by which what leaves it is held back, for the same reason.
    pub into_delay: u32,
    /// Whether an effect elsewhere listens to it.
    pub listened: bool,
}

/// An effect on a bus.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct BusEffect {
    /// The key of bus and effect.
    pub key: NameKey,
    /// Its kind's place in the list of kinds.
    pub kind: usize,
    /// Its first setting's cell; the others follow, then its wetness.
    pub first: CellIndex,
    /// The values of all settings, for making it.
    pub values: [f32; MOST_SETTINGS],
    /// What is fixed, in one number: when it differs the effect is made anew.
    pub fixed: u64,
    /// The impulse response.
    pub impulse: Option<Arc<Impulse>>,
    /// The bus whose level counts.
    pub listens: Option<BusIndex>,
    /// Whether it is left out.
    pub off: bool,
    /// Frames by which it is late.
    pub latency: u32,
}

/// A send from a bus to a return.
#[derive(Debug, Clone, Copy)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Send {
    /// The return.
    pub to: BusIndex,
    /// Whether it leaves pre-fader.
    pub before: bool,
    /// The cell of its level.
    pub cell: CellIndex,
    /// Frames by which it is held back.
    pub delay: u32,
}

/// What a sound sends to a return, after its level.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct SoundSend {
    /// The return.
    pub to: BusIndex,
    /// The cell of its level.
    pub cell: CellIndex,
}

/// A value of the mix that can be set, moved by the game and held by snapshots.
///
/// Its scale is that in which it moves evenly: decibels, octaves, or its own unit.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Cell {
    /// The key of its whole name, as `bus music level`.
    pub key: NameKey,
    /// What it is.
    pub property: Property,
    /// What it is set to, in its scale.
    pub rest: f32,
    /// The ends, in its scale.
    pub ends: (f32, f32),
    /// Whether the scale is the logarithm (base 2) of the unit.
    pub by_octaves: bool,
    /// The modulation whose curve gives the value itself, for settings of effects.
    pub given: Option<u32>,
    /// Modulations that add to it.
    pub modulations: Vec<u32>,
    /// Snapshots that hold it, those that lie over others last.
    pub holds: Vec<SnapshotHold>,
}

impl Cell {
    /// A value in its unit, in its scale.
    #[must_use]
    pub fn scaled(&self, value: f32) -> f32 {
        if self.by_octaves { value.max(1e-6).log2() } else { value }
    }

    /// A value in its scale, in its unit.
    #[must_use]
    pub fn unscaled(&self, value: f32) -> f32 {
        if self.by_octaves { value.exp2() } else { value }
    }
}

/// What a snapshot does to a value.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct SnapshotHold {
    /// The snapshot.
    pub snapshot: SnapshotIndex,
    /// Added instead of taken.
    pub by: bool,
    /// How much, in the value's scale; minus infinity is silence.
    pub value: f32,
}

impl SnapshotHold {
    /// What is left of `under` when there is `share` (0 to 1) of the snapshot over it.
    ///
    /// An offset is added in proportion; a value takes the place in proportion; silence fades the gain out evenly.
    #[must_use]
    pub fn over(&self, under: f32, share: f32) -> f32 {
        if share <= 0.0 {
            under
        } else if self.by {
            under + self.value * share
        } else if self.value == f32::NEG_INFINITY {
            under + 20.0 * (1.0 - share).max(0.0).log10()
        } else {
            under.max(-120_000.0) + (self.value - under.max(-120_000.0)) * share
        }
    }
}

/// A snapshot.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Snapshot {
    /// Its name's key.
    pub key: NameKey,
    /// Frames and curve of its rise.
    pub rise: (u64, Shape),
    /// Frames and curve of its fall.
    pub fall: (u64, Shape),
    /// How it lies over others.
    pub order: i64,
    /// How much of it there is at most.
    pub amount: f32,
    /// The modulations of its amount.
    pub modulations: Vec<u32>,
    /// While all hold it is up; empty if it is up by other reasons only.
    pub during: Vec<Test>,
}

/// What a duck listens to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum DuckKey {
    /// A bus.
    Bus(BusIndex),
    /// A sound.
    Sound(SoundIndex),
}

/// One thing holds a bus down.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Duck {
    /// A key of the whole.
    pub key: NameKey,
    /// What is listened to.
    pub listens: DuckKey,
    /// The name of that.
    pub of: NameKey,
    /// The bus that is ducked.
    pub bus: BusIndex,
    /// By so many dB (0 or less).
    pub by_db: f32,
    /// While the key's amplitude is over this factor.
    pub over_gain: f32,
    /// Frames and curve of the way down.
    pub attack: (u64, Shape),
    /// Frames that it stays.
    pub hold: u64,
    /// Frames and curve of the way back.
    pub release: (u64, Shape),
}

/// A level that the player sets.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct PlayerLevel {
    /// Its name's key.
    pub key: NameKey,
    /// The bus.
    pub bus: BusIndex,
}

/// The greatest player level.
pub const FULL_PLAYER_LEVEL: f32 = 10.0;

/// A player level as it counts: clamped, in steps of a tenth; what is no number is the whole.
#[must_use]
pub fn player_level(value: f32) -> f32 {
    if value.is_finite() { (value.clamp(0.0, FULL_PLAYER_LEVEL) * 10.0).round() / 10.0 } else { FULL_PLAYER_LEVEL }
}

/// The level in dB of a player level from 0 to 10: 0 dB at 10, silence at 0.
///
/// Even to the ear: half the number is half as loud. Loudness grows with the 0.3rd power of intensity (S. Stevens, *The
/// Measurement of Loudness*, J. Acoust. Soc. Am. 27 (1955)), so that a tenth of the scale is −33 dB.
#[must_use]
pub fn player_level_db(level: f32) -> f32 {
    if level <= 0.0 { f32::NEG_INFINITY } else { 10.0 / 0.3 * (level.min(FULL_PLAYER_LEVEL) / FULL_PLAYER_LEVEL).log10() }
}

/// All of the mix.
#[derive(Debug, Clone, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Mix {
    /// Buses; the first is the root.
    pub buses: ByIndex<BusIndex, Bus>,
    /// Indices of buses by key.
    pub find_bus: Lookup<BusIndex>,
    /// The order in which buses are worked out: each before those it feeds.
    pub order: Vec<BusIndex>,
    /// All values.
    pub cells: ByIndex<CellIndex, Cell>,
    /// Indices of values by key.
    pub find_cell: Lookup<CellIndex>,
    /// Snapshots.
    pub snapshots: ByIndex<SnapshotIndex, Snapshot>,
    /// Indices of snapshots by key.
    pub find_snapshot: Lookup<SnapshotIndex>,
    /// What holds buses down.
    pub ducks: Vec<Duck>,
    /// Levels that the player sets.
    pub player_levels: Vec<PlayerLevel>,
    /// Whether any effect asks for the tempo of the music.
    pub wants_tempo: bool,
    /// The cell of the level of each group of sounds.
    pub groups: Vec<CellIndex>,
    /// Generators.
    pub generators: Vec<GeneratorSpec>,
    /// Indices of generators by key.
    pub find_generator: Lookup,
}

impl Mix {
    /// The place of a generator of such a name and kind.
    #[must_use]
    pub fn generator(&self, key: NameKey, kind: usize) -> Option<usize> {
        self.find_generator.get(key).filter(|at| self.generators[*at].kind == kind)
    }
}

/// One part of what a voice plays.
#[derive(Debug)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Part {
    /// The audio; one is drawn each time. With each, the first frame of its round and the one after its last.
    pub clips: Vec<(Arc<Clip>, (usize, usize))>,
    /// How often the round is played.
    pub rounds: Rounds,
    /// Frames of silence before the next part.
    pub gap: usize,
    /// Frames before its end at which the next part begins.
    pub overlap: usize,
    /// Frames after its end in which its last sample sinks, if it is the last part: a section's exact length is no whole
    /// number of frames, and a recording that ends a frame early would leave a hole.
    pub held: usize,
}

/// What one voice plays: parts one after another, to the sample.
#[derive(Debug)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Recipe {
    /// The key of the take's name.
    pub name: NameKey,
    /// The parts; at least one, none of them empty, unless it is made.
    pub parts: Vec<Part>,
    /// What makes it instead of parts.
    pub made: Option<Made>,
    /// Whether any part has two channels.
    pub stereo: bool,
}

/// What a generator makes.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Made {
    /// The key of the generator's name.
    pub key: NameKey,
    /// Its kind, as a place in [`GENERATORS`](crate::dsp::generators::GENERATORS).
    pub kind: usize,
    /// The values of its settings, as they are set.
    pub values: [f32; MOST_CONTROLS],
    /// Its drawings, as curves in the order of its kind.
    pub drawings: Vec<Curve>,
    /// The instrument of the project that it plays, if it plays one.
    pub instrument: Option<InstrumentSettings>,
    /// It ends after so many frames; `None` if it goes on until it is let go, or ends by itself.
    pub frames: Option<u64>,
}

impl Made {
    /// Whether it plays strings.
    #[must_use]
    pub fn strings(&self) -> bool {
        GENERATORS.get(self.kind).is_some_and(|kind| (kind.strings)(&self.values, self.instrument.as_ref()))
    }

    /// Whether it goes on until it is let go.
    #[must_use]
    pub fn endless(&self) -> bool {
        self.frames.is_none() && GENERATORS.get(self.kind).is_none_or(|kind| !(kind.ends)(&self.values))
    }
}

/// A generator of the project: where its controls are, and what each voice adds to them.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct GeneratorSpec {
    /// The key of its name.
    pub key: NameKey,
    /// Its kind, as a place in [`GENERATORS`](crate::dsp::generators::GENERATORS).
    pub kind: usize,
    /// The cell of its first control; the others follow.
    pub first: CellIndex,
    /// Its controls, as properties.
    pub controls: Vec<Property>,
    /// What each voice draws for some of them, in the cell's scale.
    pub vary: Vec<(u8, Draw)>,
    /// Modulations by parameters of which every emitter has its own; each gives the value itself.
    pub local: Vec<(u8, u32)>,
}

/// How deep sounds may be takes of sounds.
pub const MOST_NESTED: usize = 8;

/// Frames in which a held sample sinks to nothing.
pub const DECLINE: usize = 96;
