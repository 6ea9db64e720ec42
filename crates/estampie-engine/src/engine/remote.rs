//! The other end of an engine's rings, for one other thread.

use super::{Happening, Input, Prepared, Status};
use crate::ground::outlets::{Inlets, Outlets};
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
    watch: Watch,
}

/// The part of a remote that takes what comes out of the engine, for a thread of its own.
pub struct Watch {
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
        Remote { messages, watch: Watch { inlets, empty, full } }
    }

    /// A remote of an engine that runs elsewhere, and what stands in for that engine here; with room for so many frames of a tapped bus.
    #[must_use]
    pub fn elsewhere(tap_frames: usize) -> (Elsewhere, Remote) {
        let (message_in, messages) = RingBuffer::new(super::Capacity::default().messages);
        let (outlets, inlets) = Outlets::new(super::Capacity::default().happenings, 0, tap_frames);
        let (empty_in, empty) = RingBuffer::new(8);
        let (full, full_out) = RingBuffer::new(8);
        (Elsewhere { messages, answers: Answers { outlets, empty, full } }, Remote::new(message_in, inlets, empty_in, full_out))
    }

    /// Parts what is said from what comes out, for two threads.
    #[must_use]
    pub fn split(self) -> (Producer<Message>, Watch) {
        (self.messages, self.watch)
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

    /// As [`Watch::happening`].
    pub fn happening(&mut self) -> Option<Happening> {
        self.watch.happening()
    }

    /// As [`Watch::take_tap`].
    pub fn take_tap(&mut self) -> Consumer<f32> {
        self.watch.take_tap()
    }

    /// As [`Watch::status`].
    pub fn status(&mut self) -> Option<Box<Status>> {
        self.watch.status()
    }

    /// As [`Watch::give_back`].
    pub fn give_back(&mut self, status: Box<Status>) {
        self.watch.give_back(status);
    }
}

impl Watch {
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

    /// The newest status; older ones are skipped. Give it back with [`Watch::give_back`].
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

/// What stands in for an engine that runs elsewhere: what is said to it comes out here, and what it answers goes in.
pub struct Elsewhere {
    /// What is said.
    pub messages: Consumer<Message>,
    /// Where its answers go.
    pub answers: Answers,
}

/// The answers of an engine that runs elsewhere.
pub struct Answers {
    outlets: Outlets,
    empty: Consumer<Box<Status>>,
    full: Producer<Box<Status>>,
}

impl Answers {
    /// Something happened there. What has no room is lost and counted.
    pub fn happening(&mut self, happening: Happening) {
        self.outlets.tell(happening.frame, happening.what);
    }

    /// How everything is there. One that nobody has taken yet makes way for none: the newest is left out then.
    pub fn status(&mut self, status: Status) {
        // This side may allocate: a box that came back is only a saving.
        let status = match self.empty.pop() {
            Ok(mut old) => {
                *old = status;
                old
            }
            Err(_) => Box::new(status),
        };
        let _ = self.full.push(status);
    }

    /// Frames of the tapped bus, interleaved.
    pub fn tap(&mut self, frames: &[f32]) {
        self.outlets.tap_frames(frames);
    }
}
