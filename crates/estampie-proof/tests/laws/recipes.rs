//! Sounds, limits, picks and parameters under many small examples.

use crate::support::{Bench, level, program, tone};
use estampie_engine::engine::{InputKind, NOW};
use estampie_engine::ledger::TermKind;
use estampie_engine::names::NameKey;
use estampie_engine::property::Property;
use estampie_engine::telemetry::{Cause, What};
use estampie_project::language::playthrough;
use estampie_proof::{offline, trace};
use proptest::prelude::*;
use std::collections::BTreeMap;

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn limits_are_never_exceeded_and_the_oldest_is_stolen(each in 1u32..4, all in 1u32..7, hits in prop::collection::vec((0usize..3, 1usize..3000), 1..40)) {
        let sounds = format!("[low]\nloop = true\ntakes = [\"audio/low.wav\"]\nlimit = {{ each = {each}, in-all = {all} }}\n");
        let program = program(&sounds, "", "", "When hit\n  play low at the emitter\n");
        let mut bench = Bench::new(&program, 1);
        let mut frame = 0;
        for (emitter, gap) in &hits {
            bench.event_on(frame, "hit", ["a", "b", "c"][*emitter]);
            frame += *gap as u64;
        }
        bench.render(frame as usize + 64);
        // Replay what happened: who started, who ended; those that yield count no more from the moment another starts.
        let mut alive: Vec<(u64, NameKey)> = Vec::new();
        let mut stolen = Vec::new();
        for happening in &bench.happenings {
            match happening.what {
                What::VoiceStart { voice, emitter, .. } => {
                    alive.push((voice, emitter));
                    while alive.iter().filter(|v| v.1 == emitter).count() > each as usize {
                        let oldest = alive.iter().position(|v| v.1 == emitter).unwrap();
                        stolen.push(alive.remove(oldest).0);
                    }
                    while alive.len() > all as usize {
                        stolen.push(alive.remove(0).0);
                    }
                }
                What::VoiceEnd { voice, cause, .. } => {
                    prop_assert_eq!(cause, Cause::Stolen);
                    prop_assert!(stolen.contains(&voice), "voice {voice} stolen though it was not the oldest");
                }
                _ => {}
            }
        }
        // A fade of 5 ms later only those are left that had not to yield.
        bench.render(480);
        let left: Vec<u64> = bench.status.unwrap().voices.iter().map(|v| v.voice).collect();
        prop_assert_eq!(left, alive.iter().map(|v| v.0).collect::<Vec<_>>());
    }

    #[test]
    fn what_is_drawn_stays_in_its_range_and_is_what_is_told(low in -12.0f32..0.0, width in 0.0f32..12.0, seed in 0u64..100) {
        let sounds = format!("[one]\ntakes = [\"audio/one.wav\"]\nvary = {{ level = \"{low}..{} dB\", pitch = \"{low}..{} st\" }}\n", low + width, low + width);
        let program = program(&sounds, "", "", "When hit\n  play one\n");
        let mut bench = Bench::new(&program, seed);
        for frame in 0..20 {
            bench.event(frame * 64, "hit");
        }
        bench.render(64 * 21);
        let mut count = 0;
        for happening in &bench.happenings {
            if let What::VoiceStart { level, pitch, .. } = happening.what {
                count += 1;
                prop_assert!((low - 1e-4..=low + width + 1e-4).contains(&level) && (low - 1e-4..=low + width + 1e-4).contains(&pitch), "{level} dB, {pitch} st");
            }
        }
        prop_assert_eq!(count, 20);
    }

    #[test]
    fn playthroughs_reach_the_engine_on_their_frames(times in prop::collection::vec(0u64..400_000, 1..20)) {
        let text: String = times.iter().map(|f| format!("{:.6} send hit\n", *f as f64 / 48_000.0)).collect();
        let (played, faults) = playthrough::parse("p.play", &text);
        prop_assert_eq!(faults, vec![]);
        let mut sorted = times;
        sorted.sort_unstable();
        let frames: Vec<u64> = offline::inputs(&played, 48_000).iter().map(|i| i.frame).collect();
        prop_assert_eq!(&frames, &sorted);
        prop_assert_eq!(offline::frames(&played, 48_000), sorted.last().unwrap() + 96_000);
        let program = program("[one]\ntakes = [\"audio/one.wav\"]\nlimit = { in-all = 2 }\n", "", "", "When hit\n  play one\n");
        let (_, happenings) = offline::render(&program, &played, None);
        let heard: Vec<u64> = happenings.iter().filter(|h| matches!(h.what, What::VoiceStart { .. })).map(|h| h.frame).collect();
        prop_assert_eq!(heard, sorted);
    }

    #[test]
    fn several_modulations_of_one_property_add_up(values in prop::collection::vec(-6.0f32..6.0, 1..10)) {
        let modulation: String = values.iter().map(|v| format!("[[modulation]]\nfrom = \"strain\"\nmoves = \"one pitch\"\ncurve = [\"0: {v} st\"]\n")).collect();
        let program = program("[one]\nloop = true\ntakes = [\"audio/one.wav\"]\n", "", &modulation, "When hit\n  play one\n");
        let mut bench = Bench::new(&program, 1);
        bench.event(NOW, "hit");
        bench.render(640);
        let status = bench.status.unwrap();
        let terms = status.terms_of(&status.voices[0]);
        prop_assert_eq!(terms.iter().filter(|t| t.kind == TermKind::Moved).count(), values.len());
        prop_assert!((trace::total(terms, Property::Pitch) - values.iter().sum::<f32>()).abs() < 1e-3);
    }

    #[test]
    fn buses_come_after_the_ones_they_run_into_whatever_the_tree(parents in prop::collection::vec(0usize..12, 1..12)) {
        let mix: String = parents
            .iter()
            .enumerate()
            .map(|(at, parent)| format!("[buses.b{at}]\ninto = \"{}\"\nlevel = \"-1 dB\"\n", if *parent < at { format!("b{parent}") } else { "main".into() }))
            .collect();
        let program = program("[dc]\nbus = \"b0\"\nloop = true\ntakes = [\"audio/dc.wav\"]\n", &mix, "", "When hit\n  play dc\n");
        for (at, bus) in program.mix.buses.with_places().skip(1) {
            prop_assert!(bus.into < at);
            prop_assert_eq!(bus.depth, program.mix.buses[bus.into].depth + 1);
        }
        let mut bench = Bench::new(&program, 1);
        bench.event(NOW, "hit");
        let (left, _) = bench.render(640);
        prop_assert!((left[600] - 0.5 * 10f32.powf(-1.0 / 20.0)).abs() < 1e-5, "one bus of −1 dB on the way: {}", left[600]);
    }
}

