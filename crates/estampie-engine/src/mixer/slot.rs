//! An effect at work on a bus, and how it comes and goes by edits.

use super::cell::CellState;
use super::held::{Over, cross_frames, hold_back, lines};
use crate::dsp::effects::{Around, Effect, KINDS, MOST_SETTINGS, Making};
use crate::dsp::{DelayLine, Fade};
use crate::ground::index::{ByIndex, CellIndex};
use crate::ground::names::NameKey;
use crate::ground::time::BLOCK;
use crate::mixer::spec::{Bus, BusEffect, Mix};

/// An effect at work on a bus.
#[derive(Debug)]
pub(crate) struct Slot {
    pub(crate) key: NameKey,
    kind: usize,
    fixed: u64,
    effect: Box<dyn Effect>,
    /// Values in their units at the end of the last block; what has been taken out keeps its last.
    values: [f32; MOST_SETTINGS],
    wet: f32,
    /// 1 when it is in, 0 when it is bypassed.
    on: Fade,
    /// Whether an edit has put it in or is taking it out just now.
    there: Over,
    /// It is not in the project any more and fades out.
    gone: bool,
    /// Rehearsal only.
    pub(crate) bypassed: bool,
    /// The dry sound, as late as the effect makes the wet.
    dry: Option<[DelayLine; 2]>,
    latency: usize,
}

impl Slot {
    pub(super) fn new(spec: &BusEffect, rate: u32) -> Slot {
        let making = Making { rate, values: spec.values, impulse: spec.impulse.clone() };
        let (effect, latency) = ((KINDS[spec.kind].make)(&making), (KINDS[spec.kind].latency)(&making));
        Slot {
            key: spec.key,
            kind: spec.kind,
            fixed: spec.fixed,
            effect,
            values: spec.values,
            wet: f32::NAN,
            on: Fade::at(if spec.off { 0.0 } else { 1.0 }),
            there: Over::done(),
            gone: false,
            bypassed: false,
            dry: lines(latency),
            latency,
        }
    }

    /// How much it turns down just now, in dB; `None` for what does not turn down.
    pub(crate) fn reduction(&self) -> Option<f32> {
        Some(self.effect.reduction()? * self.on.gain() * self.there.share())
    }

    /// How long nothing may come out of it while something is still to come, in seconds.
    pub(crate) fn longest_gap(&self) -> f32 {
        self.effect.longest_gap()
    }

    /// Starts afresh.
    pub(crate) fn forget(&mut self) {
        self.effect.clear();
    }

    pub(crate) fn finished(&self) -> bool {
        self.gone && self.there.arrived() && self.there.share() == 0.0
    }

    /// An edit puts it in.
    pub(super) fn comes(&mut self, rate: u32) {
        self.there = Over::begun(self.latency, rate);
    }

    /// An edit takes it out.
    pub(super) fn goes(&mut self, rate: u32) {
        self.gone = true;
        self.there = self.there.back(rate);
    }

    /// Comes and goes at once: nothing comes through.
    pub(super) fn settle(&mut self) {
        self.there.settle();
    }

    /// It stands for one that goes on elsewhere.
    pub(super) fn is_taken(&mut self) {
        self.gone = true;
        self.there = Over::none();
    }

    /// Whether this is what `before` was: of its name and kind and of what is fixed.
    pub(super) fn is_same(&self, before: &Slot) -> bool {
        (before.key, before.kind, before.fixed, before.gone) == (self.key, self.kind, self.fixed, false)
    }

    /// What the project says of it, if it is still there.
    pub(crate) fn spec_of<'a>(&self, spec: &'a Bus) -> Option<&'a BusEffect> {
        if self.gone { None } else { spec.effects.iter().find(|i| i.key == self.key) }
    }

    /// Works on a block with the present values, with the level of `key` instead of its own, at a tempo in quarter notes a second.
    pub(crate) fn process(
        &mut self,
        effect: Option<&BusEffect>,
        (mix, cells): (&Mix, &ByIndex<CellIndex, CellState>),
        around: (Option<[&[f32]; 2]>, f32),
        rate: u32,
        block: [&mut [f32; BLOCK]; 2],
    ) {
        let [left, right] = block;
        let before = (!self.there.arrived()).then_some((*left, *right));
        let wet = self.follow(effect, (mix, cells), rate);
        self.work(wet, around, [&mut *left, &mut *right]);
        if let Some((left_before, right_before)) = &before {
            self.there.mix([left_before, right_before], [left, right]);
        }
    }

    /// Takes the present values and goes in, or is passed by, as it is said; gives how wet it is to be.
    fn follow(&mut self, effect: Option<&BusEffect>, (mix, cells): (&Mix, &ByIndex<CellIndex, CellState>), rate: u32) -> f32 {
        let (target, wet) = match effect {
            Some(effect) => {
                let (first, count) = (effect.first, KINDS[effect.kind].settings.len());
                for (at, value) in self.values[..count].iter_mut().enumerate() {
                    *value = mix.cells[first.plus(at)].unscaled(cells[first.plus(at)].now);
                }
                (if effect.off || self.bypassed { 0.0 } else { 1.0 }, cells[first.plus(count)].now)
            }
            None => (self.on.target(), if self.wet.is_nan() { 1.0 } else { self.wet }),
        };
        if self.on.target() != target {
            if target > 0.0 && self.on.gain() == 0.0 {
                // What it heard before is long gone.
                self.effect.clear();
            }
            self.on = self.on.towards(target, cross_frames(rate));
        }
        wet
    }

    /// Works on a block as if it had always been there.
    fn work(&mut self, wet: f32, (key, tempo): (Option<[&[f32]; 2]>, f32), [left, right]: [&mut [f32; BLOCK]; 2]) {
        let (mut dry_left, mut dry_right) = (*left, *right);
        if let Some([a, b]) = &mut self.dry {
            hold_back([a, b], self.latency, [&mut dry_left, &mut dry_right]);
        }
        let from = if self.wet.is_nan() { wet } else { self.wet };
        self.wet = wet;
        if self.on.arrived() && self.on.gain() == 0.0 {
            (*left, *right) = (dry_left, dry_right);
            return;
        }
        self.effect.process(&Around { to: &self.values, key, quarters_per_second: tempo }, left, right);
        if from == 1.0 && wet == 1.0 && self.on.arrived() {
            return;
        }
        let step = (wet - from) / BLOCK as f32;
        for i in 0..BLOCK {
            let share = (from + step * (i + 1) as f32) * self.on.next_gain();
            left[i] = dry_left[i] + (left[i] - dry_left[i]) * share;
            right[i] = dry_right[i] + (right[i] - dry_right[i]) * share;
        }
    }
}
