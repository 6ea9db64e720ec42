//! Curves on the screen: small ones in the views, and the editor over the centre, in which points are moved by keys, by the
//! mouse, or typed; what is moved is heard at once.

use super::app::{App, Mode};
use super::painter::Painter;
use super::text_field::TextField;
use super::theme::Role;
use super::view::{Ask, Clicks, Targets};
use estampie_engine::curve::{Curve, Point, Shape};
use estampie_engine::names::NameKey;
use estampie_engine::property::{Property, Unit};
use estampie_project::document::{DistanceCurve, FalloffDoc, ModulationDoc, NewValue, ParameterDoc, Refusal, print_point, read_point};
use estampie_proof::listen_elsewhere as here;
use ratatui::layout::Rect;
use ratatui::widgets::{Clear, Widget as _};
use std::rc::Rc;

/// A number without needless digits.
pub(crate) fn number(value: f32) -> String {
    let decimals = if value.abs() >= 100.0 {
        0
    } else if value.abs() >= 10.0 {
        1
    } else {
        2
    };
    let text = format!("{value:.decimals$}");
    let text = if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_owned() } else { text };
    (if text == "-0" { "0".to_owned() } else { text }).replace('-', "−")
}

/// The ends of a curve's axes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Frame {
    pub(crate) x: (f32, f32),
    pub(crate) y: (f32, f32),
}

impl Frame {
    /// Over the parameter's range, and as high as the curve needs.
    pub(crate) fn of(curve: &Curve, parameter: &ParameterDoc) -> Frame {
        let points = curve.points();
        // A formula without a range has that of its points.
        let x = if parameter.high - parameter.low < 1e5 {
            (parameter.low, parameter.high)
        } else {
            let (first, last) = (points.first().map_or(0.0, |p| p.x), points.last().map_or(1.0, |p| p.x));
            (first, last.max(first + 1.0))
        };
        let low = points.iter().map(|p| p.y).fold(f32::INFINITY, f32::min).min(1e6);
        let high = points.iter().map(|p| p.y).fold(f32::NEG_INFINITY, f32::max).max(-1e6);
        let air = ((high - low) * 0.08).max(0.2);
        Frame { x, y: (low - air, high + air) }
    }

    fn share_x(&self, x: f32) -> f32 {
        ((x - self.x.0) / (self.x.1 - self.x.0)).clamp(0.0, 1.0)
    }

    fn share_y(&self, y: f32) -> f32 {
        ((y - self.y.0) / (self.y.1 - self.y.0)).clamp(0.0, 1.0)
    }

    /// The column of a value.
    pub(crate) fn column(&self, area: Rect, x: f32) -> u16 {
        area.x + cell(self.share_x(x), area.width, 2)
    }

    fn row(&self, area: Rect, y: f32) -> u16 {
        area.y + cell(1.0 - self.share_y(y), area.height, 4)
    }

    /// Draws the curve in braille.
    pub(crate) fn draw(&self, painter: &mut Painter<'_>, area: Rect, curve: &Curve) {
        let dots = usize::from(area.width) * 4;
        let points: Vec<(f64, f64)> = (0..=dots)
            .map(|i| {
                let share = i as f32 / dots as f32;
                (f64::from(share), f64::from(self.share_y(curve.at(self.x.0 + (self.x.1 - self.x.0) * share))))
            })
            .collect();
        painter.plot(area, &points, Role::FromGame);
    }

    /// Marks a value of the parameter by an upright line.
    pub(crate) fn mark(&self, painter: &mut Painter<'_>, area: Rect, value: f32, role: Role) {
        let x = self.column(area, value);
        for y in area.y..area.bottom() {
            painter.text(x, y, 1, "╎", role);
        }
    }
}

/// Whose curve it is.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Of {
    /// A modulation, by its place among those of the file.
    Modulation(usize),
    /// What distance or direction does to a sound; that of all sounds that share it, if it has the name of a shared one.
    Falloff { sound: String, field: &'static str, shared: Option<String> },
}

/// The cell in which the braille dot of a share lies, so that marks lie on the line; a cell has so many dots.
fn cell(share: f32, cells: u16, dots: u16) -> u16 {
    (share * f32::from((cells * dots).saturating_sub(1))).round() as u16 / dots
}

