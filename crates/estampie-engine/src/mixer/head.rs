//! Two ears on a head, for headphones: interaural time, level and shadow of a rigid sphere.
//!
//! The structural model of C. P. Brown and R. O. Duda, *A structural model for binaural sound synthesis*, IEEE Trans. Speech and Audio
//! Processing 6(5), 1998: for each ear a delay after Woodworth, and a filter of one pole and one zero for the shadow of the head. For a
//! source at an angle θ from the ear's axis, a head of radius a, and β = 2c ÷ a:
//!
//! - delay: −(a ÷ c) cos θ up to 90°, (a ÷ c)(θ − π ÷ 2) beyond; a ÷ c is added, so that none is below 0, and four frames for both
//!   ears, which reading between samples needs (by the kernel of the voices, so that nothing of what is high is lost);
//! - shadow: H(s) = (α s + β) ÷ (s + β), α = 1.05 + 0.95 cos(θ × 180° ÷ 150°).

use super::pan::Placement;
use crate::dsp::{Interpolator, ONE};
use crate::ground::time::BLOCK;

/// The radius of the head in metres, and the speed of sound at it in metres in a second.
const RADIUS: f32 = 0.0875;
const SPEED: f32 = 343.0;
/// Frames that are kept: the longest delay at 192 kHz, and a block.
const KEPT: usize = 256;
/// Frames that lie before a place between samples when it is read.
const AHEAD: f32 = 4.0;
/// The least and the angle of the least of the shadow's zero.
const LEAST: (f32, f32) = (0.1, 150.0);

/// What an ear hears of a direction.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Ear {
    /// Frames.
    pub(crate) delay: f32,
    /// Gain of high frequencies; that of low ones is 1.
    pub(crate) alpha: f32,
}

impl Ear {
    /// The ear whose axis looks `axis` degrees to the right, for a bearing in degrees.
    pub(crate) fn new(bearing: f32, axis: f32, rate: u32) -> Ear {
        let degrees = ((bearing - axis + 180.0).rem_euclid(360.0) - 180.0).abs();
        let theta = degrees.to_radians();
        let unit = RADIUS / SPEED * rate as f32;
        let delay = if degrees <= 90.0 { -theta.cos() } else { theta - std::f32::consts::FRAC_PI_2 };
        let (low, at) = LEAST;
        let alpha = (1.0 + low / 2.0) + (1.0 - low / 2.0) * (degrees / at * std::f32::consts::PI).cos();
        Ear { delay: (delay + 1.0) * unit + AHEAD, alpha }
    }
}

/// The head as one voice has it.
#[derive(Debug, Clone)]
pub(crate) struct Head {
    past: [f32; KEPT],
    at: usize,
    /// The ears of the block before.
    ears: Option<[Ear; 2]>,
    /// Memories of the shadows: the last input and output of each ear.
    shadow: [[f32; 2]; 2],
}

impl Head {
    pub(crate) fn new() -> Head {
        Head { past: [0.0; KEPT], at: 0, ears: None, shadow: [[0.0; 2]; 2] }
    }

