//! What clicks mean on the Stage, and what it asks on the last line.

use super::{Column, Item};
use crate::workshop::app::App;
use crate::workshop::keys::Do;
use crate::workshop::view::{Ask, Clicks, owned};
use estampie_engine::names::NameKey;
use estampie_engine::units::{Decibels, Quantity as _, read_number};
use estampie_project::document::{NewValue, PADS, Refusal, TABLES, ThingId};
use ratatui::layout::Rect;
use std::rc::Rc;

/// What can be clicked.
#[derive(Debug, Clone, Copy)]
pub(crate) enum StageTarget {
    Item(Item),
    /// The bar of a parameter: its left end and its width.
    Bar(usize),
    StateValue(usize, usize),
    Voice(u64),
    /// The map.
    Map,
}

impl Clicks for StageTarget {
    fn click(&self, app: &mut App, area: Rect, (x, y): (u16, u16)) {
        match *self {
            StageTarget::Item(item) => {
                app.select(item);
                if matches!(item, Item::Event(_) | Item::Playthrough(_) | Item::Folded(_)) {
                    app.main_thing();
                }
            }
            StageTarget::StateValue(index, value) => {
                app.select(Item::State(index));
                app.set_state(index, value);
            }
            StageTarget::Bar(index) => {
                app.select(Item::Parameter(index));
                app.dragging = Some((Rc::new(*self), area));
                self.drag(app, area, (x, y));
            }
            StageTarget::Map => app.click_map(x, y),
            StageTarget::Voice(voice) => {
                app.stage.column = Column::Sounding;
                app.stage.voice = Some(voice);
            }
        }
    }

    fn drag(&self, app: &mut App, area: Rect, (x, y): (u16, u16)) -> bool {
        match self {
            StageTarget::Map => app.drag_map(x, y),
            StageTarget::Bar(index) => {
                let doc = &app.document().parameters[*index];
                let value = doc.low + share(area, x) * (doc.high - doc.low);
                app.set_parameter(*index, value);
            }
            _ => return false,
        }
        true
    }

    fn wheel(&self, app: &mut App, by: isize) -> bool {
        app.stage.column = match self {
            StageTarget::Voice(_) => Column::Sounding,
            StageTarget::Map => Column::Map,
            _ => Column::Index,
        };
        if matches!(self, StageTarget::Map) {
            app.act(if by > 0 { Do::ZoomOut } else { Do::ZoomIn });
            return true;
        }
        false
    }

    fn part(&self) -> &'static str {
        if matches!(self, StageTarget::Map) { "map" } else { "" }
    }
}

/// How far along a place lies, 0 to 1.
pub(crate) fn share(area: Rect, x: u16) -> f32 {
    let share = f32::from(x.saturating_sub(area.x)) / f32::from(area.width.saturating_sub(1).max(1));
    share.clamp(0.0, 1.0)
}

/// What is asked.
#[derive(Debug)]
pub(crate) enum StagePrompt {
    /// The value of a parameter.
    Parameter(String),
    SoundLevel(String),
    /// A field of a thing of the world.
    Thing(ThingId),
    /// A new thing of the world.
    NewThing,
    /// The letter that sends an event.
    Pad(String),
    /// The letters that names must have.
    Filter,
}

impl Ask for StagePrompt {
    fn words(&self, _app: &App) -> String {
        match self {
            StagePrompt::Parameter(name) => format!("{name} is"),
            StagePrompt::SoundLevel(name) => format!("level of {name}"),
            StagePrompt::Thing(thing) => format!("{}: field and value, like at 12, 4", thing.name),
            StagePrompt::NewThing => "add what and its name:".into(),
            StagePrompt::Pad(event) => format!("{event} is sent by the letter"),
            StagePrompt::Filter => "names with".into(),
        }
    }

