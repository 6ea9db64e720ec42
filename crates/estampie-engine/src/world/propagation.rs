//! What place does to a sound on its way: path length and direction, what zones, doorways, shelters and walls take.
//!
//! Between the listener and an emitter:
//!
//! - **Zones.** Of every zone that holds the listener and not the emitter, what is heard of `outside`; of every one that holds the
//!   emitter and not the listener, what is heard of `inside`. They add up. Shelters alike.
//! - **Doorways.** One that leads from a zone of the listener to one of the emitter stands for those zones: by how open it is, from
//!   `closed` (or what the zones take, if that is less) to nothing. So far as it is open the sound comes from it, by the length of the
//!   way through it. The share of that way is the sine of a quarter turn of the openness: a gap already lets much through.
//! - **Walls.** Five straight ways, a metre apart at the emitter, are looked at; a wall takes its part for each that it stands in.
//!
//! What is taken follows in each thing's own time, and all together never faster than 0.3 dB in a block.

use super::geometry::{Ground, apart, crossing, length, through};
use crate::ground::ledger::TermKind;
use crate::ground::names::NameKey;
use crate::world::spec::{Muffle, World as Spec};

/// Ways that are looked at for walls, and how far apart they are at the emitter, in metres.
const WAYS: i32 = 5;
const APART: f32 = 1.0;
/// The most that walls take, in dB and octaves.
const MOST_WALLED: (f32, f32) = (-48.0, -7.0);
/// The most that is taken or given back in a block, in dB and octaves.
const MOST_STEP: (f32, f32) = (0.3, 0.1);
/// Zones that hold one thing, at most.
const MOST_WITHIN: usize = 8;
/// Doppler shifts are followed over this time, in seconds, and reach this far, in semitones.
pub(super) const DOPPLER: (f64, f32) = (0.03, 12.0);

/// The zones that hold a point.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Within {
    list: [u16; MOST_WITHIN],
    count: u8,
}

impl Within {
    /// Those at a point. Does not allocate.
    #[must_use]
    pub fn at(spec: &Spec, at: [f32; 3]) -> Within {
        let mut within = Within::default();
        if !spec.zones.is_empty() {
            let ground = [at[0], at[1]];
            spec.zone_index.meet(ground, ground, |zone| {
                if usize::from(within.count) < MOST_WITHIN && spec.zones[zone as usize].contains(at) {
                    within.list[usize::from(within.count)] = zone as u16;
                    within.count += 1;
                }
            });
            // The index gives them in no order.
            within.list[..usize::from(within.count)].sort_unstable();
        }
        within
    }

    /// Them, by their indices, rising.
    #[must_use]
    pub fn zones(&self) -> &[u16] {
        &self.list[..usize::from(self.count)]
    }

    pub(crate) fn has(&self, zone: u32) -> bool {
        self.zones().contains(&(zone as u16))
    }
}

/// What something takes just now.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Muffled {
    /// The name of what takes most.
    pub of: NameKey,
    /// dB, 0 or less.
    pub level_db: f32,
    /// Octaves from the open low-pass, 0 or less.
    pub low_pass_octaves: f32,
    follow: f32,
}

impl Muffled {
    /// Takes more; the name is that of what takes most.
    fn add(&mut self, of: NameKey, muffle: &Muffle, share: f32) {
        if muffle.level_db == 0.0 && muffle.low_pass_octaves == 0.0 || share <= 0.0 {
            return;
        }
        if self.of.is_none() || muffle.level_db * share < self.level_db {
            self.of = of;
        }
        self.follow = if self.follow == 0.0 { muffle.follow_per_block } else { self.follow.min(muffle.follow_per_block) };
        self.level_db += muffle.level_db * share;
        self.low_pass_octaves += muffle.low_pass_octaves * share;
    }

    /// The step of a block towards what it should be.
    fn step(&self, to: &Muffled) -> (f32, f32) {
        let follow = if to.follow > 0.0 { to.follow } else { self.follow };
        let step = |from: f32, to: f32| if (to - from).abs() < 1e-3 { to - from } else { (to - from) * follow };
        (step(self.level_db, to.level_db), step(self.low_pass_octaves, to.low_pass_octaves))
    }
}

/// Lets all that is taken go a block's step, together no more than there may be.
pub(super) fn follow(now: &mut [Muffled; 5], to: &[Muffled; 5]) {
    let steps: [(f32, f32); 5] = std::array::from_fn(|n| now[n].step(&to[n]));
    let share = |sum: f32, most: f32| if sum.abs() > most { most / sum.abs() } else { 1.0 };
    let level = share(steps.iter().map(|s| s.0).sum(), MOST_STEP.0);
    let low_pass = share(steps.iter().map(|s| s.1).sum(), MOST_STEP.1);
    for ((now, to), step) in now.iter_mut().zip(to).zip(steps) {
        now.level_db += step.0 * level;
        now.low_pass_octaves += step.1 * low_pass;
        if to.follow > 0.0 {
            now.follow = to.follow;
        }
        if !to.of.is_none() {
            now.of = to.of;
        }
    }
}

