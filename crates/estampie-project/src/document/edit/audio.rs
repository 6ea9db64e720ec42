//! Edits of audio files: other names for them, with all that names them, and files that are made beside others. They are done on disk at once, and undone there.

use super::{Changed, Edit, Workspace, list_audio};
use crate::document::Refusal;
use crate::document::patterns::matches;
use crate::door;
use crate::stock::{older, version_of};
use std::collections::{BTreeMap, BTreeSet};
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use toml_edit::Value;
use toml_edit::visit_mut::{VisitMut, visit_value_mut};
use xxhash_rust::xxh3::xxh3_64;

/// Something that is done with an audio file.
#[derive(Debug, Clone)]
pub(super) enum Step {
    /// It gets another path.
    Renamed { from: String, to: String },
    /// It is made, with these bytes.
    Made { file: String, bytes: Arc<[u8]> },
    /// It is copied from elsewhere; with the hash of its bytes.
    Copied { from: PathBuf, file: String, hash: u64 },
}

impl Step {
    /// Does it on disk. No file is written over.
    fn forward(&self, root: &Path) -> io::Result<()> {
        match self {
            Step::Renamed { from, to } => rename(root, from, to),
            Step::Made { file, bytes } => make(root, file, bytes),
            Step::Copied { from, file, .. } => make(root, file, &std::fs::read(from)?),
        }
    }

    /// Takes it back. What somebody else has made of a file meanwhile stays.
    fn backward(&self, root: &Path) -> io::Result<()> {
        match self {
            Step::Renamed { from, to } => rename(root, to, from),
            Step::Made { file, bytes } => unmake(root, file, |now| *now == **bytes),
            Step::Copied { file, hash, .. } => unmake(root, file, |now| xxh3_64(now) == *hash),
        }
    }

    fn file(&self) -> &str {
        match self {
            Step::Renamed { from, .. } => from,
            Step::Made { file, .. } | Step::Copied { file, .. } => file,
        }
    }
}

/// Writes a new file, whole or not at all.
fn make(root: &Path, file: &str, bytes: &[u8]) -> io::Result<()> {
    use std::io::Write as _;
    let path = door::inside(root, file)?;
    let folder = path.parent().unwrap_or(root);
    std::fs::create_dir_all(folder)?;
    let mut aside = tempfile::Builder::new().prefix(".making-").tempfile_in(folder)?;
    aside.write_all(bytes)?;
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt as _;
        aside.as_file().set_permissions(std::fs::Permissions::from_mode(0o644))?;
    }
    aside.persist_noclobber(path).map(drop).map_err(|e| e.error)
}

/// Takes a file away that is still as it was made.
fn unmake(root: &Path, file: &str, as_made: impl Fn(&[u8]) -> bool) -> io::Result<()> {
    let path = door::inside(root, file)?;
    if !as_made(&std::fs::read(&path)?) {
        return Err(io::Error::other("it has been changed since it was made"));
    }
    std::fs::remove_file(&path)?;
    leave(root, &path);
    Ok(())
}

/// A folder that is empty goes with its last file; one that is not stays.
fn leave(root: &Path, file: &Path) {
    if let Some(folder) = file.parent().filter(|f| *f != root) {
        let _ = std::fs::remove_dir(folder);
    }
}

fn rename(root: &Path, from: &str, to: &str) -> io::Result<()> {
    let (from, target) = (door::readable(root, from)?, door::inside(root, to)?);
    std::fs::create_dir_all(target.parent().unwrap_or(root))?;
    // On disks that know no capitals a name in other letters is the same file.
    let same = || from.canonicalize().ok() == target.canonicalize().ok();
    if std::fs::symlink_metadata(&target).is_ok() && !same() {
        return Err(io::Error::new(io::ErrorKind::AlreadyExists, format!("{to} is there already")));
    }
    std::fs::rename(&from, &target)?;
    leave(root, &from);
    Ok(())
}

