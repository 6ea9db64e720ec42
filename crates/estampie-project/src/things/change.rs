//! What can be done with any thing: make it, set its fields, rename it with all that names it, duplicate it, delete it. Each is one edit.

use super::follow::{NOBODY, Seek, Texts, Use};
use super::{Files, Form, Row, Step, Thing, ThingKind, Written, kind_of, pairs};
use crate::document::Refusal;
use crate::document::edit::write_value;
use crate::document::registry::Holds;
use crate::document::{NewValue, Sources, Workspace, did_you_mean};
use crate::language::lex::is_name;
use estampie_engine::dsp::effects::KINDS as EFFECTS;
use std::cell::RefCell;
use toml_edit::{DocumentMut, InlineTable, Item, Key, Table, TableLike, Value};

impl Workspace {
    /// Sets a field of a thing to what was typed, as one edit; an empty text takes the field out. Where names with a text are held
    /// (`hold`, `send`, `from-game`), `NAME: TEXT` adds one.
    ///
    /// # Errors
    /// When the text is no such value, or names something that there is not, unless `anyway`; then nothing is changed.
    pub fn set_row(&mut self, thing: &Thing, row: &Row, typed: &str, anyway: bool) -> Result<(), Refusal> {
        let typed = typed.trim().replace('−', "-");
        // Its takes go along with another rule of picking.
        if thing.kind.word == "sound" && row.key == "pick" {
            return self.set_sounds(&[thing.name()], "pick", &typed);
        }
        if row.written == Written::Pair && pairs::is_table(&typed) {
            return self.fill_pairs(thing, row, &typed);
        }
        let (path, value) = match row.written {
            _ if typed.is_empty() => (row.path.clone(), NewValue::Nothing),
            Written::Pair => {
                let (name, text) = typed.split_once(": ").ok_or_else(|| format!("\"{typed}\" is no name with {}; write NAME: TEXT", row.holds))?;
                // What a piece follows has values with sections in it: two names.
                let names: Vec<&str> = if row.key == "follows" { name.split_whitespace().collect() } else { vec![name.trim()] };
                (row.path.iter().cloned().chain(names.into_iter().map(str::to_owned)).collect(), NewValue::Text(text.trim().to_owned()))
            }
            _ => (row.path.clone(), value_of(row.written, &typed)?),
        };
        let mut toml = self.toml(&thing.file)?;
        let name = match thing.kind.form {
            Form::Pair(_) => format!("{} {}", thing.kind.word, thing.name()),
            _ => format!("{} of {}", path.join("."), self.called(thing)),
        };
        let table = table_mut(&mut toml, around(thing)).ok_or_else(|| Refusal::Gone(self.called(thing)))?;
        put(table, &path, &value);
        self.change_if_named(&name, vec![(thing.file.clone(), Some(toml.to_string()))], anyway)
    }

    /// Fills names with a text each from a table in the project, as one edit: those that stand there already get the table's text.
    fn fill_pairs(&mut self, thing: &Thing, row: &Row, file: &str) -> Result<(), Refusal> {
        let pairs = pairs::read(self.root(), file)?;
        let mut toml = self.toml(&thing.file)?;
        let table = table_mut(&mut toml, around(thing)).ok_or_else(|| Refusal::Gone(self.called(thing)))?;
        for (name, text) in pairs {
            let path: Vec<String> = row.path.iter().cloned().chain([name]).collect();
            put(table, &path, &NewValue::Text(text));
        }
        let name = format!("{} of {} from {file}", row.path.join("."), self.called(thing));
        self.change_if_named(&name, vec![(thing.file.clone(), Some(toml.to_string()))], true)
    }

    /// Makes a thing, as one edit. Things of a kind without names ask for none.
    ///
    /// # Errors
    /// When the name is none or is taken, there is nothing that it could begin with, or the file cannot be edited.
    pub fn make(&mut self, kind: &'static ThingKind, owner: Option<&Thing>, name: &str) -> Result<Thing, Refusal> {
        let mut begins = Vec::new();
        for (field, text) in kind.begins {
            begins.push((*field, self.begin(text)?));
        }
        self.make_with(kind, owner, name, &begins)
    }

