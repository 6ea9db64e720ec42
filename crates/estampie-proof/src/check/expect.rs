//! Holds playthroughs against what is expected of them.

use super::coverage::{Coverage, Within};
use super::observe::{Looks, Observed, STEP, Sample, observe};
use super::stood::HEARD;
use crate::cores::on_all_cores;
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::telemetry::What;
use estampie_engine::units::Seconds;
use estampie_project::document::{Document, Place};
use estampie_project::language::expect::{DISTANCE, Loudness, Named, Span, Stung};
use estampie_project::language::playthrough::PlaythroughLine;
use estampie_project::language::{Expected, Playthrough, SILENCE, Step, StepAction};
use std::collections::{HashMap, HashSet};
use std::sync::Arc;

/// An expectation that was not kept.
#[derive(Debug, Clone, PartialEq)]
pub struct Broken {
    /// Where it is written.
    pub place: Place,
    /// The playthrough.
    pub playthrough: String,
    /// From when on it was expected.
    pub from: Seconds,
    /// What was expected, as it is written.
    pub expected: String,
    /// What was instead.
    pub was: String,
    /// When that was, if it was at a moment.
    pub at: Option<Seconds>,
}

/// A level of dB within which two are the same.
const SAME: f32 = 0.1;
/// A snapshot is at its share within so much of it.
const SHARE: f32 = 0.005;
/// Seconds within which something is on a beat.
const ON_BEAT: f64 = 0.002;

/// How much is expected of a playthrough, that of all playthroughs included.
#[must_use]
pub fn count(document: &Document, playthrough: &Playthrough) -> usize {
    let own = |line: &&PlaythroughLine| matches!(line, PlaythroughLine::Step(Step { action: StepAction::Expect(_), .. }, _));
    playthrough.lines.iter().filter(own).count() + document.checks.len()
}

/// What is expected of a playthrough, that of all playthroughs included: from when on, in words, and where it is written.
#[must_use]
pub fn expectations(document: &Document, playthrough: &Playthrough) -> Vec<(Seconds, String, Place)> {
    all(document, playthrough).into_iter().map(|(expected, from, place)| (from, expected.to_string(), place.clone())).collect()
}

/// Holds all playthroughs of a project against what is expected of them, on all cores. `done` is told of each by its name, on the core that did it; it may
/// stop the rest by giving false.
#[must_use]
pub fn hold_all(program: &Arc<Program>, document: &Document, done: impl Fn(&str) -> bool + Sync) -> Vec<Broken> {
    let each = |(name, playthrough): &(String, Arc<Playthrough>)| hold(program, document, (name, playthrough), &|| true).unwrap_or_default();
    on_all_cores(&document.playthroughs, each, |(name, _)| done(name)).into_iter().flatten().collect()
}

impl std::fmt::Display for Broken {
    /// As a line with its place, as faults are told.
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let Broken { place, playthrough, from, expected, was, at } = self;
        write!(f, "{place}: {playthrough}, from {:.2} s: expected {expected}; {was}", from.0)?;
        match at {
            Some(at) => write!(f, " (at {:.2} s)", at.0),
            None => Ok(()),
        }
    }
}

/// The expectations of a playthrough, with their moments and places.
fn all<'a>(document: &'a Document, playthrough: &'a Playthrough) -> Vec<Held<'a>> {
    let own = playthrough.steps().into_iter().filter_map(|(step, place)| match &step.action {
        StepAction::Expect(expected) => Some((&**expected, step.at, place)),
        _ => None,
    });
    own.chain(always(document)).collect()
}

/// A playthrough that was listened to.
#[derive(Debug, Clone)]
pub struct Listened {
    /// What of it was not kept.
    pub broken: Vec<Broken>,
    /// What it comes by.
    pub coverage: Coverage,
}

