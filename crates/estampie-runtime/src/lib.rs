//! Plays a bundle inside a game.
//!
//! ```no_run
//! use estampie_runtime::{NOW, Options, load};
//! let (mut player, mut control) = load("harbour.bundle".as_ref(), &Options::default())?;
//! // On the audio thread, for every buffer that the device asks for:
//! let mut buffer = [0.0f32; 2 * 512];
//! player.render(&mut buffer);
//! // On the game's thread:
//! let struck = control.key("hull.struck");
//! control.event(NOW, struck, None)?;
//! while let Some(notice) = control.poll() {
//!     eprintln!("{notice}");
//! }
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! [`Player`] belongs to the audio thread: [`Player::render`] never allocates, frees, locks or waits, and gives the same samples however the calls are
//! cut. [`Control`] belongs to one other thread; what it says crosses by a ring that nobody waits on.
//!
//! The same calls with the same frames and the same seed give the same samples as `estampie render`, to the bit.
//!
//! For C and all that calls it there is `include/estampie.h`; its functions are in the module [`c`].

pub mod c;
mod convert;
mod live;
mod parts;
mod streaming;

pub use live::ListenError;
pub use parts::{PartError, PartState};
pub use streaming::{Streaming, ahead};

use convert::Converter;
use estampie_bundle::{Bundle, Origin, ReadError, Streams, assemble};
use estampie_engine::engine::{Capacity, Engine, Full, Input, InputKind, LISTENER_NAME, Message, Prepared};
use estampie_engine::names::{NameKey, Names};
use estampie_engine::pages::{Page, Pages};
use estampie_engine::program::Program;
use estampie_engine::reads::AtOnce;
use parts::{Parts, Store};
use rtrb::{Producer, PushError};
use std::collections::{BTreeMap, BTreeSet};
use std::net::SocketAddr;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, channel};

/// A name as a key: made once, and then said without a text.
pub type Key = NameKey;

/// The frame that is always past: what is said counts at the start of the next block.
pub const NOW: u64 = estampie_engine::engine::NOW;

/// How a bundle is played.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Options {
    /// Frames a second that the host plays (8,000 to 384,000); 0 is as the bundle has. What another rate costs is in `docs/runtime.md`.
    pub rate: u32,
    /// Channels that the host plays: 2, or 1 for both added up halved.
    pub channels: u32,
    /// The seed of all random draws.
    pub seed: u64,
    /// The most voices at once, those that fade out included (1 to 4,352); the project's own number counts too.
    pub voices: usize,
    /// Whether the bundle's parts are not loaded with it, but when the game says so ([`Control::load_part`]).
    pub parts_apart: bool,
    /// Inputs that wait for their frame at most; those beyond are left out and told.
    pub inputs: usize,
    /// Emitters that are somewhere at most (1 to 8,192); what plays at one beyond them is not placed, and told.
    pub emitters: usize,
    /// How audio that the project wants streamed is read.
    pub streaming: Streaming,
    /// The most voices that stream at once without holes: 256 kB for each, if the bundle has anything to stream.
    pub streams: usize,
}

impl Default for Options {
    fn default() -> Self {
        Options { rate: 0, channels: 2, seed: 1, voices: 320, inputs: 1024, emitters: 1024, parts_apart: false, streaming: Streaming::Ahead, streams: 24 }
    }
}

