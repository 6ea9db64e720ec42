//! Voices into buses, buses into the output.

pub(crate) mod aim;
pub(crate) mod buses;
pub(crate) mod head;
mod hearing;
pub(crate) mod source;
pub(crate) mod stage;
pub(crate) mod state;
mod values;
pub(crate) mod voice;
