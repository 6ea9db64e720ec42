//! Where a voice's samples come from: the parts of a recipe as one stream without seams, or a generator.
//!
//! What is streamed comes in pages ([`Paging`]); the rest is in memory.
//!
//! Parts follow each other, overlap or leave gaps, and rounds close, inside [`Source::read`], so the interpolator never
//! sees a border.

use super::paging::{Paging, SEAM};
use super::swept::Swept;
use crate::dsp::generators::{Beginning, Controls, Generator, MOST_CONTROLS, Pool};
use crate::dsp::{LEAD, TAPS};
use crate::ground::clip::Clip;
use crate::ground::curve::Curve;
use crate::ground::names::NameKey;
use crate::ground::random::{Draw, Stream};
use crate::ground::time::BLOCK;
use crate::ground::vocabulary::Rounds;
use crate::mixer::spec::{DECLINE, Made, Part, Recipe};

/// The most source samples that one block can need: 16 times the block, and the history.
pub(crate) const WINDOW: usize = BLOCK * 16 + TAPS + LEAD;

/// Two channels of source samples.
pub(crate) type Window = [[f32; WINDOW]; 2];

/// Rounds without end.
const ENDLESS: u32 = u32::MAX;

/// A place in one part.
#[derive(Debug, Clone, Copy)]
struct Cursor {
    part: u16,
    clip: u16,
    at: usize,
    /// How often it still goes back to the start of the round.
    rounds: u32,
}

/// Where a voice is in its recipe.
#[derive(Debug)]
pub(crate) struct Source {
    head: Option<Cursor>,
    /// The end of the part before, while it overlaps.
    tail: Option<Cursor>,
    gap: usize,
    /// What still sounds of the last sample, where the section is a little longer than its recording.
    hold: Option<(Cursor, usize)>,
    /// Whether it went back to the start of a round.
    pub(crate) wrapped: bool,
    /// Rounds are completed and not begun again.
    pub(crate) finishing: bool,
    /// The generator that it reads from instead.
    playing: Option<Playing>,
    /// Frames since what it reads is missing, if it is, as it is before anything was read; and those since it is there again.
    missing: Option<usize>,
    back: usize,
    /// Frames since the end of the part before was not there in time, and its last samples: it does not come back.
    lost: Option<(usize, [f32; 2])>,
    random: Stream,
}

/// A generator in use.
#[derive(Debug)]
pub(crate) struct Playing {
    kind: usize,
    /// The key of its name.
    pub(crate) key: NameKey,
    generator: Box<dyn Generator>,
    /// Frames that it still makes; `u64::MAX` without end.
    left: u64,
    /// Its place among the generators of the program; `None` if it is there no more: then its controls stay.
    pub(crate) of: Option<u32>,
    /// Where its controls are to be at the end of this block.
    pub(crate) values: [f32; MOST_CONTROLS],
    /// What this voice has drawn for each, in the order of the generator's draws.
    pub(crate) drawn: [f32; MOST_CONTROLS],
    /// What sweeps do to some of them.
    pub(crate) swept: [Option<(u8, Swept)>; MOST_SWEPT],
}

/// So many controls of a voice are swept at once.
pub(crate) const MOST_SWEPT: usize = 4;

impl Playing {
    /// Takes one that waits; `None` if all of its kind are in use.
    pub(crate) fn take(made: &Made, pool: &mut Pool) -> Option<Playing> {
        Some(Playing {
            kind: made.kind,
            key: made.key,
            generator: pool.take(made.kind)?,
            left: made.frames.unwrap_or(u64::MAX),
            of: None,
            values: made.values,
            drawn: [0.0; MOST_CONTROLS],
            swept: [None; MOST_SWEPT],
        })
    }

    /// Its kind, as a place in the table of generators.
    pub(crate) fn kind(&self) -> usize {
        self.kind
    }

    /// Gives it back.
    pub(crate) fn give_back(self, pool: &mut Pool) {
        pool.give_back(self.kind, self.generator);
    }

    /// How many of so many frames it still makes; they are taken as made.
    fn go(&mut self, count: usize) -> usize {
        if self.generator.ended() {
            self.left = 0;
        }
        let made = self.left.min(count as u64);
        if self.left != u64::MAX {
            self.left -= made;
        }
        made as usize
    }
}

/// The drawings of what is made.
fn drawings(recipe: &Recipe) -> &[Curve] {
    recipe.made.as_ref().map_or(&[], |made| &made.drawings)
}

impl Source {
    pub(crate) fn new(recipe: Option<&Recipe>, random: Stream) -> Source {
        let mut source = Source {
            head: None,
            tail: None,
            gap: 0,
            hold: None,
            wrapped: false,
            finishing: false,
            playing: None,
            missing: Some(SEAM),
            back: SEAM,
            lost: None,
            random,
        };
        source.head = recipe.and_then(|r| source.enter(r, 0));
        source
    }

