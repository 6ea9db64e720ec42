//! Drawing the map: zones, walls, doorways, trails, emitters, the listener and his way, rings, the ruler; and what is chosen.

use super::{GRID, Projection, away, encloses};
use crate::workshop::app::App;
use crate::workshop::painter::Painter;
use crate::workshop::rehearsal::is_member;
use crate::workshop::stage::Column;
use crate::workshop::stage::inputs::StageTarget;
use crate::workshop::theme::Role;
use crate::workshop::view::Targets;
use estampie_engine::curve::Curve;
use estampie_engine::engine::EmitterStatus;
use estampie_engine::names::NameKey;
use estampie_engine::world::geometry::{Form, Ground, apart, between, sides};
use estampie_project::document::{Candidates, MapThing, StandDoc, WorldDoc};
use estampie_proof::listen_elsewhere as here;
use estampie_proof::trace::print_value;
use ratatui::layout::Rect;

/// Rows below the map for what is chosen.
const FOOT: u16 = 10;
/// What is softer is not listed, in dB.
const UNHEARD: f32 = -90.0;
/// The signs of emitters that sound over a level, under it, and not at all; and that level in dB.
const LOUD: &str = "◆";
const SOFT: &str = "▪";
const SILENT: &str = "◇";
const LOUD_FROM: f32 = -36.0;
/// Rings around the chosen emitter, in dB.
const RINGS: [f32; 2] = [-6.0, -24.0];

type Dots = Vec<(f64, f64)>;

pub(crate) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let foot = if area.height > 26 { FOOT } else { 0 };
    let map = Rect { y: area.y + 1, height: area.height.saturating_sub(1 + foot), ..area };
    let projection = app.projection_in(map);
    let hands = if let Some(sketch) = &app.map.sketch {
        format!("drawing {}: enter sets a corner, twice ends", sketch.name)
    } else if app.map.carrying {
        "the arrows move what is chosen".to_owned()
    } else if app.map.cross.is_some() {
        "the arrows move the cross".to_owned()
    } else if app.stage.column == Column::Map {
        format!("the arrows walk, {} m/s", app.walking_speed())
    } else {
        "tab, and the arrows walk".to_owned()
    };
    painter.heading(area.x, area.y, area.width, "Map", &hands);
    let scale = format!("1 cell = {} × {} m", tidy(projection.scale), tidy(projection.scale * 2.0));
    if usize::from(area.width) > hands.chars().count() + scale.len() + 10 {
        painter.right(area.right(), area.y, &scale, Role::Secondary);
    }
    targets.push((map, std::rc::Rc::new(StageTarget::Map)));
    let world = &app.document().world;
    if !app.program().world.any() && app.map.sketch.is_none() {
        painter.text(
            map.x + 2,
            map.y + 2,
            map.width - 4,
            "The world is empty. A adds a thing: zone quay, emitter bell, wall pier, trail cable.",
            Role::Secondary,
        );
    }
    lines(app, painter, &projection, world);
    let mut labels = Labels::default();
    listener(app, painter, &projection, &mut labels);
    cross(app, painter, &projection, &mut labels);
    emitters(app, painter, &projection, &mut labels);
    doorways(app, painter, &projection, &mut labels);
    zone_names(app, painter, &projection, &mut labels);
    if foot > 0 {
        let foot = Rect { y: map.bottom(), height: foot, ..area };
        painter.rule(foot.x, foot.y, foot.width);
        chosen(app, painter, Rect { y: foot.y + 1, height: foot.height - 1, ..foot });
    }
}

fn tidy(value: f32) -> String {
    let text = format!("{value:.2}");
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}

/// Labels that stand already; none is written over another.
#[derive(Default)]
struct Labels(Vec<Rect>);

impl Labels {
    /// Writes a text at a cell if there is room, to the right or to the left; true if it did.
    fn write(&mut self, painter: &mut Painter<'_>, area: Rect, (x, y): (u16, u16), text: &str, role: Role) -> bool {
        let width = text.chars().count() as u16;
        for left in [x + 2, x.saturating_sub(width + 1)] {
            let rect = Rect { x: left, y, width, height: 1 };
            let fits = left >= area.x && left + width <= area.right() && y >= area.y && y < area.bottom();
            if fits && !self.0.iter().any(|r| r.intersects(rect)) {
                painter.text(left, y, width, text, role);
                self.0.push(rect);
                return true;
            }
        }
        false
    }

