//! The sockets and the thread that reads them.

use crate::facts::{Facts, Transport};
use crate::intake::{Arrived, Clock, Intake};
use crate::packet::LARGEST;
use mio::net::{TcpListener, TcpStream, UdpSocket};
use mio::{Events, Interest, Poll, Token, Waker};
use rosc::{OscMessage, OscPacket, OscType, encoder};
use rtrb::Producer;
use std::collections::{HashMap, VecDeque};
use std::io::{ErrorKind, Read as _, Write as _};
use std::net::{IpAddr, SocketAddr};
use std::sync::mpsc::{Receiver, Sender, channel};
use std::sync::{Arc, Mutex};
use std::thread::JoinHandle;
use std::time::{Duration, Instant, SystemTime};

/// Room for the thread's calls: the decoder goes as deep as the bundles in a packet.
pub(crate) const STACK: usize = 8 << 20;
/// Room for datagrams that have come and are not yet read, in bytes.
const WAITING: usize = 8 << 20;
/// So many streams at once.
const MOST_STREAMS: usize = 32;
/// So many packets from one socket before the others, and whoever asks something of the thread, have their turn.
const AT_ONCE: usize = 512;
/// What has been answered to a stream and not been taken by it.
const MOST_UNSENT: usize = 1 << 18;

const DATAGRAMS: Token = Token(0);
const CALLERS: Token = Token(1);
const ORDERS: Token = Token(2);
const FIRST_STREAM: usize = 3;

/// Where to listen, and to whom.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Options {
    /// The address; port 0 takes any that is free.
    pub address: SocketAddr,
    /// Machines that may send, if the address is not that of this machine alone; this machine always may.
    pub allow: Vec<IpAddr>,
    /// Frames a second of the engine.
    pub rate: u32,
    /// What is answered to a hello, besides the version.
    pub greeting: String,
}

/// Why there is no listening.
#[derive(Debug, thiserror::Error)]
pub enum ListenError {
    /// Others could send, and nobody is named who may.
    #[error("{0} can be reached by other machines, and none is named that may send: name each with --allow ADDRESS, or listen on 127.0.0.1")]
    NobodyAllowed(SocketAddr),
    /// The address is in use, or not one of this machine.
    #[error("{address} cannot be listened on by {by}: {error}; another workshop may be listening: choose another port, like --listen {other}")]
    Socket {
        /// The address.
        address: SocketAddr,
        /// UDP or TCP.
        by: &'static str,
        /// Another that may be free.
        other: SocketAddr,
        /// What the system says.
        error: std::io::Error,
    },
    /// The thread could not be started.
    #[error("listening cannot begin: {0}")]
    Thread(#[from] std::io::Error),
}

enum Order {
    Clock(Clock),
    SayAgain(u32),
    Notice(&'static str, String),
    Quit,
}

/// An open link. Dropped, it closes.
pub struct Link {
    address: SocketAddr,
    allow: Vec<IpAddr>,
    facts: Arc<Mutex<Facts>>,
    names: Receiver<String>,
    orders: Sender<Order>,
    waker: Waker,
    thread: Option<JoinHandle<()>>,
}

impl Link {
    /// Opens the sockets and gives what comes into `out`.
    ///
    /// # Errors
    /// When the address cannot be listened on, or others could send and nobody is allowed to.
    pub fn listen(options: Options, out: Producer<Arrived>) -> Result<Link, ListenError> {
        let Options { address, allow, rate, greeting } = options;
        if !address.ip().is_loopback() && allow.is_empty() {
            return Err(ListenError::NobodyAllowed(address));
        }
        let refused = |by, address: SocketAddr| {
            let other = SocketAddr::new(address.ip(), address.port().checked_add(1).unwrap_or(0));
            move |error| ListenError::Socket { address, by, other, error }
        };
        let mut callers = TcpListener::bind(address).map_err(refused("TCP", address))?;
        // Where any port is taken, both have the same.
        let address = callers.local_addr()?;
        let datagrams = std::net::UdpSocket::bind(address).map_err(refused("UDP", address))?;
        datagrams.set_nonblocking(true)?;
        // As much as the system gives: what comes while the thread is kept from its work waits there.
        let _ = socket2::SockRef::from(&datagrams).set_recv_buffer_size(WAITING);
        let mut datagrams = UdpSocket::from_std(datagrams);
        let poll = Poll::new()?;
        poll.registry().register(&mut datagrams, DATAGRAMS, Interest::READABLE)?;
        poll.registry().register(&mut callers, CALLERS, Interest::READABLE)?;
        let waker = Waker::new(poll.registry(), ORDERS)?;
        let (orders, asked) = channel();
        let (sender, names) = channel();
        let facts = Arc::new(Mutex::new(Facts::default()));
        let desk = Desk {
            poll,
            datagrams,
            callers,
            streams: HashMap::new(),
            next_stream: FIRST_STREAM,
            intake: Intake::new(Arc::clone(&facts), out, sender, rate),
            facts: Arc::clone(&facts),
            asked,
            allow: allow.clone(),
            greeting,
            greeted: Vec::new(),
            buffer: vec![0; LARGEST],
        };
        let thread = std::thread::Builder::new().name("link".into()).stack_size(STACK).spawn(move || desk.run())?;
        Ok(Link { address, allow, facts, names, orders, waker, thread: Some(thread) })
    }

