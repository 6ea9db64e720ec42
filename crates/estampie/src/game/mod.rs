//! The stand-in game on a terminal: the drowned streets from above. What it is and tells is in `estampie_link::stand_in`; here are its keys and its
//! picture.

mod draw;
mod sound;

pub(crate) use sound::Inside;

use crate::cli::output::out;
use crate::failure::Failure;
use crate::folders;
use crate::quiet::Quiet;
use crate::workshop::theme::{Colours, Role, Theme};
use estampie_link::Said;
use estampie_link::stand_in::{Clumsy, Dive, Hand, PACE, Pilot, Sender};
use ratatui::crossterm::event::{self, Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers};
use sound::Sound;
use std::io::IsTerminal as _;
use std::net::SocketAddr;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// How it is played.
pub(crate) struct Options {
    /// Where a workshop listens.
    pub(crate) to: SocketAddr,
    /// It sounds itself, by the runtime inside it, instead of sending.
    pub(crate) inside: Option<Inside>,
    /// It plays by itself, as this seed says.
    pub(crate) auto: Option<u64>,
    /// It makes a game's usual mistakes.
    pub(crate) clumsy: bool,
    /// No picture, although there is a terminal.
    pub(crate) no_screen: bool,
    /// It ends after so many seconds.
    pub(crate) seconds: Option<u64>,
    pub(crate) light: bool,
}

/// How it calls itself.
const NAME: &str = "Brinewick Salvage (stand-in)";
/// A walking key counts for so long: until the terminal repeats it.
const HELD: Duration = Duration::from_millis(600);
/// Walking and running, in metres a second.
const SPEEDS: (f32, f32) = (1.8, 4.2);

/// Where what it tells goes.
enum Door {
    /// To a workshop.
    Sends(Sender),
    /// To the runtime inside it.
    Sounds(Box<Sound>),
}

/// A game that is played.
struct Game {
    dive: Dive,
    pilot: Option<Pilot>,
    clumsy: Option<Clumsy>,
    door: Door,
    /// What a key asks for, and since when.
    walks: Option<([f32; 2], Instant)>,
    since_hello: u32,
    /// Messages that were sent, and the last error of sending.
    sent: u64,
    refused: Option<String>,
    /// What the workshop answered last.
    answer: Option<(String, String)>,
    quit: bool,
}

impl Game {
    fn new(options: &Options) -> Result<Game, Failure> {
        let seed = options.auto.unwrap_or(1);
        Ok(Game {
            dive: Dive::new(seed),
            pilot: options.auto.map(Pilot::new),
            clumsy: options.clumsy.then(Clumsy::default),
            door: match &options.inside {
                Some(inside) => Door::Sounds(Box::new(Sound::start(inside)?)),
                None => Door::Sends(Sender::to(options.to)?),
            },
            walks: None,
            since_hello: u32::MAX,
            sent: 0,
            refused: None,
            answer: None,
            quit: false,
        })
    }

    /// One step of the game, with what its hands do, sent.
    fn step(&mut self, hands: &[Hand]) {
        let seconds = 1.0 / PACE as f32;
        let mut told = Vec::new();
        let (wants, mut all) = match &mut self.pilot {
            Some(pilot) => pilot.play(&self.dive, seconds),
            None => (self.walks.filter(|(_, since)| since.elapsed() < HELD).map_or([0.0; 2], |(way, _)| way), Vec::new()),
        };
        all.extend(hands);
        for hand in all {
            self.dive.act(hand, |said| told.push(said));
        }
        self.dive.step(seconds, wants, |said| told.push(said));
        if let Some(clumsy) = &mut self.clumsy {
            if clumsy.stands_still() {
                return;
            }
            let mut wrong: Vec<Said> = Vec::with_capacity(told.len());
            told.into_iter().for_each(|said| clumsy.tell(said, |said| wrong.push(said)));
            told = wrong;
        }
        self.send(&told);
    }

    fn send(&mut self, told: &[Said]) {
        let sender = match &mut self.door {
            Door::Sends(sender) => sender,
            Door::Sounds(sound) => {
                self.sent += told.len() as u64;
                return sound.tell(told);
            }
        };
        self.since_hello = self.since_hello.saturating_add(1);
        let hello = if self.since_hello >= PACE { sender.hello(NAME) } else { Ok(()) };
        match hello.and_then(|()| sender.tell(told)) {
            Ok(()) => {
                self.sent += told.len() as u64;
                if self.since_hello >= PACE {
                    self.since_hello = 0;
                }
            }
            // The system tells of the one before that nobody was there to take it.
            Err(error) => {
                self.refused = Some(error.to_string());
                self.answer = None;
            }
        }
        while let Some(answer) = sender.answer() {
            self.refused = None;
            self.answer = Some(answer);
        }
    }

    /// Where what it tells goes, in words.
    fn goes(&self, options: &Options) -> String {
        match &self.door {
            Door::Sends(_) => format!("sends to {}", options.to),
            Door::Sounds(sound) => {
                let (output, join) = sound.words();
                format!("plays by its own runtime through {output}; {join}")
            }
        }
    }

    /// What the runtime inside it needs to be told of, if there is one.
    fn notices(&self) -> Option<(String, Role)> {
        let Door::Sounds(sound) = &self.door else { return None };
        Some(match &sound.notice {
            Some(notice) => (format!("the runtime: {notice} (×{} in all)", sound.notices), Role::FromGame),
            None => ("the runtime has nothing to tell".into(), Role::Secondary),
        })
    }

