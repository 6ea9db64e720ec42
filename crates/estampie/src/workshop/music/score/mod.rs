//! Notes, opened over the view Music: one line of a section on a grid of steps, the others behind it. What is written is heard at once.
//!
//! The rows are the steps of the piece's scale, all semitones if one asks for them, or the strokes of a drum. What keys do stands in [`keys`], a line
//! each.

mod draw;
mod entry;
mod keys;
mod player;
mod prompts;
#[cfg(test)]
mod tests;
mod zones;

pub(super) use draw::draw;
pub(super) use keys::{help, take};

use crate::workshop::app::{App, Mode as Over};
use crate::workshop::text_field::TextField;
use entry::Entry;
use estampie_engine::engine::InputKind;
use estampie_engine::music::exact::Beats;
use estampie_engine::music::spec::Mode;
use estampie_engine::music::{DRUM_STROKES, Kind, Map, degree, pitch_of, read_key, steps_of};
use estampie_engine::names::NameKey;
use estampie_project::compile::{map_of, weakness};
use estampie_project::document::{ChanceOf, LayerOf, NotesDoc, PieceDoc, SectionDoc, Spot};
use estampie_project::midi::{ScoreFile, ScoreNote};
use estampie_project::notes::{self, CHROMATIC};
use std::cell::{Cell, RefCell};
use std::rc::Rc;
use std::sync::Arc;

/// The lengths that a step can have, in quarter notes, with their words.
const STEPS: [(&str, (i64, i64)); 7] =
    [("1/2", (2, 1)), ("1/4", (1, 1)), ("1/8", (1, 2)), ("1/16", (1, 4)), ("1/32", (1, 8)), ("1/8 triplet", (1, 3)), ("1/16 triplet", (1, 6))];
/// A plain and an accented stroke.
const PLAIN: u8 = 90;
/// Seconds for which a note that is put is heard.
const STRUCK: f64 = 0.3;
const ACCENT: u8 = 120;
/// The rows of a drum that nothing is written for yet: it sounds higher and lower.
const STROKES: [u8; 5] = [43, 48, 55, 60, 67];

/// A line of notes: a layer of the section, and one of its tracks.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Line {
    pub(crate) layer: String,
    pub(crate) track: String,
}

/// A MIDI file as it was read from its text.
type Kept = (String, Arc<str>, Rc<ScoreFile>);

/// Notes that are open.
#[derive(Debug)]
pub(crate) struct Score {
    pub(crate) piece: String,
    pub(crate) section: String,
    pub(crate) line: Line,
    /// Where the hands are: quarter notes from the section's first bar, and the pitch of the row.
    pub(crate) at: Beats,
    pub(crate) pitch: u8,
    /// The step, by its place among [`STEPS`].
    step: usize,
    /// Whether rows are semitones though the piece has a key.
    semitones: bool,
    /// Whether a degree is put as a chord.
    chords: bool,
    /// Where the selection begins.
    mark: Option<Beats>,
    velocity: u8,
    /// Copied notes, from the beginning of what was copied, and how long that is.
    copied: Option<(Vec<ScoreNote>, Beats)>,
    /// What the next variation is drawn from.
    seed: u64,
    pub(crate) entry: Entry,
    /// Whether the piece is kept in this section.
    pub(crate) looping: bool,
    /// Cells of the grid, as it was drawn last.
    pub(crate) room: Cell<(u16, u16)>,
    kept: RefCell<Option<Kept>>,
    /// What plays it, if that is open.
    pub(crate) player: Option<player::Player>,
}

/// All that an edit or a picture of notes needs to know.
#[derive(Debug, Clone)]
pub(crate) struct Sheet {
    pub(crate) file: String,
    /// Where the section begins in the file.
    begin: Beats,
    pub(crate) map: Map,
    /// Quarter notes before the first bar.
    pub(crate) pick_up: Beats,
    pub(crate) mode: Mode,
    pub(crate) key: Option<String>,
    pub(crate) instrument: String,
    pub(crate) kind: Option<Kind>,
    /// The notes that lie in the section, from its first bar.
    pub(crate) notes: Vec<ScoreNote>,
    /// Those of the track that lie elsewhere in the file.
    elsewhere: Vec<ScoreNote>,
}

