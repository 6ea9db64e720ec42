//! The texts of a project, read from its folder and written back without ever losing the last good version.

use super::saving::{self, Write};
use super::{Fault, Place};
use crate::door;
use crate::midi::{self, ScoreFile, is_score};
use std::collections::{BTreeMap, BTreeSet};
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Texts longer than this are not read: no project file is.
const LONGEST_TEXT: u64 = 16 << 20;

/// The texts of a project by path, relative to its folder and with `/`. Those of MIDI files are as [`ScoreFile`] writes them.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Sources {
    files: BTreeMap<String, Arc<str>>,
    /// How those are written that are not written plainly; their texts in here are.
    manners: BTreeMap<String, Manner>,
}

/// What stands around a text in its file, and is kept.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
struct Manner {
    /// It begins with a byte order mark.
    mark: bool,
    /// Its lines end with a carriage return too, all of them.
    returns: bool,
}

impl Manner {
    /// Takes it off a text.
    fn off(text: &str) -> (String, Manner) {
        let bare = text.strip_prefix('\u{feff}');
        let (mark, text) = (bare.is_some(), bare.unwrap_or(text));
        let returns = text.contains("\r\n") && text.matches("\r\n").count() == text.matches('\n').count();
        (if returns { text.replace("\r\n", "\n") } else { text.to_owned() }, Manner { mark, returns })
    }

    fn on(self, text: &str) -> String {
        let text = if self.returns { text.replace('\n', "\r\n") } else { text.to_owned() };
        if self.mark { format!("\u{feff}{text}") } else { text }
    }
}

const SINGLE: [&str; 10] =
    ["estampie.toml", "game.toml", "shared.toml", "mix.toml", "modulation.toml", "world.toml", "reactions.est", "checks.est", "explore.toml", "stock.csv"];

impl Sources {
    /// Reads all project files below `root`. What cannot be read is a fault.
    ///
    /// # Errors
    /// When there is no `estampie.toml`: then this is not a project.
    pub fn read(root: &Path) -> io::Result<(Sources, Vec<Fault>)> {
        if !root.join("estampie.toml").is_file() {
            let what = format!("{} is not a project: it has no estampie.toml; \"estampie new DIR\" makes a project", root.display());
            return Err(io::Error::new(io::ErrorKind::NotFound, what));
        }
        let mut sources = Sources::default();
        let mut faults = Vec::new();
        // A save that was killed is completed first.
        let folders: Vec<PathBuf> = ["", "sounds", "music", "playthroughs"].iter().map(|f| root.join(f)).collect();
        if let Err(error) = saving::recover(root, &folders) {
            faults.push(Fault::new(
                &Place::whole("estampie.toml"),
                format!("a save that was cut off cannot be completed: {error}"),
                "give this folder its rights, and open the project again",
            ));
        }
        let (paths, unread) = listing(root, true);
        faults.extend(unread);
        for path in paths {
            match read_text(root, &path) {
                Ok((text, manner)) => sources.set_in(&path, &text, manner),
                Err(error) => faults.push(Fault::new(&Place::whole(&path), format!("this file cannot be read: {error}"), "fix the file or take it out")),
            }
        }
        Ok((sources, faults))
    }

    /// The paths of all project files below `root`, without reading them.
    #[must_use]
    pub fn list(root: &Path) -> Vec<String> {
        listing(root, true).0
    }

    /// Sources from texts, for tests and for projects that are not on disk.
    #[must_use]
    pub fn from_texts<'a>(texts: impl IntoIterator<Item = (&'a str, &'a str)>) -> Sources {
        Sources { files: texts.into_iter().map(|(file, text)| (file.to_owned(), Arc::from(text))).collect(), manners: BTreeMap::new() }
    }

    /// All files, in the order in which they are read.
    pub fn texts(&self) -> impl Iterator<Item = (&str, &str)> {
        self.files.iter().map(|(file, text)| (file.as_str(), &**text))
    }

    /// All files as they are held here, in the order in which they are read.
    pub(crate) fn files(&self) -> impl Iterator<Item = (&str, &Arc<str>)> {
        self.files.iter().map(|(file, text)| (file.as_str(), text))
    }

    /// The text of a file.
    #[must_use]
    pub fn get(&self, file: &str) -> Option<&Arc<str>> {
        self.files.get(file)
    }

    /// Puts a text in.
    pub fn set(&mut self, file: &str, text: &str) {
        self.files.insert(file.to_owned(), Arc::from(text));
    }

    /// Takes a file out.
    pub fn remove(&mut self, file: &str) {
        self.files.remove(file);
    }

    fn set_in(&mut self, file: &str, text: &str, manner: Manner) {
        self.set(file, text);
        if manner != Manner::default() {
            self.manners.insert(file.to_owned(), manner);
        }
    }

    /// Writes files below `root`, all or none of them: those that are here as they are here, the others are taken out.
    ///
    /// # Errors
    /// When the disk refuses, with the name of the file. Then all files are as they were.
    pub fn write(&self, root: &Path, files: &[String]) -> io::Result<()> {
        let bytes = |file: &String| -> io::Result<Option<Vec<u8>>> {
            let Some(text) = self.files.get(file) else { return Ok(None) };
            if is_score(file) {
                let score = ScoreFile::of_text(text).map_err(|e| io::Error::new(io::ErrorKind::InvalidData, format!("{file}: {e}")))?;
                return Ok(Some(score.to_bytes()));
            }
            Ok(Some(self.manners.get(file).copied().unwrap_or_default().on(text).into_bytes()))
        };
        let writes = files.iter().map(|file| Ok(Write { file: file.clone(), bytes: bytes(file)? })).collect::<io::Result<Vec<Write>>>()?;
        saving::write_all(root, &writes)
    }
}

