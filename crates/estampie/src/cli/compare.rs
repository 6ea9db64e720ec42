//! `estampie compare A B`: what two traces, projects or bundles differ in.

use super::output::{self, out, print_faults};
use super::render::find;
use crate::aside::Aside;
use crate::failure::Failure;
use crate::project;
use crate::versioned::{State, Which};
use estampie_engine::names::Names;
use estampie_engine::program::Program;
use estampie_engine::units::Seconds;
use estampie_project::document::{Difference as Written, Sources, differences as differences_of_texts};
use estampie_project::language::Playthrough;
use estampie_proof::measure::Meter;
use estampie_proof::offline::{Rendering, names_in};
use estampie_proof::trace::differ::{Difference, Trace, differences};
use estampie_proof::trace::to_json;
use serde_json::json;
use std::io::Write as _;
use std::path::{Path, PathBuf};
use std::sync::Arc;

#[derive(clap::Args)]
pub(super) struct Arguments {
    /// A trace (.jsonl), a project's folder, or a bundle
    one: PathBuf,
    /// Another
    #[arg(required_unless_present = "git")]
    other: Option<PathBuf>,
    /// A project with itself as it was in this commit, by the machine's git
    #[arg(long, value_name = "COMMIT", conflicts_with = "other")]
    git: Option<String>,
    /// The playthrough that both play, of a project of the two by its name, or as a file; all of the first project's if unsaid
    #[arg(short, long)]
    playthrough: Option<String>,
    /// The seed of the first, instead of the playthrough's own
    #[arg(long)]
    seed: Option<u64>,
    /// The seed of the second
    #[arg(long)]
    other_seed: Option<u64>,
    /// Frames a second, for traces alone
    #[arg(long, default_value_t = 48_000.0)]
    rate: f64,
    /// Writes everything that differs as JSON
    #[arg(short, long, value_name = "OUT.json")]
    out: Option<PathBuf>,
    /// Everything that differs as one JSON value on standard output, instead of lines
    #[arg(long)]
    json: bool,
    /// How many differences are told of each playthrough
    #[arg(long, default_value_t = 20)]
    most: usize,
}

/// What is compared.
enum Side {
    Trace(Trace),
    Plays(Arc<Program>),
}

/// What a playthrough comes to.
struct Played {
    trace: Trace,
    /// Integrated loudness in LUFS and true peak in dBTP, if it was rendered.
    loudness: Option<(f64, f64)>,
}

/// Playthroughs with their names.
type Known = Vec<(String, Arc<Playthrough>)>;

fn side(path: &Path, rate: f64) -> Result<(Side, Known), Failure> {
    if path.is_dir() {
        let loaded = project::load(path)?;
        print_faults(&loaded.faults);
        return Ok((Side::Plays(Arc::clone(&loaded.program)), loaded.workspace.document().playthroughs.clone()));
    }
    let ending = path.extension().and_then(|e| e.to_str()).unwrap_or_default();
    let failed = |e: &dyn std::fmt::Display| Failure::Use(format!("{}: {e}", path.display()));
    if matches!(ending, "jsonl" | "json") {
        let text = std::fs::read_to_string(path).map_err(|e| failed(&e))?;
        return Ok((Side::Trace(Trace::read(&text, rate).map_err(|e| failed(&format!("{e}; it is no trace")))?), Vec::new()));
    }
    let bundle = estampie_bundle::Bundle::open(path).map_err(|e| failed(&e))?;
    Ok((Side::Plays(bundle.load().map_err(|e| failed(&e))?), Vec::new()))
}

fn play(program: &Arc<Program>, playthrough: &Playthrough, seed: Option<u64>) -> Played {
    let mut names: Names = program.names.clone();
    names.add_all(&names_in(playthrough));
    let mut lines = Vec::new();
    let mut meter = Meter::new(2, program.rate).ok();
    let mut rendering = Rendering::new(program, playthrough, seed, Seconds(0.0));
    let mut part = Vec::new();
    while rendering.left() > 0 {
        rendering.next(u64::from(program.rate) / 10, &mut part, |happening| lines.push(to_json(happening, &names)));
        if let Some(meter) = &mut meter {
            meter.add(&part);
        }
    }
    let loudness = meter.map(|m| m.reading()).map(|r| (r.integrated, r.true_peak));
    Played { trace: Trace { rate: f64::from(program.rate), lines }, loudness }
}

