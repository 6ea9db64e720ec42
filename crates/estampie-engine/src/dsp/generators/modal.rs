//! Something solid that is struck: bars, plates, wood, glass, a bell, the hull.
//!
//! A body rings in its modes: each a sine that dies away (J.-M. Adrien, *The missing link: modal synthesis*, 1991). Their places and decays
//! come from a table for each material; where it is struck says how much of each mode is woken, how hard says how high it goes, and each
//! stroke is a little different.

use super::stepped::{GRID, Line, Phase, Stepped, Steps, draw, values};
use super::{Beginning, Controls, GeneratorKind, Preset, levelled};
use crate::dsp::effects::Setting;
use crate::ground::property::Unit;
use wide::f32x8;

/// Modes of a material.
const MODES: usize = 14;

const MATERIALS: &[&str] = &["bar", "plate", "tin", "wood", "glass", "bell", "hull"];

/// A mode: its frequency against the lowest, its strength, and how much faster than the lowest it dies.
type Mode = (f32, f32, f32);

/// A free bar: (2n + 1)² over 3.011² (L. Euler); the others after the shape that such things have.
const TABLES: [[Mode; MODES]; 7] = [
    // bar
    [
        (1.0, 1.0, 1.0),
        (2.756, 0.8, 1.5),
        (5.404, 0.65, 2.2),
        (8.933, 0.5, 3.1),
        (13.345, 0.4, 4.2),
        (18.638, 0.3, 5.4),
        (24.813, 0.22, 6.8),
        (1.003, 0.3, 1.1),
        (2.771, 0.25, 1.6),
        (5.43, 0.2, 2.4),
        (9.02, 0.16, 3.4),
        (13.5, 0.12, 4.5),
        (31.87, 0.15, 8.5),
        (39.81, 0.1, 10.0),
    ],
    // plate
    [
        (1.0, 1.0, 1.0),
        (1.47, 0.9, 1.1),
        (1.98, 0.8, 1.25),
        (2.53, 0.8, 1.4),
        (3.24, 0.7, 1.6),
        (3.9, 0.65, 1.75),
        (4.72, 0.6, 2.0),
        (5.6, 0.5, 2.2),
        (6.63, 0.5, 2.5),
        (7.95, 0.4, 2.8),
        (9.4, 0.35, 3.2),
        (11.2, 0.3, 3.7),
        (13.6, 0.25, 4.3),
        (16.5, 0.2, 5.0),
    ],
    // tin
    [
        (1.0, 0.7, 1.0),
        (1.31, 0.9, 1.0),
        (1.83, 1.0, 1.1),
        (2.17, 0.8, 1.2),
        (2.88, 0.9, 1.3),
        (3.35, 0.7, 1.5),
        (4.3, 0.7, 1.7),
        (5.17, 0.6, 1.9),
        (6.4, 0.6, 2.1),
        (7.7, 0.5, 2.4),
        (9.3, 0.45, 2.8),
        (11.6, 0.4, 3.3),
        (14.1, 0.3, 3.9),
        (17.9, 0.25, 4.8),
    ],
    // wood
    [
        (1.0, 1.0, 1.0),
        (2.57, 0.65, 2.1),
        (4.05, 0.4, 3.2),
        (5.2, 0.25, 4.2),
        (6.9, 0.18, 5.5),
        (8.7, 0.12, 7.0),
        (10.9, 0.08, 9.0),
        (1.42, 0.3, 1.6),
        (3.1, 0.22, 2.6),
        (4.7, 0.15, 3.9),
        (7.6, 0.08, 6.4),
        (9.6, 0.06, 8.0),
        (12.8, 0.05, 11.0),
        (15.1, 0.04, 13.0),
    ],
    // glass
    [
        (1.0, 1.0, 1.0),
        (2.32, 0.8, 1.1),
        (4.25, 0.6, 1.3),
        (6.63, 0.45, 1.7),
        (9.38, 0.35, 2.2),
        (12.22, 0.25, 2.8),
        (15.8, 0.2, 3.6),
        (1.012, 0.4, 1.0),
        (2.34, 0.3, 1.2),
        (4.31, 0.25, 1.4),
        (6.7, 0.2, 1.8),
        (19.7, 0.15, 4.5),
        (23.9, 0.1, 5.5),
        (28.4, 0.08, 6.5),
    ],
    // bell
    [
        (0.5, 0.6, 0.4),
        (1.0, 0.9, 0.7),
        (1.19, 0.8, 0.8),
        (1.5, 0.5, 1.0),
        (2.0, 1.0, 1.0),
        (2.52, 0.4, 1.4),
        (2.66, 0.35, 1.5),
        (3.0, 0.5, 1.7),
        (4.02, 0.45, 2.1),
        (5.13, 0.3, 2.7),
        (6.3, 0.25, 3.3),
        (7.5, 0.2, 4.0),
        (8.9, 0.15, 4.8),
        (10.4, 0.1, 5.7),
    ],
    // hull
    [
        (1.0, 1.0, 1.0),
        (1.18, 0.8, 1.0),
        (1.55, 0.9, 1.15),
        (1.83, 0.6, 1.2),
        (2.41, 0.7, 1.4),
        (2.9, 0.5, 1.6),
        (3.62, 0.5, 1.9),
        (4.8, 0.4, 2.3),
        (6.1, 0.35, 2.9),
        (7.9, 0.3, 3.7),
        (10.3, 0.22, 4.8),
        (13.9, 0.16, 6.2),
        (18.4, 0.12, 8.0),
        (25.1, 0.08, 10.5),
    ],
];

