//! The map on the Stage: where one walks, what lies where, and what keys and the mouse do to it. How it is drawn is in [`draw`],
//! what edits the world in [`edit`].

mod draw;
mod edit;

pub(crate) use draw::draw;

use crate::workshop::app::App;
use crate::workshop::keys::Do;
use crate::workshop::stage::Column;
use estampie_engine::engine::{EmitterStatus, InputKind};
use estampie_engine::names::NameKey;
use estampie_engine::world::emitters::LISTENER_NAME;
use estampie_engine::world::geometry::{Form, Ground, apart, bounds, nearest_on};
use estampie_project::document::{MapThing, ThingId, WorldDoc};
use estampie_project::language::actions::SlotKind;
use estampie_proof::listen_elsewhere as here;
use ratatui::layout::Rect;
use std::collections::VecDeque;
use std::time::{Duration, Instant};

/// Metres for a column of the screen; a row is twice as much.
const SCALES: [f32; 9] = [0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0];
/// Speeds to walk at, in metres in a second.
const SPEEDS: [f32; 6] = [0.7, 1.4, 2.5, 4.0, 7.0, 12.0];
/// With shift one goes so many times as fast.
const RUN: f32 = 3.0;
/// One press of an arrow walks for so long, in seconds; held, the way goes on.
const STRIDE: f32 = 0.8;
/// What is drawn lies on a grid of so many metres.
pub(super) const GRID: f32 = 0.5;
/// So many places of the listener's way are shown.
const TRACK: usize = 400;

/// The line of keys while the map has the hands.
pub(crate) const KEYS: [(&str, &str); 13] = [
    ("arrows", "walk"),
    ("shift", "runs"),
    ("< >", "turn"),
    ("p", "point"),
    ("; ,", "choose"),
    ("e", "edit"),
    ("A", "add"),
    ("K", "move"),
    ("S", "solo"),
    ("\"", "measure"),
    ("+ −", "zoom"),
    ("M", "lanes"),
    ("?", "help"),
];

/// A thing being drawn.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Sketch {
    pub(crate) table: &'static str,
    pub(crate) name: String,
    pub(crate) points: Vec<Ground>,
    /// Further fields and their texts.
    pub(crate) further: Vec<(&'static str, String)>,
}

/// What the map shows and what hands do on it.
#[derive(Debug)]
pub(crate) struct MapView {
    /// Whether it is shown; if nobody has said, where the project has a world.
    shown: Option<bool>,
    /// The middle and the scale; all of the world if `None`.
    pub(super) look: Option<(Ground, f32)>,
    pub(super) follow: bool,
    /// The cross, while the arrows move it instead of walking.
    pub(super) cross: Option<Ground>,
    pub(super) chosen: Option<ThingId>,
    pub(super) ruler: Option<Ground>,
    pub(super) sketch: Option<Sketch>,
    /// The chosen thing moves with the arrows.
    pub(super) carrying: bool,
    /// Where the listener was put last, until the engine has said so too.
    put: Option<([f32; 3], Instant)>,
    /// Which of [`SPEEDS`].
    speed: usize,
    /// Where the listener was, newest last.
    pub(super) track: VecDeque<Ground>,
    /// The way that the last arrow began.
    walking: Option<([i8; 2], Instant)>,
}

impl Default for MapView {
    fn default() -> Self {
        MapView {
            shown: None,
            look: None,
            follow: false,
            cross: None,
            chosen: None,
            ruler: None,
            sketch: None,
            carrying: false,
            put: None,
            speed: 1,
            track: VecDeque::new(),
            walking: None,
        }
    }
}

/// From metres to places on the screen and back.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Projection {
    pub(super) area: Rect,
    centre: Ground,
    /// Metres for a column.
    pub(super) scale: f32,
}

