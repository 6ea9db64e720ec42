//! Which pages of streamed audio are there, which are on their way, and which make room for others.

use crate::ground::clip::{Clip, Span};
use crate::ground::names::{NameKey, Spread};
use crate::ground::pages::{HEAD, PAGE, Page, Pages};
use std::collections::HashMap;
use std::hash::BuildHasherDefault;

/// How far ahead of where it reads a voice wants its pages, in frames (341 ms at 48 kHz).
const AHEAD: usize = 2 * PAGE;

/// A page that was looked at within so many blocks is not given up for another: sleeping voices look every sixteenth.
const KEPT: u32 = 20;

/// A clip that is missed is told again after so many blocks (1 s at 48 kHz).
const AGAIN: u32 = 750;

/// Frames in which what is missing sinks to nothing, and comes back (1.3 ms at 48 kHz).
pub(crate) const SEAM: usize = 64;

/// A page, or the place of one that is on its way.
#[derive(Debug)]
struct Slot {
    stream: u32,
    number: u32,
    /// The block in which it was last wanted.
    touched: u32,
    page: Option<Box<Page>>,
}

impl Slot {
    fn new(page: Box<Page>) -> Slot {
        Slot { stream: u32::MAX, number: 0, touched: 0, page: Some(page) }
    }
}

/// All pages.
#[derive(Default)]
pub(crate) struct Paging {
    pages: Option<Box<dyn Pages>>,
    slots: Vec<Slot>,
    /// Where each page is, by stream and number.
    places: HashMap<(u32, u32), usize, BuildHasherDefault<Spread>>,
    /// How many there may be.
    most: usize,
    now: u32,
    /// The clip that was missed since that was last asked, and the one that was told last, with the block of that.
    missed: Option<NameKey>,
    told: Option<(NameKey, u32)>,
}

impl Paging {
    /// Lets pages be read by somebody else from now on, who has the same audio by the same numbers: so many pages at least, and room for others up to so
    /// many. What is there stays, and is heard without a gap. It allocates.
    pub(crate) fn read_by(&mut self, pages: Box<dyn Pages>, room: usize, most: usize) {
        let most = most.max(room).max(4);
        // What was on its way does not come any more.
        for slot in self.slots.iter_mut().filter(|slot| slot.page.is_none()) {
            *slot = Slot::new(Page::empty());
        }
        self.slots.reserve_exact(most.saturating_sub(self.slots.len()));
        while self.slots.len() < room {
            self.slots.push(Slot::new(Page::empty()));
        }
        // Twice as many: what was taken out leaves traces, which are cleared within the same room as long as half of it is free.
        self.places = HashMap::with_capacity_and_hasher(2 * most.max(self.slots.len()), BuildHasherDefault::default());
        let there = self.slots.iter().enumerate().filter(|(_, slot)| slot.stream != u32::MAX);
        self.places.extend(there.map(|(at, slot)| ((slot.stream, slot.number), at)));
        (self.pages, self.most, self.now) = (Some(pages), most, self.now.max(KEPT + 1));
    }

    /// With as many pages as are needed, all of which are given when they are asked for. It allocates while it works.
    pub(crate) fn growing(pages: Box<dyn Pages>) -> Paging {
        Paging { pages: Some(pages), most: usize::MAX, now: KEPT + 1, ..Paging::default() }
    }

    /// Begins a block: takes what has come.
    pub(crate) fn begin_block(&mut self) {
        self.now = self.now.wrapping_add(1);
        self.receive();
    }

    /// The clip that was not there when it was to sound, if there was one since this was last asked: each once in [`AGAIN`] blocks.
    pub(crate) fn missed(&mut self) -> Option<NameKey> {
        let missed = self.missed.take()?;
        let again = self.told.is_some_and(|(told, at)| told == missed && self.now.wrapping_sub(at) < AGAIN);
        if again {
            return None;
        }
        self.told = Some((missed, self.now));
        Some(missed)
    }

