//! Edits of music: transitions between sections, layers.

use super::Refusal;
use super::edit::NewValue;
use super::{Document, SILENCE, Workspace, registry};
use estampie_engine::music::exact::read as exact;
use toml_edit::{ArrayOfTables, Item, Table, Value, value};

/// The fields of a transition that can be edited, with what counts if nothing is written.
pub const TRANSITION_FIELDS: [&str; 8] = ["leave", "by-way-of", "arrive", "fade-out", "fade-in", "overlap", "allowed", "accepted"];

/// What counts where a field of a transition is not written, in words.
#[must_use]
pub fn unsaid_of_transition(field: &str) -> &'static str {
    match registry::TRANSITION.field(field).map_or("", |f| f.unsaid) {
        "" => "nothing",
        "true" => "yes",
        words => words,
    }
}

impl Workspace {
    /// Sets a field of the way from a section to another, as one edit; an empty text takes the field out. A way that is
    /// not written yet is added.
    ///
    /// # Errors
    /// When the piece is gone, or the text cannot be read; then nothing is changed.
    pub fn set_transition(&mut self, piece: &str, from: &str, to: &str, field: &str, text: &str) -> Result<(), Refusal> {
        let doc = self.document().music.piece(piece).ok_or_else(|| Refusal::missing("piece", piece))?;
        let file = doc.file.clone();
        let written = doc.transitions.iter().find(|t| t.from.value == from && t.to.value == to).map(|t| t.written);
        let mut toml = self.toml(&file)?;
        let table =
            toml.get_mut("piece").and_then(|p| p.get_mut(piece)).and_then(Item::as_table_like_mut).ok_or_else(|| Refusal::Gone("the piece".to_owned()))?;
        if table.get("transition").is_none() {
            table.insert("transition", Item::ArrayOfTables(ArrayOfTables::new()));
        }
        let list = table.get_mut("transition").and_then(Item::as_array_of_tables_mut).ok_or("transition is not a list of tables")?;
        let way = match written {
            Some(at) => list.get_mut(at).ok_or_else(|| Refusal::Gone("the transition".to_owned()))?,
            None => {
                let mut way = Table::new();
                way.insert("from", value(from));
                way.insert("to", value(to));
                list.push(way);
                let last = list.len() - 1;
                list.get_mut(last).ok_or_else(|| Refusal::Gone("the transition".to_owned()))?
            }
        };
        match text.trim() {
            "" => {
                way.remove(field);
            }
            "no" | "false" if field == "allowed" => {
                put(way, field, false.into());
            }
            _ if field == "allowed" => {
                way.remove(field);
            }
            text => {
                put(way, field, text.into());
            }
        }
        let new = toml.to_string();
        let mut sources = self.sources().clone();
        sources.set(&file, &new);
        let (_, faults) = self.read(&sources);
        let before: Vec<String> = self.faults().iter().map(ToString::to_string).collect();
        if let Some(fault) = faults.iter().find(|f| f.place.file == file && !before.contains(&f.to_string()) && f.what.contains(field)) {
            return Err(fault.clone().into());
        }
        self.replace(&format!("{field} of {from} ⟶ {to}"), &file, &new);
        Ok(())
    }

    /// Sets the length of a section in bars and its tempo (as text: `92`, `93.7`, `281/3`), as one edit. The tempo of the only section of a
    /// piece is the piece's; where the piece has the same one, the section needs none of its own.
    ///
    /// # Errors
    /// When the section is gone, or the tempo or the bars cannot be; then nothing is changed.
    pub fn set_tempo_and_bars(&mut self, piece: &str, section: &str, tempo: &str, bars: u32) -> Result<(), Refusal> {
        let doc = self.document().music.piece(piece).ok_or_else(|| Refusal::missing("piece", piece))?;
        let only = doc.sections.len() == 1;
        let within = doc.sections.iter().find(|s| s.name == section).ok_or_else(|| Refusal::missing("section", section))?;
        let (file, same, own) = (doc.file.clone(), exact(tempo) == Some(doc.tempo), !within.tempo.is_empty());
        let section_path = vec!["piece", piece, "section", section];
        let at = |field| [section_path.clone(), vec![field]].concat();
        let mut values = vec![(file.as_str(), at("bars"), NewValue::Whole(i64::from(bars)))];
        if only && !same {
            values.push((&file, vec!["piece", piece, "tempo"], NewValue::Text(tempo.to_owned())));
        }
        if only || same {
            if own {
                values.push((&file, at("tempo"), NewValue::Nothing));
            }
        } else {
            values.push((&file, at("tempo"), NewValue::Text(tempo.to_owned())));
        }
        self.set_if_read(&format!("tempo and bars of {piece}/{section}"), &values)
    }

    /// Puts a marker on a bar (from 1) of a section, as one edit.
    ///
    /// # Errors
    /// When the section is gone, has a marker of that name already, or the name or the bar cannot be; then nothing is changed.
    pub fn put_marker(&mut self, piece: &str, section: &str, marker: &str, bar: u32) -> Result<(), Refusal> {
        let doc = self.document().music.piece(piece).ok_or_else(|| Refusal::missing("piece", piece))?;
        let within = doc.sections.iter().find(|s| s.name == section).ok_or_else(|| Refusal::missing("section", section))?;
        if within.markers.iter().any(|(name, _)| name == marker) {
            return Err(format!("{section} has a marker {marker} already").into());
        }
        let file = doc.file.clone();
        let path = vec!["piece", piece, "section", section, "markers", marker];
        self.set_if_read(&format!("marker {marker} of {piece}/{section}"), &[(&file, path, NewValue::Text(bar.to_string()))])
    }

    /// Sets a value of a layer, as one edit; an empty text takes it out.
    ///
    /// # Errors
    /// When the piece is gone, the file cannot be edited, or the value cannot be read; then nothing is changed.
    pub fn set_layer(&mut self, piece: &str, section: &str, layer: &str, field: &str, text: &str) -> Result<(), Refusal> {
        let doc = self.document().music.piece(piece).ok_or_else(|| Refusal::missing("piece", piece))?;
        let file = doc.file.clone();
        let value = if text.trim().is_empty() { NewValue::Nothing } else { NewValue::Text(text.to_owned()) };
        self.set_if_read(&format!("{field} of {piece}/{layer}"), &[(&file, vec!["piece", piece, "section", section, "layer", layer, field], value)])
    }
}

/// Sets a value and keeps what stands around it: spaces, and a comment behind it.
fn put(table: &mut Table, field: &str, mut new: Value) {
    match table.get_mut(field) {
        Some(Item::Value(old)) => {
            *new.decor_mut() = old.decor().clone();
            *old = new;
        }
        _ => {
            table.insert(field, Item::Value(new));
        }
    }
}

/// The ends that a transition can have: the piece's sections, and silence.
#[must_use]
pub fn ends(document: &Document, piece: &str) -> Vec<String> {
    let sections = document.music.piece(piece).map_or(Vec::new(), |p| p.sections.iter().map(|s| s.name.clone()).collect::<Vec<_>>());
    sections.into_iter().chain([SILENCE.to_owned()]).collect()
}