/// Does steps, all or none.
fn all(steps: &[Step], root: &Path, forward: bool) -> Result<(), Refusal> {
    let go = |step: &Step, forward: bool| if forward { step.forward(root) } else { step.backward(root) };
    let order: Vec<&Step> = if forward { steps.iter().collect() } else { steps.iter().rev().collect() };
    for (done, step) in order.iter().enumerate() {
        if let Err(error) = go(step, forward) {
            // What was done of it is taken back; that was possible a moment ago.
            order[..done].iter().rev().for_each(|step| drop(go(step, !forward)));
            return Err(format!("{}: {error}; nothing was done", step.file()).into());
        }
    }
    Ok(())
}

/// Files that were copied into a project.
#[derive(Debug)]
#[must_use]
pub struct Copied(Vec<Step>);

impl Copied {
    /// Copies files (from where, to which path, the hash of their bytes) into the project at `root`, all or none.
    pub(crate) fn make(copies: Vec<(PathBuf, String, u64)>, root: &Path) -> Result<Copied, Refusal> {
        let steps: Vec<Step> = copies.into_iter().map(|(from, file, hash)| Step::Copied { from, file, hash }).collect();
        all(&steps, root, true)?;
        Ok(Copied(steps))
    }

    /// How many.
    #[must_use]
    pub fn count(&self) -> usize {
        self.0.len()
    }
}

/// Lets each text that names audio name it anew.
struct Renaming<'a> {
    names: &'a BTreeMap<&'a str, &'a str>,
    patterns: &'a BTreeMap<String, String>,
    changed: bool,
}

/// The path that a text of the project begins with, and what stands behind it.
fn path_in(text: &str) -> (&str, &str) {
    let end = text.find(',').unwrap_or(text.len());
    let path = text[..end].trim_end();
    (path, &text[path.len()..])
}

impl VisitMut for Renaming<'_> {
    fn visit_value_mut(&mut self, value: &mut Value) {
        if let Value::String(text) = value {
            let (path, rest) = path_in(text.value());
            let new = self.names.get(path).copied().or_else(|| self.patterns.get(path).map(String::as_str));
            if let Some(new) = new {
                let mut written = Value::from(format!("{new}{rest}"));
                *written.decor_mut() = text.decor().clone();
                *value = written;
                self.changed = true;
            }
        }
        visit_value_mut(self, value);
    }
}

/// Finds all patterns of audio files.
#[derive(Default)]
struct Patterns(BTreeSet<String>);

impl VisitMut for Patterns {
    fn visit_value_mut(&mut self, value: &mut Value) {
        if let Value::String(text) = value {
            let (path, _) = path_in(text.value());
            if path.starts_with("audio/") && path.contains('*') {
                self.0.insert(path.to_owned());
            }
        }
        visit_value_mut(self, value);
    }
}

/// A pattern that stands for these files and for no others.
fn pattern_of(files: &BTreeSet<&str>, audio: &BTreeSet<String>) -> Option<String> {
    let first = files.first()?;
    let begins = first.char_indices().map(|(at, _)| at).chain([first.len()]).rfind(|end| files.iter().all(|f| f.starts_with(&first[..*end])))?;
    let ending = first.rfind('.').map(|at| &first[at..]).filter(|ending| files.iter().all(|f| f.ends_with(*ending)));
    // What is left of the numbers at its end is no part of what all have.
    let begins = first[..begins].trim_end_matches(|c: char| c.is_ascii_digit());
    let fits = |pattern: &String| audio.iter().filter(|f| matches(pattern, f)).map(String::as_str).eq(files.iter().copied());
    [ending.map(|e| format!("{begins}*{e}")), Some(format!("{begins}*"))].into_iter().flatten().find(fits)
}

