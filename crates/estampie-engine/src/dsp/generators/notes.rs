//! Notes: a tune in steps on an instrument of the music, as a sound effect: a fanfare of two bars' length, a bell's strokes, an alarm of a reed.
//!
//! Steps and draws go by their numbers, so any stretch can be made without what came before. Where it goes on after a skip only the notes that
//! began within the last [`REMEMBERED`] seconds are made up for.

use super::stepped::{Ahead, GRID, Phase, Stepped, Steps, bits, unit, values};
use super::tune::{MOST_CHORD, MOST_TUNE_STEPS, TuneStep, tune_steps};
use super::{Beginning, Controls, Drawing, Form, GeneratorKind, Preset, levelled};
use crate::dsp::effects::Setting;
use crate::dsp::instrument::{InstrumentSettings, Kind, Stroke, Tone};
use crate::ground::property::Unit;
use crate::ground::scale::NAMED_SCALES;

/// So many notes sound at once; one more lets the oldest make room.
const SOUNDING: usize = 6;
/// With those that make room. The shortest interval is three times as long as they take, so there is always one free.
const TONES: usize = SOUNDING + MOST_CHORD;
/// The lowest string, in Hz; what would be lower is moved up by octaves.
const LOWEST: u32 = 80;
/// Seconds.
const REMEMBERED: f32 = 2.0;
/// What an accent adds to the velocity.
const ACCENT: f32 = 0.25;

/// The instruments that need neither recordings nor a table of strokes: all but the last two.
pub const PLAYED: &[(Kind, &str)] = Kind::ALL.split_at(12).0;
const INSTRUMENTS: &[&str] = &{
    let mut words = [""; PLAYED.len()];
    let mut at = 0;
    while at < PLAYED.len() {
        words[at] = PLAYED[at].1;
        at += 1;
    }
    words
};
/// The usual one among them: the synth.
const USUAL: f32 = 7.0;
const SCALES: &[&str] = &{
    let mut words = [""; NAMED_SCALES.len()];
    let mut at = 0;
    while at < NAMED_SCALES.len() {
        words[at] = NAMED_SCALES[at].0;
        at += 1;
    }
    words
};

/// The kind.
pub(super) const NOTES: GeneratorKind = GeneratorKind {
    word: "notes",
    says: "a tune in steps on an instrument of the music",
    settings: &[
        Setting { rest: USUAL, ..Setting::choice("instrument", INSTRUMENTS) },
        Setting::choice("scale", SCALES),
        Setting::new("frequency", Unit::Hertz, (60.0, 4_000.0), 523.25),
        Setting::new("interval", Unit::Seconds, (0.03, 4.0), 0.12),
        Setting::new("length", Unit::Seconds, (0.01, 4.0), 0.12),
        Setting::new("rounds", Unit::Number, (0.0, 64.0), 1.0).fixed(),
        Setting::new("velocity", Unit::Share, (0.0, 1.0), 0.7),
        Setting::new("chance", Unit::Share, (0.0, 1.0), 1.0),
        Setting::new("jitter", Unit::Share, (0.0, 1.0), 0.0),
        Setting::new("brighter", Unit::Share, (-1.0, 1.0), 0.0),
        Setting::new("slower", Unit::Number, (0.1, 20.0), 1.0),
        Setting::new("longer", Unit::Number, (0.1, 10.0), 1.0),
        Setting::new("width", Unit::Share, (0.0, 1.0), 0.0).fixed(),
    ],
    drawings: &[Drawing {
        word: "tune",
        says: "steps with spaces between: 1 a step of the scale, 1' above, 1, below, b3 or #4 altered, 1+3+5 together, ! accented, - held on, . none",
        form: Form::Tune,
        rest: &["1 3 5 1'! - -"],
    }],
    presets: PRESETS,
    stereo: |values| values[WIDTH] > 0.0,
    ends: |values| values[ROUNDS] >= 1.0,
    make: |rate| Box::new(Stepped::of(Notes::new(rate, LOWEST))),
    most: Some(64),
    strings: |values, instrument| is_string(instrument.map_or_else(|| played(values[0]), |i| i.kind)),
    stringless: Some(|rate| Box::new(Stepped::of(Notes::new(rate, rate)))),
};