#[test]
fn parameters_rise_and_fall_in_their_own_times() {
    let modulation = "[[modulation]]\nfrom = \"depth\"\nmoves = \"dc level\"\ncurve = [\"0 m: 0 dB\", \"100 m: -100 dB\"]\n";
    let program = program("[dc]\nloop = true\ntakes = [\"audio/dc.wav\"]\n", "", modulation, "When hit\n  play dc\n");
    let mut bench = Bench::new(&program, 1);
    bench.event(NOW, "hit");
    let mut after = |value: f32, frames: usize| {
        bench.parameter("depth", value);
        bench.render(frames);
        bench.status.as_ref().unwrap().parameters[1].smooth
    };
    // 90 % of a jump upwards in 50 ms, downwards in 200 ms (the test's project says so).
    assert!((after(100.0, 2400) - 90.0).abs() < 0.5);
    assert!((after(100.0, 48_000) - 100.0).abs() < 1e-3);
    assert!((after(0.0, 9600) - 10.0).abs() < 0.5);
}

#[test]
fn a_glide_is_a_straight_line_between_its_frames() {
    let program = program("[one]\ntakes = [\"audio/one.wav\"]\n", "", "", "When depth becomes at least 50 m\n  play one\n");
    let mut bench = Bench::new(&program, 1);
    bench.send(1000, InputKind::Glide { parameter: NameKey::of("depth"), from: Some(0.0), to: 100.0, frames: 9600 });
    bench.render(12_800);
    let start = bench.happenings.iter().find(|h| matches!(h.what, What::VoiceStart { .. })).unwrap().frame;
    assert!((5800..5800 + 64).contains(&start), "halfway is frame 5800, the next block begins within 64: {start}");
    assert_eq!(bench.status.unwrap().parameters[1].value, 100.0);
}

