//! Drawings for the team, as SVG or PDF: the project's curves, the ways between sections as they sound, the routing of the
//! mix, the map of the world, playthroughs over time, their loudness, what was come by; and a report of several pages.
//!
//! One drawing, two backends: SVG by the plotting package, PDF by [`pdf`], which needs no font files because every reader
//! of PDF has Helvetica.

mod covered;
mod curves;
mod loudness;
mod map;
mod pdf;
mod report;
mod routing;
mod seams;
mod timeline;

pub use curves::{Ink, Panel, curves};
pub use loudness::loudness;
pub use map::{Map, map};
pub use report::{Page, report};
pub use routing::{Routing, routing};
pub use seams::seams;
pub use timeline::{Timeline, timeline};

use crate::check::Coverage;
use plotters::coord::Shift;
use plotters::prelude::*;

/// A drawing could not be made.
#[derive(Debug, thiserror::Error)]
#[error("the drawing failed: {0}")]
pub struct DrawError(String);

fn failed(error: impl std::fmt::Display) -> DrawError {
    DrawError(error.to_string())
}

/// Letters of a size and a colour.
fn ink(size: u32, colour: &'static RGBColor) -> TextStyle<'static> {
    TextStyle::from(("sans-serif", size).into_font()).color(colour)
}

/// Width of a panel and height of a panel, in points.
const PANEL: (u32, u32) = (400, 260);
/// Panels beside each other.
const COLUMNS: usize = 3;

/// The height of the title.
const TITLE: u32 = 50;

/// What is drawn below a title.
#[derive(Debug, Clone)]
pub enum Drawing {
    /// Charts beside and below each other.
    Panels(Vec<Panel>),
    /// Where buses run and what they send.
    Routing(Routing),
    /// Where things are.
    Map(Box<Map>),
    /// A playthrough over time.
    Timeline(Box<Timeline>),
    /// What was come by.
    Coverage(Box<Coverage>),
}

impl Drawing {
    /// How many things it shows: charts, buses.
    #[must_use]
    pub fn count(&self) -> usize {
        match self {
            Drawing::Panels(panels) => panels.len(),
            Drawing::Routing(routing) => routing.buses.len(),
            Drawing::Map(map) => map.count(),
            Drawing::Timeline(timeline) => timeline.lanes.len(),
            Drawing::Coverage(coverage) => coverage.kinds.iter().map(|(_, of)| of.len()).sum(),
        }
    }

    fn size(&self) -> (u32, u32) {
        match self {
            Drawing::Panels(panels) => {
                let rows = panels.len().div_ceil(COLUMNS).max(1) as u32;
                (PANEL.0 * COLUMNS as u32, PANEL.1 * rows + TITLE)
            }
            Drawing::Routing(routing) => {
                let (width, height) = routing.size();
                (width, height + TITLE)
            }
            Drawing::Map(map) => (map.size().0, map.size().1 + TITLE),
            Drawing::Timeline(timeline) => (timeline.size().0, timeline.size().1 + TITLE),
            Drawing::Coverage(coverage) => (covered::size(coverage).0, covered::size(coverage).1 + TITLE),
        }
    }
}

/// Draws below a title as SVG.
///
/// # Errors
/// When the package that draws refuses.
pub fn svg(title: &str, drawing: &Drawing) -> Result<String, DrawError> {
    let mut text = String::new();
    {
        let area = SVGBackend::with_string(&mut text, drawing.size()).into_drawing_area();
        draw(&area, title, drawing)?;
    }
    Ok(text)
}

/// Draws below a title as PDF of one page.
///
/// # Errors
/// When the package that draws refuses.
pub fn pdf(title: &str, drawing: &Drawing) -> Result<Vec<u8>, DrawError> {
    Ok(pdf::file(vec![sheet(title, drawing)?]))
}

/// A drawing below a title as a page.
fn sheet(title: &str, drawing: &Drawing) -> Result<pdf::Sheet, DrawError> {
    let (width, height) = drawing.size();
    let sheet = std::rc::Rc::new(std::cell::RefCell::new(pdf::Sheet::new(width, height)));
    {
        let area = pdf::PdfBackend(std::rc::Rc::clone(&sheet)).into_drawing_area();
        draw(&area, title, drawing)?;
    }
    let sheet = std::rc::Rc::try_unwrap(sheet).map_err(|_| failed("the page is still being drawn"))?;
    Ok(sheet.into_inner())
}

fn draw<B: DrawingBackend>(area: &DrawingArea<B, Shift>, title: &str, drawing: &Drawing) -> Result<(), DrawError>
where
    B::ErrorType: 'static,
{
    area.fill(&WHITE).map_err(failed)?;
    area.draw_text(title, &TextStyle::from(("sans-serif", 22).into_font()), (20, 14)).map_err(failed)?;
    let (_, below) = area.split_vertically(TITLE);
    match drawing {
        Drawing::Panels(panels) => draw_panels(&below, panels)?,
        Drawing::Routing(routing) => routing::draw(&below, routing)?,
        Drawing::Map(map) => map::draw(&below, map)?,
        Drawing::Timeline(timeline) => timeline::draw(&below, timeline)?,
        Drawing::Coverage(coverage) => covered::draw(&below, coverage)?,
    }
    area.present().map_err(failed)
}

fn draw_panels<B: DrawingBackend>(below: &DrawingArea<B, Shift>, panels: &[Panel]) -> Result<(), DrawError>
where
    B::ErrorType: 'static,
{
    let rows = panels.len().div_ceil(COLUMNS).max(1);
    for (cell, panel) in below.split_evenly((rows, COLUMNS)).iter().zip(panels) {
        let (x, y) = (panel.x.0..panel.x.1, panel.y.0..panel.y.1);
        let mut chart = ChartBuilder::on(cell)
            .caption(&panel.title, ("sans-serif", 14))
            .margin(12)
            .x_label_area_size(34)
            .y_label_area_size(58)
            .build_cartesian_2d(x, y)
            .map_err(failed)?;
        chart
            .configure_mesh()
            .x_labels(5)
            .y_labels(5)
            .x_desc(&panel.x_label)
            .y_desc(&panel.y_label)
            .label_style(("sans-serif", 11))
            .axis_desc_style(("sans-serif", 11))
            .light_line_style(TRANSPARENT)
            .bold_line_style(RGBColor(225, 218, 200))
            .draw()
            .map_err(failed)?;
        for (what, line) in &panel.further {
            let (colour, width) = match what {
                Ink::Bar => (RGBColor(200, 192, 175), 1),
                Ink::Old => (RGBColor(130, 122, 110), 1),
                Ink::New => (RGBColor(205, 145, 20), 1),
                Ink::Seam => (RGBColor(200, 50, 30), 2),
            };
            chart.draw_series(LineSeries::new(line.iter().copied(), colour.stroke_width(width))).map_err(failed)?;
        }
        let ink = RGBColor(40, 90, 170);
        chart.draw_series(LineSeries::new(panel.line.iter().copied(), ink.stroke_width(2))).map_err(failed)?;
        chart.draw_series(panel.points.iter().map(|p| Circle::new(*p, 3, ink.filled()))).map_err(failed)?;
    }
    Ok(())
}
