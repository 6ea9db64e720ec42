//! The view *Project*: everything the project is made of, by kind; whatever there can be several of is made, renamed, duplicated and deleted
//! here, and every field of everything is set here.

mod draw;
pub(super) mod prompts;
#[cfg(test)]
mod tests;

use super::app::{App, Mode};
use super::keys::{Binding, Do, key};
use super::painter::Painter;
use super::text_field::TextField;
use super::view::{Clicks, Face, Targets, View};
use estampie_project::document::Document;
use estampie_project::things::{KINDS, Row, Thing, ThingKind, Use, Written, counts, kind_of};
use prompts::{FieldPrompt, FilterPrompt};
use ratatui::layout::Rect;
use std::cell::RefCell;
use std::collections::BTreeMap;
use std::collections::HashSet;
use std::sync::Arc;
use std::sync::mpsc::{Receiver, TryRecvError, channel};

/// Its name.
pub(crate) const NAME: &str = "Project";

/// The view.
pub(crate) struct Project;

/// A column of the view.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) enum Column {
    #[default]
    Kinds,
    Things,
    Fields,
}

/// What the view remembers.
#[derive(Debug, Default)]
pub(crate) struct ProjectView {
    column: Column,
    /// The chosen kind, by its place in the table.
    kind: usize,
    /// The chosen thing of that kind; the first if none is, or if it is gone.
    thing: Option<Thing>,
    /// The chosen line of its fields.
    line: usize,
    /// Only things, or fields, with these letters.
    filter: String,
    /// Where the chosen thing is named, while that is shown.
    pub(super) uses: Option<Vec<Use>>,
    /// The view that asked about a deletion, to which one goes back.
    pub(super) back: Option<&'static str>,
    /// What was read of the project last.
    read: RefCell<Option<Read>>,
    /// Where the chosen thing is named, found out aside.
    seeking: RefCell<Option<Seeking>>,
}

/// Where a thing of a project is named, as it is or was.
#[derive(Debug)]
struct Seeking {
    document: Arc<Document>,
    thing: Thing,
    coming: Receiver<Vec<Use>>,
    found: Option<Vec<Use>>,
}

/// What is read of a project, for as long as it stays as it is.
#[derive(Debug)]
struct Read {
    document: Arc<Document>,
    counts: BTreeMap<&'static str, usize>,
    kind: usize,
    things: Vec<Thing>,
    thing: Option<Thing>,
    rows: Vec<Row>,
    /// What is set of things that have been drawn, by their whole names.
    summaries: BTreeMap<String, String>,
}

/// A line of the fields: a field, or one part of its list.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum FieldLine {
    Field(usize),
    Part(usize, usize),
}

/// Its keys.
const KEYS: &[Binding] = &[
    key(&["enter"], Do::Main, "enter", "go on to the right: its things, its fields; type the field", Some("open")),
    key(&["n"], Do::New, "n", "a new thing of this kind; on a list or on names with a text, one more", Some("new")),
    key(&["r"], Do::Rename, "r", "rename it wherever it is named, in every file", Some("rename")),
    key(&["d"], Do::Duplicate, "d", "a copy of it", Some("copy")),
    key(&["D"], Do::Delete, "D", "delete it; what names it is said first; a field: take it out", Some("delete")),
    key(&["g"], Do::GoToUse, "g", "where it is named; again, or esc, its fields", Some("named at")),
    key(&["K"], Do::MoveUp, "K", "earlier in its list", None),
    key(&["J"], Do::MoveDown, "J", "later in its list", None),
    key(&["/"], Do::Filter, "/", "show only things, or fields, with these letters; esc shows all", Some("filter")),
];

static FACE: Face = Face {
    name: NAME,
    key: '8',
    says: "everything it is made of, and every field of it",
    keys: KEYS,
    mouse: &["click a kind, a thing or a field to choose it, a field again to type it"],
    widths: draw::WIDTHS,
};

