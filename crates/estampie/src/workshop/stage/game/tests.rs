//! The page of the running game as a value: datagrams and keys go in, the page and the files' texts come out.

use crate::workshop::view_tests::Desk;
use std::net::UdpSocket;

/// A desk that a game plays.
struct Played {
    desk: Desk,
    game: UdpSocket,
}

/// An argument of a message.
enum Argument {
    Text(&'static str),
    Owned(String),
    Number(f32),
}

use Argument::{Number, Text};

/// A packet of Open Sound Control, by hand: what is tested is what reads it.
fn packet(address: &str, arguments: &[Argument]) -> Vec<u8> {
    let padded = |text: &str| {
        let mut bytes = text.as_bytes().to_vec();
        bytes.push(0);
        bytes.resize(bytes.len().div_ceil(4) * 4, 0);
        bytes
    };
    let tags: String = arguments.iter().map(|a| if matches!(a, Number(_)) { 'f' } else { 's' }).collect();
    let mut bytes = padded(&format!("/estampie/{address}"));
    bytes.extend(padded(&format!(",{tags}")));
    for argument in arguments {
        match argument {
            Text(text) => bytes.extend(padded(text)),
            Argument::Owned(text) => bytes.extend(padded(text)),
            Number(number) => bytes.extend(number.to_be_bytes()),
        }
    }
    bytes
}

impl Played {
    fn new() -> Played {
        let desk = Desk::listening();
        let game = UdpSocket::bind("127.0.0.1:0").unwrap();
        game.connect(desk.app.rehearsal.link().unwrap().address()).unwrap();
        let mut played = Played { desk, game };
        played.desk.poll_until("the clock goes", |app| app.rehearsal.frame() > 0 && app.loading().is_none());
        played
    }

    fn send(&mut self, address: &str, arguments: &[Argument]) {
        self.game.send(&packet(address, arguments)).unwrap();
    }

    /// Sends, and waits until it does not fit.
    fn misfit(&mut self, address: &str, arguments: &[Argument]) {
        self.send(address, arguments);
        self.desk.poll_until("it does not fit", |app| !app.rehearsal.history.misfits.is_empty());
    }

    /// Does the fix that is so many to the right of the first.
    fn fix(&mut self, right: usize) {
        if !self.desk.app.game.shown {
            self.desk.keys("I");
        }
        (0..right).for_each(|_| self.desk.keys("right"));
        self.desk.keys("enter");
        assert!(self.desk.app.rehearsal.history.misfits.is_empty(), "{}", self.desk.page());
        assert!(self.desk.app.faults.is_empty(), "{:?}", self.desk.app.faults);
    }

