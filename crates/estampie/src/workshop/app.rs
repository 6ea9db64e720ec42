//! The workshop's state, what comes in, and what keys do that is the same in every view. The views, the mouse, typing and the
//! drawing are elsewhere, and drawing changes nothing here.

use super::Options;
use super::audition::Audition;
use super::bundle::Bundling;
use super::checks::Checks;
use super::compiling::Compiling;
use super::curve::Editor;
use super::exploring::Exploring;
use super::keeping::Keeping;
use super::keys::{self, Do};
use super::loading::Loading;
use super::missing::Missing;
use super::mix::MixView;
use super::music::MusicView;
use super::outside::Outside;
use super::played::PlayedIn;
use super::playthroughs::PlaythroughsView;
use super::project::ProjectView;
use super::recipes::Looked;
use super::rehearsal::Rehearsal;
use super::sounds::{Picker, SoundsView, TakeFacts};
use super::stage::StageView;
use super::stage::game::GamePage;
use super::stage::map::MapView;
use super::stock::StockView;
use super::text_field::TextField;
use super::theme::{Colours, Theme};
use super::trace::TraceView;
use super::view::{Ask, Prompt, Target, Targets, VIEWS, View, place_of};
use super::wiring::{Sentence, WiringView};
use crate::failure::Failure;
use crate::midi::MidiIn;
use crate::project::all_faults;
use estampie_engine::engine::InputKind;
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_project::assets::Assets;
use estampie_project::document::{Document, Fault, Refusal, Workspace};
use estampie_project::survey::Survey;
use estampie_project::{compile, survey};
use ratatui::crossterm::event::{Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers};
use ratatui::layout::Rect;
use std::cell::OnceCell;
use std::collections::HashMap;
use std::path::Path;
use std::sync::Arc;
use std::time::{Duration, Instant};

/// What lies over the page, or what keys go to.
#[derive(Debug, Clone)]
pub(crate) enum Mode {
    Page,
    Typing(Prompt, TextField),
    /// A line of the reactions.
    Sentence(Box<Sentence>),
    Curve(Editor),
    Files(Picker),
    /// Sounds to be deleted, and what names them.
    Deleting(Vec<String>, Vec<String>),
    /// What differs from what is kept.
    Differences,
    /// What a recipe would write.
    Recipe(Box<Looked>),
    Finder {
        query: String,
        at: usize,
    },
    Help,
    Faults,
    /// What a kind of fault means; the fault's place in the list.
    Explained(usize),
    /// Unsaved edits, and one wants to quit.
    Quitting,
    /// An earlier session's edits were not saved.
    BringBack,
    /// Files that somebody else has changed too.
    Contested,
    /// Files that are write-protected and to be saved.
    Protected(Vec<String>),
}

impl Mode {
    /// Something is typed on the last line.
    pub(crate) fn typing(ask: impl Ask + 'static, text: TextField) -> Mode {
        Mode::Typing(std::rc::Rc::new(ask), text)
    }
}

/// A line said to the designer.
pub(crate) struct Message {
    pub(crate) text: String,
    pub(crate) alarm: bool,
    until: Instant,
}

