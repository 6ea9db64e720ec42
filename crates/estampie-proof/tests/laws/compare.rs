//! Comparing and copying in the mix: what differs, how loud either is, effects, buses and snapshots put down elsewhere; and
//! what is handed out of one bus to be measured.

use crate::support::{Bench, level, program};
use estampie_engine::engine::{Engine, Input, InputKind, NOW, Options, Prepared};
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::units::Seconds;
use estampie_project::assets::Assets;
use estampie_project::compile::compile;
use estampie_project::document::{Document, Sources, Workspace};
use estampie_project::language::{Playthrough, playthrough};
use estampie_proof::compare::{LONGEST, lately, loudness, moved};
use estampie_proof::draw;
use estampie_proof::draw::Drawing;
use estampie_proof::measure::Meter;
use estampie_proof::offline::{Recorder, Rendering};
use std::sync::Arc;

const MIX: &str = "[buses.nave]\nreturn = true\n[buses.nave.effect.reverb]\npreset = \"nave\"\n\n[buses.music] # viols\nlevel = \"-4 dB\"\nlow-pass = \"9 kHz\"\nsend = { nave = \"-12 dB\" }\n\n[buses.music.effect.tone]\nkind = \"eq\"\nlow-gain = \"-1.5 dB\"\n\n# keeps it together\n[buses.music.effect.squeeze]\nkind = \"compressor\"\n\n[buses.music.effect.gain]\nlevel = \"-3 dB\"\n\n[buses.world]\nlevel = \"-2 dB\"\n\n[snapshots.flooded]\nrise = \"0.1 s\"\nwhile = \"deck is silt\"\nhold = { \"bus music level\" = \"by -6 dB\", \"bus world low-pass\" = \"to 900 Hz\" }\n\n[snapshots.paused]\nrise = \"0.2 s\"\n";

fn workspace() -> (tempfile::TempDir, Workspace) {
    let folder = tempfile::tempdir().unwrap();
    for (file, text) in [("estampie.toml", "format = 1\nname = \"t\"\n"), ("mix.toml", MIX), ("game.toml", crate::support::GAME)] {
        std::fs::write(folder.path().join(file), text).unwrap();
    }
    let workspace = Workspace::open(folder.path()).unwrap();
    assert!(workspace.faults().is_empty(), "{:?}", workspace.faults());
    (folder, workspace)
}

fn compiled(sources: &Sources) -> Program {
    let (document, faults) = Document::read(sources, &Default::default());
    assert_eq!(faults, vec![], "texts stay sound");
    compile(&document, &Assets::default()).0
}

/// What a value of the mix is set to, in its scale.
fn rest(sources: &Sources, what: &str) -> f32 {
    let program = compiled(sources);
    let at = program.mix.find_cell.get(NameKey::of(what)).unwrap_or_else(|| panic!("no {what}"));
    program.mix.cells[at].rest
}

fn effects(workspace: &Workspace, bus: &str) -> Vec<String> {
    workspace.document().buses.iter().find(|b| b.name == bus).unwrap().effects.iter().map(|i| i.name.clone()).collect()
}

