//! `:` finds anything by a few letters: things of the project to go to, and everything that can be done.

use super::app::App;
use super::keys::{Do, KEYS};
use super::stage::Item;
use super::view::VIEWS;
use crate::player::device;
use estampie_project::document::{Document, ThingId};
use estampie_project::things::{KINDS, Thing};
use nucleo_matcher::pattern::{CaseMatching, Normalization, Pattern};
use nucleo_matcher::{Config, Matcher, Utf32Str};
use std::rc::Rc;
use std::sync::Arc;

/// What a line of the finder leads to.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Found {
    Do(Do),
    Item(Item),
    Send(String),
    Hear(String),
    Bus(usize),
    /// A sound of the view of sounds, by name.
    Sound(String),
    /// A line of the reactions, counted from 0.
    Reaction(usize),
    /// A modulation, by its place in the file.
    Curve(usize),
    /// A thing of the map, to be chosen.
    Thing(ThingId),
    /// A place where the listener can be put.
    Stand(ThingId),
    /// A thing of the project, to be shown with its fields.
    Fields(Thing),
    /// A listening set, to be heard.
    Listen(usize),
    /// A listening set, to be forgotten.
    Forget(String),
    /// The lines of a playthrough, by its place.
    Lines(usize),
    /// A new thing of a kind, by its place in the table of kinds.
    New(usize),
    /// A recipe, to be put in.
    Recipe(String),
    Device(String),
    Devices,
}

/// A line of the finder.
#[derive(Debug, Clone)]
pub(crate) struct Entry {
    pub(crate) text: String,
    pub(crate) kind: &'static str,
    pub(crate) found: Found,
}

fn all(app: &App) -> Vec<Entry> {
    let document = app.document();
    let mut list = Vec::new();
    let mut add = |text: String, kind, found| list.push(Entry { text, kind, found });
    for (index, event) in document.events.iter().enumerate() {
        add(format!("send {}", event.name), "event", Found::Send(event.name.clone()));
        add(event.name.clone(), "event", Found::Item(Item::Event(index)));
    }
    for (index, parameter) in document.parameters.iter().enumerate() {
        add(parameter.name.clone(), "parameter", Found::Item(Item::Parameter(index)));
    }
    for (index, state) in document.states.iter().enumerate() {
        add(state.name.clone(), "state", Found::Item(Item::State(index)));
    }
    for sound in &document.sounds {
        add(sound.name.clone(), "sound", Found::Sound(sound.name.clone()));
        add(format!("hear {}", sound.name), "sound", Found::Hear(sound.name.clone()));
    }
    for reaction in &document.reactions {
        add(reaction.head(), "reaction", Found::Reaction(reaction.place.0.line as usize - 1));
    }
    for modulation in &document.modulations {
        let text = format!("curve {} moves {}", modulation.from.value, modulation.whole());
        add(text, "modulation", Found::Curve(modulation.written));
    }
    for (index, bus) in app.program().mix.buses.iter().enumerate() {
        add(format!("bus {}", app.program().names.get(bus.key)), "mix", Found::Bus(index));
    }
    for thing in document.world.things() {
        if !thing.points.is_empty() {
            add(format!("stand at {}", thing.id.name), "map", Found::Stand(thing.id.clone()));
        }
        add(format!("thing {}", thing.id.name), "map", Found::Thing(thing.id));
    }
    for (index, (name, _)) in document.playthroughs.iter().enumerate() {
        add(format!("replay {name}"), "playthrough", Found::Item(Item::Playthrough(index)));
        add(format!("lines of {name}"), "playthrough", Found::Lines(index));
    }
    for (place, kind) in KINDS.iter().enumerate().filter(|(_, kind)| kind.several()) {
        add(format!("new {}", kind.word), "project", Found::New(place));
    }
    for (name, says) in app.recipes() {
        add(format!("recipe {name}: {says}"), "recipe", Found::Recipe(name));
    }
    for (place, set) in app.listening.iter().enumerate() {
        add(format!("listen to {}", set.name), "listen", Found::Listen(place));
        add(format!("forget the listening set {}", set.name), "listen", Found::Forget(set.name.clone()));
    }
    for (place, view) in VIEWS.iter().enumerate() {
        add(format!("the view {}: {}", view.face().name, view.face().says), "do", Found::Do(Do::View(place)));
    }
    let moves = [Do::Up, Do::Down, Do::Left, Do::Right, Do::FineLeft, Do::FineRight, Do::Find, Do::Back];
    for binding in app.view().face().keys.iter().chain(KEYS).filter(|b| !moves.contains(&b.does)) {
        add(binding.words.to_owned(), "do", Found::Do(binding.does));
    }
    add("restart the rehearsal from silence".into(), "do", Found::Do(Do::Restart));
    if app.workspace.only_read().is_some() {
        add("edit here too, though another workshop has the project open".into(), "do", Found::Do(Do::EditToo));
    }
    add("the tour of the demo, in eight steps".into(), "do", Found::Do(Do::Tour));
    if app.tour.is_some() {
        add("end the tour".into(), "do", Found::Do(Do::EndTour));
    }
    add("the light theme, or back to the dark one".into(), "do", Found::Do(Do::Theme));
    add("which sound devices there are".into(), "do", Found::Devices);
    add("device none: the silent clock".into(), "do", Found::Device("none".into()));
    list
}

