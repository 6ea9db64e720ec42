//! The command line: what it prints, writes, and how it ends.

use crate::support::run;
use std::path::{Path, PathBuf};
use std::process::Output;

fn demo() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/brinewick")
}

fn out(output: &Output) -> String {
    String::from_utf8_lossy(&output.stdout).into_owned()
}

fn err(output: &Output) -> String {
    String::from_utf8_lossy(&output.stderr).into_owned()
}

#[test]
fn fields_are_written_down_for_editors_and_for_people() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("sounds.json");
    let done = run(&["schema", "sounds", "-o", file.to_str().unwrap()]);
    assert!(done.status.success(), "{}", err(&done));
    let schema: serde_json::Value = serde_json::from_slice(&std::fs::read(&file).unwrap()).unwrap();
    assert_eq!(schema["$defs"]["sound"]["properties"]["loop"]["type"], "boolean");
    let wrong = run(&["schema", "soundz"]);
    assert!(wrong.status.code() == Some(2) && err(&wrong).contains("sounds"), "{}", err(&wrong));
    let page = run(&["schema", "--markdown"]);
    assert!(out(&page).contains("## sound") && out(&page).contains("| `re-trigger` |"));
    assert!(!run(&["schema", "mix", "-o", folder.path().join("mix.txt").to_str().unwrap()]).status.success());
}

#[test]
fn a_new_project_has_no_faults_and_sounds() {
    let folder = tempfile::tempdir().unwrap();
    let project = folder.path().join("harbour");
    let project = project.to_str().unwrap();
    assert_eq!(run(&["new", project]).status.code(), Some(0));
    let checked = run(&["check", project]);
    assert_eq!(checked.status.code(), Some(0), "{}", err(&checked));
    assert!(out(&checked).contains("no faults"));
    let again = run(&["new", project]);
    assert_eq!(again.status.code(), Some(2));
    assert!(err(&again).contains("not empty"));
    let play = folder.path().join("p.play");
    std::fs::write(&play, "0.5 send hello\n2 end\n").unwrap();
    let wav = folder.path().join("o.wav");
    let rendered = run(&["render", project, play.to_str().unwrap(), "-o", wav.to_str().unwrap(), "--bits", "16"]);
    assert_eq!(rendered.status.code(), Some(0), "{}", err(&rendered));
    let samples: Vec<i16> = hound::WavReader::open(&wav).unwrap().into_samples().map(Result::unwrap).collect();
    assert_eq!(samples.len(), 2 * 120_000);
    assert!(samples[..2 * 24_000].iter().all(|s| *s == 0), "silent until the event");
    assert!(samples[2 * 24_000..2 * 26_000].iter().any(|s| s.abs() > 2000), "it sounds from the event on");
}

#[test]
fn the_demo_renders_with_a_trace_the_same_each_time_and_otherwise_with_another_seed() {
    let folder = tempfile::tempdir().unwrap();
    let render = |name: &str, more: &[&str]| {
        let wav = folder.path().join(name);
        let trace = folder.path().join(format!("{name}.jsonl"));
        let mut arguments = vec!["render", demo().to_str().unwrap().to_owned().leak() as &str, "stuck-hatch", "-o", wav.to_str().unwrap().to_owned().leak()];
        arguments.extend(["--trace", trace.to_str().unwrap().to_owned().leak() as &str]);
        arguments.extend(more);
        let output = run(&arguments);
        assert_eq!(output.status.code(), Some(0), "{}", err(&output));
        assert!(err(&output).is_empty(), "no progress bar in a pipe: {}", err(&output));
        (std::fs::read(wav).unwrap(), std::fs::read_to_string(trace).unwrap())
    };
    let (one, trace) = render("one.wav", &[]);
    assert_eq!(render("two.wav", &[]), (one.clone(), trace.clone()));
    assert_ne!(render("three.wav", &["--seed", "99"]).0, one);
    let objects: Vec<serde_json::Value> = trace.lines().map(|l| serde_json::from_str(l).unwrap()).collect();
    assert!(objects.iter().all(|o| o["frame"].is_u64() && o["what"].is_string()));
    let of = |what: &str| objects.iter().filter(|o| o["what"] == what).count();
    for what in ["event", "parameter", "state", "reaction", "voice-start", "voice-end", "refused"] {
        assert!(of(what) > 0, "no {what} in the trace");
    }
    let frames: Vec<u64> = objects.iter().map(|o| o["frame"].as_u64().unwrap()).collect();
    assert!(frames.windows(2).all(|w| w[0] <= w[1] + 64), "in order, to the block");
    let hatch = objects.iter().find(|o| o["what"] == "refused" && o["sound"] == "hatch/open").unwrap();
    assert_eq!(hatch["reason"], "1 is playing, limit 1");
}

