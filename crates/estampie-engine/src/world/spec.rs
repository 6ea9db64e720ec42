//! The compiled world: zones, doorways, walls, and what sounds where, with indices over the map.

use crate::ground::curve::Curve;
use crate::ground::index::{BusIndex, ReactionIndex, SnapshotIndex, SoundIndex};
use crate::ground::lookup::Lookup;
use crate::ground::names::NameKey;
use crate::ground::test::Test;
use crate::world::geometry::{Form, Ground};
use rstar::{AABB, RTree, RTreeObject};
use std::ops::ControlFlow;

/// Returns that rooms send to, at most.
pub const MOST_ROOMS: usize = 8;

/// What is taken from a sound that has to come through something.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Muffle {
    /// dB, 0 or less.
    pub level_db: f32,
    /// Octaves from the open low-pass, 0 or less.
    pub low_pass_octaves: f32,
    /// Share of the way followed in a block.
    pub follow_per_block: f32,
}

impl Muffle {
    /// Nothing is taken.
    pub const NONE: Muffle = Muffle { level_db: 0.0, low_pass_octaves: 0.0, follow_per_block: 0.01 };
}

/// A place with an inside.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Zone {
    /// Its name's key.
    pub key: NameKey,
    /// What it covers.
    pub form: Form,
    /// Between which heights, in metres.
    pub height: (f32, f32),
    /// The higher counts where several are; of equal ones the smaller.
    pub order: i64,
    /// It is there in full from so many metres inside on.
    pub margin_metres: f32,
    /// The state and value that it sets.
    pub state: Option<(usize, u16)>,
    /// The snapshot that it raises.
    pub snapshot: Option<SnapshotIndex>,
    /// Places in [`World::rooms`] with the gain of what placed sounds send there.
    pub reverb: Vec<(u8, f32)>,
    /// Share of the way in which its presence is followed in a block.
    pub follow_per_block: f32,
    /// What is heard of outside from inside.
    pub outside: Muffle,
    /// What is heard of inside from outside.
    pub inside: Muffle,
    /// It is a cover: it is no place and makes no events.
    pub shelter: bool,
    /// Reactions to entering and to leaving.
    pub entering: Vec<ReactionIndex>,
    /// Reactions to leaving.
    pub leaving: Vec<ReactionIndex>,
}

impl Zone {
    /// Whether a point in space is inside.
    #[must_use]
    pub fn contains(&self, at: [f32; 3]) -> bool {
        at[2] >= self.height.0 && at[2] <= self.height.1 && self.form.contains([at[0], at[1]])
    }

    /// How much of it there is at a point inside, 0 to 1.
    #[must_use]
    pub fn depth(&self, at: [f32; 3]) -> f32 {
        if self.margin_metres <= 0.0 {
            return 1.0;
        }
        let above = (at[2] - self.height.0).min(self.height.1 - at[2]).max(0.0);
        (self.form.to_edge([at[0], at[1]]).min(above) / self.margin_metres).min(1.0)
    }
}

/// A number that stands or that a parameter gives.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Amount {
    /// It stands.
    Fixed(f32),
    /// A parameter (by index) gives it, by a curve if there is one.
    Moved(usize, Option<Curve>),
}

impl Amount {
    /// What it is, `value` giving parameters.
    pub fn now(&self, value: impl Fn(usize) -> f32) -> f32 {
        match self {
            Amount::Fixed(value) => *value,
            Amount::Moved(parameter, curve) => {
                let value = value(*parameter);
                curve.as_ref().map_or(value, |c| c.at(value))
            }
        }
    }
}

/// A gap between two zones, or between a zone and the open.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Doorway {
    /// Its name's key.
    pub key: NameKey,
    /// The zones on its sides; none is the open.
    pub sides: [Option<u32>; 2],
    /// Its ends.
    pub line: [Ground; 2],
    /// How open it is, 0 to 1.
    pub open: Amount,
    /// What comes through when it is closed; as the zones say if `None`.
    pub closed: Option<Muffle>,
    /// Within so many metres of it the other side's room is heard.
    pub reach_metres: f32,
}

/// A straight piece of a wall.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Wall {
    /// The key of the wall's name.
    pub key: NameKey,
    /// Its ends.
    pub ends: [Ground; 2],
    /// Between which heights, in metres.
    pub height: (f32, f32),
    /// What it takes when all of the way is blocked.
    pub muffle: Muffle,
}

/// How something moves along its line.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Pass {
    /// To the end, and stays there.
    Once,
    /// There and back.
    Back,
    /// From the end on to the beginning.
    Round,
}

/// Where an emitter of the project is.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Stand {
    /// At a point.
    Still([f32; 3]),
    /// Along a line at so many metres in a second, at a height.
    Path(Vec<Ground>, f32, f32, Pass),
    /// At the nearest point of a line (closed, if so said), at a height.
    Trail(Vec<Ground>, bool, f32),
    /// At the nearest point of what is covered; all around inside.
    Area(Form, f32),
    /// At several points together.
    Points(Vec<[f32; 3]>),
    /// Held at a bearing (degrees from north) and a distance from the listener.
    Held(Amount, f32),
    /// One of a flock or one-shots: it is put where it is needed.
    Member,
}

