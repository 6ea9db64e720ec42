//! The buses at work: values, gates for mute and solo, effects, sends, meters, and the sum into the output.

use super::mixing::Mixing;
use super::pan::balance;
use super::slot::Slot;
use super::values::MixScene;
use super::voice::mean_square;
use crate::dsp::{Fade, add_ramped};
use crate::ground::index::BusIndex;
use crate::ground::ledger::{Term, TermKind};
use crate::ground::names::NameKey;
use crate::ground::property::Property;
use crate::ground::telemetry::{Notice, What};
use crate::ground::time::BLOCK;
use crate::ground::units::Decibels;

/// At and below this a level is silence.
const SILENT: f32 = -120.0;

/// Mute and solo take 10 ms.
fn gate_frames(rate: u32) -> u64 {
    u64::from(rate) / 100
}

impl Mixing<'_> {
    /// Works out the values and gates of this block.
    ///
    /// `modulations` is what they come to; with `dry`, returns are silent while other buses are heard alone.
    pub(crate) fn prepare(&mut self, modulations: &[f32], dry: bool) {
        self.follow_cells(modulations);
        self.follow_generators();
        self.follow_ducks();
        let frames = gate_frames(self.rate);
        let any_solo = self.state.buses.iter().any(|b| b.soloed);
        let dry = any_solo && dry;
        for at in self.mix.buses.places() {
            // A voice is heard when its bus or one that it runs into is soloed.
            let heard = !any_solo || {
                let mut here = at;
                loop {
                    if self.state.buses[here].soloed {
                        break true;
                    }
                    if here == BusIndex::ROOT {
                        break false;
                    }
                    here = self.mix.buses[here].into;
                }
            };
            let state = &mut self.state.buses[at];
            let silent = state.muted || (dry && !heard && self.mix.buses[at].returns);
            steer(&mut state.gate, if silent { 0.0 } else { 1.0 }, frames);
            steer(&mut state.direct, if heard { 1.0 } else { 0.0 }, frames);
        }
        self.work_out_down();
    }

    /// Sums the buses, each before those it feeds, into the root.
    ///
    /// `tempo` is that of the music, in quarter notes a second, or 0.
    pub(crate) fn sum_buses(&mut self, tempo: f32) {
        let mix = self.mix;
        for at in mix.order.iter().copied() {
            let spec = &mix.buses[at];
            let state = &mut *self.state;
            let cell = |index: usize| state.cells[spec.cells[index]].now;
            let (level, filter) = (cell(0) + state.buses[at].ducked + state.buses[at].player, (cell(1), cell(2)));
            let sides = balance(cell(3));
            let bus = &mut state.buses[at];
            let target = if level <= SILENT { 0.0 } else { Decibels(level).gain() };
            let start = if bus.gain.is_nan() { target } else { bus.gain };
            bus.gain = target;
            let before = std::mem::replace(&mut bus.balance, sides);
            let before = if before[0].is_nan() { sides } else { before };
            if bus.fed {
                bus.quiet = 0;
            } else if bus.rests(self.rate) {
                // The gates move on even in silence.
                for _ in 0..if bus.gate.arrived() { 0 } else { BLOCK } {
                    bus.gate.next_gain();
                }
                self.rest(at);
                continue;
            }
            bus.fed = false;
            bus.gather();
            self.run_effects(at, tempo);
            let bus = &mut self.state.buses[at];
            bus.filters.process(filter, self.rate, &mut bus.left, &mut bus.right);
            self.send(at, true);
            let bus = &mut self.state.buses[at];
            let slope = (target - start) / BLOCK as f32;
            if bus.gate.arrived() && start == target {
                let gain = target * bus.gate.gain();
                bus.left.iter_mut().for_each(|s| *s *= gain);
                bus.right.iter_mut().for_each(|s| *s *= gain);
            } else {
                for i in 0..BLOCK {
                    let gain = (start + slope * (i + 1) as f32) * bus.gate.next_gain();
                    bus.left[i] *= gain;
                    bus.right[i] *= gain;
                }
            }
            if before != [1.0; 2] || sides != [1.0; 2] {
                for (side, (from, to)) in [&mut bus.left, &mut bus.right].into_iter().zip(before.into_iter().zip(sides)) {
                    let slope = (to - from) / BLOCK as f32;
                    side.iter_mut().enumerate().for_each(|(i, s)| *s *= from + slope * (i + 1) as f32);
                }
            }
            self.meter(at);
            self.send(at, false);
            self.pass_on(at);
        }
    }

    /// Runs a bus through its effects, in order.
    fn run_effects(&mut self, at: BusIndex, tempo: f32) {
        let (spec, state) = (&self.mix.buses[at], &mut *self.state);
        // Taken out meanwhile, so that the others can be listened to.
        let mut chain = std::mem::take(&mut state.buses[at].chain);
        // What has faded out waits here for the next program, which takes it away.
        for slot in chain.iter_mut().filter(|s| !s.finished()) {
            let effect = slot.spec_of(spec);
            let key = effect.and_then(|i| i.listens).map(|from| state.buses[from].last);
            let key = key.as_ref().map(|[l, r]| [&l[..], &r[..]]);
            let bus = &mut state.buses[at];
            slot.process(effect, (self.mix, &state.cells), (key, tempo), self.rate, [&mut bus.left, &mut bus.right]);
        }
        state.buses[at].chain = chain;
    }

    /// A bus at rest: nothing to hear, its sends stand where they are.
    fn rest(&mut self, at: BusIndex) {
        let state = &mut *self.state;
        let bus = &mut state.buses[at];
        (bus.amplitude, bus.square) = (0.0, bus.square * 0.995);
        bus.quiet = bus.quiet.saturating_add(1);
        // What an edit has changed meanwhile is there with the first sound.
        bus.settle();
        self.outlets.tap(self.mix.buses[at].key, &[0.0; BLOCK], &[0.0; BLOCK]);
        if self.mix.buses[at].listened {
            bus.last = [[0.0; BLOCK]; 2];
        }
        for (send, spec) in bus.sends.iter_mut().zip(&self.mix.buses[at].sends) {
            send.0 = send_gain(state.cells[spec.cell].now);
        }
    }

    /// Looks at what a bus gives; what is no number is silenced and said.
    fn meter(&mut self, at: BusIndex) {
        let bus = &mut self.state.buses[at];
        let square = mean_square(&bus.left) + mean_square(&bus.right);
        let mut peak = [greatest(&bus.left), greatest(&bus.right)];
        // A sum of squares is finite only if every sample is.
        if !square.is_finite() {
            bus.left.fill(0.0);
            bus.right.fill(0.0);
            peak = [0.0; 2];
        }
        self.outlets.tap(self.mix.buses[at].key, &bus.left, &bus.right);
        bus.amplitude = peak[0].max(peak[1]);
        bus.square += (if square.is_finite() { 0.5 * square } else { 0.0 } - bus.square) * 0.0044;
        bus.quiet = if bus.amplitude > 1e-6 { 0 } else { bus.quiet.saturating_add(1) };
        bus.peak = [bus.peak[0].max(peak[0]), bus.peak[1].max(peak[1])];
        if self.mix.buses[at].listened {
            bus.last = [bus.left, bus.right];
        }
        if !square.is_finite() {
            bus.chain.iter_mut().for_each(Slot::forget);
            self.outlets.tell(self.frame, What::Notice(Notice::NotFinite { bus: self.mix.buses[at].key }));
        }
    }

    /// Adds a bus to the returns that it sends to, before or after its level.
    fn send(&mut self, at: BusIndex, before: bool) {
        for (index, spec) in self.mix.buses[at].sends.iter().enumerate().filter(|(_, s)| s.before == before) {
            let state = &mut *self.state;
            let mut target = send_gain(state.cells[spec.cell].now);
            let Ok([from, to]) = state.buses.get_disjoint_mut([at.at(), spec.to.at()]) else { continue };
            if from.leaves_out(index) {
                target = 0.0;
            }
            if before {
                // A muted bus is silent in its returns as well.
                target *= from.gate.gain();
            }
            let (gain, held) = &mut from.sends[index];
            let start = if gain.is_nan() { target } else { *gain };
            *gain = target;
            let silent = start == 0.0 && target == 0.0;
            if silent && held.is_idle() {
                continue;
            }
            let (mut left, mut right) = (from.left, from.right);
            held.pass(&mut left, &mut right);
            if silent {
                continue;
            }
            add_ramped(&mut to.sum[0], &left, start, target);
            add_ramped(&mut to.sum[1], &right, start, target);
            to.fed = true;
        }
    }

    /// Adds a bus to the one that it runs into; the root keeps what it has for the output.
    fn pass_on(&mut self, at: BusIndex) {
        if at == BusIndex::ROOT {
            return;
        }
        let spec = &self.mix.buses[at];
        let Ok([bus, parent]) = self.state.buses.get_disjoint_mut([at.at(), spec.into.at()]) else { return };
        bus.into_held.pass(&mut bus.left, &mut bus.right);
        if bus.moved.arrived() {
            add_ramped(&mut parent.sum[0], &bus.left, 1.0, 1.0);
            add_ramped(&mut parent.sum[1], &bus.right, 1.0, 1.0);
        } else {
            for i in 0..BLOCK {
                let gain = bus.moved.next_gain();
                parent.sum[0][i] += bus.left[i] * gain;
                parent.sum[1][i] += bus.right[i] * gain;
            }
        }
        // A tail below hearing keeps nobody awake.
        parent.fed |= bus.quiet == 0;
        bus.left.fill(0.0);
        bus.right.fill(0.0);
    }
}