/// The workshop.
pub(crate) struct App {
    pub(crate) workspace: Workspace,
    pub(crate) faults: Vec<Fault>,
    pub(crate) rehearsal: Rehearsal,
    /// What is played on MIDI devices.
    pub(crate) played: PlayedIn,
    pub(crate) theme: Theme,
    /// The place of the view that is shown in the table of views.
    view: usize,
    pub(crate) mode: Mode,
    pub(crate) stage: StageView,
    /// The page of what running games send.
    pub(crate) game: GamePage,
    pub(crate) bundling: Bundling,
    pub(crate) missing: Missing,
    pub(crate) checks: Checks,
    pub(crate) exploring: Exploring,
    /// The selected bus, by its place in the program.
    pub(crate) bus: usize,
    pub(crate) scroll: usize,
    pub(crate) targets: Targets,
    pub(crate) quit: bool,
    /// Whether the window is large enough for the page.
    pub(crate) fits: bool,
    pub(crate) message: Option<Message>,
    /// Messages stay until the next key.
    patient: bool,
    /// Few pictures are drawn while no key is pressed.
    pub(crate) reduced_motion: bool,
    /// Keys that stand for others on the pages.
    pub(crate) keys: keys::Remapped,
    /// The tour, while it is under way.
    pub(super) tour: Option<super::tour::Tour>,
    pub(crate) sounds: SoundsView,
    /// A file that is heard before anything plays it.
    pub(super) audition: Audition,
    pub(crate) wiring: WiringView,
    pub(crate) music: MusicView,
    pub(crate) mix: MixView,
    pub(crate) map: MapView,
    pub(crate) trace: TraceView,
    pub(crate) project: ProjectView,
    pub(crate) stock: StockView,
    pub(crate) playthroughs: PlaythroughsView,
    /// What nothing uses, and what no playthrough says, once it has been looked for.
    survey: OnceCell<(Survey, Vec<String>)>,
    /// What was typed and has been told to be at fault; entered again it is kept.
    pub(super) unconfirmed: Option<String>,
    /// What is known of audio files.
    pub(crate) facts: HashMap<String, TakeFacts>,
    /// Help or the finder was opened since the start.
    pub(crate) asked: bool,
    /// What is kept as soloed and muted, in the order of its keys.
    pub(crate) listening: Vec<super::listening::ListeningSet>,
    pub(super) finder: std::cell::RefCell<super::finder::Memory>,
    pub(super) keeping: Keeping,
    /// The terminal is wanted back by the shell for a while.
    pub(crate) suspend: bool,
    pub(super) assets: Assets,
    pub(super) loading: Loading,
    pub(super) compiling: Compiling,
    pub(super) outside: Outside,
    /// What is being dragged, and where it lies.
    pub(super) dragging: Option<(Target, Rect)>,
    /// The parameter or state last sent, with its value: a key pressed again before the engine has answered goes on from it.
    sent: Option<(NameKey, f32, Instant)>,
}

impl App {
    pub(crate) fn open(folder: &Path, options: &Options) -> Result<App, Failure> {
        let mut workspace = Workspace::open(folder)?;
        let (keeping, busy) = Keeping::open(workspace.root(), options.state.as_deref());
        workspace.set_only_read(busy.clone());
        let assets = Assets::default();
        let begun = Instant::now();
        let (program, found) = compile::compile(workspace.document(), &assets);
        let compiling = Compiling::begun(&workspace, begun);
        let faults = all_faults(&workspace, found);
        let (levels, notice) = crate::levels::read(workspace.root());
        let (listening, broken) = super::listening::read(workspace.root());
        let mut rehearsal = Rehearsal::start(Arc::new(program), options.device.clone(), options.buffer_ms, levels);
        let game = GamePage { address: options.listen, join: options.join, token: options.token.clone(), allow: options.allow.clone(), ..GamePage::default() };
        if let Some(address) = options.listen {
            rehearsal.listen(game.options(address, &workspace.document().manifest))?;
        }
        if let Some(address) = options.join {
            rehearsal.visit(address, &options.token)?;
        }
        let (remapped, clashes) = keys::remapped(&options.keys);
        let outside = Outside::watch(workspace.root(), workspace.stamps().clone());
        let mut app = App {
            mode: if faults.is_empty() { Mode::Page } else { Mode::Faults },
            workspace,
            faults,
            rehearsal,
            played: PlayedIn::new(MidiIn::of_machine(options.midi.clone())),
            theme: Theme::new(Colours::of_environment(), options.light),
            view: 0,
            stage: StageView::default(),
            game,
            bundling: Bundling::new(options.state.clone()),
            checks: Checks::default(),
            exploring: Exploring::default(),
            missing: Missing::new(options.state.clone()),
            bus: 0,
            scroll: 0,
            targets: Vec::new(),
            quit: false,
            fits: true,
            message: None,
            patient: options.patient,
            reduced_motion: options.reduced_motion,
            keys: remapped.into_iter().collect(),
            tour: None,
            sounds: SoundsView::default(),
            audition: Audition::default(),
            wiring: WiringView::default(),
            music: MusicView::default(),
            mix: MixView::default(),
            map: MapView::default(),
            trace: TraceView::default(),
            project: ProjectView::default(),
            stock: StockView::within(options.cache.as_deref()),
            playthroughs: PlaythroughsView::default(),
            survey: OnceCell::new(),
            unconfirmed: None,
            facts: HashMap::new(),
            asked: false,
            listening,
            finder: Default::default(),
            keeping,
            suspend: false,
            assets,
            loading: Loading::new(options.cache.as_deref()),
            compiling,
            outside,
            dragging: None,
            sent: None,
        };
        app.load_first();
        let unset = || options.wrong.iter().chain(&clashes).next().map(|what| format!("your settings: {what} (estampie config)"));
        if let Some(notice) = busy.or(notice).or(broken).or_else(unset) {
            app.alarm(notice);
        }
        app.offer_journal();
        Ok(app)
    }

