//! What the view Music listens to beside the page: onsets of layers, the seam of the way that is shown, and every transition when it is asked for.

use super::{Column, NAME};
use crate::workshop::app::App;
use estampie_engine::index::SectionIndex;
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_project::document::SILENCE;
use estampie_proof::check;
use estampie_proof::check::{Problem, Seam};
use estampie_proof::onsets::{Heard, hear, strokes_from};
use std::sync::Arc;
use std::sync::mpsc::{Receiver, channel};

/// Which way, in which program.
type WayKey = (u64, String, SectionIndex, Option<SectionIndex>);

/// The onsets of a layer, and what they were worked out from, if that is much work.
#[derive(Clone)]
struct Onsets {
    from: Option<(usize, Vec<u64>)>,
    heard: Heard,
}

/// What is listened to beside the page, and what was found.
#[derive(Default)]
pub(crate) struct Beside {
    /// Onsets of all layers of a program, each with what it was worked out from.
    onsets: Option<(u64, Vec<Onsets>)>,
    /// They are being listened for.
    hearing: Option<Receiver<(u64, Vec<Onsets>)>>,
    seam: Option<(WayKey, Option<Seam>)>,
    making: Option<(WayKey, Receiver<Option<Seam>>)>,
    pub(crate) check: TransitionCheck,
}

/// Every transition being checked, or what was found.
#[derive(Default)]
pub(crate) struct TransitionCheck {
    running: Option<Receiver<Progress>>,
    pub(crate) heard: usize,
    /// The program that was checked.
    program: u64,
    pub(crate) problems: Option<Vec<Problem>>,
    /// Whether the problems lie open in the right column.
    pub(crate) open: bool,
}

enum Progress {
    Heard(usize),
    Done(Vec<Problem>),
}

impl Beside {
    /// What is heard in a layer, once that is known.
    pub(super) fn heard(&self, program: &Program, layer: usize) -> Option<&Heard> {
        self.onsets.as_ref().filter(|(_, list)| list.len() == program.music.layers.len()).and_then(|(_, list)| list.get(layer)).map(|l| &l.heard)
    }

    /// Whether all layers of a program have been listened to.
    pub(crate) fn listened(&self, program: &Program) -> bool {
        self.onsets.as_ref().is_some_and(|(of, _)| *of == program.id)
    }

    pub(crate) fn strokes(&self, program: &Program, layer: usize) -> &[u8] {
        self.heard(program, layer).map_or(&[], |heard| &heard.strokes)
    }

    pub(crate) fn seam_of(&self, key: &(u64, String, SectionIndex, Option<SectionIndex>)) -> Option<&Seam> {
        self.seam.as_ref().filter(|(k, _)| k == key).and_then(|(_, s)| s.as_ref())
    }

    pub(crate) fn checking(&self) -> bool {
        self.check.running.is_some()
    }
}

impl App {
    pub(super) fn check_transitions(&mut self) {
        if self.music.beside.checking() {
            return self.say("every transition is being checked");
        }
        // What is not there yet would be heard as silence.
        if let Some((done, all)) = self.loading() {
            return self.say(format!("the audio is still being loaded, {done} of {all} files: ask again when it is there"));
        }
        let same = self.music.beside.check.program == self.program().id;
        if self.music.beside.check.problems.is_some() && same && !self.music.beside.check.open {
            self.music.beside.check.open = true;
            return;
        }
        let program = Arc::clone(self.program());
        let (sender, receiver) = channel();
        std::thread::spawn(move || {
            let mut heard = 0;
            let problems = check::transitions(&program, |_| {
                heard += 1;
                sender.send(Progress::Heard(heard)).is_ok()
            });
            let _ = sender.send(Progress::Done(problems));
        });
        self.music.beside.check = TransitionCheck { running: Some(receiver), heard: 0, program: self.program().id, problems: None, open: true };
    }

    /// Takes in what was made beside the page, and begins what is wanted now; true if there is something new.
    pub(crate) fn poll_music(&mut self) -> bool {
        self.shows(NAME) && (self.poll_score() | self.poll_onsets() | self.poll_check() | self.poll_seam())
    }

    fn poll_onsets(&mut self) -> bool {
        let beside = &mut self.music.beside;
        let came = beside.hearing.as_ref().and_then(|hearing| hearing.try_recv().ok());
        let news = came.is_some();
        if news {
            (beside.onsets, beside.hearing) = (came, None);
        }
        let program = Arc::clone(self.program());
        let known = &self.music.beside.onsets;
        if self.music.beside.hearing.is_none() && self.loading().is_none() && known.as_ref().is_none_or(|(id, _)| *id != program.id) {
            // An edit changes few of them; the others are taken over.
            let mut known = known.as_ref().map_or(Vec::new(), |(_, list)| list.clone());
            let (tell, hearing) = channel();
            self.music.beside.hearing = Some(hearing);
            std::thread::spawn(move || {
                let mut onsets = |layer| {
                    let from = strokes_from(&program, layer);
                    let same = known.iter().position(|k| from.is_some() && k.from == from);
                    same.map_or_else(|| Onsets { heard: hear(&program, layer), from }, |at| known.swap_remove(at))
                };
                let list = program.music.layers.iter().map(&mut onsets).collect();
                let _ = tell.send((program.id, list));
            });
        }
        news
    }

    fn poll_check(&mut self) -> bool {
        let check = &mut self.music.beside.check;
        let Some(running) = &check.running else { return false };
        let (mut news, mut done) = (false, None);
        while let Ok(progress) = running.try_recv() {
            news = true;
            match progress {
                Progress::Heard(count) => check.heard = count,
                Progress::Done(problems) => done = Some(problems),
            }
        }
        if let Some(problems) = done {
            (check.problems, check.running) = (Some(problems), None);
        }
        news
    }

    fn poll_seam(&mut self) -> bool {
        let beside = &mut self.music.beside;
        let came = beside.making.as_ref().and_then(|(_, made)| made.try_recv().ok());
        let news = came.is_some();
        if let (Some(seam), Some((key, _))) = (came, beside.making.take_if(|_| news)) {
            beside.seam = Some((key, seam));
        }
        if let Some(key) = self.wanted_seam()
            && self.music.beside.making.is_none()
            && self.loading().is_none()
            && self.music.beside.seam.as_ref().is_none_or(|(k, _)| *k != key)
            && let Some((index, _)) = self.piece_spec()
        {
            let (sender, receiver) = channel();
            let (program, from, to) = (Arc::clone(self.program()), key.2, key.3);
            std::thread::spawn(move || {
                // Nobody may wait for it any more.
                let _ = sender.send(check::seam(&check::Listening::new(&program), index, from, to, 0));
            });
            self.music.beside.making = Some((key, receiver));
        }
        news
    }

    /// The way whose seam is shown.
    pub(crate) fn wanted_seam(&self) -> Option<(u64, String, SectionIndex, Option<SectionIndex>)> {
        if !matches!(self.music.column, Column::Ways | Column::Fields) {
            return None;
        }
        let (from, to) = self.selected_way()?;
        let (_, spec) = self.piece_spec()?;
        let from_index = spec.section(NameKey::of(&from))?;
        let to_index = if to == SILENCE { None } else { Some(spec.section(NameKey::of(&to))?) };
        let allowed = spec.rule(Some(from_index), to_index).allowed && from != to;
        allowed.then(|| (self.program().id, self.piece_doc().map_or(String::new(), |d| d.name.clone()), from_index, to_index))
    }
}
