//! The stock (`stock.csv`): every sound that the game will need, before it exists, with what is wanted of it and how far it is.

mod columns;
mod cut;
mod merge;
mod placeholder;
mod rule;
mod sheet;
mod version;

pub use columns::{COLUMNS, Column, Columns};
pub use cut::{Cut, TRIM_WORDS, Trim, exact_seconds, file_of, take_words};
pub use merge::{Conflict, Merged, Wins, exported, merge};
pub use placeholder::{Placeholder, is_placeholder};
pub use rule::{Rule, USUAL, thing_of};
pub use sheet::{Sheet, text_of};
pub use version::{next_version, older, version_of};

use crate::fault::{Fault, Place, did_you_mean};
use crate::refusal::Refusal;
use std::collections::{BTreeMap, HashMap};

/// The stock's file.
pub const FILE: &str = "stock.csv";

/// How the stock was when it was last exchanged with a spreadsheet: what both sides have changed since is told by it.
pub const LAST: &str = "stock.last.csv";

/// What an item is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub enum Kind {
    /// It sounds once.
    #[default]
    OneShot,
    /// It goes round.
    Loop,
    /// It lies under a place.
    Bed,
    /// It is spoken.
    Lines,
    /// It is a part of a piece.
    Layer,
    /// It sounds over the music.
    Stinger,
}

impl Kind {
    /// All, with their words and what else they are called.
    pub const ALL: [(Kind, &'static str, &'static [&'static str]); 6] = [
        (Kind::OneShot, "one-shot", &["oneshot", "one shot", "sfx", "shot"]),
        (Kind::Loop, "loop", &["looping", "loops"]),
        (Kind::Bed, "bed", &["ambience", "ambient", "background"]),
        (Kind::Lines, "lines", &["line", "voice", "dialogue", "dialog", "vo"]),
        (Kind::Layer, "layer", &["music", "stem"]),
        (Kind::Stinger, "stinger", &["sting"]),
    ];

    /// Its word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Kind::ALL.iter().find(|(kind, ..)| *kind == self).map_or("", |(_, word, _)| word)
    }

    /// The kind of a word.
    #[must_use]
    pub fn read(text: &str) -> Option<Kind> {
        let text = text.trim().to_lowercase();
        Kind::ALL.iter().find(|(_, word, others)| *word == text || others.contains(&text.as_str())).map(|(kind, ..)| *kind)
    }
}

/// What a person has said of it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Mark {
    /// It is as it should be.
    Approved,
    /// It has to be made again.
    Retake,
}

impl Mark {
    /// Its word.
    #[must_use]
    pub fn word(self) -> &'static str {
        if self == Mark::Approved { "approved" } else { "retake" }
    }
}

/// One sound that the game will need.
#[derive(Debug, Clone, PartialEq)]
pub struct Item {
    /// What it is called; its files are named after it.
    pub name: String,
    /// What it is.
    pub kind: Kind,
    /// How many recordings are wanted, at least one.
    pub variations: u32,
    /// One channel or two, if it is said.
    pub channels: Option<u8>,
    /// Seconds, if they are said.
    pub seconds: Option<f64>,
    /// Loudness in LUFS, if it is said.
    pub lufs: Option<f64>,
    /// What a person has said.
    pub mark: Option<Mark>,
    /// Texts of the other columns, by column.
    pub texts: BTreeMap<Column, String>,
    /// The row of the sheet.
    pub row: usize,
    /// Where it is written.
    pub place: Place,
}

impl Item {
    /// The text of a column; empty if nothing is said.
    #[must_use]
    pub fn text(&self, column: Column) -> &str {
        self.texts.get(&column).map_or("", String::as_str)
    }
}

/// The stock of a project.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Stock {
    /// Its items, in their order.
    pub items: Vec<Item>,
}

/// A length: `0.4 s`, `400 ms`, `1:20`, or seconds alone.
#[must_use]
pub fn read_seconds(text: &str) -> Option<f64> {
    let text = text.trim().replace(',', ".");
    let seconds = match text.split_once(':') {
        Some((minutes, seconds)) => minutes.trim().parse::<f64>().ok()? * 60.0 + seconds.trim().parse::<f64>().ok()?,
        None => match text.strip_suffix("ms") {
            Some(ms) => ms.trim().parse::<f64>().ok()? / 1e3,
            None => text.trim_end_matches("sec").trim_end_matches('s').trim().parse().ok()?,
        },
    };
    (seconds > 0.0 && seconds <= 7_200.0).then_some(seconds)
}

