//! Fixes of recordings, which become new versions beside them: what is done, in which order, and the file that comes of it.

use super::{AudioError, Decoded, Goes, content, decode, facts, piece, riff};
use estampie_engine::units::{Quantity as _, Seconds, ValueError, split_number};

/// Something that is done to a recording.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Fix {
    /// Its mean is brought to 0.
    Dc,
    /// All its channels become one, their mean.
    Mono,
    /// Silence at its head is taken away.
    TrimHead,
    /// Silence at its tail is taken away.
    TrimTail,
    /// No longer than so many seconds.
    Shorten(f64),
    /// Another rate, in Hz.
    Rate(u32),
    /// Another loudness, in LUFS.
    Loudness(f64),
    /// Its level is changed by so many dB.
    Level(f64),
    /// It comes in and goes out within so many seconds.
    Fade(f64),
    /// Its end is cross-faded into its beginning over so many seconds, so that it comes round without a step.
    Round(f64),
}

/// How many words there are for fixes, and what they are.
pub const WORDS: &str = "trim, trim head, trim tail, mono, dc, -20 LUFS, level -1 dB, fade 5 ms, round 50 ms, length 1.5 s, rate 24 kHz";

/// What is left of silence before the first sound: what swells has a little before it is heard, in seconds.
const BEFORE: f64 = 0.002;
const AFTER: f64 = 0.01;
/// Below this is silence, as in facts: −60 dB.
const SILENCE: f32 = 0.001;
/// No true peak may come higher by a change of level, in dBTP.
const CEILING: f64 = -1.0;

/// Why a recording is not fixed.
#[derive(Debug, thiserror::Error)]
pub enum FixError {
    /// It cannot be read, or converted.
    #[error(transparent)]
    Audio(#[from] AudioError),
    /// A fix cannot be made on it.
    #[error("{0}")]
    Refused(String),
}

impl Fix {
    /// Reads fixes, with commas between them.
    ///
    /// # Errors
    /// With the first that is none, and what there is.
    pub fn read_all(text: &str) -> Result<Vec<Fix>, ValueError> {
        let mut all = Vec::new();
        for part in text.split(',').map(str::trim).filter(|p| !p.is_empty()) {
            let wrong = || ValueError::not(part, WORDS);
            let (word, value) = part.split_once(' ').unwrap_or((part, ""));
            let seconds = |value: &str| Seconds::read(value).ok().map(|s| s.0).filter(|s| *s > 0.0 && *s <= 3_600.0);
            let number = |text: &str, unit: &str| split_number(text).filter(|(_, own)| own.eq_ignore_ascii_case(unit)).map(|(n, _)| n);
            match (word, value.trim()) {
                ("dc", "") => all.push(Fix::Dc),
                ("mono", "") => all.push(Fix::Mono),
                ("trim", "") => all.extend([Fix::TrimHead, Fix::TrimTail]),
                ("trim", "head") => all.push(Fix::TrimHead),
                ("trim", "tail") => all.push(Fix::TrimTail),
                ("length", value) => all.push(Fix::Shorten(seconds(value).ok_or_else(wrong)?)),
                ("fade", value) => all.push(Fix::Fade(seconds(value).ok_or_else(wrong)?)),
                ("round", value) => all.push(Fix::Round(seconds(value).ok_or_else(wrong)?)),
                ("level", value) => all.push(Fix::Level(number(value, "dB").filter(|db| db.abs() <= 60.0).ok_or_else(wrong)?)),
                ("rate", value) => {
                    let hz = number(value, "Hz").or_else(|| number(value, "kHz").map(|khz| khz * 1_000.0));
                    all.push(Fix::Rate(hz.filter(|hz| (8_000.0..=192_000.0).contains(hz)).ok_or_else(wrong)? as u32));
                }
                _ => all.push(Fix::Loudness(number(part, "LUFS").filter(|lufs| (-70.0..=0.0).contains(lufs)).ok_or_else(wrong)?)),
            }
        }
        if all.is_empty() { Err(ValueError::not(text, WORDS)) } else { Ok(all) }
    }

