//! What is worked out aside for the pages *Files* and *Budget*: measuring, packing, folders that come in, new versions. Nothing of it is done on the screen's thread.

use crate::heard::Remembered;
use crate::packing::Packing;
use crate::workshop::app::App;
use estampie_project::assets::{Assets, Fix};
use estampie_project::compile::files_of;
use estampie_project::document::{Copied, Document, Refusal};
use estampie_project::progress::{Budget, Finding, Heard, Incoming, NewVersion, Packed, WhenTaken, budget, copy_in, incoming, material, new_version};
use estampie_project::stock::file_of;
use estampie_proof::cores::{all_but_one, on_cores};
use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::mpsc::{Receiver, channel};
use std::sync::{Arc, Weak};

/// Which page of the view is shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(super) enum Page {
    #[default]
    Items,
    Files,
    Budget,
}

impl Page {
    pub(super) const ALL: [(Page, &'static str); 3] = [(Page::Items, "items"), (Page::Files, "files"), (Page::Budget, "budget")];

    pub(super) fn next(self) -> Page {
        Page::ALL[(self as usize + 1) % Page::ALL.len()].0
    }
}

/// What was worked out of a state of the project.
#[derive(Debug, Default)]
pub(super) struct Known {
    pub(super) heard: Arc<Heard>,
    pub(super) found: Arc<Vec<Finding>>,
    /// By file: the first sound that plays it, or the first layer.
    pub(super) players: Arc<HashMap<String, String>>,
    /// Once the page *Budget* was shown.
    pub(super) budget: Option<Budget>,
}

/// What a thread was asked for.
enum Came {
    /// All of it, or what is known before everything is packed.
    Known(Box<Known>, bool),
    Incoming(PathBuf, std::io::Result<Vec<Incoming>>),
    Copied(Result<Copied, Refusal>),
    Versions(Vec<Result<Option<NewVersion>, String>>),
}

/// What is worked out, and how far.
#[derive(Default)]
pub(super) struct Aside {
    cache: Option<PathBuf>,
    pub(super) known: Option<Arc<Known>>,
    /// Of which document (each change of the audio makes a new one), whether with its budget, and after how many loaded files that is, or is being worked out.
    of: Option<(Weak<Document>, bool, u64)>,
    working: Option<Receiver<Came>>,
    doing: Option<Receiver<Came>>,
    done: Arc<AtomicUsize>,
    all: usize,
    /// A folder that is about to come in.
    pub(super) incoming: Option<(PathBuf, Vec<Incoming>)>,
    /// The most voices that were seen to sound at once.
    pub(super) voices: u64,
}

impl std::fmt::Debug for Aside {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Aside").field("known", &self.known.is_some()).finish_non_exhaustive()
    }
}

impl Aside {
    pub(super) fn within(cache: Option<&Path>) -> Aside {
        Aside { cache: cache.map(Path::to_owned), ..Aside::default() }
    }

    /// How far measuring and packing are, while they go on.
    pub(super) fn progress(&self) -> Option<(usize, usize)> {
        self.working.as_ref().map(|_| (self.done.load(Ordering::Relaxed).min(self.all), self.all))
    }
}

/// By file: the first sound that plays it, or else the first layer, instrument or effect.
fn players(document: &Document) -> HashMap<String, String> {
    let sounds: HashSet<&str> = document.sounds.iter().map(|s| s.name.as_str()).collect();
    let mut players: HashMap<String, String> = HashMap::new();
    for (player, _, name) in files_of(document) {
        let first = players.entry(file_of(&name).to_owned()).or_insert_with(|| player.clone());
        if !sounds.contains(first.as_str()) && sounds.contains(player.as_str()) {
            *first = player;
        }
    }
    players
}

impl App {
    /// Whether what is known is of the project as it is, with its budget if that is wanted.
    #[cfg(test)]
    pub(in super::super) fn files_are_known(&self) -> bool {
        self.stock.aside.working.is_none() && self.stock.aside.doing.is_none() && self.stock.aside.known.is_some() && !self.files_outdated()
    }

    fn files_outdated(&self) -> bool {
        let (aside, budget) = (&self.stock.aside, self.stock.page == Page::Budget);
        let document = self.workspace.document();
        !aside.of.as_ref().is_some_and(|(of, with, came)| {
            of.upgrade().is_some_and(|of| Arc::ptr_eq(&of, document)) && (*with || !budget) && (*came == self.loading.came || self.loading().is_some())
        })
    }

    /// Takes in what was worked out, and begins what is to be; true if there is something new to show.
    pub(in super::super) fn poll_files(&mut self) -> bool {
        let mut news = false;
        if let Some(status) = &self.rehearsal.status {
            let voices = status.voices.iter().filter(|v| !v.asleep).count() as u64;
            self.stock.aside.voices = self.stock.aside.voices.max(voices);
        }
        if let Some(Came::Known(known, all)) = self.stock.aside.working.as_ref().and_then(|w| w.try_recv().ok()) {
            if all {
                self.stock.aside.working = None;
            }
            self.stock.aside.known = Some(Arc::new(*known));
            news = true;
        }
        if let Some(came) = self.stock.aside.doing.as_ref().and_then(|d| d.try_recv().ok()) {
            self.stock.aside.doing = None;
            self.take_in(came);
            news = true;
        }
        let shown = self.shows(super::NAME) && self.stock.page != Page::Items;
        if shown && self.stock.aside.working.is_none() && self.files_outdated() {
            self.work_out();
            news = true;
        }
        // That it goes on is seen.
        news || shown && self.stock.aside.working.is_some()
    }

