//! Projects as people and accidents write them: every fault told at once, with its place and its fix; nothing panics.

use crate::support::{GAME, assets};
use estampie_project::compile::compile;
use estampie_project::document::{Document, Fault, Reader, Sources, Workspace};
use proptest::prelude::*;
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

fn faults_of(files: &[(&str, &str)]) -> Vec<String> {
    let mut all = vec![("estampie.toml", "format = 1\nname = \"t\"\n"), ("game.toml", GAME)];
    for file in files {
        all.retain(|f| f.0 != file.0);
        all.push(*file);
    }
    told(&Sources::from_texts(all)).iter().map(ToString::to_string).collect()
}

fn told(sources: &Sources) -> Vec<Fault> {
    let audio: BTreeSet<String> = ["one", "two", "stereo"].map(|n| format!("audio/{n}.wav")).into();
    let (document, mut faults) = Document::read(sources, &audio);
    faults.extend(compile(&document, &assets()).1);
    faults
}

fn has(faults: &[String], start: &str, part: &str) {
    assert!(faults.iter().any(|f| f.starts_with(start) && f.contains(part)), "no \"{start} … {part}\" in {faults:#?}");
}

#[test]
fn all_faults_are_told_at_once_with_place_and_fix() {
    let sounds = "[hull/groan]\ntakes = [\"audio/one.wav\"]\n\n[\"hull/groan-deep\"]\nbus = \"hul\"\nlvel = \"-3 dB\"\nlevel = \"loud\"\ntakes = [\"audio/onee.wav\"]\n[\"step\"]\npick = \"by dek\"\ntakes = { plank = [\"audio/one.wav\"] }\n";
    let faults = faults_of(&[
        ("sounds/a.toml", sounds),
        ("mix.toml", "[buses.hull]\ninto = \"mian\"\n[buses.a]\ninto = \"b\"\n[buses.b]\ninto = \"a\"\n"),
        (
            "modulation.toml",
            "[[modulation]]\nfrom = \"strian\"\nmoves = \"hull/groan-deep levl\"\ncurve = [\"0: 0 dB\"]\n[[modulation]]\nfrom = \"depth\"\nmoves = \"step level\"\ncurve = [\"10 km: 0 dB\", \"5: 1 dB\", \"4: 2 dB\"]\n",
        ),
        (
            "reactions.est",
            "When hul.struck\n  play hull/groan\nWhen hit and strain over 3\n  play hull/groan-dep\n  set deck to plnk\nWhen deck becomes over 3\n  play step\n",
        ),
        ("playthroughs/p.play", "0 send hitt\n1 strain 0.5\n2 dek is plank\n"),
    ]);
    has(&faults, "sounds/a.toml:1:", "");
    has(&faults, "sounds/a.toml:5:7: there is no bus hul", "hull?");
    has(&faults, "sounds/a.toml:6:1: the sound hull/groan-deep has no field lvel", "level?");
    has(&faults, "sounds/a.toml:7:9: level of the sound hull/groan-deep: \"loud\" is not a level", "-6 dB");
    has(&faults, "sounds/a.toml:8:10: there is no file audio/onee.wav", "audio/one.wav?");
    has(&faults, "sounds/a.toml:10:8: there is no state or parameter dek", "deck?");
    has(&faults, "mix.toml:2:8: there is no bus mian", "main?");
    has(&faults, "mix.toml", "these buses run in a circle: a ⟶ b ⟶ a");
    has(&faults, "modulation.toml:3:9: \"levl\" is not a property", "level?");
    has(&faults, "modulation.toml:8:10: \"km\" is not the unit of the parameter, which is m", "");
    has(&faults, "modulation.toml:8:36: the point \"4: 2 dB\" does not lie after", "rising");
    has(&faults, "reactions.est:1:6: there is no event hul.struck", "");
    has(&faults, "reactions.est:3:14: strain is never over 3", "0 to 1");
    has(&faults, "reactions.est:4:8: there is no sound hull/groan-dep", "hull/groan-deep?");
    has(&faults, "reactions.est:5:15: the state deck has no value plnk", "plank?");
    has(&faults, "reactions.est:6:6: deck is a state", "\"is\"");
    has(&faults, "playthroughs/p.play:1:8: there is no event hitt", "hit?");
    has(&faults, "playthroughs/p.play:3:3: there is no state dek", "deck?");
}

