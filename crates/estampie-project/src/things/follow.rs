//! Who names a thing, and how all of them follow when it is renamed.
//!
//! It is asked of the compiler: it is given the project as if the thing had a name that nobody uses, and every name that means nothing then
//! is one of its uses. So no kind of thing needs a list of the places that can name it.

use crate::assets::Assets;
use crate::compile::compile;
use crate::document::{Fault, PIECE, Place, Reader, Refusal, Sources};
use std::cell::RefCell;
use std::collections::BTreeSet;

/// Where a thing is named.
#[derive(Debug, Clone, PartialEq)]
pub struct Use {
    /// The place of the name.
    pub place: Place,
    /// The line it stands in.
    pub line: String,
}

/// The name that a thing gets to see who misses it. Nobody writes such a one: it is too long to type by chance.
pub(super) const NOBODY: &str = "nobody-uses-this-name-for-anything";

/// Rounds of looking for names that mean nothing: one can hide behind another.
const ROUNDS: usize = 6;

/// What is needed to find out where a thing is named.
#[derive(Debug)]
pub struct Seek {
    pub(super) texts: Texts,
    /// The texts if it had a name that nobody uses; `None` if it has no name of its own.
    pub(super) then: Option<Sources>,
    pub(super) name: String,
}

impl Seek {
    /// Finds out where it is named; takes as long as some readings of the whole project.
    #[must_use]
    pub fn seek(self) -> Vec<Use> {
        let Seek { texts, then: Some(then), name } = self else { return Vec::new() };
        let line = |place: &Place| line_at(texts.now.get(&place.file).map_or("", |t| t), place.line as usize);
        let Ok((_, places)) = texts.followed(then, &name, NOBODY) else { return Vec::new() };
        let mut found: Vec<Use> = places.into_iter().map(|place| Use { line: line(&place), place }).collect();
        found.sort_by(|a, b| (&a.place.file, a.place.line, a.place.column).cmp(&(&b.place.file, b.place.line, b.place.column)));
        found.dedup();
        found
    }
}

/// A line of a text, from 1; of what has no name in its file all its lines, since one says too little.
fn line_at(text: &str, line: usize) -> String {
    let lines: Vec<&str> = text.lines().map(str::trim).collect();
    let Some(at) = line.checked_sub(1).filter(|at| *at < lines.len()) else { return String::new() };
    let tidy = |line: &str| line.split_whitespace().collect::<Vec<_>>().join(" ");
    match lines[..at].iter().rposition(|line| line.starts_with('[')).filter(|head| lines[*head].starts_with("[[")) {
        Some(head) => {
            let block = lines[head + 1..].iter().take_while(|line| !line.starts_with('[')).filter(|line| !line.is_empty() && !line.starts_with('#'));
            block.map(|line| tidy(line)).collect::<Vec<_>>().join(" · ")
        }
        None => tidy(lines[at]),
    }
}

/// The texts of a project, to be tried out.
#[derive(Debug)]
pub(super) struct Texts {
    pub(super) now: Sources,
    pub(super) audio: BTreeSet<String>,
    /// Most files are the same in all that is tried.
    pub(super) reader: RefCell<Reader>,
}

impl Texts {
    /// All that is wrong with texts, names included; audio counts as still loading.
    pub(super) fn all_faults(&self, sources: &Sources) -> Vec<Fault> {
        let (document, mut faults) = self.reader.borrow_mut().read(sources, &self.audio);
        faults.extend(compile(&document, &Assets::default()).1);
        faults
    }

    /// The texts with all that names `old` naming `new` instead, as its definition does already; and where.
    ///
    /// # Errors
    /// When something names it that cannot be changed from here.
    pub(super) fn followed(&self, then: Sources, old: &str, new: &str) -> Result<(Sources, Vec<Place>), Refusal> {
        let before = self.all_faults(&self.now);
        let (mut sources, mut places) = (then, Vec::new());
        let mut missed = self.missing(&sources, &before, old);
        for _ in 0..ROUNDS {
            if missed.is_empty() {
                return Ok((sources, places));
            }
            let mut all = sources.clone();
            for (file, text) in replaced(&sources, &missed, old, new)? {
                all.set(&file, &text);
            }
            let left = self.missing(&all, &before, new);
            let further = self.missing(&all, &before, old);
            if left.is_empty() {
                places.append(&mut missed);
                (sources, missed) = (all, further);
                continue;
            }
            // Some of these only miss what another one of them misses too: one by one, those that mend something are taken.
            let mut faults = self.new_faults(&sources, &before).len();
            let mut mended = false;
            for place in missed {
                let mut one = sources.clone();
                for (file, text) in replaced(&sources, std::slice::from_ref(&place), old, new)? {
                    one.set(&file, &text);
                }
                let then = self.new_faults(&one, &before).len();
                if then < faults {
                    (sources, faults, mended) = (one, then, true);
                    places.push(place);
                }
            }
            missed = self.missing(&sources, &before, old);
            if !mended {
                break;
            }
        }
        match missed.first() {
            Some(place) => Err(format!("{place} names {old} in a way that cannot be changed from here").into()),
            None => Ok((sources, places)),
        }
    }

