//! What was kept, as lanes over one time: which lanes there are in a stretch of time, and what each holds there. A screen and a drawing on paper
//! show the same.

use super::kept::{Kept, Track};
use super::would::{called_by, subject_of};
use super::{section_name, sentence};
use estampie_engine::engine::Status;
use estampie_engine::names::{NameKey, Names};
use estampie_engine::program::Program;
use estampie_engine::telemetry::{Happening, Notice, What};
use estampie_engine::vocabulary::Answer;
use std::collections::{BTreeSet, HashMap, HashSet};

/// Lanes that belong together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Group {
    /// What the game tells.
    Game,
    /// Pieces and stingers.
    Music,
    /// Snapshots.
    Snapshots,
    /// Sounds.
    Sounds,
    /// Buses.
    Buses,
    /// What comes out, and what it takes.
    Output,
}

impl Group {
    /// All, from top to bottom.
    pub const ALL: [Group; 6] = [Group::Game, Group::Music, Group::Snapshots, Group::Sounds, Group::Buses, Group::Output];

    /// Its name.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Group::Game => "From the game",
            Group::Music => "Music",
            Group::Snapshots => "Snapshots",
            Group::Sounds => "Sounds",
            Group::Buses => "Buses",
            Group::Output => "Output",
        }
    }
}

/// What a lane follows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Follows {
    /// All events.
    Events,
    /// A state.
    State,
    /// A parameter within its range, low and high (as bits, so that lanes can be told apart).
    Parameter,
    /// Zones entered and left.
    Zones,
    /// A piece.
    Piece,
    /// Stingers.
    Stingers,
    /// A snapshot.
    Snapshot,
    /// A sound.
    Sound,
    /// A bus.
    Bus,
    /// Short-term loudness.
    Loudness,
    /// The output's peak.
    Peak,
    /// What the ceiling takes away.
    Ceiling,
    /// How many voices are heard.
    Voices,
    /// The load.
    Load,
    /// What an effect that turns down takes away.
    Reduction,
    /// How many lines of a character wait.
    Waiting,
}

/// A lane.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Lane {
    /// Where it belongs.
    pub group: Group,
    /// What it follows.
    pub follows: Follows,
    /// Of which thing, or none.
    pub key: NameKey,
    /// What it is called.
    pub name: String,
}

/// What a mark stands for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mark {
    /// Something came from the game.
    Game,
    /// Something was sent by a reaction, or happened by itself.
    Plain,
    /// Something was refused, or needs attention.
    Refused,
}

/// What a lane holds in a stretch of time.
#[derive(Debug, Clone, PartialEq)]
pub enum Content {
    /// One after another, each with its name: from, to (both in frames) and whether it began within what is kept.
    Stretches(Vec<(u64, u64, String)>),
    /// Voices from where they begin to where they end (both in frames) and whether they still sound at the end of the stretch; and where one was refused.
    Bars(Vec<(u64, u64, bool)>, Vec<u64>),
    /// Moments, each with what it is.
    Marks(Vec<(u64, String, Mark)>),
    /// Values over time, from low to high in a unit.
    Values {
        /// Frame and value.
        points: Vec<(u64, f32)>,
        /// At the foot.
        low: f32,
        /// At the top.
        high: f32,
        /// The unit.
        unit: &'static str,
    },
}

/// Which lanes are wanted.
#[derive(Debug, Clone, Default)]
pub struct Wanted {
    /// Only these things, and what is no thing.
    pub only: Option<HashSet<NameKey>>,
    /// Only what was refused.
    pub refused: bool,
    /// Groups of which only the heading is wanted.
    pub folded: BTreeSet<Group>,
}

