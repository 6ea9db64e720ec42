//! What single lines of the engine guard: thresholds, borders of comparisons, and what goes on through an edit. Each of these fails if its
//! line is changed.

use crate::support::{Bench, compile_and_load, level, program, program_with};
use estampie_engine::clip::Clip;
use estampie_engine::engine::{InputKind, NOW, Prepared};
use estampie_engine::ledger::TermKind;
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::telemetry::{Reason, What};
use std::sync::Arc;

const HIT: &str = "When hit\n  play one\n";

/// The root mean square of `audio/one.wav`, a tone of amplitude ¼, in dB.
fn of_the_tone() -> f32 {
    20.0 * (0.25f32 / 2f32.sqrt()).log10()
}

fn starts(bench: &Bench) -> Vec<u64> {
    bench.happenings.iter().filter(|h| matches!(h.what, What::VoiceStart { .. })).map(|h| h.frame).collect()
}

fn take_over(bench: &mut Bench, program: &Arc<Program>) {
    assert!(bench.remote.program(Box::new(Prepared::new(Arc::clone(program), 1))).is_ok());
}

#[test]
fn what_can_still_be_heard_never_sleeps_and_what_cannot_does() {
    // The level of the sound, what its bus adds, and whether it may sleep: effects may lift what comes to them by 30 dB.
    let lift = "[buses.up]\n[buses.up.effect.gain]\nlevel = \"24 dB\"\n";
    for (of_sound, bus, lifted, sleeps) in [(-80.0, "main", 0.0, false), (-88.0, "main", 0.0, true), (-104.0, "up", 24.0, false), (-118.0, "up", 24.0, true)] {
        let sound = format!("[one]\nbus = \"{bus}\"\nloop = true\nlevel = \"{of_sound} dB\"\ntakes = [\"audio/one.wav\"]\n");
        let mut bench = Bench::new(&program(&sound, lift, "", HIT), 1);
        bench.event(NOW, "hit");
        bench.render(9_600);
        assert_eq!(bench.engine.asleep(), usize::from(sleeps), "{of_sound} dB into {bus}");
        let heard = level(&bench.render(9_600).0);
        if sleeps {
            assert_eq!(heard, f32::NEG_INFINITY);
        } else {
            let expected = of_the_tone() + of_sound + lifted;
            assert!((heard - expected).abs() < 0.1, "{of_sound} dB into {bus}: {heard} for {expected}");
        }
    }
}

#[test]
fn a_bus_that_still_holds_something_back_does_not_rest() {
    // Three limiters look ahead by 480 frames each, so whatever does not go through them is held back by as much.
    let limiters: String = ["first", "second", "third"].map(|n| format!("[buses.late.effect.{n}]\nkind = \"limiter\"\nlook-ahead = \"10 ms\"\n")).concat();
    let mix = format!("[buses.plain]\n[buses.late]\n{limiters}");
    let mut bench = Bench::new(&program("[one]\nbus = \"plain\"\ntakes = [\"audio/dc.wav\"]\n", &mix, "", HIT), 1);
    bench.event(NOW, "hit");
    let out = bench.render(60_000).0;
    let heard: Vec<usize> = (0..out.len()).filter(|i| out[*i].abs() > 0.49).collect();
    let (first, last) = (heard[0], heard[heard.len() - 1]);
    assert!((1_400..1_500).contains(&first), "it is held back: {first}");
    assert!(last - first + 1 >= 47_900, "and comes whole, to its end: {first} to {last}");
}

