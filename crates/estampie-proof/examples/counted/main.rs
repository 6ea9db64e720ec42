//! Work whose instructions are counted: the same from run to run, on whatever else a machine does.
//!
//! `counted SCENE TIMES` does it so many times in `one_time`, after it has been made ready: valgrind counts what runs in there (`--toggle-collect='*one_time*'`).
//! `made-KIND` is one kind of generator alone. `counted` lists the scenes, `counted instructions` those of the processor that it uses. scripts/counts writes what they cost to docs/counts.txt, and a test
//! holds that against what they cost then.
#![allow(clippy::unwrap_used)]

mod lasting;

use estampie_engine::clip::Clip;
use estampie_engine::dsp::effects::{self, Around, KINDS, Making};
use estampie_engine::dsp::generators::{GENERATORS, GeneratorKind};
use estampie_engine::engine::{Capacity, Engine, Input, InputKind, NOW, Options, Prepared, Remote};
use estampie_engine::names::NameKey;
use estampie_project::assets::Assets;
use estampie_project::compile::compile;
use estampie_project::document::{Document, Sources};
use lasting::lasting;
use std::fmt::Write as _;
use std::sync::Arc;

/// What makes a scene ready: what it gives does it once.
type Ready = fn() -> Box<dyn FnMut()>;

/// Frames of sound in each scene that sounds.
const FRAMES: usize = 20 * 64;

/// All scenes, with what they are.
const SCENES: &[(&str, &str, Ready)] = &[
    ("voices-placed", "64 voices at 64 emitters on the move, pitched and low-passed, each with a send to a return; 20 blocks", voices_placed),
    ("voices-flat", "64 voices, pitched and low-passed; 20 blocks", voices_flat),
    ("voices-asleep", "500 voices far below hearing; 20 blocks", voices_asleep),
    ("generators", "4 voices of each kind of generator, pitched and low-passed; 20 blocks", || made(GENERATORS)),
    ("effects", "each effect at work on noise in stereo, one after the other; 20 blocks", all_effects),
    ("reverb-moved", "a reverb whose decay is moved all the time; 20 blocks", reverb),
    ("wiring", "100 parameters that move, 1,000 reactions to them and 200 modulations by them; 20 blocks", wiring),
    (
        "alike",
        "1,500 reactions that are alike, zones, sounds without a file, and on one line each points of a curve and values of a state, read and compiled",
        alike,
    ),
    ("reading", "a project of 200 sounds and 200 reactions, read and compiled", reading),
];

fn main() {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    if arguments == ["instructions"] {
        println!("{}", estampie_engine::dsp::Instructions::best().name());
        return;
    }
    let [scene, times] = &arguments[..] else {
        SCENES.iter().for_each(|(name, says, _)| println!("{name}\t{says}"));
        return;
    };
    let mut work = match scene.strip_prefix("made-").and_then(|word| GENERATORS.iter().position(|kind| kind.word == word)) {
        Some(kind) => made(&GENERATORS[kind..=kind]),
        None => SCENES.iter().find(|(name, ..)| name == scene).expect("one of the scenes that are listed without arguments").2(),
    };
    // Once, so that nothing is made for the first time while it counts.
    work();
    for _ in 0..times.parse::<u32>().expect("how many times") {
        one_time(&mut *work);
    }
}

/// What is counted. Making ready is not, which is much more and differs from run to run by the seeds of its tables.
#[inline(never)]
fn one_time(work: &mut dyn FnMut()) {
    std::hint::black_box(&mut *work)();
    // Not the last call, so that it is not left before its work begins.
    std::hint::black_box(work);
}

fn noise(frames: usize) -> Vec<f32> {
    let mut state = 1u32;
    let mut next = || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 8) as f32 / 8_388_608.0 - 1.0
    };
    (0..frames).map(|_| next()).collect()
}

/// An engine for a project whose one file is noise, `audio/n.wav`.
fn engine_of(texts: &[(&str, &str)]) -> (Engine, Remote) {
    let mut loaded = Assets::default();
    loaded.insert("audio/n.wav", Ok(Arc::new(Clip::new("audio/n.wav", vec![noise(48_000)], None))));
    let (document, _) = Document::read(&Sources::from_texts(texts.iter().copied()), &["audio/n.wav".to_owned()].into());
    let (program, faults) = compile(&document, &loaded);
    assert!(faults.is_empty(), "{faults:?}");
    let options = Options { capacity: Capacity { voices: 600, ..Capacity::default() }, ..Options::default() };
    Engine::new(Prepared::new(Arc::new(program), 1), options)
}

const VOICE: &str = "low-pass = \"4 kHz\"\nloop = true\ntakes = [\"audio/n.wav\"]\nvary = { level = \"-6..0 dB\", pitch = \"-7..7 st\" }\n";

