//! Stories of what must never be lost: edits, recordings, and what somebody else has written.

use crate::support::{Story, line};
use std::process::Command;
use std::time::Duration;

/// Sends a signal to the workshop of a story.
fn signal(story: &Story, name: &str) {
    let pids = story.tmux(&["list-panes", "-F", "#{pane_pid}"]);
    let shell = String::from_utf8_lossy(&pids.stdout).trim().to_owned();
    let children = Command::new("ps").args(["-o", "pid=,comm=", "--ppid", &shell]).output().unwrap();
    let text = String::from_utf8_lossy(&children.stdout).into_owned();
    let pid = text.lines().find(|l| l.contains("estampie")).and_then(|l| l.split_whitespace().next()).unwrap_or(&shell).to_owned();
    assert!(Command::new("kill").args(["-s", name, &pid]).status().unwrap().success(), "{text}");
}

fn lower_music(story: &Story) {
    story.keys(&["5", "Down", "Left", "Left", "Left", "Left"]);
    story.wait_until("the level is −6.0", |s| line(s, &["music", "−6.0"]).is_some() && s.contains("1 unsaved"));
}

/// Opens the demo again, and takes what is offered: the level of the bus music is there as it was edited.
fn brings_back(story: &Story, level: &str) {
    story.tmux(&["kill-server"]);
    story.open("demo --device none");
    story.wait_until("they are offered", |s| s.contains("were not saved: mix.toml") && s.contains("bring them back"));
    story.keys(&["Enter"]);
    story.wait_for("brought back");
    story.keys(&["5"]);
    story.wait_until("the last edit is among them", |s| line(s, &["music", level]).is_some() && s.contains("1 unsaved"));
}

#[test]
fn edits_that_were_not_saved_come_back_after_a_kill() {
    for name in ["KILL", "TERM", "HUP", "QUIT", "INT"] {
        let story = Story::new(&format!("kill-{name}"));
        story.open_demo();
        lower_music(&story);
        if name == "KILL" {
            // The journal is written within a second.
            std::thread::sleep(Duration::from_millis(2500));
        }
        signal(&story, name);
        story.wait_until("it is gone", |s| s.contains("left with"));
        brings_back(&story, "−6.0");
        story.keys(&["C-s"]);
        story.wait_for("saved 1 file");
        story.keys(&["q"]);
        story.wait_for("left with 0");
    }
}

#[test]
fn a_terminal_that_is_closed_loses_no_edit_of_the_last_second() {
    let story = Story::new("closed");
    story.open_demo();
    lower_music(&story);
    // At once, before the journal's second is over: the server closes the terminal.
    story.keys(&["Left"]);
    story.wait_until("the level is −6.5", |s| line(s, &["music", "−6.5"]).is_some());
    brings_back(&story, "−6.5");
}

#[test]
fn a_failure_of_the_page_leaves_the_terminal_as_it_was_writes_a_report_and_loses_nothing() {
    let story = Story::new("fails");
    story.open_demo();
    lower_music(&story);
    // At once, before the journal's second is over.
    story.keys(&["Left", "F12"]);
    story.wait_until("it says so on the terminal that there was before", |s| {
        s.contains("the workshop has failed") && s.contains("what was not saved is kept") && s.contains("left with 1")
    });
    let folder = story.home.path().join("estampie");
    let reports: Vec<_> = std::fs::read_dir(folder).unwrap().flatten().filter(|e| e.file_name().to_string_lossy().starts_with("failed-")).collect();
    assert_eq!(reports.len(), 1);
    let report = std::fs::read_to_string(reports[0].path()).unwrap();
    assert!(report.starts_with("estampie ") && report.contains("asked for by f12") && report.contains("estampie::workshop::run"), "{report}");
    brings_back(&story, "−6.5");
}

