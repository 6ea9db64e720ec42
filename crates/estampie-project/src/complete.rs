//! Completion: what can come next in a line of `reactions.est`, and the blocks that its lines form.

use crate::document::{Document, ValueOf};
use crate::language::actions::{Said, SlotKind, offers};
use crate::language::expect::DISTANCE;
use std::collections::BTreeSet;

/// A reaction's lines, counted from 0: comments before it, its head, its actions.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Block {
    /// The first line: a comment directly above the head, or the head.
    pub first: usize,
    /// The line with `When`.
    pub head: usize,
    /// The line after the last action.
    pub end: usize,
}

/// The blocks of a text, those with faults included.
#[must_use]
pub fn blocks(text: &str) -> Vec<Block> {
    let lines: Vec<&str> = text.lines().collect();
    let mut list: Vec<Block> = Vec::new();
    let mut comment: Option<usize> = None;
    for (at, line) in lines.iter().enumerate() {
        let body = line.trim();
        if body.is_empty() {
            comment = None;
        } else if body.starts_with('#') && !line.starts_with(char::is_whitespace) {
            comment = comment.or(Some(at));
        } else if line.starts_with(char::is_whitespace) {
            comment = None;
            if let Some(block) = list.last_mut() {
                block.end = at + 1;
            }
        } else {
            list.push(Block { first: comment.take().unwrap_or(at), head: at, end: at + 1 });
        }
    }
    list
}

/// The words that can come after `before` (the line up to the cursor, without the word being typed) and begin with `word`.
/// `head` says whether the line is a head (`When …`) or an action.
#[must_use]
pub fn complete(document: &Document, head: bool, before: &str, word: &str) -> Vec<String> {
    let words: Vec<&str> = before.split_whitespace().flat_map(|w| w.strip_suffix(',').map_or(vec![w], |w| vec![w, ","])).collect();
    let all = if head { after_head(document, &words) } else { offers(before, &|holds, said| names(document, holds, said)) };
    let mut seen = BTreeSet::new();
    all.into_iter().filter(|candidate| candidate.starts_with(word) && candidate != word && seen.insert(candidate.clone())).collect()
}

fn subjects(document: &Document) -> Vec<String> {
    document.parameters.iter().map(|p| p.name.clone()).chain(document.states.iter().map(|s| s.name.clone())).collect()
}

fn some(words: &[&str]) -> Vec<String> {
    words.iter().map(|w| (*w).to_owned()).collect()
}

/// The values of a state, or for a parameter its unit is all that is known.
fn values(document: &Document, subject: &str) -> Vec<String> {
    document.states.iter().find(|s| s.name == subject).map_or(Vec::new(), |s| s.values.iter().map(|v| v.value.clone()).collect())
}

fn after_head(document: &Document, words: &[&str]) -> Vec<String> {
    let events = || document.events.iter().map(|e| e.name.clone());
    let is_state = |name: &str| document.states.iter().any(|s| s.name == name);
    let is_parameter = |name: &str| document.parameters.iter().any(|p| p.name == name);
    let tests = |name: &str| if is_state(name) { some(&["is", "is not"]) } else { some(&["over", "under", "at least", "at most", "between", "is"]) };
    let further = || some(&["and", "otherwise", "once until", "at the 3rd within 5 s", "every 3rd"]);
    match words {
        [] => some(&["When", "Off: When"]),
        ["Off:"] => some(&["When"]),
        [.., "When" | "when"] => events().chain(subjects(document)).chain(some(&["entering", "leaving", "every"])).collect(),
        [.., "When" | "when", subject] if is_state(subject) => some(&["becomes"]),
        [.., "When" | "when", subject] if is_parameter(subject) => some(&["becomes", "rises over", "falls under"]),
        [.., "When" | "when", "every"] => some(&["10 s"])
            .into_iter()
            .chain(document.parameters.iter().filter(|p| ["s", "ms", "min"].contains(&p.unit.as_str())).map(|p| p.name.clone()))
            .collect(),
        [_, "every", _] | [_, _, "every", _] | [_, "every", _, "s" | "ms" | "min"] | [_, _, "every", _, "s" | "ms" | "min"] => some(&["while", "once until"]),
        [.., "while"] => subjects(document),
        [.., "while", subject] => tests(subject),
        [.., "When" | "when", subject] if document.events.iter().any(|e| e.name == *subject) => further().into_iter().chain(some(&["since 2 min"])).collect(),
        [.., "When" | "when", _] => further(),
        [.., subject, "becomes"] if is_state(subject) => values(document, subject),
        [.., "becomes"] => some(&["over", "under", "at least", "at most"]),
        [.., subject, "is"] => values(document, subject).into_iter().chain(some(&["not"])).collect(),
        [.., subject, "is", "not"] => values(document, subject),
        [.., "and" | "until"] => subjects(document),
        [.., "once"] => some(&["until"]),
        [.., "and" | "until", subject] => tests(subject),
        [.., "over" | "under" | "least" | "most" | "between"] => Vec::new(),
        _ => further().into_iter().chain(some(&["for 3 s"])).collect(),
    }
}

