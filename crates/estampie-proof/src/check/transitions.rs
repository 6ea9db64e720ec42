//! Every transition checked: each allowed transition is rendered from several positions, and listened to.
//!
//! The engine that plays the game renders it, with all layers in and parameters at rest, so what is heard here is what will
//! be heard. What is listened for:
//!
//! - a **click**: a step from one sample to the next at the seam that is four times as large as any within 60 ms around it,
//!   and over −50 dB of full scale;
//! - a **gap**: 60 ms below −60 dB between two sides that sound;
//! - a **doubled downbeat**: an onset of what is left and one of what comes, of like strength, 15 to 90 ms apart at the arrival;
//! - a recording that sounds **again** from its start when its section is left at its end;
//! - a **jump** of loudness of more than 3 LU from the second and a half before to the one after (ITU-R BS.1770-4,
//!   without gating, over whatever sounds), with the layers in that the game would have in.
//!
//! What is found at a transition that says `accepted = "…"` is listed with the reason and counted apart.

use ebur128::{EbuR128, Mode};
use estampie_engine::engine::{Engine, Input, InputKind, Options, Prepared};
use estampie_engine::index::{PieceIndex, SectionIndex};
use estampie_engine::music::spec::{Follows, Long, Section};
use estampie_engine::names::NameKey;
use estampie_engine::program::{Program, TakeOf};
use estampie_engine::telemetry::What;
use estampie_engine::time::BLOCK;
use std::collections::BTreeMap;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};

/// A way as it sounds.
#[derive(Debug, Clone)]
pub struct Seam {
    /// The piece, by index.
    pub piece: PieceIndex,
    /// The section that is left.
    pub from: SectionIndex,
    /// The section that comes; `None` is silence.
    pub to: Option<SectionIndex>,
    /// The bar (from 0) at which it was asked for.
    pub asked_in: u32,
    /// What of the left channel is still the old section, bridges not counted.
    pub old: Vec<f32>,
    /// Left and right, from before the seam to after the arrival.
    pub samples: [Vec<f32>; 2],
    /// Where in `samples` the old section is left.
    pub leaves: usize,
    /// Where in `samples` the new section arrives; the same unless a bridge lies between.
    pub arrives: usize,
    /// Frames from the asking to the leaving.
    pub waited: u64,
    /// The bar (from 0) in which it was left, and the frames of bar lines within `samples`.
    pub bars: Vec<usize>,
    /// The largest step at the seam, in dB of full scale.
    pub step_db: f32,
    /// The largest step around it, in dB of full scale.
    pub around_db: f32,
    /// Loudness before and after, in LUFS.
    pub loudness: (f64, f64),
    /// What was found.
    pub problems: Vec<ProblemKind>,
}

/// What can be wrong with a way.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum ProblemKind {
    /// A step at the seam, in dB of full scale, against the largest around it.
    Click(f32, f32),
    /// Silence, in seconds.
    Gap(f64),
    /// Two downbeats, so many seconds apart.
    Doubled(f64),
    /// A recording that has ended with its section sounds again from its start.
    Again,
    /// A jump of loudness, in LU.
    Jump(f64),
    /// It was asked for and did not come within a minute.
    Never,
}

/// A find with where it is.
#[derive(Debug, Clone, PartialEq)]
pub struct Problem {
    /// The piece's name.
    pub piece: String,
    /// The section that is left.
    pub from: String,
    /// The section that comes, or silence.
    pub to: String,
    /// The bar in which it was asked for, from 1.
    pub bar: u32,
    /// What it is.
    pub kind: ProblemKind,
    /// Why it is accepted, if it is.
    pub accepted: Option<String>,
}

impl std::fmt::Display for Problem {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{} {} ⟶ {}, asked in bar {}: ", self.piece, self.from, self.to, self.bar)?;
        match self.kind {
            ProblemKind::Click(step, around) => {
                write!(f, "a click: a step of {step:.0} dB where {around:.0} dB is the largest around it; let the old fade out over 30 ms or more")
            }
            ProblemKind::Gap(seconds) => write!(f, "a gap of {:.0} ms; let the old ring, or overlap", seconds * 1000.0),
            ProblemKind::Doubled(seconds) => write!(f, "two downbeats {:.0} ms apart; leave on the beat, or let the old fade out sooner", seconds * 1000.0),
            ProblemKind::Jump(lu) => {
                write!(f, "the loudness goes {} by {:.1} LU; level the layers, or let the new one fade in", if lu > 0.0 { "up" } else { "down" }, lu.abs())
            }
            ProblemKind::Again => f.write_str("a recording sounds again from its start; cut the file where its section ends, or let the old fade out"),
            ProblemKind::Never => f.write_str("it never leaves; choose a moment that comes"),
        }?;
        match &self.accepted {
            Some(why) => write!(f, " (accepted: {why})"),
            None => Ok(()),
        }
    }
}

