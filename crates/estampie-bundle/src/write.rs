//! Writing a bundle.

use crate::audio::{Storing, content, encode};
use crate::manifest::{Audio, Encoding, FORMAT, Manifest, Tables};
use crate::names::{Names, c_header, rust_module};
use crate::parts::{PartInfo, parts};
use crate::read::hash;
use estampie_engine::clip::{Clip, Samples};
use estampie_engine::program::Program;
use std::collections::{BTreeMap, BTreeSet};
use std::io::{Seek, Write};
use std::sync::{Arc, Mutex};
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, DateTime, ZipWriter};

/// What a bundle is told besides the program.
#[derive(Debug, Clone)]
pub struct Info {
    /// The project's name.
    pub project: String,
    /// The hash of the project's texts and audio.
    pub sources: String,
    /// The names that the game's code uses.
    pub names: Names,
    /// Parts that a game loads by themselves.
    pub parts: Vec<PartInfo>,
    /// How audio is stored, by its name: without loss and in memory unless something is said.
    pub storing: BTreeMap<String, Storing>,
}

/// Why a bundle is not written.
#[derive(Debug, thiserror::Error)]
pub enum WriteError {
    /// The file cannot be written.
    #[error("the bundle cannot be written: {0}")]
    File(#[from] std::io::Error),
    /// Some audio is not loaded.
    #[error("{0} is not loaded: a bundle needs all audio")]
    NotLoaded(String),
    /// Some audio cannot be read.
    #[error("{0}")]
    Unread(String),
    /// The program cannot be written down.
    #[error("the program cannot be written down: {0}")]
    Program(#[from] postcard::Error),
    /// The archive cannot be written.
    #[error("the bundle cannot be written: {0}")]
    Archive(#[from] zip::result::ZipError),
}

/// Writes a bundle, and gives its manifest. The same program and information give the same bytes.
///
/// # Errors
/// When some audio is not loaded, or `out` refuses.
pub fn write<W: Write + Seek>(program: &Program, info: &Info, out: W) -> Result<Manifest, WriteError> {
    if let Some(sound) = program.sounds.iter().find(|s| s.loading) {
        return Err(WriteError::NotLoaded(program.names.get(sound.key).to_owned()));
    }
    let mut clips: BTreeMap<String, Arc<Clip>> = BTreeMap::new();
    program.each_clip(|clip| {
        clips.entry(clip.name.clone()).or_insert_with(|| Arc::clone(clip));
    });
    let encoded = encode_all(&clips, program, &info.storing).map_err(WriteError::Unread)?;
    let played = notes_play(program);
    // A number of this process would make two bundles of one project differ.
    let bytes = postcard::to_allocvec(&Program { id: 0, ..program.clone() })?;
    let mut audio = Vec::with_capacity(clips.len());
    // What notes play has to be there at any pitch and place at once.
    let streamed = |name: &String| info.storing.get(name).is_some_and(|s| s.streamed) && !played.contains(name);
    for (at, ((name, clip), (encoding, bytes, hash))) in clips.iter().zip(&encoded).enumerate() {
        let ending = match encoding {
            Encoding::Flac => "flac",
            Encoding::F32 => "f32",
            Encoding::Vorbis => "ogg",
        };
        audio.push(Audio {
            name: name.clone(),
            entry: format!("audio/{at:04}.{ending}"),
            encoding: *encoding,
            channels: clip.channels.len() as u32,
            frames: clip.frames() as u64,
            loop_points: clip.loop_points,
            bytes: bytes.len() as u64,
            streamed: streamed(name),
            sixteen: *encoding != Encoding::Vorbis && clip.channels.iter().all(|c| matches!(c, Samples::Sixteen(_))),
            content: (*encoding == Encoding::Vorbis || streamed(name)).then(|| format!("{hash:032x}")),
        });
    }
    let manifest = Manifest {
        format: FORMAT,
        written_by: format!("estampie {}", env!("CARGO_PKG_VERSION")),
        project: info.project.clone(),
        rate: program.rate,
        sources: info.sources.clone(),
        program: hash(&bytes),
        tables: Tables::here(),
        names: info.names.clone(),
        parts: parts(program, &info.parts, &audio),
        audio,
    };
    let mut archive = ZipWriter::new(out);
    let mut put = |name: &str, bytes: &[u8]| -> Result<(), WriteError> {
        // Neither the time nor the machine is in it.
        let options =
            SimpleFileOptions::default().compression_method(CompressionMethod::Stored).last_modified_time(DateTime::default()).unix_permissions(0o644);
        archive.start_file(name, options)?;
        archive.write_all(bytes)?;
        Ok(())
    };
    let json = |value: Result<Vec<u8>, serde_json::Error>| value.map_err(|e| WriteError::File(e.into()));
    put("bundle.json", &json(serde_json::to_vec_pretty(&manifest))?)?;
    put("program", &bytes)?;
    put("names.json", &json(serde_json::to_vec_pretty(&manifest.names))?)?;
    put("names.h", c_header(&info.project, &info.names).as_bytes())?;
    put("names.rs", rust_module(&info.project, &info.names).as_bytes())?;
    for (audio, (_, bytes, _)) in manifest.audio.iter().zip(&encoded) {
        put(&audio.entry, bytes)?;
    }
    archive.finish()?;
    Ok(manifest)
}

/// The names of the audio that instruments play.
fn notes_play(program: &Program) -> BTreeSet<String> {
    program.music.instruments.iter().flat_map(|i| &i.takes).map(|zone| zone.clip.name.clone()).collect()
}

/// How a clip is stored, the bytes of that, and the hash of what it was.
type Encoded = (Encoding, Vec<u8>, u128);

/// Encodes on all cores, in the order of the names; what is streamed is read, as many clips at once as there are cores.
fn encode_all(clips: &BTreeMap<String, Arc<Clip>>, program: &Program, storing: &BTreeMap<String, Storing>) -> Result<Vec<Encoded>, String> {
    let usual = Storing::default();
    let list: Vec<&Arc<Clip>> = clips.values().collect();
    let cores = std::thread::available_parallelism().map_or(1, std::num::NonZero::get).min(list.len().max(1));
    let next = std::sync::atomic::AtomicUsize::new(0);
    let done: Mutex<BTreeMap<usize, Result<Encoded, String>>> = Mutex::new(BTreeMap::new());
    std::thread::scope(|scope| {
        for _ in 0..cores {
            scope.spawn(|| {
                while let Some((at, clip)) = Some(next.fetch_add(1, std::sync::atomic::Ordering::Relaxed)).and_then(|at| Some((at, list.get(at)?))) {
                    let encoded = program.held(clip, usize::MAX).map(|clip| {
                        let (encoding, bytes) = encode(&clip, program.rate, storing.get(&clip.name).unwrap_or(&usual));
                        (encoding, bytes, content(&clip))
                    });
                    if let Ok(mut done) = done.lock() {
                        done.insert(at, encoded);
                    }
                }
            });
        }
    });
    done.into_inner().unwrap_or_default().into_values().collect()
}