impl Workspace {
    /// All names that files get when these do: later and older versions go along.
    #[must_use]
    pub fn with_versions(&self, names: &[(String, String)]) -> Vec<(String, String)> {
        let stems: BTreeMap<&str, &str> = names.iter().map(|(from, to)| (version_of(from).0, version_of(to).0)).collect();
        let one = |file: &String| {
            let (stem, _) = version_of(file);
            Some((file.clone(), format!("{}{}", stems.get(stem)?, &file[stem.len()..])))
        };
        self.audio.iter().filter_map(one).filter(|(from, to)| from != to).collect()
    }

    /// Gives audio files other paths, and lets all that names them name them so, as one edit; on disk at once, where the texts are saved too. Patterns
    /// stand for the same files as before. Versions of a file go along. Gives how many files were renamed.
    ///
    /// # Errors
    /// When a file is not there or another has its name, when a pattern cannot stand for the same files any more, or when the texts cannot be saved; then nothing
    /// is done.
    pub fn rename_audio(&mut self, names: &[(String, String)]) -> Result<usize, Refusal> {
        if self.refuses() {
            return Err("the project is only read".into());
        }
        let names = self.with_versions(names);
        if names.is_empty() {
            return Err("there is no such file, or it has that name".into());
        }
        let to: BTreeSet<&str> = names.iter().map(|(_, to)| to.as_str()).collect();
        let from: BTreeSet<&str> = names.iter().map(|(from, _)| from.as_str()).collect();
        if to.len() < names.len() {
            let twice = names.iter().find(|(f, t)| names.iter().any(|(g, u)| u == t && f != g)).map_or("", |(_, t)| t.as_str());
            return Err(format!("two files would be called {twice}").into());
        }
        if let Some(taken) = to.iter().find(|t| self.audio.contains(**t) && !from.contains(**t)) {
            return Err(format!("{taken} is there already: take it away, or name the other otherwise").into());
        }
        if let Some(chained) = to.iter().find(|t| from.contains(**t)) {
            return Err(format!("{chained} is given up and taken at once: do it in two steps").into());
        }
        if let Some((from, to)) = names.iter().find(|(_, to)| !to.starts_with("audio/")) {
            return Err(format!("{from} cannot be called {to}: audio lies in the folder audio/").into());
        }
        // What was edited before is saved first: the texts must be as they are known to be.
        self.save(false).map_err(|e| Refusal::from(format!("the project cannot be saved first: {e}")))?;
        let map: BTreeMap<&str, &str> = names.iter().map(|(from, to)| (from.as_str(), to.as_str())).collect();
        let then: BTreeSet<String> = self.audio.iter().map(|file| map.get(file.as_str()).map_or_else(|| file.clone(), |new| (*new).to_owned())).collect();
        let texts = self.renamed_texts(&map, &then)?;
        let steps: Vec<Step> = names.iter().map(|(from, to)| Step::Renamed { from: from.clone(), to: to.clone() }).collect();
        all(&steps, &self.root, true)?;
        let name = if let [(from, _)] = names.as_slice() { format!("name of {from}") } else { format!("names of {} audio files", names.len()) };
        self.done(name, texts, steps.clone());
        if let Err(error) = self.save(false) {
            // The texts stay as they are on disk, and so do the files.
            self.undo.pop();
            let _ = all(&steps, &self.root, false);
            self.now = self.saved.clone();
            self.list_again();
            return Err(format!("the project cannot be saved: {error}; nothing was done").into());
        }
        Ok(names.len())
    }

