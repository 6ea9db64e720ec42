//! Facts about an audio file, as `estampie probe` prints them.

use super::decode::caught;
use super::error::AudioError;
use super::reader::Reader;
use super::{Decoded, Notes, Print};
use ebur128::{EbuR128, Mode};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::path::Path;
use xxhash_rust::xxh3::Xxh3;

/// What can be measured on a file. Levels are in dB below full scale, minus infinity for silence.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Facts {
    /// The kind of file.
    pub kind: String,
    /// Bits of a sample, where the format has such.
    pub bits: Option<u32>,
    /// Channels.
    pub channels: usize,
    /// Frames a second.
    pub rate: u32,
    /// Length in frames.
    pub frames: usize,
    /// First frame of the loop and the one after its last.
    pub loop_points: Option<(usize, usize)>,
    /// Greatest sample.
    pub sample_peak: f64,
    /// Greatest value between samples too (ITU-R BS.1770, dBTP).
    pub true_peak: f64,
    /// Integrated loudness in LUFS (EBU R 128); minus infinity for silence and for files shorter than 0.4 s.
    pub loudness: f64,
    /// Loudness range in LU (EBU Tech 3342); 0 for what is too short to have one.
    pub loudness_range: f64,
    /// The highest short-term loudness (over 3 s) in LUFS; minus infinity for what is shorter.
    pub greatest_short_term: f64,
    /// Seconds below −60 dB at the start.
    pub silence_head: f64,
    /// Seconds below −60 dB at the end.
    pub silence_tail: f64,
    /// Mean of the samples of the channel where it is farthest from 0, as a share of full scale.
    pub dc: f64,
    /// The step from the last frame of the loop (or of the file) to its first, as a share of full scale, where it is greatest.
    pub seam_step: f64,
    /// Marks and descriptions in it.
    pub notes: Notes,
}

/// A file as it was measured.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Measured {
    /// Facts of it.
    pub facts: Facts,
    /// The same for files whose samples are the same.
    pub content: u64,
    /// What it sounds like, if there is enough to tell by.
    pub print: Option<Print>,
}

/// What has more samples is measured as it is read, and not held in memory (five minutes of stereo at 48 kHz): it is not compared by what it sounds like.
const HELD: usize = 48_000 * 300 * 2;

/// Decodes a file and measures all that is measured of it.
///
/// # Errors
/// With the reason why it cannot be played.
pub fn measure(path: &Path) -> Result<Measured, AudioError> {
    measure_beyond(path, HELD)
}

fn measure_beyond(path: &Path, held: usize) -> Result<Measured, AudioError> {
    if let Some(long) = caught(|| Passing::open(path, held)).ok().flatten() {
        return caught(|| long.measure(path));
    }
    let decoded = super::decode(path)?;
    Ok(Measured { facts: facts(&decoded), content: content(&decoded), print: Print::of(&decoded.channels, decoded.rate) })
}

/// A long file, measured as it passes by.
struct Passing {
    reader: Reader,
    channels: usize,
    frames: usize,
}

impl Passing {
    /// `None` if it is not so long, or can only be measured whole.
    fn open(path: &Path, held: usize) -> Result<Option<Passing>, AudioError> {
        let mut reader = Reader::open(path)?;
        let Some(channels) = reader.channels.filter(|_| reader.streams()) else { return Ok(None) };
        let frames = reader.length()?;
        super::decode::whole(&reader, frames)?;
        reader.seek(0)?;
        Ok((frames.saturating_mul(channels) > held).then_some(Passing { reader, channels, frames }))
    }

