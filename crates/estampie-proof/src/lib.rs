//! What listens to a project, measures it, explains it and draws it, without a terminal and without a device.
//!
//! [`offline`] renders playthroughs, [`trace`] tells what happened and why, [`check`] listens to every way between sections,
//! [`keep`] makes playthroughs of what was heard, [`measure`] measures loudness, [`compare`] tells two states of a project apart, [`draw`] draws.
//!
//! From a project's text to samples, with the crates below:
//!
//! ```
//! use estampie_engine::engine::{Engine, Input, InputKind, NOW, Options, Prepared};
//! use estampie_engine::names::NameKey;
//! use estampie_project::{compile, document};
//! use std::sync::Arc;
//!
//! let sources = document::Sources::from_texts([("estampie.toml", "format = 1"), ("game.toml", "[events]\nstep = \"a foot\"\n")]);
//! let (document, faults) = document::Document::read(&sources, &Default::default());
//! assert!(faults.is_empty());
//! let (program, _faults) = compile::compile(&document, &Default::default());
//! let (mut engine, mut remote) = Engine::new(Prepared::new(Arc::new(program), 7), Options::default());
//! remote.input(Input { frame: NOW, what: InputKind::Event { event: NameKey::of("step"), emitter: NameKey::NONE } }).unwrap();
//! let mut out = [0.0; 2 * 480];
//! engine.render(&mut out);
//! assert_eq!(engine.frame(), 480);
//! ```

pub mod alone;
pub mod check;
pub mod compare;
pub mod cores;
pub mod draw;
pub mod explore;
pub mod keep;
pub mod listen_elsewhere;
pub mod measure;
pub mod offline;
pub mod onsets;
pub mod spectrogram;
pub mod stems;
pub mod tempo;
pub mod trace;