    fn receive(&mut self) {
        let Some(pages) = &mut self.pages else { return };
        while let Some(page) = pages.take() {
            let place = self.places.get(&(page.stream, page.number)).copied();
            if let Some(slot) = place.and_then(|at| self.slots.get_mut(at)).filter(|slot| slot.page.is_none()) {
                slot.page = Some(page);
            }
        }
    }

    /// The place of a page, which is asked for if it is neither there nor on its way; none if there is no room for it. A sleeper's may take no more than
    /// half of the room.
    fn want(&mut self, stream: u32, number: u32, asleep: bool) -> Option<usize> {
        let now = self.now;
        if let Some(at) = self.places.get(&(stream, number)).copied() {
            self.slots[at].touched = now;
            return Some(at);
        }
        let pages = self.pages.as_mut()?;
        let free = |slot: &Slot| slot.page.is_some() && now.wrapping_sub(slot.touched) > KEPT;
        // Where no more pages are to be had.
        if asleep && self.slots.len() == self.most && self.slots.iter().filter(|slot| free(slot)).count() <= self.slots.len() / 2 {
            return None;
        }
        let oldest = |slots: &[Slot]| (0..slots.len()).filter(|at| free(&slots[*at])).max_by_key(|at| now.wrapping_sub(slots[*at].touched));
        let at = match oldest(&self.slots) {
            Some(at) => at,
            // Their room is reserved: this does not allocate.
            None if self.slots.len() < self.most => {
                self.slots.push(Slot::new(pages.more()?));
                self.slots.len() - 1
            }
            None => return None,
        };
        let slot = &mut self.slots[at];
        let mut page = slot.page.take()?;
        self.places.remove(&(slot.stream, slot.number));
        (page.stream, page.number) = (stream, number);
        match pages.ask(page) {
            Ok(()) => {
                self.places.insert((stream, number), at);
                (slot.stream, slot.number, slot.touched) = (stream, number, now);
                Some(at)
            }
            // What it held may have been overwritten by its new number alone: it is nobody's.
            Err(page) => {
                (slot.stream, slot.page) = (u32::MAX, Some(page));
                None
            }
        }
    }

    /// Sees to it that what follows a frame of a clip, up to another, is there in time; gives how many of the frames that are to be seen to are left.
    pub(crate) fn prepare(&mut self, clip: &Clip, from: usize, until: usize, ahead: usize, asleep: bool) -> usize {
        let to = until.min(from.saturating_add(ahead));
        if let Some(streamed) = clip.streamed.filter(|_| to > HEAD) {
            for number in from.saturating_sub(HEAD) / PAGE..=(to - 1 - HEAD) / PAGE {
                self.want(streamed.stream, number as u32, asleep);
            }
        }
        ahead - to.saturating_sub(from)
    }

    /// [`AHEAD`].
    pub(crate) const fn ahead() -> usize {
        AHEAD
    }

    /// Samples of a channel of a clip from a frame on, as many as lie together, `most` at most. A clip of one channel has the same in both.
    ///
    /// # Errors
    /// With how many are not there, when they are not.
    pub(crate) fn samples<'a>(&'a mut self, clip: &'a Clip, channel: usize, at: usize, most: usize) -> Result<Span<'a>, usize> {
        let side = channel.min(clip.channels.len() - 1);
        let held = &clip.channels[side];
        let Some(streamed) = clip.streamed.filter(|_| at >= HEAD) else {
            return Ok(held.all().from(at, held.len().min(at + most)));
        };
        let (number, within) = ((at - HEAD) / PAGE, (at - HEAD) % PAGE);
        let together = most.min(PAGE - within).min(streamed.frames - at);
        let place = self.want(streamed.stream, number as u32, false);
        if place.is_some_and(|at| self.slots[at].page.is_none()) {
            // Whoever fills pages at once has it now.
            self.receive();
        }
        match place.and_then(|at| self.slots[at].page.as_ref()) {
            Some(page) => Ok(Span::Float(&page.samples[side][within..within + together])),
            None => {
                self.missed = Some(clip.key);
                Err(together)
            }
        }
    }
}
