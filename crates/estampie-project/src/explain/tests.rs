//! That every sentence has its page, and every example leads there.

use super::*;
use crate::assets::Assets;
use crate::compile::compile;
use crate::document::{Document, Place, Sources};

#[test]
fn a_pattern_is_held_against_the_whole_text() {
    assert!(is_like("there is no bus hall", "there is no bus *") && is_like("a of b: c", "* of *: *") && is_like("so", "so"));
    assert!(!is_like("there is no bus", "there is no bus *") && !is_like("so it is", "so") && !is_like("so", "so it is") && !is_like("a of b", "* of *: *"));
    assert!(is_like("x is too little", "* is too *") && !is_like("x is to little", "* is too *"));
}

#[test]
fn codes_rise_and_are_found_however_they_are_written() {
    assert!(PAGES.windows(2).all(|two| two[0].code < two[1].code));
    for written in ["E203", "e203", "203"] {
        assert_eq!(page(written).map(|p| p.title), Some("something that is needed is not said"));
    }
    assert!(page("E000").is_none() && page("").is_none());
}

#[test]
fn faults_find_their_pages() {
    let of = |what: &str, fix: &str| Fault::new(&Place::whole("a"), what, fix).page().code;
    assert_eq!(of("there is no bus hall", ""), "E304");
    assert_eq!(of("there is no lantern x", ""), "E308");
    assert_eq!(of("expected `=`", "fix this line; until then it is left out"), "E103");
    assert_eq!(of("level of step: 30 is too much", ""), "E205");
    assert_eq!(of("level of step: \"x\" is no level", ""), "E206");
    assert_eq!(of("something else", ""), "E999");
}

/// A project in which every right example is right.
const BASE: &[(&str, &str)] = &[
    ("estampie.toml", "format = 1\n"),
    (
        "game.toml",
        "[events]\n\"hull.struck\" = \"a\"\n[emitters]\ncrane = \"b\"\n[parameters.strain]\nrange = \"0..1\"\n[parameters.depth]\nrange = \"0..60\"\n[states.threat]\nvalues = [\"calm\", \"hunted\"]\n",
    ),
    ("mix.toml", "[buses.main]\n[buses.music]\n[buses.voice]\n"),
    ("reactions.est", "When hull.struck and strain under 0.1\n  play bell\n\n"),
    ("sounds/all.toml", "[bell]\ntakes = [\"audio/a.wav\"]\n"),
    ("playthroughs/one.play", "seed 1\n"),
];

/// The faults of that project with an example in a file: below what is there, or above it where it stands before all tables.
fn faults_with(file: &str, example: &str) -> Vec<Fault> {
    let texts: Vec<(&str, String)> = BASE
        .iter()
        .map(|(name, text)| match (*name == file, file) {
            (false, _) => (*name, (*text).to_owned()),
            (true, "estampie.toml") => (*name, example.to_owned()),
            (true, "mix.toml") if !example.starts_with('[') => (*name, format!("{example}\n{text}")),
            (true, _) => (*name, format!("{text}{example}\n")),
        })
        .collect();
    let sources = Sources::from_texts(texts.iter().map(|(name, text)| (*name, text.as_str())));
    let (document, mut faults) = Document::read(&sources, &["audio/a.wav".to_owned(), "audio/b.wav".to_owned()].into());
    faults.extend(compile(&document, &Assets::default()).1);
    faults
}

#[test]
fn what_is_written_wrongly_leads_to_its_page_and_what_is_written_rightly_does_not() {
    let (mut tried, mut amiss) = (0, Vec::new());
    for page in PAGES.iter().filter(|page| !page.wrong.is_empty()) {
        let found: Vec<(&str, String)> = faults_with(page.file, page.wrong).into_iter().map(|f| (f.page().code, f.to_string())).collect();
        let right: Vec<String> = faults_with(page.file, page.right).iter().map(ToString::to_string).collect();
        if !found.iter().any(|(code, _)| *code == page.code) || !right.is_empty() {
            amiss.push(format!("{}: {found:?}, {right:?}", page.code));
        }
        tried += 1;
    }
    assert!(tried > 20, "{tried}");
    assert!(amiss.is_empty(), "{}", amiss.join("\n"));
}