/// The lanes of a stretch of time, in their order.
#[must_use]
pub fn lanes(kept: &Kept, program: &Program, names: &Names, (from, to): (u64, u64), wanted: &Wanted) -> Vec<Lane> {
    let counts = |key: NameKey| wanted.only.as_ref().is_none_or(|only| only.contains(&key));
    let mut list = Vec::new();
    let mut add = |group, follows, key: NameKey, name: &str| list.push(Lane { group, follows, key, name: name.to_owned() });
    let (mut refused, mut asked) = (HashSet::new(), HashSet::new());
    for sound in kept.sounds() {
        if kept.refused_of(sound, from, to).next().is_some() {
            refused.insert(sound);
        }
        if kept.bars_of(sound, from, to).next().is_some() {
            asked.insert(sound);
        }
    }
    let (mut zones, mut stingers) = (false, refused.iter().any(|key| program.music.find_stinger.get(*key).is_some()));
    for happening in kept.happened(from, to) {
        zones |= matches!(happening.what, What::Zone { .. });
        stingers |= matches!(happening.what, What::Sting { .. } | What::Waits { .. });
        if zones && stingers {
            break;
        }
    }
    let shown = |group: Group| !wanted.folded.contains(&group);
    if shown(Group::Game) && !wanted.refused {
        add(Group::Game, Follows::Events, NameKey::NONE, "events");
        for state in program.states.iter().filter(|s| counts(s.key)) {
            add(Group::Game, Follows::State, state.key, names.get(state.key));
        }
        if zones {
            add(Group::Game, Follows::Zones, NameKey::NONE, "zones");
        }
        // What never moved in this time says nothing, unless it is what is asked for.
        let moves = |key: NameKey| {
            let mut values = kept.values(Track::Parameter(key), from, to).filter(|v| v.0 <= to).map(|v| v.1);
            let first = values.next();
            first.is_some_and(|first| values.any(|v| v != first))
        };
        for parameter in program.parameters.iter().filter(|p| counts(p.key) && (wanted.only.is_some() || moves(p.key))) {
            add(Group::Game, Follows::Parameter, parameter.key, names.get(parameter.key));
        }
    }
    if shown(Group::Music) {
        for piece in program.music.pieces.iter().filter(|p| counts(p.key) && !wanted.refused) {
            let played = kept.changes(to).any(|h| matches!(h.what, What::Section { piece: of, .. } | What::Asked { piece: of, .. } if of == piece.key));
            if played {
                add(Group::Music, Follows::Piece, piece.key, names.get(piece.key));
            }
        }
        let some_refused = refused.iter().any(|key| program.music.find_stinger.get(*key).is_some());
        if stingers && (!wanted.refused || some_refused) {
            add(Group::Music, Follows::Stingers, NameKey::NONE, "stingers");
        }
    }
    if shown(Group::Snapshots) && !wanted.refused {
        for snapshot in program.mix.snapshots.iter().filter(|s| counts(s.key)) {
            if kept.values(Track::Snapshot(snapshot.key), from, to).any(|v| v.0 <= to && v.1 > 0.0) {
                add(Group::Snapshots, Follows::Snapshot, snapshot.key, names.get(snapshot.key));
            }
        }
    }
    if shown(Group::Sounds) {
        // Layers of pieces stand with their piece.
        let own = |key: &NameKey| !names.get(*key).contains(' ') && program.music.find_stinger.get(*key).is_none();
        let all: HashSet<NameKey> = if wanted.refused { refused.clone() } else { asked.union(&refused).copied().collect() };
        let mut sounds: Vec<NameKey> = all.into_iter().filter(|key| own(key) && counts(*key)).collect();
        sounds.sort_by(|a, b| names.get(*a).cmp(names.get(*b)));
        for key in sounds {
            add(Group::Sounds, Follows::Sound, key, names.get(key));
        }
        for speaker in program.speakers.iter().filter(|key| counts(**key) && !wanted.refused) {
            if kept.values(Track::Waiting(*speaker), from, to).any(|v| v.0 <= to && v.1 > 0.0) {
                add(Group::Sounds, Follows::Waiting, *speaker, &format!("{} waits", names.get(*speaker)));
            }
        }
    }
    if shown(Group::Buses) && !wanted.refused {
        for bus in program.mix.buses.iter().filter(|b| counts(b.key)) {
            add(Group::Buses, Follows::Bus, bus.key, names.get(bus.key));
            for effect in &bus.effects {
                if kept.values(Track::Reduction(effect.key), from, to).any(|v| v.0 <= to && v.1 > 0.05) {
                    add(Group::Buses, Follows::Reduction, effect.key, names.get(effect.key));
                }
            }
        }
    }
    if shown(Group::Output) && !wanted.refused {
        for (follows, name) in [(Follows::Loudness, "loudness"), (Follows::Peak, "peak"), (Follows::Voices, "voices"), (Follows::Load, "dsp")] {
            add(Group::Output, follows, NameKey::NONE, name);
        }
        if kept.values(Track::Ceiling, from, to).any(|v| v.1 < -0.05) {
            add(Group::Output, Follows::Ceiling, NameKey::NONE, "ceiling");
        }
    }
    list
}

