//! Eight times the rate and back, by one long windowed sinc (Kaiser), for what bends samples and for true peaks.

use super::MOST_FRAMES;
use std::f64::consts::PI;
use std::sync::Arc;

/// How many times the rate.
pub const OVERSAMPLING: usize = 8;
/// Taps of each phase; going up and down again takes as many frames.
const PHASE: usize = 32;
const KERNEL: usize = OVERSAMPLING * PHASE + 1;
/// Taps of a phase and the sample itself.
const WINDOW: usize = PHASE + 1;

/// Modified Bessel function of the first kind, order 0, by its series.
fn bessel(x: f64) -> f64 {
    let (mut sum, mut term, mut k) = (1.0, 1.0, 1.0);
    while term > sum * 1e-12 {
        term *= (x / (2.0 * k)).powi(2);
        sum += term;
        k += 1.0;
    }
    sum
}

/// Frames of delay of going up and down again.
pub(super) const ROUND_TRIP: usize = PHASE;
/// Frames of delay of going up alone.
pub(super) const HALF: usize = PHASE / 2;

/// The kernel: a low-pass at `band` of half the rate, for going up scaled by [`OVERSAMPLING`].
fn kernel(band: f64) -> Vec<f32> {
    let (middle, beta) = ((KERNEL - 1) as f64 / 2.0, 8.0);
    let raw: Vec<f64> = (0..KERNEL)
        .map(|i| {
            let x = (i as f64 - middle) / OVERSAMPLING as f64;
            let sinc = if x == 0.0 { band } else { (band * PI * x).sin() / (PI * x) };
            let edge = (i as f64 - middle) / middle;
            sinc * bessel(beta * (1.0 - edge * edge).max(0.0).sqrt()) / bessel(beta)
        })
        .collect();
    let sum: f64 = raw.iter().sum();
    raw.into_iter().map(|tap| (tap / sum) as f32).collect()
}

/// One channel up and down.
#[derive(Debug, Clone)]
pub(super) struct Oversampler {
    /// For each of the past samples, the newest last, its share in each phase.
    up: Arc<[[f32; OVERSAMPLING]; WINDOW]>,
    down: Arc<[f32]>,
    past: [f32; MOST_FRAMES + WINDOW],
    /// No sample between others is greater than this many times the greatest of those.
    most: f32,
    fine: Vec<f32>,
}

impl Oversampler {
    /// For going up, bending, and going down: what lies over 0.92 of half the rate is let go.
    pub(super) fn new() -> Oversampler {
        Oversampler::of(0.92)
    }

    fn of(band: f64) -> Oversampler {
        let kernel = kernel(band);
        let mut up = [[0.0f32; OVERSAMPLING]; WINDOW];
        for back in 0..=PHASE {
            for (phase, tap) in up[WINDOW - 1 - back].iter_mut().enumerate() {
                // Sample n−back lies back·8 + phase taps from the kernel's start.
                let at = back * OVERSAMPLING + phase;
                *tap = if at < KERNEL { kernel[at] * OVERSAMPLING as f32 } else { 0.0 };
            }
        }
        let fine = vec![0.0; MOST_FRAMES * OVERSAMPLING + KERNEL - 1];
        let most = (0..OVERSAMPLING).map(|phase| up.iter().map(|taps| taps[phase].abs()).sum::<f32>()).fold(0.0, f32::max);
        Oversampler { up: Arc::new(up), down: kernel.into(), past: [0.0; MOST_FRAMES + WINDOW], most, fine }
    }

    /// Eight samples for each of a block; valid until the next call.
    pub(super) fn rise(&mut self, samples: &[f32]) -> &mut [f32] {
        let n = samples.len();
        self.past[WINDOW - 1..WINDOW - 1 + n].copy_from_slice(samples);
        for i in 0..n {
            // All eight phases at once, in two sums each that do not wait for one another.
            let (mut even, mut odd) = ([0.0f32; OVERSAMPLING], [0.0f32; OVERSAMPLING]);
            let (pairs, last) = self.past[i..i + WINDOW].as_chunks::<2>();
            let (taps, last_taps) = self.up.as_chunks::<2>();
            for ([x, y], [a, b]) in pairs.iter().zip(taps) {
                for phase in 0..OVERSAMPLING {
                    even[phase] += x * a[phase];
                    odd[phase] += y * b[phase];
                }
            }
            for (x, a) in last.iter().zip(last_taps) {
                for phase in 0..OVERSAMPLING {
                    even[phase] += x * a[phase];
                }
            }
            for (fine, (even, odd)) in self.fine[KERNEL - 1 + i * OVERSAMPLING..][..OVERSAMPLING].iter_mut().zip(even.iter().zip(odd)) {
                *fine = even + odd;
            }
        }
        self.past.copy_within(n..n + WINDOW - 1, 0);
        &mut self.fine[KERNEL - 1..KERNEL - 1 + n * OVERSAMPLING]
    }

