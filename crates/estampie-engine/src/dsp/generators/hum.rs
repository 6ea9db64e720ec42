//! Hum: mains and engines, as partials of what turns.

use super::noise::EVEN;
use super::stepped::{Draws, GRID, Line, Phase, Resonator, Stepped, Steps, to_one, values, wander};
use super::{Beginning, Controls, GeneratorKind, Preset, levelled};
use crate::dsp::effects::Setting;
use crate::dsp::widest::{EightPartials, partials};
use crate::ground::property::Unit;
use wide::f32x8;

/// Groups of eight partials, and the most of them.
const LANES: usize = 3;
const MOST: usize = 8 * LANES;

/// The kind.
pub(super) const HUM: GeneratorKind = GeneratorKind {
    word: "hum",
    says: "mains and engines: partials of what turns, by load, with roughness",
    settings: &[
        Setting::new("revolutions", Unit::Hertz, (2.0, 600.0), 50.0),
        Setting::new("strokes", Unit::Number, (0.5, 16.0), 1.0),
        Setting::new("load", Unit::Share, (0.0, 1.0), 0.35),
        Setting::new("even", Unit::Share, (0.0, 1.0), 1.0),
        Setting::new("roughness", Unit::Share, (0.0, 1.0), 0.1),
        Setting::new("whine", Unit::Share, (0.0, 1.0), 0.0),
        Setting::new("air", Unit::Share, (0.0, 1.0), 0.05),
    ],
    presets: &[
        Preset {
            name: "switchboard",
            says: "mains, steady",
            set: &[("revolutions", "50 Hz"), ("strokes", "2"), ("load", "40 %"), ("even", "30 %"), ("roughness", "3 %"), ("air", "2 %")],
        },
        Preset {
            name: "trawler",
            says: "four strokes, old",
            set: &[("revolutions", "9 Hz"), ("strokes", "2"), ("load", "75 %"), ("roughness", "55 %"), ("air", "25 %")],
        },
        Preset {
            name: "thruster",
            says: "it whines the faster it turns",
            set: &[("revolutions", "28 Hz"), ("strokes", "5"), ("load", "55 %"), ("even", "70 %"), ("roughness", "15 %"), ("whine", "45 %"), ("air", "30 %")],
        },
        Preset {
            name: "winch motor",
            says: "small, under load",
            set: &[("revolutions", "24 Hz"), ("strokes", "3"), ("load", "90 %"), ("even", "50 %"), ("roughness", "30 %"), ("whine", "20 %"), ("air", "10 %")],
        },
    ],
    make: |_| Box::new(Stepped::<Hum>::default()),
    ..GeneratorKind::PLAIN
};

#[derive(Debug, Default)]
struct Hum {
    rate: f32,
    seed: u64,
    at: u64,
    /// Where a stroke is, and how many lie behind.
    phase: Phase,
    step: u64,
    to: u64,
    strokes: u64,
    /// Its partials, eight side by side; where they turn to is set anew at each look.
    partials: [EightPartials; LANES],
    /// Where the gain of each is going.
    targets: [f32; MOST],
    /// How many groups of eight sound.
    sounding: usize,
    /// The step for which it was worked out what they turn by.
    turned: Option<u64>,
    /// Where its controls were at the last look, and what they come to.
    known: [f32; 7],
    wanted: ([f32; MOST], f32, f32),
    rough: Line,
    air: Resonator,
    air_gain: Line,
}

impl Hum {
    fn wanted(&self, controls: &Controls<'_>) -> ([f32; MOST], f32, f32) {
        let [revolutions, strokes, load, even, _, whine, air] = values::<7>(controls.values);
        let hertz = revolutions * strokes;
        let slope = 2.3 - 1.7 * load;
        let mut gains = [0.0; MOST];
        let mut power = 0.0;
        for (at, gain) in gains.iter_mut().enumerate() {
            let n = (at + 1) as f32;
            // The whine of its windings: the partials around the eleventh.
            let winding = whine * 0.8 * (-((n - 11.0) / 1.6).powi(2)).exp();
            *gain = (n.powf(-slope) + winding) * if at % 2 == 1 { even } else { 1.0 };
            power += 0.5 * *gain * *gain;
            *gain *= ((0.45 - hertz * n / self.rate) / 0.02).clamp(0.0, 1.0);
        }
        let together = (power + air * air * 0.5).sqrt();
        let level = levelled(together);
        let centre = (6.0 * hertz).clamp(200.0, 0.3 * self.rate);
        (gains.map(|g| g * level), level * air * 0.707 * to_one(EVEN, centre, 0.7, self.rate), centre)
    }

    /// How loud it is in a stroke: no two are alike.
    fn roughness(&self, controls: &Controls<'_>) -> f32 {
        1.0 + 0.8 * controls.values[4] * wander(self.seed ^ 0x0c, self.strokes, self.phase.share())
    }

