//! A line of past samples.

use crate::dsp::{Interpolator, ONE, TAPS};

/// Past samples of one channel, read at any distance, also between two samples.
#[derive(Debug, Clone)]
pub(crate) struct DelayLine {
    samples: Vec<f32>,
    mask: usize,
    next: usize,
}

impl DelayLine {
    /// Room for reading `most` frames back.
    pub(crate) fn new(most: usize) -> DelayLine {
        let size = (most + 4).next_power_of_two();
        DelayLine { samples: vec![0.0; size], mask: size - 1, next: 0 }
    }

    /// The most whole frames that can be read back, between samples too.
    pub(super) fn most(&self) -> usize {
        self.samples.len() - 4
    }

    pub(crate) fn write(&mut self, sample: f32) {
        self.samples[self.next & self.mask] = sample;
        self.next = self.next.wrapping_add(1);
    }

    /// Writes a block.
    pub(crate) fn write_block(&mut self, samples: &[f32]) {
        let start = self.next & self.mask;
        let first = samples.len().min(self.samples.len() - start);
        self.samples[start..start + first].copy_from_slice(&samples[..first]);
        self.samples[..samples.len() - first].copy_from_slice(&samples[first..]);
        self.next = self.next.wrapping_add(samples.len());
    }

    /// Reads a block, as [`DelayLine::at`] does: the first sample from `back` writes ago, the next one after it.
    pub(crate) fn read_block(&self, back: usize, out: &mut [f32]) {
        let start = self.next.wrapping_sub(back) & self.mask;
        let first = out.len().min(self.samples.len() - start);
        let rest = out.len() - first;
        out[..first].copy_from_slice(&self.samples[start..start + first]);
        out[first..].copy_from_slice(&self.samples[..rest]);
    }

    /// The sample written `back` writes ago; the last one is 1 back.
    pub(crate) fn at(&self, back: usize) -> f32 {
        self.samples[self.next.wrapping_sub(back) & self.mask]
    }

    /// Between samples by a cubic through four of them (Hermite, Catmull and Rom 1974): brighter than a straight line.
    pub(super) fn smooth(&self, back: f32) -> f32 {
        let back = back.clamp(2.0, self.most() as f32);
        let whole = back as usize;
        let t = back - whole as f32;
        let (a, b, c, d) = (self.at(whole - 1), self.at(whole), self.at(whole + 1), self.at(whole + 2));
        let slope = 0.5 * (c - a);
        let bend = a - 2.5 * b + 2.0 * c - 0.5 * d;
        let twist = 0.5 * (d - a) + 1.5 * (b - c);
        ((twist * t + bend) * t + slope) * t + b
    }

    /// Between samples by the kernel for what is gone through by `advance` (32.32 fixed point): nothing folds back. `back` is at least
    /// [`DelayLine::REACH`].
    pub(super) fn band_limited(&self, interpolator: &Interpolator, back: f64, advance: u64) -> f32 {
        let whole = back.ceil();
        let position = ((whole - back) * ONE as f64) as u64;
        let taps = interpolator.count(advance);
        // The sample itself is the one before the middle; the first is the oldest.
        let oldest = whole as usize + taps / 2 - 1;
        let start = self.next.wrapping_sub(oldest) & self.mask;
        match self.samples.get(start..start + taps) {
            Some(inside) => interpolator.weigh(inside, position, advance),
            None => {
                let mut near = [0.0; TAPS];
                near[..taps].iter_mut().enumerate().for_each(|(at, slot)| *slot = self.samples[(start + at) & self.mask]);
                interpolator.weigh(&near[..taps], position, advance)
            }
        }
    }

    /// The least distance for [`DelayLine::band_limited`] if it is gone through up to twice as fast.
    pub(super) const REACH: f32 = 15.0;

    pub(super) fn clear(&mut self) {
        self.samples.fill(0.0);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn blocks_are_samples_one_after_the_other(most in 1usize..300, blocks in prop::collection::vec(1usize..64, 1..30), back in 1usize..400) {
            let (mut one, mut many) = (DelayLine::new(most), DelayLine::new(most));
            let mut value = 0.0f32;
            for count in blocks {
                let samples: Vec<f32> = (0..count.min(most)).map(|_| { value += 1.0; value }).collect();
                many.write_block(&samples);
                samples.iter().for_each(|s| one.write(*s));
                let back = back.min(most);
                let mut out = vec![0.0; back.min(17)];
                many.read_block(back, &mut out);
                for (i, sample) in out.iter().enumerate() {
                    prop_assert_eq!(*sample, one.at(back - i));
                }
            }
        }
    }
}
