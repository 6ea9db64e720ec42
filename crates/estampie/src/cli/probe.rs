//! `estampie probe FILE…`: facts of audio files.

use super::Failure;
use super::output::{out, tell};
use estampie_core::assets::{Facts, decode, facts};
use std::path::PathBuf;

pub(super) fn run(files: &[PathBuf], json: bool) -> Result<(), Failure> {
    let mut failed = 0;
    for file in files {
        match decode(file) {
            Ok(decoded) => {
                let facts = facts(&decoded);
                if json {
                    out!("{}", facts.json(&file.display().to_string()));
                } else {
                    print(&file.display().to_string(), &facts);
                }
            }
            Err(error) => {
                failed += 1;
                tell(&format!("{}: {error}", file.display()));
            }
        }
    }
    if failed == 0 { Ok(()) } else { Err(Failure::Fault(format!("{failed} of {} files cannot be played", files.len()))) }
}

fn level(value: f64, unit: &str) -> String {
    if value.is_finite() { format!("{value:.1} {unit}") } else { "silent".into() }
}

fn print(name: &str, facts: &Facts) {
    let seconds = |frames: usize| frames as f64 / f64::from(facts.rate);
    out!("{name}");
    let bits = facts.bits.map_or(String::new(), |b| format!(", {b} bit"));
    out!("  kind        {}{bits}", facts.kind);
    out!("  channels    {}", facts.channels);
    out!("  rate        {} Hz", facts.rate);
    out!("  length      {:.3} s ({} frames)", seconds(facts.frames), facts.frames);
    match facts.loop_points {
        Some((start, end)) => out!("  loop        {:.3} s to {:.3} s (frames {start} to {end})", seconds(start), seconds(end)),
        None => out!("  loop        none in the file"),
    }
    out!("  peak        {}", level(facts.sample_peak, "dBFS"));
    out!("  true peak   {}", level(facts.true_peak, "dBTP"));
    let loudness = if facts.loudness.is_finite() { format!("{:.1} LUFS", facts.loudness) } else { "too short or silent to measure".into() };
    out!("  loudness    {loudness}");
    if facts.greatest_short_term.is_finite() {
        out!("  short-term  {} at most, range {:.1} LU", level(facts.greatest_short_term, "LUFS"), facts.loudness_range);
    }
    out!("  silence     {:.1} ms at the head, {:.1} ms at the tail", facts.silence_head * 1000.0, facts.silence_tail * 1000.0);
    out!("  DC          {:+.5}", facts.dc);
    out!("  seam step   {:.5} of full scale, from the last frame of the round to its first", facts.seam_step);
}
