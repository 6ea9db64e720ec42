//! A table of comma-separated values as a spreadsheet program writes and reads it (RFC 4180): rows of cells, whatever stands between them.

use crate::refusal::Refusal;

/// The most rows that are read.
const MOST_ROWS: usize = 200_000;

/// Rows of cells, the first of them the heads of the columns.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sheet {
    /// The rows, each as long as it is written.
    pub rows: Vec<Vec<String>>,
    /// The line of the text on which each row begins, from 1.
    pub lines: Vec<u32>,
    delimiter: u8,
}

impl Default for Sheet {
    fn default() -> Sheet {
        Sheet { rows: Vec::new(), lines: Vec::new(), delimiter: b',' }
    }
}

/// The text of a file's bytes: UTF-8, with or without a mark, or else Latin-1.
#[must_use]
pub fn text_of(bytes: &[u8]) -> String {
    let text = match std::str::from_utf8(bytes) {
        Ok(text) => text.to_owned(),
        Err(_) => bytes.iter().map(|b| char::from(*b)).collect(),
    };
    text.strip_prefix('\u{feff}').map_or(text.clone(), str::to_owned)
}

/// What stands between the cells of the first row: of commas, semicolons and tabs outside quotes the most frequent.
fn delimiter_of(text: &str) -> u8 {
    let (mut counts, mut quoted) = ([0usize; 3], false);
    for c in text.chars() {
        match c {
            '"' => quoted = !quoted,
            '\n' | '\r' if !quoted => break,
            ',' if !quoted => counts[0] += 1,
            ';' if !quoted => counts[1] += 1,
            '\t' if !quoted => counts[2] += 1,
            _ => {}
        }
    }
    let most = counts.iter().copied().max().unwrap_or(0);
    // Of as many the comma.
    counts.iter().position(|n| *n == most && most > 0).map_or(b',', |at| [b',', b';', b'\t'][at])
}

/// Whether a spreadsheet would take a cell for a formula and run it. Quotes before it do not count, a plain number with its unit is none.
fn runs(cell: &str) -> bool {
    let cell = cell.trim_start_matches('\'');
    if !cell.starts_with(['=', '+', '-', '@', '\t', '\r']) {
        return false;
    }
    let rest = cell.trim_start_matches(['+', '-']);
    let signs = cell.len() - rest.len();
    let digits = rest.trim_start_matches(|c: char| c.is_ascii_digit() || matches!(c, '.' | ','));
    let unit = digits.strip_prefix(' ').unwrap_or(digits);
    !(signs == 1 && digits.len() < rest.len() && unit.chars().all(|c| c.is_alphabetic() || c == '%'))
}

fn guarded(cell: &str) -> String {
    if runs(cell) { format!("'{cell}") } else { cell.to_owned() }
}

fn unguarded(cell: &str) -> String {
    cell.strip_prefix('\'').filter(|rest| runs(rest)).unwrap_or(cell).to_owned()
}

impl Sheet {
    /// Reads a table.
    ///
    /// # Errors
    /// When it has far too many rows, with how many.
    pub fn parse(text: &str) -> Result<Sheet, Refusal> {
        let mut sheet = Sheet { delimiter: delimiter_of(text), ..Sheet::default() };
        let mut reader = csv::ReaderBuilder::new().has_headers(false).flexible(true).delimiter(sheet.delimiter).from_reader(text.as_bytes());
        for record in reader.records() {
            let record = record.map_err(|error| Refusal::from(error.to_string()))?;
            sheet.lines.push(record.position().map_or(0, |p| p.line() as u32));
            sheet.rows.push(record.iter().map(unguarded).collect());
            if sheet.rows.len() > MOST_ROWS {
                return Err(format!("it has more than {MOST_ROWS} rows").into());
            }
        }
        Ok(sheet)
    }

