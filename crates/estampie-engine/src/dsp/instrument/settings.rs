//! How instruments are set.

/// What sort of instrument.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Kind {
    /// A plucked string.
    Plucked,
    /// A bowed string.
    Bowed,
    /// A reed.
    Reed,
    /// A pipe.
    Pipe,
    /// A drone.
    Drone,
    /// A frame drum.
    Drum,
    /// Bells.
    Bells,
    /// A simple synthesiser.
    Synth,
    /// An organ of free reeds, as an accordion has them.
    Organ,
    /// A tuned bar of wood over a resonator, struck with a mallet.
    Bar,
    /// Voices that hold a vowel.
    Voices,
    /// A bass string, plucked.
    Bass,
    /// Drums and cymbals, one for each of twelve pitches.
    Set,
    /// Recordings.
    Takes,
}

impl Kind {
    /// All, with the words they are written with.
    pub const ALL: [(Kind, &'static str); 14] = [
        (Kind::Plucked, "plucked string"),
        (Kind::Bowed, "bowed string"),
        (Kind::Reed, "reed"),
        (Kind::Pipe, "pipe"),
        (Kind::Drone, "drone"),
        (Kind::Drum, "frame drum"),
        (Kind::Bells, "bells"),
        (Kind::Synth, "synth"),
        (Kind::Organ, "reed organ"),
        (Kind::Bar, "struck bar"),
        (Kind::Voices, "voices"),
        (Kind::Bass, "plucked bass"),
        (Kind::Set, "drum set"),
        (Kind::Takes, "takes"),
    ];
}

/// The wave of an oscillator.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Wave {
    /// All partials.
    Saw,
    /// Odd partials.
    Square,
    /// Odd partials, softer.
    Triangle,
    /// One partial.
    Sine,
}

impl Wave {
    /// All, with the words they are written with.
    pub const ALL: [(Wave, &'static str); 4] = [(Wave::Saw, "saw"), (Wave::Square, "square"), (Wave::Triangle, "triangle"), (Wave::Sine, "sine")];
}

/// How an instrument is set.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct InstrumentSettings {
    /// What it is.
    pub kind: Kind,
    /// Seconds of its rise.
    pub attack_seconds: f32,
    /// Seconds in which it falls to `sustain`, or (for what is struck) by 60 dB.
    pub decay_seconds: f32,
    /// What it falls to while held, 0 to 1.
    pub sustain: f32,
    /// Seconds in which it falls to nothing when let go.
    pub release_seconds: f32,
    /// From dark (0) to bright (1).
    pub brightness: f32,
    /// Cents between oscillators.
    pub detune_cents: f32,
    /// The wave of the synth.
    pub wave: Wave,
    /// How far to either side its notes stand, 0 (all in the middle) to 1: the low ones left, the high ones right; of drone and
    /// synth also the oscillators.
    pub width: f32,
    /// Where it stands between the speakers, −1 (left) to 1 (right).
    pub pan: f32,
    /// A factor of its gain.
    pub gain: f32,
}

impl InstrumentSettings {
    /// The usual setting of a kind.
    #[must_use]
    pub fn usual(kind: Kind) -> InstrumentSettings {
        let patch = |attack, decay, sustain, release, brightness| InstrumentSettings {
            kind,
            attack_seconds: attack,
            decay_seconds: decay,
            sustain,
            release_seconds: release,
            brightness,
            detune_cents: 6.0,
            wave: Wave::Saw,
            width: 0.0,
            pan: 0.0,
            gain: 1.0,
        };
        match kind {
            Kind::Plucked => patch(0.001, 3.0, 1.0, 0.12, 0.5),
            Kind::Bowed => patch(0.09, 0.2, 0.9, 0.18, 0.45),
            Kind::Reed => patch(0.03, 0.1, 0.85, 0.08, 0.5),
            Kind::Pipe => patch(0.05, 0.1, 0.9, 0.12, 0.4),
            Kind::Drone => patch(0.5, 0.5, 1.0, 0.8, 0.3),
            Kind::Drum => patch(0.001, 0.5, 1.0, 0.3, 0.5),
            Kind::Bells => patch(0.001, 4.0, 1.0, 1.5, 0.5),
            Kind::Synth => patch(0.005, 0.3, 0.5, 0.2, 0.5),
            Kind::Organ => patch(0.03, 0.1, 0.95, 0.06, 0.5),
            Kind::Bar => patch(0.001, 1.6, 1.0, 0.5, 0.4),
            Kind::Voices => patch(0.25, 0.3, 0.9, 0.45, 0.45),
            Kind::Bass => patch(0.001, 3.5, 1.0, 0.1, 0.35),
            Kind::Set => patch(0.0005, 0.5, 1.0, 0.8, 0.5),
            Kind::Takes => patch(0.001, 0.0, 1.0, 0.2, 1.0),
        }
    }
}
