//! Takes that are made instead of recorded: as exact, repeatable and continuous as files, and bounded in number.

use crate::support::{Bench, compile_with, largest_step, level, program_with};
use estampie_engine::engine::{Capacity, Engine, Input, InputKind, NOW, Options, Prepared};
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::telemetry::{Cause, Reason, What};
use proptest::prelude::*;
use std::sync::Arc;

const SHARED: &str = "[generator.hiss]\nkind = \"noise\"\ncolour = \"pink\"\n[generator.puff]\nkind = \"noise\"\nends-after = \"250 ms\"\n[generator.tone]\nfrequency = \"1 kHz\"\n[generator.wide]\nkind = \"noise\"\nchannels = \"stereo\"\n";

/// One of each other kind that goes on until it is let go.
const MORE: &str = "[generator.gale]\nkind = \"wind\"\ngust = \"2 s\"\n[generator.engine]\nkind = \"hum\"\nroughness = \"40 %\"\n[generator.rain]\nkind = \"crackle\"\ndensity = \"120\"\n[generator.pump]\nkind = \"pulses\"\ninterval = \"300 ms\"\nnoise = \"30 %\"\njitter = \"40 %\"\npattern = \"Xx.x\"\n[generator.voices]\nkind = \"tone\"\nwave = \"saw\"\npartials = \"5\"\ndetune = \"0.3 st\"\n[generator.alarm]\nkind = \"notes\"\npreset = \"air low\"\njitter = \"20 %\"\n";

fn project(sounds: &str) -> Arc<Program> {
    program_with(&[("shared.toml", SHARED), ("sounds/all.toml", sounds), ("mix.toml", "[buses.x]\n")])
}

fn key(name: &str) -> NameKey {
    NameKey::of(name)
}

fn play(bench: &mut Bench, sound: &str) {
    bench.send(NOW, InputKind::Play { sound: key(sound), emitter: NameKey::NONE });
}

fn starts(bench: &Bench) -> Vec<u64> {
    bench.happenings.iter().filter(|h| matches!(h.what, What::VoiceStart { .. })).map(|h| h.frame).collect()
}

fn ends(bench: &Bench) -> Vec<(u64, Cause)> {
    bench.happenings.iter().filter_map(|h| if let What::VoiceEnd { cause, .. } = h.what { Some((h.frame, cause)) } else { None }).collect()
}

#[test]
fn it_sounds_at_its_level_and_ends_after_its_length() {
    let program = project("[a]\ntakes = [\"generator puff\"]\nlevel = \"-6 dB\"\n[b]\ntakes = [\"generator tone\"]\n");
    let mut bench = Bench::new(&program, 3);
    play(&mut bench, "a");
    let (left, right) = bench.render(48_000);
    let begins = left.iter().position(|s| *s != 0.0).unwrap();
    let last = left.iter().rposition(|s| s.abs() > 1e-6).unwrap();
    assert!((last + 1 - begins).abs_diff(12_000) <= 16, "{} frames", last + 1 - begins);
    assert!((level(&left[begins..last]) - -24.0).abs() < 0.5, "{} dB", level(&left[begins..last]));
    assert_eq!(left, right, "one channel is the same on both sides");
    assert_eq!(ends(&bench).len(), 1);
    // Without a length it goes on until it is let go.
    play(&mut bench, "b");
    bench.render(480_000);
    assert_eq!(ends(&bench).len(), 1);
    bench.send(NOW, InputKind::Stop { sound: key("b") });
    bench.render(4_800);
    assert_eq!(ends(&bench)[1].1, Cause::Stopped);
}

#[test]
fn two_channels_stay_two() {
    let mut bench = Bench::new(&project("[a]\ntakes = [\"generator wide\"]\n"), 3);
    play(&mut bench, "a");
    let (left, right) = bench.render(48_000);
    let common: f32 = left.iter().zip(&right).map(|(l, r)| l * r).sum::<f32>() / left.iter().map(|l| l * l).sum::<f32>();
    assert!(common.abs() < 0.05, "{common}");
    assert!((level(&left) - level(&right)).abs() < 0.3);
}

