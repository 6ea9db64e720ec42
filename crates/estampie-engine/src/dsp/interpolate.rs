//! Interpolation between samples by a windowed sinc.
//!
//! Up to two semitones above the recorded pitch: eight taps, Kaiser window, 1024 phases without interpolation between them
//! (J. O. Smith, *Digital Audio Resampling*; J. F. Kaiser 1974 for the window). Higher, what would fold back has to be taken
//! away: the kernel is as many times as long and as low as the sound is faster (Smith, the same, *Sampling-rate reduction*), in steps of
//! two semitones up to two octaves. Measured by the tests below: at least 80 dB signal to error at 1 kHz, images of a 10 kHz tone
//! played 7 semitones up at most −60 dB, what folds back below 15 kHz at most −60 dB up to two octaves.

use super::kernels::{LONG_PHASES, LongRows, PHASES, Row, SHORT, ShortRows, Way, between};
use super::widest::{self, Instructions};
use crate::ground::clip::Span;
use std::sync::LazyLock;
use wide::{f32x4, f32x8};

/// Samples that an output may look at.
pub const TAPS: usize = 56;
/// How many of them lie before the sample at the position itself: an output at a whole position is the tap `LEAD`.
pub const LEAD: usize = 27;
/// The same of the short kernel.
const SHORT_LEAD: usize = 3;
/// The last place that is reached quickly, a power of two less one, and how long a source is that reaches there.
const MOST: u64 = 1023;
const REACH: usize = MOST as usize + 1 + SHORT;
/// One sample in 32.32 fixed point.
pub const ONE: u64 = 1 << 32;
const KAISER_BETA: f64 = 7.2;
/// Long kernels: one for every two semitones from four to twenty-four.
const LONG: usize = 11;
/// Their taps for each time the sound is faster, and window. From 15 kHz to what folds back to it there are 3/8 of the width.
const LONG_TAPS: f64 = 14.0;
const LONG_BETA: f64 = 8.8;
/// They are a little lower than what is faster would be, so that they are down by as much as the window is where it matters.
const LOWER: f64 = 1.06;
/// An advance up to here needs no long kernel: two semitones.
const NEAR: u64 = (1.122_462_048_309_373 * ONE as f64) as u64 + 4;

/// The tables of coefficients; made once, shared by all voices.
#[derive(Debug)]
pub struct Interpolator {
    instructions: Instructions,
    short: ShortRows,
    long: Vec<Long>,
}

/// A kernel for sounds up to so much faster.
#[derive(Debug)]
struct Long {
    most: u64,
    kernel: LongRows,
}

impl Default for Interpolator {
    fn default() -> Self {
        Interpolator::new()
    }
}

static SHARED: LazyLock<Interpolator> = LazyLock::new(Interpolator::new);

/// The modified Bessel function of the first kind, order 0, by its power series.
fn bessel_i0(x: f64) -> f64 {
    let mut term = 1.0;
    let mut sum = 1.0;
    for k in 1..40 {
        let half = x / (2.0 * f64::from(k));
        term *= half * half;
        sum += term;
        if term < 1e-17 * sum {
            break;
        }
    }
    sum
}

impl Interpolator {
    /// Computes the tables; works with the widest instructions that there are.
    #[must_use]
    pub fn new() -> Self {
        Interpolator::with(Instructions::best())
    }

    /// The same, working with these instructions: what it gives is the same to the bit.
    #[must_use]
    pub fn with(instructions: Instructions) -> Self {
        let table = std::array::from_fn(|phase| {
            let mut row = [0.0; SHORT];
            kernel(&mut row, SHORT_LEAD, phase as f64 / PHASES as f64, 1.0, KAISER_BETA);
            Row(row)
        });
        let long = (0..LONG).map(|at| {
            let ratio = (f64::from(at as u32 * 2 + 4) / 12.0).exp2();
            let taps = ((LONG_TAPS * ratio / 4.0 + 0.99) as usize * 4).min(TAPS);
            let mut rows = vec![0.0; LONG_PHASES * 2 * taps].into_boxed_slice();
            let coefficients = |phase: usize, row: &mut [f32]| kernel(row, taps / 2 - 1, phase as f64 / LONG_PHASES as f64, ratio * LOWER, LONG_BETA);
            for (phase, row) in rows.chunks_exact_mut(2 * taps).enumerate() {
                let (near, difference) = row.split_at_mut(taps);
                coefficients(phase, near);
                coefficients(phase + 1, difference);
                difference.iter_mut().zip(near).for_each(|(difference, near)| *difference -= *near);
            }
            Long { most: (ratio * ONE as f64) as u64 + 4, kernel: LongRows { taps, rows } }
        });
        Interpolator { instructions, short: ShortRows(Box::new(table)), long: long.collect() }
    }