/// What can come after `expect`, word by word.
#[must_use]
pub fn after_expect(document: &Document, words: &[&str]) -> Vec<String> {
    let sounds = || document.sounds.iter().map(|s| s.name.clone());
    let buses = || document.buses.iter().map(|b| b.name.clone());
    match words {
        [] => {
            some(&["no click", "no silence over 4 s", "true peak under -1 dBTP", "loudness", "at least", "never more than", "level of", "stinger", "snapshot"])
                .into_iter()
                .chain(sounds())
                .chain(document.music.pieces.iter().map(|p| p.name.clone()))
                .chain(buses())
                .collect()
        }
        ["loudness"] => some(&["momentary", "short-term", "integrated"]),
        ["loudness", _] => some(&["between -24 and -14 LUFS"]),
        ["stinger"] => document.music.stingers.iter().map(|s| s.name.clone()).collect(),
        ["stinger", _] => some(&["within 2 s", "on the beat", "on the bar"]),
        ["snapshot"] => document.snapshots.iter().map(|s| s.name.clone()).collect(),
        ["snapshot", _] => some(&["at 100 % within 2 s", "at 0 % within 2 s"]),
        ["at", "least"] | ["never", "more", "than"] => some(&["3"]),
        ["at", "least", _] => some(&["takes of"]),
        ["never", "more", "than", _] => some(&["of"]),
        ["at", "least", _, "takes", "of"] | ["never", "more", "than", _, "of"] | ["level", "of"] => sounds().collect(),
        ["at", "least", _, "takes", "of", _] => some(&["heard"]),
        ["level", "of", _] => some(&["rises while", "falls while"]),
        ["level", "of", _, _, "while"] => document.parameters.iter().map(|p| p.name.clone()).chain([DISTANCE.to_owned()]).collect(),
        ["level", "of", _, _, "while", _] => some(&["grows", "falls"]),
        [piece, "in"] => {
            let sections = document.music.piece(piece).map_or(Vec::new(), |p| p.sections.iter().map(|s| s.name.clone()).collect());
            sections.into_iter().chain([crate::document::SILENCE.to_owned()]).collect()
        }
        [_, "in", _] => some(&["within 2 bars", "within 2 s"]),
        [_, "over"] | [_, "quieter", "than"] => buses().collect(),
        [_, "over", _] | [_, "quieter", "than", _] => some(&["by 3 dB"]),
        [name] if document.music.pieces.iter().any(|p| p.name == *name) => some(&["in"]),
        [name] => {
            let mut next = Vec::new();
            if sounds().any(|n| n == *name) {
                next.extend(some(&["heard within 1 s", "heard", "never heard", "not heard again within 2 s", "over"]));
            }
            if buses().any(|n| n == *name) {
                next.extend(some(&["silent", "quieter than"]));
            }
            next
        }
        [_, "heard" | "silent"] | [_, "never", "heard"] => some(&["within 1 s"]),
        _ => Vec::new(),
    }
}

