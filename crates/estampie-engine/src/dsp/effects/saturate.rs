//! Saturation, and the voice on a radio.
//!
//! The bend is worked out at eight times the rate, so that what it adds above half the rate does not fold back into hearing.

use super::oversample::{OVERSAMPLING, Oversampler, ROUND_TRIP};
use super::tone::{Mixture, Section, butterworth};
use super::{Around, Effect, Kind, Making, Ramp, Setting, Unit, gain_of};

pub(super) const SATURATION: Kind = Kind {
    word: "saturation",
    says: "bends loud samples, as tape and valves do",
    settings: &[
        Setting::new("drive", Unit::Decibels, (-12.0, 24.0), -12.0),
        Setting::new("bias", Unit::Share, (0.0, 1.0), 0.0),
        Setting::new("level", Unit::Decibels, (-24.0, 12.0), 0.0),
    ],
    latency: |_| ROUND_TRIP,
    make: |_: &Making| Box::new(Saturation { bend: Bend::new() }),
    ..Kind::PLAIN
};

pub(super) const RADIO: Kind = Kind {
    word: "radio",
    says: "a voice on a small loudspeaker: a band, and grit",
    settings: &[
        Setting::new("from", Unit::Hertz, (60.0, 2_000.0), 60.0),
        Setting::new("to", Unit::Hertz, (1_000.0, 18_000.0), 18_000.0),
        Setting::new("grit", Unit::Share, (0.0, 1.0), 0.0),
        Setting::new("level", Unit::Decibels, (-24.0, 12.0), 0.0),
    ],
    latency: |_| ROUND_TRIP,
    make: |making: &Making| Box::new(Radio { rate: making.rate, bend: Bend::new(), high: [Section::default(); 2], low: [Section::default(); 2] }),
    ..Kind::PLAIN
};

/// The hyperbolic tangent, within 3·10⁻⁵: a continued fraction (J. Lambert 1770) of seven levels, held where it reaches 1.
fn tanh(x: f32) -> f32 {
    let x = x.clamp(-4.97, 4.97);
    let s = x * x;
    x * (135_135.0 + s * (17_325.0 + s * (378.0 + s))) / (135_135.0 + s * (62_370.0 + s * (3_150.0 + s * 28.0)))
}

/// The hyperbolic tangent, off its middle by `bias`, at eight times the rate.
#[derive(Debug)]
struct Bend {
    over: [Oversampler; 2],
    drive: Ramp,
    bias: Ramp,
    level: Ramp,
}

impl Bend {
    fn new() -> Bend {
        Bend { over: [Oversampler::new(), Oversampler::new()], drive: Ramp::NEW, bias: Ramp::NEW, level: Ramp::NEW }
    }

    /// Soft sounds keep their level (the slope at 0 is 1); `level` comes after.
    fn process(&mut self, (drive, bias, level): (f32, f32, f32), left: &mut [f32], right: &mut [f32]) {
        let n = left.len();
        let (drive, drive_step) = self.drive.steps(gain_of(drive), n);
        let (bias, bias_step) = self.bias.steps(bias, n);
        let (level, level_step) = self.level.steps(gain_of(level), n);
        for (samples, over) in [left, right].into_iter().zip(&mut self.over) {
            for (i, eight) in over.rise(samples).chunks_exact_mut(OVERSAMPLING).enumerate() {
                let frame = (i + 1) as f32;
                let (d, b) = (drive + drive_step * frame, (bias + bias_step * frame) * 0.8);
                // Through 0, with slope 1 there, whatever the bias.
                let middle = tanh(b);
                let scale = 1.0 / (d * (1.0 - middle * middle));
                for sample in eight {
                    *sample = (tanh(*sample * d + b) - middle) * scale;
                }
            }
            over.fall(samples);
            for (i, sample) in samples.iter_mut().enumerate() {
                *sample *= level + level_step * (i + 1) as f32;
            }
        }
    }
}

#[derive(Debug)]
struct Saturation {
    bend: Bend,
}

impl Effect for Saturation {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        self.bend.process((around.to[0], around.to[1], around.to[2]), left, right);
    }

    fn clear(&mut self) {
        self.bend.over.iter_mut().for_each(Oversampler::clear);
    }
}

/// A band of 24 dB per octave on both sides, and a bend after it.
#[derive(Debug)]
struct Radio {
    rate: u32,
    bend: Bend,
    high: [Section; 2],
    low: [Section; 2],
}

impl Effect for Radio {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let to = around.to;
        for ((high, low), q) in self.high.iter_mut().zip(&mut self.low).zip(butterworth(4)) {
            high.process(Mixture::high_pass(to[0], q, self.rate), left, right);
            low.process(Mixture::low_pass(to[1], q, self.rate), left, right);
        }
        // Grit from almost nothing to 24 dB of drive, a little off the middle; louder, so that the voice keeps its weight.
        self.bend.process((-12.0 + 36.0 * to[2], 0.4 * to[2], to[3] + 6.0 * to[2]), left, right);
    }

    fn clear(&mut self) {
        self.bend.over.iter_mut().for_each(Oversampler::clear);
        self.high.iter_mut().chain(&mut self.low).for_each(Section::clear);
    }
}
