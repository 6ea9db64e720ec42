//! The bundle beside the workshop: written from here, and how far behind what is on the screen it is.

use super::app::{App, Mode};
use super::text_field::TextField;
use super::view::Ask;
use crate::bundling::{Allowed, AudioHashes, Home, hash_of, size, without_placeholders, write_to};
use crate::failure::Failure;
use chrono::{DateTime, Local};
use estampie_bundle::Bundle;
use estampie_engine::program::Program;
use estampie_project::document::{Document, Refusal, Sources};
use estampie_proof::check::{Broken, hold};
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, channel};
use std::sync::{Arc, Mutex, Weak};
use std::time::{Duration, Instant, SystemTime};

/// So often it is looked how things stand.
const LOOK: Duration = Duration::from_secs(1);

/// The last bundle of the project, as it is on disk.
#[derive(Debug, Clone, PartialEq)]
struct Last {
    path: PathBuf,
    written: SystemTime,
    /// What it was made of.
    sources: String,
}

/// How the last bundle stands to what is on the screen.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Age {
    /// It was made of what is here.
    Fresh,
    /// So many edits lie between, as far as is known.
    Behind(Option<usize>),
    /// It has not been worked out yet.
    Unknown,
}

/// Why a bundle was not written.
enum NotWritten {
    /// The project does not keep what is expected of it: that may be insisted on.
    NotKept(String),
    Failed(String),
}

/// What a thread that writes a bundle gives: what to say.
type Written = Receiver<Result<String, NotWritten>>;

/// What a thread that works out the hash of the project gives.
type Hashing = Receiver<Result<String, Failure>>;

/// What is known of the bundle.
#[derive(Default)]
pub(crate) struct Bundling {
    state: Option<PathBuf>,
    last: Option<Last>,
    /// Of which state of the project the hash is (each edit makes a new document), and the hash.
    here: Option<(Arc<Document>, String)>,
    asked: Option<(Arc<Document>, Hashing)>,
    hashes: Arc<Mutex<AudioHashes>>,
    /// How many edits there were when the bundle was made of what is here.
    fresh_at: Option<usize>,
    /// The state of the project that was refused because it does not keep what is expected of it: the second time it is written all the same.
    insisted: Option<Weak<Document>>,
    /// A bundle that is being written, and how many edits there were when that began.
    writing: Option<(Written, usize)>,
    looked: Option<Instant>,
}

impl Bundling {
    pub(super) fn new(state: Option<PathBuf>) -> Bundling {
        Bundling { state, ..Bundling::default() }
    }

    /// The hash of what is on the screen, once it is known.
    pub(crate) fn here(&self) -> Option<&str> {
        self.here.as_ref().map(|(_, hash)| hash.as_str())
    }
}

/// What of the expectations of a project is not kept.
fn not_kept(program: &Arc<Program>, document: &Document) -> Vec<Broken> {
    let each = document.playthroughs.iter().filter_map(|(name, playthrough)| hold(program, document, (name, playthrough), &|| true));
    each.flatten().collect()
}

/// When something was written, as it is said: the time of today, or the day.
fn moment(at: SystemTime) -> String {
    let (at, now) = (DateTime::<Local>::from(at), Local::now());
    if at.date_naive() == now.date_naive() { at.format("%H:%M").to_string() } else { at.format("%-d %b").to_string() }
}

/// The last bundle, if it is there and is one.
fn read_last(home: Home<'_>, before: Option<&Last>) -> Option<Last> {
    let path = home.last_bundle()?;
    let written = std::fs::metadata(&path).and_then(|m| m.modified()).ok()?;
    if let Some(before) = before.filter(|b| b.path == path && b.written == written) {
        return Some(before.clone());
    }
    let sources = Bundle::open(&path).ok()?.manifest().sources.clone();
    Some(Last { path, written, sources })
}

/// Asks to which file the bundle is written.
#[derive(Debug)]
struct BundlePrompt;

impl Ask for BundlePrompt {
    fn words(&self, _app: &App) -> String {
        "write the bundle to".into()
    }