    /// As it is written.
    #[must_use]
    pub fn text(&self) -> String {
        // To the microsecond: a thousandth is no whole binary fraction.
        let ms = |s: f64| (s * 1e6).round() / 1e3;
        match self {
            Fix::Dc => "dc".into(),
            Fix::Mono => "mono".into(),
            Fix::TrimHead => "trim head".into(),
            Fix::TrimTail => "trim tail".into(),
            Fix::Shorten(s) => format!("length {s} s"),
            Fix::Rate(hz) => format!("rate {hz} Hz"),
            Fix::Loudness(lufs) => format!("{lufs} LUFS"),
            Fix::Level(db) => format!("level {db} dB"),
            Fix::Fade(s) => format!("fade {} ms", ms(*s)),
            Fix::Round(s) => format!("round {} ms", ms(*s)),
        }
    }

    /// In which order fixes are made, whatever the order in which they are written.
    fn order(&self) -> usize {
        match self {
            Fix::Dc => 0,
            Fix::Mono => 1,
            Fix::TrimHead => 2,
            Fix::TrimTail => 3,
            Fix::Shorten(_) => 4,
            Fix::Round(_) => 5,
            Fix::Rate(_) => 6,
            Fix::Loudness(_) | Fix::Level(_) => 7,
            Fix::Fade(_) => 8,
        }
    }
}

/// A recording after its fixes, and what was done to it, in words.
#[derive(Debug, Clone)]
pub struct Fixed {
    /// As it is now.
    pub audio: Decoded,
    /// What was done; nothing if it was so already.
    pub did: Vec<String>,
}

/// Makes fixes. What is so already is left as it is.
///
/// # Errors
/// When one of them cannot be made: too short to have a loudness, nothing left of it, a loop that would be cut.
pub fn fix(mut audio: Decoded, fixes: &[Fix]) -> Result<Fixed, FixError> {
    let mut did = Vec::new();
    let mut ordered = fixes.to_vec();
    ordered.sort_by_key(Fix::order);
    for fix in ordered {
        let words = one(&mut audio, fix)?;
        did.extend(words);
        if frames(&audio) == 0 {
            return Err(FixError::Refused("nothing would be left of it".into()));
        }
    }
    Ok(Fixed { audio, did })
}

fn frames(audio: &Decoded) -> usize {
    audio.channels.first().map_or(0, Vec::len)
}

/// From which frame to which something sounds, with a little before and after; `None` if all of it is silent.
#[must_use]
pub fn sounding(audio: &Decoded) -> Option<(usize, usize)> {
    let (length, rate) = (frames(audio), f64::from(audio.rate));
    let sounds = |i: &usize| audio.channels.iter().any(|c| c[*i].abs() >= SILENCE);
    let (first, last) = ((0..length).find(sounds)?, (0..length).rfind(sounds)?);
    Some((first.saturating_sub((BEFORE * rate) as usize), (last + 1 + (AFTER * rate) as usize).min(length)))
}

/// Keeps the frames from one to another; the loop goes along, and must lie in what is kept.
fn keep(audio: &mut Decoded, from: usize, to: usize) -> Result<(), FixError> {
    if let Some((start, end)) = audio.loop_points {
        if start < from || end > to {
            return Err(FixError::Refused("its loop would be cut".into()));
        }
        audio.loop_points = Some((start - from, end - from));
    }
    audio.channels.iter_mut().for_each(|c| *c = c[from..to].to_vec());
    audio.notes.marks.retain(|m| (from..to).contains(&m.frame));
    audio.notes.marks.iter_mut().for_each(|m| m.frame -= from);
    Ok(())
}

fn one(audio: &mut Decoded, fix: Fix) -> Result<Option<String>, FixError> {
    let (length, rate) = (frames(audio), f64::from(audio.rate));
    let ms = |frames: usize| frames as f64 / rate * 1e3;
    let nothing = || FixError::Refused("it is silent".into());
    Ok(match fix {
        Fix::Dc => {
            let mut most = 0.0f64;
            for channel in &mut audio.channels {
                let mean = channel.iter().map(|s| f64::from(*s)).sum::<f64>() / length.max(1) as f64;
                channel.iter_mut().for_each(|s| *s = (f64::from(*s) - mean) as f32);
                most = most.max(mean.abs());
            }
            (most > 1e-6).then(|| format!("its middle was {:.2} % off zero", most * 100.0))
        }
        Fix::Mono => {
            let count = audio.channels.len();
            let mean = (0..length).map(|i| audio.channels.iter().map(|c| c[i]).sum::<f32>() / count.max(1) as f32).collect();
            (count > 1).then(|| {
                audio.channels = vec![mean];
                format!("{count} channels became one")
            })
        }
        Fix::TrimHead => {
            let cut = sounding(audio).ok_or_else(nothing)?.0;
            keep(audio, cut, length)?;
            (cut > 0).then(|| format!("{:.0} ms off its head", ms(cut)))
        }
        Fix::TrimTail => {
            let end = sounding(audio).ok_or_else(nothing)?.1;
            keep(audio, 0, end)?;
            (end < length).then(|| format!("{:.0} ms off its tail", ms(length - end)))
        }
        Fix::Shorten(seconds) => {
            let end = ((seconds * rate).round() as usize).min(length);
            keep(audio, 0, end)?;
            if end < length {
                // What is cut within its sound goes out, and does not click.
                fade(audio, 0, ((0.01 * rate) as usize).min(end));
            }
            (end < length).then(|| format!("{:.2} s long instead of {:.2} s", end as f64 / rate, length as f64 / rate))
        }
        Fix::Rate(hz) => {
            let before = audio.rate;
            // With a loop of its own it is converted as that; without one as it is.
            *audio = decode::convert(audio.clone(), hz, &Goes::Once)?;
            let ratio = f64::from(hz) / f64::from(before);
            audio.notes.marks.iter_mut().for_each(|m| m.frame = (m.frame as f64 * ratio).round() as usize);
            (before != hz).then(|| format!("{hz} Hz instead of {before} Hz"))
        }
        Fix::Loudness(wanted) => {
            let loudness = facts(audio).loudness;
            if !loudness.is_finite() {
                return Err(FixError::Refused("it is too short or too soft to have a loudness: say level 3 dB instead".into()));
            }
            level(audio, wanted - loudness)
        }
        Fix::Level(db) => level(audio, db),
        Fix::Fade(seconds) => {
            let over = ((seconds * rate).round() as usize).min(length / 2);
            fade(audio, over, over);
            Some(format!("comes in and goes out within {:.0} ms", ms(over)))
        }
        Fix::Round(seconds) => {
            if audio.loop_points.is_some() {
                return Err(FixError::Refused("it has loop points of its own: take those out, or cross-fade them where it is made".into()));
            }
            let over = (seconds * rate).round() as usize;
            if over * 2 > length {
                return Err(FixError::Refused(format!("it is too short to be cross-faded over {:.0} ms", seconds * 1e3)));
            }
            // Its last part goes over into what comes before its new beginning.
            let heads: Vec<Vec<f32>> = audio.channels.iter_mut().map(|c| c.drain(..over).collect()).collect();
            let mut tails: Vec<&mut [f32]> = audio.channels.iter_mut().map(|c| &mut c[length - 2 * over..]).collect();
            piece::cross_fade(&mut tails, &heads);
            audio.notes.marks.clear();
            Some(format!("its end goes over into its beginning within {:.0} ms", seconds * 1e3))
        }
    })
}

/// Fades frames at the head and at the tail, in the shape of a raised cosine.
fn fade(audio: &mut Decoded, head: usize, tail: usize) {
    for channel in &mut audio.channels {
        piece::fade(channel.iter_mut(), head);
        piece::fade(channel.iter_mut().rev(), tail);
    }
}

/// Changes the level by so many dB, but by no more than its peaks allow.
fn level(audio: &mut Decoded, db: f64) -> Option<String> {
    let room = CEILING - facts(audio).true_peak;
    let by = if db > 0.0 { db.min(room.max(0.0)) } else { db };
    let gain = 10f64.powf(by / 20.0);
    audio.channels.iter_mut().flatten().for_each(|s| *s = (f64::from(*s) * gain) as f32);
    let short = if by < db - 0.05 { format!(" ({:.1} dB less than asked for: its peaks would come above {CEILING} dBTP)", db - by) } else { String::new() };
    (by.abs() > 0.05 || !short.is_empty()).then(|| format!("{} by {:.1} dB{short}", if by < 0.0 { "softer" } else { "louder" }, by.abs()))
}

/// Begins what a version says of itself, before the hash of the recording that it was made from.
const MADE_FROM: &str = "made from ";

/// A new version as a WAV file of 24 bits, which says of itself what it was made from and what was done.
///
/// # Errors
/// When it has samples beyond full scale, or cannot be written.
pub fn version(fixed: &Fixed, name: &str, of: &Decoded) -> Result<Vec<u8>, FixError> {
    let audio = &fixed.audio;
    let scale = f32::from(1i16 << 8) * 32_768.0;
    let beyond = |s: f32| !(-1.0..=1.0).contains(&s);
    if audio.channels.iter().flatten().any(|s| beyond(*s)) {
        return Err(FixError::Refused("it has peaks beyond full scale, which would be cut off: say level -6 dB too".into()));
    }
    let spec = hound::WavSpec { channels: audio.channels.len() as u16, sample_rate: audio.rate, bits_per_sample: 24, sample_format: hound::SampleFormat::Int };
    let mut wav = std::io::Cursor::new(Vec::new());
    let mut write = || -> Result<(), hound::Error> {
        let mut writer = hound::WavWriter::new(&mut wav, spec)?;
        for i in 0..frames(audio) {
            for channel in &audio.channels {
                writer.write_sample((channel[i] * scale).round().clamp(-scale, scale - 1.0) as i32)?;
            }
        }
        writer.finalize()
    };
    write().map_err(|e| FixError::Refused(format!("it cannot be written: {e}")))?;
    let did = if fixed.did.is_empty() { "nothing".to_owned() } else { fixed.did.join(", ") };
    let comment = format!("{MADE_FROM}{name} ({:016x}): {did}", content(of));
    Ok(riff::noted(wav.into_inner(), audio.loop_points, &comment))
}

/// The hash of the recording that a version was made from, if it says so.
#[must_use]
pub fn made_from(notes: &super::Notes) -> Option<u64> {
    let (_, comment) = notes.texts.iter().find(|(what, text)| what == "comment" && text.starts_with(MADE_FROM))?;
    let (_, rest) = comment.split_once(" (")?;
    u64::from_str_radix(rest.split_once(')')?.0, 16).ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::assets::Notes;
    use proptest::prelude::*;
    use std::f64::consts::TAU;

    /// A tone with silence around it, in frames at 48 kHz.
    fn tone(head: usize, length: usize, tail: usize, gain: f64, dc: f64, channels: usize) -> Decoded {
        let sound = (0..length).map(|i| (gain * (TAU * 997.0 * i as f64 / 48_000.0).cos() + dc) as f32);
        let samples: Vec<f32> = std::iter::repeat_n(0.0, head).chain(sound).chain(std::iter::repeat_n(0.0, tail)).collect();
        Decoded { rate: 48_000, channels: vec![samples; channels], loop_points: None, kind: "WAV", bits: Some(16), notes: Notes::default() }
    }

    fn done(audio: &Decoded, text: &str) -> Fixed {
        fix(audio.clone(), &Fix::read_all(text).unwrap()).unwrap()
    }

    #[test]
    fn each_fix_does_what_it_says() {
        let audio = tone(4_800, 24_000, 9_600, 0.25, 0.0, 2);
        let trimmed = done(&audio, "trim");
        assert_eq!((frames(&trimmed.audio), trimmed.did.join("; ").as_str()), (24_000 + 96 + 480, "98 ms off its head; 190 ms off its tail"));
        assert_eq!((done(&audio, "mono").audio.channels.len(), done(&audio, "mono").audio.channels[0] == audio.channels[0]), (1, true));
        assert_eq!(frames(&done(&audio, "length 0.25 s").audio), 12_000);
        assert_eq!((done(&audio, "rate 24 kHz").audio.rate, frames(&done(&audio, "rate 24 kHz").audio)), (24_000, 19_200));
        let off = tone(0, 48_000, 0, 0.2, 0.05, 1);
        assert!(facts(&done(&off, "dc").audio).dc.abs() < 1e-6 && facts(&off).dc > 0.04);
        let softer = done(&off, "dc, -31 LUFS");
        assert!((facts(&softer.audio).loudness + 31.0).abs() < 0.05, "{:?}", softer.did);
        // Louder only as far as its peaks allow, and that is told.
        let louder = done(&off, "dc, 0 LUFS");
        assert!((facts(&louder.audio).true_peak - CEILING).abs() < 0.05 && louder.did[1].contains("less than asked for"), "{:?}", louder.did);
        let faded = done(&tone(0, 4_800, 0, 0.5, 0.0, 1), "fade 10 ms").audio;
        assert!(faded.channels[0][0].abs() < 0.001 && faded.channels[0][4_799].abs() < 0.001 && faded.channels[0][2_400..2_500].iter().any(|s| *s > 0.49));
        // What is so already stays, and nothing is told.
        let clean = tone(0, 24_000, 0, 0.25, 0.0, 1);
        assert_eq!(done(&clean, "trim, mono, rate 48000 Hz, length 5 s, level 0 dB").did, Vec::<String>::new());
    }

    #[test]
    fn what_comes_round_has_no_step_after_its_fix() {
        // Any length of a tone: its end does not go on as its beginning.
        let audio = tone(0, 30_011, 0, 0.5, 0.0, 1);
        let fixed = done(&audio, "round 50 ms").audio;
        let step = |audio: &Decoded| (audio.channels[0][0] - audio.channels[0][frames(audio) - 1]).abs();
        let within = fixed.channels[0].windows(2).map(|w| (w[1] - w[0]).abs()).fold(0.0, f32::max);
        assert_eq!(frames(&fixed), 30_011 - 2_400);
        assert!(step(&fixed) <= within * 1.05 && step(&audio) > 3.0 * step(&fixed), "{} {} {within}", step(&audio), step(&fixed));
        assert!(fix(tone(0, 1_000, 0, 0.5, 0.0, 1), &[Fix::Round(0.05)]).unwrap_err().to_string().contains("too short"));
    }

    #[test]
    fn loops_and_marks_go_along_and_are_not_cut() {
        let mut audio = tone(4_800, 24_000, 0, 0.25, 0.0, 1);
        audio.loop_points = Some((6_000, 12_000));
        audio.notes.marks = vec![crate::assets::Mark { frame: 5_000, frames: None, name: "a".into() }];
        let trimmed = done(&audio, "trim").audio;
        assert_eq!((trimmed.loop_points, trimmed.notes.marks[0].frame), (Some((6_000 - 4_704, 12_000 - 4_704)), 5_000 - 4_704));
        assert!(fix(audio, &[Fix::Shorten(0.2)]).unwrap_err().to_string().contains("loop would be cut"));
        assert!(fix(tone(0, 9_000, 0, 0.0, 0.0, 1), &[Fix::TrimHead]).is_err(), "silence has no head");
    }

    #[test]
    fn a_version_is_read_again_and_says_what_it_was_made_from() {
        let mut audio = tone(4_800, 24_000, 10, 0.25, 0.0, 2);
        audio.loop_points = Some((6_000, 12_000));
        let fixed = done(&audio, "trim, level -3 dB");
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.v2.wav");
        std::fs::write(&path, version(&fixed, "audio/a.wav", &audio).unwrap()).unwrap();
        let back = decode(&path).unwrap();
        assert_eq!((back.loop_points, back.rate, back.bits, back.channels.len()), (fixed.audio.loop_points, 48_000, Some(24), 2));
        for (a, b) in back.channels.iter().flatten().zip(fixed.audio.channels.iter().flatten()) {
            assert!((a - b).abs() < 1.2e-7, "{a} {b}");
        }
        assert_eq!(made_from(&back.notes), Some(content(&audio)));
        assert!(back.notes.texts[0].1.ends_with(": 98 ms off its head, softer by 3.0 dB"), "{:?}", back.notes.texts);
        assert_eq!(made_from(&audio.notes), None);
    }

    #[test]
    fn fixes_are_read_and_what_is_none_is_told() {
        for text in ["", "louder", "fade", "rate 3 Hz", "length -1 s", "-80 LUFS", "trim twice", "mono 2"] {
            assert!(Fix::read_all(text).unwrap_err().to_string().contains("trim head"), "{text}");
        }
        assert_eq!(Fix::read_all("rate 24 kHz, fade 0.01 s").unwrap(), [Fix::Rate(24_000), Fix::Fade(0.01)]);
    }

    proptest! {
        /// As it is written it is read again.
        #[test]
        fn written_fixes_are_read(which in 0..10usize, value in 1..60u32) {
            let n = f64::from(value);
            let fix = [Fix::Dc, Fix::Mono, Fix::TrimHead, Fix::TrimTail, Fix::Shorten(n), Fix::Rate(8_000 + value), Fix::Loudness(-n), Fix::Level(n), Fix::Fade(n / 1e3), Fix::Round(n / 1e3)][which];
            let back = Fix::read_all(&fix.text()).unwrap();
            prop_assert_eq!((back.len(), back[0].text()), (1, fix.text()));
        }
    }
}
