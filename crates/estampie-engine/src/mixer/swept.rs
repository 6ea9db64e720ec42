//! What is on its way somewhere by itself: properties and controls of one voice.

use crate::ground::curve::Shape;

/// A property on its way somewhere.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Swept {
    pub(crate) from: f32,
    pub(crate) to: f32,
    pub(crate) begin: u64,
    pub(crate) end: u64,
    pub(crate) curve: Shape,
}

impl Swept {
    pub(crate) fn at(&self, frame: u64) -> f32 {
        if frame >= self.end {
            self.to
        } else if frame <= self.begin {
            self.from
        } else {
            let t = (frame - self.begin) as f64 / (self.end - self.begin) as f64;
            self.from + (self.to - self.from) * self.curve.at(t as f32)
        }
    }
}