    /// Keeps a cell for a mark.
    fn mark(&mut self, painter: &mut Painter<'_>, (x, y): (u16, u16), mark: &str, role: Role) {
        painter.text(x, y, 1, mark, role);
        self.0.push(Rect { x, y, width: 1, height: 1 });
    }
}

/// Dots along a line, so many metres apart.
fn dots(projection: &Projection, points: &[Ground], closed: bool, step: f32, into: &mut Dots) {
    for (a, b) in sides(points, closed) {
        let far = apart(a, b);
        let count = (far / step).ceil().clamp(1.0, 4000.0) as usize;
        let dots = (0..=count).map(|n| projection.share(between(a, b, n as f32 / count as f32)));
        into.extend(dots.filter(|(x, y)| (0.0..=1.0).contains(x) && (0.0..=1.0).contains(y)));
    }
}

fn circle(middle: Ground, radius: f32) -> Vec<Ground> {
    (0..64).map(|n| std::f32::consts::TAU * n as f32 / 64.0).map(|a| [middle[0] + radius * a.sin(), middle[1] + radius * a.cos()]).collect()
}

fn corners(form: &Form) -> Vec<Ground> {
    match form {
        Form::Outline(points) => points.clone(),
        Form::Circle(middle, radius) => circle(*middle, *radius),
    }
}

fn lines(app: &App, painter: &mut Painter<'_>, projection: &Projection, world: &WorldDoc) {
    let fine = projection.scale / 2.0;
    let (mut outer, mut inner, mut walls, mut doors, mut trails, mut way) = (Dots::new(), Dots::new(), Dots::new(), Dots::new(), Dots::new(), Dots::new());
    for (at, zone) in world.zones.iter().enumerate() {
        let inside = app.rehearsal.status.as_ref().and_then(|s| s.zones.get(at)).is_some_and(|z| z.inside);
        dots(projection, &corners(&zone.form), true, projection.scale * if zone.shelter { 2.0 } else { 1.0 }, if inside { &mut inner } else { &mut outer });
    }
    for wall in &world.walls {
        dots(projection, &wall.line, wall.closed, fine, &mut walls);
    }
    for doorway in &world.doorways {
        dots(projection, &doorway.line, false, fine, &mut doors);
    }
    for emitter in &world.emitters {
        match &emitter.stand {
            StandDoc::Trail(points, closed, _) => dots(projection, points, *closed, projection.scale, &mut trails),
            StandDoc::Path(points, ..) => dots(projection, points, false, projection.scale * 1.5, &mut trails),
            StandDoc::Area(form, _) => dots(projection, &corners(form), true, projection.scale * 2.0, &mut trails),
            _ => {}
        }
    }
    for flock in &app.program().world.flocks {
        way.extend(flock.places.iter().map(|(at, _)| projection.share([at[0], at[1]])).filter(|(x, y)| (0.0..=1.0).contains(x) && (0.0..=1.0).contains(y)));
    }
    let track: Vec<Ground> = app.map.track.iter().copied().collect();
    way.extend(track.iter().map(|p| projection.share(*p)).filter(|(x, y)| (0.0..=1.0).contains(x) && (0.0..=1.0).contains(y)));
    let (mut ring, mut ruler, mut sketch, mut thing) = (Dots::new(), Dots::new(), Dots::new(), Dots::new());
    if let Some(chosen) = app.chosen_thing() {
        if let (Some(curve), Some(at)) = (level_curve(app, &chosen), heard_at(app, &chosen)) {
            for level in RINGS {
                if let Some(radius) = falls_to(&curve, level) {
                    dots(projection, &circle(at, radius), true, projection.scale, &mut ring);
                }
            }
        }
        let shape = chosen.radius_metres.map_or_else(|| chosen.points.clone(), |r| circle(chosen.points[0], r));
        dots(projection, &shape, chosen.closed || chosen.radius_metres.is_some(), fine, &mut thing);
    }
    if let Some(from) = app.map.ruler {
        dots(projection, &[from, app.here()], false, projection.scale * 1.5, &mut ruler);
    }
    if let Some(drawn) = &app.map.sketch {
        let mut points = drawn.points.clone();
        points.push(app.here());
        dots(projection, &points, false, fine, &mut sketch);
    }
    painter.plots(
        projection.area,
        &[
            (&outer, Role::Rule),
            (&way, Role::Rule),
            (&inner, Role::Text),
            (&walls, Role::Secondary),
            (&trails, Role::FromGame),
            (&doors, Role::Accent),
            (&ring, Role::Active),
            (&thing, Role::Active),
            (&sketch, Role::Accent),
            (&ruler, Role::Accent),
        ],
    );
}