    pub(crate) fn document(&self) -> &Document {
        self.workspace.document()
    }

    pub(crate) fn program(&self) -> &Arc<Program> {
        &self.rehearsal.program
    }

    /// What a MIDI file holds that is not taken, in words, if there is anything.
    pub(crate) fn not_taken(&self, file: &str) -> Option<String> {
        Some(self.document().score(file)?.not_taken()).filter(|text| !text.is_empty())
    }

    pub(crate) fn say(&mut self, text: impl Into<String>) {
        self.message = Some(Message { text: text.into(), alarm: false, until: Instant::now() + Duration::from_secs(5) });
    }

    pub(crate) fn alarm(&mut self, text: impl Into<String>) {
        self.message = Some(Message { text: text.into(), alarm: true, until: Instant::now() + Duration::from_secs(9) });
    }

    /// Whether something moves besides the clock.
    pub(crate) fn lively(&self) -> bool {
        let rehearsal = &self.rehearsal;
        let sounding = rehearsal.status.as_ref().is_some_and(|s| !s.voices.is_empty());
        sounding || rehearsal.replay.is_some() || rehearsal.meters.values().any(|m| m.now > -60.0)
    }

    /// The value of a parameter now, in its unit.
    pub(crate) fn value(&self, parameter: usize) -> f32 {
        let Some(doc) = self.document().parameters.get(parameter) else { return 0.0 };
        let program = self.rehearsal.status_program();
        let index = program.and_then(|p| p.find_parameter.get(NameKey::of(&doc.name)));
        let now = index.and_then(|i| self.rehearsal.status.as_ref()?.parameters.get(i));
        now.map_or(doc.rest, |n| n.value)
    }

    /// The value of a parameter as it is followed now.
    pub(crate) fn smooth_value(&self, parameter: usize) -> f32 {
        let Some(doc) = self.document().parameters.get(parameter) else { return 0.0 };
        let index = self.rehearsal.status_program().and_then(|p| p.find_parameter.get(NameKey::of(&doc.name)));
        index.and_then(|i| self.rehearsal.status.as_ref()?.parameters.get(i)).map_or(doc.rest, |n| n.smooth)
    }

    /// The index of a state's value now.
    pub(crate) fn state_value(&self, state: usize) -> usize {
        let Some(doc) = self.document().states.get(state) else { return 0 };
        let found = self.rehearsal.status_program().and_then(|p| {
            let index = p.find_state.get(NameKey::of(&doc.name))?;
            let value = *self.rehearsal.status.as_ref()?.states.get(index)?;
            let key = p.states[index].values[usize::from(value)];
            doc.values.iter().position(|v| NameKey::of(&v.value) == key)
        });
        found.unwrap_or(doc.start)
    }

    // ── what comes in ──────────────────────────────────────────────────────────────────────────────────────────

    /// Takes in what other threads have ready; true if there is something new to show.
    pub(crate) fn poll(&mut self) -> bool {
        let document = Arc::clone(self.workspace.document());
        let mut news = self.rehearsal.poll(&document);
        news |= self.poll_compiled();
        news |= self.poll_played();
        news |= self.poll_music();
        news |= self.poll_compare();
        news |= self.poll_held_key();
        news |= self.poll_map();
        news |= self.poll_game();
        news |= self.poll_bundle();
        news |= self.poll_missing();
        news |= self.poll_files();
        news |= self.poll_stock();
        news |= self.poll_checks();
        news |= self.poll_exploring();
        news |= self.poll_compared();
        self.measure_bus();
        news |= self.poll_loading();
        news |= self.poll_twenty();
        news |= self.poll_opened();
        news |= self.poll_made();
        news |= self.poll_audition();
        news |= self.poll_tour();
        news |= self.poll_outside();
        self.keep_journal(false);
        if !self.patient && self.message.as_ref().is_some_and(|m| m.until < Instant::now()) {
            self.message = None;
            news = true;
        }
        news
    }

    /// What was selected by its place and is not there any more gives way to the last one.
    pub(super) fn keep_places(&mut self) {
        let last = |n: usize| n.saturating_sub(1);
        self.stage.item = self.stage.item.min(last(self.items().len()));
        self.bus = self.bus.min(last(self.program().mix.buses.len()));
        self.hold_mix();
        if matches!(self.mode, Mode::Faults | Mode::Explained(_)) && self.faults.is_empty() {
            self.mode = Mode::Page;
        }
    }

