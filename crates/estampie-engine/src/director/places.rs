//! Where the listener is and what follows from it: zones entered and left, rooms, what plays by itself, one-shots and flocks.

use super::Directing;
use super::{By, Work};
use crate::ground::index::SoundIndex;
use crate::ground::names::NameKey;
use crate::ground::random::Stream;
use crate::ground::telemetry::{Cause, Notice, Reason, What};
use crate::ground::time::BLOCK;
use crate::ground::vocabulary::WhenGone;
use crate::program::Program;
use crate::world::flock::{FlockState, Move};
use crate::world::geometry::{Ground, apart, nearest_on_segment};
use crate::world::propagation::{Within, share_through};
use crate::world::spec::{Amount, MOST_ROOMS, PlaysFor, Stand, Zone};

/// Flocks are looked after every so many blocks (5 ms at 48 kHz).
const LOOK: u64 = 4;
/// What plays by itself is looked after in so many turns.
const TURNS: usize = 8;
/// A sound that could not start by itself is tried again after so many milliseconds.
const AGAIN_MS: u64 = 100;
/// What is left of a zone below this is nothing.
const LEAST: f32 = 0.001;

/// The keys of the places of what stays are made of this one and the voice.
const STAYED: NameKey = NameKey(u64::MAX);

/// What the outermost sound that says so does when its emitter goes.
fn when_gone(program: &Program, sounds: &[SoundIndex]) -> Option<WhenGone> {
    sounds.iter().find_map(|s| program.sounds[*s].when_gone)
}

/// A zone as the listener has it.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct ZoneState {
    pub(crate) inside: bool,
    /// How deep inside, 0 to 1, by its margin; as it last was when he has left.
    pub(crate) depth: f32,
    /// How much of it there should be, and is: followed over its fade.
    target: f32,
    pub(crate) share: f32,
}

/// What plays by itself.
#[derive(Debug, Clone, Copy, Default)]
struct PlayState {
    on: bool,
    /// It is not tried again before this frame.
    again: u64,
    /// Whether it has been said that it could not start.
    said: bool,
}

/// Single sounds at drawn places.
#[derive(Debug, Clone)]
struct OneShotsState {
    /// The frame of the last one, or on which they began, and the seconds drawn from there to the next.
    last: Option<(u64, f32)>,
    draws: Stream,
}

/// The memory of places.
#[derive(Debug, Clone)]
pub(crate) struct Places {
    pub(crate) zones: Vec<ZoneState>,
    /// The zones that the listener is in.
    pub(crate) near: Within,
    /// Zones of which there is anything.
    active: Vec<u32>,
    /// Zones that were passed through within one block.
    passed: Vec<u32>,
    /// How open each doorway is.
    pub(crate) open: Vec<f32>,
    /// What placed sounds send to the returns of rooms, as gains.
    pub(crate) rooms: [f32; MOST_ROOMS],
    /// For each state, the zone that sets it.
    holders: Vec<Option<u32>>,
    /// For each state, the value that it has where no zone sets it: what was last set by anything else.
    pub(crate) outside: Vec<u16>,
    plays: Vec<PlayState>,
    one_shots: Vec<OneShotsState>,
    pub(crate) flocks: Vec<FlockState>,
    /// Everything has been let go; nothing begins by itself until the game says something.
    pub(crate) still: bool,
    first: bool,
}

impl Places {
    pub(crate) fn new(program: &Program, seed: u64) -> Places {
        let world = &program.world;
        Places {
            zones: vec![ZoneState::default(); world.zones.len()],
            near: Within::default(),
            active: Vec::with_capacity(world.zones.len()),
            passed: Vec::with_capacity(world.zones.len()),
            open: vec![0.0; world.doorways.len()],
            rooms: [0.0; MOST_ROOMS],
            holders: vec![None; program.states.len()],
            outside: program.states.iter().map(|s| s.start).collect(),
            plays: vec![PlayState::default(); world.plays.len()],
            one_shots: world.one_shots.iter().map(|s| OneShotsState { last: None, draws: Stream::new(seed, s.key, 7) }).collect(),
            flocks: world.flocks.iter().map(|f| FlockState::new(f, seed)).collect(),
            still: false,
            first: true,
        }
    }

