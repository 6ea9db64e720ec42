//! What comes out of the engine besides sound: happenings in order, and now and then the status of everything.

use crate::ground::names::{NameKey, Names};
use crate::ground::property::PerProperty;
use crate::ground::property::Property;
use crate::ground::vocabulary::{Answer, Arrival};

/// Something that happened, on its frame.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Happening {
    /// The frame.
    pub frame: u64,
    /// What.
    pub what: What,
}

/// Kinds of happenings.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum What {
    /// An event arrived, from the game or by a reaction.
    Event {
        /// The event.
        event: NameKey,
        /// Its emitter, or none.
        emitter: NameKey,
        /// The reaction that sent it, or none: the game did.
        by: NameKey,
    },
    /// A parameter was set.
    Parameter {
        /// The parameter.
        parameter: NameKey,
        /// Its value.
        value: f32,
        /// Whose it is, if every emitter has its own.
        emitter: NameKey,
        /// The reaction that set it, or none.
        by: NameKey,
    },
    /// The listener or an emitter is placed.
    Place {
        /// Which.
        emitter: NameKey,
        /// Its kind, or none: as before.
        kind: NameKey,
        /// Metres east, north, up.
        at: [f32; 3],
        /// Degrees clockwise from north, if said.
        facing: Option<f32>,
        /// For how many frames it is on its way.
        frames: u64,
    },
    /// The listener or an emitter goes somewhere at a steady speed.
    Walk {
        /// Which.
        emitter: NameKey,
        /// Metres east, north, up.
        to: [f32; 3],
        /// Metres in a second.
        speed: f32,
    },
    /// An emitter is gone.
    Remove {
        /// Which.
        emitter: NameKey,
    },
    /// Playings were stopped or are to finish; none of them means that the sound did not sound.
    LetGo {
        /// The sound.
        sound: NameKey,
        /// How many.
        count: u32,
        /// Whether they finish their round.
        finish: bool,
        /// The reaction.
        by: NameKey,
    },
    /// A running sound is swept.
    Sweep {
        /// The sound.
        sound: NameKey,
        /// What moves.
        property: Property,
        /// Where to.
        to: f32,
        /// For how many frames.
        frames: u64,
        /// How many voices.
        count: u32,
        /// The reaction.
        by: NameKey,
    },
    /// A line waits to be said.
    Line {
        /// The sound with the lines.
        sound: NameKey,
        /// How many wait before it.
        before: u32,
        /// The reaction.
        by: NameKey,
    },
    /// A parameter began to glide.
    Glide {
        /// The parameter.
        parameter: NameKey,
        /// From.
        from: f32,
        /// To.
        to: f32,
        /// For how many frames.
        frames: u64,
    },
    /// A state took a value.
    State {
        /// The state.
        state: NameKey,
        /// Its value.
        value: NameKey,
        /// The value before.
        before: NameKey,
        /// The reaction that set it, or none.
        by: NameKey,
    },
    /// A reaction held and acts.
    Reaction {
        /// The reaction.
        reaction: NameKey,
    },
    /// A chance was drawn and the action goes on.
    Chance {
        /// The sound.
        sound: NameKey,
        /// What was drawn, 0 to 1.
        drawn: f32,
        /// It had to be below this.
        needed: f32,
    },
    /// A voice starts, on this very frame.
    VoiceStart {
        /// The voice.
        voice: u64,
        /// The sound that was asked for.
        sound: NameKey,
        /// The sound whose take it is: that one, or one that it led to.
        leaf: NameKey,
        /// The take that was picked.
        take: NameKey,
        /// Its emitter, or none.
        emitter: NameKey,
        /// Where that is: metres east, north and up; none of one that is nowhere.
        at: Option<[f32; 3]>,
        /// Level of the sound with what was drawn, in dB.
        level: f32,
        /// Pitch of the sound with what was drawn, in semitones.
        pitch: f32,
        /// What was drawn for the leaf.
        drawn: Draws,
        /// The reaction that played it, or none.
        by: NameKey,
    },
    /// An instrument plays a note, on this very frame.
    Note {
        /// The layer that it is of, with piece and section.
        layer: NameKey,
        /// Its pitch in MIDI semitones as it begins, with what moves and bends it.
        pitch: f32,
        /// How hard it is struck, 1 to 127.
        velocity: u8,
        /// For how many frames it is held.
        length: u64,
    },
    /// A voice has ended.
    VoiceEnd {
        /// The voice.
        voice: u64,
        /// Its sound.
        sound: NameKey,
        /// Why.
        cause: Cause,
    },
    /// Something asked for does not sound.
    Refused {
        /// The sound.
        sound: NameKey,
        /// Its emitter, or none.
        emitter: NameKey,
        /// Why.
        reason: Reason,
        /// The reaction that asked for it, or none.
        by: NameKey,
    },
    /// A piece was asked to go somewhere, and this was answered.
    Asked {
        /// The piece.
        piece: NameKey,
        /// The section asked for; none is silence.
        to: NameKey,
        /// What was answered.
        answer: Answer,
        /// What waited before, if it is replaced or given up.
        before: NameKey,
        /// The frame on which it will leave, if that is known.
        leaves: Option<u64>,
        /// Who asked.
        by: NameKey,
    },
    /// A section of a piece begins, on this very frame.
    Section {
        /// The piece.
        piece: NameKey,
        /// The section; none is silence.
        section: NameKey,
        /// What was before; none is silence.
        before: NameKey,
        /// The bar at which it is entered, from 0.
        bar: u32,
        /// Why.
        cause: Arrival,
        /// Who asked, or none.
        by: NameKey,
    },
    /// Layers are switched; they fade on their moment.
    Layer {
        /// Key of piece and layer.
        layer: NameKey,
        /// In or out.
        on: bool,
        /// Who asked, or none: a condition.
        by: NameKey,
    },
    /// A stinger waits for its moment.
    Waits {
        /// The stinger.
        stinger: NameKey,
        /// Who asked.
        by: NameKey,
    },
    /// A stinger sounds, on this very frame.
    Sting {
        /// The stinger.
        stinger: NameKey,
        /// The piece whose clock it went by, or none.
        piece: NameKey,
        /// Bar and beat, from 0.
        at: (u32, u32),
        /// Who asked.
        by: NameKey,
    },
    /// A playlist goes on to a piece (or ends, with none).
    List {
        /// The playlist.
        list: NameKey,
        /// The piece, or none.
        piece: NameKey,
    },
    /// The listener enters a zone, or leaves it.
    Zone {
        /// The zone.
        zone: NameKey,
        /// Whether he enters.
        entered: bool,
    },
    /// A snapshot rises or falls.
    Snapshot {
        /// The snapshot.
        snapshot: NameKey,
        /// Whether it rises.
        up: bool,
        /// The reaction that raised it, or none: a state or parameter.
        by: NameKey,
    },
    /// Something that needs attention.
    Notice(Notice),
}

