//! The reed organ: two free reeds for each note, one a little sharp and the other as much flat, so that they beat, through a low-pass.

use super::{Slow, Tone};
use crate::dsp::oscillator::{pulse, saw};

impl Tone {
    pub(super) fn organ_slow(&self, slow: &mut Slow, by: f32, g: impl Fn(f32) -> f32) {
        let apart = (self.patch.detune_cents / 2_400.0).exp2();
        slow.others = [by, (by * apart).min(0.45), (by / apart).min(0.45)];
        let hertz = super::frequency(self.pitch);
        slow.g[0] = g((900.0 + 5_000.0 * self.patch.brightness).max(hertz * 1.5));
        // What the case lets through: a rise below 1 kHz.
        slow.g[2] = g(720.0);
    }

    pub(super) fn organ(&mut self, slow: &Slow) -> [f32; 2] {
        let mut sum = [0.0; 2];
        let mut whole = 0.0;
        for which in 1..3 {
            let phase = self.turn(which, slow.others[which]);
            // A reed that swings free opens for less than half of its turn.
            let value = 0.7 * pulse(phase, slow.others[which], 0.31) + 0.45 * saw(phase, slow.others[which]);
            (sum[0], sum[1]) = (sum[0] + value * self.others[which][0], sum[1] + value * self.others[which][1]);
            whole += value;
        }
        let (_, case) = self.filters[2].next(whole, slow.g[2], 0.8);
        let [left, right] = self.both_sides(sum.map(|s| s * 0.4), slow.g[0], 1.1);
        [left + 0.22 * case, right + 0.22 * case]
    }
}
