//! Exploring from the command line, and what it finds in the workshop: found, opened, mended, gone. Comparing, stems, reports.

use crate::support::{Story, out, run};
use std::path::{Path, PathBuf};

/// A project with a lamp that hums for ever once it is lit where it is deep.
fn harbour(folder: &Path) -> PathBuf {
    let project = folder.join("harbour");
    std::fs::create_dir_all(project.join("audio")).unwrap();
    let spec = hound::WavSpec { channels: 1, sample_rate: 48_000, bits_per_sample: 16, sample_format: hound::SampleFormat::Int };
    let mut wave = hound::WavWriter::create(project.join("audio/hum.wav"), spec).unwrap();
    (0..48_000).for_each(|i| wave.write_sample(((f64::from(i) * 100.0 / 48_000.0 * std::f64::consts::TAU).sin() * 9_000.0) as i16).unwrap());
    wave.finalize().unwrap();
    let write = |name: &str, text: &str| {
        let path = project.join(name);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, text).unwrap();
    };
    write("estampie.toml", "format = 1\nname = \"Harbour\"\n");
    write("game.toml", "[events]\nlight = \"the lamp is lit\"\nout = \"and put out\"\n[parameters.depth]\nrange = \"0..40\"\n");
    write(
        "sounds/all.toml",
        "[\"lamp/hum\"]\nbus = \"lamp\"\ntakes = [\"audio/hum.wav\"]\nloop = true\nlevel = \"-12 dB\"\nfade-in = \"50 ms\"\nre-trigger = \"ignore\"\nlimit = { in-all = 1 }\n",
    );
    write("mix.toml", "[buses.lamp]\n");
    write("reactions.est", "When light and depth over 20\n  play lamp/hum\n");
    write("playthroughs/down.play", "seed 1\n0.5 depth 30\n1 send light\n4 end\n");
    project
}

#[test]
fn a_problem_is_found_by_exploring_opened_mended_and_gone() {
    let story = Story::new("explore");
    let project = harbour(story.home.path());
    let at = project.to_str().unwrap();
    let explored = run(&["explore", at, "--minutes", "8"]);
    let said = out(&explored);
    assert_eq!(explored.status.code(), Some(1), "{said}");
    assert!(said.contains("no end: lamp/hum: it still sounds") && said.contains("no reaction: out"), "{said}");
    let file = project.join("playthroughs/found/no-end-lamp-hum.play");
    let text = std::fs::read_to_string(&file).unwrap();
    assert!(text.starts_with("# problem: no end: lamp/hum\n") && text.contains("send light") && text.lines().count() <= 10, "{text}");
    let picture = std::fs::read_to_string(file.with_extension("svg")).unwrap();
    assert!(picture.starts_with("<svg") && picture.contains("no end: lamp/hum, at ") && picture.contains("lamp/hum\n"), "{picture}");
    // Known, it is told and not written again.
    let again = out(&run(&["explore", at, "--minutes", "8"]));
    assert!(again.contains("known, playthroughs/found/no-end-lamp-hum.play") && std::fs::read_dir(file.parent().unwrap()).unwrap().count() == 2, "{again}");
    // In the workshop it is a playthrough like any other: replayed, and its loop seen in the Trace, long after the last input.
    story.open(&format!("'{at}' --device none"));
    story.wait_for("Harbour");
    story.keys(&["9"]);
    story.wait_for("! no-end-lamp");
    story.keys(&["Down", "Enter"]);
    story.wait_for("replaying found/no-end-lamp-hum");
    story.keys(&["6", "Tab"]);
    story.wait_until("the loop lies in its lane", |screen| screen.lines().any(|line| line.contains("lamp/hum") && line.contains("■▪▪")));
    // Mended in its file, which the workshop takes in.
    let mended = "When light and depth over 20\n  play lamp/hum\n\nWhen out\n  stop lamp/hum over 0.5 s\n";
    std::fs::write(project.join("reactions.est"), mended).unwrap();
    story.wait_for("changed outside and taken in: reactions.est");
    let gone = run(&["explore", at, "--minutes", "8"]);
    let said = out(&gone);
    assert!(gone.status.code() == Some(0) && said.contains("no problems"), "{said}");
    assert!(said.contains("gone: no end: lamp/hum; playthroughs/found/no-end-lamp-hum.play no longer shows it"), "{said}");
}

#[test]
fn parts_are_played_apart_and_put_together_and_what_cannot_be_is_said() {
    let folder = tempfile::tempdir().unwrap();
    let project = harbour(folder.path());
    let at = project.to_str().unwrap();
    let part = |n: usize| folder.path().join(format!("part-{n}.json")).to_str().unwrap().to_owned();
    for n in 1..=2 {
        let done = run(&["explore", at, "--minutes", "6", "--shard", &format!("{n}/2"), "-o", &part(n)]);
        assert_eq!(done.status.code(), Some(0), "{}", out(&done));
    }
    assert!(!project.join("playthroughs/found").exists(), "a part keeps nothing");
    let merged = run(&["explore", at, "--merge", &part(1), &part(2), "--junit", folder.path().join("j.xml").to_str().unwrap()]);
    let said = out(&merged);
    assert!(merged.status.code() == Some(1) && said.contains("4 plays, 6.0 minutes, of 2 parts") || said.contains("minutes, of 2 parts"), "{said}");
    assert!(said.contains("no end: lamp/hum"), "{said}");
    let junit = std::fs::read_to_string(folder.path().join("j.xml")).unwrap();
    assert!(junit.contains("name=\"no end\"") && junit.contains("lamp/hum") && junit.contains("failures=\"1\""), "{junit}");
    let twice = run(&["explore", at, "--merge", &part(1), &part(1)]);
    assert!(twice.status.code() == Some(2) && out(&twice).contains("two of them have played play"), "{}", out(&twice));
    for (arguments, words) in [
        (vec!["explore", at, "--shard", "3/2"], "there is no part 3 of 2"),
        (vec!["explore", at, "--minutes", "0"], "0 minutes cannot be played"),
        (vec!["explore", at, "--merge", "nowhere.json"], "cannot be read"),
    ] {
        let done = run(&arguments);
        assert!(done.status.code() == Some(2) && out(&done).contains(words), "{words}: {}", out(&done));
    }
    let guess = out(&run(&["explore", at, "--guess"]));
    assert!(guess.contains("[[event]]\nevent = \"light\"") && guess.contains("parameter = \"depth\""), "{guess}");
}

