//! The struck bar: a bar of wood that is hollowed out so that its second partial is two octaves above the first, over a resonator (N. Fletcher and
//! T. Rossing, *The Physics of Musical Instruments*, 1998, on marimba bars: 1 to 4 to about 10), and the stroke of the mallet.

use super::{Slow, TAU, Tone, Turn, frequency};

/// Ratios, strengths, and how many times as fast as the first each dies away.
pub(super) const PARTIALS: [(f32, f32, f32); 3] = [(1.0, 1.0, 1.0), (3.97, 0.4, 4.5), (9.85, 0.22, 14.0)];
/// Low bars ring longer: at this pitch as long as is set, an octave higher a third less.
const MIDDLE: f32 = 60.0;

impl Tone {
    pub(super) fn strike_bar(&mut self, rate: f32) {
        self.tuned = self.pitch;
        self.memory[0] = 1.0;
        self.turns = [Turn::default(); 6];
        let root = frequency(self.pitch);
        let ring = self.patch.decay_seconds * ((MIDDLE - self.pitch) / 20.0).exp2();
        for (at, (ratio, strength, sooner)) in PARTIALS.into_iter().enumerate() {
            let partial = root * ratio;
            let seconds = (ring / sooner).clamp(0.02, 20.0);
            // A hard mallet wakes the upper ones.
            let bright = if at == 0 { 1.0 } else { 0.3 + 1.6 * self.patch.brightness };
            let there = if partial < rate * 0.45 { strength * bright } else { 0.0 };
            self.turns[at] = Turn::new(TAU * partial / rate, (-6.9 / (seconds * rate)).exp(), there);
        }
    }

    pub(super) fn bar(&mut self, slow: &Slow) -> f32 {
        let ring: f32 = self.turns[..PARTIALS.len()].iter_mut().map(Turn::next).sum();
        let noise = self.noise();
        let (_, mallet) = self.filters[0].next(noise, slow.g[0], 0.9);
        let stroke = self.fading(0, slow);
        ring * 0.6 + mallet * stroke * (0.1 + 0.3 * self.patch.brightness)
    }
}
