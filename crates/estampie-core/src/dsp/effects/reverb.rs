//! Reverberation: early reflections, and sixteen delay lines that feed each other without loss.
//!
//! A feedback delay network after J.-M. Jot and A. Chaigne, *Digital Delay Networks for Designing Artificial Reverberators*,
//! AES Convention 90 (1991): lines of mutually prime lengths mixed by a Hadamard matrix; what each line loses in a round
//! makes the sound fall by 60 dB in the time set, for low, middle and high frequencies by itself (two shelves of second
//! order). Series all-passes make it dense at once. The level of the tail does not depend on its length: what goes in is
//! scaled by √(1 − g²) / g, so that noise comes out as strong as it went in.

use super::delay::DelayLine;
use super::tone::{Mixture, Section};
use super::{Around, Effect, Kind, MOST_FRAMES, MOST_SETTINGS, Making, Ramp, Setting, Unit, gain_of, settle};

pub(super) const REVERB: Kind = Kind {
    word: "reverb",
    says: "a room",
    settings: &[
        Setting::new("decay", Unit::Seconds, (0.1, 20.0), 1.8),
        Setting::new("low-decay", Unit::Seconds, (0.1, 20.0), 2.0),
        Setting::new("high-decay", Unit::Seconds, (0.05, 20.0), 0.9),
        Setting::new("low-below", Unit::Hertz, (60.0, 1_000.0), 250.0),
        Setting::new("high-above", Unit::Hertz, (1_000.0, 12_000.0), 4_000.0),
        Setting::new("size", Unit::Share, (0.2, 1.6), 1.0),
        Setting::new("pre-delay", Unit::Seconds, (0.0, 0.250), 0.012),
        Setting::new("density", Unit::Share, (0.0, 1.0), 0.8),
        Setting::new("early", Unit::Decibels, (-60.0, 6.0), -6.0),
        Setting::new("late", Unit::Decibels, (-60.0, 6.0), 0.0),
    ],
    wet_alone: true,
    make: |making: &Making| Box::new(Reverb::new(making.rate)),
};

/// Rooms ready made: their names, what they are, and the values of all settings.
pub const PRESETS: [(&str, &str, [f32; 10]); 4] = [
    ("nave", "a drowned church, high and slow", [4.2, 5.4, 1.6, 220.0, 3_200.0, 1.5, 0.032, 0.9, -9.0, 0.0]),
    ("pipe", "a riveted pipe, narrow and ringing", [0.8, 0.5, 0.7, 400.0, 5_000.0, 0.7, 0.002, 0.45, -2.0, 0.0]),
    ("street", "a street between walls under water", [0.9, 1.1, 0.35, 300.0, 2_500.0, 0.9, 0.018, 0.6, 0.0, -4.0]),
    ("cabin", "the inside of the bell", [0.28, 0.4, 0.18, 250.0, 4_000.0, 0.62, 0.001, 0.8, -1.0, -2.0]),
];

const LINES: usize = 16;
/// Lengths in frames at 48 kHz and size 1: primes between 23 and 54 ms.
const LENGTHS: [u16; LINES] = [1087, 1153, 1223, 1301, 1381, 1459, 1543, 1637, 1733, 1831, 1949, 2063, 2179, 2309, 2447, 2593];
/// Lengths of the all-passes in frames at 48 kHz; the right ones are a little longer.
const DIFFUSE: [u16; 4] = [149, 211, 313, 421];
/// Early reflections: milliseconds at size 1, share of the left and right input, to the left or to the right.
const EARLY: [(f32, f32, bool); 10] = [
    (7.1, 0.82, true),
    (9.7, 0.78, false),
    (13.3, 0.66, false),
    (17.9, 0.61, true),
    (22.7, 0.52, false),
    (29.3, 0.45, true),
    (36.1, 0.39, true),
    (43.9, 0.33, false),
    (52.1, 0.28, true),
    (61.3, 0.24, false),
];

