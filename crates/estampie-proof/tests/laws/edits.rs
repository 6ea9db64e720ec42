//! Edits that know what they touch: fields of many sounds, shared settings, new sounds, renaming, curves; drawings; verdicts.

use crate::support::Bench;
use estampie_engine::engine::{InputKind, NOW};
use estampie_engine::names::NameKey;
use estampie_engine::property::Property;
use estampie_project::compile;
use estampie_project::document::{Workspace, sharers, uses_of};
use estampie_proof::draw;
use estampie_proof::trace::would;
use proptest::prelude::*;
use std::path::Path;

const SOUNDS: &str = "# boots\n[\"step/plank\"]   # on wood\ntakes = [\"audio/step/plank_01.wav\"]\nvary  = \"boots\"\n\n[\"step/grate\"]\ntakes = [\"audio/step/grate_01.wav\", \"audio/step/grate_02.wav\"]\nlevel = \"-8 dB\" # agreed\nvary  = { like = \"boots\", pitch = \"-3..3 st\" }\n\n[step]\ntakes = [\"step/plank\", \"step/grate, weight 2\"]\npick  = \"weighted\"\n";
const REACTIONS: &str = "# walking\nWhen foot\n  play step at the emitter\n  stop step/plank over 0.1 s\n\nWhen fall\n  play step/plank, chance 50 %\n";
const MODULATION: &str = "[[modulation]]\nfrom  = \"speed\"\nmoves = \"step/plank level\"\ncurve = [\"0 m/s: -20 dB, smooth\", \"6 m/s: 0 dB\"] # soft\n";

fn project() -> (tempfile::TempDir, Workspace) {
    let folder = tempfile::tempdir().unwrap();
    let write = |file: &str, text: &str| {
        let path = folder.path().join(file);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, text).unwrap();
    };
    write("estampie.toml", "format = 1\nname = \"t\"\n");
    write("game.toml", "[events]\nfoot = \"a\"\nfall = \"b\"\n\n[parameters.speed]\nunit = \"m/s\"\nrange = \"0..6\"\n");
    write("shared.toml", "[vary.boots]\nlevel = \"-2..2 dB\"\npitch = \"-1..1 st\"\n");
    write("mix.toml", "[buses.steps]\n");
    write("sounds/steps.toml", SOUNDS);
    write("reactions.est", REACTIONS);
    write("modulation.toml", MODULATION);
    for name in ["step/plank_01", "step/grate_01", "step/grate_02", "drip/Drop_01", "drip/Drop_02", "drip/Drop_03"] {
        write(&format!("audio/{name}.wav"), "");
    }
    let workspace = Workspace::open(folder.path()).unwrap();
    assert!(faults(&workspace).is_empty(), "{:?}", faults(&workspace));
    (folder, workspace)
}

fn faults(workspace: &Workspace) -> Vec<String> {
    let (_, found) = compile::compile(workspace.document(), &Default::default());
    workspace.faults().iter().chain(&found).map(ToString::to_string).collect()
}

fn text(workspace: &Workspace, file: &str) -> String {
    workspace.sources().get(file).unwrap().to_string()
}

fn names(list: &[&str]) -> Vec<String> {
    list.iter().map(|n| (*n).to_owned()).collect()
}

#[test]
fn a_field_of_many_sounds_is_one_edit_that_keeps_comments() {
    let (_folder, mut workspace) = project();
    workspace.set_sounds(&names(&["step/plank", "step/grate", "step"]), "bus", "steps").unwrap();
    assert_eq!(text(&workspace, "sounds/steps.toml").matches("bus = \"steps\"").count(), 3);
    assert!(text(&workspace, "sounds/steps.toml").contains("# on wood") && text(&workspace, "sounds/steps.toml").contains("# agreed"));
    assert_eq!(workspace.undo().unwrap().as_deref(), Some("bus of 3 sounds"));
    assert_eq!(text(&workspace, "sounds/steps.toml"), SOUNDS);
    workspace.set_sounds(&names(&["step/grate"]), "limit.in-all", "4").unwrap();
    workspace.set_sounds(&names(&["step/grate"]), "loop", "yes").unwrap();
    workspace.set_sounds(&names(&["step/grate"]), "chance", "60 %, always when speed over 5").unwrap();
    let sound = workspace.document().sounds.iter().find(|s| s.name == "step/grate").unwrap();
    assert_eq!((sound.limit.all, sound.looped, sound.chance.0, sound.always.len()), (Some(4), true, 0.6, 1));
    // An empty text takes it out again.
    workspace.set_sounds(&names(&["step/grate"]), "limit.in-all", "").unwrap();
    assert_eq!(workspace.document().sounds.iter().find(|s| s.name == "step/grate").unwrap().limit.all, None);
    assert!(faults(&workspace).is_empty());
}

