//! The list of what the game tells, at the left of the Stage: by kind, folded by kind or by the first part of names, filtered by letters.

use super::inputs::StageTarget;
use super::{Column, NAME};
use crate::workshop::app::App;
use crate::workshop::painter::{Painter, rows_of};
use crate::workshop::theme::Role;
use crate::workshop::view::Targets;
use estampie_engine::names::NameKey;
use estampie_project::document::Document;
use ratatui::layout::Rect;
use std::collections::{BTreeSet, HashMap};

/// A line of the list that can be selected.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Item {
    Parameter(usize),
    State(usize),
    Event(usize),
    Playthrough(usize),
    /// A group that is folded.
    Folded(Group),
}

/// What is folded together: a whole list, or of it what has the first part of its name in common.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct Group {
    list: List,
    part: Option<NameKey>,
}

/// The lists, in their order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum List {
    Parameters,
    States,
    Events,
    Playthroughs,
}

const LISTS: [(List, &str, &str); 4] = [
    (List::Parameters, "Parameters", "from the game"),
    (List::States, "States", ""),
    (List::Events, "Events", "press to send"),
    (List::Playthroughs, "Playthroughs", "R records"),
];

impl List {
    fn items(self, document: &Document) -> Vec<Item> {
        match self {
            List::Parameters => (0..document.parameters.len()).map(Item::Parameter).collect(),
            List::States => (0..document.states.len()).map(Item::State).collect(),
            List::Events => (0..document.events.len()).map(Item::Event).collect(),
            List::Playthroughs => (0..document.playthroughs.len()).map(Item::Playthrough).collect(),
        }
    }
}

impl Item {
    fn list(self) -> List {
        match self {
            Item::Parameter(_) => List::Parameters,
            Item::State(_) => List::States,
            Item::Event(_) => List::Events,
            Item::Playthrough(_) => List::Playthroughs,
            Item::Folded(group) => group.list,
        }
    }

    pub(super) fn name(self, document: &Document) -> &str {
        match self {
            Item::Parameter(at) => document.parameters.get(at).map_or("", |p| &p.name),
            Item::State(at) => document.states.get(at).map_or("", |s| &s.name),
            Item::Event(at) => document.events.get(at).map_or("", |e| &e.name),
            Item::Playthrough(at) => document.playthroughs.get(at).map_or("", |(name, _)| name),
            Item::Folded(_) => "",
        }
    }

    fn note(self, document: &Document) -> &str {
        match self {
            Item::Parameter(at) => document.parameters.get(at).map_or("", |p| &p.note),
            Item::State(at) => document.states.get(at).map_or("", |s| &s.note),
            Item::Event(at) => document.events.get(at).map_or("", |e| &e.note),
            Item::Playthrough(_) | Item::Folded(_) => "",
        }
    }
}

/// The first part of a name: what stands before its first point or stroke.
fn first_part(name: &str) -> Option<&str> {
    name.split_once(['.', '/']).map(|(part, _)| part)
}

/// The first parts that several names of a list have in common.
struct Parts<'a> {
    list: List,
    counts: HashMap<&'a str, usize>,
}

impl<'a> Parts<'a> {
    fn of(document: &'a Document, list: List) -> Parts<'a> {
        let mut counts: HashMap<&str, usize> = HashMap::new();
        for item in list.items(document) {
            if let Some(part) = first_part(item.name(document)) {
                *counts.entry(part).or_default() += 1;
            }
        }
        Parts { list, counts }
    }

    /// The group to which an item belongs: those of its list whose names begin with the same part, or else the whole list.
    fn group(&self, document: &Document, item: Item) -> Group {
        let part = first_part(item.name(document)).filter(|part| self.counts.get(part).is_some_and(|count| *count > 1));
        Group { list: self.list, part: part.map(NameKey::of) }
    }
}

fn group_of(document: &Document, item: Item) -> Group {
    Parts::of(document, item.list()).group(document, item)
}

/// A line of the list.
enum Line {
    Heading(&'static str, &'static str),
    Item(Item),
    Blank,
}

impl App {
    /// The lines of the Stage's list that can be selected, in order.
    pub(crate) fn items(&self) -> Vec<Item> {
        self.lines().into_iter().filter_map(|line| if let Line::Item(item) = line { Some(item) } else { None }).collect()
    }

