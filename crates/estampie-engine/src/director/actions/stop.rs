//! `stop`: what is heard of a sound fades out.

use super::{ActionKind, Slot, SlotKind};
use crate::program::Filled;

pub(super) static STOP: ActionKind = ActionKind {
    verb: "stop",
    does: "fades out what is heard of the sound, over the time or as its shape's release says",
    slots: &[Slot::needed(SlotKind::Sound), Slot::optional(SlotKind::Whose), Slot::optional(SlotKind::Time).after("over")],
    begins: false,
    act: |directing, action, call| {
        let [Filled::Sound(sound), Filled::At(at), over, ..] = action.slots else { return };
        // No fade is so short that it would click.
        let shortest = u64::from(directing.program.rate) / 500;
        let count = directing.stop(sound, call.whose(at), over.frames().map(|f| f.max(shortest)), call.offset as u64);
        directing.tell_let_go(sound, count, false, call.frame, call.by);
    },
};
