//! The bundle: one file with all that a game needs of a project, and nothing else.
//!
//! It is a ZIP archive whose entries are stored as they are, so that anybody can look inside:
//!
//! - `bundle.json`: the [`Manifest`]: version, names, sizes, hashes.
//! - `program`: the compiled project (postcard's wire format), with audio by name.
//! - `audio/N.flac`, `audio/N.f32` or `audio/N.ogg`: each piece of audio once; some of it may be streamed ([`Streams`]).
//! - `names.json`, `names.h`, `names.rs`: the names that the game's code uses, as constants.
//!
//! The same project gives the same bytes. Reading refuses what it cannot play, with a sentence, and never guesses: another version of the format,
//! other tables of effects, generators or actions, a program whose hash is not the one that the manifest says.

mod audio;
mod check;
mod manifest;
mod names;
mod origin;
#[cfg(feature = "write")]
mod parts;
mod read;
mod stream;
#[cfg(feature = "write")]
mod write;

#[cfg(feature = "write")]
pub use audio::Storing;
pub use audio::content;
#[cfg(feature = "write")]
pub use audio::packed_size;
pub use manifest::{Audio, Encoding, FORMAT, Manifest, Part, Tables};
pub use names::{Name, NameKind, Names, c_header, rust_module};
pub use origin::{Origin, Span};
#[cfg(feature = "write")]
pub use parts::PartInfo;
pub use read::{Bundle, Clips, ReadError, assemble};
pub use stream::Streams;
#[cfg(feature = "write")]
pub use write::{Info, WriteError, write};

/// What a fuzzer feeds (`fuzz/`).
#[cfg(fuzzing)]
pub mod fuzzing {
    use crate::audio::decode;
    use crate::{Audio, Encoding};

    /// Bytes as audio: refused with a sentence, or finite.
    pub fn audio(kind: u8, bytes: &[u8]) {
        let encoding = [Encoding::Flac, Encoding::Vorbis, Encoding::F32][usize::from(kind % 3)];
        let (channels, frames) = (1 + u32::from(kind / 3 % 2), 1_000);
        let audio = Audio {
            name: "x".into(),
            entry: String::new(),
            encoding,
            channels,
            frames,
            loop_points: None,
            bytes: bytes.len() as u64,
            streamed: false,
            sixteen: false,
            content: None,
        };
        match decode(&audio, bytes.to_vec()) {
            Ok(clip) => assert!(clip.frames() == 1_000 && clip.channels.iter().flat_map(estampie_engine::clip::Samples::iter).all(|s| s.is_finite())),
            Err(why) => assert!(!why.is_empty()),
        }
    }
}
