//! The laws of the engine, each held by a test.

use crate::support::{Bench, assets, largest_step, level, program, tone};
use estampie_engine::engine::{InputKind, NOW, Prepared};
use estampie_engine::ledger::TermKind;
use estampie_engine::names::NameKey;
use estampie_engine::property::Property;
use estampie_engine::telemetry::{Cause, Notice, Reason, What};
use estampie_proof::trace;
use proptest::prelude::*;
use std::sync::Arc;

const ONE: &str = "[one]\ntakes = [\"audio/one.wav\"]\n";
const PLAY_ONE: &str = "When hit\n  play one\n";

#[test]
fn a_sound_starts_on_the_frame_of_its_event_at_any_offset() {
    let program = program(ONE, "", "", PLAY_ONE);
    let expected = tone(1000.0, 0.25, 1000);
    for frame in [0u64, 1, 63, 64, 65, 1000, 4097] {
        let mut bench = Bench::new(&program, 1);
        bench.event(frame, "hit");
        let (left, right) = bench.render(6000);
        let start = frame as usize;
        assert!(left[..start].iter().all(|s| *s == 0.0), "silence before {frame}");
        for i in 0..1000 {
            assert!((left[start + i] - expected[i]).abs() < 1e-6, "frame {frame} + {i}: {} {}", left[start + i], expected[i]);
        }
        assert_eq!(left, right, "mono goes to both sides alike");
    }
}

#[test]
fn the_samples_do_not_depend_on_how_render_is_called() {
    let program = program("[one]\ntakes = [\"audio/one.wav\"]\nvary = { level = \"-3..3 dB\", pitch = \"-2..2 st\" }\n", "", "", PLAY_ONE);
    let play = |cuts: &[usize]| {
        let mut bench = Bench::new(&program, 5);
        for frame in (100..9000).step_by(1777) {
            bench.event(frame, "hit");
        }
        let mut all = Vec::new();
        for cut in cuts.iter().cycle() {
            if all.len() >= 12_000 {
                break;
            }
            all.extend(bench.render(*cut).0);
        }
        all.truncate(12_000);
        all
    };
    let whole = play(&[12_000]);
    assert_eq!(play(&[1, 7, 64, 333]), whole);
    assert_eq!(play(&[480]), whole);
}

#[test]
fn the_same_seed_gives_the_same_samples_and_another_does_not() {
    let sounds = "[one]\ntakes = [\"audio/one.wav\", \"audio/two.wav\", \"audio/three.wav\"]\nvary = { level = \"-3..3 dB\" }\n";
    let program = program(sounds, "", "", PLAY_ONE);
    let play = |seed| {
        let mut bench = Bench::new(&program, seed);
        for frame in (0..40_000).step_by(5000) {
            bench.event(frame, "hit");
        }
        bench.render(60_000).0
    };
    assert_eq!(play(3), play(3));
    assert_ne!(play(3), play(4));
}

#[test]
fn editing_one_sound_does_not_reshuffle_another() {
    let takes = "takes = [\"audio/one.wav\", \"audio/two.wav\", \"audio/three.wav\"]\n";
    let picks = |other: &str| {
        let program = program(&format!("[one]\n{takes}\n[other]\n{other}"), "", "", "When hit\n  play one\n  play other\n");
        let mut bench = Bench::new(&program, 3);
        for frame in (0..40_000).step_by(2000) {
            bench.event(frame, "hit");
        }
        bench.render(48_000);
        let one = NameKey::of("one");
        let of_one =
            |h: &estampie_engine::telemetry::Happening| if let What::VoiceStart { sound, take, .. } = h.what { (sound == one).then_some(take) } else { None };
        bench.happenings.iter().filter_map(of_one).collect::<Vec<_>>()
    };
    let before = picks(takes);
    assert_eq!(before.len(), 20);
    assert_eq!(picks("takes = [\"audio/four.wav\"]\nvary = { pitch = \"-1..1 st\" }\n"), before);
}