#[test]
fn what_is_drawn_goes_on_through_an_edit() {
    let sounds = |level: &str| {
        format!(
            "[one]\nlevel = \"{level}\"\nchance = \"60 %\"\ntakes = [\"audio/one.wav\", \"audio/two.wav\", \"audio/three.wav\", \"audio/four.wav\"]\npick = \"shuffle, not the last 2\"\nvary = {{ level = \"-6..0 dB\", pitch = \"-2..2 st\" }}\n"
        )
    };
    let (before, after) = (program(&sounds("0 dB"), "", "", HIT), program(&sounds("-1 dB"), "", "", HIT));
    let run = |edited: bool| {
        let mut bench = Bench::new(&before, 7);
        for n in 0..60 {
            if edited && n == 25 {
                take_over(&mut bench, &after);
            }
            bench.event(NOW, "hit");
            bench.render(640);
        }
        let of =
            |h: &estampie_engine::telemetry::Happening| if let What::VoiceStart { take, drawn, .. } = h.what { Some((h.frame, take, drawn)) } else { None };
        bench.happenings.iter().filter_map(of).collect::<Vec<_>>()
    };
    let (with, without) = (run(true), run(false));
    assert!((20..60).contains(&with.len()), "some of sixty are left out: {}", with.len());
    assert_eq!(with, without);
}

#[test]
fn a_way_is_counted_from_the_number_itself() {
    for (words, steps) in [("rises over", [0.5, 0.6, 0.5, 0.6]), ("falls under", [0.5, 0.4, 0.5, 0.4])] {
        let reactions = format!("When strain {words} 0.5\n  play one\n");
        let mut bench = Bench::new(&program("[one]\ntakes = [\"audio/one.wav\"]\n", "", "", &reactions), 1);
        let played: Vec<usize> = steps
            .iter()
            .map(|value| {
                bench.parameter("strain", *value);
                bench.render(640);
                starts(&bench).len()
            })
            .collect();
        assert_eq!(played, [0, 1, 1, 2], "{words}");
    }
}

#[test]
fn a_change_that_must_last_is_over_at_the_number_itself() {
    for (words, beyond) in [("rises over", 0.6), ("falls under", 0.4)] {
        let reactions = format!("When strain {words} 0.5 for 100 ms\n  play one\n");
        let mut bench = Bench::new(&program("[one]\ntakes = [\"audio/one.wav\"]\n", "", "", &reactions), 1);
        for value in [0.5, beyond, 0.5] {
            bench.parameter("strain", value);
            bench.render(2_400);
        }
        bench.render(9_600);
        assert!(starts(&bench).is_empty(), "{words}: it went back to the number and did not last");
        bench.parameter("strain", beyond);
        bench.render(9_600);
        assert_eq!(starts(&bench).len(), 1, "{words}");
    }
}

#[test]
fn the_last_frame_of_a_time_still_belongs_to_it() {
    for (second, acts) in [(48_000, 1), (48_001, 0)] {
        let mut bench = Bench::new(&program("[one]\ntakes = [\"audio/one.wav\"]\n", "", "", "When hit at the 2nd within 1 s\n  play one\n"), 1);
        bench.event(0, "hit");
        bench.event(second, "hit");
        bench.render(50_000);
        assert_eq!(starts(&bench).len(), acts, "the second after {second} frames");
    }
}

#[test]
fn of_equals_the_new_one_wins() {
    for full in ["quietest", "farthest", "least important"] {
        let sounds = format!("[one]\nloop = true\ntakes = [\"audio/low.wav\"]\nlimit = {{ in-all = 1, when-full = \"{full}\" }}\n");
        let mut bench = Bench::new(&program(&sounds, "", "", HIT), 1);
        for frame in [0, 4_800] {
            bench.event(frame, "hit");
        }
        bench.render(9_600);
        assert_eq!(starts(&bench), [0, 4_800], "{full}");
    }
    // Among all voices too; a lower one has to stay out.
    let sounds = "[one]\npriority = 50\nloop = true\ntakes = [\"audio/low.wav\"]\n[low]\npriority = 49\ntakes = [\"audio/low.wav\"]\n";
    let mut few = Arc::unwrap_or_clone(program(sounds, "", "", HIT));
    few.voices = 1;
    let mut bench = Bench::new(&Arc::new(few), 1);
    bench.event(0, "hit");
    bench.event(4_800, "hit");
    bench.send(9_600, InputKind::Play { sound: NameKey::of("low"), emitter: NameKey::NONE });
    bench.render(19_200);
    assert_eq!(starts(&bench), [0, 4_800]);
    assert!(bench.happenings.iter().any(|h| matches!(h.what, What::Refused { reason: Reason::Unimportant { .. }, .. })));
}

