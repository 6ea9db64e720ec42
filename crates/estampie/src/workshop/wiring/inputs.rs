//! What clicks mean in the view Wiring, and what it asks on the last line.

use super::Column;
use crate::workshop::app::App;
use crate::workshop::keys::Do;
use crate::workshop::view::{Ask, Clicks, owned};
use estampie_engine::units::{Quantity as _, Seconds};
use estampie_engine::vocabulary::Function;
use estampie_project::document::Refusal;
use ratatui::layout::Rect;

/// What can be clicked.
#[derive(Debug)]
pub(crate) enum WiringTarget {
    Told(usize),
    Row(usize),
}

impl Clicks for WiringTarget {
    fn click(&self, app: &mut App, _area: Rect, _at: (u16, u16)) {
        match *self {
            WiringTarget::Told(at) => {
                let again = app.wiring.column == Column::Told && app.wiring.told == at;
                (app.wiring.column, app.wiring.told) = (Column::Told, at);
                if again {
                    app.act(Do::Main);
                }
            }
            WiringTarget::Row(at) => {
                let again = app.wiring.column == Column::Centre && app.wiring.row == at;
                (app.wiring.column, app.wiring.row) = (Column::Centre, at);
                if again {
                    app.act(Do::Edit);
                }
            }
        }
    }

    fn wheel(&self, app: &mut App, _by: isize) -> bool {
        app.wiring.column = if matches!(self, WiringTarget::Told(_)) { Column::Told } else { Column::Centre };
        false
    }
}

/// What is asked.
#[derive(Debug)]
pub(crate) enum WiringPrompt {
    NewModulation,
    Formula(String),
    /// The time a modulation takes to follow.
    Smooth(usize),
    Filter,
}

impl Ask for WiringPrompt {
    fn words(&self, _app: &App) -> String {
        match self {
            WiringPrompt::NewModulation => "new modulation:".into(),
            WiringPrompt::Formula(name) => format!("{name} ="),
            WiringPrompt::Smooth(_) => "follows within".into(),
            WiringPrompt::Filter => "all with".into(),
        }
    }

    fn changed(&self, app: &mut App, text: &str) {
        if matches!(self, WiringPrompt::Filter) {
            app.filter_wiring(text);
        }
    }

    fn given_up(&self, app: &mut App) {
        if matches!(self, WiringPrompt::Filter) {
            app.filter_wiring("");
        }
    }

    fn offers(&self, app: &App) -> Vec<String> {
        let document = app.document();
        let parameters = document.parameters.iter().map(|p| p.name.as_str());
        match self {
            WiringPrompt::NewModulation => {
                let mut names = owned(parameters.chain(["moves"]));
                names.extend(app.workspace.words_of_moved());
                names
            }
            WiringPrompt::Formula(_) => {
                let states = document.states.iter().map(|s| s.name.as_str());
                owned(parameters.chain(states).chain(Function::ALL.map(|(_, n, _)| n)))
            }
            WiringPrompt::Smooth(_) | WiringPrompt::Filter => Vec::new(),
        }
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        match self {
            WiringPrompt::NewModulation => app.new_modulation(text),
            WiringPrompt::Formula(name) => app.set_formula(name, text),
            WiringPrompt::Filter => {
                app.filter_wiring(text);
                Ok(())
            }
            WiringPrompt::Smooth(written) => {
                if !text.trim().is_empty() {
                    Seconds::read(text).map_err(|e| e.to_string())?;
                }
                let done = app.workspace.set_smooth("smoothing of a modulation", *written, text.trim());
                app.edited(done);
                Ok(())
            }
        }
    }
}
