//! Open Sound Control: what a running game tells the workshop, over UDP and TCP.
//!
//! [`Link::listen`] opens the sockets on a thread of its own and gives what comes to whoever plays, as [`Arrived`] inputs through a
//! ring that nothing waits on. What is known of the senders is asked with [`Link::with_facts`].
//!
//! - `addresses`: the table of addresses, and how each one's arguments are read.
//! - `packet`: from the bytes of a packet to its messages with their time tags.
//! - `intake`: what one packet after another does, without a socket.
//! - `facts`: who sends, and when each name last came.
//! - `timing`: from moments to frames, for whoever renders.
//! - `socket`: the sockets and their thread.
//! - [`stand_in`]: a game for whoever has none yet, that sends what a real one would.
//!
//! Nothing here touches files, plays a sound, or draws. A packet that is not understood is counted and said ([`Facts::not_understood`]);
//! it never stops anything.

mod addresses;
mod facts;
mod intake;
mod packet;
mod socket;
pub mod stand_in;
mod timing;

pub use addresses::{ADDRESSES, Address, Said, Wrong};
pub use facts::{Facts, Heard, HeardEmitter, Kind, Peer, Sent, Transport};
pub use intake::{Arrived, Clock};
pub use socket::{Link, ListenError, Options};
pub use timing::Timing;

/// The port on which the workshop listens unless told otherwise; UDP and TCP.
pub const PORT: u16 = 9460;

/// How many cases a test tries: so many, or more for who has the time (`ESTAMPIE_CASES=100000`).
#[cfg(test)]
pub(crate) fn cases(usual: u32) -> u32 {
    std::env::var("ESTAMPIE_CASES").ok().and_then(|n| n.parse().ok()).unwrap_or(usual)
}
