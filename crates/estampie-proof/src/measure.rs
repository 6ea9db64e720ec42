//! Measuring what one hears: loudness by ITU-R BS.1770-5 and EBU R 128 (Tech 3341, Tech 3342), peaks, correlation, spectrum.
//!
//! Loudness and true peak come from a package; the rest is here. None of it runs where sound is made: the engine hands out
//! the frames of one bus ([`estampie_engine::engine::Remote::take_tap`]), and someone measures them aside.
//!
//! ```
//! let mut meter = estampie_proof::measure::Meter::new(2, 48_000).unwrap();
//! // A second of a 1 kHz sine at −23 dBFS in both channels has −23 LUFS, by Tech 3341.
//! let sine: Vec<f32> = (0..96_000).map(|i| 0.0708 * (f64::from(i / 2) * std::f64::consts::TAU / 48.0).sin() as f32).collect();
//! meter.add(&sine);
//! assert!((meter.reading().momentary + 23.0).abs() < 0.1);
//! ```

use ebur128::{Channel, EbuR128, Mode};
use estampie_generics::RealToComplex;
use std::collections::VecDeque;
use std::sync::Arc;

/// Bands of the spectrum, evenly spaced in octaves from [`LOWEST`] to [`HIGHEST`].
pub const BANDS: usize = 60;
/// The lower end of the spectrum, in Hz.
pub const LOWEST: f64 = 20.0;
/// The upper end, in Hz.
pub const HIGHEST: f64 = 20_000.0;
/// How long true and sample peaks are held, in tenths of a second.
const HOLD: usize = 30;
/// Steps of 20 ms in a tenth of a second.
const STEPS: usize = 5;
/// RMS and correlation are over the last 0.3 s.
const WINDOW: usize = 3;
/// Frames of a spectrum (85 ms at 48 kHz).
const FRAMES: usize = 4096;

/// Measuring is impossible.
#[derive(Debug, thiserror::Error)]
#[error("loudness cannot be measured with {channels} channels at {rate} Hz")]
pub struct Unmeasurable {
    channels: u32,
    rate: u32,
}

/// What was measured up to now. Silence is minus infinity.
#[derive(Debug, Clone, PartialEq)]
pub struct Reading {
    /// Loudness over 0.4 s, in LUFS.
    pub momentary: f64,
    /// Loudness over 3 s, in LUFS.
    pub short_term: f64,
    /// Gated loudness of everything since the beginning, in LUFS.
    pub integrated: f64,
    /// Loudness range since the beginning, in LU.
    pub range: f64,
    /// The greatest true peak of the last 3 s, in dBTP.
    pub true_peak: f64,
    /// The greatest sample of the last 3 s, in dBFS.
    pub sample_peak: f64,
    /// The greatest true peak since the beginning, in dBTP.
    pub greatest: f64,
    /// The greatest momentary loudness since the beginning, in LUFS, looked for every 20 ms.
    pub loudest: f64,
    /// Root mean square of all channels together over 0.3 s, in dB (a full sine in all channels has −3.01).
    pub rms: f64,
    /// How alike the first two channels are over 0.3 s: 1 the same, 0 unlike, −1 opposite; `None` in silence.
    pub correlation: Option<f64>,
    /// The level of each band of the spectrum in dB, averaged over about 0.3 s (a full sine within one band has 0): lowest first.
    pub spectrum: [f32; BANDS],
}

impl Default for Reading {
    fn default() -> Self {
        let silent = f64::NEG_INFINITY;
        Reading {
            momentary: silent,
            short_term: silent,
            integrated: silent,
            range: 0.0,
            true_peak: silent,
            sample_peak: silent,
            greatest: silent,
            loudest: silent,
            rms: silent,
            correlation: None,
            spectrum: [f32::NEG_INFINITY; BANDS],
        }
    }
}

/// What a tenth of a second holds: sums over its frames.
#[derive(Debug, Clone, Copy, Default)]
struct Tenth {
    peak: f64,
    true_peak: f64,
    squares: f64,
    left: f64,
    right: f64,
    both: f64,
}

/// Measures frames of interleaved channels as they come.
pub struct Meter {
    channels: usize,
    rate: u32,
    loudness: EbuR128,
    /// What has come since the last step.
    waiting: Vec<f32>,
    /// What has been summed up of the tenth of a second that is not whole yet, in how many steps.
    begun: (Tenth, usize),
    tenths: VecDeque<Tenth>,
    loudest: f64,
    greatest: f64,
    spectrum: Spectrum,
    /// How many steps of silence there were in a row, up to [`RESTS`].
    silence: usize,
    /// How many steps were not measured since then.
    skipped: usize,
}