/// The text in quotes that a piece of source begins with, with `x` for what is put into it; `None` if it begins with something else.
fn literal(source: &str) -> Option<String> {
    let source = source.trim_start().trim_start_matches("format!(").trim_start();
    let (mut text, mut hole, mut rest) = (String::new(), 0, source.strip_prefix('"')?.chars());
    while let Some(c) = rest.next() {
        match c {
            '"' => return Some(text),
            // What an escape says is of no matter but for a quote.
            '\\' => text.extend(rest.next().filter(|c| *c == '"' && hole == 0)),
            '{' => hole += 1,
            '}' => {
                hole -= 1;
                text.push('x');
            }
            c if hole == 0 => text.push(c),
            _ => {}
        }
    }
    None
}

/// The arguments of a call whose bracket has been opened, as they are written.
fn arguments(source: &str) -> Vec<&str> {
    let (mut list, mut depth, mut begun, mut quoted, mut escaped) = (Vec::new(), 0, 0, false, false);
    for (at, c) in source.char_indices() {
        match c {
            _ if escaped => escaped = false,
            '\\' => escaped = true,
            '"' => quoted = !quoted,
            _ if quoted => {}
            '(' | '[' | '{' => depth += 1,
            ')' | ']' | '}' if depth > 0 => depth -= 1,
            ')' => {
                list.push(source[begun..at].trim());
                break;
            }
            ',' if depth == 0 => {
                list.push(source[begun..at].trim());
                begun = at + 1;
            }
            _ => {}
        }
    }
    list.retain(|argument| !argument.is_empty());
    list
}

#[test]
fn every_sentence_of_the_sources_belongs_to_a_page() {
    let mut folders = vec![std::path::PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("src")];
    let (mut seen, mut left) = (0, Vec::new());
    let mut look = |file: &std::path::Path, what: String, fix: String| {
        seen += 1;
        if Fault::new(&Place::whole("a"), what.clone(), fix).page().code == OTHER.code {
            left.push(format!("{}: {what}", file.display()));
        }
    };
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                folders.push(path);
                continue;
            }
            if path.ends_with("tests.rs") {
                continue;
            }
            let text = std::fs::read_to_string(&path).unwrap();
            let text = text.split("#[cfg(test)]\nmod ").next().unwrap();
            for call in ["Fault::new(", ".fault("] {
                for (at, _) in text.match_indices(call) {
                    let arguments = arguments(&text[at + call.len()..]);
                    // The fix is the last; before it stands what is wrong.
                    let Some([.., what, fix]) = arguments.get(arguments.len().saturating_sub(2)..).filter(|two| two.len() == 2) else { continue };
                    let Some(what) = literal(what) else { continue };
                    look(&path, what, literal(fix).unwrap_or_default());
                }
            }
            for (at, begin) in text.match_indices("let what = ") {
                // Only what a fault says in one of the next lines.
                let said: String = text[at..].lines().take(7).collect();
                let told = said.contains(".fault(") || said.contains("Fault::new(");
                if let Some(what) = literal(&text[at + begin.len()..]).filter(|_| told) {
                    look(&path, what, String::new());
                }
            }
        }
    }
    assert!(seen > 250, "only {seen} were found");
    assert!(left.is_empty(), "{} of {seen} have no page:\n{}", left.len(), left.join("\n"));
}

#[test]
fn the_manual_is_as_the_table_has_it() {
    let manual = include_str!("../../../../docs/faults.md");
    assert_eq!(manual, as_markdown(), "write it anew: estampie explain --markdown > docs/faults.md");
}