/// The arrow for a facing, north above.
fn arrow(facing: f32) -> &'static str {
    match (facing.rem_euclid(360.0) / 90.0).round() as i32 % 4 {
        0 => "▲",
        1 => "▶",
        2 => "▼",
        _ => "◀",
    }
}

fn listener(app: &App, painter: &mut Painter<'_>, projection: &Projection, labels: &mut Labels) {
    let at = app.listener();
    if let Some(cell) = projection.cell([at.at[0], at.at[1]]) {
        labels.mark(painter, cell, arrow(at.facing_degrees), Role::Text);
        let height = if at.at[2].abs() < 0.05 { "you".to_owned() } else { format!("you, {} m", tidy(at.at[2])) };
        labels.write(painter, projection.area, cell, &height, Role::Text);
    }
}

fn cross(app: &App, painter: &mut Painter<'_>, projection: &Projection, labels: &mut Labels) {
    if let Some(at) = app.map.cross
        && let Some(cell) = projection.cell(at)
    {
        labels.mark(painter, cell, "×", Role::Accent);
        labels.write(painter, projection.area, cell, &format!("{}, {}", tidy(at[0]), tidy(at[1])), Role::Accent);
    }
    if let Some(from) = app.map.ruler {
        let to = app.here();
        let middle = between(from, to, 0.5);
        if let Some((x, y)) = projection.cell(middle) {
            let text = format!(" {:.1} m ", apart(from, to));
            let x = x.saturating_sub(text.chars().count() as u16 / 2);
            labels.write(painter, projection.area, (x.saturating_sub(2), y), &text, Role::Accent);
        }
    }
}

/// The level of the loudest voice at an emitter, if any sounds.
fn sounding(app: &App, emitter: NameKey) -> Option<f32> {
    let voices = &app.rehearsal.status.as_ref()?.voices;
    voices.iter().filter(|v| v.emitter == emitter && !v.asleep).map(|v| v.heard_db).reduce(f32::max)
}

fn emitters(app: &App, painter: &mut Painter<'_>, projection: &Projection, labels: &mut Labels) {
    let Some(status) = &app.rehearsal.status else { return };
    let names = &app.rehearsal.names;
    let chosen = app.map.chosen.as_ref().map(|id| NameKey::of(&id.name));
    let member = |e: &EmitterStatus| app.program().world.flocks.iter().any(|f| f.members.contains(&e.emitter));
    let mut list: Vec<(&EmitterStatus, Option<f32>)> = status.emitters.iter().skip(1).map(|e| (e, sounding(app, e.emitter))).collect();
    // The loudest have their names first.
    list.sort_by(|a, b| (Some(b.0.emitter) == chosen).cmp(&(Some(a.0.emitter) == chosen)).then(b.1.unwrap_or(-200.0).total_cmp(&a.1.unwrap_or(-200.0))));
    for (emitter, level) in &list {
        let Some(cell) = projection.cell([emitter.at[0], emitter.at[1]]) else { continue };
        if labels.0.iter().any(|r| r.contains(cell.into())) {
            continue;
        }
        let (mark, role) = match level {
            Some(level) if *level > LOUD_FROM => (LOUD, Role::Active),
            Some(_) => (SOFT, Role::Active),
            None if member(emitter) => (SOFT, Role::Secondary),
            None => (SILENT, if Some(emitter.emitter) == chosen { Role::Active } else { Role::Secondary }),
        };
        labels.mark(painter, cell, mark, role);
    }
    for (emitter, level) in &list {
        let Some(cell) = projection.cell([emitter.at[0], emitter.at[1]]) else { continue };
        // Edges of shelters and members of flocks are told by what they belong to.
        let own = app.document().world.emitters.iter().any(|d| NameKey::of(&d.name) == emitter.emitter);
        if is_member(app.program(), emitter.emitter) || !own && app.program().world.sources.iter().any(|s| s.key == emitter.emitter) && level.is_none() {
            continue;
        }
        let role = if Some(emitter.emitter) == chosen || level.is_some() { Role::Active } else { Role::Secondary };
        let up = if emitter.at[2].abs() < 0.5 { String::new() } else { format!(" {:+.0} m", emitter.at[2]).replace('-', "−") };
        labels.write(painter, projection.area, cell, &format!("{}{up}", names.get(emitter.emitter)), role);
    }
    // Flocks say how many of them are there.
    for (flock, doc) in app.program().world.flocks.iter().zip(&app.document().world.flocks) {
        let here = status.emitters.iter().filter(|e| flock.members.contains(&e.emitter)).count();
        let zone = if let Candidates::Within(zone) = &doc.candidates { app.document().world.thing(&zone.value) } else { None };
        let at =
            zone.map_or_else(|| flock.places.first().map(|p| [p.0[0], p.0[1]]), |t| t.points.iter().copied().reduce(|a, b| [a[0].min(b[0]), a[1].min(b[1])]));
        if let Some((x, y)) = at.and_then(|at| projection.cell([at[0] + projection.scale, at[1] + projection.scale])) {
            let text = format!("{} {here} of {}", doc.name, flock.members.len());
            labels.write(painter, projection.area, (x.saturating_sub(1), y), &text, if here > 0 { Role::Active } else { Role::Secondary });
        }
    }
}

