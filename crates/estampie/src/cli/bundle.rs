//! `estampie bundle PROJECT -o FILE`: the one file that a game ships.

use super::output::{out, print_faults, tell};
use crate::bundling::{self, Allowed, AudioHashes, Home, idle_encodings, over_budget, size, write_to};
use crate::failure::Failure;
use crate::folders;
use crate::project;
use estampie_bundle::{Audio, Bundle, Encoding, Manifest, c_header, rust_module};
use estampie_engine::index::BusIndex;
use estampie_engine::program::{Program, TakeOf};
use estampie_project::document::Over;
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

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
    /// Bundle a project with faults, without what they touch, and one that does not keep what is expected of it
    #[arg(long)]
    anyway: bool,
    /// Do not hold the playthroughs against what is expected of them: that takes a while
    #[arg(long)]
    unchecked: bool,
    /// With the made-up stand-ins of what is not made yet; without, they are silent
    #[arg(long)]
    placeholders: bool,
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
    if !arguments.anyway && !arguments.unchecked {
        let broken = super::check::held(&loaded)?.len();
        if broken > 0 {
            let what = if broken == 1 { "an expectation is".to_owned() } else { format!("{broken} expectations are") };
            return Err(Failure::Fault(format!("{what} not kept; --anyway bundles it all the same")));
        }
        let over = super::check::over_budget(&loaded);
        if !over.is_empty() {
            return Err(Failure::Fault(format!("{}; --anyway bundles it all the same", over.join("; "))));
        }
    }
    let before = Bundle::open(&arguments.out).ok().map(|b| b.manifest().clone());
    if arguments.out.exists() && before.is_none() && !arguments.force {
        return Err(Failure::Use(format!("{} is there already and is no bundle of this program; name another file, or say --force", arguments.out.display())));
    }
    let document = loaded.workspace.document();
    let state = folders::state();
    let home = Home { root: loaded.workspace.root(), state: state.as_deref() };
    let bare = bundling::without_placeholders(document, &loaded.assets).filter(|_| !arguments.placeholders);
    let program = bare.as_ref().map_or(&*loaded.program, |(program, _)| program);
    let allowed = Allowed { force: arguments.force, anyway: arguments.anyway };
    let (manifest, bytes) = write_to(&arguments.out, allowed, (program, document), hash_of(&loaded)?, home)?;
    if let Some((_, count)) = &bare {
        let what = if *count == 1 { "a placeholder is".to_owned() } else { format!("{count} placeholders are") };
        tell(&format!("  note: {what} silent in it; --placeholders keeps what stands in for what is not made yet"));
    }
    if let Some(folder) = &arguments.names {
        std::fs::create_dir_all(folder)?;
        let json = serde_json::to_string_pretty(&manifest.names).map_err(|e| Failure::Fault(e.to_string()))?;
        for (name, text) in [
            ("estampie_names.h", c_header(&manifest.project, &manifest.names)),
            ("estampie_names.rs", rust_module(&manifest.project, &manifest.names)),
            ("estampie_names.json", json),
        ] {
            std::fs::write(folder.join(name), text).map_err(|e| Failure::Fault(format!("{} cannot be written: {e}", folder.join(name).display())))?;
        }
    }
    report(&arguments.out, &manifest, program, bytes);
    let (limits, audio) = (&document.manifest.budget, manifest.audio.iter().map(|a| a.bytes).sum::<u64>());
    if let Some(may) = limits.bundle.filter(|may| audio > *may && limits.over != Over::Say) {
        tell(&format!("  budget: audio takes {} in the bundle, and the budget has {}", size(audio), size(may)));
    }
    for idle in idle_encodings(document) {
        tell(&format!("  note: the encoding {idle} is of no audio that is played"));
    }
    if let Some(before) = before {
        changes(&before, &manifest);
    }
    if count > 0 { Err(Failure::Fault("the project has faults, and was bundled without what they touch".into())) } else { Ok(()) }
}

/// The hash of what a bundle would be made of.
fn hash_of(loaded: &project::Loaded) -> Result<String, Failure> {
    let workspace = &loaded.workspace;
    bundling::hash_of(workspace.sources(), workspace.document(), workspace.root(), &mut AudioHashes::default())
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
            let bus = program.mix.buses.of(sound.bus.unwrap_or(BusIndex::ROOT)).map_or("main", |b| program.names.get(b.key));
            let Some((name, _)) = bytes.get_key_value(clip.name.as_str()) else { continue };
            buses.entry(bus.to_owned()).or_default().insert(name);
            sounds.entry(program.names.get(sound.key).to_owned()).or_default().insert(name);
        }
    }
    let sum = |all: Files<'_>| all.into_iter().map(|(name, files)| (name, files.iter().filter_map(|f| bytes.get(f)).sum())).collect();
    (sum(buses), sum(sounds))
}

fn report(path: &Path, manifest: &Manifest, program: &Program, bytes: u64) {
    let audio: u64 = manifest.audio.iter().map(|a| a.bytes).sum();
    let loaded: u64 = manifest.audio.iter().map(Audio::memory).sum();
    let pieces = if manifest.audio.len() == 1 { "a piece".to_owned() } else { format!("{} pieces", manifest.audio.len()) };
    out!("{}: {}, {pieces} of audio of {}; {} of audio in memory when loaded", path.display(), size(bytes), size(audio), size(loaded));
    let (buses, sounds) = shares(program, manifest);
    for (what, all) in [("by bus", buses), ("the largest sounds", sounds)] {
        let mut all: Vec<(String, u64)> = all.into_iter().collect();
        all.sort_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.cmp(&b.0)));
        let most = if what == "by bus" { all.len() } else { 5 };
        let list: Vec<String> = all.iter().take(most).map(|(name, bytes)| format!("{name} {}", size(*bytes))).collect();
        out!("  {what}: {}", list.join(", "));
    }
    let streamed: Vec<&Audio> = manifest.audio.iter().filter(|a| a.is_long()).collect();
    if !streamed.is_empty() {
        let bytes = streamed.iter().map(|a| a.bytes).sum();
        let pieces = if streamed.len() == 1 { "a piece".to_owned() } else { format!("{} pieces", streamed.len()) };
        out!("  streamed: {pieces} of {}, of which only the beginning is loaded", size(bytes));
    }
    if !manifest.parts.is_empty() {
        let parts: u64 = manifest.audio.iter().filter(|a| manifest.parts.iter().any(|p| p.audio.contains(&a.name))).map(Audio::memory).sum();
        out!("  always in memory: {}", size(loaded - parts));
        for part in &manifest.parts {
            let budget = part.budget.map_or_else(String::new, |budget| format!(" of {}", size(budget)));
            let pieces = if part.audio.len() == 1 { "a piece".to_owned() } else { format!("{} pieces", part.audio.len()) };
            out!("  part {}: {pieces} of audio, {}{budget} in memory when loaded", part.name, size(part.memory));
        }
    }
    let lossy = manifest.audio.iter().filter(|a| a.encoding == Encoding::Vorbis);
    let (count, bytes) = lossy.fold((0, 0), |(count, bytes), audio| (count + 1, bytes + audio.bytes));
    if count > 0 {
        out!("  as Ogg Vorbis: {count} of the pieces, {}", size(bytes));
    }
    over_budget(manifest).iter().for_each(|over| tell(&format!("  {over}")));
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
