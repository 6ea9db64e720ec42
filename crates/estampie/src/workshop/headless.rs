//! The workshop without its page: a project that a running game plays, for a machine under a desk. What is changed in its files is heard.

use super::Options;
use super::app::App;
use super::rehearsal::Rehearsal;
use crate::cli::output::{out, print_faults, tell};
use crate::failure::Failure;
use crate::player::Output;
use estampie_project::document::Sources;
use estampie_project::language::Playthrough;
use estampie_proof::trace::Label;
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// How often is looked for what has come.
const OFTEN: Duration = Duration::from_millis(10);

/// Plays until `stopped`; tells what comes and what does not fit. Gives what was sent as a playthrough, if it was to be recorded.
///
/// # Errors
/// When there is no project, or its address cannot be listened on.
pub(crate) fn listen(folder: &Path, options: &Options, record: bool, stopped: &AtomicBool) -> Result<Option<Playthrough>, Failure> {
    Sources::read(folder)?;
    // There is no page that could tell of it, and no log: what fails is told where it is heard.
    let _ = tracing_subscriber::fmt().with_max_level(tracing::Level::WARN).with_writer(std::io::stderr).with_ansi(false).without_time().try_init();
    let mut app = App::open(folder, options)?;
    // The files are somebody else's here.
    app.workspace.set_only_read(Some("estampie listen edits nothing".into()));
    print_faults(&app.faults);
    while (app.loading().is_some() || app.rehearsal.player.held()) && !stopped.load(Ordering::Relaxed) {
        app.poll();
        std::thread::sleep(OFTEN);
    }
    // Nobody looks back here.
    app.rehearsal.keeps = false;
    if record {
        app.rehearsal.record();
    }
    let address = app.rehearsal.link().map(estampie_link::Link::address);
    let mut sound = words(&app.rehearsal.player.output());
    let address = address.map_or_else(String::new, |a| a.to_string());
    out!("{}: listening on {address}, UDP and TCP; {sound}; ctrl-c ends", app.document().manifest.name);
    let (mut told, mut faults, begun) = (0, app.faults.clone(), Instant::now());
    while !stopped.load(Ordering::Relaxed) {
        app.poll();
        told = tell_news(&app.rehearsal, told, app.program().rate);
        let now = words(&app.rehearsal.player.output());
        if now != sound {
            out!("after {:.3} s: {now}", begun.elapsed().as_secs_f64());
            sound = now;
        }
        if app.faults != faults {
            faults.clone_from(&app.faults);
            print_faults(&faults);
        }
        if let Some(message) = app.message.take() {
            tell(&message.text);
        }
        std::thread::sleep(OFTEN);
    }
    sum_up(&app, begun.elapsed());
    Ok(app.rehearsal.end_recording())
}

/// What it plays through.
fn words(output: &Output) -> String {
    match output {
        Output::Device(name) => format!("plays through {name}"),
        Output::Silent(why) => format!("plays on the silent clock ({why})"),
    }
}

/// Tells what is new: what the game says and what does not fit, each thing that is said again and again once.
fn tell_news(rehearsal: &Rehearsal, told: u64, rate: u32) -> u64 {
    let mut newest = told;
    let new: Vec<_> = rehearsal.log.iter().take_while(|line| line.number > told).collect();
    for line in new.into_iter().rev() {
        newest = newest.max(line.number);
        if matches!(line.label, Label::Game | Label::Attention) && line.first() {
            out!("{:9.3} {}", line.frame as f64 / f64::from(rate.max(1)), line.text);
        }
    }
    newest
}

/// What came in all, and what did not fit.
fn sum_up(app: &App, listened: Duration) {
    let player = &app.rehearsal.player;
    for (what, count) in [("dropouts at the device", player.underruns()), ("times sound came later than its buffer, on the silent clock", player.late())] {
        if count > 0 {
            tell(&format!("{count} {what}"));
        }
    }
    let Some(link) = app.rehearsal.link() else { return };
    let names = &app.rehearsal.names;
    link.with_facts(|facts| {
        out!("{} messages in {:.0} s from {} of those who send", facts.messages, listened.as_secs_f64(), facts.peers.len());
        for (what, count) in [("were lost: they came faster than the engine takes them", facts.lost), ("came after their time tag", facts.late)] {
            if count > 0 {
                tell(&format!("{count} {what}"));
            }
        }
        for misfit in app.rehearsal.history.misfits.values() {
            tell(&format!("{} ×{}", misfit.notice.text(names), misfit.count));
        }
        for (what, (count, _)) in &facts.not_understood {
            tell(&format!("not understood: {what} ×{count}"));
        }
    });
}
