//! The stock: a table of two hundred items comes in, ten are wired before any file is there, are heard, and their stages move as files come.

use crate::support::{Story, out, run};
use std::path::Path;

/// A second of a tone, as 16 bits.
fn tone(path: &Path) {
    tone_by(path, 0.05);
}

/// Half a second whose phase grows by `step` radians a frame.
fn tone_by(path: &Path, step: f64) {
    std::fs::create_dir_all(path.parent().unwrap()).unwrap();
    let spec = hound::WavSpec { channels: 1, sample_rate: 48_000, bits_per_sample: 16, sample_format: hound::SampleFormat::Int };
    let mut writer = hound::WavWriter::create(path, spec).unwrap();
    for n in 0..24_000 {
        writer.write_sample(((f64::from(n) * step).sin() * 8_000.0) as i16).unwrap();
    }
    writer.finalize().unwrap();
}

#[test]
fn a_table_comes_in_ten_are_wired_and_heard_and_stages_move_as_files_come() {
    let story = Story::new("stock");
    let project = story.home.path().join("harbour");
    let at = project.to_str().unwrap();
    assert!(run(&["new", at]).status.success());
    let table = story.home.path().join("team.csv");
    let mut text = String::from("Asset;Type;Qty;Budget;Comment\n");
    for n in 0..200 {
        text.push_str(&format!(
            "place{}/thing{};one-shot;2;{n};{}\n",
            (b'a' + n / 20) as char,
            (b'a' + n % 20) as char,
            if n == 3 { "\"wet; old\"" } else { "" }
        ));
    }
    std::fs::write(&table, &text).unwrap();
    let file = table.to_str().unwrap();
    let said = out(&run(&["stock", at, "import", file]));
    assert!(said.contains("200 new, 0 changed, 0 gone: 200 items") && said.contains("kept as they are: Budget"), "{said}");
    // Ten of them at once: their sounds, events and reactions, by what stands in for them.
    story.open(&format!("'{at}' --device none"));
    story.keys(&["7"]);
    story.wait_for("Stock 200 items");
    story.keys(&["/"]);
    story.type_text("placeb/thing");
    story.keys(&["Enter"]);
    story.wait_for("20 with");
    for _ in 0..10 {
        story.keys(&["x"]);
    }
    story.wait_for("edits are for all 10 marked");
    story.keys(&["W"]);
    story.wait_for("10 sounds are wired");
    story.keys(&["X", "Home", "p"]);
    story.wait_for("hears placeb/thinga: its placeholder");
    story.keys(&["C-s"]);
    story.wait_for("saved");
    story.keys(&["6"]);
    story.wait_for("placeb/thinga");
    let told = out(&run(&["stock", at]));
    assert!(told.contains("200: 0 made, 10 built, 10 hooked"), "{told}");
    // A file that fits the rule takes the place of both placeholders; the second makes it whole.
    tone(&project.join("audio/placeb/thinga_01.wav"));
    story.keys(&["7"]);
    story.wait_until("one of two is there", |screen| screen.contains("▪ 1/2"));
    tone(&project.join("audio/placeb/thinga_02.wav"));
    story.wait_until("both are there", |screen| screen.contains("■ 2/2"));
    let told = out(&run(&["stock", at]));
    assert!(told.contains("200: 1 made, 10 built, 10 hooked"), "{told}");
    // The table is edited elsewhere meanwhile, brought back, and written again: nothing is lost, and it is not written over unasked.
    std::fs::write(&table, text.replace(";199;", ";1999;").replace("placeb/thingc;one-shot;2", "placeb/thingc;one-shot;5")).unwrap();
    let said = out(&run(&["stock", at, "import", file]));
    assert!(said.contains("0 new, 1 changed, 0 gone: 200 items"), "{said}");
    story.wait_for("changed outside and taken in: stock.csv");
    assert!(run(&["stock", at, "export", file]).status.success());
    let back = std::fs::read_to_string(&table).unwrap();
    assert!(
        back.starts_with("Asset;Type;Qty;Budget;Comment\n") && back.contains(";1999;") && back.contains("\"wet; old\"") && back.lines().count() == 201,
        "{back}"
    );
    // Both sides change one cell, each otherwise: it is told, and nothing is written until somebody wins.
    std::fs::write(&table, back.replace("placeb/thingd;one-shot;2", "placeb/thingd;one-shot;7")).unwrap();
    let own = project.join("stock.csv");
    std::fs::write(&own, std::fs::read_to_string(&own).unwrap().replace("placeb/thingd;one-shot;2", "placeb/thingd;one-shot;8")).unwrap();
    let refused = run(&["stock", at, "import", file]);
    assert!(!refused.status.success() && out(&refused).contains("placeb/thingd, variations: here \"8\", there \"7\""), "{}", out(&refused));
    assert!(out(&run(&["stock", at, "import", file, "--theirs"])).contains("0 new, 1 changed"));
    // A table of the game's actions wires items of its own.
    let actions = story.home.path().join("actions.csv");
    std::fs::write(&actions, "event,item\nbell.rung,placec/thinga\nbell.hit,placec/thinga\n").unwrap();
    let said = out(&run(&["stock", at, "wire", actions.to_str().unwrap()]));
    assert!(said.contains("bell.rung plays placec/thinga") && said.contains("bell.hit plays placec/thinga"), "{said}");
    assert!(out(&run(&["stock", at])).contains("11 built, 11 hooked"));
    // A bundle has silence for what is not made, and says so.
    let bundle = story.home.path().join("harbour.bundle");
    let said = out(&run(&["bundle", at, "-o", bundle.to_str().unwrap()]));
    assert!(said.contains("placeholders are silent in it"), "{said}");
    let said = out(&run(&["bundle", at, "-o", bundle.to_str().unwrap(), "--placeholders"]));
    assert!(!said.contains("silent in it"), "{said}");
}