/// What renders an engine, and lets go what it tells.
fn rendering((mut engine, mut remote): (Engine, Remote), mut before: impl FnMut(&mut Remote) + 'static) -> Box<dyn FnMut()> {
    let mut out = vec![0.0; 2 * FRAMES];
    Box::new(move || {
        before(&mut remote);
        engine.render(std::hint::black_box(&mut out));
        while remote.happening().is_some() {}
    })
}

fn play(remote: &mut Remote, emitter: NameKey) {
    remote.input(Input { frame: NOW, what: InputKind::Play { sound: NameKey::of("v"), emitter } }).unwrap();
}

fn voices_flat() -> Box<dyn FnMut()> {
    voices(64, "-60 dB")
}

fn voices_asleep() -> Box<dyn FnMut()> {
    voices(500, "-110 dB")
}

fn voices(count: usize, level: &str) -> Box<dyn FnMut()> {
    let sound = format!("[v]\nlevel = \"{level}\"\n{VOICE}");
    let mut made = engine_of(&[("estampie.toml", "format = 1\nvoices = 600\nceiling = \"0 dB\""), ("sounds/a.toml", &sound)]);
    (0..count).for_each(|_| play(&mut made.1, NameKey::NONE));
    let mut out = vec![0.0; 2 * FRAMES];
    made.0.render(&mut out);
    assert_eq!(made.0.voices() + made.0.asleep(), count);
    rendering(made, |_| {})
}

/// Voices of generators that last for as long as is counted.
fn made(kinds: &[GeneratorKind]) -> Box<dyn FnMut()> {
    let (mut shared, mut takes) = (String::new(), Vec::new());
    for kind in kinds {
        writeln!(shared, "[generator.{0}]\nkind = \"{0}\"\n{1}", kind.word, lasting(kind.word)).unwrap();
        takes.push(format!("\"generator {}\"", kind.word));
    }
    let sound = format!("[v]\nlevel = \"-60 dB\"\npick = \"together\"\n{VOICE}").replace("\"audio/n.wav\"", &takes.join(", "));
    let mut made = engine_of(&[("estampie.toml", "format = 1\nvoices = 600\nceiling = \"0 dB\""), ("shared.toml", &shared), ("sounds/a.toml", &sound)]);
    (0..4).for_each(|_| play(&mut made.1, NameKey::NONE));
    let mut out = vec![0.0; 2 * FRAMES];
    made.0.render(&mut out);
    assert_eq!(made.0.voices(), 4 * kinds.len());
    rendering(made, |_| {})
}

fn voices_placed() -> Box<dyn FnMut()> {
    let sound = format!("[v]\nlevel = \"-60 dB\"\nsend = {{ r = \"-12 dB\" }}\nfalloff = {{ level = [\"0 m: 0 dB\", \"900 m: -12 dB\"] }}\n{VOICE}");
    let mut made = engine_of(&[
        ("estampie.toml", "format = 1\nvoices = 600\nceiling = \"0 dB\""),
        ("mix.toml", "[buses.r]\nreturn = true\n[buses.r.effect.echo]\n"),
        ("sounds/a.toml", &sound),
    ]);
    let mut turn = 0.0f32;
    let mut place = move |remote: &mut Remote| {
        turn += 0.01;
        for n in 0..64u64 {
            let angle = n as f32 * 0.1 + turn;
            let at = [20.0 * angle.sin(), 20.0 * angle.cos(), 0.0];
            remote.input(Input { frame: NOW, what: InputKind::Place { emitter: NameKey(n + 77), kind: NameKey::NONE, at, facing: None, frames: 0 } }).unwrap();
        }
    };
    place(&mut made.1);
    (0..64).for_each(|n| play(&mut made.1, NameKey(n + 77)));
    let mut out = vec![0.0; 2 * FRAMES];
    made.0.render(&mut out);
    assert_eq!(made.0.voices(), 64);
    rendering(made, place)
}

/// Values of an effect well within their ranges, and none where it does nothing.
fn values_of(kind: &effects::Kind) -> [f32; effects::MOST_SETTINGS] {
    let mut values = effects::at_rest(kind);
    for (value, setting) in values.iter_mut().zip(kind.settings).filter(|(_, s)| !s.fixed) {
        *value = if setting.by_octaves() { (setting.low * setting.high).sqrt() } else { setting.low + 0.7 * (setting.high - setting.low) };
    }
    values
}

fn all_effects() -> Box<dyn FnMut()> {
    let impulse = Arc::new(effects::Impulse::new(&noise(48_000), &noise(48_000), 48_000));
    let make = |kind: &effects::Kind| {
        let values = values_of(kind);
        ((kind.make)(&Making { rate: 48_000, values, impulse: Some(Arc::clone(&impulse)) }), values)
    };
    let mut all: Vec<_> = KINDS.iter().map(make).collect();
    let source = noise(FRAMES);
    Box::new(move || {
        for (effect, values) in &mut all {
            let (mut left, mut right) = (source.clone(), source.clone());
            for (l, r) in left.chunks_mut(64).zip(right.chunks_mut(64)) {
                effect.process(&Around { to: values, key: None, quarters_per_second: 0.0 }, l, r);
            }
            std::hint::black_box((&left, &right));
        }
    })
}

