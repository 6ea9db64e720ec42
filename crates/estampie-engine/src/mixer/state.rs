//! The memory of the mix: buses, effects at work, values, snapshots, ducks.

use super::fading_filter::FadingFilter;
use crate::dsp::effects::{Around, Effect, KINDS, MOST_SETTINGS, Making};
use crate::dsp::generators::MOST_CONTROLS;
use crate::dsp::{DelayLine, Fade, HighPass, HighPassCoefficients, LowPass, LowPassCoefficients, Swell, block_coefficient};
use crate::ground::curve::Shape;
use crate::ground::names::NameKey;
use crate::ground::time::BLOCK;
use crate::ground::units::Octaves;
use crate::mixer::spec::{Bus, BusEffect, Cell, Duck, GeneratorSpec, Mix, Snapshot};

/// Going over between an effect and none takes 20 ms.
fn cross_frames(rate: u32) -> u64 {
    u64::from(rate) / 50
}

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
    /// 1 when it is in, 0 when it is bypassed or was taken out.
    on: Fade,
    /// It is not in the project any more and fades out.
    gone: bool,
    /// Rehearsal only.
    pub(crate) bypassed: bool,
    /// The dry sound, as late as the effect makes the wet.
    dry: Option<[DelayLine; 2]>,
    latency: usize,
}

