//! Low-pass and high-pass of 6 to 48 dB per octave, and an equaliser of six bands.
//!
//! The slopes are Butterworth filters of order 1 to 8: first and second order sections in a row whose Q are those of the
//! Butterworth polynomial. The sections are state-variable filters by the topology-preserving transform (V. Zavalishin,
//! *The Art of VA Filter Design*, ch. 3 to 5), shelves and bells in A. Simper's form; their responses are exactly those of
//! the bilinear transform of the analogue prototypes.

use super::{Around, Effect, Grip, Kind, MOST_FRAMES, MOST_SETTINGS, Making, Picture, Setting, Unit, settle};
use crate::dsp::svf_block::Eight;
use std::f64::consts::{PI, SQRT_2};

const SLOPES: &[&str] = &["12 dB", "6 dB", "18 dB", "24 dB", "30 dB", "36 dB", "42 dB", "48 dB"];
/// The order of the filter for each word of [`SLOPES`]; each order is 6 dB per octave.
const ORDERS: [usize; 8] = [2, 1, 3, 4, 5, 6, 7, 8];

pub(super) const LOW_PASS: Kind = Kind {
    word: "low-pass",
    says: "takes away what is above a frequency",
    settings: &[Setting::new("cutoff", Unit::Hertz, (20.0, 20_000.0), 20_000.0), Setting::choice("slope", SLOPES)],
    picture: Some(Picture::Frequency(|to, frequency, rate| response("low-pass", to, frequency, rate).unwrap_or(0.0))),
    grips: &[CUTOFF],
    make: |making: &Making| Box::new(Slope::new(making, false)),
    ..Kind::PLAIN
};

pub(super) const HIGH_PASS: Kind = Kind {
    word: "high-pass",
    says: "takes away what is below a frequency",
    settings: &[Setting::new("cutoff", Unit::Hertz, (20.0, 20_000.0), 20.0), Setting::choice("slope", SLOPES)],
    picture: Some(Picture::Frequency(|to, frequency, rate| response("high-pass", to, frequency, rate).unwrap_or(0.0))),
    grips: &[CUTOFF],
    make: |making: &Making| Box::new(Slope::new(making, true)),
    ..Kind::PLAIN
};

/// Where a slope has fallen by 3 dB.
const CUTOFF: Grip = Grip { setting: 0, at: |to| (to[0], -3.0), put: |to, (hz, _)| to[0] = hz };

/// The point of a band whose frequency is the setting `AT` and whose gain is the next.
const fn bell<const AT: usize>() -> Grip {
    Grip { setting: AT, at: |to| (to[AT], to[AT + 1]), put: |to, (hz, db)| (to[AT], to[AT + 1]) = (hz, db) }
}

const fn band(level: &'static str) -> Setting {
    Setting::new(level, Unit::Decibels, (-24.0, 24.0), 0.0)
}

const fn centre(word: &'static str, rest: f32) -> Setting {
    Setting::new(word, Unit::Hertz, (20.0, 20_000.0), rest)
}

const fn q(word: &'static str) -> Setting {
    Setting::new(word, Unit::Number, (0.1, 18.0), 0.9)
}

pub(super) const EQ: Kind = Kind {
    word: "eq",
    says: "raises and lowers six bands: two shelves, four bells",
    settings: &[
        centre("low-freq", 100.0),
        band("low-gain"),
        centre("band-1-freq", 200.0),
        band("band-1-gain"),
        q("band-1-q"),
        centre("band-2-freq", 600.0),
        band("band-2-gain"),
        q("band-2-q"),
        centre("band-3-freq", 1_800.0),
        band("band-3-gain"),
        q("band-3-q"),
        centre("band-4-freq", 5_000.0),
        band("band-4-gain"),
        q("band-4-q"),
        centre("high-freq", 9_000.0),
        band("high-gain"),
    ],
    picture: Some(Picture::Frequency(|to, frequency, rate| response("eq", to, frequency, rate).unwrap_or(0.0))),
    grips: &[bell::<0>(), bell::<2>(), bell::<5>(), bell::<8>(), bell::<11>(), bell::<14>()],
    make: |making: &Making| Box::new(Eq { rate: making.rate, bands: [Section::default(); 6], last: [f32::NAN; MOST_SETTINGS] }),
    ..Kind::PLAIN
};

/// What a section of second order does: its update and the mixture of its outputs.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub(super) struct Mixture {
    pub(super) a: [f32; 3],
    pub(super) m: [f32; 3],
}

/// tan(πf/r) of a frequency held below 0.49 of the rate.
fn warped(frequency: f32, rate: u32) -> f64 {
    let rate = f64::from(rate);
    (PI * f64::from(frequency).clamp(5.0, 0.49 * rate) / rate).tan()
}

impl Mixture {
    fn of(g: f64, k: f64, m: [f64; 3]) -> Mixture {
        let a1 = 1.0 / (1.0 + g * (g + k));
        let (a2, a3) = (g * a1, g * g * a1);
        Mixture { a: [a1 as f32, a2 as f32, a3 as f32], m: [m[0] as f32, m[1] as f32, m[2] as f32] }
    }

