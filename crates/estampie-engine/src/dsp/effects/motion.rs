//! What swings: tremolo, auto-pan, chorus, flanger, phaser, ring modulation.

use super::delay::DelayLine;
use super::{Around, Crossing, Effect, Kind, Making, Ramps, Setting, Unit, settle, share_left};
use std::f32::consts::{FRAC_PI_4, TAU};

const SHAPES: &[&str] = &["sine", "triangle", "square"];

const fn rate(rest: f32) -> Setting {
    Setting::new("rate", Unit::Hertz, (0.02, 20.0), rest)
}

const fn share(word: &'static str, rest: f32) -> Setting {
    Setting::new(word, Unit::Share, (0.0, 1.0), rest)
}

const fn time(word: &'static str, ends: (f32, f32), rest: f32) -> Setting {
    Setting::new(word, Unit::Seconds, ends, rest)
}

pub(super) const TREMOLO: Kind = Kind {
    word: "tremolo",
    says: "swings the level",
    settings: &[rate(4.0), share("depth", 0.0), Setting::choice("shape", SHAPES)],
    make: |making: &Making| Box::new(Swinging { swing: Swing::new(making, making.values[2]), ramps: Ramps::NEW, pan: false }),
    ..Kind::PLAIN
};

pub(super) const AUTO_PAN: Kind = Kind {
    word: "auto-pan",
    says: "swings from side to side at constant power",
    settings: &[rate(0.5), share("depth", 0.0), Setting::choice("shape", SHAPES)],
    make: |making: &Making| Box::new(Swinging { swing: Swing::new(making, making.values[2]), ramps: Ramps::NEW, pan: true }),
    ..Kind::PLAIN
};

pub(super) const CHORUS: Kind = Kind {
    word: "chorus",
    says: "three wavering copies",
    settings: &[rate(0.6), time("depth", (0.0, 0.010), 0.002), time("delay", (0.005, 0.040), 0.015), share("spread", 1.0)],
    wet_alone: true,
    make: |making: &Making| Box::new(Chorus::new(making)),
    ..Kind::PLAIN
};

pub(super) const FLANGER: Kind = Kind {
    word: "flanger",
    says: "a comb that sweeps",
    settings: &[
        rate(0.2),
        time("depth", (0.0, 0.010), 0.002),
        time("delay", (0.0005, 0.010), 0.002),
        Setting::new("feedback", Unit::Share, (-0.95, 0.95), 0.3),
        share("spread", 0.5),
    ],
    make: |making: &Making| Box::new(Flanger::new(making)),
    ..Kind::PLAIN
};

pub(super) const PHASER: Kind = Kind {
    word: "phaser",
    says: "notches that sweep",
    settings: &[
        rate(0.3),
        Setting::new("centre", Unit::Hertz, (80.0, 6_000.0), 700.0),
        Setting::new("octaves", Unit::Number, (0.0, 4.0), 1.5),
        Setting::new("feedback", Unit::Share, (-0.9, 0.9), 0.2),
        share("spread", 0.5),
        Setting::choice("stages", &["6", "4", "8", "12"]),
    ],
    make: |making: &Making| Box::new(Phaser::new(making)),
    ..Kind::PLAIN
};

pub(super) const RING: Kind = Kind {
    word: "ring",
    says: "multiplies with a tone",
    settings: &[Setting::new("tone", Unit::Hertz, (1.0, 8_000.0), 120.0), share("depth", 0.0)],
    make: |making: &Making| Box::new(Ring { swing: Swing::new(making, 0.0), ramps: Ramps::NEW }),
    ..Kind::PLAIN
};

/// A slow oscillator between −1 and 1.
#[derive(Debug, Clone, Copy)]
struct Swing {
    rate: f32,
    shape: u8,
    phase: f32,
}

impl Swing {
    fn new(making: &Making, shape: f32) -> Swing {
        Swing { rate: making.rate as f32, shape: shape as u8, phase: 0.0 }
    }

    /// Goes on by a frame, and gives the phase from 0 to 1 that it was at.
    fn next(&mut self, speed: f32) -> f32 {
        let phase = self.phase;
        self.phase = (self.phase + speed / self.rate).fract();
        phase
    }

    /// The value at a phase. The square is rounded, so that it does not click.
    fn value(&self, phase: f32) -> f32 {
        let sine = (phase * TAU).sin();
        match self.shape {
            1 => sine.asin() / std::f32::consts::FRAC_PI_2,
            2 => (sine * 6.0).tanh() / 6f32.tanh(),
            _ => sine,
        }
    }

    /// The value for a channel, whose phase may lie a quarter apart.
    fn of_channel(&self, phase: f32, channel: usize, spread: f32) -> f32 {
        self.value((phase + channel as f32 * 0.25 * spread).fract())
    }
}

