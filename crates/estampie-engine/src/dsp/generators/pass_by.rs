//! Something that passes the ear: a rope's end, a blade, a fin, a thrown spanner.
//!
//! A body is up to eight resonances of the air around it, and a way past the ear on which it moves. Where it is tells all else: the nearer
//! the louder, the farther the duller; its speed along the way makes it louder and, so far as it follows, higher, as eddies leave a
//! thing more often the faster it moves; and coming nearer it sounds higher than going away (C. Doppler 1842). It passes in its time, or
//! is held: then a control says where it is, and how fast that moves is how fast it goes.

use super::noise::EVEN;
use super::stepped::{Bank, Draws, GRID, Gives, Line, Resonator, Stepped, Steps, to_one};
use super::{Beginning, Controls, Drawing, Form, GeneratorKind, MOST_CONTROLS, Preset, gain_of, levelled};
use crate::dsp::effects::Setting;
use crate::ground::curve::Curve;
use crate::ground::property::Unit;

const CHANNELS: &[&str] = &["mono", "stereo"];
const DRIVES: &[&str] = &["time", "held"];
/// The most resonances.
const BANDS: usize = 8;
/// A resonance of this strength or less is not there, in dB.
pub(super) const NO_BAND: f32 = -60.0;
/// How fast sound is, in m/s.
const SOUND: f32 = 343.0;
/// So many times its mean speed is as fast as is heard.
const FASTEST: f32 = 4.0;
/// How its level follows its speed: as a power.
const BY_SPEED: f32 = 1.5;
/// At its fastest it is as loud as at so many times an even pace.
const AT_FASTEST: f32 = 1.45;
/// It comes and goes within this time, in seconds, so that a way may begin beside the ear.
const EDGE: f32 = 0.012;
/// What is held is followed with this time constant, in seconds.
const FOLLOWS: f32 = 0.02;
/// Places at which a way and the time on it are measured.
const MEASURED: usize = 64;

