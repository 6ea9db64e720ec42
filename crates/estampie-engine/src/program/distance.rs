//! What distance from the listener does to a sound.

use crate::ground::curve::Curve;
use crate::ground::index::BusIndex;

/// Importance from 0 to 100 over distance.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Priority {
    /// At the listener.
    pub near: f32,
    /// At `at_metres` and beyond.
    pub far: f32,
    /// Metres; 0 if it does not change.
    pub at_metres: f32,
}

impl Priority {
    /// The priority at a distance in metres.
    #[must_use]
    pub fn over(&self, metres: f32) -> f32 {
        if self.at_metres <= 0.0 { self.near } else { self.near + (self.far - self.near) * (metres / self.at_metres).clamp(0.0, 1.0) }
    }
}

/// What distance does.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Falloff {
    /// To the level, in dB over metres.
    pub level: Option<Curve>,
    /// To the low-pass, in octaves over metres.
    pub low_pass: Option<Curve>,
    /// To the high-pass, in octaves over metres.
    pub high_pass: Option<Curve>,
    /// How wide it is, from 0 (a point) to 1 (all around), over metres.
    pub width: Option<Curve>,
    /// To what it sends, in dB over metres.
    pub send: Option<Curve>,
    /// The same for single returns (by index).
    pub sends: Vec<(BusIndex, Curve)>,
    /// To the level, in dB over degrees from where the emitter looks.
    pub cone: Option<Curve>,
    /// To the low-pass, in octaves over the same.
    pub cone_low_pass: Option<Curve>,
    /// How much movement shifts the pitch, 0 to 1.
    pub doppler: f32,
}
