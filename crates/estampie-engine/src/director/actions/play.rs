//! `play`: a sound begins.

use super::{ActionKind, Slot, SlotKind};
use crate::program::Filled;

pub(super) static PLAY: ActionKind = ActionKind {
    verb: "play",
    does: "plays the sound on this very frame",
    slots: &[Slot::needed(SlotKind::Sound), Slot::optional(SlotKind::Where)],
    begins: true,
    act: |directing, action, call| {
        let [Filled::Sound(sound), Filled::At(at), ..] = action.slots else { return };
        directing.play(sound, call.offset, call.at(at));
    },
};