/// A loudness: `-20 LUFS`, `-20`.
#[must_use]
pub fn read_lufs(text: &str) -> Option<f64> {
    let text = text.trim().replace(',', ".").replace('−', "-");
    let number = text.to_lowercase();
    let number = number.trim_end_matches("lufs").trim_end_matches("db").trim();
    number.parse::<f64>().ok().filter(|lufs| (-70.0..=0.0).contains(lufs))
}

/// One channel or two.
#[must_use]
pub fn read_channels(text: &str) -> Option<u8> {
    match text.trim().to_lowercase().as_str() {
        "mono" | "1" => Some(1),
        "stereo" | "2" => Some(2),
        _ => None,
    }
}

/// A mark of a person: `Some(None)` is none.
#[must_use]
pub fn read_mark(text: &str) -> Option<Option<Mark>> {
    match text.trim().to_lowercase().as_str() {
        "" => Some(None),
        "approved" | "ok" | "yes" => Some(Some(Mark::Approved)),
        "retake" | "redo" | "no" => Some(Some(Mark::Retake)),
        _ => None,
    }
}

/// What a column cannot hold, and what it can, in words.
///
/// # Errors
/// With what is wrong and what to write.
pub fn check(column: Column, text: &str) -> Result<(), (String, String)> {
    let text = text.trim();
    if text.is_empty() {
        return if column == Column::Name { Err(("an item has no name".into(), "write what it is called, like step/plank".into())) } else { Ok(()) };
    }
    let wrong = |what: &str, fix: &str| Err((format!("\"{text}\" is no {what}"), fix.to_owned()));
    match column {
        Column::Name if !crate::language::lex::is_plain_name(text) => {
            wrong("name of an item", "names are in small letters, with - between words and / after the place: step/plank")
        }
        Column::Kind if Kind::read(text).is_none() => {
            let fix = did_you_mean(text, Kind::ALL.iter().map(|(_, word, _)| *word), "write one-shot, loop, bed, lines, layer or stinger");
            wrong("kind of an item", &fix)
        }
        Column::Variations if text.parse::<u32>().ok().is_none_or(|n| !(1..=999).contains(&n)) => wrong("number of variations", "write a number from 1 to 999"),
        Column::Channels if read_channels(text).is_none() => wrong("number of channels", "write mono or stereo"),
        Column::Length if read_seconds(text).is_none() => wrong("length", "write seconds, like 0.4 s, or 1:20"),
        Column::Loudness if read_lufs(text).is_none() => wrong("loudness", "write a loudness from -70 to 0 LUFS, like -20 LUFS"),
        Column::Deadline if read_date(text).is_none() => wrong("date", "write year, month and day, like 2027-03-01"),
        Column::Mark if read_mark(text).is_none() => wrong("mark", "write approved or retake"),
        _ => Ok(()),
    }
}

/// A day as a number that grows with it: `2027-03-01`, or `1.3.2027`.
#[must_use]
pub fn read_date(text: &str) -> Option<u32> {
    let numbers = |separator: char| -> Option<Vec<u32>> { text.trim().split(separator).map(|part| part.trim().parse().ok()).collect() };
    let (year, month, day) = match (numbers('-').as_deref(), numbers('.').as_deref()) {
        (Some([year, month, day]), _) | (_, Some([day, month, year])) => (*year, *month, *day),
        _ => return None,
    };
    ((1900..3000).contains(&year) && (1..=12).contains(&month) && (1..=31).contains(&day)).then_some(year * 10_000 + month * 100 + day)
}

