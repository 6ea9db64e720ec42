//! `estampie listen PROJECT`: plays what a running game sends, without a screen.

use super::output::tell;
use crate::arguments::{Page, Sound, listen_address};
use crate::aside::Aside;
use crate::failure::Failure;
use crate::workshop;
use std::io::Write as _;
use std::net::{IpAddr, SocketAddr};
use std::path::PathBuf;

#[derive(clap::Args)]
pub(super) struct Arguments {
    /// The project's folder
    project: PathBuf,
    /// The address or port to listen on; UDP and TCP
    #[arg(value_name = "ADDRESS", default_value = "127.0.0.1:9460", value_parser = listen_address)]
    address: SocketAddr,
    /// A machine that may send besides this one; may be said several times
    #[arg(long, value_name = "ADDRESS")]
    allow: Vec<IpAddr>,
    /// Keep what was sent as a playthrough in this file
    #[arg(long, value_name = "OUT.play")]
    record: Option<PathBuf>,
    /// Write even over the project's own files
    #[arg(long)]
    force: bool,
    #[command(flatten)]
    sound: Sound,
}

pub(super) fn run(arguments: &Arguments) -> Result<(), Failure> {
    let out = match &arguments.record {
        Some(path) if path.exists() && !arguments.force => {
            return Err(Failure::Use(format!("{} is there already; name another file, or say --force", path.display())));
        }
        // A new playthrough of the project is what one wants here, so that its own folder is no reason to refuse.
        Some(path) => Some(Aside::create(path, &["play"], None, true)?),
        None => None,
    };
    let (settings, wrong) = crate::settings::of_person();
    wrong.iter().for_each(|what| tell(&format!("estampie: your settings: {what}")));
    let page = Page { listen: Some(arguments.address), allow: arguments.allow.clone(), ..Page::default() };
    let options = workshop::Options { state: None, ..settings.options(&arguments.sound, &page) };
    let stopped = super::stopped()?;
    let recorded = workshop::headless::listen(&arguments.project, &options, out.is_some(), &stopped)?;
    if let (Some(mut out), Some(playthrough)) = (out, recorded) {
        write!(out, "{playthrough}")?;
        out.finish()?;
    }
    Ok(())
}
