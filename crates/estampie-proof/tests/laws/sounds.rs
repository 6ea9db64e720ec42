//! Recipes: picks, chains, draws, chances, limits, repeats, shapes, sweeps and lines, to the sample and by their laws.

use crate::support::{Bench, largest_step, level, program};
use estampie_engine::engine::{InputKind, NOW};
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::property::Property;
use estampie_engine::telemetry::{Happening, Reason, What};
use proptest::prelude::*;
use rand::{Rng as _, SeedableRng as _};
use rand_pcg::Pcg32;
use std::collections::BTreeMap;
use std::sync::Arc;

pub(crate) fn key(name: &str) -> NameKey {
    NameKey::of(name)
}

/// Plays a sound on a frame.
pub(crate) fn play(bench: &mut Bench, frame: u64, sound: &str, emitter: &str) {
    let _ = frame;
    bench.send(frame, InputKind::Play { sound: key(sound), emitter: key(emitter) });
}

pub(crate) fn starts(happenings: &[Happening]) -> Vec<(u64, NameKey, NameKey)> {
    happenings.iter().filter_map(|h| if let What::VoiceStart { sound, take, .. } = h.what { Some((h.frame, sound, take)) } else { None }).collect()
}

fn refusals(happenings: &[Happening]) -> Vec<Reason> {
    happenings.iter().filter_map(|h| if let What::Refused { reason, .. } = h.what { Some(reason) } else { None }).collect()
}

pub(crate) fn sounds(text: &str) -> Arc<Program> {
    program(text, "", "", "")
}

const FOUR: &str = "takes = [\"audio/one.wav\", \"audio/two.wav\", \"audio/three.wav\", \"audio/four.wav\"]\n";

/// The takes of many triggers, by name.
fn picks(text: &str, count: usize, seed: u64) -> Vec<NameKey> {
    let program = sounds(text);
    let mut bench = Bench::new(&program, seed);
    for _ in 0..count {
        play(&mut bench, NOW, "a", "");
        bench.send(NOW, InputKind::StopAll { frames: 1 });
        bench.render(64);
    }
    starts(&bench.happenings).into_iter().map(|s| s.2).collect()
}

fn chi_square(list: &[NameKey], expected: &[(&str, f64)]) -> f64 {
    let total: f64 = expected.iter().map(|e| e.1).sum();
    expected
        .iter()
        .map(|(name, weight)| {
            let seen = list.iter().filter(|t| **t == key(name)).count() as f64;
            let wanted = list.len() as f64 * weight / total;
            (seen - wanted).powi(2) / wanted
        })
        .sum()
}

#[test]
fn shuffle_never_repeats_the_last_and_is_even() {
    for not_last in 0..=3usize {
        let list = picks(&format!("[a]\n{FOUR}pick = \"shuffle, not the last {not_last}\"\n"), 2400, 7);
        assert_eq!(list.len(), 2400);
        for window in list.windows(not_last + 1) {
            assert!(!window[..not_last].contains(&window[not_last]), "one of the last {not_last} came again");
        }
        let expected = ["one", "two", "three", "four"].map(|n| (format!("audio/{n}.wav"), 1.0));
        let expected: Vec<(&str, f64)> = expected.iter().map(|(n, w)| (n.as_str(), *w)).collect();
        // Three degrees of freedom: 16.3 is passed once in a thousand.
        assert!(chi_square(&list, &expected) < 16.3, "{}", chi_square(&list, &expected));
    }
}

#[test]
fn weights_hold_and_a_cycle_goes_round() {
    let takes = "takes = [\"audio/one.wav, weight 1\", \"audio/two.wav, weight 3\", \"audio/three.wav, weight 6\", \"audio/four.wav, weight 0\"]\n";
    let list = picks(&format!("[a]\n{takes}pick = \"weighted\"\n"), 3000, 3);
    assert!(chi_square(&list, &[("audio/one.wav", 1.0), ("audio/two.wav", 3.0), ("audio/three.wav", 6.0)]) < 13.8);
    let list = picks(&format!("[a]\n{takes}pick = \"weighted, not the last\"\n"), 500, 3);
    assert!(list.windows(2).all(|w| w[0] != w[1]));
    let list = picks(&format!("[a]\n{FOUR}pick = \"cycle\"\n"), 9, 3);
    let names = ["one", "two", "three", "four", "one", "two", "three", "four", "one"].map(|n| key(&format!("audio/{n}.wav")));
    assert_eq!(list, names);
}

