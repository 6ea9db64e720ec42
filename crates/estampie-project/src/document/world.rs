//! `world.toml`: zones, doorways, walls, shelters, and what sounds where.

use super::Place;
use super::curve::read_point;
use super::fields::{Fields, Located, Reading, parse_toml};
use super::game::well_named;
use super::registry;
use crate::language::{Condition, reactions};
use estampie_engine::curve::Curve;
use estampie_engine::property::Property;
use estampie_engine::units::ValueError;
use estampie_engine::units::{Decibels, Metres, Seconds, Share, Span, split_number};
use estampie_engine::world::geometry::{Form, Ground};

/// A point in space: metres east, north, up.
pub type Position = [f32; 3];

/// What comes through something.
#[derive(Debug, Clone, PartialEq)]
pub struct MuffleDoc {
    /// What is taken from the level, 0 dB or less.
    pub level: Decibels,
    /// Octaves from the open low-pass, 0 or less.
    pub low_pass_octaves: f32,
    /// In this time 90 % of a change is followed.
    pub time: Seconds,
}

/// A zone, or a shelter.
#[derive(Debug, Clone)]
pub struct ZoneDoc {
    /// Its name.
    pub name: String,
    /// Whether it is a shelter: a cover, and no place of its own.
    pub shelter: bool,
    /// What it covers.
    pub form: Form,
    /// Between which heights, in metres; any if unsaid.
    pub height: Option<(f32, f32)>,
    /// The higher counts where several are.
    pub order: i64,
    /// It is there in full from so far inside on.
    pub margin: Metres,
    /// The state that it sets, and the value.
    pub sets: Option<(Located<String>, Located<String>)>,
    /// The snapshot that it raises.
    pub snapshot: Option<Located<String>>,
    /// Returns that placed sounds send to while one is there, with their levels.
    pub reverb: Vec<(Located<String>, Decibels)>,
    /// Sounds that play while one is there.
    pub ambience: Vec<Located<String>>,
    /// In this time 90 % of a change of its presence is followed.
    pub fade: Seconds,
    /// What is heard of outside from inside.
    pub outside: Option<MuffleDoc>,
    /// What is heard of inside from outside.
    pub inside: Option<MuffleDoc>,
    /// The sound of its edge, for shelters.
    pub edge: Option<Located<String>>,
    /// What it is, for people.
    pub note: String,
    /// Where it is written.
    pub place: Place,
}

/// A number that stands or that a parameter gives.
#[derive(Debug, Clone)]
pub enum AmountDoc {
    /// It stands.
    Fixed(f32),
    /// A parameter gives it, by a curve if there is one.
    Moved(Located<String>, Option<Curve>),
}

/// A gap between two zones, or a zone and the open.
#[derive(Debug, Clone)]
pub struct DoorwayDoc {
    /// Its name.
    pub name: String,
    /// The zones on its sides; `outside` is the open.
    pub between: Vec<Located<String>>,
    /// Its ends.
    pub line: [Ground; 2],
    /// How open it is.
    pub open: AmountDoc,
    /// What comes through it when it is closed.
    pub closed: Option<MuffleDoc>,
    /// Within so much of it the other side's room is heard.
    pub reach: Metres,
    /// Where it is written.
    pub place: Place,
}

/// A wall of one or more straight pieces.
#[derive(Debug, Clone)]
pub struct WallDoc {
    /// Its name.
    pub name: String,
    /// Its corners.
    pub line: Vec<Ground>,
    /// Whether the last corner leads back to the first.
    pub closed: bool,
    /// Between which heights, in metres; any if unsaid.
    pub height: Option<(f32, f32)>,
    /// What it takes from what is wholly behind it.
    pub muffle: MuffleDoc,
    /// Where it is written.
    pub place: Place,
}

/// How something moves along its line.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PassDoc {
    /// To the end, and stays there.
    Once,
    /// There and back.
    Back,
    /// From the end on to the beginning.
    Round,
}

