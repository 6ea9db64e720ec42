//! The view *Trace*: what has happened in this rehearsal, newest first; all of it, what has certain letters, or only what was refused and needs
//! attention.

use super::app::{App, Mode};
use super::keys::{Binding, Do, key};
use super::painter::{Painter, rows_of};
use super::rehearsal::LogLine;
use super::text_field::TextField;
use super::theme::Role;
use super::view::{Ask, Clicks, Face, Targets, View};
use estampie_project::document::Refusal;
use estampie_proof::trace::Label;
use ratatui::layout::Rect;
use std::rc::Rc;

/// Its name.
pub(crate) const NAME: &str = "Trace";

/// The view.
pub(crate) struct Trace;

/// What the view remembers.
#[derive(Debug, Default)]
pub(crate) struct TraceView {
    /// The number of the chosen line, which stays chosen while others come; none is the newest, whichever that is.
    chosen: Option<u64>,
    /// Only lines with these letters.
    filter: String,
    /// Only what needs attention.
    attention: bool,
}

/// Its keys.
const KEYS: &[Binding] = &[
    key(&["enter"], Do::Main, "enter", "go to the sound that the line names", Some("go")),
    key(&["/"], Do::Filter, "/", "show only lines with these letters; esc shows all", Some("filter")),
    key(&["x"], Do::Mark, "x", "only what was refused or needs attention; again, all", Some("refused")),
];

static FACE: Face = Face {
    name: NAME,
    key: '6',
    says: "what has happened, and what was refused",
    keys: KEYS,
    mouse: &["click a line to choose it, again to go to its sound"],
    widths: (30, 40),
};

impl View for Trace {
    fn face(&self) -> &'static Face {
        &FACE
    }

    fn draw(&self, app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
        let lines = app.trace_lines();
        let all = app.rehearsal.log.len();
        let which = match (app.trace.attention, app.trace.filter.as_str()) {
            (false, "") => format!("{all} lines, newest first"),
            (attention, filter) => {
                let only = if attention { " refused or in need of attention" } else { "" };
                let with = if filter.is_empty() { String::new() } else { format!(" with \"{filter}\"") };
                format!("{} of {all}{only}{with}, newest first", lines.len())
            }
        };
        painter.heading(1, area.y, area.width - 2, "What happened", &which);
        if lines.is_empty() {
            let text = if all == 0 { "nothing yet: send an event on the Stage" } else { "nothing of what happened is like that" };
            painter.text(2, area.y + 2, area.width - 3, text, Role::Secondary);
            return;
        }
        let chosen = app.trace.place_in(&lines);
        let rate = f64::from(app.program().rate);
        let rows = usize::from(area.height - 2);
        // Long lines go on below; the chosen one is always in sight.
        let tall = |line: &LogLine| rows_of(&line.text, usize::from(area.width - 14), "  ").len();
        let mut first = chosen;
        let mut height = tall(lines[chosen]);
        while first > 0 && height + tall(lines[first - 1]) < rows * 2 / 3 {
            first -= 1;
            height += tall(lines[first]);
        }
        let mut y = area.y + 1;
        for (at, line) in lines.iter().enumerate().skip(first) {
            let parts = rows_of(&line.text, usize::from(area.width - 14), "  ");
            if usize::from(y) + parts.len() > usize::from(area.bottom()) {
                break;
            }
            if at == chosen {
                for row in 0..parts.len() as u16 {
                    painter.select(1, y + row, area.width - 2);
                }
            }
            targets.push((Rect { x: 0, y, width: area.width, height: parts.len() as u16 }, Rc::new(Line(line.number))));
            painter.right(11, y, &format!("{:.3} s", line.frame as f64 / rate), Role::Secondary);
            for part in parts {
                painter.text(13, y, area.width - 14, &part, super::stage::role(line.label));
                y += 1;
            }
        }
    }

    fn act(&self, app: &mut App, does: Do) -> bool {
        match does {
            Do::Main => app.go_to_traced(),
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
            Do::Edit => app.expect_traced(),
            Do::Left | Do::Right | Do::FineLeft | Do::FineRight | Do::NextColumn | Do::PreviousColumn | Do::Rest => {}
            _ => return false,
        }
        true
    }

    fn go(&self, app: &mut App, by: isize) {
        let lines = app.trace_lines();
        let to = app.trace.place_in(&lines).saturating_add_signed(by).min(lines.len().saturating_sub(1));
        app.trace.chosen = lines.get(to).filter(|_| to > 0).map(|line| line.number);
    }

    fn last_line(&self, _app: &App) -> Option<&'static [(&'static str, &'static str)]> {
        const LINE: &[(&str, &str)] = &[
            ("enter", "go to the sound"),
            ("/", "filter"),
            ("x", "only what was refused"),
            ("e", "expect"),
            ("home", "follow the newest"),
            ("s", "solo"),
            ("m", "mute"),
            ("w", "why"),
            ("space", "freeze"),
            (":", "find"),
            ("?", "help"),
        ];
        Some(LINE)
    }
}

