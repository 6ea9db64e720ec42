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
    files: Vec<Changed>,
}

/// A file before and after an edit; `None` when it is not there.
#[derive(Debug, Clone)]
struct Changed {
    file: String,
    before: Option<Arc<str>>,
    after: Option<Arc<str>>,
}

/// A value to be written into a TOML file.
#[derive(Debug, Clone, PartialEq)]
pub enum NewValue {
    /// A text in quotes.
    Text(String),
    /// A whole number.
    Whole(i64),
    /// True or false.
    Yes(bool),
    /// A list of texts.
    List(Vec<String>),
    /// Nothing: the field is taken out.
    Nothing,
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
    /// A kept state that is shown instead; meanwhile nothing can be edited.
    shown: Option<Arc<Document>>,
    /// An edit was refused because of that.
    refused: bool,
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
            shown: None,
            refused: false,
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

    /// The project as it is written now, or the kept state that is shown instead.
    #[must_use]
    pub fn document(&self) -> &Arc<Document> {
        self.shown.as_ref().unwrap_or(&self.document)
    }

    /// Shows a kept state instead of the present one, which stays as it is; nothing is edited, undone or redone until `None`
    /// shows the present one again.
    pub fn show(&mut self, kept: Option<Arc<Document>>) {
        self.shown = kept;
    }

    /// Whether an edit was refused since this was last asked, because a kept state is shown.
    pub fn take_refused(&mut self) -> bool {
        std::mem::take(&mut self.refused)
    }

