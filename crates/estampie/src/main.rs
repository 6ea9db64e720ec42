//! Estampie in the terminal: the workshop, and its commands.

mod address;
mod arguments;
mod aside;
mod bundling;
mod cli;
mod failure;
mod folders;
mod game;
mod heard;
mod levels;
mod logs;
mod midi;
mod packing;
mod player;
mod project;
mod quiet;
mod settings;
mod versioned;
mod workshop;

use std::process::ExitCode;

fn main() -> ExitCode {
    cli::run()
}
