//! Decoding whole files, and rate conversion by `rubato`.

use super::error::AudioError;
use super::reader::Reader;
use super::{Goes, Notes, circle};
use crate::guard;
use estampie_engine::clip::all_finite;
use estampie_generics::rates::{VecResampler, between};
use rubato::{SincFixedIn, SincInterpolationParameters, SincInterpolationType, WindowFunction};
use std::path::Path;

/// The most sample values that one file may hold (about an hour of stereo at 48 kHz).
const MOST_SAMPLES: usize = 48_000 * 3_600 * 2;

/// The samples of a file and what was said about them.
#[derive(Debug, Clone)]
pub struct Decoded {
    /// Frames a second.
    pub rate: u32,
    /// One vector of samples for each channel, ±1 is full scale.
    pub channels: Vec<Vec<f32>>,
    /// First frame of the loop and the one after its last.
    pub loop_points: Option<(usize, usize)>,
    /// The kind of file, as people say it.
    pub kind: &'static str,
    /// Bits of a sample, where the format has such.
    pub bits: Option<u32>,
    /// What it says of itself besides its sound.
    pub notes: Notes,
}

/// Decodes a whole audio file. A decoder that panics is caught: the file is damaged, and no more than that.
///
/// # Errors
/// With the reason: unreadable, empty, of no known kind, mislabelled, cut off, broken, too long.
pub fn decode(path: &Path) -> Result<Decoded, AudioError> {
    caught(|| decode_unguarded(path))
}

/// Works where a panic of a decoder is what is wrong with a file.
pub(super) fn caught<T>(work: impl FnOnce() -> Result<T, AudioError>) -> Result<T, AudioError> {
    guard::caught(work).unwrap_or(Err(AudioError::Panicked))
}

fn decode_unguarded(path: &Path) -> Result<Decoded, AudioError> {
    let mut reader = Reader::open(path)?;
    let mut channels = reader.room();
    while reader.packet(&mut channels)? {
        if channels.iter().map(Vec::len).sum::<usize>() > MOST_SAMPLES {
            return Err(AudioError::TooLong);
        }
    }
    let frames = channels.first().map_or(0, Vec::len);
    whole(&reader, frames)?;
    if !channels.iter().all(|c| all_finite(c)) {
        return Err(AudioError::NotFinite);
    }
    let Reader { rate, kind, bits, loop_points, mut notes, .. } = reader;
    notes.marks.retain(|mark| mark.frame < frames);
    Ok(Decoded { rate, channels, loop_points: loop_points.filter(|(_, end)| *end <= frames), kind, bits, notes })
}

/// Whether all frames are there that a file should have.
pub(super) fn whole(reader: &Reader, frames: usize) -> Result<(), AudioError> {
    // MP3 headers only estimate; the others say how long the file should be (the decoder counts the eight bytes of
    // an AIFF file's SSND header as samples).
    let slack = if reader.kind == "AIFF" { 8 } else { 0 };
    if let Some(expected) = reader.said.filter(|n| reader.kind != "MP3" && *n > frames as u64 + slack) {
        return Err(AudioError::Truncated(format!("{frames} of {expected} frames are there")));
    }
    if frames == 0 {
        return Err(AudioError::Empty);
    }
    Ok(())
}

/// Converts to `rate`. What goes round, and what lies between loop points, is converted as a circle: its seam stays as good as it is.
/// The start stays where it is, to within half a sample of the file.
pub(super) fn convert(mut decoded: Decoded, rate: u32, goes: &Goes) -> Result<Decoded, AudioError> {
    if decoded.rate == rate {
        return Ok(decoded);
    }
    let frames = decoded.channels.first().map_or(0, Vec::len);
    let ratio = f64::from(rate) / f64::from(decoded.rate);
    let round = goes.round(frames as f64 / f64::from(decoded.rate));
    match decoded.loop_points {
        Some((start, end)) if start < end && end <= frames => {
            let (begin, rounds, length) = loop_at(start, end - start, ratio);
            let whole = linear(&decoded.channels, decoded.rate, rate)?;
            let shift = begin as f64 / ratio - start as f64;
            let channels = decoded.channels.iter().zip(whole).map(|(file, whole)| {
                let looped = file[start..end].repeat(rounds);
                let tail = ((end as f64 * ratio).round() as usize).min(whole.len());
                let mut out = whole[..begin.min(whole.len())].to_vec();
                out.resize(begin, 0.0);
                out.extend(one_round(&looped, length, shift));
                out.extend(&whole[tail..]);
                out
            });
            decoded.channels = channels.collect();
            decoded.loop_points = Some((begin, begin + length));
        }
        _ if round => {
            let length = (frames as f64 * ratio).round().max(1.0) as usize;
            decoded.channels = decoded.channels.iter().map(|c| one_round(c, length, 0.0)).collect();
        }
        _ => decoded.channels = linear(&decoded.channels, decoded.rate, rate)?,
    }
    decoded.rate = rate;
    Ok(decoded)
}

