//! A band: the notes of one layer as they sound.
//!
//! A band follows the line of its pass, starts each note on its exact frame, and gives the sum of its tones. It goes on
//! from round to round, and ends when the section was left and its last note has died away.

use super::exact::{Beats, nearest, wide};
use super::timeline::Timeline;
use crate::dsp::instrument::{Stroke, Tone};
use crate::ground::clip::Clip;
use crate::ground::names::NameKey;
use crate::ground::random::Stream;
use crate::ground::scale::within;
use crate::ground::time::BLOCK;
use crate::music::spec::{Instrument, Mode, Note, Notes, Section};
use std::sync::Arc;

/// How many bands there are.
pub(crate) const MOST_BANDS: usize = 64;
/// How many notes may sound at once in all.
pub(crate) const MOST_TONES: usize = 160;
/// How many notes one band may sound at once, those that make room included.
const MOST_OF_BAND: usize = 40;

/// Where a band is in its pattern.
#[derive(Debug, Clone, Copy)]
struct Course {
    pass: u64,
    line: Timeline,
    /// The line before the tempo last changed, for what lies before that.
    before: Timeline,
    pattern: u16,
    next: usize,
    /// The next movement of the wheel.
    bend: usize,
    /// The frame of the next note and its length in frames, once worked out.
    due: Option<(u64, u64)>,
}

/// How the notes of a block are to sound.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Manner {
    pub(crate) density: f32,
    /// Semitones by which notes are moved.
    pub(crate) moved: f32,
    /// The mode that moved notes stay in.
    pub(crate) mode: Option<Mode>,
    /// Whether sounding notes bend with what moves them.
    pub(crate) glides: bool,
    /// The line of chords that is in force; `None` leaves it what it was.
    pub(crate) line: Option<u16>,
}

/// A band. See the module's page.
#[derive(Debug)]
pub(crate) struct Band {
    pub(crate) used: bool,
    course: Option<Course>,
    next: Option<Course>,
    /// The line of chords that its notes are played over.
    line: u16,
    /// No note begins from this frame on.
    until: u64,
    draws: Stream,
    /// Its tones, each with the pitch that it began with and its note.
    tones: Vec<(u8, f32, Note)>,
    /// The notes that began in this block: frames into it, pitch, velocity and length; the first few.
    begun: Vec<(u64, f32, u8, u64)>,
    /// How far each channel is bent, in semitones, and whether any has been.
    wheels: [f32; 16],
    bent: bool,
    out: [[f32; BLOCK]; 2],
    /// Whether its two sides differ.
    wide: bool,
}

impl Band {
    pub(crate) fn new() -> Band {
        Band {
            used: false,
            course: None,
            next: None,
            line: 0,
            until: u64::MAX,
            draws: Stream::new(0, NameKey::NONE, 0),
            tones: Vec::with_capacity(MOST_OF_BAND),
            begun: Vec::with_capacity(MOST_OF_BAND),
            wheels: [0.0; 16],
            bent: false,
            out: [[0.0; BLOCK]; 2],
            wide: false,
        }
    }

    /// Begins, for a layer.
    pub(crate) fn begin(&mut self, key: NameKey, seed: u64, pass: u64) {
        (self.used, self.course, self.next, self.until, self.wide) = (true, None, None, u64::MAX, false);
        self.line = 0;
        self.draws = Stream::new(seed, key.with(pass), 7);
        self.tones.clear();
        (self.wheels, self.bent) = ([0.0; 16], false);
        self.out = [[0.0; BLOCK]; 2];
    }

    /// What it has made: one channel, or two that differ.
    pub(crate) fn out(&self) -> &[[f32; BLOCK]] {
        &self.out[..if self.wide { 2 } else { 1 }]
    }

    /// Goes on with another pass once the notes of this one have begun. What would sound before `frame` is left out: by
    /// frames, since the pass itself begins on the frame nearest to its moment.
    pub(crate) fn follow(&mut self, (pass, line): (u64, Timeline), section: &Section, pattern: u16, notes: &[Note], frame: u64) {
        let next = notes.partition_point(|n| nearest(line.moment(section, n.at)) < frame);
        let course = Course { pass, line, before: line, pattern, next, bend: 0, due: None };
        if self.course.is_none() { self.course = Some(course) } else { self.next = Some(course) }
    }

    /// A variation drawn at random.
    pub(crate) fn draw(&mut self, count: usize) -> u16 {
        if count > 1 { self.draws.below(count) as u16 } else { 0 }
    }

    /// The line of a pass has bent.
    pub(crate) fn bend(&mut self, pass: u64, line: Timeline) {
        for course in [&mut self.course, &mut self.next].into_iter().flatten().filter(|c| c.pass == pass && c.line != line) {
            (course.before, course.line, course.due) = (course.line, line, None);
        }
    }

