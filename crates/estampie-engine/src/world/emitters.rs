//! Where the listener and the emitters are, as far as the game, a playthrough or the project says.

use super::geometry::{Form, Ground, along, apart, length, length_of, nearest_on};
use super::hearing::{Ears, Hearing};
use crate::ground::names::NameKey;
use crate::ground::time::BLOCK;
use crate::world::spec::{Pass, Stand, World as Spec};

/// The name under which the listener is an emitter too.
pub const LISTENER_NAME: &str = "listener";

/// An emitter of this name is the point from which directions are heard, while distances and zones are the listener's.
pub const CAMERA_NAME: &str = "camera";

/// Some of the world's places.
pub(crate) struct PlaceSet([u64; MOST_EMITTERS / 64]);

impl Default for PlaceSet {
    fn default() -> Self {
        PlaceSet([0; MOST_EMITTERS / 64])
    }
}

impl PlaceSet {
    /// Adds a place; one beyond the last is none.
    pub(crate) fn add(&mut self, place: u16) {
        if let Some(word) = self.0.get_mut(usize::from(place) / 64) {
            *word |= 1 << (place % 64);
        }
    }

    fn fill(&mut self) {
        self.0.fill(u64::MAX);
    }

    fn has(&self, place: usize) -> bool {
        self.0[place / 64] >> (place % 64) & 1 == 1
    }
}

/// The most emitters at once. Further ones have no place; what plays at them is not placed.
pub const MOST_EMITTERS: usize = 8192;

/// What is told again within so many milliseconds is on a smooth way, if it is not faster than `FASTEST`.
const TOLD_AGAIN_MS: u64 = 100;

/// Places of the table of names: twice as many as there are emitters, so that it never fills.
const TABLE: usize = 2 * MOST_EMITTERS;
const EMPTY: u16 = u16::MAX;

/// Metres in a second; what is told to be farther off than that has jumped.
const FASTEST: f32 = 100.0;

/// Whoever goes somewhere has turned there in so many milliseconds at most.
const TURNED_MS: u64 = 350;

/// The nearest point of a trail glides: it follows in this time, in seconds, to 90 %.
const TRAIL_GLIDE: f64 = 0.12;

/// Somewhere, or on the way there in a straight line.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Emitter {
    pub(crate) key: NameKey,
    pub(crate) kind: NameKey,
    /// Whether the game has said where it is, and not that it is gone.
    pub(crate) present: bool,
    /// Whether it is where another one was, for what stays there.
    pub(crate) stays: bool,
    from: [f32; 3],
    to: [f32; 3],
    begin: u64,
    end: u64,
    /// Degrees clockwise from north.
    pub(crate) facing: f32,
    /// From and to which it turns, and until when.
    turn: (f32, f32, u64),
    pub(crate) at: [f32; 3],
    /// Where it was a block before.
    pub(crate) before: [f32; 3],
    /// Whether it is to be where it is going by no way, and whether the last block did so.
    jumped: bool,
    leapt: bool,
    /// When the game last told where it is.
    told: Option<u64>,
    /// The source of the project that it is, if it is one and the game has not taken it over.
    pub(crate) source: Option<u16>,
    /// Metres along its path.
    progress: f32,
    /// Metres in a second in the last block.
    pub(crate) speed: f32,
    /// Degrees in a second in the last block, whichever way round.
    pub(crate) turning: f32,
}

impl Emitter {
    fn new(key: NameKey) -> Emitter {
        let zero = [0.0; 3];
        Emitter {
            key,
            kind: NameKey::NONE,
            present: false,
            stays: false,
            from: zero,
            to: zero,
            begin: 0,
            end: 0,
            facing: 0.0,
            turn: (0.0, 0.0, 0),
            at: zero,
            before: zero,
            jumped: true,
            leapt: true,
            told: None,
            source: None,
            progress: 0.0,
            speed: 0.0,
            turning: 0.0,
        }
    }

