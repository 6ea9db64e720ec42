//! The computation of Estampie: everything between a project's text files and its samples.
//!
//! There is no interface, no terminal and no sound device in here. The way of the data is one way only:
//! [`document`] (the project as written) → [`program`] (dense, immutable, all names resolved) → [`engine`]
//! (blocks of 64 frames, no allocation, no lock) → [`trace`] (what happened, and why).
//!
//! [`check`] listens to it, [`measure`] measures it, [`compare`] tells two states of it apart. [`music`] knows where every piece is; [`dsp`] knows nothing of the rest; [`language`] turns sentences into trees and back; [`assets`] brings audio
//! files in.

pub mod assets;
pub mod check;
pub mod compare;
pub mod curve;
pub(crate) mod director;
pub mod document;
pub mod door;
pub mod draw;
pub mod dsp;
pub mod engine;
pub mod language;
pub mod measure;
pub(crate) mod mixer;
pub mod music;
pub mod names;
pub mod offline;
pub mod program;
pub mod survey;
pub mod trace;
pub mod units;
pub mod world;