impl Slot {
    fn new(spec: &BusEffect, rate: u32) -> Slot {
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
            gone: false,
            bypassed: false,
            dry: (latency > 0).then(|| [DelayLine::new(latency + BLOCK), DelayLine::new(latency + BLOCK)]),
            latency,
        }
    }

    /// How much it turns down just now, in dB; `None` for what does not turn down.
    pub(crate) fn reduction(&self) -> Option<f32> {
        Some(self.effect.reduction()? * self.on.gain())
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
        self.gone && self.on.arrived() && self.on.gain() == 0.0
    }

    /// What the project says of it, if it is still there.
    pub(crate) fn spec_of<'a>(&self, spec: &'a Bus) -> Option<&'a BusEffect> {
        if self.gone { None } else { spec.effects.iter().find(|i| i.key == self.key) }
    }

    /// Works on a block with the present values, with the level of `key` instead of its own, at a tempo in quarter notes a second.
    pub(crate) fn process(
        &mut self,
        effect: Option<&BusEffect>,
        (mix, cells): (&Mix, &[CellState]),
        around: (Option<[&[f32]; 2]>, f32),
        rate: u32,
        block: [&mut [f32; BLOCK]; 2],
    ) {
        let [left, right] = block;
        let (target, wet) = match effect {
            Some(effect) => {
                let (first, count) = (effect.first as usize, KINDS[effect.kind].settings.len());
                for (at, value) in self.values[..count].iter_mut().enumerate() {
                    *value = mix.cells[first + at].unscaled(cells[first + at].now);
                }
                (if effect.off || self.bypassed { 0.0 } else { 1.0 }, cells[first + count].now)
            }
            None => (0.0, if self.wet.is_nan() { 1.0 } else { self.wet }),
        };
        if self.on.target() != target {
            if target > 0.0 && self.on.gain() == 0.0 {
                // What it heard before is long gone.
                self.effect.clear();
            }
            self.on = self.on.towards(target, cross_frames(rate));
        }
        let (mut dry_left, mut dry_right) = (*left, *right);
        // One that was taken out goes over to the sound as it is without it.
        if let Some([a, b]) = self.dry.as_mut().filter(|_| !self.gone) {
            hold_back([a, b], self.latency, [&mut dry_left, &mut dry_right]);
        }
        let from = if self.wet.is_nan() { wet } else { self.wet };
        self.wet = wet;
        if self.on.arrived() && self.on.gain() == 0.0 {
            (*left, *right) = (dry_left, dry_right);
            return;
        }
        let (key, tempo) = around;
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

/// A low-pass and a high-pass of a bus, there only while they filter.
#[derive(Debug)]
pub(crate) struct BusFilters {
    low: FadingFilter<LowPass>,
    high: FadingFilter<HighPass>,
}

impl BusFilters {
    fn new() -> BusFilters {
        BusFilters { low: FadingFilter::new(), high: FadingFilter::new() }
    }

    pub(crate) fn process(&mut self, (low, high): (f32, f32), rate: u32, left: &mut [f32; BLOCK], right: &mut [f32; BLOCK]) {
        let low_pass = |octaves: f32| (octaves < -0.001).then(|| LowPassCoefficients::new(Octaves(octaves).from_open(), rate));
        let high_pass = |octaves: f32| (octaves > 0.001).then(|| HighPassCoefficients::new(Octaves(octaves).above_open(), rate));
        self.low.apply(low, low_pass, &mut [&mut *left, &mut *right]);
        self.high.apply(high, high_pass, &mut [left, right]);
    }
}

/// A bus at work.
#[derive(Debug)]
pub(crate) struct BusState {
    pub(crate) muted: bool,
    pub(crate) soloed: bool,
    /// 1, or 0 when muted; moves over 10 ms.
    pub(crate) gate: Fade,
    /// 0 for voices directly on this bus when another is soloed.
    pub(crate) direct: Fade,
    /// What ducks and the player's level add, in dB.
    pub(crate) ducked: f32,
    pub(crate) player: f32,
    /// The gain at the end of the last block.
    pub(crate) gain: f32,
    /// The gains of both sides by its pan, at the end of the last block.
    pub(crate) balance: [f32; 2],
    /// What voices add in this block.
    pub(crate) left: [f32; BLOCK],
    pub(crate) right: [f32; BLOCK],
    /// What other buses add in this block.
    pub(crate) sum: [[f32; BLOCK]; 2],
    /// Whether anything was added in this block.
    pub(crate) fed: bool,
    /// Blocks since anything went in or came out.
    pub(crate) quiet: u32,
    pub(crate) peak: [f32; 2],
    /// The greatest amplitude of the last block, and its mean square followed over about 300 ms.
    pub(crate) amplitude: f32,
    pub(crate) square: f32,
    pub(crate) chain: Vec<Slot>,
    pub(crate) filters: BusFilters,
    /// The gain of each send at the end of the last block.
    pub(crate) sends: Vec<(f32, Option<[DelayLine; 2]>)>,
    /// Sends that are left out in the rehearsal, by their places (the first 64).
    pub(crate) unsent: u64,
    pub(crate) voice_line: Option<[DelayLine; 2]>,
    pub(crate) into_line: Option<[DelayLine; 2]>,
    /// The last block, for effects elsewhere that listen.
    pub(crate) last: [[f32; BLOCK]; 2],
}

fn line(frames: u32) -> Option<[DelayLine; 2]> {
    (frames > 0).then(|| [DelayLine::new(frames as usize + BLOCK), DelayLine::new(frames as usize + BLOCK)])
}

/// Effects that were taken out and still fade, at most, on one bus.
const MOST_GONE: usize = 8;

impl BusState {
    /// Whether a send is left out in the rehearsal.
    pub(crate) fn leaves_out(&self, send: usize) -> bool {
        send < 64 && self.unsent >> send & 1 == 1
    }

    pub(crate) fn new(bus: &Bus, rate: u32) -> BusState {
        let mut chain = Vec::with_capacity(bus.effects.len() * 2 + MOST_GONE);
        chain.extend(bus.effects.iter().map(|effect| Slot::new(effect, rate)));
        BusState {
            muted: false,
            soloed: false,
            gate: Fade::at(1.0),
            direct: Fade::at(1.0),
            ducked: 0.0,
            player: 0.0,
            gain: f32::NAN,
            balance: [f32::NAN; 2],
            left: [0.0; BLOCK],
            right: [0.0; BLOCK],
            sum: [[0.0; BLOCK]; 2],
            fed: false,
            quiet: u32::MAX,
            peak: [0.0; 2],
            amplitude: 0.0,
            square: 0.0,
            chain,
            filters: BusFilters::new(),
            sends: bus.sends.iter().map(|s| (f32::NAN, line(s.delay))).collect(),
            unsent: 0,
            voice_line: line(bus.voice_delay),
            into_line: line(bus.into_delay),
            last: [[0.0; BLOCK]; 2],
        }
    }

    /// Goes on where `old` is. Effects that are still there keep what they have heard; what is new fades in, what is gone out.
    pub(crate) fn take_over(&mut self, old: &mut BusState, (new_spec, old_spec): (&Bus, &Bus), same_return: impl Fn(u32, u32) -> bool) {
        (self.muted, self.soloed, self.gate, self.direct) = (old.muted, old.soloed, old.gate, old.direct);
        (self.ducked, self.player, self.gain, self.balance, self.quiet) = (old.ducked, old.player, old.gain, old.balance, old.quiet);
        (self.left, self.right, self.sum, self.fed) = (old.left, old.right, old.sum, old.fed);
        (self.peak, self.amplitude, self.square, self.last) = (old.peak, old.amplitude, old.square, old.last);
        std::mem::swap(&mut self.filters, &mut old.filters);
        if new_spec.voice_delay == old_spec.voice_delay {
            std::mem::swap(&mut self.voice_line, &mut old.voice_line);
        }
        if new_spec.into_delay == old_spec.into_delay {
            std::mem::swap(&mut self.into_line, &mut old.into_line);
        }
        for (at, send) in new_spec.sends.iter().enumerate() {
            let before = old_spec.sends.iter().position(|s| same_return(send.to, s.to) && s.before == send.before);
            self.unsent |= before.map_or(0, |b| u64::from(old.leaves_out(b)) << at.min(63));
            match before {
                Some(before) if old_spec.sends[before].delay == send.delay => std::mem::swap(&mut self.sends[at], &mut old.sends[before]),
                Some(before) => self.sends[at].0 = old.sends[before].0,
                // A new send rises from nothing.
                None => self.sends[at].0 = 0.0,
            }
        }
        // Effects are told apart by name, kind and what is fixed; those that changed places count as new.
        let mut least = 0;
        for at in 0..self.chain.len() {
            let slot = &mut self.chain[at];
            let same = |o: &Slot| o.key == slot.key && o.kind == slot.kind && o.fixed == slot.fixed && !o.gone;
            match old.chain.iter().enumerate().skip(least).find(|(_, o)| same(o)).map(|(i, _)| i) {
                Some(before) => {
                    std::mem::swap(slot, &mut old.chain[before]);
                    old.chain[before].gone = true;
                    // This one marks a place that is taken.
                    old.chain[before].on = Fade::at(0.0);
                    least = before + 1;
                }
                // It fades in from the dry sound.
                None => slot.on = Fade::at(0.0),
            }
        }
        // What is gone keeps its place in the row.
        for at in (0..old.chain.len()).rev() {
            if old.chain[at].finished() || self.chain.len() == self.chain.capacity() {
                continue;
            }
            let mut slot = old.chain.remove(at);
            slot.gone = true;
            let place = at.min(self.chain.len());
            self.chain.insert(place, slot);
        }
    }

    /// Brings together what voices and other buses have added.
    pub(crate) fn gather(&mut self, spec: &Bus) {
        if let Some([a, b]) = &mut self.voice_line {
            hold_back([a, b], spec.voice_delay as usize, [&mut self.left, &mut self.right]);
        }
        let [sum_left, sum_right] = &mut self.sum;
        for i in 0..BLOCK {
            self.left[i] += sum_left[i];
            self.right[i] += sum_right[i];
        }
        self.sum = [[0.0; BLOCK]; 2];
    }
}

/// Delays a block of two channels.
pub(crate) fn hold_back(lines: [&mut DelayLine; 2], frames: usize, block: [&mut [f32; BLOCK]; 2]) {
    for (line, samples) in lines.into_iter().zip(block) {
        line.write_block(samples);
        line.read_block(frames + BLOCK, samples);
    }
}

/// A value of the mix.
#[derive(Debug, Clone, Copy)]
pub(crate) struct CellState {
    /// What it is set to, gliding after edits.
    pub(crate) set: f32,
    /// What snapshots add to that, and modulation.
    pub(crate) held: f32,
    pub(crate) moved: f32,
    /// All together, in its scale.
    pub(crate) now: f32,
}

/// What the controls of a generator come to in this block.
#[derive(Debug, Clone)]
pub(crate) struct GeneratorState {
    /// Their values, in their units.
    pub(crate) values: [f32; MOST_CONTROLS],
    /// Nothing has moved since they were worked out.
    pub(super) settled: bool,
}

impl GeneratorState {
    /// As they are set.
    pub(crate) fn new(spec: &GeneratorSpec, cells: &[Cell]) -> GeneratorState {
        let mut values = [0.0; MOST_CONTROLS];
        for (value, cell) in values.iter_mut().zip(&cells[spec.first as usize..][..spec.controls.len()]) {
            *value = cell.unscaled(cell.rest);
        }
        GeneratorState { values, settled: false }
    }
}

/// Share of the way in which a block follows how deep in a zone the listener is (90 % in about 90 ms).
const ZONE_GLIDE: f32 = 0.033;

/// A snapshot at work.
#[derive(Debug, Clone, Copy)]
pub(crate) struct SnapshotState {
    /// How far it has risen, from 0 to 1.
    pub(crate) swell: Swell,
    /// Whether any reason keeps it up.
    pub(crate) up: bool,
    /// Raised until it is lowered.
    pub(crate) raised: bool,
    /// Raised until a frame; 0 if not.
    pub(crate) until: u64,
    /// How much a zone that raises it lets there be; 1 when something else raises it too.
    pub(crate) by_zone: f32,
    /// How much there is of it now, from 0 to 1.
    pub(crate) share: f32,
    /// Rehearsal only: what it is set to by hand.
    pub(crate) by_hand: Option<f32>,
}

impl SnapshotState {
    pub(crate) fn new() -> SnapshotState {
        SnapshotState { swell: Swell::at_rest(0.0), up: false, raised: false, until: 0, by_zone: 1.0, share: 0.0, by_hand: None }
    }

    /// Goes up or down from wherever it is.
    pub(crate) fn go(&mut self, spec: &Snapshot, up: bool, frame: u64) {
        if self.up != up {
            self.up = up;
            let (frames, curve) = if up { spec.rise } else { spec.fall };
            self.swell = self.swell.towards(if up { 1.0 } else { 0.0 }, frame, frames, curve);
        }
    }

    /// Goes on by the block that begins at `frame`: `amount` is how much of it there may be, `otherwise` whether anything but a zone keeps
    /// it up, `zone` how deep the listener is in the zones that do.
    pub(crate) fn follow(&mut self, spec: &Snapshot, amount: f32, otherwise: bool, zone: Option<f32>, frame: u64) {
        let was = self.up;
        self.go(spec, otherwise || zone.is_some(), frame);
        // When it is gone it falls from where it was.
        if let Some(least) = if otherwise { Some(1.0) } else { zone } {
            self.by_zone = if was { self.by_zone + (least - self.by_zone) * ZONE_GLIDE } else { least };
        }
        self.share = self.by_hand.unwrap_or_else(|| self.swell.at(frame + BLOCK as u64) * amount * self.by_zone);
    }
}

/// A duck at work: how far down it is, from 0 to 1, and frames that it stays.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct DuckState {
    pub(crate) way: f32,
    pub(crate) stay: u64,
    pub(crate) down: bool,
    pub(crate) change: f32,
    /// The loudest voice of the sound that it listens to, in this block.
    pub(crate) loudest: f32,
}

