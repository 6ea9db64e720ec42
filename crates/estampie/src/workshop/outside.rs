//! What others do with the project's files, looked at on a thread of its own: when the system says that something has changed, and now and then all the same.

use estampie_project::document::{Look, Stamps};
use notify::event::EventKind;
use notify::{RecommendedWatcher, RecursiveMode, Watcher as _};
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::time::{Duration, Instant};

/// Where a project's files lie besides its folder itself.
const FOLDERS: [&str; 4] = ["audio", "music", "playthroughs", "sounds"];
/// So often it is looked where the system does not say what changes.
const UNTOLD: Duration = Duration::from_secs(1);
/// So often where it does: it says nothing of folders that lie on other machines.
const TOLD: Duration = Duration::from_secs(10);
/// What changes in a row is looked at once, when nothing has changed for so long,
const QUIET: Duration = Duration::from_millis(100);
/// or after so long, however much goes on changing.
const PATIENCE: Duration = Duration::from_secs(1);

enum Wake {
    /// Something has changed; whether one of the folders themselves.
    Changed(bool),
    /// It has to be looked anew: this is what is known of the texts.
    Again(Stamps),
    End,
}

/// The thread that looks, for as long as this is held.
pub(super) struct Outside {
    looks: Receiver<Look>,
    wake: Sender<Wake>,
}

impl Outside {
    /// Looks at the project in a folder from now on; its texts are known as they were written then.
    pub(super) fn watch(root: &Path, known: Stamps) -> Outside {
        let ((wake, wakes), (sender, looks)) = (channel(), channel());
        let watching = Watching { root: root.to_owned(), wake: wake.clone(), known, last: None };
        std::thread::spawn(move || watching.run(&wakes, &sender));
        Outside { looks, wake }
    }

    /// What was found that is new. None is left out for a later one: texts are read for the first look alone that finds them written.
    pub(super) fn news(&self) -> Option<Look> {
        self.looks.try_recv().ok()
    }

    /// Looks again, and tells what is found even if it is the same.
    pub(super) fn again(&self, known: &Stamps) {
        let _ = self.wake.send(Wake::Again(known.clone()));
    }
}

impl Drop for Outside {
    fn drop(&mut self) {
        let _ = self.wake.send(Wake::End);
    }
}

struct Watching {
    root: PathBuf,
    wake: Sender<Wake>,
    known: Stamps,
    last: Option<Look>,
}

impl Watching {
    fn run(mut self, wakes: &Receiver<Wake>, looks: &Sender<Look>) {
        let mut watcher = self.watcher();
        loop {
            let look = Look::at(&self.root, &self.known);
            self.known = look.stamps().clone();
            if !self.last.as_ref().is_some_and(|last| last.finds_as(&look)) {
                self.last = Some(look.clone());
                if looks.send(look).is_err() {
                    return;
                }
            }
            let mut wake = wakes.recv_timeout(if watcher.is_some() { TOLD } else { UNTOLD });
            let since = Instant::now();
            loop {
                match wake {
                    Ok(Wake::Changed(false)) => {}
                    // A folder may have come, or have been put in the place of another.
                    Ok(Wake::Changed(true)) => watcher = self.watcher(),
                    Ok(Wake::Again(known)) => (self.known, self.last) = (known, None),
                    Ok(Wake::End) | Err(RecvTimeoutError::Disconnected) => return,
                    Err(RecvTimeoutError::Timeout) => break,
                }
                wake = wakes.recv_timeout(QUIET.min(PATIENCE.saturating_sub(since.elapsed())));
            }
        }
    }

    /// What the system says; `None` where it says nothing.
    fn watcher(&self) -> Option<RecommendedWatcher> {
        let wake = self.wake.clone();
        let told = move |event: notify::Result<notify::Event>| {
            let Ok(event) = event else { return drop(wake.send(Wake::Changed(true))) };
            if !matches!(event.kind, EventKind::Access(_)) {
                let _ = wake.send(Wake::Changed(event.paths.iter().any(|path| FOLDERS.iter().any(|folder| path.ends_with(folder)))));
            }
        };
        let mut watcher = notify::recommended_watcher(told).ok()?;
        watcher.watch(&self.root, RecursiveMode::NonRecursive).ok()?;
        for folder in FOLDERS.map(|folder| self.root.join(folder)).iter().filter(|folder| folder.is_dir()) {
            watcher.watch(folder, RecursiveMode::Recursive).ok()?;
        }
        Some(watcher)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use estampie_project::document::Workspace;

    /// Waits for what is found next.
    fn next(outside: &Outside) -> Look {
        let begun = Instant::now();
        loop {
            if let Some(look) = outside.news() {
                return look;
            }
            assert!(begun.elapsed() < Duration::from_secs(60), "nothing is told");
            std::thread::sleep(Duration::from_millis(5));
        }
    }

    #[test]
    fn what_changes_is_told_and_what_does_not_is_not() {
        let folder = tempfile::tempdir().unwrap();
        let at = |file: &str| folder.path().join(file);
        std::fs::write(at("estampie.toml"), "format = 1\nname = \"quay\"\n").unwrap();
        let outside = Outside::watch(folder.path(), Stamps::new());
        assert!(next(&outside).audio().is_empty());
        // A folder that was not there, and files in it.
        std::fs::create_dir_all(at("audio/bell")).unwrap();
        std::fs::write(at("audio/bell/one.wav"), b"1").unwrap();
        while !next(&outside).audio().contains_key("audio/bell/one.wav") {}
        std::fs::write(at("audio/bell/two.wav"), b"2").unwrap();
        while !next(&outside).audio().contains_key("audio/bell/two.wav") {}
        // The same folder again, in the place of what was there.
        std::fs::rename(at("audio"), at("before")).unwrap();
        while !next(&outside).audio().is_empty() {}
        std::fs::rename(at("before"), at("audio")).unwrap();
        while next(&outside).audio().len() != 2 {}
        std::fs::remove_file(at("audio/bell/one.wav")).unwrap();
        while next(&outside).audio().len() != 1 {}
        std::fs::write(at("mix.toml"), "").unwrap();
        while !next(&outside).stamps().contains_key("mix.toml") {}
        // Nothing is said of what is only read, and of what no project has.
        std::thread::sleep(PATIENCE + QUIET);
        while outside.news().is_some() {}
        std::fs::read(at("mix.toml")).unwrap();
        std::fs::write(at("notes.txt"), "").unwrap();
        std::thread::sleep(PATIENCE);
        assert!(outside.news().is_none());
        // A text and then audio, before anybody asks: both are taken in.
        let mut workspace = Workspace::open(folder.path()).unwrap();
        outside.again(workspace.stamps());
        next(&outside);
        std::fs::write(at("mix.toml"), "[buses.quay]\n").unwrap();
        std::thread::sleep(PATIENCE);
        std::fs::write(at("audio/bell/three.wav"), b"3").unwrap();
        std::thread::sleep(PATIENCE);
        let mut taken = Vec::new();
        while let Some(look) = outside.news() {
            taken.extend(workspace.take_in(look).unwrap().0);
        }
        assert_eq!(taken, ["mix.toml", "audio"]);
        std::fs::remove_file(at("audio/bell/three.wav")).unwrap();
        while next(&outside).audio().len() != 1 {}
        // What is the same is told if it is asked for.
        outside.again(&Stamps::new());
        assert_eq!(next(&outside).audio().len(), 1);
    }
}
