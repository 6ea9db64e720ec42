//! Stories of the views Sounds and Wiring, each by the keys that a designer would press.

use crate::support::{Story, line, number_before};
use std::path::Path;
use std::process::Command;
use std::time::Duration;

/// The text of a project file as saved.
fn saved(folder: &Path, file: &str) -> String {
    std::fs::read_to_string(folder.join(file)).unwrap()
}

#[test]
fn a_curve_point_is_moved_by_keys_and_the_mouse_and_the_level_moves() {
    let story = Story::new("curve");
    story.open_demo();
    story.keys(&["d"]);
    story.heard("thruster/loop");
    story.keys(&[":"]);
    story.type_text("curve thruster moves level");
    story.keys(&["Enter"]);
    story.wait_for("thruster ⟶ thruster/loop level");
    let comes_to = |s: &str| line(s, &["thruster 0 rpm ⟶"]).and_then(|l| number_before(&l[l.find('⟶').unwrap()..], "dB"));
    story.wait_until("it comes to −40 dB", |s| comes_to(s) == Some(-40.0));
    story.keys(&["Up", "Up", "Up", "Up"]);
    story.wait_until("it comes to −38 dB", |s| comes_to(s) == Some(-38.0));
    // The mouse: press on the selected point and drag it upwards.
    let screen = story.screen();
    let (row, text) = screen.lines().enumerate().skip(3).find(|(_, l)| l.contains('◆')).unwrap();
    let column = text.chars().position(|c| c == '◆').unwrap();
    let mouse = |code: u8, column: usize, row: usize, end: char| story.type_text(&format!("\u{1b}[<{code};{};{}{end}", column + 1, row + 1));
    mouse(0, column, row, 'M');
    mouse(32, column, row - 6, 'M');
    mouse(0, column, row - 6, 'm');
    story.wait_until("it is dragged", |s| comes_to(s).is_some_and(|v| v > -36.0));
    story.keys(&["e"]);
    story.wait_for("point 0 rpm:");
    story.keys(&["C-u"]);
    story.type_text("0 rpm: -9 dB, smooth");
    story.keys(&["Enter"]);
    story.wait_until("the typed value counts", |s| comes_to(s) == Some(-9.0));
    story.keys(&["Escape", "1"]);
    // A click on its voice chooses it, wherever it stands in the list just now.
    story.wait_until("its voice is chosen", |s| {
        if s.contains("Why thruster/loop") {
            return true;
        }
        if let Some(row) = s.lines().position(|l| l.contains("thruster/loop") && l.contains("bell")) {
            mouse(0, 130, row, 'M');
            mouse(0, 130, row, 'm');
            std::thread::sleep(Duration::from_millis(150));
        }
        false
    });
    // What is set is what the ledger says.
    story.wait_until("the ledger follows", |s| line(s, &["thruster 0 rpm ⟶ curve", "−9.0"]).is_some());
    assert!(story.screen().contains("1 unsaved"));
}

#[test]
fn a_mistyped_event_shows_its_mend_and_takes_it() {
    let story = Story::new("fix");
    story.open_demo();
    story.keys(&["2", "Tab", "n"]);
    story.type_text("hul.struck");
    story.wait_for("there is no event hul.struck; hull.struck?");
    story.keys(&["Tab"]);
    story.wait_until("the fix is taken", |s| line(s, &["When hull.struck"]).is_some() && !s.contains("there is no event"));
    story.keys(&["Enter"]);
    story.type_text("play sonar/p");
    story.wait_until("the name is offered", |s| line(s, &["tab", "sonar/ping"]).is_some());
    story.keys(&["Tab", "Enter"]);
    story.wait_until("it is in", |s| s.contains("1 unsaved"));
    story.keys(&["C-s"]);
    story.wait_for("saved 1 file");
    assert!(saved(&story.copy(), "reactions.est").contains("When hull.struck\n  play sonar/ping\n"));
    // Moved, switched off, undone.
    story.keys(&["K", "J", "J", "O"]);
    story.wait_for("Off: When hull.struck");
    story.keys(&["u", "u", "u", "u"]);
    story.wait_until("all is as saved", |s| s.contains("● saved"));
    // What the game sends undeclared is listed, and one key fixes it.
    story.keys(&[":"]);
    story.type_text("send winch.strat");
    story.keys(&["Down", "Enter"]);
    story.wait_for("Not declared, yet sent");
    story.wait_for("winch.start? press r");
}