    /// Where it listens.
    #[must_use]
    pub fn address(&self) -> SocketAddr {
        self.address
    }

    /// The machines besides this one that may send.
    #[must_use]
    pub fn allowed(&self) -> &[IpAddr] {
        &self.allow
    }

    /// Looks at what is known.
    pub fn with_facts<T>(&self, look: impl FnOnce(&Facts) -> T) -> T {
        match self.facts.lock() {
            Ok(facts) => look(&facts),
            Err(poisoned) => look(&poisoned.into_inner()),
        }
    }

    /// A name that has not been given yet. A name is here before anything that was sent under it reaches the engine.
    pub fn name(&self) -> Option<String> {
        self.names.try_recv().ok()
    }

    fn order(&self, order: Order) {
        if self.orders.send(order).is_ok() {
            let _ = self.waker.wake();
        }
    }

    /// Lets everything stand still, or go on.
    pub fn clock(&self, clock: Clock) {
        self.order(Order::Clock(clock));
    }

    /// The engine began anew with so many frames a second: all values that came are said again.
    pub fn say_again(&self, rate: u32) {
        self.order(Order::SayAgain(rate));
    }

    /// Tells something to those who said hello: how grave, and what.
    pub fn notice(&self, level: &'static str, text: String) {
        self.order(Order::Notice(level, text));
    }
}

impl Drop for Link {
    fn drop(&mut self) {
        self.order(Order::Quit);
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}

/// A stream on its way to packets.
struct Stream {
    socket: TcpStream,
    from: SocketAddr,
    framing: Framing,
    unsent: VecDeque<u8>,
}

/// How a stream is cut into packets.
enum Framing {
    /// Nothing has come yet.
    Unknown,
    /// As OSC 1.1 says: packets between bytes 192, with escapes (SLIP, RFC 1055, with one before and one after).
    Slip { packet: Vec<u8>, escaped: bool, spoilt: bool },
    /// As OSC 1.0 says: each packet's length before it, as a big-endian number of four bytes.
    Counted { buffer: Vec<u8> },
}

const END: u8 = 192;
const ESCAPE: u8 = 219;

impl Framing {
    /// Cuts packets off; an error is a stream that cannot be cut any more.
    fn cut(&mut self, bytes: &[u8], mut take: impl FnMut(&[u8])) -> Result<(), ()> {
        if let (Framing::Unknown, Some(first)) = (&*self, bytes.first()) {
            // A length begins with 0, since no packet is that long; an address or a bundle begins with neither.
            *self = if *first == 0 { Framing::Counted { buffer: Vec::new() } } else { Framing::Slip { packet: Vec::new(), escaped: false, spoilt: false } };
        }
        match self {
            Framing::Unknown => {}
            Framing::Slip { packet, escaped, spoilt } => {
                for byte in bytes {
                    match (*byte, std::mem::take(escaped)) {
                        (END, _) => {
                            if *spoilt || !packet.is_empty() {
                                take(if *spoilt { &[] } else { packet });
                            }
                            packet.clear();
                            *spoilt = false;
                        }
                        (ESCAPE, false) => *escaped = true,
                        (220, true) => packet.push(END),
                        (221, true) => packet.push(ESCAPE),
                        (_, true) => *spoilt = true,
                        (byte, false) => packet.push(byte),
                    }
                    if packet.len() > LARGEST {
                        packet.clear();
                        *spoilt = true;
                    }
                }
            }
            Framing::Counted { buffer } => {
                buffer.extend_from_slice(bytes);
                let mut from = 0;
                while let Some(head) = buffer.get(from..from + 4).and_then(|h| <[u8; 4]>::try_from(h).ok()) {
                    let length = u32::from_be_bytes(head) as usize;
                    if length > LARGEST {
                        // Where the next packet begins cannot be known.
                        take(&[]);
                        return Err(());
                    }
                    let Some(packet) = buffer.get(from + 4..from + 4 + length) else { break };
                    take(packet);
                    from += 4 + length;
                }
                buffer.drain(..from);
            }
        }
        Ok(())
    }