/// The instrument by its setting.
fn played(setting: f32) -> Kind {
    PLAYED[word(setting, PLAYED.len())].0
}

/// Whether it has strings, which need room for a period.
fn is_string(kind: Kind) -> bool {
    matches!(kind, Kind::Plucked | Kind::Bass)
}

const ROUNDS: usize = 5;
const WIDTH: usize = 12;

const PRESETS: &[Preset] = &[
    Preset {
        name: "pearl",
        says: "something small and precious",
        set: &[("instrument", "bells"), ("frequency", "880 Hz"), ("interval", "70 ms"), ("length", "500 ms"), ("longer", "0.5"), ("tune", "1 3 5 1'!")],
    },
    Preset {
        name: "chest",
        says: "it opens, and is full",
        set: &[
            ("instrument", "plucked string"),
            ("frequency", "392 Hz"),
            ("interval", "75 ms"),
            ("length", "900 ms"),
            ("velocity", "50 %"),
            ("width", "60 %"),
            ("tune", "1, 5, 1 3 5 1'+3'+5'!"),
        ],
    },
    Preset {
        name: "harpoon ready",
        says: "two short tones of a machine",
        set: &[("instrument", "synth"), ("frequency", "660 Hz"), ("interval", "80 ms"), ("length", "60 ms"), ("brighter", "-20 %"), ("tune", "1 5!")],
    },
    Preset {
        name: "air low",
        says: "a reed that warns, over and over",
        set: &[
            ("instrument", "reed organ"),
            ("scale", "minor"),
            ("frequency", "330 Hz"),
            ("interval", "160 ms"),
            ("length", "120 ms"),
            ("rounds", "0"),
            ("tune", "1+b2! . 1+b2 . . ."),
        ],
    },
    Preset {
        name: "watch bell",
        says: "strokes in pairs",
        set: &[
            ("instrument", "bells"),
            ("frequency", "740 Hz"),
            ("interval", "340 ms"),
            ("length", "1.5 s"),
            ("rounds", "2"),
            ("velocity", "85 %"),
            ("jitter", "6 %"),
            ("tune", "1! 1 . ."),
        ],
    },
    Preset {
        name: "lost",
        says: "down into the dark",
        set: &[
            ("instrument", "struck bar"),
            ("scale", "minor"),
            ("frequency", "440 Hz"),
            ("interval", "130 ms"),
            ("length", "400 ms"),
            ("velocity", "55 %"),
            ("tune", "1' 5 b5 4 b2 1,+b2,!"),
        ],
    },
    Preset {
        name: "hull knocks",
        says: "somebody answers from inside",
        set: &[
            ("instrument", "frame drum"),
            ("frequency", "95 Hz"),
            ("interval", "190 ms"),
            ("length", "300 ms"),
            ("jitter", "15 %"),
            ("brighter", "-30 %"),
            ("tune", "1! 1 . 1 ."),
        ],
    },
    Preset {
        name: "drowned",
        says: "voices that are not there",
        set: &[
            ("instrument", "voices"),
            ("scale", "minor"),
            ("frequency", "294 Hz"),
            ("interval", "450 ms"),
            ("length", "300 ms"),
            ("rounds", "0"),
            ("velocity", "42 %"),
            ("slower", "2"),
            ("longer", "2"),
            ("width", "50 %"),
            ("tune", "1+3+5 - - 6,+1+3 - - 5,+7,+2 - -"),
        ],
    },
];

/// How many steps an octave of the scale has, by the values of the kind's settings.
#[must_use]
pub fn scale_size(values: &[f32]) -> usize {
    NAMED_SCALES[word(values[1], NAMED_SCALES.len())].1.len()
}

/// The place in a list that a control stands for.
fn word(value: f32, count: usize) -> usize {
    (value.max(0.0) as usize).min(count - 1)
}