    fn lines(&self) -> Vec<Line> {
        let (document, filter) = (self.document(), self.stage.filter.as_str());
        let mut lines = Vec::new();
        for (list, title, aside) in LISTS {
            let (mut shown, mut told): (Vec<Item>, BTreeSet<Group>) = Default::default();
            let whole = Group { list, part: None };
            // Most lists have nothing folded, and may be long.
            let parts = self.stage.folded.iter().any(|group| group.list == list).then(|| Parts::of(document, list));
            for item in list.items(document) {
                if !filter.is_empty() {
                    // What is looked for is never hidden in a fold.
                    shown.extend(item.name(document).contains(filter).then_some(item));
                    continue;
                }
                let Some(parts) = &parts else {
                    shown.push(item);
                    continue;
                };
                let own = parts.group(document, item);
                match [whole, own].into_iter().find(|group| self.stage.folded.contains(group)) {
                    // Once, where the first of it would stand.
                    Some(group) if told.insert(group) => shown.push(Item::Folded(group)),
                    Some(_) => {}
                    None => shown.push(item),
                }
            }
            if !shown.is_empty() {
                if !lines.is_empty() {
                    lines.push(Line::Blank);
                }
                lines.push(Line::Heading(title, aside));
                lines.extend(shown.into_iter().map(Line::Item));
            }
        }
        lines
    }

    /// The items of a group.
    fn within(&self, group: Group) -> Vec<Item> {
        let document = self.document();
        let parts = Parts::of(document, group.list);
        let all = group.list.items(document);
        all.into_iter().filter(|item| group.part.is_none() || parts.group(document, *item) == group).collect()
    }

    /// Selects a line of what the game tells; unfolds what it is in.
    pub(crate) fn select(&mut self, item: Item) {
        self.show(NAME);
        self.stage.column = Column::Index;
        if !self.items().contains(&item) {
            let own = group_of(self.document(), item);
            self.stage.folded.remove(&own);
            self.stage.folded.remove(&Group { list: own.list, part: None });
            self.stage.filter.clear();
        }
        self.stage.item = self.items().iter().position(|i| *i == item).unwrap_or(self.stage.item);
    }

    /// Folds the group of what is chosen; what is folded already with its whole list; and that opens again.
    pub(super) fn fold_stage(&mut self) {
        let Some(item) = self.selected_item().filter(|_| self.stage.filter.is_empty()) else { return self.say("esc shows all again; then it can be folded") };
        let group = match item {
            Item::Folded(Group { list, part: Some(_) }) => Group { list, part: None },
            Item::Folded(whole) => return self.unfold(whole),
            item => group_of(self.document(), item),
        };
        self.stage.folded.insert(group);
        self.stage.item = self.items().iter().position(|i| *i == Item::Folded(group)).unwrap_or(0);
    }

    /// Opens a group; a whole list with all that is folded in it.
    pub(super) fn unfold(&mut self, group: Group) {
        self.stage.folded.retain(|other| *other != group && (group.part.is_some() || other.list != group.list));
        let first = self.within(group).into_iter().next();
        if let Some(first) = first {
            self.select(first);
        }
    }

    /// Shows only what has these letters in its name.
    pub(super) fn filter_stage(&mut self, text: &str) {
        let chosen = self.selected_item();
        text.trim().clone_into(&mut self.stage.filter);
        let items = self.items();
        self.stage.item = chosen.and_then(|item| items.iter().position(|i| *i == item)).unwrap_or(0);
    }

