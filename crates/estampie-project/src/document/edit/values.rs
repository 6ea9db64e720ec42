//! Values in a TOML file: read as they are typed, written so that what stands around them stays.

use toml_edit::{Item, Table, Value};

/// A value to be written into a TOML file.
#[derive(Debug, Clone, PartialEq)]
pub enum NewValue {
    /// A text in quotes.
    Text(String),
    /// A whole number.
    Whole(i64),
    /// True or false.
    Yes(bool),
    /// A list of texts.
    List(Vec<String>),
    /// Nothing: the field is taken out.
    Nothing,
}

/// What is written in a field, without quotes; lists are joined by `; `.
pub(crate) fn text_of(item: &Item) -> String {
    match item.as_value() {
        Some(Value::String(text)) => text.value().clone(),
        Some(Value::Array(list)) => list.iter().map(|v| v.as_str().map_or_else(|| v.to_string(), str::to_owned)).collect::<Vec<_>>().join("; "),
        Some(value) => value.clone().decorated("", "").to_string(),
        None => String::new(),
    }
}

/// Sets the value at `path`, making tables on the way; what stood around the old value stays.
pub(super) fn set_in(table: &mut Table, path: &[&str], value: &NewValue) -> Option<()> {
    let (last, way) = path.split_last()?;
    let mut here: &mut dyn toml_edit::TableLike = table;
    for (depth, key) in way.iter().enumerate() {
        if !here.contains_key(key) {
            if *value == NewValue::Nothing {
                return Some(());
            }
            // A field of a field of a sound is an inline table; what is above that has a heading of its own.
            let made = if !inline_below(way, depth) {
                let mut made = Table::new();
                made.set_implicit(way.last() != Some(key));
                Item::Table(made)
            } else {
                Item::Value(Value::InlineTable(Default::default()))
            };
            here.insert(key, made);
        }
        here = here.get_mut(key)?.as_table_like_mut()?;
    }
    write_value(here, last, value);
    Some(())
}

/// Writes a value under a key, or takes it out; what stood around the old value stays, and a table of its own is replaced as a whole.
pub(crate) fn write_value(table: &mut dyn toml_edit::TableLike, key: &str, value: &NewValue) {
    let mut new = match value {
        NewValue::Text(text) => Value::from(text.as_str()),
        NewValue::Whole(number) => Value::from(*number),
        NewValue::Yes(yes) => Value::from(*yes),
        NewValue::List(list) => Value::Array(list.iter().map(String::as_str).collect()),
        NewValue::Nothing => {
            table.remove(key);
            return;
        }
    };
    match table.get_mut(key) {
        Some(item) => {
            if let Some(old) = item.as_value() {
                *new.decor_mut() = old.decor().clone();
            }
            *item = Item::Value(new);
        }
        None => {
            table.insert(key, Item::Value(new));
        }
    }
}

/// Whether the table at `depth` of the way is one of the small ones that sounds have (vary, shape, limit …).
fn inline_below(way: &[&str], depth: usize) -> bool {
    depth > 0 && ["vary", "shape", "limit", "falloff", "repeat", "lines", "priority", "inside", "outside", "closed"].contains(&way[depth])
}
