//! Plays the dive by itself: goes from place to place, looks into things, flees what follows the lamp, comes up for air. For hours, and
//! each time otherwise.

use super::dive::{Dive, Hand, Threat};
use super::ground::{At, Place};
use rand::seq::IndexedRandom as _;
use rand::{Rng as _, SeedableRng as _};
use rand_pcg::Pcg32;
use std::collections::VecDeque;

/// Points that one can walk between in a straight line.
const POINTS: [(&str, At); 17] = [
    ("crane", [-6.0, -4.0]),
    ("stair-head", [0.0, 6.0]),
    ("stair-foot", [0.0, 10.0]),
    ("rope-street", [-6.0, 11.0]),
    ("corner", [8.0, 12.0]),
    ("hatch", [14.8, 15.0]),
    ("boiler", [20.0, 15.0]),
    ("arch", [8.0, 22.0]),
    ("church-door", [12.0, 24.5]),
    ("nave", [12.0, 28.0]),
    ("relic", [16.5, 33.0]),
    ("organ", [12.0, 41.0]),
    ("lip", [-6.0, 18.0]),
    ("ledge", [-14.0, 18.0]),
    ("slope", [-26.0, 24.0]),
    ("deep", [-36.0, 32.0]),
    ("pump", [6.0, -6.0]),
];

/// Which of them are joined.
const JOINED: [(usize, usize); 17] =
    [(0, 16), (16, 1), (0, 1), (1, 2), (2, 3), (2, 4), (4, 5), (5, 6), (4, 7), (7, 8), (8, 9), (9, 10), (9, 11), (10, 11), (3, 12), (12, 13), (13, 14)];
/// The last of the way down.
const DOWN: (usize, usize) = (14, 15);

/// The index of the point where one is safe.
const SURFACE: usize = 0;

/// Plays by itself.
#[derive(Debug, Clone)]
pub struct Pilot {
    random: Pcg32,
    at: usize,
    way: VecDeque<usize>,
    /// It waits so long before it goes on.
    waits: f32,
    speed: f32,
    next_ping: f32,
    next_radio: f32,
    /// It has been at a point for so long without getting nearer to the next.
    stuck: f32,
    lamp_out: f32,
}

fn neighbours(of: usize) -> impl Iterator<Item = usize> {
    JOINED.iter().chain([&DOWN]).filter_map(move |(a, b)| {
        if *a == of {
            Some(*b)
        } else if *b == of {
            Some(*a)
        } else {
            None
        }
    })
}

/// The shortest way in points, without the first.
fn way(from: usize, to: usize) -> VecDeque<usize> {
    let mut before = [usize::MAX; POINTS.len()];
    let mut open = VecDeque::from([from]);
    before[from] = from;
    while let Some(here) = open.pop_front() {
        for next in neighbours(here) {
            if before[next] == usize::MAX {
                before[next] = here;
                open.push_back(next);
            }
        }
    }
    let mut found = VecDeque::new();
    let mut here = to;
    while here != from && before[here] != usize::MAX {
        found.push_front(here);
        here = before[here];
    }
    found
}

impl Pilot {
    /// One that plays as the seed says.
    #[must_use]
    pub fn new(seed: u64) -> Pilot {
        let random = Pcg32::seed_from_u64(seed ^ 0x0070_696c_6f74);
        Pilot { random, at: SURFACE, way: VecDeque::new(), waits: 2.0, speed: 1.7, next_ping: 9.0, next_radio: 14.0, stuck: 0.0, lamp_out: 0.0 }
    }

