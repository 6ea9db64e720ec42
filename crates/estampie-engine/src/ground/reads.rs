//! Who reads streamed audio for whoever plays a program in this process, and how it is read where nobody waits to hear it.

use super::clip::Clip;
use super::pages::{HEAD, Page, Pages};
use std::collections::VecDeque;
use std::sync::Arc;

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
