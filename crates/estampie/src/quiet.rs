//! Standard error while a page is up: libraries of the sound system write there, and would write over the page.

use crate::logs;
use std::fs::File;
use std::path::Path;

/// Standard error goes to a file until this is dropped.
pub(crate) struct Quiet {
    #[cfg(unix)]
    before: std::os::fd::OwnedFd,
}

impl Quiet {
    /// Sends it to `errors.log` of a folder; `None` if that cannot be had.
    pub(crate) fn begin(folder: &Path) -> Option<Quiet> {
        std::fs::create_dir_all(folder).ok()?;
        let errors = File::options().create(true).append(true).open(folder.join(logs::ERRORS)).ok()?;
        #[cfg(unix)]
        {
            let before = rustix::io::dup(rustix::stdio::stderr()).ok()?;
            rustix::stdio::dup2_stderr(&errors).ok()?;
            Some(Quiet { before })
        }
        #[cfg(not(unix))]
        {
            let _ = errors;
            Some(Quiet {})
        }
    }
}

impl Drop for Quiet {
    fn drop(&mut self) {
        #[cfg(unix)]
        let _ = rustix::stdio::dup2_stderr(&self.before);
    }
}