/// What can take something, in the order in which it is kept.
pub(crate) const TAKERS: [TermKind; 5] = [TermKind::Outside, TermKind::Inside, TermKind::Shelter, TermKind::Doorway, TermKind::Wall];
const OUTSIDE: usize = 0;
const INSIDE: usize = 1;
const SHELTER: usize = 2;
const DOORWAY: usize = 3;
pub(super) const WALL: usize = 4;

/// How a point is heard from another: the same for all sounds there.
#[derive(Debug, Clone, Copy, Default)]
pub struct Target {
    /// Metres by the way that it takes.
    pub metres: f32,
    /// Where it comes from, on the map, not of length 1.
    pub direction: Ground,
    /// How much of it comes by doorways.
    pub through: f32,
    /// What zones, shelters, doorways and walls take.
    pub taken: [Muffled; 5],
}

/// Works out how a point is heard from another. `open` are the doorways' openings.
#[must_use]
pub fn target(spec: &Spec, open: &[f32], (ear, near): ([f32; 3], &Within), (at, far): ([f32; 3], &Within)) -> Target {
    let mut found = Target { metres: length(&at, &ear), direction: [at[0] - ear[0], at[1] - ear[1]], ..Target::default() };
    for zone in near.zones().iter().filter(|z| !far.zones().contains(z)) {
        let zone = &spec.zones[usize::from(*zone)];
        found.taken[if zone.shelter { SHELTER } else { OUTSIDE }].add(zone.key, &zone.outside, 1.0);
    }
    for zone in far.zones().iter().filter(|z| !near.zones().contains(z)) {
        let zone = &spec.zones[usize::from(*zone)];
        found.taken[if zone.shelter { SHELTER } else { INSIDE }].add(zone.key, &zone.inside, 1.0);
    }
    if near != far {
        by_doorways(spec, open, (ear, near), (at, far), &mut found);
    }
    found
}

/// Lets a sound come by the doorways there are between two places.
fn by_doorways(spec: &Spec, open: &[f32], (ear, near): ([f32; 3], &Within), (at, far): ([f32; 3], &Within), found: &mut Target) {
    let on = |within: &Within, side: Option<u32>, other: Option<u32>| match side {
        Some(zone) => within.has(zone),
        None => !other.is_some_and(|o| within.has(o)),
    };
    let (here, there) = ([ear[0], ear[1]], [at[0], at[1]]);
    let (mut weight, mut towards, mut way, mut shut) = (0.0, [0.0; 2], 0.0, 1.0);
    let mut least: Option<(NameKey, Muffle)> = None;
    let zones = Muffle {
        level_db: found.taken[OUTSIDE].level_db + found.taken[INSIDE].level_db,
        low_pass_octaves: found.taken[OUTSIDE].low_pass_octaves + found.taken[INSIDE].low_pass_octaves,
        follow_per_block: found.taken[OUTSIDE].follow.max(found.taken[INSIDE].follow).max(1e-4),
    };
    for (doorway, open) in spec.doorways.iter().zip(open) {
        let [a, b] = doorway.sides;
        let leads = |near_side, far_side| {
            on(near, near_side, far_side) && on(far, far_side, near_side) && !(on(far, near_side, far_side) && on(near, far_side, near_side))
        };
        if !leads(a, b) && !leads(b, a) {
            continue;
        }
        let share = share_through(*open);
        let by = through(here, there, doorway.line[0], doorway.line[1]);
        let (first, second) = (apart(here, by), apart(by, there));
        let long = (first + second).hypot(at[2] - ear[2]);
        let closed = doorway.closed.unwrap_or(zones);
        let taken = Muffle {
            level_db: closed.level_db * (1.0 - share),
            low_pass_octaves: closed.low_pass_octaves * (1.0 - share),
            follow_per_block: closed.follow_per_block,
        };
        if least.is_none_or(|(_, m)| taken.level_db > m.level_db) {
            least = Some((doorway.key, taken));
        }
        let much = (share / long.max(0.5)).powi(2);
        // On the threshold itself there is no direction to the gap: it is where the sound is.
        let to = if first > 0.05 { [(by[0] - here[0]) / first, (by[1] - here[1]) / first] } else { unit(found.direction) };
        weight += much;
        way += long * much;
        towards = [towards[0] + to[0] * much, towards[1] + to[1] * much];
        shut *= 1.0 - share;
    }
    let Some((key, taken)) = least else { return };
    let share = 1.0 - shut;
    if taken.level_db >= zones.level_db {
        // What comes through the gap is more than what comes through the rest: it stands for the zones.
        (found.taken[OUTSIDE], found.taken[INSIDE]) =
            (Muffled { follow: taken.follow_per_block, ..Muffled::default() }, Muffled { follow: taken.follow_per_block, ..Muffled::default() });
        found.taken[DOORWAY] = Muffled { of: key, level_db: taken.level_db, low_pass_octaves: taken.low_pass_octaves, follow: taken.follow_per_block };
    }
    if weight > 0.0 {
        let straight = unit(found.direction);
        let gap = unit(towards);
        found.direction = [straight[0] * (1.0 - share) + gap[0] * share, straight[1] * (1.0 - share) + gap[1] * share];
        found.metres += (way / weight - found.metres) * share;
        found.through = share;
    }
}

