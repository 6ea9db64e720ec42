//! `sweep`: a property of what is heard of a sound goes somewhere.

use super::{ActionKind, Slot, SlotKind};
use crate::director::generators::sweep_control;
use crate::ground::curve::Shape;
use crate::ground::telemetry::What;
use crate::mixer::swept::Swept;
use crate::mixer::voice::Voice;
use crate::program::Filled;

pub(super) static SWEEP: ActionKind = ActionKind {
    verb: "sweep",
    does: "takes level, pitch, a filter, pan, width or a generator's control of what is heard so much further; then it stays, or is let go",
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
        let program = directing.program;
        directing.each_voice_of(sound, call.whose(at), |voice: &mut Voice| {
            let make = |from| Swept { from, to, begin: frame, end, curve };
            if let Some(swept) = voice.swept.get_mut(property) {
                *swept = Some(make(swept.map_or(0.0, |s| s.at(frame))));
            } else if !sweep_control(program, voice, property, make, frame) {
                return;
            }
            if let_go == Filled::LetGo {
                voice.let_go_on = Some(end);
            }
            count += 1;
        });
        let sound = directing.program.sounds[sound].key;
        directing.outlets.tell(frame, What::Sweep { sound, property, to, frames, count, by: call.by.reaction });
    },
};
