//! The workshop: the full-screen page, its views, and what the hands do there.

mod app;
mod audition;
mod axes;
mod bundle;
mod checks;
mod compiling;
mod curve;
mod exploring;
mod finder;
pub(crate) mod headless;
pub(crate) mod keeping;
mod keys;
mod lanes;
mod listening;
mod loading;
mod missing;
mod mix;
mod mouse;
mod music;
mod outside;
mod overlay;
pub(crate) mod painter;
mod played;
mod playthroughs;
mod project;
mod recipes;
mod rehearsal;
mod screen;
mod selected;
mod sounds;
mod stage;
mod stock;
mod text_field;
pub(crate) mod theme;
mod tour;
mod trace;
mod typing;
mod view;
#[cfg(test)]
mod view_tests;
mod wiring;

use crate::failure::Failure;
use crate::quiet::Quiet;
use crate::{folders, logs};
use app::App;
pub(crate) use keys::remapped;
use ratatui::crossterm::event::{self, DisableMouseCapture, EnableMouseCapture};
use ratatui::crossterm::execute;
use std::io::{IsTerminal as _, Write as _};
use std::panic::AssertUnwindSafe;
use std::path::Path;
use std::sync::atomic::Ordering;
use std::time::{Duration, Instant};

/// How the workshop is opened.
#[derive(Debug, Clone)]
pub(crate) struct Options {
    pub(crate) device: Option<String>,
    /// The MIDI inputs that are played: all, none, or those with such a name.
    pub(crate) midi: crate::midi::Wanted,
    pub(crate) buffer_ms: u32,
    pub(crate) light: bool,
    /// Whether few pictures are drawn while no key is pressed.
    pub(crate) reduced_motion: bool,
    /// Keys that are pressed, and the ones that they stand for.
    pub(crate) keys: Vec<(String, String)>,
    /// What is wrong with the person's settings.
    pub(crate) wrong: Vec<String>,
    /// Where running games are listened to from the beginning, if they are.
    pub(crate) listen: Option<std::net::SocketAddr>,
    /// The game that is joined from the beginning, if one is.
    pub(crate) join: Option<std::net::SocketAddr>,
    /// The token that that game has shown, if it listens beyond its own machine.
    pub(crate) token: String,
    /// Machines besides this one that may send.
    pub(crate) allow: Vec<std::net::IpAddr>,
    /// Whether messages stay until the next key.
    pub(crate) patient: bool,
    /// The folder for what is remembered between two starts, if there is one.
    pub(crate) state: Option<std::path::PathBuf>,
    /// The folder for what need not be worked out again, if there is one.
    pub(crate) cache: Option<std::path::PathBuf>,
}

/// The screen is drawn at most so often.
const FRAME: Duration = Duration::from_millis(33);
/// While audio is loaded before the first frame it is looked so often whether it is there.
const SOON: Duration = Duration::from_millis(4);

/// Opens the workshop on the project in `folder` and stays until it is left.
pub(crate) fn open(folder: &Path, options: &Options) -> Result<(), Failure> {
    // Whether there is a project at all is said first.
    estampie_project::document::Sources::read(folder)?;
    if !std::io::stdout().is_terminal() || !std::io::stdin().is_terminal() {
        return Err(Failure::Use("the workshop needs a terminal; \"estampie render\" and \"estampie check\" work without one".into()));
    }
    let log = quiet_errors();
    let begun = Instant::now();
    let mut app = App::open(folder, options)?;
    let signals = keeping::Signals::listen()?;
    let mut terminal = ratatui::try_init()?;
    keeping::keep_panics_off_the_page();
    let _ = execute!(std::io::stdout(), EnableMouseCapture);
    let ended = std::panic::catch_unwind(AssertUnwindSafe(|| run(&mut terminal, &mut app, &signals, begun)));
    if ended.is_err() {
        return Err(failed(app, log));
    }
    let ended = ended.unwrap_or(Ok(()));
    app.keep_journal(true);
    if app.quit && signals.said().is_none() {
        app.end_journal();
    }
    let unsaved = app.workspace.unsaved();
    let _ = execute!(std::io::stdout(), DisableMouseCapture);
    ratatui::restore();
    drop(app);
    drop(log);
    if let Some(signal) = signals.said() {
        let kept = if unsaved > 0 { "; what was not saved is kept, and offered at the next start" } else { "" };
        let _ = writeln!(std::io::stdout(), "estampie: ended by signal {signal}{kept}");
        std::process::exit(128 + signal);
    }
    ended
}

