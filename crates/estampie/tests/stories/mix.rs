//! Stories of the view Mix, each by the keys that a designer would press.

use crate::support::{Story, line};

/// The demo in the view Mix, with its music.
fn mixing(name: &str) -> Story {
    let story = Story::new(name);
    story.open_demo();
    story.keys(&["5"]);
    story.wait_until("the view is there", |s| s.contains("snapshots hold") && s.contains("¶ Player levels") && s.contains("? help"));
    story
}

fn mix_file(story: &Story) -> String {
    std::fs::read_to_string(story.copy().join("mix.toml")).unwrap()
}

#[test]
fn a_snapshot_is_mixed_beforehand_and_the_mix_beneath_stays() {
    let story = mixing("snapshot");
    let before = mix_file(&story);
    // Down to machines, and the first snapshot becomes what is edited.
    story.keys(&["Down", "Down", "Down", "Down", "Down"]);
    story.wait_until("machines is chosen", |s| s.contains("¶ machines squeeze"));
    story.keys(&["o"]);
    story.wait_until("it is unmistakable", |s| s.contains("You are editing the snapshot sealed-cabin.  The mix beneath stays as it is."));
    story.wait_until("it is heard", |s| s.contains("by hand sealed-cabin") && s.contains("100% hand"));
    story.keys(&["Left", "Left", "Left"]);
    // Held was −1.5 dB; three steps of half a decibel.
    let screen = story.wait_until("it is held", |s| line(s, &["machines", "squeeze", "−3"]).is_some());
    assert!(line(&screen, &["machines", "−1.0"]).is_some(), "the level that was set still stands: {screen}");
    // What would change the mix beneath does nothing here, and says why.
    // (That nothing of it was done is seen in the file below.)
    story.keys(&["i", "K", "O", "D", "E", "N", "y", "Down", "p", "Up"]);
    story.wait_for("esc goes back to the mix, where this belongs");
    story.keys(&["a"]);
    story.wait_for("you hear the mix without it");
    story.keys(&["Escape"]);
    story.wait_until("back to the mix", |s| !s.contains("You are editing") && s.contains("back to the mix; snapshot sealed-cabin is as its reasons say"));
    story.keys(&["C-s"]);
    story.wait_for("saved 1 file");
    let after = mix_file(&story);
    let changed: Vec<(&str, &str)> = before.lines().zip(after.lines()).filter(|(a, b)| a != b).collect();
    assert_eq!(changed.len(), 1, "{changed:?}");
    assert!(changed[0].0.contains("\"by -1.5 dB\"") && changed[0].1.contains("\"by -3 dB\""), "{changed:?}");
    assert_eq!(before.lines().count(), after.lines().count());
}

#[test]
fn a_loop_of_sends_is_refused_before_it_is_made() {
    let story = mixing("loop");
    let before = mix_file(&story);
    // nave is the last but one; its send to pipe would come back, since pipe sends to nave.
    story.keys(&["Down"; 11]);
    story.wait_until("nave is chosen", |s| s.contains("¶ nave reverb"));
    story.keys(&["Tab", ">", "e"]);
    story.wait_for("nave sends to pipe");
    story.type_text("−6 dB");
    story.keys(&["Enter"]);
    story.wait_for("this send would feed back: nave ⟶ pipe ⟶ nave");
    story.keys(&["Escape"]);
    story.wait_until("the line is gone", |s| s.contains("? help") && !s.contains("would feed back") || s.contains("? help"));
    story.keys(&["C-s"]);
    story.wait_for("nothing to save");
    assert_eq!(mix_file(&story), before);
}

#[test]
fn effects_are_added_moved_bypassed_and_taken_off() {
    let story = mixing("effects");
    story.keys(&["Down", "Down", "i"]);
    story.wait_for("new effect on world:");
    story.type_text("compresor");
    story.keys(&["Enter"]);
    story.wait_for("there is no effect compresor");
    story.keys(&["BSpace"; 9]);
    story.type_text("high-pass");
    story.keys(&["Enter"]);
    let screen = story.wait_until("it is there", |s| s.contains("¶ world high-pass"));
    assert!(line(&screen, &["cutoff", "20 Hz"]).is_some(), "it begins where it does nothing: {screen}");
    story.keys(&["e"]);
    story.wait_for("cutoff of high-pass");
    story.type_text("150");
    story.keys(&["Enter"]);
    story.wait_until("it is set", |s| line(s, &["cutoff", "150 Hz"]).is_some());
    story.keys(&["Right"]);
    story.wait_until("it moves by a sixth of an octave", |s| line(s, &["cutoff", "168 Hz"]).is_some());
    story.keys(&["b"]);
    story.wait_until("it is bypassed", |s| s.contains("×high-pass") && s.contains("temporary: bypassed 1 effects or sends"));
    story.keys(&["D"]);
    story.wait_until("it is off", |s| s.contains("effect world/high-pass is deleted") && !s.contains("¶ world high-pass"));
    story.keys(&["u"]);
    story.wait_until("it is back", |s| s.contains("undid deletion of effect world/high-pass") && line(s, &["world", "high-pass"]).is_some());
}