/// The track that a lane draws, with low, high and unit.
fn track(lane: &Lane, program: &Program) -> Option<(Track, f32, f32, &'static str)> {
    Some(match lane.follows {
        Follows::Parameter => {
            let spec = program.find_parameter.get(lane.key).map(|i| &program.parameters[i])?;
            (Track::Parameter(lane.key), spec.low, spec.high, "")
        }
        Follows::Snapshot => (Track::Snapshot(lane.key), 0.0, 1.0, ""),
        Follows::Bus => (Track::Bus(lane.key), -60.0, 0.0, "dBFS"),
        Follows::Loudness => (Track::Loudness, -50.0, -10.0, "LUFS"),
        Follows::Peak => (Track::Output, -60.0, 0.0, "dBFS"),
        Follows::Ceiling => (Track::Ceiling, -12.0, 0.0, "dB"),
        Follows::Voices => (Track::Voices, 0.0, program.voices as f32, ""),
        Follows::Load => (Track::Load, 0.0, 1.0, ""),
        Follows::Reduction => (Track::Reduction(lane.key), 0.0, 12.0, "dB"),
        Follows::Waiting => (Track::Waiting(lane.key), 0.0, 4.0, ""),
        _ => return None,
    })
}

/// What a lane holds in a stretch of time, no finer than can be drawn: of what falls within `grain` frames the first stands for all, of values the greatest
/// and the last. 0 is everything.
#[must_use]
pub fn drawn(lane: &Lane, kept: &Kept, program: &Program, names: &Names, window: (u64, u64), grain: u64) -> Content {
    thin(content_within(lane, kept, program, names, window, grain), grain)
}

/// Frame and value.
type Point = (u64, f32);

fn thin(held: Content, grain: u64) -> Content {
    if grain < 2 {
        return held;
    }
    let part = |frame: u64| frame / grain;
    match held {
        Content::Marks(marks) => {
            let mut few: Vec<(u64, String, Mark)> = Vec::new();
            for mark in marks {
                match few.last_mut() {
                    // What was refused is seen before all else.
                    Some(last) if part(last.0) == part(mark.0) => {
                        if mark.2 == Mark::Refused {
                            *last = mark;
                        }
                    }
                    _ => few.push(mark),
                }
            }
            Content::Marks(few)
        }
        Content::Bars(bars, mut refused) => {
            let mut few: Vec<(u64, u64, bool)> = Vec::new();
            for bar in bars {
                match few.last_mut() {
                    Some(last) if part(last.0) == part(bar.0) => (last.1, last.2) = (last.1.max(bar.1), last.2 | bar.2),
                    _ => few.push(bar),
                }
            }
            refused.dedup_by_key(|frame| part(*frame));
            Content::Bars(few, refused)
        }
        Content::Values { points, low, high, unit } => {
            let mut few: Vec<(u64, f32)> = Vec::new();
            // The greatest of a part, and its last.
            let (mut greatest, mut last): (Option<Point>, Option<Point>) = (None, None);
            let flush = |few: &mut Vec<Point>, greatest: &mut Option<Point>, last: &mut Option<Point>| {
                let (a, b) = (greatest.take(), last.take());
                few.extend(a.filter(|a| b.is_none_or(|b| b.0 != a.0)));
                few.extend(b);
            };
            for point in points {
                if last.is_some_and(|l| part(l.0) != part(point.0)) {
                    flush(&mut few, &mut greatest, &mut last);
                }
                if greatest.is_none_or(|g| point.1 > g.1) {
                    greatest = Some(point);
                }
                last = Some(point);
            }
            flush(&mut few, &mut greatest, &mut last);
            Content::Values { points: few, low, high, unit }
        }
        held @ Content::Stretches(_) => held,
    }
}

