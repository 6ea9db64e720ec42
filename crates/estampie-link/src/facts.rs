//! Who sends, and when each name last came: what the page of the link shows.

use crate::addresses::Said;
use std::collections::{BTreeMap, BTreeSet};
use std::net::{IpAddr, SocketAddr};
use std::time::{Duration, Instant};

/// How packets come.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Transport {
    /// Datagrams: one packet each.
    Udp,
    /// A stream of packets.
    Tcp,
}

impl Transport {
    /// As people write it.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Transport::Udp => "UDP",
            Transport::Tcp => "TCP",
        }
    }
}

/// Somebody who sends.
#[derive(Debug, Clone, PartialEq)]
pub struct Peer {
    /// Where from. Of those who send datagrams without a hello all of one machine are one.
    pub address: SocketAddr,
    /// How.
    pub transport: Transport,
    /// How it calls itself, if it said hello.
    pub game: Option<String>,
    /// How many messages came.
    pub messages: u64,
    /// How many packets or messages were not understood.
    pub not_understood: u64,
    /// When the last packet came.
    pub last: Instant,
    /// Its stream has ended.
    pub gone: bool,
    /// Messages since a moment, for the rate.
    since: (Instant, u64),
    rate: f32,
}

impl Peer {
    pub(crate) fn new(address: SocketAddr, transport: Transport, now: Instant) -> Peer {
        Peer { address, transport, game: None, messages: 0, not_understood: 0, last: now, gone: false, since: (now, 0), rate: 0.0 }
    }

    /// Messages a second: over the last whole second, or since then if it has become quiet.
    #[must_use]
    pub fn rate(&self, now: Instant) -> f32 {
        let since = now.saturating_duration_since(self.since.0).as_secs_f32();
        if since > 2.0 { (self.messages - self.since.1) as f32 / since } else { self.rate }
    }

    pub(crate) fn count(&mut self, now: Instant) {
        self.messages += 1;
        self.last = now;
        let since = now.saturating_duration_since(self.since.0);
        if since >= Duration::from_secs(1) {
            self.rate = (self.messages - self.since.1) as f32 / since.as_secs_f32();
            self.since = (now, self.messages);
        }
    }
}

/// What a name is the name of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Kind {
    /// A moment.
    Event,
    /// A number.
    Parameter,
    /// A named value.
    State,
}

/// What has been sent under a name.
#[derive(Debug, Clone, PartialEq)]
pub enum Sent {
    /// An event has no value.
    Moment,
    /// Numbers: the last, the least and the greatest of those that are numbers.
    Number {
        /// The last.
        last: f32,
        /// The least.
        least: f32,
        /// The greatest.
        greatest: f32,
    },
    /// Named values: the last, and all (64 and no more).
    Word {
        /// The last.
        last: String,
        /// All.
        all: BTreeSet<String>,
    },
}

/// A name that came.
#[derive(Debug, Clone, PartialEq)]
pub struct Heard {
    /// How often.
    pub count: u64,
    /// When last.
    pub last: Instant,
    /// What.
    pub sent: Sent,
    /// The emitter of the last, if it had one.
    pub emitter: Option<String>,
}

/// An emitter that is placed.
#[derive(Debug, Clone, PartialEq)]
pub struct HeardEmitter {
    /// Its kind, perhaps empty.
    pub kind: String,
    /// Metres to the east, to the north, and up.
    pub at: [f32; 3],
    /// How often it was placed.
    pub count: u64,
    /// When last.
    pub last: Instant,
}

/// How many different names of a kind, emitters and sentences are remembered.
const MOST: usize = 4096;
/// How many values of a state are.
const MOST_WORDS: usize = 64;

/// All that is known of who sends and what came.
#[derive(Debug, Clone, Default)]
pub struct Facts {
    /// Those who send.
    pub peers: Vec<Peer>,
    names: BTreeMap<Kind, BTreeMap<String, Heard>>,
    /// Emitters that are placed, by name.
    pub emitters: BTreeMap<String, HeardEmitter>,
    /// When the listener was last placed.
    pub listener: Option<Instant>,
    /// What was not understood, in words, with how often and when last.
    pub not_understood: BTreeMap<String, (u64, Instant)>,
    /// All messages that were understood.
    pub messages: u64,
    /// Time tags that were past when they came: those messages counted at once.
    pub late: u64,
    /// The latest of them.
    pub latest: Duration,
    /// Messages that had no room on the way to the engine.
    pub lost: u64,
    /// Events that came while everything stood still: they were left out.
    pub while_frozen: u64,
    /// Packets from machines that are not allowed to send.
    pub refused: BTreeMap<IpAddr, u64>,
}

impl Facts {
    /// The names of a kind that came.
    pub fn names(&self, kind: Kind) -> impl Iterator<Item = (&str, &Heard)> {
        self.names.get(&kind).into_iter().flatten().map(|(name, heard)| (name.as_str(), heard))
    }

    /// What came under a name.
    #[must_use]
    pub fn heard(&self, kind: Kind, name: &str) -> Option<&Heard> {
        self.names.get(&kind)?.get(name)
    }

    /// The newest packet of all.
    #[must_use]
    pub fn last(&self) -> Option<Instant> {
        self.peers.iter().map(|p| p.last).max()
    }

    /// Messages a second, of all together.
    #[must_use]
    pub fn rate(&self, now: Instant) -> f32 {
        self.peers.iter().map(|p| p.rate(now)).sum()
    }

