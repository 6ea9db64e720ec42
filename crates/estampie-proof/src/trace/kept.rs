//! What was heard, kept for half an hour in bounded memory: what happened, how long each voice sounded, the values over time, and the whole
//! status with all reasons, close together for the last minute and wider apart before. *Why* of the past is what was seen when it was the
//! present, not worked out again.

use estampie_engine::engine::{Status, VoiceStatus};
use estampie_engine::ledger::Term;
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::telemetry::{Cause, Happening, What};
use estampie_engine::units::Seconds;
use std::collections::{HashMap, HashSet, VecDeque};

/// So long it is kept.
pub const KEPT: Seconds = Seconds(1_800.0);
/// So many happenings at most: at a hundred a second those of half an hour.
const HAPPENINGS: usize = 200_000;
/// So many changes of states and sections.
const CHANGES: usize = 50_000;
/// So many voices, and so many that ended with their reasons.
const BARS: usize = 100_000;
const ENDED: usize = 20_000;
/// All statuses together take so much at most, in bytes.
const STATUSES: usize = 96 << 20;
/// How statuses stand apart by their age: those younger than so many seconds, by at least so many.
const APART: [(f64, f64); 3] = [(60.0, 1.0 / 20.0), (300.0, 0.25), (KEPT.0, 1.0)];
/// Values are noted so often, in seconds.
const VALUES_APART: f64 = 1.0 / 30.0;

/// A voice over time.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bar {
    /// The voice.
    pub voice: u64,
    /// The sound that was asked for.
    pub sound: NameKey,
    /// The frame on which it began.
    pub start: u64,
    /// When and why it ended, if it has.
    pub end: Option<(u64, Cause)>,
    /// The loudest that it was heard at, in dB below full scale.
    pub loudest_db: f32,
}

impl Bar {
    /// Whether it sounds anywhere between two frames.
    #[must_use]
    pub fn touches(&self, from: u64, to: u64) -> bool {
        self.start <= to && self.end.is_none_or(|(end, _)| end >= from)
    }
}

/// A voice that has ended, as it last was.
#[derive(Debug, Clone, PartialEq)]
pub struct Ended {
    /// The voice.
    pub voice: VoiceStatus,
    /// Its reasons.
    pub terms: Vec<Term>,
    /// The frame of the status that no longer had it.
    pub at: u64,
}

/// What a track came to, by the frames.
#[derive(Debug, Clone, Default)]
struct Followed {
    values: VecDeque<(u64, f32)>,
    /// The greatest and the last value of each stretch of [`COARSE`], for long times.
    coarse: VecDeque<(u64, f32)>,
}

/// What is followed over time.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Track {
    /// A parameter, as set.
    Parameter(NameKey),
    /// How much there is of a snapshot, 0 to 1.
    Snapshot(NameKey),
    /// The peak of a bus in dB below full scale.
    Bus(NameKey),
    /// The peak of the output in dB below full scale.
    Output,
    /// What the ceiling takes away, in dB (0 or less).
    Ceiling,
    /// How many voices are heard.
    Voices,
    /// The short-term loudness in LUFS.
    Loudness,
    /// The share of real time that rendering takes.
    Load,
    /// What an effect that turns down takes away, in dB (0 or more).
    Reduction(NameKey),
    /// How many lines of a character wait.
    Waiting(NameKey),
}

impl Track {
    /// Whether the greatest value of a stretch stands for it: what falls between two looks would be lost otherwise.
    fn is_peak(self) -> bool {
        matches!(self, Track::Bus(_) | Track::Output | Track::Reduction(_) | Track::Waiting(_))
    }
}

/// What is measured beside the engine.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Measured {
    /// Short-term loudness in LUFS; not a number if it is not known.
    pub short_term: f32,
    /// The share of real time that rendering takes.
    pub load: f32,
}

