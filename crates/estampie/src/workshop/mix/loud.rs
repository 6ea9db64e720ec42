//! Loudness: the output with its target, and the chosen bus with its spectrum.

use super::super::app::App;
use super::super::painter::{Painter, print_level};
use super::super::theme::Role;
use crate::player::HISTORY;
use estampie_project::document::TARGET_WITHIN;
use estampie_proof::measure::{BANDS, Reading};
use estampie_proof::trace::kept::Track;
use ratatui::layout::Rect;

/// The ends of the history, in LUFS.
const QUIET: f64 = -50.0;
const LOUD: f64 = -5.0;
/// The lower end of the spectrum, in dB; the upper is 0.
const FLOOR: f32 = -90.0;
/// Rows of what is said of the chosen bus: a heading, three lines, the spectrum and its axis.
const SPECTRUM: u16 = 4;
const BUS: u16 = 5 + SPECTRUM;

pub(super) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect) {
    if let Some(frame) = app.rehearsal.back() {
        return draw_then(app, painter, area, frame);
    }
    let now = app.rehearsal.player.loudness();
    let bus = app.bus_name(app.bus).filter(|_| app.bus > 0);
    // The chosen bus takes its part when enough is left for the history.
    let below = if bus.is_some() && area.height >= BUS + 8 { BUS } else { 0 };
    let above = Rect { height: area.height - below, ..area };
    let target = app.document().manifest.target_lufs;
    let aside = match target {
        Some(target) => format!("30 s, target {} ± {TARGET_WITHIN} LUFS", print_level(f64::from(target))),
        None => "short-term of 30 s; T sets a target".to_owned(),
    };
    painter.heading(area.x, area.y, area.width, "Loudness", &aside);
    let plot = Rect { y: area.y + 1, height: above.height.saturating_sub(4), ..area };
    let share = |level: f64| (level - QUIET) / (LOUD - QUIET);
    let count = now.history.len();
    let points: Vec<(f64, f64)> = now
        .history
        .iter()
        .enumerate()
        .map(|(at, level)| (1.0 - (count - 1 - at) as f64 / HISTORY as f64, share(f64::from(*level))))
        .filter(|(_, y)| (0.0..=1.0).contains(y))
        .collect();
    let steps = usize::from(plot.width);
    let wanted = target.map(|t| share(f64::from(t))).filter(|y| (0.0..=1.0).contains(y));
    let line: Vec<(f64, f64)> = wanted.into_iter().flat_map(|y| (0..steps).map(move |x| ((x as f64 + 0.5) / steps as f64, y))).collect();
    painter.plots(plot, &[(&line, Role::Accent), (&points, Role::Active)]);
    let y = above.bottom().saturating_sub(3);
    let output = &now.output;
    let room = |from: u16| (area.x + area.width).saturating_sub(from);
    let text = format!("momentary {}   short-term {}   range {:.1} LU", print_level(output.momentary), print_level(output.short_term), output.range);
    painter.text(area.x, y, area.width, &text, Role::Text);
    let apart = target.filter(|_| output.integrated.is_finite()).map(|t| output.integrated - f64::from(t));
    let there = apart.is_none_or(|a| a.abs() <= f64::from(TARGET_WITHIN));
    let end =
        painter.text(area.x, y + 1, area.width, &format!("integrated {} LUFS", print_level(output.integrated)), if there { Role::Text } else { Role::Accent });
    let end = match apart {
        Some(_) if there => painter.text(end, y + 1, room(end), ", on target", Role::Good),
        Some(apart) => painter.text(end, y + 1, room(end), &format!(", {:.1} {}", apart.abs(), if apart > 0.0 { "over" } else { "under" }), Role::Accent),
        None => end,
    };
    painter.text(end + 2, y + 1, room(end + 2), &format!("peak {} dBTP", print_level(output.true_peak)), Role::Secondary);
    match (bus, below) {
        (Some(bus), BUS) => on_bus(painter, Rect { y: above.bottom(), height: below, ..area }, &bus, &now.bus),
        (Some(bus), _) => {
            painter.text(
                area.x,
                y + 2,
                area.width,
                &format!("on {bus}: short-term {} LUFS, true peak {}", print_level(now.bus.short_term), print_level(now.bus.true_peak)),
                Role::Secondary,
            );
        }
        (None, _) => {
            painter.text(area.x, y + 2, area.width, &heard_of(output), Role::Secondary);
        }
    }
}

