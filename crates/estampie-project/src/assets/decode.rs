//! Decoding by `symphonia`, rate conversion by `rubato`.

use super::{Goes, Notes, circle, headers, riff};
use crate::door;
use rubato::{FftFixedIn, Resampler, SincFixedIn, SincInterpolationParameters, SincInterpolationType, WindowFunction};
use std::fs::File;
use std::io::{Cursor, Read as _};
use std::path::Path;
use symphonia::core::audio::SampleBuffer;
use symphonia::core::codecs::DecoderOptions;
use symphonia::core::errors::Error as DecoderError;
use symphonia::core::formats::FormatOptions;
use symphonia::core::io::{MediaSource, MediaSourceStream};
use symphonia::core::meta::MetadataOptions;
use symphonia::core::probe::Hint;

/// The most sample values that one file may hold (about an hour of stereo at 48 kHz).
const MOST_SAMPLES: usize = 48_000 * 3_600 * 2;

/// Why an audio file cannot be played.
#[derive(Debug, thiserror::Error)]
pub enum AudioError {
    /// The file could not be opened or read.
    #[error("it cannot be read: {0}")]
    Io(#[from] std::io::Error),
    /// There is nothing in it.
    #[error("it is empty")]
    Empty,
    /// The beginning is of no kind that is read here.
    #[error("it is not a WAV, AIFF, FLAC, Ogg Vorbis or MP3 file")]
    Unknown,
    /// The name says one kind, the content is another.
    #[error("it is named .{named} but holds {holds}; rename it to .{ending}")]
    Mislabelled {
        /// The ending of its name.
        named: String,
        /// What it holds.
        holds: &'static str,
        /// The ending it should have.
        ending: &'static str,
    },
    /// The end is missing.
    #[error("it is cut off: {0}")]
    Truncated(String),
    /// The decoder gave up.
    #[error("it is broken: {0}")]
    Broken(String),
    /// Too long to be held in memory.
    #[error("it is longer than an hour of stereo; cut it into parts")]
    TooLong,
    /// A piece of it is wanted that it does not have.
    #[error("it ends before the piece that is cut out of it begins: it is {0:.3} s long")]
    Cut(f64),
    /// It is to loop where it has nothing.
    #[error("its loop ends after it does: it is {0:.3} s long")]
    Loop(f64),
    /// Too many channels.
    #[error("it has {0} channels; only mono and stereo can be played, so mix it down")]
    Channels(usize),
    /// The decoder failed where it should have refused.
    #[error("it is damaged in a way that the decoder cannot tell")]
    Panicked,
    /// Float samples that are no numbers.
    #[error("it holds samples that are not numbers; export it again")]
    NotFinite,
}

impl AudioError {
    /// Whether there is no such file.
    #[must_use]
    pub fn is_missing(&self) -> bool {
        matches!(self, AudioError::Io(error) if error.kind() == std::io::ErrorKind::NotFound)
    }
}

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

/// Kind, right endings; by the first bytes.
fn kind_of(head: &[u8]) -> Option<(&'static str, &'static [&'static str])> {
    match head {
        [b'R', b'I', b'F', b'F', _, _, _, _, b'W', b'A', b'V', b'E', ..] => Some(("WAV", &["wav", "wave"])),
        [b'F', b'O', b'R', b'M', _, _, _, _, b'A', b'I', b'F', b'F' | b'C', ..] => Some(("AIFF", &["aiff", "aif"])),
        [b'f', b'L', b'a', b'C', ..] => Some(("FLAC", &["flac"])),
        [b'O', b'g', b'g', b'S', ..] => Some(("Ogg", &["ogg", "oga"])),
        [b'I', b'D', b'3', ..] => Some(("MP3", &["mp3"])),
        [0xff, second, ..] if second & 0xe0 == 0xe0 && second & 0x06 != 0 => Some(("MP3", &["mp3"])),
        _ => None,
    }
}

thread_local! {
    static GUARDED: std::cell::Cell<bool> = const { std::cell::Cell::new(false) };
}

/// Whether this thread works within a guard: a panic there is caught, and told as what is wrong with a file.
#[must_use]
pub fn guarded() -> bool {
    GUARDED.get()
}

/// Decodes a whole audio file. A decoder that panics is caught: the file is damaged, and no more than that.
///
/// # Errors
/// With the reason: unreadable, empty, of no known kind, mislabelled, cut off, broken, too long.
pub fn decode(path: &Path) -> Result<Decoded, AudioError> {
    let before = GUARDED.replace(true);
    // Nothing of what a panic leaves behind is used again.
    let decoded = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| decode_unguarded(path)));
    GUARDED.set(before);
    decoded.unwrap_or(Err(AudioError::Panicked))
}

