//! The filters of a voice: a state-variable filter of second order, as low-pass and as high-pass.
//!
//! Topology-preserving transform with trapezoidal integration (V. Zavalishin, *The Art of VA Filter Design*, ch. 4; the
//! update follows A. Simper's form). Butterworth: Q = 1/√2, 12 dB per octave. Its response is exactly that of the
//! bilinear transform of the analogue filter with the cutoff prewarped: |H|² = 1 / (1 + (tan(πf/r) / tan(πc/r))⁴).

use super::svf_block::Eight;
use crate::ground::units::Hertz;

/// g = tan(πc/r) of a cutoff held to `least` … 0.49 of the rate, and a₁ = 1 / (1 + g (g + √2)).
fn prewarped(cutoff: Hertz, least: f64, rate: u32) -> (f64, f64) {
    let rate = f64::from(rate);
    let g = (std::f64::consts::PI * f64::from(cutoff.0).clamp(least, 0.49 * rate) / rate).tan();
    (g, 1.0 / (1.0 + g * (g + std::f64::consts::SQRT_2)))
}

/// What a cutoff comes to at a rate.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LowPassCoefficients {
    /// 2·a₁ − 1, 2·a₂ and 2·a₃ of the source: the update is written for the two states alone, which makes the chain from
    /// one sample to the next as short as it can be.
    keep: f32,
    band: f32,
    low: f32,
}

impl LowPassCoefficients {
    /// For a cutoff (where the level is 3.01 dB down), held to 10 Hz … 0.49 of the rate.
    #[must_use]
    pub fn new(cutoff: Hertz, rate: u32) -> Self {
        let (g, a1) = prewarped(cutoff, 10.0, rate);
        LowPassCoefficients { keep: (2.0 * a1 - 1.0) as f32, band: (2.0 * g * a1) as f32, low: (2.0 * g * g * a1) as f32 }
    }

    /// Eight steps at a time, for as long as they stand still.
    fn eight(self) -> Eight {
        let [keep, band, low] = [self.keep, self.band, self.low].map(f64::from);
        Eight::of([(keep + 1.0) / 2.0, band / 2.0, low / 2.0], [0.0, 0.0, 1.0])
    }

    fn towards(self, other: Self, t: f32) -> Self {
        let mix = |a: f32, b: f32| a + (b - a) * t;
        LowPassCoefficients { keep: mix(self.keep, other.keep), band: mix(self.band, other.band), low: mix(self.low, other.low) }
    }
}

/// The state of one channel's filter.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct LowPass {
    one: f32,
    two: f32,
}

impl LowPass {
    /// Filters in place; the cutoff goes from `from` to `to` in equal steps, one a sample.
    pub fn process(&mut self, samples: &mut [f32], from: LowPassCoefficients, to: LowPassCoefficients) {
        let scale = 1.0 / samples.len().max(1) as f32;
        let mut state = *self;
        for (i, sample) in samples.iter_mut().enumerate() {
            *sample = state.step(*sample, if from == to { to } else { from.towards(to, (i + 1) as f32 * scale) });
        }
        *self = state;
        self.settle();
    }

    /// A tail that has died away is exactly 0, so that no denormal number slows what follows.
    fn settle(&mut self) {
        if self.one.abs() < 1e-15 && self.two.abs() < 1e-15 {
            *self = LowPass::default();
        }
    }

    #[inline(always)]
    fn step(&mut self, input: f32, c: LowPassCoefficients) -> f32 {
        let before = self.two;
        let difference = input - before;
        self.two = (before + c.band * self.one) + c.low * difference;
        self.one = c.keep * self.one + c.band * difference;
        0.5 * (before + self.two)
    }

    /// Whether the state is a number; a filter that is not starts afresh.
    pub fn heal(&mut self) -> bool {
        let fine = self.one.is_finite() && self.two.is_finite();
        if !fine {
            *self = LowPass::default();
        }
        fine
    }
}

/// What a high-pass cutoff comes to at a rate. The same filter as the low-pass, its other output:
/// |H|² = 1 / (1 + (tan(πc/r) / tan(πf/r))⁴).
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct HighPassCoefficients {
    a1: f32,
    a2: f32,
    a3: f32,
}