/// How much is kept before and after a seam, in seconds.
const AROUND: f64 = 1.5;
/// The longest that is waited for a way.
const LONGEST: f64 = 60.0;

/// A program as transitions are listened to: made once, for all of them.
#[derive(Debug)]
pub struct Listening {
    program: Arc<Program>,
    /// Nothing but the transitions: what pieces follow is not asked, nothing plays by itself, nothing reacts.
    usual: Arc<Program>,
    /// The same with all layers in, whatever the game would say: what no one hears cannot be checked.
    bare: Arc<Program>,
}

impl Listening {
    /// Of a program.
    #[must_use]
    pub fn new(program: &Arc<Program>) -> Listening {
        let mut usual = (**program).clone();
        for piece in &mut usual.music.pieces {
            piece.follows = None;
        }
        usual.world = estampie_engine::world::spec::World::default();
        for reaction in &mut usual.reactions {
            reaction.off = true;
        }
        let mut bare = usual.clone();
        for layer in &mut bare.music.layers {
            layer.when.clear();
        }
        for switch in &mut bare.music.switches {
            switch.on = true;
        }
        Listening { program: Arc::clone(program), usual: Arc::new(usual), bare: Arc::new(bare) }
    }

    /// What is left of a way if nothing comes: the old one alone.
    fn alone(&self, piece: PieceIndex, from: SectionIndex, to: Option<SectionIndex>) -> Arc<Program> {
        let mut alone = (*self.bare).clone();
        let sections = &mut alone.music.pieces[piece].sections;
        for comes in [self.program.music.pieces[piece].rule(Some(from), to).way, to].into_iter().flatten() {
            sections[comes].layers.clear();
        }
        Arc::new(alone)
    }
}

/// Renders a way: the piece is in a bar of a section, and asked to go on after a quarter of a beat.
/// `None` if there is no such piece or section.
#[must_use]
pub fn seam(listening: &Listening, piece: PieceIndex, from: SectionIndex, to: Option<SectionIndex>, bar: u32) -> Option<Seam> {
    let Listening { program, usual, bare } = listening;
    let spec = program.music.pieces.of(piece)?;
    let section = spec.sections.of(from)?;
    let rate = program.rate;
    let rule = spec.rule(Some(from), to);
    let key = |s: Option<SectionIndex>| spec.key_of(s);
    let start = BLOCK as u64 * 16;
    let beat = section.map.metre(bar).beat();
    let later = estampie_engine::music::exact::nearest(section.map.time(section.map.bar_start(bar) + beat / 4) - section.map.time(section.map.bar_start(bar)));
    let asked = start + later.max(1);
    let schedule: Arc<[Input]> = Arc::from([
        Input { frame: start, what: InputKind::Jump { piece: spec.key, section: key(Some(from)), bar } },
        Input { frame: asked, what: InputKind::Go { piece: spec.key, section: key(to), on: None } },
    ]);
    let options = Options { schedule, status_every: u32::MAX, ..Options::default() };
    let after = (AROUND * f64::from(rate)) as u64;
    let Passed { samples: [mut left_channel, mut right_channel], leaves, arrives } =
        pass(bare, options.clone(), (spec.key, key(Some(from)), key(to)), (start, after + after / 2));
    let never = leaves.is_none() || arrives.is_none();
    let left = leaves.unwrap_or(asked);
    let arrived = arrives.unwrap_or(left);
    let first = left.saturating_sub(after) as usize;
    let last = (arrived as usize + after as usize).min(left_channel.len());
    let line = |frame: u64| (frame as usize).saturating_sub(first);
    let bars = bar_lines(program, piece, from, (start, bar)).into_iter().filter(|f| (*f as usize) >= first && (*f as usize) < last).map(line).collect();
    left_channel.truncate(last);
    right_channel.truncate(last);
    let (mut other, _kept) = Engine::new(Prepared::new(listening.alone(piece, from, to), 1), options);
    let mut old = vec![0.0f32; last * 2];
    other.render(&mut old);
    let mut seam = Seam {
        old: old.iter().step_by(2).skip(first.min(last)).copied().collect(),
        piece,
        from,
        to,
        asked_in: bar,
        samples: [left_channel.split_off(first.min(last)), right_channel.split_off(first.min(last))],
        leaves: line(left),
        arrives: line(arrived),
        waited: left.saturating_sub(asked),
        bars,
        step_db: f32::NEG_INFINITY,
        around_db: f32::NEG_INFINITY,
        loudness: (f64::NEG_INFINITY, f64::NEG_INFINITY),
        problems: Vec::new(),
    };
    listen(&mut seam, rate, never);
    if !never {
        let usual = as_the_game_would(program, usual, piece, (from, to), (start, bar, asked), last);
        seam.loudness = (loudness(&usual, first, left as usize, rate), loudness(&usual, arrived as usize, last, rate));
        let jump = seam.loudness.1 - seam.loudness.0;
        if to.is_some() && jump.is_finite() && jump.abs() > 3.0 {
            seam.problems.push(ProblemKind::Jump(jump));
        }
        // Within a fall, or while the old one goes on, it may well sound from its start.
        if rule.falls.is_none() && rule.overlap == Long::Frames(0) && again(program, section, &seam) {
            seam.problems.push(ProblemKind::Again);
        }
    }
    Some(seam)
}

