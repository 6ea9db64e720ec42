//! `estampie completions SHELL` and `estampie man`: what the system needs to know of the command line.

use super::output::out;
use crate::aside;
use crate::failure::Failure;
use clap::Command;
use clap_complete::Shell;
use clap_mangen::Man as Page;
use std::path::PathBuf;

#[derive(clap::Args)]
pub(super) struct Completions {
    /// The shell
    shell: Shell,
}

#[derive(clap::Args)]
pub(super) struct Man {
    /// A folder: a page for each command is written there. Without it the first page is printed
    folder: Option<PathBuf>,
}

/// Prints the completions for a shell.
pub(super) fn complete(arguments: &Completions, command: &mut Command) -> Result<(), Failure> {
    let mut text = Vec::new();
    clap_complete::generate(arguments.shell, command, "estampie", &mut text);
    super::output::bytes(&text);
    Ok(())
}

/// Prints the first page of the manual, or writes all of them.
pub(super) fn manual(arguments: &Man, command: &Command) -> Result<(), Failure> {
    let Some(folder) = &arguments.folder else {
        let mut text = Vec::new();
        Page::new(command.clone()).render(&mut text)?;
        super::output::bytes(&text);
        return Ok(());
    };
    let mut count = 0;
    for (name, page) in pages(command.clone())? {
        let path = folder.join(&name);
        if path.exists() {
            return Err(Failure::Use(format!("{} is there already; name another folder", path.display())));
        }
        aside::put(&path, &page)?;
        count += 1;
    }
    out!("{count} pages are in {}; man -l {} shows the first", folder.display(), folder.join("estampie.1").display());
    Ok(())
}

/// The pages by their files' names: of the program, and of each command, and of the commands within.
fn pages(command: Command) -> std::io::Result<Vec<(String, Vec<u8>)>> {
    let mut command = command.disable_help_subcommand(true);
    command.build();
    let mut pages = Vec::new();
    page(&command, "estampie", &mut pages)?;
    Ok(pages)
}

fn page(command: &Command, name: &str, pages: &mut Vec<(String, Vec<u8>)>) -> std::io::Result<()> {
    let mut text = Vec::new();
    // Its name on the page is that of the whole command.
    Page::new(command.clone().display_name(name.to_owned())).render(&mut text)?;
    pages.push((format!("{name}.1"), text));
    for inner in command.get_subcommands() {
        page(inner, &format!("{name}-{}", inner.get_name()), pages)?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use clap::CommandFactory as _;

    #[test]
    fn every_command_has_a_page_and_is_completed() {
        let command = super::super::Arguments::command();
        let pages = pages(command.clone()).unwrap();
        for inner in command.get_subcommands() {
            let (_, text) = pages.iter().find(|(file, _)| *file == format!("estampie-{}.1", inner.get_name())).unwrap();
            let text = String::from_utf8_lossy(text);
            assert!(text.contains(".SH SYNOPSIS") && text.contains(".SH NAME"), "{}", inner.get_name());
        }
        assert!(pages.iter().any(|(file, _)| file == "estampie-stock-import.1"));
        for shell in [Shell::Bash, Shell::Zsh, Shell::Fish, Shell::Elvish, Shell::PowerShell] {
            let mut text = Vec::new();
            clap_complete::generate(shell, &mut command.clone(), "estampie", &mut text);
            let text = String::from_utf8(text).unwrap();
            assert!(text.contains("render-take") && text.contains("other-seed"), "{shell}");
        }
    }
}
