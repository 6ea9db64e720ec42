//! What made-up play is searched for: a line in [`DETECTORS`] each, in files by what they listen to.

mod asked;
mod ends;
mod level;
mod music;
mod piles;
mod silence;
mod wrong;

use super::plan::Plan;
use crate::check::expect::Held;
use crate::check::observe::{Looks, Observed, observe};
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::units::Seconds;
use estampie_project::document::Document;
use estampie_project::language::{Playthrough, StepAction};
use std::collections::{BTreeMap, HashSet};
use std::sync::Arc;

/// A problem, as it was found in one play.
#[derive(Debug, Clone, PartialEq)]
pub struct Find {
    /// Its kind, as in [`DETECTORS`].
    pub kind: &'static str,
    /// What it is about.
    pub about: String,
    /// When, in seconds.
    pub at: f64,
    /// What was heard, in words.
    pub words: String,
}

impl Find {
    /// What makes it the same problem as another: its kind and what it is about.
    #[must_use]
    pub fn signature(&self) -> String {
        signature(self.kind, &self.about)
    }
}

/// A problem's kind and what it is about, as one text.
#[must_use]
pub fn signature(kind: &str, about: &str) -> String {
    format!("{kind}: {about}")
}

/// Something that is searched for.
pub(crate) struct Detector {
    /// Its kind.
    pub(crate) kind: &'static str,
    /// What it means, for the manual.
    pub(crate) says: &'static str,
    /// Whether what it is about is only what was near: it is known for sure when nothing else is left.
    pub(crate) near: bool,
    /// What of one play is such a problem: when, what it is about, and what was heard, in words.
    look: fn(&Session<'_>) -> Vec<(f64, String, String)>,
}

/// One row for each kind that one play alone shows: whoever adds one adds a row.
pub(crate) const DETECTORS: &[Detector] = &[
    Detector { kind: "ceiling", near: true, says: "the ceiling takes away more than 3 dB; about the loudest bus then", look: level::ceiling },
    Detector { kind: "true peak", near: false, says: "the output has a true peak over 0 dBTP", look: level::true_peak },
    Detector {
        kind: super::LOAD,
        near: true,
        says: "a second takes more of a core than `load` allows; about the sound with most voices then; the only kind that hangs on the machine",
        look: level::load,
    },
    Detector { kind: "voices", near: false, says: "as many voices sound as there may be", look: piles::voices },
    Detector { kind: "stolen", near: false, says: "within a second twelve voices of a sound are stolen", look: piles::stolen },
    Detector { kind: "refused", near: false, says: "within a second a sound is refused sixteen times because of a limit", look: piles::refused },
    Detector { kind: "twice", near: false, says: "a sound begins twice within 20 ms at one emitter", look: piles::twice },
    Detector { kind: "silence", near: false, says: "nothing at all is heard for too long, in a project that is not silent by itself", look: silence::all },
    Detector { kind: "no music", near: false, says: "a piece plays nothing for too long though its state asks for a section", look: silence::music },
    Detector { kind: "waits", near: false, says: "a piece waits for its moment for too long", look: music::waits },
    Detector {
        kind: "back and forth",
        near: false,
        says: "a piece goes back and forth between two sections three times within ten seconds",
        look: music::flips,
    },
    Detector { kind: "late stinger", near: false, says: "a stinger waits for its moment longer than six seconds", look: music::late },
    Detector {
        kind: "no end",
        near: false,
        says: "a sound still sounds long after everything was taken back and ended, and not by itself",
        look: ends::sounds,
    },
    Detector { kind: "snapshot stays", near: false, says: "a snapshot is still up then", look: ends::snapshots },
    Detector { kind: "music goes on", near: false, says: "a piece still plays a section then that does not play by itself", look: ends::pieces },
    Detector { kind: "click", near: true, says: "a step from sample to sample stands out; about what began or ended then", look: wrong::clicks },
    Detector { kind: "not finite", near: false, says: "a bus gave a value that is no number", look: wrong::not_finite },
    Detector { kind: "endless", near: false, says: "reactions call each other without end", look: wrong::endless },
    Detector { kind: "no number", near: false, says: "a formula gives no number", look: wrong::no_number },
    Detector { kind: "too much", near: false, says: "more waits or comes at once than there is room for", look: wrong::too_much },
    Detector { kind: "expected", near: false, says: "what is always expected is not so", look: wrong::expected },
    Detector { kind: "no take", near: false, says: "a sound is asked for and has no take for what is so", look: asked::no_take },
];

/// A play that was listened to.
pub(crate) struct Session<'a> {
    pub(crate) program: &'a Program,
    pub(crate) plan: &'a Plan,
    pub(crate) seen: &'a Observed,
    /// What sounds when nothing is done.
    pub(crate) calm: &'a Calm,
    /// What is always expected.
    always: &'a [Held<'a>],
    /// The frame of the last thing that was done.
    pub(crate) last: u64,
    /// The frame of its end.
    pub(crate) end: u64,
}

