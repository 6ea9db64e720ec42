//! The other end of an engine's rings, for one other thread.

use super::{Happening, Input, Prepared, Status};
use crate::ground::outlets::Inlets;
use rtrb::{Consumer, Producer, RingBuffer};

/// What crosses to the engine.
#[derive(Debug)]
pub enum Message {
    /// An input.
    Input(Input),
    /// A new program with its memory; it takes effect at the next block.
    Program(Box<Prepared>),
}

/// The other end of an engine's rings, for one other thread.
pub struct Remote {
    messages: Producer<Message>,
    inlets: Inlets,
    empty: Producer<Box<Status>>,
    full: Consumer<Box<Status>>,
}

/// The engine's ring is full: it is not being rendered, or far too much was sent.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("the engine takes nothing more just now")]
pub struct Full;

impl Remote {
    pub(super) fn new(messages: Producer<Message>, inlets: Inlets, empty: Producer<Box<Status>>, full: Consumer<Box<Status>>) -> Remote {
        Remote { messages, inlets, empty, full }
    }

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
        while self.inlets.retired.pop().is_ok() {}
        self.inlets.happenings.pop().ok()
    }

    /// Takes out the ring with the frames of the tapped bus, two interleaved channels after its level, for whoever measures
    /// them; what stays here is a ring without room.
    pub fn take_tap(&mut self) -> Consumer<f32> {
        std::mem::replace(&mut self.inlets.tap, RingBuffer::new(0).1)
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
