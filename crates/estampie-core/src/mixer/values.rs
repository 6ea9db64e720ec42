//! The values of the mix block by block: what is set, what snapshots make of it, what the game adds; ducks and player levels.

use super::state::{CellState, SnapshotState};
use crate::dsp::block_coefficient;
use crate::engine::{BLOCK, Engine, State, TermKind, What, holds};
use crate::mixer::voice::NOWHERE;
use crate::names::NameKey;
use crate::program::{Cell, DuckKey, Program, player_level_db};

/// At and below this a level is silence.
const SILENT: f32 = -120.0;
/// Player levels are followed to 90 % in this time, in seconds.
const PLAYER_GLIDE: f64 = 0.05;

/// What a value is before snapshots: set, or given by a parameter's curve.
fn base(cell: &Cell, now: &CellState, modulations: &[f32]) -> f32 {
    cell.given.map_or(now.set, |m| cell.scaled(modulations[m as usize]))
}

/// What snapshots make of a value: each lies over what those below it have left.
fn held(cell: &Cell, under: f32, snapshots: &[SnapshotState]) -> f32 {
    cell.holds.iter().fold(under, |v, h| h.over(v, snapshots[h.snapshot as usize].share))
}

/// Share of the way in which a block follows how deep in a zone the listener is (90 % in about 90 ms).
const ZONE_GLIDE: f32 = 0.033;

impl Engine {
    /// Looks at what keeps each snapshot up, and lets it rise or fall.
    pub(crate) fn follow_snapshots(&mut self, program: &Program) {
        let end = self.frame + BLOCK as u64;
        for (at, spec) in program.mix.snapshots.iter().enumerate() {
            let state = &self.now.state;
            let amount = if spec.modulations.is_empty() {
                spec.amount
            } else {
                let moved: f32 = spec.modulations.iter().map(|m| state.modulations[*m as usize]).sum();
                spec.amount * moved.clamp(0.0, 1.0)
            };
            let during = !spec.during.is_empty() && spec.during.iter().all(|test| holds(program, state, *test, NOWHERE, self.frame));
            let now = state.mix.snapshots[at];
            // A parameter that gives it an amount is a reason by itself, unless others are given.
            let by_parameter = !spec.modulations.is_empty() && spec.during.is_empty() && amount > 0.0;
            let otherwise = during || by_parameter || now.raised || now.until > self.frame;
            let zone = self.depth_for(program, at as u32);
            let up = otherwise || zone.is_some();
            let glide = ZONE_GLIDE;
            let was = now.up;
            let now = &mut self.now.state.mix.snapshots[at];
            now.go(spec, up, self.frame);
            // When it is gone it falls from where it was.
            let least = if otherwise { Some(1.0) } else { zone };
            if let Some(least) = least {
                now.by_zone = if was { now.by_zone + (least - now.by_zone) * glide } else { least };
            }
            now.share = now.by_hand.unwrap_or_else(|| now.swell.at(end) * amount * now.by_zone);
            if up != was {
                self.outlets.tell(self.frame, What::Snapshot { snapshot: spec.key, up, by: NameKey::NONE });
            }
        }
    }

    /// How deep the listener is in the zones that raise a snapshot, if he is in any.
    fn depth_for(&self, program: &Program, snapshot: u32) -> Option<f32> {
        let places = &self.now.state.places;
        let depth = |zone: &u16| {
            let spec = &program.world.zones[usize::from(*zone)];
            (spec.snapshot == Some(snapshot)).then(|| places.zones[usize::from(*zone)].depth)
        };
        places.near.zones().iter().filter_map(depth).reduce(f32::max)
    }

    /// Raises a snapshot on a frame of this block, for so many frames or until it is lowered; or takes back what raised it.
    pub(crate) fn raise(&mut self, program: &Program, index: usize, how: Option<Option<u64>>, frame: u64, by: NameKey) {
        let spec = &program.mix.snapshots[index];
        let now = &mut self.now.state.mix.snapshots[index];
        match how {
            Some(Some(frames)) => now.until = now.until.max(frame + frames),
            Some(None) => now.raised = true,
            None => (now.raised, now.until) = (false, 0),
        }
        if how.is_some() && !now.up {
            // It begins on its frame; what ends it is looked at block by block.
            now.go(spec, true, frame);
            self.outlets.tell(frame, What::Snapshot { snapshot: spec.key, up: true, by });
        }
    }