/// What a lane holds in a stretch of time. What began before it begins where it did.
#[must_use]
pub fn content(lane: &Lane, kept: &Kept, program: &Program, names: &Names, window: (u64, u64)) -> Content {
    content_within(lane, kept, program, names, window, 0)
}

/// Marks with their names, which are made for those alone that are not hidden by one before them within `grain` frames.
fn marks(all: impl Iterator<Item = (u64, Mark, NameOf)>, names: &Names, grain: u64) -> Content {
    let mut last: Option<(u64, Mark)> = None;
    let mut seen = Vec::new();
    for (frame, mark, name) in all {
        let hidden = |(before, of): (u64, Mark)| grain >= 2 && before / grain == frame / grain && (of == Mark::Refused || mark != Mark::Refused);
        if last.is_some_and(hidden) {
            continue;
        }
        last = Some((frame, mark));
        let name = match name {
            NameOf::Key(key) => names.get(key).to_owned(),
            NameOf::Notice(notice) => notice.text(names),
            NameOf::Zone(zone, entered) => format!("{} {}", if entered { "into" } else { "out of" }, names.get(zone)),
        };
        seen.push((frame, name, mark));
    }
    Content::Marks(seen)
}

/// What a mark is called by.
enum NameOf {
    Key(NameKey),
    Notice(Notice),
    Zone(NameKey, bool),
}

fn content_within(lane: &Lane, kept: &Kept, program: &Program, names: &Names, (from, to): (u64, u64), grain: u64) -> Content {
    match lane.follows {
        Follows::Events => {
            let mark = |h: &Happening| match h.what {
                What::Event { event, by, .. } => Some((h.frame, if by.is_none() { Mark::Game } else { Mark::Plain }, NameOf::Key(event))),
                What::Notice(notice) if !matches!(notice, Notice::Program(_)) => Some((h.frame, Mark::Refused, NameOf::Notice(notice))),
                _ => None,
            };
            marks(kept.happened(from, to).filter_map(mark), names, grain)
        }
        Follows::Zones => {
            let mark = |h: &Happening| match h.what {
                What::Zone { zone, entered } => Some((h.frame, Mark::Game, NameOf::Zone(zone, entered))),
                _ => None,
            };
            marks(kept.happened(from, to).filter_map(mark), names, grain)
        }
        Follows::Stingers => {
            let mark = |h: &Happening| match h.what {
                What::Sting { stinger, .. } => Some((h.frame, Mark::Plain, NameOf::Key(stinger))),
                What::Refused { sound, .. } if program.music.find_stinger.get(sound).is_some() => Some((h.frame, Mark::Refused, NameOf::Key(sound))),
                _ => None,
            };
            marks(kept.happened(from, to).filter_map(mark), names, grain)
        }
        Follows::State => {
            let first = program.find_state.get(lane.key).map_or("", |i| names.get(program.states[i].values[usize::from(program.states[i].start)]));
            // How it stood when what is kept begins, if it is known.
            let begins = kept.begins();
            let stood = kept
                .at(begins)
                .and_then(|s| Some(names.get(program.states.get(program.find_state.get(lane.key)?)?.values[usize::from(state_of(s, program, lane.key)?)])));
            let changes = kept.changes(to).filter_map(|h| match h.what {
                What::State { state, value, .. } if state == lane.key => Some((h.frame, names.get(value).to_owned())),
                _ => None,
            });
            Content::Stretches(stretches((begins, stood.unwrap_or(first).to_owned()), changes, from, to))
        }
        Follows::Piece => {
            let changes = kept.changes(to).filter_map(|h| match h.what {
                What::Section { piece, section, .. } if piece == lane.key => Some((h.frame, section_name(section, names).to_owned())),
                _ => None,
            });
            Content::Stretches(stretches((kept.begins(), section_name(NameKey::NONE, names).to_owned()), changes, from, to))
        }
        Follows::Sound => {
            let last = to.min(kept.now());
            let bars = kept.bars_of(lane.key, from, to);
            let bars = bars.map(|b| (b.start, b.end.map_or(last, |(end, _)| end.min(last)), b.end.is_none_or(|(end, _)| end > last)));
            Content::Bars(bars.collect(), kept.refused_of(lane.key, from, to).collect())
        }
        _ => {
            let Some((track, low, high, unit)) = track(lane, program) else { return Content::Marks(Vec::new()) };
            let points: Vec<(u64, f32)> = kept.values_within(track, (from, to), grain).collect();
            // Voices and load are drawn against what they reach, not against what they may.
            let high = match lane.follows {
                Follows::Voices => (points.iter().map(|p| p.1).fold(4.0, f32::max) / 4.0).ceil() * 4.0,
                Follows::Load => points.iter().map(|p| p.1).fold(0.05, f32::max),
                // A range without bounds, of a formula.
                Follows::Parameter if high - low > 1e5 => points.iter().map(|p| p.1).fold(1.0, f32::max),
                _ => high,
            };
            let low = if high - low > 1e5 { points.iter().map(|p| p.1).fold(0.0, f32::min) } else { low };
            Content::Values { points, low, high, unit }
        }
    }
}

