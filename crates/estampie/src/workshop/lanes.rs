//! Lanes over one time on the screen: the Stage's last seconds, and the view *Trace*.

use super::painter::Painter;
use super::theme::Role;
use estampie_proof::trace::lanes::{Content, Follows, Lane, Mark};
use ratatui::layout::Rect;

/// A stretch of time laid out on columns.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Span {
    pub(crate) from: f64,
    pub(crate) to: f64,
    /// The last frame of which anything is known.
    pub(crate) known: u64,
    pub(crate) x: u16,
    pub(crate) width: u16,
}

impl Span {
    pub(crate) fn share(&self, frame: u64) -> f64 {
        (frame as f64 - self.from) / (self.to - self.from)
    }

    pub(crate) fn column(&self, frame: u64) -> u16 {
        self.x + (self.share(frame).clamp(0.0, 1.0) * f64::from(self.width - 1)).round() as u16
    }

    /// The frame of a column.
    pub(crate) fn frame(&self, column: u16) -> u64 {
        let share = f64::from(column.saturating_sub(self.x)) / f64::from(self.width.max(2) - 1);
        (self.from + share.clamp(0.0, 1.0) * (self.to - self.from)).round().max(0.0) as u64
    }

    /// Frames of a column.
    pub(crate) fn step(&self) -> f64 {
        (self.to - self.from) / f64::from(self.width.max(2) - 1)
    }

    /// What lies within so many frames falls together: half a column.
    pub(crate) fn grain(&self) -> u64 {
        (self.step() / 2.0) as u64
    }

    /// From and to as frames.
    pub(crate) fn frames(&self) -> (u64, u64) {
        (self.from.max(0.0) as u64, self.to.max(0.0) as u64)
    }

    fn end(&self) -> u16 {
        self.x + self.width
    }
}

/// Draws what a lane held before, so that what it holds now can be drawn over it.
pub(crate) fn paint_before(painter: &mut Painter<'_>, span: &Span, y: u16, rows: u16, content: &Content) {
    match content {
        Content::Bars(bars, _) => {
            for (start, end, _) in bars {
                for column in span.column(*start)..=span.column(*end) {
                    painter.text(column, y, 1, "░", Role::Secondary);
                }
            }
        }
        Content::Stretches(list) => {
            for (from, ..) in list {
                painter.text(span.column(*from), y, 1, "┆", Role::Secondary);
            }
        }
        Content::Marks(marks) => {
            for (frame, ..) in marks {
                painter.text(span.column(*frame), y, 1, "▽", Role::Secondary);
            }
        }
        Content::Values { points, low, high, .. } => {
            let share = |v: f32| f64::from((v - low) / (high - low).max(1e-9)) * 0.96 + 0.02;
            let points = points.iter().map(|(frame, v)| (span.share(*frame), share(*v)));
            painter.plot(Rect { x: span.x, y, width: span.width, height: rows }, &line_points(points, span.width), Role::Rule);
        }
    }
}

/// Draws what a lane holds on some rows.
pub(crate) fn paint(painter: &mut Painter<'_>, span: &Span, y: u16, rows: u16, lane: &Lane, content: &Content) {
    match content {
        Content::Stretches(list) => stretches(painter, span, y, list, if lane.follows == Follows::Piece { Role::Active } else { Role::FromGame }),
        Content::Bars(bars, refused) => voices(painter, span, y, bars, refused),
        Content::Marks(marks) => self::marks(painter, span, y, marks, lane.follows),
        Content::Values { points, low, high, .. } => {
            let area = Rect { x: span.x, y, width: span.width, height: rows };
            let share = |v: f32| (v - low) / (high - low).max(1e-9);
            match lane.follows {
                Follows::Parameter | Follows::Loudness => {
                    let role = if lane.follows == Follows::Parameter { Role::FromGame } else { Role::Text };
                    let points = points.iter().map(|(frame, v)| (span.share(*frame), f64::from(share(*v)) * 0.96 + 0.02));
                    painter.plot(area, &line_points(points, span.width), role);
                }
                _ => {
                    let role = match lane.follows {
                        Follows::Snapshot => Role::Snapshot,
                        Follows::Ceiling => Role::Accent,
                        Follows::Waiting => Role::Text,
                        _ => Role::Secondary,
                    };
                    painter.columns(area, &columns(points, span, share), role);
                }
            }
        }
    }
}