#[test]
fn takes_for_one_value_are_set_and_nonsense_is_not() {
    let (_folder, mut workspace) = project();
    workspace.replace("by value", "sounds/by.toml", "[by]\npick = \"by speed\"\ntakes = { \"0..3\" = [\"step/plank\"], \"3..6\" = [\"step/grate\"] } # both\n");
    workspace.set_takes("by", "3..6", &names(&["step/grate, weight 2", "audio/drip/Drop_01.wav"])).unwrap();
    let by = workspace.document().sounds.iter().find(|s| s.name == "by").unwrap();
    assert_eq!((by.groups[0].1.len(), by.groups[1].1.len()), (1, 2));
    assert!(text(&workspace, "sounds/by.toml").contains("# both"));
    let before = text(&workspace, "sounds/by.toml");
    assert!(workspace.set_takes("by", "3..6", &names(&["audio/none.wav"])).unwrap_err().to_string().contains("there is no file"));
    assert_eq!(text(&workspace, "sounds/by.toml"), before);
}

#[test]
fn takes_take_the_form_that_their_rule_of_picking_needs() {
    let (_folder, mut workspace) = project();
    workspace.replace(
        "states",
        "game.toml",
        "[events]\nfoot = \"a\"\nfall = \"b\"\n[parameters.speed]\nunit = \"m/s\"\nrange = \"0..6\"\n[states.deck]\nvalues = [\"plank\", \"grate\"]\n",
    );
    let plain = "[feet]\npick = \"shuffle, not the last 1\"\ntakes = [\"step/plank\", \"step/grate, weight 2\"]\n";
    workspace.replace("feet", "sounds/feet.toml", plain);
    let groups = |workspace: &Workspace| -> Vec<(Option<String>, usize)> {
        let doc = workspace.document().sounds.iter().find(|s| s.name == "feet").unwrap();
        doc.groups.iter().map(|(value, takes)| (value.as_ref().map(|v| v.value.clone()), takes.len())).collect()
    };
    let feet = names(&["feet"]);
    for (pick, keys) in [("by deck", ["plank", "grate"]), ("by speed", ["0..3", "3..6"]), ("across speed, equal gain", ["0", "6"])] {
        workspace.set_sounds(&feet, "pick", pick).unwrap();
        assert_eq!(groups(&workspace), keys.map(|k| (Some(k.to_owned()), 2)), "{pick}: each has all of them to begin with");
        assert!(faults(&workspace).is_empty(), "{pick}: {:?}", faults(&workspace));
        // From table to table the takes stay where they are; by one undo all is as before.
        workspace.undo().unwrap();
        assert_eq!(text(&workspace, "sounds/feet.toml"), plain);
    }
    workspace.set_sounds(&feet, "pick", "by deck").unwrap();
    workspace.set_takes("feet", "grate", &names(&["step/grate"])).unwrap();
    workspace.set_sounds(&feet, "pick", "cycle").unwrap();
    assert_eq!(groups(&workspace), [(None, 2)], "one list of all, each once");
    assert!(text(&workspace, "sounds/feet.toml").contains("step/grate, weight 2"));
}