/// Looks after which the pairs are put where they belong, so that roundings do not add up.
const TURNS: u32 = 16;
/// It is over when the loudest of its modes is so much lower than it was, as a factor: −96 dB.
const OVER: f32 = 1.6e-5;
/// The shortest and the longest stroke, in seconds: a hard one is short.
const CONTACT: (f32, f32) = (0.0002, 0.008);

/// The kind.
pub(super) const MODAL: GeneratorKind = GeneratorKind {
    word: "modal",
    says: "something solid that is struck; no two strokes are alike",
    settings: &[
        Setting::choice("material", MATERIALS),
        Setting::new("frequency", Unit::Hertz, (30.0, 8_000.0), 420.0),
        Setting::new("ring", Unit::Seconds, (0.02, 30.0), 1.4),
        Setting::new("hardness", Unit::Share, (0.0, 1.0), 0.6),
        Setting::new("position", Unit::Share, (0.0, 1.0), 0.3),
        Setting::new("damping", Unit::Share, (0.0, 1.0), 0.3),
        Setting::new("scatter", Unit::Share, (0.0, 1.0), 0.3),
        Setting::new("knock", Unit::Share, (0.0, 1.0), 0.2),
    ],
    presets: &[
        Preset {
            name: "dropped spanner",
            says: "steel on planks",
            set: &[("material", "bar"), ("frequency", "1.1 kHz"), ("ring", "900 ms"), ("hardness", "85 %"), ("scatter", "50 %"), ("knock", "35 %")],
        },
        Preset {
            name: "hull plate",
            says: "something hits the bell from outside",
            set: &[("material", "hull"), ("frequency", "86 Hz"), ("ring", "2.6 s"), ("hardness", "45 %"), ("scatter", "40 %"), ("knock", "30 %")],
        },
        Preset {
            name: "crate",
            says: "dull wood",
            set: &[("material", "wood"), ("frequency", "190 Hz"), ("ring", "180 ms"), ("hardness", "50 %"), ("scatter", "60 %"), ("knock", "50 %")],
        },
        Preset {
            name: "bottle",
            says: "thin glass",
            set: &[("material", "glass"), ("frequency", "1.9 kHz"), ("ring", "700 ms"), ("hardness", "90 %"), ("scatter", "30 %"), ("knock", "10 %")],
        },
        Preset {
            name: "ship's bell",
            says: "struck once",
            set: &[
                ("material", "bell"),
                ("frequency", "640 Hz"),
                ("ring", "5 s"),
                ("hardness", "70 %"),
                ("position", "15 %"),
                ("damping", "20 %"),
                ("scatter", "8 %"),
                ("knock", "8 %"),
            ],
        },
        Preset {
            name: "mess tin",
            says: "a thin lid",
            set: &[("material", "tin"), ("frequency", "520 Hz"), ("ring", "450 ms"), ("hardness", "75 %"), ("scatter", "50 %"), ("knock", "20 %")],
        },
    ],
    ends: |_| true,
    make: |_| Box::new(Stepped::<Modal>::default()),
    ..GeneratorKind::PLAIN
};

