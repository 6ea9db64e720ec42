use super::*;
use crate::workshop::view_tests::Desk;

/// Types a text and enters it.
fn enter(desk: &mut Desk, text: &str) {
    desk.type_text(text);
    desk.keys("enter");
}

/// Goes where the finder leads.
fn find(desk: &mut Desk, text: &str) {
    desk.keys(":");
    enter(desk, text);
}

/// Goes to a field of the thing that is shown, by its name.
fn field(desk: &mut Desk, name: &str) {
    desk.keys("esc /");
    enter(desk, name);
    let chosen = desk.app.line_chosen();
    assert!(chosen.is_some_and(|(line, row)| matches!(line, FieldLine::Field(_)) && row.key == name), "no field {name}:\n{}", desk.page());
}

#[test]
fn a_parameter_is_made_and_set_by_keys_alone() {
    let mut desk = Desk::new();
    find(&mut desk, "new parameter");
    enter(&mut desk, "oxygen");
    assert_eq!(desk.app.thing_chosen().unwrap().whole_name(), "oxygen");
    for (name, text) in [("range", "0..100"), ("unit", "%"), ("default", "100"), ("rise", "2 s")] {
        field(&mut desk, name);
        desk.keys("e");
        enter(&mut desk, text);
    }
    let text = desk.text("game.toml");
    assert!(text.contains("[parameters.oxygen]\nrange = \"0..100\"\nunit = \"%\"\ndefault = \"100\"\nrise = \"2 s\"\n"), "{text}");
    // What cannot be stays in the line, with what is wrong.
    field(&mut desk, "rise");
    desk.keys("e");
    enter(&mut desk, "2 s and a half");
    assert!(desk.page().contains("rise of parameter oxygen") && !desk.text("game.toml").contains("half"), "{}", desk.page());
    desk.keys("esc");
    // A default is one key away.
    desk.keys("0");
    assert!(!desk.text("game.toml").contains("rise"));
}

#[test]
fn what_is_renamed_is_renamed_everywhere_and_what_undo_brings_back_is_chosen() {
    let mut desk = Desk::new();
    find(&mut desk, "fields of sound hull/groan");
    desk.keys("left r");
    for _ in 0.."groan".len() {
        desk.keys("backspace");
    }
    enter(&mut desk, "moan");
    for file in ["reactions.est", "modulation.toml", "sounds/all.toml"] {
        assert!(desk.text(file).contains("hull/moan") && !desk.text(file).contains("hull/groan"), "{}", desk.text(file));
    }
    assert!(desk.app.faults.is_empty());
    assert_eq!(desk.app.thing_chosen().unwrap().name(), "hull/moan");
    desk.keys("u");
    assert_eq!(desk.app.thing_chosen().unwrap().name(), "hull/groan");
    assert!(desk.text("reactions.est").contains("hull/groan"));
}

#[test]
fn deleting_says_first_what_names_it() {
    let mut desk = Desk::new();
    find(&mut desk, "fields of bus steps");
    desk.keys("left D");
    let page = desk.page();
    assert!(page.contains("2 places name it") && page.contains("bus = \"steps\"") && page.contains("bus steps level"), "{page}");
    desk.keys("n");
    assert!(desk.text("mix.toml").contains("[buses.steps]"));
    desk.keys("D y");
    assert!(!desk.text("mix.toml").contains("[buses.steps]"));
    assert!(desk.page().contains("bus steps is deleted; u brings it back"), "{}", desk.page());
    desk.keys("u");
    assert_eq!(desk.app.thing_chosen().unwrap().name(), "steps");
    // What nothing names goes at once.
    find(&mut desk, "new snapshot");
    enter(&mut desk, "loud");
    desk.keys("left D");
    assert!(!desk.text("mix.toml").contains("loud"), "{}", desk.text("mix.toml"));
}

