//! How long an edit takes from the workshop to the engine inside a running game: the demo, with a bus that is moved up and down.
//! `cargo run --release -p estampie-runtime --features live --example edit_to_game`
#![allow(clippy::unwrap_used)]

use estampie_bundle::{Info, write};
use estampie_engine::engine::{Notice, Prepared, Remote, What};
use estampie_engine::program::Program;
use estampie_live::{State, Visit};
use estampie_project::document::Workspace;
use estampie_project::{assets, compile};
use estampie_runtime::{Options, load_bytes};
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

fn main() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/brinewick");
    let mut workspace = Workspace::open(&folder).unwrap();
    let wanted: Vec<_> = compile::wanted_audio(workspace.document()).into_iter().collect();
    let assets = assets::load_all(&folder, &wanted, workspace.document().manifest.rate);
    let compiled = |workspace: &Workspace| -> Arc<Program> { Arc::new(compile::compile(workspace.document(), &assets).0) };
    let program = compiled(&workspace);
    let mut bundle = std::io::Cursor::new(Vec::new());
    write(
        &program,
        &Info { project: "Brinewick".into(), sources: String::new(), names: Vec::new(), parts: Vec::new(), storing: Default::default() },
        &mut bundle,
    )
    .unwrap();
    let (mut player, mut control) = load_bytes(bundle.into_inner(), &Options::default()).unwrap();
    let address = control.listen("127.0.0.1:0".parse().unwrap()).unwrap();
    let over = Arc::new(AtomicBool::new(false));
    let ends = Arc::clone(&over);
    let plays = std::thread::spawn(move || {
        let (begun, mut buffer) = (Instant::now(), [0.0f32; 2 * 128]);
        let mut longest = Vec::new();
        while !ends.load(Ordering::Relaxed) {
            while (player.frame() as f64) < begun.elapsed().as_secs_f64() * 48_000.0 {
                let now = Instant::now();
                player.render(&mut buffer);
                longest.push(now.elapsed());
                while control.poll().is_some() {}
            }
            std::thread::sleep(Duration::from_millis(1));
        }
        longest
    });
    let (elsewhere, mut remote) = Remote::elsewhere(0);
    let visit = Visit::begin(address, "", "bench", elsewhere, rtrb::RingBuffer::new(96_000).0).unwrap();
    while !matches!(visit.state(), State::Inside { .. }) {
        std::thread::sleep(Duration::from_millis(1));
    }
    let (mut whole, mut line) = (Vec::new(), Vec::new());
    for n in 0..200 {
        let begun = Instant::now();
        let text = workspace.sources().get("mix.toml").unwrap().to_string();
        let edited =
            text.lines().map(|l| if l.starts_with("level") { format!("level = \"{} dB\"", -(n % 9) - 1) } else { l.to_owned() }).collect::<Vec<_>>().join("\n");
        workspace.replace("a level", "mix.toml", &edited);
        let program = compiled(&workspace);
        let sent = Instant::now();
        assert!(remote.program(Box::new(Prepared::new(Arc::clone(&program), 1))).is_ok());
        while !std::iter::from_fn(|| remote.happening()).any(|h| h.what == What::Notice(Notice::Program(program.id))) {
            std::thread::sleep(Duration::from_micros(200));
            if let Some(status) = remote.status() {
                remote.give_back(status);
            }
        }
        whole.push(begun.elapsed());
        line.push(sent.elapsed());
        std::thread::sleep(Duration::from_millis(20));
    }
    over.store(true, Ordering::Relaxed);
    let mut longest = plays.join().unwrap();
    longest.sort_by(|a, b| b.cmp(a));
    for (what, mut times) in [("compiled, sent, taken over and told back", whole), ("sent, taken over and told back", line)] {
        let first = times[0];
        times.sort();
        let ms = |d: Duration| d.as_secs_f64() * 1000.0;
        println!(
            "{what}: median {:.1} ms, 19 of 20 within {:.1} ms, the slowest of {} {:.1} ms; the first, with all audio compared, {:.1} ms",
            ms(times[times.len() / 2]),
            ms(times[times.len() * 19 / 20]),
            times.len(),
            ms(times[times.len() - 1]),
            ms(first)
        );
    }
    println!("the longest buffers of 128 frames (2.7 ms): {:.1?} of {}", &longest[..5], longest.len());
}
