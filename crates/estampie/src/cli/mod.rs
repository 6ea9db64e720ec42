//! The command line. Exit 0: well; 1: the project or a check is at fault; 2: wrong use.

mod add;
mod budget;
mod bundle;
mod check;
mod compare;
mod demo;
mod doctor;
mod draw;
mod explore;
mod game;
mod listen;
mod material;
mod new;
pub(crate) mod output;
mod probe;
mod render;
mod render_take;
mod report;
mod schema;
mod stock;
mod wave;

use crate::failure::Failure;
use crate::{address, workshop};
use clap::{Parser, Subcommand};
use output::tell;
use std::net::{IpAddr, SocketAddr};
use std::path::PathBuf;
use std::process::ExitCode;

#[derive(Parser)]
#[command(name = "estampie", version, about = "A workshop for the adaptive sound of games", args_conflicts_with_subcommands = true)]
struct Arguments {
    #[command(subcommand)]
    command: Option<Command>,
    /// The project's folder (the present one if left out)
    project: Option<PathBuf>,
    #[command(flatten)]
    sound: Sound,
    #[command(flatten)]
    page: Page,
}

#[derive(clap::Args, Clone, Debug)]
pub(crate) struct Sound {
    /// Play through this device ("estampie doctor" lists them); "none" plays on the silent clock
    #[arg(long, value_name = "NAME")]
    device: Option<String>,
    /// The MIDI inputs that are played: part of a name ("estampie doctor" lists them), "none", or all of them
    #[arg(long, value_name = "NAME")]
    midi: Option<String>,
    /// How much sound is made ahead, in milliseconds (5 to 500)
    #[arg(long, value_name = "MS", default_value_t = 30, value_parser = clap::value_parser!(u32).range(5..=500))]
    buffer: u32,
}

/// How the workshop is opened, besides the sound.
#[derive(clap::Args, Clone, Debug)]
pub(crate) struct Page {
    /// The light theme
    #[arg(long)]
    light: bool,
    /// Lets a running game play, by Open Sound Control on this address or port (127.0.0.1:9460 if none is said); UDP and TCP
    #[arg(long, value_name = "ADDRESS", num_args = 0..=1, default_missing_value = "", value_parser = listen_address)]
    listen: Option<SocketAddr>,
    /// With --listen: a machine that may send besides this one; may be said several times
    #[arg(long, value_name = "ADDRESS")]
    allow: Vec<IpAddr>,
    /// Joins a running game that has the runtime, listening on this address or port (127.0.0.1:9461 if none is said)
    #[arg(long, value_name = "ADDRESS", num_args = 0..=1, default_missing_value = "", value_parser = join_address)]
    join: Option<SocketAddr>,
    /// Messages stay until the next key instead of for some seconds: for who reads slowly, or by machine
    #[arg(long)]
    patient: bool,
}

#[derive(Subcommand)]
enum Command {
    /// Opens the demo, Brinewick Salvage, in a copy of your own
    Demo {
        /// Puts the demo back as it was; your copy is kept beside it
        #[arg(long)]
        restore: bool,
        /// Says where your copy is, and opens nothing
        #[arg(long)]
        path: bool,
        #[command(flatten)]
        sound: Sound,
        #[command(flatten)]
        page: Page,
    },
    /// Makes a new project
    New {
        /// Its folder; it must not exist, or be empty
        folder: PathBuf,
    },
    /// Reads a project with all its audio and tells every fault; holds its playthroughs against what is expected of them, and listens to every way between
    /// sections
    Check(check::Arguments),
    /// Tells what two traces, projects or bundles differ in: what is heard, when, how loud, and with which take
    Compare(compare::Arguments),
    /// Plays the project as its game might, for minutes on end, in search of problems
    Explore(explore::Arguments),
    /// Plays what a running game sends, without a screen, until it is stopped
    Listen(listen::Arguments),
    /// A small game that makes no sound and sends what a real one would, to try the link with
    Game(game::Arguments),
    /// Writes the one file that a game ships, with the names that its code uses
    Bundle(bundle::Arguments),
    /// Renders a playthrough to a WAV file
    Render(render::Arguments),
    /// Plays a sound by itself, without its mix, and writes it as WAV files: for those who want recordings of what is made in the project
    RenderTake(render_take::Arguments),
    /// Draws a project's curves, transitions, routing, map, a playthrough over time, loudness or coverage, as SVG or PDF
    Draw(draw::Arguments),
    /// Writes a few pages for the team: what there is, how it stands, and the drawings behind it
    Report(report::Arguments),
    /// Puts a recipe into a project: what designers build again and again, ready made; without one it lists them
    Add(add::Arguments),
    /// The list of all that the game will need: how far it is, and its exchange with a spreadsheet
    Stock(stock::Arguments),
    /// Prints facts of audio files
    Probe {
        /// The files
        #[arg(required = true)]
        files: Vec<PathBuf>,
        /// As JSON, one object a line
        #[arg(long)]
        json: bool,
    },
    /// Writes down every field of a project's files, as JSON Schema for editors
    Schema(schema::Arguments),
    /// Looks at the sound device, the terminal and the fonts; with a project, for audio that is not where it says, and where something like it lies
    Doctor {
        /// The project's folder
        project: Option<PathBuf>,
    },
}