#[test]
fn the_parts_of_a_list_are_added_moved_changed_and_taken_out() {
    let mut desk = Desk::new();
    find(&mut desk, "fields of state watch");
    let values = |desk: &Desk| {
        let text = desk.text("game.toml");
        text.lines().find(|l| l.starts_with("values")).unwrap().to_owned()
    };
    field(&mut desk, "values");
    desk.keys("n");
    enter(&mut desk, "busy");
    assert_eq!(values(&desk), r#"values = ["calm", "alarm", "busy"]"#);
    assert!(matches!(desk.app.line_chosen(), Some((FieldLine::Part(_, 2), _))), "the new one is chosen");
    desk.keys("K");
    assert_eq!(values(&desk), r#"values = ["calm", "busy", "alarm"]"#);
    assert!(matches!(desk.app.line_chosen(), Some((FieldLine::Part(_, 1), _))), "and stays so");
    desk.keys("e");
    enter(&mut desk, "busy-ish");
    assert_eq!(values(&desk), r#"values = ["calm", "busy-ish", "alarm"]"#);
    desk.keys("D");
    assert_eq!(values(&desk), r#"values = ["calm", "alarm"]"#);
}

#[test]
fn a_value_of_a_state_is_renamed_wherever_it_is_named() {
    let mut desk = Desk::new();
    let text = desk.text("reactions.est").to_string() + "\nWhen watch becomes alarm\n  play steps/deck\n";
    desk.app.workspace.replace("a reaction", "reactions.est", &text);
    desk.app.compile();
    find(&mut desk, "fields of state watch");
    field(&mut desk, "values");
    desk.keys("down down r");
    assert!(
        desk.page().contains("the value alarm of the state watch is called") || desk.page().contains("the value alarm of state watch is called"),
        "{}",
        desk.page()
    );
    enter(&mut desk, "danger");
    assert!(desk.text("game.toml").contains(r#"values = ["calm", "danger"]"#), "{}", desk.text("game.toml"));
    assert!(desk.text("reactions.est").contains("When watch becomes danger"), "{}", desk.text("reactions.est"));
    assert!(desk.page().contains("alarm is called danger now, and so it is at"), "{}", desk.page());
    desk.keys("u");
    assert!(desk.text("reactions.est").contains("becomes alarm") && desk.text("game.toml").contains("alarm"), "one undo brings all back");
}

#[test]
fn names_with_a_text_are_added_and_taken_out() {
    let mut desk = Desk::new();
    find(&mut desk, "fields of snapshot quiet");
    field(&mut desk, "hold");
    desk.keys("n");
    enter(&mut desk, "bus hull level: to -20 dB");
    assert!(desk.text("mix.toml").contains("\"bus hull level\" = \"to -20 dB\""), "{}", desk.text("mix.toml"));
    field(&mut desk, "hold.bus hull level");
    desk.keys("D");
    assert!(!desk.text("mix.toml").contains("-20 dB"));
}

#[test]
fn a_name_that_means_nothing_is_kept_only_if_it_is_entered_again() {
    let mut desk = Desk::new();
    find(&mut desk, "fields of sound steps/deck");
    field(&mut desk, "bus");
    desk.keys("e backspace backspace");
    desk.keys("enter");
    assert!(desk.page().contains("there is no bus ste") && desk.text("sounds/all.toml").contains("bus = \"steps\""), "{}", desk.page());
    desk.keys("enter");
    assert!(desk.text("sounds/all.toml").contains("bus = \"ste\""), "{}", desk.text("sounds/all.toml"));
}

#[test]
fn every_kind_is_made_from_the_finder_and_what_belongs_to_something_says_to_what() {
    let mut desk = Desk::new();
    find(&mut desk, "new zone");
    enter(&mut desk, "yard");
    for kind in KINDS.iter().filter(|kind| kind.several()) {
        let before = desk.app.workspace.things(kind).len();
        desk.keys("esc");
        desk.app.begin_new_thing(KINDS.iter().position(|k| k == kind).unwrap());
        if kind.named() {
            let page = desk.page();
            assert!(page.contains(&format!("new {}", kind.word)), "{page}");
            enter(&mut desk, if kind.names.is_some() { "deck" } else { "new-one" });
        }
        assert_eq!(desk.app.workspace.things(kind).len(), before + 1, "{}:\n{}", kind.word, desk.page());
        assert_eq!(desk.app.thing_chosen().map(|thing| thing.kind.word), Some(kind.word));
        desk.keys("esc u");
        assert_eq!(desk.app.workspace.things(kind).len(), before, "{}", kind.word);
    }
}

#[test]
fn all_fields_of_what_is_selected_in_a_view_are_a_key_away() {
    let mut desk = Desk::new();
    for (keys, called) in
        [("1 home", "parameter strain"), ("3 home", "sound hull/groan"), ("4 home", "piece deck"), ("4 tab", "section deck/low"), ("5 down", "bus ")]
    {
        desk.keys("esc");
        desk.keys(keys);
        desk.keys("ctrl-e");
        assert!(desk.app.shows(NAME));
        let thing = desk.app.thing_chosen().unwrap();
        assert!(desk.app.workspace.called(&thing).starts_with(called), "{keys}: {}", desk.app.workspace.called(&thing));
    }
}

#[test]
fn the_page_says_where_the_chosen_thing_is_named() {
    let mut desk = Desk::new();
    find(&mut desk, "fields of event step");
    let found = (0..400).find_map(|_| {
        std::thread::sleep(std::time::Duration::from_millis(5));
        Some(desk.page()).filter(|page| page.contains("1 line names event step"))
    });
    let page = found.unwrap_or_else(|| panic!("{}", desk.page()));
    assert!(page.contains("reactions.est:5") && page.contains("When step"), "{page}");
}

#[test]
fn what_can_be_moved_and_asked_is_completed_where_it_is_typed() {
    let mut desk = Desk::new();
    find(&mut desk, "new modulation");
    field(&mut desk, "moves");
    desk.keys("e");
    desk.type_text("steps/d");
    desk.keys("tab");
    desk.type_text(" lev");
    desk.keys("tab enter");
    assert!(desk.text("modulation.toml").contains("moves = \"steps/deck level\""), "{}", desk.page());
    find(&mut desk, "fields of snapshot quiet");
    field(&mut desk, "while");
    desk.keys("e");
    desk.type_text("wat");
    desk.keys("tab");
    desk.type_text(" is al");
    desk.keys("tab enter");
    assert!(desk.text("mix.toml").contains("while = [\"watch is alarm\"]"), "{}", desk.text("mix.toml"));
}