impl DuckState {
    /// Goes on by a block in which the key was heard or not.
    pub(crate) fn follow(&mut self, spec: &Duck, heard: bool) {
        let block = BLOCK as u64;
        if heard {
            (self.stay, self.down) = (spec.hold, true);
        } else if self.stay >= block {
            self.stay -= block;
        } else {
            (self.stay, self.down) = (0, false);
        }
        let step = |frames: u64| BLOCK as f32 / frames.max(block) as f32;
        let curve: Shape;
        if self.down {
            self.way = (self.way + step(spec.attack.0)).min(1.0);
            curve = spec.attack.1;
        } else {
            self.way = (self.way - step(spec.release.0)).max(0.0);
            curve = spec.release.1;
        }
        self.change = spec.by_db * curve.at(self.way);
    }
}

/// The memory of the mix of one program.
#[derive(Debug)]
pub(crate) struct MixState {
    pub(crate) buses: Vec<BusState>,
    pub(crate) cells: Vec<CellState>,
    pub(crate) generators: Vec<GeneratorState>,
    pub(crate) snapshots: Vec<SnapshotState>,
    pub(crate) ducks: Vec<DuckState>,
    /// Player levels from 0 to 10.
    pub(crate) player: Vec<f32>,
    /// Share of the way that values go in a block after an edit.
    pub(super) glide: f32,
}

