//! Where the listener and the emitters are, as far as the game (or a playthrough) says.

use super::BLOCK;
use crate::names::NameKey;

/// The name under which the listener is an emitter too.
pub const LISTENER_NAME: &str = "listener";

/// The most emitters at once. Further ones have no place; what plays at them is not placed.
pub const MOST_EMITTERS: usize = 1024;

/// Somewhere, or on the way there in a straight line.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Emitter {
    pub(crate) key: NameKey,
    pub(crate) kind: NameKey,
    /// Whether the game has said where it is, and not that it is gone.
    pub(crate) present: bool,
    from: [f32; 3],
    to: [f32; 3],
    begin: u64,
    end: u64,
    /// Degrees clockwise from north.
    pub(crate) facing: f32,
    pub(crate) at: [f32; 3],
    /// Metres in a second, followed over about 100 ms.
    pub(crate) speed: f32,
}

impl Emitter {
    fn new(key: NameKey) -> Emitter {
        let zero = [0.0; 3];
        Emitter { key, kind: NameKey::NONE, present: false, from: zero, to: zero, begin: 0, end: 0, facing: 0.0, at: zero, speed: 0.0 }
    }

    fn place(&mut self, to: [f32; 3], facing: Option<f32>, frame: u64, frames: u64) {
        self.from = if frames == 0 { to } else { self.at };
        (self.to, self.begin, self.end) = (to, frame, frame + frames);
        if frames == 0 || !self.present {
            self.at = if self.present { self.at } else { to };
        }
        self.present = true;
        self.facing = facing.unwrap_or(self.facing);
    }

    /// Goes on by a block; gives whether anything about it changed.
    fn follow(&mut self, frame: u64, rate: u32) -> bool {
        let now = if frame >= self.end {
            self.to
        } else {
            let t = frame.saturating_sub(self.begin) as f32 / (self.end - self.begin) as f32;
            std::array::from_fn(|i| self.from[i] + (self.to[i] - self.from[i]) * t)
        };
        let speed = length(&now, &self.at) * rate as f32 / BLOCK as f32;
        let moved = now != self.at || self.speed > 0.0;
        self.at = now;
        self.speed += (speed - self.speed) * 0.03;
        if speed == 0.0 && self.speed < 1e-3 {
            self.speed = 0.0;
        }
        moved
    }
}

/// The distance between two points.
fn length(a: &[f32; 3], b: &[f32; 3]) -> f32 {
    a.iter().zip(b).map(|(a, b)| (a - b) * (a - b)).sum::<f32>().sqrt()
}

/// The listener and all emitters.
#[derive(Debug)]
pub(crate) struct World {
    pub(crate) listener: Emitter,
    pub(crate) emitters: Vec<Emitter>,
    /// The keys of `emitters`, to find one quickly.
    keys: Vec<NameKey>,
}

impl World {
    pub(crate) fn new() -> World {
        let mut listener = Emitter::new(NameKey::of(LISTENER_NAME));
        listener.present = true;
        World { listener, emitters: Vec::with_capacity(MOST_EMITTERS), keys: Vec::with_capacity(MOST_EMITTERS) }
    }

    pub(crate) fn find(&self, key: NameKey) -> Option<usize> {
        if key.is_none() { None } else { self.keys.iter().position(|k| *k == key) }
    }

    /// Its place, made if need be; `None` if there is no room. One that is gone makes room.
    pub(crate) fn find_or_make(&mut self, key: NameKey, used: impl Fn(usize) -> bool) -> Option<usize> {
        if key.is_none() {
            return None;
        }
        if let Some(at) = self.find(key) {
            return Some(at);
        }
        if self.keys.len() < MOST_EMITTERS {
            self.keys.push(key);
            self.emitters.push(Emitter::new(key));
            return Some(self.keys.len() - 1);
        }
        let free = (0..self.keys.len()).find(|at| !self.emitters[*at].present && !used(*at))?;
        self.keys[free] = key;
        self.emitters[free] = Emitter::new(key);
        Some(free)
    }

