//! The view *Trace*: everything of the last half hour over one time, in lanes that fold; any moment can be gone back to, with all reasons as they were
//! then, kept as a playthrough, or replayed with the edits made since.

mod compare;
mod draw;
mod inputs;
mod prompts;
#[cfg(test)]
mod tests;

use super::app::{App, Mode};
use super::keys::{Binding, Do, key};
use super::lanes::Span;
use super::painter::Painter;
use super::rehearsal::LogLine;
use super::text_field::TextField;
use super::view::{Face, Targets, View};
use compare::Compared;
use estampie_engine::names::NameKey;
use estampie_engine::units::Seconds;
use estampie_project::language::lex::print_time;
use estampie_proof::keep::From;
use estampie_proof::trace::kept::KEPT;
use estampie_proof::trace::lanes::{Follows, Group, Lane, Wanted, lanes, touches};
use prompts::{FilterPrompt, KeepPrompt};
use ratatui::layout::Rect;
use std::cell::RefCell;
use std::collections::BTreeSet;
use std::rc::Rc;
use std::time::{Duration, Instant};

/// Its name.
pub(crate) const NAME: &str = "Trace";

/// The view.
pub(crate) struct Trace;

/// Where the keys are.
#[derive(Debug, Default, Clone, Copy, PartialEq, Eq)]
pub(super) enum Column {
    Lanes,
    #[default]
    Lines,
}

/// What a row of the lanes is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Row {
    /// A group, and whether it is folded.
    Heading(Group, bool),
    Lane(Lane),
}

impl Row {
    /// Which row it is, whatever else there is.
    fn which(&self) -> Which {
        match self {
            Row::Heading(group, _) => (*group, None),
            Row::Lane(lane) => (lane.group, Some((lane.follows, lane.key))),
        }
    }
}

/// A row among others.
type Which = (Group, Option<(Follows, NameKey)>);

/// What the view remembers.
pub(crate) struct TraceView {
    /// The number of the chosen line, which stays chosen while others come; none is the newest, whichever that is.
    chosen: Option<u64>,
    /// Only lines with these letters.
    filter: String,
    /// Only what was refused or needs attention.
    attention: bool,
    pub(super) column: Column,
    row: Option<Which>,
    folded: BTreeSet<Group>,
    /// Only the lanes that have to do with this thing.
    only: Option<NameKey>,
    /// How many seconds are in sight.
    seconds: f64,
    /// The last frame in sight; none follows what comes.
    to: Option<u64>,
    /// The run before, with what differs.
    compared: Option<Compared>,
    /// The rows as they were looked for last, when, and for what.
    rows: RefCell<Option<Looked>>,
}

/// Rows, when they were looked for, and for what.
type Looked = (Instant, RowsOf, Rc<Vec<Row>>);

/// What rows hang on besides what happens: the time in sight, what alone is wanted, what is folded.
type RowsOf = (u64, Option<u64>, Option<NameKey>, bool, BTreeSet<Group>);

/// When more seconds than these are in sight, rows are looked for anew so often only.
const LONG: (f64, Duration) = (60.0, Duration::from_millis(300));

impl Default for TraceView {
    fn default() -> TraceView {
        TraceView {
            chosen: None,
            filter: String::new(),
            attention: false,
            column: Column::default(),
            row: None,
            folded: BTreeSet::new(),
            only: None,
            seconds: 20.0,
            to: None,
            compared: None,
            rows: RefCell::new(None),
        }
    }
}

/// The shortest and the longest time in sight, in seconds.
const SIGHT: (f64, f64) = (0.001, KEPT.0 * 2.0);

/// Its keys.
const KEYS: &[Binding] = &[
    key(&["enter"], Do::Main, "enter", "go to what the line or lane names; fold a group of lanes, or unfold it", Some("go")),
    key(&["/"], Do::Filter, "/", "show only lines with these letters; esc shows all", Some("filter")),
    key(&["x"], Do::Mark, "x", "only what was refused or needs attention; again, all", Some("refused")),
    key(&["o"], Do::OnlyThis, "o", "only the lanes that have to do with the chosen one; again, all", Some("only")),
    key(&["+", "="], Do::ZoomIn, "+", "less time in sight, down to single samples", None),
    key(&["-"], Do::ZoomOut, "-", "more time in sight, up to an hour", None),
    key(&["p"], Do::KeepFromHere, "p", "keep what was said from here on as a playthrough, with what stands now as its first lines", Some("keep")),
    key(&["P"], Do::KeepExactly, "P", "keep it with all that was said before, unheard: it renders what was heard, to the bit", None),
    key(&["c"], Do::Compare, "c", "compare with the run before the last fresh start: its lanes beneath, and what differs; again, no longer", Some("compare")),
    key(&["v"], Do::FromHere, "v", "replay from here what was said, with the project as it is now", Some("replay")),
];