#[test]
fn a_player_level_of_nothing_lasts_beyond_the_workshop() {
    let story = mixing("player");
    story.keys(&["Tab", "Tab", "Tab", "Tab", "Down", "e"]);
    story.wait_for("player level music, 0 to 10");
    story.type_text("11");
    story.keys(&["Enter"]);
    story.wait_for("a player level goes from 0 to 10");
    story.keys(&["BSpace", "BSpace"]);
    story.type_text("0");
    story.keys(&["Enter"]);
    story.wait_until("it is set", |s| line(s, &["music", "○○○○○○○○○○", "0.0", "−∞ dB on music"]).is_some());
    assert_eq!(std::fs::read_to_string(story.copy().join("levels.toml")).unwrap(), "# Levels that the player has set, 0 to 10.\nmusic = 0.0\n");
    story.keys(&["q"]);
    story.wait_for("left with 0");
    story.tmux(&["kill-server"]);
    story.open_demo();
    story.keys(&["5"]);
    story.wait_until("it is remembered", |s| line(s, &["music", "○○○○○○○○○○", "−∞ dB on music"]).is_some());
    // Music plays, and the bus stays silent.
    story.keys(&["4", "Enter"]);
    story.wait_for("♪ tidewalk drift");
    story.keys(&["5"]);
    let screen = story.wait_until("beats go by", |s| s.contains("drift 1.4") || s.contains("drift 2."));
    let bus = screen.lines().find(|l| l.contains("└ music")).unwrap();
    assert!(bus.contains("−∞"), "{bus}");
}

#[test]
fn two_states_are_compared_as_loud_as_each_other_and_one_is_kept() {
    let story = mixing("compare");
    let before = mix_file(&story);
    story.keys(&[":"]);
    story.type_text("replay first");
    story.keys(&["Enter", "5"]);
    story.wait_until("it plays", |s| s.contains("▶ first-dive"));
    story.keys(&["A"]);
    story.wait_for("nothing is kept to compare with");
    story.keys(&["a"]);
    story.wait_until("B is kept", |s| s.contains("You hear A, as it is now."));
    // The whole is 6 dB softer now.
    story.keys(&["e"]);
    story.type_text("−6 dB");
    story.keys(&["Enter"]);
    let screen = story.wait_until("both are measured", |s| s.contains("B is turned down by"));
    let down = crate::support::number_before(line(&screen, &["B is turned down by"]).unwrap(), "dB to match").unwrap();
    // The limiter on the whole is before its level: 6 dB are 6 dB.
    assert!((down - 6.0).abs() <= 0.3, "{down}");
    story.keys(&["a"]);
    story.wait_until("B is heard and shown", |s| s.contains("You hear B, as it was kept.") && line(s, &["main", "0.0"]).is_some());
    story.keys(&["Right"]);
    story.wait_for("you hear B, which stays as it was kept");
    story.keys(&["A"]);
    story.wait_until("what differs is listed", |s| s.contains("1 difference between A") && line(s, &["mix.toml", "buses main level", "−6 dB"]).is_some());
    for (columns, rows, shown) in [("100", "30", "1 difference"), ("20", "5", "too"), ("160", "47", "buses main level")] {
        story.tmux(&["resize-window", "-x", columns, "-y", rows]);
        story.wait_for(shown);
    }
    story.keys(&["a"]);
    story.wait_for("you hear A");
    story.keys(&["a"]);
    story.wait_for("you hear B");
    story.keys(&["Enter"]);
    story.wait_until("B is kept", |s| s.contains("B is the project now") && !s.contains("You hear"));
    story.keys(&["u"]);
    story.wait_until("and A comes back", |s| s.contains("undid back to B") && line(s, &["main", "−6.0"]).is_some());
    story.keys(&["u"]);
    story.wait_until("and what was before", |s| line(s, &["main", "0.0"]).is_some());
    story.keys(&["C-s"]);
    story.wait_for("nothing to save");
    assert_eq!(mix_file(&story), before);
}

