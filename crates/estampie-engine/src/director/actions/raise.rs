//! `raise` and `lower`: snapshots hold, and let go.

use super::{ActionKind, Slot, SlotKind};
use crate::program::Filled;

pub(super) static RAISE: ActionKind = ActionKind {
    verb: "raise",
    does: "raises a snapshot, for a time or until it is lowered",
    slots: &[Slot::needed(SlotKind::Snapshot), Slot::optional(SlotKind::Time).after("for")],
    begins: false,
    act: |directing, action, call| {
        let [Filled::Snapshot(snapshot), over, ..] = action.slots else { return };
        directing.raise(snapshot, Some(over.frames()), call.frame, call.by.reaction);
    },
};

pub(super) static LOWER: ActionKind = ActionKind {
    verb: "lower",
    does: "takes back what reactions have raised; other reasons keep the snapshot up",
    slots: &[Slot::needed(SlotKind::Snapshot)],
    begins: false,
    act: |directing, action, call| {
        let [Filled::Snapshot(snapshot), ..] = action.slots else { return };
        directing.raise(snapshot, None, call.frame, call.by.reaction);
    },
};
