//! Audio that is read as it is needed: in pages, which the engine asks for and whoever has the file fills.

use super::clip::Clip;
use std::collections::VecDeque;
use std::sync::Arc;

/// Frames of a page (171 ms at 48 kHz).
pub const PAGE: usize = 8192;

/// The part of a streamed clip that is always in memory, in frames: what is heard until the first page has come (341 ms at 48 kHz).
pub const HEAD: usize = 2 * PAGE;

/// A piece of a clip that is streamed. It is made once, and goes back and forth.
#[derive(Debug)]
pub struct Page {
    /// The number of the clip with whoever fills it.
    pub stream: u32,
    /// Which piece: the first, 0, begins [`HEAD`] frames into the clip.
    pub number: u32,
    /// [`PAGE`] samples of each of two channels; what lies behind the clip's end, and the second channel of a clip of one, is not looked at.
    pub samples: [Box<[f32]>; 2],
}

impl Page {
    /// One that waits to be used.
    #[must_use]
    pub fn empty() -> Box<Page> {
        Box::new(Page { stream: u32::MAX, number: 0, samples: [0, 1].map(|_| vec![0.0; PAGE].into_boxed_slice()) })
    }

    /// Its first frame in the clip.
    #[must_use]
    pub fn begin(&self) -> usize {
        HEAD + self.number as usize * PAGE
    }
}

/// Who fills pages. Both calls are made by the thread that renders: they may neither wait, lock nor allocate, unless nobody listens while it renders.
pub trait Pages: Send {
    /// Takes a page to be filled with the piece that it names. It comes back if there is no room for it.
    ///
    /// # Errors
    /// With the page, when it cannot be taken now.
    fn ask(&mut self, page: Box<Page>) -> Result<(), Box<Page>>;

    /// Gives a page that has been filled.
    fn take(&mut self) -> Option<Box<Page>>;

    /// Gives one page more for the engine to keep, where it has too few; none if there is none to be had now.
    fn more(&mut self) -> Option<Box<Page>> {
        None
    }
}

/// Where a program's streamed audio is read by whoever plays it in this process.
pub trait Reads: std::fmt::Debug + Send + Sync {
    /// Who fills pages, for one thread; a page that cannot be filled is silent, and the reason why is given.
    fn reader(&self) -> Fill;

    /// The first samples of a streamed clip, so many frames at most, a vector for each channel.
    ///
    /// # Errors
    /// With the reason why it cannot be read.
    fn samples(&self, clip: &Clip, most: usize) -> Result<Vec<Vec<f32>>, String>;
}

/// A clip with its first frames in memory, so many at least or all that it has: what is streamed is read.
///
/// # Errors
/// With the reason why it cannot be read.
pub fn held(reads: &dyn Reads, clip: &Arc<Clip>, frames: usize) -> Result<Arc<Clip>, String> {
    if clip.streamed.is_none() || frames <= HEAD {
        return Ok(Arc::clone(clip));
    }
    Ok(Arc::new(Clip { content: clip.content, ..Clip::new(&clip.name, reads.samples(clip, frames)?, clip.loop_points) }))
}

/// Fills a page with what it names.
pub type Fill = Box<dyn FnMut(&mut Page) -> Result<(), String> + Send>;

/// Fills pages by a function as they are asked for, by the thread that asks, and makes as many as are needed: it waits and allocates.
pub struct AtOnce<F> {
    fill: F,
    filled: VecDeque<Box<Page>>,
}

impl<F: FnMut(&mut Page) + Send> AtOnce<F> {
    /// Pages that are filled by `fill`.
    pub fn new(fill: F) -> AtOnce<F> {
        AtOnce { fill, filled: VecDeque::new() }
    }
}

impl AtOnce<Box<dyn FnMut(&mut Page) + Send>> {
    /// Pages of a program's audio. What cannot be read is silent: whoever loads it, measures it or plays it live tells why.
    #[must_use]
    pub fn of(mut reader: Fill) -> Self {
        AtOnce::new(Box::new(move |page: &mut Page| drop(reader(page))))
    }
}

impl<F: FnMut(&mut Page) + Send> Pages for AtOnce<F> {
    fn ask(&mut self, mut page: Box<Page>) -> Result<(), Box<Page>> {
        (self.fill)(&mut page);
        self.filled.push_back(page);
        Ok(())
    }

    fn take(&mut self) -> Option<Box<Page>> {
        self.filled.pop_front()
    }

    fn more(&mut self) -> Option<Box<Page>> {
        Some(Page::empty())
    }
}
