//! The page *Files* of the view *Stock*: what is wrong with the audio files and what mends it, folders that come in, and what is made of marks.

use super::known::Known;
use super::{List, prompts};
use crate::workshop::app::{App, Mode};
use crate::workshop::sounds;
use crate::workshop::text_field::TextField;
use estampie_engine::engine::InputKind;
use estampie_engine::names::NameKey;
use estampie_project::compile::files_of;
use estampie_project::progress::{Becomes, Finding, Flaw, Remedy, WhenTaken, new_names};
use estampie_project::stock::file_of;
use std::cell::RefCell;
use std::collections::BTreeMap;
use std::rc::Rc;
use std::sync::{Arc, Weak};

/// Which files are shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(super) enum Shown {
    /// All that is wrong.
    #[default]
    Findings,
    /// What is wrong in one way.
    Flaw(Flaw),
    /// Every file, whatever is wrong with it.
    Files,
}

/// What the page remembers.
#[derive(Debug, Default)]
pub(super) struct FilesPage {
    pub(super) shown: Shown,
    /// The place of the chosen row.
    pub(super) at: usize,
    pub(super) filter: String,
    /// The rows as they were listed last, and by what.
    listed: RefCell<Option<Listed>>,
}

/// Rows, with what they were listed by.
#[derive(Debug)]
struct Listed {
    of: Weak<Known>,
    shown: Shown,
    filter: String,
    rows: Rc<Vec<Row>>,
}

/// A row of the list: a file, and what is wrong with it.
#[derive(Debug, Clone)]
pub(super) struct Row {
    pub(super) file: String,
    pub(super) finding: Option<Finding>,
}

impl FilesPage {
    /// The groups, with how many each has.
    pub(super) fn groups(known: &Known) -> Vec<(Shown, &'static str, usize)> {
        let mut counts: BTreeMap<Flaw, usize> = BTreeMap::new();
        known.found.iter().for_each(|f| *counts.entry(f.flaw).or_default() += 1);
        let flaws = Flaw::ALL.iter().filter_map(|(flaw, _, words)| Some((Shown::Flaw(*flaw), *words, *counts.get(flaw)?)));
        [(Shown::Findings, "everything", known.found.len())].into_iter().chain(flaws).chain([(Shown::Files, "all files", known.heard.len())]).collect()
    }

    /// The rows that are shown: listed once for as long as nothing changes that they hang on.
    pub(super) fn rows(&self, known: &Arc<Known>) -> Rc<Vec<Row>> {
        let mut listed = self.listed.borrow_mut();
        let same = |l: &Listed| l.of.as_ptr() == Arc::as_ptr(known) && l.shown == self.shown && l.filter == self.filter;
        if let Some(listed) = listed.as_ref().filter(|l| same(l)) {
            return Rc::clone(&listed.rows);
        }
        let rows = Rc::new(self.list(known));
        *listed = Some(Listed { of: Arc::downgrade(known), shown: self.shown, filter: self.filter.clone(), rows: Rc::clone(&rows) });
        rows
    }

    fn list(&self, known: &Known) -> Vec<Row> {
        let with = |file: &str| self.filter.is_empty() || file.to_lowercase().contains(&self.filter);
        let of = |f: &&Finding| match self.shown {
            Shown::Findings => true,
            Shown::Flaw(flaw) => f.flaw == flaw,
            Shown::Files => false,
        };
        if self.shown == Shown::Files {
            let mut worst: BTreeMap<&str, &Finding> = BTreeMap::new();
            // They come in the order of how much they matter.
            for finding in known.found.iter() {
                worst.entry(&finding.file).or_insert(finding);
            }
            let row = |file: &String| Row { file: file.clone(), finding: worst.get(file.as_str()).map(|f| (*f).clone()) };
            return known.heard.keys().filter(|file| with(file)).map(row).collect();
        }
        known.found.iter().filter(of).filter(|f| with(&f.file)).map(|f| Row { file: f.file.clone(), finding: Some(f.clone()) }).collect()
    }
}

impl App {
    fn known(&self) -> Option<Arc<Known>> {
        self.stock.aside.known.clone()
    }

    /// The chosen row of the page.
    pub(super) fn file_row(&self) -> Option<Row> {
        let rows = self.stock.files.rows(&self.known()?);
        let last = rows.len().checked_sub(1)?;
        rows.get(self.stock.files.at.min(last)).cloned()
    }

    /// Goes so many rows down in the list that has the keys.
    pub(super) fn go_in_files(&mut self, by: isize) {
        let Some(known) = self.known() else { return };
        if self.stock.list == List::Groups {
            let groups = FilesPage::groups(&known);
            let at = groups.iter().position(|(shown, ..)| *shown == self.stock.files.shown).unwrap_or(0);
            if let Some((shown, ..)) = groups.get(at.saturating_add_signed(by).min(groups.len() - 1)) {
                (self.stock.files.shown, self.stock.files.at) = (*shown, 0);
            }
            return;
        }
        let count = match &self.stock.aside.incoming {
            Some((_, list)) => list.len(),
            None => self.stock.files.rows(&known).len(),
        };
        self.stock.files.at = self.stock.files.at.saturating_add_signed(by).min(count.saturating_sub(1));
    }

    /// What plays a file: the first sound, or the first layer.
    pub(super) fn player_of(&self, file: &str) -> Option<String> {
        self.known()?.players.get(file).cloned()
    }

