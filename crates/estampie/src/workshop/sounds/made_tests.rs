//! Takes that are made, as values: made from nothing, their controls by keys and mouse, drawings, presets, what each playing draws, what moves them.

use super::made::{Focus, PLAYINGS};
use crate::workshop::view_tests::Desk;
use estampie_engine::names::NameKey;
use ratatui::crossterm::event::{Event, KeyModifiers, MouseButton, MouseEvent, MouseEventKind};

/// A sound that is made, opened as it is when it has just been made.
fn made(kind: &str, name: &str) -> Desk {
    // With an instrument for what plays one.
    let lead = "[instrument.lead]\nkind = \"bells\"\n";
    let mut desk = Desk::with(|folder| {
        std::fs::create_dir_all(folder.join("music")).unwrap();
        std::fs::write(folder.join("music/lead.toml"), lead).unwrap();
    });
    desk.poll_until("all is loaded", |app| app.loading().is_none());
    desk.keys("3 N");
    desk.type_text(kind);
    desk.keys("enter ctrl-u");
    desk.type_text(name);
    desk.keys("enter");
    assert!(desk.app.sounds.made.is_some(), "{}", desk.page());
    desk.page();
    desk
}

fn shared(desk: &Desk, word: &str) -> String {
    let text = desk.text("shared.toml");
    text.lines().find(|l| l.trim_start().starts_with(word)).unwrap_or_default().trim().to_owned()
}

fn mouse(desk: &mut Desk, kind: MouseEventKind, (column, row): (u16, u16)) {
    desk.app.event(&Event::Mouse(MouseEvent { kind, column, row, modifiers: KeyModifiers::NONE }));
    desk.page();
}

/// Where some words begin on the page.
fn place_of(desk: &mut Desk, words: &str) -> (u16, u16) {
    let page = desk.page();
    let (row, line) = page.lines().enumerate().find(|(_, l)| l.contains(words)).unwrap_or_else(|| panic!("{words}:\n{page}"));
    (line[..line.find(words).unwrap()].chars().count() as u16, row as u16)
}

#[test]
fn a_sound_is_made_from_nothing_its_controls_set_and_all_is_undone() {
    let mut desk = made("wind, mast in a gale", "rig/gale");
    assert_eq!(shared(&desk, "preset"), "preset = \"mast in a gale\"");
    assert!(desk.text("sounds/rig.toml").contains("[\"rig/gale\"]\ntakes = [\"generator gale\"]"));
    let page = desk.page();
    assert!(page.contains("generator: wind, mast in a gale") && page.contains("speed") && page.contains("Spectrum"), "{page}");
    // The first control that is a number is chosen: a hundredth of its range by a key, a thousandth by another.
    desk.keys("right right shift-right");
    assert_eq!(shared(&desk, "speed"), "speed = \"22.8\"");
    desk.keys("down e ctrl-u");
    desk.type_text("140 %");
    desk.keys("enter");
    assert!(desk.page().contains("out of range"), "what cannot be is said: {}", desk.page());
    desk.keys("ctrl-u");
    desk.type_text("40 %");
    desk.keys("enter");
    assert_eq!(shared(&desk, "gustiness"), "gustiness = \"40 %\"");
    // Reset is what the preset says.
    desk.keys("0");
    assert_eq!(shared(&desk, "gustiness"), "");
    assert!(desk.page().contains("70 %"));
    desk.keys("esc");
    assert!(desk.app.sounds.made.is_none());
    for _ in 0..6 {
        desk.keys("u");
    }
    assert!(!desk.text("shared.toml").contains("gale"), "{}", desk.text("shared.toml"));
    assert!(desk.app.faults.is_empty(), "{:?}", desk.app.faults);
}

#[test]
fn what_is_typed_wrongly_is_asked_again_and_makes_nothing() {
    let mut desk = Desk::new();
    desk.keys("3 N");
    desk.type_text("winds");
    desk.keys("enter");
    assert!(desk.page().contains("there is no generator winds; wind?"), "{}", desk.page());
    desk.keys("ctrl-u");
    desk.type_text("wind");
    desk.keys("enter ctrl-u");
    desk.type_text("two words");
    desk.keys("enter");
    assert!(desk.page().contains("cannot be the name of a sound"), "{}", desk.page());
    desk.keys("esc");
    assert_eq!(desk.app.workspace.unsaved(), 0);
}

