//! The view as a value: keys in, texts and the page out.

use crate::workshop::checks::Standing;
use crate::workshop::view_tests::Desk;

const FILE: &str = "playthroughs/walk.play";

/// A workshop with one playthrough, whose lines have the keys.
fn desk(text: &str) -> Desk {
    let mut desk = Desk::new();
    desk.app.workspace.replace("a walk", FILE, text);
    desk.app.compile();
    desk.keys("9 tab");
    desk
}

#[test]
fn a_playthrough_is_made_written_and_moved_in_time_by_keys_alone() {
    let mut desk = Desk::new();
    desk.keys("9");
    assert!(desk.page().contains("there is no playthrough yet"), "{}", desk.page());
    desk.keys("n w a l k enter");
    assert_eq!(desk.text(FILE), "seed 1\n10        end\n");
    desk.keys("n");
    desk.type_text("2 send knock");
    desk.keys("ctrl-u");
    desk.type_text("2 strain 0 to 1 over 3 s");
    desk.keys("enter");
    assert_eq!(desk.text(FILE), "seed 1\n2         strain 0 to 1 over 3 s\n10        end\n");
    // Moved behind another it is put there, and stays chosen.
    desk.keys("d right right shift-right");
    assert!(desk.text(FILE).contains("2         strain 0 to 1 over 3 s\n2.21      strain 0 to 1 over 3 s\n"), "{}", desk.text(FILE));
    desk.keys("left left left");
    assert!(desk.text(FILE).contains("1.91      strain 0 to 1 over 3 s\n2         strain"), "{}", desk.text(FILE));
    desk.keys("D");
    assert!(desk.page().contains("taken out: 1.91 strain 0 to 1 over 3 s; u brings it back"), "{}", desk.page());
    desk.keys("u");
    assert!(desk.text(FILE).contains("1.91"));
}

#[test]
fn what_cannot_be_read_is_told_and_the_line_stays_open() {
    let mut desk = desk("seed 1\n2 strain 1\n10 end\n");
    desk.keys("down e ctrl-u");
    desk.type_text("2 strain goes up");
    desk.keys("enter");
    assert!(desk.page().contains("write") && desk.text(FILE).contains("2 strain 1\n"), "{}", desk.page());
    desk.keys("ctrl-u");
    desk.type_text("0.5 strain 0.25   # less");
    desk.keys("enter");
    assert_eq!(desk.text(FILE), "seed 1\n0.5       strain 0.25   # less\n10 end\n");
    // What there is not is kept only when it is entered twice.
    desk.keys("n ctrl-u");
    desk.type_text("3 send nothing.like.it");
    desk.keys("enter");
    assert!(!desk.text(FILE).contains("nothing.like.it"), "{}", desk.text(FILE));
    desk.keys("enter");
    assert!(desk.text(FILE).contains("3         send nothing.like.it"), "{}", desk.text(FILE));
    assert!(desk.page().contains("nothing.like.it") && desk.app.faults.iter().any(|f| f.place.file == FILE), "{}", desk.page());
}

#[test]
fn a_playthrough_is_copied_renamed_and_deleted() {
    let mut desk = desk("seed 1\n2 strain 1\n10 end\n");
    desk.keys("tab d enter");
    assert_eq!(desk.text("playthroughs/walk-2.play"), desk.text(FILE));
    desk.keys("r ctrl-u");
    desk.type_text("run/ner");
    desk.keys("enter");
    assert!(desk.page().contains("is no name of a playthrough"), "{}", desk.page());
    desk.keys("ctrl-u");
    desk.type_text("walk");
    desk.keys("enter");
    assert!(desk.page().contains("there is a playthrough walk already"), "{}", desk.page());
    desk.keys("ctrl-u");
    desk.type_text("runner");
    desk.keys("enter");
    assert!(desk.text("playthroughs/walk-2.play").is_empty() && desk.text("playthroughs/runner.play").contains("strain"));
    desk.keys("D");
    assert!(desk.text("playthroughs/runner.play").is_empty() && desk.page().contains("deleted: the playthrough runner; u brings it back"), "{}", desk.page());
    desk.keys("u u");
    assert!(desk.text("playthroughs/walk-2.play").contains("strain"), "two edits, two undos");
}

#[test]
fn it_is_replayed_from_its_start_and_from_a_line_on() {
    let mut desk = desk("seed 1\n0 strain 0.25\n2 strain 0.75\n4 strain 1\n10 end\n");
    desk.keys("tab enter");
    assert_eq!(desk.app.rehearsal.replay.as_ref().map(|r| r.name.as_str()), Some("walk"));
    desk.keys("tab down down g");
    assert_eq!(desk.app.rehearsal.coming().map(|(name, from)| (name.to_owned(), from.0)), Some(("walk".to_owned(), 2.0)));
    let begun = std::time::Instant::now();
    while desk.app.rehearsal.coming().is_some() || desk.app.rehearsal.frame() == 0 {
        desk.app.poll();
        assert!(begun.elapsed().as_secs() < 60, "it never comes");
        std::thread::sleep(std::time::Duration::from_millis(5));
    }
    assert!(desk.app.rehearsal.frame() >= 96_000, "it goes on from there: {}", desk.app.rehearsal.frame());
    assert!(desk.app.rehearsal.frame() < 96_000 + 48_000 * 60);
    let strain = desk.app.document().parameters.iter().position(|p| p.name == "strain").unwrap();
    assert!(desk.app.value(strain) >= 0.25, "what was set before is set: {}", desk.app.value(strain));
    assert_eq!(desk.app.rehearsal.replay.as_ref().map(|r| r.name.as_str()), Some("walk"));
}