impl HighPassCoefficients {
    /// For a cutoff (where the level is 3.01 dB down), held to 5 Hz … 0.49 of the rate.
    #[must_use]
    pub fn new(cutoff: Hertz, rate: u32) -> Self {
        let (g, a1) = prewarped(cutoff, 5.0, rate);
        HighPassCoefficients { a1: a1 as f32, a2: (g * a1) as f32, a3: (g * g * a1) as f32 }
    }

    fn eight(self) -> Eight {
        Eight::of([self.a1, self.a2, self.a3].map(f64::from), [1.0, -std::f64::consts::SQRT_2, -1.0])
    }

    fn towards(self, other: Self, t: f32) -> Self {
        let mix = |a: f32, b: f32| a + (b - a) * t;
        HighPassCoefficients { a1: mix(self.a1, other.a1), a2: mix(self.a2, other.a2), a3: mix(self.a3, other.a3) }
    }
}

/// The state of one channel's high-pass.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct HighPass {
    one: f32,
    two: f32,
}

/// A filter of one channel whose cutoff can move within a block.
pub trait Filter: Default + Copy {
    /// What a cutoff comes to.
    type Coefficients: Copy + PartialEq;
    /// Filters in place; the cutoff goes from `from` to `to` in equal steps, one a sample.
    fn process(&mut self, samples: &mut [f32], from: Self::Coefficients, to: Self::Coefficients);
    /// Filters in place with a cutoff that stands still.
    fn hold(&mut self, samples: &mut [f32], held: &BlockCoefficients<Self>);
    /// What `hold` needs.
    fn held(at: Self::Coefficients) -> BlockCoefficients<Self>;
    /// Whether the state is a number; a filter that is not starts afresh.
    fn heal(&mut self) -> bool;
}

/// A cutoff that stands still, worked out for eight samples at a time.
#[derive(Debug, Clone, Copy)]
pub struct BlockCoefficients<F: Filter> {
    at: F::Coefficients,
    eight: Eight,
}

impl Filter for LowPass {
    type Coefficients = LowPassCoefficients;
    fn process(&mut self, samples: &mut [f32], from: LowPassCoefficients, to: LowPassCoefficients) {
        LowPass::process(self, samples, from, to);
    }
    fn hold(&mut self, samples: &mut [f32], held: &BlockCoefficients<Self>) {
        let mut state = [self.one, self.two];
        let rest = held.eight.process(&mut state, samples);
        [self.one, self.two] = state;
        LowPass::process(self, rest, held.at, held.at);
    }
    fn held(at: LowPassCoefficients) -> BlockCoefficients<Self> {
        BlockCoefficients { at, eight: at.eight() }
    }
    fn heal(&mut self) -> bool {
        LowPass::heal(self)
    }
}

