//! Makes the audio of Brinewick Salvage: deterministic, from oscillators, noise and resonances, written as FLAC.
//!
//! usage: `cargo run --release -p brinewick-audio [OUT]` (default `examples/brinewick/audio`); MIDI files go to `music` beside it
//!
//! Every file is brought to a loudness of its own by EBU R 128, held under −1 dB of true peak, and begins and ends in
//! silence unless it goes round.

mod craft;
mod customs;
mod deep;
mod material;
mod score;
mod tidewalk;
mod write;

use std::path::PathBuf;
use std::process::ExitCode;

fn main() -> ExitCode {
    let out = std::env::args().nth(1).map_or_else(|| PathBuf::from("examples/brinewick/audio"), PathBuf::from);
    let music = out.with_file_name("music");
    let scores = [
        ("tidewalk.mid", 60_000_000 / 92, (4, 4), tidewalk::parts()),
        // 112 dotted quarters a minute.
        ("customs-house.mid", 60_000_000 / 168, (6, 8), customs::customs()),
        ("lullaby.mid", 60_000_000 / 66, (3, 4), customs::lullaby()),
    ];
    for (name, tempo, metre, parts) in scores {
        if let Err(error) = score::write(&music.join(name), tempo, metre, &parts) {
            eprintln!("brinewick-audio: {error}");
            return ExitCode::FAILURE;
        }
    }
    let mut files = material::all();
    files.extend(deep::all());
    files.extend(tidewalk::files());
    for group in &files {
        for (name, facts) in match write::group(&out, group) {
            Ok(written) => written,
            Err(error) => {
                eprintln!("brinewick-audio: {error}");
                return ExitCode::FAILURE;
            }
        } {
            println!("{name:32} {:5.2} s  {:6.1} LUFS  {:6.1} dBTP", facts.frames as f64 / f64::from(facts.rate), facts.loudness, facts.true_peak);
        }
    }
    ExitCode::SUCCESS
}