#[test]
fn the_same_seed_gives_the_same_and_two_playings_are_two() {
    let program = project("[a]\ntakes = [\"generator hiss\"]\n");
    let render = |seed: u64, times: usize| {
        let mut bench = Bench::new(&program, seed);
        (0..times).for_each(|_| play(&mut bench, "a"));
        bench.render(24_000).0
    };
    assert_eq!(render(1, 1), render(1, 1));
    assert_ne!(render(1, 1), render(2, 1));
    // Two that were alike would be 6 dB louder; two that have nothing in common are 3.
    let more = level(&render(1, 2)) - level(&render(1, 1));
    assert!((2.0..4.0).contains(&more), "{more} dB");
}

#[test]
fn pitch_moves_a_tone_as_it_moves_a_recording() {
    let program = project("[a]\ntakes = [\"generator tone, pitch 7 st\"]\n");
    let mut bench = Bench::new(&program, 1);
    play(&mut bench, "a");
    let (left, _) = bench.render(48_000);
    let rises: Vec<usize> = (24_000..left.len()).filter(|i| left[i - 1] < 0.0 && left[*i] >= 0.0).collect();
    let hertz = (rises.len() - 1) as f64 * 48_000.0 / (rises[rises.len() - 1] - rises[0]) as f64;
    let wanted = 1_000.0 * (7.0f64 / 12.0).exp2();
    assert!((1_200.0 * (hertz / wanted).log2()).abs() < 3.0, "{hertz} Hz instead of {wanted}");
}

#[test]
fn finishing_lets_go_what_has_no_round_to_complete() {
    let program = program_with(&[
        ("shared.toml", SHARED),
        ("sounds/all.toml", "[a]\ntakes = [\"generator tone\"]\nfade-out = \"50 ms\"\n"),
        ("reactions.est", "When hit\n  play a\nWhen tick\n  finish a\n"),
    ]);
    let mut bench = Bench::new(&program, 1);
    bench.event(NOW, "hit");
    bench.render(24_000);
    bench.event(NOW, "tick");
    let (left, _) = bench.render(4_800);
    assert_eq!(ends(&bench).len(), 1, "it is let go and ends");
    assert!(largest_step(&left) < 0.04, "without a click: {}", largest_step(&left));
}

#[test]
fn a_generator_more_than_there_are_is_refused_until_one_ends() {
    let program = project("[a]\ntakes = [\"generator puff\"]\n");
    let options = Options { capacity: Capacity { generators: 2, ..Capacity::default() }, ..Options::default() };
    let (mut engine, mut remote) = Engine::new(Prepared::new(program, 1), options);
    let mut happened = Vec::new();
    let mut out = [0.0; 2 * 4_800];
    for times in [3, 3, 0, 0, 2] {
        for _ in 0..times {
            remote.input(Input { frame: NOW, what: InputKind::Play { sound: key("a"), emitter: NameKey::NONE } }).unwrap();
        }
        engine.render(&mut out);
        happened.extend(std::iter::from_fn(|| remote.happening()));
    }
    let refused: Vec<Reason> = happened.iter().filter_map(|h| if let What::Refused { reason, .. } = h.what { Some(reason) } else { None }).collect();
    assert_eq!(refused, [Reason::Generators { limit: 2 }; 4]);
    let started = happened.iter().filter(|h| matches!(h.what, What::VoiceStart { .. })).count();
    assert_eq!(started, 4, "after the first two have ended there are two again");
    assert_eq!(engine.voices(), 2, "what was refused holds no voice");
}

