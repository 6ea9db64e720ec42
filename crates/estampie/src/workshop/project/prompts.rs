//! What the view *Project* asks on the last line.

use super::{Column, parts_of};
use crate::workshop::app::App;
use crate::workshop::view::Ask;
use estampie_project::document::Refusal;
use estampie_project::things::{Row, Thing, ThingKind, Written};

/// The name of a new thing.
#[derive(Debug)]
pub(in crate::workshop) struct NewPrompt {
    pub(in crate::workshop) kind: &'static ThingKind,
    pub(in crate::workshop) owner: Option<Thing>,
}

impl Ask for NewPrompt {
    fn words(&self, _app: &App) -> String {
        let of = self.owner.as_ref().map_or(String::new(), |owner| format!(" of {}", owner.whole_name()));
        format!("new {}{of}: its name", self.kind.word)
    }

    fn offers(&self, app: &App) -> Vec<String> {
        self.kind.names.map_or(Vec::new(), |word| app.workspace.names(word))
    }

    fn hint(&self, _app: &App) -> Option<String> {
        let begins: Vec<String> = self.kind.begins.iter().map(|(field, text)| format!("{field} {}", text.replace('@', "the first "))).collect();
        Some(if begins.is_empty() { "letters, digits, -, . and /".into() } else { format!("it begins with {}", begins.join(", ")) })
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        app.make_thing(self.kind, self.owner.as_ref(), text)
    }
}

/// A new name of a thing.
#[derive(Debug)]
pub(in crate::workshop) struct RenamePrompt {
    pub(in crate::workshop) thing: Thing,
}

impl Ask for RenamePrompt {
    fn words(&self, app: &App) -> String {
        format!("{} is called", app.workspace.called(&self.thing))
    }

    fn hint(&self, _app: &App) -> Option<String> {
        Some("all that names it follows, in every file".into())
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        if text.trim() == self.thing.name() {
            return Ok(());
        }
        let (renamed, count) = app.workspace.rename(&self.thing, text)?;
        app.compile();
        let places = match count {
            0 => "; nothing else names it".to_owned(),
            1 => ", and so it is at 1 place that names it".to_owned(),
            _ => format!(", and so it is at {count} places that name it"),
        };
        app.say(format!("it is called {} now{places}", renamed.name()));
        app.chosen_or_selected(renamed);
        Ok(())
    }
}

/// A field, or one part of its list, or one more of them.
#[derive(Debug)]
pub(in crate::workshop) struct FieldPrompt {
    pub(in crate::workshop) thing: Thing,
    pub(in crate::workshop) row: Row,
    pub(in crate::workshop) part: Option<usize>,
    pub(in crate::workshop) new: bool,
}

impl FieldPrompt {
    /// The value of a state whose name is asked for: what names it follows, as with any name.
    fn value(&self) -> Option<String> {
        let named = self.thing.kind.word == "state" && self.row.key == "values" && !self.new;
        self.part.filter(|_| named).and_then(|part| parts_of(&self.row).into_iter().nth(part))
    }
}

impl Ask for FieldPrompt {
    fn words(&self, app: &App) -> String {
        let of = app.workspace.called(&self.thing);
        if let Some(value) = self.value() {
            return format!("the value {value} of {of} is called");
        }
        match (self.part, self.new) {
            (_, true) => format!("one more in {} of {of}", self.row.key),
            (Some(part), _) => format!("{} {} of {of}", self.row.key, part + 1),
            _ => format!("{} of {of}", self.row.key),
        }
    }

    fn offers(&self, app: &App) -> Vec<String> {
        app.workspace.words_of(&self.row)
    }

    fn hint(&self, _app: &App) -> Option<String> {
        if self.value().is_some() {
            return Some("all that names it follows, in every file".into());
        }
        let unsaid = match self.row.unsaid.as_str() {
            "" => String::new(),
            "must be there" => "; it must be there".to_owned(),
            unsaid => format!("; {unsaid} if unsaid"),
        };
        let table = if self.row.written == Written::Pair { "; or a table in the project: NAME.csv" } else { "" };
        Some(format!("{}: {}{unsaid}{table}", self.row.says, self.row.holds).replace(" -", " −"))
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        if let Some(value) = self.value().filter(|value| !text.trim().is_empty() && text.trim() != value) {
            let count = app.workspace.rename_value(&self.thing, &value, text)?;
            app.compile();
            let places = if count == 1 { "1 place".to_owned() } else { format!("{count} places") };
            app.say(format!("{value} is called {} now, and so it is at {places}", text.trim()));
            return Ok(());
        }
        let text = match self.part {
            Some(part) => {
                let mut parts = parts_of(&self.row);
                match (parts.get_mut(part), text.trim()) {
                    (Some(_), "") => {
                        parts.remove(part);
                    }
                    (Some(old), text) => text.clone_into(old),
                    (None, "") => {}
                    (None, text) => parts.push(text.to_owned()),
                }
                parts.join("; ")
            }
            None => text.to_owned(),
        };
        // What names nothing is told by the line itself, which takes it if it is entered again.
        app.workspace.set_row(&self.thing, &self.row, &text, true)?;
        app.compile();
        app.load_missing();
        let lines = app.field_lines();
        let key =
            if self.row.written == Written::Pair { format!("{}.{}", self.row.key, text.split(": ").next().unwrap_or_default()) } else { self.row.key.clone() };
        // Set fields come first: the line goes where its field has gone.
        if let Some(at) = lines.iter().position(|(_, row)| row.key == key) {
            app.project.line = at + self.part.filter(|_| lines.len() > at + 1 && lines[at + 1].1.key == key).map_or(0, |part| part + 1);
        }
        Ok(())
    }
}

/// Whether something that is named is to be deleted all the same.
#[derive(Debug)]
pub(in crate::workshop) struct DeletePrompt {
    pub(in crate::workshop) thing: Thing,
    pub(in crate::workshop) uses: usize,
}

impl Ask for DeletePrompt {
    fn words(&self, app: &App) -> String {
        let places = if self.uses == 1 { "1 place names it".to_owned() } else { format!("{} places name it", self.uses) };
        format!("{places}, to the right; delete {} all the same? y or n", app.workspace.called(&self.thing))
    }

    fn hint(&self, _app: &App) -> Option<String> {
        Some("y deletes it, u would bring it back; n or esc leaves it".into())
    }

    fn one_key(&self) -> bool {
        true
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        match text.trim() {
            "y" | "yes" => {
                app.leave_uses();
                app.delete_thing_now(&self.thing);
                Ok(())
            }
            "n" | "no" | "" => {
                app.leave_uses();
                Ok(())
            }
            other => Err(format!("\"{other}\" is neither y nor n").into()),
        }
    }

    fn said_before(&self) -> bool {
        true
    }

    fn given_up(&self, app: &mut App) {
        app.leave_uses();
    }
}

/// The letters of the filter.
#[derive(Debug)]
pub(in crate::workshop) struct FilterPrompt;

impl Ask for FilterPrompt {
    fn words(&self, app: &App) -> String {
        if app.project.column == Column::Fields { "fields with".into() } else { "things with".into() }
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        self.changed(app, text);
        Ok(())
    }

    fn changed(&self, app: &mut App, text: &str) {
        if app.project.column == Column::Kinds {
            app.project.column = Column::Things;
        }
        app.project.filter = text.trim().to_lowercase();
        app.project.line = 0;
    }

    fn given_up(&self, app: &mut App) {
        app.project.filter.clear();
    }
}
