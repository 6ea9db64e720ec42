//! All tests of the core that go through its public face, in one program: built and linked once.
#![allow(clippy::unwrap_used, clippy::needless_pass_by_value)]

mod allocation;
mod any_music;
mod any_world;
mod audio_files;
mod compare;
mod documents;
mod edits;
mod engine;
mod expectations;
mod generators;
mod golden;
mod guards;
mod house;
mod measure;
mod mix;
mod music;
mod notes;
mod placed;
mod recipes;
mod rehearsal;
mod sounds;
mod support;
mod transitions;
mod wiring;
mod world;