#[test]
fn shuffle_never_repeats_the_last_and_is_even() {
    let sounds = "[one]\ntakes = [\"audio/one.wav\", \"audio/two.wav\", \"audio/three.wav\", \"audio/four.wav\"]\npick = \"shuffle, not the last 2\"\nlimit = { in-all = 2 }\n";
    let program = program(sounds, "", "", PLAY_ONE);
    let mut bench = Bench::new(&program, 11);
    for _ in 0..4000 {
        bench.event(NOW, "hit");
        bench.render(64);
    }
    let takes: Vec<NameKey> = bench.happenings.iter().filter_map(|h| if let What::VoiceStart { take, .. } = h.what { Some(take) } else { None }).collect();
    assert_eq!(takes.len(), 4000);
    assert!(takes.windows(3).all(|w| w[2] != w[1] && w[2] != w[0]));
    let counts: Vec<usize> =
        ["one", "two", "three", "four"].iter().map(|n| takes.iter().filter(|t| **t == NameKey::of(&format!("audio/{n}.wav"))).count()).collect();
    let chi: f64 = counts.iter().map(|c| (*c as f64 - 1000.0).powi(2) / 1000.0).sum();
    // 3 degrees of freedom: 16.3 is passed once in a thousand by chance (less still, as repeats are excluded).
    assert!(chi < 16.3, "{counts:?}");
}

#[test]
fn a_chain_has_no_seam() {
    let program = program("[run]\nchain = [\"audio/intro.wav\", \"audio/body.wav\"]\n", "", "", "When hit\n  play run\n");
    let mut bench = Bench::new(&program, 1);
    bench.event(37, "hit");
    let (left, _) = bench.render(24_000);
    let expected = tone(480.0, 0.25, 9_137 + 12_000);
    for (i, wanted) in expected.iter().enumerate() {
        assert_eq!(left[37 + i], *wanted, "sample {i}");
    }
    assert_eq!(left[37 + expected.len()], 0.0);
}

#[test]
fn a_pitched_chain_has_no_seam_either() {
    let program = program("[run]\npitch = \"3.3 st\"\nchain = [\"audio/intro.wav\", \"audio/body.wav\"]\n", "", "", "When hit\n  play run\n");
    let mut bench = Bench::new(&program, 1);
    bench.event(0, "hit");
    let (left, _) = bench.render(14_000);
    let ratio = (3.3f64 / 12.0).exp2();
    // Before the first sample there is silence, not more sine: the first few see that border.
    for (i, sample) in left.iter().enumerate().skip(8) {
        let wanted = 0.25 * (std::f64::consts::TAU * 480.0 * ratio * i as f64 / 48_000.0).sin();
        assert!((f64::from(*sample) - wanted).abs() < 2e-4, "sample {i}: {sample} {wanted}");
    }
}

#[test]
fn a_loop_goes_round_without_a_seam_and_finish_lets_it_complete() {
    // 12 000 frames of 480 Hz are 120 whole periods: the round closes on itself.
    let sounds = "[run]\nchain = [\"audio/intro.wav\", \"audio/body.wav, loop\", \"audio/one.wav\"]\n";
    let program = program(sounds, "", "", "When hit\n  play run\nWhen tick\n  finish run\n");
    let mut bench = Bench::new(&program, 1);
    bench.event(0, "hit");
    let (left, _) = bench.render(40_000);
    let expected = tone(480.0, 0.25, 40_000);
    assert!(left.iter().zip(&expected).all(|(a, b)| (a - b).abs() < 1e-4));
    bench.event(40_000, "tick");
    let (after, _) = bench.render(30_000);
    // The third round ends at 9137 + 3 · 12000 = 45137; then `one` follows at once.
    let one = tone(1000.0, 0.25, 1000);
    for i in 0..1000 {
        assert!((after[5_137 + i] - one[i]).abs() < 1e-6, "{i}");
    }
    assert!(largest_step(&after[..5_137]) < 0.02);
}