/// A curve being edited.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Editor {
    pub(crate) of: Of,
    pub(crate) title: String,
    /// The parameter that moves along it, or `distance` or `angle`.
    parameter: String,
    unit: String,
    property: Property,
    points: Vec<Point>,
    at: usize,
    frame: Frame,
}

impl Editor {
    /// The least distance of two points.
    fn least(&self) -> f32 {
        (self.frame.x.1 - self.frame.x.0) / 2000.0
    }

    /// Moves the selected point, held between its neighbours and within the frame.
    fn place(&mut self, x: f32, y: f32) {
        let least = self.least();
        let low = self.at.checked_sub(1).map_or(self.frame.x.0, |i| self.points[i].x + least);
        let high = self.points.get(self.at + 1).map_or(self.frame.x.1, |p| p.x - least);
        let grain = 10f32.powf(((self.frame.x.1 - self.frame.x.0) / 500.0).log10().floor());
        let grain_y = if matches!(self.property, Property::Each | Property::All) { 1.0 } else { 0.01 };
        if let Some(point) = self.points.get_mut(self.at) {
            point.x = ((x / grain).round() * grain).max(low).min(high.max(low));
            point.y = (y / grain_y).round() * grain_y;
        }
    }

    fn fit(&mut self) {
        if matches!(self.of, Of::Falloff { .. }) && self.unit == "m" {
            // Room beyond the last point.
            let far = self.points.last().map_or(0.0, |p| p.x);
            self.frame.x.1 = self.frame.x.1.max((far * 1.25).ceil());
        }
        let low = self.points.iter().map(|p| p.y).fold(f32::INFINITY, f32::min);
        let high = self.points.iter().map(|p| p.y).fold(f32::NEG_INFINITY, f32::max);
        // What is silent lies at the foot: it would press all else into a line.
        let low = if self.property == Property::Level { low.max(-72.0) } else { low };
        let air = ((high - low) * 0.15).max(if matches!(self.property, Property::Setting(Unit::Share)) { 0.05 } else { 0.5 });
        self.frame.y = (self.frame.y.0.min(low - air), self.frame.y.1.max(high + air));
    }
}

/// The curves of a falloff that are drawn, as their fields are called.
const FALLOFFS: [&str; 7] = ["level", "low-pass", "high-pass", "width", "send", "cone", "cone-low-pass"];

/// A curve of a falloff, and what it moves.
fn falloff_curve(falloff: &FalloffDoc, field: &str) -> Option<(Curve, Property)> {
    let far = |curve: &Option<DistanceCurve>| curve.as_ref().map(|c| (c.0.clone(), c.1));
    match field {
        "level" => far(&falloff.level),
        "low-pass" => far(&falloff.low_pass),
        "high-pass" => far(&falloff.high_pass),
        "width" => far(&falloff.width),
        "send" => far(&falloff.send),
        "cone" => falloff.cone.as_ref().map(|c| (c.0.clone(), c.1)),
        "cone-low-pass" => falloff.cone_low_pass.as_ref().map(|c| (c.0.clone(), c.1)),
        _ => None,
    }
}

/// Where the plot of the editor lies within the centre.
fn plot_area(area: Rect) -> Rect {
    Rect { x: area.x + 12, y: area.y + 2, width: area.width.saturating_sub(14), height: area.height.saturating_sub(10) }
}

/// The plot of the editor.
#[derive(Debug, Clone, Copy)]
struct Plot;

impl Clicks for Plot {
    fn click(&self, app: &mut App, area: Rect, (x, y): (u16, u16)) {
        app.click_curve(area, x, y);
        app.dragging = Some((Rc::new(*self), area));
    }

    fn drag(&self, app: &mut App, area: Rect, (x, y): (u16, u16)) -> bool {
        app.drag_curve(area, x, y);
        true
    }

    fn over_all(&self) -> bool {
        true
    }
}

/// A point of the curve that is edited is typed.
#[derive(Debug)]
struct PointPrompt(Editor);

