//! The view *Wiring*: what the game tells, the reactions as sentences, modulations and formulas; and what hands do there.

mod draw;
mod index;
mod inputs;
mod sentence;
mod side_panel;
#[cfg(test)]
mod tests;

pub(super) use draw::{WIDTHS, draw};
pub(super) use sentence::Sentence;

pub(crate) use inputs::WiringPrompt;

use super::app::{App, Mode};
use super::keys::{Binding, Do, key};
use super::painter::Painter;
use super::stage::StagePrompt;
use super::text_field::TextField;
use super::view::{Face, Targets, View};
use estampie_engine::names::NameKey;
use estampie_project::compile::Sentences;
use estampie_project::complete::{Block, blocks};
use estampie_project::document::{Document, Refusal, ValueOf, did_you_mean};
use estampie_project::things::kind_of;
use ratatui::layout::Rect;
use std::cell::RefCell;
use std::collections::HashMap;
use std::ops::Range;
use std::rc::Rc;
use std::sync::Arc;

/// Its name.
pub(crate) const NAME: &str = "Wiring";

/// The view.
pub(crate) struct Wiring;

static FACE: Face = Face {
    name: NAME,
    key: '2',
    says: "what follows from what the game tells",
    keys: KEYS,
    mouse: &["click a line to choose it, again to edit or send it"],
    widths: WIDTHS,
};

impl View for Wiring {
    fn face(&self) -> &'static Face {
        &FACE
    }

    fn draw(&self, app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
        draw(app, painter, area, targets);
    }

    fn selected(&self, app: &App) -> Option<(&'static str, String)> {
        let name = app.wiring_subject()?;
        let kind = ["event", "parameter", "formula", "state"].into_iter().find(|kind| app.workspace.names(kind).contains(&name))?;
        Some((kind, name))
    }

    fn makes(&self, app: &App) -> Option<&'static str> {
        Some(self.selected(app).map_or("event", |(kind, _)| kind))
    }

    fn select(&self, app: &mut App, _kind: &'static str, name: &str) {
        let document = Arc::clone(app.workspace.document());
        let called = |told: &Told| match told {
            Told::Event(event) => event == name,
            Told::Parameter(at) => document.parameters[*at].name == name,
            Told::State(at) => document.states[*at].name == name,
            _ => false,
        };
        if let Some(at) = app.told().iter().position(called) {
            (app.wiring.column, app.wiring.told) = (Column::Told, at);
        }
    }

    fn act(&self, app: &mut App, does: Do) -> bool {
        app.act_wiring(does)
    }

    fn go(&self, app: &mut App, by: isize) {
        app.go_wiring(by);
    }
}

/// Its keys.
const KEYS: &[Binding] = &[
    key(&["enter"], Do::Main, "enter", "send it, edit the curve; declare what is sent undeclared", Some("send, fix")),
    key(&["n"], Do::NewReaction, "n", "a new reaction below; at the left, a new event, parameter, formula or state as what is selected", Some("new")),
    key(&["o"], Do::NewAction, "o", "a new action below", Some("action")),
    key(&["K"], Do::MoveUp, "K", "move the reaction up", None),
    key(&["J"], Do::MoveDown, "J", "move the reaction down", Some("reorder")),
    key(&["O"], Do::Off, "O", "switch the reaction off, or on again", Some("off")),
    key(&["D"], Do::Delete, "D", "take the reaction, action, modulation or formula out; at the left, delete it, what names it is said first", None),
    key(&["d"], Do::Duplicate, "d", "a copy of it: of a reaction or an action below it", None),
    key(&["c"], Do::Curve, "c", "edit the curve of the modulation", Some("curve")),
    key(&["M"], Do::NewModulation, "M", "a new modulation: strain moves hull/creak level", None),
    key(&["r"], Do::Rename, "r", "at the left, rename it wherever it is named; what is sent undeclared, to its nearest name", None),
    key(&["g"], Do::GiveBack, "g", "give the parameter back to what works it out", None),
    key(&["/"], Do::Filter, "/", "show only what has these letters, on both sides; esc shows all", None),
    key(&["y"], Do::Copy, "y", "copy the reaction or the action", None),
    key(&["p"], Do::Paste, "p", "paste it below", None),
];

