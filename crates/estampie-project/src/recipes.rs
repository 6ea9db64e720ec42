//! Recipes: what designers build again and again, as texts that are put into any project by one edit.
//!
//! A recipe says what it is for and why it is built so, asks for the few names that matter, and has a part for each file that it adds to, below a line
//! `=== FILE`. Names in braces stand for what was asked. TOML is merged table by table, sentences are put below the others, rows of the stock come in as
//! items, so that everything sounds at once by placeholders; a playthrough shows that it works.

use crate::assets::Assets;
use crate::compile::compile;
use crate::document::{Document, Refusal, Workspace, appended};
use crate::door;
use crate::stock;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use toml_edit::{DocumentMut, Item, Table};

/// Something that a recipe asks for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Asked {
    /// What stands in braces.
    pub name: String,
    /// What it is if nothing is said.
    pub unsaid: String,
    /// What it is for.
    pub says: String,
}

/// A recipe.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Recipe {
    /// What it is called.
    pub name: String,
    /// What it is, in a line.
    pub says: String,
    /// Why it is built so, and which trap it avoids.
    pub why: String,
    /// What it asks for.
    pub asks: Vec<Asked>,
    /// Its parts: a file, and what is added to it.
    parts: Vec<(String, String)>,
}

macro_rules! recipes {
    ($($name:literal),* $(,)?) => {
        /// The recipes that the program brings: a file each in `recipes/`, and a name here.
        const OWN: &[(&str, &str)] = &[$(($name, include_str!(concat!("../recipes/", $name, ".recipe")))),*];
    };
}

recipes![
    "steps-by-ground",
    "scrape",
    "engine",
    "chaser",
    "thrust",
    "impacts",
    "grunts",
    "rain",
    "wind",
    "bed-with-one-shots",
    "birds",
    "stream",
    "door",
    "room",
    "music-by-place",
    "music-by-state",
    "boss",
    "playlist",
    "chase",
    "speaker",
    "player-levels",
    "pause",
    "wounded",
    "countdown",
];

/// Where a team's own recipes lie in a project.
pub const FOLDER: &str = "recipes";

/// All recipes: those that the program brings, and those of a project, with what is wrong with these.
#[must_use]
pub fn all(workspace: Option<&Workspace>) -> (Vec<Recipe>, Vec<String>) {
    let mut list: Vec<Recipe> = OWN.iter().filter_map(|(name, text)| Recipe::read(name, text).ok()).collect();
    let mut wrong = Vec::new();
    if let Some(workspace) = workspace {
        let folder = workspace.root().join(FOLDER);
        let mut files: Vec<_> = std::fs::read_dir(folder).into_iter().flatten().flatten().map(|e| e.file_name().to_string_lossy().into_owned()).collect();
        files.sort();
        for file in files.iter().filter(|f| f.ends_with(".recipe")) {
            let name = file.trim_end_matches(".recipe");
            let text = door::readable(workspace.root(), &format!("{FOLDER}/{file}")).and_then(std::fs::read_to_string);
            match text.map_err(|e| e.to_string()).and_then(|text| Recipe::read(name, &text)) {
                Ok(recipe) => {
                    // A team's own counts before one that is called alike.
                    list.retain(|r| r.name != recipe.name);
                    list.push(recipe);
                }
                Err(why) => wrong.push(format!("{FOLDER}/{file}: {why}")),
            }
        }
    }
    (list, wrong)
}

