//! Bundles as the command line and the workshop write them: what is in them, what they were made of, and where the last one of a project is.

use crate::aside::{self, Aside};
use crate::failure::Failure;
use estampie_bundle::{Info, Manifest, Name, NameKind, PartInfo, Storing, write};
use estampie_engine::clip::Clip;
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_project::assets::{Assets, hash_of_file};
use estampie_project::compile;
use estampie_project::document::{Document, Over, Sources, StoredAs, ValueOf, storing_of};
use estampie_project::moved::{self, Found};
use estampie_project::stock;
use serde_json::json;
use std::collections::{BTreeMap, BTreeSet};
use std::io::Write as _;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::SystemTime;
use xxhash_rust::xxh3::Xxh3;

/// Hashes of audio files, each worked out once for as long as the file is not written again.
#[derive(Debug, Clone, Default)]
pub(crate) struct AudioHashes(BTreeMap<String, (Option<SystemTime>, u64, u128)>);

impl AudioHashes {
    fn of(&mut self, root: &Path, file: &str) -> std::io::Result<Option<u128>> {
        let path = root.join(stock::file_of(file));
        let facts = match std::fs::metadata(&path) {
            Ok(facts) => facts,
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(None),
            Err(error) => return Err(error),
        };
        let (written, length) = (facts.modified().ok(), facts.len());
        if let Some((known, long, hash)) = self.0.get(file)
            && (*known, *long) == (written, length)
            && known.is_some()
        {
            return Ok(Some(*hash));
        }
        let hash = hash_of_file(&path)?;
        self.0.insert(file.to_owned(), (written, length, hash));
        Ok(Some(hash))
    }
}

impl AudioHashes {
    fn file(home: Home<'_>) -> Option<PathBuf> {
        home.memory("audio")
    }

    /// Those that are remembered of a project; none if that cannot be read.
    pub(crate) fn read(home: Home<'_>) -> AudioHashes {
        let read = || -> Option<AudioHashes> {
            let value: serde_json::Value = serde_json::from_slice(&std::fs::read(Self::file(home)?).ok()?).ok()?;
            let one = |(file, facts): (&String, &serde_json::Value)| {
                let written = SystemTime::UNIX_EPOCH + std::time::Duration::from_nanos(facts["written"].as_u64()?);
                Some((file.clone(), (Some(written), facts["bytes"].as_u64()?, u128::from_str_radix(facts["hash"].as_str()?, 16).ok()?)))
            };
            Some(AudioHashes(value["audio"].as_object()?.iter().filter_map(one).collect()))
        };
        read().unwrap_or_default()
    }

    /// Remembers them. That it cannot is no reason to fail.
    pub(crate) fn write(&self, home: Home<'_>) {
        let nanos = |at: &Option<SystemTime>| at.and_then(|at| at.duration_since(SystemTime::UNIX_EPOCH).ok()).map_or(0, |d| d.as_nanos() as u64);
        let audio: serde_json::Map<String, serde_json::Value> = self
            .0
            .iter()
            .map(|(file, (at, bytes, hash))| (file.clone(), json!({ "written": nanos(at), "bytes": bytes, "hash": format!("{hash:032x}") })))
            .collect();
        let Some(file) = Self::file(home) else { return };
        let text = json!({ "project": home.root.display().to_string(), "audio": audio }).to_string();
        if let Err(error) = aside::put(&file, text.as_bytes()) {
            tracing::warn!(%error, "what the audio is cannot be remembered");
        }
    }

    /// Learns what a file is; true if that was not known.
    pub(crate) fn learn(&mut self, root: &Path, file: &str) -> bool {
        let before = self.0.get(file).copied();
        // What cannot be read is told where it is loaded.
        let _ = self.of(root, file);
        self.0.get(file).copied() != before
    }

    /// What of a project's audio is like what is missing.
    pub(crate) fn like(&self, path: &str, audio: &BTreeSet<String>, used: &BTreeSet<String>, root: &Path) -> Vec<Found> {
        let was = self.0.get(path);
        let mut now = self.clone();
        moved::like(path, audio, was.map(|(.., hash)| *hash), used, |file| {
            // Only what is as long is read.
            let length = std::fs::metadata(root.join(file)).ok()?.len();
            was.filter(|(_, bytes, _)| *bytes == length)?;
            now.of(root, file).ok().flatten()
        })
    }
}

