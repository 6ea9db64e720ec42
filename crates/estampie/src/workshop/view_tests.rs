//! The views as values: keys and clicks go in, edits and the drawn page come out; no terminal, no device, no waiting.

use super::app::App;
use super::screen;
use super::view::VIEWS;
use super::{Options, keys};
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use ratatui::crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers, MouseButton, MouseEvent, MouseEventKind};
use std::path::{Path, PathBuf};

/// A workshop on a small project of its own.
pub(crate) struct Desk {
    pub(crate) app: App,
    folder: tempfile::TempDir,
    pub(crate) size: (u16, u16),
}

const FILES: [(&str, &str); 7] = [
    ("estampie.toml", "format = 1\nname = \"Slipway\"\n"),
    (
        "game.toml",
        "[parameters.strain]\nrange = \"0..1\"\n[parameters.depth]\nrange = \"0..40\"\nunit = \"m\"\n[states.watch]\nvalues = [\"calm\", \"alarm\"]\n[events]\n\"hull.struck\" = \"the hull is struck\"\nstep = \"a foot\"\n",
    ),
    ("reactions.est", "# the hull\nWhen hull.struck and strain over 0.5\n  play hull/groan\n\nWhen step\n  play steps/deck\n"),
    ("modulation.toml", "[[modulation]]\nfrom = \"strain\"\nmoves = \"hull/groan level\"\ncurve = [\"0: -12 dB\", \"1: 0 dB\"]\n"),
    (
        "sounds/all.toml",
        "[\"hull/groan\"]\nbus = \"hull\"\nlevel = \"-6 dB\"\ntakes = [\"audio/a.wav\", \"audio/b.wav\"]\n[\"steps/deck\"]\nbus = \"steps\"\ntakes = [\"audio/b.wav\"]\n",
    ),
    (
        "mix.toml",
        "[buses.hull]\nlevel = \"-3 dB\"\nsend = { nave = \"-12 dB\" }\n[buses.steps]\n[buses.nave]\nreturn = true\n[buses.nave.effect.reverb]\nwet = \"100 %\"\n[snapshots.quiet]\n[snapshots.quiet.hold]\n\"bus steps level\" = \"by -9 dB\"\n",
    ),
    (
        "music/deck.toml",
        "[piece.deck]\ntempo = \"120\"\n[piece.deck.section.low]\nbars = 2\n[piece.deck.section.low.layer.drum]\nfile = \"audio/a.wav\"\n[piece.deck.section.high]\nbars = 2\n[piece.deck.section.high.layer.drum]\nfile = \"audio/b.wav\"\n[[piece.deck.transition]]\nfrom = \"low\"\nto = \"high\"\nleave = \"next bar\"\n",
    ),
];

impl Desk {
    pub(crate) fn new() -> Desk {
        Desk::with(|_| ())
    }

    /// A desk that listens to a running game, on any port that is free.
    pub(crate) fn listening() -> Desk {
        Desk::opened(|_| (), Some("127.0.0.1:0".parse().unwrap()))
    }

    /// A desk with a folder to which something is done before it is opened.
    pub(crate) fn with(change: impl Fn(&Path)) -> Desk {
        Desk::opened(change, None)
    }