    /// True, and noted, while a kept state is shown.
    fn refuses(&mut self) -> bool {
        self.refused |= self.shown.is_some();
        self.shown.is_some()
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

    /// The texts as they are on disk, as far as is known.
    #[must_use]
    pub fn saved(&self) -> &Sources {
        &self.saved
    }

    /// The audio files there are, as paths relative to the project.
    #[must_use]
    pub fn audio(&self) -> &BTreeSet<String> {
        &self.audio
    }

    /// A list of texts as it is written in a TOML file; a single text is a list of one. `None` if there is none.
    #[must_use]
    pub fn list_in(&self, file: &str, path: &[&str]) -> Option<Vec<String>> {
        let toml = self.toml(file).ok()?;
        let mut item = toml.as_item();
        for key in path {
            item = item.get(key)?;
        }
        match item.as_array() {
            Some(list) => Some(list.iter().filter_map(|v| v.as_str().map(str::to_owned)).collect()),
            None => item.as_str().map(|text| vec![text.to_owned()]),
        }
    }

    /// The fields of a table as they are written, those of tables within as `name.field`; none if there is no such table.
    #[must_use]
    pub fn written(&self, file: &str, path: &[&str]) -> Vec<(String, String)> {
        let Ok(toml) = self.toml(file) else { return Vec::new() };
        let mut item = toml.as_item();
        for key in path {
            match item.get(key) {
                Some(next) => item = next,
                None => return Vec::new(),
            }
        }
        let text = |item: &Item| match item.as_value() {
            Some(Value::String(text)) => text.value().clone(),
            Some(Value::Array(list)) => list.iter().map(|v| v.as_str().map_or_else(|| v.to_string(), str::to_owned)).collect::<Vec<_>>().join("; "),
            Some(value) => value.clone().decorated("", "").to_string(),
            None => String::new(),
        };
        let mut list = Vec::new();
        for (name, item) in item.as_table_like().into_iter().flat_map(toml_edit::TableLike::iter) {
            match item.as_table_like() {
                Some(table) => list.extend(table.iter().map(|(field, item)| (format!("{name}.{field}"), text(item)))),
                None => list.push((name.to_owned(), text(item))),
            }
        }
        list
    }

    /// Whether a table stands at a path of a TOML file.
    #[must_use]
    pub fn is_table(&self, file: &str, path: &[&str]) -> bool {
        let Ok(toml) = self.toml(file) else { return false };
        let mut item = toml.as_item();
        for key in path {
            match item.get(key) {
                Some(next) => item = next,
                None => return false,
            }
        }
        item.is_table_like()
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
        self.change(name, vec![(file.to_owned(), Some(text.to_owned()))]);
    }

    /// Replaces (or takes out) the whole texts of files, as one edit called `name`. Edits of one name and the same files that
    /// follow each other closely are one.
    pub fn change(&mut self, name: &str, files: Vec<(String, Option<String>)>) {
        if self.refuses() {
            return;
        }
        let mut changed = Vec::new();
        for (file, text) in files {
            let before = self.now.get(&file).cloned();
            if before.as_deref() != text.as_deref() {
                changed.push(Changed { file, before, after: text.map(Arc::from) });
            }
        }
        if changed.is_empty() {
            return;
        }
        for change in &changed {
            self.put(change.file.as_str(), change.after.clone().as_deref());
        }
        let gesture = self.last_edit.is_some_and(|at| at.elapsed() < SAME_GESTURE);
        let same = |last: &Edit| last.name == name && last.files.iter().map(|c| &c.file).eq(changed.iter().map(|c| &c.file));
        match self.undo.last_mut() {
            Some(last) if gesture && self.redo.is_empty() && same(last) => {
                for (kept, new) in last.files.iter_mut().zip(changed) {
                    kept.after = new.after;
                }
            }
            _ => self.undo.push(Edit { name: name.to_owned(), files: changed }),
        }
        self.redo.clear();
        self.last_edit = Some(std::time::Instant::now());
        self.read_again();
    }

    /// Sets one value in a TOML file, keeping comments and order, as one edit called `name`.
    ///
    /// # Errors
    /// When the file cannot be read as TOML as it stands, or `path` runs through something that is no table.
    pub fn set_value(&mut self, name: &str, file: &str, path: &[&str], value: &str) -> Result<(), String> {
        self.set_values(name, &[(file, path.to_vec(), NewValue::Text(value.to_owned()))])
    }

    /// Sets values in TOML files, keeping comments and order, as one edit called `name`.
    ///
    /// # Errors
    /// As [`Workspace::set_value`]; then nothing is changed.
    pub fn set_values(&mut self, name: &str, values: &[(&str, Vec<&str>, NewValue)]) -> Result<(), String> {
        let files = self.with_values(values)?;
        self.change(name, files);
        Ok(())
    }

    /// Sets values as [`Workspace::set_values`], unless that makes a new fault in the texts: then nothing is changed.
    ///
    /// # Errors
    /// As [`Workspace::set_values`]; or what is wrong, with its mend.
    pub(super) fn set_if_read(&mut self, name: &str, values: &[(&str, Vec<&str>, NewValue)]) -> Result<(), String> {
        let files = self.with_values(values)?;
        self.change_if_read(name, files)
    }

    /// Changes texts as [`Workspace::change`], unless that makes a new fault in them: then nothing is changed.
    ///
    /// # Errors
    /// With what is wrong, and its mend.
    pub(super) fn change_if_read(&mut self, name: &str, files: Vec<(String, Option<String>)>) -> Result<(), String> {
        let mut then = self.now.clone();
        for (file, text) in &files {
            then.set(file, text.as_deref().unwrap_or_default());
        }
        let (_, faults) = Document::read(&then, &self.audio);
        if faults.len() + self.disk_faults.len() > self.faults.len() {
            let new = faults.iter().find(|f| !self.faults.contains(f) && files.iter().any(|(file, _)| *file == f.place.file));
            return Err(new.map_or_else(|| "that is not understood here".to_owned(), |f| format!("{}; {}", f.what, f.mend)));
        }
        self.change(name, files);
        Ok(())
    }

    /// The texts of files with values set in them.
    fn with_values(&self, values: &[(&str, Vec<&str>, NewValue)]) -> Result<Vec<(String, Option<String>)>, String> {
        let mut files: BTreeMap<&str, DocumentMut> = BTreeMap::new();
        for (file, path, value) in values {
            if !files.contains_key(file) {
                files.insert(file, self.toml(file)?);
            }
            if let Some(toml) = files.get_mut(file) {
                set_in(toml.as_table_mut(), path, value).ok_or_else(|| format!("{} in {file} is not a table", path.join(".")))?;
            }
        }
        Ok(files.into_iter().map(|(file, toml)| (file.to_owned(), Some(toml.to_string()))).collect())
    }

    /// A file as TOML that can be edited.
    pub(super) fn toml(&self, file: &str) -> Result<DocumentMut, String> {
        let text = self.now.get(file).map_or("", |t| t);
        text.parse().map_err(|e: toml_edit::TomlError| format!("{file} cannot be edited until it is mended: {}", e.message()))
    }

    /// Undoes the last edit and gives its name.
    pub fn undo(&mut self) -> Option<String> {
        if self.refuses() {
            return None;
        }
        let edit = self.undo.pop()?;
        for change in &edit.files {
            self.put(&change.file, change.before.as_deref());
        }
        self.put_done();
        let name = edit.name.clone();
        self.redo.push(edit);
        Some(name)
    }

    /// Does the last undone edit again and gives its name.
    pub fn redo(&mut self) -> Option<String> {
        if self.refuses() {
            return None;
        }
        let edit = self.redo.pop()?;
        for change in &edit.files {
            self.put(&change.file, change.after.as_deref());
        }
        self.put_done();
        let name = edit.name.clone();
        self.undo.push(edit);
        Some(name)
    }

    fn put(&mut self, file: &str, text: Option<&str>) {
        match text {
            Some(text) => self.now.set(file, text),
            None => self.now.remove(file),
        }
    }

    fn put_done(&mut self) {
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
fn set_in(table: &mut Table, path: &[&str], value: &NewValue) -> Option<()> {
    let (last, way) = path.split_last()?;
    let mut here: &mut dyn toml_edit::TableLike = table;
    for (depth, key) in way.iter().enumerate() {
        if !here.contains_key(key) {
            if *value == NewValue::Nothing {
                return Some(());
            }
            // A field of a field of a sound is an inline table; what is above that has a heading of its own.
            let made = if !inline_below(way, depth) {
                let mut made = Table::new();
                made.set_implicit(way.last() != Some(key));
                Item::Table(made)
            } else {
                Item::Value(Value::InlineTable(Default::default()))
            };
            here.insert(key, made);
        }
        here = here.get_mut(key)?.as_table_like_mut()?;
    }
    let new = match value {
        NewValue::Text(text) => Value::from(text.as_str()),
        NewValue::Whole(number) => Value::from(*number),
        NewValue::Yes(yes) => Value::from(*yes),
        NewValue::List(list) => Value::Array(list.iter().map(String::as_str).collect()),
        NewValue::Nothing => {
            here.remove(last);
            return Some(());
        }
    };
    match here.get_mut(last) {
        Some(item) => match item.as_value_mut() {
            Some(old) => {
                let mut new = new;
                *new.decor_mut() = old.decor().clone();
                *old = new;
            }
            // A table of its own is replaced as a whole.
            None => *item = Item::Value(new),
        },
        None => {
            here.insert(last, Item::Value(new));
        }
    }
    Some(())
}

/// Whether the table at `depth` of the way is one of the small ones that sounds have (vary, shape, limit …).
fn inline_below(way: &[&str], depth: usize) -> bool {
    depth > 0 && ["vary", "shape", "limit", "falloff", "repeat", "lines", "priority", "inside", "outside", "closed"].contains(&way[depth])
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
