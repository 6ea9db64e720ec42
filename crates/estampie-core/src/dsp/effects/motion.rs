//! What swings: tremolo, auto-pan, chorus, flanger, phaser, ring modulation.

use super::delay::DelayLine;
use super::{Around, Effect, Kind, Making, Ramp, Setting, Unit, settle};
use std::f32::consts::{FRAC_PI_4, TAU};

const SHAPES: &[&str] = &["sine", "triangle", "square"];

const fn speed(rest: f32) -> Setting {
    Setting::new("speed", Unit::Hertz, (0.02, 20.0), rest)
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
    settings: &[speed(4.0), share("depth", 0.0), Setting::choice("shape", SHAPES)],
    wet_alone: false,
    make: |making: &Making| Box::new(Swinging { swing: Swing::new(making, making.values[2]), depth: Ramp::NEW, pan: false }),
};

pub(super) const AUTO_PAN: Kind = Kind {
    word: "auto-pan",
    says: "swings from side to side at constant power",
    settings: &[speed(0.5), share("depth", 0.0), Setting::choice("shape", SHAPES)],
    wet_alone: false,
    make: |making: &Making| Box::new(Swinging { swing: Swing::new(making, making.values[2]), depth: Ramp::NEW, pan: true }),
};

pub(super) const CHORUS: Kind = Kind {
    word: "chorus",
    says: "three wavering copies",
    settings: &[speed(0.6), time("depth", (0.0, 0.010), 0.002), time("delay", (0.005, 0.040), 0.015), share("spread", 1.0)],
    wet_alone: true,
    make: |making: &Making| Box::new(Chorus::new(making)),
};

pub(super) const FLANGER: Kind = Kind {
    word: "flanger",
    says: "a comb that sweeps",
    settings: &[
        speed(0.2),
        time("depth", (0.0, 0.010), 0.002),
        time("delay", (0.0005, 0.010), 0.002),
        Setting::new("feedback", Unit::Share, (-0.95, 0.95), 0.3),
        share("spread", 0.5),
    ],
    wet_alone: false,
    make: |making: &Making| Box::new(Flanger::new(making)),
};

pub(super) const PHASER: Kind = Kind {
    word: "phaser",
    says: "notches that sweep",
    settings: &[
        speed(0.3),
        Setting::new("centre", Unit::Hertz, (80.0, 6_000.0), 700.0),
        Setting::new("octaves", Unit::Number, (0.0, 4.0), 1.5),
        Setting::new("feedback", Unit::Share, (-0.9, 0.9), 0.2),
        share("spread", 0.5),
        Setting::choice("stages", &["6", "4", "8", "12"]),
    ],
    wet_alone: false,
    make: |making: &Making| Box::new(Phaser::new(making)),
};

pub(super) const RING: Kind = Kind {
    word: "ring",
    says: "multiplies with a tone",
    settings: &[Setting::new("tone", Unit::Hertz, (1.0, 8_000.0), 120.0), share("depth", 0.0)],
    wet_alone: false,
    make: |making: &Making| Box::new(Ring { swing: Swing::new(making, 0.0), depth: Ramp::NEW }),
};

/// A slow oscillator between −1 and 1.
#[derive(Debug, Clone, Copy)]
struct Swing {
    rate: f32,
    shape: u8,
    phase: f32,
    speed: Ramp,
}

impl Swing {
    fn new(making: &Making, shape: f32) -> Swing {
        Swing { rate: making.rate as f32, shape: shape as u8, phase: 0.0, speed: Ramp::NEW }
    }

    /// Goes on by a frame.
    fn next(&mut self, speed: f32) -> f32 {
        let phase = self.phase;
        self.phase = (self.phase + speed / self.rate).fract();
        phase
    }

    /// The value at a phase from 0 to 1. The square is rounded, so that it does not click.
    fn value(&self, phase: f32) -> f32 {
        let sine = (phase * TAU).sin();
        match self.shape {
            1 => sine.asin() / std::f32::consts::FRAC_PI_2,
            2 => (sine * 6.0).tanh() / 6f32.tanh(),
            _ => sine,
        }
    }
}

#[derive(Debug)]
struct Swinging {
    swing: Swing,
    depth: Ramp,
    pan: bool,
}

