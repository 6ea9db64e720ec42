//! Expectations: each form is kept where it should be, and broken with the right words and moment where it should not.

use crate::support::read_and_compile;
use estampie_engine::program::Program;
use estampie_project::document::Document;
use estampie_proof::check::{Broken, count, coverage, expectations, hold, hold_all};
use proptest::prelude::*;
use std::sync::Arc;

const SOUNDS: &str = r#"
[bell]
takes = ["audio/one.wav", "audio/two.wav", "audio/three.wav"]
pick = "cycle"
[hum]
loop = true
bus = "low"
takes = ["audio/low.wav"]
fade-in = "20 ms"
[voice]
bus = "words"
takes = ["audio/four.wav"]
fade-in = "10 ms"
fade-out = "10 ms"
[quiet]
level = "-90 dB"
takes = ["audio/one.wav"]
[cut]
takes = ["audio/dc.wav"]
[shy]
takes = ["audio/one.wav"]
limit = { in-all = 1, when-full = "refuse" }
["deep/a"]
takes = ["audio/one.wav"]
["deep/b"]
takes = ["audio/two.wav"]
[outer]
takes = ["middle"]
[middle]
takes = ["deep/a"]
[near]
takes = ["audio/low.wav"]
loop = true
falloff = { level = ["1 m: 0 dB", "40 m: -40 dB"] }
[moved]
takes = ["audio/low.wav"]
loop = true
"#;

const MIX: &str = r#"
[player-levels]
low = "low"
[buses.low]
level = "-6 dB"
[buses.words]
level = "0 dB"
[snapshots.dark]
rise = "500 ms"
fall = "1 s"
while = "deck is grate"
[snapshots.dark.hold]
"bus low level" = "by -10 dB"
"#;

const MUSIC: &str = r#"
[piece.dance]
tempo = "120"
bus = "low"
[piece.dance.section.a]
bars = 2
[piece.dance.section.a.layer.x]
file = "audio/low.wav"
[piece.dance.section.b]
bars = 2
[piece.dance.section.b.layer.x]
file = "audio/low.wav"
[[piece.dance.transition]]
from = "any"
to = "any"
leave = "next bar"
fade-out = "20 ms"
[[piece.dance.transition]]
from = "a"
to = "b"
leave = "next bar"
fade-out = "20 ms"
[[piece.dance.transition]]
from = "b"
to = "a"
leave = "next bar"
fade-out = "20 ms"
[stinger.dread]
sound = "bell"
on = "next beat"
"#;

const GAME_MORE: &str = r#"
[events]
bell = "a"
hum = "a"
hush = "a"
voice = "a"
quiet = "a"
cut = "a"
shy = "a"
deep = "a"
outer = "a"
near = "a"
moved = "a"
begin = "a"
turn = "a"
sting = "a"
[emitters]
eel = "long and pale"
[parameters.lift]
range = "0..1"
[states.deck]
values = ["plank", "grate"]
"#;

const REACTIONS: &str = "When bell\n  play bell\n\nWhen hum\n  play hum\n\nWhen hush\n  stop hum\n\nWhen voice\n  play voice\n\nWhen quiet\n  play quiet\n\nWhen cut\n  play cut\n\nWhen shy\n  play shy\n\nWhen deep\n  play deep/a\n  play deep/b\n\nWhen outer\n  play outer\n\nWhen near\n  play near at eel\n\nWhen moved\n  play moved\n\nWhen begin\n  go dance\n\nWhen turn\n  go dance to b\n\nWhen sting\n  sting dread\n";

const MODULATION: &str = "[[modulation]]\nfrom = \"lift\"\nmoves = \"moved level\"\ncurve = [\"0: -20 dB\", \"1: 0 dB\"]\n";

fn project(play: &str, checks: &str) -> (Arc<Program>, Document) {
    let (program, document, faults) = read_and_compile(&[
        ("sounds/all.toml", SOUNDS),
        ("mix.toml", MIX),
        ("music/all.toml", MUSIC),
        ("game.toml", GAME_MORE),
        ("modulation.toml", MODULATION),
        ("reactions.est", REACTIONS),
        ("playthroughs/p.play", play),
        ("checks.est", checks),
    ]);
    assert_eq!(faults, Vec::<String>::new());
    (program, document)
}

fn held(play: &str, checks: &str) -> Vec<Broken> {
    let (program, document) = project(play, checks);
    let (name, playthrough) = &document.playthroughs[0];
    hold(&program, &document, (name, playthrough), &|| true).unwrap()
}