impl Sheet {
    pub(crate) fn drums(&self) -> bool {
        matches!(self.kind, Some(Kind::Drum | Kind::Set))
    }

    /// How weak a note's place is.
    fn weak(&self, note: &ScoreNote) -> f32 {
        weakness(&self.map, note.at, note.velocity)
    }

    /// A place as bar, beat, and what is left of a beat.
    pub(crate) fn spot(&self, at: Beats) -> Spot {
        let (bar, beat, within) = self.map.bar_beat(at);
        Spot { bar: bar + 1, beat: Beats::from_integer(i64::from(beat) + 1) + within / self.map.metre(bar).beat() }
    }
}

fn notes_of<'a>(section: &'a SectionDoc, layer: &str) -> Option<&'a NotesDoc> {
    section.layers.iter().find(|l| l.name == layer).and_then(|l| if let LayerOf::Notes(notes) = &l.of { Some(&**notes) } else { None })
}

impl Score {
    /// The open line's layer, as the engine knows it.
    fn layer(&self) -> NameKey {
        NameKey::of(&format!("{}/{} {}", self.piece, self.section, self.line.layer))
    }

    /// Keys that the last line tells.
    pub(super) fn last_line(&self) -> &'static [(&'static str, &'static str)] {
        match (&self.player, self.entry) {
            (Some(_), _) => player::LAST_LINE,
            (None, Entry::Off) => keys::LAST_LINE,
            (None, _) => keys::PIANO_LINE,
        }
    }

    /// Whether the open line is still there.
    fn is_there(&self, app: &App) -> bool {
        let track = self.notes(app).and_then(|notes| self.file(app, &notes.file.value)?.track(&self.line.track));
        track.is_some()
    }

    fn new(piece: &str, section: &str, line: Line) -> Score {
        Score {
            piece: piece.to_owned(),
            section: section.to_owned(),
            line,
            at: Beats::from_integer(0),
            pitch: 60,
            step: 3,
            semitones: false,
            chords: false,
            mark: None,
            velocity: PLAIN,
            copied: None,
            seed: 1,
            entry: Entry::Off,
            looping: false,
            room: Cell::default(),
            kept: RefCell::default(),
            player: None,
        }
    }

    pub(crate) fn step(&self) -> Beats {
        let (n, d) = STEPS[self.step].1;
        Beats::new(n, d)
    }

    pub(crate) fn doc<'a>(&self, app: &'a App) -> Option<(&'a PieceDoc, &'a SectionDoc)> {
        let piece = app.music_doc().piece(&self.piece)?;
        Some((piece, piece.section(&self.section)?))
    }

    pub(crate) fn notes<'a>(&self, app: &'a App) -> Option<&'a NotesDoc> {
        notes_of(self.doc(app)?.1, &self.line.layer)
    }

    /// The lines of the section: its layers of notes, each with all of its tracks.
    pub(crate) fn lines(&self, app: &App) -> Vec<Line> {
        let Some((_, section)) = self.doc(app) else { return Vec::new() };
        let notes = section.layers.iter().filter_map(|l| if let LayerOf::Notes(notes) = &l.of { Some((l, notes)) } else { None });
        notes.flat_map(|(l, notes)| notes.tracks.iter().map(|t| Line { layer: l.name.clone(), track: t.value.clone() })).collect()
    }

    fn file(&self, app: &App, file: &str) -> Option<Rc<ScoreFile>> {
        let text = app.workspace.sources().get(file)?;
        let mut kept = self.kept.borrow_mut();
        if let Some((name, of, score)) = &*kept
            && name == file
            && Arc::ptr_eq(of, text)
        {
            return Some(Rc::clone(score));
        }
        let mut score = ScoreFile::of_text(text).ok()?;
        score.split();
        let score = Rc::new(score);
        *kept = Some((file.to_owned(), Arc::clone(text), Rc::clone(&score)));
        Some(score)
    }

    /// A line's notes with what they lie in.
    pub(crate) fn sheet(&self, app: &App, line: &Line) -> Option<Sheet> {
        let (piece, section) = self.doc(app)?;
        let notes = notes_of(section, &line.layer)?;
        let map = map_of(piece, section, app.document().manifest.rate);
        let score = self.file(app, &notes.file.value)?;
        let begin = app.document().score(&notes.file.value)?.bar_start(notes.from_bar - 1);
        let pick_up = section.pick_up * map.metre(0).beat();
        let track = score.track(&line.track)?;
        let all = score.notes(track).into_iter().map(|n| ScoreNote { at: n.at - begin, ..n });
        let (inside, elsewhere) = all.partition(|n| n.at >= -pick_up && n.at < map.length());
        let instrument = app.music_doc().instruments.iter().find(|i| i.name == notes.instrument.value);
        let key = piece.key.as_ref().map(|k| k.value.clone());
        let mode = key.as_deref().and_then(read_key).filter(|_| !self.semitones).unwrap_or(CHROMATIC);
        Some(Sheet {
            file: notes.file.value.clone(),
            begin,
            map,
            pick_up,
            mode,
            key,
            instrument: notes.instrument.value.clone(),
            kind: instrument.map(|i| i.patch.kind),
            notes: inside,
            elsewhere,
        })
    }

    /// The rows of the grid, from the lowest up.
    pub(crate) fn rows(&self, sheet: &Sheet) -> Vec<u8> {
        if sheet.drums() {
            let usual = if sheet.kind == Some(Kind::Set) { &DRUM_STROKES[..] } else { &STROKES };
            let mut rows: Vec<u8> = sheet.notes.iter().map(|n| n.pitch).chain(usual.iter().copied()).collect();
            rows.sort_unstable();
            rows.dedup();
            return rows;
        }
        let mut rows: Vec<u8> = (0..128).filter(|p| degree(sheet.mode, i32::from(*p)).1 == 0).collect();
        // What is no step of the scale has a row of its own where there is such a note.
        rows.extend(sheet.notes.iter().map(|n| n.pitch).chain([self.pitch]));
        rows.sort_unstable();
        rows.dedup();
        rows
    }

    /// From where to where something is selected, if anything is.
    pub(crate) fn selection(&self) -> Option<(Beats, Beats)> {
        self.mark.map(|mark| (mark.min(self.at), mark.max(self.at) + self.step()))
    }

    /// Whether a note begins in the cell under the hands, or sounds there.
    fn is_here(&self, note: &ScoreNote) -> bool {
        note.pitch == self.pitch && ((note.at..note.at + note.length).contains(&self.at) || (self.at..self.at + self.step()).contains(&note.at))
    }

    /// The notes that something is done with: the selected ones, else the one under the hands.
    fn picks(&self, note: &ScoreNote) -> bool {
        self.selection().map_or_else(|| self.is_here(note), |(from, to)| (from..to).contains(&note.at))
    }

    /// The notes that something is done with that is for many: the selected ones, else all.
    fn picks_many(&self, note: &ScoreNote) -> bool {
        self.selection().is_none_or(|(from, to)| (from..to).contains(&note.at))
    }
}

