//! What clicks mean in the view Mix, and what it asks on the last line.

use super::{Focus, level_at};
use crate::workshop::app::{App, Mode};
use crate::workshop::stage::share;
use crate::workshop::text_field::TextField;
use crate::workshop::view::{Ask, Clicks, hint_of, owned};
use estampie_engine::dsp::effects::KINDS;
use estampie_engine::property::Unit;
use estampie_engine::units::{Decibels, Pan, Quantity as _};
use estampie_project::document::{NewValue, Refusal, read_held, read_target, registry};
use ratatui::layout::Rect;
use std::rc::Rc;

/// What can be clicked.
#[derive(Debug, Clone, Copy)]
pub(crate) enum MixTarget {
    Bus(usize),
    /// The level line of a bus.
    Level(usize),
    /// A send of a bus to a return; what a snapshot holds of its level.
    Send(usize, usize),
    Held(usize, usize),
    Setting(usize),
    PlayerLevel(usize),
    SnapshotField(usize, &'static str),
}

impl Clicks for MixTarget {
    fn click(&self, app: &mut App, area: Rect, at: (u16, u16)) {
        match *self {
            MixTarget::Bus(index) => {
                app.bus = index;
                app.mix.focus = Focus::Levels;
                app.hold_mix();
            }
            MixTarget::Send(bus, send) => app.point_mix(Focus::Sends, |app| (app.bus, app.mix.send) = (bus, send)),
            MixTarget::Held(bus, snapshot) => app.point_mix(Focus::Snapshots, |app| (app.bus, app.mix.snapshot) = (bus, snapshot)),
            MixTarget::Setting(at) => app.point_mix(Focus::Effect, |app| app.mix.setting = at),
            MixTarget::PlayerLevel(at) => app.point_mix(Focus::Player, |app| app.mix.player = at),
            MixTarget::SnapshotField(at, field) => {
                if let Some(snapshot) = app.document().snapshots.get(at).map(|s| s.name.clone()) {
                    app.mix.snapshot = at;
                    app.mode = Mode::typing(MixPrompt::SnapshotField { snapshot, field }, TextField::default());
                }
            }
            MixTarget::Level(index) => {
                app.bus = index;
                app.dragging = Some((Rc::new(*self), area));
                self.drag(app, area, at);
            }
        }
    }

    fn drag(&self, app: &mut App, area: Rect, (x, _): (u16, u16)) -> bool {
        let MixTarget::Level(index) = self else { return false };
        if let Some(name) = app.bus_name(*index) {
            app.drag_level(&name, level_at(share(area, x)));
        }
        true
    }
}

/// What is asked.
#[derive(Debug)]
pub(crate) enum MixPrompt {
    BusLevel(String),
    Send {
        bus: String,
        to: String,
    },
    /// A setting of an effect.
    Setting {
        bus: String,
        effect: String,
        word: String,
    },
    /// What a snapshot holds of a value.
    Held {
        snapshot: String,
        what: String,
    },
    /// The kind of a new effect on a bus.
    NewEffect(String),
    /// The name of a new return and its effect, for a bus that sends to it.
    NewReturn(String),
    NewSnapshot,
    SnapshotField {
        snapshot: String,
        field: &'static str,
    },
    PlayerLevel(String),
    /// The name of a snapshot of what is unsaved in the mix.
    UnsavedSnapshot,
    LoudnessTarget,
}

impl Ask for MixPrompt {
    fn words(&self, _app: &App) -> String {
        match self {
            MixPrompt::BusLevel(name) => format!("level of bus {name}, or its pan (30 % left)"),
            MixPrompt::Send { bus, to } => format!("{bus} sends to {to}"),
            MixPrompt::Setting { effect, word, .. } => format!("{word} of {effect}"),
            MixPrompt::Held { snapshot, what } => format!("snapshot {snapshot}, {what}: by or to"),
            MixPrompt::NewEffect(bus) => format!("new effect on {bus}:"),
            MixPrompt::NewReturn(bus) => format!("new return, to which {bus} sends: its name and its effect"),
            MixPrompt::NewSnapshot => "new snapshot:".into(),
            MixPrompt::UnsavedSnapshot => "new snapshot of what is unsaved in the mix, called".into(),
            MixPrompt::LoudnessTarget => "loudness of the whole".into(),
            MixPrompt::SnapshotField { snapshot, field } => format!("{field} of snapshot {snapshot}"),
            MixPrompt::PlayerLevel(name) => format!("player level {name}, 0 to 10"),
        }
    }

    fn offers(&self, app: &App) -> Vec<String> {
        match self {
            MixPrompt::NewEffect(_) => owned(KINDS.iter().map(|k| k.word).chain(app.document().shared.effect.iter().map(|e| e.name.as_str()))),
            MixPrompt::NewReturn(_) => owned(KINDS.iter().map(|k| k.word)),
            MixPrompt::Setting { word, .. } => {
                let setting = app.effect_doc().and_then(|(_, kind)| kind.settings.iter().find(|s| s.word == *word));
                if let Some(Unit::Choice(words)) = setting.map(|s| s.unit) { owned(words.iter().copied()) } else { Vec::new() }
            }
            MixPrompt::Held { .. } => owned(["by", "to", "to silent", "to 30 % left"]),
            _ => Vec::new(),
        }
    }

