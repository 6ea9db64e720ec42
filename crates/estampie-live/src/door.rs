//! The game's end: a thread that listens for one workshop at a time, and takes everything that comes out of the engine.

use crate::clips::{self, Hash};
use crate::protocol::{self, First, FromGame, Hello, ToGame};
use estampie_engine::clip::Clip;
use estampie_engine::engine::{Happening, Message, Notice, Prepared, Reason, Status, Watch, What};
use estampie_engine::program::Program;
use rtrb::{Consumer, Producer};
use std::collections::HashMap;
use std::hash::{BuildHasher as _, Hasher as _, RandomState};
use std::io::{self, BufReader};
use std::net::{Shutdown, SocketAddr, TcpListener, TcpStream};
use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};
use std::sync::mpsc::{Receiver, Sender, SyncSender, sync_channel};
use std::sync::{Arc, Mutex};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

/// So often the door is looked at.
const PACE: Duration = Duration::from_millis(4);
/// A workshop that takes nothing for so long is gone.
const STUCK: Duration = Duration::from_secs(2);
/// What a workshop has sent and is not done yet.
const WAITING: usize = 256;

/// What the door has of the engine inside the game.
pub struct Inside {
    /// The project, as the bundle has it.
    pub project: String,
    /// What the bundle was made of.
    pub sources: String,
    /// The bundle's program.
    pub program: Arc<Program>,
    /// The seed that it is played with.
    pub seed: u64,
    /// What comes out of the engine.
    pub watch: Watch,
    /// Where messages of the workshop go: the thread that renders takes them from its other end.
    pub messages: Producer<Message>,
    /// Whether a workshop is here: then the thread that renders puts its output into the ring.
    pub visited: Arc<AtomicBool>,
    /// Frames of the output, two interleaved channels.
    pub output: Consumer<f32>,
    /// The share of real time that rendering takes, as bits of an `f32`.
    pub load: Arc<AtomicU32>,
    /// Names for which the game makes keys.
    pub names: Receiver<String>,
    /// Where goes what the game may want to know: notices, and sounds whose part of the bundle is not loaded.
    pub told: Sender<What>,
    /// Is set once a program of a workshop plays.
    pub edited: Arc<AtomicBool>,
}

/// After a wrong token nobody is answered for so long, so that it cannot be guessed.
const DEAF: Duration = Duration::from_secs(1);

/// Letters and figures that are not taken for each other.
const LETTERS: &[u8; 31] = b"abcdefghjkmnpqrstuvwxyz23456789";

/// A token that nobody guesses: eight of these, by what the system draws for its hashes.
fn token() -> String {
    let drawn = RandomState::new().build_hasher().finish();
    let letters: Vec<char> = (0..8).map(|at| char::from(LETTERS[(drawn >> (8 * at)) as u8 as usize % LETTERS.len()])).collect();
    let (one, other) = letters.split_at(4);
    [one, &['-'], other].concat().into_iter().collect()
}

/// A door that is open. Dropped, it closes; the engine goes on as it is.
pub struct Door {
    address: SocketAddr,
    token: Option<String>,
    closed: Arc<AtomicBool>,
    here: Arc<Mutex<Option<TcpStream>>>,
    thread: Option<JoinHandle<()>>,
}