    /// Reads it once for each channel, since the hash takes one after the other.
    fn measure(mut self, path: &Path) -> Result<Measured, AudioError> {
        let frames = self.frames;
        let looped = self.reader.loop_points.filter(|(_, end)| *end <= frames);
        let mut gauge = Gauge::new(self.channels, self.reader.rate, looped);
        let mut hash = Xxh3::new();
        hash.update(&(self.channels as u64).to_le_bytes());
        let step = gauge.step;
        for channel in 0..self.channels {
            if channel > 0 {
                self.reader = Reader::open(path)?;
            }
            let (mut part, mut there) = (Vec::new(), true);
            while there {
                there = self.reader.packet(&mut part)?;
                while part.first().is_some_and(|c| c.len() >= step || !there && !c.is_empty()) {
                    let piece: Vec<Vec<f32>> = part.iter_mut().map(|c| c.drain(..step.min(c.len())).collect()).collect();
                    piece.get(channel).into_iter().flatten().for_each(|sample| hash.update(&sample.to_bits().to_le_bytes()));
                    if channel == 0 {
                        if piece.iter().flatten().any(|s| !s.is_finite()) {
                            return Err(AudioError::NotFinite);
                        }
                        gauge.add(&piece.iter().map(Vec::as_slice).collect::<Vec<_>>());
                    }
                }
            }
        }
        let Reader { kind, bits, mut notes, .. } = self.reader;
        notes.marks.retain(|mark| mark.frame < frames);
        Ok(Measured { facts: gauge.facts(kind, bits, notes), content: hash.digest(), print: None })
    }
}

/// The hash of a file's samples: the same for every file that has them.
#[must_use]
pub fn content(decoded: &Decoded) -> u64 {
    let mut hash = Xxh3::new();
    hash.update(&(decoded.channels.len() as u64).to_le_bytes());
    decoded.channels.iter().flatten().for_each(|sample| hash.update(&sample.to_bits().to_le_bytes()));
    hash.digest()
}

const SILENCE: f32 = 0.001;

/// What a list of takes tells of a file: no more than is quickly measured.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Glance {
    /// Greatest sample in dB below full scale.
    pub peak: f64,
    /// Integrated loudness in LUFS (EBU R 128); minus infinity for silence and for what is shorter than 0.4 s.
    pub loudness: f64,
    /// Frames below −60 dB at the start.
    pub silence_head: usize,
    /// Frames below −60 dB at the end.
    pub silence_tail: usize,
    /// The step from the last frame of the loop (or of all) to its first, as a share of full scale, where it is greatest.
    pub seam_step: f64,
}

/// Measures what is given piece by piece.
pub struct Glancing {
    meter: Option<EbuR128>,
    channels: usize,
    /// First frame of the loop and the one after its last; without one all of it goes round.
    looped: Option<(usize, usize)>,
    frames: usize,
    peak: f32,
    /// The first frame that is not silent, and the last.
    loud: Option<(usize, usize)>,
    power: f64,
    /// The samples of the first frame that goes round, and of the last one so far.
    seam: [Vec<f32>; 2],
}

impl Glancing {
    /// Begins with a file of so many channels at a rate in Hz, with its loop points: first frame of the loop and the one after its last.
    #[must_use]
    pub fn new(channels: usize, loop_points: Option<(usize, usize)>, rate: u32) -> Glancing {
        let meter = EbuR128::new(channels as u32, rate, Mode::I).ok();
        Glancing { meter, ..Glancing::without_loudness(channels, loop_points) }
    }

    fn without_loudness(channels: usize, looped: Option<(usize, usize)>) -> Glancing {
        Glancing { meter: None, channels, looped, frames: 0, peak: 0.0, loud: None, power: 0.0, seam: [const { Vec::new() }; 2] }
    }

