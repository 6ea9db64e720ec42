//! What plays, and how loud: parameters, states, reactions, picks, limits and modulation, block by block.

mod play;
mod react;

use crate::document::Property;
use crate::engine::{Engine, State, Term, TermKind};
use crate::mixer::voice::{Frozen, Voice};
use crate::program::Program;

pub(crate) use play::bus_of;
pub(crate) use react::{By, Work};

impl Engine {
    /// Follows the parameters and works out every modulation for this block.
    pub(crate) fn follow_parameters(&mut self, program: &Program) {
        let state = &mut self.now.state;
        for (parameter, now) in program.parameters.iter().zip(&mut state.parameters) {
            let value = now.at(self.frame);
            let share = if value > now.smooth { parameter.rise } else { parameter.fall };
            now.smooth += (value - now.smooth) * share;
            // Close enough is there: otherwise the last bit of the way would take for ever.
            if (value - now.smooth).abs() < (parameter.high - parameter.low) * 1e-6 {
                now.smooth = value;
            }
            now.settle(self.frame);
        }
        for (modulation, now) in program.modulations.iter().zip(&mut state.modulations) {
            let target = modulation.curve.at(state.parameters[modulation.parameter].smooth);
            *now += (target - *now) * modulation.smooth;
            if (target - *now).abs() < 1e-4 {
                *now = target;
            }
        }
    }
}

/// Lets what a sound is set to glide after an edit; once a block, and at once if it was silent before.
pub(crate) fn glide_sound(program: &Program, state: &mut State, sound: usize, block: u64) {
    let share = state.glide;
    let (spec, now) = (&program.sounds[sound], &mut state.sounds[sound]);
    if now.block == block {
        return;
    }
    let silent_before = now.block + 1 < block;
    now.block = block;
    for (value, target) in [(&mut now.level, spec.level), (&mut now.pitch, spec.pitch), (&mut now.low_pass, spec.low_pass)] {
        if silent_before || (*value - target).abs() < 0.005 {
            *value = target;
        } else {
            *value += (target - *value) * share;
        }
    }
}

/// The terms of a voice's level, pitch and cutoff before its bus, given to `sink` one by one.
///
/// The mixer adds them up and *why* prints them: there is no other way to a voice's level.
pub(crate) fn voice_terms(program: &Program, state: &State, voice: &Voice, sink: &mut impl FnMut(Term)) {
    if let Some(frozen) = voice.frozen {
        for (property, value) in [(Property::Level, frozen.level), (Property::Pitch, frozen.pitch), (Property::LowPass, frozen.low_pass)] {
            sink(Term { property, kind: TermKind::Set, of: voice.sound, value });
        }
        return;
    }
    for (depth, index) in voice.sounds().iter().enumerate() {
        let (spec, now) = (&program.sounds[*index as usize], &state.sounds[*index as usize]);
        let mut tell = |property, kind, of, value| sink(Term { property, kind, of, value });
        tell(Property::Level, TermKind::Set, spec.key, now.level);
        tell(Property::Pitch, TermKind::Set, spec.key, now.pitch);
        tell(Property::LowPass, TermKind::Set, spec.key, now.low_pass);
        if spec.vary_level != (0.0, 0.0) {
            tell(Property::Level, TermKind::Varied, spec.key, voice.vary_level[depth]);
        }
        if spec.vary_pitch != (0.0, 0.0) {
            tell(Property::Pitch, TermKind::Varied, spec.key, voice.vary_pitch[depth]);
        }
        for modulation in &spec.modulations {
            let moved = &program.modulations[*modulation as usize];
            tell(moved.property, TermKind::Moved, program.parameters[moved.parameter].key, state.modulations[*modulation as usize]);
        }
    }
}

/// The sums of a voice's terms: level in dB, pitch in semitones, cutoff in octaves.
pub(crate) fn sums(program: &Program, state: &State, voice: &Voice) -> Frozen {
    let mut sums = Frozen { level: 0.0, pitch: 0.0, low_pass: 0.0 };
    voice_terms(program, state, voice, &mut |term| match term.property {
        Property::Level => sums.level += term.value,
        Property::Pitch => sums.pitch += term.value,
        Property::LowPass => sums.low_pass += term.value,
    });
    sums
}