    /// The game (or a playthrough) says where it is. Places told one after another in quick succession are a way: each is reached
    /// in the time that lay between the last two, so that a game that tells sixty times in a second does not make sixty jumps.
    fn place(&mut self, to: [f32; 3], facing: Option<f32>, frame: u64, frames: u64, rate: u32) {
        self.source = None;
        let since = self.told.map(|told| frame.saturating_sub(told));
        self.told = Some(frame);
        let again = since.filter(|s| {
            let way = length(&to, &self.at) * rate as f32;
            frames == 0 && *s > 0 && *s * 1000 <= u64::from(rate) * TOLD_AGAIN_MS && way <= FASTEST * *s as f32
        });
        let frames = again.unwrap_or(frames);
        let there = !self.present || since.is_none();
        self.from = if frames == 0 { to } else { self.at };
        (self.to, self.begin, self.end) = (to, frame, frame + frames);
        if frames == 0 {
            self.jumped = true;
            if there {
                (self.at, self.before) = (to, to);
            }
        }
        self.present = true;
        let turned = facing.unwrap_or(self.turn.1);
        // By the shorter way round.
        let from = turned - ((turned - self.facing + 180.0).rem_euclid(360.0) - 180.0);
        // However long the way is, it has soon turned.
        let until = frame + if again.is_some() { frames } else { frames.min(u64::from(rate) * TURNED_MS / 1000) };
        self.turn = (if frames == 0 { turned } else { from }, turned, until);
    }

    /// Is at a place of the project's.
    fn put(&mut self, at: [f32; 3], jumped: bool) {
        (self.from, self.to, self.begin, self.end) = (at, at, 0, 0);
        self.jumped |= jumped;
        if !self.present {
            (self.at, self.before) = (at, at);
        }
        self.present = true;
    }

    /// Goes on by a block.
    fn follow(&mut self, frame: u64, rate: u32) {
        let share = |end: u64| if frame >= end { 1.0 } else { frame.saturating_sub(self.begin) as f32 / (end - self.begin) as f32 };
        let (way, turned) = (share(self.end), share(self.turn.2));
        let now = if way == 1.0 { self.to } else { std::array::from_fn(|i| self.from[i] + (self.to[i] - self.from[i]) * way) };
        let facing = self.turn.0 + (self.turn.1 - self.turn.0) * turned;
        self.leapt = std::mem::take(&mut self.jumped);
        self.before = if self.leapt { now } else { self.at };
        let blocks = rate as f32 / BLOCK as f32;
        // Whoever jumps looks another way at once, and has not turned.
        self.turning = if self.leapt { 0.0 } else { ((facing - self.facing + 180.0).rem_euclid(360.0) - 180.0).abs() * blocks };
        self.facing = facing;
        self.speed = length(&now, &self.before) * blocks;
        self.at = now;
    }

    /// Metres in a second in each direction; none for what has jumped.
    pub(crate) fn velocity(&self, rate: u32) -> [f32; 3] {
        let scale = rate as f32 / BLOCK as f32;
        std::array::from_fn(|i| (self.at[i] - self.before[i]) * scale)
    }

    /// Its place on the map.
    pub(crate) fn ground(&self) -> Ground {
        [self.at[0], self.at[1]]
    }
}

/// The listener and all emitters.
#[derive(Debug)]
pub(crate) struct World {
    pub(crate) listener: Emitter,
    pub(crate) emitters: Vec<Emitter>,
    /// How each emitter is heard.
    pub(crate) hearings: Vec<Hearing>,
    /// The keys of `emitters`, and where each is found: places by hash, the next free one if it is taken.
    keys: Vec<NameKey>,
    room: usize,
    table: Vec<u16>,
    /// Whether the last block moved the listener by no way.
    pub(crate) leapt: bool,
    /// What all emitters are heard from.
    pub(super) ears: Ears,
}

impl World {
    /// With room for so many emitters, [`MOST_EMITTERS`] at most.
    pub(crate) fn new(room: usize) -> World {
        let mut listener = Emitter::new(NameKey::of(LISTENER_NAME));
        listener.present = true;
        let room = room.min(MOST_EMITTERS);
        let hearings = Vec::with_capacity(room);
        World {
            listener,
            emitters: Vec::with_capacity(room),
            hearings,
            keys: Vec::with_capacity(room),
            room,
            table: vec![EMPTY; TABLE],
            leapt: true,
            ears: Ears::default(),
        }
    }

    pub(crate) fn find(&self, key: NameKey) -> Option<usize> {
        if key.is_none() {
            return None;
        }
        let mut slot = key.0 as usize % TABLE;
        loop {
            match self.table[slot] {
                EMPTY => return None,
                at if self.keys[usize::from(at)] == key => return Some(usize::from(at)),
                _ => slot = (slot + 1) % TABLE,
            }
        }
    }

