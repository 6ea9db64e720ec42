//! Music: an exact clock, sections that follow each other, ways between them, stingers, and notes.
//!
//! [`Sequencer`] is the heart: it knows where a piece is and what it waits for, and it makes no sound. The engine asks
//! it what happens in the next frames; the planned bars that a screen shows, and the proofs, ask a copy of it. So what is
//! shown as to come is what comes.

pub(crate) mod band;
pub mod exact;
mod instrument;
mod instrument_settings;
mod map;
mod timeline;
#[cfg(feature = "bundle")]
mod written;

pub use instrument::{DRUM_STROKES, Stroke, Tone, frequency, stroke_name};
pub use instrument_settings::{InstrumentSettings, Kind, Wave};
pub use map::{Map, Metre, Point};
pub use timeline::Timeline;
mod plan;
mod sequencer;
pub mod spec;

pub use plan::{Planned, Wait, plan, wait};
pub use sequencer::{Ask, Between, Happens, Pass, PassBegins, PassFalls, Sequencer};
mod scale;

pub use scale::{degree, pitch_of, read_key, steps_of, within};
