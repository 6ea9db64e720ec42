//! `estampie doctor`: what this machine has for sound and screen.

use super::output::{self, for_a_machine, out};
use crate::arguments::{Page, Sound};
use crate::bundling::{AudioHashes, Home};
use crate::failure::Failure;
use crate::folders;
use crate::logs::VERSION;
use crate::player::device;
use crate::workshop::theme::Colours;
use crate::{logs, midi, settings};
use estampie_project::compile;
use estampie_project::document::Workspace;
use estampie_project::moved::missing;
use serde_json::{Value, json};
use std::io::IsTerminal as _;
use std::net::{SocketAddr, TcpListener, UdpSocket};
use std::path::{Path, PathBuf};

/// What is missed: its path, how often it is named, and what is like it.
type Missed = Vec<(String, usize, Vec<String>)>;

/// Looks for audio that is not where a project says.
fn audio_of(folder: &Path) -> Result<Missed, Failure> {
    let workspace = Workspace::open(folder)?;
    let missed = missing(workspace.faults());
    let used = compile::wanted_audio(workspace.document()).into_keys().collect();
    let state = folders::state();
    let known = AudioHashes::read(Home { root: workspace.root(), state: state.as_deref() });
    out!("project {}", workspace.document().manifest.name);
    if missed.is_empty() {
        out!("  all audio is where it says");
    }
    let mut all = Vec::new();
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
        all.push((path.clone(), *count, like.iter().map(|found| found.path.clone()).collect()));
    }
    if !missed.is_empty() {
        out!("  fix: the workshop lists them (!), and enter points to what was found");
    }
    Ok(all)
}

#[derive(clap::Args)]
pub(super) struct Arguments {
    /// The project's folder
    project: Option<PathBuf>,
    /// As one JSON value
    #[arg(long, conflicts_with = "report")]
    json: bool,
    /// Prints what a report of a bug needs: the version, the machine, your settings, the project's size and faults, the end of the logs; without paths and names of yours
    #[arg(long)]
    report: bool,
}

pub(super) fn run(arguments: &Arguments) -> Result<(), Failure> {
    if arguments.report {
        return report(arguments.project.as_deref());
    }
    for_a_machine(arguments.json);
    let missed = arguments.project.as_deref().map_or(Ok(Vec::new()), audio_of)?;
    let machine = Machine::look();
    if arguments.json {
        let missed: Vec<_> = missed.iter().map(|(path, count, like)| json!({ "path": path, "named": count, "like": like })).collect();
        output::json(&json!({ "version": VERSION, "machine": machine.to_json(), "missing": missed }));
    } else {
        machine.tell()?;
    }
    match missed.len() {
        0 => Ok(()),
        1 => Err(Failure::Fault("a piece of audio is not where the project says".into())),
        n => Err(Failure::Fault(format!("{n} pieces of audio are not where the project says"))),
    }
}

/// What this machine has.
struct Machine {
    /// The output devices, and whether each is used unless another is named.
    devices: Result<Vec<(String, bool)>, String>,
    midi: Result<Vec<String>, String>,
    /// Where a running game is listened to, and why that cannot be.
    port: (SocketAddr, Option<String>),
}

impl Machine {
    fn look() -> Machine {
        let devices = if device::BUILT_IN { device::list().map_err(|e| e.to_string()) } else { Ok(Vec::new()) };
        let here = SocketAddr::from(([127, 0, 0, 1], estampie_link::PORT));
        let taken = UdpSocket::bind(here).and_then(|_| TcpListener::bind(here)).err();
        Machine { devices, midi: midi::list().map_err(|why| why.to_string()), port: (here, taken.map(|e| e.to_string())) }
    }

    fn to_json(&self) -> Value {
        let size = std::io::stdout().is_terminal().then(|| ratatui::crossterm::terminal::size().ok()).flatten();
        json!({
            "built-with-devices": device::BUILT_IN,
            "devices": self.devices.as_ref().map_or_else(|_| Vec::new(), |list| list.iter().map(|(name, default)| json!({ "name": name, "default": default })).collect()),
            "devices-fail": self.devices.as_ref().err(),
            "midi": self.midi.as_ref().ok(),
            "midi-fails": self.midi.as_ref().err(),
            "listening": { "address": self.port.0.to_string(), "fails": self.port.1 },
            "terminal": {
                "TERM": std::env::var("TERM").ok(),
                "COLORTERM": std::env::var("COLORTERM").ok(),
                "NO_COLOR": std::env::var("NO_COLOR").ok(),
                "colours": Colours::of_environment().name(),
                "size": size,
            },
        })
    }

    fn tell(&self) -> Result<(), Failure> {
        out!("sound");
        match &self.devices {
            _ if !device::BUILT_IN => {
                out!("  built without sound devices; the workshop plays on the silent clock");
                out!("  fix: install ALSA's headers (Debian: libasound2-dev) and build again");
            }
            Ok(devices) if devices.is_empty() => out!("  no output device; the workshop plays on the silent clock"),
            Ok(devices) => devices.iter().for_each(|(name, default)| out!("  {name}{}", if *default { "  (used unless another is named)" } else { "" })),
            Err(error) => out!("  devices cannot be listed: {error}; the workshop plays on the silent clock"),
        }
        out!("MIDI inputs");
        match &self.midi {
            Ok(names) if names.is_empty() => out!("  none is plugged in; one that comes while the workshop is open is found"),
            Ok(names) => names.iter().for_each(|name| out!("  {name}")),
            Err(why) => out!("  none: {why}"),
        }
        if !midi::BUILT_IN {
            out!("  fix: install ALSA's headers (Debian: libasound2-dev) and build again");
        }
        out!("running game");
        match &self.port {
            (here, None) => out!("  {here} is free: --listen, or O in the view Stage, listens there"),
            (here, Some(error)) => out!("  {here} is not free ({error}): a workshop may be listening there; --listen with another port"),
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
}

/// What a report of a bug needs.
fn report(project: Option<&Path>) -> Result<(), Failure> {
    let mut hidden = logs::Hidden::of_machine();
    out!("{}", logs::heading());
    Machine::look().tell()?;
    out!("settings");
    let (settings, wrong) = settings::of_person();
    wrong.iter().for_each(|what| out!("  {}", hidden.hide(what)));
    for one in settings.standing(&Sound::default(), &Page::default()).iter().filter(|s| s.from != "default") {
        out!("  {} = {}", one.word, hidden.hide(&one.value));
    }
    if let Some(folder) = project {
        hidden.add(folder, "PROJECT");
        let workspace = Workspace::open(folder).map_err(|e| Failure::Fault(e.to_string()))?;
        let document = workspace.document();
        out!("project");
        let (sounds, files) = (document.sounds.len(), workspace.audio().len());
        out!(
            "  {sounds} sounds, {files} audio files, {} buses, {} reactions, {} pieces",
            document.buses.len(),
            document.reactions.len(),
            document.music.pieces.len()
        );
        for fault in workspace.faults() {
            out!("  {} {}", fault.page().code, hidden.hide(&fault.what));
        }
    }
    for (name, lines) in logs::ends() {
        out!("{name}");
        lines.iter().for_each(|line| out!("  {}", hidden.hide(line)));
    }
    Ok(())
}