/// The text of a project's file as it is on disk now; `None` if there is none.
///
/// # Errors
/// When it is there and cannot be read.
pub(super) fn on_disk(root: &Path, file: &str) -> io::Result<Option<String>> {
    match read_text(root, file) {
        Ok((text, _)) => Ok(Some(text)),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(error) => Err(error),
    }
}

fn read_text(root: &Path, file: &str) -> io::Result<(String, Manner)> {
    let path = door::readable(root, file)?;
    let size = std::fs::metadata(&path)?.len();
    if size > if is_score(file) { midi::LONGEST } else { LONGEST_TEXT } {
        return Err(io::Error::new(io::ErrorKind::InvalidData, format!("it has {} MB, more than any project file", size >> 20)));
    }
    if is_score(file) {
        let score = ScoreFile::of_bytes(&std::fs::read(path)?).map_err(|e| io::Error::new(io::ErrorKind::InvalidData, e.to_string()))?;
        return Ok((score.to_text(), Manner::default()));
    }
    let text = String::from_utf8(std::fs::read(path)?).map_err(|_| io::Error::new(io::ErrorKind::InvalidData, "it is not UTF-8 text"))?;
    Ok(Manner::off(&text))
}

/// The texts (or the audio) of a project by path, and what of its folders cannot be read.
fn listing(root: &Path, texts: bool) -> (Vec<String>, Vec<Fault>) {
    let mut list = Listing { root, paths: Vec::new(), faults: Vec::new(), depth: 0, audio: !texts };
    if texts {
        list.paths = SINGLE.iter().map(|&s| s.to_owned()).filter(|p| root.join(p).symlink_metadata().is_ok()).collect();
        list.folder("sounds", &["toml"]);
        list.folder("music", &["toml", "mid", "midi"]);
        list.folder("playthroughs", &["play"]);
    } else {
        list.folder("audio", &["wav", "wave", "aif", "aiff", "flac", "ogg", "oga", "mp3"]);
    }
    (list.paths, list.faults)
}

struct Listing<'a> {
    root: &'a Path,
    paths: Vec<String>,
    faults: Vec<Fault>,
    depth: usize,
    /// Looked through once a second, and of many files: only links are looked at by themselves, since no folder here is one.
    audio: bool,
}

/// Folders within folders beyond this are not looked into.
const DEEPEST: usize = 32;

impl Listing<'_> {
    fn fault(&mut self, place: &str, what: impl Into<String>, fix: &str) {
        self.faults.push(Fault::new(&Place::whole(place), what, fix));
    }

    /// Adds the files with one of `endings` below a folder, as paths relative to the project.
    fn folder(&mut self, folder: &str, endings: &[&str]) {
        let path = match door::inside(self.root, folder) {
            Ok(path) => path,
            Err(error) => return self.fault(folder, format!("this folder is not read: {error}"), "put the folder itself into the project"),
        };
        let entries = match std::fs::read_dir(path) {
            Ok(entries) => entries,
            Err(error) if error.kind() == io::ErrorKind::NotFound => return,
            Err(error) => return self.fault(folder, format!("this folder cannot be read: {error}"), "give it its rights, or take it out"),
        };
        if self.depth >= DEEPEST {
            return self.fault(folder, format!("folders lie within folders more than {DEEPEST} deep"), "put its files farther up");
        }
        let mut names = Vec::new();
        for entry in entries.flatten() {
            match (entry.file_name().into_string(), entry.file_type()) {
                (Ok(name), Ok(kind)) => names.push((name, kind)),
                (Err(name), _) => self.fault(folder, format!("{} has a name that is not UTF-8", name.to_string_lossy()), "rename the file"),
                (Ok(name), Err(error)) => self.fault(folder, format!("{name} cannot be looked at: {error}"), "give it its rights, or take it out"),
            }
        }
        names.sort_by(|a, b| a.0.cmp(&b.0));
        for (name, kind) in names {
            if name.starts_with('.') {
                continue;
            }
            let path = format!("{folder}/{name}");
            // Links are followed for files but not for folders, so that no circle of links is walked.
            if kind.is_dir() {
                self.depth += 1;
                self.folder(&path, endings);
                self.depth -= 1;
            } else if kind.is_symlink() && std::fs::metadata(self.root.join(&path)).is_ok_and(|m| m.is_dir()) {
                self.fault(&path, "this folder is a link, and no folder that is one is looked into", "put the folder itself here");
            } else if kind.is_symlink() && self.audio && door::inside(self.root, &path).is_err() {
                // A link that leads out of the project is left out.
            } else if Path::new(&name).extension().and_then(|e| e.to_str()).is_some_and(|e| endings.contains(&e.to_ascii_lowercase().as_str())) {
                self.paths.push(path);
            }
        }
    }
}

/// The audio files below `root/audio`, as paths relative to `root`, and what of its folders cannot be read. A link that leads out of the
/// project is left out.
#[must_use]
pub fn list_audio(root: &Path) -> (BTreeSet<String>, Vec<Fault>) {
    let (paths, faults) = listing(root, false);
    (paths.into_iter().collect(), faults)
}
