//! `finish`: loops of a sound complete their round.

use super::{ActionKind, Slot, SlotKind};
use crate::program::Filled;

pub(super) static FINISH: ActionKind = ActionKind {
    verb: "finish",
    does: "lets its loops complete their round; what follows in the file or the chain plays, then it ends, and a repeat begins nothing new",
    slots: &[Slot::needed(SlotKind::Sound), Slot::optional(SlotKind::Whose)],
    begins: false,
    act: |directing, action, call| {
        let [Filled::Sound(sound), Filled::At(at), ..] = action.slots else { return };
        let count = directing.finish(sound, call.whose(at));
        directing.tell_let_go(sound, count, true, call.frame, call.by);
    },
};
