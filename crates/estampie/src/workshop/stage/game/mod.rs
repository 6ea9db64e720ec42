//! The page of the running game, in the centre of the Stage: who sends, what came last under each name, what does not fit and how that is
//! fixed, and what has never been sent.

mod draw;
mod fixes;
mod join;
#[cfg(test)]
mod tests;

pub(super) use draw::draw;
pub(crate) use draw::{Standing, age, standing};

use super::{Column, Item};
use crate::workshop::app::App;
use crate::workshop::keys::Do;
use crate::workshop::rehearsal::MisfitKey;
use crate::workshop::view::Clicks;
use estampie_engine::names::NameKey;
use estampie_link::{Facts, Kind, Options, PORT};
use estampie_project::document::{Manifest, ValueOf};
use ratatui::layout::Rect;
use std::net::{IpAddr, Ipv4Addr, SocketAddr};
use std::time::{Duration, Instant};

/// What the page remembers.
#[derive(Debug, Clone, Default)]
pub(crate) struct GamePage {
    /// It is in the centre, instead of the map or the last seconds.
    pub(crate) shown: bool,
    /// The selected line.
    pub(crate) row: usize,
    /// Which of its fixes is chosen.
    pub(crate) fix: usize,
    /// Where it is listened; the usual port of this machine if nothing else was said.
    pub(crate) address: Option<SocketAddr>,
    /// Machines besides this one that may send.
    pub(crate) allow: Vec<IpAddr>,
    /// Where a game with the runtime was joined, or is to be.
    pub(crate) join: Option<SocketAddr>,
    /// The token that the game has shown.
    pub(crate) token: String,
    /// How many messages had come when it was last looked, and when that was.
    pub(crate) looked: Option<(u64, Instant)>,
}

/// So soon what has come is on the page, though the clock stands still.
const SOON: Duration = Duration::from_millis(100);
/// So often ages move while nothing comes.
const SLOWLY: Duration = Duration::from_millis(500);

impl GamePage {
    /// How it is listened on an address.
    pub(crate) fn options(&self, address: SocketAddr, manifest: &Manifest) -> Options {
        Options { address, allow: self.allow.clone(), rate: manifest.rate, greeting: manifest.name.clone() }
    }

    /// Where it is, or would be, listened.
    pub(crate) fn where_to_listen(&self) -> SocketAddr {
        self.address.unwrap_or(SocketAddr::new(IpAddr::V4(Ipv4Addr::LOCALHOST), PORT))
    }
}

/// A line of the page that can be selected.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Row {
    /// Nothing is listened to.
    Listening,
    /// Something that does not fit.
    Misfit(MisfitKey),
    /// A sentence about messages that were not understood.
    NotUnderstood(String),
    /// A name that came.
    Heard(Kind, String),
    /// An emitter that is placed.
    Emitter(String),
}

/// The page, or a line of it, for the mouse.
#[derive(Debug)]
pub(super) struct GameTarget(Row);

impl Clicks for GameTarget {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        app.stage.column = Column::Game;
        let Some(at) = app.game_rows().iter().position(|row| *row == self.0) else { return };
        // A second click does what enter does.
        if std::mem::replace(&mut app.game.row, at) == at {
            app.act_game(Do::Main);
        } else {
            app.game.fix = 0;
        }
    }

    fn wheel(&self, app: &mut App, _by: isize) -> bool {
        app.stage.column = Column::Game;
        false
    }
}

/// The keys of the page.
pub(super) const KEYS: [(&str, &str); 7] =
    [("↑ ↓", "line"), ("enter", "fix, or go there"), ("← →", "another fix"), ("O", "listen"), ("J", "join a game, or leave it"), ("I", "close"), ("?", "help")];

impl App {
    /// All lines of the page that can be selected.
    pub(super) fn game_rows(&self) -> Vec<Row> {
        let misfits = self.rehearsal.history.misfits.keys().map(|key| Row::Misfit(*key));
        let Some(link) = self.rehearsal.link() else { return std::iter::once(Row::Listening).chain(misfits).collect() };
        let mut rows: Vec<Row> = misfits.collect();
        link.with_facts(|facts| {
            rows.extend(facts.not_understood.keys().cloned().map(Row::NotUnderstood));
            for kind in [Kind::Event, Kind::Parameter, Kind::State] {
                rows.extend(facts.names(kind).map(|(name, _)| Row::Heard(kind, name.to_owned())));
            }
            rows.extend(facts.emitters.keys().cloned().map(Row::Emitter));
        });
        rows
    }