const fn band(words: [&'static str; 3], hertz: f32, sharpness: f32, strength: f32) -> [Setting; 3] {
    [
        Setting::new(words[0], Unit::Hertz, (30.0, 16_000.0), hertz),
        Setting::new(words[1], Unit::Number, (0.3, 60.0), sharpness),
        Setting::new(words[2], Unit::Decibels, (NO_BAND, 12.0), strength),
    ]
}

const ONE: [Setting; 3] = band(["centre-1", "sharpness-1", "strength-1"], 320.0, 2.0, 0.0);
const TWO: [Setting; 3] = band(["centre-2", "sharpness-2", "strength-2"], 760.0, 4.0, -6.0);
const THREE: [Setting; 3] = band(["centre-3", "sharpness-3", "strength-3"], 1_700.0, 3.0, -14.0);
const FOUR: [Setting; 3] = band(["centre-4", "sharpness-4", "strength-4"], 2_600.0, 4.0, NO_BAND);
const FIVE: [Setting; 3] = band(["centre-5", "sharpness-5", "strength-5"], 3_600.0, 5.0, NO_BAND);
const SIX: [Setting; 3] = band(["centre-6", "sharpness-6", "strength-6"], 5_000.0, 5.0, NO_BAND);
const SEVEN: [Setting; 3] = band(["centre-7", "sharpness-7", "strength-7"], 7_000.0, 5.0, NO_BAND);
const EIGHT: [Setting; 3] = band(["centre-8", "sharpness-8", "strength-8"], 10_000.0, 5.0, NO_BAND);

/// Where the resonances begin among the controls.
const FIRST_BAND: usize = 8;

/// The kind.
pub(super) const PASS_BY: GeneratorKind = GeneratorKind {
    word: "pass-by",
    says: "something that passes the ear on a drawn way: up to eight resonances of the air around it",
    settings: &[
        Setting::choice("channels", CHANNELS),
        Setting::choice("drive", DRIVES),
        Setting::new("duration", Unit::Seconds, (0.05, 20.0), 0.8),
        Setting::new("position", Unit::Share, (0.0, 1.0), 0.0),
        Setting::new("near", Unit::Number, (0.05, 20.0), 0.5),
        Setting::new("dullness", Unit::Number, (0.0, 4.0), 0.7),
        Setting::new("follow", Unit::Share, (0.0, 1.0), 0.4),
        Setting::new("doppler", Unit::Share, (0.0, 2.0), 1.0),
        ONE[0],
        ONE[1],
        ONE[2],
        TWO[0],
        TWO[1],
        TWO[2],
        THREE[0],
        THREE[1],
        THREE[2],
        FOUR[0],
        FOUR[1],
        FOUR[2],
        FIVE[0],
        FIVE[1],
        FIVE[2],
        SIX[0],
        SIX[1],
        SIX[2],
        SEVEN[0],
        SEVEN[1],
        SEVEN[2],
        EIGHT[0],
        EIGHT[1],
        EIGHT[2],
    ],
    drawings: &[
        Drawing {
            word: "path",
            says: "its way past the ear: metres to the right and ahead",
            form: Form::Path,
            rest: &["-6 m, 3 m", "-1.5 m, 1 m", "0.6 m, 0.4 m", "3 m, 1.5 m", "8 m, 4 m"],
        },
        Drawing {
            word: "pace",
            says: "how fast it goes over its time, 100 % as fast as at its fastest",
            form: Form::Curve,
            rest: &["0 %: 40 %, smooth", "50 %: 100 %, smooth", "100 %: 50 %"],
        },
    ],
    presets: &[
        Preset {
            name: "rope's end",
            says: "whips past, thin",
            set: &[
                ("channels", "stereo"),
                ("duration", "450 ms"),
                ("follow", "70 %"),
                ("dullness", "0.5"),
                ("centre-1", "900 Hz"),
                ("sharpness-1", "5"),
                ("centre-2", "2.1 kHz"),
                ("sharpness-2", "6"),
                ("strength-2", "-3 dB"),
                ("centre-3", "4.3 kHz"),
                ("strength-3", "-9 dB"),
                ("path", "-3 m, 0.5 m; -0.8 m, 0.9 m; 0.3 m, 0.3 m; 1.2 m, -0.6 m"),
                ("pace", "0 %: 15 %, smooth; 60 %: 100 %, smooth; 100 %: 30 %"),
            ],
        },
        Preset {
            name: "harpoon",
            says: "long, straight, fast",
            set: &[
                ("channels", "stereo"),
                ("duration", "700 ms"),
                ("follow", "20 %"),
                ("near", "0.8"),
                ("centre-1", "480 Hz"),
                ("sharpness-1", "9"),
                ("centre-2", "1.35 kHz"),
                ("sharpness-2", "14"),
                ("strength-2", "-4 dB"),
                ("centre-3", "3.2 kHz"),
                ("sharpness-3", "6"),
                ("strength-3", "-8 dB"),
                ("path", "-14 m, 6 m; 0.4 m, 0.6 m; 16 m, -5 m"),
                ("pace", "0 %: 100 %; 100 %: 90 %"),
            ],
        },
        Preset {
            name: "fin",
            says: "something large turns in the water",
            set: &[
                ("channels", "stereo"),
                ("duration", "1.8 s"),
                ("follow", "50 %"),
                ("near", "1.2"),
                ("dullness", "1.4"),
                ("centre-1", "90 Hz"),
                ("sharpness-1", "1.2"),
                ("centre-2", "210 Hz"),
                ("sharpness-2", "2"),
                ("strength-2", "-5 dB"),
                ("centre-3", "520 Hz"),
                ("sharpness-3", "2"),
                ("strength-3", "-13 dB"),
                ("path", "-5 m, 2 m; -1.5 m, 1.6 m; 0.5 m, 1 m; 2.5 m, 2 m; 5 m, 5 m"),
                ("pace", "0 %: 25 %, smooth; 40 %: 100 %, smooth; 100 %: 20 %"),
            ],
        },
        Preset {
            name: "thrown spanner",
            says: "turns over as it flies",
            set: &[
                ("channels", "stereo"),
                ("duration", "900 ms"),
                ("follow", "30 %"),
                ("near", "0.6"),
                ("centre-1", "420 Hz"),
                ("sharpness-1", "7"),
                ("centre-2", "610 Hz"),
                ("sharpness-2", "8"),
                ("strength-2", "-2 dB"),
                ("centre-3", "1.9 kHz"),
                ("sharpness-3", "10"),
                ("strength-3", "-10 dB"),
                ("path", "-7 m, 2 m; -2 m, 1.4 m; 0.8 m, 0.5 m; 5 m, 1 m"),
                (
                    "pace",
                    "0 %: 70 %, smooth; 14 %: 100 %, smooth; 28 %: 65 %, smooth; 42 %: 100 %, smooth; 56 %: 60 %, smooth; 70 %: 95 %, smooth; 100 %: 55 %",
                ),
            ],
        },
        Preset {
            name: "torch in the hand",
            says: "held: its own speed drives it",
            set: &[
                ("drive", "held"),
                ("duration", "1.2 s"),
                ("follow", "60 %"),
                ("near", "0.7"),
                ("doppler", "0 %"),
                ("centre-1", "180 Hz"),
                ("sharpness-1", "1"),
                ("centre-2", "420 Hz"),
                ("sharpness-2", "1.4"),
                ("strength-2", "-5 dB"),
                ("centre-3", "900 Hz"),
                ("sharpness-3", "1.5"),
                ("strength-3", "-12 dB"),
                ("path", "-0.9 m, 0.6 m; -0.3 m, 0.9 m; 0.4 m, 0.8 m; 0.9 m, 0.4 m"),
            ],
        },
    ],
    stereo: |values| values[0] > 0.5,
    ends: |values| values[1] < 0.5,
    make: |_| Box::new(Stepped::<PassBy>::default()),
    ..GeneratorKind::PLAIN
};

/// Where a body is on its way.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Along {
    /// Metres to the right of the ear.
    pub right: f32,
    /// Metres ahead of it.
    pub ahead: f32,
    /// The share of its way that lies behind it.
    pub done: f32,
    /// Its speed, as a share of its mean speed.
    pub pace: f32,
}