/// The frame on which a loop begins at the new rate, how many of its rounds are written out as one, and how many frames those have: so
/// many that a short loop is not out of tune by having whole frames.
fn loop_at(start: usize, length: usize, ratio: f64) -> (usize, usize, usize) {
    let begin = (start as f64 * ratio).round() as usize;
    let exact = |rounds: usize| rounds as f64 * length as f64 * ratio;
    let off = |rounds: usize| (exact(rounds).round() / exact(rounds) - 1.0).abs();
    // A twentieth of a cent is nothing; beyond that the best of some.
    let rounds = (1..=32).find(|r| off(*r) < 3e-5).or_else(|| (1..=32).min_by(|a, b| off(*a).total_cmp(&off(*b)))).unwrap_or(1);
    (begin, rounds, (exact(rounds).round() as usize).max(1))
}

/// A round of exactly so many frames.
fn one_round(samples: &[f32], length: usize, shift: f64) -> Vec<f32> {
    if samples.len() <= circle::LONGEST {
        return circle::convert(samples, length, shift);
    }
    // What is too long for one piece: in the middle any conversion will do, around the seam it is that of the circle.
    let (near, ratio) = (circle::LONGEST / 4, length as f64 / samples.len() as f64);
    let seam: Vec<f32> = samples[samples.len() - near..].iter().chain(&samples[..near]).copied().collect();
    let whole = (near as f64 * ratio).round() as usize;
    let around = circle::convert(&seam, 2 * whole, shift);
    let middle = linear_by(std::slice::from_ref(&samples.to_vec()), ratio, length).unwrap_or_default();
    let mut out = middle.into_iter().next().unwrap_or_default();
    out.resize(length, 0.0);
    let (keep, fade) = (whole / 2, whole / 4);
    for i in 0..keep {
        let share = ((keep - i) as f32 / fade as f32).min(1.0);
        out[i] += (around[whole + i] - out[i]) * share;
        let last = length - 1 - i;
        out[last] += (around[whole - 1 - i] - out[last]) * share;
    }
    out
}

/// Converts by any ratio (a windowed sinc of 128 taps, between whose phases is a cubic).
fn linear_by(channels: &[Vec<f32>], ratio: f64, wanted: usize) -> Result<Vec<Vec<f32>>, AudioError> {
    let settings = SincInterpolationParameters {
        sinc_len: 128,
        f_cutoff: 0.95,
        oversampling_factor: 256,
        interpolation: SincInterpolationType::Cubic,
        window: WindowFunction::BlackmanHarris2,
    };
    let mut resampler = SincFixedIn::<f32>::new(ratio, 1.0, settings, CHUNK, channels.len()).map_err(not_converted)?;
    run(&mut resampler, channels, wanted)
}

/// How many frames so many are at another rate, the last one counted whole.
pub(super) fn converted_length(frames: usize, from: u32, to: u32) -> usize {
    (frames as u64 * u64::from(to)).div_ceil(u64::from(from)) as usize
}

fn not_converted(error: impl std::fmt::Display) -> AudioError {
    AudioError::Broken(format!("its rate cannot be converted: {error}"))
}

/// Converts between two rates, the ends as they are.
fn linear(channels: &[Vec<f32>], from: u32, to: u32) -> Result<Vec<Vec<f32>>, AudioError> {
    let wanted = converted_length(channels.first().map_or(0, Vec::len), from, to);
    let mut resampler = between(from, to, CHUNK, channels.len()).map_err(not_converted)?;
    run(resampler.as_mut(), channels, wanted)
}

/// Frames that are converted at a time.
const CHUNK: usize = 1024;

/// Conversion between two rates in pieces and from any place, with the samples of [`linear`].
pub(super) struct Converting {
    rates: (u32, u32),
    resampler: Box<dyn VecResampler<f32>>,
    /// What has been converted and not been taken, of each channel.
    ready: Vec<Vec<f32>>,
    /// Frames that come before the first one.
    delay: usize,
}

