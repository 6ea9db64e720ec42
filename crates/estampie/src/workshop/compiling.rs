//! Compiling beside the page: in a large project an edit of a value is on the page at once, and what is heard follows when it is compiled.
//!
//! Only where nothing but values has changed: then the things of the program that plays are those of the page, each in its place.

use super::app::App;
use super::rehearsal::MadeFor;
use crate::project::all_faults;
use estampie_engine::engine::Prepared;
use estampie_project::compile;
use estampie_project::document::{Document, Fault, Sources, Workspace, differ_in_values};
use std::sync::Arc;
use std::sync::mpsc::{Receiver, TryRecvError, channel};
use std::time::{Duration, Instant};

/// What takes longer than this is not done on the screen's thread.
const LONG: Duration = Duration::from_millis(4);

/// What is compiled beside the page.
pub(crate) struct Compiling {
    /// What takes longer than this is done beside the page.
    pub(super) long: Duration,
    /// How long it took last.
    took: Duration,
    /// What was compiled last, or is being compiled, with its texts; `None` if it was not what is written.
    of: Option<(Arc<Document>, Sources)>,
    /// What is under way.
    comes: Option<Receiver<Compiled>>,
    /// There was another edit meanwhile.
    again: bool,
}

struct Compiled {
    prepared: Box<Prepared>,
    made_for: MadeFor,
    faults: Vec<Fault>,
    took: Duration,
}

impl Compiling {
    /// What has just been compiled of a project, since a moment.
    pub(super) fn begun(workspace: &Workspace, since: Instant) -> Compiling {
        let of = Some((Arc::clone(workspace.document()), workspace.sources().clone()));
        Compiling { long: LONG, took: since.elapsed(), of, comes: None, again: false }
    }

    /// Whether what is heard is not yet what is written.
    #[cfg(test)]
    pub(super) fn under_way(&self) -> bool {
        self.comes.is_some()
    }
}

impl App {
    /// After an edit: compiles what is written now, at once or beside the page, lets it take over, and loads what it needs.
    pub(super) fn recompile(&mut self) {
        if self.compile_edit() {
            self.load_missing();
        }
    }

    /// After an edit: compiles what is written now and lets it take over; false if that is done beside the page, where no other audio is needed than before.
    pub(super) fn compile_edit(&mut self) -> bool {
        let document = self.heard_document();
        let now = self.with_texts(&document);
        let in_values = match (&self.compiling.of, &now) {
            (Some(before), Some(now)) => self.compiling.took > self.compiling.long && differ_in_values((&before.0, &before.1), (&now.0, &now.1)),
            _ => false,
        };
        if !in_values {
            self.compile();
            return true;
        }
        self.compiling.of = now;
        if self.compiling.comes.is_some() {
            self.compiling.again = true;
        } else {
            self.compile_beside(document);
        }
        self.written_anew();
        false
    }

    /// A document with its texts, unless another state than the present one is shown.
    fn with_texts(&self, document: &Arc<Document>) -> Option<(Arc<Document>, Sources)> {
        (!self.workspace.shows_kept()).then(|| (Arc::clone(document), self.workspace.sources().clone()))
    }

    /// Compiles what is written now and lets it take over, at once: what is under way is overtaken.
    pub(super) fn compile(&mut self) {
        let document = self.heard_document();
        self.compiling.of = self.with_texts(&document);
        (self.compiling.comes, self.compiling.again) = (None, false);
        let begun = Instant::now();
        self.loading.may_want_other();
        let (program, found) = compile::compile(&document, &self.assets);
        let prepared = self.rehearsal.made_for().prepare(Arc::new(program));
        self.compiling.took = begun.elapsed();
        self.written_anew();
        self.compiled(prepared, found);
    }

    fn compile_beside(&mut self, document: Arc<Document>) {
        let (sender, receiver) = channel();
        let (assets, made_for) = (self.assets.clone(), self.rehearsal.made_for());
        let compile = move || {
            let begun = Instant::now();
            let (program, faults) = compile::compile(&document, &assets);
            let prepared = made_for.prepare(Arc::new(program));
            let _ = sender.send(Compiled { prepared, made_for, faults, took: begun.elapsed() });
        };
        if std::thread::Builder::new().name("compile".into()).spawn(compile).is_ok() {
            self.compiling.comes = Some(receiver);
        } else {
            // Without a thread it is done here the next time it is looked for.
            self.compiling.again = true;
        }
    }

    /// Lets what was compiled beside the page take over, if it is there.
    pub(crate) fn poll_compiled(&mut self) -> bool {
        let came = match self.compiling.comes.as_ref().map(Receiver::try_recv) {
            None if self.compiling.again => {
                self.compile();
                return true;
            }
            None | Some(Err(TryRecvError::Empty)) => return false,
            Some(Ok(compiled)) => Some(compiled),
            // It has failed, and will where that is said.
            Some(Err(TryRecvError::Disconnected)) => None,
        };
        self.take_compiled(came);
        if std::mem::take(&mut self.compiling.again) {
            let document = self.heard_document();
            self.compile_beside(document);
        }
        true
    }

