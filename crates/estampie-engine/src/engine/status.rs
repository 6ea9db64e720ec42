//! The status of everything as it is now and then, with the terms of every voice.

use crate::ground::index::{BusIndex, ByIndex, CellIndex, PieceIndex};
use crate::ground::ledger::Term;
use crate::ground::names::NameKey;
use crate::ground::vocabulary::Urgency;
use crate::music::Sequencer;
use crate::music::spec::When;

/// One voice in a [`Status`].
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct VoiceStatus {
    /// The voice.
    pub voice: u64,
    /// The sound that was asked for.
    pub sound: NameKey,
    /// The take.
    pub take: NameKey,
    /// Its emitter, or none.
    pub emitter: NameKey,
    /// The frame it started on.
    pub started: u64,
    /// The frame of its audio that is heard, within a block; of a chain, of the part that plays.
    pub at: u32,
    /// Level as heard, in dB: the sum of the level terms.
    pub heard_db: f32,
    /// The root mean square of its audio before its level, in dB below full scale, followed over about 100 ms.
    pub rms_db: f32,
    /// Where it is heard, if it is placed: degrees from where the listener looks (right above 0), metres, and how wide it is
    /// from 0 (a point) to 1 (all around).
    pub placement: Option<(f32, f32, f32)>,
    /// Whether it fades out.
    pub leaving: bool,
    /// Whether it is far below hearing and only kept in step.
    pub asleep: bool,
    /// Its terms are `terms[first..first + count]` of the status.
    pub first: u32,
    /// How many terms it has.
    pub count: u32,
}

/// One bus in a [`Status`].
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct BusStatus {
    /// Greatest sample since the last status, for left and right, as a factor of full scale, after the bus's level.
    pub peak: [f32; 2],
    /// Level in dB as it is now, modulation included.
    pub level_db: f32,
    /// What modulation adds to it, in dB.
    pub moved_db: f32,
    /// What snapshots make of what is set, in dB.
    pub held_db: f32,
    /// What ducks take, in dB.
    pub ducked_db: f32,
    /// What the player's level takes, in dB.
    pub player_db: f32,
    /// The root mean square of what leaves it, in dB below full scale, followed over about 300 ms.
    pub rms_db: f32,
    /// Whether it is muted.
    pub muted: bool,
    /// Whether it is soloed.
    pub soloed: bool,
}

/// One snapshot in a [`Status`].
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct SnapshotStatus {
    /// How much there is of it, from 0 to 1.
    pub share: f32,
    /// Whether any reason keeps it up.
    pub up: bool,
    /// Whether its share is set by hand.
    pub by_hand: bool,
}

/// One parameter in a [`Status`].
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct ParameterStatus {
    /// The value as set.
    pub value: f32,
    /// The value as it has been followed so far.
    pub smooth: f32,
}

/// A line in a [`Status`].
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct LineStatus {
    /// Who speaks.
    pub speaker: NameKey,
    /// The sound with the lines.
    pub sound: NameKey,
    /// When it was asked for; for the one that is being said, 0.
    pub asked: u64,
    /// Frames after which it is dropped.
    pub worth: u64,
    /// How soon it is to be said.
    pub urgency: Urgency,
    /// Whether it is being said.
    pub speaking: bool,
}

/// A reaction that remembers something, in a [`Status`].
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct ReactionStatus {
    /// Its index in the program.
    pub reaction: u32,
    /// It has acted and waits for its `once until`.
    pub spent: bool,
    /// Frames until its change will have lasted long enough; `None` if it does not hold.
    pub due: Option<u64>,
    /// How many calls it has counted.
    pub counted: u32,
}

/// Where an emitter is, in a [`Status`].
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct EmitterStatus {
    /// Which.
    pub emitter: NameKey,
    /// Its kind, or none.
    pub kind: NameKey,
    /// Whether the project has placed it, and the game has not taken it over.
    pub of_project: bool,
    /// Metres east, north, up.
    pub at: [f32; 3],
    /// Metres from the listener.
    pub metres: f32,
    /// Degrees clockwise from north.
    pub facing_degrees: f32,
}

/// A zone in a [`Status`].
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct ZoneStatus {
    /// Whether the listener is inside.
    pub inside: bool,
    /// How much there is of it, from 0 to 1.
    pub share: f32,
}

/// Where a piece is, in a [`Status`].
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct PieceStatus {
    /// Where it is and what it waits for; a copy tells what is to come.
    pub sequencer: Sequencer,
    /// dB by which another piece holds it down.
    pub held_db: f32,
    /// dB by which a stinger holds it down.
    pub ducked_db: f32,
    /// Semitones by which the notes that begin now are moved.
    pub transposition_semitones: f32,
}

