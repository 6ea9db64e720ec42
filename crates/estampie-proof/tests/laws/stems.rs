//! Stems sum to the mix; traces are compared.

use crate::support::program;
use estampie_engine::program::Program;
use estampie_engine::units::Seconds;
use estampie_project::language::{Playthrough, playthrough};
use estampie_proof::offline::Rendering;
use estampie_proof::stems::{REST, Stems};
use estampie_proof::trace::differ::{Trace, differences};
use estampie_proof::trace::to_json;
use proptest::prelude::*;
use std::sync::Arc;

const SOUNDS: &str = "[a]\nbus = \"x\"\ntakes = [\"audio/one.wav\"]\nsend = { hall = \"-6 dB\" }\n[b]\nbus = \"z\"\ntakes = [\"audio/two.wav\", \"audio/three.wav\"]\nvary = { level = \"-6..0 dB\" }\n";
const MIX: &str = "[buses.x]\nlevel = \"-3 dB\"\n[buses.y]\nlevel = \"-6 dB\"\n[buses.z]\ninto = \"y\"\n[buses.hall]\nreturn = true\n[buses.hall.effect.reverb]\nwet = \"100 %\"\n";

fn play(text: &str) -> Playthrough {
    let (read, faults) = playthrough::parse("", text);
    assert_eq!(faults, vec![]);
    read
}

fn rendered(program: &Arc<Program>, play: &Playthrough, seed: Option<u64>) -> (Vec<f32>, Trace) {
    let mut rendering = Rendering::new(program, play, seed, Seconds(0.0));
    let (mut all, mut part, mut lines) = (Vec::new(), Vec::new(), Vec::new());
    while rendering.left() > 0 {
        rendering.next(4_800, &mut part, |h| lines.push(to_json(h, &program.names)));
        all.extend_from_slice(&part);
    }
    (all, Trace { rate: 48_000.0, lines })
}

#[test]
fn stems_sum_to_the_mix_and_nothing_is_left_where_main_does_nothing() {
    let program = program(SOUNDS, MIX, "", "When hit\n  play a\n\nWhen tick\n  play b\n");
    for text in ["seed 3\n0 send hit\n0.4 send tick\n2 end\n", "seed 3\nfrom 0.7\n0 send hit\n0.4 send tick\n0.9 send tick\n2 end\n"] {
        let play = play(text);
        let (mix, _) = rendered(&program, &play, None);
        let mut stems = Stems::new(&program, &play, None, &[]);
        assert_eq!(stems.names(), ["x", "y", "hall", REST]);
        let mut all = vec![Vec::new(); 4];
        while stems.left() > 0 {
            for (all, part) in all.iter_mut().zip(stems.next(10_000)) {
                all.extend(part);
            }
        }
        let peak = |samples: &[f32]| samples.iter().fold(0.0f32, |a, b| a.max(b.abs()));
        assert!(all.iter().all(|s| s.len() == mix.len()) && peak(&mix) > 0.05);
        // The bus that runs into another is in that one.
        assert!(all[..3].iter().all(|stem| peak(stem) > 1e-3), "{:?}", all.iter().map(|s| peak(s)).collect::<Vec<_>>());
        for (at, sample) in mix.iter().enumerate() {
            let sum: f32 = all.iter().map(|stem| stem[at]).sum();
            assert!((sum - sample).abs() < 1e-5, "{at}");
        }
        assert!(peak(&all[3]) < 1e-5, "100 dB down: {}", peak(&all[3]));
    }
}

#[test]
fn what_an_edit_changes_is_told_by_its_weight() {
    let one = program(SOUNDS, MIX, "", "When hit\n  play a\n\nWhen tick\n  play b\n");
    let louder = SOUNDS.replace("[a]\n", "[a]\nlevel = \"-4 dB\"\n");
    let other = program(&louder, MIX, "", "When hit\n  play a, after 150 ms\n\nWhen tick and strain over 0.5\n  play b\n");
    let play = play("seed 3\n1 send hit\n3 send tick\n5 strain 0.8\n6 send tick\n9 end\n");
    let (a, b) = (rendered(&one, &play, None).1, rendered(&other, &play, None).1);
    assert_eq!(differences(&a, &a), vec![]);
    let told: Vec<String> = differences(&a, &b).into_iter().map(|d| format!("{} {}", d.about, d.words)).collect();
    assert!(told[0].starts_with("b is heard in the first alone"), "{told:?}");
    for words in ["a comes 0.150 s later", "a is 4.0 dB softer"] {
        assert!(told.iter().any(|t| t == words), "{words}: {told:?}");
    }
    // Backwards the same, the other way round.
    let back: Vec<String> = differences(&b, &a).into_iter().map(|d| format!("{} {}", d.about, d.words)).collect();
    assert!(back[0].starts_with("b is heard in the second alone") && back.contains(&"a is 4.0 dB louder".to_owned()), "{back:?}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    /// What is said later comes later: what follows from it is the same.
    #[test]
    fn traces_are_aligned_by_what_was_said(times in prop::collection::vec(0.1f64..3.0, 1..12), longer in 0.0f64..20.0, at in any::<prop::sample::Index>(), seed in 1u64..50) {
        let program = program(SOUNDS, MIX, "", "When hit\n  play a\n\nWhen tick\n  play b\n");
        let text = |waits: &[f64]| {
            let mut now = 0.5;
            let mut text = format!("seed {seed}\n");
            for (n, wait) in waits.iter().enumerate() {
                now += wait;
                text += &format!("{now:.3} send {}\n", if n % 2 == 0 { "hit" } else { "tick" });
            }
            text + &format!("{:.3} end\n", now + 3.0)
        };
        let mut other = times.clone();
        let at = at.index(other.len());
        other[at] += longer;
        let (a, b) = (rendered(&program, &play(&text(&times)), None).1, rendered(&program, &play(&text(&other)), None).1);
        prop_assert_eq!(differences(&a, &b), vec![]);
        // As a file it is the same.
        let file: String = a.lines.iter().map(|l| format!("{l}\n")).collect();
        prop_assert_eq!(Trace::read(&file, 48_000.0).unwrap(), a);
    }
}

#[test]
fn a_file_that_is_no_trace_is_refused_with_its_line() {
    for (text, line) in [("{\"frame\":1,\"what\":\"event\"}\n{", "line 2"), ("{\"what\":\"event\"}", "line 1"), ("[1]", "line 1")] {
        assert!(Trace::read(text, 48_000.0).unwrap_err().starts_with(line), "{text}");
    }
}