    /// Makes a thing that begins with these fields, as one edit.
    ///
    /// # Errors
    /// When the name is none or is taken, what it begins with is at fault, or the file cannot be edited.
    pub fn make_with(&mut self, kind: &'static ThingKind, owner: Option<&Thing>, name: &str, begins: &[(&str, String)]) -> Result<Thing, Refusal> {
        let name = name.trim();
        if kind.named() {
            self.look_at_name(kind, owner, name)?;
        }
        let file = match (kind.files, owner) {
            (_, Some(owner)) => owner.file.clone(),
            (Files::One(file), _) => file.to_owned(),
            (Files::In("sounds"), _) => self.file_for(name),
            (Files::In(folder), _) if kind.word == "piece" => format!("{folder}/{}.toml", name.replace('/', "-")),
            (Files::In(folder), _) => self.files_of(kind.files).into_iter().next().unwrap_or_else(|| format!("{folder}/{folder}.toml")),
        };
        if kind.owner().is_some() && owner.is_none() {
            return Err(format!("a {} belongs to a {}: choose one first", kind.word, kind.owner().map_or("", |k| k.word)).into());
        }
        let mut toml = self.toml(&file)?;
        let mut path = owner.map_or_else(Vec::new, |owner| owner.path.clone());
        let inside = kind.path.iter().rposition(|step| *step == "*").map_or(0, |at| at + 1);
        path.extend(kind.path[inside..].iter().map(|step| Step::Name((*step).to_owned())));
        let way: Vec<&str> = path.iter().filter_map(|step| if let Step::Name(name) = step { Some(name.as_str()) } else { None }).collect();
        let mut table = Table::new();
        for (field, text) in begins.iter().filter(|(field, _)| !field.is_empty()) {
            let holds = kind.table().and_then(|t| t.field(field)).map(|f| f.holds);
            let value = match holds {
                Some(Holds::List(_)) => value_of(Written::List, text)?,
                Some(Holds::Whole(..)) => value_of(Written::Whole, text)?,
                _ => value_of(Written::WholeOrText, text)?,
            };
            let way: Vec<&str> = field.split('.').collect();
            // A thing within the new one, such as a piece's first section, has a heading of its own: it will grow.
            if let [.., last] = way[..]
                && way.len() > 2
                && let Some(within) = made(&mut table, &way[..way.len() - 1])
            {
                write_value(within, last, &value);
                continue;
            }
            put(&mut table, &way.into_iter().map(str::to_owned).collect::<Vec<_>>(), &value);
        }
        let here = toml.as_table_mut();
        match kind.form {
            Form::Whole(_) => return Err(format!("there is only one {}", kind.word).into()),
            Form::Pair(_) => {
                let text = begins.iter().find(|(field, _)| field.is_empty()).map_or("", |(_, text)| text.as_str());
                let table = made(here, &way).ok_or_else(|| Refusal::NoTable(way.join(".")))?;
                table.insert(name, Item::Value(Value::from(text)));
                path.push(Step::Name(name.to_owned()));
            }
            Form::Named(_) => {
                let table_of_them = made(here, &way).ok_or_else(|| Refusal::NoTable(way.join(".")))?;
                table.decor_mut().set_prefix("\n");
                table_of_them.insert(name, Item::Table(table));
                path.push(Step::Name(name.to_owned()));
            }
            Form::Numbered(_) => {
                let (last, above) = way.split_last().ok_or("it belongs nowhere")?;
                let around = made(here, above).ok_or_else(|| Refusal::NoTable(above.join(".")))?;
                let list = around.entry(last).or_insert_with(|| Item::ArrayOfTables(toml_edit::ArrayOfTables::new()));
                let list = list.as_array_of_tables_mut().ok_or_else(|| format!("{last} is no list of tables in {file}"))?;
                table.decor_mut().set_prefix("\n");
                path.push(Step::At(list.len()));
                list.push(table);
            }
        }
        let thing = Thing { kind, file: file.clone(), path };
        self.begin_anew();
        let text = toml.to_string();
        let text = if self.sources().get(&file).is_none_or(|text| text.is_empty()) { text.trim_start() } else { &text };
        self.change_if_read(&format!("new {}", self.called(&thing)), vec![(file, Some(text.to_owned()))])?;
        Ok(thing)
    }

    /// Where a thing is named.
    #[must_use]
    pub fn uses(&self, thing: &Thing) -> Vec<Use> {
        self.seek_uses(thing).seek()
    }

    /// What is needed to find out where a thing is named, so that it can be done aside.
    #[must_use]
    pub fn seek_uses(&self, thing: &Thing) -> Seek {
        let then = if thing.kind.names.is_some() { None } else { self.with_name(thing, NOBODY).map(|(then, _)| then) };
        Seek { texts: self.texts(), then, name: thing.name() }
    }

