//! `estampie render PROJECT PLAYTHROUGH -o OUT.wav`.

use super::{Failure, print_faults};
use crate::project;
use estampie_core::document::did_you_mean;
use estampie_core::language::{Playthrough, playthrough};
use estampie_core::names::Names;
use estampie_core::offline::{Rendering, frames, names_in};
use estampie_core::trace::TraceWriter;
use estampie_core::units::Seconds;
use indicatif::{ProgressBar, ProgressStyle};
use std::fs::File;
use std::io::{BufWriter, IsTerminal as _};
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
    /// Bits of a sample: 16, 24, or 32 (float)
    #[arg(long, default_value = "24", value_parser = ["16", "24", "32"])]
    bits: String,
    /// With the soft start that the workshop has
    #[arg(long)]
    soft_start: bool,
}

/// The workshop's soft start.
pub(crate) const SOFT_START: Seconds = Seconds(0.4);

fn find(loaded: &project::Loaded, name: &str) -> Result<Playthrough, Failure> {
    let short = name.trim_end_matches(".play");
    let known = &loaded.workspace.document().playthroughs;
    if let Some((_, found)) = known.iter().find(|(n, _)| n == short) {
        return Ok(found.clone());
    }
    if Path::new(name).is_file() {
        let text = std::fs::read_to_string(name)?;
        let (playthrough, faults) = playthrough::parse(name, &text);
        print_faults(&faults);
        return if faults.is_empty() { Ok(playthrough) } else { Err(Failure::Fault(format!("{name} has faults"))) };
    }
    let mend = did_you_mean(short, known.iter().map(|(n, _)| n.as_str()), "the project's folder playthroughs/ has those that there are");
    Err(Failure::Use(format!("there is no playthrough {name}; {mend}")))
}

enum Sink {
    Int(hound::WavWriter<BufWriter<File>>, f32),
    Float(hound::WavWriter<BufWriter<File>>),
}

impl Sink {
    fn create(path: &Path, rate: u32, bits: &str) -> Result<Sink, hound::Error> {
        let float = bits == "32";
        let bits_per_sample = bits.parse().unwrap_or(24);
        let sample_format = if float { hound::SampleFormat::Float } else { hound::SampleFormat::Int };
        let writer = hound::WavWriter::create(path, hound::WavSpec { channels: 2, sample_rate: rate, bits_per_sample, sample_format })?;
        Ok(if float { Sink::Float(writer) } else { Sink::Int(writer, ((1u32 << (bits_per_sample - 1)) - 1) as f32) })
    }

    fn write(&mut self, samples: &[f32]) -> Result<(), hound::Error> {
        for sample in samples {
            match self {
                Sink::Int(writer, scale) => writer.write_sample((sample * *scale).round() as i32)?,
                Sink::Float(writer) => writer.write_sample(*sample)?,
            }
        }
        Ok(())
    }

    fn finish(self) -> Result<(), hound::Error> {
        match self {
            Sink::Int(writer, _) | Sink::Float(writer) => writer.finalize(),
        }
    }
}

pub(super) fn run(arguments: &Arguments) -> Result<(), Failure> {
    let loaded = project::load(&arguments.project)?;
    print_faults(&loaded.faults);
    let playthrough = find(&loaded, &arguments.playthrough)?;
    let program = Arc::clone(&loaded.program);
    let mut names: Names = program.names.clone();
    names.add_all(&names_in(&playthrough));
    let to_fault = |path: &Path| {
        let path = path.display().to_string();
        move |e: &dyn std::fmt::Display| Failure::Fault(format!("{path} cannot be written: {e}"))
    };
    let out_fault = to_fault(&arguments.out);
    let mut wav = Sink::create(&arguments.out, program.rate, &arguments.bits).map_err(|e| out_fault(&e))?;
    let mut trace = match &arguments.trace {
        Some(path) => Some(TraceWriter::new(BufWriter::new(File::create(path).map_err(|e| to_fault(path)(&e))?))),
        None => None,
    };
    let total = frames(&playthrough, program.rate);
    let bar = if std::io::stderr().is_terminal() { ProgressBar::new(total / u64::from(program.rate)) } else { ProgressBar::hidden() };
    let style = ProgressStyle::with_template("rendering {bar:40} {pos} of {len} s");
    bar.set_style(style.unwrap_or_else(|_| ProgressStyle::default_bar()));
    let soft_start = if arguments.soft_start { SOFT_START } else { Seconds(0.0) };
    let mut rendering = Rendering::new(&program, &playthrough, arguments.seed, soft_start);
    let mut part = Vec::new();
    let mut trace_error = None;
    let begun = std::time::Instant::now();
    while rendering.left() > 0 {
        rendering.next(u64::from(program.rate), &mut part, |happening| {
            if let Some(trace) = &mut trace
                && let Err(error) = trace.write(happening, &names)
            {
                trace_error.get_or_insert(error);
            }
        });
        wav.write(&part).map_err(|e| out_fault(&e))?;
        bar.inc(1);
    }
    bar.finish_and_clear();
    wav.finish().map_err(|e| out_fault(&e))?;
    if let (Some(trace), Some(path)) = (trace, &arguments.trace) {
        let finished = trace.finish();
        if let Some(error) = trace_error.or(finished.err()) {
            return Err(to_fault(path)(&error));
        }
    }
    let seconds = total as f64 / f64::from(program.rate);
    println!("{}: {seconds:.2} s, rendered {:.0} times as fast as it sounds", arguments.out.display(), seconds / begun.elapsed().as_secs_f64().max(1e-9));
    Ok(())
}
