//! What stands in `bundle.json`.

use crate::names::Names;
use estampie_engine::director::actions::ACTIONS;
use estampie_engine::dsp::effects::KINDS;
use estampie_engine::dsp::generators::GENERATORS;
use estampie_engine::pages::HEAD;
use serde::{Deserialize, Serialize};

/// The version of the format. It grows whenever a bundle of before could be read wrongly.
pub const FORMAT: u32 = 1;

/// How a piece of audio is stored.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Encoding {
    /// FLAC, of 16 or 24 bits.
    Flac,
    /// Interleaved 32-bit floats, the lowest byte first.
    F32,
    /// Ogg Vorbis: smaller, and not the same samples.
    Vorbis,
}

/// A piece of audio.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Audio {
    /// Its path in the project.
    pub name: String,
    /// Its entry in the archive.
    pub entry: String,
    /// How it is stored.
    pub encoding: Encoding,
    /// Channels, 1 or 2.
    pub channels: u32,
    /// Frames.
    pub frames: u64,
    /// The first frame of its loop and the one after its last, if it has one.
    #[serde(rename = "loop", default, skip_serializing_if = "Option::is_none")]
    pub loop_points: Option<(usize, usize)>,
    /// How many bytes it takes in the bundle.
    pub bytes: u64,
    /// Whether it is read as it is needed: only its head is loaded.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub streamed: bool,
    /// Whether its samples are in steps of 16 bits, so that they take half of the memory.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub sixteen: bool,
    /// The hash of the project's samples, where those that are stored do not tell.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub content: Option<String>,
}

/// The words of all that a program names by its place in a table of the engine.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Tables {
    /// Kinds of effects, each with its settings.
    pub effects: Vec<String>,
    /// Kinds of generators, each with its settings.
    pub generators: Vec<String>,
    /// Actions of reactions.
    pub actions: Vec<String>,
}

impl Audio {
    /// The hash of the project's samples, if it is needed.
    pub(crate) fn content(&self) -> Option<u128> {
        self.content.as_deref().and_then(|hash| u128::from_str_radix(hash, 16).ok())
    }

    /// Whether only its head is loaded, where audio is streamed at all.
    #[must_use]
    pub fn is_long(&self) -> bool {
        self.streamed && self.frames > HEAD as u64
    }

    /// How many bytes it takes in memory, pages of what is streamed not counted.
    #[must_use]
    pub fn memory(&self) -> u64 {
        let frames = if self.is_long() { HEAD as u64 } else { self.frames };
        frames.saturating_mul(u64::from(self.channels)).saturating_mul(if self.sixteen { 2 } else { 4 })
    }
}

impl Tables {
    /// Those of this engine.
    #[must_use]
    pub fn here() -> Tables {
        let settings = |word: &str, settings: Vec<&str>| format!("{word}: {}", settings.join(", "));
        Tables {
            effects: KINDS.iter().map(|k| settings(k.word, k.settings.iter().map(|s| s.word).collect())).collect(),
            generators: GENERATORS.iter().map(|k| settings(k.word, k.settings.iter().map(|s| s.word).collect())).collect(),
            actions: ACTIONS.iter().map(|a| format!("{}: {}", a.verb, a.slots.len())).collect(),
        }
    }
}

/// A part, whose audio is loaded and unloaded by itself.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Part {
    /// Its name.
    pub name: String,
    /// The names of all audio that it needs and that is not always loaded; other parts may need some of it, too.
    pub audio: Vec<String>,
    /// How many bytes that takes in memory.
    pub memory: u64,
    /// How many it may take, if there is a limit.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub budget: Option<u64>,
}

/// `bundle.json`.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Manifest {
    /// The version of the format.
    pub format: u32,
    /// What wrote it.
    pub written_by: String,
    /// The project's name.
    pub project: String,
    /// Frames a second.
    pub rate: u32,
    /// The hash of the project's texts and audio: what it was made of.
    pub sources: String,
    /// The hash of the program's entry.
    pub program: String,
    /// What the engine has to have.
    pub tables: Tables,
    /// The names that a game uses.
    pub names: Names,
    /// All audio, in the order of its names.
    pub audio: Vec<Audio>,
    /// Parts, in the order of their names.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub parts: Vec<Part>,
}
