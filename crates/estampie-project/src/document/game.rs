//! `estampie.toml` and `game.toml`: the project itself, and what the game tells it.

use super::bundles::{BudgetDoc, BundlePartDoc, EncodingDoc, read_budget, read_encodings, read_parts};
use super::fields::{Fields, Located, Reading, entries, parse_toml};
use super::midi_controls::read_midi;
use super::registry;
use super::{Document, Place};
use crate::language::lex::is_plain_name;
use crate::language::{Expression, Measure, formula, measure};
use crate::stock::{COLUMNS, Column, Rule};
use estampie_engine::units::ValueError;
use estampie_engine::units::{Decibels, Hertz, Seconds, split_number};
use std::collections::{BTreeMap, HashSet};

/// The most values of a state: beyond some dozens it is no state.
const MOST_VALUES: usize = 10_000;

/// `estampie.toml`.
#[derive(Debug, Clone, PartialEq)]
pub struct Manifest {
    /// The project's name as people say it.
    pub name: String,
    /// Frames a second of everything inside (48 000).
    pub rate: u32,
    /// How it should feel, in a few words.
    pub direction: Vec<String>,
    /// How audio files are named.
    pub naming: Rule,
    /// What the columns of the team's spreadsheet are called: head, and the column's word.
    pub stock_columns: BTreeMap<String, String>,
    /// The most voices at once, 1 to 4096 (256).
    pub voices: u32,
    /// What no sample exceeds, in dB below full scale (−1 dB).
    pub ceiling: Decibels,
    /// The loudness that the whole should have, in LUFS, if there is one.
    pub target_lufs: Option<f32>,
    /// Parts of the bundle that a game loads by themselves.
    pub parts: Vec<BundlePartDoc>,
    /// How audio is stored in the bundle.
    pub encodings: Vec<EncodingDoc>,
    /// How much it may cost.
    pub budget: BudgetDoc,
}

impl Default for Manifest {
    fn default() -> Self {
        Manifest {
            name: "untitled".into(),
            rate: 48_000,
            direction: Vec::new(),
            naming: Rule::default(),
            stock_columns: BTreeMap::new(),
            voices: 256,
            ceiling: Decibels(-1.0),
            target_lufs: None,
            parts: Vec::new(),
            encodings: Vec::new(),
            budget: BudgetDoc::default(),
        }
    }
}

/// How far from its target a whole may be and still count as there, in LU.
pub const TARGET_WITHIN: f32 = 2.0;

/// Reads a target of loudness, in LUFS.
///
/// # Errors
/// With what is wrong, as a sentence.
pub fn read_target(text: &str) -> Result<f32, ValueError> {
    let number = text.trim().strip_suffix("LUFS").map(str::trim).and_then(|n| n.replace('−', "-").parse::<f32>().ok());
    let value = number.ok_or_else(|| ValueError::not(text.trim(), "a loudness, like \"-18 LUFS\""))?;
    if (-60.0..=0.0).contains(&value) { Ok(value) } else { Err(format!("a loudness of {value} LUFS is out of range").into()) }
}

/// A moment that the game tells of.
#[derive(Debug, Clone)]
pub struct EventDoc {
    /// Its name.
    pub name: String,
    /// What it means, for people.
    pub note: String,
    /// Where it is declared.
    pub place: Place,
}

/// A name of the game's for an event, a parameter or a state of ours.
#[derive(Debug, Clone, PartialEq)]
pub struct GameName {
    /// What the game calls it.
    pub theirs: String,
    /// What it is called here.
    pub ours: Located<String>,
}

/// Where a parameter's value comes from.
#[derive(Debug, Clone, PartialEq)]
pub enum ValueOf {
    /// The game tells it.
    Game,
    /// The engine measures it.
    Measure(Located<Measure>),
    /// A formula gives it.
    Formula(Located<Expression>),
}

/// A number that the game tells, or that is worked out.
#[derive(Debug, Clone)]
pub struct ParameterDoc {
    /// Its name.
    pub name: String,
    /// The unit, perhaps none.
    pub unit: String,
    /// The least value.
    pub low: f32,
    /// The greatest value.
    pub high: f32,
    /// The value before the game says anything.
    pub rest: f32,
    /// Where its value comes from.
    pub source: ValueOf,
    /// Whether every emitter has a value of its own.
    pub of_each: bool,
    /// The game's own range, if its numbers are mapped onto ours.
    pub from_game: Option<(f32, f32)>,
    /// In this time 90 % of a jump upwards is followed.
    pub rise: Seconds,
    /// In this time 90 % of a jump downwards is followed.
    pub fall: Seconds,
    /// What it means.
    pub note: String,
    /// Where it is declared.
    pub place: Place,
}

