//! The view as a value: keys in, texts and the page out.

use crate::workshop::view_tests::Desk;

/// A workshop with a stock; its files are those of the desk's project.
fn desk(stock: &str) -> Desk {
    let mut desk = Desk::new();
    desk.app.workspace.replace("a stock", "stock.csv", stock);
    desk.app.compile();
    desk.keys("7");
    desk
}

#[test]
fn an_item_is_made_set_wired_and_heard_before_it_is_made() {
    let mut desk = desk("");
    assert!(desk.page().contains("nothing is in the stock yet"), "{}", desk.page());
    desk.keys("n");
    desk.type_text("quay/bell");
    desk.keys("enter");
    assert!(desk.text("stock.csv").contains("\nquay/bell,one-shot,1,"), "{}", desk.text("stock.csv"));
    // What is wanted of it, at the right; what cannot be is said and stays open.
    desk.keys("right down down e ctrl-u");
    desk.type_text("many");
    desk.keys("enter");
    assert!(desk.page().contains("\"many\" is no number of variations"), "{}", desk.page());
    desk.keys("ctrl-u");
    desk.type_text("3");
    desk.keys("enter");
    assert!(desk.text("stock.csv").contains("quay/bell,one-shot,3,"), "{}", desk.text("stock.csv"));
    // Its sound, its event and the reaction; it sounds by what stands in for it.
    desk.keys("left W");
    assert!(desk.page().contains("quay.bell"), "{}", desk.page());
    desk.keys("enter");
    assert!(desk.text("reactions.est").contains("When quay.bell\n  play quay/bell at the emitter\n"), "{}", desk.text("reactions.est"));
    let page = desk.page();
    assert!(page.contains("When quay.bell") && page.contains("· 0/3") && page.contains("0 of 3: its placeholder sounds"), "{page}");
    assert!(desk.app.faults.is_empty(), "{:?}", desk.app.faults);
    desk.poll_until("it is loaded", |app| app.loading().is_none());
    desk.keys("p");
    desk.poll_until("it sounds", |app| app.rehearsal.log.iter().any(|line| line.text.contains("quay/bell")));
    // To its sound, whose takes say that they are placeholders.
    desk.keys("enter");
    assert!(desk.app.shows("Sounds") && desk.page().contains("bell_01.placeholder"), "{}", desk.page());
    desk.keys("7 u");
    assert!(desk.app.document().sounds.iter().all(|s| s.name != "quay/bell"));
}

#[test]
fn what_the_playthroughs_hear_of_an_item_is_told_while_coverage_is_shown() {
    let mut desk = desk("name\na\n");
    desk.app.workspace.replace("a walk", "playthroughs/walk.play", "seed 1\n0.5 send step\n1 send step\n2 end\n");
    desk.app.compile();
    assert!(!desk.page().contains("in the playthroughs"), "{}", desk.page());
    desk.keys("9 c");
    desk.poll_until("it is known", |app| app.coverage_is_current() && app.covered().is_some());
    desk.keys("7");
    // The file a.wav is played by the groan, which the walk never asks for.
    assert!(desk.page().contains("∅ in no playthrough"), "{}", desk.page());
    desk.app.workspace.replace("a knock", "playthroughs/walk.play", "seed 1\n0.4 strain 0.9\n0.5 send hull.struck\n0.9 send hull.struck\n3 end\n");
    desk.app.compile();
    desk.poll_until("it is heard", |app| app.coverage_is_current() && !app.never_come_by("sounds", "hull/groan"));
    assert!(desk.page().contains("heard 2 times in the playthroughs"), "{}", desk.page());
}

#[test]
fn many_are_edited_grouped_sorted_and_wired_at_once() {
    let mut desk = desk("name,kind,variations,person,budget\nquay/rope,one-shot,2,,4\nquay/bell,one-shot,1,Ada,7\nquay/air,bed,1,,\nmusic/drum,layer,1,Ben,\n");
    let page = desk.page();
    for words in ["¶ Stock 4 items", "everything", "to be made", "nobody yet", "Ada", "one-shot"] {
        assert!(page.contains(words), "{words}: {page}");
    }
    // Marked with x, all of them have a person by one edit; what is foreign stays.
    desk.keys("x x right");
    while !desk.page().contains("who makes it") {
        desk.keys("down");
    }
    desk.keys("e ctrl-u");
    desk.type_text("Cleo");
    desk.keys("enter");
    assert_eq!(
        desk.text("stock.csv"),
        "name,kind,variations,person,budget\nquay/rope,one-shot,2,Cleo,4\nquay/bell,one-shot,1,Cleo,7\nquay/air,bed,1,,\nmusic/drum,layer,1,Ben,\n"
    );
    desk.keys("left W");
    assert!(desk.page().contains("2 sounds are wired"), "{}", desk.page());
    assert!(desk.text("reactions.est").contains("When quay.rope\n") && desk.text("reactions.est").contains("When quay.bell\n"));
    desk.keys("u X X a");
    assert!(desk.text("stock.csv").contains("approved"), "{}", desk.text("stock.csv"));
    // A group, letters, another order.
    desk.click("Cleo                0/2");
    desk.keys("right");
    assert!(desk.page().contains("quay/bell") && !desk.page().contains("music/drum"), "{}", desk.page());
    desk.keys("/");
    desk.type_text("rop");
    desk.keys("enter");
    assert!(!desk.page().contains("quay/bell") && desk.page().contains("1 with \"rop\""), "{}", desk.page());
    desk.keys("esc >");
    let page = desk.page();
    assert!(page.contains("by name") && page.find("quay/bell") < page.find("quay/rope"), "{page}");
    // A retake has a note.
    desk.keys("t");
    desk.type_text("too wet");
    desk.keys("enter");
    assert!(desk.text("stock.csv").contains("retake") && desk.text("stock.csv").contains("too wet"), "{}", desk.text("stock.csv"));
    desk.keys("D");
    assert!(desk.page().contains("out of the stock:") && desk.page().contains("u brings it back"), "{}", desk.page());
    desk.keys("u");
    assert_eq!(desk.app.document().stock.items.len(), 4);
    // What belongs into a piece is not made a sound of.
    desk.click("layer               0/1");
    desk.keys("right W enter");
    assert!(desk.page().contains("music/drum is a layer: it belongs into a piece"), "{}", desk.page());
}

#[test]
fn how_far_a_large_stock_is_is_worked_out_aside_and_follows_each_edit() {
    let mut csv = "name,kind,variations\na,one-shot,1\n".to_owned();
    (0..400).for_each(|n| csv.push_str(&format!("far/thing{n},one-shot,2\n")));
    let mut desk = desk(&csv);
    assert!(desk.page().contains("¶ Stock 401 items"), "{}", desk.page());
    let known = crate::workshop::app::App::stock_is_known;
    desk.poll_until("it is known", known);
    // The file a.wav is there, and is played.
    assert!(desk.page().contains("Made 1 of 1") && desk.page().contains("played by"), "{}", desk.page());
    // A new item is there as soon as it was looked again, and is chosen.
    desk.keys("n");
    desk.type_text("far/more");
    desk.keys("enter");
    desk.poll_until("it is known", known);
    assert!(desk.page().contains("¶ Stock 402 items") && desk.page().contains("¶ far/more"), "{}", desk.page());
    desk.keys("u");
    desk.poll_until("it is known", known);
    assert!(desk.page().contains("¶ Stock 401 items"), "{}", desk.page());
}