/// A transition as it was rendered: left and right, and the frames at which the old section was left and the new one began.
struct Passed {
    samples: [Vec<f32>; 2],
    leaves: Option<u64>,
    arrives: Option<u64>,
}

/// Renders a piece that goes from one section to another after frame `start`, until `after` frames beyond the arrival.
fn pass(program: &Arc<Program>, options: Options, (piece, from, to): (NameKey, NameKey, NameKey), (start, after): (u64, u64)) -> Passed {
    let rate = program.rate;
    let (mut engine, mut remote) = Engine::new(Prepared::new(Arc::clone(program), 1), options);
    let mut passed = Passed { samples: [Vec::new(), Vec::new()], leaves: None, arrives: None };
    let mut out = vec![0.0f32; BLOCK * 2 * 16];
    loop {
        engine.render(&mut out);
        for frame in out.chunks_exact(2) {
            passed.samples[0].push(frame[0]);
            passed.samples[1].push(frame[1]);
        }
        while let Some(happening) = remote.happening() {
            if let What::Section { piece: of, section, before, .. } = happening.what
                && of == piece
                && happening.frame > start
            {
                if passed.leaves.is_none() && before == from {
                    passed.leaves = Some(happening.frame);
                }
                if passed.leaves.is_some() && section == to {
                    passed.arrives = passed.arrives.or(Some(happening.frame));
                }
            }
        }
        let now = engine.frame();
        if passed.arrives.is_some_and(|a| now >= a + after) || now as f64 > LONGEST * f64::from(rate) {
            return passed;
        }
    }
}

/// The same rendered with those layers that the game would have in: what the piece follows has the values that ask for the
/// two sections.
fn as_the_game_would(
    program: &Program,
    usual: &Arc<Program>,
    piece: PieceIndex,
    (from, to): (SectionIndex, Option<SectionIndex>),
    (start, bar, asked): (u64, u32, u64),
    frames: usize,
) -> [Vec<f32>; 2] {
    let spec = &program.music.pieces[piece];
    let key = |s: Option<SectionIndex>| spec.key_of(s);
    let mut schedule = Vec::new();
    let mut follow = |frame: u64, section: Option<SectionIndex>| match &spec.follows {
        Some(Follows::State(at, list)) => {
            if let Some(value) = list.iter().position(|asks| *asks == Some(section)) {
                let state = &program.states[*at];
                schedule.push(Input { frame, what: InputKind::State { state: state.key, value: state.values[value] } });
            }
        }
        Some(Follows::Parameter(at, ranges)) => {
            if let Some(((low, high), _)) = ranges.iter().find(|(_, asks)| *asks == section) {
                let parameter = &program.parameters[*at];
                let value = f32::midpoint(low.max(parameter.low), high.min(parameter.high));
                schedule.push(Input { frame, what: InputKind::Parameter { parameter: parameter.key, value, emitter: NameKey::NONE } });
            }
        }
        None => {}
    };
    follow(0, Some(from));
    follow(asked, to);
    schedule.push(Input { frame: start, what: InputKind::Jump { piece: spec.key, section: key(Some(from)), bar } });
    schedule.push(Input { frame: asked, what: InputKind::Go { piece: spec.key, section: key(to), on: None } });
    schedule.sort_by_key(|i| i.frame);
    let options = Options { schedule: schedule.into(), status_every: u32::MAX, ..Options::default() };
    let (mut engine, _kept) = Engine::new(Prepared::new(Arc::clone(usual), 1), options);
    let mut out = vec![0.0f32; frames * 2];
    engine.render(&mut out);
    [out.iter().step_by(2).copied().collect(), out.iter().skip(1).step_by(2).copied().collect()]
}

