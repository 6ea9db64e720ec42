//! Reverberation: early reflections, and sixteen delay lines that feed each other without loss.
//!
//! A feedback delay network after J.-M. Jot and A. Chaigne, *Digital Delay Networks for Designing Artificial Reverberators*,
//! AES Convention 90 (1991): lines of mutually prime lengths mixed by a Hadamard matrix; what each line loses in a round
//! makes the sound fall by 60 dB in the time set, for low, middle and high frequencies by itself (two shelves of second
//! order). Series all-passes make it dense at once. The level of the tail does not depend on its length: what goes in is
//! scaled by √(1 − g²) / g, so that noise comes out as strong as it went in.

use super::delay::DelayLine;
use super::tone::Mixture;
use super::{Around, Crossing, Effect, Grip, Kind, MOST_FRAMES, MOST_SETTINGS, Making, Picture, Ramp, Setting, Unit, gain_of, settle, share_left};

pub(super) const REVERB: Kind = Kind {
    word: "reverb",
    says: "a room",
    settings: &[
        Setting::new("decay", Unit::Seconds, (0.1, 20.0), 1.8),
        Setting::new("low-decay", Unit::Seconds, (0.1, 20.0), 2.0),
        Setting::new("high-decay", Unit::Seconds, (0.05, 20.0), 0.9),
        Setting::new("low-crossover", Unit::Hertz, (60.0, 1_000.0), 250.0),
        Setting::new("high-crossover", Unit::Hertz, (1_000.0, 12_000.0), 4_000.0),
        Setting::new("size", Unit::Share, (0.2, 1.6), 1.0),
        Setting::new("pre-delay", Unit::Seconds, (0.0, 0.250), 0.012),
        Setting::new("density", Unit::Share, (0.0, 1.0), 0.8),
        Setting::new("early", Unit::Decibels, (-60.0, 6.0), -6.0),
        Setting::new("late", Unit::Decibels, (-60.0, 6.0), 0.0),
    ],
    wet_alone: true,
    presets: PRESETS,
    picture: Some(Picture::Decay(|to| (to[6], [to[1], to[0], to[2]]))),
    // Each fall at another level, so that they do not lie on one another.
    grips: &[
        Grip { setting: 6, at: |to| (to[6], 0.0), put: |to, (time, _)| to[6] = time },
        Grip { setting: 1, at: |to| (to[6] + to[1] / 4.0, -15.0), put: |to, (time, _)| to[1] = 4.0 * (time - to[6]) },
        Grip { setting: 0, at: |to| (to[6] + to[0] / 2.0, -30.0), put: |to, (time, _)| to[0] = 2.0 * (time - to[6]) },
        Grip { setting: 2, at: |to| (to[6] + to[2] * 0.75, -45.0), put: |to, (time, _)| to[2] = (time - to[6]) / 0.75 },
    ],
    make: |making: &Making| Box::new(Reverb::new(making.rate)),
    ..Kind::PLAIN
};

/// Rooms ready made: their names, what they are, and the values of all settings.
const PRESETS: &[(&str, &str, &[f32])] = &[
    ("nave", "a drowned church, high and slow", &[4.2, 5.4, 1.6, 220.0, 3_200.0, 1.5, 0.032, 0.9, -9.0, 0.0]),
    ("pipe", "a riveted pipe, narrow and ringing", &[0.8, 0.5, 0.7, 400.0, 5_000.0, 0.7, 0.002, 0.45, -2.0, 0.0]),
    ("street", "a street between walls under water", &[0.9, 1.1, 0.35, 300.0, 2_500.0, 0.9, 0.018, 0.6, 0.0, -4.0]),
    ("cabin", "the inside of the bell", &[0.28, 0.4, 0.18, 250.0, 4_000.0, 0.62, 0.001, 0.8, -1.0, -2.0]),
];

/// Another size or pre-delay is cross-faded to in this many seconds.
const CROSS: f32 = 0.040;
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
    low: [Shelves; LINES / LANES],
    high: [Shelves; LINES / LANES],
    keep: [Ramp; LINES],
    wanted: [f32; LINES],
    last: [f32; MOST_SETTINGS],
    /// The size and the pre-delay in frames: where everything is read.
    layout: Crossing<(f32, f32)>,
    input: Ramp,
    input_to: f32,
    early: Ramp,
    late: Ramp,
    density: Ramp,
    /// What comes back of a block: for each frame what each line gives.
    back: Box<[[f32; LINES]; MOST_FRAMES]>,
    /// What is heard of each line in each frame.
    taps: Box<[[f32; LINES]; MOST_FRAMES]>,
}

