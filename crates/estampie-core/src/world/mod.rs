//! The world: where things are, and what place does to sound. Knows nothing of voices or buses.

pub(crate) mod emitters;
pub mod geometry;
pub(crate) mod hear;
pub(crate) mod flock;
pub mod here;
