//! The bundle: one file with all that a game needs of a project, and nothing else.
//!
//! It is a ZIP archive whose entries are stored as they are, so that anybody can look inside:
//!
//! - `bundle.json`: the [`Manifest`]: version, names, sizes, hashes.
//! - `program`: the compiled project (postcard's wire format), with audio by name.
//! - `audio/N.flac` or `audio/N.f32`: each piece of audio once, without loss.
//! - `names.json`, `names.h`, `names.rs`: the names that the game's code uses, as constants.
//!
//! The same project gives the same bytes. Reading refuses what it cannot play, with a sentence, and never guesses: another version of the format,
//! other tables of effects, generators or actions, a program whose hash is not the one that the manifest says.

mod audio;
mod manifest;
mod names;
#[cfg(feature = "write")]
mod parts;
mod read;
#[cfg(feature = "write")]
mod write;

pub use manifest::{Audio, Encoding, FORMAT, Manifest, Part, Tables};
pub use names::{Name, NameKind, Names, c_header, rust_module};
#[cfg(feature = "write")]
pub use parts::PartInfo;
pub use read::{Bundle, Clips, ReadError, assemble};
#[cfg(feature = "write")]
pub use write::{Info, WriteError, write};
