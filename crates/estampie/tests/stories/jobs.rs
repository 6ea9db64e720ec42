//! Common jobs, each in a project that was just made, with every press of a key counted, letters too: what docs/keys.md says of them.

use crate::support::{Story, line};
use std::path::PathBuf;
use std::process::Command;

/// A workshop on a new project with some audio files, and how often a key was pressed.
struct Job {
    story: Story,
    project: PathBuf,
    pressed: usize,
}

impl Job {
    fn new(name: &str, files: &[(&str, &str)]) -> Job {
        let story = Story::new(name);
        let project = story.home.path().join("fresh");
        assert!(Command::new(env!("CARGO_BIN_EXE_estampie")).args(["new".as_ref(), project.as_os_str()]).output().unwrap().status.success());
        for (from, to) in files {
            let to = project.join("audio").join(to);
            std::fs::create_dir_all(to.parent().unwrap()).unwrap();
            std::fs::copy(Story::demo().join("audio").join(from), to).unwrap();
        }
        story.open(&format!("'{}' --device none", project.display()));
        story.wait_for("The last 20 seconds");
        Job { story, project, pressed: 0 }
    }

    fn keys(&mut self, keys: &[&str]) {
        self.pressed += keys.len();
        self.story.keys(keys);
    }

    fn typed(&mut self, text: &str) {
        self.pressed += text.chars().count();
        self.story.type_text(text);
    }

    /// Saves, and gives a file.
    fn saved(&mut self, file: &str) -> String {
        self.keys(&["C-s"]);
        self.story.wait_for("● saved");
        std::fs::read_to_string(self.project.join(file)).unwrap()
    }
}

#[test]
fn five_footsteps_are_wired_and_varied_in_at_most_twenty_keys() {
    let files: Vec<(String, String)> = (1..=5).map(|n| (format!("step/grate_0{n}.flac"), format!("foot/iron_0{n}.flac"))).collect();
    let files: Vec<(&str, &str)> = files.iter().map(|(a, b)| (a.as_str(), b.as_str())).collect();
    let mut job = Job::new("job-step", &files);
    job.keys(&["3", "n"]);
    // Below what the fresh project comes with, the new files are first.
    job.story.wait_for("audio/foot/iron_01.flac");
    job.keys(&["a", "Enter"]);
    job.story.wait_for("foot/iron has 5 takes");
    job.keys(&["v"]);
    job.story.wait_until("it varies", |s| line(s, &["vary.pitch", "−1..1 st"]).is_some() && line(s, &["vary.level", "−2..2 dB"]).is_some());
    job.keys(&["W"]);
    job.story.wait_for("foot/iron is played by the event");
    job.typed("step");
    job.keys(&["Enter"]);
    job.story.wait_for("step plays foot/iron from now on");
    let sounds = job.saved("sounds/foot.toml");
    assert!(job.pressed <= 20, "{} keys", job.pressed);
    assert!(sounds.contains("audio/foot/iron_*.flac") && sounds.contains("pitch = \"-1..1 st\"") && sounds.contains("level = \"-2..2 dB\""), "{sounds}");
    let read = |file: &str| std::fs::read_to_string(job.project.join(file)).unwrap();
    assert!(read("reactions.est").contains("When step\n  play foot/iron at the emitter\n"));
    assert!(read("game.toml").contains("step = "));
    // As it was recorded again, and that is one undo.
    job.keys(&["3", "v"]);
    job.story.wait_for("pitch and level as they were recorded");
    job.keys(&["u"]);
    job.story.wait_until("it varies again", |s| line(s, &["vary.pitch", "−1..1 st"]).is_some());
    // And it is heard when the game says so.
    job.keys(&["1", ":"]);
    job.typed("send step");
    job.keys(&["Enter", "6"]);
    job.story.wait_for("plays foot/iron, iron_");
}

#[test]
fn a_new_parameter_moves_a_level_in_at_most_fifteen_keys_and_its_name() {
    let mut job = Job::new("job-parameter", &[]);
    job.keys(&["3"]);
    job.story.wait_for("hello all it is set to");
    job.keys(&["M"]);
    job.story.wait_for("hello is moved by the parameter");
    job.story.type_text("wetness");
    job.keys(&["Enter"]);
    job.story.wait_for("there is no parameter wetness (enter again declares it, from 0 to 1)");
    job.keys(&["Enter"]);
    job.story.wait_for("wetness ⟶ hello level");
    job.keys(&["Tab", "e"]);
    job.story.wait_for("point 1: 0 dB");
    job.typed("-20");
    job.keys(&["Enter"]);
    job.story.wait_for("−20");
    job.keys(&["Escape"]);
    let modulation = job.saved("modulation.toml");
    assert!(job.pressed <= 15, "{} keys", job.pressed);
    assert!(modulation.contains("from   = \"wetness\"\nmoves  = \"hello level\"\ncurve = [\"0: 0 dB\", \"1: -20 dB\"]"), "{modulation}");
    assert!(std::fs::read_to_string(job.project.join("game.toml")).unwrap().contains("[parameters.wetness]"));
}