    /// The texts that name files which get other names, as they are then.
    fn renamed_texts(&self, map: &BTreeMap<&str, &str>, then: &BTreeSet<String>) -> Result<Vec<Changed>, Refusal> {
        let files: Vec<String> = self.now.texts().map(|(file, _)| file).filter(|file| file.ends_with(".toml")).map(str::to_owned).collect();
        let mut found = Patterns::default();
        let mut documents = Vec::new();
        for file in files {
            // A file that cannot be read names nothing that sounds.
            let Ok(mut toml) = self.toml(&file) else { continue };
            found.visit_document_mut(&mut toml);
            documents.push((file, toml));
        }
        let mut patterns = BTreeMap::new();
        for pattern in found.0 {
            let was: BTreeSet<&str> = self.audio.iter().filter(|f| matches(&pattern, f)).map(String::as_str).collect();
            let wanted: BTreeSet<&str> = was.iter().map(|f| map.get(f).copied().unwrap_or(*f)).collect();
            if then.iter().filter(|f| matches(&pattern, f)).map(String::as_str).eq(wanted.iter().copied()) {
                continue;
            }
            let new = pattern_of(&wanted, then);
            let new = new.ok_or_else(|| Refusal::from(format!("{pattern} could no longer stand for the same files: name those one by one first")))?;
            patterns.insert(pattern, new);
        }
        let mut changed = Vec::new();
        for (file, mut toml) in documents {
            let mut renaming = Renaming { names: map, patterns: &patterns, changed: false };
            renaming.visit_document_mut(&mut toml);
            if renaming.changed {
                changed.push(Changed { before: self.now.get(&file).cloned(), after: Some(Arc::from(toml.to_string())), file });
            }
        }
        Ok(changed)
    }

    /// Notes that files were copied into the project, as one edit.
    ///
    /// # Errors
    /// When nothing can be edited; then the copies are taken away.
    pub fn note_copied(&mut self, copied: Copied) -> Result<(), Refusal> {
        if self.refuses() {
            all(&copied.0, &self.root, false)?;
            return Err("the project is only read".into());
        }
        self.done(format!("{} audio files", copied.count()), Vec::new(), copied.0);
        Ok(())
    }

    /// Writes new audio files, as one edit called `name`; on disk at once.
    ///
    /// # Errors
    /// When one of them is there, or the disk refuses; then nothing is written.
    pub fn add_audio(&mut self, name: &str, files: Vec<(String, Vec<u8>)>) -> Result<(), Refusal> {
        self.make_audio(name, files.into_iter().map(|(file, bytes)| Step::Made { file, bytes: Arc::from(bytes) }).collect())
    }

    fn make_audio(&mut self, name: &str, steps: Vec<Step>) -> Result<(), Refusal> {
        if self.refuses() {
            return Err("the project is only read".into());
        }
        all(&steps, &self.root, true)?;
        self.done(name.to_owned(), Vec::new(), steps);
        Ok(())
    }

    /// Notes an edit whose steps are done.
    fn done(&mut self, name: String, files: Vec<Changed>, audio: Vec<Step>) {
        for change in &files {
            self.put(&change.file, change.after.clone().as_deref());
        }
        self.undo.push(Edit { name, files, audio });
        self.redo.clear();
        self.last_edit = None;
        self.list_again();
    }

    fn list_audio_again(&mut self) {
        self.audio = list_audio(&self.root).0;
        self.known_at = std::time::Instant::now();
        self.audio_written += 1;
    }

    fn list_again(&mut self) {
        self.list_audio_again();
        self.read_again();
    }

    /// Does the steps of an edit again, or takes them back; nothing if it has none.
    pub(super) fn go_steps(&mut self, edit: &Edit, forward: bool) -> Result<(), Refusal> {
        if edit.audio.is_empty() {
            return Ok(());
        }
        all(&edit.audio, &self.root, forward)?;
        self.list_audio_again();
        Ok(())
    }

    /// What came of the texts of an edit whose steps are done; where those could not follow, the steps are done the other way again.
    pub(super) fn or_steps(&mut self, texts: Result<Edit, Refusal>, edit: &Edit, forward: bool) -> Result<Edit, Refusal> {
        if texts.is_err() {
            self.go_steps(edit, forward)?;
        }
        texts
    }

    /// After an edit with steps was undone or done again: its texts are saved with it, since they name what lies on disk.
    pub(super) fn after_steps(&mut self, edit: &Edit) {
        if !edit.audio.is_empty() {
            self.read_again();
            if !edit.files.is_empty() {
                // If it cannot be saved it stays unsaved, and is told as that.
                let _ = self.save(false);
            }
        }
    }