#[test]
fn what_cannot_be_read_is_refused_and_changes_nothing() {
    let (_folder, mut workspace) = project();
    for (field, wrong) in [
        ("level", "loud"),
        ("level", "90 dB"),
        ("vary.pitch", "3..-3 st"),
        ("limit.in-all", "many"),
        ("loop", "perhaps"),
        ("pick", "any"),
        ("chance", "200 %"),
        ("shape.curve", "round"),
        ("takes", "audio/none.wav"),
    ] {
        let refused = workspace.set_sounds(&names(&["step/plank"]), field, wrong);
        assert!(refused.is_err(), "{field} = {wrong}");
        assert_eq!(text(&workspace, "sounds/steps.toml"), SOUNDS, "{field} = {wrong}");
        assert_eq!(workspace.unsaved(), 0);
    }
    assert_eq!((workspace.undo(), workspace.redo()), (Ok(None), Ok(None)), "what was refused leaves no trace");
    // A mistake right after an edit of the same name does not take that edit with it.
    workspace.set_sounds(&names(&["step/plank"]), "level", "-3 dB").unwrap();
    assert!(workspace.set_sounds(&names(&["step/plank"]), "level", "loud").is_err());
    assert_eq!(workspace.document().sounds.iter().find(|s| s.name == "step/plank").unwrap().set[estampie_engine::property::Property::Level], -3.0);
}

#[test]
fn a_field_of_ones_own_overrides_a_shared_setting() {
    let (_folder, mut workspace) = project();
    assert_eq!(sharers(workspace.document(), "vary", "boots"), ["step/plank", "step/grate"]);
    workspace.set_sounds(&names(&["step/plank"]), "vary.level", "-6..0 dB").unwrap();
    let document = workspace.document();
    let plank = document.sounds.iter().find(|s| s.name == "step/plank").unwrap();
    let whole = document.shared.whole(&plank.vary);
    let ends = |property| whole.of[property].as_ref().unwrap().draw.ends;
    assert_eq!((ends(Property::Level).0, ends(Property::Pitch).1), (-6.0, 1.0), "{}", text(&workspace, "sounds/steps.toml"));
    assert_eq!(sharers(document, "vary", "boots"), ["step/plank", "step/grate"], "it is like it still");
    assert!(faults(&workspace).is_empty());
}

#[test]
fn a_sound_is_made_of_files_copied_renamed_and_deleted() {
    let (_folder, mut workspace) = project();
    let files = names(&["audio/drip/Drop_01.wav", "audio/drip/Drop_02.wav", "audio/drip/Drop_03.wav"]);
    assert_eq!(workspace.new_sound(&files).as_deref(), Ok("drip/drop"));
    let made = workspace.document().sounds.iter().find(|s| s.name == "drip/drop").unwrap().clone();
    assert_eq!((made.place.file.as_str(), made.groups[0].1.len()), ("sounds/drip.toml", 3));
    assert_eq!(workspace.duplicate_sounds(&["step/grate".to_owned()]).as_deref(), Ok(&["step/grate-2".to_owned()][..]));
    assert!(faults(&workspace).is_empty(), "{:?}", faults(&workspace));
    workspace.rename_sound("step/plank", "boot/wood").unwrap();
    assert!(faults(&workspace).is_empty(), "{:?}", faults(&workspace));
    let uses: Vec<String> = uses_of(workspace.document(), "boot/wood").into_iter().map(|(what, _)| what).collect();
    assert_eq!(uses, ["When foot", "When fall", "take of step", "moved by speed"]);
    assert!(text(&workspace, "reactions.est").contains("# walking\nWhen foot\n  play step at the emitter\n  stop boot/wood over 0.1 s"));
    assert_eq!(workspace.undo().unwrap().as_deref(), Some("step/plank renamed to boot/wood"));
    assert_eq!((text(&workspace, "reactions.est").as_str(), text(&workspace, "modulation.toml").as_str()), (REACTIONS, MODULATION));
    for (old, new) in [("step", "step/grate"), ("step", "Step One"), ("step", "")] {
        assert!(workspace.rename_sound(old, new).is_err(), "{new}");
    }
    workspace.rename_sound("step", "walk/step").unwrap();
    assert!(text(&workspace, "sounds/steps.toml").contains("[\"walk/step\"]") && faults(&workspace).is_empty(), "{}", text(&workspace, "sounds/steps.toml"));
    workspace.delete_sounds(&names(&["step/plank", "drip/drop"])).unwrap();
    assert_eq!(faults(&workspace).iter().filter(|f| f.contains("there is no sound step/plank")).count(), 4, "what named it is told: {:?}", faults(&workspace));
}