impl Ask for PointPrompt {
    fn words(&self, _app: &App) -> String {
        "point".into()
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        app.set_point(&self.0, text)
    }

    fn given_up(&self, app: &mut App) {
        app.mode = Mode::Curve(self.0.clone());
    }

    fn curve(&self) -> Option<&Editor> {
        Some(&self.0)
    }
}

/// The points of a modulation as written; `unit` is that of its parameter.
fn points_of(doc: &ModulationDoc, unit: &str) -> Vec<Point> {
    doc.curve.iter().filter_map(|(text, _)| read_point(text, unit, doc.property).ok()).collect()
}

/// The curve of a modulation as written, and its parameter by index.
pub(crate) fn curve_of(app: &App, doc: &ModulationDoc) -> Option<(Curve, usize)> {
    let parameter = app.document().parameters.iter().position(|p| p.name == doc.from.value)?;
    Some((Curve::new(points_of(doc, &app.document().parameters[parameter].unit)), parameter))
}

impl App {
    /// Opens the editor on a modulation.
    pub(super) fn begin_curve(&mut self, written: usize) {
        let Some(doc) = self.document().modulations.iter().find(|m| m.written == written) else { return };
        let Some(parameter) = self.document().parameters.iter().find(|p| p.name == doc.from.value) else {
            return self.alarm(format!("there is no parameter {}", doc.from.value));
        };
        let points = points_of(doc, &parameter.unit);
        let curve = Curve::new(points.iter().copied());
        let title = format!("{} ⟶ {}", doc.from.value, doc.written_whole());
        let mut editor = Editor {
            of: Of::Modulation(written),
            title,
            parameter: parameter.name.clone(),
            unit: parameter.unit.clone(),
            property: doc.property,
            points: curve.points().to_vec(),
            at: 0,
            frame: Frame::of(&curve, parameter),
        };
        editor.fit();
        self.mode = Mode::Curve(editor);
    }

    /// Opens the editor on what distance or direction does to a sound: its own curve, or the shared one that it has.
    pub(super) fn begin_falloff(&mut self, sound: &str, field: &str) {
        let Some(field) = FALLOFFS.into_iter().find(|f| *f == field) else {
            return self.say(format!("falloff.{field} is typed: e"));
        };
        let document = self.document();
        let Some(doc) = document.sounds.iter().find(|s| s.name == sound) else { return };
        let own = falloff_curve(&doc.falloff, field).is_some();
        let whole = document.shared.whole(&doc.falloff);
        let (curve, property) = falloff_curve(&whole, field).unwrap_or_else(|| {
            // A new curve starts where it does nothing.
            let point = |x, y| Point { x, y, shape: Shape::Straight };
            match field {
                "width" => (Curve::new([point(0.0, 1.0), point(3.0, 0.15), point(15.0, 0.05)]), Property::Setting(Unit::Share)),
                "low-pass" | "cone-low-pass" => (Curve::new([point(0.0, 0.0)]), Property::LowPass),
                "high-pass" => (Curve::new([point(0.0, 0.0)]), Property::HighPass),
                _ => (Curve::new([point(0.0, 0.0)]), Property::Level),
            }
        });
        let shared = doc.falloff.like.as_ref().map(|l| l.value.clone()).filter(|_| !own && falloff_curve(&whole, field).is_some());
        let angle = field.starts_with("cone");
        let title = match &shared {
            Some(name) => {
                let count = estampie_project::document::sharers(document, "falloff", name).len();
                format!("{} ⟶ {field} of the falloff {name}, shared by {count}", if angle { "angle" } else { "distance" })
            }
            None => format!("{} ⟶ {sound} {field}", if angle { "angle" } else { "distance" }),
        };
        let far = curve.points().last().map_or(0.0, |p| p.x);
        let x = (0.0, if angle { 180.0 } else { (far * 1.25).max(20.0).ceil() });
        let (low, high) = curve.points().iter().fold((f32::INFINITY, f32::NEG_INFINITY), |(low, high), p| (low.min(p.y), high.max(p.y)));
        let low = if property == Property::Level { low.clamp(-72.0, 0.0) } else { low };
        let mut editor = Editor {
            of: Of::Falloff { sound: sound.to_owned(), field, shared },
            title,
            parameter: if angle { "angle" } else { "distance" }.to_owned(),
            unit: if angle { "deg" } else { "m" }.to_owned(),
            property,
            points: curve.points().to_vec(),
            at: 0,
            frame: Frame { x, y: (low, high) },
        };
        editor.fit();
        self.mode = Mode::Curve(editor);
    }

