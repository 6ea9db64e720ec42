//! `estampie explore PROJECT`: made-up play in search of problems.

use super::output::{out, tell};
use crate::aside::{Aside, put};
use crate::failure::Failure;
use crate::project::{self, Loaded};
use estampie_project::door;
use estampie_proof::draw;
use estampie_proof::explore::{self, Explored, Find, Looking, Minimised, Plan};
use indicatif::{ProgressBar, ProgressStyle};
use quick_junit::{NonSuccessKind, Report, TestCase, TestCaseStatus, TestSuite};
use serde_json::json;
use std::collections::BTreeMap;
use std::io::{IsTerminal as _, Write as _};
use std::path::{Path, PathBuf};
use std::sync::atomic::Ordering;
use std::time::Instant;

#[derive(clap::Args)]
pub(super) struct Arguments {
    /// The project's folder
    project: PathBuf,
    /// How many minutes are played
    #[arg(long, value_name = "N", default_value_t = 10.0)]
    minutes: f64,
    /// The seed: the same gives the same play
    #[arg(long, value_name = "S", default_value_t = 1)]
    seed: u64,
    /// Plays only the I-th of N parts, counted from 1; nothing is made smaller and nothing kept: --out is for --merge
    #[arg(long, value_name = "I/N", value_parser = shard)]
    shard: Option<(u64, u64)>,
    /// Writes what was played and found as JSON
    #[arg(short, long, value_name = "OUT.json")]
    out: Option<PathBuf>,
    /// Plays nothing: takes what the parts have written together
    #[arg(long, value_name = "PART.json", num_args = 1.., conflicts_with_all = ["shard", "guess"])]
    merge: Vec<PathBuf>,
    /// Prints how the project is played, as explore.toml has it, and what is guessed of it
    #[arg(long)]
    guess: bool,
    /// Keeps no playthroughs of what is found
    #[arg(long)]
    dry: bool,
    /// Writes the problems as JUnit XML, for machines that build and test
    #[arg(long, value_name = "OUT.xml")]
    junit: Option<PathBuf>,
    /// Writes what was heard, how often, and what never, as JSON
    #[arg(long, value_name = "OUT.json")]
    coverage: Option<PathBuf>,
    /// What was found as one JSON value on standard output, instead of lines
    #[arg(long, conflicts_with_all = ["guess", "shard"])]
    json: bool,
    /// Write even over the project's own files
    #[arg(long)]
    force: bool,
}

fn shard(text: &str) -> Result<(u64, u64), String> {
    let (part, of) = text.split_once('/').ok_or("write it like 2/8")?;
    let number = |text: &str| text.trim().parse::<u64>().map_err(|_| "write it like 2/8".to_owned());
    let (part, of) = (number(part)?, number(of)?);
    if part == 0 || part > of { Err(format!("there is no part {part} of {of}; the first is 1")) } else { Ok((part, of)) }
}

pub(super) fn run(arguments: &Arguments) -> Result<(), Failure> {
    super::output::for_a_machine(arguments.json);
    let loaded = project::load(&arguments.project)?;
    super::output::print_faults(&loaded.faults);
    if !loaded.faults.is_empty() {
        return Err(Failure::Fault(format!("{} faults in {}: they come first", loaded.faults.len(), arguments.project.display())));
    }
    if !(arguments.minutes > 0.0 && arguments.minutes <= 100_000.0) {
        return Err(Failure::Use(format!("{} minutes cannot be played; write a number from 0.1 to 100000", arguments.minutes)));
    }
    let (program, document) = (&loaded.program, loaded.workspace.document());
    let plan = Plan::of(document, program);
    if arguments.guess {
        out!("{}", plan.to_toml().trim_end());
        return Ok(());
    }
    let looking = Looking::new(program, document, &plan);
    let explored = if arguments.merge.is_empty() { play(arguments, &looking, &plan)? } else { merged(arguments, &loaded)? };
    if let Some(path) = &arguments.out {
        write(path, &["json"], &loaded, arguments.force, &serde_json::to_string_pretty(&explored.to_json()).map_err(|e| Failure::Fault(e.to_string()))?)?;
    }
    if let Some(path) = &arguments.coverage {
        let text = serde_json::to_string_pretty(&explored.coverage.to_json()).map_err(|e| Failure::Fault(e.to_string()))?;
        write(path, &["json"], &loaded, arguments.force, &text)?;
        super::check::tell_coverage(&explored.coverage);
    }
    if arguments.shard.is_some() {
        let count = explored.shown.len();
        out!("{count} problem{}; --merge puts the parts together", if count == 1 { "" } else { "s" });
        return Ok(());
    }
    tell_found(arguments, &loaded, (&looking, &plan), &explored)
}

fn write(path: &Path, endings: &[&str], loaded: &Loaded, force: bool, text: &str) -> Result<(), Failure> {
    let mut file = Aside::create(path, endings, Some(loaded.workspace.root()), force)?;
    file.write_all(text.as_bytes())?;
    file.finish()
}