#[test]
fn what_somebody_else_wrote_is_asked_about_before_it_is_written_over() {
    let story = Story::new("contest");
    story.open_demo();
    lower_music(&story);
    let path = story.copy().join("mix.toml");
    let theirs = std::fs::read_to_string(&path).unwrap().replacen("-4 dB", "-9 dB", 1);
    std::fs::write(&path, &theirs).unwrap();
    story.keys(&["C-s"]);
    story.wait_until("it is asked, with the difference", |s| {
        s.contains("changed here and by somebody else") && s.contains("-9 dB") && s.contains("keep theirs")
    });
    assert_eq!(std::fs::read_to_string(&path).unwrap(), theirs, "nothing was written over");
    story.keys(&["m"]);
    story.wait_for("the other version is kept as mix.toml.theirs");
    story.keys(&["C-s"]);
    story.wait_for("saved 1 file");
    assert!(std::fs::read_to_string(&path).unwrap().contains("-6 dB"));
    assert_eq!(std::fs::read_to_string(story.copy().join("mix.toml.theirs")).unwrap(), theirs);
}

#[test]
fn a_second_workshop_on_a_project_only_reads() {
    let story = Story::new("second");
    story.open_demo();
    let demo = story.copy();
    let home = story.home.path().display().to_string();
    let command = format!(
        "env XDG_DATA_HOME='{home}' XDG_CONFIG_HOME='{home}/config' XDG_STATE_HOME='{home}' COLORTERM=truecolor '{}' '{}' --device none; sleep 60",
        env!("CARGO_BIN_EXE_estampie"),
        demo.display()
    );
    story.tmux(&["new-window", &command]);
    story.wait_until("it says so", |s| s.contains("○ only read"));
    story.keys(&["5", "Down", "Left"]);
    story.wait_for("another workshop has this project open");
    story.keys(&[":"]);
    story.type_text("edit here too");
    story.wait_for("edit here too, though");
    story.keys(&["Enter"]);
    story.wait_until("now it edits", |s| s.contains("● saved"));
    story.keys(&["Left"]);
    story.wait_for("1 unsaved");
}

#[test]
fn leaving_while_recording_keeps_the_recording() {
    let story = Story::new("leave-recording");
    story.open_demo();
    story.keys(&["R"]);
    story.wait_for("● recording");
    story.keys(&["c"]);
    story.heard("sonar/ping");
    story.keys(&["q"]);
    story.wait_for("1 unsaved file.");
    story.keys(&["s"]);
    story.wait_for("left with 0");
    assert!(std::fs::read_to_string(story.copy().join("playthroughs/take-1.play")).unwrap().contains("send sonar.ping"));
}

#[test]
fn a_damaged_file_is_a_fault_and_the_workshop_goes_on() {
    let story = Story::new("damaged");
    story.open_demo();
    let data = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../estampie-proof/tests/data");
    std::fs::copy(data.join("damaged-codebook.ogg"), story.copy().join("audio/sonar/ping_07.ogg")).unwrap();
    std::fs::copy(data.join("rate-0.aiff"), story.copy().join("audio/sonar/ping_08.aiff")).unwrap();
    story.wait_for("changed outside and taken in: audio");
    let sounds = story.copy().join("sounds/sonar.toml");
    let file = if sounds.exists() {
        sounds
    } else {
        std::fs::read_dir(story.copy().join("sounds"))
            .unwrap()
            .flatten()
            .map(|e| e.path())
            .find(|p| std::fs::read_to_string(p).unwrap().contains("sonar/ping"))
            .unwrap()
    };
    let text = std::fs::read_to_string(&file).unwrap();
    std::fs::write(&file, format!("{text}\n[damaged]\ntakes = [\"audio/sonar/ping_07.ogg\", \"audio/sonar/ping_08.aiff\"]\n")).unwrap();
    story.wait_until_it_stays("both are faults", |s| s.contains("! 2 faults") && !s.contains("loading audio"));
    // Keys still arrive, and it still sounds.
    story.keys(&["c"]);
    story.heard("sonar/ping");
}
