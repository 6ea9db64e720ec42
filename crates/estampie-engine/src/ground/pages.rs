//! Audio that is read as it is needed: in pages, which the engine asks for and whoever has the file fills.

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