fn decode_unguarded(path: &Path) -> Result<Decoded, AudioError> {
    door::regular(path)?;
    let mut head = [0u8; 12];
    let mut file = File::open(path)?;
    let length = file.metadata()?.len();
    if length == 0 {
        return Err(AudioError::Empty);
    }
    let got = file.read(&mut head)?;
    let (kind, endings) = kind_of(&head[..got]).ok_or(AudioError::Unknown)?;
    let named = path.extension().and_then(|e| e.to_str()).unwrap_or_default().to_ascii_lowercase();
    if !endings.contains(&named.as_str()) {
        return Err(AudioError::Mislabelled { named, holds: kind, ending: endings[0] });
    }
    if length > MOST_SAMPLES as u64 * 8 {
        return Err(AudioError::TooLong);
    }
    let (mut loop_points, mut notes) = (None, Notes::default());
    if kind == "WAV" {
        let chunks = riff::chunks(&std::fs::read(path)?);
        if chunks.missing > 0 {
            return Err(AudioError::Truncated(format!("{} of {} bytes of samples are missing", chunks.missing, chunks.missing + chunks.data)));
        }
        loop_points = chunks.loop_points.map(|(start, end)| (start as usize, end as usize));
        notes = chunks.notes;
    }
    let mut whole = None;
    let stream: Box<dyn MediaSource> = match kind {
        // Their heads are looked at first: what they ask for has no measure but what they say.
        "FLAC" => {
            let mut bytes = std::fs::read(path)?;
            headers::bare_flac(&mut bytes)?;
            Box::new(Cursor::new(bytes))
        }
        "Ogg" => {
            let bytes = std::fs::read(path)?;
            whole = headers::sound_ogg(&bytes)?;
            Box::new(Cursor::new(bytes))
        }
        _ => Box::new(File::open(path)?),
    };
    let mut decoded = read_all(path, stream, kind)?;
    // The last block of a Vorbis stream is longer than what is left of the sound: the last page says where that ends.
    if let Some(whole) = whole {
        decoded.channels.iter_mut().for_each(|c| c.truncate(usize::try_from(whole).unwrap_or(usize::MAX)));
    }
    let frames = decoded.channels.first().map_or(0, Vec::len);
    if frames == 0 {
        return Err(AudioError::Empty);
    }
    if decoded.channels.iter().flatten().any(|s| !s.is_finite()) {
        return Err(AudioError::NotFinite);
    }
    decoded.loop_points = loop_points.filter(|(_, end)| *end <= frames);
    notes.marks.retain(|mark| mark.frame < frames);
    decoded.notes = notes;
    Ok(decoded)
}