/// The fields of everything there is. In a large project that is most of all lines, so they are made when the letters begin like them.
fn fields(app: &App) -> Vec<Entry> {
    let things = KINDS.iter().flat_map(|kind| app.workspace.things(kind));
    things.map(|thing| Entry { text: format!("fields of {}", app.workspace.called(&thing)), kind: "project", found: Found::Fields(thing) }).collect()
}

/// What the finder remembers: its lines as long as the project and the view are the same, what fitted the letters last, and what was chosen.
#[derive(Debug, Default)]
pub(crate) struct Memory {
    /// What the lines were made of.
    of: Option<(Arc<Document>, &'static str)>,
    lines: Rc<Vec<Entry>>,
    fields: Option<Rc<Vec<Entry>>>,
    found: Option<(String, Rc<Vec<Entry>>)>,
    /// What was chosen, newest first.
    recent: Vec<String>,
    /// How many listening sets there were.
    sets: usize,
}

/// So many choices are remembered.
const RECENT: usize = 12;

impl Memory {
    /// Remembers a choice.
    pub(crate) fn chose(&mut self, text: &str) {
        self.recent.retain(|t| t != text);
        self.recent.insert(0, text.to_owned());
        self.recent.truncate(RECENT);
        self.found = None;
    }
}

/// What fits `query`, best first; without letters what was chosen lately comes first. Worked out once for all pictures of it.
pub(crate) fn find(app: &App, query: &str) -> Rc<Vec<Entry>> {
    let mut memory = app.finder.borrow_mut();
    let memory = &mut *memory;
    let (document, view) = (app.workspace.document(), app.view().face().name);
    if !memory.of.as_ref().is_some_and(|(of, shown)| Arc::ptr_eq(of, document) && *shown == view) || memory.sets != app.listening.len() {
        let recent = std::mem::take(&mut memory.recent);
        *memory = Memory { of: Some((Arc::clone(document), view)), lines: Rc::new(all(app)), fields: None, found: None, recent, sets: app.listening.len() };
    }
    if let Some((letters, found)) = &memory.found
        && letters == query
    {
        return Rc::clone(found);
    }
    let fields = query.trim_start().starts_with(['f', 'F']).then(|| Rc::clone(memory.fields.get_or_insert_with(|| Rc::new(fields(app)))));
    let found = Rc::new(fitting([&memory.lines, fields.as_deref().unwrap_or(&Vec::new())], &memory.recent, query));
    memory.found = Some((query.to_owned(), Rc::clone(&found)));
    found
}

fn fitting([lines, fields]: [&[Entry]; 2], recent: &[String], query: &str) -> Vec<Entry> {
    let lately = |entry: &Entry| recent.iter().position(|t| *t == entry.text).unwrap_or(usize::MAX);
    if query.trim().is_empty() {
        let mut entries = lines.to_vec();
        entries.sort_by_cached_key(lately);
        return entries;
    }
    let devices = if query.starts_with("dev") { device::list().unwrap_or_default() } else { Vec::new() };
    let devices: Vec<Entry> = devices.into_iter().map(|(name, _)| Entry { text: format!("device {name}"), kind: "do", found: Found::Device(name) }).collect();
    let pattern = Pattern::parse(query, CaseMatching::Ignore, Normalization::Smart);
    let mut matcher = Matcher::new(Config::DEFAULT);
    let mut buffer = Vec::new();
    let mut scored: Vec<(u32, usize, &Entry)> = lines
        .iter()
        .chain(fields)
        .chain(&devices)
        .filter_map(|entry| Some((pattern.score(Utf32Str::new(&entry.text, &mut buffer), &mut matcher)?, lately(entry), entry)))
        .collect();
    // What was chosen lately comes before what fits as well.
    scored.sort_by_key(|(score, lately, entry)| (std::cmp::Reverse(*score), *lately, entry.text.len()));
    let mut found: Vec<Entry> = scored.into_iter().map(|(.., entry)| entry.clone()).collect();
    // The game can send what the project does not know: so can the designer, to see what happens then.
    if let Some(name) = query.trim().strip_prefix("send ")
        && !found.iter().any(|e| e.found == Found::Send(name.to_owned()))
    {
        found.insert(1.min(found.len()), Entry { text: format!("send {name} as the game might"), kind: "event", found: Found::Send(name.to_owned()) });
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::workshop::view_tests::Desk;

    #[test]
    fn what_was_chosen_comes_first_and_an_edit_is_found_at_once() {
        let mut desk = Desk::new();
        desk.keys(": h e a r space s t e p enter");
        let first = |desk: &Desk, query: &str| find(&desk.app, query).first().map(|e| e.text.clone()).unwrap_or_default();
        assert_eq!(first(&desk, ""), "hear steps/deck");
        assert_eq!(first(&desk, "hear"), "hear steps/deck", "of what fits as well");
        let before = find(&desk.app, "bus");
        assert!(Rc::ptr_eq(&before, &find(&desk.app, "bus")), "it is worked out once");
        desk.keys("5 n c r y p t enter");
        assert_eq!(first(&desk, "bus crypt"), "bus crypt");
        assert_eq!(first(&desk, ""), "hear steps/deck");
    }
}
