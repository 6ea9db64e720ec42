//! Who reads what is streamed: a thread beside the one that renders, or that one itself.

use estampie_bundle::Streams;
use estampie_engine::pages::{Page, Pages};
use rtrb::{Consumer, Producer, RingBuffer};
use std::collections::VecDeque;
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

/// A reader for an engine with so many pages; what it cannot read it says.
pub(crate) fn reader(streams: Streams, how: Streaming, pages: usize, told: Sender<String>) -> std::io::Result<Box<dyn Pages>> {
    let reading = Reading { streams, told, left: MOST_TOLD };
    if how == Streaming::Waits {
        return Ok(Box::new(Waits { reading, read: VecDeque::with_capacity(pages) }));
    }
    let (asks, asked) = RingBuffer::new(pages);
    let (done, read) = RingBuffer::new(pages);
    std::thread::Builder::new().name("streaming".into()).spawn(move || run(reading, asked, done))?;
    Ok(Box::new(Ahead { asks, read }))
}

struct Reading {
    streams: Streams,
    told: Sender<String>,
    left: usize,
}

impl Reading {
    fn fill(&mut self, page: &mut Page) {
        if let Err(why) = self.streams.fill(page)
            && self.left > 0
        {
            self.left -= 1;
            // Without anybody who listens it is not told.
            let _ = self.told.send(format!("a piece of audio cannot be read and is silent: {why}"));
        }
    }
}

fn run(mut reading: Reading, mut asked: Consumer<Box<Page>>, mut done: Producer<Box<Page>>) {
    loop {
        match asked.pop() {
            Ok(mut page) => {
                reading.fill(&mut page);
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
}

impl Pages for Ahead {
    fn ask(&mut self, page: Box<Page>) -> Result<(), Box<Page>> {
        self.asks.push(page).map_err(|rtrb::PushError::Full(page)| page)
    }

    fn take(&mut self) -> Option<Box<Page>> {
        self.read.pop().ok()
    }
}

/// Reads at once.
struct Waits {
    reading: Reading,
    read: VecDeque<Box<Page>>,
}

impl Pages for Waits {
    fn ask(&mut self, mut page: Box<Page>) -> Result<(), Box<Page>> {
        self.reading.fill(&mut page);
        self.read.push_back(page);
        Ok(())
    }

    fn take(&mut self) -> Option<Box<Page>> {
        self.read.pop_front()
    }
}
