//! `estampie game`: a stand-in for a game, that sends what a real one would.

use super::listen_address;
use crate::failure::Failure;
use crate::game;
use std::net::SocketAddr;

#[derive(clap::Args)]
pub(super) struct Arguments {
    /// Where a workshop listens: an address, a port, or both
    #[arg(long, value_name = "ADDRESS", default_value = "127.0.0.1:9460", value_parser = listen_address)]
    to: SocketAddr,
    /// It plays by itself, as this seed says
    #[arg(long, value_name = "SEED", num_args = 0..=1, default_missing_value = "1")]
    auto: Option<u64>,
    /// It makes a game's usual mistakes: names misspelt, an event in every frame, places that are none, another unit, a pause without a word
    #[arg(long)]
    clumsy: bool,
    /// No picture
    #[arg(long)]
    no_screen: bool,
    /// It ends after so many seconds
    #[arg(long)]
    seconds: Option<u64>,
    /// The light theme
    #[arg(long)]
    light: bool,
}

pub(super) fn run(arguments: &Arguments) -> Result<(), Failure> {
    let Arguments { to, auto, clumsy, no_screen, seconds, light } = *arguments;
    let options = game::Options { to, auto, clumsy, no_screen, seconds, light };
    let stopped = super::stopped_by_hand()?;
    game::run(&options, &stopped)
}
