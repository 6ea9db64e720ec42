//! Sends what a game tells, and takes what is answered.

use crate::addresses::Said;
use rosc::{OscBundle, OscMessage, OscPacket, OscTime, OscType, encoder};
use std::io;
use std::net::{SocketAddr, UdpSocket};
use std::time::SystemTime;

/// A game's end of the link, by UDP.
#[derive(Debug)]
pub struct Sender {
    socket: UdpSocket,
}

impl Sender {
    /// Sends to an address from now on.
    ///
    /// # Errors
    /// When no socket can be had.
    pub fn to(address: SocketAddr) -> io::Result<Sender> {
        let here: SocketAddr = if address.is_ipv4() { ([0, 0, 0, 0], 0).into() } else { ([0u16; 8], 0).into() };
        let socket = UdpSocket::bind(here)?;
        socket.connect(address)?;
        socket.set_nonblocking(true)?;
        Ok(Sender { socket })
    }

    /// Says hello, with the time that it is here: the workshop knows then how this clock goes.
    ///
    /// # Errors
    /// When nobody listens there.
    pub fn hello(&self, game: &str) -> io::Result<()> {
        let now = OscTime::try_from(SystemTime::now()).unwrap_or(OscTime { seconds: 0, fractional: 1 });
        let hello = OscPacket::Message(message(&Said::Hello { game: game.to_owned() }));
        self.send(&OscPacket::Bundle(OscBundle { timetag: now, content: vec![hello] }))
    }

    /// Sends all that was told in one step: at once, one datagram.
    ///
    /// # Errors
    /// When nobody listens there.
    pub fn tell(&self, all: &[Said]) -> io::Result<()> {
        for part in all.chunks(100) {
            let content = part.iter().map(|said| OscPacket::Message(message(said))).collect();
            self.send(&OscPacket::Bundle(OscBundle { timetag: OscTime { seconds: 0, fractional: 1 }, content }))?;
        }
        Ok(())
    }

    fn send(&self, packet: &OscPacket) -> io::Result<()> {
        let bytes = encoder::encode(packet).map_err(|_| io::Error::from(io::ErrorKind::InvalidData))?;
        self.socket.send(&bytes).map(|_| ())
    }

    /// What was answered, if anything: how grave, and what.
    #[must_use]
    pub fn answer(&self) -> Option<(String, String)> {
        let mut buffer = [0; 2048];
        let length = self.socket.recv(&mut buffer).ok()?;
        let (_, packet) = rosc::decoder::decode_udp(&buffer[..length]).ok()?;
        match packet {
            OscPacket::Message(OscMessage { addr, args }) if addr == "/estampie/notice" => match &args[..] {
                [OscType::String(level), OscType::String(text)] => Some((level.clone(), text.clone())),
                _ => None,
            },
            _ => None,
        }
    }
}

/// What is said, as a message.
pub(crate) fn message(said: &Said) -> OscMessage {
    let text = |text: &String| OscType::String(text.clone());
    let numbers = |all: &[f32]| all.iter().map(|v| OscType::Float(*v)).collect::<Vec<_>>();
    let (name, args) = match said {
        Said::Event { name, emitter } => ("event", std::iter::once(text(name)).chain(emitter.as_ref().map(text)).collect()),
        Said::Parameter { name, value, emitter } => ("parameter", [text(name), OscType::Float(*value)].into_iter().chain(emitter.as_ref().map(text)).collect()),
        Said::State { name, value, emitter } => ("state", [text(name), text(value)].into_iter().chain(emitter.as_ref().map(text)).collect()),
        Said::Emitter { id, kind, at, yaw } => ("emitter", [text(id), text(kind)].into_iter().chain(numbers(at)).chain(yaw.map(OscType::Float)).collect()),
        Said::Listener { at, yaw } => ("listener", numbers(at).into_iter().chain(yaw.map(OscType::Float)).collect()),
        Said::Remove { id } => ("remove", vec![text(id)]),
        Said::Hello { game } => ("hello", vec![text(game)]),
    };
    OscMessage { addr: format!("/estampie/{name}"), args }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::addresses::read;
    use proptest::prelude::*;

    fn said() -> impl Strategy<Value = Said> {
        let name = || "[a-z][a-z0-9.-]{0,12}";
        let number = || -1e4f32..1e4;
        let at = || prop::array::uniform3(-1e4f32..1e4);
        prop_oneof![
            (name(), prop::option::of(name())).prop_map(|(name, emitter)| Said::Event { name, emitter }),
            (name(), number(), prop::option::of(name())).prop_map(|(name, value, emitter)| Said::Parameter { name, value, emitter }),
            (name(), name(), prop::option::of(name())).prop_map(|(name, value, emitter)| Said::State { name, value, emitter }),
            (name(), prop::option::of(name()), at(), prop::option::of(number())).prop_map(|(id, kind, at, yaw)| Said::Emitter {
                id,
                kind: kind.unwrap_or_default(),
                at,
                yaw
            }),
            (at(), prop::option::of(number())).prop_map(|(at, yaw)| Said::Listener { at, yaw }),
            name().prop_map(|id| Said::Remove { id }),
            name().prop_map(|game| Said::Hello { game }),
        ]
    }

    proptest! {
        #[test]
        fn what_is_sent_is_what_is_read(said in said()) {
            let message = message(&said);
            let bytes = encoder::encode(&OscPacket::Message(message)).unwrap();
            let mut back = Vec::new();
            crate::packet::messages(&bytes, |m, _| back.push(read(&m.addr, &m.args))).unwrap();
            prop_assert_eq!(back, vec![Ok(said)]);
        }
    }
}