    /// Back to the rate, after [`Oversampler::rise`] and whatever was done to its samples.
    pub(super) fn fall(&mut self, samples: &mut [f32]) {
        let n = samples.len();
        for (i, sample) in samples.iter_mut().enumerate() {
            *sample = dot(&self.down, &self.fine[i * OVERSAMPLING..i * OVERSAMPLING + KERNEL]);
        }
        self.fine.copy_within(n * OVERSAMPLING..n * OVERSAMPLING + KERNEL - 1, 0);
    }

    pub(super) fn clear(&mut self) {
        self.past.fill(0.0);
        self.fine.fill(0.0);
    }
}

/// Sums in sixteen lanes that do not wait for each other.
fn dot(a: &[f32], b: &[f32]) -> f32 {
    let mut lanes = [0.0f32; 16];
    let (x, rest_x) = a.as_chunks::<16>();
    let (y, rest_y) = b.as_chunks::<16>();
    let rest: f32 = rest_x.iter().zip(rest_y).map(|(a, b)| a * b).sum();
    for (a, b) in x.iter().zip(y) {
        for i in 0..16 {
            lanes[i] += a[i] * b[i];
        }
    }
    lanes.iter().sum::<f32>() + rest
}

/// Samples on each side that the short kernel of a meter sees.
const SHORT: usize = 6;
/// How many times the rate a meter looks at.
const METER: usize = 4;

/// The greatest amplitude between samples, over blocks of one channel (ITU-R BS.1770-5, annex 2).
///
/// Looked for twice: at eight times the rate by a long kernel, and at four times by one as short as the standard's own (twelve taps for
/// each sample, here a sinc under a Hann window). Sound near half the rate is let go by the end of the long one's band, and by much less of the
/// short one's: between them they differ by up to 0.9 dB on bursts of white noise, and what meters show is the short one's.
#[derive(Debug, Clone)]
pub struct TruePeak {
    over: Oversampler,
    /// For each sample that the short kernel sees, the newest last, its share in each of its phases.
    short: [[f32; METER]; 2 * SHORT + 1],
}

impl Default for TruePeak {
    fn default() -> Self {
        // The whole band: every eighth sample is the sample itself.
        let mut over = Oversampler::of(1.0);
        let mut short = [[0.0; METER]; 2 * SHORT + 1];
        for (i, taps) in short.iter_mut().enumerate() {
            for (phase, tap) in taps.iter_mut().enumerate() {
                let t = SHORT as f64 - i as f64 + phase as f64 / METER as f64;
                let sinc = if t == 0.0 { 1.0 } else { (PI * t).sin() / (PI * t) };
                *tap = if t < SHORT as f64 { (sinc * 0.5 * (1.0 + (PI * t / SHORT as f64).cos())) as f32 } else { 0.0 };
            }
        }
        let most = (0..METER).map(|phase| short.iter().map(|taps| taps[phase].abs()).sum::<f32>()).fold(0.0, f32::max);
        over.most = over.most.max(most);
        TruePeak { over, short }
    }
}

impl TruePeak {
    /// The greatest amplitude around each sample of a block (16 frames late), written into `peaks`.
    ///
    /// While nothing between the samples can be over `needless` they are not looked for; then `peaks` are no greater than that.
    pub(super) fn around(&mut self, samples: &[f32], needless: f32, peaks: &mut [f32]) {
        let n = samples.len();
        let past = &mut self.over.past;
        let greatest = past[..WINDOW - 1].iter().chain(samples).fold(0.0f32, |p, s| p.max(s.abs()));
        if greatest * self.over.most <= needless {
            past[WINDOW - 1..WINDOW - 1 + n].copy_from_slice(samples);
            past.copy_within(n..n + WINDOW - 1, 0);
            peaks.fill(greatest);
            return;
        }
        past[WINDOW - 1..WINDOW - 1 + n].copy_from_slice(samples);
        for (i, peak) in peaks.iter_mut().enumerate().take(n) {
            // Around the same sample as the long kernel.
            let seen = &past[i + WINDOW - 1 - HALF - SHORT..][..2 * SHORT + 1];
            let mut between = [0.0f32; METER];
            for (sample, taps) in seen.iter().zip(&self.short) {
                for phase in 0..METER {
                    between[phase] += sample * taps[phase];
                }
            }
            *peak = between.iter().fold(0.0f32, |p, s| p.max(s.abs()));
        }
        let fine = self.over.rise(samples);
        for (peak, eight) in peaks.iter_mut().zip(fine.chunks_exact(OVERSAMPLING)) {
            *peak = eight.iter().fold(*peak, |p, s| p.max(s.abs()));
        }
    }

    /// The greatest amplitude in a block of at most [`MOST_FRAMES`].
    pub fn greatest(&mut self, samples: &[f32]) -> f32 {
        let mut peaks = [0.0; MOST_FRAMES];
        self.around(samples, 0.0, &mut peaks[..samples.len()]);
        peaks[..samples.len()].iter().fold(0.0, |p, s| p.max(*s))
    }

    pub(super) fn clear(&mut self) {
        self.over.clear();
    }
}