impl View for Project {
    fn face(&self) -> &'static Face {
        &FACE
    }

    fn draw(&self, app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
        draw::draw(app, painter, area, targets);
    }

    fn act(&self, app: &mut App, does: Do) -> bool {
        match does {
            Do::Main => app.open_in_project(),
            Do::Edit => app.type_field(),
            Do::New => app.new_in_project(),
            // A value of a state has a name of its own, which others name.
            Do::Rename if app.value_chosen() => app.type_field(),
            Do::Rename => {
                if let Some(thing) = app.thing_chosen() {
                    app.ask_new_name_of(thing);
                }
            }
            Do::Duplicate => {
                if let Some(thing) = app.thing_chosen() {
                    app.duplicate_thing(&thing);
                }
            }
            Do::Delete => app.delete_in_project(),
            Do::GoToUse => app.show_uses(),
            Do::MoveUp => app.shift_in_project(-1),
            Do::MoveDown => app.shift_in_project(1),
            Do::Rest => app.clear_field(),
            Do::Filter => app.mode = Mode::typing(FilterPrompt, TextField::offer(&app.project.filter)),
            Do::NextColumn | Do::PreviousColumn => app.go_to_column(does == Do::NextColumn),
            Do::Left => app.go_to_column(false),
            Do::Right => app.go_to_column(true),
            Do::Back if app.project.uses.take().is_some() => {}
            Do::Back if !app.project.filter.is_empty() => app.project.filter.clear(),
            Do::Undo | Do::Redo => app.undo_in_project(does),
            Do::Solo | Do::Mute | Do::FineLeft | Do::FineRight => {}
            _ => return false,
        }
        true
    }

    fn last_line(&self, _app: &App) -> Option<&'static [(&'static str, &'static str)]> {
        const LINE: &[(&str, &str)] = &[
            ("← → tab", "column"),
            ("enter", "open, type"),
            ("n", "new"),
            ("r", "rename"),
            ("d", "copy"),
            ("D", "delete"),
            ("0", "default"),
            ("K J", "move"),
            ("g", "named at"),
            ("/", "filter"),
            ("u", "undo"),
            (":", "find"),
            ("?", "help"),
        ];
        Some(LINE)
    }

    fn go(&self, app: &mut App, by: isize) {
        let project = &app.project;
        match project.column {
            Column::Kinds => {
                let to = project.kind.saturating_add_signed(by).min(KINDS.len() - 1);
                app.choose_kind(to);
            }
            Column::Things => {
                let things = app.things_shown();
                let at = app.place_of_thing(&things).saturating_add_signed(by).min(things.len().saturating_sub(1));
                let thing = things.get(at).cloned();
                app.choose_thing(thing);
            }
            Column::Fields => {
                let last = app.field_lines().len().saturating_sub(1);
                app.project.line = app.project.line.min(last).saturating_add_signed(by).min(last);
            }
        }
    }
}

/// A kind, by its place in the table.
#[derive(Debug)]
struct ClickKind(usize);

impl Clicks for ClickKind {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        app.project.column = Column::Kinds;
        app.choose_kind(self.0);
    }

    fn wheel(&self, app: &mut App, _by: isize) -> bool {
        app.project.column = Column::Kinds;
        false
    }
}

/// A thing.
#[derive(Debug)]
struct ClickThing(Thing);

impl Clicks for ClickThing {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        app.project.column = Column::Things;
        app.choose_thing(Some(self.0.clone()));
    }

    fn wheel(&self, app: &mut App, _by: isize) -> bool {
        app.project.column = Column::Things;
        false
    }
}

/// A line of the fields, by its place.
#[derive(Debug)]
struct ClickField(usize);

impl Clicks for ClickField {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        let again = app.project.column == Column::Fields && app.project.line == self.0;
        (app.project.column, app.project.line) = (Column::Fields, self.0);
        if again {
            app.type_field();
        }
    }

    fn wheel(&self, app: &mut App, _by: isize) -> bool {
        app.project.column = Column::Fields;
        false
    }
}

impl App {
    /// Reads the project anew if it is not as it was when it was read last.
    fn read_project(&self) {
        let (kind, document) = (self.project.kind, self.workspace.document());
        let mut read = self.project.read.borrow_mut();
        let same = read.as_ref().is_some_and(|read| Arc::ptr_eq(&read.document, document));
        if !same {
            *read = Some(Read {
                document: Arc::clone(document),
                counts: counts(&self.workspace),
                kind,
                things: self.workspace.things(&KINDS[kind]),
                thing: None,
                rows: Vec::new(),
                summaries: BTreeMap::new(),
            });
        }
        let Some(read) = read.as_mut() else { return };
        if read.kind != kind {
            (read.kind, read.things) = (kind, self.workspace.things(&KINDS[kind]));
            read.summaries.clear();
        }
        let chosen = self.project.thing.as_ref().filter(|thing| read.things.contains(thing)).or(read.things.first()).cloned();
        if chosen != read.thing || read.rows.is_empty() {
            read.rows = chosen.as_ref().map_or(Vec::new(), |thing| self.workspace.rows(thing));
            read.thing = chosen;
        }
    }

