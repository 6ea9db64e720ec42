//! Music: an exact clock, sections that follow each other, ways between them, stingers, and notes.
//!
//! [`Sequencer`] is the heart: it knows where a piece is and what it waits for, and it makes no sound. The engine asks
//! it what happens in the next frames; the planned bars that a screen shows, and the proofs, ask a copy of it. So what is
//! shown as to come is what comes.

pub(crate) mod band;
pub mod exact;
mod map;
mod timeline;
#[cfg(feature = "bundle")]
mod written;

pub use crate::dsp::instrument::{DRUM_STROKES, InstrumentSettings, Kind, Stroke, Tone, Wave, frequency, stroke_name};
pub use crate::ground::scale::{degree, pitch_of, read_key, steps_of, within};
pub use map::{Map, Metre, Point};
pub use timeline::Timeline;
mod plan;
mod sequencer;
pub mod spec;

pub use plan::{Planned, Wait, plan, wait};
pub use sequencer::{Ask, Between, Happens, Pass, PassBegins, PassFalls, Sequencer};