#[test]
fn the_routing_is_drawn_with_all_levels_and_sends() {
    let mix = format!("{MIX}[buses.deep]\ninto = \"world\"\nsend = {{ nave = \"-20 dB, pre-fader\" }}\n");
    let sounds = "[one]\nbus = \"deep\"\ntakes = [\"audio/dc.wav\"]\nsend = { nave = \"-3 dB\" }\n";
    let moves = "[[modulation]]\nfrom = \"strain\"\nmoves = \"bus world level\"\ncurve = [\"0: -12 dB\", \"1: 0 dB\"]\n";
    let sources = Sources::from_texts([("mix.toml", mix.as_str()), ("game.toml", crate::support::GAME), ("modulation.toml", moves), ("sounds/a.toml", sounds)]);
    let (document, _) = Document::read(&sources, &["audio/dc.wav".to_owned()].into());
    let drawn = draw::routing(&document, &compile(&document, &Assets::default()).0);
    let named: Vec<&str> = drawn.buses.iter().map(|b| b.name.as_str()).collect();
    assert_eq!(named, ["main", "music", "world", "deep", "nave"], "what runs into a bus stands below it, returns last");
    let bus = |name: &str| drawn.buses.iter().find(|b| b.name == name).unwrap();
    assert_eq!((bus("music").level.as_str(), bus("music").effects.as_str()), ("-4 dB, held", "tone, squeeze, gain"));
    assert_eq!((bus("world").level.as_str(), bus("deep").into, bus("deep").depth), ("-2 dB, moved", Some(2), 2));
    assert_eq!(bus("deep").sends, [(4, "-20 dB, before level".to_owned())]);
    assert_eq!((bus("nave").returns, bus("nave").sounds.as_str()), (true, "and one -3 dB"));
    let drawing = Drawing::Routing(drawn.clone());
    let svg = draw::svg("routing", &drawing).unwrap();
    for word in drawn.buses.iter().flat_map(|b| [&b.name, &b.level, &b.effects, &b.sounds]).chain(drawn.buses.iter().flat_map(|b| b.sends.iter().map(|s| &s.1)))
    {
        assert!(svg.contains(word.as_str()), "{word} is not drawn");
    }
    assert!(draw::pdf("routing", &drawing).unwrap().starts_with(b"%PDF"));
}

#[test]
fn effects_change_places_with_their_comments() {
    let (_folder, mut workspace) = workspace();
    workspace.move_effect("music", "squeeze", -1).unwrap();
    assert_eq!(effects(&workspace, "music"), ["squeeze", "tone", "gain"]);
    let text = workspace.sources().get("mix.toml").unwrap().to_string();
    let at = |part: &str| text.find(part).unwrap_or_else(|| panic!("{part} is lost in\n{text}"));
    assert!(at("# keeps it together") < at("effect.squeeze") && at("effect.squeeze") < at("effect.tone"), "{text}");
    workspace.move_effect("music", "squeeze", -1).unwrap();
    workspace.move_effect("music", "squeeze", 1).unwrap();
    workspace.move_effect("music", "squeeze", 1).unwrap();
    workspace.move_effect("music", "squeeze", 1).unwrap();
    assert_eq!(effects(&workspace, "music"), ["tone", "gain", "squeeze"], "the ends hold");
    assert!(workspace.move_effect("music", "nothing", 1).is_err());
    while workspace.undo().unwrap().is_some() {}
    assert_eq!(&**workspace.sources().get("mix.toml").unwrap(), MIX);
}

#[test]
fn effects_are_put_down_elsewhere_or_over_others() {
    let (_folder, mut workspace) = workspace();
    let tone = workspace.clip_effect("music", "tone").unwrap();
    assert_eq!(workspace.paste_effect("world", &tone, None).unwrap(), "tone");
    assert_eq!(workspace.paste_effect("world", &tone, None).unwrap(), "tone-2");
    assert_eq!(effects(&workspace, "world"), ["tone", "tone-2"]);
    assert_eq!(rest(workspace.sources(), "bus world tone-2 low-gain"), -1.5);
    // One whose name said its kind keeps the kind under another name.
    let gain = workspace.clip_effect("music", "gain").unwrap();
    workspace.paste_effect("music", &gain, None).unwrap();
    assert_eq!(rest(workspace.sources(), "bus music gain-2 level"), -3.0);
    // Over another it takes its place, and its kind.
    workspace.paste_effect("music", &gain, Some("tone")).unwrap();
    assert_eq!(effects(&workspace, "music")[0], "tone");
    assert_eq!(rest(workspace.sources(), "bus music tone level"), -3.0);
    assert!(workspace.clip_effect("world", "reverb").is_err());
}