    /// What it wants now: a speed to the east and the north, and what its hands do.
    pub fn play(&mut self, dive: &Dive, seconds: f32) -> ([f32; 2], Vec<Hand>) {
        let mut hands = Vec::new();
        if dive.paused {
            self.waits -= seconds;
            if self.waits <= 0.0 {
                hands.push(Hand::Pause);
            }
            return ([0.0; 2], hands);
        }
        self.deeds(dive, seconds, &mut hands);
        self.waits = (self.waits - seconds).max(0.0);
        if self.waits > 0.0 {
            return ([0.0; 2], hands);
        }
        if self.way.is_empty() {
            self.choose(dive, &mut hands);
        }
        let Some(next) = self.way.front().copied() else { return ([0.0; 2], hands) };
        let to = POINTS[next].1;
        let (x, y) = (to[0] - dive.at[0], to[1] - dive.at[1]);
        let left = x.hypot(y);
        // The boiler house is entered by an open hatch.
        if (POINTS[self.at].0, POINTS[next].0) == ("hatch", "boiler") || (POINTS[self.at].0, POINTS[next].0) == ("boiler", "hatch") {
            if dive.hatch() < 0.6 && self.stuck == 0.0 {
                hands.push(Hand::Hatch);
            }
            if dive.hatch() < 0.6 {
                self.stuck += seconds;
                if self.stuck > 4.0 {
                    self.stuck = 0.0;
                }
                return ([0.0; 2], hands);
            }
            self.stuck = 0.0;
        }
        if left < 0.3 {
            self.at = next;
            self.way.pop_front();
            self.arrive(dive, &mut hands);
            return ([0.0; 2], hands);
        }
        let speed = match dive.threat {
            Threat::Hunted => 4.6,
            Threat::Stalked => self.speed.max(2.6),
            Threat::Calm => self.speed,
        };
        let speed = speed.min(left / seconds.max(1e-3));
        ([x / left * speed, y / left * speed], hands)
    }

    /// What hands do beside walking.
    fn deeds(&mut self, dive: &Dive, seconds: f32, hands: &mut Vec<Hand>) {
        let under = dive.depth() > 5.0;
        if under && dive.time >= self.next_ping {
            self.next_ping = dive.time + self.random.random_range(8.0..22.0);
            hands.push(Hand::Ping);
        }
        if under && dive.time >= self.next_radio {
            self.next_radio = dive.time + self.random.random_range(18.0..45.0);
            hands.push(Hand::Radio);
        }
        if dive.threat == Threat::Hunted {
            if dive.can_boost() && self.random.random_bool(0.02) {
                hands.push(Hand::Boost);
            }
            if dive.lamp && dive.eel_distance() < 9.0 && self.random.random_bool(0.03) {
                hands.push(Hand::Lamp);
                self.lamp_out = self.random.random_range(6.0..14.0);
            }
        }
        if !dive.lamp {
            self.lamp_out -= seconds;
            if self.lamp_out <= 0.0 {
                hands.push(Hand::Lamp);
            }
        }
    }

    /// Chooses where to go next.
    fn choose(&mut self, dive: &Dive, hands: &mut Vec<Hand>) {
        let goals: &[usize] = match dive.place() {
            _ if dive.oxygen() < 0.35 || dive.strain() > 0.85 => &[SURFACE],
            Place::Quay if dive.oxygen() < 0.98 => &[SURFACE, 16],
            _ => &[3, 4, 5, 6, 7, 10, 11, 12, 13, 14, 15, 0],
        };
        let others: Vec<usize> = goals.iter().copied().filter(|goal| *goal != self.at).collect();
        let goal = others.choose(&mut self.random).copied().unwrap_or(SURFACE);
        self.way = way(self.at, goal);
        self.speed = self.random.random_range(1.4..3.4);
        if self.random.random_bool(0.03) {
            hands.push(Hand::Pause);
            self.waits = self.random.random_range(2.0..5.0);
        }
    }