    fn work_out(&mut self) {
        let with_budget = self.stock.page == Page::Budget;
        let (document, audio) = (Arc::clone(self.workspace.document()), self.workspace.audio().clone());
        self.stock.aside.of = Some((Arc::downgrade(&document), with_budget, self.loading.came));
        let (root, cache) = (self.workspace.root().to_owned(), self.stock.aside.cache.clone());
        let assets = if with_budget { self.assets.clone() } else { Assets::default() };
        let done = Arc::new(AtomicUsize::new(0));
        self.stock.aside.done = Arc::clone(&done);
        self.stock.aside.all = audio.len() + assets.len();
        let (tell, working) = channel();
        std::thread::spawn(move || {
            let each = || {
                done.fetch_add(1, Ordering::Relaxed);
                true
            };
            let heard = Arc::new(Remembered::read(&root, cache.as_deref()).hear(&root, &audio, all_but_one(), each));
            let found = Arc::new(material(&document, &audio, &heard));
            let players = Arc::new(players(&document));
            if with_budget {
                // What is loaded is known at once; packing takes longer.
                let first = budget(&document, &heard, &Packed::new(), None);
                let _ = tell
                    .send(Came::Known(Box::new(Known { heard: heard.clone(), found: found.clone(), players: players.clone(), budget: Some(first) }), false));
            }
            let packed = with_budget.then(|| Packing::read(&root, cache.as_deref()).pack_all(&document, &assets, all_but_one(), each));
            let budget = packed.map(|packed| budget(&document, &heard, &packed, None));
            let _ = tell.send(Came::Known(Box::new(Known { heard, found, players, budget }), true));
        });
        self.stock.aside.working = Some(working);
    }

    /// Does something aside, unless something else is still done.
    fn do_aside(&mut self, work: impl FnOnce() -> Came + Send + 'static) {
        if self.stock.aside.doing.is_some() {
            return self.say("something else is still being done: wait a moment");
        }
        let (tell, doing) = channel();
        std::thread::spawn(move || drop(tell.send(work())));
        self.stock.aside.doing = Some(doing);
    }

    /// Looks what would become of the files below a folder.
    pub(super) fn look_at_folder(&mut self, folder: PathBuf) {
        let (document, audio, root) = (Arc::clone(self.workspace.document()), self.workspace.audio().clone(), self.workspace.root().to_owned());
        self.do_aside(move || {
            let found = incoming(&folder, &root, &document, &audio);
            Came::Incoming(folder, found)
        });
    }

    /// Copies what is about to come in.
    pub(super) fn bring_in(&mut self, taken: WhenTaken) {
        let Some((_, incoming)) = self.stock.aside.incoming.take() else { return };
        let (audio, root) = (self.workspace.audio().clone(), self.workspace.root().to_owned());
        self.do_aside(move || Came::Copied(copy_in(&incoming, taken, &root, &audio)));
    }

    /// Makes new versions of files.
    pub(super) fn make_versions(&mut self, work: Vec<(String, Vec<Fix>)>) {
        if self.workspace.only_read().is_some() {
            return self.say("the project is only read");
        }
        let (audio, root) = (self.workspace.audio().clone(), self.workspace.root().to_owned());
        self.do_aside(move || Came::Versions(on_cores(all_but_one(), &work, |(file, fixes)| new_version(&root, file, fixes, &audio), |_| true)));
    }

    fn take_in(&mut self, came: Came) {
        match came {
            Came::Known(..) => {}
            Came::Incoming(folder, Ok(list)) if list.is_empty() => self.say(format!("no audio file lies below {}", folder.display())),
            Came::Incoming(folder, Ok(list)) => self.stock.aside.incoming = Some((folder, list)),
            Came::Incoming(folder, Err(why)) => self.alarm(format!("{} cannot be read: {why}", folder.display())),
            Came::Copied(copied) => match copied.and_then(|copied| {
                let count = copied.count();
                self.workspace.note_copied(copied).map(|()| count)
            }) {
                Ok(count) => {
                    self.recompile();
                    self.say(format!("{count} files came in; u takes them out again"));
                }
                Err(why) => self.alarm(why.to_string()),
            },
            Came::Versions(made) => self.take_versions(made),
        }
    }

    fn take_versions(&mut self, made: Vec<Result<Option<NewVersion>, String>>) {
        let all = made.len();
        let (mut files, mut did, mut why) = (Vec::new(), String::new(), None);
        for one in made {
            match one {
                Ok(Some(version)) => {
                    did = format!("{}: {}", version.file, version.did.join(", "));
                    files.push((version.file, version.bytes));
                }
                Ok(None) => {}
                Err(error) => why = Some(error),
            }
        }
        let count = files.len();
        if count > 0
            && let Err(error) = self.workspace.add_audio(if count == 1 { "a new version" } else { "new versions" }, files)
        {
            return self.alarm(error.to_string());
        }
        if count > 0 {
            self.recompile();
        }
        match (count, why) {
            (0, Some(why)) => self.alarm(why),
            (0, None) => self.say("it is so already"),
            (1, None) => self.say(format!("{did}; u takes it away")),
            (count, None) => self.say(format!("{count} new versions beside their recordings; u takes them away")),
            (count, Some(why)) => self.alarm(format!("{count} of {all} new versions; {why}")),
        }
    }
}
