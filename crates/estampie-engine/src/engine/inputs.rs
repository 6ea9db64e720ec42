//! Inputs on their way to the block in which they count: those known beforehand, and those that came.

use super::Message;
use crate::director::input::Input;
use crate::ground::time::BLOCK;
use rtrb::Consumer;
use std::cmp::Ordering;
use std::collections::BinaryHeap;
use std::sync::Arc;

/// An input that came and waits for its frame.
struct Waiting {
    /// The frame on which it counts: that of the block in which it came, if its own was past.
    frame: u64,
    /// How many came before it.
    number: u64,
    input: Input,
}

impl Ord for Waiting {
    /// The first to count is the greatest, as the heap has it; of one frame that which came first.
    fn cmp(&self, other: &Self) -> Ordering {
        (other.frame, other.number).cmp(&(self.frame, self.number))
    }
}

impl PartialOrd for Waiting {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl PartialEq for Waiting {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other) == Ordering::Equal
    }
}

impl Eq for Waiting {}

/// What is still to be answered.
pub(super) struct Inputs {
    /// The remote's ring; taken out while it is emptied.
    pub(super) messages: Option<Consumer<Message>>,
    /// Inputs that came. A heap, so that many in one block cost no more than their logarithm each.
    pending: BinaryHeap<Waiting>,
    room: usize,
    came: u64,
    schedule: Arc<[Input]>,
    scheduled: usize,
}

impl Inputs {
    /// With room for so many that wait, and a schedule in the order of its frames.
    pub(super) fn new(messages: Consumer<Message>, room: usize, schedule: Arc<[Input]>) -> Inputs {
        Inputs { messages: Some(messages), pending: BinaryHeap::with_capacity(room), room, came: 0, schedule, scheduled: 0 }
    }

    /// How many more have room.
    pub(super) fn room(&self) -> usize {
        self.room - self.pending.len()
    }

    /// Keeps an input that came before the block at `now` until its frame; false if there is no room.
    pub(super) fn keep(&mut self, input: Input, now: u64) -> bool {
        if self.pending.len() >= self.room {
            return false;
        }
        self.came += 1;
        self.pending.push(Waiting { frame: input.frame.max(now), number: self.came, input });
        true
    }

    /// The next input of the block that begins at `frame`, in the order of their frames, those of one frame in the order in which they
    /// came, those known beforehand first; with how many frames into the block it counts.
    pub(super) fn next(&mut self, frame: u64) -> Option<(Input, usize)> {
        let end = frame + BLOCK as u64;
        let scheduled = self.schedule.get(self.scheduled).filter(|i| i.frame < end).copied();
        let came = self.pending.peek().filter(|w| w.frame < end).map(|w| w.frame);
        let input = match (scheduled, came) {
            (Some(input), came) if came.is_none_or(|at| input.frame <= at) => {
                self.scheduled += 1;
                input
            }
            (_, Some(_)) => self.pending.pop()?.input,
            _ => return None,
        };
        Some((input, input.frame.saturating_sub(frame) as usize))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::director::input::InputKind;
    use proptest::prelude::*;
    use rtrb::RingBuffer;

    fn at(frame: u64, mark: f32) -> Input {
        Input { frame, what: InputKind::Waits { factor: mark } }
    }

    proptest! {
        #[test]
        fn inputs_come_by_frame_and_then_as_they_came(came in prop::collection::vec((0u64..300, 0u64..200), 0..60), known in prop::collection::vec(0u64..300, 0..20)) {
            let mut known = known;
            known.sort_unstable();
            let schedule: Arc<[Input]> = known.iter().map(|f| at(*f, -1.0)).collect();
            let mut inputs = Inputs::new(RingBuffer::new(1).1, 64, schedule);
            // Each comes before some block, and counts on its frame or, if that is past, at the start of that block.
            let mut list: Vec<(u64, u64, usize)> = came.iter().enumerate().map(|(n, (frame, when))| (when / 64 * 64, *frame, n)).collect();
            list.sort_by_key(|(when, ..)| *when);
            let mut wanted: Vec<(u64, u8, usize)> = known.iter().map(|f| (*f, 0, 0)).collect();
            wanted.extend(list.iter().enumerate().map(|(order, (when, frame, _))| (*frame.max(when), 1, order)));
            wanted.sort_unstable();
            let mut given = Vec::new();
            let mut next = list.iter().enumerate().peekable();
            for block in 0..6u64 {
                while let Some((order, (_, frame, _))) = next.next_if(|(_, (when, ..))| *when <= block * 64) {
                    prop_assert!(inputs.keep(at(*frame, order as f32), block * 64));
                }
                while let Some((input, offset)) = inputs.next(block * 64) {
                    let InputKind::Waits { factor } = input.what else { unreachable!() };
                    let counts = block * 64 + offset as u64;
                    given.push(if factor < 0.0 { (counts, 0, 0) } else { (counts, 1, factor as usize) });
                }
            }
            prop_assert_eq!(given, wanted);
        }
    }

    #[test]
    fn there_is_room_for_so_many_and_no_more() {
        let mut inputs = Inputs::new(RingBuffer::new(1).1, 2, Arc::from([]));
        assert_eq!(inputs.room(), 2);
        assert!(inputs.keep(at(900, 0.0), 0) && inputs.keep(at(500, 1.0), 0) && !inputs.keep(at(10, 2.0), 0));
        assert_eq!(inputs.room(), 0);
        assert!(inputs.next(0).is_none() && inputs.next(448).is_some_and(|(input, offset)| input.frame == 500 && offset == 52));
    }
}