/// Whether a recording that has ended with its section sounds again from its start.
///
/// What is left of the old section after it was left is compared with the first quarter of a second of each of its recordings; where
/// they are alike (a normalised correlation of more than 0.7 at some place within 3 ms), it has begun again.
fn again(program: &Program, section: &Section, seam: &Seam) -> bool {
    let rate = program.rate as usize;
    let count = rate / 4;
    section.layers.iter().any(|layer| {
        let sound = &program.sounds[program.music.layers[*layer as usize].sound];
        let Some(TakeOf::Recipe(recipe)) = sound.groups.first().and_then(|g| g.takes.first()).map(|t| &t.of) else { return false };
        let Some(Ok(clip)) = recipe.parts.first().and_then(|p| p.clips.first()).map(|(clip, _)| program.held(clip, count)) else { return false };
        let start = &clip.channels[0].stretch(0, count.min(clip.frames()));
        let power: f32 = start.iter().map(|s| s * s).sum();
        // What begins in silence says nothing.
        power > 1e-4 * start.len() as f32 / 10.0
            && (0..rate / 160).any(|shift| {
                let at = (seam.leaves + shift).saturating_sub(rate / 320);
                let Some(after) = seam.old.get(at..at + start.len()) else { return false };
                let own: f32 = after.iter().map(|s| s * s).sum();
                let both: f32 = after.iter().zip(start).map(|(a, b)| a * b).sum();
                own > 0.0 && both / (own * power).sqrt() > 0.7
            })
    })
}

/// Frames of the bar lines of a section that was entered at a bar on a frame.
fn bar_lines(program: &Program, piece: PieceIndex, section: SectionIndex, (start, bar): (u64, u32)) -> Vec<u64> {
    let map = &program.music.pieces[piece].sections[section].map;
    let zero = map.time(map.bar_start(bar));
    let round = estampie_engine::music::exact::nearest(map.time(map.length()));
    let offset = |b: u32| estampie_engine::music::exact::number(map.time(map.bar_start(b)) - zero);
    let mut lines = Vec::new();
    for pass in 0..64u64 {
        for b in 0..map.bars() {
            let frame = start as f64 + offset(b) + (pass * round) as f64;
            if frame >= start as f64 {
                lines.push(frame as u64);
            }
        }
    }
    lines
}

fn decibels(value: f32) -> f32 {
    20.0 * value.max(1e-9).log10()
}

/// The largest step between neighbours in a range, over both channels.
fn step_in(seam: &Seam, from: usize, to: usize) -> f32 {
    let largest = |c: &Vec<f32>| c[from.min(c.len())..to.min(c.len())].windows(2).map(|w| (w[1] - w[0]).abs()).fold(0.0f32, f32::max);
    seam.samples.iter().map(largest).fold(0.0, f32::max)
}

fn listen(seam: &mut Seam, rate: u32, never: bool) {
    if never {
        seam.problems.push(ProblemKind::Never);
        return;
    }
    let ms = |ms: usize| rate as usize * ms / 1000;
    for at in [seam.leaves, seam.arrives] {
        let here = step_in(seam, at.saturating_sub(3), at + 3);
        let around = step_in(seam, at.saturating_sub(ms(60)), at.saturating_sub(4)).max(step_in(seam, at + 4, at + ms(60)));
        if here > 0.0 && decibels(here) > seam.step_db {
            (seam.step_db, seam.around_db) = (decibels(here), decibels(around));
        }
    }
    if seam.step_db > -50.0 && seam.step_db > seam.around_db + 12.0 {
        seam.problems.push(ProblemKind::Click(seam.step_db, seam.around_db));
    }
    if seam.to.is_none() {
        return;
    }
    if let Some(gap) = gap(seam, rate) {
        seam.problems.push(ProblemKind::Gap(gap));
    }
    if let Some(apart) = doubled(seam, rate) {
        seam.problems.push(ProblemKind::Doubled(apart));
    }
}

