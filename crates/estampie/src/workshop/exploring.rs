//! Made-up play in search of problems, aside: on one core, so that hands that play have the rest. What is found comes into the project as playthroughs, by
//! one edit.

use super::app::App;
use super::playthroughs;
use estampie_proof::explore::{self, Looking, Minimised, Plan};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::mpsc::{Receiver, TryRecvError, channel};

/// So many minutes are played.
const MINUTES: f64 = 5.0;

/// What a run came to: the problems that nobody knew, made small, and how many are known or accepted.
type Found = (Vec<Minimised>, usize);

/// A run.
struct Working {
    found: Receiver<Found>,
    stop: Arc<AtomicBool>,
    /// How many plays have been played, and of how many; how many problems have been made small.
    played: Arc<AtomicUsize>,
    of: usize,
    small: Arc<AtomicUsize>,
}

impl Drop for Working {
    fn drop(&mut self) {
        self.stop.store(true, Ordering::Relaxed);
    }
}

/// What is under way.
#[derive(Default)]
pub(crate) struct Exploring {
    working: Option<Working>,
    /// How many runs there were: each plays otherwise.
    runs: u64,
    /// How far it was when it was last looked.
    said: Option<String>,
}

impl Exploring {
    /// How far it is, in words.
    pub(super) fn words(&self) -> Option<String> {
        let working = self.working.as_ref()?;
        let (played, small) = (working.played.load(Ordering::Relaxed), working.small.load(Ordering::Relaxed));
        Some(if played < working.of { format!("{played} of {} plays", working.of) } else { format!("{small} problems made small") })
    }
}

impl App {
    /// Begins to explore, or ends it.
    pub(super) fn explore(&mut self) {
        if self.exploring.working.take().is_some() {
            return self.say("exploring is ended; nothing was kept");
        }
        if let Some(why) = self.workspace.only_read().map(str::to_owned) {
            return self.alarm(why);
        }
        if !self.faults.is_empty() {
            return self.say("the faults come first: ! lists them");
        }
        if self.loading().is_some() {
            return self.say("the audio is still being loaded");
        }
        self.exploring.runs += 1;
        let (program, document, seed) = (Arc::clone(self.program()), Arc::clone(self.workspace.document()), self.exploring.runs);
        let plan = Plan::of(&document, &program);
        let numbers = explore::numbers(&plan, MINUTES, (1, 1));
        let (tell, found) = channel();
        let (stop, played, small) = (Arc::<AtomicBool>::default(), Arc::<AtomicUsize>::default(), Arc::<AtomicUsize>::default());
        let of = numbers.len();
        let (stopped, count, done) = (Arc::clone(&stop), Arc::clone(&played), Arc::clone(&small));
        std::thread::spawn(move || {
            let goes = || !stopped.load(Ordering::Relaxed);
            let looking = Looking::new(&program, &document, &plan);
            let explored = explore::explore(&looking, seed, &numbers, 1, |_| {
                count.fetch_add(1, Ordering::Relaxed);
                goes()
            });
            let known = explore::known(&document);
            let told = |find: &explore::Find| explore::accepted(&document, find).is_some() || known.contains_key(&find.signature());
            let (old, new): (Vec<_>, Vec<_>) = explored.shown.values().map(|s| (s.number, s.find.clone())).partition(|(_, find)| told(find));
            let small = explore::minimise_all(&looking, seed, &new, 1, || {
                done.fetch_add(1, Ordering::Relaxed);
                goes()
            });
            if goes() {
                let small: Vec<Minimised> = explore::each_once(small).into_iter().filter(|m| !told(&m.find)).collect();
                // Nobody waits for it any more if it was ended.
                let _ = tell.send((small, old.len()));
            }
        });
        self.exploring.working = Some(Working { found, stop, played, of, small });
        self.say(format!("exploring: {MINUTES:.0} minutes are played aside; again ends it"));
    }

