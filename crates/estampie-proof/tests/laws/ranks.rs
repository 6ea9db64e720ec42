//! Spoken lines by rank: what waits, what cuts in, what finds no place.

use crate::sounds::{SAY, key, play, starts};
use crate::support::{Bench, program, program_with};
use estampie_engine::engine::NOW;
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::telemetry::What;
use proptest::prelude::*;
use rand::{Rng as _, SeedableRng as _};
use rand_pcg::Pcg32;
use std::fmt::Write as _;
use std::sync::Arc;

/// Nine situations in an order of importance: one speaker, ranks 10 to 90, the three highest cut in.
fn nine() -> Arc<Program> {
    let mut sounds = String::new();
    for n in 1..=9 {
        let cuts = if n > 6 { ", cuts-in = true" } else { "" };
        writeln!(sounds, "[r{n}]\ntakes = [\"audio/{}.wav\"]\nlines = {{ like = \"radio\", rank = {}{cuts} }}", ["one", "two", "three"][n % 3], n * 10)
            .unwrap();
    }
    program_with(&[("sounds/all.toml", &sounds), ("shared.toml", "[lines.radio]\ncharacter = \"radio\"\ngap = \"0.1..0.2 s\"\nexpires-after = \"60 s\"\n")])
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    #[test]
    fn no_line_is_said_while_a_higher_one_waits(seed in 0u64..1_000_000) {
        let program = nine();
        let mut random = Pcg32::seed_from_u64(seed);
        let mut bench = Bench::new(&program, seed);
        // Never more than have a place.
        for _ in 0..16 {
            play(&mut bench, NOW, &format!("r{}", random.random_range(1..=9)), "");
            bench.render(random.random_range(1..24_000));
        }
        bench.render(48_000 * 60);
        let rank = |sound| (1..=9).find(|n| key(&format!("r{n}")) == sound).unwrap();
        let mut waiting: Vec<i32> = Vec::new();
        let mut speaking: Option<(u64, i32)> = None;
        for happening in &bench.happenings {
            match happening.what {
                What::Line { sound, .. } => waiting.push(rank(sound)),
                What::Refused { sound, reason, .. } => prop_assert!(false, "{sound:?} {reason:?}"),
                What::VoiceStart { voice, sound, .. } => {
                    let mine = rank(sound);
                    prop_assert_eq!(waiting.iter().max(), Some(&mine), "of {:?}", waiting);
                    let at = waiting.iter().position(|r| *r == mine).unwrap();
                    waiting.remove(at);
                    if let Some((_, other)) = speaking {
                        prop_assert!(mine >= 7 && mine > other, "{mine} cut into {other}");
                    }
                    speaking = Some((voice, mine));
                }
                What::VoiceEnd { voice, .. } => speaking = speaking.filter(|(v, _)| *v != voice),
                _ => {}
            }
        }
        prop_assert!(waiting.is_empty(), "{waiting:?} were never said");
    }
}

#[test]
fn what_matters_least_finds_no_place_when_too_much_waits() {
    let mut bench = Bench::new(&nine(), 1);
    play(&mut bench, 0, "r6", "");
    for _ in 0..16 {
        play(&mut bench, 1, "r2", "");
    }
    play(&mut bench, 2, "r1", "");
    play(&mut bench, 3, "r3", "");
    bench.render(4_800);
    let refused: Vec<NameKey> = bench.happenings.iter().filter_map(|h| if let What::Refused { sound, .. } = h.what { Some(sound) } else { None }).collect();
    assert_eq!(refused, ["r1", "r2"].map(key), "the new one, if it is the least; else the last that waits");
}

#[test]
fn a_higher_rank_cuts_in_on_its_frame_and_an_equal_one_waits() {
    let mut bench = Bench::new(&nine(), 1);
    for (frame, sound) in [(0, "r3"), (3_000, "r2"), (6_001, "r7"), (9_000, "r7"), (9_001, "r6"), (12_345, "r9")] {
        play(&mut bench, frame, sound, "");
    }
    bench.render(48_000 * 20);
    let starts = starts(&bench.happenings);
    let order: Vec<_> = starts.iter().map(|s| s.1).collect();
    assert_eq!(order, ["r3", "r7", "r9", "r7", "r6", "r2"].map(key), "what was cut into is not said again");
    assert_eq!([starts[0].0, starts[1].0, starts[2].0], [0, 6_001, 12_345]);
}

#[test]
fn a_line_that_cuts_in_begins_at_once_while_the_other_fades() {
    let text = "[x]\ntakes = [\"audio/one.wav\"]\nlines = { character = \"s\", gap = \"1..2 s\" }\n[y]\ntakes = [\"audio/dc.wav\"]\nlines = { character = \"s\", gap = \"1..2 s\" }\n";
    let mut bench = Bench::new(&program(text, "", "", SAY), 1);
    bench.event(0, "hit");
    bench.render(9_600);
    bench.event(9_600 + 100, "loop");
    let (out, _) = bench.render(9_600);
    let starts: Vec<u64> = bench.happenings.iter().filter(|h| matches!(h.what, What::VoiceStart { .. })).map(|h| h.frame).collect();
    assert_eq!(starts, [0, 9_700], "on the very frame");
    // The constant is there, and the tone falls over 80 ms beneath it.
    let swing = |from: usize| out[from..from + 480].iter().fold((9.0f32, -9.0f32), |(l, h), s| (l.min(*s), h.max(*s)));
    let (low, high) = swing(200);
    assert!(high - low > 0.3 && f32::midpoint(low, high) > 0.45, "{low} {high}");
    let (low, high) = swing(6_000);
    assert!(high - low < 0.01 && low > 0.45, "{low} {high}");
}
