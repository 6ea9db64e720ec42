//! A project as people write it: texts and audio files in, a program for the engine out; edits, undo and saving.
//!
//! [`document`] reads the texts, [`language`] turns sentences into trees and back, [`assets`] and [`midi`] bring files in, [`notes`] is what is done with notes,
//! [`compile`] makes the [`estampie_engine::program::Program`]. Nothing outside the project's folder is touched: [`door`] is the one
//! way to its files.

pub mod assets;
pub mod compile;
pub mod complete;
pub mod document;
pub mod door;
pub mod explain;
pub mod fault;
mod guard;
pub mod language;
pub mod midi;
pub mod moved;
pub mod notes;
pub mod progress;
pub mod recipes;
pub mod refusal;
pub mod stock;
pub mod survey;
pub mod things;