/// What was drawn for a sound.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Draws {
    /// For each property, in the unit in which it adds up.
    pub of: PerProperty<f32>,
    /// Seconds before the start.
    pub after_seconds: f32,
    /// Seconds into the audio.
    pub from_seconds: f32,
}

/// Why a voice ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Cause {
    /// It had played to its end.
    Done,
    /// It was stopped.
    Stopped,
    /// It yielded to a newer one.
    Stolen,
    /// It was asked for again and began anew.
    Restarted,
    /// Another line cut in.
    CutInto,
    /// Its section of a piece was left.
    Left,
    /// Its sound was removed from the project.
    Removed,
    /// Its emitter is gone.
    Gone,
}

/// Why something asked for does not sound.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Reason {
    /// So many of its emitter sound already.
    Each {
        /// The limit.
        limit: u32,
    },
    /// So many sound already.
    All {
        /// The limit.
        limit: u32,
    },
    /// No voice is free at all.
    Voices {
        /// How many there are.
        limit: u32,
    },
    /// All generators of its take's kind are in use.
    Generators {
        /// How many there are.
        limit: u32,
    },
    /// The draw was against it.
    Chance {
        /// What was drawn, 0 to 1.
        drawn: f32,
        /// It had to be below this.
        needed: f32,
    },
    /// The sound has nothing to play.
    Nothing,
    /// Its audio is still being loaded.
    Loading,
    /// The part of the bundle that it is in is not loaded.
    NotLoaded,
    /// It began too lately.
    AgainAfter {
        /// Seconds that are left.
        left: f32,
    },
    /// It plays at this emitter already, and ignores being asked again.
    Playing,
    /// All of its group that may sound do.
    Group {
        /// The group.
        group: NameKey,
        /// The limit.
        limit: u32,
    },
    /// More important ones have all voices.
    Unimportant {
        /// Its priority.
        priority: f32,
    },
    /// No music plays whose moment it could wait for.
    NoMusic,
    /// So many of the stinger wait or sound already.
    Stingers {
        /// The limit.
        limit: u32,
    },
    /// The line waited too long.
    Stale {
        /// Seconds that it waited.
        age: f32,
    },
    /// The state by which the line is picked has changed while it waited.
    Passed {
        /// The state.
        state: NameKey,
        /// What it was.
        was: NameKey,
    },
    /// Too many lines wait already.
    Queue {
        /// How many.
        limit: u32,
    },
    /// The sound has no take for the parameter's value.
    NoRange {
        /// The parameter.
        parameter: NameKey,
        /// Its value.
        value: f32,
    },
    /// The sound has no take for the state's value.
    NoTake {
        /// The state.
        state: NameKey,
        /// Its value.
        value: NameKey,
    },
}