    /// After an edit: finds its place in new notes again.
    pub(crate) fn find_place(&mut self, notes: &Notes, section: &Section, frame: u64) {
        for course in [&mut self.course, &mut self.next].into_iter().flatten() {
            course.pattern = course.pattern.min(notes.patterns.len().saturating_sub(1) as u16);
            let list = notes.patterns.get(usize::from(course.pattern)).map_or(&[][..], |p| p);
            (course.due, course.bend) = (None, 0);
            course.next = list.partition_point(|n| nearest(course.line.moment(section, n.at)) < frame);
        }
    }

    /// No note begins from a frame on.
    pub(crate) fn leave(&mut self, frame: u64) {
        self.until = self.until.min(frame);
    }

    /// Whether its section has not been left.
    pub(crate) fn goes_on(&self) -> bool {
        self.until == u64::MAX
    }

    /// All of its tones make room.
    pub(crate) fn hush(&mut self, tones: &mut [Tone]) {
        for (slot, ..) in &self.tones {
            if !tones[usize::from(*slot)].leaves() {
                tones[usize::from(*slot)].hush(0);
            }
        }
    }

    /// Lets its tones go on unheard until they are gone.
    pub(crate) fn drain(&mut self, tones: &mut [Tone], rate: u32, mut retire: impl FnMut(Arc<Clip>) -> Option<Arc<Clip>>) {
        self.tones.retain(|(slot, ..)| {
            let tone = &mut tones[usize::from(*slot)];
            tone.render([&mut [0.0; BLOCK], &mut [0.0; BLOCK]], rate);
            if !tone.gone() {
                return true;
            }
            let left = tone.take_clip().and_then(&mut retire);
            let kept = left.is_some();
            if let Some(clip) = left {
                tone.keep_clip(clip);
            }
            kept
        });
    }

    /// The notes that began in the last block: frames into it, pitch, velocity and length.
    pub(crate) fn begun(&self) -> &[(u64, f32, u8, u64)] {
        &self.begun
    }

    /// Whether it has nothing more to play.
    pub(crate) fn done(&self, frame: u64) -> bool {
        self.tones.is_empty() && self.until <= frame
    }

    /// Makes the block that begins at `frame`. `retire` takes recordings that are done with, or gives them back.
    pub(crate) fn render(
        &mut self,
        tones: &mut [Tone],
        (notes, section, instrument): (Option<&Notes>, &Section, Option<&Instrument>),
        manner: Manner,
        (frame, rate): (u64, u32),
        mut retire: impl FnMut(Arc<Clip>) -> Option<Arc<Clip>>,
    ) {
        self.out = [[0.0; BLOCK]; 2];
        self.begun.clear();
        // Once wide it stays so: what still sounds of it has its place.
        self.wide |= instrument.is_some_and(Instrument::wide);
        self.line = manner.line.unwrap_or(self.line);
        let end = frame + BLOCK as u64;
        if let (Some(notes), Some(instrument)) = (notes, instrument) {
            self.turn_wheels(notes, section, end);
            while let Some((note, moment, length)) = self.next_note(notes, section, end) {
                let drawn = self.draws.unit();
                if note.needs <= manner.density && drawn < note.chance && note.velocity > 0 {
                    self.start(tones, instrument, note, manner, (moment.saturating_sub(frame), length), rate);
                }
            }
        }
        let mut at = 0;
        while let Some((slot, began, note)) = self.tones.get(at).copied() {
            let tone = &mut tones[usize::from(slot)];
            if manner.glides || self.bent {
                let pitch = if manner.glides { f32::from(note.pitch) + manner.moved } else { began };
                tone.bend(pitch + self.wheels[usize::from(note.channel & 15)]);
            }
            let [left, right] = &mut self.out;
            tone.render([left, right], rate);
            let mut kept = !tone.gone();
            if !kept && let Some(clip) = tone.take_clip().and_then(&mut retire) {
                // Nowhere to put it just now: it stays a block longer.
                tone.keep_clip(clip);
                kept = true;
            }
            if kept {
                at += 1;
            } else {
                self.tones.swap_remove(at);
            }
        }
    }

    /// Moves the wheels by what lies before `end`.
    fn turn_wheels(&mut self, notes: &Notes, section: &Section, end: u64) {
        let Some(course) = self.course.as_mut() else { return };
        let bends = notes.bends.get(usize::from(course.pattern)).map_or(&[][..], |b| b);
        if course.bend == 0 && self.bent {
            self.wheels = [0.0; 16];
        }
        while let Some(bend) = bends.get(course.bend) {
            if nearest(course.line.moment(section, bend.at)) >= end {
                break;
            }
            self.wheels[usize::from(bend.channel & 15)] = bend.semitones;
            (self.bent, course.bend) = (true, course.bend + 1);
        }
    }

