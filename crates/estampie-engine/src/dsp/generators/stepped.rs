//! What most generators have in common: they look at their controls on a grid of their own time, and go in straight lines between.
//!
//! So what comes of one does not depend on how much is asked for at once, and what is skipped is what would have been made.

use super::{Beginning, Controls, Generator, MOST_CONTROLS};
use crate::dsp::widest::{EightFilters, bank};
use std::fmt;

/// Samples from one look at the controls to the next.
pub(super) const GRID: usize = 32;

/// A generator that looks at its controls every [`GRID`] samples.
pub(super) trait Steps: Send + Sync + fmt::Debug {
    /// Begins anew.
    fn begin(&mut self, beginning: &Beginning<'_>);
    /// Looks at the controls at a sample of its own time: where they are is to be reached [`GRID`] samples on.
    fn look(&mut self, controls: &Controls<'_>, at: u64);
    /// Makes at most [`GRID`] samples.
    fn run(&mut self, left: &mut [f32], right: &mut [f32]);
    /// Samples after which all that was before is forgotten, but what [`Steps::jump`] knows.
    fn memory(&self) -> usize {
        0
    }
    /// Goes on, between two looks, from one sample of its time to another, a multiple of [`GRID`] further.
    fn jump(&mut self, controls: &Controls<'_>, from: u64, to: u64);
    /// Whether nothing more comes of it.
    fn ended(&self) -> bool {
        false
    }
}

/// Such a generator at work.
#[derive(Debug, Default)]
pub(super) struct Stepped<T> {
    at: u64,
    of: T,
}

impl<T: Steps> Stepped<T> {
    /// One of what has been made.
    pub(super) fn of(of: T) -> Stepped<T> {
        Stepped { at: 0, of }
    }

    /// Makes samples up to the next look at most; gives how many.
    fn some(&mut self, controls: &Controls<'_>, left: &mut [f32], right: &mut [f32]) -> usize {
        let within = (self.at % GRID as u64) as usize;
        if within == 0 {
            self.of.look(controls, self.at);
        }
        let count = (GRID - within).min(left.len());
        self.of.run(&mut left[..count], &mut right[..count]);
        self.at += count as u64;
        count
    }

    fn unheard(&mut self, controls: &Controls<'_>, count: usize) {
        let mut sides = [[0.0; GRID]; 2];
        let mut left = count;
        while left > 0 {
            let n = left.min(GRID);
            let [first, second] = &mut sides;
            left -= self.some(controls, &mut first[..n], &mut second[..n]);
        }
    }
}

impl<T: Steps> Generator for Stepped<T> {
    fn begin(&mut self, beginning: &Beginning<'_>) {
        self.at = 0;
        self.of.begin(beginning);
    }

    fn fill(&mut self, controls: &Controls<'_>, left: &mut [f32], right: &mut [f32]) {
        let mut from = 0;
        while from < left.len() {
            from += self.some(controls, &mut left[from..], &mut right[from..]);
        }
    }

    fn skip(&mut self, controls: &Controls<'_>, count: usize) {
        let to_look = (GRID - (self.at % GRID as u64) as usize) % GRID;
        let least = to_look + self.of.memory() + 2 * GRID;
        let mut left = count;
        if count > least {
            self.unheard(controls, to_look);
            let jumped = (count - least) / GRID * GRID;
            self.of.jump(controls, self.at, self.at + jumped as u64);
            self.at += jumped as u64;
            left -= to_look + jumped;
        }
        self.unheard(controls, left);
    }

    fn ended(&self) -> bool {
        self.of.ended()
    }
}

/// Samples that are made at a look, up to the next one, and handed out as they are asked for: for what works on a stretch at once.
#[derive(Debug)]
pub(super) struct Ahead<const CHANNELS: usize> {
    made: [[f32; GRID]; CHANNELS],
    used: usize,
}

impl<const CHANNELS: usize> Default for Ahead<CHANNELS> {
    fn default() -> Self {
        Ahead { made: [[0.0; GRID]; CHANNELS], used: 0 }
    }
}

impl<const CHANNELS: usize> Ahead<CHANNELS> {
    /// What comes up to the next look.
    pub(super) fn fill(&mut self, made: [[f32; GRID]; CHANNELS]) {
        (self.made, self.used) = (made, 0);
    }

    /// The next so many samples of each channel, no more than there are up to the next look.
    pub(super) fn hand_out(&mut self, count: usize) -> [&[f32]; CHANNELS] {
        let here = self.used..self.used + count;
        self.used = here.end;
        std::array::from_fn(|channel| &self.made[channel][here.clone()])
    }
}

/// A value that goes in a straight line from one look to the next.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Line {
    pub(super) now: f32,
    step: f32,
    to: f32,
}

impl Line {
    /// Stands at a value.
    pub(super) fn at(value: f32) -> Line {
        Line { now: value, step: 0.0, to: value }
    }

    /// Sets out for a value, from where it was to be.
    pub(super) fn set_out(&mut self, to: f32) {
        (self.now, self.step) = (self.to, (to - self.to) / GRID as f32);
        self.to = to;
    }

    /// Where it is going.
    pub(super) fn target(self) -> f32 {
        self.to
    }

    /// Whether it stands.
    pub(super) fn still(self) -> bool {
        self.step == 0.0
    }

    /// The next value.
    #[inline(always)]
    pub(super) fn next(&mut self) -> f32 {
        self.now += self.step;
        self.now
    }
}

/// A share of a period as 64 bits of fraction, so that what is skipped is exact.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Phase(pub(super) u64);

/// 2 to the 64th.
const WHOLE: f64 = 18_446_744_073_709_551_616.0;

impl Phase {
    /// What a number of periods in a sample comes to; held below half a period.
    pub(super) fn step(periods: f64) -> u64 {
        (periods.clamp(0.0, 0.499) * WHOLE) as u64
    }

    /// The share, from 0 up to but not including 1: 24 bits, as many as a sample has.
    #[inline(always)]
    pub(super) fn share(self) -> f32 {
        to_float(self.0 >> 40) / (1 << 24) as f32
    }

    /// So many periods further, 0 to 2.
    #[inline(always)]
    pub(super) fn further(self, periods: f32) -> Phase {
        // In halves of 2 to the minus 31st, so that it is one conversion.
        Phase(self.0.wrapping_add(((periods * (1u64 << 31) as f32) as u64) << 33))
    }

    /// Goes on by a step; true when a new period begins.
    #[inline(always)]
    pub(super) fn go(&mut self, step: u64) -> bool {
        let before = self.0;
        self.0 = before.wrapping_add(step);
        self.0 < before
    }

    /// Goes on by many equal steps; gives how many new periods began.
    pub(super) fn jump(&mut self, step: u64, count: u64) -> u64 {
        let whole = u128::from(self.0) + u128::from(step) * u128::from(count);
        self.0 = whole as u64;
        (whole >> 64) as u64
    }
}

/// 64 drawn bits, by a seed and a number: any of them without those before it (G. Steele, D. Lea and C. Flood, *Fast splittable pseudorandom
/// number generators*, 2014).
#[inline(always)]
pub(super) fn bits(seed: u64, at: u64) -> u64 {
    mixed(seed.wrapping_add(at.wrapping_mul(STRIDE)))
}

/// What numbers that follow each other are apart.
const STRIDE: u64 = 0x9e37_79b9_7f4a_7c15;

#[inline(always)]
fn mixed(mut z: u64) -> u64 {
    z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    z ^ (z >> 31)
}

/// A number of at most 24 bits as a float. Processors turn signed numbers of 32 bits into floats in one step, others in several.
#[inline(always)]
#[allow(clippy::cast_possible_wrap)]
pub(super) fn to_float(bits: u64) -> f32 {
    bits as i32 as f32
}

/// A draw between −1 and 1, by its number.
#[inline(always)]
pub(super) fn draw(seed: u64, at: u64) -> f32 {
    Draws::at(seed, at).next()
}

/// Draws between −1 and 1 by numbers that follow each other: as [`draw`], with less to do for each.
pub(super) struct Draws(u64);

impl Draws {
    /// From a number on.
    pub(super) fn at(seed: u64, at: u64) -> Draws {
        Draws(seed.wrapping_add(at.wrapping_mul(STRIDE)))
    }

    #[inline(always)]
    pub(super) fn next(&mut self) -> f32 {
        let here = self.0;
        self.0 = here.wrapping_add(STRIDE);
        to_float(mixed(here) >> 40) / (1 << 23) as f32 - 1.0
    }
}

/// A draw between 0 and 1, by its number.
pub(super) fn unit(seed: u64, at: u64) -> f32 {
    to_float(bits(seed, at) >> 40) / (1 << 24) as f32
}

/// A slow random motion between −1 and 1 that never repeats: draws at whole numbers, with smooth ways between.
pub(super) fn wander(seed: u64, whole: u64, share: f32) -> f32 {
    let t = share * share * (3.0 - 2.0 * share);
    let (a, b) = (draw(seed, whole), draw(seed, whole.wrapping_add(1)));
    a + (b - a) * t
}

/// A state-variable filter whose cutoff and sharpness move from look to look, by the topology-preserving transform (V. Zavalishin, *The Art of
/// VA Filter Design*, ch. 4).
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Resonator {
    /// 1 ÷ (1 + g (g + k)), that times g, that times g again, and k. They go in straight lines each, so that no sample has to divide.
    a1: Line,
    a2: Line,
    a3: Line,
    k: Line,
    one: f32,
    two: f32,
}

impl Resonator {
    fn coefficients(hertz: f32, sharpness: f32, rate: f32) -> (f32, f32) {
        (tangent(std::f32::consts::PI * (hertz / rate).clamp(1e-5, 0.49)), 1.0 / sharpness.max(0.05))
    }

    /// Samples in which what it rings with falls to less than one in a hundred million.
    pub(super) fn rings(hertz: f32, sharpness: f32, rate: f32) -> usize {
        let (g, k) = Resonator::coefficients(hertz, sharpness, rate);
        // Two that swing fall alike; of two that do not the slow one counts.
        let keeps = if k < 2.0 {
            ((1.0 - g * k + g * g) / (1.0 + g * k + g * g)).sqrt()
        } else {
            let slow = g * (k - (k * k - 4.0).sqrt()) / 2.0;
            let fast = g * (k + (k * k - 4.0).sqrt()) / 2.0;
            let of = |s: f32| ((1.0 - s) / (1.0 + s)).abs();
            of(slow).max(of(fast))
        };
        (-18.5 / keeps.clamp(1e-6, 0.999_999_9).ln()) as usize
    }

    /// One that has heard nothing, at a centre or cutoff in Hz with a sharpness Q.
    pub(super) fn begin(hertz: f32, sharpness: f32, rate: f32) -> Resonator {
        let mut made = Resonator::default();
        made.set_out(hertz, sharpness, rate);
        for line in [&mut made.a1, &mut made.a2, &mut made.a3, &mut made.k] {
            *line = Line::at(line.target());
        }
        made
    }

    /// Sets out for another centre and sharpness.
    pub(super) fn set_out(&mut self, hertz: f32, sharpness: f32, rate: f32) {
        let (g, k) = Resonator::coefficients(hertz, sharpness, rate);
        let a1 = 1.0 / (1.0 + g * (g + k));
        self.a1.set_out(a1);
        self.a2.set_out(g * a1);
        self.a3.set_out(g * g * a1);
        self.k.set_out(k);
        if self.one.abs() < 1e-15 && self.two.abs() < 1e-15 {
            (self.one, self.two) = (0.0, 0.0);
        }
    }

    /// What is low, in the band and high in the next sample. The band's peak is as high as what goes in.
    #[inline(always)]
    pub(super) fn next(&mut self, input: f32) -> [f32; 3] {
        let (a1, a2, a3, k) = (self.a1.next(), self.a2.next(), self.a3.next(), self.k.next());
        let difference = input - self.two;
        let band = a1 * self.one + a2 * difference;
        let low = self.two + a2 * self.one + a3 * difference;
        self.one = 2.0 * band - self.one;
        self.two = 2.0 * low - self.two;
        [low, k * band, input - k * band - low]
    }
}

/// What a filter of a bank gives.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Gives {
    Low,
    Band,
    High,
}

/// EightFilters state-variable filters side by side, each with an input and a gain of its own; their sum is heard. As [`Resonator`], but for its sum.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Bank {
    of: EightFilters,
    /// Where its coefficients go.
    to: [[f32; 8]; 6],
}

