//! The routing of the mix: each bus in a row of its own, what it runs into to its right, what it sends to its left.

use super::{DrawError, failed};
use estampie_engine::index::BusIndex;
use estampie_engine::mixer::spec::{Bus, Cell};
use estampie_engine::program::Program;
use estampie_project::document::Document;
use plotters::coord::Shift;
use plotters::prelude::*;

/// A bus, its place in the drawing, and where its sound goes.
#[derive(Debug, Clone, PartialEq)]
pub struct RoutedBus {
    /// Its name.
    pub name: String,
    /// How far it is from the output: 0 is the root.
    pub depth: usize,
    /// Its effects, in order.
    pub effects: String,
    /// Whether it is fed by sends alone.
    pub returns: bool,
    /// The row of the bus that it runs into; `None` for the root.
    pub into: Option<usize>,
    /// Its level, in words.
    pub level: String,
    /// What it sends: the row of the return, and how much, in words.
    pub sends: Vec<(usize, String)>,
    /// Sounds that send to it: how many, and the first of them with how much.
    pub sounds: String,
}

/// All buses, those that run into one below it.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Routing {
    /// By row.
    pub buses: Vec<RoutedBus>,
}

/// Sizes, in points.
const ROW: i32 = 58;
const BOX: (i32, i32) = (150, 36);
const COLUMN: i32 = 210;
const RAIL: i32 = 34;
/// Room for the words of a send, beside the box.
const WORDS: i32 = 110;
const MARGIN: i32 = 24;

/// A level in words: what it is set to, and whether the game moves it or a snapshot holds it.
fn words(cell: &Cell) -> String {
    let set = cell.property.print(cell.unscaled(cell.rest));
    let set = if cell.rest <= -120.0 { "silent".to_owned() } else { set };
    let moved = if cell.given.is_some() || !cell.modulations.is_empty() { ", moved" } else { "" };
    let held = if cell.holds.is_empty() { "" } else { ", held" };
    format!("{set}{moved}{held}")
}

/// The routing of a project and its program.
#[must_use]
pub fn routing(document: &Document, program: &Program) -> Routing {
    // In the order of the tree: a bus, then what runs into it.
    let mut order = Vec::new();
    let mut waiting = vec![BusIndex::ROOT];
    while let Some(at) = waiting.pop() {
        order.push(at);
        let runs_into = |(of, bus): &(BusIndex, &Bus)| *of != BusIndex::ROOT && bus.into == at;
        let mut children: Vec<BusIndex> = program.mix.buses.with_places().filter(runs_into).map(|(of, _)| of).collect();
        // Returns come last, below those that send to them.
        children.sort_by_key(|b| program.mix.buses[*b].returns);
        waiting.extend(children.into_iter().rev());
    }
    let row = |bus: BusIndex| order.iter().position(|b| *b == bus).unwrap_or(0);
    let cells = &program.mix.cells;
    let buses = order
        .iter()
        .map(|at| {
            let bus = &program.mix.buses[*at];
            let senders: Vec<String> = program
                .sounds
                .iter()
                .filter_map(|sound| {
                    let send = sound.sends.iter().find(|s| s.to == *at)?;
                    Some(format!("{} {}", program.names.get(sound.key), words(&cells[send.cell])))
                })
                .collect();
            let name = program.names.get(bus.key);
            let effects = document.buses.iter().find(|b| b.name == name).map_or(&[][..], |b| &b.effects);
            RoutedBus {
                name: name.to_owned(),
                depth: bus.depth as usize,
                effects: effects.iter().map(|i| i.name.as_str()).collect::<Vec<_>>().join(", "),
                returns: bus.returns,
                into: (*at != BusIndex::ROOT).then(|| row(bus.into)),
                level: words(&cells[bus.cells[0]]),
                sends: bus.sends.iter().map(|s| (row(s.to), format!("{}{}", words(&cells[s.cell]), if s.before { ", before level" } else { "" }))).collect(),
                sounds: match senders.as_slice() {
                    [] => String::new(),
                    [one] => format!("and {one}"),
                    [first, ..] => format!("and {} sounds: {first} …", senders.len()),
                },
            }
        })
        .collect();
    Routing { buses }
}

impl Routing {
    fn deepest(&self) -> i32 {
        self.buses.iter().map(|b| b.depth).max().unwrap_or(0) as i32
    }

    /// The returns that something is sent to, by row: each has a rail of its own.
    fn rails(&self) -> Vec<usize> {
        let mut rows: Vec<usize> = self.buses.iter().flat_map(|b| b.sends.iter().map(|s| s.0)).collect();
        rows.sort_unstable();
        rows.dedup();
        rows
    }

    pub(super) fn size(&self) -> (u32, u32) {
        let width = 2 * MARGIN + self.rails().len() as i32 * RAIL + WORDS + (self.deepest() + 1) * COLUMN + 40;
        (width as u32, (self.buses.len() as i32 * ROW + MARGIN) as u32)
    }

