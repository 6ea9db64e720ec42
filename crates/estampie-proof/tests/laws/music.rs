//! Music: every change on its frame, layers together to the sample, what is shown as to come comes.

use crate::support::{Bench, compile_with, largest_step, level, program_with};
use estampie_engine::engine::{Engine, InputKind, Options, Prepared};
use estampie_engine::index::{PieceIndex, SectionIndex};
use estampie_engine::ledger::TermKind;
use estampie_engine::music::exact::{Beats, wide};
use estampie_engine::music::spec::When;
use estampie_engine::music::wait;
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::telemetry::{Reason, What};
use estampie_engine::vocabulary::Answer;
use std::sync::Arc;

fn key(name: &str) -> NameKey {
    NameKey::of(name)
}

/// A project with one file of music, and reactions.
pub(crate) fn music(text: &str, reactions: &str) -> Arc<Program> {
    let sounds = "[sting]\ntakes = [\"audio/one.wav\"]\n[other]\ntakes = [\"audio/two.wav\"]\n";
    program_with(&[("music/all.toml", text), ("sounds/all.toml", sounds), ("reactions.est", reactions)])
}

/// Two sections at 120: one of four bars with the level file, one of two bars with the noisy one.
const TWO: &str = r#"
[piece.dance]
tempo = "120"
level = "0 dB"
[piece.dance.section.a]
bars = 4
phrase = 2
markers = { turn = "3.2" }
[piece.dance.section.a.layer.x]
file = "audio/long.wav"
[piece.dance.section.b]
bars = 2
[piece.dance.section.b.layer.x]
file = "audio/long.wav"
"#;

fn go(bench: &mut Bench, frame: u64, section: &str) {
    bench.send(frame, InputKind::Go { piece: key("dance"), section: key(section), on: None });
}

/// The frames on which sections (or silence) began, by name.
fn sections(bench: &Bench, program: &Program) -> Vec<(u64, String)> {
    let name = |k: NameKey| if k.is_none() { "silence".to_owned() } else { program.names.get(k).to_owned() };
    bench.happenings.iter().filter_map(|h| if let What::Section { section, .. } = h.what { Some((h.frame, name(section))) } else { None }).collect()
}

#[test]
fn a_section_begins_and_changes_on_the_very_frame_of_its_bar() {
    let program = music(TWO, "");
    let mut bench = Bench::new(&program, 1);
    go(&mut bench, 1000, "a");
    // Asked for in the middle of bar 2, it leaves with bar 3: two bars of two seconds later.
    go(&mut bench, 1000 + 100_000, "b");
    let (left, _) = bench.render(300_000);
    assert_eq!(sections(&bench, &program), [(1000, "a".to_owned()), (1000 + 192_000, "b".to_owned())]);
    let impulses: Vec<usize> = left.iter().enumerate().filter(|(_, s)| **s > 0.5).map(|(at, _)| at).collect();
    assert_eq!(impulses, [1000, 193_000], "the first samples of both are where they belong");
}

