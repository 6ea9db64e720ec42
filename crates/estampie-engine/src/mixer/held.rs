//! Sound that is held back, so that what goes two ways arrives at once; and how it goes over where an edit changes by how much.

use crate::dsp::{DelayLine, Fade};
use crate::ground::time::BLOCK;

/// Going over from one sound to another that an edit makes of it takes 20 ms.
pub(crate) fn cross_frames(rate: u32) -> u64 {
    u64::from(rate) / 50
}

/// Edits that are still gone over to, the last one included; one that comes before them all are done puts out the oldest.
const MOST: usize = 4;

/// Delays a block of two channels; the lines hold a block more than the frames.
pub(super) fn hold_back(lines: [&mut DelayLine; 2], frames: usize, block: [&mut [f32; BLOCK]; 2]) {
    for (line, samples) in lines.into_iter().zip(block) {
        line.write_block(samples);
        line.read_block(frames + BLOCK, samples);
    }
}

/// Lines for two channels that are so much later; none for none.
pub(super) fn lines(frames: usize) -> Option<[DelayLine; 2]> {
    (frames > 0).then(|| [DelayLine::new(frames + BLOCK), DelayLine::new(frames + BLOCK)])
}

/// A way into what follows an edit: it waits until there is something to hear of that, and goes over then.
#[derive(Debug, Clone, Copy)]
pub(super) struct Over {
    waits: usize,
    fade: Fade,
}

impl Over {
    /// It is there.
    pub(super) fn done() -> Over {
        Over { waits: 0, fade: Fade::at(1.0) }
    }

    /// It is not there.
    pub(super) fn none() -> Over {
        Over { waits: 0, fade: Fade::at(0.0) }
    }

    /// Not there yet, and on its way: what it goes over to comes so many frames later.
    pub(super) fn begun(later: usize, rate: u32) -> Over {
        Over { waits: later, fade: Fade::over(0.0, 1.0, cross_frames(rate)) }
    }

    /// Back from where it is.
    pub(super) fn back(self, rate: u32) -> Over {
        Over { waits: 0, fade: self.fade.towards(0.0, cross_frames(rate)) }
    }

    /// Is where it goes: nobody hears it.
    pub(super) fn settle(&mut self) {
        *self = Over { waits: 0, fade: Fade::at(self.fade.target()) };
    }

    /// The share of what it goes over to.
    pub(super) fn share(&self) -> f32 {
        self.fade.gain()
    }

    pub(super) fn arrived(&self) -> bool {
        self.fade.arrived()
    }

    /// Goes over from `was` to what stands in `block`.
    pub(super) fn mix(&mut self, was: [&[f32; BLOCK]; 2], block: [&mut [f32; BLOCK]; 2]) {
        let ([was_left, was_right], [left, right]) = (was, block);
        for i in 0..BLOCK {
            let share = if self.waits > 0 {
                self.waits -= 1;
                self.share()
            } else {
                self.fade.next_gain()
            };
            left[i] = was_left[i] + (left[i] - was_left[i]) * share;
            right[i] = was_right[i] + (right[i] - was_right[i]) * share;
        }
    }
}

/// Two channels, held back by as many frames as the last of these; those before it are gone over from.
#[derive(Debug)]
pub(crate) struct HeldBack {
    stages: Vec<Stage>,
}

#[derive(Debug)]
struct Stage {
    frames: usize,
    lines: Option<[DelayLine; 2]>,
    over: Over,
}

impl Stage {
    fn pass(&mut self, [left, right]: [&mut [f32; BLOCK]; 2]) {
        if let Some([a, b]) = &mut self.lines {
            hold_back([a, b], self.frames, [left, right]);
        }
    }
}

impl HeldBack {
    /// Held back by `frames` from the beginning.
    pub(crate) fn by(frames: u32) -> HeldBack {
        let frames = frames as usize;
        let mut stages = Vec::with_capacity(MOST + 1);
        stages.push(Stage { frames, lines: lines(frames), over: Over::done() });
        HeldBack { stages }
    }

    /// Nothing is held back, and nothing is gone over from.
    pub(crate) fn is_idle(&self) -> bool {
        matches!(&self.stages[..], [only] if only.frames == 0)
    }