/// Renders a playthrough, holds it against all that is expected of it, and counts what it comes by; nothing at all if `goes` said that it is no longer
/// wanted.
#[must_use]
pub fn listen(program: &Arc<Program>, document: &Document, (name, playthrough): (&str, &Playthrough), goes: &dyn Fn() -> bool) -> Option<Listened> {
    let expected = all(document, playthrough);
    let seen = observe(program, playthrough, Looks { watched: &watched(program, &expected), loudness: measures(&expected), load: false }, goes)?;
    let coverage = Coverage::of(&seen, &Within::new(program, document), document, name);
    Some(Listened { broken: judge(program, &expected, name, &seen), coverage })
}

/// Listens to all playthroughs of a project, on all cores: what was not kept, and what they come by. `done` is told of each by its name; it may stop the
/// rest by giving false.
#[must_use]
pub fn listen_all(program: &Arc<Program>, document: &Document, done: impl Fn(&str) -> bool + Sync) -> Listened {
    let each = |(name, playthrough): &(String, Arc<Playthrough>)| listen(program, document, (name, playthrough), &|| true);
    let mut whole = Listened { broken: Vec::new(), coverage: Coverage::nothing(program, document) };
    for own in on_all_cores(&document.playthroughs, each, |(name, _)| done(name)).into_iter().flatten() {
        whole.broken.extend(own.broken);
        whole.coverage.add(own.coverage);
    }
    whole
}

/// Renders a playthrough and holds it against all that is expected of it; gives what was not kept, or nothing at all if `goes` said that it is no longer
/// wanted. Without expectations nothing is rendered.
#[must_use]
pub fn hold(program: &Arc<Program>, document: &Document, (name, playthrough): (&str, &Playthrough), goes: &dyn Fn() -> bool) -> Option<Vec<Broken>> {
    let expected = all(document, playthrough);
    if expected.is_empty() {
        return Some(Vec::new());
    }
    let seen = observe(program, playthrough, Looks { watched: &watched(program, &expected), loudness: measures(&expected), load: false }, goes)?;
    Some(judge(program, &expected, name, &seen))
}

/// What is expected of every playthrough.
pub(crate) fn always(document: &Document) -> Vec<Held<'_>> {
    document.checks.iter().map(|a| (&a.expected, Seconds(0.0), &a.place)).collect()
}

/// An expectation with its moment and place.
pub(crate) type Held<'a> = (&'a Expected, Seconds, &'a Place);