#[test]
fn faults_are_printed_with_place_and_mend_and_end_with_1() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("estampie.toml"), "format = 1\n").unwrap();
    std::fs::write(folder.path().join("reactions.est"), "When step\n  play stp\n").unwrap();
    let checked = run(&["check", folder.path().to_str().unwrap()]);
    assert_eq!(checked.status.code(), Some(1));
    assert!(err(&checked).contains("reactions.est:1:6: there is no event step [E301]\n  fix: "), "{}", err(&checked));
    assert!(err(&checked).contains("2 faults"));
    let nowhere = run(&["check", "/nowhere/at/all"]);
    assert_eq!(nowhere.status.code(), Some(1));
    assert!(err(&nowhere).contains("not a project"));
}

#[test]
fn wrong_use_ends_with_2_and_says_how() {
    let unknown = run(&["render", demo().to_str().unwrap(), "first-dve", "-o", "/dev/null"]);
    assert_eq!(unknown.status.code(), Some(2));
    assert!(err(&unknown).contains("first-dive?"), "{}", err(&unknown));
    assert_eq!(run(&["rendr"]).status.code(), Some(1), "a folder of that name is no project");
    assert_eq!(run(&["render"]).status.code(), Some(2));
    let piped = run(&[demo().to_str().unwrap()]);
    assert_eq!(piped.status.code(), Some(2));
    assert!(err(&piped).contains("needs a terminal"));
}

#[test]
fn probe_prints_facts_and_says_what_cannot_be_played() {
    let chime = demo().join("audio/relic/chime_01.flac");
    let probed = run(&["probe", chime.to_str().unwrap()]);
    assert_eq!(probed.status.code(), Some(0));
    for word in ["FLAC, 16 bit", "48000 Hz", "3.600 s", "LUFS", "dBTP", "none in the file"] {
        assert!(out(&probed).contains(word), "{word}: {}", out(&probed));
    }
    let json = run(&["probe", "--json", chime.to_str().unwrap(), demo().join("mix.toml").to_str().unwrap()]);
    assert_eq!(json.status.code(), Some(1));
    assert!(err(&json).contains("it is not a WAV, AIFF, FLAC, Ogg Vorbis or MP3 file"));
    let facts: serde_json::Value = serde_json::from_str(&out(&json)).unwrap();
    assert_eq!((facts["channels"].as_u64(), facts["frames"].as_u64()), (Some(1), Some(172_800)));
}

#[test]
fn every_file_of_the_demo_is_as_loud_as_promised_and_without_a_click() {
    let mut files = Vec::new();
    let mut folders = vec![demo().join("audio")];
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(folder).unwrap().map(Result::unwrap) {
            if entry.path().is_dir() { folders.push(entry.path()) } else { files.push(entry.path()) }
        }
    }
    assert!(files.len() >= 30, "{} files", files.len());
    let mut bytes = 0;
    for file in files {
        bytes += std::fs::metadata(&file).unwrap().len();
        let decoded = estampie_project::assets::decode(&file).unwrap();
        let facts = estampie_project::assets::facts(&decoded);
        let name = file.display();
        // Layers of a piece share one gain, so the sparse ones are softer.
        let least = if name.to_string().contains("audio/music/") { -36.0 } else { -30.0 };
        assert!((least..=-14.0).contains(&facts.loudness), "{name}: {} LUFS", facts.loudness);
        assert!(facts.true_peak <= -1.0 && facts.dc.abs() < 0.01, "{name}: {facts:?}");
        let first = decoded.channels.iter().map(|c| c[0].abs()).fold(0.0, f32::max);
        let last = decoded.channels.iter().map(|c| c[c.len() - 1].abs()).fold(0.0, f32::max);
        let text = name.to_string();
        let goes_round = ["loop.flac", "_loop", "water/", "winch/", "tidewalk", "leak/", "quay/", "cable/"].iter().any(|w| text.contains(w));
        assert!(goes_round || (first < 0.02 && last < 0.001), "{name}: begins at {first}, ends at {last}");
        // A round closes with no greater step than there is inside it.
        if ["loop.flac", "water/", "leak/", "quay/", "cable/"].iter().any(|w| text.contains(w)) {
            let inside = decoded.channels[0].windows(2).map(|w| (w[1] - w[0]).abs()).fold(0.0, f32::max);
            assert!(facts.seam_step <= f64::from(inside), "{name}: step {} at the seam, {inside} inside", facts.seam_step);
        }
    }
    assert!(bytes < 25 << 20, "{bytes} bytes");
}