impl App {
    /// Opens the notes of the selected layer; of a section without any it asks what plays the first.
    pub(super) fn open_notes(&mut self) {
        let Some(piece) = self.piece_doc() else { return self.say("notes stand in a section of a piece: n makes a piece") };
        let (at, layer) = match self.selected_stave() {
            Some(super::Stave::Section(at)) => (at, None),
            Some(super::Stave::Layer(at, layer)) => (at, Some(layer)),
            None => return self.say("choose a section or a layer first"),
        };
        let section = &piece.sections[at];
        let chosen = layer.map(|l| &section.layers[l]);
        let first = chosen
            .filter(|l| matches!(l.of, LayerOf::Notes(_)))
            .or_else(|| section.layers.iter().find(|l| matches!(l.of, LayerOf::Notes(_)) && layer.is_none()));
        let line = first.and_then(|l| Some(Line { layer: l.name.clone(), track: notes_of(section, &l.name)?.tracks.first()?.value.clone() }));
        let (piece, section) = (piece.name.clone(), section.name.clone());
        match line {
            Some(line) => self.open_line(&piece, &section, line),
            None => self.mode = Over::typing(prompts::NotesPrompt::NewLine { piece, section }, TextField::default()),
        }
    }

    /// Opens a line of a section.
    pub(super) fn open_line(&mut self, piece: &str, section: &str, line: Line) {
        let mut score =
            self.music.score.take().filter(|s| s.piece == piece && s.section == section).unwrap_or_else(|| Score::new(piece, section, line.clone()));
        if score.line != line || score.pitch == 60 {
            score.line = line;
            // Where its notes lie, else where the instrument sounds well.
            if let Some(sheet) = score.sheet(self, &score.line) {
                let near = sheet.notes.iter().min_by_key(|n| n.at).map(|n| n.pitch);
                let usual = if sheet.kind == Some(Kind::Set) {
                    DRUM_STROKES[0]
                } else if sheet.drums() {
                    STROKES[2]
                } else {
                    pitch_of(sheet.mode, degree(sheet.mode, 60 + i32::from(sheet.mode.tonic)).0) as u8
                };
                score.pitch = near.unwrap_or(usual.min(72));
            }
        }
        self.music.score = Some(score);
    }

