//! Playthroughs held against what is expected of them, aside, while anything on the page says what of it is kept, or what playthroughs come by: at once, and
//! after each edit when it has become quiet; those that the edit cannot have changed are not rendered again.

use super::app::App;
use super::playthroughs::{self, Covered};
use estampie_project::document::{Document, Sources};
use estampie_proof::check::{Broken, Coverage, Listened, count, listen, touched};
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

/// What the thread that listens gives.
enum News {
    /// A playthrough was listened to, or what is known of it still holds.
    One(String, Arc<Listened>),
    /// What all of them come by, together.
    All(Box<Covered>),
}

/// A thread that listens.
struct Working {
    news: Receiver<News>,
    stop: Arc<AtomicBool>,
}

impl Drop for Working {
    fn drop(&mut self) {
        self.stop.store(true, Ordering::Relaxed);
    }
}

/// A state of the project: its document, and how many files of audio had come.
type State = (Weak<Document>, u64);

/// What is known of the expectations.
#[derive(Default)]
pub(crate) struct Checks {
    /// Of which state of the project what is known is, and its texts.
    of: State,
    texts: Sources,
    known: BTreeMap<String, Arc<Listened>>,
    /// What all of them come by, as far as it was last known.
    covered: Option<Box<Covered>>,
    /// Whether what playthroughs come by is shown, and marked beside the things.
    pub(super) covers: bool,
    /// How much is expected of each playthrough, in their order: counted once for each state of the project, since a page is drawn many times a second.
    counts: Vec<usize>,
    working: Option<Working>,
    /// The state of the project that was seen last, and since when.
    seen: Option<(State, Instant)>,
}

fn same(a: &State, b: &State) -> bool {
    Weak::ptr_eq(&a.0, &b.0) && a.1 == b.1
}

impl App {
    fn state_of_project(&self) -> State {
        (Arc::downgrade(self.workspace.document()), self.loading.came)
    }

    /// Listens aside to what is wanted, and takes what was found; true if there is something new to show.
    pub(super) fn poll_checks(&mut self) -> bool {
        let mut changed = false;
        while let Some(working) = &self.checks.working {
            match working.news.try_recv() {
                Ok(News::One(name, listened)) => drop(self.checks.known.insert(name, listened)),
                Ok(News::All(coverage)) => self.checks.covered = Some(coverage),
                Err(TryRecvError::Empty) => break,
                Err(TryRecvError::Disconnected) => {
                    self.checks.working = None;
                    break;
                }
            }
            changed = true;
        }
        let state = self.state_of_project();
        if !self.checks.seen.as_ref().is_some_and(|(seen, _)| same(seen, &state)) {
            // What was known at the beginning is not waited for.
            let since = if self.checks.seen.is_none() { Instant::now().checked_sub(QUIET).unwrap_or_else(Instant::now) } else { Instant::now() };
            self.checks.seen = Some((state.clone(), since));
            let document = self.workspace.document();
            self.checks.counts = document.playthroughs.iter().map(|(_, p)| count(document, p)).collect();
        }
        let quiet = self.checks.seen.as_ref().is_some_and(|(_, since)| since.elapsed() >= QUIET);
        if !same(&self.checks.of, &state) && quiet && self.checks_are_shown() && self.faults.is_empty() && self.loading().is_none() {
            self.listen_to_playthroughs(state);
            changed = true;
        }
        changed
    }

    /// Whether anything on the page says what of the expectations is kept, or what playthroughs come by.
    fn checks_are_shown(&self) -> bool {
        self.checks.covers || self.shows(playthroughs::NAME) || self.shows(super::trace::NAME) && self.rehearsal.replayed.is_some()
    }

    fn listen_to_playthroughs(&mut self, state: State) {
        let (program, document) = (Arc::clone(self.program()), Arc::clone(self.workspace.document()));
        let (tell, news) = channel();
        let stop: Arc<AtomicBool> = Arc::default();
        let stopped = Arc::clone(&stop);
        // The one before ends when it is dropped.
        self.checks.working = None;
        let same_audio = self.checks.of.1 == state.1;
        self.checks.of = state;
        let (after, known) = (self.workspace.sources().clone(), std::mem::take(&mut self.checks.known));
        let before = std::mem::replace(&mut self.checks.texts, after.clone());
        // The chosen playthrough first: that is the one that is looked at.
        let replayed = self.rehearsal.replayed.as_ref().and_then(|name| document.playthroughs.iter().position(|(n, _)| n == name));
        let first = replayed.filter(|_| self.shows(super::trace::NAME)).or_else(|| self.playthrough_chosen()).unwrap_or(0);
        std::thread::spawn(move || {
            let goes = || !stopped.load(Ordering::Relaxed);
            let touched = touched(&before, &after);
            let still = |name: &str| known.get(name).filter(|listened| same_audio && !touched.changes(name, &listened.coverage));
            let mut together = Coverage::nothing(&program, &document);
            let (ahead, from) = document.playthroughs.split_at(first.min(document.playthroughs.len()));
            // What holds still is told at once.
            let (held, anew): (Vec<_>, Vec<_>) = from.iter().chain(ahead).partition(|(name, _)| still(name).is_some());
            for (name, playthrough) in held.into_iter().chain(anew) {
                let listened = match still(name) {
                    Some(listened) => Arc::clone(listened),
                    None => match listen(&program, &document, (name, playthrough), &goes) {
                        Some(listened) => Arc::new(listened),
                        None => return,
                    },
                };
                together.add(listened.coverage.clone());
                if tell.send(News::One(name.clone(), listened)).is_err() {
                    return;
                }
            }
            let _ = tell.send(News::All(Box::new(Covered::new(together))));
        });
        self.checks.working = Some(Working { news, stop });
    }

