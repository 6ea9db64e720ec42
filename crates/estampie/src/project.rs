//! A project with all its audio, loaded at once: for commands. The workshop loads aside instead.

use crate::failure::Failure;
use estampie_engine::program::Program;
use estampie_project::assets::Assets;
use estampie_project::document::{Fault, Workspace};
use estampie_project::{assets, compile};
use std::path::Path;
use std::sync::Arc;

/// A project, read and compiled.
pub(crate) struct Loaded {
    pub(crate) workspace: Workspace,
    pub(crate) assets: Assets,
    pub(crate) program: Arc<Program>,
    /// All faults: of the texts, of names, of audio.
    pub(crate) faults: Vec<Fault>,
}

impl Loaded {
    /// Whether all streamed audio that was asked for could be read.
    pub(crate) fn all_read(&self) -> Result<(), Failure> {
        match self.assets.streams().failed().into_iter().next() {
            None => Ok(()),
            Some((file, why)) => Err(Failure::Fault(format!("{file} was silent from some place on: {why}"))),
        }
    }
}

/// Loads the project in `folder` and reads all of its audio to the end: what is broken in it is found. Faults are no error: what is sound works.
pub(crate) fn load(folder: &Path) -> Result<Loaded, Failure> {
    load_by(folder, true)
}

/// Loads the project in `folder` for playing it: what is long is read when it sounds ([`Loaded::all_read`]).
pub(crate) fn load_to_play(folder: &Path) -> Result<Loaded, Failure> {
    load_by(folder, false)
}

fn load_by(folder: &Path, thorough: bool) -> Result<Loaded, Failure> {
    let workspace = Workspace::open(folder)?;
    let document = workspace.document();
    let assets = audio_of(&workspace, thorough);
    let (program, found) = compile::compile(document, &assets);
    let faults = all_faults(&workspace, found);
    Ok(Loaded { workspace, assets, program: Arc::new(program), faults })
}

/// All audio of a project; what is long is streamed.
pub(crate) fn audio_of(workspace: &Workspace, thorough: bool) -> Assets {
    let document = workspace.document();
    let wanted: Vec<_> = compile::wanted_audio(document).into_iter().collect();
    assets::load_to_play(workspace.root(), &wanted, document.manifest.rate, &compile::whole_audio(document), thorough)
}

/// Reads the project in `folder` without its audio: what is compiled of it has none.
pub(crate) fn read(folder: &Path) -> Result<Loaded, Failure> {
    let workspace = Workspace::open(folder)?;
    let faults = all_faults(&workspace, Vec::new());
    Ok(Loaded { workspace, assets: Assets::default(), program: Arc::new(Program::default()), faults })
}

/// The faults of the texts and those of compiling, each once, by place.
pub(crate) fn all_faults(workspace: &Workspace, compiled: Vec<Fault>) -> Vec<Fault> {
    let mut faults: Vec<Fault> = workspace.faults().to_vec();
    faults.extend(compiled);
    faults.sort();
    // Audio that is missing is missed by whoever reads the texts and by whoever compiles them: it is one fault.
    faults.dedup_by(|a, b| a == b || a.misses.is_some() && (&a.place, &a.misses) == (&b.place, &b.misses));
    faults
}
