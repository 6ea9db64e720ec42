//! Small tools of sound-making: noise, resonances, envelopes, loops.

use rand::RngCore as _;
use rand_pcg::Pcg32;
use std::f64::consts::TAU;

/// Frames a second of everything made here.
pub(crate) const RATE: f64 = 48_000.0;

/// Frames of a time in seconds.
pub(crate) fn frames(seconds: f64) -> usize {
    (seconds * RATE).round() as usize
}

/// White noise, ±1.
pub(crate) struct Noise(Pcg32);

impl Noise {
    pub(crate) fn new(seed: u64) -> Noise {
        Noise(Pcg32::new(seed, 0x5eed))
    }

    pub(crate) fn next(&mut self) -> f64 {
        f64::from(self.0.next_u32()) / f64::from(u32::MAX) * 2.0 - 1.0
    }

    /// Between two ends.
    pub(crate) fn between(&mut self, low: f64, high: f64) -> f64 {
        low + (high - low) * (self.next() * 0.5 + 0.5)
    }

    pub(crate) fn buffer(&mut self, count: usize) -> Vec<f64> {
        (0..count).map(|_| self.next()).collect()
    }
}

/// A second-order section (Audio EQ Cookbook, R. Bristow-Johnson).
pub(crate) struct Biquad {
    b: [f64; 3],
    a: [f64; 2],
    x: [f64; 2],
    y: [f64; 2],
}

impl Biquad {
    fn new(b: [f64; 3], a: [f64; 3]) -> Biquad {
        Biquad { b: b.map(|v| v / a[0]), a: [a[1] / a[0], a[2] / a[0]], x: [0.0; 2], y: [0.0; 2] }
    }

    pub(crate) fn band(frequency: f64, q: f64) -> Biquad {
        let (w, alpha) = Self::angle(frequency, q);
        Biquad::new([alpha, 0.0, -alpha], [1.0 + alpha, -2.0 * w.cos(), 1.0 - alpha])
    }

    pub(crate) fn low(frequency: f64, q: f64) -> Biquad {
        let (w, alpha) = Self::angle(frequency, q);
        let c = w.cos();
        Biquad::new([(1.0 - c) / 2.0, 1.0 - c, (1.0 - c) / 2.0], [1.0 + alpha, -2.0 * c, 1.0 - alpha])
    }

    pub(crate) fn high(frequency: f64, q: f64) -> Biquad {
        let (w, alpha) = Self::angle(frequency, q);
        let c = w.cos();
        Biquad::new([(1.0 + c) / 2.0, -(1.0 + c), (1.0 + c) / 2.0], [1.0 + alpha, -2.0 * c, 1.0 - alpha])
    }

    fn angle(frequency: f64, q: f64) -> (f64, f64) {
        let w = TAU * frequency.clamp(5.0, RATE * 0.48) / RATE;
        (w, w.sin() / (2.0 * q))
    }

    /// Takes over the coefficients of another, keeping what it remembers.
    pub(crate) fn retune(&mut self, other: &Biquad) {
        (self.b, self.a) = (other.b, other.a);
    }

    pub(crate) fn step(&mut self, x: f64) -> f64 {
        let y = self.b[0] * x + self.b[1] * self.x[0] + self.b[2] * self.x[1] - self.a[0] * self.y[0] - self.a[1] * self.y[1];
        self.x = [x, self.x[0]];
        self.y = [y, self.y[0]];
        y
    }

    pub(crate) fn run(mut self, samples: &mut [f64]) {
        for sample in samples {
            *sample = self.step(*sample);
        }
    }
}

/// Attack in a straight line, then an exponential fall to −60 dB in `decay` seconds.
pub(crate) fn strike(attack: f64, decay: f64, t: f64) -> f64 {
    let rise = (t / attack.max(1e-6)).min(1.0);
    rise * (-6.9 * (t - attack).max(0.0) / decay).exp()
}

/// Rises and falls smoothly at both ends.
pub(crate) fn swell(t: f64, length: f64, rise: f64, fall: f64) -> f64 {
    let smooth = |x: f64| {
        let x = x.clamp(0.0, 1.0);
        x * x * (3.0 - 2.0 * x)
    };
    smooth(t / rise) * smooth((length - t) / fall)
}

