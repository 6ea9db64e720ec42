//! The controls of generators: set, drawn each time, moved by parameters of all and of each emitter, held by snapshots, swept, edited while they sound.

use crate::support::{Bench, compile_with, program_with};
use estampie_engine::engine::{InputKind, NOW, Prepared};
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::property::Property;
use proptest::prelude::*;
use std::sync::Arc;

const GAME: &str = "[parameters.wind]\nrange = \"0..1\"\n[parameters.turns]\nrange = \"0..1\"\nof = \"each emitter\"\n[events]\nhit = \"\"\nup = \"\"\n[emitters]\nnear = \"\"\nfar = \"\"\n";

fn project(shared: &str, more: &[(&str, &str)]) -> Arc<Program> {
    let mut files = vec![("game.toml", GAME), ("shared.toml", shared), ("sounds/all.toml", "[a]\ntakes = [\"generator g\"]\nlevel = \"-6 dB\"\n")];
    files.extend_from_slice(more);
    program_with(&files)
}

fn play(bench: &mut Bench, emitter: &str) {
    bench.send(NOW, InputKind::Play { sound: NameKey::of("a"), emitter: if emitter.is_empty() { NameKey::NONE } else { NameKey::of(emitter) } });
}

/// The frequency of a sine, by its passes through 0.
fn hertz(samples: &[f32]) -> f64 {
    let passes: Vec<f64> = (1..samples.len())
        .filter(|i| samples[i - 1] < 0.0 && samples[*i] >= 0.0)
        .map(|i| i as f64 - f64::from(samples[i] / (samples[i] - samples[i - 1])))
        .collect();
    (passes.len() - 1) as f64 * 48_000.0 / (passes[passes.len() - 1] - passes[0])
}

const TONE: &str = "[generator.g]\nkind = \"tone\"\nfrequency = \"500 Hz\"\n";

fn near(measured: f64, wanted: f64) -> bool {
    (1_200.0 * (measured / wanted).log2()).abs() < 3.0
}

#[test]
fn a_parameter_moves_a_control_by_its_curve() {
    let moved = "[[modulation]]\nfrom = \"wind\"\nmoves = \"generator g frequency\"\ncurve = [\"0: 400 Hz\", \"1: 800 Hz\"]\n";
    let mut bench = Bench::new(&project(TONE, &[("modulation.toml", moved)]), 1);
    play(&mut bench, "");
    for (value, wanted) in [(0.0, 400.0), (0.5, 600.0), (1.0, 800.0)] {
        bench.parameter("wind", value);
        bench.render(24_000);
        let got = hertz(&bench.render(24_000).0);
        assert!(near(got, wanted), "{got} Hz at {value}");
    }
}

#[test]
fn what_each_emitter_says_for_itself_each_voice_follows_for_itself() {
    let moved = "[[modulation]]\nfrom = \"turns\"\nmoves = \"generator g frequency\"\ncurve = [\"0: 300 Hz\", \"1: 1200 Hz\"]\n";
    let program = project(TONE, &[("modulation.toml", moved)]);
    for (emitter, wanted) in [("near", 300.0), ("far", 1_200.0)] {
        let mut bench = Bench::new(&program, 1);
        for (name, value) in [("near", 0.0), ("far", 1.0)] {
            bench.send(NOW, InputKind::Place { emitter: NameKey::of(name), kind: NameKey::NONE, at: [1.0, 0.0, 0.0], facing: None, frames: 0 });
            bench.send(NOW, InputKind::Parameter { parameter: NameKey::of("turns"), value, emitter: NameKey::of(name) });
        }
        bench.render(4_800);
        play(&mut bench, emitter);
        bench.render(9_600);
        let got = hertz(&bench.render(24_000).0);
        assert!(near(got, wanted), "{emitter}: {got} Hz");
    }
}

#[test]
fn a_snapshot_holds_a_control_and_lets_it_go() {
    let mix = "[snapshots.s]\nrise = \"100 ms\"\nfall = \"100 ms\"\nhold = { \"generator g frequency\" = \"to 1 kHz\" }\n[snapshots.t]\nrise = \"100 ms\"\nhold = { \"generator g frequency\" = \"by -1 oct\" }\n";
    let reactions = "When hit\n  raise s\nWhen up\n  raise t\n";
    let (_, faults) = compile_with(&[("game.toml", GAME), ("shared.toml", TONE), ("mix.toml", mix), ("reactions.est", reactions)]);
    assert!(faults.is_empty(), "{faults:?}");
    for (event, wanted) in [("hit", 1_000.0), ("up", 250.0)] {
        let mut bench = Bench::new(&project(TONE, &[("mix.toml", mix), ("reactions.est", reactions)]), 1);
        play(&mut bench, "");
        assert!(near(hertz(&bench.render(24_000).0), 500.0));
        bench.event(NOW, event);
        bench.render(9_600);
        let got = hertz(&bench.render(24_000).0);
        assert!(near(got, wanted), "{event}: {got} Hz");
    }
}

