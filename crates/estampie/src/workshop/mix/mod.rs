//! The view *Mix*: buses with levels, effects and sends, snapshots that lie over them, ducks, player levels, loudness.

mod compare;
mod copy;
mod draw;
mod effect_values;
mod inputs;
mod loud;
mod panels;
mod picture;
mod snapshots;
#[cfg(test)]
mod tests;

pub(crate) use compare::Kept;
pub(crate) use draw::{draw, level_at};

pub(crate) use inputs::MixPrompt;

use super::app::{App, Mode};
use super::keys::{Binding, Do, key};
use super::painter::Painter;
use super::text_field::TextField;
use super::view::{Face, Targets, View};
use estampie_engine::dsp::effects::{Kind, Setting};
use estampie_engine::engine::InputKind;
use estampie_engine::mixer::spec::player_level;
use estampie_engine::names::NameKey;
use estampie_engine::property::Unit;
use estampie_engine::units::Decibels;
use estampie_project::document::{BusDoc, Clipping, ClippingKind, EffectDoc, Located, SnapshotDoc, kind_of};
use ratatui::layout::Rect;
use std::time::Instant;

/// Its name.
pub(crate) const NAME: &str = "Mix";

/// The view.
pub(crate) struct Mix;

static FACE: Face = Face {
    name: NAME,
    key: '5',
    says: "buses, effects, sends, snapshots",
    keys: KEYS,
    mouse: &["click a bus, a send, what a snapshot holds, a setting", "drag a level, or a point of an effect's picture"],
    widths: (31, 46),
};

impl View for Mix {
    fn face(&self) -> &'static Face {
        &FACE
    }

    fn draw(&self, app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets) {
        draw(app, painter, area, targets);
    }

    fn selected(&self, app: &App) -> Option<(&'static str, String)> {
        match app.mix.focus {
            Focus::Snapshots => Some(("snapshot", app.snapshot_doc()?.name.clone())),
            Focus::Effect => Some(("effect", format!("{}/{}", app.bus_doc()?.name, app.effect_doc()?.0.name))),
            Focus::Player => Some(("player level", app.document().player_levels.get(app.mix.player)?.name.clone())),
            Focus::Levels | Focus::Sends => Some(("bus", app.bus_doc()?.name.clone())),
        }
    }

    fn makes(&self, app: &App) -> Option<&'static str> {
        Some(match app.mix.focus {
            Focus::Snapshots => "snapshot",
            Focus::Effect => "effect",
            Focus::Player => "player level",
            Focus::Levels | Focus::Sends => "bus",
        })
    }

    fn select(&self, app: &mut App, kind: &'static str, name: &str) {
        app.select_mix(kind, name);
    }

    fn act(&self, app: &mut App, does: Do) -> bool {
        app.act_mix(does)
    }

    fn go(&self, _app: &mut App, _by: isize) {}

    fn bus(&self, app: &App) -> Option<NameKey> {
        app.program().mix.buses.get(app.bus).map(|b| b.key)
    }

    fn tells_loudness(&self) -> bool {
        true
    }
}