#[test]
fn the_demo_is_explored_for_a_while_and_has_no_problems() {
    let folder = tempfile::tempdir().unwrap();
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/brinewick");
    let coverage = folder.path().join("c.json");
    let done = run(&["explore", demo.to_str().unwrap(), "--minutes", "3", "--dry", "--coverage", coverage.to_str().unwrap()]);
    assert_eq!(done.status.code(), Some(0), "{}", out(&done));
    assert!(out(&done).contains("no problems"), "{}", out(&done));
    let json: serde_json::Value = serde_json::from_str(&std::fs::read_to_string(coverage).unwrap()).unwrap();
    assert!(json["events"].as_array().unwrap().len() > 20);
}

#[test]
fn an_edit_is_compared_stems_are_written_and_a_report_is_made() {
    let folder = tempfile::tempdir().unwrap();
    let project = harbour(folder.path());
    let at = project.to_str().unwrap();
    let file = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    // Before and after an edit, as traces, as projects, as a bundle and a project.
    let rendered = run(&["render", at, "down", "-o", &file("a.wav"), "--trace", &file("a.jsonl"), "--stems", &file("stems")]);
    assert_eq!(rendered.status.code(), Some(0), "{}", out(&rendered));
    let read = |name: &str| hound::WavReader::open(file(name)).unwrap().into_samples::<i32>().map(Result::unwrap).collect::<Vec<_>>();
    let (mix, lamp, rest) = (read("a.wav"), read("stems/lamp.wav"), read("stems/rest.wav"));
    assert!(mix.len() == lamp.len() && mix.iter().any(|s| s.abs() > 100_000));
    assert!(mix.iter().zip(&lamp).zip(&rest).all(|((m, l), r)| (m - l - r).abs() <= 3), "they sum to the mix");
    assert!(rest.iter().all(|s| s.abs() <= 83), "100 dB below full scale");
    let bundled = run(&["bundle", at, "-o", &file("before.bundle")]);
    assert_eq!(bundled.status.code(), Some(0), "{}", out(&bundled));
    let copy = folder.path().join("after");
    std::fs::create_dir_all(copy.join("audio")).unwrap();
    for name in ["estampie.toml", "game.toml", "mix.toml", "reactions.est", "sounds/all.toml", "playthroughs/down.play", "audio/hum.wav"] {
        std::fs::create_dir_all(copy.join(name).parent().unwrap()).unwrap();
        std::fs::copy(project.join(name), copy.join(name)).unwrap();
    }
    let sounds = std::fs::read_to_string(copy.join("sounds/all.toml")).unwrap();
    std::fs::write(copy.join("sounds/all.toml"), sounds.replace("-12 dB", "-15 dB")).unwrap();
    let after = copy.to_str().unwrap();
    let same = run(&["compare", at, at]);
    assert!(same.status.code() == Some(0) && out(&same).contains("down: the same"), "{}", out(&same));
    for one in [at.to_owned(), file("a.jsonl"), file("before.bundle")] {
        let done = run(&["compare", &one, after, "--playthrough", "down", "-o", &file("d.json")]);
        assert!(done.status.code() == Some(1) && out(&done).contains("lamp/hum is 3.0 dB softer"), "{one}: {}", out(&done));
    }
    let json = std::fs::read_to_string(file("d.json")).unwrap();
    assert!(json.contains("\"about\": \"lamp/hum\"") && json.contains("\"weight\""), "{json}");
    let wrong = run(&["compare", &file("a.jsonl"), after]);
    assert!(wrong.status.code() == Some(2) && out(&wrong).contains("say with --playthrough"), "{}", out(&wrong));
    let broken = run(&["compare", &file("a.wav"), after, "--playthrough", "down"]);
    assert_eq!(broken.status.code(), Some(2), "{}", out(&broken));
    // On paper.
    let report = run(&["report", at, "-o", &file("r.pdf")]);
    assert_eq!(report.status.code(), Some(0), "{}", out(&report));
    let pdf = std::fs::read(file("r.pdf")).unwrap();
    assert!(pdf.starts_with(b"%PDF") && String::from_utf8_lossy(&pdf).matches("/Type /Page\n").count() >= 4);
    for (what, words) in [("timeline", "lamp/hum"), ("coverage", "lamp/hum"), ("loudness", "LUFS")] {
        let done = run(&["draw", at, what, "-o", &file("d.svg")]);
        assert_eq!(done.status.code(), Some(0), "{}", out(&done));
        let svg = std::fs::read_to_string(file("d.svg")).unwrap();
        assert!(svg.contains(words) && svg.contains("Harbour: "), "{what}");
    }
    assert_eq!(run(&["report", at, "-o", &file("r.txt")]).status.code(), Some(2));
}
