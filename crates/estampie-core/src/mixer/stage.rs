//! A filter of voices and buses that comes and goes.

use crate::dsp::{Filter, Held};
use crate::engine::BLOCK;

/// A filter of both channels that is there only while it filters.
#[derive(Debug)]
pub(crate) struct Stage<F: Filter> {
    coefficients: Option<F::Coefficients>,
    /// The cutoff that `coefficients` were made for, in octaves.
    made_for: f32,
    /// The same once they have stood still for a block.
    held: Option<Held<F>>,
    filters: [F; 2],
}

impl<F: Filter> Stage<F> {
    pub(crate) fn new() -> Self {
        Stage { coefficients: None, made_for: 0.0, held: None, filters: [F::default(); 2] }
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
        let (from, to, crossing) = match (self.coefficients, wanted) {
            (None, None) => return false,
            (Some(from), Some(to)) => (from, to, 0.0),
            (None, Some(to)) => (to, to, 1.0),
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dsp::{LowPass, LowPassCoefficients};
    use crate::units::Hertz;

    fn at(octaves: f32) -> Option<LowPassCoefficients> {
        (octaves < 0.0).then(|| LowPassCoefficients::new(Hertz(20_000.0 * octaves.exp2()), 48_000))
    }

    #[test]
    fn it_comes_and_goes_without_a_step() {
        let mut stage = Stage::<LowPass>::new();
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
    fn what_is_no_number_is_silent_and_it_starts_afresh() {
        let mut stage = Stage::<LowPass>::new();
        let mut side = [[f32::NAN; BLOCK]];
        stage.apply(-2.0, at, &mut side);
        assert_eq!(side[0], [0.0; BLOCK]);
        let mut side = [[0.5; BLOCK]];
        stage.apply(-2.0, at, &mut side);
        assert!(side[0].iter().all(|s| s.is_finite()) && side[0][BLOCK - 1] > 0.4);
    }
}