    /// Notes where the last of `keys`, or another, is found.
    fn note(&mut self, at: usize) {
        let mut slot = self.keys[at].0 as usize % TABLE;
        while self.table[slot] != EMPTY {
            slot = (slot + 1) % TABLE;
        }
        self.table[slot] = at as u16;
    }

    /// Its place, made if need be; `None` if there is no room. One that is gone makes room.
    ///
    /// The second is whether it was made. `used` marks the places at which something sounds; it is only asked when the world is full.
    pub(crate) fn find_or_make(&mut self, key: NameKey, used: impl FnOnce(&mut PlaceSet)) -> Option<(usize, bool)> {
        if key.is_none() {
            return None;
        }
        if let Some(at) = self.find(key) {
            return Some((at, false));
        }
        if self.keys.len() < self.room {
            self.keys.push(key);
            self.emitters.push(Emitter::new(key));
            self.hearings.push(Hearing::default());
            self.note(self.keys.len() - 1);
            return Some((self.keys.len() - 1, true));
        }
        let mut taken = PlaceSet::default();
        used(&mut taken);
        let free = (0..self.keys.len()).find(|at| !self.emitters[*at].present && !taken.has(*at))?;
        self.keys[free] = key;
        self.emitters[free] = Emitter::new(key);
        self.hearings[free] = Hearing::default();
        // One name less and one more: the table is made anew, which is as rare as a full world.
        self.table.fill(EMPTY);
        for at in 0..self.keys.len() {
            self.note(at);
        }
        Some((free, true))
    }

    pub(crate) fn place(&mut self, at: Option<usize>, to: [f32; 3], facing: Option<f32>, (frame, frames): (u64, u64), rate: u32) {
        match at {
            None => self.listener.place(to, facing, frame, frames, rate),
            Some(at) => self.emitters[at].place(to, facing, frame, frames, rate),
        }
    }

    /// Makes the emitter at `place` one that is where the one at `at` was last, for what stays there.
    pub(crate) fn stay(&mut self, at: usize, place: usize) {
        let was = self.emitters[at];
        self.hearings[place] = self.hearings[at].clone();
        self.emitters[place] = Emitter {
            key: self.keys[place],
            kind: was.kind,
            facing: was.facing,
            at: was.at,
            before: was.at,
            stays: true,
            jumped: false,
            leapt: false,
            ..Emitter::new(NameKey::NONE)
        };
    }

    /// Puts one of a flock or one-shots somewhere, and lets it go on to another place over so many frames.
    pub(crate) fn put(&mut self, at: usize, from: [f32; 3], to: [f32; 3], frame: u64, frames: u64) {
        let emitter = &mut self.emitters[at];
        emitter.present = false;
        emitter.put(from, true);
        (emitter.at, emitter.from, emitter.to, emitter.begin, emitter.end) = (from, from, to, frame, frame + frames);
        self.hearings[at] = Hearing::default();
    }

    /// Makes the emitters of a program, and lets go of those that it no longer has. Gives whether there was room for all.
    pub(crate) fn settle(&mut self, spec: &Spec) -> bool {
        let mut room = true;
        for emitter in &mut self.emitters {
            let gone = emitter.source.take().is_some() && !spec.sources.iter().any(|s| s.key == emitter.key);
            emitter.present &= !gone;
        }
        if self.listener.told.is_none() {
            let (at, facing) = spec.start;
            self.listener.put(at, true);
            self.listener.turn = (facing, facing, 0);
            self.listener.facing = facing;
            (self.listener.at, self.listener.before) = (at, at);
        }
        for (index, source) in spec.sources.iter().enumerate() {
            let Some((at, _)) = self.find_or_make(source.key, PlaceSet::fill) else {
                room = false;
                continue;
            };
            let emitter = &mut self.emitters[at];
            if emitter.told.is_some() {
                // The game has taken it over.
                continue;
            }
            emitter.source = Some(index as u16);
            emitter.kind = source.kind;
            emitter.turn = (source.facing_degrees, source.facing_degrees, 0);
            if !matches!(source.stand, Stand::Member) && !emitter.present {
                emitter.present = true;
                emitter.jumped = true;
                emitter.told = None;
                emitter.at = [f32::NAN; 3];
            }
        }
        for hearing in &mut self.hearings {
            hearing.zoned = [f32::NAN; 3];
            hearing.still = 0;
        }
        room
    }

