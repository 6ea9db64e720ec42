//! Playing, listening, and telling what was found: in one run, or in shards that are merged.

use super::finds::{Find, Looking, signature};
use super::plan::Plan;
use super::play::{Ending, Play, SETTLE_LONG, draw, tries};
use crate::check::Coverage;
use crate::check::coverage::Within;
use crate::cores::{on_all_cores, on_cores};
use estampie_engine::program::{Filled, Program};
use estampie_project::document::Document;
use estampie_project::language::StepAction;
use estampie_project::survey;
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};

/// The name under which all made-up play counts in a coverage.
const PLAYED: &str = "made-up play";

/// A problem with the play that shows it.
#[derive(Debug, Clone, PartialEq)]
pub struct Shown {
    /// The problem, as it was there.
    pub find: Find,
    /// The number of the play.
    pub number: u64,
    /// In how many plays it was found.
    pub plays: u64,
}

/// What was played and found.
#[derive(Debug, Clone, PartialEq)]
pub struct Explored {
    /// The seed of all plays.
    pub seed: u64,
    /// The numbers of the plays that were played.
    pub numbers: BTreeSet<u64>,
    /// Seconds of all of them.
    pub seconds: f64,
    /// The problems by their signatures, each with the first play that shows it.
    pub shown: BTreeMap<String, Shown>,
    /// What was heard.
    pub coverage: Coverage,
}

/// The kinds of problems that only all plays together show, with what each means.
pub(crate) const TOGETHER: [(&str, &str); 10] = [
    ("never heard", "a sound is never heard, though all there is has been tried"),
    ("never acts", "a reaction never acts, though what it needs has been tried"),
    ("never played", "a section is never played"),
    ("never taken", "a transition that is written from one section to another is never taken"),
    ("never sounds", "a stinger never sounds"),
    ("never up", "a snapshot is never raised"),
    ("never entered", "a zone is never entered"),
    ("always refused", "a sound or stinger is asked for and never heard"),
    ("no effect", "nothing hangs on a parameter or a state"),
    ("no reaction", "nothing listens to an event"),
];

impl Explored {
    /// Nothing yet.
    #[must_use]
    pub fn nothing(program: &Program, document: &Document, seed: u64) -> Explored {
        Explored { seed, numbers: BTreeSet::new(), seconds: 0.0, shown: BTreeMap::new(), coverage: Coverage::nothing(program, document) }
    }

    /// Takes in what another run of the same seed has found. A play that both have counts twice in what was heard, so shards must not overlap.
    ///
    /// # Errors
    /// When the seeds differ, or both have played the same.
    pub fn merge(&mut self, other: Explored) -> Result<(), String> {
        if other.seed != self.seed {
            return Err(format!("one run has the seed {}, another {}", self.seed, other.seed));
        }
        if let Some(both) = self.numbers.intersection(&other.numbers).next() {
            return Err(format!("two of them have played play {both}: give each another shard"));
        }
        self.numbers.extend(other.numbers);
        self.seconds += other.seconds;
        for (name, shown) in other.shown {
            self.add(name, shown);
        }
        self.coverage.add(other.coverage);
        Ok(())
    }

    fn add(&mut self, name: String, new: Shown) {
        match self.shown.get_mut(&name) {
            None => {
                self.shown.insert(name, new);
            }
            Some(known) => {
                known.plays += new.plays;
                if new.number < known.number {
                    (known.find, known.number) = (new.find, new.number);
                }
            }
        }
    }

