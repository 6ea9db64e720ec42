//! Checks: what a machine can hear. So far: every way between the sections of every piece.

mod transitions;

pub use transitions::{Listening, Problem, ProblemKind, Seam, seam, transitions};