impl Recipe {
    /// Reads a recipe.
    ///
    /// # Errors
    /// With the line that is wrong.
    pub fn read(name: &str, text: &str) -> Result<Recipe, String> {
        let mut recipe = Recipe { name: name.to_owned(), says: String::new(), why: String::new(), asks: Vec::new(), parts: Vec::new() };
        for (at, line) in text.lines().enumerate() {
            if let Some(file) = line.strip_prefix("=== ") {
                recipe.parts.push((file.trim().to_owned(), String::new()));
            } else if let Some((_, part)) = recipe.parts.last_mut() {
                let _ = writeln!(part, "{line}");
            } else if let Some(ask) = line.strip_prefix("ask ") {
                let (name, rest) = ask.split_once('=').ok_or_else(|| format!("line {}: write ask NAME = UNSAID, what it is for", at + 1))?;
                let (unsaid, says) = rest.split_once(',').ok_or_else(|| format!("line {}: a comma stands before what it is for", at + 1))?;
                recipe.asks.push(Asked { name: name.trim().to_owned(), unsaid: unsaid.trim().to_owned(), says: says.trim().to_owned() });
            } else if let Some(says) = line.strip_prefix("says ") {
                says.trim().clone_into(&mut recipe.says);
            } else if !line.trim().is_empty() {
                if !recipe.why.is_empty() {
                    recipe.why.push(' ');
                }
                recipe.why.push_str(line.trim());
            }
        }
        if recipe.says.is_empty() || recipe.parts.is_empty() {
            return Err("it needs a line \"says …\", and parts below lines \"=== FILE\"".into());
        }
        Ok(recipe)
    }

    /// The names with what is said of them, in their order.
    ///
    /// # Errors
    /// When something is said that is not asked for, or a name cannot be one.
    pub fn names(&self, said: &[(String, String)]) -> Result<Vec<(String, String)>, Refusal> {
        for (name, value) in said {
            if !self.asks.iter().any(|a| a.name == *name) {
                let asks: Vec<&str> = self.asks.iter().map(|a| a.name.as_str()).collect();
                return Err(format!("{} does not ask for {name}; it asks for {}", self.name, asks.join(", ")).into());
            }
            if !crate::language::lex::is_plain_name(value) {
                return Err(format!("\"{value}\" cannot be a name; write small letters, - and .").into());
            }
        }
        let of = |ask: &Asked| said.iter().rev().find(|(name, _)| *name == ask.name).map_or(&ask.unsaid, |(_, value)| value).clone();
        Ok(self.asks.iter().map(|ask| (ask.name.clone(), of(ask))).collect())
    }

    /// Its parts with names in the place of what stands in braces.
    fn with(&self, names: &[(String, String)]) -> Vec<(String, String)> {
        let put = |text: &str| names.iter().fold(text.replace("{recipe}", &self.name), |text, (name, value)| text.replace(&format!("{{{name}}}"), value));
        self.parts.iter().map(|(file, part)| (put(file), put(part))).collect()
    }
}

/// What a recipe would do to a project: each file that it changes, as it would be.
pub type Changed = Vec<(String, Option<String>)>;

/// Works out what a recipe does to a project with what was said of its names.
///
/// # Errors
/// When it adds something that is there already and is another, or would make a fault.
pub fn changed(workspace: &Workspace, recipe: &Recipe, said: &[(String, String)]) -> Result<Changed, Refusal> {
    let names = recipe.names(said)?;
    let mut sources = workspace.sources().clone();
    let mut files: BTreeMap<String, String> = BTreeMap::new();
    for (file, part) in recipe.with(&names) {
        let before = files.get(&file).cloned().unwrap_or_else(|| sources.get(&file).map_or(String::new(), ToString::to_string));
        let (file, text) = added(workspace, &file, &before, &part)?;
        sources.set(&file, &text);
        files.insert(file, text);
    }
    // What it adds has to be sound; what was wrong before is not its business.
    let known: Vec<(String, String)> = workspace.faults().iter().map(|f| (f.place.file.clone(), f.what.clone())).collect();
    let (document, mut faults) = Document::read(&sources, workspace.audio());
    faults.extend(compile(&document, &Assets::default()).1);
    if let Some(fault) = faults.iter().find(|f| !known.contains(&(f.place.file.clone(), f.what.clone()))) {
        return Err(format!("with {} there would be a fault, {fault}", recipe.name).into());
    }
    Ok(files.into_iter().map(|(file, text)| (file, Some(text))).collect())
}