/// Its keys.
const KEYS: &[Binding] = &[
    key(&["enter"], Do::Main, "enter", "the settings of the bus's effect; hear the snapshot; type the value", Some("open, hear")),
    key(&["o"], Do::Target, "o", "edit the chosen snapshot instead of the mix; again, or esc, goes back", Some("edit snapshot")),
    key(&["a"], Do::Without, "a", "keep this as B, then go over to B and back, as loud; without the edited snapshot, while held", Some("a/b")),
    key(&["A"], Do::Differences, "A", "what differs between A and B, and to keep one of them", None),
    key(&["n"], Do::New, "n", "a new bus, snapshot or player level, as what is selected", Some("new")),
    key(&["v"], Do::NewReturn, "v", "a new return with its effect, to which the bus sends: hall reverb", Some("return")),
    key(&["i"], Do::NewEffect, "i", "a new effect on the bus", Some("effect")),
    key(&["S"], Do::NewSnapshot, "S", "a new snapshot", Some("snapshot")),
    key(&["<"], Do::JumpBack, "<", "the return, snapshot or effect before", None),
    key(&[">"], Do::JumpOn, ">", "the next return, snapshot or effect", Some("next")),
    key(&["("], Do::LessByHand, "(", "less of the chosen snapshot by hand (temporary)", None),
    key(&[")"], Do::MoreByHand, ")", "more of it by hand (temporary)", None),
    key(&["N"], Do::TakeUnsaved, "N", "a new snapshot of what is unsaved in the mix", None),
    key(&["K"], Do::MoveUp, "K", "the effect earlier on its bus", None),
    key(&["J"], Do::MoveDown, "J", "the effect later on its bus", None),
    key(&["E"], Do::EditShared, "E", "edit the setting of the shared effect behind it, for all that are like it", None),
    key(&["y"], Do::Copy, "y", "copy the bus's settings, the open effect, or what the snapshot holds", Some("copy")),
    key(&["p"], Do::Paste, "p", "paste it here", None),
    key(&["/"], Do::Find, "/", "find a bus, snapshot or effect by a few letters and go there", None),
    key(&["r"], Do::Rename, "r", "rename it wherever it is named", None),
    key(&["d"], Do::Duplicate, "d", "a copy of it", None),
    key(&["T"], Do::LoudnessTarget, "T", "type the loudness that the whole should have: -18 LUFS", None),
    key(&["b"], Do::Bypass, "b", "bypass the effect, or the send (temporary)", Some("bypass")),
    key(&["B"], Do::BypassAll, "B", "bypass all effects (temporary)", None),
    key(&["O"], Do::Off, "O", "leave the effect out, or let it in again", None),
    key(&["D"], Do::Delete, "D", "delete the bus, effect or snapshot, what names it is said first; take the send out", None),
];

/// What keys go to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) enum Focus {
    /// The levels of buses.
    #[default]
    Levels,
    /// What they send.
    Sends,
    /// What snapshots hold.
    Snapshots,
    /// The settings of an effect.
    Effect,
    /// The levels that the player sets.
    Player,
}

/// What is chosen in the view.
#[derive(Default)]
pub(crate) struct MixView {
    pub(crate) focus: Focus,
    /// The return, snapshot, effect, setting and player level that are chosen, by their places.
    pub(crate) send: usize,
    pub(crate) snapshot: usize,
    pub(crate) effect: usize,
    pub(crate) setting: usize,
    pub(crate) player: usize,
    /// The snapshot that is edited instead of the mix, by name.
    pub(crate) target: Option<String>,
    /// It is heard without that snapshot just now.
    pub(crate) without: bool,
    /// What was copied.
    pub(crate) clipping: Option<Clipping>,
    /// The point of the effect's picture that the mouse holds, and the axes as they were when it was taken.
    pub(crate) held: Option<(usize, super::axes::Axes)>,
    /// What the present state is compared with.
    pub(crate) kept: Option<Kept>,
    /// The key that hears without it: when it was pressed last, and whether it is held down.
    pressed: Option<(Instant, bool)>,
}

const ORDER: [Focus; 5] = [Focus::Levels, Focus::Sends, Focus::Snapshots, Focus::Effect, Focus::Player];

/// A value a step further: half a decibel, a sixth of an octave, a fiftieth of a range.
fn stepped(setting: &Setting, value: f32, by: f32) -> f32 {
    let next = match setting.unit {
        Unit::Decibels => ((value + by * 0.5) * 10.0).round() / 10.0,
        Unit::Choice(_) => value + by.signum(),
        Unit::Semitones => ((value + by * 0.5) * 100.0).round() / 100.0,
        _ if setting.by_octaves() => rounded(value * (by / 6.0).exp2()),
        _ => {
            let step = (setting.high - setting.low) / 50.0;
            ((value / step + by).round() * step * 1000.0).round() / 1000.0
        }
    };
    next.clamp(setting.low, setting.high)
}