/// The terms of a kind in the status of the only voice.
fn terms(bench: &Bench, kind: TermKind) -> Vec<f32> {
    let status = bench.status.as_ref().unwrap();
    status.voices.iter().flat_map(|voice| status.terms_of(voice)).filter(|t| t.kind == kind).map(|t| t.value).collect()
}

#[test]
fn what_stands_in_the_world_and_was_refused_is_tried_again_ten_times_a_second() {
    let sounds = "[hum]\nloop = true\nwhen-emitter-goes = \"fades\"\ntakes = [\"audio/low.wav\"]\nlimit = { in-all = 1, when-full = \"refuse\" }\n";
    let world = "[emitters.bell]\nat = \"1, 0\"\nplays = \"hum\"\n[emitters.winch]\nat = \"2, 0\"\nplays = \"hum\"\n";
    let mut bench = Bench::new(&program_with(&[("sounds/all.toml", sounds), ("world.toml", world)]), 1);
    bench.render(10_400);
    assert_eq!(starts(&bench), [0], "the second has no room");
    let refused: Vec<u64> = bench.happenings.iter().filter(|h| matches!(h.what, What::Refused { .. })).map(|h| h.frame).collect();
    assert_eq!(refused.len(), 1, "which is told once");
    bench.send(NOW, InputKind::Remove { emitter: NameKey::of("bell") });
    bench.render(48_000);
    // The first went just after the third try; there is room at once, and the fourth try is a tenth of a second later.
    let again = starts(&bench)[1];
    assert!((14_400..16_000).contains(&again), "{again}");
}

#[test]
fn what_an_edit_takes_out_of_a_reaction_does_not_come_later() {
    let sounds = "[one]\ntakes = [\"audio/one.wav\"]\n[two]\ntakes = [\"audio/two.wav\"]\n";
    let both = program(sounds, "", "", "When hit\n  play one\n  play two, after 100 ms\n");
    for (left, count) in [("When hit\n  play one\n", 1), ("When hit\n  play one\n  play two, after 100 ms\n", 2)] {
        let mut bench = Bench::new(&both, 1);
        bench.event(0, "hit");
        bench.render(640);
        take_over(&mut bench, &program(sounds, "", "", left));
        bench.render(9_600);
        assert_eq!(starts(&bench).len(), count, "{left}");
    }
}

#[test]
fn a_bus_is_told_as_muted_only_while_it_is() {
    let mut bench = Bench::new(&program("[one]\nbus = \"a\"\nloop = true\ntakes = [\"audio/one.wav\"]\n", "[buses.a]\n", "", HIT), 1);
    bench.event(0, "hit");
    bench.render(4_800);
    assert_eq!(terms(&bench, TermKind::Gated), Vec::<f32>::new(), "nothing is muted");
    bench.send(NOW, InputKind::Mute { bus: NameKey::of("a"), on: true });
    bench.render(9_600);
    let gated = terms(&bench, TermKind::Gated);
    assert!(gated.len() == 1 && gated[0] < -60.0, "one bus is: {gated:?}");
    bench.send(NOW, InputKind::Mute { bus: NameKey::of("a"), on: false });
    bench.render(9_600);
    assert_eq!(terms(&bench, TermKind::Gated), Vec::<f32>::new(), "and no more");
}