    /// Of the audio that was taken in last, what is not named by the naming rule.
    #[must_use]
    pub fn came_misnamed(&self) -> Vec<&str> {
        let rule = &self.document.manifest.naming;
        let fits = |file: &&str| rule.fits(version_of(file.strip_prefix("audio/").unwrap_or(file)).0);
        self.came.iter().map(String::as_str).filter(|file| !fits(file)).collect()
    }

    /// The audio files that no later version takes the place of.
    #[must_use]
    pub fn current_audio(&self) -> Vec<String> {
        let older = older(self.audio.iter());
        self.audio.iter().filter(|file| !older.contains_key(file.as_str())).cloned().collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn project(files: &[&str], sounds: &str) -> (tempfile::TempDir, Workspace) {
        let folder = tempfile::tempdir().unwrap();
        let put = |file: &str, text: &str| {
            let path = folder.path().join(file);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, text).unwrap();
        };
        put("estampie.toml", "format = 1\n");
        put("sounds/s.toml", sounds);
        files.iter().for_each(|file| put(file, file));
        let workspace = Workspace::open(folder.path()).unwrap();
        (folder, workspace)
    }

    fn names(all: &[(&str, &str)]) -> Vec<(String, String)> {
        all.iter().map(|(a, b)| ((*a).to_owned(), (*b).to_owned())).collect()
    }

    fn takes(workspace: &Workspace) -> Vec<String> {
        let sounds = || workspace.document().sounds.iter();
        let files = sounds().flat_map(|s| s.groups.iter().flat_map(|(_, takes)| takes));
        let files = files.filter_map(|t| if let crate::document::TakeDoc::File(file) = &t.value.take { Some(file.clone()) } else { None });
        let parts = sounds().flat_map(|s| s.chain.iter().flat_map(|part| &part.files)).map(|file| file.value.clone());
        files.chain(parts).collect::<BTreeSet<String>>().into_iter().collect()
    }

    const SOUNDS: &str = "# steps\n[a]\ntakes = [ \"audio/Step/Plank *.wav, level -3 dB\",  # many\n  \"audio/x.wav\" ]\n[b]\nchain = [\"audio/Step/Plank 2.wav\"]\n[c]\ntakes = [\"audio/*.wav\"]\n";

    #[test]
    fn files_and_all_that_names_them_get_other_names_and_get_them_back() {
        let (folder, mut workspace) = project(&["audio/Step/Plank 1.wav", "audio/Step/Plank 2.wav", "audio/Step/Plank 2.v2.wav", "audio/x.wav"], SOUNDS);
        let before = (workspace.sources().clone(), workspace.audio().clone(), takes(&workspace));
        let count = workspace
            .rename_audio(&names(&[("audio/Step/Plank 1.wav", "audio/step/plank_01.wav"), ("audio/Step/Plank 2.wav", "audio/step/plank_02.wav")]))
            .unwrap();
        assert_eq!(count, 3, "its version goes along");
        let wanted = SOUNDS.replace("audio/Step/Plank *.wav", "audio/step/plank_*.wav").replace("audio/Step/Plank 2.wav", "audio/step/plank_02.wav");
        assert_eq!(workspace.sources().get("sounds/s.toml").map(|t| &**t), Some(wanted.as_str()));
        assert_eq!(std::fs::read_to_string(folder.path().join("sounds/s.toml")).unwrap(), wanted, "it is saved at once");
        assert_eq!(takes(&workspace), ["audio/step/plank_01.wav", "audio/step/plank_02.v2.wav", "audio/x.wav"]);
        assert_eq!(std::fs::read_to_string(folder.path().join("audio/step/plank_02.wav")).unwrap(), "audio/Step/Plank 2.wav");
        assert!(!folder.path().join("audio/Step").exists() && workspace.unsaved() == 0);
        assert_eq!(workspace.undo().unwrap().as_deref(), Some("names of 3 audio files"));
        assert_eq!((workspace.sources().clone(), workspace.audio().clone(), takes(&workspace)), before);
        assert_eq!((std::fs::read_to_string(folder.path().join("sounds/s.toml")).unwrap().as_str(), workspace.unsaved()), (SOUNDS, 0));
        workspace.redo().unwrap();
        assert_eq!(workspace.sources().get("sounds/s.toml").map(|t| &**t), Some(wanted.as_str()));
        assert!(folder.path().join("audio/step/plank_01.wav").exists());
    }

