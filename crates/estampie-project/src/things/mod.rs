//! Every thing of a project as a value: what kinds there are ([`KINDS`]), which things of a kind, their fields as they are written;
//! and what can be done with each in the same way: make, set, rename, duplicate, delete ([`change`]).
//!
//! It stands on the registry of fields alone, so that a field or a table that is added there can be shown and edited at once.

mod change;
mod follow;
mod kinds;
mod pairs;
#[cfg(test)]
mod tests;

pub use follow::{Seek, Use};
pub use kinds::{Files, Form, KINDS, ThingKind, kind_of};

use crate::document::edit::text_of;
use crate::document::registry::{CONDITIONS, Field, Holds, MOMENT, TAKES, Table};
use crate::document::{ROOT_BUS, Workspace, kind_of as effect_kind};
use estampie_engine::dsp::effects::{KINDS as EFFECTS, Setting};
use estampie_engine::dsp::generators::GENERATORS;
use estampie_engine::property::{Property, Unit};
use std::collections::BTreeMap;
use toml_edit::{DocumentMut, Item, TableLike};

/// A step on the way to a table in a file.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Step {
    /// The table, or the field, of a name.
    Name(String),
    /// The table of a place in a list, from 0.
    At(usize),
}

/// A thing of a project.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Thing {
    /// What it is.
    pub kind: &'static ThingKind,
    /// The file in which it stands.
    pub file: String,
    /// The way to it in the file; its name, or its place in a list, comes last.
    pub path: Vec<Step>,
}

impl Thing {
    /// Its name; for what has none, its place in its list, from 1.
    #[must_use]
    pub fn name(&self) -> String {
        match self.path.last() {
            Some(Step::Name(name)) if self.kind.named() => name.clone(),
            Some(Step::At(at)) => format!("{}", at + 1),
            _ => self.kind.word.to_owned(),
        }
    }

    /// The names of what it belongs to, from the outside in.
    #[must_use]
    pub fn owners(&self) -> Vec<&str> {
        let named = self.kind.path.iter().zip(&self.path).filter(|(step, _)| **step == "*");
        named.filter_map(|(_, step)| if let Step::Name(name) = step { Some(name.as_str()) } else { None }).collect()
    }

    /// Its name with what it belongs to: `tidewalk/drift`.
    #[must_use]
    pub fn whole_name(&self) -> String {
        let name = self.name();
        self.owners().into_iter().chain([name.as_str()]).collect::<Vec<_>>().join("/")
    }
}

/// How what is typed into a field is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Written {
    /// As a text.
    Text,
    /// As a whole number.
    Whole,
    /// As a whole number if it is one, or else as a text.
    WholeOrText,
    /// As true or false.
    YesNo,
    /// As a list of texts.
    List,
    /// As a name with its text, in a table.
    Pair,
}

/// A field of a thing, as a line of its fields.
#[derive(Debug, Clone, PartialEq)]
pub struct Row {
    /// Its name; of a table within, `vary.pitch`.
    pub key: String,
    /// The way to it in the thing's table.
    pub path: Vec<String>,
    /// What is written; lists are joined by `; `.
    pub now: Option<String>,
    /// What counts where nothing is written.
    pub unsaid: String,
    /// What can be written, in words.
    pub holds: String,
    /// What it does.
    pub says: String,
    /// How it is written.
    pub written: Written,
    /// The field in the registry; `None` for settings of effects and for names with a text.
    pub field: Option<&'static Field>,
}

impl Workspace {
    /// The things of a kind, in the order of the files.
    #[must_use]
    pub fn things(&self, kind: &'static ThingKind) -> Vec<Thing> {
        let mut found = Vec::new();
        for file in self.files_of(kind.files) {
            collect(kind, &file, self.parsed(&file).as_table(), kind.path, Vec::new(), &mut found);
        }
        if let (Form::Whole(_), Files::One(file), true) = (kind.form, kind.files, found.is_empty()) {
            found.push(Thing { kind, file: file.to_owned(), path: Vec::new() });
        }
        found
    }

    /// The thing of a kind and a name; the first if several have it.
    #[must_use]
    pub fn thing_named(&self, kind: &'static ThingKind, name: &str) -> Option<Thing> {
        self.things(kind).into_iter().find(|thing| thing.name() == name || thing.whole_name() == name)
    }