    /// Changes the open line's notes, as one edit.
    pub(super) fn change_notes(&mut self, name: &str, change: impl FnOnce(&Score, &Sheet, &mut Vec<ScoreNote>)) {
        let Some(score) = &self.music.score else { return };
        let Some(sheet) = score.sheet(self, &score.line) else { return self.alarm(format!("{} has no notes that can be written here", score.line.layer)) };
        let mut notes = sheet.notes.clone();
        change(score, &sheet, &mut notes);
        if notes == sheet.notes {
            return;
        }
        let length = sheet.map.length();
        notes.retain(|n| n.at >= -sheet.pick_up && n.at < length);
        let all: Vec<ScoreNote> = notes.iter().chain(&sheet.elsewhere).map(|n| ScoreNote { at: n.at + sheet.begin, ..*n }).collect();
        let (file, track, what) = (sheet.file.clone(), score.line.track.clone(), format!("{name} in {}", score.line.layer));
        self.workspace.begin_anew();
        let done = self.workspace.set_track(&what, &file, &track, &all);
        self.edited(done);
    }

    /// Changes each of the notes that something is done with.
    fn change_each(&mut self, name: &str, change: impl Fn(&Score, &Sheet, &mut ScoreNote)) {
        self.change_notes(name, |score, sheet, notes| notes.iter_mut().filter(|n| score.picks(n)).for_each(|n| change(score, sheet, n)));
    }

    /// Does something with the selected notes as a whole, or with all.
    fn change_many(&mut self, name: &str, change: impl FnOnce(&Score, &Sheet, Vec<ScoreNote>) -> Vec<ScoreNote>) {
        self.change_notes(name, |score, sheet, notes| {
            let (picked, mut others): (Vec<ScoreNote>, Vec<ScoreNote>) = notes.iter().partition(|n| score.picks_many(n));
            others.extend(change(score, sheet, picked));
            others.sort_by_key(|n| (n.at, n.pitch));
            *notes = others;
        });
    }

    /// A step on or back, or to a bar's beginning.
    fn move_hands(&mut self, steps: i64, bars: i64) {
        let Some((score, sheet)) = self.open_sheet() else { return };
        let (step, length, first) = (score.step(), sheet.map.length(), -sheet.pick_up);
        let mut at = notes::nearest_line(score.at, step) + step * steps;
        if bars != 0 {
            let bar = i64::from(sheet.map.bar_beat(score.at).0);
            let to = (bar + bars).clamp(0, i64::from(sheet.map.bars()) - 1);
            // Within a bar first to where it begins.
            let start = sheet.map.bar_start(bar as u32);
            at = if bars < 0 && score.at > start { start } else { sheet.map.bar_start(to as u32) };
        }
        let last = (((length - step) / step).ceil() * step).max(Beats::from_integer(0));
        if let Some(score) = &mut self.music.score {
            score.at = at.clamp((first / step).floor() * step, last);
        }
    }

