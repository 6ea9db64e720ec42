//! The view *Replay*: playthroughs, each as a table of its lines over a small timeline. Lines are made, changed, moved in time, copied and taken
//! out, and it is replayed from its start or from any line on.

mod covered;
mod draw;
mod overview;
mod prompts;

use super::app::{App, Mode};
use super::keys::{Binding, Do, key};
use super::painter::Painter;
use super::text_field::TextField;
use super::view::{Clicks, Face, Targets, View};
pub(crate) use covered::{Covered, NEVER};
use estampie_engine::units::Seconds;
use estampie_project::document::Refusal;
use estampie_project::language::lex::is_name;
use estampie_project::language::playthrough::{put_line, time_of, with_time, without_line};
use overview::Overview;
use prompts::{LinePrompt, NamePrompt, Names};
use ratatui::layout::Rect;
use std::cell::RefCell;

/// Its name.
pub(crate) const NAME: &str = "Replay";

/// The view.
pub(crate) struct Playthroughs;

/// Which list has the keys.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
enum Column {
    #[default]
    Names,
    Lines,
}

/// What the view remembers.
#[derive(Debug, Default)]
pub(crate) struct PlaythroughsView {
    /// The name of the chosen one; the first if there is none of that name.
    chosen: String,
    /// The chosen line of its text, counted from 0.
    line: usize,
    column: Column,
    covered: covered::Shown,
    /// What is shown of it.
    shown: RefCell<Overview>,
}

/// Seconds by which a key moves a line, and moves it finely.
const MOVES: (f64, f64) = (0.1, 0.01);

/// Its keys.
const KEYS: &[Binding] = &[
    key(&["enter"], Do::Main, "enter", "replay it from a fresh start; on a line: edit it", Some("replay")),
    key(&["g"], Do::FromHere, "g", "replay from the chosen line on: what lies before is rendered unheard", Some("from here")),
    key(&["n"], Do::New, "n", "a new line behind the chosen one; on the left: a new playthrough", Some("new")),
    key(&["d"], Do::Duplicate, "d", "a copy of the line, or of the playthrough", None),
    key(&["D"], Do::Delete, "D", "out with the line, or with the playthrough", Some("delete")),
    key(&["/"], Do::Find, "/", "find a playthrough by a few letters and go there", None),
    key(&["r"], Do::Rename, "r", "another name for the playthrough", None),
    key(&["c"], Do::Covers, "c", "coverage: what the playthroughs come by, and marks in all views beside what none does; again ends it", Some("coverage")),
    key(&["X"], Do::Explore, "X", "explore: five minutes of made-up play, aside, in search of problems; again ends it", None),
];

static FACE: Face = Face {
    name: NAME,
    key: '9',
    says: "playthroughs, their lines over time, and hearing them from any line on",
    keys: KEYS,
    mouse: &["click a playthrough or a line to choose it, a line again to edit it", "click the timeline to choose the line nearest to that time"],
    widths: (26, 0),
};

impl View for Playthroughs {
    fn face(&self) -> &'static Face {
        &FACE
    }

    fn draw(&self, app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
        draw::draw(app, painter, area, targets);
    }

    fn act(&self, app: &mut App, does: Do) -> bool {
        let right = app.playthroughs.column == Column::Lines;
        let (covered, lines) = (right && app.checks.covers, right && !app.checks.covers);
        match does {
            Do::NextColumn | Do::PreviousColumn => app.playthroughs.column = if right { Column::Names } else { Column::Lines },
            Do::Covers => app.show_coverage(),
            Do::Main if covered => app.open_in_coverage(),
            Do::New | Do::Duplicate | Do::Rename | Do::Delete if covered => app.say("tab goes to the playthroughs; c ends the coverage"),
            Do::Main if lines => app.edit_step(),
            Do::Main => app.replay_chosen(None),
            Do::Explore => app.explore(),
            Do::FromHere => {
                let at = if lines { app.time_of_chosen() } else { None };
                app.replay_chosen(at);
            }
            Do::Edit if lines => app.edit_step(),
            Do::New if lines => app.new_step(),
            Do::New => app.mode = Mode::typing(NamePrompt(Names::New), TextField::default()),
            Do::Duplicate if lines => app.copy_step(),
            Do::Duplicate => app.name_playthrough(Names::Copy),
            Do::Rename => app.name_playthrough(Names::Rename),
            Do::Delete if lines => app.delete_step(),
            Do::Delete => app.delete_playthrough(),
            Do::Left | Do::Right | Do::FineLeft | Do::FineRight if lines => {
                let by = if matches!(does, Do::Left | Do::Right) { MOVES.0 } else { MOVES.1 };
                app.move_step(if matches!(does, Do::Left | Do::FineLeft) { -by } else { by });
            }
            Do::Left | Do::Right | Do::FineLeft | Do::FineRight | Do::Edit | Do::Rest => {}
            _ => return false,
        }
        true
    }

    fn last_line(&self, app: &App) -> Option<&'static [(&'static str, &'static str)]> {
        const NAMES: &[(&str, &str)] = &[
            ("enter", "replay"),
            ("tab", "its lines"),
            ("n", "new"),
            ("d", "copy"),
            ("r", "rename"),
            ("D", "delete"),
            ("R", "record"),
            ("c", "coverage"),
            ("X", "explore"),
            ("u", "undo"),
            ("ctrl-s", "save"),
            (":", "find"),
            ("?", "help"),
        ];
        const LINES: &[(&str, &str)] = &[
            ("← →", "in time"),
            ("enter", "edit"),
            ("g", "replay from here"),
            ("n", "new"),
            ("d", "copy"),
            ("D", "delete"),
            ("tab", "playthroughs"),
            ("u", "undo"),
            ("ctrl-s", "save"),
            (":", "find"),
            ("?", "help"),
        ];
        const COVERED: &[(&str, &str)] = &[("enter", "all of a kind, or go to it"), ("c", "ends it"), ("tab", "playthroughs"), (":", "find"), ("?", "help")];
        Some(match app.playthroughs.column {
            Column::Lines if app.checks.covers => COVERED,
            Column::Lines => LINES,
            Column::Names => NAMES,
        })
    }

    fn go(&self, app: &mut App, by: isize) {
        match app.playthroughs.column {
            Column::Names => {
                let at = app.playthrough_chosen().unwrap_or(0);
                let to = at.saturating_add_signed(by).min(app.document().playthroughs.len().saturating_sub(1));
                app.choose_playthrough(to);
            }
            Column::Lines if app.checks.covers => app.go_in_coverage(by),
            Column::Lines => {
                let last = app.step_rows().len().saturating_sub(1);
                app.playthroughs.line = app.playthroughs.line.min(last).saturating_add_signed(by).min(last);
            }
        }
    }
}