impl Filter for HighPass {
    type Coefficients = HighPassCoefficients;
    fn process(&mut self, samples: &mut [f32], from: HighPassCoefficients, to: HighPassCoefficients) {
        let scale = 1.0 / samples.len().max(1) as f32;
        let moves = from != to;
        let mut state = *self;
        for (i, sample) in samples.iter_mut().enumerate() {
            let c = if moves { from.towards(to, (i + 1) as f32 * scale) } else { to };
            let difference = *sample - state.two;
            let band = c.a1 * state.one + c.a2 * difference;
            let low = state.two + c.a2 * state.one + c.a3 * difference;
            state.one = 2.0 * band - state.one;
            state.two = 2.0 * low - state.two;
            *sample -= std::f32::consts::SQRT_2 * band + low;
        }
        *self = if state.one.abs() < 1e-15 && state.two.abs() < 1e-15 { HighPass::default() } else { state };
    }
    fn hold(&mut self, samples: &mut [f32], held: &BlockCoefficients<Self>) {
        let mut state = [self.one, self.two];
        let rest = held.eight.process(&mut state, samples);
        [self.one, self.two] = state;
        Filter::process(self, rest, held.at, held.at);
    }
    fn held(at: HighPassCoefficients) -> BlockCoefficients<Self> {
        BlockCoefficients { at, eight: at.eight() }
    }
    fn heal(&mut self) -> bool {
        let fine = self.one.is_finite() && self.two.is_finite();
        if !fine {
            *self = HighPass::default();
        }
        fine
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::f64::consts::{PI, TAU};

    /// The gain in dB at a frequency, by correlation over a second with a Hann window, exact enough for any frequency.
    fn measure(frequency: f64, filter: impl FnOnce(&mut [f32])) -> f64 {
        let rate = 48_000.0;
        let (settle, n) = (24_000usize, 48_000usize);
        let mut tone: Vec<f32> = (0..settle + n).map(|i| (TAU * frequency * i as f64 / rate).sin() as f32).collect();
        filter(&mut tone);
        let (mut s, mut k, mut w) = (0.0, 0.0, 0.0);
        for i in 0..n {
            let hann = 0.5 - 0.5 * (TAU * i as f64 / n as f64).cos();
            let phase = TAU * frequency * (settle + i) as f64 / rate;
            s += hann * f64::from(tone[settle + i]) * phase.sin();
            k += hann * f64::from(tone[settle + i]) * phase.cos();
            w += hann;
        }
        20.0 * (2.0 * (s * s + k * k).sqrt() / w).log10()
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(48))]
        #[test]
        fn the_response_is_the_analytic_one(cutoff in 60.0f64..18_000.0, frequency in 40.0f64..21_600.0) {
            let low = LowPassCoefficients::new(Hertz(cutoff as f32), 48_000);
            let high = HighPassCoefficients::new(Hertz(cutoff as f32), 48_000);
            let ratio = ((PI * frequency / 48_000.0).tan() / (PI * cutoff / 48_000.0).tan()).powi(4);
            for (is_low, expected) in [(true, -10.0 * (1.0 + ratio).log10()), (false, -10.0 * (1.0 + 1.0 / ratio).log10())] {
                if expected > -60.0 {
                    for held in [false, true] {
                        let measured = measure(frequency, |tone| match (is_low, held) {
                            (true, false) => LowPass::default().process(tone, low, low),
                            (true, true) => LowPass::default().hold(tone, &LowPass::held(low)),
                            (false, false) => Filter::process(&mut HighPass::default(), tone, high, high),
                            (false, true) => HighPass::default().hold(tone, &HighPass::held(high)),
                        });
                        prop_assert!((measured - expected).abs() < 0.05, "{measured:.3} dB, expected {expected:.3} dB, low-pass {is_low}, held {held}");
                    }
                }
            }
        }

        #[test]
        fn any_motion_of_the_cutoff_stays_finite_and_bounded(cutoffs in prop::collection::vec(10.0f32..23_000.0, 2..40)) {
            let mut filter = LowPass::default();
            let mut from = LowPassCoefficients::new(Hertz(cutoffs[0]), 48_000);
            for (block, cutoff) in cutoffs.iter().enumerate() {
                let to = LowPassCoefficients::new(Hertz(*cutoff), 48_000);
                let mut samples = [0.0f32; 64];
                for (i, s) in samples.iter_mut().enumerate() {
                    *s = if (block * 64 + i) % 37 < 18 { 1.0 } else { -1.0 };
                }
                filter.process(&mut samples, from, to);
                prop_assert!(samples.iter().all(|s| s.is_finite() && s.abs() < 4.0));
                from = to;
            }
        }
    }

    #[test]
    fn silence_in_becomes_exact_silence() {
        let c = LowPassCoefficients::new(Hertz(100.0), 48_000);
        let mut filter = LowPass::default();
        let mut samples = vec![0.0f32; 48_000 * 4];
        samples[0] = 1.0;
        let held = LowPass::held(c);
        for (at, block) in samples.chunks_mut(64).enumerate() {
            // Both ways of working it out leave the same state.
            if at % 2 == 0 { filter.process(block, c, c) } else { filter.hold(block, &held) }
        }
        assert_eq!(samples.last(), Some(&0.0));
        assert_eq!(filter, LowPass::default());
    }
}
