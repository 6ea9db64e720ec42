//! The view *Mix*, first form: the tree of buses with levels and meters, what is on the selected one, loudness.

use super::app::{App, Hit};
use super::pen::Pen;
use super::theme::Role;
use estampie_core::engine::TermKind;
use estampie_core::trace::print_value;
use ratatui::layout::Rect;

/// The ends of a level line, in dB.
const LOW: f32 = -60.0;
const HIGH: f32 = 12.0;

type Hits = Vec<(Rect, Hit)>;

/// The level at a share of the level line.
pub(crate) fn level_at(share: f32) -> f32 {
    if share <= 0.0 { f32::NEG_INFINITY } else { LOW + share * (HIGH - LOW) }
}

fn share_of(level: f32) -> f32 {
    ((level - LOW) / (HIGH - LOW)).clamp(0.0, 1.0)
}

fn print(level: f32) -> String {
    if level == f32::NEG_INFINITY { "−∞".into() } else { format!("{level:.1}").replace('-', "−") }
}

/// Where the columns stand.
struct Columns {
    name: u16,
    level: u16,
    line: Rect,
    meter: Rect,
    peak: u16,
    moved: u16,
    end: u16,
}

pub(crate) fn draw(app: &App, pen: &mut Pen<'_>, area: Rect, hits: &mut Hits) {
    let wide = area.width;
    let line = (wide / 5).clamp(18, 36);
    let meter = (wide / 5).clamp(18, 40);
    let columns = Columns {
        name: 1,
        level: 27,
        line: Rect { x: 29, y: 0, width: line, height: 1 },
        meter: Rect { x: 31 + line, y: 0, width: meter, height: 1 },
        peak: 31 + line + meter + 7,
        moved: 31 + line + meter + 9,
        end: wide - 1,
    };
    pen.heading(columns.name, area.y, 20, "Buses", "");
    pen.right(columns.level, area.y, "level dB", Role::Faded);
    let zero = columns.line.x + (share_of(0.0) * f32::from(columns.line.width - 1)).round() as u16;
    pen.text(zero, area.y, 1, "0", Role::Faded);
    pen.text(columns.meter.x, area.y, columns.meter.width, "sounding", Role::Faded);
    pen.right(columns.peak, area.y, "peak", Role::Faded);
    pen.text(columns.moved, area.y, columns.end.saturating_sub(columns.moved), "moved by the game, muted, alone", Role::Faded);
    let buses = app.program().buses.len();
    // Two lines for each bus where there is room: it reads better.
    // What the buses do not need goes to what lies below, up to half of the page.
    let below = area.height.saturating_sub(buses as u16 * 2 + 3).clamp(12.min(area.height / 3), area.height / 2);
    let rows = area.height - below - 2;
    let step = if buses as u16 * 2 <= rows { 2 } else { 1 };
    let most = usize::from(rows / step);
    let first = (app.bus + 1).saturating_sub(most);
    for (row, index) in (first..buses).take(most).enumerate() {
        let y = area.y + 2 + row as u16 * step;
        bus_line(app, pen, &columns, index, y, hits);
    }
    if buses > first + most {
        pen.text(1, area.y + 1, 40, &format!("and {} more below", buses - first - most), Role::Faded);
    }
    let foot = Rect { y: area.bottom() - below, height: below, ..area };
    pen.rule(1, foot.y, area.width - 2);
    let x = pen.text(1, foot.y + 1, area.width - 2, "◆ level you set", Role::Faded) + 3;
    let x = pen.text(x, foot.y + 1, area.width.saturating_sub(x), "◆ where the game takes it", Role::Lapis) + 3;
    let rest = "┼ 0 dB   ▎peak of the last moments   levels are saved; solo and mute are for the rehearsal only";
    pen.text(x, foot.y + 1, area.width.saturating_sub(x), rest, Role::Faded);
    let half = area.width / 2;
    on_bus(app, pen, Rect { x: 1, y: foot.y + 3, width: half - 2, height: foot.height.saturating_sub(3) });
    loudness(app, pen, Rect { x: half + 1, y: foot.y + 3, width: area.width - half - 2, height: foot.height.saturating_sub(3) });
}