/// Plays inputs, and holds one expectation after another against them: what each came to in words, or nothing where it was kept.
fn judged(inputs: &str, expected: &[(&str, &str)]) {
    for (line, words) in expected {
        let (at, text) = line.split_once(' ').unwrap();
        let broken = held(&format!("{inputs}{at} expect {text}\n12 end\n"), "");
        let was: Vec<&str> = broken.iter().map(|b| b.was.as_str()).collect();
        match *words {
            "" => assert_eq!(was, Vec::<&str>::new(), "{line}"),
            words => assert!(was.len() == 1 && was[0].contains(words), "{line}: {was:?}, and not {words}"),
        }
    }
}

#[test]
fn what_is_heard_is_told_from_what_is_not() {
    judged(
        "1 send bell\n3 send bell\n3.4 send quiet\n5 send shy\n5.5 send shy\n",
        &[
            ("1 bell heard within 0.1 s", ""),
            ("0.5 bell heard within 0.6 s", ""),
            ("0.5 bell heard within 0.4 s", "it began 0.50 s after"),
            ("1.2 bell heard", ""),
            ("3.2 bell heard", "it began 0.20 s before, and not again"),
            ("0 voice heard", "it was never heard"),
            ("3 quiet heard within 1 s", "it was never heard; it was played, more than 70 dB down"),
            ("5.2 shy heard within 1 s", "at 5.50 s it was refused: 1 is playing, limit 1"),
            ("1.1 bell never heard within 1.8 s", ""),
            ("1.1 bell never heard within 2 s", "it began 1.90 s after"),
            ("3.1 bell never heard", ""),
            ("0 bell not heard again within 1.9 s", ""),
            ("0 bell not heard again within 2.1 s", "it began again 2.00 s after"),
            ("0 at least 2 takes of bell heard", ""),
            ("0 at least 3 takes of bell heard", "2 takes were heard"),
            ("2 at least 2 takes of bell heard", "one take was heard"),
        ],
    );
}

#[test]
fn how_many_and_how_loud() {
    judged(
        "0.5 send hum\n2 send voice\n4 send deep\n4.2 send deep\n6 player level low 0\n",
        &[
            ("0 never more than 4 of deep", ""),
            ("0 never more than 3 of deep", "4 at once"),
            ("0 never more than 2 of deep/a", ""),
            ("0 voice over low by 3 dB", ""),
            ("0 voice over low by 12 dB", "only 5.5 dB over"),
            ("0 hum over words by 1 dB", ""),
            ("0 cut over low by 1 dB", "cut was not heard"),
            ("7 low silent", ""),
            ("0 low silent within 0.4 s", ""),
            ("0 low silent", "it had a peak of"),
            ("1 words quieter than low by 6 dB within 0.8 s", ""),
            ("2.1 words quieter than low by 1 dB within 0.7 s", "words was"),
            ("0 no silence over 7 s", ""),
            ("0 no silence over 6 s", "nothing was heard for 6."),
            ("0 true peak under 1 dBTP", ""),
            ("0 true peak under 0 dBTP", "0.02 dBTP"),
            ("0 loudness short-term between -60 and -5 LUFS", ""),
            ("0 loudness short-term between -60 and -10 LUFS", "-7.6 LUFS"),
            ("0 loudness momentary between -40 and -30 LUFS", "LUFS"),
            ("0 loudness integrated between -40 and -5 LUFS", ""),
            ("0 loudness integrated between -40 and -10 LUFS", "-9.6 LUFS"),
        ],
    );
}

#[test]
fn clicks_snapshots_and_what_follows() {
    // A tone that is cut off hard is a click; that recording begins and ends so, and is excused.
    judged("1 send hum\n3 send hush\n4 send cut\n", &[("0 no click", "")]);
    judged(
        "1 deck is grate\n4 deck is plank\n",
        &[
            ("1 snapshot dark at 100 % within 0.6 s", ""),
            ("1 snapshot dark at 100 % within 0.3 s", "% was the nearest that it came"),
            ("0.5 snapshot dark at 0 %", ""),
            ("4 snapshot dark at 0 % within 1.1 s", ""),
            ("2 snapshot dark at 50 %", "100 % was the nearest"),
        ],
    );
    judged(
        "0 listener at 0, 0\n0 emitter eel at 0, 2\n0.5 send near\n1 emitter eel at 0, 30 over 4 s\n6 send moved\n6.5 lift 0 to 1 over 3 s\n",
        &[
            ("0 level of near falls while distance grows", ""),
            ("0 level of near rises while distance falls", ""),
            ("0 level of near rises while distance grows", "and its level from"),
            ("6 level of moved rises while lift grows", ""),
            ("6 level of moved falls while lift grows", "lift went from 0.0"),
            ("0 level of near falls while lift grows", "lift went from"),
            ("0 level of bell rises while lift grows", "lift stood still while bell was heard"),
        ],
    );
}

