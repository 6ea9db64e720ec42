//! What a view is to the rest of the workshop: a line in [`VIEWS`], and what the three traits here ask of it.
//!
//! A view has a folder of its own with its state, its keys, its drawing, what clicks mean there, and what it asks on the last line. Nothing
//! outside asks which view is shown, except by the name of one to go to.

use super::app::App;
use super::curve::Editor;
use super::keys::{Binding, Do};
use super::painter::Painter;
use super::{mix, music, playthroughs, project, sounds, stage, stock, trace, wiring};
use estampie_engine::names::NameKey;
use estampie_project::document::{Refusal, registry};
use ratatui::layout::Rect;
use std::rc::Rc;

/// All views, in the order of their keys.
pub(crate) static VIEWS: [&dyn View; 9] = [
    &stage::Stage,
    &wiring::Wiring,
    &sounds::Sounds,
    &music::Music,
    &mix::Mix,
    &trace::Trace,
    &stock::StockList,
    &project::Project,
    &playthroughs::Playthroughs,
];

/// What stands of a view in the table.
pub(crate) struct Face {
    /// Its name on the title line.
    pub(crate) name: &'static str,
    /// The key that opens it.
    pub(crate) key: char,
    /// What it is for, after its name.
    pub(crate) says: &'static str,
    /// The keys that mean something here alone.
    pub(crate) keys: &'static [Binding],
    /// What can be done with the mouse, a line each.
    pub(crate) mouse: &'static [&'static str],
    /// The widths of its left and its right column, where a curve lies over its middle.
    pub(crate) widths: (u16, u16),
}

/// A view of the workshop.
pub(crate) trait View: Sync {
    /// What stands of it in the table.
    fn face(&self) -> &'static Face;

    /// Draws it, and says what clicks mean.
    fn draw(&self, app: &App, painter: &mut Painter<'_>, area: Rect, targets: &mut Targets);

    /// Does what a key means here; false if it means nothing here.
    fn act(&self, app: &mut App, does: Do) -> bool;

    /// Goes so many lines down in the list that has the keys.
    fn go(&self, app: &mut App, by: isize);

    /// Takes a key before all tables; false if it means what it means elsewhere.
    fn takes_key(&self, _app: &mut App, _name: &str) -> bool {
        false
    }

    /// A key that no table has; false if it means nothing here either.
    fn other_key(&self, _app: &mut App, _key: char) -> bool {
        false
    }

    /// Lines of help for such keys.
    fn other_help(&self, _app: &App) -> Vec<(String, String)> {
        Vec::new()
    }

    /// Keys that the last line tells instead of the table's.
    fn last_line(&self, _app: &App) -> Option<&'static [(&'static str, &'static str)]> {
        None
    }

    /// The bus that solo and mute are for.
    fn bus(&self, _app: &App) -> Option<NameKey> {
        None
    }

    /// What is selected: its kind, as [`KINDS`](estampie_project::things::KINDS) calls it, and its name.
    fn selected(&self, _app: &App) -> Option<(&'static str, String)> {
        None
    }

    /// The kind of thing that `n` makes here: that of what is selected, unless the view knows better.
    fn makes(&self, app: &App) -> Option<&'static str> {
        self.selected(app).map(|(kind, _)| kind)
    }

    /// Selects a thing of a kind by its whole name, if it is shown here.
    fn select(&self, _app: &mut App, _kind: &'static str, _name: &str) {}

    /// Whether its own drawing tells the output's loudness, so that the status line need not.
    fn tells_loudness(&self) -> bool {
        false
    }
}

/// What a place on the screen means to the mouse.
pub(crate) trait Clicks: std::fmt::Debug {
    /// It is clicked, at a column and a row of the screen; it was drawn at `area`.
    fn click(&self, app: &mut App, area: Rect, at: (u16, u16));

    /// It is dragged there; false if it cannot be.
    fn drag(&self, _app: &mut App, _area: Rect, _at: (u16, u16)) -> bool {
        false
    }

    /// The wheel turns over it, down (1) or up (−1): chooses the list that is to move, or does it and gives true.
    fn wheel(&self, _app: &mut App, _by: isize) -> bool {
        false
    }

    /// Whether it takes clicks while something lies over the page.
    fn over_all(&self) -> bool {
        false
    }

    /// The name of a part of the page that others look for.
    fn part(&self) -> &'static str {
        ""
    }
}

/// A place on the screen and what it means.
pub(crate) type Targets = Vec<(Rect, Target)>;

/// What a place means.
pub(crate) type Target = Rc<dyn Clicks>;

/// Something that is asked on the last line, and what is done with the answer.
pub(crate) trait Ask: std::fmt::Debug {
    /// What is asked.
    fn words(&self, app: &App) -> String;

    /// Words that can stand in the answer.
    fn offers(&self, _app: &App) -> Vec<String> {
        Vec::new()
    }

    /// Words that can follow what has been typed, where their order says which; none if it does not.
    fn offers_after(&self, _app: &App, _before: &str) -> Option<Vec<String>> {
        None
    }

    /// What the answer does, with its unit, limits and default.
    fn hint(&self, _app: &App) -> Option<String> {
        None
    }

    /// Takes the answer.
    ///
    /// # Errors
    /// With what is wrong with it; it stays to be changed.
    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal>;

    /// Whether what the answer breaks was said before it was asked, so that one need not insist.
    fn said_before(&self) -> bool {
        false
    }

    /// Whether `y` or `n` alone is the answer, without enter.
    fn one_key(&self) -> bool {
        false
    }

    /// It has been typed on.
    fn changed(&self, _app: &mut App, _text: &str) {}

    /// It was given up.
    fn given_up(&self, _app: &mut App) {}

    /// The curve of which a point is typed.
    fn curve(&self) -> Option<&Editor> {
        None
    }
}

/// What is asked.
pub(crate) type Prompt = Rc<dyn Ask>;

/// The place of a view in the table by its name.
pub(crate) fn place_of(name: &str) -> usize {
    VIEWS.iter().position(|v| v.face().name == name).unwrap_or(0)
}

/// What a field of a project's files holds and does, for the line in which it is typed.
pub(crate) fn hint_of(field: Option<&registry::Field>) -> Option<String> {
    let field = field?;
    let unsaid = match field.unsaid {
        "" | "!" => String::new(),
        unsaid => format!("; {unsaid} if unsaid"),
    };
    Some(format!("{}: {}{unsaid}", field.says, field.holds.words()).replace(" -", " −"))
}

/// Owned words.
pub(crate) fn owned<'a>(words: impl IntoIterator<Item = &'a str>) -> Vec<String> {
    words.into_iter().map(str::to_owned).collect()
}
