//! Any bytes as a bundle: refused with a sentence, or played.
#![no_main]

use estampie_runtime::{Options, load_bytes};
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    match load_bytes(bytes.to_vec(), &Options { voices: 8, inputs: 8, ..Options::default() }) {
        Err(error) => assert!(!error.to_string().is_empty()),
        Ok((mut player, mut control)) => {
            let hit = control.key("hit");
            assert!(control.event(0, hit, None).is_ok());
            let mut out = [0.0; 512];
            player.render(&mut out);
            assert!(out.iter().all(|s| s.is_finite()));
        }
    }
});
