//! The keys of open notes: a line each.

use super::prompts::NotesPrompt;
use super::{ACCENT, Entry, PLAIN, STEPS};
use crate::workshop::app::{App, Mode};
use crate::workshop::text_field::TextField;
use estampie_project::notes;

/// What a key does.
struct Key {
    keys: &'static [&'static str],
    shown: &'static str,
    words: &'static str,
    does: fn(&mut App),
}

const fn key(keys: &'static [&'static str], shown: &'static str, words: &'static str, does: fn(&mut App)) -> Key {
    Key { keys, shown, words, does }
}

/// All of them.
static KEYS: &[Key] = &[
    key(&["left"], "←", "a step back", |app| app.move_hands(-1, 0)),
    key(&["right"], "→", "a step on", |app| app.move_hands(1, 0)),
    key(&["shift-left", "page-up"], "shift-←", "a bar back", |app| app.move_hands(0, -1)),
    key(&["shift-right", "page-down"], "shift-→", "a bar on", |app| app.move_hands(0, 1)),
    key(&["up"], "↑", "a row up", |app| app.move_row(1)),
    key(&["down"], "↓", "a row down", |app| app.move_row(-1)),
    key(&["shift-up"], "shift-↑", "an octave up", |app| app.move_octave(1)),
    key(&["shift-down"], "shift-↓", "an octave down", |app| app.move_octave(-1)),
    key(&["home"], "home", "the first step", |app| app.move_hands(-100_000, 0)),
    key(&["end"], "end", "the last step", |app| app.move_hands(100_000, 0)),
    key(&["enter", "x"], "enter", "put a note, or take it", App::put_or_take),
    key(&["1"], "1 … 7", "put a degree of the scale, the nearest one, and go on", |app| app.put_degree(1)),
    key(&["2"], "", "", |app| app.put_degree(2)),
    key(&["3"], "", "", |app| app.put_degree(3)),
    key(&["4"], "", "", |app| app.put_degree(4)),
    key(&["5"], "", "", |app| app.put_degree(5)),
    key(&["6"], "", "", |app| app.put_degree(6)),
    key(&["7"], "", "", |app| app.put_degree(7)),
    key(&["8"], "", "", |app| app.put_degree(8)),
    key(&["9"], "", "", |app| app.put_degree(9)),
    key(&["0"], "0", "a rest: go on by a step", |app| app.move_hands(1, 0)),
    key(&["C"], "C", "degrees as chords of three, or as single notes", |app| {
        if let Some(score) = &mut app.music.score {
            score.chords = !score.chords;
            let words = if score.chords { "degrees are put as chords" } else { "degrees are put as single notes" };
            app.say(words);
        }
    }),
    key(&["backspace"], "backspace", "a step back, and what begins there is taken", App::take_back_step),
    key(&["delete"], "delete", "take the selected ones, or the one under the hands", |app| {
        app.change_notes("notes taken", |score, _, notes| notes.retain(|n| !score.picks(n)));
    }),
    key(&["+", "="], "+", "longer by a step", |app| app.lengthen(1)),
    key(&["-"], "-", "shorter by a step", |app| app.lengthen(-1)),
    key(&["s"], "s", "slurred: each lasts until the next begins", |app| {
        app.change_many("slurred", |score, sheet, mut picked| {
            let end = score.selection().map_or(sheet.map.length(), |(_, to)| to);
            notes::slur(&mut picked, end);
            picked
        });
    }),
    key(&["]"], "]", "louder", |app| louder(app, 8)),
    key(&["["], "[", "softer", |app| louder(app, -8)),
    key(&["a"], "a", "an accent, or none", |app| {
        app.change_each("accent", |_, _, n| n.velocity = if n.velocity >= ACCENT { PLAIN } else { ACCENT });
    }),
    key(&["V"], "V", "velocities from one to another, as 50..110", |app| ask(app, NotesPrompt::Velocities, "")),
    key(&["r"], "r", "a ratchet: two, three, four strokes in the place of one", App::ratchet),
    key(&["%"], "%", "how likely the note is played", |app| ask(app, NotesPrompt::Chance, "50 %")),
    key(&["m"], "m", "begin a selection here, or end it", |app| {
        if let Some(score) = &mut app.music.score {
            score.mark = if score.mark.is_some() { None } else { Some(score.at) };
        }
    }),
    key(&["A"], "A", "select all", |app| {
        app.move_hands(-100_000, 0);
        let first = app.music.score.as_ref().map(|s| s.at);
        app.move_hands(100_000, 0);
        if let Some(score) = &mut app.music.score {
            score.mark = first;
        }
    }),
    key(&["c"], "c", "copy the selection, or the bar", |app| {
        app.copy_notes();
    }),
    key(&["v"], "v", "put the copied ones here, and go behind them", App::paste_notes),
    key(&["d"], "d", "the selection, or the bar, once more behind itself", App::repeat_notes),
    key(&["K"], "K", "a step of the scale higher", |app| moved(app, 1, false)),
    key(&["J"], "J", "a step of the scale lower", |app| moved(app, -1, false)),
    key(&["}"], "}", "an octave higher", |app| moved(app, 12, true)),
    key(&["{"], "{", "an octave lower", |app| moved(app, -12, true)),
    key(&[">"], ">", "a step later", |app| later(app, 1)),
    key(&["<"], "<", "a step earlier", |app| later(app, -1)),
    key(&["i"], "i", "upside down within the scale", |app| {
        app.change_many("upside down", |_, sheet, mut picked| {
            notes::invert(&mut picked, sheet.mode);
            picked
        });
    }),
    key(&["w"], "w", "thinner: without what is weakest in the bar", |app| {
        app.change_many("thinner", |_, sheet, picked| notes::thinned(&picked, |n| sheet.weak(n)));
    }),
    key(&["y"], "y", "another like it", App::another_like_it),
    key(&["Q"], "Q", "onto the nearest steps, as far as one says", |app| ask(app, NotesPrompt::Quantise, "100 %")),
    key(&["b"], "b", "made from the section's chords: bass, pad, broken, offbeat", |app| ask(app, NotesPrompt::Made, "")),
    key(&["h"], "h", "the section's chords, as 1: Dm; 3: C; for a value of a state as threat is hunted: 1: A", |app| {
        let now = app.music.score.as_ref().and_then(|s| Some(s.doc(app)?.1)).map_or(String::new(), |section| {
            section.chords.iter().map(|c| format!("{}: {}", super::prompts::place(c.at), c.name.value)).collect::<Vec<_>>().join("; ")
        });
        app.mode = Mode::typing(NotesPrompt::Chords, TextField::new(&now));
    }),
    key(&["t"], "t", "the piece's key, as D dorian: its steps are the rows", |app| {
        let now = app.music.score.as_ref().and_then(|s| s.doc(app)?.0.key.as_ref()).map_or("", |k| k.value.as_str()).to_owned();
        app.mode = Mode::typing(NotesPrompt::Key, TextField::offer(&now));
    }),
    key(&["f"], "f", "follow the chords by their root, to the nearest tones, or not", App::turn_follow),
    key(&["S"], "S", "swing, as 58 %, or 62 %, sixteenths", |app| {
        let now = app.music.score.as_ref().and_then(|s| s.notes(app)).and_then(|n| n.swing).map_or(String::new(), super::prompts::swing_text);
        app.mode = Mode::typing(NotesPrompt::Swing, TextField::new(&now));
    }),
    key(&["g"], "g", "finer steps", |app| grid(app, 1)),
    key(&["G"], "G", "wider steps", |app| grid(app, -1)),
    key(&["z"], "z", "all semitones, or the steps of the scale", |app| {
        if let Some(score) = &mut app.music.score {
            score.semitones = !score.semitones;
        }
    }),
    key(&["k"], "k", "letters are a piano: step by step, or (tab) in time with what plays", App::begin_piano),
    key(&["tab"], "tab", "the next line of the section", |app| app.turn_line(1)),
    key(&["backtab"], "shift-tab", "the line before", |app| app.turn_line(-1)),
    key(&["n"], "n", "a new line: its name and what plays it", |app| {
        if let Some(score) = &app.music.score {
            let (piece, section) = (score.piece.clone(), score.section.clone());
            app.mode = Mode::typing(NotesPrompt::NewLine { piece, section }, TextField::default());
        }
    }),
    key(&["N"], "N", "a variation of the line", new_variation),
    key(&["o"], "o", "what plays them: its settings, how it sounds", App::open_player),
    key(&["p"], "p", "let the section go round with the rest, or go on", App::loop_section),
    key(&["esc"], "esc", "end the selection; close them", |app| {
        let marked = app.music.score.as_mut().is_some_and(|s| s.mark.take().is_some());
        if !marked {
            app.music.score = None;
        }
    }),
];