/// A tone with what it plays.
#[derive(Debug)]
struct Played {
    tone: Tone,
    /// Semitones above the tonic.
    semitones: f32,
    /// Whether its pitch follows the control: a string that was plucked is not tuned any more.
    follows: bool,
}

#[derive(Debug)]
struct Notes {
    rate: u32,
    seed: u64,
    phase: Phase,
    step: u64,
    /// The step of the tune that it is at, counted over all rounds; the last one that has begun, counted from 1; and where in it that begins.
    interval: u64,
    begun: u64,
    start: u64,
    steps: [TuneStep; MOST_TUNE_STEPS],
    count: usize,
    scale: &'static [u8],
    rounds: u64,
    instrument: InstrumentSettings,
    tones: [Played; TONES],
    /// Where its controls are.
    now: [f32; 13],
    ahead: Ahead<2>,
    /// Whether nothing sounded any more before the last look, and nothing more comes.
    done: bool,
}

impl Notes {
    /// With strings of so many Hz at the lowest.
    fn new(rate: u32, lowest: u32) -> Notes {
        Notes {
            rate,
            seed: 0,
            phase: Phase(0),
            step: 1,
            interval: 0,
            begun: 0,
            start: 0,
            steps: [TuneStep::default(); MOST_TUNE_STEPS],
            count: 1,
            scale: NAMED_SCALES[0].1,
            rounds: 1,
            instrument: InstrumentSettings::usual(Kind::Synth),
            tones: std::array::from_fn(|_| Played { tone: Tone::above(lowest, rate), semitones: 0.0, follows: false }),
            now: [0.0; 13],
            ahead: Ahead::default(),
            done: false,
        }
    }

    fn take(&mut self, controls: &Controls<'_>) {
        self.now = values(controls.values);
        self.step = Phase::step(f64::from(1.0 / (self.now[3].max(0.03) * self.rate as f32))).max(1);
    }

    /// Where in its interval a step begins: half of it later at most.
    fn start_of(&self, interval: u64) -> u64 {
        (f64::from(0.5 * self.now[8] * unit(!self.seed, interval)) * 18_446_744_073_709_551_615.0) as u64
    }

    /// Whether the tune is over.
    fn over(&self) -> bool {
        self.rounds > 0 && self.interval >= self.rounds.saturating_mul(self.count as u64)
    }

    /// The pitch of the tonic, in MIDI semitones.
    fn tonic(&self) -> f32 {
        69.0 + 12.0 * (self.now[2].max(20.0) / 440.0).log2()
    }

    /// The lowest pitch, in MIDI semitones: a string needs room, others have none of their own.
    fn lowest(&self) -> f32 {
        if is_string(self.instrument.kind) { 40.0 } else { 28.0 }
    }

    /// How the next note is played.
    fn patch(&self) -> InstrumentSettings {
        let [.., brighter, slower, longer, width] = self.now;
        let own = &self.instrument;
        InstrumentSettings {
            brightness: (own.brightness + brighter).clamp(0.0, 1.0),
            attack_seconds: own.attack_seconds * slower,
            decay_seconds: own.decay_seconds * longer,
            release_seconds: own.release_seconds * longer,
            width,
            pan: 0.0,
            ..*own
        }
    }

    /// Begins the notes of the step that it is in, so many samples on.
    fn begin_step(&mut self, wait: usize) {
        self.begun = self.interval + 1;
        let place = (self.interval % self.count as u64) as usize;
        let step = self.steps[place];
        if step.notes[0].is_none() || unit(self.seed ^ 0x0c0f_fee5, self.interval) >= self.now[7] {
            return;
        }
        let holds = self.steps[place + 1..self.count].iter().take_while(|s| s.held).count();
        let seconds = self.now[4] + holds as f32 * self.now[3];
        let length = (seconds * self.rate as f32) as u64;
        let velocity = (self.now[6] + if step.accented { ACCENT } else { 0.0 }).clamp(0.0, 1.0);
        let (tonic, patch) = (self.tonic(), self.patch());
        for (n, note) in step.notes.into_iter().flatten().enumerate() {
            let mut semitones = note.semitones(self.scale);
            // No lower than there is room for a string, no higher than is heard.
            while tonic + semitones < self.lowest() {
                semitones += 12.0;
            }
            while tonic + semitones > 125.0 {
                semitones -= 12.0;
            }
            self.make_room(wait as u64);
            let Some(free) = self.tones.iter_mut().find(|t| t.tone.gone()) else { return };
            let seed = bits(self.seed, self.interval.wrapping_mul(8).wrapping_add(n as u64)) as u32;
            free.tone.start(&patch, Stroke { pitch: tonic + semitones, velocity, wait: wait as u64, length, seed }, None, self.rate);
            (free.semitones, free.follows) = (semitones, !is_string(patch.kind));
        }
    }

