//! The picture of an effect: its curve, strokes or falls, and the points in it that the mouse takes hold of.

use super::super::app::App;
use super::super::axes::Axes;
use super::super::painter::Painter;
use super::super::theme::Role;
use super::super::view::{Clicks, Targets};
use super::effect_values::values_set;
use super::{Focus, rounded};
use estampie_engine::dsp::effects::{Kind, Picture, Setting};
use estampie_engine::property::Unit;
use ratatui::layout::Rect;
use std::rc::Rc;

/// The levels that a picture of levels goes from and to, in dB.
const LOUD: (f32, f32) = (-60.0, 0.0);
/// How much an eq raises or lowers, in dB.
const RAISED: (f32, f32) = (-24.0, 24.0);
/// What can be heard, in Hz.
const HEARD: (f32, f32) = (20.0, 20_000.0);

/// The axes of an effect's picture.
fn axes_of(picture: Picture, values: &[f32]) -> Axes {
    let plain = |end: f32| Axes::plain((0.0, end), LOUD);
    match picture {
        Picture::Frequency(_) => Axes { x: HEARD, y: RAISED, by_octaves: true },
        Picture::Transfer(_) => Axes { x: LOUD, ..plain(0.0) },
        Picture::Strokes(of) => plain(of(values, tempo_of(values)).last().map_or(1.0, |(at, _)| *at * 1.05)),
        Picture::Decay(of) => {
            let (begins, falls) = of(values);
            plain(begins + falls.iter().fold(0.1f32, |most, t| most.max(*t)))
        }
    }
}

/// By the beat it is drawn in beats: how long one takes changes with the music.
fn tempo_of(values: &[f32]) -> f32 {
    if values.get(1).is_some_and(|beats| *beats > 0.0) { 1.0 } else { 0.0 }
}

/// The picture: a click takes the nearest point, which is dragged from then on.
#[derive(Debug, Clone, Copy)]
struct Hold;

impl Clicks for Hold {
    fn click(&self, app: &mut App, area: Rect, at: (u16, u16)) {
        let Some((kind, picture, values)) = app.pictured() else { return };
        let axes = axes_of(picture, &values);
        let cells = kind.grips.iter().map(|grip| axes.cell(area, (grip.at)(&values))).enumerate();
        let near = cells.map(|(n, (x, y))| (n, u32::from(x.abs_diff(at.0)) + 2 * u32::from(y.abs_diff(at.1)))).min_by_key(|(_, off)| *off);
        if let Some((grip, _)) = near.filter(|(_, off)| *off <= NEAR) {
            let setting = kind.grips[grip].setting;
            (app.mix.focus, app.mix.setting) = (Focus::Effect, setting);
            // As it stands now: an axis that moved along would run away from the hand.
            app.mix.held = Some((grip, axes));
            app.dragging = Some((Rc::new(*self), area));
        }
    }

    fn drag(&self, app: &mut App, area: Rect, at: (u16, u16)) -> bool {
        let Some((grip, axes)) = app.mix.held else { return false };
        app.drag_grip(grip, axes.at(area, at));
        true
    }
}

/// So many columns off a point is still taken; a row counts as two.
const NEAR: u32 = 5;

/// A value as somebody would type it.
fn tidy(setting: &Setting, value: f32) -> f32 {
    let tidy = match setting.unit {
        Unit::Decibels => (value * 10.0).round() / 10.0,
        Unit::Share => (value * 100.0).round() / 100.0,
        _ => rounded(value),
    };
    tidy.clamp(setting.low, setting.high)
}

impl App {
    /// The chosen effect's kind, its picture, and the values of its settings as the project sets them.
    fn pictured(&self) -> Option<(&'static Kind, Picture, [f32; estampie_engine::dsp::effects::MOST_SETTINGS])> {
        let bus = self.bus_name(self.bus)?;
        let (effect, kind) = self.effect_doc()?;
        Some((kind, kind.picture?, values_set(self, &bus, &effect.name, kind)?))
    }

    /// Moves a point of the picture to a place: sets what that takes, in the mix or in the snapshot that is edited.
    pub(crate) fn drag_grip(&mut self, grip: usize, place: (f32, f32)) {
        let (Some((kind, _, values)), Some(bus)) = (self.pictured(), self.bus_name(self.bus)) else { return };
        let Some(name) = self.effect_doc().map(|(effect, _)| effect.name.clone()) else { return };
        let next = kind.moved(&values, &kind.grips[grip], place);
        let moved: Vec<(&str, String)> = kind
            .settings
            .iter()
            .zip(next.iter().zip(&values))
            .filter(|(setting, (next, before))| tidy(setting, **next) != tidy(setting, **before))
            .map(|(setting, (next, _))| (setting.word, setting.unit.print(tidy(setting, *next))))
            .collect();
        if moved.is_empty() {
            return;
        }
        let done = match self.mix.target.clone() {
            Some(snapshot) => {
                let held: Vec<(String, String)> = moved.iter().map(|(word, text)| (format!("bus {bus} {name} {word}"), format!("to {text}"))).collect();
                self.workspace.shape_held(&snapshot, &held)
            }
            None => self.workspace.shape_effect(&bus, &name, &moved),
        };
        self.edited(done);
    }
}

/// The point that is for the settings of one band: those whose words begin alike.
fn alike(kind: &Kind, setting: usize) -> Option<usize> {
    let band = |at: usize| kind.settings.get(at).and_then(|s| s.word.rsplit_once('-')).map(|(band, _)| band);
    let wanted = band(setting)?;
    kind.grips.iter().position(|g| band(g.setting) == Some(wanted))
}