    /// Lets all go on their way by a block. `held` gives the bearing of what is held at one.
    pub(crate) fn follow(&mut self, frame: u64, rate: u32, spec: &Spec, held: impl Fn(&crate::world::spec::Amount) -> f32) {
        self.listener.follow(frame, rate);
        self.leapt = self.listener.leapt;
        let leapt = self.leapt;
        let (ear, ground) = (self.listener.at, self.listener.ground());
        let glide = crate::dsp::block_coefficient(TRAIL_GLIDE, BLOCK, rate);
        for emitter in self.emitters.iter_mut().filter(|e| e.present) {
            if let Some(source) = emitter.source.and_then(|s| spec.sources.get(usize::from(s))) {
                let fresh = emitter.at[0].is_nan();
                let to = stand(&source.stand, (ear, ground), &mut emitter.progress, BLOCK as f32 / rate as f32, &held);
                if let Some(to) = to {
                    let glides = matches!(source.stand, Stand::Trail(..) | Stand::Area(..)) && !fresh && !leapt;
                    let to = if glides { glide_around(emitter.at, to, ear, glide) } else { to };
                    if fresh {
                        (emitter.at, emitter.before) = (to, to);
                    }
                    emitter.put(to, fresh || leapt && !matches!(source.stand, Stand::Still(_) | Stand::Path(..)));
                }
            }
            emitter.follow(frame, rate);
        }
    }

    /// The one of a name: an emitter that is present, or the listener.
    pub(crate) fn named(&self, key: NameKey) -> Option<&Emitter> {
        if key == self.listener.key {
            return Some(&self.listener);
        }
        self.find(key).map(|at| &self.emitters[at]).filter(|e| e.present)
    }

    /// Metres from the listener.
    pub(crate) fn distance(&self, emitter: &Emitter) -> f32 {
        length(&emitter.at, &self.listener.at)
    }

    /// The distance of the emitter at a place, if it is somewhere.
    pub(crate) fn distance_at(&self, place: u16) -> Option<f32> {
        self.emitters.get(usize::from(place)).filter(|e| e.present || e.stays).map(|e| self.distance(e))
    }

    /// Metres in a second by which an emitter and the listener have come nearer in the last block.
    pub(crate) fn approach(&self, emitter: &Emitter, rate: u32) -> f32 {
        (length(&emitter.before, &self.listener.before) - self.distance(emitter)) * rate as f32 / BLOCK as f32
    }

    /// Degrees from where the listener looks, −180 to 180; to the right is above 0.
    pub(crate) fn bearing(&self, emitter: &Emitter) -> f32 {
        bearing([emitter.at[0] - self.listener.at[0], emitter.at[1] - self.listener.at[1]], self.listener.facing)
    }

    /// How the emitter at a place is heard; one that has gone, where it was last. None of one that was nowhere.
    pub(crate) fn heard(&self, place: u16) -> Option<&Hearing> {
        self.hearings.get(usize::from(place)).filter(|h| h.known())
    }

    /// Something begins at an emitter: if that is nowhere, where it was once does not count.
    pub(crate) fn forget_gone(&mut self, place: u16) {
        if self.emitters.get(usize::from(place)).is_some_and(|e| !e.present) {
            self.hearings[usize::from(place)] = Hearing::default();
        }
    }

    /// The zone whose share fades what sounds at a place, if one does.
    pub(crate) fn fades_with(&self, spec: &Spec, place: u16) -> Option<usize> {
        let source = self.emitters.get(usize::from(place))?.source?;
        spec.sources.get(usize::from(source))?.fades_with.map(|z| z as usize)
    }

    /// The points of an emitter that is at several.
    pub(crate) fn points<'a>(&self, spec: &'a Spec, place: u16) -> Option<&'a [[f32; 3]]> {
        let source = self.emitters.get(usize::from(place))?.source?;
        match &spec.sources.get(usize::from(source))?.stand {
            Stand::Points(points) => Some(points),
            _ => None,
        }
    }

    /// How many emitters of a kind are within `radius` metres of the listener.
    pub(crate) fn count(&self, kind: NameKey, radius: f32) -> usize {
        self.emitters.iter().filter(|e| e.present && e.kind == kind && self.distance(e) <= radius).count()
    }
}