/// Everything that is kept.
#[derive(Debug, Clone)]
pub struct Kept {
    rate: u32,
    happened: VecDeque<Happening>,
    /// Of those the changes that last: states, sections.
    changes: VecDeque<Happening>,
    bars: VecDeque<Bar>,
    /// How many bars were forgotten, and the places of those that sound, counted from the first that ever was.
    forgotten: usize,
    sounding: HashMap<u64, usize>,
    ended: VecDeque<Ended>,
    /// By age, the youngest first; each in the order of time.
    statuses: [VecDeque<Box<Status>>; APART.len()],
    /// What they take.
    bytes: usize,
    followed: HashMap<Track, Followed>,
    /// Of each sound its bars, counted from the first that ever was, and the frames on which it was refused.
    of_sound: HashMap<NameKey, OfSound>,
    /// What the level, pitch and filters of each sound have hung on.
    hangs_on: HashMap<NameKey, HashSet<NameKey>>,
    /// The frame of the newest status.
    now: u64,
}

/// Where what a sound did is found.
#[derive(Debug, Clone, Default)]
struct OfSound {
    bars: VecDeque<usize>,
    refused: VecDeque<u64>,
}

/// Of a stretch so long, in seconds, only the greatest and the last value are looked at where no more can be drawn.
const COARSE: f64 = 2.0;

fn bytes(status: &Status) -> usize {
    size_of::<Status>()
        + size_of_val(status.parameters.as_slice())
        + size_of_val(status.states.as_slice())
        + size_of_val(status.buses.as_slice())
        + size_of_val(status.cells.as_slice())
        + size_of_val(status.snapshots.as_slice())
        + size_of_val(status.modulations.as_slice())
        + size_of_val(status.voices.as_slice())
        + size_of_val(status.terms.as_slice())
        + size_of_val(status.emitters.as_slice())
        + size_of_val(status.pieces.as_slice())
        + size_of_val(status.layers.as_slice())
        + size_of_val(status.zones.as_slice())
}

fn db(factor: f32) -> f32 {
    20.0 * factor.max(1e-6).log10()
}

impl Kept {
    /// Nothing yet, of an engine at `rate` frames a second.
    #[must_use]
    pub fn new(rate: u32) -> Kept {
        Kept {
            rate,
            happened: VecDeque::new(),
            changes: VecDeque::new(),
            bars: VecDeque::new(),
            forgotten: 0,
            sounding: HashMap::new(),
            ended: VecDeque::new(),
            statuses: Default::default(),
            bytes: 0,
            followed: HashMap::new(),
            of_sound: HashMap::new(),
            hangs_on: HashMap::new(),
            now: 0,
        }
    }

    /// Frames a second.
    #[must_use]
    pub fn rate(&self) -> u32 {
        self.rate
    }

    /// The frame of the newest status.
    #[must_use]
    pub fn now(&self) -> u64 {
        self.now
    }

    /// The first frame of which anything is known.
    #[must_use]
    pub fn begins(&self) -> u64 {
        let status = self.statuses.iter().rev().find_map(|s| s.front()).map(|s| s.frame);
        let happened = self.happened.front().map(|h| h.frame);
        status.into_iter().chain(happened).min().unwrap_or(self.now)
    }

