//! `sweep`: a property of what is heard of a sound goes somewhere.

use super::{ActionKind, Slot, SlotKind};
use crate::ground::curve::Shape;
use crate::ground::telemetry::What;
use crate::mixer::voice::{Swept, Voice};
use crate::program::Filled;

pub(super) static SWEEP: ActionKind = ActionKind {
    verb: "sweep",
    does: "takes the level, pitch, low-pass, high-pass, pan or width of what is heard so much further; then it stays, or is let go",
    slots: &[
        Slot::needed(SlotKind::Sound),
        Slot::optional(SlotKind::Whose),
        Slot::needed(SlotKind::Property),
        Slot::needed(SlotKind::PropertyValue).after("to"),
        Slot::needed(SlotKind::Time).after("over"),
        Slot::optional(SlotKind::Shape),
        Slot::optional(SlotKind::LetGo),
    ],
    begins: false,
    act: |directing, action, call| {
        let [Filled::Sound(sound), Filled::At(at), Filled::Property(property), Filled::Value(to), Filled::Frames(frames), shape, let_go] = action.slots else {
            return;
        };
        let curve = if let Filled::Shape(shape) = shape { shape } else { Shape::Straight };
        let (frame, end) = (call.frame, call.frame + frames);
        let mut count = 0;
        directing.each_voice_of(sound, call.whose(at), |voice: &mut Voice| {
            let Some(swept) = voice.swept.get_mut(property) else { return };
            let from = swept.map_or(0.0, |s| s.at(frame));
            *swept = Some(Swept { from, to, begin: frame, end, curve });
            if let_go == Filled::LetGo {
                voice.let_go_on = Some(end);
            }
            count += 1;
        });
        let sound = directing.program.sounds[sound as usize].key;
        directing.outlets.tell(frame, What::Sweep { sound, property, to, frames, count, by: call.by.reaction });
    },
};
