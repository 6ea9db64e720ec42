//! The map of the world as a drawing: zones, walls, doorways, trails and emitters, with a scale.

use super::{DrawError, failed};
use estampie_engine::world::geometry::{Form, Ground, bounds};
use estampie_project::document::{Candidates, StandDoc, WorldDoc};
use plotters::coord::Shift;
use plotters::prelude::*;

/// What is drawn of the world.
#[derive(Debug, Clone, Default)]
pub struct Map {
    world: WorldDoc,
    low: Ground,
    high: Ground,
}

/// The width of the drawing, and its margin, in points.
const WIDTH: f32 = 1000.0;
const MARGIN: f32 = 40.0;

/// The map of a world; `None` if nothing of it has a place.
#[must_use]
pub fn map(world: &WorldDoc) -> Option<Map> {
    let mut points: Vec<Ground> = Vec::new();
    for thing in world.things() {
        let reach = thing.radius_metres.unwrap_or(0.0);
        points.extend(thing.points.iter().flat_map(|[x, y]| [[x - reach, y - reach], [x + reach, y + reach]]));
    }
    let (low, high) = bounds(&points);
    // Far-off things (the eel at the start) would shrink all others: what lies far outside of all zones is left at the edge.
    let zones: Vec<Ground> = world.zones.iter().flat_map(|z| [z.form.bounds().0, z.form.bounds().1]).collect();
    let (low, high) = if zones.is_empty() { (low, high) } else { bounds(&zones) };
    (!points.is_empty()).then(|| Map { world: world.clone(), low, high: [high[0].max(low[0] + 1.0), high[1].max(low[1] + 1.0)] })
}

impl Map {
    /// How many things it shows.
    #[must_use]
    pub fn count(&self) -> usize {
        self.world.things().iter().filter(|t| !t.points.is_empty()).count()
    }

    fn scale(&self) -> f32 {
        (WIDTH - 2.0 * MARGIN) / (self.high[0] - self.low[0])
    }

    pub(super) fn size(&self) -> (u32, u32) {
        (WIDTH as u32, ((self.high[1] - self.low[1]) * self.scale() + 2.0 * MARGIN + 30.0) as u32)
    }

    fn at(&self, [east, north]: Ground) -> (i32, i32) {
        let x = MARGIN + (east - self.low[0]) * self.scale();
        let y = MARGIN + (self.high[1] - north) * self.scale();
        (x.clamp(4.0, WIDTH - 4.0) as i32, y.clamp(4.0, self.size().1 as f32 - 34.0) as i32)
    }

    fn outline(&self, form: &Form) -> Vec<(i32, i32)> {
        match form {
            Form::Outline(points) => points.iter().chain(points.first()).map(|p| self.at(*p)).collect(),
            Form::Circle([x, y], r) => (0..=48).map(|n| std::f32::consts::TAU * n as f32 / 48.0).map(|a| self.at([x + r * a.sin(), y + r * a.cos()])).collect(),
        }
    }
}

const INK: RGBColor = RGBColor(40, 36, 30);
const FAINT: RGBColor = RGBColor(150, 142, 128);
const GROUND: RGBColor = RGBColor(247, 243, 232);
const BLUE: RGBColor = RGBColor(40, 90, 170);
const GOLD: RGBColor = RGBColor(190, 130, 20);
const RED: RGBColor = RGBColor(190, 60, 40);

