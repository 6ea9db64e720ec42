//! Open notes, as values: lines made from nothing, notes put by degrees, by the mouse and as on a piano, and what is done with many.

use crate::midi::tests::Made;
use crate::midi::{MidiIn, Wanted};
use crate::workshop::played::PlayedIn;
use crate::workshop::view_tests::Desk;
use estampie_engine::music::exact::Beats;
use estampie_project::midi::{ScoreFile, ScoreNote};
use ratatui::crossterm::event::{Event, KeyModifiers, MouseButton, MouseEvent, MouseEventKind};

const FILE: &str = "music/deck-low.mid";

/// A new line in the section `low`, opened.
fn line(what: &str) -> Desk {
    let mut desk = Desk::with(|folder| {
        let path = folder.join("music/deck.toml");
        let text = std::fs::read_to_string(&path).unwrap();
        std::fs::write(path, text.replace("tempo = \"120\"\n", "tempo = \"120\"\nkey = \"D dorian\"\n")).unwrap();
    });
    desk.poll_until("all is loaded", |app| app.loading().is_none());
    desk.keys("4 tab E");
    desk.type_text(what);
    desk.keys("enter");
    assert!(desk.app.music.score.is_some(), "{}", desk.page());
    desk
}

fn all(desk: &Desk, track: &str) -> Vec<ScoreNote> {
    let file = ScoreFile::of_text(&desk.text(FILE)).unwrap();
    file.notes(file.track(track).unwrap())
}

/// Position in sixteenths, pitch, length in sixteenths.
fn notes(desk: &Desk) -> Vec<(i64, u8, i64)> {
    let sixteenths = |b: Beats| (b * 4).to_integer();
    all(desk, "tune").iter().map(|n| (sixteenths(n.at), n.pitch, sixteenths(n.length))).collect()
}

#[test]
fn a_line_is_made_written_by_degrees_and_undone_note_by_note() {
    let mut desk = line("tune, reed");
    assert!(desk.text("music/deck.toml").contains("[instrument.reed]\nkind = \"reed\""), "{}", desk.text("music/deck.toml"));
    assert!(desk.page().contains("tune in low") && desk.page().contains("D dorian"), "{}", desk.page());
    // D F A, a rest, and the D above: the nearest of each.
    desk.keys("1 3 5 0 1");
    assert_eq!(notes(&desk), [(0, 62, 1), (1, 65, 1), (2, 69, 1), (4, 74, 1)]);
    desk.keys("u");
    assert_eq!(notes(&desk).len(), 3, "one by one");
    desk.keys("ctrl-r");
    assert_eq!(notes(&desk).len(), 4);
    // Longer, slurred, taken back; a chord of degrees.
    desk.keys("left + +");
    assert_eq!(notes(&desk)[3], (4, 74, 3));
    desk.keys("s");
    assert_eq!(notes(&desk), [(0, 62, 1), (1, 65, 1), (2, 69, 2), (4, 74, 28)], "each lasts until the next, the last to the end");
    desk.keys("backspace backspace");
    assert_eq!(notes(&desk).len(), 3);
    desk.keys("home C 1");
    assert_eq!(notes(&desk).iter().filter(|n| n.0 == 0).map(|n| n.1).collect::<Vec<_>>(), [62, 74, 77, 81], "from where the hands were, an octave up");
    assert!(desk.app.faults.is_empty(), "{:?}", desk.app.faults);
    desk.keys("ctrl-s");
    let read = estampie_project::midi::Score::read(&std::fs::read(desk.path(FILE)).unwrap()).unwrap();
    assert_eq!(read.tracks[0].notes, all(&desk, "tune"));
}

