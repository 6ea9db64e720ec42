//! Compiling notes: patterns of MIDI files for instruments.

use super::Compiler;
use crate::document::NotesDoc;
use crate::names::NameKey;
use crate::program::Section;

impl Compiler<'_> {
    pub(super) fn notes(&mut self, _section: &Section, _doc: &NotesDoc, _key: NameKey) -> Option<u32> {
        None
    }
}
