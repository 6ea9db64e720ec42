//! Voices: three sawtooths a few cents apart, with vibrato that sets in, through the first three formants of a vowel (G. Peterson and H. Barney,
//! *Control methods used in a study of the vowels*, 1952, means for men). From dark to bright they go from *oo* through *aw*, *ah* and *eh* to *ee*.

use super::{Slow, TAU, Tone};
use crate::dsp::oscillator::saw;

/// Formants in Hz: oo, aw, ah, eh, ee.
const VOWELS: [[f32; 3]; 5] =
    [[300.0, 870.0, 2_240.0], [570.0, 840.0, 2_410.0], [730.0, 1_090.0, 2_440.0], [530.0, 1_840.0, 2_480.0], [270.0, 2_290.0, 3_010.0]];
/// How strong each formant is.
const STRENGTHS: [f32; 3] = [1.0, 0.6, 0.3];

impl Tone {
    pub(super) fn voices_slow(&self, slow: &mut Slow, by: f32, seconds: f32, g: impl Fn(f32) -> f32) {
        let sways = 1.0 + 0.0035 * (seconds / 0.8).min(1.0) * (TAU * 5.3 * seconds).sin();
        let apart = (self.patch.detune_cents / 1_200.0).exp2();
        slow.others = [by * sways, by * sways * apart, by * sways / apart].map(|b| b.min(0.45));
        let place = self.patch.brightness * (VOWELS.len() - 1) as f32;
        let low = (place as usize).min(VOWELS.len() - 2);
        let share = place - low as f32;
        for (g_of, (here, there)) in slow.g.iter_mut().zip(VOWELS[low].iter().zip(VOWELS[low + 1])) {
            // Between two vowels by octaves, as one hears it.
            *g_of = g(here * (there / here).powf(share));
        }
    }

    pub(super) fn voices(&mut self, slow: &Slow) -> f32 {
        let mut source = 0.0;
        let mut root = 0.0;
        for which in 0..3 {
            let phase = self.turn(which, slow.others[which]);
            source += saw(phase, slow.others[which]);
            root += (TAU * phase).sin();
        }
        // Breath stands in the upper formants.
        let breath = self.noise() * 0.12;
        let mut sum = root * 0.12;
        for (formant, strength) in STRENGTHS.into_iter().enumerate() {
            let input = if formant == 0 { source } else { source + breath };
            let (_, band) = self.filters[formant].next(input, slow.g[formant], 0.16);
            sum += band * strength * 0.16;
        }
        sum
    }
}