/// How many frames a line is long at a size.
fn length(rate: u32, line: usize, size: f32) -> f32 {
    // A line is never shorter than a block: its feedback is worked out a block at a time.
    (f32::from(LENGTHS[line]) * size * rate as f32 / 48_000.0).round().max(MOST_FRAMES as f32 + 4.0)
}

/// Lines that are worked out side by side: as many as the registers of a machine hold.
const LANES: usize = 8;
type Lanes = [f32; LANES];

/// A shelf for each of several lines (the section of [`Mixture`], all lines at once). What it does changes over a block.
#[derive(Debug, Clone, Copy, Default)]
struct Shelves {
    /// The coefficients of update and mixture, for each line; where they go, and whether anything was set yet.
    now: [Lanes; 6],
    to: [Lanes; 6],
    set: bool,
    state: [Lanes; 2],
}

impl Shelves {
    fn set(&mut self, lane: usize, to: Mixture) {
        for (at, value) in to.a.into_iter().chain(to.m).enumerate() {
            self.to[at][lane] = value;
        }
    }

    /// What each coefficient does in a frame of a block of `frames`; where they stand still it is 0.
    fn steps(&mut self, frames: usize) -> [Lanes; 6] {
        if !self.set {
            (self.now, self.set) = (self.to, true);
        }
        let mut steps = self.to;
        for (step, now) in steps.iter_mut().flatten().zip(self.now.iter().flatten()) {
            *step = (*step - now) / frames as f32;
        }
        steps
    }

    #[inline(always)]
    fn step(c: &[Lanes; 6], state: &mut [Lanes; 2], x: &mut Lanes) {
        let [first, second] = state;
        for lane in 0..LANES {
            let v3 = x[lane] - second[lane];
            let v1 = c[0][lane] * first[lane] + c[1][lane] * v3;
            let v2 = second[lane] + c[1][lane] * first[lane] + c[2][lane] * v3;
            first[lane] = 2.0 * v1 - first[lane];
            second[lane] = 2.0 * v2 - second[lane];
            x[lane] = c[3][lane] * x[lane] + c[4][lane] * v1 + c[5][lane] * v2;
        }
    }

    /// Ends a block with a state.
    fn end(&mut self, mut state: [Lanes; 2]) {
        self.now = self.to;
        state.iter_mut().flatten().for_each(settle);
        self.state = state;
    }