    /// The left upper corner of a row's box.
    fn corner(&self, row: usize) -> (i32, i32) {
        let left = MARGIN + self.rails().len() as i32 * RAIL + WORDS;
        (left + (self.deepest() - self.buses[row].depth as i32) * COLUMN, row as i32 * ROW + 8)
    }
}

const INK: RGBColor = RGBColor(40, 36, 30);
const SEND: RGBColor = RGBColor(40, 90, 170);
const RETURN: RGBColor = RGBColor(236, 241, 250);

/// An arrow along points, its head at the last.
fn arrow<B: DrawingBackend>(area: &DrawingArea<B, Shift>, points: &[(i32, i32)], colour: RGBColor) -> Result<(), DrawError>
where
    B::ErrorType: 'static,
{
    area.draw(&PathElement::new(points.to_vec(), colour.stroke_width(1))).map_err(failed)?;
    let [.., from, to] = points else { return Ok(()) };
    let (dx, dy) = ((to.0 - from.0).signum(), (to.1 - from.1).signum());
    let (back, side) = (7, 4);
    let head = vec![*to, (to.0 - dx * back + dy * side, to.1 - dy * back + dx * side), (to.0 - dx * back - dy * side, to.1 - dy * back - dx * side)];
    area.draw(&Polygon::new(head, colour.filled())).map_err(failed)
}

pub(super) fn draw<B: DrawingBackend>(area: &DrawingArea<B, Shift>, routing: &Routing) -> Result<(), DrawError>
where
    B::ErrorType: 'static,
{
    let text = |words: &str, at: (i32, i32), size: i32, colour: RGBColor| {
        let style = TextStyle::from(("sans-serif", size).into_font()).color(&colour);
        area.draw(&Text::new(words.to_owned(), at, style)).map_err(failed)
    };
    let rails = routing.rails();
    let rail_x = |row: usize| MARGIN + rails.iter().position(|r| *r == row).unwrap_or(0) as i32 * RAIL;
    // A rail runs from the uppermost of those that send to the return.
    for row in &rails {
        let ways: Vec<i32> = (0..routing.buses.len()).filter_map(|from| sends_y(routing, from, *row)).collect();
        let (x, (left, top)) = (rail_x(*row), routing.corner(*row));
        let into = top + BOX.1 / 2 + 10;
        let (first, last) = (ways.iter().min().copied().unwrap_or(into), ways.iter().max().copied().unwrap_or(into));
        area.draw(&PathElement::new(vec![(x, first.min(into)), (x, last.max(into))], SEND.stroke_width(1))).map_err(failed)?;
        arrow(area, &[(x, into), (left, into)], SEND)?;
    }
    for (row, bus) in routing.buses.iter().enumerate() {
        let (left, top) = routing.corner(row);
        let middle = top + BOX.1 / 2;
        if let Some(into) = bus.into {
            let (parent_left, parent_top) = routing.corner(into);
            let x = parent_left + BOX.0 / 2;
            arrow(area, &[(left + BOX.0, middle), (x, middle), (x, parent_top + BOX.1)], INK)?;
            text(&bus.level, (left + BOX.0 + 8, middle - 14), 11, INK)?;
        } else {
            arrow(area, &[(left + BOX.0, middle), (left + BOX.0 + 44, middle)], INK)?;
            text(&bus.level, (left + BOX.0 + 4, middle - 14), 11, INK)?;
        }
        for (to, words) in &bus.sends {
            let (Some(y), x) = (sends_y(routing, row, *to), rail_x(*to)) else { continue };
            arrow(area, &[(left, y), (x + 1, y)], SEND)?;
            area.draw(&Circle::new((x, y), 2, SEND.filled())).map_err(failed)?;
            text(words, (left - 6 - words.chars().count() as i32 * 6, y - 13), 11, SEND)?;
        }
        let frame = [(left, top), (left + BOX.0, top + BOX.1)];
        area.draw(&Rectangle::new(frame, if bus.returns { RETURN } else { WHITE }.filled())).map_err(failed)?;
        area.draw(&Rectangle::new(frame, INK.stroke_width(1))).map_err(failed)?;
        text(&format!("{}{}", bus.name, if bus.returns { " (return)" } else { "" }), (left + 8, top + 5), 14, INK)?;
        text(&bus.effects, (left + 8, top + 21), 10, RGBColor(110, 104, 94))?;
        text(&bus.sounds, (left + 8, top + BOX.1 + 4), 10, SEND)?;
    }
    Ok(())
}

/// The height at which a bus's send to a return leaves it.
fn sends_y(routing: &Routing, from: usize, to: usize) -> Option<i32> {
    let at = routing.buses[from].sends.iter().position(|s| s.0 == to)? as i32;
    Some(routing.corner(from).1 + 10 + at * 17)
}