impl Door {
    /// Listens. Beyond this machine only a workshop that knows the token comes in ([`Door::token`]). On an error what was to be inside is given back.
    ///
    /// # Errors
    /// When the address cannot be listened on.
    pub fn open(address: SocketAddr, inside: Inside) -> Result<Door, (io::Error, Box<Inside>)> {
        let listen = || {
            let callers = TcpListener::bind(address)?;
            callers.set_nonblocking(true)?;
            Ok((callers.local_addr()?, callers))
        };
        let (address, callers) = match listen() {
            Ok(open) => open,
            Err(error) => return Err((error, Box::new(inside))),
        };
        let token = (!address.ip().is_loopback()).then(token);
        let (closed, here) = (Arc::new(AtomicBool::new(false)), Arc::new(Mutex::new(None)));
        let mut clips = HashMap::new();
        inside.program.each_clip(|clip| drop(clips.insert(clip.name.clone(), (Arc::clone(clip), None))));
        let keeper = Keeper {
            hello: Hello::here(&inside.project, inside.program.rate, &inside.sources),
            token: token.clone(),
            deaf_until: None,
            numbers: HashMap::new(),
            names: Vec::new(),
            clips,
            waits: None,
            ready: None,
            inside,
            guest: None,
            closed: Arc::clone(&closed),
            here: Arc::clone(&here),
        };
        let spawned = std::thread::Builder::new().name("live".into()).spawn(move || keeper.run(&callers));
        // What was to be inside is with the thread that could not be started.
        let thread = spawned.ok();
        Ok(Door { address, token, closed, here, thread })
    }

    /// Where it listens.
    #[must_use]
    pub fn address(&self) -> SocketAddr {
        self.address
    }
}

impl Door {
    /// What a workshop has to say to come in, if it listens beyond this machine: the game shows it.
    #[must_use]
    pub fn token(&self) -> Option<&str> {
        self.token.as_deref()
    }
}

impl Drop for Door {
    fn drop(&mut self) {
        self.closed.store(true, Ordering::Relaxed);
        if let Ok(here) = self.here.lock()
            && let Some(stream) = &*here
        {
            let _ = stream.shutdown(Shutdown::Both);
        }
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}

/// A workshop that is here.
struct Guest {
    stream: TcpStream,
    came: Receiver<ToGame>,
    reads: Option<JoinHandle<()>>,
}

impl Drop for Guest {
    fn drop(&mut self) {
        let _ = self.stream.shutdown(Shutdown::Both);
        // Whoever reads may wait for room.
        while self.came.try_recv().is_ok() {}
        self.came = sync_channel(0).1;
        if let Some(reads) = self.reads.take() {
            let _ = reads.join();
        }
    }
}

/// A program that waits for audio, or for room.
struct Waits {
    id: u64,
    program: Program,
    audio: Vec<(String, Hash)>,
}

struct Keeper {
    inside: Inside,
    hello: Hello,
    /// What a workshop has to say.
    token: Option<String>,
    /// Nobody is answered before.
    deaf_until: Option<Instant>,
    /// The workshop's numbers of programs, by ours.
    numbers: HashMap<u64, u64>,
    /// All names that were made keys of.
    names: Vec<String>,
    /// All audio that is here, by name; its hash once it was asked for.
    clips: HashMap<String, (Arc<Clip>, Option<Hash>)>,
    waits: Option<Waits>,
    /// A program on its way to the engine.
    ready: Option<Box<Prepared>>,
    guest: Option<Guest>,
    closed: Arc<AtomicBool>,
    here: Arc<Mutex<Option<TcpStream>>>,
}

impl Keeper {
    fn run(mut self, callers: &TcpListener) {
        let mut tap = self.inside.watch.take_tap();
        while !self.closed.load(Ordering::Relaxed) {
            // Who calls meanwhile waits in the system's queue.
            while self.deaf_until.is_none_or(|until| Instant::now() >= until) {
                let Ok((stream, _)) = callers.accept() else { break };
                self.answer(stream);
            }
            let gone = match self.take() {
                Ok(()) => self.tell(&mut tap).is_err(),
                Err(()) => true,
            };
            if gone {
                self.leave();
            }
            std::thread::sleep(PACE);
        }
        self.leave();
    }

    /// The workshop is gone: what it changed stays.
    fn leave(&mut self) {
        self.inside.visited.store(false, Ordering::Relaxed);
        (self.guest, self.waits) = (None, None);
        self.numbers.clear();
        if let Ok(mut here) = self.here.lock() {
            *here = None;
        }
    }