fn state_of(status: &Status, program: &Program, key: NameKey) -> Option<u16> {
    (status.program == program.id).then_some(())?;
    status.states.get(program.find_state.get(key)?).copied()
}

/// From changes, one after another: what lasts from one to the next, as far as it touches a stretch of time.
fn stretches(first: (u64, String), changes: impl Iterator<Item = (u64, String)>, from: u64, to: u64) -> Vec<(u64, u64, String)> {
    let mut all = vec![first];
    for change in changes {
        match all.last_mut() {
            // Of several on one frame the last counts; what stays as it is goes on.
            Some(last) if last.0 == change.0 => last.1 = change.1,
            Some(last) if last.1 == change.1 => {}
            _ => all.push(change),
        }
    }
    let ends: Vec<u64> = all.iter().skip(1).map(|c| c.0).chain([to]).collect();
    let list = all.into_iter().zip(ends).filter(|((_, _), end)| *end >= from).map(|((begin, name), end)| (begin, end, name));
    list.filter(|(begin, ..)| *begin <= to).collect()
}

/// Who asked for what happened, and what it was about.
fn cause_of(what: &What) -> Option<(NameKey, NameKey)> {
    Some(match *what {
        What::Event { event, by, .. } => (by, event),
        What::Parameter { parameter, by, .. } => (by, parameter),
        What::State { state, by, .. } => (by, state),
        What::VoiceStart { sound, by, .. } | What::Refused { sound, by, .. } | What::LetGo { sound, by, .. } | What::Sweep { sound, by, .. } => (by, sound),
        What::Asked { piece, by, .. } | What::Section { piece, by, .. } => (by, piece),
        What::Waits { stinger, by } | What::Sting { stinger, by, .. } => (by, stinger),
        What::Snapshot { snapshot, by, .. } => (by, snapshot),
        _ => return None,
    })
}

/// Of what was kept so many happenings are looked at, the newest.
const LOOKED_AT: usize = 20_000;

