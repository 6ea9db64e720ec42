//! The files of a project on disk, where others may change them too: saved all or none, taken in when they changed elsewhere, contested
//! where both did.

use super::{Changed, Edit, Workspace, merge};
use crate::document::sources::on_disk;
use crate::document::{Fault, Sources, list_audio};
use std::collections::{BTreeMap, BTreeSet};
use std::io;
use std::path::Path;
use std::sync::Arc;
use std::time::{Instant, SystemTime};

/// What becomes of a file that was changed here and by somebody else.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Keep {
    /// As it is here; theirs is kept beside it.
    Mine,
    /// As it is on disk; what it was here is kept beside it.
    Theirs,
    /// Both, where they do not meet.
    Both,
}

impl Workspace {
    /// Files that were changed here and by somebody else too, and wait for a decision.
    pub fn contested(&self) -> impl Iterator<Item = &str> {
        self.contested.keys().map(String::as_str)
    }

    /// What differs between a contested file here and on disk, as a unified diff (− here, + theirs).
    #[must_use]
    pub fn contest(&self, file: &str) -> String {
        let here = self.now.get(file).map_or("", |t| t);
        let theirs = self.contested.get(file).and_then(Option::as_deref).unwrap_or_default();
        diffy::create_patch(here, theirs).to_string()
    }

    /// Decides about a file that was changed in both places; gives the path of the copy that is kept beside it, if one is.
    ///
    /// # Errors
    /// When the copy cannot be written, or when both changed the same lines; then nothing is decided.
    pub fn decide(&mut self, file: &str, keep: Keep) -> io::Result<Option<String>> {
        let Some(theirs) = self.contested.get(file).cloned() else { return Ok(None) };
        let mine = self.now.get(file).cloned();
        let base = self.saved.get(file).cloned();
        let (new, other) = match keep {
            Keep::Mine => (mine.clone(), theirs.clone().map(|t| ("theirs", t))),
            Keep::Theirs => (theirs.clone(), mine.clone().map(|t| ("mine", t))),
            Keep::Both => {
                let merged = merge(base.as_deref(), mine.as_deref(), theirs.as_deref());
                let merged =
                    merged.ok_or_else(|| io::Error::other(format!("both changed the same lines of {file}; keep mine or theirs, the other stays beside it")))?;
                (merged.map(Arc::from), None)
            }
        };
        let copy = match other {
            Some((whose, text)) => Some(self.keep_beside(file, whose, &text)?),
            None => None,
        };
        self.contested.remove(file);
        // What is on disk is known now: a save writes over just that.
        match &theirs {
            Some(text) => self.saved.set(file, text),
            None => self.saved.remove(file),
        }
        if new != mine {
            let name = format!("{} of {file}", if keep == Keep::Theirs { "the other version" } else { "both versions" });
            self.put(file, new.clone().as_deref());
            self.undo.push(Edit { name, files: vec![Changed { file: file.to_owned(), before: mine, after: new }], audio: Vec::new() });
            self.redo.clear();
        }
        self.put_done();
        Ok(copy)
    }

    /// Writes a version beside a file, under a name that nothing has and no project reads.
    fn keep_beside(&self, file: &str, whose: &str, text: &str) -> io::Result<String> {
        use std::io::Write as _;
        for n in 1.. {
            let name = if n == 1 { format!("{file}.{whose}") } else { format!("{file}.{whose}-{n}") };
            let path = crate::door::inside(&self.root, &name)?;
            match std::fs::File::options().write(true).create_new(true).open(path) {
                Ok(mut copy) => {
                    copy.write_all(text.as_bytes())?;
                    return Ok(name);
                }
                Err(error) if error.kind() == io::ErrorKind::AlreadyExists && n < 1000 => {}
                Err(error) => return Err(error),
            }
        }
        Err(io::Error::other("too many versions lie beside it"))
    }

    /// Writes all changed files, all or none of them. What is on disk is looked at first: what somebody else has changed meanwhile is not
    /// written over, but contested.
    ///
    /// # Errors
    /// When files are contested, write-protected (unless `protected` says that they may be written all the same), or the disk refuses; then
    /// nothing is written and the edits stay unsaved.
    pub fn save(&mut self, protected: bool) -> Result<usize, SaveError> {
        if let Some(why) = &self.only_read {
            return Err(SaveError::Disk(io::Error::other(why.clone())));
        }
        let changed = self.changed_files();
        if changed.is_empty() {
            return Ok(0);
        }
        if !self.root.join("estampie.toml").is_file() {
            let what = format!("there is no project at {} any more: was it moved? put it back, or open it where it is now", self.root.display());
            return Err(SaveError::Disk(io::Error::new(io::ErrorKind::NotFound, what)));
        }
        for file in &changed {
            let disk = on_disk(&self.root, file).map_err(|e| SaveError::Disk(io::Error::new(e.kind(), format!("{file}: {e}"))))?;
            let known = |sources: &Sources| disk.as_deref() == sources.get(file).map(|t| &**t);
            if known(&self.now) {
                self.contested.remove(file);
            } else if !known(&self.saved) || self.contested.contains_key(file) {
                self.contested.insert(file.clone(), disk.map(Arc::from));
            }
        }
        if !self.contested.is_empty() {
            return Err(SaveError::Contested(self.contested.keys().cloned().collect()));
        }
        let closed = |file: &&String| std::fs::metadata(self.root.join(file)).is_ok_and(|m| m.permissions().readonly());
        let closed: Vec<String> = changed.iter().filter(closed).cloned().collect();
        if !protected && !closed.is_empty() {
            return Err(SaveError::Protected(closed));
        }
        self.now.write(&self.root, &changed).map_err(SaveError::Disk)?;
        self.saved = self.now.clone();
        self.stamp();
        self.known_at = Instant::now();
        self.last_edit = None;
        Ok(changed.len())
    }

