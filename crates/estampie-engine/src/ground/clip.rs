//! Audio in memory, ready to sound.

use super::names::NameKey;

/// An audio file ready to sound: at the project's rate, one or two channels.
#[derive(Debug)]
pub struct Clip {
    /// Its path in the project.
    pub name: String,
    /// The key of its path.
    pub key: NameKey,
    /// One slice of samples for each channel, all of one length.
    pub channels: Vec<Box<[f32]>>,
    /// First frame of the loop and the one after its last, if the file says so.
    pub loop_points: Option<(usize, usize)>,
    /// Mean level in dB below full scale (RMS over the file and all channels).
    pub level_db: f32,
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
        Clip { name: name.to_owned(), key: NameKey::of(name), channels, loop_points, level_db: (10.0 * power.log10()) as f32 }
    }

    /// How many frames it has.
    #[must_use]
    pub fn frames(&self) -> usize {
        self.channels.first().map_or(0, |c| c.len())
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
