//! Drawing a take that is made: its controls, what is drawn of it, its resonances, and twenty playings.

use super::super::app::App;
use super::super::axes::Axes;
use super::super::keys::Do;
use super::super::painter::Painter;
use super::super::theme::Role;
use super::super::view::{Clicks, Targets};
use super::draw_tune;
use super::made::{Focus, Made, PLAYINGS, instrument_of};
use super::takes_of;
use estampie_engine::curve::Curve;
use estampie_engine::dsp::effects::Setting;
use estampie_engine::dsp::generators::{Form, GeneratorKind, MOST_CONTROLS, along};
use estampie_engine::property::Unit;
use estampie_project::document::GeneratorDoc;
use estampie_proof::spectrogram::{HIGHEST, LOWEST};
use ratatui::layout::Rect;
use std::rc::Rc;

/// A line of the controls: a click chooses it, on its bar it is set there.
#[derive(Debug, Clone, Copy)]
struct ControlLine {
    at: usize,
    /// Where its bar is.
    bar: (u16, u16),
}

impl ControlLine {
    fn share(self, x: u16) -> f32 {
        (f32::from(x.saturating_sub(self.bar.0)) + 0.5) / f32::from(self.bar.1.max(1))
    }
}

impl Clicks for ControlLine {
    fn click(&self, app: &mut App, area: Rect, (x, _): (u16, u16)) {
        let Some(made) = &mut app.sounds.made else { return };
        let again = made.focus == Focus::Control(self.at);
        made.focus = Focus::Control(self.at);
        let Some((_, kind)) = app.sounds.made.as_ref().and_then(|m| m.doc(app)) else { return };
        let on_bar = x >= self.bar.0 && x < self.bar.0 + self.bar.1 && !matches!(kind.settings[self.at].unit, Unit::Choice(_));
        if on_bar {
            app.set_control(kind, self.at, valued(&kind.settings[self.at], self.share(x)));
            app.dragging = Some((Rc::new(*self), area));
        } else if again {
            app.act(Do::Edit);
        }
    }

    fn drag(&self, app: &mut App, _area: Rect, (x, _): (u16, u16)) -> bool {
        let Some((_, kind)) = app.sounds.made.as_ref().and_then(|m| m.doc(app)) else { return false };
        let x = x.clamp(self.bar.0, self.bar.0 + self.bar.1.saturating_sub(1));
        app.set_control(kind, self.at, valued(&kind.settings[self.at], self.share(x)));
        true
    }
}

/// The picture of a drawing: a click takes the nearest point, which is dragged from then on; a step of a pattern goes on to what it can be next.
#[derive(Debug, Clone, Copy)]
struct DrawingClick {
    drawing: usize,
    axes: Axes,
    /// The point that is held.
    point: Option<usize>,
}

impl Clicks for DrawingClick {
    fn click(&self, app: &mut App, area: Rect, at: (u16, u16)) {
        let Some((_, kind)) = app.sounds.made.as_ref().and_then(|m| m.doc(app)) else { return };
        let Some(curves) = app.drawn(kind, self.drawing) else { return };
        let form = kind.drawings[self.drawing].form;
        let cells = places(form, &curves).into_iter().map(|place| self.axes.cell(area, place)).enumerate();
        let near = cells
            .map(|(n, (x, y))| (n, u32::from(x.abs_diff(at.0)) + if form == Form::Steps { 0 } else { 2 * u32::from(y.abs_diff(at.1)) }))
            .min_by_key(|(_, off)| *off);
        let Some((point, _)) = near.filter(|(_, off)| *off <= 6) else { return };
        if let Some(made) = &mut app.sounds.made {
            made.focus = Focus::Point(self.drawing, point);
        }
        if form == Form::Steps {
            return app.go_made(-1);
        }
        app.dragging = Some((Rc::new(DrawingClick { point: Some(point), ..*self }), area));
    }

    fn drag(&self, app: &mut App, area: Rect, at: (u16, u16)) -> bool {
        let (Some(point), Some((_, kind))) = (self.point, app.sounds.made.as_ref().and_then(|m| m.doc(app))) else { return false };
        app.put_point(kind, self.drawing, point, self.axes.at(area, at));
        true
    }
}

