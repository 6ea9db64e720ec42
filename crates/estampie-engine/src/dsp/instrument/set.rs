//! The drum set: twelve strokes on the pitches that the General MIDI percussion map gives them. Each is a tone that falls as the skin's tension does,
//! noise through a filter, and for what is of metal six partials that fit no scale.

use super::{Slow, TAU, Tone, Turn};

/// How a stroke is made.
#[derive(Debug, Clone, Copy)]
struct Stroke {
    /// The pitch that it is on.
    pitch: u8,
    name: &'static str,
    /// The tone: where it begins and ends in Hz, seconds in which 60 dB of it are gone, and its strength.
    tone: (f32, f32, f32, f32),
    /// The noise: the middle of its band in Hz (above it, if `high`), seconds, strength, and how many bursts it comes in.
    noise: (f32, f32, f32, u32),
    high: bool,
    /// Metal: the lowest partial in Hz, seconds, and strength.
    metal: (f32, f32, f32),
}

const NO_METAL: (f32, f32, f32) = (0.0, 0.1, 0.0);

const fn skin(pitch: u8, name: &'static str, tone: (f32, f32, f32, f32), noise: (f32, f32, f32, u32)) -> Stroke {
    Stroke { pitch, name, tone, noise, high: false, metal: NO_METAL }
}

const fn metal(pitch: u8, name: &'static str, noise: (f32, f32, f32, u32), metal: (f32, f32, f32)) -> Stroke {
    Stroke { pitch, name, tone: (400.0, 400.0, 0.1, 0.0), noise, high: true, metal }
}

/// All of them, by pitch.
const TABLE: [Stroke; 12] = [
    skin(36, "kick", (150.0, 48.0, 0.45, 1.0), (2_500.0, 0.02, 0.4, 1)),
    skin(37, "rim", (1_650.0, 1_600.0, 0.06, 0.45), (3_200.0, 0.03, 0.7, 1)),
    skin(38, "snare", (240.0, 185.0, 0.2, 0.55), (3_600.0, 0.26, 1.1, 1)),
    skin(39, "clap", (900.0, 900.0, 0.02, 0.0), (1_500.0, 0.22, 1.7, 4)),
    skin(41, "low tom", (130.0, 82.0, 0.7, 0.95), (1_200.0, 0.05, 0.4, 1)),
    metal(42, "closed hat", (8_500.0, 0.07, 0.55, 1), (3_170.0, 0.08, 0.1)),
    skin(45, "mid tom", (190.0, 122.0, 0.6, 0.95), (1_500.0, 0.05, 0.4, 1)),
    metal(46, "open hat", (8_000.0, 0.6, 0.5, 1), (3_170.0, 0.7, 0.1)),
    skin(48, "high tom", (270.0, 178.0, 0.5, 0.9), (1_900.0, 0.05, 0.4, 1)),
    metal(49, "crash", (5_200.0, 1.6, 0.55, 1), (1_430.0, 2.2, 0.12)),
    metal(51, "ride", (9_000.0, 0.9, 0.16, 1), (2_110.0, 2.0, 0.17)),
    skin(75, "claves", (2_480.0, 2_450.0, 0.12, 0.9), (4_000.0, 0.01, 0.3, 1)),
];

/// The pitches of all strokes, ascending.
pub const STROKES: [u8; 12] = {
    let mut list = [0; 12];
    let mut at = 0;
    while at < 12 {
        list[at] = TABLE[at].pitch;
        at += 1;
    }
    list
};

/// What a pitch of the drum set is called.
#[must_use]
pub fn stroke_name(pitch: u8) -> Option<&'static str> {
    TABLE.iter().find(|s| s.pitch == pitch).map(|s| s.name)
}

/// The partials of metal, as ratios to the lowest: no two of them stand in a simple one.
const RATIOS: [f32; 6] = [1.0, 1.347, 1.683, 2.197, 2.579, 3.122];
/// Seconds of a decay at which a stroke is as long as the table says.
const USUAL: f32 = 0.5;
/// Between the bursts of a clap, in seconds.
const BURSTS: f32 = 0.011;

/// The place of the stroke of a pitch, or of the nearest that has one.
fn place_of(pitch: f32) -> usize {
    let far = |s: &Stroke| ((f32::from(s.pitch) - pitch).abs() * 100.0) as i32;
    (0..TABLE.len()).min_by_key(|at| far(&TABLE[*at])).unwrap_or(0)
}

impl Tone {
    pub(super) fn strike_set(&mut self, rate: f32) {
        // Looked for once: a stroke that is bent stays what it is.
        self.drum = place_of(self.pitch) as u8;
        let stroke = &TABLE[usize::from(self.drum)];
        self.phase = [0.0; 3];
        self.memory = [1.0, 1.0, 0.0];
        let (lowest, seconds, strength) = stroke.metal;
        let seconds = seconds * self.patch.decay_seconds / USUAL;
        let fade = (-6.9 / (seconds.max(0.01) * rate)).exp();
        for (at, ratio) in RATIOS.into_iter().enumerate() {
            let hertz = lowest * ratio;
            let there = if hertz < rate * 0.45 { strength } else { 0.0 };
            self.turns[at] = Turn::new(TAU * hertz / rate, fade, there);
            // They do not all begin at 0: that would be a click.
            for _ in 0..at * 7 {
                self.turns[at].next();
            }
        }
    }

    pub(super) fn set_slow(&self, slow: &mut Slow, rate: f32, g: impl Fn(f32) -> f32) {
        let stroke = &TABLE[usize::from(self.drum)];
        let seconds = self.age as f32 / rate;
        let (from, to, tone, _) = stroke.tone;
        let long = self.patch.decay_seconds / USUAL;
        slow.by = ((to + (from - to) * (-seconds * 40.0).exp()) / rate).min(0.45);
        slow.others[0] = 1.0 / (BURSTS * rate);
        slow.g[0] = g(stroke.noise.0 * (0.7 + 0.6 * self.patch.brightness));
        slow.fade = (-6.9 / ((tone * long).max(0.005) * rate)).exp();
        slow.loss = (-6.9 / ((stroke.noise.1 * long).max(0.005) * rate)).exp();
    }

    pub(super) fn set(&mut self, slow: &Slow) -> f32 {
        let stroke = &TABLE[usize::from(self.drum)];
        let phase = self.turn(0, slow.by);
        let tone = (TAU * phase).sin() * self.memory[0] * stroke.tone.3;
        self.memory[0] *= slow.fade;
        let noise = self.noise();
        let k = 1.0;
        let (low, band) = self.filters[0].next(noise, slow.g[0], k);
        let shaped = if stroke.high { noise - low - k * band } else { band };
        // A clap is many hands: it begins anew a few times, each for itself short.
        let burst = self.age as f32 * slow.others[0];
        if stroke.noise.3 > 1 && burst < (stroke.noise.3 - 1) as f32 {
            self.memory[1] = 1.0 - 0.85 * burst.fract();
        } else {
            self.memory[1] *= slow.loss;
        }
        let hiss = shaped * self.memory[1] * stroke.noise.2;
        let metal: f32 = if stroke.metal.2 > 0.0 { self.turns.iter_mut().map(Turn::next).sum() } else { 0.0 };
        tone + hiss + metal * (0.5 + self.patch.brightness)
    }
}
