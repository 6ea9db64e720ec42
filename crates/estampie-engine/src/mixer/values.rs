//! The values of the mix block by block: what is set, what snapshots make of it, what the game adds; ducks and player levels.

use super::cell::CellState;
use super::mixing::Mixing;
use super::spec::{Cell, Duck, DuckKey, Mix, player_level_db};
use super::state::{MixState, SnapshotState};
use crate::dsp::block_coefficient;
use crate::ground::index::{ByIndex, CellIndex, SnapshotIndex};
use crate::ground::ledger::TermKind;
use crate::ground::names::NameKey;
use crate::ground::property::Property;
use crate::ground::time::BLOCK;
use crate::ground::units::Decibels;

/// At and below this a level is silence.
const SILENT: f32 = -120.0;
/// Player levels are followed to 90 % in this time, in seconds.
const PLAYER_GLIDE: f64 = 0.05;

/// What a value is before snapshots: set, or given by a parameter's curve.
fn base(cell: &Cell, now: &CellState, modulations: &[f32]) -> f32 {
    cell.given.map_or(now.set, |m| cell.scaled(modulations[m as usize]))
}

/// What snapshots make of a value: each lies over what those below it have left.
fn held(cell: &Cell, under: f32, snapshots: &ByIndex<SnapshotIndex, SnapshotState>) -> f32 {
    cell.holds.iter().fold(under, |v, h| h.over(v, snapshots[h.snapshot].share))
}

impl Mixing<'_> {
    /// Works out every value of the mix for the end of this block.
    pub(super) fn follow_cells(&mut self, modulations: &[f32]) {
        let share = self.state.glide;
        for (cell, now) in self.mix.cells.iter().zip(&mut self.state.cells) {
            if now.set != cell.rest {
                now.set += (cell.rest - now.set) * share;
                if (now.set - cell.rest).abs() < 0.002 * (cell.ends.1 - cell.ends.0).clamp(0.05, 1.0) {
                    now.set = cell.rest;
                }
            } else if cell.holds.is_empty() && cell.modulations.is_empty() && cell.given.is_none() {
                (now.held, now.moved, now.now) = (0.0, 0.0, now.set);
                continue;
            }
            let base = base(cell, now, modulations);
            let over = held(cell, base, &self.state.snapshots);
            now.held = over - base;
            now.moved = cell.modulations.iter().map(|m| modulations[*m as usize]).sum();
            now.now = (over + now.moved).max(cell.ends.0).min(cell.ends.1);
        }
    }

    /// Listens to the sidechains of ducks, and lets them go down and come back; then the player's levels.
    pub(super) fn follow_ducks(&mut self) {
        let MixState { buses, ducks, player, .. } = &mut *self.state;
        for bus in buses.iter_mut() {
            bus.ducked = 0.0;
        }
        // All voices are gone through once, however many ducks listen to sounds.
        if self.mix.ducks.iter().any(|d| matches!(d.listens, DuckKey::Sound(_))) {
            for voice in self.mixer.voices.sounding().filter(|v| v.frozen.is_none() && v.wait == 0) {
                let ours = |d: &Duck| matches!(d.listens, DuckKey::Sound(sound) if voice.sounds().contains(&sound));
                let loud = voice.power.sqrt() * Decibels(voice.level).gain();
                for (_, duck) in self.mix.ducks.iter().zip(&mut *ducks).filter(|(spec, _)| ours(spec)) {
                    duck.loudest = duck.loudest.max(loud);
                }
            }
        }
        for (spec, duck) in self.mix.ducks.iter().zip(ducks) {
            let loudest = std::mem::take(&mut duck.loudest);
            let heard = match spec.listens {
                DuckKey::Bus(bus) => buses[bus].amplitude > spec.over_gain,
                DuckKey::Sound(_) => loudest > spec.over_gain,
            };
            duck.follow(spec, heard);
            buses[spec.bus].ducked += duck.change;
        }
        let glide = block_coefficient(PLAYER_GLIDE, BLOCK, self.rate);
        for (spec, level) in self.mix.player_levels.iter().zip(player) {
            let bus = &mut buses[spec.bus];
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

/// What the terms of the mix are worked out from.
#[derive(Clone, Copy)]
pub(crate) struct MixScene<'a> {
    pub(crate) mix: &'a Mix,
    pub(crate) state: &'a MixState,
    /// What modulations come to.
    pub(crate) modulations: &'a [f32],
}

/// The terms of a value: what is set, what each snapshot adds or takes, what the game adds. `name_of` gives what moves a modulation.
pub(crate) fn cell_terms(scene: MixScene<'_>, index: CellIndex, name_of: impl Fn(u32) -> NameKey, sink: &mut impl FnMut(TermKind, NameKey, f32)) {
    let MixScene { mix, state, modulations } = scene;
    let (cell, now) = (&mix.cells[index], &state.cells[index]);
    let mut value = base(cell, now, modulations);
    let first = if cell.property == Property::Level && value <= SILENT { f32::NEG_INFINITY } else { value };
    sink(TermKind::Bus, cell.key, first);
    for held in &cell.holds {
        let snapshot = &state.snapshots[held.snapshot];
        if snapshot.share > 0.0 {
            let over = held.over(value, snapshot.share);
            sink(TermKind::Snapshot, mix.snapshots[held.snapshot].key, over - value);
            value = over;
        }
    }
    for modulation in &cell.modulations {
        sink(TermKind::Moved, name_of(*modulation), modulations[*modulation as usize]);
    }
}
