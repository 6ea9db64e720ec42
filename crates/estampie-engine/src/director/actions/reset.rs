//! `reset`: a state or a parameter is again as at the beginning.

use super::{ActionKind, Slot, SlotKind};
use crate::program::Filled;

pub(super) static RESET: ActionKind = ActionKind {
    verb: "reset",
    does: "sets a parameter to its rest again, or a state to the value that it starts with",
    slots: &[Slot::needed(SlotKind::Subject)],
    begins: false,
    act: |directing, action, call| {
        let program = directing.program;
        match action.slots[0] {
            Filled::Parameter(index) => directing.set_parameter(index, program.parameters[index].rest, call.frame, call.by),
            Filled::State(index) => directing.set_state(index, program.states[index].start, call.frame, call.by),
            _ => {}
        }
    },
};
