//! `estampie render PROJECT PLAYTHROUGH -o OUT.wav`.

use super::output::{out, print_faults, tell};
use super::wave::{Bits, Wave};
use crate::aside::Aside;
use crate::failure::Failure;
use crate::levels::{self, Levels};
use crate::player::SOFT_START;
use crate::project;
use estampie_engine::names::Names;
use estampie_engine::units::Seconds;
use estampie_project::document::did_you_mean;
use estampie_project::language::{Playthrough, playthrough};
use estampie_proof::offline::{Rendering, heard, names_in};
use estampie_proof::stems::Stems;
use estampie_proof::trace::TraceWriter;
use indicatif::{ProgressBar, ProgressStyle};
use std::io::IsTerminal as _;
use std::path::{Path, PathBuf};
use std::sync::Arc;

#[derive(clap::Args)]
pub(super) struct Arguments {
    /// The project's folder
    project: PathBuf,
    /// A playthrough of the project, by name or as a file
    playthrough: String,
    /// The WAV file to write
    #[arg(short, long, value_name = "OUT.wav")]
    out: PathBuf,
    /// The seed of all random draws, instead of the playthrough's own
    #[arg(long)]
    seed: Option<u64>,
    /// Write what happened, as JSON Lines
    #[arg(long, value_name = "OUT.jsonl")]
    trace: Option<PathBuf>,
    /// Writes each bus that runs into main into a file of this folder, and what is left besides: together they are the mix
    #[arg(long, value_name = "DIR")]
    stems: Option<PathBuf>,
    /// Bits of a sample: 16, 24, or 32 (float)
    #[arg(long, default_value = "24", value_parser = ["16", "24", "32"])]
    bits: String,
    /// With the soft start that the workshop has
    #[arg(long)]
    soft_start: bool,
    /// A level that the player sets, 0 to 10, instead of what levels.toml says; may be said several times
    #[arg(long, value_name = "NAME=LEVEL", value_parser = read_level)]
    level: Vec<(String, f32)>,
    /// Write even over the project's own files
    #[arg(long)]
    force: bool,
}

/// A playthrough by its name among those that are known, or as a file.
pub(super) fn find(known: &[(String, Arc<Playthrough>)], name: &str) -> Result<Playthrough, Failure> {
    let short = name.trim_end_matches(".play");
    if let Some((_, found)) = known.iter().find(|(n, _)| n == short) {
        return Ok(Playthrough::clone(found));
    }
    if Path::new(name).is_file() {
        let text = std::fs::read_to_string(name)?;
        let (playthrough, faults) = playthrough::parse(name, &text);
        print_faults(&faults);
        return if faults.is_empty() { Ok(playthrough) } else { Err(Failure::Fault(format!("{name} has faults"))) };
    }
    let fix = did_you_mean(short, known.iter().map(|(n, _)| n.as_str()), "the project's folder playthroughs/ has those that there are");
    Err(Failure::Use(format!("there is no playthrough {name}; {fix}")))
}

/// Player levels as `NAME=0..10`.
fn read_level(text: &str) -> Result<(String, f32), String> {
    let (name, value) = text.split_once('=').ok_or("write NAME=LEVEL, like music=0")?;
    let value: f32 = value.trim().parse().ok().filter(|v| (0.0..=10.0).contains(v)).ok_or_else(|| format!("{value} is no level from 0 to 10"))?;
    Ok((name.trim().to_owned(), value))
}

/// The player's levels: those of `levels.toml`, and those of the command line over them.
fn levels(loaded: &project::Loaded, told: &[(String, f32)]) -> Result<Levels, Failure> {
    let (mut levels, notice) = levels::read(loaded.workspace.root());
    if let Some(notice) = notice {
        tell(&notice);
    }
    let known = &loaded.workspace.document().player_levels;
    for (name, value) in told {
        if !known.iter().any(|l| l.name == *name) {
            let fix = did_you_mean(name, known.iter().map(|l| l.name.as_str()), "[player-levels] in mix.toml declares them");
            return Err(Failure::Use(format!("there is no player level {name}; {fix}")));
        }
        levels.insert(name.clone(), *value);
    }
    Ok(levels)
}