#[test]
fn strokes_of_a_drum_are_put_on_its_grid_accented_and_split() {
    let mut desk = line("beat, frame drum");
    let strokes = |desk: &Desk| all(desk, "beat").iter().map(|n| ((n.at * 16).to_integer(), n.velocity)).collect::<Vec<_>>();
    desk.keys("enter right right enter a");
    assert_eq!(strokes(&desk), [(0, 90), (8, 120)]);
    desk.keys("r");
    assert_eq!(strokes(&desk), [(0, 90), (8, 120), (10, 120)]);
    desk.keys("r");
    // Three strokes in a sixteenth, to the tick.
    assert_eq!(all(&desk, "beat").iter().map(|n| n.at).collect::<Vec<_>>(), [Beats::from_integer(0), Beats::new(1, 2), Beats::new(7, 12), Beats::new(2, 3)]);
    assert!(desk.page().contains('3'), "so many are shown");
    desk.keys("r r");
    assert_eq!(strokes(&desk), [(0, 90), (8, 120)], "after four it is one again");
    // A number means a degree, and a drum has none.
    desk.keys("3");
    assert!(desk.page().contains("a drum has no degrees"), "{}", desk.page());
    desk.keys("enter");
    assert_eq!(strokes(&desk), [(0, 90)], "and again takes it");
}

#[test]
fn what_is_selected_is_copied_moved_turned_and_thinned() {
    let mut desk = line("tune, reed");
    desk.keys("1 2 3 4");
    let first = notes(&desk);
    // The four, once more behind themselves.
    desk.keys("home m right right right d");
    assert_eq!(notes(&desk)[4..], first.iter().map(|(at, pitch, long)| (at + 4, *pitch, *long)).collect::<Vec<_>>());
    // A step of the scale up, an octave down; a sixteenth later.
    desk.keys("home m right right right K {");
    assert_eq!(notes(&desk)[..4].iter().map(|n| n.1).collect::<Vec<_>>(), [52, 53, 55, 57]);
    desk.keys("} J i");
    assert_eq!(notes(&desk)[..4].iter().map(|n| n.1).collect::<Vec<_>>(), [62, 60, 59, 57], "down instead of up, in the mode");
    desk.keys("esc w");
    assert_eq!(notes(&desk).iter().map(|n| n.0).collect::<Vec<_>>(), [0, 2, 4, 6], "without the weakest sixteenths");
    desk.keys("V ctrl-u");
    desk.type_text("40..100");
    desk.keys("enter");
    assert_eq!(all(&desk, "tune").iter().map(|n| n.velocity).collect::<Vec<_>>(), [40, 60, 80, 100]);
    let before = notes(&desk);
    desk.keys("y");
    let other = all(&desk, "tune");
    desk.keys("u");
    assert_eq!(notes(&desk), before);
    desk.keys("y");
    assert_ne!(all(&desk, "tune"), other, "each time another one");
    // From the wrong side, nothing is lost.
    desk.keys("A <");
    assert!(desk.app.faults.is_empty());
}

#[test]
fn chords_make_a_bass_that_goes_along_by_a_state() {
    let mut desk = line("tune, synth");
    desk.keys("b");
    desk.type_text("bass");
    desk.keys("enter");
    assert!(desk.page().contains("no chords yet"), "{}", desk.page());
    desk.keys("esc h");
    desk.type_text("1: Dm; 2: calm");
    desk.keys("enter");
    assert!(desk.page().contains("no chord at a bar"), "{}", desk.page());
    desk.keys("ctrl-u");
    desk.type_text("1: Dm; 2: C");
    desk.keys("enter b ctrl-u");
    desk.type_text("bass");
    desk.keys("enter");
    assert_eq!(notes(&desk), [(0, 62, 8), (8, 69, 8), (16, 60, 8), (24, 67, 8)]);
    desk.keys("f h ctrl-u");
    desk.type_text("watch is alarm: 1: Gm; 2: A");
    desk.keys("enter");
    assert!(desk.text("music/deck.toml").contains("follow-chords = \"root\""));
    assert!(desk.app.faults.is_empty(), "{:?}", desk.app.faults);
    assert!(desk.page().contains("alarm       Gm A") && desk.page().contains("follows by root"), "{}", desk.page());
    let pitches = &desk.app.program().music.notes[0].pitches;
    assert_eq!(pitches, &[vec![vec![67, 74, 57, 64]]], "over G minor and A");
    // Nearest, then not at all.
    desk.keys("f f");
    assert!(!desk.text("music/deck.toml").contains("follow-chords"));
}