    pub(super) fn go_to_player_of_file(&mut self) {
        let Some(row) = self.file_row() else { return };
        // What is wrong with takes together is of an item, not of a file.
        if row.finding.as_ref().is_some_and(|f| matches!(f.flaw, Flaw::Count | Flaw::Spread)) {
            let name = row.file.strip_prefix("audio/").unwrap_or(&row.file);
            (self.stock.page, self.stock.group, self.stock.chosen) = (super::Page::Items, super::Test::All, name.to_owned());
            return self.stock.filter.clear();
        }
        match self.player_of(&row.file) {
            Some(sound) if self.document().sounds.iter().any(|s| s.name == sound) => {
                self.show(sounds::NAME);
                self.sounds.selected = sound;
            }
            Some(layer) => self.say(format!("{} is played by {layer}: 4 has it", row.file)),
            None => self.say(format!("nothing plays {}", row.file)),
        }
    }

    pub(super) fn hear_file(&mut self) {
        let Some(row) = self.file_row() else { return };
        let files = files_of(self.document());
        let sound = files.iter().find(|(player, _, name)| file_of(name) == row.file && self.document().sounds.iter().any(|s| s.name == *player));
        match sound.map(|(player, ..)| player.clone()) {
            Some(sound) => {
                let doc = self.document().sounds.iter().find(|s| s.name == sound);
                let take = doc.and_then(|doc| sounds::takes_of(doc).into_iter().find(|t| t.file && file_of(&t.name) == row.file)?.at);
                self.rehearsal.say(match take {
                    Some((group, take)) => InputKind::PlayTake { sound: NameKey::of(&sound), group, take, from_seconds: 0.0 },
                    None => InputKind::Play { sound: NameKey::of(&sound), emitter: NameKey::NONE },
                });
                self.say(format!("hears {} in {sound}", row.file));
            }
            None => {
                self.hear_alone(&row.file);
                self.say(format!("hears {}; no sound plays it yet", row.file));
            }
        }
    }

    /// Mends the chosen row, or all rows that are shown and can be mended.
    pub(super) fn mend(&mut self, all: bool) {
        let Some(known) = self.known() else { return };
        let rows: Vec<Row> = if all { self.stock.files.rows(&known).to_vec() } else { self.file_row().into_iter().collect() };
        let findings: Vec<Finding> = rows.into_iter().filter_map(|row| row.finding).filter(|f| f.remedy.is_some()).collect();
        let names = new_names(&findings);
        let mut versions: BTreeMap<String, Vec<_>> = BTreeMap::new();
        for finding in findings {
            if let Some(Remedy::Version(fixes)) = finding.remedy {
                versions.entry(finding.file).or_default().extend(fixes);
            }
        }
        match (names.is_empty(), versions.is_empty()) {
            (true, true) => self.say("the program has no fix for that: what to do stands at the right"),
            // What is fixed and named otherwise at once would be two edits that hang on each other.
            (false, false) => self.say("some have to be renamed and some fixed: choose one of both at the left first"),
            (false, true) => self.rename_files(&names),
            (true, false) => self.make_versions(versions.into_iter().collect()),
        }
    }

    pub(super) fn rename_files(&mut self, names: &[(String, String)]) {
        self.workspace.begin_anew();
        match self.workspace.rename_audio(names) {
            Ok(count) => {
                self.recompile();
                let what = if let ([(_, to)], 1) = (names, count) { format!("it is called {to} now") } else { format!("{count} files are named anew") };
                self.say(format!("{what}, with all that names them, and saved; u takes it back"));
            }
            Err(why) => self.alarm(why.to_string()),
        }
    }

    pub(super) fn ask_for_fixes(&mut self) {
        if let Some(row) = self.file_row() {
            self.mode = Mode::typing(prompts::FixPrompt(row.file), TextField::default());
        }
    }

    pub(super) fn ask_for_file_name(&mut self) {
        if let Some(row) = self.file_row() {
            let text = TextField::new(&row.file);
            self.mode = Mode::typing(prompts::FileNamePrompt(row.file), text);
        }
    }

    pub(super) fn ask_for_folder(&mut self) {
        self.mode = Mode::typing(prompts::FolderPrompt, TextField::default());
    }

    /// What is made of the marks of the chosen file: takes, or markers in the music.
    pub(super) fn use_marks(&mut self, as_takes: bool) {
        let (Some(row), Some(known)) = (self.file_row(), self.known()) else { return };
        let Some(Ok(measured)) = known.heard.get(&row.file) else { return self.say(format!("{} cannot be played", row.file)) };
        self.workspace.begin_anew();
        let done = if as_takes {
            let cut = self.workspace.cut_at_marks(&row.file, &measured.facts);
            cut.map(|(sound, count)| format!("{count} takes of {sound} are cut out of it, which stays as it is; u takes it back"))
        } else {
            self.workspace.markers_from_marks(&row.file, &measured.facts).map(|count| format!("{count} markers in the sections that play it; u takes them out"))
        };
        match done {
            Ok(words) => {
                self.recompile();
                self.say(words);
            }
            Err(why) => self.alarm(why.to_string()),
        }
    }

    /// What is about to come in comes in, if nothing is in the way.
    pub(super) fn confirm_incoming(&mut self) {
        let Some((_, list)) = &self.stock.aside.incoming else { return };
        let taken = list.iter().filter(|i| i.becomes == Becomes::Taken).count();
        if taken > 0 {
            self.mode = Mode::typing(prompts::TakenPrompt(taken), TextField::offer("leave"));
        } else {
            self.bring_in(WhenTaken::Leave);
        }
    }
}