/// Goes a share of the way from one place to another, around the listener: bearing and distance move, each by itself, so that what glides
/// from one side to the other passes before or behind and never comes nearer than where it goes to.
fn glide_around(from: [f32; 3], to: [f32; 3], ear: [f32; 3], share: f32) -> [f32; 3] {
    let up = from[2] + (to[2] - from[2]) * share;
    let polar = |at: [f32; 3]| ((at[0] - ear[0]).hypot(at[1] - ear[1]), (at[0] - ear[0]).atan2(at[1] - ear[1]));
    let ((far, angle), (far_to, angle_to)) = (polar(from), polar(to));
    if far < 0.05 || far_to < 0.05 {
        // At one's own place there is no direction.
        return [from[0] + (to[0] - from[0]) * share, from[1] + (to[1] - from[1]) * share, up];
    }
    let turn = (angle_to - angle + std::f32::consts::PI).rem_euclid(std::f32::consts::TAU) - std::f32::consts::PI;
    let (angle, far) = (angle + turn * share, (far + (far_to - far) * share).max(far_to));
    [ear[0] + far * angle.sin(), ear[1] + far * angle.cos(), up]
}

/// Degrees from `facing_degrees` to a direction on the map, −180 to 180; to the right is above 0.
#[must_use]
pub fn bearing([east, north]: Ground, facing_degrees: f32) -> f32 {
    if east == 0.0 && north == 0.0 {
        return 0.0;
    }
    let degrees = east.atan2(north).to_degrees() - facing_degrees;
    (degrees + 180.0).rem_euclid(360.0) - 180.0
}

/// Where a source of the project is now; `None` for those that are put somewhere.
fn stand(
    stand: &Stand,
    (ear, ground): ([f32; 3], Ground),
    progress: &mut f32,
    seconds: f32,
    held: impl Fn(&crate::world::spec::Amount) -> f32,
) -> Option<[f32; 3]> {
    let raised = |[x, y]: Ground, up: f32| [x, y, up];
    Some(match stand {
        Stand::Still(at) => *at,
        Stand::Path(line, up, speed, pass) => {
            let whole = length_of(line, *pass == Pass::Round);
            *progress += speed * seconds;
            let way = match pass {
                Pass::Once => progress.min(whole),
                Pass::Round if whole > 0.0 => {
                    *progress = progress.rem_euclid(whole);
                    *progress
                }
                Pass::Back if whole > 0.0 => {
                    *progress = progress.rem_euclid(2.0 * whole);
                    if *progress > whole { 2.0 * whole - *progress } else { *progress }
                }
                Pass::Round | Pass::Back => 0.0,
            };
            raised(along(line, *pass == Pass::Round, way), *up)
        }
        Stand::Trail(line, closed, up) => raised(nearest_on(line, *closed, ground), *up),
        Stand::Area(form, up) => raised(if form.contains(ground) { ground } else { form.edge(ground) }, *up),
        Stand::Points(points) => points.iter().copied().min_by(|a, b| length(a, &ear).total_cmp(&length(b, &ear)))?,
        Stand::Held(amount, distance) => {
            let angle = held(amount).to_radians();
            [ear[0] + distance * angle.sin(), ear[1] + distance * angle.cos(), ear[2]]
        }
        Stand::Member => return None,
    })
}

