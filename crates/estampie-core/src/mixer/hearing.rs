//! What of a voice reaches the output at all, so that what cannot be heard need not be worked out.

use crate::dsp::Fade;
use crate::engine::{BLOCK, Engine};
use crate::mixer::voice::Voice;
use crate::program::Program;

/// What effects on a bus may add, at most, in dB.
const LIFT: f32 = 30.0;

fn shut(fade: Fade) -> bool {
    fade.arrived() && fade.gain() == 0.0
}

impl Engine {
    /// Works out the level from each bus to the output, by the loudest of its ways.
    pub(crate) fn work_out_down(&mut self, program: &Program) {
        let state = &self.now.state;
        if self.down.capacity() < program.buses.len() {
            self.down.clear();
            return;
        }
        self.down.clear();
        self.down.resize(program.buses.len(), 0.0);
        let cell = |index: u32| match state.mix.cells[index as usize].now {
            level if level <= -120.0 => f32::NEG_INFINITY,
            level => level,
        };
        for at in program.mix.order.iter().rev().map(|at| *at as usize) {
            let (spec, bus) = (&program.buses[at], &state.buses[at]);
            let own = if shut(bus.gate) { f32::NEG_INFINITY } else { cell(spec.cells[0]) + bus.ducked + bus.player };
            let mut most = own + if at == 0 { 0.0 } else { self.down[spec.into as usize] };
            for send in &spec.sends {
                let from = if send.before { 0.0 } else { own };
                most = most.max(from + cell(send.cell) + self.down[send.to as usize]);
            }
            self.down[at] = most + if spec.inserts.is_empty() { 0.0 } else { LIFT };
        }
    }

    /// The level of a voice all the way to the output, without the audio's own.
    pub(crate) fn level_below(&self, program: &Program, voice: &Voice) -> f32 {
        let direct = self.now.state.buses[voice.bus as usize].direct;
        if shut(direct) || shut(voice.gate) {
            return f32::NEG_INFINITY;
        }
        if let Some((swell, frame)) = voice.swell
            && swell.steady(frame, BLOCK as u64) == Some(0.0)
        {
            return f32::NEG_INFINITY;
        }
        let down = |bus: u32| self.down.get(bus as usize).copied().unwrap_or(0.0);
        let mut most = down(voice.bus);
        if voice.sends && voice.frozen.is_none() {
            for sound in voice.sounds() {
                for send in &program.sounds[*sound as usize].sends {
                    let farther = crate::director::sent_by_distance(program, &self.world, voice, *sound, send.to);
                    most = most.max(self.now.state.mix.cells[send.cell as usize].now + farther + down(send.to));
                }
            }
        }
        if voice.place != crate::mixer::voice::NOWHERE {
            for (bus, gain) in program.world.rooms.iter().zip(self.now.state.places.rooms).filter(|(_, gain)| *gain > 1e-4) {
                most = most.max(crate::units::Decibels::of_gain(gain).0 + down(*bus));
            }
        }
        voice.level + most
    }
}
