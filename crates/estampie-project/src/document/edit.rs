//! Edits of a project's texts: named, undone and redone, saved without touching what the designer wrote around them.

mod audio;
mod disk;
#[cfg(test)]
mod tests;
mod values;

pub use audio::Copied;
pub use disk::{Keep, Look, SaveError, Stamps};
pub use values::NewValue;
pub(crate) use values::{text_of, write_value};

use super::Refusal;
use super::{Document, Fault, Reader, Sources, list_audio};
use std::cell::RefCell;
use std::collections::{BTreeMap, BTreeSet};
use std::io;
use std::path::{Path, PathBuf};
use std::rc::Rc;
use std::sync::Arc;
use std::time::Duration;
use toml_edit::DocumentMut;
use values::set_in;

/// One edit: a file's text before and after, and what it is called.
#[derive(Debug, Clone)]
pub struct Edit {
    /// What was done, as in "level of steps".
    pub name: String,
    files: Vec<Changed>,
    /// What was done with audio files.
    audio: Vec<audio::Step>,
}

/// A file before and after an edit; `None` when it is not there.
#[derive(Debug, Clone)]
struct Changed {
    file: String,
    before: Option<Arc<str>>,
    after: Option<Arc<str>>,
}

/// A text and what it is as TOML.
type Parsed = (Arc<str>, Rc<DocumentMut>);

/// A project being worked on: what is on disk, what has been edited since, and the way back.
pub struct Workspace {
    root: PathBuf,
    saved: Sources,
    now: Sources,
    audio: BTreeSet<String>,
    /// What came to it when it was looked last that something had changed.
    came: Vec<String>,
    document: Arc<Document>,
    faults: Vec<Fault>,
    /// Faults of reading the disk; an edit does not fix them.
    disk_faults: Vec<Fault>,
    undo: Vec<Edit>,
    redo: Vec<Edit>,
    /// When the last edit may no longer grow: a drag is one edit.
    last_edit: Option<std::time::Instant>,
    stamps: disk::Stamps,
    /// Since when it is known what lies on the disk: when it was last written from here, or a look that was taken in began.
    known_at: std::time::Instant,
    /// How often audio was.
    audio_written: u64,
    /// Files that somebody else changed too: as they are on disk.
    contested: BTreeMap<String, Option<Arc<str>>>,
    /// Why nothing is edited, if nothing is: another workshop has the project open.
    only_read: Option<String>,
    /// A kept state that is shown instead; meanwhile nothing can be edited.
    shown: Option<Arc<Document>>,
    /// An edit was refused because of that.
    refused: bool,
    /// Files as TOML, as long as their texts stay as they are.
    parsed: RefCell<BTreeMap<String, Parsed>>,
    /// What was read of each file.
    reader: RefCell<Reader>,
}

/// An edited file that is not saved: what an edit journal keeps.
#[derive(Debug, Clone, PartialEq)]
pub struct Unsaved {
    /// Its path in the project.
    pub file: String,
    /// Its text on disk when it was edited; `None` if there was none.
    pub before: Option<String>,
    /// Its text as edited; `None` if it was taken out.
    pub now: Option<String>,
}

/// Edits of one name that follow each other this closely are one.
const SAME_GESTURE: Duration = Duration::from_millis(800);

impl Workspace {
    /// Opens the project in folder `root`. A project with faults opens with all that is sound.
    ///
    /// # Errors
    /// When `root` holds no project.
    pub fn open(root: &Path) -> io::Result<Workspace> {
        let (sources, mut disk_faults) = Sources::read(root)?;
        let (audio, unread) = list_audio(root);
        disk_faults.extend(unread);
        let mut workspace = Workspace {
            root: root.to_owned(),
            saved: sources.clone(),
            now: sources,
            audio,
            came: Vec::new(),
            document: Arc::default(),
            faults: Vec::new(),
            disk_faults,
            undo: Vec::new(),
            redo: Vec::new(),
            last_edit: None,
            stamps: disk::Stamps::new(),
            known_at: std::time::Instant::now(),
            audio_written: 0,
            contested: BTreeMap::new(),
            only_read: None,
            shown: None,
            refused: false,
            parsed: RefCell::default(),
            reader: RefCell::default(),
        };
        workspace.stamp();
        workspace.read_again();
        Ok(workspace)
    }

    /// Reads texts as those of the project: files that are as they were read last are not read again.
    pub(crate) fn read(&self, sources: &Sources) -> (Document, Vec<Fault>) {
        self.reader.borrow_mut().read(sources, &self.audio)
    }