impl Session<'_> {
    pub(crate) fn seconds(&self, frame: u64) -> f64 {
        frame as f64 / f64::from(self.seen.rate)
    }

    pub(crate) fn frames(&self, seconds: f64) -> u64 {
        Seconds(seconds).frames(self.seen.rate)
    }

    pub(crate) fn name(&self, key: NameKey) -> String {
        self.program.names.get(key).to_owned()
    }

    /// Whether so long nothing was done before the end that what still sounds does not end.
    pub(crate) fn settled(&self) -> bool {
        self.end.saturating_sub(self.last) + self.frames(0.1) >= self.frames(super::SETTLE)
    }
}

/// What a project does when nothing is done.
#[derive(Debug, Clone, Default)]
pub(crate) struct Calm {
    /// Sounds that sound by themselves.
    pub(crate) sounds: HashSet<NameKey>,
    /// Snapshots that are up by themselves.
    pub(crate) snapshots: HashSet<NameKey>,
    /// Sections that play by themselves, by their piece.
    pub(crate) sections: HashSet<(NameKey, NameKey)>,
    /// Whether nothing is heard.
    pub(crate) silent: bool,
}

/// Listens to a project in which nothing is done.
pub(crate) fn calm(program: &Arc<Program>) -> Calm {
    let length = super::SETTLE + 8.0;
    let nothing = Playthrough {
        lines: vec![estampie_project::language::playthrough::PlaythroughLine::Step(
            estampie_project::language::Step { at: Seconds(length), action: StepAction::End },
            Default::default(),
        )],
    };
    let mut calm = Calm { silent: true, ..Calm::default() };
    let Some(seen) = observe(program, &nothing, Looks::default(), &|| true) else { return calm };
    calm.silent = !seen.samples.iter().any(|s| s.peak > silence::QUIET);
    for happening in &seen.happened {
        match happening.what {
            estampie_engine::telemetry::What::VoiceStart { sound, leaf, .. } => calm.sounds.extend([sound, leaf]),
            estampie_engine::telemetry::What::Section { piece, section, .. } => {
                calm.sections.insert((piece, section));
            }
            _ => {}
        }
    }
    for sample in &seen.samples {
        calm.snapshots.extend(program.mix.snapshots.iter().zip(&sample.snapshots).filter(|(_, share)| **share > 0.0).map(|(s, _)| s.key));
    }
    calm
}

/// Everything that is needed to look at plays: made once for all of a run, since it listens to the project in which nothing is done.
pub struct Looking<'a> {
    pub(crate) program: &'a Arc<Program>,
    pub(crate) document: &'a Document,
    pub(crate) plan: &'a Plan,
    pub(crate) calm: Calm,
}

impl<'a> Looking<'a> {
    /// Listens to the project in which nothing is done, for some seconds.
    #[must_use]
    pub fn new(program: &'a Arc<Program>, document: &'a Document, plan: &'a Plan) -> Looking<'a> {
        Looking { program, document, plan, calm: calm(program) }
    }

    /// Renders a playthrough and gives what was seen with the problems in it, each once, where it shows first.
    pub(crate) fn look(&self, playthrough: &Playthrough, goes: &dyn Fn() -> bool) -> Option<(Observed, Vec<Find>)> {
        let always = crate::check::expect::always(self.document);
        let watched = crate::check::expect::watched(self.program, &always);
        let looks = Looks { watched: &watched, loudness: crate::check::expect::measures(&always), load: self.plan.load.is_some() };
        let mut seen = observe(self.program, playthrough, looks, goes)?;
        // What else the machine does may have slowed a second down: it counts if it takes so long again.
        if let Some(most) = self.plan.load
            && seen.loads.iter().any(|load| f64::from(*load) > most)
        {
            let again = observe(self.program, playthrough, Looks { watched: &HashSet::new(), loudness: false, load: true }, goes)?;
            seen.loads.iter_mut().zip(again.loads).for_each(|(load, again)| *load = load.min(again));
        }
        let rate = seen.rate;
        let steps = playthrough.steps();
        let done = steps.iter().filter(|(s, _)| !matches!(s.action, StepAction::End | StepAction::Expect(_)));
        // What glides or walks is still being done.
        let last = done.map(|(s, _)| s.at.0).fold(0.0, f64::max);
        let session = Session {
            program: self.program,
            plan: self.plan,
            seen: &seen,
            calm: &self.calm,
            always: &always,
            last: Seconds(last).frames(rate),
            end: playthrough.length().frames(rate),
        };
        let mut found: BTreeMap<(usize, String), Find> = BTreeMap::new();
        for (place, detector) in DETECTORS.iter().enumerate() {
            for (at, about, words) in (detector.look)(&session) {
                let find = Find { kind: detector.kind, about: about.clone(), at, words };
                let known = found.entry((place, about)).or_insert_with(|| find.clone());
                if find.at < known.at {
                    *known = find;
                }
            }
        }
        Some((seen, found.into_values().collect()))
    }
}
