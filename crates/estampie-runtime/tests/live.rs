//! A workshop in a running game: it hears what the game hears, its edits take over between two blocks, and the game goes on without it.
#![cfg(feature = "live")]
#![allow(clippy::unwrap_used, missing_docs)]

use estampie_bundle::{Info, write};
use estampie_engine::clip::Clip;
use estampie_engine::engine::{Happening, Input, InputKind, NOW, Notice, Prepared, Remote, Status, What};
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_live::{State, Visit};
use estampie_project::assets::Assets;
use estampie_project::compile;
use estampie_project::document::{Document, Sources};
use estampie_runtime::{ListenError, Options, load_bytes};
use std::io::{Read as _, Write as _};
use std::net::{SocketAddr, TcpListener, TcpStream};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

/// A project in which a constant sounds from the start, at a level, and a second sound waits for its event.
fn program(level: &str, constant: f32, rate: u32) -> Arc<Program> {
    let sounds = format!("[hum]\nloop = true\nlevel = \"{level}\"\ntakes = [\"audio/dc.wav\"]\n\n[ping]\ntakes = [\"audio/ping.wav\"]\n");
    let sources = Sources::from_texts([
        ("estampie.toml", format!("format = 1\nrate = {rate}\nceiling = \"0 dB\"").as_str()),
        ("sounds/a.toml", &sounds),
        ("game.toml", "[events]\nstart = \"it begins\"\nping = \"a ping\"\n"),
        ("reactions.est", "When start\n  play hum\n\nWhen ping\n  play ping\n"),
    ]);
    let files = ["audio/dc.wav".to_owned(), "audio/ping.wav".to_owned()];
    let (document, faults) = Document::read(&sources, &files.clone().into());
    assert_eq!(faults, vec![]);
    let mut assets = Assets::default();
    for (name, value) in files.iter().zip([constant, 0.25]) {
        let frames = if name.contains("dc") { 48_000 } else { 4_800 };
        assets.insert(name, Ok(Arc::new(Clip::new(name, vec![vec![value; frames]], None))));
    }
    let (program, faults) = compile::compile(&document, &assets);
    assert_eq!(faults, vec![]);
    Arc::new(program)
}

fn bundled(program: &Program) -> Vec<u8> {
    let mut out = std::io::Cursor::new(Vec::new());
    write(program, &Info { project: "Slipway".into(), sources: "5".into(), names: Vec::new(), parts: Vec::new(), storing: Default::default() }, &mut out)
        .unwrap();
    out.into_inner()
}

/// A game that plays: its output is kept.
struct Game {
    address: SocketAddr,
    over: Arc<AtomicBool>,
    heard: Arc<Mutex<Vec<f32>>>,
    notices: Arc<Mutex<Vec<String>>>,
    thread: Option<JoinHandle<()>>,
}

impl Game {
    fn start(program: &Program) -> Game {
        let (mut player, mut control) = load_bytes(bundled(program), &Options::default()).unwrap();
        let start = control.key("start");
        control.event(NOW, start, None).unwrap();
        let address = control.listen("127.0.0.1:0".parse().unwrap()).unwrap();
        let own = control.key("of-the-game-alone");
        control.event(NOW, own, None).unwrap();
        let (over, heard, notices) = (Arc::new(AtomicBool::new(false)), Arc::new(Mutex::new(Vec::new())), Arc::new(Mutex::new(Vec::new())));
        let (ended, kept, told) = (Arc::clone(&over), Arc::clone(&heard), Arc::clone(&notices));
        let thread = std::thread::spawn(move || {
            let mut buffer = [0.0f32; 2 * 100];
            while !ended.load(Ordering::Relaxed) {
                player.render(&mut buffer);
                kept.lock().unwrap().extend_from_slice(&buffer);
                while let Some(notice) = control.poll() {
                    told.lock().unwrap().push(notice);
                }
                std::thread::sleep(Duration::from_millis(1));
            }
        });
        Game { address, over, heard, notices, thread: Some(thread) }
    }

    /// The left channel up to now.
    fn left(&self) -> Vec<f32> {
        self.heard.lock().unwrap().iter().step_by(2).copied().collect()
    }
}

impl Drop for Game {
    fn drop(&mut self) {
        self.over.store(true, Ordering::Relaxed);
        self.thread.take().unwrap().join().unwrap();
    }
}

/// A workshop that visits.
struct Workshop {
    visit: Visit,
    remote: Remote,
    output: rtrb::Consumer<f32>,
    happened: Vec<Happening>,
    status: Option<Status>,
}

impl Workshop {
    fn goes_to(address: SocketAddr) -> Workshop {
        Self::goes_with(address, "")
    }