#[test]
fn a_parameter_picks_by_ranges_and_says_when_none_fits() {
    let program = sounds("[a]\npick = \"by depth\"\ntakes = { \"0..10 m\" = [\"audio/one.wav\"], \"10..50 m\" = [\"audio/two.wav\"] }\n");
    let mut bench = Bench::new(&program, 1);
    for (depth, wanted) in [(3.0, Some("audio/one.wav")), (30.0, Some("audio/two.wav")), (80.0, None)] {
        bench.parameter("depth", depth);
        bench.render(48_000);
        bench.happenings.clear();
        play(&mut bench, NOW, "a", "");
        bench.render(64);
        assert_eq!(starts(&bench.happenings).first().map(|s| s.2), wanted.map(key), "{depth}");
        assert_eq!(matches!(refusals(&bench.happenings).first(), Some(Reason::NoRange { .. })), wanted.is_none());
    }
}

#[test]
fn a_cross_fade_keeps_power_or_gain() {
    for (how, equal) in [("equal power", true), ("equal gain", false)] {
        // Two tones of different pitch: their powers add. The same constant twice: their gains add.
        let takes = if equal { ["audio/one.wav", "audio/two.wav"] } else { ["audio/dc.wav", "audio/dc.wav"] };
        let text = format!("[a]\nloop = true\npick = \"across strain, {how}\"\ntakes = {{ \"0\" = [\"{}\"], \"1\" = [\"{}\"] }}\n", takes[0], takes[1]);
        let program = sounds(&text);
        let mut bench = Bench::new(&program, 1);
        play(&mut bench, NOW, "a", "");
        bench.render(4800);
        let mut heard = Vec::new();
        for step in 0..=10 {
            bench.parameter("strain", step as f32 / 10.0);
            bench.render(9_600);
            heard.push(level(&bench.render(9_600).0));
        }
        let (low, high) = (heard.iter().copied().fold(f32::INFINITY, f32::min), heard.iter().copied().fold(f32::NEG_INFINITY, f32::max));
        assert!(high - low < 0.1, "{how}: {heard:?}");
    }
}

#[test]
fn chains_play_n_times_with_gaps_and_overlaps_and_finish_their_round() {
    // 0.25 s at a constant half is "dc" cut by rounds; the tone "one" has a second.
    let program = sounds("[a]\nchain = [\"audio/body.wav, 3 times, gap 100 ms\", \"audio/dc.wav\"]\nshape = { release = \"2 ms\" }\n");
    let mut bench = Bench::new(&program, 1);
    play(&mut bench, NOW, "a", "");
    let (out, _) = bench.render(48_000 * 3);
    let body = 36_000;
    assert!(level(&out[body - 4_000..body - 16]) > -20.0, "the third round sounds");
    assert!(out[body + 16..body + 4_800 - 16].iter().all(|s| s.abs() < 1e-6), "then there is the gap");
    let from = body + 4_800;
    assert!(out[from + 16..from + 47_980].iter().all(|s| (s - 0.5).abs() < 1e-3), "then the next part");
    assert!(out[from + 48_040..].iter().all(|s| s.abs() < 1e-6), "and then it is over");

    let program = sounds("[a]\nchain = [\"audio/dc.wav, overlap 250 ms\", \"audio/dc.wav\"]\n");
    let mut bench = Bench::new(&program, 1);
    play(&mut bench, NOW, "a", "");
    let (out, _) = bench.render(48_000 * 2);
    assert!(out[100..35_980].iter().all(|s| (s - 0.5).abs() < 1e-3));
    assert!(out[36_020..47_980].iter().all(|s| (s - 0.891).abs() < 0.2), "both sound, held under the ceiling");
    assert!(out[48_020..83_980].iter().all(|s| (s - 0.5).abs() < 0.02));
    assert!(out[84_040..].iter().all(|s| s.abs() < 1e-6));
}

#[test]
fn a_drawn_number_of_rounds_stays_in_its_range_and_every_number_comes() {
    let program = sounds("[a]\nchain = [\"audio/body.wav, 2..4 times\"]\n");
    let mut lengths: BTreeMap<u64, u32> = BTreeMap::new();
    for seed in 0..60 {
        let mut bench = Bench::new(&program, seed);
        play(&mut bench, NOW, "a", "");
        bench.render(60_000);
        let end = bench.happenings.iter().find(|h| matches!(h.what, What::VoiceEnd { .. })).unwrap().frame;
        *lengths.entry((end + 6_000) / 12_000).or_default() += 1;
    }
    assert_eq!(lengths.keys().copied().collect::<Vec<_>>(), [2, 3, 4], "{lengths:?}");
}