    /// A packet as this stream has it.
    fn frame(&self, packet: &[u8]) -> Vec<u8> {
        if let Framing::Counted { .. } = self {
            let mut framed = (packet.len() as u32).to_be_bytes().to_vec();
            framed.extend_from_slice(packet);
            return framed;
        }
        let mut framed = vec![END];
        for byte in packet {
            match *byte {
                END => framed.extend([ESCAPE, 220]),
                ESCAPE => framed.extend([ESCAPE, 221]),
                byte => framed.push(byte),
            }
        }
        framed.push(END);
        framed
    }
}

/// The thread's own.
struct Desk {
    poll: Poll,
    datagrams: UdpSocket,
    callers: TcpListener,
    streams: HashMap<Token, Stream>,
    next_stream: usize,
    intake: Intake,
    facts: Arc<Mutex<Facts>>,
    asked: Receiver<Order>,
    allow: Vec<IpAddr>,
    greeting: String,
    /// Those who said hello, the latest last.
    greeted: Vec<(SocketAddr, Transport)>,
    buffer: Vec<u8>,
}

impl Desk {
    fn run(mut self) {
        let mut events = Events::with_capacity(64);
        // Sockets that have more than their turn's packets.
        let mut more: Vec<Token> = Vec::new();
        loop {
            let due = self.intake.release(Instant::now());
            let wait = if more.is_empty() { due.map(|due| due + Duration::from_millis(1)) } else { Some(Duration::ZERO) };
            match self.poll.poll(&mut events, wait) {
                Err(error) if error.kind() != ErrorKind::Interrupted => return,
                _ => {}
            }
            while let Ok(order) = self.asked.try_recv() {
                if !self.obey(order) {
                    return;
                }
            }
            let mut ready = std::mem::take(&mut more);
            for token in events.iter().map(mio::event::Event::token) {
                if !ready.contains(&token) {
                    ready.push(token);
                }
            }
            for token in ready {
                let again = match token {
                    ORDERS => false,
                    DATAGRAMS => self.read_datagrams(),
                    CALLERS => {
                        self.answer_callers();
                        false
                    }
                    stream => self.read_stream(stream),
                };
                if again {
                    more.push(token);
                }
            }
            self.greet();
        }
    }

    /// Does what is asked of it; false ends.
    fn obey(&mut self, order: Order) -> bool {
        match order {
            Order::Clock(clock) => self.intake.clock(clock, Instant::now()),
            Order::SayAgain(rate) => self.intake.say_again(rate, Instant::now()),
            Order::Notice(level, text) => {
                let packet = notice(level, &text);
                for to in self.greeted.clone() {
                    self.send(to, &packet);
                }
            }
            Order::Quit => return false,
        }
        true
    }

    fn allowed(&self, from: IpAddr) -> bool {
        let plain = from.to_canonical();
        let fine = plain.is_loopback() || self.allow.iter().any(|a| a.to_canonical() == plain);
        if !fine
            && let Ok(mut facts) = self.facts.lock()
            && (facts.refused.len() < 256 || facts.refused.contains_key(&plain))
        {
            *facts.refused.entry(plain).or_default() += 1;
        }
        fine
    }

