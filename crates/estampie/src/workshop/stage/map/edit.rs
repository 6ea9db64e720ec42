//! Editing the world on the map: adding, drawing, moving, copying, deleting, and typing fields.

use super::{Sketch, snapped};
use crate::workshop::app::{App, Mode};
use crate::workshop::stage::inputs::{StagePrompt, StageTarget};
use crate::workshop::text_field::TextField;
use estampie_engine::world::geometry::{Ground, apart};
use estampie_project::document::{Refusal, TABLES, ThingId};

/// Corners closer than this are the same.
const SAME: f32 = 0.3;

impl App {
    pub(super) fn type_thing(&mut self) {
        match self.map.chosen.clone() {
            Some(thing) => self.mode = Mode::typing(StagePrompt::Thing(thing), TextField::default()),
            None => self.say("choose a thing first: ; goes through them, enter takes what is at the cross"),
        }
    }

    pub(super) fn type_new_thing(&mut self) {
        if self.map.cross.is_none() {
            self.map.cross = Some(snapped(self.here()));
        }
        self.mode = Mode::typing(StagePrompt::NewThing, TextField::default());
    }

    /// Gives the chosen zone a snapshot of its name, and opens it in the mix.
    pub(super) fn snapshot_of_chosen(&mut self) {
        let Some(zone) = self.map.chosen.clone().filter(|thing| thing.table == "zones") else {
            return self.say("choose a zone first: ; goes through the things of the map");
        };
        match self.workspace.add_zone_snapshot(&zone.name) {
            Ok(snapshot) => {
                self.recompile();
                self.open_snapshot(&snapshot);
                self.say(format!("{} raises the snapshot {snapshot}: what is moved now, it holds; esc goes back to the mix", zone.name));
            }
            Err(why) => self.alarm(why),
        }
    }

    /// `FIELD VALUE` of a thing; without a value the field is taken out.
    pub(crate) fn set_thing_typed(&mut self, thing: &ThingId, text: &str) -> Result<(), Refusal> {
        let text = text.trim();
        let (field, value) = text.split_once(' ').unwrap_or((text, ""));
        if field.is_empty() {
            return Err("write a field and its value, like: at 12, 4".into());
        }
        self.workspace.set_thing(thing, field, value)?;
        self.recompile();
        Ok(())
    }

    /// `emitter lamp`, `zone crypt`, `doorway gate streets crypt`: what is to be drawn from the cross on.
    pub(crate) fn begin_thing(&mut self, text: &str) -> Result<(), Refusal> {
        let mut words = text.split_whitespace();
        let (kind, name) = (words.next().unwrap_or_default(), words.next().unwrap_or_default().to_owned());
        let known: Vec<&str> = TABLES.iter().map(|(_, word, _)| *word).collect();
        let (table, ..) = *TABLES.iter().find(|(_, word, _)| *word == kind).ok_or_else(|| format!("write what and its name: {}", known.join(", ")))?;
        if name.is_empty() {
            return Err(format!("write a name too, like: {kind} lamp").into());
        }
        if self.document().world.thing(&name).is_some() {
            return Err(format!("there is another {name} in the world").into());
        }
        let rest: Vec<&str> = words.collect();
        let mut further = Vec::new();
        match (table, rest.as_slice()) {
            ("doorways", [a, b]) => further.push(("between", format!("{a}; {b}"))),
            ("doorways", _) => return Err("write between which zones: doorway gate streets crypt; one may be outside".into()),
            ("emitters" | "trails" | "areas", []) => {}
            ("emitters" | "trails" | "areas", [sound]) => further.push(("plays", (*sound).to_owned())),
            ("bearings", [bearing]) => further.push(("bearing", (*bearing).to_owned())),
            ("bearings", _) => return Err("write from where: bearing gust 90, or a parameter's name".into()),
            (_, []) => {}
            _ => return Err(format!("nothing follows the name of a {kind}").into()),
        }
        let at = snapped(self.here());
        let sketch = Sketch { table, name, points: vec![at], further };
        if matches!(table, "emitters" | "bearings") {
            return self.finish_sketch(sketch);
        }
        self.say(format!("drawing {} {}: arrows and enter set corners, enter twice ends, backspace is esc", kind, sketch.name));
        self.map.sketch = Some(sketch);
        Ok(())
    }

    /// The next corner at the cross; the same place again, or the first, ends.
    pub(super) fn add_corner(&mut self) {
        let Some(cross) = self.map.cross else { return };
        let Some(mut sketch) = self.map.sketch.take() else { return };
        let at = self.caught(cross);
        let ends = sketch.points.last().is_some_and(|p| apart(*p, at) < SAME) || sketch.points.len() > 2 && apart(sketch.points[0], at) < SAME;
        let doorway = sketch.table == "doorways";
        if !ends {
            sketch.points.push(at);
        }
        if ends || doorway && sketch.points.len() == 2 {
            let kept = sketch.clone();
            if let Err(why) = self.finish_sketch(sketch) {
                self.alarm(why);
                self.map.sketch = Some(kept);
            }
        } else {
            self.map.sketch = Some(sketch);
        }
    }