    /// What a generator's draws begin from, if it begins now.
    pub(crate) fn seed(&mut self) -> u64 {
        self.random.whole()
    }

    /// Draws what one voice adds to a control.
    pub(crate) fn draw(&mut self, draw: Draw) -> f32 {
        self.random.draw(draw)
    }

    /// Reads from a generator, which begins now.
    pub(crate) fn begin(&mut self, made: &Made, mut playing: Playing, rate: u32, seed: u64) {
        let controls = Controls { values: &playing.values, drawings: &made.drawings };
        playing.generator.begin(&Beginning { rate, controls, seed, instrument: made.instrument.as_ref() });
        self.playing = Some(playing);
    }

    /// The generator that it reads from.
    pub(crate) fn playing(&self) -> Option<&Playing> {
        self.playing.as_ref()
    }

    /// The same, to be moved.
    pub(crate) fn playing_mut(&mut self) -> Option<&mut Playing> {
        self.playing.as_mut()
    }

    /// The frame of its audio that is heard, within a few frames; 0 where it reads from a generator.
    pub(crate) fn at(&self) -> usize {
        self.head.map_or(0, |head| head.at.saturating_sub(LEAD))
    }

    /// The generator that it has read from, to be given back.
    pub(crate) fn take_playing(&mut self) -> Option<Playing> {
        self.playing.take()
    }

    /// Whether nothing more comes.
    pub(crate) fn ended(&self) -> bool {
        if let Some(playing) = &self.playing {
            return playing.left == 0 || playing.generator.ended();
        }
        self.head.is_none() && self.tail.is_none() && self.hold.is_none()
    }

    /// How many frames of the present part are left, rounds not counted.
    pub(crate) fn left(&self, recipe: &Recipe) -> usize {
        if let Some(playing) = &self.playing {
            return playing.left as usize;
        }
        self.head.map_or(0, |h| recipe.parts[usize::from(h.part)].clips[usize::from(h.clip)].0.frames().saturating_sub(h.at))
    }

    fn enter(&mut self, recipe: &Recipe, part: u16) -> Option<Cursor> {
        let spec = recipe.parts.get(usize::from(part))?;
        let clip = self.random.below(spec.clips.len()) as u16;
        let rounds = match spec.rounds {
            Rounds::Loop => ENDLESS,
            Rounds::Times(low, high) => low + self.random.below((high - low + 1) as usize) as u32 - 1,
        };
        Some(Cursor { part, clip, at: 0, rounds })
    }

    /// Goes on without reading; gives how many frames lay behind the end.
    pub(crate) fn skip(&mut self, recipe: &Recipe, count: usize) -> usize {
        if let Some(playing) = &mut self.playing {
            let made = playing.go(count);
            playing.generator.skip(&Controls { values: &playing.values, drawings: drawings(recipe) }, made);
            return count - made;
        }
        let count = self.skip_rounds(recipe, count);
        self.advance(recipe, None, 0, count)
    }

    /// Leaves out whole rounds of the present part, however many; gives what is left to go.
    fn skip_rounds(&mut self, recipe: &Recipe, count: usize) -> usize {
        let Some(head) = self.head.as_mut().filter(|_| self.tail.is_none() && self.gap == 0 && !self.finishing) else { return count };
        let (_, (start, end)) = &recipe.parts[usize::from(head.part)].clips[usize::from(head.clip)];
        let (before, round) = (end.saturating_sub(head.at), end - start);
        if head.rounds == 0 || round == 0 || count <= before + round {
            return count;
        }
        let most = if head.rounds == ENDLESS { usize::MAX } else { head.rounds as usize - 1 };
        let rounds = ((count - before) / round).min(most);
        if head.rounds != ENDLESS {
            head.rounds -= rounds as u32;
        }
        count - rounds * round
    }

    /// Reads the next samples of all channels; silence after the end. Gives how many lay behind the end.
    pub(crate) fn read(&mut self, recipe: &Recipe, paging: &mut Paging, out: &mut Window, from: usize, count: usize) -> usize {
        if let Some(playing) = &mut self.playing {
            let made = playing.go(count);
            let [left, right] = &mut *out;
            let controls = Controls { values: &playing.values, drawings: drawings(recipe) };
            playing.generator.fill(&controls, &mut left[from..from + made], &mut right[from..from + made]);
            silence(&mut Some(out), if recipe.stereo { 2 } else { 1 }, from + made, count - made);
            return count - made;
        }
        self.advance(recipe, Some((out, paging)), from, count)
    }