#[test]
fn music_is_where_it_should_be_when_it_should_be() {
    // Bars of two seconds from 1.0 s on; asked in the middle of one.
    judged(
        "1 send begin\n3.5 send turn\n6.3 send sting\n",
        &[
            ("1 dance in a within 1 bar", ""),
            ("0 dance in a within 0.5 s", "it came 1.00 s after"),
            ("3.5 dance in b within 1 bar", ""),
            ("3.5 dance in b within 2 s", ""),
            ("3.5 dance in b within 1 s", "it came 1.50 s after"),
            ("3.5 dance in b within 0.5 bars", "it came 1.50 s after"),
            ("6 dance in a within 1 bar", "it was in b, and never came there"),
            ("0 dance in silence within 0 s", ""),
            ("6 stinger dread within 1 s", ""),
            ("6 stinger dread within 0.2 s", "it came 0.50 s after"),
            ("7 stinger dread", "it never came"),
            ("0 stinger dread on the beat", ""),
            ("0 stinger dread on the bar", "it came on beat 4"),
        ],
    );
}

#[test]
fn those_of_all_playthroughs_hold_for_each_and_names_are_looked_up() {
    let checks = "# all\nalways expect bell heard within 2 s\nalways expect true peak under 0 dBTP\n";
    let (program, document) = project("1 send bell\n5 end\n", checks);
    let mut document = document;
    let silent = estampie_project::language::playthrough::parse("playthroughs/q.play", "3 send hum\n5 end\n").0;
    document.playthroughs.push(("q".into(), Arc::new(silent)));
    let second = &document.playthroughs[1].1;
    assert_eq!((expectations(&document, second).len(), count(&document, second)), (2, 2));
    let seen = std::sync::Mutex::new(Vec::new());
    let broken = hold_all(&program, &document, |name| {
        seen.lock().unwrap().push(name.to_owned());
        true
    });
    assert_eq!(broken.len(), 1);
    let line = broken[0].to_string();
    assert_eq!(line, "checks.est:2:1: q, from 0.00 s: expected bell heard within 2 s; it was never heard");
    let mut seen = seen.into_inner().unwrap();
    seen.sort();
    assert_eq!(seen, ["p", "q"]);
    // What the project does not have is a fault, with the nearest name.
    for (text, what) in [
        ("bel heard", "there is no sound bel; bell?"),
        ("voice over lo by 1 dB", "there is no bus lo"),
        ("dance in c within 1 s", "there is no section c"),
        ("danse in a within 1 s", "there is no piece danse"),
        ("stinger dred", "there is no stinger dred"),
        ("snapshot drk at 0 %", "there is no snapshot drk"),
        ("level of hum rises while lit grows", "there is no parameter lit"),
        ("never more than 2 of deeep", "there is no sound, group or beginning of names deeep"),
    ] {
        let (_, _, faults) = read_and_compile(&[
            ("sounds/all.toml", SOUNDS),
            ("mix.toml", MIX),
            ("music/all.toml", MUSIC),
            ("game.toml", GAME_MORE),
            ("modulation.toml", MODULATION),
            ("reactions.est", REACTIONS),
            ("checks.est", &format!("always expect {text}\n")),
        ]);
        assert!(faults.len() == 1 && faults[0].contains(what.split(';').next().unwrap()), "{text}: {faults:?}");
    }
}

