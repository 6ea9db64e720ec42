//! Edits of a project's texts: named, undone and redone, saved without touching what the designer wrote around them.

use super::{Document, Fault, Sources, list_audio};
use std::collections::{BTreeMap, BTreeSet};
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{Duration, SystemTime};
use toml_edit::{DocumentMut, Item, Table, Value};

/// One edit: a file's text before and after, and what it is called.
#[derive(Debug, Clone)]
pub struct Edit {
    /// What was done, as in "level of steps".
    pub name: String,
    file: String,
    before: Option<Arc<str>>,
    after: Option<Arc<str>>,
}

/// A project being worked on: what is on disk, what has been edited since, and the way back.
pub struct Workspace {
    root: PathBuf,
    saved: Sources,
    now: Sources,
    audio: BTreeSet<String>,
    document: Arc<Document>,
    faults: Vec<Fault>,
    /// Faults of reading the disk; an edit does not mend them.
    disk_faults: Vec<Fault>,
    undo: Vec<Edit>,
    redo: Vec<Edit>,
    /// When the last edit may no longer grow: a drag is one edit.
    last_edit: Option<std::time::Instant>,
    stamps: BTreeMap<String, Option<SystemTime>>,
}

/// Edits of one name that follow each other this closely are one.
const SAME_GESTURE: Duration = Duration::from_millis(800);

impl Workspace {
    /// Opens the project in folder `root`. A project with faults opens with all that is sound.
    ///
    /// # Errors
    /// When `root` holds no project.
    pub fn open(root: &Path) -> io::Result<Workspace> {
        let (sources, disk_faults) = Sources::read(root)?;
        let mut workspace = Workspace {
            root: root.to_owned(),
            saved: sources.clone(),
            now: sources,
            audio: list_audio(root),
            document: Arc::default(),
            faults: Vec::new(),
            disk_faults,
            undo: Vec::new(),
            redo: Vec::new(),
            last_edit: None,
            stamps: BTreeMap::new(),
        };
        workspace.stamp();
        workspace.read_again();
        Ok(workspace)
    }

    fn read_again(&mut self) {
        let (document, mut faults) = Document::read(&self.now, &self.audio);
        faults.extend(self.disk_faults.iter().cloned());
        self.document = Arc::new(document);
        self.faults = faults;
    }

    /// The project's folder.
    #[must_use]
    pub fn root(&self) -> &Path {
        &self.root
    }

    /// The project as it is written now.
    #[must_use]
    pub fn document(&self) -> &Arc<Document> {
        &self.document
    }

    /// What is wrong with the texts; names are resolved later, by the compiler.
    #[must_use]
    pub fn faults(&self) -> &[Fault] {
        &self.faults
    }

    /// The texts as they are now.
    #[must_use]
    pub fn sources(&self) -> &Sources {
        &self.now
    }

    /// How many files differ from the disk.
    #[must_use]
    pub fn unsaved(&self) -> usize {
        self.changed_files().len()
    }

    fn changed_files(&self) -> Vec<String> {
        let names: BTreeSet<&str> = self.now.texts().chain(self.saved.texts()).map(|(file, _)| file).collect();
        names.into_iter().filter(|f| self.now.get(f) != self.saved.get(f)).map(str::to_owned).collect()
    }

    /// Replaces the whole text of a file, as one edit called `name`.
    pub fn replace(&mut self, name: &str, file: &str, text: &str) {
        let before = self.now.get(file).cloned();
        if before.as_deref() == Some(text) {
            return;
        }
        let after: Arc<str> = Arc::from(text);
        let gesture = self.last_edit.is_some_and(|at| at.elapsed() < SAME_GESTURE);
        match self.undo.last_mut() {
            Some(last) if gesture && last.name == name && last.file == file && self.redo.is_empty() => last.after = Some(after.clone()),
            _ => self.undo.push(Edit { name: name.to_owned(), file: file.to_owned(), before, after: Some(after.clone()) }),
        }
        self.redo.clear();
        self.last_edit = Some(std::time::Instant::now());
        self.now.set(file, &after);
        self.read_again();
    }

    /// Sets one value in a TOML file, keeping comments and order, as one edit called `name`.
    ///
    /// # Errors
    /// When the file cannot be read as TOML as it stands, or `path` runs through something that is no table.
    pub fn set_value(&mut self, name: &str, file: &str, path: &[&str], value: &str) -> Result<(), String> {
        let text = self.now.get(file).map_or("", |t| t);
        let mut toml: DocumentMut = text.parse().map_err(|e: toml_edit::TomlError| format!("{file} cannot be edited until it is mended: {}", e.message()))?;
        set_in(toml.as_table_mut(), path, value).ok_or_else(|| format!("{} in {file} is not a table", path.join(".")))?;
        self.replace(name, file, &toml.to_string());
        Ok(())
    }

