//! A steady tone: sine, triangle, sawtooth or pulse.

use super::{Beginning, Generator, GeneratorKind, levelled};
use crate::dsp::effects::Setting;
use crate::dsp::oscillator::{pulse, saw};
use crate::ground::property::Unit;
use std::f32::consts::TAU;

const WAVES: &[&str] = &["sine", "triangle", "saw", "pulse"];

/// The kind.
pub(super) const TONE: GeneratorKind = GeneratorKind {
    word: "tone",
    says: "a steady tone: sine, triangle, saw or pulse",
    settings: &[
        Setting::choice("wave", WAVES),
        Setting::new("frequency", Unit::Hertz, (20.0, 12_000.0), 440.0).fixed(),
        Setting::new("pulse-width", Unit::Share, (0.05, 0.95), 0.5).fixed(),
    ],
    stereo: |_| false,
    make: || Box::new(Tone::default()),
};

#[derive(Debug, Default)]
struct Tone {
    wave: usize,
    width: f32,
    gain: f32,
    /// Share of the period and what it moves by a sample, as 64 bits of fraction: what is skipped is exact.
    phase: u64,
    step: u64,
}

/// 2 to the 64th.
const WHOLE: f64 = 18_446_744_073_709_551_616.0;

impl Tone {
    fn at(&self, phase: f32, by: f32) -> f32 {
        match self.wave {
            0 => (TAU * phase).sin(),
            // Begins at 0 and rises, as the sine does.
            1 => 1.0 - 4.0 * ((phase + 0.25).fract() - 0.5).abs(),
            // Half a period on, where it passes 0.
            2 => saw((phase + 0.5).fract(), by),
            _ => pulse(phase, by, self.width),
        }
    }
}

impl Generator for Tone {
    fn begin(&mut self, beginning: &Beginning) {
        let [wave, frequency, width, ..] = beginning.values;
        let wave = wave as usize;
        // RMS of a period; a pulse has lost its constant part.
        let rms = match wave {
            0 => std::f32::consts::FRAC_1_SQRT_2,
            1 | 2 => 0.577_350_3,
            _ => 2.0 * (width * (1.0 - width)).sqrt(),
        };
        let step = (f64::from(frequency) / f64::from(beginning.rate)).min(0.45) * WHOLE;
        *self = Tone { wave, width, gain: levelled(rms), phase: 0, step: step as u64 };
    }

    fn fill(&mut self, left: &mut [f32], _right: &mut [f32]) {
        let by = (self.step as f64 / WHOLE) as f32;
        for sample in left {
            // 24 bits of the phase: as many as a sample has.
            let phase = (self.phase >> 40) as f32 / (1 << 24) as f32;
            *sample = self.at(phase, by) * self.gain;
            self.phase = self.phase.wrapping_add(self.step);
        }
    }

    fn skip(&mut self, count: usize) {
        self.phase = self.phase.wrapping_add(self.step.wrapping_mul(count as u64));
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::samples;
    use super::*;

    /// The amplitude at a frequency, by correlation over whole periods.
    fn strength(samples: &[f32], hertz: f64) -> f64 {
        let (mut re, mut im) = (0.0, 0.0);
        for (i, s) in samples.iter().enumerate() {
            let angle = std::f64::consts::TAU * hertz * i as f64 / 48_000.0;
            re += f64::from(*s) * angle.cos();
            im += f64::from(*s) * angle.sin();
        }
        2.0 * (re * re + im * im).sqrt() / samples.len() as f64
    }

    #[test]
    fn each_wave_has_the_partials_that_it_should_have() {
        // Partials of 500 Hz against the first: of a sine none, of a triangle 1 ÷ n² of the odd ones, of a saw 1 ÷ n, of a pulse of a quarter
        // sin(n π ÷ 4) ÷ n.
        let quarter = |n: f64| (n * std::f64::consts::FRAC_PI_4).sin().abs() / n / std::f64::consts::FRAC_PI_4.sin();
        let wanted: [&dyn Fn(f64) -> f64; 4] = [&|n| f64::from(n == 1.0), &|n| if n % 2.0 == 1.0 { 1.0 / (n * n) } else { 0.0 }, &|n| 1.0 / n, &quarter];
        for (wave, wanted) in wanted.iter().enumerate() {
            let [left, _] = samples(&TONE, &[("wave", wave as f32), ("frequency", 500.0), ("pulse-width", 0.25)], 1, 48_000);
            let first = strength(&left, 500.0);
            for n in 1..8 {
                let n = f64::from(n);
                let found = strength(&left, 500.0 * n) / first;
                assert!((found - wanted(n)).abs() < 0.03, "{} partial {n}: {found} instead of {}", WAVES[wave], wanted(n));
            }
            assert!(strength(&left, 0.0) < 1e-3, "{} holds no constant", WAVES[wave]);
        }
    }

    #[test]
    fn it_is_in_tune_and_begins_where_it_passes_0() {
        for frequency in [20.0f32, 55.5, 1_234.5, 9_000.0] {
            let [left, _] = samples(&TONE, &[("frequency", frequency)], 1, 480_000);
            // Whole periods within ten seconds, counted by rising passes through 0.
            let passes: Vec<usize> = (1..left.len()).filter(|i| left[i - 1] < 0.0 && left[*i] >= 0.0).collect();
            let measured = (passes.len() - 1) as f64 * 48_000.0 / (passes[passes.len() - 1] - passes[0]) as f64;
            let cents = 1_200.0 * (measured / f64::from(frequency)).log2();
            assert!(cents.abs() < 1.0, "{frequency} Hz: {cents} cents");
        }
        for (wave, word) in WAVES.iter().enumerate().take(3) {
            let [left, _] = samples(&TONE, &[("wave", wave as f32), ("frequency", 100.0)], 1, 2);
            assert!(left[0].abs() < 0.02, "{word}: {}", left[0]);
        }
    }
}