#[test]
fn what_stops_or_is_stolen_fades_without_a_click() {
    let sounds = "[low]\ntakes = [\"audio/low.wav\"]\nfade-out = \"2 ms\"\nlimit = { in-all = 1 }\n";
    let program = program(sounds, "", "", "When hit\n  play low\nWhen tick\n  stop low\n");
    let mut bench = Bench::new(&program, 1);
    bench.event(0, "hit");
    bench.event(10_123, "hit");
    bench.event(20_777, "tick");
    let (left, _) = bench.render(30_000);
    // A tone of 100 Hz at 0.25 moves 0.0033 a frame; a 2 ms fade adds at most 0.25 / 96.
    assert!(largest_step(&left) < 0.0033 * 2.0 + 0.0027, "{}", largest_step(&left));
    assert!(left[20_777 + 97..].iter().all(|s| *s == 0.0));
    let ends: Vec<Cause> = bench.happenings.iter().filter_map(|h| if let What::VoiceEnd { cause, .. } = h.what { Some(cause) } else { None }).collect();
    assert_eq!(ends, vec![Cause::Stolen, Cause::Stopped]);
}

#[test]
fn a_refusal_says_its_reason() {
    let sounds = "[one]\ntakes = [\"audio/one.wav\"]\nlimit = { each = 1, in-all = 2, when-full = \"refuse\" }\n[deck]\npick = \"by deck\"\ntakes = { plank = [\"audio/two.wav\"] }\n";
    let program = program(sounds, "", "", "When hit\n  play one\nWhen tick\n  play deck, chance 50 %\n");
    let mut bench = Bench::new(&program, 1);
    for emitter in ["a", "a", "b", "c"] {
        bench.event_on(NOW, "hit", emitter);
    }
    bench.state("deck", "grate");
    for _ in 0..40 {
        bench.event(NOW, "tick");
    }
    bench.render(640);
    let reasons: Vec<Reason> = bench.happenings.iter().filter_map(|h| if let What::Refused { reason, .. } = h.what { Some(reason) } else { None }).collect();
    assert_eq!(reasons[0], Reason::Each { limit: 1 });
    assert_eq!(reasons[1], Reason::All { limit: 2 });
    let chance = reasons.iter().filter(|r| matches!(r, Reason::Chance { drawn, .. } if *drawn >= 0.5)).count();
    let none = reasons.iter().filter(|r| **r == Reason::NoTake { state: NameKey::of("deck"), value: NameKey::of("grate") }).count();
    assert_eq!(chance + none, 40);
    assert!((8..=32).contains(&chance), "{chance} of 40 at 50 %");
}

#[test]
fn unknown_names_and_values_out_of_range_are_said() {
    let program = program(ONE, "", "", PLAY_ONE);
    let mut bench = Bench::new(&program, 1);
    bench.event(NOW, "hti");
    bench.parameter("strian", 1.0);
    bench.parameter("strain", 7.0);
    bench.parameter("strain", f32::NAN);
    bench.state("deck", "wood");
    bench.state("deck", "glass");
    bench.state("dek", "plank");
    bench.render(64);
    let notices: Vec<Notice> = bench.happenings.iter().filter_map(|h| if let What::Notice(n) = h.what { Some(n) } else { None }).collect();
    let key = NameKey::of;
    assert_eq!(notices[0], Notice::UnknownEvent(key("hti")));
    assert_eq!(notices[1], Notice::UnknownParameter(key("strian")));
    assert_eq!(notices[2], Notice::Clamped { parameter: key("strain"), asked: 7.0, used: 1.0 });
    assert!(matches!(notices[3], Notice::Clamped { asked, used, .. } if asked.is_nan() && used == 1.0));
    assert_eq!(notices[4], Notice::UnknownValue { state: key("deck"), value: key("glass") });
    assert_eq!(notices[5], Notice::UnknownState(key("dek")));
    assert_eq!(notices.len(), 6, "the game's own name for a value is known");
}