    /// Undoes the last edit and gives its name.
    pub fn undo(&mut self) -> Option<String> {
        let edit = self.undo.pop()?;
        self.put(&edit.file, edit.before.as_deref());
        let name = edit.name.clone();
        self.redo.push(edit);
        Some(name)
    }

    /// Does the last undone edit again and gives its name.
    pub fn redo(&mut self) -> Option<String> {
        let edit = self.redo.pop()?;
        self.put(&edit.file, edit.after.as_deref());
        let name = edit.name.clone();
        self.undo.push(edit);
        Some(name)
    }

    fn put(&mut self, file: &str, text: Option<&str>) {
        match text {
            Some(text) => self.now.set(file, text),
            None => self.now.remove(file),
        }
        self.last_edit = None;
        self.read_again();
    }

    /// What `undo` would undo.
    #[must_use]
    pub fn undo_name(&self) -> Option<&str> {
        self.undo.last().map(|e| e.name.as_str())
    }

    /// Writes all changed files. Each is written aside and then takes the old one's place.
    ///
    /// # Errors
    /// At the first file that the disk refuses; the edits stay unsaved and nothing on disk is harmed.
    pub fn save(&mut self) -> io::Result<usize> {
        let changed = self.changed_files();
        for file in &changed {
            if self.now.get(file).is_some() {
                self.now.write(&self.root, file)?;
            } else {
                std::fs::remove_file(self.root.join(file))?;
            }
        }
        self.saved = self.now.clone();
        self.stamp();
        self.last_edit = None;
        Ok(changed.len())
    }

    fn stamp(&mut self) {
        let stamps = self.now.texts().map(|(file, _)| (file.to_owned(), modified(&self.root.join(file)))).collect();
        self.stamps = stamps;
    }

    /// Looks whether the files changed on disk and takes in those that did and are not edited here.
    /// Gives the names of files taken in, and of files that changed in both places (kept as edited here).
    pub fn look_outside(&mut self) -> (Vec<String>, Vec<String>) {
        let audio = list_audio(&self.root);
        let mut changed = audio != self.audio;
        let on_disk = Sources::list(&self.root);
        let moved =
            on_disk.iter().any(|file| !self.stamps.contains_key(file)) || self.stamps.iter().any(|(file, stamp)| modified(&self.root.join(file)) != *stamp);
        let (mut taken, mut contested) = (Vec::new(), Vec::new());
        if moved && let Ok((disk, disk_faults)) = Sources::read(&self.root) {
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
                    taken.push(file);
                    changed = true;
                } else if self.now.get(&file) != disk.get(&file) {
                    contested.push(file);
                }
            }
            self.saved = disk;
            self.disk_faults = disk_faults;
            self.stamp();
        }
        if audio != self.audio {
            taken.push("audio".to_owned());
        }
        if changed {
            self.audio = audio;
            self.read_again();
        }
        (taken, contested)
    }
}

fn modified(path: &Path) -> Option<SystemTime> {
    std::fs::metadata(path).and_then(|m| m.modified()).ok()
}

/// Sets the value at `path`, making tables on the way; what stood around the old value stays.
fn set_in(table: &mut Table, path: &[&str], value: &str) -> Option<()> {
    let (last, way) = path.split_last()?;
    let mut here: &mut dyn toml_edit::TableLike = table;
    for key in way {
        if !here.contains_key(key) {
            let mut made = Table::new();
            made.set_implicit(way.last() != Some(key));
            here.insert(key, Item::Table(made));
        }
        here = here.get_mut(key)?.as_table_like_mut()?;
    }
    let mut new = Value::from(value);
    match here.get_mut(last) {
        Some(item) => {
            let old = item.as_value_mut()?;
            *new.decor_mut() = old.decor().clone();
            *old = new;
        }
        None => {
            here.insert(last, Item::Value(new));
        }
    }
    Some(())
}

#[cfg(test)]
mod tests {
    use super::*;

    const MIX: &str = "# the mix of Brinewick\n\n[buses.music]   # what the viols play\nlevel = \"-4 dB\"  # agreed in May\n\n[buses.steps]\ninto = \"all\"\n";