#[test]
fn a_bus_is_set_on_six_sounds_at_once_and_undone_at_once() {
    let story = Story::new("bulk");
    story.open_demo();
    let before = saved(&story.copy(), "sounds/steps.toml");
    story.keys(&["3", "/"]);
    story.type_text("step/");
    story.keys(&["Enter", "x", "x", "x", "x", "x", "x"]);
    story.wait_for("6 marked");
    story.keys(&["Escape", "Tab", "Tab", "e"]);
    story.wait_for("bus of 6 sounds");
    story.type_text("hul");
    story.keys(&["Tab", "Enter"]);
    story.wait_for("1 unsaved");
    story.keys(&["C-s"]);
    story.wait_for("saved 1 file");
    let after = saved(&story.copy(), "sounds/steps.toml");
    assert_eq!(after.matches("\"hull\"").count(), 6, "{after}");
    story.keys(&["u"]);
    story.wait_for("undid bus of 6 sounds");
    story.keys(&["C-s"]);
    story.wait_for("saved 1 file");
    assert_eq!(saved(&story.copy(), "sounds/steps.toml"), before);
}

#[test]
fn a_sound_is_found_renamed_and_its_reaction_follows() {
    let story = Story::new("rename");
    story.open_demo();
    story.keys(&[":"]);
    story.type_text("sonar/ping");
    story.keys(&["Enter"]);
    story.wait_until("it is chosen", |s| s.contains("3 Sounds") && line(s, &["sonar/ping", "on bus interface"]).is_some());
    story.keys(&["r", "C-u"]);
    story.type_text("sonar/call");
    story.keys(&["Enter"]);
    story.wait_for("sonar/ping is sonar/call wherever it was named");
    story.keys(&["g"]);
    story.wait_until("its reaction names it", |s| line(s, &["play sonar/call"]).is_some());
    story.keys(&["C-s"]);
    story.wait_for("saved 3 files");
    let text = saved(&story.copy(), "reactions.est");
    assert!(text.contains("play sonar/call") && !text.contains("sonar/ping"));
    // What is expected of a playthrough follows, too.
    let text = saved(&story.copy(), "playthroughs/first-dive.play");
    assert!(text.contains("expect sonar/call not heard again within 1 s") && !text.contains("sonar/ping not"), "{text}");
    assert!(Command::new(env!("CARGO_BIN_EXE_estampie")).args(["check", "--quick"]).arg(story.copy()).output().unwrap().status.success());
}

#[test]
fn twenty_in_a_row_are_heard_and_no_two_are_alike() {
    let story = Story::new("twenty");
    story.open_demo();
    story.keys(&["3", "/"]);
    story.type_text("grate");
    story.keys(&["Enter", "t"]);
    story.wait_until("twenty are heard, no two alike, and all is measured", |s| {
        let Some(takes) = line(s, &["takes heard"]) else { return false };
        let heard: Vec<u32> = takes.split_whitespace().filter_map(|w| w.split_once(':')?.1.parse().ok()).collect();
        let all = (heard.len(), heard.iter().sum::<u32>()) == (5, 20);
        all && s.contains("20; no two are alike") && s.contains("−23.0 LUFS") && s.contains("loudness spread")
    });
}

#[test]
fn rehearsal_only_changes_are_shown_and_cleared_with_one_key() {
    let story = Story::new("only");
    story.open_demo();
    story.keys(&["[", "]", "3", "m"]);
    story.wait_until("all of it is shown, and nothing is to be saved", |s| {
        s.contains("temporary: mute") && s.contains("waits a tenth") && s.contains("chances always") && s.contains("● saved")
    });
    story.keys(&["\\"]);
    story.wait_until("all is cleared", |s| !s.contains("temporary:") && s.contains("● saved"));
}

#[test]
fn the_wiring_tells_what_would_happen_and_formulas_are_edited() {
    let story = Story::new("would");
    story.open_demo();
    story.keys(&["2", "Down", "Down"]);
    story.wait_until("it does not hold", |s| line(s, &["no: strain 0 is not over 0.6"]).is_some());
    story.keys(&[":"]);
    story.type_text("strain");
    story.keys(&["Enter", "e"]);
    story.wait_for("strain is");
    story.type_text("0.9");
    story.keys(&["Enter", "2"]);
    story.wait_until("it holds", |s| line(s, &["holds: strain 0.9 is over 0.6"]).is_some());
    // The last line of the folio is a formula.
    story.keys(&["Tab"]);
    for _ in 0..200 {
        story.tmux(&["send-keys", "Down"]);
    }
    story.keys(&["e"]);
    story.wait_for("leak-size =");
    story.keys(&["C-u"]);
    story.type_text("strain / (");
    story.keys(&["Enter"]);
    story.wait_for("the formula ends where a value should stand");
    story.keys(&["C-u"]);
    story.type_text("strain * 0.5");
    story.keys(&["Enter"]);
    story.wait_until("it is worked out", |s| line(s, &["leak-size", "strain * 0.5", "0.4"]).is_some());
    std::thread::sleep(Duration::from_millis(50));
    assert!(story.screen().contains("1 unsaved"));
}

