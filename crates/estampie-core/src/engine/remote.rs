//! The rings between an engine and one other thread: what leaves it, and the other end.

use super::{BLOCK, Happening, Input, Message, Prepared, Retired, Status, What};
use crate::assets::Clip;
use crate::names::NameKey;
use rtrb::{Consumer, Producer, RingBuffer};
use std::sync::Arc;

/// Everything that leaves the engine besides sound.
pub(crate) struct Outlets {
    pub(super) happenings: Producer<Happening>,
    pub(super) retired: Producer<Retired>,
    pub(super) empty: Consumer<Box<Status>>,
    pub(super) full: Producer<Box<Status>>,
    pub(super) tap: Producer<f32>,
    /// The bus whose frames go out, or none.
    pub(crate) tapped: NameKey,
    pub(super) lost: u64,
}

impl Outlets {
    /// Sends away a recording that the engine is done with, or gives it back if there is no room.
    pub(crate) fn retire(&mut self, clip: Arc<Clip>) -> Option<Arc<Clip>> {
        match self.retired.push(Retired::Clip(clip)) {
            Err(rtrb::PushError::Full(Retired::Clip(clip))) => Some(clip),
            _ => None,
        }
    }

    pub(crate) fn tell(&mut self, frame: u64, what: What) {
        if self.happenings.push(Happening { frame, what }).is_err() {
            self.lost += 1;
        }
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
}

/// The other end of an engine's rings, for one other thread.
pub struct Remote {
    pub(super) messages: Producer<Message>,
    pub(super) happenings: Consumer<Happening>,
    pub(super) retired: Consumer<Retired>,
    pub(super) empty: Producer<Box<Status>>,
    pub(super) full: Consumer<Box<Status>>,
    pub(super) tap: Consumer<f32>,
}

/// The engine's ring is full: it is not being rendered, or far too much was sent.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("the engine takes nothing more just now")]
pub struct Full;

impl Remote {
    /// Sends an input.
    ///
    /// # Errors
    /// When the ring is full; the input is not sent.
    pub fn input(&mut self, input: Input) -> Result<(), Full> {
        self.messages.push(Message::Input(input)).map_err(|_| Full)
    }

    /// Sends a new program.
    ///
    /// # Errors
    /// When the ring is full; the program is given back.
    pub fn program(&mut self, prepared: Box<Prepared>) -> Result<(), Box<Prepared>> {
        self.messages.push(Message::Program(prepared)).map_err(|rtrb::PushError::Full(message)| match message {
            Message::Program(prepared) => prepared,
            Message::Input(_) => unreachable!("it was a program"),
        })
    }

    /// The next happening, and drops what the engine has done with.
    pub fn happening(&mut self) -> Option<Happening> {
        while self.retired.pop().is_ok() {}
        self.happenings.pop().ok()
    }

    /// Takes out the ring with the frames of the tapped bus, two interleaved channels after its level, for whoever measures
    /// them; what stays here is a ring without room.
    pub fn take_tap(&mut self) -> Consumer<f32> {
        std::mem::replace(&mut self.tap, RingBuffer::new(0).1)
    }

    /// The newest status; older ones are skipped. Give it back with [`Remote::give_back`].
    pub fn status(&mut self) -> Option<Box<Status>> {
        let mut newest = None;
        while let Ok(status) = self.full.pop() {
            if let Some(older) = newest.replace(status) {
                self.give_back(older);
            }
        }
        newest
    }

    /// Gives a box for a status back to the engine, with room for what `program` needs made here if need be.
    pub fn give_back(&mut self, status: Box<Status>) {
        let _ = self.empty.push(status);
    }
}