    /// Takes in what was found; true if there is something new to show.
    pub(super) fn poll_exploring(&mut self) -> bool {
        let Some(working) = &self.exploring.working else { return false };
        match working.found.try_recv() {
            Ok(found) => {
                self.exploring.working = None;
                self.keep_found(found);
                true
            }
            Err(TryRecvError::Disconnected) => {
                self.exploring.working = None;
                self.say("exploring was ended");
                true
            }
            // Its progress is on the page.
            Err(TryRecvError::Empty) => {
                let words = self.exploring.words();
                std::mem::replace(&mut self.exploring.said, words.clone()) != words
            }
        }
    }

    fn keep_found(&mut self, (small, known): Found) {
        let known = match known {
            0 => String::new(),
            n => format!(", {n} that are known or accepted"),
        };
        if small.is_empty() {
            return self.say(format!("exploring found no new problems{known}"));
        }
        let mut files = Vec::new();
        for found in &small {
            let name = explore::name_of(&found.find);
            let taken = |file: &String| self.workspace.sources().get(file).is_some() || files.iter().any(|(f, _)| f == file);
            let free = (1..).map(|n| if n == 1 { playthroughs::file_of(&name) } else { playthroughs::file_of(&format!("{name}-{n}")) }).find(|f| !taken(f));
            files.extend(free.map(|file| (file, Some(found.playthrough.to_string()))));
        }
        self.playthroughs.choose(&explore::name_of(&small[0].find));
        self.workspace.begin_anew();
        self.workspace.change("what exploring has found", files);
        self.compile();
        let what: Vec<String> = small.iter().map(|m| m.find.signature()).collect();
        let count = if what.len() == 1 { "a problem".to_owned() } else { format!("{} problems", what.len()) };
        self.alarm(format!("exploring found {count}{known}: {}; 9 has them with ! before their names", what.join(", ")));
    }
}

#[cfg(test)]
mod tests {
    use crate::workshop::view_tests::Desk;

    #[test]
    fn what_exploring_finds_comes_into_the_project_by_one_edit() {
        let mut desk = Desk::new();
        desk.poll_until("all is loaded", |app| app.rehearsal.frame() > 0 && app.loading().is_none());
        // A loop that nothing ends.
        let sounds = desk.text("sounds/all.toml").replacen(
            "[\"steps/deck\"]\n",
            "[\"steps/deck\"]\nloop = true\nfade-in = \"20 ms\"\nlimit = { in-all = 1 }\nre-trigger = \"ignore\"\n",
            1,
        );
        desk.app.workspace.replace("a loop", "sounds/all.toml", &sounds);
        desk.app.compile();
        assert!(desk.app.faults.is_empty(), "{:?}", desk.app.faults);
        desk.keys("9 X");
        assert!(desk.page().contains("exploring: 5 minutes are played aside"), "{}", desk.page());
        desk.poll_until("it shows how far it is", |app| app.exploring.words().is_some_and(|w| !w.starts_with("0 of")));
        assert!(desk.page().contains(" plays"), "{}", desk.page());
        desk.poll_until("it is found", |app| app.document().playthroughs.iter().any(|(name, _)| name == "found/no-end-steps-deck"));
        let page = desk.page();
        assert!(page.contains("no end: steps/deck") && page.contains("! no-end-steps"), "{page}");
        let text = desk.text("playthroughs/found/no-end-steps-deck.play");
        assert!(text.starts_with("# problem: no end: steps/deck\n") && text.contains("send step"), "{text}");
        // One step back takes all of it out; ended, nothing is kept.
        desk.keys("u");
        assert!(!desk.app.document().playthroughs.iter().any(|(name, _)| name.starts_with("found/")));
        desk.keys("X X");
        assert!(desk.page().contains("exploring is ended; nothing was kept") && desk.app.exploring.words().is_none(), "{}", desk.page());
    }
}