/// Of an earlier moment what was kept of it: short-term loudness up to then, and the peak.
fn draw_then(app: &App, painter: &mut Painter<'_>, area: Rect, frame: u64) {
    let kept = app.rehearsal.kept();
    painter.heading(area.x, area.y, area.width, "Loudness then", "short-term of the 30 s before");
    let plot = Rect { y: area.y + 1, height: area.height.saturating_sub(4), ..area };
    let long = f64::from(app.program().rate) * 30.0;
    let from = frame.saturating_sub(long as u64);
    let share = |level: f32| (f64::from(level) - QUIET) / (LOUD - QUIET);
    let values = kept.values(Track::Loudness, from, frame);
    let points: Vec<(f64, f64)> = values
        .map(|(at, level)| (1.0 - (frame as f64 - at as f64) / long, share(level)))
        .filter(|(x, y)| (0.0..=1.0).contains(x) && (0.0..=1.0).contains(y))
        .collect();
    painter.plots(plot, &[(&points, Role::Active)]);
    let at = |track| kept.value(track, frame).map_or(f64::NEG_INFINITY, f64::from);
    let y = area.bottom().saturating_sub(3);
    let text = format!("short-term {} LUFS   peak {} dB", print_level(at(Track::Loudness)), print_level(at(Track::Output)));
    painter.text(area.x, y, area.width, &text, Role::Text);
    painter.text(area.x, y + 1, area.width, "the rest is measured of the present alone", Role::Secondary);
}

fn heard_of(reading: &Reading) -> String {
    let alike = reading.correlation.map_or("none".to_owned(), |c| format!("{c:+.2}").replace('-', "−"));
    format!("peak {} dB   RMS {} dB   correlation {alike}", print_level(reading.sample_peak), print_level(reading.rms))
}

/// What one bus is like since it was chosen.
fn on_bus(painter: &mut Painter<'_>, area: Rect, bus: &str, reading: &Reading) {
    painter.heading(area.x, area.y, area.width, &format!("On {bus}"), "since it was chosen");
    let lines = [
        format!("momentary {}   short-term {}   range {:.1} LU", print_level(reading.momentary), print_level(reading.short_term), reading.range),
        format!("integrated {} LUFS   true peak {} dBTP", print_level(reading.integrated), print_level(reading.true_peak)),
        heard_of(reading),
    ];
    for (row, line) in lines.iter().enumerate() {
        painter.text(area.x, area.y + 1 + row as u16, area.width, line, if row == 0 { Role::Text } else { Role::Secondary });
    }
    let plot = Rect { y: area.y + 4, height: SPECTRUM, ..area };
    let wide = usize::from(plot.width).max(1);
    // The greatest of the bands that a column stands for.
    let shares: Vec<f32> = (0..wide)
        .map(|x| {
            let (first, last) = (x * BANDS / wide, ((x + 1) * BANDS).div_ceil(wide).min(BANDS));
            let level = reading.spectrum[first..last.max(first + 1)].iter().fold(f32::NEG_INFINITY, |l, b| l.max(*b));
            ((level - FLOOR) / -FLOOR).clamp(0.0, 1.0)
        })
        .collect();
    painter.columns(plot, &shares, Role::FromGame);
    let y = plot.bottom();
    painter.text(area.x, y, 12, "20 Hz", Role::Secondary);
    // 632 Hz is in the middle of three decades.
    painter.text(area.x + (area.width / 2).saturating_sub(3), y, 12, "630 Hz", Role::Secondary);
    painter.right(area.x + area.width, y, "20 kHz", Role::Secondary);
}
