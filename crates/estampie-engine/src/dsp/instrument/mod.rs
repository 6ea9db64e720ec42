//! Instruments: one note at a time, made as it sounds.
//!
//! | kind | how it is made |
//! |---|---|
//! | plucked | a noise burst in a damped, tuned delay loop (K. Karplus and A. Strong 1983; tuning allpass by D. Jaffe and J. Smith 1983) |
//! | bowed | a band-limited sawtooth (polynomial step correction: V. Välimäki and A. Huovilainen 2007) with vibrato that sets in, through a body low-pass |
//! | reed | a band-limited narrow pulse through two formants |
//! | pipe | three partials and breath through a band-pass at the pitch |
//! | drone | three sawtooths a few cents apart, through a low-pass |
//! | drum | a falling sine and a burst of noise |
//! | bells | six partials of a bell (ratios after J. Chowning's and A. Lehr's measured bells), each with its own decay |
//! | synth | two oscillators, a state-variable low-pass with an envelope (A. Simper 2013) |
//! | reed organ | two free reeds a few cents apart, through a low-pass ([`organ`]) |
//! | struck bar | three partials of a tuned bar and the mallet ([`bar`]) |
//! | voices | three sawtooths through the formants of a vowel ([`voices`]) |
//! | plucked bass | the plucked string, plucked at a fifth of its length ([`bass`]) |
//! | drum set | twelve strokes, each of a falling tone, noise and metal ([`set`]) |
//! | takes | recordings, each for a range of keys |
//!
//! A note's gain goes with the square of its velocity. Nothing here allocates after [`Tone::new`].

mod bar;
mod bass;
mod organ;
mod set;
mod settings;
#[cfg(test)]
mod tests;
mod voices;

pub use set::{STROKES as DRUM_STROKES, stroke_name};
pub use settings::{InstrumentSettings, Kind, Wave};

use crate::dsp::oscillator::{pulse, saw};
use crate::dsp::{Interpolator, advance_of};
use crate::ground::clip::{Clip, Samples};
use std::f32::consts::{PI, TAU};
use std::sync::Arc;

/// The frequency of a pitch in MIDI semitones: 69 is 440 Hz.
#[must_use]
pub fn frequency(pitch: f32) -> f32 {
    440.0 * ((pitch - 69.0) / 12.0).exp2()
}

/// The lowest string, in Hz, just under the lowest key of a piano: its period is as long as there is room for. What would be lower sounds an octave up.
const LOWEST: u32 = 27;
/// Beyond the period of the lowest string.
const SPARE: usize = 8;
/// A note stands all the way to a side so many semitones from the middle of a keyboard.
const TO_THE_SIDE: f32 = 24.0;
const MIDDLE: f32 = 62.0;
/// Ratios and strengths of a bell's partials: hum, prime, tierce, quint, nominal, and one above.
const BELL: [(f32, f32); 6] = [(0.5, 0.35), (1.0, 1.0), (1.19, 0.5), (1.5, 0.3), (2.0, 0.55), (2.74, 0.2)];

/// A sine that turns by a constant angle: one complex multiplication a sample.
#[derive(Debug, Clone, Copy, Default)]
struct Turn {
    re: f32,
    im: f32,
    cos: f32,
    sin: f32,
    fade: f32,
}

impl Turn {
    /// `angle` radians a sample; its length shrinks by `fade` a sample.
    fn new(angle: f32, fade: f32, length: f32) -> Turn {
        Turn { re: length, im: 0.0, cos: angle.cos(), sin: angle.sin(), fade }
    }

    /// Turns by another angle from here on.
    fn tune(&mut self, angle: f32) {
        (self.sin, self.cos) = angle.sin_cos();
    }

    fn next(&mut self) -> f32 {
        let (re, im) = (self.re, self.im);
        (self.re, self.im) = ((re * self.cos - im * self.sin) * self.fade, (re * self.sin + im * self.cos) * self.fade);
        im
    }
}

/// A state-variable filter (A. Simper, *Linear trapezoidal integrated SVF*, 2013): low and band outputs.
#[derive(Debug, Clone, Copy, Default)]
struct Variable {
    first: f32,
    second: f32,
}