    /// How a playthrough stands.
    pub(super) fn standing(&self, at: usize) -> Standing {
        let Some((name, _)) = self.workspace.document().playthroughs.get(at) else { return Standing::Nothing };
        let expected = self.checks.counts.get(at).copied().unwrap_or(0);
        if expected == 0 {
            return Standing::Nothing;
        }
        match self.listened(name) {
            None => Standing::Unknown,
            Some(listened) if listened.broken.is_empty() => Standing::Kept(expected),
            Some(listened) => Standing::Broken(listened.broken.len(), expected),
        }
    }

    /// What was found in a playthrough, if it was listened to since the last edit.
    fn listened(&self, name: &str) -> Option<&Listened> {
        let current = same(&self.checks.of, &self.state_of_project());
        self.checks.known.get(name).filter(|_| current).map(|listened| &**listened)
    }

    /// What of a playthrough is not kept, as far as is known.
    pub(super) fn broken_of(&self, name: &str) -> &[Broken] {
        self.listened(name).map_or(&[], |listened| &listened.broken)
    }

    /// What all playthroughs come by, while it is shown; as it was before the last edit until they were listened to again.
    pub(super) fn covered(&self) -> Option<&Covered> {
        self.checks.covered.as_deref().filter(|_| self.checks.covers)
    }

    /// Whether that is as the project is now.
    pub(super) fn coverage_is_current(&self) -> bool {
        same(&self.checks.of, &self.state_of_project()) && self.checks.working.is_none()
    }

    /// Whether no playthrough comes by a thing, by the word of its kind in the coverage and its name: what is marked while that is shown.
    pub(super) fn never_come_by(&self, kind: &str, name: &str) -> bool {
        self.covered().is_some_and(|covered| covered.coverage.count(kind, name) == Some(0))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::workshop::view_tests::Desk;

    #[test]
    fn only_what_an_edit_can_change_is_listened_to_again() {
        let mut desk = Desk::new();
        desk.app.workspace.replace("a walk", "playthroughs/walk.play", "seed 1\n0.5 send step\n0.5 expect steps/deck heard\n2 end\n");
        desk.app.workspace.replace("a knock", "playthroughs/knock.play", "seed 1\n0.4 strain 0.9\n0.5 send hull.struck\n2 end\n");
        desk.app.compile();
        desk.keys("9");
        let known = |app: &App, name: &str| app.checks.known.get(name).filter(|_| app.coverage_is_current()).cloned();
        desk.poll_until("both are known", |app| known(app, "walk").is_some() && known(app, "knock").is_some());
        let before = ["walk", "knock"].map(|name| known(&desk.app, name).unwrap());
        // A step is softer: a knock is what it was.
        let softer = desk.text("sounds/all.toml").replace("[\"steps/deck\"]\n", "[\"steps/deck\"]\nlevel = \"-9 dB\"\n");
        desk.app.workspace.replace("softer", "sounds/all.toml", &softer);
        desk.app.compile();
        assert_eq!(desk.app.standing(1), Standing::Unknown);
        desk.poll_until("both are known again", |app| known(app, "walk").is_some() && known(app, "knock").is_some());
        let kept = |desk: &Desk| [0, 1].map(|at| Arc::ptr_eq(&before[at], &known(&desk.app, ["walk", "knock"][at]).unwrap()));
        assert_eq!(kept(&desk), [false, true]);
        assert_eq!(desk.app.standing(1), Standing::Kept(1));
        // What is expected of all is held against all.
        desk.app.workspace.replace("for all", "checks.est", "always expect steps/deck heard\n");
        desk.app.compile();
        desk.poll_until("both are known at last", |app| known(app, "walk").is_some() && known(app, "knock").is_some());
        assert_eq!((kept(&desk), desk.app.standing(0)), ([false, false], Standing::Broken(1, 1)));
    }
}