    /// Opens the editor on a curve again.
    fn begin_again(&mut self, of: &Of) {
        match of {
            Of::Modulation(written) => self.begin_curve(*written),
            Of::Falloff { sound, field, .. } => self.begin_falloff(sound, field),
        }
    }

    pub(super) fn key_curve(&mut self, name: &str, mut editor: Editor) {
        let Some(point) = editor.points.get(editor.at).copied() else { return };
        let (dx, dy) = ((editor.frame.x.1 - editor.frame.x.0) / 100.0, step_of(editor.property));
        let last = editor.points.len() - 1;
        match name {
            "esc" | "q" | "enter" | "c" => return,
            "tab" | "page-down" => editor.at = if editor.at == last { 0 } else { editor.at + 1 },
            "backtab" | "page-up" => editor.at = editor.at.checked_sub(1).unwrap_or(last),
            "left" | "h" => editor.place(point.x - dx, point.y),
            "right" | "l" => editor.place(point.x + dx, point.y),
            "shift-left" | "H" => editor.place(point.x - dx / 10.0, point.y),
            "shift-right" | "L" => editor.place(point.x + dx / 10.0, point.y),
            "up" | "k" => editor.place(point.x, point.y + dy),
            "down" | "j" => editor.place(point.x, point.y - dy),
            "shift-up" | "K" => editor.place(point.x, point.y + dy / 10.0),
            "shift-down" | "J" => editor.place(point.x, point.y - dy / 10.0),
            "n" => {
                // Halfway to the next, on the curve; after the last, halfway to the end.
                let curve = Curve::new(editor.points.iter().copied());
                let next = editor.points.get(editor.at + 1).map_or(editor.frame.x.1, |p| p.x);
                let x = (point.x + next) / 2.0;
                if next - point.x > editor.least() * 2.0 {
                    editor.points.insert(editor.at + 1, Point { x, y: curve.at(x), shape: point.shape });
                    editor.at += 1;
                } else {
                    self.say("there is no room for a point to the right of this one");
                }
            }
            "x" | "delete" if last > 0 => {
                editor.points.remove(editor.at);
                editor.at = editor.at.min(last - 1);
            }
            "x" | "delete" => self.say("a curve has one point at least"),
            "s" => {
                let shapes = [Shape::Straight, Shape::Smooth, Shape::Held, Shape::Power(2.0), Shape::Power(0.5)];
                let now = shapes.iter().position(|s| *s == point.shape).unwrap_or(0);
                editor.points[editor.at].shape = shapes[(now + 1) % shapes.len()];
            }
            "e" => {
                let text = print_point(&point, &editor.unit, editor.property);
                self.mode = Mode::typing(PointPrompt(editor), TextField::offer(&text));
                return;
            }
            "u" => {
                self.act(super::keys::Do::Undo);
                self.begin_again(&editor.of);
                return;
            }
            "." | "space" | "\\" => {
                self.act(super::keys::meaning(name, self.view()).unwrap_or(super::keys::Do::Back));
            }
            _ => {}
        }
        self.keep_curve(editor);
    }

    /// Takes a typed point.
    pub(super) fn set_point(&mut self, editor: &Editor, text: &str) -> Result<(), Refusal> {
        let mut editor = editor.clone();
        // A value alone stays where the point is.
        let here = editor.points.get(editor.at).map(|p| p.x);
        let whole = match here {
            Some(x) if !text.contains(':') => format!("{x}: {text}"),
            _ => text.to_owned(),
        };
        let point = read_point(&whole, &editor.unit, editor.property)?;
        if editor.parameter == "distance" && (0.0..=10_000.0).contains(&point.x) {
            editor.frame.x.1 = editor.frame.x.1.max(point.x);
        }
        if !(editor.frame.x.0..=editor.frame.x.1).contains(&point.x) {
            return Err(format!("{} goes from {} to {}", editor.parameter, number(editor.frame.x.0), number(editor.frame.x.1)).into());
        }
        editor.points.remove(editor.at);
        if editor.points.iter().any(|p| p.x == point.x) {
            return Err(format!("there is a point at {} already", number(point.x)).into());
        }
        editor.at = editor.points.partition_point(|p| p.x < point.x);
        editor.points.insert(editor.at, point);
        self.keep_curve(editor);
        Ok(())
    }

