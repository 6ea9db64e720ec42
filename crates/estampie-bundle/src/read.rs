//! Reading a bundle.

use crate::audio::decode;
use crate::manifest::{Audio, FORMAT, Manifest, Tables};
use estampie_engine::clip::Clip;
use estampie_engine::program::Program;
use std::collections::HashMap;
use std::io::{Cursor, Read, Seek};
use std::path::Path;
use std::sync::Arc;
use zip::ZipArchive;

/// The most that an entry other than audio may hold, in bytes.
const MOST: u64 = 1 << 30;

/// Why a bundle cannot be played.
#[derive(Debug, thiserror::Error)]
pub enum ReadError {
    /// The file cannot be read.
    #[error("the bundle cannot be read: {0}")]
    File(#[from] std::io::Error),
    /// It is no bundle, or a part of it is missing.
    #[error("this is no bundle: {0}")]
    NoBundle(String),
    /// Another version of the format.
    #[error("the bundle is of format {found}, and this program plays format {known}: write it again with the estampie that belongs to it")]
    Format {
        /// Its version.
        found: u32,
        /// That of this program.
        known: u32,
    },
    /// The engine that wrote it has other effects, generators or actions.
    #[error("the bundle was written by {written_by}, whose {what} are not those of this program: write it again with the estampie that belongs to it")]
    Tables {
        /// What wrote it.
        written_by: String,
        /// What differs.
        what: &'static str,
    },
    /// Something is not as it was written.
    #[error("the bundle is damaged: {0}")]
    Damaged(String),
}

impl From<zip::result::ZipError> for ReadError {
    fn from(error: zip::result::ZipError) -> Self {
        match error {
            zip::result::ZipError::Io(error) => ReadError::File(error),
            error => ReadError::NoBundle(error.to_string()),
        }
    }
}

/// A bundle that has been opened: its manifest is read and fits, and its audio is not yet decoded.
#[derive(Debug)]
pub struct Bundle<R: Read + Seek> {
    archive: ZipArchive<R>,
    manifest: Manifest,
}

/// The hash of bytes, as it is written.
pub(crate) fn hash(bytes: &[u8]) -> String {
    format!("{:032x}", xxhash_rust::xxh3::xxh3_128(bytes))
}

impl Bundle<std::io::BufReader<std::fs::File>> {
    /// Opens a file.
    ///
    /// # Errors
    /// When it is no bundle that this program plays.
    pub fn open(path: &Path) -> Result<Self, ReadError> {
        Bundle::read(std::io::BufReader::new(std::fs::File::open(path)?))
    }
}

impl Bundle<Cursor<Vec<u8>>> {
    /// Opens a bundle in memory.
    ///
    /// # Errors
    /// When it is none that this program plays.
    pub fn of_bytes(bytes: Vec<u8>) -> Result<Self, ReadError> {
        Bundle::read(Cursor::new(bytes))
    }
}

impl<R: Read + Seek> Bundle<R> {
    /// Opens what can be read.
    ///
    /// # Errors
    /// When it is no bundle that this program plays.
    pub fn read(reader: R) -> Result<Self, ReadError> {
        let mut archive = ZipArchive::new(reader)?;
        let text = entry(&mut archive, "bundle.json", MOST)?;
        let value: serde_json::Value = serde_json::from_slice(&text).map_err(|e| ReadError::NoBundle(format!("bundle.json is broken: {e}")))?;
        // The version first: what another one means by the rest is not known here.
        let found = value.get("format").and_then(serde_json::Value::as_u64).ok_or_else(|| ReadError::NoBundle("bundle.json says no format".into()))?;
        if found != u64::from(FORMAT) {
            return Err(ReadError::Format { found: u32::try_from(found).unwrap_or(u32::MAX), known: FORMAT });
        }
        let manifest: Manifest = serde_json::from_value(value).map_err(|e| ReadError::Damaged(format!("bundle.json: {e}")))?;
        let here = Tables::here();
        let differs = [
            ("effects", manifest.tables.effects == here.effects),
            ("generators", manifest.tables.generators == here.generators),
            ("actions", manifest.tables.actions == here.actions),
        ];
        if let Some((what, _)) = differs.into_iter().find(|(_, same)| !same) {
            return Err(ReadError::Tables { written_by: manifest.written_by, what });
        }
        Ok(Bundle { archive, manifest })
    }

