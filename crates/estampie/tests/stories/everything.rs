//! A project with every kind of thing, from a folder of audio to files that are checked, by keys alone.

use crate::support::Story;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::Command;

/// A kind, a name, and fields with what is typed into them.
type Made = (&'static str, &'static str, &'static [(&'static str, &'static str)]);

/// What is made, in this order: the kind, its name (none for what has none), and the fields that are typed. `=` says that it is there.
const THINGS: &[Made] = &[
    ("event", "hull.struck", &[("hull.struck", "something hits the hull")]),
    ("parameter", "strain", &[("range", "0..1"), ("rise", "80 ms")]),
    ("formula", "danger", &[("is", "strain * 2"), ("range", "0..1")]),
    ("state", "deck", &[("values", "plank; silt"), ("start", "plank")]),
    ("emitter of the game", "winch", &[("winch", "on the quay")]),
    ("name in the game", "PressureHull", &[("PressureHull", "strain")]),
    ("bus", "hull", &[("level", "-3 dB")]),
    ("bus", "nave", &[]),
    ("effect", "tail", &[("kind", "reverb"), ("wet", "100 %")]),
    ("bus", "=nave", &[("return", "true")]),
    ("shared vary", "loose", &[("pitch", "-1..1 st")]),
    ("shared shape", "soft", &[("release", "300 ms")]),
    ("shared limit", "few", &[("in-all", "4")]),
    ("shared falloff", "open", &[("level", "gentle from 2 m to 40 m")]),
    ("shared lines", "crew", &[("gap", "1..2 s")]),
    ("group", "metal", &[("in-all", "8")]),
    ("shared effect", "dull", &[("note", "for what lies behind doors")]),
    ("generator", "breath", &[("colour", "pink"), ("channels", "stereo")]),
    (
        "sound",
        "hull/groan",
        &[("bus", "hull"), ("vary", "loose"), ("shape", "soft"), ("falloff", "open"), ("group", "metal"), ("send", "nave: -12 dB"), ("limit.each", "2")],
    ),
    ("sound", "wind", &[("takes", "generator breath; audio/groan.flac"), ("loop", "true")]),
    ("snapshot", "quiet", &[("hold", "bus hull level: by -6 dB"), ("while", "deck is silt"), ("rise", "1 s")]),
    ("duck", "", &[("sidechain", "sound hull/groan"), ("ducks", "nave"), ("by", "-4 dB")]),
    ("player level", "effects", &[("effects", "hull")]),
    ("modulation", "", &[("from", "danger"), ("moves", "hull/groan level"), ("curve", "0: -12 dB; 1: 0 dB, smooth")]),
    ("piece", "walk", &[("tempo", "96")]),
    ("piece", "dusk", &[("tempo", "72")]),
    ("section", "b", &[("bars", "4")]),
    ("layer", "drum", &[("sound", "hull/groan")]),
    ("transition", "", &[("from", "a"), ("to", "b"), ("leave", "next beat")]),
    ("piece turned down", "walk", &[("by", "-6 dB")]),
    ("stinger", "fright", &[("sound", "hull/groan"), ("on", "next bar")]),
    ("playlist", "evening", &[("pieces", "walk; dusk"), ("gap", "1..2 s")]),
    ("instrument", "bell", &[("kind", "bells")]),
    ("zone", "yard", &[("radius", "12 m"), ("ambience", "hull/groan")]),
    ("zone", "hall", &[("at", "0, 20")]),
    ("shelter", "porch", &[("at", "0, 8"), ("radius", "2 m")]),
    ("doorway", "gate", &[("between", "yard; hall"), ("line", "-1, 12; 1, 12")]),
    ("wall", "pier", &[("line", "4, 0; 4, 6"), ("level", "-6 dB")]),
    ("emitter", "lamp", &[("at", "3, 3"), ("plays", "hull/groan")]),
    ("trail", "cable", &[("line", "0, 0; 0, 30")]),
    ("area", "pool", &[("radius", "3 m")]),
    ("bearing", "sea", &[("bearing", "270 deg")]),
    ("one-shots", "drips", &[("plays", "hull/groan"), ("every", "3..6 s")]),
    ("flock", "midges", &[("plays", "hull/groan"), ("most", "6")]),
    ("made-up event", "", &[("event", "hull.struck"), ("every", "2..9 s")]),
    ("made-up parameter", "", &[("parameter", "danger"), ("jumps", "20 %")]),
    ("made-up state", "", &[("state", "deck"), ("lasts", "4..8 s")]),
    ("made-up emitter", "", &[("emitter", "gull"), ("within", "2..20 m")]),
    ("accepted problem", "", &[("problem", "silence main"), ("reason", "the game is a quiet one")]),
];

/// Kinds whose things have names of their own, with one of each.
fn named() -> impl Iterator<Item = (&'static str, &'static str)> {
    let mut seen: Vec<&str> = Vec::new();
    THINGS.iter().filter(|(_, name, _)| !name.is_empty() && !name.starts_with('=')).filter_map(move |(kind, name, _)| {
        let new = !seen.contains(kind) && *kind != "piece turned down";
        seen.push(kind);
        new.then_some((*kind, *name))
    })
}

/// The texts of a project.
fn texts(folder: &Path) -> BTreeMap<String, String> {
    let mut found = BTreeMap::new();
    let mut folders = vec![folder.to_owned()];
    while let Some(here) = folders.pop() {
        for entry in std::fs::read_dir(&here).unwrap().map(|e| e.unwrap().path()) {
            if entry.is_dir() {
                folders.push(entry);
            } else if entry.extension().is_some_and(|e| e == "toml" || e == "est" || e == "play") {
                let name = entry.strip_prefix(folder).unwrap().to_string_lossy().into_owned();
                found.insert(name, std::fs::read_to_string(&entry).unwrap());
            }
        }
    }
    found
}

#[test]
fn a_project_with_every_kind_of_thing_is_made_by_keys_alone() {
    let story = Story::new("everything");
    let project = story.home.path().join("everything");
    let estampie = env!("CARGO_BIN_EXE_estampie");
    assert!(Command::new(estampie).args(["new".as_ref(), project.as_os_str()]).output().unwrap().status.success());
    std::fs::copy(Story::demo().join("audio/step/grate_01.flac"), project.join("audio/groan.flac")).unwrap();
    story.open(&format!("'{}' --device none", project.display()));
    story.wait_for("The last 20 seconds");
    for (kind, name, fields) in THINGS {
        // An enter is a carriage return to a terminal.
        if let Some(name) = name.strip_prefix('=') {
            story.type_text(&format!(":fields of {kind} {name}\r"));
        } else {
            story.type_text(&format!(":new {kind}\r"));
        }
        if !name.is_empty() && !name.starts_with('=') {
            story.wait_for(&format!("new {kind}"));
            story.type_text(&format!("{name}\r"));
        }
        story.wait_until("it is there", |s| s.lines().any(|l| l.contains(&format!("¶ {kind} "))));
        for (field, text) in *fields {
            story.type_text(&format!("/{field}\re{text}\r"));
        }
    }
    // A reaction with two actions, typed as sentences.
    story.keys(&["2"]);
    story.wait_for("¶ Reactions hear it");
    story.keys(&["Tab", "n"]);
    story.type_text("hull.struck and strain over 0.5\r");
    story.wait_for("tab play");
    story.type_text("play hull/groan\r");
    story.wait_until("the first action is written", |s| s.contains("play hull/groan") && !s.contains("tab "));
    story.keys(&["o"]);
    story.wait_for("tab play");
    story.type_text("play wind, after 0.5 s\r");
    story.wait_until("the second one is", |s| s.contains("play wind, after 0.5 s") && !s.contains("tab "));
    // A playthrough, line by line.
    story.keys(&["9", "n"]);
    story.wait_for("new playthrough");
    story.type_text("dive\r");
    story.wait_for("¶ dive ");
    for line in ["0 strain 0.2", "0.5 send hull.struck", "2 strain 0.2 to 0.9 over 1 s", "3.5 send hull.struck on winch"] {
        story.keys(&["n", "C-u"]);
        story.type_text(&format!("{line}\r"));
        let (_, what) = line.split_once(' ').unwrap();
        story.wait_until("the line is there", |s| s.contains(what) && !s.contains("new line"));
    }
    story.keys(&["C-s"]);
    story.wait_for("● saved");
    let before = texts(&project);
    // One of each is renamed, copied, the copy deleted; and the last of it undone and redone.
    for (kind, name) in named() {
        story.type_text(&format!(":fields of {kind} "));
        story.type_text(&format!("{name}\r"));
        story.wait_until("its fields", |s| s.lines().any(|l| l.contains(&format!("¶ {kind} "))));
        story.keys(&["Left"]);
        story.type_text("r-two\r");
        story.wait_until("it has another name", |s| s.contains(&format!("it is called {name}-two now")));
        story.type_text("d");
        story.wait_until("it is copied", |s| s.contains(" is a copy of "));
        story.type_text("D");
        story.wait_until("the copy is deleted", |s| s.contains(" is deleted; u brings it back"));
        story.type_text("u");
        story.wait_until("it is back", |s| s.contains("undid deletion of"));
        story.keys(&["C-r"]);
        story.wait_until("and gone again", |s| s.contains("redid deletion of"));
    }
    story.keys(&["C-s"]);
    story.wait_for("● saved");
    let after = texts(&project);
    assert_ne!(before, after);
    let checked = Command::new(estampie).args(["check".as_ref(), project.as_os_str()]).output().unwrap();
    let told = String::from_utf8_lossy(&checked.stdout).into_owned() + &String::from_utf8_lossy(&checked.stderr);
    assert!(checked.status.success(), "{told}");
    // What was made is what was to be made, to the letter.
    let expected = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("tests/stories/everything.txt");
    let all: String = after.iter().map(|(file, text)| format!("──── {file}\n{text}")).collect();
    if std::env::var("ESTAMPIE_EVERYTHING").is_ok_and(|v| v == "write") {
        std::fs::write(&expected, &all).unwrap();
    }
    assert_eq!(all, std::fs::read_to_string(&expected).unwrap());
}