static FACE: Face = Face {
    name: NAME,
    key: '6',
    says: "what has happened, and what was refused",
    keys: KEYS,
    mouse: &["click a line to choose it, again to go to its sound", "click or drag in the lanes to look at another moment; click a group to fold it"],
    widths: (30, 40),
};

impl View for Trace {
    fn face(&self) -> &'static Face {
        &FACE
    }

    fn draw(&self, app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
        draw::draw(app, painter, area, targets);
    }

    fn act(&self, app: &mut App, does: Do) -> bool {
        let lanes = app.trace.column == Column::Lanes;
        match does {
            Do::Main => app.main_of_trace(),
            Do::Filter => app.mode = Mode::typing(FilterPrompt, TextField::new(&app.trace.filter)),
            Do::Mark => {
                app.trace.attention = !app.trace.attention;
                app.trace.chosen = None;
            }
            Do::Solo | Do::Mute => {
                if let Some(name) = app.traced_sound() {
                    app.gate_sound(&name, does == Do::Solo);
                }
            }
            Do::Back if !app.trace.filter.is_empty() => app.trace.filter.clear(),
            Do::Back if app.rehearsal.back().is_some() => app.look_at_now(),
            Do::Edit => app.expect_traced(),
            Do::Left => app.move_playhead(-1.0),
            Do::Right => app.move_playhead(1.0),
            Do::FineLeft => app.move_playhead(-0.1),
            Do::FineRight => app.move_playhead(0.1),
            Do::First if lanes => app.look_back_at(app.rehearsal.kept().begins()),
            Do::Last if lanes => app.look_at_now(),
            Do::NextColumn | Do::PreviousColumn => app.trace.column = if lanes { Column::Lines } else { Column::Lanes },
            Do::ZoomIn => app.zoom_time(0.5),
            Do::ZoomOut => app.zoom_time(2.0),
            Do::OnlyThis => app.only_what_matters(),
            Do::KeepFromHere => app.ask_to_keep(From::Here),
            Do::KeepExactly => app.ask_to_keep(From::Beginning),
            Do::FromHere => app.replay_heard(),
            Do::Compare => app.compare_runs(),
            Do::Why => {
                app.choose_traced_voice();
                return false;
            }
            Do::Rest => {}
            _ => return false,
        }
        true
    }

    fn go(&self, app: &mut App, by: isize) {
        if app.trace.column == Column::Lanes {
            let rows = app.trace_rows();
            let at = app.trace.row_in(&rows);
            app.trace.row = rows.get(at.saturating_add_signed(by).min(rows.len().saturating_sub(1))).map(Row::which);
            return;
        }
        let lines = app.trace_lines();
        let to = app.trace.place_in(&lines).saturating_add_signed(by).min(lines.len().saturating_sub(1));
        let chosen = lines.get(to).filter(|_| to > 0).map(|line| (line.number, line.frame));
        app.choose_line(chosen);
    }

    fn last_line(&self, app: &App) -> Option<&'static [(&'static str, &'static str)]> {
        const LINES: &[(&str, &str)] = &[
            ("enter", "go to the sound"),
            ("tab", "lanes"),
            ("/", "filter"),
            ("x", "only what was refused"),
            ("e", "expect"),
            ("p", "keep from here"),
            ("v", "replay from here"),
            ("w", "why"),
            ("home", "the newest"),
            ("space", "freeze"),
            (":", "find"),
            ("?", "help"),
        ];
        const LANES: &[(&str, &str)] = &[
            ("← →", "in time"),
            ("+ -", "zoom"),
            ("enter", "go, fold"),
            ("o", "only this"),
            ("x", "refused"),
            ("w", "why"),
            ("p", "keep from here"),
            ("v", "replay from here"),
            ("c", "compare"),
            ("end", "now"),
            ("tab", "lines"),
            ("space", "freeze"),
            (":", "find"),
            ("?", "help"),
        ];
        Some(if app.trace.column == Column::Lanes { LANES } else { LINES })
    }
}