/// The file of the reactions.
pub(super) const FILE: &str = "reactions.est";

/// A column of the view.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) enum Column {
    #[default]
    Told,
    Centre,
}

/// What the view remembers.
#[derive(Debug, Default)]
pub(crate) struct WiringView {
    pub(crate) column: Column,
    pub(crate) told: usize,
    pub(crate) row: usize,
    copied: Vec<String>,
    /// What looks at sentences while they are typed, and the program that it was made from.
    looks: RefCell<Option<(u64, Sentences)>>,
    /// The reactions of a state of the project.
    written: RefCell<Option<(Arc<Document>, Rc<Written>)>>,
    /// The index of a state of the project and of what was heard.
    index: RefCell<Option<index::Index>>,
    /// Only what has these letters is shown.
    pub(crate) filter: String,
    /// Which rows have them, of a state of the reactions.
    shown: RefCell<Option<index::Shown>>,
}

/// A line of the index.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Told {
    Event(String),
    Parameter(usize),
    State(usize),
    /// Declared, but nothing uses it.
    Unwired(String),
    /// Declared, but no playthrough says it, nor has it been said in this rehearsal.
    Unsent(String),
    /// Sent, but not declared.
    Undeclared(String),
}

/// A line of the centre that can be selected.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Row {
    /// A line of the reactions' file, counted from 0.
    Line(usize),
    /// A modulation, by its place in the file.
    Modulation(usize),
    /// A formula, by name.
    Formula(String),
}

/// The reactions as they are written, and the lines of the centre.
#[derive(Debug)]
pub(crate) struct Written {
    /// The text of the file.
    pub(crate) text: String,
    /// Where its lines are in the text.
    lines: Vec<Range<usize>>,
    /// Its blocks, in the order of the file.
    pub(crate) blocks: Vec<Block>,
    /// What can be selected.
    pub(crate) rows: Vec<Row>,
    /// The names that sentences can have, and whether each is the game's to move.
    names: HashMap<String, bool>,
}

impl Written {
    fn of(text: &str, document: &Document) -> Written {
        let text = text.to_owned();
        let mut from = 0;
        let lines: Vec<Range<usize>> = text
            .split_inclusive('\n')
            .map(|line| {
                let at = from;
                from += line.len();
                at..at + line.trim_end_matches(['\n', '\r']).len()
            })
            .collect();
        let blocks = blocks(&text);
        let written = |at: &usize| {
            let line = text[lines[*at].clone()].trim_start();
            !line.is_empty() && !line.starts_with('#')
        };
        let rows = blocks
            .iter()
            .flat_map(|b| (b.head..b.end).filter(written).map(Row::Line))
            .chain(document.modulations.iter().map(|m| Row::Modulation(m.written)))
            .chain(document.parameters.iter().filter(|p| matches!(p.source, ValueOf::Formula(_))).map(|p| Row::Formula(p.name.clone())))
            .collect();
        let known = document.events.iter().map(|e| &e.name).chain(document.sounds.iter().map(|s| &s.name));
        let values = document.states.iter().flat_map(|s| &s.values).map(|v| &v.value);
        let moved = document.parameters.iter().map(|p| &p.name).chain(document.states.iter().map(|s| &s.name));
        // What the game moves counts where two things are called alike.
        let names = known.chain(values).map(|name| (name.clone(), false)).chain(moved.map(|name| (name.clone(), true))).collect();
        Written { text, lines, blocks, rows, names }
    }

    /// Whether a word is the name of something, and if so, whether that is the game's to move.
    pub(crate) fn name(&self, word: &str) -> Option<bool> {
        self.names.get(word).copied()
    }

    /// A line of the file, from 0.
    pub(crate) fn line(&self, at: usize) -> Option<&str> {
        self.text.get(self.lines.get(at)?.clone())
    }

    /// The last block that begins at a line or before.
    pub(crate) fn block_at(&self, line: usize) -> Option<usize> {
        self.blocks.partition_point(|b| b.first <= line).checked_sub(1)
    }
}