/// A file with a part of a recipe added to it; its name may be another one.
fn added(workspace: &Workspace, file: &str, before: &str, part: &str) -> Result<(String, String), Refusal> {
    let part = part.trim_matches('\n');
    if file == stock::FILE {
        let said = &workspace.document().manifest.stock_columns;
        let (items, faults) = stock::read(&format!("name,kind,variations,channels,length,loudness,note\n{part}\n"), &BTreeMap::new());
        if let Some(fault) = faults.first() {
            return Err(fault.to_string().into());
        }
        let known = &workspace.document().stock.items;
        let new = items.items.iter().filter(|item| !known.iter().any(|i| i.name == item.name));
        let text = new.into_iter().try_fold(before.to_owned(), |text, item| {
            let cells: Vec<_> = item.texts.iter().map(|(column, text)| (*column, text.as_str())).collect();
            stock::with(&text, said, &item.name, &cells)
        })?;
        return Ok((file.to_owned(), text));
    }
    if let Some(name) = file.strip_prefix("playthroughs/").and_then(|f| f.strip_suffix(".play")) {
        let free = (1..).map(|n| if n == 1 { name.to_owned() } else { format!("{name}-{n}") }).map(|name| format!("playthroughs/{name}.play"));
        let file = free.into_iter().find(|file| workspace.sources().get(file).is_none()).unwrap_or_else(|| file.to_owned());
        return Ok((file, format!("{part}\n")));
    }
    if file.ends_with(".est") {
        return Ok((file.to_owned(), appended(before, &format!("{part}\n"))));
    }
    let parse = |text: &str| text.parse::<DocumentMut>().map_err(|e| Refusal::from(format!("{file}: {e}")));
    let (mut whole, new) = (parse(before)?, parse(part)?);
    merged(file, whole.as_table_mut(), new.as_table(), &mut Vec::new())?;
    Ok((file.to_owned(), whole.to_string()))
}

/// Merges a table into another. What the game tells is there once: what a project has already of it stays as it is.
fn merged(file: &str, whole: &mut Table, new: &Table, path: &mut Vec<String>) -> Result<(), Refusal> {
    // How deep a table is a thing of its own: in files of sounds each one is.
    let depth = if file.starts_with("sounds/") { 1 } else { 2 };
    let there = |path: &[String]| Err(format!("there is {} already in {file}: say another name", path.join(" ")).into());
    for (key, item) in new {
        path.push(key.to_owned());
        match (whole.get_mut(key), item) {
            (None, item) => {
                let mut item = item.clone();
                // It comes below what is there, in whatever order the tables had in the recipe.
                if let Item::Table(table) = &mut item {
                    below(table);
                }
                whole.insert(key, item);
            }
            (Some(Item::Table(_)), Item::Table(_)) if file == "game.toml" && path.len() == 2 => {}
            // A thing of that name is there already. A bus may be: it keeps what it is.
            (Some(Item::Table(_)), Item::Table(_)) if path.len() == depth && path[0] != "buses" => return there(path),
            (Some(Item::Table(own)), Item::Table(table)) => merged(file, own, table, path)?,
            (Some(Item::ArrayOfTables(own)), Item::ArrayOfTables(tables)) => {
                for table in tables {
                    let mut table = table.clone();
                    below(&mut table);
                    own.push(table);
                }
            }
            (Some(_), _) if file == "game.toml" || path[0] == "buses" => {}
            (Some(own), item) if own.to_string().trim() == item.to_string().trim() => {}
            (Some(_), _) => return there(path),
        }
        path.pop();
    }
    Ok(())
}

/// Takes from a table, and from all within it, where it stood in its text.
fn below(table: &mut Table) {
    table.set_position(None);
    for (_, item) in table.iter_mut() {
        match item {
            Item::Table(inner) => below(inner),
            Item::ArrayOfTables(list) => list.iter_mut().for_each(below),
            _ => {}
        }
    }
}

/// The lines that changed files have more than before, each below the name of its file, as a diff has them.
#[must_use]
pub fn new_lines(workspace: &Workspace, files: &[(String, Option<String>)]) -> Vec<String> {
    let mut lines = Vec::new();
    for (file, text) in files {
        let before = workspace.sources().get(file).map_or(String::new(), ToString::to_string);
        let patch = diffy::create_patch(&before, text.as_deref().unwrap_or_default()).to_string();
        lines.push(format!("--- {file}"));
        // Behind the two lines that name the files.
        let new = patch.lines().skip(2).filter_map(|line| line.strip_prefix('+')).filter(|line| !line.trim().is_empty());
        lines.extend(new.map(|line| format!("+ {line}")));
    }
    lines
}