impl Bank {
    /// Stands at once where it was last sent.
    pub(super) fn stand(&mut self) {
        (self.of.now, self.of.step) = (self.to, [[0.0; 8]; 6]);
    }

    /// From one look to the next it goes to where [`Bank::aim`] has sent it.
    pub(super) fn set_out(&mut self, before: &[[f32; 8]; 6]) {
        for (at, (to, before)) in self.to.iter().zip(before).enumerate() {
            self.of.now[at] = *before;
            self.of.step[at] = std::array::from_fn(|i| (to[i] - before[i]) / GRID as f32);
        }
    }

    /// Where it is going.
    pub(super) fn targets(&self) -> [[f32; 8]; 6] {
        self.to
    }

    /// Sends one of the filters to a centre or cutoff in Hz, a sharpness and a gain.
    pub(super) fn aim(&mut self, at: usize, gives: Gives, (hertz, sharpness, gain): (f32, f32, f32), rate: f32) {
        let (g, k) = Resonator::coefficients(hertz, sharpness, rate);
        let a1 = 1.0 / (1.0 + g * (g + k));
        let heard = match gives {
            Gives::Low => [0.0, 0.0, gain],
            Gives::Band => [0.0, k * gain, 0.0],
            Gives::High => [gain, -k * gain, -gain],
        };
        for (to, value) in self.to.iter_mut().zip([a1, g * a1, g * g * a1, heard[0], heard[1], heard[2]]) {
            to[at] = value;
        }
    }

