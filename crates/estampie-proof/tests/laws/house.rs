//! The layers of the house: which crate may use which, and which room of the engine.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::process::Command;

/// What runs inside a game has no other dependencies than these.
const ENGINE_MAY_USE: [&str; 10] = ["estampie-generics", "indexmap", "num-rational", "rand", "rand_pcg", "rstar", "rtrb", "serde", "thiserror", "wide"];

/// The rooms of the engine, each with those that it may use besides itself.
const ENGINE: [(&str, &[&str]); 8] = [
    ("ground", &[]),
    ("dsp", &["ground"]),
    ("music", &["ground", "dsp"]),
    ("world", &["ground", "dsp"]),
    ("mixer", &["ground", "dsp", "music", "world"]),
    ("program", &["ground", "dsp", "music", "world", "mixer"]),
    ("director", &["ground", "dsp", "music", "world", "mixer", "program"]),
    ("engine", &["ground", "dsp", "music", "world", "mixer", "program", "director"]),
];

/// The rooms of a project, likewise.
const PROJECT: [(&str, &[&str]); 18] = [
    ("fault", &[]),
    ("door", &[]),
    ("guard", &[]),
    ("midi", &["door", "guard"]),
    ("notes", &["midi"]),
    ("language", &["fault"]),
    ("refusal", &["fault"]),
    ("stock", &["fault", "refusal", "language"]),
    ("document", &["fault", "refusal", "door", "midi", "notes", "language", "stock"]),
    ("complete", &["fault", "language", "document"]),
    ("moved", &["fault", "document"]),
    ("assets", &["door", "guard", "stock"]),
    ("compile", &["fault", "midi", "notes", "language", "document", "assets", "stock"]),
    ("explain", &["fault", "document", "assets", "compile"]),
    ("survey", &["fault", "language", "document"]),
    ("progress", &["fault", "door", "language", "stock", "document", "assets", "compile"]),
    ("recipes", &["door", "language", "stock", "document", "assets", "compile"]),
    ("things", &["fault", "door", "language", "document", "assets", "compile"]),
];

fn crates() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..")
}

fn files(folder: &Path, found: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(folder).unwrap().map(|e| e.unwrap().path()) {
        if entry.is_dir() {
            files(&entry, found);
        } else if entry.extension().is_some_and(|e| e == "rs") {
            found.push(entry);
        }
    }
}

/// The rooms that a text names by `crate::`, comments left out.
fn named(text: &str) -> BTreeSet<String> {
    let code: Vec<&str> = text.lines().filter(|l| !l.trim_start().starts_with("//")).collect();
    let code = code.join("\n");
    let mut found = BTreeSet::new();
    for (at, _) in code.match_indices("crate::") {
        if at > 0 && (code.as_bytes()[at - 1].is_ascii_alphanumeric() || code.as_bytes()[at - 1] == b'_') {
            continue;
        }
        let rest = &code[at + "crate::".len()..];
        let names: Vec<&str> = match rest.strip_prefix('{') {
            Some(list) => list.split('}').next().unwrap_or_default().split(',').map(|n| n.trim().split("::").next().unwrap_or_default()).collect(),
            None => vec![rest],
        };
        found.extend(names.iter().map(|n| n.chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect::<String>()));
    }
    found
}

/// What is wrong with the rooms of a crate.
fn backward(name: &str, rooms: &[(&str, &[&str])]) -> Vec<String> {
    let source = crates().join(name).join("src");
    let mut wrong = Vec::new();
    let mut all = Vec::new();
    files(&source, &mut all);
    for file in all {
        let inside = file.strip_prefix(&source).unwrap();
        let first = inside.components().next().unwrap().as_os_str().to_string_lossy().into_owned();
        let room = first.strip_suffix(".rs").unwrap_or(&first);
        if room == "lib" {
            continue;
        }
        let Some((_, may)) = rooms.iter().find(|(r, _)| *r == room) else {
            wrong.push(format!("{name}: the room {room} has no place in the list"));
            continue;
        };
        let text = std::fs::read_to_string(&file).unwrap();
        for other in named(&text).iter().filter(|o| rooms.iter().any(|(r, _)| r == o)) {
            if other != room && !may.contains(&other.as_str()) {
                wrong.push(format!("{}: {room} may not use {other}", inside.display()));
            }
        }
        // Nothing leaves its room by the back door.
        let depth = inside.components().count();
        let out = vec!["super"; if inside.ends_with("mod.rs") { depth.max(2) - 1 } else { depth }].join("::") + "::";
        if text.contains(&out) && depth > 1 && !text.contains("#[cfg(test)]") {
            wrong.push(format!("{}: {out} leaves the room", inside.display()));
        }
    }
    wrong
}

#[test]
fn no_room_uses_one_above_it() {
    assert_eq!(backward("estampie-engine", &ENGINE), Vec::<String>::new());
    assert_eq!(backward("estampie-project", &PROJECT), Vec::<String>::new());
}

#[test]
fn an_arrow_backward_would_be_found() {
    let text = "// crate::engine is only named here\nuse crate::{ground, director::Scene};\nfn f() { crate::mixer::Mixer::new(); estampie_crate::no(); }\n";
    let found = named(text);
    assert_eq!(found.iter().map(String::as_str).collect::<Vec<_>>(), ["director", "ground", "mixer"]);
    let strict: Vec<(&str, &[&str])> = ENGINE.iter().map(|(room, _)| (*room, &[] as &[&str])).collect();
    assert!(backward("estampie-engine", &strict).len() > 20, "all that is used would be told");
}

