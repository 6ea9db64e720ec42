//! What the runtime costs besides the engine: its face for C against that for Rust, another rate, and loading.
//!
//! `cargo bench -p estampie-bench --bench runtime` prints the figures that docs/performance.md gives.
#![allow(missing_docs, clippy::unwrap_used)]
#![allow(unsafe_code, reason = "the functions for C are what is measured")]

use estampie_bundle::{Info, PartInfo, write};
use estampie_engine::clip::Clip;
use estampie_engine::program::Program;
use estampie_project::assets::Assets;
use estampie_project::compile::{compile, wanted_audio};
use estampie_project::document::{Document, Sources, Workspace};
use estampie_runtime::c::{EstampieOptions, estampie_event, estampie_free, estampie_key, estampie_load_bytes, estampie_render};
use estampie_runtime::{NOW, Options, load_bytes};
use std::path::Path;
use std::sync::Arc;
use std::time::Instant;

const FRAMES: usize = 512;

fn written(program: &Program, parts: Vec<PartInfo>) -> Vec<u8> {
    let mut out = std::io::Cursor::new(Vec::new());
    write(program, &Info { project: "bench".into(), sources: "0".into(), names: Vec::new(), parts, storing: Default::default() }, &mut out).unwrap();
    out.into_inner()
}

/// A bundle in which `go` begins 64 voices.
fn voices() -> Vec<u8> {
    let takes = vec!["\"audio/n.wav\""; 64].join(", ");
    let sources = Sources::from_texts([
        ("estampie.toml", "format = 1\nceiling = \"0 dB\""),
        (
            "sounds/a.toml",
            &format!("[v]\nlevel = \"-30 dB\"\nlow-pass = \"4 kHz\"\nloop = true\npick = \"together\"\ntakes = [{takes}]\nvary = {{ pitch = \"-7..7 st\" }}\n"),
        ),
        ("game.toml", "[events]\ngo = \"it goes\"\n"),
        ("reactions.est", "When go\n  play v\n"),
    ]);
    let (document, faults) = Document::read(&sources, &["audio/n.wav".to_owned()].into());
    assert!(faults.is_empty(), "{faults:?}");
    let mut assets = Assets::default();
    let noise = (0..96_000u32).map(|i| (i.wrapping_mul(2_654_435_761) >> 8) as f32 / 8_388_608.0 - 1.0).collect();
    assets.insert("audio/n.wav", Ok(Arc::new(Clip::new("audio/n.wav", vec![noise], None))));
    let (program, faults) = compile(&document, &assets);
    assert!(faults.is_empty(), "{faults:?}");
    written(&program, Vec::new())
}

fn middle(mut values: Vec<f64>) -> f64 {
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

fn timed(work: impl FnOnce()) -> f64 {
    let begun = Instant::now();
    work();
    begun.elapsed().as_secs_f64()
}

fn main() {
    let bundle = voices();
    let player = |rate: u32| {
        let (player, mut control) = load_bytes(bundle.clone(), &Options { rate, ..Options::default() }).unwrap();
        let go = control.key("go");
        control.event(NOW, go, None).unwrap();
        (player, control)
    };
    let (mut rust, _control) = player(0);
    let (mut other, _other_control) = player(44_100);
    let options = EstampieOptions { seed: 1, ..Default::default() };
    // SAFETY: what is given lives as long as it is used, and one thread uses it.
    let c = unsafe { estampie_load_bytes(bundle.as_ptr(), bundle.len(), &raw const options, std::ptr::null_mut(), 0) };
    assert!(!c.is_null());
    // SAFETY: it was loaded, and the name ends with a 0 byte.
    unsafe { estampie_event(c, 0, estampie_key(c, c"go".as_ptr()), 0) };
    let mut buffer = [0.0f32; 2 * FRAMES];
    let (mut by_c, mut by_rate, mut share) = (Vec::new(), Vec::new(), Vec::new());
    for round in 0..4000 {
        let plain = timed(|| rust.render(&mut buffer));
        // SAFETY: it was loaded, and there is room for so many frames.
        let in_c = timed(|| assert_eq!(unsafe { estampie_render(c, buffer.as_mut_ptr(), FRAMES) }, 0));
        let converted = timed(|| other.render(&mut buffer));
        if round > 100 {
            by_c.push(in_c / plain);
            // As much sound takes fewer frames there.
            by_rate.push(converted * 44_100.0 / 48_000.0 / plain);
            share.push(plain / (FRAMES as f64 / 48_000.0));
        }
    }
    // SAFETY: it was loaded and is used no more.
    unsafe { estampie_free(c) };
    println!("64 voices: {:.2} % of a core; by C {:.3} of Rust; at 44.1 kHz {:.3} of the bundle's rate", middle(share) * 100.0, middle(by_c), middle(by_rate));
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/brinewick");
    let workspace = Workspace::open(&folder).unwrap();
    let document = workspace.document();
    let wanted: Vec<_> = wanted_audio(document).into_iter().collect();
    let assets = estampie_project::assets::load_all(&folder, &wanted, document.manifest.rate);
    let (program, _) = compile(document, &assets);
    let all = PartInfo {
        name: "all".into(),
        sounds: document.sounds.iter().map(|s| s.name.clone()).collect(),
        pieces: document.music.pieces.iter().map(|p| p.name.clone()).collect(),
        budget: None,
    };
    let demo = written(&program, vec![all]);
    for (what, parts_apart) in [("all of it", false), ("without its audio", true)] {
        let times = (0..15).map(|_| timed(|| drop(load_bytes(demo.clone(), &Options { parts_apart, ..Options::default() }).unwrap()))).collect();
        println!("loading the demo, {what}: {:.0} ms", middle(times) * 1000.0);
    }
}
