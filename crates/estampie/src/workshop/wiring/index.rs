//! The index of the view *Wiring*, what of both its sides has the letters that are looked for, and how the keys go over what is shown.

use super::{Column, Row, Told, Written};
use crate::workshop::app::App;
use estampie_engine::names::NameKey;
use estampie_project::document::{Document, ValueOf};
use std::collections::{HashMap, HashSet};
use std::rc::Rc;
use std::sync::Arc;

/// How many events, states and undeclared names were heard, and which parameters that nobody sends are not at rest.
pub(super) type HeardOf = (usize, usize, usize, Vec<usize>);
/// What the index was made of, the parameters that nobody sends, and its lines.
pub(super) type Index = (Arc<Document>, HeardOf, Rc<[usize]>, Rc<Vec<Told>>);

/// The reactions, the letters that are looked for, and which rows have them.
pub(super) type Shown = (Rc<Written>, String, Rc<Vec<bool>>);

impl App {
    /// The lines of the index: worked out once for each state of the project and of what this rehearsal has heard.
    pub(crate) fn told(&self) -> Rc<Vec<Told>> {
        let document = self.workspace.document();
        let history = &self.rehearsal.history;
        let unsent = self.unsent_parameters();
        let moved: Vec<usize> = unsent.iter().copied().filter(|p| self.value(*p) != document.parameters[*p].rest).collect();
        let heard = (history.events.len(), history.states.len(), history.undeclared().count(), moved);
        let mut kept = self.wiring.index.borrow_mut();
        if let Some((of, before, _, list)) = kept.as_ref()
            && Arc::ptr_eq(of, document)
            && *before == heard
        {
            return Rc::clone(list);
        }
        let list = Rc::new(self.tell(&heard.3));
        *kept = Some((Arc::clone(document), heard, unsent, Rc::clone(&list)));
        list
    }

    /// The parameters that no playthrough says, by their places; as they were, while the project is the same.
    fn unsent_parameters(&self) -> Rc<[usize]> {
        let document = self.workspace.document();
        if let Some((of, _, unsent, _)) = self.wiring.index.borrow().as_ref()
            && Arc::ptr_eq(of, document)
        {
            return Rc::clone(unsent);
        }
        let places: HashMap<&str, usize> = document.parameters.iter().enumerate().map(|(at, p)| (p.name.as_str(), at)).collect();
        self.survey().1.iter().filter_map(|name| places.get(name.as_str()).copied()).collect()
    }

    /// The same, worked out; `moved` are the parameters that nobody sends and that are not at rest.
    fn tell(&self, moved: &[usize]) -> Vec<Told> {
        let document = self.document();
        let (unwired, unsent) = self.survey();
        let missing = unwired.events.iter().chain(&unwired.parameters).chain(&unwired.states).cloned();
        // What this rehearsal has heard of is sent after all.
        let moved: HashSet<&str> = moved.iter().map(|p| document.parameters[*p].name.as_str()).collect();
        let heard = |name: &String| {
            let key = NameKey::of(name);
            self.rehearsal.history.events.contains_key(&key) || self.rehearsal.history.states.contains(&key) || moved.contains(name.as_str())
        };
        let unsent = unsent.iter().filter(|name| !heard(name)).cloned();
        let undeclared = self
            .rehearsal
            .history
            .undeclared()
            .map(|(key, _)| self.rehearsal.names.get(key).to_owned())
            .filter(|name| !document.events.iter().any(|e| e.name == *name));
        let derived = |p: &usize| document.parameters[*p].source != ValueOf::Game;
        let parameters = 0..document.parameters.len();
        let events = document.events.iter().map(|e| Told::Event(e.name.clone()));
        events
            .chain(parameters.clone().filter(|p| !derived(p)).chain(parameters.filter(derived)).map(Told::Parameter))
            .chain((0..document.states.len()).map(Told::State))
            .chain(missing.map(Told::Unwired))
            .chain(unsent.map(Told::Unsent))
            .chain(undeclared.map(Told::Undeclared))
            .collect()
    }

    pub(in crate::workshop) fn go_wiring(&mut self, by: isize) {
        // From one that is shown to another; those between that are not shown do not count.
        let step = |at: usize, shown: Vec<usize>| {
            let here = shown.partition_point(|row| *row < at);
            shown.get(here.saturating_add_signed(by).min(shown.len().saturating_sub(1))).copied().unwrap_or(0)
        };
        match self.wiring.column {
            Column::Told => {
                let told = self.told();
                self.wiring.told = step(self.wiring.told, (0..told.len()).filter(|at| self.shows_told(&told[*at])).collect());
            }
            Column::Centre => {
                let (written, shown) = (self.written(), self.shown_rows());
                self.wiring.row = step(self.wiring.row, (0..written.rows.len()).filter(|at| shown.as_ref().is_none_or(|shown| shown[*at])).collect());
            }
        }
    }

    /// Whether a line of the index has the letters that are looked for.
    pub(crate) fn shows_told(&self, told: &Told) -> bool {
        let document = self.document();
        self.wiring.filter.is_empty()
            || match told {
                Told::Event(name) | Told::Unwired(name) | Told::Unsent(name) | Told::Undeclared(name) => name,
                Told::Parameter(at) => &document.parameters[*at].name,
                Told::State(at) => &document.states[*at].name,
            }
            .contains(&self.wiring.filter)
    }

    /// Which rows of the centre have the letters that are looked for, a reaction as a whole; `None` if all are shown.
    pub(crate) fn shown_rows(&self) -> Option<Rc<Vec<bool>>> {
        let filter = self.wiring.filter.as_str();
        if filter.is_empty() {
            return None;
        }
        let written = self.written();
        if let Some((of, with, shown)) = self.wiring.shown.borrow().as_ref()
            && Rc::ptr_eq(of, &written)
            && with == filter
        {
            return Some(Rc::clone(shown));
        }
        let document = self.document();
        let has = |line: usize| written.line(line).is_some_and(|text| text.contains(filter));
        let fits = |row: &Row| match row {
            Row::Line(line) => written.block_at(*line).is_some_and(|at| (written.blocks[at].first..written.blocks[at].end).any(has)),
            Row::Modulation(at) => {
                document.modulations.iter().find(|m| m.written == *at).is_some_and(|m| m.from.value.contains(filter) || m.whole().contains(filter))
            }
            Row::Formula(name) => name.contains(filter),
        };
        let shown = Rc::new(written.rows.iter().map(fits).collect::<Vec<bool>>());
        *self.wiring.shown.borrow_mut() = Some((written, filter.to_owned(), Rc::clone(&shown)));
        Some(shown)
    }

    /// Shows only what has these letters, and chooses the first of it if the chosen one has not.
    pub(super) fn filter_wiring(&mut self, text: &str) {
        text.trim().clone_into(&mut self.wiring.filter);
        let told = self.told();
        if told.get(self.wiring.told).is_none_or(|t| !self.shows_told(t)) {
            self.wiring.told = told.iter().position(|t| self.shows_told(t)).unwrap_or(0);
        }
        if let Some(shown) = self.shown_rows()
            && !shown.get(self.wiring.row).copied().unwrap_or(false)
        {
            self.wiring.row = shown.iter().position(|s| *s).unwrap_or(0);
        }
    }
}