/// Why a bundle is not played.
#[derive(Debug, thiserror::Error)]
pub enum LoadError {
    /// It cannot be read.
    #[error(transparent)]
    Read(#[from] ReadError),
    /// No such rate is played.
    #[error("{0} frames a second are not played: 8000 to 384000 are")]
    Rate(u32),
    /// There is no thread to read with.
    #[error("no thread can be started to read audio with: {0}")]
    Thread(#[from] std::io::Error),
    /// More channels than there are.
    #[error("{0} channels cannot be played: 1 or 2 can")]
    Channels(u32),
}

/// Loads a bundle from a file.
///
/// # Errors
/// When it cannot be played as the host wants it.
pub fn load(path: &Path, options: &Options) -> Result<(Player, Control), LoadError> {
    start(Origin::open(path).map_err(ReadError::from)?, options)
}

/// Loads a bundle from memory.
///
/// # Errors
/// When it cannot be played as the host wants it.
pub fn load_bytes(bytes: Vec<u8>, options: &Options) -> Result<(Player, Control), LoadError> {
    start(Origin::Memory(bytes.into()), options)
}

/// Pages for each voice that streams: what it plays, two ahead, and the start of its loop.
const PAGES: usize = 4;

/// Generators of each kind, by the room for voices.
fn generators(voices: usize) -> usize {
    voices.div_ceil(2).min(64)
}

/// A program ready to be taken over, with so many generators of each kind if it has to bring them.
fn prepared(program: Arc<Program>, seed: u64, generators: usize) -> Prepared {
    if live::LEAN { Prepared::lean(program, seed, generators) } else { Prepared::new(program, seed) }
}

fn start(origin: Origin, options: &Options) -> Result<(Player, Control), LoadError> {
    // What was forged may hold together by all that is looked at, and still be nothing that can be made.
    let made = catch_unwind(AssertUnwindSafe(|| make(origin, options)));
    made.unwrap_or_else(|_| Err(ReadError::Damaged("its program breaks what is made of it".into()).into()))
}

fn make(origin: Origin, options: &Options) -> Result<(Player, Control), LoadError> {
    let mut bundle = Bundle::read(origin.clone())?;
    let rate = bundle.manifest().rate;
    let host = if options.rate == 0 { rate } else { options.rate };
    let convert = match host {
        _ if host == rate => None,
        8_000..=384_000 => Some(Box::new(Converter::new(rate, host).ok_or(LoadError::Rate(host))?)),
        _ => return Err(LoadError::Rate(host)),
    };
    if !(1..=2).contains(&options.channels) {
        return Err(LoadError::Channels(options.channels));
    }
    let (project, sources) = (bundle.manifest().project.clone(), bundle.manifest().sources.clone());
    let parts = bundle.manifest().parts.clone();
    let apart = |name: &str| options.parts_apart && parts.iter().any(|p| p.audio.iter().any(|a| a == name));
    let written = bundle.program()?;
    let stream = options.streaming != Streaming::Whole;
    let clips = bundle.audio(|name| !apart(name), stream)?;
    let program = Arc::new(assemble(&written, &clips)?);
    let loaded = if options.parts_apart { BTreeSet::new() } else { parts.iter().map(|p| p.name.clone()).collect() };
    let parts = Parts::new(Store { origin, stream, clips, parts, seed: options.seed }, loaded);
    let names = program.names.clone();
    let voices = options.voices.clamp(1, 4352);
    let capacity = Capacity {
        voices,
        inputs: options.inputs.clamp(1, 1 << 20),
        emitters: options.emitters,
        generators: generators(voices),
        lean: live::LEAN,
        repeats: (4 * voices).clamp(64, 1024),
        // A game moves all its emitters at once, and more.
        messages: (2 * (options.inputs.min(2048) + options.emitters.min(2048))).clamp(1024, 4096),
        retired: (8 * voices).clamp(1024, 8192),
        bands: (voices / 4).clamp(16, 64),
        notes: voices.clamp(64, 255),
        happenings: live::HAPPENINGS,
        statuses: live::STATUSES,
    };
    let engine_options = estampie_engine::engine::Options { capacity, tap_frames: live::tap_frames(rate), ..Default::default() };
    let (mut engine, remote) = Engine::new(prepared(Arc::clone(&program), options.seed, generators(voices)), engine_options);
    let (tell, unread) = channel();
    let streams = if stream { Some(bundle.streams()?).filter(Streams::any) } else { None };
    if let Some(streams) = streams {
        let pages = options.streams.clamp(1, 256) * PAGES;
        let mut reading = streaming::Told::new(streams, tell);
        let fill = move |page: &mut Page| reading.fill(page);
        let reader: Box<dyn Pages> = if options.streaming == Streaming::Waits { Box::new(AtOnce::new(fill)) } else { streaming::ahead(fill, pages, 0)? };
        engine.stream_from(reader, pages, pages);
    }
    let (messages, watch) = remote.split();
    let (listener, seed) = (Key::of(LISTENER_NAME), options.seed);
    let of = Of { project: project.clone(), sources: sources.clone() };
    let (inside, outside) = live::pair(live::Bundled { project, sources, program, seed }, watch);
    let broken = Arc::new(AtomicBool::new(false));
    let player = Player { engine: Box::new(engine), channels: options.channels as usize, live: inside, convert, broken: Arc::clone(&broken) };
    Ok((player, Control { messages, names, rates: (rate, host), listener, live: outside, parts, of, unread, broken, told: false }))
}

/// Frames that are made at once where two channels become one.
const MONO: usize = 256;

/// The audio thread's part.
pub struct Player {
    engine: Box<Engine>,
    channels: usize,
    live: live::Inner,
    convert: Option<Box<Converter>>,
    broken: Arc<AtomicBool>,
}

impl Player {
    /// Fills `out` with frames of the channels that were asked for, interleaved. Never allocates, frees, locks or waits. Should it break (a bundle that
    /// was forged), the game goes on in silence, and [`Control::poll`] tells of it.
    pub fn render(&mut self, out: &mut [f32]) {
        if !self.broken() && catch_unwind(AssertUnwindSafe(|| self.play(out))).is_ok() {
            return;
        }
        self.broken.store(true, Ordering::Relaxed);
        out.fill(0.0);
    }

    /// Whether it broke, and stays silent.
    #[must_use]
    pub fn broken(&self) -> bool {
        self.broken.load(Ordering::Relaxed)
    }

    fn play(&mut self, out: &mut [f32]) {
        if self.channels == 2 {
            return self.render_stereo(out);
        }
        for part in out.chunks_mut(MONO) {
            let mut both = [0.0f32; 2 * MONO];
            let both = &mut both[..2 * part.len()];
            self.render_stereo(both);
            for (one, two) in part.iter_mut().zip(both.chunks_exact(2)) {
                *one = (two[0] + two[1]) * 0.5;
            }
        }
    }

    fn render_stereo(&mut self, out: &mut [f32]) {
        match &mut self.convert {
            None => self.live.render(&mut self.engine, out),
            Some(convert) => convert.render(&mut self.engine, &mut self.live, out),
        }
    }

    /// The host's frame of the next sample.
    #[must_use]
    pub fn frame(&self) -> u64 {
        self.convert.as_ref().map_or_else(|| self.engine.frame(), |convert| convert.frame)
    }
}

/// The game's part.
pub struct Control {
    messages: Producer<Message>,
    names: Names,
    /// The engine's and the host's.
    rates: (u32, u32),
    listener: Key,
    live: live::Outer,
    parts: Parts,
    of: Of,
    /// What of the streamed audio could not be read.
    unread: Receiver<String>,
    /// Whether the audio thread's part broke, and whether that was told.
    broken: Arc<AtomicBool>,
    told: bool,
}

/// Which bundle is played.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Of {
    /// The project's name.
    pub project: String,
    /// The hash of the texts and audio that it was made of: `estampie bundle --check` and a workshop that joins compare it with what they have.
    pub sources: String,
}

impl Control {
    /// The key of a name. Make it once: it costs a walk over the letters, and remembers the name for what is told about it.
    pub fn key(&mut self, name: &str) -> Key {
        let key = Key::of(name);
        if !self.names.knows(key) {
            self.live.learn(name);
        }
        self.names.add(name)
    }

