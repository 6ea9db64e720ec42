//! The workshop's end: a thread that goes into a game, comes back when the line breaks, and brings the game up to date each time.

use crate::clips::Hashes;
use crate::protocol::{self, First, FromGame, Hello, ToGame};
use estampie_engine::engine::{Answers, Elsewhere, Message};
use estampie_engine::program::Program;
use rtrb::{Consumer, Producer};
use std::io::{self, BufReader, ErrorKind};
use std::net::{Shutdown, SocketAddr, TcpStream};
use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};
use std::sync::mpsc::{Receiver, Sender, channel};
use std::sync::{Arc, Mutex};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

/// So often it is looked for something to send.
const PACE: Duration = Duration::from_millis(3);
/// A game that does not answer is called again after this time.
const AGAIN: Duration = Duration::from_millis(500);
/// A game that takes nothing for so long is gone.
const STUCK: Duration = Duration::from_secs(5);

/// How it stands with the game.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum State {
    /// Nobody has answered yet, and why not; it is tried again and again.
    Calls(Option<String>),
    /// The workshop is in the game.
    Inside {
        /// Its project.
        project: String,
        /// What its bundle was made of.
        sources: String,
        /// How many times it was entered, this one included.
        times: u32,
    },
    /// The game does not take the workshop, and why; it is tried again now and then.
    Refused(String),
}

/// What a visit shares with its thread.
struct Shared {
    state: Mutex<State>,
    /// The last program that the game does not take, with why.
    refused: Mutex<Option<(u64, String)>>,
    over: AtomicBool,
    line: Mutex<Option<TcpStream>>,
    load: AtomicU32,
}

/// A visit to a game. Dropped, the workshop leaves; the game goes on as it is.
pub struct Visit {
    address: SocketAddr,
    shared: Arc<Shared>,
    names: Receiver<String>,
    thread: Option<JoinHandle<()>>,
}

/// Where frames of the game's output go.
pub type Heard = Producer<f32>;

impl Visit {
    /// Begins to call a game, with the token that it shows if it listens beyond its own machine, else an empty one; `elsewhere` stands in for its engine, and `output` takes its output, two interleaved channels.
    ///
    /// # Errors
    /// When no thread can be started.
    pub fn begin(address: SocketAddr, token: &str, workshop: &str, elsewhere: Elsewhere, output: Heard) -> io::Result<Visit> {
        let shared = Arc::new(Shared {
            state: Mutex::new(State::Calls(None)),
            refused: Mutex::new(None),
            over: AtomicBool::new(false),
            line: Mutex::new(None),
            load: AtomicU32::new(0),
        });
        let (tell, names) = channel();
        let hello = Hello::here(workshop, 0, "").with_token(token);
        let caller =
            Caller { address, hello, shared: Arc::clone(&shared), messages: elsewhere.messages, hashes: Hashes::default(), program: None, sent: 0, times: 0 };
        let ears = Ears { answers: elsewhere.answers, output, names: tell };
        let thread = std::thread::Builder::new().name("visit".into()).spawn(move || caller.run(ears))?;
        Ok(Visit { address, shared, names, thread: Some(thread) })
    }

    /// The game's address.
    #[must_use]
    pub fn address(&self) -> SocketAddr {
        self.address
    }

    /// How it stands.
    #[must_use]
    pub fn state(&self) -> State {
        self.shared.state.lock().map_or_else(|_| State::Calls(Some("the visit broke off".into())), |state| state.clone())
    }

    /// The last program that the game did not take, by its number, and why.
    #[must_use]
    pub fn refused(&self) -> Option<(u64, String)> {
        self.shared.refused.lock().ok().and_then(|refused| refused.clone())
    }

    /// The share of real time that the game's rendering takes.
    #[must_use]
    pub fn load(&self) -> f32 {
        f32::from_bits(self.shared.load.load(Ordering::Relaxed))
    }

    /// A name that has not been given yet.
    pub fn name(&self) -> Option<String> {
        self.names.try_recv().ok()
    }
}

impl Drop for Visit {
    fn drop(&mut self) {
        self.shared.over.store(true, Ordering::Relaxed);
        if let Ok(line) = self.shared.line.lock()
            && let Some(stream) = &*line
        {
            let _ = stream.shutdown(Shutdown::Both);
        }
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}

/// What takes the game's answers.
struct Ears {
    answers: Answers,
    output: Heard,
    names: Sender<String>,
}

/// What the game lacks of a program.
struct Lack {
    id: u64,
    audio: Vec<String>,
}

struct Caller {
    address: SocketAddr,
    hello: Hello,
    shared: Arc<Shared>,
    messages: Consumer<Message>,
    hashes: Hashes,
    /// The newest program.
    program: Option<Arc<Program>>,
    /// The number of that which the game has been sent on this line.
    sent: u64,
    times: u32,
}

impl Caller {
    fn run(mut self, mut ears: Ears) {
        while !self.shared.over.load(Ordering::Relaxed) {
            match self.call() {
                Ok(stream) => ears = self.stay(&stream, ears),
                Err(state) => self.stands(state),
            }
            let left = Instant::now();
            while left.elapsed() < AGAIN && !self.shared.over.load(Ordering::Relaxed) {
                // Nobody is there to hear it: of programs the newest is kept.
                drop(self.gather());
                std::thread::sleep(PACE);
            }
        }
    }

    fn stands(&self, state: State) {
        if let Ok(mut now) = self.shared.state.lock() {
            *now = state;
        }
    }