/// Three digits are enough for what one types.
fn rounded(value: f32) -> f32 {
    let digits = 10f32.powf(2.0 - value.abs().max(1e-6).log10().floor());
    (value * digits).round() / digits
}

impl App {
    /// The document's bus behind the chosen line.
    pub(crate) fn bus_doc(&self) -> Option<&BusDoc> {
        let name = self.bus_name(self.bus)?;
        self.document().buses.iter().find(|b| b.name == name)
    }

    /// The names of returns, in the order of their columns.
    pub(crate) fn returns(&self) -> Vec<String> {
        let program = self.program();
        program.mix.buses.iter().filter(|b| b.returns).map(|b| program.names.get(b.key).to_owned()).collect()
    }

    pub(crate) fn snapshot_doc(&self) -> Option<&SnapshotDoc> {
        self.document().snapshots.get(self.mix.snapshot)
    }

    /// The chosen effect of the chosen bus.
    pub(crate) fn effect_doc(&self) -> Option<(&EffectDoc, &'static Kind)> {
        let effect = self.bus_doc()?.effects.get(self.mix.effect)?;
        Some((effect, kind_of(&self.document().shared.effect, effect)?))
    }

    /// The value of the mix of a name as the project sets it, in its unit.
    pub(crate) fn mix_rest(&self, name: &str) -> Option<f32> {
        let mix = &self.program().mix;
        let cell = &mix.cells[mix.find_cell.get(NameKey::of(name))?];
        Some(cell.unscaled(cell.rest))
    }

    /// The same as it is now.
    pub(crate) fn mix_now(&self, name: &str) -> Option<f32> {
        let program = self.rehearsal.status_program()?;
        self.rehearsal.status.as_ref()?.cells.of(program.mix.find_cell.get(NameKey::of(name))?).copied()
    }

