//! Parts of a bundle, loaded and unloaded while it plays: a thread reads and decodes, and makes a program of what is there; that takes over between
//! two blocks like an edit, and what sounds goes on.

use estampie_bundle::{Bundle, Clips, Origin, Part, ReadError, assemble};
use estampie_engine::engine::Prepared;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use std::sync::mpsc::{Receiver, Sender, channel};
use std::thread::JoinHandle;

/// How it stands with a part.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PartState {
    /// Its audio is not there: what it holds is refused.
    Unloaded,
    /// It is on its way.
    Loading,
    /// It is there.
    Loaded,
    /// It is there for a moment yet.
    Unloading,
}

/// Why nothing is done with a part.
#[derive(Debug, thiserror::Error)]
pub enum PartError {
    /// There is none of that name.
    #[error("the bundle has no part {name}; it has {}", if .known.is_empty() { "none".to_owned() } else { .known.join(", ") })]
    Unknown {
        /// What was asked for.
        name: String,
        /// Those that there are.
        known: Vec<String>,
    },
    /// The system gives no thread.
    #[error("no thread can be started to load with: {0}")]
    Thread(#[from] std::io::Error),
}

/// What is loaded, and how more of it is.
pub(crate) struct Store {
    pub(crate) origin: Origin,
    /// Whether only the heads of what is streamed are loaded.
    pub(crate) stream: bool,
    pub(crate) clips: Clips,
    pub(crate) parts: Vec<Part>,
    pub(crate) seed: u64,
}

impl Store {
    /// The names of the audio that is there while these parts are.
    fn wanted(&self, loaded: &BTreeSet<String>, name: &str) -> bool {
        let holding = self.parts.iter().filter(|p| p.audio.iter().any(|a| a == name));
        let (mut any, mut there) = (false, false);
        for part in holding {
            (any, there) = (true, there || loaded.contains(&part.name));
        }
        there || !any
    }

    /// Brings what is there to a set of parts, and makes the program of it.
    fn bring(&mut self, loaded: &BTreeSet<String>) -> Result<Box<Prepared>, ReadError> {
        let mut bundle = Bundle::read(self.origin.clone())?;
        let lacking: BTreeSet<String> =
            bundle.manifest().audio.iter().map(|a| &a.name).filter(|n| self.wanted(loaded, n) && !self.clips.contains_key(*n)).cloned().collect();
        let new = bundle.audio(|name| lacking.contains(name), self.stream)?;
        self.clips.extend(new);
        let kept: BTreeSet<String> = self.clips.keys().filter(|name| self.wanted(loaded, name)).cloned().collect();
        self.clips.retain(|name, _| kept.contains(name));
        // The generators came with the first one.
        let program = assemble(&bundle.program()?, &self.clips)?;
        Ok(Box::new(crate::prepared(Arc::new(program), self.seed, 0)))
    }
}

/// What the thread has done: the program, and the parts that are loaded in it; or why it could not be.
type Done = Result<(Box<Prepared>, BTreeSet<String>), (ReadError, BTreeSet<String>)>;

/// The thread that loads.
struct Loader {
    asks: Sender<BTreeSet<String>>,
    done: Receiver<Done>,
    thread: Option<JoinHandle<()>>,
}

/// The parts of a bundle, as the game's thread has them.
pub(crate) struct Parts {
    names: Vec<String>,
    /// Those that are to be loaded.
    wanted: BTreeSet<String>,
    /// Those that are, in the engine's program.
    loaded: BTreeSet<String>,
    store: Option<Box<Store>>,
    loader: Option<Loader>,
    /// A program that the engine had no room for yet.
    ready: Option<Box<Prepared>>,
    /// What is to be told.
    told: Vec<String>,
}

impl Parts {
    /// With these parts loaded from the beginning.
    pub(crate) fn new(store: Store, loaded: BTreeSet<String>) -> Parts {
        let names: Vec<String> = store.parts.iter().map(|p| p.name.clone()).collect();
        // Without parts there is nothing to be read again.
        let store = (!names.is_empty()).then(|| Box::new(store));
        Parts { names, wanted: loaded.clone(), loaded, store, loader: None, ready: None, told: Vec::new() }
    }

    /// All parts with how they stand.
    pub(crate) fn states(&self) -> BTreeMap<&str, PartState> {
        let state = |name: &String| match (self.wanted.contains(name), self.loaded.contains(name)) {
            (true, true) => PartState::Loaded,
            (true, false) => PartState::Loading,
            (false, true) => PartState::Unloading,
            (false, false) => PartState::Unloaded,
        };
        self.names.iter().map(|name| (name.as_str(), state(name))).collect()
    }

    /// A part is to be loaded, or no longer.
    pub(crate) fn want(&mut self, name: &str, on: bool) -> Result<(), PartError> {
        if !self.names.iter().any(|n| n == name) {
            return Err(PartError::Unknown { name: name.to_owned(), known: self.names.clone() });
        }
        let changed = if on { self.wanted.insert(name.to_owned()) } else { self.wanted.remove(name) };
        if !changed {
            return Ok(());
        }
        if self.loader.is_none()
            && let Some(store) = self.store.take()
        {
            self.loader = Some(Loader::start(*store)?);
        }
        if let Some(loader) = &self.loader {
            // A loader that broke is told of where its end is looked at.
            let _ = loader.asks.send(self.wanted.clone());
        }
        Ok(())
    }

    /// Takes what the thread has made. `edited`: a workshop has brought all audio along and its program plays, so that this one does not take over.
    pub(crate) fn poll(&mut self, edited: bool) {
        let Some(loader) = &self.loader else { return };
        for done in loader.done.try_iter() {
            match done {
                Ok((prepared, loaded)) => {
                    self.loaded = loaded;
                    self.ready = (!edited).then_some(prepared);
                }
                Err((error, asked)) => {
                    let lost: Vec<String> = asked.difference(&self.loaded).cloned().collect();
                    self.told.push(format!("{} cannot be loaded: {error}", lost.join(", ")));
                    self.wanted.retain(|name| !lost.contains(name));
                }
            }
        }
    }

    /// A program for the engine, if there is one; it is given back if there was no room.
    pub(crate) fn ready(&mut self) -> Option<Box<Prepared>> {
        self.ready.take()
    }

    pub(crate) fn not_yet(&mut self, prepared: Box<Prepared>) {
        // A newer one has all that is wanted.
        self.ready.get_or_insert(prepared);
    }

    /// What went wrong, in words.
    pub(crate) fn told(&mut self) -> Option<String> {
        (!self.told.is_empty()).then(|| self.told.remove(0))
    }
}

impl Loader {
    fn start(mut store: Store) -> std::io::Result<Loader> {
        let (asks, asked) = channel::<BTreeSet<String>>();
        let (tell, done) = channel();
        let work = move || {
            while let Ok(mut wanted) = asked.recv() {
                // Only the last counts.
                while let Ok(newer) = asked.try_recv() {
                    wanted = newer;
                }
                let result = store.bring(&wanted);
                let result = match result {
                    Ok(prepared) => Ok((prepared, wanted)),
                    Err(error) => Err((error, wanted)),
                };
                if tell.send(result).is_err() {
                    return;
                }
            }
        };
        let thread = std::thread::Builder::new().name("loading".into()).spawn(work)?;
        Ok(Loader { asks, done, thread: Some(thread) })
    }
}

impl Drop for Loader {
    fn drop(&mut self) {
        // Without anybody who asks it ends.
        self.asks = channel().0;
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}