#[derive(Debug, Default)]
struct Modal {
    rate: f32,
    seed: u64,
    at: u64,
    material: usize,
    /// What each stroke has of its own.
    apart: [f32; MODES],
    strength: [f32; MODES],
    phases: [Phase; MODES],
    levels: [f32; MODES],
    /// Each mode as a turning pair that dies away, eight side by side, and by what it turns and falls.
    turning: [[f32x8; 2]; 2],
    by: [[f32x8; 2]; 2],
    steps: [u64; MODES],
    keeps: [f32; MODES],
    /// Where its controls were at the last look, whether they have moved since the pairs were set anew, and for how many looks those have turned.
    known: [f32; 8],
    moved: bool,
    turned: u32,
    room: [bool; MODES],
    /// Which are heard: the others have no room below half the rate, or have died.
    heard: [bool; MODES],
    contact: f32,
    knock: Line,
    knock_low: f32,
    knock_share: f32,
    /// Whether a look has been made that the levels have yet to go through.
    due: bool,
    ended: bool,
}

impl Modal {
    /// Lets the levels go through the last look: all at once, so that it does not matter in how many parts it was made.
    fn fall(&mut self) {
        if std::mem::take(&mut self.due) {
            self.levels.iter_mut().zip(&self.keeps).for_each(|(level, keep)| *level *= keep.powi(GRID as i32));
        }
    }

    /// Frequency in Hz and the share kept from sample to sample of each mode.
    fn mode(&self, controls: &Controls<'_>, at: usize) -> (f32, f32) {
        let [_, frequency, ring, _, _, damping, ..] = values::<8>(controls.values);
        let (times, _, faster) = TABLES[self.material][at];
        let hertz = frequency * times * self.apart[at];
        // The higher the faster it dies, the more so the more it is damped. The ring is the time in which the lowest falls by 60 dB.
        let faster = faster.powf(0.5 + 2.0 * damping);
        (hertz, (-6.907_755 * faster / (ring.max(0.02) * self.rate)).exp())
    }

    fn settle(&mut self, controls: &Controls<'_>) {
        let now: [f32; 8] = values(controls.values);
        if self.known != now {
            self.known = now;
            self.moved = true;
            for at in 0..MODES {
                let (hertz, keep) = self.mode(controls, at);
                self.room[at] = hertz < 0.45 * self.rate;
                (self.steps[at], self.keeps[at]) = (Phase::step(f64::from(hertz / self.rate)), keep);
            }
        }
        for at in 0..MODES {
            self.heard[at] = self.room[at] && self.levels[at].abs() > OVER * 0.01;
        }
        self.ended = self.at > (self.contact * 2.0) as u64 && self.levels.iter().zip(&self.heard).all(|(level, heard)| !heard || level.abs() < OVER);
    }
}

impl Steps for Modal {
    fn begin(&mut self, beginning: &Beginning<'_>) {
        let controls = &beginning.controls;
        let [material, frequency, _, hardness, position, _, scatter, knock] = values::<8>(controls.values);
        let rate = beginning.rate as f32;
        *self = Modal { rate, seed: beginning.seed, material: (material as usize).min(TABLES.len() - 1), ..Modal::default() };
        let stroke = |which: u64| draw(beginning.seed, 1_000 + which);
        let hardness = (hardness + 0.25 * scatter * stroke(1)).clamp(0.0, 1.0);
        let position = (position + 0.25 * scatter * stroke(2)).clamp(0.0, 1.0);
        // A hard stroke is short, and wakes what is high.
        let contact = CONTACT.1 * (CONTACT.0 / CONTACT.1).powf(hardness);
        self.contact = (contact * rate).max(2.0);
        let highest = 0.6 / contact;
        let mut power = 0.0;
        for (at, (times, strength, _)) in TABLES[self.material].into_iter().enumerate() {
            self.apart[at] = 1.0 + 0.012 * scatter * stroke(10 + at as u64);
            // Where it is struck: a mode is woken as far as it moves there.
            let moves = (std::f32::consts::PI * (at as f32 + 1.0) * (0.08 + 0.42 * position)).sin().abs() * 0.85 + 0.15;
            let high = 1.0 / (1.0 + (frequency * times / highest).powi(2)).sqrt();
            let own = 1.0 + 0.6 * scatter * stroke(40 + at as u64);
            self.strength[at] = strength * moves * high * own;
            if frequency * times < 0.45 * rate {
                power += 0.5 * self.strength[at] * self.strength[at];
            }
        }
        let level = levelled(power.sqrt().max(0.02)) * 1.6;
        self.levels = self.strength.map(|s| s * level);
        self.knock = Line::at(knock * 0.5);
        self.knock_share = 1.0 - (-std::f32::consts::TAU * highest.min(0.4 * rate) / rate).exp();
        self.settle(controls);
    }

