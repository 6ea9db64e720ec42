//! `estampie bundle PROJECT -o FILE`: the one file that a game ships.

use super::output::{Aside, out, print_faults, tell};
use crate::failure::Failure;
use crate::project;
use estampie_bundle::{Bundle, Info, Manifest, Name, NameKind, c_header, rust_module, write};
use estampie_engine::program::{Program, TakeOf};
use estampie_project::document::{Document, ValueOf};
use std::collections::{BTreeMap, BTreeSet};
use std::io::Write;
use std::path::{Path, PathBuf};
use xxhash_rust::xxh3::Xxh3;

#[derive(clap::Args)]
pub(super) struct Arguments {
    /// The project's folder
    project: PathBuf,
    /// The bundle to write; one that is there is replaced, and what changed is told
    #[arg(short, long, value_name = "OUT.bundle")]
    out: PathBuf,
    /// Write the names that the game's code uses into this folder, as a C header, a Rust module and JSON
    #[arg(long, value_name = "DIR")]
    names: Option<PathBuf>,
    /// Bundle a project with faults, without what they touch
    #[arg(long)]
    anyway: bool,
    /// Write nothing: say whether the bundle that is there is of the project as it is now
    #[arg(long)]
    check: bool,
    /// Write even over a file that is no bundle
    #[arg(long)]
    force: bool,
}

pub(super) fn run(arguments: &Arguments) -> Result<(), Failure> {
    let loaded = project::load(&arguments.project)?;
    print_faults(&loaded.faults);
    let count = loaded.faults.len();
    if count > 0 && !arguments.anyway {
        let faults = if count == 1 { "a fault".to_owned() } else { format!("{count} faults") };
        return Err(Failure::Fault(format!("the project has {faults}; --anyway bundles it without what they touch")));
    }
    if arguments.check {
        return check(arguments, &hash_of(&loaded)?);
    }
    let before = Bundle::open(&arguments.out).ok().map(|b| b.manifest().clone());
    if arguments.out.exists() && before.is_none() && !arguments.force {
        return Err(Failure::Use(format!("{} is there already and is no bundle of this program; name another file, or say --force", arguments.out.display())));
    }
    let document = loaded.workspace.document();
    let info = Info { project: document.manifest.name.clone(), sources: hash_of(&loaded)?, names: names_of(document) };
    let mut file = Aside::create(&arguments.out, &["bundle", "zip"], Some(&arguments.project), arguments.force)?;
    // An archive is written back and forth, and a file appears whole.
    let mut archive = std::io::Cursor::new(Vec::new());
    let manifest = write(&loaded.program, &info, &mut archive).map_err(|e| Failure::Fault(e.to_string()))?;
    let bytes = archive.get_ref().len();
    file.write_all(archive.get_ref())?;
    file.finish()?;
    if let Some(folder) = &arguments.names {
        std::fs::create_dir_all(folder)?;
        let json = serde_json::to_string_pretty(&manifest.names).map_err(|e| Failure::Fault(e.to_string()))?;
        for (name, text) in [
            ("estampie_names.h", c_header(&info.project, &info.names)),
            ("estampie_names.rs", rust_module(&info.project, &info.names)),
            ("estampie_names.json", json),
        ] {
            std::fs::write(folder.join(name), text).map_err(|e| Failure::Fault(format!("{} cannot be written: {e}", folder.join(name).display())))?;
        }
    }
    report(&arguments.out, &manifest, &loaded.program, bytes);
    if let Some(before) = before {
        changes(&before, &manifest);
    }
    if count > 0 { Err(Failure::Fault("the project has faults, and was bundled without what they touch".into())) } else { Ok(()) }
}

/// Whether the bundle that is there was made of what is there now.
fn check(arguments: &Arguments, sources: &str) -> Result<(), Failure> {
    let path = arguments.out.display();
    let bundle = Bundle::open(&arguments.out).map_err(|e| Failure::Fault(format!("{path}: {e}")))?;
    let manifest = bundle.manifest();
    if manifest.sources == sources {
        out!("{path} is of the project as it is, written by {}", manifest.written_by);
        return Ok(());
    }
    Err(Failure::Fault(format!("{path} is stale: the project's texts or audio have changed since it was written; estampie bundle writes it again")))
}

/// The hash of all texts and all audio that is in use.
fn hash_of(loaded: &project::Loaded) -> Result<String, Failure> {
    let mut hash = Xxh3::new();
    for (file, text) in loaded.workspace.sources().texts() {
        // Playthroughs are not in a bundle.
        if !file.starts_with("playthroughs/") {
            hash.update(file.as_bytes());
            hash.update(text.as_bytes());
        }
    }
    let root = loaded.workspace.root();
    for file in estampie_project::compile::wanted_audio(loaded.workspace.document()).keys() {
        hash.update(file.as_bytes());
        match std::fs::read(root.join(file)) {
            Ok(bytes) => hash.update(&bytes),
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => {}
            Err(error) => return Err(Failure::Fault(format!("{file} cannot be read: {error}"))),
        }
    }
    Ok(format!("{:032x}", hash.digest128()))
}