#[test]
fn what_is_sound_works_beside_what_is_not() {
    let sources = Sources::from_texts([
        ("estampie.toml", "format = 1\nname = \"t\"\nvoices = none\n"),
        ("game.toml", GAME),
        ("sounds/a.toml", "[one]\ntakes = [\"audio/one.wav\"]\nlevel = = 3\n[two]\ntakes = [\"audio/two.wav\"]\n"),
        ("reactions.est", "When hit\n  play one\n  play three\n"),
    ]);
    let audio: BTreeSet<String> = ["one", "two"].map(|n| format!("audio/{n}.wav")).into();
    let (document, faults) = Document::read(&sources, &audio);
    assert_eq!(faults.len(), 2, "{faults:?}");
    assert_eq!(document.sounds.len(), 2, "a line that cannot be read spoils only itself");
    let (program, more) = compile(&document, &assets());
    assert_eq!(more.len(), 1, "{more:?}");
    assert_eq!(program.reactions.first().unwrap().actions.len(), 1);
}

#[test]
fn sounds_that_lead_back_to_themselves_are_refused_by_name() {
    let faults = faults_of(&[("sounds/a.toml", "[a]\ntakes = [\"b\"]\n[b]\ntakes = [\"c\", \"audio/one.wav\"]\n[c]\ntakes = [\"a\"]\n[d]\ntakes = [\"d\"]\n")]);
    has(&faults, "sounds/a.toml:6:10: these sounds are takes of each other in a circle", "a ⟶ b ⟶ c ⟶ a");
    has(&faults, "sounds/a.toml:8:", "d has itself as a take");
    let deep: String = (0..12).map(|n| format!("[s{n}]\ntakes = [\"s{}\"]\n", n + 1)).collect::<String>() + "[s12]\ntakes = [\"audio/one.wav\"]\n";
    has(&faults_of(&[("sounds/a.toml", &deep)]), "sounds/a.toml", "nested more than 8 deep");
}

#[test]
fn paths_that_leave_the_project_are_refused() {
    for path in ["audio/../../secret.wav", "/etc/tone.wav", "..\\\\tone.wav", "c:/tone.wav"] {
        let faults = faults_of(&[("sounds/a.toml", &format!("[a]\ntakes = [\"{path}\"]\n"))]);
        has(&faults, "sounds/a.toml:2:10", "leads out of the project");
    }
    let folder = tempfile::tempdir().unwrap();
    let outside = tempfile::tempdir().unwrap();
    std::fs::write(outside.path().join("x.wav"), b"RIFF").unwrap();
    std::fs::create_dir(folder.path().join("audio")).unwrap();
    #[cfg(unix)]
    std::os::unix::fs::symlink(outside.path().join("x.wav"), folder.path().join("audio/x.wav")).unwrap();
    assert!(estampie_project::document::list_audio(folder.path()).0.is_empty(), "a link that leads out is not followed");
    #[cfg(unix)]
    {
        std::os::unix::fs::symlink(outside.path(), folder.path().join("audio/more")).unwrap();
        let faults = estampie_project::document::list_audio(folder.path()).1;
        assert!(faults.len() == 1 && faults[0].to_string().starts_with("audio/more: this folder is a link"), "{faults:?}");
    }
}

#[test]
fn two_things_of_one_name_name_both_places() {
    let faults = faults_of(&[("sounds/a.toml", "[one]\ntakes = [\"audio/one.wav\"]\n"), ("sounds/b.toml", "[one]\ntakes = [\"audio/two.wav\"]\n")]);
    has(&faults, "sounds/b.toml:1:2: there is a sound one already, at sounds/a.toml:1:2", "another name");
}