    fn game_file(&self) -> String {
        self.desk.app.workspace.sources().get("game.toml").unwrap().to_string()
    }
}

#[test]
fn what_a_game_sends_is_on_the_page_and_heard() {
    let mut played = Played::new();
    played.send("hello", &[Text("Slipway Game")]);
    played.send("parameter", &[Text("depth"), Number(12.5)]);
    played.send("state", &[Text("watch"), Text("alarm")]);
    played.send("event", &[Text("step"), Text("Boot 1")]);
    played.send("emitter", &[Text("eel-1"), Text("eel"), Number(1.0), Number(2.0), Number(-3.0)]);
    played.send("evnt", &[Text("x")]);
    played.desk.poll_until("a step is heard", |app| app.rehearsal.history.heard.iter().any(|h| app.rehearsal.names.get(h.sound) == "steps/deck"));
    played.desk.poll_until("it is not understood", |app| app.rehearsal.link().unwrap().with_facts(|f| !f.not_understood.is_empty()));
    played.desk.keys("I");
    let page = played.desk.page();
    for words in [
        "Slipway Game",
        "12.5 m",
        "alarm",
        "on boot-1",
        "eel at 1.0, 2.0, −3.0",
        "unknown address /estampie/evnt; did you",
        "parameters: strain",
        "events: hull.struck",
        "game ●",
    ] {
        assert!(page.contains(words), "{words}: {page}");
    }
    assert!(!page.contains("Does not fit"), "{page}");
    // What came is chosen in the index by enter.
    played.desk.keys("down enter");
    assert_eq!(played.desk.app.selected_item().map(|i| format!("{i:?}")), Some("Event(1)".into()), "{}", played.desk.page());
}

#[test]
fn a_misspelt_event_is_one_of_ours_by_one_key_and_heard_from_then_on() {
    let mut played = Played::new();
    played.misfit("event", &[Text("steep")]);
    played.desk.keys("I");
    let page = played.desk.page();
    assert!(
        page.contains("unknown event steep ×1")
            && page.contains("▶ steep is step")
            && page.contains("declare the event steep")
            && page.contains("rename step to steep"),
        "{page}"
    );
    played.fix(0);
    assert!(played.game_file().contains("[from-game]\nsteep = \"step\""), "{}", played.game_file());
    played.send("event", &[Text("steep")]);
    played.desk.poll_until("a step is heard", |app| app.rehearsal.history.heard.iter().any(|h| app.rehearsal.names.get(h.sound) == "steps/deck"));
    assert!(played.desk.app.rehearsal.history.misfits.is_empty());
    played.desk.keys("u");
    assert!(!played.game_file().contains("steep"), "one undo");
}

#[test]
fn every_kind_of_misfit_has_its_fix() {
    let cases: [(&str, &[Argument], usize, &[&str]); 11] = [
        ("event", &[Text("HatchOpened")], 0, &["hatch-opened = \"sent by the game\"", "HatchOpened = \"hatch-opened\""]),
        ("event", &[Text("sonar.ping")], 0, &["\"sonar.ping\" = \"sent by the game\""]),
        ("event", &[Text("steep")], 2, &["steep = \"a foot\""]),
        ("parameter", &[Text("pressure"), Number(87.0)], 0, &["[parameters.pressure]\nrange = \"0..100\""]),
        ("parameter", &[Text("load"), Number(0.4), Text("winch")], 0, &["[parameters.load]\nrange = \"0..1\"\nof = \"each emitter\""]),
        ("state", &[Text("surface"), Text("Oak Floor")], 0, &["values = [\"oak-floor\"]", "\"Oak Floor\" = \"oak-floor\""]),
        ("state", &[Text("watch"), Text("calmer")], 0, &["calmer = \"calm\""]),
        ("state", &[Text("watch"), Text("calmer")], 1, &["values = [\"calm\", \"alarm\", \"calmer\"]"]),
        ("parameter", &[Text("depth"), Number(180.0)], 0, &["range = \"0..200 m\""]),
        ("parameter", &[Text("strain"), Number(240.0)], 0, &["range = \"0..1\"\nfrom-game = \"0..500\""]),
        ("parameter", &[Text("strain"), Number(0.5), Text("winch")], 0, &["of = \"each emitter\""]),
    ];
    let mut played = Played::new();
    let before = played.game_file();
    let struck = estampie_engine::names::NameKey::of("hull.struck");
    for (address, arguments, right, wanted) in cases {
        played.misfit(address, arguments);
        played.fix(right);
        let text = played.game_file();
        for wanted in wanted {
            assert!(text.contains(wanted), "{wanted}:\n{text}\n{}", played.desk.page());
        }
        // Sent again it fits: the event after it comes through, and nothing is told.
        played.send(address, arguments);
        played.send("event", &[Text("hull.struck")]);
        played.desk.app.rehearsal.history.events.clear();
        played.desk.poll_until("the next event comes", |app| app.rehearsal.history.events.contains_key(&struck));
        assert!(played.desk.app.rehearsal.history.misfits.is_empty(), "{}", played.desk.page());
        played.desk.keys("u");
        assert_eq!(played.game_file(), before, "one undo");
    }
}

#[test]
fn what_only_the_game_can_fix_says_so() {
    let mut played = Played::new();
    played.misfit("parameter", &[Text("strain"), Number(f32::NAN)]);
    played.desk.keys("I");
    assert!(
        played.desk.page().contains("strain was sent what is no number") && played.desk.page().contains("to be changed in the game"),
        "{}",
        played.desk.page()
    );
    played.desk.keys("enter");
    assert_eq!(played.desk.app.workspace.unsaved(), 0);
}

#[test]
fn a_flood_of_one_thing_is_one_line_of_the_log() {
    let mut played = Played::new();
    for n in 0..60u16 {
        played.send("event", &[Text("steep")]);
        played.send("parameter", &[Text("depth"), Number(f32::from(n) * 0.5)]);
        played.send("listener", &[Number(f32::from(n) * 0.1), Number(0.0), Number(0.0), Number(90.0)]);
    }
    let at_last = |app: &crate::workshop::app::App| app.rehearsal.history.misfits.values().any(|m| m.count == 60) && app.value(1) > 29.4;
    played.desk.poll_until("all have come", at_last);
    let log: Vec<String> = played.desk.app.rehearsal.log.iter().map(|l| l.text.clone()).collect();
    assert!(log.len() < 12, "{log:?}");
    assert!(log.iter().any(|l| l.contains("steep") && l.ends_with("×60")) && log.iter().any(|l| l.starts_with("depth is 29.5")), "{log:?}");
}

#[test]
fn a_fresh_start_keeps_what_the_game_has_set() {
    let mut played = Played::new();
    played.send("state", &[Text("watch"), Text("alarm")]);
    played.send("parameter", &[Text("depth"), Number(7.0)]);
    played.desk.poll_until("it has come", |app| app.state_value(0) == 1 && app.value(1) == 7.0);
    played.desk.app.rehearsal.restart();
    played.desk.poll_until("it is said again", |app| app.rehearsal.frame() > 0 && app.state_value(0) == 1 && app.value(1) == 7.0);
}

#[test]
fn listening_ends_and_begins_by_a_key_and_nobody_is_told_who_did_not_ask() {
    let mut played = Played::new();
    let address = played.desk.app.rehearsal.link().unwrap().address();
    played.desk.app.game.address = Some(address);
    played.desk.keys("O");
    assert!(played.desk.app.rehearsal.link().is_none());
    played.desk.keys("I");
    assert!(played.desk.page().contains("not listening; enter listens on 127.0.0.1:"), "{}", played.desk.page());
    played.desk.keys("enter");
    assert_eq!(played.desk.app.rehearsal.link().map(estampie_link::Link::address), Some(address));
    let page = played.desk.page();
    let try_it = format!("oscsend 127.0.0.1 {} /estampie/event s hull.struck", address.port());
    assert!(page.contains("nobody has sent yet") && page.contains("/estampie/parameter") && page.contains(&try_it), "{page}");
    // The misfit is told to whoever said hello, once.
    played.misfit("event", &[Text("steep")]);
    played.send("hello", &[Text("Slipway Game")]);
    played.send("event", &[Text("stop")]);
    played.game.set_read_timeout(Some(std::time::Duration::from_millis(20))).unwrap();
    let mut buffer = [0; 600];
    let mut heard = String::new();
    let begun = std::time::Instant::now();
    while !heard.contains("unknown event stop") {
        assert!(begun.elapsed().as_secs() < 30, "{heard}");
        played.desk.app.poll();
        if let Ok(length) = played.game.recv(&mut buffer) {
            heard.push_str(&String::from_utf8_lossy(&buffer[..length]));
        }
    }
    assert!(heard.contains("Slipway") && heard.contains("step?"), "greeted, and told with the nearest name: {heard}");
    assert!(!heard.contains("steep"), "that came before the hello: {heard}");
}

#[test]
fn what_comes_while_the_clock_stands_still_is_told_meanwhile() {
    let mut played = Played::new();
    played.desk.keys("I space");
    played.desk.poll_until("the link has been told", |app| app.rehearsal.player.frozen());
    // The link stands still from the next look on.
    let left_out = |app: &crate::workshop::app::App| app.rehearsal.link().unwrap().with_facts(|f| f.while_frozen);
    let begun = std::time::Instant::now();
    while left_out(&played.desk.app) == 0 {
        assert!(begun.elapsed().as_secs() < 30);
        played.send("event", &[Text("step")]);
        played.desk.app.poll();
        std::thread::sleep(std::time::Duration::from_millis(5));
    }
    // There is something to show, although the engine says nothing.
    played.desk.poll_until("it is shown", |_| true);
    let begun = std::time::Instant::now();
    while !played.desk.app.poll_game() {
        assert!(begun.elapsed().as_secs() < 30, "the page would stand still");
    }
    assert!(played.desk.page().contains("came while the clock stood still, and were left out"), "{}", played.desk.page());
}

#[test]
fn thousands_of_names_are_drawn_where_they_are_in_sight() {
    let mut played = Played::new();
    for n in 0..3000 {
        played.game.send(&packet("event", &[Argument::Owned(format!("e{n:04}"))])).unwrap();
        if n % 100 == 0 {
            std::thread::sleep(std::time::Duration::from_millis(2));
        }
    }
    played.desk.poll_until("many have come", |app| app.rehearsal.link().unwrap().with_facts(|f| f.messages == 3000));
    played.desk.keys("I end");
    let page = played.desk.page();
    assert!(page.contains("e2999") && !page.contains("e0000"), "{page}");
    let selected = played.desk.app.game.row;
    assert!(selected > 2500, "{selected}");
}

#[test]
fn what_a_game_sends_before_everything_is_loaded_is_heard_when_it_is() {
    let mut played = Played::new();
    played.desk.app.rehearsal.player.hold(true);
    played.desk.app.poll();
    played.send("event", &[Text("step")]);
    played.desk.poll_until("it has come", |app| app.rehearsal.link().is_some_and(|l| l.with_facts(|f| f.messages > 0)));
    let heard = |app: &crate::workshop::app::App| app.rehearsal.log.iter().any(|line| line.text.contains("plays step"));
    assert!(!heard(&played.desk.app));
    played.desk.app.rehearsal.player.hold(false);
    played.desk.poll_until("it is heard", heard);
}
