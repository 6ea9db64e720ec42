//! The plucked bass: the plucked string, plucked at a fifth of its length. What lies there at rest is missing: every fifth partial.

use super::Tone;

/// Where it is plucked, as a share of its length.
const PLUCKED_AT: f32 = 0.2;
/// The period of the lowest string at the highest rate that a project has (192 kHz), and more.
const LONGEST: usize = 8192;
/// Makes up for what the finger takes.
const LOUD: f32 = 1.7;

impl Tone {
    pub(super) fn pluck_bass(&mut self, rate: f32) {
        self.pluck(rate);
        let mut before = [0.0f32; LONGEST];
        let period = ((rate / self.string(rate)) as usize).clamp(4, (self.line.len() - 2).min(LONGEST));
        let before = &mut before[..period];
        let apart = ((period as f32 * PLUCKED_AT) as usize).max(1);
        // A finger is wider than a plectrum: what is finer than it does not come to be.
        let wide = (period / 24).max(1);
        for _ in 0..2 {
            let mut sum: f32 = self.line[period - wide..period].iter().sum();
            for (at, before) in before.iter_mut().enumerate() {
                let gone = self.line[(at + period - wide) % period];
                sum += self.line[at] - gone;
                *before = sum / wide as f32;
            }
            self.line[..period].copy_from_slice(before);
        }
        // The stroke and its reflection from the nearer end, the other way up.
        for at in 0..period {
            let reflected = before[(at + period - apart) % period];
            self.line[at] = (before[at] - reflected) * LOUD;
        }
        self.line[period] = self.line[0];
    }
}
