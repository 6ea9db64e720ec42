//! Reading TOML tables field by field: every value with its place, every mistake a fault, no field unseen.

use super::registry::{Holds, Table};
use crate::fault::{Fault, Lines, Place, did_you_mean};
use estampie_engine::units::ValueError;
use estampie_engine::units::{Quantity, Span, Spread};
use std::cell::RefCell;
use toml_edit::{Document, Item, TableLike, Value};

/// What a range of which something is drawn looks like.
pub(super) const A_RANGE: &str = "a range like \"-2..2\", the lower end first, perhaps with \", centred\"";

/// A value with the place where it is written. Two are equal when their values are.
#[derive(Debug, Clone)]
pub struct Located<T> {
    /// The value.
    pub value: T,
    /// Where it is written.
    pub place: Place,
}

impl<T: PartialEq> PartialEq for Located<T> {
    fn eq(&self, other: &Self) -> bool {
        self.value == other.value
    }
}

/// One TOML file being read, and the faults found in it so far.
pub(crate) struct Reading<'a> {
    pub(crate) file: &'a str,
    pub(crate) text: &'a str,
    pub(crate) lines: Lines,
    pub(crate) faults: &'a RefCell<Vec<Fault>>,
}

impl Reading<'_> {
    pub(crate) fn place(&self, span: Option<std::ops::Range<usize>>) -> Place {
        span.map_or_else(|| Place::whole(self.file), |s| self.lines.place(self.file, self.text, s.start))
    }

    pub(crate) fn fault(&self, place: &Place, what: impl Into<String>, fix: impl Into<String>) {
        self.faults.borrow_mut().push(Fault::new(place, what, fix));
    }

    /// Audio is named that is not where it should be.
    pub(crate) fn misses(&self, path: &str, place: &Place, what: impl Into<String>, fix: impl Into<String>) {
        self.faults.borrow_mut().push(Fault::new(place, what, fix).missing(path));
    }
}

/// Parses a TOML text. A line that cannot be read is a fault and is left out, so that the rest still counts.
pub(crate) fn parse_toml(file: &str, text: &str, faults: &RefCell<Vec<Fault>>) -> Document<String> {
    let mut text = text.to_owned();
    for _ in 0..50 {
        match Document::parse(text.clone()) {
            Ok(document) => return document,
            Err(error) => {
                let offset = error.span().map_or(0, |s| s.start).min(text.len());
                let place = Place::in_text(file, &text, offset);
                faults.borrow_mut().push(Fault::new(&place, first_line(error.message()), "fix this line; until then it is left out"));
                let Some(blanked) = without_line(&text, place.line) else { break };
                text = blanked;
            }
        }
    }
    Document::parse(String::new()).unwrap_or_else(|_| unreachable!("the empty text is TOML"))
}

fn first_line(message: &str) -> String {
    message.lines().next().unwrap_or("this is not TOML").to_owned()
}

/// `text` with line `line` made blank, every other offset kept; `None` if that changes nothing.
fn without_line(text: &str, line: u32) -> Option<String> {
    let mut out = String::with_capacity(text.len());
    let mut changed = false;
    for (at, row) in text.split_inclusive('\n').enumerate() {
        if at as u32 + 1 == line {
            let body = row.trim_end_matches(['\n', '\r']);
            changed = !body.trim().is_empty();
            out.extend(body.bytes().map(|_| ' '));
            out.push_str(&row[body.len()..]);
        } else {
            out.push_str(row);
        }
    }
    changed.then_some(out)
}

/// The fields of one table.
pub(crate) struct Fields<'a> {
    reading: &'a Reading<'a>,
    table: &'a dyn TableLike,
    /// What the table describes, for faults: "the sound step/grate".
    of: String,
    known: RefCell<Vec<&'static str>>,
    /// What the registry says of such a table.
    pub(crate) spec: &'static Table,
    pub(crate) place: Place,
}

impl<'a> Fields<'a> {
    pub(crate) fn new(reading: &'a Reading<'a>, spec: &'static Table, table: &'a dyn TableLike, of: impl Into<String>, place: Place) -> Self {
        Fields { reading, table, of: of.into(), known: RefCell::new(Vec::new()), spec, place }
    }