    /// What only all of it together shows: what never happens, if all there is to try has been tried twice.
    #[must_use]
    pub fn together(&self, program: &Program, document: &Document, plan: &Plan) -> Vec<Find> {
        let find = |kind: &'static str, about: &str, words: String| Find { kind, about: about.to_owned(), at: 0.0, words };
        let mut found: Vec<Find> = Vec::new();
        // What has a problem of its own need not be told by what follows from it.
        let told: BTreeSet<&str> = self.shown.values().map(|s| s.find.about.as_str()).collect();
        let unwired = survey::survey(document);
        for name in unwired.parameters.iter().chain(&unwired.states) {
            found.push(find("no effect", name, "nothing hangs on it".into()));
        }
        for name in &unwired.events {
            found.push(find("no reaction", name, "nothing listens to it".into()));
        }
        if tries(plan, self.numbers.len() as u64) < 2 {
            return found;
        }
        let never = |word: &str| -> BTreeSet<&str> { self.coverage.never(word).1.into_iter().collect() };
        let mut refused: BTreeMap<&str, (u64, &str)> = BTreeMap::new();
        for ((sound, why), counts) in &self.coverage.refused {
            let entry = refused.entry(sound).or_insert((0, why));
            entry.0 += counts.values().sum::<u64>();
        }
        let reactions = never("reactions");
        for name in &reactions {
            found.push(find("never acts", name.lines().next().unwrap_or_default(), "it never acted".into()));
        }
        // What nobody ever asks for because a reaction never acts is told by that.
        let by_dead = |key: &str| {
            let mut played = program.reactions.iter().filter(|r| !r.off).filter(|r| names_in(program, r).contains(key)).peekable();
            played.peek().is_some() && played.all(|r| reactions.contains(program.names.get(r.key)))
        };
        // A section that is never played has transitions that are never taken.
        let silent = never("sections");
        let of_silent = |name: &str| {
            let mut words = name.split(' ').filter(|word| *word != "⟶");
            let piece = words.next().unwrap_or_default();
            words.any(|section| silent.contains(format!("{piece}/{section}").as_str()))
        };
        for (word, kind) in [
            ("sounds", "never heard"),
            ("sections", "never played"),
            ("transitions", "never taken"),
            ("stingers", "never sounds"),
            ("snapshots", "never up"),
            ("zones", "never entered"),
        ] {
            for name in never(word).into_iter().filter(|name| !told.contains(*name)) {
                match refused.get(name) {
                    Some((count, why)) if *count >= 3 && matches!(word, "sounds" | "stingers") => {
                        found.push(find("always refused", name, format!("it was asked for {count} times and never heard: {why}")));
                    }
                    _ if by_dead(name) || word == "transitions" && of_silent(name) => {}
                    _ => found.push(find(kind, name, "in none of all plays".into())),
                }
            }
        }
        found
    }

    /// For another machine.
    #[must_use]
    pub fn to_json(&self) -> Value {
        let shown = self
            .shown
            .values()
            .map(|s| json!({ "kind": s.find.kind, "about": s.find.about, "at": s.find.at, "words": s.find.words, "play": s.number, "plays": s.plays }));
        json!({ "seed": self.seed, "played": self.numbers, "seconds": self.seconds, "problems": shown.collect::<Vec<_>>(), "coverage": self.coverage.to_json() })
    }

    /// From what another machine wrote.
    ///
    /// # Errors
    /// With what is wrong with it.
    pub fn from_json(program: &Program, document: &Document, value: &Value) -> Result<Explored, String> {
        let wrong = |what: &str| format!("it is not what explore writes: {what}");
        let seed = value["seed"].as_u64().ok_or_else(|| wrong("no seed"))?;
        let mut explored = Explored::nothing(program, document, seed);
        let played = value["played"].as_array().ok_or_else(|| wrong("no plays"))?;
        explored.numbers = played.iter().map(|n| n.as_u64().ok_or_else(|| wrong("a play is no number"))).collect::<Result<_, _>>()?;
        explored.seconds = value["seconds"].as_f64().ok_or_else(|| wrong("no seconds"))?;
        for problem in value["problems"].as_array().ok_or_else(|| wrong("no problems"))? {
            let text = |field: &str| problem[field].as_str().ok_or_else(|| wrong(field));
            let kind = text("kind")?;
            let kind = super::kinds().into_iter().map(|(k, _)| k).find(|k| *k == kind).ok_or_else(|| wrong("a kind that is not known here"))?;
            let find =
                Find { kind, about: text("about")?.to_owned(), at: problem["at"].as_f64().ok_or_else(|| wrong("at"))?, words: text("words")?.to_owned() };
            let number = problem["play"].as_u64().ok_or_else(|| wrong("play"))?;
            let plays = problem["plays"].as_u64().ok_or_else(|| wrong("plays"))?;
            explored.add(find.signature(), Shown { find, number, plays });
        }
        explored.coverage.read_json(&value["coverage"]).ok_or_else(|| wrong("coverage"))?;
        Ok(explored)
    }
}

/// The sounds, stingers and snapshots that a reaction's actions name.
fn names_in<'a>(program: &'a Program, reaction: &estampie_engine::program::Reaction) -> BTreeSet<&'a str> {
    let slots = reaction.actions.iter().flat_map(|act| act.action.slots);
    let keys = slots.filter_map(|slot| match slot {
        Filled::Sound(sound) => Some(program.sounds[sound].key),
        Filled::Stinger(stinger) => Some(program.music.stingers[usize::from(stinger)].key),
        Filled::Snapshot(snapshot) => Some(program.mix.snapshots[snapshot].key),
        _ => None,
    });
    keys.map(|key| program.names.get(key)).collect()
}