    fn texts(&self) -> Texts {
        Texts { now: self.sources().clone(), audio: self.audio().clone(), reader: RefCell::default() }
    }

    /// Renames a thing wherever it is named, in all files, as one edit; gives it under its new name and how many names were changed.
    ///
    /// # Errors
    /// When the name is none or is taken, or something that names it cannot be changed; then nothing is.
    pub fn rename(&mut self, thing: &Thing, new: &str) -> Result<(Thing, usize), Refusal> {
        let (new, old) = (new.trim(), thing.name());
        if !thing.kind.named() {
            return Err(format!("a {} has no name", thing.kind.word).into());
        }
        let owner = self.owner_of(thing);
        self.look_at_name(thing.kind, owner.as_ref(), new)?;
        let whose = thing.kind.names.is_some();
        let (then, _) = self.with_name(thing, new).ok_or_else(|| Refusal::Gone(self.called(thing)))?;
        // What bears the name of something else is not what that is named by.
        let (sources, places) = if whose { (then, Vec::new()) } else { self.texts().followed(then, &old, new)? };
        self.change_to(&format!("{} renamed to {new}", thing.whole_name()), &sources);
        let mut renamed = thing.clone();
        renamed.path.pop();
        renamed.path.push(Step::Name(new.to_owned()));
        Ok((renamed, places.len()))
    }

    /// Gives a value of a state another name wherever it is named, in all files, as one edit; gives how many names were changed besides its own.
    ///
    /// # Errors
    /// When it has no such value, the name is none or is taken, or something that names it cannot be changed; then nothing is.
    pub fn rename_value(&mut self, state: &Thing, old: &str, new: &str) -> Result<usize, Refusal> {
        let new = new.trim();
        if !is_name(new) {
            return Err(Refusal::BadName(new.to_owned()));
        }
        let mut toml = self.toml(&state.file)?;
        let table = table_mut(&mut toml, &state.path).ok_or_else(|| Refusal::Gone(self.called(state)))?;
        let values = table.get_mut("values").and_then(Item::as_array_mut).ok_or_else(|| Refusal::missing("value", old))?;
        if values.iter().any(|value| value.as_str() == Some(new)) {
            return Err(Refusal::taken("value", new));
        }
        let value = values.iter_mut().find(|value| value.as_str() == Some(old)).ok_or_else(|| Refusal::missing("value", old))?;
        let decor = value.decor().clone();
        *value = Value::from(new);
        *value.decor_mut() = decor;
        let mut then = self.sources().clone();
        then.set(&state.file, &toml.to_string());
        let (sources, places) = self.texts().followed(then, old, new)?;
        self.change_to(&format!("value {old} of {} renamed to {new}", self.called(state)), &sources);
        Ok(places.len())
    }

    /// Goes over to other texts of the same files, as one edit.
    fn change_to(&mut self, name: &str, sources: &Sources) {
        let changed = sources.texts().filter(|(file, text)| self.sources().get(file).map_or("", |t| t) != *text);
        let files = changed.map(|(file, text)| (file.to_owned(), Some(text.to_owned()))).collect();
        self.begin_anew();
        self.change(name, files);
    }

    /// Renames a sound as [`Workspace::rename`] does; names of sounds are in lower case.
    ///
    /// # Errors
    /// As [`Workspace::rename`], and when there is no such sound.
    pub fn rename_sound(&mut self, old: &str, new: &str) -> Result<(), Refusal> {
        if new != new.to_lowercase() {
            return Err(Refusal::BadName(new.to_owned()));
        }
        let sound = kind_of("sound").and_then(|kind| self.thing_named(kind, old)).ok_or_else(|| Refusal::missing("sound", old))?;
        self.rename(&sound, new).map(|_| ())
    }

