//! The effects that can be put on a bus, and the list of them.
//!
//! An effect is one file here and one line in [`KINDS`]. It works on blocks of two channels in place, knows its settings as
//! plain numbers in their own units, and goes from the values of one block to those of the next by itself, so that
//! nothing steps. What surrounds every effect alike (bypass, dry and wet, latency of the dry way) is not its business.

mod convolve;
mod crush;
mod delay;
mod dynamics;
mod echo;
mod limit;
mod motion;
mod oversample;
mod picture;
mod reverb;
mod saturate;
mod shift;
mod simple;
mod tone;
mod transient;

pub use convolve::Impulse;
pub(crate) use delay::DelayLine;
pub use oversample::{OVERSAMPLING, TruePeak};
pub use picture::{Grip, Picture, Strokes};
pub use tone::response;

pub use crate::ground::property::Unit;

use std::fmt;
use std::sync::Arc;

/// The most frames of a block.
pub const MOST_FRAMES: usize = 64;
/// The most settings of an effect.
pub const MOST_SETTINGS: usize = 20;

/// One setting of a kind of effect.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Setting {
    /// Its word.
    pub word: &'static str,
    /// What it counts.
    pub unit: Unit,
    /// The least value.
    pub low: f32,
    /// The greatest value.
    pub high: f32,
    /// What it is when nothing is said.
    pub rest: f32,
    /// Whether it stands for as long as the effect does: a change makes the effect anew, and nothing moves it.
    pub fixed: bool,
}

impl Setting {
    pub(in crate::dsp) const fn new(word: &'static str, unit: Unit, (low, high): (f32, f32), rest: f32) -> Setting {
        Setting { word, unit, low, high, rest, fixed: false }
    }

    pub(in crate::dsp) const fn fixed(mut self) -> Setting {
        self.fixed = true;
        self
    }

    pub(in crate::dsp) const fn choice(word: &'static str, words: &'static [&'static str]) -> Setting {
        Setting { word, unit: Unit::Choice(words), low: 0.0, high: (words.len() - 1) as f32, rest: 0.0, fixed: true }
    }

    /// Whether it is moved by octaves instead of in a straight line: what spans decades without reaching 0.
    #[must_use]
    pub fn by_octaves(&self) -> bool {
        matches!(self.unit, Unit::Hertz | Unit::Seconds) && self.low > 0.0
    }
}

/// What an effect is made from.
#[derive(Debug, Clone)]
pub struct Making {
    /// Frames a second.
    pub rate: u32,
    /// The values of all settings, of which the fixed ones count.
    pub values: [f32; MOST_SETTINGS],
    /// The impulse response, for convolution.
    pub impulse: Option<Arc<Impulse>>,
}

/// What a block comes with.
pub struct Around<'a> {
    /// The settings at the block's end.
    pub to: &'a [f32],
    /// What the level is taken from instead of the block itself: two channels, as long as the block.
    pub key: Option<[&'a [f32]; 2]>,
    /// Quarter notes in a second of the music that sounds; 0 if none does.
    pub quarters_per_second: f32,
}

/// An effect at work.
pub trait Effect: Send + Sync + fmt::Debug {
    /// Works on a block of two channels of equal length, at most [`MOST_FRAMES`], in place.
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]);
    /// The longest silence, in seconds, that can lie between what goes in and what comes out of it, or between two things that come
    /// out: a bus does not rest before that is over.
    fn longest_gap(&self) -> f32 {
        0.0
    }
    /// How much it turns down just now, in dB (0 or less); `None` for what does not.
    fn reduction(&self) -> Option<f32> {
        None
    }
    /// Forgets all that it has heard.
    fn clear(&mut self);
}

/// A kind of effect.
pub struct Kind {
    /// Its word.
    pub word: &'static str,
    /// What it does, in a few words.
    pub says: &'static str,
    /// Its settings.
    pub settings: &'static [Setting],
    /// Whether what comes out of it holds nothing of the dry sound.
    pub wet_alone: bool,
    /// What it takes besides its settings.
    pub takes: Takes,
    /// Settings to begin with: their names, what they are like, and the values, in the order of the settings.
    pub presets: &'static [(&'static str, &'static str, &'static [f32])],
    /// What can be drawn of it.
    pub picture: Option<Picture>,
    /// What of the picture can be taken hold of.
    pub grips: &'static [Grip],
    /// Frames by which what comes out is later than what goes in, by what it would be made from.
    pub latency: fn(&Making) -> usize,
    /// How much it remembers, where that depends on values that are not fixed: one that remembers otherwise is another effect. 0 for what does not.
    pub remembers: fn(&Making) -> u32,
    /// Makes one.
    pub make: fn(&Making) -> Box<dyn Effect>,
}

/// What an effect takes besides its settings.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Takes {
    /// The tempo of the music.
    pub tempo: bool,
    /// An audio file, without which it is silent.
    pub file: bool,
    /// The level of another bus.
    pub sidechain: bool,
}

impl Takes {
    /// Nothing.
    pub const NOTHING: Takes = Takes { tempo: false, file: false, sidechain: false };
}

impl Kind {
    /// What a kind is unless it says otherwise: it leaves some of the dry sound, takes nothing, has no presets, and is not late.
    const PLAIN: Kind = Kind {
        word: "",
        says: "",
        settings: &[],
        wet_alone: false,
        takes: Takes::NOTHING,
        presets: &[],
        picture: None,
        grips: &[],
        latency: |_| 0,
        remembers: |_| 0,
        make: |_| unreachable!("every kind makes its own"),
    };
}

