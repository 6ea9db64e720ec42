//! Repeats: sounds that play themselves again and again until let go.

use super::Directing;
use super::{By, play::Body};
use crate::ground::property::Property;
use crate::ground::telemetry::What;
use crate::ground::time::BLOCK;
use crate::mixer::voice::Route;

/// The least interval: 50 a second.
const LEAST: f32 = 0.02;

/// A repeat under way.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Repeater {
    /// The way up to and with the sound that repeats itself.
    pub(crate) route: Route,
    pub(crate) by: By,
    pub(crate) place: u16,
    pub(crate) started: u64,
    /// The frame of the last start, and the interval drawn for the next one in seconds; `None` before the first.
    last: u64,
    drawn: Option<f32>,
    /// How often it still plays; `None` is until let go.
    left: Option<u32>,
    pub(crate) done: bool,
}

impl Directing<'_> {
    /// Begins to repeat the last sound of the way, from `offset` frames into the present block on.
    pub(crate) fn begin_repeat(&mut self, route: Route, offset: u64, by: By) -> bool {
        let program = self.program;
        let sound = route.path[route.depth - 1];
        let Some(repeat) = program.sounds[sound].repeat else { return false };
        let left = repeat.times.map(|(low, high)| low + self.state.sounds[sound].vary.below((high - low + 1) as usize) as u32);
        let started = self.frame + offset;
        let place = self.place_of(by.emitter);
        if self.director.repeaters.len() >= self.director.repeaters.capacity() {
            return false;
        }
        self.count_begun(&route);
        self.director.repeaters.push(Repeater { route, by, place, started, last: started, drawn: None, left, done: false });
        let last = self.director.repeaters.len() - 1;
        self.run_repeater(last);
        true
    }

    /// Starts what is due within the present block.
    pub(crate) fn repeat(&mut self) {
        for at in 0..self.director.repeaters.len() {
            self.run_repeater(at);
        }
        self.director.repeaters.retain(|r| !r.done);
    }

    fn run_repeater(&mut self, at: usize) {
        let program = self.program;
        let end = self.frame + BLOCK as u64;
        while let Some(repeater) = self.director.repeaters.get(at).filter(|r| !r.done).copied() {
            let sound = repeater.route.path[repeater.route.depth - 1];
            let Some(spec) = program.sounds[sound].repeat else {
                self.director.repeaters[at].done = true;
                return;
            };
            // What the game makes of the interval counts at once, not only from the next start on.
            let wait = repeater.drawn.map_or(0, |drawn| {
                let moved = self.state.asked(program, sound, Property::Every, repeater.place);
                let interval = ((drawn + moved) * self.director.rehearsed.waits).max(LEAST);
                (f64::from(interval) * f64::from(program.rate)).round() as u64
            });
            let next = (repeater.last + wait).max(self.frame);
            if next >= end {
                return;
            }
            let offset = next - self.frame;
            if let Err(reason) = self.body(repeater.route, offset, Body { by: repeater.by, length: spec.length.unwrap_or(0), cue: None }) {
                let sound = program.sounds[sound].key;
                self.outlets.tell(self.frame + offset, What::Refused { sound, emitter: repeater.by.emitter, reason, by: repeater.by.reaction });
            }
            let drawn = self.state.sounds[sound].vary.between(spec.every);
            let repeater = &mut self.director.repeaters[at];
            (repeater.last, repeater.drawn) = (next, Some(drawn));
            if let Some(left) = &mut repeater.left {
                *left -= 1;
                repeater.done |= *left == 0;
            }
        }
    }
}