    /// Makes a copy of a thing under another name (or beside it in its list), as one edit.
    ///
    /// # Errors
    /// When there is only one of its kind, or the file cannot be edited.
    pub fn duplicate(&mut self, thing: &Thing) -> Result<Thing, Refusal> {
        if let Some(word) = thing.kind.names {
            return Err(format!("there is one {} for each {word}: n makes one for another", thing.kind.word).into());
        }
        let mut toml = self.toml(&thing.file)?;
        let (last, way) = thing.path.split_last().ok_or_else(|| format!("there is only one {}", thing.kind.word))?;
        let gone = || Refusal::Gone(self.called(thing));
        let mut path = way.to_vec();
        match last {
            Step::Name(name) => {
                let new = (2..).map(|n| format!("{name}-{n}")).find(|new| !self.is_taken(thing.kind, self.owner_of(thing).as_ref(), new)).unwrap_or_default();
                let table = table_mut(&mut toml, way).ok_or_else(gone)?;
                let mut copy = table.get(name).cloned().ok_or_else(gone)?;
                loosen(&mut copy);
                if let Some(table) = copy.as_table_mut() {
                    table.decor_mut().set_prefix("\n");
                }
                table.insert(&new, copy);
                path.push(Step::Name(new));
            }
            Step::At(at) => {
                let list = list_mut(&mut toml, way).ok_or_else(gone)?;
                let mut copy = Item::Table(list.get(*at).cloned().ok_or_else(gone)?);
                loosen(&mut copy);
                if let Item::Table(mut copy) = copy {
                    copy.decor_mut().set_prefix("\n");
                    path.push(Step::At(list.len()));
                    list.push(copy);
                }
            }
        }
        let copy = Thing { path, ..thing.clone() };
        self.begin_anew();
        self.change_if_read(&format!("copy of {}", self.called(thing)), vec![(thing.file.clone(), Some(toml.to_string()))])?;
        Ok(copy)
    }

    /// Deletes a thing, as one edit. What names it stays, and is a fault until it is fixed: see [`Workspace::uses`].
    ///
    /// # Errors
    /// When there is only one of its kind, or the file cannot be edited.
    pub fn delete(&mut self, thing: &Thing) -> Result<(), Refusal> {
        let mut toml = self.toml(&thing.file)?;
        let (last, way) = thing.path.split_last().ok_or_else(|| format!("there is only one {}", thing.kind.word))?;
        let gone = format!("{} is gone", self.called(thing));
        match last {
            Step::Name(name) => {
                let removed = table_mut(&mut toml, way).and_then(|table| table.remove(name));
                removed.ok_or(gone)?;
            }
            Step::At(at) => {
                let list = list_mut(&mut toml, way).filter(|list| *at < list.len()).ok_or(gone)?;
                list.remove(*at);
            }
        }
        self.begin_anew();
        self.change(&format!("deletion of {}", self.called(thing)), vec![(thing.file.clone(), Some(toml.to_string()))]);
        Ok(())
    }

    /// Moves a thing that has no name one earlier or later in its list, as one edit; nothing happens at the ends.
    ///
    /// # Errors
    /// When its order means nothing, or the file cannot be edited.
    pub fn shift(&mut self, thing: &Thing, by: isize) -> Result<Thing, Refusal> {
        let Some((Step::At(at), way)) = thing.path.split_last() else { return Err(format!("the order of {} means nothing", thing.kind.many).into()) };
        let mut toml = self.toml(&thing.file)?;
        let list = list_mut(&mut toml, way).ok_or_else(|| Refusal::Gone(self.called(thing)))?;
        let Some(to) = at.checked_add_signed(by).filter(|to| *to < list.len()) else { return Ok(thing.clone()) };
        let (Some(mut one), Some(mut other)) = (list.get(*at).cloned(), list.get(to).cloned()) else { return Ok(thing.clone()) };
        // What stands in the file first stays there; the tables go to each other's places.
        let (here, there) = (one.position(), other.position());
        one.set_position(there);
        other.set_position(here);
        list.replace(*at, other);
        list.replace(to, one);
        self.change(&format!("order of {}", thing.kind.many), vec![(thing.file.clone(), Some(toml.to_string()))]);
        Ok(Thing { path: way.iter().cloned().chain([Step::At(to)]).collect(), ..thing.clone() })
    }

    /// What a thing is called in messages: `bus music`, `duck 2`.
    #[must_use]
    pub fn called(&self, thing: &Thing) -> String {
        if thing.kind.several() { format!("{} {}", thing.kind.word, thing.whole_name()) } else { thing.kind.many.to_owned() }
    }

    /// What a thing belongs to, if to something.
    #[must_use]
    pub fn owner_of(&self, thing: &Thing) -> Option<Thing> {
        let kind = thing.kind.owner()?;
        let at = thing.kind.path.iter().rposition(|step| *step == "*")?;
        Some(Thing { kind, file: thing.file.clone(), path: thing.path[..=at].to_vec() })
    }

