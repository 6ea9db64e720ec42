//! The view *Music*: what plays and what waits, the sections as staves, and the ways between them.
//!
//! Index: pieces, playlists and stingers. Centre: staves, and the matrix of transitions. Side: the selected transition
//! with its seam, or the selected layer. Everything that is shown as to come is asked of a copy of the piece's own
//! sequencer.

mod beside;
mod draw;
mod fit;
mod inputs;
pub(crate) mod score;
mod side_panel;
#[cfg(test)]
mod tests;

pub(super) use draw::draw;
pub(super) use side_panel::label;

pub(crate) use inputs::MusicPrompt;

use beside::Beside;
use estampie_engine::index::PieceIndex;

use super::app::{App, Mode};
use super::keys::{Binding, Do, key};
use super::painter::Painter;
use super::text_field::TextField;
use super::view::{Face, Targets, View};
use estampie_engine::engine::{InputKind, PieceStatus};
use estampie_engine::music::spec::Piece;
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_project::document::{MusicDoc, PieceDoc, Refusal, SILENCE, TRANSITION_FIELDS, TransitionDoc};
use estampie_project::things::{Thing, kind_of};
use ratatui::layout::Rect;
use std::sync::Arc;
use std::time::{Duration, Instant};

/// Its name.
pub(crate) const NAME: &str = "Music";

/// The view.
pub(crate) struct Music;

static FACE: Face = Face {
    name: NAME,
    key: '4',
    says: "sections, layers, and the transitions between them",
    keys: KEYS,
    mouse: &["click a section, layer or transition to choose it, again to go there"],
    widths: WIDTHS,
};

impl View for Music {
    fn face(&self) -> &'static Face {
        &FACE
    }

    fn draw(&self, app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
        if app.music.score.is_some() { score::draw(app, painter, area, targets) } else { draw(app, painter, area, targets) }
    }

    fn takes_key(&self, app: &mut App, name: &str) -> bool {
        app.music.score.is_some() && score::take(app, name)
    }

    fn other_help(&self, app: &App) -> Vec<(String, String)> {
        if app.music.score.is_none() {
            return Vec::new();
        }
        score::help().into_iter().map(|(shown, words)| (shown, format!("notes: {words}"))).collect()
    }

    fn last_line(&self, app: &App) -> Option<&'static [(&'static str, &'static str)]> {
        app.music.score.as_ref().map(score::Score::last_line)
    }

    fn selected(&self, app: &App) -> Option<(&'static str, String)> {
        let music = app.music_doc();
        let items = app.music_items();
        match (app.music.column, items.get(app.music.item)?) {
            (Column::Index, Item::Playlist(at)) => Some(("playlist", music.lists.get(*at)?.name.clone())),
            (Column::Index, Item::Stinger(at)) => Some(("stinger", music.stingers.get(*at)?.name.clone())),
            (Column::Index, Item::Piece(at)) => Some(("piece", music.pieces.get(*at)?.name.clone())),
            _ => {
                let piece = app.piece_doc()?;
                Some(match app.selected_stave()? {
                    Stave::Section(section) => ("section", format!("{}/{}", piece.name, piece.sections.get(section)?.name)),
                    Stave::Layer(section, layer) => {
                        let section = piece.sections.get(section)?;
                        ("layer", format!("{}/{}/{}", piece.name, section.name, section.layers.get(layer)?.name))
                    }
                })
            }
        }
    }

    fn makes(&self, app: &App) -> Option<&'static str> {
        let unsaid = if app.music.column == Column::Index { "piece" } else { "section" };
        Some(self.selected(app).map_or(unsaid, |(kind, _)| kind))
    }

    fn select(&self, app: &mut App, kind: &'static str, name: &str) {
        app.select_music(kind, name);
    }

    fn act(&self, app: &mut App, does: Do) -> bool {
        app.act_music(does)
    }

    fn go(&self, app: &mut App, by: isize) {
        app.go_music(by);
    }
}

