//! What one packet after another does: read, counted, and handed on as inputs of the engine, each with the moment at which it counts.

use crate::addresses::{Said, Wrong, read, shortened};
use crate::facts::{Facts, Peer, Transport};
use crate::packet;
use estampie_engine::engine::{InputKind, LISTENER_NAME};
use estampie_engine::names::NameKey;
use rosc::OscMessage;
use rtrb::Producer;
use std::cmp::Ordering;
use std::collections::{BTreeMap, BinaryHeap, HashMap, HashSet, VecDeque};
use std::net::SocketAddr;
use std::sync::mpsc::Sender;
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant, SystemTime};

/// An input on its way to the engine.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Arrived {
    /// The moment at which it counts: that at which it came, or that of its time tag.
    pub at: Instant,
    /// What is said.
    pub what: InputKind,
}

/// Time tags may lie so far ahead.
const AHEAD: Duration = Duration::from_secs(60);
/// What is tagged is handed on so long before its moment: more than is ever made ahead.
const EARLY: Duration = Duration::from_millis(700);
/// So many messages wait at most for their moments.
const MOST_HELD: usize = 100_000;
/// Those who send and are remembered; of more the one that was silent longest gives way.
const MOST_PEERS: usize = 64;
/// So many names are given on for whoever shows them. Emitters come and go with names of their own for hours.
const MOST_NAMES: usize = 200_000;
/// So many values are kept to be said again after a fresh start.
const MOST_VALUES: usize = 16_384;
/// Hellos by which the clock of another machine is followed.
const HELLOS: usize = 16;
/// So many events wait at most until what they need is loaded.
const MOST_EARLY: usize = 16_384;
/// An emitter that was not placed for so long does not glide to where it is placed next, but is there.
const STEADY: Duration = Duration::from_millis(250);
/// The longest glide: that of ten places a second.
const LONGEST_GLIDE: Duration = Duration::from_millis(100);
/// What would have to be faster than this, in metres a second, has not gone there but been put there.
const JUMP: f32 = 100.0;

/// A message that waits for its moment.
struct Held {
    number: u64,
    arrived: Arrived,
}

impl Ord for Held {
    /// The first is the greatest, as the heap has it; of one moment that which came first.
    fn cmp(&self, other: &Self) -> Ordering {
        (other.arrived.at, other.number).cmp(&(self.arrived.at, self.number))
    }
}

impl PartialOrd for Held {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl PartialEq for Held {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other) == Ordering::Equal
    }
}

impl Eq for Held {}

/// How an emitter's places come.
#[derive(Debug, Clone, Copy)]
struct Motion {
    last: Instant,
    at: [f32; 3],
    /// The usual time between two places, once there were two.
    between: Option<Duration>,
}

impl Motion {
    /// Takes note of the next place, and gives how long the way there takes: as long as such places usually are apart, so that thirty of
    /// them a second are one movement without steps.
    fn go(&mut self, to: [f32; 3], now: Instant) -> Duration {
        let apart = now.saturating_duration_since(self.last);
        let from = std::mem::replace(&mut self.at, to);
        if apart < Duration::from_millis(1) {
            return self.between.unwrap_or_default();
        }
        self.last = now;
        let way = from.iter().zip(&to).map(|(a, b)| (a - b) * (a - b)).sum::<f32>().sqrt();
        if apart > STEADY {
            self.between = None;
            return Duration::ZERO;
        }
        let usual = self.between.map_or(apart, |before| before.mul_f32(0.75) + apart.mul_f32(0.25));
        self.between = Some(usual);
        if way > JUMP * apart.as_secs_f32() { Duration::ZERO } else { usual.min(LONGEST_GLIDE) }
    }
}

/// What an input sets: of two with one key the later counts. Events set nothing.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
enum Sets {
    State(NameKey),
    Parameter(NameKey, NameKey),
    Place(NameKey),
}

fn sets(what: &InputKind) -> Option<Sets> {
    match *what {
        InputKind::State { state, .. } => Some(Sets::State(state)),
        InputKind::Parameter { parameter, emitter, .. } => Some(Sets::Parameter(parameter, emitter)),
        InputKind::Place { emitter, .. } | InputKind::Remove { emitter } => Some(Sets::Place(emitter)),
        _ => None,
    }
}

