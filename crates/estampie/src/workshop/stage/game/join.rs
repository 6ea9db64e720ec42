//! Joining a running game: its engine is heard and changed instead of the one here.

use super::App;
use crate::address;
use crate::workshop::app::Mode;
use crate::workshop::rehearsal::Presence;
use crate::workshop::text_field::TextField;
use crate::workshop::view::Ask;
use estampie_live::protocol::PORT;
use estampie_project::document::Refusal;
use std::net::{IpAddr, Ipv4Addr, SocketAddr};

/// Asks where the game is.
#[derive(Debug)]
struct JoinPrompt;

impl Ask for JoinPrompt {
    fn words(&self, _app: &App) -> String {
        "join the game at".into()
    }

    fn hint(&self, _app: &App) -> Option<String> {
        Some("a port or an address, and the token if the game shows one; it has to listen (docs/runtime.md). What plays here stops meanwhile".into())
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        let (at, token) = text.trim().split_once(char::is_whitespace).unwrap_or((text, ""));
        let at = address::parse(at, PORT)?;
        (app.game.join, app.game.token) = (Some(at), token.trim().to_owned());
        app.join(at).map_err(Refusal::from)
    }
}

impl App {
    pub(super) fn join_or_leave(&mut self) {
        if let Some(at) = self.rehearsal.visited() {
            self.rehearsal.end_visit();
            return self.say(format!("back here from the first frame; the game at {at} goes on with what it has"));
        }
        let at = self.game.join.unwrap_or(SocketAddr::new(IpAddr::V4(Ipv4Addr::LOCALHOST), PORT));
        self.mode = Mode::typing(JoinPrompt, TextField::offer(format!("{at} {}", self.game.token).trim_end()));
    }

    /// Joins a game.
    pub(crate) fn join(&mut self, at: SocketAddr) -> Result<(), String> {
        if self.rehearsal.recording() {
            return Err("something is being recorded: R ends that first".into());
        }
        self.rehearsal.visit(at, &self.game.token).map_err(|e| format!("no thread for it: {e}"))?;
        self.say(format!("joining the game at {at}; J comes back"));
        Ok(())
    }

    /// True, and says so, where something is not to be had while a game is joined.
    pub(crate) fn only_here(&mut self, what: &str) -> bool {
        let joined = self.rehearsal.visiting();
        if joined {
            self.alarm(format!("{what} is not to be had inside a running game: J on the Stage comes back first"));
        }
        joined
    }

