//! The run before beside this one: its lanes beneath, and what differs, what counts most first.

use crate::workshop::app::App;
use crate::workshop::painter::{Painter, rows_of};
use crate::workshop::theme::Role;
use estampie_engine::names::Names;
use estampie_engine::telemetry::Happening;
use estampie_proof::trace::differ::{Difference, Trace, differences};
use estampie_proof::trace::kept::Kept;
use estampie_proof::trace::to_json;
use ratatui::layout::Rect;
use std::sync::Arc;
use std::sync::mpsc::{Receiver, channel};
use std::time::{Duration, Instant};

/// While it goes on it is compared anew so often.
const EVERY: Duration = Duration::from_secs(2);

/// A comparison with the run before.
pub(super) struct Compared {
    /// The run before.
    pub(super) before: Arc<Kept>,
    comes: Option<Receiver<Vec<Difference>>>,
    /// What differs up to now, if it is known yet.
    pub(super) found: Option<Vec<Difference>>,
    /// When it was last asked, and of which frame of this run.
    asked: (Instant, u64),
}

/// What happened, as a trace.
fn trace<'a>(rate: u32, happened: impl Iterator<Item = &'a Happening>, names: &Names) -> Trace {
    Trace { rate: f64::from(rate), lines: happened.map(|h| to_json(h, names)).collect() }
}

impl App {
    /// Compares with the run before, or no longer.
    pub(super) fn compare_runs(&mut self) {
        if self.trace.compared.take().is_some() {
            return self.say("compared no longer");
        }
        let Some(before) = self.rehearsal.kept_before().cloned() else {
            return self.say("there is no run before this one: replay a playthrough twice, with an edit between");
        };
        self.trace.compared = Some(Compared { before, comes: None, found: None, asked: (Instant::now(), 0) });
        self.ask_what_differs();
        self.say("░ is the run before; at the right, what differs; c ends it");
    }

    /// Whether one of the differences says so.
    #[cfg(test)]
    pub(in crate::workshop) fn trace_says(&self, words: &str) -> bool {
        self.trace.compared.as_ref().and_then(|c| c.found.as_ref()).is_some_and(|found| found.iter().any(|d| d.words == words))
    }

    /// Works out aside what differs up to now.
    fn ask_what_differs(&mut self) {
        let now = self.rehearsal.now();
        // Only what happened is copied: the statuses are many megabytes.
        let (happened, rate): (Vec<Happening>, u32) = (self.rehearsal.kept().happened(0, now).copied().collect(), self.rehearsal.kept().rate());
        let names = self.rehearsal.names.clone();
        let Some(compared) = &mut self.trace.compared else { return };
        let before = Arc::clone(&compared.before);
        let (tell, comes) = channel();
        std::thread::spawn(move || {
            // The run before is compared as far as this one has come.
            let (one, other) = (trace(before.rate(), before.happened(0, now), &names), trace(rate, happened.iter(), &names));
            let _ = tell.send(differences(&one, &other));
        });
        (compared.comes, compared.asked) = (Some(comes), (Instant::now(), now));
    }

    /// Takes in what differs; true if there is something new to show.
    pub(in crate::workshop) fn poll_compared(&mut self) -> bool {
        let now = self.rehearsal.now();
        let again = self.rehearsal.kept_before().cloned();
        let Some(compared) = &mut self.trace.compared else { return false };
        // After another fresh start it is compared with the run that was then.
        if again.as_ref().is_some_and(|before| !Arc::ptr_eq(before, &compared.before)) {
            (compared.before, compared.found, compared.comes) = (again.unwrap_or_else(|| Arc::clone(&compared.before)), None, None);
        }
        if let Some(found) = compared.comes.as_ref().and_then(|comes| comes.try_recv().ok()) {
            (compared.found, compared.comes) = (Some(found), None);
            return true;
        }
        if compared.comes.is_none() && compared.asked.1 != now && compared.asked.0.elapsed() > EVERY {
            self.ask_what_differs();
        }
        false
    }
}

/// What differs, in the place of what happened.
pub(super) fn draw(painter: &mut Painter<'_>, area: Rect, compared: &Compared) {
    let count = compared.found.as_ref().map_or_else(|| "…".to_owned(), |found| format!("{} differences, most first", found.len()));
    painter.heading(area.x, area.y, area.width, "Before, and now", &count);
    let mut y = area.y + 1;
    let time = |at: Option<f64>| at.map_or_else(|| "−".to_owned(), |at| format!("{at:.2}"));
    for one in compared.found.iter().flatten() {
        let words = one.words.replace("in the first alone", "before alone").replace("in the second alone", "now alone");
        let rows = rows_of(&format!("{} {words}", one.about), usize::from(area.width.saturating_sub(18)), "  ");
        if y + rows.len() as u16 > area.bottom() {
            return;
        }
        painter.right(area.x + 8, y, &time(one.at.0), Role::Secondary);
        painter.right(area.x + 16, y, &time(one.at.1), Role::Secondary);
        for row in rows {
            painter.text(area.x + 18, y, area.width - 18, &row, if one.weight >= 30.0 { Role::Active } else { Role::Text });
            y += 1;
        }
    }
    if compared.found.as_ref().is_some_and(Vec::is_empty) {
        painter.text(area.x + 1, y, area.width - 1, "the same, as far as it has come", Role::Secondary);
    }
}
