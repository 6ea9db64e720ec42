//! The names that a game's code uses, as data and as constants: what is misspelt then does not compile.

use serde::{Deserialize, Serialize};
use std::fmt::Write as _;

/// What a name is the name of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum NameKind {
    /// A moment.
    Event,
    /// A number.
    Parameter,
    /// A state.
    State,
    /// A value of a state: `STATE VALUE`.
    Value,
    /// A level that the player sets.
    PlayerLevel,
    /// An emitter that the project declares.
    Emitter,
}

impl NameKind {
    /// All, as constants have them.
    pub const ALL: [(NameKind, &'static str); 6] = [
        (NameKind::Event, "event"),
        (NameKind::Parameter, "parameter"),
        (NameKind::State, "state"),
        (NameKind::Value, "value"),
        (NameKind::PlayerLevel, "level"),
        (NameKind::Emitter, "emitter"),
    ];

    fn word(self) -> &'static str {
        NameKind::ALL.iter().find(|(kind, _)| *kind == self).map_or("", |(_, word)| word)
    }
}

/// A name.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Name {
    /// What it is the name of.
    pub kind: NameKind,
    /// The name.
    pub name: String,
    /// The state that it is a value of.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub of: String,
    /// The least and the greatest value, as the game sends them.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub range: Option<(f32, f32)>,
    /// Its unit.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub unit: String,
    /// Whether every emitter has one of its own.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub each_emitter: bool,
    /// What it means.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub note: String,
}

/// All names, sorted by kind and name.
pub type Names = Vec<Name>;

/// A name as a constant has it.
fn constant(name: &Name) -> String {
    let whole = if name.of.is_empty() { name.name.clone() } else { format!("{} {}", name.of, name.name) };
    let tidy = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_uppercase() } else { '_' };
    format!("{}_{}", name.kind.word().to_uppercase(), whole.chars().map(tidy).collect::<String>())
}

/// Each name with a constant that no other has.
fn constants(names: &[Name]) -> Vec<(String, &Name)> {
    let mut taken = std::collections::BTreeSet::new();
    names
        .iter()
        .map(|name| {
            let mut word = constant(name);
            while !taken.insert(word.clone()) {
                word.push('_');
            }
            (word, name)
        })
        .collect()
}

/// What a constant is, in words.
fn remark(name: &Name) -> String {
    let range = name.range.map_or_else(String::new, |(low, high)| format!("{low} to {high} {}", name.unit).trim_end().to_owned());
    let each = if name.each_emitter { "of each emitter" } else { "" };
    [range.as_str(), each, name.note.as_str()].into_iter().filter(|t| !t.is_empty()).collect::<Vec<_>>().join("; ").replace("*/", "")
}

/// The names as a C header: texts, to be given to `estampie_key` once.
#[must_use]
pub fn c_header(project: &str, names: &[Name]) -> String {
    let mut text = format!("/* Names of {}. Written by estampie bundle; not to be edited. */\n#pragma once\n\n", project.replace("*/", ""));
    for (constant, name) in constants(names) {
        let remark = remark(name);
        let remark = if remark.is_empty() { remark } else { format!(" /* {remark} */") };
        let _ = writeln!(text, "#define ESTAMPIE_{constant} {:?}{remark}", name.name);
    }
    text
}

/// The names as a Rust module.
#[must_use]
pub fn rust_module(project: &str, names: &[Name]) -> String {
    let mut text = format!("//! Names of {project}. Written by estampie bundle; not to be edited.\n#![allow(dead_code)]\n\n");
    for (constant, name) in constants(names) {
        let remark = remark(name);
        if !remark.is_empty() {
            let _ = writeln!(text, "/// {}", remark.replace('\n', " "));
        }
        let _ = writeln!(text, "pub const {constant}: &str = {:?};", name.name);
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    fn name(kind: NameKind, name: &str, of: &str) -> Name {
        Name { kind, name: name.into(), of: of.into(), range: None, unit: String::new(), each_emitter: false, note: String::new() }
    }

    #[test]
    fn constants_are_words_of_a_language_and_each_has_its_own() {
        let mut depth = name(NameKind::Parameter, "depth", "");
        (depth.range, depth.unit, depth.note) = (Some((0.0, 300.0)), "m".into(), "below the */ harbour".into());
        let names = [name(NameKind::Event, "hull.struck", ""), name(NameKind::Event, "hull-struck", ""), depth, name(NameKind::Value, "hunted", "threat")];
        let header = c_header("Brinewick", &names);
        assert!(header.contains("#define ESTAMPIE_EVENT_HULL_STRUCK \"hull.struck\"\n"), "{header}");
        assert!(header.contains("#define ESTAMPIE_EVENT_HULL_STRUCK_ \"hull-struck\"\n"), "{header}");
        assert!(header.contains("#define ESTAMPIE_PARAMETER_DEPTH \"depth\" /* 0 to 300 m; below the  harbour */\n"), "{header}");
        let module = rust_module("Brinewick", &names);
        assert!(module.contains("pub const VALUE_THREAT_HUNTED: &str = \"hunted\";\n"), "{module}");
        assert!(module.contains("/// 0 to 300 m; below the  harbour\npub const PARAMETER_DEPTH"), "{module}");
    }
}