fn bar(count: usize, template: &str) -> ProgressBar {
    let bar = if std::io::stderr().is_terminal() { ProgressBar::new(count as u64) } else { ProgressBar::hidden() };
    bar.set_style(ProgressStyle::with_template(template).unwrap_or_else(|_| ProgressStyle::default_bar()));
    bar
}

fn play(arguments: &Arguments, looking: &Looking<'_>, plan: &Plan) -> Result<Explored, Failure> {
    let numbers = explore::numbers(plan, arguments.minutes, arguments.shard.unwrap_or((1, 1)));
    let stopped = super::stopped()?;
    let bar = bar(numbers.len(), "playing {bar:40} {pos} of {len} plays, {msg}");
    let begun = Instant::now();
    let explored = explore::explore(looking, arguments.seed, &numbers, usize::MAX, |found| {
        bar.set_message(format!("{found} problems shown"));
        bar.inc(1);
        !stopped.load(Ordering::Relaxed)
    });
    bar.finish_and_clear();
    if stopped.load(Ordering::Relaxed) && explored.numbers.is_empty() {
        return Err(Failure::Fault("stopped".into()));
    }
    let speed = explored.seconds / begun.elapsed().as_secs_f64().max(1e-3);
    out!("{} plays, {:.1} minutes, {speed:.0} minutes a minute", explored.numbers.len(), explored.seconds / 60.0);
    if stopped.swap(false, Ordering::Relaxed) {
        tell("stopped: this is what was found until then");
    }
    Ok(explored)
}

fn merged(arguments: &Arguments, loaded: &Loaded) -> Result<Explored, Failure> {
    let mut all: Option<Explored> = None;
    for path in &arguments.merge {
        let text = std::fs::read_to_string(path).map_err(|e| Failure::Use(format!("{} cannot be read: {e}", path.display())))?;
        let value = serde_json::from_str(&text).map_err(|e| Failure::Use(format!("{} is no JSON: {e}", path.display())))?;
        let part = Explored::from_json(&loaded.program, loaded.workspace.document(), &value).map_err(|e| Failure::Use(format!("{}: {e}", path.display())))?;
        match &mut all {
            None => all = Some(part),
            Some(all) => all.merge(part).map_err(|e| Failure::Use(format!("{}: {e}", path.display())))?,
        }
    }
    let all = all.ok_or_else(|| Failure::Use("name the parts that are to be put together".into()))?;
    out!("{} plays, {:.1} minutes, of {} parts", all.numbers.len(), all.seconds / 60.0, arguments.merge.len());
    Ok(all)
}

/// A problem as it is told.
struct Told {
    find: Find,
    /// What is said of it after its words.
    and: String,
    /// Whether it is known or accepted: told, and no failure if accepted.
    accepted: Option<String>,
}