/// Loudness of a stretch, in LUFS, without gating.
fn loudness(samples: &[Vec<f32>; 2], from: usize, to: usize, rate: u32) -> f64 {
    let (from, to) = (from.min(samples[0].len()), to.min(samples[0].len()));
    let Ok(mut meter) = EbuR128::new(2, rate, Mode::S) else { return f64::NEG_INFINITY };
    // A stretch shorter than the meter's three seconds is repeated until it fills them.
    let stretch: Vec<f32> = (from..to).flat_map(|i| [samples[0][i], samples[1][i]]).collect();
    if stretch.is_empty() {
        return f64::NEG_INFINITY;
    }
    let mut filled = 0;
    while filled < rate as usize * 6 {
        if meter.add_frames_f32(&stretch).is_err() {
            return f64::NEG_INFINITY;
        }
        filled += stretch.len();
    }
    meter.loudness_shortterm().unwrap_or(f64::NEG_INFINITY)
}

/// Root mean square of short stretches, in dB, of the mean of some channels.
fn levels(channels: &[&[f32]], hop: usize) -> Vec<f32> {
    let count = channels.iter().map(|c| c.len()).min().unwrap_or(0) / hop.max(1);
    let sides = channels.len().max(1) as f32;
    let power = |c: &[f32], at: usize| c[at * hop..(at + 1) * hop].iter().map(|s| s * s).sum::<f32>() / hop as f32;
    (0..count).map(|at| 10.0 * (channels.iter().map(|c| power(c, at)).sum::<f32>() / sides).max(1e-12).log10()).collect()
}

/// The longest silence between two sides that sound, if it is longer than 60 ms.
fn gap(seam: &Seam, rate: u32) -> Option<f64> {
    let hop = rate as usize / 200;
    let levels = levels(&seam.samples.each_ref().map(Vec::as_slice), hop);
    let (from, to) = (seam.leaves.saturating_sub(rate as usize / 10) / hop, ((seam.arrives + rate as usize * 6 / 10) / hop).min(levels.len()));
    let silent = |at: &usize| levels[*at] < -60.0;
    let mut longest = 0;
    let mut at = from;
    while at < to {
        let length = (at..to).take_while(silent).count();
        // What is silent up to the end is no gap but a quiet section.
        if at + length < to && levels[..at].iter().any(|l| *l > -50.0) {
            longest = longest.max(length);
        }
        at += length + 1;
    }
    let seconds = longest as f64 * hop as f64 / f64::from(rate);
    (seconds > 0.06).then_some(seconds)
}

/// The distance of an onset of what is left and one of what comes, of like strength, around the arrival; in seconds.
///
/// Two onsets within one of them were played so, and are none of the transition's.
fn doubled(seam: &Seam, rate: u32) -> Option<f64> {
    let hop = rate as usize / 400;
    let near = rate as usize * 9 / 100;
    let comes: Vec<f32> = seam.samples[0].iter().zip(&seam.old).map(|(all, old)| all - old).collect();
    let onsets = |samples: &[f32]| {
        let levels = levels(&[samples], hop);
        let (from, to) = (seam.arrives.saturating_sub(near) / hop, ((seam.arrives + near) / hop).min(levels.len()));
        // An onset: 9 dB over the mean of the 20 ms before.
        let rise = |at: usize| {
            let before = &levels[at.saturating_sub(8)..at];
            if before.is_empty() { 0.0 } else { levels[at] - before.iter().sum::<f32>() / before.len() as f32 }
        };
        let mut onsets: Vec<(usize, f32)> = Vec::new();
        for at in from.max(1)..to {
            let peak =
                rise(at) > 9.0 && levels[at] > levels[at - 1] + 3.0 && levels[at] > -40.0 && rise(at) >= rise(at + 1 - usize::from(at + 1 >= levels.len()));
            if peak && onsets.last().is_none_or(|(last, _)| at - last >= 6) {
                onsets.push((at, levels[at]));
            }
        }
        onsets
    };
    let new = onsets(&comes);
    let pairs = onsets(&seam.old).into_iter().flat_map(|old| new.iter().map(move |new| (old, *new)));
    let apart = |a: usize, b: usize| a.abs_diff(b) as f64 * hop as f64 / f64::from(rate);
    // The nearer of two is the same beat; what is nearer than 15 ms is heard as one.
    pairs.filter(|(old, new)| (old.1 - new.1).abs() < 6.0).map(|(old, new)| apart(old.0, new.0)).filter(|s| (0.015..0.09).contains(s)).min_by(f64::total_cmp)
}

