//! Any bytes as audio of a bundle: refused with a sentence, or a clip of finite samples.
#![no_main]

use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    if let Some((kind, bytes)) = bytes.split_first() {
        estampie_bundle::fuzzing::audio(*kind, bytes);
    }
});