fn tell_found(arguments: &Arguments, loaded: &Loaded, (looking, plan): (&Looking<'_>, &Plan), explored: &Explored) -> Result<(), Failure> {
    let (program, document) = (&loaded.program, loaded.workspace.document());
    let known = explore::known(document);
    let mut told: Vec<Told> = Vec::new();
    let mut new: Vec<(u64, Find)> = Vec::new();
    let accepted = |find: &Find| explore::accepted(document, find).map(str::to_owned);
    for shown in explored.shown.values() {
        let accepted = accepted(&shown.find);
        match known.get(&shown.find.signature()) {
            _ if accepted.is_some() => told.push(Told { find: shown.find.clone(), and: String::new(), accepted }),
            Some(name) => told.push(Told { find: shown.find.clone(), and: format!("; known, playthroughs/{name}.play"), accepted }),
            None => new.push((shown.number, shown.find.clone())),
        }
    }
    let stopped = super::stopped()?;
    let bar = bar(new.len(), "making small {bar:40} {pos} of {len} problems");
    let small = explore::minimise_all(looking, explored.seed, &new, usize::MAX, || {
        bar.inc(1);
        !stopped.load(Ordering::Relaxed)
    });
    bar.finish_and_clear();
    for found in explore::each_once(small) {
        // Small, it may turn out to be one that is known.
        let signature = found.find.signature();
        if told.iter().any(|t| t.find.signature() == signature) {
            continue;
        }
        if accepted(&found.find).is_some() || known.contains_key(&signature) {
            let and = known.get(&signature).map_or(String::new(), |name| format!("; known, playthroughs/{name}.play"));
            told.push(Told { accepted: accepted(&found.find), find: found.find, and });
            continue;
        }
        let name = explore::name_of(&found.find);
        let inputs = if found.inputs == 1 { "one input".to_owned() } else { format!("{} inputs", found.inputs) };
        let kept = if arguments.dry {
            String::new()
        } else {
            let file = keep(loaded, &name, &found.playthrough.to_string())?;
            draw_found(loaded, &file, &found)?;
            format!(", {file}")
        };
        told.push(Told { and: format!("; {inputs}, {:.1} s{kept}", found.playthrough.length().0), accepted: None, find: found.find });
    }
    for find in explored.together(program, document, plan) {
        told.push(Told { and: String::new(), accepted: accepted(&find), find });
    }
    // A playthrough that was kept is played again: what it shows is a problem, though this time nobody came by it.
    let still = explore::still(looking);
    for find in still.iter().filter_map(|(_, find)| find.as_ref()) {
        if !told.iter().any(|t| t.find.signature() == find.signature()) {
            let and = known.get(&find.signature()).map_or(String::new(), |name| format!("; known, playthroughs/{name}.play"));
            told.push(Told { and, accepted: accepted(find), find: find.clone() });
        }
    }
    told.sort_by_key(|one| (one.accepted.is_some(), one.find.signature()));
    for one in &told {
        let text = format!("{}: {}{}", one.find.signature(), one.find.words, one.and);
        match &one.accepted {
            Some(reason) => out!("accepted: {text} ({reason})"),
            None => tell(&text),
        }
    }
    for (signature, _) in still.iter().filter(|(_, find)| find.is_none()) {
        out!("gone: {signature}; playthroughs/{}.play no longer shows it and may be deleted", known.get(signature).map_or("", String::as_str));
    }
    let of: BTreeMap<&str, &str> = document.explore.accepted.iter().map(|a| (a.problem.value.as_str(), a.reason.as_str())).collect();
    for (problem, _) in of.iter().filter(|(problem, _)| !told.iter().any(|t| t.find.signature() == **problem)) {
        out!("accepted and not found: {problem}");
    }
    if let Some(path) = &arguments.junit {
        write_junit(path, loaded, &told, arguments.force)?;
    }
    if arguments.json {
        let of = |t: &Told| json!({ "kind": t.find.kind, "about": t.find.about, "problem": t.find.signature(), "says": t.find.words, "more": t.and.trim_start_matches("; "), "accepted": t.accepted });
        let problems: Vec<_> = told.iter().map(of).collect();
        super::output::json(&json!({ "plays": explored.numbers.len(), "seconds": explored.seconds, "seed": explored.seed, "problems": problems }));
    }
    match told.iter().filter(|t| t.accepted.is_none()).count() {
        0 => {
            out!("no problems");
            Ok(())
        }
        1 => Err(Failure::Fault("one problem".into())),
        n => Err(Failure::Fault(format!("{n} problems"))),
    }
}

/// Draws what happens in the playthrough of a problem, beside it: what was drawn there before is of another one.
fn draw_found(loaded: &Loaded, file: &str, found: &Minimised) -> Result<(), Failure> {
    let picture = file.replace(".play", ".svg");
    let failed = |e: &dyn std::fmt::Display| Failure::Fault(format!("{picture} cannot be written: {e}"));
    let timeline = draw::Drawing::Timeline(Box::new(draw::timeline(&loaded.program, &found.playthrough)));
    let title = format!("{}, at {:.2} s: {}", found.find.signature(), found.find.at, found.find.words);
    let text = draw::svg(&title, &timeline).map_err(|e| failed(&e))?;
    let path = door::inside(loaded.workspace.root(), &picture).map_err(|e| failed(&e))?;
    put(&path, text.as_bytes()).map_err(|e| failed(&e))
}

/// Keeps the playthrough of a problem in the project; gives where. What is there already stays.
fn keep(loaded: &Loaded, name: &str, text: &str) -> Result<String, Failure> {
    let root = loaded.workspace.root();
    // Two problems may be called alike.
    for more in 1..1_000 {
        let file = if more == 1 { format!("playthroughs/{name}.play") } else { format!("playthroughs/{name}-{more}.play") };
        let path = door::inside(root, &file).map_err(|e| Failure::Fault(format!("{file} cannot be written: {e}")))?;
        if path.exists() {
            continue;
        }
        put(&path, text.as_bytes()).map_err(|e| Failure::Fault(format!("{file} cannot be written: {e}")))?;
        return Ok(file);
    }
    Err(Failure::Fault(format!("there are a thousand playthroughs called {name} already")))
}

fn write_junit(path: &Path, loaded: &Loaded, told: &[Told], force: bool) -> Result<(), Failure> {
    let mut report = Report::new(loaded.workspace.document().manifest.name.clone());
    for (kind, says) in explore::kinds() {
        let mut suite = TestSuite::new(kind);
        let of = told.iter().filter(|t| t.find.kind == kind && t.accepted.is_none());
        let cases: Vec<TestCase> = of
            .map(|t| {
                let mut status = TestCaseStatus::non_success(NonSuccessKind::Failure);
                status.set_message(format!("{}{}", t.find.words, t.and));
                TestCase::new(t.find.about.clone(), status)
            })
            .collect();
        if cases.is_empty() {
            suite.add_test_case(TestCase::new(says, TestCaseStatus::success()));
        }
        suite.add_test_cases(cases);
        report.add_test_suite(suite);
    }
    let text = report.to_string().map_err(|e| Failure::Fault(format!("{} cannot be written: {e}", path.display())))?;
    write(path, &["xml"], loaded, force, &text)
}

#[cfg(test)]
mod tests {
    use super::shard;

    #[test]
    fn parts_are_counted_from_one() {
        assert_eq!((shard("1/1"), shard("3/8")), (Ok((1, 1)), Ok((3, 8))));
        for text in ["", "3", "0/4", "5/4", "a/b", "1/"] {
            assert!(shard(text).is_err(), "{text}");
        }
    }
}
