//! What leaves the block loop besides sound: happenings, what is done with, the frames of a tapped bus.
//!
//! Everything goes through wait-free rings. When nobody takes happenings they are lost and counted; what is done with is kept
//! by whoever has it until there is room, since dropping it would free memory here.

use crate::ground::names::NameKey;
use crate::ground::telemetry::{Happening, What};
use crate::ground::time::BLOCK;
use rtrb::{Consumer, Producer, RingBuffer};
use std::any::Any;
use std::sync::Arc;

/// Something that is done with, to be dropped on the other side.
pub(crate) enum Retired {
    /// What others may hold as well.
    Shared(#[allow(dead_code, reason = "it is only dropped")] Arc<dyn Any + Send + Sync>),
    /// What nobody else has.
    Owned(#[allow(dead_code, reason = "it is only dropped")] Box<dyn Any + Send>),
}

/// The ends of the rings inside the block loop.
pub(crate) struct Outlets {
    happenings: Producer<Happening>,
    retired: Producer<Retired>,
    tap: Producer<f32>,
    /// The bus whose frames go out, or none.
    pub(crate) tapped: NameKey,
    /// Happenings that nobody took.
    pub(crate) lost: u64,
}

/// The ends outside.
pub(crate) struct Inlets {
    pub(crate) happenings: Consumer<Happening>,
    pub(crate) retired: Consumer<Retired>,
    pub(crate) tap: Consumer<f32>,
}

impl Outlets {
    /// Makes both ends, with room for so many of each.
    pub(crate) fn new(happenings: usize, retired: usize, tap_frames: usize) -> (Outlets, Inlets) {
        let (happenings, happenings_out) = RingBuffer::new(happenings);
        let (retired, retired_out) = RingBuffer::new(retired);
        let (tap, tap_out) = RingBuffer::new(tap_frames * 2);
        (Outlets { happenings, retired, tap, tapped: NameKey::NONE, lost: 0 }, Inlets { happenings: happenings_out, retired: retired_out, tap: tap_out })
    }

    /// Tells what happened on a frame.
    pub(crate) fn tell(&mut self, frame: u64, what: What) {
        if self.happenings.push(Happening { frame, what }).is_err() {
            self.lost += 1;
        }
    }

    /// Whether something can be sent away.
    pub(crate) fn has_room(&self) -> bool {
        self.retired.slots() > 0
    }

    /// Sends away what others may hold as well, or gives it back if there is no room.
    pub(crate) fn retire<T: Send + Sync + 'static>(&mut self, shared: Arc<T>) -> Option<Arc<T>> {
        if !self.has_room() {
            return Some(shared);
        }
        let pushed = self.retired.push(Retired::Shared(shared));
        debug_assert!(pushed.is_ok(), "there was room");
        None
    }

    /// Sends away what nobody else has, or gives it back if there is no room.
    pub(crate) fn retire_owned<T: Send + 'static>(&mut self, owned: Box<T>) -> Option<Box<T>> {
        if !self.has_room() {
            return Some(owned);
        }
        let pushed = self.retired.push(Retired::Owned(owned));
        debug_assert!(pushed.is_ok(), "there was room");
        None
    }

    /// Hands out a block of a bus if it is the tapped one. What nobody takes is lost, a whole block at a time.
    pub(crate) fn tap(&mut self, bus: NameKey, left: &[f32; BLOCK], right: &[f32; BLOCK]) {
        if bus != self.tapped || self.tapped.is_none() {
            return;
        }
        if let Ok(chunk) = self.tap.write_chunk_uninit(2 * BLOCK) {
            chunk.fill_from_iter(left.iter().zip(right).flat_map(|(l, r)| [*l, *r]));
        }
    }

    /// Hands out frames that came from elsewhere, interleaved. What has no room is lost.
    pub(crate) fn tap_frames(&mut self, frames: &[f32]) {
        if let Ok(chunk) = self.tap.write_chunk_uninit(frames.len()) {
            chunk.fill_from_iter(frames.iter().copied());
        }
    }
}