    fn read_again(&mut self) {
        let (document, mut faults) = self.read(&self.now);
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

    /// Whether a kept state is shown.
    #[must_use]
    pub fn shows_kept(&self) -> bool {
        self.shown.is_some()
    }

    /// Whether an edit was refused since this was last asked, because a kept state is shown.
    pub fn take_refused(&mut self) -> bool {
        std::mem::take(&mut self.refused)
    }

    /// True, and noted, while a kept state is shown or the project is only read.
    fn refuses(&mut self) -> bool {
        let refuses = self.shown.is_some() || self.only_read.is_some();
        self.refused |= refuses;
        refuses
    }

    /// Only reads from now on, and why; or edits again.
    pub fn set_only_read(&mut self, why: Option<String>) {
        self.only_read = why;
    }

    /// Why nothing can be edited, if so.
    #[must_use]
    pub fn only_read(&self) -> Option<&str> {
        self.only_read.as_deref()
    }

    /// All that is edited and not saved.
    #[must_use]
    pub fn unsaved_texts(&self) -> Vec<Unsaved> {
        let text = |sources: &Sources, file: &str| sources.get(file).map(ToString::to_string);
        self.changed_files().into_iter().map(|file| Unsaved { before: text(&self.saved, &file), now: text(&self.now, &file), file }).collect()
    }

    /// Takes edits in that were not saved. What was changed on disk since then is contested.
    pub fn bring_back(&mut self, unsaved: Vec<Unsaved>) {
        let mut files = Vec::new();
        for one in unsaved {
            let disk = self.saved.get(&one.file).cloned();
            if disk.as_deref() != one.before.as_deref() && disk.as_deref() != one.now.as_deref() {
                self.contested.insert(one.file.clone(), disk);
            }
            files.push((one.file, one.now));
        }
        self.change("edits that were not saved", files);
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
        let mut list = Vec::new();
        for (name, item) in item.as_table_like().into_iter().flat_map(toml_edit::TableLike::iter) {
            match item.as_table_like() {
                Some(table) => list.extend(table.iter().map(|(field, item)| (format!("{name}.{field}"), text_of(item)))),
                None => list.push((name.to_owned(), text_of(item))),
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
            Some(last) if gesture && self.redo.is_empty() && last.audio.is_empty() && same(last) => {
                for (kept, new) in last.files.iter_mut().zip(changed) {
                    kept.after = new.after;
                }
            }
            _ => self.undo.push(Edit { name: name.to_owned(), files: changed, audio: Vec::new() }),
        }
        self.redo.clear();
        self.last_edit = Some(std::time::Instant::now());
        self.read_again();
    }

    /// Sets one value in a TOML file, keeping comments and order, as one edit called `name`.
    ///
    /// # Errors
    /// When the file cannot be read as TOML as it stands, or `path` runs through something that is no table.
    pub fn set_value(&mut self, name: &str, file: &str, path: &[&str], value: &str) -> Result<(), Refusal> {
        self.set_values(name, &[(file, path.to_vec(), NewValue::Text(value.to_owned()))])
    }

    /// Sets values in TOML files, keeping comments and order, as one edit called `name`.
    ///
    /// # Errors
    /// As [`Workspace::set_value`]; then nothing is changed.
    pub fn set_values(&mut self, name: &str, values: &[(&str, Vec<&str>, NewValue)]) -> Result<(), Refusal> {
        let files = self.with_values(values)?;
        self.change(name, files);
        Ok(())
    }

    /// Sets values as [`Workspace::set_values`], unless that makes a new fault in the texts: then nothing is changed.
    ///
    /// # Errors
    /// As [`Workspace::set_values`]; or what is wrong, with its fix.
    pub(super) fn set_if_read(&mut self, name: &str, values: &[(&str, Vec<&str>, NewValue)]) -> Result<(), Refusal> {
        let files = self.with_values(values)?;
        self.change_if_read(name, files)
    }

    /// Changes texts as [`Workspace::change`], unless that makes a new fault in them: then nothing is changed.
    ///
    /// # Errors
    /// With what is wrong, and its fix.
    pub(crate) fn change_if_read(&mut self, name: &str, files: Vec<(String, Option<String>)>) -> Result<(), Refusal> {
        let mut then = self.now.clone();
        for (file, text) in &files {
            then.set(file, text.as_deref().unwrap_or_default());
        }
        let (_, faults) = self.read(&then);
        if faults.len() + self.disk_faults.len() > self.faults.len() {
            let new = faults.iter().find(|f| !self.faults.contains(f) && files.iter().any(|(file, _)| *file == f.place.file));
            return Err(new.map_or_else(|| "that is not understood here".into(), |f| f.clone().into()));
        }
        self.change(name, files);
        Ok(())
    }

    /// The texts of files with values set in them.
    pub(crate) fn with_values(&self, values: &[(&str, Vec<&str>, NewValue)]) -> Result<Vec<(String, Option<String>)>, Refusal> {
        let mut files: BTreeMap<&str, DocumentMut> = BTreeMap::new();
        for (file, path, value) in values {
            if !files.contains_key(file) {
                files.insert(file, self.toml(file)?);
            }
            if let Some(toml) = files.get_mut(file) {
                set_in(toml.as_table_mut(), path, value).ok_or_else(|| Refusal::NoTable(format!("{} in {file}", path.join("."))))?;
            }
        }
        Ok(files.into_iter().map(|(file, toml)| (file.to_owned(), Some(toml.to_string()))).collect())
    }

    /// A file as TOML that can be edited.
    pub(crate) fn toml(&self, file: &str) -> Result<DocumentMut, Refusal> {
        let text = self.now.get(file).map_or("", |t| t);
        text.parse().map_err(|e: toml_edit::TomlError| format!("{file} cannot be edited until it is fixed: {}", e.message()).into())
    }

    /// A file as TOML, to look at; an empty one if it cannot be read.
    pub(crate) fn parsed(&self, file: &str) -> Rc<DocumentMut> {
        let Some(text) = self.now.get(file) else { return Rc::default() };
        let mut parsed = self.parsed.borrow_mut();
        match parsed.get(file) {
            Some((of, toml)) if Arc::ptr_eq(of, text) => Rc::clone(toml),
            _ => {
                let toml: Rc<DocumentMut> = Rc::new(text.parse().unwrap_or_default());
                parsed.insert(file.to_owned(), (Arc::clone(text), Rc::clone(&toml)));
                toml
            }
        }
    }

    /// Undoes the last edit and gives its name. What somebody else has changed in the same files since stays.
    ///
    /// # Errors
    /// When somebody else has changed what it would change back; then nothing is.
    pub fn undo(&mut self) -> Result<Option<String>, Refusal> {
        let Some(edit) = self.undo.last().filter(|_| self.shown.is_none() && self.only_read.is_none()).cloned() else {
            self.refuses();
            return Ok(None);
        };
        self.go_steps(&edit, false)?;
        let back = self.go_back(edit.clone(), |c| (&c.after, &c.before), |c, now, then| (c.after, c.before) = (now, then));
        let edit = self.or_steps(back, &edit, true)?;
        self.undo.pop();
        let name = edit.name.clone();
        self.after_steps(&edit);
        self.redo.push(edit);
        Ok(Some(name))
    }

    /// How many edits can be undone.
    #[must_use]
    pub fn edits(&self) -> usize {
        self.undo.len()
    }

    /// The next edit is one of its own, however soon it comes.
    pub fn begin_anew(&mut self) {
        self.last_edit = None;
    }

    /// Takes the last edit back as if it had not been made.
    pub fn take_back(&mut self) {
        if matches!(self.undo(), Ok(Some(_))) {
            self.redo.pop();
        }
    }

    /// Does the last undone edit again and gives its name.
    ///
    /// # Errors
    /// As [`Workspace::undo`].
    pub fn redo(&mut self) -> Result<Option<String>, Refusal> {
        let Some(edit) = self.redo.last().filter(|_| self.shown.is_none() && self.only_read.is_none()).cloned() else {
            self.refuses();
            return Ok(None);
        };
        self.go_steps(&edit, true)?;
        let back = self.go_back(edit.clone(), |c| (&c.before, &c.after), |c, now, then| (c.before, c.after) = (now, then));
        let edit = self.or_steps(back, &edit, false)?;
        self.redo.pop();
        let name = edit.name.clone();
        self.after_steps(&edit);
        self.undo.push(edit);
        Ok(Some(name))
    }

    /// Takes the files of an edit from one side of it to the other, together with what they have become since.
    fn go_back(
        &mut self,
        mut edit: Edit,
        sides: impl Fn(&Changed) -> (&Option<Arc<str>>, &Option<Arc<str>>),
        set: impl Fn(&mut Changed, Option<Arc<str>>, Option<Arc<str>>),
    ) -> Result<Edit, Refusal> {
        let mut texts = Vec::new();
        for change in &edit.files {
            let now = self.now.get(&change.file).cloned();
            let (from, to) = sides(change);
            let then = if now == *from { Some(to.as_deref().map(str::to_owned)) } else { merge(from.as_deref(), now.as_deref(), to.as_deref()) };
            let then = then.ok_or_else(|| format!("{} stays: somebody else has changed {} at the same place", edit.name, change.file))?;
            texts.push((now, then.map(Arc::from)));
        }
        for (change, (now, then)) in edit.files.iter_mut().zip(texts) {
            self.put(&change.file, then.as_deref());
            set(change, now, then);
        }
        self.put_done();
        Ok(edit)
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
}

/// What came of a text in two places, put together; `None` where they meet. A file that is there and not there meets with any change.
fn merge(base: Option<&str>, one: Option<&str>, other: Option<&str>) -> Option<Option<String>> {
    if one == other || base == other {
        return Some(one.map(str::to_owned));
    }
    if base == one {
        return Some(other.map(str::to_owned));
    }
    diffy::merge(base?, one?, other?).ok().map(Some)
}
