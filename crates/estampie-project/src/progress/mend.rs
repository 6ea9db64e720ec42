//! New versions of recordings, made beside them.

use crate::assets::{Fix, decode, fix, version};
use crate::door;
use crate::stock::next_version;
use std::collections::BTreeSet;
use std::path::Path;

/// A new version of a file, not yet written.
#[derive(Debug, Clone)]
pub struct NewVersion {
    /// The file that it is of.
    pub of: String,
    /// Where it is to lie.
    pub file: String,
    /// What was done, in words.
    pub did: Vec<String>,
    /// The WAV file.
    pub bytes: Vec<u8>,
}

/// Makes a version of a file of the project at `root`; `None` if it is so already.
///
/// # Errors
/// With the reason, when the file cannot be read or a fix cannot be made on it.
pub fn new_version(root: &Path, file: &str, fixes: &[Fix], audio: &BTreeSet<String>) -> Result<Option<NewVersion>, String> {
    let words = |e: &dyn std::fmt::Display| format!("{file}: {e}");
    let path = door::readable(root, file).map_err(|e| words(&e))?;
    let source = decode(&path).map_err(|e| words(&e))?;
    let fixed = fix(source.clone(), fixes).map_err(|e| words(&e))?;
    if fixed.did.is_empty() {
        return Ok(None);
    }
    let bytes = version(&fixed, file, &source).map_err(|e| words(&e))?;
    Ok(Some(NewVersion { of: file.to_owned(), file: next_version(file, "wav", audio.iter()), did: fixed.did, bytes }))
}
