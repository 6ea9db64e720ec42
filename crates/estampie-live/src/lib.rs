//! Live in the running game: a workshop hears what a game's engine says, and changes what it plays.
//!
//! [`Door`] is the game's end: it listens on one port, for one workshop at a time. [`Visit`] is the workshop's end: behind the rings of an engine that
//! runs elsewhere ([`estampie_engine::engine::Elsewhere`]), so that whoever holds their other end need not know where the engine is. What goes over
//! the line is in [`protocol`], and in `docs/link.md`.

mod clips;
mod door;
pub mod protocol;
mod visit;

pub use clips::content;
pub use door::{Door, Inside};
pub use visit::{Heard, State, Visit};