    /// Lets the oldest go if as many sound as can.
    fn make_room(&mut self, wait: u64) {
        let sounding = self.tones.iter().filter(|t| !t.tone.gone() && !t.tone.leaves()).count();
        if sounding >= SOUNDING
            && let Some(oldest) = self.tones.iter_mut().filter(|t| !t.tone.gone() && !t.tone.leaves()).max_by_key(|t| t.tone.age())
        {
            oldest.tone.hush(wait);
        }
    }
}

impl Steps for Notes {
    fn begin(&mut self, beginning: &Beginning<'_>) {
        let controls = &beginning.controls;
        (self.rate, self.seed) = (beginning.rate, beginning.seed);
        self.take(controls);
        (self.phase, self.interval, self.begun) = (Phase(0), 0, 0);
        self.count = 0;
        for step in tune_steps(controls.drawings).take(MOST_TUNE_STEPS) {
            self.steps[self.count] = step;
            self.count += 1;
        }
        self.count = self.count.max(1);
        self.scale = NAMED_SCALES[word(self.now[1], NAMED_SCALES.len())].1;
        self.instrument = beginning.instrument.copied().unwrap_or_else(|| InstrumentSettings::usual(played(self.now[0])));
        self.rounds = self.now[ROUNDS].max(0.0) as u64;
        self.start = self.start_of(0);
        self.tones.iter_mut().for_each(|t| t.tone.stop());
        self.done = false;
    }

    fn look(&mut self, controls: &Controls<'_>, _at: u64) {
        self.take(controls);
        self.done = self.over() && self.tones.iter().all(|t| t.tone.gone());
        for wait in 0..GRID {
            if self.begun != self.interval + 1 && self.phase.0 >= self.start && !self.over() {
                self.begin_step(wait);
            }
            if self.phase.go(self.step) {
                self.interval += 1;
                self.start = self.start_of(self.interval);
            }
        }
        let mut made = [[0.0; GRID]; 2];
        let tonic = self.tonic();
        for Played { tone, semitones, follows } in self.tones.iter_mut().filter(|t| !t.tone.gone()) {
            if *follows {
                tone.bend(tonic + *semitones);
            }
            let [left, right] = &mut made;
            tone.render([left, right], self.rate);
        }
        let level = levelled(LOUD);
        made.iter_mut().flatten().for_each(|s| *s = soft(*s * level));
        self.ahead.fill(made);
    }

    fn run(&mut self, left: &mut [f32], right: &mut [f32]) {
        let [first, second] = self.ahead.hand_out(left.len());
        left.copy_from_slice(first);
        if self.now[WIDTH] > 0.0 {
            right.copy_from_slice(second);
        }
    }

    fn memory(&self) -> usize {
        let mut longest = 0;
        let mut holds = 0;
        for step in &self.steps[..self.count] {
            holds = if step.held { holds + 1 } else { 0 };
            longest = longest.max(holds);
        }
        let patch = self.patch();
        let life = self.now[4] + longest as f32 * self.now[3] + 1.4 * patch.release_seconds;
        (life.min(REMEMBERED) * self.rate as f32) as usize
    }

    fn jump(&mut self, controls: &Controls<'_>, from: u64, to: u64) {
        if to == from {
            return;
        }
        self.take(controls);
        self.tones.iter_mut().for_each(|t| t.tone.stop());
        self.interval += self.phase.jump(self.step, to - from);
        self.start = self.start_of(self.interval);
        self.begun = if self.phase.0 >= self.start { self.interval + 1 } else { self.interval };
    }