    fn go_by(&self, controls: &Controls<'_>) -> u64 {
        Phase::step(f64::from(controls.values[0]) * f64::from(controls.values[1]) / f64::from(self.rate))
    }
}

impl Steps for Hum {
    fn begin(&mut self, beginning: &Beginning<'_>) {
        *self = Hum { rate: beginning.rate as f32, seed: beginning.seed, ..Hum::default() };
        let (gains, air, centre) = self.wanted(&beginning.controls);
        self.targets = gains;
        (self.air, self.air_gain) = (Resonator::begin(centre, 0.7, self.rate), Line::at(air));
        self.to = self.go_by(&beginning.controls);
        self.rough = Line::at(self.roughness(&beginning.controls));
    }

    fn look(&mut self, controls: &Controls<'_>, _at: u64) {
        let now: [f32; 7] = values(controls.values);
        if self.known != now {
            (self.known, self.wanted) = (now, self.wanted(controls));
        }
        let (gains, air, centre) = self.wanted;
        self.step = self.to;
        self.to = self.go_by(controls);
        self.sounding = 0;
        for lane in 0..LANES {
            let of = |all: &[f32; MOST]| std::array::from_fn::<f32, 8, _>(|i| all[8 * lane + i]);
            let (from, to) = (of(&self.targets), of(&gains));
            self.partials[lane].gain = from;
            self.partials[lane].step = std::array::from_fn(|i| (to[i] - from[i]) / GRID as f32);
            if from.iter().chain(&to).any(|g| *g > 0.0) {
                self.sounding = lane + 1;
            }
        }
        self.targets = gains;
        self.air.set_out(centre, 0.7, self.rate);
        self.air_gain.set_out(air);
        let rough = self.roughness(controls);
        self.rough.set_out(rough);
        // Between looks the partials turn by multiplication; at each they are put where they belong, so that nothing adds up.
        let (phase, by) = (self.phase.0, self.step);
        let angle = |turn: u64| (turn >> 11) as f64 / (1u64 << 53) as f64 * std::f64::consts::TAU;
        // All by the first: e to the i n φ is e to the i φ times that of the one before.
        let powers = |turn: u64| -> [[f32x8; LANES]; 2] {
            let (s, c) = angle(turn).sin_cos();
            let times = |(ac, a_s): (f64, f64), (bc, bs): (f64, f64)| (ac * bc - a_s * bs, ac * bs + a_s * bc);
            // The first eight one after the other, and the other groups from them, each by a power of the eighth.
            let (mut sines, mut cosines) = ([0.0f32; 8], [0.0f32; 8]);
            let mut here = (c, s);
            for at in 0..8 {
                (cosines[at], sines[at]) = (here.0 as f32, here.1 as f32);
                if at < 7 {
                    here = times(here, (c, s));
                }
            }
            let (eighth, mut further) = (here, (1.0, 0.0));
            let (cosines, sines) = (f32x8::from(cosines), f32x8::from(sines));
            let [mut all_cosines, mut all_sines] = [[f32x8::splat(0.0); LANES]; 2];
            for (to_cosines, to_sines) in all_cosines.iter_mut().zip(&mut all_sines) {
                let (fc, fs) = (f32x8::splat(further.0 as f32), f32x8::splat(further.1 as f32));
                (*to_cosines, *to_sines) = (cosines * fc - sines * fs, cosines * fs + sines * fc);
                further = times(further, eighth);
            }
            [all_cosines, all_sines]
        };
        let [cosines, sines] = powers(phase);
        for (partials, pair) in self.partials.iter_mut().zip(cosines.into_iter().zip(sines)) {
            partials.pair = [pair.0.to_array(), pair.1.to_array()];
        }
        if self.turned != Some(by) {
            let [cosines, sines] = powers(by);
            for (partials, pair) in self.partials.iter_mut().zip(cosines.into_iter().zip(sines)) {
                partials.by = [pair.0.to_array(), pair.1.to_array()];
            }
            self.turned = Some(by);
        }
    }

    fn run(&mut self, left: &mut [f32], _right: &mut [f32]) {
        let mut draws = Draws::at(self.seed, self.at);
        partials(&mut self.partials[..self.sounding], left);
        for sample in left.iter_mut() {
            let air = self.air.next(draws.next())[1] * self.air_gain.next();
            *sample = (*sample + air) * self.rough.next();
        }
        self.at += left.len() as u64;
        let whole = u128::from(self.phase.0) + u128::from(self.step) * left.len() as u128;
        self.phase.0 = whole as u64;
        self.strokes += (whole >> 64) as u64;
    }

    fn memory(&self) -> usize {
        (0.1 * self.rate) as usize
    }

    fn jump(&mut self, controls: &Controls<'_>, from: u64, to: u64) {
        self.to = self.go_by(controls);
        self.at += to - from;
        self.strokes += self.phase.jump(self.to, to - from);
        let (gains, air, _) = self.wanted(controls);
        self.targets = gains;
        self.air_gain = Line::at(air);
    }
}
