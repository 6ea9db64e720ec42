//! The columns of the stock: a row of the table for each, with what it is called elsewhere.

use std::collections::BTreeMap;

/// A column.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[allow(missing_docs, reason = "the table says what each is")]
pub enum Column {
    Name,
    Kind,
    Variations,
    Channels,
    Length,
    Loudness,
    Priority,
    Source,
    Where,
    Note,
    Deadline,
    Person,
    Mark,
    MarkNote,
}

/// What is known of a column.
pub struct Spec {
    /// Which.
    pub column: Column,
    /// Its head.
    pub word: &'static str,
    /// What else it is called in spreadsheets, in small letters and digits alone.
    aliases: &'static [&'static str],
    /// What it holds.
    pub says: &'static str,
}

const fn spec(column: Column, word: &'static str, aliases: &'static [&'static str], says: &'static str) -> Spec {
    Spec { column, word, aliases, says }
}

/// How many columns there are.
pub(super) const COUNT: usize = 14;

/// One row for each column, in the order in which they are written.
pub static COLUMNS: [Spec; COUNT] = [
    spec(
        Column::Name,
        "name",
        &["sound", "soundname", "asset", "assetname", "item", "filename", "file", "id"],
        "what it is called: its files are named after it",
    ),
    spec(Column::Kind, "kind", &["type", "category"], "one-shot, loop, bed, lines, layer or stinger"),
    spec(Column::Variations, "variations", &["takes", "variants", "variation", "count", "quantity", "qty"], "how many recordings of it are wanted"),
    spec(Column::Channels, "channels", &["channel", "monostereo"], "mono or stereo"),
    spec(Column::Length, "length", &["duration", "seconds"], "how long, like 0.4 s"),
    spec(Column::Loudness, "loudness", &["lufs", "targetloudness"], "how loud, like -20 LUFS"),
    spec(Column::Priority, "priority", &["prio", "importance"], "how soon it is needed; 1 is first"),
    spec(Column::Source, "source", &["emitter", "madeby", "object", "soundsource"], "who or what makes the sound"),
    spec(Column::Where, "where", &["place", "location", "scene", "area", "map"], "where in the game"),
    spec(Column::Note, "note", &["notes", "comment", "comments", "description", "remarks"], "for people"),
    spec(Column::Deadline, "deadline", &["due", "duedate", "date"], "until when, like 2027-03-01"),
    spec(Column::Person, "person", &["who", "assignee", "assignedto", "owner", "responsible"], "who makes it"),
    spec(Column::Mark, "mark", &["approval", "verdict"], "approved or retake"),
    spec(Column::MarkNote, "mark note", &["marknote", "verdictnote"], "why"),
];

impl Column {
    /// What is known of it.
    #[must_use]
    pub fn spec(self) -> &'static Spec {
        // They stand in their order.
        &COLUMNS[self as usize]
    }

    /// The column of a word.
    #[must_use]
    pub fn of(word: &str) -> Option<Column> {
        COLUMNS.iter().find(|s| s.word == word).map(|s| s.column)
    }
}

fn plain(head: &str) -> String {
    head.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}

/// Which column of a sheet is which.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Columns([Option<usize>; COUNT]);

impl Columns {
    /// By the heads of a sheet: as they are called here, as `said` has it (head to column), or else by what such columns are often called.
    #[must_use]
    pub fn of(heads: &[String], said: &BTreeMap<String, String>) -> Columns {
        let mut columns = Columns::default();
        let heads: Vec<&str> = heads.iter().map(|h| h.trim()).collect();
        let find = |fits: &dyn Fn(&str) -> bool| heads.iter().position(|head| fits(head));
        for spec in &COLUMNS {
            let by_word = || find(&|head| head.eq_ignore_ascii_case(spec.word));
            let by_said = || find(&|head| said.get(head).is_some_and(|word| word == spec.word));
            columns.0[spec.column as usize] = by_said().or_else(by_word);
        }
        for spec in &COLUMNS {
            // What has a meaning already is not taken for another.
            let free = |at: &usize| !columns.0.contains(&Some(*at)) && !said.contains_key(heads[*at]);
            let found = (0..heads.len()).filter(free).find(|at| spec.aliases.contains(&plain(heads[*at]).as_str()));
            let own = &mut columns.0[spec.column as usize];
            if own.is_none() {
                *own = found;
            }
        }
        columns
    }

    /// Where a column stands.
    #[must_use]
    pub fn at(&self, column: Column) -> Option<usize> {
        self.0[column as usize]
    }

    /// Says where a column stands.
    pub fn put(&mut self, column: Column, at: usize) {
        self.0[column as usize] = Some(at);
    }

    /// The heads of a sheet that are none of them.
    pub fn foreign<'a>(&'a self, heads: &'a [String]) -> impl Iterator<Item = &'a str> {
        heads.iter().enumerate().filter(|(at, head)| !self.0.contains(&Some(*at)) && !head.trim().is_empty()).map(|(_, head)| head.as_str())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_are_found_by_what_they_are_called_here_by_what_was_said_and_elsewhere() {
        assert!(COLUMNS.iter().enumerate().all(|(at, spec)| spec.column as usize == at));
        let heads = |text: &str| text.split('|').map(str::to_owned).collect::<Vec<_>>();
        let all = heads("Sound Name|Type|Qty|Länge|Comments|Budget|note");
        let columns = Columns::of(&all, &[("Länge".to_owned(), "length".to_owned())].into());
        let at = |column| columns.at(column);
        assert_eq!((at(Column::Name), at(Column::Kind), at(Column::Variations)), (Some(0), Some(1), Some(2)));
        // What is called so here comes before what is often called so.
        assert_eq!((at(Column::Length), at(Column::Note), at(Column::Mark)), (Some(3), Some(6), None));
        assert_eq!(columns.foreign(&all).collect::<Vec<_>>(), ["Comments", "Budget"]);
        assert_eq!(Columns::of(&heads("foo|bar"), &BTreeMap::new()), Columns::default());
    }
}