#[test]
fn what_is_drawn_stays_in_its_range_and_gathers_in_the_middle_if_so_set() {
    let vary = "vary = { level = \"-4..2 dB\", pitch = \"-3..3 st, centred\", low-pass = \"2..8 kHz\", high-pass = \"40..400 Hz\", after = \"0..30 ms\", from = \"0..0.2 s\" }\n";
    let program = sounds(&format!("[a]\n{FOUR}{vary}"));
    let mut bench = Bench::new(&program, 5);
    for _ in 0..600 {
        play(&mut bench, NOW, "a", "");
        bench.render(1_600);
        bench.send(NOW, InputKind::StopAll { frames: 1 });
        bench.render(64);
    }
    let mut drawn = Vec::new();
    for happening in &bench.happenings {
        if let What::VoiceStart { drawn: d, .. } = happening.what {
            assert!(
                (-4.0..=2.0).contains(&d.of[Property::Level])
                    && (-3.0..=3.0).contains(&d.of[Property::Pitch])
                    && (0.0..=0.03).contains(&d.after_seconds)
                    && (0.0..=0.2).contains(&d.from_seconds),
                "{d:?}"
            );
            assert!((-3.33..=-1.32).contains(&d.of[Property::LowPass]) && (0.99..=4.33).contains(&d.of[Property::HighPass]), "{d:?}");
            drawn.push(d);
        }
    }
    let spread = |values: Vec<f32>| {
        let mean = values.iter().sum::<f32>() / values.len() as f32;
        (values.iter().map(|v| (v - mean).powi(2)).sum::<f32>() / values.len() as f32).sqrt()
    };
    assert!(drawn.len() > 100, "{} started", drawn.len());
    let (level, pitch) = (spread(drawn.iter().map(|d| d.of[Property::Level]).collect()), spread(drawn.iter().map(|d| d.of[Property::Pitch]).collect()));
    // Of a width of 6: an even draw has 1.73, the mean of three a third of the variance.
    assert!((level - 1.73).abs() < 0.2 && (pitch - 1.0).abs() < 0.15, "{level} {pitch}");
}

#[test]
fn a_wait_ends_on_its_frame() {
    let program = sounds("[a]\ntakes = [\"audio/dc.wav, after 0.1 s\"]\nshape = { delay = \"50 ms\" }\n");
    let mut bench = Bench::new(&program, 1);
    bench.render(640);
    play(&mut bench, 1_000, "a", "");
    let (out, _) = bench.render(9_600);
    let first = out.iter().position(|s| s.abs() > 0.2).unwrap() + 640;
    assert_eq!(starts(&bench.happenings)[0].0, 1_000 + 7_200);
    assert!(first.abs_diff(8_200) <= 1, "{first}");
}

#[test]
fn chance_holds_and_its_condition_overrides_it() {
    let program = sounds(&format!("[a]\n{FOUR}chance = \"30 %, always when strain over 0.9\"\n"));
    let run = |strain: f32| {
        let mut bench = Bench::new(&program, 11);
        bench.parameter("strain", strain);
        bench.render(64);
        for _ in 0..400 {
            play(&mut bench, NOW, "a", "");
            bench.send(NOW, InputKind::StopAll { frames: 1 });
            bench.render(64);
        }
        (starts(&bench.happenings).len(), refusals(&bench.happenings).len())
    };
    let (played, refused) = run(0.0);
    assert_eq!(played + refused, 400);
    assert!((80..=160).contains(&played), "{played}");
    assert_eq!(run(1.0), (400, 0));
}

#[test]
fn again_after_refuses_says_so_and_sends_its_event() {
    let program =
        program(&format!("[a]\n{FOUR}cooldown = \"0.5 s\"\nwhen-refused = \"tick\"\n[b]\ntakes = [\"audio/low.wav\"]\n"), "", "", "When tick\n  play b\n");
    let mut bench = Bench::new(&program, 1);
    for frame in [1_000u64, 20_000, 24_999, 25_000] {
        play(&mut bench, frame, "a", "");
    }
    bench.render(48_000);
    let list = starts(&bench.happenings);
    let of = |name: &str| list.iter().filter(|s| s.1 == key(name)).map(|s| s.0).collect::<Vec<_>>();
    assert_eq!(of("a"), [1_000, 25_000]);
    assert_eq!(of("b"), [20_000, 24_999], "the event of the refusal plays on its frame");
    assert!(matches!(refusals(&bench.happenings)[0], Reason::AgainAfter { left } if (left - 5_000.0 / 48_000.0).abs() < 1e-4));
}