#[test]
fn curves_are_drawn_into_a_file_of_either_kind() {
    let folder = tempfile::tempdir().unwrap();
    for ending in ["svg", "pdf"] {
        let out = folder.path().join(format!("curves.{ending}"));
        let done = run(&["draw", demo().to_str().unwrap(), "curves", "-o", out.to_str().unwrap()]);
        assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
        assert!(String::from_utf8_lossy(&done.stdout).contains("55 curves"));
        assert!(std::fs::metadata(&out).unwrap().len() > 20_000);
    }
    let wrong = run(&["draw", demo().to_str().unwrap(), "curves", "-o", "curves.png"]);
    assert_eq!(wrong.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&wrong.stderr).contains("neither in .svg nor in .pdf"));
}

#[test]
fn the_routing_is_drawn_with_every_bus() {
    let folder = tempfile::tempdir().unwrap();
    for ending in ["svg", "pdf"] {
        let out = folder.path().join(format!("routing.{ending}"));
        let done = run(&["draw", demo().to_str().unwrap(), "routing", "-o", out.to_str().unwrap()]);
        assert!(done.status.success() && String::from_utf8_lossy(&done.stdout).contains("13 buses"), "{done:?}");
    }
    let svg = std::fs::read_to_string(folder.path().join("routing.svg")).unwrap();
    for word in ["Brinewick Salvage: routing", "machines", "squeeze", "nave (return)", "-9 dB, moved", "1.5 dB, held"] {
        assert!(svg.contains(word), "{word}");
    }
}

#[test]
fn the_map_is_drawn_with_everything_on_it() {
    let folder = tempfile::tempdir().unwrap();
    for ending in ["svg", "pdf"] {
        let out = folder.path().join(format!("map.{ending}"));
        let done = run(&["draw", demo().to_str().unwrap(), "map", "-o", out.to_str().unwrap()]);
        assert!(done.status.success() && String::from_utf8_lossy(&done.stdout).contains("29 things"), "{done:?}");
    }
    let svg = std::fs::read_to_string(folder.path().join("map.svg")).unwrap();
    for word in ["Brinewick Salvage: map", "boiler-house", "hatch-way", "organ", "flock shrimp: 14 of 90 places", "10 m, north above"] {
        assert!(svg.contains(word), "{word}");
    }
    let nothing = folder.path().join("empty");
    assert!(run(&["new", nothing.to_str().unwrap()]).status.success());
    let done = run(&["draw", nothing.to_str().unwrap(), "map", "-o", folder.path().join("e.svg").to_str().unwrap()]);
    assert!(String::from_utf8_lossy(&done.stderr).contains("no map to draw; world.toml holds it"), "{done:?}");
}

#[test]
fn doctor_says_which_audio_is_missing_and_where_something_like_it_lies() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::create_dir_all(folder.path().join("sounds")).unwrap();
    std::fs::create_dir_all(folder.path().join("audio/Hull")).unwrap();
    std::fs::write(folder.path().join("estampie.toml"), "format = 1\n").unwrap();
    std::fs::write(folder.path().join("sounds/a.toml"), "[a]\ntakes = [\"audio/hull/a.wav\", \"audio/gone.wav\"]\n").unwrap();
    std::fs::write(folder.path().join("audio/Hull/a.wav"), "").unwrap();
    let done = run(&["doctor", folder.path().to_str().unwrap()]);
    let said = out(&done);
    for words in [
        "audio/hull/a.wav is not there, and named once\n    audio/Hull/a.wav: the same name in other letters",
        "audio/gone.wav is not there, and named once\n    nothing like it is in the project's folder",
        "running game",
    ] {
        assert!(said.contains(words), "{words}:\n{said}");
    }
    assert!(done.status.code() == Some(1) && err(&done).contains("2 pieces of audio are not where the project says"), "{}", err(&done));
    let well = run(&["doctor", demo().to_str().unwrap()]);
    assert!(well.status.success() && out(&well).contains("all audio is where it says"), "{}", out(&well));
}