pub(super) fn run(arguments: &Arguments) -> Result<(), Failure> {
    if arguments.trace.as_ref().is_some_and(|trace| same_file(trace, &arguments.out)) {
        return Err(Failure::Use(format!("-o and --trace are both {}; name two files", arguments.out.display())));
    }
    let loaded = project::load_to_play(&arguments.project)?;
    print_faults(&loaded.faults);
    let playthrough = find(&loaded.workspace.document().playthroughs, &arguments.playthrough)?;
    let levels = levels(&loaded, &arguments.level)?;
    let program = Arc::clone(&loaded.program);
    let mut names: Names = program.names.clone();
    names.add_all(&names_in(&playthrough));
    let aside = |path: &Path, endings: &[&str]| Aside::create(path, endings, Some(&arguments.project), arguments.force);
    let out_fault = |e: std::io::Error| Failure::Fault(format!("{} cannot be written: {e}", arguments.out.display()));
    let mut wav = Wave::new(aside(&arguments.out, &["wav", "wave"])?, program.rate, Bits::read(&arguments.bits)).map_err(out_fault)?;
    let mut trace = match &arguments.trace {
        Some(path) => Some(TraceWriter::new(aside(path, &["jsonl", "json"])?)),
        None => None,
    };
    let (_, total) = heard(&playthrough, program.rate);
    let bar = if std::io::stderr().is_terminal() { ProgressBar::new(total / u64::from(program.rate)) } else { ProgressBar::hidden() };
    let style = ProgressStyle::with_template("rendering {bar:40} {pos} of {len} s");
    bar.set_style(style.unwrap_or_else(|_| ProgressStyle::default_bar()));
    let soft_start = if arguments.soft_start { SOFT_START } else { Seconds(0.0) };
    let mut rendering = Rendering::with_levels(&program, &playthrough, arguments.seed, soft_start, &levels::keys(&levels));
    let stopped = super::stopped()?;
    let mut part = Vec::new();
    let mut trace_error = None;
    let begun = std::time::Instant::now();
    while rendering.left() > 0 {
        if stopped.load(std::sync::atomic::Ordering::Relaxed) {
            bar.finish_and_clear();
            return Err(Failure::Fault("stopped; nothing was written".into()));
        }
        rendering.next(u64::from(program.rate), &mut part, |happening| {
            if let Some(trace) = &mut trace
                && let Err(error) = trace.write(happening, &names)
            {
                trace_error.get_or_insert(error);
            }
        });
        wav.write(&part).map_err(out_fault)?;
        bar.inc(1);
    }
    bar.finish_and_clear();
    let spent = begun.elapsed().as_secs_f64();
    if let (Some(trace), Some(path)) = (trace, &arguments.trace) {
        let failed = |e: std::io::Error| Failure::Fault(format!("{} cannot be written: {e}", path.display()));
        let finished = trace.finish().map_err(failed)?;
        if let Some(error) = trace_error {
            return Err(failed(error));
        }
        finished.finish()?;
    }
    wav.finish().map_err(out_fault)?.finish()?;
    if let Some(folder) = &arguments.stems {
        write_stems(arguments, folder, &mut Stems::new(&program, &playthrough, arguments.seed, &levels::keys(&levels)), program.rate)?;
    }
    let seconds = total as f64 / f64::from(program.rate);
    let turned: Vec<String> = levels.iter().filter(|(_, v)| **v < 10.0).map(|(name, v)| format!("{name} {v}")).collect();
    let at = if turned.is_empty() { String::new() } else { format!("; player levels: {}", turned.join(", ")) };
    out!("{}: {seconds:.2} s, rendered {:.0} times as fast as it sounds{at}", arguments.out.display(), seconds / spent.max(1e-9));
    loaded.all_read()?;
    match loaded.faults.len() {
        0 => Ok(()),
        1 => Err(Failure::Fault("the project has a fault, and was rendered without what it touches".into())),
        n => Err(Failure::Fault(format!("the project has {n} faults, and was rendered without what they touch"))),
    }
}

/// Writes stems into a folder, which is made if need be; what is there under other names stays.
fn write_stems(arguments: &Arguments, folder: &Path, stems: &mut Stems, rate: u32) -> Result<(), Failure> {
    let failed = |e: &dyn std::fmt::Display| Failure::Fault(format!("{} cannot be written: {e}", folder.display()));
    if arguments.soft_start {
        return Err(Failure::Use("stems have no soft start: say one of --stems and --soft-start".into()));
    }
    std::fs::create_dir_all(folder).map_err(|e| failed(&e))?;
    let mut files = Vec::new();
    for name in stems.names() {
        let path = folder.join(format!("{}.wav", name.replace('/', "-")));
        let aside = Aside::create(&path, &["wav"], Some(&arguments.project), arguments.force)?;
        files.push(Wave::new(aside, rate, Bits::read(&arguments.bits)).map_err(|e| failed(&e))?);
    }
    let stopped = super::stopped()?;
    while stems.left() > 0 {
        if stopped.load(std::sync::atomic::Ordering::Relaxed) {
            return Err(Failure::Fault("stopped; no stems were written".into()));
        }
        for (file, samples) in files.iter_mut().zip(stems.next(u64::from(rate))) {
            file.write(&samples).map_err(|e| failed(&e))?;
        }
    }
    let count = files.len();
    for file in files {
        file.finish().map_err(|e| failed(&e))?.finish()?;
    }
    out!("{}: {count} stems", folder.display());
    Ok(())
}

/// Whether two paths lead to one file, there or not.
fn same_file(one: &Path, other: &Path) -> bool {
    let real = |path: &Path| {
        let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        path.canonicalize()
            .or_else(|_| Ok::<_, std::io::Error>(folder.canonicalize()?.join(path.file_name().unwrap_or_default())))
            .unwrap_or_else(|_| path.to_owned())
    };
    real(one) == real(other)
}
