//! What has happened lately: the log, what sounded, what does not fit, and the last seconds of every value.

use super::{HOLD, HeldKey, PAST, Rehearsal, is_member};
use estampie_engine::engine::Status;
use estampie_engine::names::{NameKey, Names};
use estampie_engine::program::Program;
use estampie_engine::telemetry::{Draws, Happening, Notice, Reason, What};
use estampie_engine::units::Seconds;
use estampie_engine::vocabulary::Answer;
use estampie_project::document::{Document, did_you_mean};
use estampie_proof::compare::LONGEST;
use estampie_proof::trace::kept::{Ended, Measured};
use estampie_proof::trace::{self, Label};
use std::collections::{BTreeMap, HashMap, HashSet, VecDeque};
use std::mem::{Discriminant, discriminant};
use std::time::Instant;

/// How much of the past the lanes show.
pub(crate) const LANES: f64 = 20.0;

/// A line of the log.
pub(crate) struct LogLine {
    /// Its place among all lines that were ever written, from 1: it stays the same while others come.
    pub(crate) number: u64,
    pub(crate) frame: u64,
    /// The frame of the newest that it tells.
    last: u64,
    pub(crate) text: String,
    pub(crate) label: Label,
    /// The sound of a flock or one-shots whose plays are counted in this line, and how many there were.
    crowd: Option<(NameKey, u32)>,
    /// What is told again and again in this line, and how often it was.
    again: Option<(Again, u32)>,
}

impl LogLine {
    /// Whether it tells something for the first time, as far as it counts.
    pub(crate) fn first(&self) -> bool {
        self.again.is_none_or(|(_, times)| times == 1)
    }
}

/// What a line tells again and again: a thing that does not fit, or a refusal.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Again {
    /// A parameter, perhaps of an emitter.
    Parameter(NameKey, NameKey),
    /// The place of an emitter.
    Place(NameKey),
    Misfit(MisfitKey),
    /// Something else that needs attention, of one kind.
    Notice(Discriminant<Notice>),
    Refused(NameKey, Discriminant<Reason>),
}

/// A start of a voice, as the view of sounds shows it.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Heard {
    pub(crate) sound: NameKey,
    pub(crate) leaf: NameKey,
    pub(crate) take: NameKey,
    pub(crate) level: f32,
    pub(crate) pitch: f32,
    pub(crate) drawn: Draws,
}

/// What is told again is looked for among so many lines.
const AGAIN: usize = 8;
/// What moves is one line for as long as so many others have not come.
const MOVED: usize = 12;

/// How many starts are remembered.
const HEARD: usize = 2000;

/// How long what has ended can still be chosen, in seconds, and how many at most.
const ASKED_FOR: (f64, usize) = (10.0, 24);

/// So many lines of the log are kept.
const LINES: usize = 8_000;

/// Something that was sent and does not fit the project, as it was last.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Misfit {
    pub(crate) notice: Notice,
    pub(crate) count: u32,
    /// The frame of the last.
    pub(crate) frame: u64,
    /// Of numbers out of range the least and the greatest.
    pub(crate) asked: (f32, f32),
}

/// What a misfit is of: of two with one key the later stands for both.
pub(crate) type MisfitKey = (u8, NameKey, NameKey);

/// Which kind of misfit a notice is, if it is one.
pub(crate) fn misfit(notice: &Notice) -> Option<MisfitKey> {
    Some(match *notice {
        Notice::UnknownEvent(key) => (0, key, NameKey::NONE),
        Notice::UnknownParameter(key) => (1, key, NameKey::NONE),
        Notice::UnknownState(key) => (2, key, NameKey::NONE),
        Notice::UnknownValue { state, value } => (3, state, value),
        Notice::Clamped { parameter, .. } => (4, parameter, NameKey::NONE),
        Notice::NeedsEmitter(key) => (5, key, NameKey::NONE),
        Notice::ForAll(key) => (6, key, NameKey::NONE),
        Notice::WorkedOut(key) => (7, key, NameKey::NONE),
        Notice::NoPlace(key) => (8, key, NameKey::NONE),
        _ => return None,
    })
}

/// So many misfits are told apart.
const MOST_MISFITS: usize = 512;

/// The last seconds of everything.
#[derive(Default)]
pub(crate) struct History {
    /// States that were set.
    pub(crate) states: HashSet<NameKey>,
    /// What music did: frame, words, whether it needs attention.
    pub(crate) music: VecDeque<(u64, String, bool)>,
    /// Starts of voices, newest last.
    pub(crate) heard: VecDeque<Heard>,
    /// How often each event came, from the game or by a reaction.
    pub(crate) events: HashMap<NameKey, u32>,
    /// What was sent and does not fit.
    pub(crate) misfits: BTreeMap<MisfitKey, Misfit>,
    /// How often each reaction acted.
    pub(crate) acted: HashMap<NameKey, u32>,
}

impl History {
    /// Events that were sent and are not declared, with how often.
    pub(crate) fn undeclared(&self) -> impl Iterator<Item = (NameKey, u32)> {
        self.misfits.values().filter_map(|misfit| if let Notice::UnknownEvent(event) = misfit.notice { Some((event, misfit.count)) } else { None })
    }

