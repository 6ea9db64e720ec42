//! Coverage on paper: of each kind what was come by and how often, what never in red and first.

use super::{DrawError, failed, ink};
use crate::check::Coverage;
use plotters::coord::Shift;
use plotters::prelude::*;

/// Sizes, in points.
const COLUMN: i32 = 290;
const COLUMNS: usize = 4;
const ROW: i32 = 15;
const HEADING: i32 = 30;
/// So many letters of a name have room beside its bar, and so many if the bar comes below.
const SHORT: usize = 34;
const LONG: usize = 50;
/// The length of a full bar.
const BAR: f64 = 60.0;

const INK: RGBColor = RGBColor(40, 36, 30);
const RED: RGBColor = RGBColor(200, 50, 30);
const GREY: RGBColor = RGBColor(60, 55, 48);
const GOLD: RGBColor = RGBColor(205, 145, 20);

/// What is drawn: lines in columns.
fn lines(coverage: &Coverage) -> Vec<Line> {
    let mut all = Vec::new();
    for (word, of) in coverage.kinds.iter().filter(|(_, of)| !of.is_empty()) {
        let never = of.values().filter(|counts| counts.is_empty()).count();
        all.push(Line::Heading(format!("{word}: {} of {}", of.len() - never, of.len())));
        let mut rows: Vec<(u64, &str)> = of.iter().map(|(name, counts)| (counts.values().sum::<u64>(), name.as_str())).collect();
        rows.sort_unstable();
        let most = rows.last().map_or(1, |r| r.0.max(1));
        all.extend(rows.into_iter().map(|(count, name)| Line::Row(name.lines().next().unwrap_or_default().to_owned(), count, most)));
    }
    all
}

enum Line {
    Heading(String),
    Row(String, u64, u64),
}

impl Line {
    fn height(&self) -> i32 {
        match self {
            Line::Heading(_) => HEADING,
            Line::Row(name, ..) => ROW * if name.chars().count() > SHORT { 2 } else { 1 },
        }
    }
}

/// Where each line stands: column and height, and the height of the whole.
fn placed(lines: &[Line]) -> (Vec<(i32, i32)>, i32) {
    let whole: i32 = lines.iter().map(Line::height).sum();
    let tall = whole / COLUMNS as i32 + HEADING + ROW;
    let (mut places, mut column, mut y) = (Vec::new(), 0, 0);
    for (at, line) in lines.iter().enumerate() {
        // No heading stands alone at the foot of a column.
        let with = line.height() + if matches!(line, Line::Heading(_)) { lines.get(at + 1).map_or(0, Line::height) } else { 0 };
        if y + with > tall && column + 1 < COLUMNS as i32 {
            (column, y) = (column + 1, 0);
        }
        places.push((column, y));
        y += line.height();
    }
    let deepest = places.iter().zip(lines).map(|((_, y), line)| y + line.height()).max().unwrap_or(0);
    (places, deepest)
}

pub(super) fn size(coverage: &Coverage) -> (u32, u32) {
    ((COLUMN * COLUMNS as i32 + 20) as u32, (placed(&lines(coverage)).1 + 30) as u32)
}

/// As wide as there is room for.
fn cut(text: &str, most: usize) -> String {
    if text.chars().count() <= most { text.to_owned() } else { format!("{}...", text.chars().take(most - 3).collect::<String>()) }
}

pub(super) fn draw<B: DrawingBackend>(area: &DrawingArea<B, Shift>, coverage: &Coverage) -> Result<(), DrawError>
where
    B::ErrorType: 'static,
{
    let lines = lines(coverage);
    for (line, (column, y)) in lines.iter().zip(placed(&lines).0) {
        let x = 20 + column * COLUMN;
        match line {
            Line::Heading(text) => area.draw_text(text, &ink(13, &INK), (x, y + 12)).map_err(failed)?,
            Line::Row(name, count, most) => {
                let colour = if *count == 0 { &RED } else { &GREY };
                let long = name.chars().count() > SHORT;
                area.draw_text(&cut(name, if long { LONG } else { SHORT }), &ink(11, colour), (x + 6, y + 2)).map_err(failed)?;
                let y = if long { y + ROW } else { y };
                if *count == 0 {
                    area.draw_text("never", &ink(11, &RED), (x + 196, y + 2)).map_err(failed)?;
                } else {
                    // Rare things are seen beside frequent ones.
                    let share = (*count as f64).ln_1p() / (*most as f64).ln_1p().max(1e-9);
                    area.draw(&Rectangle::new([(x + 196, y + 4), (x + 196 + (share * BAR).round().max(1.0) as i32, y + 10)], GOLD.filled())).map_err(failed)?;
                    area.draw_text(&count.to_string(), &ink(10, &GREY), (x + 200 + BAR as i32, y + 2)).map_err(failed)?;
                }
            }
        }
    }
    Ok(())
}