    fn goes_with(address: SocketAddr, token: &str) -> Workshop {
        let (elsewhere, remote) = Remote::elsewhere(24_000);
        let (output_in, output) = rtrb::RingBuffer::new(96_000);
        Workshop { visit: Visit::begin(address, token, "estampie", elsewhere, output_in).unwrap(), remote, output, happened: Vec::new(), status: None }
    }

    fn until(&mut self, what: &str, mut holds: impl FnMut(&mut Workshop) -> bool) {
        let begun = Instant::now();
        loop {
            self.happened.extend(std::iter::from_fn(|| self.remote.happening()));
            if let Some(status) = self.remote.status() {
                self.status = Some(Status::clone(&status));
                self.remote.give_back(status);
            }
            if holds(self) {
                return;
            }
            assert!(begun.elapsed() < Duration::from_secs(60), "waited in vain until {what}: {:?}", self.visit.state());
            std::thread::sleep(Duration::from_millis(2));
        }
    }

    fn until_inside(&mut self) {
        self.until("it is inside", |w| matches!(w.visit.state(), State::Inside { .. }));
    }

    fn sends(&mut self, program: &Arc<Program>) {
        assert!(self.remote.program(Box::new(Prepared::new(Arc::clone(program), 1))).is_ok());
    }

    /// The frame on which a program took over.
    fn took_over(&mut self, program: &Arc<Program>) -> usize {
        let id = program.id;
        let told = |w: &Workshop| w.happened.iter().find(|h| h.what == What::Notice(Notice::Program(id))).map(|h| h.frame);
        self.until("it takes over", |w| told(w).is_some() && w.status.as_ref().is_some_and(|s| s.program == id));
        told(self).unwrap() as usize
    }
}

#[test]
fn an_edit_takes_over_in_the_game_on_its_frame_and_stays_when_the_workshop_leaves() {
    let game = Game::start(&program("0 dB", 0.5, 48_000));
    let mut workshop = Workshop::goes_to(game.address);
    workshop.until_inside();
    assert!(matches!(workshop.visit.state(), State::Inside { project, sources, times: 1 } if project == "Slipway" && sources == "5"));
    workshop.until("the game is heard", |w| w.status.as_ref().is_some_and(|s| s.voices.len() == 1));
    assert_eq!(workshop.status.as_ref().unwrap().program, 0, "the bundle's is none of the workshop's");
    let names: Vec<String> = std::iter::from_fn(|| workshop.visit.name()).collect();
    assert!(names.iter().any(|n| n == "of-the-game-alone"), "{names:?}");
    workshop.until("a while has passed", |_| game.left().len() > 9600);
    let quieter = program("-6.0206 dB", 0.5, 48_000);
    workshop.sends(&quieter);
    let frame = workshop.took_over(&quieter);
    workshop.until("a while has passed", |_| game.left().len() > frame + 9600);
    drop(workshop);
    std::thread::sleep(Duration::from_millis(30));
    let left = game.left();
    assert!(left[4800..frame].iter().all(|s| (s - 0.5).abs() < 1e-3), "as before, up to the frame");
    assert!((left[frame + 64 * 3] - 0.5).abs() > 1e-3, "changed soon after it: {}", left[frame + 192]);
    assert!(left[frame + 9600..].iter().all(|s| (s - 0.25).abs() < 1e-3), "and so it stays");
    let step = left[4800..].windows(2).map(|w| (w[1] - w[0]).abs()).fold(0.0f32, f32::max);
    assert!(step < 0.01, "without a click: {step}");
    assert_eq!(game.notices.lock().unwrap().iter().filter(|n| n.contains("took over")).count(), 1, "{:?}", game.notices.lock().unwrap());
}

#[test]
fn audio_that_the_game_lacks_is_sent_along_and_what_it_has_is_not() {
    let game = Game::start(&program("0 dB", 0.5, 48_000));
    let mut workshop = Workshop::goes_to(game.address);
    // Before anybody has answered: the newest counts.
    workshop.sends(&program("-3 dB", 0.5, 48_000));
    let other = program("0 dB", 0.1, 48_000);
    workshop.sends(&other);
    let frame = workshop.took_over(&other);
    // What sounds goes on with what it began with; what begins has the new audio.
    workshop.remote.input(Input { frame: NOW, what: InputKind::StopAll { frames: 64 } }).unwrap();
    workshop.remote.input(Input { frame: NOW, what: InputKind::Event { event: NameKey::of("start"), emitter: NameKey::NONE } }).unwrap();
    workshop.until("the new audio is heard", |_| game.left()[frame..].iter().any(|s| (s - 0.1).abs() < 1e-4));
    // What is heard in the game is heard here, and measured.
    workshop.until("the output comes", |w| std::iter::from_fn(|| w.output.pop().ok()).any(|s| (s - 0.1).abs() < 1e-4));
    workshop.until("the load is known", |w| w.visit.load() > 0.0);
    workshop.remote.input(Input { frame: NOW, what: InputKind::Tap { bus: NameKey::of("main") } }).unwrap();
    let mut tap = workshop.remote.take_tap();
    workshop.until("a bus is tapped", |_| std::iter::from_fn(|| tap.pop().ok()).any(|s| s != 0.0));
}