/// A named value that the game tells.
#[derive(Debug, Clone)]
pub struct StateDoc {
    /// Its name.
    pub name: String,
    /// Its values.
    pub values: Vec<Located<String>>,
    /// The one at the start, as an index of `values`.
    pub start: usize,
    /// The game's names for our values: game's name, index of `values`.
    pub dictionary: Vec<(String, usize)>,
    /// What it means.
    pub note: String,
    /// Where it is declared.
    pub place: Place,
}

pub(super) fn read_manifest(reading: &Reading<'_>) -> Manifest {
    let toml = parse_toml(reading.file, reading.text, reading.faults);
    let fields = Fields::new(reading, &registry::PROJECT, toml.as_table(), "the project", Place::whole(reading.file));
    let mut manifest = Manifest::default();
    match fields.whole("format", 1, 1) {
        Some(_) => {}
        None => reading.fault(&Place::whole(reading.file), "the file's format is not said", "write \"format = 1\" as its first line"),
    }
    if let Some(name) = fields.text("name") {
        manifest.name = name.value;
    }
    if let Some(rate) = fields.quantity::<Hertz>("rate") {
        if (8_000.0..=192_000.0).contains(&rate.value.0) {
            manifest.rate = rate.value.0.round() as u32;
        } else {
            reading.fault(&rate.place, format!("the rate is {}", rate.value), "write a rate from 8 kHz to 192 kHz, like \"48 kHz\"");
        }
    }
    if let Some(words) = fields.texts("direction") {
        manifest.direction = words.into_iter().map(|w| w.value).collect();
    }
    if let Some(voices) = fields.whole("voices", 1, 4096) {
        manifest.voices = voices.value as u32;
    }
    if let Some(target) = fields.text("loudness") {
        match read_target(&target.value) {
            Ok(value) => manifest.target_lufs = Some(value),
            Err(what) => reading.fault(&target.place, what, "write a loudness from -60 to 0 LUFS, like \"-18 LUFS\""),
        }
    }
    if let Some(ceiling) = fields.quantity::<Decibels>("ceiling") {
        if (-24.0..=0.0).contains(&ceiling.value.0) {
            manifest.ceiling = ceiling.value;
        } else {
            reading.fault(&ceiling.place, format!("the ceiling is {}", ceiling.value), "write a ceiling from -24 dB to 0 dB");
        }
    }
    if let Some(naming) = fields.text("naming") {
        match Rule::read(&naming.value) {
            Some(rule) => manifest.naming = rule,
            None => {
                reading.fault(&naming.place, format!("\"{}\" is no naming rule", naming.value), "write words and an N for each digit, like \"place/thing_NN\"");
            }
        }
    }
    for (head, item, place) in fields.entries("stock-columns") {
        match item.as_str().filter(|word| Column::of(word).is_some()) {
            Some(word) => drop(manifest.stock_columns.insert(head, word.to_owned())),
            None => {
                let words = COLUMNS.iter().map(|c| c.word).collect::<Vec<_>>().join(", ");
                reading.fault(&place, format!("{head} is called no column of the stock"), format!("write one of {words} in quotes"));
            }
        }
    }
    manifest.parts = read_parts(&fields);
    manifest.encodings = read_encodings(&fields);
    manifest.budget = read_budget(&fields);
    fields.finish();
    manifest
}

pub(super) fn read_game(reading: &Reading<'_>, document: &mut Document) {
    let toml = parse_toml(reading.file, reading.text, reading.faults);
    let fields = Fields::new(reading, &registry::GAME, toml.as_table(), "game.toml", Place::whole(reading.file));
    for (name, item, place) in fields.entries("events") {
        document.events.extend(noted(reading, "event", name, item, place));
    }
    for (name, item, place) in fields.entries("emitters") {
        document.emitters.extend(noted(reading, "emitter", name, item, place));
    }
    for (name, item, place) in fields.entries("parameters") {
        if well_named(reading, &name, &place)
            && let Some(fields) = fields.inside("parameters", item, format!("the parameter {name}"), place.clone())
        {
            document.parameters.extend(parameter(reading, name, fields));
        }
    }
    for (name, item, place) in fields.entries("formulas") {
        if well_named(reading, &name, &place) {
            if let Some(parameter) = document.parameters.iter().find(|p| p.name == name) {
                let what = format!("{name} is a parameter already, at {}", parameter.place);
                reading.fault(&place, what, "give one of them another name");
                continue;
            }
            document.parameters.extend(formula(reading, &name, item, &place));
        }
    }
    for (name, item, place) in fields.entries("states") {
        if well_named(reading, &name, &place)
            && let Some(fields) = fields.inside("states", item, format!("the state {name}"), place.clone())
        {
            if let Some(parameter) = document.parameters.iter().find(|p| p.name == name) {
                let what = format!("{name} is a parameter already, at {}", parameter.place);
                reading.fault(&place, what, "give one of them another name");
                continue;
            }
            document.states.extend(state(reading, name, fields));
        }
    }
    for (theirs, item, place) in fields.entries("from-game") {
        document.from_game.extend(game_name(reading, document, theirs, item, &place));
    }
    for (letter, item, place) in fields.entries("pads") {
        document.pads.extend(pad(reading, document, &letter, item, &place));
    }
    read_midi(reading, document, &fields);
    fields.finish();
}