    /// Which bundle it is: for the game's log, so that nobody mistakes an old one for a new one.
    #[must_use]
    pub fn bundle(&self) -> &Of {
        &self.of
    }

    /// Frames a second that the host plays.
    #[must_use]
    pub fn rate(&self) -> u32 {
        self.rates.1
    }

    /// So many frames of the host in frames of the engine.
    fn frames(&self, host: u64) -> u64 {
        match self.rates {
            (engine, rate) if engine == rate => host,
            // Far beyond any game there is no overflow to come to.
            (engine, rate) => u64::try_from((u128::from(host) * u128::from(engine) + u128::from(rate / 2)) / u128::from(rate.max(1))).unwrap_or(u64::MAX),
        }
    }

    fn say(&mut self, frame: u64, what: InputKind) -> Result<(), Full> {
        self.messages.push(Message::Input(Input { frame: self.frames(frame), what })).map_err(|_| Full)
    }

    /// Something happens, perhaps at an emitter, on a frame ([`NOW`]: at once).
    ///
    /// # Errors
    /// When too much was said since the last buffer; nothing was said then. So it is for all that follow.
    pub fn event(&mut self, frame: u64, event: Key, emitter: Option<Key>) -> Result<(), Full> {
        self.say(frame, InputKind::Event { event, emitter: emitter.unwrap_or(Key::NONE) })
    }

    /// A number is so much, perhaps that of an emitter.
    ///
    /// # Errors
    /// As [`Control::event`].
    pub fn parameter(&mut self, frame: u64, parameter: Key, value: f32, emitter: Option<Key>) -> Result<(), Full> {
        self.say(frame, InputKind::Parameter { parameter, value, emitter: emitter.unwrap_or(Key::NONE) })
    }

    /// A number goes in a straight line, from where it is or from a value, to another in so many frames.
    ///
    /// # Errors
    /// As [`Control::event`].
    pub fn glide(&mut self, frame: u64, parameter: Key, from: Option<f32>, to: f32, frames: u64) -> Result<(), Full> {
        self.say(frame, InputKind::Glide { parameter, from, to, frames: self.frames(frames) })
    }

    /// A state has a value, by our name or the game's.
    ///
    /// # Errors
    /// As [`Control::event`].
    pub fn state(&mut self, frame: u64, state: Key, value: Key) -> Result<(), Full> {
        self.say(frame, InputKind::State { state, value })
    }