impl Projection {
    /// As it is looked at, or all of the world in an area.
    pub(super) fn new(world: &WorldDoc, look: Option<(Ground, f32)>, area: Rect) -> Projection {
        let (centre, scale) = look.unwrap_or_else(|| {
            let zones: Vec<Ground> = world.zones.iter().flat_map(|z| [z.form.bounds().0, z.form.bounds().1]).collect();
            let all: Vec<Ground> = if zones.is_empty() { world.things().iter().flat_map(|t| t.points.clone()).collect() } else { zones };
            let (low, high) = bounds(&all);
            let needed = ((high[0] - low[0]) / f32::from(area.width.max(1))).max((high[1] - low[1]) / (2.0 * f32::from(area.height.max(1)))) * 1.04;
            let scale = if all.is_empty() { 1.0 } else { needed.max(0.1) };
            ([f32::midpoint(low[0], high[0]), f32::midpoint(low[1], high[1])], scale)
        });
        Projection { area, centre, scale }
    }

    /// A place in shares of the area from its left and its foot, for plots.
    pub(super) fn share(&self, at: Ground) -> (f64, f64) {
        let x = 0.5 + f64::from((at[0] - self.centre[0]) / self.scale) / f64::from(self.area.width.max(1));
        let y = 0.5 + f64::from((at[1] - self.centre[1]) / (2.0 * self.scale)) / f64::from(self.area.height.max(1));
        (x, y)
    }

    /// The cell that a place lies in, if it is in sight.
    pub(super) fn cell(&self, at: Ground) -> Option<(u16, u16)> {
        let (x, y) = self.share(at);
        if !(0.0..1.0).contains(&x) || !(0.0..1.0).contains(&y) {
            return None;
        }
        let column = (x * f64::from(self.area.width)) as u16;
        let row = ((1.0 - y) * f64::from(self.area.height)) as u16;
        Some((self.area.x + column.min(self.area.width - 1), self.area.y + row.min(self.area.height - 1)))
    }

    /// The place in the middle of a cell.
    pub(super) fn ground(&self, x: u16, y: u16) -> Ground {
        let across = f32::from(x) + 0.5 - f32::from(self.area.x) - f32::from(self.area.width) / 2.0;
        let down = f32::from(y) + 0.5 - f32::from(self.area.y) - f32::from(self.area.height) / 2.0;
        [self.centre[0] + across * self.scale, self.centre[1] - down * 2.0 * self.scale]
    }
}

/// On the grid.
pub(super) fn snapped(at: Ground) -> Ground {
    at.map(|v| (v / GRID).round() * GRID)
}

/// Whether a thing with an area has a place in it.
pub(super) fn encloses(thing: &MapThing, at: Ground) -> bool {
    match (thing.points.as_slice(), thing.radius_metres) {
        ([middle], Some(radius)) => apart(*middle, at) <= radius,
        (points, _) if thing.closed && points.len() > 2 => Form::Outline(points.to_vec()).contains(at),
        _ => false,
    }
}

/// How far a place is from a thing: 0 within a circle's radius of its edge, otherwise to its nearest side.
pub(super) fn away(thing: &MapThing, at: Ground) -> f32 {
    match (thing.points.as_slice(), thing.radius_metres) {
        ([], _) => f32::INFINITY,
        ([middle], Some(radius)) => (apart(*middle, at) - radius).abs(),
        ([one], None) => apart(*one, at),
        (points, _) if thing.id.table == "areas" && !thing.closed => points.iter().map(|p| apart(*p, at)).fold(f32::INFINITY, f32::min),
        (points, _) => apart(nearest_on(points, thing.closed, at), at),
    }
}

impl App {
    /// Whether the map is in the centre of the Stage.
    pub(crate) fn map_shown(&self) -> bool {
        !self.game.shown && self.map.shown.unwrap_or_else(|| self.program().world.any())
    }

    pub(super) fn listener(&self) -> EmitterStatus {
        let nobody = EmitterStatus {
            kind: NameKey::NONE,
            of_project: false,
            emitter: NameKey::of(LISTENER_NAME),
            at: self.document().world.start,
            metres: 0.0,
            facing_degrees: self.document().world.facing_degrees,
        };
        let mut now = self.rehearsal.status.as_ref().and_then(|s| s.emitters.first()).copied().unwrap_or(nobody);
        // What was just said counts, though no status has come since: a walk begun meanwhile would lead back to where one was.
        if let Some((at, _)) = self.map.put.filter(|(_, since)| since.elapsed() < Duration::from_millis(300)) {
            now.at = at;
        }
        now
    }