    fn opened(change: impl Fn(&Path), listen: Option<std::net::SocketAddr>) -> Desk {
        let folder = tempfile::tempdir().unwrap();
        for (name, text) in FILES {
            let path = folder.path().join(name);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, text).unwrap();
        }
        std::fs::create_dir_all(folder.path().join("audio")).unwrap();
        for name in ["a", "b"] {
            let spec = hound::WavSpec { channels: 1, sample_rate: 48_000, bits_per_sample: 16, sample_format: hound::SampleFormat::Int };
            let mut wave = hound::WavWriter::create(folder.path().join(format!("audio/{name}.wav")), spec).unwrap();
            (0..4_800).for_each(|i| wave.write_sample(((f64::from(i) * 0.1).sin() * 9_000.0) as i16).unwrap());
            wave.finalize().unwrap();
        }
        change(folder.path());
        let options = Options {
            device: Some("none".into()),
            midi: crate::midi::Wanted::Nothing,
            buffer_ms: 30,
            light: false,
            reduced_motion: false,
            keys: Vec::new(),
            wrong: Vec::new(),
            listen,
            join: None,
            token: String::new(),
            allow: Vec::new(),
            patient: false,
            state: None,
            cache: None,
        };
        let mut app = App::open(folder.path(), &options).unwrap();
        // Whatever the machine does meanwhile, what is pressed has been done.
        app.compiling.long = std::time::Duration::MAX;
        assert!(app.faults.is_empty(), "{:?}", app.faults);
        let mut desk = Desk { app, folder, size: (160, 47) };
        desk.draw();
        desk
    }

    /// Draws the page, so that clicks know what lies where; gives its rows.
    fn draw(&mut self) -> Vec<String> {
        self.app.fits = screen::fits(self.size.0, self.size.1);
        let mut terminal = Terminal::new(TestBackend::new(self.size.0, self.size.1)).unwrap();
        let mut targets = Vec::new();
        terminal.draw(|frame| targets = screen::draw(&self.app, frame)).unwrap();
        self.app.targets = targets;
        let buffer = terminal.backend().buffer().clone();
        (0..self.size.1).map(|y| (0..self.size.0).map(|x| buffer[(x, y)].symbol()).collect()).collect()
    }

    pub(crate) fn page(&mut self) -> String {
        self.draw().join("\n")
    }

    /// Presses keys, by the names that the tables have, with spaces between.
    pub(crate) fn keys(&mut self, names: &str) {
        for name in names.split(' ') {
            let (control, rest) = name.strip_prefix("ctrl-").map_or((false, name), |rest| (true, rest));
            let (shift, rest) = rest.strip_prefix("shift-").map_or((false, rest), |rest| (true, rest));
            let code = match rest {
                "enter" => KeyCode::Enter,
                "esc" => KeyCode::Esc,
                "tab" => KeyCode::Tab,
                "backtab" => KeyCode::BackTab,
                "up" => KeyCode::Up,
                "down" => KeyCode::Down,
                "left" => KeyCode::Left,
                "right" => KeyCode::Right,
                "home" => KeyCode::Home,
                "end" => KeyCode::End,
                "page-up" => KeyCode::PageUp,
                "page-down" => KeyCode::PageDown,
                "space" => KeyCode::Char(' '),
                "backspace" => KeyCode::Backspace,
                "delete" => KeyCode::Delete,
                "f1" => KeyCode::F(1),
                "f2" => KeyCode::F(2),
                one => KeyCode::Char(one.chars().next().unwrap()),
            };
            let mut modifiers = KeyModifiers::NONE;
            modifiers.set(KeyModifiers::CONTROL, control);
            modifiers.set(KeyModifiers::SHIFT, shift);
            self.app.event(&Event::Key(KeyEvent::new(code, modifiers)));
            self.draw();
        }
    }

    /// Lets the workshop go on until something is so.
    pub(crate) fn poll_until(&mut self, what: &str, so: impl Fn(&App) -> bool) {
        let begun = std::time::Instant::now();
        while !so(&self.app) {
            self.app.poll();
            assert!(begun.elapsed().as_secs() < 240, "{what} never is so");
            std::thread::sleep(std::time::Duration::from_millis(5));
        }
    }

    /// Types text.
    pub(crate) fn type_text(&mut self, text: &str) {
        for c in text.chars() {
            self.app.event(&Event::Key(KeyEvent::new(KeyCode::Char(c), KeyModifiers::NONE)));
        }
        self.draw();
    }

    /// Clicks on the first place where some words stand.
    pub(crate) fn click(&mut self, words: &str) {
        let rows = self.draw();
        let found = rows.iter().enumerate().find_map(|(y, row)| row.find(words).map(|at| (row[..at].chars().count() as u16, y as u16)));
        let (column, row) = found.unwrap_or_else(|| panic!("{words} is not on the page:\n{}", rows.join("\n")));
        for kind in [MouseEventKind::Down(MouseButton::Left), MouseEventKind::Up(MouseButton::Left)] {
            self.app.event(&Event::Mouse(MouseEvent { kind, column, row, modifiers: KeyModifiers::NONE }));
        }
        self.draw();
    }

    /// A file of the project as it is edited, saved or not.
    pub(crate) fn text(&self, file: &str) -> String {
        self.app.workspace.sources().get(file).map_or_else(String::new, std::string::ToString::to_string)
    }

    pub(crate) fn path(&self, file: &str) -> PathBuf {
        self.folder.path().join(file)
    }
}

