//! What reactions can do: one file for each action, with its words, its slots and what it does, and one line in [`ACTIONS`].
//!
//! The parser, the printer, completion, the compiler, the survey of what is used and the documents all follow from the slots, so
//! that none of them knows an action by name.

mod add;
mod fade;
mod finish;
mod go;
mod play;
mod raise;
mod reset;
mod say;
mod send;
mod set;
mod sting;
mod stop;
mod sweep;

use super::{By, Directing};
use crate::ground::names::NameKey;
use crate::program::{Action, At};
use std::fmt;

/// All actions, in the order in which they are offered.
pub static ACTIONS: [&ActionKind; 15] = [
    &play::PLAY,
    &say::SAY,
    &stop::STOP,
    &finish::FINISH,
    &sweep::SWEEP,
    &set::SET,
    &add::ADD,
    &reset::RESET,
    &send::SEND,
    &go::GO,
    &sting::STING,
    &fade::FADE_IN,
    &fade::FADE_OUT,
    &raise::RAISE,
    &raise::LOWER,
];

/// What a slot of an action holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SlotKind {
    /// A sound.
    Sound,
    /// A sound that has lines.
    Spoken,
    /// At which emitter it happens; unsaid, at the one that the event came from.
    Where,
    /// Of which emitter what sounds is meant; unsaid, of all.
    Whose,
    /// How soon a line is said: in its turn, first, or cutting in.
    Urgency,
    /// A time.
    Time,
    /// A property of sounds that can be moved while they are heard.
    Property,
    /// A value of that property.
    PropertyValue,
    /// The curve of the way there; straight if unsaid.
    Shape,
    /// `then let go` (or `then stay`, which is what happens anyway).
    LetGo,
    /// A state, or a parameter that the game tells.
    Subject,
    /// A value of that state or parameter.
    SubjectValue,
    /// A parameter that the game tells.
    Parameter,
    /// A number.
    Number,
    /// An event.
    Event,
    /// A piece or a playlist.
    Piece,
    /// A section of that piece, or `silence`.
    Section,
    /// A musical moment.
    Moment,
    /// A stinger.
    Stinger,
    /// The layers of a name, as `PIECE/LAYER`.
    Layers,
    /// A snapshot.
    Snapshot,
}

/// A slot of an action.
#[derive(Debug, Clone, Copy)]
pub struct Slot {
    /// The word before it; empty if there is none.
    pub lead: &'static str,
    /// What it holds.
    pub holds: SlotKind,
    /// Whether it can be left out.
    pub optional: bool,
}

impl Slot {
    const fn needed(holds: SlotKind) -> Slot {
        Slot { lead: "", holds, optional: false }
    }

    const fn optional(holds: SlotKind) -> Slot {
        Slot { lead: "", holds, optional: true }
    }

    const fn after(self, lead: &'static str) -> Slot {
        Slot { lead, ..self }
    }
}

/// When and by whom an action is called.
#[derive(Clone, Copy)]
pub(super) struct Call {
    /// Frames into the present block.
    offset: usize,
    /// The frame of the engine.
    frame: u64,
    by: By,
}

impl Call {
    /// The emitter that is meant; none if all are.
    fn whose(&self, at: At) -> Option<NameKey> {
        match at {
            At::Any => None,
            At::Sender => Some(self.by.emitter),
            At::Named(name) => Some(name),
        }
    }

    /// Who asks, with the emitter that is meant.
    fn at(&self, at: At) -> By {
        By { emitter: self.whose(at).unwrap_or_default(), ..self.by }
    }
}

/// A kind of action.
pub struct ActionKind {
    /// The word or words that it begins with.
    pub verb: &'static str,
    /// What it does, as a line of explanation.
    pub does: &'static str,
    /// What is said of it, in the order in which it is written.
    pub slots: &'static [Slot],
    /// Whether it makes the sound in its first slot begin.
    pub begins: bool,
    act: fn(&mut Directing<'_>, &Action, Call),
}

impl PartialEq for ActionKind {
    fn eq(&self, other: &ActionKind) -> bool {
        self.verb == other.verb
    }
}

impl fmt::Debug for ActionKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.verb)
    }
}

impl Directing<'_> {
    pub(super) fn act(&mut self, action: &Action, offset: usize, by: By) {
        let call = Call { offset, frame: self.frame + offset as u64, by };
        if let Some(kind) = ACTIONS.get(usize::from(action.kind)) {
            (kind.act)(self, action, call);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::program::MOST_SLOTS;

    #[test]
    fn no_two_actions_begin_alike_and_each_has_room_for_its_slots() {
        for (at, kind) in ACTIONS.iter().enumerate() {
            assert!(kind.slots.len() <= MOST_SLOTS, "{}", kind.verb);
            assert!(!kind.does.is_empty() && kind.does.len() <= 140, "{}", kind.verb);
            assert!(!kind.begins || matches!(kind.slots[0].holds, SlotKind::Sound | SlotKind::Spoken), "{}", kind.verb);
            for other in &ACTIONS[at + 1..] {
                let words = |kind: &ActionKind| kind.verb.split(' ').map(str::to_owned).collect::<Vec<_>>();
                assert!(!words(other).starts_with(&words(kind)) && !words(kind).starts_with(&words(other)), "{} and {}", kind.verb, other.verb);
            }
        }
    }
}
