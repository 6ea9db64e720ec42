//! What was rehearsed live and recorded is, rendered offline, the same to the bit.

use crate::support::program;
use estampie_engine::engine::{BLOCK, Engine, Input, InputKind, NOW, Options, Prepared};
use estampie_engine::names::NameKey;
use estampie_engine::units::Seconds;
use estampie_project::language::playthrough;
use estampie_proof::offline::{Recorder, Rendering, frames};
use rand::{Rng as _, SeedableRng as _};
use std::sync::Arc;

#[test]
fn a_recorded_rehearsal_renders_to_the_same_samples() {
    let sounds = "[a]\ntakes = [\"audio/one.wav\", \"audio/two.wav\", \"audio/three.wav\"]\nvary = { level = \"-6..0 dB\", pitch = \"-5..5 st\" }\nlow-pass = \"5 kHz\"\nfalloff = { level = [\"1 m: 0 dB\", \"30 m: -24 dB\"], doppler = \"100 %\" }\n[run]\nchain = [\"audio/intro.wav\", \"audio/body.wav, loop\"]\nlimit = { in-all = 1, when-full = \"refuse\" }\n";
    let modulation = "[[modulation]]\nfrom = \"depth\"\nmoves = \"run pitch\"\ncurve = [\"0 m: 0 st\", \"100 m: 7 st\"]\nsmooth = \"40 ms\"\n";
    let program = program(
        sounds,
        "[buses.x]\nlevel = \"-3 dB\"\n",
        modulation,
        "When hit\n  play a at the emitter\nWhen tick\n  play run\n  play a, chance 40 %\nWhen deck becomes silt\n  stop run over 1 s\n",
    );
    let soft = Seconds(0.4);
    for seed in 1..6u64 {
        let mut random = rand_pcg::Pcg32::seed_from_u64(seed);
        let (mut engine, mut remote) = Engine::new(Prepared::new(Arc::clone(&program), seed), Options { soft_start: soft, ..Options::default() });
        let mut recorder = Recorder::new(&program, seed);
        let mut names = program.names.clone();
        names.add("bell");
        names.add("eel");
        // What no playthrough can say is not said there: a game may send anything.
        names.add("Hull Hit!");
        let mut live = Vec::new();
        for _ in 0..120 {
            let key = NameKey::of;
            let what = match random.random_range(0..9) {
                0 | 1 => InputKind::Event { event: key("hit"), emitter: key(if random.random() { "bell" } else { "" }) },
                2 => InputKind::Event { event: key("tick"), emitter: NameKey::NONE },
                3 => InputKind::Parameter { parameter: key("depth"), value: random.random_range(-20.0..130.0), emitter: NameKey::NONE },
                4 => InputKind::Glide { parameter: key("depth"), from: None, to: random.random_range(0.0..100.0), frames: random.random_range(0..20_000) },
                5 => InputKind::Place {
                    emitter: key("bell"),
                    kind: key(if random.random() { "eel" } else { "" }),
                    at: std::array::from_fn(|_| random.random_range(-20.0..20.0)),
                    facing: random.random::<bool>().then(|| random.random_range(0.0..360.0)),
                    frames: random.random_range(0..4000),
                },
                6 => InputKind::Event { event: key("Hull Hit!"), emitter: NameKey::NONE },
                7 if random.random_bool(0.3) => InputKind::Remove { emitter: key("bell") },
                _ => InputKind::State { state: key("deck"), value: key(["plank", "silt", "wood"][random.random_range(0..3)]) },
            };
            // A key of the workshop counts at once; what a game sends on the thread that renders has a frame.
            if random.random() {
                remote.input(Input { frame: NOW, what }).unwrap();
            } else {
                let frame = engine.frame() + random.random_range(0..3000);
                assert!(engine.input(Input { frame, what }));
            }
            // A device asks for as much as it likes.
            let mut part = vec![0.0f32; 2 * random.random_range(1..2000)];
            engine.render(&mut part);
            live.extend(part);
            while let Some(happening) = remote.happening() {
                recorder.note(&happening, &names);
            }
        }
        let end = live.len() as u64 / 2;
        // As the designer gets it: through text.
        let text = recorder.finish(end).to_string();
        let (recorded, faults) = playthrough::parse("take.play", &text);
        assert_eq!(faults, vec![]);
        assert!(frames(&recorded, 48_000) >= end);
        let mut rendering = Rendering::new(&program, &recorded, None, soft);
        let (mut offline, mut part) = (Vec::new(), Vec::new());
        while rendering.left() > 0 {
            rendering.next(1234, &mut part, |_| {});
            offline.extend_from_slice(&part);
        }
        // The end lets everything go, within the block in which it falls: what is placed is levelled once a block.
        live.truncate(end as usize / BLOCK * BLOCK * 2);
        let differs = live.iter().zip(&offline).position(|(a, b)| a.to_bits() != b.to_bits());
        assert_eq!(differs, None, "seed {seed}: first difference at sample {differs:?} of {}", live.len());
        assert!(live.iter().any(|s| s.abs() > 0.05), "something was heard");
    }
}
