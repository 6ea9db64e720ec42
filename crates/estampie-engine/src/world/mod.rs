//! The world: where things are, and what place does to sound. Knows nothing of voices or buses.

pub mod emitters;
pub mod flock;
pub mod geometry;
mod heard;
pub(crate) mod hearing;
pub mod propagation;
pub mod spec;