#[test]
fn letters_are_a_piano_step_by_step_and_in_time() {
    let mut desk = line("tune, reed");
    desk.keys("k a s d");
    assert_eq!(notes(&desk).iter().map(|n| n.1).collect::<Vec<_>>(), [60, 62, 64]);
    desk.keys("x w z");
    assert_eq!(notes(&desk)[3], (3, 73, 1), "an octave up, the black key");
    desk.keys("backspace");
    assert_eq!(notes(&desk).len(), 3);
    desk.keys("tab h");
    assert!(desk.page().contains("nothing plays this section"), "{}", desk.page());
    desk.keys("esc p k tab");
    desk.poll_until("it plays", |app| app.played_at().is_some_and(|at| at > Beats::new(1, 4)));
    desk.keys("h");
    let played = all(&desk, "tune").into_iter().find(|n| n.pitch == 69).unwrap();
    assert!((played.at * 4).is_integer(), "on a sixteenth: {}", played.at);
    desk.keys("esc");
    assert_eq!(desk.app.music.score.as_ref().unwrap().entry, super::Entry::Off);
}

/// A keyboard on the desk.
fn keyboard(desk: &mut Desk) -> Made {
    let keyboard = Made::with(&["keys"]);
    desk.app.played = PlayedIn::new(MidiIn::begin(Box::new(keyboard.clone()), Wanted::All));
    desk.poll_until("it is found", |app| app.message.as_ref().is_some_and(|m| m.text.contains("MIDI: keys can be played")));
    keyboard
}

#[test]
fn keys_of_a_midi_device_are_heard_put_step_by_step_with_their_velocities_and_played_in_time() {
    let mut desk = line("tune, reed");
    let keyboard = keyboard(&mut desk);
    // Without the piano they are only heard, as long as they are held.
    keyboard.play(&[0x90, 60, 100]);
    let sounds = |app: &crate::workshop::app::App| app.rehearsal.status.as_ref().is_some_and(|s| !s.voices.is_empty());
    desk.poll_until("it is heard", sounds);
    keyboard.play(&[0x80, 60, 0]);
    desk.poll_until("it is let go", |app| !sounds(app));
    assert!(notes(&desk).is_empty());
    // Step by step: a chord while keys are held, then on.
    desk.keys("k");
    for bytes in [[0x90, 60, 100], [0x90, 64, 40], [0x80, 60, 0], [0x80, 64, 0], [0x90, 67, 90], [0x90, 67, 0]] {
        keyboard.play(&bytes);
    }
    desk.poll_until("all has come", |app| app.music.score.as_ref().is_some_and(|s| s.at == Beats::new(1, 2)));
    assert_eq!(notes(&desk), [(0, 60, 1), (0, 64, 1), (1, 67, 1)]);
    assert_eq!(all(&desk, "tune").iter().map(|n| n.velocity).collect::<Vec<_>>(), [100, 40, 90]);
    // What is held is let go when it comes up, whatever is open by then.
    desk.keys("esc");
    keyboard.play(&[0x90, 50, 100]);
    desk.poll_until("it is heard", sounds);
    desk.keys("esc");
    assert!(desk.app.music.score.is_none());
    keyboard.play(&[0x80, 50, 0]);
    desk.poll_until("it is let go", |app| !sounds(app));
    desk.keys("tab E k");
    // In time: on the step, and as long as it was held.
    desk.keys("esc p k tab");
    desk.poll_until("it plays", |app| app.played_at().is_some_and(|at| at > Beats::new(1, 4)));
    keyboard.play(&[0x90, 72, 77]);
    desk.poll_until("it is down", |app| app.played.down.len() == 1);
    let down = desk.app.played_at().unwrap();
    desk.poll_until("a while passes", |app| app.played_at().is_some_and(|at| at < down || at - down > Beats::new(9, 10)));
    keyboard.play(&[0x80, 72, 0]);
    desk.poll_until("it is up", |app| app.played.down.is_empty());
    let played = all(&desk, "tune").into_iter().find(|n| n.pitch == 72).unwrap();
    assert!((played.at * 4).is_integer() && played.velocity == 77, "{played:?}");
    assert!(played.length >= Beats::new(3, 4) && (played.length * 4).is_integer(), "{}", played.length);
}