impl PlaythroughsView {
    /// Chooses a playthrough by its name.
    pub(super) fn choose(&mut self, name: &str) {
        (self.chosen, self.line) = (name.to_owned(), 0);
    }
}

impl App {
    /// The place of the chosen playthrough among all; `None` if there is none.
    pub(super) fn playthrough_chosen(&self) -> Option<usize> {
        let all = &self.document().playthroughs;
        all.iter().position(|(name, _)| *name == self.playthroughs.chosen).or(if all.is_empty() { None } else { Some(0) })
    }

    fn choose_playthrough(&mut self, at: usize) {
        let Some((name, _)) = self.document().playthroughs.get(at) else { return };
        if *name != self.playthroughs.chosen {
            (self.playthroughs.chosen, self.playthroughs.line) = (name.clone(), 0);
        }
    }

    /// Shows the lines of a playthrough.
    pub(crate) fn show_playthrough(&mut self, at: usize) {
        self.show(NAME);
        self.choose_playthrough(at);
        self.checks.covers = false;
        self.playthroughs.column = Column::Lines;
    }

    /// The file of the chosen playthrough.
    fn playthrough_file(&self) -> Option<String> {
        Some(file_of(&self.document().playthroughs[self.playthrough_chosen()?].0))
    }

    /// The lines of the chosen playthrough as they are written.
    fn step_rows(&self) -> Vec<String> {
        let text = self.playthrough_file().and_then(|file| self.workspace.sources().get(&file).map(ToString::to_string));
        text.map_or(Vec::new(), |text| text.lines().map(str::to_owned).collect())
    }

    /// The time of the chosen line, or of the last step above it.
    fn time_of_chosen(&self) -> Option<Seconds> {
        let line = self.playthroughs.line;
        self.of_playthrough(|shown| shown.times.iter().take_while(|(at, _)| *at <= line).last().map(|(_, at)| Seconds(*at)))
    }

    fn replay_chosen(&mut self, from: Option<Seconds>) {
        let Some(at) = self.playthrough_chosen() else { return self.say("there is no playthrough: n makes one, R records one") };
        match from.filter(|from| from.0 > 0.0) {
            None => self.replay(at),
            Some(_) if self.only_here("a replay") => {}
            Some(from) => {
                let (name, playthrough) = self.document().playthroughs[at].clone();
                self.rehearsal.replay_from(&name, &playthrough, from);
                self.say(format!("{name} comes from {from} on"));
            }
        }
    }

    /// Writes a text of the chosen playthrough, as one edit.
    fn write_steps(&mut self, what: &str, text: &str) {
        let Some(file) = self.playthrough_file() else { return };
        self.workspace.replace(what, &file, text);
        self.compile();
    }

    /// Puts a line into the chosen playthrough, instead of another or anew, and chooses it.
    fn put_step(&mut self, what: &str, instead: Option<usize>, row: &str) {
        let (text, at) = put_line(&self.step_text(), instead, self.playthroughs.line, row);
        self.write_steps(what, &text);
        self.playthroughs.line = at;
    }

    fn step_text(&self) -> String {
        self.step_rows().iter().map(|row| format!("{row}\n")).collect()
    }

    fn chosen_row(&self) -> Option<String> {
        self.step_rows().into_iter().nth(self.playthroughs.line)
    }