impl PassDoc {
    /// All, with their words.
    pub const ALL: [(PassDoc, &'static str); 3] = [(PassDoc::Once, "once"), (PassDoc::Back, "there and back"), (PassDoc::Round, "round")];
}

/// Where an emitter is.
#[derive(Debug, Clone)]
pub enum StandDoc {
    /// At a point.
    Still(Position),
    /// On its way along a line at so many metres in a second.
    Path(Vec<Ground>, f32, f32, PassDoc),
    /// At the nearest point of a line.
    Trail(Vec<Ground>, bool, f32),
    /// Everywhere within.
    Area(Form, f32),
    /// At several points together.
    Points(Vec<Position>),
    /// Held at a bearing and a distance from the listener.
    Held(AmountDoc, Metres),
}

/// An emitter of the project: a thing, a trail, an area, or a bearing.
#[derive(Debug, Clone)]
pub struct EmitterDoc {
    /// Its name.
    pub name: String,
    /// The table it stands in: `emitters`, `trails`, `areas` or `bearings`.
    pub table: &'static str,
    /// Its kind.
    pub kind: Option<String>,
    /// Where it is.
    pub stand: StandDoc,
    /// Degrees clockwise from north.
    pub facing_degrees: f32,
    /// Sounds that play at it by themselves.
    pub plays: Vec<Located<String>>,
    /// What it is, for people.
    pub note: String,
    /// Where it is written.
    pub place: Place,
}

/// Single sounds at drawn places.
#[derive(Debug, Clone)]
pub struct OneShotsDoc {
    /// Its name.
    pub name: String,
    /// What sounds.
    pub plays: Located<String>,
    /// The wait between two.
    pub every: Span<Seconds>,
    /// What the waits are multiplied by.
    pub pace: AmountDoc,
    /// Metres from the listener.
    pub around: Span<Metres>,
    /// Degrees from where the listener looks.
    pub bearing: (f32, f32),
    /// Only within a zone.
    pub within: Option<Located<String>>,
    /// Metres up; from the listener unless within a zone.
    pub height: (f32, f32),
    /// Each passes on a way so long, at so many metres in a second.
    pub passing: Option<(Metres, f32)>,
    /// The most at once.
    pub most: u32,
    /// While all of these hold.
    pub during: Vec<Condition>,
    /// Where it is written.
    pub place: Place,
}

/// Where those of a flock could be.
#[derive(Debug, Clone)]
pub enum Candidates {
    /// Spread over a zone.
    Within(Located<String>),
    /// At given points.
    Points(Vec<Position>),
    /// Along a trail.
    Along(Located<String>),
}

/// Many small emitters around the listener.
#[derive(Debug, Clone)]
pub struct FlockDoc {
    /// Its name.
    pub name: String,
    /// What sounds.
    pub plays: Located<String>,
    /// Where they could be.
    pub candidates: Candidates,
    /// How many places there are for them.
    pub places: u32,
    /// How many of the places are lived in.
    pub density: AmountDoc,
    /// The most at once.
    pub most: u32,
    /// Places within this are filled.
    pub range: Metres,
    /// They are left this much farther away.
    pub margin: Metres,
    /// The wait between two sounds of one.
    pub every: Option<Span<Seconds>>,
    /// What the waits are multiplied by.
    pub pace: AmountDoc,
    /// Where it is written.
    pub place: Place,
}

/// `world.toml`.
#[derive(Debug, Clone)]
pub struct WorldDoc {
    /// Where the listener is before anyone says.
    pub start: Position,
    /// Where he looks, in degrees clockwise from north.
    pub facing_degrees: f32,
    /// Metres in a second that sound goes.
    pub sound_metres_per_second: f32,
    /// Whether placed sounds are heard with a head between the ears, for headphones.
    pub head: bool,
    /// Zones and shelters.
    pub zones: Vec<ZoneDoc>,
    /// Doorways.
    pub doorways: Vec<DoorwayDoc>,
    /// Walls.
    pub walls: Vec<WallDoc>,
    /// Emitters, trails, areas and bearings.
    pub emitters: Vec<EmitterDoc>,
    /// OneShotss.
    pub one_shots: Vec<OneShotsDoc>,
    /// Flocks.
    pub flocks: Vec<FlockDoc>,
}

impl AmountDoc {
    fn parameter(&self) -> Option<&str> {
        if let AmountDoc::Moved(parameter, _) = self { Some(&parameter.value) } else { None }
    }
}

impl WorldDoc {
    /// All sounds that the world names, each with what names it.
    #[must_use]
    pub fn sounds(&self) -> Vec<(&Located<String>, String)> {
        let zones = self.zones.iter().flat_map(|z| z.ambience.iter().map(|s| (s, format!("ambience of {}", z.name))));
        let edges = self.zones.iter().filter_map(|z| z.edge.as_ref().map(|s| (s, format!("edge of {}", z.name))));
        let emitters = self.emitters.iter().flat_map(|e| e.plays.iter().map(|s| (s, format!("plays at {}", e.name))));
        let one_shots = self.one_shots.iter().map(|s| (&s.plays, format!("one-shots {}", s.name)));
        let flocks = self.flocks.iter().map(|f| (&f.plays, format!("flock {}", f.name)));
        zones.chain(edges).chain(emitters).chain(one_shots).chain(flocks).collect()
    }

    /// The parameters and states that move something in the world or that it asks for.
    #[must_use]
    pub fn subjects(&self) -> Vec<&str> {
        let held = self.emitters.iter().filter_map(|e| if let StandDoc::Held(bearing, _) = &e.stand { bearing.parameter() } else { None });
        let mut list: Vec<&str> = self.doorways.iter().filter_map(|d| d.open.parameter()).chain(held).collect();
        for one_shots in &self.one_shots {
            list.extend(one_shots.pace.parameter());
            list.extend(one_shots.during.iter().map(|c| c.subject.text.as_str()));
        }
        list.extend(self.flocks.iter().flat_map(|f| [f.density.parameter(), f.pace.parameter()]).flatten());
        list
    }
}

impl Default for WorldDoc {
    fn default() -> Self {
        WorldDoc {
            start: [0.0; 3],
            facing_degrees: 0.0,
            sound_metres_per_second: 340.0,
            head: false,
            zones: Vec::new(),
            doorways: Vec::new(),
            walls: Vec::new(),
            emitters: Vec::new(),
            one_shots: Vec::new(),
            flocks: Vec::new(),
        }
    }
}

/// Reads `12, 4` or `12, 4, 2`, with or without `m`.
///
/// # Errors
/// With what is wrong, as a sentence.
pub fn read_position(text: &str) -> Result<Position, ValueError> {
    let wrong = || ValueError::not(text, "a place, like \"12, 4\" (east, north) or \"12, 4, 2\" (and up)");
    let number = |part: &str| split_number(part).filter(|(n, unit)| matches!(*unit, "" | "m") && n.abs() <= 100_000.0).map(|(n, _)| n as f32);
    let parts: Vec<f32> = text.split(',').map(number).collect::<Option<_>>().ok_or_else(wrong)?;
    match parts[..] {
        [east, north] => Ok([east, north, 0.0]),
        [east, north, up] => Ok([east, north, up]),
        _ => Err(wrong()),
    }
}

/// Writes a place so that [`read_position`] reads it again, to the centimetre.
#[must_use]
pub fn print_position(at: Position) -> String {
    let number = |n: f32| {
        let text = format!("{:.2}", if n.abs() < 0.005 { 0.0 } else { n });
        text.trim_end_matches('0').trim_end_matches('.').to_owned()
    };
    let ground = format!("{}, {}", number(at[0]), number(at[1]));
    if at[2] == 0.0 { ground } else { format!("{ground}, {}", number(at[2])) }
}

/// Reads degrees, `90`, `90 deg` or `90°`.
fn read_degrees(text: &str) -> Result<f32, ValueError> {
    let found = split_number(text).filter(|(n, unit)| matches!(*unit, "" | "deg" | "°") && n.abs() <= 360.0);
    found.map(|(n, _)| n as f32).ok_or_else(|| ValueError::not(text, "an angle in degrees, like \"90 deg\""))
}

/// Reads `1.4 m/s`.
fn read_speed(text: &str) -> Result<f32, ValueError> {
    let found = split_number(text).filter(|(n, unit)| matches!(*unit, "" | "m/s") && (0.0..=10_000.0).contains(n));
    found.map(|(n, _)| n as f32).ok_or_else(|| ValueError::not(text, "a speed, like \"1.4 m/s\""))
}

/// Reads two numbers with a unit, `-60..60 deg`, the lower first.
fn read_range(text: &str, units: &[&str]) -> Result<(f32, f32), ValueError> {
    let wrong = || ValueError::not(text, "a range, like \"-20..6\", the lower end first");
    let number = |part: &str| split_number(part).filter(|(_, unit)| unit.is_empty() || units.contains(unit)).map(|(n, _)| n as f32).ok_or_else(wrong);
    let (low, high) = match text.split_once("..") {
        Some((low, high)) => (number(low)?, number(high)?),
        None => (number(text)?, number(text)?),
    };
    if low <= high { Ok((low, high)) } else { Err(wrong()) }
}

const PLACE: &str = "a place, like \"12, 4\" (east, north)";

fn line(fields: &Fields<'_>, field: &'static str, least: usize) -> Option<Vec<Ground>> {
    Some(positions(fields, field, least)?.iter().map(|p| [p[0], p[1]]).collect())
}

fn positions(fields: &Fields<'_>, field: &'static str, least: usize) -> Option<Vec<Position>> {
    let texts = fields.texts(field)?;
    let mut points = Vec::new();
    for text in &texts {
        match read_position(&text.value) {
            Ok(point) => points.push(point),
            Err(what) => fields.reading().fault(&text.place, format!("{field} of {}: {what}", fields.of()), format!("write {PLACE}")),
        }
    }
    if points.len() < least {
        fields.reading().fault(&fields.place, format!("{field} of {} has {} points", fields.of(), points.len()), format!("give it at least {least}"));
        return None;
    }
    Some(points)
}

/// An outline or a circle.
fn form(fields: &Fields<'_>) -> Option<Form> {
    let at = fields.read("at", PLACE, read_position);
    let radius = fields.quantity::<Metres>("radius");
    if let (Some(at), Some(radius)) = (&at, &radius) {
        return Some(Form::Circle([at.value[0], at.value[1]], radius.value.0));
    }
    if at.is_some() != radius.is_some() {
        fields.reading().fault(&fields.place, format!("{} is half a circle", fields.of()), "give it both at and radius, or an outline");
        return None;
    }
    let outline = line(fields, "outline", 3);
    if outline.is_none() && !fields.names().iter().any(|n| n == "outline") {
        fields.reading().fault(&fields.place, format!("{} is nowhere", fields.of()), "give it an outline of three points or more, or at and radius");
    }
    outline.map(Form::Outline)
}

fn muffle(fields: &Fields<'_>, field: &'static str) -> Option<MuffleDoc> {
    let (item, place) = fields.item(field)?;
    let inner = fields.inside(field, item, format!("{field} of {}", fields.of()), place)?;
    let doc = muffle_of(&inner);
    inner.finish();
    Some(doc)
}

fn muffle_of(fields: &Fields<'_>) -> MuffleDoc {
    MuffleDoc {
        level: fields.limited("level", Decibels(-120.0), Decibels(0.0)).unwrap_or(Decibels(0.0)),
        low_pass_octaves: fields.read("low-pass", "a frequency, like 800 Hz", |t| Property::LowPass.read(t)).map_or(0.0, |v| v.value.min(0.0)),
        time: fields.limited("time", Seconds(0.0), Seconds(60.0)).unwrap_or(Seconds(0.25)),
    }
}

/// A share, a parameter's name, or `{ from = "current", curve = ["0: 10 %", "3: 100 %"] }`.
fn amount(fields: &Fields<'_>, field: &'static str, unsaid: f32) -> AmountDoc {
    amount_in(fields, field, unsaid, |text| text.trim().parse::<Share>().ok().map(|s| s.0))
}

fn amount_in(fields: &Fields<'_>, field: &'static str, unsaid: f32, fixed: impl Fn(&str) -> Option<f32>) -> AmountDoc {
    let Some((item, place)) = fields.item(field) else { return AmountDoc::Fixed(unsaid) };
    if item.as_table_like().is_none() {
        let Some(text) = fields.text(field) else { return AmountDoc::Fixed(unsaid) };
        return fixed(&text.value).map_or_else(|| AmountDoc::Moved(text.clone(), None), AmountDoc::Fixed);
    }
    let Some(inner) = fields.inside(field, item, format!("{field} of {}", fields.of()), place) else { return AmountDoc::Fixed(unsaid) };
    let from = inner.text("from");
    let mut points = Vec::new();
    for text in inner.texts("curve").unwrap_or_default() {
        // The unit of the parameter is not known here: what follows the number is not kept.
        let bare = text.value.split_once(':').and_then(|(x, y)| split_number(x).map(|(n, _)| format!("{n}:{y}")));
        match bare.as_deref().ok_or_else(|| ValueError::not(&text.value, "a point")).and_then(|t| read_point(t, "", Property::Chance)) {
            Ok(point) => points.push(point),
            Err(what) => inner.reading().fault(&text.place, what, "write points like \"2: 80 %\""),
        }
    }
    if from.is_none() {
        inner.reading().fault(&inner.place, format!("{} has no from", inner.of()), "name the parameter: from = \"current\"");
    }
    inner.finish();
    match from {
        Some(from) => AmountDoc::Moved(from, (!points.is_empty()).then(|| Curve::new(points))),
        None => AmountDoc::Fixed(unsaid),
    }
}

fn height(fields: &Fields<'_>) -> Option<(f32, f32)> {
    fields.read("height", "a range of metres, like \"-20..6 m\"", |t| read_range(t, &["m"])).map(|h| h.value)
}

fn note(fields: &Fields<'_>) -> String {
    fields.text("note").map(|n| n.value).unwrap_or_default()
}

pub(super) fn read_world(reading: &Reading<'_>) -> WorldDoc {
    let toml = parse_toml(reading.file, reading.text, reading.faults);
    let top = Fields::new(reading, &registry::WORLD, toml.as_table(), "the world", Place::whole(reading.file));
    let mut world = WorldDoc::default();
    if let Some(start) = top.read("start", PLACE, read_position) {
        world.start = start.value;
    }
    if let Some(facing) = top.read("facing", "degrees clockwise from north", read_degrees) {
        world.facing_degrees = facing.value;
    }
    if let Some(speed) = top.read("speed-of-sound", "a speed, like \"340 m/s\"", read_speed) {
        world.sound_metres_per_second = speed.value.clamp(50.0, 10_000.0);
    }
    world.head = top
        .read("heard-by", "speakers or headphones", |text| match text.trim() {
            "speakers" => Ok(false),
            "headphones" => Ok(true),
            other => Err(format!("\"{other}\" is nothing one hears by").into()),
        })
        .is_some_and(|h| h.value);
    world.zones = each(&top, "zones", "zone", |name, fields, place| zone(name, fields, place, false));
    world.zones.extend(each(&top, "shelters", "shelter", |name, fields, place| zone(name, fields, place, true)));
    world.doorways = each(&top, "doorways", "doorway", doorway);
    world.walls = each(&top, "walls", "wall", wall);
    world.emitters = each(&top, "emitters", "emitter", emitter);
    world.emitters.extend(each(&top, "trails", "trail", trail));
    world.emitters.extend(each(&top, "areas", "area", area));
    world.emitters.extend(each(&top, "bearings", "bearing", bearing));
    world.one_shots = each(&top, "one-shots", "one-shots", one_shots);
    world.flocks = each(&top, "flocks", "flock", flock);
    top.finish();
    world
}

/// Reads the tables of one kind; what is at fault is left out.
fn each<T>(top: &Fields<'_>, table: &'static str, word: &str, read: impl Fn(String, &Fields<'_>, Place) -> Option<T>) -> Vec<T> {
    let mut list = Vec::new();
    for (name, item, place) in top.entries(table) {
        if well_named(top.reading(), &name, &place)
            && let Some(fields) = top.inside(table, item, format!("the {word} {name}"), place.clone())
        {
            list.extend(read(name, &fields, place));
            fields.finish();
        }
    }
    list
}

fn zone(name: String, fields: &Fields<'_>, place: Place, shelter: bool) -> Option<ZoneDoc> {
    let mut doc = ZoneDoc {
        name,
        shelter,
        form: Form::Circle([0.0; 2], 0.0),
        height: height(fields),
        order: 0,
        margin: fields.quantity("margin").map_or(Metres(0.0), |m| m.value),
        sets: None,
        snapshot: None,
        reverb: Vec::new(),
        ambience: Vec::new(),
        fade: fields.limited("fade", Seconds(0.0), Seconds(60.0)).unwrap_or(Seconds(0.4)),
        outside: muffle(fields, "outside"),
        inside: muffle(fields, "inside"),
        edge: None,
        note: note(fields),
        place,
    };
    if shelter {
        doc.edge = fields.text("edge");
    } else {
        doc.order = fields.whole("order", -1000, 1000).map_or(0, |o| o.value);
        doc.snapshot = fields.text("snapshot");
        doc.ambience = fields.texts("ambience").unwrap_or_default();
        doc.sets = fields.text("sets").and_then(|text| match text.value.split_once(" is ") {
            Some((state, value)) => {
                let part = |t: &str| Located { value: t.trim().to_owned(), place: text.place.clone() };
                Some((part(state), part(value)))
            }
            None => {
                fields.reading().fault(&text.place, format!("\"{}\" sets nothing", text.value), "write \"STATE is VALUE\", like \"place is nave\"");
                None
            }
        });
        for (bus, item, place) in fields.entries("reverb") {
            match item.as_str().map(str::parse::<Decibels>) {
                Some(Ok(level)) => doc.reverb.push((Located { value: bus, place }, level)),
                _ => fields.reading().fault(&place, format!("reverb of {} has no level", fields.of()), "write { nave = \"-6 dB\" }"),
            }
        }
    }
    // Last, so that what else is wrong is said too.
    doc.form = form(fields)?;
    Some(doc)
}

fn doorway(name: String, fields: &Fields<'_>, place: Place) -> Option<DoorwayDoc> {
    note(fields);
    let between = fields.texts("between").unwrap_or_default();
    let open = amount(fields, "open", 1.0);
    let closed = muffle(fields, "closed");
    let reach = fields.quantity("reach").map_or(Metres(4.0), |m| m.value);
    let line = line(fields, "line", 2);
    if between.len() != 2 {
        fields.reading().fault(&place, format!("{} is not between two zones", fields.of()), "write between = [\"quay\", \"nave\"]; one may be \"outside\"");
        return None;
    }
    let Some(&[a, b]) = line.as_deref() else {
        fields.reading().fault(&place, format!("{} has no two ends", fields.of()), "write line = [\"12, 4\", \"14, 4\"]");
        return None;
    };
    Some(DoorwayDoc { name, between, line: [a, b], open, closed, reach, place })
}

fn wall(name: String, fields: &Fields<'_>, place: Place) -> Option<WallDoc> {
    note(fields);
    let closed = fields.yes("closed").is_some_and(|c| c.value);
    let mut muffle = muffle_of(fields);
    if !fields.names().iter().any(|n| n == "level" || n == "low-pass") {
        (muffle.level, muffle.low_pass_octaves) = (Decibels(-9.0), -4.0);
    }
    let doc = WallDoc { name, line: Vec::new(), closed, height: height(fields), muffle, place };
    let Some(line) = line(fields, "line", 2) else {
        fields.reading().fault(&doc.place, format!("{} is nowhere", fields.of()), "write line = [\"12, 4\", \"20, 4\"]");
        return None;
    };
    Some(WallDoc { line, ..doc })
}

/// What all emitters have.
fn emits(name: String, table: &'static str, fields: &Fields<'_>, place: Place, stand: StandDoc) -> EmitterDoc {
    EmitterDoc {
        name,
        table,
        kind: fields.text("kind").map(|k| k.value),
        stand,
        facing_degrees: fields.read("facing", "degrees clockwise from north", read_degrees).map_or(0.0, |f| f.value),
        plays: fields.texts("plays").unwrap_or_default(),
        note: note(fields),
        place,
    }
}

fn up(fields: &Fields<'_>) -> f32 {
    fields.read("up", "metres, like \"-2 m\"", |t| read_range(t, &["m"])).map_or(0.0, |v| v.value.0)
}

fn nowhere<T>(fields: &Fields<'_>, fix: &str) -> Option<T> {
    fields.reading().fault(&fields.place, format!("{} is nowhere", fields.of()), fix);
    None
}

fn emitter(name: String, fields: &Fields<'_>, place: Place) -> Option<EmitterDoc> {
    let at = fields.read("at", PLACE, read_position);
    let path = line(fields, "path", 2);
    let speed = fields.read("speed", "a speed, like \"1.4 m/s\"", read_speed).map_or(1.4, |s| s.value);
    let words = PassDoc::ALL.map(|(_, word)| word).join(", ");
    let pass = fields.read("pass", &words, |t| {
        PassDoc::ALL.iter().find(|(_, word)| *word == t.trim()).map(|(p, _)| *p).ok_or_else(|| ValueError::not(t, "a way to go along a path"))
    });
    let up = up(fields);
    let stand = match (path, &at) {
        (Some(path), _) => Some(StandDoc::Path(path, up, speed, pass.map_or(PassDoc::Back, |p| p.value))),
        (None, Some(at)) => Some(StandDoc::Still(at.value)),
        (None, None) => None,
    };
    let doc = emits(name, "emitters", fields, place, stand.clone().unwrap_or(StandDoc::Still([0.0; 3])));
    if stand.is_none() { nowhere(fields, "write at = \"12, 4\", or a path") } else { Some(doc) }
}

fn trail(name: String, fields: &Fields<'_>, place: Place) -> Option<EmitterDoc> {
    let closed = fields.yes("closed").is_some_and(|c| c.value);
    let up = up(fields);
    let line = line(fields, "line", 2);
    let found = line.is_some();
    let doc = emits(name, "trails", fields, place, StandDoc::Trail(line.unwrap_or_default(), closed, up));
    if found { Some(doc) } else { nowhere(fields, "write line = [\"12, 4\", \"20, 4\"]") }
}

fn area(name: String, fields: &Fields<'_>, place: Place) -> Option<EmitterDoc> {
    let up = up(fields);
    let points = fields.names().iter().any(|n| n == "points");
    let stand = if points { positions(fields, "points", 1).map(StandDoc::Points) } else { form(fields).map(|f| StandDoc::Area(f, up)) };
    let doc = emits(name, "areas", fields, place, stand.clone().unwrap_or(StandDoc::Points(Vec::new())));
    stand.map(|_| doc)
}

fn bearing(name: String, fields: &Fields<'_>, place: Place) -> Option<EmitterDoc> {
    let bearing = amount_in(fields, "bearing", 0.0, |t| read_degrees(t).ok());
    let distance = fields.quantity("distance").map_or(Metres(10.0), |m| m.value);
    Some(emits(name, "bearings", fields, place, StandDoc::Held(bearing, distance)))
}

fn during(fields: &Fields<'_>) -> Vec<Condition> {
    let mut list = Vec::new();
    for text in fields.texts("while").unwrap_or_default() {
        match reactions::read_conditions(&text.place, &text.value) {
            Ok(found) => list.extend(found),
            Err(fault) => fields.reading().fault(&text.place, fault.what, fault.fix),
        }
    }
    list
}

fn one_shots(name: String, fields: &Fields<'_>, place: Place) -> Option<OneShotsDoc> {
    note(fields);
    let plays = fields.text("plays");
    let passing = fields.quantity::<Metres>("passing").map(|m| m.value);
    let speed = fields.read("speed", "a speed, like \"4 m/s\"", read_speed).map_or(4.0, |s| s.value);
    let around = fields.span::<Metres>("around").map_or(Span { low: Metres(4.0), high: Metres(14.0) }, |s| s.value);
    let doc = OneShotsDoc {
        name,
        plays: plays.clone().unwrap_or(Located { value: String::new(), place: place.clone() }),
        every: fields.span("every").map_or(Span { low: Seconds(4.0), high: Seconds(9.0) }, |s| s.value),
        pace: amount(fields, "pace", 1.0),
        around,
        bearing: fields.read("bearing", "degrees, like \"-60..60 deg\"", |t| read_range(t, &["deg", "°"])).map_or((-180.0, 180.0), |b| b.value),
        within: fields.text("within"),
        height: height(fields).unwrap_or((0.0, 0.0)),
        passing: passing.map(|m| (m, speed)),
        most: fields.whole("most", 1, 64).map_or(4, |m| m.value as u32),
        during: during(fields),
        place,
    };
    if plays.is_none() { nothing(fields) } else { Some(doc) }
}

fn nothing<T>(fields: &Fields<'_>) -> Option<T> {
    fields.reading().fault(&fields.place, format!("{} plays nothing", fields.of()), "name a sound: plays = \"shrimp/snap\"");
    None
}

fn flock(name: String, fields: &Fields<'_>, place: Place) -> Option<FlockDoc> {
    note(fields);
    let plays = fields.text("plays");
    let (within, along) = (fields.text("within"), fields.text("along"));
    let points = if fields.names().iter().any(|n| n == "points") { positions(fields, "points", 1) } else { fields.texts("points").map(|_| Vec::new()) };
    let candidates = match (points, along, within) {
        (Some(points), ..) => Some(Candidates::Points(points)),
        (None, Some(trail), _) => Some(Candidates::Along(trail)),
        (None, None, Some(zone)) => Some(Candidates::Within(zone)),
        (None, None, None) => None,
    };
    let doc = FlockDoc {
        name,
        plays: plays.clone().unwrap_or(Located { value: String::new(), place: place.clone() }),
        candidates: candidates.clone().unwrap_or(Candidates::Points(Vec::new())),
        places: fields.whole("places", 1, 4096).map_or(60, |m| m.value as u32),
        density: amount(fields, "density", 1.0),
        most: fields.whole("most", 1, 256).map_or(12, |m| m.value as u32),
        range: fields.quantity("range").map_or(Metres(20.0), |m| m.value),
        margin: fields.quantity("margin").map_or(Metres(4.0), |m| m.value),
        every: fields.span("every").map(|s| s.value),
        pace: amount(fields, "pace", 1.0),
        place,
    };
    if plays.is_none() {
        return nothing(fields);
    }
    if candidates.is_none() { nowhere(fields, "say within = a zone, along = a trail, or points") } else { Some(doc) }
}