    /// Goes on where `old` is. Does not allocate.
    pub(crate) fn take_over(&mut self, old: &Places, new: &Program, before: &Program) {
        for (at, state) in new.states.iter().enumerate() {
            let Some(earlier) = before.find_state.get(state.key) else { continue };
            let zone = old.holders[earlier].map(|z| before.world.zones[z as usize].key);
            self.holders[at] = zone.and_then(|z| new.world.find_zone.get(z)).map(|z| z as u32);
            let value = before.states[earlier].values[usize::from(old.outside[earlier])];
            if let Some(kept) = state.values.iter().position(|v| *v == value) {
                self.outside[at] = kept as u16;
            }
        }
        let (new, before) = (&new.world, &before.world);
        for (at, zone) in new.zones.iter().enumerate() {
            if let Some(earlier) = before.find_zone.get(zone.key) {
                self.zones[at] = old.zones[earlier];
                self.active.push(at as u32);
            }
        }
        for (at, play) in new.plays.iter().enumerate() {
            if let Some(earlier) = before.plays.iter().position(|p| p.key == play.key) {
                self.plays[at] = old.plays[earlier];
            }
        }
        for (at, one_shots) in new.one_shots.iter().enumerate() {
            if let Some(earlier) = before.one_shots.iter().position(|s| s.key == one_shots.key) {
                self.one_shots[at] = old.one_shots[earlier].clone();
            }
        }
        for (at, flock) in new.flocks.iter().enumerate() {
            if let Some(earlier) = before.flocks.iter().position(|f| f.key == flock.key) {
                self.flocks[at].take_over(&old.flocks[earlier]);
            }
        }
        (self.rooms, self.still, self.first) = (old.rooms, old.still, old.first);
    }

    /// Everything is let go.
    pub(crate) fn still(&mut self) {
        self.still = true;
        self.plays.fill(PlayState { on: true, ..PlayState::default() });
    }

    /// The game says something: what plays by itself may begin again.
    pub(crate) fn stir(&mut self) {
        if std::mem::take(&mut self.still) {
            self.plays.fill(PlayState::default());
            for one_shots in &mut self.one_shots {
                one_shots.last = None;
            }
        }
    }
}

