//! Decoding by `symphonia`, rate conversion by `rubato`.

use super::riff;
use rubato::{FftFixedIn, Resampler};
use std::fs::File;
use std::io::Read as _;
use std::path::Path;
use symphonia::core::audio::SampleBuffer;
use symphonia::core::codecs::DecoderOptions;
use symphonia::core::errors::Error as DecoderError;
use symphonia::core::formats::FormatOptions;
use symphonia::core::io::MediaSourceStream;
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
    /// Too many channels.
    #[error("it has {0} channels; only mono and stereo can be played, so mix it down")]
    Channels(usize),
    /// Float samples that are no numbers.
    #[error("it holds samples that are not numbers; export it again")]
    NotFinite,
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

/// Decodes a whole audio file.
///
/// # Errors
/// With the reason: unreadable, empty, of no known kind, mislabelled, cut off, broken, too long.
pub fn decode(path: &Path) -> Result<Decoded, AudioError> {
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
    let mut loop_points = None;
    if kind == "WAV" {
        let chunks = riff::chunks(&std::fs::read(path)?);
        if chunks.missing > 0 {
            return Err(AudioError::Truncated(format!("{} of {} bytes of samples are missing", chunks.missing, chunks.missing + chunks.data)));
        }
        loop_points = chunks.loop_points.map(|(start, end)| (start as usize, end as usize));
    }
    let mut decoded = read_all(path, kind)?;
    let frames = decoded.channels.first().map_or(0, Vec::len);
    if frames == 0 {
        return Err(AudioError::Empty);
    }
    if decoded.channels.iter().flatten().any(|s| !s.is_finite()) {
        return Err(AudioError::NotFinite);
    }
    decoded.loop_points = loop_points.filter(|(_, end)| *end <= frames);
    Ok(decoded)
}

fn read_all(path: &Path, kind: &'static str) -> Result<Decoded, AudioError> {
    let broken = |error: &dyn std::fmt::Display| AudioError::Broken(error.to_string());
    let mut hint = Hint::new();
    if let Some(ending) = path.extension().and_then(|e| e.to_str()) {
        hint.with_extension(ending);
    }
    let stream = MediaSourceStream::new(Box::new(File::open(path)?), Default::default());
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
    Ok(Decoded { rate, channels, loop_points: None, kind: if kind == "Ogg" { "Ogg Vorbis" } else { kind }, bits: parameters.bits_per_sample })
}

/// Converts to `rate`, with the loop points; the start stays where it is, to within half a sample of the file.
pub(super) fn convert(decoded: Decoded, rate: u32) -> Result<Decoded, AudioError> {
    if decoded.rate == rate {
        return Ok(decoded);
    }
    let broken = |error: &dyn std::fmt::Display| AudioError::Broken(format!("its rate cannot be converted: {error}"));
    let channels = decoded.channels.len();
    let frames = decoded.channels.first().map_or(0, Vec::len);
    let wanted = (frames as u64 * u64::from(rate)).div_ceil(u64::from(decoded.rate)) as usize;
    let mut resampler = FftFixedIn::<f32>::new(decoded.rate as usize, rate as usize, 1024, 1, channels).map_err(|e| broken(&e))?;
    let delay = resampler.output_delay();
    let mut out: Vec<Vec<f32>> = vec![Vec::with_capacity(wanted + delay + 2048); channels];
    let mut at = 0;
    while out[0].len() < wanted + delay {
        let need = resampler.input_frames_next();
        let chunk: Vec<Vec<f32>> = decoded
            .channels
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
    let scale = |frame: usize| (frame as f64 * f64::from(rate) / f64::from(decoded.rate)).round() as usize;
    let loop_points = decoded.loop_points.map(|(start, end)| (scale(start), scale(end).min(wanted)));
    Ok(Decoded { rate, channels: out, loop_points, ..decoded })
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::TAU;

    #[test]
    fn conversion_keeps_time_level_and_pitch() {
        for from in [44_100u32, 22_050, 96_000, 48_000] {
            let tone: Vec<f32> = (0..from).map(|i| (TAU * 1000.0 * f64::from(i) / f64::from(from)).sin() as f32).collect();
            let decoded = Decoded { rate: from, channels: vec![tone], loop_points: Some((0, from as usize)), kind: "WAV", bits: Some(16) };
            let out = convert(decoded, 48_000).unwrap();
            assert_eq!(out.channels[0].len(), 48_000);
            assert_eq!(out.loop_points, Some((0, 48_000)));
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
}