    /// The files there are in which things of such a kind stand.
    pub(crate) fn files_of(&self, files: Files) -> Vec<String> {
        match files {
            Files::One(file) => vec![file.to_owned()],
            Files::In(folder) => {
                let inside = |file: &&str| file.strip_prefix(folder).is_some_and(|rest| rest.starts_with('/')) && file.ends_with(".toml");
                self.sources().texts().map(|(file, _)| file).filter(inside).map(str::to_owned).collect()
            }
        }
    }

    /// The fields of a thing: those that are set first, in their order, then the others.
    #[must_use]
    pub fn rows(&self, thing: &Thing) -> Vec<Row> {
        let toml = self.parsed(&thing.file);
        if let Form::Pair(what) = thing.kind.form {
            let (Some(Step::Name(name)), Some(way)) = (thing.path.last(), thing.path.len().checked_sub(1)) else { return Vec::new() };
            let now = table_at(&toml, &thing.path[..way]).and_then(|table| table.get(name)).map(text_of);
            let row = Row {
                key: name.clone(),
                path: vec![name.clone()],
                now,
                unsaid: String::new(),
                holds: "a text".into(),
                says: what.to_owned(),
                written: Written::Text,
                field: None,
            };
            return vec![row];
        }
        let mut rows = Vec::new();
        if let Some(table) = thing.kind.table() {
            rows_of(table, &[], table_at(&toml, &thing.path), &mut rows);
            let here = table_at(&toml, &thing.path);
            let said = |field: &str| here.and_then(|t| t.get(field)).and_then(Item::as_str).map(str::to_owned);
            if table.name == "generator" {
                let word = said("kind").unwrap_or_else(|| thing.name());
                settings(&word, GENERATORS.iter().find(|kind| kind.word == word).map_or(&[], |kind| kind.settings), here, &mut rows);
            }
            if table.name == "effect" {
                // One that is like a shared effect is of that one's kind.
                let shared = || said("like").and_then(|like| Some(self.document().shared.effect.iter().find(|e| e.name == like)?.kind.clone()?.value));
                let word = said("kind").or_else(shared).unwrap_or_else(|| thing.name());
                settings(&word, EFFECTS.iter().find(|kind| kind.word == word).map_or(&[], |kind| kind.settings), here, &mut rows);
            }
        }
        let (set, unset): (Vec<Row>, Vec<Row>) = rows.into_iter().partition(|row| row.now.is_some());
        set.into_iter().chain(unset).collect()
    }

    /// A line that says what a thing is: what is set of it, shortly.
    #[must_use]
    pub fn summary(&self, thing: &Thing) -> String {
        let rows = self.rows(thing);
        if let (Form::Pair(_), Some(row)) = (thing.kind.form, rows.first()) {
            return row.now.clone().unwrap_or_default();
        }
        let set = rows.iter().filter(|row| row.key != "note").filter_map(|row| Some((row, row.now.as_ref()?)));
        set.map(|(row, now)| format!("{} {now}", row.key)).collect::<Vec<_>>().join(" · ")
    }

    /// The words that can stand in a field: the names of a kind of thing, or the words of a choice.
    #[must_use]
    pub fn words_of(&self, row: &Row) -> Vec<String> {
        let Some(field) = row.field else { return Vec::new() };
        let of = |word: &str| match word {
            "kind of effect" => EFFECTS.iter().map(|kind| kind.word.to_owned()).collect(),
            "kind of generator" => GENERATORS.iter().map(|kind| kind.word.to_owned()).collect(),
            "parameter" => self.names("parameter").into_iter().chain(self.names("formula")).collect(),
            "state or parameter" => ["state", "parameter", "formula"].into_iter().flat_map(|word| self.names(word)).collect(),
            "shared setting" => match row.key.split('.').next() {
                Some(table) => self.names(&format!("shared {table}")),
                None => Vec::new(),
            },
            "bus" => {
                let mut names = self.names("bus");
                if !names.iter().any(|name| name == ROOT_BUS) {
                    names.push(ROOT_BUS.to_owned());
                }
                names
            }
            word => self.names(word),
        };
        match field.holds {
            Holds::Name(word) => of(word),
            Holds::Word(words) => words.iter().map(|w| (*w).to_owned()).collect(),
            Holds::YesNo => vec!["true".into(), "false".into()],
            Holds::List("sounds") => self.names("sound"),
            Holds::List("pieces") => self.names("piece"),
            Holds::List(form) if form == TAKES => {
                let generators = self.names("generator").into_iter().map(|name| format!("generator {name}"));
                self.audio().iter().cloned().chain(self.names("sound")).chain(generators).collect()
            }
            Holds::Text("an audio file") => self.audio().iter().cloned().collect(),
            Holds::Text(form) | Holds::List(form) if form == CONDITIONS => self.words_of_conditions(),
            Holds::Text(form) if form == MOMENT => {
                MOMENT.split(", ").filter(|words| words.chars().all(|c| c.is_lowercase() || c == ' ')).map(str::to_owned).collect()
            }
            Holds::Text("SOUND PROPERTY, or a name of the mix or of music") | Holds::Pairs("by a difference or to a value") => self.words_of_moved(),
            Holds::Text("bus NAME or sound NAME") => {
                let with = |word: &'static str| self.names(word).into_iter().map(move |name| format!("{word} {name}"));
                with("bus").chain(with("sound")).collect()
            }
            _ => Vec::new(),
        }
    }