impl TraceView {
    /// Where the chosen line stands among some, the newest first; one that is not among them gives its place to the next older one, and
    /// one that is older than all to the newest.
    fn place_in(&self, lines: &[&LogLine]) -> usize {
        self.chosen.and_then(|number| lines.iter().position(|line| line.number <= number)).unwrap_or(0)
    }

    /// Where the chosen row stands among some.
    fn row_in(&self, rows: &[Row]) -> usize {
        let Some(chosen) = self.row else { return 0 };
        let at = rows.iter().position(|row| row.which() == chosen);
        // What has gone out of sight leaves its group.
        at.or_else(|| rows.iter().position(|row| row.which() == (chosen.0, None))).unwrap_or(0)
    }
}

impl App {
    /// The lines that are shown, newest first.
    fn trace_lines(&self) -> Vec<&LogLine> {
        let TraceView { filter, attention, .. } = &self.trace;
        let shown = |line: &&LogLine| (!attention || line.label.refuses()) && (filter.is_empty() || line.text.to_lowercase().contains(filter));
        self.rehearsal.log.iter().filter(shown).collect()
    }

    /// The time in sight, on columns from `x` on.
    fn trace_span(&self, x: u16, width: u16) -> Span {
        let rate = f64::from(self.program().rate);
        let length = self.trace.seconds * rate;
        // What began just now fills the page from its left.
        let first = self.rehearsal.kept().begins() as f64 + length;
        let to = self.trace.to.map_or_else(|| (self.rehearsal.now() as f64).max(first), |to| to as f64);
        Span { from: to - length, to, known: self.rehearsal.now(), x, width }
    }

    /// The rows of the lanes in sight. Of a long time they are not looked for anew for each picture.
    fn trace_rows(&self) -> Rc<Vec<Row>> {
        let key = (self.trace.seconds.to_bits(), self.trace.to, self.trace.only, self.trace.attention, self.trace.folded.clone());
        if let Some((at, of, rows)) = &*self.trace.rows.borrow()
            && self.trace.seconds > LONG.0
            && at.elapsed() < LONG.1
            && *of == key
        {
            return Rc::clone(rows);
        }
        let rows = Rc::new(self.look_for_rows());
        *self.trace.rows.borrow_mut() = Some((Instant::now(), key, Rc::clone(&rows)));
        rows
    }

    fn look_for_rows(&self) -> Vec<Row> {
        let (rehearsal, program) = (&self.rehearsal, self.program());
        let kept = rehearsal.kept();
        let only = self.trace.only.map(|key| touches(kept, program, key));
        let wanted = Wanted { only, refused: self.trace.attention, folded: self.trace.folded.clone() };
        let all = lanes(kept, program, &rehearsal.names, self.trace_span(0, 2).frames(), &wanted);
        let mut rows = Vec::new();
        for group in Group::ALL {
            let folded = self.trace.folded.contains(&group);
            let mut of_it = all.iter().filter(|lane| lane.group == group).peekable();
            if folded || of_it.peek().is_some() {
                rows.push(Row::Heading(group, folded));
                rows.extend(of_it.cloned().map(Row::Lane));
            }
        }
        rows
    }

    /// The lane that the keys are on.
    fn chosen_lane(&self) -> Option<Lane> {
        let rows = self.trace_rows();
        match rows.get(self.trace.row_in(&rows)) {
            Some(Row::Lane(lane)) => Some(lane.clone()),
            _ => None,
        }
    }

    /// Chooses a line and looks at its moment; none is the newest, and the present.
    fn choose_line(&mut self, chosen: Option<(u64, u64)>) {
        self.trace.chosen = chosen.map(|(number, _)| number);
        match chosen {
            Some((_, frame)) => self.look_back_at(frame),
            None => self.look_at_now(),
        }
    }

    /// Looks at a moment, and brings it into sight.
    fn look_back_at(&mut self, frame: u64) {
        let now = self.rehearsal.now();
        if frame >= now {
            return self.look_at_now();
        }
        if !self.rehearsal.look(frame) {
            return;
        }
        let length = (self.trace.seconds * f64::from(self.program().rate)) as u64;
        let to = self.trace_span(0, 2).to as u64;
        let inside = frame <= to && frame + length >= to;
        // What is out of sight comes into its middle, as far as there is anything on its right.
        self.trace.to = Some(if inside { to } else { (frame + length / 2).min(now.max(length)) });
    }

    fn look_at_now(&mut self) {
        self.rehearsal.come_back();
        self.trace.to = None;
    }