/// The places of a drawing's points, in the units of its picture.
fn places(form: Form, curves: &[Curve]) -> Vec<(f32, f32)> {
    match (form, curves) {
        (Form::Path, [right, ahead]) => right.points().iter().zip(ahead.points()).map(|(r, a)| (r.y, a.y)).collect(),
        (_, [curve, ..]) => curve.points().iter().map(|p| (p.x, p.y)).collect(),
        _ => Vec::new(),
    }
}

/// The share of its range that a value is, by octaves where it moves so.
fn share_of(setting: &Setting, value: f32) -> f32 {
    if setting.by_octaves() {
        (value / setting.low).ln() / (setting.high / setting.low).ln()
    } else {
        (value - setting.low) / (setting.high - setting.low).max(1e-6)
    }
}

fn valued(setting: &Setting, share: f32) -> f32 {
    let share = share.clamp(0.0, 1.0);
    if setting.by_octaves() { setting.low * (setting.high / setting.low).powf(share) } else { setting.low + (setting.high - setting.low) * share }
}

pub(super) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, made: &Made, targets: &mut Targets) {
    let Some((doc, kind)) = made.doc(app) else { return };
    let values = doc.values(kind);
    let gold = painter.style(Role::Active).add_modifier(ratatui::style::Modifier::BOLD);
    let x = painter.put(area.x, area.y, area.width, &made.name, gold) + 2;
    let preset = doc.preset.as_ref().map_or_else(String::new, |p| format!(", {}", p.value));
    let x = painter.text(x, area.y, area.right().saturating_sub(x), &format!("generator: {}{preset}", kind.word), Role::Text) + 2;
    let count = app.sound().map_or(0, |s| takes_of(s).len());
    let aside = format!("take {} of {count} of {}", made.take + 1, made.sound);
    if x + (aside.chars().count() as u16) < area.right() {
        painter.right(area.right(), area.y, &aside, Role::Secondary);
    }
    let strip_tall = if area.height >= 30 { 6 } else { 0 };
    let columns = if area.width >= 84 && kind.settings.len() > 12 { 2 } else { 1 };
    let lines = (kind.settings.len() as u16).div_ceil(columns) + 1;
    let spare = area.height.saturating_sub(2 + lines + 1 + if strip_tall > 0 { strip_tall + 1 } else { 0 });
    let on_drawing = matches!(made.focus, Focus::Point(..));
    let steps = kind.drawings.iter().all(|d| d.form == Form::Steps) && !kind.drawings.is_empty();
    let tall = match spare {
        // Where there is no room for both, the picture is there while it is worked at.
        0..7 if on_drawing => area.height.saturating_sub(3),
        0..7 => 0,
        _ if steps => 3,
        // As many rows as the tune goes through, and some for where it may go.
        spare if kind.plays() => spare.min(draw_tune::rows(&doc.curves(kind), &values)),
        spare => spare.min(22),
    };
    let mut y = area.y + 2;
    if tall >= 3 {
        let picture = Rect { y, height: tall, ..area };
        pictures(app, painter, picture, made, (doc, kind, &values), targets);
        y = picture.bottom() + 1;
        // A pattern or a tune needs little: what is left shows the spectrum.
        let left = spare.saturating_sub(tall + 1).min(12);
        if (steps || kind.plays()) && left >= 5 {
            spectrum(painter, Rect { y, height: left, ..area }, made);
            y += left + 1;
        }
    }
    let table = Rect { y, height: area.bottom().saturating_sub(y + if strip_tall > 0 { strip_tall + 1 } else { 0 }), ..area };
    if table.height >= 2 {
        controls(app, painter, table, made, (doc, kind, &values), columns, targets);
    }
    if strip_tall > 0 {
        strip(painter, Rect { y: area.bottom() - strip_tall, height: strip_tall, ..area }, made);
    }
}

