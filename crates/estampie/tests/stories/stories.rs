//! Stories: the real workshop in a terminal of its own (tmux), driven by keys and read as a person reads it.

use crate::support::{Story, line, number_before};
use std::process::Command;
use std::time::Duration;

#[test]
fn an_event_sounds_and_says_why() {
    let story = Story::new("event");
    story.open_demo();
    story.keys(&["g"]);
    let screen = story.wait_for("Why hull/struck is at");
    assert!(line(&screen, &["hull.struck"]).is_some());
    assert!(line(&screen, &["plays hull/struck, knock_"]).is_some(), "{screen}");
    // The terms stand there, and they add up to what is heard.
    let from = screen.lines().position(|l| l.contains("Why hull/struck")).unwrap();
    let mut sum = 0.0;
    for row in screen.lines().skip(from + 2) {
        let value: Option<f32> = row.split_whitespace().last().and_then(|w| w.replace('−', "-").replace('+', "").parse().ok());
        let Some(value) = value else { continue };
        if row.contains("heard") {
            assert!((sum - value).abs() < 0.6, "terms {sum}, heard {value}:\n{screen}");
            return;
        }
        sum += value;
    }
    panic!("no sum:\n{screen}");
}

#[test]
fn a_parameter_moves_and_the_level_follows() {
    let story = Story::new("parameter");
    story.open_demo();
    story.keys(&["d"]);
    story.heard("thruster/loop");
    // Louder ones may have taken its place in the list.
    let screen = story.screen();
    let quiet = line(&screen, &["thruster/loop", "bell"]).and_then(|l| number_before(l.rsplit('│').next().unwrap(), "thruster")).unwrap_or(-60.0);
    // By typing a value …
    story.keys(&["Down", "Down", "e"]);
    story.wait_for("thruster is");
    story.type_text("90000");
    story.keys(&["Enter"]);
    story.wait_for("thruster goes from 0 to 1200 rpm");
    story.keys(&["BSpace", "BSpace", "BSpace", "BSpace", "BSpace"]);
    story.type_text("900 rpm");
    story.keys(&["Enter"]);
    story.wait_for("900 rpm");
    story.wait_until("the level follows", |s| {
        let now = line(s, &["thruster/loop", "bell"]).and_then(|l| number_before(l.rsplit('│').next().unwrap(), "thruster"));
        now.is_some_and(|now| now > quiet + 15.0 && now > -45.0)
    });
    // … and by keys.
    story.keys(&["Right", "Right"]);
    story.wait_for("948 rpm");
    story.keys(&["0"]);
    story.wait_for(" 0 rpm");
}

#[test]
fn a_state_changes_and_the_steps_with_it() {
    let story = Story::new("state");
    story.open_demo();
    story.keys(&["v"]);
    story.heard("step/boot, plank_");
    story.keys(&[":"]);
    story.type_text("deck");
    story.keys(&["Enter"]);
    story.wait_until("deck is chosen", |s| line(s, &["▌ deck"]).is_some());
    story.keys(&["Right", "Right"]);
    story.wait_for("deck grate ⟶ silt");
    story.keys(&["v"]);
    story.heard("step/boot, silt_");
}

#[test]
fn a_bus_level_is_edited_undone_saved_and_there_again() {
    let story = Story::new("mix");
    story.open_demo();
    let before = std::fs::read_to_string(story.copy().join("mix.toml")).unwrap();
    story.keys(&["5", "Down", "Left", "Left", "Left", "Left"]);
    story.wait_until("the level is −6.0", |s| line(s, &["music", "−6.0"]).is_some());
    story.wait_for("1 unsaved");
    story.keys(&["u"]);
    story.wait_for("undid level of music");
    story.wait_until("the level is −4.0 again", |s| line(s, &["music", "−4.0"]).is_some() && s.contains("● saved"));
    story.keys(&["C-r"]);
    story.wait_for("redid level of music");
    // Leaving with an unsaved edit asks.
    story.keys(&["q"]);
    story.wait_for("1 unsaved file.");
    story.keys(&["Escape"]);
    story.wait_until("the page is back", |s| !s.contains("quit without saving"));
    assert_eq!(std::fs::read_to_string(story.copy().join("mix.toml")).unwrap(), before, "nothing is written before it is saved");
    story.keys(&["C-s"]);
    story.wait_for("saved 1 file");
    let after = std::fs::read_to_string(story.copy().join("mix.toml")).unwrap();
    assert_eq!(after, before.replacen("\"-4 dB\"", "\"-6 dB\"", 1), "one value changed and nothing else");
    story.keys(&["q"]);
    story.wait_for("left with 0");
    story.tmux(&["kill-server"]);
    story.open_demo();
    story.keys(&["5"]);
    story.wait_until("the level is still −6.0", |s| line(s, &["music", "−6.0"]).is_some());
}

