//! Names with a text each, filled from a table that somebody else keeps: thirty materials of the game and what each of them is here.

use crate::document::Refusal;
use crate::door;
use std::path::Path;

/// The most rows that are taken from a table.
const MOST_ROWS: usize = 10_000;

/// Whether what was typed for names with a text each is the name of a table rather than a pair.
pub(super) fn is_table(typed: &str) -> bool {
    typed.to_lowercase().ends_with(".csv") && !typed.contains(": ")
}

/// The pairs of a table in the project: a file of comma-separated values (or semicolons, as some programs write it), two columns, no head;
/// further columns are not looked at, and rows without a name are left out. Of rows with the same name the last one counts.
///
/// # Errors
/// When the file is not in the project or cannot be read, with its line; when a row has only one column; when there is no row.
pub(super) fn read(root: &Path, file: &str) -> Result<Vec<(String, String)>, Refusal> {
    let path = door::readable(root, file).map_err(|error| format!("{file}: {error}; a table lies in the project's folder"))?;
    let bytes = std::fs::read(path).map_err(|error| format!("{file}: {error}"))?;
    let text = String::from_utf8(bytes).map_err(|_| format!("{file} is no text in UTF-8; save it as that"))?;
    let text = text.strip_prefix('\u{feff}').unwrap_or(&text);
    let first = text.lines().next().unwrap_or_default();
    let delimiter = if first.contains(';') && !first.contains(',') { b';' } else { b',' };
    let mut reader = csv::ReaderBuilder::new().has_headers(false).flexible(true).trim(csv::Trim::All).delimiter(delimiter).from_reader(text.as_bytes());
    let mut pairs: Vec<(String, String)> = Vec::new();
    for record in reader.records() {
        let record = record.map_err(|error| format!("{file}: {error}"))?;
        let line = record.position().map_or(0, csv::Position::line);
        let name = record.get(0).unwrap_or_default();
        if name.is_empty() {
            continue;
        }
        let Some(text) = record.get(1).filter(|text| !text.is_empty()) else {
            return Err(format!("{file}:{line}: {name} stands alone; write NAME,TEXT").into());
        };
        pairs.retain(|(known, _)| known != name);
        pairs.push((name.to_owned(), text.to_owned()));
        if pairs.len() > MOST_ROWS {
            return Err(format!("{file} has more than {MOST_ROWS} rows").into());
        }
    }
    if pairs.is_empty() { Err(format!("{file} has no rows; write NAME,TEXT in each").into()) } else { Ok(pairs) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn pairs_of(bytes: &[u8]) -> Result<Vec<(String, String)>, String> {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("names.csv"), bytes).unwrap();
        read(folder.path(), "names.csv").map_err(|error| error.to_string())
    }

    #[test]
    fn tables_of_several_programs_are_read_and_others_refused_with_their_line() {
        let two = Ok(vec![("wood".to_owned(), "plank".to_owned()), ("Mesh, wet".to_owned(), "grate".to_owned())]);
        for text in [
            "wood,plank\n\"Mesh, wet\",grate\n",
            "\u{feff}wood;plank\r\nMesh, wet;grate\r\n",
            "wood , plank, a remark\n\n,nothing\n\"Mesh, wet\",grate",
            "wood,silt\n\"Mesh, wet\",silt\nwood,plank\n\"Mesh, wet\",grate\n",
        ] {
            assert_eq!(pairs_of(text.as_bytes()), two, "{text}");
        }
        for (bytes, said) in [(b"wood,plank\nmesh\n".as_slice(), "names.csv:2: mesh stands alone"), (b"", "has no rows"), (b"\xff\xfe", "no text in UTF-8")] {
            assert!(pairs_of(bytes).unwrap_err().contains(said), "{said}");
        }
        let folder = tempfile::tempdir().unwrap();
        for file in ["../names.csv", "/names.csv", "none.csv"] {
            assert!(read(folder.path(), file).is_err(), "{file}");
        }
    }

    proptest! {
        /// Whatever stands in the cells, and however a program quotes it, comes back as it was.
        #[test]
        fn what_is_written_as_a_table_is_read_as_it_was(cells in prop::collection::btree_map("[a-zA-Z\"=+,; \n\u{e9}]{0,6}x", "[a-zA-Z\"=+,; \n]{0,6}y", 1..20)) {
            let mut writer = csv::Writer::from_writer(Vec::new());
            for (name, text) in &cells {
                writer.write_record([name, text]).unwrap();
            }
            // Blanks around a cell are no part of it.
            let mut expected: Vec<(String, String)> = Vec::new();
            for (name, text) in &cells {
                expected.retain(|(known, _)| known != name.trim());
                expected.push((name.trim().to_owned(), text.trim().to_owned()));
            }
            let bytes = writer.into_inner().unwrap();
            let first_line = String::from_utf8(bytes.clone()).unwrap();
            prop_assume!(first_line.lines().next().unwrap().contains(','));
            prop_assert_eq!(pairs_of(&bytes), Ok(expected));
        }
    }
}