    /// The next note that begins before `end`: the note, its frame, and how many frames it is long.
    fn next_note(&mut self, notes: &Notes, section: &Section, end: u64) -> Option<(Note, u64, u64)> {
        loop {
            let course = self.course.as_mut()?;
            let pattern = notes.patterns.get(usize::from(course.pattern)).map_or(&[][..], |p| p);
            let Some(mut note) = pattern.get(course.next).copied() else {
                let next = self.next.take()?;
                self.course = Some(next);
                continue;
            };
            let over = usize::from(self.line).checked_sub(1).and_then(|line| notes.pitches.get(line)?.get(usize::from(course.pattern))?.get(course.next));
            note.pitch = over.copied().unwrap_or(note.pitch);
            let (line, before) = (course.line, course.before);
            let (frame, length) = *course.due.get_or_insert_with(|| {
                let line = if wide(note.at) < line.at() { &before } else { &line };
                let moment = line.moment(section, note.at);
                (nearest(moment), nearest(line.moment(section, note.at + note.length) - moment))
            });
            if frame >= end || frame >= self.until {
                return None;
            }
            course.next += 1;
            course.due = None;
            return Some((note, frame, length));
        }
    }

    /// Begins one note in so many frames that is as long as is said, and no other.
    pub(crate) fn strike(&mut self, tones: &mut [Tone], instrument: &Instrument, (pitch, velocity): (u8, u8), (wait, length): (u64, u64), rate: u32) {
        let nothing = Beats::from_integer(0);
        let note = Note { at: nothing, length: nothing, pitch: pitch.min(127), velocity: velocity.clamp(1, 127), channel: 0, needs: 0.0, chance: 1.0 };
        let manner = Manner { density: 1.0, moved: 0.0, mode: None, glides: false, line: None };
        self.wide |= instrument.wide();
        self.start(tones, instrument, note, manner, (wait, length), rate);
        self.until = 0;
    }

    /// Lets go of all notes that were struck at a pitch.
    pub(crate) fn let_go(&mut self, tones: &mut [Tone], pitch: u8) {
        for (slot, ..) in self.tones.iter().filter(|(_, _, note)| note.pitch == pitch) {
            tones[usize::from(*slot)].let_go(0);
        }
    }

    fn start(&mut self, tones: &mut [Tone], instrument: &Instrument, note: Note, manner: Manner, (wait, length): (u64, u64), rate: u32) {
        let pitch = match manner.mode {
            Some(mode) => within(mode, i32::from(note.pitch), manner.moved.round() as i32) as f32,
            None => f32::from(note.pitch) + manner.moved,
        };
        let sounding = self.tones.iter().filter(|(slot, ..)| !tones[usize::from(*slot)].leaves()).count();
        if sounding >= instrument.polyphony as usize {
            // One that has been let go makes room; of those that are held none that has just begun (the notes of a chord are
            // one stroke), then the softest, then the oldest.
            let young = u64::from(rate) / 50;
            let rank = |slot: u8| {
                let tone = &tones[usize::from(slot)];
                (!tone.let_go_already(), tone.age() < young, tone.loudness(rate), std::cmp::Reverse(tone.age()))
            };
            let sounding = self.tones.iter().map(|(slot, ..)| *slot).filter(|slot| !tones[usize::from(*slot)].leaves());
            let weakest = sounding.min_by(|a, b| {
                let (a, b) = (rank(*a), rank(*b));
                (a.0, a.1).cmp(&(b.0, b.1)).then(a.2.total_cmp(&b.2)).then(a.3.cmp(&b.3))
            });
            if let Some(slot) = weakest {
                tones[usize::from(slot)].hush(wait);
            }
        }
        if self.tones.len() == self.tones.capacity() {
            return;
        }
        // No other band has one that is free and given back.
        let Some(free) = tones.iter().position(|t| t.gone() && !t.holds_clip()) else { return };
        let seed = (self.draws.unit() * 16_777_216.0) as u32 + 1;
        let clip = instrument.take(pitch, note.velocity, seed);
        let wheel = self.wheels[usize::from(note.channel & 15)];
        let stroke = Stroke { pitch: pitch + wheel, velocity: f32::from(note.velocity) / 127.0, wait, length: length.max(64), seed };
        tones[free].start(&instrument.patch, stroke, clip, rate);
        self.tones.push((free as u8, pitch, note));
        if self.begun.len() < self.begun.capacity() {
            self.begun.push((wait, pitch + wheel, note.velocity, length));
        }
    }
}