    pub(super) fn forget_survey(&mut self) {
        self.survey = OnceCell::new();
    }

    /// What of the project nothing uses, and what no playthrough says: looked for when a page first shows it after an edit.
    pub(crate) fn survey(&self) -> &(Survey, Vec<String>) {
        self.survey.get_or_init(|| (survey::survey(self.document()), survey::never_sent(self.document())))
    }

    /// Takes a key or a movement of the mouse; true if there is something new to show.
    pub(crate) fn event(&mut self, event: &Event) -> bool {
        match event {
            Event::Key(key) if key.kind != KeyEventKind::Release => {
                let mut key = *key;
                // To a terminal escape and a key in quick succession are that key with alt, which no key here has.
                if key.modifiers.contains(KeyModifiers::ALT) {
                    key.modifiers.remove(KeyModifiers::ALT);
                    self.key(KeyEvent::new(KeyCode::Esc, KeyModifiers::NONE));
                }
                self.key(key);
            }
            Event::Mouse(mouse) => {
                let moved = self.mouse(*mouse);
                self.say_refused();
                return moved;
            }
            // A key that comes before the next picture counts as what is there by then.
            Event::Resize(width, height) => self.fits = super::screen::fits(*width, *height),
            _ => return false,
        }
        self.say_refused();
        true
    }

    /// Says why an edit did nothing, if one did.
    fn say_refused(&mut self) {
        if self.workspace.take_refused() {
            match self.workspace.only_read().map(str::to_owned) {
                Some(why) => self.alarm(why),
                None => self.alarm("you hear B, which stays as it was kept: a goes back to A, where edits go"),
            }
        }
    }

    fn key(&mut self, event: KeyEvent) {
        let mut name = keys::name(event);
        if let (Mode::Page, Some(meant)) = (&self.mode, self.keys.get(&name)) {
            name.clone_from(meant);
        }
        if self.patient {
            self.message.take_if(|m| m.until < Instant::now());
        }
        // What cannot be seen is not edited.
        if !self.fits && !matches!(name.as_str(), "ctrl-s" | "ctrl-z" | "q" | "ctrl-c" | "esc" | "space" | ".") {
            return;
        }
        #[cfg(debug_assertions)]
        if name == "f12" && std::env::var_os("ESTAMPIE_FAIL").is_some() {
            // A test asks how the workshop fails.
            std::panic::panic_any("asked for by f12".to_owned());
        }
        if name == "ctrl-s" {
            return self.save();
        }
        if name == "ctrl-z" {
            self.suspend = true;
            return;
        }
        match std::mem::replace(&mut self.mode, Mode::Page) {
            Mode::Typing(typed, text) => self.key_typing(&name, typed, text),
            Mode::Finder { query, at } => self.key_finder(&name, query, at),
            Mode::Quitting => self.key_quitting(&name),
            Mode::BringBack => self.key_bring_back(&name),
            Mode::Contested => self.key_contested(&name),
            Mode::Protected(files) => match name.as_str() {
                "y" | "w" => {
                    self.save_all(true);
                }
                "esc" | "n" | "q" | "ctrl-c" => {}
                _ => self.mode = Mode::Protected(files),
            },
            Mode::Sentence(sentence) => self.key_sentence(&name, sentence),
            Mode::Curve(editor) => self.key_curve(&name, editor),
            Mode::Files(picker) => self.key_files(&name, picker),
            Mode::Differences => self.key_differences(&name),
            Mode::Recipe(looked) => self.key_recipe(&name, looked),
            Mode::Deleting(targets, uses) => match name.as_str() {
                "y" | "enter" => self.delete(&targets),
                "esc" | "n" | "q" | "ctrl-c" => {}
                _ => self.mode = Mode::Deleting(targets, uses),
            },
            Mode::Faults if name == "enter" && self.point_to_found() => self.mode = if self.faults.is_empty() { Mode::Page } else { Mode::Faults },
            Mode::Faults if matches!(name.as_str(), "left" | "right") => {
                self.choose_found(if name == "left" { -1 } else { 1 });
                self.mode = Mode::Faults;
            }
            Mode::Faults if name == "a" => {
                self.point_all();
                self.mode = if self.faults.is_empty() { Mode::Page } else { Mode::Faults };
            }
            Mode::Faults if matches!(name.as_str(), "enter" | "?") => {
                self.mode = Mode::Explained(self.scroll.min(self.faults.len().saturating_sub(1)));
                self.scroll = 0;
            }
            Mode::Explained(at) => match name.as_str() {
                "esc" | "enter" | "q" | "?" => (self.mode, self.scroll) = (Mode::Faults, at),
                "ctrl-c" => self.act(Do::Quit),
                "!" => {}
                "down" | "j" => (self.mode, self.scroll) = (Mode::Explained(at), self.scroll + 1),
                "up" | "k" => (self.mode, self.scroll) = (Mode::Explained(at), self.scroll.saturating_sub(1)),
                _ => self.mode = Mode::Explained(at),
            },
            Mode::Help | Mode::Faults if matches!(name.as_str(), "esc" | "enter" | "?" | "!" | "q" | "space") => {}
            before @ (Mode::Help | Mode::Faults) => {
                match name.as_str() {
                    "down" | "j" => (self.scroll, self.missing.choice) = (self.scroll + 1, 0),
                    "up" | "k" => (self.scroll, self.missing.choice) = (self.scroll.saturating_sub(1), 0),
                    _ => {}
                }
                if matches!(name.as_str(), "ctrl-c") {
                    return self.act(Do::Quit);
                }
                self.mode = before;
            }
            Mode::Page if self.view().takes_key(self, &name) => {}
            Mode::Page => {
                if let Some(does) = keys::meaning(&name, self.view()) {
                    self.act(does);
                } else if let (Some(key), 1) = (name.chars().next(), name.chars().count()) {
                    self.view().other_key(self, key);
                }
            }
        }
    }