#[test]
fn the_power_of_two_channels_is_their_mean() {
    // The same tone in one channel of one, and in one channel of two whose other is silent.
    let recorded: Vec<f32> = ["one", "stereo"]
        .iter()
        .map(|file| {
            let mut bench = Bench::new(&program(&format!("[one]\nloop = true\ntakes = [\"audio/{file}.wav\"]\n"), "", "", HIT), 1);
            bench.event(0, "hit");
            bench.render(24_000);
            terms(&bench, TermKind::Recorded)[0]
        })
        .collect();
    assert!((recorded[0] - of_the_tone()).abs() < 0.1, "{recorded:?}");
    assert!((recorded[0] - recorded[1] - 10.0 * 2f32.log10()).abs() < 0.1, "{recorded:?}");
}

#[test]
fn what_is_asked_of_a_piece_in_one_block_counts_by_its_frame() {
    let sections: String =
        ["a", "b", "c"].map(|s| format!("[piece.dance.section.{s}]\nbars = 4\n[piece.dance.section.{s}.layer.x]\nfile = \"audio/long.wav\"\n")).concat();
    let piece = format!(
        "[piece.dance]\ntempo = \"120\"\nfollows = {{ deck = {{ plank = \"a\", grate = \"b\" }} }}\n{sections}[[piece.dance.transition]]\nfrom = \"any\"\nto = \"any\"\nleave = \"at once\"\n"
    );
    let program = program_with(&[("music/all.toml", piece.as_str())]);
    // What the state asks for is found after what the game asks for itself, in whichever order they came.
    for (state, asked, last) in [(9_610, 9_630, "c"), (9_630, 9_610, "b")] {
        let mut bench = Bench::new(&program, 1);
        bench.render(9_600);
        bench.send(asked, InputKind::Go { piece: NameKey::of("dance"), section: NameKey::of("c"), on: None });
        bench.send(state, InputKind::State { state: NameKey::of("deck"), value: NameKey::of("grate") });
        bench.render(9_600);
        let sections: Vec<NameKey> =
            bench.happenings.iter().filter_map(|h| if let What::Section { section, .. } = h.what { Some(section) } else { None }).collect();
        assert_eq!(sections.last(), Some(&NameKey::of(last)), "{:?}", sections.iter().map(|s| program.names.get(*s)).collect::<Vec<_>>());
    }
}

#[test]
fn both_channels_of_what_is_placed_go_to_both_sides_while_it_fades_in() {
    // One channel at a time has something to hear, at an emitter to the left and near enough to be wide.
    for channel in 0..2 {
        let mut channels = vec![vec![0.0; 96_000]; 2];
        channels[channel] = vec![0.5; 96_000];
        let clip = Arc::new(Clip::new("audio/dc.wav", channels, None));
        let sounds = "[one]\nfade-in = \"1 s\"\nfalloff = { width = [\"0 m: 60 %\", \"9 m: 60 %\"] }\ntakes = [\"audio/dc.wav\"]\n";
        let files = [("sounds/all.toml", sounds), ("world.toml", "[emitters.bell]\nat = \"-3, 3\"\nplays = \"one\"\n")];
        let mut bench = Bench::new(&compile_and_load(&files, vec![("audio/dc.wav", clip)]), 1);
        let (left, right) = bench.render(72_000);
        let begun = starts(&bench)[0] as usize;
        for side in [&left, &right] {
            let (half, whole) = (side[begun + 24_000], side[begun + 60_000]);
            assert!(whole.abs() > 0.005, "channel {channel} is heard on both sides: {whole}");
            assert!((half / whole - 0.5).abs() < 0.02, "channel {channel}: {half} of {whole}");
        }
    }
}

