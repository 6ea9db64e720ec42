//! Crackle: fire, sparks, rain, bubbles: many short grains at drawn moments.
//!
//! The grains come as a Poisson process: in each slot of the grid as many as its density brings, drawn by the slot's number, so that any
//! stretch of it can be made without what came before. A grain is a resonance that is struck and dies away, or a burst of noise, or between them.

use super::stepped::{Ahead, Draws, GRID, Line, Stepped, Steps, bits, unit, values};
use super::waves::SINE;
use super::{Beginning, Controls, GeneratorKind, Preset, gain_of, levelled};
use crate::dsp::effects::Setting;
use crate::ground::property::Unit;
use wide::{CmpGe, CmpGt, CmpLt, f32x8, i32x8, u32x8};

/// So many grains are heard at once; one more takes the place of the oldest.
const MOST: usize = 24;
/// The most grains that begin in one slot.
const IN_A_SLOT: u64 = 4;
/// A grain is heard for so many of its time constants.
const HEARD: f32 = 7.5;
/// It rises within so many seconds.
const RISES: f32 = 0.0002;

/// The kind.
pub(super) const CRACKLE: GeneratorKind = GeneratorKind {
    word: "crackle",
    says: "grains at drawn moments: fire, sparks, rain on something, bubbles",
    settings: &[
        Setting::new("density", Unit::Number, (0.0, 800.0), 14.0),
        Setting::new("centre", Unit::Hertz, (60.0, 14_000.0), 2_400.0),
        Setting::new("spread", Unit::Number, (0.0, 4.0), 1.6),
        Setting::new("length", Unit::Seconds, (0.0003, 0.2), 0.004),
        Setting::new("resonance", Unit::Share, (0.0, 1.0), 0.5),
        Setting::new("rise", Unit::Semitones, (-36.0, 36.0), 0.0),
        Setting::new("range", Unit::Decibels, (0.0, 40.0), 20.0),
        Setting::new("bed", Unit::Share, (0.0, 1.0), 0.1),
    ],
    presets: &[
        Preset {
            name: "galley fire",
            says: "a few sharp cracks over a soft bed",
            set: &[("density", "11"), ("centre", "2.1 kHz"), ("spread", "2.2"), ("length", "4 ms"), ("resonance", "35 %"), ("range", "28 dB"), ("bed", "30 %")],
        },
        Preset {
            name: "sparks",
            says: "a torn cable",
            set: &[
                ("density", "45"),
                ("centre", "5.2 kHz"),
                ("spread", "1.2"),
                ("length", "1.5 ms"),
                ("resonance", "20 %"),
                ("range", "14 dB"),
                ("bed", "20 %"),
            ],
        },
        Preset {
            name: "rain on tin",
            says: "each drop rings",
            set: &[
                ("density", "120"),
                ("centre", "3.4 kHz"),
                ("spread", "1.4"),
                ("length", "14 ms"),
                ("resonance", "90 %"),
                ("range", "24 dB"),
                ("bed", "12 %"),
            ],
        },
        Preset {
            name: "rain on water",
            says: "drops that close over",
            set: &[
                ("density", "160"),
                ("centre", "2.2 kHz"),
                ("spread", "1.8"),
                ("length", "9 ms"),
                ("resonance", "80 %"),
                ("rise", "7 st"),
                ("range", "30 dB"),
                ("bed", "35 %"),
            ],
        },
        Preset {
            name: "bubbles",
            says: "they rise from a leak",
            set: &[
                ("density", "16"),
                ("centre", "700 Hz"),
                ("spread", "1.6"),
                ("length", "30 ms"),
                ("resonance", "100 %"),
                ("rise", "12 st"),
                ("range", "18 dB"),
                ("bed", "0 %"),
            ],
        },
        Preset {
            name: "gravel",
            says: "stones that roll",
            set: &[
                ("density", "220"),
                ("centre", "1.7 kHz"),
                ("spread", "1.5"),
                ("length", "2.5 ms"),
                ("resonance", "55 %"),
                ("range", "22 dB"),
                ("bed", "5 %"),
            ],
        },
    ],
    make: |_| Box::new(Stepped::<Crackle>::default()),
    ..GeneratorKind::PLAIN
};

#[derive(Debug, Default)]
struct Crackle {
    rate: f32,
    seed: u64,
    at: u64,
    /// Those that are heard come first.
    grains: [Grain; MOST],
    count: usize,
    bed: Line,
    slow: f32,
    ahead: Ahead<1>,
}