    /// The lines of the page about the game that is joined: a sign, whether it needs attention, and the words.
    pub(super) fn presence_lines(&self) -> Vec<(&'static str, bool, String)> {
        let (Some(at), Some(presence)) = (self.rehearsal.visited(), self.rehearsal.presence()) else { return Vec::new() };
        match presence {
            Presence::Calls(why) => {
                vec![("○", true, format!("nothing is heard: {why} ({at}); it is tried again and again")), ("", false, "J comes back".into())]
            }
            Presence::Refused(why) => vec![("!", true, why), ("", false, format!("the game at {at}; J comes back"))],
            Presence::Inside { project, sources, up_to_date } => {
                let has = if up_to_date { "it has your last edit" } else { "your last edit is on its way" };
                let bundle = self.bundle_of_game(&sources);
                vec![
                    ("●", !up_to_date, format!("you hear {project} at {at}; {has}")),
                    ("", false, format!("{bundle}; J comes back, the game keeps what it has then")),
                ]
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::workshop::view_tests::Desk;
    use estampie_bundle::{Info, write};
    use estampie_engine::index::BusIndex;
    use std::sync::Arc;
    use std::sync::atomic::{AtomicBool, Ordering};
    use std::time::Duration;

    /// A game with the runtime that plays the desk's project, until it is dropped.
    struct Runs {
        port: u16,
        over: Arc<AtomicBool>,
        thread: Option<std::thread::JoinHandle<()>>,
    }

    impl Runs {
        fn of(desk: &Desk, port: u16) -> Runs {
            let mut bundle = std::io::Cursor::new(Vec::new());
            let info =
                Info { project: "The game's Slipway".into(), sources: "0123456789".into(), names: Vec::new(), parts: Vec::new(), storing: Default::default() };
            write(desk.app.program(), &info, &mut bundle).unwrap();
            let (mut player, mut control) = estampie_runtime::load_bytes(bundle.into_inner(), &estampie_runtime::Options::default()).unwrap();
            let port = control.listen(([127, 0, 0, 1], port).into()).unwrap().port();
            let over = Arc::new(AtomicBool::new(false));
            let ends = Arc::clone(&over);
            let thread = std::thread::spawn(move || {
                let (step, mut buffer) = (control.key("step"), [0.0f32; 2 * 480]);
                let mut count = 0;
                while !ends.load(Ordering::Relaxed) {
                    if count % 20 == 0 {
                        control.event(estampie_runtime::NOW, step, Some(estampie_runtime::Key::of("boot-of-the-game"))).unwrap();
                        control.key("boot-of-the-game");
                    }
                    count += 1;
                    player.render(&mut buffer);
                    while control.poll().is_some() {}
                    std::thread::sleep(Duration::from_millis(5));
                }
            });
            Runs { port, over, thread: Some(thread) }
        }
    }

    impl Drop for Runs {
        fn drop(&mut self) {
            self.over.store(true, Ordering::Relaxed);
            self.thread.take().unwrap().join().unwrap();
        }
    }

    fn loaded() -> Desk {
        let mut desk = Desk::new();
        desk.poll_until("the clock goes", |app| app.rehearsal.frame() > 0 && app.loading().is_none());
        desk
    }

    fn up_to_date(app: &App) -> bool {
        matches!(app.rehearsal.presence(), Some(Presence::Inside { up_to_date: true, .. }))
    }

    #[test]
    fn a_game_is_joined_heard_changed_and_left() {
        let mut desk = loaded();
        let game = Runs::of(&desk, 0);
        desk.keys("I");
        let page = desk.page();
        assert!(page.contains("J joins it: its engine is then what you hear") && page.contains("estampie game --live --bundle FILE"), "{page}");
        desk.keys("I");
        assert!(desk.page().contains("space freeze"));
        desk.keys("J");
        desk.type_text(&game.port.to_string());
        desk.keys("enter I");
        desk.poll_until("the game has what is here", up_to_date);
        let is_game = |app: &App| app.rehearsal.log.iter().any(|l| l.text.contains("step on boot-of-the-game"));
        desk.poll_until("what the game says is told, by its names", is_game);
        let page = desk.page();
        for words in [
            "you hear The game's Slipway at 127.0.0.1:",
            "it has your last edit",
            "its bundle is of another state of the project",
            "game ● up to date",
            "▶ in the game",
        ] {
            assert!(page.contains(words), "{words}:\n{page}");
        }
        assert!(!page.contains("J joins it"), "{page}");
        // An edit is heard there: the bus is as it was set, in the game's own status.
        desk.keys("5 e");
        desk.type_text("-7");
        desk.keys("enter");
        desk.poll_until("the game has the edit", |app| {
            up_to_date(app) && app.rehearsal.status.as_ref().is_some_and(|s| (s.buses[BusIndex::ROOT].level_db + 7.0).abs() < 0.1)
        });
        // So are mutes; and it is measured.
        desk.keys("m");
        desk.poll_until("it is muted", |app| app.rehearsal.status.as_ref().is_some_and(|s| s.buses[BusIndex::ROOT].muted));
        desk.keys("m");
        desk.poll_until("its output is measured", |app| app.rehearsal.player.loudness().output.true_peak > -60.0);
        assert!(desk.app.rehearsal.load() > 0.0);
        // What the game's clock does not allow is said.
        desk.keys("space");
        assert!(desk.page().contains("freezing is not to be had inside a running game"), "{}", desk.page());
        assert!(!desk.app.rehearsal.player.frozen());
        // What is said there is recorded from the present moment on, with what stands as its first lines; the game goes on.
        let began = desk.app.rehearsal.frame();
        desk.keys("1 R");
        assert!(desk.app.rehearsal.recording() && desk.page().contains("recording from this moment of the game"), "{}", desk.page());
        desk.keys("d");
        desk.poll_until("the event came", |app| app.rehearsal.log.iter().any(|l| l.text.starts_with("hull.struck") && l.frame > began));
        desk.keys("R");
        let text = desk.text("playthroughs/take-1.play");
        assert!(text.contains("send hull.struck") && text.contains(" end\n") && desk.app.rehearsal.now() > began, "{text}");
        desk.keys("u 5");
        desk.app.message = None;
        assert!(!desk.page().contains("space freeze"), "it is not offered: {}", desk.page());
        let there = desk.app.rehearsal.frame();
        desk.keys("1 J");
        assert!(desk.page().contains("back here from the first frame") && desk.app.rehearsal.presence().is_none());
        desk.poll_until("it plays here again", |app| app.rehearsal.frame() > 0 && app.rehearsal.frame() < there.max(48_000));
        assert!(!desk.page().contains("in the game"));
    }

    #[test]
    fn a_game_that_is_not_there_is_waited_for_and_one_that_comes_again_is_told_all() {
        let mut desk = loaded();
        let port = std::net::TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
        desk.app.join(([127, 0, 0, 1], port).into()).unwrap();
        desk.keys("I");
        desk.poll_until("nobody is there", |app| matches!(app.rehearsal.presence(), Some(Presence::Calls(why)) if why.contains("no game listens there")));
        assert!(desk.page().contains("nothing is heard: no game listens") && desk.page().contains("game ○ no answer"), "{}", desk.page());
        desk.poll_until("what was measured here is forgotten", |app| app.rehearsal.player.loudness().output.short_term == f64::NEG_INFINITY);
        assert!(desk.page().contains("○ nothing is heard   voices 0/256   ") && !desk.page().contains("LUFS"), "{}", desk.page());
        desk.keys("5 m");
        for _ in 0..2 {
            let game = Runs::of(&desk, port);
            desk.poll_until("it is muted there too", |app| up_to_date(app) && app.rehearsal.status.as_ref().is_some_and(|s| s.buses[BusIndex::ROOT].muted));
            drop(game);
            desk.poll_until("it has gone", |app| !up_to_date(app) && app.rehearsal.status.is_none());
        }
    }

    #[test]
    fn what_is_no_address_is_refused_with_what_to_write() {
        let mut desk = loaded();
        desk.keys("J");
        desk.type_text("the sea");
        desk.keys("enter");
        assert!(desk.page().contains("write a port, an address, or both, like 9461"), "{}", desk.page());
        assert!(!desk.app.rehearsal.visiting());
    }
}