/// Its keys.
const KEYS: &[Binding] = &[
    key(&["enter"], Do::Main, "enter", "go to the section, or take the transition; a layer in or out; begin a piece, sound a stinger", Some("go")),
    key(&["x"], Do::SwitchLayer, "x", "bring the layer in, or take it out (temporary)", Some("in, out")),
    key(&["n"], Do::New, "n", "a new piece, section, layer, playlist or stinger, as what is selected", Some("new")),
    key(&["o"], Do::NewWithin, "o", "a new section in the piece, a new layer in the section, from an audio file", Some("within")),
    key(&["E"], Do::OpenNotes, "E", "the notes of the layer, written and changed here; in a section without any, new ones", Some("notes")),
    key(&["/"], Do::Find, "/", "find a piece, section or stinger by a few letters and go there", None),
    key(&["r"], Do::Rename, "r", "rename it wherever it is named", None),
    key(&["d"], Do::Duplicate, "d", "a copy of it", None),
    key(&["D"], Do::Delete, "D", "delete it; what names it is said first", None),
    key(&["N"], Do::Sting, "N", "sound the selected stinger, or the first", Some("stinger")),
    key(&["<"], Do::JumpBack, "<", "jump a bar back", Some("jump")),
    key(&[">"], Do::JumpOn, ">", "jump a bar on", None),
    key(&["t"], Do::StepState, "t", "the next value of the state that the piece follows", Some("state")),
    key(&["c"], Do::Curve, "c", "edit the curve that moves the layer", Some("curve")),
    key(&["p"], Do::CheckTransitions, "p", "check every transition: render and listen to each; again to open the problems", Some("check")),
    key(&["M"], Do::Metronome, "M", "a click on every beat (temporary, never saved)", None),
    key(&["T"], Do::Tap, "T", "tap a tempo, on the beat", None),
    key(
        &["F"],
        Do::FitTempo,
        "F",
        "the section's tempo and bars from its recording: its length says which can be, its onsets which is likely",
        Some("tempo, bars"),
    ),
    key(&["b"], Do::PutMarker, "b", "a marker on the bar that sounds now", None),
];

/// Widths of index and side.
pub(super) const WIDTHS: (u16, u16) = (24, 38);

/// Where the hands are.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) enum Column {
    #[default]
    Index,
    Staves,
    Ways,
    Fields,
}

/// A line of the index.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Item {
    Piece(usize),
    Playlist(usize),
    Stinger(usize),
}

/// What the view remembers.
#[derive(Default)]
pub(crate) struct MusicView {
    pub(crate) column: Column,
    pub(crate) item: usize,
    /// The piece that is shown, by its place in the document.
    pub(crate) piece: usize,
    /// The selected line of the staves: a section or a layer of one.
    pub(crate) stave: Stave,
    /// The section whose layers are shown though it does not play.
    pub(crate) stave_section: usize,
    /// How many lines the page has for staves, as it was drawn last.
    pub(crate) room: std::cell::Cell<usize>,
    /// Row and column of the matrix.
    pub(crate) cell: (usize, usize),
    pub(crate) field: usize,
    taps: Vec<Instant>,
    /// The layers last switched: a key pressed again before the engine has answered goes on from it.
    switched: Option<(NameKey, bool, Instant)>,
    /// What is listened to beside the page.
    pub(crate) beside: Beside,
    /// The notes that are open.
    pub(crate) score: Option<score::Score>,
}

/// A line of the staves.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Stave {
    Section(usize),
    Layer(usize, usize),
}

impl Default for Stave {
    fn default() -> Self {
        Stave::Section(0)
    }
}

impl Stave {
    /// Its place among the lines that are shown; that of its section if its layers are not.
    pub(crate) fn row(self, lines: &[Stave]) -> usize {
        let section = match self {
            Stave::Section(section) | Stave::Layer(section, _) => section,
        };
        lines.iter().position(|l| *l == self).or_else(|| lines.iter().position(|l| *l == Stave::Section(section))).unwrap_or(0)
    }
}

/// The lines of the staves of a piece: all sections, and the layers of those that are open.
pub(crate) fn staves(doc: &PieceDoc, open: impl Fn(usize) -> bool) -> Vec<Stave> {
    let mut list = Vec::new();
    for (at, section) in doc.sections.iter().enumerate() {
        list.push(Stave::Section(at));
        if open(at) {
            list.extend((0..section.layers.len()).map(|layer| Stave::Layer(at, layer)));
        }
    }
    list
}