impl App {
    /// The reactions as they are written now: worked out once for each state of the project.
    pub(crate) fn written(&self) -> Rc<Written> {
        let document = self.workspace.document();
        let mut kept = self.wiring.written.borrow_mut();
        if let Some((of, written)) = kept.as_ref()
            && Arc::ptr_eq(of, document)
        {
            return Rc::clone(written);
        }
        let written = Rc::new(Written::of(self.workspace.sources().get(FILE).map_or("", |text| text), document));
        *kept = Some((Arc::clone(document), Rc::clone(&written)));
        written
    }

    pub(crate) fn reactions_text(&self) -> String {
        self.written().text.clone()
    }

    /// The selected line of the centre.
    pub(crate) fn wiring_row(&self) -> Option<Row> {
        self.written().rows.get(self.wiring.row).cloned()
    }

    /// The block that a line belongs to, with its number from 0.
    pub(crate) fn block_of(&self, line: usize) -> Option<(usize, Block)> {
        let written = self.written();
        let at = written.block_at(line)?;
        Some((at, written.blocks[at])).filter(|(_, b)| (b.first..b.end).contains(&line))
    }

    /// What the selected line is about: an event, a parameter or a state.
    pub(crate) fn wiring_subject(&self) -> Option<String> {
        let document = self.document();
        if self.wiring.column == Column::Told {
            return Some(match self.told().get(self.wiring.told).cloned()? {
                Told::Event(name) | Told::Unwired(name) | Told::Unsent(name) | Told::Undeclared(name) => name,
                Told::Parameter(index) => document.parameters[index].name.clone(),
                Told::State(index) => document.states[index].name.clone(),
            });
        }
        match self.wiring_row()? {
            Row::Line(line) => {
                let (_, block) = self.block_of(line)?;
                let written = self.written();
                let head = written.line(block.head)?;
                head.split_whitespace().skip_while(|w| !w.eq_ignore_ascii_case("when")).nth(1).map(str::to_owned)
            }
            Row::Modulation(written) => document.modulations.iter().find(|m| m.written == written).map(|m| m.from.value.clone()),
            Row::Formula(name) => Some(name),
        }
    }

    /// Selects a line of the reactions' file.
    pub(super) fn go_to_reaction(&mut self, line: usize) {
        self.show(NAME);
        self.wiring.filter.clear();
        self.wiring.column = Column::Centre;
        self.wiring.row = self.written().rows.iter().position(|r| *r == Row::Line(line)).unwrap_or(0);
    }

    /// Selects a modulation, by its place in the file.
    pub(super) fn go_to_modulation(&mut self, written: usize) {
        self.show(NAME);
        self.wiring.filter.clear();
        self.wiring.column = Column::Centre;
        self.wiring.row = self.written().rows.iter().position(|r| *r == Row::Modulation(written)).unwrap_or(0);
    }

    /// Does what a key means in this view; false if it means nothing of its own here.
    pub(super) fn act_wiring(&mut self, does: Do) -> bool {
        match does {
            Do::NextColumn | Do::PreviousColumn => self.wiring.column = if self.wiring.column == Column::Told { Column::Centre } else { Column::Told },
            Do::Left => self.nudge_told(-1.0),
            Do::Right => self.nudge_told(1.0),
            Do::FineLeft => self.nudge_told(-0.1),
            Do::FineRight => self.nudge_told(0.1),
            Do::Main => self.main_wiring(),
            Do::Edit => self.edit_wiring(),
            Do::NewReaction if self.wiring.column == Column::Told => return self.act_on_told(Do::New),
            Do::NewReaction => self.begin_new(true),
            Do::NewAction => self.begin_new(false),
            Do::MoveUp => self.move_block(-1),
            Do::MoveDown => self.move_block(1),
            Do::Off => self.switch_off(),
            Do::Delete | Do::Duplicate if self.wiring.column == Column::Told => return self.act_on_told(does),
            Do::Delete => self.delete_row(),
            Do::Duplicate => self.duplicate_row(),
            Do::Curve => match self.wiring_row().filter(|_| self.wiring.column == Column::Centre) {
                Some(Row::Modulation(written)) => self.begin_curve(written),
                _ => self.say("choose a modulation; tab goes to the centre"),
            },
            Do::NewModulation => {
                let from = self.wiring_subject().filter(|s| self.document().parameters.iter().any(|p| p.name == *s)).unwrap_or_default();
                let begun = if from.is_empty() { String::new() } else { format!("{from} moves ") };
                self.mode = Mode::typing(WiringPrompt::NewModulation, TextField::new(&begun));
            }
            Do::Rename if self.wiring.column == Column::Told && self.view().selected(self).is_some() => return false,
            Do::Rename => self.rename_to_nearest(),
            Do::GiveBack => self.give_back(),
            Do::Filter => self.mode = Mode::typing(WiringPrompt::Filter, TextField::new(&self.wiring.filter)),
            Do::Back if !self.wiring.filter.is_empty() => self.filter_wiring(""),
            Do::Copy => self.copy_rows(),
            Do::Paste => self.paste_rows(),
            Do::Rest => {
                if let Some(Told::Parameter(index)) = self.told().get(self.wiring.told).cloned() {
                    let rest = self.document().parameters[index].rest;
                    self.set_parameter(index, rest);
                }
            }
            _ => return false,
        }
        true
    }