    /// So many rows up.
    fn move_row(&mut self, by: i64) {
        let Some((score, sheet)) = self.open_sheet() else { return };
        let rows = score.rows(&sheet);
        let at = rows.iter().position(|r| *r == score.pitch).unwrap_or(0) as i64;
        let to = rows[(at + by).clamp(0, rows.len() as i64 - 1) as usize];
        if let Some(score) = &mut self.music.score {
            score.pitch = to;
        }
    }

    /// An octave up or down.
    fn move_octave(&mut self, by: i32) {
        if let Some(score) = &mut self.music.score {
            score.pitch = u8::try_from(i32::from(score.pitch) + 12 * by).ok().filter(|p| *p < 128).unwrap_or(score.pitch);
        }
    }

    fn open_sheet(&self) -> Option<(&Score, Sheet)> {
        let score = self.music.score.as_ref()?;
        Some((score, score.sheet(self, &score.line)?))
    }

    /// Puts a note under the hands, or takes what is there.
    pub(super) fn put_or_take(&mut self) {
        let Some((score, sheet)) = self.open_sheet() else { return };
        if sheet.notes.iter().any(|n| score.is_here(n)) {
            self.change_notes("a note taken", |score, _, notes| notes.retain(|n| !score.is_here(n)));
        } else {
            let pitch = score.pitch;
            self.put(&[pitch]);
        }
    }

    /// Puts notes under the hands, a step long, and lets them be heard.
    fn put(&mut self, pitches: &[u8]) {
        self.change_notes("a note", |score, _, notes| {
            for pitch in pitches {
                notes.push(ScoreNote { at: score.at, length: score.step(), pitch: *pitch, velocity: score.velocity, channel: u8::MAX });
            }
        });
        self.strike(pitches);
    }

    /// Puts a step of the scale (from 1), the nearest to the row, or its chord; then goes on by a step.
    fn put_degree(&mut self, number: i32) {
        let Some((score, sheet)) = self.open_sheet() else { return };
        if sheet.drums() {
            return self.say("a drum has no degrees: ↑ ↓ choose the stroke, enter puts it");
        }
        let count = steps_of(sheet.mode);
        if number > count {
            return self.say(format!("the scale has {count} steps"));
        }
        let here = degree(sheet.mode, i32::from(score.pitch)).0;
        // The octave of the tonic of a mode is where its steps are counted from.
        let off = (number - 1 - here).rem_euclid(count);
        let to = here + if off * 2 > count { off - count } else { off };
        let chord: &[i32] = if score.chords { &[0, 2, 4] } else { &[0] };
        let pitches: Vec<u8> = chord.iter().filter_map(|by| u8::try_from(pitch_of(sheet.mode, to + by)).ok().filter(|p| *p < 128)).collect();
        self.put(&pitches);
        if let (Some(score), Some(pitch)) = (&mut self.music.score, pitches.first()) {
            score.pitch = *pitch;
        }
        self.move_hands(1, 0);
    }

    /// Lets notes of the open line's instrument be heard.
    fn strike(&mut self, pitches: &[u8]) {
        let Some(score) = &self.music.score else { return };
        let velocity = score.velocity;
        let (layer, frames) = (score.layer(), (STRUCK * f64::from(self.program().rate)) as u64);
        for pitch in pitches {
            self.rehearsal.say(InputKind::Strike { layer, pitch: *pitch, velocity, frames });
        }
    }

    /// The next line of the section, or the one before.
    fn turn_line(&mut self, by: isize) {
        let Some(score) = &self.music.score else { return };
        let lines = score.lines(self);
        let Some(at) = lines.iter().position(|l| *l == score.line) else { return };
        let next = lines[(at as isize + by).rem_euclid(lines.len() as isize) as usize].clone();
        let (piece, section) = (score.piece.clone(), score.section.clone());
        self.open_line(&piece, &section, next);
    }

