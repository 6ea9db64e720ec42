//! The engine's cost: many voices against a loop that only interpolates and adds, and the demo offline.
//!
//! `cargo bench -p estampie-bench` prints the ratios that docs/performance.md gives.
#![allow(missing_docs, clippy::unwrap_used)]

#[path = "../../estampie-proof/examples/counted/lasting.rs"]
mod lasting;

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use estampie_engine::clip::Clip;
use estampie_engine::dsp::effects::{Around, Impulse, KINDS, Making};
use estampie_engine::dsp::generators::GENERATORS;
use estampie_engine::dsp::{Interpolator, ONE, TAPS, advance_of, effects};
use estampie_engine::engine::{BusStatus, Engine, Input, InputKind, NOW, Options, Prepared, Remote, Status};
use estampie_engine::music::exact::Beats;
use estampie_engine::names::NameKey;
use estampie_engine::telemetry::{Cause, Draws, Happening, What};
use estampie_engine::units::Seconds;
use estampie_project::assets;
use estampie_project::assets::Assets;
use estampie_project::compile::{compile, wanted_audio};
use estampie_project::document::{Document, Sources, Workspace};
use estampie_project::midi::{Score, ScoreFile, ScoreNote, Track};
use estampie_proof::offline::Rendering;
use estampie_proof::trace::kept::{Kept, Measured};
use estampie_proof::trace::lanes::{Wanted, drawn, lanes};
use lasting::lasting;
use std::hint::black_box;
use std::path::Path;
use std::sync::Arc;
use std::time::Instant;

const FRAMES: usize = 4800;

fn noise(frames: usize) -> Vec<f32> {
    let mut state = 1u32;
    (0..frames)
        .map(|_| {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (state >> 8) as f32 / 8_388_608.0 - 1.0
        })
        .collect()
}

/// An engine for a project whose one file is noise, `audio/n.wav`.
fn engine_of(sources: &Sources) -> (Engine, Remote) {
    let mut loaded = Assets::default();
    loaded.insert("audio/n.wav", Ok(Arc::new(Clip::new("audio/n.wav", vec![noise(96_000)], None))));
    let (document, _) = Document::read(sources, &["audio/n.wav".to_owned()].into());
    let (program, faults) = compile(&document, &loaded);
    assert!(faults.is_empty(), "{faults:?}");
    Engine::new(Prepared::new(Arc::new(program), 1), Options::default())
}

/// An engine with so many voices, each pitch-shifted and low-passed on its own, at a level.
fn engine_with(voices: usize, level: &str) -> Engine {
    let sound = format!(
        "[v]\nlevel = \"{level}\"\nlow-pass = \"4 kHz\"\nloop = true\ntakes = [\"audio/n.wav\"]\nvary = {{ level = \"-6..0 dB\", pitch = \"-7..7 st\" }}\n"
    );
    let sources = Sources::from_texts([
        ("estampie.toml", "format = 1\nvoices = 2048\nceiling = \"0 dB\""),
        ("game.toml", "[parameters.p]\nrange = \"0..1\"\n"),
        ("sounds/a.toml", &sound),
        ("modulation.toml", "[[modulation]]\nfrom = \"p\"\nmoves = \"v level\"\ncurve = [\"0: 0 dB\", \"1: -3 dB\"]\n"),
    ]);
    let (mut engine, mut remote) = engine_of(&sources);
    for _ in 0..voices {
        remote.input(Input { frame: NOW, what: InputKind::Play { sound: NameKey::of("v"), emitter: NameKey::NONE } }).unwrap();
    }
    let mut out = vec![0.0; 2 * FRAMES];
    engine.render(&mut out);
    assert_eq!(engine.voices() + engine.asleep(), voices);
    engine
}