    /// The letter that sends an event.
    pub(crate) fn pad_of(&self, event: usize) -> Option<char> {
        self.document().laid_out_pads().into_iter().find(|(_, at)| *at == event).map(|(pad, _)| pad)
    }
}

pub(super) fn draw(app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
    let lines = app.lines();
    let pads = app.document().laid_out_pads();
    let filter = app.stage.filter.as_str();
    if lines.is_empty() {
        let (title, words) =
            if filter.is_empty() { ("Parameters", "game.toml declares none yet".to_owned()) } else { ("Nothing", format!("has \"{filter}\" in its name")) };
        painter.heading(1, area.y, area.width - 1, title, "");
        painter.text(1, area.y + 1, area.width - 2, &words, Role::Secondary);
        return;
    }
    let selected = app.items().get(app.stage.item).copied();
    let row_of = lines.iter().position(|l| matches!(l, Line::Item(item) if Some(*item) == selected)).unwrap_or(0);
    // What is said of the chosen one stands at the foot.
    let note = selected.filter(|_| app.stage.column == Column::Index && area.height >= 24).map_or("", |item| item.note(app.document()));
    let rows = if note.is_empty() { Vec::new() } else { rows_of(note, usize::from(area.width.saturating_sub(3)), "") };
    let foot = if rows.is_empty() { 0 } else { rows.len().min(3) + 1 };
    let height = usize::from(area.height) - foot;
    // What is selected stays in sight.
    let first = (row_of + 2).saturating_sub(height).min(lines.len().saturating_sub(height));
    for (row, line) in lines.iter().skip(first).take(height).enumerate() {
        let y = area.y + row as u16;
        match line {
            Line::Heading(title, aside) => {
                let looked = format!("with \"{filter}\"");
                painter.heading(1, y, area.width - 1, title, if filter.is_empty() { aside } else { &looked });
            }
            Line::Item(item) => {
                let chosen = Some(*item) == selected && app.stage.column == Column::Index;
                if chosen {
                    painter.select(0, y, area.width);
                }
                targets.push((Rect { x: 0, y, width: area.width, height: 1 }, std::rc::Rc::new(StageTarget::Item(*item))));
                let place = Rect { x: 2, y, width: area.width - 3, height: 1 };
                match item {
                    Item::Folded(group) => folded(app, painter, place, *group, chosen),
                    item => super::draw::index_item(app, painter, place, (*item, chosen), &pads, targets),
                }
            }
            Line::Blank => {}
        }
    }
    painter.more(Rect { width: area.width - 1, height: height as u16, ..area }, first, lines.len().saturating_sub(first + height));
    for (row, text) in rows.iter().take(3).enumerate() {
        painter.text(2, area.bottom() - (foot - 1) as u16 + row as u16, area.width - 3, text, Role::Secondary);
    }
}

/// A group that is folded: what its names begin with, and how many there are.
fn folded(app: &App, painter: &mut Painter<'_>, area: Rect, group: Group, chosen: bool) {
    let within = app.within(group);
    let name = within.first().map_or("", |item| item.name(app.document()));
    let text = match (group.part, first_part(name)) {
        (Some(_), Some(part)) => format!("▸ {}", &name[..=part.len()]),
        _ => "▸ all of them".to_owned(),
    };
    painter.text(area.x, area.y, area.width, &text, if chosen { Role::Active } else { Role::Text });
    painter.right(area.right(), area.y, &within.len().to_string(), Role::Secondary);
}

#[cfg(test)]
mod tests {
    use crate::workshop::view_tests::Desk;
    use std::fmt::Write as _;

    fn desk() -> Desk {
        let mut desk = Desk::with(|folder| {
            let file = folder.join("game.toml");
            let mut text = std::fs::read_to_string(&file).unwrap();
            for name in ["bell.ring", "bell.crack", "bell.sink", "oar"] {
                let _ = writeln!(text, "\"{name}\" = \"what {name} means\"");
            }
            std::fs::write(file, text).unwrap();
        });
        desk.keys("1");
        desk
    }