/// A way measured: its length, and how much of it lies behind at each of so many equal steps of its places and of its time.
#[derive(Debug, Clone, Copy)]
struct Way {
    /// Metres.
    length: f32,
    /// Its fastest pace, as a share of the mean.
    fastest: f32,
    by_place: [f32; MEASURED + 1],
    by_time: [f32; MEASURED + 1],
}

impl Default for Way {
    fn default() -> Self {
        Way { length: 0.0, fastest: 1.0, by_place: [0.0; MEASURED + 1], by_time: [0.0; MEASURED + 1] }
    }
}

fn last_place(path: &Curve) -> f32 {
    path.points().last().map_or(0.0, |p| p.x)
}

/// Where a way is, in metres to the right and ahead, by the share of its places.
fn place(drawings: &[Curve], share: f32) -> [f32; 2] {
    let at = |curve: Option<&Curve>| curve.map_or(0.0, |c| c.at(share * last_place(c)));
    [at(drawings.first()), at(drawings.get(1))]
}

fn pace(drawings: &[Curve], time: f32) -> f32 {
    drawings.get(2).filter(|c| !c.points().is_empty()).map_or(1.0, |c| c.at(time)).max(0.0)
}

impl Way {
    fn new(drawings: &[Curve]) -> Way {
        let mut way = Way::default();
        let (mut before, mut sum) = (place(drawings, 0.0), 0.0f32);
        let mut last_pace = pace(drawings, 0.0);
        way.fastest = last_pace;
        for at in 1..=MEASURED {
            let share = at as f32 / MEASURED as f32;
            let here = place(drawings, share);
            way.length += (here[0] - before[0]).hypot(here[1] - before[1]);
            (before, way.by_place[at]) = (here, way.length);
            let next = pace(drawings, share);
            sum += 0.5 * (last_pace + next) + 1e-6;
            way.fastest = way.fastest.max(next);
            (last_pace, way.by_time[at]) = (next, sum);
        }
        let (length, time) = (way.length.max(1e-6), sum.max(1e-6));
        way.fastest = (way.fastest * MEASURED as f32 / time).max(0.1);
        way.by_place.iter_mut().for_each(|s| *s /= length);
        way.by_time.iter_mut().for_each(|s| *s /= time);
        way
    }

    /// How much of the way lies behind at a share of its time.
    fn done(&self, time: f32) -> f32 {
        between(&self.by_time, time)
    }

    /// Where it is when so much of the way lies behind.
    fn at(&self, drawings: &[Curve], done: f32) -> [f32; 2] {
        let next = self.by_place.partition_point(|s| *s <= done).clamp(1, MEASURED);
        let (from, to) = (self.by_place[next - 1], self.by_place[next]);
        let t = if to > from { ((done - from) / (to - from)).clamp(0.0, 1.0) } else { 0.0 };
        place(drawings, (next as f32 - 1.0 + t) / MEASURED as f32)
    }
}