#[test]
fn what_playthroughs_come_by_is_counted_and_what_none_does_comes_first() {
    let (program, mut document) =
        project("1 send bell\n2 send bell\n3 send shy\n3.2 send shy\n4 deck is grate\n5 send begin\n6 send turn\n9 send sting\n11 end\n", "");
    let other = estampie_project::language::playthrough::parse("playthroughs/q.play", "1 send bell\n2 send deep\n2.5 send outer\n3 end\n").0;
    document.playthroughs.push(("q".into(), Arc::new(other)));
    let found = coverage(&program, &document, |_| true);
    let of = |kind: &str, name: &str| {
        let (_, all) = found.kinds.iter().find(|(word, _)| *word == kind).unwrap();
        all[name].iter().map(|(playthrough, count)| (playthrough.as_str(), *count)).collect::<Vec<_>>()
    };
    // The stinger rings the bell once more.
    assert_eq!(of("sounds", "bell"), [("p", 3), ("q", 1)]);
    assert_eq!((of("events", "bell"), of("reactions", "When deep")), (vec![("p", 2), ("q", 1)], vec![("q", 1)]));
    assert_eq!((of("sections", "dance/a"), of("sections", "dance/b")), (vec![("p", 1)], vec![("p", 1)]));
    assert_eq!((of("transitions", "dance a ⟶ b"), of("transitions", "dance b ⟶ a")), (vec![("p", 1)], vec![]));
    assert_eq!((of("stingers", "dread"), of("snapshots", "dark")), (vec![("p", 1)], vec![("p", 1)]));
    // One between the one that is asked for and the one whose take is heard is come by, too.
    assert_eq!((of("sounds", "outer"), of("sounds", "middle"), of("sounds", "deep/a")), (vec![("q", 1)], vec![("q", 1)], vec![("q", 2)]));
    let (all, never) = found.never("sounds");
    assert_eq!((all, never.len(), never.contains(&"hum"), never.contains(&"shy")), (document.sounds.len(), 6, true, false));
    assert_eq!(found.refused.iter().map(|((sound, _), counts)| (sound.as_str(), counts["p"])).collect::<Vec<_>>(), [("shy", 1)]);
    let json = found.to_json();
    let sounds = json["sounds"].as_array().unwrap();
    assert_eq!((sounds[0]["count"].as_u64(), sounds.last().unwrap()["name"].as_str()), (Some(0), Some("bell")));
    assert_eq!(json["refused"][0]["why"].as_str(), Some("limit in all"));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]
    /// Against what is plain from the inputs: when bells are struck, and how many.
    #[test]
    fn random_strokes_are_judged_as_a_plain_count_judges_them(
        strokes in prop::collection::vec(0u32..80, 0..8), at in 0u32..80, within in 1u32..40, apart in 1u32..30,
    ) {
        let mut times: Vec<u32> = strokes;
        times.sort_unstable();
        times.dedup();
        let inputs: String = times.iter().map(|t| format!("{} send bell\n", f64::from(*t) / 10.0)).collect();
        let (from, span) = (f64::from(at) / 10.0, f64::from(within) / 10.0);
        let hit = times.iter().any(|t| (at..=at + within).contains(t));
        let after: Vec<u32> = times.iter().copied().filter(|t| *t >= at).collect();
        let near = after.windows(2).any(|w| w[1] - w[0] < apart);
        let takes = after.len().min(3);
        for (text, kept) in [
            (format!("bell heard within {span} s"), hit),
            (format!("bell never heard within {span} s"), !hit),
            (format!("bell not heard again within {} s", f64::from(apart) / 10.0), !near),
            (format!("at least {takes} takes of bell heard"), true),
            (format!("at least {} takes of bell heard", takes + 1), false),
        ] {
            let broken = held(&format!("{inputs}{from} expect {text}\n10 end\n"), "");
            prop_assert_eq!(broken.is_empty(), kept, "{}: {:?} at {:?}", text, broken, times);
        }
    }
}

/// Two rooms with a hatch between them, effects, and reactions on conditions.
fn rooms(play: &str, sounds: &str) -> (Arc<Program>, Document) {
    let world = "start = \"10, 1\"\n[zones.street]\noutline = [\"0, 0\", \"20, 0\", \"20, 10\", \"0, 10\"]\n[zones.nave]\noutline = [\"20, 0\", \"40, 0\", \"40, 10\", \"20, 10\"]\ninside = { level = \"-15 dB\" }\n        [doorways.gate]\nbetween = [\"street\", \"nave\"]\nline = [\"20, 4\", \"20, 6\"]\nopen = \"gate\"\nclosed = { level = \"-90 dB\" }\n        [doorways.far]\nbetween = [\"street\", \"nave\"]\nline = [\"20, 8\", \"20, 9\"]\nopen = \"gate\"\nclosed = { level = \"-90 dB\" }\n";
    let mix = "[buses.low]\n[buses.low.effect.limiter]\nceiling = \"-30 dB\"\n[buses.low.effect.eq]\n[buses.words]\n[buses.words.effect.eq]\n[buses.words.effect.limiter]\nceiling = \"0 dB\"\n";
    let game = "[events]\nhum = \"a\"\nbell = \"a\"\nother = \"a\"\n[emitters]\neel = \"a\"\n[parameters.gate]\nrange = \"0..1\"\n[states.deck]\nvalues = [\"plank\", \"grate\"]\n";
    let reactions = "When hum\n  play hum at eel\n\nWhen bell and deck is grate and gate over 0.5\n  play bell\n\nWhen every 1 s while deck is grate\n  play bell\n\nWhen other\n  play other\n";
    let (program, document, faults) = read_and_compile(&[
        ("sounds/all.toml", sounds),
        ("mix.toml", mix),
        ("game.toml", game),
        ("world.toml", world),
        ("reactions.est", reactions),
        ("playthroughs/p.play", play),
    ]);
    assert_eq!(faults, Vec::<String>::new());
    (program, document)
}

