//! `estampie check PROJECT`: faults, expectations, transitions.

use super::output::{self, out, print_faults, tell};
use crate::aside::Aside;
use crate::failure::Failure;
use crate::project::{self, Loaded};
use crate::versioned::{State, Which};
use estampie_project::document::Over;
use estampie_proof::check::{self, Broken, Coverage, Listened};
use indicatif::{ProgressBar, ProgressStyle};
use quick_junit::{NonSuccessKind, Report, TestCase, TestCaseStatus, TestSuite};
use serde_json::json;
use std::io::{IsTerminal as _, Write as _};
use std::path::{Path, PathBuf};
use std::sync::atomic::Ordering;

#[derive(clap::Args)]
pub(super) struct Arguments {
    /// The project's folder
    project: PathBuf,
    /// Writes what was checked as JUnit XML, for machines that build and test
    #[arg(long, value_name = "OUT.xml")]
    junit: Option<PathBuf>,
    /// Writes what the playthroughs come by, how often, and what none of them does, as JSON; says how much of what there is that is
    #[arg(long, value_name = "OUT.json")]
    coverage: Option<PathBuf>,
    /// Checks what is staged in git instead of what lies there: as a hook before a commit
    #[arg(long)]
    staged: bool,
    /// Only reads the project and its audio: no playthrough is held against what is expected of it, and no transition is listened to
    #[arg(long, conflicts_with_all = ["junit", "coverage"])]
    quick: bool,
    /// What was checked as one JSON value on standard output, instead of lines
    #[arg(long)]
    json: bool,
    /// Write even over the project's own files
    #[arg(long)]
    force: bool,
}

/// What was checked.
struct Checked {
    /// Whether anything was listened to; without, the rest is empty.
    listened: bool,
    broken: Vec<Broken>,
    /// Transitions that do not sound well and were not accepted, in words.
    transitions: Vec<String>,
    /// What goes over the budget where that is refused, in words.
    over: Vec<String>,
}

pub(super) fn run(arguments: &Arguments) -> Result<(), Failure> {
    let folder = &arguments.project;
    output::for_a_machine(arguments.json);
    // It lies there for as long as it is checked.
    let staged = if arguments.staged { Some(State::of(folder, Which::Staged)?) } else { None };
    let loaded = project::load(staged.as_ref().map_or(folder, State::path))?;
    print_faults(&loaded.faults);
    let count = loaded.faults.len();
    if count == 0 {
        told(&loaded);
    }
    let checked = if count == 0 && !arguments.quick {
        let Listened { broken, coverage } = listened(&loaded, arguments.coverage.is_some())?;
        let checked = Checked { listened: true, broken, transitions: hear_transitions(&loaded), over: over_budget(&loaded) };
        if let Some(path) = &arguments.coverage {
            write_coverage(path, &loaded, &coverage, arguments.force)?;
        }
        checked
    } else {
        Checked { listened: false, broken: Vec::new(), transitions: Vec::new(), over: Vec::new() }
    };
    if let Some(path) = &arguments.junit {
        write_junit(path, &loaded, &checked, arguments.force)?;
    }
    if arguments.json {
        output::json(&as_json(&loaded, &checked));
    }
    let some = |n: usize, one: &str, many: &str| if n == 1 { format!("one {one}") } else { format!("{n} {many}") };
    let mut wrong = Vec::new();
    if count > 0 {
        return Err(Failure::Fault(format!("{count} fault{} in {}", if count == 1 { "" } else { "s" }, folder.display())));
    }
    if !checked.broken.is_empty() {
        wrong.push(some(checked.broken.len(), "expectation is not kept", "expectations are not kept"));
    }
    if !checked.transitions.is_empty() {
        wrong.push(some(checked.transitions.len(), "transition does not sound well", "transitions do not sound well"));
    }
    wrong.extend(checked.over);
    if wrong.is_empty() { Ok(()) } else { Err(Failure::Fault(wrong.join(", "))) }
}