/// The hash of all that a bundle is made of: the texts besides playthroughs, and the audio that is in use.
///
/// # Errors
/// When an audio file cannot be read. One that is missing is a fault of the project, and no error here.
pub(crate) fn hash_of(sources: &Sources, document: &Document, root: &Path, known: &mut AudioHashes) -> Result<String, Failure> {
    let mut hash = Xxh3::new();
    for (file, text) in sources.texts().filter(|(file, _)| !file.starts_with("playthroughs/") && *file != stock::FILE) {
        hash.update(file.as_bytes());
        hash.update(text.as_bytes());
    }
    for file in compile::wanted_audio(document).keys() {
        hash.update(file.as_bytes());
        let of_file = known.of(root, file).map_err(|error| Failure::Fault(format!("{file} cannot be read: {error}")))?;
        hash.update(&of_file.unwrap_or_default().to_le_bytes());
    }
    Ok(format!("{:032x}", hash.digest128()))
}

/// The project with silence in the place of all placeholders, and how many there are: a game does not ship what is not made. `None` if there are none.
pub(crate) fn without_placeholders(document: &Document, assets: &Assets) -> Option<(Program, usize)> {
    let names: Vec<String> = compile::wanted_audio(document).into_keys().filter(|name| stock::is_placeholder(name)).collect();
    if names.is_empty() {
        return None;
    }
    let mut silent = assets.clone();
    for name in &names {
        silent.insert(name, Ok(Arc::new(Clip::new(name, vec![vec![0.0; 2]], None))));
    }
    Some((compile::compile(document, &silent).0, names.len()))
}

/// What is allowed that is refused otherwise.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Allowed {
    /// Files that are no bundle are written over.
    pub(crate) force: bool,
    /// Parts may take more memory than their budgets.
    pub(crate) anyway: bool,
}

/// The parts that take more memory than they may, in words.
pub(crate) fn over_budget(manifest: &Manifest) -> Vec<String> {
    let over = manifest.parts.iter().filter_map(|part| Some((part, part.budget.filter(|budget| part.memory > *budget)?)));
    over.map(|(part, budget)| format!("the part {} takes {} when it is loaded, and its budget is {}", part.name, size(part.memory), size(budget))).collect()
}

/// Writes a bundle, whole or not at all; gives its manifest and how many bytes it has.
///
/// # Errors
/// When some audio is not loaded, a part is over its budget, or the file cannot be written.
pub(crate) fn write_to(
    path: &Path,
    allowed: Allowed,
    (program, document): (&Program, &Document),
    sources: String,
    home: Home<'_>,
) -> Result<(Manifest, u64), Failure> {
    let info =
        Info { project: document.manifest.name.clone(), sources, names: names_of(document), parts: parts_of(document), storing: storing(document, home.root)? };
    let mut file = Aside::create(path, &["bundle", "zip"], Some(home.root), allowed.force)?;
    // An archive is written back and forth, and a file appears whole.
    let mut archive = std::io::Cursor::new(Vec::new());
    let manifest = write(program, &info, &mut archive).map_err(|e| Failure::Fault(e.to_string()))?;
    let mut over = over_budget(&manifest);
    let (limits, audio) = (&document.manifest.budget, manifest.audio.iter().map(|a| a.bytes).sum::<u64>());
    if let Some(may) = limits.bundle.filter(|may| audio > *may && limits.over == Over::Refuse) {
        over.push(format!("audio takes {} in the bundle, and the budget has {}", size(audio), size(may)));
    }
    if !over.is_empty() && !allowed.anyway {
        return Err(Failure::Fault(format!("{}; estampie bundle --anyway writes it all the same", over.join("; "))));
    }
    file.write_all(archive.get_ref())?;
    file.finish()?;
    home.remember(path);
    Ok((manifest, archive.get_ref().len() as u64))
}

/// A project's folder, and that in which the program remembers things, if it does.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Home<'a> {
    pub(crate) root: &'a Path,
    pub(crate) state: Option<&'a Path>,
}

impl Home<'_> {
    /// The file in which something is remembered of the project.
    fn memory(self, what: &str) -> Option<PathBuf> {
        let root = self.root.canonicalize().ok()?;
        Some(self.state?.join(what).join(format!("{:016x}.json", NameKey::of(&root.display().to_string()).0)))
    }

    /// Remembers where the last bundle of the project is. That it cannot be is no reason to fail.
    fn remember(self, bundle: &Path) {
        let (Some(file), Ok(bundle)) = (self.memory("bundles"), bundle.canonicalize()) else { return };
        let text = json!({ "project": self.root.display().to_string(), "bundle": bundle.display().to_string() }).to_string();
        let written = aside::put(&file, text.as_bytes());
        if let Err(error) = written {
            tracing::warn!(%error, "where the bundle is cannot be remembered");
        }
    }

    /// Where the last bundle of the project is.
    pub(crate) fn last_bundle(self) -> Option<PathBuf> {
        let value: serde_json::Value = serde_json::from_slice(&std::fs::read(self.memory("bundles")?).ok()?).ok()?;
        Some(PathBuf::from(value["bundle"].as_str()?))
    }
}