pub(super) fn run(arguments: &Arguments) -> Result<(), Failure> {
    output::for_a_machine(arguments.json);
    let before = arguments.git.as_deref().map(|commit| State::of(&arguments.one, Which::Commit(commit))).transpose()?;
    // What was comes first.
    let paths: [&Path; 2] = match (&before, &arguments.other) {
        (Some(before), _) => [before.path(), &arguments.one],
        (None, other) => [&arguments.one, other.as_deref().unwrap_or(&arguments.one)],
    };
    let written = if paths.iter().all(|path| path.is_dir()) { written(paths)? } else { Vec::new() };
    tell_written(&written, arguments.most);
    let (one, first) = side(paths[0], arguments.rate)?;
    let (other, second) = side(paths[1], arguments.rate)?;
    let known: Known = first.into_iter().chain(second).collect();
    let wanted: Vec<(String, Option<Arc<Playthrough>>)> = match (&one, &other, &arguments.playthrough) {
        (Side::Trace(_), Side::Trace(_), _) => vec![(String::new(), None)],
        (_, _, Some(name)) => {
            let found = find(&known, name)?;
            vec![(name.trim_end_matches(".play").to_owned(), Some(Arc::new(found)))]
        }
        (Side::Plays(_), Side::Plays(_), None) => {
            let mut seen = std::collections::BTreeSet::new();
            known.iter().filter(|(name, _)| seen.insert(name.clone())).map(|(name, p)| (name.clone(), Some(Arc::clone(p)))).collect()
        }
        _ => return Err(Failure::Use("say with --playthrough which one the trace is of".into())),
    };
    if wanted.is_empty() {
        return Err(Failure::Use("neither has a playthrough: say one with --playthrough, as a file".into()));
    }
    let stopped = super::stopped()?;
    let mut all = Vec::new();
    for (name, playthrough) in &wanted {
        if stopped.load(std::sync::atomic::Ordering::Relaxed) {
            return Err(Failure::Fault("stopped".into()));
        }
        let of = |side: &Side, seed| match (side, playthrough) {
            (Side::Plays(program), Some(playthrough)) => play(program, playthrough, seed),
            (Side::Trace(trace), _) => Played { trace: trace.clone(), loudness: None },
            (Side::Plays(_), None) => Played { trace: Trace::default(), loudness: None },
        };
        let (a, b) = (of(&one, arguments.seed), of(&other, arguments.other_seed));
        let mut found = differences(&a.trace, &b.trace);
        let loudness = a.loudness.zip(b.loudness);
        // What is played the same may be mixed otherwise.
        found.extend(loudness.and_then(louder));
        tell_one(name, &found, arguments.most, loudness);
        all.push((name, found));
    }
    let list = |found: &[Difference]| {
        found.iter().map(|d| json!({ "weight": d.weight, "at": d.at.0, "other-at": d.at.1, "about": d.about, "words": d.words })).collect::<Vec<_>>()
    };
    let value = json!(all.iter().map(|(name, found)| json!({ "playthrough": name, "differences": list(found) })).collect::<Vec<_>>());
    if arguments.json {
        let texts: Vec<_> = written.iter().map(|d| json!({ "file": d.file, "what": d.what, "first": d.first, "second": d.second })).collect();
        output::json(&json!({ "written": texts, "heard": value }));
    }
    if let Some(path) = &arguments.out {
        let mut file = Aside::create(path, &["json"], None, false)?;
        file.write_all(serde_json::to_string_pretty(&value).map_err(|e| Failure::Fault(e.to_string()))?.as_bytes())?;
        file.finish()?;
    }
    match all.iter().map(|(_, found)| found.len()).sum::<usize>() {
        0 => Ok(()),
        1 => Err(Failure::Fault("one difference".into())),
        n => Err(Failure::Fault(format!("{n} differences"))),
    }
}

/// What differs in the texts of two projects.
fn written(paths: [&Path; 2]) -> Result<Vec<Written>, Failure> {
    let [one, other] = paths.map(Sources::read);
    Ok(differences_of_texts(&one?.0, &other?.0))
}

fn tell_written(written: &[Written], most: usize) {
    match written.len() {
        0 => return,
        1 => out!("one value is written otherwise"),
        n => out!("{n} values are written otherwise"),
    }
    let text = |text: &Option<String>| text.clone().unwrap_or_else(|| "−".to_owned());
    for one in written.iter().take(most) {
        out!("  {}{}{}: {} ⟶ {}", one.file, if one.what.is_empty() { "" } else { " " }, one.what, text(&one.first), text(&one.second));
    }
    if written.len() > most {
        out!("  and {} more", written.len() - most);
    }
}

/// How much louder the second of two is as a whole, if it is so much that it is one of the differences (0.1 LU, or 0.1 dB in the true peak).
fn louder(((before, peak), (after, other)): ((f64, f64), (f64, f64))) -> Option<Difference> {
    let apart = |a: f64, b: f64| a.max(b).is_finite() && (a - b).abs() >= 0.1;
    if !apart(before, after) && !apart(peak, other) {
        return None;
    }
    let words = format!("is {before:.1} LUFS before and {after:.1} LUFS after, {peak:.1} and {other:.1} dBTP");
    Some(Difference { weight: (before - after).abs().min(60.0), at: (None, None), about: "the mix".to_owned(), words })
}

fn tell_one(name: &str, found: &[Difference], most: usize, loudness: Option<((f64, f64), (f64, f64))>) {
    let name = if name.is_empty() { "the traces" } else { name };
    let heard = loudness.map_or_else(String::new, |((a, peak), (b, other))| format!("; {a:.1} ⟶ {b:.1} LUFS, {peak:.1} ⟶ {other:.1} dBTP"));
    match found.len() {
        0 => out!("{name}: the same{heard}"),
        1 => out!("{name}: one difference{heard}"),
        n => out!("{name}: {n} differences{heard}"),
    }
    let time = |at: Option<f64>| at.map_or_else(|| "−".to_owned(), |at| format!("{at:.2}"));
    for one in found.iter().take(most) {
        out!("  {:>8} {:>8}  {} {}", time(one.at.0), time(one.at.1), one.about, one.words);
    }
    if found.len() > most {
        out!("  and {} more, of less weight", found.len() - most);
    }
}
