//! A filter of voices and buses that comes and goes.

use crate::dsp::{BlockCoefficients, Filter};
use crate::ground::time::BLOCK;

/// A filter of both channels that is there only while it filters.
#[derive(Debug)]
pub(crate) struct FadingFilter<F: Filter> {
    coefficients: Option<F::Coefficients>,
    /// The cutoff that `coefficients` were made for, in octaves.
    made_for: f32,
    /// The same once they have stood still for a block.
    held: Option<BlockCoefficients<F>>,
    filters: [F; 2],
    /// Nothing has been heard yet.
    fresh: bool,
}

impl<F: Filter> FadingFilter<F> {
    pub(crate) fn new() -> Self {
        FadingFilter { coefficients: None, made_for: 0.0, held: None, filters: [F::default(); 2], fresh: true }
    }

    /// Begins at a cutoff, without a cross-fade.
    pub(crate) fn begin(&mut self, octaves: f32, coefficients: Option<F::Coefficients>) {
        (self.made_for, self.coefficients, self.held) = (octaves, coefficients, None);
    }

    /// Filters up to two channels of at most a block, in place; going over between filtering and not is a cross-fade over their length.
    /// True if it did anything.
    pub(crate) fn apply<S: AsMut<[f32]>>(&mut self, octaves: f32, make: impl Fn(f32) -> Option<F::Coefficients>, sides: &mut [S]) -> bool {
        let wanted = if octaves == self.made_for && self.coefficients.is_some() { self.coefficients } else { make(octaves) };
        self.made_for = octaves;
        // Before the first sound there was silence, which any filter has heard.
        let first = std::mem::take(&mut self.fresh);
        let (from, to, crossing) = match (self.coefficients, wanted) {
            (None, None) => return false,
            (Some(from), Some(to)) => (from, to, 0.0),
            (None, Some(to)) if first => (to, to, 0.0),
            (None, Some(to)) => {
                for (filter, side) in self.filters.iter_mut().zip(sides.iter_mut()) {
                    warm_up(filter, side.as_mut(), to);
                }
                (to, to, 1.0)
            }
            (Some(from), None) => (from, from, -1.0),
        };
        let held = if from == to && crossing == 0.0 {
            Some(*self.held.get_or_insert_with(|| F::held(to)))
        } else {
            self.held = None;
            None
        };
        for (filter, side) in self.filters.iter_mut().zip(sides) {
            let out = side.as_mut();
            match &held {
                Some(held) => filter.hold(out, held),
                None if crossing == 0.0 => filter.process(out, from, to),
                None => {
                    let (mut dry, count) = ([0.0; BLOCK], out.len());
                    dry[..count].copy_from_slice(out);
                    filter.process(out, from, to);
                    for (i, (wet, dry)) in out.iter_mut().zip(&dry).enumerate() {
                        let t = (i + 1) as f32 / count as f32;
                        *wet = dry + (*wet - dry) * if crossing > 0.0 { t } else { 1.0 - t };
                    }
                }
            }
            if !filter.heal() {
                out.fill(0.0);
            }
        }
        if wanted.is_none() {
            self.filters = [F::default(); 2];
        }
        self.coefficients = wanted;
        true
    }
}

/// Lets a filter that begins have heard something: the sound that comes, turned about its first sample. So it begins with that
/// sample's value and slope, as if it had been there all along.
fn warm_up<F: Filter>(filter: &mut F, samples: &[f32], at: F::Coefficients) {
    let Some(first) = samples.first().copied() else { return };
    let (mut before, count) = ([0.0; BLOCK], samples.len().min(BLOCK) - 1);
    for (slot, sample) in before[..count].iter_mut().zip(samples[1..].iter().rev()) {
        *slot = 2.0 * first - sample;
    }
    filter.process(&mut before[..count], at, at);
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dsp::{LowPass, LowPassCoefficients};
    use crate::ground::units::Hertz;

    fn at(octaves: f32) -> Option<LowPassCoefficients> {
        (octaves < 0.0).then(|| LowPassCoefficients::new(Hertz(20_000.0 * octaves.exp2()), 48_000))
    }

    #[test]
    fn it_comes_and_goes_without_a_step() {
        let mut stage = FadingFilter::<LowPass>::new();
        let mut left = Vec::new();
        for (block, octaves) in [0.0, 0.0, -6.0, -6.0, -6.0, -3.0, -3.0, 0.0, 0.0].into_iter().enumerate() {
            let mut sides: [[f32; BLOCK]; 2] = [1.0, -1.0].map(|sign| std::array::from_fn(|i| sign * (0.01 * (block * BLOCK + i) as f32).sin()));
            let before = sides;
            assert_eq!(stage.apply(octaves, at, &mut sides), octaves < 0.0 || block == 7);
            assert!(octaves < 0.0 || block == 7 || sides == before, "open, it leaves every bit alone");
            assert!(sides[0].iter().zip(&sides[1]).all(|(a, b)| *a == -*b), "both channels alike");
            left.extend(sides[0]);
        }
        // The tone itself moves by a hundredth a frame at most; what it loses comes over a block.
        let step = left.windows(2).map(|w| (w[1] - w[0]).abs()).fold(0.0, f32::max);
        assert!(step < 0.03, "{step}");
    }

    #[test]
    fn the_first_sound_is_filtered_from_its_first_sample_on() {
        let mut stage = FadingFilter::<LowPass>::new();
        // The highest that there is, through a low-pass four octaves lower.
        let mut side = [std::array::from_fn::<f32, BLOCK, _>(|i| if i % 2 == 0 { 0.5 } else { -0.5 })];
        stage.apply(-5.0, at, &mut side);
        assert!(side[0].iter().all(|s| s.abs() < 0.02), "{:?}", side[0]);
    }

    #[test]
    fn a_filter_that_leaves_open_knows_what_sounds() {
        // A low tone, at any place of its wave; nothing of it lies where a 12 kHz low-pass takes away.
        for phase in 0..16 {
            let mut stage = FadingFilter::<LowPass>::new();
            let tone = |i: usize| 0.4 * (std::f32::consts::TAU * (150.0 * i as f32 / 48_000.0 + phase as f32 / 16.0)).sin();
            for (block, octaves) in [0.0, 0.0, -0.7, -0.7].into_iter().enumerate() {
                let mut side = [std::array::from_fn::<f32, BLOCK, _>(|i| tone(block * BLOCK + i))];
                stage.apply(octaves, at, &mut side);
                for (i, sample) in side[0].iter().enumerate() {
                    // Late by a part of a sample, as a low-pass is.
                    let near = (tone(block * BLOCK + i) - sample).abs();
                    assert!(near < 0.4 * std::f32::consts::TAU * 150.0 / 48_000.0 * 1.2, "{phase}: {near} at {i} of block {block}");
                }
            }
        }
    }

    #[test]
    fn what_is_no_number_is_silent_and_it_starts_afresh() {
        let mut stage = FadingFilter::<LowPass>::new();
        let mut side = [[f32::NAN; BLOCK]];
        stage.apply(-2.0, at, &mut side);
        assert_eq!(side[0], [0.0; BLOCK]);
        let mut side = [[0.5; BLOCK]];
        stage.apply(-2.0, at, &mut side);
        assert!(side[0].iter().all(|s| s.is_finite()) && side[0][BLOCK - 1] > 0.4);
    }
}
