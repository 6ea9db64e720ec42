//! The command line. Exit 0: well; 1: the project or a check is at fault; 2: wrong use.

mod add;
mod budget;
mod bundle;
mod check;
mod compare;
mod completions;
mod config;
mod demo;
mod doctor;
mod draw;
mod explain;
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

use crate::arguments::{Page, Sound};
use crate::failure::Failure;
use crate::logs::VERSION;
use crate::{settings, workshop};
use clap::{CommandFactory as _, Parser, Subcommand};
use std::path::PathBuf;
use std::process::ExitCode;

#[derive(Parser)]
#[command(
    name = "estampie",
    version = VERSION,
    about = "A workshop for the adaptive sound of games",
    args_conflicts_with_subcommands = true,
    after_help = "Examples:\n  estampie demo            a copy of the demo, to be tried and changed\n  estampie new my-game     a new project that sounds at once\n  estampie my-game         opens it"
)]
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

#[derive(Subcommand)]
enum Command {
    /// Opens the demo, Brinewick Salvage, in a copy of your own
    #[command(after_help = "Example:\n  estampie demo --path")]
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
    #[command(after_help = "Example:\n  estampie new my-game")]
    New {
        /// Its folder; it must not exist, or be empty
        folder: PathBuf,
    },
    /// Reads a project with all its audio and tells every fault; holds its playthroughs against what is expected of them, and listens to every way between
    /// sections
    #[command(after_help = "Example:\n  estampie check my-game --junit out.xml")]
    Check(check::Arguments),
    /// Tells what two traces, projects or bundles differ in: what is heard, when, how loud, and with which take
    #[command(after_help = "Example:\n  estampie compare before/ after/ --playthrough first-dive")]
    Compare(compare::Arguments),
    /// Plays the project as its game might, for minutes on end, in search of problems
    #[command(after_help = "Example:\n  estampie explore my-game --minutes 30 --seed 7")]
    Explore(explore::Arguments),
    /// Plays what a running game sends, without a screen, until it is stopped
    #[command(after_help = "Example:\n  estampie listen my-game 9460")]
    Listen(listen::Arguments),
    /// A small game that makes no sound and sends what a real one would, to try the link with
    #[command(after_help = "Example:\n  estampie game --auto 7")]
    Game(game::Arguments),
    /// Writes the one file that a game ships, with the names that its code uses
    #[command(after_help = "Example:\n  estampie bundle my-game -o my-game.bundle")]
    Bundle(bundle::Arguments),
    /// Renders a playthrough to a WAV file
    #[command(after_help = "Example:\n  estampie render my-game first-dive -o dive.wav")]
    Render(render::Arguments),
    /// Plays a sound by itself, without its mix, and writes it as WAV files: for those who want recordings of what is made in the project
    #[command(after_help = "Example:\n  estampie render-take my-game step/plank -o plank.wav")]
    RenderTake(render_take::Arguments),
    /// Draws a project's curves, transitions, routing, map, a playthrough over time, loudness or coverage, as SVG or PDF
    #[command(after_help = "Example:\n  estampie draw my-game routing -o routing.svg")]
    Draw(draw::Arguments),
    /// Writes a few pages for the team: what there is, how it stands, and the drawings behind it
    #[command(after_help = "Example:\n  estampie report my-game -o report.pdf")]
    Report(report::Arguments),
    /// Puts a recipe into a project: what designers build again and again, ready made; without one it lists them
    #[command(after_help = "Example:\n  estampie add my-game footsteps")]
    Add(add::Arguments),
    /// The list of all that the game will need: how far it is, and its exchange with a spreadsheet
    #[command(after_help = "Example:\n  estampie stock my-game export sounds.csv")]
    Stock(stock::Arguments),
    /// Prints facts of audio files
    #[command(after_help = "Example:\n  estampie probe audio/*.wav --json")]
    Probe {
        /// The files
        #[arg(required = true)]
        files: Vec<PathBuf>,
        /// As JSON, one object a line
        #[arg(long)]
        json: bool,
    },
    /// Writes down every field of a project's files, as JSON Schema for editors
    #[command(after_help = "Example:\n  estampie schema sounds -o sounds.json")]
    Schema(schema::Arguments),
    /// Looks at the sound device, the terminal and the fonts; with a project, for audio that is not where it says, and where something like it lies
    #[command(after_help = "Example:\n  estampie doctor my-game")]
    Doctor(doctor::Arguments),
    /// Says more of a kind of fault: what it means, what the project does meanwhile, how it is put right
    #[command(after_help = "Example:\n  estampie explain E203")]
    Explain(explain::Arguments),
    /// Tells what is set for you in every project (theme, device, keys, motion), and where each setting comes from
    #[command(after_help = "Example:\n  estampie config --write")]
    Config(config::Arguments),
    /// Writes what a shell needs to complete commands and their options
    #[command(after_help = "Example:\n  estampie completions bash > ~/.local/share/bash-completion/completions/estampie")]
    Completions(completions::Completions),
    /// Writes the manual's pages for man
    #[command(after_help = "Example:\n  estampie man ~/.local/share/man/man1")]
    Man(completions::Man),
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
        Some(Command::Doctor(arguments)) => doctor::run(&arguments),
        Some(Command::Explain(arguments)) => explain::run(&arguments),
        Some(Command::Config(arguments)) => config::run(&arguments),
        Some(Command::Completions(arguments)) => completions::complete(&arguments, &mut Arguments::command()),
        Some(Command::Man(arguments)) => completions::manual(&arguments, &Arguments::command()),
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(Failure::Fault(what)) => {
            output::fail(&what);
            ExitCode::from(1)
        }
        Err(Failure::Use(what)) => {
            output::fail(&what);
            ExitCode::from(2)
        }
    }
}

/// How the workshop is opened: by the command line and by what is set.
fn options(sound: &Sound, page: &Page) -> workshop::Options {
    let (settings, wrong) = settings::of_person();
    let mut options = settings.options(sound, page);
    options.wrong = wrong;
    options
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The examples on the page of a command, as words.
    fn examples(command: &clap::Command) -> Vec<Vec<String>> {
        let text = command.get_after_help().map(ToString::to_string).unwrap_or_default();
        let lines = text.lines().map(str::trim).filter(|line| line.starts_with("estampie"));
        // What a shell does with the output is not said to the program; nor is what stands behind a gap.
        lines.map(|line| line.split(" > ").next().unwrap_or(line).split("   ").next().unwrap_or(line).split(' ').map(str::to_owned).collect()).collect()
    }

    #[test]
    fn every_command_has_an_example_that_it_understands() {
        let command = Arguments::command();
        let all: Vec<Vec<String>> = examples(&command).into_iter().chain(command.get_subcommands().flat_map(examples)).collect();
        for inner in command.get_subcommands() {
            assert!(all.iter().any(|words| words.get(1).is_some_and(|word| word == inner.get_name())), "{} has no example", inner.get_name());
        }
        for words in all {
            assert!(
                Arguments::try_parse_from(&words).is_ok(),
                "{}: {}",
                words.join(" "),
                Arguments::try_parse_from(&words).err().map_or_else(String::new, |e| e.to_string())
            );
        }
    }
}
