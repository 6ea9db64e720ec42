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

/// What a fuzzer feeds (`fuzz/`).
#[cfg(fuzzing)]
pub mod fuzzing {
    use crate::intake::Intake;
    use crate::{Facts, Transport};
    use estampie_engine::engine::InputKind;
    use std::sync::{Arc, Mutex, mpsc};
    use std::time::{Duration, Instant, SystemTime};

    /// Bytes as packets, each with its length in two bytes before it: taken or counted as not understood, and nothing that is no number comes through.
    pub fn packets(mut bytes: &[u8]) {
        let (out, mut came) = rtrb::RingBuffer::new(64);
        let (names, named) = mpsc::channel();
        let facts = Arc::new(Mutex::new(Facts::default()));
        let mut intake = Intake::new(Arc::clone(&facts), out, names, 48_000);
        let (begun, clock) = (Instant::now(), SystemTime::UNIX_EPOCH + Duration::from_secs(1_800_000_000));
        for step in 0..64 {
            let Some((head, rest)) = bytes.split_first_chunk::<2>() else { break };
            let (packet, rest) = rest.split_at(usize::from(u16::from_le_bytes(*head)).min(rest.len()));
            bytes = rest;
            let passed = Duration::from_millis(20 * step);
            let from = std::net::SocketAddr::from(([127, 0, 0, 1], 1000 + (step % 3) as u16));
            intake.packet(from, Transport::Udp, packet, (begun + passed, clock + passed));
            intake.release(begun + passed);
            for arrived in std::iter::from_fn(|| came.pop().ok()) {
                // A parameter that is no number is refused, and told, by the engine.
                if let InputKind::Place { at, facing, .. } = arrived.what {
                    assert!(at.iter().chain(&facing).all(|v| v.is_finite()));
                }
            }
        }
        drop(named);
    }
}
