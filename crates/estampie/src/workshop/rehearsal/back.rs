//! Back in time: the whole workshop shows how it stood at an earlier moment, while what plays goes on; and what was heard is kept from there.

use super::{LANES, Rehearsal};
use estampie_engine::engine::Status;
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::telemetry::What;
use estampie_project::language::Playthrough;
use estampie_proof::keep::{From, keep};
use estampie_proof::trace::kept::{Bar, Kept, Track};
use std::sync::Arc;

/// Of what began in the last seconds it is asked what that was.
const WHAT_WAS_THAT: f64 = 3.0;

/// A moment from which on is recorded: the program, and how everything stood.
pub(super) type Marked = (Arc<Program>, Box<Status>);

/// The moment that is looked at.
pub(super) struct Back {
    pub(super) frame: u64,
    /// The newest status of what plays.
    pub(super) live: Option<Box<Status>>,
}

impl Rehearsal {
    /// What was heard in the last half hour, since the last fresh start.
    pub(crate) fn kept(&self) -> &Kept {
        &self.kept
    }

    /// What was heard before the last fresh start or replay, if it was longer than a second.
    pub(crate) fn kept_before(&self) -> Option<&Arc<Kept>> {
        self.before.as_ref()
    }

    /// The moment that is looked at, if it is not the present.
    pub(crate) fn back(&self) -> Option<u64> {
        self.back.as_ref().map(|b| b.frame)
    }

    /// The present frame, as far as is known, whatever is looked at.
    pub(crate) fn now(&self) -> u64 {
        self.back.as_ref().map_or(&self.status, |b| &b.live).as_ref().map_or(0, |s| s.frame)
    }

    /// Looks at how everything stood at a frame; what plays goes on. False if nothing is known of it.
    pub(crate) fn look(&mut self, frame: u64) -> bool {
        if frame >= self.now() {
            self.come_back();
            return true;
        }
        let Some(stood) = self.kept.at(frame) else { return false };
        let stood = Box::new(stood.clone());
        if let Some(program) = self.program_of(stood.program).cloned() {
            self.meters.clear();
            self.meter(&stood, &program);
        }
        let shown = self.status.replace(stood);
        match &mut self.back {
            Some(back) => back.frame = frame,
            None => self.back = Some(Back { frame, live: shown }),
        }
        true
    }

    /// Looks at the present again.
    pub(crate) fn come_back(&mut self) {
        if let Some(back) = self.back.take() {
            self.status = back.live;
            self.meters.clear();
        }
    }

    /// A program whose statuses may still be looked at.
    pub(crate) fn program_of(&self, id: u64) -> Option<&Arc<Program>> {
        self.programs.iter().rev().find(|p| p.id == id)
    }

    /// The loudest that began in the three seconds before what is looked at.
    pub(crate) fn what_was_that(&self) -> Option<Bar> {
        let to = self.frame();
        let from = to.saturating_sub((WHAT_WAS_THAT * f64::from(self.program.rate)) as u64);
        self.kept.loudest(from, to, |bar| !self.names.get(bar.sound).contains(' ')).copied()
    }

    /// The values of a parameter in the last seconds before what is looked at.
    pub(crate) fn lately(&self, parameter: NameKey) -> Vec<(u64, f32)> {
        let to = self.frame();
        let from = to.saturating_sub((LANES * f64::from(self.program.rate)) as u64);
        let values = self.kept.values(Track::Parameter(parameter), from, to).map(|(frame, value)| (frame.max(from), value));
        // It stands at the last value until now.
        let mut list: Vec<(u64, f32)> = values.collect();
        if let Some((_, value)) = list.last().copied().filter(|last| last.0 < to) {
            list.push((to, value));
        }
        list
    }

    /// The values that a state had in the last seconds before what is looked at, each with the frame since which it had it; the last one once more for
    /// the end.
    pub(crate) fn state_lately(&self, state: NameKey) -> Vec<(u64, NameKey)> {
        let to = self.frame();
        let from = to.saturating_sub((LANES * f64::from(self.program.rate)) as u64);
        let mut list: Vec<(u64, NameKey)> = Vec::new();
        for happening in self.kept.happened(from, to) {
            if let What::State { state: of, value, before, .. } = happening.what
                && of == state
            {
                if list.is_empty() && happening.frame > from {
                    list.push((from, before));
                }
                list.push((happening.frame, value));
            }
        }
        if list.is_empty()
            && let Some(index) = self.program.find_state.get(state)
            && let Some(now) = self.status.as_ref().filter(|s| s.program == self.program.id).and_then(|s| s.states.get(index))
        {
            list.push((from, self.program.states[index].values[usize::from(*now)]));
        }
        list.extend(list.last().map(|(_, value)| (to, *value)));
        list
    }

    /// Whether what was heard since the beginning comes from one project and one mix: none edited, nothing temporary.
    pub(crate) fn is_of_one_piece(&self) -> bool {
        !self.kept.happened(0, self.now()).any(|h| matches!(h.what, What::Notice(estampie_engine::telemetry::Notice::Program(_))))
    }

    /// What was said since a moment.
    pub(super) fn since(&self, (program, stood): &Marked) -> Playthrough {
        let (all, ..) = self.so_far();
        keep(&all, Some((stood, program)), &self.names, stood.frame, self.program.rate, From::Here)
    }

    /// What was said from a moment on, as a playthrough.
    pub(crate) fn keep_from(&self, frame: u64, from: From) -> Playthrough {
        let (all, ..) = self.so_far();
        keep(&all, self.kept.at(frame).zip(self.status_program().map(|p| &**p)), &self.names, frame, self.program.rate, from)
    }
}
