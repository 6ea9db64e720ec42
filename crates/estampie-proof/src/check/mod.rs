//! Checks: what a machine can hear. Every way between the sections of every piece, and what playthroughs are expected to keep.

pub(crate) mod coverage;
pub(crate) mod expect;
pub(crate) mod observe;
pub(crate) mod stood;
mod touched;
mod transitions;

pub use coverage::{Counts, Coverage, coverage};
pub use expect::{Broken, Listened, count, expectations, hold, hold_all, listen, listen_all};
pub use touched::{Touched, touched};
pub use transitions::{Listening, Problem, ProblemKind, Seam, seam, transitions};
