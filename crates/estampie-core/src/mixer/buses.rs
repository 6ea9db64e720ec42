//! The bus tree: levels, gates for mute and solo, meters, and the sum into the output.

use crate::document::Property;
use crate::dsp::Fade;
use crate::engine::{BLOCK, Engine, Notice, State, Term, TermKind, What};
use crate::mixer::voice::mean_square;
use crate::program::Program;
use crate::units::Decibels;

/// At and below this a level is silence.
const SILENT: f32 = -120.0;

/// Mute and solo take 10 ms.
fn gate_frames(rate: u32) -> u64 {
    u64::from(rate) / 100
}

impl Engine {
    /// Works out the levels and gates of this block.
    pub(crate) fn prepare_buses(&mut self, program: &Program) {
        let frames = gate_frames(program.rate);
        let glide = self.now.state.glide;
        let any_solo = self.now.state.buses.iter().any(|b| b.soloed);
        for (at, bus) in program.buses.iter().enumerate() {
            // A voice is heard when its bus or one that it runs into is soloed.
            let heard = !any_solo || {
                let mut here = at;
                loop {
                    if self.now.state.buses[here].soloed {
                        break true;
                    }
                    if here == 0 {
                        break false;
                    }
                    here = program.buses[here].into as usize;
                }
            };
            let state = &mut self.now.state.buses[at];
            let target = bus.level.max(SILENT);
            state.level += (target - state.level) * glide;
            if (state.level - target).abs() < 0.005 {
                state.level = target;
            }
            steer(&mut state.gate, if state.muted { 0.0 } else { 1.0 }, frames);
            steer(&mut state.direct, if heard { 1.0 } else { 0.0 }, frames);
        }
        for at in 0..program.buses.len() {
            let moved: f32 = program.buses[at].modulations.iter().map(|m| self.now.state.modulations[*m as usize]).sum();
            self.now.state.buses[at].moved = moved;
        }
    }

    /// Sums the buses, leaves first, into the root, and gives whether the root has anything.
    pub(crate) fn sum_buses(&mut self, program: &Program) {
        for at in (0..program.buses.len()).rev() {
            let into = program.buses[at].into as usize;
            let (head, tail) = self.now.state.buses.split_at_mut(at);
            let Some(bus) = tail.first_mut() else { continue };
            let level = bus.level + bus.moved;
            let target = if level <= SILENT { 0.0 } else { Decibels(level).gain() };
            let start = if bus.gain.is_nan() { target } else { bus.gain };
            bus.gain = target;
            if !bus.fed {
                // The gate moves on even in silence.
                for _ in 0..if bus.gate.arrived() { 0 } else { BLOCK } {
                    bus.gate.next_gain();
                }
                continue;
            }
            bus.fed = false;
            let slope = (target - start) / BLOCK as f32;
            if bus.gate.arrived() && start == target {
                let gain = target * bus.gate.gain();
                bus.left.iter_mut().for_each(|s| *s *= gain);
                bus.right.iter_mut().for_each(|s| *s *= gain);
            } else {
                for i in 0..BLOCK {
                    let gain = (start + slope * (i + 1) as f32) * bus.gate.next_gain();
                    bus.left[i] *= gain;
                    bus.right[i] *= gain;
                }
            }
            // A sum of squares is finite only if every sample is.
            let finite = (mean_square(&bus.left) + mean_square(&bus.right)).is_finite();
            let mut peak = [greatest(&bus.left), greatest(&bus.right)];
            if !finite {
                bus.left.fill(0.0);
                bus.right.fill(0.0);
                peak = [0.0; 2];
                let what = What::Notice(Notice::NotFinite { bus: program.buses[at].key });
                self.outlets.tell(self.frame, what);
            }
            bus.peak = [bus.peak[0].max(peak[0]), bus.peak[1].max(peak[1])];
            if let Some(parent) = head.get_mut(into) {
                for i in 0..BLOCK {
                    parent.left[i] += bus.left[i];
                    parent.right[i] += bus.right[i];
                }
                parent.fed = true;
                bus.left.fill(0.0);
                bus.right.fill(0.0);
            }
        }
    }
}

/// The greatest amplitude.
pub(crate) fn greatest(samples: &[f32]) -> f32 {
    let mut lanes = [0.0f32; 8];
    for chunk in samples.chunks_exact(8) {
        for i in 0..8 {
            let amplitude = chunk[i].abs();
            lanes[i] = if amplitude > lanes[i] { amplitude } else { lanes[i] };
        }
    }
    let rest = samples.chunks_exact(8).remainder();
    lanes.iter().chain(rest).fold(0.0, |p, s| p.max(s.abs()))
}

fn steer(gate: &mut Fade, target: f32, frames: u64) {
    if gate.target() != target {
        *gate = gate.towards(target, frames);
    }
}

/// The terms of level from a bus to the output, given to `sink` one by one.
pub(crate) fn bus_terms(program: &Program, state: &State, bus: usize, sink: &mut impl FnMut(Term)) {
    let level = |kind, of, value| Term { property: Property::Level, kind, of, value };
    let mut here = bus;
    loop {
        let (spec, now) = (&program.buses[here], &state.buses[here]);
        let set = if now.level <= SILENT { f32::NEG_INFINITY } else { now.level };
        sink(level(TermKind::Bus, spec.key, set));
        for modulation in &spec.modulations {
            let moved = &program.modulations[*modulation as usize];
            sink(level(TermKind::Moved, program.parameters[moved.parameter].key, state.modulations[*modulation as usize]));
        }
        if now.gate.gain() != 1.0 {
            sink(level(TermKind::Gated, spec.key, Decibels::of_gain(now.gate.gain()).0));
        }
        if here == 0 {
            break;
        }
        here = spec.into as usize;
    }
}
