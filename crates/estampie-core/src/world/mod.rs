//! The world: where things are, and what place does to sound. Knows nothing of voices or buses.

pub(crate) mod emitters;
pub(crate) mod flock;
pub mod geometry;
pub(crate) mod hear;
pub mod here;