    /// Looks about where it has come to.
    fn arrive(&mut self, dive: &Dive, hands: &mut Vec<Hand>) {
        let hurried = dive.threat == Threat::Hunted || dive.oxygen() < 0.3;
        match POINTS[self.at].0 {
            "crane" => {
                hands.push(Hand::Winch);
                self.waits = self.random.random_range(3.0..8.0);
                if self.random.random_bool(0.15) {
                    hands.push(Hand::Race);
                }
            }
            "boiler" => {
                hands.push(Hand::Boiler);
                self.waits = 2.0;
            }
            "corner" if dive.hatch() > 0.5 && self.way.front() != Some(&5) => hands.push(Hand::Hatch),
            "pump" | "ledge" if !hurried => {
                hands.push(Hand::Pump);
                self.waits = 1.0;
            }
            "relic" | "organ" | "deep" if !hurried => self.waits = self.random.random_range(2.0..6.0),
            _ => {}
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::addresses::Said;
    use std::collections::BTreeMap;

    /// What is told in so many minutes, and where the diver was.
    fn play(seed: u64, minutes: u32, mut look: impl FnMut(&Dive)) -> BTreeMap<String, u64> {
        let (mut dive, mut pilot) = (Dive::new(seed), Pilot::new(seed));
        let mut told: BTreeMap<String, u64> = BTreeMap::new();
        let seconds = 1.0 / 30.0;
        for _ in 0..minutes * 60 * 30 {
            let mut note = |said: Said| {
                let name = match said {
                    Said::Event { name, .. } => format!("event {name}"),
                    Said::State { name, value, .. } => format!("state {name} {value}"),
                    Said::Parameter { name, value, .. } => {
                        assert!(value.is_finite(), "{name}");
                        format!("parameter {name}")
                    }
                    Said::Emitter { id, at, .. } => {
                        assert!(at.iter().all(|v| v.is_finite()), "{id}");
                        format!("emitter {id}")
                    }
                    Said::Listener { .. } => "listener".into(),
                    Said::Remove { .. } | Said::Hello { .. } => "other".into(),
                };
                *told.entry(name).or_default() += 1;
            };
            let (wants, hands) = pilot.play(&dive, seconds);
            hands.into_iter().for_each(|hand| dive.act(hand, &mut note));
            dive.step(seconds, wants, &mut note);
            look(&dive);
        }
        told
    }

    #[test]
    fn ways_lead_over_joined_points() {
        for from in 0..POINTS.len() {
            for to in 0..POINTS.len() {
                let way = way(from, to);
                assert_eq!(way.back().copied().unwrap_or(from), to, "{from} to {to}");
                let mut here = from;
                for next in way {
                    assert!(neighbours(here).any(|n| n == next));
                    here = next;
                }
            }
        }
    }

    #[test]
    fn it_plays_for_an_hour_goes_everywhere_and_uses_everything() {
        for seed in [1, 7, 42] {
            let (mut places, mut least, mut still, mut last) = (BTreeMap::new(), 1.0f32, 0u32, [0.0; 2]);
            let mut longest_still = 0;
            let told = play(seed, 60, |dive| {
                *places.entry(dive.place()).or_insert(0u32) += 1;
                assert!(Place::of(dive.at).is_some(), "{:?} is nowhere", dive.at);
                least = least.min(dive.oxygen());
                still = if dive.at == last { still + 1 } else { 0 };
                longest_still = longest_still.max(still);
                last = dive.at;
            });
            assert_eq!(places.len(), 4, "{places:?}");
            assert!(places.values().all(|n| *n > 60 * 30), "a minute everywhere at the least: {places:?}");
            assert!(least > 0.01, "it comes up for air: {least}");
            assert!(longest_still < 30 * 30, "never stuck for half a minute: {longest_still}");
            let events = ["dive.begin", "dive.end", "step", "breathe", "sonar.ping", "radio.call", "winch.start", "winch.stop", "hatch.open", "boiler.light"];
            let more = [
                "hull.struck",
                "find.relic",
                "pump.start",
                "game.paused",
                "game.resumed",
                "tide-race.begin",
                "tide-race.end",
                "boost",
                "lamp.out",
                "lamp.lit",
                "eel.call",
            ];
            for name in events.into_iter().chain(more) {
                assert!(told.contains_key(&format!("event {name}")), "seed {seed}: {name} never happens: {:?}", told.keys().collect::<Vec<_>>());
            }
            for threat in ["calm", "stalked", "hunted"] {
                assert!(told.contains_key(&format!("state threat {threat}")), "seed {seed}: {threat}");
            }
            let all: u64 = told.values().sum();
            let a_second = all as f64 / 3600.0;
            assert!((60.0..250.0).contains(&a_second), "{a_second} messages a second");
        }
    }

    #[test]
    fn one_seed_is_one_dive() {
        let path = |seed| {
            let mut at = Vec::new();
            play(seed, 2, |dive| at.push(dive.at));
            at
        };
        assert_eq!(path(3), path(3));
        assert_ne!(path(3), path(4));
    }
}