    pub(crate) fn place(&mut self, at: Option<usize>, to: [f32; 3], facing: Option<f32>, frame: u64, frames: u64) {
        match at {
            None => self.listener.place(to, facing, frame, frames),
            Some(at) => self.emitters[at].place(to, facing, frame, frames),
        }
    }

    /// Lets all go on their way by a block.
    pub(crate) fn follow(&mut self, frame: u64, rate: u32) {
        self.listener.follow(frame, rate);
        for emitter in self.emitters.iter_mut().filter(|e| e.present) {
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
        self.emitters.get(usize::from(place)).filter(|e| e.present).map(|e| self.distance(e))
    }

    /// Degrees from where the listener looks, −180 to 180; to the right is above 0.
    pub(crate) fn bearing(&self, emitter: &Emitter) -> f32 {
        let (east, north) = (emitter.at[0] - self.listener.at[0], emitter.at[1] - self.listener.at[1]);
        if east == 0.0 && north == 0.0 {
            return 0.0;
        }
        let degrees = east.atan2(north).to_degrees() - self.listener.facing;
        (degrees + 180.0).rem_euclid(360.0) - 180.0
    }

    /// How many emitters of a kind are within `radius` metres of the listener.
    pub(crate) fn count(&self, kind: NameKey, radius: f32) -> usize {
        self.emitters.iter().filter(|e| e.present && e.kind == kind && self.distance(e) <= radius).count()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn distance_bearing_and_count_are_what_they_say() {
        let mut world = World::new();
        world.place(None, [10.0, 0.0, 0.0], Some(90.0), 0, 0);
        for (name, at) in [("ahead", [13.0, 0.0, 4.0]), ("left", [10.0, 2.0, 0.0]), ("behind", [-90.0, 0.0, 0.0])] {
            let place = world.find_or_make(NameKey::of(name), |_| true);
            world.place(place, at, None, 0, 0);
            world.emitters[place.unwrap()].kind = NameKey::of("eel");
        }
        world.follow(64, 48_000);
        let of = |name: &str| world.named(NameKey::of(name)).unwrap();
        assert_eq!(world.distance(of("ahead")), 5.0);
        assert!(world.bearing(of("ahead")).abs() < 1e-3);
        assert!((world.bearing(of("left")) + 90.0).abs() < 1e-3);
        assert!((world.bearing(of("behind")).abs() - 180.0).abs() < 1e-3);
        assert_eq!(world.count(NameKey::of("eel"), 6.0), 2);
        assert!(world.named(NameKey::of("nobody")).is_none());
    }

    #[test]
    fn a_way_is_walked_at_an_even_speed() {
        let mut world = World::new();
        let place = world.find_or_make(NameKey::of("bell"), |_| true).unwrap();
        world.place(Some(place), [0.0; 3], None, 0, 0);
        world.place(Some(place), [20.0, 0.0, 0.0], None, 0, 480_000);
        for block in 1..=3750u64 {
            world.follow(block * 64, 48_000);
        }
        let bell = &world.emitters[place];
        assert!((bell.at[0] - 10.0).abs() < 1e-3, "{:?}", bell.at);
        assert!((bell.speed - 2.0).abs() < 0.02, "{}", bell.speed);
    }

    #[test]
    fn a_full_world_gives_only_the_places_of_those_who_are_gone() {
        let mut world = World::new();
        for n in 0..MOST_EMITTERS {
            let place = world.find_or_make(NameKey(n as u64 + 1), |_| true);
            world.place(place, [0.0; 3], None, 0, 0);
        }
        assert_eq!(world.find_or_make(NameKey(9_999), |_| false), None);
        world.emitters[7].present = false;
        assert_eq!(world.find_or_make(NameKey(9_999), |at| at == 7), None, "something still plays there");
        assert_eq!(world.find_or_make(NameKey(9_999), |_| false), Some(7));
    }
}
