//! Audio that is not where the project says: the list of faults says where something like it lies, and one key points there.

use super::app::App;
use crate::bundling::{AudioHashes, Home};
use estampie_project::compile;
use estampie_project::document::Fault;
use estampie_project::moved::{Found, missing};
use std::collections::BTreeMap;
use std::path::PathBuf;
use std::sync::mpsc::{Receiver, channel};

/// What is known of audio that is missing.
#[derive(Default)]
pub(crate) struct Missing {
    state: Option<PathBuf>,
    /// Of which paths it was looked, and how often each is missed.
    of: BTreeMap<String, usize>,
    found: BTreeMap<String, Vec<Found>>,
    looking: Option<Receiver<BTreeMap<String, Vec<Found>>>>,
    /// Which of what was found is chosen for the fault at the top.
    pub(super) choice: usize,
    /// What is at fault may have changed since it was looked.
    pub(super) outdated: bool,
}

impl Missing {
    pub(super) fn new(state: Option<PathBuf>) -> Missing {
        Missing { state, outdated: true, ..Missing::default() }
    }

    /// What is like what a fault misses.
    pub(crate) fn like(&self, fault: &Fault) -> &[Found] {
        fault.misses.as_ref().and_then(|path| self.found.get(path)).map_or(&[], Vec::as_slice)
    }

    /// Paths for each of which something was found, with the likeliest.
    fn sure(&self) -> Vec<(String, String)> {
        self.found.iter().filter_map(|(path, found)| Some((path.clone(), found.first()?.path.clone()))).collect()
    }
}

impl App {
    /// Looks where what is missing may lie, when that has changed; true if there is something new to show.
    pub(super) fn poll_missing(&mut self) -> bool {
        if let Some(found) = self.missing.looking.as_ref().and_then(|l| l.try_recv().ok()) {
            (self.missing.found, self.missing.looking) = (found, None);
            return true;
        }
        if self.missing.looking.is_some() || !std::mem::take(&mut self.missing.outdated) {
            return false;
        }
        let of = missing(&self.faults);
        if of == self.missing.of {
            return false;
        }
        let (audio, root, state) = (self.workspace.audio().clone(), self.workspace.root().to_owned(), self.missing.state.clone());
        let paths: Vec<String> = of.keys().cloned().collect();
        let used = compile::wanted_audio(self.document()).into_keys().collect();
        self.missing.of = of;
        let (tell, looking) = channel();
        std::thread::spawn(move || {
            let known = AudioHashes::read(Home { root: &root, state: state.as_deref() });
            let _ = tell.send(paths.into_iter().map(|path| (path.clone(), known.like(&path, &audio, &used, &root))).collect());
        });
        self.missing.looking = Some(looking);
        false
    }

    /// Remembers what the audio is, so that it is found again wherever it is put.
    pub(super) fn remember_audio(&self) {
        let Some(state) = self.missing.state.clone() else { return };
        let (root, files) = (self.workspace.root().to_owned(), compile::wanted_audio(self.document()));
        std::thread::spawn(move || {
            let home = Home { root: &root, state: Some(&state) };
            let mut hashes = AudioHashes::read(home);
            let mut any = false;
            for file in files.keys() {
                any |= hashes.learn(&root, file);
            }
            if any {
                hashes.write(home);
            }
        });
    }

    /// Chooses another of what was found for the fault at the top of the list.
    pub(super) fn choose_found(&mut self, by: isize) {
        let count = self.faults.get(self.scroll).map_or(0, |fault| self.missing.like(fault).len()).max(1);
        self.missing.choice = (self.missing.choice as isize + by).rem_euclid(count as isize) as usize;
    }

    /// Points what the fault at the top misses to what is chosen; false if it misses nothing that was found.
    pub(super) fn point_to_found(&mut self) -> bool {
        let Some(fault) = self.faults.get(self.scroll).cloned() else { return false };
        let (Some(path), Some(found)) = (fault.misses.clone(), self.missing.like(&fault).get(self.missing.choice).cloned()) else { return false };
        self.point_names(&[(path, found.path)]);
        true
    }

