//! Compiling notes: patterns of MIDI files for instruments.

use super::Compiler;
use super::music::position;
use crate::document::{ChanceOf, ChordDoc, ChordsByDoc, KeyZoneDoc, NotesDoc, PieceDoc, SectionDoc, did_you_mean};
use crate::midi::Score;
use crate::notes::{CHROMATIC, Chord, read_chord, through};
use estampie_engine::music::exact::Beats;
use estampie_engine::music::spec::{Bend, ChordLines, Instrument, KeyZone, Note, Notes, Section, Variation};
use estampie_engine::music::{Kind, Map, read_key};
use estampie_engine::names::NameKey;
use estampie_engine::units::split_number;
use std::sync::Arc;

impl Compiler<'_> {
    pub(super) fn instruments(&mut self) {
        let document = self.document;
        for doc in &document.music.instruments {
            let mut takes = Vec::new();
            for KeyZoneDoc { file, root, keys, velocities } in &doc.takes {
                match self.assets.get(&file.value) {
                    Some(Ok(clip)) => takes.push(KeyZone { clip: Arc::clone(clip), root: *root, keys: *keys, velocities: *velocities }),
                    Some(Err(why)) => {
                        let what = format!("{} cannot be played: {why}", file.value);
                        self.fault(&file.place, what, "fix the file or take it out");
                    }
                    None => {}
                }
            }
            if doc.patch.kind == Kind::Takes && doc.takes.is_empty() {
                self.fault(&doc.place, format!("the instrument {} has no takes", doc.name), "write takes = [\"audio/….flac, D3\"]");
            }
            let key = self.program.names.add(&doc.name);
            self.program.music.instruments.push(Instrument { key, patch: doc.patch, polyphony: doc.polyphony, takes });
        }
    }

    /// The notes of a layer; `None` if there are none.
    pub(super) fn notes(&mut self, of: (&PieceDoc, &SectionDoc), section: &Section, doc: &NotesDoc, key: NameKey) -> Option<u32> {
        let document = self.document;
        let instrument = self.found.instruments.get(doc.instrument.value.as_str()).copied();
        if instrument.is_none() {
            let known = document.music.instruments.iter().map(|i| i.name.as_str());
            let fix = did_you_mean(&doc.instrument.value, known, "add it to a file in music/, or name another");
            self.fault(&doc.instrument.place, format!("there is no instrument {}", doc.instrument.value), fix);
        }
        let Some(score) = document.score(&doc.file.value) else {
            let fix =
                did_you_mean(&doc.file.value, document.scores.iter().map(|(file, _)| file.as_str()), "put a Standard MIDI file like music/dance.mid there");
            self.fault(&doc.file.place, format!("there is no MIDI file {}", doc.file.value), fix);
            return None;
        };
        let (mut patterns, mut bends) = (Vec::new(), Vec::new());
        for track in &doc.tracks {
            if score.track(&track.value).is_none() && !score.empty.contains(&track.value) {
                let fix = did_you_mean(&track.value, score.tracks.iter().map(|t| t.name.as_str()), "write the name of one of its tracks");
                self.fault(&track.place, format!("{} has no track {}", doc.file.value, track.value), fix);
                continue;
            }
            patterns.push(pattern(score, &track.value, section, doc));
            bends.push(bends_of(score, &track.value, section, doc));
        }
        let variation = self.variation(doc, patterns.len())?;
        let pitches = self.over_chords(of, section, doc, &patterns);
        if let Some((share, step)) = doc.swing {
            patterns.iter_mut().for_each(|notes| swing(notes, share, step));
        }
        self.program.music.notes.push(Notes { key, patterns, bends, variation, instrument: instrument? as u32, density: doc.density.0, pitches });
        Some(self.program.music.notes.len() as u32 - 1)
    }

    /// Chords from positions on, by their names.
    pub(super) fn chords(&mut self, map: &Map, list: &[ChordDoc]) -> Vec<(Beats, NameKey)> {
        list.iter().map(|chord| (position(map, chord.at), self.program.names.add(&chord.name.value))).collect()
    }

    /// The chords that a section has for values of a state.
    pub(super) fn chord_lines(&mut self, map: &Map, doc: &SectionDoc) -> Option<ChordLines> {
        let ChordsByDoc { state: subject, lines: lists } = doc.chords_by.as_ref()?;
        let document = self.document;
        let Some(state) = self.found.states.get(subject.value.as_str()).copied() else {
            let fix = did_you_mean(&subject.value, document.states.iter().map(|s| s.name.as_str()), "name a state of game.toml");
            self.fault(&subject.place, format!("there is no state {}", subject.value), fix);
            return None;
        };
        let values = &document.states[state].values;
        let mut of = vec![0; values.len()];
        for (n, (value, _)) in lists.iter().enumerate() {
            match values.iter().position(|v| v.value == value.value) {
                Some(at) => of[at] = n as u16 + 1,
                None => {
                    let fix = did_you_mean(&value.value, values.iter().map(|v| v.value.as_str()), "write one of its values");
                    self.fault(&value.place, format!("the state {} has no value {}", subject.value, value.value), fix);
                }
            }
        }
        Some(ChordLines { state, of, lines: lists.iter().map(|(_, chords)| self.chords(map, chords)).collect() })
    }

    /// The pitches of all notes over each of the other lines of chords, if they follow any.
    fn over_chords(&mut self, (piece, section_doc): (&PieceDoc, &SectionDoc), section: &Section, doc: &NotesDoc, patterns: &[Vec<Note>]) -> Vec<Vec<Vec<u8>>> {
        let Some(follow) = &doc.follow else { return Vec::new() };
        let mut read = |list: &[ChordDoc]| -> Option<Vec<(Beats, Chord)>> {
            let mut chords = Vec::new();
            for chord in list {
                match read_chord(&chord.name.value) {
                    Some(found) => chords.push((position(&section.map, chord.at), found)),
                    None => {
                        let what = format!("\"{}\" is no chord that notes can follow", chord.name.value);
                        self.fault(&chord.name.place, what, "write Dm, C7, B♭maj7, F#m7b5, Asus4, or C/G");
                        return None;
                    }
                }
            }
            Some(chords)
        };
        let own = read(&section_doc.chords);
        let others: Option<Vec<_>> = section_doc.chords_by.as_ref().map_or(Some(Vec::new()), |by| by.lines.iter().map(|(_, list)| read(list)).collect());
        let (Some(own), Some(others)) = (own, others) else { return Vec::new() };
        if own.is_empty() {
            let what = format!("the notes follow chords, and {} has none", section_doc.name);
            self.fault(&follow.place, what, "write chords = [\"1: Dm\", \"3: C\"] in the section");
            return Vec::new();
        }
        let mode = piece.key.as_ref().and_then(|key| read_key(&key.value)).unwrap_or(CHROMATIC);
        let at = |list: &[(Beats, Chord)], at: Beats| list.iter().rev().find(|(from, _)| *from <= at).or(list.first()).map(|(_, chord)| chord.clone());
        let over = |line: &[(Beats, Chord)], note: &Note| match (at(&own, note.at), at(line, note.at)) {
            (Some(from), Some(to)) => through(note.pitch, &from, &to, mode, follow.value),
            _ => note.pitch,
        };
        others.iter().map(|line| patterns.iter().map(|notes| notes.iter().map(|note| over(line, note)).collect()).collect()).collect()
    }

    fn variation(&mut self, doc: &NotesDoc, patterns: usize) -> Option<Variation> {
        let document = self.document;
        let Some(by) = doc.by.as_ref() else { return (patterns > 0).then_some(Variation::Random) };
        if patterns != doc.values.len() {
            return None;
        }
        if let Some(state) = self.found.states.get(by.value.as_str()).copied() {
            let values = &document.states[state].values;
            for value in &doc.values {
                if !values.iter().any(|v| v.value == value.value) {
                    let fix = did_you_mean(&value.value, values.iter().map(|v| v.value.as_str()), "write one of its values");
                    self.fault(&value.place, format!("the state {} has no value {}", by.value, value.value), fix);
                }
            }
            let list = values.iter().map(|v| doc.values.iter().position(|d| d.value == v.value).map(|at| at as u16)).collect();
            return Some(Variation::State(state, list));
        }
        let parameter = self.parameter(&by.value, &by.place)?;
        self.one_for_all(parameter, &by.place)?;
        let unit = document.parameters[parameter].unit.clone();
        let number = |t: &str| split_number(t).filter(|(_, own)| own.is_empty() || *own == unit).map(|(n, _)| n as f32);
        let mut ranges = Vec::new();
        for value in &doc.values {
            match value.value.split_once("..").and_then(|(low, high)| Some((number(low)?, number(high)?))) {
                Some(ends) => ranges.push(ends),
                None => {
                    self.fault(&value.place, format!("\"{}\" is not a range of {}", value.value, by.value), "write a range like \"0..0.5\"");
                    ranges.push((f32::INFINITY, f32::NEG_INFINITY));
                }
            }
        }
        Some(Variation::Range(parameter, ranges))
    }
}

