//! What clicks mean in the view *Trace*.

use super::{Column, Row, Which};
use crate::workshop::app::App;
use crate::workshop::keys::Do;
use crate::workshop::lanes::Span;
use crate::workshop::view::Clicks;
use ratatui::layout::Rect;
use std::rc::Rc;

/// A line, by its number and frame.
#[derive(Debug)]
pub(super) struct Line(pub(super) u64, pub(super) u64);

impl Clicks for Line {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        app.trace.column = Column::Lines;
        let lines = app.trace_lines();
        let again = lines.get(app.trace.place_in(&lines)).is_some_and(|line| line.number == self.0);
        app.choose_line(Some((self.0, self.1)));
        if again {
            app.act(Do::Main);
        }
    }

    fn wheel(&self, app: &mut App, _by: isize) -> bool {
        app.trace.column = Column::Lines;
        false
    }
}

/// The name of a row of the lanes.
#[derive(Debug)]
pub(super) struct ClickRow(pub(super) Row);

impl Clicks for ClickRow {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        app.trace.column = Column::Lanes;
        match &self.0 {
            Row::Heading(group, _) => app.fold(*group),
            Row::Lane(_) => app.trace.row = Some(self.0.which()),
        }
    }

    fn wheel(&self, app: &mut App, _by: isize) -> bool {
        app.trace.column = Column::Lanes;
        false
    }
}

/// A stretch of a lane: what moment a column is.
#[derive(Debug, Clone)]
pub(super) struct ClickTime(pub(super) Option<Which>, pub(super) Span);

impl ClickTime {
    fn look(&self, app: &mut App, at: (u16, u16)) {
        app.look_back_at(self.1.frame(at.0));
    }
}

impl Clicks for ClickTime {
    fn click(&self, app: &mut App, area: Rect, at: (u16, u16)) {
        app.trace.column = Column::Lanes;
        if let Some(which) = self.0 {
            app.trace.row = Some(which);
        }
        self.look(app, at);
        app.dragging = Some((Rc::new(self.clone()), area));
    }

    fn drag(&self, app: &mut App, _area: Rect, at: (u16, u16)) -> bool {
        self.look(app, at);
        true
    }

    fn wheel(&self, app: &mut App, _by: isize) -> bool {
        app.trace.column = Column::Lanes;
        false
    }
}
