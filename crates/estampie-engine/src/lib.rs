//! All of Estampie that runs inside a game: inputs in, samples and telemetry out.
//!
//! There are no files in here, no texts and no decoding: a [`program::Program`] is made elsewhere, dense and immutable, with all
//! names resolved to indices; an [`engine::Engine`] plays it in blocks of 64 frames, without allocating, locking or waiting.
//!
//! The rooms, each using only those before it: [`ground`] (units, names, curves, random draws, telemetry) ← [`dsp`] ← [`music`] and
//! [`world`] ← [`mixer`] ← [`program`] ← [`director`] ← [`engine`]. Music, world and mixer own their part of the program (`spec`).

pub mod director;
pub mod dsp;
pub mod engine;
pub mod ground;
pub mod mixer;
pub mod music;
pub mod program;
pub mod world;

pub use ground::{clip, curve, index, ledger, lookup, names, pages, property, random, reads, telemetry, test, time, units, vocabulary};