/// Is set when the user stops a command (`ctrl-c`), or its terminal is gone: it ends in good order.
fn stopped() -> Result<std::sync::Arc<std::sync::atomic::AtomicBool>, Failure> {
    let stopped = stopped_by_hand()?;
    #[cfg(unix)]
    signal_hook::flag::register(signal_hook::consts::SIGHUP, std::sync::Arc::clone(&stopped))?;
    Ok(stopped)
}

/// The same for what has a page: when its terminal is gone it ends at once, since there is nothing to put in order, and reading keys from no
/// terminal would never come back.
fn stopped_by_hand() -> Result<std::sync::Arc<std::sync::atomic::AtomicBool>, Failure> {
    let stopped = std::sync::Arc::default();
    #[cfg(unix)]
    for signal in [signal_hook::consts::SIGINT, signal_hook::consts::SIGTERM] {
        signal_hook::flag::register(signal, std::sync::Arc::clone(&stopped))?;
    }
    Ok(stopped)
}

/// Runs the command line.
pub(crate) fn run() -> ExitCode {
    // A decoder that panics is caught, and told as what is wrong with its file.
    let usual = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |info| {
        if !estampie_project::assets::guarded() {
            usual(info);
        }
    }));
    let arguments = match Arguments::try_parse() {
        Ok(arguments) => arguments,
        Err(error) => {
            let _ = error.print();
            return if error.use_stderr() { ExitCode::from(2) } else { ExitCode::SUCCESS };
        }
    };
    let done = match arguments.command {
        None => workshop::open(&arguments.project.unwrap_or_else(|| PathBuf::from(".")), &options(&arguments.sound, &arguments.page)),
        Some(Command::Demo { restore, path, sound, page }) => demo::run(restore, path, &options(&sound, &page)),
        Some(Command::New { folder }) => new::run(&folder),
        Some(Command::Check(arguments)) => check::run(&arguments),
        Some(Command::Compare(arguments)) => compare::run(&arguments),
        Some(Command::Explore(arguments)) => explore::run(&arguments),
        Some(Command::Draw(arguments)) => draw::run(&arguments),
        Some(Command::Report(arguments)) => report::run(&arguments),
        Some(Command::Bundle(arguments)) => bundle::run(&arguments),
        Some(Command::Game(arguments)) => game::run(&arguments),
        Some(Command::Listen(arguments)) => listen::run(&arguments),
        Some(Command::Render(arguments)) => render::run(&arguments),
        Some(Command::RenderTake(arguments)) => render_take::run(&arguments),
        Some(Command::Add(arguments)) => add::run(&arguments),
        Some(Command::Stock(arguments)) => stock::run(&arguments),
        Some(Command::Probe { files, json }) => probe::run(&files, json),
        Some(Command::Schema(arguments)) => schema::run(&arguments),
        Some(Command::Doctor { project }) => doctor::run(project.as_deref()),
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(Failure::Fault(what)) => {
            tell(&format!("estampie: {what}"));
            ExitCode::from(1)
        }
        Err(Failure::Use(what)) => {
            tell(&format!("estampie: {what}"));
            ExitCode::from(2)
        }
    }
}

/// An address to listen on: a port, an address, or both.
fn listen_address(text: &str) -> Result<SocketAddr, String> {
    address::parse(text, estampie_link::PORT)
}

/// An address of a game to join, likewise.
fn join_address(text: &str) -> Result<SocketAddr, String> {
    address::parse(text, estampie_live::protocol::PORT)
}

fn options(sound: &Sound, page: &Page) -> workshop::Options {
    workshop::Options {
        device: sound.device.clone(),
        midi: crate::midi::Wanted::of(sound.midi.as_deref()),
        buffer_ms: sound.buffer,
        light: page.light,
        listen: page.listen,
        join: page.join,
        allow: page.allow.clone(),
        patient: page.patient,
        state: workshop::keeping::state_folder(),
        cache: workshop::keeping::cache_folder(),
    }
}