/// The numbers of the plays of a shard: every `of`-th, from `shard` (counted from 1) on, of as many plays as so many minutes are.
#[must_use]
pub fn numbers(plan: &Plan, minutes: f64, (shard, of): (u64, u64)) -> Vec<u64> {
    let plays = (minutes * 60.0 / plan.length.max(1.0)).ceil().max(1.0) as u64;
    (0..plays).filter(|n| n % of.max(1) == shard.saturating_sub(1)).collect()
}

/// Plays and listens, on `cores` cores at most. `done` is told after each play how many problems it had; it may stop the rest by giving false.
#[must_use]
pub fn explore(looking: &Looking<'_>, seed: u64, numbers: &[u64], cores: usize, done: impl Fn(usize) -> bool + Sync) -> Explored {
    let Looking { program, document, plan, .. } = looking;
    let within = Within::new(program, document);
    let each = |number: &u64| {
        let mut own = Explored::nothing(program, document, seed);
        let playthrough = draw(plan, seed, *number).with_end(plan, Ending::Settled);
        let Some((seen, finds)) = looking.look(&playthrough, &|| true) else { return own };
        own.numbers.insert(*number);
        own.seconds = playthrough.length().0;
        own.coverage.add(Coverage::of(&seen, &within, document, PLAYED));
        for find in finds {
            own.add(find.signature(), Shown { find, number: *number, plays: 1 });
        }
        own
    };
    let mut all = Explored::nothing(program, document, seed);
    let count = std::sync::atomic::AtomicUsize::new(0);
    let played = on_cores(
        cores,
        numbers,
        |number| {
            let own = each(number);
            count.fetch_add(own.shown.len(), std::sync::atomic::Ordering::Relaxed);
            own
        },
        |_| done(count.load(std::sync::atomic::Ordering::Relaxed)),
    );
    for own in played {
        // Each has another number: nothing can be against it.
        let _ = all.merge(own);
    }
    all
}

/// The problems that the playthroughs under `playthroughs/found/` were kept for, with their names.
#[must_use]
pub fn known(document: &Document) -> BTreeMap<String, String> {
    let mut found = BTreeMap::new();
    for (name, playthrough) in document.playthroughs.iter().filter(|(name, _)| name.starts_with(super::FOUND)) {
        let of = playthrough.lines.iter().find_map(|line| match line {
            estampie_project::language::playthrough::PlaythroughLine::Comment(text) => text.strip_prefix(super::PROBLEM).map(str::to_owned),
            _ => None,
        });
        if let Some(of) = of {
            found.insert(of, name.clone());
        }
    }
    found
}

/// What the playthroughs of known problems show now, on all cores: the problem as it is, or `None` by its signature if it is gone. One that shows only once
/// everything has been ended is ended with what there is now to end it.
#[must_use]
pub fn still(looking: &Looking<'_>) -> Vec<(String, Option<Find>)> {
    let Looking { document, plan, .. } = looking;
    let known: Vec<(String, String)> = known(document).into_iter().collect();
    let each = |(signature, name): &(String, String)| {
        let (_, playthrough) = document.playthroughs.iter().find(|(n, _)| n == name)?;
        let settles = super::SETTLES.iter().find_map(|kind| signature.strip_prefix(&format!("{kind}: ")));
        let found = match settles {
            None => looking.look(playthrough, &|| true)?.1,
            Some(about) => {
                let steps = playthrough.steps().into_iter().map(|(step, _)| step.clone()).filter(|step| step.action != StepAction::End).collect();
                let play = Play { seed: playthrough.seed(), steps };
                looking.look(&play.with_end(plan, Ending::SettledFor(about, SETTLE_LONG)), &|| true)?.1
            }
        };
        Some((signature.clone(), found.into_iter().find(|f| f.signature() == *signature)))
    };
    on_all_cores(&known, each, |_| true).into_iter().flatten().collect()
}

/// Why a problem is accepted, if it is.
#[must_use]
pub fn accepted<'a>(document: &'a Document, find: &Find) -> Option<&'a str> {
    let own = signature(find.kind, &find.about);
    document.explore.accepted.iter().find(|a| a.problem.value.trim() == own).map(|a| a.reason.as_str())
}
