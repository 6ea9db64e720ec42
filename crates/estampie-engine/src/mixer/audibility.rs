//! What of a voice reaches the output at all, so that what cannot be heard need not be worked out.

use super::mixing::{Mixing, Sends};
use super::state::MixState;
use super::voice::{NOWHERE, Voice};
use crate::dsp::Fade;
use crate::ground::index::{BusIndex, ByIndex, CellIndex};
use crate::ground::time::BLOCK;
use crate::ground::units::Decibels;

/// What effects on a bus may add, at most, in dB.
const LIFT: f32 = 30.0;

fn shut(fade: Fade) -> bool {
    fade.arrived() && fade.gain() == 0.0
}

impl Mixing<'_> {
    /// Works out the level from each bus to the output, by the loudest of its ways.
    pub(super) fn work_out_down(&mut self) {
        let (state, down) = (&*self.state, &mut self.mixer.down);
        if down.capacity() < self.mix.buses.len() {
            down.clear();
            return;
        }
        down.clear();
        down.resize(self.mix.buses.len(), 0.0);
        let cell = |index: CellIndex| match state.cells[index].now {
            level if level <= -120.0 => f32::NEG_INFINITY,
            level => level,
        };
        for at in self.mix.order.iter().rev().copied() {
            let (spec, bus) = (&self.mix.buses[at], &state.buses[at]);
            let own = if shut(bus.gate) { f32::NEG_INFINITY } else { cell(spec.cells[0]) + bus.ducked + bus.player };
            let mut most = own + if at == BusIndex::ROOT { 0.0 } else { down[spec.into] };
            for send in &spec.sends {
                let from = if send.before { 0.0 } else { own };
                most = most.max(from + cell(send.cell) + down[send.to]);
            }
            down[at] = most + if spec.effects.is_empty() { 0.0 } else { LIFT };
        }
    }
}

/// The level of a voice all the way to the output, without the audio's own, in dB. `down` has the level from each bus on.
pub(super) fn level_below(state: &MixState, down: &ByIndex<BusIndex, f32>, voice: &Voice, sends: &impl Sends) -> f32 {
    let direct = state.buses[voice.bus].direct;
    if shut(direct) || shut(voice.gate) {
        return f32::NEG_INFINITY;
    }
    if let Some((swell, frame)) = voice.swell
        && swell.steady(frame, BLOCK as u64) == Some(0.0)
    {
        return f32::NEG_INFINITY;
    }
    let down = |bus: BusIndex| down.of(bus).copied().unwrap_or(0.0);
    let mut most = down(voice.bus);
    if voice.sends && voice.frozen.is_none() {
        sends.each(voice, |to, cell, farther| most = most.max(state.cells[cell].now + farther + down(to)));
    }
    if voice.place != NOWHERE {
        let (buses, gains) = sends.rooms();
        for (bus, gain) in buses.iter().zip(gains).filter(|(_, gain)| **gain > 1e-4) {
            most = most.max(Decibels::of_gain(*gain).0 + down(*bus));
        }
    }
    voice.level + most
}
