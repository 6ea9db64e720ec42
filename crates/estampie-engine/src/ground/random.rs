//! Random draws: every thing has a stream of its own, so that what one draws never depends on what another does.

use super::names::NameKey;
use rand::RngCore as _;
use rand_pcg::Pcg32;

/// A range of which a value is drawn.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Draw {
    /// The ends.
    pub ends: (f32, f32),
    /// The mean of three draws instead of one.
    pub centred: bool,
}

/// A stream of random draws of its own.
#[derive(Debug, Clone)]
pub struct Stream(Pcg32);

impl Stream {
    /// The stream of a thing, by its key, for one of its purposes.
    #[must_use]
    pub fn new(seed: u64, key: NameKey, purpose: u64) -> Stream {
        Stream(Pcg32::new(seed ^ key.with(purpose).0, key.with(purpose.wrapping_add(1000)).0))
    }

    /// From 0 up to but not including 1.
    pub fn unit(&mut self) -> f32 {
        (self.0.next_u32() >> 8) as f32 / (1u32 << 24) as f32
    }

    /// Any 64 bits.
    pub fn whole(&mut self) -> u64 {
        self.0.next_u64()
    }

    /// Between two ends.
    pub fn between(&mut self, (low, high): (f32, f32)) -> f32 {
        if low == high { low } else { low + (high - low) * self.unit() }
    }

    /// From a range: evenly, or centred towards its middle.
    pub fn draw(&mut self, draw: Draw) -> f32 {
        if draw.centred && draw.ends.0 != draw.ends.1 {
            let share = (self.unit() + self.unit() + self.unit()) / 3.0;
            return draw.ends.0 + (draw.ends.1 - draw.ends.0) * share;
        }
        self.between(draw.ends)
    }

    /// A whole number below `n`, each as likely as the others (Lemire 2019, with rejection).
    pub fn below(&mut self, n: usize) -> usize {
        let n = n.clamp(1, u32::MAX as usize) as u32;
        let threshold = n.wrapping_neg() % n;
        loop {
            let product = u64::from(self.0.next_u32()) * u64::from(n);
            if product as u32 >= threshold {
                return (product >> 32) as usize;
            }
        }
    }
}
