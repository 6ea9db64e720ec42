//! Wind: what moving air sounds like around an ear, a mast, a cave mouth.
//!
//! It goes on for ever without coming round: gusts are a sum of slow wanderings whose draws are numbered by 64 bits. The rush is noise whose
//! cutoff rises with the speed of the air; slits and ropes howl in narrow bands around the frequency at which eddies leave them, which rises with
//! the speed too (V. Strouhal, *Über eine besondere Art der Tonerregung*, 1878); rumble is what the ear's own turbulence makes; leaves are
//! bright noise that flutters.

use super::noise::EVEN;
use super::stepped::{Bank, GRID, Gives, Line, Phase, Resonator, Stepped, Steps, bits, to_float, to_one, values, wander};
use super::{Beginning, Controls, GeneratorKind, Preset};
use crate::dsp::effects::Setting;
use crate::ground::property::Unit;
use std::f32::consts::TAU;

const CHANNELS: &[&str] = &["mono", "stereo"];
/// The wanderings of a gust: how much of each, and how many there are in the length of a gust.
const WANDERS: [(f32, f32); 3] = [(0.62, 1.0), (0.32, 2.7), (0.16, 7.39)];
/// The bands of a howl, as shares of its frequency, and how sharp they are.
const HOWLS: [(f32, f32); 3] = [(1.0, 22.0), (1.503, 28.0), (2.12, 34.0)];
/// Its parts against each other, all there are at their most.
const HOWL: f32 = 0.9;
const RUMBLE: f32 = 1.1;
const LEAVES: f32 = 0.8;
/// Below this speed nothing howls, and from the other on all of it does, in m/s.
const HOWLS_FROM: (f32, f32) = (3.0, 13.0);

/// The kind.
pub(super) const WIND: GeneratorKind = GeneratorKind {
    word: "wind",
    says: "wind that never comes round: gusts, howling slits, rumble, leaves",
    settings: &[
        Setting::choice("channels", CHANNELS),
        Setting::new("speed", Unit::Number, (0.0, 40.0), 10.0),
        Setting::new("gustiness", Unit::Share, (0.0, 1.0), 0.5),
        Setting::new("gust", Unit::Seconds, (0.3, 30.0), 5.0),
        Setting::new("howl", Unit::Share, (0.0, 1.0), 0.3),
        Setting::new("slit", Unit::Hertz, (60.0, 4_000.0), 520.0),
        Setting::new("rumble", Unit::Share, (0.0, 1.0), 0.3),
        Setting::new("leaves", Unit::Share, (0.0, 1.0), 0.0),
    ],
    presets: &[
        Preset {
            name: "mast in a gale",
            says: "ropes that howl",
            set: &[("channels", "stereo"), ("speed", "22"), ("gustiness", "70 %"), ("gust", "3.5 s"), ("howl", "80 %"), ("slit", "640 Hz"), ("rumble", "45 %")],
        },
        Preset {
            name: "cave mouth",
            says: "one deep breath after another",
            set: &[("channels", "stereo"), ("speed", "9"), ("gustiness", "85 %"), ("gust", "9 s"), ("howl", "60 %"), ("slit", "130 Hz"), ("rumble", "70 %")],
        },
        Preset {
            name: "over the marsh",
            says: "reeds, not much air",
            set: &[("channels", "stereo"), ("speed", "6"), ("gustiness", "60 %"), ("gust", "6 s"), ("howl", "5 %"), ("leaves", "80 %"), ("rumble", "10 %")],
        },
        Preset {
            name: "hatch ajar",
            says: "a thin whistle",
            set: &[("speed", "14"), ("gustiness", "35 %"), ("gust", "2 s"), ("howl", "100 %"), ("slit", "1.4 kHz"), ("rumble", "0 %")],
        },
        Preset {
            name: "past the helmet",
            says: "what one hears who falls or runs",
            set: &[("channels", "stereo"), ("speed", "18"), ("gustiness", "20 %"), ("gust", "700 ms"), ("howl", "0 %"), ("rumble", "80 %")],
        },
    ],
    stereo: |values| values[0] > 0.5,
    make: |_| Box::new(Stepped::<Wind>::default()),
    ..GeneratorKind::PLAIN
};

#[derive(Debug, Default)]
struct Wind {
    rate: f32,
    seed: u64,
    at: u64,
    stereo: bool,
    /// Where each wandering is, and how many of its draws lie behind.
    phases: [Phase; 3],
    wholes: [u64; 3],
    steps: [u64; 3],
    /// Where the flutter of leaves is.
    flutter: (Phase, u64),
    sides: [Side; 2],
    /// The share that the low-passes of rumble follow in a sample.
    rumbles: f32,
    /// Samples after which its filters have forgotten what was before.
    memory: usize,
}