    /// A place on the grid, or the corner of something that is near.
    fn caught(&self, at: Ground) -> Ground {
        let reach = self.projection().scale.max(SAME);
        let corners = self.document().world.things().into_iter().flat_map(|t| t.points);
        corners.map(|p| (apart(p, at), p)).filter(|(far, _)| *far <= reach).min_by(|a, b| a.0.total_cmp(&b.0)).map_or_else(|| snapped(at), |(_, p)| p)
    }

    fn finish_sketch(&mut self, sketch: Sketch) -> Result<(), Refusal> {
        let further: Vec<(&str, &str)> = sketch.further.iter().map(|(k, v)| (*k, v.as_str())).collect();
        self.workspace.add_thing(sketch.table, &sketch.name, &sketch.points, &further)?;
        self.recompile();
        self.say(format!("{} is in the world; e types its fields, u takes it back", sketch.name));
        self.map.chosen = Some(ThingId { table: sketch.table, name: sketch.name });
        Ok(())
    }

    pub(super) fn carry(&mut self) {
        if self.chosen_thing().is_none_or(|t| t.points.is_empty()) {
            return self.say("choose a thing that is somewhere first");
        }
        self.map.carrying = !self.map.carrying;
        if self.map.carrying {
            self.say("the arrows move it, shift by ten; enter sets it down");
        }
    }

    pub(crate) fn carry_by(&mut self, by: Ground) {
        let Some(id) = self.map.chosen.clone() else { return };
        let done = self.workspace.move_thing(&id, by);
        if done.is_err() {
            self.map.carrying = false;
        }
        self.edited(done);
    }

    pub(super) fn copy_chosen(&mut self) {
        let Some(thing) = self.chosen_thing() else { return self.say("choose a thing to copy first") };
        let Some(from) = thing.points.first().copied() else { return self.say(format!("{} is nowhere that could be copied", thing.id.name)) };
        let to = self.map.cross.unwrap_or([from[0] + 2.0, from[1] + 2.0]);
        let stem = thing.id.name.trim_end_matches(|c: char| c.is_ascii_digit()).trim_end_matches('-').to_owned();
        let new = (2..).map(|n| format!("{stem}-{n}")).find(|n| self.document().world.thing(n).is_none()).unwrap_or_default();
        let done = self.workspace.copy_thing(&thing.id, &new, [to[0] - from[0], to[1] - from[1]]);
        let well = done.is_ok();
        self.edited(done);
        if well {
            self.map.chosen = Some(ThingId { table: thing.id.table, name: new.clone() });
            self.say(format!("{new} is a copy of {}", thing.id.name));
        }
    }

    pub(super) fn delete_chosen(&mut self) {
        let Some(id) = self.map.chosen.take() else { return self.say("choose a thing to delete first") };
        let done = self.workspace.delete_thing(&id);
        let well = done.is_ok();
        self.edited(done);
        if well {
            self.say(format!("{} is deleted; u brings it back", id.name));
        } else {
            self.map.chosen = Some(id);
        }
    }
}

impl App {
    /// A click: the next corner of what is drawn, the thing that is there, or the cross.
    pub(crate) fn click_map(&mut self, x: u16, y: u16) {
        self.stage.column = crate::workshop::stage::Column::Map;
        let projection = self.projection();
        let at = projection.ground(x, y);
        let listener = self.listener().at;
        if self.map.sketch.is_some() {
            self.map.cross = Some(snapped(at));
            return self.add_corner();
        }
        let reach = projection.scale * 1.6;
        if apart([listener[0], listener[1]], at) <= reach {
            self.map.chosen = None;
            self.dragging = Some((std::rc::Rc::new(StageTarget::Map), projection.area));
        } else if self.choose_at(at, reach) {
            // Only what stands at a point is dragged: a slip on a wall would move it.
            if self.chosen_thing().is_some_and(|t| t.points.len() == 1) {
                self.dragging = Some((std::rc::Rc::new(StageTarget::Map), projection.area));
            }
        } else {
            self.map.cross = Some(snapped(at));
        }
    }

    /// Drags the chosen thing, or the listener if none is chosen.
    pub(crate) fn drag_map(&mut self, x: u16, y: u16) {
        let to = snapped(self.projection().ground(x, y));
        match self.chosen_thing() {
            Some(thing) => {
                if let Some(from) = thing.points.first().filter(|from| apart(**from, to) >= super::GRID / 2.0) {
                    self.carry_by([to[0] - from[0], to[1] - from[1]]);
                }
            }
            None => self.place_listener(to, None),
        }
    }
}