#[test]
fn files_that_are_no_text_are_a_fault_and_no_end() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("estampie.toml"), "format = 1\n").unwrap();
    std::fs::write(folder.path().join("game.toml"), [0xff, 0xfe, 0, 0]).unwrap();
    let workspace = Workspace::open(folder.path()).unwrap();
    assert!(workspace.faults()[0].to_string().starts_with("game.toml: this file cannot be read: it is not UTF-8 text"), "{:?}", workspace.faults());
}

fn demo() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/brinewick")
}

#[test]
fn the_demo_has_no_faults_and_is_as_rich_as_it_should_be() {
    let workspace = Workspace::open(&demo()).unwrap();
    assert_eq!(workspace.faults(), []);
    let document = workspace.document();
    let (program, faults) = compile(document, &Default::default());
    assert_eq!(faults, vec![]);
    assert!(program.sounds.len() >= 35 && program.reactions.len() >= 30 && program.modulations.len() >= 15 && program.states.len() >= 3);
    use estampie_project::document::{PickDoc, ValueOf};
    let has = |what: &str, found: bool| assert!(found, "the demo has no {what}");
    let any = |of: fn(&estampie_project::document::SoundDoc) -> bool| document.sounds.iter().any(|sound| of(sound));
    has("shuffle", any(|s| matches!(s.pick, PickDoc::Shuffle(_))));
    has("weights", any(|s| matches!(s.pick, PickDoc::Weighted(_))));
    has("cycle", any(|s| s.pick == PickDoc::Cycle));
    has("takes together", any(|s| s.pick == PickDoc::Together));
    has("pick by a state or a parameter", any(|s| matches!(s.pick, PickDoc::By(_))));
    has("cross-fade", any(|s| matches!(s.pick, PickDoc::Across(..))));
    has("chain", any(|s| s.chain.len() > 2) && any(|s| s.chain.iter().any(|p| p.gap > 0.0)));
    has("repeat and grains", any(|s| s.repeat.is_some_and(|r| r.length.is_none())) && any(|s| s.repeat.is_some_and(|r| r.length.is_some())));
    has("refusal that is an event", any(|s| s.when_refused.is_some()));
    has("shared settings", any(|s| s.vary.like.is_some()) && any(|s| s.falloff.like.is_some()) && any(|s| s.group.is_some()));
    let lines = document.sounds.iter().find(|s| s.name == "dispatcher/report").unwrap();
    assert_eq!((lines.groups.len(), lines.groups.iter().map(|(_, t)| t.len()).sum::<usize>()), (5, 20));
    let sweeps = document.reactions.iter().flat_map(|r| &r.actions).filter(|a| a.action.kind.verb == "sweep").count();
    has("sweep", sweeps > 0);
    let of = |wanted: fn(&ValueOf) -> bool| document.parameters.iter().filter(|p| wanted(&p.source)).count();
    assert!(of(|s| matches!(s, ValueOf::Formula(_))) >= 2 && of(|s| matches!(s, ValueOf::Measure(_))) >= 3);
    let buses = || document.buses.iter();
    assert_eq!((buses().filter(|b| b.returns).count(), document.snapshots.len(), document.player_levels.len()), (2, 5, 4));
    has("sends, effects, a shared one", buses().any(|b| !b.sends.is_empty()) && buses().flat_map(|b| &b.effects).filter(|i| i.like.is_some()).count() > 1);
    has("ducking of music by the dispatcher", document.ducks.iter().any(|d| d.key.value == "bus radio" && d.ducks.value == "music"));
    let settings = document.modulations.iter().filter(|m| matches!(m.property, estampie_engine::property::Property::Setting(_))).count();
    assert!(settings >= 3, "effects moved by parameters: {settings}");
    let unused = estampie_project::survey::survey(document);
    assert_eq!(unused, estampie_project::survey::Survey::default(), "all of it is wired");
    let names: Vec<&str> = document.playthroughs.iter().map(|(n, _)| n.as_str()).collect();
    assert_eq!(names, ["first-dive", "stuck-hatch", "tide-race"]);
    // first-dive and the race use every event of the game.
    let played = |name: &str| workspace.sources().get(&format!("playthroughs/{name}.play")).unwrap().to_string();
    let text = played("first-dive") + &played("tide-race");
    for event in &document.events {
        let sent_by_reaction = matches!(event.name.as_str(), "eel.call" | "boost.denied");
        assert!(sent_by_reaction || text.contains(&format!("send {}", event.name)), "{}", event.name);
    }
    for parameter in document.parameters.iter().filter(|p| p.source == ValueOf::Game) {
        assert!(text.contains(&format!(" {} ", parameter.name)), "{}", parameter.name);
    }
}