/// The names that a game's code uses.
fn names_of(document: &Document) -> Vec<Name> {
    let name = |kind, name: &str, note: &str| Name {
        kind,
        name: name.to_owned(),
        of: String::new(),
        range: None,
        unit: String::new(),
        each_emitter: false,
        note: note.to_owned(),
    };
    let mut names: Vec<Name> = document.events.iter().map(|e| name(NameKind::Event, &e.name, &e.note)).collect();
    for parameter in document.parameters.iter().filter(|p| p.source == ValueOf::Game) {
        let range = Some(parameter.from_game.unwrap_or((parameter.low, parameter.high)));
        let unit = if parameter.from_game.is_some() { String::new() } else { parameter.unit.clone() };
        names.push(Name { range, unit, each_emitter: parameter.of_each, ..name(NameKind::Parameter, &parameter.name, &parameter.note) });
    }
    for state in &document.states {
        names.push(name(NameKind::State, &state.name, &state.note));
        let theirs = state.dictionary.iter().map(|(theirs, _)| theirs.as_str());
        let all: BTreeSet<&str> = state.values.iter().map(|v| v.value.as_str()).chain(theirs).collect();
        names.extend(all.into_iter().map(|value| Name { of: state.name.clone(), ..name(NameKind::Value, value, "") }));
    }
    names.extend(document.player_levels.iter().map(|level| Name { range: Some((0.0, 10.0)), ..name(NameKind::PlayerLevel, &level.name, "") }));
    names.extend(document.emitters.iter().map(|e| name(NameKind::Emitter, &e.name, &e.note)));
    names.sort_by(|a, b| (a.kind, &a.of, &a.name).cmp(&(b.kind, &b.of, &b.name)));
    names
}

/// Bytes as people read them.
fn size(bytes: u64) -> String {
    match bytes as f64 {
        b if b < 1e4 => format!("{b:.0} bytes"),
        b if b < 1e6 => format!("{:.0} kB", b / 1e3),
        b => format!("{:.1} MB", b / 1e6),
    }
}

/// The files of each of some things.
type Files<'a> = BTreeMap<String, BTreeSet<&'a str>>;

/// What each bus has in the bundle, and each sound: audio that several share counts for each.
fn shares(program: &Program, manifest: &Manifest) -> (BTreeMap<String, u64>, BTreeMap<String, u64>) {
    let bytes: BTreeMap<&str, u64> = manifest.audio.iter().map(|a| (a.name.as_str(), a.bytes)).collect();
    let (mut buses, mut sounds) = (Files::new(), Files::new());
    for sound in &program.sounds {
        let takes = sound.groups.iter().flat_map(|g| &g.takes);
        let recipes = takes.filter_map(|t| if let TakeOf::Recipe(recipe) = &t.of { Some(recipe) } else { None });
        for (clip, _) in recipes.flat_map(|r| &r.parts).flat_map(|p| &p.clips) {
            let bus = program.mix.buses.get(sound.bus.unwrap_or(0) as usize).map_or("main", |b| program.names.get(b.key));
            let Some((name, _)) = bytes.get_key_value(clip.name.as_str()) else { continue };
            buses.entry(bus.to_owned()).or_default().insert(name);
            sounds.entry(program.names.get(sound.key).to_owned()).or_default().insert(name);
        }
    }
    let sum = |all: Files<'_>| all.into_iter().map(|(name, files)| (name, files.iter().filter_map(|f| bytes.get(f)).sum())).collect();
    (sum(buses), sum(sounds))
}

fn report(path: &Path, manifest: &Manifest, program: &Program, bytes: usize) {
    let audio: u64 = manifest.audio.iter().map(|a| a.bytes).sum();
    let loaded: u64 = manifest.audio.iter().map(|a| a.frames * u64::from(a.channels) * 4).sum();
    let pieces = if manifest.audio.len() == 1 { "a piece".to_owned() } else { format!("{} pieces", manifest.audio.len()) };
    out!("{}: {}, {pieces} of audio of {}; {} of audio in memory when loaded", path.display(), size(bytes as u64), size(audio), size(loaded));
    let (buses, sounds) = shares(program, manifest);
    for (what, all) in [("by bus", buses), ("the largest sounds", sounds)] {
        let mut all: Vec<(String, u64)> = all.into_iter().collect();
        all.sort_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.cmp(&b.0)));
        let most = if what == "by bus" { all.len() } else { 5 };
        let list: Vec<String> = all.iter().take(most).map(|(name, bytes)| format!("{name} {}", size(*bytes))).collect();
        out!("  {what}: {}", list.join(", "));
    }
}

/// What is new, gone and changed against the bundle before.
fn changes(before: &Manifest, now: &Manifest) {
    if before.sources == now.sources && before.program == now.program {
        return out!("  the same as before");
    }
    let names = |manifest: &Manifest| manifest.audio.iter().map(|a| (a.name.clone(), (a.bytes, a.frames))).collect::<BTreeMap<_, _>>();
    let (old, new) = (names(before), names(now));
    let added: Vec<&str> = new.keys().filter(|name| !old.contains_key(*name)).map(String::as_str).collect();
    let gone: Vec<&str> = old.keys().filter(|name| !new.contains_key(*name)).map(String::as_str).collect();
    let changed: Vec<&str> = new.iter().filter(|(name, is)| old.get(*name).is_some_and(|was| was != *is)).map(|(name, _)| name.as_str()).collect();
    for (what, list) in [("new", added), ("gone", gone), ("changed", changed)] {
        if !list.is_empty() {
            out!("  {what}: {}", list.join(", "));
        }
    }
    if before.program != now.program {
        out!("  what is done with it has changed");
    }
    let words = |manifest: &Manifest| manifest.names.iter().map(|n| (n.kind, n.of.clone(), n.name.clone())).collect::<BTreeSet<_>>();
    let lost: Vec<String> = words(before).difference(&words(now)).map(|(_, _, name)| name.clone()).collect();
    if !lost.is_empty() {
        tell(&format!("  names that the game may use and that are gone: {}", lost.join(", ")));
    }
}