#[test]
fn a_bus_is_copied_without_its_place_and_never_into_a_loop() {
    let (_folder, mut workspace) = workspace();
    let music = workspace.clip_bus("music").unwrap();
    workspace.paste_bus("world", &music).unwrap();
    let document = workspace.document().clone();
    let world = document.buses.iter().find(|b| b.name == "world").unwrap();
    assert_eq!((world.level.0, world.low_pass.0, world.sends.len(), world.returns), (-4.0, 9000.0, 1, false));
    assert_eq!(effects(&workspace, "world"), ["tone", "squeeze", "gain"]);
    assert_eq!(workspace.undo().unwrap().as_deref(), Some("settings of music on world"));
    let refused = workspace.paste_bus("nave", &music).unwrap_err();
    assert!(refused.to_string().contains("nave ⟶ nave"), "{refused}");
    assert_eq!(&**workspace.sources().get("mix.toml").unwrap(), MIX, "nothing is changed");
}

#[test]
fn snapshots_are_copied_and_filled() {
    let (_folder, mut workspace) = workspace();
    assert_eq!(workspace.duplicate_snapshot("flooded").unwrap(), "flooded-2");
    let document = workspace.document().clone();
    let copy = document.snapshots.iter().find(|s| s.name == "flooded-2").unwrap();
    assert_eq!((copy.holds.len(), copy.rise.time.0, copy.during.len()), (2, 0.1, 0), "what raises the old one does not raise the copy");
    let flooded = workspace.clip_snapshot("flooded").unwrap();
    workspace.paste_snapshot("paused", &flooded).unwrap();
    let document = workspace.document().clone();
    let paused = document.snapshots.iter().find(|s| s.name == "paused").unwrap();
    assert_eq!((paused.holds.len(), paused.rise.time.0), (2, 0.2), "how it rises stays");
}

#[test]
fn what_is_unsaved_becomes_a_snapshot_over_the_saved_mix() {
    let (_folder, mut workspace) = workspace();
    workspace.set_value("level", "mix.toml", &["buses", "music", "level"], "-7.5 dB").unwrap();
    workspace.set_send("music", "nave", "silent").unwrap();
    workspace.set_effect("music", "tone", "low-gain", "2 dB").unwrap();
    workspace.set_value("low-pass", "mix.toml", &["buses", "world", "low-pass"], "500 Hz").unwrap();
    let wanted = compiled(workspace.sources());
    let list = moved(&compiled(workspace.saved()), &wanted);
    let saved = workspace.saved().clone();
    assert!(workspace.take_into_snapshot("Not A Name", &saved, &list).is_err());
    assert_eq!(workspace.take_into_snapshot("late", &saved, &list).unwrap(), 4);
    let now = compiled(workspace.sources());
    assert_eq!(moved(&compiled(&saved), &now), vec![], "the mix beneath is the saved one");
    // Raised whole, the snapshot takes each value to where it was.
    let late = now.mix.snapshots.iter().position(|s| s.key == NameKey::of("late")).unwrap();
    for (what, _) in &list {
        let key = NameKey::of(what);
        let cell = &now.mix.cells[now.mix.find_cell.get(key).unwrap()];
        let held = cell.holds.iter().find(|h| h.snapshot.at() == late).unwrap();
        let goal = wanted.mix.cells[wanted.mix.find_cell.get(key).unwrap()].rest;
        let there = held.over(cell.rest, 1.0).max(-120.0);
        assert!((there - goal).abs() < 0.01, "{what}: {there} instead of {goal}");
    }
    assert!(workspace.take_into_snapshot("later", &saved, &list).unwrap_err().to_string().contains("nothing"));
    workspace.undo().unwrap();
    assert_eq!(moved(&compiled(&saved), &compiled(workspace.sources())).len(), 4, "one edit takes it back");
}

#[test]
fn kept_texts_come_back_as_one_edit() {
    let (_folder, mut workspace) = workspace();
    let kept = workspace.sources().clone();
    workspace.replace("new file", "sounds/a.toml", "");
    workspace.set_send("world", "nave", "-3 dB").unwrap();
    let edited = workspace.sources().clone();
    workspace.restore("back to B", &kept);
    assert_eq!(*workspace.sources(), kept);
    assert_eq!(workspace.undo().unwrap().as_deref(), Some("back to B"));
    assert_eq!(*workspace.sources(), edited);
}