#[test]
fn solo_and_mute_are_for_the_rehearsal_only() {
    let story = Story::new("solo");
    story.open_demo();
    story.keys(&["5", "Down", "s"]);
    let screen = story.wait_for("temporary: solo music");
    assert!(line(&screen, &["music", "solo"]).is_some() && screen.contains("● saved"), "{screen}");
    story.keys(&["s"]);
    story.wait_until("without its returns", |s| line(s, &["music", "dry"]).is_some());
    story.keys(&["s", "Down", "m"]);
    let screen = story.wait_for("temporary: mute world");
    assert!(!screen.contains("solo music"), "{screen}");
}

#[test]
fn a_window_too_small_says_so_and_loses_nothing() {
    let story = Story::new("resize");
    story.open_demo();
    story.keys(&["d"]);
    story.wait_for("tidewalk");
    for (columns, rows) in [("60", "20"), ("20", "5"), ("80", "24"), ("100", "30"), ("220", "60"), ("160", "47")] {
        story.tmux(&["resize-window", "-x", columns, "-y", rows]);
        if columns == "60" {
            story.wait_for("60 × 20 is too small: make the window 80 × 24");
            // What cannot be seen is not edited: neither by the keys of lists nor by those that delete.
            story.keys(&["5", "Down", "Left", "Left", "2", "D", "y"]);
        } else if columns == "20" {
            story.wait_for("20 × 5 is too");
        } else {
            story.wait_until("the page fits, and nothing was edited", |s| s.contains("¶ Map") && s.contains("tidewalk") && s.contains("● saved"));
        }
    }
}

#[test]
fn without_a_device_the_silent_clock_goes_on_and_says_so() {
    let story = Story::new("silent");
    story.open_demo();
    let screen = story.wait_for("silent clock");
    let clock = |s: &str| s.lines().next().unwrap_or_default().split_whitespace().last().unwrap_or_default().to_owned();
    let before = clock(&screen);
    story.wait_until("the clock moves", |s| clock(s) > before);
    story.keys(&["Space"]);
    story.wait_for("■ frozen");
    std::thread::sleep(Duration::from_millis(200));
    let frozen = clock(&story.screen());
    std::thread::sleep(Duration::from_millis(300));
    assert_eq!(clock(&story.screen()), frozen, "frozen is frozen");
    story.keys(&["Space"]);
    story.wait_until("the clock moves again", |s| clock(s) > frozen);
}

#[test]
fn escape_and_a_key_that_arrive_together_are_both_pressed() {
    let story = Story::new("together");
    story.open_demo();
    story.keys(&["?"]);
    story.wait_until("the page of help", |s| s.contains("everywhere") || s.contains("Keys"));
    // A terminal that is busy gives both in one reading: the same bytes as g with alt.
    story.keys(&["M-g"]);
    story.heard("hull/struck");
}

#[test]
fn a_project_with_five_faults_opens_and_tells_all_five() {
    let story = Story::new("faults");
    let project = story.home.path().join("faulty");
    let copy = Command::new("cp").arg("-r").arg(Story::demo()).arg(&project).status().unwrap();
    assert!(copy.success());
    let damage = |file: &str, from: &str, to: &str| {
        let path = project.join(file);
        let text = std::fs::read_to_string(&path).unwrap();
        assert!(text.contains(from), "{file} has no {from}");
        std::fs::write(path, text.replacen(from, to, 1)).unwrap();
    };
    damage("reactions.est", "play sonar/ping", "play sonar/pign");
    damage("mix.toml", "into  = \"world\"", "into  = \"wrld\"");
    damage("sounds/hull.toml", "level    = \"-4 dB\"", "level    = \"quiet\"");
    damage("modulation.toml", "from   = \"oxygen\"", "from   = \"oxigen\"");
    damage("playthroughs/stuck-hatch.play", "send sonar.ping", "send sonarping");
    story.open(&format!("'{}' --device none", project.display()));
    let told = [
        ("reactions.est:", "sonar/ping?"),
        ("mix.toml:", "world?"),
        ("sounds/hull.toml:", "write a level, like -6 dB"),
        ("modulation.toml:", "oxygen?"),
        ("playthroughs/stuck-hatch.play:", "sonar.ping?"),
    ];
    story.wait_until("all five are told with their fixes", |s| s.contains("5 faults") && told.iter().all(|(place, fix)| s.contains(place) && s.contains(fix)));
    story.wait_until_it_stays("the audio is loaded", |s| !s.contains("loading audio"));
    story.keys(&["Escape", "g"]);
    story.heard("hull/struck");
    // Mending a file outside is noticed.
    damage("reactions.est", "play sonar/pign", "play sonar/ping");
    story.wait_for("! 4 faults");
}

#[test]
fn a_rehearsal_is_recorded_and_replayed() {
    let story = Story::new("record");
    story.open_demo();
    story.keys(&["R"]);
    story.wait_for("● recording");
    story.keys(&["c"]);
    story.heard("sonar/ping");
    story.keys(&["R"]);
    story.wait_for("recorded as take-1");
    story.wait_for("1 unsaved");
    story.keys(&["C-s"]);
    story.wait_for("saved 1 file");
    let text = std::fs::read_to_string(story.copy().join("playthroughs/take-1.play")).unwrap();
    assert!(text.contains("send sonar.ping") && text.contains(" end"), "{text}");
    // What is recorded is over in a second; drawn out, it stays to be seen however slow the machine is.
    let end = text.lines().find(|l| l.trim_end().ends_with(" end")).unwrap().to_owned();
    std::fs::write(story.copy().join("playthroughs/take-1.play"), text.replace(&end, "20 end")).unwrap();
    story.wait_for("changed outside and taken in: playthroughs/take-1.play");
    story.keys(&[":"]);
    story.type_text("replay take-1");
    story.keys(&["Enter"]);
    story.wait_for("▶ take-1");
    story.heard("sonar/ping");
    story.wait_for("the playthrough take-1 is over");
}

