//! When the positions of a pass sound.

use super::exact::{Beats, Frames, wide};
use crate::music::spec::Section;

/// A line from positions to moments: `at` is at `moment`, and from there on it goes `factor` times as fast as written.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Timeline {
    pub(super) at: Frames,
    pub(super) moment: Frames,
    pub(super) factor: Frames,
}

impl Timeline {
    /// The position from which on it goes.
    pub(crate) fn at(&self) -> Frames {
        self.at
    }

    /// The moment of a position.
    #[must_use]
    pub fn moment(&self, section: &Section, at: Beats) -> Frames {
        self.moment_of(section, wide(at))
    }

    pub(super) fn moment_of(&self, section: &Section, at: Frames) -> Frames {
        self.moment + (section.map.time_of(at) - section.map.time_of(self.at)) / self.factor
    }

    /// The position at a moment.
    #[must_use]
    pub fn position(&self, section: &Section, moment: Frames) -> Frames {
        section.map.at_time(section.map.time_of(self.at) + (moment - self.moment) * self.factor)
    }
}