impl App {
    pub(crate) fn music_doc(&self) -> &MusicDoc {
        &self.document().music
    }

    pub(crate) fn music_items(&self) -> Vec<Item> {
        let music = self.music_doc();
        let pieces = (0..music.pieces.len()).map(Item::Piece);
        pieces.chain((0..music.lists.len()).map(Item::Playlist)).chain((0..music.stingers.len()).map(Item::Stinger)).collect()
    }

    pub(crate) fn piece_doc(&self) -> Option<&PieceDoc> {
        let music = self.music_doc();
        music.pieces.get(self.music.piece).or(music.pieces.first())
    }

    /// The piece that is shown, as compiled, with its index.
    pub(crate) fn piece_spec(&self) -> Option<(PieceIndex, &Piece)> {
        let doc = self.piece_doc()?;
        let found = |program: &'_ Arc<Program>| program.music.find_piece.get(NameKey::of(&doc.name));
        // After an edit the engine's last word is of the program before; it still fits if it has the same sections.
        let now = self.rehearsal.status_program().filter(|p| found(p).is_some_and(|i| p.music.pieces[i].sections.len() == doc.sections.len()));
        let program = now.unwrap_or_else(|| self.program());
        let index = found(program)?;
        program.music.pieces.of(index).map(|p| (index, p))
    }

    /// Where a piece is now, if the last status is of this program.
    pub(crate) fn piece_now(&self, index: PieceIndex) -> Option<&PieceStatus> {
        let name = self.program().music.pieces.of(index)?.key;
        let program = self.rehearsal.status_program()?;
        self.rehearsal.status.as_ref()?.pieces.of(program.music.find_piece.get(name)?)
    }

    /// Whether a section's layers are shown: it plays, or it is selected, or the page has room for it.
    pub(crate) fn section_open(&self, section: usize) -> bool {
        let plays = self.piece_spec().and_then(|(i, _)| self.piece_now(i)).and_then(|n| n.sequencer.pass()).map(|p| p.section.at());
        let first = |at: usize| plays == Some(at) || self.music.stave_section == at;
        let Some(doc) = self.piece_doc().filter(|_| !first(section)) else { return true };
        // A line for each section; an open one has a line of bars and one for each layer besides.
        let lines = |at: usize| doc.sections[at].layers.len() + 1;
        let count = doc.sections.len();
        let taken: usize = count + (0..count).filter(|at| first(*at)).map(lines).sum::<usize>();
        let mut left = self.music.room.get().saturating_sub(taken);
        for at in (0..count).filter(|at| !first(*at)) {
            let fits = lines(at) <= left;
            if at == section {
                return fits;
            }
            left -= if fits { lines(at) } else { 0 };
        }
        false
    }

    /// The names of the matrix's rows and columns: all sections, then silence.
    pub(crate) fn way_ends(&self) -> Vec<String> {
        self.piece_doc().map_or(Vec::new(), |p| estampie_project::document::ends(self.document(), &p.name))
    }

    /// The two ends of the selected way.
    pub(crate) fn selected_way(&self) -> Option<(String, String)> {
        let ends = self.way_ends();
        let (row, column) = self.music.cell;
        Some((ends.get(row)?.clone(), ends.get(column)?.clone()))
    }

    /// The transition that is written for a way itself.
    pub(crate) fn written_way(&self, from: &str, to: &str) -> Option<&TransitionDoc> {
        self.piece_doc()?.transitions.iter().find(|t| t.from.value == from && t.to.value == to)
    }

    /// The lines of the staves that are shown.
    pub(crate) fn stave_lines(&self) -> Vec<Stave> {
        self.piece_doc().map_or(Vec::new(), |d| staves(d, |s| self.section_open(s)))
    }

    pub(crate) fn selected_stave(&self) -> Option<Stave> {
        let lines = self.stave_lines();
        lines.get(self.music.stave.row(&lines)).copied()
    }