impl Directing<'_> {
    /// A number that stands or that a parameter gives.
    fn amount(&self, amount: &Amount) -> f32 {
        amount.now(|p| self.state.parameters[p].smooth)
    }

    /// Looks where the listener is, and does what follows from it.
    pub(crate) fn follow_places(&mut self) {
        let program = self.program;
        if !program.world.any() {
            return;
        }
        for (at, doorway) in program.world.doorways.iter().enumerate() {
            self.state.places.open[at] = self.amount(&doorway.open).clamp(0.0, 1.0);
        }
        self.enter_and_leave();
        self.set_place();
        self.follow_presence();
        if !self.state.places.still {
            self.play_by_itself();
            self.one_shots();
        }
        self.follow_flocks();
        self.state.places.first = false;
    }

    /// Tells of zones entered, left, and passed through within this block.
    fn enter_and_leave(&mut self) {
        let program = self.program;
        let spec = &program.world;
        let (from, to, leapt) = (self.world.listener.before, self.world.listener.at, self.world.leapt);
        let near = Within::at(spec, to);
        let places = &mut self.state.places;
        places.near = near;
        places.passed.clear();
        if !leapt && from != to {
            let (a, b): (Ground, Ground) = ([from[0], from[1]], [to[0], to[1]]);
            let zones = &places.zones;
            let passed = &mut places.passed;
            spec.zone_index.meet([a[0].min(b[0]), a[1].min(b[1])], [a[0].max(b[0]), a[1].max(b[1])], |at| {
                let zone = &spec.zones[at as usize];
                let level = from[2].max(to[2]) >= zone.height.0 && from[2].min(to[2]) <= zone.height.1;
                if !zones[at as usize].inside && !near.has(at) && level && zone.form.between(a, b) {
                    passed.push(at);
                }
            });
            places.passed.sort_unstable();
        }
        for at in 0..self.state.places.passed.len() {
            let zone = self.state.places.passed[at];
            self.pass_edge(zone, true);
            self.pass_edge(zone, false);
        }
        for at in 0..self.state.places.active.len() {
            let zone = self.state.places.active[at];
            if self.state.places.zones[zone as usize].inside && !near.has(zone) {
                self.pass_edge(zone, false);
            }
        }
        for zone in near.zones() {
            if !self.state.places.zones[usize::from(*zone)].inside {
                self.pass_edge(u32::from(*zone), true);
            }
        }
    }

    fn pass_edge(&mut self, zone: u32, enters: bool) {
        let program = self.program;
        let places = &mut self.state.places;
        places.zones[zone as usize].inside = enters;
        if enters && !places.active.contains(&zone) {
            places.active.push(zone);
        }
        let spec = &program.world.zones[zone as usize];
        if spec.shelter {
            return;
        }
        self.outlets.tell(self.frame, What::Zone { zone: spec.key, entered: enters });
        self.director.work.clear();
        self.director.work.push(Work::Zone(zone, enters));
        self.work_off(0);
    }

    /// Of the zones that set a state, the one of the highest order, or of equal ones the smallest, does; where none does, the state has
    /// the value again that it was last given by anything else.
    fn set_place(&mut self) {
        let program = self.program;
        let zones = &program.world.zones;
        let near = self.state.places.near;
        let area = |z: &Zone| z.form.area();
        for state in 0..program.states.len() {
            let holds = near.zones().iter().map(|z| u32::from(*z)).filter(|z| zones[*z as usize].state.is_some_and(|s| s.0 == state));
            let first = holds.max_by(|a, b| {
                let (a, b) = (&zones[*a as usize], &zones[*b as usize]);
                a.order.cmp(&b.order).then(area(b).total_cmp(&area(a)))
            });
            let before = self.state.places.holders[state];
            if first == before {
                continue;
            }
            self.state.places.holders[state] = first;
            let value = |zone: u32| zones[zone as usize].state.map(|s| s.1);
            let now = self.state.states[state];
            let (to, zone) = match (first, before) {
                (Some(first), _) => (value(first), first),
                // What was set meanwhile by the game or a reaction stays.
                (None, Some(before)) => (value(before).filter(|v| *v == now).map(|_| self.state.places.outside[state]), before),
                (None, None) => continue,
            };
            if let Some(to) = to.filter(|to| *to != now) {
                self.director.work.clear();
                let outside = self.state.places.outside[state];
                self.set_state(state, to, self.frame, By { reaction: zones[zone as usize].key, emitter: NameKey::NONE });
                self.state.places.outside[state] = outside;
                self.work_off(0);
            }
        }
    }

    /// How much there is of each zone, and what its room sends.
    fn follow_presence(&mut self) {
        let program = self.program;
        let spec = &program.world;
        let (ear, ground) = (self.world.listener.at, self.world.listener.ground());
        let places = &mut self.state.places;
        for zone in &places.active {
            let (spec, now) = (&spec.zones[*zone as usize], &mut places.zones[*zone as usize]);
            if now.inside {
                now.depth = spec.depth(ear);
            }
            now.target = if now.inside { now.depth } else { 0.0 };
        }
        for (doorway, open) in spec.doorways.iter().zip(&places.open) {
            let far = apart(nearest_on_segment(ground, doorway.line[0], doorway.line[1]), ground);
            if *open <= 0.0 || far >= doorway.reach_metres {
                continue;
            }
            // On the threshold of an open door both rooms are there by halves.
            let bleed = 0.5 * share_through(*open) * (1.0 - far / doorway.reach_metres);
            for side in doorway.sides.into_iter().flatten() {
                let now = &mut places.zones[side as usize];
                now.target = if now.inside { (now.target * (1.0 - bleed)).max(bleed) } else { now.target.max(bleed) };
                if !places.active.contains(&side) {
                    places.active.push(side);
                }
            }
        }
        places.rooms = [0.0; MOST_ROOMS];
        let first = places.first;
        let (zones, rooms) = (&mut places.zones, &mut places.rooms);
        places.active.retain(|zone| {
            let (spec, now) = (&spec.zones[*zone as usize], &mut zones[*zone as usize]);
            now.share = if first { now.target } else { now.share + (now.target - now.share) * spec.follow_per_block };
            if now.target == 0.0 && now.share < LEAST {
                now.share = 0.0;
            }
            for (room, gain) in &spec.reverb {
                rooms[usize::from(*room)] += gain * now.share;
            }
            now.inside || now.share > 0.0
        });
    }

    /// Begins and ends what plays by itself.
    fn play_by_itself(&mut self) {
        let program = self.program;
        let turn = if self.state.places.first { None } else { Some((self.frame / BLOCK as u64) as usize % TURNS) };
        for (at, play) in program.world.plays.iter().enumerate() {
            if turn.is_some_and(|t| at % TURNS != t) {
                continue;
            }
            let wanted = match play.of {
                PlaysFor::Emitter => self.world.named(play.at).is_some(),
                PlaysFor::Zone(zone) => {
                    let zone = &self.state.places.zones[zone as usize];
                    zone.inside || zone.share > LEAST
                }
            };
            let now = self.state.places.plays[at];
            if wanted && !now.on && self.frame >= now.again {
                let by = By { emitter: play.at, ..By::default() };
                let begun = self.start(play.sound, 0, by);
                let now = &mut self.state.places.plays[at];
                match begun {
                    Ok(()) => *now = PlayState { on: true, ..PlayState::default() },
                    Err(reason) => {
                        now.again = self.frame + u64::from(program.rate) * AGAIN_MS / 1000;
                        let said = std::mem::replace(&mut now.said, true);
                        if !said && reason != Reason::Loading {
                            self.refuse(play.sound, 0, by, reason);
                        }
                    }
                }
            } else if !wanted && now.on {
                self.state.places.plays[at] = PlayState::default();
                self.stop(play.sound, Some(play.at), None, 0);
            }
        }
    }

    /// Single sounds at drawn places.
    fn one_shots(&mut self) {
        let program = self.program;
        let end = self.frame + BLOCK as u64;
        for (at, spec) in program.world.one_shots.iter().enumerate() {
            let pace = self.amount(&spec.pace).max(0.01) * self.director.rehearsed.waits;
            let now = &mut self.state.places.one_shots[at];
            let Some((last, drawn)) = now.last else {
                now.last = Some((self.frame, now.draws.between(spec.every)));
                continue;
            };
            // What the pace is now counts at once.
            let wait = (f64::from(drawn * pace) * f64::from(program.rate)).round() as u64;
            let due = (last + wait).max(self.frame);
            if due >= end {
                continue;
            }
            now.last = Some((due + u64::from(wait == 0), now.draws.between(spec.every)));
            // All is drawn whether or not it sounds, so that what holds now does not move later draws.
            let (far, aside) = (now.draws.between(spec.around), now.draws.between(spec.bearing));
            let (up, heading) = (now.draws.between(spec.height), now.draws.between((0.0, std::f32::consts::TAU)));
            let state = &*self.state;
            if !spec.during.iter().all(|t| super::memory::holds(program, state, *t, crate::mixer::voice::NOWHERE, due)) {
                continue;
            }
            let ear = &self.world.listener;
            let angle = (ear.facing + aside).to_radians();
            let mut spot = [ear.at[0] + far * angle.sin(), ear.at[1] + far * angle.cos(), ear.at[2] + up];
            if let Some(form) = &spec.within {
                spot[2] = up;
                if !form.contains([spot[0], spot[1]]) {
                    continue;
                }
            }
            let busy = |key: &NameKey| self.mixer.voices.all().any(|voice| voice.emitter == *key);
            let by = By::default();
            let Some(key) = spec.members.iter().copied().find(|key| !busy(key)) else {
                self.refuse(spec.sound, 0, by, Reason::All { limit: spec.members.len() as u32 });
                continue;
            };
            let Some(place) = self.world.find(key) else { continue };
            let (from, to, frames) = match spec.passing {
                None => (spot, spot, 0),
                Some((long, speed)) => {
                    let step = [heading.sin() * long / 2.0, heading.cos() * long / 2.0];
                    let end = |sign: f32| [spot[0] + sign * step[0], spot[1] + sign * step[1], spot[2]];
                    (end(-1.0), end(1.0), (f64::from(long / speed) * f64::from(program.rate)) as u64)
                }
            };
            self.world.put(place, from, to, due, frames);
            self.play(spec.sound, due.saturating_sub(self.frame) as usize, By { emitter: key, ..by });
        }
    }

    /// Flocks fill and leave places, and sound.
    fn follow_flocks(&mut self) {
        let program = self.program;
        if program.world.flocks.is_empty() || !(self.frame / BLOCK as u64).is_multiple_of(LOOK) {
            return;
        }
        let still = self.state.places.still;
        let (begin, end) = (self.frame, self.frame + LOOK * BLOCK as u64);
        let mut moves = [None; 64];
        for (at, spec) in program.world.flocks.iter().enumerate() {
            let density = if still { -1.0 } else { self.amount(&spec.density) };
            let pace = self.amount(&spec.pace).max(0.01) * self.director.rehearsed.waits;
            let mut count = 0;
            let flock = &mut self.state.places.flocks[at];
            let world = &mut self.world;
            flock.follow(spec, world.listener.at, (density, pace), (begin, end), program.rate, |what| {
                match what {
                    Move::Fill(member, to) => {
                        if let Some(place) = world.find(spec.members[member]) {
                            world.put(place, to, to, begin, 0);
                        }
                    }
                    Move::Leave(member) => {
                        if let Some(place) = world.find(spec.members[member]) {
                            world.emitters[place].present = false;
                        }
                    }
                    Move::Sound(..) => {}
                }
                if !matches!(what, Move::Fill(..)) && count < moves.len() {
                    moves[count] = Some(what);
                    count += 1;
                }
            });
            for what in moves[..count].iter().flatten() {
                match what {
                    Move::Sound(member, frame) => {
                        let by = By { emitter: spec.members[*member], ..By::default() };
                        self.play(spec.sound, frame.saturating_sub(self.frame) as usize, by);
                    }
                    Move::Leave(member) => {
                        self.stop(spec.sound, Some(spec.members[*member]), None, 0);
                    }
                    Move::Fill(..) => {}
                }
            }
        }
    }

    /// The game removes an emitter: what plays at it stays where it was, goes on or is let go, as its sound says.
    pub(crate) fn remove(&mut self, emitter: NameKey, offset: u64) {
        let program = self.program;
        let Some(at) = self.world.find(emitter) else { return };
        self.world.emitters[at].present = false;
        for repeater in self.director.repeaters.iter_mut().filter(|r| r.by.emitter == emitter) {
            // What it has begun goes on by itself; further ones would be nowhere.
            repeater.done |= when_gone(program, repeater.route.sounds()) != Some(WhenGone::Follows);
        }
        // What sounds at it fades where it was.
        let least = u64::from(program.rate) / 20;
        for index in 0..self.mixer.voices.count() {
            let slot = self.mixer.voices.slot(index);
            let voice = &self.mixer.voices[slot];
            if voice.emitter != emitter || voice.stayed || !voice.stays() {
                continue;
            }
            let unsaid = if voice.endless() { WhenGone::Fades } else { WhenGone::Stays };
            let mut what = when_gone(program, voice.sounds()).unwrap_or(unsaid);
            if what == WhenGone::Stays {
                // A place of its own, known by the voice: there are never more of them than voices.
                match self.make_place(STAYED.with(u64::from(slot)), self.frame) {
                    Some(place) => {
                        self.world.stay(at, place);
                        self.state.stay(program.locals, at, place);
                        let voice = &mut self.mixer.voices[slot];
                        (voice.place, voice.stayed) = (place as u16, true);
                    }
                    None => what = WhenGone::Fades,
                }
            }
            if what == WhenGone::Fades {
                let voice = &mut self.mixer.voices[slot];
                let release = voice.envelope.release_frames().max(least);
                voice.leave(Cause::Gone, offset, release);
            }
        }
    }

    /// After an edit: what played by itself somewhere and is no longer to is let go.
    pub(super) fn end_plays(&mut self, old: &Program, places: &Places) {
        let program = self.program;
        for (play, _) in old.world.plays.iter().zip(&places.plays).filter(|(_, s)| s.on) {
            if program.world.plays.iter().any(|p| p.key == play.key) {
                continue;
            }
            // A sound that is gone too fades out by itself.
            if let Some(sound) = program.find_sound.get(old.sounds[play.sound].key) {
                self.stop(sound, Some(play.at), None, 0);
            }
        }
    }

    /// Makes the emitters of the program.
    pub(crate) fn settle_world(&mut self) {
        let program = self.program;
        if !self.world.settle(&program.world) {
            let key = program.world.sources.last().map_or(NameKey::NONE, |s| s.key);
            self.outlets.tell(self.frame, What::Notice(Notice::NoPlace(key)));
        }
        // Members whose flock begins anew are nowhere.
        for source in &program.world.sources {
            if matches!(source.stand, Stand::Member)
                && let Some(at) = self.world.find(source.key)
                && self.state.places.flocks.iter().zip(&program.world.flocks).any(|(f, s)| f.count() == 0 && s.members.contains(&source.key))
            {
                self.world.emitters[at].present = false;
            }
        }
    }
}
