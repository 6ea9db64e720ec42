//! The views as values: keys and clicks go in, edits and the drawn page come out; no terminal, no device, no waiting.

use super::app::App;
use super::screen;
use super::view::VIEWS;
use super::{Options, keys};
use estampie_engine::names::NameKey;
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
fn on_the_stage_a_parameter_is_moved_typed_and_put_back() {
    let mut desk = Desk::new();
    assert!(desk.page().contains("strain"));
    desk.keys("e");
    assert!(desk.page().contains("strain is"));
    desk.type_text("2");
    desk.keys("enter");
    assert!(desk.page().contains("strain goes from 0 to 1"), "what cannot be is told: {}", desk.page());
    desk.keys("backspace");
    desk.type_text("0.5");
    desk.keys("enter");
    assert!(!desk.page().contains("strain is"));
    // Below it lie states and events.
    desk.keys("down down");
    assert!(matches!(desk.app.selected_item(), Some(super::stage::Item::State(0))));
    desk.keys("end home");
    assert!(matches!(desk.app.selected_item(), Some(super::stage::Item::Parameter(0))));
    assert_eq!(desk.app.workspace.unsaved(), 0, "nothing here is an edit");
}

#[test]
fn in_wiring_a_reaction_is_written_moved_switched_off_and_taken_out() {
    let mut desk = Desk::new();
    desk.keys("2 tab");
    desk.keys("n");
    desk.type_text("When step");
    desk.keys("enter");
    desk.type_text("set strain to 1");
    desk.keys("enter esc");
    assert!(desk.text("reactions.est").contains("When step\n  set strain to 1"), "{}", desk.text("reactions.est"));
    desk.keys("O");
    let off = desk.text("reactions.est");
    desk.keys("O");
    assert_ne!(off, desk.text("reactions.est"));
    desk.keys("u");
    assert_eq!(off, desk.text("reactions.est"), "each is an edit that is undone by itself");
    for _ in 0..8 {
        desk.keys("u");
    }
    assert_eq!(desk.app.workspace.unsaved(), 0);
}

#[test]
fn in_sounds_fields_are_typed_for_all_that_are_marked_and_saved() {
    let mut desk = Desk::new();
    desk.keys("3");
    desk.click("groan");
    desk.keys("x down x");
    desk.click("level");
    desk.keys("e");
    let page = desk.page();
    assert!(page.contains("level of 2 sounds") && page.contains("its level: −120 to 24 dB; 0 dB if unsaid"), "{page}");
    desk.type_text("-9 dB");
    desk.keys("enter");
    let text = desk.text("sounds/all.toml");
    assert_eq!(text.matches("level = \"-9 dB\"").count(), 2, "{text}");
    assert!(desk.page().contains("1 unsaved"));
    desk.keys("ctrl-s");
    assert!(desk.page().contains("● saved"));
    assert_eq!(std::fs::read_to_string(desk.path("sounds/all.toml")).unwrap(), text);
}

#[test]
fn in_sounds_the_filter_works_while_it_is_typed_and_esc_shows_all() {
    let mut desk = Desk::new();
    desk.keys("3 /");
    desk.type_text("gro");
    let page = desk.page();
    assert!(page.contains("groan") && !page.contains("deck"), "{page}");
    desk.keys("esc");
    assert!(desk.page().contains("deck"));
}

#[test]
fn in_sounds_a_sound_is_renamed_wherever_it_is_named() {
    let mut desk = Desk::new();
    desk.keys("3");
    desk.click("groan");
    desk.keys("r");
    for _ in 0.."hull/groan".len() {
        desk.keys("backspace");
    }
    desk.type_text("hull/moan");
    desk.keys("enter");
    assert!(desk.text("reactions.est").contains("play hull/moan") && desk.text("modulation.toml").contains("hull/moan level"));
    desk.keys("u");
    assert!(desk.text("reactions.est").contains("play hull/groan") && desk.text("modulation.toml").contains("hull/groan level"), "one undo takes all back");
}

#[test]
fn in_music_a_field_of_a_transition_is_typed() {
    let mut desk = Desk::new();
    desk.keys("4 tab tab tab");
    assert!(desk.page().contains("¶ low ⟶ high"), "{}", desk.page());
    desk.click("fade-out");
    desk.keys("e");
    let page = desk.page();
    assert!(page.contains("low ⟶ high, fade-out:") && page.contains("how the old section goes"), "{page}");
    desk.type_text("1 beat");
    desk.keys("enter");
    assert!(desk.text("music/deck.toml").contains("fade-out = \"1 beat\""), "{}", desk.text("music/deck.toml"));
}