#[test]
fn check_listens_to_every_way_and_says_what_does_not_sound_well() {
    let done = run(&["check", demo().to_str().unwrap()]);
    let out = String::from_utf8_lossy(&done.stdout).into_owned();
    assert!(done.status.success() && out.contains("renderings of transitions: nothing found"), "{out}");
    // The same with a section far too loud.
    let folder = tempfile::tempdir().unwrap();
    let copy = |from: &std::path::Path, to: &std::path::Path| {
        std::fs::create_dir_all(to.parent().unwrap()).unwrap();
        std::fs::copy(from, to).unwrap();
    };
    for file in ["drift_viols", "pursuit_viols"] {
        let path = format!("audio/music/{file}.flac");
        copy(&demo().join(&path), &folder.path().join(&path));
    }
    std::fs::write(folder.path().join("estampie.toml"), "format = 1\nname = \"loud\"\n").unwrap();
    std::fs::create_dir_all(folder.path().join("music")).unwrap();
    let music = "[piece.p]\ntempo = \"92\"\n[piece.p.section.soft]\nbars = 8\n[piece.p.section.soft.layer.v]\nfile = \"audio/music/drift_viols.flac\"\nlevel = \"-24 dB\"\n[piece.p.section.loud]\nbars = 4\n[piece.p.section.loud.layer.v]\nfile = \"audio/music/pursuit_viols.flac\"\n[[piece.p.transition]]\nfrom = \"soft\"\nto = \"loud\"\n";
    std::fs::write(folder.path().join("music/p.toml"), music).unwrap();
    let done = run(&["check", folder.path().to_str().unwrap()]);
    let said = String::from_utf8_lossy(&done.stderr).into_owned();
    assert_eq!(done.status.code(), Some(1), "{said}");
    assert!(said.contains("p soft ⟶ loud, asked in bar 1: the loudness goes up by"), "{said}");
}

/// git in a folder.
fn git(folder: &Path, arguments: &[&str]) {
    let done = std::process::Command::new("git").arg("-C").arg(folder).args(arguments).output().unwrap();
    assert!(done.status.success(), "git {arguments:?}: {}", err(&done));
}

#[test]
fn what_is_staged_is_checked_and_a_commit_is_compared_with_what_became_of_it() {
    let folder = tempfile::tempdir().unwrap();
    git(folder.path(), &["init", "-q"]);
    for (name, value) in [("user.name", "Brinewick"), ("user.email", "brinewick@example.org"), ("commit.gpgsign", "false")] {
        git(folder.path(), &["config", name, value]);
    }
    let project = folder.path().to_str().unwrap();
    assert_eq!(run(&["new", project]).status.code(), Some(0), "a repository that has just been made is empty");
    let file = |name: &str| folder.path().join(name);
    assert!(file(".gitignore").exists() && std::fs::read_to_string(file(".gitattributes")).unwrap().contains("*.wav -text"));
    std::fs::write(file("playthroughs/walk.play"), "seed 1\n0 send hello\n2 end\n").unwrap();
    git(folder.path(), &["add", "-A"]);
    git(folder.path(), &["commit", "-qm", "Begin"]);
    // An edit of the mix: what is written, and what is heard.
    let mix = std::fs::read_to_string(file("mix.toml")).unwrap();
    std::fs::write(file("mix.toml"), mix.replace("-3 dB", "-9 dB")).unwrap();
    let compared = run(&["compare", project, "--git", "HEAD"]);
    assert_eq!(compared.status.code(), Some(1), "{}", out(&compared));
    assert!(out(&compared).contains("mix.toml buses effects level: -3 dB ⟶ -9 dB") && out(&compared).contains("walk: one difference"), "{}", out(&compared));
    let value: serde_json::Value = serde_json::from_slice(&run(&["compare", project, "--git", "HEAD", "--json"]).stdout).unwrap();
    assert_eq!((&value["written"][0]["second"], &value["heard"][0]["differences"][0]["about"]), (&"-9 dB".into(), &"the mix".into()));
    let wrong = run(&["compare", project, "--git", "nowhere"]);
    assert!(wrong.status.code() == Some(1) && err(&wrong).contains("nowhere"), "{}", err(&wrong));
    // What is staged counts, and not what lies there.
    let reactions = std::fs::read_to_string(file("reactions.est")).unwrap();
    std::fs::write(file("reactions.est"), reactions.replace("play hello", "play helo")).unwrap();
    git(folder.path(), &["add", "-A"]);
    std::fs::write(file("reactions.est"), &reactions).unwrap();
    let staged = run(&["check", "--staged", "--json", project]);
    let value: serde_json::Value = serde_json::from_slice(&staged.stdout).unwrap();
    assert_eq!((staged.status.code(), &value["faults"][0]["code"], &value["faults"][0]["file"]), (Some(1), &"E303".into(), &"reactions.est".into()));
    assert_eq!(run(&["check", project]).status.code(), Some(0));
    // Quickly nothing is listened to, and that is said; what needs listening is refused with it.
    std::fs::write(file("checks.est"), "always expect true peak under -60 dBTP\n").unwrap();
    let check = |more: &[&str]| run(&[&["check", project, "--json"], more].concat());
    let listened = |more: &[&str]| serde_json::from_slice::<serde_json::Value>(&check(more).stdout).unwrap()["listened"].as_bool();
    assert_eq!((check(&[]).status.code(), listened(&[])), (Some(1), Some(true)));
    assert_eq!((check(&["--quick"]).status.code(), listened(&["--quick"])), (Some(0), Some(false)));
    assert_eq!(check(&["--quick", "--junit", "out.xml"]).status.code(), Some(2));
}

