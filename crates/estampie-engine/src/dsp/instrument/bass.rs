//! The plucked bass: the plucked string, plucked at a fifth of its length. What lies there at rest is missing: every fifth partial.

use super::{Tone, frequency};

/// Where it is plucked, as a share of its length.
const PLUCKED_AT: f32 = 0.2;
/// Makes up for what the finger takes.
const LOUD: f32 = 1.7;

impl Tone {
    pub(super) fn pluck_bass(&mut self, rate: f32) {
        self.pluck(rate);
        let period = ((rate / frequency(self.pitch)) as usize).clamp(4, self.line.len() / 2 - 2);
        let apart = ((period as f32 * PLUCKED_AT) as usize).max(1);
        // The second half of the line is free.
        let half = self.line.len() / 2;
        // A finger is wider than a plectrum: what is finer than it does not come to be.
        let wide = (period / 24).max(1);
        for _ in 0..2 {
            let mut sum: f32 = self.line[period - wide..period].iter().sum();
            for at in 0..period {
                let gone = self.line[(at + period - wide) % period];
                sum += self.line[at] - gone;
                self.line[half + at] = sum / wide as f32;
            }
            self.line.copy_within(half..half + period, 0);
        }
        // The stroke and its reflection from the nearer end, the other way up. The second half of the line is free: it keeps what was.
        self.line.copy_within(0..period, half);
        for at in 0..period {
            let reflected = self.line[half + (at + period - apart) % period];
            self.line[at] = (self.line[half + at] - reflected) * LOUD;
        }
        self.line[half..half + period].fill(0.0);
        self.line[period] = self.line[0];
    }
}
