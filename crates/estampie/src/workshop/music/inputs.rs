//! What clicks mean in the view Music, and what it asks on the last line.

use super::Column;
use super::fit::Recording;
use crate::workshop::app::App;
use crate::workshop::keys::Do;
use crate::workshop::view::{Ask, Clicks, hint_of, owned};
use estampie_engine::units::{Decibels, Pan, Quantity as _};
use estampie_project::document::{Refusal, registry};
use estampie_project::things::Thing;
use ratatui::layout::Rect;

/// What can be clicked.
#[derive(Debug)]
pub(crate) enum MusicTarget {
    Item(usize),
    Stave(usize),
    /// A cell of the matrix: from, to.
    Transition(usize, usize),
    Field(usize),
}

impl Clicks for MusicTarget {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        let (again, does) = match *self {
            MusicTarget::Item(row) => {
                let again = app.music.column == Column::Index && app.music.item == row;
                (app.music.column, app.music.item) = (Column::Index, row);
                app.go_music(0);
                (again, Do::Main)
            }
            MusicTarget::Stave(row) => {
                let lines = app.stave_lines();
                let again = app.music.column == Column::Staves && app.music.stave.row(&lines) == row;
                (app.music.column, app.music.stave) = (Column::Staves, lines.get(row).copied().unwrap_or_default());
                (again, Do::Main)
            }
            MusicTarget::Transition(row, column) => {
                let again = app.music.column == Column::Ways && app.music.cell == (row, column);
                (app.music.column, app.music.cell) = (Column::Ways, (row, column));
                (again, Do::Main)
            }
            MusicTarget::Field(at) => {
                let again = app.music.column == Column::Fields && app.music.field == at;
                (app.music.column, app.music.field) = (Column::Fields, at);
                (again, Do::Edit)
            }
        };
        if again {
            app.act(does);
        }
    }
}

/// What is asked.
#[derive(Debug)]
pub(crate) enum MusicPrompt {
    /// A field of the transition from a section to another.
    Transition {
        piece: String,
        from: String,
        to: String,
        field: &'static str,
    },
    LayerLevel {
        piece: String,
        section: String,
        layer: String,
    },
    /// The file, or the name, of a new layer.
    NewLayer(Thing),
    /// Tempo and bars of a section, from its recording.
    Tempo(Recording),
    /// The name of a marker on a bar of a section, from 1.
    Marker {
        piece: String,
        section: String,
        bar: u32,
    },
}

impl Ask for MusicPrompt {
    fn words(&self, _app: &App) -> String {
        match self {
            MusicPrompt::Transition { from, to, field, .. } => format!("{from} ⟶ {to}, {}:", super::label(field)),
            MusicPrompt::LayerLevel { layer, section, .. } => format!("level of {layer} in {section}, or its pan (30 % left)"),
            MusicPrompt::NewLayer(section) => format!("new layer of {}: an audio file", section.whole_name()),
            MusicPrompt::Tempo(recording) => recording.words(),
            MusicPrompt::Marker { section, bar, .. } => format!("new marker on bar {bar} of {section}: its name"),
        }
    }

    fn offers(&self, app: &App) -> Vec<String> {
        if let MusicPrompt::NewLayer(_) = self {
            return owned(app.workspace.audio().iter().map(String::as_str));
        }
        if let MusicPrompt::Tempo(recording) = self {
            return recording.offers();
        }
        let MusicPrompt::Transition { field, .. } = self else { return Vec::new() };
        match *field {
            "leave" => owned(["at once", "next beat", "next bar", "every 2 bars", "phrase end", "section end", "open ending", "marker"]),
            "by-way-of" => {
                let sections = app.piece_doc().into_iter().flat_map(|p| p.sections.iter().map(|s| s.name.as_str()));
                owned(["nothing", "close ending"].into_iter().chain(sections))
            }
            "arrive" => owned(["start", "same bar", "same beat", "where it left off", "marker"]),
            "allowed" => owned(["yes", "no"]),
            _ => Vec::new(),
        }
    }

    fn hint(&self, _app: &App) -> Option<String> {
        match self {
            MusicPrompt::Transition { field, .. } => hint_of(registry::TRANSITION.field(field)),
            MusicPrompt::LayerLevel { .. } => hint_of(registry::LAYER.field("level")),
            MusicPrompt::Tempo(recording) => Some(recording.hint()),
            MusicPrompt::Marker { .. } => Some("a transition may leave or arrive there, and reactions may wait for it".into()),
            MusicPrompt::NewLayer(_) => Some("it is called like the file; tab completes, the letters of its own name are enough".into()),
        }
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        match self {
            MusicPrompt::Transition { piece, from, to, field } => app.workspace.set_transition(piece, from, to, field, text)?,
            MusicPrompt::NewLayer(section) => app.new_layer(section, text.trim())?,
            MusicPrompt::Tempo(recording) => recording.take(app, text.trim())?,
            MusicPrompt::Marker { piece, section, bar } => {
                app.workspace.put_marker(piece, section, text.trim(), *bar)?;
                app.say(format!("marker {} stands on bar {bar} of {section}", text.trim()));
            }
            MusicPrompt::LayerLevel { piece, section, layer } if Pan::is_meant(text) => {
                Pan::read(&text.replace('−', "-")).map_err(|e| e.to_string())?;
                app.workspace.set_layer(piece, section, layer, "pan", text.trim())?;
            }
            MusicPrompt::LayerLevel { piece, section, layer } => {
                let level = Decibels::read(text).map_err(|e| e.to_string())?;
                if !(-120.0..=24.0).contains(&level.0) {
                    return Err("a layer's level goes from -120 dB to 24 dB".into());
                }
                app.workspace.set_layer(piece, section, layer, "level", &level.to_string())?;
            }
        }
        app.recompile();
        Ok(())
    }
}