    /// An emitter is somewhere, or goes there in so many frames: metres to the east, to the north, and up; degrees clockwise from north.
    ///
    /// # Errors
    /// As [`Control::event`].
    pub fn emitter(&mut self, frame: u64, emitter: Key, kind: Option<Key>, at: [f32; 3], facing: Option<f32>, frames: u64) -> Result<(), Full> {
        self.say(frame, InputKind::Place { emitter, kind: kind.unwrap_or(Key::NONE), at, facing, frames: self.frames(frames) })
    }

    /// The listener is somewhere, or goes there in so many frames.
    ///
    /// # Errors
    /// As [`Control::event`].
    pub fn listener(&mut self, frame: u64, at: [f32; 3], facing: Option<f32>, frames: u64) -> Result<(), Full> {
        let listener = self.listener;
        self.emitter(frame, listener, None, at, facing, frames)
    }

    /// An emitter goes somewhere at a steady speed in metres a second, looking where it goes; `None` is the listener.
    ///
    /// # Errors
    /// As [`Control::event`].
    pub fn walk(&mut self, frame: u64, emitter: Option<Key>, to: [f32; 3], speed: f32) -> Result<(), Full> {
        let emitter = emitter.unwrap_or(self.listener);
        self.say(frame, InputKind::Walk { emitter, to, speed })
    }

    /// An emitter is gone.
    ///
    /// # Errors
    /// As [`Control::event`].
    pub fn remove(&mut self, frame: u64, emitter: Key) -> Result<(), Full> {
        self.say(frame, InputKind::Remove { emitter })
    }

    /// The player sets a level, from 0 to 10.
    ///
    /// # Errors
    /// As [`Control::event`].
    pub fn player_level(&mut self, frame: u64, level: Key, value: f32) -> Result<(), Full> {
        self.say(frame, InputKind::PlayerLevel { level, value })
    }

    /// Everything fades out over so many frames.
    ///
    /// # Errors
    /// As [`Control::event`].
    pub fn stop_all(&mut self, frame: u64, frames: u64) -> Result<(), Full> {
        self.say(frame, InputKind::StopAll { frames: self.frames(frames) })
    }

    /// The next thing that needs attention, in words: names that mean nothing, values out of range. Frees what the engine is done with, so that it
    /// is to be called now and then even by those who do not want to know.
    pub fn poll(&mut self) -> Option<String> {
        self.parts.poll(self.live.edited());
        if let Some(prepared) = self.parts.ready()
            && let Err(PushError::Full(Message::Program(prepared))) = self.messages.push(Message::Program(prepared))
        {
            self.parts.not_yet(prepared);
        }
        if !self.told && self.broken.load(Ordering::Relaxed) {
            self.told = true;
            return Some("the bundle holds what breaks the runtime: it is silent until a bundle is loaded anew".into());
        }
        self.parts.told().or_else(|| self.unread.try_recv().ok()).or_else(|| self.live.notice().map(|told| told.text(&self.names)))
    }

    /// Loads a part of the bundle: reads and decodes it on a thread of its own, and takes it in at a call of [`Control::poll`], between two blocks.
    /// What sounds goes on. One that is there already is no fault.
    ///
    /// # Errors
    /// When there is no such part, or no thread for it. That it cannot be read is told by [`Control::poll`].
    pub fn load_part(&mut self, name: &str) -> Result<(), PartError> {
        self.parts.want(name, true)
    }

    /// Unloads a part likewise: what it holds is refused from then on. What sounds goes on to its end, and what it takes in memory is freed then.
    ///
    /// # Errors
    /// As [`Control::load_part`].
    pub fn unload_part(&mut self, name: &str) -> Result<(), PartError> {
        self.parts.want(name, false)
    }

    /// How it stands with the parts of the bundle, by name.
    #[must_use]
    pub fn parts(&self) -> BTreeMap<&str, PartState> {
        self.parts.states()
    }

    /// Listens for a workshop, which then hears and changes what plays: on this machine, or wherever it may be reached from if the address is no loopback.
    /// A port 0 takes any. Gives the address. Until the workshop leaves, and afterwards, everything stays as it last was.
    ///
    /// # Errors
    /// When this was built without the feature `live`, it listens already, or the address cannot be listened on.
    pub fn listen(&mut self, address: SocketAddr) -> Result<SocketAddr, ListenError> {
        self.live.listen(address, &self.names)
    }

    /// What a workshop has to say to join, if this listens beyond its own machine: to be shown to whoever sits at the game.
    #[must_use]
    pub fn live_token(&self) -> Option<&str> {
        self.live.token()
    }
}