    /// Runs `group` of the lines through one shelf after the other, frame by frame: neither waits for the other's chain.
    fn process(low: &mut Shelves, high: &mut Shelves, group: usize, block: &mut [[f32; LINES]]) {
        let steps = [low.steps(block.len()), high.steps(block.len())];
        let moves = steps.iter().flatten().flatten().any(|s| *s != 0.0);
        let mut c = [low.now, high.now];
        let (mut first, mut second) = (low.state, high.state);
        for frame in block {
            if moves {
                // By whole lanes: flattened, they would be added one by one, which took half of the reverb's time.
                for (c, steps) in c.iter_mut().zip(&steps) {
                    for (c, steps) in c.iter_mut().zip(steps) {
                        for lane in 0..LANES {
                            c[lane] += steps[lane];
                        }
                    }
                }
            }
            let mut x = [0.0; LANES];
            x.copy_from_slice(&frame[group * LANES..(group + 1) * LANES]);
            Shelves::step(&c[0], &mut first, &mut x);
            Shelves::step(&c[1], &mut second, &mut x);
            frame[group * LANES..(group + 1) * LANES].copy_from_slice(&x);
        }
        low.end(first);
        high.end(second);
    }
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
            low: [Shelves::default(); LINES / LANES],
            high: [Shelves::default(); LINES / LANES],
            keep: [Ramp::NEW; LINES],
            wanted: [0.0; LINES],
            last: [f32::NAN; MOST_SETTINGS],
            layout: Crossing::new(CROSS, rate),
            input: Ramp::NEW,
            input_to: 0.0,
            early: Ramp::NEW,
            late: Ramp::NEW,
            density: Ramp::NEW,
            back: Box::new([[0.0; LINES]; MOST_FRAMES]),
            taps: Box::new([[0.0; LINES]; MOST_FRAMES]),
        }
    }

    fn length(&self, line: usize, size: f32) -> f32 {
        length(self.rate, line, size)
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
            let over = |time: f32| fall(own, time) - fall(own, to[0]);
            let (group, lane) = (line / LANES, line % LANES);
            self.low[group].set(lane, Mixture::low_shelf(to[3], over(to[1]), self.rate));
            self.high[group].set(lane, Mixture::high_shelf(to[4], over(to[2]), self.rate));
        }
        self.input_to = ((1.0 - lost).max(0.0) / lost.max(0.02)).sqrt();
    }

    /// Pre-delay, early reflections into `early`, and diffusion in place.
    fn enter(&mut self, to: &[f32], places: &Places, left: &mut [f32], right: &mut [f32], early: &mut [[f32; MOST_FRAMES]; 2]) {
        let n = left.len();
        let rate = self.rate as f32;
        let (mut density, density_step) = self.density.steps(0.7 * to[7], n);
        self.pre[0].write_block(left);
        self.pre[1].write_block(right);
        // The whole block is written: its first frame lies n back.
        let mut past = [0.0f32; MOST_FRAMES];
        let read = |line: &DelayLine, ms: f32, out: &mut [f32]| {
            let back = |(size, pre): (f32, f32)| (pre + (ms * 0.001 * rate * size).round()) as usize + n;
            line.read_block(back(places.0), out);
            if let Some((old, share, step)) = places.1 {
                let mut left = [0.0f32; MOST_FRAMES];
                line.read_block(back(old), &mut left[..n]);
                cross(out, &left[..n], (share, step));
            }
        };
        for (ms, level, to_left) in EARLY {
            // A reflection is heard from the other side as well, softer.
            let (near, far) = if to_left { (0, 1) } else { (1, 0) };
            for (side, gain) in [(near, level * 0.5), (far, level * 0.2)] {
                read(&self.pre[side], ms, &mut past[..n]);
                for (out, x) in early[near][..n].iter_mut().zip(&past[..n]) {
                    *out += gain * x;
                }
            }
        }
        read(&self.pre[0], 0.0, left);
        read(&self.pre[1], 0.0, right);
        let mut densities = [0.0f32; MOST_FRAMES];
        for value in &mut densities[..n] {
            density += density_step;
            *value = density;
        }
        for (channel, block) in [left, right].into_iter().enumerate() {
            for (line, frames) in self.diffuse[channel].iter_mut().zip(DIFFUSE) {
                let length = (f64::from(frames) * f64::from(self.rate) / 48_000.0) as usize + 24 * channel;
                // What comes back within a part is from before it.
                for (part, densities) in block.chunks_mut(length).zip(densities[..n].chunks(length)) {
                    let past = &mut past[..part.len()];
                    line.read_block(length, past);
                    let mut inner = [0.0f32; MOST_FRAMES];
                    for (((x, past), density), inner) in part.iter_mut().zip(past.iter()).zip(densities).zip(&mut inner) {
                        *inner = *x + past * density;
                        settle(inner);
                        *x = past - *inner * density;
                    }
                    line.write_block(&inner[..part.len()]);
                }
            }
        }
    }

    /// What each line gives in this block, frame by frame, and what is heard of it.
    fn read_lines(&mut self, places: &Places, n: usize) {
        let mut past = [0.0f32; MOST_FRAMES];
        for line in 0..LINES {
            let rate = self.rate;
            let length = |size: f32| length(rate, line, size);
            let tap = |size: f32| (length(size) - f32::from(BEFORE[line]) * size * rate as f32 / 48_000.0).max(MOST_FRAMES as f32 + 4.0);
            for (all, at) in [(&mut self.back, &length as &dyn Fn(f32) -> f32), (&mut self.taps, &tap)] {
                // Nothing of this block is written yet: what is read is older by as much.
                self.lines[line].read_block(at(places.0.0) as usize, &mut past[..n]);
                if let Some(((size, _), share, step)) = places.1 {
                    let mut left = [0.0f32; MOST_FRAMES];
                    self.lines[line].read_block(at(size) as usize, &mut left[..n]);
                    cross(&mut past[..n], &left[..n], (share, step));
                }
                for (frame, past) in all[..n].iter_mut().zip(&past) {
                    frame[line] = *past;
                }
            }
        }
    }
}

/// Where everything is read, and where it was before with its share.
type Places = ((f32, f32), Option<((f32, f32), f32, f32)>);