    pub(super) fn go_music(&mut self, by: isize) {
        let step = |at: usize, count: usize| at.saturating_add_signed(by).min(count.saturating_sub(1));
        match self.music.column {
            Column::Index => {
                let items = self.music_items();
                self.music.item = step(self.music.item, items.len());
                if let Some(Item::Piece(index)) = items.get(self.music.item) {
                    self.show_piece(*index);
                }
            }
            Column::Staves => {
                let lines = self.stave_lines();
                let row = step(self.music.stave.row(&lines), lines.len());
                self.music.stave = lines.get(row).copied().unwrap_or_default();
            }
            Column::Ways => self.music.cell.0 = step(self.music.cell.0, self.way_ends().len()),
            Column::Fields => self.music.field = step(self.music.field, TRANSITION_FIELDS.len()),
        }
    }

    /// Asks for a new section in the selected piece, or a new layer in the selected section.
    fn ask_within(&mut self, kind: &'static str) {
        let chosen = self.selected_thing();
        // In a piece whose first section has nothing yet, that is what comes first.
        let empty = self.piece_doc().filter(|p| p.sections.len() == 1 && p.sections[0].layers.is_empty()).map(|p| format!("{}/{}", p.name, p.sections[0].name));
        let first = empty.filter(|_| kind == "section").and_then(|name| self.workspace.thing_named(kind_of("section")?, &name));
        let section = match chosen {
            _ if first.is_some() => first,
            Some(thing) if thing.kind.word == "layer" => self.workspace.owner_of(&thing),
            chosen => chosen.filter(|_| kind == "layer"),
        };
        match (section, kind_of(kind)) {
            (Some(section), _) => self.mode = Mode::typing(MusicPrompt::NewLayer(section), TextField::default()),
            (None, Some(kind)) => self.ask_for_new(kind),
            _ => {}
        }
    }

    /// Makes a layer of a section that plays an audio file: one by its whole path, or the only one with these letters in its name.
    pub(super) fn new_layer(&mut self, section: &Thing, text: &str) -> Result<(), Refusal> {
        let fits: Vec<String> = self.workspace.audio().iter().filter(|f| f.rsplit('/').next().is_some_and(|name| name.contains(text))).cloned().collect();
        let file = match (self.workspace.audio().contains(text), fits.as_slice()) {
            (true, _) => text.to_owned(),
            (false, [one]) if !text.is_empty() => one.clone(),
            (false, []) => return Err(format!("there is no audio file {text}; put it into audio/").into()),
            (false, many) => return Err(format!("{} files have that in their name; write more of it", many.len()).into()),
        };
        let stem = file.rsplit('/').next().unwrap_or_default().split('.').next().unwrap_or_default().to_lowercase();
        let name: String = stem.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
        let name = name.trim_start_matches(|c: char| !c.is_ascii_alphabetic()).to_owned();
        let kind = kind_of("layer").ok_or("there are no layers")?;
        let name = if name.is_empty() { "layer" } else { &name };
        let layer = self.workspace.make_with(kind, Some(section), name, &[("file", file.clone())])?;
        self.recompile();
        self.say(format!("new layer {} of {} plays {file}; F proposes tempo and bars from it", layer.name(), section.whole_name()));
        self.select_thing(layer);
        Ok(())
    }

    /// Selects a piece, section, layer, playlist or stinger by its whole name.
    fn select_music(&mut self, kind: &str, name: &str) {
        let music = Arc::clone(self.workspace.document());
        let music = &music.music;
        let mut parts = name.splitn(3, '/');
        let piece = parts.next().unwrap_or_default();
        let item = match kind {
            "playlist" => music.lists.iter().position(|l| l.name == name).map(Item::Playlist),
            "stinger" => music.stingers.iter().position(|s| s.name == name).map(Item::Stinger),
            _ => music.pieces.iter().position(|p| p.name == piece).map(Item::Piece),
        };
        let Some(item) = item else { return };
        self.music.item = self.music_items().iter().position(|i| *i == item).unwrap_or(0);
        self.music.column = Column::Index;
        let Item::Piece(at) = item else { return };
        self.show_piece(at);
        let Some(section) = parts.next().and_then(|name| music.pieces[at].sections.iter().position(|s| s.name == name)) else { return };
        (self.music.column, self.music.stave, self.music.stave_section) = (Column::Staves, Stave::Section(section), section);
        if let Some(layer) = parts.next().and_then(|name| music.pieces[at].sections[section].layers.iter().position(|l| l.name == name)) {
            self.music.stave = Stave::Layer(section, layer);
        }
    }

