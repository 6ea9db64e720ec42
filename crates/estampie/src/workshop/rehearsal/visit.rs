//! Inside the running game: the rehearsal's remote is that of the game's engine, edits go there, and what is heard here is silence.

use super::{History, Input, Kept, NOW, PAST, Prepared, Recorder, Rehearsal, levels};
use estampie_engine::engine::{InputKind, Remote};
use estampie_live::{State, Visit};
use rtrb::RingBuffer;
use std::net::SocketAddr;
use std::sync::Arc;

/// How it stands with the game that the workshop is in, or calls.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Presence {
    /// Nobody has answered yet, and why not.
    Calls(String),
    /// It is in the game, whose project is this; whether the game has the last edit.
    Inside {
        project: String,
        /// What its bundle was made of.
        sources: String,
        up_to_date: bool,
    },
    /// The game takes no visit, or not the last edit, and why.
    Refused(String),
}

/// The game whose engine is heard.
pub(super) struct Visited {
    visit: Visit,
    /// How many times it had been entered when it was last looked.
    entered: u32,
    /// How it stood then.
    stood: Option<Presence>,
}

impl Visited {
    /// A name for which the game has a key, that was not given yet.
    pub(super) fn name(&self) -> Option<String> {
        self.visit.name()
    }
}

impl Rehearsal {
    /// Goes into the game at an address, with its token if it shows one: this engine rests meanwhile.
    ///
    /// # Errors
    /// When the system gives no thread for it.
    pub(crate) fn visit(&mut self, address: SocketAddr, token: &str) -> std::io::Result<()> {
        let rate = self.program.rate as usize;
        let (elsewhere, remote) = Remote::elsewhere(rate / 2);
        let (output_in, output) = RingBuffer::new(rate * 2);
        let visit = Visit::begin(address, token, concat!("estampie ", env!("CARGO_PKG_VERSION")), elsewhere, output_in)?;
        self.player.rest(true);
        self.forget(remote, self.seed);
        self.player.measure_elsewhere(output);
        self.visit = Some(Visited { visit, entered: 0, stood: None });
        let prepared = Prepared::new(Arc::clone(&self.program), self.seed).with_player_levels(&levels::keys(&self.levels));
        self.waiting = Some(Box::new(prepared));
        self.hand_over();
        Ok(())
    }

    /// Comes back: the game goes on as it is, and here everything begins from its first frame.
    pub(crate) fn end_visit(&mut self) {
        if self.visit.take().is_some() {
            self.begin(1, Vec::new());
        }
    }

    /// Whether what is heard is a game's engine.
    pub(crate) fn visiting(&self) -> bool {
        self.visit.is_some()
    }

    /// The address of the game that is visited.
    pub(crate) fn visited(&self) -> Option<SocketAddr> {
        self.visit.as_ref().map(|v| v.visit.address())
    }

    /// The share of real time that rendering takes, here or in the game.
    pub(crate) fn load(&self) -> f32 {
        self.visit.as_ref().map_or_else(|| self.player.load(), |v| v.visit.load())
    }

    /// How it stands with the visit, if there is one.
    pub(crate) fn presence(&self) -> Option<Presence> {
        let Visited { visit, .. } = self.visit.as_ref()?;
        Some(match visit.state() {
            State::Calls(why) => Presence::Calls(why.unwrap_or_else(|| "no answer yet".into())),
            State::Refused(why) => Presence::Refused(why),
            State::Inside { project, sources, .. } => match visit.refused() {
                Some((id, why)) if id == self.program.id => Presence::Refused(why),
                _ => {
                    let up_to_date = self.waiting.is_none() && self.status.as_ref().is_some_and(|s| s.program == self.program.id);
                    Presence::Inside { project, sources, up_to_date }
                }
            },
        })
    }

    /// Says to a game that has just been entered all that is temporary; true if it stands otherwise with it than it did.
    pub(super) fn poll_visit(&mut self) -> bool {
        self.learn_visited();
        let presence = self.presence();
        let Some(visited) = &mut self.visit else { return false };
        let news = visited.stood != presence;
        visited.stood = presence;
        let State::Inside { times, .. } = visited.visit.state() else {
            // What was known is of a game that is gone.
            (self.status, self.back) = (None, None);
            return news;
        };
        if std::mem::replace(&mut visited.entered, times) == times {
            return news;
        }
        // What was known is of a game that is gone.
        self.past = Recorder::new(&self.program, self.seed);
        self.past_most = PAST;
        (self.status, self.back, self.marked) = (None, None, None);
        self.kept = Kept::new(self.program.rate);
        self.history = History::default();
        for what in [InputKind::Tap { bus: self.measured }].into_iter().chain(self.only_inputs()) {
            let _ = self.remote.input(Input { frame: NOW, what });
        }
        true
    }
}