    /// Takes the next piece, a slice of one length for each channel.
    pub fn add(&mut self, piece: &[&[f32]]) {
        let count = piece.first().map_or(0, |c| c.len());
        if count == 0 {
            return;
        }
        if self.meter.as_mut().is_some_and(|meter| meter.add_frames_planar_f32(piece).is_err()) {
            self.meter = None;
        }
        let from = self.frames;
        let (start, end) = self.looped.unwrap_or((0, usize::MAX));
        let frame = |at: usize| piece.iter().map(|c| c[at - from]).collect::<Vec<f32>>();
        if (from..from + count).contains(&start) {
            self.seam[0] = frame(start);
        }
        if end > from {
            self.seam[1] = frame(end.min(from + count) - 1);
        }
        for channel in piece {
            let loud = |s: &f32| s.abs() >= SILENCE;
            if let (Some(first), Some(last)) = (channel.iter().position(loud), channel.iter().rposition(loud)) {
                let (a, b) = self.loud.unwrap_or((usize::MAX, 0));
                self.loud = Some((a.min(from + first), b.max(from + last)));
            }
            self.peak = channel.iter().fold(self.peak, |p, s| p.max(s.abs()));
            self.power += channel.iter().map(|s| f64::from(*s).powi(2)).sum::<f64>();
        }
        self.frames += count;
    }

    /// How many frames there were.
    #[must_use]
    pub fn frames(&self) -> usize {
        self.frames
    }

    /// The mean level (RMS over all channels) in dB below full scale.
    #[must_use]
    pub fn level(&self) -> f32 {
        (10.0 * (self.power / (self.frames * self.channels).max(1) as f64).log10()) as f32
    }

    /// What was found.
    #[must_use]
    pub fn glance(&self) -> Glance {
        let (head, tail) = self.loud.map_or((self.frames, self.frames), |(first, last)| (first, self.frames - 1 - last));
        let seam = self.seam[0].iter().zip(&self.seam[1]).map(|(first, last)| f64::from((first - last).abs()));
        Glance {
            peak: 20.0 * f64::from(self.peak).log10(),
            loudness: self.meter.as_ref().and_then(|meter| meter.loudness_global().ok()).unwrap_or(f64::NEG_INFINITY),
            silence_head: head,
            silence_tail: tail,
            seam_step: seam.fold(0.0, f64::max),
        }
    }
}

/// Measures channels of one length at a rate in Hz, with their loop points: first frame of the loop and the one after its last.
#[must_use]
pub fn glance(channels: &[&[f32]], loop_points: Option<(usize, usize)>, rate: u32) -> Glance {
    let mut glancing = Glancing::new(channels.len(), loop_points, rate);
    glancing.add(channels);
    glancing.glance()
}

/// Measures a decoded file.
#[must_use]
pub fn facts(decoded: &Decoded) -> Facts {
    let mut gauge = Gauge::new(decoded.channels.len(), decoded.rate, decoded.loop_points);
    let (step, frames) = (gauge.step, decoded.channels.first().map_or(0, Vec::len));
    for from in (0..frames).step_by(step) {
        let slices: Vec<&[f32]> = decoded.channels.iter().map(|c| &c[from..(from + step).min(frames)]).collect();
        gauge.add(&slices);
    }
    gauge.facts(decoded.kind, decoded.bits, decoded.notes.clone())
}

/// Measures all facts, a piece after the other.
struct Gauge {
    rate: u32,
    /// The frames of a piece: a tenth of a second, as the standard's meters move.
    step: usize,
    meter: Option<EbuR128>,
    glancing: Glancing,
    sums: Vec<f64>,
    short_term: f64,
}

impl Gauge {
    fn new(channels: usize, rate: u32, loop_points: Option<(usize, usize)>) -> Gauge {
        let meter = EbuR128::new(channels as u32, rate, Mode::I | Mode::S | Mode::LRA | Mode::TRUE_PEAK).ok();
        let glancing = Glancing::without_loudness(channels, loop_points);
        Gauge { rate, step: (rate as usize / 10).max(1), meter, glancing, sums: vec![0.0; channels], short_term: f64::NEG_INFINITY }
    }