/// The notes of a track that lie in a section (and its pick-up), counted from the section's first bar.
fn pattern(score: &Score, track: &str, section: &Section, doc: &NotesDoc) -> Vec<Note> {
    let begin = score.bar_start(doc.from_bar - 1);
    let length = section.map.length();
    let mut notes = Vec::new();
    for note in score.track(track).map_or(&[][..], |t| &t.notes) {
        let at = note.at - begin;
        if at < -section.pick_up || at >= length {
            continue;
        }
        let (bar, beat, _) = section.map.bar_beat(at);
        let chances = doc.chances.iter().filter(|c| match c.of {
            ChanceOf::Softer(velocity) => note.velocity < velocity,
            ChanceOf::At(spot) => spot.bar == bar + 1 && (spot.beat - Beats::from_integer(1)).to_integer() == i64::from(beat),
            ChanceOf::Note(spot, pitch) => pitch == note.pitch && position(&section.map, spot) == at,
        });
        let chance = chances.map(|c| c.chance).fold(1.0, f32::min);
        let needs = weakness(&section.map, at, note.velocity);
        notes.push(Note { at, length: note.length, pitch: note.pitch, velocity: note.velocity, channel: note.channel, needs, chance });
    }
    notes.sort_by_key(|n| (n.at, n.pitch));
    notes
}