impl Converting {
    /// From a rate to another in Hz, at the first frame.
    pub(super) fn new(from: u32, to: u32, channels: usize) -> Result<Converting, AudioError> {
        let resampler = between(from, to, CHUNK, channels).map_err(not_converted)?;
        let delay = resampler.output_delay();
        Ok(Converting { rates: (from, to), resampler, ready: vec![Vec::new(); channels], delay })
    }

    /// Goes to a frame of what comes out: gives the frame from which it is fed then, and how many frames that come out have to be passed over.
    pub(super) fn seek(&mut self, frame: usize) -> Result<(usize, usize), AudioError> {
        *self = Converting::new(self.rates.0, self.rates.1, self.ready.len())?;
        let (from, to) = (self.rates.0 as usize, self.rates.1 as usize);
        let mut divisor = (from, to);
        while divisor.1 > 0 {
            divisor = (divisor.1, divisor.0 % divisor.1);
        }
        // It works on whole units, each of which hands on to the next: one before is enough.
        let units = CHUNK.div_ceil(from / divisor.0);
        let (fed, made) = (units * from / divisor.0, units * to / divisor.0);
        let begin = ((frame + self.delay) / made).saturating_sub(1);
        let skip = frame + self.delay - begin * made;
        // From the first frame on the delay is passed over by itself.
        let skip = skip - self.delay;
        Ok((begin * fed, skip))
    }

    /// How many frames are ready.
    pub(super) fn ready(&self) -> usize {
        self.ready[0].len().saturating_sub(self.delay)
    }

    /// How many frames it is fed next.
    pub(super) fn needs(&self) -> usize {
        self.resampler.input_frames_next()
    }

    /// Takes as many as it needs of what is decoded; what is not there is silence.
    pub(super) fn process(&mut self, decoded: &mut [Vec<f32>]) -> Result<(), AudioError> {
        let need = self.needs();
        let part = |c: &mut Vec<f32>| {
            let there = need.min(c.len());
            let mut part = c[..there].to_vec();
            c.drain(..there);
            part.resize(need, 0.0);
            part
        };
        let chunk: Vec<Vec<f32>> = decoded.iter_mut().map(part).collect();
        let made = self.resampler.process(&chunk, None).map_err(not_converted)?;
        self.ready.iter_mut().zip(made).for_each(|(all, part)| all.extend(part));
        Ok(())
    }

    /// Gives frames that are ready.
    pub(super) fn take(&mut self, count: usize, into: &mut [Vec<f32>]) {
        for (to, from) in into.iter_mut().zip(&mut self.ready) {
            from.drain(..self.delay);
            to.extend_from_slice(&from[..count]);
            from.drain(..count);
        }
        self.delay = 0;
    }
}