/// What goes over the budget besides what is a fault already: told where that is wanted, and given where it is refused. For its voices all playthroughs are listened to.
pub(super) fn over_budget(loaded: &Loaded) -> Vec<String> {
    let document = loaded.workspace.document();
    let limits = &document.manifest.budget;
    if limits.over == Over::Say {
        return Vec::new();
    }
    let mut over = if limits.over == Over::Warn { estampie_project::compile::over_budget(document, &loaded.assets) } else { Vec::new() };
    if let Some(may) = limits.voices {
        let most = super::budget::most_voices(document, &loaded.program);
        over.extend((most > may).then(|| format!("{most} voices sound at once in a playthrough, and the budget has {may}")));
    }
    over.iter().for_each(|words| tell(&format!("budget: {words}")));
    if limits.over == Over::Refuse { over } else { Vec::new() }
}

fn told(loaded: &Loaded) {
    let document = loaded.workspace.document();
    out!(
        "{}: {} sounds, {} audio files, {} reactions, {} modulations, {} playthroughs; no faults",
        document.manifest.name,
        document.sounds.len(),
        loaded.assets.len(),
        document.reactions.len(),
        document.modulations.len(),
        document.playthroughs.len()
    );
    for passed in estampie_project::survey::passed_by(document) {
        tell(&format!("note: {passed}"));
    }
}

/// Holds all playthroughs against what is expected of them, and tells what was not kept.
///
/// # Errors
/// When it was stopped.
pub(super) fn held(loaded: &Loaded) -> Result<Vec<Broken>, Failure> {
    Ok(listened(loaded, false)?.broken)
}

/// The same, and if `coverage` says so what they come by, for which all playthroughs are rendered.
fn listened(loaded: &Loaded, coverage: bool) -> Result<Listened, Failure> {
    let document = loaded.workspace.document();
    let with: Vec<usize> = document.playthroughs.iter().map(|(_, p)| check::count(document, p)).filter(|n| *n > 0).collect();
    let (playthroughs, expected) = (with.len(), with.iter().sum::<usize>());
    if expected == 0 && !coverage {
        return Ok(Listened { broken: Vec::new(), coverage: Coverage::default() });
    }
    let stopped = super::stopped()?;
    let bar = if std::io::stderr().is_terminal() { ProgressBar::new(document.playthroughs.len() as u64) } else { ProgressBar::hidden() };
    bar.set_style(ProgressStyle::with_template("listening {bar:40} {pos} of {len} playthroughs").unwrap_or_else(|_| ProgressStyle::default_bar()));
    let done = |_: &str| {
        bar.inc(1);
        !stopped.load(Ordering::Relaxed)
    };
    let listened = if coverage {
        check::listen_all(&loaded.program, document, done)
    } else {
        Listened { broken: check::hold_all(&loaded.program, document, done), coverage: Coverage::default() }
    };
    bar.finish_and_clear();
    if stopped.load(Ordering::Relaxed) {
        return Err(Failure::Fault("stopped".into()));
    }
    let broken = &listened.broken;
    if expected > 0 {
        let kept = if broken.is_empty() { "all kept".to_owned() } else { format!("{} not kept", broken.len()) };
        out!("{expected} expectations of {playthroughs} playthrough{}: {kept}", if playthroughs == 1 { "" } else { "s" });
    }
    broken.iter().for_each(|broken| tell(&broken.to_string()));
    Ok(listened)
}

/// Renders and listens to every way between the sections of every piece; tells what does not sound well, and gives what was not accepted.
fn hear_transitions(loaded: &Loaded) -> Vec<String> {
    if loaded.program.music.pieces.is_empty() {
        return Vec::new();
    }
    let mut heard = 0;
    let problems = check::transitions(&loaded.program, |_| {
        heard += 1;
        true
    });
    let (accepted, open): (Vec<_>, Vec<_>) = problems.iter().partition(|f| f.accepted.is_some());
    let count = if open.is_empty() { "nothing found".to_owned() } else { format!("{} problems", open.len()) };
    let and = if accepted.is_empty() { String::new() } else { format!(", {} accepted", accepted.len()) };
    out!("{heard} renderings of transitions: {count}{and}");
    for find in &accepted {
        out!("{find}");
    }
    let open: Vec<String> = open.iter().map(ToString::to_string).collect();
    open.iter().for_each(|find| tell(find));
    open
}

