//! A program with its memory, made aside and ready to take over.

use crate::director::memory::Memory;
use crate::dsp::generators::Brought;
use crate::ground::names::NameKey;
use crate::mixer::spec::{Made, player_level};
use crate::mixer::state::MixState;
use crate::program::{Program, TakeOf};
use std::sync::Arc;

/// A program and its memory, ready to take over.
#[derive(Debug)]
pub struct Prepared {
    pub(crate) program: Arc<Program>,
    pub(crate) state: Memory,
    pub(crate) mix: MixState,
    pub(crate) brought: Brought,
}

impl Prepared {
    /// Makes the memory of a program; all that allocates happens here, aside.
    #[must_use]
    pub fn new(program: Arc<Program>, seed: u64) -> Prepared {
        let (state, mix) = (Memory::new(&program, seed), MixState::new(&program.mix, program.rate));
        let brought = Brought::of(program.mix.generators.iter().map(|g| g.kind), program.rate);
        Prepared { program, state, mix, brought }
    }

    /// As [`Prepared::new`], for an engine that plays no other program ([`Capacity::lean`](super::Capacity::lean)): it brings the generators that
    /// it uses, so many of each kind.
    #[must_use]
    pub fn lean(program: Arc<Program>, seed: u64, generators: usize) -> Prepared {
        let (state, mix) = (Memory::new(&program, seed), MixState::new(&program.mix, program.rate));
        let strings = program.sounds.iter().flat_map(|s| &s.groups).flat_map(|g| &g.takes).any(|take| match &take.of {
            TakeOf::Recipe(recipe) => recipe.made.as_ref().is_some_and(Made::strings),
            TakeOf::Sound(_) => false,
        });
        let brought = Brought::lean(program.mix.generators.iter().map(|g| g.kind), generators, strings, program.rate);
        Prepared { program, state, mix, brought }
    }

    /// Sets player levels (by name, from 0 to 10) before the first sample; those of other names are left out.
    #[must_use]
    pub fn with_player_levels(mut self, levels: &[(NameKey, f32)]) -> Prepared {
        for (spec, now) in self.program.mix.player_levels.iter().zip(&mut self.mix.player) {
            if let Some((_, value)) = levels.iter().find(|(key, _)| *key == spec.key) {
                *now = player_level(*value);
            }
        }
        self
    }

    /// The program.
    #[must_use]
    pub fn program(&self) -> &Arc<Program> {
        &self.program
    }

    /// Takes over what `old` remembers of things that are still there. Does not allocate.
    pub(super) fn take_over(&mut self, old: &mut Prepared, frame: u64, emitters: usize) {
        self.state.take_over(&mut old.state, (&self.program, &old.program), frame, emitters);
        self.mix.take_over(&mut old.mix, &self.program.mix, &old.program.mix);
    }
}
