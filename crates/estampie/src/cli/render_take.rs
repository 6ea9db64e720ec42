//! `estampie render-take PROJECT SOUND -o OUT.wav`.

use super::output::{out, print_faults};
use super::wave::{Bits, Wave};
use crate::aside::Aside;
use crate::failure::Failure;
use crate::project;
use estampie_engine::names::NameKey;
use estampie_engine::units::{Quantity as _, Seconds};
use estampie_project::compile;
use estampie_project::document::did_you_mean;
use estampie_proof::alone;
use std::path::{Path, PathBuf};
use std::sync::Arc;

#[derive(clap::Args)]
pub(super) struct Arguments {
    /// The project's folder
    project: PathBuf,
    /// The sound, by its name
    sound: String,
    /// The WAV file to write; of several, each gets a number before its ending: OUT_01.wav
    #[arg(short, long, value_name = "OUT.wav")]
    out: PathBuf,
    /// How often it is played, each time from another seed
    #[arg(long, default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..=999))]
    count: u32,
    /// The seed of the first; each of the others has one more
    #[arg(long, default_value_t = 1)]
    seed: u64,
    /// What goes on for longer is let go then
    #[arg(long, default_value = "10 s", value_name = "TIME", value_parser = read_time)]
    longest: Seconds,
    /// A value of a parameter, as the game would send it; may be said several times
    #[arg(long, value_name = "PARAMETER=VALUE", value_parser = read_value)]
    set: Vec<(String, f32)>,
    /// Bits of a sample: 16, 24, or 32 (float)
    #[arg(long, default_value = "24", value_parser = ["16", "24", "32"])]
    bits: String,
    /// Write even over the project's own files
    #[arg(long)]
    force: bool,
}

fn read_time(text: &str) -> Result<Seconds, String> {
    let time = Seconds::read(text).map_err(|e| e.to_string())?;
    if time.0 > 0.0 && time.0 <= 3_600.0 { Ok(time) } else { Err(format!("{text} is not between 0 s and an hour")) }
}

fn read_value(text: &str) -> Result<(String, f32), String> {
    let (name, value) = text.split_once('=').ok_or("write PARAMETER=VALUE, like depth=40")?;
    let value: f32 = value.trim().parse().ok().filter(|v: &f32| v.is_finite()).ok_or_else(|| format!("{value} is no number"))?;
    Ok((name.trim().to_owned(), value))
}

/// The file of one of several.
fn numbered(out: &Path, count: u32, at: u32) -> PathBuf {
    if count == 1 {
        return out.to_owned();
    }
    let digits = if count > 99 { 3 } else { 2 };
    let stem = out.file_stem().unwrap_or_default().to_string_lossy();
    let ending = out.extension().map_or_else(String::new, |e| format!(".{}", e.to_string_lossy()));
    out.with_file_name(format!("{stem}_{:0digits$}{ending}", at + 1))
}

pub(super) fn run(arguments: &Arguments) -> Result<(), Failure> {
    let loaded = project::load_to_play(&arguments.project)?;
    print_faults(&loaded.faults);
    let document = loaded.workspace.document();
    if !document.sounds.iter().any(|s| s.name == arguments.sound) {
        let fix = did_you_mean(&arguments.sound, document.sounds.iter().map(|s| s.name.as_str()), "the project's folder sounds/ has those that there are");
        return Err(Failure::Use(format!("there is no sound {}; {fix}", arguments.sound)));
    }
    for (name, _) in &arguments.set {
        if !document.parameters.iter().any(|p| p.name == *name) {
            let fix = did_you_mean(name, document.parameters.iter().map(|p| p.name.as_str()), "game.toml declares them");
            return Err(Failure::Use(format!("there is no parameter {name}; {fix}")));
        }
    }
    let (program, _) = compile::compile(&alone::without_mix_and_world(document), &loaded.assets);
    let program = Arc::new(program);
    let parameters: Vec<(NameKey, f32)> = arguments.set.iter().map(|(name, value)| (NameKey::of(name), *value)).collect();
    let stopped = super::stopped()?;
    for at in 0..arguments.count {
        if stopped.load(std::sync::atomic::Ordering::Relaxed) {
            return Err(Failure::Fault(format!("stopped; {at} of {} are written", arguments.count)));
        }
        let samples = alone::play(&program, NameKey::of(&arguments.sound), &parameters, arguments.seed + u64::from(at), arguments.longest);
        if samples.is_empty() {
            return Err(Failure::Fault(format!("{} sounds of nothing; its conditions, its chance or its limits may refuse it", arguments.sound)));
        }
        let path = numbered(&arguments.out, arguments.count, at);
        write(&path, &samples, program.rate, arguments)?;
        out!("{} is written: {}", path.display(), Seconds::of_frames(samples.len() as u64 / 2, program.rate));
    }
    loaded.all_read()
}

/// Writes one playing; with one channel if both are the same.
fn write(path: &Path, samples: &[f32], rate: u32, arguments: &Arguments) -> Result<(), Failure> {
    let failed = |e: std::io::Error| Failure::Fault(format!("{} cannot be written: {e}", path.display()));
    let mono = samples.chunks_exact(2).all(|frame| frame[0] == frame[1]);
    let aside = Aside::create(path, &["wav", "wave"], Some(&arguments.project), arguments.force)?;
    let mut wave = Wave::with_channels(aside, if mono { 1 } else { 2 }, rate, Bits::read(&arguments.bits)).map_err(failed)?;
    if mono {
        let one: Vec<f32> = samples.iter().step_by(2).copied().collect();
        wave.write(&one).map_err(failed)?;
    } else {
        wave.write(samples).map_err(failed)?;
    }
    wave.finish().map_err(failed)?.finish()
}