    /// Such an event has been seen to.
    pub(crate) fn forget_undeclared(&mut self, event: NameKey) {
        self.misfits.retain(|_, misfit| misfit.notice != Notice::UnknownEvent(event));
    }
}

impl Rehearsal {
    /// Keeps what the status before had and this one no longer has.
    pub(super) fn note_ended(&mut self, old: &Status, new: &Status) {
        if !self.keeps {
            return;
        }
        // Layers end with their section; of a flock there are too many.
        let gone = old.voices.iter().filter(|v| !new.voices.iter().any(|now| now.voice == v.voice));
        let own = gone.filter(|v| !is_member(&self.program, v.emitter) && !self.names.get(v.sound).contains(' '));
        for voice in own {
            self.kept.note_ended(Ended { voice: *voice, terms: old.terms_of(voice).to_vec(), at: new.frame });
        }
    }

    /// What ended in the last ten seconds of what is looked at, newest first.
    pub(crate) fn ended_lately(&self) -> impl Iterator<Item = &Ended> {
        self.kept.ended_before(self.frame(), ASKED_FOR.0).take(ASKED_FOR.1)
    }

    /// A voice that has ended in the last ten seconds.
    pub(crate) fn ended(&self, voice: u64) -> Option<&Ended> {
        self.ended_lately().find(|e| e.voice.voice == voice)
    }

    /// Lines as if they had happened, a tenth of a second apart.
    #[cfg(test)]
    pub(crate) fn note_for_tests(&mut self, lines: &[&str]) {
        for (at, line) in lines.iter().enumerate() {
            let label = if line.contains("refused") { Label::Attention } else { Label::Plain };
            self.add_line(at as u64 * 4_800, (*line).to_owned(), label);
        }
    }

    pub(super) fn add_line(&mut self, frame: u64, text: String, label: Label) {
        self.lines_written += 1;
        self.log.push_front(LogLine { number: self.lines_written, frame, last: frame, text, label, crowd: None, again: None });
        self.log.truncate(LINES);
    }

    /// What is told again and again is one line, as it was last and with how often it was.
    fn add_again(&mut self, (frame, mut text, label): (u64, String, Label), what: Again) {
        let found = self.log.iter().take(AGAIN).position(|line| line.again.is_some_and(|(before, _)| before == what));
        let times = found.and_then(|at| self.log.remove(at)).and_then(|line| line.again).map_or(1, |(_, times)| times + 1);
        if times > 1 {
            text.push_str(&format!(" ×{times}"));
        }
        self.add_line(frame, text, label);
        if let Some(line) = self.log.front_mut() {
            line.again = Some((what, times));
        }
    }

    /// Counts what does not fit, and tells it once to whoever said hello.
    fn note_misfit(&mut self, frame: u64, notice: &Notice, text: &str) {
        let Some(key) = misfit(notice) else { return };
        let asked = if let Notice::Clamped { asked, .. } = notice { *asked } else { f32::NAN };
        if self.history.misfits.len() < MOST_MISFITS || self.history.misfits.contains_key(&key) {
            let known = self.history.misfits.entry(key).or_insert(Misfit { notice: *notice, count: 0, frame, asked: (asked, asked) });
            (known.notice, known.frame) = (*notice, frame);
            known.count += 1;
            known.asked = (known.asked.0.min(asked), known.asked.1.max(asked));
        }
        if let Some(link) = self.link.as_ref().filter(|_| self.told.len() < MOST_MISFITS)
            && self.told.insert(key)
        {
            link.notice("warning", text.to_owned());
        }
    }

    /// Those of a flock that sound within three seconds are one line.
    fn add_crowd(&mut self, frame: u64, sound: NameKey) {
        let lately = u64::from(self.program.rate) * 3;
        let found = self.log.iter_mut().take(12).find(|l| l.frame + lately > frame && l.crowd.is_some_and(|(s, _)| s == sound));
        let name = self.names.get(sound).to_owned();
        match found {
            Some(line) => {
                let times = line.crowd.map_or(1, |(_, times)| times) + 1;
                line.crowd = Some((sound, times));
                line.text = format!("plays {name} ×{times}, around");
            }
            None => {
                self.add_line(frame, format!("plays {name}, around"), Label::Aside);
                if let Some(line) = self.log.front_mut() {
                    line.crowd = Some((sound, 1));
                }
            }
        }
    }

