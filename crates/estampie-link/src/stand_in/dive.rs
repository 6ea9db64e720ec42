//! The game itself: a diver, his bell, an eel. It is stepped, and tells what happens.

use super::ground::{At, BOILER_HOUSE, Place, material, passable, within};
use crate::addresses::Said;
use rand::{Rng as _, SeedableRng as _};
use rand_pcg::Pcg32;

/// What the hands of a player do.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Hand {
    /// The lamp on or off.
    Lamp,
    /// A ping of the sonar.
    Ping,
    /// The winch runs, or stops: the bell goes down or up with it.
    Winch,
    /// The hatch of the boiler house opens or shuts.
    Hatch,
    /// The boiler is lit or put out, if one stands before it.
    Boiler,
    /// A push of the thruster.
    Boost,
    /// The dispatcher is called.
    Radio,
    /// The bilge pump is started.
    Pump,
    /// A race through the customs house against the tide begins, or ends.
    Race,
    /// The menu is opened, or closed.
    Pause,
}

/// What follows the lamp.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Threat {
    /// Nothing.
    Calm,
    /// It is near.
    Stalked,
    /// It is very near.
    Hunted,
}

impl Threat {
    /// As the state's value.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Threat::Calm => "calm",
            Threat::Stalked => "stalked",
            Threat::Hunted => "hunted",
        }
    }
}

/// Where the eel lives.
const LAIR: At = [-34.0, 30.0];
/// Where the relic lies.
pub const RELIC: At = [17.0, 33.0];
/// The bell under its crane, and at the foot of the stairs.
const BELL: [At; 2] = [[0.0, 2.0], [0.0, 12.0]];
/// A step is so long, in metres.
const STRIDE: f32 = 0.75;
/// A push is ready again after so many seconds, and lasts so many.
const BOOST: (f32, f32) = (6.0, 1.5);

/// A number that is told when it has changed.
#[derive(Debug, Clone, Copy)]
struct Told {
    name: &'static str,
    now: f32,
    least_change: f32,
    told: f32,
}

impl Told {
    fn new(name: &'static str, now: f32, least_change: f32) -> Told {
        Told { name, now, least_change, told: f32::NAN }
    }
}

/// A dive.
#[derive(Debug, Clone)]
pub struct Dive {
    random: Pcg32,
    /// Seconds since it began.
    pub time: f32,
    /// The diver.
    pub at: At,
    /// Where he looks, degrees clockwise from north.
    pub yaw: f32,
    /// The bell.
    pub bell: At,
    /// The eel.
    pub eel: At,
    eel_yaw: f32,
    /// It leaves him alone for so long.
    sated: f32,
    /// What follows him.
    pub threat: Threat,
    /// The lamp burns.
    pub lamp: bool,
    /// The menu is open: everything stands still.
    pub paused: bool,
    winch: bool,
    bell_down: bool,
    hatch_opens: bool,
    boiler: bool,
    relic_found: bool,
    boost: f32,
    race: Option<f32>,
    walked: f32,
    next_breath: f32,
    next_knock: f32,
    numbers: [Told; 7],
    place: Option<Place>,
    deck: &'static str,
    told_eel: At,
    told_bell: At,
    since_told: f32,
    strain_added: f32,
    begun: bool,
}

const DEPTH: usize = 0;
const STRAIN: usize = 1;
const THRUSTER: usize = 2;
const OXYGEN: usize = 3;
const CURRENT: usize = 4;
const CURRENT_FROM: usize = 5;
const HATCH: usize = 6;

fn apart(a: At, b: At) -> f32 {
    (a[0] - b[0]).hypot(a[1] - b[1])
}

fn bearing(from: At, to: At) -> f32 {
    (to[0] - from[0]).atan2(to[1] - from[1]).to_degrees().rem_euclid(360.0)
}

/// Goes so far towards something, and no farther.
fn towards(from: At, to: At, way: f32) -> At {
    let all = apart(from, to);
    if all <= way || all == 0.0 { to } else { [from[0] + (to[0] - from[0]) * way / all, from[1] + (to[1] - from[1]) * way / all] }
}

fn glide(from: f32, to: f32, most: f32) -> f32 {
    from + (to - from).clamp(-most, most)
}

