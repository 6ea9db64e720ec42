//! `play`: a sound begins.

use super::{ActionKind, Holds, Slot};
use crate::program::Filled;

pub(super) static PLAY: ActionKind = ActionKind {
    verb: "play",
    does: "plays the sound on this very frame",
    slots: &[Slot::needed(Holds::Sound), Slot::optional(Holds::Where)],
    begins: true,
    act: |directing, action, call| {
        let [Filled::Sound(sound), Filled::At(at), ..] = action.slots else { return };
        directing.play(sound, call.offset, call.at(at));
    },
};
