//! A stand-in for a game: the drowned streets of Brinewick from above, a diver with a lamp, a bell, an eel that hunts by the light. It makes no
//! sound of its own; it tells what a real game would tell, at the pace at which a real game would.
//!
//! - `ground`: where one can walk, what is underfoot.
//! - `dive`: the game itself, step by step.
//! - `pilot`: plays by itself, sensibly, for hours.
//! - `clumsy`: makes a game's usual mistakes.
//! - `sender`: sends what is told.
//!
//! Everything but the sender is a value that is stepped: the same seed and the same hands give the same dive.

mod clumsy;
mod dive;
mod ground;
mod pilot;
mod sender;

pub use clumsy::Clumsy;
pub use dive::{Dive, Hand, RELIC, Threat};
pub use ground::{At, MATERIALS, OUTLINES, Place, passable};
pub use pilot::Pilot;
pub use sender::Sender;

/// So many times a second a game tells where everything is.
pub const PACE: u32 = 30;