/// Sounds `make(t)` for `seconds`.
pub(crate) fn tone(seconds: f64, mut make: impl FnMut(f64) -> f64) -> Vec<f64> {
    (0..frames(seconds)).map(|i| make(i as f64 / RATE)).collect()
}

/// Partials that are struck together: frequency, gain, decay in seconds.
pub(crate) fn struck(seconds: f64, attack: f64, partials: &[(f64, f64, f64)]) -> Vec<f64> {
    tone(seconds, |t| partials.iter().map(|(f, gain, decay)| gain * strike(attack, *decay, t) * (TAU * f * t).sin()).sum())
}

/// Adds `from` to `into`, beginning at `at` seconds.
pub(crate) fn add(into: &mut [f64], from: &[f64], at: f64, gain: f64) {
    for (a, b) in into.iter_mut().skip(frames(at)).zip(from) {
        *a += b * gain;
    }
}

/// Noise that goes round: `length` seconds, made by `shape` from a longer stretch, its end crossed into its start.
pub(crate) fn round_noise(seed: u64, length: f64, shape: impl Fn(&mut Vec<f64>)) -> Vec<f64> {
    let over = frames(0.5);
    let lead = frames(0.5);
    let count = frames(length);
    let mut long = Noise::new(seed).buffer(lead + count + over);
    shape(&mut long);
    let body = &long[lead..];
    (0..count)
        .map(|i| {
            if i < over {
                // Equal power: the two stretches have nothing in common.
                let x = i as f64 / over as f64 * TAU / 4.0;
                body[i] * x.sin() + body[count + i] * x.cos()
            } else {
                body[i]
            }
        })
        .collect()
}

/// Takes away what stands still, and fades the ends so that they are silent.
pub(crate) fn finish(mut samples: Vec<f64>, fade_in: f64, fade_out: f64) -> Vec<f64> {
    Biquad::high(18.0, 0.7).run(&mut samples);
    let count = samples.len();
    let (rise, fall) = (frames(fade_in).max(1), frames(fade_out).max(1));
    for (i, sample) in samples.iter_mut().enumerate() {
        let head = (i as f64 / rise as f64).min(1.0);
        let tail = ((count - 1 - i) as f64 / fall as f64).min(1.0);
        *sample *= head * tail * (2.0 - tail).min(1.0);
    }
    samples
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_made_is_the_same_every_time() {
        assert_eq!(Noise::new(7).buffer(100), Noise::new(7).buffer(100));
        assert_ne!(Noise::new(7).buffer(100), Noise::new(8).buffer(100));
        assert!(Noise::new(7).buffer(10_000).iter().all(|s| s.abs() <= 1.0));
    }

    #[test]
    fn noise_that_goes_round_has_no_step_at_its_seam() {
        let round = round_noise(3, 1.0, |n| Biquad::low(300.0, 0.7).run(n));
        let inside = round.windows(2).map(|w| (w[1] - w[0]).abs()).fold(0.0, f64::max);
        assert!((round[0] - round[round.len() - 1]).abs() <= inside);
        let level = |part: &[f64]| (part.iter().map(|s| s * s).sum::<f64>() / part.len() as f64).sqrt();
        let (seam, middle) = (level(&round[..frames(0.5)]), level(&round[frames(0.5)..]));
        assert!((seam / middle).log10().abs() * 20.0 < 2.0, "as loud over the seam as elsewhere: {seam} {middle}");
    }

    #[test]
    fn what_is_finished_begins_and_ends_in_silence_without_dc() {
        let done = finish(vec![0.5; frames(1.0)], 0.01, 0.1);
        assert_eq!((done[0], done[done.len() - 1]), (0.0, 0.0));
        let mean = done[frames(0.3)..].iter().sum::<f64>() / done.len() as f64;
        assert!(mean.abs() < 1e-3, "{mean}");
        assert!((strike(0.01, 0.5, 0.01) - 1.0).abs() < 1e-9 && strike(0.01, 0.5, 0.51) < 0.0011);
    }
}
