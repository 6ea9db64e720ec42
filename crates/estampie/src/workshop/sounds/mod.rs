//! The view *Sounds*: the index of recipes, what one is made of, and all it is set to; and what hands do there.

mod draw;
mod draw_made;
mod draw_recording;
mod draw_takes;
mod draw_tune;
mod fields;
mod files;
mod handles;
mod inputs;
mod listed;
mod made;
mod made_prompts;
#[cfg(test)]
mod made_tests;
mod made_tune;
mod recording;
mod take_facts;
#[cfg(test)]
mod tests;

pub(super) use draw::{WIDTHS, draw};
pub(super) use files::{Picker, draw as draw_files};

pub(crate) use inputs::SoundsPrompt;
pub(crate) use listed::{Listed, takes_of};

pub(crate) use take_facts::{Remembered, TakeFacts};

use super::app::{App, Mode};
use super::keys::{Binding, Do, key};
use super::painter::Painter;
use super::text_field::TextField;
use super::view::{Face, Targets, View};
use super::wiring::WiringPrompt;
use estampie_engine::engine::InputKind;
use estampie_engine::names::NameKey;
use estampie_project::document::{Field, Refusal, SoundDoc, describe, did_you_mean, uses_of};
use estampie_project::things::kind_of;
use ratatui::layout::Rect;
use std::collections::BTreeSet;

/// Its name.
pub(crate) const NAME: &str = "Sounds";

/// The view.
pub(crate) struct Sounds;

static FACE: Face = Face {
    name: NAME,
    key: '3',
    says: "takes, how they vary, what moves them, limits",
    keys: KEYS,
    mouse: &[
        "click a sound to choose it, again to hear it",
        "click a take to hear it",
        "click a curve to edit it, drag its points",
        "open take: drag a handle, click elsewhere to hear it from there, the wheel zooms",
        "open generator: drag a control's bar, a place of the path, a point of the pace, a resonance; click a step of a pattern",
    ],
    widths: WIDTHS,
};

impl View for Sounds {
    fn face(&self) -> &'static Face {
        &FACE
    }

    fn draw(&self, app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
        draw(app, painter, area, targets);
    }

    fn last_line(&self, app: &App) -> Option<&'static [(&'static str, &'static str)]> {
        const OPENED: &[(&str, &str)] = &[
            ("tab", "next handle"),
            ("← →", "move"),
            ("e", "type"),
            ("0", "reset"),
            ("enter", "hear"),
            ("g", "from there"),
            ("+ -", "zoom"),
            ("b", "best loop end"),
            ("t", "trim silence"),
            ("v", "spectrogram"),
            ("< >", "take"),
            ("esc", "done"),
        ];
        const MADE: &[(&str, &str)] = &[
            ("↑ ↓", "control"),
            ("← →", "move"),
            ("e", "type"),
            ("0", "reset"),
            ("enter", "hear"),
            ("tab", "drawing"),
            ("+ -", "points"),
            ("< >", "preset"),
            ("v", "vary"),
            ("M", "move by"),
            ("t", "20 ×"),
            ("esc", "done"),
        ];
        const TUNE: &[(&str, &str)] = &[
            ("← →", "step"),
            ("↑ ↓", "its notes"),
            ("x", "none, note, accent, held"),
            ("+ -", "steps"),
            ("e", "type the tune"),
            ("0", "reset"),
            ("enter", "hear"),
            ("tab", "on, to the controls"),
            ("esc", "done"),
        ];
        let keys = |made: &made::Made| if made.on_tune(app) { TUNE } else { MADE };
        app.sounds.made.as_ref().map(keys).or_else(|| app.sounds.opened.as_ref().map(|_| OPENED))
    }

    fn selected(&self, app: &App) -> Option<(&'static str, String)> {
        Some(("sound", app.sounds.selected.clone()))
    }

    fn act(&self, app: &mut App, does: Do) -> bool {
        app.act_sounds(does)
    }

    fn go(&self, app: &mut App, by: isize) {
        app.go_sounds(by);
    }
}

