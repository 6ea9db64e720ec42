//! Expectations: what they name has to be there.

use super::Compiler;
use crate::document::{SILENCE, did_you_mean};
use crate::language::Expected;
use crate::language::expect::{DISTANCE, Named};

impl Compiler<'_> {
    /// Names in what every playthrough is expected to keep.
    pub(super) fn checks(&mut self) {
        for always in &self.document.checks {
            self.names_expected(&always.expected);
        }
    }

    /// Names in an expectation that nothing in the project has.
    pub(super) fn names_expected(&mut self, expected: &Expected) {
        let document = self.document;
        let mut piece = None;
        for (named, word) in expected.names() {
            let text = word.text.as_str();
            let known: Vec<&str> = match named {
                Named::Sound => document.sounds.iter().map(|s| s.name.as_str()).collect(),
                Named::Sounds => {
                    let begins = |name: &str| name.strip_prefix(text).is_some_and(|rest| rest.starts_with('/'));
                    if document.sounds.iter().any(|s| begins(&s.name)) {
                        continue;
                    }
                    document.sounds.iter().map(|s| s.name.as_str()).chain(document.shared.group.iter().map(|g| g.name.as_str())).collect()
                }
                Named::Bus => document.buses.iter().map(|b| b.name.as_str()).collect(),
                Named::Piece => {
                    piece = document.music.pieces.iter().find(|p| p.name == text);
                    document.music.pieces.iter().map(|p| p.name.as_str()).collect()
                }
                Named::SectionOfIt if piece.is_none() => continue,
                Named::SectionOfIt => piece.iter().flat_map(|p| &p.sections).map(|s| s.name.as_str()).chain([SILENCE]).collect(),
                Named::Stinger => document.music.stingers.iter().map(|s| s.name.as_str()).collect(),
                Named::Snapshot => document.snapshots.iter().map(|s| s.name.as_str()).collect(),
                Named::Parameter => document.parameters.iter().map(|p| p.name.as_str()).chain([DISTANCE]).collect(),
            };
            if !known.contains(&text) {
                let what = named.word();
                let fix = did_you_mean(text, known, "name one that there is");
                self.fault(&word.place, format!("there is no {what} {text}"), fix);
            }
        }
    }
}