    fn ended(&self) -> bool {
        self.done
    }
}

/// The RMS of a note of the usual kind at the usual velocity.
const LOUD: f32 = 0.12;

/// Straight up to 0.7, and then ever flatter towards 1.4: chords at full velocity stay within what can be played.
fn soft(x: f32) -> f32 {
    let over = x.abs() - 0.7;
    if over <= 0.0 { x } else { x.signum() * (0.7 + 0.7 * over / (over + 0.7)) }
}

#[cfg(test)]
pub(super) mod tests {
    use super::super::tests::{RATE, drawings, made, rms, strength, with};
    use super::super::tune::{MOST_DEGREE, TuneNote, tune_curves};
    use super::*;
    use crate::dsp::generators::{GENERATORS, generator};
    use proptest::prelude::*;

    /// 1 . 1+3+5! - b7, 8
    pub(in super::super) fn tune() -> Vec<TuneStep> {
        let note = |degree, octave, altered| Some(TuneNote { degree, octave, altered });
        let step = |notes: &[Option<TuneNote>], accented| {
            let mut all = [None; MOST_CHORD];
            all[..notes.len()].copy_from_slice(notes);
            TuneStep { notes: all, accented, held: false }
        };
        vec![
            step(&[note(1, 0, 0)], false),
            TuneStep::default(),
            step(&[note(1, 0, 0), note(3, 0, 0), note(5, 0, 0)], true),
            TuneStep { held: true, ..TuneStep::default() },
            step(&[note(7, -1, -1)], false),
            step(&[note(8, 0, 0)], false),
        ]
    }

    /// The place of an instrument among those that are played.
    fn place(kind: Kind) -> f32 {
        PLAYED.iter().position(|(k, _)| *k == kind).unwrap() as f32
    }