const ROOMS: &str = "[hum]\nloop = true\nbus = \"low\"\ntakes = [\"audio/low.wav\"]\nfade-in = \"20 ms\"\nfalloff = { level = [\"1 m: 0 dB\", \"80 m: -40 dB\"] }\n[bell]\ntakes = [\"audio/one.wav\"]\n[other]\nbus = \"words\"\ntakes = [\"audio/one.wav\", \"audio/two.wav\"]\n";

#[test]
fn conditions_doorways_and_effects_count_while_they_are_at_work() {
    let of = |play: &str| {
        let (program, document) = rooms(play, ROOMS);
        let found = coverage(&program, &document, |_| true);
        move |kind: &str, name: &str| found.count(kind, name)
    };
    let bell = "When bell and deck is grate and gate over 0.5";
    // Asked one after the other until one fails: the gate only where the deck is right.
    let count = of("0.1 gate 0\n0.2 send bell\n0.3 send bell\n0.4 deck is grate\n0.5 send bell\n0.6 gate 1\n0.7 send bell\n2.6 end\n");
    let asked =
        |condition: &str, head: &str| [true, false].map(|h| count("conditions", &format!("{condition} {} in {head}", if h { "holds" } else { "fails" })));
    assert_eq!(asked("deck is grate", bell), [Some(2), Some(2)]);
    assert_eq!(asked("gate over 0.5", bell), [Some(1), Some(1)]);
    // A clock is asked in every block: what counts is when the answer changes.
    assert_eq!(asked("deck is grate", "When every 1 s while deck is grate"), [Some(1), Some(1)]);
    assert_eq!(count("conditions", "deck is plank holds in When bell"), None);
    // From the nave into the street by the gate, which lets most through; nothing while it is shut.
    let count = of("0 emitter eel at 30, 1\n0.1 gate 0\n0.5 send hum\n4 end\n");
    assert_eq!((count("doorways", "gate"), count("doorways", "far")), (Some(0), Some(0)));
    assert_eq!((count("effects", "low eq"), count("effects", "words eq"), count("effects", "words limiter")), (Some(1), Some(0), Some(0)));
    let count = of("0 emitter eel at 30, 5\n0.1 gate 1\n0.5 send hum\n3 send other\n4 end\n");
    assert_eq!((count("doorways", "gate"), count("doorways", "far")), (Some(1), Some(0)));
    // What turns down counts when it does: the one over -30 dB, not the one over 0.
    assert_eq!((count("effects", "low limiter"), count("effects", "words eq"), count("effects", "words limiter")), (Some(1), Some(1), Some(0)));
}

#[test]
fn what_an_edit_does_not_touch_gives_the_same_samples() {
    use estampie_project::document::Sources;
    use estampie_proof::check::{listen, touched};
    let play = "0 emitter eel at 30, 5\n0.1 gate 1\n0.2 send hum\n0.4 deck is grate\n3 end\n";
    let render = |sounds: &str| {
        let (program, document) = rooms(play, sounds);
        let (name, playthrough) = &document.playthroughs[0];
        let listened = listen(&program, &document, (name, playthrough), &|| true).unwrap();
        (listened.coverage, estampie_proof::offline::render(&program, playthrough, None).0)
    };
    let (coverage, before) = render(ROOMS);
    let sources = |sounds: &str| Sources::from_texts([("sounds/all.toml", sounds)]);
    for (of, changes) in [("[other]", false), ("[bell]", true), ("[hum]", true)] {
        let edited =
            ROOMS.replace(of, &format!("[new]\ntakes = [\"audio/two.wav\"]\n{of}\nlevel = \"-3 dB\"\npriority = 90\nvary = {{ level = \"-1..1 dB\" }}"));
        let touched = touched(&sources(ROOMS), &sources(&edited));
        assert_eq!(touched.changes("p", &coverage), changes, "{of}");
        assert_eq!(render(&edited).1 == before, !changes, "{of}");
    }
}