    /// Calls the game once.
    fn call(&mut self) -> Result<TcpStream, State> {
        let calls = |error: io::Error| {
            let why = match error.kind() {
                ErrorKind::ConnectionRefused => "no game listens there".to_owned(),
                ErrorKind::TimedOut | ErrorKind::WouldBlock => "nobody answers there".to_owned(),
                _ => error.to_string(),
            };
            State::Calls(Some(why))
        };
        let mut stream = TcpStream::connect_timeout(&self.address, Duration::from_secs(1)).map_err(calls)?;
        let begins = |stream: &mut TcpStream| {
            stream.set_nodelay(true)?;
            stream.set_read_timeout(Some(Duration::from_secs(2)))?;
            stream.set_write_timeout(Some(STUCK))?;
            protocol::write_hello(stream, &self.hello)?;
            protocol::read_hello(stream)
        };
        let theirs = match begins(&mut stream).map_err(calls)? {
            First::Refused(why) => return Err(State::Refused(why)),
            First::Hello(theirs) => theirs,
        };
        if let Some(why) = theirs.against(&self.hello) {
            return Err(State::Refused(why));
        }
        stream.set_read_timeout(None).map_err(calls)?;
        self.times += 1;
        self.stands(State::Inside { project: theirs.name, sources: theirs.sources, times: self.times });
        Ok(stream)
    }

    /// Is in the game until the line breaks.
    fn stay(&mut self, stream: &TcpStream, ears: Ears) -> Ears {
        let (lacks, lacking) = channel();
        // A clone shares the line; only a system without room for one more number refuses.
        let (Ok(reading), Ok(held)) = (stream.try_clone(), stream.try_clone()) else { return ears };
        if let Ok(mut line) = self.shared.line.lock() {
            *line = Some(held);
        }
        self.sent = 0;
        let kept = Arc::clone(&self.shared);
        std::thread::scope(|scope| {
            let shared = &*kept;
            let hears = scope.spawn(move || hear(reading, ears, shared, &lacks));
            let mut line = stream;
            while !hears.is_finished() && !shared.over.load(Ordering::Relaxed) {
                if self.speak(&mut line, &lacking).is_err() {
                    break;
                }
                std::thread::sleep(PACE);
            }
            let _ = stream.shutdown(Shutdown::Both);
            hears.join()
        })
        .unwrap_or_else(|broke| std::panic::resume_unwind(broke))
    }

    /// Takes what is to be said: inputs, and the newest program.
    fn gather(&mut self) -> Vec<estampie_engine::engine::Input> {
        let mut inputs = Vec::new();
        while let Ok(message) = self.messages.pop() {
            match message {
                Message::Input(input) => inputs.push(input),
                Message::Program(prepared) => {
                    // One whose audio is still being loaded would silence the game: the next one has it.
                    if !prepared.program().sounds.iter().any(|s| s.loading) {
                        self.program = Some(Arc::clone(prepared.program()));
                    }
                }
            }
        }
        inputs
    }

    /// Says what is to be said, and sends audio that is asked for.
    fn speak(&mut self, line: &mut &TcpStream, lacking: &Receiver<Lack>) -> io::Result<()> {
        let inputs = self.gather();
        if let Some(program) = self.program.clone().filter(|p| p.id != self.sent) {
            self.sent = program.id;
            let audio = self.hashes.of(&program).into_iter().map(|(name, (_, hash))| (name, hash)).collect();
            let bytes = postcard::to_allocvec(&*program).map_err(|e| io::Error::new(ErrorKind::InvalidData, e.to_string()))?;
            protocol::write(line, &ToGame::Program { id: program.id, program: bytes, audio })?;
        }
        if !inputs.is_empty() {
            protocol::write(line, &ToGame::Inputs(inputs))?;
        }
        for lack in lacking.try_iter() {
            let Some(program) = self.program.clone().filter(|p| p.id == lack.id) else { continue };
            let clips = self.hashes.of(&program);
            for (clip, _) in lack.audio.iter().filter_map(|name| clips.get(name)) {
                // Of what cannot be read the game gets the head.
                let clip = program.held(clip, usize::MAX).unwrap_or_else(|_| Arc::clone(clip));
                let channels = clip.channels.iter().map(estampie_engine::clip::Samples::to_vec).collect();
                protocol::write(line, &ToGame::Audio { name: clip.name.clone(), channels, loop_points: clip.loop_points })?;
            }
        }
        Ok(())
    }
}

/// Takes the game's answers until the line breaks.
fn hear(stream: TcpStream, mut ears: Ears, shared: &Shared, lacks: &Sender<Lack>) -> Ears {
    let mut from = BufReader::with_capacity(1 << 16, stream);
    while let Ok(message) = protocol::read(&mut from) {
        match message {
            FromGame::Names(names) => names.into_iter().for_each(|name| drop(ears.names.send(name))),
            FromGame::Happened(all) => all.into_iter().for_each(|h| ears.answers.happening(h)),
            FromGame::Status(status) => ears.answers.status(*status),
            FromGame::Heard { output, tap, load } => {
                shared.load.store(load.to_bits(), Ordering::Relaxed);
                for sample in output {
                    let _ = ears.output.push(sample);
                }
                ears.answers.tap(&tap);
            }
            FromGame::Lacks { id, audio } => drop(lacks.send(Lack { id, audio })),
            FromGame::Refuses { id, why } => {
                if let Ok(mut refused) = shared.refused.lock() {
                    *refused = Some((id, why));
                }
            }
        }
    }
    ears
}