/// An emitter of the project.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Source {
    /// The zone or shelter whose share fades what sounds here, if one does: the edge of a shelter.
    pub fades_with: Option<u32>,
    /// Its name's key.
    pub key: NameKey,
    /// Its kind's key, or none.
    pub kind: NameKey,
    /// Where it is.
    pub stand: Stand,
    /// Degrees clockwise from north.
    pub facing_degrees: f32,
}

/// How long a sound plays by itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum PlaysFor {
    /// As long as its emitter is there.
    Emitter,
    /// As long as anything of a zone (by index) is there.
    Zone(u32),
}

/// A sound that plays by itself.
#[derive(Debug, Clone, Copy)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Play {
    /// The key of both.
    pub key: NameKey,
    /// The sound.
    pub sound: SoundIndex,
    /// At which emitter; the zone itself, which is nowhere, for what is all around.
    pub at: NameKey,
    /// How long.
    pub of: PlaysFor,
}

/// Single sounds at drawn places.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct OneShots {
    /// Its name's key.
    pub key: NameKey,
    /// What sounds.
    pub sound: SoundIndex,
    /// Ends of the wait between two, in seconds.
    pub every: (f32, f32),
    /// What the waits are multiplied by.
    pub pace: Amount,
    /// Metres from the listener.
    pub around: (f32, f32),
    /// Degrees from where the listener looks.
    pub bearing: (f32, f32),
    /// Only within this.
    pub within: Option<Form>,
    /// Metres up; from the listener if `around` him.
    pub height: (f32, f32),
    /// Each passes the listener on a way of so many metres, at so many in a second.
    pub passing: Option<(f32, f32)>,
    /// While all of these hold.
    pub during: Vec<Test>,
    /// The emitters for it.
    pub members: Vec<NameKey>,
}

/// Many small emitters around the listener.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Flock {
    /// Its name's key.
    pub key: NameKey,
    /// What sounds.
    pub sound: SoundIndex,
    /// Where one could be, each with the density from which on it is.
    pub places: Vec<([f32; 3], f32)>,
    /// How many of the places are lived in, 0 to 1.
    pub density: Amount,
    /// Places within this are filled.
    pub range_metres: f32,
    /// They are left this much farther away.
    pub margin_metres: f32,
    /// Ends of the wait between two sounds of one, in seconds; none: it sounds as long as it is there.
    pub every: Option<(f32, f32)>,
    /// What the waits are multiplied by.
    pub pace: Amount,
    /// Frames between the starts of any two at least.
    pub gap: u64,
    /// The emitters for it: as many as there are at most.
    pub members: Vec<NameKey>,
}

/// An entry of a map index: which, and where.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
struct Entry {
    bounds: (Ground, Ground),
    index: u32,
}

impl RTreeObject for Entry {
    type Envelope = AABB<Ground>;
    fn envelope(&self) -> Self::Envelope {
        AABB::from_corners(self.bounds.0, self.bounds.1)
    }
}

/// What lies where on the map (R*-tree, Beckmann et al. 1990, of the package `rstar`).
#[derive(Debug, Clone, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Index(RTree<Entry>);

impl Index {
    /// An index over things with bounds, by their order.
    #[must_use]
    pub fn new(bounds: impl Iterator<Item = (Ground, Ground)>) -> Index {
        Index(RTree::bulk_load(bounds.enumerate().map(|(at, bounds)| Entry { bounds, index: at as u32 }).collect()))
    }

    /// Calls `each` for all whose bounds meet the rectangle of `a` and `b`. Does not allocate.
    pub fn meet(&self, a: Ground, b: Ground, mut each: impl FnMut(u32)) {
        let _ = self.0.locate_in_envelope_intersecting_int(&AABB::from_corners(a, b), |entry: &Entry| {
            each(entry.index);
            ControlFlow::<()>::Continue(())
        });
    }
}

/// The world of a program.
#[derive(Debug, Clone, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct World {
    /// Where the listener is before anyone says, and where he looks.
    pub start: ([f32; 3], f32),
    /// Metres in a second that sound goes.
    pub sound_metres_per_second: f32,
    /// Whether placed sounds are heard with a head, for headphones.
    pub head: bool,
    /// Zones and shelters.
    pub zones: Vec<Zone>,
    /// Zones by key.
    pub find_zone: Lookup,
    /// Where zones are.
    pub zone_index: Index,
    /// Doorways.
    pub doorways: Vec<Doorway>,
    /// Pieces of walls.
    pub walls: Vec<Wall>,
    /// Where they are.
    pub wall_index: Index,
    /// Returns that rooms send to.
    pub rooms: Vec<BusIndex>,
    /// Emitters.
    pub sources: Vec<Source>,
    /// What plays by itself.
    pub plays: Vec<Play>,
    /// Single sounds at drawn places.
    pub one_shots: Vec<OneShots>,
    /// Many small emitters.
    pub flocks: Vec<Flock>,
}

impl World {
    /// Whether an emitter is one of a flock or of one-shots: the world's own, and not the game's.
    #[must_use]
    pub fn is_member(&self, emitter: NameKey) -> bool {
        !emitter.is_none() && (self.flocks.iter().any(|f| f.members.contains(&emitter)) || self.one_shots.iter().any(|s| s.members.contains(&emitter)))
    }

    /// Whether the project says anything about the world.
    #[must_use]
    pub fn any(&self) -> bool {
        !(self.zones.is_empty() && self.walls.is_empty() && self.sources.is_empty() && self.one_shots.is_empty() && self.flocks.is_empty())
    }
}