    /// Where keys act: the cross, or the listener.
    pub(super) fn here(&self) -> Ground {
        let at = self.listener().at;
        self.map.cross.unwrap_or([at[0], at[1]])
    }

    pub(super) fn projection(&self) -> Projection {
        let area = self.targets.iter().find(|(_, target)| target.part() == "map").map_or(Rect::new(0, 0, 80, 30), |(rect, _)| *rect);
        self.projection_in(area)
    }

    pub(super) fn projection_in(&self, area: Rect) -> Projection {
        let all = Projection::new(&self.document().world, self.map.look, area);
        if !self.map.follow {
            return all;
        }
        let at = self.listener().at;
        Projection { centre: [at[0], at[1]], ..all }
    }

    /// The emitters of the engine that have names of the project's, sounding or not.
    pub(super) fn chosen_thing(&self) -> Option<MapThing> {
        let id = self.map.chosen.as_ref()?;
        self.document().world.things().into_iter().find(|t| t.id == *id)
    }

    /// Keeps the listener's way; true if he has moved.
    pub(crate) fn poll_map(&mut self) -> bool {
        let Some(at) = self.rehearsal.status.as_ref().and_then(|s| s.emitters.first()).map(|l| [l.at[0], l.at[1]]) else {
            return !std::mem::take(&mut self.map.track).is_empty();
        };
        if self.map.track.back().is_some_and(|last| apart(*last, at) < 0.25) {
            return false;
        }
        if self.map.track.len() == TRACK {
            self.map.track.pop_front();
        }
        self.map.track.push_back(at);
        true
    }

    /// What a key does while the map has the hands; false if it is not the map's.
    pub(super) fn act_map(&mut self, does: Do) -> bool {
        if does == Do::Map {
            let shown = !self.map_shown();
            self.map.shown = Some(shown);
            self.stage.column = if shown { Column::Map } else { Column::Index };
            return true;
        }
        if does == Do::Head {
            let usual = self.program().world.head;
            let on = !self.rehearsal.only.head.unwrap_or(usual);
            self.rehearsal.change_only(|only| only.head = (on != usual).then_some(on));
            self.say(if on { "with a head between the ears, for headphones (temporary)" } else { "in stereo, for speakers (temporary)" });
            return true;
        }
        if !self.map_shown() {
            return false;
        }
        // What can only be meant for the map brings the hands there.
        let meant = matches!(does, Do::Point | Do::PutHere | Do::NextThing | Do::PreviousThing | Do::AddThing | Do::SoloThing | Do::Curve)
            || matches!(does, Do::Ruler | Do::FollowMe | Do::ZoomIn | Do::ZoomOut | Do::TurnLeft | Do::TurnRight | Do::Slower | Do::Faster);
        if meant {
            self.stage.column = Column::Map;
        }
        if self.stage.column != Column::Map {
            return false;
        }
        match does {
            Do::Up => self.arrow([0, 1], 1.0),
            Do::Down => self.arrow([0, -1], 1.0),
            Do::Left => self.arrow([-1, 0], 1.0),
            Do::Right => self.arrow([1, 0], 1.0),
            Do::FineLeft => self.arrow([-1, 0], RUN),
            Do::FineRight => self.arrow([1, 0], RUN),
            Do::RunUp => self.arrow([0, 1], RUN),
            Do::RunDown => self.arrow([0, -1], RUN),
            Do::TurnLeft => self.turn(-15.0),
            Do::TurnRight => self.turn(15.0),
            Do::Higher => self.climb(1.0),
            Do::Lower => self.climb(-1.0),
            Do::Slower => self.set_speed(self.map.speed.saturating_sub(1)),
            Do::Faster => self.set_speed((self.map.speed + 1).min(SPEEDS.len() - 1)),
            Do::ZoomIn => self.zoom(-1),
            Do::ZoomOut => self.zoom(1),
            Do::FollowMe => {
                self.map.follow = !self.map.follow;
                let scale = self.projection().scale;
                if self.map.follow && self.map.look.is_none() {
                    self.map.look = Some((self.here(), scale));
                }
                self.say(if self.map.follow { "the map goes with you" } else { "the map stays where it is" });
            }
            Do::Rest => (self.map.look, self.map.follow) = (None, false),
            Do::Point => self.point(),
            Do::PutHere => self.put_here(),
            Do::Ruler => self.map.ruler = if self.map.ruler.is_some() { None } else { Some(self.here()) },
            Do::NextThing => self.choose_next(1),
            Do::PreviousThing => self.choose_next(-1),
            Do::SoloThing => self.solo_thing(),
            Do::Main => self.main_on_map(),
            Do::Edit => self.type_thing(),
            Do::AddThing => self.type_new_thing(),
            Do::Carry => self.carry(),
            Do::CopyThing => self.copy_chosen(),
            Do::DeleteThing => self.delete_chosen(),
            Do::ZoneSnapshot => self.snapshot_of_chosen(),
            Do::Curve => self.curve_of_chosen(),
            Do::Back => {
                let map = &mut self.map;
                if map.sketch.take().is_some() || std::mem::take(&mut map.carrying) || map.ruler.take().is_some() || map.cross.take().is_some() {
                    return true;
                }
            }
            _ => return false,
        }
        true
    }