/// All that had to do with a thing: what it leads to and what leads to it, through reactions, and what its level, pitch and filters hang on.
#[must_use]
pub fn touches(kept: &Kept, program: &Program, key: NameKey) -> HashSet<NameKey> {
    let mut leads: HashMap<NameKey, HashSet<NameKey>> = HashMap::new();
    for reaction in &program.reactions {
        let trigger = called_by(program, reaction.trigger);
        for cause in std::iter::once(trigger).chain(reaction.conditions.iter().map(|test| subject_of(program, *test))) {
            leads.entry(cause).or_default().insert(reaction.key);
        }
    }
    let now = kept.now();
    for happening in kept.happened(0, now).rev().take(LOOKED_AT) {
        if let Some((by, about)) = cause_of(&happening.what)
            && !by.is_none()
        {
            leads.entry(by).or_default().insert(about);
        }
    }
    for (sound, of) in kept.hangs_on() {
        for cause in of {
            leads.entry(*cause).or_default().insert(sound);
        }
    }
    leads.remove(&NameKey::NONE);
    let mut caused: HashMap<NameKey, HashSet<NameKey>> = HashMap::new();
    for (cause, effects) in &leads {
        for effect in effects {
            caused.entry(*effect).or_default().insert(*cause);
        }
    }
    let mut found = HashSet::from([key]);
    for way in [&leads, &caused] {
        let mut open = vec![key];
        let mut seen = HashSet::from([key]);
        while let Some(at) = open.pop() {
            for next in way.get(&at).into_iter().flatten() {
                if seen.insert(*next) {
                    open.push(*next);
                }
            }
        }
        found.extend(seen);
    }
    found
}

/// What is told of a lane's thing at a frame where nothing of it sounds: the last that happened of it, in words, with how many seconds before.
#[must_use]
pub fn last_told(kept: &Kept, names: &Names, key: NameKey, frame: u64) -> Option<(String, f64, bool)> {
    let last = kept.last_of(key, frame)?;
    let seconds = frame.saturating_sub(last.frame) as f64 / f64::from(kept.rate());
    let text = match last.what {
        // That it was played to its end has no line of its own.
        What::VoiceEnd { sound, cause, .. } => format!("{}: {}", names.get(sound), super::cause_word(cause)),
        _ => sentence(last, names)?.0.trim().to_owned(),
    };
    Some((text, seconds, matches!(last.what, What::Refused { .. })))
}

/// Whether what was answered needs attention.
#[must_use]
pub fn refused(what: &What) -> bool {
    matches!(what, What::Refused { .. } | What::Asked { answer: Answer::NotAllowed, .. }) || matches!(what, What::Notice(n) if !matches!(n, Notice::Program(_)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn thinned_it_has_at_most_two_of_each_part_the_greatest_and_the_last(frames in prop::collection::btree_set(0u64..5_000, 0..200), values in prop::collection::vec(-5i32..5, 200), grain in 2u64..900) {
            let points: Vec<(u64, f32)> = frames.iter().zip(&values).map(|(f, v)| (*f, *v as f32)).collect();
            let held = Content::Values { points: points.clone(), low: 0.0, high: 1.0, unit: "" };
            let Content::Values { points: few, .. } = thin(held.clone(), grain) else { panic!("values stay values") };
            prop_assert!(few.windows(2).all(|w| w[0].0 < w[1].0) && few.iter().all(|p| points.contains(p)));
            for part in points.iter().map(|p| p.0 / grain).collect::<BTreeSet<u64>>() {
                let of = |list: &[(u64, f32)]| list.iter().filter(|p| p.0 / grain == part).copied().collect::<Vec<_>>();
                let (all, some) = (of(&points), of(&few));
                let greatest = |list: &[(u64, f32)]| list.iter().map(|p| p.1).fold(f32::MIN, f32::max);
                prop_assert!(some.len() <= 2 && some.last() == all.last() && greatest(&some) == greatest(&all), "{all:?} {some:?}");
            }
            prop_assert_eq!(thin(held.clone(), 0), held);
            // Marks and bars: one of each part, what was refused before all else.
            let marks: Vec<(u64, String, Mark)> = points.iter().map(|(f, v)| (*f, String::new(), if *v > 3.0 { Mark::Refused } else { Mark::Game })).collect();
            let Content::Marks(few) = thin(Content::Marks(marks.clone()), grain) else { panic!("marks stay marks") };
            let parts = marks.iter().map(|m| m.0 / grain).collect::<BTreeSet<u64>>();
            prop_assert_eq!(few.iter().map(|m| m.0 / grain).collect::<Vec<_>>(), parts.into_iter().collect::<Vec<_>>());
            for mark in &few {
                let any = marks.iter().any(|m| m.0 / grain == mark.0 / grain && m.2 == Mark::Refused);
                prop_assert_eq!(mark.2 == Mark::Refused, any);
            }
        }
    }
}