/// The letters that can send events in the view Stage: all that have no other use there. Those that are not given away go to the other events, in this order.
pub const PADS: &[char] = &['d', 'f', 'g', 'b', 'n', 'v', 'c', 'x', 'z', 't', 'i', 'o', 'a', 'r', 'D', 'F', 'G', 'B', 'N', 'V'];

/// A letter and the event that it sends.
fn pad(reading: &Reading<'_>, document: &Document, letter: &str, item: &toml_edit::Item, place: &Place) -> Option<(char, Located<String>)> {
    let Some(pad) = PADS.iter().copied().find(|pad| *letter == pad.to_string()) else {
        let all: Vec<String> = PADS.iter().map(ToString::to_string).collect();
        reading.fault(place, format!("\"{letter}\" is no letter that is free on the Stage"), format!("take one of {}", all.join(" ")));
        return None;
    };
    let event = item.as_str().unwrap_or_default();
    let inside = reading.place(item.span());
    if !document.events.iter().any(|e| e.name == event) {
        let known = document.events.iter().map(|e| e.name.as_str());
        reading.fault(
            &inside,
            format!("there is no event {event} for the letter {letter}"),
            super::did_you_mean(event, known, "write the name of an event in quotes"),
        );
        return None;
    }
    Some((pad, Located { value: event.to_owned(), place: inside }))
}

impl Document {
    /// The letters of the Stage, each with the place of the event that it sends: as they are laid out, and the rest in the order of the events.
    #[must_use]
    pub fn laid_out_pads(&self) -> Vec<(char, usize)> {
        let place = |name: &str| self.events.iter().position(|e| e.name == name);
        let mut pads: Vec<(char, usize)> = self.pads.iter().filter_map(|(pad, event)| Some((*pad, place(&event.value)?))).collect();
        let free = PADS.iter().copied().filter(|pad| !pads.iter().any(|(p, _)| p == pad));
        let rest = (0..self.events.len()).filter(|at| !pads.iter().any(|(_, event)| event == at));
        // No further than there are letters: events may be many.
        let more: Vec<(char, usize)> = free.zip(rest).collect();
        pads.extend(more);
        pads
    }
}

/// A name of the game's, if there is something here that it can be the name of.
fn game_name(reading: &Reading<'_>, document: &Document, theirs: String, item: &toml_edit::Item, place: &Place) -> Option<GameName> {
    let Some(ours) = item.as_str() else {
        reading.fault(place, format!("what the game's {theirs} is called here is not said"), format!("write \"{theirs}\" = \"hull.struck\""));
        return None;
    };
    let Document { events, parameters, states, .. } = document;
    let told = || {
        let of_game = parameters.iter().filter(|p| p.source == ValueOf::Game);
        events.iter().map(|e| e.name.as_str()).chain(of_game.map(|p| p.name.as_str())).chain(states.iter().map(|s| s.name.as_str()))
    };
    if told().any(|name| name == theirs) {
        reading.fault(place, format!("{theirs} is a name here already"), "take this line out, or give what is called so here another name");
        return None;
    }
    let inside = reading.place(item.span());
    if !told().any(|name| name == ours) {
        let worked_out = parameters.iter().any(|p| p.name == ours);
        let what =
            if worked_out { format!("{ours} is worked out here: the game cannot send it") } else { format!("there is no event, parameter or state {ours}") };
        reading.fault(&inside, what, super::did_you_mean(ours, told(), "write the name of one that the game sends"));
        return None;
    }
    Some(GameName { theirs, ours: Located { value: ours.to_owned(), place: inside } })
}

/// A name with what it means.
fn noted(reading: &Reading<'_>, what: &str, name: String, item: &toml_edit::Item, place: Place) -> Option<EventDoc> {
    if !well_named(reading, &name, &place) {
        return None;
    }
    let note = item.as_str().map(str::to_owned);
    if note.is_none() {
        reading.fault(&place, format!("the {what} {name} has no note in quotes"), format!("write \"{name}\" = \"what it means\""));
    }
    Some(EventDoc { name, note: note.unwrap_or_default(), place })
}

