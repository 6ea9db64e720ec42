//! `estampie add PROJECT RECIPE`: recipes put into a project.

use super::output::{out, tell};
use crate::aside::Aside;
use crate::failure::Failure;
use crate::project;
use estampie_project::document::did_you_mean;
use estampie_project::recipes::{Recipe, all, changed, new_lines, page};
use std::io::Write as _;
use std::path::PathBuf;

#[derive(clap::Args)]
pub(super) struct Arguments {
    /// The project's folder
    #[arg(required_unless_present = "page")]
    project: Option<PathBuf>,
    /// The recipe; without one all are listed, those in the project's folder recipes/ with them
    recipe: Option<String>,
    /// A name that the recipe asks for, like place=harbour
    #[arg(long = "set", value_name = "NAME=VALUE", value_parser = pair)]
    set: Vec<(String, String)>,
    /// Shows what would be written, and writes nothing
    #[arg(long)]
    dry: bool,
    /// Prints the manual's page of all recipes
    #[arg(long, conflicts_with_all = ["recipe", "set", "dry"])]
    page: bool,
    /// Where the page goes, instead of to the terminal
    #[arg(short, long, value_name = "OUT.md", requires = "page")]
    out: Option<PathBuf>,
}

fn pair(text: &str) -> Result<(String, String), String> {
    let (name, value) = text.split_once('=').ok_or("write NAME=VALUE, like place=harbour")?;
    Ok((name.trim().to_owned(), value.trim().to_owned()))
}

pub(super) fn run(arguments: &Arguments) -> Result<(), Failure> {
    if arguments.page {
        return match &arguments.out {
            None => {
                out!("{}", page().trim_end());
                Ok(())
            }
            Some(path) => {
                let mut file = Aside::create(path, &["md"], None, true)?;
                file.write_all(page().as_bytes())?;
                file.finish()
            }
        };
    }
    let Some(folder) = &arguments.project else { return Err(Failure::Use("name the project's folder".into())) };
    let mut loaded = project::read(folder)?;
    let (list, wrong) = all(Some(&loaded.workspace));
    wrong.iter().for_each(|why| tell(why));
    let Some(name) = &arguments.recipe else {
        list.iter().for_each(|recipe| out!("{:20} {}", recipe.name, recipe.says));
        return Ok(());
    };
    let Some(recipe) = list.iter().find(|r| r.name == *name) else {
        let near = did_you_mean(name, list.iter().map(|r| r.name.as_str()), "estampie add PROJECT lists them");
        return Err(Failure::Use(format!("there is no recipe {name}; {near}")));
    };
    put(&mut loaded, recipe, arguments)
}

fn put(loaded: &mut project::Loaded, recipe: &Recipe, arguments: &Arguments) -> Result<(), Failure> {
    let refused = |why: &dyn std::fmt::Display| Failure::Fault(format!("nothing was written: {why}"));
    let names = recipe.names(&arguments.set).map_err(|e| Failure::Use(e.to_string()))?;
    out!("{}: {}", recipe.name, recipe.says);
    for (ask, (_, value)) in recipe.asks.iter().zip(&names) {
        out!("  {}={value}: {}", ask.name, ask.says);
    }
    if arguments.dry {
        let files = changed(&loaded.workspace, recipe, &arguments.set).map_err(|e| refused(&e))?;
        new_lines(&loaded.workspace, &files).iter().for_each(|line| out!("{line}"));
        out!("nothing was written");
        return Ok(());
    }
    let files = loaded.workspace.put_recipe(recipe, &arguments.set).map_err(|e| refused(&e))?;
    loaded.workspace.save(false).map_err(|e| Failure::Fault(e.to_string()))?;
    out!("written: {}", files.join(", "));
    out!("it sounds by placeholders; estampie check {} holds its playthrough", loaded.workspace.root().display());
    Ok(())
}
