//! Stories of open notes: music that is made in the workshop, by the keys that a designer would press.

use crate::support::{Story, line, run};
use std::cell::Cell;

/// Presses keys and counts them.
struct Hands<'a> {
    story: &'a Story,
    pressed: Cell<usize>,
}

impl Hands<'_> {
    fn keys(&self, keys: &[&str]) {
        self.pressed.set(self.pressed.get() + keys.len());
        self.story.keys(keys);
    }

    fn type_text(&self, text: &str) {
        self.pressed.set(self.pressed.get() + text.chars().count());
        self.story.type_text(text);
    }

    /// An answer to what is asked.
    fn answer(&self, asked: &str, text: &str) {
        self.story.wait_for(asked);
        self.type_text(text);
        self.keys(&["Enter"]);
    }
}

#[test]
fn from_an_empty_project_to_a_loop_of_four_parts_with_one_that_the_game_fades_in() {
    let story = Story::new("notes");
    let folder = story.home.path().join("fight");
    assert!(run(&["new", &folder.display().to_string()]).status.success());
    story.open(&format!("'{}' --device none", folder.display()));
    story.wait_for("1 Stage");
    let hands = Hands { story: &story, pressed: Cell::new(0) };
    // What the game tells.
    hands.keys(&[":"]);
    hands.type_text("new param");
    story.wait_for("new parameter");
    hands.keys(&["Enter"]);
    hands.answer("its name", "boss");
    // A piece of eight bars, and a beat on the drum set.
    hands.keys(&["4", "n"]);
    hands.answer("new piece", "fight");
    story.wait_for("8 bars");
    hands.keys(&["Tab", "E"]);
    hands.answer("new notes in a", "beat, drum set");
    story.wait_until("the grid is there", |s| s.contains("beat in a") && s.contains("snare"));
    hands.keys(&["Enter", "Right", "Right", "Right", "Right", "Up", "Up", "Enter", "Right", "Right", "Right", "Right", "Down", "Down", "Enter"]);
    hands.keys(&["Right", "Right", "Right", "Right", "Up", "Up", "Enter", "d", "v", "v", "v", "v", "v", "v"]);
    story.wait_for("32 notes · 8 bars");
    // The key, the chords, and what can be made of them.
    hands.keys(&["n"]);
    hands.answer("new notes in a", "bass, plucked bass");
    story.wait_for("bass in a");
    hands.keys(&["t"]);
    hands.answer("key of fight", "D dorian");
    story.wait_until("it has a key", |s| s.contains("plucked-bass · D dorian"));
    hands.keys(&["S-Down", "S-Down", "h"]);
    hands.answer("chords", "1: Dm; 3: C; 5: F; 7: C");
    hands.keys(&["b"]);
    hands.answer("make from the chords", "bass");
    story.wait_for("16 notes · 8 bars");
    hands.keys(&["n"]);
    hands.answer("new notes in a", "pad, voices");
    story.wait_for("pad in a");
    hands.keys(&["b"]);
    hands.answer("make from the chords", "pad");
    story.wait_for("12 notes · 8 bars");
    // The boss: a tune by degrees.
    hands.keys(&["n"]);
    hands.answer("new notes in a", "boss, synth");
    story.wait_for("boss in a");
    hands.keys(&["1", "3", "5", "3", "2", "4", "6", "4", "d", "v", "v", "v", "v", "v", "v"]);
    story.wait_for("64 notes · 8 bars");
    // It comes in while the game says so.
    hands.keys(&["Escape"]);
    story.wait_for("♩ 120");
    hands.keys(&["Down", "Down", "Down", "Down", "C-e"]);
    story.wait_for("layer fight/a/boss");
    hands.keys(&["End", "Up", "Up", "Up", "Up", "Up", "Up", "Up", "e"]);
    hands.answer("when of layer", "boss over 0.5");
    hands.keys(&["4", "Up", "Up", "Up", "Up", "Enter"]);
    story.wait_until("it plays without the boss", |s| line(s, &["beat", "■"]).is_some() && line(s, &["♪ fight a"]).is_some());
    // And an effect from the same synth.
    hands.keys(&["3", "N"]);
    hands.answer("without a file", "notes");
    story.wait_for("is called");
    hands.keys(&["Enter"]);
    story.wait_for("generator: notes");
    hands.keys(&["Up", "Up", "e", "C-u"]);
    hands.answer("instrument of notes", "synth");
    story.wait_until("it is on the synth of the music", |s| line(s, &["instrument", "synth"]).is_some());
    hands.keys(&["Enter", "C-s"]);
    story.wait_for("saved");
    let pressed = hands.pressed.get();
    assert!(pressed <= 250, "{pressed} keys");
    eprintln!("{pressed} keys");
    let out = |s: &str| line(s, &["boss", "□"]).is_some();
    story.keys(&["4"]);
    story.wait_until("the boss is out", out);
    // The game says so: it fades in.
    story.keys(&["1"]);
    story.wait_until("the Stage is there", |s| line(s, &["boss", "0"]).is_some());
    story.keys(&["Down", "e"]);
    story.wait_for("boss is");
    story.type_text("1");
    story.keys(&["Enter", "4"]);
    story.wait_until("the boss is in", |s| !out(s) && line(s, &["boss", "■"]).is_some());
    // What stands on disk is heard the same without the workshop, and other programs open it.
    let checked = run(&["check", &folder.display().to_string()]);
    assert!(checked.status.success(), "{}", crate::support::out(&checked));
    let shared = std::fs::read_to_string(folder.join("shared.toml")).unwrap();
    assert!(shared.contains("plays") && shared.contains("\"synth\""), "{shared}");
    let wave = folder.join("effect.wav");
    let rendered = run(&["render-take", &folder.display().to_string(), "made/notes", "-o", &wave.display().to_string()]);
    assert!(rendered.status.success() && std::fs::metadata(&wave).unwrap().len() > 20_000, "{}", crate::support::out(&rendered));
    let probed = crate::support::out(&run(&["probe", &folder.join("music/fight-a.mid").display().to_string()]));
    assert!(["beat", "bass", "pad", "boss"].iter().all(|track| probed.contains(track)), "{probed}");
}

#[test]
fn notes_of_the_demo_are_opened_changed_undone_and_a_change_from_outside_is_taken_in() {
    let story = Story::new("notes-demo");
    story.open_demo();
    story.keys(&["4"]);
    story.wait_for("¶ Pieces");
    story.keys(&["Down", "Down", "Tab", "Down", "E"]);
    let screen = story.wait_until("they are open", |s| s.contains("¶ Lines of") && s.contains("notes ·"));
    let before = screen.lines().find(|l| l.contains("notes ·")).unwrap().trim().to_owned();
    story.keys(&["w"]);
    story.wait_until("thinner", |s| s.contains("1 unsaved") && !s.contains(&before));
    story.keys(&["u"]);
    story.wait_until("as it was", |s| s.contains(&before) && s.contains("● saved"));
    // Somebody else writes the file: it is taken in, as any other.
    let lullaby = story.copy().join("music/lullaby.mid");
    std::fs::copy(story.copy().join("music/customs-house.mid"), &lullaby).unwrap();
    story.wait_until("it is taken in", |s| s.contains("changed outside and taken in: music/lullaby.mid"));
}
