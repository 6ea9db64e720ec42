//! What the game, and whoever plays it, can say.

use crate::ground::names::NameKey;
use crate::music::spec::When;

/// A frame that is always past: the input is for now, that is, the start of the next block.
pub const NOW: u64 = 0;

/// One thing that the game says, with the frame at which it says it.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Input {
    /// The frame; one that is past means the start of the next block.
    pub frame: u64,
    /// What is said.
    pub what: InputKind,
}

/// What the game, or whoever plays it, can say.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
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
        /// The value in its unit, or in the game's range if it has one; what is out of range is clamped and said.
        value: f32,
        /// The emitter whose value it is, or none: that of all.
        emitter: NameKey,
    },
    /// The listener or an emitter is somewhere, or goes there.
    Place {
        /// The emitter; the listener's name is [`crate::world::emitters::LISTENER_NAME`].
        emitter: NameKey,
        /// What kind of emitter it is, or none: as before.
        kind: NameKey,
        /// Metres to the east, to the north, and up.
        at: [f32; 3],
        /// Degrees clockwise from north; as before if `None`.
        facing: Option<f32>,
        /// How many frames the way takes; 0 is at once.
        frames: u64,
    },
    /// The listener or an emitter goes somewhere at a steady speed, looking where it goes.
    Walk {
        /// The emitter; the listener's name is [`crate::world::emitters::LISTENER_NAME`].
        emitter: NameKey,
        /// Metres to the east, to the north, and up.
        to: [f32; 3],
        /// Metres in a second, above 0.
        speed: f32,
    },
    /// An emitter is gone.
    Remove {
        /// The emitter.
        emitter: NameKey,
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
    /// One take of a sound, as it is, to hear it.
    PlayTake {
        /// The sound's name.
        sound: NameKey,
        /// Its group.
        group: u16,
        /// The take in the group.
        take: u16,
        /// Where in its audio it begins, in seconds after where it would begin; at most a day.
        from_seconds: f32,
    },
    /// Rehearsal only: a parameter that is worked out is held at a value, or let go.
    Hold {
        /// The parameter.
        parameter: NameKey,
        /// The value; `None` lets go.
        value: Option<f32>,
    },
    /// Rehearsal only: intervals, gaps, cooldowns and holding times are multiplied by this (0.01 to 1).
    Waits {
        /// The factor.
        factor: f32,
    },
    /// Rehearsal only: chances are always (or never) taken.
    Chances {
        /// Always, never, or as drawn.
        always: Option<bool>,
    },
    /// Rehearsal only: one sound always picks one take.
    ForceTake {
        /// The sound; none ends it.
        sound: NameKey,
        /// Its take, counted within the chosen group.
        take: u16,
    },
    /// Rehearsal only: a sound is silent (or heard alone), or no longer.
    GateSound {
        /// The sound.
        sound: NameKey,
        /// Alone instead of silent.
        solo: bool,
        /// Whether.
        on: bool,
    },
    /// A piece goes to a section, by its rule or on a moment of its own.
    Go {
        /// The piece.
        piece: NameKey,
        /// The section; none is silence.
        section: NameKey,
        /// When, if not as the rule says.
        on: Option<When>,
    },
    /// A piece jumps to a bar of a section at once.
    Jump {
        /// The piece.
        piece: NameKey,
        /// The section.
        section: NameKey,
        /// The bar, from 0.
        bar: u32,
    },
    /// Rehearsal only: a note on what plays a layer of notes, whether its piece plays or not.
    Strike {
        /// The layer, as `tidewalk/drift reed`.
        layer: NameKey,
        /// In MIDI semitones.
        pitch: u8,
        /// 1 to 127.
        velocity: u8,
        /// Frames until it is let go; 0 lets go of all of this pitch that were struck so.
        frames: u64,
    },
    /// A stinger is asked for.
    Sting {
        /// The stinger.
        stinger: NameKey,
    },
    /// Layers are brought in or taken out.
    Switch {
        /// The key of piece and layer, as `tidewalk/reed`.
        layer: NameKey,
        /// In or out.
        on: bool,
    },
    /// A playlist begins or ends.
    List {
        /// The playlist.
        list: NameKey,
        /// Begin or end.
        on: bool,
    },
    /// Rehearsal only: a click is heard on every beat, or no longer.
    Metronome {
        /// Whether.
        on: bool,
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
    /// The player sets a level, from 0 to 10 in steps of a tenth; what is out of range is clamped.
    PlayerLevel {
        /// The level's name.
        level: NameKey,
        /// How much.
        value: f32,
    },
    /// Rehearsal only: there is so much of a snapshot (0 to 1), or as its reasons say.
    ByHand {
        /// The snapshot; none is all of them.
        snapshot: NameKey,
        /// How much, or as its reasons say.
        share: Option<f32>,
    },
    /// Rehearsal only: an effect or a bus's send is left out, or no longer.
    Bypass {
        /// The key of bus and effect, as `machines squeeze`, or of a send, as `bus machines send nave`; none is all effects.
        effect: NameKey,
        /// Whether.
        on: bool,
    },
    /// The frames of a bus, after its effects and its level, are handed out (`Remote::take_tap` of the engine).
    Tap {
        /// The bus; none ends it.
        bus: NameKey,
    },
    /// Rehearsal only: of all buses only those so marked are heard; what they send stays in the returns.
    Solo {
        /// The bus.
        bus: NameKey,
        /// Whether.
        on: bool,
    },
    /// Rehearsal only: of all that sounds only what sounds at an emitter (or those of a kind) is heard.
    SoloEmitter {
        /// Its name or its kind's; none ends it.
        emitter: NameKey,
    },
    /// Placed sounds are heard with a head between the ears (for headphones), or in stereo; as the project says if `None`.
    Head {
        /// Whether.
        on: Option<bool>,
    },
    /// Rehearsal only: while buses are heard alone, returns that are not among them are silent (or not).
    SoloDry {
        /// Whether.
        on: bool,
    },
}

impl InputKind {
    /// Whether it is something that the game says, and not the rehearsal.
    pub(crate) fn comes_from_the_game(&self) -> bool {
        matches!(
            self,
            InputKind::Event { .. }
                | InputKind::Parameter { .. }
                | InputKind::Glide { .. }
                | InputKind::State { .. }
                | InputKind::Place { .. }
                | InputKind::Walk { .. }
        )
    }
}
