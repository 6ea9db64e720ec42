//! Reading a bundle.

use crate::audio::{decode, guarded, whole};
use crate::manifest::{Audio, FORMAT, Manifest, Tables};
use crate::origin::{Origin, Span};
use crate::stream::{Stored, Streams};
use estampie_engine::clip::{Clip, Streamed};
use estampie_engine::pages::HEAD;
use estampie_engine::program::Program;
use std::collections::HashMap;
use std::io::{BufReader, Read, Seek};
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
pub struct Bundle {
    origin: Origin,
    archive: ZipArchive<BufReader<Span>>,
    manifest: Manifest,
}

/// The hash of bytes, as it is written.
pub(crate) fn hash(bytes: &[u8]) -> String {
    format!("{:032x}", xxhash_rust::xxh3::xxh3_128(bytes))
}

impl Bundle {
    /// Opens a file.
    ///
    /// # Errors
    /// When it is no bundle that this program plays.
    pub fn open(path: &Path) -> Result<Self, ReadError> {
        Bundle::read(Origin::open(path)?)
    }

    /// Opens a bundle in memory.
    ///
    /// # Errors
    /// When it is none that this program plays.
    pub fn of_bytes(bytes: Vec<u8>) -> Result<Self, ReadError> {
        Bundle::read(Origin::Memory(bytes.into()))
    }

    /// Opens one wherever it is.
    ///
    /// # Errors
    /// When it is none that this program plays.
    pub fn read(origin: Origin) -> Result<Self, ReadError> {
        let mut archive = ZipArchive::new(BufReader::new(origin.whole()))?;
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
        Ok(Bundle { origin, archive, manifest })
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
        let clips = self.audio(|_| true, false)?;
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

    /// Reads the audio whose names are wanted, decoded on all cores; of what is to be streamed only the head, if that is wanted.
    ///
    /// # Errors
    /// When any of it is not as it was written.
    pub fn audio(&mut self, wanted: impl Fn(&str) -> bool, stream: bool) -> Result<Clips, ReadError> {
        let mut work = Vec::with_capacity(self.manifest.audio.len());
        for at in 0..self.manifest.audio.len() {
            let audio = &self.manifest.audio[at];
            if !wanted(&audio.name) {
                continue;
            }
            work.push(if stream && audio.is_long() {
                Work::Head(at as u32, self.stored(at)?)
            } else {
                // The manifest may be anybody's: no more is taken than stands there.
                Work::All(audio.clone(), entry(&mut self.archive, &audio.entry, audio.bytes)?)
            });
        }
        decode_all(work, &self.origin)
    }

    /// Where a piece of audio lies.
    fn stored(&mut self, at: usize) -> Result<Stored, ReadError> {
        let audio = self.manifest.audio[at].clone();
        let damaged = |what: &str| ReadError::Damaged(format!("{}: {what}", audio.entry));
        if !(1..=2).contains(&audio.channels) {
            return Err(damaged("it has neither one nor two channels"));
        }
        let file = self.archive.by_name(&audio.entry)?;
        if file.compression() != zip::CompressionMethod::Stored || file.size() != audio.bytes {
            return Err(damaged("it is not stored as it was written"));
        }
        let start = file.data_start().ok_or_else(|| damaged("it is nowhere"))?;
        drop(file);
        Ok(Stored { audio, start })
    }

    /// What is streamed of it, to be read from where it lies.
    ///
    /// # Errors
    /// When some of it is not as it was written.
    pub fn streams(&mut self) -> Result<Streams, ReadError> {
        let long: Vec<bool> = self.manifest.audio.iter().map(Audio::is_long).collect();
        let stored: Result<Vec<_>, _> = long.iter().enumerate().map(|(at, long)| long.then(|| self.stored(at)).transpose()).collect();
        Ok(Streams::new(self.origin.clone(), stored?))
    }
}

/// Decoded audio by name.
pub type Clips = HashMap<String, Arc<Clip>>;

/// Makes a program of its bytes and of audio. What plays audio that is not there is left out of it.
///
/// # Errors
/// When the bytes are no program, or one that does not hold together.
pub fn assemble(program: &[u8], clips: &Clips) -> Result<Program, ReadError> {
    let mut program: Program = postcard::from_bytes(program).map_err(|e| ReadError::Damaged(format!("the program: {e}")))?;
    program.fill_clips(|name| clips.get(name).cloned());
    program.leave_out(|name| clips.contains_key(name));
    crate::check::fits(&program).map_err(|what| ReadError::Damaged(format!("the program: {what}")))?;
    program.id = Program::next_id();
    Ok(program)
}

/// What is to be decoded.
enum Work {
    All(Audio, Vec<u8>),
    /// The head of what is streamed under a number.
    Head(u32, Stored),
}

impl Work {
    fn do_it(self, origin: &Origin) -> Result<Clip, String> {
        let name = match &self {
            Work::All(audio, _) | Work::Head(_, Stored { audio, .. }) => audio.name.clone(),
        };
        let clip = guarded(|| match self {
            Work::All(audio, bytes) => decode(&audio, bytes),
            Work::Head(stream, stored) => head(stream, &stored, origin),
        });
        clip.map_err(|what| format!("{name}: {what}"))
    }
}

fn head(stream: u32, stored: &Stored, origin: &Origin) -> Result<Clip, String> {
    let audio = &stored.audio;
    let frames = usize::try_from(audio.frames).map_err(|_| "it is longer than any may be")?;
    let head = stored.head(origin, HEAD)?;
    whole(&head, HEAD)?;
    Ok(Clip { content: audio.content(), ..Clip::streamed(&audio.name, head, Streamed { stream, frames }, audio.loop_points) })
}

/// Decodes on all cores.
fn decode_all(work: Vec<Work>, origin: &Origin) -> Result<Clips, ReadError> {
    let cores = std::thread::available_parallelism().map_or(1, std::num::NonZero::get).min(work.len().max(1));
    let (clips, work) = (std::sync::Mutex::new(HashMap::new()), std::sync::Mutex::new(work));
    let wrong = std::sync::Mutex::new(None);
    std::thread::scope(|scope| {
        for _ in 0..cores {
            scope.spawn(|| {
                while let Some(next) = work.lock().ok().and_then(|mut work| work.pop()) {
                    match next.do_it(origin) {
                        Ok(clip) => drop(clips.lock().map(|mut clips| clips.insert(clip.name.clone(), Arc::new(clip)))),
                        Err(what) => drop(wrong.lock().map(|mut wrong| *wrong = Some(what))),
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::manifest::Encoding;

    #[test]
    fn what_a_fuzzer_found_is_refused_with_a_sentence() {
        // A number in FLAC that runs over; and a picture of three gigabytes behind something else.
        for (found, said) in
            [(&include_bytes!("../tests/data/overflow.bin")[..], ""), (&include_bytes!("../tests/data/picture.bin")[..], "it is no FLAC stream")]
        {
            let (kind, bytes) = found.split_first().unwrap_or((&0, &[]));
            assert_eq!(kind % 3, 0, "FLAC");
            let audio = Audio {
                name: "x".into(),
                entry: String::new(),
                encoding: Encoding::Flac,
                channels: 1 + u32::from(kind / 3 % 2),
                frames: 1_000,
                loop_points: None,
                bytes: bytes.len() as u64,
                streamed: false,
                sixteen: false,
                content: None,
            };
            let origin = Origin::Memory(Vec::new().into());
            let refused = Work::All(audio, bytes.to_vec()).do_it(&origin);
            assert!(refused.is_err_and(|why| why.starts_with("x: ") && why.contains(said)));
        }
    }
}