/// Whether `name` can be a name; says so if not.
pub(super) fn well_named(reading: &Reading<'_>, name: &str, place: &Place) -> bool {
    let fine = is_plain_name(name);
    if !fine {
        let tidy: String = name.to_lowercase().chars().map(|c| if c.is_alphanumeric() || "-./".contains(c) { c } else { '-' }).collect();
        reading.fault(
            place,
            format!("\"{name}\" cannot be a name"),
            format!("names are in lower case, with - between words and a letter first; {}?", tidy.trim_matches('-')),
        );
    }
    fine
}

/// The ends of a range such as `0..40 m`.
fn range(text: &str, unit: &str) -> Option<(f32, f32)> {
    let number = |text: &str| split_number(text).filter(|(_, own)| own.is_empty() || *own == unit).map(|(n, _)| n as f32);
    let (low, high) = text.split_once("..")?;
    Some((number(low)?, number(high)?)).filter(|(low, high)| low < high)
}

fn parameter(reading: &Reading<'_>, name: String, fields: Fields<'_>) -> Option<ParameterDoc> {
    let mut source = ValueOf::Game;
    if let Some(text) = fields.text("measure") {
        match measure::parse(reading.file, text.place.line, &text.value) {
            Ok(measure) => source = ValueOf::Measure(Located { value: measure, place: text.place }),
            Err(fault) => reading.faults.borrow_mut().push(crate::document::Fault { place: text.place, ..fault }),
        }
    }
    let usual = if let ValueOf::Measure(measure) = &source { Some(measure.value.usual()) } else { None };
    let unit = fields.text("unit").map_or_else(|| usual.map_or_else(String::new, |u| u.2.to_owned()), |u| u.value);
    let of_each = match &source {
        ValueOf::Measure(measure) => measure.value.of_each(),
        _ => fields
            .read("of", "\"each emitter\"", |text| if text == "each emitter" { Ok(()) } else { Err(ValueError::not(text, "what a parameter can be of")) })
            .is_some(),
    };
    let written = fields.text("range");
    let from_game = fields.text("from-game").and_then(|text| {
        let found = range(&text.value, "");
        if found.is_none() {
            reading.fault(
                &text.place,
                format!("from-game of the parameter {name}: \"{}\" is not a range", text.value),
                "write the game's range, like \"0..255\"",
            );
        }
        found
    });
    let rest = fields.text("default");
    let unsaid = if matches!(&source, ValueOf::Measure(m) if m.value.is_motion()) { Seconds(0.1) } else { Seconds(0.0) };
    let rise = fields.quantity("rise").map_or(unsaid, |t| t.value);
    let fall = fields.quantity("fall").map_or(unsaid, |t| t.value);
    let note = fields.text("note").map_or_else(String::new, |n| n.value);
    let place = fields.place.clone();
    fields.finish();
    let (low, high) = match (written, usual) {
        (None, Some((low, high, _))) => (low, high),
        (None, None) => {
            reading.fault(&place, format!("the parameter {name} has no range"), "write range = \"0..1\"");
            return None;
        }
        (Some(text), _) => match range(&text.value, &unit) {
            Some(ends) => ends,
            None => {
                let fix = format!("write two numbers, the lower first, like \"0..100{}{unit}\"", if unit.is_empty() { "" } else { " " });
                reading.fault(&text.place, format!("range of the parameter {name}: \"{}\" is not a range", text.value), fix);
                return None;
            }
        },
    };
    let mut at_rest = low.max(0.0_f32.min(high));
    if source == ValueOf::Game {
        at_rest = low;
    }
    if let Some(rest) = rest {
        match split_number(&rest.value).filter(|(_, own)| own.is_empty() || *own == unit).map(|(n, _)| n as f32) {
            Some(value) if (low..=high).contains(&value) => at_rest = value,
            _ => reading.fault(
                &rest.place,
                format!("rest of the parameter {name}: \"{}\" is not in its range", rest.value),
                format!("write a number from {low} to {high}"),
            ),
        }
    }
    Some(ParameterDoc { name, unit, low, high, rest: at_rest, source, of_each, from_game, rise, fall, note, place })
}