impl Effect for Swinging {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let n = left.len();
        let (mut speed, speed_step) = self.swing.speed.steps(around.to[0], n);
        let (mut depth, step) = self.depth.steps(around.to[1], n);
        for (l, r) in left.iter_mut().zip(right) {
            speed += speed_step;
            depth += step;
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

/// Delays that waver, read between samples.
#[derive(Debug)]
struct Chorus {
    swing: Swing,
    lines: [DelayLine; 2],
    depth: Ramp,
    delay: Ramp,
    spread: Ramp,
}

impl Chorus {
    fn new(making: &Making) -> Chorus {
        let room = (0.055 * making.rate as f32) as usize;
        Chorus { swing: Swing::new(making, 0.0), lines: [DelayLine::new(room), DelayLine::new(room)], depth: Ramp::NEW, delay: Ramp::NEW, spread: Ramp::NEW }
    }
}

impl Effect for Chorus {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let n = left.len();
        let rate = self.swing.rate;
        let (mut speed, speed_step) = self.swing.speed.steps(around.to[0], n);
        let (mut depth, depth_step) = self.depth.steps(around.to[1] * rate, n);
        let (mut delay, delay_step) = self.delay.steps(around.to[2] * rate, n);
        let (mut spread, spread_step) = self.spread.steps(around.to[3], n);
        for (l, r) in left.iter_mut().zip(right) {
            speed += speed_step;
            depth += depth_step;
            delay += delay_step;
            spread += spread_step;
            let phase = self.swing.next(speed);
            self.lines[0].write(*l);
            self.lines[1].write(*r);
            let mut out = [0.0f32; 2];
            for (channel, out) in out.iter_mut().enumerate() {
                for copy in 0..3 {
                    let turned = phase + copy as f32 / 3.0 + channel as f32 * 0.25 * spread;
                    *out += self.lines[channel].smooth((delay + depth * self.swing.value(turned.fract())).max(2.0));
                }
            }
            // Three copies that do not agree have the power of one.
            (*l, *r) = (out[0] * 0.577, out[1] * 0.577);
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
    depth: Ramp,
    delay: Ramp,
    feedback: Ramp,
    spread: Ramp,
}

impl Flanger {
    fn new(making: &Making) -> Flanger {
        let room = (0.022 * making.rate as f32) as usize;
        Flanger {
            swing: Swing::new(making, 0.0),
            lines: [DelayLine::new(room), DelayLine::new(room)],
            depth: Ramp::NEW,
            delay: Ramp::NEW,
            feedback: Ramp::NEW,
            spread: Ramp::NEW,
        }
    }
}

impl Effect for Flanger {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let n = left.len();
        let rate = self.swing.rate;
        let (mut speed, speed_step) = self.swing.speed.steps(around.to[0], n);
        let (mut depth, depth_step) = self.depth.steps(around.to[1] * rate, n);
        let (mut delay, delay_step) = self.delay.steps(around.to[2] * rate, n);
        let (mut feedback, feedback_step) = self.feedback.steps(around.to[3], n);
        let (mut spread, spread_step) = self.spread.steps(around.to[4], n);
        for (l, r) in left.iter_mut().zip(right) {
            speed += speed_step;
            depth += depth_step;
            delay += delay_step;
            feedback += feedback_step;
            spread += spread_step;
            let phase = self.swing.next(speed);
            for (channel, sample) in [&mut *l, &mut *r].into_iter().enumerate() {
                let turned = (phase + channel as f32 * 0.25 * spread).fract();
                let back = delay + depth * 0.5 * (1.0 + self.swing.value(turned));
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
    centre: Ramp,
    octaves: Ramp,
    feedback: Ramp,
    spread: Ramp,
}

impl Phaser {
    fn new(making: &Making) -> Phaser {
        Phaser {
            swing: Swing::new(making, 0.0),
            stages: [6, 4, 8, 12][(making.values[5] as usize).min(3)],
            state: [[0.0; 12]; 2],
            last: [0.0; 2],
            centre: Ramp::NEW,
            octaves: Ramp::NEW,
            feedback: Ramp::NEW,
            spread: Ramp::NEW,
        }
    }
}

impl Effect for Phaser {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let n = left.len();
        let rate = self.swing.rate;
        let (mut speed, speed_step) = self.swing.speed.steps(around.to[0], n);
        let (mut centre, centre_step) = self.centre.steps(around.to[1].log2(), n);
        let (mut octaves, octave_step) = self.octaves.steps(around.to[2], n);
        let (mut feedback, feedback_step) = self.feedback.steps(around.to[3], n);
        let (mut spread, spread_step) = self.spread.steps(around.to[4], n);
        for (l, r) in left.iter_mut().zip(right) {
            speed += speed_step;
            centre += centre_step;
            octaves += octave_step;
            feedback += feedback_step;
            spread += spread_step;
            let phase = self.swing.next(speed);
            for (channel, sample) in [&mut *l, &mut *r].into_iter().enumerate() {
                let turned = (phase + channel as f32 * 0.25 * spread).fract();
                let cutoff = (centre + octaves * 0.5 * self.swing.value(turned)).exp2().min(0.45 * rate);
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
    depth: Ramp,
}

impl Effect for Ring {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let n = left.len();
        let (mut speed, speed_step) = self.swing.speed.steps(around.to[0], n);
        let (mut depth, step) = self.depth.steps(around.to[1], n);
        for (l, r) in left.iter_mut().zip(right) {
            speed += speed_step;
            depth += step;
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
