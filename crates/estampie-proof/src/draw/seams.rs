//! The proof sheet: every way between the sections of every piece, as it sounds.

use super::curves::{Ink, Panel};
use crate::check::{Seam, transitions};
use estampie_engine::index::SectionIndex;
use estampie_engine::program::Program;
use estampie_project::document::SILENCE;
use std::sync::Arc;

/// Columns of a wave.
const COLUMNS: usize = 300;

/// The outline of a wave: its greatest amplitudes along the upper edge and back along the lower.
fn outline(samples: &[f32], rate: f64) -> Vec<(f64, f64)> {
    let count = samples.len().max(1);
    let peak = |column: usize| {
        let range = column * count / COLUMNS..((column + 1) * count / COLUMNS).min(samples.len());
        samples[range.start.min(range.end)..range.end].iter().fold(0.0f32, |p, s| p.max(s.abs()))
    };
    let x = |column: usize| (column as f64 + 0.5) / COLUMNS as f64 * count as f64 / rate;
    let upper = (0..COLUMNS).map(|c| (x(c), f64::from(peak(c))));
    let lower = (0..COLUMNS).rev().map(|c| (x(c), f64::from(-peak(c))));
    upper.chain(lower).collect()
}

fn panel(program: &Program, seam: &Seam) -> Panel {
    let rate = f64::from(program.rate);
    let piece = &program.music.pieces[seam.piece];
    let name = |section: Option<SectionIndex>| section.map_or(SILENCE, |s| program.names.get(piece.sections[s].key));
    let new: Vec<f32> = seam.samples[0].iter().zip(&seam.old).map(|(all, old)| all - old).collect();
    let peak = seam.samples[0].iter().fold(0.05f32, |p, s| p.max(s.abs()));
    let high = f64::from(peak) * 1.05;
    let upright = |frame: usize| vec![(frame as f64 / rate, -high), (frame as f64 / rate, high)];
    let mut further: Vec<(Ink, Vec<(f64, f64)>)> = seam.bars.iter().map(|b| (Ink::Bar, upright(*b))).collect();
    further.push((Ink::Old, outline(&seam.old, rate)));
    further.push((Ink::New, outline(&new, rate)));
    further.push((Ink::Seam, upright(seam.leaves)));
    if seam.arrives != seam.leaves {
        further.push((Ink::Seam, upright(seam.arrives)));
    }
    let problems = if seam.problems.is_empty() { "nothing found".to_owned() } else { format!("{} found", seam.problems.len()) };
    let step = if seam.step_db > -200.0 { format!("step {:.0} dB, ", seam.step_db) } else { String::new() };
    Panel {
        title: format!("{}: {} to {}", program.names.get(piece.key), name(Some(seam.from)), name(seam.to)),
        x: (0.0, seam.samples[0].len() as f64 / rate),
        y: (-high, high),
        x_label: format!("seconds; {step}{:.1} to {:.1} LUFS, {problems}", seam.loudness.0, seam.loudness.1),
        y_label: "old grey, new gold".into(),
        line: Vec::new(),
        points: Vec::new(),
        further,
    }
}

/// A panel for every written way, asked for in the first bar.
#[must_use]
pub fn seams(program: &Arc<Program>) -> Vec<Panel> {
    let mut list = Vec::new();
    transitions(program, |seam| {
        if seam.asked_in == 0 {
            list.push(panel(program, seam));
        }
        true
    });
    list
}