#[test]
fn a_control_is_swept_so_much_further() {
    let reactions = "When hit\n  sweep a frequency to 12 st over 500 ms\n";
    let mut bench = Bench::new(&project(TONE, &[("reactions.est", reactions)]), 1);
    play(&mut bench, "");
    bench.render(9_600);
    bench.event(NOW, "hit");
    bench.render(12_000);
    let halfway = hertz(&bench.render(480).0);
    assert!((1_200.0 * (halfway / 707.0).log2()).abs() < 60.0, "{halfway}");
    bench.render(24_000);
    let got = hertz(&bench.render(24_000).0);
    assert!(near(got, 1_000.0), "{got}");
    // What has no such control is not swept, and said to be none.
    let none = project("[generator.g]\nkind = \"noise\"\n", &[("reactions.est", "When hit\n  sweep a bend to 3 st over 500 ms\n")]);
    let mut bench = Bench::new(&none, 1);
    play(&mut bench, "");
    bench.render(4_800);
    bench.event(NOW, "hit");
    bench.render(4_800);
    assert!(bench.happenings.iter().any(|h| matches!(h.what, estampie_engine::telemetry::What::Sweep { count: 0, .. })));
}

#[test]
fn why_tells_what_a_control_is_made_of() {
    let moved = "[[modulation]]\nfrom = \"wind\"\nmoves = \"generator g speed\"\ncurve = [\"0: 5\", \"1: 25\"]\n";
    let shared = "[generator.g]\nkind = \"wind\"\nvary = { speed = \"1..1\", slit = \"12..12 st\" }\nslit = \"400 Hz\"\n";
    let mut bench = Bench::new(&project(shared, &[("modulation.toml", moved)]), 1);
    play(&mut bench, "");
    bench.parameter("wind", 0.5);
    bench.render(48_000);
    let status = bench.status.as_ref().unwrap();
    let voice = &status.voices[0];
    let terms = status.terms_of(voice);
    let sum = |word: &str| {
        let of = |p: Property| estampie_engine::dsp::generators::word_of(p) == word;
        terms.iter().filter(|t| of(t.property)).map(|t| t.value).sum::<f32>()
    };
    assert!((sum("speed") - 16.0).abs() < 0.01, "15 by the parameter, and 1 drawn: {}", sum("speed"));
    assert!((sum("slit").exp2() - 800.0).abs() < 1.0, "400 Hz and an octave: {}", sum("slit").exp2());
    assert_eq!(sum("gust"), 0.0, "what is only set is not told");
}

#[test]
fn what_cannot_be_moved_is_told_with_its_place() {
    let faults = |moves: &str| {
        let moved = format!("[[modulation]]\nfrom = \"wind\"\nmoves = \"{moves}\"\ncurve = [\"0: 1\", \"1: 2\"]\n");
        compile_with(&[("game.toml", GAME), ("shared.toml", "[generator.g]\nkind = \"blip\"\n"), ("modulation.toml", &moved)]).1
    };
    for (moves, what) in [
        ("generator g another", "is fixed and cannot be moved"),
        ("generator g wave", "is fixed and cannot be moved"),
        ("generator g spede", "there is no generator g spede in the mix"),
        ("generator h frequency", "there is no generator h frequency in the mix"),
    ] {
        let told = faults(moves);
        assert!(told.iter().any(|t| t.starts_with("modulation.toml:3") && t.contains(what)), "{moves}: {told:?}");
    }
    let held = "[snapshots.s]\nhold = { \"generator g variety\" = \"to 10 %\" }\n";
    let told = compile_with(&[("game.toml", GAME), ("shared.toml", "[generator.g]\nkind = \"blip\"\n"), ("mix.toml", held)]).1;
    assert!(told.iter().any(|t| t.contains("it is fixed and cannot be held")), "{told:?}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(16))]

    /// What is drawn lies within its range, and is drawn anew each time.
    #[test]
    fn each_playing_draws_its_own(low in -11i32..0, high in 1i32..11, seed in any::<u64>()) {
        let shared = format!("{TONE}vary = {{ frequency = \"{low}..{high} st\" }}\n");
        let program = project(&shared, &[]);
        let mut bench = Bench::new(&program, seed);
        let mut heard = Vec::new();
        for _ in 0..6 {
            play(&mut bench, "");
            bench.render(4_800);
            let got = 12.0 * (hertz(&bench.render(9_600).0) / 500.0).log2();
            prop_assert!(got > f64::from(low) - 0.05 && got < f64::from(high) + 0.05, "{got} st");
            heard.push((got * 100.0).round() as i64);
            bench.send(NOW, InputKind::Stop { sound: NameKey::of("a") });
            bench.render(4_800);
        }
        heard.sort_unstable();
        heard.dedup();
        prop_assert!(heard.len() >= 4, "{heard:?}");
    }

    /// An edit of a control is followed while it sounds, without a step.
    #[test]
    fn an_edit_is_heard_without_a_click(to in 200.0f32..2_000.0) {
        let mut bench = Bench::new(&project(TONE, &[]), 3);
        play(&mut bench, "");
        let before = bench.render(9_600).0;
        let edited = project(&TONE.replace("500 Hz", &format!("{to:.0} Hz")), &[]);
        bench.remote.program(Box::new(Prepared::new(edited, 3))).unwrap();
        let during = bench.render(9_600).0;
        let after = bench.render(24_000).0;
        prop_assert!(near(hertz(&after), f64::from(to.round())), "{}", hertz(&after));
        let step = |side: &[f32]| side.windows(2).map(|w| (w[1] - w[0]).abs()).fold(0.0f32, f32::max);
        prop_assert!(step(&during) <= 1.05 * step(&before).max(step(&after)), "{}", step(&during));
    }
}