fn bus_line(app: &App, pen: &mut Pen<'_>, columns: &Columns, index: usize, y: u16, hits: &mut Hits) {
    let program = app.program();
    let bus = &program.buses[index];
    let name = program.names.get(bus.key);
    let chosen = index == app.bus;
    if chosen {
        pen.select(0, y, columns.end + 1);
    }
    hits.push((Rect { x: 0, y, width: columns.end + 1, height: 1 }, Hit::Bus(index)));
    let indent = (bus.depth as u16 * 2).min(12);
    if bus.depth > 0 {
        pen.text(columns.name + indent, y, 1, "└", Role::Ghost);
    }
    pen.text(columns.name + 1 + indent + u16::from(bus.depth > 0), y, 17u16.saturating_sub(indent), name, if chosen { Role::Gold } else { Role::Vellum });
    let level = app.bus_level(name);
    pen.right(columns.level, y, &print(level), Role::Vellum);
    let line = Rect { y, ..columns.line };
    pen.rule(line.x, y, line.width);
    let at = |level: f32| line.x + (share_of(level) * f32::from(line.width - 1)).round() as u16;
    pen.text(at(0.0), y, 1, "┼", Role::Ghost);
    let now = app.rehearsal.status.as_ref().filter(|s| s.program == program.id).and_then(|s| s.buses.get(index)).copied();
    if let Some(now) = now.filter(|n| n.moved.abs() >= 0.05) {
        pen.text(at(level + now.moved), y, 1, "◆", Role::Lapis);
    }
    pen.text(at(level), y, 1, "◆", if chosen { Role::Gold } else { Role::Vellum });
    hits.push((line, Hit::Level(index)));
    let meter = Rect { y, ..columns.meter };
    let held = app.rehearsal.meters.get(&bus.key).copied();
    let share = |level: f32| ((level + 60.0) / 60.0).clamp(0.0, 1.0);
    pen.bar(meter.x, y, meter.width, held.map_or(0.0, |h| share(h.now)), Role::Gold);
    if let Some(held) = held.filter(|h| h.held > -60.0) {
        let x = meter.x + (share(held.held) * f32::from(meter.width - 1)).round() as u16;
        pen.text(x, y, 1, "▎", if held.held > -0.5 { Role::Red } else { Role::Gold });
        pen.right(columns.peak, y, &print(held.held), Role::Vellum);
    } else {
        pen.right(columns.peak, y, "−∞", Role::Faded);
    }
    let mut x = columns.moved;
    let mut say = |pen: &mut Pen<'_>, text: &str, role: Role| x = pen.text(x, y, columns.end.saturating_sub(x), text, role) + 2;
    if app.rehearsal.muted.contains(&bus.key) {
        say(pen, "muted", Role::Red);
    }
    if app.rehearsal.soloed.contains(&bus.key) {
        say(pen, "alone", Role::Red);
    }
    for modulation in &bus.modulations {
        let parameter = program.names.get(program.parameters[program.modulations[*modulation as usize].parameter].key);
        let value =
            app.rehearsal.status.as_ref().filter(|s| s.program == program.id).and_then(|s| s.modulations.get(*modulation as usize)).copied().unwrap_or(0.0);
        say(pen, &format!("{parameter} ⟶ {} dB", print_value(value)), Role::Lapis);
    }
}

/// What sounds on the selected bus and on those that run into it.
fn on_bus(app: &App, pen: &mut Pen<'_>, area: Rect) {
    let Some(bus) = app.program().buses.get(app.bus) else { return };
    let name = app.program().names.get(bus.key);
    let voices: Vec<_> = app
        .sounding()
        .into_iter()
        .filter(|v| app.rehearsal.status.as_ref().is_some_and(|s| s.terms_of(v).iter().any(|t| t.kind == TermKind::Bus && t.of == bus.key)))
        .collect();
    pen.heading(area.x, area.y, area.width, &format!("On {name}"), &format!("{} now, loudest first", voices.len()));
    if voices.is_empty() {
        pen.text(area.x + 1, area.y + 1, area.width - 1, "nothing sounds on it", Role::Faded);
    }
    for (row, voice) in voices.iter().take(usize::from(area.height.saturating_sub(1))).enumerate() {
        let y = area.y + 1 + row as u16;
        pen.right(area.x + 7, y, &print(voice.heard), Role::Vellum);
        pen.bar(area.x + 9, y, 12, (voice.heard + 60.0) / 60.0, Role::Gold);
        pen.text(area.x + 23, y, area.width.saturating_sub(24), app.rehearsal.names.get(voice.sound), Role::Vellum);
    }
}

fn loudness(app: &App, pen: &mut Pen<'_>, area: Rect) {
    let now = app.rehearsal.player.loudness();
    pen.heading(area.x, area.y, area.width, "Loudness", "short-term of the last 30 s, −50 to −5 LUFS");
    let plot = Rect { x: area.x, y: area.y + 1, width: area.width, height: area.height.saturating_sub(3) };
    let count = now.history.len();
    let points: Vec<(f64, f64)> = now
        .history
        .iter()
        .enumerate()
        .map(|(at, level)| (1.0 - (count - 1 - at) as f64 / 300.0, f64::from((level + 50.0) / 45.0)))
        .filter(|(_, y)| (0.0..=1.0).contains(y))
        .collect();
    pen.plot(plot, &points, Role::Gold);
    let show = |value: f64| if value.is_finite() && value > -100.0 { format!("{value:.1}").replace('-', "−") } else { "−∞".into() };
    let y = area.bottom().saturating_sub(2);
    let numbers = format!("momentary {}   short-term {}   whole {} LUFS", show(now.momentary), show(now.short_term), show(now.integrated));
    pen.text(area.x, y, area.width, &numbers, Role::Vellum);
    pen.text(area.x, y + 1, area.width, &format!("range {:.1} LU   true peak {} dBTP", now.range, show(now.true_peak)), Role::Faded);
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_level_and_its_place_on_the_line_undo_each_other() {
        for level in [-59.9f32, -30.0, -6.0, 0.0, 6.0, 12.0] {
            assert!((level_at(share_of(level)) - level).abs() < 1e-3, "{level}");
        }
        assert_eq!(level_at(0.0), f32::NEG_INFINITY, "the left end is silence");
        assert_eq!((share_of(f32::NEG_INFINITY), share_of(99.0)), (0.0, 1.0));
        assert_eq!((print(f32::NEG_INFINITY).as_str(), print(-6.04).as_str()), ("−∞", "−6.0"));
    }
}