/// Whether time goes on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Clock {
    /// It does.
    Goes,
    /// It stands still until what is to sound is loaded: what comes meanwhile counts as soon as it goes.
    Loading,
    /// It stands still because somebody wants so: events are left out, and of what is set the last counts when it goes on.
    Frozen,
}

/// What came while everything stands still.
#[derive(Debug, Default)]
struct Meanwhile {
    /// Events are left out from now on.
    frozen: bool,
    changed: BTreeMap<Sets, InputKind>,
    events: Vec<InputKind>,
}

/// Takes packets in.
pub(crate) struct Intake {
    facts: Arc<Mutex<Facts>>,
    out: Producer<Arrived>,
    names: Sender<String>,
    known: HashSet<NameKey>,
    rate: u32,
    motions: HashMap<NameKey, Motion>,
    /// The last of each value that was sent, to be said again after a fresh start.
    values: HashMap<Sets, InputKind>,
    /// Everything stands still: what came since.
    still: Option<Meanwhile>,
    /// What is tagged and waits for its moment: the first is the greatest.
    held: BinaryHeap<Held>,
    came: u64,
    /// How far our clock is ahead of a peer's, by its last hellos, in seconds.
    offsets: HashMap<SocketAddr, VecDeque<f64>>,
    /// Those who said hello and have not been answered.
    pub(crate) greeted: Vec<(SocketAddr, Transport)>,
}

impl Intake {
    pub(crate) fn new(facts: Arc<Mutex<Facts>>, out: Producer<Arrived>, names: Sender<String>, rate: u32) -> Intake {
        Intake {
            facts,
            out,
            names,
            known: HashSet::new(),
            rate,
            motions: HashMap::new(),
            values: HashMap::new(),
            still: None,
            held: BinaryHeap::new(),
            came: 0,
            offsets: HashMap::new(),
            greeted: Vec::new(),
        }
    }

    /// Takes a packet in that came now.
    pub(crate) fn packet(&mut self, from: SocketAddr, transport: Transport, bytes: &[u8], now: (Instant, SystemTime)) {
        let facts = Arc::clone(&self.facts);
        let Ok(mut facts) = facts.lock() else { return };
        let peer = peer(&mut facts, from, transport, now.0);
        if let Err(wrong) = packet::messages(bytes, |message, tag| self.message(&mut facts, (peer, from, transport), &message, tag, now)) {
            not_understood(&mut facts, peer, &wrong, now.0);
        }
    }

    fn message(&mut self, facts: &mut Facts, peer: (usize, SocketAddr, Transport), message: &OscMessage, tag: Option<SystemTime>, now: (Instant, SystemTime)) {
        let (place, from, transport) = peer;
        let done = read(&message.addr, &message.args).and_then(|said| {
            if let Said::Hello { game } = said {
                facts.peers[place].count(now.0);
                facts.peers[place].address = from;
                facts.peers[place].game = Some(game);
                facts.messages += 1;
                self.hello(from, tag, now.1);
                self.greeted.push((from, transport));
                return Ok(());
            }
            let at = match tag {
                None => now.0,
                Some(tag) => self.moment(facts, from, tag, now)?,
            };
            facts.peers[place].count(now.0);
            facts.note(&said, now.0);
            if let Said::State { name, emitter: Some(_), .. } = &said {
                not_understood(facts, place, &Wrong::OfAll { name: shortened(name, 60) }, now.0);
            }
            let what = self.input(&said, at);
            let arrived = Arrived { at, what };
            if at <= now.0 + EARLY {
                self.hand_on(facts, arrived);
            } else if self.held.len() < MOST_HELD {
                self.came += 1;
                self.held.push(Held { number: self.came, arrived });
            } else {
                facts.lost += 1;
            }
            Ok(())
        });
        if let Err(wrong) = done {
            not_understood(facts, place, &wrong, now.0);
        }
    }

    /// Hands on what is tagged and whose moment is near; gives how long the next may wait.
    pub(crate) fn release(&mut self, now: Instant) -> Option<Duration> {
        let facts = Arc::clone(&self.facts);
        while self.held.peek().is_some_and(|held| held.arrived.at <= now + EARLY) {
            let (Some(held), Ok(mut facts)) = (self.held.pop(), facts.lock()) else { break };
            self.hand_on(&mut facts, held.arrived);
        }
        self.held.peek().map(|held| held.arrived.at.saturating_duration_since(now + EARLY))
    }