fn doorways(app: &App, painter: &mut Painter<'_>, projection: &Projection, labels: &mut Labels) {
    for (at, doorway) in app.document().world.doorways.iter().enumerate() {
        let open = app.rehearsal.status.as_ref().and_then(|s| s.open.get(at)).copied().unwrap_or(0.0);
        if let Some(cell) = projection.cell(between(doorway.line[0], doorway.line[1], 0.5)) {
            let chosen = app.map.chosen.as_ref().is_some_and(|c| c.name == doorway.name);
            let text = format!("{} {:.0} %", doorway.name, open * 100.0);
            labels.write(painter, projection.area, cell, &text, if chosen { Role::Active } else { Role::Accent });
        }
    }
}

fn zone_names(app: &App, painter: &mut Painter<'_>, projection: &Projection, labels: &mut Labels) {
    let status = app.rehearsal.status.as_ref();
    for (at, zone) in app.document().world.zones.iter().enumerate() {
        let (low, high) = zone.form.bounds();
        let inside = status.and_then(|s| s.zones.get(at)).is_some_and(|z| z.inside);
        let name = if zone.shelter { zone.name.clone() } else { zone.name.to_uppercase() };
        let chosen = app.map.chosen.as_ref().is_some_and(|c| c.name == zone.name);
        let role = match (chosen, inside) {
            (true, _) => Role::Active,
            (_, true) => Role::Text,
            _ => Role::Secondary,
        };
        // In its upper left corner, or wherever else in its upper part there is room.
        let s = projection.scale;
        let spots = [[low[0] + s, high[1] - 2.0 * s], [low[0] + s, high[1] - 4.0 * s], [f32::midpoint(low[0], high[0]), high[1] - 2.0 * s]];
        for spot in spots {
            if let Some((x, y)) = projection.cell(spot)
                && labels.write(painter, projection.area, (x.saturating_sub(1), y), &name, role)
            {
                break;
            }
        }
    }
}

/// Where a chosen thing sounds from just now, or where it is.
fn heard_at(app: &App, thing: &MapThing) -> Option<Ground> {
    let key = NameKey::of(&thing.id.name);
    let now = app.rehearsal.status.as_ref().and_then(|s| s.emitters.iter().find(|e| e.emitter == key)).map(|e| [e.at[0], e.at[1]]);
    now.or_else(|| thing.points.first().copied())
}

/// The level over distance of what sounds at a thing, or of what it would play.
fn level_curve(app: &App, thing: &MapThing) -> Option<Curve> {
    here::falloff(app.program(), app.falls_off_by(thing)?)?.level.clone()
}

/// The distance at which a level has fallen by so much.
fn falls_to(curve: &Curve, level: f32) -> Option<f32> {
    let far = curve.points().last()?.x;
    (1..=400).map(|n| far * n as f32 / 400.0).find(|x| curve.at(*x) <= level)
}

/// What the signs and the lines of the map mean, each as it is drawn there.
const LEGEND: [&[(&str, Role, &str)]; 3] = [
    &[("▲", Role::Text, "you"), (LOUD, Role::Active, "loud"), (SOFT, Role::Active, "soft"), (SILENT, Role::Secondary, "silent")],
    &[("⠒⠒", Role::Rule, "zone"), ("⠒⠒", Role::Text, "you are inside"), ("⠒⠒", Role::Secondary, "wall")],
    &[("⠒⠒", Role::Accent, "doorway"), ("⠒⠒", Role::FromGame, "trail, path, area")],
];

