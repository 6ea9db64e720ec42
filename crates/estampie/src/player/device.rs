//! x
pub(crate) const BUILT_IN: bool = false;
pub(crate) fn list() -> Result<Vec<(String, bool)>, String> { Ok(Vec::new()) }