    /// Writes the points if they changed, and goes on editing.
    fn keep_curve(&mut self, mut editor: Editor) {
        editor.fit();
        let print = |points: &[Point]| points.iter().map(|p| print_point(p, &editor.unit, editor.property)).collect::<Vec<String>>();
        let texts = print(&editor.points);
        if self.points_written(&editor).map(|points| print(&points)).as_ref() != Some(&texts) {
            let name = format!("curve of {}", editor.title);
            let done = match &editor.of {
                Of::Modulation(written) => self.workspace.set_curve(&name, *written, &texts),
                Of::Falloff { shared: Some(shared), field, .. } => {
                    self.workspace.set_values(&name, &[("shared.toml", vec!["falloff", shared, field], NewValue::List(texts))])
                }
                Of::Falloff { sound, field, .. } => self.workspace.set_sounds(std::slice::from_ref(sound), &format!("falloff.{field}"), &texts.join("; ")),
            };
            self.edited(done);
        }
        self.mode = Mode::Curve(editor);
    }

    /// The points as they stand in the file.
    fn points_written(&self, editor: &Editor) -> Option<Vec<Point>> {
        match &editor.of {
            Of::Modulation(written) => {
                let doc = self.document().modulations.iter().find(|m| m.written == *written)?;
                Some(points_of(doc, &editor.unit))
            }
            Of::Falloff { sound, field, shared } => {
                let document = self.document();
                let own = &document.sounds.iter().find(|s| s.name == *sound)?.falloff;
                let whole = if shared.is_some() { document.shared.whole(own) } else { own.clone() };
                Some(falloff_curve(&whole, field)?.0.points().to_vec())
            }
        }
    }

    /// Where the game is on the curve just now.
    fn now_on(&self, editor: &Editor) -> Option<f32> {
        let (program, status) = (self.program(), self.rehearsal.status.as_ref()?);
        match &editor.of {
            Of::Modulation(_) => {
                let index = program.find_parameter.get(NameKey::of(&editor.parameter))?;
                Some(status).filter(|s| s.program == program.id)?.parameters.get(index).map(|p| p.smooth)
            }
            Of::Falloff { sound, .. } if editor.unit == "m" => {
                // The loudest that has it.
                let of = Some(NameKey::of(sound));
                let voices = status.voices.iter().filter(|v| here::falloff_of(program, v.sound) == of);
                voices.max_by(|a, b| a.heard_db.total_cmp(&b.heard_db)).and_then(|v| v.placement).map(|(_, distance, _)| distance)
            }
            Of::Falloff { .. } => None,
        }
    }

    /// A click into the plot: takes the nearest point, or makes one far from all.
    pub(super) fn click_curve(&mut self, area: Rect, x: u16, y: u16) {
        let Mode::Curve(mut editor) = self.mode.clone() else { return };
        let near = editor.points.iter().enumerate().map(|(i, p)| (i, editor.frame.column(area, p.x).abs_diff(x), editor.frame.row(area, p.y).abs_diff(y)));
        match near.filter(|(_, dx, dy)| *dx <= 2 && *dy <= 1).min_by_key(|(_, dx, dy)| dx + dy) {
            Some((at, ..)) => editor.at = at,
            None => {
                let (px, py) = values_at(&editor.frame, area, x, y);
                if editor.points.iter().any(|p| (p.x - px).abs() < editor.least()) {
                    return;
                }
                let at = editor.points.partition_point(|p| p.x < px);
                let shape = at.checked_sub(1).map_or(Shape::Straight, |i| editor.points[i].shape);
                editor.points.insert(at, Point { x: px, y: py, shape });
                editor.at = at;
                editor.place(px, py);
            }
        }
        self.keep_curve(editor);
    }

