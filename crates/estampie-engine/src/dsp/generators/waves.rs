//! One period of the plain waves, without aliasing: for each third of an octave a table that holds as many partials as there is room for.
//!
//! A table is read at four neighbouring places (third-order interpolation after Lagrange); it is so much longer than its highest partial's
//! period that what this leaves lies more than 90 dB below.

use super::stepped::{GRID, Phase, to_float};
use estampie_generics::num_complex::Complex;
use std::sync::OnceLock;

/// The plain waves.
pub(super) const WAVES: &[&str] = &["sine", "triangle", "saw", "pulse"];

/// The most partials of a table; the lowest tones have no more.
const MOST: usize = 600;
/// Up to this share of the rate there are partials.
const ROOM: f32 = 0.45;

/// The tables of a wave, those with the most partials first.
#[derive(Debug)]
struct Tables(Vec<Table>);

#[derive(Debug)]
struct Table {
    partials: usize,
    /// How many times two its length is.
    bits: u32,
    /// One period, with a sample before it and two after.
    samples: Vec<f32>,
}

#[derive(Debug)]
pub(super) struct Waves {
    saw: Tables,
    triangle: Tables,
}

/// The tables, worked out once for all.
pub(super) fn waves() -> &'static Waves {
    static ALL: OnceLock<Waves> = OnceLock::new();
    ALL.get_or_init(|| Waves {
        // Each begins where it passes 0, and rises, as a sine does: a saw half a period on from its step.
        saw: Tables::new(MOST, |n| if n % 2 == 1 { 2.0 / (std::f64::consts::PI * n as f64) } else { -2.0 / (std::f64::consts::PI * n as f64) }),
        triangle: Tables::new(120, |n| match n % 4 {
            1 => 8.0 / (std::f64::consts::PI * n as f64).powi(2),
            3 => -8.0 / (std::f64::consts::PI * n as f64).powi(2),
            _ => 0.0,
        }),
    })
}

impl Tables {
    /// By the amplitude of each partial, as a sine.
    fn new(most: usize, partial: impl Fn(usize) -> f64) -> Tables {
        let mut tables = Vec::new();
        let mut exact = most as f64;
        while exact >= 1.0 {
            let partials = exact as usize;
            exact /= 2f64.powf(1.0 / 3.0);
            if tables.last().is_some_and(|t: &Table| t.partials == partials) {
                continue;
            }
            let length = (partials * if partials > 128 { 12 } else { 24 }).next_power_of_two().max(256);
            let inverse = estampie_generics::inverse_64(length);
            let mut spectrum = inverse.make_input_vec();
            for (n, bin) in spectrum.iter_mut().enumerate().skip(1).take(partials) {
                *bin = Complex::new(0.0, -0.5 * partial(n));
            }
            let mut period = inverse.make_output_vec();
            // The lengths are those it has asked for.
            if inverse.process(&mut spectrum, &mut period).is_err() {
                continue;
            }
            let at = |i: usize| period[i % length] as f32;
            tables.push(Table { partials, bits: length.trailing_zeros(), samples: (0..length + 3).map(|i| at(i + length - 1)).collect() });
        }
        Tables(tables)
    }

    /// The place of the table for a step, in periods a sample.
    fn level(&self, by: f32) -> usize {
        let most = (ROOM / by.max(1e-6)) as usize;
        self.0.iter().position(|t| t.partials <= most).unwrap_or(self.0.len() - 1)
    }
}

impl Table {
    #[inline(always)]
    fn at(&self, phase: Phase) -> f32 {
        // Its length is a power of two: the place is the first bits of the phase, and what is between two places the next 24.
        let whole = (phase.0 >> (64 - self.bits)) as usize;
        let t = to_float((phase.0 << self.bits) >> 40) * (1.0 / (1 << 24) as f32);
        let &[a, b, c, d] = &self.samples[whole..whole + 4] else { return 0.0 };
        let (c1, c2, c3) = (c - a * (1.0 / 3.0) - b * 0.5 - d * (1.0 / 6.0), (a + c) * 0.5 - b, (d - a) * (1.0 / 6.0) + (b - c) * 0.5);
        ((c3 * t + c2) * t + c1) * t + b
    }
}

/// A wave at a step: which tables are read, and how far it has gone from one to the other between two looks.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Wave {
    shape: usize,
    from: usize,
    to: usize,
}

impl Wave {
    /// One of the plain waves, by its place in [`WAVES`], at a step of so many periods a sample.
    pub(super) fn begin(shape: usize, by: f32) -> Wave {
        let mut wave = Wave { shape, from: 0, to: 0 };
        wave.set_out(by);
        wave.from = wave.to;
        wave
    }