#[test]
fn effects_and_snapshots_are_copied_and_what_is_unsaved_becomes_one() {
    let story = mixing("copies");
    // The chosen effect of music, copied onto world and there moved before another.
    story.keys(&["Down", "Enter", "y"]);
    story.wait_for("the effect tone copied");
    story.keys(&["BTab", "BTab", "BTab", "Down", "p"]);
    story.wait_until("it is on world", |s| s.contains("tone on world is as copied") && line(s, &["world", "tone"]).is_some());
    story.keys(&["p", ">", "K"]);
    story.wait_until("the second is first", |s| line(s, &["world", "tone-2 tone"]).is_some());
    story.keys(&["u", "u", "u"]);
    story.wait_until("undone", |s| line(s, &["└ world", "tone"]).is_none());
    // Some of a snapshot by hand, and a copy of its column.
    story.keys(&["Tab", "Tab", ")", ")", ")"]);
    story.wait_until("30 % by hand", |s| s.contains("sealed-cabin is at 30 % by hand") && s.contains("30% hand"));
    story.keys(&["("]);
    story.wait_until("20 %", |s| s.contains("20% hand"));
    story.keys(&["d"]);
    story.wait_for("sealed-cabin-2 holds what sealed-cabin holds");
    story.keys(&["u", "BTab", "BTab", "Left", "Left", "N"]);
    story.wait_for("new snapshot of what is unsaved in the mix");
    story.type_text("calm");
    story.keys(&["Enter"]);
    let screen = story.wait_until("it holds the difference", |s| s.contains("snapshot calm holds 1 value"));
    assert!(line(&screen, &["world", "0.0"]).is_some(), "the mix is as saved: {screen}");
    story.keys(&["C-s"]);
    story.wait_for("saved 1 file");
    assert!(mix_file(&story).contains("[snapshots.calm]") && mix_file(&story).contains("\"bus world level\" = \"by -1 dB\""));
    // Heard alone: with the returns, without, no longer.
    story.keys(&["s"]);
    story.wait_until("alone", |s| s.contains("in its returns as well") && line(s, &["└ world", "solo"]).is_some());
    story.keys(&["s"]);
    story.wait_until("without returns", |s| line(s, &["└ world", "dry"]).is_some());
    story.keys(&["s"]);
    story.wait_until("no longer", |s| line(s, &["└ world", "dry"]).is_none() && line(s, &["└ world", "solo"]).is_none());
    // A send is left out, and heard again.
    story.keys(&["Down", "BTab", "b"]);
    story.wait_until("it is left out", |s| s.contains("bus water send nave is left out") && line(s, &["water", "×−18.0"]).is_some());
    story.keys(&["b"]);
    story.wait_until("it is heard again", |s| line(s, &["water", "×"]).is_none());
    // The target of loudness.
    story.keys(&["T"]);
    story.wait_for("loudness of the whole");
    story.type_text("−99");
    story.keys(&["Enter"]);
    story.wait_for("is out of range");
    story.keys(&["Escape", "T"]);
    story.type_text("−23");
    story.keys(&["Enter"]);
    story.wait_for("target −23.0 ± 2 LUFS");
}

#[test]
fn a_held_key_hears_without_the_snapshot_for_as_long_as_it_is_held() {
    let story = mixing("held");
    story.keys(&["o"]);
    story.wait_for("You are editing the snapshot sealed-cabin");
    // A terminal tells of a held key by repeating it; on a busy machine it is held until somebody has looked.
    story.wait_until("it is not heard while the key is held", |s| {
        if !s.contains("you hear the mix without it") {
            story.keys(&["a"; 10]);
        }
        s.contains("you hear the mix without it")
    });
    story.wait_until("it is heard again once the key is let go", |s| s.contains("You are editing") && !s.contains("you hear the mix without it"));
    story.keys(&["Escape"]);
    // All five snapshots are down; one that is still at 40% has a 0% in it too.
    story.wait_until("it has fallen", |s| s.lines().any(|l| l.split_whitespace().filter(|word| *word == "0%").count() == 5));
    story.keys(&["Tab", "Tab", "Left"]);
    story.wait_for("sealed-cabin is down, so this is not heard yet");
}