#[test]
fn each_view_is_opened_by_its_key_by_a_click_and_from_the_finder() {
    let mut desk = Desk::new();
    for view in VIEWS {
        desk.keys(&view.face().key.to_string());
        assert!(desk.app.shows(view.face().name));
        let page = desk.page();
        assert!(page.contains('¶'), "{} draws something: {page}", view.face().name);
        desk.keys("1");
        desk.click(&format!("{} {}", view.face().key, view.face().name));
        assert!(desk.app.shows(view.face().name));
        desk.keys("1 :");
        desk.type_text(&format!("view {}", view.face().name));
        desk.keys("enter");
        assert!(desk.app.shows(view.face().name), "{}", view.face().name);
    }
}

#[test]
fn the_help_of_each_view_tells_all_its_keys() {
    let mut desk = Desk::new();
    desk.size = (250, 90);
    for view in VIEWS {
        desk.keys(&format!("{} ?", view.face().key));
        let page = desk.page();
        for binding in view.face().keys {
            let first = binding.words.split(' ').take(3).collect::<Vec<_>>().join(" ");
            assert!(page.contains(&first), "{}: {} in {page}", view.face().name, binding.words);
        }
        desk.keys("esc");
    }
}

#[test]
fn no_key_of_any_view_panics_whatever_its_size() {
    let mut desk = Desk::new();
    for size in [(160, 47), (100, 30), (80, 24), (20, 5), (240, 70)] {
        desk.size = size;
        for view in VIEWS {
            for binding in view.face().keys.iter().chain(keys::KEYS) {
                if matches!(binding.does, keys::Do::Quit | keys::Do::Record) {
                    continue;
                }
                desk.keys("esc esc");
                desk.keys(&view.face().key.to_string());
                desk.keys(binding.keys[0]);
                assert!(!desk.page().is_empty());
            }
        }
    }
    assert!(!desk.app.quit);
}

#[test]
fn what_is_wrong_with_a_typed_value_is_told_until_it_is_right_or_given_up() {
    let mut desk = Desk::new();
    desk.keys("3 tab tab");
    for end in ["enter", "esc"] {
        // From the first field to the one that is a share.
        desk.keys("home down down down down down e");
        assert!(desk.page().contains("width of hull/groan"), "{}", desk.page());
        desk.keys("ctrl-u");
        desk.type_text("300");
        desk.keys("enter");
        assert!(desk.page().contains("300 is too much; write 0 % to 200 %"), "{}", desk.page());
        desk.keys("backspace backspace backspace");
        desk.type_text("50");
        assert!(desk.page().contains("300 is too much"), "it can be read while it is mended");
        desk.keys(end);
        assert!(!desk.page().contains("too much"), "{}", desk.page());
    }
    assert!(desk.text("sounds/all.toml").contains("width = \"50"));
}

#[test]
fn the_map_says_what_its_signs_mean() {
    let mut desk = Desk::new();
    desk.app.workspace.replace("a world", "world.toml", "[emitters.boiler]\nat = \"1, 2\"\n[zones.quay]\nat = \"0, 0\"\nradius = \"9 m\"\n");
    desk.app.compile();
    desk.keys("1");
    if !desk.page().contains("Nothing chosen") {
        desk.keys("M");
    }
    for size in [(160, 47), (200, 60)] {
        desk.size = size;
        let page = desk.page();
        for words in ["Nothing chosen", "▲ you", "◆ loud", "▪ soft", "◇ silent", "⠒⠒ zone", "⠒⠒ wall", "⠒⠒ doorway", "⠒⠒ trail, path, area"]
        {
            assert!(page.contains(words), "{words}: {page}");
        }
    }
}

