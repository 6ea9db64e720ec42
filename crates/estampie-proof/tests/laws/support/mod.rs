//! Small projects made of tones, for tests of the engine.
#![allow(dead_code, unreachable_pub, missing_docs)]

use estampie_engine::clip::Clip;
use estampie_engine::engine::{Engine, Input, InputKind, NOW, Options, Prepared, Remote, Status};
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::telemetry::Happening;
use estampie_project::assets::Assets;
use estampie_project::compile::compile;
use estampie_project::document::{Document, Sources};
use std::collections::BTreeSet;
use std::f64::consts::TAU;
use std::sync::Arc;

pub const GAME: &str = r#"
[events]
hit = "something hits"
tick = "a clock"
loop = "goes round for ever"
[emitters]
eel = "long and pale"
bell = "a bell"
winch = "winds"

[parameters.strain]
range = "0..1"
[parameters.depth]
unit = "m"
range = "0..100"
rise = "50 ms"
fall = "200 ms"
[parameters.loudness]
range = "0..1"
of = "each emitter"

[states.deck]
values = ["plank", "grate", "silt"]
from-game = { wood = "plank" }
"#;

const ALL_AUDIO: [&str; 17] =
    ["early", "twice", "late", "stroke", "flam", "one", "two", "three", "four", "low", "dc", "stereo", "intro", "body", "long", "minus", "level"];

/// A tone of `gain` that begins at phase 0.
pub fn tone(frequency: f64, gain: f64, frames: usize) -> Vec<f32> {
    (0..frames).map(|i| (gain * (TAU * frequency * i as f64 / 48_000.0).sin()) as f32).collect()
}

/// The audio of the small projects: `audio/one.wav` (1 kHz, 1 s), `two`, `three` (other pitches), `low` (100 Hz, 4 s),
/// `dc` (constant ½, 1 s), `stereo` (left 1 kHz, right silent), `intro` and `body` (one sine of 480 Hz cut in two).
pub fn assets() -> Assets {
    let mut assets = Assets::default();
    let mut add = |name: &str, channels: Vec<Vec<f32>>, loops| {
        let path = format!("audio/{name}.wav");
        assets.insert(&path, Ok(Arc::new(Clip::new(&path, channels, loops))));
    };
    add("one", vec![tone(1000.0, 0.25, 48_000)], None);
    add("two", vec![tone(1250.0, 0.25, 48_000)], None);
    add("three", vec![tone(1500.0, 0.25, 48_000)], None);
    add("four", vec![tone(1750.0, 0.25, 48_000)], None);
    add("low", vec![tone(100.0, 0.25, 192_000)], None);
    add("dc", vec![vec![0.5; 48_000]], None);
    add("stereo", vec![tone(1000.0, 0.25, 48_000), vec![0.0; 48_000]], None);
    // Nothing but ones to listen for: where a file begins, and whether two are together.
    let mut long: Vec<f32> = (0..480_000).map(|i| ((i as u64 * 2_654_435_761) % 1000) as f32 / 4000.0 - 0.125).collect();
    long[0] = 0.9;
    add("minus", vec![long.iter().map(|s| -s).collect()], None);
    add("long", vec![long], None);
    add("level", vec![vec![0.25; 480_000]], None);
    // A stroke that comes late, and one that comes twice, 40 ms apart.
    let stroke = |at: usize| (0..96_000).map(move |i| if i < at { 0.0 } else { 0.3 * (-((i - at) as f32) / 400.0).exp() * ((i - at) as f32 * 0.2).sin() });
    add("late", vec![stroke(14_400).collect()], None);
    add("stroke", vec![stroke(0).collect()], None);
    add("flam", vec![stroke(0).zip(stroke(1_920)).map(|(a, b)| a + b).collect()], None);
    // One with a stroke 40 ms after four seconds, and one that holds five seconds twice.
    add(
        "early",
        vec![
            (0..216_000).map(|i| if i < 193_920 { 0.0 } else { 0.3 * (-((i - 193_920) as f32) / 400.0).exp() * ((i - 193_920) as f32 * 0.2).sin() }).collect(),
        ],
        None,
    );
    let noise: Vec<f32> = (0..240_000).map(|i| ((i as u64 * 2_654_435_761 + i as u64 * i as u64 * 97) % 1009) as f32 / 4036.0 - 0.125).collect();
    add("twice", vec![noise.iter().chain(&noise).copied().collect()], None);
    let sine = tone(480.0, 0.25, 24_000);
    add("intro", vec![sine[..9_137].to_vec()], None);
    add("body", vec![sine[9_137..9_137 + 12_000].to_vec()], None);
    assets
}

/// Compiles a project of the given `sounds`, `mix`, `modulation`, `reactions`; it must be without fault.
pub fn program(sounds: &str, mix: &str, modulation: &str, reactions: &str) -> Arc<Program> {
    program_with(&[("sounds/all.toml", sounds), ("mix.toml", mix), ("modulation.toml", modulation), ("reactions.est", reactions)])
}