    fn hint(&self, app: &App) -> Option<String> {
        let unsaved = app.workspace.unsaved();
        Some(if unsaved > 0 {
            format!("a file that ends in .bundle; the {unsaved} unsaved files are in it as they are here")
        } else {
            "a file that ends in .bundle".into()
        })
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        app.write_bundle(Path::new(text.trim()))
    }
}

impl App {
    /// Asks where to, with the last bundle or one beside the project offered.
    pub(super) fn ask_for_bundle(&mut self) {
        if self.bundling.writing.is_some() {
            return self.say("a bundle is being written");
        }
        let offered = self.bundling.last.as_ref().map(|last| last.path.clone()).unwrap_or_else(|| {
            let root = self.workspace.root().canonicalize().unwrap_or_else(|_| self.workspace.root().to_owned());
            root.with_extension("bundle")
        });
        self.mode = Mode::typing(BundlePrompt, TextField::offer(&offered.display().to_string()));
    }

    fn write_bundle(&mut self, path: &Path) -> Result<(), Refusal> {
        if let Some((done, all)) = self.loading() {
            return Err(format!("audio is still being loaded, {done} of {all}").into());
        }
        if let Some(fault) = self.faults.first() {
            return Err(
                format!("the project has faults, the first in {}: ! lists them; estampie bundle --anyway leaves out what they touch", fault.place).into()
            );
        }
        // What is no bundle is not written over; neither is another project's.
        let before = Bundle::open(path).ok().map(|b| b.manifest().project.clone());
        let name = self.document().manifest.name.clone();
        match before {
            None if path.exists() => return Err(format!("{} is there already and is no bundle of this program: name another file", path.display()).into()),
            Some(other) if other != name => return Err(format!("{} is the bundle of {other}: name another file", path.display()).into()),
            _ => {}
        }
        let (program, document) = (Arc::clone(self.program()), Arc::clone(self.workspace.document()));
        let (sources, root, state) = (self.workspace.sources().clone(), self.workspace.root().to_owned(), self.bundling.state.clone());
        let (hashes, path, assets) = (Arc::clone(&self.bundling.hashes), path.to_owned(), self.assets.clone());
        let (tell, writing) = channel();
        let here = Arc::downgrade(&document);
        let insists = self.bundling.insisted.as_ref().is_some_and(|of| Weak::ptr_eq(of, &here));
        std::thread::spawn(move || {
            let broken = if insists { Vec::new() } else { not_kept(&program, &document) };
            if let Some(first) = broken.first() {
                let count = if broken.len() == 1 { "an expectation is".to_owned() } else { format!("{} expectations are", broken.len()) };
                let why = format!("not written: {count} not kept, the first: {first}; ctrl-b once more writes it all the same");
                let _ = tell.send(Err(NotWritten::NotKept(why)));
                return;
            }
            let write = || {
                let hash = hash_with(&sources, &document, &root, &hashes)?;
                let bare = without_placeholders(&document, &assets);
                let program = bare.as_ref().map_or(&*program, |(program, _)| program);
                write_to(&path, Allowed::default(), (program, &document), hash, Home { root: &root, state: state.as_deref() })
            };
            let said = write().map(|(manifest, bytes)| format!("{}: {}, {} pieces of audio", path.display(), size(bytes), manifest.audio.len()));
            let _ = tell.send(said.map_err(|e| match e {
                Failure::Fault(why) | Failure::Use(why) => NotWritten::Failed(why),
            }));
        });
        self.bundling.writing = Some((writing, self.workspace.edits()));
        self.say("it is listened whether all that is expected is kept, and the bundle is written");
        Ok(())
    }

