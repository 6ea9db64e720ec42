//! All tests of the program as its users run it: the command line, and stories of the real workshop in tmux. In one program:
//! built and linked once.
#![allow(clippy::unwrap_used, missing_docs)]

mod bundles;
mod commands;
mod everything;
mod explore;
mod game;
mod jobs;
mod keeping;
mod mix;
mod music;
mod notes;
mod readme;
mod replay;
mod sounds_and_wiring;
mod stock;
mod stories;
mod support;
mod terminals;
mod world;