    pub(super) fn note(&mut self, happening: &Happening, document: &Document) {
        if self.keeps {
            self.kept.note(happening);
        }
        self.past.note(happening, &self.names);
        if self.past.count() > self.past_most {
            self.past.forget(Seconds(Seconds::of_frames(happening.frame, self.program.rate).0 - LONGEST.0));
            // A storm within that time is kept whole.
            self.past_most = PAST.max(2 * self.past.count());
        }
        if let Some(recorder) = &mut self.recorder {
            recorder.note(happening, &self.names);
        }
        match happening.what {
            What::State { state, .. } => {
                self.history.states.insert(state);
            }
            What::VoiceStart { sound, leaf, take, level, pitch, drawn, .. } => {
                self.history.heard.push_back(Heard { sound, leaf, take, level, pitch, drawn });
                if self.history.heard.len() > HEARD {
                    self.history.heard.pop_front();
                }
            }
            // Of what is unknown the notice tells that comes with it.
            What::Event { event, .. } if self.program.find_event.get(event).is_none() => return,
            What::Event { event, .. } => *self.history.events.entry(event).or_default() += 1,
            What::Reaction { reaction } => *self.history.acted.entry(reaction).or_default() += 1,
            _ => {}
        }
        let of_music = match happening.what {
            What::Section { .. } | What::Sting { .. } | What::List { .. } => true,
            What::Asked { answer, .. } => matches!(answer, Answer::NotAllowed | Answer::Cancels(_)),
            What::Refused { sound, .. } => self.program.music.find_stinger.get(sound).is_some(),
            _ => false,
        };
        if of_music && let Some((text, label)) = trace::sentence(happening, &self.names) {
            self.history.music.push_back((happening.frame, text, label.refuses()));
            if self.history.music.len() > 60 {
                self.history.music.pop_front();
            }
        }
        if let Some((mut text, label)) = trace::sentence(happening, &self.names) {
            if let What::Notice(notice) = happening.what {
                text.push_str(&fix(&notice, &self.names, document));
                self.note_misfit(happening.frame, &notice, &text);
            }
            let again = match happening.what {
                What::Notice(Notice::Program(_)) => None,
                What::Notice(notice) => Some(misfit(&notice).map_or(Again::Notice(discriminant(&notice)), Again::Misfit)),
                What::Refused { sound, reason, .. } => Some(Again::Refused(sound, discriminant(&reason))),
                _ => None,
            };
            if let Some(again) = again {
                self.add_again((happening.frame, text, label), again);
                return;
            }
            if let What::VoiceStart { sound, emitter, .. } = happening.what
                && is_member(&self.program, emitter)
            {
                self.add_crowd(happening.frame, sound);
                return;
            }
            // A value being dragged, or a place that a game sends again and again, is one line that changes, not a hundred.
            let moved = match happening.what {
                What::Parameter { parameter, emitter, .. } => Some(Again::Parameter(parameter, emitter)),
                What::Place { emitter, .. } => Some(Again::Place(emitter)),
                _ => None,
            };
            let lately = happening.frame.saturating_sub(2 * u64::from(self.program.rate));
            let line = moved.and_then(|moved| self.log.iter_mut().take(MOVED).find(|l| l.last >= lately && l.again.is_some_and(|(what, _)| what == moved)));
            if let Some(line) = line {
                (line.text, line.last) = (text, happening.frame);
                return;
            }
            self.add_line(happening.frame, text, label);
            if let (Some(moved), Some(line)) = (moved, self.log.front_mut()) {
                line.again = Some((moved, 1));
            }
        }
    }

    /// Keeps what a status says.
    pub(super) fn note_status(&mut self, status: &Status) {
        let Some(program) = self.program_of(status.program).cloned() else { return };
        let short_term = self.player.loudness().output.short_term as f32;
        if self.keeps {
            self.kept.note_status(status, &program, Measured { short_term, load: self.load() });
        }
        if self.back().is_none() {
            self.meter(status, &program);
        }
    }

    /// Lets the meters show a status.
    pub(super) fn meter(&mut self, status: &Status, program: &Program) {
        for (spec, now) in program.mix.buses.iter().zip(&status.buses) {
            let level = 20.0 * now.peak[0].max(now.peak[1]).max(1e-6).log10();
            let meter = self.meters.entry(spec.key).or_insert(HeldKey { now: level, held: level, since: Instant::now() });
            // Falls by 20 dB a second, so that an eye can follow.
            meter.now = level.max(meter.now - 0.7);
            if level >= meter.held || meter.since.elapsed() > HOLD {
                (meter.held, meter.since) = (meter.now, Instant::now());
            }
        }
    }
}

/// The nearest known name for an unknown one.
fn fix(notice: &Notice, names: &Names, document: &Document) -> String {
    let nearest = |key: NameKey, known: Vec<&str>| {
        let fix = did_you_mean(names.get(key), known, "");
        if fix.is_empty() { String::new() } else { format!(" — {fix}") }
    };
    match *notice {
        Notice::UnknownEvent(key) => nearest(key, document.events.iter().map(|e| e.name.as_str()).collect()),
        Notice::UnknownParameter(key) => nearest(key, document.parameters.iter().map(|p| p.name.as_str()).collect()),
        Notice::UnknownState(key) => nearest(key, document.states.iter().map(|s| s.name.as_str()).collect()),
        Notice::UnknownSound(key) => nearest(key, document.sounds.iter().map(|s| s.name.as_str()).collect()),
        Notice::UnknownValue { state, value } => {
            let known = document.states.iter().find(|s| s.name == names.get(state));
            known.map_or_else(String::new, |s| nearest(value, s.values.iter().map(|v| v.value.as_str()).collect()))
        }
        _ => String::new(),
    }
}
