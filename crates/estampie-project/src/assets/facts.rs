//! Facts about an audio file, as `estampie probe` prints them.

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

/// Decodes a file and measures all that is measured of it.
///
/// # Errors
/// With the reason why it cannot be played.
pub fn measure(path: &Path) -> Result<Measured, super::AudioError> {
    let decoded = super::decode(path)?;
    Ok(Measured { facts: facts(&decoded), content: content(&decoded), print: Print::of(&decoded.channels, decoded.rate) })
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

/// Measures channels of one length at a rate in Hz, with their loop points: first frame of the loop and the one after its last.
#[must_use]
pub fn glance(channels: &[&[f32]], loop_points: Option<(usize, usize)>, rate: u32) -> Glance {
    let loudness = || -> Result<f64, ebur128::Error> {
        let mut meter = EbuR128::new(channels.len() as u32, rate, Mode::I)?;
        meter.add_frames_planar_f32(channels)?;
        meter.loudness_global()
    };
    Glance { loudness: loudness().unwrap_or(f64::NEG_INFINITY), ..without_loudness(channels, loop_points) }
}

fn without_loudness(channels: &[&[f32]], loop_points: Option<(usize, usize)>) -> Glance {
    let frames = channels.first().map_or(0, |c| c.len());
    let first_loud = |c: &&[f32]| c.iter().position(|s| s.abs() >= SILENCE).unwrap_or(frames);
    let last_loud = |c: &&[f32]| c.iter().rev().position(|s| s.abs() >= SILENCE).unwrap_or(frames);
    let least = |of: &dyn Fn(&&[f32]) -> usize| channels.iter().map(of).min().unwrap_or(frames);
    let peak = channels.iter().flat_map(|c| c.iter()).fold(0.0f32, |p, s| p.max(s.abs()));
    let (start, end) = loop_points.unwrap_or((0, frames));
    let seam = |c: &&[f32]| f64::from((c[start] - c[end - 1]).abs());
    Glance {
        peak: 20.0 * f64::from(peak).log10(),
        loudness: f64::NEG_INFINITY,
        silence_head: least(&first_loud),
        silence_tail: least(&last_loud),
        seam_step: if start < end { channels.iter().map(seam).fold(0.0, f64::max) } else { 0.0 },
    }
}

/// Measures a decoded file.
#[must_use]
pub fn facts(decoded: &Decoded) -> Facts {
    let frames = decoded.channels.first().map_or(0, Vec::len);
    let channels: Vec<&[f32]> = decoded.channels.iter().map(Vec::as_slice).collect();
    let level = |gain: f64| 20.0 * gain.log10();
    let mean = |c: &Vec<f32>| c.iter().map(|s| f64::from(*s)).sum::<f64>() / frames.max(1) as f64;
    let dc = decoded.channels.iter().map(mean).max_by(|a, b| a.abs().total_cmp(&b.abs())).unwrap_or(0.0);
    let Glance { peak, silence_head, silence_tail, seam_step, .. } = without_loudness(&channels, decoded.loop_points);
    let Loudness { loudness, range, short_term, true_peak } =
        measured(decoded).unwrap_or(Loudness { loudness: f64::NEG_INFINITY, range: 0.0, short_term: f64::NEG_INFINITY, true_peak: 0.0 });
    Facts {
        kind: decoded.kind.to_owned(),
        bits: decoded.bits,
        channels: decoded.channels.len(),
        rate: decoded.rate,
        frames,
        loop_points: decoded.loop_points,
        sample_peak: peak,
        true_peak: level(true_peak).max(peak),
        loudness,
        loudness_range: range,
        greatest_short_term: short_term,
        silence_head: silence_head as f64 / f64::from(decoded.rate),
        silence_tail: silence_tail as f64 / f64::from(decoded.rate),
        dc,
        seam_step,
        notes: decoded.notes.clone(),
    }
}

struct Loudness {
    loudness: f64,
    range: f64,
    short_term: f64,
    true_peak: f64,
}

fn measured(decoded: &Decoded) -> Result<Loudness, ebur128::Error> {
    let mut meter = EbuR128::new(decoded.channels.len() as u32, decoded.rate, Mode::I | Mode::S | Mode::LRA | Mode::TRUE_PEAK)?;
    // A tenth of a second at a time, as the standard's meters move.
    let (step, frames) = (decoded.rate as usize / 10, decoded.channels.first().map_or(0, Vec::len));
    let mut short_term = f64::NEG_INFINITY;
    for from in (0..frames).step_by(step.max(1)) {
        let to = (from + step.max(1)).min(frames);
        let slices: Vec<&[f32]> = decoded.channels.iter().map(|c| &c[from..to]).collect();
        meter.add_frames_planar_f32(&slices)?;
        if to >= 3 * decoded.rate as usize {
            short_term = short_term.max(meter.loudness_shortterm()?);
        }
    }
    let mut true_peak = 0.0f64;
    for channel in 0..decoded.channels.len() as u32 {
        true_peak = true_peak.max(meter.true_peak(channel)?);
    }
    Ok(Loudness { loudness: meter.loudness_global()?, range: meter.loudness_range()?, short_term, true_peak })
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
}
