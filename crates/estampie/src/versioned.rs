//! A project as it stands in version control, through the `git` of the machine: what is staged, or what a commit had, as a folder that goes with this value.
//!
//! What is the same as in the working tree is linked to it and not copied (audio has gigabytes); the rest is written by git, with the filters that the
//! repository has (large files kept elsewhere come as themselves).

use crate::failure::Failure;
use std::collections::BTreeSet;
use std::path::{Component, Path, PathBuf};
use std::process::{Command, Stdio};

/// A state of a project.
pub(crate) struct State {
    folder: tempfile::TempDir,
}

/// Which state.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Which<'a> {
    Staged,
    Commit(&'a str),
}

/// Runs git in a folder; gives what it prints.
fn git(root: &Path, arguments: &[&str]) -> Result<Vec<u8>, Failure> {
    let run = Command::new("git").arg("-C").arg(root).args(arguments).stdin(Stdio::null()).output();
    let out = run.map_err(|error| Failure::Fault(format!("git cannot be run: {error}")))?;
    if !out.status.success() {
        return Err(Failure::Fault(format!("git {}: {}", arguments[0], String::from_utf8_lossy(&out.stderr).trim())));
    }
    Ok(out.stdout)
}

/// Paths that git has printed with an end after each. One that is no UTF-8 is left out: no file of a project is called so.
fn paths(out: &[u8]) -> Vec<String> {
    out.split(|byte| *byte == 0).filter(|path| !path.is_empty()).filter_map(|path| String::from_utf8(path.to_vec()).ok()).collect()
}

/// Whether a path stays below the folder that it is relative to.
fn stays(path: &str) -> bool {
    Path::new(path).components().all(|part| matches!(part, Component::Normal(_)))
}

impl State {
    /// The project in folder `root` as it is staged, or was in a commit.
    ///
    /// # Errors
    /// When the folder is in no repository, or there is no such commit, or the disk refuses.
    pub(crate) fn of(root: &Path, which: Which<'_>) -> Result<State, Failure> {
        let top = git(root, &["rev-parse", "--absolute-git-dir"])?;
        let top = PathBuf::from(String::from_utf8_lossy(&top).trim());
        let (list, changed) = match which {
            Which::Staged => (git(root, &["ls-files", "-z", "--cached"])?, git(root, &["diff", "--name-only", "-z", "--relative"])?),
            Which::Commit(commit) => {
                // What begins with a line is no commit but an option.
                if commit.starts_with('-') {
                    return Err(Failure::Use(format!("{commit} is no commit")));
                }
                (
                    git(root, &["ls-tree", "-r", "-z", "--name-only", commit, "--", "."])?,
                    git(root, &["diff", "--name-only", "-z", "--relative", commit, "--", "."])?,
                )
            }
        };
        let (list, changed): (Vec<String>, BTreeSet<String>) = (paths(&list), paths(&changed).into_iter().collect());
        // On the disk of the repository, so that most files can be linked.
        let folder = tempfile::Builder::new().prefix("estampie-").tempdir_in(&top).or_else(|_| tempfile::tempdir())?;
        for path in list.iter().filter(|path| stays(path)) {
            let (from, to) = (root.join(path), folder.path().join(path));
            if let Some(parent) = to.parent() {
                std::fs::create_dir_all(parent)?;
            }
            // A hard link of a link is that link: what it leads to is looked for from the copy on.
            if !changed.contains(path) && std::fs::hard_link(&from, &to).is_ok() {
                continue;
            }
            let object = match which {
                Which::Staged => format!(":./{path}"),
                Which::Commit(commit) => format!("{commit}:./{path}"),
            };
            std::fs::write(&to, git(root, &["cat-file", "--filters", &object])?)?;
        }
        Ok(State { folder })
    }

    /// Where it lies for as long as this is kept.
    pub(crate) fn path(&self) -> &Path {
        self.folder.path()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn repository() -> tempfile::TempDir {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path();
        git(root, &["init", "-q"]).unwrap_or_else(|_| panic!("git is needed"));
        for (name, value) in [("user.name", "Brinewick"), ("user.email", "brinewick@example.org"), ("commit.gpgsign", "false")] {
            git(root, &["config", name, value]).ok().unwrap();
        }
        std::fs::create_dir_all(root.join("game/audio")).unwrap();
        std::fs::write(root.join("game/a.toml"), "one").unwrap();
        std::fs::write(root.join("game/audio/b.wav"), "sound").unwrap();
        std::fs::write(root.join("beside"), "no part of it").unwrap();
        git(root, &["add", "-A"]).ok().unwrap();
        git(root, &["commit", "-qm", "Begin"]).ok().unwrap();
        folder
    }

    fn read(state: &State, file: &str) -> Option<String> {
        std::fs::read_to_string(state.path().join(file)).ok()
    }

    #[test]
    fn what_is_staged_and_what_a_commit_had_are_told_from_what_lies_there() {
        let folder = repository();
        let root = folder.path().join("game");
        std::fs::write(root.join("a.toml"), "two").unwrap();
        std::fs::write(root.join("c.toml"), "new").unwrap();
        git(&root, &["add", "-A"]).ok().unwrap();
        std::fs::write(root.join("a.toml"), "three").unwrap();
        std::fs::remove_file(root.join("c.toml")).unwrap();
        std::fs::write(root.join("d.toml"), "not staged").unwrap();
        let staged = State::of(&root, Which::Staged).ok().unwrap();
        let of = |state: &State| ["a.toml", "audio/b.wav", "c.toml", "d.toml", "beside"].map(|file| read(state, file));
        let text = |text: &str| Some(text.to_owned());
        assert_eq!(of(&staged), [text("two"), text("sound"), text("new"), None, None]);
        let before = State::of(&root, Which::Commit("HEAD")).ok().unwrap();
        assert_eq!(of(&before), [text("one"), text("sound"), None, None, None]);
        let (path, own) = (staged.path().to_owned(), std::fs::read_to_string(root.join("a.toml")).unwrap());
        drop((staged, before));
        assert!(!path.exists() && own == "three", "it goes, and the working tree stays");
        assert_eq!(std::fs::read_to_string(root.join("audio/b.wav")).unwrap(), "sound");
    }

    #[test]
    fn what_is_no_commit_or_no_repository_is_said() {
        let folder = repository();
        for commit in ["nowhere", "--output=x", ""] {
            assert!(State::of(folder.path(), Which::Commit(commit)).is_err(), "{commit}");
        }
        let outside = tempfile::tempdir().unwrap();
        assert!(matches!(State::of(outside.path(), Which::Staged), Err(Failure::Fault(what)) if what.contains("not a git repository")));
        assert!(!stays("../x") && !stays("/x") && stays("a/b"));
    }
}