    fn kind() -> &'static GeneratorKind {
        &GENERATORS[generator("notes").unwrap()]
    }

    fn of(steps: &[TuneStep], changes: &[(&str, f32)], count: usize) -> ([Vec<f32>; 2], bool) {
        let (values, curves) = (with(kind(), changes), tune_curves(steps));
        let controls = Controls { values: &values, drawings: &curves };
        let mut generator = (kind().make)(RATE);
        generator.begin(&Beginning { rate: RATE, controls, seed: 5, instrument: None });
        let mut sides = [vec![0.0; count], vec![0.0; count]];
        let [left, right] = &mut sides;
        generator.fill(&controls, left, right);
        let ended = generator.ended();
        (sides, ended)
    }

    fn one(degree: u8, octave: i8, altered: i8) -> TuneStep {
        TuneStep { notes: [Some(TuneNote { degree, octave, altered }), None, None, None], ..TuneStep::default() }
    }

    #[test]
    fn it_plays_all_instruments_that_degrees_choose_the_pitch_of() {
        let others: Vec<Kind> = Kind::ALL.iter().filter(|kind| !PLAYED.contains(kind)).map(|(kind, _)| *kind).collect();
        assert_eq!(others, [Kind::Set, Kind::Takes]);
        assert_eq!(PLAYED[USUAL as usize].0, Kind::Synth);
    }

    #[test]
    fn degrees_are_tuned_by_the_scale_and_the_tonic() {
        let pipe = place(Kind::Pipe);
        for (scale, step, semitones) in [
            (0.0, one(1, 0, 0), 0.0),
            (0.0, one(3, 0, 0), 4.0),
            (1.0, one(3, 0, 0), 3.0),
            (0.0, one(7, -1, 0), -1.0),
            (0.0, one(3, 0, -1), 3.0),
            (0.0, one(4, 0, 1), 6.0),
            (0.0, one(8, 0, 0), 12.0),
            (0.0, one(1, 1, 0), 12.0),
            (8.0, one(4, 0, 0), 7.0),
            (9.0, one(4, 0, 0), 3.0),
        ] {
            let ([left, _], _) = of(&[step], &[("instrument", pipe), ("scale", scale), ("frequency", 440.0), ("length", 1.0), ("interval", 2.0)], 40_000);
            let wanted = 440.0 * f64::from(2f32.powf(semitones / 12.0));
            let heard = strength(&left[12_000..36_000], wanted);
            for off in [-1.0f64, 1.0] {
                let near = strength(&left[12_000..36_000], wanted * 2f64.powf(off / 12.0));
                assert!(heard > 8.0 * near, "{scale} {step:?}: {heard} at {wanted} Hz, {near} a semitone off");
            }
        }
    }

    #[test]
    fn steps_begin_where_the_interval_says_and_it_ends_after_its_rounds() {
        let step = TuneStep::default();
        let ([left, _], ended) =
            of(&[one(1, 0, 0), step, step], &[("instrument", place(Kind::Bar)), ("interval", 0.25), ("length", 0.05), ("rounds", 2.0)], 120_000);
        let onsets: Vec<usize> = (0..left.len() / 480)
            .filter(|i| {
                let peak = |i: usize| left[i * 480..(i + 1) * 480].iter().fold(0.0f32, |m, s| m.max(s.abs()));
                peak(*i) > 0.02 && (*i == 0 || peak(*i) > 4.0 * peak(i - 1))
            })
            .collect();
        assert_eq!(onsets, [0, 75], "in hundredths of a second");
        assert!(ended);
        // However it is asked for: here never up to a look.
        let (values, curves) = (with(kind(), &[("longer", 0.1)]), tune_curves(&[one(1, 0, 0)]));
        let controls = Controls { values: &values, drawings: &curves };
        let mut generator = (kind().make)(RATE);
        generator.begin(&Beginning { rate: RATE, controls, seed: 5, instrument: None });
        let mut sides = [[0.0; 64], [0.0; 64]];
        for count in std::iter::once(17).chain([64; 500]) {
            let [left, right] = &mut sides;
            generator.fill(&controls, &mut left[..count], &mut right[..count]);
        }
        assert!(generator.ended() && sides[0].iter().all(|s| *s == 0.0));
        let (_, ended) = of(&[one(1, 0, 0)], &[("rounds", 0.0)], 200_000);
        assert!(!ended, "without rounds it goes on");
    }

    #[test]
    fn a_note_is_held_through_the_steps_that_say_so_and_an_accent_is_louder() {
        let held = TuneStep { held: true, ..TuneStep::default() };
        let settings = [("instrument", place(Kind::Pipe)), ("interval", 0.3), ("length", 0.05)];
        let loud = |steps: &[TuneStep]| rms(&of(steps, &settings, 48_000).0[0][24_000..28_800]);
        let (short, long) = (loud(&[one(1, 0, 0), TuneStep::default(), TuneStep::default()]), loud(&[one(1, 0, 0), held, held]));
        assert!(short < -80.0 && long > -40.0, "{short} {long}");
        let first = |accented| rms(&of(&[TuneStep { accented, ..one(1, 0, 0) }], &settings, 2_400).0[0]);
        let more = first(true) - first(false);
        // The gain goes with the square of the velocity: 0.95 against 0.7.
        assert!((more - 5.3).abs() < 1.0, "{more} dB");
    }

    #[test]
    fn chance_leaves_out_as_many_as_it_says() {
        let ([left, _], _) = of(
            &[one(1, 0, 0)],
            &[("instrument", place(Kind::Bar)), ("interval", 0.1), ("length", 0.03), ("rounds", 0.0), ("chance", 0.4), ("longer", 0.1)],
            48_000 * 60,
        );
        let sounded = left.chunks(4_800).filter(|c| c[..1_200].iter().any(|s| s.abs() > 0.02)).count();
        assert!((190..290).contains(&sounded), "{sounded} of 600");
    }

    #[test]
    fn a_voice_that_is_bent_follows_and_one_that_is_plucked_does_not() {
        for (instrument, follows) in [(place(Kind::Pipe), true), (place(Kind::Plucked), false)] {
            let before = with(kind(), &[("instrument", instrument), ("frequency", 440.0), ("length", 2.0), ("interval", 4.0)]);
            let after = with(kind(), &[("instrument", instrument), ("frequency", 880.0), ("length", 2.0), ("interval", 4.0)]);
            let curves = tune_curves(&[one(1, 0, 0)]);
            let mut generator = (kind().make)(RATE);
            generator.begin(&Beginning { rate: RATE, controls: Controls { values: &before, drawings: &curves }, seed: 1, instrument: None });
            let mut sides = [vec![0.0; 36_000], vec![]];
            let [left, right] = &mut sides;
            right.resize(36_000, 0.0);
            generator.fill(&Controls { values: &before, drawings: &curves }, &mut left[..12_000], &mut right[..12_000]);
            generator.fill(&Controls { values: &after, drawings: &curves }, &mut left[12_000..], &mut right[12_000..]);
            let (low, high) = (strength(&left[14_400..33_600], 440.0), strength(&left[14_400..33_600], 880.0));
            assert_eq!(low < 0.2 * high, follows, "{low} at 440 Hz, {high} at 880 Hz");
        }
    }

    #[test]
    fn it_plays_the_instrument_of_the_project() {
        let values = with(kind(), &[("instrument", place(Kind::Synth)), ("length", 0.5)]);
        let curves = tune_curves(&[one(1, 0, 0)]);
        let sine = InstrumentSettings { wave: crate::dsp::instrument::Wave::Sine, detune_cents: 0.0, sustain: 1.0, ..InstrumentSettings::usual(Kind::Synth) };
        let of = |instrument: Option<&InstrumentSettings>| {
            let mut generator = (kind().make)(RATE);
            let controls = Controls { values: &values, drawings: &curves };
            generator.begin(&Beginning { rate: RATE, controls, seed: 1, instrument });
            let mut sides = [vec![0.0; 24_000], vec![0.0; 24_000]];
            let [left, right] = &mut sides;
            generator.fill(&controls, left, right);
            let left = &left[9_600..19_200];
            strength(left, 3.0 * 523.25) / strength(left, 523.25)
        };
        assert!(of(Some(&sine)) < 0.01 && of(None) > 0.05, "{} {}", of(Some(&sine)), of(None));
    }

    #[test]
    fn it_makes_two_channels_where_it_has_width() {
        let values = with(kind(), &[("width", 0.8)]);
        let mut generator = super::super::tests::begun(kind(), &values, 1);
        let [left, right] = made(kind(), &mut *generator, &values, 4_800);
        assert!((kind().stereo)(&values) && left != right && rms(&right) > -40.0);
        assert_eq!(drawings(kind()).len(), 1 + MOST_CHORD);
    }

    fn steps() -> impl Strategy<Value = Vec<TuneStep>> {
        let note = (1u8..=MOST_DEGREE, -3i8..=3, -1i8..=1).prop_map(|(degree, octave, altered)| TuneNote { degree, octave, altered });
        let step = (prop::collection::vec(note, 0..=MOST_CHORD), any::<bool>(), any::<bool>()).prop_map(|(notes, accented, held)| {
            let held = held && notes.is_empty();
            let accented = accented && !notes.is_empty();
            let mut all = [None; MOST_CHORD];
            all.iter_mut().zip(notes).for_each(|(to, note)| *to = Some(note));
            TuneStep { notes: all, accented, held }
        });
        prop::collection::vec(step, 1..MOST_TUNE_STEPS)
    }

    proptest! {
        #[test]
        fn curves_hold_every_tune(steps in steps()) {
            prop_assert_eq!(tune_steps(&tune_curves(&steps)).collect::<Vec<_>>(), steps);
        }

        #[test]
        fn any_tune_is_bounded(steps in steps(), interval in 0.03f32..0.2, length in 0.01f32..2.0, instrument in 0..PLAYED.len()) {
            let settings = [("instrument", instrument as f32), ("interval", interval), ("length", length), ("velocity", 1.0), ("rounds", 0.0)];
            let ([left, _], _) = of(&steps, &settings, 24_000);
            prop_assert!(left.iter().all(|s| s.is_finite() && s.abs() < 1.41));
        }
    }
}