    /// One for all, made when it is first asked for.
    #[must_use]
    pub fn shared() -> &'static Interpolator {
        &SHARED
    }

    /// The kernel for an advance, if it needs a long one.
    fn long(&self, advance: u64) -> Option<&Long> {
        if advance <= NEAR { None } else { self.long.iter().find(|l| advance <= l.most).or(self.long.last()) }
    }

    /// The sample at a position of `samples` that is gone through by `advance`; what lies outside counts as silence.
    #[must_use]
    pub fn at(&self, samples: Span<'_>, position: u64, advance: u64) -> f32 {
        let whole = (position >> 32) as usize;
        let taps = self.count(advance);
        let lead = taps / 2 - 1;
        let mut near = [0.0; TAPS];
        match (samples, whole.checked_sub(lead).filter(|first| first + taps <= samples.len())) {
            (Span::Float(samples), Some(first)) => return self.weigh(&samples[first..first + taps], position, advance),
            (_, Some(first)) => samples.from(first, first + taps).copy_to(&mut near),
            (_, None) => {
                for (at, slot) in near[..taps].iter_mut().enumerate() {
                    *slot = (whole + at).checked_sub(lead).and_then(|i| samples.get(i)).unwrap_or(0.0);
                }
            }
        }
        self.weigh(&near[..taps], position, advance)
    }

    /// How many samples are looked at for what is gone through by `advance`.
    #[must_use]
    pub fn count(&self, advance: u64) -> usize {
        self.long(advance).map_or(SHORT, |l| l.kernel.taps)
    }

    /// What so many samples ([`Interpolator::count`]) come to at the fraction of a position; the sample of the whole position is the one
    /// before their middle.
    #[must_use]
    pub fn weigh(&self, taps: &[f32], position: u64, advance: u64) -> f32 {
        match self.long(advance) {
            Some(long) => long.weigh(taps, position),
            None => dot(taps, self.short.of(position)),
        }
    }

    /// Fills `out` with the samples at positions `fraction + i · advance`, counted from `source[LEAD]`.
    ///
    /// Both are in 32.32 fixed point ([`ONE`] is one sample), so that sums of them are exact; `fraction` is below
    /// [`ONE`]. `source` must reach [`TAPS`] − [`LEAD`] samples beyond the last position; what it lacks counts as
    /// silence at the end of `out`; one of at least 1,056 samples is read faster. Returns the position after the last one, whole samples included.
    pub fn fill(&self, source: &[f32], fraction: u64, advance: u64, out: &mut [f32]) -> u64 {
        if fraction == 0 && advance == ONE && source.len() >= LEAD + out.len() {
            // At the recorded pitch nothing is interpolated: bit for bit what was recorded.
            out.copy_from_slice(&source[LEAD..LEAD + out.len()]);
            return out.len() as u64 * ONE;
        }
        if let Some(long) = self.long(advance) {
            return long.fill(self.instructions, source, fraction, advance, out);
        }
        let source = source.get(LEAD - SHORT_LEAD..).unwrap_or_default();
        let mut position = fraction;
        let last = fraction + advance * (out.len() as u64).saturating_sub(1);
        if (last >> 32) as usize + SHORT <= source.len() {
            let filled = widest::fill_short(self.instructions, &self.short, Way { source, fraction, advance }, out);
            let out = &mut out[filled..];
            position += advance * filled as u64;
            match source.first_chunk::<REACH>() {
                Some(source) if last >> 32 <= MOST => self.fill_within(source, &mut position, advance, out),
                _ => {
                    for sample in out.iter_mut() {
                        *sample = dot(&source[(position >> 32) as usize..][..SHORT], self.short.of(position));
                        position += advance;
                    }
                }
            }
        } else {
            for sample in out.iter_mut() {
                let whole = (position >> 32) as usize;
                *sample = source.get(whole..whole + SHORT).map_or(0.0, |taps| dot(taps, self.short.of(position)));
                position += advance;
            }
        }
        position
    }

    /// Fills `out` from a source of which every place up to [`MOST`] can be read without looking whether it is there.
    #[inline(always)]
    fn fill_within(&self, source: &[f32; REACH], position: &mut u64, advance: u64, out: &mut [f32]) {
        let taps = |at: u64| {
            let whole = (at >> 32 & MOST) as usize;
            &source[whole..whole + SHORT]
        };
        let (fours, rest) = out.as_chunks_mut::<4>();
        let mut at = *position;
        for four in fours {
            // Four outputs side by side: their lanes are turned about, so that they are added up together.
            let lanes = |at: u64| products(taps(at), self.short.of(at));
            let (second, third, fourth) = (at + advance, at + 2 * advance, at + 3 * advance);
            let [a, b, c, d] = f32x4::transpose([lanes(at), lanes(second), lanes(third), lanes(fourth)]);
            *four = ((a + c) + (b + d)).to_array();
            at = fourth + advance;
        }
        for sample in rest {
            *sample = dot(taps(at), self.short.of(at));
            at += advance;
        }
        *position = at;
    }
}

