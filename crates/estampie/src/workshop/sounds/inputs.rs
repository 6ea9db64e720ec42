//! What clicks mean in the view Sounds, and what it asks on the last line.

use super::Column;
use crate::workshop::app::App;
use crate::workshop::keys::Do;
use crate::workshop::view::{Ask, Clicks, hint_of, owned};
use estampie_engine::property::SOUND_PROPERTIES;
use estampie_project::document::registry::{Holds, field_of_sound};
use estampie_project::document::{Refusal, sharers};
use ratatui::layout::Rect;

/// What can be clicked.
#[derive(Debug)]
pub(crate) enum SoundsTarget {
    Sound(String),
    Take(usize),
    Field(usize),
    /// A modulation, by its place in the file.
    Modulation(usize),
}

impl Clicks for SoundsTarget {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        match self {
            SoundsTarget::Sound(name) => {
                let again = app.sounds.selected == *name && app.sounds.column == Column::Index;
                app.sounds.selected.clone_from(name);
                (app.sounds.column, app.sounds.take) = (Column::Index, 0);
                // A second click hears it.
                if again {
                    app.act(Do::Main);
                }
            }
            SoundsTarget::Take(at) => {
                (app.sounds.column, app.sounds.take) = (Column::Takes, *at);
                app.play_take();
            }
            SoundsTarget::Field(at) => {
                let again = app.sounds.column == Column::Settings && app.sounds.field == *at;
                (app.sounds.column, app.sounds.field) = (Column::Settings, *at);
                if again {
                    app.act(Do::Edit);
                }
            }
            SoundsTarget::Modulation(written) => app.begin_curve(*written),
        }
    }

    fn wheel(&self, app: &mut App, _by: isize) -> bool {
        app.sounds.column = match self {
            SoundsTarget::Sound(_) => Column::Index,
            SoundsTarget::Take(_) => Column::Takes,
            SoundsTarget::Field(_) => Column::Settings,
            SoundsTarget::Modulation(_) => app.sounds.column,
        };
        false
    }
}

/// What is asked.
#[derive(Debug)]
pub(crate) enum SoundsPrompt {
    /// A field of sounds.
    Field(Vec<String>, &'static str),
    /// The takes of a sound for one value.
    Takes(String, String),
    /// A field of a shared setting.
    Shared {
        kind: String,
        name: String,
        key: String,
    },
    Rename(String),
    Filter,
    /// The event that is to play a sound.
    Wire(String),
    /// The parameter that is to move a sound, and what of it.
    Moves(String),
}

impl Ask for SoundsPrompt {
    fn words(&self, app: &App) -> String {
        match self {
            SoundsPrompt::Field(sounds, field) => match sounds.as_slice() {
                [one] => format!("{field} of {one}"),
                many => format!("{field} of {} sounds", many.len()),
            },
            SoundsPrompt::Shared { kind, name, key } => {
                let touched = sharers(app.document(), kind, name).len();
                let of = if kind == "effect" { "buses" } else { "sounds" };
                format!("{key} of the shared {kind} {name}, for all {touched} {of} that share it")
            }
            SoundsPrompt::Takes(name, value) => format!("takes of {name} for {value}"),
            SoundsPrompt::Rename(name) => format!("{name} is from now on"),
            SoundsPrompt::Filter => "sounds with".into(),
            SoundsPrompt::Wire(sound) => format!("{sound} is played by the event"),
            SoundsPrompt::Moves(sound) => format!("{sound} is moved by the parameter"),
        }
    }

    fn offers(&self, app: &App) -> Vec<String> {
        let document = app.document();
        let sounds = || document.sounds.iter().map(|s| s.name.as_str());
        match self {
            SoundsPrompt::Field(_, key) if key.ends_with(".like") => owned(document.shared.names(key.split('.').next().unwrap_or_default())),
            SoundsPrompt::Field(_, "pick") => {
                let values = document.parameters.iter().map(|p| p.name.as_str()).chain(document.states.iter().map(|s| s.name.as_str()));
                owned(["shuffle", "weighted", "cycle", "together", "by", "across"].into_iter().chain(values))
            }
            SoundsPrompt::Wire(_) => owned(document.events.iter().map(|e| e.name.as_str())),
            SoundsPrompt::Moves(_) => {
                let properties = SOUND_PROPERTIES.iter().map(|p| p.property.word());
                owned(document.parameters.iter().map(|p| p.name.as_str()).chain(properties))
            }
            SoundsPrompt::Field(_, "takes" | "chain") | SoundsPrompt::Takes(..) => owned(app.workspace.audio().iter().map(String::as_str).chain(sounds())),
            SoundsPrompt::Field(_, key) => match field_of_sound(key).map(|f| f.holds) {
                Some(Holds::Word(words)) => owned(words.iter().copied()),
                Some(Holds::Name("bus")) => owned(document.buses.iter().map(|b| b.name.as_str())),
                Some(Holds::Name("event")) => owned(document.events.iter().map(|e| e.name.as_str())),
                Some(Holds::Name("group")) => owned(document.shared.names("group")),
                _ => Vec::new(),
            },
            _ => Vec::new(),
        }
    }

    fn hint(&self, _app: &App) -> Option<String> {
        match self {
            SoundsPrompt::Field(_, key) => hint_of(field_of_sound(key)),
            SoundsPrompt::Moves(_) => Some("its level, unless a property follows: current pitch; the curve is drawn next".into()),
            SoundsPrompt::Shared { kind, key, .. } if kind != "effect" => hint_of(field_of_sound(&format!("{kind}.{key}"))),
            _ => None,
        }
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        match self {
            SoundsPrompt::Field(sounds, field) => {
                app.workspace.set_sounds(sounds, field, text)?;
                app.recompile();
                if sounds.len() > 1 {
                    app.say(format!("{field} of {} sounds", sounds.len()));
                }
            }
            SoundsPrompt::Takes(sound, value) => {
                let takes: Vec<String> = text.split(';').map(|t| t.trim().to_owned()).filter(|t| !t.is_empty()).collect();
                app.workspace.set_takes(sound, value, &takes)?;
                app.recompile();
            }
            SoundsPrompt::Shared { kind, name, key } => app.set_shared(kind, name, key, text)?,
            SoundsPrompt::Rename(name) => {
                let new = text.trim();
                if new != name {
                    app.workspace.rename_sound(name, new)?;
                    app.sounds.selected = new.to_owned();
                    app.sounds.marked.remove(name);
                    app.recompile();
                    app.say(format!("{name} is {new} wherever it was named"));
                }
            }
            SoundsPrompt::Filter => app.set_filter(text),
            SoundsPrompt::Wire(sound) => app.wire(sound, text)?,
            SoundsPrompt::Moves(sound) => app.let_move(sound, text)?,
        }
        Ok(())
    }

    fn changed(&self, app: &mut App, text: &str) {
        if matches!(self, SoundsPrompt::Filter) {
            app.set_filter(text);
        }
    }

    fn given_up(&self, app: &mut App) {
        if matches!(self, SoundsPrompt::Filter) {
            app.sounds.filter.clear();
        }
    }
}
