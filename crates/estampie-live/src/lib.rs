//! Live in the running game: a workshop hears what a game's engine says, and changes what it plays.
//!
//! [`Door`] is the game's end: it listens on one port, for one workshop at a time. [`Visit`] is the workshop's end: behind the rings of an engine that
//! runs elsewhere ([`estampie_engine::engine::Elsewhere`]), so that whoever holds their other end need not know where the engine is. What goes over
//! the line is in [`protocol`], and in `docs/link.md`.

mod clips;
mod door;
pub mod protocol;
mod visit;

pub use door::{Door, Inside};
pub use visit::{Heard, State, Visit};

/// What a fuzzer feeds (`fuzz/`).
#[cfg(fuzzing)]
pub mod fuzzing {
    use crate::protocol::{FromGame, ToGame, read, read_hello};

    /// Bytes as first words, and as frames from either side, one after the other.
    pub fn line(bytes: &[u8]) {
        let _ = read_hello(&mut &*bytes);
        let (mut to, mut from) = (bytes, bytes);
        while read::<ToGame>(&mut to).is_ok() {}
        while read::<FromGame>(&mut from).is_ok() {}
    }
}
