//! The ground: places, what stands in the way, what is underfoot. Metres to the east and to the north, as in the demo's world.

/// A point on the ground.
pub type At = [f32; 2];

/// A place, as the game's state has it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Place {
    /// Above the water.
    Quay,
    /// Rope Street and what lies about it.
    Streets,
    /// The drowned church.
    Nave,
    /// The lip, and what is beneath.
    Trench,
}

/// A rectangle: west, south, east, north.
pub(super) type Area = [f32; 4];

/// Where each place lies.
pub const OUTLINES: [(Place, Area); 4] = [
    (Place::Quay, [-16.0, -10.0, 16.0, 8.0]),
    (Place::Streets, [-8.0, 8.0, 28.0, 26.0]),
    (Place::Nave, [2.0, 26.0, 22.0, 46.0]),
    (Place::Trench, [-44.0, 10.0, -8.0, 40.0]),
];

/// The ways between places: from, to, and the middle and half the width of the opening, along x or along y.
const WAYS: [(Place, Place, At, f32, bool); 3] = [
    (Place::Quay, Place::Streets, [0.0, 8.0], 3.0, true),
    (Place::Streets, Place::Nave, [12.0, 26.0], 2.0, true),
    (Place::Streets, Place::Trench, [-8.0, 18.0], 6.0, false),
];

/// A house that one cannot enter.
pub(super) const CHANDLERY: Area = [-4.0, 14.0, 4.0, 20.0];
/// A house with a hatch in its west wall.
pub(super) const BOILER_HOUSE: Area = [16.0, 11.0, 26.0, 19.0];

impl Place {
    /// As the state's value.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Place::Quay => "quay",
            Place::Streets => "streets",
            Place::Nave => "nave",
            Place::Trench => "trench",
        }
    }

    /// The place of a point; `None` is solid rock.
    #[must_use]
    pub fn of(at: At) -> Option<Place> {
        OUTLINES.iter().find(|(_, area)| within(at, *area)).map(|(place, _)| *place)
    }

    /// How deep it is there, in metres.
    pub(super) fn depth(self, at: At) -> f32 {
        match self {
            Place::Quay => 0.0,
            Place::Streets => 28.0,
            Place::Nave => 42.0,
            // From the lip it goes down the farther west one is.
            Place::Trench => 50.0 + 3.0 * (-8.0 - at[0]).max(0.0),
        }
    }
}

pub(super) fn within(at: At, [west, south, east, north]: Area) -> bool {
    at[0] >= west && at[0] < east && at[1] >= south && at[1] < north
}

/// Whether one can go straight from a point to one that is near.
#[must_use]
pub fn passable(from: At, to: At, hatch: f32) -> bool {
    let (Some(here), Some(there)) = (Place::of(from), Place::of(to)) else { return false };
    if within(to, CHANDLERY) {
        return false;
    }
    if within(from, BOILER_HOUSE) != within(to, BOILER_HOUSE) {
        let through = (from[0] - 16.0).abs() < 1.5 && (14.0..16.0).contains(&from[1]) && (14.0..16.0).contains(&to[1]);
        return through && hatch > 0.5;
    }
    here == there
        || WAYS.iter().any(|(a, b, middle, half, along_x)| {
            let joins = (*a, *b) == (here, there) || (*b, *a) == (here, there);
            let axis = usize::from(!*along_x);
            joins && (from[axis] - middle[axis]).abs() < *half && (to[axis] - middle[axis]).abs() < *half
        })
}

/// What is underfoot, by the game's own names: thirty of them, by place.
pub const MATERIALS: [(Place, &[&str]); 4] = [
    (Place::Quay, &["oak", "driftwood", "teak", "larch", "rope-mat", "tarred-board", "iron", "chequer-plate"]),
    (Place::Streets, &["mesh", "grating", "rail", "cobble", "brick", "slate", "shell-bed", "mud", "sluice-plate"]),
    (Place::Nave, &["flagstone", "marble", "pew", "lead-sheet", "brass", "bell-metal", "ash-silt"]),
    (Place::Trench, &["sand", "clay", "gravel", "kelp", "ooze", "bone-bed"]),
];

/// What is underfoot at a point: patches of three metres.
pub(super) fn material(at: At) -> &'static str {
    let place = Place::of(at).unwrap_or(Place::Streets);
    let list = MATERIALS.iter().find(|(of, _)| *of == place).map_or(&["mud"][..], |(_, list)| list);
    let cell = at.map(|v| (v / 3.0).floor() as i64);
    let mixed = (cell[0].wrapping_mul(73_856_093) ^ cell[1].wrapping_mul(19_349_663)).unsigned_abs();
    list[(mixed % list.len() as u64) as usize]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_goes_through_doors_and_not_through_walls() {
        assert!(passable([0.0, 7.9], [0.0, 8.1], 0.0), "the stairs");
        assert!(!passable([8.0, 7.9], [8.0, 8.1], 0.0), "the quay's wall");
        assert!(passable([12.0, 25.9], [12.0, 26.1], 0.0) && !passable([18.0, 25.9], [18.0, 26.1], 0.0), "the church has one door");
        assert!(passable([-7.9, 18.0], [-8.1, 18.0], 0.0) && !passable([-7.9, 25.0], [-8.1, 25.0], 0.0), "the lip");
        assert!(!passable([15.9, 15.0], [16.1, 15.0], 0.2) && passable([15.9, 15.0], [16.1, 15.0], 0.9), "the hatch");
        assert!(!passable([15.9, 12.0], [16.1, 12.0], 0.9) && !passable([20.0, 19.1], [20.0, 18.9], 1.0), "its walls");
        assert!(!passable([-4.1, 16.0], [-3.9, 16.0], 0.0), "the chandlery");
        assert!(!passable([15.9, 0.0], [16.1, 0.0], 0.0), "the world's end");
    }

    #[test]
    fn there_are_thirty_materials_and_all_of_them_are_underfoot_somewhere() {
        let known: std::collections::BTreeSet<&str> = MATERIALS.iter().flat_map(|(_, list)| list.iter().copied()).collect();
        assert_eq!(known.len(), 30);
        let mut seen = std::collections::BTreeSet::new();
        for (place, [west, south, east, north]) in OUTLINES {
            for x in 0..((east - west) as i32) {
                for y in 0..((north - south) as i32) {
                    let at = [west + x as f32 + 0.5, south + y as f32 + 0.5];
                    assert_eq!(Place::of(at), Some(place));
                    seen.insert(material(at));
                }
            }
        }
        assert_eq!(seen, known);
    }
}
