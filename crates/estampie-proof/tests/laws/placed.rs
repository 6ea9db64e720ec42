//! Placed sound: where it stands in stereo, what distance does to it and to what it sends.

use crate::support::{Bench, largest_step, level, program};
use estampie_engine::engine::{InputKind, NOW};
use estampie_engine::ledger::TermKind;
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_project::document::{Document, Sources};
use proptest::prelude::*;
use std::sync::Arc;

/// A lasting constant at an emitter, as loud everywhere, and a point; the same flat.
const SOUNDS: &str = "[point]\nbus = \"a\"\nloop = true\ntakes = [\"audio/dc.wav\"]\nfalloff = { level = [\"0 m: 0 dB\", \"100 m: -40 dB\"], width = [\"0 m: 0 %\"] }\n[flat]\nbus = \"a\"\nloop = true\ntakes = [\"audio/dc.wav\"]\n";
const REACTIONS: &str = "When hit\n  play point at the emitter\nWhen tick\n  play flat at the emitter\n";

fn place(bench: &mut Bench, emitter: &str, at: [f32; 3], facing: Option<f32>, frames: u64) {
    bench.send(NOW, InputKind::Place { emitter: NameKey::of(emitter), kind: NameKey::NONE, at, facing, frames });
}

fn playing(program: &Arc<Program>, event: &str) -> Bench {
    let mut bench = Bench::new(program, 1);
    place(&mut bench, "bell", [0.0, 10.0, 0.0], None, 0);
    bench.render(64);
    bench.event_on(NOW, event, "bell");
    bench.render(4800);
    bench
}

/// The last samples of both channels, so late that what is told next is not taken for a way.
fn sides(bench: &mut Bench) -> (f32, f32) {
    let (left, right) = bench.render(6400);
    (*left.last().unwrap(), *right.last().unwrap())
}

fn gain(db: f32) -> f32 {
    10f32.powf(db / 20.0)
}

#[test]
fn it_is_heard_from_where_it_is_as_the_listener_faces() {
    let mut bench = playing(&program(SOUNDS, "[buses.a]\n", "", REACTIONS), "hit");
    // 10 m: −4 dB.
    let here = 0.5 * gain(-4.0);
    let (left, right) = sides(&mut bench);
    assert!((left - here).abs() < 1e-3 && (right - here).abs() < 1e-3, "ahead: {left} {right}");
    // Facing east, what is in the north is at the left: all of the power of both sides there.
    place(&mut bench, "listener", [0.0; 3], Some(90.0), 0);
    let (left, right) = sides(&mut bench);
    assert!((left - here * 2f32.sqrt()).abs() < 1e-3 && right.abs() < 1e-3, "left: {left} {right}");
    for turn in 0..36u8 {
        place(&mut bench, "listener", [0.0; 3], Some(f32::from(turn) * 10.0), 0);
        let (left, right) = sides(&mut bench);
        let power = 10.0 * ((left * left + right * right) / (2.0 * here * here)).log10();
        assert!(power.abs() < 0.05, "{turn}: {power} dB, {left} {right} {here}");
        let expected = (-f32::from(turn) * 10.0).to_radians().sin();
        assert!(((right * right - left * left) / (2.0 * here * here) - (expected * std::f32::consts::FRAC_PI_2).sin()).abs() < 0.01, "{turn}: {left} {right}");
    }
    let status = bench.status.as_ref().unwrap();
    let (bearing, distance, width) = status.voices[0].placement.unwrap();
    assert!((bearing - 10.0).abs() < 0.01 && (distance - 10.0).abs() < 1e-4 && width == 0.0, "{bearing} {distance} {width}");
}

#[test]
fn a_flat_sound_ignores_the_world() {
    let mut bench = playing(&program(SOUNDS, "[buses.a]\n", "", REACTIONS), "tick");
    for (at, facing) in [([0.0; 3], 0.0), ([50.0, 3.0, 0.0], 120.0)] {
        place(&mut bench, "listener", at, Some(facing), 0);
        assert_eq!(sides(&mut bench), (0.5, 0.5));
    }
    assert_eq!(bench.status.as_ref().unwrap().voices[0].placement, None);
}