    pub(super) fn show_piece(&mut self, index: usize) {
        if self.music.piece != index {
            self.music.piece = index;
            (self.music.stave, self.music.stave_section, self.music.cell, self.music.field) = (Stave::default(), 0, (0, 0), 0);
        }
    }

    /// What keys do here; true if it was for this view.
    pub(super) fn act_music(&mut self, does: Do) -> bool {
        match does {
            Do::Left | Do::Right => {
                let by = if does == Do::Left { -1 } else { 1 };
                match self.music.column {
                    Column::Ways => {
                        let count = self.way_ends().len();
                        self.music.cell.1 = self.music.cell.1.saturating_add_signed(by).min(count.saturating_sub(1));
                    }
                    Column::Staves => self.nudge_layer(by as f32 * 0.5),
                    Column::Index | Column::Fields => {}
                }
            }
            Do::FineLeft => self.nudge_layer(-0.1),
            Do::FineRight => self.nudge_layer(0.1),
            Do::NextColumn | Do::PreviousColumn => {
                let order = [Column::Index, Column::Staves, Column::Ways, Column::Fields];
                let at = order.iter().position(|c| *c == self.music.column).unwrap_or(0);
                self.music.column = order[(at + if does == Do::NextColumn { 1 } else { 3 }) % 4];
                self.choose_a_way();
            }
            Do::Main => self.main_music(),
            Do::Edit => self.edit_music(),
            Do::Rest => self.rest_music(),
            Do::SwitchLayer => self.switch_layer(),
            Do::JumpBack => self.jump(-1),
            Do::JumpOn => self.jump(1),
            Do::Sting => self.sting(),
            Do::New if matches!(self.view().selected(self), Some(("layer", _))) => self.ask_within("layer"),
            Do::NewWithin => {
                let within = match self.view().selected(self) {
                    Some(("section" | "layer", _)) => "layer",
                    _ => "section",
                };
                self.ask_within(within);
            }
            Do::OpenNotes => self.open_notes(),
            Do::StepState => self.step_state(),
            Do::Metronome => {
                self.rehearsal.change_only(|only| only.metronome = !only.metronome);
                self.say(if self.rehearsal.only.metronome { "a click on every beat (temporary)" } else { "no more clicks" });
            }
            Do::Tap => self.tap(),
            Do::FitTempo => self.ask_tempo(),
            Do::PutMarker => self.ask_marker(),
            Do::CheckTransitions => self.check_transitions(),
            Do::Curve => self.layer_curve(),
            Do::Back if self.music.beside.check.open => self.music.beside.check.open = false,
            _ => return false,
        }
        true
    }

    /// A section loops by itself: the first transition that is written says more.
    fn choose_a_way(&mut self) {
        let (row, column) = self.music.cell;
        if self.music.column != Column::Ways || row != column {
            return;
        }
        let ends = self.way_ends();
        let place = |name: &str| ends.iter().position(|e| e == name);
        let first = self.piece_doc().and_then(|d| d.transitions.iter().find_map(|t| Some((place(&t.from.value)?, place(&t.to.value)?))));
        self.music.cell = first.unwrap_or(self.music.cell);
    }

