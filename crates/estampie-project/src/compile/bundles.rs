//! Parts of the bundle are looked through: what they hold has to be there.

use super::Compiler;
use crate::document::{PIECE, holds_any};
use crate::fault::nearest;

impl Compiler<'_> {
    /// Patterns that hold nothing, and names of parts that are one.
    pub(super) fn bundle_parts(&mut self) {
        let document = self.document;
        for held in document.manifest.parts.iter().flat_map(|part| &part.holds) {
            if holds_any(document, &held.value) {
                continue;
            }
            let pieces: Vec<String> = document.music.pieces.iter().map(|p| format!("{PIECE}{}", p.name)).collect();
            let names = document.sounds.iter().map(|s| s.name.as_str()).chain(pieces.iter().map(String::as_str));
            let fix = match nearest(&held.value, names) {
                Some(name) if !held.value.contains('*') => format!("{name}?"),
                _ => "write sounds as \"streets/*\" or \"bell\", and pieces as \"music/tidewalk\"".to_owned(),
            };
            self.fault(&held.place, format!("nothing is called like {}", held.value), fix);
        }
    }
}