#[derive(Debug)]
struct Swinging {
    swing: Swing,
    ramps: Ramps<2>,
    pan: bool,
}

impl Effect for Swinging {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let mut line = self.ramps.line([around.to[0], around.to[1]], left.len());
        for (l, r) in left.iter_mut().zip(right) {
            let [speed, depth] = line.next();
            let phase = self.swing.next(speed);
            let value = self.swing.value(phase);
            if self.pan {
                // cos² + sin² = 1; in the middle both gains are 1, so that depth 0 changes nothing.
                let angle = FRAC_PI_4 * (1.0 + value * depth);
                *l *= std::f32::consts::SQRT_2 * angle.cos();
                *r *= std::f32::consts::SQRT_2 * angle.sin();
            } else {
                let gain = 1.0 - depth * 0.5 * (1.0 + value);
                *l *= gain;
                *r *= gain;
            }
        }
    }

    fn clear(&mut self) {
        self.swing.phase = 0.0;
    }
}

/// A distance that is followed in about a tenth of a second: moved at once it would be a chirp that one hears as a click.
#[derive(Debug, Clone, Copy)]
struct Drift(f32);

impl Drift {
    const NEW: Drift = Drift(f32::NAN);

    /// Where it is at the end of a block.
    fn go(&mut self, to: f32, frames: usize, rate: f32) -> f32 {
        let share = 1.0 - (-(frames as f32) / (0.04 * rate)).exp();
        self.0 = if self.0.is_nan() || (to - self.0).abs() < 1e-4 { to } else { self.0 + (to - self.0) * share };
        self.0
    }
}

/// Delays that waver, read between samples.
#[derive(Debug)]
struct Chorus {
    swing: Swing,
    lines: [DelayLine; 2],
    ramps: Ramps<3>,
    depth: Drift,
    delay: Crossing<f32>,
}

impl Chorus {
    fn new(making: &Making) -> Chorus {
        let room = (0.055 * making.rate as f32) as usize;
        Chorus {
            swing: Swing::new(making, 0.0),
            lines: [DelayLine::new(room), DelayLine::new(room)],
            ramps: Ramps::NEW,
            depth: Drift::NEW,
            delay: Crossing::new(0.040, making.rate),
        }
    }
}

/// A phase as the point of a circle that goes round, so that no sine is worked out for each frame.
#[derive(Debug, Clone, Copy)]
struct Turning {
    cos: f32,
    sin: f32,
    step: (f32, f32),
}

impl Turning {
    /// From a phase (0 to 1) by so much of a round each frame.
    fn new(phase: f32, step: f32) -> Turning {
        let (sin, cos) = (phase * TAU).sin_cos();
        let (step_sin, step_cos) = (step * TAU).sin_cos();
        Turning { cos, sin, step: (step_cos, step_sin) }
    }

    fn next(&mut self) {
        let (cos, sin) = self.step;
        (self.cos, self.sin) = (self.cos * cos - self.sin * sin, self.sin * cos + self.cos * sin);
    }
}

impl Effect for Chorus {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let (to, rate, n) = (around.to, self.swing.rate, left.len());
        let (delay, leaving) = self.delay.go((to[2] * rate).round(), n);
        let mut line = self.ramps.line([to[0], self.depth.go(to[1] * rate, n, rate), to[3]], n);
        // Within a block it turns evenly, by the mean of its speed.
        let turn = (line.now[0] + 0.5 * line.step[0] * (n + 1) as f32) / rate;
        let mut turning = Turning::new(self.swing.phase, turn);
        self.swing.phase = (self.swing.phase + turn * n as f32).fract();
        // Where the three copies of each channel stand on the circle, at the end of the block and on the way there.
        let places = |spread: f32| -> [[(f32, f32); 3]; 2] {
            std::array::from_fn(|channel| std::array::from_fn(|copy| ((copy as f32 / 3.0 + channel as f32 * 0.25 * spread) * TAU).sin_cos()))
        };
        let (from, end) = (places(line.now[2]), places(line.now[2] + line.step[2] * n as f32));
        let moves = line.step[2] != 0.0;
        for (i, (l, r)) in left.iter_mut().zip(right).enumerate() {
            let [_, depth, _] = line.next();
            let of_old = leaving.map(|(old, share, step)| (old, share_left((share, step), i)));
            let share = if moves { (i + 1) as f32 / n as f32 } else { 0.0 };
            for (channel, sample) in [&mut *l, &mut *r].into_iter().enumerate() {
                self.lines[channel].write(*sample);
                let mut sum = 0.0;
                for copy in 0..3 {
                    let ((s, c), (to_s, to_c)) = (from[channel][copy], end[channel][copy]);
                    let (s, c) = if moves { (s + (to_s - s) * share, c + (to_c - c) * share) } else { (s, c) };
                    let swung = turning.sin * c + turning.cos * s;
                    let read = |delay: f32| self.lines[channel].smooth((delay + depth * swung).max(2.0));
                    let now = read(delay);
                    sum += of_old.map_or(now, |(old, share)| now + (read(old) - now) * share);
                }
                // Three copies that do not agree have the power of one.
                *sample = sum * 0.577;
            }
            turning.next();
        }
    }

    fn clear(&mut self) {
        self.lines.iter_mut().for_each(DelayLine::clear);
        self.swing.phase = 0.0;
    }
}