#[test]
fn reactions_answer_events_changes_and_otherwise() {
    let reactions = "When hit and strain over 0.6 and deck is not silt\n  play one\n\nWhen hit otherwise\n  play two\n\nWhen deck becomes grate\n  play three\n\nWhen strain becomes over 0.8\n  play four\n  set deck to silt\n  send tick\n";
    let sounds = "[one]\ntakes = [\"audio/one.wav\"]\n[two]\ntakes = [\"audio/two.wav\"]\n[three]\ntakes = [\"audio/three.wav\"]\n[four]\ntakes = [\"audio/four.wav\"]\n";
    let program = program(sounds, "", "", reactions);
    let mut bench = Bench::new(&program, 1);
    let mut played = |act: &mut dyn FnMut(&mut Bench)| {
        bench.happenings.clear();
        act(&mut bench);
        bench.render(4800);
        bench
            .happenings
            .iter()
            .filter_map(|h| if let What::VoiceStart { sound, .. } = h.what { Some(program.names.get(sound).to_owned()) } else { None })
            .collect::<Vec<_>>()
    };
    assert_eq!(played(&mut |b| b.event(NOW, "hit")), ["two"]);
    assert_eq!(played(&mut |b| b.parameter("strain", 0.7)), Vec::<String>::new());
    assert_eq!(played(&mut |b| b.event(NOW, "hit")), ["one"]);
    assert_eq!(played(&mut |b| b.state("deck", "grate")), ["three"]);
    assert_eq!(played(&mut |b| b.state("deck", "grate")), Vec::<String>::new(), "no change, no reaction");
    assert_eq!(played(&mut |b| b.send(NOW, InputKind::Glide { parameter: NameKey::of("strain"), from: None, to: 1.0, frames: 2400 })), ["four"]);
    assert_eq!(played(&mut |b| b.event(NOW, "hit")), ["two"], "the deck was set to silt by a reaction");
    assert_eq!(played(&mut |b| b.parameter("strain", 0.9)), Vec::<String>::new(), "it was over 0.8 already");
}

#[test]
fn reactions_that_call_each_other_are_cut_and_said() {
    let program = program(ONE, "", "", "When hit\n  send tick\n\nWhen tick\n  send hit\n");
    let mut bench = Bench::new(&program, 1);
    bench.event(NOW, "hit");
    bench.render(64);
    assert!(bench.happenings.iter().any(|h| matches!(h.what, What::Notice(Notice::Endless { .. }))));
}

const LEDGER_SOUNDS: &str = "[outer]\nbus = \"low\"\nlevel = \"-3 dB\"\ntakes = [\"inner\"]\nvary = { level = \"-2..2 dB\" }\n[inner]\nlevel = \"-4 dB\"\npitch = \"2 st\"\nlow-pass = \"3 kHz\"\nloop = true\ntakes = [\"audio/one.wav\"]\nvary = { level = \"-1..1 dB\", pitch = \"-1..1 st\" }\n";
const LEDGER_MIX: &str = "[buses.main]\nlevel = \"-1 dB\"\n[buses.mid]\nlevel = \"-2.5 dB\"\n[buses.low]\ninto = \"mid\"\nlevel = \"1.5 dB\"\n";
const LEDGER_MODULATION: &str = "[[modulation]]\nfrom = \"strain\"\nmoves = \"outer level\"\ncurve = [\"0: -12 dB\", \"1: 3 dB\"]\n[[modulation]]\nfrom = \"depth\"\nmoves = \"inner low-pass\"\ncurve = [\"0 m: 0 oct, smooth\", \"100 m: -2 oct\"]\nsmooth = \"20 ms\"\n[[modulation]]\nfrom = \"depth\"\nmoves = \"bus mid level\"\ncurve = [\"0 m: 0 dB\", \"100 m: -6 dB\"]\n[[modulation]]\nfrom = \"strain\"\nmoves = \"inner pitch\"\ncurve = [\"0: 0 st\", \"1: -3 st\"]\n";

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]
    #[test]
    fn the_terms_add_up_to_what_is_measured(seed in 0u64..1000, strain in 0.0f32..1.0, depth in 0.0f32..100.0) {
        let program = program(LEDGER_SOUNDS, LEDGER_MIX, LEDGER_MODULATION, "When hit\n  play outer\n");
        let mut bench = Bench::new(&program, seed);
        bench.parameter("strain", strain);
        bench.parameter("depth", depth);
        bench.render(96_000);
        bench.event(NOW, "hit");
        let (left, _) = bench.render(48_000);
        let measured = level(&left[24_000..]);
        let status = bench.status.unwrap();
        prop_assert_eq!(status.voices.len(), 1);
        let terms = status.terms_of(&status.voices[0]);
        let sum = trace::total(terms, Property::Level);
        prop_assert!((sum - measured).abs() < 0.1, "{sum:.3} dB told, {measured:.3} dB measured: {terms:?}");
        prop_assert!((status.voices[0].heard_db - sum).abs() < 1e-3);
        for kind in [TermKind::Recorded, TermKind::Set, TermKind::Varied, TermKind::Moved, TermKind::Filtered, TermKind::Bus] {
            prop_assert!(terms.iter().any(|t| t.kind == kind), "{kind:?}");
        }
        // The pitch told is the pitch played: count the periods.
        let told = trace::total(terms, Property::Pitch);
        let crossings = left[..48_000].windows(2).filter(|w| w[0] < 0.0 && w[1] >= 0.0).count() as f32;
        let played = 12.0 * (crossings / 1000.0).log2();
        prop_assert!((told - played).abs() < 0.05, "{told} st told, {played} st played");
    }
}