    fn advance(&mut self, recipe: &Recipe, out: Option<(&mut Window, &mut Paging)>, from: usize, count: usize) -> usize {
        let channels = if recipe.stereo { 2 } else { 1 };
        let (mut out, mut paging) = out.unzip();
        let mut done = 0;
        while done < count && !(self.ended() && self.gap == 0) {
            let mut n = count - done;
            if self.gap > 0 {
                n = n.min(self.gap);
                self.gap -= n;
                silence(&mut out, channels, from + done, n);
                done += n;
                continue;
            }
            if let Some((cursor, left)) = self.hold {
                n = n.min(left);
                if let (Some(out), Some(paging)) = (out.as_deref_mut(), paging.as_deref_mut()) {
                    decline(recipe, cursor, left, channels, (out, paging), from + done, n);
                }
                self.hold = (left > n).then_some((cursor, left - n));
                done += n;
                continue;
            }
            if let Some(tail) = &self.tail {
                let part = &recipe.parts[usize::from(tail.part)];
                let left = part.clips[usize::from(tail.clip)].0.frames() - tail.at;
                if left == 0 {
                    self.tail = None;
                    continue;
                }
                n = n.min(left);
            }
            if let Some(mut head) = self.head {
                let part = &recipe.parts[usize::from(head.part)];
                let until = self.until(recipe, part, &mut head);
                self.head = Some(head);
                if head.at >= until {
                    self.next_part(recipe, part, head);
                    continue;
                }
                n = n.min(until - head.at);
                if let (Some(out), Some(paging)) = (out.as_deref_mut(), paging.as_deref_mut()) {
                    self.copy(part, head, channels, (out, paging), from + done, n);
                }
                if let Some(head) = &mut self.head {
                    head.at += n;
                }
            } else {
                silence(&mut out, channels, from + done, n);
            }
            if let Some(tail) = &mut self.tail {
                let mut over = false;
                if let (Some(out), Some(paging)) = (out.as_deref_mut(), paging.as_deref_mut()) {
                    over = add(&recipe.parts[usize::from(tail.part)], *tail, channels, (out, paging), (from + done, n), &mut self.lost);
                }
                tail.at += n;
                if over {
                    self.tail = None;
                }
            }
            done += n;
        }
        silence(&mut out, channels, from + done, count - done);
        count - done
    }

    /// Copies samples of the head. What is missing sinks from the last sample to nothing, and rises again when it comes.
    fn copy(&mut self, part: &Part, cursor: Cursor, channels: usize, (out, paging): (&mut Window, &mut Paging), from: usize, count: usize) {
        let clip = clip_of(part, cursor);
        let mut done = 0;
        while done < count {
            let mut here = count - done;
            let mut missing = false;
            for (at, channel) in out.iter_mut().take(channels).enumerate() {
                match paging.samples(clip, at, cursor.at + done, here) {
                    Ok(samples) => {
                        here = samples.len();
                        samples.copy_to(&mut channel[from + done..][..here]);
                    }
                    Err(lacking) => (here, missing) = (lacking, true),
                }
            }
            if missing || self.missing.is_some() || self.back < SEAM {
                self.mend(missing, out, channels, from + done, here);
            }
            done += here;
        }
    }

    /// The edges of what was not there in time.
    fn mend(&mut self, missing: bool, out: &mut Window, channels: usize, from: usize, count: usize) {
        if missing {
            let since = self.missing.unwrap_or(0);
            for channel in out.iter_mut().take(channels) {
                let last = if from > 0 && since < SEAM { channel[from - 1] / (1.0 - since as f32 / SEAM as f32) } else { 0.0 };
                let sinking = (since..).map(|i| last * (1.0 - (i + 1) as f32 / SEAM as f32).max(0.0));
                channel[from..from + count].iter_mut().zip(sinking).for_each(|(o, s)| *o = s);
            }
            (self.missing, self.back) = (Some(since + count), 0);
            return;
        }
        for channel in out.iter_mut().take(channels) {
            channel[from..from + count].iter_mut().zip(self.back..SEAM).for_each(|(o, i)| *o *= (i + 1) as f32 / SEAM as f32);
        }
        (self.missing, self.back) = (None, (self.back + count).min(SEAM));
    }

    /// Sees to it that what it reads next is there in time.
    pub(crate) fn prepare(&self, recipe: &Recipe, paging: &mut Paging, asleep: bool) {
        self.prepare_from(recipe, paging, 0, asleep);
        if let Some(tail) = &self.tail {
            let clip = clip_of(&recipe.parts[usize::from(tail.part)], *tail);
            paging.prepare(clip, tail.at, clip.frames(), Paging::ahead(), asleep);
        }
    }