    /// The kind of table that one of its fields holds.
    pub(crate) fn kind_in(&self, field: &str) -> &'static Table {
        match self.spec.field(field).map(|f| f.holds) {
            Some(Holds::Table(inner, _) | Holds::Named(inner) | Holds::Tables(inner)) => inner,
            _ => unreachable!("{field} of {} holds no table", self.spec.name),
        }
    }

    /// Takes `item`, which stands in one of its fields, as a table, or says that it is none.
    pub(crate) fn inside(&self, field: &str, item: &'a Item, of: String, place: Place) -> Option<Fields<'a>> {
        Fields::of_item(self.reading, self.kind_in(field), item, of, place)
    }

    /// Takes `item` as a table, or says that it is none.
    pub(crate) fn of_item(reading: &'a Reading<'a>, spec: &'static Table, item: &'a Item, of: String, place: Place) -> Option<Self> {
        match item.as_table_like() {
            Some(table) => Some(Fields::new(reading, spec, table, of, place)),
            None => {
                reading.fault(&place, format!("{of} is not a table"), "write its fields in a table of their own");
                None
            }
        }
    }

    pub(crate) fn item(&self, field: &'static str) -> Option<(&'a Item, Place)> {
        debug_assert!(self.spec.open || self.spec.field(field).is_some(), "{field} of {} is not in the registry", self.spec.name);
        #[cfg(test)]
        super::registry::TAKEN.with_borrow_mut(|taken| taken.insert((self.spec.name, field)));
        self.known.borrow_mut().push(field);
        let (key, item) = self.table.get_key_value(field)?;
        Some((item, self.reading.place(item.span().or_else(|| key.span()))))
    }

    fn wrong(&self, place: &Place, field: &str, expected: &str) {
        self.reading.fault(place, format!("{field} of {} is not {expected}", self.of), format!("write {field} as {expected}"));
    }

    /// The value of a scalar as text; numbers are taken as written.
    fn scalar(item: &Item) -> Option<String> {
        match item.as_value()? {
            Value::String(s) => Some(s.value().clone()),
            Value::Integer(i) => Some(i.value().to_string()),
            Value::Float(f) => Some(f.value().to_string()),
            _ => None,
        }
    }

    pub(crate) fn text(&self, field: &'static str) -> Option<Located<String>> {
        let (item, place) = self.item(field)?;
        if let Some(value) = Self::scalar(item) {
            return Some(Located { value, place });
        }
        self.wrong(&place, field, "a text in quotes");
        None
    }

    pub(crate) fn quantity<T: Quantity>(&self, field: &'static str) -> Option<Located<T>> {
        let text = self.text(field)?;
        match T::read(&text.value) {
            Ok(value) => Some(Located { value, place: text.place }),
            Err(error) => {
                self.reading.fault(&text.place, format!("{field} of {}: {error}", self.of), format!("write {}", T::EXPECTED));
                None
            }
        }
    }

    pub(crate) fn span<T: Quantity>(&self, field: &'static str) -> Option<Located<Span<T>>> {
        let text = self.text(field)?;
        match Span::<T>::read(&text.value) {
            Ok(value) => Some(Located { value, place: text.place }),
            Err(error) => {
                self.reading.fault(&text.place, format!("{field} of {}: {error}", self.of), "write a range like \"-2..2\", the lower end first");
                None
            }
        }
    }

    /// A text read by `read`, whose error says what is wrong; `expected` is the fix.
    pub(crate) fn read<T>(&self, field: &'static str, expected: &str, read: impl Fn(&str) -> Result<T, ValueError>) -> Option<Located<T>> {
        let text = self.text(field)?;
        match read(&text.value) {
            Ok(value) => Some(Located { value, place: text.place }),
            Err(error) => {
                self.reading.fault(&text.place, format!("{field} of {}: {error}", self.of), format!("write {expected}"));
                None
            }
        }
    }

    /// A quantity held to a range; what lies outside is a fault and becomes the nearest end.
    pub(crate) fn limited<T: Quantity>(&self, field: &'static str, low: T, high: T) -> Option<T> {
        let value = self.quantity::<T>(field)?;
        let held = if value.value < low {
            low
        } else if value.value > high {
            high
        } else {
            return Some(value.value);
        };
        let side = if held == low { "too little" } else { "too much" };
        self.reading.fault(&value.place, format!("{field} of {}: {} is {side}", self.of, value.value), format!("write {low} to {high}"));
        Some(held)
    }

    pub(crate) fn spread<T: Quantity>(&self, field: &'static str) -> Option<Spread<T>> {
        self.read(field, A_RANGE, |t| Spread::read(t)).map(|s| s.value)
    }

    pub(crate) fn reading(&self) -> &'a Reading<'a> {
        self.reading
    }

    pub(crate) fn of(&self) -> &str {
        &self.of
    }

    pub(crate) fn whole(&self, field: &'static str, low: i64, high: i64) -> Option<Located<i64>> {
        let (item, place) = self.item(field)?;
        match item.as_integer() {
            Some(value) if (low..=high).contains(&value) => Some(Located { value, place }),
            _ => {
                self.wrong(&place, field, &format!("a whole number from {low} to {high}"));
                None
            }
        }
    }

    pub(crate) fn yes(&self, field: &'static str) -> Option<Located<bool>> {
        let (item, place) = self.item(field)?;
        match item.as_bool() {
            Some(value) => Some(Located { value, place }),
            None => {
                self.wrong(&place, field, "true or false");
                None
            }
        }
    }

    /// A list of texts; a single text is a list of one.
    pub(crate) fn texts(&self, field: &'static str) -> Option<Vec<Located<String>>> {
        let (item, place) = self.item(field)?;
        Some(self.texts_of(field, item, &place))
    }

    pub(crate) fn texts_of(&self, field: &str, item: &Item, place: &Place) -> Vec<Located<String>> {
        if let Some(value) = item.as_str() {
            return vec![Located { value: value.to_owned(), place: place.clone() }];
        }
        let Some(array) = item.as_array() else {
            self.wrong(place, field, "a list of texts");
            return Vec::new();
        };
        let mut list = Vec::new();
        for value in array {
            let place = self.reading.place(value.span());
            match value.as_str() {
                Some(text) => list.push(Located { value: text.to_owned(), place }),
                None => self.wrong(&place, field, "a list of texts"),
            }
        }
        list
    }

    /// The entries of a nested table, in the order of the file.
    pub(crate) fn entries(&self, field: &'static str) -> Vec<(String, &'a Item, Place)> {
        let Some((item, place)) = self.item(field) else { return Vec::new() };
        match item.as_table_like() {
            Some(table) => entries(self.reading, table),
            None => {
                self.wrong(&place, field, "a table");
                Vec::new()
            }
        }
    }

    /// The names of all fields that are written.
    pub(crate) fn names(&self) -> Vec<String> {
        self.table.iter().filter(|(_, item)| !item.is_none()).map(|(name, _)| name.to_owned()).collect()
    }

    /// Says which fields are unknown. Call it last.
    pub(crate) fn finish(self) {
        let known = self.known.borrow();
        for (name, _, place) in entries(self.reading, self.table) {
            if !known.contains(&name.as_str()) {
                if let Some((_, new)) = RENAMED.iter().find(|(old, new)| *old == name && known.contains(new)) {
                    self.reading.fault(&place, format!("{name} of {} is called {new}", self.of), format!("write {new}"));
                    continue;
                }
                let fix = did_you_mean(&name, known.iter().copied(), &format!("take it out; known here: {}", known.join(", ")));
                self.reading.fault(&place, format!("{} has no field {name}", self.of), fix);
            }
        }
    }
}

