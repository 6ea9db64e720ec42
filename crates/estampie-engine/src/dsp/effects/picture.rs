//! What can be drawn of effects, and where it can be taken hold of.

use super::{Kind, MOST_SETTINGS};

/// Strokes: when each comes, in seconds, and how loud, in dB.
pub type Strokes = Vec<(f32, f32)>;

/// What can be drawn of an effect, worked out from the values of its settings.
#[derive(Clone, Copy)]
pub enum Picture {
    /// The level in dB that a frequency in Hz is given, at a rate in Hz.
    Frequency(fn(&[f32], f32, u32) -> f32),
    /// The level in dB that comes out, for a level in dB that goes in and stays.
    Transfer(fn(&[f32], f32) -> f32),
    /// What comes of a stroke: when, in seconds, and how loud, in dB, the loudest first; by the tempo in quarter notes a second, 0 without one.
    Strokes(fn(&[f32], f32) -> Strokes),
    /// How a room falls silent: seconds before it begins, and seconds in which low, middle and high frequencies fall by 60 dB.
    Decay(fn(&[f32]) -> (f32, [f32; 3])),
}

/// A point of a picture that can be taken hold of and moved. Its place is in the units of the picture's axes: Hz and dB of [`Picture::Frequency`], dB in and dB out of
/// [`Picture::Transfer`], seconds (or beats, where the strokes are in beats) and dB of the others.
#[derive(Debug, Clone, Copy)]
pub struct Grip {
    /// The setting that it is for first, by its place.
    pub setting: usize,
    /// Where it lies, by the values of the settings.
    pub at: fn(&[f32]) -> (f32, f32),
    /// Makes the values such that it lies at a place, as near as it can; they may leave their limits.
    pub put: fn(&mut [f32], (f32, f32)),
}

impl Kind {
    /// The values of its settings with a grip moved to a place, each within its limits. What is no number moves nothing.
    #[must_use]
    pub fn moved(&self, values: &[f32; MOST_SETTINGS], grip: &Grip, to: (f32, f32)) -> [f32; MOST_SETTINGS] {
        let mut next = *values;
        if to.0.is_finite() && to.1.is_finite() {
            (grip.put)(&mut next, to);
        }
        for ((next, before), setting) in next.iter_mut().zip(values).zip(self.settings) {
            *next = if next.is_finite() { next.clamp(setting.low, setting.high) } else { *before };
        }
        next
    }
}
