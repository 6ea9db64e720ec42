//! Changes of the world: things are added, moved, copied, renamed, deleted, and their fields set, each as one edit.

use super::Refusal;
use super::world::{Candidates, Position, StandDoc, WorldDoc, print_position};
use super::{NewValue, Workspace};
use crate::language::lex::is_plain_name;
use estampie_engine::world::geometry::{Form, Ground};

const FILE: &str = "world.toml";

/// Which thing of the world: the table it is written in, and its name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ThingId {
    /// `zones`, `shelters`, `doorways`, `walls`, `emitters`, `trails`, `areas`, `bearings`, `one-shots` or `flocks`.
    pub table: &'static str,
    /// Its name.
    pub name: String,
}

/// A thing of the world with where it lies on the map.
#[derive(Debug, Clone, PartialEq)]
pub struct MapThing {
    /// Which.
    pub id: ThingId,
    /// Its corners, points or middle; none if it is wherever the listener is.
    pub points: Vec<Ground>,
    /// Whether its points are the corners of something closed.
    pub closed: bool,
    /// Its radius, if it is a circle.
    pub radius_metres: Option<f32>,
}

/// Tables of the world with the word for one of their things, and the field that holds where it is when it is drawn.
pub const TABLES: [(&str, &str, &str); 8] = [
    ("zones", "zone", "outline"),
    ("shelters", "shelter", "outline"),
    ("doorways", "doorway", "line"),
    ("walls", "wall", "line"),
    ("emitters", "emitter", "at"),
    ("trails", "trail", "line"),
    ("areas", "area", "outline"),
    ("bearings", "bearing", ""),
];

/// Fields that hold places.
const PLACES: [&str; 5] = ["at", "outline", "line", "path", "points"];

fn flat(points: &[Position]) -> Vec<Ground> {
    points.iter().map(|p| [p[0], p[1]]).collect()
}

impl WorldDoc {
    /// Everything there is in the world, in the order of the tables.
    #[must_use]
    pub fn things(&self) -> Vec<MapThing> {
        let thing = |table: &'static str, name: &str, points: Vec<Ground>, closed, radius| MapThing {
            id: ThingId { table, name: name.to_owned() },
            points,
            closed,
            radius_metres: radius,
        };
        let of_form = |table, name: &str, form: &Form| match form {
            Form::Outline(points) => thing(table, name, points.clone(), true, None),
            Form::Circle(at, radius) => thing(table, name, vec![*at], false, Some(*radius)),
        };
        let mut list: Vec<MapThing> = self.zones.iter().map(|z| of_form(if z.shelter { "shelters" } else { "zones" }, &z.name, &z.form)).collect();
        list.extend(self.doorways.iter().map(|d| thing("doorways", &d.name, d.line.to_vec(), false, None)));
        list.extend(self.walls.iter().map(|w| thing("walls", &w.name, w.line.clone(), w.closed, None)));
        list.extend(self.emitters.iter().map(|e| match &e.stand {
            StandDoc::Still(at) => thing(e.table, &e.name, vec![[at[0], at[1]]], false, None),
            StandDoc::Path(line, ..) => thing(e.table, &e.name, line.clone(), false, None),
            StandDoc::Trail(line, closed, _) => thing(e.table, &e.name, line.clone(), *closed, None),
            StandDoc::Area(form, _) => of_form(e.table, &e.name, form),
            StandDoc::Points(points) => thing(e.table, &e.name, flat(points), false, None),
            StandDoc::Held(..) => thing(e.table, &e.name, Vec::new(), false, None),
        }));
        list.extend(self.one_shots.iter().map(|s| thing("one-shots", &s.name, Vec::new(), false, None)));
        list.extend(self.flocks.iter().map(|f| {
            let points = if let Candidates::Points(points) = &f.candidates { flat(points) } else { Vec::new() };
            thing("flocks", &f.name, points, false, None)
        }));
        list
    }

    /// The thing of a name.
    #[must_use]
    pub fn thing(&self, name: &str) -> Option<MapThing> {
        self.things().into_iter().find(|t| t.id.name == name)
    }
}