    /// Drags the selected point.
    pub(super) fn drag_curve(&mut self, area: Rect, x: u16, y: u16) {
        let Mode::Curve(mut editor) = self.mode.clone() else { return };
        let (px, py) = values_at(&editor.frame, area, x, y);
        let Some(point) = editor.points.get(editor.at).copied() else { return };
        // Within its own column or row it keeps its value: upwards is only upwards.
        let px = if editor.frame.column(area, point.x) == x { point.x } else { px };
        let py = if editor.frame.row(area, point.y) == y { point.y } else { py };
        editor.place(px, py);
        self.keep_curve(editor);
    }
}

fn values_at(frame: &Frame, area: Rect, x: u16, y: u16) -> (f32, f32) {
    // The middle of the cell.
    let share = |at: u16, from: u16, length: u16| (f32::from(at.saturating_sub(from)) + 0.5) / f32::from(length.max(1));
    let (sx, sy) = (share(x, area.x, area.width).clamp(0.0, 1.0), 1.0 - share(y, area.y, area.height).clamp(0.0, 1.0));
    (frame.x.0 + (frame.x.1 - frame.x.0) * sx, frame.y.0 + (frame.y.1 - frame.y.0) * sy)
}

/// A step of a value by a key.
fn step_of(property: Property) -> f32 {
    match property {
        Property::Level | Property::Pitch | Property::Transposition => 0.5,
        Property::LowPass | Property::HighPass => 0.1,
        Property::Every | Property::Chance | Property::Sweep | Property::Tempo | Property::Density => 0.05,
        Property::Each | Property::All => 1.0,
        Property::Amount | Property::Pan | Property::Width => 0.05,
        Property::Control(_, _, true) => 0.1,
        Property::Setting(unit) | Property::Control(_, unit, false) => match unit {
            Unit::Decibels | Unit::Semitones => 0.5,
            Unit::Hertz => 50.0,
            Unit::Seconds | Unit::Share => 0.05,
            Unit::Number | Unit::Choice(_) => 0.5,
        },
    }
}

/// Round values within a range, four to eight of them.
fn ticks((low, high): (f32, f32)) -> Vec<f32> {
    let wide = (high - low).max(1e-6);
    let ten = 10f32.powf((wide / 8.0).log10().floor());
    let step = [1.0, 2.0, 2.5, 5.0, 10.0].map(|s| s * ten).into_iter().find(|s| wide / s <= 8.0).unwrap_or(10.0 * ten);
    let first = (low / step).ceil() as i32;
    (first..).map(|n| n as f32 * step).take_while(|y| *y <= high).collect()
}