    /// Moves the moment that is looked at by so many columns, by a frame at least.
    fn move_playhead(&mut self, columns: f64) {
        let step = (self.trace_step() * columns.abs()).round().max(1.0) as u64;
        let at = self.rehearsal.frame();
        let to = if columns < 0.0 { at.saturating_sub(step) } else { at + step };
        self.look_back_at(to);
    }

    /// Frames of a column on a page of a usual width.
    fn trace_step(&self) -> f64 {
        self.trace_span(0, draw::PLOT).step()
    }

    /// Brings more or less time into sight, around the moment that is looked at.
    fn zoom_time(&mut self, factor: f64) {
        let before = self.trace.seconds;
        self.trace.seconds = (before * factor).clamp(SIGHT.0, SIGHT.1);
        let rate = f64::from(self.program().rate);
        if let Some(at) = self.rehearsal.back() {
            let to = self.trace.to.map_or_else(|| self.rehearsal.now() as f64, |to| to as f64);
            // The moment stays in its column.
            let after = (to - at as f64) * self.trace.seconds / before;
            self.trace.to = Some((at as f64 + after).max(self.trace.seconds * rate / 2.0) as u64);
        }
        let words = if self.trace.seconds < 1.0 {
            format!("{} ms", (self.trace.seconds * 1e3 * 100.0).round() / 100.0)
        } else {
            format!("{} s", self.trace.seconds.round())
        };
        self.say(format!("{words} in sight"));
    }

    fn only_what_matters(&mut self) {
        if self.trace.only.take().is_some() {
            return self.say("all lanes");
        }
        let key = match self.trace.column {
            Column::Lanes => self.chosen_lane().map(|lane| lane.key).filter(|key| !key.is_none()),
            Column::Lines => self.traced_sound().map(|name| NameKey::of(&name)),
        };
        match key {
            Some(key) => {
                self.trace.only = Some(key);
                self.say(format!("only what has to do with {}; o shows all", self.rehearsal.names.get(key)));
            }
            None if self.trace.column == Column::Lanes => self.say("choose the lane of a thing: a sound, a bus, a parameter, a state, a piece"),
            None => {}
        }
    }

    /// The sound that is chosen, by its lane or by the line that names it; if there is none, that is said.
    fn traced_sound(&mut self) -> Option<String> {
        if self.trace.column == Column::Lanes {
            let found = self.chosen_lane().filter(|lane| lane.follows == Follows::Sound).map(|lane| lane.name);
            if found.is_none() {
                self.say("this is not the lane of a sound");
            }
            return found;
        }
        let lines = self.trace_lines();
        let text = lines.get(self.trace.place_in(&lines))?.text.clone();
        // The longest name counts: hull/groan-deep, not hull/groan.
        let names = self.document().sounds.iter().map(|s| s.name.as_str()).filter(|name| text.split_whitespace().any(|w| w.trim_end_matches(',') == *name));
        let found = names.max_by_key(|name| name.len()).map(str::to_owned);
        if found.is_none() {
            self.say("this line names no sound");
        }
        found
    }

    /// Chooses, for *why*, the voice of the chosen sound that is heard at the moment that is looked at, or was last.
    fn choose_traced_voice(&mut self) {
        let Some(name) = self.traced_sound() else { return };
        let key = NameKey::of(&name);
        let voices = self.sounding();
        if let Some(voice) = voices.iter().find(|v| v.sound == key) {
            self.stage.voice = Some(voice.voice);
        } else {
            self.say(format!("{name} does not sound at this moment, and did not end in the ten seconds before"));
        }
    }

    /// Offers, as a line of the playthrough that is replayed, what holds now of the sound that is chosen.
    fn expect_traced(&mut self) {
        let known = |name: &String| self.document().playthroughs.iter().any(|(n, _)| n == name);
        let Some(playthrough) = self.rehearsal.replayed.clone().filter(known) else {
            return self.say("replay a playthrough first (9, enter; space freezes it): it is of that that something is expected");
        };
        let Some(sound) = self.traced_sound() else { return };
        let key = NameKey::of(&sound);
        let kept = self.rehearsal.kept();
        let (frame, refused) = if self.trace.column == Column::Lanes {
            let Some(last) = kept.last_of(key, self.rehearsal.frame()) else { return };
            (last.frame, estampie_proof::trace::lanes::refused(&last.what))
        } else {
            let lines = self.trace_lines();
            let Some(line) = lines.get(self.trace.place_in(&lines)) else { return };
            (line.frame, line.label.refuses())
        };
        // Rounded down: what happened on this very frame comes after it.
        let at = (frame as f64 / f64::from(self.program().rate) * 1e3).floor() / 1e3;
        let expected = if refused { "never heard within 0.5 s" } else { "heard within 0.1 s" };
        self.offer_step(&playthrough, &format!("{} expect {sound} {expected}", print_time(Seconds(at))));
    }

