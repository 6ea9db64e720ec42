//! `set`: a state or a parameter gets a value.

use super::{ActionKind, Slot, SlotKind};
use crate::program::Filled;

pub(super) static SET: ActionKind = ActionKind {
    verb: "set",
    does: "sets a state to one of its values, or a parameter to a number in its range",
    slots: &[Slot::needed(SlotKind::Subject), Slot::needed(SlotKind::SubjectValue).after("to")],
    begins: false,
    act: |directing, action, call| match action.slots {
        [Filled::Parameter(index), Filled::Value(value), ..] => directing.set_parameter(index, value, call.frame, call.by),
        [Filled::State(index), Filled::StateValue(value), ..] => directing.set_state(index, value, call.frame, call.by),
        _ => {}
    },
};