    /// Points all that is missing to the likeliest of what was found.
    pub(super) fn point_all(&mut self) {
        let all = self.missing.sure();
        if all.is_empty() {
            return self.say("nothing like what is missing was found in the project's folder");
        }
        self.point_names(&all);
    }

    fn point_names(&mut self, changes: &[(String, String)]) {
        let faults = self.faults.clone();
        match self.workspace.point_to(&faults, changes) {
            Ok(count) => {
                self.recompile();
                self.missing.choice = 0;
                self.scroll = self.scroll.min(self.faults.len().saturating_sub(1));
                let what = if count == 1 { "one name points".to_owned() } else { format!("{count} names point") };
                self.say(format!("{what} to what was found; u undoes it"));
            }
            Err(why) => self.alarm(String::from(why)),
        }
    }
}

#[cfg(test)]
mod tests {

    use crate::workshop::view_tests::Desk;

    fn loaded() -> Desk {
        let mut desk = Desk::new();
        desk.poll_until("all is loaded", |app| app.rehearsal.frame() > 0 && app.loading().is_none());
        desk
    }

    #[test]
    fn audio_that_was_moved_and_renamed_is_found_by_its_bytes_and_pointed_to_by_one_key() {
        let state = tempfile::tempdir().unwrap();
        let mut desk = loaded();
        desk.app.missing.state = Some(state.path().to_owned());
        desk.app.remember_audio();
        let memory = || std::fs::read_dir(state.path().join("audio")).is_ok_and(|mut d| d.next().is_some());
        desk.poll_until("it is remembered", |_| memory());
        // It goes elsewhere under another name, while the project is open.
        let root = desk.app.workspace.root().to_owned();
        std::fs::create_dir_all(root.join("audio/wood")).unwrap();
        std::fs::rename(root.join("audio/b.wav"), root.join("audio/wood/plank.wav")).unwrap();
        desk.poll_until("it is missed", |app| app.faults.iter().any(|f| f.misses.as_deref() == Some("audio/b.wav")));
        desk.poll_until("it is found", |app| !app.missing.found.is_empty() && app.missing.looking.is_none());
        desk.keys("!");
        let page = desk.page();
        assert!(page.contains("there is no audio file audio/b.wav") && page.contains("▶ audio/wood/plank.wav: the same audio"), "{page}");
        desk.keys("enter");
        assert!(desk.app.faults.iter().all(|f| f.misses.is_none()), "{:?}", desk.app.faults);
        assert!(desk.page().contains("to what was found; u undoes it"), "{}", desk.page());
        let texts: String = desk.app.workspace.sources().texts().map(|(_, text)| text).collect();
        assert!(texts.contains("audio/wood/plank.wav") && !texts.contains("audio/b.wav"));
    }

    #[test]
    fn of_several_another_is_chosen_and_all_are_pointed_at_once() {
        let mut desk = loaded();
        let folder = desk.app.workspace.root().to_owned();
        std::fs::create_dir_all(folder.join("audio/other")).unwrap();
        std::fs::copy(folder.join("audio/a.wav"), folder.join("audio/other/a.wav")).unwrap();
        // Somebody writes it with another program.
        std::fs::write(folder.join("sounds/lost.toml"), "[\"lost/one\"]\ntakes = [\"audio/lost/A.wav\"]\n[\"lost/two\"]\ntakes = [\"audio/gone/B.WAV\"]\n")
            .unwrap();
        desk.poll_until("they are found", |app| app.missing.found.len() == 2);
        desk.keys("!");
        let page = desk.page();
        assert!(page.contains("▶ audio/other/a.wav: the same name in another folder") && page.contains("  audio/a.wav"), "{page}");
        desk.keys("right");
        assert!(desk.page().contains("▶ audio/a.wav"), "{}", desk.page());
        desk.keys("a");
        assert!(desk.app.faults.is_empty() && desk.page().contains("2 names point to what was found"), "{:?}", desk.app.faults);
        let text = desk.app.workspace.sources().get("sounds/lost.toml").unwrap().to_string();
        assert!(text.contains("[\"lost/one\"]\ntakes = [\"audio/other/a.wav\"]") && text.contains("takes = [\"audio/b.wav\"]"), "{text}");
    }
}
