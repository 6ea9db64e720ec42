//! Any text as a table of the stock: read with faults or without, and merged with itself without a conflict.
#![no_main]

use estampie_project::stock;
use libfuzzer_sys::fuzz_target;
use std::collections::BTreeMap;

fuzz_target!(|text: &str| {
    let (stock, faults) = stock::read(text, &BTreeMap::new());
    let names: std::collections::BTreeSet<&str> = stock.items.iter().map(|item| item.name.as_str()).collect();
    assert_eq!(names.len(), stock.items.len(), "the first of a name counts");
    faults.iter().for_each(|fault| drop(fault.to_string()));
});