    /// What a snapshot holds of a value, as written.
    pub(crate) fn held_text<'a>(snapshot: &'a SnapshotDoc, what: &str) -> Option<(bool, &'a Located<String>)> {
        snapshot.holds.iter().find(|h| h.what.value == what).map(|h| (h.by, &h.value))
    }

    /// Snapshots that are up at all, with how much there is of each.
    pub(crate) fn risen(&self) -> Vec<(String, f32)> {
        let Some((program, status)) = self.rehearsal.status_program().zip(self.rehearsal.status.as_ref()) else { return Vec::new() };
        let named = program.mix.snapshots.iter().zip(&status.snapshots);
        named.filter(|(_, s)| s.share > 0.005).map(|(spec, s)| (program.names.get(spec.key).to_owned(), s.share)).collect()
    }

    /// Whether something would change the mix beneath the snapshot that is edited, which stays as it is.
    fn would_change_beneath(&self, does: Do) -> bool {
        let own = match does {
            Do::NewEffect | Do::NewReturn | Do::New | Do::Rename | Do::Duplicate | Do::MoveUp | Do::MoveDown | Do::Off | Do::EditShared | Do::TakeUnsaved => {
                false
            }
            Do::Paste => self.mix.clipping.as_ref().is_some_and(|c| c.kind == ClippingKind::Snapshot),
            Do::Delete => !matches!(self.mix.focus, Focus::Levels | Focus::Effect),
            _ => true,
        };
        self.mix.target.is_some() && !own
    }

    pub(super) fn act_mix(&mut self, does: Do) -> bool {
        if self.would_change_beneath(does)
            && let Some(target) = &self.mix.target
        {
            let text = format!("you are editing the snapshot {target}: esc goes back to the mix, where this belongs");
            self.alarm(text);
            return true;
        }
        match does {
            Do::Up => self.go_mix(-1),
            Do::Down => self.go_mix(1),
            Do::Left => self.nudge_mix(-1.0),
            Do::Right => self.nudge_mix(1.0),
            Do::FineLeft => self.nudge_mix(-0.2),
            Do::FineRight => self.nudge_mix(0.2),
            Do::NextColumn | Do::PreviousColumn => {
                let at = ORDER.iter().position(|f| *f == self.mix.focus).unwrap_or(0);
                let by = if does == Do::NextColumn { 1 } else { ORDER.len() - 1 };
                self.mix.focus = ORDER[(at + by) % ORDER.len()];
                self.hold_mix();
            }
            Do::JumpBack => self.along_mix(-1),
            Do::JumpOn => self.along_mix(1),
            Do::Main => self.main_mix(),
            Do::Edit => self.type_mix(),
            Do::Rest => self.rest_mix(),
            Do::NewEffect => match self.bus_name(self.bus) {
                Some(bus) => self.mode = Mode::typing(MixPrompt::NewEffect(bus), TextField::default()),
                None => return false,
            },
            Do::NewSnapshot => self.mode = Mode::typing(MixPrompt::NewSnapshot, TextField::default()),
            Do::Target => self.target_snapshot(),
            Do::Without => match self.mix.target {
                Some(_) => self.hear_without(),
                None => self.compare(),
            },
            Do::Differences => match self.mix.kept {
                Some(_) => {
                    self.scroll = 0;
                    self.mode = Mode::Differences;
                }
                None => self.say("nothing is kept to compare with; a keeps the present state as B"),
            },
            Do::Copy => self.copy_mix(),
            Do::Paste => self.paste_mix(),
            Do::New if self.mix.focus == Focus::Effect => return self.act_mix(Do::NewEffect),
            Do::NewReturn => match self.bus_name(self.bus) {
                Some(bus) => self.mode = Mode::typing(MixPrompt::NewReturn(bus), TextField::default()),
                None => return false,
            },
            Do::Duplicate if self.mix.focus == Focus::Snapshots => self.duplicate_in_mix(),
            Do::MoveUp => self.move_effect(-1),
            Do::MoveDown => self.move_effect(1),
            Do::LessByHand => self.nudge_hand(-10),
            Do::MoreByHand => self.nudge_hand(10),
            Do::EditShared => self.edit_shared_effect(),
            Do::TakeUnsaved => self.mode = Mode::typing(MixPrompt::UnsavedSnapshot, TextField::default()),
            Do::LoudnessTarget => {
                let now = self.document().manifest.target_lufs.map_or(String::new(), |t| format!("{t} LUFS"));
                self.mode = Mode::typing(MixPrompt::LoudnessTarget, TextField::offer(&now));
            }
            Do::Bypass => self.bypass_one(),
            Do::BypassAll => {
                let on = !self.rehearsal.only.bypassed.contains(&NameKey::NONE);
                self.rehearsal.change_only(|only| {
                    only.bypassed.clear();
                    if on {
                        only.bypassed.insert(NameKey::NONE);
                    }
                });
                self.say(if on { "all effects are bypassed (temporary)" } else { "effects are heard again" });
            }
            Do::Off => {
                let found = self.bus_name(self.bus).zip(self.effect_doc().map(|(i, _)| (i.name.clone(), i.off.unwrap_or(false))));
                match found {
                    Some((bus, (effect, off))) => {
                        let done = self.workspace.set_effect_off(&bus, &effect, !off);
                        self.edited(done);
                    }
                    None => self.say("there is no effect here"),
                }
            }
            // The send of the bus, or back to its default; all else is a thing that other things may name.
            Do::Delete if matches!(self.mix.focus, Focus::Sends | Focus::Player) => self.rest_mix(),
            Do::Back if self.mix.target.is_some() => self.leave_target(),
            _ => return false,
        }
        true
    }

    /// Keeps what is chosen within what there is.
    pub(crate) fn hold_mix(&mut self) {
        let last = |n: usize| n.saturating_sub(1);
        let (returns, snapshots) = (self.returns().len(), self.document().snapshots.len());
        let effects = self.bus_doc().map_or(0, |b| b.effects.len());
        let levels = self.document().player_levels.len();
        let mix = &mut self.mix;
        (mix.send, mix.snapshot) = (mix.send.min(last(returns)), mix.snapshot.min(last(snapshots)));
        (mix.effect, mix.player) = (mix.effect.min(last(effects)), mix.player.min(last(levels)));
        let settings = self.effect_doc().map_or(0, |(_, kind)| kind.settings.len() + 1);
        self.mix.setting = self.mix.setting.min(last(settings));
        if self.mix.target.as_ref().is_some_and(|t| !self.document().snapshots.iter().any(|s| s.name == *t)) {
            self.mix.target = None;
        }
    }

    fn go_mix(&mut self, by: isize) {
        match self.mix.focus {
            Focus::Effect => self.mix.setting = self.mix.setting.saturating_add_signed(by),
            Focus::Player => self.mix.player = self.mix.player.saturating_add_signed(by),
            _ => {
                self.bus = self.bus.saturating_add_signed(by).min(self.program().mix.buses.len().saturating_sub(1));
            }
        }
        self.hold_mix();
    }

    /// The next return, snapshot or effect.
    fn along_mix(&mut self, by: isize) {
        match self.mix.focus {
            Focus::Sends => self.mix.send = self.mix.send.saturating_add_signed(by),
            Focus::Snapshots => {
                self.mix.snapshot = self.mix.snapshot.saturating_add_signed(by);
                self.hold_mix();
                if self.mix.target.is_some() {
                    self.leave_target();
                    self.target_snapshot();
                }
            }
            _ => self.mix.effect = self.mix.effect.saturating_add_signed(by),
        }
        self.hold_mix();
    }

    fn main_mix(&mut self) {
        match self.mix.focus {
            Focus::Snapshots => self.audition(),
            Focus::Levels if !self.bus_doc().is_none_or(|b| b.effects.is_empty()) => {
                self.mix.focus = Focus::Effect;
                self.hold_mix();
            }
            _ => self.type_mix(),
        }
    }

    /// The name of the value that the focus is on, if it is one of the mix.
    pub(crate) fn mix_what(&self) -> Option<String> {
        let bus = self.bus_name(self.bus)?;
        match self.mix.focus {
            Focus::Levels | Focus::Snapshots => Some(format!("bus {bus} level")),
            Focus::Sends => Some(format!("bus {bus} send {}", self.returns().get(self.mix.send)?)),
            Focus::Effect => {
                let (effect, kind) = self.effect_doc()?;
                let word = kind.settings.get(self.mix.setting).map_or("wet", |s| s.word);
                Some(format!("bus {bus} {} {word}", effect.name))
            }
            Focus::Player => None,
        }
    }

    /// The snapshot that an edit goes to: the edit target, or the chosen column in the matrix.
    fn edits(&self) -> Option<String> {
        if self.mix.focus == Focus::Snapshots { self.snapshot_doc().map(|s| s.name.clone()) } else { self.mix.target.clone() }
    }

    fn nudge_mix(&mut self, by: f32) {
        if self.mix.focus == Focus::Player {
            return self.nudge_player(by);
        }
        let Some(what) = self.mix_what() else { return self.say("there is nothing to move here; enter or e types it, i adds an effect") };
        if let Some(snapshot) = self.edits() {
            return self.nudge_held(&snapshot, &what, by);
        }
        let Some(bus) = self.bus_name(self.bus) else { return };
        match self.mix.focus {
            Focus::Levels | Focus::Snapshots | Focus::Player => self.nudge_bus(if by.abs() < 1.0 { by.signum() * 0.1 } else { by }),
            Focus::Sends => {
                let Some(to) = self.returns().get(self.mix.send).cloned() else { return };
                let Some(send) = self.bus_doc().and_then(|b| b.sends.iter().find(|s| s.to.value == to)).map(|s| (s.level, s.before)) else {
                    // A new send begins where it is silent.
                    let done = self.workspace.set_send(&bus, &to, "-60 dB");
                    return self.edited(done);
                };
                let level = if send.0.0 == f32::NEG_INFINITY { -60.0 } else { ((send.0.0 + by * 0.5) * 10.0).round() / 10.0 };
                let level = if level < -80.0 { Decibels::SILENCE } else { Decibels(level.min(24.0)) };
                let done = self.workspace.set_send(&bus, &to, &format!("{level}{}", if send.1 { ", pre-fader" } else { "" }));
                self.edited(done);
            }
            Focus::Effect => {
                let Some((effect, kind)) = self.effect_doc().map(|(i, k)| (i.name.clone(), k)) else { return };
                let now = self.mix_rest(&what).unwrap_or(0.0);
                let (word, text) = match kind.settings.get(self.mix.setting) {
                    Some(setting) => (setting.word, setting.unit.print(stepped(setting, now, by))),
                    None => ("wet", Unit::Share.print(((now + by * 0.05) * 100.0).round().clamp(0.0, 100.0) / 100.0)),
                };
                let done = self.workspace.set_effect(&bus, &effect, word, &text);
                self.edited(done);
            }
        }
    }

    fn type_mix(&mut self) {
        let typed = match self.mix.focus {
            Focus::Player => self.document().player_levels.get(self.mix.player).map(|l| MixPrompt::PlayerLevel(l.name.clone())),
            _ => match (self.edits(), self.mix_what()) {
                (Some(snapshot), Some(what)) => Some(MixPrompt::Held { snapshot, what }),
                (None, Some(_)) if self.mix.focus == Focus::Levels => self.bus_name(self.bus).map(MixPrompt::BusLevel),
                (None, Some(_)) if self.mix.focus == Focus::Sends => {
                    self.bus_name(self.bus).zip(self.returns().get(self.mix.send).cloned()).map(|(bus, to)| MixPrompt::Send { bus, to })
                }
                (None, Some(_)) => self.bus_name(self.bus).zip(self.effect_doc()).map(|(bus, (effect, kind))| MixPrompt::Setting {
                    bus,
                    effect: effect.name.clone(),
                    word: kind.settings.get(self.mix.setting).map_or("wet", |s| s.word).to_owned(),
                }),
                _ => None,
            },
        };
        match typed {
            Some(typed) => self.mode = Mode::typing(typed, TextField::default()),
            None => self.say("there is nothing to type here; i adds an effect, S a snapshot"),
        }
    }

    fn rest_mix(&mut self) {
        if self.mix.focus == Focus::Player {
            if let Some(name) = self.document().player_levels.get(self.mix.player).map(|l| l.name.clone()) {
                self.set_player_level(&name, 10.0);
            }
            return;
        }
        let (Some(bus), Some(what)) = (self.bus_name(self.bus), self.mix_what()) else { return };
        let done = match (self.edits(), self.mix.focus) {
            (Some(snapshot), _) => self.workspace.set_held(&snapshot, &what, ""),
            (None, Focus::Levels) => return self.set_bus_level(&bus, 0.0),
            (None, Focus::Sends) => match self.returns().get(self.mix.send).cloned() {
                Some(to) => self.workspace.set_send(&bus, &to, ""),
                None => return,
            },
            (None, _) => match self.effect_doc().map(|(i, k)| (i.name.clone(), k.settings.get(self.mix.setting).map_or("wet", |s| s.word))) {
                Some((effect, word)) => self.workspace.set_effect(&bus, &effect, word, ""),
                None => return,
            },
        };
        self.edited(done);
    }

    /// Chooses the send of the bus to a return.
    pub(super) fn choose_send(&mut self, to: &str) {
        if let Some(at) = self.returns().iter().position(|r| r == to) {
            (self.mix.focus, self.mix.send) = (Focus::Sends, at);
        }
    }

    /// Selects a bus, effect, snapshot or player level by its whole name.
    fn select_mix(&mut self, kind: &str, name: &str) {
        let bus = |app: &App, name: &str| (0..app.program().mix.buses.len()).find(|at| app.bus_name(*at).as_deref() == Some(name));
        match kind {
            "bus" => (self.mix.focus, self.bus) = (Focus::Levels, bus(self, name).unwrap_or(self.bus)),
            "snapshot" => {
                self.mix.focus = Focus::Snapshots;
                self.mix.snapshot = self.document().snapshots.iter().position(|s| s.name == name).unwrap_or(self.mix.snapshot);
            }
            "player level" => {
                self.mix.focus = Focus::Player;
                self.mix.player = self.document().player_levels.iter().position(|l| l.name == name).unwrap_or(self.mix.player);
            }
            "effect" => {
                let Some((of, effect)) = name.split_once('/') else { return };
                (self.mix.focus, self.bus) = (Focus::Effect, bus(self, of).unwrap_or(self.bus));
                self.mix.effect = self.bus_doc().and_then(|b| b.effects.iter().position(|e| e.name == effect)).unwrap_or(0);
            }
            _ => {}
        }
        self.hold_mix();
    }

    /// Chooses what was clicked; a second click on it types.
    pub(super) fn point_mix(&mut self, focus: Focus, choose: impl FnOnce(&mut App)) {
        let chosen = |app: &App| (app.mix.focus, app.bus, app.mix.send, app.mix.snapshot, app.mix.setting, app.mix.player);
        let before = chosen(self);
        choose(self);
        self.mix.focus = focus;
        self.hold_mix();
        if chosen(self) == before {
            self.type_mix();
        }
    }

    /// A level is dragged: that of the mix, or of the snapshot that is edited instead.
    pub(super) fn drag_level(&mut self, bus: &str, level: f32) {
        match self.mix.target.clone() {
            Some(snapshot) => {
                let level = if level < -80.0 { Decibels::SILENCE } else { Decibels((level * 10.0).round() / 10.0) };
                let done = self.workspace.set_held(&snapshot, &format!("bus {bus} level"), &format!("to {level}"));
                self.edited(done);
            }
            None => self.set_bus_level(bus, level),
        }
    }

    fn bypass_one(&mut self) {
        if self.mix.focus == Focus::Sends {
            return self.bypass_send();
        }
        let Some((bus, effect)) = self.bus_name(self.bus).zip(self.effect_doc().map(|(i, _)| i.name.clone())) else {
            return self.say("there is no effect on this bus");
        };
        let key = NameKey::of(&format!("{bus} {effect}"));
        let on = self.toggle_bypass(key);
        self.say(if on { format!("{effect} on {bus} is bypassed (temporary)") } else { format!("{effect} on {bus} is heard again") });
    }

    /// Leaves an effect or a send out in the rehearsal, or no longer; gives whether.
    fn toggle_bypass(&mut self, key: NameKey) -> bool {
        let on = !self.rehearsal.only.bypassed.contains(&key);
        self.rehearsal.change_only(|only| {
            if on {
                only.bypassed.insert(key)
            } else {
                only.bypassed.remove(&key)
            };
        });
        on
    }

    fn bypass_send(&mut self) {
        let Some(what) = self.mix_what().filter(|w| self.mix_rest(w).is_some()) else { return self.say("there is no send here") };
        let key = self.rehearsal.names.add(&what);
        let on = self.toggle_bypass(key);
        self.say(if on { format!("{what} is left out (temporary)") } else { format!("{what} is heard again") });
    }

    fn nudge_player(&mut self, by: f32) {
        let Some(name) = self.document().player_levels.get(self.mix.player).map(|l| l.name.clone()) else { return };
        let now = self.rehearsal.levels.get(&name).copied().unwrap_or(10.0);
        let by = if by.abs() < 1.0 { by.signum() * 0.1 } else { by * 0.5 };
        self.set_player_level(&name, now + by);
    }

    /// Sets a player level and writes the player's file at once: it is not an edit of the project.
    pub(crate) fn set_player_level(&mut self, name: &str, value: f32) {
        let value = player_level(value);
        self.rehearsal.levels.insert(name.to_owned(), value);
        self.rehearsal.say(InputKind::PlayerLevel { level: NameKey::of(name), value });
        if let Err(error) = crate::levels::write(self.workspace.root(), &self.rehearsal.levels) {
            self.alarm(format!("levels.toml is not written: {error}"));
        }
    }
}
