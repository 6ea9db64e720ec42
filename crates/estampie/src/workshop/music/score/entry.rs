//! Notes put in as on a piano: the letters are keys, from `a` up the white ones, above them the black ones.

use crate::workshop::app::App;
use estampie_engine::music::exact::Beats;
use estampie_project::midi::ScoreNote;
use estampie_project::notes;

/// Whether letters are the keys of a piano.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Entry {
    /// They are not.
    Off,
    /// Each note is put under the hands, which go on by a step.
    Steps,
    /// Each note is put where the piece is just then.
    InTime {
        /// Whether it is put on the nearest step.
        quantised: bool,
    },
}

/// The letters of a piano, from C.
const PIANO: [char; 17] = ['a', 'w', 's', 'e', 'd', 'f', 't', 'g', 'y', 'h', 'u', 'j', 'k', 'o', 'l', 'p', ';'];

/// A key of a MIDI device that is down.
#[derive(Debug, Clone, Copy)]
pub(super) struct Held {
    pitch: u8,
    velocity: u8,
    /// Where the piece was when it went down, if it is played in time.
    at: Option<Beats>,
    /// Whether it was put step by step.
    stepped: bool,
}

/// A note that never comes up (its device is gone) is let go after so many seconds.
const HELD_AT_MOST: f64 = 20.0;

/// Where notes lie that are put in time and not on a step: so many parts of a quarter note.
const FINE: i64 = 96;

impl App {
    /// Letters become the keys of a piano.
    pub(super) fn begin_piano(&mut self) {
        if let Some(score) = &mut self.music.score {
            score.entry = Entry::Steps;
            self.say("the letters are a piano: a is C, w C sharp, s D; z and x an octave down and up; esc when done");
        }
    }

    /// Takes a key of the piano; false if it is none.
    pub(super) fn piano(&mut self, name: &str) -> bool {
        let Some(score) = &mut self.music.score else { return false };
        let letter = name.chars().next().filter(|_| name.chars().count() == 1);
        match (name, score.entry) {
            (_, Entry::Off) => return false,
            ("esc", _) => score.entry = Entry::Off,
            ("tab", Entry::Steps) => {
                score.entry = Entry::InTime { quantised: true };
                self.say("in time with what plays, on the nearest step");
            }
            ("tab", Entry::InTime { quantised: true }) => {
                score.entry = Entry::InTime { quantised: false };
                self.say("in time with what plays, just as it is played");
            }
            ("tab", Entry::InTime { .. }) => {
                score.entry = Entry::Steps;
                self.say("step by step");
            }
            ("z", _) => self.move_octave(-1),
            ("x", _) => self.move_octave(1),
            ("0", Entry::Steps) => self.move_hands(1, 0),
            ("backspace", Entry::Steps) => self.take_back_step(),
            ("left" | "right" | "up" | "down" | "home" | "end" | "space" | "u" | "ctrl-r" | "." | "?" | "R" | ":" | "!", _)
                if letter.is_none_or(|l| !PIANO.contains(&l)) =>
            {
                return false;
            }
            _ => {
                let Some(key) = letter.and_then(|l| PIANO.iter().position(|p| *p == l)) else { return false };
                let base = i32::from(score.pitch / 12) * 12;
                let Some(pitch) = u8::try_from(base + key as i32).ok().filter(|p| *p < 128) else { return true };
                self.play_in(pitch);
            }
        }
        true
    }

    /// Takes a note that is played: under the hands, or where the piece is.
    pub(super) fn play_in(&mut self, pitch: u8) {
        let Some(score) = &self.music.score else { return };
        let Entry::InTime { quantised } = score.entry else {
            self.put(&[pitch]);
            return self.move_hands(1, 0);
        };
        let Some(now) = self.played_at() else {
            self.strike(&[pitch]);
            return self.say("nothing plays this section: p lets it go round");
        };
        let step = score.step();
        self.change_notes("a note played", |score, sheet, notes| {
            let line = if quantised { step } else { Beats::new(1, FINE) };
            let at = notes::nearest_line(now, line);
            // What is nearest to the end is the beginning of the next round.
            let at = if at >= sheet.map.length() { Beats::from_integer(0) } else { at };
            notes.push(ScoreNote { at, length: step, pitch, velocity: score.velocity, channel: u8::MAX });
        });
        self.strike(&[pitch]);
    }

    /// A key of a MIDI device goes down: it is heard, and, where letters would be a piano, put with its velocity. Keys that go down while others are
    /// held are a chord.
    pub(in crate::workshop) fn key_down(&mut self, pitch: u8, velocity: u8) {
        let at = self.played_at();
        let Some(score) = &mut self.music.score else { return };
        let entry = score.entry;
        score.held.push(Held { pitch, velocity, at: at.filter(|_| entry != Entry::Steps), stepped: entry == Entry::Steps });
        let first = score.held.len() == 1;
        self.strike_for(pitch, velocity, HELD_AT_MOST);
        match entry {
            Entry::Off => {}
            Entry::Steps => {
                let name = if first { "a note played" } else { "a chord played" };
                self.change_notes(name, |score, _, notes| {
                    notes.retain(|n| n.at != score.at || n.pitch != pitch);
                    notes.push(ScoreNote { at: score.at, length: score.step(), pitch, velocity, channel: u8::MAX });
                });
            }
            Entry::InTime { .. } if at.is_none() => self.say("nothing plays this section: p lets it go round"),
            Entry::InTime { .. } => {}
        }
    }

    /// A key of a MIDI device comes up: what was played in time is put as long as it was held; after a chord the hands go on.
    pub(in crate::workshop) fn key_up(&mut self, pitch: u8) {
        let now = self.played_at();
        let Some(score) = &mut self.music.score else { return };
        let Some(which) = score.held.iter().position(|h| h.pitch == pitch) else { return };
        let held = score.held.remove(which);
        let (last, entry) = (score.held.is_empty(), score.entry);
        self.strike_for(pitch, held.velocity, 0.0);
        if held.stepped && last && entry == Entry::Steps {
            self.move_hands(1, 0);
        }
        let (Entry::InTime { quantised }, Some(from), Some(to)) = (entry, held.at, now) else { return };
        self.change_notes("a note played", |score, sheet, notes| {
            let line = if quantised { score.step() } else { Beats::new(1, FINE) };
            let length = sheet.map.length();
            // It may have gone round meanwhile.
            let long = if to < from { to + length - from } else { to - from };
            let at = notes::nearest_line(from, line);
            let at = if at >= length { Beats::from_integer(0) } else { at };
            notes.push(ScoreNote { at, length: notes::nearest_line(long, line).max(line), pitch, velocity: held.velocity, channel: u8::MAX });
        });
    }

    /// A step back, and what begins there is taken.
    pub(super) fn take_back_step(&mut self) {
        self.move_hands(-1, 0);
        self.change_notes("a step taken back", |score, _, notes| notes.retain(|n| !(score.at..score.at + score.step()).contains(&n.at)));
    }
}
