//! Any bytes as a MIDI file: refused, or a text that reads as itself again and bytes that do.
#![no_main]

#[path = "../guards.rs"]
mod guards;

use estampie_project::midi::ScoreFile;
use libfuzzer_sys::fuzz_target;

fuzz_target!(
    init: guards::only_beyond(),
    |bytes: &[u8]| {
    let Ok(file) = ScoreFile::of_bytes(bytes) else { return };
    let text = file.to_text();
    let again = ScoreFile::of_text(&text).expect("what is written is read");
    assert_eq!(again.to_text(), text);
    let _ = file.score();
    ScoreFile::of_bytes(&again.to_bytes()).expect("what is written is read");
    }
);