impl Dive {
    /// A new dive: the diver stands on the quay.
    #[must_use]
    pub fn new(seed: u64) -> Dive {
        let numbers = [
            Told::new("depth", 0.0, 0.05),
            Told::new("strain", 0.0, 0.004),
            Told::new("thruster", 0.0, 4.0),
            Told::new("oxygen", 1.0, 0.002),
            Told::new("current", 0.4, 0.01),
            Told::new("current-from", 300.0, 0.5),
            Told::new("hatch", 0.0, 0.01),
        ];
        Dive {
            random: Pcg32::seed_from_u64(seed),
            time: 0.0,
            at: [-6.0, -4.0],
            yaw: 30.0,
            bell: BELL[0],
            eel: LAIR,
            eel_yaw: 90.0,
            sated: 0.0,
            threat: Threat::Calm,
            lamp: true,
            paused: false,
            winch: false,
            bell_down: false,
            hatch_opens: false,
            boiler: false,
            relic_found: false,
            boost: 0.0,
            race: None,
            walked: 0.0,
            next_breath: 2.0,
            next_knock: 20.0,
            numbers,
            place: None,
            deck: "",
            told_eel: [f32::NAN; 2],
            told_bell: [f32::NAN; 2],
            since_told: 0.0,
            strain_added: 0.0,
            begun: false,
        }
    }

    /// Where the diver is.
    #[must_use]
    pub fn place(&self) -> Place {
        Place::of(self.at).unwrap_or(Place::Quay)
    }

    /// How deep, in metres.
    #[must_use]
    pub fn depth(&self) -> f32 {
        self.numbers[DEPTH].now
    }

    /// What is left of the air, 0 to 1.
    #[must_use]
    pub fn oxygen(&self) -> f32 {
        self.numbers[OXYGEN].now
    }

    /// How much the hull bears, 0 to 1.
    #[must_use]
    pub fn strain(&self) -> f32 {
        self.numbers[STRAIN].now
    }

    /// How far the hatch stands open, 0 to 1.
    #[must_use]
    pub fn hatch(&self) -> f32 {
        self.numbers[HATCH].now
    }

    /// Whether the winch runs, the bell is down, the boiler burns, a race is on.
    #[must_use]
    pub fn running(&self) -> [bool; 4] {
        [self.winch, self.bell_down, self.boiler, self.race.is_some()]
    }

    /// How far the eel is, in metres.
    #[must_use]
    pub fn eel_distance(&self) -> f32 {
        apart(self.at, self.eel)
    }

    /// Whether a push is ready.
    #[must_use]
    pub fn can_boost(&self) -> bool {
        self.boost <= 0.0
    }

    /// Does what a hand does.
    pub fn act(&mut self, hand: Hand, mut tell: impl FnMut(Said)) {
        if self.paused && hand != Hand::Pause {
            return;
        }
        let mut event = |name: &str, emitter: Option<&str>| tell(Said::Event { name: name.to_owned(), emitter: emitter.map(str::to_owned) });
        match hand {
            Hand::Lamp => {
                self.lamp = !self.lamp;
                event(if self.lamp { "lamp.lit" } else { "lamp.out" }, None);
            }
            Hand::Ping => event("sonar.ping", None),
            Hand::Winch => {
                self.winch = !self.winch;
                if self.winch {
                    self.bell_down = !self.bell_down;
                }
                event(if self.winch { "winch.start" } else { "winch.stop" }, Some("winch"));
            }
            Hand::Hatch => {
                self.hatch_opens = !self.hatch_opens;
                if self.hatch_opens {
                    event("hatch.open", None);
                }
            }
            Hand::Boiler if within(self.at, BOILER_HOUSE) => {
                self.boiler = !self.boiler;
                event(if self.boiler { "boiler.light" } else { "boiler.out" }, None);
            }
            Hand::Boiler => {}
            Hand::Boost if self.can_boost() => {
                self.boost = BOOST.0;
                event("boost", None);
            }
            Hand::Boost => event("boost.denied", None),
            Hand::Radio => event("radio.call", None),
            Hand::Pump => event("pump.start", None),
            Hand::Race => {
                self.race = if self.race.is_some() { None } else { Some(90.0) };
                event(if self.race.is_some() { "tide-race.begin" } else { "tide-race.end" }, None);
            }
            Hand::Pause => {
                self.paused = !self.paused;
                event(if self.paused { "game.paused" } else { "game.resumed" }, None);
            }
        }
    }

