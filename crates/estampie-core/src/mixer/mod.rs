//! Voices into buses, buses into the output.

pub(crate) mod buses;
pub(crate) mod source;
pub(crate) mod voice;