fn reverb() -> Box<dyn FnMut()> {
    let kind = KINDS.iter().find(|kind| kind.word == "reverb").unwrap();
    let mut values = values_of(kind);
    let mut effect = (kind.make)(&Making { rate: 48_000, values, impulse: None });
    let source = noise(FRAMES);
    Box::new(move || {
        let (mut left, mut right) = (source.clone(), source.clone());
        for (l, r) in left.chunks_mut(64).zip(right.chunks_mut(64)) {
            values[0] = if values[0] > 8.0 { 2.0 } else { values[0] + 0.01 };
            effect.process(&Around { to: &values, key: None, quarters_per_second: 0.0 }, l, r);
        }
        std::hint::black_box((&left, &right));
    })
}

fn wiring() -> Box<dyn FnMut()> {
    let (mut game, mut sounds, mut modulation, mut reactions) = (String::from("[events]\nhit = \"a\"\n"), String::new(), String::new(), String::new());
    for p in 0..100 {
        writeln!(game, "[parameters.p{p}]\nrange = \"0..1\"").unwrap();
        for n in 0..10 {
            writeln!(reactions, "When p{p} becomes over 0.{n}5 and p{} over 0.9999\n  send hit\n", (p + n) % 100).unwrap();
        }
        writeln!(sounds, "[s{p}]\ntakes = [\"audio/n.wav\"]").unwrap();
        for n in 0..2 {
            writeln!(
                modulation,
                "[[modulation]]\nfrom = \"p{p}\"\nmoves = \"s{} level\"\ncurve = [\"0: -40 dB, smooth\", \"1: 0 dB\"]\nsmooth = \"50 ms\"",
                (p + n) % 100
            )
            .unwrap();
        }
    }
    let texts = [
        ("estampie.toml", "format = 1"),
        ("game.toml", game.as_str()),
        ("sounds/a.toml", &sounds),
        ("modulation.toml", &modulation),
        ("reactions.est", &reactions),
    ];
    let mut to = 0.0;
    let names: Vec<NameKey> = (0..100).map(|p| NameKey::of(&format!("p{p}"))).collect();
    rendering(engine_of(&texts), move |remote| {
        to = 0.99 - to;
        for parameter in &names {
            remote.input(Input { frame: NOW, what: InputKind::Glide { parameter: *parameter, from: None, to, frames: FRAMES as u64 } }).unwrap();
        }
    })
}

/// What costs what it is and not its square: of each kind many that are alike, or stand on one line.
fn alike() -> Box<dyn FnMut()> {
    let each = |of: &dyn Fn(usize) -> String, between: &str| (0..1_500).map(of).collect::<Vec<_>>().join(between);
    let values = each(&|n| format!("\"v{n}\""), ", ");
    let game = format!("[events]\nhit = \"a\"\n[parameters.depth]\nrange = \"0..1\"\n[states.place]\nvalues = [{values}]\n");
    let points = each(&|n| format!("\"{}: -1 dB\"", n as f32 / 1_500.0), ", ");
    let modulation = format!("[[modulation]]\nfrom = \"depth\"\nmoves = \"bus main level\"\ncurve = [{points}]\n");
    let texts = [
        ("estampie.toml", "format = 1".to_owned()),
        ("game.toml", game),
        ("modulation.toml", modulation),
        ("reactions.est", each(&|_| "When hit and depth over 0.5\n  play s1\n".to_owned(), "\n")),
        ("sounds/a.toml", each(&|n| format!("[s{n}]\ntakes = [\"audio/none.wav\"]\n"), "")),
        ("world.toml", each(&|n| format!("[zones.z{n}]\nat = \"{n}, 0\"\nradius = 0.4\n"), "")),
    ];
    let sources = Sources::from_texts(texts.iter().map(|(file, text)| (*file, text.as_str())));
    let files = ["audio/n.wav".to_owned()].into();
    Box::new(move || {
        let (document, _) = Document::read(&sources, &files);
        std::hint::black_box(compile(&document, &Assets::default()));
    })
}

fn reading() -> Box<dyn FnMut()> {
    let (mut sounds, mut reactions) = (String::new(), String::new());
    for n in 0..200 {
        writeln!(sounds, "[s{n}]\n{VOICE}level = \"-{} dB\"\n", n % 20).unwrap();
        writeln!(reactions, "When hit\n  if depth is over {n}\n  play s{n} at its emitter\n").unwrap();
    }
    let game = "[events]\nhit = \"a\"\n[parameters.depth]\nrange = \"0..1000\"\n";
    let sources =
        Sources::from_texts([("estampie.toml", "format = 1"), ("game.toml", game), ("sounds/a.toml", sounds.as_str()), ("reactions.est", reactions.as_str())]);
    let files = ["audio/n.wav".to_owned()].into();
    Box::new(move || {
        let (document, _) = Document::read(&sources, &files);
        std::hint::black_box(compile(&document, &Assets::default()));
    })
}