#[test]
fn a_sound_is_renamed_in_the_world_and_in_the_mix() {
    let folder = tempfile::tempdir().unwrap();
    let write = |file: &str, text: &str| std::fs::write(folder.path().join(file), text).unwrap();
    std::fs::create_dir(folder.path().join("sounds")).unwrap();
    write("estampie.toml", "format = 1\n");
    write(
        "sounds/all.toml",
        "[drip]\nbus = \"a\"\ntakes = []\nsend = { r = \"-9 dB\" }\n[drip-loud]\nbus = \"a\"\ntakes = [\"drip\"]\nsend = { r = \"-9 dB\" }\n",
    );
    let world = "[zones.cave]\nat = \"0, 0\"\nradius = \"3 m\"\nambience = [\"drip-loud\", \"drip\"]\n[shelters.roof]\nat = \"0, 0\"\nradius = \"1 m\"\nedge = \"drip\"\n[emitters.tap]\nat = \"1, 1\"\nplays = \"drip\"\n[one-shots.s]\nplays = \"drip\"\nevery = \"1..2 s\"\naround = \"1..2 m\"\n[flocks.f]\nplays = \"drip\"\nwithin = \"cave\"\n";
    write("world.toml", world);
    let mix = "[buses.a]\n[buses.b]\n[buses.r]\nreturn = true\n[buses.r.effect.echo]\n[[duck]]\nsidechain = \"sound drip\"\nducks = \"b\"\n[snapshots.wet]\n[snapshots.wet.hold]\n\"sound drip send r\" = \"to -20 dB\"\n\"sound drip-loud send r\" = \"to -20 dB\"\n";
    write("mix.toml", mix);
    let mut workspace = Workspace::open(folder.path()).unwrap();
    // Only that there is no audio.
    assert_eq!(faults(&workspace).len(), 1, "{:?}", faults(&workspace));
    let uses: Vec<String> = uses_of(workspace.document(), "drip").into_iter().map(|(what, _)| what).collect();
    assert_eq!(uses, ["take of drip-loud", "ambience of cave", "edge of roof", "plays at tap", "one-shots s", "flock f", "ducks b", "snapshot wet"]);
    workspace.rename_sound("drip", "drop").unwrap();
    assert_eq!(&**workspace.sources().get("world.toml").unwrap(), world.replace("\"drip\"", "\"drop\""));
    assert_eq!(&**workspace.sources().get("mix.toml").unwrap(), mix.replace("sound drip\"", "sound drop\"").replace("sound drip send", "sound drop send"));
    assert!(faults(&workspace).len() == 1 && faults(&workspace)[0].contains("drop has nothing"), "nothing names what is gone: {:?}", faults(&workspace));
    workspace.undo().unwrap();
    assert_eq!(&**workspace.sources().get("world.toml").unwrap(), world);
}

#[test]
fn an_event_is_declared_or_renamed_wherever_it_is_named() {
    let (_folder, mut workspace) = project();
    workspace.rename_event("foot", "step.down", true).unwrap();
    assert!(faults(&workspace).is_empty(), "{:?}", faults(&workspace));
    workspace.declare_event("hull.struck").unwrap();
    assert!(workspace.document().events.iter().any(|e| e.name == "hull.struck"));
    workspace.rename_event("fall", "fal", false).unwrap();
    assert!(faults(&workspace).iter().any(|f| f.contains("there is no event fal; fall?")), "{:?}", faults(&workspace));
}

#[test]
fn curves_are_written_added_and_taken_out() {
    let (_folder, mut workspace) = project();
    workspace.set_curve("curve", 0, &names(&["0 m/s: -30 dB", "3 m/s: -6 dB, power 2", "6 m/s: 0 dB"])).unwrap();
    workspace.add_modulation("speed", "step pitch", &names(&["0 m/s: -1 st", "6 m/s: 1 st"])).unwrap();
    workspace.set_smooth("smooth", 1, "80 ms").unwrap();
    let (program, found) = compile::compile(workspace.document(), &Default::default());
    assert!(found.is_empty(), "{found:?}");
    assert_eq!((program.modulations.len(), program.modulations[0].curve.at(3.0), program.modulations[1].written), (2, -6.0, 1));
    workspace.delete_modulation("out", 0).unwrap();
    assert_eq!(workspace.document().modulations.len(), 1);
    assert!(workspace.set_curve("curve", 7, &[]).is_err());
}