    /// A hello with a time tag says how late it is with whoever sends.
    fn hello(&mut self, from: SocketAddr, tag: Option<SystemTime>, now: SystemTime) {
        let Some(tag) = tag else { return };
        if self.offsets.len() >= MOST_PEERS && !self.offsets.contains_key(&from) {
            self.offsets.clear();
        }
        let offsets = self.offsets.entry(from).or_default();
        offsets.push_back(signed(now, tag));
        if offsets.len() > HELLOS {
            offsets.pop_front();
        }
    }

    /// The moment of a time tag; now if it is past.
    fn moment(&self, facts: &mut Facts, from: SocketAddr, tag: SystemTime, now: (Instant, SystemTime)) -> Result<Instant, Wrong> {
        // What came quickest tells the clocks apart best.
        let offset = self.offsets.get(&from).and_then(|all| all.iter().copied().min_by(f64::total_cmp)).unwrap_or(0.0);
        let ahead = signed(tag, now.1) + offset;
        if ahead > AHEAD.as_secs_f64() {
            return Err(Wrong::TooEarly);
        }
        if ahead < 0.0 {
            facts.late += 1;
            facts.latest = facts.latest.max(Duration::try_from_secs_f64(-ahead).unwrap_or(Duration::MAX));
            return Ok(now.0);
        }
        Ok(now.0 + Duration::from_secs_f64(ahead))
    }

    /// A name's key; new names are given on before anything that is called so.
    fn key(&mut self, name: &str) -> NameKey {
        let key = NameKey::of(name);
        if self.known.len() < MOST_NAMES && self.known.insert(key) {
            let _ = self.names.send(name.to_owned());
        }
        key
    }

    fn input(&mut self, said: &Said, at: Instant) -> InputKind {
        match said {
            Said::Event { name, emitter } => InputKind::Event { event: self.key(name), emitter: self.optional(emitter.as_ref()) },
            Said::Parameter { name, value, emitter } => {
                InputKind::Parameter { parameter: self.key(name), value: *value, emitter: self.optional(emitter.as_ref()) }
            }
            Said::State { name, value, .. } => InputKind::State { state: self.key(name), value: self.key(value) },
            Said::Emitter { id, kind, at: place, yaw } => {
                let (emitter, kind) = (self.key(id), if kind.is_empty() { NameKey::NONE } else { self.key(kind) });
                InputKind::Place { emitter, kind, at: *place, facing: *yaw, frames: self.way(emitter, *place, at) }
            }
            Said::Listener { at: place, yaw } => {
                let emitter = self.key(LISTENER_NAME);
                InputKind::Place { emitter, kind: NameKey::NONE, at: *place, facing: *yaw, frames: self.way(emitter, *place, at) }
            }
            Said::Remove { id } => {
                let emitter = self.key(id);
                self.motions.remove(&emitter);
                InputKind::Remove { emitter }
            }
            Said::Hello { .. } => unreachable!("it was answered"),
        }
    }

    fn optional(&mut self, emitter: Option<&String>) -> NameKey {
        emitter.map_or(NameKey::NONE, |emitter| self.key(emitter))
    }

    /// How many frames the way to a place takes.
    fn way(&mut self, emitter: NameKey, to: [f32; 3], at: Instant) -> u64 {
        if self.motions.len() >= MOST_VALUES && !self.motions.contains_key(&emitter) {
            return 0;
        }
        let fresh = Motion { last: at, at: to, between: None };
        let way = self.motions.get_mut(&emitter).map(|motion| motion.go(to, at));
        if way.is_none() {
            self.motions.insert(emitter, fresh);
        }
        (way.unwrap_or_default().as_secs_f64() * f64::from(self.rate)).round() as u64
    }

    fn hand_on(&mut self, facts: &mut Facts, arrived: Arrived) {
        let sets = sets(&arrived.what);
        match (sets, arrived.what) {
            (Some(Sets::Place(emitter)), InputKind::Remove { .. }) => {
                self.values.retain(|sets, _| !matches!(sets, Sets::Place(e) | Sets::Parameter(_, e) if *e == emitter));
            }
            (Some(sets), what) if self.values.len() < MOST_VALUES || self.values.contains_key(&sets) => {
                self.values.insert(sets, what);
            }
            _ => {}
        }
        match (&mut self.still, sets) {
            (None, _) => facts.lost += u64::from(self.out.push(arrived).is_err()),
            (Some(meanwhile), Some(sets)) => {
                meanwhile.changed.insert(sets, arrived.what);
            }
            (Some(Meanwhile { frozen: true, .. }), None) => facts.while_frozen += 1,
            (Some(meanwhile), None) if meanwhile.events.len() < MOST_EARLY => meanwhile.events.push(arrived.what),
            (Some(_), None) => facts.lost += 1,
        }
    }

