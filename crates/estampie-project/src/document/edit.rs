//! Edits of a project's texts: named, undone and redone, saved without touching what the designer wrote around them.

use super::Refusal;
use super::sources::on_disk;
use super::{Document, Fault, Reader, Sources, list_audio};
use std::cell::RefCell;
use std::collections::{BTreeMap, BTreeSet};
use std::io;
use std::path::{Path, PathBuf};
use std::rc::Rc;
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

/// A text and what it is as TOML.
type Parsed = (Arc<str>, Rc<DocumentMut>);

/// A project being worked on: what is on disk, what has been edited since, and the way back.
pub struct Workspace {
    root: PathBuf,
    saved: Sources,
    now: Sources,
    audio: BTreeSet<String>,
    document: Arc<Document>,
    faults: Vec<Fault>,
    /// Faults of reading the disk; an edit does not fix them.
    disk_faults: Vec<Fault>,
    undo: Vec<Edit>,
    redo: Vec<Edit>,
    /// When the last edit may no longer grow: a drag is one edit.
    last_edit: Option<std::time::Instant>,
    stamps: BTreeMap<String, Option<SystemTime>>,
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
            document: Arc::default(),
            faults: Vec::new(),
            disk_faults,
            undo: Vec::new(),
            redo: Vec::new(),
            last_edit: None,
            stamps: BTreeMap::new(),
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
            self.undo.push(Edit { name, files: vec![Changed { file: file.to_owned(), before: mine, after: new }] });
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
    fn with_values(&self, values: &[(&str, Vec<&str>, NewValue)]) -> Result<Vec<(String, Option<String>)>, Refusal> {
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
        let edit = self.go_back(edit, |c| (&c.after, &c.before), |c, now, then| (c.after, c.before) = (now, then))?;
        self.undo.pop();
        let name = edit.name.clone();
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
        let edit = self.go_back(edit, |c| (&c.before, &c.after), |c, now, then| (c.before, c.after) = (now, then))?;
        self.redo.pop();
        let name = edit.name.clone();
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
        let (audio, unread) = list_audio(&self.root);
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
                    taken.push(file.clone());
                    changed = true;
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
            self.disk_faults.extend(unread);
            self.stamp();
            self.read_again();
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

fn modified(path: &Path) -> Option<SystemTime> {
    std::fs::metadata(path).and_then(|m| m.modified()).ok()
}

/// What is written in a field, without quotes; lists are joined by `; `.
pub(crate) fn text_of(item: &Item) -> String {
    match item.as_value() {
        Some(Value::String(text)) => text.value().clone(),
        Some(Value::Array(list)) => list.iter().map(|v| v.as_str().map_or_else(|| v.to_string(), str::to_owned)).collect::<Vec<_>>().join("; "),
        Some(value) => value.clone().decorated("", "").to_string(),
        None => String::new(),
    }
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
    write_value(here, last, value);
    Some(())
}

/// Writes a value under a key, or takes it out; what stood around the old value stays, and a table of its own is replaced as a whole.
pub(crate) fn write_value(table: &mut dyn toml_edit::TableLike, key: &str, value: &NewValue) {
    let mut new = match value {
        NewValue::Text(text) => Value::from(text.as_str()),
        NewValue::Whole(number) => Value::from(*number),
        NewValue::Yes(yes) => Value::from(*yes),
        NewValue::List(list) => Value::Array(list.iter().map(String::as_str).collect()),
        NewValue::Nothing => {
            table.remove(key);
            return;
        }
    };
    match table.get_mut(key) {
        Some(item) => {
            if let Some(old) = item.as_value() {
                *new.decor_mut() = old.decor().clone();
            }
            *item = Item::Value(new);
        }
        None => {
            table.insert(key, Item::Value(new));
        }
    }
}

/// Whether the table at `depth` of the way is one of the small ones that sounds have (vary, shape, limit …).
fn inline_below(way: &[&str], depth: usize) -> bool {
    depth > 0 && ["vary", "shape", "limit", "falloff", "repeat", "lines", "priority", "inside", "outside", "closed"].contains(&way[depth])
}

#[cfg(test)]
mod tests {
    use super::*;

    const MIX: &str = "# the mix of Brinewick\n\n[buses.music]   # what the viols play\nlevel = \"-4 dB\"  # agreed in May\n\n[buses.steps]\ninto = \"main\"\n";

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
        assert_eq!(workspace.save(false).unwrap(), 1);
        let text = std::fs::read_to_string(folder.path().join("mix.toml")).unwrap();
        assert_eq!(text, MIX.replace("-4 dB", "-7 dB").replace("into = \"main\"\n", "into = \"main\"\nlevel = \"-3 dB\"\n"));
        assert_eq!(workspace.unsaved(), 0);
    }

    #[test]
    fn undo_and_redo_are_named_and_exact() {
        let (_folder, mut workspace) = project();
        workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-7 dB").unwrap();
        workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-8 dB").unwrap();
        let edited = workspace.sources().clone();
        assert_eq!(workspace.undo_name(), Some("level of music"));
        assert_eq!(workspace.undo().unwrap().as_deref(), Some("level of music"));
        assert_eq!(workspace.sources().get("mix.toml").map(|t| &**t), Some(MIX), "a drag is one edit");
        assert_eq!(workspace.unsaved(), 0);
        assert_eq!(workspace.redo().unwrap().as_deref(), Some("level of music"));
        assert_eq!(*workspace.sources(), edited);
        assert_eq!(workspace.undo().unwrap().as_deref(), Some("level of music"));
        assert_eq!(workspace.undo(), Ok(None));
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

    #[test]
    fn what_somebody_else_wrote_is_never_written_over() {
        let (folder, mut workspace) = project();
        let path = folder.path().join("mix.toml");
        workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-7 dB").unwrap();
        // Within the same second, before anything has looked.
        let theirs = MIX.replace("into = \"main\"", "into = \"main\"\nlevel = \"-2 dB\"");
        std::fs::write(&path, &theirs).unwrap();
        assert!(matches!(workspace.save(false), Err(SaveError::Contested(files)) if files == ["mix.toml"]));
        assert_eq!(std::fs::read_to_string(&path).unwrap(), theirs);
        assert!(workspace.contest("mix.toml").contains("+level = \"-2 dB\""), "{}", workspace.contest("mix.toml"));
        // Both, since they do not meet.
        assert_eq!(workspace.decide("mix.toml", Keep::Both).unwrap(), None);
        assert_eq!(workspace.save(false).unwrap(), 1);
        assert_eq!(std::fs::read_to_string(&path).unwrap(), theirs.replace("-4 dB", "-7 dB"));
        // Where they meet, one is chosen and the other stays beside it.
        workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-8 dB").unwrap();
        std::fs::write(&path, theirs.replace("-4 dB", "-9 dB")).unwrap();
        assert!(workspace.save(false).is_err());
        assert!(workspace.decide("mix.toml", Keep::Both).is_err());
        assert_eq!(workspace.decide("mix.toml", Keep::Mine).unwrap().as_deref(), Some("mix.toml.theirs"));
        assert_eq!(workspace.save(false).unwrap(), 1);
        assert!(std::fs::read_to_string(folder.path().join("mix.toml.theirs")).unwrap().contains("-9 dB"));
        assert!(std::fs::read_to_string(&path).unwrap().contains("-8 dB"));
        workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-3 dB").unwrap();
        std::fs::write(&path, &theirs).unwrap();
        assert!(workspace.save(false).is_err());
        assert_eq!(workspace.decide("mix.toml", Keep::Theirs).unwrap().as_deref(), Some("mix.toml.mine"));
        assert_eq!((workspace.unsaved(), workspace.document().buses[1].level.0), (0, -4.0));
        assert_eq!(workspace.undo().unwrap().as_deref(), Some("the other version of mix.toml"));
        assert_eq!(workspace.document().buses[1].level.0, -3.0);
    }

    #[test]
    fn undo_takes_back_ones_own_edit_and_nothing_else() {
        let (folder, mut workspace) = project();
        workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-7 dB").unwrap();
        workspace.save(false).unwrap();
        let path = folder.path().join("mix.toml");
        let theirs = std::fs::read_to_string(&path).unwrap().replace("into = \"main\"", "into = \"main\"\nlevel = \"-2 dB\"");
        std::fs::write(&path, &theirs).unwrap();
        filetime_forward(&path);
        assert_eq!(workspace.look_outside().0, ["mix.toml"]);
        assert_eq!(workspace.undo().unwrap().as_deref(), Some("level of music"));
        assert_eq!(workspace.sources().get("mix.toml").unwrap().to_string(), theirs.replace("-7 dB", "-4 dB"));
        assert_eq!(workspace.redo().unwrap().as_deref(), Some("level of music"));
        assert_eq!(workspace.sources().get("mix.toml").unwrap().to_string(), theirs);
        // Changed at the very place: it says so and leaves all as it is.
        std::fs::write(&path, theirs.replace("-7 dB", "-5 dB")).unwrap();
        filetime_forward(&path);
        workspace.look_outside();
        let refused = workspace.undo().unwrap_err();
        assert!(refused.to_string().contains("somebody else has changed mix.toml"), "{refused}");
        assert!(workspace.sources().get("mix.toml").unwrap().contains("-5 dB"));
    }

    #[test]
    fn returns_marks_and_protection_are_kept() {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("estampie.toml"), "\u{feff}format = 1\r\nname = \"t\"\r\n").unwrap();
        let path = folder.path().join("mix.toml");
        std::fs::write(&path, MIX.replace('\n', "\r\n")).unwrap();
        let mut workspace = Workspace::open(folder.path()).unwrap();
        assert!(workspace.faults().is_empty(), "{:?}", workspace.faults());
        workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-7 dB").unwrap();
        let mut rights = std::fs::metadata(&path).unwrap().permissions();
        rights.set_readonly(true);
        std::fs::set_permissions(&path, rights).unwrap();
        assert!(matches!(workspace.save(false), Err(SaveError::Protected(files)) if files == ["mix.toml"]));
        assert_eq!(workspace.save(true).unwrap(), 1);
        assert_eq!(std::fs::read_to_string(&path).unwrap(), MIX.replace("-4 dB", "-7 dB").replace('\n', "\r\n"));
        assert!(std::fs::metadata(&path).unwrap().permissions().readonly());
    }

    #[test]
    fn a_project_that_was_moved_away_is_not_made_anew() {
        let (folder, mut workspace) = project();
        workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-7 dB").unwrap();
        std::fs::rename(folder.path(), folder.path().with_extension("moved")).unwrap();
        let error = workspace.save(false).unwrap_err().to_string();
        assert!(error.contains("was it moved"), "{error}");
        assert!(!folder.path().exists() && workspace.unsaved() == 1);
        std::fs::rename(folder.path().with_extension("moved"), folder.path()).unwrap();
        assert_eq!(workspace.save(false).unwrap(), 1);
    }

    #[test]
    fn edits_that_were_not_saved_come_back() {
        let (folder, mut workspace) = project();
        workspace.set_value("level of music", "mix.toml", &["buses", "music", "level"], "-7 dB").unwrap();
        workspace.replace("a take", "playthroughs/take-1.play", "0 end\n");
        let unsaved = workspace.unsaved_texts();
        assert_eq!(unsaved.len(), 2);
        let mut again = Workspace::open(folder.path()).unwrap();
        again.bring_back(unsaved.clone());
        assert_eq!((again.unsaved(), again.document().buses[1].level.0), (2, -7.0));
        assert_eq!(again.undo().unwrap().as_deref(), Some("edits that were not saved"));
        // Changed on disk since: both are there, and it is asked.
        std::fs::write(folder.path().join("mix.toml"), MIX.replace("-4 dB", "-1 dB")).unwrap();
        let mut later = Workspace::open(folder.path()).unwrap();
        later.bring_back(unsaved);
        assert_eq!(later.contested().collect::<Vec<_>>(), ["mix.toml"]);
        assert!(matches!(later.save(false), Err(SaveError::Contested(_))));
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
        assert!(refused.to_string().contains("until it is fixed"), "{refused}");
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
        assert!(workspace.save(false).is_err());
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
