//! Keys of the Trace: what happened, the past, runs compared and expected, as values.

use crate::workshop::view_tests::Desk;
use estampie_engine::names::NameKey;

#[test]
fn in_the_trace_what_happened_is_filtered_chosen_and_followed_to_its_sound() {
    let mut desk = Desk::new();
    desk.keys("6");
    assert!(desk.page().contains("¶ What happened 0 lines"), "{}", desk.page());
    desk.app.rehearsal.note_for_tests(&["plays hull/groan", "plays steps/deck", "steps/deck refused: 1 is the limit"]);
    let page = desk.page();
    assert!(page.contains("¶ What happened 3 lines, newest first") && page.contains("plays steps/deck"), "{page}");
    desk.keys("x");
    assert!(desk.page().contains("1 of 3 refused or at fault") && !desk.page().contains("plays hull/groan"), "{}", desk.page());
    desk.keys("x /");
    desk.type_text("groan");
    assert!(desk.page().contains("1 of 3 with \"groan\""));
    desk.keys("enter enter");
    assert!(desk.app.shows("Sounds") && desk.app.sounds.selected == "hull/groan");
    desk.keys("6 esc home end");
    assert!(desk.page().contains("3 lines"));
    desk.click("plays steps/deck");
    assert!(desk.app.shows("Trace"), "the first click only chooses");
    // What comes afterwards does not move the choice, and solo and mute are for its sound.
    desk.app.rehearsal.note_for_tests(&["plays hull/groan", "plays hull/groan"]);
    desk.keys("m");
    assert!(desk.app.rehearsal.only.muted_sounds.contains(&NameKey::of("steps/deck")), "{}", desk.page());
    desk.keys("m home s");
    let only = &desk.app.rehearsal.only;
    assert!(only.muted_sounds.is_empty() && only.soloed_sounds.contains(&NameKey::of("hull/groan")), "{}", desk.page());
    desk.keys("s down down down");
    desk.click("plays steps/deck");
    assert!(desk.app.shows("Sounds") && desk.app.sounds.selected == "steps/deck");
}

#[test]
fn the_past_is_looked_at_explained_kept_and_left_again() {
    let mut desk = Desk::new();
    desk.poll_until("the clock goes", |app| app.rehearsal.frame() > 0 && app.loading().is_none());
    let depth = desk.app.document().parameters.iter().position(|p| p.name == "depth").unwrap_or(0);
    let name = desk.app.document().parameters[depth].name.clone();
    let first = desk.app.value(depth);
    desk.keys("1 f");
    desk.poll_until("it sounds", |app| !app.sounding().is_empty() && app.rehearsal.kept().bars(0, u64::MAX).next().is_some());
    let began = desk.app.rehearsal.kept().bars(0, u64::MAX).next().unwrap().start;
    desk.poll_until("time goes by", |app| app.rehearsal.now() > began + 48_000);
    desk.app.set_parameter(depth, desk.app.document().parameters[depth].high);
    desk.poll_until("it has moved", |app| app.value(depth) != first);
    // Its lane, half a second back: the value is what it was, the clock says so, and what plays goes on.
    desk.keys("6 tab end left left left left left");
    let (looked, now) = (desk.app.rehearsal.back().unwrap(), desk.app.rehearsal.now());
    assert!(looked < now && desk.app.value(depth) == first, "{name}: {}", desk.app.value(depth));
    assert!(desk.page().contains("looked at,") && desk.page().contains("ago (esc: now)"), "{}", desk.page());
    desk.poll_until("what plays goes on", |app| app.rehearsal.now() > now + 4_800);
    assert_eq!((desk.app.rehearsal.frame(), desk.app.value(depth)), (looked, first));
    // The other views show that moment too; who plays is in the present again.
    desk.keys("5");
    let page = desk.page();
    assert!(page.contains("looked at,") && page.contains("¶ Loudness then") && page.contains("the rest is measured of the present alone"), "{page}");
    desk.keys("1 f");
    assert!(desk.app.rehearsal.back().is_none() && desk.app.value(depth) != first);
    // What was that: the lane of the sound, just after it began, with its reasons.
    desk.poll_until("it sounds again", |app| app.rehearsal.kept().bars(0, u64::MAX).count() > 1 && app.sounding().iter().any(|v| v.heard_db > -60.0));
    desk.keys("ctrl-w");
    let page = desk.page();
    assert!(desk.app.shows("Trace") && page.contains("that was steps/deck") && page.contains("¶ Why steps/deck"), "{page}");
    assert!(desk.app.rehearsal.back().is_some());
    desk.keys("w");
    assert!(desk.app.shows("Stage") && desk.page().contains("¶ Why steps/deck"), "{}", desk.page());
    // Folded and unfolded, zoomed, and only what has to do with it.
    desk.keys("6 o");
    assert!(desk.page().contains("only what has to do with steps/deck") && !desk.page().contains("watch "), "{}", desk.page());
    desk.keys("o + + +");
    assert!(desk.page().contains("3 s in sight") || desk.page().contains("2 s in sight"), "{}", desk.page());
    desk.click("▼ Sounds");
    assert!(desk.page().contains("▶ Sounds"), "{}", desk.page());
    desk.keys("enter");
    assert!(desk.page().contains("▼ Sounds"));
    // Kept from the very beginning, and exactly.
    desk.keys("home p ctrl-u");
    desk.type_text("kept");
    desk.keys("enter");
    let text = desk.text("playthroughs/kept.play");
    assert!(text.starts_with("seed 1\n") && text.matches("send step").count() == 2 && text.contains(" end\n"), "{text}");
    desk.keys("P");
    desk.type_text("x");
    desk.keys("enter");
    assert!(desk.text("playthroughs/take-1x.play").contains("\nfrom "), "{}", desk.text("playthroughs/take-1x.play"));
    desk.keys("esc");
    assert!(desk.app.rehearsal.back().is_none());
    // An event that led to nothing: why, with the value as it was then.
    desk.keys("1 d 6 tab");
    desk.poll_until("it came", |app| app.rehearsal.log.iter().any(|l| l.text.starts_with("hull.struck")));
    desk.keys("home");
    let page = desk.page();
    assert!(page.contains("¶ What hull.struck led to") && page.contains("✗ When hull.struck and strain over 0.5"), "{page}");
    assert!(page.contains("no: strain 0 is not over 0.5"), "{page}");
}

