//! Pitch up or down by up to an octave without changing the time.
//!
//! A reader runs through the last 80 ms faster or slower than they come. Before it runs out it is set back (or forward) to
//! where the sound is most like what it reads now (normalised cross-correlation, as in W. Verhelst and M. Roelands,
//! *An Overlap-Add Technique Based on Waveform Similarity*, ICASSP 1993), cross-faded over 8 ms. So a tone keeps its phase,
//! and its pitch is exact. It reads through the kernel of the voices, so that what is raised does not fold back. At 0 semitones it
//! stands so many samples behind as that needs (a third of a millisecond) and does nothing.

use super::delay::DelayLine;
use super::{Around, Effect, Kind, MOST_FRAMES, Making, Setting, Unit};
use crate::dsp::{Interpolator, advance_of};

pub(super) const SHIFT: Kind = Kind {
    word: "pitch-shift",
    says: "raises or lowers the pitch",
    settings: &[Setting::new("pitch", Unit::Semitones, (-12.0, 12.0), 0.0)],
    wet_alone: true,
    make: |making: &Making| Box::new(Shift::new(making.rate)),
    ..Kind::PLAIN
};

/// The least distance of a reader.
const LEAST: f64 = DelayLine::REACH as f64;
/// Likeness is looked for in every fourth sample first, then around the best in each.
const COARSE: usize = 4;

#[derive(Debug)]
struct Shift {
    lines: [DelayLine; 2],
    ratio: f64,
    /// Distances in frames. As long as they go on for minutes, rounding would be a change of pitch.
    now: f64,
    old: f64,
    fade: usize,
    fade_frames: usize,
    range: f64,
    like: usize,
    scratch: Vec<f32>,
}

impl Shift {
    fn new(rate: u32) -> Shift {
        let of = |seconds: f64| (seconds * f64::from(rate)) as usize;
        let (range, like) = (of(0.060), of(0.020));
        let room = range + like + of(0.030) + 2 * MOST_FRAMES;
        Shift {
            lines: [DelayLine::new(room), DelayLine::new(room)],
            ratio: f64::NAN,
            now: LEAST,
            old: LEAST,
            fade: 0,
            fade_frames: of(0.008),
            range: range as f64,
            like,
            scratch: vec![0.0; range + like + 16],
        }
    }

    /// The distance between `low` and `high` at which the past is most like that at `here`.
    fn likest(&mut self, here: f64, low: f64, high: f64) -> f64 {
        let (here_whole, part) = (here as usize, here.fract());
        let (low, high) = (low as usize, high as usize);
        let [left, right] = &self.lines;
        let sample = |back: usize| left.at(back) + right.at(back);
        let span = (high - low + self.like).min(self.scratch.len());
        for (i, slot) in self.scratch[..span].iter_mut().enumerate() {
            *slot = sample(low + i);
        }
        let score = |from: usize, every: usize| {
            let (mut dot, mut power) = (0.0f32, 1e-12f32);
            for k in (0..self.like).step_by(every) {
                let a = sample(here_whole + k);
                let b = self.scratch[from + k];
                dot += a * b;
                power += b * b;
            }
            dot / power.sqrt()
        };
        let last = span.saturating_sub(self.like + 1);
        let mut best = (f32::NEG_INFINITY, 0);
        // Not at the very ends: the best place may lie beyond one, and the nearest to it is a bad one.
        for from in (COARSE..=last.saturating_sub(COARSE).max(COARSE)).step_by(COARSE) {
            let s = score(from, COARSE);
            if s > best.0 {
                best = (s, from);
            }
        }
        let mut fine = (f32::NEG_INFINITY, best.1);
        for from in best.1.saturating_sub(COARSE)..=(best.1 + COARSE).min(last) {
            let s = score(from, 1);
            if s > fine.0 {
                fine = (s, from);
            }
        }
        // Between samples: the top of the parabola through the best and its neighbours.
        let mut place = fine.1 as f64;
        if fine.1 > 0 && fine.1 < last {
            let (a, b, c) = (score(fine.1 - 1, 1), fine.0, score(fine.1 + 1, 1));
            let bend = a - 2.0 * b + c;
            if bend < -1e-9 {
                place += f64::from((0.5 * (a - c) / bend).clamp(-0.5, 0.5));
            }
        }
        (low as f64 + place + part).max(LEAST)
    }
}

impl Effect for Shift {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let to = (f64::from(around.to[0]) / 12.0).exp2();
        let from = if self.ratio.is_nan() { to } else { self.ratio };
        self.ratio = to;
        let step = (to - from) / left.len().max(1) as f64;
        let mut ratio = from;
        let interpolator = Interpolator::shared();
        let advance = advance_of(from.max(to));
        for (l, r) in left.iter_mut().zip(right) {
            ratio += step;
            self.lines[0].write(*l);
            self.lines[1].write(*r);
            let drift = 1.0 - ratio;
            let fade = self.fade_frames as f64;
            if self.fade == 0 {
                let wanted = if drift < 0.0 && self.now + (fade + 1.0) * drift < LEAST {
                    Some((self.now + 0.4 * self.range, self.now + self.range))
                } else if drift > 0.0 && self.now > self.range {
                    Some((LEAST, self.now - 0.4 * self.range))
                } else {
                    None
                };
                if let Some((low, high)) = wanted {
                    let place = self.likest(self.now, low, high);
                    (self.old, self.now, self.fade) = (self.now, place, self.fade_frames);
                }
            }
            self.now = (self.now + drift).max(LEAST);
            let read = |line: &DelayLine, back: f64| line.band_limited(interpolator, back, advance);
            (*l, *r) = (read(&self.lines[0], self.now), read(&self.lines[1], self.now));
            if self.fade > 0 {
                self.old = (self.old + drift).max(LEAST);
                let share = self.fade as f32 / (self.fade_frames + 1) as f32;
                *l += (read(&self.lines[0], self.old) - *l) * share;
                *r += (read(&self.lines[1], self.old) - *r) * share;
                self.fade -= 1;
            }
        }
    }

    fn clear(&mut self) {
        self.lines.iter_mut().for_each(DelayLine::clear);
        (self.now, self.old, self.fade) = (LEAST, LEAST, 0);
    }
}