/// Four lanes of two products each: the shape in which processors multiply.
#[inline(always)]
fn products(taps: &[f32], row: &[f32; SHORT]) -> f32x4 {
    let four = |of: &[f32], at: usize| f32x4::from([of[at], of[at + 1], of[at + 2], of[at + 3]]);
    four(taps, 0) * four(row, 0) + four(taps, 4) * four(row, 4)
}

#[inline(always)]
fn dot(taps: &[f32], row: &[f32; SHORT]) -> f32 {
    let [a, b, c, d] = products(taps, row).to_array();
    (a + c) + (b + d)
}

impl Long {
    /// The sum of taps by the coefficients between two phases, in eight lanes; what is left of eight goes into the first four.
    #[inline(always)]
    fn weigh(&self, taps: &[f32], position: u64) -> f32 {
        let (near, differences) = self.kernel.of(position);
        let (mut sum, mut more) = (f32x8::ZERO, f32x8::ZERO);
        let ((taps, taps_left), (near, near_left)) = (taps.as_chunks::<8>(), near.as_chunks::<8>());
        let (differences, differences_left) = differences.as_chunks::<8>();
        for ((taps, near), difference) in taps.iter().zip(near).zip(differences) {
            let taps = f32x8::from(*taps);
            sum += taps * f32x8::from(*near);
            more += taps * f32x8::from(*difference);
        }
        if let (Some(taps), Some(near), Some(difference)) = (taps_left.first_chunk(), near_left.first_chunk(), differences_left.first_chunk()) {
            let half = |[a, b, c, d]: [f32; 4]| f32x8::from([a, b, c, d, 0.0, 0.0, 0.0, 0.0]);
            let taps = half(*taps);
            sum += taps * half(*near);
            more += taps * half(*difference);
        }
        let lanes = (sum + more * f32x8::splat(between(position))).to_array();
        let [a, b, c, d]: [f32; 4] = std::array::from_fn(|at| lanes[at] + lanes[at + 4]);
        (a + c) + (b + d)
    }

    fn fill(&self, instructions: Instructions, source: &[f32], fraction: u64, advance: u64, out: &mut [f32]) -> u64 {
        let source = source.get(LEAD - (self.kernel.taps / 2 - 1)..).unwrap_or_default();
        let last = fraction + advance * (out.len() as u64).saturating_sub(1);
        let mut position = fraction;
        let mut left = out;
        if (last >> 32) as usize + self.kernel.taps <= source.len() {
            let filled = widest::fill_long(instructions, &self.kernel, Way { source, fraction, advance }, left);
            position += advance * filled as u64;
            left = &mut left[filled..];
        }
        for sample in left {
            let whole = (position >> 32) as usize;
            *sample = source.get(whole..whole + self.kernel.taps).map_or(0.0, |taps| self.weigh(taps, position));
            position += advance;
        }
        position
    }
}