#[test]
fn modulation_follows_the_parameter() {
    let sounds = "[dc]\nloop = true\ntakes = [\"audio/dc.wav\"]\n";
    let modulation = "[[modulation]]\nfrom = \"strain\"\nmoves = \"dc level\"\ncurve = [\"0: -20 dB\", \"1: 0 dB\"]\n";
    let program = program(sounds, "", modulation, "When hit\n  play dc\n");
    let mut bench = Bench::new(&program, 1);
    bench.event(NOW, "hit");
    let (left, _) = bench.render(4800);
    assert!((left[4000] - 0.05).abs() < 1e-4, "{}", left[4000]);
    bench.parameter("strain", 0.5);
    let (left, _) = bench.render(4800);
    assert!((left[4000] - 0.5 * 10f32.powf(-0.5)).abs() < 1e-4, "{}", left[4000]);
    assert!(largest_step(&left) < 0.005, "the way is smooth: {}", largest_step(&left));
}

#[test]
fn mute_and_solo_hold_along_the_tree() {
    let sounds =
        "[one]\nbus = \"a\"\nloop = true\ntakes = [\"audio/dc.wav\"]\n[two]\nbus = \"b\"\nlevel = \"-6.0206 dB\"\nloop = true\ntakes = [\"audio/dc.wav\"]\n";
    let mix = "[buses.group]\n[buses.a]\ninto = \"group\"\n[buses.b]\n";
    let program = program(sounds, mix, "", "When hit\n  play one\n  play two\n");
    let mut bench = Bench::new(&program, 1);
    bench.event(NOW, "hit");
    let mut settled = |what: Option<InputKind>| {
        if let Some(what) = what {
            bench.send(NOW, what);
        }
        let (left, _) = bench.render(2400);
        assert!(largest_step(&left[64..]) < 0.01, "{}", largest_step(&left[64..]));
        (left[2399] * 1000.0).round() / 1000.0
    };
    let solo = |bus: &str, on| Some(InputKind::Solo { bus: NameKey::of(bus), on });
    let mute = |bus: &str, on| Some(InputKind::Mute { bus: NameKey::of(bus), on });
    assert_eq!(settled(None), 0.75);
    assert_eq!(settled(solo("group", true)), 0.5, "what runs into a soloed bus is heard");
    assert_eq!(settled(solo("b", true)), 0.75);
    assert_eq!(settled(solo("group", false)), 0.25);
    assert_eq!(settled(solo("b", false)), 0.75);
    assert_eq!(settled(mute("group", true)), 0.25);
    assert_eq!(settled(mute("main", true)), 0.0);
    assert_eq!(settled(mute("main", false)), 0.25);
}

