//! Stories of the view Music, each by the keys that a designer would press.

use crate::support::{Story, line};

/// The demo in the view Music, with tidewalk in its drift.
fn drifting(name: &str) -> Story {
    let story = Story::new(name);
    story.open_demo();
    story.keys(&["4"]);
    story.wait_until("the view is there", |s| s.contains("¶ Pieces") && s.contains("Next 8 bars") && s.contains("? help"));
    story.keys(&["Enter"]);
    story.wait_until("drift plays", |s| s.contains("♪ tidewalk drift") && line(s, &["tidewalk", "▶ plays"]).is_some());
    story
}

/// Waits for the first beats of an odd bar of drift: a change by whole two bars is then two seconds and more away.
fn early(story: &Story) {
    story.wait_until("a bar begins", |s| [1, 3, 5, 7].iter().any(|bar| [1, 2].iter().any(|beat| s.contains(&format!("♪ tidewalk drift {bar}.{beat}")))));
}

/// Goes to the way from drift to pursuit.
fn to_the_way(story: &Story) {
    // The first way that is written is chosen.
    story.keys(&["Tab", "Tab"]);
    story.wait_until("the way is chosen", |s| s.contains("¶ drift ⟶ pursuit"));
}

#[test]
fn a_change_waits_for_its_bar_and_another_rule_lets_it_leave_on_the_beat() {
    let story = drifting("ways");
    to_the_way(&story);
    let screen = story.wait_until("the seam is heard", |s| s.contains("▲") && s.contains("longest"));
    assert!(line(&screen, &["leaves at", "every 2 bars"]).is_some(), "{screen}");
    // Two bars at 92 beats a minute.
    assert!(line(&screen, &["longest", "5.22 s"]).is_some() && line(&screen, &["median", "2.61 s"]).is_some(), "{screen}");
    early(&story);
    story.keys(&["Enter"]);
    let screen = story.wait_until("it waits", |s| s.contains("▼ leaves for pursuit in") && s.contains("⟶ pursuit in"));
    assert!(line(&screen, &["pursuit in"]).is_some());
    story.wait_until("the fill leads over", |s| s.contains("♪ tidewalk fill"));
    story.wait_until("pursuit is there", |s| s.contains("♪ tidewalk pursuit 1."));
    story.wait_until("it is said", |s| s.contains("tidewalk fill ⟶ pursuit") && s.contains("tidewalk drift ⟶ fill"));
    // The rule is edited in place while it plays: leave on the next beat.
    story.keys(&["Tab", "e"]);
    story.wait_for("drift ⟶ pursuit, leaves at:");
    story.type_text("next beat");
    story.keys(&["Enter"]);
    let screen = story.wait_until("the rule is new", |s| line(s, &["leaves at", "next beat"]).is_some() && line(s, &["longest", "0.65 s"]).is_some());
    assert!(screen.contains("♪ tidewalk pursuit"), "it went on: {screen}");
    story.keys(&["C-s"]);
    story.wait_for("saved 1 file");
    let saved = std::fs::read_to_string(story.copy().join("music/tidewalk.toml")).unwrap();
    assert!(saved.contains("leave     = \"next beat\"") || saved.contains("leave = \"next beat\""), "{saved}");
    // Nonsense is refused with what can be written.
    story.keys(&["e"]);
    story.wait_for("drift ⟶ pursuit, leaves at:");
    story.type_text("when I say so");
    story.keys(&["Enter"]);
    story.wait_for("is not a musical moment");
    story.keys(&["Escape", "u"]);
    story.wait_until("it is undone", |s| line(s, &["leaves at", "every 2 bars"]).is_some());
}

#[test]
fn going_back_before_the_moment_cancels_and_stingers_say_why_they_are_dropped() {
    let story = Story::new("stingers");
    story.open_demo();
    story.keys(&["4"]);
    story.wait_for("¶ Stingers");
    // Past three pieces and a playlist: dread.
    story.keys(&["Down", "Down", "Down", "Down", "Enter"]);
    story.wait_for("dread refused: no music");
    story.keys(&["Up", "Up", "Up", "Up", "Enter"]);
    story.wait_for("♪ tidewalk drift");
    story.keys(&["Down", "Down", "Down", "Down", "Enter"]);
    story.wait_until("it sounds on the beat", |s| line(s, &["♪ dread at"]).is_some());
    story.keys(&["Up", "Up", "Up", "Up"]);
    to_the_way(&story);
    early(&story);
    story.keys(&["Enter"]);
    story.wait_for("▼ leaves for pursuit in");
    story.keys(&["Left", "Left", "Enter"]);
    story.wait_until("it is given up", |s| s.contains("given up"));
    let screen = story.wait_until("nothing waits", |s| !s.contains("▼ leaves for") && s.contains("♪ tidewalk drift"));
    assert!(!screen.contains("⟶ fill"), "{screen}");
    // A layer goes out and comes in again, temporary.
    story.keys(&["BTab"]);
    story.keys(&["Down", "x"]);
    story.wait_for("tidewalk/pulse goes out (temporary)");
    story.keys(&["x"]);
    story.wait_for("tidewalk/pulse comes in (temporary)");
    // What is by hand is said at the foot, and ended with one key.
    story.keys(&["x", "M"]);
    story.wait_until("it is said", |s| line(s, &["temporary:", "metronome", "layers tidewalk/pulse out"]).is_some());
    story.keys(&["\\"]);
    story.wait_until("all of it is ended", |s| !s.contains("temporary:") && s.contains("♪ tidewalk drift"));
}

#[test]
fn every_transition_is_checked_and_the_problems_open() {
    let story = drifting("proof");
    // A layer 20 dB louder is found. (That nothing is found in the demo as it is: commands, of `estampie check`.)
    story.keys(&["Tab"]);
    story.wait_for("▌drift");
    // Past drift and its close ending with their layers: pursuit.
    story.keys(&["Down"; 10]);
    story.wait_until("pursuit is chosen", |s| line(s, &["▌pursuit"]).is_some());
    early(&story);
    story.keys(&["Enter"]);
    story.wait_for("leaves for pursuit in");
    story.keys(&["Down", "e"]);
    story.wait_for("level of pulse in pursuit");
    story.type_text("18 dB");
    story.keys(&["Enter"]);
    story.wait_for("1 unsaved");
    story.keys(&["p"]);
    let screen = story.wait_until("it is found", |s| s.contains("¶ Every transition") && s.contains("the loudness goes"));
    assert!(screen.contains("problems"), "{screen}");
    story.keys(&["Escape"]);
    story.wait_until("the page is as before", |s| !s.contains("¶ Every transition"));
}

#[test]
fn a_small_window_and_one_without_colours_show_the_music_too() {
    let story = drifting("small");
    story.tmux(&["resize-window", "-x", "100", "-y", "30"]);
    let screen = story.wait_until("it fits", |s| s.contains("¶ Transitions") && s.contains("Next 8 bars") && s.contains("¶ Pieces"));
    assert!(screen.lines().all(|l| l.chars().count() <= 100));
    story.tmux(&["resize-window", "-x", "20", "-y", "5"]);
    story.wait_for("too small");
}
