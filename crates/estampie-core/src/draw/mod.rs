//! Drawings for the team, as SVG or PDF: the project's curves, and the ways between sections as they sound.
//!
//! One drawing, two backends: SVG by the plotting package, PDF by [`pdf`], which needs no font files because every reader
//! of PDF has Helvetica.

mod curves;
mod pdf;
mod seams;

pub use curves::{Ink, Panel, curves};
pub use seams::seams;

use plotters::coord::Shift;
use plotters::prelude::*;

/// A drawing could not be made.
#[derive(Debug, thiserror::Error)]
#[error("the drawing failed: {0}")]
pub struct DrawError(String);

fn failed(error: impl std::fmt::Display) -> DrawError {
    DrawError(error.to_string())
}

/// Width of a panel and height of a panel, in points.
const PANEL: (u32, u32) = (400, 260);
/// Panels beside each other.
const COLUMNS: usize = 3;

fn size(panels: usize) -> (u32, u32) {
    let rows = panels.div_ceil(COLUMNS).max(1) as u32;
    (PANEL.0 * COLUMNS as u32, PANEL.1 * rows + 50)
}

/// Draws panels below a title as SVG.
///
/// # Errors
/// When the package that draws refuses.
pub fn svg(title: &str, panels: &[Panel]) -> Result<String, DrawError> {
    let mut text = String::new();
    {
        let area = SVGBackend::with_string(&mut text, size(panels.len())).into_drawing_area();
        draw(&area, title, panels)?;
    }
    Ok(text)
}

/// Draws panels below a title as PDF of one page.
///
/// # Errors
/// When the package that draws refuses.
pub fn pdf(title: &str, panels: &[Panel]) -> Result<Vec<u8>, DrawError> {
    let (width, height) = size(panels.len());
    let sheet = std::rc::Rc::new(std::cell::RefCell::new(pdf::Sheet::new(width, height)));
    {
        let area = pdf::PdfBackend(std::rc::Rc::clone(&sheet)).into_drawing_area();
        draw(&area, title, panels)?;
    }
    let sheet = std::rc::Rc::try_unwrap(sheet).map_err(|_| failed("the page is still being drawn"))?;
    Ok(sheet.into_inner().finish())
}

fn draw<B: DrawingBackend>(area: &DrawingArea<B, Shift>, title: &str, panels: &[Panel]) -> Result<(), DrawError>
where
    B::ErrorType: 'static,
{
    area.fill(&WHITE).map_err(failed)?;
    area.draw_text(title, &TextStyle::from(("sans-serif", 22).into_font()), (20, 14)).map_err(failed)?;
    let (_, below) = area.split_vertically(50);
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
    area.present().map_err(failed)
}