    /// The words of which conditions are made.
    fn words_of_conditions(&self) -> Vec<String> {
        let values = self.document().states.iter().flat_map(|state| state.values.iter().map(|value| value.value.clone()));
        let subjects = ["state", "parameter", "formula"].into_iter().flat_map(|word| self.names(word));
        subjects.chain(values).chain(["is", "is not", "over", "under", "at least", "at most", "between", "and"].map(str::to_owned)).collect()
    }

    /// The words of which the names of what can be moved and held are made.
    #[must_use]
    pub fn words_of_moved(&self) -> Vec<String> {
        let document = self.document();
        let mut names: Vec<String> = document.sounds.iter().map(|s| s.name.clone()).collect();
        names.extend(["bus", "snapshot", "send", "amount", "piece", "layer", "group"].map(str::to_owned));
        names.extend(document.buses.iter().map(|b| b.name.clone()));
        names.extend(document.snapshots.iter().map(|s| s.name.clone()));
        names.extend(document.music.pieces.iter().map(|p| p.name.clone()));
        for effect in document.buses.iter().flat_map(|b| &b.effects) {
            names.push(effect.name.clone());
            let kind = effect_kind(&document.shared.effect, effect);
            names.extend(kind.into_iter().flat_map(|k| k.settings.iter().map(|s| s.word.to_owned())));
        }
        names.extend(Property::ALL.map(|(_, word)| word.to_owned()));
        names
    }

    /// The names of all things of a kind.
    #[must_use]
    pub fn names(&self, word: &str) -> Vec<String> {
        kind_of(word).map_or(Vec::new(), |kind| self.things(kind).iter().map(Thing::name).collect())
    }
}

/// Goes down a table along a path of names and `*`.
fn collect(kind: &'static ThingKind, file: &str, table: &dyn TableLike, path: &[&str], way: Vec<Step>, found: &mut Vec<Thing>) {
    let further = |step: Step| way.iter().cloned().chain([step]).collect::<Vec<_>>();
    match path {
        [] => match kind.form {
            Form::Whole(_) => found.push(Thing { kind, file: file.to_owned(), path: way }),
            Form::Named(_) | Form::Pair(_) => {
                let names = table.iter().map(|(name, _)| Step::Name(name.to_owned()));
                found.extend(names.map(|name| Thing { kind, file: file.to_owned(), path: further(name) }));
            }
            Form::Numbered(_) => {}
        },
        ["*", rest @ ..] => {
            for (name, item) in table.iter() {
                if let Some(inner) = item.as_table_like() {
                    collect(kind, file, inner, rest, further(Step::Name(name.to_owned())), found);
                }
            }
        }
        [name, rest @ ..] => {
            let Some(item) = table.get(name) else { return };
            let way = further(Step::Name((*name).to_owned()));
            if let (Some(list), []) = (item.as_array_of_tables(), rest) {
                found.extend((0..list.len()).map(|at| Thing { kind, file: file.to_owned(), path: way.iter().cloned().chain([Step::At(at)]).collect() }));
            } else if let Some(inner) = item.as_table_like() {
                collect(kind, file, inner, rest, way, found);
            }
        }
    }
}