#[test]
fn takes_follow_a_state_with_the_rest_otherwise_and_keep_the_bus_of_the_sound_asked_for() {
    let sounds = "[step]\nbus = \"boots\"\npick = \"by deck\"\ntakes = { plank = [\"plank\"], otherwise = [\"audio/two.wav\"] }\n[plank]\nbus = \"other\"\ntakes = [\"audio/one.wav\"]\n";
    let program =
        program(sounds, "[buses.boots]\nlevel = \"-6.0206 dB\"\n[buses.other]\nlevel = \"silent\"\n", "", "When hit\n  play step\nWhen tick\n  play plank\n");
    let take = |state: &str, event: &str| {
        let mut bench = Bench::new(&program, 1);
        bench.state("deck", state);
        bench.event(NOW, event);
        let (left, _) = bench.render(9600);
        let take = bench.happenings.iter().find_map(|h| if let What::VoiceStart { take, .. } = h.what { Some(take) } else { None }).unwrap();
        (program.names.get(take).to_owned(), level(&left[4800..]))
    };
    let full = level(&tone(1000.0, 0.25, 4800));
    let (name, heard) = take("plank", "hit");
    assert!(name == "audio/one.wav" && (heard - full + 6.02).abs() < 0.05, "{name} {heard}");
    assert_eq!(take("silt", "hit").0, "audio/two.wav");
    assert_eq!(take("wood", "hit").0, "audio/one.wav", "the game's name for plank");
    assert!(take("plank", "tick").1 < -100.0, "asked for by itself it goes where it says");
}

#[test]
fn stereo_files_keep_their_sides_and_emitters_are_stopped_alone() {
    let program =
        program("[s]\nloop = true\ntakes = [\"audio/stereo.wav\"]\n", "", "", "When hit\n  play s at the emitter\nWhen tick\n  stop s at the emitter\n");
    let mut bench = Bench::new(&program, 1);
    bench.event_on(NOW, "hit", "a");
    let (left, right) = bench.render(4800);
    assert!(level(&left) > -20.0 && right.iter().all(|s| *s == 0.0));
    bench.event_on(NOW, "hit", "b");
    bench.event_on(NOW, "tick", "a");
    bench.render(4800);
    let status = bench.status.as_ref().unwrap();
    let emitters: Vec<&str> = status.voices.iter().map(|v| if v.emitter == NameKey::of("b") { "b" } else { "?" }).collect();
    assert_eq!(emitters, ["b"]);
}

#[test]
fn a_fade_in_rises_and_a_low_pass_takes_away_what_the_ledger_says() {
    let sounds = "[f]\nfade-in = \"100 ms\"\nloop = true\ntakes = [\"audio/dc.wav\"]\n[lp]\nlow-pass = \"500 Hz\"\nloop = true\ntakes = [\"audio/one.wav\"]\n";
    let program = program(sounds, "", "", "When hit\n  play f\nWhen tick\n  play lp\n");
    let mut bench = Bench::new(&program, 1);
    bench.event(0, "hit");
    let (left, _) = bench.render(9600);
    for (frame, wanted) in [(0usize, 0.0), (2400, 0.25), (4799, 0.5), (9000, 0.5)] {
        assert!((left[frame] - wanted).abs() < 1e-3, "frame {frame}: {}", left[frame]);
    }
    let mut bench = Bench::new(&program, 1);
    bench.event(0, "tick");
    let (left, _) = bench.render(48_000);
    // Butterworth of second order, an octave above its cutoff (and the bilinear transform's bend): about −12.3 dB.
    let pi = std::f64::consts::PI;
    let expected = -10.0 * (1.0 + ((pi * 1000.0 / 48_000.0).tan() / (pi * 500.0 / 48_000.0).tan()).powi(4)).log10();
    let measured = level(&left[24_000..]) - level(&tone(1000.0, 0.25, 24_000));
    assert!((f64::from(measured) - expected).abs() < 0.05, "{measured} {expected}");
    let status = bench.status.unwrap();
    let by: BTreeMap<String, f32> =
        status.terms_of(&status.voices[0]).iter().filter(|t| t.property == Property::Level).map(|t| (format!("{:?}", t.kind), t.value)).collect();
    assert!((f64::from(by["Filtered"]) - expected).abs() < 0.1, "{by:?}");
}