/// How the wheel is moved within a section, counted from its first bar; where it stands as the section begins comes first.
fn bends_of(score: &Score, track: &str, section: &Section, doc: &NotesDoc) -> Vec<Bend> {
    let begin = score.bar_start(doc.from_bar - 1);
    let (first, length) = (-section.pick_up, section.map.length());
    let mut stands: [Option<Bend>; 16] = [None; 16];
    let mut list = Vec::new();
    for bend in score.track(track).map_or(&[][..], |t| &t.bends) {
        let bend = Bend { at: bend.at - begin, ..*bend };
        if bend.at < first {
            stands[usize::from(bend.channel)] = Some(Bend { at: first, ..bend });
        } else if bend.at < length {
            list.push(bend);
        }
    }
    stands.into_iter().flatten().chain(list).collect()
}

/// Makes the second of each two steps late, and what lies between by as much as its place says.
fn swing(notes: &mut [Note], share: f32, step: Beats) {
    let share = Beats::new((share * 1_000.0).round() as i64, 1_000);
    let pair = step * 2;
    let late = |at: Beats| {
        let first = (at / pair).floor() * pair;
        let within = at - first;
        let moved = if within < step { within * share * 2 } else { pair * share + (within - step) * (Beats::from_integer(1) - share) * 2 };
        first + moved
    };
    for note in notes {
        let end = late(note.at + note.length);
        note.at = late(note.at);
        note.length = end - note.at;
    }
}

/// How weak a note's place in the bar is, 0 (a downbeat) to 1: what a low density leaves out first. A hard stroke is
/// a little stronger than its place.
#[must_use]
pub fn weakness(map: &Map, at: Beats, velocity: u8) -> f32 {
    let (bar, beat, within) = map.bar_beat(at);
    let place = if at < Beats::from_integer(0) {
        0.5
    } else if within == Beats::from_integer(0) {
        let beats = (map.metre(bar).bar() / map.metre(bar).beat()).to_integer();
        match beat {
            0 => 0.0,
            b if beats % 2 == 0 && i64::from(b) == beats / 2 => 0.25,
            _ => 0.4,
        }
    } else if within == map.metre(bar).beat() / 2 {
        0.65
    } else {
        0.85
    };
    let soft = 0.15 * (1.0 - f32::from(velocity) / 127.0);
    f32::min(place + if place > 0.0 { soft } else { 0.0 }, 1.0)
}