#[test]
fn asking_again_overlaps_restarts_or_is_ignored() {
    for (rule, voices, refused) in [("overlap", 2, 0), ("restart", 1, 0), ("ignore", 1, 1)] {
        let program = sounds(&format!("[a]\ntakes = [\"audio/low.wav\"]\nre-trigger = \"{rule}\"\n"));
        let mut bench = Bench::new(&program, 1);
        play(&mut bench, NOW, "a", "bell");
        bench.render(4_800);
        play(&mut bench, NOW, "a", "bell");
        let (out, _) = bench.render(4_800);
        assert!(largest_step(&out) < 0.02, "{rule}");
        assert_eq!((bench.engine.voices(), refusals(&bench.happenings).len()), (voices, refused), "{rule}");
        play(&mut bench, NOW, "a", "winch");
        bench.render(64);
        assert_eq!(bench.engine.voices(), voices + 1, "another emitter is another matter");
    }
}

#[test]
fn what_is_stolen_is_what_should_be() {
    let play_three = |when_full: &str, extra: &str| {
        let program = program(
            &format!("[a]\ntakes = [\"audio/low.wav\"]\nloop = true\nlimit = {{ in-all = 3, when-full = \"{when_full}\" }}\n{extra}"),
            "",
            "[[modulation]]\nfrom = \"loudness\"\nmoves = \"a level\"\ncurve = [\"0: -40 dB\", \"1: 0 dB\"]\n",
            "",
        );
        let mut bench = Bench::new(&program, 1);
        for (name, east, loudness) in [("near", 1.0, 0.5), ("far", 90.0, 0.9), ("middle", 40.0, 0.1)] {
            bench.send(NOW, InputKind::Place { emitter: key(name), kind: NameKey::NONE, at: [east, 0.0, 0.0], facing: None, frames: 0 });
            bench.send(NOW, InputKind::Parameter { parameter: key("loudness"), value: loudness, emitter: key(name) });
            play(&mut bench, NOW, "a", name);
            bench.render(64);
        }
        bench
    };
    let extra = "priority = { near = 80, far = 10, at = \"100 m\" }\n";
    for (when_full, new, east, loudness, gone) in [
        ("oldest", "new", 5.0, 0.5, Some("near")),
        ("quietest", "new", 5.0, 0.5, Some("middle")),
        ("quietest", "new", 5.0, 0.0, None),
        ("farthest", "new", 5.0, 0.5, Some("far")),
        ("farthest", "new", 95.0, 0.5, None),
        ("least important", "new", 5.0, 0.5, Some("far")),
        ("least important", "new", 99.0, 0.5, None),
        ("refuse", "new", 5.0, 0.5, None),
    ] {
        let mut bench = play_three(when_full, extra);
        bench.send(NOW, InputKind::Place { emitter: key(new), kind: NameKey::NONE, at: [east, 0.0, 0.0], facing: None, frames: 0 });
        bench.send(NOW, InputKind::Parameter { parameter: key("loudness"), value: loudness, emitter: key(new) });
        play(&mut bench, NOW, "a", new);
        bench.render(4_800);
        let status = bench.status.as_ref().unwrap();
        let mut left: Vec<NameKey> = status.voices.iter().map(|v| v.emitter).collect();
        left.sort();
        let mut wanted: Vec<NameKey> =
            ["near", "far", "middle", "new"].iter().filter(|n| Some(**n) != gone && (gone.is_some() || **n != "new")).map(|n| key(n)).collect();
        wanted.sort();
        assert_eq!(left, wanted, "{when_full}, {gone:?} should be stolen");
    }
}

#[test]
fn a_group_is_limited_as_one_and_repeats_count() {
    let files = "[a]\ngroup = \"alarms\"\ntakes = [\"audio/low.wav\"]\n[b]\ngroup = \"alarms\"\ntakes = [\"audio/low.wav\"]\n[r]\ngroup = \"alarms\"\ntakes = [\"audio/one.wav\"]\nrepeat = { every = \"0.3 s\" }\n";
    let program = crate::support::program_with(&[("shared.toml", "[group.alarms]\nin-all = 2\nwhen-full = \"refuse\"\n"), ("sounds/all.toml", files)]);
    let mut bench = Bench::new(&program, 1);
    for name in ["r", "a", "b"] {
        play(&mut bench, NOW, name, "");
        bench.render(640);
    }
    assert!(matches!(refusals(&bench.happenings)[..], [Reason::Group { limit: 2, .. }]), "{:?}", refusals(&bench.happenings));
    // The repeat counts even between its soundings.
    bench.render(48_000);
    play(&mut bench, NOW, "b", "");
    bench.render(64);
    assert_eq!(refusals(&bench.happenings).len(), 2);
}