    /// Somebody calls.
    fn answer(&mut self, mut stream: TcpStream) {
        let patience = Some(Duration::from_millis(500));
        let ready = stream.set_nonblocking(false).and(stream.set_read_timeout(patience)).and(stream.set_write_timeout(Some(STUCK)));
        let Ok(First::Hello(theirs)) = ready.and(stream.set_nodelay(true)).and_then(|()| protocol::read_hello(&mut stream)) else { return };
        let wrong = self.token.as_ref().filter(|token| **token != theirs.token && self.hello.protocol == theirs.protocol);
        let stranger = wrong.map(|_| {
            let asked = if theirs.token.is_empty() { "asks for its token" } else { "has another token" };
            format!("the game listens beyond its own machine and {asked}: it shows it, and J takes it behind the address")
        });
        if stranger.is_some() && !theirs.token.is_empty() {
            self.deaf_until = Some(Instant::now() + DEAF);
        }
        let busy = self.guest.as_ref().map(|_| "another workshop is in this game: let it leave first".to_owned());
        if let Some(why) = stranger.or(busy).or_else(|| self.hello.against(&theirs)) {
            let _ = protocol::write_refusal(&mut stream, &why);
            // What has not been read would let the system throw the answer away.
            let _ = stream.shutdown(Shutdown::Write);
            return;
        }
        let begins = || -> io::Result<(TcpStream, TcpStream)> {
            protocol::write_hello(&mut &stream, &self.hello)?;
            protocol::write(&mut &stream, &FromGame::Names(self.names.clone()))?;
            stream.set_read_timeout(None)?;
            Ok((stream.try_clone()?, stream.try_clone()?))
        };
        let Ok((reading, held)) = begins() else { return };
        let (send, came) = sync_channel(WAITING);
        let reads = std::thread::Builder::new().name("live in".into()).spawn(move || read(reading, &send)).ok();
        if let Ok(mut here) = self.here.lock() {
            *here = Some(held);
        }
        self.guest = Some(Guest { stream, came, reads });
        // What was rendered before is not what is heard from now on.
        while self.inside.output.pop().is_ok() {}
        self.inside.visited.store(true, Ordering::Relaxed);
    }

    /// Does what the workshop wants; an error if it is gone.
    fn take(&mut self) -> Result<(), ()> {
        loop {
            self.hand_over();
            let Some(guest) = &self.guest else { return Ok(()) };
            let message = match guest.came.try_recv() {
                Ok(message) => message,
                Err(std::sync::mpsc::TryRecvError::Empty) => return Ok(()),
                Err(std::sync::mpsc::TryRecvError::Disconnected) => return Err(()),
            };
            match message {
                ToGame::Inputs(inputs) => {
                    for input in inputs {
                        // What has no room is not said: the engine is not being rendered.
                        let _ = self.inside.messages.push(Message::Input(input));
                    }
                }
                ToGame::Program { id, program, audio } => self.program(id, &program, audio)?,
                ToGame::Audio { name, channels, loop_points } => {
                    let clip = Clip::new(&name, channels, loop_points);
                    let hash = clips::hash(&clip);
                    self.clips.insert(name, (Arc::new(clip), Some(hash)));
                    self.prepare();
                }
            }
        }
    }

    fn send(&mut self, message: &FromGame) -> Result<(), ()> {
        let Some(guest) = &mut self.guest else { return Ok(()) };
        protocol::write(&mut guest.stream, message).map_err(|_| ())
    }

    /// An edited program has come; what it lacks is asked for.
    fn program(&mut self, id: u64, bytes: &[u8], audio: Vec<(String, Hash)>) -> Result<(), ()> {
        let refuses = |why: String| FromGame::Refuses { id, why };
        let program = match postcard::from_bytes::<Program>(bytes) {
            Ok(program) => program,
            Err(error) => return self.send(&refuses(format!("the program is not understood: {error}"))),
        };
        if program.rate != self.inside.program.rate {
            let rate = self.inside.program.rate;
            return self.send(&refuses(format!("the game plays {rate} frames a second and the project is made for {}", program.rate)));
        }
        let lacks: Vec<String> = audio.iter().filter(|(name, hash)| !self.has(name, *hash)).map(|(name, _)| name.clone()).collect();
        self.waits = Some(Waits { id, program, audio });
        if lacks.is_empty() {
            self.prepare();
            return Ok(());
        }
        self.send(&FromGame::Lacks { id, audio: lacks })
    }