    fn hint(&self, app: &App) -> Option<String> {
        match self {
            MixPrompt::BusLevel(_) => hint_of(registry::BUS.field("level")),
            MixPrompt::NewReturn(_) => Some("as hall echo; a reverb if no effect follows the name".into()),
            MixPrompt::SnapshotField { field, .. } => hint_of(registry::SNAPSHOT.field(field)),
            MixPrompt::LoudnessTarget => hint_of(registry::PROJECT.field("loudness")),
            MixPrompt::Setting { word, .. } if word == "wet" => hint_of(registry::EFFECT.field("wet")),
            MixPrompt::Setting { word, .. } => {
                let (_, kind) = app.effect_doc()?;
                let setting = kind.settings.iter().find(|s| s.word == *word)?;
                let print = |value: f32| setting.unit.print(value);
                match setting.unit {
                    Unit::Choice(words) => Some(words.join(", ")),
                    _ => Some(format!("{} to {}; {} if unsaid", print(setting.low), print(setting.high), print(setting.rest)).replace('-', "−")),
                }
            }
            _ => None,
        }
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        match self {
            MixPrompt::BusLevel(name) if Pan::is_meant(text) => {
                app.workspace.set_bus_pan(name, text)?;
                app.recompile();
                app.say(format!("{name} pan {}", text.trim()));
                return Ok(());
            }
            MixPrompt::BusLevel(name) => {
                let level = Decibels::read(text).map_err(|e| e.to_string())?;
                if level.0 > 24.0 {
                    return Err("a level goes up to 24 dB".into());
                }
                app.set_bus_level(name, level.0);
                return Ok(());
            }
            MixPrompt::Send { bus, to } => app.workspace.set_send(bus, to, text)?,
            MixPrompt::Setting { bus, effect, word } => app.workspace.set_effect(bus, effect, word, text)?,
            MixPrompt::Held { snapshot, what } => {
                // Where a level is held, its pan is typed in the same line.
                let level = what.strip_prefix("bus ").and_then(|w| w.strip_suffix(" level")).filter(|_| Pan::is_meant(text));
                let what = &level.map_or_else(|| what.clone(), |bus| format!("bus {bus} pan"));
                let text = if text.trim().is_empty() || read_held(text).is_ok() { text.to_owned() } else { format!("to {text}") };
                app.workspace.set_held(snapshot, what, &text)?;
            }
            MixPrompt::NewEffect(bus) => {
                app.workspace.add_effect(bus, text.trim())?;
                app.mix.effect = app.bus_doc().map_or(0, |b| b.effects.len()).saturating_sub(1);
                (app.mix.focus, app.mix.setting) = (Focus::Effect, 0);
            }
            MixPrompt::NewReturn(bus) => {
                let (name, effect) = text.trim().split_once(' ').unwrap_or((text.trim(), "reverb"));
                app.workspace.add_return(name, effect.trim(), bus)?;
                app.compile();
                let sends = if app.document().buses.iter().any(|b| b.name == *bus && b.sends.iter().any(|s| s.to.value == name)) {
                    format!("; {bus} sends to it at −12 dB")
                } else {
                    String::new()
                };
                app.say(format!("new return {name}{sends}"));
                // The send is what one turns next.
                app.choose_send(name);
            }
            MixPrompt::NewSnapshot => {
                app.workspace.add_snapshot(text.trim())?;
                app.mix.snapshot = app.document().snapshots.len().saturating_sub(1);
                app.mix.focus = Focus::Snapshots;
            }
            MixPrompt::UnsavedSnapshot => {
                let count = app.take_unsaved(text.trim())?;
                app.say(format!("snapshot {} holds {count} value{}; the mix beneath is as saved", text.trim(), if count == 1 { "" } else { "s" }));
            }
            MixPrompt::LoudnessTarget => {
                let text = text.trim();
                let text = if text.is_empty() || text.ends_with("LUFS") { text.to_owned() } else { format!("{text} LUFS") };
                let value = if text.is_empty() {
                    NewValue::Nothing
                } else {
                    read_target(&text)?;
                    NewValue::Text(text.replace('−', "-"))
                };
                app.workspace.set_values("target of loudness", &[("estampie.toml", vec!["loudness"], value)])?;
            }
            MixPrompt::SnapshotField { snapshot, field } => app.workspace.set_snapshot(snapshot, field, text)?,
            MixPrompt::PlayerLevel(name) => {
                let value: f32 = text.trim().parse().map_err(|_| format!("\"{text}\" is not a level: write 0 to 10"))?;
                if !(0.0..=10.0).contains(&value) {
                    return Err("a player level goes from 0 to 10".into());
                }
                app.set_player_level(name, value);
                return Ok(());
            }
        }
        app.recompile();
        app.hold_mix();
        Ok(())
    }
}