#[test]
fn the_least_important_is_stolen_when_all_voices_sound() {
    let program = crate::support::program_with(&[
        ("estampie.toml", "format = 1\nvoices = 4\n"),
        ("sounds/all.toml", "[low]\ntakes = [\"audio/low.wav\"]\npriority = 20\n[high]\ntakes = [\"audio/low.wav\"]\npriority = 80\n"),
    ]);
    let mut bench = Bench::new(&program, 1);
    for name in ["high", "low", "high", "low"] {
        play(&mut bench, NOW, name, "");
        bench.render(64);
    }
    play(&mut bench, NOW, "high", "");
    bench.render(4_800);
    let sounding = |bench: &Bench, name: &str| bench.status.as_ref().unwrap().voices.iter().filter(|v| v.sound == key(name)).count();
    assert_eq!((sounding(&bench, "high"), sounding(&bench, "low")), (3, 1));
    play(&mut bench, NOW, "high", "");
    bench.render(4_800);
    play(&mut bench, NOW, "low", "");
    bench.render(4_800);
    assert_eq!((sounding(&bench, "high"), sounding(&bench, "low")), (4, 0));
    assert!(matches!(refusals(&bench.happenings)[..], [Reason::Unimportant { .. }]));
}

#[test]
fn repeats_keep_to_their_range_and_their_number_and_are_moved_by_the_game() {
    let text = "[a]\ntakes = [\"audio/one.wav\"]\nrepeat = { every = \"0.1..0.2 s\", times = \"5..8\" }\n[b]\ntakes = [\"audio/one.wav\"]\nrepeat = { every = \"0 s\" }\n[g]\ntakes = [\"audio/low.wav\"]\nrepeat = { every = \"20 ms\", length = \"30 ms\" }\nshape = { attack = \"5 ms\", release = \"5 ms\" }\nvary = { from = \"0..2 s\" }\n";
    let program = program(text, "", "[[modulation]]\nfrom = \"strain\"\nmoves = \"b every\"\ncurve = [\"0: 0.5 s\", \"1: 0.05 s\"]\n", "");
    let mut counts = Vec::new();
    for seed in 0..30 {
        let mut bench = Bench::new(&program, seed);
        play(&mut bench, 777, "a", "");
        bench.render(48_000 * 2);
        let frames: Vec<u64> = starts(&bench.happenings).iter().map(|s| s.0).collect();
        assert_eq!(frames[0], 777);
        assert!(frames.windows(2).all(|w| (4_799..=9_601).contains(&(w[1] - w[0]))), "{frames:?}");
        counts.push(frames.len());
    }
    counts.sort_unstable();
    counts.dedup();
    assert_eq!(counts, [5, 6, 7, 8]);
    let mut bench = Bench::new(&program, 1);
    play(&mut bench, NOW, "b", "");
    bench.render(48_000 * 2);
    bench.render(12_000);
    let slow = starts(&bench.happenings);
    bench.parameter("strain", 1.0);
    bench.render(48_000);
    let all = starts(&bench.happenings);
    // The next one was set for a quarter of a second later; what the game says now counts at once.
    assert!(slow.len() == 5 && (108_000..108_128).contains(&all[5].0), "{:?}", all[5]);
    assert!(all[5..].windows(2).all(|w| w[1].0 - w[0].0 == 2_400) && all.len() == 25, "{}", all.len());
    // Let go: no new ones, the last rings out.
    let mut bench = Bench::new(&program, 1);
    play(&mut bench, NOW, "g", "");
    let (out, _) = bench.render(48_000);
    assert_eq!(starts(&bench.happenings).len(), 50, "fifty grains a second");
    assert!(largest_step(&out) < 0.02, "grains fade: {}", largest_step(&out));
    bench.send(NOW, InputKind::Stop { sound: key("g") });
    bench.render(48_000);
    assert_eq!((bench.engine.voices(), starts(&bench.happenings).len()), (0, 50));
}

