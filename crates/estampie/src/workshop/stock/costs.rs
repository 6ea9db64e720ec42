//! The page *Budget* of the view *Stock*: its lists, and where a row leads.

use super::List;
use super::draw_files::LISTS;
use super::known::Known;
use crate::workshop::app::App;
use crate::workshop::sounds;
use estampie_project::progress::{Budget, Cost};
use std::cell::RefCell;
use std::rc::Rc;
use std::sync::{Arc, Weak};

/// What the page remembers.
#[derive(Debug, Default)]
pub(super) struct BudgetPage {
    /// Which list is shown.
    pub(super) list: usize,
    /// The place of the chosen row.
    pub(super) at: usize,
    /// The rows as they were listed last, of what and of which list.
    listed: RefCell<Option<Listed>>,
}

/// Rows, with what they are of and which list they are.
type Listed = (Weak<Known>, usize, Rc<Vec<Row>>);

/// A row of a list.
#[derive(Debug, Clone)]
pub(super) struct Row {
    /// The file, the sound or the bus.
    pub(super) name: String,
    pub(super) words: String,
    pub(super) memory: u64,
    pub(super) bundle: u64,
}

impl BudgetPage {
    /// The rows of the list that is shown: listed once for as long as nothing changes; none as long as nothing is known.
    pub(super) fn rows(&self, known: &Arc<Known>) -> Rc<Vec<Row>> {
        let mut listed = self.listed.borrow_mut();
        if let Some((.., rows)) = listed.as_ref().filter(|(of, list, _)| of.as_ptr() == Arc::as_ptr(known) && *list == self.list) {
            return Rc::clone(rows);
        }
        let rows = Rc::new(known.budget.as_ref().map_or_else(Vec::new, |budget| self.listing(budget)));
        *listed = Some((Arc::downgrade(known), self.list, Rc::clone(&rows)));
        rows
    }

    fn listing(&self, budget: &Budget) -> Vec<Row> {
        let short = |name: &str| name.strip_prefix("audio/").unwrap_or(name).to_owned();
        let row = |name: &str, words: String, memory: u64, bundle: u64| Row { name: name.to_owned(), words, memory, bundle };
        match self.list {
            0 => budget.savings.iter().map(|s| row(&s.name, format!("{}: {}", short(&s.name), s.by), s.memory, s.bundle)).collect(),
            1 => budget.costs.iter().map(|c| row(&c.name, short(&c.name), c.memory, c.bundle.unwrap_or(0))).collect(),
            2 => budget.sounds.iter().map(|(name, m, b)| row(name, name.clone(), *m, *b)).collect(),
            _ => budget.buses.iter().map(|(name, m, b)| row(name, name.clone(), *m, *b)).collect(),
        }
    }
}

impl App {
    fn cost_row(&self) -> Option<Row> {
        let rows = self.stock.budget.rows(self.stock.aside.known.as_ref()?);
        let last = rows.len().checked_sub(1)?;
        rows.get(self.stock.budget.at.min(last)).cloned()
    }

    /// What the chosen row costs, if it is of a piece of audio.
    pub(super) fn cost_chosen<'a>(&self, budget: &'a Budget) -> Option<&'a Cost> {
        let row = self.cost_row().filter(|_| self.stock.budget.list < 2)?;
        budget.costs.iter().find(|c| c.name == row.name)
    }

    /// Goes so many rows down in the list that has the keys.
    pub(super) fn go_in_costs(&mut self, by: isize) {
        if self.stock.list == List::Groups {
            self.stock.budget.list = self.stock.budget.list.saturating_add_signed(by).min(LISTS.len() - 1);
            self.stock.budget.at = 0;
            return;
        }
        let count = self.stock.aside.known.as_ref().map_or(0, |known| self.stock.budget.rows(known).len());
        self.stock.budget.at = self.stock.budget.at.saturating_add_signed(by).min(count.saturating_sub(1));
    }

    /// Goes to the sound of the chosen row, or to one that plays its file.
    pub(super) fn go_to_cost(&mut self) {
        let Some(row) = self.cost_row() else { return };
        let is_sound = |name: &str| self.document().sounds.iter().any(|s| s.name == name);
        let sound =
            if is_sound(&row.name) { Some(row.name.clone()) } else { self.player_of(estampie_project::stock::file_of(&row.name)).filter(|p| is_sound(p)) };
        match sound {
            Some(sound) => {
                self.show(sounds::NAME);
                self.sounds.selected = sound;
            }
            None => self.say(format!("{} is played by no sound of its own", row.name)),
        }
    }
}