impl fmt::Debug for Kind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.word)
    }
}

/// All kinds of effects.
pub const KINDS: &[Kind] = &[
    tone::LOW_PASS,
    tone::HIGH_PASS,
    tone::EQ,
    dynamics::COMPRESSOR,
    dynamics::EXPANDER,
    limit::LIMITER,
    transient::TRANSIENT,
    saturate::SATURATION,
    simple::GAIN,
    simple::WIDTH,
    motion::TREMOLO,
    motion::AUTO_PAN,
    motion::CHORUS,
    motion::FLANGER,
    motion::PHASER,
    motion::RING,
    crush::CRUSH,
    shift::SHIFT,
    echo::ECHO,
    reverb::REVERB,
    convolve::CONVOLUTION,
    saturate::RADIO,
];

/// A kind by its word.
#[must_use]
pub fn kind(word: &str) -> Option<&'static Kind> {
    KINDS.iter().find(|k| k.word == word)
}

/// The values of a kind's settings when nothing is said.
#[must_use]
pub fn at_rest(kind: &Kind) -> [f32; MOST_SETTINGS] {
    let mut values = [0.0; MOST_SETTINGS];
    for (value, setting) in values.iter_mut().zip(kind.settings) {
        *value = setting.rest;
    }
    values
}

/// A number that goes to its next value in a straight line within a block.
#[derive(Debug, Clone, Copy)]
struct Ramp {
    now: f32,
}

impl Ramp {
    const NEW: Ramp = Ramp { now: f32::NAN };

    /// The first value and the step of each frame; the first block of all stands still.
    fn steps(&mut self, to: f32, frames: usize) -> (f32, f32) {
        let from = if self.now.is_nan() { to } else { self.now };
        self.now = to;
        (from, (to - from) / frames.max(1) as f32)
    }
}

/// Several of them together.
#[derive(Debug, Clone, Copy)]
struct Ramps<const N: usize>([Ramp; N]);

impl<const N: usize> Ramps<N> {
    const NEW: Ramps<N> = Ramps([Ramp::NEW; N]);

    /// The values of each frame of a block, one call of [`Ramping::next`] after another.
    fn line(&mut self, to: [f32; N], frames: usize) -> Ramping<N> {
        let mut line = Ramping { now: to, step: [0.0; N] };
        for ((ramp, to), (now, step)) in self.0.iter_mut().zip(to).zip(line.now.iter_mut().zip(&mut line.step)) {
            (*now, *step) = ramp.steps(to, frames);
        }
        line
    }
}

/// Values on their way through a block.
struct Ramping<const N: usize> {
    now: [f32; N],
    step: [f32; N],
}

impl<const N: usize> Ramping<N> {
    fn next(&mut self) -> [f32; N] {
        for (now, step) in self.now.iter_mut().zip(self.step) {
            *now += step;
        }
        self.now
    }
}

/// Distances in a memory that are not glided through but cross-faded to: a glide would be a change of pitch, a jump a click.
///
/// What is wanted while a fade is under way waits until it is over.
#[derive(Debug, Clone, Copy)]
struct Crossing<T> {
    /// What is heard, and what is left.
    now: Option<T>,
    old: Option<T>,
    left: usize,
    frames: usize,
}

impl<T: Copy + PartialEq> Crossing<T> {
    /// Fades in so many seconds.
    fn new(seconds: f32, rate: u32) -> Crossing<T> {
        Crossing { now: None, old: None, left: 0, frames: ((seconds * rate as f32) as usize).max(1) }
    }

    /// What is heard in this block, and what is left with its share before the block's first frame and its step a frame.
    fn go(&mut self, wanted: T, frames: usize) -> (T, Option<(T, f32, f32)>) {
        let now = *self.now.get_or_insert(wanted);
        if self.left == 0 && now != wanted {
            (self.old, self.now, self.left) = (Some(now), Some(wanted), self.frames);
        }
        let now = self.now.unwrap_or(wanted);
        let Some(old) = self.old.filter(|_| self.left > 0) else { return (now, None) };
        let share = self.left as f32 / self.frames as f32;
        self.left = self.left.saturating_sub(frames);
        (now, Some((old, share, -1.0 / self.frames as f32)))
    }

    /// The greatest of what is heard, by a measure.
    fn most(&self, of: impl Fn(T) -> f32) -> f32 {
        [self.now, self.old].into_iter().flatten().map(of).fold(0.0, f32::max)
    }
}

/// The share of what is left in frame `i` of a block.
fn share_left((share, step): (f32, f32), i: usize) -> f32 {
    // Rounded at both ends, so that neither has a corner.
    let t = (share + step * (i + 1) as f32).max(0.0);
    t * t * (3.0 - 2.0 * t)
}

/// Amplitude factor of a level in dB.
fn gain_of(db: f32) -> f32 {
    (db * (std::f32::consts::LOG2_10 / 20.0)).exp2()
}

/// The level in dB of an amplitude factor, not below −160.
fn db_of(gain: f32) -> f32 {
    20.0 * gain.max(1e-8).log10()
}

/// What is too small to matter becomes exactly 0, so that no denormal number slows what follows.
fn settle(value: &mut f32) {
    if value.abs() < 1e-15 {
        *value = 0.0;
    }
}

#[cfg(test)]
mod picture_tests;
#[cfg(test)]
mod tests;
#[cfg(test)]
mod zipper_tests;