    /// Sets out for another step.
    pub(super) fn set_out(&mut self, by: f32) {
        self.from = self.to;
        self.to = match self.shape {
            0 => 0,
            1 => waves().triangle.level(by),
            _ => waves().saw.level(by),
        };
    }

    /// Calls `put` with the wave at each of so many samples: where in its period it is each time, `phase` says, and what its width is, `width`.
    /// `gone` samples of the way between two looks lie behind. A pulse is up for its width of the period, has no constant part, and begins where it rises.
    #[inline(always)]
    pub(super) fn each(self, gone: usize, count: usize, mut phase: impl FnMut() -> Phase, mut width: impl FnMut() -> f32, mut put: impl FnMut(usize, f32)) {
        let gone = |i: usize| (gone + i + 1) as f32 / GRID as f32;
        match self.shape {
            0 => (0..count).for_each(|i| {
                width();
                put(i, sine(phase().share()));
            }),
            3 => {
                let saw = &waves().saw;
                (0..count).for_each(|i| {
                    let (phase, width) = (phase(), width());
                    let at = |further: f32| self.read(saw, phase.further(further), gone(i));
                    put(i, at(1.5 - width) - at(0.5));
                });
            }
            shape => {
                let tables = if shape == 1 { &waves().triangle } else { &waves().saw };
                let table = &tables.0[self.to];
                if self.from == self.to {
                    (0..count).for_each(|i| {
                        width();
                        put(i, table.at(phase()));
                    });
                } else {
                    (0..count).for_each(|i| {
                        width();
                        put(i, self.read(tables, phase(), gone(i)));
                    });
                }
            }
        }
    }

    #[inline(always)]
    fn read(self, tables: &Tables, phase: Phase, gone: f32) -> f32 {
        let to = tables.0[self.to].at(phase);
        if self.from == self.to {
            return to;
        }
        let from = tables.0[self.from].at(phase);
        from + (to - from) * gone
    }

    /// RMS of a period, with all partials.
    pub(super) fn rms(shape: usize, width: f32) -> f32 {
        match shape {
            0 => std::f32::consts::FRAC_1_SQRT_2,
            1 | 2 => 0.577_350_3,
            _ => 2.0 * (width * (1.0 - width)).sqrt(),
        }
    }
}

/// What the sine's series has behind its first term, for every second power.
pub(super) const SINE: [f32; 5] = [-0.166_666_67, 8.333_333e-3, -1.984_127e-4, 2.755_732e-6, -2.505_210_8e-8];

/// The sine of a share of a period, by a polynomial over a quarter (error below 2e-7).
#[inline(always)]
pub(super) fn sine(phase: f32) -> f32 {
    // Between −1 and 1 quarter, where it is odd.
    // The whole below, by turning into an integer: what the library has for it is a call on processors without an instruction for it.
    let up = phase + 0.5;
    let whole = up as i32 as f32;
    let p = phase - (whole - if up < whole { 1.0 } else { 0.0 });
    let folded = if p > 0.25 {
        0.5 - p
    } else if p < -0.25 {
        -0.5 - p
    } else {
        p
    };
    let x = folded * std::f32::consts::TAU;
    let s = x * x;
    let [a, b, c, d, e] = SINE;
    x * (1.0 + s * (a + s * (b + s * (c + s * (d + s * e)))))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_sine_is_a_sine() {
        for i in -2_000..3_000 {
            let phase = i as f32 / 1_000.0;
            let exact = (f64::from(phase) * std::f64::consts::TAU).sin();
            assert!((f64::from(sine(phase)) - exact).abs() < 6e-7, "{phase}: {} instead of {exact}", sine(phase));
        }
    }

    #[test]
    fn each_wave_is_what_it_is_away_from_its_corners() {
        for (shape, exact) in [
            (1, (|p: f32| 1.0 - 4.0 * ((p + 0.25).fract() - 0.5).abs()) as fn(f32) -> f32),
            (2, |p| 2.0 * (p + 0.5).fract() - 1.0),
            (3, |p| if p < 0.3 { 1.4 } else { -0.6 }),
        ] {
            let wave = Wave::begin(shape, 0.0005);
            for phase in [0.1f32, 0.2, 0.4, 0.7, 0.8] {
                let mut got = 0.0;
                wave.each(GRID - 1, 1, || Phase(0).further(phase), || 0.3, |_, value| got = value);
                assert!((got - exact(phase)).abs() < 0.01, "{} at {phase}: {got} instead of {}", WAVES[shape], exact(phase));
            }
        }
    }
}