#[test]
fn in_the_mix_levels_sends_effects_and_snapshots_are_edited() {
    let mut desk = Desk::new();
    desk.keys("5");
    desk.click("hull");
    desk.keys("left left");
    assert!(desk.text("mix.toml").contains("level = \"-4 dB\""), "{}", desk.text("mix.toml"));
    desk.keys("e");
    desk.type_text("-7.5 dB");
    desk.keys("enter");
    assert!(desk.text("mix.toml").contains("level = \"-7.5 dB\""));
    desk.keys("i");
    assert!(desk.page().contains("new effect on hull:"));
    desk.type_text("compr");
    assert!(desk.page().contains("tab: compressor"), "{}", desk.page());
    desk.keys("tab enter");
    assert!(desk.text("mix.toml").contains("[buses.hull.effect.compressor]"), "{}", desk.text("mix.toml"));
    desk.keys("S");
    desk.type_text("loud");
    desk.keys("enter");
    assert!(desk.text("mix.toml").contains("[snapshots.loud]"));
    desk.keys("s");
    assert!(desk.page().contains("temporary:") || desk.page().contains("(temporary)"));
    desk.keys("\\");
    assert!(desk.page().contains("nothing is temporary any more"));
}

#[test]
fn what_is_soloed_at_an_emitter_and_the_headphones_are_temporary_and_end_together() {
    let mut desk = Desk::new();
    desk.keys("E");
    assert!(desk.page().contains("temporary:"), "the status line tells it: {}", desk.page());
    desk.keys("\\");
    assert!(!desk.page().contains("temporary:"), "{}", desk.page());
    assert!(desk.app.rehearsal.only.head.is_none());
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
fn in_the_trace_what_happened_is_filtered_chosen_and_followed_to_its_sound() {
    let mut desk = Desk::new();
    desk.keys("6");
    assert!(desk.page().contains("¶ What happened 0 lines"), "{}", desk.page());
    desk.app.rehearsal.note_for_tests(&["plays hull/groan", "plays steps/deck", "steps/deck refused: 1 is the limit"]);
    let page = desk.page();
    assert!(page.contains("¶ What happened 3 lines, newest first") && page.contains("plays steps/deck"), "{page}");
    desk.keys("x");
    assert!(desk.page().contains("1 of 3 refused or at fault") && !desk.page().contains("plays hull/groan"), "{}", desk.page());
    desk.keys("x /");
    desk.type_text("groan");
    assert!(desk.page().contains("1 of 3 with \"groan\""));
    desk.keys("enter enter");
    assert!(desk.app.shows("Sounds") && desk.app.sounds.selected == "hull/groan");
    desk.keys("6 esc home end");
    assert!(desk.page().contains("3 lines"));
    desk.click("plays steps/deck");
    assert!(desk.app.shows("Trace"), "the first click only chooses");
    // What comes afterwards does not move the choice, and solo and mute are for its sound.
    desk.app.rehearsal.note_for_tests(&["plays hull/groan", "plays hull/groan"]);
    desk.keys("m");
    assert!(desk.app.rehearsal.only.muted_sounds.contains(&NameKey::of("steps/deck")), "{}", desk.page());
    desk.keys("m home s");
    let only = &desk.app.rehearsal.only;
    assert!(only.muted_sounds.is_empty() && only.soloed_sounds.contains(&NameKey::of("hull/groan")), "{}", desk.page());
    desk.keys("s down down down");
    desk.click("plays steps/deck");
    assert!(desk.app.shows("Sounds") && desk.app.sounds.selected == "steps/deck");
}

#[test]
fn the_past_is_looked_at_explained_kept_and_left_again() {
    let mut desk = Desk::new();
    desk.poll_until("the clock goes", |app| app.rehearsal.frame() > 0 && app.loading().is_none());
    let depth = desk.app.document().parameters.iter().position(|p| p.name == "depth").unwrap_or(0);
    let name = desk.app.document().parameters[depth].name.clone();
    let first = desk.app.value(depth);
    desk.keys("1 f");
    desk.poll_until("it sounds", |app| !app.sounding().is_empty() && app.rehearsal.kept().bars(0, u64::MAX).next().is_some());
    let began = desk.app.rehearsal.kept().bars(0, u64::MAX).next().unwrap().start;
    desk.poll_until("time goes by", |app| app.rehearsal.now() > began + 48_000);
    desk.app.set_parameter(depth, desk.app.document().parameters[depth].high);
    desk.poll_until("it has moved", |app| app.value(depth) != first);
    // Its lane, half a second back: the value is what it was, the clock says so, and what plays goes on.
    desk.keys("6 tab end left left left left left");
    let (looked, now) = (desk.app.rehearsal.back().unwrap(), desk.app.rehearsal.now());
    assert!(looked < now && desk.app.value(depth) == first, "{name}: {}", desk.app.value(depth));
    assert!(desk.page().contains("looked at,") && desk.page().contains("ago (esc: now)"), "{}", desk.page());
    desk.poll_until("what plays goes on", |app| app.rehearsal.now() > now + 4_800);
    assert_eq!((desk.app.rehearsal.frame(), desk.app.value(depth)), (looked, first));
    // The other views show that moment too; who plays is in the present again.
    desk.keys("5");
    let page = desk.page();
    assert!(page.contains("looked at,") && page.contains("¶ Loudness then") && page.contains("the rest is measured of the present alone"), "{page}");
    desk.keys("1 f");
    assert!(desk.app.rehearsal.back().is_none() && desk.app.value(depth) != first);
    // What was that: the lane of the sound, just after it began, with its reasons.
    desk.poll_until("it sounds again", |app| app.rehearsal.kept().bars(0, u64::MAX).count() > 1 && app.sounding().iter().any(|v| v.heard_db > -60.0));
    desk.keys("ctrl-w");
    let page = desk.page();
    assert!(desk.app.shows("Trace") && page.contains("that was steps/deck") && page.contains("¶ Why steps/deck"), "{page}");
    assert!(desk.app.rehearsal.back().is_some());
    desk.keys("w");
    assert!(desk.app.shows("Stage") && desk.page().contains("¶ Why steps/deck"), "{}", desk.page());
    // Folded and unfolded, zoomed, and only what has to do with it.
    desk.keys("6 o");
    assert!(desk.page().contains("only what has to do with steps/deck") && !desk.page().contains("watch "), "{}", desk.page());
    desk.keys("o + + +");
    assert!(desk.page().contains("3 s in sight") || desk.page().contains("2 s in sight"), "{}", desk.page());
    desk.click("▼ Sounds");
    assert!(desk.page().contains("▶ Sounds"), "{}", desk.page());
    desk.keys("enter");
    assert!(desk.page().contains("▼ Sounds"));
    // Kept from the very beginning, and exactly.
    desk.keys("home p ctrl-u");
    desk.type_text("kept");
    desk.keys("enter");
    let text = desk.text("playthroughs/kept.play");
    assert!(text.starts_with("seed 1\n") && text.matches("send step").count() == 2 && text.contains(" end\n"), "{text}");
    desk.keys("P");
    desk.type_text("x");
    desk.keys("enter");
    assert!(desk.text("playthroughs/take-1x.play").contains("\nfrom "), "{}", desk.text("playthroughs/take-1x.play"));
    desk.keys("esc");
    assert!(desk.app.rehearsal.back().is_none());
    // An event that led to nothing: why, with the value as it was then.
    desk.keys("1 d 6 tab");
    desk.poll_until("it came", |app| app.rehearsal.log.iter().any(|l| l.text.starts_with("hull.struck")));
    desk.keys("home");
    let page = desk.page();
    assert!(page.contains("¶ What hull.struck led to") && page.contains("✗ When hull.struck and strain over 0.5"), "{page}");
    assert!(page.contains("no: strain 0 is not over 0.5"), "{page}");
}

#[test]
fn two_runs_are_drawn_above_each_other_and_what_differs_is_told() {
    let mut desk = Desk::new();
    desk.app.workspace.replace("a walk", "playthroughs/walk.play", "seed 1\n0.5 send step\n1 send step\n30 end\n");
    desk.app.compile();
    desk.poll_until("the clock goes", |app| app.rehearsal.frame() > 0 && app.loading().is_none());
    desk.keys("6 c");
    assert!(desk.page().contains("there is no run before this one"), "{}", desk.page());
    desk.keys("9 enter");
    desk.poll_until("it has been heard", |app| app.rehearsal.replay.is_some() && app.rehearsal.frame() > 72_000);
    let sounds = desk.text("sounds/all.toml").replace("[\"steps/deck\"]\n", "[\"steps/deck\"]\nlevel = \"-9 dB\"\n");
    desk.app.workspace.replace("softer", "sounds/all.toml", &sounds);
    desk.app.compile();
    desk.keys("9 enter");
    desk.poll_until("it is heard again", |app| app.rehearsal.frame() > 60_000 && app.rehearsal.frame() < 72_000 * 20);
    desk.keys("6 tab c");
    desk.poll_until("it is compared", |app| app.trace_says("is 9.0 dB softer"));
    let page = desk.page();
    assert!(page.contains("¶ Before, and now") && page.contains("steps/deck is 9.0 dB softer") && page.contains('░'), "{page}");
    desk.keys("c");
    assert!(desk.page().contains("¶ What happened") && !desk.page().contains('░'));
}

#[test]
fn what_a_line_of_the_trace_says_becomes_an_expectation_of_what_is_replayed() {
    let mut desk = Desk::new();
    desk.app.workspace.replace("a walk", "playthroughs/walk.play", "seed 1\n0.5 send step\n30 end\n");
    desk.app.compile();
    desk.keys("6");
    desk.app.rehearsal.note_for_tests(&["plays steps/deck"]);
    desk.keys("e");
    assert!(desk.page().contains("replay a playthrough first"), "{}", desk.page());
    desk.keys("9 enter");
    desk.poll_until("it is heard", |app| app.rehearsal.log.iter().any(|l| l.text.contains("steps/deck")));
    desk.keys("6 space /");
    desk.type_text("steps/deck");
    desk.keys("enter e");
    assert!(desk.page().contains("0.5 expect steps/deck heard within 0.1 s"), "{}", desk.page());
    desk.keys("enter");
    assert!(desk.page().contains("it is in the playthrough walk now: 9 shows it"), "{}", desk.page());
    assert!(desk.text("playthroughs/walk.play").contains("0.5       expect steps/deck heard within 0.1 s\n"), "{}", desk.text("playthroughs/walk.play"));
    desk.keys("9");
    desk.poll_until("it is kept", |app| app.standing(0) == super::checks::Standing::Kept(1));
}

#[test]
fn what_is_said_meanwhile_does_not_hide_what_a_question_can_be_answered_by() {
    let mut desk = Desk::new();
    desk.keys("5 left");
    let theirs = desk.text("mix.toml").replacen("-3 dB", "-9 dB", 1);
    std::fs::write(desk.path("mix.toml"), theirs).unwrap();
    desk.app.alarm("changed here and by somebody else; ctrl-s asks");
    desk.keys("ctrl-s");
    let page = desk.page();
    assert!(page.contains("keep theirs") && !page.contains("ctrl-s asks"), "it has been asked: {page}");
    for width in [100, 160] {
        desk.size = (width, 30);
        desk.app.alarm("the disk is full");
        let page = desk.page();
        assert!(page.contains("the disk is full") && page.contains("keep mine") && page.contains("keep theirs"), "{page}");
    }
    desk.keys("m");
    assert!(desk.page().contains("the other version is kept as mix.toml.theirs"), "{}", desk.page());
}

#[test]
fn transitions_are_not_judged_by_audio_that_is_not_there_yet() {
    let mut desk = Desk::new();
    // Nothing is taken in before it is asked for.
    desk.keys("4 p");
    assert!(desk.page().contains("the audio is still being loaded, 0 of 2 files") && !desk.page().contains("Every transition"), "{}", desk.page());
    desk.poll_until("all is loaded", |app| app.loading().is_none());
    desk.keys("p");
    assert!(desk.page().contains("Every transition"), "{}", desk.page());
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

/// Eleven seconds as 32-bit floats, with one sample that may be no number.
fn long_wave(path: &std::path::Path, odd: Option<usize>) {
    let spec = hound::WavSpec { channels: 1, sample_rate: 48_000, bits_per_sample: 32, sample_format: hound::SampleFormat::Float };
    let mut wave = hound::WavWriter::create(path, spec).unwrap();
    for i in 0..528_000usize {
        let sample = if odd == Some(i) { f32::NAN } else { 0.25 * (i as f32 * 0.05).sin() };
        wave.write_sample(sample).unwrap();
    }
    wave.finalize().unwrap();
}

#[test]
fn a_long_file_is_read_while_it_plays_and_what_is_broken_behind_its_head_is_a_fault_once_it_is_measured() {
    let mut desk = Desk::with(|folder| long_wave(&folder.join("audio/a.wav"), None));
    desk.poll_until("all is loaded and measured", |app| app.loading().is_none() && app.facts.contains_key("audio/a.wav"));
    let clip = std::sync::Arc::clone(desk.app.assets.get("audio/a.wav").unwrap().as_ref().unwrap());
    assert!(clip.streamed.is_some() && clip.channels[0].len() < 20_000 && clip.frames() == 528_000);
    let facts = &desk.app.facts["audio/a.wav"];
    assert!((facts.seconds - 11.0).abs() < 1e-9 && (facts.peak + 12.04).abs() < 0.01 && facts.wave.iter().all(|(low, high)| *low < -0.2 && *high > 0.2));
    assert!(desk.app.faults.iter().all(|f| !f.what.contains("a.wav")), "{:?}", desk.app.faults);
    // It is exported anew, and now one sample in its ninth second is no number.
    long_wave(&desk.folder.path().join("audio/a.wav"), Some(400_000));
    desk.app.load_missing();
    desk.poll_until("what is broken is told", |app| app.faults.iter().any(|f| f.what.contains("audio/a.wav") && f.what.contains("not numbers")));
}

#[test]
fn in_music_tempo_and_bars_come_from_the_recording_and_a_marker_from_what_sounds() {
    // Eight strokes in 4.8 seconds: two bars of four at 100 beats a minute, where the piece has 120.
    let mut desk = Desk::with(|folder| {
        let spec = hound::WavSpec { channels: 1, sample_rate: 48_000, bits_per_sample: 16, sample_format: hound::SampleFormat::Int };
        let mut wave = hound::WavWriter::create(folder.join("audio/a.wav"), spec).unwrap();
        (0..230_400u32).for_each(|i| wave.write_sample(if i % 28_800 < 900 { ((i * 7_919 % 331) as i16 - 165) * 60 } else { 0 }).unwrap());
        wave.finalize().unwrap();
    });
    desk.keys("4 tab F");
    assert!(desk.page().contains("the audio is still being loaded"), "{}", desk.page());
    desk.poll_until("all is listened to", |app| app.loading().is_none() && app.music.beside.listened(app.program()));
    desk.keys("F");
    let page = desk.page();
    assert!(page.contains("whose recording is 4.80 s long") && page.contains("100, 2 bars") && page.contains("100 % of what is struck"), "{page}");
    desk.keys("enter");
    assert!(desk.text("music/deck.toml").contains("[piece.deck.section.low]\nbars = 2\ntempo = \"100\"\n"), "{}", desk.text("music/deck.toml"));
    desk.keys("u");
    assert!(!desk.text("music/deck.toml").contains("100"), "one undo takes both back");
    // Typed by hand, what cannot be is told and stays open; the piece's own tempo needs no line of the section's.
    desk.poll_until("all is listened to", |app| app.loading().is_none() && app.music.beside.listened(app.program()));
    desk.keys("F");
    for _ in 0..20 {
        desk.keys("backspace");
    }
    for (text, said) in [("fast, 2", "tempo"), ("100", "like 92, 8 bars"), ("120, 0", "bars")] {
        desk.type_text(text);
        desk.keys("enter");
        assert!(desk.page().contains(said) && desk.page().contains("tempo and bars of low"), "{text}: {}", desk.page());
        for _ in 0..20 {
            desk.keys("backspace");
        }
    }
    desk.type_text("120, 4 bars");
    desk.keys("enter");
    assert!(desk.text("music/deck.toml").contains("[piece.deck.section.low]\nbars = 4\n[piece"), "{}", desk.text("music/deck.toml"));
    // Nothing sounds, so there is no bar to mark; then there is.
    desk.keys("b");
    assert!(desk.page().contains("deck does not play"), "{}", desk.page());
    desk.keys("enter");
    desk.poll_until("the piece plays", |app| app.piece_now(0).is_some_and(|now| now.sequencer.pass().is_some()));
    desk.keys("b");
    assert!(desk.page().contains("new marker on bar 1 of low"), "{}", desk.page());
    desk.type_text("turn");
    desk.keys("enter");
    assert!(desk.text("music/deck.toml").contains("turn = \"1\""), "{}", desk.text("music/deck.toml"));
    desk.keys("b");
    desk.type_text("turn");
    desk.keys("enter");
    assert!(desk.page().contains("low has a marker turn already"), "{}", desk.page());
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