/// The table at the end of a way; `None` if there is none.
fn table_at<'a>(toml: &'a DocumentMut, way: &[Step]) -> Option<&'a dyn TableLike> {
    let mut list: Option<&toml_edit::ArrayOfTables> = None;
    let mut table: Option<&dyn TableLike> = Some(toml.as_table());
    for step in way {
        match step {
            Step::Name(name) => {
                let item = table?.get(name)?;
                (table, list) = (item.as_table_like(), item.as_array_of_tables());
            }
            Step::At(at) => table = Some(list?.get(*at)?),
        }
    }
    table
}

/// The fields of a table, under `before`, as they are written in `here`.
fn rows_of(table: &'static Table, before: &[String], here: Option<&dyn TableLike>, rows: &mut Vec<Row>) {
    let path = |name: &str| before.iter().cloned().chain([name.to_owned()]).collect::<Vec<_>>();
    for field in table.fields {
        let item = here.and_then(|t| t.get(field.name)).filter(|item| !item.is_none());
        let inner = item.and_then(Item::as_table_like);
        let row = |now: Option<String>, written: Written| Row {
            key: path(field.name).join("."),
            path: path(field.name),
            now,
            unsaid: if field.unsaid == "!" { "must be there".into() } else { field.unsaid.to_owned() },
            holds: field.holds.words(),
            says: field.says.to_owned(),
            written,
            field: Some(field),
        };
        let written = match field.holds {
            // These are things of their own.
            Holds::Named(_) | Holds::Tables(_) => continue,
            Holds::Table(of, "") if !of.open => {
                rows_of(of, &path(field.name), inner, rows);
                continue;
            }
            Holds::Table(of, _) if !of.open => {
                rows.push(row(item.filter(|_| inner.is_none()).map(text_of), Written::WholeOrText));
                rows_of(of, &path(field.name), inner, rows);
                continue;
            }
            Holds::Table(..) | Holds::Pairs(_) => Written::Pair,
            Holds::Whole(..) => Written::Whole,
            Holds::YesNo => Written::YesNo,
            Holds::List(_) => Written::List,
            Holds::Note | Holds::Text(_) | Holds::Quantity(..) | Holds::Range(_) | Holds::Word(_) | Holds::Name(_) => Written::Text,
        };
        // Names with a text stand on lines of their own; the field's own line takes further ones.
        rows.push(row(item.filter(|_| inner.is_none()).map(text_of), written));
        for (names, item) in inner.map_or(Vec::new(), leaves) {
            let written = if item.as_array().is_some() { Written::List } else { Written::Text };
            let path: Vec<String> = path(field.name).into_iter().chain(names).collect();
            rows.push(Row { key: path.join("."), path, unsaid: String::new(), field: None, ..row(Some(text_of(item)), written) });
        }
    }
}

/// The values of a table and of those in it, with the names on the way.
fn leaves(table: &dyn TableLike) -> Vec<(Vec<String>, &Item)> {
    let mut found = Vec::new();
    for (name, item) in table.iter() {
        match item.as_table_like() {
            Some(inner) => {
                let inside = leaves(inner).into_iter();
                found.extend(inside.map(|(names, item)| (std::iter::once(name.to_owned()).chain(names).collect(), item)));
            }
            None => found.push((vec![name.to_owned()], item)),
        }
    }
    found
}

/// The settings of an effect or a generator, which depend on its kind.
fn settings(word: &str, of: &[Setting], here: Option<&dyn TableLike>, rows: &mut Vec<Row>) {
    for setting in of {
        rows.push(Row {
            key: setting.word.to_owned(),
            path: vec![setting.word.to_owned()],
            now: here.and_then(|t| t.get(setting.word)).map(text_of),
            unsaid: setting.unit.print(setting.rest),
            holds: match setting.unit {
                Unit::Choice(words) => words.join(", "),
                unit => format!("{} to {}", unit.print(setting.low), unit.print(setting.high)),
            },
            says: format!("a setting of {word}"),
            written: Written::Text,
            field: None,
        });
    }
}

/// How many things there are of each kind.
#[must_use]
pub fn counts(workspace: &Workspace) -> BTreeMap<&'static str, usize> {
    KINDS.iter().map(|kind| (kind.word, workspace.things(kind).len())).collect()
}