#[test]
fn what_the_project_does_not_know_is_said_with_the_nearest_name() {
    let story = Story::new("unknown");
    story.open_demo();
    story.keys(&[":"]);
    story.type_text("send hul.struck");
    story.wait_for("as the game might");
    story.keys(&["Down", "Enter"]);
    story.wait_for("unknown event hul.struck");
    story.wait_for("hull.struck?");
    // A second ping while the first one sounds is refused, with the reason.
    // (Both in one go: on a busy machine the first would have ended before the second came.)
    story.type_text("cc");
    story.wait_for("sonar/ping refused: 1 is");
}

#[test]
fn help_and_finder_open_and_close() {
    let story = Story::new("help");
    story.open_demo();
    story.keys(&["?"]);
    // A terminal may be read while a page is drawn: all of it is waited for.
    story.wait_until("the help is there", |s| ["Keys of the view Stage", "the view Mix: "].iter().all(|w| s.contains(w)));
    story.wait_until("its last line comes into sight", |s| {
        story.keys(&["Down", "Down"]);
        ["send dive.begin", "undo the last edit", "click a voice to see why"].iter().all(|w| s.contains(w))
    });
    story.keys(&["Escape", ":"]);
    story.type_text("bus cre");
    story.wait_for("bus creatures");
    story.keys(&["Enter"]);
    story.wait_for("On creatures");
}

#[test]
fn audio_dropped_in_or_exported_anew_is_heard_at_once() {
    let story = Story::new("drop");
    story.open_demo();
    let audio = story.copy().join("audio");
    // A sixth plank, so that one of six is drawn; then all planks but the new one are taken out.
    std::fs::copy(audio.join("sonar/ping_01.flac"), audio.join("step/plank_06.flac")).unwrap();
    story.wait_for("changed outside and taken in: audio");
    for n in 1..=5 {
        std::fs::remove_file(audio.join(format!("step/plank_0{n}.flac"))).unwrap();
    }
    story.wait_until("the others are gone", |_| {
        story.keys(&["v"]);
        std::thread::sleep(Duration::from_millis(300));
        story.screen().lines().filter(|l| l.contains("plays step/boot, plank_06.flac")).count() >= 2
    });
    // A broken export of the same name is told as a fault.
    std::fs::write(audio.join("step/plank_06.flac"), b"not audio").unwrap();
    story.wait_for("! 1 fault");
}

#[test]
fn the_mouse_sends_and_drags() {
    let story = Story::new("mouse");
    story.open_demo();
    let screen = story.screen();
    let at = |word: &str| {
        let row = screen.lines().position(|l| l.contains(word)).unwrap();
        let text = screen.lines().nth(row).unwrap();
        (text[..text.find(word).unwrap()].chars().count(), row)
    };
    // SGR reports of the mouse, as a terminal sends them.
    let report = |kind: u8, (x, y): (usize, usize), end: char| story.type_text(&format!("\x1b[<{kind};{};{}{end}", x + 1, y + 1));
    let event = at("sonar.ping");
    report(0, event, 'M');
    report(0, event, 'm');
    story.heard("sonar/ping");
    let (_, row) = at("strain ");
    report(0, (15, row), 'M');
    report(32, (60, row), 'M');
    report(0, (60, row), 'm');
    story.wait_until("strain is at its end", |s| line(s, &["strain", "1.00"]).is_some());
}

#[test]
fn other_colours_and_the_light_theme_open_too() {
    for (name, environment, option) in [("none", "NO_COLOR=1", ""), ("sixteen", "TERM=screen COLORTERM=", ""), ("light", "COLORTERM=truecolor", "--light")] {
        let story = Story::new(name);
        let home = story.home.path().display().to_string();
        let project = story.home.path().join("copy");
        assert!(Command::new("cp").arg("-r").arg(Story::demo()).arg(&project).status().unwrap().success());
        let command = format!(
            "env XDG_CONFIG_HOME='{home}/config' XDG_STATE_HOME='{home}' {environment} '{}' '{}' --device none {option}; sleep 60",
            env!("CARGO_BIN_EXE_estampie"),
            project.display()
        );
        story.tmux(&["new-session", "-d", "-x", "160", "-y", "47", &command]);
        story.wait_for("1 cell =");
        let coloured = String::from_utf8_lossy(&story.tmux(&["capture-pane", "-p", "-e"]).stdout).into_owned();
        assert_eq!(["[31m", ";31m", "38;2;", "38;5;"].iter().any(|c| coloured.contains(c)), name != "none", "{name}");
    }
}