#[test]
fn no_crate_uses_one_above_it_and_the_engine_needs_little() {
    let root = crates().join("..");
    let out = Command::new(env!("CARGO")).args(["metadata", "--no-deps", "--offline", "--format-version", "1"]).current_dir(root).output().unwrap();
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let metadata: serde_json::Value = serde_json::from_slice(&out.stdout).unwrap();
    let of = |name: &str, all_kinds: bool| -> BTreeSet<String> {
        let package = metadata["packages"].as_array().unwrap().iter().find(|p| p["name"] == name).unwrap();
        let all = package["dependencies"].as_array().unwrap().iter();
        all.filter(|d| all_kinds || d["kind"].is_null()).map(|d| d["name"].as_str().unwrap().to_owned()).collect()
    };
    let ours = |name: &str| -> Vec<String> { of(name, true).into_iter().filter(|d| d.starts_with("estampie")).collect() };
    assert_eq!(of("estampie-engine", false), ENGINE_MAY_USE.map(str::to_owned).into(), "what a game has to carry is decided here");
    assert_eq!(ours("estampie-generics"), Vec::<String>::new());
    assert_eq!(ours("estampie-engine"), ["estampie-generics"]);
    assert_eq!(ours("estampie-project"), ["estampie-engine", "estampie-generics"]);
    assert_eq!(ours("estampie-proof"), ["estampie-engine", "estampie-generics", "estampie-project"]);
    assert_eq!(ours("estampie-link"), ["estampie-engine"]);
    assert_eq!(ours("estampie-bundle"), ["estampie-engine"]);
    assert_eq!(ours("estampie-live"), ["estampie-bundle", "estampie-engine"]);
    // What a game carries; tests may use more, and who wants live edits carries them.
    let carried: Vec<String> = of("estampie-runtime", false).into_iter().filter(|d| d.starts_with("estampie")).collect();
    assert_eq!(carried, ["estampie-bundle", "estampie-engine", "estampie-live"]);
    let runtime = metadata["packages"].as_array().unwrap().iter().find(|p| p["name"] == "estampie-runtime").unwrap();
    let live = runtime["dependencies"].as_array().unwrap().iter().find(|d| d["name"] == "estampie-live" && d["kind"].is_null()).unwrap();
    assert!(live["optional"] == true && runtime["features"]["default"].is_null(), "nobody ships live edits by mistake");
    for name in ["estampie-engine", "estampie-project", "estampie-proof", "estampie-link", "estampie-bundle", "estampie-live", "estampie-runtime"] {
        for screen in ["ratatui", "crossterm", "cpal", "clap"] {
            assert!(!of(name, true).contains(screen), "{name} has no interface: {screen}");
        }
    }
}

/// Whether one may take a package under a licence as it is written: of alternatives any, of what is joined all.
fn may_take(licence: &str, allowed: &[String]) -> bool {
    let bare = licence.replace(" / ", " OR ").replace('/', " OR ").replace(['(', ')'], "");
    // What is joined binds closer, and no package here has a joint of alternatives but as (A OR B) AND C.
    let joined: Vec<&str> = if licence.starts_with('(') { bare.split(" AND ").collect() } else { vec![&bare] };
    let plain = |one: &str| allowed.iter().any(|a| a == one.trim());
    joined.iter().all(|part| part.split(" OR ").any(|one| one.split(" AND ").all(plain)))
}

#[test]
fn what_is_used_of_others_comes_from_the_registry_under_a_licence_that_is_allowed() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let rules: toml_edit::DocumentMut = std::fs::read_to_string(root.join("deny.toml")).unwrap().parse().unwrap();
    let allowed: Vec<String> = rules["licenses"]["allow"].as_array().unwrap().iter().map(|v| v.as_str().unwrap().to_owned()).collect();
    // What is not there yet, since nothing that was built needs it, is fetched.
    let ask =
        |more: &[&str]| Command::new(env!("CARGO")).args(["metadata", "--format-version", "1", "--locked"]).args(more).current_dir(&root).output().unwrap();
    let mut out = ask(&["--offline"]);
    if !out.status.success() {
        out = ask(&[]);
    }
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let all: serde_json::Value = serde_json::from_slice(&out.stdout).unwrap();
    let packages = all["packages"].as_array().unwrap();
    assert!(packages.len() > 100);
    for package in packages {
        let (name, licence) = (package["name"].as_str().unwrap(), package["license"].as_str().unwrap_or("none"));
        assert!(may_take(licence, &allowed), "{name} is under {licence}, which deny.toml does not allow");
        let source = package["source"].as_str().unwrap_or("path");
        assert!(source == "path" || source.starts_with("registry+"), "{name} comes from {source}");
    }
    assert!(may_take("GPL-3.0 OR MIT", &allowed) && may_take("(MIT OR GPL-3.0) AND ISC", &allowed));
    assert!(!may_take("GPL-3.0", &allowed) && !may_take("MIT AND GPL-3.0", &allowed) && !may_take("(MIT OR ISC) AND GPL-3.0", &allowed));
}