    fn names(desk: &Desk) -> Vec<String> {
        desk.app.items().iter().map(|i| i.name(desk.app.document()).to_owned()).collect()
    }

    #[test]
    fn groups_fold_by_the_first_part_of_names_and_then_by_kind() {
        let mut desk = desk();
        let all = names(&desk);
        let bell = all.iter().position(|n| n == "bell.crack").unwrap();
        desk.app.stage.item = bell;
        assert!(desk.page().contains("what bell.crack means"), "the note of the chosen one is told");
        desk.keys("y");
        assert_eq!(names(&desk).len(), all.len() - 2);
        let page = desk.page();
        assert!(page.contains("▸ bell.") && page.contains("oar") && !page.contains("bell.ring"), "{page}");
        desk.keys("y");
        let page = desk.page();
        assert!(page.contains("▸ all of them") && !page.contains("oar") && page.contains("strain"), "{page}");
        // A thing that is gone to is unfolded.
        desk.keys("enter");
        assert_eq!(names(&desk), all);
        desk.app.stage.item = bell;
        desk.keys("y");
        desk.keys(": s e n d");
        desk.type_text(" bell.ring");
        desk.keys("esc");
        let at = desk.app.document().events.iter().position(|e| e.name == "bell.sink").unwrap();
        desk.app.select(super::Item::Event(at));
        assert_eq!(names(&desk), all);
    }

    #[test]
    fn letters_filter_the_list_and_esc_shows_all() {
        let mut desk = desk();
        let all = names(&desk);
        desk.keys("/");
        desk.type_text("ell");
        assert_eq!(names(&desk), ["bell.ring", "bell.crack", "bell.sink"]);
        desk.keys("enter");
        assert!(desk.page().contains("with \"ell\""));
        desk.keys("esc");
        assert_eq!(names(&desk), all);
        desk.keys("/");
        desk.type_text("zzz");
        assert!(desk.page().contains("has \"zzz\" in its name"));
        desk.keys("esc");
        assert_eq!(names(&desk), all, "given up it filters nothing");
    }

    #[test]
    fn an_event_gets_a_letter_of_its_own_and_the_rest_follow() {
        let mut desk = desk();
        let event = |desk: &Desk, name: &str| desk.app.document().events.iter().position(|e| e.name == name).unwrap();
        let oar = event(&desk, "oar");
        assert_eq!(desk.app.pad_of(0), Some('d'));
        desk.app.select(super::Item::Event(oar));
        desk.keys("e");
        desk.type_text("Q");
        desk.keys("enter");
        assert!(desk.page().contains("no letter that is free"), "{}", desk.page());
        desk.keys("ctrl-u d enter");
        assert!(desk.text("game.toml").contains("[pads]") && desk.text("game.toml").contains("d = \"oar\""), "{}", desk.text("game.toml"));
        assert_eq!((desk.app.pad_of(oar), desk.app.pad_of(0)), (Some('d'), Some('f')));
        desk.keys("d");
        let sent = |app: &crate::workshop::app::App| app.rehearsal.history.events.contains_key(&estampie_engine::names::NameKey::of("oar"));
        desk.poll_until("the letter sends it", sent);
        // Another letter takes the first one back; none gives it back to the order.
        desk.keys("e ctrl-u v enter");
        assert!(!desk.text("game.toml").contains("d = ") && desk.app.pad_of(oar) == Some('v'), "{}", desk.text("game.toml"));
        desk.keys("e ctrl-u enter");
        assert!(desk.app.pad_of(0) == Some('d') && !desk.text("game.toml").contains("v = "));
        // Its name follows.
        desk.keys("e d enter ctrl-e r ctrl-u");
        desk.type_text("scull");
        desk.keys("enter");
        assert!(desk.text("game.toml").contains("d = \"scull\""), "{}", desk.text("game.toml"));
    }
}
