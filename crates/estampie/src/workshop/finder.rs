//! `:` finds anything by a few letters: things of the project to go to, and everything that can be done.

use super::app::App;
use super::keys::{Do, KEYS};
use super::stage::Item;
use super::view::VIEWS;
use crate::player::device;
use estampie_project::document::ThingId;
use estampie_project::things::{KINDS, Thing};
use nucleo_matcher::pattern::{CaseMatching, Normalization, Pattern};
use nucleo_matcher::{Config, Matcher, Utf32Str};

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
    /// A new thing of a kind, by its place in the table of kinds.
    New(usize),
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
    }
    for (place, kind) in KINDS.iter().enumerate().filter(|(_, kind)| kind.several()) {
        add(format!("new {}", kind.word), "project", Found::New(place));
    }
    for kind in &KINDS {
        for thing in app.workspace.things(kind) {
            add(format!("fields of {}", app.workspace.called(&thing)), "project", Found::Fields(thing));
        }
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
    add("the light theme, or back to the dark one".into(), "do", Found::Do(Do::Theme));
    add("which sound devices there are".into(), "do", Found::Devices);
    add("device none: the silent clock".into(), "do", Found::Device("none".into()));
    list
}

/// What fits `query`, best first.
pub(crate) fn find(app: &App, query: &str) -> Vec<Entry> {
    let mut entries = all(app);
    if query.starts_with("dev") {
        let devices = device::list().unwrap_or_default();
        entries.extend(devices.into_iter().map(|(name, _)| Entry { text: format!("device {name}"), kind: "do", found: Found::Device(name) }));
    }
    if query.trim().is_empty() {
        return entries;
    }
    let pattern = Pattern::parse(query, CaseMatching::Ignore, Normalization::Smart);
    let mut matcher = Matcher::new(Config::DEFAULT);
    let mut buffer = Vec::new();
    let mut scored: Vec<(u32, Entry)> = entries
        .into_iter()
        .filter_map(|entry| {
            let score = pattern.score(Utf32Str::new(&entry.text, &mut buffer), &mut matcher)?;
            Some((score, entry))
        })
        .collect();
    scored.sort_by_key(|(score, entry)| (std::cmp::Reverse(*score), entry.text.len()));
    let mut found: Vec<Entry> = scored.into_iter().map(|(_, entry)| entry).collect();
    // The game can send what the project does not know: so can the designer, to see what happens then.
    if let Some(name) = query.trim().strip_prefix("send ")
        && !found.iter().any(|e| e.found == Found::Send(name.to_owned()))
    {
        found.insert(1.min(found.len()), Entry { text: format!("send {name} as the game might"), kind: "event", found: Found::Send(name.to_owned()) });
    }
    found
}