#[derive(Debug, Clone, Copy, Default)]
struct Side {
    rush_follow: Line,
    rush_gain: Line,
    rush: f32,
    /// The rush's second filter, the three howls, the leaves.
    bank: Bank,
    rumbles: [f32; 2],
    rumble_gain: Line,
}

/// What a look comes to.
struct Wanted {
    rush: (f32, f32, f32),
    howls: [(f32, f32); 3],
    rumble: f32,
    leaves: f32,
}

/// How loud it is at a speed in m/s, as RMS: it grows with the square and ends at a storm.
fn rms_at(speed: f32) -> f32 {
    let u = speed / 10.0;
    0.17 * u * u / (u * u + 0.35)
}

/// Leaves flutter so often in a second.
const FLUTTERS: f32 = 8.0;
/// The frequency above which rumble falls, in Hz.
const RUMBLES: f32 = 45.0;

impl Wind {
    /// How fast the air is on a side, in m/s.
    fn air(&self, controls: &Controls<'_>, side: u64) -> f32 {
        let [_, speed, gustiness, ..] = values::<8>(controls.values);
        let mut sum = 0.0;
        for (at, (share, _)) in WANDERS.iter().enumerate() {
            // The slow ones are the same on both sides, the quick one is not.
            let own = if at == 2 { side } else { 0 };
            sum += share * wander(self.seed ^ (0x9e37 + at as u64 * 977 + own * 31), self.wholes[at], self.phases[at].share());
        }
        (speed * (1.0 + gustiness * sum)).max(0.0)
    }

    /// How far the flutter goes from look to look.
    fn flutters(&self) -> u64 {
        Phase::step(f64::from(FLUTTERS / self.rate) * GRID as f64)
    }

    fn wanted(&self, controls: &Controls<'_>, side: u64) -> Wanted {
        let [_, _, _, _, howl, slit, rumble, leaves] = values::<8>(controls.values);
        let rate = self.rate;
        let air = self.air(controls, side);
        let cutoff = (70.0 + 55.0 * air).min(0.3 * rate);
        let share = 1.0 - (-TAU * 0.4 * cutoff / rate).exp();
        let t = ((air - HOWLS_FROM.0) / (HOWLS_FROM.1 - HOWLS_FROM.0)).clamp(0.0, 1.0);
        let howl = howl * HOWL * t * t * (3.0 - 2.0 * t);
        let (rumble, leaves) = (rumble * RUMBLE, leaves * LEAVES);
        // All together are as loud as the speed says, however they are mixed.
        let together = (1.0 + howl * howl + rumble * rumble + leaves * leaves).sqrt();
        let level = rms_at(air) / together;
        // White noise through one low-pass keeps share ÷ (2 − share) of its power; the second takes some more.
        let rush = level * 1.18 / (EVEN * (share / (2.0 - share)).sqrt());
        let quick = wander(self.seed ^ (77 + side), self.wholes[2], self.phases[2].share());
        let higher = (air / 10.0).max(0.05).powf(0.9) * (1.0 + 0.02 * quick);
        let howls = std::array::from_fn(|at| {
            let (times, sharp) = HOWLS[at];
            let hertz = (slit * times * higher).clamp(20.0, 0.45 * rate);
            let part = [0.8, 0.5, 0.33][at];
            (hertz, howl * level * part * to_one(EVEN, hertz, sharp, rate))
        });
        let low = self.rumbles;
        // Twice through the same low-pass: ¼ of the power of one, about.
        let rumble_gain = rumble * level * (1.0 + 0.4 * quick) / (EVEN * (low / (2.0 - low)).sqrt() * 0.7);
        let flutter = 0.55 + 0.45 * wander(self.seed ^ (1_234 + side), self.flutter.1, self.flutter.0.share());
        let leaves_gain = leaves * level * flutter * 1.5 / EVEN;
        Wanted { rush: (share, rush, 1.6 * cutoff), howls, rumble: rumble_gain, leaves: leaves_gain }
    }
}

/// Sends the filters of a side to where they are wanted.
fn aim(bank: &mut Bank, wanted: &Wanted, rate: f32) {
    bank.aim(0, Gives::Low, (wanted.rush.2, 0.71, 1.0), rate);
    for (at, (hertz, gain)) in wanted.howls.into_iter().enumerate() {
        bank.aim(1 + at, Gives::Band, (hertz, HOWLS[at].1, gain), rate);
    }
    bank.aim(4, Gives::High, (3_200.0, 0.8, wanted.leaves), rate);
}

