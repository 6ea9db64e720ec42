//! What differs between two states of a project's texts, value by value.

use super::Sources;
use std::collections::{BTreeMap, BTreeSet};
use toml_edit::{DocumentMut, Item, Value};

/// A value that is not the same in two states of a project.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Difference {
    /// The file.
    pub file: String,
    /// The value, as `buses music level`; empty for a text that holds no values (reactions, playthroughs).
    pub what: String,
    /// As it is in the first state, as written; `None` if it is not there.
    pub first: Option<String>,
    /// As it is in the second.
    pub second: Option<String>,
}

/// All values that differ, in the order of files and values. Comments and spaces do not count.
#[must_use]
pub fn differences(first: &Sources, second: &Sources) -> Vec<Difference> {
    let files: BTreeSet<&str> = first.texts().chain(second.texts()).map(|(file, _)| file).collect();
    let mut list = Vec::new();
    for file in files {
        let texts = [first, second].map(|s| s.get(file).map(|t| &**t));
        if texts[0] == texts[1] {
            continue;
        }
        let read = texts.map(|t| values(file, t.unwrap_or_default()));
        let [Some(old), Some(new)] = &read else {
            list.push(whole(file, texts));
            continue;
        };
        let names: BTreeSet<&String> = old.keys().chain(new.keys()).collect();
        for what in names {
            if old.get(what) != new.get(what) {
                list.push(Difference { file: file.to_owned(), what: what.clone(), first: old.get(what).cloned(), second: new.get(what).cloned() });
            }
        }
    }
    list
}

/// A text of sentences that differs: how many of its lines are in the one and not in the other.
fn whole(file: &str, texts: [Option<&str>; 2]) -> Difference {
    let lines = texts.map(|t| t.map(|t| t.lines().map(str::trim).filter(|l| !l.is_empty()).collect::<Vec<_>>()));
    let beyond = |at: usize| {
        let (mine, other) = (lines[at].as_ref()?, lines[1 - at].as_deref().unwrap_or_default());
        let count = mine.iter().filter(|l| !other.contains(l)).count();
        Some(if count == 1 { "1 line of its own".to_owned() } else { format!("{count} lines of its own") })
    };
    Difference { file: file.to_owned(), what: String::new(), first: beyond(0), second: beyond(1) }
}

/// The values of a TOML file by their paths; `None` if it is no such file.
fn values(file: &str, text: &str) -> Option<BTreeMap<String, String>> {
    if !file.ends_with(".toml") {
        return None;
    }
    let toml: DocumentMut = text.parse().ok()?;
    let mut found = BTreeMap::new();
    for (key, item) in toml.iter() {
        flatten(key, item, &mut found);
    }
    Some(found)
}

fn flatten(path: &str, item: &Item, found: &mut BTreeMap<String, String>) {
    let written = |value: &Value| value.as_str().map_or_else(|| value.clone().decorated("", "").to_string(), str::to_owned);
    if let Some(table) = item.as_table_like() {
        // Of effects the order counts as well.
        if path.ends_with(" effect") && table.len() > 1 {
            let order: Vec<&str> = table.iter().map(|(key, _)| key).collect();
            found.insert(format!("{path} order"), order.join(", "));
        }
        for (key, inner) in table.iter() {
            flatten(&format!("{path} {key}"), inner, found);
        }
    } else if let Some(tables) = item.as_array_of_tables() {
        for (at, table) in tables.iter().enumerate() {
            for (key, inner) in table {
                flatten(&format!("{path} {} {key}", at + 1), inner, found);
            }
        }
    } else if let Some(value) = item.as_value() {
        found.insert(path.to_owned(), written(value));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(first: &[(&str, &str)], second: &[(&str, &str)]) -> Vec<String> {
        let list = differences(&Sources::from_texts(first.iter().copied()), &Sources::from_texts(second.iter().copied()));
        let word = |v: Option<String>| v.unwrap_or_else(|| "nothing".into());
        list.into_iter().map(|d| format!("{} | {} | {} | {}", d.file, d.what, word(d.first), word(d.second))).collect()
    }

    #[test]
    fn values_are_compared_whatever_stands_around_them() {
        let old = "# a mix\n[buses.music]\nlevel = \"-4 dB\"\nsend = { nave = \"-9 dB\" }\n[[duck]]\nby = \"-3 dB\"\n";
        let new = "[buses.music]   # the same mix\nlevel = \"-6 dB\"\nsend = { nave = \"-9 dB\", pipe = \"-20 dB\" }\n[[duck]]\nby   =   \"-3 dB\"\nover = \"-40 dB\"\n";
        assert_eq!(
            found(&[("mix.toml", old)], &[("mix.toml", new)]),
            [
                "mix.toml | buses music level | -4 dB | -6 dB",
                "mix.toml | buses music send pipe | nothing | -20 dB",
                "mix.toml | duck 1 over | nothing | -40 dB"
            ]
        );
        assert_eq!(found(&[("mix.toml", old)], &[("mix.toml", &format!("{old}# more\n"))]), Vec::<String>::new(), "a comment is no difference");
    }

    #[test]
    fn the_order_of_effects_is_a_difference() {
        let mix = |order: [&str; 2]| format!("[buses.a.effect.{}]\n[buses.a.effect.{}]\n", order[0], order[1]);
        assert_eq!(
            found(&[("mix.toml", &mix(["eq", "gain"]))], &[("mix.toml", &mix(["gain", "eq"]))]),
            ["mix.toml | buses a effect order | eq, gain | gain, eq"]
        );
    }

    #[test]
    fn sentences_and_whole_files_are_told_by_their_lines() {
        let (old, new) = ("When hit\n  play a\n", "When hit\n  play b\n  play c\n");
        assert_eq!(found(&[("x.reactions", old)], &[("x.reactions", new)]), ["x.reactions |  | 1 line of its own | 2 lines of its own"]);
        assert_eq!(found(&[], &[("x.reactions", old)]), ["x.reactions |  | nothing | 2 lines of its own"]);
        assert_eq!(found(&[("a.toml", "x = 1\n")], &[("a.toml", "x = [\n")]).len(), 1, "what cannot be read is told as a whole");
    }
}