    fn main_music(&mut self) {
        match self.music.column {
            Column::Index => match self.music_items().get(self.music.item).copied() {
                Some(Item::Piece(index)) => {
                    let doc = &self.music_doc().pieces[index];
                    let (piece, name) = (NameKey::of(&doc.name), doc.name.clone());
                    let plays = self.program().music.find_piece.get(piece).and_then(|i| self.piece_now(i)).is_some_and(|n| n.sequencer.pass().is_some());
                    let first = self.program().music.find_piece.get(piece).map(|i| &self.program().music.pieces[i]).map(|p| p.key_of(Some(p.first)));
                    let section = if plays { NameKey::NONE } else { first.unwrap_or_default() };
                    self.rehearsal.say(InputKind::Go { piece, section, on: None });
                    self.say(if plays { format!("{name} is to come to rest") } else { format!("{name} begins") });
                }
                Some(Item::Playlist(index)) => {
                    let list = NameKey::of(&self.music_doc().lists[index].name);
                    let at = self.program().music.find_playlist.get(list);
                    let on = at.and_then(|i| self.rehearsal.status.as_ref()?.playlists.get(i)).is_some_and(|(on, _)| *on);
                    self.rehearsal.say(InputKind::List { list, on: !on });
                }
                Some(Item::Stinger(_)) => self.sting(),
                None => {}
            },
            Column::Staves => match self.selected_stave() {
                Some(Stave::Section(section)) => {
                    self.music.stave_section = section;
                    self.go_to(section);
                }
                Some(Stave::Layer(..)) => self.switch_layer(),
                None => {}
            },
            Column::Ways => {
                let Some((_, to)) = self.selected_way() else { return };
                let Some(piece) = self.piece_doc().map(|d| NameKey::of(&d.name)) else { return };
                let section = if to == SILENCE { NameKey::NONE } else { NameKey::of(&to) };
                self.rehearsal.say(InputKind::Go { piece, section, on: None });
            }
            Column::Fields => self.edit_music(),
        }
    }

    fn go_to(&mut self, section: usize) {
        let Some(doc) = self.piece_doc() else { return };
        let Some(section) = doc.sections.get(section) else { return };
        let what = InputKind::Go { piece: NameKey::of(&doc.name), section: NameKey::of(&section.name), on: None };
        self.rehearsal.say(what);
    }

    fn edit_music(&mut self) {
        match self.music.column {
            Column::Ways | Column::Fields => {
                let (Some((from, to)), Some(piece)) = (self.selected_way(), self.piece_doc().map(|d| d.name.clone())) else { return };
                if from == to {
                    return self.say("a section loops by itself; its field \"then\" says what follows it");
                }
                let field = TRANSITION_FIELDS[self.music.field.min(TRANSITION_FIELDS.len() - 1)];
                let now = side_panel::field_text(self.written_way(&from, &to), field);
                self.mode = Mode::typing(MusicPrompt::Transition { piece, from, to, field }, TextField::offer(&now.unwrap_or_default()));
            }
            Column::Staves => {
                let (Some(Stave::Layer(section, layer)), Some(doc)) = (self.selected_stave(), self.piece_doc()) else {
                    return self.say("choose a layer to type its level");
                };
                let section = &doc.sections[section];
                let layer = &section.layers[layer];
                let typed = MusicPrompt::LayerLevel { piece: doc.name.clone(), section: section.name.clone(), layer: layer.name.clone() };
                self.mode = Mode::typing(typed, TextField::offer(&layer.level.to_string()));
            }
            Column::Index => self.say("tab goes to the sections and the transitions between them"),
        }
    }

    fn rest_music(&mut self) {
        match self.music.column {
            Column::Fields | Column::Ways => {
                if let (Some((from, to)), Some(piece)) = (self.selected_way(), self.piece_doc().map(|d| d.name.clone())) {
                    let field = TRANSITION_FIELDS[self.music.field];
                    let done = self.workspace.set_transition(&piece, &from, &to, field, "");
                    self.edited(done);
                }
            }
            Column::Staves => self.set_selected_layer(0.0),
            Column::Index => {}
        }
    }

    fn nudge_layer(&mut self, by: f32) {
        if let (Some(Stave::Layer(section, layer)), Some(doc)) = (self.selected_stave(), self.piece_doc()) {
            let level = doc.sections[section].layers[layer].level.0 + by;
            self.set_selected_layer(level);
        }
    }

    fn set_selected_layer(&mut self, level: f32) {
        let (Some(Stave::Layer(section, layer)), Some(doc)) = (self.selected_stave(), self.piece_doc()) else { return };
        let (piece, section) = (doc.name.clone(), &doc.sections[section]);
        let (section, layer) = (section.name.clone(), section.layers[layer].name.clone());
        let level = estampie_engine::units::Decibels(((level * 10.0).round() / 10.0).clamp(-120.0, 24.0));
        let done = self.workspace.set_layer(&piece, &section, &layer, "level", &level.to_string());
        self.edited(done);
    }

