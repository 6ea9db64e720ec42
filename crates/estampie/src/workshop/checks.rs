//! Playthroughs held against what is expected of them, aside, while the view *Replay* is open, or *Trace* with a playthrough: at once, and after each edit when it has become quiet.

use super::app::App;
use super::playthroughs;
use estampie_project::document::Document;
use estampie_proof::check::{Broken, count, hold};
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, TryRecvError, channel};
use std::sync::{Arc, Weak};
use std::time::{Duration, Instant};

/// So long nothing was edited before it is listened anew: hands that turn a level are not followed step by step.
const QUIET: Duration = Duration::from_millis(900);

/// How a playthrough stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Standing {
    /// Nothing is expected of it.
    Nothing,
    /// It has not been listened to since the last edit.
    Unknown,
    /// All of so many expectations are kept.
    Kept(usize),
    /// So many of so many are not.
    Broken(usize, usize),
}

/// A thread that listens.
struct Working {
    found: Receiver<(String, Vec<Broken>)>,
    stop: Arc<AtomicBool>,
}

impl Drop for Working {
    fn drop(&mut self) {
        self.stop.store(true, Ordering::Relaxed);
    }
}

/// What is known of the expectations.
#[derive(Default)]
pub(crate) struct Checks {
    /// Of which state of the project what is known is.
    of: Weak<Document>,
    broken: BTreeMap<String, Vec<Broken>>,
    /// How much is expected of each playthrough, in their order: counted once for each state of the project, since a page is drawn many times a second.
    counts: Vec<usize>,
    working: Option<Working>,
    /// The state of the project that was seen last, and since when.
    seen: Option<(Weak<Document>, Instant)>,
}

impl App {
    /// Listens aside to what is wanted, and takes what was found; true if there is something new to show.
    pub(super) fn poll_checks(&mut self) -> bool {
        let mut news = false;
        if let Some(working) = &self.checks.working {
            loop {
                match working.found.try_recv() {
                    Ok((name, broken)) => {
                        self.checks.broken.insert(name, broken);
                        news = true;
                    }
                    Err(TryRecvError::Empty) => break,
                    Err(TryRecvError::Disconnected) => {
                        self.checks.working = None;
                        break;
                    }
                }
            }
        }
        let document = Arc::downgrade(self.workspace.document());
        if !self.checks.seen.as_ref().is_some_and(|(seen, _)| Weak::ptr_eq(seen, &document)) {
            // What was known at the beginning is not waited for.
            let since = if self.checks.seen.is_none() { Instant::now().checked_sub(QUIET).unwrap_or_else(Instant::now) } else { Instant::now() };
            self.checks.seen = Some((Weak::clone(&document), since));
            let document = self.workspace.document();
            self.checks.counts = document.playthroughs.iter().map(|(_, p)| count(document, p)).collect();
        }
        let known = Weak::ptr_eq(&self.checks.of, &document);
        let quiet = self.checks.seen.as_ref().is_some_and(|(_, since)| since.elapsed() >= QUIET);
        if !known && quiet && self.checks_are_shown() && self.faults.is_empty() && self.loading().is_none() {
            self.listen_to_playthroughs();
            news = true;
        }
        news
    }

    /// Whether anything on the page says what of the expectations is kept.
    fn checks_are_shown(&self) -> bool {
        self.shows(playthroughs::NAME) || self.shows(super::trace::NAME) && self.rehearsal.replayed.is_some()
    }

    fn listen_to_playthroughs(&mut self) {
        let (program, document) = (Arc::clone(self.program()), Arc::clone(self.workspace.document()));
        let (tell, found) = channel();
        let stop: Arc<AtomicBool> = Arc::default();
        let stopped = Arc::clone(&stop);
        self.checks.of = Arc::downgrade(&document);
        self.checks.broken.clear();
        // The one before ends when it is dropped. The chosen playthrough first: that is the one that is looked at.
        let replayed = self.rehearsal.replayed.as_ref().and_then(|name| document.playthroughs.iter().position(|(n, _)| n == name));
        let first = replayed.filter(|_| self.shows(super::trace::NAME)).or_else(|| self.playthrough_chosen()).unwrap_or(0);
        std::thread::spawn(move || {
            let goes = || !stopped.load(Ordering::Relaxed);
            let (before, from) = document.playthroughs.split_at(first.min(document.playthroughs.len()));
            for (name, playthrough) in from.iter().chain(before) {
                let Some(broken) = hold(&program, &document, (name, playthrough), &goes) else { return };
                if tell.send((name.clone(), broken)).is_err() {
                    return;
                }
            }
        });
        self.checks.working = Some(Working { found, stop });
    }

    /// How a playthrough stands.
    pub(super) fn standing(&self, at: usize) -> Standing {
        let document = self.workspace.document();
        let Some((name, _)) = document.playthroughs.get(at) else { return Standing::Nothing };
        let expected = self.checks.counts.get(at).copied().unwrap_or(0);
        if expected == 0 {
            return Standing::Nothing;
        }
        match self.checks.broken.get(name).filter(|_| Weak::ptr_eq(&self.checks.of, &Arc::downgrade(document))) {
            None => Standing::Unknown,
            Some(broken) if broken.is_empty() => Standing::Kept(expected),
            Some(broken) => Standing::Broken(broken.len(), expected),
        }
    }

    /// What of a playthrough is not kept, as far as is known.
    pub(super) fn broken_of(&self, name: &str) -> &[Broken] {
        let current = Weak::ptr_eq(&self.checks.of, &Arc::downgrade(self.workspace.document()));
        self.checks.broken.get(name).filter(|_| current).map_or(&[], Vec::as_slice)
    }
}
