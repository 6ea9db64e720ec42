//! The one door to a project's files: what is read or written of a project goes through here, and lies in its folder.

use std::io;
use std::path::{Component, Path, PathBuf};

fn refused(what: &str) -> io::Error {
    io::Error::new(io::ErrorKind::PermissionDenied, what.to_owned())
}

/// The path of a file of the project at `root`, by its name relative to that, with `/`.
///
/// # Errors
/// When the name leads out of the project: an absolute path, `..`, or a link to somewhere else.
pub fn inside(root: &Path, name: &str) -> io::Result<PathBuf> {
    let relative = Path::new(name);
    if name.is_empty() || !relative.components().all(|c| matches!(c, Component::Normal(_) | Component::CurDir)) {
        return Err(refused("it does not lie in the project: name it by its path within the project's folder"));
    }
    let path = root.join(relative);
    let home = root.canonicalize()?;
    // What is not there yet lies where its nearest folder that is there lies.
    let mut there = path.as_path();
    let real = loop {
        match there.canonicalize() {
            Ok(real) => break real,
            // A link that leads nowhere would be written through to wherever it says.
            Err(error) if std::fs::symlink_metadata(there).is_ok() => return Err(error),
            Err(error) => there = there.parent().ok_or(error)?,
        }
    };
    if real.starts_with(&home) { Ok(path) } else { Err(refused("it is a link that leads out of the project: put the file itself into the project's folder")) }
}

/// The path of a regular file of the project that can be read to its end.
///
/// # Errors
/// As [`inside`]; when it is not there; when it is a folder, a device or a pipe, which may have no end.
pub fn readable(root: &Path, name: &str) -> io::Result<PathBuf> {
    let path = inside(root, name)?;
    regular(&path)?;
    Ok(path)
}

/// Makes sure that a path is a regular file, without opening it: opening a pipe would wait for its other end.
///
/// # Errors
/// When it is not there, or is something else.
pub fn regular(path: &Path) -> io::Result<()> {
    let facts = std::fs::metadata(path)?;
    if facts.is_file() {
        return Ok(());
    }
    let what = if facts.is_dir() { "it is a folder, not a file" } else { "it is a pipe or a device, not a file" };
    Err(io::Error::new(io::ErrorKind::InvalidInput, what))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_outside_comes_in_or_is_written() {
        let outside = tempfile::tempdir().unwrap();
        std::fs::write(outside.path().join("secret.wav"), "x").unwrap();
        let project = tempfile::tempdir().unwrap();
        std::fs::create_dir(project.path().join("audio")).unwrap();
        std::fs::write(project.path().join("audio/in.wav"), "x").unwrap();
        for name in ["audio/in.wav", "./audio/in.wav", "audio/new.wav", "new/folder/new.wav"] {
            assert!(inside(project.path(), name).is_ok(), "{name}");
        }
        let absolute = outside.path().join("secret.wav").display().to_string();
        for name in ["", "../secret.wav", "audio/../../secret.wav", "/etc/hosts", absolute.as_str()] {
            assert!(inside(project.path(), name).is_err(), "{name}");
        }
        assert!(readable(project.path(), "audio/in.wav").is_ok());
        assert!(readable(project.path(), "audio").unwrap_err().to_string().contains("folder"));
        assert_eq!(readable(project.path(), "audio/new.wav").unwrap_err().kind(), io::ErrorKind::NotFound);
        #[cfg(unix)]
        {
            use std::os::unix::fs::symlink;
            symlink(outside.path(), project.path().join("audio/away")).unwrap();
            symlink(outside.path().join("not there"), project.path().join("audio/nowhere.wav")).unwrap();
            symlink(project.path().join("audio/in.wav"), project.path().join("audio/same.wav")).unwrap();
            for name in ["audio/away/secret.wav", "audio/away/new.wav", "audio/nowhere.wav"] {
                assert!(inside(project.path(), name).is_err(), "{name}");
            }
            assert!(readable(project.path(), "audio/same.wav").is_ok(), "a link within the project is fine");
            assert!(regular(Path::new("/dev/zero")).unwrap_err().to_string().contains("device"));
        }
    }
}
