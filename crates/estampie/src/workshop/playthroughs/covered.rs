//! What the playthroughs come by: of each kind how much of it, and its things, those first that none comes by. As long as this is shown, those are marked in
//! all views.

use super::Column;
use crate::workshop::app::App;
use crate::workshop::keys::Do;
use crate::workshop::painter::{Painter, cut};
use crate::workshop::sounds;
use crate::workshop::theme::Role;
use crate::workshop::view::{Clicks, Targets};
use estampie_project::things::KINDS;
use estampie_proof::check::{Counts, Coverage};
use ratatui::layout::Rect;
use std::collections::BTreeSet;
use std::rc::Rc;

/// What is marked in all views: what no playthrough comes by.
pub(crate) const NEVER: &str = "∅";

/// The things of one kind.
#[derive(Debug)]
struct Kind {
    word: &'static str,
    /// Their names, how often each is come by, and in which playthroughs; the rarest first.
    things: Vec<(String, u64, Counts)>,
    /// How many are never come by: the first ones.
    never: usize,
}

/// What is come by, in the order in which it is shown.
#[derive(Debug, Default)]
pub(crate) struct Covered {
    pub(crate) coverage: Coverage,
    kinds: Vec<Kind>,
}

impl Covered {
    pub(crate) fn new(coverage: Coverage) -> Covered {
        let of = |(word, all): &(&'static str, std::collections::BTreeMap<String, Counts>)| {
            let mut things: Vec<_> = all.iter().map(|(name, counts)| (name.clone(), counts.values().sum::<u64>(), counts.clone())).collect();
            things.sort_by(|a, b| (a.1, &a.0).cmp(&(b.1, &b.0)));
            let never = things.iter().take_while(|(_, count, _)| *count == 0).count();
            Kind { word, things, never }
        };
        let kinds = coverage.kinds.iter().filter(|(_, all)| !all.is_empty()).map(of).collect();
        Covered { coverage, kinds }
    }
}

/// What is remembered of the list.
#[derive(Debug, Default)]
pub(super) struct Shown {
    /// The chosen line.
    row: usize,
    /// The kinds of which all is shown, not only what is never come by.
    open: BTreeSet<&'static str>,
}

/// A line: a kind, or a thing of it.
#[derive(Debug, Clone, Copy)]
enum Line<'a> {
    Kind(&'a Kind),
    Thing(&'a Kind, &'a (String, u64, Counts)),
}

fn lines<'a>(covered: &'a Covered, shown: &Shown) -> Vec<Line<'a>> {
    let of = |kind: &'a Kind| {
        let count = if shown.open.contains(kind.word) { kind.things.len() } else { kind.never };
        std::iter::once(Line::Kind(kind)).chain(kind.things[..count].iter().map(move |thing| Line::Thing(kind, thing)))
    };
    covered.kinds.iter().flat_map(of).collect()
}

/// How often, and where.
fn told(count: u64, counts: &Counts) -> String {
    let each: Vec<String> = counts.iter().filter(|(_, n)| **n > 0).map(|(name, n)| format!("{name} {n}")).collect();
    if count == 0 { "in no playthrough".into() } else { format!("{count} ×: {}", each.join(", ")) }
}

pub(super) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let now = if app.coverage_is_current() { "enter shows all of a kind, or goes to the thing" } else { "listening to the playthroughs" };
    painter.heading(area.x, area.y, area.width, "Coverage", now);
    let Some(covered) = app.covered() else { return };
    let shown = &app.playthroughs.covered;
    let lines = lines(covered, shown);
    let chosen = shown.row.min(lines.len().saturating_sub(1));
    let list = Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area };
    let rows = usize::from(list.height);
    let first = chosen.saturating_sub(rows * 2 / 3).min(lines.len().saturating_sub(rows));
    let wide = (area.width / 2).max(24);
    for (at, line) in lines.iter().enumerate().skip(first).take(rows) {
        let y = list.y + (at - first) as u16;
        if at == chosen {
            painter.mark(list, y, app.playthroughs.column == Column::Lines);
        }
        match line {
            Line::Kind(kind) => {
                let all = kind.things.len();
                let sign = if shown.open.contains(kind.word) { "▼" } else { "▶" };
                painter.text(list.x + 1, y, wide, &format!("{sign} {}", kind.word), Role::Active);
                let share = (all - kind.never) as f32 / all.max(1) as f32;
                painter.right(list.x + 30, y, &format!("{} of {all}", all - kind.never), Role::Text);
                painter.bar(list.x + 32, y, 20.min(list.width.saturating_sub(33)), share, Role::FromGame);
            }
            Line::Thing(_, (name, count, counts)) => {
                let role = if *count == 0 { Role::Text } else { Role::Secondary };
                if *count == 0 {
                    painter.text(list.x + 3, y, 1, NEVER, Role::Active);
                }
                // A name of a condition is long, and says more than where it is not.
                let told = told(*count, counts);
                let room = if *count == 0 { list.width.saturating_sub(6) } else { wide.saturating_sub(6) };
                painter.text(list.x + 5, y, room, &cut(name, room), role);
                if *count > 0 {
                    painter.text(list.x + wide, y, list.width.saturating_sub(wide), &cut(&told, list.width.saturating_sub(wide)), Role::Secondary);
                }
            }
        }
        targets.push((Rect { y, height: 1, ..list }, Rc::new(ClickCovered(at))));
    }
    painter.more(list, first, lines.len().saturating_sub(first + rows));
}

