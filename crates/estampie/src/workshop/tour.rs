//! The tour of the demo: eight steps, each of which waits until the person's own hands have done it.

use super::app::{App, Mode};
use super::painter::{Painter, rows_of};
use super::stage::{self, Column};
use super::theme::Role;
use estampie_project::document::ValueOf;
use ratatui::layout::Rect;
use std::time::{Duration, Instant};

/// The project that it goes through.
const DEMO: &str = "Brinewick Salvage";

/// What is done stays in sight for so long before the next step comes.
const REST: Duration = Duration::from_millis(1_200);

/// How things stood when a step began.
#[derive(Default)]
struct Mark {
    /// How many events had come.
    events: u32,
    /// What the game's parameters were.
    values: Vec<f32>,
    edits: usize,
}

impl Mark {
    fn of(app: &App) -> Mark {
        Mark { events: app.rehearsal.history.events.values().sum(), values: values(app), edits: app.workspace.edits() }
    }
}

/// The parameters that come from the game.
fn values(app: &App) -> Vec<f32> {
    let document = app.document();
    (0..document.parameters.len()).filter(|at| document.parameters[*at].source == ValueOf::Game).map(|at| app.value(at)).collect()
}

struct Step {
    title: &'static str,
    asks: &'static str,
    /// Whether it is done, by how things stood when it began.
    done: fn(&App, &Mark) -> bool,
}

const STEPS: [Step; 8] = [
    Step {
        title: "send an event",
        asks: "The Stage (1) is the game without the game. At the foot of the left column stand its events, each with a letter: press g for hull.struck, or choose one with ↓ and press enter. You hear what follows from it, and the log on the right tells it.",
        done: |app, mark| app.rehearsal.history.events.values().sum::<u32>() > mark.events,
    },
    Step {
        title: "move a parameter",
        asks: "At the head of the same column stand the parameters of the game. Choose depth with ↑ ↓ and press → again and again, or drag its bar: levels, pitches and filters that follow it move along.",
        done: |app, mark| values(app).iter().zip(&mark.values).any(|(now, then)| now != then),
    },
    Step {
        title: "hear why",
        asks: "Press w: you are in the list of what sounds. ↑ ↓ goes through it, and below it stands every reason for a level, one line each, and their sum.",
        done: |app, _| app.view().face().name == stage::NAME && app.stage.column == Column::Sounding,
    },
    Step {
        title: "change the mix",
        asks: "Press 5 for the Mix, choose the bus music with ↑ ↓ and press ← some times. It is softer at once; nothing is saved before ctrl-s.",
        done: |app, mark| app.workspace.edits() > mark.edits,
    },
    Step {
        title: "take it back",
        asks: "Press u. Every edit can be undone, back to when you opened the project; ctrl-r does it again.",
        done: |app, mark| app.workspace.edits() < mark.edits,
    },
    Step {
        title: "replay a playthrough",
        asks: "Press 9, choose first-dive and press enter: all that a player of the game did in a minute and a quarter is said again, and with the same seed it sounds the same to the bit.",
        done: |app, _| app.rehearsal.replay.is_some(),
    },
    Step {
        title: "look back",
        asks: "Press 6 for the Trace and ← to go back: what happened stays, and the whole page is as it was then. esc comes back to now.",
        done: |app, _| app.rehearsal.back().is_some(),
    },
    Step {
        title: "find anything",
        asks: "Press : and type a few letters of anything there is, like eel or nave; enter goes there. Commands are found likewise.",
        done: |app, _| matches!(&app.mode, Mode::Finder { query, .. } if query.chars().count() >= 2),
    },
];

/// The tour under way.
pub(crate) struct Tour {
    at: usize,
    mark: Mark,
    done: Option<Instant>,
}

impl App {
    /// Begins the tour; while it is under way, leaves a step out.
    pub(super) fn tour_on(&mut self) {
        if self.document().manifest.name != DEMO {
            return self.say("the tour goes through the demo: estampie demo opens it");
        }
        match &self.tour {
            None => self.go_to_step(0),
            Some(tour) => self.go_to_step(tour.at + 1),
        }
    }

    /// Ends the tour.
    pub(super) fn end_tour(&mut self) {
        if self.tour.take().is_some() {
            self.say("the tour has ended; ctrl-t begins it again");
        }
    }

    fn go_to_step(&mut self, at: usize) {
        if at < STEPS.len() {
            self.tour = Some(Tour { at, mark: Mark::of(self), done: None });
        } else {
            self.tour = None;
            self.say("that was the tour: ? tells the keys of each view, and this demo is a copy of your own to be changed");
        }
    }