fn run(resampler: &mut dyn VecResampler<f32>, channels: &[Vec<f32>], wanted: usize) -> Result<Vec<Vec<f32>>, AudioError> {
    let frames = channels.first().map_or(0, Vec::len);
    let delay = resampler.output_delay();
    let mut out: Vec<Vec<f32>> = vec![Vec::with_capacity(wanted + delay + 2048); channels.len()];
    let mut at = 0;
    while out.first().is_some_and(|c| c.len() < wanted + delay) {
        let need = resampler.input_frames_next();
        let chunk: Vec<Vec<f32>> = channels
            .iter()
            .map(|c| {
                let mut part = c.get(at..(at + need).min(frames)).unwrap_or_default().to_vec();
                part.resize(need, 0.0);
                part
            })
            .collect();
        at += need;
        for (all, part) in out.iter_mut().zip(resampler.process(&chunk, None).map_err(not_converted)?) {
            all.extend_from_slice(&part);
        }
    }
    for channel in &mut out {
        channel.drain(..delay);
        channel.truncate(wanted);
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::TAU;

    #[test]
    fn conversion_keeps_time_level_and_pitch() {
        for from in [44_100u32, 22_050, 96_000, 48_000] {
            let tone: Vec<f32> = (0..from).map(|i| (TAU * 1000.0 * f64::from(i) / f64::from(from)).sin() as f32).collect();
            let decoded = Decoded { rate: from, channels: vec![tone], loop_points: None, kind: "WAV", bits: Some(16), notes: Notes::default() };
            let out = convert(decoded, 48_000, &Goes::Once).unwrap();
            assert_eq!(out.channels[0].len(), 48_000);
            // Fit the tone: its level must be right and its delay within half a sample of the file.
            let (mut sine, mut cosine) = (0.0, 0.0);
            for i in 2_400..45_600 {
                let phase = TAU * 1000.0 * i as f64 / 48_000.0;
                sine += f64::from(out.channels[0][i]) * phase.sin();
                cosine += f64::from(out.channels[0][i]) * phase.cos();
            }
            let (sine, cosine) = (sine / 21_600.0, cosine / 21_600.0);
            let delay = (cosine.atan2(sine) / TAU * 48.0).abs();
            assert!(
                (sine.hypot(cosine) - 1.0).abs() < 1e-3 && delay <= 0.51 * 48_000.0 / f64::from(from),
                "from {from}: {} late by {delay}",
                sine.hypot(cosine)
            );
        }
    }

    /// The level above 9 kHz around the seam of a round, against full scale, in dB.
    fn click(round: &[f32]) -> f64 {
        let n = 1024;
        let fft = estampie_generics::forward(n);
        let mut time: Vec<f32> = (0..n)
            .map(|i| {
                let p = TAU * i as f64 / n as f64;
                let window = 0.358_75 - 0.488_29 * p.cos() + 0.141_28 * (2.0 * p).cos() - 0.011_68 * (3.0 * p).cos();
                round[(round.len() * 4 + i - n / 2) % round.len()] * window as f32
            })
            .collect();
        let mut spectrum = fft.make_output_vec();
        fft.process(&mut time, &mut spectrum).unwrap();
        let power: f64 = spectrum[9_000 * n / 48_000..].iter().map(|c| f64::from(c.norm_sqr())).sum();
        10.0 * (2.0 * power / (n as f64 * 0.258 * n as f64)).log10()
    }

    #[test]
    fn what_goes_round_has_no_click_at_its_seam() {
        for rate in [44_100u32, 22_050, 96_000, 32_000] {
            for periods in [37.0, 150.0, 613.0] {
                // A tone of about 150 Hz, whole periods; as a file, and as a loop behind an attack and before a tail.
                let frames = (f64::from(rate) * periods / 151.3).round() as usize;
                let tone = |i: usize| (0.4 * (TAU * periods * i as f64 / frames as f64).sin()) as f32;
                let file = |before: usize, after: usize| (0..before + frames + after).map(|i| tone((i + frames * 8 - before) % frames)).collect::<Vec<f32>>();
                let decoded = |samples, loop_points| Decoded { rate, channels: vec![samples], loop_points, kind: "WAV", bits: None, notes: Notes::default() };
                let whole = convert(decoded(file(0, 0), None), 48_000, &Goes::Round).unwrap();
                assert!(click(&whole.channels[0]) < -80.0, "{rate} {periods}: {:.1} dB", click(&whole.channels[0]));
                let points = convert(decoded(file(1_001, 500), Some((1_001, 1_001 + frames))), 48_000, &Goes::Once).unwrap();
                let (start, end) = points.loop_points.unwrap();
                let round = &points.channels[0][start..end];
                assert!(click(round) < -80.0, "{rate} {periods} with loop points: {:.1} dB", click(round));
                // From the attack into the loop nothing steps either, and its length is right to a thousandth.
                let step = points.channels[0][start - 200..start + 200].windows(2).map(|w| (w[1] - w[0]).abs()).fold(0.0, f32::max);
                assert!(step < 0.4 * (TAU * 151.3 / 48_000.0) as f32 * 1.1, "{rate} {periods}: {step}");
                let rounds = ((end - start) as f64 / (frames as f64 * 48_000.0 / f64::from(rate))).round();
                assert!(((end - start) as f64 / rounds / (frames as f64 * 48_000.0 / f64::from(rate)) - 1.0).abs() < 1e-4);
            }
        }
        let cut = Decoded {
            rate: 44_100,
            channels: vec![(0..44_100).map(|i| (0.4 * (TAU * 150.0 * f64::from(i) / 44_100.0).cos()) as f32).collect()],
            loop_points: None,
            kind: "WAV",
            bits: None,
            notes: Notes::default(),
        };
        assert!(click(&convert(cut, 48_000, &Goes::Once).unwrap().channels[0]) > -60.0, "a click would be found");
    }
}