    /// A note as so many strokes as it has now and one more; after four it is one again.
    fn ratchet(&mut self) {
        self.change_notes("a ratchet", |score, _, notes| {
            let cell = score.at..score.at + score.step();
            let (here, mut others): (Vec<ScoreNote>, Vec<ScoreNote>) = notes.iter().partition(|n| n.pitch == score.pitch && cell.contains(&n.at));
            let Some(first) = here.first() else { return };
            let end = here.iter().map(|n| n.at + n.length).max().unwrap_or(first.at).min(first.at + score.step());
            let whole = ScoreNote { length: end - first.at, ..*first };
            others.extend(notes::ratchet(whole, (here.len() % 4 + 1) as u8));
            *notes = others;
        });
    }

    /// Makes notes longer or shorter by a step, by half of one where that would be nothing.
    fn lengthen(&mut self, by: i64) {
        self.change_each("length", |score, _, note| {
            let step = score.step();
            note.length = if note.length + step * by > Beats::from_integer(0) { note.length + step * by } else { (note.length / 2).max(Beats::new(1, 32)) };
        });
    }

    /// The notes that are copied: the selected ones, else those of the bar.
    fn copy_notes(&mut self) -> bool {
        let Some((score, sheet)) = self.open_sheet() else { return false };
        let bar = sheet.map.bar_beat(score.at).0;
        let start = sheet.map.bar_start(bar);
        let (from, to) = score.selection().unwrap_or((start, start + sheet.map.metre(bar).bar()));
        let notes: Vec<ScoreNote> = sheet.notes.iter().filter(|n| (from..to).contains(&n.at)).map(|n| ScoreNote { at: n.at - from, ..*n }).collect();
        let words = format!("{} notes of {} copied", notes.len(), if score.mark.is_some() { "the selection" } else { "the bar" });
        let any = !notes.is_empty();
        if let Some(score) = &mut self.music.score {
            score.copied = Some((notes, to - from));
        }
        self.say(words);
        any
    }

    /// Puts copied notes under the hands, in the place of what is there, and goes behind them.
    fn paste_notes(&mut self) {
        let Some((copied, long)) = self.music.score.as_ref().and_then(|s| s.copied.clone()) else { return self.say("nothing is copied: c copies") };
        self.change_notes("notes pasted", |score, _, notes| {
            notes.retain(|n| !(score.at..score.at + long).contains(&n.at));
            notes.extend(copied.iter().map(|n| ScoreNote { at: score.at + n.at, channel: u8::MAX, ..*n }));
        });
        if let Some(score) = &mut self.music.score {
            score.at += long;
            score.mark = None;
        }
        self.move_hands(0, 0);
    }

    /// Copies the selection (or the bar) to behind itself.
    fn repeat_notes(&mut self) {
        let Some((score, sheet)) = self.open_sheet() else { return };
        let bar = sheet.map.bar_beat(score.at).0;
        let (_, end) = score.selection().unwrap_or((score.at, sheet.map.bar_start(bar) + sheet.map.metre(bar).bar()));
        if end >= sheet.map.length() {
            return self.say("there is no room behind it");
        }
        if self.copy_notes() {
            if let Some(score) = &mut self.music.score {
                score.at = end;
            }
            self.paste_notes();
        }
    }

    /// Another pattern like this one.
    fn another_like_it(&mut self) {
        let Some(score) = &mut self.music.score else { return };
        score.seed = score.seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        self.change_many("another like it", |score, sheet, picked| {
            // A drum has no steps to go by: its strokes stay what they are.
            let mode = if sheet.drums() { CHROMATIC } else { sheet.mode };
            let varied = notes::varied(&picked, mode, score.step(), score.seed, |n| sheet.weak(n));
            if sheet.drums() { varied.into_iter().filter(|n| picked.iter().any(|p| p.pitch == n.pitch)).collect() } else { varied }
        });
    }

    /// Begins the section, and keeps the piece in it; or lets it go on.
    fn loop_section(&mut self) {
        let Some(score) = &mut self.music.score else { return };
        score.looping = !score.looping;
        let looping = score.looping;
        if looping {
            self.begin_section();
            self.say("the section goes round while its notes are open; p lets it go on");
        } else {
            self.say("the piece goes on as it is written");
        }
    }

