//! The stock and a spreadsheet: what both have changed since they were last exchanged is put together, cell by cell.

use super::{COLUMNS, Column, Columns, Sheet};
use std::collections::BTreeMap;

/// A cell that both sides have changed, each otherwise; or an item that one has changed and the other has taken out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Conflict {
    /// The item.
    pub item: String,
    /// The column's word; none if an item was taken out.
    pub column: Option<&'static str>,
    /// What stands in the stock.
    pub ours: String,
    /// What stands in the spreadsheet.
    pub theirs: String,
}

/// Who wins where both have changed the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Wins {
    /// The stock.
    Ours,
    /// The spreadsheet.
    Theirs,
}

/// What came of it.
#[derive(Debug, Clone, PartialEq)]
pub struct Merged {
    /// The new stock: with the spreadsheet's columns and order.
    pub sheet: Sheet,
    /// How many items are new, changed and gone, seen from the stock.
    pub new: usize,
    /// As above.
    pub changed: usize,
    /// As above.
    pub gone: usize,
    /// What both have changed.
    pub conflicts: Vec<Conflict>,
}

/// The cells of the stock's columns of each item.
type Items = BTreeMap<String, [String; COLUMNS.len()]>;

fn items(sheet: &Sheet, columns: &Columns) -> Items {
    let cells = |row: usize| std::array::from_fn(|n| columns.at(COLUMNS[n].column).map_or(String::new(), |at| sheet.cell(row, at).trim().to_owned()));
    let all = (1..sheet.rows.len()).map(|row| -> [String; COLUMNS.len()] { cells(row) });
    // Of two with one name the first counts, as everywhere.
    let mut items = Items::new();
    for cells in all.filter(|cells| !cells[Column::Name as usize].is_empty()) {
        items.entry(cells[Column::Name as usize].clone()).or_insert(cells);
    }
    items
}

fn columns_of(sheet: &Sheet, said: &BTreeMap<String, String>) -> Columns {
    Columns::of(sheet.rows.first().map_or(&[], Vec::as_slice), said)
}

/// Takes a spreadsheet's table into the stock. `last` is how the stock was when it was last exchanged. `wins` is only asked where both have changed the same;
/// without it those cells stay as they are in the stock.
#[must_use]
pub fn merge(last: Option<&Sheet>, ours: &Sheet, theirs: &Sheet, said: &BTreeMap<String, String>, wins: Option<Wins>) -> Merged {
    let their_columns = columns_of(theirs, said);
    let (mine, yours) = (items(ours, &columns_of(ours, said)), items(theirs, &their_columns));
    let base = last.map(|last| items(last, &columns_of(last, said)));
    let mut merged = Merged { sheet: theirs.clone(), new: 0, changed: 0, gone: 0, conflicts: Vec::new() };
    // What was taken out on one side: of items that both once had.
    let had = |name: &str| base.as_ref().is_some_and(|base| base.contains_key(name));
    let as_it_was = |name: &str, now: &[String; COLUMNS.len()]| base.as_ref().and_then(|base| base.get(name)) == Some(now);
    let mut out: Vec<&str> = Vec::new();
    let mut result: BTreeMap<&str, [String; COLUMNS.len()]> = BTreeMap::new();
    for (name, theirs) in &yours {
        match mine.get(name) {
            Some(ours) => {
                let before = base.as_ref().and_then(|base| base.get(name));
                let cells: [String; COLUMNS.len()] = std::array::from_fn(|n| {
                    // A column that the spreadsheet does not have says nothing.
                    if their_columns.at(COLUMNS[n].column).is_none() || ours[n] == theirs[n] {
                        return ours[n].clone();
                    }
                    match before.map(|b| &b[n]) {
                        Some(before) if *before == theirs[n] => ours[n].clone(),
                        Some(before) if *before == ours[n] => theirs[n].clone(),
                        None if theirs[n].is_empty() => ours[n].clone(),
                        None if ours[n].is_empty() => theirs[n].clone(),
                        _ => {
                            let (item, column) = (name.clone(), Some(COLUMNS[n].word));
                            merged.conflicts.push(Conflict { item, column, ours: ours[n].clone(), theirs: theirs[n].clone() });
                            if wins == Some(Wins::Theirs) { theirs[n].clone() } else { ours[n].clone() }
                        }
                    }
                });
                merged.changed += usize::from(cells != *ours);
                result.insert(name, cells);
            }
            // Taken out here: it stays out, unless it was changed there.
            None if had(name) && as_it_was(name, theirs) => out.push(name),
            None if had(name) => {
                merged.conflicts.push(Conflict { item: name.clone(), column: None, ours: "taken out".into(), theirs: "changed".into() });
                if wins == Some(Wins::Theirs) {
                    merged.new += 1;
                    result.insert(name, theirs.clone());
                } else {
                    out.push(name);
                }
            }
            None => {
                merged.new += 1;
                result.insert(name, theirs.clone());
            }
        }
    }
    for (name, ours) in mine.iter().filter(|(name, _)| !yours.contains_key(*name)) {
        if had(name) {
            let unchanged = as_it_was(name, ours);
            if !unchanged {
                merged.conflicts.push(Conflict { item: name.clone(), column: None, ours: "changed".into(), theirs: "taken out".into() });
            }
            if unchanged || wins == Some(Wins::Theirs) {
                merged.gone += 1;
                continue;
            }
        }
        result.insert(name, ours.clone());
    }
    put(&mut merged.sheet, said, &result, &out);
    merged
}