    /// Where the chosen thing is named, as soon as that is known: it takes some readings of the project, so it is found out aside, one
    /// thing at a time.
    fn uses_of_chosen(&self) -> Option<Vec<Use>> {
        let thing = self.thing_chosen()?;
        let document = self.workspace.document();
        let mut seeking = self.project.seeking.borrow_mut();
        if let Some(now) = seeking.as_mut() {
            if now.found.is_none() {
                match now.coming.try_recv() {
                    Ok(found) => now.found = Some(found),
                    Err(TryRecvError::Empty) => return None,
                    Err(TryRecvError::Disconnected) => now.found = Some(Vec::new()),
                }
            }
            if now.thing == thing && Arc::ptr_eq(&now.document, document) {
                return now.found.clone();
            }
        }
        let (sender, coming) = channel();
        let seek = self.workspace.seek_uses(&thing);
        std::thread::spawn(move || sender.send(seek.seek()));
        *seeking = Some(Seeking { document: Arc::clone(document), thing, coming, found: None });
        None
    }

    /// Where the chosen thing is named: as it was found out aside, or now if that is not done.
    pub(super) fn uses_of(&self, thing: &Thing) -> Vec<Use> {
        let chosen = self.shows(NAME) && self.thing_chosen().as_ref() == Some(thing);
        chosen.then(|| self.uses_of_chosen()).flatten().unwrap_or_else(|| self.workspace.uses(thing))
    }

    fn of_project<T: Default>(&self, take: impl FnOnce(&Read) -> T) -> T {
        self.read_project();
        self.project.read.borrow().as_ref().map(take).unwrap_or_default()
    }

    /// What is set of a thing, in a line; worked out once for as long as the project stays as it is.
    fn summary_of(&self, thing: &Thing) -> String {
        self.read_project();
        let mut read = self.project.read.borrow_mut();
        let Some(read) = read.as_mut() else { return String::new() };
        read.summaries.entry(thing.whole_name()).or_insert_with(|| self.workspace.summary(thing)).clone()
    }