/// Its keys.
const KEYS: &[Binding] = &[
    key(&["enter"], Do::Main, "enter", "play as the game would; play the take; type the value", Some("play")),
    key(&["/"], Do::Filter, "/", "show only sounds with these letters; esc shows all", Some("filter")),
    key(
        &["x"],
        Do::Mark,
        "x",
        "mark the sound: edits are for all that are marked; open generator: a step of a tune is none, a note, an accented one, held on",
        Some("mark"),
    ),
    key(&["X"], Do::ClearMarks, "X", "mark none", None),
    key(&["t"], Do::Twenty, "t", "play it twenty times in a row; open take: begin and end where the recording sounds", Some("20 ×")),
    key(&["c"], Do::Curve, "c", "edit the curve of its next modulation; on a field of falloff, its curve", Some("curve")),
    key(&["n"], Do::NewSound, "n", "a new sound from audio files", Some("new")),
    key(&["N"], Do::MadeSound, "N", "a new sound without a file: type what makes it, perhaps with a preset", Some("made")),
    key(
        &["v"],
        Do::Vary,
        "v",
        "vary it a little each time: pitch by a semitone, level by 2 dB either way; again, as it was recorded; open take: its spectrogram, or its wave; open generator: what each playing adds to the control",
        Some("vary"),
    ),
    key(
        &["M"],
        Do::NewModulation,
        "M",
        "what moves it: a parameter, and perhaps a property; a name that is new is declared; open generator: what moves the control",
        Some("move"),
    ),
    key(&["W"], Do::Wire, "W", "wire it: type the event that plays it", Some("wire")),
    key(&["r"], Do::Rename, "r", "rename it wherever it is named", None),
    key(&["d"], Do::Duplicate, "d", "a copy of it, or of all that are marked", None),
    key(&["D"], Do::Delete, "D", "delete it; what names it is said first", None),
    key(&["E"], Do::EditShared, "E", "edit the shared setting behind the field, for all that share it", None),
    key(
        &["o"],
        Do::NewWithin,
        "o",
        "open the take in its recording: where it begins, ends, fades and loops; the file stays as it is; of one that is made, its generator",
        Some("open"),
    ),
    key(&["b"], Do::PutMarker, "b", "open take: the loop's end to where it closes best, within 50 ms; open blip: another one like it", None),
    key(&["+", "="], Do::ZoomIn, "+", "open take: less of the recording in sight; open generator: one more point of the drawing", None),
    key(&["-"], Do::ZoomOut, "-", "open take: more of it in sight; open generator: the point is taken away", None),
    key(&["<"], Do::JumpBack, "<", "open take: the take before; open generator: the preset before", None),
    key(&[">"], Do::JumpOn, ">", "open take: the next take; open generator: the next preset", None),
    key(&["f"], Do::Force, "f", "always pick this take (temporary)", None),
    key(&["g"], Do::GoToUse, "g", "go to where it is named; open take: hear it from the handle on, of a loop the second before its end", None),
    key(&["y"], Do::Copy, "y", "copy the field, or all of the sound's settings", None),
    key(&["p"], Do::Paste, "p", "paste it into this sound, or into all that are marked", None),
];

/// A column of the view.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) enum Column {
    #[default]
    Index,
    Takes,
    Settings,
}

/// What the view remembers.
#[derive(Debug, Default)]
pub(crate) struct SoundsView {
    /// The selected sound, by name.
    pub(crate) selected: String,
    pub(crate) marked: BTreeSet<String>,
    pub(crate) filter: String,
    pub(crate) column: Column,
    pub(crate) take: usize,
    pub(crate) field: usize,
    /// Which of the sound's modulations the next edit of a curve takes.
    curve: usize,
    /// Fields copied with `y`: key and text.
    copied: Vec<(String, String)>,
    /// What was typed last with a parameter that is not there: entered again it is declared.
    to_declare: Option<String>,
    /// The take that is open in its recording.
    pub(crate) opened: Option<recording::Opened>,
    /// The take whose generator is open.
    pub(crate) made: Option<made::Made>,
    /// How many of twenty in a row are still to be played, and when the next is.
    pub(crate) twenty: Option<(u32, std::time::Instant)>,
}

/// A line of the index.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Row {
    Folder(String),
    Sound { index: usize, depth: u16 },
}