#[test]
fn an_engine_for_one_program_alone_sounds_as_any_other() {
    let shared = format!("{SHARED}\n[generator.fanfare]\nkind = \"notes\"\n\n[generator.harp]\nkind = \"notes\"\ninstrument = \"plucked string\"\n");
    let takes = |of: &[&str]| of.iter().map(|g| format!("[{g}]\ntakes = [\"generator {g}\"]\n")).collect::<String>();
    // With strings and without.
    for names in [&["puff", "fanfare", "hiss"][..], &["puff", "fanfare", "harp"]] {
        let program = program_with(&[("shared.toml", &shared), ("sounds/all.toml", &takes(names))]);
        let rendered = [false, true].map(|lean| {
            let capacity = Capacity { generators: 2, lean, repeats: 64, messages: 64, retired: 64, ..Capacity::default() };
            let prepared = if lean { Prepared::lean(Arc::clone(&program), 1, 2) } else { Prepared::new(Arc::clone(&program), 1) };
            let (mut engine, mut remote) = Engine::new(prepared, Options { capacity, ..Options::default() });
            for name in names {
                remote.input(Input { frame: NOW, what: InputKind::Play { sound: key(name), emitter: NameKey::NONE } }).unwrap();
            }
            let mut out = vec![0.0; 2 * 48_000];
            engine.render(&mut out);
            assert_eq!(std::iter::from_fn(|| remote.happening()).filter(|h| matches!(h.what, What::VoiceStart { .. })).count(), 3);
            out
        });
        assert!(rendered[0] == rendered[1] && rendered[0].iter().any(|s| s.abs() > 0.05), "{names:?}");
    }
}

#[test]
fn what_is_wrong_with_a_generator_is_told_with_its_place_and_fix() {
    let faults = |shared: &str, take: &str| compile_with(&[("shared.toml", shared), ("sounds/all.toml", &format!("[a]\ntakes = [\"{take}\"]\n"))]).1;
    let cases = [
        (SHARED, "generator his", "sounds/all.toml:2", "there is no generator his", "hiss"),
        ("[generator.gale]\n", "generator gale", "shared.toml:1", "there is no kind of generator gale", "noise"),
        ("[generator.g]\nkind = \"nois\"\n", "generator g", "shared.toml:2", "there is no kind of generator nois", "noise"),
        ("[generator.noise]\ncolour = \"mauve\"\n", "generator noise", "shared.toml:2", "colour of noise", "white"),
        ("[generator.tone]\nfrequency = \"5 Hz\"\n", "generator tone", "shared.toml:2", "frequency of tone: 5 Hz", "440 Hz"),
        ("[generator.noise]\nfrequency = \"500 Hz\"\n", "generator noise", "shared.toml:2", "noise has no setting frequency", ""),
        ("[generator.noise]\nhowl = \"9\"\n", "generator noise", "shared.toml:2", "howl", ""),
        ("[generator.noise]\nends-after = \"0 s\"\n", "generator noise", "shared.toml:2", "ends-after", ""),
        ("[generator.noise]\nlength = \"2 s\"\n", "generator noise", "shared.toml:2", "noise has no length", "ends-after = \"2 s\""),
        ("[generator.wind]\npreset = \"mast in a gael\"\n", "generator wind", "shared.toml:2", "wind has no preset mast in a gael", "mast in a gale"),
        ("[generator.wind]\nvary = { sped = \"-1..1\" }\n", "generator wind", "shared.toml:2", "wind has no control sped", "speed"),
        ("[generator.wind]\nvary = { channels = \"-1..1\" }\n", "generator wind", "shared.toml:2", "channels is fixed", "another"),
        ("[generator.wind]\nvary = { slit = \"9..3 Hz\" }\n", "generator wind", "shared.toml:2", "is not a difference", "-2..2 st"),
        ("[generator.pass-by]\npath = [\"1 m\"]\n", "generator pass-by", "shared.toml:2", "is not a place", "-6 m, 3 m"),
        ("[generator.pass-by]\npath = [\"1 m, 2 m\"]\n", "generator pass-by", "shared.toml:2", "from 2 to 24 places", "-6 m, 3 m"),
        ("[generator.pass-by]\npace = [\"0 %: 50 %\", \"0 %: 20 %\"]\n", "generator pass-by", "shared.toml:2", "does not lie after", "40 %"),
        ("[generator.pulses]\npattern = \"xyz\"\n", "generator pulses", "shared.toml:2", "is not a pattern", "X"),
        ("[generator.notes]\ntune = \"1 2 h\"\n", "generator notes", "shared.toml:2", "tune of notes", "1 3 5"),
        ("[generator.notes]\nplays = \"lute\"\n", "generator notes", "shared.toml:2", "there is no instrument lute", "take it out"),
        ("[generator.wind]\nplays = \"lute\"\n", "generator wind", "shared.toml:2", "wind plays no instrument", "notes"),
        ("[generator.wind]\npath = [\"1 m, 2 m\"]\n", "generator wind", "shared.toml:2", "wind has no path", "take it out"),
    ];
    for (shared, take, place, what, fix) in cases {
        let told = faults(shared, take);
        assert!(told.iter().any(|t| t.starts_with(place) && t.contains(what) && t.contains(fix)), "{shared} {take}: {told:?}");
    }
}