impl TraceView {
    /// Where the chosen line stands among some, the newest first; one that is not among them gives its place to the next older one, and
    /// one that is older than all to the newest.
    fn place_in(&self, lines: &[&LogLine]) -> usize {
        self.chosen.and_then(|number| lines.iter().position(|line| line.number <= number)).unwrap_or(0)
    }
}

/// A line, by its number.
#[derive(Debug)]
struct Line(u64);

impl Clicks for Line {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        let lines = app.trace_lines();
        let again = lines.get(app.trace.place_in(&lines)).is_some_and(|line| line.number == self.0);
        app.trace.chosen = Some(self.0);
        if again {
            app.act(Do::Main);
        }
    }
}

/// The letters of the filter.
#[derive(Debug)]
struct FilterPrompt;

impl Ask for FilterPrompt {
    fn words(&self, _app: &App) -> String {
        "lines with".into()
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        self.changed(app, text);
        Ok(())
    }

    fn changed(&self, app: &mut App, text: &str) {
        (app.trace.filter, app.trace.chosen) = (text.trim().to_lowercase(), None);
    }

    fn given_up(&self, app: &mut App) {
        app.trace.filter.clear();
    }
}

impl App {
    /// The lines that are shown, newest first.
    fn trace_lines(&self) -> Vec<&LogLine> {
        let TraceView { filter, attention, .. } = &self.trace;
        let shown = |line: &&LogLine| (!attention || line.label == Label::Attention) && (filter.is_empty() || line.text.to_lowercase().contains(filter));
        self.rehearsal.log.iter().filter(shown).collect()
    }

    /// The sound that the chosen line names; if it names none, that is said.
    fn traced_sound(&mut self) -> Option<String> {
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

    /// Offers, as a line of the playthrough that is replayed, what holds now of the sound that the chosen line names.
    fn expect_traced(&mut self) {
        let Some(playthrough) = self.rehearsal.replay.as_ref().map(|r| r.name.clone()) else {
            return self.say("replay a playthrough first (9, enter; space freezes it): it is of that that something is expected");
        };
        let Some(sound) = self.traced_sound() else { return };
        let lines = self.trace_lines();
        let Some(line) = lines.get(self.trace.place_in(&lines)) else { return };
        // Rounded down: what happened on this very frame comes after it.
        let at = (line.frame as f64 / f64::from(self.program().rate) * 1e3).floor() / 1e3;
        let expected = if line.label == Label::Attention { "never heard within 0.5 s" } else { "heard within 0.1 s" };
        let at = estampie_project::language::lex::print_time(estampie_engine::units::Seconds(at));
        self.offer_step(&playthrough, &format!("{at} expect {sound} {expected}"));
    }

    /// Goes to the sound that the chosen line names.
    fn go_to_traced(&mut self) {
        if let Some(name) = self.traced_sound() {
            self.show(super::sounds::NAME);
            self.sounds.selected = name;
        }
    }
}