    fn look(&mut self, controls: &Controls<'_>, _at: u64) {
        self.fall();
        self.settle(controls);
        self.due = true;
        // Nothing that was moved, and no rounding that could be heard: the pairs turn on.
        if !self.moved && self.turned < TURNS {
            self.turned += 1;
            return;
        }
        (self.moved, self.turned) = (false, 0);
        let angle = |turn: u64| (turn >> 11) as f64 / (1u64 << 53) as f64 * std::f64::consts::TAU;
        let (mut turning, mut by) = ([[0.0f32; 16]; 2], [[0.0f32; 16]; 2]);
        for at in (0..MODES).filter(|at| self.heard[*at]) {
            let (s, c) = angle(self.phases[at].0).sin_cos();
            (turning[0][at], turning[1][at]) = (c as f32 * self.levels[at], s as f32 * self.levels[at]);
            let (s, c) = angle(self.steps[at]).sin_cos();
            (by[0][at], by[1][at]) = (c as f32 * self.keeps[at], s as f32 * self.keeps[at]);
        }
        let lanes = |all: [f32; 16]| std::array::from_fn::<f32x8, 2, _>(|lane| f32x8::from(std::array::from_fn::<f32, 8, _>(|i| all[8 * lane + i])));
        self.turning = turning.map(lanes);
        self.by = by.map(lanes);
    }

    fn run(&mut self, left: &mut [f32], _right: &mut [f32]) {
        for (i, sample) in left.iter_mut().enumerate() {
            let mut sums = f32x8::splat(0.0);
            for lane in 0..2 {
                let (c, s) = (self.turning[0][lane], self.turning[1][lane]);
                sums += s;
                let (bc, bs) = (self.by[0][lane], self.by[1][lane]);
                self.turning[0][lane] = c * bc - s * bs;
                self.turning[1][lane] = c * bs + s * bc;
            }
            let sum = sums.reduce_add();
            // The stroke itself: it pushes in, and the modes come up with it.
            let t = (self.at + i as u64) as f32 / self.contact;
            let into = (0.5 * t).min(1.0);
            let mut out = sum * into * into * (3.0 - 2.0 * into);
            if t < 2.0 {
                let white = draw(self.seed, self.at + i as u64);
                self.knock_low += (white - self.knock_low) * self.knock_share;
                out += self.knock_low * self.knock.now * 0.5 * (1.0 - (std::f32::consts::PI * t).cos());
            }
            *sample = out;
        }
        let count = left.len() as u64;
        self.phases.iter_mut().zip(&self.steps).for_each(|(phase, step)| phase.0 = phase.0.wrapping_add(step.wrapping_mul(count)));
        self.at += count;
    }

    fn jump(&mut self, controls: &Controls<'_>, from: u64, to: u64) {
        self.fall();
        self.settle(controls);
        let looks = ((to - from) / GRID as u64) as i32;
        for at in 0..MODES {
            self.phases[at].jump(self.steps[at], to - from);
            self.levels[at] *= self.keeps[at].powi(GRID as i32).powi(looks);
        }
        self.at += to - from;
        self.moved = true;
        self.settle(controls);
    }

    fn ended(&self) -> bool {
        self.ended
    }

    fn memory(&self) -> usize {
        (CONTACT.1 * 2.0 * self.rate) as usize
    }
}
