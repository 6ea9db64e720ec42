//! The axes of pictures whose points are dragged: from places in their units to cells, and back.

use ratatui::layout::Rect;

/// The ends of a picture's axes, in its units; frequencies are spaced by octaves.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Axes {
    pub(crate) x: (f32, f32),
    pub(crate) y: (f32, f32),
    pub(crate) by_octaves: bool,
}

impl Axes {
    /// Both in straight lines.
    pub(crate) fn plain(x: (f32, f32), y: (f32, f32)) -> Axes {
        Axes { x, y, by_octaves: false }
    }

    /// Shares from 0 to 1 of a place; what lies outside is outside.
    pub(crate) fn shares(&self, (x, y): (f32, f32)) -> (f64, f64) {
        let along = |(low, high): (f32, f32), at: f32| f64::from((at - low) / (high - low));
        let across = if self.by_octaves { f64::from((x / self.x.0).ln() / (self.x.1 / self.x.0).ln()) } else { along(self.x, x) };
        (across, along(self.y, y))
    }

    /// The place of shares.
    pub(crate) fn place(&self, (x, y): (f32, f32)) -> (f32, f32) {
        let across = if self.by_octaves { self.x.0 * (self.x.1 / self.x.0).powf(x) } else { self.x.0 + (self.x.1 - self.x.0) * x };
        (across, self.y.0 + (self.y.1 - self.y.0) * y)
    }

    /// The cell of a place; what lies beyond an end lies at it.
    pub(crate) fn cell(&self, area: Rect, place: (f32, f32)) -> (u16, u16) {
        let (x, y) = self.shares(place);
        let within = |share: f64, cells: u16| (share.clamp(0.0, 1.0) * f64::from(cells.saturating_sub(1))).round() as u16;
        (area.x + within(x, area.width), area.y + within(1.0 - y, area.height))
    }

    /// The place of a cell.
    pub(crate) fn at(&self, area: Rect, (x, y): (u16, u16)) -> (f32, f32) {
        let share =
            |at: u16, from: u16, cells: u16| f32::from(at.clamp(from, from + cells.saturating_sub(1)) - from) / f32::from(cells.saturating_sub(1).max(1));
        self.place((share(x, area.x, area.width), 1.0 - share(y, area.y, area.height)))
    }
}