    fn begin_section(&mut self) {
        let Some(score) = &self.music.score else { return };
        let (piece, section) = (NameKey::of(&score.piece), NameKey::of(&score.section));
        let plays = self.program().music.find_piece.get(piece).and_then(|i| self.piece_now(i)).is_some_and(|n| n.sequencer.pass().is_some());
        self.rehearsal.say(if plays { InputKind::Jump { piece, section, bar: 0 } } else { InputKind::Go { piece, section, on: None } });
    }

    /// Keeps the piece in the section that is open, if that is asked for; true if something was done.
    pub(super) fn poll_score(&mut self) -> bool {
        let looked = self.poll_player();
        let Some(score) = &self.music.score else { return looked };
        // What is gone is not edited.
        if !score.is_there(self) {
            let lines = score.lines(self);
            let (piece, section) = (score.piece.clone(), score.section.clone());
            match lines.into_iter().next() {
                Some(line) => self.open_line(&piece, &section, line),
                None => self.music.score = None,
            }
            return true;
        }
        if !score.looping {
            return looked;
        }
        let (piece, section) = (NameKey::of(&score.piece), NameKey::of(&score.section));
        let Some(index) = self.program().music.find_piece.get(piece) else { return false };
        let here = self.program().music.pieces[index].section(section);
        let elsewhere = self.piece_now(index).is_some_and(|now| now.sequencer.pass().is_some_and(|p| Some(p.section) != here));
        if elsewhere {
            self.begin_section();
        }
        elsewhere
    }

    /// Where the piece is in the open section, if it plays it.
    pub(crate) fn played_at(&self) -> Option<Beats> {
        let score = self.music.score.as_ref()?;
        let program = self.rehearsal.status_program()?;
        let index = program.music.find_piece.get(NameKey::of(&score.piece))?;
        let spec = &program.music.pieces[index];
        let now = self.rehearsal.status.as_ref()?.pieces.of(index)?;
        let pass = now.sequencer.pass()?;
        (spec.section(NameKey::of(&score.section)) == Some(pass.section)).then_some(())?;
        let (bar, beat, within) = now.sequencer.position(spec, self.rehearsal.frame())?;
        let map = &spec.sections[pass.section].map;
        Some(map.bar_start(bar) + map.metre(bar).beat() * i64::from(beat) + within)
    }

    /// How likely a note is played, if not always: the least of all that is said of it.
    pub(crate) fn chance_of(&self, sheet: &Sheet, note: &ScoreNote) -> Option<f32> {
        let doc = self.music.score.as_ref()?.notes(self)?;
        let spot = sheet.spot(note.at.max(Beats::from_integer(0)));
        let means = |of: ChanceOf| match of {
            ChanceOf::Softer(velocity) => note.velocity < velocity,
            ChanceOf::At(at) => (at.bar, at.beat.floor()) == (spot.bar, spot.beat.floor()),
            ChanceOf::Note(at, pitch) => (at, pitch) == (spot, note.pitch),
        };
        doc.chances.iter().filter(|c| means(c.of)).map(|c| c.chance).reduce(f32::min)
    }

    /// The next way in which the notes follow the section's chords.
    fn turn_follow(&mut self) {
        let Some(score) = &self.music.score else { return };
        let Some(notes) = score.notes(self) else { return };
        let next = match notes.follow.as_ref().map(|f| f.value) {
            None => "root",
            Some(notes::Follow::Root) => "nearest",
            Some(notes::Follow::Nearest) => "",
        };
        let (piece, section, layer) = (score.piece.clone(), score.section.clone(), score.line.layer.clone());
        let done = self.workspace.set_layer(&piece, &section, &layer, "follow-chords", next);
        self.edited(done);
        self.say(match next {
            "root" => format!("{layer} goes along with the root of each chord"),
            "nearest" => format!("{layer} goes to the nearest tones of each chord"),
            _ => format!("{layer} stays as it is written, whatever the chord"),
        });
    }
}