    fn arrow(&mut self, way: [i8; 2], times: f32) {
        if self.map.carrying {
            return self.carry_by(way.map(|w| f32::from(w) * GRID * if times > 1.0 { 10.0 } else { 1.0 }));
        }
        if let Some(cross) = self.map.cross {
            // A cell at a time, or ten of them; never finer than the grid.
            let step = self.projection().scale.max(GRID) * if times > 1.0 { 10.0 } else { 1.0 };
            self.map.cross = Some(snapped([cross[0] + f32::from(way[0]) * step, cross[1] + f32::from(way[1]) * step]));
            return;
        }
        // A held arrow comes again and again: the way goes on when the last is nearly done.
        let on = self.map.walking.is_some_and(|(w, since)| w == way && since.elapsed() < Duration::from_secs_f32(STRIDE * 0.6));
        if on {
            return;
        }
        self.map.walking = Some((way, Instant::now()));
        let speed = self.walking_speed() * times;
        let at = self.listener().at;
        self.map.put = None;
        let reach = speed * STRIDE;
        let to = [at[0] + f32::from(way[0]) * reach, at[1] + f32::from(way[1]) * reach, at[2]];
        self.rehearsal.say(InputKind::Walk { emitter: NameKey::of(LISTENER_NAME), to: to.map(|v| (v * 100.0).round() / 100.0), speed });
    }

    pub(super) fn walking_speed(&self) -> f32 {
        SPEEDS[self.map.speed.min(SPEEDS.len() - 1)]
    }

    fn set_speed(&mut self, speed: usize) {
        self.map.speed = speed;
        let now = self.walking_speed();
        self.say(format!("you walk at {now} m/s, and run at {:.1} with shift", now * RUN));
    }

    fn turn(&mut self, by: f32) {
        let listener = self.listener();
        let facing = (listener.facing_degrees + by).rem_euclid(360.0);
        self.place_listener([listener.at[0], listener.at[1]], Some((facing / 15.0).round() * 15.0));
    }

    /// Goes up or down, at the speed at which one walks.
    fn climb(&mut self, by: f32) {
        let [x, y, z] = self.listener().at;
        let up = (z + by).round();
        (self.map.walking, self.map.put) = (None, None);
        self.rehearsal.say(InputKind::Walk { emitter: NameKey::of(LISTENER_NAME), to: [x, y, up], speed: self.walking_speed() });
        self.say(format!("you go to a height of {up:.0} m").replace('-', "−"));
    }

    pub(super) fn place_listener(&mut self, at: Ground, facing: Option<f32>) {
        let up = self.listener().at[2];
        let what = InputKind::Place { emitter: NameKey::of(LISTENER_NAME), kind: NameKey::NONE, at: [at[0], at[1], up], facing, frames: 0 };
        self.map.walking = None;
        self.map.put = Some(([at[0], at[1], up], Instant::now()));
        self.rehearsal.say(what);
    }