/// What needs attention.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Notice {
    /// The project has no such event.
    UnknownEvent(NameKey),
    /// The project has no such parameter.
    UnknownParameter(NameKey),
    /// The project has no such state.
    UnknownState(NameKey),
    /// The state has no such value.
    UnknownValue {
        /// The state.
        state: NameKey,
        /// The value.
        value: NameKey,
    },
    /// The project has no such sound.
    UnknownSound(NameKey),
    /// The project has no such bus.
    UnknownBus(NameKey),
    /// The project has no such player level.
    UnknownLevel(NameKey),
    /// The project has no such piece, section, stinger, playlist or layer.
    UnknownMusic(NameKey),
    /// A value out of its range was clamped.
    Clamped {
        /// The parameter.
        parameter: NameKey,
        /// What was sent; not finite values are refused and said so too.
        asked: f32,
        /// What it became.
        used: f32,
    },
    /// A parameter that is worked out was sent; what was sent is ignored.
    WorkedOut(NameKey),
    /// Every emitter has a value of its own, but it was sent for all.
    NeedsEmitter(NameKey),
    /// There is one value for all, but it was sent for an emitter; it is taken for all.
    ForAll(NameKey),
    /// A formula gave no number (a division by 0, say); it stays at its last good value.
    NoNumber {
        /// The parameter.
        parameter: NameKey,
        /// Where it stays.
        kept: f32,
    },
    /// There are more emitters than have room; this one has no place.
    NoPlace(NameKey),
    /// Too much waits or repeats; this was dropped.
    TooMuchWaits(NameKey),
    /// Reactions call each other without end; the rest of the chain was cut.
    Endless {
        /// The reaction at which it was cut.
        reaction: NameKey,
    },
    /// A bus gave a value that is no number; that block was silenced.
    NotFinite {
        /// The bus.
        bus: NameKey,
    },
    /// Too many inputs for one block; this many were dropped.
    TooManyInputs(u32),
    /// A new program took effect.
    Program(u64),
    /// A piece of streamed audio had not been read when it was to sound: there was a hole.
    Late(NameKey),
}

impl Notice {
    /// It in words, for whoever builds the sound or the game. It allocates: not for the thread that renders.
    #[must_use]
    pub fn text(&self, names: &Names) -> String {
        match *self {
            Notice::UnknownEvent(key) => format!("unknown event {}", names.get(key)),
            Notice::UnknownParameter(key) => format!("unknown parameter {}", names.get(key)),
            Notice::UnknownState(key) => format!("unknown state {}", names.get(key)),
            Notice::UnknownValue { state, value } => format!("the state {} has no value {}", names.get(state), names.get(value)),
            Notice::UnknownSound(key) => format!("unknown sound {}", names.get(key)),
            Notice::UnknownMusic(key) => format!("unknown piece, section, stinger, playlist or layer {}", names.get(key)),
            Notice::UnknownLevel(key) => format!("unknown player level {}", names.get(key)),
            Notice::UnknownBus(key) => format!("unknown bus {}", names.get(key)),
            Notice::Clamped { parameter, asked, used } if asked.is_nan() => format!("{} was sent what is no number; it stays at {used}", names.get(parameter)),
            Notice::Clamped { parameter, asked, used } => {
                let asked = (f64::from(asked) * 1e3).round() / 1e3;
                format!("{} {asked} is out of range, {used} is used", names.get(parameter))
            }
            Notice::WorkedOut(key) => format!("{} was sent, but it is worked out here; what was sent is ignored", names.get(key)),
            Notice::NeedsEmitter(key) => format!("{} was sent for all, but every emitter has its own; say which", names.get(key)),
            Notice::ForAll(key) => format!("{} was sent for an emitter, but there is one for all; it is taken for all", names.get(key)),
            Notice::NoNumber { parameter, kept } => format!("the formula {} gives no number (a division by 0?); it stays at {kept}", names.get(parameter)),
            Notice::NoPlace(key) => format!("there are too many emitters; {} has no place", names.get(key)),
            Notice::TooMuchWaits(key) => format!("too much waits; an action of \"{}\" was dropped", names.get(key)),
            Notice::Endless { reaction } => format!("reactions call each other without end at \"{}\"", names.get(reaction)),
            Notice::NotFinite { bus } => format!("bus {} gave what is no number and was silenced for a block", names.get(bus)),
            Notice::TooManyInputs(count) => format!("too many inputs at once: {count} dropped"),
            Notice::Late(key) => format!("{} was not read in time: a hole was heard", names.get(key)),
            Notice::Program(_) => "the edited project took over".into(),
        }
    }
}
