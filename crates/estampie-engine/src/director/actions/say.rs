//! `say`: a line of a sound with lines is said, in its turn.

use super::{ActionKind, Slot, SlotKind};
use crate::ground::vocabulary::Urgency;
use crate::program::Filled;

pub(super) static SAY: ActionKind = ActionKind {
    verb: "say",
    does: "has a line of it said in its turn; `first`: before all that wait; `cutting in`: at once, what is being said fades beneath it",
    slots: &[Slot::needed(SlotKind::Spoken), Slot::optional(SlotKind::Where), Slot::optional(SlotKind::Urgency)],
    begins: true,
    act: |directing, action, call| {
        let [Filled::Sound(sound), Filled::At(at), urgency, ..] = action.slots else { return };
        let urgency = if let Filled::Urgency(urgency) = urgency { urgency } else { Urgency::InTurn };
        directing.say(sound, urgency, call.offset as u64, call.at(at));
    },
};
