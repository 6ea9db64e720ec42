//! Who reads what is streamed: a thread beside the one that renders, or that one itself.

use estampie_bundle::Streams;
use estampie_engine::pages::{Page, Pages};
use rtrb::{Consumer, Producer, RingBuffer};
use std::sync::mpsc::Sender;
use std::time::Duration;

/// How audio that the project wants streamed is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Streaming {
    /// By a thread of its own, ahead of what is heard. What comes too late is a hole, and told.
    #[default]
    Ahead,
    /// As it is needed, by the thread that renders, which waits for it: for whoever renders without being heard.
    Waits,
    /// It is not: all audio is loaded.
    Whole,
}

/// How long the thread rests when nothing is asked of it: a page is asked for 340 ms before it is heard.
const REST: Duration = Duration::from_millis(8);

/// How much is told of what cannot be read.
const MOST_TOLD: usize = 16;

/// Reads a bundle's pages, and tells what cannot be read.
pub(crate) struct Told {
    streams: Streams,
    told: Sender<String>,
    left: usize,
}

impl Told {
    pub(crate) fn new(streams: Streams, told: Sender<String>) -> Told {
        Told { streams, told, left: MOST_TOLD }
    }

    pub(crate) fn fill(&mut self, page: &mut Page) {
        if let Err(why) = self.streams.fill(page)
            && self.left > 0
        {
            self.left -= 1;
            // Without anybody who listens it is not told.
            let _ = self.told.send(format!("a piece of audio cannot be read and is silent: {why}"));
        }
    }
}

/// Fills pages by a function on a thread of its own, which ends with the engine. So many pages may be on their way at once; `spare` ones are kept ready
/// for the engine to take where it has too few.
///
/// # Errors
/// When no thread can be started.
pub fn ahead(fill: impl FnMut(&mut Page) + Send + 'static, pages: usize, spare: usize) -> std::io::Result<Box<dyn Pages>> {
    let (asks, asked) = RingBuffer::new(pages);
    let (done, read) = RingBuffer::new(pages);
    let (gives, spares) = RingBuffer::new(spare);
    std::thread::Builder::new().name("streaming".into()).spawn(move || run(fill, asked, done, gives))?;
    Ok(Box::new(Ahead { asks, read, spares }))
}

fn run(mut fill: impl FnMut(&mut Page), mut asked: Consumer<Box<Page>>, mut done: Producer<Box<Page>>, mut spares: Producer<Box<Page>>) {
    loop {
        while spares.slots() > 0 && spares.push(Page::empty()).is_ok() {}
        match asked.pop() {
            Ok(mut page) => {
                fill(&mut page);
                // There is room for all pages that there are.
                let _ = done.push(page);
            }
            Err(_) if asked.is_abandoned() => return,
            Err(_) => std::thread::sleep(REST),
        }
    }
}

/// The engine's end of the thread.
struct Ahead {
    asks: Producer<Box<Page>>,
    read: Consumer<Box<Page>>,
    spares: Consumer<Box<Page>>,
}

impl Pages for Ahead {
    fn ask(&mut self, page: Box<Page>) -> Result<(), Box<Page>> {
        self.asks.push(page).map_err(|rtrb::PushError::Full(page)| page)
    }

    fn take(&mut self) -> Option<Box<Page>> {
        self.read.pop().ok()
    }

    fn more(&mut self) -> Option<Box<Page>> {
        self.spares.pop().ok()
    }
}