#[test]
fn a_project_in_which_nothing_is_written_compiles() {
    assert_eq!(told(&Sources::from_texts([("estampie.toml", "format = 1\n")])), vec![]);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]
    #[test]
    fn no_damage_to_the_demo_makes_reading_panic(file in 0usize..13, cut in 0usize..4000, length in 0usize..40, put in "([\\[\\]{}=\"\\\\.,\n#]|[a-z0-9 ]){0,12}") {
        let (sources, _) = Sources::read(&demo()).unwrap();
        let names: Vec<String> = sources.texts().map(|(f, _)| f.to_owned()).collect();
        let name = &names[file % names.len()];
        let mut text: Vec<char> = sources.get(name).unwrap().chars().collect();
        let from = cut % (text.len() + 1);
        let to = (from + length).min(text.len());
        text.splice(from..to, put.chars());
        let mut damaged = sources.clone();
        damaged.set(name, &text.into_iter().collect::<String>());
        for fault in told(&damaged) {
            prop_assert!(!fault.what.is_empty() && !fault.fix.is_empty() && !fault.place.file.is_empty(), "{fault:?}");
        }
    }
}

#[test]
fn a_word_that_a_thing_had_before_is_told_with_the_one_it_has() {
    let faults = |files: &[(&str, &str)]| crate::support::compile_with(files).1.join("\n");
    let sound = |text: &str| faults(&[("sounds/all.toml", &format!("[x]\ntakes = [\"audio/one.wav\"]\n{text}\n"))]);
    for (text, told) in [
        ("again-after = \"1 s\"", "again-after of the sound x is called cooldown"),
        ("lines = { speaker = \"s\" }", "is called character"),
        ("lines = { worth = \"3 s\" }", "is called expires-after"),
        ("limit = { all = 3 }", "is called in-all"),
        ("volume = \"-6 dB\"", "is called level"),
        ("vary = { pitch = \"-1..1 st, gathered\" }", "gathered is called centred: write \"-1..1 st, centred\""),
        ("shape = { curve = \"straight\" }", "straight is called linear"),
        ("falloff = { level = [\"0 m: 0 dB, held\", \"9 m: -9 dB\"] }", "held is called stepped"),
        ("falloff = { level = \"natural from 2 m to 40 m\" }", "natural is called gentle"),
    ] {
        let all = sound(text);
        assert!(all.lines().count() == 1 && all.contains(told), "{text}: {all}");
    }
    let mix = "[buses.a]\nsend = { r = \"-9 dB, before the level\" }\n[buses.r]\nreturn = true\n[buses.r.effect.reverb]\nwet = \"100 %\"\n";
    assert!(faults(&[("mix.toml", mix)]).contains("before the level is called pre-fader"), "{}", faults(&[("mix.toml", mix)]));
    let duck = "[buses.a]\n[[duck]]\nkey = \"bus a\"\nducks = \"a\"\n";
    assert!(faults(&[("mix.toml", duck)]).contains("is called sidechain"), "{}", faults(&[("mix.toml", duck)]));
    let all = faults(&[("mix.toml", "[buses.all]\n"), ("sounds/all.toml", "[x]\nbus = \"main\"\ntakes = [\"audio/one.wav\"]\n")]);
    assert!(all.lines().count() == 1 && all.contains("the last bus is called main"), "{all}");
    let insert = faults(&[("mix.toml", "[buses.a.insert.gain]\n")]);
    assert!(insert.lines().count() == 1 && insert.contains("insert of the bus a is called effect"), "{insert}");
    let piece = faults(&[("music/a.toml", "[piece.a]\nholds-down = { b = { by = \"-6 dB\" } }\n")]);
    assert!(piece.contains("holds-down of the piece a is called ducks"), "{piece}");
    let effect = |text: &str| faults(&[("mix.toml", &format!("[buses.a.effect.{text}\n"))]);
    for (text, told) in [
        ("eq]\na-at = \"300 Hz\"", "a-at of the effect eq of a is called band-1-freq"),
        ("tremolo]\nspeed = \"3 Hz\"", "speed of the effect tremolo of a is called rate"),
        ("echo]\nway = \"ping-pong\"", "way of the effect echo of a is called mode"),
    ] {
        assert!(effect(text).contains(told), "{}", effect(text));
    }
    let weather = faults(&[("world.toml", "[weather.gust]\nbearing = \"90\"\n")]);
    assert!(weather.contains("is called bearings"), "{weather}");
    assert!(faults(&[("reactions.est", "When hit\n  bring in dance/x\n")]).contains("bring in is called fade in"));
    let game = "[parameters.p]\nrange = \"0..1\"\nrest = \"1\"\n";
    assert!(faults(&[("game.toml", game)]).contains("rest of the parameter p is called default"));
}