/// The same, each of them placed at one of 64 emitters (falloff of level, stereo by bearing) and with a send to a return.
fn engine_placed(voices: usize) -> Engine {
    let sound = "[v]\nlevel = \"-60 dB\"\nlow-pass = \"4 kHz\"\nloop = true\ntakes = [\"audio/n.wav\"]\nvary = { level = \"-6..0 dB\", pitch = \"-7..7 st\" }\nsend = { r = \"-12 dB\" }\nfalloff = { level = [\"0 m: 0 dB\", \"900 m: -12 dB\"] }\n";
    let sources = Sources::from_texts([
        ("estampie.toml", "format = 1\nvoices = 2048\nceiling = \"0 dB\""),
        ("game.toml", "[parameters.p]\nrange = \"0..1\"\n"),
        ("mix.toml", "[buses.r]\nreturn = true\n[buses.r.effect.echo]\n"),
        ("sounds/a.toml", sound),
        ("modulation.toml", "[[modulation]]\nfrom = \"p\"\nmoves = \"v level\"\ncurve = [\"0: 0 dB\", \"1: -3 dB\"]\n"),
    ]);
    let (mut engine, mut remote) = engine_of(&sources);
    let mut out = vec![0.0; 2 * FRAMES];
    for n in 0..64u64 {
        let angle = n as f32 * 0.1;
        let at = [20.0 * angle.sin(), 20.0 * angle.cos(), 0.0];
        remote.input(Input { frame: NOW, what: InputKind::Place { emitter: NameKey(n + 77), kind: NameKey::NONE, at, facing: None, frames: 0 } }).unwrap();
    }
    engine.render(&mut out);
    for n in 0..voices as u64 {
        remote.input(Input { frame: NOW, what: InputKind::Play { sound: NameKey::of("v"), emitter: NameKey(n % 64 + 77) } }).unwrap();
    }
    engine.render(&mut out);
    assert_eq!(engine.voices(), voices);
    engine
}

/// The least that so many voices can cost: interpolation and a sum, nothing else.
struct Bare {
    interpolator: Interpolator,
    source: Vec<f32>,
    voices: Vec<(u64, u64)>,
}

impl Bare {
    fn new(voices: usize) -> Bare {
        let voices = (0..voices).map(|v| (v as u64 * 977 * ONE, advance_of((v as f64 / voices as f64 * 14.0 - 7.0).exp2().powf(1.0 / 12.0)))).collect();
        Bare { interpolator: Interpolator::new(), source: noise(96_000 + 1024 + TAPS), voices }
    }

    fn render(&mut self, out: &mut [f32]) {
        let mut block = [0.0f32; 64];
        for part in out.chunks_mut(128) {
            part.fill(0.0);
            for (position, advance) in &mut self.voices {
                let whole = (*position >> 32) as usize % 96_000;
                let end = self.interpolator.fill(&self.source[whole..whole + 1024 + TAPS], *position & (ONE - 1), *advance, &mut block);
                *position = whole as u64 * ONE + end;
                for (frame, sample) in part.chunks_mut(2).zip(&block) {
                    frame[0] += sample;
                    frame[1] += sample;
                }
            }
        }
    }
}

/// Seconds that a call takes.
fn timed(call: impl FnOnce()) -> f64 {
    let at = Instant::now();
    call();
    at.elapsed().as_secs_f64()
}