    /// Whoever said hello last, or else sent last.
    #[must_use]
    pub fn game(&self) -> Option<&str> {
        self.peers.iter().filter(|p| p.game.is_some()).max_by_key(|p| p.last)?.game.as_deref()
    }

    pub(crate) fn note(&mut self, said: &Said, now: Instant) {
        self.messages += 1;
        match said {
            Said::Event { name, emitter } => self.name(Kind::Event, name, emitter.as_ref(), now, || Sent::Moment, |_| ()),
            Said::Parameter { name, value, emitter } => {
                let first = || Sent::Number { last: *value, least: *value, greatest: *value };
                self.name(Kind::Parameter, name, emitter.as_ref(), now, first, |sent| {
                    if let Sent::Number { last, least, greatest } = sent {
                        // What is no number is no end of a range.
                        (*last, *least, *greatest) = (*value, value.min(*least), value.max(*greatest));
                    }
                });
            }
            Said::State { name, value, emitter } => {
                let first = || Sent::Word { last: value.clone(), all: BTreeSet::from([value.clone()]) };
                self.name(Kind::State, name, emitter.as_ref(), now, first, |sent| {
                    if let Sent::Word { last, all } = sent {
                        value.clone_into(last);
                        if all.len() < MOST_WORDS && !all.contains(value) {
                            all.insert(value.clone());
                        }
                    }
                });
            }
            Said::Emitter { id, kind, at, .. } => {
                if let Some(known) = self.emitters.get_mut(id) {
                    if !kind.is_empty() && known.kind != *kind {
                        kind.clone_into(&mut known.kind);
                    }
                    (known.at, known.count, known.last) = (*at, known.count + 1, now);
                } else if self.emitters.len() < MOST {
                    self.emitters.insert(id.clone(), HeardEmitter { kind: kind.clone(), at: *at, count: 1, last: now });
                }
            }
            Said::Listener { .. } => self.listener = Some(now),
            Said::Remove { id } => {
                self.emitters.remove(id);
            }
            Said::Hello { .. } => {}
        }
    }

    fn name(&mut self, kind: Kind, name: &str, emitter: Option<&String>, now: Instant, first: impl FnOnce() -> Sent, again: impl FnOnce(&mut Sent)) {
        let names = self.names.entry(kind).or_default();
        if let Some(heard) = names.get_mut(name) {
            (heard.count, heard.last) = (heard.count + 1, now);
            again(&mut heard.sent);
            if heard.emitter.as_ref() != emitter {
                heard.emitter = emitter.cloned();
            }
        } else if names.len() < MOST {
            names.insert(name.to_owned(), Heard { count: 1, last: now, sent: first(), emitter: emitter.cloned() });
        }
    }

    pub(crate) fn complain(&mut self, what: String, now: Instant) {
        let most = 64;
        let what = if self.not_understood.len() < most || self.not_understood.contains_key(&what) { what } else { "other messages".to_owned() };
        let (count, last) = self.not_understood.entry(what).or_insert((0, now));
        (*count, *last) = (*count + 1, now);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_have_their_counts_and_ends() {
        let mut facts = Facts::default();
        let now = Instant::now();
        for value in [3.0, f32::NAN, -1.0] {
            facts.note(&Said::Parameter { name: "depth".into(), value, emitter: None }, now);
        }
        for value in ["oak", "mesh", "oak"] {
            facts.note(&Said::State { name: "deck".into(), value: value.into(), emitter: Some("bell".into()) }, now);
        }
        let depth = facts.heard(Kind::Parameter, "depth").unwrap();
        assert_eq!((depth.count, &depth.sent), (3, &Sent::Number { last: -1.0, least: -1.0, greatest: 3.0 }));
        let deck = facts.heard(Kind::State, "deck").unwrap();
        assert_eq!(deck.sent, Sent::Word { last: "oak".into(), all: ["mesh".to_owned(), "oak".to_owned()].into() });
        assert_eq!((deck.emitter.as_deref(), facts.messages, facts.names(Kind::Event).count()), (Some("bell"), 6, 0));
    }

    #[test]
    fn memory_has_an_end() {
        let mut facts = Facts::default();
        let now = Instant::now();
        for n in 0..MOST + 500 {
            facts.note(&Said::Event { name: format!("e{n}"), emitter: None }, now);
            facts.note(&Said::Emitter { id: format!("m{n}"), kind: "eel".into(), at: [0.0; 3], yaw: None }, now);
            facts.note(&Said::State { name: "s".into(), value: format!("v{n}"), emitter: None }, now);
            facts.complain(format!("unknown address /{n}"), now);
        }
        assert_eq!((facts.names(Kind::Event).count(), facts.emitters.len(), facts.not_understood.len()), (MOST, MOST, 65));
        assert!(matches!(&facts.heard(Kind::State, "s").unwrap().sent, Sent::Word { all, last } if all.len() == MOST_WORDS && last.ends_with("4595")));
        assert_eq!(facts.not_understood.values().map(|n| n.0).sum::<u64>(), MOST as u64 + 500, "all are counted");
    }

    #[test]
    fn the_rate_is_that_of_the_last_second_and_falls_in_silence() {
        let zero = Instant::now();
        let at = |ms: u64| zero + Duration::from_millis(ms);
        let mut peer = Peer::new("127.0.0.1:9".parse().unwrap(), Transport::Udp, zero);
        for n in 1..=90 {
            peer.count(at(n * 33));
        }
        assert!((peer.rate(at(3000)) - 30.0).abs() < 1.5, "{}", peer.rate(at(3000)));
        assert!(peer.rate(at(60_000)) < 1.0);
    }
}