    /// The text of the table. What a spreadsheet would run as a formula stands behind a quote, which is taken off when it is read again.
    #[must_use]
    pub fn text(&self) -> String {
        let mut writer = csv::WriterBuilder::new().flexible(true).delimiter(self.delimiter).from_writer(Vec::new());
        for row in &self.rows {
            // Into memory it always can.
            let _ = writer.write_record(row.iter().map(|cell| guarded(cell)));
        }
        String::from_utf8(writer.into_inner().unwrap_or_default()).unwrap_or_default()
    }

    /// A cell; empty where the row is shorter.
    #[must_use]
    pub fn cell(&self, row: usize, column: usize) -> &str {
        self.rows.get(row).and_then(|r| r.get(column)).map_or("", String::as_str)
    }

    /// Sets a cell; the row becomes long enough.
    pub fn set(&mut self, row: usize, column: usize, value: &str) {
        if let Some(cells) = self.rows.get_mut(row) {
            if cells.len() <= column {
                if value.is_empty() {
                    return;
                }
                cells.resize(column + 1, String::new());
            }
            value.clone_into(&mut cells[column]);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn tables_of_several_programs_are_read() {
        let rows = |text: &str| Sheet::parse(text).unwrap().rows;
        let two = vec![vec!["name".to_owned(), "note".to_owned()], vec!["a".to_owned(), "x, y".to_owned()]];
        assert_eq!(rows("name,note\na,\"x, y\"\n"), two);
        assert_eq!(rows("name;note\r\na;x, y\r\n"), two);
        assert_eq!(rows("name\tnote\na\tx, y"), two);
        assert_eq!(text_of("\u{feff}name".as_bytes()), "name");
        assert_eq!(text_of(b"T\xfcr"), "Tür");
        let sheet = Sheet::parse("a,b\n\"two\nlines\",1\nlast,2\n").unwrap();
        assert_eq!(sheet.lines, [1, 2, 4]);
    }

    #[test]
    fn what_a_spreadsheet_would_run_is_guarded_and_numbers_are_not() {
        for cell in ["=1+1", "@SUM(A1)", "+cmd|' /C calc'!A0", "-2+3", "--1", "'=x", "\t=1", "-"] {
            assert!(guarded(cell).starts_with('\'') && unguarded(&guarded(cell)) == cell, "{cell}");
        }
        for cell in ["-23 LUFS", "-6", "+0,5 dB", "12", "plank", "'quoted'", "a=b", ""] {
            assert_eq!(guarded(cell), cell);
        }
    }

    fn cells() -> impl Strategy<Value = Vec<Vec<String>>> {
        let cell = prop_oneof![
            "\\PC{0,12}",
            Just("=1+1".to_owned()),
            Just("'=1".to_owned()),
            Just("\"".to_owned()),
            Just("two\nlines".to_owned()),
            Just("a;b,c\td".to_owned()),
            Just("🦀 '\"'".to_owned()),
            Just("-5".to_owned()),
        ];
        (1usize..100).prop_flat_map(move |wide| prop::collection::vec(prop::collection::vec(cell.clone(), wide..=wide), 1..6))
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(200))]
        #[test]
        fn what_is_written_is_read_as_it_was(rows in cells(), delimiter in prop::sample::select(vec![b',', b';', b'\t'])) {
            // The first row says what stands between the cells.
            let heads: Vec<String> = (0..rows[0].len()).map(|n| format!("c{n}")).collect();
            let mut all = vec![heads];
            // A line break of old programs is read as one of today's, an empty line as none.
            all.extend(rows.into_iter().map(|r| r.into_iter().map(|c| c.replace('\r', "\n")).collect::<Vec<_>>()).filter(|r| r.len() > 1 || !r[0].is_empty()));
            let sheet = Sheet { lines: Vec::new(), rows: all, delimiter };
            let again = Sheet::parse(&sheet.text()).unwrap();
            prop_assert_eq!(&again.rows, &sheet.rows);
            prop_assert_eq!(again.text(), sheet.text());
        }
    }
}
