//! What lists of takes tell of an audio file: length, loudness, waveform. Measuring takes longer than loading, so what was measured is
//! remembered outside the project by what the samples are: it holds for every project and every process, and may be deleted at any time.

use crate::aside;
use estampie_engine::clip::Clip;
use estampie_project::assets::{AudioError, Glancing, Streams};
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use xxhash_rust::xxh3::xxh3_128;

/// What is known of an audio file once it is loaded.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct TakeFacts {
    pub(crate) seconds: f64,
    /// LUFS; `None` for files too short for it.
    pub(crate) loudness: Option<f64>,
    /// RMS in dB.
    pub(crate) level: f32,
    pub(crate) peak: f64,
    /// In seconds.
    pub(crate) silence_head: f64,
    pub(crate) seam_step: f64,
    pub(crate) channels: usize,
    /// Least and greatest sample of equal stretches, to 1/127 of full scale.
    pub(crate) wave: Vec<(f32, f32)>,
}

/// How many stretches a waveform has: as many as a wide page has dots for it.
const WAVE: usize = 384;

impl TakeFacts {
    /// Measures a clip at a rate in Hz, which is read if it is streamed; takes a while for long ones.
    ///
    /// # Errors
    /// With the reason why it cannot be read to its end.
    pub(crate) fn of(clip: &Clip, rate: u32, streams: &Streams) -> Result<TakeFacts, AudioError> {
        let frames = clip.frames();
        let mut measuring = Glancing::new(clip.channels.len(), clip.loop_points, rate);
        let mut wave = vec![(0.0f32, 0.0f32); WAVE];
        streams.each_piece(clip, usize::MAX, |piece| {
            let from = measuring.frames();
            measuring.add(piece);
            let until = measuring.frames();
            for (at, (low, high)) in wave.iter_mut().enumerate().skip(from * WAVE / frames.max(1)) {
                let stretch = (frames * at / WAVE).max(from)..(frames * (at + 1) / WAVE).min(until);
                if stretch.start >= until {
                    break;
                }
                let samples = piece.iter().flat_map(|c| c.get(stretch.start - from..stretch.end.max(stretch.start) - from).unwrap_or_default());
                (*low, *high) = samples.fold((*low, *high), |(low, high), s| (low.min(*s), high.max(*s)));
            }
        })?;
        // Away from the middle: what sounds at all is seen.
        wave.iter_mut().for_each(|(low, high)| (*low, *high) = ((*low * 127.0).floor() / 127.0, (*high * 127.0).ceil() / 127.0));
        let measured = measuring.glance();
        Ok(TakeFacts {
            seconds: frames as f64 / f64::from(rate),
            loudness: Some(measured.loudness).filter(|l| l.is_finite() && *l > -70.0),
            level: measuring.level(),
            peak: measured.peak,
            silence_head: measured.silence_head as f64 / f64::from(rate),
            seam_step: measured.seam_step,
            channels: clip.channels.len(),
            wave,
        })
    }

    /// As it is remembered; what is minus infinity is `null`.
    fn json(&self) -> Value {
        let steps = |of: fn(&(f32, f32)) -> f32| self.wave.iter().map(|w| (of(w) * 127.0).round() as i64).collect::<Vec<_>>();
        json!({
            "seconds": self.seconds, "loudness": self.loudness, "level": self.level, "peak": self.peak,
            "silence_head": self.silence_head, "seam_step": self.seam_step, "channels": self.channels, "low": steps(|w| w.0), "high": steps(|w| w.1),
        })
    }

    fn from_json(value: &Value) -> Option<TakeFacts> {
        let number = |name: &str| value[name].as_f64();
        let level = |name: &str| if value[name].is_null() { Some(f64::NEG_INFINITY) } else { number(name) };
        let steps = |name: &str| value[name].as_array()?.iter().map(|s| Some(s.as_i64()? as f32 / 127.0)).collect::<Option<Vec<f32>>>();
        let wave: Vec<(f32, f32)> = steps("low")?.into_iter().zip(steps("high")?).collect();
        let whole = value.get("level").is_some() && value.get("peak").is_some() && wave.len() == WAVE;
        whole.then_some(TakeFacts {
            seconds: number("seconds")?,
            loudness: number("loudness"),
            level: level("level")? as f32,
            peak: level("peak")?,
            silence_head: number("silence_head")?,
            seam_step: number("seam_step")?,
            channels: value["channels"].as_u64()? as usize,
            wave,
        })
    }
}

/// The facts that were measured before, one small file each, named by what was measured.
#[derive(Debug, Clone)]
pub(crate) struct Remembered(Option<PathBuf>);

/// So many files are remembered; beyond that those that were written longest ago are forgotten.
const MOST: usize = 20_000;
/// What is measured, and how it is written: with another one all is measured anew.
const FORM: u8 = 2;

impl Remembered {
    /// What is remembered in a folder; without one everything is measured each time.
    pub(crate) fn within(cache: Option<&Path>) -> Remembered {
        Remembered(cache.map(|c| c.join("takes")))
    }

