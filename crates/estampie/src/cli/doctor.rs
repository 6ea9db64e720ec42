//! `estampie doctor`: what this machine has for sound and screen.

use super::output::out;
use crate::bundling::{AudioHashes, Home};
use crate::failure::Failure;
use crate::midi;
use crate::player::device;
use crate::workshop::keeping;
use crate::workshop::theme::Colours;
use estampie_project::compile;
use estampie_project::document::Workspace;
use estampie_project::moved::missing;
use std::io::IsTerminal as _;
use std::path::Path;

/// Looks for audio that is not where a project says; gives how many paths are missed.
fn audio_of(folder: &Path) -> Result<usize, Failure> {
    let workspace = Workspace::open(folder)?;
    let missed = missing(workspace.faults());
    let used = compile::wanted_audio(workspace.document()).into_keys().collect();
    let state = keeping::state_folder();
    let known = AudioHashes::read(Home { root: workspace.root(), state: state.as_deref() });
    out!("project {}", workspace.document().manifest.name);
    if missed.is_empty() {
        out!("  all audio is where it says");
    }
    for (path, count) in &missed {
        let times = if *count == 1 { "once".to_owned() } else { format!("{count} times") };
        out!("  {path} is not there, and named {times}");
        let like = known.like(path, workspace.audio(), &used, workspace.root());
        for found in like.iter().take(5) {
            out!("    {}: {}", found.path, found.how.words());
        }
        if like.is_empty() {
            out!("    nothing like it is in the project's folder");
        }
    }
    if !missed.is_empty() {
        out!("  fix: the workshop lists them (!), and enter points to what was found");
    }
    Ok(missed.len())
}

pub(super) fn run(project: Option<&Path>) -> Result<(), Failure> {
    let missed = project.map_or(Ok(0), audio_of)?;
    machine()?;
    match missed {
        0 => Ok(()),
        1 => Err(Failure::Fault("a piece of audio is not where the project says".into())),
        n => Err(Failure::Fault(format!("{n} pieces of audio are not where the project says"))),
    }
}

fn machine() -> Result<(), Failure> {
    out!("sound");
    if device::BUILT_IN {
        match device::list() {
            Ok(devices) if devices.is_empty() => out!("  no output device; the workshop plays on the silent clock"),
            Ok(devices) => {
                for (name, default) in devices {
                    out!("  {name}{}", if default { "  (used unless another is named)" } else { "" });
                }
            }
            Err(error) => out!("  devices cannot be listed: {error}; the workshop plays on the silent clock"),
        }
    } else {
        out!("  built without sound devices; the workshop plays on the silent clock");
        out!("  fix: install ALSA's headers (Debian: libasound2-dev) and build again");
    }
    out!("MIDI inputs");
    match midi::list() {
        Ok(names) if names.is_empty() => out!("  none is plugged in; one that comes while the workshop is open is found"),
        Ok(names) => names.iter().for_each(|name| out!("  {name}")),
        Err(why) => out!("  none: {why}"),
    }
    if !midi::BUILT_IN {
        out!("  fix: install ALSA's headers (Debian: libasound2-dev) and build again");
    }
    out!("running game");
    let here = std::net::SocketAddr::from(([127, 0, 0, 1], estampie_link::PORT));
    match std::net::UdpSocket::bind(here).and_then(|_| std::net::TcpListener::bind(here)) {
        Ok(_) => out!("  {here} is free: --listen, or O in the view Stage, listens there"),
        Err(error) => out!("  {here} is not free ({error}): a workshop may be listening there; --listen with another port"),
    }
    out!("terminal");
    let variable = |name: &str| std::env::var(name).unwrap_or_else(|_| "not set".into());
    out!("  TERM {}, COLORTERM {}, NO_COLOR {}", variable("TERM"), variable("COLORTERM"), variable("NO_COLOR"));
    out!("  colours: {}", Colours::of_environment().name());
    if std::io::stdout().is_terminal() {
        let (columns, rows) = ratatui::crossterm::terminal::size()?;
        let enough = columns >= 100 && rows >= 30;
        out!("  size {columns} × {rows}: {}", if enough { "enough" } else { "too small; make it 100 × 30 or larger" });
    } else {
        out!("  no terminal here: run this in the one you work in");
    }
    out!("fonts");
    out!("  each of these should look as it is called:");
    out!("  braille ⠁⠃⠇⣿   blocks ▁▂▃▄▅▆▇█   lozenges ◆ ◇   notes ♩ ♪   leaf ❧   arrow ⟶   minus −");
    Ok(())
}