    fn new_faults(&self, sources: &Sources, before: &[Fault]) -> Vec<Fault> {
        self.all_faults(sources).into_iter().filter(|fault| !before.contains(fault)).collect()
    }

    /// Where a name means nothing that meant something before.
    fn missing(&self, sources: &Sources, before: &[Fault], name: &str) -> Vec<Place> {
        let new = self.new_faults(sources, before);
        let mut places: Vec<Place> = new.into_iter().map(|fault| fault.place).filter(|place| position_of(sources, place, name).is_some()).collect();
        places.dedup();
        places
    }
}

/// Where a name stands from a place on in its line, as bytes of the line: whole, not as a part of another name.
fn position_of(sources: &Sources, place: &Place, name: &str) -> Option<usize> {
    let text = sources.get(&place.file)?;
    let line = text.split('\n').nth((place.line as usize).checked_sub(1)?)?;
    let from: usize = line.chars().take((place.column as usize).checked_sub(1)?).map(char::len_utf8).sum();
    // In the head of a table points stand between names, and in a key of several names too.
    let toml = place.file.ends_with(".toml");
    let head = |at: usize| toml && (line.trim_start().starts_with('[') || !line[..at].contains('='));
    let whole = |at: usize, between: &str| {
        let of_name = |c: char| (c.is_alphanumeric() || matches!(c, '-' | '.' | '_' | '/')) && !between.contains(c);
        // Of pieces parts of the bundle say where they are.
        let of_piece = line[..at].ends_with(&format!("\"{PIECE}"));
        let before = !of_piece && line[..at].chars().next_back().is_some_and(|c| of_name(c) || c == '/');
        !before && !line[at + name.len()..].chars().next().is_some_and(of_name)
    };
    let found = |between: &str| line[from.min(line.len())..].match_indices(name).map(|(at, _)| at + from).find(|at| whole(*at, between));
    // Of a piece the name stands before a layer's, too.
    found("").or_else(|| found("/")).or_else(|| found(".").filter(|at| head(*at)))
}

/// The texts of files with a name replaced at places.
fn replaced(sources: &Sources, places: &[Place], old: &str, new: &str) -> Result<Vec<(String, String)>, Refusal> {
    let mut sorted: Vec<&Place> = places.iter().collect();
    // From the back, so that columns before stay what they were.
    sorted.sort_by_key(|place| (place.file.clone(), std::cmp::Reverse((place.line, place.column))));
    let mut then = sources.clone();
    let mut files: Vec<String> = Vec::new();
    for place in sorted {
        let at = position_of(&then, place, old).ok_or_else(|| format!("{old} does not stand at {place} any more"))?;
        let text = then.get(&place.file).map_or(String::new(), ToString::to_string);
        let mut lines: Vec<String> = text.split('\n').map(str::to_owned).collect();
        let line = &mut lines[place.line as usize - 1];
        // A key without quotes gets them if its new name needs them.
        let head = line[..at].trim_end();
        let bare =
            place.file.ends_with(".toml") && (head.is_empty() || head.ends_with(['[', '{', ',']) && line[at + old.len()..].trim_start().starts_with('='));
        let plain = new.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, '-' | '_'));
        let put = if bare && !plain { format!("\"{new}\"") } else { new.to_owned() };
        line.replace_range(at..at + old.len(), &put);
        then.set(&place.file, &lines.join("\n"));
        if !files.contains(&place.file) {
            files.push(place.file.clone());
        }
    }
    Ok(files.into_iter().map(|file| (then.get(&file).map_or(String::new(), ToString::to_string), file)).map(|(text, file)| (file, text)).collect())
}