    /// Lets everything stand still from now on, or go on: then what came meanwhile is said, values before events, which may depend on them.
    pub(crate) fn clock(&mut self, clock: Clock, now: Instant) {
        if clock != Clock::Goes {
            self.still.get_or_insert_default().frozen = clock == Clock::Frozen;
        } else if let Some(meanwhile) = self.still.take() {
            self.say(meanwhile.changed.into_values().chain(meanwhile.events), now);
        }
    }

    /// The engine began anew with so many frames a second: says all values that the game has sent.
    pub(crate) fn say_again(&mut self, rate: u32, now: Instant) {
        self.rate = rate;
        let mut all: Vec<(Sets, InputKind)> = self.values.iter().map(|(sets, what)| (*sets, *what)).collect();
        all.sort_by_key(|(sets, _)| *sets);
        match &mut self.still {
            Some(meanwhile) => meanwhile.changed.extend(all),
            None => self.say(all.into_iter().map(|(_, what)| what), now),
        }
    }

    /// Says what waited at once: where something is, not how it goes there.
    fn say(&mut self, all: impl Iterator<Item = InputKind>, at: Instant) {
        let mut lost = 0;
        for mut what in all {
            if let InputKind::Place { frames, .. } = &mut what {
                *frames = 0;
            }
            lost += u64::from(self.out.push(Arrived { at, what }).is_err());
        }
        if let Ok(mut facts) = self.facts.lock() {
            facts.lost += lost;
        }
    }
}

/// From `before` to `at`, in seconds; below zero if it is the other way round.
fn signed(at: SystemTime, before: SystemTime) -> f64 {
    at.duration_since(before).map_or_else(|early| -early.duration().as_secs_f64(), |d| d.as_secs_f64())
}

fn not_understood(facts: &mut Facts, peer: usize, wrong: &Wrong, now: Instant) {
    facts.peers[peer].not_understood += 1;
    facts.peers[peer].last = now;
    facts.complain(wrong.to_string(), now);
}