#[test]
fn the_timeline_shows_what_moves_and_is_clicked() {
    let mut desk = desk("seed 1\n0 strain 0 to 1 over 5 s\n7 listener at 3, 4\n10 end\n");
    let page = desk.page();
    assert!(page.contains("10.0 s · 3 steps · seed 1") && page.contains("●━━━") && page.contains("listener"), "{page}");
    desk.click(" 8 s");
    assert_eq!(desk.app.playthroughs.line, 2, "the line nearest to that time");
    desk.click("strain 0 to 1");
    assert_eq!(desk.app.playthroughs.line, 1);
    desk.click("listener at 3, 4");
    assert_eq!(desk.app.playthroughs.line, 2);
    desk.click("listener at 3, 4");
    assert!(desk.page().contains("the line 7 listener at 3, 4"), "clicked again it is edited: {}", desk.page());
}

#[test]
fn a_recording_of_many_lines_is_drawn_whole() {
    let text: String = (0..36_000).map(|n| format!("{} strain {}\n", f64::from(n) / 60.0, f64::from(n % 100) / 100.0)).collect();
    let mut desk = desk(&format!("seed 1\n{text}"));
    let page = desk.page();
    assert!(page.contains("600.0 s · 36000 steps") && page.contains(&"●".repeat(100)) && page.contains("▼ 3"), "{page}");
    desk.keys("end");
    assert!(desk.page().contains("▌   599.983"), "{}", desk.page());
    // Renamed while it is replayed, it is the same.
    desk.keys("tab enter r ctrl-u o t h e r enter");
    assert_eq!(desk.app.rehearsal.replay.as_ref().map(|r| r.name.as_str()), Some("other"));
    assert!(desk.page().contains("▶ other"), "{}", desk.page());
}

#[test]
fn what_is_expected_is_typed_word_by_word_listened_to_and_marked() {
    let mut desk = desk("seed 1\n1 send step\n4 end\n");
    // After expect the words come in their order, with the project's names.
    desk.keys("n ctrl-u");
    desk.type_text("1 expect steps/de");
    assert!(desk.page().contains("tab: steps/deck"), "{}", desk.page());
    desk.keys("tab space");
    assert!(desk.page().contains("tab: heard within 1 s"), "{}", desk.page());
    desk.keys("tab enter");
    assert!(desk.text(FILE).contains("1         expect steps/deck heard within 1 s\n"), "{}", desk.text(FILE));
    desk.poll_until("it is kept", |app| app.standing(0) == Standing::Kept(1));
    assert!(desk.page().contains("✓ all 1 expectations kept"), "{}", desk.page());
    // What breaks it is heard after the edit, and told where it stands.
    desk.app.workspace.replace("nothing is played", "reactions.est", "");
    desk.app.compile();
    desk.poll_until("it is broken", |app| app.standing(0) == Standing::Broken(1, 1));
    desk.keys("up up up up down down");
    let page = desk.page();
    assert!(page.contains("✗ 1 of 1 expectations not kept") && page.contains("it was never heard"), "{page}");
    // What all are expected to keep has no line, and is told below.
    desk.app.workspace.replace("for all", "checks.est", "always expect steps/deck heard\n");
    desk.app.compile();
    desk.keys("up up up up");
    desk.poll_until("both are broken", |app| app.standing(0) == Standing::Broken(2, 2));
    assert!(desk.page().contains("✗ always expected steps/deck heard; it was never heard"), "{}", desk.page());
    // An expectation of what there is not is a fault like any other.
    desk.keys("n ctrl-u");
    desk.type_text("2 expect steps/dek heard");
    desk.keys("enter");
    assert!(desk.page().contains("there is no sound steps/dek; steps/deck?"), "{}", desk.page());
}

#[test]
fn what_no_playthrough_comes_by_is_listed_first_marked_in_all_views_and_gone_to() {
    let mut desk = desk("seed 1\n0.5 send step\n2 end\n");
    assert!(!desk.page().contains("∅"));
    desk.keys("c");
    desk.poll_until("it is known", |app| app.coverage_is_current() && app.covered().is_some());
    let page = desk.page();
    for words in ["¶ Coverage", "▶ sounds", "∅ hull/groan", "∅ hull.struck"] {
        assert!(page.contains(words), "{words}: {page}");
    }
    assert!(!page.contains("steps/deck"), "{page}");
    // All of a kind, with where it is heard.
    desk.keys("home");
    while !desk.page().contains("▌▶ sounds") {
        desk.keys("down");
    }
    desk.keys("enter");
    assert!(desk.page().contains("steps/deck") && desk.page().contains("1 ×: walk 1"), "{}", desk.page());
    desk.keys("enter");
    assert!(!desk.page().contains("steps/deck"), "{}", desk.page());
    // To the sound, which is marked there; once a playthrough comes by it, it is not.
    desk.keys("down enter");
    assert!(desk.page().contains("∅  groan") && !desk.page().contains("∅  deck"), "{}", desk.page());
    desk.app.workspace.replace("a knock", FILE, "seed 1\n0.5 send step\n0.55 strain 0.9\n0.6 send hull.struck\n2 end\n");
    desk.app.compile();
    desk.poll_until("it is come by", |app| app.coverage_is_current() && !app.never_come_by("sounds", "hull/groan"));
    assert!(!desk.page().contains("∅  groan"), "{}", desk.page());
    desk.keys("9 c");
    assert!(desk.page().contains("¶ walk"), "{}", desk.page());
}