    /// What is done to what is selected at the left, as in all lists.
    fn act_on_told(&mut self, does: Do) -> bool {
        self.act_on_selected(does);
        true
    }

    fn nudge_told(&mut self, by: f32) {
        let document = self.document();
        let subject = self.wiring_subject().unwrap_or_default();
        if let Some(index) = document.parameters.iter().position(|p| p.name == subject) {
            self.nudge_parameter(index, by);
        } else if let Some(index) = document.states.iter().position(|s| s.name == subject) {
            self.nudge_state(index, by);
        }
    }

    fn main_wiring(&mut self) {
        if self.wiring.column == Column::Told {
            match self.told().get(self.wiring.told).cloned() {
                Some(Told::Event(name)) => self.rehearsal.event(&name),
                Some(Told::Undeclared(name)) => {
                    let done = self.workspace.declare_event(&name);
                    self.edited(done);
                    self.say(format!("{name} is declared; n writes a reaction to it"));
                }
                Some(Told::Unwired(name)) if self.document().events.iter().any(|e| e.name == name) => self.begin_new_with(&format!("When {name}")),
                Some(Told::Unwired(name)) => self.mode = Mode::typing(WiringPrompt::NewModulation, TextField::new(&format!("{name} moves "))),
                Some(Told::Unsent(name)) if self.document().events.iter().any(|e| e.name == name) => self.rehearsal.event(&name),
                Some(Told::Unsent(_)) => self.nudge_told(1.0),
                Some(Told::State(index)) => self.nudge_state(index, 1.0),
                Some(Told::Parameter(_)) => self.edit_wiring(),
                None => {}
            }
            return;
        }
        match self.wiring_row() {
            Some(Row::Modulation(written)) => self.begin_curve(written),
            Some(Row::Formula(_)) => self.edit_wiring(),
            Some(Row::Line(_)) => {
                let subject = self.wiring_subject().unwrap_or_default();
                if self.document().events.iter().any(|e| e.name == subject) {
                    self.rehearsal.event(&subject);
                } else {
                    self.say(format!("{subject} is no event: ← → move it"));
                }
            }
            None => {}
        }
    }

    fn edit_wiring(&mut self) {
        let document = self.document();
        if self.wiring.column == Column::Told {
            let subject = self.wiring_subject().unwrap_or_default();
            if document.parameters.iter().any(|p| p.name == subject) {
                self.mode = Mode::typing(StagePrompt::Parameter(subject), TextField::default());
            } else {
                self.say("choose a parameter to type a value for, or a sentence of the centre to edit");
            }
            return;
        }
        match self.wiring_row() {
            Some(Row::Line(line)) => self.begin_sentence(line),
            Some(Row::Formula(name)) => {
                let text = document.parameters.iter().find(|p| p.name == name).map_or_else(String::new, |p| estampie_project::document::source_text(&p.source));
                self.mode = Mode::typing(WiringPrompt::Formula(name), TextField::new(&text));
            }
            Some(Row::Modulation(written)) => {
                let Some(doc) = document.modulations.iter().find(|m| m.written == written) else { return };
                let text = if doc.smooth.0 == 0.0 { String::new() } else { doc.smooth.to_string() };
                self.mode = Mode::typing(WiringPrompt::Smooth(written), TextField::offer(&text));
            }
            None => self.begin_new(true),
        }
    }