/// A formula: its text alone, or a table with `is` and what parameters have.
fn formula(reading: &Reading<'_>, name: &str, item: &toml_edit::Item, place: &Place) -> Option<ParameterDoc> {
    let mut doc = ParameterDoc {
        name: name.to_owned(),
        unit: String::new(),
        low: -1e6,
        high: 1e6,
        rest: 0.0,
        source: ValueOf::Game,
        of_each: false,
        from_game: None,
        rise: Seconds(0.0),
        fall: Seconds(0.0),
        note: String::new(),
        place: place.clone(),
    };
    let text = if let Some(text) = item.as_str() {
        Located { value: text.to_owned(), place: reading.place(item.span()) }
    } else {
        let fields = Fields::of_item(reading, &registry::FORMULA, item, format!("the formula {name}"), place.clone())?;
        doc.unit = fields.text("unit").map_or_else(String::new, |u| u.value);
        if let Some(text) = fields.text("range") {
            match range(&text.value, &doc.unit) {
                Some(ends) => (doc.low, doc.high) = ends,
                None => reading.fault(
                    &text.place,
                    format!("range of the formula {name}: \"{}\" is not a range", text.value),
                    "write two numbers, the lower first, like \"0..1\"",
                ),
            }
        }
        doc.rise = fields.quantity("rise").map_or(Seconds(0.0), |t| t.value);
        doc.fall = fields.quantity("fall").map_or(Seconds(0.0), |t| t.value);
        doc.note = fields.text("note").map_or_else(String::new, |n| n.value);
        let is = fields.text("is");
        fields.finish();
        match is {
            Some(text) => text,
            None => {
                reading.fault(place, format!("the formula {name} is not said"), "write is = \"max(a, b)\"");
                return None;
            }
        }
    };
    doc.rest = 0.0_f32.clamp(doc.low, doc.high);
    // The column counts from inside the quotes.
    let inside = Place { column: text.place.column + 1, ..text.place.clone() };
    match formula::parse(&inside, &text.value) {
        Ok(expression) => {
            doc.source = ValueOf::Formula(Located { value: expression, place: inside });
            Some(doc)
        }
        Err(fault) => {
            reading.faults.borrow_mut().push(fault);
            None
        }
    }
}

fn state(reading: &Reading<'_>, name: String, fields: Fields<'_>) -> Option<StateDoc> {
    let mut values = fields.texts("values").unwrap_or_default();
    values.retain(|v| well_named(reading, &v.value, &v.place));
    if let Some(first) = values.get(MOST_VALUES) {
        reading.fault(
            &first.place,
            format!("the state {name} has more than {MOST_VALUES} values"),
            "leave out those that nothing asks for, or make a parameter of it",
        );
        values.truncate(MOST_VALUES);
    }
    let mut seen: HashSet<String> = HashSet::new();
    values.retain(|v| {
        let new = seen.insert(v.value.clone());
        if !new {
            reading.fault(&v.place, format!("the state {name} has the value {} twice", v.value), "take one out");
        }
        new
    });
    let start = fields.text("start");
    let entries_of = fields.entries("from-game");
    let note = fields.text("note").map_or_else(String::new, |n| n.value);
    let place = fields.place.clone();
    fields.finish();
    if values.is_empty() {
        reading.fault(&place, format!("the state {name} has no values"), "write values = [\"one\", \"other\"]");
        return None;
    }
    let index = |text: &str| values.iter().position(|v| v.value == text);
    let known = || values.iter().map(|v| v.value.as_str());
    let mut at_start = 0;
    if let Some(start) = start {
        match index(&start.value) {
            Some(value) => at_start = value,
            None => {
                let fix = super::did_you_mean(&start.value, known(), "write one of its values");
                reading.fault(&start.place, format!("the state {name} has no value {}", start.value), fix);
            }
        }
    }
    let mut dictionary = Vec::new();
    for (theirs, item, place) in entries_of {
        let ours = item.as_str().unwrap_or_default();
        match index(ours) {
            Some(value) => dictionary.push((theirs, value)),
            None => {
                let fix = super::did_you_mean(ours, known(), "write one of its values in quotes");
                reading.fault(&place, format!("the state {name} has no value \"{ours}\" for the game's {theirs}"), fix);
            }
        }
    }
    Some(StateDoc { name, values, start: at_start, dictionary, note, place })
}

/// The top-level tables of a file, for files that are one list of named things.
pub(super) fn named_tables(reading: &Reading<'_>, kind: &'static registry::Table, what: &str, mut take: impl FnMut(String, Fields<'_>)) {
    let toml = parse_toml(reading.file, reading.text, reading.faults);
    for (name, item, place) in entries(reading, toml.as_table()) {
        if well_named(reading, &name, &place)
            && let Some(fields) = Fields::of_item(reading, kind, item, format!("the {what} {name}"), place)
        {
            take(name, fields);
        }
    }
}
