//! Made-up play in search of problems: a [`Plan`] of how the project is played, plays [drawn](draw) from it, [listened to](explore), and what was
//! found [made small](minimise_all).

mod finds;
mod minimise;
mod plan;
mod play;
mod run;

pub use finds::{Find, Looking, signature};
pub use minimise::{Minimised, each_once, minimise_all, name_of};
pub use plan::{Ends, Plan};
pub use play::{Ending, Play, SETTLE, draw, tries};
pub use run::{Explored, Shown, accepted, explore, known, numbers, still};

/// The kinds of problems that show only once everything has been ended.
const SETTLES: [&str; 3] = ["no end", "snapshot stays", "music goes on"];

/// Where playthroughs of problems that were found lie, below `playthroughs/`.
pub const FOUND: &str = "found/";

/// The kind of problem that needs the time at work measured, which hangs on the machine.
pub(crate) const LOAD: &str = "load";

/// How the line begins that says which problem a playthrough shows.
pub const PROBLEM: &str = "problem: ";

/// All kinds of problems, with what each means.
#[must_use]
pub fn kinds() -> Vec<(&'static str, &'static str)> {
    finds::DETECTORS.iter().map(|d| (d.kind, d.says)).chain(run::TOGETHER).collect()
}