fn coordinates(points: &[Ground]) -> Vec<String> {
    points.iter().map(|p| print_position([p[0], p[1], 0.0])).collect()
}

impl Workspace {
    fn set_world(&mut self, name: &str, values: Vec<(Vec<&str>, NewValue)>) -> Result<(), Refusal> {
        let values: Vec<_> = values.into_iter().map(|(path, value)| (FILE, path, value)).collect();
        self.set_if_read(name, &values)
    }

    fn unused_in_world(&self, name: &str) -> Result<(), Refusal> {
        if !is_plain_name(name) {
            return Err(format!("\"{name}\" is no name: write lower case letters, digits and hyphens").into());
        }
        if self.document().world.thing(name).is_some() {
            return Err(format!("there is another {name} in the world").into());
        }
        Ok(())
    }

    /// Adds a thing to one of the tables of [`TABLES`], where it is given by its points; `further` are fields with texts. One edit.
    ///
    /// # Errors
    /// When the name is none or is taken, there are too few points, or a text is not understood; then nothing is changed.
    pub fn add_thing(&mut self, table: &'static str, name: &str, points: &[Ground], further: &[(&str, &str)]) -> Result<(), Refusal> {
        self.unused_in_world(name)?;
        let (_, word, field) = TABLES.iter().find(|(t, ..)| *t == table).ok_or_else(|| Refusal::missing("table", table))?;
        let mut values = Vec::new();
        let texts = coordinates(points);
        if *field == "at" {
            let at = texts.into_iter().next().ok_or_else(|| format!("the {word} {name} is nowhere"))?;
            values.push((vec![table, name, field], NewValue::Text(at)));
        } else if !field.is_empty() {
            values.push((vec![table, name, field], NewValue::List(texts)));
        }
        for (key, text) in further {
            values.push((std::iter::once(table).chain([name]).chain(key.split('.')).collect(), written(key, text)));
        }
        if values.is_empty() {
            return Err(format!("nothing is said of the {word} {name}").into());
        }
        self.set_world(&format!("{word} {name}"), values)
    }

    /// Sets a field of a thing, as one edit; an empty text takes it out. Several places are separated by semicolons.
    ///
    /// # Errors
    /// When there is no such thing or field, or the text is not understood; then nothing is changed.
    pub fn set_thing(&mut self, thing: &ThingId, field: &str, text: &str) -> Result<(), Refusal> {
        let value = if text.trim().is_empty() { NewValue::Nothing } else { written(field, text) };
        let path: Vec<&str> = [thing.table, thing.name.as_str()].into_iter().chain(field.split('.')).collect();
        self.set_world(&format!("{field} of {}", thing.name), vec![(path, value)])
    }

    /// Moves all places of a thing, as one edit.
    ///
    /// # Errors
    /// When it has none, or the file cannot be edited.
    pub fn move_thing(&mut self, thing: &ThingId, by: Ground) -> Result<(), Refusal> {
        let values = self.moved(thing, by)?;
        let values = values.iter().map(|(field, value)| (vec![thing.table, thing.name.as_str(), field.as_str()], value.clone())).collect();
        self.set_world(&format!("place of {}", thing.name), values)
    }

    /// The fields that hold a thing's places, moved.
    fn moved(&self, thing: &ThingId, by: Ground) -> Result<Vec<(String, NewValue)>, Refusal> {
        let mut values = Vec::new();
        for field in PLACES {
            let Some(list) = self.list_in(FILE, &[thing.table, thing.name.as_str(), field]) else { continue };
            let moved = |text: &String| super::read_position(text).map(|[x, y, z]| print_position([x + by[0], y + by[1], z]));
            let texts: Vec<String> = list.iter().map(moved).collect::<Result<_, _>>()?;
            let value = if field == "at" { NewValue::Text(texts.into_iter().next().unwrap_or_default()) } else { NewValue::List(texts) };
            values.push((field.to_owned(), value));
        }
        if values.is_empty() { Err(format!("{} is nowhere that could be moved", thing.name).into()) } else { Ok(values) }
    }

