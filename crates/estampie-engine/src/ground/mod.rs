//! What all rooms stand on: quantities, names, curves, random draws, the words of the texts, and what the engine tells.

pub mod clip;
pub mod curve;
pub mod index;
pub mod ledger;
pub mod lookup;
pub mod names;
pub(crate) mod outlets;
pub mod pages;
pub mod property;
pub mod random;
pub mod reads;
pub mod scale;
pub mod telemetry;
pub mod test;
pub mod time;
pub mod units;
pub mod vocabulary;
