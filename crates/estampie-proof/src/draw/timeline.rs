//! A playthrough over time: the same lanes as the view *Trace* shows, on paper.

use super::{DrawError, failed, ink};
use crate::measure::Meter;
use crate::offline::{heard, inputs, names_in};
use crate::trace::kept::{Kept, Measured};
use crate::trace::lanes::{Content, Follows, Group, Lane, Mark, Wanted, content, lanes};
use estampie_engine::engine::{Engine, Options, Prepared};
use estampie_engine::program::Program;
use estampie_project::language::Playthrough;
use plotters::coord::Shift;
use plotters::prelude::*;
use std::sync::Arc;

/// A playthrough's lanes.
#[derive(Debug, Clone, PartialEq)]
pub struct Timeline {
    /// From and to, in seconds.
    pub span: (f64, f64),
    /// Frames a second.
    pub rate: f64,
    /// The lanes with what they hold, from top to bottom.
    pub lanes: Vec<(Lane, Content)>,
}

/// Sizes, in points.
const LABELS: i32 = 150;
const WIDTH: i32 = 1_100;
const ROW: i32 = 16;
const CURVE: i32 = 30;
const HEADING: i32 = 24;
const SCALE: i32 = 26;

/// Statuses are kept so often, in blocks (32 ms at 48 kHz).
const EVERY: u32 = 24;

/// Plays a playthrough and keeps what happens.
#[must_use]
pub fn timeline(program: &Arc<Program>, playthrough: &Playthrough) -> Timeline {
    let rate = program.rate;
    let (unheard, left) = heard(playthrough, rate);
    let schedule = inputs(playthrough, rate).into();
    let options = Options { schedule, status_every: EVERY, ..Options::default() };
    let (mut engine, mut remote) = Engine::new(Prepared::new(Arc::clone(program), playthrough.seed()), options);
    let mut names = program.names.clone();
    names.add_all(&names_in(playthrough));
    let mut kept = Kept::new(rate);
    let mut meter = Meter::new(2, rate).ok();
    let mut part = vec![0.0f32; 2 * EVERY as usize * estampie_engine::time::BLOCK];
    while engine.frame() < unheard + left {
        engine.render(&mut part);
        if let Some(meter) = &mut meter {
            meter.add(&part);
        }
        while let Some(happening) = remote.happening() {
            kept.note(&happening);
        }
        if let Some(status) = remote.status() {
            let short_term = meter.as_ref().map_or(f32::NAN, |m| m.reading().short_term as f32);
            kept.note_status(&status, program, Measured { short_term, load: 0.0 });
            remote.give_back(status);
        }
    }
    let window = (unheard, unheard + left);
    let mut rows = lanes(&kept, program, &names, window, &Wanted::default());
    // On paper nothing is measured of the machine.
    rows.retain(|lane| lane.follows != Follows::Load);
    let lanes = rows.into_iter().map(|lane| {
        let held = content(&lane, &kept, program, &names, window);
        (lane, held)
    });
    let seconds = |frame: u64| frame as f64 / f64::from(rate);
    Timeline { span: (seconds(window.0), seconds(window.1)), rate: f64::from(rate), lanes: lanes.collect() }
}

impl Timeline {
    /// Width and height, in points.
    pub(super) fn size(&self) -> (u32, u32) {
        let rows: i32 = self.lanes.iter().map(|(_, held)| height(held)).sum();
        let headings = Group::ALL.iter().filter(|g| self.lanes.iter().any(|(lane, _)| lane.group == **g)).count() as i32;
        ((LABELS + WIDTH + 40) as u32, (SCALE + rows + headings * HEADING + 20) as u32)
    }

    fn x(&self, frame: u64) -> i32 {
        let seconds = frame as f64 / self.rate;
        let share = ((seconds - self.span.0) / (self.span.1 - self.span.0).max(1e-9)).clamp(0.0, 1.0);
        LABELS + (share * f64::from(WIDTH)).round() as i32
    }
}

fn height(held: &Content) -> i32 {
    if matches!(held, Content::Values { .. }) { CURVE } else { ROW }
}

/// Between two lines of the scale, in seconds.
fn step(seconds: f64) -> f64 {
    [1.0, 2.0, 5.0, 10.0, 15.0, 30.0, 60.0, 120.0, 300.0].into_iter().find(|step| seconds / step <= 16.0).unwrap_or(600.0)
}

const INK: RGBColor = RGBColor(40, 36, 30);
const GREY: RGBColor = RGBColor(130, 122, 110);
const LINE: RGBColor = RGBColor(225, 218, 200);
const BLUE: RGBColor = RGBColor(40, 90, 170);
const GOLD: RGBColor = RGBColor(205, 145, 20);
const VIOLET: RGBColor = RGBColor(120, 70, 170);
const RED: RGBColor = RGBColor(200, 50, 30);

