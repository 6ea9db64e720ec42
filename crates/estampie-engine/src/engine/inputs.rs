//! Inputs on their way to the block in which they count: those known beforehand, and those that came.

use super::Message;
use crate::director::input::Input;
use crate::ground::time::BLOCK;
use rtrb::Consumer;
use std::sync::Arc;

/// What is still to be answered.
pub(super) struct Inputs {
    pub(super) messages: Consumer<Message>,
    /// Inputs that came, in the order in which they came.
    pending: Vec<Input>,
    schedule: Arc<[Input]>,
    scheduled: usize,
}

impl Inputs {
    /// With room for so many that wait, and a schedule in the order of its frames.
    pub(super) fn new(messages: Consumer<Message>, room: usize, schedule: Arc<[Input]>) -> Inputs {
        Inputs { messages, pending: Vec::with_capacity(room), schedule, scheduled: 0 }
    }

    /// Keeps an input until its frame; false if there is no room.
    pub(super) fn keep(&mut self, input: Input) -> bool {
        let room = self.pending.len() < self.pending.capacity();
        if room {
            self.pending.push(input);
        }
        room
    }

    /// The next input of the block that begins at `frame`, in the order of their frames, those of one frame in the order in which they
    /// came; with how many frames into the block it counts.
    pub(super) fn next(&mut self, frame: u64) -> Option<(Input, usize)> {
        let end = frame + BLOCK as u64;
        let next_scheduled = self.schedule.get(self.scheduled).filter(|i| i.frame < end).copied();
        // The first of the earliest: `min_by_key` keeps the order in which inputs came.
        let next_pending = self.pending.iter().enumerate().filter(|(_, i)| i.frame < end).min_by_key(|(_, i)| i.frame.max(frame)).map(|(at, i)| (at, *i));
        let input = match (next_scheduled, next_pending) {
            (Some(s), Some((_, p))) if s.frame <= p.frame.max(frame) => {
                self.scheduled += 1;
                s
            }
            (Some(s), None) => {
                self.scheduled += 1;
                s
            }
            (_, Some((at, p))) => {
                self.pending.remove(at);
                p
            }
            (None, None) => return None,
        };
        Some((input, input.frame.saturating_sub(frame) as usize))
    }
}