    /// Whether a name is one and is free.
    fn look_at_name(&self, kind: &'static ThingKind, owner: Option<&Thing>, name: &str) -> Result<(), Refusal> {
        if !is_name(name) {
            return Err(format!("\"{name}\" is no name: write letters, digits, -, . and /, a letter first").into());
        }
        if self.is_taken(kind, owner, name) {
            return Err(Refusal::taken(kind.word, name));
        }
        if let Some(word) = kind.names
            && let known = self.names(word)
            && !known.iter().any(|known| known == name)
        {
            return Err(format!("there is no {word} {name}; {}", did_you_mean(name, known.iter().map(String::as_str), "its name is that of one")).into());
        }
        Ok(())
    }

    fn is_taken(&self, kind: &'static ThingKind, owner: Option<&Thing>, name: &str) -> bool {
        // A formula is a parameter too.
        let alike: &[&str] = match kind.word {
            "parameter" | "formula" => &["parameter", "formula"],
            "zone" | "shelter" => &["zone", "shelter"],
            _ => &[kind.word],
        };
        let mut all = alike.iter().filter_map(|word| kind_of(word)).flat_map(|kind| self.things(kind));
        all.any(|thing| thing.name() == name && (owner.is_none() || self.owner_of(&thing).as_ref() == owner))
    }

    /// What a field of a new thing begins with: `@KIND` is the first name of a kind.
    fn begin(&self, text: &str) -> Result<String, Refusal> {
        let Some(at) = text.find('@') else { return Ok(text.to_owned()) };
        let end = text[at + 1..].find([' ', ';']).map_or(text.len(), |end| at + 1 + end);
        let word = &text[at + 1..end];
        let first = match word {
            "file" => self.audio().iter().next().cloned(),
            word => self.names(word).into_iter().next(),
        };
        let first = first.ok_or_else(|| if word == "file" { "put audio files into audio/ first".to_owned() } else { format!("make a {word} first") })?;
        Ok(format!("{}{first}{}", &text[..at], &text[end..]))
    }

    /// The texts if a thing had another name, and that name as it is written.
    fn with_name(&self, thing: &Thing, new: &str) -> Option<(Sources, String)> {
        let mut toml = self.toml(&thing.file).ok()?;
        let (Step::Name(old), way) = thing.path.split_last()? else { return None };
        if !thing.kind.named() {
            return None;
        }
        let table = table_mut(&mut toml, way)?;
        rename_key(table, old, new)?;
        // What its name has said until now is said in the field that its name stood for.
        let said =
            thing.kind.table().into_iter().flat_map(|t| t.fields).filter(|field| field.unsaid == "its name" && EFFECTS.iter().any(|kind| kind.word == old));
        for field in said {
            if let Some(inner) = table.get_mut(new).and_then(Item::as_table_like_mut).filter(|inner| !inner.contains_key(field.name)) {
                put(inner, &[field.name.to_owned()], &NewValue::Text(old.clone()));
            }
        }
        let mut sources = self.sources().clone();
        sources.set(&thing.file, &toml.to_string());
        Some((sources, new.to_owned()))
    }

    /// Changes texts unless that makes a new fault in them, or lets a name mean nothing (unless `anyway`).
    fn change_if_named(&mut self, name: &str, files: Vec<(String, Option<String>)>, anyway: bool) -> Result<(), Refusal> {
        if !anyway {
            let mut then = self.sources().clone();
            for (file, text) in &files {
                then.set(file, text.as_deref().unwrap_or_default());
            }
            let texts = self.texts();
            let before = texts.all_faults(&texts.now);
            // Places move with the text: what is said counts.
            let new = texts.all_faults(&then).into_iter().find(|fault| !before.iter().any(|b| b.what == fault.what));
            if let Some(fault) = new {
                return Err(fault.into());
            }
        }
        self.change_if_read(name, files)
    }
}

/// Where a thing's own fields stand: in its table, or, for a name with a text, around it.
fn around(thing: &Thing) -> &[Step] {
    match thing.kind.form {
        Form::Pair(_) => &thing.path[..thing.path.len().saturating_sub(1)],
        _ => &thing.path,
    }
}

/// What was typed, as it is written in a file.
fn value_of(written: Written, typed: &str) -> Result<NewValue, Refusal> {
    Ok(match written {
        Written::Whole => NewValue::Whole(typed.parse().map_err(|_| format!("\"{typed}\" is not a whole number"))?),
        Written::WholeOrText => typed.parse().map_or_else(|_| NewValue::Text(typed.to_owned()), NewValue::Whole),
        Written::YesNo => match typed {
            "yes" | "true" => NewValue::Yes(true),
            "no" | "false" => NewValue::Yes(false),
            _ => return Err(format!("\"{typed}\" is neither true nor false").into()),
        },
        Written::List => NewValue::List(typed.split(';').map(|part| part.trim().to_owned()).filter(|part| !part.is_empty()).collect()),
        Written::Text | Written::Pair => NewValue::Text(typed.to_owned()),
    })
}