#[test]
fn notes_are_put_by_clicks_made_longer_by_a_drag_and_chances_are_typed() {
    let mut desk = line("tune, reed");
    let page = desk.page();
    let row = page.lines().position(|l| l.contains(" D4 ")).unwrap_or_else(|| panic!("{page}"));
    let line = page.lines().nth(row).unwrap();
    let first = line.chars().position(|c| c == '│').map(|at| line.chars().skip(at + 1).position(|c| c == '│' || c == '▌').unwrap() + at + 1).unwrap() as u16;
    let mouse = |desk: &mut Desk, kind, column: u16| {
        desk.app.event(&Event::Mouse(MouseEvent { kind, column, row: row as u16, modifiers: KeyModifiers::NONE }));
        desk.page();
    };
    // Cells of a step, told from where the second bar is.
    let wide = (line.chars().skip(usize::from(first) + 1).position(|c| c == '│').unwrap() as u16 + 1) / 16;
    mouse(&mut desk, MouseEventKind::Down(MouseButton::Left), first + 2 * wide);
    mouse(&mut desk, MouseEventKind::Drag(MouseButton::Left), first + 5 * wide);
    mouse(&mut desk, MouseEventKind::Up(MouseButton::Left), first + 5 * wide);
    assert_eq!(notes(&desk), [(2, 62, 4)]);
    desk.keys("%");
    desk.keys("ctrl-u");
    desk.type_text("40 %");
    desk.keys("enter");
    assert!(desk.text("music/deck.toml").contains("chances = [\"1.1 1/2 D4: 40 %\"]"), "{}", desk.text("music/deck.toml"));
    assert!(desk.page().contains("played 40 % of the time"), "{}", desk.page());
    // Another line, and back; the other is behind it.
    desk.keys("n");
    desk.type_text("second, reed");
    desk.keys("enter");
    assert!(desk.page().contains("second in low") && desk.page().contains('░'), "{}", desk.page());
    desk.keys("tab");
    assert!(desk.page().contains("tune in low"));
    // A variation of its own: drawn until something chooses.
    desk.keys("N");
    assert!(desk.page().contains("tune-2 in low") && desk.page().contains("2, drawn each round"), "{}", desk.page());
    desk.keys("S ctrl-u");
    desk.type_text("99 %");
    desk.keys("enter");
    assert!(desk.page().contains("not a swing"), "{}", desk.page());
    desk.keys("ctrl-u");
    desk.type_text("62 %, sixteenths");
    desk.keys("enter");
    assert!(desk.text("music/deck.toml").contains("swing = \"62 %, sixteenths\""));
}

#[test]
fn what_plays_is_opened_set_by_keys_and_the_mouse_and_shown() {
    let mut desk = line("tune, reed organ");
    let written = |desk: &Desk, word: &str| desk.text("music/deck.toml").lines().find(|l| l.starts_with(word)).map(str::to_owned);
    desk.keys("o");
    desk.poll_until("its picture is there", |app| app.music.score.as_ref().is_some_and(|s| s.player.as_ref().is_some_and(super::player::Player::has_picture)));
    let page = desk.page();
    assert!(["reed organ", "Scope", "Spectrum", "A note", "brightness"].iter().all(|w| page.contains(w)), "{page}");
    // Down to the brightness: three hundredths of its range by a key, one with shift.
    desk.keys("down down down down down down right shift-right shift-right");
    assert_eq!(written(&desk, "brightness").as_deref(), Some("brightness = \"55 %\""));
    desk.keys("0");
    assert_eq!(written(&desk, "brightness"), None, "as the kind says");
    desk.keys("e ctrl-u");
    desk.type_text("140 %");
    desk.keys("enter");
    assert!(desk.page().contains("140 % is too much"), "{}", desk.page());
    desk.keys("ctrl-u");
    desk.type_text("20 %");
    desk.keys("enter");
    assert_eq!(written(&desk, "brightness").as_deref(), Some("brightness = \"20 %\""));
    desk.click("attack");
    desk.keys("right");
    assert!(written(&desk, "attack").is_some());
    desk.keys("up up right enter");
    assert!(desk.text("music/deck.toml").contains("kind = \"struck bar\""), "{}", desk.text("music/deck.toml"));
    desk.keys("esc 1");
    assert_eq!(notes(&desk).len(), 1, "closed: a number is a degree again");
    assert!(desk.app.faults.is_empty());
}

