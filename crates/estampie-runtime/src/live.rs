//! The door for a workshop, where it is built in: what it adds to the two halves of a loaded bundle.

use estampie_engine::engine::{Engine, Notice, Reason, Watch, What};
use estampie_engine::names::{NameKey, Names};
use estampie_engine::program::Program;
use std::net::SocketAddr;
use std::sync::Arc;

/// Why no workshop is listened for.
#[derive(Debug, thiserror::Error)]
pub enum ListenError {
    /// The feature is not there.
    #[error("this runtime was built without live edits: build it with --features live")]
    NotBuilt,
    /// Once is enough.
    #[error("the game listens for a workshop already, on {0}")]
    Already(SocketAddr),
    /// The system refuses.
    #[error("{address} cannot be listened on ({error}): choose another port")]
    Socket {
        /// Where.
        address: SocketAddr,
        /// What the system says.
        error: std::io::Error,
    },
}

/// What a door needs to know of the bundle.
#[cfg_attr(not(feature = "live"), allow(dead_code, reason = "only the door reads it"))]
pub(crate) struct Bundled {
    pub(crate) project: String,
    pub(crate) sources: String,
    pub(crate) program: Arc<Program>,
    pub(crate) seed: u64,
}

/// How many frames of a bus that a workshop wants to measure wait for it.
pub(crate) fn tap_frames(rate: u32) -> usize {
    if cfg!(feature = "live") { rate as usize / 2 } else { 0 }
}

/// How much of what the engine tells waits: a workshop wants all of it, a game what needs attention.
pub(crate) const HAPPENINGS: usize = if cfg!(feature = "live") { 1 << 15 } else { 512 };
/// Nobody but a workshop brings other programs.
pub(crate) const LEAN: bool = !cfg!(feature = "live");
/// Nobody but a workshop looks at statuses.
pub(crate) const STATUSES: usize = if cfg!(feature = "live") { 4 } else { 0 };

/// What a game may want to know.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Told {
    /// What needs attention.
    Notice(Notice),
    /// A sound was asked for whose part is not loaded.
    NotLoaded(NameKey),
}

impl Told {
    /// In words.
    pub(crate) fn text(self, names: &Names) -> String {
        match self {
            Told::Notice(notice) => notice.text(names),
            Told::NotLoaded(sound) => format!("{} was asked for, and the part of the bundle that it is in is not loaded", names.get(sound)),
        }
    }

    /// What of all that happens is told.
    fn of(what: &What) -> Option<Told> {
        match *what {
            What::Notice(notice) => Some(Told::Notice(notice)),
            What::Refused { sound, reason: Reason::NotLoaded, .. } => Some(Told::NotLoaded(sound)),
            _ => None,
        }
    }
}

/// The next thing that an engine tells; frees what it is done with.
fn next_told(watch: &mut Watch) -> Option<Told> {
    if let Some(status) = watch.status() {
        watch.give_back(status);
    }
    loop {
        let told = Told::of(&watch.happening()?.what);
        if told.is_some() {
            return told;
        }
    }
}

#[cfg(not(feature = "live"))]
mod built {
    use super::{Bundled, Engine, ListenError, Names, SocketAddr, Told, Watch, next_told};

    /// What the audio thread has: nothing.
    pub(crate) struct Inner;

    /// What the game's thread has.
    pub(crate) struct Outer(Watch);

    pub(crate) fn pair(bundled: Bundled, watch: Watch) -> (Inner, Outer) {
        drop(bundled);
        (Inner, Outer(watch))
    }

    impl Inner {
        #[allow(clippy::unused_self, reason = "with a door it has what is rendered")]
        pub(crate) fn render(&mut self, engine: &mut Engine, out: &mut [f32]) {
            engine.render(out);
        }
    }

    impl Outer {
        #[allow(clippy::unused_self, reason = "with a door the workshop is told")]
        pub(crate) fn learn(&mut self, _name: &str) {}

        pub(crate) fn notice(&mut self) -> Option<Told> {
            next_told(&mut self.0)
        }

        #[allow(clippy::unused_self, reason = "with a door a workshop may have been here")]
        pub(crate) fn edited(&self) -> bool {
            false
        }

        #[allow(clippy::unused_self, reason = "with a door it may ask for one")]
        pub(crate) fn token(&self) -> Option<&str> {
            None
        }

        #[allow(clippy::unused_self, reason = "with a door it opens")]
        pub(crate) fn listen(&mut self, _address: SocketAddr, _names: &Names) -> Result<SocketAddr, ListenError> {
            Err(ListenError::NotBuilt)
        }
    }
}