impl Workspace {
    /// Puts a recipe into the project, as one edit; gives the files that it changed.
    ///
    /// # Errors
    /// As [`changed`].
    pub fn put_recipe(&mut self, recipe: &Recipe, said: &[(String, String)]) -> Result<Vec<String>, Refusal> {
        let files = changed(self, recipe, said)?;
        let names = files.iter().map(|(file, _)| file.clone()).collect();
        self.change(&format!("recipe {}", recipe.name), files);
        Ok(names)
    }
}

/// The recipes that the program brings, as a page of the manual.
#[must_use]
pub fn page() -> String {
    let mut text = String::from(
        "# The recipes\n\nWhat designers build again and again, put into a project by `estampie add PROJECT RECIPE`, or in the workshop by `:` and *recipe*. This page is written by the program\nitself (`estampie add --page`).\n\nEach asks for a few names, writes sounds, events, reactions, modulations, mix and world in the project's own files by one edit, adds what it needs to the [stock](stock.md), so that it\nsounds at once by placeholders, and has a playthrough that shows it and says what is to be heard. What the project has already of events, parameters, states and buses it uses as it is.\n\n```sh\nestampie add harbour                                   # lists them\nestampie add harbour impacts --set place=hull --dry    # shows what would be written\nestampie add harbour impacts --set place=hull\n```\n\nA team writes its own as texts in `recipes/NAME.recipe` of the project:\n\n```text\nsays A bell that is struck\nWhy it is built so, and which trap it avoids, in as many lines as it needs.\nask place = quay, where it hangs\nask event = ring, when it is struck\n\n=== stock.csv\n{place}/bell,one-shot,2,mono,1 s,-20\n=== game.toml\n[events]\n\"{event}\" = \"it is struck\"\n=== sounds/{place}.toml\n[\"{place}/bell\"]\ntakes = [\"audio/{place}/bell_*\"]\n=== reactions.est\nWhen {event}\n  play {place}/bell\n=== playthroughs/{recipe}.play\n0.5       send {event}\n0.5       expect {place}/bell heard within 0.1 s\n2         end\n```\n\nBelow each `===` stands what is added to a file: TOML is merged table by table, sentences come below the others, rows of the stock are name, kind, variations, channels, length, loudness and note; a playthrough is a\nfile of its own. `{recipe}` is the recipe's name. What would make a fault, or is there already under the same name, is refused.\n",
    );
    for recipe in all(None).0 {
        let _ = write!(text, "\n## {}\n\n{}.\n\n{}\n\n", recipe.name, recipe.says, recipe.why);
        for ask in &recipe.asks {
            let _ = writeln!(text, "- `{}` (`{}`): {}", ask.name, ask.unsaid, ask.says);
        }
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    fn workspace(files: &[(&str, &str)]) -> (tempfile::TempDir, Workspace) {
        let folder = tempfile::tempdir().unwrap();
        for (file, text) in [("estampie.toml", "format = 1\n")].iter().chain(files) {
            std::fs::create_dir_all(folder.path().join(file).parent().unwrap()).unwrap();
            std::fs::write(folder.path().join(file), text).unwrap();
        }
        let workspace = Workspace::open(folder.path()).unwrap();
        (folder, workspace)
    }

    #[test]
    fn what_would_be_written_is_told_line_by_line_also_what_stands_elsewhere_in_the_file() {
        let before = "[parameters.strain]\nrange = \"0..1\"\n";
        let (_folder, workspace) = workspace(&[("game.toml", before)]);
        let after = format!("{before}\n[parameters.wind]\nrange = \"0..1\"\n");
        let lines = new_lines(&workspace, &[("game.toml".to_owned(), Some(after)), ("new.play".to_owned(), Some("0 end\n".to_owned()))]);
        assert_eq!(lines, ["--- game.toml", "+ [parameters.wind]", "+ range = \"0..1\"", "--- new.play", "+ 0 end"]);
    }

    #[test]
    fn all_recipes_can_be_read_and_each_says_why() {
        let (list, _) = all(None);
        assert_eq!(list.len(), OWN.len());
        for recipe in &list {
            assert!(recipe.why.len() > 100 && recipe.parts.iter().any(|(file, _)| file.starts_with("playthroughs/")), "{}", recipe.name);
        }
    }

    const BELL: &str = "says a bell\nBecause.\nask place = quay, where it hangs\nask event = ring, when it is struck\n\n=== stock.csv\n{place}/bell,one-shot,2,mono,1 s\n=== game.toml\n[events]\n\"{event}\" = \"it is struck\"\n=== sounds/{place}.toml\n[\"{place}/bell\"]\ntakes = [\"audio/{place}/bell_*\"]\n=== reactions.est\nWhen {event}\n  play {place}/bell\n=== playthroughs/{recipe}.play\n0.5 send {event}\n0.5 expect {place}/bell heard within 0.1 s\n2 end\n";

    #[test]
    fn a_team_s_own_recipe_is_put_in_by_one_edit_and_taken_out_without_a_trace() {
        let game = "# ours\n[events]\nring = \"the bell is struck\" # kept\n";
        let (folder, mut workspace) = workspace(&[("game.toml", game), ("recipes/bell.recipe", BELL), ("recipes/odd.recipe", "nothing\n")]);
        let (list, wrong) = all(Some(&workspace));
        assert!(wrong.len() == 1 && wrong[0].starts_with("recipes/odd.recipe: it needs a line"), "{wrong:?}");
        let bell = list.iter().find(|r| r.name == "bell").unwrap();
        assert_eq!(bell.asks[0], Asked { name: "place".into(), unsaid: "quay".into(), says: "where it hangs".into() });
        let before = workspace.sources().clone();
        let said = vec![("place".to_owned(), "harbour".to_owned())];
        let files = workspace.put_recipe(bell, &said).unwrap();
        assert_eq!(files, ["game.toml", "playthroughs/bell.play", "reactions.est", "sounds/harbour.toml", "stock.csv"]);
        // What the game tells already stays as it is told.
        assert_eq!(&**workspace.sources().get("game.toml").unwrap(), game);
        assert!(workspace.sources().get("reactions.est").unwrap().contains("When ring\n  play harbour/bell\n"));
        assert!(workspace.faults().is_empty(), "{:?}", workspace.faults());
        // Once more it is there already; by another name it goes.
        let twice = workspace.put_recipe(bell, &said).unwrap_err().to_string();
        assert!(twice.contains("there is harbour/bell already in sounds/harbour.toml: say another name"), "{twice}");
        assert!(workspace.put_recipe(bell, &[]).is_ok() && workspace.sources().get("playthroughs/bell-2.play").is_some());
        workspace.undo().unwrap();
        workspace.undo().unwrap();
        assert_eq!(*workspace.sources(), before);
        for (said, why) in [("plaice", "does not ask for plaice; it asks for place, event"), ("place", "cannot be a name")] {
            let refused = workspace.put_recipe(bell, &[(said.to_owned(), "Not One".to_owned())]).unwrap_err().to_string();
            assert!(refused.contains(why), "{refused}");
        }
        drop(folder);
    }

    #[test]
    fn what_would_make_a_fault_is_refused() {
        let (_folder, mut workspace) = workspace(&[]);
        let odd = Recipe::read("odd", "says odd\nwhy\n=== reactions.est\nWhen nothing.known\n  play nothing\n").unwrap();
        let refused = workspace.put_recipe(&odd, &[]).unwrap_err().to_string();
        assert!(refused.contains("with odd there would be a fault, reactions.est:"), "{refused}");
        assert!(workspace.sources().get("reactions.est").is_none());
    }

    #[test]
    fn the_page_of_the_manual_is_as_the_recipes_are() {
        let manual = include_str!("../../../docs/recipes.md");
        assert_eq!(manual, page(), "write it anew: estampie add --page -o docs/recipes.md");
    }
}