    /// Moves the selected reaction with its comments past its neighbour.
    fn move_block(&mut self, by: isize) {
        let Some(Row::Line(line)) = self.wiring_row().filter(|_| self.wiring.column == Column::Centre) else { return };
        let text = self.reactions_text();
        let list = blocks(&text);
        let Some((at, block)) = self.block_of(line) else { return };
        let Some(other) = at.checked_add_signed(by).and_then(|o| list.get(o)).copied() else { return };
        let lines: Vec<&str> = text.lines().collect();
        let (first, second) = if by < 0 { (other, block) } else { (block, other) };
        let mut new: Vec<&str> = lines[..first.first].to_vec();
        new.extend(&lines[second.first..second.end]);
        new.extend(&lines[first.end..second.first]);
        new.extend(&lines[first.first..first.end]);
        new.extend(&lines[second.end..]);
        let moved = if by < 0 { line - (block.first - other.first) } else { line + (other.end - block.end) };
        self.write_reactions(&format!("order of reaction {}", at + 1), &new.join("\n"));
        self.go_to_reaction(moved);
    }

    fn switch_off(&mut self) {
        let Some(Row::Line(line)) = self.wiring_row().filter(|_| self.wiring.column == Column::Centre) else { return self.say("choose a reaction") };
        let Some((at, block)) = self.block_of(line) else { return };
        let text = self.reactions_text();
        let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
        let head = &lines[block.head];
        let on = head.strip_prefix("Off: ").map(str::to_owned);
        let word = if on.is_some() { "on" } else { "off" };
        lines[block.head] = on.unwrap_or_else(|| format!("Off: {head}"));
        self.write_reactions(&format!("reaction {} {word}", at + 1), &lines.join("\n"));
        self.say(format!("reaction {} is {word}", at + 1));
    }

    /// Writes the reactions' file as one edit.
    pub(super) fn write_reactions(&mut self, name: &str, text: &str) {
        let text = if text.is_empty() || text.ends_with('\n') { text.to_owned() } else { format!("{text}\n") };
        self.workspace.replace(name, FILE, &text);
        self.recompile();
    }

    fn delete_row(&mut self) {
        match self.wiring_row() {
            Some(Row::Line(line)) => {
                let Some((at, block)) = self.block_of(line) else { return };
                let text = self.reactions_text();
                let lines: Vec<&str> = text.lines().collect();
                let whole = line == block.head;
                let mut cut = if whole { block.first..block.end } else { line..line + 1 };
                // The blank line after a reaction goes with it.
                if whole && lines.get(cut.end).is_some_and(|l| l.trim().is_empty()) {
                    cut.end += 1;
                }
                let left: Vec<&str> = lines.iter().enumerate().filter(|(i, _)| !cut.contains(i)).map(|(_, l)| *l).collect();
                let name = if whole { format!("deletion of reaction {}", at + 1) } else { format!("deletion in reaction {}", at + 1) };
                self.write_reactions(&name, &left.join("\n"));
            }
            Some(Row::Modulation(written)) => {
                let done = self.workspace.delete_modulation("deletion of a modulation", written);
                self.edited(done);
            }
            Some(Row::Formula(name)) => {
                let nothing = estampie_project::document::NewValue::Nothing;
                let done = self.workspace.set_values(&format!("deletion of {name}"), &[("game.toml", vec!["formulas", &name], nothing)]);
                self.edited(done);
            }
            None => {}
        }
        self.wiring.row = self.wiring.row.min(self.written().rows.len().saturating_sub(1));
    }

