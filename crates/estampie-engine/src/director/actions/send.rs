//! `send`: an event happens.

use super::{ActionKind, Slot, SlotKind};
use crate::program::Filled;

pub(super) static SEND: ActionKind = ActionKind {
    verb: "send",
    does: "sends an event; reactions to it follow at once, on the same frame",
    slots: &[Slot::needed(SlotKind::Event), Slot::optional(SlotKind::Where)],
    begins: false,
    act: |directing, action, call| {
        let [Filled::Event(event), Filled::At(at), ..] = action.slots else { return };
        directing.send_event(event, call.at(at), call.frame);
    },
};