#[test]
fn a_shape_rises_holds_falls_and_a_stop_spares_the_old() {
    let text = "[a]\ntakes = [\"audio/dc.wav\"]\nloop = true\nshape = { attack = \"100 ms\", hold = \"100 ms\", decay = \"100 ms\", sustain = \"-6 dB\", release = \"200 ms\" }\nstop-if-younger = \"0.5 s\"\n";
    let program = sounds(text);
    let mut bench = Bench::new(&program, 1);
    play(&mut bench, NOW, "a", "");
    let (out, _) = bench.render(19_200);
    for (frame, wanted) in [(2_400usize, 0.25f32), (7_200, 0.5), (12_000, 0.375), (16_000, 0.2506)] {
        assert!((out[frame] - wanted).abs() < 3e-3, "{frame}: {} instead of {wanted}", out[frame]);
    }
    bench.send(NOW, InputKind::Stop { sound: key("a") });
    let (out, _) = bench.render(19_200);
    assert!((out[4_800] - 0.1253).abs() < 3e-3 && out[9_700].abs() < 1e-6, "{} {}", out[4_800], out[9_700]);
    play(&mut bench, NOW, "a", "");
    bench.render(48_000);
    bench.send(NOW, InputKind::Stop { sound: key("a") });
    bench.render(48_000);
    assert_eq!(bench.engine.voices(), 1, "it is too old to be stopped");
}

#[test]
fn sweeps_end_exactly_stay_or_let_go() {
    let reactions = "When hit\n  sweep a pitch to -12 st over 0.5 s, smooth\nWhen tick\n  sweep a at bell level to -20 dB over 0.25 s then let go\n";
    let program = program("[a]\ntakes = [\"audio/low.wav\"]\nloop = true\nfade-out = \"50 ms\"\n", "", "", reactions);
    let mut bench = Bench::new(&program, 1);
    play(&mut bench, NOW, "a", "bell");
    play(&mut bench, NOW, "a", "winch");
    bench.render(4_800);
    bench.event(NOW, "hit");
    bench.render(12_000);
    let terms = |bench: &Bench, emitter: &str, property| {
        let status = bench.status.as_ref().unwrap();
        let voice = status.voices.iter().find(|v| v.emitter == key(emitter)).unwrap();
        estampie_proof::trace::total(status.terms_of(voice), property)
    };
    use estampie_engine::property::Property;
    assert!((terms(&bench, "bell", Property::Pitch) + 6.0).abs() < 0.1, "half way: {}", terms(&bench, "bell", Property::Pitch));
    bench.render(12_100);
    assert_eq!(terms(&bench, "bell", Property::Pitch), -12.0);
    bench.render(48_000);
    assert_eq!(terms(&bench, "winch", Property::Pitch), -12.0, "it stays");
    bench.event(NOW, "tick");
    bench.render(12_000 + 2_400 + 64);
    let left: Vec<NameKey> = bench.status.as_ref().unwrap().voices.iter().map(|v| v.emitter).collect();
    assert_eq!(left, [key("winch")], "the swept one was let go, the other stays");
}

#[test]
fn a_voice_far_below_hearing_comes_back_in_the_right_place() {
    let modulation = "[[modulation]]\nfrom = \"strain\"\nmoves = \"a level\"\ncurve = [\"0: -110 dB\", \"0.1: 0 dB\"]\n";
    let text = "[a]\ntakes = [\"audio/low.wav\"]\nloop = true\npitch = \"1 st\"\n";
    let sleeper = program(text, "", modulation, "");
    let awake = sounds(text);
    let (mut one, mut two) = (Bench::new(&sleeper, 1), Bench::new(&awake, 1));
    play(&mut one, 1_003, "a", "");
    play(&mut two, 1_003, "a", "");
    one.render(48_000 * 3);
    two.render(48_000 * 3);
    assert_eq!((one.engine.voices(), one.engine.asleep()), (0, 1));
    one.parameter("strain", 1.0);
    one.render(4_800);
    two.render(4_800);
    assert_eq!((one.engine.voices(), one.engine.asleep()), (1, 0));
    let (a, b) = (one.render(48_000).0, two.render(48_000).0);
    let worst = a.iter().zip(&b).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
    assert!(worst < 1e-5, "{worst}");
    // A one-shot that is not heard ends all the same.
    let once = program("[a]\ntakes = [\"audio/one.wav\"]\nlevel = \"-110 dB\"\n", "", "", "");
    let mut bench = Bench::new(&once, 1);
    play(&mut bench, NOW, "a", "");
    bench.render(50_000);
    assert_eq!((bench.engine.voices(), bench.engine.asleep()), (0, 0));
    assert!(bench.happenings.iter().any(|h| matches!(h.what, What::VoiceEnd { .. })));
}