fn between(table: &[f32; MEASURED + 1], share: f32) -> f32 {
    let place = share.clamp(0.0, 1.0) * MEASURED as f32;
    let whole = (place as usize).min(MEASURED - 1);
    table[whole] + (table[whole + 1] - table[whole]) * (place - whole as f32)
}

/// Where a body of this kind is, by its drawings, at a share of its time.
#[must_use]
pub fn along(drawings: &[Curve], time: f32) -> Along {
    let way = Way::new(drawings);
    let (done, little) = (way.done(time), 0.004);
    let [right, ahead] = way.at(drawings, done);
    let (from, to) = ((time - little).max(0.0), (time + little).min(1.0));
    Along { right, ahead, done, pace: (way.done(to) - way.done(from)) / (to - from).max(1e-6) }
}

#[derive(Debug, Default)]
struct PassBy {
    rate: f32,
    seed: u64,
    at: u64,
    stereo: bool,
    held: bool,
    way: Way,
    /// The share of its time that has gone by, or of its way if it is held.
    time: f64,
    /// Its place and distance at the last look, and its speed against the mean.
    done: f32,
    distance: f32,
    speed: f32,
    bands: Bank,
    low: Resonator,
    sides: [Line; 2],
    /// Samples after which its resonances have forgotten what was before.
    memory: usize,
    ended: bool,
}

/// What a look comes to, but for the resonances.
struct Here {
    distance: f32,
    done: f32,
    speed: f32,
    approach: f32,
    sides: [f32; 2],
}

impl PassBy {
    /// Where it is now, and how it moves since the last look.
    fn here(&self, controls: &Controls<'_>) -> Here {
        let values = controls.values;
        let (duration, near) = (values[2].max(0.05), values[4].max(0.05));
        let done = if self.held { values[3].clamp(0.0, 1.0) } else { self.way.done(self.time as f32) };
        let [right, ahead] = self.way.at(controls.drawings, done);
        let distance = right.hypot(ahead);
        let look = GRID as f32 / self.rate;
        // Its speed against the mean is what it moves in a look against what it would at an even pace.
        let moved = (done - self.done).abs() * duration / look;
        let speed = if self.held { self.speed + (moved - self.speed) * (1.0 - (-look / FOLLOWS).exp()) } else { moved };
        // One that passes is as loud at its fastest as others are; one that is held, at the speed of its duration.
        let full = if self.held { 1.0 } else { self.way.fastest / AT_FASTEST };
        let level = (speed / full).min(FASTEST).powf(BY_SPEED) * near / near.max(distance);
        let edge = if self.held {
            1.0
        } else {
            let edge = f64::from((EDGE / duration).min(0.2));
            let into = (self.time / edge).min((1.0 - self.time) / edge).clamp(0.0, 1.0) as f32;
            into * into * (3.0 - 2.0 * into)
        };
        let level = (level * edge).min(6.0);
        let pan = right / distance.max(0.2);
        let sides = if self.stereo { [(0.5 - 0.5 * pan).max(0.0).sqrt(), (0.5 + 0.5 * pan).max(0.0).sqrt()] } else { [1.0, 1.0] };
        Here { distance, done, speed, approach: (self.distance - distance) / look, sides: sides.map(|s| s * level) }
    }

    /// Centre, sharpness and gain of a resonance.
    fn band(&self, values: &[f32; MOST_CONTROLS], at: usize, higher: f32, together: f32) -> (f32, f32, f32) {
        let [centre, sharpness, strength] = std::array::from_fn(|i| values[FIRST_BAND + 3 * at + i]);
        let hertz = (centre * higher).clamp(20.0, 0.45 * self.rate);
        let there = strength > NO_BAND;
        let gain = if there { levelled(together) * gain_of(strength) * to_one(EVEN, hertz, sharpness, self.rate) } else { 0.0 };
        (hertz, sharpness, gain)
    }

    /// How much higher all sounds: as it moves, and as it comes nearer.
    fn higher(controls: &Controls<'_>, here: &Here) -> f32 {
        let [follow, doppler] = [controls.values[6], controls.values[7]];
        let nearer = SOUND / (SOUND - (here.approach * doppler).clamp(-0.9 * SOUND, 0.7 * SOUND));
        (here.speed.clamp(0.1, FASTEST)).powf(follow) * nearer
    }