/// A windowed sinc for a fraction of a sample, `ratio` times as long and as low as one that passes everything.
fn kernel(row: &mut [f32], lead: usize, fraction: f64, ratio: f64, beta: f64) {
    let half = row.len() as f64 / 2.0;
    let value = |tap: usize| {
        let x = tap as f64 - lead as f64 - fraction;
        let angle = std::f64::consts::PI * x / ratio;
        let sinc = if angle.abs() < 1e-12 { 1.0 } else { angle.sin() / angle };
        let inside = (1.0 - (x / half).powi(2)).max(0.0);
        sinc * bessel_i0(beta * inside.sqrt())
    };
    // Every phase passes a constant unchanged, so that no phase is louder than another.
    let sum: f64 = (0..row.len()).map(value).sum();
    for (tap, slot) in row.iter_mut().enumerate() {
        *slot = (value(tap) / sum) as f32;
    }
}

/// A ratio of frequencies as an advance in 32.32 fixed point, held to 1/64 … 16.
#[must_use]
pub fn advance_of(ratio: f64) -> u64 {
    (ratio.clamp(1.0 / 64.0, 16.0) * ONE as f64).round() as u64
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::f64::consts::TAU;

    static BASELINE: LazyLock<Interpolator> = LazyLock::new(|| Interpolator::with(Instructions::BASELINE));

    fn play(frequency: f64, step: f64, frames: usize) -> Vec<f32> {
        let needed = (frames as f64 * step) as usize + TAPS + 2;
        let source: Vec<f32> = (0..needed).map(|n| (TAU * frequency * (n as f64 - LEAD as f64) / 48_000.0).sin() as f32).collect();
        let mut out = vec![0.0; frames];
        Interpolator::new().fill(&source, 0, advance_of(step), &mut out);
        out
    }

    #[test]
    fn a_tone_of_1_khz_keeps_80_db_above_its_error() {
        let worst = [0.5f64, 0.793_7, 0.999, 1.001, 1.26, 1.498_3, 2.0]
            .into_iter()
            .map(|step| {
                let out = play(1000.0, step, 8192);
                let (mut signal, mut error) = (0.0, 0.0);
                for (n, y) in out.iter().enumerate() {
                    let played = advance_of(step) as f64 / ONE as f64;
                    let exact = (TAU * 1000.0 * n as f64 * played / 48_000.0).sin();
                    signal += exact * exact;
                    error += (f64::from(*y) - exact).powi(2);
                }
                10.0 * (signal / error).log10()
            })
            .fold(f64::INFINITY, f64::min);
        assert!(worst >= 80.0, "{worst:.1} dB");
    }

    #[test]
    fn images_of_10_khz_seven_semitones_up_stay_below_60_db() {
        let step = (7.0f64 / 12.0).exp2();
        let n = 1 << 14;
        let out = play(10_000.0, step, n);
        // Fit and take out the wanted tone; what is left is images and error.
        let tone = TAU * 10_000.0 * step / 48_000.0;
        let (mut s, mut c) = (0.0, 0.0);
        for (i, y) in out.iter().enumerate() {
            s += f64::from(*y) * (tone * i as f64).sin();
            c += f64::from(*y) * (tone * i as f64).cos();
        }
        let (s, c) = (s * 2.0 / n as f64, c * 2.0 / n as f64);
        let mut rest = 0.0;
        for (i, y) in out.iter().enumerate() {
            rest += (f64::from(*y) - s * (tone * i as f64).sin() - c * (tone * i as f64).cos()).powi(2);
        }
        let level = 10.0 * (rest / n as f64 / ((s * s + c * c) / 2.0)).log10();
        assert!(level <= -60.0, "{level:.1} dB");
    }

    /// The strongest of what is no part of the wanted tone, below 15 kHz, against full level, in dB.
    fn folded(frequency: f64, step: f64) -> f64 {
        let n = 1 << 14;
        let out = play(frequency, step, n + 2 * TAPS);
        let fft = estampie_generics::forward_64(n);
        // A window whose skirts lie below −90 dB (F. J. Harris 1978, Blackman and Harris's of four terms).
        let window = |i: usize| {
            let p = TAU * i as f64 / n as f64;
            0.358_75 - 0.488_29 * p.cos() + 0.141_28 * (2.0 * p).cos() - 0.011_68 * (3.0 * p).cos()
        };
        let mut time: Vec<f64> = out[TAPS..TAPS + n].iter().enumerate().map(|(i, s)| f64::from(*s) * window(i)).collect();
        let mut spectrum = fft.make_output_vec();
        fft.process(&mut time, &mut spectrum).unwrap();
        let wanted = frequency * step;
        let of = |k: usize| k as f64 * 48_000.0 / n as f64;
        let all = spectrum.iter().enumerate().take_while(|(k, _)| of(*k) < 15_000.0).filter(|(k, _)| (of(*k) - wanted).abs() > 30.0);
        let strongest = all.map(|(_, c)| c.norm()).fold(0.0, f64::max);
        20.0 * (strongest / (n as f64 * 0.358_75 / 2.0)).log10()
    }

    #[test]
    fn what_folds_back_below_15_khz_stays_under_60_db() {
        for semitones in [2.5, 4.0, 5.0, 7.0, 9.3, 12.0, 15.0, 19.0, 24.0] {
            let step = (semitones / 12.0f64).exp2();
            for frequency in [997.0, 6_000.0, 9_000.0, 11_000.0, 13_000.0, 15_000.0, 17_000.0, 19_000.0, 21_500.0] {
                let level = folded(frequency, step);
                assert!(level <= -60.0, "{frequency} Hz {semitones} semitones up: {level:.1} dB");
            }
        }
    }

    #[test]
    fn a_kernel_takes_over_from_the_other_without_a_step() {
        // What is low passes all of them alike: from one kernel to the next nothing moves.
        let low = |step: f64| play(300.0, step, 256)[200];
        for at in 0..=LONG {
            let ratio = (f64::from(at as u32 * 2 + 2) / 12.0).exp2();
            assert!((low(ratio * 0.999_999) - low(ratio * 1.000_001)).abs() < 2e-3, "{ratio}");
        }
        let samples: Vec<f32> = (0..400).map(|i| (0.05 * i as f32).sin()).collect();
        for step in [1.0, 1.3, 3.9] {
            let here = |position: f64| Interpolator::shared().at(Span::Float(&samples), (position * ONE as f64) as u64, advance_of(step));
            assert!((here(200.25) - (0.05f32 * 200.25).sin()).abs() < 2e-3, "{step}");
            assert_eq!(here(1_000.0), 0.0, "outside is silence");
        }
    }

    proptest! {
        #[test]
        fn wide_instructions_give_the_same_to_the_bit(seed in 0u32..1000, semitones in -24.0f64..30.0, fraction in 0..ONE, count in 0usize..65) {
            let noise = |i: u32| ((i.wrapping_mul(seed * 2 + 1).wrapping_mul(2_654_435_761) >> 8) % 2000) as f32 / 1000.0 - 1.0;
            let source: Vec<f32> = (0..500).map(noise).collect();
            let (advance, mut outs) = (advance_of((semitones / 12.0).exp2()), [vec![0.0; count], vec![0.0; count], vec![0.0; count]]);
            let wide = Interpolator::shared();
            let ends = [0, 1].map(|at| [wide, &*BASELINE][at].fill(&source, fraction, advance, &mut outs[at]));
            prop_assert_eq!(ends[0], ends[1]);
            // One by one, as what looks at single places does.
            let taps = wide.count(advance);
            for (n, out) in outs[2].iter_mut().enumerate() {
                let position = fraction + n as u64 * advance;
                let first = (position >> 32) as usize + LEAD + 1 - taps / 2;
                *out = source.get(first..first + taps).map_or(0.0, |near| wide.weigh(near, position, advance));
            }
            let bits = |out: &[f32]| out.iter().map(|s| s.to_bits()).collect::<Vec<_>>();
            prop_assert_eq!(bits(&outs[0]), bits(&outs[1]));
            if !(fraction == 0 && advance == ONE) {
                prop_assert_eq!(bits(&outs[0]), bits(&outs[2]));
            }
        }
    }

    #[test]
    fn at_the_recorded_pitch_every_bit_is_kept() {
        let source: Vec<f32> = (0..140).map(|n| (n as f32 * 0.37).sin()).collect();
        let mut out = [0.0; 64];
        assert_eq!(Interpolator::new().fill(&source, 0, ONE, &mut out), 64 * ONE);
        assert_eq!(out[..], source[LEAD..LEAD + 64]);
    }

    #[test]
    fn what_the_source_lacks_is_silence() {
        let mut out = [1.0; 64];
        Interpolator::new().fill(&[0.5; 40], ONE / 2, ONE, &mut out);
        assert!(out[20..].iter().all(|y| *y == 0.0));
    }
}
