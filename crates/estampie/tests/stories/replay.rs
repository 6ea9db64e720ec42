//! Playthroughs as tables: heard from a line on, changed, moved in time, and saved.

use crate::support::Story;

#[test]
fn a_playthrough_is_heard_from_a_line_on_changed_and_saved() {
    let story = Story::new("replay");
    story.open_demo();
    // By the finder, so that it is the same one however many there are.
    story.keys(&[":"]);
    story.type_text("lines of stuck");
    story.wait_for("lines of stuck-hatch");
    story.keys(&["Enter"]);
    story.wait_for("19.5 s · 29 steps · seed 3");
    // Down to what begins at 10 seconds, and heard from there.
    story.keys(&["Home"]);
    for _ in 0..22 {
        story.keys(&["Down"]);
    }
    story.wait_until("the line is chosen", |s| s.lines().any(|l| l.contains('▌') && l.contains("oxygen 0.4 to 0.02 over 8 s")));
    story.keys(&["g"]);
    let screen = story.wait_until("it comes", |s| s.contains("▶ stuck-hatch 00:1") && !s.contains("… stuck-hatch"));
    assert!(!screen.contains("▶ stuck-hatch 00:00"), "{screen}");
    // What came before is in the Trace, as if it had been heard.
    story.keys(&["6", "End"]);
    story.wait_for("boiler.light");
    // A line of its own, moved behind another, and saved.
    story.keys(&["9", "n"]);
    story.wait_for("new line 10 ");
    story.keys(&["C-u"]);
    story.type_text("11.9 sonar.ping");
    story.keys(&["Enter"]);
    story.wait_for("it is not said what sonar.ping does");
    story.keys(&["C-u"]);
    story.type_text("11.9 send sonar.ping");
    story.keys(&["Enter"]);
    story.wait_for("11.9  send sonar.ping");
    story.keys(&["Right", "Right"]);
    story.wait_for("12.1  send sonar.ping");
    story.keys(&["C-s"]);
    story.wait_for("saved 1 file");
    let text = std::fs::read_to_string(story.copy().join("playthroughs/stuck-hatch.play")).unwrap();
    assert!(text.contains("12        send hull.struck on bell\n12.1      send sonar.ping\n14 "), "{text}");
}

#[test]
fn what_is_heard_is_expected_broken_seen_to_be_broken_and_mended() {
    let story = Story::new("expect");
    story.open_demo();
    story.keys(&[":"]);
    story.type_text("lines of stuck");
    story.wait_for("lines of stuck-hatch");
    story.keys(&["Enter"]);
    story.wait_for("expect hatch/open heard within 0.1 s");
    story.wait_for("✓ all 11 expectations kept");
    // One more, of what is heard: its words are offered in their order.
    story.keys(&["n", "C-u"]);
    story.type_text("7.5 expect breath/");
    story.wait_for("tab: breath/");
    story.keys(&["C-u"]);
    story.type_text("15 expect sonar/ping ");
    story.wait_for("tab: heard within 1 s");
    story.keys(&["Tab", "Enter"]);
    story.wait_for("15  expect sonar/ping heard within 1 s");
    story.wait_for("✓ all 12 expectations kept");
    // Heard, and missed: back in the Trace, where the loudest of the last seconds is, and why it was as loud as it was.
    story.keys(&["BTab", "Enter"]);
    story.wait_for("replaying stuck-hatch");
    story.keys(&["6"]);
    story.wait_until("it is expected there, too", |screen| screen.lines().any(|line| line.contains("expected") && line.contains("✓ 12")));
    story.wait_until("some seconds have gone by", |screen| (4..60).any(|s| screen.contains(&format!("00:{s:02}."))));
    story.keys(&["C-w"]);
    let screen = story.wait_for("the loudest that began in three seconds");
    assert!(screen.contains("looked at,") && screen.contains("¶ Why "), "{screen}");
    story.keys(&["Left", "Left", "Escape"]);
    story.wait_until("it is the present again", |screen| !screen.contains("looked at,"));
    story.keys(&["9"]);
    story.wait_for("✓ all 12 expectations kept");
    // Broken: what calls it is switched off where it is written.
    let reactions = story.copy().join("reactions.est");
    let text = std::fs::read_to_string(&reactions).unwrap();
    std::fs::write(&reactions, text.replace("When sonar.ping", "Off: When sonar.ping")).unwrap();
    let screen = story.wait_for("✗ 1 of 12 expectations not kept");
    assert!(screen.lines().any(|l| l.contains("stuck-hatch") && l.contains('✗')), "{screen}");
    story.wait_for("it was never heard");
    // Mended, it is kept again.
    std::fs::write(&reactions, text).unwrap();
    story.wait_for("✓ all 12 expectations kept");
}