#[test]
fn an_edit_goes_on_sounding_and_glides() {
    let before = program(
        "[low]\nlevel = \"-6 dB\"\nloop = true\ntakes = [\"audio/low.wav\"]\n[gone]\nloop = true\ntakes = [\"audio/low.wav\"]\n",
        "",
        "",
        "When hit\n  play low\nWhen tick\n  play gone\n",
    );
    let after = program("[low]\nlevel = \"-18 dB\"\nloop = true\ntakes = [\"audio/low.wav\"]\n", "", "", "When hit\n  play low\n");
    let mut bench = Bench::new(&before, 1);
    bench.event(NOW, "hit");
    bench.event(NOW, "tick");
    bench.parameter("strain", 0.4);
    bench.state("deck", "silt");
    let (left, _) = bench.render(19_200);
    let swap = bench.remote.program(Box::new(Prepared::new(Arc::clone(&after), 1)));
    assert!(swap.is_ok());
    let (right, _) = bench.render(19_200);
    let joined: Vec<f32> = left[19_000..].iter().chain(&right).copied().collect();
    assert!(largest_step(&joined) < 0.02, "{}", largest_step(&joined));
    assert!((level(&right[9_600..]) - (-18.0 + 20.0 * (0.25f32 / 2f32.sqrt()).log10())).abs() < 0.1);
    let status = bench.status.unwrap();
    assert_eq!(status.program, after.id);
    assert_eq!(status.voices.len(), 1, "what was removed has faded out");
    assert_eq!(status.parameters[0].value, 0.4);
    assert_eq!(status.states[0], 2);
    assert!(bench.happenings.iter().any(|h| matches!(h.what, What::VoiceEnd { cause: Cause::Removed, .. })));
}

#[test]
fn the_voices_of_a_project_are_limited_and_the_oldest_is_stolen() {
    let mut program = Arc::unwrap_or_clone(program("[low]\nloop = true\ntakes = [\"audio/low.wav\"]\n", "", "", "When hit\n  play low\n"));
    program.voices = 8;
    let mut bench = Bench::new(&Arc::new(program), 1);
    for frame in 0..30 {
        bench.event(frame * 500, "hit");
    }
    bench.render(30 * 500 + 4800);
    assert_eq!(bench.engine.voices(), 8);
    let stolen = bench.happenings.iter().filter(|h| matches!(h.what, What::VoiceEnd { cause: Cause::Stolen, .. })).count();
    assert_eq!(stolen, 22);
}

#[test]
fn a_rehearsal_starts_softly_and_the_ceiling_holds() {
    let mut loud = Arc::unwrap_or_clone(program("[dc]\nlevel = \"12 dB\"\nloop = true\ntakes = [\"audio/dc.wav\"]\n", "", "", "When hit\n  play dc\n"));
    loud.ceiling_gain = 0.5;
    let options = estampie_engine::engine::Options { soft_start: estampie_engine::units::Seconds(0.2), ..Default::default() };
    let (mut engine, mut remote) = estampie_engine::engine::Engine::new(Prepared::new(Arc::new(loud), 1), options);
    remote.input(estampie_engine::engine::Input { frame: 0, what: InputKind::Event { event: NameKey::of("hit"), emitter: NameKey::NONE } }).unwrap();
    let mut out = vec![0.0; 2 * 24_000];
    engine.render(&mut out);
    assert!(out[0] == 0.0 && out[2 * 480] < 0.01, "{}", out[2 * 480]);
    assert!(out.iter().all(|s| s.abs() <= 0.5));
    assert!(out[2 * 20_000] > 0.49);
}

#[test]
fn broken_samples_do_not_get_out() {
    let mut assets = assets();
    let mut samples = tone(1000.0, 0.25, 48_000);
    samples[5_000] = f32::NAN;
    samples[9_000] = f32::INFINITY;
    assets.insert("audio/one.wav", Ok(Arc::new(estampie_engine::clip::Clip::new("audio/one.wav", vec![samples], None))));
    let sources = estampie_project::document::Sources::from_texts([
        ("estampie.toml", "format = 1"),
        ("game.toml", crate::support::GAME),
        ("sounds/a.toml", "[one]\nlow-pass = \"8 kHz\"\ntakes = [\"audio/one.wav\"]\n"),
        ("reactions.est", PLAY_ONE),
    ]);
    let (document, _) = estampie_project::document::Document::read(&sources, &["audio/one.wav".to_owned()].into());
    let (program, _) = estampie_project::compile::compile(&document, &assets);
    let mut bench = Bench::new(&Arc::new(program), 1);
    bench.event(0, "hit");
    let (left, _) = bench.render(40_000);
    assert!(left.iter().all(|s| s.is_finite()));
    assert!(level(&left[20_000..40_000]) > -20.0, "it goes on after the broken sample: {}", level(&left[20_000..40_000]));
}