    fn edit_step(&mut self) {
        let Some(row) = self.chosen_row() else { return self.new_step() };
        let words: Vec<&str> = row.split_whitespace().collect();
        self.mode = Mode::typing(LinePrompt { instead: Some(self.playthroughs.line) }, TextField::new(&words.join(" ")));
    }

    fn new_step(&mut self) {
        if self.playthrough_chosen().is_none() {
            return self.say("there is no playthrough: n on the left makes one, R records one");
        }
        let at = self.time_of_chosen().unwrap_or_default();
        let at = estampie_project::language::lex::print_time(at);
        self.mode = Mode::typing(LinePrompt { instead: None }, TextField::new(&format!("{at} ")));
    }

    /// Asks for a line of a playthrough, with one offered.
    pub(super) fn offer_step(&mut self, playthrough: &str, row: &str) {
        if let Some(at) = self.document().playthroughs.iter().position(|(name, _)| name == playthrough) {
            self.choose_playthrough(at);
            self.mode = Mode::typing(LinePrompt { instead: None }, TextField::new(row));
        }
    }

    fn copy_step(&mut self) {
        let Some(row) = self.chosen_row() else { return };
        self.put_step("copy of a line", None, &row);
        self.say("a copy of the line; ← → move it in time");
    }

    fn delete_step(&mut self) {
        let Some(row) = self.chosen_row() else { return };
        let text = without_line(&self.step_text(), self.playthroughs.line);
        self.workspace.begin_anew();
        self.write_steps("a line taken out", &text);
        self.playthroughs.line = self.playthroughs.line.min(self.step_rows().len().saturating_sub(1));
        let words: Vec<&str> = row.split_whitespace().collect();
        self.say(format!("taken out: {}; u brings it back", words.join(" ")));
    }

    fn move_step(&mut self, by: f64) {
        let Some(row) = self.chosen_row() else { return };
        let Some(at) = time_of(&row) else { return self.say("this line has no time that could be moved") };
        let Some(moved) = with_time(&row, Seconds(at.0 + by)) else { return };
        let line = self.playthroughs.line;
        self.put_step("time of a line", Some(line), &moved);
    }

    fn name_playthrough(&mut self, how: Names) {
        let Some(at) = self.playthrough_chosen() else { return };
        let name = self.document().playthroughs[at].0.clone();
        self.mode = Mode::typing(NamePrompt(how), TextField::new(&if how == Names::Copy { format!("{name}-2") } else { name }));
    }

    fn delete_playthrough(&mut self) {
        let Some(at) = self.playthrough_chosen() else { return };
        let name = self.document().playthroughs[at].0.clone();
        self.workspace.begin_anew();
        self.workspace.change(&format!("playthrough {name} deleted"), vec![(file_of(&name), None)]);
        self.compile();
        self.choose_playthrough(at.min(self.document().playthroughs.len().saturating_sub(1)));
        self.say(format!("deleted: the playthrough {name}; u brings it back"));
    }
}

/// The file of a new playthrough of a name.
///
/// # Errors
/// When it is no name, or is taken.
pub(super) fn file_of_new(app: &App, name: &str) -> Result<String, Refusal> {
    if !is_name(name) || name.contains('/') {
        return Err(format!("\"{name}\" is no name of a playthrough; write letters, digits, - and .").into());
    }
    let file = file_of(name);
    if app.workspace.sources().get(&file).is_some() {
        return Err(format!("there is a playthrough {name} already; write another name").into());
    }
    Ok(file)
}

/// The file of a playthrough.
pub(super) fn file_of(name: &str) -> String {
    format!("playthroughs/{name}.play")
}

/// A playthrough in the list.
#[derive(Debug)]
struct ClickName(usize);

impl Clicks for ClickName {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        app.playthroughs.column = Column::Names;
        app.choose_playthrough(self.0);
    }

    fn wheel(&self, app: &mut App, _by: isize) -> bool {
        app.playthroughs.column = Column::Names;
        false
    }
}

/// A line of the table.
#[derive(Debug)]
struct ClickLine(usize);

impl Clicks for ClickLine {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        let again = app.playthroughs.column == Column::Lines && app.playthroughs.line == self.0;
        (app.playthroughs.column, app.playthroughs.line) = (Column::Lines, self.0);
        if again {
            app.edit_step();
        }
    }

    fn wheel(&self, app: &mut App, _by: isize) -> bool {
        app.playthroughs.column = Column::Lines;
        false
    }
}

/// The timeline: its length in seconds, and how many columns at its left are for names.
#[derive(Debug)]
struct ClickTime(f64, u16);

impl Clicks for ClickTime {
    fn click(&self, app: &mut App, area: Rect, at: (u16, u16)) {
        let width = f64::from(area.width.saturating_sub(self.1).max(1));
        let time = (f64::from(at.0) - f64::from(area.x + self.1) + 0.5) / width * self.0;
        let nearest = app.of_playthrough(|shown| shown.times.iter().min_by(|a, b| (a.1 - time).abs().total_cmp(&(b.1 - time).abs())).copied());
        if let Some((line, _)) = nearest {
            (app.playthroughs.column, app.playthroughs.line) = (Column::Lines, line);
        }
    }
}

#[cfg(test)]
mod tests;