    /// The sum of what all give for the next samples, each with its inputs.
    pub(super) fn run(&mut self, inputs: &[[f32; 8]], out: &mut [f32]) {
        bank(&mut self.of, inputs, out);
    }

    /// What has died away is exactly 0, so that no denormal number slows what follows.
    pub(super) fn settle(&mut self) {
        for value in self.of.states.iter_mut().flatten() {
            *value = if value.abs() < 1e-15 { 0.0 } else { *value };
        }
    }
}

/// The tangent of an angle from 0 to half a right angle and a little more by its series (error below 2e-4), beyond that by itself.
fn tangent(x: f32) -> f32 {
    if x > 0.8 {
        return x.tan();
    }
    let s = x * x;
    x * (1.0 + s * (1.0 / 3.0 + s * (2.0 / 15.0 + s * (17.0 / 315.0 + s * (62.0 / 2_835.0 + s * (1_382.0 / 155_925.0))))))
}

/// The factor that brings white noise of such an RMS, after a band of a centre and a sharpness, to an RMS of 1: the band lets through π ÷ 2 of
/// its width.
pub(super) fn to_one(rms: f32, hertz: f32, sharpness: f32, rate: f32) -> f32 {
    let share = (std::f32::consts::FRAC_PI_2 * hertz / sharpness.max(0.05) / (0.5 * rate)).clamp(1e-6, 1.0);
    1.0 / (rms * share.sqrt())
}

/// The value of a control by its place, never further than it may be.
pub(super) fn values<const N: usize>(all: &[f32; MOST_CONTROLS]) -> [f32; N] {
    std::array::from_fn(|i| all[i])
}