#[derive(Debug)]
struct Flanger {
    swing: Swing,
    lines: [DelayLine; 2],
    ramps: Ramps<5>,
    drifts: [Drift; 2],
}

impl Flanger {
    fn new(making: &Making) -> Flanger {
        let room = (0.022 * making.rate as f32) as usize;
        let lines = [DelayLine::new(room), DelayLine::new(room)];
        Flanger { swing: Swing::new(making, 0.0), lines, ramps: Ramps::NEW, drifts: [Drift::NEW; 2] }
    }
}

impl Effect for Flanger {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let (to, rate) = (around.to, self.swing.rate);
        let n = left.len();
        let [depth, delay] = [self.drifts[0].go(to[1] * rate, n, rate), self.drifts[1].go(to[2] * rate, n, rate)];
        let mut line = self.ramps.line([to[0], depth, delay, to[3], to[4]], n);
        for (l, r) in left.iter_mut().zip(right) {
            let [speed, depth, delay, feedback, spread] = line.next();
            let phase = self.swing.next(speed);
            for (channel, sample) in [&mut *l, &mut *r].into_iter().enumerate() {
                let back = delay + depth * 0.5 * (1.0 + self.swing.of_channel(phase, channel, spread));
                let mut past = self.lines[channel].smooth(back);
                settle(&mut past);
                self.lines[channel].write(*sample + past * feedback);
                *sample = 0.5 * (*sample + past);
            }
        }
    }

    fn clear(&mut self) {
        self.lines.iter_mut().for_each(DelayLine::clear);
        self.swing.phase = 0.0;
    }
}

/// First-order all-passes in a row, with feedback, mixed half and half with the dry sound: two stages make a notch.
#[derive(Debug)]
struct Phaser {
    swing: Swing,
    stages: usize,
    state: [[f32; 12]; 2],
    last: [f32; 2],
    ramps: Ramps<5>,
}

impl Phaser {
    fn new(making: &Making) -> Phaser {
        let stages = [6, 4, 8, 12][(making.values[5] as usize).min(3)];
        Phaser { swing: Swing::new(making, 0.0), stages, state: [[0.0; 12]; 2], last: [0.0; 2], ramps: Ramps::NEW }
    }
}

impl Effect for Phaser {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let (to, rate) = (around.to, self.swing.rate);
        let mut line = self.ramps.line([to[0], to[1].log2(), to[2], to[3], to[4]], left.len());
        for (l, r) in left.iter_mut().zip(right) {
            let [speed, centre, octaves, feedback, spread] = line.next();
            let phase = self.swing.next(speed);
            for (channel, sample) in [&mut *l, &mut *r].into_iter().enumerate() {
                let swung = self.swing.of_channel(phase, channel, spread);
                let cutoff = (centre + octaves * 0.5 * swung).exp2().min(0.45 * rate);
                let g = (std::f32::consts::PI * cutoff / rate).tan();
                let g = g / (1.0 + g);
                let mut x = *sample + self.last[channel] * feedback;
                for state in &mut self.state[channel][..self.stages] {
                    let v = (x - *state) * g;
                    let low = v + *state;
                    *state = low + v;
                    x = 2.0 * low - x;
                }
                settle(&mut x);
                self.last[channel] = x;
                *sample = 0.5 * (*sample + x);
            }
        }
        self.state.iter_mut().flatten().for_each(settle);
    }

    fn clear(&mut self) {
        (self.state, self.last, self.swing.phase) = ([[0.0; 12]; 2], [0.0; 2], 0.0);
    }
}

#[derive(Debug)]
struct Ring {
    swing: Swing,
    ramps: Ramps<2>,
}

impl Effect for Ring {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let mut line = self.ramps.line([around.to[0], around.to[1]], left.len());
        for (l, r) in left.iter_mut().zip(right) {
            let [speed, depth] = line.next();
            let phase = self.swing.next(speed);
            let gain = 1.0 - depth + depth * self.swing.value(phase);
            *l *= gain;
            *r *= gain;
        }
    }

    fn clear(&mut self) {
        self.swing.phase = 0.0;
    }
}