    /// Takes the next piece: a step, or less at the end.
    fn add(&mut self, piece: &[&[f32]]) {
        self.glancing.add(piece);
        for (sum, channel) in self.sums.iter_mut().zip(piece) {
            *sum = channel.iter().fold(*sum, |sum, s| sum + f64::from(*s));
        }
        let whole = self.glancing.frames() >= 3 * self.rate as usize;
        let metered = self.meter.as_mut().map(|meter| -> Result<f64, ebur128::Error> {
            meter.add_frames_planar_f32(piece)?;
            if whole { meter.loudness_shortterm() } else { Ok(f64::NEG_INFINITY) }
        });
        match metered {
            Some(Ok(short_term)) => self.short_term = self.short_term.max(short_term),
            Some(Err(_)) => self.meter = None,
            None => {}
        }
    }

    fn facts(self, kind: &str, bits: Option<u32>, notes: Notes) -> Facts {
        let frames = self.glancing.frames();
        let channels = self.sums.len();
        let Glance { peak, silence_head, silence_tail, seam_step, .. } = self.glancing.glance();
        let measured = self.meter.as_ref().and_then(|meter| {
            let true_peak = (0..channels as u32).map(|c| meter.true_peak(c)).try_fold(0.0f64, |most, peak| peak.map(|peak| most.max(peak))).ok()?;
            Some((meter.loudness_global().ok()?, meter.loudness_range().ok()?, self.short_term, true_peak))
        });
        let (loudness, loudness_range, greatest_short_term, true_peak) = measured.unwrap_or((f64::NEG_INFINITY, 0.0, f64::NEG_INFINITY, 0.0));
        let means = self.sums.iter().map(|sum| sum / frames.max(1) as f64);
        Facts {
            kind: kind.to_owned(),
            bits,
            channels,
            rate: self.rate,
            frames,
            loop_points: self.glancing.looped,
            sample_peak: peak,
            true_peak: (20.0 * true_peak.log10()).max(peak),
            loudness,
            loudness_range,
            greatest_short_term,
            silence_head: silence_head as f64 / f64::from(self.rate),
            silence_tail: silence_tail as f64 / f64::from(self.rate),
            dc: means.max_by(|a, b| a.abs().total_cmp(&b.abs())).unwrap_or(0.0),
            seam_step,
            notes,
        }
    }
}