#[derive(Debug, Clone, Copy, Default)]
struct Grain {
    /// Samples until it begins.
    wait: u32,
    /// Samples that it is still heard.
    left: u32,
    phase: f32,
    by: f32,
    /// By what its frequency is multiplied from sample to sample.
    climb: f32,
    level: f32,
    rising: f32,
    fall: f32,
    ring: f32,
    noise: u32,
}

/// Eight grains side by side.
struct Eight {
    phase: f32x8,
    by: f32x8,
    climb: f32x8,
    level: f32x8,
    rising: f32x8,
    fall: f32x8,
    ring: f32x8,
    burst: f32x8,
    noise: u32x8,
}

impl Eight {
    /// Those that there are; where there is none a grain without a level.
    fn of(grains: &[Grain]) -> Eight {
        let all = |of: fn(&Grain) -> f32| f32x8::from(std::array::from_fn::<f32, 8, _>(|i| grains.get(i).map_or(0.0, of)));
        Eight {
            phase: all(|g| g.phase),
            by: all(|g| g.by),
            climb: all(|g| g.climb),
            level: all(|g| g.level),
            rising: all(|g| g.rising),
            fall: all(|g| g.fall),
            ring: all(|g| g.ring),
            burst: all(|g| 1.0 - g.ring),
            noise: u32x8::from(std::array::from_fn::<u32, 8, _>(|i| grains.get(i).map_or(0, |g| g.noise))),
        }
    }

    fn give_back(&self, grains: &mut [Grain]) {
        let (phase, by, level, rising) = (self.phase.to_array(), self.by.to_array(), self.level.to_array(), self.rising.to_array());
        let noise = self.noise.to_array();
        for (i, grain) in grains.iter_mut().enumerate() {
            (grain.phase, grain.by, grain.level, grain.rising, grain.noise) = (phase[i], by[i], level[i], rising[i], noise[i]);
        }
    }

    /// The sum of their next samples.
    #[inline(always)]
    fn next(&mut self, rises: f32x8) -> f32 {
        let one = f32x8::splat(1.0);
        self.rising = (self.rising + rises).fast_min(one);
        // Noise by a congruence: it need be no better for some milliseconds (D. Knuth, *The Art of Computer Programming* 2, 3.3.4).
        self.noise = self.noise * u32x8::splat(1_664_525) + u32x8::splat(1_013_904_223);
        let bits = i32x8::from((self.noise >> 8_i32).to_array().map(u32::cast_signed));
        let white = f32x8::from_i32x8(bits) * f32x8::splat(1.0 / (1 << 23) as f32) - one;
        let sum = (sine_eight(self.phase) * self.ring + white * self.burst) * self.level * self.rising;
        self.level *= self.fall;
        let next = self.phase + self.by;
        self.phase = next - (next.cmp_ge(one) & one);
        self.by = (self.by * self.climb).fast_min(f32x8::splat(0.45));
        sum.reduce_add()
    }
}

/// Sines of shares of a period from 0 to 1, as [`super::waves::sine`].
#[inline(always)]
fn sine_eight(phase: f32x8) -> f32x8 {
    let (quarter, half, one) = (f32x8::splat(0.25), f32x8::splat(0.5), f32x8::splat(1.0));
    // Between −1 and 1 half, and then folded at the quarters.
    let p = phase - (phase.cmp_ge(half) & one);
    let folded = p.cmp_gt(quarter).blend(half - p, p.cmp_lt(-quarter).blend(-half - p, p));
    let x = folded * f32x8::splat(std::f32::consts::TAU);
    let s = x * x;
    let [a, b, c, d, e] = SINE.map(f32x8::splat);
    x * (one + s * (a + s * (b + s * (c + s * (d + s * e)))))
}