/// Fields that had another name, with the one that they have.
const RENAMED: [(&str, &str); 13] = [
    ("insert", "effect"),
    ("holds-down", "ducks"),
    ("weather", "bearings"),
    ("again-after", "cooldown"),
    ("worth", "expires-after"),
    ("speaker", "character"),
    ("old-falls", "fade-out"),
    ("new-rises", "fade-in"),
    ("key", "sidechain"),
    ("rest", "default"),
    ("all", "in-all"),
    ("intensity", "amount"),
    ("volume", "level"),
];

/// Words within values that are called otherwise, with the ones that they are called by.
const SAID_OTHERWISE: [(&str, &str); 5] =
    [("straight", "linear"), ("held", "stepped"), ("gathered", "centred"), ("before the level", "pre-fader"), ("natural", "gentle")];

/// What to write instead, where a text holds a word that is called otherwise; nothing where it does not.
#[must_use]
pub(crate) fn called_otherwise(text: &str) -> Option<String> {
    let has = |word: &str| text.split(|c: char| !c.is_alphabetic() && c != ' ').any(|part| part.trim() == word || part.trim().starts_with(&format!("{word} ")));
    SAID_OTHERWISE.iter().find(|(old, _)| has(old)).map(|(old, new)| format!("{old} is called {new}: write \"{}\"", text.replacen(old, new, 1)))
}

/// The entries of a table with the places of their names, in the order of the file.
pub(crate) fn entries<'a>(reading: &Reading<'_>, table: &'a dyn TableLike) -> Vec<(String, &'a Item, Place)> {
    let mut list: Vec<(usize, String, &Item, Place)> = table
        .iter()
        .filter(|(_, item)| !item.is_none())
        .map(|(name, item)| {
            let span = table.key(name).and_then(toml_edit::Key::span).or_else(|| item.span());
            (span.as_ref().map_or(0, |s| s.start), name.to_owned(), item, reading.place(span))
        })
        .collect();
    list.sort_by_key(|(at, ..)| *at);
    list.into_iter().map(|(_, name, item, place)| (name, item, place)).collect()
}