/// Compiles a project of the given files over the usual ones; it must be without fault.
pub fn program_with(files: &[(&str, &str)]) -> Arc<Program> {
    let (program, faults) = compile_with(files);
    assert_eq!(faults, Vec::<String>::new(), "the test's project is at fault");
    program
}

/// Compiles a project of the given files over the usual ones, and gives its faults as text.
pub fn compile_with(files: &[(&str, &str)]) -> (Arc<Program>, Vec<String>) {
    let (program, _, faults) = read_and_compile(files);
    (program, faults)
}

/// The same with what was read.
pub fn read_and_compile(files: &[(&str, &str)]) -> (Arc<Program>, Document, Vec<String>) {
    let usual = [("estampie.toml", "format = 1\nname = \"test\"\nceiling = \"0 dB\""), ("game.toml", GAME)];
    let sources = Sources::from_texts(usual.into_iter().chain(files.iter().copied()));
    let files: BTreeSet<String> = ALL_AUDIO.map(|n| format!("audio/{n}.wav")).into();
    let (document, mut faults) = Document::read(&sources, &files);
    let (program, more) = compile(&document, &assets());
    faults.extend(more);
    (Arc::new(program), document, faults.iter().map(ToString::to_string).collect())
}

/// Compiles a project with further files loaded; it must be without fault.
pub fn compile_and_load(files: &[(&str, &str)], loaded: Vec<(&str, Arc<Clip>)>) -> Arc<Program> {
    let usual = [("estampie.toml", "format = 1\nname = \"test\"\nceiling = \"0 dB\""), ("game.toml", GAME)];
    let sources = Sources::from_texts(usual.into_iter().chain(files.iter().copied()));
    let (document, mut faults) = Document::read(&sources, &ALL_AUDIO.map(|n| format!("audio/{n}.wav")).into());
    let mut assets = assets();
    for (name, file) in loaded {
        assets.insert(name, Ok(file));
    }
    let (program, more) = compile(&document, &assets);
    faults.extend(more);
    assert_eq!(faults.iter().map(ToString::to_string).collect::<Vec<_>>(), Vec::<String>::new(), "the test's project is at fault");
    Arc::new(program)
}

/// An engine under test with everything that left it.
pub struct Bench {
    pub engine: Engine,
    pub remote: Remote,
    pub happenings: Vec<Happening>,
    pub status: Option<Box<Status>>,
    pub names: estampie_engine::names::Names,
}

impl Bench {
    pub fn new(program: &Arc<Program>, seed: u64) -> Bench {
        let (engine, remote) = Engine::new(Prepared::new(Arc::clone(program), seed), Options { status_every: 1, ..Options::default() });
        Bench { engine, remote, happenings: Vec::new(), status: None, names: program.names.clone() }
    }

    pub fn send(&mut self, frame: u64, what: InputKind) {
        self.remote.input(Input { frame, what }).unwrap();
    }

    pub fn event(&mut self, frame: u64, event: &str) {
        self.event_on(frame, event, "");
    }

    pub fn event_on(&mut self, frame: u64, event: &str, emitter: &str) {
        self.send(frame, InputKind::Event { event: NameKey::of(event), emitter: NameKey::of(emitter) });
    }

    pub fn parameter(&mut self, name: &str, value: f32) {
        self.send(NOW, InputKind::Parameter { parameter: NameKey::of(name), value, emitter: NameKey::NONE });
    }

    pub fn state(&mut self, name: &str, value: &str) {
        self.send(NOW, InputKind::State { state: NameKey::of(name), value: NameKey::of(value) });
    }

    /// Renders and gives the left and right channels.
    pub fn render(&mut self, frames: usize) -> (Vec<f32>, Vec<f32>) {
        let mut out = vec![0.0f32; frames * 2];
        // A block at a time, so that the status in hand is that of the last block.
        for part in out.chunks_mut(2 * 64) {
            self.engine.render(part);
            while let Some(happening) = self.remote.happening() {
                self.happenings.push(happening);
            }
            if let Some(status) = self.remote.status()
                && let Some(old) = self.status.replace(status)
            {
                self.remote.give_back(old);
            }
        }
        (out.iter().step_by(2).copied().collect(), out.iter().skip(1).step_by(2).copied().collect())
    }
}

/// Root mean square in dB.
pub fn level(samples: &[f32]) -> f32 {
    let power: f64 = samples.iter().map(|s| f64::from(*s).powi(2)).sum::<f64>() / samples.len().max(1) as f64;
    (10.0 * power.log10()) as f32
}

/// The largest step between neighbours.
pub fn largest_step(samples: &[f32]) -> f32 {
    samples.windows(2).map(|w| (w[1] - w[0]).abs()).fold(0.0, f32::max)
}