impl Steps for Wind {
    fn begin(&mut self, beginning: &Beginning<'_>) {
        let [channels, _, _, gust, ..] = values::<8>(beginning.controls.values);
        let rate = beginning.rate as f32;
        *self = Wind { rate, seed: beginning.seed, stereo: channels > 0.5, rumbles: 1.0 - (-TAU * RUMBLES / rate).exp(), ..Wind::default() };
        for (at, (_, times)) in WANDERS.iter().enumerate() {
            self.phases[at] = Phase(bits(beginning.seed, at as u64));
            self.steps[at] = Phase::step(f64::from(times / (gust * rate)) * GRID as f64);
        }
        // What howls slowest rings longest; more than two seconds are not made up for.
        let slowest = Resonator::rings(beginning.controls.values[5] * 0.34, HOWLS[0].1, rate);
        self.memory = slowest.clamp(beginning.rate as usize * 2 / 5, beginning.rate as usize * 2);
        for side in 0..2 {
            let wanted = self.wanted(&beginning.controls, side);
            let to = &mut self.sides[side as usize];
            *to = Side { rush_follow: Line::at(wanted.rush.0), rush_gain: Line::at(wanted.rush.1), ..Side::default() };
            to.rumble_gain = Line::at(wanted.rumble);
            aim(&mut to.bank, &wanted, rate);
            to.bank.stand();
        }
    }

    fn look(&mut self, controls: &Controls<'_>, _at: u64) {
        let gust = controls.values[3];
        for (at, (_, times)) in WANDERS.iter().enumerate() {
            self.steps[at] = Phase::step(f64::from(times / (gust.max(0.3) * self.rate)) * GRID as f64);
            self.wholes[at] += u64::from(self.phases[at].go(self.steps[at]));
        }
        self.flutter.1 += u64::from(self.flutter.0.go(self.flutters()));
        for side in 0..=u64::from(self.stereo) {
            let wanted = self.wanted(controls, side);
            let to = &mut self.sides[side as usize];
            to.rush_follow.set_out(wanted.rush.0);
            to.rush_gain.set_out(wanted.rush.1);
            to.rumble_gain.set_out(wanted.rumble);
            let before = to.bank.targets();
            aim(&mut to.bank, &wanted, self.rate);
            to.bank.set_out(&before);
            to.bank.settle();
        }
    }

    fn run(&mut self, left: &mut [f32], right: &mut [f32]) {
        let low = self.rumbles;
        let count = left.len();
        for (side, out) in [left, right].into_iter().enumerate().take(1 + usize::from(self.stereo)) {
            let seed = self.seed.wrapping_add(side as u64 * 0x5bf0_3635_dcd1_4cd3);
            let state = &mut self.sides[side];
            let mut inputs = [[0.0; 8]; GRID];
            let mut deep = [0.0; GRID];
            for (i, (inputs, deep)) in inputs.iter_mut().zip(&mut deep).enumerate().take(count) {
                // Two draws from one: the rush and the howl may not be made of the same noise.
                let drawn = bits(seed, self.at + i as u64);
                let first = to_float(drawn >> 40) / (1 << 23) as f32 - 1.0;
                let second = to_float((drawn >> 8) & 0xff_ffff) / (1 << 23) as f32 - 1.0;
                state.rush += (first - state.rush) * state.rush_follow.next();
                let rush = state.rush * state.rush_gain.next();
                *inputs = [rush, second, second, second, first, 0.0, 0.0, 0.0];
                state.rumbles[0] += (second - state.rumbles[0]) * low;
                state.rumbles[1] += (state.rumbles[0] - state.rumbles[1]) * low;
                *deep = state.rumbles[1] * state.rumble_gain.next();
            }
            state.bank.run(&inputs[..count], out);
            out.iter_mut().zip(&deep).for_each(|(sample, deep)| *sample += deep);
        }
        self.at += count as u64;
    }

    fn memory(&self) -> usize {
        self.memory
    }

    fn jump(&mut self, _controls: &Controls<'_>, from: u64, to: u64) {
        self.at += to - from;
        let flutters = self.flutters();
        self.flutter.1 += self.flutter.0.jump(flutters, (to - from) / GRID as u64);
        for ((phase, whole), step) in self.phases.iter_mut().zip(&mut self.wholes).zip(&self.steps) {
            *whole += phase.jump(*step, (to - from) / GRID as u64);
        }
    }
}