#[derive(Debug)]
struct Reverb {
    rate: u32,
    pre: [DelayLine; 2],
    diffuse: [[DelayLine; 4]; 2],
    lines: Vec<DelayLine>,
    /// Two lines share a section: its two channels.
    low: [Section; LINES / 2],
    high: [Section; LINES / 2],
    /// What the sections do, worked out when a setting has changed.
    shelves: [(Mixture, Mixture); LINES / 2],
    keep: [Ramp; LINES],
    wanted: [f32; LINES],
    last: [f32; MOST_SETTINGS],
    size: Ramp,
    pre_delay: Ramp,
    input: Ramp,
    input_to: f32,
    early: Ramp,
    late: Ramp,
    density: Ramp,
    back: Box<[[f32; MOST_FRAMES]; LINES]>,
}

impl Reverb {
    fn new(rate: u32) -> Reverb {
        let scale = f64::from(rate) / 48_000.0;
        let of = |frames: u16, most: f64| (f64::from(frames) * scale * most) as usize + 8;
        let pre = DelayLine::new((0.36 * f64::from(rate)) as usize);
        Reverb {
            rate,
            pre: [pre.clone(), pre],
            diffuse: [0u16, 24].map(|more| DIFFUSE.map(|frames| DelayLine::new(of(frames + more, 1.0)))),
            lines: LENGTHS.map(|frames| DelayLine::new(of(frames, 1.6) + MOST_FRAMES)).to_vec(),
            low: [Section::default(); LINES / 2],
            high: [Section::default(); LINES / 2],
            shelves: [(Mixture::default(), Mixture::default()); LINES / 2],
            keep: [Ramp::NEW; LINES],
            wanted: [0.0; LINES],
            last: [f32::NAN; MOST_SETTINGS],
            size: Ramp::NEW,
            pre_delay: Ramp::NEW,
            input: Ramp::NEW,
            input_to: 0.0,
            early: Ramp::NEW,
            late: Ramp::NEW,
            density: Ramp::NEW,
            back: Box::new([[0.0; MOST_FRAMES]; LINES]),
        }
    }

    fn length(&self, line: usize, size: f32) -> f32 {
        // A line is never shorter than a block: its feedback is worked out a block at a time.
        (f32::from(LENGTHS[line]) * size * self.rate as f32 / 48_000.0).round().max(MOST_FRAMES as f32 + 4.0)
    }

    /// Works out what each line loses.
    fn set(&mut self, to: &[f32]) {
        if self.last[..10] == to[..10] {
            return;
        }
        self.last[..10].copy_from_slice(&to[..10]);
        let mut lost = 0.0;
        for line in 0..LINES {
            let fall = |frames: f32, time: f32| -60.0 * frames / (self.rate as f32 * time);
            let own = self.length(line, to[5]);
            self.wanted[line] = gain_of(fall(own, to[0]));
            lost += self.wanted[line].powi(2) / LINES as f32;
            if line % 2 == 1 {
                // Neighbours are nearly of one length: they share their shelves.
                let mean = 0.5 * (own + self.length(line - 1, to[5]));
                let over = |time: f32| fall(mean, time) - fall(mean, to[0]);
                self.shelves[line / 2] = (Mixture::low_shelf(to[3], over(to[1]), self.rate), Mixture::high_shelf(to[4], over(to[2]), self.rate));
            }
        }
        self.input_to = ((1.0 - lost).max(0.0) / lost.max(0.02)).sqrt();
    }

    /// Pre-delay, early reflections into `early`, and diffusion in place.
    fn enter(&mut self, to: &[f32], left: &mut [f32], right: &mut [f32], early: &mut [[f32; MOST_FRAMES]; 2]) {
        let n = left.len();
        let rate = self.rate as f32;
        // At rest it is a whole number of frames: nothing has to be read between samples.
        let (mut pre, pre_step) = self.pre_delay.steps((to[6] * rate).round(), n);
        let (mut density, density_step) = self.density.steps(0.7 * to[7], n);
        let size = self.last[5];
        let early_at = EARLY.map(|(ms, ..)| (ms * 0.001 * rate * size).round());
        let whole = pre_step == 0.0;
        let read = |line: &DelayLine, back: f32| if whole { line.at(back as usize) } else { line.between(back) };
        let lengths = [0usize, 24].map(|more| DIFFUSE.map(|f| (f64::from(f) * f64::from(self.rate) / 48_000.0) as usize + more));
        for i in 0..n {
            pre += pre_step;
            density += density_step;
            self.pre[0].write(left[i]);
            self.pre[1].write(right[i]);
            for ((_, level, to_left), at) in EARLY.into_iter().zip(early_at) {
                let back = 1.0 + pre + at;
                // A reflection is heard from the other side as well, softer.
                let (near, far) = if to_left { (0, 1) } else { (1, 0) };
                early[near][i] += level * 0.5 * (read(&self.pre[near], back) + 0.4 * read(&self.pre[far], back));
            }
            let x = [read(&self.pre[0], 1.0 + pre), read(&self.pre[1], 1.0 + pre)];
            for (channel, (mut x, lines)) in x.into_iter().zip(&mut self.diffuse).enumerate() {
                for (line, length) in lines.iter_mut().zip(lengths[channel]) {
                    let past = line.at(length);
                    let mut inner = x + past * density;
                    settle(&mut inner);
                    line.write(inner);
                    x = past - inner * density;
                }
                if channel == 0 { left[i] = x } else { right[i] = x }
            }
        }
    }
}