/// Keys that the last line tells.
pub(in crate::workshop::music) const LAST_LINE: &[(&str, &str)] = &[
    ("enter", "put, take"),
    ("1…7", "degree"),
    ("+ -", "length"),
    ("[ ]", "velocity"),
    ("m", "select"),
    ("K J", "transpose"),
    ("y", "another"),
    ("b", "from chords"),
    ("k", "piano"),
    ("o", "instrument"),
    ("p", "play"),
    ("tab", "line"),
    ("?", "all keys"),
    ("esc", "done"),
];

/// Those while letters are a piano.
pub(in crate::workshop::music) const PIANO_LINE: &[(&str, &str)] = &[
    ("a … ;", "white keys"),
    ("w … p", "black keys"),
    ("z x", "octave"),
    ("0", "rest"),
    ("backspace", "take back"),
    ("tab", "in time, or by steps"),
    ("esc", "done"),
];

/// What all of them do, as shown and in words.
pub(in crate::workshop::music) fn help() -> Vec<(String, String)> {
    KEYS.iter().filter(|k| !k.shown.is_empty()).map(|k| (k.shown.to_owned(), k.words.to_owned())).collect()
}

/// Takes a key while notes are open; false if it means nothing of its own there.
pub(in crate::workshop::music) fn take(app: &mut App, name: &str) -> bool {
    if app.music.score.as_ref().is_some_and(|s| s.entry != Entry::Off) && app.piano(name) {
        return true;
    }
    if app.music.score.as_ref().is_some_and(|s| s.player.is_some()) && app.player_key(name) {
        return true;
    }
    match KEYS.iter().find(|k| k.keys.contains(&name)) {
        Some(key) => (key.does)(app),
        // What goes on everywhere, and letters that would do something to what is not in sight.
        None => return !matches!(name, "space" | "." | "u" | "ctrl-r" | "R" | "?" | "!" | ":" | "M" | "T" | "q" | "ctrl-c" | "ctrl-b" | "\\"),
    }
    true
}

