//! `estampie probe FILE…`: facts of audio files, and of MIDI files.

use super::output::{out, tell};
use crate::failure::Failure;
use estampie_engine::music::exact::Beats;
use estampie_project::assets::{Facts, measure};
use estampie_project::midi::{Score, is_score, read_score};
use std::path::PathBuf;

pub(super) fn run(files: &[PathBuf], json: bool) -> Result<(), Failure> {
    let mut failed = 0;
    for file in files {
        if is_score(&file.to_string_lossy()) {
            match read_score(file) {
                Ok(score) => print_score(&file.display().to_string(), &score, json),
                Err(error) => {
                    failed += 1;
                    tell(&format!("{}: {error}", file.display()));
                }
            }
            continue;
        }
        match measure(file) {
            Ok(measured) => {
                let facts = measured.facts;
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

fn print_score(name: &str, score: &Score, json: bool) {
    let quarters = |at: Beats| *at.numer() as f64 / *at.denom() as f64;
    let tempo = |microseconds: u32| 60e6 / f64::from(microseconds.max(1));
    if json {
        let tracks: Vec<_> = score.tracks.iter().map(|t| serde_json::json!({ "name": t.name, "notes": t.notes.len(), "bends": t.bends.len() })).collect();
        let tempos: Vec<_> = score.tempos.iter().map(|(at, us)| serde_json::json!({ "quarter": quarters(*at), "tempo": tempo(*us) })).collect();
        let line = serde_json::json!({ "file": name, "quarters": quarters(score.length), "tracks": tracks, "tempos": tempos, "not-taken": score.ignored });
        return out!("{line}");
    }
    out!("{name}");
    out!("  length      {:.2} quarter notes", quarters(score.length));
    for track in &score.tracks {
        let bends = if track.bends.is_empty() { String::new() } else { format!(", the wheel is moved {} times", track.bends.len()) };
        out!("  track       {}: {} notes{bends}", track.name, track.notes.len());
    }
    for (at, microseconds) in &score.tempos {
        out!("  tempo       {:.2} from quarter note {:.2} on (a section has its own)", tempo(*microseconds), quarters(*at));
    }
    let not_taken = score.not_taken();
    out!("  not taken   {}", if not_taken.is_empty() { "nothing: all of it is" } else { &not_taken });
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
    for mark in &facts.notes.marks {
        let length = mark.frames.map_or(String::new(), |frames| format!(", {:.3} s long", seconds(frames)));
        let name = if mark.name.is_empty() { "without a name" } else { &mark.name };
        out!("  mark        {:.3} s{length}: {name}", seconds(mark.frame));
    }
    for (what, text) in &facts.notes.texts {
        out!("  {what:11} {text}");
    }
}
