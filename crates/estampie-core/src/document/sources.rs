//! The texts of a project, read from its folder and written back without ever losing the last good version.

use super::{Fault, Place};
use std::collections::{BTreeMap, BTreeSet};
use std::io::{self, Write as _};
use std::path::Path;
use std::sync::Arc;

/// Texts longer than this are not read: no project file is.
const LONGEST_TEXT: u64 = 16 << 20;

/// The texts of a project by path, relative to its folder and with `/`.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Sources {
    files: BTreeMap<String, Arc<str>>,
}

const SINGLE: [&str; 7] = ["estampie.toml", "game.toml", "shared.toml", "mix.toml", "modulation.toml", "world.toml", "reactions.est"];

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
        for path in Sources::list(root) {
            match read_text(&root.join(&path)) {
                Ok(text) => sources.set(&path, &text),
                Err(error) => faults.push(Fault::new(&Place::whole(&path), format!("this file cannot be read: {error}"), "mend the file or take it out")),
            }
        }
        Ok((sources, faults))
    }

    /// The paths of all project files below `root`, without reading them.
    #[must_use]
    pub fn list(root: &Path) -> Vec<String> {
        let mut paths: Vec<String> = SINGLE.iter().map(|&s| s.to_owned()).filter(|p| root.join(p).exists()).collect();
        list_files(root, "sounds", &["toml"], &mut paths);
        list_files(root, "music", &["toml"], &mut paths);
        list_files(root, "playthroughs", &["play"], &mut paths);
        paths
    }

    /// Sources from texts, for tests and for projects that are not on disk.
    #[must_use]
    pub fn from_texts<'a>(texts: impl IntoIterator<Item = (&'a str, &'a str)>) -> Sources {
        Sources { files: texts.into_iter().map(|(file, text)| (file.to_owned(), Arc::from(text))).collect() }
    }

    /// All files, in the order in which they are read.
    pub fn texts(&self) -> impl Iterator<Item = (&str, &str)> {
        self.files.iter().map(|(file, text)| (file.as_str(), &**text))
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

    /// Writes one file below `root`: aside first, then in place of the old one in one step.
    ///
    /// # Errors
    /// When the disk refuses. Then the old file is as it was.
    pub fn write(&self, root: &Path, file: &str) -> io::Result<()> {
        let Some(text) = self.files.get(file) else { return Ok(()) };
        let path = root.join(file);
        let folder = path.parent().unwrap_or(root);
        std::fs::create_dir_all(folder)?;
        let mut aside = tempfile::Builder::new().prefix(".saving-").tempfile_in(folder)?;
        aside.write_all(text.as_bytes())?;
        aside.as_file().sync_all()?;
        if let Ok(before) = std::fs::metadata(&path) {
            aside.as_file().set_permissions(before.permissions())?;
        } else {
            make_readable(aside.as_file())?;
        }
        aside.persist(&path).map_err(|e| e.error)?;
        Ok(())
    }
}

/// Gives a new file the usual rights; files made aside begin as private ones.
fn make_readable(file: &std::fs::File) -> io::Result<()> {
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt as _;
        file.set_permissions(std::fs::Permissions::from_mode(0o644))?;
    }
    let _ = file;
    Ok(())
}

fn read_text(path: &Path) -> io::Result<String> {
    let size = std::fs::metadata(path)?.len();
    if size > LONGEST_TEXT {
        return Err(io::Error::new(io::ErrorKind::InvalidData, format!("it has {} MB, more than any project file", size >> 20)));
    }
    String::from_utf8(std::fs::read(path)?).map_err(|_| io::Error::new(io::ErrorKind::InvalidData, "it is not UTF-8 text"))
}

/// Adds the files with one of `endings` below `root/folder`, as paths relative to `root`.
fn list_files(root: &Path, folder: &str, endings: &[&str], paths: &mut Vec<String>) {
    let Ok(entries) = std::fs::read_dir(root.join(folder)) else { return };
    let mut names: Vec<_> = entries.flatten().filter_map(|e| Some((e.file_name().into_string().ok()?, e.file_type().ok()?))).collect();
    names.sort_by(|a, b| a.0.cmp(&b.0));
    for (name, kind) in names {
        if name.starts_with('.') {
            continue;
        }
        let path = format!("{folder}/{name}");
        // Links are followed for files but not for folders, so that no circle of links is walked.
        if kind.is_dir() {
            list_files(root, &path, endings, paths);
        } else if Path::new(&name).extension().and_then(|e| e.to_str()).is_some_and(|e| endings.contains(&e.to_ascii_lowercase().as_str())) {
            paths.push(path);
        }
    }
}

/// The audio files below `root/audio`, as paths relative to `root`. A link that leads out of the project is left out.
#[must_use]
pub fn list_audio(root: &Path) -> BTreeSet<String> {
    let mut paths = Vec::new();
    list_files(root, "audio", &["wav", "wave", "aif", "aiff", "flac", "ogg", "oga", "mp3"], &mut paths);
    let inside = root.canonicalize().unwrap_or_else(|_| root.to_owned());
    paths.retain(|path| root.join(path).canonicalize().is_ok_and(|real| real.starts_with(&inside)));
    paths.into_iter().collect()
}