    fn key_quitting(&mut self, name: &str) {
        match name {
            "s" | "y" => self.quit = self.save_all(false) && self.workspace.unsaved() == 0,
            "d" | "ctrl-c" => self.quit = true,
            "esc" | "n" | "q" => {}
            _ => self.mode = Mode::Quitting,
        }
    }

    // ── what is done ───────────────────────────────────────────────────────────────────────────────────────────

    /// Does what a key means.
    pub(crate) fn act(&mut self, does: Do) {
        if self.view().act(self, does) {
            return;
        }
        match does {
            Do::View(view) => self.view = view,
            Do::Up => self.go(-1),
            Do::Down => self.go(1),
            Do::Higher => self.go(-10),
            Do::Lower => self.go(10),
            Do::First => self.go(-100_000),
            Do::Last => self.go(100_000),
            Do::Why => {
                self.show(super::stage::NAME);
                self.stage.column = super::stage::Column::Sounding;
            }
            Do::WhatWasThat => self.what_was_that(),
            Do::Back => self.rehearsal.come_back(),
            Do::Fields => self.fields_of_selected(),
            Do::New | Do::Rename | Do::Duplicate | Do::Delete => self.act_on_selected(does),
            Do::Find => {
                self.asked = true;
                self.mode = Mode::Finder { query: String::new(), at: 0 };
            }
            Do::Undo => self.undo(),
            Do::Redo => self.redo(),
            Do::KeepListening => self.ask_to_keep_listening(),
            Do::Listen(at) => self.listen(at),
            Do::Solo | Do::Mute => self.gate(does == Do::Solo),
            Do::Freeze if self.only_here("freezing") => {}
            Do::Freeze => self.rehearsal.player.freeze(!self.rehearsal.player.frozen()),
            Do::Save => self.save(),
            Do::Bundle => self.ask_for_bundle(),
            Do::Help => {
                self.asked = true;
                self.scroll = 0;
                self.mode = Mode::Help;
            }
            Do::Faults => {
                self.scroll = 0;
                if self.faults.is_empty() { self.say("the project has no faults") } else { self.mode = Mode::Faults }
            }
            Do::Record => self.record(),
            Do::StopAll => {
                self.rehearsal.say(InputKind::StopAll { frames: u64::from(self.program().rate) / 4 });
            }
            Do::Restart if self.only_here("a fresh start") => {}
            Do::Restart => self.rehearsal.restart(),
            Do::Theme => self.theme = self.theme.turned(),
            Do::Tour => self.tour_on(),
            Do::EndTour => self.end_tour(),
            Do::ShortWaits => {
                self.rehearsal.change_only(|only| only.short_waits = !only.short_waits);
                self.say(if self.rehearsal.only.short_waits { "waits are a tenth (temporary)" } else { "waits are whole again" });
            }
            Do::Chances => {
                self.rehearsal.change_only(|only| {
                    only.chances = match only.chances {
                        None => Some(true),
                        Some(true) => Some(false),
                        Some(false) => None,
                    };
                });
                self.say(match self.rehearsal.only.chances {
                    None => "chances are as drawn again",
                    Some(true) => "chances are always taken (temporary)",
                    Some(false) => "chances are never taken (temporary)",
                });
            }
            Do::ClearOnly => {
                let any = self.rehearsal.clear_only();
                self.say(if any { "nothing is temporary any more" } else { "nothing is temporary" });
            }
            Do::Quit => {
                // What is being recorded is kept like any edit.
                if self.rehearsal.recording() {
                    self.record();
                }
                if self.workspace.unsaved() == 0 { self.quit = true } else { self.mode = Mode::Quitting }
            }
            Do::EditToo => self.edit_too(),
            // What only other views know.
            _ => {}
        }
    }