    /// Looks how the bundle stands; true if there is something new to show.
    pub(super) fn poll_bundle(&mut self) -> bool {
        let mut news = self.take_written();
        if let Some((of, result)) = self.bundling.asked.take() {
            match result.try_recv() {
                Ok(Ok(hash)) => {
                    self.bundling.here = Some((of, hash));
                    news = true;
                }
                // An audio file that cannot be read is told where it is loaded.
                Ok(Err(_)) => {}
                Err(std::sync::mpsc::TryRecvError::Empty) => self.bundling.asked = Some((of, result)),
                Err(std::sync::mpsc::TryRecvError::Disconnected) => {}
            }
        }
        if self.bundling.looked.is_some_and(|at| at.elapsed() < LOOK) {
            return news | self.note_fresh();
        }
        self.bundling.looked = Some(Instant::now());
        let root = self.workspace.root();
        let last = read_last(Home { root, state: self.bundling.state.as_deref() }, self.bundling.last.as_ref());
        if last != self.bundling.last {
            self.bundling.last = last;
            news = true;
        }
        let wanted = self.bundling.last.is_some() || self.rehearsal.visiting();
        let known = self.bundling.here.as_ref().is_some_and(|(of, _)| Arc::ptr_eq(of, self.workspace.document()));
        if wanted && !known && self.bundling.asked.is_none() {
            let (sources, document, root) = (self.workspace.sources().clone(), Arc::clone(self.workspace.document()), root.to_owned());
            let (of, hashes) = (Arc::clone(&document), Arc::clone(&self.bundling.hashes));
            let (tell, result) = channel();
            std::thread::spawn(move || tell.send(hash_with(&sources, &document, &root, &hashes)));
            self.bundling.asked = Some((of, result));
        }
        news | self.note_fresh()
    }

    fn take_written(&mut self) -> bool {
        let Some(said) = self.bundling.writing.as_ref().and_then(|(w, _)| w.try_recv().ok()) else { return false };
        let edits = self.bundling.writing.take().map(|(_, edits)| edits);
        self.bundling.looked = None;
        match said {
            Ok(text) => {
                // What was edited while it was written is not in it.
                self.bundling.fresh_at = edits;
                self.say(text);
            }
            Err(NotWritten::NotKept(why)) => {
                self.bundling.insisted = Some(Arc::downgrade(self.workspace.document()));
                self.alarm(why);
            }
            Err(NotWritten::Failed(why)) => self.alarm(why),
        }
        true
    }

    /// Takes note of how many edits there were when the bundle was made of what is here; true if that is new.
    fn note_fresh(&mut self) -> bool {
        let edits = self.workspace.edits();
        let fresh = self.bundle_age() == Some(Age::Fresh);
        if fresh && self.bundling.fresh_at != Some(edits) {
            self.bundling.fresh_at = Some(edits);
            return true;
        }
        false
    }

    /// Where the last bundle is, if there is one.
    pub(crate) fn last_bundle(&self) -> Option<&Path> {
        self.bundling.last.as_ref().map(|last| last.path.as_path())
    }

    /// How the last bundle stands to what is on the screen, if there is one.
    pub(crate) fn bundle_age(&self) -> Option<Age> {
        let last = self.bundling.last.as_ref()?;
        let edits = self.workspace.edits();
        let between = self.bundling.fresh_at.map(|at| at.abs_diff(edits)).filter(|n| *n > 0);
        Some(match &self.bundling.here {
            Some((of, hash)) if Arc::ptr_eq(of, self.workspace.document()) => {
                if *hash == last.sources {
                    Age::Fresh
                } else {
                    Age::Behind(between)
                }
            }
            // While it is worked out the edits are known.
            _ if between.is_some() => Age::Behind(between),
            _ => Age::Unknown,
        })
    }

    /// The bundle that is being written, or the last one, in few words that have room in so many columns, and whether it is behind.
    pub(crate) fn bundle_words(&self, room: usize) -> Option<(String, bool)> {
        if self.bundling.writing.is_some() {
            return ["bundle is being written", "bundle …"].into_iter().find(|text| text.chars().count() <= room).map(|text| (text.to_owned(), false));
        }
        let last = self.bundling.last.as_ref()?;
        let at = moment(last.written);
        let (whole, short) = match self.bundle_age()? {
            Age::Fresh | Age::Unknown => return Some((format!("bundle {at}"), false)).filter(|(text, _)| text.chars().count() <= room),
            Age::Behind(Some(1)) => (format!("bundle {at}, 1 edit behind"), "bundle 1 behind".to_owned()),
            Age::Behind(Some(edits)) => (format!("bundle {at}, {edits} edits behind"), format!("bundle {edits} behind")),
            Age::Behind(None) => (format!("bundle {at}, behind"), "bundle behind".to_owned()),
        };
        [whole, short].into_iter().find(|text| text.chars().count() <= room).map(|text| (text, true))
    }

