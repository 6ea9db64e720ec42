//! Where the program keeps what is the person's and not the project's.

use directories::ProjectDirs;
use std::path::PathBuf;

fn all() -> Option<ProjectDirs> {
    ProjectDirs::from("", "", "estampie")
}

/// The folder for what the program remembers between two starts.
pub(crate) fn state() -> Option<PathBuf> {
    let folders = all()?;
    Some(folders.state_dir().unwrap_or_else(|| folders.data_local_dir()).to_owned())
}

/// The folder for what need not be worked out again; all in it may be deleted at any time.
pub(crate) fn cache() -> Option<PathBuf> {
    Some(all()?.cache_dir().to_owned())
}

/// The folder for what a person sets.
pub(crate) fn settings() -> Option<PathBuf> {
    Some(all()?.config_dir().to_owned())
}
