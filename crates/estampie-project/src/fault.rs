//! What is wrong with a project, where, and how to fix it.

use std::fmt;

/// A place in one of the project's files; lines and columns count from 1 (0 when the fault is the whole file's).
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Default, Hash)]
pub struct Place {
    /// The file, relative to the project's folder, with `/` between folders.
    pub file: String,
    /// The line.
    pub line: u32,
    /// The column, in characters.
    pub column: u32,
}

impl Place {
    /// The place of byte `offset` in `text`. For many places of one text, [`Lines`] counts its lines once.
    #[must_use]
    pub fn in_text(file: &str, text: &str, offset: usize) -> Place {
        Lines::of(text).place(file, text, offset)
    }

    /// A whole file.
    #[must_use]
    pub fn whole(file: &str) -> Place {
        Place { file: file.to_owned(), line: 0, column: 0 }
    }
}

/// Where the lines of a text begin.
#[derive(Debug, Clone, Default)]
pub struct Lines {
    starts: Vec<usize>,
    /// How many characters begin before each [`STRIDE`] bytes: all of a project may stand on one line.
    characters: Vec<usize>,
}

/// Characters are counted from one of these to the next at most, in bytes.
const STRIDE: usize = 1024;

/// How many characters begin in these bytes.
fn beginning(bytes: &[u8]) -> usize {
    // All that do not go on with one.
    bytes.iter().filter(|byte| (**byte as i8) >= -0x40).count()
}

impl Lines {
    /// Those of a text.
    #[must_use]
    pub fn of(text: &str) -> Lines {
        let starts = std::iter::once(0).chain(text.match_indices('\n').map(|(at, _)| at + 1)).collect();
        let mut characters = vec![0];
        for bytes in text.as_bytes().chunks(STRIDE) {
            characters.push(characters[characters.len() - 1] + beginning(bytes));
        }
        Lines { starts, characters }
    }

    /// How many characters begin before a byte of the text.
    fn before(&self, text: &str, offset: usize) -> usize {
        let stride = (offset / STRIDE).min(self.characters.len().saturating_sub(1));
        self.characters.get(stride).copied().unwrap_or(0) + beginning(&text.as_bytes()[stride * STRIDE..offset])
    }

    /// The place of byte `offset` in `text`, whose lines these are; in the middle of a character, of that character.
    #[must_use]
    pub fn place(&self, file: &str, text: &str, offset: usize) -> Place {
        let mut offset = offset.min(text.len());
        while !text.is_char_boundary(offset) {
            offset -= 1;
        }
        let line = self.starts.partition_point(|start| *start <= offset).max(1);
        let start = self.starts.get(line - 1).copied().unwrap_or(0).min(offset);
        // Most lines are short.
        let characters =
            if offset - start <= STRIDE { beginning(&text.as_bytes()[start..offset]) } else { self.before(text, offset) - self.before(text, start) };
        Place { file: file.to_owned(), line: line as u32, column: characters as u32 + 1 }
    }
}

impl fmt::Display for Place {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.line == 0 { f.write_str(&self.file) } else { write!(f, "{}:{}:{}", self.file, self.line, self.column) }
    }
}

/// One thing that is wrong with a project. What it touches is left out; the rest of the project works.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Fault {
    /// Where.
    pub place: Place,
    /// What is wrong, as a short sentence without a full stop.
    pub what: String,
    /// What to do about it.
    pub fix: String,
    /// The audio that is named there and is not where it should be, as it is written.
    pub misses: Option<String>,
}

impl Fault {
    /// A fault at a place.
    pub fn new(place: &Place, what: impl Into<String>, fix: impl Into<String>) -> Fault {
        Fault { place: place.clone(), what: what.into(), fix: fix.into(), misses: None }
    }

    /// It is because audio is not where it should be.
    #[must_use]
    pub fn missing(self, path: &str) -> Fault {
        Fault { misses: Some(path.to_owned()), ..self }
    }
}

impl fmt::Display for Fault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}: {}; {}", self.place, self.what, self.fix)
    }
}

/// "X or Y?" for a fix, or the ways to find the right name.
#[must_use]
pub fn did_you_mean<'a>(wrong: &str, known: impl IntoIterator<Item = &'a str>, otherwise: &str) -> String {
    match nearest(wrong, known) {
        Some(name) => format!("{name}?"),
        None => otherwise.to_owned(),
    }
}

/// The known name that is nearest to `wrong` by spelling, if any is near enough to be meant.
#[must_use]
pub fn nearest<'a>(wrong: &str, known: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    known
        .into_iter()
        .map(|name| {
            // A name that only lacks or adds an ending is nearer than its edit distance says.
            let extended = name.starts_with(wrong) || wrong.starts_with(name);
            let likeness = strsim::normalized_damerau_levenshtein(wrong, name);
            (name, if extended && !wrong.is_empty() { likeness.max(0.6) } else { likeness })
        })
        .filter(|(_, likeness)| *likeness >= 0.55)
        .max_by(|a, b| a.1.total_cmp(&b.1))
        .map(|(name, _)| name)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_nearest_name_is_the_one_meant() {
        let known = ["hull.struck", "hull/groan-deep", "winch.start", "step"];
        assert_eq!(nearest("hul.struck", known), Some("hull.struck"));
        assert_eq!(nearest("hull/groan", known), Some("hull/groan-deep"));
        assert_eq!(nearest("zebra", known), None);
        assert_eq!(nearest("", known), None);
    }

    #[test]
    fn places_count_lines_and_characters_from_one() {
        let text = "eins\nzwei älter\n";
        assert_eq!(Place::in_text("f", text, 0).to_string(), "f:1:1");
        assert_eq!(Place::in_text("f", text, text.find("lter").unwrap()).to_string(), "f:2:7");
        assert_eq!(Place::in_text("f", text, 10_000).line, 3);
        // As counted by hand, at every byte.
        let lines = Lines::of(text);
        for offset in 0..=text.len() {
            let whole = (0..=offset).rev().find(|at| text.is_char_boundary(*at)).unwrap();
            let before: Vec<char> = text[..whole].chars().collect();
            let line = 1 + before.iter().filter(|c| **c == '\n').count() as u32;
            let column = 1 + before.iter().rev().take_while(|c| **c != '\n').count() as u32;
            assert_eq!(lines.place("f", text, offset), Place { file: "f".into(), line, column }, "{offset}");
        }
        assert_eq!(Lines::of("").place("f", "", 3).to_string(), "f:1:1");
        // A long line, with characters of every length over the strides.
        let long: String = (0..4_000).map(|i| ['a', 'ä', '⟶', '𝄞'][i * 7 % 4]).collect();
        let lines = Lines::of(&long);
        for (at, (offset, _)) in long.char_indices().enumerate() {
            assert_eq!(lines.place("f", &long, offset).column as usize, at + 1);
        }
    }
}
