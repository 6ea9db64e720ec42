//! What a bundle takes in a game: the time to load it, and the memory that is allocated for audio and beside it.
//!
//!     cargo run --release --example footprint -p estampie-runtime -- demo.bundle [VOICES]
#![allow(unsafe_code, reason = "an allocator that counts has to be one")]

use estampie_bundle::Bundle;
use estampie_runtime::{Options, Streaming, load};
use std::alloc::{GlobalAlloc, Layout, System};
use std::path::Path;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Instant;

/// Counts what is allocated and not given back.
struct Counting;

static HELD: AtomicUsize = AtomicUsize::new(0);

// SAFETY: all of it is done by the system's allocator.
unsafe impl GlobalAlloc for Counting {
    unsafe fn alloc(&self, layout: Layout) -> *mut u8 {
        HELD.fetch_add(layout.size(), Ordering::Relaxed);
        // SAFETY: as for this function.
        unsafe { System.alloc(layout) }
    }

    unsafe fn dealloc(&self, at: *mut u8, layout: Layout) {
        HELD.fetch_sub(layout.size(), Ordering::Relaxed);
        // SAFETY: as for this function.
        unsafe { System.dealloc(at, layout) }
    }
}

#[global_allocator]
static ALLOCATOR: Counting = Counting;

fn main() {
    let mut arguments = std::env::args().skip(1);
    let Some(path) = arguments.next() else {
        eprintln!("footprint BUNDLE [VOICES]");
        std::process::exit(2);
    };
    let path = Path::new(&path);
    let voices = arguments.next().and_then(|n| n.parse().ok()).unwrap_or(64);
    let manifest = match Bundle::open(path) {
        Ok(bundle) => bundle.manifest().clone(),
        Err(error) => {
            eprintln!("{}: {error}", path.display());
            std::process::exit(1);
        }
    };
    for (what, streaming, parts_apart) in
        [("all of it loaded", Streaming::Whole, false), ("streamed", Streaming::Ahead, false), ("streamed, parts apart", Streaming::Ahead, true)]
    {
        let there = |name: &str| !(parts_apart && manifest.parts.iter().any(|p| p.audio.iter().any(|a| a == name)));
        let audio: u64 = manifest
            .audio
            .iter()
            .filter(|a| there(&a.name))
            .map(|a| if streaming == Streaming::Whole { a.frames * u64::from(a.channels) * if a.sixteen { 2 } else { 4 } } else { a.memory() })
            .sum();
        let streams = manifest.audio.iter().any(estampie_bundle::Audio::is_long) && streaming != Streaming::Whole;
        let options = Options { voices, inputs: 256, emitters: 4 * voices, streaming, parts_apart, ..Options::default() };
        let pages = if streams { options.streams as u64 * 4 * 64 * 1024 } else { 0 };
        let mut times = Vec::new();
        let mut held = 0;
        for _ in 0..7 {
            let before = HELD.load(Ordering::Relaxed);
            let begun = Instant::now();
            let loaded = load(path, &options);
            times.push(begun.elapsed().as_secs_f64() * 1e3);
            held = HELD.load(Ordering::Relaxed).saturating_sub(before);
            drop(loaded);
        }
        times.sort_by(f64::total_cmp);
        let mega = |bytes: u64| bytes as f64 / 1e6;
        println!(
            "{what}: {:.0} ms, {:.1} MB of audio, {:.1} MB of pages, {:.2} MB beside them ({voices} voices)",
            times[times.len() / 2],
            mega(audio),
            mega(pages),
            mega((held as u64).saturating_sub(audio + pages))
        );
    }
}