    /// Gives what either ear hears of one channel; the way from the direction of the block before is a straight line.
    pub(crate) fn process(&mut self, placement: &Placement, rate: u32, samples: &[f32], ears: [&mut [f32; BLOCK]; 2]) {
        let to = [-90.0, 90.0].map(|axis| Ear::new(placement.bearing, axis, rate));
        let from = self.ears.replace(to).unwrap_or(to);
        // The bilinear transform of (α s + β) ÷ (s + β).
        let beta = 2.0 * SPEED / RADIUS / (2.0 * rate as f32);
        let begin = self.at;
        let interpolator = Interpolator::shared();
        for (i, sample) in samples.iter().enumerate() {
            self.past[(begin + i) % KEPT] = *sample;
        }
        self.at = (begin + samples.len()) % KEPT;
        for (ear, out) in ears.into_iter().enumerate() {
            let step = 1.0 / samples.len().max(1) as f32;
            let [mut last_in, mut last_out] = self.shadow[ear];
            for (i, out) in out.iter_mut().enumerate().take(samples.len()) {
                let t = (i + 1) as f32 * step;
                let delay = from[ear].delay + (to[ear].delay - from[ear].delay) * t;
                let alpha = from[ear].alpha + (to[ear].alpha - from[ear].alpha) * t;
                let whole = delay.ceil();
                let position = (f64::from(whole - delay) * ONE as f64) as u64;
                // Of the eight, the sample itself is the fourth; the first is the oldest.
                let oldest = begin + i + 2 * KEPT - whole as usize - 3;
                let taps: [f32; 8] = std::array::from_fn(|at| self.past[(oldest + at) % KEPT]);
                let input = interpolator.weigh(&taps, position, ONE);
                let output = ((alpha + beta) * input + (beta - alpha) * last_in - (beta - 1.0) * last_out) / (1.0 + beta);
                (last_in, last_out) = (input, output);
                *out = output;
            }
            // A denormal would be slow, and is nothing.
            self.shadow[ear] = [last_in, if last_out.abs() < 1e-20 { 0.0 } else { last_out }];
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const RATE: u32 = 48_000;

    fn heard(bearing: f32, samples: &[f32]) -> [Vec<f32>; 2] {
        let mut head = Head::new();
        let placement = Placement { bearing, distance: 1.0, width: 0.0 };
        let mut both = [Vec::new(), Vec::new()];
        for block in samples.chunks(BLOCK) {
            let [mut left, mut right] = [[0.0; BLOCK]; 2];
            head.process(&placement, RATE, block, [&mut left, &mut right]);
            both[0].extend_from_slice(&left[..block.len()]);
            both[1].extend_from_slice(&right[..block.len()]);
        }
        both
    }

    /// The gain of a tone.
    fn gain(bearing: f32, frequency: f32, ear: usize) -> f32 {
        let tone: Vec<f32> = (0..9600).map(|i| (std::f32::consts::TAU * frequency * i as f32 / RATE as f32).sin()).collect();
        let out = &heard(bearing, &tone)[ear][4800..];
        (out.iter().map(|s| s * s).sum::<f32>() / 4800.0 * 2.0).sqrt()
    }

    #[test]
    fn the_time_between_the_ears_is_that_of_the_formula() {
        for (bearing, expected) in [(0.0f32, 0.0f32), (90.0, 1.0 + std::f32::consts::FRAC_PI_2), (30.0, 0.5 + std::f32::consts::FRAC_PI_6), (180.0, 0.0)] {
            let [left, right] = [-90.0, 90.0].map(|axis| Ear::new(bearing, axis, RATE));
            let frames = left.delay - right.delay;
            assert!((frames - expected * RADIUS / SPEED * RATE as f32).abs() < 1e-3, "{bearing}: {frames}");
        }
        // As samples: where an impulse from the right has its middle in either ear.
        let mut impulse = vec![0.0; 640];
        impulse[100] = 1.0;
        let [left, right] = heard(90.0, &impulse);
        let highest = |out: &[f32]| (0..640).max_by(|a, b| out[*a].abs().total_cmp(&out[*b].abs())).unwrap();
        assert_eq!((highest(&right), highest(&left)), (104, 136), "0.66 ms later at the left");
    }

    #[test]
    fn the_shadow_is_that_of_the_filter() {
        for bearing in [0.0f32, 45.0, 90.0, 135.0] {
            for frequency in [100.0f32, 1000.0, 5000.0, 12_000.0] {
                for (ear, axis) in [(0, -90.0), (1, 90.0)] {
                    // The analogue filter at the frequency that the bilinear transform has there.
                    let w = 2.0 * RATE as f32 * (std::f32::consts::PI * frequency / RATE as f32).tan();
                    let (alpha, beta) = (Ear::new(bearing, axis, RATE).alpha, 2.0 * SPEED / RADIUS);
                    let expected = (alpha * w).hypot(beta) / w.hypot(beta);
                    let found = gain(bearing, frequency, ear);
                    assert!((20.0 * (found / expected).log10()).abs() < 0.1, "{bearing} {frequency} {ear}: {found} {expected}");
                }
            }
        }
        assert!(gain(90.0, 6000.0, 1) > 1.7 && gain(90.0, 6000.0, 0) < 0.6, "the far ear lies in the shadow");
    }

    proptest! {
        #[test]
        fn both_sides_are_alike_and_all_stays_finite(bearing in -180.0f32..180.0, seed in 1u32..1000) {
            let noise: Vec<f32> = (0..1000u32).map(|i| ((i.wrapping_mul(seed).wrapping_mul(2_654_435_761) >> 8) % 2000) as f32 / 1000.0 - 1.0).collect();
            let ([left, right], [other_left, other_right]) = (heard(bearing, &noise), heard(-bearing, &noise));
            for i in 0..1000 {
                prop_assert!((left[i] - other_right[i]).abs() < 6e-3 && (right[i] - other_left[i]).abs() < 6e-3);
                prop_assert!(left[i].is_finite() && left[i].abs() < 8.0);
            }
        }
    }
}