/// The greatest share in each column; one without a value of its own has that before it.
fn columns(points: &[(u64, f32)], span: &Span, share: impl Fn(f32) -> f32) -> Vec<f32> {
    let mut columns = vec![f32::NAN; usize::from(span.width)];
    let mut last = columns.clone();
    let mut before = 0.0;
    for (frame, value) in points {
        if (*frame as f64) < span.from {
            before = share(*value);
            continue;
        }
        if *frame as f64 > span.to {
            break;
        }
        let at = usize::from(span.column(*frame) - span.x).min(columns.len() - 1);
        columns[at] = columns[at].max(share(*value));
        last[at] = share(*value);
    }
    // What is not known yet is not drawn.
    let known = points.first().map_or(usize::MAX, |(frame, _)| usize::from(span.column(*frame) - span.x));
    let to_come = if span.known as f64 >= span.to { usize::MAX } else { usize::from(span.column(span.known) - span.x) };
    for (at, column) in columns.iter_mut().enumerate() {
        if column.is_nan() {
            *column = if at < known || at > to_come { 0.0 } else { before };
        } else {
            // The greatest is seen, and the last goes on.
            before = last[at];
        }
    }
    columns
}

fn stretches(painter: &mut Painter<'_>, span: &Span, y: u16, list: &[(u64, u64, String)], role: Role) {
    // Of several that begin in one column the last is seen.
    let mut cells: Vec<(u16, &str)> = Vec::new();
    for (from, _, name) in list {
        let column = span.column(*from);
        match cells.last_mut().filter(|last| last.0 == column) {
            Some(last) => last.1 = name,
            None => cells.push((column, name)),
        }
    }
    for (at, (column, name)) in cells.iter().enumerate() {
        let until = cells.get(at + 1).map_or(span.end(), |c| c.0);
        painter.text(*column, y, 1, "│", role);
        let room = until.saturating_sub(column + 2);
        // A value without room for its name is told by the bar alone.
        if name.chars().count() as u16 <= room {
            painter.text(column + 1, y, room, name, if *name == "silence" { Role::Secondary } else { role });
        }
    }
}

fn voices(painter: &mut Painter<'_>, span: &Span, y: u16, bars: &[(u64, u64, bool)], refused: &[u64]) {
    for (start, end, sounding) in bars {
        let (from, to) = (span.column(*start), span.column(*end));
        let role = if *sounding { Role::Active } else { Role::Text };
        let begins = *start as f64 >= span.from;
        for column in from..=to {
            painter.text(column, y, 1, if column == from && begins { "■" } else { "▪" }, role);
        }
    }
    for frame in refused {
        painter.text(span.column(*frame), y, 1, "×", Role::Accent);
    }
}

fn marks(painter: &mut Painter<'_>, span: &Span, y: u16, marks: &[(u64, String, Mark)], follows: Follows) {
    let sign = match follows {
        Follows::Stingers => "♪",
        Follows::Zones => "◆",
        _ => "▼",
    };
    let cells: Vec<(u16, &str, Mark)> = marks.iter().map(|(frame, name, mark)| (span.column(*frame), name.as_str(), *mark)).collect();
    for (at, (column, name, mark)) in cells.iter().enumerate() {
        let (sign, role) = match (mark, follows) {
            (Mark::Refused, _) => ("×", Role::Accent),
            (_, Follows::Stingers) => (sign, Role::Snapshot),
            (Mark::Game, _) => (sign, Role::FromGame),
            (Mark::Plain, _) => (sign, Role::Text),
        };
        painter.text(*column, y, 1, sign, role);
        let next = cells[at + 1..].iter().map(|c| c.0).find(|c| c > column).unwrap_or(span.end());
        let alone = cells.get(at + 1).is_none_or(|c| c.0 > *column);
        let room = next.saturating_sub(column + 2);
        if alone && name.chars().count() as u16 <= room {
            painter.text(column + 1, y, room, name, if role == Role::Accent { role } else { Role::Secondary });
        }
    }
}