#[test]
fn two_runs_are_drawn_above_each_other_and_what_differs_is_told() {
    let mut desk = Desk::new();
    desk.app.workspace.replace("a walk", "playthroughs/walk.play", "seed 1\n0.5 send step\n1 send step\n30 end\n");
    desk.app.compile();
    desk.poll_until("the clock goes", |app| app.rehearsal.frame() > 0 && app.loading().is_none());
    desk.keys("6 c");
    assert!(desk.page().contains("there is no run before this one"), "{}", desk.page());
    desk.keys("9 enter");
    desk.poll_until("it has been heard", |app| app.rehearsal.replay.is_some() && app.rehearsal.frame() > 72_000);
    let sounds = desk.text("sounds/all.toml").replace("[\"steps/deck\"]\n", "[\"steps/deck\"]\nlevel = \"-9 dB\"\n");
    desk.app.workspace.replace("softer", "sounds/all.toml", &sounds);
    desk.app.compile();
    desk.keys("9 enter");
    desk.poll_until("it is heard again", |app| app.rehearsal.frame() > 60_000 && app.rehearsal.frame() < 72_000 * 20);
    desk.keys("6 tab c");
    desk.poll_until("it is compared", |app| app.trace_says("is 9.0 dB softer"));
    let page = desk.page();
    assert!(page.contains("¶ Before, and now") && page.contains("steps/deck is 9.0 dB softer") && page.contains('░'), "{page}");
    desk.keys("c");
    assert!(desk.page().contains("¶ What happened") && !desk.page().contains('░'));
}

#[test]
fn what_a_line_of_the_trace_says_becomes_an_expectation_of_what_is_replayed() {
    let mut desk = Desk::new();
    desk.app.workspace.replace("a walk", "playthroughs/walk.play", "seed 1\n0.5 send step\n30 end\n");
    desk.app.compile();
    desk.keys("6");
    desk.app.rehearsal.note_for_tests(&["plays steps/deck"]);
    desk.keys("e");
    assert!(desk.page().contains("replay a playthrough first"), "{}", desk.page());
    desk.keys("9 enter");
    desk.poll_until("it is heard", |app| app.rehearsal.log.iter().any(|l| l.text.contains("steps/deck")));
    desk.keys("6 space /");
    desk.type_text("steps/deck");
    desk.keys("enter e");
    assert!(desk.page().contains("0.5 expect steps/deck heard within 0.1 s"), "{}", desk.page());
    desk.keys("enter");
    assert!(desk.page().contains("it is in the playthrough walk now: 9 shows it"), "{}", desk.page());
    assert!(desk.text("playthroughs/walk.play").contains("0.5       expect steps/deck heard within 0.1 s\n"), "{}", desk.text("playthroughs/walk.play"));
    desk.keys("9");
    desk.poll_until("it is kept", |app| app.standing(0) == crate::workshop::checks::Standing::Kept(1));
}

#[test]
fn what_is_said_meanwhile_does_not_hide_what_a_question_can_be_answered_by() {
    let mut desk = Desk::new();
    desk.keys("5 left");
    let theirs = desk.text("mix.toml").replacen("-3 dB", "-9 dB", 1);
    std::fs::write(desk.path("mix.toml"), theirs).unwrap();
    desk.app.alarm("changed here and by somebody else; ctrl-s asks");
    desk.keys("ctrl-s");
    let page = desk.page();
    assert!(page.contains("keep theirs") && !page.contains("ctrl-s asks"), "it has been asked: {page}");
    for width in [100, 160] {
        desk.size = (width, 30);
        desk.app.alarm("the disk is full");
        let page = desk.page();
        assert!(page.contains("the disk is full") && page.contains("keep mine") && page.contains("keep theirs"), "{page}");
    }
    desk.keys("m");
    assert!(desk.page().contains("the other version is kept as mix.toml.theirs"), "{}", desk.page());
}