    /// Goes on for so many seconds; the diver wants to go so fast to the east and the north, in metres a second (5 and no more).
    pub fn step(&mut self, seconds: f32, wants: [f32; 2], mut tell: impl FnMut(Said)) {
        if !self.begun {
            self.begun = true;
            tell(Said::Event { name: "dive.begin".into(), emitter: None });
        }
        if self.paused || seconds <= 0.0 {
            return;
        }
        self.time += seconds;
        let went = self.walk(seconds, wants);
        self.step_numbers(seconds, went / seconds);
        self.step_bell(seconds, &mut tell);
        self.step_eel(seconds, &mut tell);
        self.step_body(seconds, went, &mut tell);
        self.tell_all(seconds, &mut tell);
    }

    /// Walks, and gives how far.
    fn walk(&mut self, seconds: f32, wants: [f32; 2]) -> f32 {
        let pushed = self.boost > BOOST.0 - BOOST.1;
        let speed = apart(wants, [0.0; 2]).min(5.0) * if pushed { 1.8 } else { 1.0 };
        if speed < 0.01 {
            return 0.0;
        }
        let ahead = [self.at[0] + wants[0], self.at[1] + wants[1]];
        // One turns about, and does not spin.
        let turn = (bearing(self.at, ahead) - self.yaw + 540.0).rem_euclid(360.0) - 180.0;
        self.yaw = (self.yaw + turn.clamp(-240.0 * seconds, 240.0 * seconds)).rem_euclid(360.0);
        let to = towards(self.at, ahead, speed * seconds);
        let hatch = self.numbers[HATCH].now;
        // Along a wall one slides.
        let tries = [to, [to[0], self.at[1]], [self.at[0], to[1]]];
        let Some(to) = tries.into_iter().find(|to| passable(self.at, *to, hatch)) else { return 0.0 };
        let went = apart(self.at, to);
        self.at = to;
        went
    }

    fn step_numbers(&mut self, seconds: f32, speed: f32) {
        let place = self.place();
        let deep = place.depth(self.at);
        let under = self.depth() > 2.0;
        self.boost = (self.boost - seconds).max(0.0);
        self.strain_added = (self.strain_added - 0.04 * seconds).max(0.0);
        let pushed = self.boost > BOOST.0 - BOOST.1;
        let drift: f32 = self.random.random_range(-1.0..1.0);
        let turn: f32 = self.random.random_range(-1.0..1.0);
        let n = &mut self.numbers;
        n[DEPTH].now = glide(n[DEPTH].now, deep, 6.0 * seconds);
        let pressed = ((n[DEPTH].now - 20.0) / 160.0).clamp(0.0, 0.7);
        n[STRAIN].now = glide(n[STRAIN].now, (pressed + 0.05 * n[CURRENT].now + self.strain_added).clamp(0.0, 1.0), 0.25 * seconds);
        let rpm = if !under {
            0.0
        } else if pushed {
            1150.0
        } else {
            (speed * 190.0).min(820.0)
        };
        n[THRUSTER].now = glide(n[THRUSTER].now, rpm, 700.0 * seconds);
        let breath = if speed > 3.0 { 2.0 } else { 1.0 };
        n[OXYGEN].now = if under { (n[OXYGEN].now - breath * seconds / 300.0).max(0.0) } else { (n[OXYGEN].now + seconds / 12.0).min(1.0) };
        let calm = if under { 1.4 } else { 0.4 };
        n[CURRENT].now = (n[CURRENT].now + (calm - n[CURRENT].now) * 0.05 * seconds + drift * 0.6 * seconds.sqrt() * 0.3).clamp(0.0, 4.0);
        n[CURRENT_FROM].now = (n[CURRENT_FROM].now + turn * 6.0 * seconds.sqrt()).rem_euclid(360.0);
        n[HATCH].now = glide(n[HATCH].now, f32::from(u8::from(self.hatch_opens)), 0.6 * seconds);
    }

    fn step_bell(&mut self, seconds: f32, tell: &mut impl FnMut(Said)) {
        if self.winch {
            let to = BELL[usize::from(self.bell_down)];
            self.bell = towards(self.bell, to, 0.9 * seconds);
            if self.bell == to {
                self.winch = false;
                tell(Said::Event { name: "winch.stop".into(), emitter: Some("winch".into()) });
            }
        }
    }