    /// Whether nothing was ever kept.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.happened.is_empty() && self.statuses.iter().all(VecDeque::is_empty)
    }

    fn frames(&self, seconds: f64) -> u64 {
        Seconds(seconds).frames(self.rate)
    }

    /// The bar of a voice that sounds.
    fn bar_of(&mut self, voice: u64) -> Option<&mut Bar> {
        let at = self.sounding.get(&voice)?.checked_sub(self.forgotten)?;
        self.bars.get_mut(at)
    }

    fn forget_bar(&mut self) {
        if let Some(of) = self.bars.pop_front().and_then(|bar| self.of_sound.get_mut(&bar.sound)) {
            of.bars.pop_front();
        }
        self.forgotten += 1;
    }

    /// Keeps what happened.
    pub fn note(&mut self, happening: &Happening) {
        match happening.what {
            What::VoiceStart { voice, sound, .. } => {
                self.sounding.insert(voice, self.forgotten + self.bars.len());
                self.of_sound.entry(sound).or_default().bars.push_back(self.forgotten + self.bars.len());
                self.bars.push_back(Bar { voice, sound, start: happening.frame, end: None, loudest_db: f32::NEG_INFINITY });
                if self.bars.len() > BARS {
                    self.forget_bar();
                }
            }
            What::VoiceEnd { voice, cause, .. } => {
                if let Some(bar) = self.bar_of(voice) {
                    bar.end = Some((happening.frame, cause));
                }
            }
            What::Refused { sound, .. } => self.of_sound.entry(sound).or_default().refused.push_back(happening.frame),
            What::State { .. } | What::Section { .. } | What::Asked { .. } => {
                self.changes.push_back(*happening);
                if self.changes.len() > CHANGES {
                    self.changes.pop_front();
                }
            }
            _ => {}
        }
        self.happened.push_back(*happening);
        if self.happened.len() > HAPPENINGS {
            self.forget_happening();
        }
    }

    fn forget_happening(&mut self) {
        if let Some(Happening { what: What::Refused { sound, .. }, .. }) = self.happened.pop_front()
            && let Some(of) = self.of_sound.get_mut(&sound)
        {
            of.refused.pop_front();
        }
    }

    /// Keeps a voice that has ended, as it last was.
    pub fn note_ended(&mut self, ended: Ended) {
        self.ended.push_back(ended);
        if self.ended.len() > ENDED {
            self.ended.pop_front();
        }
    }

    /// Keeps how everything stands, as often as its age deserves.
    pub fn note_status(&mut self, status: &Status, program: &Program, measured: Measured) {
        if status.frame < self.now || status.program != program.id {
            return;
        }
        self.now = status.frame;
        self.note_values(status, program, measured);
        for voice in &status.voices {
            let of = self.hangs_on.entry(voice.sound).or_default();
            of.extend(status.terms_of(voice).iter().map(|term| term.of));
            if let Some(bar) = self.bar_of(voice.voice) {
                bar.loudest_db = bar.loudest_db.max(voice.heard_db);
            }
        }
        // A status from before the end still tells how loud it was.
        let (bars, forgotten) = (&self.bars, self.forgotten);
        self.sounding.retain(|_, at| at.checked_sub(forgotten).and_then(|at| bars.get(at)).is_some_and(|b| b.end.is_none_or(|(end, _)| end >= status.frame)));
        let apart = self.frames(APART[0].1);
        if self.statuses[0].back().is_none_or(|last| last.frame + apart <= status.frame) {
            let kept = Box::new(status.clone());
            self.bytes += bytes(&kept);
            self.statuses[0].push_back(kept);
        }
        self.age();
    }

    fn note_values(&mut self, status: &Status, program: &Program, measured: Measured) {
        let apart = self.frames(VALUES_APART);
        let oldest = status.frame.saturating_sub(self.frames(KEPT.0));
        let frame = status.frame;
        let stretch = self.frames(COARSE);
        let mut put = |track: Track, value: f32| {
            let Followed { values, coarse } = self.followed.entry(track).or_default();
            put_coarse(coarse, (frame, value), stretch, oldest);
            let count = values.len();
            match values.back_mut() {
                // The loudest of a stretch stands for it.
                Some(last) if track.is_peak() && last.0 + apart > frame => {
                    last.1 = last.1.max(value);
                    return;
                }
                Some(last) if last.0 + apart > frame && count > 1 => {
                    last.1 = value;
                    return;
                }
                _ => {}
            }
            // What stays as it is needs its first and its last value only.
            if count > 1 && values[count - 1].1 == value && values[count - 2].1 == value {
                values[count - 1].0 = frame;
                return;
            }
            values.push_back((frame, value));
            // The one before the oldest tells how it stood then.
            while values.get(1).is_some_and(|second| second.0 < oldest) {
                values.pop_front();
            }
        };
        for (spec, now) in program.parameters.iter().zip(&status.parameters) {
            put(Track::Parameter(spec.key), now.value);
        }
        for (spec, now) in program.mix.snapshots.iter().zip(&status.snapshots) {
            put(Track::Snapshot(spec.key), now.share);
        }
        for (spec, now) in program.mix.buses.iter().zip(&status.buses) {
            put(Track::Bus(spec.key), db(now.peak[0].max(now.peak[1])));
        }
        for (key, db) in &status.reductions {
            put(Track::Reduction(*key), -db);
        }
        for speaker in &program.speakers {
            put(Track::Waiting(*speaker), status.lines.iter().filter(|l| !l.speaking && l.speaker == *speaker).count() as f32);
        }
        put(Track::Output, db(status.peak[0].max(status.peak[1])));
        put(Track::Ceiling, status.ceiling_db);
        put(Track::Voices, status.voices.iter().filter(|v| !v.asleep).count() as f32);
        if measured.short_term.is_finite() {
            put(Track::Loudness, measured.short_term);
        }
        put(Track::Load, measured.load);
    }

    /// Lets what has become older stand wider apart, and forgets what is too old or too much.
    fn age(&mut self) {
        for (tier, (age, _)) in APART.iter().enumerate() {
            let young = self.now.saturating_sub(self.frames(*age));
            while self.statuses[tier].front().is_some_and(|s| s.frame < young) {
                let Some(old) = self.statuses[tier].pop_front() else { break };
                let wide = APART.get(tier + 1).map(|(_, apart)| self.frames(*apart));
                match (wide, self.statuses.get_mut(tier + 1)) {
                    (Some(wide), Some(next)) if next.back().is_none_or(|last| last.frame + wide <= old.frame) => next.push_back(old),
                    _ => self.bytes -= bytes(&old),
                }
            }
        }
        while self.bytes > STATUSES {
            let Some(oldest) = self.statuses.iter_mut().rev().find_map(VecDeque::pop_front) else { break };
            self.bytes -= bytes(&oldest);
        }
        let oldest = self.now.saturating_sub(self.frames(KEPT.0));
        while self.happened.front().is_some_and(|h| h.frame < oldest) {
            self.forget_happening();
        }
        while self.bars.front().is_some_and(|b| b.end.is_some_and(|(end, _)| end < oldest)) {
            self.forget_bar();
        }
        while self.ended.front().is_some_and(|e| e.at < oldest) {
            self.ended.pop_front();
        }
    }

    /// What happened from one frame to another, both included, in order.
    pub fn happened(&self, from: u64, to: u64) -> impl DoubleEndedIterator<Item = &Happening> {
        // Within a block they are in order to the block only.
        let slack = estampie_engine::time::BLOCK as u64;
        let first = self.happened.partition_point(|h| h.frame + slack < from);
        let last = self.happened.partition_point(|h| h.frame <= to.saturating_add(slack));
        self.happened.range(first..last.max(first)).filter(move |h| h.frame >= from && h.frame <= to)
    }

    /// The changes of states and sections up to a frame, in order, as far as they are known: those from before half an hour too.
    pub fn changes(&self, to: u64) -> impl Iterator<Item = &Happening> {
        self.changes.iter().take_while(move |h| h.frame <= to)
    }

    /// The voices that sound anywhere between two frames, in the order of their beginnings.
    pub fn bars(&self, from: u64, to: u64) -> impl DoubleEndedIterator<Item = &Bar> {
        let last = self.bars.partition_point(|b| b.start <= to);
        self.bars.range(..last).filter(move |b| b.touches(from, to))
    }

    /// How everything stood at a frame: the last status at or before it, else the first after it.
    #[must_use]
    pub fn at(&self, frame: u64) -> Option<&Status> {
        for statuses in &self.statuses {
            let after = statuses.partition_point(|s| s.frame <= frame);
            if after > 0 {
                return Some(&statuses[after - 1]);
            }
        }
        self.statuses.iter().rev().find_map(|s| s.front()).map(|s| &**s)
    }

    /// The first frame from `from` on at which it is known how a voice stood.
    #[must_use]
    pub fn first_with(&self, voice: u64, from: u64) -> Option<u64> {
        let statuses = self.statuses.iter().rev().flat_map(|tier| tier.range(tier.partition_point(|s| s.frame < from)..));
        statuses.into_iter().find(|s| s.voices.iter().any(|v| v.voice == voice)).map(|s| s.frame)
    }

    /// What has ended in the seconds before a frame, the newest first.
    pub fn ended_before(&self, frame: u64, seconds: f64) -> impl Iterator<Item = &Ended> {
        let after = self.ended.partition_point(|e| e.at <= frame);
        let oldest = frame.saturating_sub(self.frames(seconds));
        self.ended.range(..after).rev().take_while(move |e| e.at > oldest)
    }

    /// The value of a track at a frame.
    #[must_use]
    pub fn value(&self, track: Track, frame: u64) -> Option<f32> {
        let values = &self.followed.get(&track)?.values;
        let after = values.partition_point(|v| v.0 <= frame);
        values.get(after.checked_sub(1)?).map(|v| v.1)
    }

    /// The values of a track between two frames, with the one before them and the one after: what stays as it is is told by its ends alone.
    pub fn values(&self, track: Track, from: u64, to: u64) -> impl ExactSizeIterator<Item = (u64, f32)> + '_ {
        static NONE: VecDeque<(u64, f32)> = VecDeque::new();
        let values = self.followed.get(&track).map_or(&NONE, |f| &f.values);
        let first = values.partition_point(|v| v.0 < from).saturating_sub(1);
        let last = (values.partition_point(|v| v.0 <= to) + 1).min(values.len());
        values.range(first.min(last)..last).copied()
    }

    /// The same, no finer than can be drawn if what lies within `grain` frames falls together.
    pub fn values_within(&self, track: Track, (from, to): (u64, u64), grain: u64) -> Box<dyn Iterator<Item = (u64, f32)> + '_> {
        let followed = self.followed.get(&track).filter(|_| grain >= 2 * self.frames(COARSE));
        let Some(Followed { coarse, .. }) = followed else { return Box::new(self.values(track, from, to)) };
        let first = coarse.partition_point(|v| v.0 < from).saturating_sub(2);
        let last = (coarse.partition_point(|v| v.0 <= to) + 1).min(coarse.len());
        Box::new(coarse.range(first.min(last)..last).copied())
    }

    /// The sounds, layers and stingers that were ever heard or refused.
    pub fn sounds(&self) -> impl Iterator<Item = NameKey> {
        self.of_sound.keys().copied()
    }

    /// The bars of a sound that touch a stretch of time, in the order of their beginnings.
    pub fn bars_of(&self, sound: NameKey, from: u64, to: u64) -> impl Iterator<Item = &Bar> {
        let own = self.of_sound.get(&sound).into_iter().flat_map(|of| &of.bars);
        own.filter_map(|at| self.bars.get(at.checked_sub(self.forgotten)?)).take_while(move |b| b.start <= to).filter(move |b| b.touches(from, to))
    }

    /// The frames between two on which a sound was refused.
    pub fn refused_of(&self, sound: NameKey, from: u64, to: u64) -> impl Iterator<Item = u64> {
        self.of_sound.get(&sound).into_iter().flat_map(|of| &of.refused).copied().filter(move |frame| (from..=to).contains(frame))
    }

    /// The loudest of what began between two frames and was looked at while it sounded, of the sounds that count.
    pub fn loudest(&self, from: u64, to: u64, counts: impl Fn(&Bar) -> bool) -> Option<&Bar> {
        self.bars(from, to).filter(|b| b.start >= from && b.loudest_db.is_finite() && counts(b)).max_by(|a, b| a.loudest_db.total_cmp(&b.loudest_db))
    }

    /// What the level, pitch and filters of each sound have hung on so far.
    pub fn hangs_on(&self) -> impl Iterator<Item = (NameKey, &HashSet<NameKey>)> {
        self.hangs_on.iter().map(|(sound, of)| (*sound, of))
    }

    /// When something called so last came before a frame: an event, a change of a state, or the beginning or refusal of a sound.
    #[must_use]
    pub fn last_of(&self, key: NameKey, frame: u64) -> Option<&Happening> {
        self.happened(0, frame).rev().find(|h| match h.what {
            What::Event { event, .. } => event == key,
            What::State { state, .. } => state == key,
            What::VoiceStart { sound, .. } | What::VoiceEnd { sound, .. } | What::Refused { sound, .. } => sound == key,
            _ => false,
        })
    }
}

/// Takes a value into stretches of which the greatest and the last are kept, in their order; those before `oldest` go.
fn put_coarse(values: &mut VecDeque<(u64, f32)>, (frame, value): (u64, f32), stretch: u64, oldest: u64) {
    let stretch = stretch.max(1);
    let (count, part) = (values.len(), frame / stretch);
    let of_part = values.iter().rev().take(2).take_while(|v| v.0 / stretch == part).count();
    match of_part {
        // The first of its stretch is the greatest so far, and the last.
        0 => values.push_back((frame, value)),
        _ => {
            let greatest = values[count - of_part];
            if value >= greatest.1 {
                values.truncate(count - of_part);
            } else if of_part == 2 {
                values.pop_back();
            }
            values.push_back((frame, value));
        }
    }
    while values.get(2).is_some_and(|third| third.0 < oldest) {
        values.pop_front();
    }
}

#[cfg(test)]
#[path = "kept_tests.rs"]
mod tests;
