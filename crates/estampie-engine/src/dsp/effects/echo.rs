//! Echoes: a delay that feeds itself through two filters, straight or from side to side, by time or by the music's beats.
//!
//! Set to beats it remembers so many of the slowest there are, and so twice as many and more at usual tempos; otherwise two seconds. What is moved
//! beyond that is halved until it fits.

use super::delay::DelayLine;
use super::tone::{Mixture, Section};
use super::{Around, Crossing, Effect, Grip, Kind, MOST_FRAMES, Making, Picture, Ramp, Setting, Takes, Unit, settle, share_left};
use std::f64::consts::FRAC_1_SQRT_2;

pub(super) const ECHO: Kind = Kind {
    word: "echo",
    says: "repeats what it hears, each time duller",
    settings: &[
        Setting::new("time", Unit::Seconds, (0.005, LONGEST), 0.350),
        Setting::new("beats", Unit::Number, (0.0, MOST_BEATS), 0.0),
        Setting::new("feedback", Unit::Share, (0.0, 0.95), 0.35),
        Setting::new("low-pass", Unit::Hertz, (200.0, 20_000.0), 6_000.0),
        Setting::new("high-pass", Unit::Hertz, (20.0, 4_000.0), 120.0),
        Setting::choice("mode", &["normal", "ping-pong"]),
    ],
    wet_alone: true,
    takes: Takes { tempo: true, ..Takes::NOTHING },
    picture: Some(Picture::Strokes(strokes)),
    grips: &[
        Grip { setting: 0, at: |to| (distance(to, 1.0), 0.0), put: |to, (time, _)| if to[1] > 0.0 { to[1] = time.max(1.0 / 64.0) } else { to[0] = time } },
        // The feedback, by the first stroke that it turns down.
        Grip {
            setting: 2,
            at: |to| (distance(to, 1.0) * first_fed(to), if to[2] > 0.0 { (20.0 * to[2].log10()).max(-60.0) } else { -60.0 }),
            put: |to, (_, level)| to[2] = if level > -60.0 { 10f32.powf(level / 20.0) } else { 0.0 },
        },
    ],
    remembers: |making| (beats_kept(making) * 100.0).round() as u32,
    make: |making: &Making| Box::new(Echo::new(making)),
    ..Kind::PLAIN
};

/// A new time is cross-faded to in this many seconds.
const CROSS: f32 = 0.040;
/// The longest time that can be set; the most beats, and the seconds of the slowest quarter note there is (20 in a minute).
const LONGEST: f32 = 2.0;
const MOST_BEATS: f32 = 4.0;
const SLOWEST: f32 = 3.0;

/// The beats that there is room for at the slowest tempo. In four steps, so that few edits make it anew; its lines have lengths of powers of two, which these just fit.
fn beats_kept(making: &Making) -> f32 {
    match making.values[1] {
        ..=0.0 => 0.0,
        ..=0.88 => 0.88,
        ..=1.8 => 1.8,
        ..=3.6 => 3.6,
        _ => MOST_BEATS,
    }
}

/// The time of the first stroke, in seconds: by the beat if there is one.
fn distance(to: &[f32], tempo: f32) -> f32 {
    if to[1] > 0.0 && tempo > 0.0 { to[1] / tempo } else { to[0] }
}

/// What comes of a stroke, down to -60 dB. What the filters take from each round is not in it.
fn strokes(to: &[f32], tempo: f32) -> Vec<(f32, f32)> {
    let each = if to[2] > 0.0 { 20.0 * to[2].log10() } else { f32::NEG_INFINITY };
    // Across, the second side comes of the first at once, and only what goes back is turned down; what goes in is the mean of both.
    let loud = |n: usize| if to[5] >= 0.5 { each * (n / 2) as f32 } else { each * n as f32 };
    let seconds = distance(to, tempo);
    (0..200).map(|n| (seconds * (n + 1) as f32, if n == 0 { 0.0 } else { loud(n) })).take_while(|(_, level)| *level >= -60.0).collect()
}

/// By how many times its distance the first stroke comes that the feedback turns down.
fn first_fed(to: &[f32]) -> f32 {
    if to[5] >= 0.5 { 3.0 } else { 2.0 }
}

#[derive(Debug)]
struct Echo {
    rate: u32,
    across: bool,
    lines: [DelayLine; 2],
    distance: Crossing<usize>,
    feedback: Ramp,
    low: Section,
    high: Section,
}

impl Echo {
    fn new(making: &Making) -> Echo {
        let seconds = LONGEST.max(beats_kept(making) * SLOWEST) + CROSS;
        let room = (seconds * making.rate as f32) as usize;
        Echo {
            rate: making.rate,
            across: making.values[5] >= 0.5,
            lines: [DelayLine::new(room), DelayLine::new(room)],
            distance: Crossing::new(CROSS, making.rate),
            feedback: Ramp::NEW,
            low: Section::default(),
            high: Section::default(),
        }
    }
}

impl Effect for Echo {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let (to, n) = (around.to, left.len());
        let mut seconds = distance(to, around.quarters_per_second);
        // What does not fit comes twice as often, and so in time.
        while seconds * self.rate as f32 > self.lines[0].most() as f32 {
            seconds *= 0.5;
        }
        // No echo is nearer than a block: its feedback is filtered a block at a time.
        let wanted = ((seconds * self.rate as f32).round() as usize).clamp(MOST_FRAMES, self.lines[0].most());
        let (now, leaving) = self.distance.go(wanted, n);
        let mut back = [[0.0f32; MOST_FRAMES]; 2];
        for (line, back) in self.lines.iter().zip(&mut back) {
            // Nothing of this block is written yet: the frame `i` lies that much nearer.
            for (i, back) in back[..n].iter_mut().enumerate() {
                *back = line.at(now - i);
            }
            if let Some((old, share, step)) = leaving {
                for (i, back) in back[..n].iter_mut().enumerate() {
                    *back += (line.at(old - i) - *back) * share_left((share, step), i);
                }
            }
        }
        let mut fed = back;
        let [a, b] = &mut fed;
        self.low.process(Mixture::low_pass(to[3], FRAC_1_SQRT_2, self.rate), &mut a[..n], &mut b[..n]);
        self.high.process(Mixture::high_pass(to[4], FRAC_1_SQRT_2, self.rate), &mut a[..n], &mut b[..n]);
        let (mut feedback, step) = self.feedback.steps(to[2], n);
        for i in 0..n {
            feedback += step;
            let (mut x, mut y) =
                if self.across { (0.5 * (left[i] + right[i]) + b[i] * feedback, a[i]) } else { (left[i] + a[i] * feedback, right[i] + b[i] * feedback) };
            settle(&mut x);
            settle(&mut y);
            self.lines[0].write(x);
            self.lines[1].write(y);
            (left[i], right[i]) = (back[0][i], back[1][i]);
        }
    }

    fn longest_gap(&self) -> f32 {
        self.distance.most(|d| d as f32 / self.rate as f32)
    }

    fn clear(&mut self) {
        self.lines.iter_mut().for_each(DelayLine::clear);
        self.low.clear();
        self.high.clear();
    }
}