/// The gain of a send's level.
pub(crate) fn send_gain(level: f32) -> f32 {
    if level <= SILENT { 0.0 } else { Decibels(level).gain() }
}

/// The greatest amplitude.
pub(crate) fn greatest(samples: &[f32]) -> f32 {
    let mut lanes = [0.0f32; 8];
    for chunk in samples.chunks_exact(8) {
        for i in 0..8 {
            let amplitude = chunk[i].abs();
            lanes[i] = if amplitude > lanes[i] { amplitude } else { lanes[i] };
        }
    }
    let rest = samples.chunks_exact(8).remainder();
    lanes.iter().chain(rest).fold(0.0, |p, s| p.max(s.abs()))
}

fn steer(gate: &mut Fade, target: f32, frames: u64) {
    if gate.target() != target {
        *gate = gate.towards(target, frames);
    }
}

/// The terms of level from a bus to the output, given to `sink` one by one. `name_of` gives what moves a modulation.
pub(crate) fn bus_terms(scene: MixScene<'_>, bus: BusIndex, name_of: impl Fn(u32) -> NameKey, sink: &mut impl FnMut(Term)) {
    let MixScene { mix, state, .. } = scene;
    let level = |kind, of, value| Term { property: Property::Level, kind, of, value };
    let mut here = bus;
    loop {
        let (spec, now) = (&mix.buses[here], &state.buses[here]);
        super::values::cell_terms(scene, spec.cells[0], &name_of, &mut |kind, of, value| {
            sink(level(kind, if kind == TermKind::Bus { spec.key } else { of }, value));
        });
        for (duck, down) in mix.ducks.iter().zip(&state.ducks) {
            if duck.bus == here && down.change != 0.0 {
                sink(level(TermKind::DuckedBus, duck.of, down.change));
            }
        }
        if now.player != 0.0 {
            let of = mix.player_levels.iter().find(|l| l.bus == here).map_or(spec.key, |l| l.key);
            sink(level(TermKind::Player, of, now.player));
        }
        if now.gate.gain() != 1.0 {
            sink(level(TermKind::Gated, spec.key, Decibels::of_gain(now.gate.gain()).0));
        }
        if here == BusIndex::ROOT {
            break;
        }
        here = spec.into;
    }
}