fn legend(painter: &mut Painter<'_>, area: Rect) {
    for (row, line) in LEGEND.iter().take(usize::from(area.height)).enumerate() {
        let y = area.y + row as u16;
        let mut x = area.x + 1;
        for (sign, role, word) in *line {
            // What does not fit is left out whole.
            if usize::from(x) + sign.chars().count() + word.chars().count() + 1 > usize::from(area.right()) {
                break;
            }
            x = painter.text(x, y, 3, sign, *role) + 1;
            x = painter.text(x, y, area.right() - x, word, Role::Secondary) + 2;
        }
    }
}

/// What is chosen, and over distance what it does; or what would be heard at the cross.
fn chosen(app: &App, painter: &mut Painter<'_>, area: Rect) {
    let half = area.width / 2;
    let left = Rect { width: half.saturating_sub(1), ..area };
    let right = Rect { x: area.x + half, width: area.width - half, ..area };
    let thing = app.chosen_thing();
    match &thing {
        Some(thing) => facts(app, painter, left, thing),
        None => {
            painter.heading(left.x, left.y, left.width, "Nothing chosen", "");
            for (row, text) in
                ["; and , go through the things", "p points at the map", "A adds a thing, \" measures", "' goes with you, + − zoom"].iter().enumerate()
            {
                painter.text(left.x + 1, left.y + 1 + row as u16, left.width - 1, text, Role::Secondary);
            }
            legend(painter, Rect { y: left.y + 5, height: left.height.saturating_sub(5), ..left });
        }
    }
    if let Some(cross) = app.map.cross {
        would_hear(app, painter, right, cross);
    } else if let Some(curve) = thing.as_ref().and_then(|t| level_curve(app, t)) {
        falloff(app, painter, right, thing.as_ref(), &curve);
    } else {
        would_hear(app, painter, right, app.here());
    }
}

fn facts(app: &App, painter: &mut Painter<'_>, area: Rect, thing: &MapThing) {
    let word = thing.id.table.trim_end_matches('s');
    let from = if app.map.cross.is_some() { "from ×" } else { "from you" };
    let aside = if encloses(thing, app.here()) {
        format!("{word}, {} inside", if app.map.cross.is_some() { "× is" } else { "you are" })
    } else {
        // Of what has sides, to the nearest of them.
        let sides = thing.points.len() > 1 || thing.radius_metres.is_some();
        let far = if sides { Some(away(thing, app.here())) } else { heard_at(app, thing).map(|at| apart(at, app.here())) };
        far.filter(|f| f.is_finite()).map_or_else(|| word.to_owned(), |far| format!("{word}, {far:.1} m {from}"))
    };
    painter.heading(area.x, area.y, area.width, &thing.id.name, &aside);
    let fields = app.workspace.written("world.toml", &[thing.id.table, &thing.id.name]);
    for (y, (field, value)) in (area.y + 1..area.bottom().saturating_sub(1)).zip(&fields) {
        let end = painter.text(area.x + 1, y, 10, field, Role::Secondary).max(area.x + 11);
        painter.text(end + 1, y, area.right().saturating_sub(end + 1), value, Role::Text);
    }
    let hands = if app.rehearsal.only.alone.is_some() { "S all again" } else { "e edit  K move  C copy  Y falloff" };
    painter.text(area.x + 1, area.bottom() - 1, area.width - 1, hands, Role::Secondary);
}

