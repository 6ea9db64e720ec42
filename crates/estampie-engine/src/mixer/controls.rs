//! The controls of generators: what all voices have in common once a block, and what one voice adds.

use super::mixing::Mixing;
use super::source::Playing;
use super::state::MixState;
use super::values::{MixScene, cell_terms};
use crate::dsp::generators::MOST_CONTROLS;
use crate::ground::ledger::TermKind;
use crate::ground::names::NameKey;

impl Mixing<'_> {
    /// Works out the controls of all generators, after their cells.
    pub(super) fn follow_generators(&mut self) {
        let MixState { cells, generators, .. } = &mut *self.state;
        for (spec, state) in self.mix.generators.iter().zip(generators) {
            let count = spec.controls.len();
            let moved = self.mix.cells.run(spec.first, count).iter().zip(cells.run(spec.first, count)).any(|(cell, now)| now.now != cell.rest);
            if !moved && state.settled {
                continue;
            }
            for (value, at) in state.values.iter_mut().zip(0..count) {
                let cell = spec.first.plus(at);
                *value = self.mix.cells[cell].unscaled(cells[cell].now);
            }
            state.settled = !moved;
        }
    }
}

/// What the controls of a voice's generator are worked out from.
#[derive(Clone, Copy)]
pub(crate) struct Adding<'a, L, N> {
    pub(crate) mixed: MixScene<'a>,
    pub(crate) frame: u64,
    /// How much of its sweeps is followed, as a factor.
    pub(crate) sweep: f32,
    /// What a modulation by a parameter of each emitter comes to.
    pub(crate) local: L,
    /// What moves a modulation.
    pub(crate) name_of: N,
}

impl<L: Fn(u32) -> f32, N: Fn(u32) -> NameKey> Adding<'_, L, N> {
    /// The values of all controls of a voice.
    pub(crate) fn values(&self, of: usize, playing: &Playing) -> [f32; MOST_CONTROLS] {
        let MixScene { mix, state, .. } = self.mixed;
        let spec = &mix.generators[of];
        let mut values = state.generators[of].values;
        let mut again = |control: u8| {
            let at = usize::from(control);
            if let (Some(value), Some(cell)) = (values.get_mut(at), mix.cells.of(spec.first.plus(at))) {
                let mut sum = 0.0;
                self.terms(of, playing, control, |_, _, value| sum += value);
                *value = cell.unscaled(sum.clamp(cell.ends.0, cell.ends.1));
            }
        };
        spec.vary.iter().for_each(|(control, _)| again(*control));
        spec.local.iter().for_each(|(control, _)| again(*control));
        playing.swept.iter().flatten().for_each(|(control, _)| again(*control));
        values
    }

    /// What one control of a voice is made of, one by one: the first is where it begins, and their sum, within its ends, is where it is, in its cell's scale.
    pub(crate) fn terms(&self, of: usize, playing: &Playing, control: u8, mut sink: impl FnMut(TermKind, NameKey, f32)) {
        let MixScene { mix, state, modulations } = self.mixed;
        let spec = &mix.generators[of];
        let at = spec.first.plus(usize::from(control));
        let Some(cell) = mix.cells.of(at) else { return };
        match (spec.local.iter().find(|(c, _)| *c == control), cell.given) {
            // What moves it takes the place of what is set; snapshots lie over that.
            (Some((_, modulation)), _) => {
                sink(TermKind::Moved, (self.name_of)(*modulation), cell.scaled((self.local)(*modulation)));
                if state.cells[at].held != 0.0 {
                    sink(TermKind::Snapshot, spec.key, state.cells[at].held);
                }
            }
            (None, Some(given)) => {
                sink(TermKind::Moved, (self.name_of)(given), cell.scaled(modulations[given as usize]));
                if state.cells[at].held != 0.0 {
                    sink(TermKind::Snapshot, spec.key, state.cells[at].held);
                }
            }
            (None, None) => cell_terms(self.mixed, at, &self.name_of, &mut |kind, of, value| {
                let own = kind == TermKind::Bus;
                sink(if own { TermKind::Set } else { kind }, if own { spec.key } else { of }, value);
            }),
        }
        let drawn = playing.drawn[usize::from(control)];
        if drawn != 0.0 {
            sink(TermKind::Varied, spec.key, drawn);
        }
        for (_, swept) in playing.swept.iter().flatten().filter(|(c, _)| *c == control) {
            sink(TermKind::Swept, spec.key, swept.at(self.frame) * self.sweep);
        }
    }

    /// Whether anything but what is set has a part in a control.
    pub(crate) fn moved(&self, of: usize, playing: &Playing, control: u8) -> bool {
        let MixScene { mix, state, .. } = self.mixed;
        let spec = &mix.generators[of];
        let at = spec.first.plus(usize::from(control));
        let Some((cell, now)) = mix.cells.of(at).zip(state.cells.of(at)) else { return false };
        let given = cell.given.is_some() || spec.local.iter().any(|(c, _)| *c == control);
        let own = playing.drawn[usize::from(control)] != 0.0 || playing.swept.iter().flatten().any(|(c, _)| *c == control);
        given || own || now.held != 0.0 || !cell.modulations.is_empty()
    }
}