    /// Folds a group, or goes to what is chosen.
    fn main_of_trace(&mut self) {
        let row = match self.trace.column {
            Column::Lines => draw::told(self).map(Row::Lane),
            Column::Lanes => {
                let rows = self.trace_rows();
                rows.get(self.trace.row_in(&rows)).cloned()
            }
        };
        match row {
            Some(Row::Heading(group, _)) => self.fold(group),
            Some(Row::Lane(lane)) => {
                let (view, kind) = match lane.follows {
                    Follows::Sound => (super::sounds::NAME, "sound"),
                    Follows::Events if !lane.key.is_none() => (super::wiring::NAME, "event"),
                    Follows::Piece => (super::music::NAME, "piece"),
                    Follows::Bus | Follows::Reduction => (super::mix::NAME, "bus"),
                    Follows::Snapshot => (super::mix::NAME, "snapshot"),
                    Follows::State => (super::wiring::NAME, "state"),
                    Follows::Parameter => (super::wiring::NAME, "parameter"),
                    _ => return self.say("this lane is of no single thing"),
                };
                self.show(view);
                if kind == "sound" {
                    self.sounds.selected = lane.name;
                } else {
                    // An effect is called by its bus and its name.
                    let name = if lane.follows == Follows::Reduction { lane.name.split(' ').next().unwrap_or_default() } else { &lane.name };
                    self.view().select(self, kind, name);
                }
            }
            None if self.trace.column == Column::Lines => self.say("this line names no sound and no event"),
            None => {}
        }
    }

    fn fold(&mut self, group: Group) {
        self.trace.row = Some((group, None));
        if !self.trace.folded.remove(&group) {
            self.trace.folded.insert(group);
        }
    }

    /// Asks under which name what was said from here on is to be kept.
    fn ask_to_keep(&mut self, from: From) {
        if self.workspace.only_read().is_some() {
            return self.say("the project is only read here");
        }
        let (number, _) = self.next_take();
        self.mode = Mode::typing(KeepPrompt { from, frame: self.rehearsal.frame() }, TextField::new(&format!("take-{number}")));
    }

    /// Replays what was said, from the moment that is looked at, with the project as it is now.
    fn replay_heard(&mut self) {
        if self.only_here("a replay") {
            return;
        }
        let from = Seconds::of_frames(self.rehearsal.frame(), self.program().rate);
        let (playthrough, ..) = self.rehearsal.so_far();
        let name = self.rehearsal.replay.as_ref().map_or_else(|| "what was heard".to_owned(), |r| r.name.clone());
        self.trace.to = None;
        self.rehearsal.replay_from(&name, &playthrough, from);
        self.say(format!("{name} comes again from {} s on, with the project as it is now", print_time(Seconds((from.0 * 1e3).round() / 1e3))));
    }

    /// Looks at the loudest that began in the last three seconds.
    pub(super) fn what_was_that(&mut self) {
        let Some(bar) = self.rehearsal.what_was_that() else { return self.say("nothing began in the last three seconds") };
        self.show(NAME);
        self.trace.column = Column::Lanes;
        self.trace.folded.remove(&Group::Sounds);
        (self.trace.only, self.trace.attention) = (None, false);
        let follows = if self.program().music.find_stinger.get(bar.sound).is_some() {
            (Group::Music, Follows::Stingers, NameKey::NONE)
        } else {
            (Group::Sounds, Follows::Sound, bar.sound)
        };
        self.trace.row = Some((follows.0, Some((follows.1, follows.2))));
        let rate = self.program().rate;
        let ago = Seconds::of_frames(self.rehearsal.frame().saturating_sub(bar.start), rate).0;
        let name = self.rehearsal.names.get(bar.sound).to_owned();
        let known = self.rehearsal.kept().first_with(bar.voice, bar.start);
        self.look_back_at(known.unwrap_or(bar.start));
        self.say(format!("that was {name}, {ago:.1} s ago, the loudest that began in three seconds; w says why"));
    }
}
