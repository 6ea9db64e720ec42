//! `estampie game`: a stand-in for a game, that sends what a real one would.

use crate::arguments::{join_address, listen_address};
use crate::failure::Failure;
use crate::game;
use std::net::SocketAddr;
use std::path::PathBuf;

#[derive(clap::Args)]
pub(super) struct Arguments {
    /// Where a workshop listens: an address, a port, or both
    #[arg(long, value_name = "ADDRESS", default_value = "127.0.0.1:9460", value_parser = listen_address)]
    to: SocketAddr,
    /// It sounds itself, by the runtime inside it: plays this bundle instead of sending
    #[arg(long, value_name = "FILE", conflicts_with = "to")]
    bundle: Option<PathBuf>,
    /// With --bundle: a workshop may join on this address or port (127.0.0.1:9461 if none is said) and change what plays
    #[arg(long, value_name = "ADDRESS", num_args = 0..=1, default_missing_value = "", value_parser = join_address, requires = "bundle")]
    live: Option<SocketAddr>,
    /// With --bundle: play through this device; "none" plays on the silent clock
    #[arg(long, value_name = "NAME", requires = "bundle")]
    device: Option<String>,
    /// With --bundle: write what is heard to this WAV file
    #[arg(long, value_name = "OUT.wav", requires = "bundle")]
    record: Option<PathBuf>,
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
    let Arguments { to, auto, clumsy, no_screen, seconds, light, live, .. } = *arguments;
    let (device, record) = (arguments.device.clone(), arguments.record.clone());
    let inside = arguments.bundle.clone().map(|bundle| game::Inside { bundle, device, live, record });
    let options = game::Options { to, inside, auto, clumsy, no_screen, seconds, light };
    let stopped = super::stopped_by_hand()?;
    game::run(&options, &stopped)
}