    fn project() -> (tempfile::TempDir, Workspace) {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("estampie.toml"), "format = 1\nname = \"t\"\n").unwrap();
        std::fs::write(folder.path().join("mix.toml"), MIX).unwrap();
        let workspace = Workspace::open(folder.path()).unwrap();
        (folder, workspace)
    }

    #[test]
    fn an_edit_keeps_comments_and_order() {
        let (folder, mut workspace) = project();
        workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-7 dB").unwrap();
        workspace.set_value("level of steps", "mix.toml", &["buses", "steps", "level"], "-3 dB").unwrap();
        assert_eq!(workspace.unsaved(), 1);
        assert_eq!(workspace.save().unwrap(), 1);
        let text = std::fs::read_to_string(folder.path().join("mix.toml")).unwrap();
        assert_eq!(text, MIX.replace("-4 dB", "-7 dB").replace("into = \"all\"\n", "into = \"all\"\nlevel = \"-3 dB\"\n"));
        assert_eq!(workspace.unsaved(), 0);
    }

    #[test]
    fn undo_and_redo_are_named_and_exact() {
        let (_folder, mut workspace) = project();
        workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-7 dB").unwrap();
        workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-8 dB").unwrap();
        let edited = workspace.sources().clone();
        assert_eq!(workspace.undo_name(), Some("level of music"));
        assert_eq!(workspace.undo().as_deref(), Some("level of music"));
        assert_eq!(workspace.sources().get("mix.toml").map(|t| &**t), Some(MIX), "a drag is one edit");
        assert_eq!(workspace.unsaved(), 0);
        assert_eq!(workspace.redo().as_deref(), Some("level of music"));
        assert_eq!(*workspace.sources(), edited);
        assert_eq!(workspace.undo().as_deref(), Some("level of music"));
        assert_eq!(workspace.undo(), None);
    }

    #[test]
    fn outside_edits_are_taken_in_unless_both_sides_changed() {
        let (folder, mut workspace) = project();
        let later = MIX.replace("-4 dB", "-9 dB");
        std::fs::write(folder.path().join("mix.toml"), &later).unwrap();
        filetime_forward(&folder.path().join("mix.toml"));
        assert_eq!(workspace.look_outside().0, vec!["mix.toml"]);
        assert_eq!(workspace.document().buses[1].level.0, -9.0);
        workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-1 dB").unwrap();
        std::fs::write(folder.path().join("mix.toml"), MIX).unwrap();
        assert_eq!(workspace.look_outside().1, vec!["mix.toml"]);
        assert_eq!(workspace.document().buses[1].level.0, -1.0, "what was edited here is not lost");
    }

    fn filetime_forward(path: &Path) {
        let file = std::fs::File::options().write(true).open(path).unwrap();
        file.set_modified(SystemTime::now() + Duration::from_secs(2)).unwrap();
    }

    #[test]
    fn values_find_their_place_in_any_form_of_table() {
        let (_folder, mut workspace) = project();
        workspace.set_value("level of new", "mix.toml", &["buses", "new", "level"], "-1 dB").unwrap();
        assert!(workspace.document().buses.iter().any(|b| b.name == "new" && b.level.0 == -1.0));
        workspace.replace("rewrite", "mix.toml", "buses = { music = { level = \"-4 dB\" } }\n");
        workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-5 dB").unwrap();
        assert_eq!(workspace.sources().get("mix.toml").map(|t| &**t), Some("buses = { music = { level = \"-5 dB\" } }\n"));
        workspace.replace("damage", "mix.toml", "[buses.music\n");
        let refused = workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-6 dB").unwrap_err();
        assert!(refused.contains("until it is mended"), "{refused}");
        workspace.replace("other damage", "mix.toml", "buses = 3\n");
        assert!(workspace.set_value("level", "mix.toml", &["buses", "music", "level"], "-6 dB").is_err());
    }

    #[test]
    fn a_disk_that_refuses_loses_nothing() {
        let (folder, mut workspace) = project();
        workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-7 dB").unwrap();
        // A folder stands where the file should go.
        std::fs::remove_file(folder.path().join("mix.toml")).unwrap();
        std::fs::create_dir(folder.path().join("mix.toml")).unwrap();
        std::fs::write(folder.path().join("mix.toml/x"), "").unwrap();
        assert!(workspace.save().is_err());
        assert_eq!(workspace.unsaved(), 1);
        assert_eq!(workspace.document().buses[1].level.0, -7.0);
    }

    #[test]
    fn a_folder_without_a_project_says_how_to_make_one() {
        let folder = tempfile::tempdir().unwrap();
        let error = Workspace::open(folder.path()).err().unwrap().to_string();
        assert!(error.contains("estampie new"), "{error}");
    }
}