    /// Sets the corners of a thing, as one edit.
    ///
    /// # Errors
    /// When they are too few, or the file cannot be edited.
    pub fn set_points(&mut self, thing: &ThingId, points: &[Ground]) -> Result<(), Refusal> {
        let field = PLACES[1..].iter().find(|f| self.list_in(FILE, &[thing.table, thing.name.as_str(), f]).is_some());
        let field = field.ok_or_else(|| format!("{} has no corners", thing.name))?;
        self.set_world(&format!("corners of {}", thing.name), vec![(vec![thing.table, &thing.name, field], NewValue::List(coordinates(points)))])
    }

    /// Copies a thing under another name, moved, as one edit.
    ///
    /// # Errors
    /// When the name is none or is taken, or the file cannot be edited.
    pub fn copy_thing(&mut self, thing: &ThingId, new: &str, by: Ground) -> Result<(), Refusal> {
        self.unused_in_world(new)?;
        let moved = self.moved(thing, by)?;
        let mut toml = self.toml(FILE)?;
        let tables = toml.get_mut(thing.table).and_then(|t| t.as_table_like_mut()).ok_or_else(|| format!("there is no {}", thing.name))?;
        let mut copy = tables.get(&thing.name).cloned().ok_or_else(|| format!("there is no {}", thing.name))?;
        // It comes after all others, without the comments that were written about the first.
        if let Some(table) = copy.as_table_mut() {
            table.set_position(None);
            table.decor_mut().set_prefix("\n");
        }
        for (field, value) in moved {
            if let Some(fields) = copy.as_table_like_mut() {
                let value = match value {
                    NewValue::Text(text) => toml_edit::value(text),
                    NewValue::List(list) => toml_edit::value(list.iter().map(String::as_str).collect::<toml_edit::Array>()),
                    _ => continue,
                };
                fields.insert(&field, value);
            }
        }
        tables.insert(new, copy);
        self.change_if_read(&format!("copy of {}", thing.name), vec![(FILE.into(), Some(toml.to_string()))])
    }

    /// Deletes a thing, as one edit.
    ///
    /// # Errors
    /// When something else needs it, or the file cannot be edited.
    pub fn delete_thing(&mut self, thing: &ThingId) -> Result<(), Refusal> {
        self.set_world(&format!("{} deleted", thing.name), vec![(vec![thing.table, &thing.name], NewValue::Nothing)])
    }
}

