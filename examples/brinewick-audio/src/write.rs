//! Loudness and FLAC.

use crate::craft::RATE;
use estampie_project::assets::{Decoded, Facts, Notes, facts};
use flacenc::component::BitRepr as _;
use flacenc::error::Verify as _;
use std::path::Path;

/// Files that share one gain, so that parts of a chain still fit each other.
pub(crate) struct Group {
    /// The loudness that the loudest of them comes to, in LUFS.
    pub(crate) loudness: f64,
    /// Path without ending, and channels.
    pub(crate) files: Vec<(String, Vec<Vec<f64>>)>,
}

impl Group {
    /// One mono file.
    pub(crate) fn one(name: impl Into<String>, loudness: f64, samples: Vec<f64>) -> Group {
        Group { loudness, files: vec![(name.into(), vec![samples])] }
    }
}

fn decoded(channels: &[Vec<f64>], gain: f64) -> Decoded {
    let channels = channels.iter().map(|c| c.iter().map(|s| (s * gain) as f32).collect()).collect();
    Decoded { rate: RATE as u32, channels, loop_points: None, kind: "made", bits: Some(16), notes: Notes::default() }
}

/// Writes a group and gives the facts of each file as written.
pub(crate) fn group(out: &Path, group: &Group) -> Result<Vec<(String, Facts)>, String> {
    let raw: Vec<Facts> = group.files.iter().map(|(_, channels)| facts(&decoded(channels, 1.0))).collect();
    let loudest = raw.iter().map(|f| f.loudness).fold(f64::NEG_INFINITY, f64::max);
    let peak = raw.iter().map(|f| f.true_peak).fold(f64::NEG_INFINITY, f64::max);
    let gain = 10f64.powf((group.loudness - loudest).min(-1.2 - peak) / 20.0);
    let mut written = Vec::new();
    for (name, channels) in &group.files {
        let path = out.join(format!("{name}.flac"));
        if let Some(folder) = path.parent() {
            std::fs::create_dir_all(folder).map_err(|e| format!("{}: {e}", folder.display()))?;
        }
        let bytes = flac(channels, gain).map_err(|e| format!("{name}: {e}"))?;
        std::fs::write(&path, bytes).map_err(|e| format!("{}: {e}", path.display()))?;
        written.push((name.clone(), facts(&decoded(channels, gain))));
    }
    Ok(written)
}

fn flac(channels: &[Vec<f64>], gain: f64) -> Result<Vec<u8>, String> {
    let frames = channels.iter().map(Vec::len).min().unwrap_or(0);
    let mut samples = Vec::with_capacity(frames * channels.len());
    for i in 0..frames {
        for channel in channels {
            samples.push((channel[i] * gain * 32_767.0).round().clamp(-32_768.0, 32_767.0) as i32);
        }
    }
    let config = flacenc::config::Encoder::default().into_verified().map_err(|(_, e)| e.to_string())?;
    let source = flacenc::source::MemSource::from_samples(&samples, channels.len(), 16, RATE as usize);
    let stream = flacenc::encode_with_fixed_block_size(&config, source, config.block_size).map_err(|e| format!("{e:?}"))?;
    let mut sink = flacenc::bitsink::ByteSink::new();
    stream.write(&mut sink).map_err(|e| format!("{e:?}"))?;
    let mut bytes = sink.into_inner();
    // The least block size in STREAMINFO does not count the last block (RFC 9639, 8.2); decoders that take the
    // stream as one of fixed blocks want both sizes equal.
    if let [.., low_a, low_b, high_a, high_b] = &mut bytes[..12] {
        (*low_a, *low_b) = (*high_a, *high_b);
    }
    Ok(bytes)
}
