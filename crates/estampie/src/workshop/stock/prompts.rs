//! What the view *Stock* asks on the last line.

use crate::workshop::app::App;
use crate::workshop::view::{Ask, owned};
use estampie_project::assets::{FIXES, Fix};
use estampie_project::document::Refusal;
use estampie_project::progress::WhenTaken;
use estampie_project::stock::{Column, Kind, check};

/// The text of a column, of one item or of several.
#[derive(Debug)]
pub(super) struct FieldPrompt {
    pub(super) column: Column,
    pub(super) names: Vec<String>,
}

impl Ask for FieldPrompt {
    fn words(&self, _app: &App) -> String {
        let of = if let [name] = self.names.as_slice() { name.clone() } else { format!("{} items", self.names.len()) };
        format!("{} of {of}", self.column.spec().word)
    }

    fn offers(&self, app: &App) -> Vec<String> {
        match self.column {
            Column::Kind => Kind::ALL.iter().map(|(_, word, _)| (*word).to_owned()).collect(),
            Column::Channels => owned(["mono", "stereo"]),
            Column::Mark => owned(["approved", "retake"]),
            // What others have there already.
            column => {
                let mut all: Vec<String> = app.document().stock.items.iter().map(|i| i.text(column).to_owned()).filter(|text| !text.is_empty()).collect();
                all.sort_unstable();
                all.dedup();
                all
            }
        }
    }

    fn hint(&self, _app: &App) -> Option<String> {
        Some(format!("{}; empty takes it out", self.column.spec().says))
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        check(self.column, text).map_err(|(what, fix)| Refusal::from(format!("{what}; {fix}")))?;
        app.set_items(&self.names, self.column, text.trim());
        Ok(())
    }
}

/// What a name is asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Names {
    New,
    Rename,
}

/// The name of an item.
#[derive(Debug)]
pub(super) struct NamePrompt(pub(super) Names);

impl Ask for NamePrompt {
    fn words(&self, app: &App) -> String {
        match (self.0, app.item_chosen()) {
            (Names::Rename, Some((item, _))) => format!("{} is called", item.name),
            _ => "new item: its name".into(),
        }
    }

    fn hint(&self, app: &App) -> Option<String> {
        let files = match self.0 {
            Names::New => String::new(),
            Names::Rename => "; its files and sounds keep theirs".to_owned(),
        };
        Some(format!("as its files are to be named, {}, without the number: step/plank{files}", app.document().manifest.naming.text()))
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        let name = text.trim();
        match (self.0, app.item_chosen()) {
            (Names::Rename, Some((item, _))) if item.name == name => return Ok(()),
            (Names::Rename, Some((item, _))) => app.workspace.rename_item(&item.name, name)?,
            _ => app.workspace.new_item(name, &[(Column::Kind, Kind::default().word()), (Column::Variations, "1")])?,
        }
        app.recompile();
        // What would hide it is taken away.
        app.stock.filter.clear();
        if !app.items_shown().iter().any(|at| app.document().stock.items[*at].name == name) {
            app.stock.group = super::Test::All;
        }
        name.clone_into(&mut app.stock.chosen);
        app.say(if self.0 == Names::New { format!("new item {name}: → sets what is wanted of it, W wires it") } else { format!("it is called {name} now") });
        Ok(())
    }
}

/// The event of the chosen item.
#[derive(Debug)]
pub(super) struct WirePrompt;

impl Ask for WirePrompt {
    fn words(&self, app: &App) -> String {
        format!("{} is played by the event", app.item_chosen().map_or(String::new(), |(item, _)| item.name))
    }

    fn offers(&self, app: &App) -> Vec<String> {
        app.document().events.iter().map(|e| e.name.clone()).collect()
    }

    fn hint(&self, _app: &App) -> Option<String> {
        Some("its sound, the event and the reaction are made as far as they are not there; of what goes on, EVENT.begin and EVENT.end".into())
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        let names = app.items_meant();
        app.build_items(&names, Some(text.trim()))
    }
}

/// The letters of the filter.
#[derive(Debug)]
pub(super) struct FilterPrompt;

impl Ask for FilterPrompt {
    fn words(&self, _app: &App) -> String {
        "only those with".into()
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        self.changed(app, text);
        Ok(())
    }

    fn changed(&self, app: &mut App, text: &str) {
        *app.stock.letters() = text.trim().to_lowercase();
    }

    fn given_up(&self, app: &mut App) {
        app.stock.letters().clear();
    }
}

/// What is to be done to a file.
#[derive(Debug)]
pub(super) struct FixPrompt(pub(super) String);

impl Ask for FixPrompt {
    fn words(&self, _app: &App) -> String {
        format!("new version of {}", self.0.rsplit('/').next().unwrap_or(&self.0))
    }

    fn offers(&self, _app: &App) -> Vec<String> {
        owned(["trim", "trim head", "trim tail", "mono", "dc", "-20 LUFS", "level -1 dB", "fade 5 ms", "round 50 ms", "length 1.5 s", "rate 24 kHz"])
    }

    fn hint(&self, _app: &App) -> Option<String> {
        Some(format!("what is done to it, with commas between: {FIXES}; it is written beside it and played instead"))
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        let fixes = Fix::read_all(text)?;
        app.make_versions(vec![(self.0.clone(), fixes)]);
        Ok(())
    }
}

/// Another name for a file.
#[derive(Debug)]
pub(super) struct FileNamePrompt(pub(super) String);

impl Ask for FileNamePrompt {
    fn words(&self, _app: &App) -> String {
        "its new name".into()
    }

    fn hint(&self, app: &App) -> Option<String> {
        let rule = app.document().manifest.naming.text();
        Some(format!("{rule} below audio/; the file and its versions are renamed at once, with all that names them, and the project is saved"))
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        let text = text.trim();
        if text != self.0 {
            app.rename_files(&[(self.0.clone(), text.to_owned())]);
        }
        Ok(())
    }
}

/// The folder that comes in.
#[derive(Debug)]
pub(super) struct FolderPrompt;

impl Ask for FolderPrompt {
    fn words(&self, _app: &App) -> String {
        "bring in the folder".into()
    }

    fn hint(&self, _app: &App) -> Option<String> {
        Some("its path: what would become of each of its audio files is shown before anything is copied".into())
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        let text = text.trim();
        // As a shell has it.
        let home = std::env::var_os("HOME").map(std::path::PathBuf::from);
        let folder = match (text.strip_prefix("~/"), home) {
            (Some(rest), Some(home)) => home.join(rest),
            _ => std::path::PathBuf::from(text),
        };
        if !folder.is_dir() {
            return Err(format!("there is no folder {}", folder.display()).into());
        }
        app.look_at_folder(folder);
        Ok(())
    }
}

/// What is done with files whose names others have; with how many there are.
#[derive(Debug)]
pub(super) struct TakenPrompt(pub(super) usize);

impl Ask for TakenPrompt {
    fn words(&self, _app: &App) -> String {
        if self.0 == 1 { "one file has the name of another recording".into() } else { format!("{} files have names of other recordings", self.0) }
    }

    fn offers(&self, _app: &App) -> Vec<String> {
        owned(["leave", "version"])
    }

    fn hint(&self, _app: &App) -> Option<String> {
        Some("leave: they do not come in; version: they come in as later versions of those, and are played instead".into())
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        match text.trim() {
            "leave" => app.bring_in(WhenTaken::Leave),
            "version" => app.bring_in(WhenTaken::Version),
            other => return Err(format!("\"{other}\" is neither leave nor version").into()),
        }
        Ok(())
    }
}
