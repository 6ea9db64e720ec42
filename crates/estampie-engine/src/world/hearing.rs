//! How an emitter is heard just now, as it is kept from block to block.

use super::propagation::{Muffled, Within};
use crate::world::spec::MOST_ROOMS;

/// How an emitter is heard just now.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Hearing {
    /// The block for which it was worked out last, counted from 1; 0 if never.
    pub(super) block: u64,
    /// Metres by the way that it takes.
    pub(crate) distance: f32,
    /// Degrees from where the listener looks.
    pub(crate) bearing: f32,
    /// Degrees between where the emitter looks and the listener.
    pub(crate) off_axis: f32,
    /// How wide it is at least, 0 to 1.
    pub(crate) spread: f32,
    /// Semitones by which movement shifts it.
    pub(crate) doppler: f32,
    pub(crate) taken: [Muffled; 5],
    /// What it sends to the returns of rooms besides the listener's, as gains.
    pub(crate) rooms: [f32; MOST_ROOMS],
    /// Metres and degrees by which the way is longer and turned against the straight one.
    pub(super) detour: f32,
    /// How much of it comes by doorways, 0 to 1.
    pub(crate) through: f32,
    pub(super) turn: f32,
    pub(super) walled: Muffled,
    pub(super) zones: Within,
    /// Where it was when its zones were looked up.
    pub(crate) zoned: [f32; 3],
    /// For how many blocks working it out anew has changed nothing, all that it is worked out from being the same.
    pub(super) still: u8,
    /// Where it was, where it looked, and as which of the project's sources, when it was worked out last.
    pub(super) from: ([f32; 3], f32, Option<u16>),
}

/// What is the same for all emitters in a block: from where they are heard.
#[derive(Debug, Default)]
pub(crate) struct Ears {
    /// The block for which it was looked at last, counted from 1.
    pub(super) block: u64,
    /// The last block in which it was not as in the block before.
    pub(super) changed: u64,
    /// The place of the camera, if the game has placed one.
    pub(super) camera: Option<usize>,
    /// Where the listener is, was a block before and looks; the same of the camera; how far doorways stand open, as a hash.
    pub(super) seen: ([f32; 3], [f32; 3], f32, [f32; 3], f32, u64),
    /// The shares of the way in a block of a way round and of a Doppler shift, and the rate for which they were worked out.
    pub(super) shares: (f32, f32),
    pub(super) rate: u32,
}

impl Default for Hearing {
    fn default() -> Self {
        Hearing {
            block: 0,
            distance: 0.0,
            bearing: 0.0,
            off_axis: 0.0,
            spread: 0.0,
            doppler: 0.0,
            taken: [Muffled::default(); 5],
            rooms: [0.0; MOST_ROOMS],
            detour: 0.0,
            through: 0.0,
            turn: 0.0,
            walled: Muffled::default(),
            zones: Within::default(),
            zoned: [f32::NAN; 3],
            still: 0,
            from: ([f32::NAN; 3], 0.0, None),
        }
    }
}

impl Hearing {
    /// Whether it was ever worked out.
    pub(crate) fn known(&self) -> bool {
        self.block > 0
    }
}
