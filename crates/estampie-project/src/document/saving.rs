//! Writing several files as one: all of them or none, whatever happens in between.
//!
//! Every new text is first written aside, beside the file that it is for. Then a note in the project's folder says what is to take
//! the place of what; from then on the save counts as done, and whoever opens the project next completes it. Without a note,
//! what was written aside is thrown away. So a save that is killed is never half a save.

use crate::door;
use std::io::{self, Write as _};
use std::path::{Path, PathBuf};

/// Begins the names of what is written aside.
pub(super) const ASIDE: &str = ".saving-";
/// The note.
const NOTE: &str = ".saving-note";

/// What a file is to be.
#[derive(Debug, Clone)]
pub(super) struct Write {
    /// Its path in the project.
    pub(super) file: String,
    /// Its bytes, or `None` when it is to go.
    pub(super) bytes: Option<Vec<u8>>,
}

fn says(file: &str, error: &io::Error) -> io::Error {
    io::Error::new(error.kind(), format!("{file}: {error}"))
}

/// Where a file really lies: a link stays a link, and what it leads to is written.
fn target(root: &Path, file: &str) -> io::Result<PathBuf> {
    let path = door::inside(root, file)?;
    Ok(path.canonicalize().unwrap_or(path))
}

/// Writes a text aside; with the rights and the owner of what it replaces.
fn aside(target: &Path, bytes: &[u8]) -> io::Result<PathBuf> {
    let folder = target.parent().ok_or_else(|| io::Error::other("it lies nowhere"))?;
    std::fs::create_dir_all(folder)?;
    if target.is_dir() {
        return Err(io::Error::new(io::ErrorKind::IsADirectory, "a folder stands where the file should be"));
    }
    let mut file = tempfile::Builder::new().prefix(ASIDE).tempfile_in(folder)?;
    file.write_all(bytes)?;
    let before = std::fs::metadata(target).ok();
    #[cfg(unix)]
    {
        use std::os::unix::fs::{MetadataExt as _, PermissionsExt as _};
        if let Some(before) = &before {
            // Only some may give files away; for the others the owner is their own anyway.
            let _ = std::os::unix::fs::fchown(file.as_file(), Some(before.uid()), Some(before.gid()));
        }
        let mode = before.map_or(0o644, |b| b.permissions().mode());
        file.as_file().set_permissions(std::fs::Permissions::from_mode(mode))?;
    }
    #[cfg(not(unix))]
    let _ = before;
    file.as_file().sync_all()?;
    file.into_temp_path().keep().map_err(|e| e.error)
}

/// A path relative to the project, as it stands in the note.
fn relative(root: &Path, path: &Path) -> String {
    path.strip_prefix(root).unwrap_or(path).display().to_string()
}

/// Writes all, or nothing.
///
/// # Errors
/// When the disk refuses one of them, with its name; then all files are as they were.
pub(super) fn write_all(root: &Path, writes: &[Write]) -> io::Result<()> {
    if writes.is_empty() {
        return Ok(());
    }
    let home = root.canonicalize()?;
    let mut prepared: Vec<(Option<PathBuf>, PathBuf)> = Vec::new();
    let ready = writes.iter().try_for_each(|write| {
        let to = target(root, &write.file).map_err(|e| says(&write.file, &e))?;
        let from = write.bytes.as_ref().map(|bytes| aside(&to, bytes)).transpose().map_err(|e| says(&write.file, &e))?;
        if from.is_none() {
            // Taking a file out is refused where its folder is.
            let folder = to.parent().unwrap_or(root);
            tempfile::Builder::new().prefix(ASIDE).tempfile_in(folder).map_err(|e| says(&write.file, &e))?;
        }
        prepared.push((from, to));
        Ok(())
    });
    let noted = ready.and_then(|()| {
        let lines: Vec<_> = prepared.iter().map(|(from, to)| serde_json::json!([from.as_ref().map(|f| relative(&home, f)), relative(&home, to)])).collect();
        let mut note = tempfile::Builder::new().prefix(ASIDE).tempfile_in(&home)?;
        note.write_all(serde_json::Value::Array(lines).to_string().as_bytes())?;
        note.as_file().sync_all()?;
        note.persist(home.join(NOTE)).map_err(|e| e.error)?;
        Ok(())
    });
    if let Err(error) = noted {
        for (from, _) in prepared {
            from.map(std::fs::remove_file);
        }
        return Err(error);
    }
    complete(&home)
}

