//! How far the stock is: the stages of its items with their evidence, what is wrong with their files, and what plays them made of them.

mod change;
mod material;
mod stages;

pub use change::actions_in;
pub use material::{Finding, Measured, material};
pub use stages::{Done, Evidence, Index, Stages};