    /// Reads what has come; true if there may be more.
    fn read_datagrams(&mut self) -> bool {
        for _ in 0..AT_ONCE {
            match self.datagrams.recv_from(&mut self.buffer) {
                Ok((length, from)) => {
                    if self.allowed(from.ip()) {
                        self.intake.packet(from, Transport::Udp, &self.buffer[..length], (Instant::now(), SystemTime::now()));
                    }
                }
                Err(error) if error.kind() == ErrorKind::WouldBlock => return false,
                // An answer that somebody did not want comes back as an error of the next look.
                Err(_) => {}
            }
        }
        true
    }

    fn answer_callers(&mut self) {
        while let Ok((mut socket, from)) = self.callers.accept() {
            // Dropped, it is closed.
            if !self.allowed(from.ip()) || self.streams.len() >= MOST_STREAMS {
                continue;
            }
            let token = Token(self.next_stream);
            self.next_stream += 1;
            let _ = socket.set_nodelay(true);
            if self.poll.registry().register(&mut socket, token, Interest::READABLE | Interest::WRITABLE).is_ok() {
                self.streams.insert(token, Stream { socket, from, framing: Framing::Unknown, unsent: VecDeque::new() });
            }
        }
    }

    /// Reads what has come on a stream; true if there may be more.
    fn read_stream(&mut self, token: Token) -> bool {
        let Some(stream) = self.streams.get_mut(&token) else { return false };
        let mut ended = !stream.send();
        for _ in 0..8 {
            if ended {
                break;
            }
            match stream.socket.read(&mut self.buffer) {
                Ok(0) => ended = true,
                Ok(length) => {
                    let now = (Instant::now(), SystemTime::now());
                    let (from, intake) = (stream.from, &mut self.intake);
                    ended = stream.framing.cut(&self.buffer[..length], |packet| intake.packet(from, Transport::Tcp, packet, now)).is_err();
                }
                Err(error) if error.kind() == ErrorKind::WouldBlock => return false,
                Err(error) if error.kind() == ErrorKind::Interrupted => {}
                Err(_) => ended = true,
            }
        }
        if ended {
            let from = stream.from;
            let _ = self.poll.registry().deregister(&mut stream.socket);
            self.streams.remove(&token);
            self.greeted.retain(|g| *g != (from, Transport::Tcp));
            if let Ok(mut facts) = self.facts.lock() {
                for peer in facts.peers.iter_mut().filter(|p| p.address == from && p.transport == Transport::Tcp) {
                    peer.gone = true;
                }
            }
        }
        !ended
    }

    /// Answers those who said hello.
    fn greet(&mut self) {
        for to in std::mem::take(&mut self.intake.greeted) {
            if !self.greeted.contains(&to) {
                self.greeted.push(to);
                if self.greeted.len() > MOST_STREAMS {
                    self.greeted.remove(0);
                }
            }
            let text = format!("estampie {}: {}", env!("CARGO_PKG_VERSION"), self.greeting);
            self.send(to, &notice("info", &text));
        }
    }