#[cfg(feature = "live")]
mod built {
    use super::{Arc, Bundled, Engine, ListenError, Names, SocketAddr, Told, Watch, What, next_told};
    use estampie_engine::engine::Message;
    use estampie_live::{Door, Inside};
    use rtrb::{Consumer, RingBuffer};
    use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};
    use std::sync::mpsc::{Receiver, Sender, channel};
    use std::time::Instant;

    /// Messages of the workshop that wait for the next buffer.
    const MESSAGES: usize = 4096;

    /// What the audio thread has.
    pub(crate) struct Inner {
        messages: Consumer<Message>,
        visited: Arc<AtomicBool>,
        output: rtrb::Producer<f32>,
        load: Arc<AtomicU32>,
        rate: f32,
    }

    /// What the game's thread has.
    pub(crate) struct Outer {
        shut: Option<(Watch, Box<Rest>)>,
        open: Option<Open>,
    }

    /// What a door takes inside besides the engine's answers.
    struct Rest {
        bundled: Bundled,
        messages: rtrb::Producer<Message>,
        visited: Arc<AtomicBool>,
        output: Consumer<f32>,
        load: Arc<AtomicU32>,
    }

    struct Open {
        door: Door,
        names: Sender<String>,
        told: Receiver<What>,
        edited: Arc<AtomicBool>,
    }

    pub(crate) fn pair(bundled: Bundled, watch: Watch) -> (Inner, Outer) {
        let rate = bundled.program.rate;
        let (message_in, messages) = RingBuffer::new(MESSAGES);
        let (output_in, output) = RingBuffer::new(rate as usize * 2);
        let (visited, load) = (Arc::new(AtomicBool::new(false)), Arc::new(AtomicU32::new(0)));
        let inner = Inner { messages, visited: Arc::clone(&visited), output: output_in, load: Arc::clone(&load), rate: rate as f32 };
        let rest = Rest { bundled, messages: message_in, visited, output, load };
        (inner, Outer { shut: Some((watch, Box::new(rest))), open: None })
    }

    impl Inner {
        /// Renders, and while a workshop is here does what it wants before and hands it the output after. What is not taken is lost.
        pub(crate) fn render(&mut self, engine: &mut Engine, out: &mut [f32]) {
            engine.take_from(&mut self.messages);
            if !self.visited.load(Ordering::Relaxed) {
                return engine.render(out);
            }
            let begun = Instant::now();
            engine.render(out);
            let share = begun.elapsed().as_secs_f32() * self.rate / (out.len() / 2).max(1) as f32;
            let before = f32::from_bits(self.load.load(Ordering::Relaxed));
            self.load.store((before + (share - before) * 0.02).to_bits(), Ordering::Relaxed);
            if let Ok(chunk) = self.output.write_chunk_uninit(out.len() / 2 * 2) {
                chunk.fill_from_iter(out.iter().copied());
            }
        }
    }

    impl Outer {
        pub(crate) fn learn(&mut self, name: &str) {
            if let Some(open) = &self.open {
                let _ = open.names.send(name.to_owned());
            }
        }

        pub(crate) fn notice(&mut self) -> Option<Told> {
            match (&mut self.shut, &self.open) {
                (Some((watch, _)), _) => next_told(watch),
                (None, Some(open)) => open.told.try_iter().find_map(|what| Told::of(&what)),
                (None, None) => None,
            }
        }

        /// Whether a program of a workshop plays.
        pub(crate) fn edited(&self) -> bool {
            self.open.as_ref().is_some_and(|open| open.edited.load(Ordering::Relaxed))
        }

        /// What a workshop has to say to come in.
        pub(crate) fn token(&self) -> Option<&str> {
            self.open.as_ref()?.door.token()
        }

        pub(crate) fn listen(&mut self, address: SocketAddr, known: &Names) -> Result<SocketAddr, ListenError> {
            if let Some(open) = &self.open {
                return Err(ListenError::Already(open.door.address()));
            }
            let Some((watch, rest)) = self.shut.take() else { return Err(ListenError::NotBuilt) };
            let Rest { bundled, messages, visited, output, load } = *rest;
            let ((name_in, names), (told_in, told)) = (channel(), channel());
            let edited = Arc::new(AtomicBool::new(false));
            known.iter().for_each(|name| drop(name_in.send(name.to_owned())));
            let Bundled { project, sources, program, seed } = bundled;
            let inside = Inside { project, sources, program, seed, watch, messages, visited, output, load, names, told: told_in, edited: Arc::clone(&edited) };
            match Door::open(address, inside) {
                Ok(door) => {
                    let address = door.address();
                    self.open = Some(Open { door, names: name_in, told, edited });
                    Ok(address)
                }
                Err((error, inside)) => {
                    let Inside { project, sources, program, seed, watch, messages, visited, output, load, .. } = *inside;
                    let bundled = Bundled { project, sources, program, seed };
                    self.shut = Some((watch, Box::new(Rest { bundled, messages, visited, output, load })));
                    Err(ListenError::Socket { address, error })
                }
            }
        }
    }
}

pub(crate) use built::{Inner, Outer, pair};