#[test]
fn wrong_names_are_mended_for_a_series_recordings_get_versions_and_a_folder_comes_in() {
    let story = Story::new("files");
    let project = story.home.path().join("harbour");
    let at = project.to_str().unwrap();
    assert!(run(&["new", at]).status.success());
    for n in 1..=3 {
        tone(&project.join(format!("audio/Quay/Old Bell {n}.wav")));
    }
    std::fs::write(project.join("sounds/bells.toml"), "[bell]\ntakes = [\"audio/Quay/Old Bell *.wav, level -6 dB\"]\n").unwrap();
    // The whole series by one key, with what names it; on disk at once.
    story.open(&format!("'{at}' --device none"));
    story.keys(&["7", "v"]);
    story.wait_for("it is not named like place/thing_NN");
    // What comes in with such a name is told at once.
    tone(&project.join("audio/Quay/Old Bell 4.wav"));
    story.wait_for("one of it is not named by the rule: 7 v");
    let all = |count: &str| story.wait_until("all are known", |screen| screen.lines().any(|l| l.contains("all files") && l.contains(count)));
    all(" 5 ");
    std::fs::remove_file(project.join("audio/Quay/Old Bell 4.wav")).unwrap();
    all(" 4 ");
    story.keys(&["/"]);
    story.type_text("old bell");
    story.keys(&["Enter"]);
    story.keys(&["Left", "Down"]);
    story.wait_until("names alone are shown", |screen| screen.contains("with \"old bell\""));
    for _ in 0..6 {
        if story.screen().lines().any(|line| line.starts_with('▌') && line.contains("name")) {
            break;
        }
        story.keys(&["Down"]);
        std::thread::sleep(std::time::Duration::from_millis(200));
    }
    story.keys(&["Right", "F"]);
    story.wait_for("3 files are named anew");
    let text = std::fs::read_to_string(project.join("sounds/bells.toml")).unwrap();
    assert_eq!(text, "[bell]\ntakes = [\"audio/quay/old-bell_*.wav, level -6 dB\"]\n");
    assert!(project.join("audio/quay/old-bell_03.wav").exists() && !project.join("audio/Quay").exists());
    story.keys(&["u"]);
    story.wait_for("undid names of 3 audio files");
    assert!(project.join("audio/Quay/Old Bell 3.wav").exists());
    story.keys(&["C-r"]);
    story.wait_for("redid names of 3 audio files");
    story.keys(&["q"]);
    // Elsewhere: what is the same twice is told; a version is written beside, and played.
    let told = out(&run(&["stock", at, "material"]));
    assert!(told.contains("old-bell_02.wav: it is the same recording as audio/quay/old-bell_01.wav"), "{told}");
    let dry = out(&run(&["stock", at, "fix", "audio/quay/old-bell_02.wav", "--do", "level -3 dB, fade 5 ms", "--dry"]));
    assert!(dry.contains("old-bell_02.v2.wav: softer by 3.0 dB, comes in and goes out within 5 ms") && dry.contains("nothing was written"), "{dry}");
    assert!(!project.join("audio/quay/old-bell_02.v2.wav").exists());
    assert!(run(&["stock", at, "fix", "audio/quay/old-bell_02.wav", "--do", "level -3 dB, fade 5 ms"]).status.success());
    let facts = out(&run(&["probe", project.join("audio/quay/old-bell_02.v2.wav").to_str().unwrap()]));
    assert!(facts.contains("24 bit") && facts.contains("comment     made from audio/quay/old-bell_02.wav"), "{facts}");
    let told = out(&run(&["stock", at, "material"]));
    assert!(told.contains("old-bell_02.v2.wav: it sounds like") && !told.contains("old-bell_02.wav: "), "{told}");
    // A folder: what is in the way is told first, and nothing is copied until somebody says what becomes of it.
    let session = story.home.path().join("Quay");
    tone(&session.join("old-bell_01.wav"));
    tone_by(&session.join("Rope 1.wav"), 0.09);
    std::fs::write(session.join("Rope 2.wav"), "not whole").unwrap();
    let folder = session.to_str().unwrap();
    let dry = out(&run(&["stock", at, "bring", folder, "--dry"]));
    assert!(
        dry.contains("old-bell_01.wav: lies there already") && dry.contains("Rope 1.wav: audio/quay/rope_01.wav") && dry.contains("nothing was copied"),
        "{dry}"
    );
    assert!(out(&run(&["stock", at, "bring", folder])).contains("2 files came in"));
    std::fs::write(session.join("Rope 2.wav"), "made anew").unwrap();
    let refused = run(&["stock", at, "bring", folder]);
    assert!(!refused.status.success() && out(&refused).contains("--taken leave or --taken version"), "{}", out(&refused));
    assert!(out(&run(&["stock", at, "bring", folder, "--taken", "version"])).contains("1 files came in"));
    assert_eq!(std::fs::read(project.join("audio/quay/rope_02.v2.wav")).unwrap(), b"made anew");
    assert!(out(&run(&["stock", at, "rename", "audio/quay/rope_01.wav", "audio/quay/cord_01.wav"])).contains("1 files renamed"));
    let refused = run(&["stock", at, "cut", "audio/quay/cord_01.wav"]);
    assert!(!refused.status.success() && out(&refused).contains("no marks"), "{}", out(&refused));
    // What it costs: half a second of one channel three times and the second that a new project has, at two bytes, and at four the version that was made of one; a limit is held where the team says so.
    let costs: serde_json::Value = serde_json::from_slice(&run(&["stock", at, "budget", "--json"]).stdout).unwrap();
    assert_eq!((costs["bars"][0]["is"].as_u64(), costs["bars"][1]["is"].as_u64()), (Some(4), Some(288_000)), "{costs}");
    let file = project.join("estampie.toml");
    let text = std::fs::read_to_string(&file).unwrap();
    for (over, checks, bundles) in [("say", true, true), ("warn", true, true), ("refuse", false, false)] {
        std::fs::write(&file, format!("{text}\n[budget]\nmemory = \"100 kB\"\nover = \"{over}\"\n")).unwrap();
        let (check, bundle) = (run(&["check", at]), run(&["bundle", at, "-o", story.home.path().join("x.bundle").to_str().unwrap()]));
        assert_eq!((check.status.success(), bundle.status.success()), (checks, bundles), "{over}: {}", out(&check));
        assert_eq!(out(&check).contains("audio takes 0.3 MB of memory, and the budget has 0.1 MB"), over != "say", "{}", out(&check));
        assert!(!run(&["stock", at, "budget"]).status.success(), "the budget itself always tells");
    }
}