/// The page itself has failed: what is not saved is kept, the terminal is left as it was, and it is said where the report lies.
fn failed(mut app: App, log: Option<(Quiet, tracing_appender::non_blocking::WorkerGuard)>) -> Failure {
    let kept = std::panic::catch_unwind(AssertUnwindSafe(|| app.keep_journal(true))).is_ok();
    let unsaved = app.workspace.unsaved() > 0;
    let _ = execute!(std::io::stdout(), DisableMouseCapture);
    ratatui::restore();
    // What was being done may be half done: nothing of it is asked to end in good order.
    std::mem::forget(app);
    drop(log);
    let work = match (unsaved, kept) {
        (false, _) => "all is saved",
        (true, true) => "what was not saved is kept, and offered at the next start",
        (true, false) => "what was not saved is kept as it was a second before, and offered at the next start",
    };
    let report = keeping::newest_report().map_or_else(String::new, |path| format!("; the report is {}", path.display()));
    Failure::Fault(format!("the workshop has failed, and that is its own fault: {work}{report}; \"estampie doctor --report\" prints what we need to mend it"))
}

/// Waits for a key or the mouse: whether one has come, and whether something was played on a device, which does not wait for the next picture.
fn wait_for_something(app: &mut App, signals: &keeping::Signals, wait: Duration) -> std::io::Result<(bool, bool)> {
    if !app.played.any() {
        return Ok((signals.come(wait)?, false));
    }
    let until = Instant::now() + wait;
    loop {
        let left = until.saturating_duration_since(Instant::now());
        if signals.come(left.min(SOON))? {
            return Ok((true, false));
        }
        let heard = app.poll_played();
        if heard || signals.said().is_some() || left <= SOON {
            return Ok((false, heard));
        }
    }
}

fn run(terminal: &mut ratatui::DefaultTerminal, app: &mut App, signals: &keeping::Signals, begun: Instant) -> Result<(), Failure> {
    let (mut frames, mut work, mut longest) = (0u32, Duration::ZERO, Duration::ZERO);
    let mut longest_between = Duration::ZERO;
    let mut bounded = Instant::now();
    let mut drawn = Instant::now().checked_sub(FRAME).unwrap_or_else(Instant::now);
    let (mut stale, mut touched) = (true, true);
    while !app.quit && signals.said().is_none() {
        // In silence only the clock moves: a third of the pictures are enough.
        let lively = if app.reduced_motion { FRAME * 8 } else { FRAME };
        let pace = if touched {
            FRAME
        } else if app.lively() {
            lively
        } else {
            lively.max(FRAME * 3)
        };
        let wait = if stale { pace.saturating_sub(drawn.elapsed()).min(FRAME) } else { FRAME };
        // The clock begins as soon as it can.
        let wait = if app.rehearsal.player.held() { wait.min(SOON) } else { wait };
        let (key, heard) = wait_for_something(app, signals, wait)?;
        (stale, touched) = (stale | heard, touched | heard);
        let mut at = Instant::now();
        if key {
            app.fits = terminal.size().is_ok_and(|size| screen::fits(size.width, size.height));
            // All that has come, so that a drag is not drawn step by step.
            while signals.come(Duration::ZERO)? {
                stale |= app.event(&event::read()?);
                touched = true;
            }
        }
        if signals.stop.swap(false, Ordering::Relaxed) || std::mem::take(&mut app.suspend) {
            app.keep_journal(true);
            let _ = execute!(std::io::stdout(), DisableMouseCapture);
            ratatui::restore();
            keeping::suspend();
            *terminal = ratatui::try_init()?;
            keeping::keep_panics_off_the_page();
            let _ = execute!(std::io::stdout(), EnableMouseCapture);
            terminal.clear()?;
            stale = true;
            at = Instant::now();
        }
        stale |= app.poll();
        if frames > 0 {
            longest_between = longest_between.max(at.elapsed());
        }
        if bounded.elapsed() > Duration::from_secs(60) {
            bounded = Instant::now();
            folders::state().iter().for_each(|folder| logs::bound(folder));
        }
        if stale && (drawn.elapsed() >= pace || (touched && drawn.elapsed() >= FRAME)) {
            let mut targets = Vec::new();
            let at = Instant::now();
            terminal.draw(|frame| targets = screen::draw(app, frame))?;
            app.targets = targets;
            if frames == 0 {
                tracing::info!(ms = begun.elapsed().as_millis() as u64, "first screen");
            }
            frames += 1;
            work += at.elapsed();
            longest = longest.max(at.elapsed());
            drawn = Instant::now();
            (stale, touched) = (false, false);
        }
    }
    tracing::info!(
        frames,
        mean_us = (work / frames.max(1)).as_micros() as u64,
        longest_us = longest.as_micros() as u64,
        longest_between_us = longest_between.as_micros() as u64,
        "left"
    );
    Ok(())
}

/// Sends standard error and the log to files while the page is up. Gives what keeps both so.
fn quiet_errors() -> Option<(Quiet, tracing_appender::non_blocking::WorkerGuard)> {
    let folder = folders::state()?;
    logs::bound(&folder);
    let quiet = Quiet::begin(&folder)?;
    let (writer, guard) = tracing_appender::non_blocking(tracing_appender::rolling::never(folder, logs::LOG));
    tracing_subscriber::fmt().with_writer(writer).with_ansi(false).try_init().ok()?;
    Some((quiet, guard))
}