    /// Looks whether the step is done; true if there is something new to show.
    pub(super) fn poll_tour(&mut self) -> bool {
        let Some(tour) = &self.tour else { return false };
        match tour.done {
            // What is open over the page is not talked over.
            Some(at) if at.elapsed() > REST && matches!(self.mode, Mode::Page) => {
                let next = tour.at + 1;
                self.go_to_step(next);
                true
            }
            Some(_) => false,
            None if (STEPS[tour.at].done)(self, &tour.mark) => {
                self.tour.iter_mut().for_each(|tour| tour.done = Some(Instant::now()));
                true
            }
            None => false,
        }
    }

    /// What of the page the present step takes, at its foot; nothing while something else lies over the page.
    pub(super) fn tour_area(&self, body: Rect) -> Rect {
        let shown = self.tour.as_ref().filter(|_| matches!(self.mode, Mode::Page | Mode::Finder { .. } | Mode::Typing(..)));
        let height = shown.map_or(0, |tour| lines(&STEPS[tour.at], body).len() as u16 + 2).min(body.height);
        Rect { y: body.bottom() - height, height, ..body }
    }

    /// Draws the present step.
    pub(super) fn draw_tour(&self, painter: &mut Painter<'_>, area: Rect) {
        let Some(tour) = self.tour.as_ref().filter(|_| area.height > 0) else { return };
        let step = &STEPS[tour.at];
        painter.rule(area.x, area.y, area.width);
        let aside = if tour.done.is_some() { "✓ done" } else { "" };
        painter.heading(1, area.y + 1, area.width.saturating_sub(34), &format!("Tour, step {} of {}: {}", tour.at + 1, STEPS.len(), step.title), aside);
        painter.right(area.right() - 2, area.y + 1, "ctrl-t the next step", Role::Secondary);
        for (line, y) in lines(step, area).iter().zip(area.y + 2..area.bottom()) {
            painter.text(2, y, area.width - 4, line, Role::Text);
        }
    }
}

/// What a step asks for, as wide as there is room.
fn lines(step: &Step, area: Rect) -> Vec<String> {
    rows_of(step.asks, usize::from(area.width.saturating_sub(4)), "")
}

#[cfg(test)]
mod tests {
    use super::super::view_tests::Desk;

    #[test]
    fn the_tour_waits_for_each_step_and_is_not_for_other_projects() {
        let mut desk = Desk::new();
        desk.keys("ctrl-t");
        assert!(desk.app.tour.is_none() && desk.page().contains("the tour goes through the demo"));
        let text = desk.text("estampie.toml").replace("name = ", "# name = ") + "name = \"Brinewick Salvage\"\n";
        desk.app.workspace.replace("the name", "estampie.toml", &text);
        desk.app.workspace.replace("a walk", "playthroughs/walk.play", "seed 1\n0.5 send step\n1 send step\n300 end\n");
        desk.app.compile();
        desk.poll_until("the clock goes", |app| app.rehearsal.frame() > 0 && app.loading().is_none());
        desk.keys("1 ctrl-t");
        let at = |desk: &Desk, step: usize| desk.app.tour.as_ref().map(|tour| tour.at) == Some(step);
        assert!(desk.page().contains("¶ Tour, step 1 of 8: send an event"), "{}", desk.page());
        desk.keys("d");
        desk.poll_until("the event came", |app| app.tour.as_ref().is_some_and(|tour| tour.done.is_some()));
        assert!(desk.page().contains("✓ done"));
        desk.poll_until("the next", |app| app.tour.as_ref().is_some_and(|tour| tour.at == 1 && tour.done.is_none()));
        // What is left out is left out.
        desk.keys("ctrl-t");
        assert!(at(&desk, 2));
        desk.keys("w");
        desk.poll_until("why", |app| app.tour.as_ref().is_some_and(|tour| tour.at == 3));
        desk.keys("3 l");
        desk.poll_until("an edit", |app| app.tour.as_ref().is_some_and(|tour| tour.at == 4));
        desk.keys("u");
        desk.poll_until("taken back", |app| app.tour.as_ref().is_some_and(|tour| tour.at == 5));
        desk.keys("9 enter");
        desk.poll_until("replayed", |app| app.tour.as_ref().is_some_and(|tour| tour.at == 6) && app.rehearsal.frame() > 96_000);
        desk.keys("6 left");
        desk.poll_until("looked back", |app| app.tour.as_ref().is_some_and(|tour| tour.at == 7));
        desk.keys("esc : s t");
        desk.poll_until("found", |app| app.tour.as_ref().is_some_and(|tour| tour.done.is_some()));
        desk.keys("esc");
        desk.poll_until("it is over", |app| app.tour.is_none());
        assert!(desk.app.message.as_ref().is_some_and(|m| m.text.starts_with("that was the tour")));
    }
}
