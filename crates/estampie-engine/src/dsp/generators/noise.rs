//! Noise: white, pink and brown.
//!
//! White noise is drawn from a counter (G. Steele, D. Lea and C. Flood, *Fast splittable pseudorandom number generators*, 2014), so that any
//! sample can be made without those before it. Pink noise falls by 3 dB an octave: a sum of low-passes of the first order, an octave apart,
//! each by the inverse root of its corner (after R. Voss and J. Clarke, *"1/f noise" in music*, 1978, with filters instead of held draws).
//! Brown noise falls by 6 dB an octave above 20 Hz.

use super::{Beginning, Generator, GeneratorKind, MOST_CONTROLS, levelled};
use crate::dsp::effects::Setting;
use std::f32::consts::TAU;

const COLOURS: &[&str] = &["white", "pink", "brown"];
const CHANNELS: &[&str] = &["mono", "stereo"];
const PINK: usize = 1;
const BROWN: usize = 2;

/// Corners of the low-passes of pink noise: the first in Hz, each of the others twice the one before.
const LOWEST: f32 = 10.0;
const POLES: usize = 12;
/// The corner of brown noise, in Hz.
const BROWN_CORNER: f32 = 20.0;
/// After a third of a second a filter of 10 Hz has forgotten all before, to less than one in a thousand million.
const MEMORY: u32 = 3;
/// How much the low-passes of two neighbouring octaves have in common: 2 √(a b) ÷ (a + b).
const SHARED: f32 = 0.942_809;
/// RMS of what is drawn evenly between −1 and 1.
const EVEN: f32 = 0.577_350_3;

/// The kind.
pub(super) const NOISE: GeneratorKind = GeneratorKind {
    word: "noise",
    says: "white, pink (-3 dB an octave) or brown (-6 dB an octave) noise",
    settings: &[Setting::choice("colour", COLOURS), Setting::choice("channels", CHANNELS)],
    stereo: |values| values[1] > 0.5,
    make: || Box::new(Noise::default()),
};

#[derive(Debug, Default)]
struct Noise {
    seeds: [u64; 2],
    at: u64,
    stereo: bool,
    /// How many of the filters are used; 0 for white.
    poles: usize,
    shares: [f32; POLES],
    gains: [f32; POLES],
    gain: f32,
    /// Samples after which its filters have forgotten what was before.
    memory: usize,
    held: [[f32; POLES]; 2],
}

/// A draw between −1 and 1, by its number.
fn draw(seed: u64, at: u64) -> f32 {
    let mut z = seed.wrapping_add(at.wrapping_mul(0x9e37_79b9_7f4a_7c15));
    z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    z ^= z >> 31;
    (z >> 40) as f32 / (1 << 23) as f32 - 1.0
}

impl Noise {
    fn next(&mut self, side: usize) -> f32 {
        let white = draw(self.seeds[side], self.at);
        if self.poles == 0 {
            return white * self.gain;
        }
        let mut sum = 0.0;
        let held = &mut self.held[side];
        for (held, (share, gain)) in held.iter_mut().zip(self.shares.iter().zip(&self.gains)).take(self.poles) {
            *held += (white - *held) * share;
            sum += *held * gain;
        }
        sum * self.gain
    }

    /// RMS of what comes out of the filters, from the correlation of each with each.
    fn rms(&self) -> f32 {
        if self.poles == 0 {
            return EVEN;
        }
        let mut power = 0.0f64;
        for i in 0..self.poles {
            for j in 0..self.poles {
                let (a, b) = (f64::from(self.shares[i]), f64::from(self.shares[j]));
                power += f64::from(self.gains[i] * self.gains[j]) * a * b / (a + b - a * b);
            }
        }
        power.sqrt() as f32 * EVEN
    }
}

impl Generator for Noise {
    fn begin(&mut self, beginning: &Beginning) {
        let values: &[f32; MOST_CONTROLS] = &beginning.values;
        let colour = values[0] as usize;
        *self = Noise { seeds: [beginning.seed, beginning.seed ^ 0x5bf0_3635_dcd1_4cd3], stereo: values[1] > 0.5, ..Noise::default() };
        self.poles = match colour {
            PINK => POLES,
            BROWN => 1,
            _ => 0,
        };
        for pole in 0..self.poles {
            let corner = if colour == BROWN { BROWN_CORNER } else { LOWEST * (1 << pole) as f32 };
            self.shares[pole] = 1.0 - (-TAU * corner / beginning.rate as f32).exp();
            self.gains[pole] = corner.powf(-0.5);
        }
        self.gain = levelled(self.rms());
        self.memory = (beginning.rate / MEMORY) as usize;
        // It begins as if it had always been there, so that low frequencies do not have to grow.
        for side in 0..2 {
            let mut chain = 0.0;
            for pole in 0..self.poles {
                let drawn = draw(!self.seeds[side], pole as u64);
                chain = if pole == 0 { drawn } else { SHARED * chain + (1.0 - SHARED * SHARED).sqrt() * drawn };
                let share = self.shares[pole];
                self.held[side][pole] = chain * (share / (2.0 - share)).sqrt();
            }
        }
    }