    fn has(&mut self, name: &str, hash: Hash) -> bool {
        self.clips.get_mut(name).is_some_and(|(clip, known)| *known.get_or_insert_with(|| clips::hash(clip)) == hash)
    }

    /// The program that waits goes to the engine if all its audio is here.
    fn prepare(&mut self) {
        let Some(mut waits) = self.waits.take() else { return };
        if !waits.audio.iter().all(|(name, hash)| self.has(name, *hash)) {
            self.waits = Some(waits);
            return;
        }
        waits.program.fill_clips(|name| self.clips.get(name).map(|(clip, _)| Arc::clone(clip)));
        waits.program.id = Program::next_id();
        if self.numbers.len() > 4096 {
            self.numbers.clear();
        }
        self.numbers.insert(waits.program.id, waits.id);
        self.inside.edited.store(true, Ordering::Relaxed);
        self.ready = Some(Box::new(Prepared::new(Arc::new(waits.program), self.inside.seed)));
        self.hand_over();
    }

    fn hand_over(&mut self) {
        if let Some(prepared) = self.ready.take()
            && let Err(rtrb::PushError::Full(Message::Program(prepared))) = self.inside.messages.push(Message::Program(prepared))
        {
            self.ready = Some(prepared);
        }
    }

    /// What a program is called in the workshop.
    fn number(&self, program: u64) -> u64 {
        self.numbers.get(&program).copied().unwrap_or(0)
    }

    /// Takes what came out of the engine, and tells it to the workshop if one is here.
    fn tell(&mut self, tap: &mut Consumer<f32>) -> Result<(), ()> {
        let new: Vec<String> = self.inside.names.try_iter().collect();
        self.names.extend_from_slice(&new);
        let mut happened: Vec<Happening> = Vec::new();
        while let Some(mut happening) = self.inside.watch.happening() {
            if matches!(happening.what, What::Notice(_) | What::Refused { reason: Reason::NotLoaded, .. }) {
                let _ = self.inside.told.send(happening.what);
            }
            if let What::Notice(Notice::Program(id)) = &mut happening.what {
                *id = self.numbers.get(id).copied().unwrap_or(0);
            }
            if self.guest.is_some() {
                happened.push(happening);
            }
        }
        let status = self.inside.watch.status();
        let told = status.as_ref().filter(|_| self.guest.is_some()).map(|s| Box::new(Status { program: self.number(s.program), ..Status::clone(s) }));
        if let Some(status) = status {
            self.inside.watch.give_back(status);
        }
        if self.guest.is_none() {
            return Ok(());
        }
        if !new.is_empty() {
            self.send(&FromGame::Names(new))?;
        }
        if !happened.is_empty() {
            self.send(&FromGame::Happened(happened))?;
        }
        if let Some(status) = told {
            self.send(&FromGame::Status(status))?;
        }
        let (output, tap) = (drain(&mut self.inside.output), drain(tap));
        if output.is_empty() && tap.is_empty() {
            return Ok(());
        }
        let load = f32::from_bits(self.inside.load.load(Ordering::Relaxed));
        self.send(&FromGame::Heard { output, tap, load })
    }
}

/// Whole frames that wait in a ring.
fn drain(ring: &mut Consumer<f32>) -> Vec<f32> {
    ring.read_chunk(ring.slots() / 2 * 2).map(|chunk| chunk.into_iter().collect()).unwrap_or_default()
}

/// Reads what a workshop sends until it is gone.
fn read(stream: TcpStream, send: &SyncSender<ToGame>) {
    let mut from = BufReader::with_capacity(1 << 16, stream);
    while let Ok(message) = protocol::read(&mut from) {
        if send.send(message).is_err() {
            return;
        }
    }
}