#[test]
fn a_swap_in_mid_chain_keeps_time() {
    let text = |level: &str| format!("[a]\nlevel = \"{level}\"\nchain = [\"audio/intro.wav\", \"audio/body.wav, 3 times\", \"audio/dc.wav\"]\n");
    let (first, second) = (sounds(&text("0 dB")), sounds(&text("-1 dB")));
    let (mut edited, mut left) = (Bench::new(&first, 1), Bench::new(&first, 1));
    for bench in [&mut edited, &mut left] {
        play(bench, NOW, "a", "");
        bench.render(20_000);
    }
    edited.remote.program(Box::new(estampie_engine::engine::Prepared::new(second, 1))).unwrap();
    let (a, b) = (edited.render(100_000).0, left.render(100_000).0);
    let gain = 10f32.powf(-1.0 / 20.0);
    let worst = a[12_000..].iter().zip(&b[12_000..]).map(|(a, b)| (a - b * gain).abs()).fold(0.0, f32::max);
    assert!(worst < 1e-4, "{worst}");
}

#[test]
fn rehearsal_only_changes_act_and_can_be_taken_back() {
    let program = sounds(&format!("[a]\n{FOUR}chance = \"0 %\"\ncooldown = \"1 s\"\n[b]\ntakes = [\"audio/low.wav\"]\nloop = true\n"));
    let mut bench = Bench::new(&program, 1);
    let count = |bench: &Bench| starts(&bench.happenings).iter().filter(|s| s.1 == key("a")).count();
    play(&mut bench, NOW, "a", "");
    bench.render(64);
    assert_eq!(count(&bench), 0);
    bench.send(NOW, InputKind::Chances { always: Some(true) });
    bench.send(NOW, InputKind::Waits { factor: 0.1 });
    bench.send(NOW, InputKind::ForceTake { sound: key("a"), take: 2 });
    for _ in 0..5 {
        play(&mut bench, NOW, "a", "");
        bench.render(4_864);
    }
    assert_eq!(count(&bench), 5, "a second has become a tenth");
    assert!(starts(&bench.happenings).iter().all(|s| s.2 == key("audio/three.wav")));
    bench.send(NOW, InputKind::Chances { always: None });
    play(&mut bench, NOW, "a", "");
    bench.render(64);
    assert_eq!(count(&bench), 5);
    bench.send(NOW, InputKind::StopAll { frames: 1 });
    play(&mut bench, NOW, "b", "");
    bench.render(48_000);
    bench.send(NOW, InputKind::GateSound { sound: key("b"), solo: false, on: true });
    let (out, _) = bench.render(4_800);
    assert!(out[1_000..].iter().all(|s| *s == 0.0) && largest_step(&out) < 0.02);
    bench.send(NOW, InputKind::GateSound { sound: key("b"), solo: false, on: false });
    bench.render(4_800);
    assert!(level(&bench.render(4_800).0) > -20.0, "it is heard again");
}