impl App {
    /// Shows what the playthroughs come by, or no longer.
    pub(super) fn show_coverage(&mut self) {
        self.checks.covers = !self.checks.covers;
        self.playthroughs.column = if self.checks.covers { Column::Lines } else { Column::Names };
        if self.checks.covers {
            self.say(format!("{NEVER} marks what no playthrough comes by, in all views; c ends it"));
        }
    }

    pub(super) fn go_in_coverage(&mut self, by: isize) {
        let last = self.covered().map_or(0, |covered| lines(covered, &self.playthroughs.covered).len().saturating_sub(1));
        let row = &mut self.playthroughs.covered.row;
        *row = (*row).min(last).saturating_add_signed(by).min(last);
    }

    /// Unfolds the chosen kind, or folds it; goes to the chosen thing.
    pub(super) fn open_in_coverage(&mut self) {
        let Some(covered) = self.covered() else { return };
        let lines = lines(covered, &self.playthroughs.covered);
        match lines.get(self.playthroughs.covered.row.min(lines.len().saturating_sub(1))) {
            None => {}
            Some(Line::Kind(kind)) => {
                let (word, all) = (kind.word, kind.never == kind.things.len());
                let open = &mut self.playthroughs.covered.open;
                if !open.remove(word) && !all {
                    open.insert(word);
                }
            }
            Some(Line::Thing(kind, (name, ..))) => {
                let (kind, name) = (kind.word, name.clone());
                self.go_to_covered(kind, &name);
            }
        }
    }

    fn go_to_covered(&mut self, kind: &'static str, name: &str) {
        let reaction = |head: &str| self.document().reactions.iter().find(|r| r.head() == head).map(|r| r.place.0.line as usize - 1);
        match kind {
            "sounds" => {
                self.show(sounds::NAME);
                self.sounds.selected = name.to_owned();
            }
            "takes" => {
                let of = self.document().sounds.iter().find(|sound| sounds::takes_of(sound).iter().any(|take| take.file && take.name == name));
                match of.map(|sound| sound.name.clone()) {
                    Some(sound) => {
                        self.show(sounds::NAME);
                        self.sounds.selected = sound;
                    }
                    None => self.say(format!("{name} belongs to the music")),
                }
            }
            "reactions" | "conditions" => {
                let head = name.rsplit_once(" in When ").map_or_else(|| name.lines().next().unwrap_or_default().to_owned(), |(_, rest)| format!("When {rest}"));
                match reaction(&head) {
                    Some(line) => self.go_to_reaction(line),
                    None => self.say("that reaction is not there any more"),
                }
            }
            _ => {
                // An effect is called by its bus and its name.
                let whole = name.replace(' ', "/");
                let of = KINDS.iter().find(|k| k.many == kind);
                let thing = of.and_then(|of| self.workspace.things(of).into_iter().find(|t| t.whole_name() == name || t.whole_name() == whole));
                match thing {
                    Some(thing) => self.go_to_fields(thing),
                    None => self.say(format!("{name}: 4 has the transitions of each piece")),
                }
            }
        }
    }
}

/// A line of the list.
#[derive(Debug)]
struct ClickCovered(usize);

impl Clicks for ClickCovered {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        let again = app.playthroughs.column == Column::Lines && app.playthroughs.covered.row == self.0;
        (app.playthroughs.column, app.playthroughs.covered.row) = (Column::Lines, self.0);
        if again {
            app.act(Do::Main);
        }
    }

    fn wheel(&self, app: &mut App, _by: isize) -> bool {
        app.playthroughs.column = Column::Lines;
        false
    }
}