/// How audio is stored, where something is said of it.
fn storing(document: &Document, root: &Path) -> Result<BTreeMap<String, Storing>, Failure> {
    let mut all = BTreeMap::new();
    for file in compile::wanted_audio(document).into_keys() {
        let storing = storing_of_one(document, root, &file).map_err(|e| Failure::Fault(format!("{file} cannot be read: {e}")))?;
        if storing != Storing::default() {
            all.insert(file, storing);
        }
    }
    Ok(all)
}

/// How a piece of audio is stored.
pub(crate) fn storing_of_one(document: &Document, root: &Path, file: &str) -> std::io::Result<Storing> {
    // A piece is stored as its file is.
    let whole = stock::file_of(file);
    let (stored, streamed) = storing_of(&document.manifest.encodings, whole);
    let storing = Storing { streamed, ..Storing::default() };
    Ok(match stored {
        StoredAs::Vorbis(quality) => Storing { quality: Some(quality), ..storing },
        StoredAs::Original if whole == file => Storing { original: Some(std::fs::read(root.join(file))?), ..storing },
        StoredAs::Lossless | StoredAs::Original => storing,
    })
}

/// Encodings that are of nothing that is in the bundle.
pub(crate) fn idle_encodings(document: &Document) -> Vec<&str> {
    let used: Vec<String> = compile::wanted_audio(document).into_keys().collect();
    let idle = document.manifest.encodings.iter().filter(|e| !used.iter().any(|file| e.is_of(stock::file_of(file))));
    idle.map(|e| e.name.as_str()).collect()
}

/// The parts of the bundle, with what they hold by name.
fn parts_of(document: &Document) -> Vec<PartInfo> {
    let parts = document.manifest.parts.iter();
    parts
        .map(|part| PartInfo {
            name: part.name.clone(),
            sounds: document.sounds.iter().map(|s| &s.name).filter(|name| part.holds_sound(name)).cloned().collect(),
            pieces: document.music.pieces.iter().map(|p| &p.name).filter(|name| part.holds_piece(name)).cloned().collect(),
            budget: part.budget.as_ref().map(|b| b.value),
        })
        .collect()
}

/// The names that a game's code uses.
fn names_of(document: &Document) -> Vec<Name> {
    let name = |kind, name: &str, note: &str| Name {
        kind,
        name: name.to_owned(),
        of: String::new(),
        range: None,
        unit: String::new(),
        each_emitter: false,
        note: note.to_owned(),
    };
    let mut names: Vec<Name> = document.events.iter().map(|e| name(NameKind::Event, &e.name, &e.note)).collect();
    for parameter in document.parameters.iter().filter(|p| p.source == ValueOf::Game) {
        let range = Some(parameter.from_game.unwrap_or((parameter.low, parameter.high)));
        let unit = if parameter.from_game.is_some() { String::new() } else { parameter.unit.clone() };
        names.push(Name { range, unit, each_emitter: parameter.of_each, ..name(NameKind::Parameter, &parameter.name, &parameter.note) });
    }
    for state in &document.states {
        names.push(name(NameKind::State, &state.name, &state.note));
        let theirs = state.dictionary.iter().map(|(theirs, _)| theirs.as_str());
        let all: BTreeSet<&str> = state.values.iter().map(|v| v.value.as_str()).chain(theirs).collect();
        names.extend(all.into_iter().map(|value| Name { of: state.name.clone(), ..name(NameKind::Value, value, "") }));
    }
    names.extend(document.player_levels.iter().map(|level| Name { range: Some((0.0, 10.0)), ..name(NameKind::PlayerLevel, &level.name, "") }));
    names.extend(document.emitters.iter().map(|e| name(NameKind::Emitter, &e.name, &e.note)));
    names.sort_by(|a, b| (a.kind, &a.of, &a.name).cmp(&(b.kind, &b.of, &b.name)));
    names
}

/// Bytes as people read them.
pub(crate) fn size(bytes: u64) -> String {
    match bytes as f64 {
        b if b < 1e4 => format!("{b:.0} bytes"),
        b if b < 1e6 => format!("{:.0} kB", b / 1e3),
        b => format!("{:.1} MB", b / 1e6),
    }
}