    /// The same for what it reads so many frames on, in its present part: what follows that begins in memory.
    pub(crate) fn prepare_from(&self, recipe: &Recipe, paging: &mut Paging, skip: usize, asleep: bool) {
        let Some(head) = self.head else { return };
        let (clip, (start, end)) = &recipe.parts[usize::from(head.part)].clips[usize::from(head.clip)];
        if clip.streamed.is_none() {
            return;
        }
        let goes_round = head.rounds > 0 && !self.finishing && end > start;
        let mut at = head.at + skip;
        if goes_round && at >= *end {
            at = start + (at - start) % (end - start);
        }
        let left = paging.prepare(clip, at, if goes_round { *end } else { clip.frames() }, Paging::ahead(), asleep);
        if goes_round {
            paging.prepare(clip, *start, *end, left, asleep);
        }
    }

    /// Goes back to the start of the round if it is time, and gives the frame up to which to read.
    fn until(&mut self, recipe: &Recipe, part: &Part, head: &mut Cursor) -> usize {
        let (clip, (start, end)) = &part.clips[usize::from(head.clip)];
        let finishing = self.finishing;
        let going = |head: &Cursor| head.rounds > 0 && !finishing;
        if going(head) && head.at >= *end {
            head.at = *start;
            self.wrapped = true;
            if head.rounds != ENDLESS {
                head.rounds -= 1;
            }
        }
        if going(head) {
            return *end;
        }
        // A round that is being finished goes on to the end of the file: what follows the loop is its tail.
        let last = usize::from(head.part) + 1 >= recipe.parts.len();
        clip.frames() - if last { 0 } else { part.overlap.min(clip.frames()) }
    }

    fn next_part(&mut self, recipe: &Recipe, part: &Part, head: Cursor) {
        let last = usize::from(head.part) + 1 >= recipe.parts.len();
        self.tail = (part.overlap > 0 && !last).then_some(head);
        self.lost = None;
        self.gap = if last { 0 } else { part.gap };
        self.hold = (last && part.held > 0 && head.at > 0).then_some((head, part.held));
        self.head = self.enter(recipe, head.part + 1);
    }
}

/// The last sample of a part, sinking to nothing within [`DECLINE`] frames; `left` of them are to come.
fn decline(recipe: &Recipe, cursor: Cursor, left: usize, channels: usize, (out, paging): (&mut Window, &mut Paging), from: usize, count: usize) {
    let part = &recipe.parts[usize::from(cursor.part)];
    let begun = part.held - left;
    for (at, channel) in out.iter_mut().take(channels).enumerate() {
        let last = one(paging, clip_of(part, cursor), at, cursor.at - 1);
        for (i, sample) in channel[from..from + count].iter_mut().enumerate() {
            *sample = last * (1.0 - (begun + i) as f32 / DECLINE as f32).max(0.0);
        }
    }
}

/// A single sample; 0 where it is not there.
fn one(paging: &mut Paging, clip: &Clip, channel: usize, at: usize) -> f32 {
    paging.samples(clip, channel, at, 1).ok().and_then(|s| s.get(0)).unwrap_or(0.0)
}

fn silence(out: &mut Option<&mut Window>, channels: usize, from: usize, count: usize) {
    if let Some(out) = out {
        for channel in out.iter_mut().take(channels) {
            channel[from..from + count].fill(0.0);
        }
    }
}

/// The clip of a cursor.
fn clip_of(part: &Part, cursor: Cursor) -> &Clip {
    &part.clips[usize::from(cursor.clip)].0
}

/// Adds samples of the end of a part. What is not there in time sinks from the sample before it to nothing; true if it has.
fn add(
    part: &Part,
    cursor: Cursor,
    channels: usize,
    (out, paging): (&mut Window, &mut Paging),
    (from, count): (usize, usize),
    lost: &mut Option<(usize, [f32; 2])>,
) -> bool {
    let clip = clip_of(part, cursor);
    let mut done = 0;
    while done < count && lost.is_none() {
        let mut here = count - done;
        for (at, channel) in out.iter_mut().take(channels).enumerate() {
            match paging.samples(clip, at, cursor.at + done, here) {
                Ok(samples) => {
                    here = samples.len();
                    samples.add_to(&mut channel[from + done..]);
                }
                Err(_) => here = 0,
            }
        }
        if here == 0 {
            let before = (cursor.at + done).saturating_sub(1);
            *lost = Some((0, [0, 1].map(|side| one(paging, clip, side, before))));
        }
        done += here;
    }
    let Some((since, last)) = lost else { return false };
    for (channel, last) in out.iter_mut().zip(last).take(channels) {
        let sinking = (*since..SEAM).map(|i| *last * (1.0 - (i + 1) as f32 / SEAM as f32));
        channel[from + done..from + count].iter_mut().zip(sinking).for_each(|(o, s)| *o += s);
    }
    *since += count - done;
    *since >= SEAM
}
