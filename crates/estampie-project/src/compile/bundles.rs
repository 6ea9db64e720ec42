//! Parts of the bundle are looked through: what they hold has to be there.

use super::{Compiler, wanted_audio};
use crate::assets::is_score;
use crate::document::{Document, Over, PIECE, holds_any, storing_of};
use crate::fault::nearest;
use crate::stock::file_of;
use estampie_engine::clip::Clip;
use estampie_engine::pages::HEAD;

impl Compiler<'_> {
    /// More files or memory than the budget has, where that is to be refused: as much as is loaded so far.
    pub(super) fn budget(&mut self) {
        let limits = &self.document.manifest.budget;
        let (Over::Refuse, Some(place)) = (limits.over, &limits.place) else { return };
        let wanted = wanted_audio(self.document);
        let names: Vec<&String> = wanted.keys().filter(|name| !is_score(name)).collect();
        let clips = names.iter().filter_map(|name| self.assets.get(name)?.as_ref().ok());
        let memory: u64 = clips.map(|clip| memory_of(self.document, clip)).sum();
        let place = place.clone();
        if let Some(may) = limits.files.filter(|may| names.len() as u64 > *may) {
            let what = format!("{} pieces of audio are played, and the budget has {may}", names.len());
            self.fault(&place, what, "let fewer be played, or raise files: estampie stock PROJECT budget says what costs most");
        }
        if let Some(may) = limits.memory.filter(|may| memory > *may) {
            let mb = |bytes: u64| bytes as f64 / 1e6;
            let what = format!("audio takes {:.1} MB of memory, and the budget has {:.1} MB", mb(memory), mb(may));
            self.fault(&place, what, "stream or shorten what is long, or raise memory: estampie stock PROJECT budget says what would be saved");
        }
    }

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

/// How many bytes a piece of audio takes when it is loaded.
fn memory_of(document: &Document, clip: &Clip) -> u64 {
    let (_, streamed) = storing_of(&document.manifest.encodings, file_of(&clip.name));
    let frames = if streamed { clip.frames().min(HEAD) } else { clip.frames() };
    (frames * clip.channels.len() * size_of::<f32>()) as u64
}
