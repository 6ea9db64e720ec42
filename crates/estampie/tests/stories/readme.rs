//! What the README promises, word for word: the first project in ten minutes, and the demo's first minute.

use crate::support::{Story, line};
use std::path::Path;
use std::process::Command;

fn readme() -> String {
    std::fs::read_to_string(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../README.md")).unwrap()
}

/// The block of a kind that holds a word, as it stands in the README.
fn block(kind: &str, word: &str) -> String {
    let readme = readme();
    let lines: Vec<&str> = readme.lines().collect();
    let starts = lines.iter().enumerate().filter(|(_, l)| l.trim() == format!("```{kind}")).map(|(at, _)| at);
    for start in starts {
        let body: Vec<&str> = lines[start + 1..].iter().take_while(|l| l.trim() != "```").copied().collect();
        if body.iter().any(|l| l.contains(word)) {
            return body.iter().map(|l| format!("{}\n", l.strip_prefix("   ").unwrap_or(l))).collect();
        }
    }
    panic!("the README has no block {kind} with {word}");
}

/// A footstep of our own: a fall of noise, 16 bit, as a WAV file.
fn step(path: &Path, seed: u32) {
    let mut noise = seed;
    let samples: Vec<i16> = (0..28_800)
        .map(|at| {
            noise = noise.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (((noise >> 16) as f32 / 32_768.0 - 1.0) * 9_000.0 * (-(at as f32) / 3_000.0).exp()) as i16
        })
        .collect();
    let data: Vec<u8> = samples.iter().flat_map(|s| s.to_le_bytes()).collect();
    let mut file = b"RIFF".to_vec();
    file.extend((36 + data.len() as u32).to_le_bytes());
    file.extend(b"WAVEfmt \x10\0\0\0\x01\0\x01\0\x80\xbb\0\0\0\x77\x01\0\x02\0\x10\0data");
    file.extend((data.len() as u32).to_le_bytes());
    file.extend(data);
    std::fs::write(path, file).unwrap();
}

#[test]
fn the_first_project_is_made_as_the_readme_says() {
    let text = readme();
    for words in [
        "`d`: a struck tone",
        "`a` takes the whole series",
        "`v` lets it vary",
        "`W` and `step`, `enter`",
        "`/range`, `enter`, `e`, `0..6`, `enter`",
        "`3`, `M`, `speed`, `enter`",
    ] {
        assert!(text.contains(words), "the README says otherwise than this story: {words}");
    }
    let story = Story::new("readme");
    let project = story.home.path().join("harbour");
    let estampie = env!("CARGO_BIN_EXE_estampie");
    assert!(Command::new(estampie).args(["new".as_ref(), project.as_os_str()]).output().unwrap().status.success());
    story.open(&format!("'{}' --device none", project.display()));
    story.wait_for("The last 20 seconds");
    story.keys(&["d"]);
    story.wait_for("plays hello");
    for n in 1..=5 {
        step(&project.join(format!("audio/step_0{n}.wav")), n);
    }
    story.wait_for("taken in");
    story.keys(&["3", "n"]);
    story.wait_until("the new files are listed first", |s| line(s, &["audio/step_01.wav", "new"]).is_some());
    story.keys(&["a", "Enter"]);
    story.wait_for("step has 5 takes");
    story.keys(&["v"]);
    story.wait_until("it varies", |s| line(s, &["vary.pitch", "−1..1 st"]).is_some() && line(s, &["vary.level", "−2..2 dB"]).is_some());
    story.keys(&["t"]);
    story.wait_until("it has played twenty times", |s| line(s, &["pitch", "◆", "•"]).is_some() && line(s, &["level", "◆", "•"]).is_some());
    story.keys(&["W"]);
    story.type_text("step");
    story.keys(&["Enter"]);
    story.wait_for("step plays step from now on");
    // Or in a file; what W has written is there.
    story.keys(&["C-s"]);
    story.wait_for("● saved");
    let reactions = std::fs::read_to_string(project.join("reactions.est")).unwrap();
    assert!(reactions.contains("When step\n  play step"), "{reactions}");
    let written = reactions.replace("When step\n  play step at the emitter\n", "");
    std::fs::write(project.join("reactions.est"), format!("{written}\n{}", block("text", "play step"))).unwrap();
    story.wait_for("changed outside and taken in: reactions.est");
    // A parameter of its own, by keys alone. (An enter is a carriage return to a terminal.)
    story.type_text(":new parameter\r");
    story.wait_for("new parameter: its name");
    story.type_text("speed\r");
    story.wait_for("¶ parameter speed");
    for (field, value) in [("range", "0..6"), ("unit", "m/s"), ("rise", "80 ms")] {
        story.type_text(&format!("/{field}\r"));
        story.type_text(&format!("e{value}\r"));
        story.wait_until("it is set", |s| line(s, &[field, value]).is_some() && !s.contains(&format!("{field} of parameter speed")));
    }
    story.keys(&["3", "M"]);
    story.wait_for("step is moved by the parameter");
    story.type_text("speed\r");
    story.wait_for("speed ⟶ step level");
    story.keys(&["Down", "Down", "Down", "Down"]);
    story.wait_until("the left point is down", |s| line(s, &["speed 0 m/s", "−2 dB"]).is_some());
    story.keys(&["Escape", "1"]);
    story.wait_for("Parameters from the game");
    story.keys(&[":"]);
    story.type_text("speed");
    story.keys(&["Enter"]);
    story.keys(&["Right", "Right"]);
    story.wait_until("speed is moved", |s| line(s, &["speed", "m/s"]).is_some_and(|l| !l.contains(" 0 m/s")));
    // The step's key is the letter before its name.
    let screen = story.screen();
    let row = screen
        .lines()
        .find(|l| l.split('│').next().is_some_and(|l| l.trim_start_matches('▌').trim().ends_with("  step")))
        .unwrap_or_else(|| panic!("{screen}"));
    let key = row.trim_start_matches('▌').trim().chars().next().unwrap().to_string();
    story.keys(&[&key]);
    story.wait_until("it is asked why", |s| s.contains("Why step is at") || s.contains("Why step was at"));
    // Long after its 0.6 s it can still be asked.
    std::thread::sleep(std::time::Duration::from_secs(3));
    let screen = story.wait_until("it can be chosen", |s| line(s, &["s ago", "step"]).is_some());
    assert!(line(&screen, &["Sounding 0,"]).is_some(), "{screen}");
    story.keys(&["Tab"]);
    story.wait_until("why it was so loud", |s| s.contains("Why step was at") && line(s, &["speed", "⟶ curve"]).is_some());
    story.keys(&["R"]);
    story.wait_for("● recording");
    story.keys(&[&key]);
    story.wait_until("it plays", |s| s.contains("Why step is at"));
    story.keys(&["R"]);
    story.wait_for("take-1");
    story.keys(&["C-s"]);
    story.wait_until("it is saved", |_| project.join("playthroughs/take-1.play").exists());
    let out = story.home.path().join("take.wav");
    let done = Command::new(estampie).arg("render").arg(&project).args(["take-1", "-o"]).arg(&out).output().unwrap();
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    assert!(std::fs::metadata(out).unwrap().len() > 10_000);
}

#[test]
fn lists_say_how_much_lies_above_and_below_and_the_ends_are_one_key_away() {
    let story = Story::new("ends");
    story.open_demo();
    story.wait_until("there is more below", |s| line(s, &["▼", "below"]).is_some() && !s.contains("first-dive"));
    story.keys(&["End"]);
    story.wait_until("the foot of the list, where the playthroughs are", |s| {
        s.contains("first-dive") && s.contains("tide-race") && line(s, &["▲", "above"]).is_some() && line(s, &["▼", "below"]).is_none()
    });
    story.keys(&["Home"]);
    story.wait_until("the head again", |s| line(s, &["▲", "above"]).is_none() && line(s, &["▌", "depth"]).is_some());
}