/// Reads the stock: its items, and what is wrong with its text. `said` tells what its columns are called.
#[must_use]
pub fn read(text: &str, said: &BTreeMap<String, String>) -> (Stock, Vec<Fault>) {
    let mut faults = Vec::new();
    let mut stock = Stock::default();
    let at = |line: u32| Place { file: FILE.into(), line, column: 1 };
    let sheet = match Sheet::parse(text) {
        Ok(sheet) => sheet,
        Err(error) => {
            faults.push(Fault::new(&Place::whole(FILE), format!("it is no table: {error}"), "save it as comma-separated values"));
            return (stock, faults);
        }
    };
    let Some(heads) = sheet.rows.first() else { return (stock, faults) };
    let columns = Columns::of(heads, said);
    if columns.at(Column::Name).is_none() {
        let what = format!("none of its columns is the name of an item: {}", heads.join(", "));
        faults.push(Fault::new(&at(1), what, "call it name, or say in estampie.toml: stock-columns = { \"COLUMN\" = \"name\" }"));
        return (stock, faults);
    }
    let mut known: HashMap<String, u32> = HashMap::new();
    for row in 1..sheet.rows.len() {
        let place = at(sheet.lines.get(row).copied().unwrap_or(0));
        let cell = |column: Column| columns.at(column).map_or("", |at| sheet.cell(row, at).trim());
        // A row of somebody's remarks is none of an item.
        if cell(Column::Name).is_empty() {
            continue;
        }
        let mut fine = |column: Column| match check(column, cell(column)) {
            Ok(()) => Some(cell(column)).filter(|text| !text.is_empty()),
            Err((what, fix)) => {
                faults.push(Fault::new(&place, what, fix));
                None
            }
        };
        let Some(name) = fine(Column::Name).map(str::to_owned) else { continue };
        let (kind, variations) = (fine(Column::Kind).and_then(Kind::read), fine(Column::Variations).and_then(|n| n.parse().ok()));
        let (channels, seconds, lufs) =
            (fine(Column::Channels).and_then(read_channels), fine(Column::Length).and_then(read_seconds), fine(Column::Loudness).and_then(read_lufs));
        let mark = fine(Column::Mark).and_then(|m| read_mark(m).flatten());
        fine(Column::Deadline);
        if let Some(first) = known.insert(name.clone(), place.line) {
            faults.push(Fault::new(&place, format!("there is an item {name} already, on line {first}"), "give one of them another name; the first one counts"));
            known.insert(name, first);
            continue;
        }
        let texts = COLUMNS.iter().map(|s| (s.column, cell(s.column).to_owned())).filter(|(_, text)| !text.is_empty()).collect();
        stock.items.push(Item { name, kind: kind.unwrap_or_default(), variations: variations.unwrap_or(1), channels, seconds, lufs, mark, texts, row, place });
    }
    (stock, faults)
}

/// The text of the stock with columns of an item set; a new item if there is none of that name. An empty text takes a cell out.
///
/// # Errors
/// When a column cannot hold its text, or the table cannot be read.
pub fn with(text: &str, said: &BTreeMap<String, String>, name: &str, cells: &[(Column, &str)]) -> Result<String, Refusal> {
    for (column, text) in cells {
        check(*column, text).map_err(|(what, fix)| Refusal::from(format!("{what}; {fix}")))?;
    }
    let mut sheet = Sheet::parse(text)?;
    let mut columns = ready(&mut sheet, said);
    let name_at = columns.at(Column::Name).unwrap_or(0);
    let row = match (1..sheet.rows.len()).find(|row| sheet.cell(*row, name_at).trim() == name) {
        Some(row) => row,
        None => {
            // As long as the first, as spreadsheets write them.
            let wide = sheet.rows[0].len();
            sheet.rows.push(vec![String::new(); wide]);
            let row = sheet.rows.len() - 1;
            sheet.set(row, name_at, name);
            row
        }
    };
    for (column, value) in cells {
        let at = column_of(&mut sheet, &mut columns, *column);
        sheet.set(row, at, value.trim());
    }
    Ok(sheet.text())
}

/// The text of the stock without items.
///
/// # Errors
/// When the table cannot be read.
pub fn without(text: &str, said: &BTreeMap<String, String>, names: &[&str]) -> Result<String, Refusal> {
    let mut sheet = Sheet::parse(text)?;
    let columns = ready(&mut sheet, said);
    let name_at = columns.at(Column::Name).unwrap_or(0);
    let mut row = 0;
    sheet.rows.retain(|cells| {
        row += 1;
        row == 1 || cells.get(name_at).is_none_or(|cell| !names.contains(&cell.trim()))
    });
    Ok(sheet.text())
}

/// Makes a sheet one that can take items: with heads, and with a column for names.
fn ready(sheet: &mut Sheet, said: &BTreeMap<String, String>) -> Columns {
    if sheet.rows.is_empty() {
        sheet.rows.push(COLUMNS.iter().map(|s| s.word.to_owned()).collect());
    }
    let mut columns = Columns::of(&sheet.rows[0], said);
    column_of(sheet, &mut columns, Column::Name);
    columns
}