/// A line through values in time, a point for each dot of braille: between two values it stays at the earlier one.
fn line_points(values: impl Iterator<Item = (f64, f64)>, width: u16) -> Vec<(f64, f64)> {
    let dots = f64::from(width) * 2.0;
    let mut points: Vec<(f64, f64)> = Vec::new();
    let mut before: Option<(f64, f64)> = None;
    let mut put = |x: f64, y: f64| {
        if (0.0..=1.0).contains(&x) {
            points.push((x, y));
        }
    };
    for (x, y) in values {
        if let Some((from, at)) = before {
            // Only what lies in sight: a value may have stood for half an hour.
            let first = ((from.max(0.0) * dots).floor() as usize).max(1);
            let last = ((x.min(1.0) * dots).ceil().max(0.0)) as usize;
            (first..last).map(|n| n as f64 / dots).filter(|t| *t > from && *t < x).for_each(|t| put(t, at));
        }
        put(x, y);
        before = Some((x, y));
    }
    points
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_has_a_point_for_every_dot_and_stays_at_the_earlier_value() {
        let points = line_points([(-0.5, 0.2), (0.25, 0.8), (0.75, 0.4)].into_iter(), 40);
        assert!(points.iter().all(|(x, _)| (0.0..=1.0).contains(x)));
        let at = |x: f64| points.iter().min_by(|a, b| (a.0 - x).abs().total_cmp(&(b.0 - x).abs())).map(|p| p.1);
        assert_eq!((at(0.1), at(0.5), at(0.75)), (Some(0.2), Some(0.8), Some(0.4)));
        let gaps = points.windows(2).map(|w| w[1].0 - w[0].0).fold(0.0, f64::max);
        assert!(gaps <= 2.0 / 80.0, "{gaps}");
        // What has stood since long ago costs no more than what is seen of it.
        assert!(line_points([(-1e6, 0.2), (0.5, 0.3)].into_iter(), 40).len() <= 80);
    }

    #[test]
    fn columns_and_frames_meet_at_both_ends() {
        let span = Span { from: 1000.0, to: 2000.0, known: 9000, x: 10, width: 51 };
        assert_eq!((span.column(1000), span.column(1500), span.column(2000)), (10, 35, 60));
        assert_eq!((span.column(0), span.column(9999)), (10, 60), "what lies outside is held at the ends");
        for column in 10..=60 {
            assert_eq!(span.column(span.frame(column)), column);
        }
    }

    #[test]
    fn a_column_has_the_greatest_of_its_values_and_else_that_before() {
        let span = Span { from: 100.0, to: 200.0, known: 200, x: 5, width: 11 };
        let shares = columns(&[(90, 3.0), (120, 7.0), (121, 9.0), (123, 8.0), (170, 2.0)], &span, |v| v / 10.0);
        assert_eq!(shares, [0.3, 0.3, 0.9, 0.8, 0.8, 0.8, 0.8, 0.2, 0.2, 0.2, 0.2]);
        let early = Span { known: 160, ..span };
        assert_eq!(columns(&[(90, 3.0), (150, 5.0)], &early, |v| v / 10.0)[4..], [0.3, 0.5, 0.5, 0.0, 0.0, 0.0, 0.0], "what is to come is not known");
        assert_eq!(columns(&[(150, 5.0)], &span, |v| v / 10.0), [0.0, 0.0, 0.0, 0.0, 0.0, 0.5, 0.5, 0.5, 0.5, 0.5, 0.5], "before it was known it is nothing");
    }
}