#[test]
fn what_was_picked_last_is_remembered_through_an_edit_unless_the_takes_are_others() {
    let sound = |takes: &[&str]| {
        let takes: Vec<String> = takes.iter().map(|t| format!("\"audio/{t}.wav\"")).collect();
        program(&format!("[one]\npick = \"shuffle, not the last 1\"\ntakes = [{}]\n", takes.join(", ")), "", "", HIT)
    };
    for (before, after) in [(vec!["one", "two", "three"], vec!["one", "two"]), (vec!["one", "two"], vec!["one", "two", "three"])] {
        let mut bench = Bench::new(&sound(&before), 5);
        let hits = |bench: &mut Bench, count: usize| {
            for _ in 0..count {
                bench.event(NOW, "hit");
                bench.render(64);
            }
        };
        hits(&mut bench, 12);
        bench.happenings.clear();
        take_over(&mut bench, &sound(&after));
        hits(&mut bench, 30);
        let taken: Vec<NameKey> = bench.happenings.iter().filter_map(|h| if let What::VoiceStart { take, .. } = h.what { Some(take) } else { None }).collect();
        assert_eq!(taken.len(), 30, "{before:?} to {after:?}: each finds a take");
        assert!(taken.windows(2).all(|w| w[0] != w[1]), "{before:?} to {after:?}: never twice the same");
        for take in &after {
            let count = taken.iter().filter(|t| **t == NameKey::of(&format!("audio/{take}.wav"))).count();
            assert!(count > 3, "{before:?} to {after:?}: {take} comes too, {count} times");
        }
    }
}

#[test]
fn what_is_left_out_by_a_solo_or_muted_itself_sleeps_and_goes_on_in_step() {
    let program = program("[one]\nbus = \"a\"\nloop = true\ntakes = [\"audio/low.wav\"]\n", "[buses.a]\n[buses.b]\n", "", HIT);
    let of_bus = |on| InputKind::Solo { bus: NameKey::of("b"), on };
    let of_sound = |on| InputKind::GateSound { sound: NameKey::of("one"), solo: false, on };
    let mut always = Bench::new(&program, 1);
    always.event(0, "hit");
    let whole = always.render(96_000).0;
    for mute in [&of_bus as &dyn Fn(bool) -> InputKind, &of_sound] {
        let mut bench = Bench::new(&program, 1);
        bench.event(0, "hit");
        bench.render(9_600);
        bench.send(NOW, mute(true));
        bench.render(48_000);
        assert_eq!(bench.engine.asleep(), 1, "{:?}", mute(true));
        bench.send(NOW, mute(false));
        bench.render(9_600);
        assert_eq!(bench.engine.asleep(), 0, "{:?}", mute(false));
        let after = bench.render(9_600).0;
        let most = after.iter().zip(&whole[67_200..]).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
        assert!(most < 1e-6, "{:?}: {most}", mute(false));
    }
}

#[test]
fn waits_that_are_cut_short_for_a_rehearsal_shorten_clocks_too() {
    for (factor, least, most) in [(1.0, 9, 11), (0.5, 19, 21), (0.1, 95, 101)] {
        let mut bench = Bench::new(&program("[one]\ntakes = [\"audio/one.wav\"]\n", "", "", "When every 1 s\n  play one\n"), 1);
        bench.send(NOW, InputKind::Waits { factor });
        bench.render(480_000);
        let count = starts(&bench).len();
        assert!((least..=most).contains(&count), "{count} in ten seconds at {factor}");
    }
}

#[test]
fn what_the_player_takes_is_told_only_while_he_takes_something() {
    let mix = "[buses.a]\n[player-levels]\neffects = \"a\"\n";
    let mut bench = Bench::new(&program("[one]\nbus = \"a\"\nloop = true\ntakes = [\"audio/one.wav\"]\n", mix, "", HIT), 1);
    bench.event(0, "hit");
    bench.render(4_800);
    assert_eq!(terms(&bench, TermKind::Player), Vec::<f32>::new(), "all the way up");
    bench.send(NOW, InputKind::PlayerLevel { level: NameKey::of("effects"), value: 5.0 });
    bench.render(48_000);
    let taken = terms(&bench, TermKind::Player);
    assert!(taken.len() == 1 && taken[0] < -3.0, "{taken:?}");
}
