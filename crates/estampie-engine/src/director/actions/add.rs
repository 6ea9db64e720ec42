//! `add`: a parameter becomes more, or less.

use super::{ActionKind, Slot, SlotKind};
use crate::program::Filled;

pub(super) static ADD: ActionKind = ActionKind {
    verb: "add",
    does: "adds to the parameter, within its range; a number below 0 takes away",
    slots: &[Slot::needed(SlotKind::Number), Slot::needed(SlotKind::Parameter).after("to")],
    begins: false,
    act: |directing, action, call| {
        let [Filled::Value(by), Filled::Parameter(index), ..] = action.slots else { return };
        let now = directing.state.parameters[index].at(call.frame);
        directing.set_parameter(index, now + by, call.frame, call.by);
    },
};