/// The names of a kind that a project has, after what was said before in an action.
fn names(document: &Document, holds: SlotKind, before: &[Said]) -> Vec<String> {
    let said = || before.iter().rev().find_map(|s| if let Said::Word(word) = s { Some(word.text.as_str()) } else { None }).unwrap_or_default();
    match holds {
        SlotKind::Sound => document.sounds.iter().map(|s| s.name.clone()).collect(),
        SlotKind::Spoken => document.sounds.iter().filter(|s| s.lines.is_some()).map(|s| s.name.clone()).collect(),
        SlotKind::Where => document.emitters.iter().map(|e| e.name.clone()).chain(document.world.emitters.iter().map(|e| e.name.clone())).collect(),
        SlotKind::Subject => told(document).chain(document.states.iter().map(|s| s.name.clone())).collect(),
        SlotKind::SubjectValue => values(document, said()),
        SlotKind::Parameter => told(document).collect(),
        SlotKind::Event => document.events.iter().map(|e| e.name.clone()).collect(),
        SlotKind::Piece => document.music.pieces.iter().map(|p| p.name.clone()).chain(document.music.lists.iter().map(|p| p.name.clone())).collect(),
        SlotKind::Section => {
            let sections = document.music.piece(said()).map_or(Vec::new(), |p| p.sections.iter().map(|s| s.name.clone()).collect());
            sections.into_iter().chain([crate::document::SILENCE.to_owned()]).collect()
        }
        SlotKind::Stinger => document.music.stingers.iter().map(|s| s.name.clone()).collect(),
        SlotKind::Layers => {
            let mut layers = Vec::new();
            for piece in &document.music.pieces {
                layers.extend(piece.sections.iter().flat_map(|s| s.layers.iter().map(|l| format!("{}/{}", piece.name, l.name))));
            }
            layers
        }
        SlotKind::Snapshot => document.snapshots.iter().map(|s| s.name.clone()).collect(),
        _ => Vec::new(),
    }
}

/// The parameters that the game tells: what is worked out cannot be set.
fn told(document: &Document) -> impl Iterator<Item = String> {
    document.parameters.iter().filter(|p| p.source == ValueOf::Game).map(|p| p.name.clone())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::document::Sources;

    #[test]
    fn blocks_hold_comments_heads_and_actions() {
        let text = "# all\n\n# one\nWhen a\n  play b\n  # why\n  play c\n\nWhat d\n  ply e\n";
        assert_eq!(blocks(text), [Block { first: 2, head: 3, end: 7 }, Block { first: 8, head: 8, end: 10 }]);
        assert_eq!(blocks(""), []);
    }

    #[test]
    fn what_can_come_next_is_offered() {
        let game = "[events]\nhit = \"a\"\n[parameters.strain]\nrange = \"0..1\"\n[states.deck]\nvalues = [\"plank\", \"grate\"]\n";
        let sounds = "[\"hull/knock\"]\ntakes = [\"audio/a.wav\"]\n";
        let sources = Sources::from_texts([("estampie.toml", "format = 1"), ("game.toml", game), ("sounds/a.toml", sounds)]);
        let (document, _) = Document::read(&sources, &["audio/a.wav".to_owned()].into());
        let next = |head, before: &str, word: &str| complete(&document, head, before, word);
        assert_eq!(next(true, "When", "h"), ["hit"]);
        assert_eq!(next(true, "When hit and deck is", ""), ["plank", "grate", "not"]);
        assert_eq!(next(true, "When deck becomes", "g"), ["grate"]);
        assert_eq!(next(true, "When hit and strain", "ov"), ["over"]);
        assert_eq!(next(false, "", "pl"), ["play"]);
        assert_eq!(next(false, "play", "hu"), ["hull/knock"]);
        assert_eq!(next(false, "set deck to", ""), ["plank", "grate"]);
        assert!(next(false, "play hull/knock at", "").contains(&"the emitter".to_owned()));
        assert_eq!(next(false, "play hull/knock at the", ""), ["emitter", "listener"]);
        assert_eq!(next(false, "fade", ""), ["in", "out"]);
        assert_eq!(next(false, "stop hull/knock", "o"), ["over 1 s"]);
        assert_eq!(next(false, "stop hull/knock over", ""), ["1 s"]);
        assert_eq!(next(false, "reset", "s"), ["strain"]);
        assert_eq!(next(false, "sweep hull/knock pitch", ""), ["to -3 st over 1 s"]);
        assert_eq!(next(false, "sweep hull/knock pitch to -3 st over 1 s", "t"), ["then let go"]);
        // What was said is not offered again, and what comes before it cannot come any more.
        assert_eq!(next(false, "stop hull/knock at the emitter over 1 s", ""), [", chance 70 %", ", after 0.5 s"]);
        assert_eq!(next(false, "play hull/knock,", ""), ["chance 70 %", "after 0.5 s"]);
        assert_eq!(next(false, "nothing of this", ""), Vec::<String>::new());
    }
}