/// Goes over from what is left to `out`.
fn cross(out: &mut [f32], left: &[f32], share: (f32, f32)) {
    for (i, (out, left)) in out.iter_mut().zip(left).enumerate() {
        *out += (left - *out) * share_left(share, i);
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

/// A bent function of a line's number (O. S. Rothaus 1976): two products of two of its four bits, and a sum of some of them.
///
/// A row of the Hadamard matrix (or the half of one) would be what one line is fed with: that line would give the whole output once
/// more, which is heard as an echo. These are as far from all rows as can be: each product with one is a quarter.
const fn bent(pairs: [usize; 4], sum: usize) -> [f32; LINES] {
    let mut signs = [0.0; LINES];
    let mut line = 0;
    while line < LINES {
        let products = (line >> pairs[0] & line >> pairs[1]) & 1 ^ (line >> pairs[2] & line >> pairs[3]) & 1;
        signs[line] = if (products as u32 + (line & sum).count_ones()).is_multiple_of(2) { 1.0 } else { -1.0 };
        line += 1;
    }
    signs
}

/// With which signs the left and the right input go into the lines, and with which they are heard left and right.
const FED: [[f32; LINES]; 2] = [bent([0, 1, 2, 3], 14), bent([0, 1, 2, 3], 5)];
const HEARD: [[f32; LINES]; 2] = [bent([0, 2, 1, 3], 11), bent([0, 2, 1, 3], 1)];
/// So many frames (at 48 kHz and size 1) before its end each line is heard: what one line brings round is heard at sixteen moments instead
/// of one. Found, as the sums above, by a search for the least autocorrelation of the tail.
const BEFORE: [u16; LINES] = [743, 796, 745, 420, 660, 601, 816, 264, 531, 408, 162, 453, 482, 894, 586, 0];

/// What is heard left and right of what the lines give.
fn heard(lines: &[f32; LINES]) -> (f32, f32) {
    let side = |signs: &[f32; LINES]| {
        let mut lanes = [0.0f32; 4];
        for (four, signs) in lines.as_chunks::<4>().0.iter().zip(signs.as_chunks::<4>().0) {
            for lane in 0..4 {
                lanes[lane] += four[lane] * signs[lane];
            }
        }
        (lanes[0] + lanes[2] + (lanes[1] + lanes[3])) * std::f32::consts::FRAC_1_SQRT_2
    };
    (side(&HEARD[0]), side(&HEARD[1]))
}

impl Effect for Reverb {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let (to, n) = (around.to, left.len());
        self.set(to);
        let mut early = [[0.0f32; MOST_FRAMES]; 2];
        // At rest it is a whole number of frames: nothing has to be read between samples.
        let places = self.layout.go((to[5], (to[6] * self.rate as f32).round()), n);
        self.enter(to, &places, left, right, &mut early);
        let (mut input, input_step) = self.input.steps(self.input_to, n);
        self.read_lines(&places, n);
        for (group, (low, high)) in self.low.iter_mut().zip(&mut self.high).enumerate() {
            Shelves::process(low, high, group, &mut self.back[..n]);
        }
        let (mut keep, mut keep_step) = ([0.0f32; LINES], [0.0f32; LINES]);
        for line in 0..LINES {
            (keep[line], keep_step[line]) = self.keep[line].steps(self.wanted[line], n);
        }
        let (mut early_gain, early_step) = self.early.steps(gain_of(to[8]), n);
        let (mut late, late_step) = self.late.steps(gain_of(to[9]), n);
        for i in 0..n {
            input += input_step;
            early_gain += early_step;
            late += late_step;
            let round = &mut self.back[i];
            for line in 0..LINES {
                keep[line] += keep_step[line];
                round[line] *= keep[line];
                self.taps[i][line] *= keep[line];
            }
            let (l, r) = heard(&self.taps[i]);
            hadamard(round);
            let (x, y) = (left[i] * input * 0.2475, right[i] * input * 0.2475);
            for (value, (a, b)) in round.iter_mut().zip(FED[0].iter().zip(&FED[1])) {
                *value += a * x + b * y;
                settle(value);
            }
            left[i] = l * late + early[0][i] * early_gain;
            right[i] = r * late + early[1][i] * early_gain;
        }
        let mut column = [0.0f32; MOST_FRAMES];
        for (line, delay) in self.lines.iter_mut().enumerate() {
            for (value, frame) in column[..n].iter_mut().zip(self.back.iter()) {
                *value = frame[line];
            }
            delay.write_block(&column[..n]);
        }
    }

    fn longest_gap(&self) -> f32 {
        let longest = |(size, pre): (f32, f32)| pre + f32::from(LENGTHS[LINES - 1]) * size * self.rate as f32 / 48_000.0;
        0.05 + self.layout.most(longest) / self.rate as f32
    }

    fn clear(&mut self) {
        self.pre.iter_mut().chain(self.diffuse.iter_mut().flatten()).chain(&mut self.lines).for_each(DelayLine::clear);
        self.low.iter_mut().chain(&mut self.high).for_each(|s| s.state = [[0.0; LANES]; 2]);
    }
}