#[test]
fn what_is_read_file_by_file_as_it_changes_is_what_is_read_anew() {
    let (begun, faults) = Sources::read(&demo()).unwrap();
    assert!(faults.is_empty());
    let audio: BTreeSet<String> = Workspace::open(&demo()).unwrap().audio().clone();
    let files: Vec<String> = begun.texts().map(|(file, _)| file.to_owned()).collect();
    let (mut reader, mut sources, mut heard) = (Reader::default(), begun.clone(), audio.clone());
    let mut seed = 7u64;
    let mut any = |below: usize| {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
        (seed >> 33) as usize % below
    };
    let mut wrong = 0;
    for turn in 0..60 {
        let file = &files[any(files.len())];
        match any(6) {
            // As it was at first.
            0 => sources.set(file, begun.get(file).unwrap()),
            // Gone, with all that is named in it.
            1 if file != "estampie.toml" => sources.remove(file),
            // A copy under another name: all of it is there twice.
            2 if file.starts_with("sounds/") => sources.set("sounds/zz-copy.toml", begun.get(file).unwrap()),
            // Files of audio go and come back.
            3 => heard = if heard.len() == audio.len() { audio.iter().skip(any(40)).step_by(2).cloned().collect() } else { audio.clone() },
            // A line less, which may be half of a table.
            _ => {
                let text = sources.get(file).map_or_else(String::new, ToString::to_string);
                let lines: Vec<&str> = text.lines().collect();
                let out = any(lines.len().max(1));
                let left: Vec<&str> = lines.iter().enumerate().filter(|(at, _)| *at != out).map(|(_, line)| *line).collect();
                sources.set(file, &(left.join("\n") + "\n"));
            }
        }
        let (kept, kept_faults) = reader.read(&sources, &heard);
        let (new, new_faults) = Document::read(&sources, &heard);
        wrong += usize::from(!new_faults.is_empty());
        assert_eq!(kept_faults, new_faults, "turn {turn}, {file}");
        assert_eq!(format!("{kept:?}"), format!("{new:?}"), "turn {turn}, {file}");
    }
    assert!(wrong > 20, "what is at fault was among it: {wrong}");
}