#[test]
fn a_path_is_bent_by_keys_and_the_mouse_and_grows_and_shrinks() {
    let mut desk = made("pass-by", "rope");
    let page = desk.page();
    assert!(page.contains("Path") && page.contains("Pace") && page.contains("Resonances"), "{page}");
    desk.keys("tab tab");
    assert_eq!(desk.app.sounds.made.as_ref().unwrap().focus, Focus::Point(0, 1));
    // Back and forth: the control that was chosen is chosen again.
    desk.keys("backtab backtab");
    assert_eq!(desk.app.sounds.made.as_ref().unwrap().focus, Focus::Control(2));
    desk.keys("tab tab right up");
    assert!(shared(&desk, "path").contains("\"-1.25 m, 1.25 m\""), "{}", shared(&desk, "path"));
    assert!(desk.page().contains("place 2: −1.25 m right, 1.25 m ahead"), "{}", desk.page());
    desk.keys("+");
    let count = |desk: &Desk| shared(desk, "path").matches(" m, ").count();
    assert_eq!(count(&desk), 6);
    desk.keys("- - - -");
    assert_eq!(count(&desk), 2, "a path keeps two places");
    desk.keys("-");
    assert!(desk.app.message.as_ref().unwrap().text.contains("no drawing"));
    // By the mouse: the chosen place is dragged.
    let at = place_of(&mut desk, "◆");
    mouse(&mut desk, MouseEventKind::Down(MouseButton::Left), at);
    mouse(&mut desk, MouseEventKind::Drag(MouseButton::Left), (at.0 + 6, at.1));
    mouse(&mut desk, MouseEventKind::Up(MouseButton::Left), (at.0 + 6, at.1));
    let before = shared(&desk, "path");
    desk.keys("u");
    assert_ne!(shared(&desk, "path"), before);
    // A resonance is dragged: its centre and its strength.
    let one = place_of(&mut desk, "Resonances");
    let dot = (one.1 + 1..one.1 + 12).find_map(|row| {
        let line: Vec<char> = desk.page().lines().nth(usize::from(row)).unwrap_or_default().chars().collect();
        (usize::from(one.0)..line.len()).find(|x| line[*x] == '1').map(|x| (x as u16, row))
    });
    let dot = dot.unwrap();
    mouse(&mut desk, MouseEventKind::Down(MouseButton::Left), dot);
    mouse(&mut desk, MouseEventKind::Drag(MouseButton::Left), (dot.0 + 8, dot.1 + 1));
    mouse(&mut desk, MouseEventKind::Up(MouseButton::Left), (dot.0 + 8, dot.1 + 1));
    assert_eq!(desk.app.workspace.undo_name(), Some("centre-1, strength-1 of generator rope"), "a drag is one edit");
    assert!(
        !shared(&desk, "centre-1").is_empty() && shared(&desk, "strength-1").contains('-'),
        "{} {}",
        shared(&desk, "centre-1"),
        shared(&desk, "strength-1")
    );
}

#[test]
fn a_pattern_is_clicked_and_keyed() {
    let mut desk = made("pulses, bilge pump", "pump");
    desk.keys("tab up");
    // X goes on to none, and from there to a pulse.
    assert_eq!(shared(&desk, "pattern"), "pattern = \".x.\"");
    desk.keys("+ up right right");
    assert_eq!(shared(&desk, "pattern").len(), "pattern = \".x..\"".len());
    desk.keys("0");
    assert_eq!(shared(&desk, "pattern"), "", "as its preset says again");
    let (x, y) = place_of(&mut desk, "Pattern");
    mouse(&mut desk, MouseEventKind::Down(MouseButton::Left), (x + 8, y + 1));
    assert!(shared(&desk, "pattern").starts_with("pattern"), "a click turns a step: {}", desk.text("shared.toml"));
}

#[test]
fn a_tune_is_made_by_keys_and_the_mouse_on_an_instrument_of_the_music() {
    let mut desk = made("notes, harpoon ready", "ready");
    let page = desk.page();
    assert!(page.contains("Tune") && page.contains("instrument") && page.contains("synth"), "{page}");
    desk.keys("tab up x");
    desk.app.message = None; // which goes by itself after a while, and hides the keys until then
    assert!(desk.page().contains("x none, note, accent, held"), "{}", desk.page());
    assert_eq!(shared(&desk, "tune"), "tune = \"2! 5!\"");
    desk.keys("+ x down right x x");
    assert_eq!(shared(&desk, "tune"), "tune = \"2! 1 .\"", "{}", desk.page());
    desk.keys("up");
    assert_eq!(shared(&desk, "tune"), "tune = \"2! 1 1\"", "a step without a note takes up the one before");
    desk.keys("left left - -");
    assert_eq!(shared(&desk, "tune"), "tune = \"1\"");
    desk.keys("x x");
    assert!(desk.app.message.as_ref().unwrap().text.contains("a note at least"));
    // The mouse: a third above the tonic, and away again.
    let (x, y) = place_of(&mut desk, "│  3  ");
    mouse(&mut desk, MouseEventKind::Down(MouseButton::Left), (x + 8, y));
    assert_eq!(shared(&desk, "tune"), "tune = \"1+3!\"", "{}", desk.page());
    mouse(&mut desk, MouseEventKind::Down(MouseButton::Left), (x + 8, y));
    assert_eq!(shared(&desk, "tune"), "tune = \"1!\"");
    desk.keys("e ctrl-u");
    desk.type_text("1 h");
    desk.keys("enter");
    assert!(desk.page().contains("is not a step of a tune"), "{}", desk.page());
    desk.keys("ctrl-u");
    desk.type_text("1 b3+5! - 1'");
    desk.keys("enter");
    assert_eq!(shared(&desk, "tune"), "tune = \"1 b3+5! - 1'\"");
    assert!(desk.page().contains('♭'), "{}", desk.page());
    // The instrument: one of the music's by its name, and a built-in one again by an arrow.
    let own = "lead";
    desk.keys("backtab up up e ctrl-u");
    desk.type_text(own);
    desk.keys("enter");
    assert_eq!(shared(&desk, "plays"), format!("plays = \"{own}\""));
    assert!(desk.page().contains(own) && desk.app.faults.is_empty(), "{:?}", desk.app.faults);
    desk.keys("right");
    assert_eq!((shared(&desk, "plays"), shared(&desk, "instrument")), (String::new(), "instrument = \"reed organ\"".to_owned()));
    desk.keys("enter");
    desk.poll_until("it is heard", |app| app.rehearsal.status.as_ref().is_some_and(|s| s.voices.iter().any(|v| v.take == NameKey::of("generator ready"))));
}