#[test]
fn curves_are_drawn_as_svg_and_pdf() {
    let workspace = Workspace::open(&Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/brinewick")).unwrap();
    let (program, _) = compile::compile(workspace.document(), &Default::default());
    let panels = draw::curves(workspace.document(), &program);
    assert!(panels.len() > program.modulations.len(), "the falloffs too");
    for panel in &panels {
        assert!(panel.line.iter().all(|p| p.1 >= panel.y.0 && p.1 <= panel.y.1 && p.1.is_finite()), "{}", panel.title);
        // Each point lies on its curve.
        for point in &panel.points {
            assert!(panel.line.contains(point), "{}: {point:?}", panel.title);
        }
    }
    let svg = draw::svg("Brinewick", &draw::Drawing::Panels(panels.clone())).unwrap();
    assert!(svg.starts_with("<svg") && svg.trim_end().ends_with("</svg>") && svg.contains("thruster moves thruster/loop pitch"));
    assert_eq!(svg.matches("<circle").count(), panels.iter().map(|p| p.points.len()).sum::<usize>());
    let pdf = draw::pdf("Brinewick", &draw::Drawing::Panels(panels)).unwrap();
    let body = String::from_utf8_lossy(&pdf);
    assert!(body.starts_with("%PDF-") && body.trim_end().ends_with("%%EOF") && body.contains("(thruster moves thruster/loop pitch)"));
}

#[test]
fn what_would_happen_is_told_with_the_present_values_and_comes_true() {
    let reactions = "When hit and strain over 0.6\n  send tick\nWhen hit otherwise\n  send tick\nWhen hit and deck is silt\n  send tick\nOff: When hit\n  send tick\nWhen hit at the 2nd within 9 s\n  send tick\nWhen hit once until deck is silt\n  send tick\n";
    let program = crate::support::program("", "", "", reactions);
    let mut bench = Bench::new(&program, 1);
    for (strain, wanted) in [(0.5, [false, true, false, false, false, true]), (0.9, [true, false, false, false, true, false])] {
        bench.send(NOW, InputKind::Parameter { parameter: NameKey::of("strain"), value: strain, emitter: NameKey::NONE });
        bench.render(128);
        let told = would(&program, bench.status.as_ref().unwrap(), &program.names, NameKey::of("hit"));
        assert_eq!(told.iter().map(|v| v.acts).collect::<Vec<_>>(), wanted, "{told:?}");
        bench.happenings.clear();
        bench.event(NOW, "hit");
        bench.render(64);
        let acted = bench.happenings.iter().filter(|h| matches!(h.what, estampie_engine::telemetry::What::Reaction { .. })).count();
        assert_eq!(acted, wanted.iter().filter(|w| **w).count(), "what was told has come true");
    }
    let told = would(&program, bench.status.as_ref().unwrap(), &program.names, NameKey::of("hit"));
    assert_eq!(told[0].why, "holds: strain 0.9 is over 0.6");
    assert_eq!(told[1].why, "skipped: 1 held");
    assert!(told[2].why.contains("deck is plank, not silt") && told[3].why == "switched off", "{told:?}");
    assert!(told[5].why.contains("waits until deck is silt"), "{told:?}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    #[test]
    fn no_typed_text_spoils_a_file(field in prop::sample::select(vec!["level", "vary.pitch", "shape.attack", "limit.in-all", "falloff.level", "pick", "takes", "chance", "priority", "repeat.every", "lines.gap", "note"]), typed in "[-0-9a-z .,;%\"'\\[\\]{}=#]{0,16}") {
        let (_folder, mut workspace) = project();
        let before = faults(&workspace).len();
        let _ = workspace.set_sounds(&names(&["step/plank"]), field, &typed);
        // Names are resolved later; the files themselves stay readable.
        prop_assert_eq!(workspace.faults().len(), before);
        prop_assert!(workspace.document().sounds.iter().any(|s| s.name == "step/plank"));
        while workspace.undo().unwrap().is_some() {}
        prop_assert_eq!(text(&workspace, "sounds/steps.toml"), SOUNDS);
    }
}

const MUSIC: &str = "# the dance\n[piece.dance]\ntempo = \"92\" # agreed\n[piece.dance.section.a]\nbars = 4\n[piece.dance.section.a.layer.x]\nfile = \"audio/step/plank_01.wav\" # soft\n[piece.dance.section.b]\nbars = 2\n\n[[piece.dance.transition]]\nfrom  = \"a\"\nto    = \"b\"\nleave = \"next bar\" # on the bar\n\n[stinger.s]\nsound = \"step\"\n";

fn with_music() -> (tempfile::TempDir, Workspace) {
    let (folder, workspace) = project();
    drop(workspace);
    std::fs::create_dir_all(folder.path().join("music")).unwrap();
    std::fs::write(folder.path().join("music/dance.toml"), MUSIC).unwrap();
    let workspace = Workspace::open(folder.path()).unwrap();
    assert!(faults(&workspace).is_empty(), "{:?}", faults(&workspace));
    (folder, workspace)
}

#[test]
fn ways_are_edited_in_place_added_and_undone() {
    let (_folder, mut workspace) = with_music();
    let text = |w: &Workspace| w.sources().get("music/dance.toml").unwrap().to_string();
    workspace.set_transition("dance", "a", "b", "leave", "phrase end").unwrap();
    assert_eq!(text(&workspace), MUSIC.replace("leave = \"next bar\"", "leave = \"phrase end\""), "nothing else moved");
    assert_eq!(workspace.undo_name(), Some("leave of a ⟶ b"));
    // A way that is not written yet comes behind the others; its fields are added one by one.
    workspace.set_transition("dance", "b", "silence", "fade-out", "2 beats, smooth").unwrap();
    workspace.set_transition("dance", "b", "silence", "allowed", "no").unwrap();
    let added = text(&workspace);
    assert!(added.contains("from = \"b\"\nto = \"silence\"\nfade-out = \"2 beats, smooth\"\nallowed = false\n"), "{added}");
    assert!(added.contains("[stinger.s]") && faults(&workspace).is_empty(), "{:?}", faults(&workspace));
    let doc = workspace.document().music.piece("dance").unwrap();
    assert_eq!(doc.transitions.len(), 2);
    assert!(!doc.transitions[1].allowed);
    workspace.set_transition("dance", "b", "silence", "allowed", "yes").unwrap();
    workspace.set_transition("dance", "b", "silence", "fade-out", "").unwrap();
    assert!(!text(&workspace).contains("allowed") && !text(&workspace).contains("fade-out"));
    for _ in 0..5 {
        workspace.undo().unwrap();
    }
    assert_eq!(text(&workspace), MUSIC);
}

#[test]
fn a_way_that_cannot_be_read_is_refused_with_its_fix() {
    let (_folder, mut workspace) = with_music();
    for (field, nonsense) in [("leave", "soon"), ("arrive", "somewhere"), ("fade-out", "slowly"), ("fade-in", "2 sheep"), ("overlap", "-1 beat")] {
        let refused = workspace.set_transition("dance", "a", "b", field, nonsense).unwrap_err().to_string();
        assert!(refused.contains(field) || refused.contains(nonsense), "{refused}");
        assert!(refused.len() > nonsense.len() + 20, "it says what can be written: {refused}");
    }
    assert!(workspace.set_transition("waltz", "a", "b", "leave", "next bar").is_err());
    assert_eq!(&**workspace.sources().get("music/dance.toml").unwrap(), MUSIC);
    // A sound that music names is renamed there too, and says who names it.
    assert!(uses_of(workspace.document(), "step").iter().any(|(what, _)| what == "stinger s"));
    workspace.rename_sound("step", "boot").unwrap();
    assert!(workspace.sources().get("music/dance.toml").unwrap().contains("sound = \"boot\"") && faults(&workspace).is_empty(), "{:?}", faults(&workspace));
    workspace.undo().unwrap();
    workspace.set_layer("dance", "a", "x", "level", "-3 dB").unwrap();
    assert!(workspace.sources().get("music/dance.toml").unwrap().contains("file = \"audio/step/plank_01.wav\" # soft\nlevel = \"-3 dB\""));
}

#[test]
fn music_can_be_named_in_reactions_with_what_comes_next() {
    let (_folder, workspace) = with_music();
    let next = |before: &str, word: &str| estampie_project::complete::complete(workspace.document(), false, before, word);
    assert_eq!(next("go", "d"), ["dance"]);
    assert_eq!(next("go dance to", ""), ["a", "b", "silence"]);
    assert_eq!(next("sting", ""), ["s"]);
    assert_eq!(next("fade in", ""), ["dance/x"]);
    assert!(next("sting s", "on the next").contains(&"on the next beat".to_owned()));
}

#[test]
fn every_written_way_has_its_panel_on_the_proof_sheet() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/brinewick");
    let workspace = Workspace::open(&folder).unwrap();
    let wanted: Vec<_> = compile::wanted_audio(workspace.document()).into_iter().collect();
    let assets = estampie_project::assets::load_all(&folder, &wanted, 48_000);
    let (program, _) = compile::compile(workspace.document(), &assets);
    let panels = draw::seams(&std::sync::Arc::new(program));
    let titles: Vec<&str> = panels.iter().map(|p| p.title.as_str()).collect();
    for wanted in ["tidewalk: drift to pursuit", "tidewalk: pursuit to drift", "tidewalk: drift to silence", "customs-house: round to silence"] {
        assert!(titles.contains(&wanted), "{titles:?}");
    }
    assert!(!titles.contains(&"tidewalk: surfaced to drift"), "it is not allowed");
    for panel in &panels {
        let points = panel.further.iter().flat_map(|(_, line)| line);
        assert!(points.clone().count() > 600 && points.clone().all(|(x, y)| x.is_finite() && *y >= panel.y.0 && *y <= panel.y.1), "{}", panel.title);
    }
    assert!(draw::pdf("ways", &draw::Drawing::Panels(panels)).unwrap().starts_with(b"%PDF"));
}

#[test]
fn what_two_people_edit_apart_is_put_together_line_by_line() {
    let (folder, mut one) = project();
    let file = |name: &str| folder.path().join(name);
    let base = folder.path().join("base");
    let files = ["sounds/steps.toml", "shared.toml", "mix.toml", "game.toml", "reactions.est", "modulation.toml"];
    for name in files {
        std::fs::create_dir_all(base.join(name).parent().unwrap()).unwrap();
        std::fs::copy(file(name), base.join(name)).unwrap();
    }
    let mut other = Workspace::open(folder.path()).unwrap();
    // One person sets a level, renames an event, and moves a curve; the other a bus, a draw, a pick and a return.
    one.set_sounds(&names(&["step/plank"]), "level", "-3 dB").unwrap();
    one.rename_event("foot", "footstep", true).unwrap();
    one.set_curve("step/plank level", 0, &names(&["0 m/s: -30 dB", "6 m/s: 0 dB"])).unwrap();
    other.set_sounds(&names(&["step/grate"]), "bus", "steps").unwrap();
    other.set_sounds(&names(&["step"]), "pick", "shuffle").unwrap();
    other.add_return("hull", "reverb", "steps").unwrap();
    other.replace("reactions", "reactions.est", &text(&other, "reactions.est").replace("chance 50 %", "chance 70 %"));
    let mut merged = Vec::new();
    for name in files {
        let (ours, theirs) = (folder.path().join("ours"), folder.path().join("theirs"));
        std::fs::write(&ours, text(&one, name)).unwrap();
        std::fs::write(&theirs, text(&other, name)).unwrap();
        let done = std::process::Command::new("git").args(["merge-file", "-p"]).args([&ours, &base.join(name), &theirs]).output().unwrap();
        assert!(done.status.success(), "{name} does not go together:\n{}", String::from_utf8_lossy(&done.stdout));
        merged.push((name.to_owned(), Some(String::from_utf8(done.stdout).unwrap())));
    }
    let mut both = Workspace::open(folder.path()).unwrap();
    both.change("what both did", merged);
    assert!(faults(&both).is_empty(), "{:?}", faults(&both));
    let document = both.document();
    let sound = |name: &str| document.sounds.iter().find(|s| s.name == name).unwrap();
    assert_eq!(sound("step/plank").set[Property::Level], -3.0);
    assert_eq!(sound("step/grate").bus.as_ref().unwrap().value, "steps");
    assert!(text(&both, "reactions.est").contains("When footstep\n") && text(&both, "reactions.est").contains("chance 70 %"));
    assert!(document.buses.iter().any(|b| b.name == "hull") && text(&both, "modulation.toml").contains("-30 dB"));
    assert!(text(&both, "sounds/steps.toml").contains("# agreed"), "comments stay");
}