    fn send(&mut self, (to, transport): (SocketAddr, Transport), packet: &[u8]) {
        match transport {
            Transport::Udp => {
                let _ = self.datagrams.send_to(packet, to);
            }
            Transport::Tcp => {
                if let Some(stream) = self.streams.values_mut().find(|s| s.from == to) {
                    let framed = stream.framing.frame(packet);
                    if stream.unsent.len() + framed.len() <= MOST_UNSENT {
                        stream.unsent.extend(framed);
                    }
                    stream.send();
                }
            }
        }
    }
}

impl Stream {
    /// Sends what it takes of what is to be sent; false if it has ended.
    fn send(&mut self) -> bool {
        while !self.unsent.is_empty() {
            match self.socket.write(self.unsent.as_slices().0) {
                Ok(0) => return false,
                Ok(sent) => {
                    self.unsent.drain(..sent);
                }
                Err(error) if error.kind() == ErrorKind::WouldBlock => return true,
                Err(error) if error.kind() == ErrorKind::Interrupted => {}
                Err(_) => return false,
            }
        }
        true
    }
}

/// `/estampie/notice level text`.
fn notice(level: &str, text: &str) -> Vec<u8> {
    let args = vec![OscType::String(level.to_owned()), OscType::String(text.replace('\0', ""))];
    let message = OscMessage { addr: "/estampie/notice".into(), args };
    encoder::encode(&OscPacket::Message(message)).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::Kind;
    use estampie_engine::engine::InputKind;
    use estampie_engine::names::NameKey;
    use proptest::prelude::*;
    use rtrb::{Consumer, RingBuffer};

    fn listen(allow: &[&str], address: &str) -> Result<(Link, Consumer<Arrived>), ListenError> {
        let (out, came) = RingBuffer::new(1 << 16);
        let allow = allow.iter().map(|a| a.parse().unwrap()).collect();
        let options = Options { address: address.parse().unwrap(), allow, rate: 48_000, greeting: "Brinewick".into() };
        Ok((Link::listen(options, out)?, came))
    }

    fn open() -> (Link, Consumer<Arrived>) {
        listen(&[], "127.0.0.1:0").unwrap()
    }

    fn message(address: &str, texts: &[&str]) -> Vec<u8> {
        let args = texts.iter().map(|t| OscType::String((*t).into())).collect();
        encoder::encode(&OscPacket::Message(OscMessage { addr: format!("/estampie/{address}"), args })).unwrap()
    }

    /// Waits until something is so.
    fn until(mut is: impl FnMut() -> bool) {
        let begun = Instant::now();
        while !is() {
            assert!(begun.elapsed() < Duration::from_secs(20), "it did not come to it");
            std::thread::yield_now();
        }
    }

    #[test]
    fn datagrams_arrive_and_only_who_says_hello_is_answered() {
        let (link, mut came) = open();
        let game = std::net::UdpSocket::bind("127.0.0.1:0").unwrap();
        game.set_read_timeout(Some(Duration::from_secs(20))).unwrap();
        game.send_to(&message("event", &["hull.struck"]), link.address()).unwrap();
        until(|| came.slots() == 1);
        assert_eq!(came.pop().unwrap().what, InputKind::Event { event: NameKey::of("hull.struck"), emitter: NameKey::NONE });
        assert_eq!(link.name().as_deref(), Some("hull.struck"));
        // The first thing that comes back is the answer to the hello: nothing was sent before.
        link.notice("warning", "nobody hears this".into());
        game.send_to(&message("hello", &["Brinewick Salvage"]), link.address()).unwrap();
        let mut buffer = [0; 500];
        let read = |buffer: &mut [u8]| {
            let length = game.recv(buffer).unwrap();
            match rosc::decoder::decode_udp(&buffer[..length]).unwrap().1 {
                OscPacket::Message(message) => message,
                OscPacket::Bundle(_) => panic!("a bundle"),
            }
        };
        let answer = read(&mut buffer);
        assert_eq!(answer.addr, "/estampie/notice");
        assert_eq!(answer.args[0], OscType::String("info".into()));
        assert!(matches!(&answer.args[1], OscType::String(text) if text.contains("Brinewick")));
        link.notice("warning", "unknown event x".into());
        assert_eq!(read(&mut buffer).args[1], OscType::String("unknown event x".into()));
        assert_eq!(link.with_facts(|f| f.game().map(str::to_owned)).as_deref(), Some("Brinewick Salvage"));
    }

    #[test]
    fn streams_are_read_in_both_framings_and_answered_in_their_own() {
        for counted in [false, true] {
            let (link, mut came) = open();
            let mut game = std::net::TcpStream::connect(link.address()).unwrap();
            game.set_read_timeout(Some(Duration::from_secs(20))).unwrap();
            let framing = if counted { Framing::Counted { buffer: Vec::new() } } else { Framing::Unknown };
            let mut bytes = Vec::new();
            for name in ["a", "b", "c"] {
                bytes.extend(framing.frame(&message("event", &[name])));
            }
            bytes.extend(framing.frame(&message("hello", &["game"])));
            // In pieces, as networks do.
            for piece in bytes.chunks(7) {
                game.write_all(piece).unwrap();
                game.flush().unwrap();
            }
            until(|| came.slots() == 3);
            let names: Vec<InputKind> = std::iter::from_fn(|| came.pop().ok()).map(|a| a.what).collect();
            let event = |name| InputKind::Event { event: NameKey::of(name), emitter: NameKey::NONE };
            assert_eq!(names, [event("a"), event("b"), event("c")]);
            let mut answer = Vec::new();
            let mut framing = Framing::Unknown;
            let mut packets: Vec<Vec<u8>> = Vec::new();
            let mut buffer = [0; 100];
            until(|| {
                let length = game.read(&mut buffer).unwrap();
                answer.extend_from_slice(&buffer[..length]);
                framing.cut(&buffer[..length], |packet| packets.push(packet.to_vec())).unwrap();
                !packets.is_empty()
            });
            assert_eq!(matches!(framing, Framing::Counted { .. }), counted, "answered as it speaks");
            assert!(rosc::decoder::decode_udp(&packets[0]).is_ok());
            drop(game);
            until(|| link.with_facts(|f| f.peers[0].gone));
        }
    }

    #[test]
    fn other_machines_have_to_be_allowed() {
        assert!(matches!(listen(&[], "0.0.0.0:0"), Err(ListenError::NobodyAllowed(_))));
        let (link, _came) = listen(&["192.0.2.7"], "0.0.0.0:0").unwrap();
        let text = listen(&[], &format!("127.0.0.1:{}", link.address().port())).map(|_| ()).unwrap_err().to_string();
        assert!(text.contains("cannot be listened on") && text.contains("--listen 127.0.0.1:"), "{text}");
    }

    #[test]
    fn a_flood_is_taken_or_counted_and_the_link_goes_on() {
        let (link, mut came) = open();
        let game = std::net::UdpSocket::bind("127.0.0.1:0").unwrap();
        let packet = message("event", &["step"]);
        for n in 0..50_000u32 {
            let _ = game.send_to(if n % 10 == 9 { b"/rubbish" } else { &packet[..] }, link.address());
        }
        // What the system had no room for is lost before us; all else is counted.
        game.send_to(&message("event", &["last"]), link.address()).unwrap();
        let mut taken = 0;
        until(|| {
            while let Ok(arrived) = came.pop() {
                taken += 1;
                if arrived.what == (InputKind::Event { event: NameKey::of("last"), emitter: NameKey::NONE }) {
                    return true;
                }
            }
            // It may have been lost too.
            let _ = game.send_to(&message("event", &["last"]), link.address());
            false
        });
        link.with_facts(|f| {
            assert!(f.heard(Kind::Event, "step").unwrap().count > 1000);
            assert!(f.peers[0].not_understood > 100);
            assert!(f.messages >= taken + f.lost, "{} {taken} {}", f.messages, f.lost);
        });
    }

    #[test]
    fn a_link_opened_and_closed_two_hundred_times_leaves_its_port_free() {
        let (link, _came) = open();
        let address = link.address().to_string();
        drop(link);
        for _ in 0..200 {
            let (link, mut came) = listen(&[], &address).unwrap();
            let game = std::net::UdpSocket::bind("127.0.0.1:0").unwrap();
            game.send_to(&message("event", &["a"]), link.address()).unwrap();
            until(|| came.pop().is_ok());
        }
    }

    proptest! {
        #[test]
        fn what_is_framed_is_cut_as_it_was(packets in prop::collection::vec(prop::collection::vec(prop::sample::select(vec![0u8, 1, 47, END, ESCAPE, 220, 221, 255]), 1..40), 1..6), piece in 1usize..50, counted in any::<bool>()) {
            let framing = if counted { Framing::Counted { buffer: Vec::new() } } else { Framing::Unknown };
            let bytes: Vec<u8> = packets.iter().flat_map(|p| framing.frame(p)).collect();
            let (mut cut, mut framing) = (Vec::new(), Framing::Unknown);
            for part in bytes.chunks(piece) {
                framing.cut(part, |packet| cut.push(packet.to_vec())).unwrap();
            }
            prop_assert_eq!(cut, packets);
        }

        #[test]
        fn any_stream_is_cut_within_its_bounds(bytes in prop::collection::vec(any::<u8>(), 0..400), piece in 1usize..60) {
            let mut framing = Framing::Unknown;
            for part in bytes.chunks(piece) {
                if framing.cut(part, |packet| assert!(packet.len() <= LARGEST)).is_err() {
                    break;
                }
            }
        }
    }
}
