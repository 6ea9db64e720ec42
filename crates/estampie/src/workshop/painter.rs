//! A pen: writes text, rules, bars and plots into the page, never beyond the width it is given.

use super::theme::{Role, Theme};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::symbols::Marker;
use ratatui::widgets::Widget as _;
use ratatui::widgets::canvas::{Canvas, Points};

/// A level with a decimal, and silence as what it is.
pub(crate) fn print_level(level: impl Into<f64>) -> String {
    let level = level.into();
    if level > -119.9 { format!("{level:.1}").replace('-', "−") } else { "−∞".into() }
}

/// A name in a width, with a mark where it is cut.
pub(crate) fn cut(name: &str, width: u16) -> String {
    if name.chars().count() <= usize::from(width) { name.to_owned() } else { name.chars().take(usize::from(width) - 1).chain(['…']).collect() }
}

/// A text in rows of a width, cut between words; rows after the first begin with `indent`. Spaces before the first word stay.
pub(crate) fn rows_of(text: &str, width: usize, indent: &str) -> Vec<String> {
    let mut rows: Vec<String> = vec![String::new()];
    for (at, word) in text.split(' ').enumerate() {
        let last = rows.len() - 1;
        if rows[last].chars().count() + word.chars().count() + 1 > width && !rows[last].trim().is_empty() {
            rows.push(format!("{indent}{word}"));
        } else {
            if at > 0 {
                rows[last].push(' ');
            }
            rows[last].push_str(word);
        }
    }
    rows
}

/// A page of fewer columns shows two columns of a view instead of three.
pub(crate) const NARROW: u16 = 100;

/// A page whose views have fewer rows shows only the part that has the keys, where two would share the height.
pub(crate) const LOW_PAGE: u16 = 24;

/// How far beyond the page lies what has no room on it.
pub(crate) const AWAY: u16 = 300;

/// What a narrow page shows of a view of three columns.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Sees {
    /// Index and centre.
    Left,
    /// The centre alone.
    Centre,
    /// Centre and side.
    Right,
}

/// Writes into a buffer with a theme.
pub(crate) struct Painter<'a> {
    pub(crate) buffer: &'a mut Buffer,
    pub(crate) theme: Theme,
}

const EIGHTHS: [&str; 9] = ["", "▏", "▎", "▍", "▌", "▋", "▊", "▉", "█"];
const SHADES: [&str; 5] = [" ", "░", "▒", "▓", "█"];
const UPWARD: [&str; 9] = [" ", "▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"];