    /// What is declared and has not come since listening began, of a kind.
    fn never_sent(&self, facts: &Facts, kind: Kind) -> Vec<&str> {
        let document = self.document();
        // What the game calls otherwise has come under its name there.
        let came = |name: &str| {
            let theirs = document.from_game.iter().filter(|n| n.ours.value == name).map(|n| n.theirs.as_str());
            std::iter::once(name).chain(theirs).any(|name| facts.heard(kind, name).is_some())
        };
        let declared: Vec<&str> = match kind {
            // What this project's own reactions send is not waited for.
            Kind::Event => {
                let within = |name: &str| self.rehearsal.history.events.contains_key(&NameKey::of(name));
                document.events.iter().map(|e| e.name.as_str()).filter(|name| !within(name)).collect()
            }
            Kind::Parameter => document.parameters.iter().filter(|p| p.source == ValueOf::Game).map(|p| p.name.as_str()).collect(),
            Kind::State => document.states.iter().map(|s| s.name.as_str()).collect(),
        };
        declared.into_iter().filter(|name| !came(name)).collect()
    }

    /// Shows the page, or what was in the centre before.
    fn show_game(&mut self, on: bool) {
        self.game.shown = on;
        self.stage.column = if on { Column::Game } else { Column::Index };
    }

    /// Does what a key means to the page; false if it is not the page's.
    pub(super) fn act_game(&mut self, does: Do) -> bool {
        match does {
            Do::Game => self.show_game(!self.game.shown),
            Do::ToggleLink => self.toggle_listening(),
            Do::Visit => self.join_or_leave(),
            Do::Map if self.game.shown => {
                // To the map, or to the last seconds if there is none.
                self.show_game(false);
                self.stage.column = if self.map_shown() { Column::Map } else { Column::Index };
            }
            Do::Back if self.game.shown && self.stage.column == Column::Game => self.show_game(false),
            _ if self.stage.column != Column::Game => return false,
            Do::Left => self.choose_fix(-1),
            Do::Right => self.choose_fix(1),
            Do::Main => self.do_of_game(),
            _ => return false,
        }
        true
    }

    /// Goes so many lines down.
    pub(super) fn go_game(&mut self, by: isize) {
        self.game.row = self.game.row.saturating_add_signed(by).min(self.game_rows().len().saturating_sub(1));
        self.game.fix = 0;
    }

    fn choose_fix(&mut self, by: isize) {
        let count = self.fixes(self.game_rows().get(self.game.row)).len().max(1);
        self.game.fix = (self.game.fix as isize + by).rem_euclid(count as isize) as usize;
    }

    fn do_of_game(&mut self) {
        match self.game_rows().get(self.game.row).cloned() {
            Some(Row::Listening) => self.toggle_listening(),
            Some(Row::Misfit(_)) => self.fix_misfit(),
            Some(Row::NotUnderstood(what)) => self.say(format!("to be fixed in the game: {what}")),
            Some(Row::Heard(kind, name)) => match self.item_of(kind, &name) {
                Some(item) => self.select(item),
                None => self.say(format!("{name} is not declared here; its line above has the fixes")),
            },
            Some(Row::Emitter(name)) => self.say(format!("{name} is on the map: M shows it")),
            None => {}
        }
    }

    /// The line of the index for what the game calls so.
    fn item_of(&self, kind: Kind, name: &str) -> Option<Item> {
        let document = self.document();
        let ours = document.from_game.iter().find(|n| n.theirs == name).map_or(name, |n| n.ours.value.as_str());
        match kind {
            Kind::Event => document.events.iter().position(|e| e.name == ours).map(Item::Event),
            Kind::Parameter => document.parameters.iter().position(|p| p.name == ours).map(Item::Parameter),
            Kind::State => document.states.iter().position(|s| s.name == ours).map(Item::State),
        }
    }

    /// Whether what is told of the running game has changed: by what came, and by time alone.
    pub(crate) fn poll_game(&mut self) -> bool {
        let Some(link) = self.rehearsal.link() else { return false };
        let messages = link.with_facts(|facts| facts.messages);
        let due = self.game.looked.is_none_or(|(before, at)| at.elapsed() >= if before == messages { SLOWLY } else { SOON });
        if due {
            self.game.looked = Some((messages, Instant::now()));
        }
        due
    }

    fn toggle_listening(&mut self) {
        if let Some(address) = self.rehearsal.link().map(estampie_link::Link::address) {
            self.rehearsal.end_listening();
            return self.say(format!("no longer listening on {address}"));
        }
        let address = self.game.where_to_listen();
        let options = self.game.options(address, &self.document().manifest);
        match self.rehearsal.listen(options) {
            Ok(()) => self.say(format!("listening on {address}, UDP and TCP; docs/link.md tells what a game sends")),
            Err(error) => self.alarm(error.to_string()),
        }
    }
}