    fn zoom(&mut self, by: isize) {
        let now = self.projection();
        let nearest = SCALES.iter().position(|s| *s >= now.scale * 0.99).unwrap_or(SCALES.len() - 1);
        let exact = (SCALES[nearest] - now.scale).abs() < 0.01 * now.scale;
        let next = if by < 0 || exact { nearest.saturating_add_signed(by).min(SCALES.len() - 1) } else { nearest };
        let middle = if self.map.look.is_some() { now.centre } else { self.here() };
        self.map.look = Some((middle, SCALES[next]));
    }

    fn point(&mut self) {
        if self.map.cross.take().is_some() {
            self.map.carrying = false;
            return self.say("the arrows walk");
        }
        self.map.cross = Some(snapped(self.here()));
        self.say("the arrows move the cross; enter chooses what is there, P puts you there, esc walks again");
    }

    fn put_here(&mut self) {
        match self.map.cross {
            Some(at) => self.place_listener(at, None),
            None => self.say("point first: p, the arrows, then P"),
        }
    }

    fn choose_next(&mut self, by: isize) {
        let here = self.here();
        let mut things: Vec<MapThing> = self.document().world.things().into_iter().filter(|t| !t.points.is_empty()).collect();
        // Things before the zones that hold them: one chooses those more often.
        things.sort_by(|a, b| (a.id.table == "zones").cmp(&(b.id.table == "zones")).then(away(a, here).total_cmp(&away(b, here))));
        let at = things.iter().position(|t| Some(&t.id) == self.map.chosen.as_ref());
        let next = match at {
            Some(at) => (at as isize + by).rem_euclid(things.len().max(1) as isize) as usize,
            None => 0,
        };
        self.map.chosen = things.get(next).map(|t| t.id.clone());
        if self.map.chosen.is_none() {
            self.say("the world is empty: A adds a thing");
        }
    }

    /// Chooses what is nearest to a place, within so many metres.
    pub(super) fn choose_at(&mut self, at: Ground, within: f32) -> bool {
        let things = self.document().world.things();
        let nearest = things.iter().map(|t| (away(t, at), t)).filter(|(far, _)| *far <= within).min_by(|a, b| a.0.total_cmp(&b.0));
        let found = nearest.map(|(_, t)| t.id.clone());
        let any = found.is_some();
        if any {
            self.map.chosen = found;
        }
        any
    }

    /// Chooses a thing on the map, and puts the listener into its middle if so wanted.
    pub(crate) fn go_to_thing(&mut self, id: ThingId, stand: bool) {
        self.show(crate::workshop::stage::NAME);
        (self.stage.column, self.map.shown) = (Column::Map, Some(true));
        self.map.chosen = Some(id);
        let Some(thing) = self.chosen_thing().filter(|_| stand) else { return };
        let (low, high) = bounds(&thing.points);
        // A line has no middle that lies on it.
        let middle = if thing.closed || thing.points.len() == 1 { [f32::midpoint(low[0], high[0]), f32::midpoint(low[1], high[1])] } else { thing.points[0] };
        self.place_listener(middle, None);
    }

    fn main_on_map(&mut self) {
        if self.map.sketch.is_some() {
            return self.add_corner();
        }
        if std::mem::take(&mut self.map.carrying) {
            return self.say("set down");
        }
        let Some(cross) = self.map.cross else { return self.choose_next(1) };
        let reach = self.projection().scale * 2.5;
        if !self.choose_at(cross, reach) {
            self.say("nothing is there: A adds something");
        }
    }

