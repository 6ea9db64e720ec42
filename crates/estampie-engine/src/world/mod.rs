//! The world: where things are, and what place does to sound. Knows nothing of voices or buses.

pub mod emitters;
pub mod flock;
pub mod geometry;
pub mod propagation;
pub mod spec;
