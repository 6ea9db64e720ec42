//! What may be wrong with an audio file.

/// Why an audio file cannot be played.
#[derive(Debug, thiserror::Error)]
pub enum AudioError {
    /// The file could not be opened or read.
    #[error("it cannot be read: {0}")]
    Io(#[from] std::io::Error),
    /// There is nothing in it.
    #[error("it is empty")]
    Empty,
    /// The beginning is of no kind that is read here.
    #[error("it is not a WAV, AIFF, FLAC, Ogg Vorbis or MP3 file")]
    Unknown,
    /// The name says one kind, the content is another.
    #[error("it is named .{named} but holds {holds}; rename it to .{ending}")]
    Mislabelled {
        /// The ending of its name.
        named: String,
        /// What it holds.
        holds: &'static str,
        /// The ending it should have.
        ending: &'static str,
    },
    /// The end is missing.
    #[error("it is cut off: {0}")]
    Truncated(String),
    /// The decoder gave up.
    #[error("it is broken: {0}")]
    Broken(String),
    /// Too long to be held in memory.
    #[error("it is longer than an hour of stereo; cut it into parts")]
    TooLong,
    /// A piece of it is wanted that it does not have.
    #[error("it ends before the piece that is cut out of it begins: it is {0:.3} s long")]
    Cut(f64),
    /// It is to loop where it has nothing.
    #[error("its loop ends after it does: it is {0:.3} s long")]
    Loop(f64),
    /// Too many channels.
    #[error("it has {0} channels; only mono and stereo can be played, so mix it down")]
    Channels(usize),
    /// The decoder failed where it should have refused.
    #[error("it is damaged in a way that the decoder cannot tell")]
    Panicked,
    /// It was streamed and is another file now.
    #[error("it was written anew while it was being read")]
    Changed,
    /// Float samples that are no numbers.
    #[error("it holds samples that are not numbers; export it again")]
    NotFinite,
}

impl AudioError {
    /// Whether there is no such file.
    #[must_use]
    pub fn is_missing(&self) -> bool {
        matches!(self, AudioError::Io(error) if error.kind() == std::io::ErrorKind::NotFound)
    }
}
