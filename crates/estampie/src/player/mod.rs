//! x
pub(crate) mod device;
