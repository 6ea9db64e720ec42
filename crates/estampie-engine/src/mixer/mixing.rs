//! The mixer at work on one block, and what it asks of whoever directs it. What it does is in [`rendering`](super::rendering) (voices),
//! [`buses`](super::buses) and [`values`](super::values).

use super::Mixer;
use super::spec::Mix;
use super::state::MixState;
use super::voice::Voice;
use crate::ground::index::{BusIndex, CellIndex};
use crate::ground::outlets::Outlets;
use crate::world::spec::MOST_ROOMS;

/// What the mixer asks of whoever directs it: what voices send.
pub(crate) trait Sends {
    /// Gives, for each send of the sounds of a voice, the return, the cell of its level, and what distance adds, in dB.
    fn each(&self, voice: &Voice, send: impl FnMut(BusIndex, CellIndex, f32));

    /// The returns of rooms, and the gain by which all placed sounds send to each.
    fn rooms(&self) -> (&[BusIndex], &[f32; MOST_ROOMS]);

    /// What the way from an emitter adds to those gains.
    fn own_rooms(&self, place: u16) -> [f32; MOST_ROOMS];
}

/// The mixer at work on one block.
pub(crate) struct Mixing<'a> {
    pub(crate) mix: &'a Mix,
    /// Frames a second.
    pub(crate) rate: u32,
    /// The first frame of the block.
    pub(crate) frame: u64,
    /// The most voices that sound at once.
    pub(crate) limit: usize,
    pub(crate) state: &'a mut MixState,
    pub(crate) mixer: &'a mut Mixer,
    pub(crate) outlets: &'a mut Outlets,
}