/// After so many silent steps (10 s) nothing is measured until there is something again: a workshop that rests costs nothing then.
const RESTS: usize = 100 * STEPS;

impl Meter {
    /// A meter for `channels` (1 mono, 2 left and right, 5 left, right, centre and surrounds) at `rate` Hz.
    ///
    /// # Errors
    /// When loudness is not defined for that.
    pub fn new(channels: u32, rate: u32) -> Result<Meter, Unmeasurable> {
        let unmeasurable = |_| Unmeasurable { channels, rate };
        if rate < 50 {
            return Err(Unmeasurable { channels, rate });
        }
        let mode = Mode::M | Mode::S | Mode::I | Mode::LRA | Mode::TRUE_PEAK | Mode::HISTOGRAM;
        let mut loudness = EbuR128::new(channels, rate, mode).map_err(unmeasurable)?;
        if channels == 5 {
            loudness.set_channel_map(&[Channel::Left, Channel::Right, Channel::Center, Channel::LeftSurround, Channel::RightSurround]).map_err(unmeasurable)?;
        }
        Ok(Meter {
            channels: channels as usize,
            rate,
            loudness,
            waiting: Vec::with_capacity(rate as usize / 50 * channels as usize),
            begun: (Tenth::default(), 0),
            tenths: VecDeque::with_capacity(HOLD + 1),
            loudest: f64::NEG_INFINITY,
            greatest: 0.0,
            spectrum: Spectrum::new(rate),
            silence: 0,
            skipped: 0,
        })
    }

    /// Takes interleaved samples in. What is measured moves on with every tenth of a second that is whole; gives how many were.
    pub fn add(&mut self, samples: &[f32]) -> usize {
        let step = self.rate as usize / 50 * self.channels;
        let (mut rest, mut count) = (samples, 0);
        while !rest.is_empty() {
            let (now, then) = rest.split_at(rest.len().min(step - self.waiting.len()));
            self.waiting.extend_from_slice(now);
            rest = then;
            if self.waiting.len() == step {
                self.add_step();
                self.waiting.clear();
                if self.begun.1 == STEPS {
                    self.tenths.push_back(std::mem::take(&mut self.begun).0);
                    if self.tenths.len() > HOLD {
                        self.tenths.pop_front();
                    }
                    count += 1;
                }
            }
        }
        count
    }

    fn add_step(&mut self) {
        if self.waiting.iter().any(|s| *s != 0.0) {
            // Whole seconds were left out, once this is made up for: the blocks that the standards count (each tenth of a second for loudness, each second for
            // its range) lie where they would.
            if self.skipped > 0 {
                let silent = vec![0.0; self.waiting.len()];
                for _ in 0..self.skipped % (10 * STEPS) {
                    let _ = self.loudness.add_frames_f32(&silent);
                }
            }
            (self.silence, self.skipped) = (0, 0);
        } else if self.silence >= RESTS {
            // Nothing has been in its windows for long, and nothing that silence would change is left.
            self.begun.1 += 1;
            self.skipped += 1;
            return;
        } else {
            self.silence += 1;
        }
        // It refuses a wrong number of samples only, and whole frames come.
        let _ = self.loudness.add_frames_f32(&self.waiting);
        // A tone of 0.4 s is found wherever it begins, as case 14 of Tech 3341 asks.
        self.loudest = self.loudest.max(self.loudness.loudness_momentary().unwrap_or(f64::NEG_INFINITY));
        let tenth = &mut self.begun.0;
        self.begun.1 += 1;
        tenth.true_peak = (0..self.channels as u32).filter_map(|c| self.loudness.prev_true_peak(c).ok()).fold(tenth.true_peak, f64::max);
        for frame in self.waiting.chunks_exact(self.channels) {
            let (left, right) = (f64::from(frame[0]), f64::from(*frame.get(1).unwrap_or(&frame[0])));
            tenth.left += left * left;
            tenth.right += right * right;
            tenth.both += left * right;
            for sample in frame {
                let sample = f64::from(*sample);
                tenth.squares += sample * sample;
                tenth.peak = tenth.peak.max(sample.abs());
            }
            self.spectrum.add(0.5 * (left + right) as f32);
        }
        self.greatest = self.greatest.max(tenth.true_peak);
    }

