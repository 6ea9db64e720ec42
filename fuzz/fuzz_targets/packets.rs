//! Any bytes as packets of a game, each with its length in two bytes before it.
#![no_main]

use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| estampie_link::fuzzing::packets(bytes));