const LOOP: &str = "[one]\nbus = \"a\"\nloop = true\ntakes = [\"audio/stereo.wav\"]\n";

/// A project whose bus a is at `level`, and a rehearsal of 14 s in which its sound comes in late.
fn rehearsed(level: &str) -> (Arc<Program>, Playthrough) {
    let (playthrough, faults) = playthrough::parse("t.play", "seed 3\n0.0 depth 10\n2.0 send hit\n14.0 end\n");
    assert_eq!(faults, vec![]);
    (program(LOOP, &format!("[buses.a]\nlevel = \"{level}\"\n"), "", "When hit\n  play one\n"), playthrough)
}

#[test]
fn a_comparison_is_matched_by_what_was_heard_lately() {
    let until = Seconds(13.0);
    let measured = |level: &str, inputs: &[Input]| {
        let (program, playthrough) = rehearsed(level);
        loudness(&program, &playthrough, until, &[], inputs, || true).unwrap()
    };
    let (plain, down) = (measured("0 dB", &[]), measured("-7 dB", &[]));
    assert!((plain - down - 7.0).abs() < 0.1, "{plain} and {down}");
    // What one hears of either, turned by what was measured, is within 0.3 LU.
    let heard = |level: &str, gain: f64| {
        let (program, playthrough) = rehearsed(level);
        let mut rendering = Rendering::new(&program, &playthrough, None, Seconds(0.0));
        let (mut skipped, mut samples) = (Vec::new(), Vec::new());
        rendering.next(3 * 48_000, &mut skipped, |_| {});
        rendering.next(10 * 48_000, &mut samples, |_| {});
        let mut meter = Meter::new(2, 48_000).unwrap();
        meter.add(&samples.iter().map(|s| s * 10f64.powf(gain / 20.0) as f32).collect::<Vec<_>>());
        meter.reading().integrated
    };
    let apart = heard("0 dB", down - plain) - heard("-7 dB", 0.0);
    assert!(apart.abs() < 0.3, "{apart} LU apart");
    // What is for the rehearsal only counts too, and one may stop.
    let muted = [Input { frame: 0, what: InputKind::Mute { bus: NameKey::of("a"), on: true } }];
    assert_eq!(measured("0 dB", &muted), f64::NEG_INFINITY);
    let (program, playthrough) = rehearsed("0 dB");
    assert_eq!(loudness(&program, &playthrough, until, &[], &[], || false), None);
}

#[test]
fn a_long_rehearsal_is_told_from_what_was_set_last() {
    let text = "seed 9\n0.0 depth 10\n1.0 deck is silt\n2.0 send hit\n5.0 depth 10 to 40 over 2 s\n20.0 deck is grate\n30.0 depth 70\n300.0 send tick\n310.0 depth 5\n400.0 end\n";
    let (long, faults) = playthrough::parse("t.play", text);
    assert_eq!(faults, vec![]);
    let (end, until) = lately(&long, Seconds(350.0));
    assert_eq!(until.0, LONGEST.0);
    let lines: Vec<String> = end.to_string().lines().map(|l| l.split_whitespace().collect::<Vec<_>>().join(" ")).collect();
    assert_eq!(lines, ["seed 9", "0 depth 70", "0 deck is grate", "130 send tick", "140 depth 5", "230 end"]);
    let (short, until) = lately(&long, Seconds(100.0));
    assert_eq!((short, until.0), (long, 100.0), "a short one is as it was");
}

