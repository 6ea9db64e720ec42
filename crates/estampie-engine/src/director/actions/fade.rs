//! `fade in` and `fade out`: layers of music come and go.

use super::{ActionKind, Call, Slot, SlotKind};
use crate::director::Directing;
use crate::director::music::Wanted;
use crate::program::{Action, Filled};

const SLOTS: &[Slot] = &[Slot::needed(SlotKind::Layers)];

pub(super) static FADE_IN: ActionKind = ActionKind {
    verb: "fade in",
    does: "brings in all layers of that name; they fade as they say",
    slots: SLOTS,
    begins: false,
    act: |directing, action, call| fade(directing, action, call, true),
};

pub(super) static FADE_OUT: ActionKind = ActionKind {
    verb: "fade out",
    does: "takes out all layers of that name; they fade as they say",
    slots: SLOTS,
    begins: false,
    act: |directing, action, call| fade(directing, action, call, false),
};

fn fade(directing: &mut Directing<'_>, action: &Action, call: Call, on: bool) {
    let [Filled::Layers(switch), ..] = action.slots else { return };
    directing.want(call.frame, Wanted::Switch(switch, on), call.by);
}
