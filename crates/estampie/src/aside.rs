//! Files that appear whole or not at all.

use crate::failure::Failure;
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};

/// Writes a small file, whole or not at all, with the folders that it needs: others may read it at the same time.
///
/// # Errors
/// When the system refuses; then what was there is there still.
pub(crate) fn put(path: &Path, bytes: &[u8]) -> std::io::Result<()> {
    let folder = path.parent().ok_or(std::io::ErrorKind::NotFound)?;
    std::fs::create_dir_all(folder)?;
    let mut file = tempfile::NamedTempFile::new_in(folder)?;
    file.write_all(bytes)?;
    as_others_are(file.as_file(), path)?;
    file.persist(path).map_err(|e| e.error)?;
    Ok(())
}

/// What is written aside is for nobody else at first: it may be read by whoever may read what stands at its place, or else by everybody.
fn as_others_are(file: &std::fs::File, path: &Path) -> std::io::Result<()> {
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt as _;
        let mode = std::fs::metadata(path).map_or(0o644, |m| m.permissions().mode());
        file.set_permissions(std::fs::Permissions::from_mode(mode))?;
    }
    #[cfg(not(unix))]
    let _ = (file, path);
    Ok(())
}

/// A file being written: aside first, then in its place in one step. Dropped before that, it leaves nothing behind.
pub(crate) struct Aside {
    file: BufWriter<tempfile::NamedTempFile>,
    path: PathBuf,
}

impl Aside {
    /// Begins a file whose name ends with one of `endings`. The project's own files are not written over unless `force` says so.
    pub(crate) fn create(path: &Path, endings: &[&str], project: Option<&Path>, force: bool) -> Result<Aside, Failure> {
        let ending = path.extension().and_then(|e| e.to_str()).unwrap_or_default().to_ascii_lowercase();
        if !endings.contains(&ending.as_str()) {
            let list: Vec<String> = endings.iter().map(|e| format!(".{e}")).collect();
            return Err(Failure::Use(format!("{} should end in {}", path.display(), list.join(" or "))));
        }
        let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        if let Some(project) = project.filter(|_| !force)
            && is_of_project(path, folder, project)
        {
            return Err(Failure::Use(format!("{} is one of the project's own files; write elsewhere, or say --force", path.display())));
        }
        if path.is_dir() {
            return Err(Failure::Use(format!("{} is a folder; name a file in it", path.display())));
        }
        let file = tempfile::Builder::new().prefix(".writing-").tempfile_in(folder).map_err(|e| cannot(path, &e))?;
        Ok(Aside { file: BufWriter::new(file), path: path.to_owned() })
    }

    /// Puts it in its place.
    pub(crate) fn finish(self) -> Result<(), Failure> {
        let Aside { file, path } = self;
        let failed = |e: &dyn std::fmt::Display| cannot(&path, e);
        let file = file.into_inner().map_err(|e| failed(&e))?;
        as_others_are(file.as_file(), &path).map_err(|e| failed(&e))?;
        file.as_file().sync_all().map_err(|e| failed(&e))?;
        file.persist(&path).map_err(|e| failed(&e.error))?;
        Ok(())
    }
}

impl Write for Aside {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.file.write(bytes)
    }

    fn flush(&mut self) -> std::io::Result<()> {
        self.file.flush()
    }
}

impl std::io::Seek for Aside {
    fn seek(&mut self, to: std::io::SeekFrom) -> std::io::Result<u64> {
        self.file.seek(to)
    }
}

fn cannot(path: &Path, error: &dyn std::fmt::Display) -> Failure {
    Failure::Fault(format!("{} cannot be written: {error}", path.display()))
}

/// Whether a path is that of one of a project's files, or lies in a folder from which it takes its files in.
fn is_of_project(path: &Path, folder: &Path, project: &Path) -> bool {
    let (Ok(folder), Ok(project)) = (folder.canonicalize(), project.canonicalize()) else { return false };
    let Ok(within) = folder.strip_prefix(&project) else { return false };
    match within.components().next() {
        Some(first) => ["audio", "sounds", "music", "playthroughs"].iter().any(|own| first.as_os_str() == *own),
        None => path.exists() && estampie_project::document::Sources::list(&project).iter().any(|f| path.file_name().is_some_and(|n| n == f.as_str())),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_appears_whole_or_not_at_all() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.wav");
        std::fs::write(&path, "good").unwrap();
        let mut half = Aside::create(&path, &["wav"], None, false).unwrap();
        half.write_all(b"half").unwrap();
        drop(half);
        assert_eq!(std::fs::read_to_string(&path).unwrap(), "good");
        let mut whole = Aside::create(&path, &["wav"], None, false).unwrap();
        whole.write_all(b"whole").unwrap();
        whole.finish().unwrap();
        assert_eq!(std::fs::read_to_string(&path).unwrap(), "whole");
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 1, "nothing stays behind");
        assert!(matches!(Aside::create(&folder.path().join("a.txt"), &["wav"], None, false), Err(Failure::Use(_))));
    }

    #[test]
    fn the_projects_own_files_are_safe() {
        let folder = tempfile::tempdir().unwrap();
        for inner in ["audio/x", "sounds"] {
            std::fs::create_dir_all(folder.path().join(inner)).unwrap();
        }
        std::fs::write(folder.path().join("estampie.toml"), "format = 1\n").unwrap();
        let create = |name: &str, force| Aside::create(&folder.path().join(name), &["wav", "toml"], Some(folder.path()), force).map(|_| ());
        assert!(create("audio/x/new.wav", false).is_err() && create("sounds/a.wav", false).is_err() && create("estampie.toml", false).is_err());
        assert!(create("take.wav", false).is_ok() && create("audio/x/new.wav", true).is_ok());
    }
}