    fn step_eel(&mut self, seconds: f32, tell: &mut impl FnMut(Said)) {
        self.sated = (self.sated - seconds).max(0.0);
        let seen = self.lamp && self.depth() > 10.0 && self.sated == 0.0;
        let near = self.eel_distance();
        let (to, speed) = if seen { (self.at, if near < 18.0 { 3.4 } else { 2.2 }) } else { (LAIR, 2.6) };
        if apart(self.eel, to) > 0.5 {
            self.eel_yaw = bearing(self.eel, to);
        }
        // It sways as it swims.
        let sway = (self.time * 1.7).sin() * 0.8 * seconds;
        let next = towards(self.eel, to, speed * seconds);
        self.eel = [next[0] + sway * 0.5, next[1] + sway];
        let now = match self.threat {
            _ if seen && near < 14.0 => Threat::Hunted,
            Threat::Hunted if near < 24.0 && seen => Threat::Hunted,
            _ if near < 38.0 && self.depth() > 10.0 && self.sated == 0.0 => Threat::Stalked,
            Threat::Calm => Threat::Calm,
            before if near < 46.0 && self.depth() > 10.0 && self.sated == 0.0 => before.min(Threat::Stalked),
            _ => Threat::Calm,
        };
        if now != self.threat {
            self.threat = now;
            tell(Said::State { name: "threat".into(), value: now.word().into(), emitter: None });
        }
        if seen && near < 3.0 {
            // It strikes, and has had enough for a while.
            self.sated = 25.0;
            self.strain_added = 0.3;
            tell(Said::Event { name: "hull.struck".into(), emitter: Some("bell".into()) });
            tell(Said::Event { name: "eel.call".into(), emitter: Some("eel".into()) });
        }
    }

    /// Steps, breath, knocks, the relic, the race.
    fn step_body(&mut self, seconds: f32, went: f32, tell: &mut impl FnMut(Said)) {
        let mut event = |name: &str, emitter: &str| tell(Said::Event { name: name.to_owned(), emitter: (!emitter.is_empty()).then(|| emitter.to_owned()) });
        self.walked += went;
        if self.walked >= STRIDE {
            self.walked -= STRIDE;
            event("step", "pilot");
        }
        if self.time >= self.next_breath {
            let under = self.depth() > 2.0;
            self.next_breath = self.time + self.random.random_range(3.0..4.6) * if self.oxygen() < 0.3 { 0.6 } else { 1.0 };
            if under {
                event("breathe", "pilot");
            }
        }
        if self.time >= self.next_knock {
            self.next_knock = self.time + self.random.random_range(14.0..40.0);
            if self.depth() > 40.0 {
                event("hull.struck", "bell");
            }
        }
        if !self.relic_found && apart(self.at, RELIC) < 3.0 && self.lamp {
            self.relic_found = true;
            event("find.relic", "");
        }
        // The tide brings another one.
        if self.relic_found && self.place() == Place::Quay {
            self.relic_found = false;
        }
        if let Some(left) = &mut self.race {
            *left = (*left - seconds).max(0.0);
            let over = *left == 0.0;
            tell(Said::Parameter { name: "tide-clock".into(), value: (*left * 10.0).round() / 10.0, emitter: None });
            if over {
                self.race = None;
                tell(Said::Event { name: "tide-race.end".into(), emitter: None });
            }
        }
    }

    /// Where everything is, and what has changed.
    fn tell_all(&mut self, seconds: f32, tell: &mut impl FnMut(Said)) {
        let place = self.place();
        if self.place != Some(place) {
            self.place = Some(place);
            tell(Said::State { name: "place".into(), value: place.word().into(), emitter: None });
            if place == Place::Quay && self.time > 30.0 {
                tell(Said::Event { name: "dive.end".into(), emitter: None });
                self.begun = false;
            }
        }
        let deck = material(self.at);
        if deck != self.deck {
            self.deck = deck;
            tell(Said::State { name: "deck".into(), value: deck.into(), emitter: None });
        }
        // Now and then everything is said again, so that who comes late knows it too.
        self.since_told += seconds;
        let again = self.since_told >= 1.0;
        if again {
            self.since_told = 0.0;
        }
        for number in &mut self.numbers {
            if number.told.is_nan() || (number.now - number.told).abs() >= number.least_change || (again && number.now != number.told) {
                number.told = number.now;
                tell(Said::Parameter { name: number.name.into(), value: number.now, emitter: None });
            }
        }
        tell(Said::Listener { at: [self.at[0], self.at[1], 0.0], yaw: Some(self.yaw) });
        for (id, kind, at, yaw, told) in
            [("eel", "eel", self.eel, Some(self.eel_yaw), &mut self.told_eel), ("bell", "bell", self.bell, None, &mut self.told_bell)]
        {
            if again || told[0].is_nan() || apart(at, *told) > 0.01 {
                *told = at;
                tell(Said::Emitter { id: id.into(), kind: kind.into(), at: [at[0], at[1], 0.0], yaw });
            }
        }
    }
}