    fn fill(&mut self, left: &mut [f32], right: &mut [f32]) {
        for (left, right) in left.iter_mut().zip(right) {
            *left = self.next(0);
            if self.stereo {
                *right = self.next(1);
            }
            self.at += 1;
        }
    }

    fn skip(&mut self, count: usize) {
        let jump = if self.poles == 0 { count } else { count.saturating_sub(self.memory) };
        self.at += jump as u64;
        for _ in jump..count {
            for side in 0..if self.stereo { 2 } else { 1 } {
                self.next(side);
            }
            self.at += 1;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::samples;
    use super::*;
    use realfft::RealFftPlanner;

    /// Power in the octaves around 62.5 Hz to 16 kHz, in dB, by averaged spectra.
    fn octaves(samples: &[f32]) -> Vec<f64> {
        const SIZE: usize = 8192;
        let plan = RealFftPlanner::<f32>::new().plan_fft_forward(SIZE);
        let mut power = vec![0.0f64; SIZE / 2 + 1];
        for chunk in samples.chunks_exact(SIZE) {
            let mut input: Vec<f32> = chunk.iter().enumerate().map(|(i, s)| s * (0.5 - 0.5 * (TAU * i as f32 / SIZE as f32).cos())).collect();
            let mut output = plan.make_output_vec();
            plan.process(&mut input, &mut output).unwrap();
            power.iter_mut().zip(&output).for_each(|(sum, bin)| *sum += f64::from(bin.norm_sqr()));
        }
        let bin = |hertz: f64| (hertz * SIZE as f64 / 48_000.0) as usize;
        (0..9)
            .map(|octave| {
                let centre = 62.5 * f64::from(1 << octave);
                let (low, high) = (bin(centre / 2.0f64.sqrt()), bin(centre * 2.0f64.sqrt()).min(power.len()));
                10.0 * (power[low..high].iter().sum::<f64>() / (high - low) as f64).log10()
            })
            .collect()
    }

    #[test]
    fn each_colour_falls_by_as_much_in_an_octave_as_it_is_said() {
        for (colour, slope) in [(0, 0.0), (PINK, -3.01), (BROWN, -6.02)] {
            let [left, _] = samples(&NOISE, &[("colour", colour as f32)], 11, 48_000 * 40);
            let measured = octaves(&left);
            // The last octave lies at the end of what there is, where filters of a digital signal turn flat.
            for (octave, pair) in measured.windows(2).enumerate().take(if colour == BROWN { 6 } else { 7 }) {
                let fall = pair[1] - pair[0];
                assert!((fall - slope).abs() < 0.5, "{} octave {octave}: {fall} dB instead of {slope}", COLOURS[colour]);
            }
        }
    }

    #[test]
    fn two_channels_have_nothing_in_common() {
        for (colour, word) in COLOURS.iter().enumerate() {
            let [left, right] = samples(&NOISE, &[("colour", colour as f32), ("channels", 1.0)], 5, 480_000);
            let power: f64 = left.iter().map(|s| f64::from(s * s)).sum();
            let common: f64 = left.iter().zip(&right).map(|(a, b)| f64::from(a * b)).sum();
            // What is slow has fewer independent values to average over.
            let most = if colour == BROWN { 0.15 } else { 0.05 };
            assert!((common / power).abs() < most, "{word}: {}", common / power);
        }
    }

    #[test]
    fn it_begins_as_loud_as_it_goes_on() {
        for (colour, word) in COLOURS.iter().enumerate() {
            let power = |from: usize| -> f64 {
                let seeds = 0..200u64;
                seeds.map(|seed| samples(&NOISE, &[("colour", colour as f32)], seed, from + 480)[0][from..].iter().map(|s| f64::from(s * s)).sum::<f64>()).sum()
            };
            let change = 10.0 * (power(0) / power(9_600)).log10();
            assert!(change.abs() < 1.5, "{word}: {change} dB");
        }
    }
}