    fn hint(&self, app: &App) -> Option<String> {
        if let StagePrompt::Parameter(name) = self {
            return app.midi_of(name).map(|midi| format!("{midi} moves it; ctrl-l learns another"));
        }
        let StagePrompt::Pad(_) = self else { return None };
        let document = app.document();
        let free = PADS.iter().filter(|pad| !document.pads.iter().any(|(p, _)| p == *pad)).map(ToString::to_string);
        Some(format!("one of {}; left empty, in the order of the events", free.collect::<Vec<_>>().join(" ")))
    }

    fn changed(&self, app: &mut App, text: &str) {
        if matches!(self, StagePrompt::Filter) {
            app.filter_stage(text);
        }
    }

    fn given_up(&self, app: &mut App) {
        if matches!(self, StagePrompt::Filter) {
            app.filter_stage("");
        }
    }

    fn offers(&self, app: &App) -> Vec<String> {
        let document = app.document();
        let sounds = || document.sounds.iter().map(|s| s.name.as_str());
        match self {
            StagePrompt::NewThing => owned(TABLES.iter().map(|(_, word, _)| *word).chain(sounds()).chain(document.world.zones.iter().map(|z| z.name.as_str()))),
            StagePrompt::Thing(_) => {
                let fields = [
                    "at",
                    "outline",
                    "line",
                    "path",
                    "radius",
                    "height",
                    "margin",
                    "order",
                    "sets",
                    "snapshot",
                    "ambience",
                    "plays",
                    "facing",
                    "open",
                    "reach",
                    "kind",
                    "inside.level",
                    "inside.low-pass",
                    "inside.time",
                    "outside.level",
                    "outside.low-pass",
                    "outside.time",
                    "closed.level",
                    "note",
                ];
                owned(fields.into_iter().chain(sounds()).chain(document.parameters.iter().map(|p| p.name.as_str())))
            }
            _ => Vec::new(),
        }
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        match self {
            StagePrompt::Parameter(name) => {
                let index = app.document().parameters.iter().position(|p| p.name == *name).ok_or_else(|| Refusal::Gone("it".to_owned()))?;
                let doc = &app.document().parameters[index];
                let value = read_number(text, &doc.unit).map_err(|_| format!("\"{text}\" is not a number; write {} to {} {}", doc.low, doc.high, doc.unit))?;
                if !(doc.low..=doc.high).contains(&(value as f32)) {
                    return Err(format!("{name} goes from {} to {} {}", doc.low, doc.high, doc.unit).into());
                }
                app.rehearsal.parameter(NameKey::of(name), value as f32);
            }
            StagePrompt::SoundLevel(name) => {
                let level = Decibels::read(text).map_err(|e| e.to_string())?;
                if !(-120.0..=24.0).contains(&level.0) {
                    return Err("a sound's level goes from -120 dB to 24 dB".into());
                }
                app.set_sound_level(name, level.0);
            }
            StagePrompt::Thing(thing) => app.set_thing_typed(thing, text)?,
            StagePrompt::NewThing => app.begin_thing(text)?,
            StagePrompt::Filter => app.filter_stage(text),
            StagePrompt::Pad(event) => app.lay_pad(event, text.trim())?,
        }
        Ok(())
    }
}

impl App {
    /// Gives an event a letter of the Stage, or, if there is none, leaves it to the order of the events.
    fn lay_pad(&mut self, event: &str, letter: &str) -> Result<(), Refusal> {
        if !letter.is_empty() && !PADS.iter().any(|pad| *letter == pad.to_string()) {
            return Err(format!("\"{letter}\" is no letter that is free here").into());
        }
        let before: Vec<String> = self.document().pads.iter().filter(|(_, of)| of.value == event).map(|(pad, _)| pad.to_string()).collect();
        let mut values: Vec<_> = before.iter().filter(|pad| *pad != letter).map(|pad| ("game.toml", vec!["pads", pad.as_str()], NewValue::Nothing)).collect();
        if !letter.is_empty() {
            values.push(("game.toml", vec!["pads", letter], NewValue::Text(event.to_owned())));
        }
        self.workspace.set_values(&format!("letter of {event}"), &values)?;
        self.recompile();
        Ok(())
    }
}