    /// What has been measured.
    #[must_use]
    pub fn reading(&self) -> Reading {
        let silent = f64::NEG_INFINITY;
        let greatest = |of: fn(&Tenth) -> f64| 20.0 * self.tenths.iter().map(of).fold(0.0, f64::max).log10();
        let (mut sum, mut count) = (Tenth::default(), 0.0);
        for tenth in self.tenths.iter().rev().take(WINDOW) {
            sum.squares += tenth.squares;
            sum.left += tenth.left;
            sum.right += tenth.right;
            sum.both += tenth.both;
            count += f64::from(self.rate / 10) * self.channels as f64;
        }
        // Silence has filled both windows then: it need not be summed up.
        let rests = self.silence >= RESTS;
        let over = |window: Result<f64, ebur128::Error>| window.unwrap_or(silent);
        let alike = (sum.left * sum.right).sqrt();
        Reading {
            momentary: if rests { silent } else { over(self.loudness.loudness_momentary()) },
            short_term: if rests { silent } else { over(self.loudness.loudness_shortterm()) },
            integrated: self.loudness.loudness_global().unwrap_or(silent),
            range: self.loudness.loudness_range().unwrap_or(0.0),
            true_peak: greatest(|t| t.true_peak),
            sample_peak: greatest(|t| t.peak),
            greatest: 20.0 * self.greatest.log10(),
            loudest: self.loudest,
            rms: 10.0 * (sum.squares / f64::max(count, 1.0)).log10(),
            // Below −100 dB there is nothing to be alike.
            correlation: (alike > 1e-10 * count.max(1.0)).then(|| (sum.both / alike).clamp(-1.0, 1.0)),
            spectrum: self.spectrum.levels,
        }
    }
}

/// The frequency at the lower edge of a band, in Hz; of `BANDS`, the upper end.
#[must_use]
pub fn edge(band: usize) -> f64 {
    LOWEST * (HIGHEST / LOWEST).powf(band as f64 / BANDS as f64)
}

/// Power by bands, over windows of Hann that overlap by half, averaged over about 0.3 s: a short stroke does not hide what lasts.
struct Spectrum {
    fft: Arc<dyn RealToComplex<f32>>,
    window: Vec<f32>,
    ring: Vec<f32>,
    at: usize,
    /// Frames until the next window; the first is a whole one.
    missing: usize,
    input: Vec<f32>,
    output: Vec<estampie_generics::num_complex::Complex<f32>>,
    /// The first and the last bin of each band.
    bins: Vec<(usize, usize)>,
    /// The mean power of each band, once there is one.
    powers: Option<[f32; BANDS]>,
    levels: [f32; BANDS],
    share: f32,
}

impl Spectrum {
    fn new(rate: u32) -> Spectrum {
        let fft = estampie_generics::forward(FRAMES);
        let (input, output) = (fft.make_input_vec(), fft.make_output_vec());
        let bin = |frequency: f64| (frequency * FRAMES as f64 / f64::from(rate)).round() as usize;
        // A band narrower than a bin takes the nearest one.
        let bins = (0..BANDS).map(|b| (bin(edge(b)).max(1), bin(edge(b + 1)).saturating_sub(1).max(bin(edge(b))).min(FRAMES / 2))).collect();
        let hann = |i: usize| 0.5 - 0.5 * (std::f64::consts::TAU * i as f64 / FRAMES as f64).cos();
        Spectrum {
            fft,
            window: (0..FRAMES).map(|i| hann(i) as f32).collect(),
            ring: vec![0.0; FRAMES],
            at: 0,
            missing: FRAMES,
            input,
            output,
            bins,
            powers: None,
            levels: [f32::NEG_INFINITY; BANDS],
            share: 1.0 - (-(FRAMES as f32) / 2.0 / (0.3 * rate as f32)).exp(),
        }
    }

    fn add(&mut self, sample: f32) {
        self.ring[self.at] = sample;
        self.at = (self.at + 1) % FRAMES;
        self.missing -= 1;
        if self.missing > 0 {
            return;
        }
        self.missing = FRAMES / 2;
        for (i, sample) in self.input.iter_mut().enumerate() {
            *sample = self.ring[(self.at + i) % FRAMES] * self.window[i];
        }
        if self.fft.process(&mut self.input, &mut self.output).is_err() {
            return;
        }
        // A full sine puts a power of 3/8 FRAMES² / 4 into the three bins of Hann's main lobe: that is 0 dB.
        let full = 0.375 * (FRAMES as f32).powi(2) / 4.0;
        let mut now = [0.0f32; BANDS];
        for (power, (first, last)) in now.iter_mut().zip(&self.bins) {
            *power = self.output.get(*first..=*last).unwrap_or_default().iter().map(estampie_generics::num_complex::Complex::norm_sqr).sum::<f32>() / full;
        }
        let powers = self.powers.get_or_insert(now);
        for ((power, now), level) in powers.iter_mut().zip(now).zip(&mut self.levels) {
            *power += (now - *power) * self.share;
            *level = if *power > 1e-12 { 10.0 * power.log10() } else { f32::NEG_INFINITY };
        }
    }
}