fn read_all(path: &Path, stream: Box<dyn MediaSource>, kind: &'static str) -> Result<Decoded, AudioError> {
    let broken = |error: &dyn std::fmt::Display| AudioError::Broken(error.to_string());
    let mut hint = Hint::new();
    if let Some(ending) = path.extension().and_then(|e| e.to_str()) {
        hint.with_extension(ending);
    }
    let stream = MediaSourceStream::new(stream, Default::default());
    let options = FormatOptions { enable_gapless: true, ..Default::default() };
    let probed = symphonia::default::get_probe().format(&hint, stream, &options, &MetadataOptions::default()).map_err(|e| broken(&e))?;
    let mut format = probed.format;
    let track = format.default_track().ok_or_else(|| AudioError::Broken("it has no sound track".into()))?;
    let id = track.id;
    let parameters = track.codec_params.clone();
    let rate = parameters.sample_rate.filter(|r| (1_000..=768_000).contains(r)).ok_or_else(|| AudioError::Broken("its rate is not said".into()))?;
    let mut decoder = symphonia::default::get_codecs().make(&parameters, &DecoderOptions { verify: false }).map_err(|e| broken(&e))?;
    let mut channels: Vec<Vec<f32>> = Vec::new();
    let mut buffer: Option<SampleBuffer<f32>> = None;
    loop {
        let packet = match format.next_packet() {
            Ok(packet) => packet,
            Err(DecoderError::IoError(e)) if e.kind() == std::io::ErrorKind::UnexpectedEof => break,
            Err(error) => return Err(broken(&error)),
        };
        if packet.track_id() != id {
            continue;
        }
        let audio = match decoder.decode(&packet) {
            Ok(audio) => audio,
            Err(DecoderError::IoError(e)) if e.kind() == std::io::ErrorKind::UnexpectedEof => break,
            Err(error) => {
                let at = channels.first().map_or(0, Vec::len) as f64 / f64::from(rate);
                return Err(AudioError::Broken(format!("{error}, {at:.2} s from the start")));
            }
        };
        let count = audio.spec().channels.count();
        if channels.is_empty() {
            channels = vec![Vec::new(); count];
        } else if channels.len() != count {
            return Err(AudioError::Broken("its number of channels changes".into()));
        }
        let needed = audio.capacity() * count;
        if buffer.as_ref().is_none_or(|b| b.capacity() < needed) {
            buffer = Some(SampleBuffer::new(audio.capacity() as u64, *audio.spec()));
        }
        if let Some(buffer) = &mut buffer {
            buffer.copy_planar_ref(audio);
            let frames = buffer.len() / count.max(1);
            if frames > 0 {
                for (channel, samples) in channels.iter_mut().zip(buffer.samples().chunks(frames)) {
                    channel.extend_from_slice(samples);
                }
            }
        }
        if channels.first().map_or(0, Vec::len) * count > MOST_SAMPLES {
            return Err(AudioError::TooLong);
        }
    }
    let frames = channels.first().map_or(0, Vec::len) as u64;
    // MP3 headers only estimate; the others say how long the file should be (the decoder counts the eight bytes of
    // an AIFF file's SSND header as samples).
    let slack = if kind == "AIFF" { 8 } else { 0 };
    if let Some(expected) = parameters.n_frames.filter(|n| kind != "MP3" && *n > frames + slack) {
        return Err(AudioError::Truncated(format!("{frames} of {expected} frames are there")));
    }
    Ok(Decoded {
        rate,
        channels,
        loop_points: None,
        kind: if kind == "Ogg" { "Ogg Vorbis" } else { kind },
        bits: parameters.bits_per_sample,
        notes: Notes::default(),
    })
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
    let broken = |error: &dyn std::fmt::Display| AudioError::Broken(format!("its rate cannot be converted: {error}"));
    let settings = SincInterpolationParameters {
        sinc_len: 128,
        f_cutoff: 0.95,
        oversampling_factor: 256,
        interpolation: SincInterpolationType::Cubic,
        window: WindowFunction::BlackmanHarris2,
    };
    let resampler = SincFixedIn::<f32>::new(ratio, 1.0, settings, 1024, channels.len()).map_err(|e| broken(&e))?;
    run(resampler, channels, wanted)
}

/// Converts between two rates, the ends as they are.
fn linear(channels: &[Vec<f32>], from: u32, to: u32) -> Result<Vec<Vec<f32>>, AudioError> {
    let broken = |error: &dyn std::fmt::Display| AudioError::Broken(format!("its rate cannot be converted: {error}"));
    let frames = channels.first().map_or(0, Vec::len);
    let wanted = (frames as u64 * u64::from(to)).div_ceil(u64::from(from)) as usize;
    let resampler = FftFixedIn::<f32>::new(from as usize, to as usize, 1024, 1, channels.len()).map_err(|e| broken(&e))?;
    run(resampler, channels, wanted)
}

fn run(mut resampler: impl Resampler<f32>, channels: &[Vec<f32>], wanted: usize) -> Result<Vec<Vec<f32>>, AudioError> {
    let broken = |error: &dyn std::fmt::Display| AudioError::Broken(format!("its rate cannot be converted: {error}"));
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
        for (all, part) in out.iter_mut().zip(resampler.process(&chunk, None).map_err(|e| broken(&e))?) {
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
        let fft = realfft::RealFftPlanner::<f32>::new().plan_fft_forward(n);
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