/// The median.
fn middle(mut values: Vec<f64>) -> f64 {
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

fn voices(criterion: &mut Criterion) {
    let mut group = criterion.benchmark_group("voices");
    group.sample_size(20).throughput(Throughput::Elements(FRAMES as u64));
    let seconds = FRAMES as f64 / 48_000.0;
    let mut out = vec![0.0; 2 * FRAMES];
    let mut bare = Bare::new(256);
    group.bench_function("bare loop, 256", |b| b.iter(|| bare.render(black_box(&mut out))));
    for (count, placed) in [(256, false), (256, true), (1024, false), (1024, true)] {
        let mut engine = if placed { engine_placed(count) } else { engine_with(count, "-60 dB") };
        let kind = if placed { "placed with a send" } else { "flat" };
        group.bench_function(format!("engine, {count}, {kind}"), |b| b.iter(|| engine.render(black_box(&mut out))));
        // In turn, so that whatever else the machine does touches both alike.
        let mut bare = Bare::new(count);
        let mut ratios = Vec::new();
        let mut times = Vec::new();
        for _ in 0..60 {
            let floor = timed(|| bare.render(black_box(&mut out)));
            let spent = timed(|| engine.render(black_box(&mut out)));
            ratios.push(spent / floor);
            times.push(spent);
        }
        println!("{count} voices, {kind}: {:.1} % of one core, {:.2} times the bare loop", middle(times) / seconds * 100.0, middle(ratios));
    }
    group.finish();
}

/// Voices far below hearing against voices that are heard.
fn silent(criterion: &mut Criterion) {
    let (mut silent, mut heard) = (engine_with(2000, "-110 dB"), engine_with(40, "-60 dB"));
    assert_eq!((silent.asleep(), heard.voices()), (2000, 40));
    let mut out = vec![0.0; 2 * FRAMES];
    let mut group = criterion.benchmark_group("silent");
    group.sample_size(20);
    group.bench_function("2000 far below hearing", |b| b.iter(|| silent.render(black_box(&mut out))));
    group.bench_function("40 heard", |b| b.iter(|| heard.render(black_box(&mut out))));
    let ratios = (0..60).map(|_| timed(|| silent.render(black_box(&mut out))) / timed(|| heard.render(black_box(&mut out)))).collect();
    println!("2000 voices far below hearing cost {:.2} times 40 that are heard", middle(ratios));
    group.finish();
}

/// 10,000 reactions to changes of 100 parameters that all move, and 1,000 modulations by them.
fn wiring(criterion: &mut Criterion) {
    use std::fmt::Write as _;
    let (mut game, mut sounds, mut modulation, mut reactions) = (String::from("[events]\nhit = \"a\"\n"), String::new(), String::new(), String::new());
    for p in 0..100 {
        writeln!(game, "[parameters.p{p}]\nrange = \"0..1\"").unwrap();
        for n in 0..100 {
            writeln!(reactions, "When p{p} becomes over 0.{:03} and p{} over 2e0\n  send hit\n", n * 10, (p + n) % 100).unwrap();
        }
        writeln!(sounds, "[s{p}]\ntakes = [\"audio/n.wav\"]").unwrap();
        for n in 0..10 {
            writeln!(modulation, "[[modulation]]\nfrom = \"p{p}\"\nmoves = \"s{} level\"\ncurve = [\"0: -40 dB, smooth\", \"0.5: -6 dB, power 2\", \"1: 0 dB\"]\nsmooth = \"50 ms\"", (p + n) % 100).unwrap();
        }
    }
    // The condition never holds, so that only looking is measured.
    let reactions = reactions.replace("over 2e0", "over 0.9999");
    let sources = Sources::from_texts([
        ("estampie.toml", "format = 1"),
        ("game.toml", game.as_str()),
        ("sounds/a.toml", sounds.as_str()),
        ("modulation.toml", modulation.as_str()),
        ("reactions.est", reactions.as_str()),
    ]);
    let (document, faults) = Document::read(&sources, &["audio/n.wav".to_owned()].into());
    assert!(faults.is_empty(), "{faults:?}");
    let (program, faults) = compile(&document, &Assets::default());
    assert!(faults.is_empty(), "{faults:?}");
    assert_eq!((program.reactions.len(), program.modulations.len()), (10_000, 1_000));
    let (mut engine, mut remote) = Engine::new(Prepared::new(Arc::new(program), 1), Options::default());
    let mut out = vec![0.0; 2 * FRAMES];
    let mut up = true;
    let mut render = || {
        // All hundred go from end to end within the stretch, so that every test is looked at in every block.
        for p in 0..100 {
            let to = if up { 0.99 } else { 0.0 };
            remote
                .input(Input { frame: NOW, what: InputKind::Glide { parameter: NameKey::of(&format!("p{p}")), from: None, to, frames: FRAMES as u64 } })
                .unwrap();
        }
        up = !up;
        let spent = timed(|| engine.render(black_box(&mut out)));
        while remote.happening().is_some() {}
        spent
    };
    let times: Vec<f64> = (0..40).map(|_| render()).collect();
    println!("10000 reactions and 1000 modulations: {:.1} % of a block", middle(times) / (FRAMES as f64 / 48_000.0) * 100.0);
    let mut group = criterion.benchmark_group("wiring");
    group.sample_size(20);
    group.bench_function("10000 reactions, 1000 modulations, 75 blocks", |b| b.iter(&mut render));
    group.finish();
}

/// An engine that plays a piece of so many layers or notes.
fn musical(layers: usize, notes: usize) -> Engine {
    let mut text = String::from("[instrument.i]\nkind = \"plucked string\"\npolyphony = 32\n[piece.p]\ntempo = \"93.7\"\n[piece.p.section.s]\nbars = 4\n");
    for layer in 0..layers {
        text += &format!("[piece.p.section.s.layer.l{layer}]\nfile = \"audio/n.wav\"\nlevel = \"-30 dB\"\n");
    }
    for band in 0..notes / 16 {
        text += &format!("[piece.p.section.s.layer.b{band}]\nnotes = \"music/n.mid\"\ntrack = \"t\"\ninstrument = \"i\"\nlevel = \"-30 dB\"\n");
    }
    let mut loaded = Assets::default();
    loaded.insert("audio/n.wav", Ok(Arc::new(Clip::new("audio/n.wav", vec![noise(960_000)], None))));
    let held =
        (0..16).map(|i| ScoreNote { at: Beats::from_integer(0), length: Beats::from_integer(16), pitch: 40 + 2 * i, velocity: 100, channel: 0 }).collect();
    let score = Score { tracks: vec![Track { name: "t".into(), notes: held, ..Track::default() }], ..Score::default() };
    let score = ScoreFile::of(&score).to_text();
    let sources = Sources::from_texts([("estampie.toml", "format = 1\nceiling = \"0 dB\""), ("music/p.toml", &text), ("music/n.mid", &score)]);
    let (document, _) = Document::read(&sources, &["audio/n.wav".to_owned()].into());
    let (program, faults) = compile(&document, &loaded);
    assert!(faults.is_empty(), "{faults:?}");
    let (mut engine, mut remote) = Engine::new(Prepared::new(Arc::new(program), 1), Options::default());
    remote.input(Input { frame: NOW, what: InputKind::Go { piece: NameKey::of("p"), section: NameKey::of("s"), on: None } }).unwrap();
    let mut out = vec![0.0; 2 * FRAMES];
    engine.render(&mut out);
    assert_eq!(engine.voices(), layers + notes / 16);
    engine
}

fn music(criterion: &mut Criterion) {
    let mut group = criterion.benchmark_group("music");
    group.throughput(Throughput::Elements(FRAMES as u64));
    let mut out = vec![0.0; 2 * FRAMES];
    let (mut layers, mut notes, mut bare) = (musical(64, 0), musical(0, 128), Bare::new(64));
    group.bench_function("64 layers", |b| b.iter(|| layers.render(black_box(&mut out))));
    group.bench_function("128 notes", |b| b.iter(|| notes.render(black_box(&mut out))));
    let share = |seconds: f64| seconds * 48_000.0 / FRAMES as f64 * 100.0;
    let (mut of_layers, mut of_notes, mut ratios) = (Vec::new(), Vec::new(), Vec::new());
    for _ in 0..40 {
        // Held strings die away but are made until the section goes round, so every stretch costs the same.
        let bare = timed(|| bare.render(&mut out));
        let layers = timed(|| layers.render(&mut out));
        of_notes.push(share(timed(|| notes.render(&mut out))));
        ratios.push(layers / bare);
        of_layers.push(share(layers));
    }
    let (layers, notes, ratio) = (middle(of_layers), middle(of_notes), middle(ratios));
    println!("64 layers in lockstep: {layers:.1} % of a core, {ratio:.2} x the bare loop of 64; 128 notes: {notes:.1} %");
    group.finish();
}

fn demo(criterion: &mut Criterion) {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/brinewick");
    let workspace = Workspace::open(&folder).unwrap();
    let document = workspace.document();
    let wanted: Vec<_> = wanted_audio(document).into_iter().collect();
    let loaded = assets::load_all(&folder, &wanted, 48_000);
    let (program, _) = compile(document, &loaded);
    let program = Arc::new(program);
    let dive = &document.playthroughs.iter().find(|(n, _)| n == "first-dive").unwrap().1;
    let mut part = Vec::new();
    let mut render = || {
        let mut rendering = Rendering::new(&program, dive, None, Seconds(0.0));
        while rendering.left() > 0 {
            rendering.next(48_000, &mut part, |h| {
                black_box(h);
            });
        }
    };
    let mut group = criterion.benchmark_group("demo");
    group.sample_size(10);
    group.bench_function("first-dive offline", |b| b.iter(&mut render));
    let length = estampie_proof::offline::frames(dive, 48_000) as f64 / 48_000.0;
    println!("first-dive, {length:.0} s: {:.0} times real time", length / middle((0..7).map(|_| timed(&mut render)).collect()));
    group.finish();
}

/// The cost of each effect for a stereo block of noise, its settings well within their ranges and none where it does nothing; and 64 buses with four each.
fn mix(criterion: &mut Criterion) {
    let mut group = criterion.benchmark_group("mix");
    group.sample_size(10).throughput(Throughput::Elements(FRAMES as u64));
    let impulse = Arc::new(Impulse::new(&noise(96_000), &noise(96_000), 48_000));
    for kind in KINDS {
        let mut values = effects::at_rest(kind);
        for (value, setting) in values.iter_mut().zip(kind.settings).filter(|(_, s)| !s.fixed) {
            *value = if setting.by_octaves() { (setting.low * setting.high).sqrt() } else { setting.low + 0.7 * (setting.high - setting.low) };
        }
        let mut effect = (kind.make)(&Making { rate: 48_000, values, impulse: Some(Arc::clone(&impulse)) });
        let (left, right) = (noise(FRAMES), noise(FRAMES));
        let mut run = || {
            let (mut l, mut r) = (left.clone(), right.clone());
            for (l, r) in l.chunks_mut(64).zip(r.chunks_mut(64)) {
                effect.process(&Around { to: &values, key: None, quarters_per_second: 0.0 }, l, r);
            }
            black_box((&l, &r));
        };
        run();
        let seconds = middle((0..21).map(|_| timed(&mut run)).collect());
        println!("{}: {:.2} % of one core", kind.word, seconds / (FRAMES as f64 / 48_000.0) * 100.0);
        group.bench_function(kind.word, |b| b.iter(&mut run));
    }
    let mut toml = String::new();
    for bus in 0..64 {
        toml.push_str(&format!("[buses.b{bus}]\n"));
        for (name, set) in [
            ("eq", "low = \"3 dB\"\nc = \"-4 dB\""),
            ("compressor", "threshold = \"-20 dB\""),
            ("high-pass", "cutoff = \"80 Hz\""),
            ("chorus", "wet = \"30 %\""),
        ] {
            toml.push_str(&format!("[buses.b{bus}.effect.{name}]\n{set}\n"));
        }
    }
    let sounds: String = (0..64).map(|bus| format!("[v{bus}]\nbus = \"b{bus}\"\nlevel = \"-40 dB\"\nloop = true\ntakes = [\"audio/n.wav\"]\n")).collect();
    let sources = Sources::from_texts([("estampie.toml", "format = 1\nceiling = \"0 dB\""), ("mix.toml", &toml), ("sounds/a.toml", &sounds)]);
    let (mut engine, mut remote) = engine_of(&sources);
    for bus in 0..64 {
        remote.input(Input { frame: NOW, what: InputKind::Play { sound: NameKey::of(&format!("v{bus}")), emitter: NameKey::NONE } }).unwrap();
    }
    let mut out = vec![0.0; 2 * FRAMES];
    engine.render(&mut out);
    let seconds = middle((0..21).map(|_| timed(|| engine.render(black_box(&mut out)))).collect());
    println!("64 buses with 4 effects and a voice each: {:.1} % of one core", seconds / (FRAMES as f64 / 48_000.0) * 100.0);
    group.bench_function("64 buses with 4 effects", |b| b.iter(|| engine.render(black_box(&mut out))));
    group.finish();
}

/// A world of so many emitters, zones and pieces of wall, all of the emitters told by the game and on the move, and 64 voices at some.
fn placed(emitters: usize, zones: usize, walls: usize) -> (Engine, Remote) {
    let mut world = String::from("start = \"500, 500\"\n");
    for n in 0..zones {
        let (x, y) = ((n % 25) * 40, (n / 25) * 50);
        let outside = "{ level = \"-9 dB\", low-pass = \"1 kHz\" }";
        world += &format!(
            "[zones.z{n}]\noutline = [\"{x}, {y}\", \"{}, {y}\", \"{}, {}\", \"{x}, {}\"]\noutside = {outside}\ninside = {outside}\n",
            x + 40,
            x + 44,
            y + 50,
            y + 50
        );
    }
    for n in 0..walls {
        let (x, y) = ((n % 50) * 20, (n / 50) * 25);
        world += &format!("[walls.w{n}]\nline = [\"{x}, {y}\", \"{}, {}\"]\n", x + 12, y + 9);
    }
    let sources = Sources::from_texts([
        ("estampie.toml", "format = 1\nvoices = 256\nceiling = \"0 dB\""),
        ("game.toml", "[events]\ngo = \"\"\n"),
        ("sounds/a.toml", "[v]\nlevel = \"-30 dB\"\nloop = true\ntakes = [\"audio/n.wav\"]\nfalloff = { level = [\"0 m: 0 dB\", \"900 m: -20 dB\"] }\n"),
        ("reactions.est", "When go\n  play v at the emitter\n"),
        ("world.toml", &world),
    ]);
    let (mut engine, mut remote) = engine_of(&sources);
    let mut out = vec![0.0; 2 * 64];
    for n in 0..emitters {
        let emitter = NameKey(n as u64 + 77);
        let at = |k: usize| [((n * 37 + k * 400) % 1000) as f32, ((n * 61 + k * 300) % 1000) as f32, 0.0];
        for (k, frames) in [(0, 0), (1, 48_000 * 600)] {
            let what = InputKind::Place { emitter, kind: NameKey::NONE, at: at(k), facing: None, frames };
            while remote.input(Input { frame: NOW, what }).is_err() {
                engine.render(&mut out);
            }
        }
        if n % (emitters / 64).max(1) == 0 {
            remote.input(Input { frame: NOW, what: InputKind::Event { event: NameKey::of("go"), emitter } }).unwrap();
        }
        engine.render(&mut out);
        while remote.happening().is_some() {}
    }
    remote.input(Input { frame: NOW, what: InputKind::Walk { emitter: NameKey::of("listener"), to: [900.0, 100.0, 0.0], speed: 3.0 } }).unwrap();
    (engine, remote)
}

fn world(criterion: &mut Criterion) {
    let (mut bare, _a) = placed(64, 0, 0);
    let (mut full, _b) = placed(5000, 500, 2000);
    let mut out = vec![0.0; 2 * FRAMES];
    let mut group = criterion.benchmark_group("world");
    group.throughput(Throughput::Elements(FRAMES as u64));
    group.bench_function("64 placed voices", |b| b.iter(|| bare.render(black_box(&mut out))));
    group.bench_function("64 placed voices, 5000 emitters, 500 zones, 2000 walls", |b| b.iter(|| full.render(black_box(&mut out))));
    group.finish();
    // In turns, so that what else the machine does falls on both alike.
    let (mut a, mut b) = (Vec::new(), Vec::new());
    for _ in 0..60 {
        a.push(timed(|| bare.render(&mut out)));
        b.push(timed(|| full.render(&mut out)));
    }
    let (a, b) = (middle(a), middle(b));
    println!(
        "world: 64 placed voices {:.1} % of a core; with 5000 emitters on the move, 500 zones, 2000 walls {:.1} %: {:.1} % of a block more",
        a * 1000.0,
        b * 1000.0,
        (b - a) * 1000.0
    );
}

/// The worst block: 1,024 voices, 5,000 emitters, and 4,096 inputs that all count in it.
fn worst(_: &mut Criterion) {
    let sound = |limit: &str| {
        format!(
            "[v]\nlevel = \"-60 dB\"\nlow-pass = \"4 kHz\"\nloop = true\ntakes = [\"audio/n.wav\"]\nvary = {{ level = \"-6..0 dB\", pitch = \"-7..7 st\" }}\nfalloff = {{ level = [\"0 m: 0 dB\", \"900 m: -12 dB\"] }}\n[once]\nlevel = \"-60 dB\"\ntakes = [\"audio/n.wav\"]\n{limit}\n"
        )
    };
    let sources = Sources::from_texts([
        ("estampie.toml", "format = 1\nvoices = 4096\nceiling = \"0 dB\""),
        (
            "game.toml",
            "[parameters.p]\nrange = \"0..1\"\n[parameters.load]\nrange = \"0..1\"\nof = \"each emitter\"\n[parameters.near]\nmeasure = \"distance\"\nrange = \"0..900\"\n",
        ),
        ("mix.toml", "[buses.a]\n[[duck]]\nsidechain = \"sound once\"\nducks = \"a\"\n"),
        ("sounds/a.toml", &sound("limit = { in-all = 3000 }")),
    ]);
    let key = |n: u64| NameKey(n + 77);
    let place = |n: u64, far: f32| InputKind::Place { emitter: key(n), kind: NameKey::NONE, at: [(n % 70) as f32 * 9.0, far, 0.0], facing: None, frames: 0 };
    type Nth = fn(u64) -> InputKind;
    let kinds: [(&str, Nth, bool); 4] = [
        ("parameters of all", |n| InputKind::Parameter { parameter: NameKey::of("p"), value: n as f32 / 4096.0, emitter: NameKey::NONE }, false),
        ("parameters of emitters", |n| InputKind::Parameter { parameter: NameKey::of("load"), value: 0.5, emitter: NameKey(n + 77) }, false),
        (
            "places of emitters",
            |n| InputKind::Place { emitter: NameKey(n + 77), kind: NameKey::NONE, at: [n as f32 * 0.1, 5.0, 0.0], facing: None, frames: 0 },
            false,
        ),
        ("starts under a limit", |_| InputKind::Play { sound: NameKey::of("once"), emitter: NameKey::NONE }, true),
    ];
    let real = 64.0 / 48_000.0;
    for (name, input, starts) in kinds {
        let (mut engine, mut remote) = engine_of(&sources);
        let mut out = vec![0.0; 2 * 64];
        for n in 0..5_000 {
            while remote.input(Input { frame: NOW, what: place(n, 40.0) }).is_err() {
                engine.render(&mut out);
            }
        }
        for n in 0..1_024 {
            remote.input(Input { frame: NOW, what: InputKind::Play { sound: NameKey::of("v"), emitter: key(n % 512) } }).unwrap();
        }
        let quiet = middle((0..40).map(|_| timed(|| engine.render(&mut out))).collect());
        let blocks: Vec<f64> = (0..12)
            .map(|_| {
                if starts {
                    remote.input(Input { frame: NOW, what: InputKind::Stop { sound: NameKey::of("once") } }).unwrap();
                    (0..40).for_each(|_| engine.render(&mut out));
                }
                // Half of them when starts: the ring has room for 4,096 and each voice stays for a while.
                for n in 0..if starts { 1_024 } else { 4_096 } {
                    let _ = remote.input(Input { frame: NOW, what: input(n) });
                }
                let time = timed(|| engine.render(&mut out));
                while remote.happening().is_some() {}
                time
            })
            .collect();
        let count = if starts { 1_024 } else { 4_096 };
        let (least, typical) = (blocks.iter().copied().fold(f64::INFINITY, f64::min), middle(blocks));
        println!(
            "worst block: {count} {name}: {:.0} % of its time ({:.0} % at best), {:.0} % without them; {:.2} us each",
            typical / real * 100.0,
            least / real * 100.0,
            quiet / real * 100.0,
            (typical - quiet) * 1e6 / f64::from(count)
        );
    }
    // A response of ten seconds: its dearest block of the eight of a partition, each the middle of many.
    let impulse = Arc::new(Impulse::new(&noise(480_000), &noise(480_000), 48_000));
    let convolution = effects::kind("convolution").unwrap();
    let values = effects::at_rest(convolution);
    let mut effect = (convolution.make)(&Making { rate: 48_000, values, impulse: Some(impulse) });
    let (mut left, mut right) = (noise(64), noise(64));
    let mut times = vec![Vec::new(); 8];
    for block in 0..800 {
        times[block % 8].push(timed(|| effect.process(&Around { to: &values, key: None, quarters_per_second: 0.0 }, &mut left, &mut right)));
    }
    let blocks: Vec<f64> = times.into_iter().map(middle).collect();
    let (mean, most) = (blocks.iter().sum::<f64>() / 8.0, blocks.iter().copied().fold(0.0, f64::max));
    println!("worst block: convolution with ten seconds: {:.0} % of its time, {:.0} % on the mean", most / real * 100.0, mean / real * 100.0);
}

/// An engine with so many voices of one take, as it comes.
fn engine_of_takes(voices: usize, take: &str) -> Engine {
    let shared: String = GENERATORS.iter().map(|k| format!("[generator.{0}]\nkind = \"{0}\"\n{1}", k.word, lasting(k.word))).collect();
    let sound =
        format!("[v]\nlevel = \"-60 dB\"\nlow-pass = \"4 kHz\"\nloop = true\ntakes = [\"{take}\"]\nvary = {{ level = \"-6..0 dB\", pitch = \"-7..7 st\" }}\n");
    let (mut engine, mut remote) = engine_of(&Sources::from_texts([("estampie.toml", "format = 1\n"), ("shared.toml", &*shared), ("sounds/a.toml", &*sound)]));
    for _ in 0..voices {
        remote.input(Input { frame: NOW, what: InputKind::Play { sound: NameKey::of("v"), emitter: NameKey::NONE } }).unwrap();
    }
    let mut out = vec![0.0; 2 * FRAMES];
    engine.render(&mut out);
    assert_eq!(engine.voices(), voices, "{take}");
    engine
}

/// 64 voices of each generator against 64 of a file, each pitch-shifted and low-passed on its own as in the other figures.
fn generators(_: &mut Criterion) {
    let mut out = vec![0.0; 2 * FRAMES];
    let seconds = FRAMES as f64 / 48_000.0;
    for kind in GENERATORS {
        let (mut made, mut file) = (engine_of_takes(64, &format!("generator {}", kind.word)), engine_of_takes(64, "audio/n.wav"));
        let (mut times, mut ratios) = (Vec::new(), Vec::new());
        // No longer than the shortest lasts: 2 s.
        for _ in 0..16 {
            let spent = timed(|| made.render(black_box(&mut out)));
            times.push(spent);
            ratios.push(spent / timed(|| file.render(black_box(&mut out))));
        }
        println!("64 of {}: {:.1} % of a core, {:.2} times 64 voices of a file", kind.word, middle(times) / seconds * 100.0, middle(ratios));
    }
}

/// Half an hour of a dense past: what the view Trace asks for when all of it is in sight, in milliseconds against the 4 that a picture may take.
fn past(_: &mut Criterion) {
    let sounds: String = (0..14).map(|n| format!("[s{n}]\ntakes = [\"audio/n.wav\"]\nbus = \"b{}\"\n", n % 12)).collect();
    let mix: String = (0..12).map(|n| format!("[buses.b{n}]\n")).collect();
    let (document, _) = Document::read(&Sources::from_texts([("sounds/all.toml", &*sounds), ("mix.toml", &*mix)]), &["audio/n.wav".to_owned()].into());
    let (program, _) = compile(&document, &Assets::default());
    let (mut kept, none, rate) = (Kept::new(48_000), NameKey::NONE, 48_000u64);
    for at in 0..30 * 60 * 30u64 {
        let (frame, voice, sound) = (at * rate / 30, at / 3, program.sounds[estampie_engine::index::SoundIndex::new((at / 3 % 14) as usize)].key);
        let what = match at % 3 {
            0 => What::VoiceStart { voice, sound, leaf: sound, take: none, emitter: none, at: None, level: 0.0, pitch: 0.0, drawn: Draws::default(), by: none },
            1 => What::VoiceEnd { voice: voice.saturating_sub(2), sound, cause: Cause::Done },
            _ => What::Event { event: sound, emitter: none, by: none },
        };
        kept.note(&Happening { frame, what });
        let bus = |n: u64| BusStatus { peak: [((at * 7 + n) % 23) as f32 / 23.0; 2], ..BusStatus::default() };
        let buses = (0..program.mix.buses.len() as u64).map(bus).collect();
        let status = Status { frame, program: program.id, peak: [(at % 17) as f32 / 17.0; 2], buses, ..Status::default() };
        kept.note_status(&status, &program, Measured { short_term: -20.0 - (at % 5) as f32, load: (at % 9) as f32 / 20.0 });
    }
    let window = (0, kept.now());
    let mut rows = Vec::new();
    let found = middle((0..20).map(|_| timed(|| rows = lanes(&kept, &program, &program.names, window, &Wanted::default()))).collect());
    let draw = |grain: u64| {
        let all = || rows.iter().for_each(|lane| drop(black_box(drawn(lane, &kept, &program, &program.names, window, grain))));
        middle((0..20).map(|_| timed(all)).collect())
    };
    let (thin, whole) = (draw(kept.now() / 300), draw(0));
    println!(
        "the past: {} lanes of half an hour with 30 happenings a second: found in {:.1} ms, drawn in {:.1} ms ({:.1} x less than whole)",
        rows.len(),
        found * 1e3,
        thin * 1e3,
        whole / thin
    );
}

criterion_group!(benches, voices, generators, silent, wiring, music, mix, world, worst, past, demo);
criterion_main!(benches);
