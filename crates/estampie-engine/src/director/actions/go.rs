//! `go`: a piece goes to a section, or a playlist begins or ends.

use super::{ActionKind, Slot, SlotKind};
use crate::director::music::Wanted;
use crate::program::Filled;

pub(super) static GO: ActionKind = ActionKind {
    verb: "go",
    does: "asks a piece to go to a section, by its transition or on a moment; without one it begins; a playlist begins, or ends in silence",
    slots: &[Slot::needed(SlotKind::Piece), Slot::optional(SlotKind::Section).after("to"), Slot::optional(SlotKind::Moment)],
    begins: false,
    act: |directing, action, call| {
        let wanted = match action.slots {
            [Filled::Playlist(list), to, ..] => Wanted::List(list, to != Filled::Section(None)),
            [Filled::Piece(piece), Filled::Section(section), on, ..] => Wanted::Go(piece, section, on.when(), None),
            // Unsaid where to: its first section if it is said when, or what it follows asks for.
            [Filled::Piece(piece), _, Filled::When(on), ..] => Wanted::Go(piece, Some(directing.program.music.pieces[piece].first), Some(on), None),
            [Filled::Piece(piece), ..] => Wanted::Go(piece, Some(directing.begins_with(piece)), None, None),
            _ => return,
        };
        directing.want(call.frame, wanted, call.by);
    },
};