fn ask(app: &mut App, prompt: NotesPrompt, offered: &str) {
    app.mode = Mode::typing(prompt, TextField::offer(offered));
}

fn louder(app: &mut App, by: i16) {
    let (any, velocity) = app.open_sheet().map_or((false, PLAIN), |(score, sheet)| (sheet.notes.iter().any(|n| score.picks(n)), score.velocity));
    let to = |velocity: u8| (i16::from(velocity) + by).clamp(1, 127) as u8;
    if any {
        return app.change_each("velocity", |_, _, n| n.velocity = to(n.velocity));
    }
    if let Some(score) = &mut app.music.score {
        score.velocity = to(velocity);
        let words = format!("new notes have a velocity of {}", score.velocity);
        app.say(words);
    }
}

fn moved(app: &mut App, by: i32, semitones: bool) {
    let many = app.music.score.as_ref().is_some_and(|s| s.selection().is_some());
    let here = app.open_sheet().is_some_and(|(score, sheet)| sheet.notes.iter().any(|n| score.is_here(n)));
    app.change_notes("transposed", |score, sheet, notes| {
        let mode = if semitones || sheet.drums() { notes::CHROMATIC } else { sheet.mode };
        for note in notes.iter_mut().filter(|n| if many || here { score.picks(n) } else { true }) {
            notes::transpose(std::slice::from_mut(note), mode, by);
        }
    });
    // The hands go with the note that they hold.
    if here && !many {
        if semitones { app.move_octave(by.signum()) } else { app.move_row(i64::from(by)) }
    }
}

fn later(app: &mut App, by: i64) {
    let here = app.open_sheet().is_some_and(|(score, sheet)| score.selection().is_none() && sheet.notes.iter().any(|n| score.is_here(n)));
    app.change_notes("moved in time", |score, sheet, notes| {
        let by = score.step() * by;
        let inside = |n: &estampie_project::midi::ScoreNote| n.at + by >= -sheet.pick_up && n.at + by < sheet.map.length();
        // All or none: nothing is pushed over an end.
        if notes.iter().filter(|n| score.picks(n)).all(inside) {
            notes.iter_mut().filter(|n| score.picks(n)).for_each(|n| n.at += by);
        }
    });
    if here {
        app.move_hands(by, 0);
    }
}

fn grid(app: &mut App, by: isize) {
    if let Some(score) = &mut app.music.score {
        score.step = (score.step as isize + by).rem_euclid(STEPS.len() as isize) as usize;
        let words = format!("a step is {}", STEPS[score.step].0);
        app.say(words);
    }
    app.move_hands(0, 0);
}

fn new_variation(app: &mut App) {
    let Some((score, sheet)) = app.open_sheet() else { return };
    let (piece, section, line) = (score.piece.clone(), score.section.clone(), score.line.clone());
    let notes: Vec<_> = sheet.notes.iter().chain(&sheet.elsewhere).map(|n| estampie_project::midi::ScoreNote { at: n.at + sheet.begin, ..*n }).collect();
    match app.workspace.new_variation(&piece, &section, &line.layer, &line.track, &notes) {
        Ok(track) => {
            app.recompile();
            app.say(format!("{track}: a variation of {}, drawn for each round until a state chooses", line.layer));
            app.open_line(&piece, &section, super::Line { layer: line.layer, track });
        }
        Err(why) => app.alarm(why.to_string()),
    }
}