/// What is drawn of it; of kinds of which nothing is, their spectrum.
fn pictures(
    app: &App,
    painter: &mut Painter<'_>,
    area: Rect,
    made: &Made,
    (doc, kind, values): (&GeneratorDoc, &'static GeneratorKind, &[f32; MOST_CONTROLS]),
    targets: &mut Targets,
) {
    let curves = doc.curves(kind);
    let of = |drawing: usize| {
        let first = kind.first_curve(drawing);
        curves.get(first..first + kind.drawings[drawing].form.curves()).unwrap_or_default()
    };
    match kind.drawings {
        [] => spectrum(painter, area, made),
        [one] if one.form == Form::Tune => draw_tune::draw(app, painter, area, made, (kind, values), of(0), targets),
        [one] if one.form == Form::Steps => pattern(painter, area, made, of(0), targets),
        _ => {
            let left = if area.width >= 70 { area.width * 3 / 5 } else { area.width };
            path(app, painter, Rect { width: left, ..area }, made, (kind, values, &curves), targets);
            if left < area.width {
                let right = Rect { x: area.x + left + 2, width: area.width - left - 2, ..area };
                let upper = right.height / 2;
                pace(app, painter, Rect { height: upper, ..right }, made, (kind, values, of(1)), targets);
                resonances(painter, Rect { y: right.y + upper, height: right.height - upper, ..right }, made, kind, values, targets);
            }
        }
    }
}

/// The points of a drawing that can be dragged; the first of a path is where it begins.
fn dots(painter: &mut Painter<'_>, plot: Rect, axes: &Axes, points: &[(f32, f32)], made: &Made, drawing: usize) {
    for (at, place) in points.iter().enumerate() {
        let (x, y) = axes.cell(plot, *place);
        let chosen = made.focus == Focus::Point(drawing, at);
        let sign = match (chosen, at, drawing) {
            (true, ..) => "◆",
            (false, 0, 0) => "○",
            _ => "●",
        };
        painter.text(x, y, 1, sign, if chosen { Role::Active } else { Role::Text });
    }
}

/// Where the body is now: the share of its time, if one sounds.
fn body(app: &App, kind: &GeneratorKind, values: &[f32; MOST_CONTROLS]) -> Option<f32> {
    let since = app.made_voice()?;
    let of = |word: &str| kind.settings.iter().position(|s| s.word == word).map(|at| values[at]);
    let share = since as f32 / of("duration")?.max(0.05);
    (share <= 1.0).then_some(share)
}

/// The way past the ear, seen from above.
fn path(
    app: &App,
    painter: &mut Painter<'_>,
    area: Rect,
    made: &Made,
    (kind, values, curves): (&'static GeneratorKind, &[f32; MOST_CONTROLS], &[Curve]),
    targets: &mut Targets,
) {
    painter.heading(area.x, area.y, area.width, "Path", "from above, the ear looks up; metres");
    let plot = Rect { x: area.x + 1, y: area.y + 1, width: area.width.saturating_sub(2), height: area.height.saturating_sub(1) };
    if plot.width < 10 || plot.height < 3 {
        return;
    }
    let points = places(Form::Path, &curves[..2]);
    // One scale both ways; a cell is twice as high as wide. It stands while a point is dragged.
    let far = points.iter().fold(1.0f32, |m, (x, y)| m.max(x.abs()).max(y.abs() * 1.5)) * 1.15;
    let (low, high) = points.iter().fold((-0.5f32, 0.5f32), |(l, h), (_, y)| (l.min(*y), h.max(*y)));
    let wide = (2.0 * far).max((high - low) * 1.3 * f32::from(plot.width) / (2.0 * f32::from(plot.height)));
    let height = wide * 2.0 * f32::from(plot.height) / f32::from(plot.width);
    let middle = (low + high) / 2.0;
    let axes = Axes::plain((-wide / 2.0, wide / 2.0), (middle - height / 2.0, middle + height / 2.0));
    // Rings of equal distance: powers of two of the nearest.
    let mut rings = Vec::new();
    let mut radius = 0.5f32;
    while radius < wide / 2.0 {
        if radius * f32::from(plot.width) / wide > 3.0 {
            rings.extend((0..360).step_by(3).map(|d| axes.shares((radius * (d as f32).to_radians().cos(), radius * (d as f32).to_radians().sin()))));
        }
        radius *= 2.0;
    }
    let inside = |list: Vec<(f64, f64)>| list.into_iter().filter(|(x, y)| (0.0..=1.0).contains(x) && (0.0..=1.0).contains(y)).collect::<Vec<_>>();
    let line: Vec<(f64, f64)> = points
        .windows(2)
        .flat_map(|w| (0..60).map(move |i| (w[0].0 + (w[1].0 - w[0].0) * i as f32 / 60.0, w[0].1 + (w[1].1 - w[0].1) * i as f32 / 60.0)))
        .map(|p| axes.shares(p))
        .collect();
    painter.plots(plot, &[(&inside(rings), Role::Rule), (&inside(line), Role::Text)]);
    let ear = axes.cell(plot, (0.0, 0.0));
    painter.text(ear.0, ear.1, 1, "▲", Role::Good);
    dots(painter, plot, &axes, &points, made, 0);
    if let Focus::Point(0, at) = made.focus
        && let Some((x, y)) = points.get(at)
    {
        painter.text(area.x + 1, area.bottom() - 1, area.width, &format!("place {}: {x:.2} m right, {y:.2} m ahead", at + 1).replace('-', "−"), Role::Active);
    }
    let position = |word: &str| kind.settings.iter().position(|s| s.word == word);
    let held = position("drive").is_some_and(|at| values[at] > 0.5);
    let now = if held {
        // Where the control is now, of those that sound.
        app.made_voice().and_then(|_| app.mix_now(&format!("generator {} position", made.name)))
    } else {
        body(app, kind, values)
    };
    if let Some(now) = now {
        let mut drawings = curves.to_vec();
        if held {
            // At an even pace the share of its time is that of its way.
            drawings.truncate(2);
        }
        let here = along(&drawings, now);
        let (x, y) = axes.cell(plot, (here.right, here.ahead));
        painter.text(x, y, 1, "●", Role::Good);
        painter.right(area.right() - 1, area.bottom() - 1, &format!("{:.1} m away", here.right.hypot(here.ahead)), Role::Good);
    }
    targets.push((plot, Rc::new(DrawingClick { drawing: 0, axes, point: None })));
}

/// How fast it goes over its time.
fn pace(
    app: &App,
    painter: &mut Painter<'_>,
    area: Rect,
    made: &Made,
    (kind, values, curves): (&'static GeneratorKind, &[f32; MOST_CONTROLS], &[Curve]),
    targets: &mut Targets,
) {
    painter.heading(area.x, area.y, area.width, "Pace", "over its time");
    let plot = Rect { x: area.x, y: area.y + 1, width: area.width, height: area.height.saturating_sub(1) };
    let Some(curve) = curves.first().filter(|_| plot.height >= 2 && plot.width >= 8) else { return };
    let axes = Axes::plain((0.0, 1.0), (0.0, 1.0));
    let line: Vec<(f64, f64)> = (0..=200).map(|i| i as f32 / 200.0).map(|x| axes.shares((x, curve.at(x).clamp(0.0, 1.0)))).collect();
    painter.plot(plot, &line, Role::Text);
    dots(painter, plot, &axes, &places(Form::Curve, curves), made, 1);
    if let Some(now) = body(app, kind, values) {
        let (x, y) = axes.cell(plot, (now, curve.at(now)));
        painter.text(x, y, 1, "●", Role::Good);
    }
    targets.push((plot, Rc::new(DrawingClick { drawing: 1, axes, point: None })));
}

/// The ends of the picture of resonances, in Hz and dB.
const HEARD: (f32, f32) = (30.0, 16_000.0);
const STRONG: (f32, f32) = (-48.0, 12.0);

/// The resonances: a click takes the nearest, which is dragged from then on.
#[derive(Debug, Clone, Copy)]
struct ResonanceClick(Option<usize>);

/// The first control of each resonance.
fn bands(kind: &GeneratorKind) -> Vec<usize> {
    kind.settings.iter().enumerate().filter(|(_, s)| s.word.starts_with("centre-")).map(|(at, _)| at).collect()
}

/// Their axes.
const RESONANCES: Axes = Axes { x: HEARD, y: STRONG, by_octaves: true };

impl Clicks for ResonanceClick {
    fn click(&self, app: &mut App, area: Rect, at: (u16, u16)) {
        let Some((doc, kind)) = app.sounds.made.as_ref().and_then(|m| m.doc(app)) else { return };
        let values = doc.values(kind);
        let cells = bands(kind).into_iter().map(|b| (b, RESONANCES.cell(area, (values[b], values[b + 2]))));
        let near = cells.map(|(b, (x, y))| (b, u32::from(x.abs_diff(at.0)) + 2 * u32::from(y.abs_diff(at.1)))).min_by_key(|(_, off)| *off);
        if let Some((band, _)) = near.filter(|(_, off)| *off <= 6) {
            if let Some(made) = &mut app.sounds.made {
                made.focus = Focus::Control(band);
            }
            app.dragging = Some((Rc::new(ResonanceClick(Some(band))), area));
        }
    }

    fn drag(&self, app: &mut App, area: Rect, at: (u16, u16)) -> bool {
        let (Some(band), Some((_, kind))) = (self.0, app.sounds.made.as_ref().and_then(|m| m.doc(app))) else { return false };
        let (hertz, level) = RESONANCES.at(area, at);
        app.set_controls(kind, &[(band, hertz), (band + 2, level)]);
        true
    }
}

/// The resonances of the air around it, as they are at its mean pace.
fn resonances(painter: &mut Painter<'_>, area: Rect, made: &Made, kind: &'static GeneratorKind, values: &[f32; MOST_CONTROLS], targets: &mut Targets) {
    painter.heading(area.x, area.y, area.width, "Resonances", "30 Hz to 16 kHz");
    let plot = Rect { x: area.x, y: area.y + 1, width: area.width, height: area.height.saturating_sub(1) };
    if plot.height < 2 || plot.width < 8 {
        return;
    }
    let list = bands(kind);
    let level = |hertz: f32| {
        let power: f32 = list
            .iter()
            .filter(|b| values[**b + 2] > -60.0)
            .map(|b| {
                // A band by its formula, as wide as its sharpness says.
                let off = values[*b + 1] * (hertz / values[*b] - values[*b] / hertz);
                10f32.powf(values[*b + 2] / 10.0) / (1.0 + off * off)
            })
            .sum();
        10.0 * power.max(1e-9).log10()
    };
    let line: Vec<(f64, f64)> = (0..=300)
        .map(|i| RESONANCES.place((i as f32 / 300.0, 0.0)).0)
        .map(|hertz| RESONANCES.shares((hertz, level(hertz))))
        .filter(|(_, y)| (0.0..=1.0).contains(y))
        .collect();
    painter.plot(plot, &line, Role::Text);
    for (n, band) in list.iter().enumerate().filter(|(_, b)| values[**b + 2] > -60.0) {
        let (x, y) = RESONANCES.cell(plot, (values[*band], values[*band + 2]));
        let chosen = matches!(made.focus, Focus::Control(at) if (*band..*band + 3).contains(&at));
        painter.text(x, y, 1, &format!("{}", n + 1), if chosen { Role::Active } else { Role::Text });
    }
    targets.push((plot, Rc::new(ResonanceClick(None))));
}

/// The steps of a pattern.
fn pattern(painter: &mut Painter<'_>, area: Rect, made: &Made, curves: &[Curve], targets: &mut Targets) {
    painter.heading(area.x, area.y, area.width, "Pattern", "a click or ↑ ↓ makes a step none, a pulse, an accented one");
    let Some(curve) = curves.first() else { return };
    let count = curve.points().len() as u16;
    let wide = (area.width.saturating_sub(2) / count.max(1)).clamp(1, 6);
    let place = Rect { x: area.x + 1, y: area.y + 1, width: wide * count, height: 2.min(area.height.saturating_sub(1)) };
    for (at, point) in curve.points().iter().enumerate() {
        let chosen = made.focus == Focus::Point(0, at);
        let x = place.x + wide * at as u16;
        let sign = ["·", "▄", "█"][point.y.clamp(0.0, 2.0) as usize];
        let role = if chosen {
            Role::Active
        } else if point.y > 0.0 {
            Role::Text
        } else {
            Role::Rule
        };
        painter.text(x, place.y, wide.saturating_sub(1).max(1), &sign.repeat(usize::from(wide.saturating_sub(1).max(1))), role);
        if chosen && place.height > 1 {
            painter.text(x, place.y + 1, 1, "▲", Role::Active);
        }
    }
    let axes = Axes::plain((-0.5, f32::from(count) - 0.5), (0.0, 2.0));
    targets.push((place, Rc::new(DrawingClick { drawing: 0, axes, point: None })));
}

/// The loudest of twenty playings by frequency.
fn spectrum(painter: &mut Painter<'_>, area: Rect, made: &Made) {
    painter.heading(area.x, area.y, area.width, "Spectrum", "the loudest of twenty playings; 40 Hz to 18 kHz, 96 dB");
    let plot = Rect { x: area.x + 1, y: area.y + 1, width: area.width.saturating_sub(2), height: area.height.saturating_sub(2) };
    let Some(strip) = &made.strip else {
        painter.text(plot.x, plot.y, plot.width, "being worked out", Role::Secondary);
        return;
    };
    let rows = strip.spectrum.len();
    if rows < 2 || plot.height < 2 {
        return;
    }
    let shares: Vec<f32> = (0..plot.width)
        .map(|x| {
            let at = f32::from(x) * (rows - 1) as f32 / f32::from(plot.width.saturating_sub(1).max(1));
            let (low, t) = (at as usize, at.fract());
            strip.spectrum[low] * (1.0 - t) + strip.spectrum[(low + 1).min(rows - 1)] * t
        })
        .collect();
    painter.columns(plot, &shares, Role::Text);
    for (hz, text) in [(50.0, "50 Hz"), (100.0, "100"), (200.0, "200"), (500.0, "500"), (1_000.0, "1 kHz"), (2_000.0, "2"), (5_000.0, "5"), (10_000.0, "10")] {
        let share = (hz / LOWEST).ln() / (HIGHEST / LOWEST).ln();
        painter.text(plot.x + (share * f64::from(plot.width)) as u16, plot.bottom(), 6, text, Role::Secondary);
    }
}

/// The controls: what each is set to, where it is now, what each playing adds, what moves it.
fn controls(
    app: &App,
    painter: &mut Painter<'_>,
    area: Rect,
    made: &Made,
    (doc, kind, values): (&GeneratorDoc, &'static GeneratorKind, &[f32; MOST_CONTROLS]),
    columns: u16,
    targets: &mut Targets,
) {
    painter.heading(area.x, area.y, area.width, "Controls", "│ where it is now");
    let room = area.height.saturating_sub(1);
    let lines = (kind.settings.len() as u16).div_ceil(columns);
    let chosen = if let Focus::Control(at) = made.focus { at as u16 } else { 0 };
    // What does not fit scrolls with what is chosen.
    let first = if lines > room { (chosen % lines.max(1)).saturating_sub(room / 2).min(lines - room) } else { 0 };
    let width = area.width / columns;
    for (at, setting) in kind.settings.iter().enumerate() {
        let (column, line) = (at as u16 / lines, at as u16 % lines);
        if line < first || line >= first + room {
            continue;
        }
        let place = Rect { x: area.x + column * width, y: area.y + 1 + line - first, width: width.saturating_sub(if columns > 1 { 2 } else { 0 }), height: 1 };
        let is_chosen = made.focus == Focus::Control(at);
        if is_chosen {
            painter.select(place.x, place.y, place.width);
        }
        let own = doc.set.iter().any(|(word, _)| *word == setting.word) || instrument_of(doc, setting).is_some();
        painter.text(place.x + 1, place.y, 13, setting.word, if is_chosen { Role::Active } else { Role::Secondary });
        let choice = matches!(setting.unit, Unit::Choice(_));
        let bar = (place.x + 15, if choice { 0 } else { 12u16.min(place.width.saturating_sub(30)) });
        let text = instrument_of(doc, setting).unwrap_or_else(|| setting.unit.print(values[at]).replace('-', "−"));
        // A resonance that is not there has nothing to say.
        let strength = bands(kind).into_iter().find(|b| (*b..*b + 3).contains(&at)).map(|b| values[b + 2]);
        let silent = strength.is_some_and(|s| s <= -60.0);
        let off = silent && setting.unit == Unit::Decibels;
        let x = if choice {
            painter.text(bar.0, place.y, place.width.saturating_sub(16), &text, if own { Role::Text } else { Role::Rule }) + 1
        } else {
            painter.bar(bar.0, place.y, bar.1, if silent { 0.0 } else { share_of(setting, values[at]) }, if own { Role::Text } else { Role::Secondary });
            let now = app.mix_now(&format!("generator {} {}", made.name, setting.word));
            if let Some(now) = now.filter(|now| (share_of(setting, *now) - share_of(setting, values[at])).abs() > 0.004) {
                let x = bar.0 + (share_of(setting, now).clamp(0.0, 1.0) * f32::from(bar.1.saturating_sub(1))) as u16;
                painter.text(x, place.y, 1, "│", Role::Active);
            }
            painter.text(bar.0 + bar.1 + 1, place.y, 9, if off { "none" } else { &text }, if own { Role::Text } else { Role::Rule });
            bar.0 + bar.1 + 11
        };
        let mut asides = Vec::new();
        if let Some((_, range)) = doc.vary.iter().find(|(word, _)| word.value == setting.word) {
            asides.push((format!("varies {}", range.value.replace('-', "−")), Role::Text));
        }
        let whole = format!("generator {} {}", made.name, setting.word);
        for moved in app.document().modulations.iter().filter(|m| m.target.value == whole) {
            asides.push((format!("by {}", moved.from.value), Role::FromGame));
        }
        let mut x = x;
        for (text, role) in asides {
            if x < place.right() {
                x = painter.text(x, place.y, place.right() - x, &text, role) + 1;
            }
        }
        targets.push((place, Rc::new(ControlLine { at, bar })));
    }
    painter.more(Rect { y: area.y + 1, height: room, ..area }, usize::from(first), usize::from(lines.saturating_sub(first + room)));
}

/// Twenty playings side by side.
fn strip(painter: &mut Painter<'_>, area: Rect, made: &Made) {
    let each = (area.width / PLAYINGS as u16).max(2);
    let rows = area.height.saturating_sub(2);
    made.room.set((each - 1, rows));
    let aside = made
        .strip
        .as_ref()
        .map_or_else(|| "being worked out".to_owned(), |s| format!("each over {:.2} s, its peak in dB below; as parameters are now", s.seconds));
    painter.heading(area.x, area.y, area.width, "Twenty playings", &aside);
    let Some(strip) = &made.strip else { return };
    for (n, (columns, peak)) in strip.playings.iter().zip(&strip.peaks).enumerate() {
        let x = area.x + each * n as u16;
        if x + each > area.right() + 1 {
            break;
        }
        for (at, column) in columns.iter().enumerate().take(usize::from(each - 1)) {
            let tall = column.len();
            for row in 0..rows {
                let share = |half: usize| column.get(tall.saturating_sub(1 + usize::from(row) * 2 + half)).copied().unwrap_or(0.0);
                painter.halves(x + at as u16, area.y + 1 + row, share(0), share(1));
            }
        }
        if each >= 4 {
            let text = if *peak < -99.0 { "−∞".to_owned() } else { format!("{peak:.0}").replace('-', "−") };
            painter.text(x, area.bottom() - 1, each - 1, &text, Role::Secondary);
        }
    }
}
