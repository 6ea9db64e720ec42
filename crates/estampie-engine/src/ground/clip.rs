//! Audio that is ready to sound: in memory, or the head of it with the rest in pages.

use super::names::NameKey;
use super::pages::HEAD;

/// An audio file ready to sound: at the project's rate, one or two channels.
#[derive(Debug)]
pub struct Clip {
    /// Its path in the project.
    pub name: String,
    /// The key of its path.
    pub key: NameKey,
    /// One slice of samples for each channel, all of one length: all of them, or the head of what is streamed.
    pub channels: Vec<Box<[f32]>>,
    /// Where the rest comes from, if this is only the head.
    pub streamed: Option<Streamed>,
    /// The hash of what it was made of, where its own samples do not tell: it is streamed, or came back otherwise than it was.
    pub content: Option<u128>,
    /// First frame of the loop and the one after its last, if the file says so.
    pub loop_points: Option<(usize, usize)>,
    /// Mean level in dB below full scale (RMS over the file and all channels).
    pub level_db: f32,
}

/// What of a clip is not in memory.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Streamed {
    /// The number by which its pages are asked for.
    pub stream: u32,
    /// How many frames it has in all.
    pub frames: usize,
}

impl Clip {
    /// A clip of given samples, for tests and synthetic sources.
    ///
    /// Without a channel it is a silent one; longer channels are cut to the shortest, more than two are left out.
    #[must_use]
    pub fn new(name: &str, channels: Vec<Vec<f32>>, loop_points: Option<(usize, usize)>) -> Clip {
        let frames = channels.iter().map(Vec::len).min().unwrap_or(0);
        let mut channels: Vec<Box<[f32]>> = channels
            .into_iter()
            .take(2)
            .map(|mut c| {
                c.truncate(frames);
                c.into_boxed_slice()
            })
            .collect();
        if channels.is_empty() {
            channels.push(Box::default());
        }
        let samples = (frames * channels.len()).max(1) as f64;
        let power: f64 = channels.iter().flat_map(|c| c.iter()).map(|s| f64::from(*s).powi(2)).sum::<f64>() / samples;
        let loop_points = loop_points.filter(|(start, end)| start < end && *end <= frames);
        let key = NameKey::of(name);
        Clip { name: name.to_owned(), key, channels, streamed: None, content: None, loop_points, level_db: (10.0 * power.log10()) as f32 }
    }

    /// A clip of which only the head is here. One that is no longer than its head is whole. Its mean level is that of its head.
    #[must_use]
    pub fn streamed(name: &str, head: Vec<Vec<f32>>, streamed: Streamed, loop_points: Option<(usize, usize)>) -> Clip {
        let clip = Clip::new(name, head, None);
        let rest = (clip.frames() == HEAD && streamed.frames > HEAD).then_some(streamed);
        let frames = rest.map_or(clip.frames(), |s| s.frames);
        Clip { streamed: rest, loop_points: loop_points.filter(|(start, end)| start < end && *end <= frames), ..clip }
    }

    /// How many frames it has.
    #[must_use]
    pub fn frames(&self) -> usize {
        self.streamed.map_or_else(|| self.channels.first().map_or(0, |c| c.len()), |s| s.frames)
    }
}

/// How a clip is written in a bundle: by its name alone. Its audio stands beside the program.
#[cfg(feature = "bundle")]
mod written {
    use super::Clip;
    use serde::{Deserialize, Deserializer, Serialize, Serializer};

    impl Serialize for Clip {
        fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
            serializer.serialize_str(&self.name)
        }
    }

    impl<'de> Deserialize<'de> for Clip {
        /// A clip without audio, until [`Program::fill_clips`](crate::program::Program::fill_clips) puts the right one in its place.
        fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Clip, D::Error> {
            Ok(Clip::new(&String::deserialize(deserializer)?, Vec::new(), None))
        }
    }
}
