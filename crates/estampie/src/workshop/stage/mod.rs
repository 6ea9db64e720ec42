//! The view *Stage*: the game is played without the game, on the list of what it tells, on the map, and on what sounds.

mod actions;
mod draw;
pub(crate) mod game;
mod index;
mod inputs;
pub(crate) mod map;
#[cfg(test)]
mod tests;

pub(crate) use draw::{role, why_of};
pub(crate) use index::Item;
pub(crate) use inputs::{StagePrompt, share};

use super::app::App;
use super::keys::{Binding, Do, key};
use super::painter::Painter;
use super::view::{Face, Targets, View};
use estampie_engine::ledger::TermKind;
use estampie_engine::names::NameKey;
use estampie_project::document::ValueOf;
use estampie_project::things::KINDS;
use ratatui::layout::Rect;
use std::collections::BTreeSet;

/// Its name.
pub(crate) const NAME: &str = "Stage";

/// A column of the view.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) enum Column {
    #[default]
    Index,
    /// The map.
    Map,
    /// The page of the running game.
    Game,
    Sounding,
}

/// What the view remembers, besides the map.
#[derive(Debug, Default)]
pub(crate) struct StageView {
    pub(crate) column: Column,
    /// The selected line of what the game tells.
    pub(crate) item: usize,
    /// What of the list is folded, and the letters that names must have.
    pub(crate) folded: BTreeSet<index::Group>,
    pub(crate) filter: String,
    /// The selected voice; the loudest if `None`.
    pub(crate) voice: Option<u64>,
}

/// The view.
pub(crate) struct Stage;

static FACE: Face = Face {
    name: NAME,
    key: '1',
    says: "play the game without the game",
    keys: KEYS,
    mouse: &["click an event to send it, a value to take it", "drag a parameter's bar", "click a voice to see why it sounds as it does"],
    widths: draw::WIDTHS,
};

impl View for Stage {
    fn face(&self) -> &'static Face {
        &FACE
    }

    fn draw(&self, app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
        draw::draw(app, painter, area, targets);
    }

    fn selected(&self, app: &App) -> Option<(&'static str, String)> {
        if app.stage.column == Column::Map {
            let thing = app.chosen_thing()?;
            let kind = KINDS.iter().find(|kind| kind.area == "world" && kind.path == [thing.id.table])?;
            return Some((kind.word, thing.id.name));
        }
        let document = app.document();
        match *app.items().get(app.stage.item)? {
            Item::Event(at) => Some(("event", document.events.get(at)?.name.clone())),
            Item::State(at) => Some(("state", document.states.get(at)?.name.clone())),
            Item::Parameter(at) => {
                let parameter = document.parameters.get(at)?;
                let formula = matches!(parameter.source, ValueOf::Formula(_));
                Some((if formula { "formula" } else { "parameter" }, parameter.name.clone()))
            }
            Item::Playthrough(_) | Item::Folded(_) => None,
        }
    }

    fn act(&self, app: &mut App, does: Do) -> bool {
        app.act_game(does) || app.act_map(does) || app.act_stage(does)
    }

    fn go(&self, app: &mut App, by: isize) {
        app.go_stage(by);
    }

    fn other_key(&self, app: &mut App, pad: char) -> bool {
        let event = app.document().laid_out_pads().into_iter().find(|(p, _)| *p == pad).map(|(_, at)| app.document().events[at].name.clone());
        event.inspect(|event| app.rehearsal.event(event)).is_some()
    }

    fn other_help(&self, app: &App) -> Vec<(String, String)> {
        let document = app.document();
        document.laid_out_pads().into_iter().map(|(pad, at)| (pad.to_string(), format!("send {}", document.events[at].name))).collect()
    }

    fn last_line(&self, app: &App) -> Option<&'static [(&'static str, &'static str)]> {
        match app.stage.column {
            Column::Map if app.map_shown() => Some(&map::KEYS),
            Column::Game => Some(&game::KEYS),
            _ => None,
        }
    }

    /// That of the selected voice, by its ledger.
    fn bus(&self, app: &App) -> Option<NameKey> {
        let voice = app.selected_voice()?;
        let status = app.rehearsal.status.as_ref()?;
        status.terms_of(&voice).iter().find(|t| t.kind == TermKind::Bus).map(|t| t.of)
    }
}

/// Its keys.
const KEYS: &[Binding] = &[
    key(&["enter"], Do::Main, "enter", "send the event, replay the playthrough, hear the sound", Some("send")),
    key(&["/"], Do::Filter, "/", "show only what has these letters in its name; esc shows all", Some("filter")),
    key(&["y"], Do::Fold, "y", "fold what begins with the same part as the chosen name; again its whole list; again, or enter, opens it", None),
    key(&["M"], Do::Map, "M", "the map, or the last twenty seconds", Some("map")),
    key(&["I"], Do::Game, "I", "the running game: who sends, what came last, what does not fit and how to fix it", Some("game")),
    key(&["O"], Do::ToggleLink, "O", "listen to a running game, or no longer (Open Sound Control)", None),
    key(&["J"], Do::Visit, "J", "join a running game that has the runtime: hear its engine and change what it plays; again comes back", None),
    key(
        &["ctrl-l"],
        Do::LearnMidi,
        "ctrl-l",
        "the next knob, wheel or pad that is moved on a MIDI device moves the chosen parameter, or sends the chosen event; again takes it away",
        None,
    ),
    key(&["shift-up"], Do::RunUp, "shift-↑", "on the map: run, or move the cross by ten", None),
    key(&["shift-down"], Do::RunDown, "shift-↓", "on the map: run, or move the cross by ten", None),
    key(&["<"], Do::TurnLeft, "<", "turn to the left", None),
    key(&[">"], Do::TurnRight, ">", "turn to the right", None),
    key(&["("], Do::Slower, "(", "walk slower", None),
    key(&[")"], Do::Faster, ")", "walk faster", None),
    key(&["+", "="], Do::ZoomIn, "+", "nearer to the map", None),
    key(&["-"], Do::ZoomOut, "-", "farther from the map; 0 shows all of it", None),
    key(&["'"], Do::FollowMe, "'", "the map goes with you, or stays", None),
    key(&["p"], Do::Point, "p", "point at the map: the arrows move a cross instead of walking; again, or esc, walks", Some("point")),
    key(&["P"], Do::PutHere, "P", "put yourself at the cross", None),
    key(&["\""], Do::Ruler, "\"", "measure from here to the cross, or to yourself; again ends", None),
    key(&[";"], Do::NextThing, ";", "choose the next thing of the map, by distance", Some("next thing")),
    key(&[","], Do::PreviousThing, ",", "choose the thing before", None),
    key(&["S"], Do::SoloThing, "S", "solo the chosen emitter (temporary)", None),
    key(&["A"], Do::AddThing, "A", "add at the cross: emitter lamp, zone crypt, wall pier, doorway gate streets crypt", None),
    key(&["E"], Do::Head, "E", "placed sounds as headphones give them, with a head between the ears, or as speakers (temporary)", None),
    key(&["K"], Do::Carry, "K", "move the chosen thing with the arrows; enter sets it down", None),
    key(&["C"], Do::CopyThing, "C", "a copy of the chosen thing at the cross", None),
    key(&["Y"], Do::Curve, "Y", "edit the curve by which what sounds at the chosen thing falls off", None),
    key(&["Z"], Do::ZoneSnapshot, "Z", "a new snapshot that the chosen zone raises, opened to be mixed", None),
    key(&["X"], Do::DeleteThing, "X", "delete the chosen thing", None),
];