    fn kind_chosen(&self) -> &'static ThingKind {
        &KINDS[self.project.kind]
    }

    /// The chosen thing.
    fn thing_chosen(&self) -> Option<Thing> {
        self.of_project(|read| read.thing.clone())
    }

    /// The things of the chosen kind that have the letters of the filter.
    fn things_shown(&self) -> Vec<Thing> {
        let filter = if self.project.column == Column::Fields { "" } else { self.project.filter.as_str() };
        self.of_project(|read| read.things.iter().filter(|thing| thing.whole_name().to_lowercase().contains(filter)).cloned().collect())
    }

    fn place_of_thing(&self, things: &[Thing]) -> usize {
        self.thing_chosen().and_then(|chosen| things.iter().position(|thing| *thing == chosen)).unwrap_or(0)
    }

    /// The fields of the chosen thing.
    fn rows_chosen(&self) -> Vec<Row> {
        let filter = if self.project.column == Column::Fields { self.project.filter.as_str() } else { "" };
        let mut rows: Vec<Row> = self.of_project(|read| {
            read.rows.iter().filter(|row| row.key.to_lowercase().contains(filter) || row.says.to_lowercase().contains(filter)).cloned().collect()
        });
        if !filter.is_empty() {
            // What is called so comes before what has it in its name, and that before what is only explained by it.
            rows.sort_by_key(|row| (row.key != filter, !row.key.contains(filter)));
        }
        rows
    }

    /// The lines of the fields: each field, and under a list its parts.
    fn field_lines(&self) -> Vec<(FieldLine, Row)> {
        let mut lines = Vec::new();
        for (at, row) in self.rows_chosen().into_iter().enumerate() {
            let parts = parts_of(&row).len();
            lines.push((FieldLine::Field(at), row.clone()));
            if parts > 1 {
                lines.extend((0..parts).map(|part| (FieldLine::Part(at, part), row.clone())));
            }
        }
        lines
    }

    fn line_chosen(&self) -> Option<(FieldLine, Row)> {
        let lines = self.field_lines();
        let at = self.project.line.min(lines.len().saturating_sub(1));
        lines.into_iter().nth(at)
    }

    /// Whether the chosen line is a value of a state.
    fn value_chosen(&self) -> bool {
        let state = self.project.column == Column::Fields && self.kind_chosen().word == "state";
        state && self.line_chosen().is_some_and(|(line, row)| matches!(line, FieldLine::Part(..)) && row.key == "values")
    }

    fn choose_kind(&mut self, kind: usize) {
        if kind != self.project.kind {
            self.project.kind = kind;
            self.choose_thing(None);
            self.project.filter.clear();
        }
    }

    fn choose_thing(&mut self, thing: Option<Thing>) {
        (self.project.thing, self.project.line, self.project.uses) = (thing, 0, None);
    }

    /// Shows a thing with its fields.
    pub(crate) fn go_to_fields(&mut self, thing: Thing) {
        self.show(NAME);
        if let Some(kind) = KINDS.iter().position(|kind| kind == thing.kind) {
            self.choose_kind(kind);
        }
        self.choose_thing(Some(thing));
        self.project.filter.clear();
        self.project.column = Column::Fields;
    }

    /// Shows what is selected in the view that is shown, with all its fields.
    pub(super) fn fields_of_selected(&mut self) {
        let found = self.view().selected(self).and_then(|(kind, name)| self.workspace.thing_named(kind_of(kind)?, &name));
        match found {
            Some(thing) => self.go_to_fields(thing),
            None => self.show(NAME),
        }
    }

    /// Asks for a new thing of a kind.
    pub(super) fn begin_new_thing(&mut self, kind: usize) {
        // What was chosen may be what the new one is to belong to.
        let before = self.thing_chosen();
        self.show(NAME);
        self.choose_kind(kind);
        self.project.column = Column::Things;
        let of = KINDS[kind].owner();
        let owner = before.and_then(|thing| {
            let above = self.workspace.owner_of(&thing);
            [Some(thing), above].into_iter().flatten().find(|thing| Some(thing.kind) == of)
        });
        self.ask_for_new_of(&KINDS[kind], owner.into_iter().collect());
    }

    fn go_to_column(&mut self, on: bool) {
        self.project.filter.clear();
        self.project.uses = None;
        let only = !self.kind_chosen().several();
        self.project.column = match (self.project.column, on) {
            (Column::Kinds, true) if only => Column::Fields,
            (_, false) if only => Column::Kinds,
            (Column::Kinds, true) | (Column::Fields, false) => Column::Things,
            (Column::Things, true) => Column::Fields,
            (Column::Things, false) => Column::Kinds,
            (column, _) => column,
        };
    }

    fn open_in_project(&mut self) {
        match self.project.column {
            Column::Fields => self.type_field(),
            Column::Kinds if self.kind_chosen().several() => self.go_to_column(true),
            _ => {
                self.go_to_column(true);
                self.project.column = Column::Fields;
            }
        }
    }

    fn new_in_project(&mut self) {
        if self.project.column == Column::Fields
            && let Some((_, row)) = self.line_chosen()
            && let Some(thing) = self.thing_chosen()
            && matches!(row.written, Written::List | Written::Pair)
        {
            let part = (row.written == Written::List).then(|| parts_of(&row).len());
            self.mode = Mode::typing(FieldPrompt { thing, row, part, new: true }, TextField::default());
            return;
        }
        // If it is not said to what it belongs: to what the chosen one does.
        let owner = self.thing_chosen().and_then(|thing| self.workspace.owner_of(&thing));
        self.ask_for_new_of(self.kind_chosen(), owner.into_iter().collect());
    }

    fn type_field(&mut self) {
        if self.project.column != Column::Fields {
            return self.open_in_project();
        }
        let Some((line, row)) = self.line_chosen() else { return };
        let Some(thing) = self.thing_chosen() else { return };
        let part = if let FieldLine::Part(_, part) = line { Some(part) } else { None };
        let text = match part {
            Some(part) => parts_of(&row).into_iter().nth(part).unwrap_or_default(),
            None => row.now.clone().unwrap_or_default(),
        };
        self.mode = Mode::typing(FieldPrompt { thing, row, part, new: false }, TextField::offer(&text));
    }

    /// Takes a field out, or one part of its list.
    fn clear_field(&mut self) {
        if self.project.column != Column::Fields {
            return;
        }
        let Some((line, row)) = self.line_chosen() else { return };
        let text = match line {
            FieldLine::Part(_, part) => {
                let mut parts = parts_of(&row);
                parts.remove(part);
                parts.join("; ")
            }
            FieldLine::Field(_) => String::new(),
        };
        self.set_field(&row, &text);
    }

    fn set_field(&mut self, row: &Row, text: &str) {
        let Some(thing) = self.thing_chosen() else { return };
        self.workspace.begin_anew();
        let done = self.workspace.set_row(&thing, row, text, true);
        self.edited(done);
    }

    fn delete_in_project(&mut self) {
        if self.project.column == Column::Fields {
            return self.clear_field();
        }
        if let Some(thing) = self.thing_chosen() {
            self.delete_asked(thing);
        }
    }

    /// Shows a thing in this view, with the places that name it.
    pub(super) fn show_uses_of(&mut self, thing: &Thing, uses: Vec<Use>) {
        if !self.shows(NAME) {
            self.go_to_fields(thing.clone());
            self.project.column = Column::Things;
        }
        self.project.uses = Some(uses);
    }

    /// Chooses a thing and leaves the column as it is; in another view it is selected there.
    pub(super) fn chosen_or_selected(&mut self, thing: Thing) {
        if !self.shows(NAME) {
            return self.select_thing(thing);
        }
        let column = self.project.column;
        self.choose_thing(Some(thing));
        self.project.column = column;
    }

    pub(super) fn delete_thing_now(&mut self, thing: &Thing) {
        let things = self.of_project(|read| read.things.clone());
        let at = things.iter().position(|t| t == thing).unwrap_or(0);
        let called = self.workspace.called(thing);
        match self.workspace.delete(thing) {
            Ok(()) => {
                self.compile();
                let things = self.of_project(|read| read.things.clone());
                let next = things.get(at.min(things.len().saturating_sub(1))).cloned();
                self.choose_thing(next);
                self.say(format!("{called} is deleted; u brings it back"));
            }
            Err(why) => self.alarm(why.to_string()),
        }
    }

    fn show_uses(&mut self) {
        if self.project.uses.take().is_some() {
            return;
        }
        let Some(thing) = self.thing_chosen() else { return };
        if !thing.kind.named() {
            return self.say(format!("a {} has no name", thing.kind.word));
        }
        let uses = self.uses_of(&thing);
        if uses.is_empty() {
            self.say(format!("nothing names {}", self.workspace.called(&thing)));
        } else {
            self.project.uses = Some(uses);
        }
    }

    fn shift_in_project(&mut self, by: isize) {
        let Some(thing) = self.thing_chosen() else { return };
        if self.project.column == Column::Fields {
            let Some((FieldLine::Part(_, part), row)) = self.line_chosen() else { return self.say("K and J move the parts of a list") };
            let mut parts = parts_of(&row);
            let Some(to) = part.checked_add_signed(by).filter(|to| *to < parts.len()) else { return };
            parts.swap(part, to);
            self.set_field(&row, &parts.join("; "));
            self.project.line = self.project.line.saturating_add_signed(by);
            return;
        }
        match self.workspace.shift(&thing, by) {
            Ok(moved) => {
                self.compile();
                self.choose_thing(Some(moved));
            }
            Err(why) => self.alarm(why.to_string()),
        }
    }

    /// Goes back or on by an edit, and chooses what comes back with it.
    fn undo_in_project(&mut self, does: Do) {
        let things = |app: &App| KINDS.iter().flat_map(|kind| app.workspace.things(kind)).collect::<Vec<_>>();
        let before: HashSet<Thing> = things(self).into_iter().collect();
        if does == Do::Undo {
            self.undo();
        } else {
            self.redo();
        }
        if let Some(back) = things(self).into_iter().find(|thing| !before.contains(thing)) {
            let column = self.project.column;
            self.go_to_fields(back);
            self.project.column = if column == Column::Kinds { Column::Things } else { column };
        }
    }
}

/// The parts of a list, as they are written.
fn parts_of(row: &Row) -> Vec<String> {
    match (&row.now, row.written) {
        (Some(now), Written::List) => now.split("; ").map(str::to_owned).collect(),
        _ => Vec::new(),
    }
}