#[test]
fn one_bus_is_handed_out_as_it_is_summed() {
    let sounds = "[one]\nbus = \"a\"\nloop = true\ntakes = [\"audio/dc.wav\"]\n[two]\nbus = \"b\"\nloop = true\ntakes = [\"audio/dc.wav\"]\n";
    let program = program(sounds, "[buses.a]\nlevel = \"-6 dB\"\n[buses.b]\nlevel = \"-20 dB\"\n", "", "When hit\n  play one\n  play two\n");
    let (mut engine, mut remote) = Engine::new(Prepared::new(program, 1), Options { tap_frames: 4096, ..Options::default() });
    let mut tap = remote.take_tap();
    let mut out = [0.0f32; 2 * 640];
    let mut taken = |engine: &mut Engine| {
        engine.render(&mut out);
        std::iter::from_fn(|| tap.pop().ok()).collect::<Vec<f32>>()
    };
    assert!(taken(&mut engine).is_empty(), "nothing unless it is asked for");
    remote.input(Input { frame: NOW, what: InputKind::Tap { bus: NameKey::of("a") } }).unwrap();
    assert!(taken(&mut engine).iter().all(|s| *s == 0.0), "a bus at rest is silent, and its time goes on");
    remote.input(Input { frame: NOW, what: InputKind::Event { event: NameKey::of("hit"), emitter: NameKey::NONE } }).unwrap();
    taken(&mut engine);
    let heard = taken(&mut engine);
    assert_eq!(heard.len(), 2 * 640);
    assert!(heard.iter().all(|s| (s - 0.5 * 10f32.powf(-6.0 / 20.0)).abs() < 1e-4), "only that bus, after its level: {}", heard[0]);
    remote.input(Input { frame: NOW, what: InputKind::Tap { bus: NameKey::of("main") } }).unwrap();
    taken(&mut engine);
    let all = taken(&mut engine);
    assert!((all[100] - 0.5 * (10f32.powf(-0.3) + 0.1)).abs() < 1e-3, "the root as well: {}", all[100]);
    // What nobody takes is lost in whole blocks, and nothing else happens.
    for _ in 0..20 {
        engine.render(&mut [0.0f32; 2 * 640]);
    }
    let waiting = std::iter::from_fn(|| tap.pop().ok()).count();
    assert_eq!(waiting, 2 * 4096);
}

#[test]
fn a_bus_is_heard_alone_with_its_returns_or_without() {
    let mix = "[buses.main]\nlevel = \"-20 dB\"\n[buses.a]\nsend = { r = \"-6 dB\" }\n[buses.b]\nsend = { r = \"0 dB\" }\n[buses.r]\nreturn = true\n[buses.r.effect.echo]\ntime = \"5 ms\"\nfeedback = \"0 %\"\n";
    let sounds = "[one]\nbus = \"a\"\nloop = true\ntakes = [\"audio/dc.wav\"]\n[two]\nbus = \"b\"\nloop = true\ntakes = [\"audio/dc.wav\"]\n";
    let mut bench = Bench::new(&program(sounds, mix, "", "When hit\n  play one\n  play two\n"), 1);
    bench.event(NOW, "hit");
    let mut heard = |what: &[InputKind]| {
        for what in what {
            bench.send(NOW, *what);
        }
        bench.render(4800);
        level(&bench.render(480).0)
    };
    let db = |gain: f32| 20.0 * gain.log10() - 20.0;
    let (a, wet) = (NameKey::of("a"), 10f32.powf(-6.0 / 20.0));
    assert!((heard(&[]) - db(0.5 * (2.0 + wet + 1.0))).abs() < 0.01);
    assert!((heard(&[InputKind::Solo { bus: a, on: true }]) - db(0.5 * (1.0 + wet))).abs() < 0.01, "its own part of the return stays");
    assert!((heard(&[InputKind::SoloDry { on: true }]) - db(0.5)).abs() < 0.01, "the return is silent");
    assert!((heard(&[InputKind::Solo { bus: NameKey::of("r"), on: true }]) - db(0.5 * (1.0 + wet))).abs() < 0.01, "unless it is among them");
    assert!((heard(&[InputKind::Solo { bus: a, on: false }, InputKind::Solo { bus: NameKey::of("r"), on: false }]) - db(0.5 * (3.0 + wet))).abs() < 0.01);
}