/// Writes items into a table: known ones where they stand, new ones at its end; those that are out are taken out.
fn put(sheet: &mut Sheet, said: &BTreeMap<String, String>, items: &BTreeMap<&str, [String; COLUMNS.len()]>, out: &[&str]) {
    let mut columns = super::ready(sheet, said);
    let name_at = super::column_of(sheet, &mut columns, Column::Name);
    let mut row = 0;
    sheet.rows.retain(|cells| {
        row += 1;
        row == 1 || cells.get(name_at).is_none_or(|cell| !out.contains(&cell.trim()))
    });
    let mut written: Vec<&str> = Vec::new();
    for row in 1..sheet.rows.len() {
        let name = sheet.cell(row, name_at).trim().to_owned();
        let Some((name, cells)) = items.get_key_value(name.as_str()) else { continue };
        if !written.contains(name) {
            written.push(name);
            put_cells(sheet, &mut columns, row, cells);
        }
    }
    let known: std::collections::BTreeSet<&str> = written.into_iter().collect();
    for (_, cells) in items.iter().filter(|(name, _)| !known.contains(*name)) {
        sheet.rows.push(Vec::new());
        put_cells(sheet, &mut columns, sheet.rows.len() - 1, cells);
    }
}

fn put_cells(sheet: &mut Sheet, columns: &mut Columns, row: usize, cells: &[String; COLUMNS.len()]) {
    for (spec, text) in COLUMNS.iter().zip(cells) {
        match columns.at(spec.column) {
            // What only its spaces differ in stays as it is written.
            Some(at) if sheet.cell(row, at).trim() == text => {}
            Some(at) => sheet.set(row, at, text),
            None if text.is_empty() => {}
            None => {
                let at = super::column_of(sheet, columns, spec.column);
                sheet.set(row, at, text);
            }
        }
    }
}