/// What sounds now, as it would be heard at a place.
fn would_hear(app: &App, painter: &mut Painter<'_>, area: Rect, at: Ground) {
    let heading = if app.map.cross.is_some() { "Heard at ×" } else { "Heard here, placed" };
    painter.heading(area.x, area.y, area.width, heading, "loudest first");
    let (Some(status), Some(program)) = (&app.rehearsal.status, app.rehearsal.status_program()) else { return };
    let mut list = here::would_hear(program, status, at);
    // Of a flock the loudest stands for all.
    let mut seen: Vec<NameKey> = Vec::new();
    list.retain(|h| {
        let again = is_member(program, h.emitter) && seen.contains(&h.sound);
        if !again {
            seen.push(h.sound);
        }
        !again
    });
    let names = &app.rehearsal.names;
    let rows = usize::from(area.height - 1);
    let near = list.iter().filter(|h| h.heard_db > UNHEARD).count();
    if list.is_empty() {
        painter.text(area.x + 1, area.y + 1, area.width - 1, "nothing placed sounds now", Role::Secondary);
    } else if near < list.len() || near > rows {
        let shown = near.min(rows - 1);
        let (more, far) = (near - shown, list.len() - near);
        let text = match (more, far) {
            (0, far) => format!("{far} too far off to be heard"),
            (more, 0) => format!("and {more} more"),
            (more, far) => format!("and {more} more, {far} too far off"),
        };
        painter.text(area.x + 7, area.y + 1 + shown as u16, area.width - 7, &text, Role::Secondary);
        list.truncate(shown);
    }
    for (row, heard) in list.iter().take(rows).enumerate() {
        let y = area.y + 1 + row as u16;
        painter.right(area.x + 6, y, &print_value(heard.heard_db).replace('+', ""), if heard.heard_db > -60.0 { Role::Active } else { Role::Secondary });
        let far = format!("{:.0} m", heard.metres);
        let room = area.width.saturating_sub(9 + far.chars().count() as u16);
        let name = names.get(heard.emitter);
        let text = if name.is_empty() { names.get(heard.sound).to_owned() } else { format!("{}, {name}", names.get(heard.sound)) };
        painter.text(area.x + 7, y, room, &text, Role::Text);
        painter.right(area.right(), y, &far, Role::Secondary);
    }
}

/// The level of what is chosen over distance, with how far it is now.
fn falloff(app: &App, painter: &mut Painter<'_>, area: Rect, thing: Option<&MapThing>, curve: &Curve) {
    let Some(far) = curve.points().last().map(|p| p.x.max(GRID)) else { return };
    let key = thing.map(|t| NameKey::of(&t.id.name)).unwrap_or_default();
    // By the way that it takes, if it sounds.
    let voice = app.rehearsal.status.as_ref().and_then(|s| s.voices.iter().find(|v| v.emitter == key)?.placement);
    let now = voice.map(|(_, distance, _)| distance).or_else(|| thing.and_then(|t| heard_at(app, t)).map(|at| apart(at, app.here())));
    let value = now.map(|x| curve.at(x));
    let aside = now.zip(value).map_or_else(String::new, |(x, v)| format!("at {x:.1} m {} dB", print_value(v)));
    painter.heading(area.x, area.y, area.width, "Falloff", &aside);
    let plot = Rect { x: area.x + 1, y: area.y + 1, width: area.width - 1, height: area.height.saturating_sub(2) };
    let height = |v: f32| f64::from((v + 60.0) / 66.0).clamp(0.0, 1.0);
    let count = usize::from(plot.width) * 2;
    let line: Dots = (0..=count).map(|n| (n as f64 / count as f64, height(curve.at(far * n as f32 / count as f32)))).collect();
    let here: Dots = now
        .filter(|x| *x <= far)
        .map(|x| (0..40).map(|n| (f64::from(x / far), f64::from(n) / 40.0)).filter(|(_, y)| *y <= height(curve.at(x))).collect())
        .unwrap_or_default();
    painter.plots(plot, &[(&here, Role::FromGame), (&line, Role::Active)]);
    painter.text(area.x + 1, area.bottom() - 1, 8, "0 m", Role::Secondary);
    painter.right(area.right(), area.bottom() - 1, &format!("{} m, 6 dB above, −60 below", tidy(far)), Role::Secondary);
}

#[cfg(test)]
mod tests {
    use super::*;
    use estampie_engine::curve::{Point, Shape};

    #[test]
    fn the_arrow_looks_where_one_looks() {
        assert_eq!([0.0, 44.0, 46.0, 180.0, 269.0, 350.0, -90.0].map(arrow), ["▲", "▲", "▶", "▼", "◀", "▲", "◀"]);
    }

    #[test]
    fn a_ring_lies_where_the_level_has_fallen_so_far() {
        let point = |x, y| Point { x, y, shape: Shape::Straight };
        let curve = Curve::new(vec![point(0.0, 0.0), point(40.0, -40.0)]);
        assert!((falls_to(&curve, -6.0).unwrap() - 6.0).abs() < 0.11);
        assert_eq!(falls_to(&curve, -50.0), None);
    }
}
