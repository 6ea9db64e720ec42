//! What commands that open the workshop, or sound, are told alike.

use crate::address;
use std::net::{IpAddr, SocketAddr};

/// Milliseconds of sound that are made ahead, where nothing is said; and the least and the most.
pub(crate) const BUFFER: (u32, std::ops::RangeInclusive<u32>) = (30, 5..=500);

/// What it sounds through.
#[derive(clap::Args, Clone, Debug, Default)]
pub(crate) struct Sound {
    /// Play through this device ("estampie doctor" lists them); "none" plays on the silent clock
    #[arg(long, value_name = "NAME")]
    pub(crate) device: Option<String>,
    /// The MIDI inputs that are played: part of a name ("estampie doctor" lists them), "none", or all of them
    #[arg(long, value_name = "NAME")]
    pub(crate) midi: Option<String>,
    /// How much sound is made ahead, in milliseconds (5 to 500; 30 if neither this nor the settings say)
    #[arg(long, value_name = "MS", value_parser = clap::value_parser!(u32).range(i64::from(*BUFFER.1.start())..=i64::from(*BUFFER.1.end())))]
    pub(crate) buffer: Option<u32>,
}

/// How the workshop is opened, besides the sound.
#[derive(clap::Args, Clone, Debug, Default)]
pub(crate) struct Page {
    /// The light theme
    #[arg(long)]
    pub(crate) light: bool,
    /// The dark theme, where the settings have the light one
    #[arg(long, conflicts_with = "light")]
    pub(crate) dark: bool,
    /// Four pictures a second instead of thirty while no key is pressed: meters and positions move in steps
    #[arg(long)]
    pub(crate) reduced_motion: bool,
    /// Lets a running game play, by Open Sound Control on this address or port (127.0.0.1:9460 if none is said); UDP and TCP
    #[arg(long, value_name = "ADDRESS", num_args = 0..=1, default_missing_value = "", value_parser = listen_address)]
    pub(crate) listen: Option<SocketAddr>,
    /// With --listen: a machine that may send besides this one; may be said several times
    #[arg(long, value_name = "ADDRESS")]
    pub(crate) allow: Vec<IpAddr>,
    /// Joins a running game that has the runtime, listening on this address or port (127.0.0.1:9461 if none is said)
    #[arg(long, value_name = "ADDRESS", num_args = 0..=1, default_missing_value = "", value_parser = join_address)]
    pub(crate) join: Option<SocketAddr>,
    /// With --join: the token that a game shows which listens beyond its own machine
    #[arg(long, value_name = "TOKEN", requires = "join")]
    pub(crate) token: Option<String>,
    /// Messages stay until the next key instead of for some seconds: for who reads slowly, or by machine
    #[arg(long)]
    pub(crate) patient: bool,
}

/// An address to listen on: a port, an address, or both.
pub(crate) fn listen_address(text: &str) -> Result<SocketAddr, String> {
    address::parse(text, estampie_link::PORT)
}

/// An address of a game to join, likewise.
pub(crate) fn join_address(text: &str) -> Result<SocketAddr, String> {
    address::parse(text, estampie_live::protocol::PORT)
}