#[test]
fn a_name_that_does_not_exist_is_told_and_kept_only_if_it_is_entered_again() {
    let story = Story::new("names");
    story.open_demo();
    story.keys(&["3", ":"]);
    story.type_text("hull/creak");
    story.wait_for("hull/creak");
    story.keys(&["Enter", "3", "Tab", "Tab", "Home", "e"]);
    story.wait_for("bus of hull/creak");
    story.type_text("machins");
    story.keys(&["Enter"]);
    story.wait_until("the nearest is offered, and nothing is changed", |s| {
        s.contains("there is no bus machins; machines?") && s.contains("enter again keeps it") && s.contains("● saved")
    });
    story.keys(&["Enter"]);
    story.wait_until("it is kept", |s| s.contains("1 unsaved") && s.contains("! 1 fault"));
    story.keys(&["u"]);
    story.wait_until("it is as it was", |s| s.contains("● saved") && !s.contains("! 1 fault"));
}

#[test]
fn what_files_allow_can_be_moved_and_a_head_at_fault_swallows_no_keys() {
    let story = Story::new("moves");
    story.open_demo();
    story.keys(&["2"]);
    for (text, shown) in [
        ("strain moves snapshot flooded amount", "strain ⟶ snapshot flooded amount"),
        ("strain moves bus machines squeeze ratio", "strain ⟶ bus machines squeeze ratio"),
        ("strain moves bus steps send nave", "strain ⟶ bus steps send nave"),
    ] {
        story.keys(&["M"]);
        story.wait_for("new modulation:");
        story.keys(&["C-u"]);
        story.type_text(text);
        story.keys(&["Enter"]);
        story.wait_for(shown);
        story.keys(&["Escape"]);
        story.wait_until("the editor is left", |s| !s.contains(&format!("{shown} heard at once")));
    }
    story.keys(&["n"]);
    story.wait_for("When");
    story.type_text("strain < 0.5");
    story.keys(&["Enter"]);
    story.wait_until("it is written, with what is meant", |s| line(s, &["When strain < 0.5"]).is_some() && s.contains("tab play"));
    // What is typed next is its action, and no command.
    story.type_text("play hull/creak");
    story.keys(&["Enter"]);
    story.wait_until("it is written", |s| s.contains("play hull/creak") && s.contains("fault"));
    story.keys(&["C-s"]);
    story.wait_for("saved 2 files");
    assert!(saved(&story.copy(), "reactions.est").contains("When strain < 0.5\n  play hull/creak\n"));
}

#[test]
fn a_pass_by_is_made_from_a_preset_its_path_bent_moved_by_a_parameter_and_written_as_files() {
    let story = Story::new("made");
    story.open_demo();
    story.keys(&["3", "N"]);
    story.type_text("pass-by, harpoon");
    story.keys(&["Enter", "C-u"]);
    story.type_text("test/harpoon");
    story.keys(&["Enter"]);
    story.wait_until("it is open", |s| {
        s.contains("generator: pass-by, harpoon") && s.contains("¶ Path") && s.contains("¶ Resonances") && s.contains("Twenty playings")
    });
    // The path is bent at its middle.
    story.keys(&["Tab", "Tab", "Up", "Up", "Right"]);
    story.wait_for("place 2: 0.65 m right, 1.10 m ahead");
    // A control is moved by the current; its curve is drawn and left.
    story.keys(&["BTab", "BTab", "M"]);
    story.type_text("current");
    story.keys(&["Enter"]);
    story.wait_for("generator harpoon duration");
    story.keys(&["Escape"]);
    story.wait_for("by current");
    story.keys(&["v"]);
    story.type_text("-3..3 st");
    story.keys(&["Enter"]);
    story.wait_for("varies −3..3 st");
    story.keys(&["Enter"]);
    story.heard("test/harpoon");
    story.keys(&["C-s"]);
    story.wait_for("● saved");
    let shared = std::fs::read_to_string(story.copy().join("shared.toml")).unwrap();
    assert!(shared.contains("[generator.harpoon]") && shared.contains("\"0.65 m, 1.1 m\"") && shared.contains("duration = \"-3..3 st\""), "{shared}");
    // For those who want recordings: five of them, none like another.
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("harpoon.wav");
    let program = || Command::new(env!("CARGO_BIN_EXE_estampie"));
    let written =
        program().args(["render-take", story.copy().to_str().unwrap(), "test/harpoon", "-o", out.to_str().unwrap(), "--count", "5"]).output().unwrap();
    assert!(written.status.success(), "{}", String::from_utf8_lossy(&written.stderr));
    let files: Vec<Vec<u8>> = (1..=5).map(|n| std::fs::read(folder.path().join(format!("harpoon_0{n}.wav"))).unwrap()).collect();
    for (i, file) in files.iter().enumerate() {
        assert!(file.len() > 48_000 && files[..i].iter().all(|other| other != file), "{i}: {} bytes", file.len());
    }
    let wrong = program().args(["render-take", story.copy().to_str().unwrap(), "test/harpon", "-o", out.to_str().unwrap()]).output().unwrap();
    assert!(wrong.status.code() == Some(2) && String::from_utf8_lossy(&wrong.stderr).contains("test/harpoon?"), "{}", String::from_utf8_lossy(&wrong.stderr));
}
