//! The ceiling that guards the output: no sample passes it, without delay.
//!
//! It looks ahead within the block only, so that nothing is late: the gain falls in a straight line towards a peak
//! inside the block (as early as the block allows) and recovers exponentially. It is a guard, not an effect: a mix
//! that never reaches the ceiling passes bit for bit.

/// The state of the guard.
#[derive(Debug, Clone)]
pub struct Limiter {
    ceiling: f32,
    gain: f32,
    recovery: f32,
    fall: f32,
}

impl Limiter {
    /// A guard at `ceiling_gain` (a factor of full scale, above 0), recovering 90 % in 150 ms.
    #[must_use]
    pub fn new(ceiling_gain: f32, rate: u32) -> Self {
        let rate = rate as f32;
        Limiter { ceiling: ceiling_gain, gain: 1.0, recovery: 1.0 - (-std::f32::consts::LN_10 / (0.15 * rate)).exp(), fall: 1.0 / (0.001 * rate) }
    }

    /// Sets the ceiling, from the next block on.
    pub fn set_ceiling(&mut self, ceiling_gain: f32) {
        self.ceiling = ceiling_gain;
    }

    /// Guards a block of two channels of equal length, at most 64 samples each. Returns the least gain that it came to (1 when idle).
    pub fn process(&mut self, left: &mut [f32], right: &mut [f32]) -> f32 {
        let passes = |samples: &[f32]| samples.iter().all(|s| s.abs() <= self.ceiling);
        if self.gain == 1.0 && passes(left) && passes(right) {
            return 1.0;
        }
        let n = left.len().min(right.len()).min(64);
        let mut wanted = [1.0f32; 64];
        for i in 0..n {
            let peak = left[i].abs().max(right[i].abs());
            if peak > self.ceiling {
                wanted[i] = self.ceiling / peak;
            }
        }
        // Towards each peak in a straight line: a sample may be above the next one's gain by no more than `fall`.
        for i in (0..n.saturating_sub(1)).rev() {
            wanted[i] = wanted[i].min(wanted[i + 1] + self.fall);
        }
        let mut least = 1.0f32;
        for i in 0..n {
            // The least step ends what the exponential would never end.
            let recovered = (self.gain + ((1.0 - self.gain) * self.recovery).max(1e-6)).min(1.0);
            self.gain = recovered.min(wanted[i]);
            least = least.min(self.gain);
            left[i] = (left[i] * self.gain).clamp(-self.ceiling, self.ceiling);
            right[i] = (right[i] * self.gain).clamp(-self.ceiling, self.ceiling);
        }
        least
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn nothing_passes_the_ceiling(samples in prop::collection::vec(-40.0f32..40.0, 1..1000), ceiling in 0.05f32..1.0) {
            let mut limiter = Limiter::new(ceiling, 48_000);
            let mut left = samples.clone();
            let mut right: Vec<f32> = samples.iter().rev().copied().collect();
            for (l, r) in left.chunks_mut(64).zip(right.chunks_mut(64)) {
                limiter.process(l, r);
            }
            prop_assert!(left.iter().chain(&right).all(|s| s.abs() <= ceiling));
        }

        #[test]
        fn what_stays_below_passes_bit_for_bit(samples in prop::collection::vec(-0.89f32..0.89, 1..300)) {
            let mut limiter = Limiter::new(0.891, 48_000);
            let (mut left, mut right) = (samples.clone(), samples.clone());
            for (l, r) in left.chunks_mut(64).zip(right.chunks_mut(64)) {
                limiter.process(l, r);
            }
            prop_assert_eq!(&left, &samples);
        }
    }

    #[test]
    fn the_gain_falls_in_a_straight_line_towards_a_peak() {
        let mut limiter = Limiter::new(0.5, 48_000);
        let (mut left, mut right) = ([0.1f32; 64], [0.0f32; 64]);
        left[40] = 1.0;
        limiter.process(&mut left, &mut right);
        assert!((left[40] - 0.5).abs() < 1e-6);
        for (at, sample) in left[..40].iter().enumerate() {
            // A whole gain in 1 ms, which are 48 frames: it begins 24 frames before a peak that needs a half.
            let gain = (0.5 + (40 - at) as f32 / 48.0).min(1.0);
            assert!((sample - 0.1 * gain).abs() < 1e-6, "{at}: {sample} for {}", 0.1 * gain);
        }
    }

    #[test]
    fn it_recovers_after_a_peak() {
        let mut limiter = Limiter::new(0.5, 48_000);
        let mut block = [0.1f32; 64];
        block[20] = 2.0;
        let mut other = [0.0f32; 64];
        assert!((limiter.process(&mut block, &mut other) - 0.25).abs() < 1e-6);
        for _ in 0..1500 {
            let (mut l, mut r) = ([0.1f32; 64], [0.1f32; 64]);
            limiter.process(&mut l, &mut r);
        }
        let (mut l, mut r) = ([0.1f32; 64], [0.1f32; 64]);
        assert_eq!(limiter.process(&mut l, &mut r), 1.0);
        assert_eq!(l, [0.1f32; 64]);
    }
}