/// Draws it with its ends below.
pub(super) fn draw(app: &App, painter: &mut Painter<'_>, plot: Rect, (kind, picture): (&Kind, Picture), values: &[f32], targets: &mut Targets) {
    if plot.width < 4 || plot.height < 3 {
        return;
    }
    let held = app.mix.held.filter(|_| app.dragging.is_some());
    let axes = held.map_or_else(|| axes_of(picture, values), |(_, axes)| axes);
    let rate = app.program().rate;
    let steps = usize::from(plot.width) * 2;
    let along = || (0..=steps).map(|step| axes.place((step as f32 / steps as f32, 0.0)).0);
    let inside = |place: (f32, f32)| {
        let (x, y) = axes.shares(place);
        ((0.0..=1.0).contains(&x) && (0.0..=1.0).contains(&y)).then_some((x, y))
    };
    let rows = usize::from(plot.height) * 4;
    match picture {
        Picture::Frequency(of) => {
            let middle = plot.y + plot.height / 2;
            painter.text(plot.x, middle, plot.width, &"·".repeat(usize::from(plot.width)), Role::Rule);
            let points: Vec<_> = along().filter_map(|hz| inside((hz, of(values, hz, rate)))).collect();
            painter.plot(plot, &points, Role::Active);
        }
        Picture::Transfer(of) => {
            let same: Vec<_> = along().step_by(4).filter_map(|level| inside((level, level))).collect();
            let points: Vec<_> = along().filter_map(|level| inside((level, of(values, level)))).collect();
            painter.plots(plot, &[(&same, Role::Rule), (&points, Role::Active)]);
        }
        Picture::Strokes(of) => {
            let strokes = of(values, tempo_of(values));
            let upright = |(at, level): &(f32, f32)| {
                let (at, level) = (*at, *level);
                (0..=rows).map(move |row| (at, LOUD.0 + (level - LOUD.0) * row as f32 / rows as f32))
            };
            let points: Vec<_> = strokes.iter().flat_map(upright).filter_map(inside).collect();
            painter.plot(plot, &points, Role::Active);
        }
        Picture::Decay(of) => {
            let (begins, falls) = of(values);
            // Along the fall, so that a steep line is as close as a gentle one.
            let line = |fall: f32| {
                (0..=rows).filter_map(|row| inside((begins + fall * row as f32 / rows as f32, LOUD.0 * row as f32 / rows as f32))).collect::<Vec<_>>()
            };
            let [low, middle, high] = falls.map(line);
            let named = [("low", low, Role::Secondary), ("high", high, Role::Text), ("middle", middle, Role::Active)];
            painter.plots(plot, &[(&named[0].1, named[0].2), (&named[1].1, named[1].2), (&named[2].1, named[2].2)]);
            // They fall from the left: at the right of the first rows there is room.
            for (row, (name, _, role)) in named.iter().enumerate().take(usize::from(plot.height)) {
                painter.right(plot.right(), plot.y + row as u16, name, *role);
            }
        }
    }
    // The curve is that of what the game and snapshots make of it; the points are where it is set.
    let set = app.pictured().map_or_else(Vec::new, |(_, _, set)| set.to_vec());
    let chosen = app.mix.focus == Focus::Effect;
    let held = kind.grips.iter().position(|g| g.setting == app.mix.setting).or_else(|| alike(kind, app.mix.setting));
    for (n, grip) in kind.grips.iter().enumerate().filter(|_| !set.is_empty()) {
        let (x, y) = axes.cell(plot, (grip.at)(&set));
        let chosen = chosen && held == Some(n);
        painter.text(x, y, 1, if chosen { "◆" } else { "●" }, if chosen { Role::Active } else { Role::Text });
    }
    targets.push((plot, Rc::new(Hold)));
    let (low, high) = match picture {
        Picture::Frequency(_) => ("20 Hz".to_owned(), "20 kHz".to_owned()),
        Picture::Transfer(_) => ("−60 dB".to_owned(), "0 dB".to_owned()),
        Picture::Strokes(_) if tempo_of(values) > 0.0 => ("0".to_owned(), format!("{:.1} beats", axes.x.1)),
        Picture::Strokes(_) | Picture::Decay(_) => ("0".to_owned(), format!("{:.1} s", axes.x.1)),
    };
    painter.text(plot.x, plot.bottom(), 10, &low, Role::Secondary);
    painter.right(plot.right(), plot.bottom(), &high, Role::Secondary);
    if matches!(picture, Picture::Frequency(_)) && plot.width >= 40 {
        for hz in [100.0, 1_000.0] {
            let (x, _) = axes.cell(plot, (hz, 0.0));
            painter.text(x, plot.bottom(), 8, &Unit::Hertz.print(hz), Role::Secondary);
        }
        painter.text(plot.x, plot.y, 7, "+24 dB", Role::Secondary);
        painter.text(plot.x, plot.bottom() - 1, 7, "−24 dB", Role::Secondary);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use estampie_engine::dsp::effects::KINDS;

    #[test]
    fn a_cell_and_its_place_undo_each_other() {
        let area = Rect { x: 7, y: 3, width: 61, height: 21 };
        for kind in KINDS.iter().filter(|k| k.picture.is_some()) {
            let values: Vec<f32> = kind.settings.iter().map(|s| s.rest).collect();
            let axes = axes_of(kind.picture.unwrap(), &values);
            for cell in [(7, 3), (30, 12), (67, 23)] {
                assert_eq!(axes.cell(area, axes.at(area, cell)), cell, "{}", kind.word);
            }
            // What lies beyond the ends lies at them.
            assert_eq!(axes.cell(area, (1e9, 1e9)), (67, 3));
        }
    }
}