    fn end(self) -> Result<(), Failure> {
        if let Door::Sounds(sound) = self.door { sound.end() } else { Ok(()) }
    }

    /// What a key does; a hand of the game's, if it is one.
    fn key(&mut self, key: KeyEvent) -> Option<Hand> {
        let runs = key.modifiers.contains(KeyModifiers::SHIFT);
        let speed = if runs { SPEEDS.1 } else { SPEEDS.0 };
        let way = match key.code {
            KeyCode::Up | KeyCode::Char('w' | 'W') => Some([0.0, speed]),
            KeyCode::Down | KeyCode::Char('s' | 'S') => Some([0.0, -speed]),
            KeyCode::Left | KeyCode::Char('a' | 'A') => Some([-speed, 0.0]),
            KeyCode::Right | KeyCode::Char('d' | 'D') => Some([speed, 0.0]),
            _ => None,
        };
        if let Some(way) = way {
            // Whoever takes the helm has it.
            (self.pilot, self.walks) = (None, Some((way, Instant::now())));
            return None;
        }
        match key.code {
            KeyCode::Char('c') if key.modifiers.contains(KeyModifiers::CONTROL) => self.quit = true,
            KeyCode::Char('q') => self.quit = true,
            KeyCode::Char('o') => self.pilot = if self.pilot.is_some() { None } else { Some(Pilot::new(u64::from(self.dive.time.to_bits()))) },
            KeyCode::Char('c') => self.clumsy = if self.clumsy.is_some() { None } else { Some(Clumsy::default()) },
            KeyCode::Char(c) => return draw::KEYS.iter().find(|(key, ..)| *key == c).map(|(_, hand, _)| *hand),
            _ => {}
        }
        None
    }
}

/// Plays until it is left.
pub(crate) fn run(options: &Options, stopped: &AtomicBool) -> Result<(), Failure> {
    let screen = !options.no_screen && std::io::stdout().is_terminal() && std::io::stdin().is_terminal();
    if !screen && options.auto.is_none() {
        return Err(Failure::Use("without a terminal the game can only play by itself: say --auto SEED".into()));
    }
    if !screen {
        return without_a_screen(Game::new(options)?, options, stopped);
    }
    // Before anything looks for a sound device.
    let quiet = folders::state().as_deref().and_then(Quiet::begin);
    let done = Game::new(options).and_then(|game| on_a_screen(game, options, stopped));
    drop(quiet);
    done
}

/// When the next step is due; what was lost in a long stop is not made up for.
fn next(due: Instant) -> Instant {
    let next = due + Duration::from_secs_f64(1.0 / f64::from(PACE));
    if next + Duration::from_secs(1) < Instant::now() { Instant::now() } else { next }
}

fn over(options: &Options, begun: Instant) -> bool {
    options.seconds.is_some_and(|seconds| begun.elapsed().as_secs() >= seconds)
}

fn without_a_screen(mut game: Game, options: &Options, stopped: &AtomicBool) -> Result<(), Failure> {
    out!("{NAME}: {}; ctrl-c ends", game.goes(options));
    let begun = Instant::now();
    let (mut due, mut told, mut answer, mut notice) = (begun, begun, None, None);
    while !stopped.load(Ordering::Relaxed) && !over(options, begun) {
        std::thread::sleep(due.saturating_duration_since(Instant::now()));
        game.step(&[]);
        due = next(due);
        if game.answer != answer {
            answer.clone_from(&game.answer);
            if let Some((level, text)) = &answer {
                out!("{level}: {text}");
            }
        }
        if let Door::Sounds(sound) = &game.door
            && sound.notice != notice
        {
            notice.clone_from(&sound.notice);
            if let Some(notice) = &notice {
                out!("notice: {notice}");
            }
        }
        if told.elapsed() > Duration::from_secs(10) {
            told = Instant::now();
            let nobody = game.refused.as_ref().map_or_else(String::new, |why| format!("; nobody takes it ({why})"));
            out!(
                "{:.0} s, {}, {:.0} m deep, {}; {} messages{nobody}",
                game.dive.time,
                game.dive.place().word(),
                game.dive.depth(),
                game.dive.threat.word(),
                game.sent
            );
        }
    }
    out!("{} messages in {:.0} s", game.sent, begun.elapsed().as_secs_f64());
    game.end()
}

fn on_a_screen(mut game: Game, options: &Options, stopped: &AtomicBool) -> Result<(), Failure> {
    let mut terminal = ratatui::try_init()?;
    let theme = Theme::new(Colours::of_environment(), options.light);
    let begun = Instant::now();
    let mut due = begun;
    let mut done = Ok(());
    while !game.quit && !stopped.load(Ordering::Relaxed) && !over(options, begun) {
        let mut hands = Vec::new();
        loop {
            let read = match event::poll(due.saturating_duration_since(Instant::now())) {
                Ok(false) => break,
                Ok(true) => event::read(),
                Err(error) => Err(error),
            };
            match read {
                Ok(Event::Key(key)) if key.kind != KeyEventKind::Release => hands.extend(game.key(key)),
                Ok(_) => {}
                // The terminal is gone.
                Err(_) => {
                    game.quit = true;
                    break;
                }
            }
        }
        game.step(&hands);
        due = next(due);
        if let Err(error) = terminal.draw(|frame| draw::draw(&game, options, theme, frame)) {
            done = Err(error.into());
            break;
        }
    }
    ratatui::restore();
    done.and(game.end())
}