impl Crackle {
    /// Makes the samples up to the next look.
    fn make(&mut self) {
        let mut made = [0.0; GRID];
        let mut draws = Draws::at(self.seed ^ 0xbed, self.at);
        for sample in &mut made {
            self.slow += (draws.next() - self.slow) * 0.2;
            *sample = self.slow * self.bed.next();
        }
        let rises = f32x8::splat(1.0 / (RISES * self.rate).max(1.0));
        // Those that begin within these samples come one by one, the others eight by eight.
        let begun = self.grains[..self.count].iter().take_while(|g| g.wait == 0).count();
        let (sounding, beginning) = self.grains[..self.count].split_at_mut(begun);
        for grains in sounding.chunks_mut(8) {
            let mut eight = Eight::of(grains);
            made.iter_mut().for_each(|sample| *sample += eight.next(rises));
            eight.give_back(grains);
            grains.iter_mut().for_each(|grain| grain.left = grain.left.saturating_sub(GRID as u32));
        }
        for grain in beginning {
            let mut one = Eight::of(std::slice::from_ref(grain));
            let begin = (grain.wait as usize).min(GRID);
            grain.wait -= begin as u32;
            made[begin..].iter_mut().for_each(|sample| *sample += one.next(rises));
            one.give_back(std::slice::from_mut(grain));
            grain.left = grain.left.saturating_sub((GRID - begin) as u32);
        }
        // However many fall together, it stays within what can be played.
        self.ahead.fill([made.map(soft)]);
    }

    /// The grains that begin in a slot.
    fn begin_grains(&mut self, controls: &Controls<'_>, slot: u64) {
        let [density, centre, spread, length, ring, rise, range, _] = values::<8>(controls.values);
        let mean = density * GRID as f32 / self.rate;
        // By inversion of the Poisson distribution.
        let drawn = unit(self.seed, slot);
        let (mut sum, mut term, mut count) = (0.0, (-mean).exp(), 0);
        while count < IN_A_SLOT {
            sum += term;
            if drawn < sum {
                break;
            }
            count += 1;
            term *= mean / count as f32;
        }
        for n in 0..count {
            let key = bits(!self.seed, slot.wrapping_mul(IN_A_SLOT).wrapping_add(n));
            let part = |which: u64| unit(key, which);
            let hertz = (centre * (spread * (part(0) - 0.5)).exp2()).clamp(20.0, 0.45 * self.rate);
            let time = (length * (1.6 * (part(1) - 0.5)).exp2()).max(1e-4);
            let falls = 1.0 / (time * self.rate);
            let grain = Grain {
                wait: (part(2) * GRID as f32) as u32,
                left: (HEARD * time * self.rate) as u32 + 2,
                phase: 0.0,
                by: hertz / self.rate,
                climb: (rise / 12.0 * falls / 3.0).exp2(),
                // Long grains carry more: as much as the length brings is taken away again, and what is left are the drawn differences.
                level: gain_of(-range * part(3)) * 0.6,
                rising: 0.0,
                fall: (-falls).exp(),
                ring,
                noise: key as u32,
            };
            if self.count == MOST {
                self.grains.copy_within(1.., 0);
                self.count -= 1;
            }
            self.grains[self.count] = grain;
            self.count += 1;
        }
    }

    fn bed_level(controls: &Controls<'_>) -> f32 {
        // As loud as all at the most.
        controls.values[7] * levelled(0.577) * 0.7 * (controls.values[0] / 14.0).clamp(0.0, 1.0).sqrt()
    }
}

impl Steps for Crackle {
    fn begin(&mut self, beginning: &Beginning<'_>) {
        *self = Crackle { rate: beginning.rate as f32, seed: beginning.seed, bed: Line::at(Crackle::bed_level(&beginning.controls)), ..Crackle::default() };
    }

    fn look(&mut self, controls: &Controls<'_>, at: u64) {
        // Those that are over make room.
        let mut kept = 0;
        for i in 0..self.count {
            if self.grains[i].left > 0 {
                self.grains[kept] = self.grains[i];
                kept += 1;
            }
        }
        self.count = kept;
        self.bed.set_out(Crackle::bed_level(controls));
        self.begin_grains(controls, at / GRID as u64);
        self.make();
    }

    fn run(&mut self, left: &mut [f32], _right: &mut [f32]) {
        let [made] = self.ahead.hand_out(left.len());
        left.copy_from_slice(made);
        self.at += left.len() as u64;
    }

    fn memory(&self) -> usize {
        // The longest grain there can be: 0.2 s, drawn longer, for as long as it is heard.
        (HEARD * 0.35 * self.rate) as usize
    }

    fn jump(&mut self, _controls: &Controls<'_>, from: u64, to: u64) {
        self.at += to - from;
        self.count = 0;
    }
}

/// Straight up to a half, and then ever flatter towards 1.
fn soft(x: f32) -> f32 {
    let over = x.abs() - 0.5;
    if over <= 0.0 { x } else { x.signum() * (0.5 + 0.5 * over / (over + 0.5)) }
}
