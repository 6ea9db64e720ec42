//! Stories of the map: walking, entering, opening a door, drawing, measuring.

use crate::support::{Story, line};

/// The level of the first line of what sounds with these words.
fn heard(screen: &str, words: &[&str]) -> Option<f32> {
    let found = line(screen, words)?;
    let at = found.find(words[0])?;
    found[..at].split_whitespace().rev().find_map(|w| w.replace('−', "-").parse().ok())
}

#[test]
fn one_walks_from_the_quay_into_the_nave_and_everything_follows() {
    let story = Story::new("walk");
    story.open_demo();
    // The log may have gone past it by now: the bed is the quay's.
    story.wait_until("one is on the quay", |s| line(s, &["water/bed", "quay"]).is_some());
    story.keys(&["d", "Tab"]);
    story.wait_for("the arrows walk, 1.4 m/s");
    story.keys(&[")", ")", ")", ")"]);
    story.wait_for("you walk at 12 m/s");
    story.keys(&["Up"]);
    // What lasts is waited for: on a busy machine the log may have gone past the entering itself.
    story.wait_for("sealed-cabin");
    // Each press is a stride; the next one begins where it ends, however slow the machine is.
    let stride = |key: &str| {
        story.keys(&[key]);
        std::thread::sleep(std::time::Duration::from_millis(1000));
    };
    stride("Right");
    stride("Right");
    story.wait_until("the nave's snapshot", |s| {
        if !s.contains("under-the-vault") {
            stride("Up");
        }
        s.contains("under-the-vault")
    });
    story.wait_until("the bed is the nave's", |s| line(s, &["water/bed", "nave"]).is_some());
    story.keys(&["6", "/"]);
    story.type_text("tabor goes out");
    story.keys(&["Enter"]);
    story.wait_until("a layer that is not for churches went out", |s| line(s, &["tidewalk/tabor goes out"]).is_some());
}

#[test]
fn starting_inside_a_zone_is_entering_it() {
    let story = Story::new("inside");
    let project = story.home.path().join("inside");
    assert!(std::process::Command::new("cp").arg("-r").arg(Story::demo()).arg(&project).status().unwrap().success());
    let world = std::fs::read_to_string(project.join("world.toml")).unwrap();
    std::fs::write(project.join("world.toml"), world.replacen("start  = \"0, 0\"", "start  = \"12, 36\"", 1)).unwrap();
    story.open(&format!("'{}' --device none", project.display()));
    // The log may have gone past the entering itself; what comes of it is there.
    story.wait_for("under-the-vault 100 %");
    story.wait_until("the bed is the nave's", |s| line(s, &["water/bed", "nave"]).is_some());
}

#[test]
fn the_hatch_opens_by_its_parameter_and_the_boiler_comes_through() {
    let story = Story::new("hatch");
    story.open_demo();
    // Before the boiler house, in the street.
    story.keys(&["Tab", "p"]);
    story.wait_for("the arrows move the cross");
    story.keys(&["S-Right", "Up", "Up", "Up", "Up", "Up", "Up", "Up", "Up", "Up", "Up", "Up", "Up", "Up", "P", "Escape", "i"]);
    story.wait_for("sealed-cabin");
    let closed = story.wait_until("the boiler is heard through its wall", |s| heard(s, &["boiler/loop", "boiler"]).is_some_and(|v| v > -75.0));
    assert!(closed.contains("hatch-way 0 %"), "{closed}");
    std::thread::sleep(std::time::Duration::from_secs(2));
    let before = heard(&story.screen(), &["boiler/loop", "boiler"]).unwrap();
    story.keys(&[":"]);
    story.type_text("hatch");
    story.wait_for("parameter");
    story.keys(&["Enter", "e"]);
    story.wait_for("hatch is");
    story.type_text("1");
    story.keys(&["Enter"]);
    story.wait_for("hatch-way 100 %");
    story.wait_until("it comes through", |s| heard(s, &["boiler/loop", "boiler"]).is_some_and(|v| v > before + 6.0));
}

#[test]
fn a_zone_is_drawn_named_heard_and_taken_back() {
    let story = Story::new("draw");
    story.open_demo();
    story.keys(&["Tab", "p", "S-Left", "A"]);
    story.wait_for("add what and its name");
    story.type_text("zone crypt");
    story.keys(&["Enter"]);
    story.wait_for("drawing crypt");
    story.keys(&[
        "Right", "Right", "Right", "Right", "Right", "Enter", "Up", "Up", "Up", "Up", "Enter", "Left", "Left", "Left", "Left", "Left", "Enter", "Enter",
    ]);
    story.wait_for("crypt is in the world");
    story.wait_for("1 unsaved");
    story.keys(&["e"]);
    story.wait_for("crypt: field and value");
    story.type_text("ambience cable/hum");
    story.keys(&["Enter"]);
    story.wait_until("its field is shown", |s| line(s, &["ambience", "cable/hum"]).is_some());
    // Into its middle, and it is heard.
    story.keys(&["Right", "Right", "Down", "Down", "P"]);
    story.wait_until("its ambience plays", |s| line(s, &["cable/hum", "crypt"]).is_some());
    story.keys(&["u", "u"]);
    story.wait_for("undid zone crypt");
    story.wait_for("● saved");
}