    #[test]
    fn what_cannot_be_renamed_is_told_and_nothing_is_done() {
        let (folder, mut workspace) = project(&["audio/a1.wav", "audio/a2.wav", "audio/b.wav"], "[s]\ntakes = [\"audio/a*\"]\n");
        for (all, words) in [
            (&[("audio/a1.wav", "audio/b.wav")][..], "audio/b.wav is there already"),
            (&[("audio/a1.wav", "audio/c.wav"), ("audio/a2.wav", "audio/c.wav")], "two files would be called audio/c.wav"),
            (&[("audio/a1.wav", "sounds/c.wav")], "in the folder audio/"),
            (&[("audio/z.wav", "audio/c.wav")], "there is no such file"),
            (&[("audio/a1.wav", "audio/a2.wav"), ("audio/a2.wav", "audio/d.wav")], "in two steps"),
            (&[("audio/a1.wav", "audio/q.wav")], "audio/a* could no longer stand for the same files"),
        ] {
            let error = workspace.rename_audio(&names(all)).unwrap_err().to_string();
            assert!(error.contains(words), "{error}");
        }
        assert_eq!((workspace.audio().len(), workspace.edits()), (3, 0));
        // Another has its name on disk, which is not known yet.
        std::fs::write(folder.path().join("audio/a9.wav"), "theirs").unwrap();
        let error = workspace.rename_audio(&names(&[("audio/a1.wav", "audio/a8.wav"), ("audio/a2.wav", "audio/a9.wav")])).unwrap_err().to_string();
        assert!(error.contains("nothing was done") && folder.path().join("audio/a1.wav").exists(), "{error}");
        assert_eq!(std::fs::read_to_string(folder.path().join("audio/a9.wav")).unwrap(), "theirs");
    }

    #[test]
    fn what_is_made_is_undone_unless_somebody_changed_it() {
        let (folder, mut workspace) = project(&["audio/a.wav"], "[s]\ntakes = [\"audio/a.wav\"]\n");
        workspace.add_audio("a version of a", vec![("audio/a.v2.wav".into(), b"two".to_vec())]).unwrap();
        assert_eq!(takes(&workspace), ["audio/a.v2.wav"]);
        assert_eq!(workspace.current_audio(), ["audio/a.v2.wav"]);
        workspace.undo().unwrap();
        assert!(takes(&workspace) == ["audio/a.wav"] && !folder.path().join("audio/a.v2.wav").exists());
        workspace.redo().unwrap();
        assert_eq!((takes(&workspace), std::fs::read(folder.path().join("audio/a.v2.wav")).unwrap()), (vec!["audio/a.v2.wav".to_owned()], b"two".to_vec()));
        assert!(workspace.add_audio("again", vec![("audio/b.wav".into(), vec![1]), ("audio/a.v2.wav".into(), vec![1])]).is_err());
        assert!(!folder.path().join("audio/b.wav").exists(), "all or nothing");
        std::fs::write(folder.path().join("audio/a.v2.wav"), "theirs").unwrap();
        assert!(workspace.undo().unwrap_err().to_string().contains("changed since it was made"));
        assert_eq!(std::fs::read(folder.path().join("audio/a.v2.wav")).unwrap(), b"theirs");
    }
}