    /// What is sent undeclared, or named wrongly in the selected sentence, means its nearest known name.
    fn rename_to_nearest(&mut self) {
        if self.wiring.column == Column::Centre {
            return self.take_fix();
        }
        let Some(Told::Undeclared(name)) = self.told().get(self.wiring.told).cloned() else {
            return self.say("choose what is sent and not declared, or a sentence with a fault");
        };
        let fix = did_you_mean(&name, self.document().events.iter().map(|e| e.name.as_str()), "");
        let Some(nearest) = fix.strip_suffix('?').map(str::to_owned) else {
            return self.say(format!("no known event is spelled like {name}; enter declares it"));
        };
        match self.workspace.rename_event(&name, &nearest, false) {
            Ok(()) => {
                self.rehearsal.history.forget_undeclared(NameKey::of(&name));
                self.recompile();
                self.say(format!("{name} is {nearest} wherever the project named it; the game must send {nearest} too"));
            }
            Err(why) => self.alarm(why.to_string()),
        }
    }

    fn give_back(&mut self) {
        let Some(subject) = self.wiring_subject() else { return };
        let key = NameKey::of(&subject);
        if self.rehearsal.only.held.contains(&key) {
            self.rehearsal.change_only(|only| {
                only.held.remove(&key);
            });
            self.say(format!("{subject} is worked out again"));
        } else if let Some(index) = self.document().parameters.iter().position(|p| p.name == subject) {
            let rest = self.document().parameters[index].rest;
            self.set_parameter(index, rest);
            self.say(format!("{subject} is at rest; the game moves it from here"));
        }
    }

    fn copy_rows(&mut self) {
        let Some(Row::Line(line)) = self.wiring_row().filter(|_| self.wiring.column == Column::Centre) else { return self.say("choose a sentence to copy") };
        let Some((_, block)) = self.block_of(line) else { return };
        let text = self.reactions_text();
        let lines: Vec<&str> = text.lines().collect();
        let range = if line == block.head { block.first..block.end } else { line..line + 1 };
        self.wiring.copied = lines[range].iter().map(|l| (*l).to_owned()).collect();
        self.say(if line == block.head { "the reaction is copied" } else { "the action is copied" });
    }

    /// A copy of the chosen reaction, action or modulation below it.
    fn duplicate_row(&mut self) {
        match self.wiring_row() {
            Some(Row::Line(_)) => {
                // What was copied before stays copied.
                let kept = std::mem::take(&mut self.wiring.copied);
                self.copy_rows();
                self.paste_rows();
                self.wiring.copied = kept;
                self.say("a copy, below it");
            }
            Some(Row::Modulation(written)) => {
                let all = kind_of("modulation").map(|kind| self.workspace.things(kind)).unwrap_or_default();
                if let Some(thing) = all.get(written) {
                    self.duplicate_thing(thing);
                    self.go_to_modulation(all.len());
                }
            }
            Some(Row::Formula(name)) => {
                let thing = kind_of("formula").and_then(|kind| self.workspace.thing_named(kind, &name));
                if let Some(thing) = thing {
                    self.duplicate_thing(&thing);
                }
            }
            None => self.say("choose a reaction, an action, a modulation or a formula to copy"),
        }
    }

    fn paste_rows(&mut self) {
        let copied = self.wiring.copied.clone();
        let Some(first) = copied.first() else { return self.say("nothing is copied; y copies") };
        let text = self.reactions_text();
        let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
        let here = if let Some(Row::Line(line)) = self.wiring_row() { self.block_of(line).map(|(_, b)| (line, b)) } else { None };
        let action = first.starts_with(char::is_whitespace);
        let at = match here {
            Some((line, _)) if action => line + 1,
            Some((_, block)) => block.end,
            None if action => return self.say("an action belongs below a reaction"),
            None => lines.len(),
        };
        let mut put = copied.clone();
        if !action {
            put.insert(0, String::new());
        }
        let count = put.len();
        lines.splice(at..at, put);
        self.write_reactions("pasted sentence", &lines.join("\n"));
        self.go_to_reaction(at + if action { 0 } else { count - copied.len() + copied.iter().take_while(|l| l.starts_with('#')).count() });
    }