    /// What it says of itself.
    #[must_use]
    pub fn manifest(&self) -> &Manifest {
        &self.manifest
    }

    /// Reads the program and all its audio, decoded on all cores.
    ///
    /// # Errors
    /// When anything is not as it was written.
    pub fn load(mut self) -> Result<Arc<Program>, ReadError> {
        let bytes = self.program()?;
        let clips = self.audio(|_| true)?;
        Ok(Arc::new(assemble(&bytes, &clips)?))
    }

    /// Reads the program as it is written, without audio: [`assemble`] puts both together.
    ///
    /// # Errors
    /// When it is not the one that was written.
    pub fn program(&mut self) -> Result<Vec<u8>, ReadError> {
        let bytes = entry(&mut self.archive, "program", MOST)?;
        if hash(&bytes) != self.manifest.program {
            return Err(ReadError::Damaged("the program is not the one that was written".into()));
        }
        Ok(bytes)
    }

    /// Reads the audio whose names are wanted, decoded on all cores.
    ///
    /// # Errors
    /// When any of it is not as it was written.
    pub fn audio(&mut self, wanted: impl Fn(&str) -> bool) -> Result<Clips, ReadError> {
        let mut stored = Vec::with_capacity(self.manifest.audio.len());
        for audio in self.manifest.audio.iter().filter(|a| wanted(&a.name)) {
            // The manifest may be anybody's: no more is taken than stands there.
            stored.push((audio, entry(&mut self.archive, &audio.entry, audio.bytes)?));
        }
        decode_all(stored)
    }
}

/// Decoded audio by name.
pub type Clips = HashMap<String, Arc<Clip>>;

/// Makes a program of its bytes and of audio. What plays audio that is not there is left out of it.
///
/// # Errors
/// When the bytes are no program.
pub fn assemble(program: &[u8], clips: &Clips) -> Result<Program, ReadError> {
    let mut program: Program = postcard::from_bytes(program).map_err(|e| ReadError::Damaged(format!("the program: {e}")))?;
    program.fill_clips(|name| clips.get(name).cloned());
    program.leave_out(|name| clips.contains_key(name));
    program.id = Program::next_id();
    Ok(program)
}

/// Decodes on all cores.
fn decode_all(stored: Vec<(&Audio, Vec<u8>)>) -> Result<Clips, ReadError> {
    let cores = std::thread::available_parallelism().map_or(1, std::num::NonZero::get).min(stored.len().max(1));
    let (clips, work) = (std::sync::Mutex::new(HashMap::new()), std::sync::Mutex::new(stored));
    let wrong = std::sync::Mutex::new(None);
    std::thread::scope(|scope| {
        for _ in 0..cores {
            scope.spawn(|| {
                while let Some((audio, bytes)) = work.lock().ok().and_then(|mut work| work.pop()) {
                    match decode(audio, bytes) {
                        Ok(clip) => drop(clips.lock().map(|mut clips| clips.insert(audio.name.clone(), Arc::new(clip)))),
                        Err(what) => drop(wrong.lock().map(|mut wrong| *wrong = Some(format!("{}: {what}", audio.name)))),
                    }
                }
            });
        }
    });
    match wrong.into_inner() {
        Ok(Some(what)) => Err(ReadError::Damaged(what)),
        _ => Ok(clips.into_inner().unwrap_or_default()),
    }
}

/// An entry, whole; one that is longer than it may be is damaged.
fn entry<R: Read + Seek>(archive: &mut ZipArchive<R>, name: &str, most: u64) -> Result<Vec<u8>, ReadError> {
    let file = archive.by_name(name).map_err(|e| match e {
        zip::result::ZipError::FileNotFound => ReadError::NoBundle(format!("it has no {name}")),
        error => error.into(),
    })?;
    let size = file.size();
    if size > most {
        return Err(ReadError::Damaged(format!("{name} is longer than it says")));
    }
    let mut bytes = Vec::with_capacity((size as usize).min(1 << 24));
    file.take(most).read_to_end(&mut bytes).map_err(|e| ReadError::Damaged(format!("{name}: {e}")))?;
    Ok(bytes)
}