    /// Works out every value of the mix for the end of this block.
    pub(crate) fn follow_cells(&mut self, program: &Program) {
        let state = &mut self.now.state;
        let share = state.glide;
        for (cell, now) in program.mix.cells.iter().zip(&mut state.mix.cells) {
            if now.set != cell.rest {
                now.set += (cell.rest - now.set) * share;
                if (now.set - cell.rest).abs() < 0.002 * (cell.ends.1 - cell.ends.0).clamp(0.05, 1.0) {
                    now.set = cell.rest;
                }
            } else if cell.holds.is_empty() && cell.modulations.is_empty() && cell.given.is_none() {
                (now.held, now.moved, now.now) = (0.0, 0.0, now.set);
                continue;
            }
            let base = base(cell, now, &state.modulations);
            let over = held(cell, base, &state.mix.snapshots);
            now.held = over - base;
            now.moved = cell.modulations.iter().map(|m| state.modulations[*m as usize]).sum();
            now.now = (over + now.moved).max(cell.ends.0).min(cell.ends.1);
        }
    }

    /// Listens to the keys of ducks, and lets them go down and come back; then the player's levels.
    pub(crate) fn follow_ducks(&mut self, program: &Program) {
        for bus in &mut self.now.state.buses {
            bus.ducked = 0.0;
        }
        for (at, spec) in program.mix.ducks.iter().enumerate() {
            let heard = match spec.listens {
                DuckKey::Bus(bus) => self.now.state.buses[bus as usize].amplitude > spec.over,
                DuckKey::Sound(sound) => self.active.iter().map(|slot| &self.voices[usize::from(*slot)]).any(|v| {
                    v.frozen.is_none() && v.sounds().contains(&sound) && v.wait == 0 && v.power.sqrt() * crate::units::Decibels(v.level).gain() > spec.over
                }),
            };
            let state = &mut self.now.state;
            state.mix.ducks[at].follow(spec, heard);
            state.buses[spec.bus as usize].ducked += state.mix.ducks[at].change;
        }
        let glide = block_coefficient(PLAYER_GLIDE, BLOCK, program.rate);
        let state = &mut self.now.state;
        for (spec, level) in program.mix.player_levels.iter().zip(&state.mix.player) {
            let bus = &mut state.buses[spec.bus as usize];
            let target = player_level_db(*level).max(SILENT * 2.0);
            // Before anything has sounded it is there at once.
            if bus.gain.is_nan() || (bus.player - target).abs() < 0.01 {
                bus.player = target;
            } else {
                bus.player += (target - bus.player) * glide;
            }
        }
    }
}

/// The terms of a value: what is set, what each snapshot adds or takes, what the game adds.
pub(crate) fn cell_terms(program: &Program, state: &State, index: usize, sink: &mut impl FnMut(TermKind, NameKey, f32)) {
    let (cell, now) = (&program.mix.cells[index], &state.mix.cells[index]);
    let mut value = base(cell, now, &state.modulations);
    let first = if cell.property == crate::document::Property::Level && value <= SILENT { f32::NEG_INFINITY } else { value };
    sink(TermKind::Bus, cell.key, first);
    for held in &cell.holds {
        let snapshot = &state.mix.snapshots[held.snapshot as usize];
        if snapshot.share > 0.0 {
            let over = held.over(value, snapshot.share);
            sink(TermKind::Snapshot, program.mix.snapshots[held.snapshot as usize].key, over - value);
            value = over;
        }
    }
    for modulation in &cell.modulations {
        let moved = &program.modulations[*modulation as usize];
        sink(TermKind::Moved, program.parameters[moved.parameter].key, state.modulations[*modulation as usize]);
    }
}