/// The share of a sound that comes through a doorway so far open.
#[must_use]
pub(crate) fn share_through(open: f32) -> f32 {
    (open.clamp(0.0, 1.0) * std::f32::consts::FRAC_PI_2).sin()
}

fn unit(a: Ground) -> Ground {
    let far = a[0].hypot(a[1]);
    if far > 0.0 { [a[0] / far, a[1] / far] } else { [0.0; 2] }
}

/// What walls take between two points, in full.
#[must_use]
pub fn walled(spec: &Spec, ear: [f32; 3], at: [f32; 3]) -> Muffled {
    let mut taken = Muffled::default();
    if spec.walls.is_empty() {
        return taken;
    }
    let (here, there) = ([ear[0], ear[1]], [at[0], at[1]]);
    let ahead = unit([there[0] - here[0], there[1] - here[1]]);
    // Not wider than the way is long, so that near things are not hidden by what stands beside them.
    let step = APART.min(apart(here, there) / 4.0);
    let ends: [Ground; WAYS as usize] = std::array::from_fn(|n| {
        let aside = (n as i32 - WAYS / 2) as f32 * step;
        [there[0] - ahead[1] * aside, there[1] + ahead[0] * aside]
    });
    let (mut low, mut high) = (here, here);
    for end in ends {
        low = [low[0].min(end[0]), low[1].min(end[1])];
        high = [high[0].max(end[0]), high[1].max(end[1])];
    }
    spec.wall_index.meet(low, high, |index| {
        let wall = &spec.walls[index as usize];
        let mut stands = 0;
        for end in ends {
            if let Some(t) = crossing(here, end, wall.ends[0], wall.ends[1]) {
                let height = ear[2] + (at[2] - ear[2]) * t;
                stands += i32::from(height >= wall.height.0 && height <= wall.height.1);
            }
        }
        if stands > 0 {
            taken.add(wall.key, &wall.muffle, stands as f32 / WAYS as f32);
        }
    });
    (taken.level_db, taken.low_pass_octaves) = (taken.level_db.max(MOST_WALLED.0), taken.low_pass_octaves.max(MOST_WALLED.1));
    taken
}

/// How near walls are on a side, 1 at a wall to 0 where none is within `reach` metres: the nearest of five looks a quarter turn wide.
pub(crate) fn nearness(spec: &Spec, ear: [f32; 3], degrees: f32, reach: f32) -> f32 {
    let here = [ear[0], ear[1]];
    let mut nearest = 1.0f32;
    for n in -2..=2 {
        let angle = (degrees + 20.0 * n as f32).to_radians();
        let end = [here[0] + reach * angle.sin(), here[1] + reach * angle.cos()];
        spec.wall_index.meet([here[0].min(end[0]), here[1].min(end[1])], [here[0].max(end[0]), here[1].max(end[1])], |index| {
            let wall = &spec.walls[index as usize];
            if ear[2] >= wall.height.0 && ear[2] <= wall.height.1 {
                nearest = crossing(here, end, wall.ends[0], wall.ends[1]).map_or(nearest, |t| nearest.min(t));
            }
        });
    }
    1.0 - nearest
}

/// The pitch, in semitones, of a source that goes away at `source` metres in a second, heard by one who goes away at `ear`.
#[must_use]
pub(crate) fn doppler(speed_of_sound: f32, source: f32, ear: f32) -> f32 {
    let c = speed_of_sound.max(1.0);
    let limit = 0.9 * c;
    let ratio = (c - ear.clamp(-limit, limit)) / (c + source.clamp(-limit, limit));
    (12.0 * ratio.log2()).clamp(-DOPPLER.1, DOPPLER.1)
}