/// Completes a save whose note is there.
fn complete(root: &Path) -> io::Result<()> {
    let note = root.join(NOTE);
    let Ok(text) = std::fs::read_to_string(&note) else { return Ok(()) };
    let lines: Vec<(Option<String>, String)> = serde_json::from_str(&text).unwrap_or_default();
    for (from, to) in lines {
        // A note is read from the project's folder: it may say nothing about what lies elsewhere.
        let Ok(to) = door::inside(root, &to) else { continue };
        match from {
            Some(from) => {
                let Ok(from) = door::inside(root, &from) else { continue };
                let ours = from.file_name().and_then(|n| n.to_str()).is_some_and(|n| n.starts_with(ASIDE));
                if ours && from.exists() {
                    std::fs::rename(from, to)?;
                }
            }
            None => match std::fs::remove_file(to) {
                Err(error) if error.kind() != io::ErrorKind::NotFound => return Err(error),
                _ => {}
            },
        }
    }
    std::fs::remove_file(note)
}

/// After a save that was killed: completes it if it was decided, and takes away what was written aside for nothing.
///
/// # Errors
/// When the disk refuses.
pub(super) fn recover(root: &Path, folders: &[PathBuf]) -> io::Result<()> {
    complete(root)?;
    for folder in folders {
        for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
            let name = entry.file_name();
            // Another workshop may be writing just now.
            let old = entry.metadata().and_then(|m| m.modified()).is_ok_and(|m| m.elapsed().is_ok_and(|e| e.as_secs() > 60));
            if name.to_str().is_some_and(|n| n.starts_with(ASIDE)) && old {
                let _ = std::fs::remove_file(entry.path());
            }
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(root: &Path, file: &str) -> Option<String> {
        std::fs::read_to_string(root.join(file)).ok()
    }

    fn write(file: &str, text: Option<&str>) -> Write {
        Write { file: file.to_owned(), bytes: text.map(|t| t.as_bytes().to_vec()) }
    }

    fn left(root: &Path) -> Vec<String> {
        let mut all: Vec<String> =
            std::fs::read_dir(root).unwrap().flatten().filter_map(|e| e.file_name().into_string().ok()).filter(|n| n.starts_with(ASIDE)).collect();
        all.sort();
        all
    }

    #[test]
    fn all_are_written_or_none() {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path();
        std::fs::write(root.join("a"), "old a").unwrap();
        std::fs::write(root.join("c"), "old c").unwrap();
        write_all(root, &[write("a", Some("new a")), write("sounds/b", Some("new b")), write("c", None)]).unwrap();
        assert_eq!((read(root, "a").as_deref(), read(root, "sounds/b").as_deref(), read(root, "c")), (Some("new a"), Some("new b"), None));
        assert!(left(root).is_empty(), "{:?}", left(root));
        // A folder stands where the last one should go: the first ones are as they were, and nothing stays behind.
        std::fs::create_dir(root.join("d")).unwrap();
        let error = write_all(root, &[write("a", Some("newer")), write("new", Some("x")), write("d", Some("x"))]).unwrap_err();
        assert!(error.to_string().starts_with("d: "), "{error}");
        assert_eq!((read(root, "a").as_deref(), read(root, "new")), (Some("new a"), None));
        assert!(left(root).is_empty(), "{:?}", left(root));
    }

    #[test]
    fn a_save_that_was_killed_is_completed_or_forgotten() {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path();
        for file in ["a", "b", "c"] {
            std::fs::write(root.join(file), "old").unwrap();
        }
        // Killed after the note, and after the first of three.
        std::fs::write(root.join("a"), "new").unwrap();
        std::fs::write(root.join(".saving-2"), "new").unwrap();
        std::fs::write(root.join(NOTE), r#"[[".saving-1", "a"], [".saving-2", "b"], [null, "c"], ["a", "../stolen"], ["b", "a"]]"#).unwrap();
        recover(root, &[root.to_owned()]).unwrap();
        assert_eq!((read(root, "a").as_deref(), read(root, "b").as_deref(), read(root, "c")), (Some("new"), Some("new"), None));
        assert!(left(root).is_empty() && !root.parent().unwrap().join("stolen").exists());
        // Killed before the note: what was aside is nobody's.
        let lost = root.join(".saving-3");
        std::fs::write(&lost, "new").unwrap();
        recover(root, &[root.to_owned()]).unwrap();
        assert!(lost.exists(), "it might be somebody's at work");
        std::fs::File::options().write(true).open(&lost).unwrap().set_modified(std::time::SystemTime::now() - std::time::Duration::from_secs(90)).unwrap();
        recover(root, &[root.to_owned()]).unwrap();
        assert!(!lost.exists());
    }

    /// The process that is killed: it saves one version after another, each of six files.
    #[test]
    fn child_that_saves_until_it_is_killed() {
        let Ok(folder) = std::env::var("ESTAMPIE_SAVES_UNTIL_KILLED") else { return };
        for version in 1u32.. {
            let text = format!("{version}\n").repeat(200);
            let writes: Vec<Write> = FILES.iter().map(|file| write(file, Some(&text))).collect();
            write_all(Path::new(&folder), &writes).unwrap();
        }
    }

    const FILES: [&str; 6] = ["game.toml", "mix.toml", "sounds/a.toml", "sounds/b.toml", "reactions.est", "music/a.toml"];

    #[test]
    fn kills_while_saving_leave_every_file_whole_and_of_one_version() {
        // More of them for who has the time: ESTAMPIE_CASES=1000.
        let kills = std::env::var("ESTAMPIE_CASES").ok().and_then(|n| n.parse().ok()).unwrap_or(60);
        for kill in 0..kills {
            let folder = tempfile::tempdir().unwrap();
            let root = folder.path();
            for part in ["sounds", "music"] {
                std::fs::create_dir(root.join(part)).unwrap();
            }
            let mut child = std::process::Command::new(std::env::current_exe().unwrap())
                .args(["--exact", "document::saving::tests::child_that_saves_until_it_is_killed"])
                .env("ESTAMPIE_SAVES_UNTIL_KILLED", root)
                .stdout(std::process::Stdio::null())
                .spawn()
                .unwrap();
            // It is killed at another moment of another version each time, however slow the disk is.
            let at_least = 1 + kill % 4;
            while read(root, "game.toml").and_then(|text| text.lines().next()?.parse().ok()).is_none_or(|version: u64| version < at_least) {
                assert!(child.try_wait().unwrap().is_none(), "it ended by itself");
                std::thread::yield_now();
            }
            std::thread::sleep(std::time::Duration::from_micros(kill * 331u64 % 9_000));
            child.kill().unwrap();
            child.wait().unwrap();
            recover(root, &[root.to_owned(), root.join("sounds"), root.join("music")]).unwrap();
            let texts: Vec<String> = FILES.iter().map(|file| read(root, file).unwrap_or_else(|| panic!("{file} is gone after kill {kill}"))).collect();
            let version = texts[0].lines().next().unwrap().to_owned();
            assert!(
                texts.iter().all(|t| *t == format!("{version}\n").repeat(200)),
                "kill {kill} left {:?}",
                texts.iter().map(|t| t.lines().next()).collect::<Vec<_>>()
            );
            assert!(!root.join(NOTE).exists());
            // Nothing that had begun to take its place is taken back.
            assert!(version.parse::<u64>().unwrap() >= at_least, "kill {kill} left version {version} of {at_least}");
        }
    }

    #[cfg(unix)]
    #[test]
    fn links_stay_links_and_modes_stay() {
        use std::os::unix::fs::{PermissionsExt as _, symlink};
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path();
        std::fs::create_dir(root.join("sounds")).unwrap();
        std::fs::write(root.join("sounds/real.toml"), "old").unwrap();
        std::fs::set_permissions(root.join("sounds/real.toml"), std::fs::Permissions::from_mode(0o640)).unwrap();
        symlink("sounds/real.toml", root.join("mix.toml")).unwrap();
        write_all(root, &[write("mix.toml", Some("new"))]).unwrap();
        assert!(std::fs::symlink_metadata(root.join("mix.toml")).unwrap().is_symlink());
        assert_eq!(read(root, "sounds/real.toml").as_deref(), Some("new"));
        assert_eq!(std::fs::metadata(root.join("sounds/real.toml")).unwrap().permissions().mode() & 0o777, 0o640);
    }
}
