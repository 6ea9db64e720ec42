//! `sting`: a stinger sounds.

use super::{ActionKind, Slot, SlotKind};
use crate::director::music::Wanted;
use crate::program::Filled;

pub(super) static STING: ActionKind = ActionKind {
    verb: "sting",
    does: "sounds a stinger, on its own moment or on this one",
    slots: &[Slot::needed(SlotKind::Stinger), Slot::optional(SlotKind::Moment)],
    begins: false,
    act: |directing, action, call| {
        let [Filled::Stinger(stinger), on, ..] = action.slots else { return };
        directing.want(call.frame, Wanted::Sting(stinger, on.when()), call.by);
    },
};