#[test]
fn a_fault_is_explained_and_settings_tell_where_they_come_from() {
    let explained = run(&["explain", "e303"]);
    assert!(out(&explained).starts_with("E303: there is no such sound") && out(&explained).contains("play bell"), "{}", out(&explained));
    assert_eq!(run(&["explain", "E1"]).status.code(), Some(2));
    assert!(out(&run(&["explain"])).lines().count() > 30);
    let folder = tempfile::tempdir().unwrap();
    let config = |arguments: &[&str]| {
        let command = [&["config"], arguments].concat();
        std::process::Command::new(env!("CARGO_BIN_EXE_estampie"))
            .args(command)
            .env("XDG_CONFIG_HOME", folder.path())
            .env("HOME", folder.path())
            .output()
            .unwrap()
    };
    assert!(out(&config(&[])).contains("buffer     30 ms                  default"), "{}", out(&config(&[])));
    assert_eq!((config(&["--write"]).status.code(), config(&["--write"]).status.code()), (Some(0), Some(2)), "a file that is there stays");
    assert_eq!(config(&[]).status.code(), Some(0));
    let path = folder.path().join("estampie/settings.toml");
    std::fs::write(&path, "buffer = \"60 ms\"\ntheem = \"light\"\n").unwrap();
    let told = config(&["--device", "none"]);
    assert!(out(&told).contains("60 ms                  settings.toml") && out(&told).contains("none                   the command line"), "{}", out(&told));
    assert!(told.status.code() == Some(1) && err(&told).contains("theme?"), "{}", err(&told));
    assert!(out(&run(&["--version"])).starts_with("estampie ") && out(&run(&["--version"])).contains('('));
}

#[test]
fn a_report_of_a_bug_has_the_machine_and_no_path_of_the_person() {
    let folder = tempfile::tempdir().unwrap();
    let project = folder.path().join("harbour");
    let path = project.to_str().unwrap();
    run(&["new", path]);
    std::fs::write(project.join("mix.toml"), "[buses.main]\nlevl = \"0 dB\"\n").unwrap();
    let state = folder.path().join("state/estampie");
    std::fs::create_dir_all(&state).unwrap();
    std::fs::write(state.join("estampie.log"), format!("it went wrong in {path}/sounds\n")).unwrap();
    let report = std::process::Command::new(env!("CARGO_BIN_EXE_estampie"))
        .args(["doctor", "--report", path])
        .env("XDG_STATE_HOME", folder.path().join("state"))
        .env("HOME", folder.path())
        .output()
        .unwrap();
    let text = out(&report);
    assert!(text.starts_with("estampie ") && text.contains("E201") && text.contains("it went wrong in PROJECT/sounds"), "{text}");
    assert!(!text.contains(folder.path().to_str().unwrap()), "{text}");
    let value: serde_json::Value = serde_json::from_slice(&run(&["doctor", "--json"]).stdout).unwrap();
    assert!(value["machine"]["devices"].is_array() && value["version"].is_string());
}