/// How wide something is heard because it is large: all around inside of it.
pub(crate) fn spread(stand: &Stand, ground: Ground) -> f32 {
    match stand {
        Stand::Area(form, _) if form.contains(ground) => 1.0,
        Stand::Area(form @ Form::Outline(_) | form @ Form::Circle(..), _) => {
            let (low, high) = form.bounds();
            let half = apart(low, high) / 2.0;
            half / (half + 4.0 * form.to_edge(ground)).max(1e-3)
        }
        _ => 0.0,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    const NO_ONE: fn(&crate::world::spec::Amount) -> f32 = |_| 0.0;

    #[test]
    fn distance_bearing_and_count_are_what_they_say() {
        let mut world = World::new(MOST_EMITTERS);
        world.place(None, [10.0, 0.0, 0.0], Some(90.0), (0, 0), 48_000);
        for (name, at) in [("ahead", [13.0, 0.0, 4.0]), ("left", [10.0, 2.0, 0.0]), ("behind", [-90.0, 0.0, 0.0])] {
            let place = world.find_or_make(NameKey::of(name), PlaceSet::fill).map(|(at, _)| at);
            world.place(place, at, None, (0, 0), 48_000);
            world.emitters[place.unwrap()].kind = NameKey::of("eel");
        }
        world.follow(64, 48_000, &Spec::default(), NO_ONE);
        let of = |name: &str| world.named(NameKey::of(name)).unwrap();
        assert_eq!(world.distance(of("ahead")), 5.0);
        assert!(world.bearing(of("ahead")).abs() < 1e-3);
        assert!((world.bearing(of("left")) + 90.0).abs() < 1e-3);
        assert!((world.bearing(of("behind")).abs() - 180.0).abs() < 1e-3);
        assert_eq!(world.count(NameKey::of("eel"), 6.0), 2);
        assert!(world.named(NameKey::of("nobody")).is_none());
    }

    #[test]
    fn what_glides_to_the_other_side_never_comes_nearer_than_it_is() {
        // Between the arms of a U, and in the middle of a round pond.
        let bend = Stand::Trail(vec![[-4.0, 20.0], [-4.0, 0.0], [4.0, 0.0], [4.0, 20.0]], false, 0.0);
        let pond = Stand::Trail((0..24).map(|n| std::f32::consts::TAU * n as f32 / 24.0).map(|a| [4.0 * a.sin(), 10.0 + 4.0 * a.cos()]).collect(), true, 0.0);
        for stand in [bend, pond] {
            let Stand::Trail(line, closed, _) = &stand else { continue };
            let line = (line.clone(), *closed);
            let key = NameKey::of("cable");
            let spec = Spec {
                sources: vec![crate::world::spec::Source { fades_with: None, key, kind: NameKey::NONE, stand, facing_degrees: 0.0 }],
                ..Spec::default()
            };
            let mut world = World::new(MOST_EMITTERS);
            assert!(world.settle(&spec));
            let mut moved = 0.0f32;
            for block in 1..4000u64 {
                // To and fro across the middle, and around it.
                let t = block as f32 / 400.0;
                let ear = [0.9 * (t * 2.1).sin(), 10.0 + 0.3 * (t * 1.3).cos(), 0.0];
                world.place(None, ear, None, (block * 64, 64), 48_000);
                world.follow((block + 1) * 64, 48_000, &spec, NO_ONE);
                let cable = world.named(key).unwrap();
                if block < 50 {
                    continue;
                }
                let true_distance = apart(nearest_on(&line.0, line.1, world.listener.ground()), world.listener.ground());
                assert!(world.distance(cable) > true_distance * 0.98, "{} where the trail is {true_distance} away", world.distance(cable));
                moved = moved.max(length(&cable.at, &cable.before));
            }
            assert!(moved > 0.001 && moved < 0.6, "it glides: {moved} m in a block");
        }
    }

    #[test]
    fn a_way_is_walked_at_an_even_speed() {
        let mut world = World::new(MOST_EMITTERS);
        let (place, made) = world.find_or_make(NameKey::of("bell"), PlaceSet::fill).unwrap();
        assert!(made && world.find_or_make(NameKey::of("bell"), PlaceSet::fill) == Some((place, false)));
        world.place(Some(place), [0.0; 3], None, (0, 0), 48_000);
        world.place(Some(place), [20.0, 0.0, 0.0], None, (0, 480_000), 48_000);
        for block in 1..=3750u64 {
            world.follow(block * 64, 48_000, &Spec::default(), NO_ONE);
        }
        let bell = &world.emitters[place];
        assert!((bell.at[0] - 10.0).abs() < 1e-3, "{:?}", bell.at);
        assert!((bell.speed - 2.0).abs() < 0.02, "{}", bell.speed);
    }

    #[test]
    fn a_full_world_gives_only_the_places_of_those_who_are_gone() {
        let mut world = World::new(MOST_EMITTERS);
        for n in 0..MOST_EMITTERS {
            let place = world.find_or_make(NameKey(n as u64 + 1), PlaceSet::fill).map(|(at, _)| at);
            world.place(place, [0.0; 3], None, (0, 0), 48_000);
        }
        assert_eq!(world.find_or_make(NameKey(9_999), |_| ()), None);
        world.emitters[7].present = false;
        assert_eq!(world.find_or_make(NameKey(9_999), |used| used.add(7)), None, "something still plays there");
        assert_eq!(world.find_or_make(NameKey(9_999), |used| used.add(8)), Some((7, true)));
    }
}