/// Everything that was checked as JSON.
fn as_json(loaded: &Loaded, checked: &Checked) -> serde_json::Value {
    let document = loaded.workspace.document();
    let faults: Vec<_> = loaded.faults.iter().map(output::fault_json).collect();
    let broken: Vec<_> = checked
        .broken
        .iter()
        .map(|b| json!({ "playthrough": b.playthrough, "file": b.place.file, "line": b.place.line, "expected": b.expected, "says": b.to_string() }))
        .collect();
    let passed: Vec<String> = estampie_project::survey::passed_by(document).iter().map(ToString::to_string).collect();
    json!({
        "project": document.manifest.name,
        "sounds": document.sounds.len(),
        "files": loaded.assets.len(),
        "reactions": document.reactions.len(),
        "modulations": document.modulations.len(),
        "playthroughs": document.playthroughs.len(),
        "faults": faults,
        "listened": checked.listened,
        "expectations": document.playthroughs.iter().map(|(_, p)| check::count(document, p)).sum::<usize>(),
        "not-kept": broken,
        "transitions": checked.transitions,
        "over-budget": checked.over,
        "notes": passed,
    })
}

/// Everything that was checked, as a machine reads it: a suite for each playthrough, one for faults, one for transitions.
fn junit(loaded: &Loaded, checked: &Checked) -> Report {
    let document = loaded.workspace.document();
    let mut report = Report::new(document.manifest.name.clone());
    let failure = |message: &str| {
        let mut status = TestCaseStatus::non_success(NonSuccessKind::Failure);
        status.set_message(message);
        status
    };
    let mut suite = TestSuite::new("faults");
    if loaded.faults.is_empty() {
        suite.add_test_case(TestCase::new("the project is read", TestCaseStatus::success()));
    }
    for fault in &loaded.faults {
        suite.add_test_case(TestCase::new(fault.place.to_string(), failure(&fault.to_string())));
    }
    report.add_test_suite(suite);
    if loaded.faults.is_empty() {
        for (name, playthrough) in &document.playthroughs {
            let mut suite = TestSuite::new(format!("playthrough {name}"));
            for (from, expected, place) in check::expectations(document, playthrough) {
                let broken = checked.broken.iter().find(|b| b.playthrough == *name && b.place == place && b.expected == expected);
                let status = broken.map_or_else(TestCaseStatus::success, |broken| failure(&broken.to_string()));
                suite.add_test_case(TestCase::new(format!("{place} from {:.2} s: {expected}", from.0), status));
            }
            report.add_test_suite(suite);
        }
        let mut suite = TestSuite::new("transitions");
        if checked.transitions.is_empty() {
            suite.add_test_case(TestCase::new("every way between sections", TestCaseStatus::success()));
        }
        for find in &checked.transitions {
            suite.add_test_case(TestCase::new(find.clone(), failure(find)));
        }
        report.add_test_suite(suite);
    }
    report
}

fn write_junit(path: &Path, loaded: &Loaded, checked: &Checked, force: bool) -> Result<(), Failure> {
    let text = junit(loaded, checked).to_string().map_err(|e| Failure::Fault(format!("{} cannot be written: {e}", path.display())))?;
    let mut file = Aside::create(path, &["xml"], Some(loaded.workspace.root()), force)?;
    file.write_all(text.as_bytes())?;
    file.finish()?;
    Ok(())
}

/// The most names that are told of a kind.
const TOLD: usize = 6;

fn write_coverage(path: &Path, loaded: &Loaded, coverage: &Coverage, force: bool) -> Result<(), Failure> {
    tell_coverage(coverage);
    let text = serde_json::to_string_pretty(&coverage.to_json()).map_err(|e| Failure::Fault(e.to_string()))?;
    let mut file = Aside::create(path, &["json"], Some(loaded.workspace.root()), force)?;
    file.write_all(text.as_bytes())?;
    file.finish()?;
    Ok(())
}

/// Tells how much of each kind was come by.
pub(super) fn tell_coverage(coverage: &Coverage) {
    for (word, _) in &coverage.kinds {
        let (all, never) = coverage.never(word);
        if all == 0 {
            continue;
        }
        let mut names: Vec<&str> = never.iter().copied().take(TOLD).collect();
        let more = format!("and {} more", never.len() - names.len());
        if never.len() > TOLD {
            names.push(&more);
        }
        let lacks = if names.is_empty() { String::new() } else { format!("; never: {}", names.join(", ")) };
        out!("  {} of {all} {word}{lacks}", all - never.len());
    }
}