/// Sets a field, making the table within if there is none; what stood around the old value stays, and a table that is empty then goes.
fn put(table: &mut dyn TableLike, key: &[String], value: &NewValue) {
    let (first, rest) = match key {
        [] => return,
        [first, rest @ ..] => (first, rest),
    };
    if rest.is_empty() {
        write_value(table, first, value);
        return;
    }
    let is_table = table.get(first).is_some_and(Item::is_table_like);
    if !is_table {
        if *value == NewValue::Nothing {
            return;
        }
        // A shared setting by name becomes a table that is like it, so that one field can be its own.
        let like = table.get(first).and_then(Item::as_str).map(str::to_owned);
        let deep = rest.len() > 1;
        let mut made = if deep { Item::Table(Table::new()) } else { Item::Value(Value::InlineTable(InlineTable::new())) };
        if let (Some(like), Some(table)) = (like, made.as_table_like_mut()) {
            table.insert("like", Item::Value(Value::from(like)));
        }
        if let Some(table) = made.as_table_mut() {
            table.set_implicit(true);
        }
        table.insert(first, made);
    }
    if let Some(inner) = table.get_mut(first).and_then(Item::as_table_like_mut) {
        put(inner, rest, value);
        if inner.is_empty() {
            table.remove(first);
        }
    }
}

/// The table at the end of a way of names, made on the way.
fn made<'a>(table: &'a mut dyn TableLike, way: &[&str]) -> Option<&'a mut dyn TableLike> {
    let mut here = table;
    for name in way {
        if here.get(name).is_none() {
            let mut table = Table::new();
            table.set_implicit(true);
            here.insert(name, Item::Table(table));
        }
        here = here.get_mut(name)?.as_table_like_mut()?;
    }
    Some(here)
}

fn item_mut<'a>(toml: &'a mut DocumentMut, way: &[Step]) -> Option<&'a mut Item> {
    let mut item = toml.as_item_mut();
    for (at, step) in way.iter().enumerate() {
        match step {
            Step::Name(name) => item = item.as_table_like_mut()?.get_mut(name)?,
            // The table of a list is no item: who wants it asks for the list.
            Step::At(_) if at + 1 == way.len() => return Some(item),
            Step::At(_) => return None,
        }
    }
    Some(item)
}

fn table_mut<'a>(toml: &'a mut DocumentMut, way: &[Step]) -> Option<&'a mut dyn TableLike> {
    match way.last() {
        Some(Step::At(at)) => Some(item_mut(toml, way)?.as_array_of_tables_mut()?.get_mut(*at)?),
        _ => item_mut(toml, way)?.as_table_like_mut(),
    }
}

fn list_mut<'a>(toml: &'a mut DocumentMut, way: &[Step]) -> Option<&'a mut toml_edit::ArrayOfTables> {
    item_mut(toml, way)?.as_array_of_tables_mut()
}

/// Gives a key another name, in its place.
fn rename_key(table: &mut dyn TableLike, old: &str, new: &str) -> Option<()> {
    let names: Vec<String> = table.iter().map(|(name, _)| name.to_owned()).collect();
    table.get(old)?;
    let mut entries: Vec<(Key, Item)> = Vec::new();
    for name in names {
        let key = table.key(&name)?.clone();
        let item = table.remove(&name)?;
        let key = if name == old { Key::new(new).with_leaf_decor(key.leaf_decor().clone()).with_dotted_decor(key.dotted_decor().clone()) } else { key };
        entries.push((key, item));
    }
    for (key, item) in entries {
        table.entry_format(&key).or_insert(item);
    }
    Some(())
}

/// Takes the place in the file out of a copy and of all tables in it, so that it is written after what it stands by.
fn loosen(item: &mut Item) {
    if let Some(table) = item.as_table_mut() {
        table.set_position(None);
        table.iter_mut().for_each(|(_, item)| loosen(item));
    }
    if let Some(list) = item.as_array_of_tables_mut() {
        for table in list.iter_mut() {
            table.set_position(None);
            table.iter_mut().for_each(|(_, item)| loosen(item));
        }
    }
}
