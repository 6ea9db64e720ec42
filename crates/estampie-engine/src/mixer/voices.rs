//! The pool of voices: their slots, which of them sound, and which sleep.

use super::voice::{Leaving, Voice};
use crate::dsp::generators::Pool;
use crate::ground::outlets::Outlets;
use crate::ground::telemetry::{Cause, What};
use std::ops::{Index, IndexMut};

/// So many voices are made with the pool: what a usual project has at once. The memory of those beyond is the pool's from the beginning, and is first
/// written to when so many sound: 4,000 of them would take 15 MB of every engine, most of which plays a few.
const READY: usize = 320;

/// All voices. Whoever directs them speaks to them through this and nothing else.
pub(crate) struct Voices {
    slots: Vec<Voice>,
    /// Slots of voices that sound, in the order in which they started.
    active: Vec<u16>,
    /// Slots of voices far below hearing.
    asleep: Vec<u16>,
    /// Slots that were made and are free.
    free: Vec<u16>,
    /// How many slots there may be.
    capacity: usize,
    /// How many have begun since the pool was made.
    begun: u64,
}

impl Voices {
    /// Makes a pool of so many, at most 65,535.
    pub(crate) fn new(capacity: usize) -> Voices {
        let capacity = capacity.min(usize::from(u16::MAX));
        let mut slots = Vec::with_capacity(capacity);
        slots.extend((0..capacity.min(READY)).map(|_| Voice::idle()));
        let mut free = Vec::with_capacity(capacity);
        free.extend((0..slots.len() as u16).rev());
        Voices { slots, active: Vec::with_capacity(capacity), asleep: Vec::with_capacity(capacity), free, capacity, begun: 0 }
    }

    /// Takes a free slot, and numbers the voice that begins in it; `None` if all are taken.
    pub(crate) fn reserve(&mut self) -> Option<(u16, u64)> {
        let slot = match self.free.pop() {
            Some(slot) => slot,
            // Their memory is reserved: this does not allocate.
            None if self.slots.len() < self.capacity => {
                self.slots.push(Voice::idle());
                (self.slots.len() - 1) as u16
            }
            None => return None,
        };
        self.begun += 1;
        Some((slot, self.begun))
    }

    /// Gives a slot back in which nothing begins after all.
    pub(crate) fn give_back(&mut self, slot: u16) {
        self.free.push(slot);
    }

    /// Lets a voice begin in a slot that was reserved.
    pub(crate) fn begin(&mut self, slot: u16, voice: Voice) {
        self[slot] = voice;
        self.active.push(slot);
    }

    /// All voices: those that sound, in the order in which they started, then those that sleep.
    pub(crate) fn all(&self) -> impl Iterator<Item = &Voice> + Clone {
        self.slots().map(|slot| &self.slots[usize::from(slot)])
    }

    /// The slots of all voices, in the same order.
    fn slots(&self) -> impl Iterator<Item = u16> + Clone {
        self.active.iter().chain(&self.asleep).copied()
    }

    /// How many there are.
    pub(crate) fn count(&self) -> usize {
        self.active.len() + self.asleep.len()
    }

    /// The slot of one of them, counted in the same order.
    pub(crate) fn slot(&self, at: usize) -> u16 {
        if at < self.active.len() { self.active[at] } else { self.asleep[at - self.active.len()] }
    }

    /// The slots of voices that sound.
    pub(crate) fn active(&self) -> &[u16] {
        &self.active
    }

    /// The slots of voices that sleep.
    pub(crate) fn asleep(&self) -> &[u16] {
        &self.asleep
    }

    /// The voices that sound, in the order in which they started.
    pub(crate) fn sounding(&self) -> impl Iterator<Item = &Voice> + Clone {
        self.active.iter().map(|slot| &self.slots[usize::from(*slot)])
    }

    /// Does something with all voices.
    pub(crate) fn each(&mut self, mut each: impl FnMut(&mut Voice)) {
        for slot in self.active.iter().chain(&self.asleep) {
            each(&mut self.slots[usize::from(*slot)]);
        }
    }

    /// Goes through those that sound, in order; what `stays` says no to falls asleep.
    pub(super) fn keep_sounding(&mut self, mut stays: impl FnMut(&mut Voice) -> bool) {
        let mut kept = 0;
        for at in 0..self.active.len() {
            let slot = self.active[at];
            if stays(&mut self.slots[usize::from(slot)]) {
                self.active[kept] = slot;
                kept += 1;
            } else {
                self.asleep.push(slot);
            }
        }
        self.active.truncate(kept);
    }

    /// The sleeper at a place of their list sounds again; the last takes its place.
    pub(super) fn wake(&mut self, at: usize) {
        let slot = self.asleep.swap_remove(at);
        self.active.push(slot);
    }

    /// Gives the slots of voices that have ended back, of those that sound or of those that sleep, keeping the order of the others.
    pub(super) fn release(&mut self, sleepers: bool, generators: &mut Pool, outlets: &mut Outlets, frame: u64) {
        let list = if sleepers { &mut self.asleep } else { &mut self.active };
        let mut kept = 0;
        for at in 0..list.len() {
            let slot = list[at];
            let voice = &mut self.slots[usize::from(slot)];
            let mut gone = voice.ended;
            if gone && let Some(recipe) = voice.recipe.take() {
                // Without room it keeps its slot until there is some.
                voice.recipe = outlets.retire(recipe);
                gone = voice.recipe.is_none();
            }
            if gone {
                if let Some(playing) = voice.source.take_playing() {
                    playing.give_back(generators);
                }
                let cause = if let Leaving::For(cause) = voice.leaving { cause } else { Cause::Done };
                if voice.told {
                    outlets.tell(frame, What::VoiceEnd { voice: voice.id, sound: voice.sound, cause });
                }
                self.free.push(slot);
            } else {
                list[kept] = slot;
                kept += 1;
            }
        }
        list.truncate(kept);
    }
}

impl Index<u16> for Voices {
    type Output = Voice;

    fn index(&self, slot: u16) -> &Voice {
        &self.slots[usize::from(slot)]
    }
}

impl IndexMut<u16> for Voices {
    fn index_mut(&mut self, slot: u16) -> &mut Voice {
        &mut self.slots[usize::from(slot)]
    }
}