    pub(super) fn go(&mut self, by: isize) {
        self.view().go(self, by);
    }

    /// The view that is shown.
    pub(crate) fn view(&self) -> &'static dyn View {
        VIEWS[self.view]
    }

    /// Goes to a view, by its name.
    pub(crate) fn show(&mut self, name: &str) {
        self.view = place_of(name);
    }

    /// Whether a view is shown.
    pub(crate) fn shows(&self, name: &str) -> bool {
        self.view().face().name == name
    }

    pub(super) fn nudge_parameter(&mut self, index: usize, by: f32) {
        let doc = &self.document().parameters[index];
        // A formula without a range moves by tenths.
        let span = if doc.high - doc.low < 1e5 { doc.high - doc.low } else { 5.0 };
        let value = self.just_sent(&doc.name).unwrap_or_else(|| self.value(index)) + by * span / 50.0;
        self.set_parameter(index, value);
    }

    pub(super) fn nudge_state(&mut self, index: usize, by: f32) {
        let count = self.document().states[index].values.len();
        let value = self.latest_state(index).saturating_add_signed(by.signum() as isize).min(count - 1);
        self.set_state(index, value);
    }

    fn just_sent(&self, name: &str) -> Option<f32> {
        let key = NameKey::of(name);
        self.sent.filter(|(k, _, at)| *k == key && at.elapsed() < Duration::from_millis(250)).map(|(_, value, _)| value)
    }

    pub(super) fn latest_state(&self, index: usize) -> usize {
        self.just_sent(&self.document().states[index].name).map_or_else(|| self.state_value(index), |v| v as usize)
    }

    pub(crate) fn set_parameter(&mut self, index: usize, value: f32) {
        let Some(doc) = self.document().parameters.get(index) else { return };
        // To the fineness of a step, so that a log of a drag can be read.
        let grain = 10f32.powf(((doc.high - doc.low).min(1e4) / 1000.0).log10().floor());
        let value = ((value / grain).round() * grain).clamp(doc.low, doc.high);
        let parameter = NameKey::of(&doc.name);
        self.rehearsal.parameter(parameter, value);
        self.sent = Some((parameter, value, Instant::now()));
    }

    pub(super) fn set_state(&mut self, index: usize, at: usize) {
        let Some(doc) = self.document().states.get(index) else { return };
        let Some(value) = doc.values.get(at) else { return };
        let state = NameKey::of(&doc.name);
        let what = InputKind::State { state, value: NameKey::of(&value.value) };
        self.rehearsal.say(what);
        self.sent = Some((state, at as f32, Instant::now()));
    }

    pub(super) fn edited(&mut self, done: Result<(), Refusal>) {
        match done {
            Ok(()) => _ = self.compile_edit(),
            Err(why) => self.alarm(why.to_string()),
        }
    }

    pub(super) fn undo(&mut self) {
        let done = self.workspace.undo();
        self.gone_back(done, "undo", "undid");
    }

    pub(super) fn redo(&mut self) {
        let done = self.workspace.redo();
        self.gone_back(done, "redo", "redid");
    }

    /// After an undo or a redo of the edit `done`.
    fn gone_back(&mut self, done: Result<Option<String>, Refusal>, verb: &str, past: &str) {
        match done {
            Ok(Some(name)) => {
                self.recompile();
                self.say(format!("{past} {name}"));
            }
            Ok(None) => self.say(format!("nothing to {verb}")),
            Err(why) => self.alarm(why.to_string()),
        }
    }

    pub(super) fn save(&mut self) {
        self.save_all(false);
    }
}