    fn take_compiled(&mut self, came: Option<Compiled>) {
        self.compiling.comes = None;
        match came {
            Some(Compiled { prepared, made_for, faults, took }) => {
                self.compiling.took = took;
                // The player's levels may have been moved meanwhile, or all begun anew.
                let prepared = if made_for == self.rehearsal.made_for() { prepared } else { self.rehearsal.made_for().prepare(Arc::clone(prepared.program())) };
                self.compiled(prepared, faults);
            }
            None => self.compile(),
        }
    }

    /// Lets what is heard be what is written, if that is under way.
    pub(super) fn finish_compiling(&mut self) {
        if self.compiling.comes.is_some() || self.compiling.again {
            self.compile();
        }
    }

    /// What was found out of what was written before no longer holds.
    fn written_anew(&mut self) {
        self.missing.outdated = true;
        self.forget_survey();
        self.compare_anew();
    }

    /// Lets a program take over that was compiled of what is written.
    fn compiled(&mut self, prepared: Box<Prepared>, mut found: Vec<Fault>) {
        // What is heard besides stands nowhere, and what is wrong with it is said when it is asked for.
        found.retain(|fault| self.workspace.sources().get(&fault.place.file).is_some() || fault.place.file != "sounds/heard.toml");
        self.faults = all_faults(&self.workspace, found);
        self.rehearsal.take_prepared(prepared);
        self.loading.compiled();
        self.keep_places();
    }
}

#[cfg(test)]
mod tests {
    use super::super::view_tests::Desk;
    use estampie_engine::names::NameKey;
    use std::time::Duration;

    /// The level that the bus hull has in the program that plays, in dB.
    fn heard(desk: &Desk) -> f32 {
        let program = desk.app.program();
        program.mix.buses.iter().find(|b| b.key == NameKey::of("hull")).unwrap().level_db
    }

    fn arrives(desk: &mut Desk) {
        let begun = std::time::Instant::now();
        while desk.app.compiling.under_way() {
            assert!(begun.elapsed() < Duration::from_secs(20));
            desk.app.poll_compiled();
            std::thread::yield_now();
        }
    }

    #[test]
    fn an_edit_of_a_value_is_on_the_page_at_once_and_heard_when_it_is_compiled() {
        let mut desk = Desk::new();
        desk.app.compiling.long = Duration::ZERO;
        let level = |desk: &Desk| desk.app.document().buses.iter().find(|b| b.name == "hull").unwrap().level.0;
        let to = |desk: &mut Desk, level: &str| {
            desk.app.workspace.set_value("level of hull", "mix.toml", &["buses", "hull", "level"], level).unwrap();
            desk.app.recompile();
        };
        assert!((heard(&desk) + 3.0).abs() < 0.01);
        for tenth in 50..60 {
            to(&mut desk, &format!("-{}.{} dB", tenth / 10, tenth % 10));
            assert!((level(&desk) + tenth as f32 / 10.0).abs() < 1e-4 && desk.app.compiling.under_way());
        }
        assert!((heard(&desk) + 5.9).abs() > 0.01, "it is heard later");
        arrives(&mut desk);
        assert!((heard(&desk) + 5.9).abs() < 0.01, "the last one is heard: {}", heard(&desk));
    }

    #[test]
    fn audio_that_comes_is_in_the_program_at_once() {
        let mut desk = Desk::new();
        desk.app.compiling.long = Duration::ZERO;
        desk.poll_until("all is loaded", |app| app.loading().is_none());
        desk.app.workspace.set_value("level of hull", "mix.toml", &["buses", "hull", "level"], "-5 dB").unwrap();
        desk.app.recompile();
        assert!(desk.app.compiling.under_way());
        // As when files have come: whatever is under way was compiled without them.
        desk.app.compile();
        assert!(!desk.app.compiling.under_way() && (heard(&desk) + 5.0).abs() < 0.01 && desk.app.program().sounds.iter().all(|s| !s.loading));
    }

    #[test]
    fn what_changes_more_than_values_is_compiled_at_once_and_overtakes() {
        let mut desk = Desk::new();
        desk.app.compiling.long = Duration::ZERO;
        let to = |desk: &mut Desk, level: &str| {
            desk.app.workspace.set_value("level of hull", "mix.toml", &["buses", "hull", "level"], level).unwrap();
            desk.app.recompile();
        };
        to(&mut desk, "-5 dB");
        assert!(desk.app.compiling.under_way());
        let buses = desk.app.program().mix.buses.len();
        desk.app.workspace.set_value("bus keel", "mix.toml", &["buses", "keel", "level"], "-1 dB").unwrap();
        desk.app.recompile();
        assert!(!desk.app.compiling.under_way() && desk.app.program().mix.buses.len() == buses + 1);
        desk.app.poll_compiled();
        assert!(desk.app.program().mix.buses.len() == buses + 1 && (heard(&desk) + 5.0).abs() < 0.01);
    }
}