impl Painter<'_> {
    pub(crate) fn style(&self, role: Role) -> Style {
        self.theme.style(role)
    }

    fn inside(&self, x: u16, y: u16) -> bool {
        let area = self.buffer.area;
        x >= area.x && x < area.right() && y >= area.y && y < area.bottom()
    }

    /// Writes at most `width` columns and gives the column after the last.
    pub(crate) fn put(&mut self, x: u16, y: u16, width: u16, text: &str, style: Style) -> u16 {
        if width == 0 || !self.inside(x, y) {
            return x;
        }
        let length = ratatui::text::Span::raw(text).width();
        if length > usize::from(width) {
            // What does not fit says so.
            let end = self.buffer.set_stringn(x, y, text, usize::from(width).saturating_sub(1), style).0;
            return self.buffer.set_stringn(end, y, "…", 1, style).0;
        }
        self.buffer.set_stringn(x, y, text, usize::from(width), style).0
    }

    /// Whether nothing stands at a place but a rule.
    pub(crate) fn is_blank(&self, x: u16, y: u16) -> bool {
        self.inside(x, y) && matches!(self.buffer[(x, y)].symbol(), " " | "┊")
    }

    /// Writes in a role.
    pub(crate) fn text(&mut self, x: u16, y: u16, width: u16, text: &str, role: Role) -> u16 {
        let style = self.style(role);
        self.put(x, y, width, text, style)
    }

    /// Writes so that the last character stands before column `end`.
    pub(crate) fn right(&mut self, end: u16, y: u16, text: &str, role: Role) {
        let width = ratatui::text::Span::raw(text).width() as u16;
        self.text(end.saturating_sub(width), y, width, text, role);
    }

    /// A heading with an aside.
    pub(crate) fn heading(&mut self, x: u16, y: u16, width: u16, title: &str, aside: &str) {
        let key = self.theme.key();
        let end = self.put(x, y, width, &format!("¶ {title}"), key);
        let left = width.saturating_sub(end - x + 1);
        self.text(end + 1, y, left, aside, Role::Secondary);
    }

    /// Says at the head and at the foot of a list how much of it lies above and below what is shown.
    pub(crate) fn more(&mut self, area: Rect, above: usize, below: usize) {
        for (count, y, text) in [(above, area.y, "▲ {} above"), (below, area.bottom().saturating_sub(1), "▼ {} below")] {
            if count > 0 && area.height > 2 {
                // Blank, on the page's own ground.
                self.text(area.x, y, area.width, &" ".repeat(usize::from(area.width)), Role::Secondary);
                self.text(area.x + 1, y, area.width.saturating_sub(1), &text.replace("{}", &count.to_string()), Role::Secondary);
            }
        }
    }

    pub(crate) fn rule(&mut self, x: u16, y: u16, width: u16) {
        let style = self.style(Role::Rule);
        self.put(x, y, width, &"─".repeat(usize::from(width)), style);
    }

    pub(crate) fn upright(&mut self, x: u16, y: u16, height: u16) {
        let style = self.style(Role::Rule);
        for row in y..y + height {
            self.put(x, row, 1, "│", style);
        }
    }

    /// Index, centre and side with the rules between them. On a page under [`NARROW`] columns two of them have room, or the centre alone:
    /// those that go with the focus. What is left out lies beyond the page, where nothing is drawn and nothing clicked.
    pub(crate) fn columns_of_page(&mut self, area: Rect, index: u16, side: u16, sees: Sees) -> (Rect, Rect, Rect) {
        if area.width < NARROW {
            let away = |width: u16| Rect { x: area.right() + AWAY, width, ..area };
            let parted = |painter: &mut Self, at: u16| painter.upright(area.x + at, area.y, area.height);
            let from = |x: u16, width: u16| Rect { x: area.x + x, width, ..area };
            return match sees {
                Sees::Left => {
                    let index = index.min(area.width * 2 / 5);
                    parted(self, index);
                    (from(0, index), from(index + 2, area.width - index - 3), away(side))
                }
                Sees::Centre => (away(index), from(1, area.width - 2), away(side)),
                Sees::Right => {
                    let side = side.min(area.width * 9 / 20);
                    let at = area.width - side;
                    parted(self, at);
                    (away(index), from(1, at - 2), from(at + 2, side - 3))
                }
            };
        }
        let index = Rect { width: index.min(area.width * 3 / 10), ..area };
        let width = side.min(area.width * 34 / 100);
        let side = Rect { x: area.right() - width, width, ..area };
        self.upright(index.right(), area.y, area.height);
        self.upright(side.x - 1, area.y, area.height);
        let centre = Rect { x: index.right() + 2, width: side.x - index.right() - 4, ..area };
        (index, centre, Rect { x: side.x + 1, width: width - 2, ..side })
    }

    /// Whether a column has room on the page.
    pub(crate) fn shows(&self, column: Rect) -> bool {
        column.x < self.buffer.area.right()
    }

    /// Lets a part of the page step back behind what lies over it.
    pub(crate) fn dim(&mut self, area: Rect) {
        let style = self.style(Role::Rule);
        for position in area.intersection(self.buffer.area).positions() {
            let cell = &mut self.buffer[position];
            cell.set_style(style);
            cell.modifier = ratatui::style::Modifier::empty();
        }
    }

    /// Marks a line as selected.
    pub(crate) fn select(&mut self, x: u16, y: u16, width: u16) {
        let selection = self.theme.selection();
        let area = Rect { x, y, width, height: 1 }.intersection(self.buffer.area);
        self.buffer.set_style(area, selection);
        self.text(x, y, 1, "▌", Role::Active);
    }

    /// Marks a chosen line: with its whole width where the keys are, with a sign alone elsewhere.
    pub(crate) fn mark(&mut self, area: Rect, y: u16, here: bool) {
        if here {
            self.select(area.x, y, area.width);
        } else {
            self.text(area.x, y, 1, "▪", Role::Active);
        }
    }

    /// A bar filled to `share`; the rest is dotted.
    pub(crate) fn bar(&mut self, x: u16, y: u16, width: u16, share: f32, role: Role) {
        let eighths = (share.clamp(0.0, 1.0) * f32::from(width) * 8.0).round() as usize;
        let (full, part) = (eighths / 8, eighths % 8);
        self.text(x, y, width, &"·".repeat(usize::from(width)), Role::Rule);
        let end = self.text(x, y, width, &"█".repeat(full), role);
        if part > 0 && end < x + width {
            self.text(end, y, 1, EIGHTHS[part], role);
        }
    }

    /// Two halves of a character, the upper and the lower one, each as bright as its share; where the terminal has too few colours, one sign
    /// for both.
    pub(crate) fn halves(&mut self, x: u16, y: u16, upper: f32, lower: f32) {
        match (self.theme.heat(upper), self.theme.heat(lower)) {
            (Some(over), Some(under)) => self.put(x, y, 1, "▀", Style::new().fg(over).bg(under)),
            _ => self.text(x, y, 1, SHADES[(upper.max(lower).clamp(0.0, 1.0) * (SHADES.len() - 1) as f32).round() as usize], Role::Text),
        };
    }

    /// Columns rising to shares, over the height of the area.
    pub(crate) fn columns(&mut self, area: Rect, shares: &[f32], role: Role) {
        for (at, share) in shares.iter().take(usize::from(area.width)).enumerate() {
            let eighths = (share.clamp(0.0, 1.0) * f32::from(area.height) * 8.0).round() as u16;
            for row in 0..area.height {
                let here = eighths.saturating_sub((area.height - 1 - row) * 8).min(8);
                if here > 0 {
                    self.text(area.x + at as u16, area.y + row, 1, UPWARD[usize::from(here)], role);
                }
            }
        }
    }

    /// A line of points in braille: `points` in `x` from 0 to 1 and `y` from 0 to 1.
    pub(crate) fn plot(&mut self, area: Rect, points: &[(f64, f64)], role: Role) {
        self.plots(area, &[(points, role)]);
    }

    /// Several of them over each other; where they share a character it has the colour of the last.
    pub(crate) fn plots(&mut self, area: Rect, lines: &[(&[(f64, f64)], Role)]) {
        let area = area.intersection(self.buffer.area);
        if area.is_empty() {
            return;
        }
        let lines: Vec<_> = lines.iter().map(|(points, role)| Points { coords: points, color: self.style(*role).fg.unwrap_or_default() }).collect();
        let ground = self.theme.ground().bg.unwrap_or_default();
        let canvas = Canvas::default().marker(Marker::Braille).background_color(ground).x_bounds([0.0, 1.0]).y_bounds([0.0, 1.0]);
        canvas.paint(|context| lines.iter().for_each(|line| context.draw(line))).render(area, self.buffer);
    }
}

#[cfg(test)]
mod tests {
    use super::rows_of;

    #[test]
    fn rows_are_cut_between_words_and_lose_none() {
        assert_eq!(rows_of("one two three", 8, "  "), ["one two", "  three"]);
        assert_eq!(rows_of("  play one two", 10, ""), ["  play one", "two"], "spaces before the first word stay");
        assert_eq!(rows_of("", 5, "  "), [""]);
        for width in 1..40 {
            let rows = rows_of("a word longer than its row is not cut", width, "");
            assert_eq!(rows.join(" "), "a word longer than its row is not cut", "{width}");
            assert!(rows.iter().all(|r| r.chars().count() <= width.max(6)), "{width}: {rows:?}");
        }
    }
}