    /// Takes what was typed for a new modulation: `strain moves hull/creak level`.
    pub(super) fn new_modulation(&mut self, text: &str) -> Result<(), Refusal> {
        let usage = "write PARAMETER moves SOUND PROPERTY, bus BUS level, bus BUS EFFECT SETTING, bus BUS send RETURN, or snapshot NAME amount";
        let (from, moves) = parts_of(text).ok_or(usage)?;
        let document = self.document();
        let parameter = document.parameters.iter().find(|p| p.name == from).ok_or_else(|| {
            let fix = did_you_mean(from, document.parameters.iter().map(|p| p.name.as_str()), "");
            format!("there is no parameter \"{from}\" {fix}")
        })?;
        let words: Vec<&str> = moves.split_whitespace().collect();
        let word = words.last().ok_or(usage)?;
        let property = estampie_project::document::property_of(document, &words)
            .or_else(|| estampie_engine::property::Property::ALL.iter().find(|(_, w)| w == word).map(|(p, _)| *p))
            .ok_or_else(|| format!("\"{word}\" cannot be moved; {usage}"))?;
        // The curve of a setting gives the value itself.
        let mix = &self.program().mix;
        let setting = mix.find_cell.get(NameKey::of(&words.join(" "))).map(|c| &mix.cells[c]).map(|c| c.unscaled(c.rest));
        let begin = setting.filter(|_| matches!(property, estampie_engine::property::Property::Setting(_))).unwrap_or(0.0);
        let ends = if parameter.high - parameter.low < 1e5 { (parameter.low, parameter.high) } else { (0.0, 1.0) };
        let point = |x| {
            estampie_project::document::print_point(
                &estampie_engine::curve::Point { x, y: begin, shape: estampie_engine::curve::Shape::Straight },
                &parameter.unit,
                property,
            )
        };
        // It begins by moving nothing, and the editor opens on it.
        let points = [point(ends.0), point(ends.1)];
        let before = (self.faults.len(), document.modulations.len());
        self.workspace.add_modulation(from, moves, &points)?;
        self.recompile();
        if self.faults.len() > before.0 {
            let new = self.faults.iter().rev().find(|f| f.place.file == "modulation.toml").cloned();
            let _ = self.workspace.undo();
            self.recompile();
            return Err(new.map_or_else(|| "it cannot be so".into(), Refusal::from));
        }
        if let Some(written) = self.document().modulations.last().map(|m| m.written) {
            if self.shows(NAME) {
                self.go_to_modulation(written);
            }
            self.begin_curve(written);
        }
        Ok(())
    }

    /// Takes a typed formula.
    pub(super) fn set_formula(&mut self, name: &str, text: &str) -> Result<(), Refusal> {
        estampie_project::language::formula::parse(&Default::default(), text).map_err(|f| format!("{}; {}", f.what, f.fix))?;
        let table = self.workspace.is_table("game.toml", &["formulas", name]);
        let path = if table { vec!["formulas", name, "is"] } else { vec!["formulas", name] };
        let before = self.faults.len();
        self.workspace.set_values(&format!("formula {name}"), &[("game.toml", path, estampie_project::document::NewValue::Text(text.to_owned()))])?;
        self.recompile();
        if self.faults.len() > before {
            let new = self.faults.iter().find(|f| f.place.file == "game.toml").cloned();
            let _ = self.workspace.undo();
            self.recompile();
            return Err(new.map_or_else(|| "it cannot be so".into(), Refusal::from));
        }
        Ok(())
    }
}

/// What moves and what is moved, of `strain moves hull/creak level`. A whole sentence typed behind one that was begun counts.
fn parts_of(text: &str) -> Option<(&str, &str)> {
    let (head, moves) = text.rsplit_once(" moves ")?;
    Some((head.split_whitespace().last()?, moves.trim()))
}

#[cfg(test)]
mod names {
    use super::*;

    #[test]
    fn a_modulation_is_read_whether_its_beginning_stood_there_or_not() {
        assert_eq!(parts_of("strain moves hull/creak level"), Some(("strain", "hull/creak level")));
        assert_eq!(parts_of("depth moves strain moves bus main level "), Some(("strain", "bus main level")));
        assert_eq!(parts_of(" moves hull/creak level"), None);
        assert_eq!(parts_of("strain hull/creak level"), None);
    }
}