/// One rendering of a transition: its piece, from, to, and the bar in which it is asked for.
type Way = (PieceIndex, SectionIndex, Option<SectionIndex>, u32);

/// Every allowed way of every piece that somebody wrote or asks for, from the first bar, the middle, and the bar with the longest wait.
fn ways(program: &Program) -> Vec<Way> {
    let mut ways = Vec::new();
    for (index, piece) in program.music.pieces.with_places() {
        for from in piece.sections.places() {
            for to in std::iter::once(None).chain(piece.sections.places().map(Some)) {
                // What no one wrote and no one asks for is not checked; neither is a section that only leads on.
                let rule = piece.rule(Some(from), to);
                if to == Some(from) || !rule.allowed || rule.written.is_none() {
                    continue;
                }
                let bars = piece.sections[from].map.bars();
                // Just after a moment that counts the wait is the longest: the bar after it.
                let mut positions = vec![0, bars / 2, bars - 1];
                positions.sort_unstable();
                positions.dedup();
                ways.extend(positions.into_iter().map(|bar| (index, from, to, bar)));
            }
        }
    }
    ways
}

/// Renders and listens to every allowed way of every piece, from the first bar, the middle, and the bar with the longest
/// wait, on all cores. `each` is called for every seam, in their order and on this thread, and may end it by giving false.
pub fn transitions(program: &Arc<Program>, mut each: impl FnMut(&Seam) -> bool) -> Vec<Problem> {
    let ways = ways(program);
    let listening = Listening::new(program);
    let workers = std::thread::available_parallelism().map_or(2, std::num::NonZero::get).min(ways.len());
    let (next, stop) = (AtomicUsize::new(0), AtomicBool::new(false));
    // Bounded: who is far ahead of the slowest waits.
    let (sender, receiver) = std::sync::mpsc::sync_channel(workers);
    std::thread::scope(|scope| {
        for _ in 0..workers {
            let sender = sender.clone();
            scope.spawn(|| {
                let sender = sender;
                while !stop.load(Ordering::Relaxed) {
                    let at = next.fetch_add(1, Ordering::Relaxed);
                    let Some((piece, from, to, bar)) = ways.get(at).copied() else { break };
                    if sender.send((at, seam(&listening, piece, from, to, bar))).is_err() {
                        break;
                    }
                }
            });
        }
        drop(sender);
        let mut problems = Vec::new();
        let mut ahead = BTreeMap::new();
        let mut due = 0;
        while let Ok((at, seam)) = receiver.recv() {
            ahead.insert(at, seam);
            while let Some(seam) = ahead.remove(&due) {
                due += 1;
                let Some(seam) = seam else { continue };
                problems.extend(problems_of(program, &seam));
                if !each(&seam) {
                    stop.store(true, Ordering::Relaxed);
                    // Whoever has one to give is told that nobody takes it.
                    drop(receiver);
                    return problems;
                }
            }
        }
        problems
    })
}

fn problems_of(program: &Program, seam: &Seam) -> impl Iterator<Item = Problem> {
    let piece = &program.music.pieces[seam.piece];
    let name = |key: NameKey| program.names.get(key).to_owned();
    let rule = piece.rule(Some(seam.from), seam.to);
    let to = if seam.to.is_none() { estampie_project::document::SILENCE.to_owned() } else { name(piece.key_of(seam.to)) };
    seam.problems.iter().map(move |kind| Problem {
        piece: name(piece.key),
        from: name(piece.key_of(Some(seam.from))),
        to: to.clone(),
        bar: seam.asked_in + 1,
        kind: *kind,
        accepted: (!rule.accepted.is_none()).then(|| name(rule.accepted)),
    })
}
