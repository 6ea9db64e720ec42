//! Any texts as those of a project, each below a line `=== FILE`: read and compiled, with faults or without, in bounded time; and printed again as it is read.
#![no_main]

use estampie_project::assets::Assets;
use estampie_project::compile::compile;
use estampie_project::document::{Document, Sources};
use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    let parts = text.split("=== ").filter_map(|part| part.split_once('\n'));
    let sources = Sources::from_texts(parts.map(|(file, text)| (file.trim(), text)));
    let (document, faults) = Document::read(&sources, &["audio/a.wav".to_owned(), "audio/b_01.wav".to_owned()].into());
    let (_, found) = compile(&document, &Assets::default());
    // Each has a place and can be told.
    for fault in faults.iter().chain(&found) {
        assert!(!fault.to_string().is_empty() && !fault.page().code.is_empty());
    }
});
