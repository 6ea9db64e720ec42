//! Any bytes on the line between a workshop and a game.
#![no_main]

use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| estampie_live::fuzzing::line(bytes));