/// Where a column stands; it is added at the end if it is not there.
fn column_of(sheet: &mut Sheet, columns: &mut Columns, column: Column) -> usize {
    columns.at(column).unwrap_or_else(|| {
        let at = sheet.rows[0].len();
        sheet.rows[0].push(column.spec().word.to_owned());
        columns.put(column, at);
        at
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn none() -> BTreeMap<String, String> {
        BTreeMap::new()
    }

    #[test]
    fn items_are_read_and_what_is_wrong_has_its_line() {
        let text = "name,kind,variations,channels,length,loudness,deadline,budget\nstep/plank,one-shot,4,mono,400 ms,-20,2027-03-01,3\n,,,,,,,a remark\nquay/bed,ambience,,stereo,1:20,-30 LUFS,,\nstep/plank,loop,,,,,,\nquay/Bad,,,,,,,\nquay/odd,drone,0,5.1,soon,loud,tomorrow,\n";
        let (stock, faults) = read(text, &none());
        let names: Vec<&str> = stock.items.iter().map(|i| i.name.as_str()).collect();
        assert_eq!(names, ["step/plank", "quay/bed", "quay/odd"]);
        let plank = &stock.items[0];
        assert_eq!((plank.kind, plank.variations, plank.channels, plank.seconds, plank.lufs), (Kind::OneShot, 4, Some(1), Some(0.4), Some(-20.0)));
        assert_eq!((stock.items[1].kind, stock.items[1].seconds, stock.items[1].variations), (Kind::Bed, Some(80.0), 1));
        let told: Vec<String> = faults.iter().map(|f| format!("{} {}", f.place.line, f.what)).collect();
        assert_eq!(told.len(), 8, "{told:#?}");
        assert!(told[0].starts_with("5 there is an item step/plank already, on line 2") && told[1].starts_with("6 \"quay/Bad\" is no name"), "{told:#?}");
        assert!(told[2..].iter().all(|t| t.starts_with("7 ")), "{told:#?}");
        let (_, faults) = read("sound effect;count\nx;1\n", &none());
        assert!(faults[0].what.contains("none of its columns is the name of an item: sound effect, count"), "{faults:?}");
        let (stock, faults) = read("Effekt;count\nx;3\n", &[("Effekt".to_owned(), "name".to_owned())].into());
        assert_eq!((stock.items[0].variations, faults.len()), (3, 0));
    }

    #[test]
    fn a_cell_is_set_and_what_stands_around_it_stays() {
        let text = "budget,name,note\n12,step/plank,wet\n7,quay/bed,\n";
        let set = with(text, &none(), "quay/bed", &[(Column::Note, "far off"), (Column::Kind, "bed")]).unwrap();
        assert_eq!(set, "budget,name,note,kind\n12,step/plank,wet\n7,quay/bed,far off,bed\n");
        let new = with(&set, &none(), "quay/rope", &[(Column::Variations, "3")]).unwrap();
        assert!(new.ends_with(",quay/rope,,,3\n") && new.contains("far off,bed\n"), "{new}");
        assert_eq!(without(&new, &none(), &["step/plank", "quay/rope"]).unwrap(), "budget,name,note,kind,variations\n7,quay/bed,far off,bed\n");
        assert!(with(text, &none(), "quay/bed", &[(Column::Length, "long")]).unwrap_err().to_string().contains("\"long\" is no length"));
        assert!(with("", &none(), "a/b", &[]).unwrap().starts_with("name,kind,variations,"));
    }

    #[test]
    fn dates_lengths_and_loudness_are_read_as_people_write_them() {
        assert_eq!(
            (read_date("2027-03-01"), read_date("1.3.2027"), read_date("3/1/2027"), read_date("2027-13-01")),
            (Some(20_270_301), Some(20_270_301), None, None)
        );
        assert_eq!(
            (read_seconds("0,4 s"), read_seconds("400ms"), read_seconds("1:20"), read_seconds("2 sec"), read_seconds("-1")),
            (Some(0.4), Some(0.4), Some(80.0), Some(2.0), None)
        );
        assert_eq!((read_lufs("−18 LUFS"), read_lufs("-18 dB"), read_lufs("3")), (Some(-18.0), Some(-18.0), None));
    }
}