    /// The facts of a clip, from before if there are such. Nothing that goes wrong with the folder is more than measuring again.
    ///
    /// # Errors
    /// With the reason why a streamed clip cannot be read to its end.
    pub(crate) fn facts(&self, clip: &Clip, rate: u32, streams: &Streams) -> Result<TakeFacts, AudioError> {
        let key = key(clip, rate, streams)?;
        let file = self.0.as_ref().map(|folder| folder.join(format!("{key:032x}.json")));
        let before = file.as_ref().and_then(|f| std::fs::read(f).ok()).and_then(|bytes| TakeFacts::from_json(&serde_json::from_slice(&bytes).ok()?));
        if let Some(before) = before {
            return Ok(before);
        }
        let facts = TakeFacts::of(clip, rate, streams)?;
        if let Some(file) = file {
            let _ = aside::put(&file, facts.json().to_string().as_bytes());
        }
        Ok(facts)
    }

    /// Forgets the oldest where there are too many.
    pub(crate) fn forget_beyond(&self, most: usize) {
        let Some(Ok(folder)) = self.0.as_ref().map(std::fs::read_dir) else { return };
        let mut files: Vec<PathBuf> = folder.flatten().map(|entry| entry.path()).collect();
        if files.len() > most {
            files.sort_by_cached_key(|file| std::fs::metadata(file).and_then(|m| m.modified()).ok());
            files[..files.len() - most].iter().for_each(|file| drop(std::fs::remove_file(file)));
        }
    }

    /// Forgets what is more than is kept.
    pub(crate) fn tidy(&self) {
        self.forget_beyond(MOST);
    }
}

/// What tells one content from another: samples, rate, loop. What is streamed is known by the bytes of its file, which is not decoded for that.
fn key(clip: &Clip, rate: u32, streams: &Streams) -> Result<u128, AudioError> {
    let content = match clip.streamed {
        Some(_) => streams.file_hash(clip)?,
        None => estampie_bundle::content(clip),
    };
    Ok(xxh3_128(&[&[FORM, u8::from(clip.streamed.is_some())][..], &rate.to_le_bytes(), &content.to_le_bytes()].concat()))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(clip: &Clip) -> TakeFacts {
        TakeFacts::of(clip, 48_000, &Streams::default()).unwrap()
    }

    impl Remembered {
        fn known(&self, clip: &Clip, rate: u32) -> TakeFacts {
            self.facts(clip, rate, &Streams::default()).unwrap()
        }
    }

    fn clip(last: f32) -> Clip {
        let samples = |gain: f32| (0..48_000).map(|i| if i == 47_999 { last } else { gain * (i as f32 * 0.05).sin() }).collect();
        Clip::new("audio/bell.wav", vec![samples(0.5), samples(0.2)], None)
    }

    #[test]
    fn what_was_measured_is_known_again_by_what_it_is() {
        let folder = tempfile::tempdir().unwrap();
        let remembered = Remembered::within(Some(folder.path()));
        let files = || std::fs::read_dir(folder.path().join("takes")).unwrap().map(|e| e.unwrap().path()).collect::<Vec<_>>();
        let first = remembered.known(&clip(0.0), 48_000);
        assert_eq!(first, of(&clip(0.0)));
        assert_eq!(files().len(), 1);
        // It is read, not measured again: what stands there is what is given.
        let text = std::fs::read_to_string(&files()[0]).unwrap();
        std::fs::write(&files()[0], text.replace("\"seconds\":1.0", "\"seconds\":7.0")).unwrap();
        assert_eq!(remembered.known(&clip(0.0), 48_000), TakeFacts { seconds: 7.0, ..first.clone() });
        // One other sample, another rate or other loop points are something else.
        assert_eq!(remembered.known(&clip(0.25), 48_000).seam_step, 0.25);
        assert_eq!(remembered.known(&clip(0.0), 44_100).seconds, 48_000.0 / 44_100.0);
        let looped = Clip { loop_points: Some((10, 20)), ..clip(0.0) };
        assert_ne!(remembered.known(&looped, 48_000).seam_step, first.seam_step);
        assert_eq!(files().len(), 4);
    }

    #[test]
    fn silence_damage_and_too_much_do_no_harm() {
        let folder = tempfile::tempdir().unwrap();
        let remembered = Remembered::within(Some(folder.path()));
        let silence = Clip::new("audio/rest.wav", vec![vec![0.0; 100]], None);
        let facts = of(&silence);
        assert!(facts.level == f32::NEG_INFINITY && facts.loudness.is_none());
        for _ in 0..2 {
            assert_eq!(remembered.known(&silence, 48_000), facts);
        }
        let file = folder.path().join(format!("takes/{:032x}.json", key(&silence, 48_000, &Streams::default()).unwrap()));
        for damage in ["", "{}", "[1]", "{\"seconds\": 1}", "\u{0}\u{1}"] {
            std::fs::write(&file, damage).unwrap();
            assert_eq!(remembered.known(&silence, 48_000), facts, "after {damage:?}");
        }
        for length in 1..=9 {
            remembered.known(&Clip::new("audio/n.wav", vec![vec![0.5; length]], None), 48_000);
        }
        remembered.forget_beyond(4);
        assert_eq!(std::fs::read_dir(folder.path().join("takes")).unwrap().count(), 4);
        // A folder that cannot be is none.
        std::fs::write(folder.path().join("file"), "").unwrap();
        assert_eq!(Remembered::within(Some(&folder.path().join("file"))).known(&silence, 48_000), facts);
    }
}