    /// Which bundle a game has, by what that was made of, in words.
    pub(crate) fn bundle_of_game(&self, sources: &str) -> String {
        if self.bundling.here() == Some(sources) {
            return "its bundle is of the project as it is here".into();
        }
        match &self.bundling.last {
            Some(last) if last.sources == sources => format!("its bundle is the last one, written {}", moment(last.written)),
            Some(last) => format!("its bundle is an older one than the last, which was written {}", moment(last.written)),
            None => "its bundle is of another state of the project".into(),
        }
    }
}

fn hash_with(sources: &Sources, document: &Document, root: &Path, hashes: &Mutex<AudioHashes>) -> Result<String, Failure> {
    // A thread that broke left hashes that are still right.
    let mut hashes = hashes.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
    hash_of(sources, document, root, &mut hashes)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::workshop::view_tests::Desk;

    fn words(desk: &Desk) -> String {
        desk.app.bundle_words(80).map(|(words, _)| words).unwrap_or_default()
    }

    #[test]
    fn a_bundle_is_written_goes_stale_and_fresh_again() {
        let state = tempfile::tempdir().unwrap();
        let mut desk = Desk::new();
        desk.app.bundling.state = Some(state.path().to_owned());
        desk.poll_until("all is loaded", |app| app.rehearsal.frame() > 0 && app.loading().is_none());
        assert_eq!(desk.app.bundle_words(80), None);
        let path = state.path().join("slipway.bundle");
        let write = |desk: &mut Desk, path: &Path| {
            desk.keys("ctrl-b ctrl-u");
            desk.type_text(path.to_str().unwrap());
            desk.keys("enter");
        };
        write(&mut desk, &path);
        assert!(desk.page().contains("bundle is being written"), "{}", desk.page());
        desk.poll_until("it is written and fresh", |app| app.bundling.writing.is_none() && app.bundle_age() == Some(Age::Fresh));
        assert!(words(&desk).starts_with("bundle ") && !words(&desk).contains("behind"), "{}", words(&desk));
        assert!(desk.page().contains("2 pieces of audio") && desk.page().contains("bundle "), "{}", desk.page());
        // Each edit is one step behind, and undone it is none.
        desk.keys("5 e");
        desk.type_text("-3");
        desk.keys("enter down e");
        desk.type_text("-4");
        desk.keys("enter");
        assert!(words(&desk).ends_with(", 2 edits behind"), "{}", words(&desk));
        desk.poll_until("it is worked out", |app| app.bundling.here.as_ref().is_some_and(|(of, _)| Arc::ptr_eq(of, app.workspace.document())));
        assert!(words(&desk).ends_with(", 2 edits behind") && desk.page().contains("bundle 2 behind"), "{}", desk.page());
        desk.size.0 = 200;
        assert!(desk.page().contains(", 2 edits behind  sound"), "{}", desk.page());
        assert_eq!(desk.app.bundle_words(14), None);
        desk.keys("u");
        assert!(words(&desk).ends_with(", 1 edit behind"), "{}", words(&desk));
        desk.keys("u");
        desk.poll_until("it is fresh again", |app| app.bundle_age() == Some(Age::Fresh));
        // What is written with unsaved edits is of what is on the screen.
        desk.keys("e");
        desk.type_text("-5");
        desk.keys("enter");
        write(&mut desk, &path);
        desk.poll_until("it is fresh with them", |app| app.bundling.writing.is_none() && app.bundle_age() == Some(Age::Fresh));
        // What is edited while it is written is not in it.
        write(&mut desk, &path);
        desk.keys("e");
        desk.type_text("-6");
        desk.keys("enter");
        desk.poll_until("it is written", |app| app.bundling.writing.is_none() && app.bundle_age() == Some(Age::Behind(Some(1))));
        desk.keys("u");
        desk.poll_until("it is fresh without", |app| app.bundle_age() == Some(Age::Fresh));
        let of = Bundle::open(&path).unwrap().manifest().sources.clone();
        assert_eq!(desk.app.bundle_of_game(&of), "its bundle is of the project as it is here");
        assert!(desk.app.bundle_of_game("0").starts_with("its bundle is an older one than the last, which was written "));
    }

    #[test]
    fn what_does_not_keep_what_is_expected_is_written_only_to_who_insists() {
        let folder = tempfile::tempdir().unwrap();
        let mut desk = Desk::new();
        desk.poll_until("all is loaded", |app| app.rehearsal.frame() > 0 && app.loading().is_none());
        let path = folder.path().join("slipway.bundle");
        let walk = |expected: &str| format!("seed 1\n0.2 send step\n0.2 expect steps/deck {expected} within 0.1 s\n2 end\n");
        desk.app.workspace.replace("a walk", "playthroughs/walk.play", &walk("never heard"));
        desk.app.compile();
        let write = |desk: &mut Desk| {
            desk.app.write_bundle(&path).unwrap();
            desk.poll_until("it is over", |app| app.bundling.writing.is_none());
        };
        write(&mut desk);
        assert!(!path.exists() && desk.page().contains("not written: an expectation is not kept, the first: playthroughs/walk.play:3"), "{}", desk.page());
        // An edit is looked at anew; the same once more is insisting.
        desk.app.workspace.replace("another", "playthroughs/walk.play", &walk("never heard").replace("0.2 send", "0.3 send").replace("0.1 s", "0.4 s"));
        desk.app.compile();
        write(&mut desk);
        assert!(!path.exists());
        write(&mut desk);
        assert!(path.exists(), "{}", desk.page());
        std::fs::remove_file(&path).unwrap();
        desk.app.workspace.replace("mended", "playthroughs/walk.play", &walk("heard"));
        desk.app.compile();
        write(&mut desk);
        assert!(path.exists(), "{}", desk.page());
    }

    #[test]
    fn nobodys_file_is_written_over_and_a_project_with_faults_is_no_bundle() {
        let folder = tempfile::tempdir().unwrap();
        let mut desk = Desk::new();
        desk.poll_until("all is loaded", |app| app.rehearsal.frame() > 0 && app.loading().is_none());
        let path = folder.path().join("diary.bundle");
        std::fs::write(&path, "dear diary").unwrap();
        let refused = |desk: &mut Desk, path: &Path| String::from(desk.app.write_bundle(path).unwrap_err());
        assert!(refused(&mut desk, &path).contains("is no bundle of this program"));
        // Another project's.
        let info =
            estampie_bundle::Info { project: "Lighthouse".into(), sources: "0".into(), names: Vec::new(), parts: Vec::new(), storing: Default::default() };
        estampie_bundle::write(desk.app.program(), &info, std::fs::File::create(&path).unwrap()).unwrap();
        assert!(refused(&mut desk, &path).contains("the bundle of Lighthouse"));
        // A part that takes more than it may.
        let text = desk.app.workspace.sources().get("estampie.toml").unwrap().to_string();
        desk.app.workspace.replace("x", "estampie.toml", &format!("{text}\n[bundles.all]\nholds = [\"*/*\"]\nbudget = \"1 kB\"\n"));
        desk.app.recompile();
        let path = folder.path().join("over.bundle");
        desk.app.write_bundle(&path).unwrap();
        desk.poll_until("it is refused", |app| app.bundling.writing.is_none());
        assert!(desk.page().contains("the part all takes ") && desk.page().contains("its budget is 1000 bytes") && !path.exists(), "{}", desk.page());
        desk.app.workspace.replace("x", "reactions.est", "When\n");
        desk.app.recompile();
        assert!(refused(&mut desk, &folder.path().join("new.bundle")).contains("the project has faults, the first in reactions.est"));
    }
}