    fn switch_layer(&mut self) {
        let (Some(Stave::Layer(section, layer)), Some(doc)) = (self.selected_stave(), self.piece_doc()) else {
            return self.say("choose a layer to bring it in or take it out");
        };
        let name = format!("{}/{}", doc.name, doc.sections[section].layers[layer].name);
        let key = NameKey::of(&name);
        let at = self.program().music.find_switch.get(key);
        let told = at.and_then(|i| self.rehearsal.status.as_ref()?.switches.get(i)).is_none_or(|on| *on);
        let just = self.music.switched.filter(|(k, _, when)| *k == key && when.elapsed() < Duration::from_millis(250));
        let on = just.map_or(told, |(_, on, _)| on);
        self.music.switched = Some((key, !on, Instant::now()));
        self.rehearsal.switch(key, !on);
        self.say(format!("{name} {} (temporary)", if on { "goes out" } else { "comes in" }));
    }

    /// A bar back or on, at once; from silence into the first section.
    fn jump(&mut self, by: i64) {
        let Some((index, spec)) = self.piece_spec() else { return };
        let frame = self.rehearsal.frame();
        let pass = self.piece_now(index).and_then(|n| Some((*n.sequencer.pass()?, n.sequencer.position(spec, frame)?)));
        let (section, bar) = match pass {
            Some((pass, (bar, ..))) => {
                let bars = i64::from(spec.sections[pass.section].map.bars());
                (pass.section, (i64::from(bar) + by).rem_euclid(bars) as u32)
            }
            None => (spec.first, 0),
        };
        let what = InputKind::Jump { piece: spec.key, section: spec.key_of(Some(section)), bar };
        self.rehearsal.say(what);
    }

    fn sting(&mut self) {
        let chosen = match (self.music.column, self.music_items().get(self.music.item)) {
            (Column::Index, Some(Item::Stinger(index))) => *index,
            _ => 0,
        };
        if let Some(stinger) = self.music_doc().stingers.get(chosen) {
            let stinger = NameKey::of(&stinger.name);
            self.rehearsal.say(InputKind::Sting { stinger });
        } else {
            self.say("there is no stinger; add [stinger.NAME] to a file in music/");
        }
    }

    /// The next value of the state that the piece follows.
    fn step_state(&mut self) {
        let subject = self.piece_doc().and_then(|d| d.follows.as_ref()).map(|f| f.subject.value.clone());
        let Some(index) = subject.and_then(|s| self.document().states.iter().position(|d| d.name == s)) else {
            return self.say("this piece follows no state");
        };
        let count = self.document().states[index].values.len();
        let next = (self.latest_state(index) + 1) % count;
        self.set_state(index, next);
    }

    /// Taps of the last seconds as a tempo.
    fn tap(&mut self) {
        let now = Instant::now();
        self.music.taps.retain(|t| now.duration_since(*t) < Duration::from_secs(4));
        self.music.taps.push(now);
        let taps = &self.music.taps;
        if let (Some(first), true) = (taps.first(), taps.len() > 2) {
            let tempo = 60.0 * (taps.len() - 1) as f64 / now.duration_since(*first).as_secs_f64();
            self.say(format!("{tempo:.1} beats a minute from {} taps", taps.len()));
        } else {
            self.say("tap on, on the beat");
        }
    }

    /// The curve of the first modulation of the selected layer.
    fn layer_curve(&mut self) {
        let (Some(Stave::Layer(section, layer)), Some(doc)) = (self.selected_stave(), self.piece_doc()) else {
            return self.say("choose a layer whose curve is to be edited");
        };
        let name = format!("{}/{}", doc.name, doc.sections[section].layers[layer].name);
        let found =
            self.document().modulations.iter().find(|m| m.kind == estampie_project::document::Moved::Layer && m.target.value == name).map(|m| m.written);
        match found {
            Some(written) => self.begin_curve(written),
            None => self.say(format!("nothing moves {name}; add it in Wiring: strain moves layer {name} level")),
        }
    }
}