    fn cutoff(values: &[f32; MOST_CONTROLS], distance: f32) -> f32 {
        18_000.0 * (-values[5] * (distance / values[4].max(0.05)).max(1.0).log2()).exp2()
    }

    /// The RMS of all resonances together.
    fn together(values: &[f32; MOST_CONTROLS]) -> f32 {
        let strengths = (0..BANDS).map(|at| values[FIRST_BAND + 3 * at + 2]).filter(|s| *s > NO_BAND);
        strengths.map(|s| gain_of(2.0 * s)).sum::<f32>().sqrt().max(1e-3)
    }

    /// Goes on by a look.
    fn go(&mut self, controls: &Controls<'_>) {
        if !self.held {
            self.time += GRID as f64 / f64::from(controls.values[2].max(0.05) * self.rate);
            self.ended |= self.time >= 1.0 + 2.0 * GRID as f64 / f64::from(self.rate);
        }
    }
}

impl Steps for PassBy {
    fn begin(&mut self, beginning: &Beginning<'_>) {
        let controls = &beginning.controls;
        let values = controls.values;
        let rate = beginning.rate as f32;
        *self = PassBy { rate, seed: beginning.seed, stereo: values[0] > 0.5, held: values[1] > 0.5, way: Way::new(controls.drawings), ..PassBy::default() };
        self.done = if self.held { values[3] } else { 0.0 };
        let [right, ahead] = self.way.at(controls.drawings, self.done);
        self.distance = right.hypot(ahead);
        let together = PassBy::together(values);
        self.memory = beginning.rate as usize / 10;
        for at in 0..BANDS {
            let (hertz, sharpness, gain) = self.band(values, at, 1.0, together);
            if gain > 0.0 {
                // At its slowest it is a third as high; what rings for longer than two seconds is not made up for.
                self.memory = self.memory.max(Resonator::rings(hertz / 3.0, sharpness, rate)).min(2 * beginning.rate as usize);
            }
            self.bands.aim(at, Gives::Band, (hertz, sharpness, gain), rate);
        }
        self.bands.stand();
        self.low = Resonator::begin(PassBy::cutoff(values, self.distance), 0.71, rate);
    }

    fn look(&mut self, controls: &Controls<'_>, _at: u64) {
        self.go(controls);
        let here = self.here(controls);
        let higher = PassBy::higher(controls, &here);
        let together = PassBy::together(controls.values);
        let before = self.bands.targets();
        for at in 0..BANDS {
            let band = self.band(controls.values, at, higher, together);
            self.bands.aim(at, Gives::Band, band, self.rate);
        }
        self.bands.set_out(&before);
        self.bands.settle();
        self.low.set_out(PassBy::cutoff(controls.values, here.distance), 0.71, self.rate);
        for (side, to) in self.sides.iter_mut().zip(here.sides) {
            side.set_out(to);
        }
        (self.done, self.distance, self.speed) = (here.done, here.distance, here.speed);
    }

    fn run(&mut self, left: &mut [f32], right: &mut [f32]) {
        let count = left.len();
        let mut inputs = [[0.0; 8]; GRID];
        let mut draws = Draws::at(self.seed, self.at);
        inputs[..count].iter_mut().for_each(|input| *input = [draws.next(); 8]);
        self.at += count as u64;
        let mut sums = [0.0; GRID];
        self.bands.run(&inputs[..count], &mut sums[..count]);
        for ((left, right), sum) in left.iter_mut().zip(right).zip(&sums) {
            let sample = self.low.next(*sum)[0];
            *left = sample * self.sides[0].next();
            let second = sample * self.sides[1].next();
            if self.stereo {
                *right = second;
            }
        }
    }

    fn memory(&self) -> usize {
        self.memory
    }

    fn jump(&mut self, controls: &Controls<'_>, from: u64, to: u64) {
        self.at += to - from;
        if self.held {
            self.done = controls.values[3];
            return;
        }
        self.time += (to - from) as f64 / f64::from(controls.values[2].max(0.05) * self.rate);
        self.done = self.way.done(self.time as f32);
        let [right, ahead] = self.way.at(controls.drawings, self.done);
        self.distance = right.hypot(ahead);
    }

    fn ended(&self) -> bool {
        self.ended
    }
}