    /// Works on a block.
    pub(crate) fn pass(&mut self, left: &mut [f32; BLOCK], right: &mut [f32; BLOCK]) {
        // What is before the last that has been arrived at waits here for the next program, which takes it away.
        let from = self.first();
        let (input_left, input_right) = (*left, *right);
        self.stages[from].pass([left, right]);
        for stage in &mut self.stages[from + 1..] {
            let (mut next_left, mut next_right) = (input_left, input_right);
            stage.pass([&mut next_left, &mut next_right]);
            stage.over.mix([&*left, &*right], [&mut next_left, &mut next_right]);
            (*left, *right) = (next_left, next_right);
        }
    }

    /// The last one that has been arrived at.
    fn first(&self) -> usize {
        self.stages.iter().rposition(|s| s.over.arrived()).unwrap_or(0)
    }

    /// Goes on where `old` is: the same where nothing changes, otherwise over from it. Allocates nothing, and leaves to `old` what is not needed.
    pub(crate) fn take_over(&mut self, old: &mut HeldBack, rate: u32) {
        let (now, was) = (self.stages.len() - 1, old.stages.len() - 1);
        if self.stages[now].frames == old.stages[was].frames {
            std::mem::swap(self, old);
            return;
        }
        let Some(mut last) = self.stages.pop() else { return };
        last.over = Over::begun(last.frames, rate);
        let from = old.first().max((old.stages.len() + 1).saturating_sub(MOST));
        self.stages.extend(old.stages.drain(from..));
        self.stages.push(last);
        // What it begins with is there.
        self.stages[0].over = Over::done();
    }

    /// Is where it goes: nothing comes through.
    pub(crate) fn settle(&mut self) {
        self.stages.iter_mut().for_each(|stage| stage.over.settle());
    }

    /// Goes over from nothing held back, as what was led past here before.
    pub(crate) fn begin_from_none(&mut self, rate: u32) {
        let last = self.stages.len() - 1;
        if last == 0 && self.stages[0].frames > 0 {
            self.stages[0].over = Over::begun(self.stages[0].frames, rate);
            self.stages.insert(0, Stage { frames: 0, lines: None, over: Over::done() });
        }
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const RATE: u32 = 48_000;

    /// A slow tone in both channels, from a frame on.
    fn tone(from: usize) -> [f32; BLOCK] {
        std::array::from_fn(|i| ((from + i) as f32 * std::f32::consts::TAU / 4_800.0).sin())
    }

    proptest! {
        #[test]
        fn what_is_held_back_arrives_as_it_was_and_goes_over_without_a_step(changes in prop::collection::vec((0u32..300, 30usize..60), 1..5)) {
            let mut held = HeldBack::by(0);
            let (mut frame, mut last) = (0, 0.0f32);
            for (frames, blocks) in changes {
                let mut next = HeldBack::by(frames);
                next.take_over(&mut held, RATE);
                held = next;
                for block in 0..blocks {
                    let (mut left, mut right) = (tone(frame), tone(frame));
                    held.pass(&mut left, &mut right);
                    prop_assert_eq!(left, right);
                    for (i, sample) in left.iter().enumerate() {
                        // The tone itself moves by 0.0013 in a frame, and what it goes over to is 300 frames away at most.
                        prop_assert!((sample - last).abs() < 0.002, "{last} {sample}");
                        last = *sample;
                        if block >= 24 && frame + i >= frames as usize {
                            prop_assert!((sample - tone(frame + i - frames as usize)[0]).abs() < 1e-6);
                        }
                    }
                    frame += BLOCK;
                }
            }
            prop_assert!(held.stages.len() <= MOST + 1);
        }

        #[test]
        fn edits_in_a_storm_take_no_more_room(changes in prop::collection::vec(0u32..300, 1..40)) {
            let mut held = HeldBack::by(0);
            for frames in changes {
                let mut next = HeldBack::by(frames);
                let room = next.stages.capacity();
                next.take_over(&mut held, RATE);
                held = next;
                prop_assert_eq!(held.stages.capacity(), room);
                prop_assert_eq!(held.stages.last().unwrap().frames, frames as usize);
                held.pass(&mut tone(0), &mut tone(0));
            }
        }
    }

    #[test]
    fn what_begins_from_none_is_heard_at_once() {
        let mut held = HeldBack::by(100);
        assert!(!held.is_idle());
        held.begin_from_none(RATE);
        let (mut left, mut right) = (tone(0), tone(0));
        held.pass(&mut left, &mut right);
        assert_eq!(left, tone(0));
        let mut none = HeldBack::by(0);
        none.begin_from_none(RATE);
        assert!(none.is_idle());
    }
}
