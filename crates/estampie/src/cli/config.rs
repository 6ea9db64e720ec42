//! `estampie config`: what a person has set, and where each comes from.

use super::output::{self, out, tell};
use crate::arguments::{Page, Sound};
use crate::failure::Failure;
use crate::{aside, settings, workshop};
use serde_json::json;

#[derive(clap::Args)]
pub(super) struct Arguments {
    /// Makes the file, with every setting in it as a comment, if there is none
    #[arg(long)]
    write: bool,
    /// As JSON
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    sound: Sound,
    #[command(flatten)]
    page: Page,
}

pub(super) fn run(arguments: &Arguments) -> Result<(), Failure> {
    let path = settings::file().ok_or_else(|| Failure::Fault("there is no folder for settings here: HOME is not set".into()))?;
    if arguments.write {
        if path.exists() {
            return Err(Failure::Use(format!("{} is there already; edit it", path.display())));
        }
        aside::put(&path, settings::example().as_bytes())?;
        out!("{} is written", path.display());
        return Ok(());
    }
    let (settings, mut wrong) = settings::read(&path);
    let all = settings.standing(&arguments.sound, &arguments.page);
    let (keys, clashes) = workshop::remapped(&settings.keys);
    wrong.extend(clashes);
    if arguments.json {
        let list: Vec<_> = all.iter().map(|s| json!({ "setting": s.word, "value": s.value, "from": s.from, "says": s.says })).collect();
        output::json(&json!({ "file": path.display().to_string(), "there": path.exists(), "settings": list, "keys": keys, "wrong": wrong }));
    } else {
        out!("{}{}", path.display(), if path.exists() { "" } else { ", which is not there: --write makes it" });
        for one in &all {
            out!("  {:<10} {:<22} {:<16} {}", one.word, one.value, one.from, one.says);
        }
        for (pressed, meant) in &keys {
            out!("  {:<10} {:<22} {:<16} what {meant} does, on the pages", pressed, meant, "settings.toml");
        }
        wrong.iter().for_each(|what| tell(what));
    }
    match wrong.len() {
        0 => Ok(()),
        1 => Err(Failure::Fault("one setting is not as it may be".into())),
        n => Err(Failure::Fault(format!("{n} settings are not as they may be"))),
    }
}