#[test]
fn distance_takes_from_below_and_adds_to_what_is_sent() {
    let sounds = "[far]\nbus = \"a\"\nloop = true\ntakes = [\"audio/dc.wav\"]\nsend = { r = \"-20 dB\" }\nfalloff = { level = [\"0 m: 0 dB\", \"100 m: -40 dB\"], send = [\"0 m: -10 dB\", \"50 m: 14 dB\"], width = [\"0 m: 100 %\"] }\n";
    let mix = "[buses.a]\n[buses.r]\nreturn = true\n[buses.r.effect.echo]\ntime = \"5 ms\"\nfeedback = \"0 %\"\n";
    let mut bench = playing(&program(sounds, mix, "", "When hit\n  play far at the emitter\n"), "hit");
    for distance in [0.0f32, 10.0, 25.0, 50.0, 80.0] {
        place(&mut bench, "listener", [0.0, 10.0 - distance, 0.0], None, 0);
        bench.render(4800);
        let dry = 0.5 * gain(-0.4 * distance);
        let sent = -20.0 - 10.0 + 24.0 * (distance / 50.0).min(1.0);
        let (left, _) = sides(&mut bench);
        assert!((left - dry * (1.0 + gain(sent))).abs() < 1e-4, "{distance} m: {left} for {}", dry * (1.0 + gain(sent)));
    }
    // A high-pass over distance is a term of the ledger, in octaves.
    let sounds = "[thin]\nbus = \"a\"\nloop = true\ntakes = [\"audio/dc.wav\"]\nfalloff = { high-pass = [\"0 m: 20 Hz\", \"20 m: 320 Hz\"] }\n";
    let mut bench = playing(&program(sounds, "[buses.a]\n", "", "When hit\n  play thin at the emitter\n"), "hit");
    bench.render(48_000);
    let status = bench.status.as_ref().unwrap();
    let octaves = status.terms_of(&status.voices[0]).iter().find(|t| t.kind == TermKind::Distance).unwrap().value;
    assert!((octaves - 2.0).abs() < 1e-3, "half of the way to 4 octaves: {octaves}");
    assert!(level(&bench.render(4800).0) < -60.0, "nothing lasting passes a high-pass");
}

#[test]
fn a_send_that_moves_does_not_click() {
    let sounds = "[far]\nbus = \"a\"\nlevel = \"-40 dB\"\nloop = true\ntakes = [\"audio/dc.wav\"]\nsend = { r = \"0 dB\" }\nfalloff = { send = [\"0 m: -40 dB\", \"50 m: 20 dB\"], width = [\"0 m: 100 %\"] }\n";
    let mix = "[buses.a]\n[buses.r]\nreturn = true\n[buses.r.effect.echo]\ntime = \"5 ms\"\nfeedback = \"0 %\"\n";
    let mut bench = playing(&program(sounds, mix, "", "When hit\n  play far at the emitter\n"), "hit");
    place(&mut bench, "bell", [0.0, 60.0, 0.0], None, 9600);
    let (left, _) = bench.render(14_400);
    // 20 dB more over the constant of 0.005: 0.05. A step of a block would be a fiftieth of that.
    assert!(left.last().unwrap() > &0.05 && largest_step(&left) < 0.0002, "{}", largest_step(&left));
}

#[test]
fn mistakes_over_distance_have_place_and_fix() {
    let text = "[a]\ntakes = [\"audio/dc.wav\"]\nfalloff = { width = [\"3 m: wide\"], send = [\"3 s: -6 dB\"], breadth = [\"1 m: 2\"] }\n";
    let sources = Sources::from_texts([("sounds/a.toml", text)]);
    let (_, faults) = Document::read(&sources, &["audio/dc.wav".to_owned()].into());
    assert_eq!(faults.len(), 3, "{faults:?}");
    assert!(faults.iter().all(|f| f.place.line == 3 && !f.fix.is_empty()), "{faults:?}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn no_walk_makes_a_step(walk in prop::collection::vec((-20.0f32..20.0, -20.0f32..20.0, 0.0f32..360.0), 1..12)) {
        let sounds = SOUNDS.replace("width = [\"0 m: 0 %\"]", "low-pass = [\"0 m: 20 kHz\", \"40 m: 2 kHz\"]");
        let mut bench = playing(&program(&sounds, "[buses.a]\n", "", REACTIONS), "hit");
        for (x, y, facing) in walk {
            // 1.4 m/s to 5 m/s: a man walking, or running. He turns at once, which stereo follows within a block.
            place(&mut bench, "listener", [x, y, 0.0], Some(facing), 48_000 * 8);
            bench.render(64 * 4);
            let (left, right) = bench.render(64 * 400);
            for side in [&left, &right] {
                prop_assert!(side.iter().all(|s| s.is_finite()));
                // From block to block by less than half a decibel, of what is heard at all.
                for pair in side.chunks_exact(64).collect::<Vec<_>>().windows(2) {
                    let (a, b) = (pair[0][63].abs(), pair[1][63].abs());
                    if a.min(b) > 0.01 {
                        prop_assert!((20.0 * (a / b).log10()).abs() < 0.5, "{} to {}", a, b);
                    }
                }
                prop_assert!(largest_step(side) < 0.005, "{}", largest_step(side));
            }
        }
    }
}
