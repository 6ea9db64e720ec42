//! How far the stock is: the stages of its items with their evidence, what is wrong with their files, and what plays them made of them.

mod bring;
mod budget;
mod change;
mod marks;
mod material;
mod mend;
mod stages;

pub use bring::{Becomes, Incoming, WhenTaken, copy_in, incoming};
pub use budget::{Bar, Budget, Cost, Limited, Packed, QUALITY, Saving, Share, budget, over, said};
pub use change::actions_in;
pub use marks::pieces;
pub use material::{Finding, Flaw, Heard, Remedy, material, new_names};
pub use mend::{NewVersion, new_version};
pub use stages::{Done, Evidence, Index, Stages};