pub(super) fn draw<B: DrawingBackend>(area: &DrawingArea<B, Shift>, map: &Map) -> Result<(), DrawError>
where
    B::ErrorType: 'static,
{
    let text = |words: &str, at: (i32, i32), size: i32, colour: RGBColor| {
        let style = TextStyle::from(("sans-serif", size).into_font()).color(&colour);
        area.draw(&Text::new(words.to_owned(), at, style)).map_err(failed)
    };
    let line = |points: Vec<(i32, i32)>, colour: RGBColor, width: u32| area.draw(&PathElement::new(points, colour.stroke_width(width))).map_err(failed);
    let world = &map.world;
    // The largest first, so that what lies within is seen.
    let mut zones: Vec<_> = world.zones.iter().collect();
    zones.sort_by(|a, b| b.form.area().total_cmp(&a.form.area()));
    for zone in &zones {
        let outline = map.outline(&zone.form);
        area.draw(&Polygon::new(outline.clone(), if zone.shelter { WHITE } else { GROUND }.filled())).map_err(failed)?;
        line(outline, FAINT, 1)?;
    }
    for wall in &world.walls {
        let back = wall.line.first().filter(|_| wall.closed);
        line(wall.line.iter().chain(back).map(|p| map.at(*p)).collect(), INK, 3)?;
    }
    for doorway in &world.doorways {
        line(doorway.line.iter().map(|p| map.at(*p)).collect(), RED, 4)?;
        let (x, y) = map.at(doorway.line[0]);
        text(&doorway.name, (x + 4, y + 4), 10, RED)?;
    }
    for zone in &zones {
        let (low, high) = zone.form.bounds();
        let (x, y) = map.at([low[0], high[1]]);
        text(&zone.name, (x + 6, y + 5), if zone.shelter { 11 } else { 15 }, FAINT)?;
    }
    for emitter in &world.emitters {
        let (points, colour): (Vec<Ground>, RGBColor) = match &emitter.stand {
            StandDoc::Still(at) => (vec![[at[0], at[1]]], GOLD),
            StandDoc::Points(points) => (points.iter().map(|p| [p[0], p[1]]).collect(), GOLD),
            StandDoc::Trail(points, closed, _) => {
                let back = points.first().filter(|_| *closed);
                line(points.iter().chain(back).map(|p| map.at(*p)).collect(), BLUE, 2)?;
                (points.get(points.len() / 2).copied().into_iter().collect(), BLUE)
            }
            StandDoc::Path(points, ..) => {
                line(points.iter().map(|p| map.at(*p)).collect(), GOLD, 1)?;
                (points.first().copied().into_iter().collect(), GOLD)
            }
            StandDoc::Area(form, _) => {
                line(map.outline(form), GOLD, 1)?;
                (vec![form.middle()], GOLD)
            }
            StandDoc::Held(..) => continue,
        };
        for point in &points {
            area.draw(&Circle::new(map.at(*point), 4, colour.filled())).map_err(failed)?;
        }
        if let Some((x, y)) = points.first().map(|p| map.at(*p)) {
            let inside = |p: &Ground| (0..2).all(|i| p[i] >= map.low[i] - 1.0 && p[i] <= map.high[i] + 1.0);
            let aside = if points.iter().any(inside) { "" } else { ", farther off" };
            text(&format!("{}{aside}", emitter.name), ((x + 8).min(WIDTH as i32 - 80), y - 6), 12, colour)?;
        }
    }
    for (nth, flock) in world.flocks.iter().enumerate() {
        if let Candidates::Within(zone) = &flock.candidates
            && let Some(zone) = world.zones.iter().find(|z| z.name == zone.value)
        {
            let (x, y) = map.at(zone.form.middle());
            text(&format!("flock {}: {} of {} places", flock.name, flock.most, flock.places), (x - 70, y + 14 * nth as i32), 12, GOLD)?;
        }
    }
    let (x, y) = map.at([world.start[0], world.start[1]]);
    area.draw(&TriangleMarker::new((x, y), 7, INK.filled())).map_err(failed)?;
    text("start", (x + 9, y - 6), 12, INK)?;
    // A scale of a round length, at the foot.
    let long = [1.0f32, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0, 500.0].into_iter().find(|m| m * map.scale() >= 80.0).unwrap_or(1000.0);
    let foot = map.size().1 as i32 - 18;
    line(vec![(MARGIN as i32, foot), (MARGIN as i32 + (long * map.scale()) as i32, foot)], INK, 2)?;
    text(&format!("{long} m, north above"), (MARGIN as i32 + (long * map.scale()) as i32 + 8, foot - 7), 12, INK)
}