impl App {
    /// The rows of the index: sounds by path under their folders, those that fit the filter.
    pub(crate) fn sound_rows(&self) -> Vec<Row> {
        let sounds = &self.document().sounds;
        let mut order: Vec<usize> = (0..sounds.len()).filter(|i| self.sounds.filter.is_empty() || sounds[*i].name.contains(&self.sounds.filter)).collect();
        order.sort_by(|a, b| sounds[*a].name.cmp(&sounds[*b].name));
        let mut rows = Vec::new();
        let mut folder = "";
        for index in order {
            let name = sounds[index].name.as_str();
            match name.split_once('/') {
                Some((head, _)) => {
                    if head != folder {
                        folder = head;
                        rows.push(Row::Folder(head.to_owned()));
                    }
                    rows.push(Row::Sound { index, depth: 1 });
                }
                None => {
                    folder = "";
                    rows.push(Row::Sound { index, depth: 0 });
                }
            }
        }
        rows
    }

    /// The sounds of the index in order.
    fn listed_sounds(&self) -> Vec<usize> {
        self.sound_rows().into_iter().filter_map(|r| if let Row::Sound { index, .. } = r { Some(index) } else { None }).collect()
    }

    /// Shows only sounds with these letters, and chooses the first if the chosen one is not among them.
    pub(super) fn set_filter(&mut self, text: &str) {
        text.trim().clone_into(&mut self.sounds.filter);
        let list = self.listed_sounds();
        let sounds = &self.document().sounds;
        let there = list.iter().any(|i| sounds[*i].name == self.sounds.selected);
        if let Some(first) = list.first().filter(|_| !there) {
            self.sounds.selected = sounds[*first].name.clone();
        }
    }

    /// The selected sound.
    pub(crate) fn sound(&self) -> Option<&SoundDoc> {
        let sounds = &self.document().sounds;
        sounds.iter().find(|s| s.name == self.sounds.selected).or_else(|| self.listed_sounds().first().map(|i| &sounds[*i])).map(AsRef::as_ref)
    }

    pub(crate) fn fields(&self) -> Vec<Field> {
        self.sound().map_or_else(Vec::new, |s| describe(self.document(), s))
    }

    /// The sounds that an edit is for: all that are marked, or the selected one.
    pub(crate) fn targets(&self) -> Vec<String> {
        if self.sounds.marked.is_empty() { self.sound().map(|s| s.name.clone()).into_iter().collect() } else { self.sounds.marked.iter().cloned().collect() }
    }

    pub(super) fn go_sounds(&mut self, by: isize) {
        if self.sounds.made.is_some() {
            return self.go_made(by);
        }
        if self.sounds.opened.is_some() {
            return self.next_handle(by);
        }
        let step = |at: usize, count: usize| at.saturating_add_signed(by).min(count.saturating_sub(1));
        match self.sounds.column {
            Column::Index => {
                let list = self.listed_sounds();
                let selected = self.sound().map(|s| s.name.clone()).unwrap_or_default();
                let at = list.iter().position(|i| self.document().sounds[*i].name == selected).unwrap_or(0);
                if let Some(index) = list.get(step(at, list.len())) {
                    self.sounds.selected = self.document().sounds[*index].name.clone();
                    (self.sounds.take, self.sounds.curve) = (0, 0);
                }
            }
            Column::Takes => self.sounds.take = step(self.sounds.take, self.sound().map_or(0, |s| takes_of(s).len())),
            Column::Settings => self.sounds.field = step(self.sounds.field, self.fields().len()),
        }
    }