#[test]
fn the_ruler_measures_and_what_is_chosen_shows_its_falloff() {
    let story = Story::new("ruler");
    story.open_demo();
    story.keys(&["Tab", "p", "\"", "Right", "Right", "Right", "Right"]);
    // From the listener to the cross, but from where it was set down: the ruler begins at the cross.
    story.wait_until("four columns are measured", |s| line(s, &[" 4.0 m "]).is_some());
    // To the terminal two escapes that are read together are one: the first has to have been seen.
    story.keys(&["Escape"]);
    story.wait_until("nothing is measured any more", |s| line(s, &[" 4.0 m "]).is_none());
    story.keys(&["Escape"]);
    story.wait_for("the arrows walk");
    story.keys(&[";"]);
    story.wait_until("something is chosen", |s| s.contains("m from you"));
    story.keys(&[":"]);
    story.type_text("thing cable");
    story.wait_for("thing cable");
    story.keys(&["Enter"]);
    story.wait_until("the falloff of the cable, with how far it is now", |s| line(s, &["Falloff", "at", "dB"]).is_some());
    story.keys(&[":"]);
    story.type_text("stand at nave");
    story.keys(&["Enter"]);
    // The log says so too, but for how long depends on what else begins.
    story.wait_until("he is in the nave", |s| s.contains("snapshot under-the-vault"));
    // Heights are figures.
    story.keys(&["PPage"]);
    story.wait_for("you, 1 m");
    story.keys(&["NPage"]);
    story.wait_until("on the ground again", |s| s.contains(" you") && !s.contains("you, 1 m"));
}

#[test]
fn an_emitter_is_moved_copied_and_deleted_with_the_keys() {
    let story = Story::new("move");
    story.open_demo();
    story.keys(&["Tab", ";"]);
    story.wait_until("the nearest thing is chosen", |s| s.contains("emitter, "));
    story.keys(&["K", "Right", "Right", "Enter"]);
    story.wait_for("1 unsaved");
    story.wait_until("the bell is a metre farther east", |s| line(s, &["at", "1, 2"]).is_some());
    story.keys(&["C"]);
    story.wait_for("bell-2 is a copy of bell");
    story.keys(&["X"]);
    story.wait_for("bell-2 is deleted");
    story.keys(&["u", "u", "u"]);
    story.wait_for("● saved");
}

#[test]
fn the_way_a_thing_falls_off_is_drawn_by_its_points() {
    let story = Story::new("falloff");
    story.open_demo();
    story.keys(&[":"]);
    story.type_text("thing lantern");
    story.wait_for("thing lantern");
    story.keys(&["Enter"]);
    story.wait_until("its falloff is shown", |s| line(s, &["Falloff", "at", "dB"]).is_some() && s.contains("lantern"));
    let heard = |s: &str| heard(s, &["streets/hiss", "lantern"]);
    let before = story.wait_until("it sounds", |s| heard(s).is_some_and(|v| v > -95.0));
    let before = heard(&before).unwrap();
    story.keys(&["Y"]);
    story.wait_until("its curve is there", |s| ["shared by", "distance", "points"].iter().all(|w| s.contains(w)));
    // The last point far up: what is far off is heard.
    story.keys(&["BTab"]);
    story.keys(&["Up"; 12]);
    story.wait_for("1 unsaved");
    story.keys(&["Escape"]);
    story.wait_until("it is louder from here", |s| heard(s).is_some_and(|v| v > before + 1.5));
    story.keys(&["u"; 12]);
    story.wait_for("● saved");
}

#[test]
fn the_mouse_chooses_drags_and_draws_on_the_map() {
    let story = Story::new("map-mouse");
    story.open_demo();
    let report = |kind: u8, (x, y): (usize, usize), end: char| story.type_text(&format!("\x1b[<{kind};{};{}{end}", x + 1, y + 1));
    let click = |at: (usize, usize)| {
        report(0, at, 'M');
        report(0, at, 'm');
    };
    // The mark stands two cells before its name.
    let screen = story.wait_until("the pump is on the map", |s| s.contains("◇ pump"));
    let row = screen.lines().position(|l| l.contains("◇ pump")).unwrap();
    let text = screen.lines().nth(row).unwrap();
    let column = text[..text.find("◇ pump").unwrap()].chars().count();
    click((column, row));
    story.wait_until("it is chosen", |s| line(s, &["¶ pump", "emitter"]).is_some());
    report(0, (column, row), 'M');
    report(32, (column + 3, row), 'M');
    report(32, (column + 5, row), 'M');
    report(0, (column + 5, row), 'm');
    story.wait_until("it stands farther east", |s| {
        line(s, &["at", "11, -6"]).is_some() || line(s, &["at", "11.5, -6"]).is_some() || line(s, &["at", "10.5, -6"]).is_some()
    });
    story.wait_for("unsaved");
    // A wall of two corners, by clicks.
    story.keys(&["p", "A"]);
    story.wait_for("add what and its name");
    story.type_text("wall pier");
    story.keys(&["Enter"]);
    story.wait_for("drawing pier");
    click((column - 12, row + 1));
    story.wait_for("drawing pier");
    click((column - 12, row + 1));
    story.wait_for("pier is in the world");
    story.wait_until("its ends are shown", |s| line(s, &["¶ pier", "wall"]).is_some() && line(s, &["line", ";"]).is_some());
}