/// Whether loudness has to be measured for expectations: that takes as long as all the rest.
pub(crate) fn measures(expected: &[Held<'_>]) -> bool {
    expected.iter().any(|(e, ..)| matches!(e, Expected::Loudness(..) | Expected::TruePeak(_)))
}

/// The sounds that expectations are about.
pub(crate) fn watched(program: &Program, expected: &[Held<'_>]) -> HashSet<NameKey> {
    let named: Vec<&str> =
        expected.iter().flat_map(|(e, ..)| e.names()).filter(|(of, _)| matches!(of, Named::Sound | Named::Sounds)).map(|(_, w)| w.text.as_str()).collect();
    program.sounds.iter().map(|s| s.key).filter(|key| named.iter().any(|n| covers(program, n, *key))).collect()
}

/// What of expectations is not kept by what was seen.
pub(crate) fn judge(program: &Program, expected: &[Held<'_>], name: &str, seen: &Observed) -> Vec<Broken> {
    let look = Look { program, seen };
    let broken = expected.iter().filter_map(|(expected, from, place)| {
        let frame = from.frames(seen.rate);
        let was = look.judge(expected, frame)?;
        Some(Broken {
            place: (*place).clone(),
            playthrough: name.to_owned(),
            from: *from,
            expected: expected.to_string(),
            was: was.words,
            at: was.frame.map(|f| Seconds::of_frames(f, seen.rate)),
        })
    });
    broken.collect()
}

/// Whether a name means a sound: its own, the beginning of its name, or its group.
fn covers(program: &Program, name: &str, sound: NameKey) -> bool {
    let own = program.names.get(sound);
    own == name || own.strip_prefix(name).is_some_and(|rest| rest.starts_with('/')) || group_of(program, sound).is_some_and(|group| group == name)
}

fn group_of(program: &Program, sound: NameKey) -> Option<&str> {
    let spec = &program.sounds[program.find_sound.get(sound)?];
    let group = program.groups.get(spec.group? as usize)?;
    Some(program.names.get(group.key))
}

/// What was instead.
#[derive(Debug, Clone, PartialEq)]
struct Was {
    words: String,
    frame: Option<u64>,
}

fn was(words: impl Into<String>, frame: impl Into<Option<u64>>) -> Option<Was> {
    Some(Was { words: words.into(), frame: frame.into() })
}

/// A run of moments in which a parameter goes one way while a sound is heard.
#[derive(Debug, Clone, Copy)]
struct Run {
    begun: (f32, f32, u64),
    last: (f32, f32, u64),
}

struct Look<'a> {
    program: &'a Program,
    seen: &'a Observed,
}

impl Look<'_> {
    fn seconds(&self, frames: u64) -> f64 {
        frames as f64 / f64::from(self.seen.rate)
    }

    fn until(&self, from: u64, within: Option<Seconds>) -> u64 {
        within.map_or(u64::MAX, |w| from + w.frames(self.seen.rate))
    }

    /// The moments from one to another, the last included.
    fn samples(&self, from: u64, until: u64) -> impl Iterator<Item = &Sample> {
        self.seen.samples.iter().filter(move |s| s.frame >= from && s.frame <= until.saturating_add(STEP as u64))
    }

    /// The sounds that a name means.
    fn covered(&self, name: &str) -> HashSet<NameKey> {
        self.program.sounds.iter().map(|s| s.key).filter(|key| covers(self.program, name, *key)).collect()
    }

    /// When voices of a sound began that came to be heard, with their takes, in order.
    fn beginnings(&self, sound: &str) -> Vec<(u64, NameKey)> {
        let (mut loud, covered) = (HashSet::new(), self.covered(sound));
        for sample in &self.seen.samples {
            loud.extend(sample.voices.iter().filter(|v| v.level_db > HEARD && covered.contains(&v.sound)).map(|v| v.voice));
        }
        let begun = self.seen.happened.iter().filter_map(|h| match h.what {
            What::VoiceStart { voice, take, .. } if loud.contains(&voice) => Some((h.frame, take)),
            _ => None,
        });
        begun.collect()
    }

    /// Why a sound that was not heard was not, if something says so.
    fn why_not(&self, sound: &str, from: u64, until: u64) -> String {
        let key = NameKey::of(sound);
        let mut started = false;
        for happening in self.seen.happened.iter().filter(|h| h.frame >= from && h.frame <= until) {
            match happening.what {
                What::Refused { sound, reason, .. } if sound == key => {
                    let when = self.seconds(happening.frame);
                    return format!("; at {when:.2} s it was refused: {}", crate::trace::reason_text(&reason, &self.program.names));
                }
                What::VoiceStart { sound, leaf, .. } if sound == key || leaf == key => started = true,
                _ => {}
            }
        }
        if started { format!("; it was played, more than {:.0} dB down", -HEARD) } else { String::new() }
    }

    /// What was instead of what was expected from a frame on; `None` if it was kept.
    fn judge(&self, expected: &Expected, from: u64) -> Option<Was> {
        match expected {
            Expected::Heard(sound, within) => self.heard(&sound.text, from, self.until(from, *within)),
            Expected::NeverHeard(sound, within) => {
                let until = self.until(from, *within);
                let (frame, _) = self.beginnings(&sound.text).into_iter().find(|(f, _)| (from..=until).contains(f))?;
                was(format!("it began {:.2} s after", self.seconds(frame - from)), frame)
            }
            Expected::NotAgain(sound, apart) => {
                let begun: Vec<u64> = self.beginnings(&sound.text).into_iter().map(|(f, _)| f).filter(|f| *f >= from).collect();
                let near = begun.windows(2).find(|w| w[1] - w[0] < apart.frames(self.seen.rate))?;
                was(format!("it began again {:.2} s after it had begun", self.seconds(near[1] - near[0])), near[1])
            }
            Expected::Takes(count, sound) => {
                let takes: HashSet<NameKey> = self.beginnings(&sound.text).into_iter().filter(|(f, _)| *f >= from).map(|(_, take)| take).collect();
                if takes.len() >= *count as usize {
                    return None;
                }
                was(if takes.len() == 1 { "one take was heard".to_owned() } else { format!("{} takes were heard", takes.len()) }, None)
            }
            Expected::AtMost(count, of) => self.at_most(*count as usize, &of.text, from),
            Expected::Over(sound, bus, by) => self.over((&sound.text, &bus.text), *by as f32, from),
            Expected::Silent(bus, within) => {
                let at = self.bus(&bus.text)?;
                // What sounded before this moment may be in the first look.
                let loud = self.samples(from + STEP as u64, self.until(from, *within)).find(|s| s.peaks.get(at).is_some_and(|p| *p > 0.0))?;
                was(format!("it had a peak of {:.1} dBFS", decibels(loud.peaks[at])), loud.frame)
            }
            Expected::Quieter(bus, than, by, within) => {
                let (a, b) = (self.bus(&bus.text)?, self.bus(&than.text)?);
                let until = self.until(from, *within);
                let mean = |at: usize| mean_db(self.samples(from, until).filter_map(|s| s.powers_db.get(at).copied()));
                let (a, b) = (mean(a)?, mean(b)?);
                if b - a >= *by as f32 {
                    return None;
                }
                was(format!("{bus} was {a:.1} dB and {than} {b:.1} dB"), None)
            }
            Expected::Loudness(which, low, high) => self.loudness(*which, (*low, *high), from),
            Expected::TruePeak(limit) => {
                let first = self.tenth(from);
                let (at, worst) = self.seen.tenths.iter().enumerate().skip(first).max_by(|a, b| a.1.true_peak.total_cmp(&b.1.true_peak))?;
                if worst.true_peak < *limit {
                    return None;
                }
                was(format!("{:.2} dBTP", worst.true_peak), self.frame_of(at))
            }
            Expected::Section(piece, section, span) => self.section(&piece.text, &section.text, *span, from),
            Expected::Stinger(stinger, stung) => self.stinger(&stinger.text, *stung, from),
            Expected::Snapshot(snapshot, share, within) => {
                let key = NameKey::of(&snapshot.text);
                let at = self.program.mix.snapshots.iter().position(|s| s.key == key)?;
                let until = self.until(from, Some(within.unwrap_or(Seconds(0.0))));
                let shares = || self.samples(from, until).filter_map(|s| s.snapshots.get(at).copied());
                let away = |s: f32| (s - *share as f32).abs();
                if shares().any(|s| away(s) <= SHARE) {
                    return None;
                }
                let nearest = shares().min_by(|a, b| away(*a).total_cmp(&away(*b)))?;
                was(format!("{:.0} % was the nearest that it came", nearest * 100.0), None)
            }
            Expected::NoClick => {
                let frame = self.seen.clicks.iter().find(|f| **f >= from)?;
                let more = self.seen.clicks.iter().filter(|f| **f > *frame).count();
                let and = if more == 0 { String::new() } else { format!(", and {more} more") };
                was(format!("one at {:.3} s{and}", self.seconds(*frame)), *frame)
            }
            Expected::NoSilence(over) => self.silence(over.frames(self.seen.rate), from),
            Expected::Follows { sound, rises, parameter, grows } => self.follows((&sound.text, &parameter.text), *rises == *grows, from),
        }
    }

    fn heard(&self, sound: &str, from: u64, until: u64) -> Option<Was> {
        let begun = self.beginnings(sound);
        let next = begun.iter().map(|(f, _)| *f).find(|f| *f >= from);
        if next.is_some_and(|f| f <= until) {
            return None;
        }
        let before = begun.iter().map(|(f, _)| *f).rfind(|f| *f < from);
        match (next, before) {
            (Some(next), _) => was(format!("it began {:.2} s after{}", self.seconds(next - from), self.why_not(sound, from, until)), next),
            (None, Some(before)) => {
                was(format!("it began {:.2} s before, and not again{}", self.seconds(from - before), self.why_not(sound, from, until)), before)
            }
            (None, None) => was(format!("it was never heard{}", self.why_not(sound, from, until)), None),
        }
    }

    fn at_most(&self, most: usize, of: &str, from: u64) -> Option<Was> {
        let (mut greatest, covered) = ((0, 0), self.covered(of));
        for sample in self.samples(from, u64::MAX) {
            let count = sample.voices.iter().filter(|v| v.level_db > HEARD && covered.contains(&v.sound)).count();
            if count > greatest.0 {
                greatest = (count, sample.frame);
            }
        }
        (greatest.0 > most).then(|| Was { words: format!("{} at once", greatest.0), frame: Some(greatest.1) })
    }

    fn bus(&self, name: &str) -> Option<usize> {
        let key = NameKey::of(name);
        self.program.mix.buses.iter().position(|b| b.key == key)
    }

    /// Whether a voice has sounded for so long that what its bus gives is what it gives.
    fn settled(&self, voice: u64, frame: u64) -> bool {
        let (begun, ended) = self.seen.spans.get(&voice).copied().unwrap_or((0, u64::MAX));
        frame >= begun + u64::from(self.seen.rate) * 4 / 10 && frame <= ended
    }

    fn over(&self, (sound, bus): (&str, &str), by: f32, from: u64) -> Option<Was> {
        let bus_at = self.bus(bus)?;
        let covered = self.covered(sound);
        let gather = |settled: bool| {
            let (mut of_sound, mut of_bus) = (Vec::new(), Vec::new());
            for sample in self.samples(from, u64::MAX) {
                let voices = sample.voices.iter().filter(|v| covered.contains(&v.sound) && (!settled || self.settled(v.voice, sample.frame)));
                let powers: Vec<f32> = voices.map(|v| v.power_db).filter(|p| *p > HEARD).collect();
                if powers.is_empty() {
                    continue;
                }
                of_sound.push(10.0 * powers.iter().map(|p| 10f32.powf(p / 10.0)).sum::<f32>().log10());
                of_bus.extend(sample.powers_db.get(bus_at));
            }
            (of_sound, of_bus)
        };
        // What a bus gives is followed over 300 ms: what is long enough is looked at when that has settled.
        let (of_sound, of_bus) = Some(gather(true)).filter(|(of_sound, _)| !of_sound.is_empty()).unwrap_or_else(|| gather(false));
        let Some((a, b)) = mean_db(of_sound.into_iter()).zip(mean_db(of_bus.into_iter())) else {
            return was(format!("{sound} was not heard"), None);
        };
        if a - b >= by {
            return None;
        }
        let how = if a >= b { format!("only {:.1} dB over", a - b) } else { format!("{:.1} dB under", b - a) };
        was(format!("{how}: {sound} {a:.1} dB, {bus} {b:.1} dB"), None)
    }

    /// The tenth of a second that begins at a frame or after it.
    fn tenth(&self, frame: u64) -> usize {
        frame.div_ceil(u64::from(self.seen.rate) / 10) as usize
    }

    fn frame_of(&self, tenth: usize) -> u64 {
        tenth as u64 * u64::from(self.seen.rate) / 10
    }

    fn loudness(&self, which: Loudness, (low, high): (f64, f64), from: u64) -> Option<Was> {
        let outside = |value: f64| value > high || value < low;
        if which == Loudness::Integrated {
            let value = self.seen.integrated;
            return if outside(value) { was(format!("{value:.1} LUFS"), None) } else { None };
        }
        // What it is measured over has to lie behind the beginning.
        let (long, value): (usize, fn(&super::observe::Tenth) -> f64) = match which {
            Loudness::Momentary => (4, |t| t.momentary),
            _ => (30, |t| t.short_term),
        };
        let first = self.tenth(from) + long;
        // Silence is what nobody finds too quiet: the absolute gate of BS.1770.
        let counted = self.seen.tenths.iter().enumerate().skip(first).map(|(at, t)| (at, value(t))).filter(|(_, v)| *v > -70.0);
        let far = |v: f64| (v - high).max(low - v);
        let (at, worst) = counted.filter(|(_, v)| outside(*v)).max_by(|a, b| far(a.1).total_cmp(&far(b.1)))?;
        was(format!("{worst:.1} LUFS"), self.frame_of(at))
    }

    /// The section that a piece is in at a frame; none is silence.
    fn section(&self, piece: &str, section: &str, span: Span, from: u64) -> Option<Was> {
        let key = NameKey::of(piece);
        let changes: Vec<(u64, NameKey)> = self
            .seen
            .happened
            .iter()
            .filter_map(|h| match h.what {
                What::Section { piece, section, .. } if piece == key => Some((h.frame, section)),
                _ => None,
            })
            .collect();
        let wanted = if section == SILENCE { NameKey::NONE } else { NameKey::of(section) };
        let full = NameKey::of(&format!("{piece}/{section}"));
        let is = |found: NameKey| found == wanted || (!found.is_none() && found == full);
        let within = match span {
            Span::Time(time) => time.frames(self.seen.rate),
            Span::Bars(bars) => {
                let known = self.seen.bars.iter().filter(|(_, p, _)| *p == key);
                let seconds = known.clone().rfind(|(f, ..)| *f <= from).or_else(|| known.clone().next()).map_or(0.0, |(.., s)| *s);
                (bars * seconds * f64::from(self.seen.rate)).round() as u64
            }
        };
        let now = changes.iter().rfind(|(f, _)| *f <= from).map_or(NameKey::NONE, |(_, s)| *s);
        let next = changes.iter().find(|(f, s)| *f > from && is(*s));
        if is(now) || next.is_some_and(|(f, _)| *f <= from + within) {
            return None;
        }
        let name = |key: NameKey| crate::trace::section_name(key, &self.program.names).to_owned();
        match next {
            Some((frame, _)) => was(format!("it came {:.2} s after", self.seconds(frame - from)), *frame),
            None => {
                let end = changes.iter().rfind(|(f, _)| *f <= from + within).map_or(now, |(_, s)| *s);
                was(format!("it was in {}, and never came there", name(end)), None)
            }
        }
    }

    fn stinger(&self, stinger: &str, stung: Stung, from: u64) -> Option<Was> {
        let key = NameKey::of(stinger);
        let came: Vec<_> = self.seen.stung.iter().filter(|s| s.stinger == key && s.frame >= from).collect();
        match stung {
            Stung::Within(within) => {
                let until = self.until(from, within);
                match came.first() {
                    Some(first) if first.frame <= until => None,
                    Some(first) => was(format!("it came {:.2} s after", self.seconds(first.frame - from)), first.frame),
                    None => was("it never came", None),
                }
            }
            _ if came.is_empty() => was("it never came", None),
            _ => {
                let off = came.iter().find(|s| s.beat.is_none_or(|(beat, apart)| apart > ON_BEAT || (stung == Stung::OnTheBar && beat != 0)))?;
                let where_ = match off.beat {
                    None => "it came while no music played".to_owned(),
                    Some((beat, apart)) if apart <= ON_BEAT => format!("it came on beat {}", beat + 1),
                    Some((_, apart)) => format!("it came {:.0} ms beside a beat", apart * 1e3),
                };
                was(where_, off.frame)
            }
        }
    }

    fn silence(&self, over: u64, from: u64) -> Option<Was> {
        let (mut begun, mut longest): (Option<u64>, (u64, u64)) = (None, (0, 0));
        for sample in self.samples(from, u64::MAX) {
            if decibels(sample.peak) > HEARD {
                begun = None;
                continue;
            }
            let since = *begun.get_or_insert(sample.frame);
            if sample.frame - since > longest.0 {
                longest = (sample.frame - since, since);
            }
        }
        (longest.0 > over).then(|| Was { words: format!("nothing was heard for {:.1} s", self.seconds(longest.0)), frame: Some(longest.1) })
    }

    /// Whether the level of a sound goes with a parameter, or against it.
    fn follows(&self, (sound, parameter): (&str, &str), along: bool, from: u64) -> Option<Was> {
        let index = self.program.parameters.iter().position(|p| p.key == NameKey::of(parameter));
        let (mut runs, covered): (Vec<Run>, _) = (Vec::new(), self.covered(sound));
        let mut of_voice: HashMap<u64, Run> = HashMap::new();
        for sample in self.samples(from, u64::MAX) {
            let mut still: HashMap<u64, Run> = HashMap::new();
            for voice in sample.voices.iter().filter(|v| covered.contains(&v.sound)) {
                let value = if parameter == DISTANCE { voice.metres } else { index.and_then(|i| sample.parameters.get(i).copied()) };
                let Some(value) = value else { continue };
                let now = (value, voice.level_db, sample.frame);
                let run = match of_voice.remove(&voice.voice) {
                    None => Run { begun: now, last: now },
                    // Before it moves, and after it has, the level may go its own ways.
                    Some(run) if value == run.last.0 && run.begun.0 == run.last.0 => Run { begun: now, last: now },
                    Some(run) if value == run.last.0 => run,
                    Some(run) if (run.last.0 - run.begun.0) * (value - run.last.0) >= 0.0 => Run { last: now, ..run },
                    Some(run) => {
                        runs.push(run);
                        Run { begun: run.last, last: now }
                    }
                };
                still.insert(voice.voice, run);
            }
            runs.extend(of_voice.drain().map(|(_, run)| run));
            of_voice = still;
        }
        runs.extend(of_voice.into_values());
        // Small ways say nothing.
        let widest = runs.iter().map(|r| (r.last.0 - r.begun.0).abs()).fold(0.0f32, f32::max);
        runs.retain(|r| (r.last.0 - r.begun.0).abs() > widest * 0.1);
        if widest == 0.0 || runs.is_empty() {
            return was(format!("{parameter} stood still while {sound} was heard"), None);
        }
        runs.sort_by_key(|r| r.begun.2);
        let wrong = runs.iter().find(|r| {
            let (moved, level) = (r.last.0 - r.begun.0, r.last.1 - r.begun.1);
            let signed = level * moved.signum() * if along { 1.0 } else { -1.0 };
            signed < SAME
        })?;
        let (a, b) = (wrong.begun, wrong.last);
        was(format!("{parameter} went from {:.1} to {:.1}, and its level from {:.1} dB to {:.1} dB", a.0, b.0, a.1, b.1), a.2)
    }
}

fn decibels(value: f32) -> f32 {
    20.0 * value.max(1e-9).log10()
}

/// The mean of powers, in dB.
fn mean_db(values: impl Iterator<Item = f32>) -> Option<f32> {
    let (mut sum, mut count) = (0.0f64, 0u32);
    for value in values {
        sum += 10f64.powf(f64::from(value) / 10.0);
        count += 1;
    }
    (count > 0).then(|| (10.0 * (sum / f64::from(count)).max(1e-30).log10()) as f32)
}