#[test]
fn a_return_with_a_reverb_and_a_send_take_at_most_fifteen_keys() {
    let mut job = Job::new("job-return", &[]);
    job.keys(&["5", "Down", "v"]);
    job.story.wait_for("new return, to which effects sends");
    job.typed("hall rev");
    job.keys(&["Tab", "Enter"]);
    job.story.wait_for("new return hall; effects sends to it at −12 dB");
    let mix = job.saved("mix.toml");
    assert!(job.pressed <= 15, "{} keys", job.pressed);
    assert!(
        mix.contains("[buses.effects.send]\nhall = \"-12 dB\"") && mix.contains("[buses.hall]\nreturn = true") && mix.contains("[buses.hall.effect.reverb]"),
        "{mix}"
    );
    // The same keys as in all lists: another name, a copy, and out with it, told first that a bus sends to it.
    job.keys(&["BTab", "Down", "r"]);
    job.story.wait_for("bus hall is called");
    job.keys(&["C-u"]);
    job.typed("crypt");
    job.keys(&["Enter"]);
    job.story.wait_for("it is called crypt now");
    job.keys(&["d"]);
    job.story.wait_for("bus crypt-2 is a copy of bus crypt");
    job.keys(&["Up", "D"]);
    job.story.wait_for("delete bus crypt all the same? y or n");
    job.typed("y");
    job.story.wait_until("deleted, and back in the mix", |s| s.contains("bus crypt is deleted; u brings it back") && s.contains("¶ Buses"));
    job.keys(&["u", "u", "u"]);
    job.story.wait_until("all of that is undone", |s| line(s, &["└ hall"]).is_some() && s.contains("undid hall renamed to crypt"));
}

#[test]
fn a_zone_with_its_snapshot_takes_at_most_twenty_five_keys() {
    let mut job = Job::new("job-zone", &[]);
    job.keys(&["M", "p", "A"]);
    job.story.wait_for("add what and its name");
    job.typed("zone crypt");
    job.keys(&["Enter", "S-Right", "Enter", "S-Down", "Enter", "Enter"]);
    job.story.wait_for("crypt is in the world");
    job.keys(&["Z"]);
    job.story.wait_for("You are editing the snapshot crypt");
    job.keys(&["Left", "Left"]);
    job.story.wait_until("it is held", |s| line(s, &["main", "−1"]).is_some());
    let mix = job.saved("mix.toml");
    assert!(job.pressed <= 25, "{} keys", job.pressed);
    assert!(mix.contains("[snapshots.crypt]") && mix.contains("\"bus main level\" = \"by -1 dB\""), "{mix}");
    let world = std::fs::read_to_string(job.project.join("world.toml")).unwrap();
    assert!(world.contains("[zones.crypt]") && world.contains("snapshot = \"crypt\""), "{world}");
}

#[test]
fn two_sections_with_a_transition_take_at_most_thirty_keys_and_their_names() {
    let mut job = Job::new("job-music", &[("music/ebb_reed.flac", "low/reed.flac"), ("music/ebb_viols.flac", "low/viols.flac")]);
    let name = |job: &mut Job, keys: &[&str], asked: &str, name: &str, done: &str| {
        job.keys(keys);
        job.story.wait_for(asked);
        job.story.type_text(name);
        job.keys(&["Enter"]);
        job.story.wait_for(done);
    };
    name(&mut job, &["4", "n"], "new piece: its name", "tide", "new piece tide");
    name(&mut job, &["o"], "new layer of tide/a: an audio file", "reed", "new layer reed of tide/a plays audio/low/reed.flac");
    name(&mut job, &["Up", "n"], "new section of tide: its name", "storm", "new section tide/storm");
    name(&mut job, &["o"], "new layer of tide/storm: an audio file", "viols", "new layer viols of tide/storm plays audio/low/viols.flac");
    job.keys(&["Tab", "Right", "Tab", "e"]);
    job.story.wait_for("a ⟶ storm, leaves at");
    job.typed("next bar");
    job.keys(&["Enter"]);
    job.story.wait_until("it is set", |s| line(s, &["▌leaves at", "next bar"]).is_some() && !s.contains("a ⟶ storm, leaves at"));
    let music = job.saved("music/tide.toml");
    assert!(job.pressed <= 30, "{} keys", job.pressed);
    assert!(music.contains("audio/low/reed.flac") && music.contains("[piece.tide.section.storm.layer.viols]"), "{music}");
    assert!(music.contains("from = \"a\"\nto = \"storm\"\nleave = \"next bar\""), "{music}");
}
