//! Parts of the bundle are looked through: what they hold has to be there.

use super::{Compiler, wanted_audio};
use crate::assets::Assets;
use crate::document::{Document, Over, PIECE, holds_any, storing_of};
use crate::fault::nearest;
use crate::stock::file_of;
use estampie_engine::clip::Clip;
use estampie_engine::pages::HEAD;

impl Compiler<'_> {
    /// More files or memory than the budget has, where that is to be refused: as much as is loaded so far.
    pub(super) fn budget(&mut self) {
        let limits = &self.document.manifest.budget;
        let (Over::Refuse, Some(place)) = (limits.over, limits.place.clone()) else { return };
        for what in over_budget(self.document, self.assets) {
            self.fault(&place, what, "let less be played, stream or shorten it, or raise the limit: estampie stock PROJECT budget says what costs most");
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

/// What of the audio that is loaded goes over the budget of files and memory, in words.
#[must_use]
pub fn over_budget(document: &Document, assets: &Assets) -> Vec<String> {
    let limits = &document.manifest.budget;
    if limits.files.is_none() && limits.memory.is_none() {
        return Vec::new();
    }
    let wanted = wanted_audio(document);
    let names: Vec<&String> = wanted.keys().collect();
    let clips = names.iter().filter_map(|name| assets.get(name)?.as_ref().ok());
    let memory: u64 = clips.map(|clip| memory_of(document, clip)).sum();
    let mb = |bytes: u64| bytes as f64 / 1e6;
    let files = limits.files.filter(|may| names.len() as u64 > *may).map(|may| format!("{} pieces of audio are played, and the budget has {may}", names.len()));
    let memory =
        limits.memory.filter(|may| memory > *may).map(|may| format!("audio takes {:.1} MB of memory, and the budget has {:.1} MB", mb(memory), mb(may)));
    files.into_iter().chain(memory).collect()
}

/// How many bytes a piece of audio takes when it is loaded.
fn memory_of(document: &Document, clip: &Clip) -> u64 {
    let (_, streamed) = storing_of(&document.manifest.encodings, file_of(&clip.name));
    let frames = if streamed { clip.frames().min(HEAD) } else { clip.frames() };
    clip.channels.iter().map(|c| (frames * c.bytes_each()) as u64).sum()
}