/// The stock written into a spreadsheet's table: its columns, its order and what else stands in it stay.
#[must_use]
pub fn exported(ours: &Sheet, theirs: &Sheet, said: &BTreeMap<String, String>) -> Sheet {
    let mine = items(ours, &columns_of(ours, said));
    let yours = items(theirs, &columns_of(theirs, said));
    let mut sheet = theirs.clone();
    let out: Vec<&str> = yours.keys().filter(|name| !mine.contains_key(*name)).map(String::as_str).collect();
    put(&mut sheet, said, &mine.iter().map(|(name, cells)| (name.as_str(), cells.clone())).collect(), &out);
    sheet
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn sheet(text: &str) -> Sheet {
        Sheet::parse(text).unwrap()
    }

    fn none() -> BTreeMap<String, String> {
        BTreeMap::new()
    }

    #[test]
    fn what_each_side_has_changed_is_put_together() {
        let last = sheet("name,note,person\na,one,x\nb,two,x\nc,three,x\n");
        let ours = sheet("name,note,person\na,ours,x\nb,two,x\nc,three,x\nd,new here,\n");
        let theirs = sheet("cost;name;person;note\n9;c;x;three\n5;a;y;one\n1;e;;new there\n");
        let merged = merge(Some(&last), &ours, &theirs, &none(), None);
        assert_eq!(merged.sheet.text(), "cost;name;person;note\n9;c;x;three\n5;a;y;ours\n1;e;;new there\n;d;;new here\n");
        assert_eq!((merged.new, merged.changed, merged.gone, merged.conflicts.len()), (1, 1, 1, 0));
    }

    #[test]
    fn what_both_have_changed_is_told_and_whoever_is_said_wins() {
        let last = sheet("name,note\na,one\nb,two\n");
        let (ours, theirs) = (sheet("name,note\na,ours\nb,changed\n"), sheet("name,note\na,theirs\n"));
        let merged = merge(Some(&last), &ours, &theirs, &none(), None);
        let told: Vec<_> = merged.conflicts.iter().map(|c| (c.item.as_str(), c.column, c.ours.as_str(), c.theirs.as_str())).collect();
        assert_eq!(told, [("a", Some("note"), "ours", "theirs"), ("b", None, "changed", "taken out")]);
        let text = |wins| merge(Some(&last), &ours, &theirs, &none(), Some(wins)).sheet.text();
        assert_eq!(text(Wins::Ours), "name,note\na,ours\nb,changed\n");
        assert_eq!(text(Wins::Theirs), "name,note\na,theirs\n");
        // Never exchanged before: what is empty gives way.
        let merged = merge(None, &sheet("name,note,person\na,,x\n"), &sheet("name,note,person\na,there,\n"), &none(), None);
        assert_eq!((merged.sheet.text().as_str(), merged.conflicts.len()), ("name,note,person\na,there,x\n", 0));
    }

    #[test]
    fn a_spreadsheet_keeps_its_columns_its_order_and_its_own() {
        let theirs = sheet("Budget,Asset,Comments\n3,b,old\n4,a,\n,,total 7\n5,gone,\n");
        let ours = sheet("name,note,kind\na,first,loop\nb,second,\nc,third,\n");
        assert_eq!(exported(&ours, &theirs, &none()).text(), "Budget,Asset,Comments,kind\n3,b,second\n4,a,first,loop\n,,total 7\n,c,third\n");
    }

    fn table() -> impl Strategy<Value = Vec<(usize, [u8; 2])>> {
        prop::collection::vec((0usize..6, [0u8..3, 0u8..3]), 0..6)
    }

    fn of(rows: &[(usize, [u8; 2])]) -> Sheet {
        let mut text = String::from("name,note,person\n");
        let mut seen = Vec::new();
        for (name, [note, person]) in rows {
            if !seen.contains(name) {
                seen.push(*name);
                text.push_str(&format!("i{name},n{note},p{person}\n"));
            }
        }
        Sheet::parse(&text).unwrap()
    }

    proptest! {
        /// Where only one side has changed, its changes are what comes of it; and once exchanged nothing is left to do.
        #[test]
        fn one_side_alone_has_its_way(last in table(), now in table()) {
            let (last, now) = (of(&last), of(&now));
            let all = |sheet: &Sheet| items(sheet, &columns_of(sheet, &none()));
            for (ours, theirs) in [(&last, &now), (&now, &last)] {
                let merged = merge(Some(&last), ours, theirs, &none(), None);
                prop_assert_eq!(all(&merged.sheet), all(&now));
                prop_assert!(merged.conflicts.is_empty());
            }
            let again = merge(Some(&now), &now, &exported(&now, &last, &none()), &none(), None);
            prop_assert_eq!((again.new, again.changed, again.gone, again.conflicts.len()), (0, 0, 0, 0));
            prop_assert_eq!(all(&again.sheet), all(&now));
        }
    }
}