fn colour(follows: Follows) -> &'static RGBColor {
    match follows {
        Follows::Events | Follows::State | Follows::Parameter | Follows::Zones => &BLUE,
        Follows::Snapshot | Follows::Stingers => &VIOLET,
        Follows::Sound | Follows::Piece => &GOLD,
        Follows::Ceiling => &RED,
        _ => &GREY,
    }
}

/// About as wide as a text is in the size of labels.
fn wide(text: &str) -> i32 {
    text.chars().count() as i32 * 6
}

pub(super) fn draw<B: DrawingBackend>(area: &DrawingArea<B, Shift>, timeline: &Timeline) -> Result<(), DrawError>
where
    B::ErrorType: 'static,
{
    let small = |colour: &'static RGBColor| ink(11, colour);
    let bottom = timeline.size().1 as i32 - 10;
    let every = step(timeline.span.1 - timeline.span.0);
    let mut at = (timeline.span.0 / every).ceil() * every;
    while at <= timeline.span.1 {
        let x = timeline.x((at * timeline.rate).round() as u64);
        area.draw(&PathElement::new([(x, SCALE - 6), (x, bottom)], LINE.stroke_width(1))).map_err(failed)?;
        area.draw_text(&format!("{}:{:02}", at as u64 / 60, at as u64 % 60), &small(&GREY), (x + 2, 6)).map_err(failed)?;
        at += every;
    }
    let mut y = SCALE;
    let mut before = None;
    for (lane, held) in &timeline.lanes {
        if before != Some(lane.group) {
            before = Some(lane.group);
            area.draw_text(lane.group.word(), &ink(13, &INK), (8, y + 7)).map_err(failed)?;
            y += HEADING;
        }
        area.draw_text(&lane.name, &small(&INK), (16, y + 2)).map_err(failed)?;
        let own = colour(lane.follows);
        match held {
            Content::Stretches(list) => {
                for (from, to, name) in list {
                    let (left, right) = (timeline.x(*from), timeline.x(*to));
                    area.draw(&PathElement::new([(left, y + 1), (left, y + ROW - 2)], own.stroke_width(1))).map_err(failed)?;
                    if wide(name) + 6 < right - left {
                        area.draw_text(name, &small(own), (left + 4, y + 2)).map_err(failed)?;
                    }
                }
            }
            Content::Bars(bars, refused) => {
                for (from, to, _) in bars {
                    let (left, right) = (timeline.x(*from), timeline.x(*to).max(timeline.x(*from) + 2));
                    area.draw(&Rectangle::new([(left, y + 4), (right, y + ROW - 5)], own.filled())).map_err(failed)?;
                }
                for frame in refused {
                    area.draw_text("x", &small(&RED), (timeline.x(*frame) - 3, y + 1)).map_err(failed)?;
                }
            }
            Content::Marks(marks) => {
                let mut free = LABELS;
                for (at, (frame, name, mark)) in marks.iter().enumerate() {
                    let x = timeline.x(*frame);
                    let own = if *mark == Mark::Refused { &RED } else { own };
                    area.draw(&Polygon::new([(x - 3, y + 3), (x + 3, y + 3), (x, y + 9)], own.filled())).map_err(failed)?;
                    // A name where the one before has ended, and up to the next mark.
                    let next = marks.get(at + 1).map_or(LABELS + WIDTH, |m| timeline.x(m.0));
                    if x >= free && x + 6 + wide(name) < next {
                        area.draw_text(name, &small(own), (x + 5, y + 2)).map_err(failed)?;
                        free = x + 12 + wide(name);
                    }
                }
            }
            Content::Values { points, low, high, .. } => {
                let level = |value: f32| y + CURVE - 4 - (((value - low) / (high - low).max(1e-9)).clamp(0.0, 1.0) * (CURVE - 8) as f32).round() as i32;
                let mut line: Vec<(i32, i32)> = Vec::new();
                for (frame, value) in points {
                    let x = timeline.x(*frame);
                    // A value stands until the next.
                    if let Some(last) = line.last().copied() {
                        line.push((x, last.1));
                    }
                    line.push((x, level(*value)));
                }
                if let Some(last) = line.last().copied() {
                    line.push((LABELS + WIDTH, last.1));
                }
                area.draw(&PathElement::new(line, own.stroke_width(1))).map_err(failed)?;
            }
        }
        y += height(held);
    }
    Ok(())
}