    /// Notes when each file was last written.
    pub(super) fn stamp(&mut self) {
        let stamps = self.now.texts().map(|(file, _)| (file.to_owned(), modified(&self.root.join(file)))).collect();
        self.stamps = stamps;
    }

    /// When each text was last written, as far as that is known.
    #[must_use]
    pub fn stamps(&self) -> &Stamps {
        &self.stamps
    }

    /// How often audio was written here: after that, a file may be another one under the same name.
    #[must_use]
    pub fn audio_written(&self) -> u64 {
        self.audio_written
    }

    /// Looks whether the files changed on disk and takes in those that did and are not edited here.
    /// Gives the names of files taken in, and of files that changed in both places (kept as edited here).
    pub fn look_outside(&mut self) -> (Vec<String>, Vec<String>) {
        let look = Look::at(&self.root, &self.stamps);
        self.take_in(look).unwrap_or_default()
    }

    /// Takes in what was found on the disk, as [`Workspace::look_outside`] does; `None` if something has been written from here, or a later look has been
    /// taken in, since it began: then it has to be looked again.
    pub fn take_in(&mut self, look: Look) -> Option<(Vec<String>, Vec<String>)> {
        if look.begun <= self.known_at {
            return None;
        }
        self.known_at = look.begun;
        let mut changed = look.audio.keys().ne(&self.audio);
        let moved = look.stamps != self.stamps;
        let (mut taken, mut contested) = (Vec::new(), Vec::new());
        if moved && let Some((disk, disk_faults)) = look.texts {
            let names: BTreeSet<String> = disk.texts().chain(self.saved.texts()).map(|(file, _)| file.to_owned()).collect();
            for file in names {
                if disk.get(&file) == self.saved.get(&file) {
                    continue;
                }
                if self.now.get(&file) == self.saved.get(&file) {
                    match disk.get(&file) {
                        Some(text) => self.now.set(&file, text),
                        None => self.now.remove(&file),
                    }
                    taken.push(file.clone());
                    match disk.get(&file) {
                        Some(text) => self.saved.set(&file, text),
                        None => self.saved.remove(&file),
                    }
                } else if self.now.get(&file) == disk.get(&file) {
                    // The same was done in both places.
                    match disk.get(&file) {
                        Some(text) => self.saved.set(&file, text),
                        None => self.saved.remove(&file),
                    }
                    self.contested.remove(&file);
                } else {
                    let theirs = disk.get(&file).cloned();
                    if self.contested.insert(file.clone(), theirs.clone()) != Some(theirs) {
                        contested.push(file);
                    }
                }
            }
            self.disk_faults = disk_faults;
            self.disk_faults.extend(look.unread);
            self.stamps = look.stamps;
            changed = true;
        }
        if look.audio.keys().ne(&self.audio) {
            let audio: BTreeSet<String> = look.audio.keys().cloned().collect();
            self.came = audio.difference(&self.audio).cloned().collect();
            taken.push("audio".to_owned());
            self.audio = audio;
        }
        if changed {
            self.read_again();
        }
        Some((taken, contested))
    }
}

/// When files were last written, by their paths in the project; `None` where that cannot be known.
pub type Stamps = BTreeMap<String, Option<SystemTime>>;

/// What was found on the disk, without a workspace: it may be looked beside one.
#[derive(Debug, Clone, PartialEq)]
pub struct Look {
    begun: Instant,
    /// The audio files that there are.
    audio: Arc<Stamps>,
    /// What of their folders cannot be read.
    unread: Vec<Fault>,
    stamps: Stamps,
    /// All texts, if one was written since.
    texts: Option<(Sources, Vec<Fault>)>,
}

impl Look {
    /// Looks at the project in folder `root`. Its texts are read if some were written since `known`.
    #[must_use]
    pub fn at(root: &Path, known: &Stamps) -> Look {
        let begun = Instant::now();
        let (audio, unread) = list_audio(root);
        let stamped = |file: String| {
            let stamp = modified(&root.join(&file));
            (file, stamp)
        };
        let stamps: Stamps = Sources::list(root).into_iter().map(stamped).collect();
        let texts = if stamps == *known { None } else { Sources::read(root).ok() };
        Look { begun, audio: Arc::new(audio.into_iter().map(stamped).collect()), unread, stamps, texts }
    }

    /// The audio files that there are, and when they were last written.
    #[must_use]
    pub fn audio(&self) -> &Arc<Stamps> {
        &self.audio
    }

    /// When each text was last written.
    #[must_use]
    pub fn stamps(&self) -> &Stamps {
        &self.stamps
    }

    /// Whether the same was found as by another.
    #[must_use]
    pub fn finds_as(&self, other: &Look) -> bool {
        (&self.audio, &self.unread, &self.stamps) == (&other.audio, &other.unread, &other.stamps)
    }
}

/// Why nothing was saved.
#[derive(Debug, thiserror::Error)]
pub enum SaveError {
    /// Somebody else has changed these files too.
    #[error("changed by somebody else too: {}", .0.join(", "))]
    Contested(Vec<String>),
    /// These files are write-protected.
    #[error("write-protected: {}", .0.join(", "))]
    Protected(Vec<String>),
    /// The disk refuses.
    #[error("{0}")]
    Disk(io::Error),
}

fn modified(path: &Path) -> Option<SystemTime> {
    std::fs::metadata(path).and_then(|m| m.modified()).ok()
}