#[test]
fn a_game_visited_again_and_again_plays_as_if_it_never_was() {
    let same = program("0 dB", 0.5, 48_000);
    let game = Game::start(&same);
    let mut last = 0;
    for round in 0..20 {
        let mut workshop = Workshop::goes_to(game.address);
        let again = program("0 dB", 0.5, 48_000);
        workshop.sends(&again);
        let frame = workshop.took_over(&again);
        assert!(frame > last, "round {round}");
        last = frame;
    }
    let left = game.left();
    let alone = {
        let (mut player, mut control) = load_bytes(bundled(&same), &Options::default()).unwrap();
        let start = control.key("start");
        control.event(NOW, start, None).unwrap();
        let mut out = vec![0.0f32; left.len() * 2];
        player.render(&mut out);
        out.into_iter().step_by(2).collect::<Vec<f32>>()
    };
    assert!(left.iter().any(|s| *s > 0.4), "something is heard");
    let differs = left.iter().zip(&alone).position(|(a, b)| a.to_bits() != b.to_bits());
    assert_eq!(differs, None);
}

#[test]
fn a_game_that_ends_and_comes_back_is_brought_up_to_date() {
    let (first, edited) = (program("0 dB", 0.5, 48_000), program("-12 dB", 0.5, 48_000));
    let port = TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap();
    let mut workshop = Workshop::goes_to(port);
    workshop.until("nobody is there", |w| matches!(w.visit.state(), State::Calls(Some(why)) if why.contains("no game listens")));
    workshop.sends(&edited);
    for times in 1..4 {
        let (mut player, mut control) = load_bytes(bundled(&first), &Options::default()).unwrap();
        let begun = Instant::now();
        while let Err(error) = control.listen(port) {
            assert!(begun.elapsed() < Duration::from_secs(90), "{error}");
            std::thread::sleep(Duration::from_millis(50));
        }
        assert!(matches!(control.listen(port), Err(ListenError::Already(address)) if address == port));
        let mut buffer = [0.0f32; 256];
        workshop.happened.clear();
        workshop.status = None;
        workshop.until("it has the edit", |w| {
            player.render(&mut buffer);
            w.status.as_ref().is_some_and(|s| s.program == edited.id)
        });
        assert!(matches!(workshop.visit.state(), State::Inside { times: t, .. } if t == times));
        drop(control);
        workshop.until("the line is broken", |w| !matches!(w.visit.state(), State::Inside { .. }));
    }
}

#[test]
fn what_does_not_fit_is_refused_with_a_sentence() {
    let game = Game::start(&program("0 dB", 0.5, 48_000));
    let mut workshop = Workshop::goes_to(game.address);
    workshop.until_inside();
    // A second workshop.
    let mut second = Workshop::goes_to(game.address);
    second.until("it is refused", |w| matches!(w.visit.state(), State::Refused(why) if why.contains("another workshop is in this game")));
    // Another rate.
    let faster = program("0 dB", 0.5, 96_000);
    workshop.sends(&faster);
    workshop.until("it is refused", |w| w.visit.refused().is_some());
    let (id, why) = workshop.visit.refused().unwrap();
    assert!(id == faster.id && why == "the game plays 48000 frames a second and the project is made for 96000", "{why}");
    // The first leaves: the second comes in by itself.
    drop(workshop);
    second.until_inside();
    drop(second);
    // Strangers are answered or left, and the game goes on.
    for words in [&b"GET / HTTP/1.1\r\n\r\n"[..], &[0xff; 64], &[3, 0, 0, 0, b'a'], b""] {
        let mut stranger = TcpStream::connect(game.address).unwrap();
        stranger.write_all(words).unwrap();
        stranger.shutdown(std::net::Shutdown::Write).unwrap();
        let mut answer = Vec::new();
        stranger.set_read_timeout(Some(Duration::from_secs(10))).unwrap();
        let _ = stranger.read_to_end(&mut answer);
        assert!(answer.is_empty(), "{}", String::from_utf8_lossy(&answer));
    }
    let before = game.left().len();
    std::thread::sleep(Duration::from_millis(50));
    assert!(game.left().len() > before);
}