const LINES: &str = "[x]\npick = \"by deck\"\ntakes = { plank = [\"audio/one.wav\", \"audio/two.wav\"], grate = [\"audio/three.wav\"] }\nlines = { character = \"radio\", gap = \"0.2..0.5 s\", expires-after = \"3 s\" }\n\
[y]\ntakes = [\"audio/four.wav\", \"audio/intro.wav\"]\nlines = { character = \"radio\", gap = \"0.2..0.5 s\", expires-after = \"3 s\" }\n";
pub(crate) const SAY: &str = "When hit\n  say x\nWhen tick\n  say y, first\nWhen loop\n  say y, cutting in\n";

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    #[test]
    fn lines_keep_their_rules_in_any_storm(seed in 0u64..1_000_000) {
        let program = program(LINES, "", "", SAY);
        let mut random = Pcg32::seed_from_u64(seed);
        let mut bench = Bench::new(&program, seed);
        let mut asked = 0;
        for _ in 0..200 {
            let drawn = random.random_range(0..12);
            asked += u32::from(drawn < 9);
            match drawn {
                0..=4 => bench.event(NOW, "hit"),
                5..=7 => bench.event(NOW, "tick"),
                8 => bench.event(NOW, "loop"),
                9 => bench.state("deck", ["plank", "grate"][random.random_range(0..2)]),
                _ => {}
            }
            bench.render(random.random_range(1..12_000));
        }
        bench.render(48_000 * 8);
        let (mut open, mut last_end, mut cut) = (None, None::<u64>, false);
        let mut fading: Vec<u64> = Vec::new();
        let (mut said, mut dropped) = (0, 0);
        for happening in &bench.happenings {
            match happening.what {
                // What cuts in does not wait for the gap.
                What::Event { event, .. } => cut |= event == key("loop"),
                What::VoiceStart { voice, .. } => {
                    // What is cut into fades beneath.
                    prop_assert!(open.is_none() || cut, "two lines at once at {}", happening.frame);
                    fading.extend(open);
                    if let Some(end) = last_end.filter(|_| !cut) {
                        let gap = happening.frame.saturating_sub(end);
                        prop_assert!(gap + 128 >= 9_600, "a gap of {gap} frames");
                    }
                    open = Some(voice);
                    cut = false;
                    said += 1;
                }
                What::VoiceEnd { voice, .. } => {
                    if let Some(at) = fading.iter().position(|v| *v == voice) {
                        fading.remove(at);
                    } else {
                        prop_assert_eq!(open, Some(voice));
                        open = None;
                        last_end = Some(happening.frame);
                    }
                }
                What::Refused { reason, .. } => {
                    let known = matches!(reason, Reason::Stale { age } if (3.0..3.1).contains(&age)) || matches!(reason, Reason::Passed { .. } | Reason::Queue { .. } | Reason::NoTake { .. });
                    prop_assert!(known, "{reason:?}");
                    dropped += 1;
                }
                _ => {}
            }
        }
        prop_assert_eq!(asked, said + dropped, "every line is said or dropped with a reason");
        prop_assert!(said > 0);
    }

    #[test]
    fn limits_are_never_exceeded(seed in 0u64..1_000_000, each in 1u32..4, all in 1u32..6, rule in 0usize..5) {
        let rule = ["oldest", "quietest", "farthest", "least important", "refuse"][rule];
        let text = format!("[a]\nlimit = {{ each = {each}, in-all = {all}, when-full = \"{rule}\" }}\ntakes = [\"b\", \"audio/low.wav\"]\n[b]\npick = \"together\"\ntakes = [\"audio/one.wav\", \"audio/two.wav, after 0..50 ms\"]\nvary = {{ level = \"-9..0 dB\" }}\n");
        let program = sounds(&text);
        let mut random = Pcg32::seed_from_u64(seed);
        let mut bench = Bench::new(&program, seed);
        for _ in 0..80 {
            let emitter = ["", "bell", "winch"][random.random_range(0..3)];
            play(&mut bench, NOW, "a", emitter);
            bench.render(random.random_range(1..4_000));
            let status = bench.status.as_ref().unwrap();
            let staying: Vec<_> = status.voices.iter().filter(|v| !v.leaving).collect();
            // One playing has one voice, or the two of b.
            prop_assert!(staying.len() as u32 <= 2 * all);
            for emitter in ["", "bell", "winch"] {
                prop_assert!(staying.iter().filter(|v| v.emitter == key(emitter)).count() as u32 <= 2 * each);
            }
        }
    }

    #[test]
    fn ten_modulations_and_everything_else_add_up_to_what_is_heard(values in prop::collection::vec(-6.0f32..3.0, 10), strain in 0.0f32..1.0, set in -20.0f32..0.0) {
        let modulation: String = values.iter().map(|v| format!("[[modulation]]\nfrom = \"strain\"\nmoves = \"a level\"\ncurve = [\"0: {:.2} dB, smooth\", \"1: {v:.2} dB\"]\n", v / 2.0)).collect();
        let text = format!("[o]\nlevel = \"-2 dB\"\nvary = {{ level = \"-3..3 dB\" }}\ntakes = [\"a, level -1 dB\"]\n[a]\nloop = true\nlevel = \"{set:.2} dB\"\nvary = {{ level = \"-3..3 dB\" }}\ntakes = [\"audio/low.wav, level -0.5 dB\"]\n");
        let program = program(&text, "[buses.main]\nlevel = \"-9 dB\"\n", &modulation, "");
        let mut bench = Bench::new(&program, 4);
        bench.parameter("strain", strain);
        bench.render(64);
        play(&mut bench, NOW, "o", "");
        bench.render(48_000);
        let (out, _) = bench.render(4_800);
        let heard = bench.status.as_ref().unwrap().voices[0].heard_db;
        let measured = level(&out);
        prop_assert!((heard - measured).abs() < 0.1, "said {heard}, measured {measured}");
    }
}