/// How a layer stands, in a [`Status`].
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct LayerStatus {
    /// Whether it is in, or waits to be.
    pub on: bool,
    /// Its gain now, 0 to 1.
    pub gain: f32,
    /// Whether it waits for its moment.
    pub waits: bool,
}

/// A stinger that waits, in a [`Status`].
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct StingerStatus {
    /// Its index.
    pub stinger: u16,
    /// The piece whose clock it waits for, by index.
    pub piece: PieceIndex,
    /// The moment.
    pub on: When,
    /// When it was asked for.
    pub asked: u64,
}

/// The state of everything at one frame.
#[derive(Debug, Clone, Default, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Status {
    /// The frame.
    pub frame: u64,
    /// The program that the indices belong to.
    pub program: u64,
    /// By parameter.
    pub parameters: Vec<ParameterStatus>,
    /// By state: the index of its value.
    pub states: Vec<u16>,
    /// By bus.
    pub buses: ByIndex<BusIndex, BusStatus>,
    /// By value of the mix: what it is now, in its unit.
    pub cells: ByIndex<CellIndex, f32>,
    /// By snapshot.
    pub snapshots: Vec<SnapshotStatus>,
    /// By player level: from 0 to 10.
    pub player: Vec<f32>,
    /// Of each effect that turns down: by how much just now, in dB.
    pub reductions: Vec<(NameKey, f32)>,
    /// By modulation: what it comes to.
    pub modulations: Vec<f32>,
    /// All voices, in the order in which they started.
    pub voices: Vec<VoiceStatus>,
    /// The terms of all voices.
    pub terms: Vec<Term>,
    /// Lines that are said or wait.
    pub lines: Vec<LineStatus>,
    /// Reactions that remember something.
    pub reactions: Vec<ReactionStatus>,
    /// How many repeats are under way.
    pub playing_repeats: u32,
    /// Where emitters are.
    pub emitters: Vec<EmitterStatus>,
    /// By zone and shelter.
    pub zones: Vec<ZoneStatus>,
    /// By doorway: how open it is, 0 to 1.
    pub open: Vec<f32>,
    /// By return that rooms send to: what placed sounds send there, as a gain.
    pub rooms: Vec<f32>,
    /// By piece.
    pub pieces: ByIndex<PieceIndex, PieceStatus>,
    /// By layer.
    pub layers: Vec<LayerStatus>,
    /// By switch of layers: whether it is in.
    pub switches: Vec<bool>,
    /// By playlist: whether it is on, and its piece.
    pub playlists: Vec<(bool, Option<PieceIndex>)>,
    /// Stingers that wait.
    pub stingers: Vec<StingerStatus>,
    /// The greatest sample of the output since the last status, after the ceiling.
    pub peak: [f32; 2],
    /// What the ceiling took away at most since the last status, in dB (0 or less).
    pub ceiling_db: f32,
    /// Happenings lost because nobody took them.
    pub lost: u64,
}

impl Status {
    /// A status with room for a program's things.
    #[must_use]
    pub fn with_room(parameters: usize, states: usize, buses: usize, modulations: usize, voices: usize, terms: usize) -> Status {
        Status {
            parameters: Vec::with_capacity(parameters),
            states: Vec::with_capacity(states),
            buses: Vec::with_capacity(buses).into(),
            cells: Vec::with_capacity(8192).into(),
            snapshots: Vec::with_capacity(256),
            player: Vec::with_capacity(64),
            reductions: Vec::with_capacity(1024),
            modulations: Vec::with_capacity(modulations),
            voices: Vec::with_capacity(voices),
            terms: Vec::with_capacity(terms),
            lines: Vec::with_capacity(64),
            reactions: Vec::with_capacity(256),
            emitters: Vec::with_capacity(1024),
            zones: Vec::with_capacity(512),
            open: Vec::with_capacity(128),
            rooms: Vec::with_capacity(8),
            pieces: Vec::with_capacity(32).into(),
            layers: Vec::with_capacity(512),
            switches: Vec::with_capacity(256),
            playlists: Vec::with_capacity(32),
            stingers: Vec::with_capacity(64),
            ..Status::default()
        }
    }

    /// The terms of a voice.
    #[must_use]
    pub fn terms_of(&self, voice: &VoiceStatus) -> &[Term] {
        self.terms.get(voice.first as usize..(voice.first + voice.count) as usize).unwrap_or_default()
    }
}