/// A field's text as it is written: numbers and yes or no bare, places in a list.
fn written(field: &str, text: &str) -> NewValue {
    let text = text.trim().replace('−', "-");
    match (field, text.as_str()) {
        ("closed", "true" | "false") => NewValue::Yes(text == "true"),
        ("order" | "most" | "places", _) => text.parse().map_or(NewValue::Text(text.clone()), NewValue::Whole),
        ("outline" | "line" | "path" | "points" | "plays" | "ambience" | "between" | "while", _) => {
            NewValue::List(text.split(';').map(|t| t.trim().to_owned()).filter(|t| !t.is_empty()).collect())
        }
        _ => NewValue::Text(text),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const WORLD: &str = "# Brinewick\nstart = \"0, 0\"\n\n[zones.quay]   # planks\noutline = [\"0, 0\", \"10, 0\", \"10, 5\"]\norder = 2\n\n[emitters.bell]\nat = \"1, 2, -3\"  # on its hook\nplays = [\"hum\"]\n";

    fn project() -> (tempfile::TempDir, Workspace) {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("estampie.toml"), "format = 1\n").unwrap();
        std::fs::write(folder.path().join("world.toml"), WORLD).unwrap();
        let workspace = Workspace::open(folder.path()).unwrap();
        assert_eq!(workspace.faults(), []);
        (folder, workspace)
    }

    fn text(workspace: &Workspace) -> String {
        workspace.sources().get("world.toml").unwrap().to_string()
    }

    fn id(table: &'static str, name: &str) -> ThingId {
        ThingId { table, name: name.into() }
    }

    #[test]
    fn things_are_moved_and_come_back_with_their_comments() {
        let (_folder, mut workspace) = project();
        workspace.move_thing(&id("emitters", "bell"), [2.5, -2.0]).unwrap();
        assert!(text(&workspace).contains("at = \"3.5, 0, -3\"  # on its hook"), "{}", text(&workspace));
        workspace.move_thing(&id("zones", "quay"), [1.0, 1.0]).unwrap();
        let points = workspace.document().world.thing("quay").unwrap().points;
        assert_eq!(points, [[1.0, 1.0], [11.0, 1.0], [11.0, 6.0]]);
        assert_eq!(workspace.undo().unwrap().as_deref(), Some("place of quay"));
        assert_eq!(workspace.undo().unwrap().as_deref(), Some("place of bell"));
        assert_eq!(text(&workspace), WORLD);
    }

    #[test]
    fn things_are_added_copied_changed_and_deleted() {
        let (_folder, mut workspace) = project();
        workspace.add_thing("walls", "pier", &[[0.0, 0.0], [4.0, 0.0]], &[("level", "-6 dB")]).unwrap();
        workspace.add_thing("zones", "nave", &[[0.0, 9.0], [4.0, 9.0], [4.0, 12.0]], &[("inside.level", "-9 dB")]).unwrap();
        workspace.copy_thing(&id("emitters", "bell"), "bell-2", [1.0, 1.0]).unwrap();
        let world = workspace.document().world.clone();
        assert_eq!((world.walls[0].muffle.level.0, world.zones[1].inside.as_ref().unwrap().level.0), (-6.0, -9.0));
        let bell = world.emitters.iter().find(|e| e.name == "bell-2").unwrap();
        assert!(matches!(bell.stand, StandDoc::Still([2.0, 3.0, -3.0])) && bell.plays[0].value == "hum", "{bell:?}");
        workspace.set_thing(&id("zones", "quay"), "order", "5").unwrap();
        workspace.set_thing(&id("zones", "quay"), "margin", "2 m").unwrap();
        workspace.set_thing(&id("emitters", "bell"), "plays", "hum; hiss").unwrap();
        let world = workspace.document().world.clone();
        assert_eq!((world.zones[0].order, world.zones[0].margin.0, world.emitters[0].plays.len()), (5, 2.0, 2));
        workspace.set_thing(&id("zones", "quay"), "margin", "").unwrap();
        workspace.delete_thing(&id("walls", "pier")).unwrap();
        assert!(workspace.document().world.walls.is_empty() && workspace.document().world.zones[0].margin.0 == 0.0);
        while workspace.undo().unwrap().is_some() {}
        assert_eq!(text(&workspace), WORLD);
    }

    #[test]
    fn what_is_not_understood_changes_nothing() {
        let (_folder, mut workspace) = project();
        for (done, wanted) in [
            (workspace.add_thing("emitters", "bell", &[[0.0; 2]], &[]), "another bell"),
            (workspace.add_thing("emitters", "Bell", &[[0.0; 2]], &[]), "no name"),
            (workspace.add_thing("zones", "nave", &[[0.0; 2], [1.0, 1.0]], &[]), "2 points"),
            (workspace.set_thing(&id("emitters", "bell"), "at", "there"), "is not a place"),
            (workspace.set_thing(&id("emitters", "bell"), "colour", "red"), "no field colour"),
            (workspace.move_thing(&id("one-shots", "creaks"), [1.0, 0.0]), "nowhere"),
        ] {
            let why = done.unwrap_err();
            assert!(why.to_string().contains(wanted), "{why}");
        }
        assert_eq!(text(&workspace), WORLD);
        assert_eq!(workspace.unsaved(), 0);
    }
}