    /// Does what a key means in this view; false if it means nothing of its own here.
    pub(super) fn act_sounds(&mut self, does: Do) -> bool {
        if self.act_made(does) || self.act_opened(does) {
            return true;
        }
        let Some(name) = self.sound().map(|s| s.name.clone()) else {
            match does {
                Do::NewSound => self.begin_files(),
                Do::MadeSound => self.begin_made(),
                _ => return false,
            }
            return true;
        };
        self.sounds.selected.clone_from(&name);
        match does {
            Do::NextColumn => self.sounds.column = [Column::Takes, Column::Settings, Column::Index][self.sounds.column as usize],
            Do::PreviousColumn => self.sounds.column = [Column::Settings, Column::Index, Column::Takes][self.sounds.column as usize],
            Do::Left | Do::Right | Do::FineLeft | Do::FineRight if self.sounds.column == Column::Takes => {
                self.go_sounds(if matches!(does, Do::Left | Do::FineLeft) { -1 } else { 1 });
            }
            Do::Left => self.nudge_field(-1.0),
            Do::Right => self.nudge_field(1.0),
            Do::FineLeft => self.nudge_field(-0.1),
            Do::FineRight => self.nudge_field(0.1),
            Do::Main => self.play_here(&name),
            Do::Edit => self.edit_field(&name),
            Do::Rest => {
                let Some(field) = self.current_field() else { return true };
                let targets = self.targets();
                let done = self.workspace.set_sounds(&targets, field.key, "");
                self.edited(done);
            }
            Do::NewWithin => {
                self.sounds.column = Column::Takes;
                self.open_take();
            }
            Do::Filter => self.mode = Mode::typing(SoundsPrompt::Filter, TextField::new(&self.sounds.filter)),
            Do::Mark => {
                if !self.sounds.marked.remove(&name) {
                    self.sounds.marked.insert(name);
                }
                self.sounds.column = Column::Index;
                self.go_sounds(1);
            }
            Do::ClearMarks => self.sounds.marked.clear(),
            Do::Twenty => {
                self.sounds.twenty = Some((20, std::time::Instant::now()));
                self.say(format!("{name} twenty times"));
            }
            Do::NewSound => self.begin_files(),
            Do::Rename => self.mode = Mode::typing(SoundsPrompt::Rename(name.clone()), TextField::new(&name)),
            Do::Duplicate => self.duplicate_marked(),
            Do::Delete => self.ask_to_delete(),
            Do::Curve => match self.current_field().filter(|_| self.sounds.column == Column::Settings) {
                Some(field) if field.key.starts_with("falloff.") => self.begin_falloff(&name, field.key.trim_start_matches("falloff.")),
                _ => self.next_curve(&name),
            },
            Do::Vary => self.vary_a_little(),
            Do::MadeSound => self.begin_made(),
            Do::NewModulation => self.mode = Mode::typing(SoundsPrompt::Moves(name), TextField::default()),
            Do::Wire => self.mode = Mode::typing(SoundsPrompt::Wire(name), TextField::default()),
            Do::GoToUse => self.go_to_use(&name),
            Do::EditShared => self.edit_shared(),
            Do::Force => self.force_take(&name),
            Do::Copy => self.copy_fields(),
            Do::Paste => self.paste_fields(),
            Do::Solo | Do::Mute => self.gate_sound(&name, does == Do::Solo),
            _ => return false,
        }
        true
    }

    /// Solo or mute for a sound, or an end to it.
    pub(crate) fn gate_sound(&mut self, name: &str, solo: bool) {
        let key = NameKey::of(name);
        let mut on = false;
        self.rehearsal.change_only(|only| {
            let list = if solo { &mut only.soloed_sounds } else { &mut only.muted_sounds };
            on = !list.remove(&key);
            if on {
                list.insert(key);
            }
        });
        let word = match (solo, on) {
            (true, true) => "is soloed",
            (true, false) => "is no longer soloed",
            (false, true) => "is silent",
            (false, false) => "is heard again",
        };
        self.say(format!("{name} {word} (temporary)"));
    }

    fn play_here(&mut self, name: &str) {
        match self.sounds.column {
            Column::Index => {
                self.rehearsal.say(InputKind::Play { sound: NameKey::of(name), emitter: NameKey::NONE });
            }
            Column::Takes => self.play_take(),
            Column::Settings => self.edit_field(name),
        }
    }

    pub(super) fn play_take(&mut self) {
        let Some(take) = self.sound().and_then(|s| takes_of(s).into_iter().nth(self.sounds.take)) else { return };
        let sound = NameKey::of(&self.sounds.selected);
        match take.at {
            Some((group, take)) => {
                // The program puts the groups of a cross-fade in the order of their points.
                self.rehearsal.say(InputKind::PlayTake { sound, group, take, from_seconds: 0.0 });
            }
            None => {
                self.rehearsal.say(InputKind::Play { sound, emitter: NameKey::NONE });
                self.say("a chain is heard as a whole");
            }
        }
    }

    /// Plays what is left of twenty in a row; true if one was played.
    pub(super) fn poll_twenty(&mut self) -> bool {
        let Some((left, at)) = self.sounds.twenty.filter(|(_, at)| *at <= std::time::Instant::now()) else { return false };
        let sound = NameKey::of(&self.sounds.selected);
        self.rehearsal.say(InputKind::Play { sound, emitter: NameKey::NONE });
        self.sounds.twenty = (left > 1).then(|| (left - 1, at + std::time::Duration::from_millis(180)));
        true
    }