/// Edits of a value are followed to 90 % in this time, in seconds.
const EDIT_GLIDE: f64 = 0.03;

impl MixState {
    pub(crate) fn new(mix: &Mix, rate: u32) -> MixState {
        MixState {
            buses: mix.buses.iter().map(|b| BusState::new(b, rate)).collect(),
            cells: mix.cells.iter().map(|c| CellState { set: c.rest, held: 0.0, moved: 0.0, now: c.rest }).collect(),
            generators: mix.generators.iter().map(|g| GeneratorState::new(g, &mix.cells)).collect(),
            snapshots: mix.snapshots.iter().map(|_| SnapshotState::new()).collect(),
            ducks: vec![DuckState::default(); mix.ducks.len()],
            player: vec![crate::mixer::spec::FULL_PLAYER_LEVEL; mix.player_levels.len()],
            glide: block_coefficient(EDIT_GLIDE, BLOCK, rate),
        }
    }

    /// Goes on where `old` is. Does not allocate.
    pub(crate) fn take_over(&mut self, old: &mut MixState, new: &Mix, before: &Mix) {
        for (at, bus) in new.buses.iter().enumerate() {
            let Some(earlier) = before.find_bus.get(bus.key) else { continue };
            let same = |to: u32, from: u32| new.buses[to as usize].key == before.buses[from as usize].key;
            self.buses[at].take_over(&mut old.buses[earlier], (bus, &before.buses[earlier]), same);
        }
        for (cell, now) in new.cells.iter().zip(&mut self.cells) {
            if let Some(earlier) = before.find_cell.get(cell.key).filter(|e| before.cells[*e].by_octaves == cell.by_octaves) {
                *now = old.cells[earlier];
            }
        }
        for (generator, now) in new.generators.iter().zip(&mut self.generators) {
            if let Some(earlier) = before.generator(generator.key, generator.kind) {
                now.values = old.generators[earlier].values;
            }
        }
        for (snapshot, now) in new.snapshots.iter().zip(&mut self.snapshots) {
            if let Some(earlier) = before.find_snapshot.get(snapshot.key) {
                *now = old.snapshots[earlier];
            }
        }
        for (duck, now) in new.ducks.iter().zip(&mut self.ducks) {
            if let Some(earlier) = before.ducks.iter().position(|d| d.key == duck.key) {
                *now = old.ducks[earlier];
            }
        }
        for (level, now) in new.player_levels.iter().zip(&mut self.player) {
            if let Some(earlier) = before.player_levels.iter().position(|l| l.key == level.key) {
                *now = old.player[earlier];
            }
        }
    }
}