/// Mixes sixteen numbers by the Hadamard matrix (its energy stays).
fn hadamard(values: &mut [f32; LINES]) {
    let mut half = 1;
    while half < LINES {
        for start in (0..LINES).step_by(half * 2) {
            for i in start..start + half {
                let (a, b) = (values[i], values[i + half]);
                (values[i], values[i + half]) = (a + b, a - b);
            }
        }
        half *= 2;
    }
    values.iter_mut().for_each(|v| *v *= 0.25);
}

impl Effect for Reverb {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let (to, n) = (around.to, left.len());
        self.set(to);
        let mut early = [[0.0f32; MOST_FRAMES]; 2];
        self.enter(to, left, right, &mut early);
        let (size, size_step) = self.size.steps(to[5], n);
        let (mut input, input_step) = self.input.steps(self.input_to, n);
        for line in 0..LINES {
            let (from, end) = (self.length(line, size), self.length(line, size + size_step * n as f32));
            let step = (end - from) / n as f32;
            let delay = &self.lines[line];
            for i in 0..n {
                // Nothing of this block is written yet: the frame `i` lies that much nearer.
                let back = from + step * (i + 1) as f32 - i as f32;
                self.back[line][i] = if step == 0.0 { delay.at(back as usize) } else { delay.between(back) };
            }
        }
        for pair in 0..LINES / 2 {
            let (first, second) = self.back.split_at_mut(2 * pair + 1);
            let (a, b) = (&mut first[2 * pair][..n], &mut second[0][..n]);
            let (low, high) = self.shelves[pair];
            self.low[pair].process(low, a, b);
            self.high[pair].process(high, a, b);
        }
        for line in 0..LINES {
            let (mut keep, step) = self.keep[line].steps(self.wanted[line], n);
            for sample in &mut self.back[line][..n] {
                keep += step;
                *sample *= keep;
            }
        }
        let (mut early_gain, early_step) = self.early.steps(gain_of(to[8]), n);
        let (mut late, late_step) = self.late.steps(gain_of(to[9]), n);
        for i in 0..n {
            input += input_step;
            early_gain += early_step;
            late += late_step;
            let mut round = [0.0f32; LINES];
            let (mut l, mut r) = (0.0f32, 0.0f32);
            for (line, value) in round.iter_mut().enumerate() {
                *value = self.back[line][i];
                // Every second line is heard left, the others right, with signs that undo what they share.
                let signed = if line & 2 == 0 { *value } else { -*value };
                if line & 1 == 0 { l += signed } else { r += signed }
            }
            hadamard(&mut round);
            for (line, value) in round.iter_mut().enumerate() {
                let x = if line & 1 == 0 { left[i] } else { right[i] };
                let sign = if line & 4 == 0 { 0.35 } else { -0.35 };
                *value += x * input * sign;
                settle(value);
                self.lines[line].write(*value);
            }
            left[i] = l * late + early[0][i] * early_gain;
            right[i] = r * late + early[1][i] * early_gain;
        }
    }

    fn clear(&mut self) {
        self.pre.iter_mut().chain(self.diffuse.iter_mut().flatten()).chain(&mut self.lines).for_each(DelayLine::clear);
        self.low.iter_mut().chain(&mut self.high).for_each(Section::clear);
    }
}