#[test]
fn a_narrow_page_shows_the_columns_that_go_with_the_keys() {
    let mut desk = Desk::new();
    desk.size = (80, 24);
    // For each view: what stands on its page, and what does not, at first and after each `tab`.
    let views = [
        ("1", [("Parameters", "Sounding"), ("Sounding", "Parameters")].as_slice()),
        ("2", &[("The game tells us", "What would happen"), ("hull.struck an event", "The game tells us")]),
        ("3", &[("Sounds 2", "pick-every"), ("Varies each time", "Sounds 2"), ("vary", "The last 20 together")]),
        ("4", &[("Pieces", "Heard lately"), ("drum", "Transitions"), ("Transitions", "Pieces")]),
        ("5", &[("pan, effects", "sends to"), ("sends to", "pan, effects"), ("snapshots hold", "sends to")]),
    ];
    for (view, pages) in views {
        desk.keys(view);
        for (at, (stands, away)) in pages.iter().enumerate() {
            let page = desk.page();
            assert!(page.contains(stands), "{view} after {at}: {stands} in {page}");
            assert!(at == 0 && view == "3" || !page.contains(away), "{view} after {at}: no {away} in {page}");
            assert!(page.contains("● saved"), "{page}");
            desk.keys("tab");
        }
        desk.keys("esc");
    }
    // What is not in sight cannot be clicked: no target lies beyond the page that the mouse can reach.
    desk.keys("3");
    let hidden = desk.app.targets.iter().filter(|(area, _)| area.x >= 80).count();
    let reached = desk.app.targets.iter().filter(|(area, _)| area.x < 80 && area.right() > 80).count();
    assert_eq!(reached, 0, "{hidden} lie beyond the page");
    // One column or one row less is too small, and says so.
    for size in [(79, 24), (80, 23)] {
        desk.size = size;
        assert!(desk.page().contains("make the window 80 × 24 or larger"), "{}", desk.page());
    }
    // As soon as there is room again keys count, whatever is drawn by then.
    desk.app.fits = false;
    desk.keys("4");
    assert!(desk.app.view().face().name != "Music");
    desk.app.event(&Event::Resize(80, 24));
    desk.keys("4");
    assert_eq!(desk.app.view().face().name, "Music");
    // The keys are with the effects of the bus now; a step back all buses have room on the low page.
    desk.size = (80, 24);
    assert!(desk.page().len() > 80);
    desk.keys("5");
    assert!(desk.page().contains("On main") && !desk.page().contains("steps"), "{}", desk.page());
    desk.app.mix.focus = super::mix::Focus::Levels;
    assert!(["hull", "steps", "nave"].iter().all(|bus| desk.page().contains(bus)), "{}", desk.page());
}

#[test]
fn what_explains_a_prompt_is_never_cut() {
    let mut desk = Desk::new();
    desk.size = (100, 30);
    desk.keys("1 / b e l l enter esc");
    // The letters that are free are more than have room beside the question.
    desk.app.select(super::stage::Item::Event(0));
    desk.keys("e");
    let page = desk.page();
    assert!(page.contains("left empty, in the order of the events"), "{page}");
    desk.type_text("?");
    desk.keys("enter");
    assert!(desk.page().contains("no letter that is free here"), "{}", desk.page());
    // With an offer both are there: what can be taken, and what explains.
    desk.keys("esc 3 tab tab tab");
    desk.app.sounds.column = super::sounds::Column::Settings;
    let fields = desk.app.fields();
    desk.app.sounds.field = fields.iter().position(|f| f.key == "bus").unwrap();
    desk.keys("e ctrl-u");
    desk.type_text("st");
    let page = desk.page();
    assert!(page.contains("tab: steps") && page.contains("where it goes"), "{page}");
}

#[test]
fn a_key_that_stands_for_another_does_what_that_one_does_and_is_shown() {
    let mut desk = Desk::new();
    desk.app.keys = [("ctrl-y".to_owned(), "u".to_owned())].into();
    desk.keys("3 l");
    assert_eq!(desk.app.workspace.edits(), 1, "a level was moved");
    desk.size = (300, 47);
    desk.app.message = None;
    assert!(desk.page().contains(" ctrl-y undo"), "{}", desk.page());
    desk.keys("ctrl-y");
    assert_eq!(desk.app.workspace.edits(), 0);
    // The key itself stays, and so does what is typed.
    desk.keys("l u");
    assert_eq!(desk.app.workspace.edits(), 0);
    desk.app.keys = [("x".to_owned(), "u".to_owned())].into();
    desk.keys("l : x");
    assert_eq!((desk.app.workspace.edits(), matches!(desk.app.mode, super::app::Mode::Finder { .. })), (1, true));
}