#[test]
fn rules_say_when_by_way_of_what_and_where_to() {
    let way = |rule: &str| {
        let text = format!(
            "{TWO}[piece.dance.section.fill]\nbars = 1\nthen = \"end\"\n[piece.dance.section.fill.layer.x]\nfile = \"audio/level.wav\"\n[[piece.dance.transition]]\nfrom = \"a\"\nto = \"b\"\n{rule}\n"
        );
        let program = music(&text, "");
        let mut bench = Bench::new(&program, 1);
        go(&mut bench, 0, "a");
        go(&mut bench, 30_000, "b");
        bench.render(480_000);
        let bars: Vec<u32> = bench.happenings.iter().filter_map(|h| if let What::Section { bar, .. } = h.what { Some(bar) } else { None }).collect();
        sections(&bench, &program)[1..].iter().map(|(f, n)| (*f, n.clone())).zip(bars[1..].iter().copied()).collect::<Vec<_>>()
    };
    let (beat, bar) = (24_000, 96_000);
    let at = |frame: u64, name: &str, bar: u32| ((frame, name.to_owned()), bar);
    assert_eq!(way(r#"leave = "at once""#), [at(30_000, "b", 0)]);
    assert_eq!(way(r#"leave = "next beat""#), [at(2 * beat, "b", 0)]);
    assert_eq!(way(r#"leave = "next bar""#), [at(bar, "b", 0)]);
    assert_eq!(way(r#"leave = "every 3 bars""#), [at(3 * bar, "b", 0)]);
    assert_eq!(way(r#"leave = "phrase end""#), [at(2 * bar, "b", 0)]);
    assert_eq!(way(r#"leave = "section end""#), [at(4 * bar, "b", 0)]);
    assert_eq!(way(r#"leave = "marker turn""#), [at(2 * bar + beat, "b", 0)]);
    assert_eq!(way(r#"by-way-of = "fill""#), [at(bar, "fill", 0), at(2 * bar, "b", 0)]);
    assert_eq!(way(r#"arrive = "same bar""#), [at(bar, "b", 1)]);
    assert_eq!(way(r#"allowed = false"#), []);
}

#[test]
fn the_close_ending_takes_the_place_of_the_open_one() {
    let text = TWO.replace("phrase = 2", "phrase = 2\nopen-ending = 1\nclose-ending = \"rest\"")
        + "[piece.dance.section.rest]\nbars = 2\nthen = \"end\"\n[[piece.dance.transition]]\nfrom = \"a\"\nto = \"silence\"\nby-way-of = \"close ending\"\n";
    let program = music(&text, "");
    let mut bench = Bench::new(&program, 1);
    go(&mut bench, 0, "a");
    go(&mut bench, 30_000, "");
    bench.render(600_000);
    let bar = 96_000;
    assert_eq!(sections(&bench, &program)[1..], [(3 * bar, "rest".to_owned()), (5 * bar, "silence".to_owned())]);
}

#[test]
fn layers_are_together_to_the_sample_over_rounds_and_changes() {
    // The same noise with both signs: as long as they are together nothing is left.
    let text = "[piece.dance]\ntempo = \"93.7\"\n[piece.dance.section.a]\nbars = 2\n[piece.dance.section.a.layer.x]\nfile = \"audio/long.wav\"\n[piece.dance.section.a.layer.y]\nfile = \"audio/minus.wav\"\n\
        [piece.dance.section.b]\nbars = 3\n[piece.dance.section.b.layer.x]\nfile = \"audio/minus.wav\"\n[piece.dance.section.b.layer.y]\nfile = \"audio/long.wav\"\n";
    let program = music(text, "");
    let mut bench = Bench::new(&program, 1);
    go(&mut bench, 777, "a");
    go(&mut bench, 500_000, "b");
    go(&mut bench, 1_000_000, "a");
    let (left, right) = bench.render(2_000_000);
    assert!(bench.status.as_ref().unwrap().voices.len() >= 2, "they sound");
    assert!(left.iter().chain(&right).all(|s| s.abs() < 1e-6), "nothing is left of the two: {}", left.iter().fold(0.0f32, |p, s| p.max(s.abs())));
}

#[test]
fn a_recording_as_long_as_its_section_goes_round_without_a_seam() {
    // 480 Hz at 93.7 beats a minute: a section is 245,891.14… frames, the file 245,891 of a level.
    let text = "[piece.dance]\ntempo = \"96\"\n[piece.dance.section.a]\nbars = 4\n[piece.dance.section.a.layer.x]\nfile = \"audio/level.wav\"\n";
    let program = music(text, "");
    let mut bench = Bench::new(&program, 1);
    go(&mut bench, 0, "a");
    let (left, _) = bench.render(2_000_000);
    assert!(
        left[100..].iter().all(|s| (s - 0.25).abs() < 1e-4),
        "the level stays: {:?}",
        left.iter().enumerate().skip(100).find(|(_, s)| (**s - 0.25).abs() >= 1e-4)
    );
}

#[test]
fn a_recording_as_long_as_its_section_sounds_once_when_the_section_is_left_at_its_end() {
    // 480,000 frames at about 96 beats a minute: as long, some frames longer, some frames shorter than four bars.
    for tempo in ["96", "95.99", "95.999", "96.001", "96.01", "93.7 "] {
        for (way, asks) in [("then = \"b\"", &[][..]), ("", &[(100_000u64, "b")][..]), ("", &[(479_000, "b")][..]), ("", &[(240_000, "")][..])] {
            let end = "[[piece.dance.transition]]\nfrom = \"a\"\nto = \"any\"\nleave = \"section end\"\n";
            let file = if tempo == "93.7 " { "level" } else { "long" };
            let text = format!(
                "[piece.dance]\ntempo = \"{}\"\n[piece.dance.section.a]\nbars = 4\n{way}\n[piece.dance.section.a.layer.x]\nfile = \"audio/{file}.wav\"\n[piece.dance.section.b]\nbars = 2\n{end}",
                tempo.trim()
            );
            let program = music(&text, "");
            let mut bench = Bench::new(&program, 1);
            go(&mut bench, 0, "a");
            for (frame, section) in asks {
                go(&mut bench, *frame, section);
            }
            let (left, _) = bench.render(700_000);
            assert_eq!(sections(&bench, &program)[1].1, if asks.first().is_some_and(|a| a.1.is_empty()) { "silence" } else { "b" }, "{tempo} {way} {asks:?}");
            let again: f32 = left[480_200..].iter().map(|s| s.abs()).sum();
            assert!(left[470_000..479_900].iter().any(|s| s.abs() > 0.05) && again < 1e-3, "{tempo} {way} {asks:?}: {again}");
            assert!(left[1..].iter().all(|s| *s < 0.5), "its first sample comes once");
        }
    }
}

#[test]
fn what_is_cancelled_leaves_no_trace_in_the_sound() {
    let program = music(TWO, "");
    let render = |asks: &[(u64, &str)]| {
        let mut bench = Bench::new(&program, 1);
        go(&mut bench, 0, "a");
        for (frame, section) in asks {
            go(&mut bench, *frame, section);
        }
        bench.render(400_000)
    };
    let plain = render(&[]);
    assert!(plain == render(&[(100_000, "b"), (150_000, "a")]), "cancelled by going back");
    assert!(plain == render(&[(100_000, "b"), (110_000, ""), (150_000, "a")]), "replaced, then cancelled");
    assert!(plain == render(&[(100_000, "a")]), "asking for what plays");
    assert!(plain != render(&[(100_000, "b")]));
}

#[test]
fn answers_are_told() {
    let program = music(&format!("{TWO}[[piece.dance.transition]]\nfrom = \"a\"\nto = \"silence\"\nallowed = false\n"), "");
    let mut bench = Bench::new(&program, 1);
    go(&mut bench, 0, "a");
    for (frame, section) in [(100_000, "b"), (100_100, "b"), (100_200, ""), (100_300, "a")] {
        go(&mut bench, frame, section);
    }
    bench.render(192_000);
    let answers: Vec<Answer> = bench.happenings.iter().filter_map(|h| if let What::Asked { answer, .. } = h.what { Some(answer) } else { None }).collect();
    assert_eq!(answers, [Answer::Waits, Answer::Waits, Answer::Nothing, Answer::NotAllowed, Answer::Cancels(Some(SectionIndex::new(1)))]);
    assert_eq!(sections(&bench, &program).len(), 1);
}

#[test]
fn states_and_parameters_choose_sections_and_layers() {
    let text = TWO.replace("level = \"0 dB\"", "level = \"0 dB\"\nfollows = { deck = { plank = \"a\", grate = \"b\", silt = \"silence\" } }").replace(
        "file = \"audio/long.wav\"\n[piece.dance.section.b]",
        "file = \"audio/level.wav\"\nwhen = \"strain over 0.5\"\non = \"next bar\"\nfade = \"1 beat\"\n[piece.dance.section.b]",
    );
    let program = music(&text, "");
    let mut bench = Bench::new(&program, 1);
    let (left, _) = bench.render(50_000);
    assert!(left.iter().all(|s| *s == 0.0), "the layer is out");
    assert_eq!(sections(&bench, &program), [(0, "a".to_owned())], "the state's first value counts");
    bench.parameter("strain", 1.0);
    let (left, _) = bench.render(100_000);
    // It comes in with bar 2 (frame 96,000) over one beat of 24,000 frames.
    assert!(left[..45_990].iter().all(|s| *s == 0.0), "it waits for the bar");
    assert!((left[46_000 + 12_000] - 0.125).abs() < 0.001, "half way after half a beat: {}", left[58_000]);
    assert!((left[46_000 + 24_100] - 0.25).abs() < 1e-4);
    bench.state("deck", "grate");
    bench.render(100_000);
    bench.state("deck", "silt");
    bench.render(200_000);
    let names: Vec<String> = sections(&bench, &program).into_iter().map(|(_, n)| n).collect();
    assert_eq!(names, ["a", "b", "silence"]);
}

#[test]
fn reactions_switch_layers_and_send_pieces_on() {
    let program = music(TWO, "When hit\n  go dance\nWhen tick\n  fade out dance/x\n  go dance to b on the next beat\nWhen loop\n  fade in dance/x\n");
    let mut bench = Bench::new(&program, 1);
    bench.event(0, "hit");
    bench.event(30_000, "tick");
    let (left, _) = bench.render(120_000);
    assert_eq!(sections(&bench, &program), [(0, "a".to_owned()), (48_000, "b".to_owned())]);
    assert!(level(&left[100_000..]) < -100.0, "the layer is out in both sections");
    bench.event(0, "loop");
    let (left, _) = bench.render(60_000);
    assert!(level(&left[40_000..]) > -30.0, "and in again: {}", level(&left[40_000..]));
}

#[test]
fn stingers_wait_for_their_moment_duck_the_piece_and_are_dropped_without_music() {
    let text = TWO.replace("audio/long.wav", "audio/level.wav")
        + "[stinger.dread]\nsound = \"sting\"\nby = { b = \"other\" }\non = \"next bar\"\nduck = { by = \"-12 dB\", attack = \"5 ms\", release = \"50 ms\" }\ncooldown = \"1 s\"\n[stinger.bold]\nsound = \"sting\"\nwithout-music = \"play anyway\"\n";
    let program = music(&text, "When hit\n  sting dread\nWhen tick\n  sting bold at once\n");
    let mut bench = Bench::new(&program, 1);
    bench.event(0, "hit");
    bench.event(100, "tick");
    bench.render(64_000);
    assert!(bench.happenings.iter().any(|h| matches!(h.what, What::Refused { reason: Reason::NoMusic, .. })), "dropped without music");
    assert!(bench.happenings.iter().any(|h| h.frame == 100 && matches!(h.what, What::Sting { .. })), "or played anyway");
    go(&mut bench, 64_000, "a");
    bench.event(70_000, "hit");
    bench.event(71_000, "hit");
    let start = bench.happenings.len();
    bench.render(120_000);
    let stings: Vec<u64> = bench.happenings[start..].iter().filter(|h| matches!(h.what, What::Sting { .. })).map(|h| h.frame).collect();
    assert_eq!(stings, [64_000 + 96_000], "on the bar, once");
    assert!(bench.happenings.iter().any(|h| matches!(h.what, What::Refused { reason: Reason::Stingers { limit: 1 }, .. })), "the second one was one too many");
    let status = bench.status.as_ref().unwrap();
    let layer = status.voices.iter().find(|v| v.sound == key("dance/a x")).unwrap();
    let ducked = status.terms_of(layer).iter().find(|t| t.kind == TermKind::Ducked).unwrap();
    assert!((ducked.value + 12.0).abs() < 0.1, "{}", ducked.value);
    bench.render(60_000);
    let status = bench.status.as_ref().unwrap();
    assert!(!status.terms.iter().any(|t| t.kind == TermKind::Ducked), "and released when it has ended");
    // During a change: asked for in the old section, sounded in the new, with what fits there.
    go(&mut bench, 0, "b");
    bench.event(0, "hit");
    bench.render(200_000);
    assert!(bench.happenings.iter().any(|h| matches!(h.what, What::VoiceStart { sound, .. } if sound == key("other"))), "the alternative for b");
}

#[test]
fn what_a_stinger_waits_for_and_ducks_is_found_again_after_an_edit() {
    let stingers = |dread: &str| {
        format!("{dread}[stinger.bold]\nsound = \"sting\"\non = \"next bar\"\nduck = {{ by = \"-12 dB\", attack = \"5 ms\", release = \"50 ms\" }}\n")
    };
    let with = |first: &str, last: &str| music(&format!("{first}{}{last}", TWO.replace("audio/long.wav", "audio/level.wav")), "When hit\n  sting bold\n");
    let air = "[piece.air]\ntempo = \"120\"\n[piece.air.section.a]\nbars = 1\n";
    let dread = "[stinger.dread]\nsound = \"other\"\n";
    let before = with("", &stingers(dread));
    // Another piece stands before it, and a stinger is gone; or both are gone.
    let (moved, gone) = (with(air, &stingers("")), music(air, ""));
    for at in [100, 1_505] {
        let mut bench = Bench::new(&before, 1);
        go(&mut bench, 0, "a");
        bench.event(640, "hit");
        bench.render(64 * at);
        bench.remote.program(Box::new(Prepared::new(Arc::clone(&moved), 1))).unwrap();
        bench.render(64 * (1_510 - at));
        assert!(
            bench
                .happenings
                .iter()
                .any(|h| h.frame == 96_000 && matches!(h.what, What::Sting { stinger, piece, .. } if (stinger, piece) == (key("bold"), key("dance"))))
        );
        let pieces = &bench.status.as_ref().unwrap().pieces;
        let ducked: Vec<bool> = moved.music.pieces.with_places().map(|(at, _)| pieces[at].ducked_db < -11.0).collect();
        assert_eq!(ducked, [false, true], "after {at} blocks");
        let mut bench = Bench::new(&before, 1);
        go(&mut bench, 0, "a");
        bench.event(640, "hit");
        bench.render(64 * at);
        bench.remote.program(Box::new(Prepared::new(Arc::clone(&gone), 1))).unwrap();
        bench.render(64 * 1_510);
    }
}

#[test]
fn one_piece_holds_the_other_down() {
    let second =
        "[piece.hall]\ntempo = \"120\"\nducks = { dance = { by = \"-18 dB\", attack = \"200 ms\", release = \"400 ms\" } }\n[piece.hall.section.s]\nbars = 1\n";
    let program = music(&format!("{}{second}", TWO.replace("audio/long.wav", "audio/level.wav")), "");
    let mut bench = Bench::new(&program, 1);
    go(&mut bench, 0, "a");
    bench.render(48_000);
    bench.send(48_000, InputKind::Go { piece: key("hall"), section: key("s"), on: None });
    let (left, _) = bench.render(48_000);
    assert!((level(&left[40_000..]) - (-12.04 - 18.0)).abs() < 0.2, "{}", level(&left[40_000..]));
    bench.send(0, InputKind::Go { piece: key("hall"), section: NameKey::NONE, on: Some(When::AtOnce) });
    let (left, _) = bench.render(96_000);
    assert!((level(&left[90_000..]) + 12.04).abs() < 0.2);
    assert!(largest_step(&left) < 0.01, "slowly");
}

#[test]
fn a_pick_up_sounds_over_what_leaves_and_settles_the_change() {
    let text = TWO
        .replace("audio/long.wav", "audio/level.wav")
        .replace("[piece.dance.section.b]\nbars = 2", "[piece.dance.section.b]\nbars = 2\npick-up = \"1 beat\"");
    let program = music(&text, "");
    let mut bench = Bench::new(&program, 1);
    go(&mut bench, 0, "a");
    go(&mut bench, 30_000, "b");
    // Too late to go back: the pick-up sounds from beat 4 on.
    go(&mut bench, 80_000, "a");
    let (left, _) = bench.render(300_000);
    assert!((left[71_990] - 0.25).abs() < 1e-4 && (left[72_100] - 0.5).abs() < 1e-4, "both sound in the last beat");
    let all = sections(&bench, &program);
    assert_eq!(all[1], (96_000, "b".to_owned()));
    assert_eq!(all[2], (96_000 + 96_000, "a".to_owned()), "what was asked meanwhile is asked again on arrival");
}

#[test]
fn playlists_never_repeat_the_last_and_keep_their_gaps() {
    let piece = |name: &str| {
        format!("[piece.{name}]\ntempo = \"240\"\n[piece.{name}.section.s]\nbars = 1\n[piece.{name}.section.s.layer.x]\nfile = \"audio/one.wav\"\n")
    };
    let text = ["p", "q", "r"].map(piece).concat()
        + "[playlist.evening]\npieces = [\"p\", \"q\", \"r\"]\norder = \"shuffle\"\nstart = \"0.5 s\"\nfade-in = \"0.2 s\"\ngap = \"0.25..0.25 s\"\nrounds = 2\n";
    let program = music(&text, "When hit\n  go evening\nWhen tick\n  go evening to silence\n");
    let mut bench = Bench::new(&program, 3);
    bench.event(0, "hit");
    bench.render(48_000 * 40);
    let all: Vec<(u64, NameKey, NameKey)> = bench
        .happenings
        .iter()
        .filter_map(|h| if let What::Section { piece, section, .. } = h.what { Some((h.frame, piece, section)) } else { None })
        .collect();
    assert_eq!(all[0].0, 24_000, "after its delay");
    let starts: Vec<_> = all.iter().filter(|(.., s)| !s.is_none()).collect();
    assert!(starts.len() > 12, "{}", starts.len());
    assert!(starts.windows(2).all(|w| w[0].1 != w[1].1), "never the same twice");
    for pair in all.windows(2).filter(|w| w[0].2.is_none()) {
        let gap = pair[1].0 - pair[0].0;
        assert!((12_000..12_200).contains(&gap), "{gap}");
    }
    for pair in all.windows(2).filter(|w| !w[0].2.is_none()) {
        assert_eq!(pair[1].0 - pair[0].0, 96_000, "two rounds of a second");
    }
    bench.event(0, "tick");
    bench.render(96_000);
    assert!(bench.status.as_ref().unwrap().pieces.iter().all(|p| p.sequencer.pass().is_none()));
}

#[test]
fn a_playlist_in_its_order_goes_through_it_again_and_again() {
    let piece = |name: &str| {
        format!("[piece.{name}]\ntempo = \"240\"\n[piece.{name}.section.s]\nbars = 1\n[piece.{name}.section.s.layer.x]\nfile = \"audio/one.wav\"\n")
    };
    let text =
        ["p", "q", "r", "s"].map(piece).concat() + "[playlist.evening]\npieces = [\"q\", \"s\", \"p\", \"r\"]\norder = \"in order\"\ngap = \"0.25..0.25 s\"\n";
    let program = music(&text, "When hit\n  go evening\n");
    let mut bench = Bench::new(&program, 3);
    bench.event(0, "hit");
    bench.render(48_000 * 12);
    let begun: Vec<&str> = bench
        .happenings
        .iter()
        .filter_map(|h| if let What::Section { piece, section, .. } = h.what { (!section.is_none()).then(|| program.names.get(piece)) } else { None })
        .collect();
    assert!(begun.len() >= 8, "{begun:?}");
    assert!(begun.iter().zip(["q", "s", "p", "r"].iter().cycle()).all(|(a, b)| a == b), "{begun:?}");
}

#[test]
fn an_edit_while_it_plays_keeps_the_place() {
    let before = music(TWO, "");
    let after = music(
        &format!(
            "{}[piece.dance.section.c]\nbars = 1\n",
            TWO.replace("[piece.dance.section.a.layer.x]", "[piece.dance.section.a.layer.w]\nfile = \"audio/dc.wav\"\n[piece.dance.section.a.layer.x]")
        ),
        "",
    );
    let render = |swap: bool| {
        let mut bench = Bench::new(&before, 1);
        go(&mut bench, 0, "a");
        let (mut left, _) = bench.render(64 * 2000);
        if swap {
            bench.remote.program(Box::new(Prepared::new(Arc::clone(&after), 1))).unwrap();
        }
        go(&mut bench, 64 * 2100, "b");
        left.extend(bench.render(64 * 4000).0);
        (left, sections(&bench, &before))
    };
    let (plain, swapped) = (render(false), render(true));
    assert_eq!(plain.1, swapped.1, "sections keep their frames");
    let differs = plain.0.iter().zip(&swapped.0).position(|(a, b)| (a - b).abs() > 1e-6);
    assert!(differs.is_none(), "what sounded goes on, sample by sample, from {differs:?}");
}

#[test]
fn what_is_wrong_is_said_with_its_fix() {
    let (_, faults) = compile_with(&[(
        "music/all.toml",
        "[piece.dance]\ntempo = \"9000\"\nkey = \"H happy\"\nfollows = { dek = { plank = \"a\" } }\n[piece.dance.section.a]\nbars = 4\nmarkers = { far = \"9\" }\n[piece.dance.section.a.layer.x]\nfile = \"audio/none.wav\"\n\
         [[piece.dance.transition]]\nfrom = \"a\"\nto = \"bb\"\n[[piece.dance.transition]]\nfrom = \"a\"\nto = \"silence\"\nleave = \"marker turn\"\nby-way-of = \"close ending\"\n[piece.empty]\n[stinger.s]\nsound = \"nothing\"\n[playlist.l]\npieces = [\"what\"]\n",
    )]);
    for wanted in [
        "9000 is not a tempo",
        "\"H happy\" is not a key",
        "there is no state or parameter dek",
        "marker far is in bar 9",
        "there is no audio file audio/none.wav",
        "dance has no section bb",
        "a has no marker turn",
        "a has no close ending",
        "empty has no sections",
        "there is no sound nothing",
        "there is no piece what",
    ] {
        assert!(faults.iter().any(|f| f.contains(wanted)), "{wanted}: {faults:#?}");
    }
    let (_, faults) = compile_with(&[("music/all.toml", TWO), ("reactions.est", "When hit\n  go dance to z\n  sting q\n  fade in dance/q\n  go nowhere\n")]);
    assert_eq!(faults.len(), 4, "{faults:#?}");
}

#[test]
fn a_piece_goes_on_where_it_was_left_even_after_silence() {
    let text = format!(
        "{TWO}[[piece.dance.transition]]\nfrom = \"any\"\nto = \"a\"\narrive = \"where it left off\"\n[[piece.dance.transition]]\nfrom = \"silence\"\nto = \"a\"\narrive = \"where it left off\"\n"
    );
    let program = music(&text, "");
    let mut bench = Bench::new(&program, 1);
    go(&mut bench, 0, "a");
    // Left with bar 3 for b, and with bar 2 of b for a again: it goes on with bar 3.
    go(&mut bench, 100_000, "b");
    go(&mut bench, 200_000, "a");
    // Left with bar 4, and begun again out of silence.
    go(&mut bench, 300_000, "");
    go(&mut bench, 600_000, "a");
    bench.render(700_000);
    let bars: Vec<(u64, u32)> =
        bench.happenings.iter().filter_map(|h| if let What::Section { bar, .. } = h.what { Some((h.frame, bar + 1)) } else { None }).collect();
    assert_eq!(bars, [(0, 1), (192_000, 1), (288_000, 3), (384_000, 1), (600_000, 4)], "silence is bar 1 of nothing");
}

#[test]
fn the_old_goes_on_for_its_overlap_and_falls_by_its_curve_while_the_new_rises() {
    let text = TWO.replace("audio/long.wav", "audio/level.wav")
        + "[[piece.dance.transition]]\nfrom = \"a\"\nto = \"b\"\nleave = \"next beat\"\noverlap = \"1 beat\"\nfade-out = \"2 beats\"\nfade-in = \"1 beat, power 2\"\n";
    let program = music(&text, "");
    let mut bench = Bench::new(&program, 1);
    go(&mut bench, 0, "a");
    go(&mut bench, 10_000, "b");
    let (left, _) = bench.render(200_000);
    // Left on beat 2 (24,000): the new rises over a beat, the old stays for one and falls over two.
    let wanted = |frame: usize| {
        let beats = (frame as f32 - 24_000.0) / 24_000.0;
        let old = (1.0 - (beats - 1.0) / 2.0).clamp(0.0, 1.0);
        let new = beats.clamp(0.0, 1.0).powi(2);
        0.25 * (old + new)
    };
    for frame in [20_000, 30_000, 36_000, 47_000, 60_000, 72_000, 90_000, 97_000, 150_000] {
        assert!((left[frame] - wanted(frame)).abs() < 0.002, "{frame}: {} for {}", left[frame], wanted(frame));
    }
    assert!(largest_step(&left[100..]) < 0.001);
}

#[test]
fn a_layer_whose_audio_comes_while_its_section_plays_joins_it_where_it_is() {
    let text = "[piece.dance]\ntempo = \"120\"\n[piece.dance.section.a]\nbars = 2\n[piece.dance.section.a.layer.x]\nfile = \"audio/level.wav\"\n";
    let added = format!("{text}[piece.dance.section.a.layer.new]\nfile = \"audio/long.wav\"\n");
    let (before, after) = (music(text, ""), music(&added, ""));
    let play = |late: bool| {
        let mut bench = Bench::new(if late { &before } else { &after }, 1);
        go(&mut bench, 0, "a");
        let mut out = bench.render(64 * 500).0;
        if late {
            assert!(bench.remote.program(Box::new(estampie_engine::engine::Prepared::new(Arc::clone(&after), 1))).is_ok());
        }
        out.extend(bench.render(64 * 2_000).0);
        out
    };
    let (whole, late) = (play(false), play(true));
    // It rises over 20 ms and is then the very same, with the round that comes next.
    let begun = 64 * 500;
    assert!(whole[..begun] != late[..begun]);
    assert!(crate::support::largest_step(&late[begun - 200..begun + 2]) < 0.01, "it fades in");
    let apart = whole[begun + 1_100..].iter().zip(&late[begun + 1_100..]).map(|(a, b)| (a - b).abs()).fold(0.0f32, f32::max);
    assert!(apart < 1e-6, "{apart}");
}

#[test]
fn two_fades_of_equal_power_keep_it_as_they_cross() {
    // To the left the old, to the right the new: their squares add up to one on every frame.
    let panned = |text: &str, side: &str| text.replacen("audio/long.wav\"", &format!("audio/level.wav\"\npan = \"{side}\""), 1);
    let text = panned(&panned(TWO, "left"), "right")
        + "[[piece.dance.transition]]\nfrom = \"a\"\nto = \"b\"\nleave = \"next beat\"\nfade-out = \"4 beats, equal power\"\nfade-in = \"4 beats, equal power\"\n";
    let mut bench = Bench::new(&music(&text, ""), 1);
    go(&mut bench, 0, "a");
    go(&mut bench, 10_000, "b");
    let (left, right) = bench.render(200_000);
    for frame in (24_100..119_900).step_by(977) {
        let share = (frame as f32 - 24_000.0) / 96_000.0 * std::f32::consts::FRAC_PI_2;
        assert!((left[frame] - 0.25 * 2f32.sqrt() * share.cos()).abs() < 1e-3, "{frame}: {}", left[frame]);
        assert!((left[frame].powi(2) + right[frame].powi(2) - 0.125).abs() < 1e-3, "{frame}: {} {}", left[frame], right[frame]);
    }
}

#[test]
fn a_parameter_cross_fades_two_pieces_and_chooses_sections_by_its_ranges() {
    let second = "[piece.hall]\ntempo = \"120\"\n[piece.hall.section.s]\nbars = 1\n[piece.hall.section.s.layer.x]\nfile = \"audio/low.wav\"\n";
    let first = TWO.replace("audio/long.wav", "audio/low.wav").replace("level = \"0 dB\"", "follows = { strain = { \"0..0.4\" = \"a\", \"0.4..1\" = \"b\" } }");
    let curve = |piece: &str, from: &str, to: &str| {
        format!("[[modulation]]\nfrom = \"depth\"\nmoves = \"piece {piece} level\"\ncurve = [\"0 m: {from}\", \"100 m: {to}\"]\n")
    };
    let modulation = curve("dance", "0 dB", "-40 dB") + &curve("hall", "-40 dB", "0 dB");
    let program = program_with(&[("music/all.toml", &(first + second)), ("modulation.toml", &modulation)]);
    let mut bench = Bench::new(&program, 1);
    bench.send(0, InputKind::Go { piece: key("hall"), section: key("s"), on: None });
    bench.render(96_000);
    let heard = |bench: &Bench, name: &str| {
        let status = bench.status.as_ref().unwrap();
        let voice = status.voices.iter().find(|v| v.sound == key(name) && !v.leaving).unwrap();
        status.terms_of(voice).iter().filter(|t| t.kind == TermKind::Moved || t.kind == TermKind::Piece).map(|t| t.value).sum::<f32>()
    };
    assert!(heard(&bench, "dance/a x").abs() < 0.01 && (heard(&bench, "hall/s x") + 40.0).abs() < 0.01);
    bench.parameter("depth", 100.0);
    bench.parameter("strain", 0.8);
    bench.render(48_000 * 4);
    assert!((heard(&bench, "dance/b x") + 40.0).abs() < 0.1 && heard(&bench, "hall/s x").abs() < 0.1);
    let names: Vec<String> = sections(&bench, &program).into_iter().map(|(_, n)| n).collect();
    assert!(names.ends_with(&["b".to_owned()]) && names.len() == 3, "by its ranges: {names:?}");
}

#[test]
fn a_layer_may_be_a_sound_with_a_chain_and_begins_with_every_round() {
    let sounds = "[arp]\nchain = [\"audio/intro.wav\", \"audio/body.wav\"]\n";
    let text = "[piece.dance]\ntempo = \"120\"\n[piece.dance.section.a]\nbars = 1\n[piece.dance.section.a.layer.x]\nsound = \"arp\"\nlevel = \"-6 dB\"\n";
    let program = program_with(&[("music/all.toml", text), ("sounds/all.toml", sounds)]);
    let mut bench = Bench::new(&program, 1);
    go(&mut bench, 640, "a");
    let (left, _) = bench.render(640 + 96_000 * 3);
    let sine = crate::support::tone(480.0, 0.25, 21_137);
    let gain = 10f32.powf(-6.0 / 20.0);
    for round in 0..3 {
        let part = &left[640 + round * 96_000..][..21_137];
        let off = part.iter().zip(&sine).map(|(a, b)| (a - b * gain).abs()).fold(0.0f32, f32::max);
        assert!(off < 1e-4, "round {round}: {off}");
    }
}

#[test]
fn a_stinger_goes_by_the_chord_and_by_the_piece_that_is_heard_and_never_doubles() {
    let text = TWO.replace("bars = 4", "bars = 4\nchords = [\"1: Dm\", \"3: C\"]")
        + "[piece.hall]\ntempo = \"60\"\nducks = { dance = { by = \"-18 dB\", attack = \"10 ms\" } }\n[piece.hall.section.s]\nbars = 1\n[stinger.s]\nsound = \"sting\"\nby = { C = \"other\" }\non = \"next bar\"\nlimit = 4\n";
    let program = music(&text, "When hit\n  sting s\nWhen tick\n  sting s on the next beat\n");
    let mut bench = Bench::new(&program, 1);
    go(&mut bench, 0, "a");
    bench.event(20_000, "hit");
    bench.event(30_000, "tick");
    bench.event(120_000, "hit");
    bench.render(64 * 3_200);
    let played: Vec<(u64, NameKey)> = bench
        .happenings
        .iter()
        .filter_map(|h| match h.what {
            What::VoiceStart { sound, .. } if sound == key("sting") || sound == key("other") => Some((h.frame, sound)),
            _ => None,
        })
        .collect();
    assert_eq!(played, [(96_000, key("sting")), (192_000, key("other"))], "by chord; what waits already is not asked twice");
    assert!(bench.happenings.iter().any(|h| matches!(h.what, What::Refused { reason: Reason::Stingers { .. }, .. })));
    // With the dance held down, what one hears is the hall.
    bench.send(0, InputKind::Go { piece: key("hall"), section: key("s"), on: None });
    bench.render(64 * 1_000);
    bench.event(0, "hit");
    bench.render(64 * 3_500);
    let last = bench.happenings.iter().rev().find_map(|h| if let What::Sting { piece, .. } = h.what { Some(piece) } else { None });
    assert_eq!(last, Some(key("hall")));
}

#[test]
fn the_median_wait_is_that_of_all_askings() {
    let program = music(TWO, "");
    let piece = &program.music.pieces[PieceIndex::new(0)];
    let measure = |when| {
        let section = &piece.sections[SectionIndex::new(0)];
        let mut waits: Vec<f64> = (0..384)
            .map(|i| {
                let at = wide(Beats::new(i * 2 + 1, 48));
                let next = section
                    .next(when, at, |_| true)
                    .map_or_else(|| wide(section.map.length()) + wide(section.next(when, wide(Beats::new(-1, 96)), |_| true).unwrap()), wide);
                estampie_engine::music::exact::number(next - at) * 24_000.0
            })
            .collect();
        waits.sort_by(f64::total_cmp);
        waits[waits.len() / 2]
    };
    for when in [When::Beat, When::Bar, When::Bars(3), When::Phrase, When::End, When::Marker(key("turn"))] {
        let said = wait(piece, SectionIndex::new(0), when).unwrap();
        assert!((said.median - measure(when)).abs() < 1100.0, "{when:?}: {} against {}", said.median, measure(when));
    }
}

#[test]
fn music_of_sixty_four_layers_is_within_the_voices_there_are() {
    let mut text = String::from("[piece.dance]\ntempo = \"120\"\n[piece.dance.section.a]\nbars = 2\n");
    for layer in 0..64 {
        text +=
            &format!("[piece.dance.section.a.layer.l{layer}]\nfile = \"audio/{}.wav\"\nlevel = \"-30 dB\"\n", if layer % 2 == 0 { "long" } else { "minus" });
    }
    let program = music(&text, "");
    let (mut engine, mut remote) = Engine::new(Prepared::new(Arc::clone(&program), 1), Options::default());
    remote.input(estampie_engine::engine::Input { frame: 100, what: InputKind::Go { piece: key("dance"), section: key("a"), on: None } }).unwrap();
    let mut out = vec![0.0; 2 * 48_000];
    engine.render(&mut out);
    assert_eq!(engine.voices(), 64);
    assert!(out.iter().all(|s| s.abs() < 1e-5));
}

#[test]
fn the_metronome_is_heard_on_every_beat_and_never_otherwise() {
    let program = music(&TWO.replace("[piece.dance.section.a.layer.x]\nfile = \"audio/long.wav\"", ""), "");
    let mut bench = Bench::new(&program, 1);
    bench.send(0, InputKind::Metronome { on: true });
    go(&mut bench, 640, "a");
    let (left, _) = bench.render(64 * 1600);
    for beat in 0..4 {
        let at = 640 + beat * 24_000;
        assert!(level(&left[at..at + 1000]) > -30.0 && level(&left[at + 4000..at + 20_000]) < -100.0, "beat {beat}");
    }
    bench.send(0, InputKind::Metronome { on: false });
    bench.render(64 * 100);
    let (left, _) = bench.render(64 * 800);
    assert!(left.iter().all(|s| *s == 0.0));
}

/// What the music of the demo's dive does, with bars and frames. A change of this file is a change of the demo's music.
#[test]
fn the_music_of_the_demos_dive_is_as_it_was() {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/brinewick");
    let workspace = estampie_project::document::Workspace::open(&folder).unwrap();
    let document = workspace.document();
    let wanted: Vec<_> = estampie_project::compile::wanted_audio(document).into_iter().collect();
    let assets = estampie_project::assets::load_all(&folder, &wanted, document.manifest.rate);
    let (program, faults) = estampie_project::compile::compile(document, &assets);
    assert_eq!(faults, []);
    let program = Arc::new(program);
    let (mut text, mut heard) = (String::new(), Vec::new());
    for (name, playthrough) in &document.playthroughs {
        let mut rendering = estampie_proof::offline::Rendering::new(&program, playthrough, None, estampie_engine::units::Seconds(0.0));
        let (mut samples, mut all) = (Vec::new(), Vec::new());
        text += &format!("{name}\n");
        loop {
            rendering.next(48_000, &mut samples, |happening| {
                let name = |k: NameKey| if k.is_none() { "silence" } else { program.names.get(k) };
                text += &match happening.what {
                    What::Section { piece, section, before, bar, .. } => {
                        format!("{:>8} {} {} after {}, bar {}\n", happening.frame, name(piece), name(section), name(before), bar + 1)
                    }
                    What::Sting { stinger, piece, at, .. } => {
                        format!("{:>8} stinger {} in {}, {}.{}\n", happening.frame, name(stinger), name(piece), at.0 + 1, at.1 + 1)
                    }
                    _ => String::new(),
                };
            });
            if samples.is_empty() {
                break;
            }
            all.extend_from_slice(&samples);
        }
        heard.push((format!("demo {name}"), crate::golden::hash(&all)));
    }
    crate::golden::hold(&heard);
    let golden = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data/demo-music.txt");
    let kept = std::fs::read_to_string(&golden).unwrap_or_default();
    assert!(text == kept, "the music is now:\n{text}\nand was:\n{kept}");
}
