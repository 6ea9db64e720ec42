//! Checks: what a machine can hear. So far: every way between the sections of every piece.

mod ways;

pub use ways::{Find, FindKind, Seam, seam, ways};