pub(crate) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, editor: &Editor, targets: &mut Targets) {
    Clear.render(area, painter.buffer);
    painter.buffer.set_style(area, app.theme.ground());
    painter.heading(area.x + 1, area.y, area.width - 2, &editor.title, "heard at once");
    let plot = plot_area(area);
    if plot.width < 12 || plot.height < 4 {
        return;
    }
    let curve = Curve::new(editor.points.iter().copied());
    for y in ticks(editor.frame.y) {
        let row = editor.frame.row(plot, y);
        painter.right(plot.x - 1, row, &editor.property.print(y).replace('-', "−"), Role::Secondary);
        let dots: String = "·".repeat(usize::from(plot.width));
        painter.text(plot.x, row, plot.width, &dots, Role::Rule);
    }
    let parameter = NameKey::of(&editor.parameter);
    let moved = matches!(editor.of, Of::Modulation(_));
    // Where the game has been lately.
    let values = app.rehearsal.lately(parameter);
    if moved && !values.is_empty() {
        let (low, high) = values.iter().fold((f32::INFINITY, f32::NEG_INFINITY), |(low, high), (_, v)| (low.min(*v), high.max(*v)));
        let (from, to) = (editor.frame.column(plot, low), editor.frame.column(plot, high));
        painter.text(from, plot.bottom(), to - from + 1, &"▔".repeat(usize::from(to - from) + 1), Role::Active);
    }
    editor.frame.draw(painter, plot, &curve);
    let now = app.now_on(editor);
    if let Some(now) = now {
        editor.frame.mark(painter, plot, now, Role::Active);
    }
    for (at, point) in editor.points.iter().enumerate() {
        let (x, y) = (editor.frame.column(plot, point.x), editor.frame.row(plot, point.y));
        painter.text(x, y, 1, if at == editor.at { "◆" } else { "●" }, if at == editor.at { Role::Active } else { Role::Text });
    }
    targets.push((plot, Rc::new(Plot)));
    let unit = editor.unit.as_str();
    painter.text(plot.x, plot.bottom() + 1, 16, &format!("{} {unit}", number(editor.frame.x.0)), Role::Secondary);
    painter.right(plot.right(), plot.bottom() + 1, &format!("{} {unit}", number(editor.frame.x.1)), Role::Secondary);
    if let Some(now) = now {
        let text = format!("{} {} {unit} ⟶ {}", editor.parameter, number(now), editor.property.print(curve.at(now)).replace('-', "−"));
        painter.text(plot.x, plot.bottom() + 2, plot.width, &text, Role::Active);
        if moved {
            painter.right(plot.right(), plot.bottom() + 2, "▔ where the game has been lately", Role::Secondary);
        }
    }
    let mut x = plot.x;
    let y = plot.bottom() + 4;
    painter.text(area.x + 1, y, 11, "points", Role::Secondary);
    for (at, point) in editor.points.iter().enumerate() {
        let text = print_point(point, unit, editor.property).replace('-', "−");
        let width = text.chars().count() as u16;
        if x + width > area.right() {
            break;
        }
        x = painter.text(x, y, width, &text, if at == editor.at { Role::Active } else { Role::Text }) + 3;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn editor() -> Editor {
        let point = |x, y| Point { x, y, shape: Shape::Straight };
        Editor {
            of: Of::Modulation(0),
            title: String::new(),
            parameter: "depth".into(),
            unit: "m".into(),
            property: Property::Level,
            points: vec![point(0.0, 0.0), point(50.0, -6.0), point(100.0, -12.0)],
            at: 1,
            frame: Frame { x: (0.0, 100.0), y: (-12.0, 0.0) },
        }
    }

    #[test]
    fn a_point_never_passes_its_neighbours() {
        let mut editor = editor();
        editor.place(300.0, 3.0);
        assert!(editor.points[1].x < 100.0 && editor.points[1].y == 3.0);
        editor.place(-300.0, -3.004);
        assert!(editor.points[1].x > 0.0 && editor.points[1].y == -3.0);
        editor.fit();
        assert!(editor.frame.y.0 < -12.0);
    }

    #[test]
    fn ticks_are_round_and_neither_few_nor_many() {
        assert_eq!(ticks((-52.9, 6.9)), [-50.0, -40.0, -30.0, -20.0, -10.0, 0.0]);
        assert_eq!(ticks((0.0, 1.0)).len(), 6);
        for (low, wide) in [(-3.3f32, 0.01f32), (0.0, 0.7), (-90.0, 93.0), (20.0, 12_000.0), (5.0, 1.0)] {
            let list = ticks((low, low + wide));
            assert!((3..=9).contains(&list.len()) && list.iter().all(|y| (low..=low + wide).contains(y)), "{low} {wide}: {list:?}");
        }
    }

    #[test]
    fn a_place_on_the_screen_and_its_values_undo_each_other() {
        let frame = Frame { x: (0.0, 100.0), y: (-12.0, 0.0) };
        let area = Rect { x: 10, y: 5, width: 100, height: 12 };
        for (x, y) in [(10, 5), (60, 11), (109, 16)] {
            let (px, py) = values_at(&frame, area, x, y);
            assert_eq!((frame.column(area, px), frame.row(area, py)), (x, y));
        }
        assert_eq!((frame.column(area, 100.0), frame.row(area, -12.0)), (109, 16), "the ends are within the plot");
        assert_eq!(number(-0.004), "0");
        assert_eq!(number(1250.4), "1250");
    }
}