/// An effect from the same instrument as the music's: it follows what is set of the instrument.
#[test]
fn notes_play_an_instrument_of_the_music() {
    let render = |instrument: &str| {
        let program = program_with(&[
            ("shared.toml", "[generator.cue]\nkind = \"notes\"\nplays = \"lead\"\ntune = \"1 5\"\n"),
            ("music/all.toml", &format!("[instrument.lead]\n{instrument}")),
            ("sounds/all.toml", "[a]\ntakes = [\"generator cue\"]\n"),
        ]);
        let mut bench = Bench::new(&program, 1);
        play(&mut bench, "a");
        bench.render(24_000).0
    };
    let (synth, sine) = (render("kind = \"synth\"\n"), render("kind = \"synth\"\nwave = \"sine\"\n"));
    assert!(level(&synth) > -40.0 && synth != sine);
    assert_eq!(sine, render("kind = \"synth\"\nwave = \"sine\"\n"));
    // What steps of a scale do not choose cannot be played so.
    for (kind, what) in [("drum set", "strokes"), ("takes", "recordings")] {
        let music = format!("[instrument.lead]\nkind = \"{kind}\"\n");
        let told = compile_with(&[("shared.toml", "[generator.cue]\nkind = \"notes\"\nplays = \"lead\"\n"), ("music/all.toml", &music)]).1;
        assert!(told.iter().any(|t| t.starts_with("shared.toml:3") && t.contains(&format!("lead is made of {what}"))), "{told:?}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// A voice that slept far below hearing goes on where it would be.
    #[test]
    fn what_slept_wakes_in_step(which in 0usize..9, pitch in -12.0f32..2.0, asleep in 6_000usize..40_000) {
        let take = ["hiss", "tone", "wide", "gale", "engine", "rain", "pump", "voices", "alarm"][which];
        let program = program_with(&[
            ("shared.toml", &format!("{SHARED}{MORE}")),
            ("sounds/all.toml", &format!("[a]\npitch = \"{pitch:.2} st\"\ntakes = [\"generator {take}\"]\n")),
            ("modulation.toml", "[[modulation]]\nfrom = \"strain\"\nmoves = \"a level\"\ncurve = [\"0: 0 dB\", \"1: -110 dB\"]\n"),
        ]);
        let render = |strain: f32| {
            let mut bench = Bench::new(&program, 5);
            play(&mut bench, "a");
            bench.render(9_600);
            bench.parameter("strain", strain);
            bench.render(asleep / 64 * 64 + 48_000);
            let slept = bench.engine.asleep();
            bench.parameter("strain", 0.0);
            bench.render(48_000);
            (bench.render(9_600).0, slept)
        };
        let (awake, slept) = render(0.0);
        prop_assert_eq!(slept, 0);
        let (woken, slept) = render(1.0);
        prop_assert_eq!(slept, 1, "it sleeps while nothing of it is heard");
        prop_assert!(take == "pump" || take == "alarm" || level(&awake) > -40.0);
        for (a, w) in awake.iter().zip(&woken) {
            prop_assert!((a - w).abs() < 2e-5, "{}: {} against {}", take, a, w);
        }
    }

    /// Whatever is played and stopped, its frames are those that were asked for.
    #[test]
    fn starts_are_on_their_frames(frames in prop::collection::vec(0u64..20_000, 1..20)) {
        let program = project("[a]\ntakes = [\"generator puff\", \"generator tone\"]\nlimit = { in-all = 3 }\n");
        let mut bench = Bench::new(&program, 9);
        for frame in &frames {
            bench.send(*frame, InputKind::Play { sound: key("a"), emitter: NameKey::NONE });
        }
        let (left, _) = bench.render(24_000);
        let mut wanted = frames.clone();
        wanted.sort_unstable();
        prop_assert_eq!(starts(&bench), wanted);
        prop_assert!(left.iter().all(|s| s.is_finite() && s.abs() <= 1.0));
    }
}