/// The peer's place in the list. Who sends datagrams from a port of its own each time is one for all its ports.
fn peer(facts: &mut Facts, from: SocketAddr, transport: Transport, now: Instant) -> usize {
    let same = |p: &Peer| p.transport == transport && p.address == from && !p.gone;
    let nameless = |p: &Peer| transport == Transport::Udp && p.transport == transport && p.game.is_none() && p.address.ip() == from.ip();
    let found = facts.peers.iter().position(same).or_else(|| facts.peers.iter().position(nameless));
    if let Some(found) = found {
        return found;
    }
    let new = Peer::new(from, transport, now);
    if facts.peers.len() < MOST_PEERS {
        facts.peers.push(new);
        return facts.peers.len() - 1;
    }
    let silent = (0..facts.peers.len()).min_by_key(|at| facts.peers[*at].last).unwrap_or(0);
    facts.peers[silent] = new;
    silent
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::Kind;
    use proptest::prelude::*;
    use rosc::{OscBundle, OscPacket, OscType, encoder};
    use rtrb::{Consumer, RingBuffer};
    use std::sync::mpsc::{Receiver, channel};

    struct Bench {
        intake: Intake,
        facts: Arc<Mutex<Facts>>,
        out: Consumer<Arrived>,
        names: Receiver<String>,
        zero: (Instant, SystemTime),
    }

    fn bench(room: usize) -> Bench {
        let (facts, (ring, out), (sender, names)) = (Arc::new(Mutex::new(Facts::default())), RingBuffer::new(room), channel());
        let intake = Intake::new(Arc::clone(&facts), ring, sender, 48_000);
        Bench { intake, facts, out, names, zero: (Instant::now(), SystemTime::now()) }
    }

    impl Bench {
        fn at(&self, seconds: f64) -> (Instant, SystemTime) {
            let since = Duration::from_secs_f64(seconds);
            (self.zero.0 + since, self.zero.1 + since)
        }

        fn send(&mut self, seconds: f64, packet: &OscPacket) {
            let now = self.at(seconds);
            self.intake.packet("127.0.0.1:5000".parse().unwrap(), Transport::Udp, &encoder::encode(packet).unwrap(), now);
        }

        fn came(&mut self) -> Vec<Arrived> {
            std::iter::from_fn(|| self.out.pop().ok()).collect()
        }
    }

    fn text(text: &str) -> OscType {
        OscType::String(text.into())
    }

    fn message(address: &str, args: Vec<OscType>) -> OscPacket {
        OscPacket::Message(OscMessage { addr: format!("/estampie/{address}"), args })
    }

    fn event(name: &str) -> OscPacket {
        message("event", vec![text(name)])
    }

    fn place(id: &str, x: f32) -> OscPacket {
        message("emitter", vec![text(id), text("eel"), OscType::Float(x), OscType::Float(0.0), OscType::Float(0.0)])
    }

    fn tagged(at: SystemTime, content: Vec<OscPacket>) -> OscPacket {
        OscPacket::Bundle(OscBundle { timetag: at.try_into().unwrap(), content })
    }

    #[test]
    fn a_message_becomes_an_input_of_its_moment_and_its_names_come_before_it() {
        let mut bench = bench(16);
        bench.send(1.0, &message("parameter", vec![text("load"), OscType::Int(3), text("winch")]));
        let at = bench.at(1.0).0;
        let what = InputKind::Parameter { parameter: NameKey::of("load"), value: 3.0, emitter: NameKey::of("winch") };
        assert_eq!(bench.came(), [Arrived { at, what }]);
        assert_eq!(bench.names.try_iter().collect::<Vec<_>>(), ["load", "winch"]);
        bench.send(1.5, &event("load"));
        assert_eq!(bench.names.try_iter().count(), 0, "each once");
        let facts = bench.facts.lock().unwrap();
        assert_eq!((facts.messages, facts.peers.len(), facts.peers[0].messages), (2, 1, 2));
    }

    #[test]
    fn a_time_tag_is_the_moment_and_one_that_is_past_counts_now_and_is_counted() {
        let mut bench = bench(16);
        let (soon, past, far) = (bench.at(1.25).1, bench.at(0.5).1, bench.at(70.0).1);
        for tag in [soon, past, far] {
            bench.send(1.0, &tagged(tag, vec![event("a")]));
        }
        let came: Vec<Instant> = bench.came().iter().map(|a| a.at).collect();
        let near = |a: Instant, b: Instant| a.max(b).duration_since(a.min(b)) < Duration::from_micros(2);
        assert!(came.len() == 2 && near(came[0], bench.at(1.25).0) && came[1] == bench.at(1.0).0);
        let facts = bench.facts.lock().unwrap();
        assert_eq!((facts.late, facts.peers[0].not_understood), (1, 1));
        assert!((facts.latest.as_secs_f64() - 0.5).abs() < 1e-5);
        assert!(facts.not_understood.keys().next().unwrap().contains("more than a minute ahead"));
    }

    #[test]
    fn what_is_tagged_far_ahead_waits_here_and_comes_in_the_order_of_its_moments() {
        let mut bench = bench(16);
        for (tag, name) in [(9.0, "c"), (5.0, "a"), (5.0, "b"), (1.3, "now")] {
            let tag = bench.at(tag).1;
            bench.send(1.0, &tagged(tag, vec![event(name)]));
        }
        let keys =
            |came: Vec<Arrived>| came.iter().map(|a| if let InputKind::Event { event, .. } = a.what { event } else { NameKey::NONE }).collect::<Vec<_>>();
        assert_eq!(keys(bench.came()), [NameKey::of("now")]);
        let (soon, later, last) = (bench.at(2.0).0, bench.at(4.4).0, bench.at(8.5).0);
        let wait = bench.intake.release(soon).unwrap();
        assert!((wait.as_secs_f64() - 2.3).abs() < 1e-3 && bench.came().is_empty(), "{wait:?}");
        bench.intake.release(later);
        assert_eq!(keys(bench.came()), [NameKey::of("a"), NameKey::of("b")]);
        assert_eq!(bench.intake.release(last), None);
        assert_eq!(keys(bench.came()), [NameKey::of("c")]);
    }

    #[test]
    fn a_tagged_hello_tells_of_another_clock() {
        let mut bench = bench(16);
        // Its clock is an hour ahead; hellos take 20, 5 and 30 ms to come.
        let theirs = |bench: &Bench, seconds: f64| bench.at(seconds + 3600.0).1;
        for (sent, took) in [(1.0, 0.02), (2.0, 0.005), (3.0, 0.03)] {
            let tag = theirs(&bench, sent);
            bench.send(sent + took, &tagged(tag, vec![message("hello", vec![text("Brinewick")])]));
        }
        assert_eq!(bench.intake.greeted.len(), 3);
        let tag = theirs(&bench, 4.1);
        bench.send(4.0, &tagged(tag, vec![event("a")]));
        let apart = bench.came()[0].at.duration_since(bench.at(4.0).0).as_secs_f64();
        assert!((apart - 0.105).abs() < 1e-5, "as said, with what the quickest took: {apart}");
        assert_eq!(bench.facts.lock().unwrap().game(), Some("Brinewick"));
    }

    #[test]
    fn steady_places_are_one_movement_and_a_jump_is_a_jump() {
        let mut bench = bench(64);
        for n in 0..6 {
            bench.send(f64::from(n) / 30.0, &place("eel-1", n as f32));
        }
        bench.send(0.2, &place("eel-1", 500.0));
        bench.send(3.0, &place("eel-1", 501.0));
        let frames: Vec<u64> = bench.came().iter().map(|a| if let InputKind::Place { frames, .. } = a.what { frames } else { 9 }).collect();
        assert_eq!((frames[0], frames[6], frames[7]), (0, 0, 0), "the first, too far, too long ago");
        assert!(frames[1..6].iter().all(|f| (1590..=1610).contains(f)), "a thirtieth of a second: {frames:?}");
    }

    #[test]
    fn while_frozen_values_wait_and_events_are_left_out() {
        let mut bench = bench(64);
        let now = bench.at(0.0).0;
        bench.send(0.0, &place("eel-1", 0.0));
        bench.intake.clock(Clock::Frozen, now);
        for n in 1..4 {
            bench.send(f64::from(n), &message("parameter", vec![text("depth"), OscType::Int(n)]));
            bench.send(f64::from(n), &event("a"));
        }
        bench.send(4.0, &message("remove", vec![text("eel-1")]));
        assert_eq!(bench.came().len(), 1);
        let later = bench.at(5.0).0;
        bench.intake.clock(Clock::Goes, later);
        let came = bench.came();
        let depth = InputKind::Parameter { parameter: NameKey::of("depth"), value: 3.0, emitter: NameKey::NONE };
        assert_eq!(came.iter().map(|a| a.what).collect::<Vec<_>>(), [depth, InputKind::Remove { emitter: NameKey::of("eel-1") }]);
        assert!(came.iter().all(|a| a.at == later));
        assert_eq!(bench.facts.lock().unwrap().while_frozen, 3);
    }

    #[test]
    fn what_comes_while_it_is_loading_waits_until_it_goes_and_values_come_first() {
        let mut bench = bench(64);
        let now = bench.at(0.0).0;
        bench.intake.clock(Clock::Loading, now);
        for name in ["a", "b", "a"] {
            bench.send(0.1, &event(name));
        }
        bench.send(0.2, &message("parameter", vec![text("depth"), OscType::Int(3)]));
        // Frozen on top of it: what came before still waits, what comes now is left out.
        bench.intake.clock(Clock::Frozen, now);
        bench.send(0.3, &event("b"));
        bench.intake.clock(Clock::Loading, now);
        assert_eq!(bench.came(), []);
        let later = bench.at(5.0).0;
        bench.intake.clock(Clock::Goes, later);
        let came = bench.came();
        assert!(came.iter().all(|a| a.at == later) && matches!(came[0].what, InputKind::Parameter { .. }), "{came:?}");
        let keys: Vec<NameKey> = came[1..].iter().filter_map(|a| if let InputKind::Event { event, .. } = a.what { Some(event) } else { None }).collect();
        assert_eq!(keys, ["a", "b", "a"].map(NameKey::of));
        assert_eq!(bench.facts.lock().unwrap().while_frozen, 1);
        // Once said they are not said again.
        bench.intake.clock(Clock::Goes, later);
        assert_eq!(bench.came(), []);
    }

    #[test]
    fn after_a_fresh_start_the_game_has_not_to_say_it_again() {
        let mut bench = bench(64);
        bench.send(0.0, &message("state", vec![text("deck"), text("oak")]));
        bench.send(0.0, &message("parameter", vec![text("load"), OscType::Int(1), text("eel-1")]));
        bench.send(0.0, &place("eel-1", 1.0));
        bench.send(0.03, &place("eel-1", 1.1));
        bench.send(0.0, &place("eel-2", 1.0));
        bench.send(0.1, &message("remove", vec![text("eel-2")]));
        bench.send(0.1, &event("a"));
        bench.came();
        let now = bench.at(1.0).0;
        bench.intake.say_again(48_000, now);
        let came: Vec<InputKind> = bench.came().into_iter().map(|a| a.what).collect();
        assert_eq!(came.len(), 3);
        let there = InputKind::Place { emitter: NameKey::of("eel-1"), kind: NameKey::of("eel"), at: [1.1, 0.0, 0.0], facing: None, frames: 0 };
        assert!(came.contains(&there), "the last place, at once: {came:?}");
    }

    #[test]
    fn a_state_of_an_emitter_is_taken_for_all_and_told() {
        let mut bench = bench(8);
        bench.send(0.0, &message("state", vec![text("deck"), text("oak"), text("bell")]));
        assert_eq!(bench.came().len(), 1);
        let facts = bench.facts.lock().unwrap();
        assert!(facts.not_understood.keys().any(|k| k.contains("deck was sent for an emitter")), "{:?}", facts.not_understood);
    }

    #[test]
    fn what_has_no_room_is_counted() {
        let mut bench = bench(2);
        for _ in 0..5 {
            bench.send(0.0, &event("a"));
        }
        assert_eq!((bench.came().len(), bench.facts.lock().unwrap().lost), (2, 3));
    }

    #[test]
    fn those_without_a_hello_are_one_by_machine_and_the_silent_give_way() {
        let mut bench = bench(4096);
        let packet = encoder::encode(&event("a")).unwrap();
        let now = bench.at(0.0);
        for port in 1000..1200 {
            bench.intake.packet(format!("127.0.0.1:{port}").parse().unwrap(), Transport::Udp, &packet, now);
        }
        for machine in 1..200 {
            let now = bench.at(f64::from(machine));
            bench.intake.packet(format!("127.0.1.{machine}:7").parse().unwrap(), Transport::Udp, &packet, now);
        }
        let facts = bench.facts.lock().unwrap();
        assert_eq!(facts.peers.len(), MOST_PEERS);
        assert!(facts.peers.iter().all(|p| p.address.to_string().starts_with("127.0.1.")), "the first was silent longest");
        assert_eq!(facts.heard(Kind::Event, "a").unwrap().count, 399);
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(crate::cases(3000)))]
        #[test]
        fn any_bytes_are_counted_once_and_never_a_panic(bytes in prop::collection::vec(any::<u8>(), 0..120), seed in 0usize..4, at in 0usize..100, with in any::<u8>()) {
            let mut bench = bench(64);
            let packets = [event("hull.struck"), place("eel", 1.0), message("state", vec![text("deck"), OscType::Int(4)]), tagged(bench.at(0.0).1, vec![event("a"), place("b", 2.0)])];
            let mut damaged = encoder::encode(&packets[seed]).unwrap();
            let at = at % damaged.len();
            damaged[at] = with;
            let now = bench.at(0.0);
            for packet in [&bytes, &damaged] {
                bench.intake.packet("127.0.0.1:1".parse().unwrap(), Transport::Udp, packet, now);
            }
            let facts = bench.facts.lock().unwrap();
            // Each packet is understood or complained of; one with two messages may be both.
            let total = facts.messages + facts.peers[0].not_understood;
            prop_assert!((1..=4).contains(&total), "{}", total);
            prop_assert_eq!(facts.not_understood.values().map(|n| n.0).sum::<u64>(), facts.peers[0].not_understood);
            for arrived in std::iter::from_fn(|| bench.out.pop().ok()) {
                if let InputKind::Place { at, facing, .. } = arrived.what {
                    prop_assert!(at.iter().chain(&facing).all(|v| v.is_finite()));
                }
            }
        }
    }
}