impl Variable {
    /// `g` is tan(π f / rate), `k` the inverse of the quality.
    fn next(&mut self, input: f32, g: f32, k: f32) -> (f32, f32) {
        let a1 = 1.0 / (1.0 + g * (g + k));
        let a2 = g * a1;
        let v3 = input - self.second;
        let v1 = a1 * self.first + a2 * v3;
        let v2 = self.second + a2 * self.first + g * a2 * v3;
        self.first = 2.0 * v1 - self.first;
        self.second = 2.0 * v2 - self.second;
        (v2, v1)
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum ToneStage {
    Rise,
    Decay,
    Release,
    Gone,
}

/// What moves slowly enough to be worked out once for a block.
struct Slow {
    by: f32,
    others: [f32; 3],
    g: [f32; 3],
    fade: f32,
    loss: f32,
}

/// How fast an envelope goes: what its rise adds to a sample, and the shares of the way by which it decays and is let go.
struct Speeds {
    rise: f32,
    decay: f32,
    release: f32,
}

/// The same on both sides.
fn both(x: f32) -> [f32; 2] {
    [x, x]
}

/// How a note begins.
#[derive(Debug, Clone, Copy)]
pub struct Stroke {
    /// Its pitch, in MIDI semitones.
    pub pitch: f32,
    /// How hard it is struck, 0 to 1.
    pub velocity: f32,
    /// Frames before it begins.
    pub wait: u64,
    /// Frames after which it is let go.
    pub length: u64,
    /// What its noise begins from.
    pub seed: u32,
}

/// One sounding note.
#[derive(Debug)]
pub struct Tone {
    patch: InstrumentSettings,
    stage: ToneStage,
    /// Its envelope now, and its share of the way or factor a sample.
    envelope: f32,
    pitch: f32,
    gain: f32,
    /// Frames before it begins, and before it is let go.
    wait: u64,
    off: u64,
    age: u64,
    phase: [f32; 3],
    seed: u32,
    filters: [Variable; 3],
    turns: [Turn; 6],
    line: Box<[f32]>,
    at: usize,
    memory: [f32; 3],
    clip: Option<Arc<Clip>>,
    root: f32,
    /// Where it is in its recording, in 32.32 fixed point.
    position: u64,
    hushed: bool,
    /// The stroke of a drum set, by its place in the table.
    drum: u8,
    /// The pitch that its partials are tuned to.
    tuned: f32,
    /// Its gains to the left and to the right; in the middle 1.
    sides: [f32; 2],
    /// The gains of the oscillators of drone and synth.
    others: [[f32; 2]; 3],
}

impl Tone {
    /// A tone that is silent, at a rate; all memory is made here.
    #[must_use]
    pub fn new(rate: u32) -> Tone {
        Tone::above(LOWEST, rate)
    }

    /// One of which no string is ever lower than so many Hz: it needs less memory.
    #[must_use]
    pub fn above(hertz: u32, rate: u32) -> Tone {
        let line = (rate / hertz.max(1)) as usize + SPARE;
        Tone {
            patch: InstrumentSettings::usual(Kind::Synth),
            stage: ToneStage::Gone,
            envelope: 0.0,
            pitch: 60.0,
            gain: 0.0,
            wait: 0,
            off: u64::MAX,
            age: 0,
            phase: [0.0; 3],
            seed: 1,
            filters: [Variable::default(); 3],
            turns: [Turn::default(); 6],
            line: vec![0.0; line].into_boxed_slice(),
            at: 0,
            memory: [0.0; 3],
            clip: None,
            root: 60.0,
            position: 0,
            hushed: false,
            drum: 0,
            tuned: 60.0,
            sides: [1.0; 2],
            others: [[1.0; 2]; 3],
        }
    }

    /// It is gone at once, without a fall: for what nobody hears.
    pub fn stop(&mut self) {
        self.stage = ToneStage::Gone;
    }

    /// Whether it has come to its end.
    #[must_use]
    pub fn gone(&self) -> bool {
        self.stage == ToneStage::Gone
    }

    /// Whether it has been let go.
    #[must_use]
    pub fn let_go_already(&self) -> bool {
        self.off == 0 || matches!(self.stage, ToneStage::Release | ToneStage::Gone)
    }

    /// Whether it is on its way out to make room.
    #[must_use]
    pub fn leaves(&self) -> bool {
        self.hushed
    }

    /// Whether a recording of it has yet to be dropped.
    #[must_use]
    pub fn holds_clip(&self) -> bool {
        self.clip.is_some()
    }

    /// Makes room: falls within 10 ms from `wait` frames on.
    pub fn hush(&mut self, wait: u64) {
        self.let_go(wait);
        self.patch.release_seconds = 0.01;
        self.hushed = true;
    }

    /// The pitch it sounds at, in MIDI semitones.
    #[must_use]
    pub fn pitch(&self) -> f32 {
        self.pitch
    }

    /// Frames since it began to sound.
    #[must_use]
    pub fn age(&self) -> u64 {
        self.age
    }

    /// What it is as loud as now, for choosing one that yields. What still rises counts as what it rises to, and what is struck
    /// dies away by its decay.
    #[must_use]
    pub fn loudness(&self, rate: u32) -> f32 {
        let envelope = if self.stage == ToneStage::Rise { 1.0 } else { self.envelope };
        let struck = matches!(self.patch.kind, Kind::Plucked | Kind::Bells | Kind::Drum | Kind::Bar | Kind::Bass);
        let left = if struck { (-6.9 * self.age as f32 / (self.patch.decay_seconds.max(0.02) * rate as f32)).exp() } else { 1.0 };
        self.gain * envelope * left
    }

    /// The recording it played, to be dropped elsewhere.
    pub fn take_clip(&mut self) -> Option<Arc<Clip>> {
        self.clip.take()
    }

    /// Gives a recording back that could not be dropped.
    pub fn keep_clip(&mut self, clip: Arc<Clip>) {
        self.clip = Some(clip);
    }

    /// Begins a note; `clip` is for takes, with the pitch it was recorded at.
    pub fn start(&mut self, patch: &InstrumentSettings, stroke: Stroke, clip: Option<(Arc<Clip>, f32)>, rate: u32) {
        let Stroke { pitch, velocity, wait, length, seed } = stroke;
        self.patch = *patch;
        self.stage = ToneStage::Rise;
        self.envelope = 0.0;
        self.pitch = pitch;
        // Softer notes are darker too, as with anything that is struck or blown.
        self.patch.brightness = (patch.brightness * (0.5 + 0.5 * velocity)).clamp(0.0, 1.0);
        self.gain = velocity * velocity * patch.gain * loudness_of(patch.kind);
        (self.wait, self.off, self.age) = (wait, wait + length, 0);
        self.seed = seed | 1;
        self.phase = [0.0, 0.37, 0.71];
        self.filters = [Variable::default(); 3];
        self.memory = [0.0; 3];
        self.position = 0;
        self.hushed = false;
        self.stand(pitch);
        (self.clip, self.root) = clip.map_or((None, 60.0), |(c, root)| (Some(c), root));
        let rate = rate as f32;
        match patch.kind {
            Kind::Plucked => self.pluck(rate),
            Kind::Bowed | Kind::Pipe => self.memory[0] = 1.0,
            Kind::Bass => self.pluck_bass(rate),
            Kind::Bells => self.strike_bell(rate),
            Kind::Bar => self.strike_bar(rate),
            Kind::Set => self.strike_set(rate),
            Kind::Drum => {
                let fade = (-6.9 / (patch.decay_seconds.max(0.02) * rate)).exp();
                self.turns[0] = Turn::new(0.0, fade, 1.0);
                self.memory[0] = 1.0;
            }
            _ => {}
        }
    }

    /// Gives it its place between left and right, at constant power.
    fn stand(&mut self, pitch: f32) {
        let width = self.patch.width;
        let gains = |place: f32| {
            let (right, left) = ((place.clamp(-1.0, 1.0) + 1.0) * PI / 4.0).sin_cos();
            if place == 0.0 { [1.0; 2] } else { [left, right].map(|g| g * std::f32::consts::SQRT_2) }
        };
        self.sides = gains(self.patch.pan + width * (pitch - MIDDLE) / TO_THE_SIDE);
        self.others = [gains(0.0), gains(-width), gains(width)];
        if self.patch.kind == Kind::Synth {
            self.others[0] = gains(width);
        }
    }

    /// Lets it go in `wait` frames, if it is not let go before.
    pub fn let_go(&mut self, wait: u64) {
        self.off = self.off.min(wait);
    }

    /// Bends it to another pitch.
    pub fn bend(&mut self, pitch: f32) {
        self.pitch = pitch;
    }

    fn noise(&mut self) -> f32 {
        // xorshift (G. Marsaglia 2003)
        self.seed ^= self.seed << 13;
        self.seed ^= self.seed >> 17;
        self.seed ^= self.seed << 5;
        (self.seed >> 8) as f32 / (1 << 23) as f32 - 1.0
    }

    /// The frequency of a string: that of its pitch, or octaves above it where there is no room for its period.
    fn string(&self, rate: f32) -> f32 {
        let longest = (self.line.len() - SPARE) as f32;
        let mut hertz = frequency(self.pitch);
        while hertz * longest < rate && hertz < rate {
            hertz *= 2.0;
        }
        hertz
    }

    fn pluck(&mut self, rate: f32) {
        let period = ((rate / self.string(rate)) as usize).clamp(4, self.line.len() - 2);
        let smooth = 0.75 - 0.7 * self.patch.brightness;
        let (mut last, mut sum) = (0.0, 0.0);
        for at in 0..=period {
            last += (self.noise() - last) * (1.0 - smooth);
            self.line[at] = last;
            sum += last;
        }
        // Without its mean the loop holds no constant.
        let mean = sum / (period + 1) as f32;
        let power: f32 = self.line[..=period].iter().map(|s| (s - mean) * (s - mean)).sum::<f32>() / (period + 1) as f32;
        let even = 0.35 / power.sqrt().max(1e-3);
        self.line[..=period].iter_mut().for_each(|s| *s = (*s - mean) * even);
        self.at = period;
    }

    /// Tunes the partials of what is bent.
    fn tune<const N: usize>(&mut self, rate: f32, ratios: [f32; N]) {
        self.tuned = self.pitch;
        let root = frequency(self.pitch);
        for (turn, ratio) in self.turns.iter_mut().zip(ratios) {
            turn.tune(TAU * (root * ratio / rate).min(0.45));
        }
    }

    fn strike_bell(&mut self, rate: f32) {
        self.tuned = self.pitch;
        let root = frequency(self.pitch);
        for (turn, (ratio, strength)) in self.turns.iter_mut().zip(BELL) {
            let partial = root * ratio;
            // Higher partials die sooner.
            let seconds = (self.patch.decay_seconds / (0.6 + 0.4 * ratio * ratio)).max(0.05);
            let bright = if ratio > 1.2 { 0.4 + 1.2 * self.patch.brightness } else { 1.0 };
            let there = if partial < rate * 0.45 { strength * bright } else { 0.0 };
            *turn = Turn::new(TAU * partial / rate, (-6.9 / (seconds * rate)).exp(), there);
        }
    }

    /// Adds the next frames to two channels of equal length, at most a few milliseconds: what moves slowly is worked out once for all of them.
    /// With no width, and with a recording of one channel, both are alike.
    pub fn render(&mut self, [left, right]: [&mut [f32]; 2], rate: u32) {
        let rate = rate as f32;
        let hertz = if matches!(self.patch.kind, Kind::Plucked | Kind::Bass) { self.string(rate) } else { frequency(self.pitch) };
        if self.tuned != self.pitch {
            match self.patch.kind {
                Kind::Bells => self.tune(rate, BELL.map(|(ratio, _)| ratio)),
                Kind::Bar => self.tune(rate, bar::PARTIALS.map(|(ratio, ..)| ratio)),
                _ => {}
            }
        }
        let slow = self.slow(rate, hertz);
        let speeds = Speeds {
            rise: 1.0 / (self.patch.attack_seconds * rate).max(1.0),
            decay: coefficient(self.patch.decay_seconds, rate),
            release: coefficient(self.patch.release_seconds, rate),
        };
        let waits = (self.wait.min(left.len() as u64)) as usize;
        self.wait -= waits as u64;
        self.off = self.off.saturating_sub(waits as u64);
        let out = [&mut left[waits..], &mut right[waits..]];
        // What it is made of is asked once and not for every sample: so what stays the same is worked out before the loop.
        match self.patch.kind {
            Kind::Plucked | Kind::Bass => self.each(out, &speeds, |t| both(t.plucked(rate, hertz, slow.loss))),
            Kind::Bowed => self.each(out, &speeds, |t| both(t.bowed(&slow))),
            Kind::Reed => self.each(out, &speeds, |t| both(t.reed(&slow))),
            Kind::Pipe => self.each(out, &speeds, |t| both(t.pipe(&slow))),
            Kind::Drone => self.each(out, &speeds, |t| t.drone(&slow)),
            Kind::Drum => self.each(out, &speeds, |t| both(t.drum(&slow))),
            Kind::Bells => self.each(out, &speeds, |t| both(t.turns.iter_mut().map(Turn::next).sum::<f32>() * 0.4)),
            Kind::Synth => self.each(out, &speeds, |t| t.synth(&slow)),
            Kind::Organ => self.each(out, &speeds, |t| t.organ(&slow)),
            Kind::Bar => self.each(out, &speeds, |t| both(t.bar(&slow))),
            Kind::Voices => self.each(out, &speeds, |t| both(t.voices(&slow))),
            Kind::Set => self.each(out, &speeds, |t| both(t.set(&slow))),
            Kind::Takes => self.each(out, &speeds, |t| t.take(hertz)),
        }
    }

    /// Adds its next frames, each of which `next` makes, under its envelope.
    #[inline(always)]
    fn each(&mut self, [left, right]: [&mut [f32]; 2], speeds: &Speeds, mut next: impl FnMut(&mut Tone) -> [f32; 2]) {
        for (left, right) in left.iter_mut().zip(right) {
            if self.off == 0 && matches!(self.stage, ToneStage::Rise | ToneStage::Decay) {
                self.stage = ToneStage::Release;
            }
            self.off = self.off.saturating_sub(1);
            match self.stage {
                ToneStage::Rise => {
                    self.envelope += speeds.rise;
                    if self.envelope >= 1.0 {
                        (self.envelope, self.stage) = (1.0, ToneStage::Decay);
                    }
                }
                ToneStage::Decay => self.envelope += (self.patch.sustain - self.envelope) * speeds.decay,
                ToneStage::Release => {
                    self.envelope *= 1.0 - speeds.release;
                    if self.envelope < 1e-4 {
                        self.stage = ToneStage::Gone;
                    }
                }
                ToneStage::Gone => return,
            }
            let raw = next(self);
            self.age += 1;
            let gain = self.envelope * self.gain;
            *left += raw[0] * self.sides[0] * gain;
            *right += raw[1] * self.sides[1] * gain;
        }
    }

    fn turn(&mut self, which: usize, by: f32) -> f32 {
        let phase = self.phase[which];
        // No oscillator moves by half a period, so that it is one whole at the most.
        let next = phase + by;
        self.phase[which] = if next >= 1.0 { next - 1.0 } else { next };
        phase
    }

    fn plucked(&mut self, rate: f32, hertz: f32, loss: f32) -> f32 {
        // The weighted mean of two neighbours is late by the weight of the older; an allpass takes up the rest.
        let newer = 0.5 + 0.25 * self.patch.brightness;
        let exact = (rate / hertz - (1.0 - newer)).clamp(4.0, (self.line.len() - 3) as f32);
        let whole = (exact - 0.3) as u32 as f32;
        let fraction = exact - whole;
        let allpass = (1.0 - fraction) / (1.0 + fraction);
        let period = whole as usize;
        // Read so many samples behind where it is written; at first that is the pluck.
        let out = self.line[(self.at + self.line.len() - period) % self.line.len()];
        let damped = (newer * out + (1.0 - newer) * self.memory[0]) * loss;
        self.memory[0] = out;
        let tuned = allpass * (damped - self.memory[1]) + self.memory[2];
        (self.memory[1], self.memory[2]) = (tuned, damped);
        self.line[self.at] = tuned;
        self.at = (self.at + 1) % self.line.len();
        out
    }

    fn bowed(&mut self, slow: &Slow) -> f32 {
        let phase = self.turn(0, slow.by);
        let bow = self.noise() * 0.04 * (1.0 + 3.0 * self.fading(0, slow));
        let (low, _) = self.filters[0].next(saw(phase, slow.by) + bow, slow.g[0], 1.2);
        // The body: a broad rise near 300 Hz.
        let (_, body) = self.filters[1].next(low, slow.g[1], 0.9);
        (low + 0.6 * body) * 0.5
    }

    fn reed(&mut self, slow: &Slow) -> f32 {
        let phase = self.turn(0, slow.by);
        let source = pulse(phase, slow.by, 0.22);
        let (_, first) = self.filters[0].next(source, slow.g[0], 0.35);
        let (_, second) = self.filters[1].next(source, slow.g[1], 0.3);
        let (low, _) = self.filters[2].next(source, slow.g[2], 1.0);
        (0.35 * low + 0.5 * first + (0.25 + 0.3 * self.patch.brightness) * second) * 0.5
    }

    fn pipe(&mut self, slow: &Slow) -> f32 {
        let (sin, cos) = (TAU * self.turn(0, slow.by)).sin_cos();
        let breath = self.noise();
        let (_, wind) = self.filters[0].next(breath, slow.g[0], 0.25);
        let chiff = 1.0 + 4.0 * self.fading(0, slow);
        let (second, third) = (2.0 * sin * cos, sin * (3.0 - 4.0 * sin * sin));
        sin + 0.22 * second + (0.05 + 0.15 * self.patch.brightness) * third + wind * 0.03 * chiff
    }

    fn drone(&mut self, slow: &Slow) -> [f32; 2] {
        let mut sum = [0.0; 2];
        for which in 0..3 {
            let phase = self.turn(which, slow.others[which]);
            let value = saw(phase, slow.others[which]);
            (sum[0], sum[1]) = (sum[0] + value * self.others[which][0], sum[1] + value * self.others[which][1]);
        }
        self.both_sides(sum.map(|s| s * 0.3), slow.g[0], 1.0)
    }

    /// A low-pass of both sides; one that has no width is filtered once.
    fn both_sides(&mut self, sides: [f32; 2], g: f32, k: f32) -> [f32; 2] {
        let left = self.filters[0].next(sides[0], g, k).0;
        if self.patch.width == 0.0 { [left; 2] } else { [left, self.filters[1].next(sides[1], g, k).0] }
    }

    fn drum(&mut self, slow: &Slow) -> f32 {
        let phase = self.turn(0, slow.by);
        let second = self.turn(1, slow.others[1]);
        let ring = self.turns[0].re;
        self.turns[0].re *= self.turns[0].fade;
        let noise = self.noise();
        let (low, _) = self.filters[0].next(noise, slow.g[0], 1.0);
        let stroke = self.fading(0, slow);
        ((TAU * phase).sin() + 0.35 * (TAU * second).sin() * ring) * ring + low * stroke * (0.25 + 0.6 * self.patch.brightness)
    }

    fn synth(&mut self, slow: &Slow) -> [f32; 2] {
        let mut sum = [0.0; 2];
        for (which, own) in [(0, slow.by), (1, slow.others[1])] {
            let phase = self.turn(which, own);
            let value = match self.patch.wave {
                Wave::Saw => saw(phase, own),
                Wave::Square => pulse(phase, own, 0.5),
                Wave::Triangle => 4.0 * (phase - 0.5).abs() - 1.0,
                Wave::Sine => (TAU * phase).sin(),
            };
            (sum[0], sum[1]) = (sum[0] + value * self.others[which][0], sum[1] + value * self.others[which][1]);
        }
        self.both_sides(sum.map(|s| s * 0.4), slow.g[0], 0.9)
    }

    /// What dies away after the start, from 1: bow, chiff, stroke.
    fn fading(&mut self, which: usize, slow: &Slow) -> f32 {
        let now = self.memory[which];
        self.memory[which] *= slow.fade;
        now
    }

    /// What is worked out once for a block, since it moves slowly.
    fn slow(&self, rate: f32, hertz: f32) -> Slow {
        let by = (hertz / rate).min(0.45);
        let seconds = self.age as f32 / rate;
        let bright = self.patch.brightness;
        let g = |cutoff: f32| (PI * cutoff.clamp(20.0, rate * 0.42) / rate).tan();
        let fade = |speed: f32| (-speed / rate).exp();
        let mut slow = Slow { by, others: [by; 3], g: [0.0; 3], fade: 1.0, loss: 1.0 };
        match self.patch.kind {
            Kind::Bowed => {
                slow.by = (by * (1.0 + 0.003 * (seconds / 0.7).min(1.0) * (TAU * 5.1 * seconds).sin())).min(0.45);
                slow.g = [g((hertz * (2.0 + 8.0 * bright)).max(300.0)), g(300.0), 0.0];
                slow.fade = fade(18.0);
            }
            Kind::Reed => slow.g = [g(900.0), g(1900.0 + 900.0 * bright), g(1500.0)],
            Kind::Pipe => (slow.g[0], slow.fade) = (g(hertz * 2.0), fade(40.0)),
            Kind::Drone => {
                let spread = (self.patch.detune_cents / 1200.0).exp2();
                slow.others = [by, by * spread, by / spread];
                let wander = 1.0 + 0.15 * (TAU * 0.13 * seconds).sin();
                slow.g[0] = g((200.0 + 2400.0 * bright).max(hertz * 1.5) * wander);
            }
            Kind::Drum => {
                // The skin is stretched by the stroke: its pitch falls within 30 ms.
                slow.by = (by * (1.0 + 0.6 * (-seconds * 35.0).exp())).min(0.45);
                slow.others[1] = (slow.by * 1.59).min(0.45);
                (slow.g[0], slow.fade) = (g(900.0 + 5000.0 * bright), fade(60.0));
            }
            Kind::Synth => {
                slow.others[1] = by * (self.patch.detune_cents / 1200.0).exp2();
                let open = bright * (0.4 + 0.6 * self.envelope);
                slow.g[0] = g(hertz * 1.5 + 9000.0 * open * open);
            }
            Kind::Organ => self.organ_slow(&mut slow, by, g),
            Kind::Bar => (slow.g[0], slow.fade) = (g(1_500.0 + 7_000.0 * bright), fade(160.0)),
            Kind::Voices => self.voices_slow(&mut slow, by, seconds, g),
            Kind::Set => self.set_slow(&mut slow, rate, g),
            Kind::Plucked | Kind::Bass => {
                // Each round loses so much that 60 dB are gone in `decay` seconds.
                slow.loss = (-6.9 / (self.patch.decay_seconds.max(0.1) * hertz)).exp();
            }
            Kind::Bells | Kind::Takes => {}
        }
        slow
    }

    fn take(&mut self, hertz: f32) -> [f32; 2] {
        let Some(clip) = &self.clip else {
            self.stage = ToneStage::Gone;
            return [0.0; 2];
        };
        if (self.position >> 32) as usize >= clip.frames() {
            self.stage = ToneStage::Gone;
            return [0.0; 2];
        }
        let advance = advance_of(f64::from(hertz / frequency(self.root)));
        let side = |channel: &Samples| Interpolator::shared().at(channel.all(), self.position, advance);
        let left = side(&clip.channels[0]);
        let right = clip.channels.get(1).map_or(left, side);
        self.position += advance;
        [left, right]
    }
}

/// Factors that make the usual settings about as loud as each other.
fn loudness_of(kind: Kind) -> f32 {
    match kind {
        Kind::Plucked => 0.9,
        Kind::Bowed => 0.55,
        Kind::Reed => 0.5,
        Kind::Pipe => 0.35,
        Kind::Drone => 1.0,
        Kind::Drum => 0.7,
        Kind::Bells => 0.45,
        Kind::Synth => 0.5,
        Kind::Organ => 0.6,
        Kind::Bar => 0.75,
        Kind::Voices => 0.9,
        Kind::Bass => 1.1,
        Kind::Set => 0.9,
        Kind::Takes => 1.0,
    }
}

/// The share of the way a sample if 99.9 % take so many seconds.
fn coefficient(seconds: f32, rate: f32) -> f32 {
    if seconds <= 0.0 { 1.0 } else { 1.0 - (-6.9 / (seconds * rate)).exp() }
}
