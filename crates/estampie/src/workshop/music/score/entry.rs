//! Notes put in as on a piano: the letters are keys, from `a` up the white ones, above them the black ones.

use super::Score;
use crate::workshop::app::App;
use crate::workshop::played::KeyDown;
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

/// Where notes lie that are put in time and not on a step: so many parts of a quarter note.
const FINE: i64 = 96;

/// The nearest line; what is nearest to the end is the beginning of the next round.
fn on_line(at: Beats, line: Beats, length: Beats) -> Beats {
    let at = notes::nearest_line(at, line);
    if at >= length { Beats::from_integer(0) } else { at }
}

impl Score {
    /// How far the lines lie apart on which notes are put that are played in time.
    fn line_of(&self, quantised: bool) -> Beats {
        if quantised { self.step() } else { Beats::new(1, FINE) }
    }
}

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
            let at = on_line(now, score.line_of(quantised), sheet.map.length());
            notes.push(ScoreNote { at, length: step, pitch, velocity: score.velocity, channel: u8::MAX });
        });
        self.strike(&[pitch]);
    }

    /// Takes a key of a MIDI device that goes down; where letters would be a piano, step by step, it is put with its velocity. Keys that go down while
    /// others are held are a chord.
    pub(in crate::workshop) fn played_in(&mut self, pitch: u8, velocity: u8) -> Option<KeyDown> {
        let score = self.music.score.as_ref()?;
        let (entry, layer, first) = (score.entry, score.layer(), self.played.down.is_empty());
        let at = if let Entry::InTime { .. } = entry { self.played_at() } else { None };
        match entry {
            Entry::Off => {}
            Entry::Steps => self.change_notes(if first { "a note played" } else { "a chord played" }, |score, _, notes| {
                notes.retain(|n| n.at != score.at || n.pitch != pitch);
                notes.push(ScoreNote { at: score.at, length: score.step(), pitch, velocity, channel: u8::MAX });
            }),
            Entry::InTime { .. } if at.is_none() => self.say("nothing plays this section: p lets it go round"),
            Entry::InTime { .. } => {}
        }
        Some(KeyDown { pitch, velocity, layer, at, stepped: entry == Entry::Steps })
    }

    /// Takes a key that comes up again: what was played in time is put as long as it was held; after the last of a chord the hands go on.
    pub(in crate::workshop) fn put_played(&mut self, key: &KeyDown, last: bool) {
        let now = self.played_at();
        let Some(score) = self.music.score.as_ref().filter(|score| score.layer() == key.layer) else { return };
        let entry = score.entry;
        if key.stepped && last && entry == Entry::Steps {
            self.move_hands(1, 0);
        }
        let (Entry::InTime { quantised }, Some(from), Some(to)) = (entry, key.at, now) else { return };
        self.change_notes("a note played", |score, sheet, notes| {
            let (line, length) = (score.line_of(quantised), sheet.map.length());
            // It may have gone round meanwhile.
            let long = if to < from { to + length - from } else { to - from };
            let at = on_line(from, line, length);
            notes.push(ScoreNote { at, length: notes::nearest_line(long, line).max(line), pitch: key.pitch, velocity: key.velocity, channel: u8::MAX });
        });
    }

    /// A step back, and what begins there is taken.
    pub(super) fn take_back_step(&mut self) {
        self.move_hands(-1, 0);
        self.change_notes("a step taken back", |score, _, notes| notes.retain(|n| !(score.at..score.at + score.step()).contains(&n.at)));
    }
}