    /// Copies all that are marked, or the selected one; the copies are marked then, or the one selected.
    fn duplicate_marked(&mut self) {
        let targets = self.targets();
        match self.workspace.duplicate_sounds(&targets) {
            Ok(copies) => {
                self.recompile();
                if let ([one], [copy]) = (&targets[..], &copies[..]) {
                    self.say(format!("{copy} is a copy of {one}"));
                } else {
                    self.sounds.marked = copies.iter().cloned().collect();
                    self.say(format!("{} sounds copied; the copies are marked", copies.len()));
                }
                if let Some(first) = copies.into_iter().next() {
                    self.sounds.selected = first;
                }
            }
            Err(why) => self.alarm(why.to_string()),
        }
    }

    fn ask_to_delete(&mut self) {
        let targets = self.targets();
        let uses: Vec<String> = targets.iter().flat_map(|t| uses_of(self.document(), t)).map(|(what, _)| what).collect();
        self.mode = Mode::Deleting(targets, uses);
    }

    pub(super) fn delete(&mut self, targets: &[String]) {
        let done = self.workspace.delete_sounds(targets);
        self.sounds.marked.clear();
        self.edited(done);
    }

    fn next_curve(&mut self, name: &str) {
        let list: Vec<usize> = self
            .document()
            .modulations
            .iter()
            .filter(|m| m.kind == estampie_project::document::Moved::Sound && m.target.value == name)
            .map(|m| m.written)
            .collect();
        match list.get(self.sounds.curve % list.len().max(1)) {
            Some(written) => {
                self.sounds.curve += 1;
                self.begin_curve(*written);
            }
            None => {
                let mut begun = TextField::new(&format!(" moves {name} level"));
                begun.at = 0;
                self.mode = Mode::typing(WiringPrompt::NewModulation, begun);
            }
        }
    }

    fn go_to_use(&mut self, name: &str) {
        let uses = uses_of(self.document(), name);
        let Some((what, place)) = uses.first() else { return self.say(format!("nothing names {name}; W wires it to an event")) };
        if place.file == "reactions.est" {
            let line = place.line as usize - 1;
            self.go_to_reaction(line);
        } else {
            self.say(format!("{what}, at {place}"));
        }
    }

    fn force_take(&mut self, name: &str) {
        let key = NameKey::of(name);
        let take = self.sound().and_then(|s| takes_of(s).into_iter().nth(self.sounds.take)).and_then(|t| t.at).map_or(0, |(_, t)| t);
        let mut on = false;
        self.rehearsal.change_only(|only| {
            on = only.forced != Some((key, take));
            only.forced = on.then_some((key, take));
        });
        self.say(if on { format!("{name} always picks take {} (temporary)", take + 1) } else { format!("{name} picks by itself again") });
    }

    /// Lets a parameter move a sound: `current`, or `current pitch`. One that is not there yet is declared with the next enter.
    pub(super) fn let_move(&mut self, sound: &str, text: &str) -> Result<(), Refusal> {
        let text = text.trim();
        let (parameter, property) = text.split_once(' ').unwrap_or((text, "level"));
        if !self.document().parameters.iter().any(|p| p.name == parameter) {
            let whole = format!("{sound} moved by {text}");
            if self.sounds.to_declare.as_ref() != Some(&whole) {
                self.sounds.to_declare = Some(whole);
                let near = did_you_mean(parameter, self.document().parameters.iter().map(|p| p.name.as_str()), "");
                return Err(format!(
                    "there is no parameter {parameter}{}{near} (enter again declares it, from 0 to 1)",
                    if near.is_empty() { "" } else { "; " }
                )
                .into());
            }
            let kind = kind_of("parameter").ok_or("there are no parameters")?;
            self.workspace.make(kind, None, parameter)?;
        }
        self.sounds.to_declare = None;
        self.new_modulation(&format!("{parameter} moves {sound} {}", property.trim()))
    }

    /// Wires a sound to an event: a reaction that plays it; the event is declared if need be.
    pub(super) fn wire(&mut self, sound: &str, event: &str) -> Result<(), Refusal> {
        let event = event.trim();
        if !estampie_project::language::lex::is_name(event) {
            return Err(format!("\"{event}\" cannot be the name of an event").into());
        }
        if !self.document().events.iter().any(|e| e.name == event) {
            self.workspace.declare_event(event)?;
        }
        self.workspace.add_reaction(&format!("wiring of {sound}"), &format!("When {event}\n  play {sound} at the emitter\n"));
        self.recompile();
        self.say(format!("{event} plays {sound} from now on"));
        Ok(())
    }
}