#[test]
fn a_control_is_drawn_each_time_and_moved_by_a_parameter() {
    let mut desk = made("tone", "lamp");
    desk.keys("v");
    desk.type_text("-2..2 st");
    desk.keys("enter");
    assert!(desk.text("shared.toml").contains("frequency = \"-2..2 st\""), "{}", desk.text("shared.toml"));
    assert!(desk.page().contains("varies −2..2 st"), "{}", desk.page());
    desk.keys("M");
    desk.type_text("nothing-such");
    desk.keys("enter");
    assert!(desk.page().contains("there is no parameter nothing-such"));
    desk.keys("ctrl-u");
    let parameter = desk.app.document().parameters[0].name.clone();
    desk.type_text(&parameter);
    desk.keys("enter");
    assert!(desk.text("modulation.toml").contains("moves  = \"generator lamp frequency\""), "{} {}", desk.text("modulation.toml"), desk.page());
    desk.keys("esc");
    assert!(desk.page().contains(&format!("by {parameter}")), "{}", desk.page());
    assert!(desk.app.faults.is_empty(), "{:?}", desk.app.faults);
    // What is a word, or fixed, cannot.
    desk.keys("up v");
    assert!(desk.app.message.as_ref().unwrap().text.contains("only controls that can be moved"));
}

#[test]
fn presets_follow_each_other_and_a_blip_has_another_like_it() {
    let mut desk = made("blip", "key");
    desk.keys(">");
    assert_eq!(shared(&desk, "preset"), "preset = \"accepted\"");
    desk.keys("> < <");
    assert_eq!(shared(&desk, "preset"), "");
    desk.keys("<");
    assert_eq!(shared(&desk, "preset"), "preset = \"bolt\"", "round the other way");
    desk.keys("b b");
    assert_eq!(shared(&desk, "another"), "another = \"2\"");
    desk.poll_until("it is heard", |app| app.rehearsal.status.as_ref().is_some_and(|s| s.voices.iter().any(|v| v.take == NameKey::of("generator key"))));
}

#[test]
fn twenty_playings_are_shown_and_follow_what_is_set() {
    let mut desk = made("modal", "plate");
    desk.poll_until("they are worked out", |app| app.sounds.made.as_ref().unwrap().strip.is_some());
    let strip = |desk: &Desk| {
        let strip = desk.app.sounds.made.as_ref().unwrap().strip.as_ref().unwrap();
        (strip.playings.len(), strip.seconds, strip.peaks.clone())
    };
    let (count, seconds, peaks) = strip(&desk);
    assert_eq!(count, PLAYINGS);
    assert!(peaks.windows(2).any(|w| (w[0] - w[1]).abs() > 0.1), "no two strokes are alike: {peaks:?}");
    assert!(desk.page().contains(&format!("each over {seconds:.2} s")));
    // A shorter ring is seen.
    desk.keys("down e ctrl-u");
    desk.type_text("100 ms");
    desk.keys("enter");
    desk.poll_until("they are shorter", |app| app.sounds.made.as_ref().unwrap().strip.as_ref().is_some_and(|s| s.seconds < seconds / 2.0));
}

#[test]
fn what_goes_on_for_ever_is_started_and_stopped_by_the_same_key() {
    let mut desk = made("hum, trawler", "boat");
    let sounds = |app: &crate::workshop::app::App| {
        app.rehearsal.status.as_ref().is_some_and(|s| s.voices.iter().any(|v| v.take == NameKey::of("generator boat") && !v.leaving))
    };
    desk.keys("enter");
    desk.poll_until("it sounds", sounds);
    desk.keys("enter");
    desk.poll_until("it is let go", |app| !sounds(app));
    // Another sound closes it.
    desk.app.sounds.selected = desk.app.document().sounds.first().unwrap().name.clone();
    desk.poll_until("it is closed", |app| app.sounds.made.is_none());
}