/// A bundle in which one sound is in a part.
fn in_parts(program: &Program) -> Vec<u8> {
    let part = estampie_bundle::PartInfo { name: "pings".into(), sounds: vec!["ping".into()], pieces: Vec::new(), budget: None };
    let mut out = std::io::Cursor::new(Vec::new());
    write(program, &Info { project: "Slipway".into(), sources: "5".into(), names: Vec::new(), parts: vec![part], storing: Default::default() }, &mut out)
        .unwrap();
    out.into_inner()
}

#[test]
fn beyond_its_own_machine_a_game_asks_for_the_token_that_it_shows() {
    let (_player, mut control) = load_bytes(bundled(&program("0 dB", 0.5, 48_000)), &Options::default()).unwrap();
    let port = control.listen("0.0.0.0:0".parse().unwrap()).unwrap().port();
    let here = SocketAddr::from(([127, 0, 0, 1], port));
    let token = control.live_token().unwrap().to_owned();
    assert!(token.len() == 9 && token.as_bytes()[4] == b'-', "{token}");
    let refused = |token: &str, words: &str| {
        let workshop = Workshop::goes_with(here, token);
        let begun = std::time::Instant::now();
        loop {
            match workshop.visit.state() {
                State::Refused(why) => return assert!(why.contains(words), "{why}"),
                State::Inside { .. } => panic!("it is inside with {token:?}"),
                State::Calls(_) => assert!(begun.elapsed().as_secs() < 10),
            }
            std::thread::sleep(Duration::from_millis(5));
        }
    };
    refused("", "asks for its token");
    refused("aaaa-aaaa", "has another token");
    let workshop = Workshop::goes_with(here, &token.to_uppercase());
    let begun = std::time::Instant::now();
    while !matches!(workshop.visit.state(), State::Inside { .. }) {
        assert!(begun.elapsed().as_secs() < 10, "{:?}", workshop.visit.state());
        std::thread::sleep(Duration::from_millis(5));
    }
    assert!(begun.elapsed() > Duration::from_millis(500), "after a wrong one nobody is answered for a while");
    // On its own machine none is asked for.
    let (_player, mut control) = load_bytes(bundled(&program("0 dB", 0.5, 48_000)), &Options::default()).unwrap();
    control.listen("127.0.0.1:0".parse().unwrap()).unwrap();
    assert_eq!(control.live_token(), None);
}

#[test]
fn an_edit_brings_the_audio_of_parts_along_and_a_part_that_is_loaded_then_does_not_undo_it() {
    let (mut player, mut control) = load_bytes(in_parts(&program("0 dB", 0.5, 48_000)), &Options { parts_apart: true, ..Options::default() }).unwrap();
    let address = control.listen("127.0.0.1:0".parse().unwrap()).unwrap();
    let mut workshop = Workshop::goes_to(address);
    let edited = program("-12 dB", 0.5, 48_000);
    workshop.sends(&edited);
    let (start, ping) = (control.key("start"), control.key("ping"));
    let mut buffer = [0.0f32; 2 * 256];
    control.event(NOW, start, None).unwrap();
    let mut told = Vec::new();
    let mut plays = |player: &mut estampie_runtime::Player, control: &mut estampie_runtime::Control| {
        player.render(&mut buffer);
        told.extend(std::iter::from_fn(|| control.poll()));
        std::thread::sleep(Duration::from_millis(1));
        buffer[0]
    };
    workshop.until("the game has the edit", |w| {
        plays(&mut player, &mut control);
        w.status.as_ref().is_some_and(|s| s.program == edited.id)
    });
    // What is in no part that is loaded sounds, since the edit brought it.
    control.event(NOW, ping, None).unwrap();
    workshop.until("the ping is heard", |_| plays(&mut player, &mut control) > 0.3);
    control.load_part("pings").unwrap();
    workshop.until("it is loaded", |_| {
        plays(&mut player, &mut control);
        control.parts()["pings"] == estampie_runtime::PartState::Loaded
    });
    for _ in 0..30 {
        plays(&mut player, &mut control);
    }
    assert_eq!(workshop.status.as_ref().unwrap().program, edited.id);
    let steady = plays(&mut player, &mut control);
    assert!((steady - 0.5 * 0.251_19).abs() < 1e-3, "the edit is still heard: {steady}");
    assert!(!told.iter().any(|t| t.contains("not loaded")), "{told:?}");
}
