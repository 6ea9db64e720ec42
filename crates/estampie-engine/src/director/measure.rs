//! What is worked out in every block: measures, formulas, and the parameters that every emitter has by itself.

use super::Directing;
use super::{By, Work};
use crate::ground::telemetry::{Notice, What};
use crate::ground::time::BLOCK;
use crate::program::{Measured, ValueFrom, Who};

/// Whether a value is a motion, which is followed by the parameter's rise and fall.
fn is_motion(source: &ValueFrom) -> bool {
    matches!(source, ValueFrom::Measured(Measured::Speed(_) | Measured::Turning(_) | Measured::Approach(_)))
}

impl Directing<'_> {
    /// Works out measures and formulas, in an order in which each comes after what it needs, and calls what waits for them.
    pub(crate) fn derive(&mut self) {
        let program = self.program;
        let parameters = &self.state.parameters;
        self.world.follow(self.frame, program.rate, &program.world, |amount| amount.now(|p| parameters[p].smooth));
        for index in &program.derived {
            let index = *index as usize;
            if program.parameters[index].local.is_some() {
                continue;
            }
            let value = match self.state.parameters[index].held {
                Some(held) => Some(held),
                None => self.derived_value(index),
            };
            let spec = &program.parameters[index];
            let now = &mut self.state.parameters[index];
            match value.filter(|v| v.is_finite()) {
                Some(value) => {
                    let value = value.clamp(spec.low, spec.high);
                    if now.held.is_none() && is_motion(&spec.source) {
                        now.set_followed(value, spec);
                    } else {
                        now.set(value);
                    }
                    now.jump(spec, self.frame);
                    now.faulty = false;
                }
                None if !now.faulty && value.is_some() => {
                    now.faulty = true;
                    let kept = now.at(self.frame);
                    self.outlets.tell(self.frame, What::Notice(Notice::NoNumber { parameter: spec.key, kept }));
                }
                None => {}
            }
            self.watch(index);
        }
    }

    /// Calls what waits for a parameter whose value has moved by itself.
    pub(crate) fn watch(&mut self, index: usize) {
        let program = self.program;
        let now = &mut self.state.parameters[index];
        let value = now.at(self.frame);
        if value != now.watched {
            let before = std::mem::replace(&mut now.watched, value);
            if !program.parameters[index].watches.is_empty() {
                self.director.work.clear();
                self.director.work.push(Work::Parameter(index, before, value, By::default()));
                self.work_off(0);
            }
        }
    }

    /// The value of one that is worked out; `None` if there is nothing to work it out from.
    fn derived_value(&mut self, index: usize) -> Option<f32> {
        let program = self.program;
        let frame = self.frame;
        let dt = BLOCK as f32 / program.rate as f32;
        match &program.parameters[index].source {
            ValueFrom::Game => None,
            ValueFrom::Formula(formula) => {
                let state = &mut *self.state;
                let (parameters, states, rates) = (&state.parameters, &state.states, &mut state.rates);
                Some(formula.value(
                    |p| parameters[p as usize].at(frame),
                    |s| states[s as usize],
                    |memory, value| {
                        let before = rates[memory as usize].replace(value);
                        before.map_or(0.0, |b| (value - b) / dt)
                    },
                ))
            }
            ValueFrom::Measured(measured) => {
                let world = &self.world;
                let named = |who: &Who| if let Who::Named(key) = who { world.named(*key) } else { None };
                match measured {
                    Measured::Distance(who) => named(who).map(|e| world.distance(e)),
                    Measured::Bearing(who) => named(who).map(|e| world.bearing(e)),
                    Measured::Speed(who) => named(who).map(|e| e.speed),
                    Measured::Turning(who) => named(who).map(|e| e.turning),
                    Measured::Approach(who) => named(who).map(|e| world.approach(e, program.rate)),
                    Measured::Height(who) => named(who).map(|e| e.at[2]),
                    Measured::Count(kind, radius) => Some(world.count(*kind, *radius) as f32),
                    Measured::Walls(side, reach) => {
                        // Five looks at the walls: every eleventh millisecond is enough.
                        let look = (frame / BLOCK as u64).is_multiple_of(8);
                        look.then(|| crate::world::propagation::nearness(&program.world, world.listener.at, world.listener.facing + side, *reach))
                    }
                    Measured::Rate(of) => {
                        let now = &self.state.parameters[*of];
                        // From the followed value, so that a jump is not an endless rate.
                        let before = self.state.parameters[index].rate_from;
                        let value = now.smooth;
                        self.state.parameters[index].rate_from = Some(value);
                        Some(before.map_or(0.0, |b| (value - b) / dt))
                    }
                    Measured::Since(event) => {
                        let last = self.state.events[*event];
                        Some(last.map_or(program.parameters[index].high, |l| frame.saturating_sub(l) as f32 / program.rate as f32))
                    }
                }
            }
        }
    }

    /// Follows the parameters of each emitter that is somewhere or has been told one.
    pub(crate) fn follow_locals(&mut self) {
        let program = self.program;
        if program.locals == 0 {
            return;
        }
        for place in 0..self.world.emitters.len() {
            for index in program.local_parameters.iter().map(|i| *i as usize) {
                let spec = &program.parameters[index];
                let Some(local) = spec.local else { continue };
                let at = place * program.locals + usize::from(local);
                if let ValueFrom::Measured(measured) = &spec.source {
                    let emitter = &self.world.emitters[place];
                    if !emitter.present {
                        continue;
                    }
                    let value = match measured {
                        Measured::Distance(_) => self.world.distance(emitter),
                        Measured::Bearing(_) => self.world.bearing(emitter),
                        Measured::Speed(_) => emitter.speed,
                        Measured::Turning(_) => emitter.turning,
                        Measured::Approach(_) => self.world.approach(emitter, program.rate),
                        Measured::Height(_) => emitter.at[2],
                        Measured::Count(..) | Measured::Walls(..) | Measured::Rate(_) | Measured::Since(_) => continue,
                    };
                    let (value, now) = (value.clamp(spec.low, spec.high), &mut self.state.locals[at]);
                    if is_motion(&spec.source) {
                        now.set_followed(value, spec);
                    } else {
                        now.set(value);
                    }
                }
                let now = &mut self.state.locals[at];
                now.follow(spec, self.frame);
                let value = now.at(self.frame);
                if value != now.watched {
                    let before = std::mem::replace(&mut now.watched, value);
                    if !spec.watches.is_empty() {
                        let by = By { emitter: self.world.emitters[place].key, ..By::default() };
                        self.director.work.clear();
                        self.director.work.push(Work::Parameter(index, before, value, by));
                        self.work_off(0);
                    }
                }
            }
        }
    }
}
