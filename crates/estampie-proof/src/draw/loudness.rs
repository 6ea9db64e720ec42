//! The loudness of every playthrough over time, with what was meant.

use super::{Ink, Panel};
use crate::cores::on_all_cores;
use crate::measure::Meter;
use crate::offline::Rendering;
use estampie_engine::program::Program;
use estampie_engine::units::Seconds;
use estampie_project::document::Document;
use estampie_project::language::Playthrough;
use std::sync::Arc;

/// Quieter than this is not drawn, in LUFS.
const FLOOR: f64 = -60.0;

/// A panel for each playthrough: short-term loudness (EBU R 128) over time, the integrated one as a level line, and the loudness that the project means
/// to have. Those that were found by exploring are left out.
#[must_use]
pub fn loudness(program: &Arc<Program>, document: &Document) -> Vec<Panel> {
    let own: Vec<(String, Arc<Playthrough>)> = document.playthroughs.iter().filter(|(name, _)| !name.starts_with(crate::explore::FOUND)).cloned().collect();
    let target = document.manifest.target_lufs;
    on_all_cores(
        &own,
        |(name, playthrough)| {
            let mut meter = Meter::new(2, program.rate).ok();
            let mut rendering = Rendering::new(program, playthrough, None, Seconds(0.0));
            let (mut part, mut line, mut seconds) = (Vec::new(), Vec::new(), playthrough.heard_from().0);
            while rendering.left() > 0 {
                rendering.next(u64::from(program.rate) / 10, &mut part, |_| {});
                seconds += part.len() as f64 / 2.0 / f64::from(program.rate);
                if let Some(meter) = &mut meter {
                    meter.add(&part);
                    line.push((seconds, meter.reading().short_term.max(FLOOR)));
                }
            }
            let whole = meter.map(|m| m.reading());
            let integrated = whole.as_ref().map_or(f64::NEG_INFINITY, |r| r.integrated);
            let peak = whole.as_ref().map_or(f64::NEG_INFINITY, |r| r.true_peak);
            let from = playthrough.heard_from().0;
            let mut further = vec![(Ink::New, vec![(from, integrated.max(FLOOR)), (seconds, integrated.max(FLOOR))])];
            if let Some(target) = target {
                further.push((Ink::Old, vec![(from, f64::from(target)), (seconds, f64::from(target))]));
            }
            Panel {
                title: format!("{name}: {integrated:.1} LUFS, {peak:.1} dBTP"),
                x: (from, seconds.max(from + 0.1)),
                y: (FLOOR, 0.0),
                x_label: "s".into(),
                y_label: "short-term, LUFS".into(),
                line,
                points: Vec::new(),
                further,
            }
        },
        |_| true,
    )
}