    pub(super) fn low_pass(cutoff: f32, q: f64, rate: u32) -> Mixture {
        Mixture::of(warped(cutoff, rate), 1.0 / q, [0.0, 0.0, 1.0])
    }

    pub(super) fn high_pass(cutoff: f32, q: f64, rate: u32) -> Mixture {
        Mixture::of(warped(cutoff, rate), 1.0 / q, [1.0, -1.0 / q, -1.0])
    }

    pub(super) fn bell(at: f32, db: f32, q: f32, rate: u32) -> Mixture {
        let a = 10f64.powf(f64::from(db) / 40.0);
        let k = 1.0 / (f64::from(q).max(0.05) * a);
        Mixture::of(warped(at, rate), k, [1.0, k * (a * a - 1.0), 0.0])
    }

    pub(super) fn low_shelf(at: f32, db: f32, rate: u32) -> Mixture {
        let a = 10f64.powf(f64::from(db) / 40.0);
        Mixture::of(warped(at, rate) / a.sqrt(), SQRT_2, [1.0, SQRT_2 * (a - 1.0), a * a - 1.0])
    }

    pub(super) fn high_shelf(at: f32, db: f32, rate: u32) -> Mixture {
        let a = 10f64.powf(f64::from(db) / 40.0);
        Mixture::of(warped(at, rate) * a.sqrt(), SQRT_2, [a * a, SQRT_2 * (1.0 - a) * a, 1.0 - a * a])
    }

    fn towards(&self, other: &Mixture, t: f32) -> Mixture {
        let mix = |a: [f32; 3], b: [f32; 3]| [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t, a[2] + (b[2] - a[2]) * t];
        Mixture { a: mix(self.a, other.a), m: mix(self.m, other.m) }
    }
}

/// A section of second order for two channels, whose mixture moves within a block.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Section {
    now: Option<Mixture>,
    /// The same once it has stood still for a block.
    held: Option<Eight>,
    state: [[f32; 2]; 2],
}

impl Section {
    fn step(state: &mut [f32; 2], x: f32, c: &Mixture) -> f32 {
        let v3 = x - state[1];
        let v1 = c.a[0] * state[0] + c.a[1] * v3;
        let v2 = state[1] + c.a[1] * state[0] + c.a[2] * v3;
        state[0] = 2.0 * v1 - state[0];
        state[1] = 2.0 * v2 - state[1];
        c.m[0] * x + c.m[1] * v1 + c.m[2] * v2
    }

    pub(super) fn process(&mut self, to: Mixture, left: &mut [f32], right: &mut [f32]) {
        let from = self.now.unwrap_or(to);
        self.now = Some(to);
        let [mut a, mut b] = self.state;
        if from == to {
            let held = self.held.get_or_insert_with(|| Eight::of(to.a.map(f64::from), to.m.map(f64::from)));
            let (left, right) = (held.process(&mut a, left), held.process(&mut b, right));
            for (l, r) in left.iter_mut().zip(right.iter_mut()) {
                *l = Section::step(&mut a, *l, &to);
                *r = Section::step(&mut b, *r, &to);
            }
        } else {
            self.held = None;
            let share = 1.0 / left.len().max(1) as f32;
            for (i, (l, r)) in left.iter_mut().zip(right.iter_mut()).enumerate() {
                let c = from.towards(&to, (i + 1) as f32 * share);
                *l = Section::step(&mut a, *l, &c);
                *r = Section::step(&mut b, *r, &c);
            }
        }
        a.iter_mut().chain(&mut b).for_each(settle);
        self.state = [a, b];
    }

    pub(super) fn clear(&mut self) {
        self.state = [[0.0; 2]; 2];
    }
}

/// A section of first order for two channels.
#[derive(Debug, Clone, Copy, Default)]
struct First {
    state: [f32; 2],
}

impl First {
    fn process(&mut self, (from, to): (f32, f32), high: bool, left: &mut [f32], right: &mut [f32]) {
        let step = (to - from) / left.len().max(1) as f32;
        for (samples, state) in [left, right].into_iter().zip(&mut self.state) {
            let mut g = from;
            for sample in samples.iter_mut() {
                g += step;
                let v = (*sample - *state) * g;
                let low = v + *state;
                *state = low + v;
                *sample = if high { *sample - low } else { low };
            }
            settle(state);
        }
    }
}

/// A Butterworth filter of order 1 to 8.
#[derive(Debug)]
struct Slope {
    rate: u32,
    order: usize,
    high: bool,
    sections: [Section; 4],
    first: First,
    share: f32,
    /// The cutoff for which the sections are set.
    last: f32,
}

impl Slope {
    fn new(making: &Making, high: bool) -> Slope {
        let order = ORDERS[(making.values[1] as usize).min(ORDERS.len() - 1)];
        Slope { rate: making.rate, order, high, sections: [Section::default(); 4], first: First::default(), share: f32::NAN, last: f32::NAN }
    }
}