#[test]
fn no_key_panics_whatever_the_size_and_what_is_gone_is_left() {
    for size in [(160, 47), (80, 24), (20, 5), (220, 66)] {
        let mut desk = line("tune, reed");
        desk.size = size;
        for (key, _) in super::help().iter().chain(&[("1".to_owned(), String::new())]) {
            let name = match key.as_str() {
                "←" => "left",
                "→" => "right",
                "↑" => "up",
                "↓" => "down",
                "1 … 7" => "5",
                key if key.starts_with("shift-") => "page-down",
                key => key,
            };
            desk.keys(name);
            desk.keys("esc");
            if desk.app.music.score.is_none() {
                desk.keys("E");
            }
        }
        assert!(!desk.page().is_empty());
    }
    let mut desk = line("tune, reed");
    desk.keys("1 u u");
    desk.poll_until("it is closed", |app| app.music.score.is_none());
    assert!(desk.app.faults.is_empty());
}

#[test]
fn every_key_of_open_notes_is_in_the_manual() {
    let manual = include_str!("../../../../../../docs/keys.md");
    for (shown, words) in super::help() {
        assert!(manual.contains(&format!("| `{shown}` | {words} |")), "{shown} is not in docs/keys.md: {words}");
    }
}

#[test]
fn recordings_of_an_instrument_are_added_moved_over_keys_and_velocities_and_taken_away() {
    let mut desk = line("tune, reed");
    let takes = |desk: &Desk| {
        let text = desk.text("music/deck.toml");
        text.lines().find(|l| l.trim_start().starts_with("takes")).map(str::trim).unwrap_or_default().to_owned()
    };
    desk.keys("o +");
    desk.type_text("audio/a.wav");
    desk.keys("enter");
    assert!(desk.page().contains("is not a take of an instrument"), "without a pitch it is none: {}", desk.page());
    desk.keys("ctrl-u");
    desk.type_text("audio/a.wav, D3");
    desk.keys("enter +");
    desk.type_text("audio/b.wav, D3, C2..C4, velocity 90..127");
    desk.keys("enter");
    assert_eq!(takes(&desk), "takes = [\"audio/a.wav, D3\", \"audio/b.wav, D3, C2..C4, velocity 90..127\"]", "{}", desk.text("music/deck.toml"));
    desk.poll_until("both are loaded", |app| app.program().music.instruments.iter().any(|i| i.takes.len() == 2));
    let page = desk.page();
    assert!(page.contains("Recordings") && page.contains("b.wav") && page.contains("D3 C2–C4 90–127"), "{page}");
    // A harder stroke plays the other one; above its keys the first stands in.
    let instrument = desk.app.program().music.instruments.iter().find(|i| i.takes.len() == 2).unwrap().clone();
    assert_eq!([(50.0, 60), (50.0, 100), (80.0, 100)].map(|(pitch, velocity)| instrument.zone(pitch, velocity, 3)), [Some(0), Some(1), Some(0)]);
    // Down to the second one: its highest key, its lowest, its velocities.
    for _ in 0..20 {
        desk.keys("down");
    }
    desk.keys("left left shift-right {");
    assert!(takes(&desk).contains("audio/b.wav, D3, C♯2..B♭3, velocity 90..122"), "{}", takes(&desk));
    desk.keys("e ctrl-u");
    desk.type_text("audio/b.wav, E3");
    desk.keys("enter");
    assert!(takes(&desk).ends_with("\"audio/b.wav, E3\"]"), "{}", takes(&desk));
    desk.keys("- -");
    assert!(takes(&desk).is_empty() && desk.text("music/deck.toml").contains("kind = \"synth\""), "{}", desk.text("music/deck.toml"));
    desk.keys("u u");
    assert!(takes(&desk).contains("b.wav, E3"));
    assert!(desk.app.faults.is_empty(), "{:?}", desk.app.faults);
}