impl Facts {
    /// The facts as a JSON object; what is minus infinity is `null`.
    #[must_use]
    pub fn json(&self, file: &str) -> Value {
        let finite = |value: f64| if value.is_finite() { json!((value * 1000.0).round() / 1000.0) } else { Value::Null };
        json!({
            "file": file,
            "kind": self.kind,
            "bits": self.bits,
            "channels": self.channels,
            "rate": self.rate,
            "frames": self.frames,
            "seconds": self.frames as f64 / f64::from(self.rate),
            "loop": self.loop_points.map(|(start, end)| json!([start, end])),
            "sample_peak_db": finite(self.sample_peak),
            "true_peak_db": finite(self.true_peak),
            "loudness_lufs": finite(self.loudness),
            "loudness_range_lu": finite(self.loudness_range),
            "greatest_short_term_lufs": finite(self.greatest_short_term),
            "silence_head_s": self.silence_head,
            "silence_tail_s": self.silence_tail,
            "dc": self.dc,
            "seam_step": self.seam_step,
            "marks": self.notes.marks.iter().map(|m| json!({ "frame": m.frame, "frames": m.frames, "name": m.name })).collect::<Vec<_>>(),
            "texts": self.notes.texts.iter().map(|(what, text)| (what.clone(), json!(text))).collect::<serde_json::Map<_, _>>(),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::TAU;

    fn tone(gain: f64, dc: f64) -> Decoded {
        let samples: Vec<f32> = (0..960_000)
            .map(|i| if (9_600..950_400).contains(&i) { (gain * (TAU * 997.0 * f64::from(i) / 48_000.0).sin() + dc) as f32 } else { 0.0 })
            .collect();
        Decoded { rate: 48_000, channels: vec![samples.clone(), samples], loop_points: None, kind: "WAV", bits: Some(24), notes: Notes::default() }
    }

    #[test]
    fn a_tone_measures_as_the_standard_says() {
        // EBU Tech 3341: a stereo tone of 1 kHz at −23 dBFS has −23.0 LUFS.
        let facts = facts(&tone(10f64.powf(-23.0 / 20.0), 0.0));
        assert!((facts.sample_peak + 23.0).abs() < 0.02, "{facts:?}");
        assert!((facts.true_peak + 23.0).abs() < 0.1, "{facts:?}");
        assert!((facts.loudness + 23.0).abs() < 0.1, "{facts:?}");
        assert!((facts.greatest_short_term + 23.0).abs() < 0.1 && facts.loudness_range < 0.2, "{facts:?}");
        assert!((facts.silence_head - 0.2).abs() < 0.001 && (facts.silence_tail - 0.2).abs() < 0.001, "{facts:?}");
        assert!(facts.dc.abs() < 1e-4 && facts.seam_step == 0.0, "{facts:?}");
    }

    #[test]
    fn a_glance_says_what_measuring_at_length_says() {
        let mut decoded = tone(0.1, 0.05);
        decoded.channels[1].iter_mut().for_each(|s| *s *= 0.5);
        decoded.loop_points = Some((9_600, 9_612));
        let channels: Vec<&[f32]> = decoded.channels.iter().map(Vec::as_slice).collect();
        let (glance, facts) = (glance(&channels, decoded.loop_points, decoded.rate), facts(&decoded));
        assert!((glance.loudness - facts.loudness).abs() < 0.01 && glance.peak == facts.sample_peak && glance.seam_step == facts.seam_step);
        assert_eq!(
            (glance.silence_head, glance.silence_tail),
            ((facts.silence_head * 48_000.0).round() as usize, (facts.silence_tail * 48_000.0).round() as usize)
        );
    }

    #[test]
    fn dc_seam_and_silence_are_found() {
        let mut offset = tone(0.1, 0.2);
        offset.loop_points = Some((9_600, 9_612));
        let measured = facts(&offset);
        assert!((measured.dc - 0.196).abs() < 0.001, "{measured:?}");
        assert!(measured.seam_step > 0.05, "{measured:?}");
        let silent = facts(&Decoded { rate: 48_000, channels: vec![vec![0.0; 100]], loop_points: None, kind: "WAV", bits: None, notes: Notes::default() });
        assert_eq!(silent.sample_peak, f64::NEG_INFINITY);
        assert_eq!(silent.json("x")["loudness_lufs"], Value::Null);
    }

    #[test]
    fn what_passes_by_measures_the_same_as_what_is_held() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.wav");
        for (channels, frames) in [(1u16, 200_000u32), (2, 200_003), (2, 1_000)] {
            let spec = hound::WavSpec { channels, sample_rate: 44_100, bits_per_sample: 24, sample_format: hound::SampleFormat::Int };
            let mut out = hound::WavWriter::create(&path, spec).unwrap();
            for i in 0..frames * u32::from(channels) {
                out.write_sample(if (3_000..frames).contains(&i) { (i.wrapping_mul(2_654_435_761) >> 10) as i32 - 2_000_000 } else { 0 }).unwrap();
            }
            out.finalize().unwrap();
            let held = measure_beyond(&path, usize::MAX).unwrap();
            let passed = measure_beyond(&path, 0).unwrap();
            assert_eq!((passed.facts, passed.content), (held.facts, held.content));
            assert!(passed.print.is_none());
        }
        let bytes = std::fs::read(&path).unwrap();
        std::fs::write(&path, &bytes[..bytes.len() - 100]).unwrap();
        assert!(matches!(measure_beyond(&path, 0), Err(AudioError::Truncated(_))));
    }
}