    /// The sound whose falloff counts for what sounds at a thing, or would.
    pub(super) fn falls_off_by(&self, thing: &MapThing) -> Option<NameKey> {
        let key = NameKey::of(&thing.id.name);
        let program = self.program();
        let now = self.rehearsal.status.as_ref().and_then(|s| s.voices.iter().find(|v| v.emitter == key)).map(|v| v.sound);
        let plays = || program.world.plays.iter().find(|p| p.at == key).map(|p| program.sounds[p.sound].key);
        // What reactions play there.
        let named = || {
            let mut actions = self.document().reactions.iter().flat_map(|r| &r.actions).map(|a| &a.action).filter(|a| a.kind.begins);
            actions.find(|a| a.name(SlotKind::Where).is_some_and(|at| at.text == thing.id.name)).and_then(|a| a.sound())
        };
        now.or_else(plays).or_else(|| named().map(|sound| NameKey::of(&sound.text)))
    }

    fn curve_of_chosen(&mut self) {
        let Some(thing) = self.chosen_thing() else { return self.say("choose a thing first: ; goes through them") };
        let sound = self.falls_off_by(&thing).map(|s| here::falloff_of(self.program(), s).unwrap_or(s));
        match sound.map(|s| self.program().names.get(s).to_owned()) {
            Some(sound) => self.begin_falloff(&sound, "level"),
            None => self.say(format!("nothing sounds at {} just now; in the view Sounds c edits a falloff too", thing.id.name)),
        }
    }

    fn solo_thing(&mut self) {
        if self.rehearsal.only.alone.is_some() {
            self.rehearsal.change_only(|only| only.alone = None);
            return self.say("all emitters are heard again");
        }
        let Some(id) = self.map.chosen.clone().filter(|id| ["emitters", "trails", "areas", "bearings", "flocks", "one-shots"].contains(&id.table)) else {
            return self.say("choose an emitter first: ; goes through them");
        };
        let key = self.rehearsal.names.add(&id.name);
        self.rehearsal.change_only(|only| only.alone = Some(key));
        self.say(format!("{} is soloed (temporary)", id.name));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_and_cells_lead_back_to_each_other() {
        let projection = Projection::new(&WorldDoc::default(), Some(([10.0, -4.0], 0.5)), Rect::new(3, 2, 60, 20));
        for x in 3..63 {
            for y in 2..22 {
                assert_eq!(projection.cell(projection.ground(x, y)), Some((x, y)));
            }
        }
        assert_eq!(projection.cell([10.0 + 15.5, -4.0]), None, "out of sight");
        assert_eq!(projection.share([10.0, -4.0]), (0.5, 0.5));
    }

    #[test]
    fn all_of_the_world_is_in_sight_at_first() {
        let text = "[zones.a]\noutline = [\"-40, 10\", \"30, 10\", \"30, 46\"]\n[zones.b]\nat = \"0, -4\"\nradius = \"8 m\"\n";
        let sources = estampie_project::document::Sources::from_texts([("estampie.toml", "format = 1"), ("world.toml", text)]);
        let (document, faults) = estampie_project::document::Document::read(&sources, &Default::default());
        assert_eq!(faults, []);
        for area in [Rect::new(0, 0, 70, 30), Rect::new(5, 5, 20, 40)] {
            let projection = Projection::new(&document.world, None, area);
            for at in [[-40.0, 10.0], [30.0, 46.0], [0.0, -12.0]] {
                assert!(projection.cell(at).is_some(), "{at:?} in {area:?}");
            }
        }
    }

    #[test]
    fn how_far_a_thing_is_depends_on_what_it_is() {
        let thing = |table, points: &[Ground], closed, radius| MapThing {
            id: ThingId { table, name: "x".into() },
            points: points.to_vec(),
            closed,
            radius_metres: radius,
        };
        assert_eq!(away(&thing("zones", &[[0.0, 0.0]], false, Some(5.0)), [0.0, 2.0]), 3.0);
        assert_eq!(away(&thing("emitters", &[[0.0, 0.0]], false, None), [3.0, 4.0]), 5.0);
        assert_eq!(away(&thing("walls", &[[0.0, 0.0], [10.0, 0.0]], false, None), [5.0, 2.0]), 2.0);
        assert_eq!(away(&thing("areas", &[[0.0, 0.0], [10.0, 0.0]], false, None), [5.0, 0.0]), 5.0);
        assert_eq!(away(&thing("bearings", &[], false, None), [5.0, 0.0]), f32::INFINITY);
    }
}