#[test]
fn while_a_kept_state_is_shown_nothing_is_edited_and_that_is_told() {
    let (_folder, mut workspace) = workspace();
    let kept = workspace.document().clone();
    workspace.set_send("world", "nave", "-3 dB").unwrap();
    let edited = workspace.sources().clone();
    workspace.show(Some(kept));
    assert!(workspace.document().buses.iter().all(|b| b.name != "world" || b.sends.is_empty()), "what is shown is what was kept");
    assert!(!workspace.take_refused());
    let _ = workspace.set_send("world", "nave", "-9 dB");
    assert_eq!((workspace.undo(), workspace.take_refused(), workspace.take_refused()), (Ok(None), true, false));
    workspace.show(None);
    assert_eq!(*workspace.sources(), edited);
    assert_eq!(workspace.document().buses.iter().find(|b| b.name == "world").unwrap().sends.len(), 1);
}

#[test]
fn what_is_handed_out_of_the_root_is_the_output_sample_for_sample() {
    let sounds = "[one]\nbus = \"a\"\nlevel = \"-12 dB\"\nloop = true\ntakes = [\"audio/stereo.wav\"]\n";
    let program = program(sounds, "[buses.a]\n", "", "When hit\n  play one\n");
    let (mut engine, mut remote) = Engine::new(Prepared::new(program, 1), Options { tap_frames: 3000, ..Options::default() });
    let mut tap = remote.take_tap();
    remote.input(Input { frame: NOW, what: InputKind::Tap { bus: NameKey::of("main") } }).unwrap();
    remote.input(Input { frame: NOW, what: InputKind::Event { event: NameKey::of("hit"), emitter: NameKey::NONE } }).unwrap();
    let (mut output, mut handed) = (Vec::new(), Vec::new());
    for round in 0..200 {
        let mut out = vec![0.0f32; 2 * (64 + round)];
        engine.render(&mut out);
        output.extend(out);
        let count = tap.slots() / 2 * 2;
        handed.extend(tap.read_chunk(count).unwrap());
    }
    let first = handed.iter().zip(&output).position(|(a, b)| a != b);
    assert_eq!(first, None, "of {} samples", output.len());
    assert!(handed.len() >= output.len() && output.iter().any(|s| s.abs() > 0.05));
}

#[test]
fn a_recorder_that_forgets_tells_the_end_as_one_that_does_not() {
    let program = program(LOOP, "[buses.a]\n", "", "When hit\n  play one\n");
    let mut bench = Bench::new(&program, 1);
    let (mut whole, mut short) = (Recorder::new(&program, 1), Recorder::new(&program, 1));
    for second in 0..400u32 {
        let frame = u64::from(second) * 4800;
        bench.send(frame, InputKind::Parameter { parameter: NameKey::of("depth"), value: (second % 90) as f32, emitter: NameKey::NONE });
        if second % 7 == 0 {
            bench.event(frame, "hit");
            bench.send(frame, InputKind::State { state: NameKey::of("deck"), value: NameKey::of(["plank", "silt"][second as usize % 2]) });
        }
        bench.render(4800);
        for happening in bench.happenings.drain(..) {
            whole.note(&happening, &program.names);
            short.note(&happening, &program.names);
        }
    }
    let end = 400 * 4800;
    let from = Seconds(40.0 - 25.0);
    let before = short.count();
    short.forget(from);
    assert!(short.count() < before && short.count() > 250, "{} of {before}", short.count());
    // From then on both say the same, and begin with the same values.
    let (whole, short) = (whole.finish(end), short.finish(end));
    let after = |p: &Playthrough| p.steps().into_iter().filter(|(s, _)| s.at.0 >= from.0).map(|(s, _)| s.clone()).collect::<Vec<_>>();
    assert_eq!(after(&whole), after(&short));
    let last =
        |p: &Playthrough, word: &str| p.steps().into_iter().rfind(|(s, _)| s.at.0 < from.0 && format!("{:?}", s.action).contains(word)).map(|(s, _)| s.clone());
    for word in ["depth", "deck"] {
        assert!(last(&whole, word).is_some() && last(&whole, word) == last(&short, word), "{word}");
    }
}