/// The Q of the sections of second order of a Butterworth filter.
pub(super) fn butterworth(order: usize) -> impl Iterator<Item = f64> {
    (0..order / 2).map(move |k| {
        // Poles lie evenly on a half circle; an odd order has one more on the axis.
        let angle = if order.is_multiple_of(2) { (2 * k + 1) as f64 / 2.0 } else { (k + 1) as f64 };
        1.0 / (2.0 * (PI * angle / order as f64).cos())
    })
}

impl Effect for Slope {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let cutoff = around.to[0];
        let same = self.last == cutoff;
        self.last = cutoff;
        for (section, q) in self.sections.iter_mut().zip(butterworth(self.order)) {
            let make = || if self.high { Mixture::high_pass(cutoff, q, self.rate) } else { Mixture::low_pass(cutoff, q, self.rate) };
            let to = section.now.filter(|_| same).unwrap_or_else(make);
            section.process(to, left, right);
        }
        if !self.order.is_multiple_of(2) {
            let of = |g: f64| (g / (1.0 + g)) as f32;
            let to = if same { self.share } else { of(warped(cutoff, self.rate)) };
            let from = if self.share.is_nan() { to } else { self.share };
            self.share = to;
            self.first.process((from, to), self.high, left, right);
        }
    }

    fn clear(&mut self) {
        self.sections.iter_mut().for_each(Section::clear);
        self.first = First::default();
    }
}

/// Two shelves and four bells in a row.
#[derive(Debug)]
struct Eq {
    rate: u32,
    bands: [Section; 6],
    last: [f32; MOST_SETTINGS],
}

/// The mixtures of the equaliser's bands for its settings.
fn eq_bands(to: &[f32], rate: u32) -> [Mixture; 6] {
    let bell = |at: usize| Mixture::bell(to[at], to[at + 1], to[at + 2], rate);
    [Mixture::low_shelf(to[0], to[1], rate), bell(2), bell(5), bell(8), bell(11), Mixture::high_shelf(to[14], to[15], rate)]
}

impl Effect for Eq {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        debug_assert!(left.len() <= MOST_FRAMES);
        let same = self.last[..16] == around.to[..16];
        let bands = if same { [Mixture::default(); 6] } else { eq_bands(around.to, self.rate) };
        for (band, (section, to)) in self.bands.iter_mut().zip(bands).enumerate() {
            let level = [1, 3, 6, 9, 12, 15][band];
            // A band that was and is at 0 dB does nothing.
            if around.to[level] == 0.0 && (self.last[level] == 0.0 || section.now.is_none()) {
                section.now = None;
                section.clear();
                continue;
            }
            let to = if same { section.now.unwrap_or_else(|| eq_bands(around.to, self.rate)[band]) } else { to };
            section.process(to, left, right);
        }
        self.last[..16].copy_from_slice(&around.to[..16]);
    }

    fn clear(&mut self) {
        self.bands.iter_mut().for_each(Section::clear);
    }
}

/// The level in dB that a low-pass, high-pass or equaliser with these settings gives a frequency: what its picture draws.
/// Worked out from the analogue prototypes with prewarped frequencies. `None` for other effects.
#[must_use]
pub fn response(kind: &str, values: &[f32], hertz: f32, rate: u32) -> Option<f32> {
    let s = warped(hertz, rate);
    match kind {
        "low-pass" | "high-pass" => {
            let order = ORDERS[(values[1] as usize).min(ORDERS.len() - 1)] as i32;
            let ratio = s / warped(values[0], rate);
            let ratio = if kind == "low-pass" { ratio } else { 1.0 / ratio };
            Some((-10.0 * (1.0 + ratio.powi(2 * order)).log10()) as f32)
        }
        "eq" => {
            // |n/d| of second order at jω: (c0 − c2 ω²) + j c1 ω.
            let level = |w: f64, n: [f64; 3], d: [f64; 3]| {
                let square = |c: [f64; 3]| (c[0] - c[2] * w * w).powi(2) + (c[1] * w).powi(2);
                10.0 * (square(n) / square(d)).log10()
            };
            let shelf = |at: f32, db: f32, high: bool| {
                let a = 10f64.powf(f64::from(db) / 40.0);
                let w = s / warped(at, rate);
                let (w, flip) = if high { (1.0 / w, 1.0) } else { (w, 1.0) };
                flip * level(w, [a * a, SQRT_2 * a.powf(1.5), a], [1.0, SQRT_2 * a.sqrt(), a])
            };
            let bell = |at: usize| {
                let a = 10f64.powf(f64::from(values[at + 1]) / 40.0);
                let q = f64::from(values[at + 2]);
                level(s / warped(values[at], rate), [1.0, a / q, 1.0], [1.0, 1.0 / (a * q), 1.0])
            };
            Some((shelf(values[0], values[1], false) + bell(2) + bell(5) + bell(8) + bell(11) + shelf(values[14], values[15], true)) as f32)
        }
        _ => None,
    }
}
