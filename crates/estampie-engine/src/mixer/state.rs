//! The memory of the mix: buses, effects at work, values, snapshots, ducks.

use super::cell::CellState;
use super::fading_filter::FadingFilter;
use super::held::{HeldBack, cross_frames};
use super::slot::Slot;
use crate::dsp::generators::MOST_CONTROLS;
use crate::dsp::{Fade, HighPass, HighPassCoefficients, LowPass, LowPassCoefficients, Swell, block_coefficient};
use crate::ground::curve::Shape;
use crate::ground::index::{BusIndex, ByIndex, CellIndex, SnapshotIndex};
use crate::ground::time::BLOCK;
use crate::ground::units::{Decibels, Octaves};
use crate::mixer::spec::{Bus, Cell, Duck, GeneratorSpec, Mix, Snapshot};

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
    /// After an edit that leads it elsewhere: from as loud as it was by the way before, to as loud as it is by the new one.
    pub(crate) moved: Fade,
    /// The gains of both sides by its pan, at the end of the last block.
    pub(crate) balance: [f32; 2],
    /// What voices add in this block.
    pub(crate) left: [f32; BLOCK],
    pub(crate) right: [f32; BLOCK],
    /// What other buses add in this block.
    pub(crate) sum: [[f32; BLOCK]; 2],
    /// An edit has changed what it goes through, and nobody has settled it since.
    pub(super) edited: bool,
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
    pub(crate) sends: Vec<(f32, HeldBack)>,
    /// Sends that are left out in the rehearsal, by their places (the first 64).
    pub(crate) unsent: u64,
    pub(crate) voices_held: HeldBack,
    pub(crate) into_held: HeldBack,
    /// The last block, for effects elsewhere that listen.
    pub(crate) last: [[f32; BLOCK]; 2],
}

/// Effects that were taken out and still fade, at most, on one bus.
const MOST_GONE: usize = 8;

/// A bus with effects that nothing has gone into and nothing has come out of for so many seconds, and for as long as its effects can be silent
/// in between, rests.
const REST: f32 = 3.0;

impl BusState {
    /// Whether something comes out of it later than it goes in.
    fn works(&self) -> bool {
        !self.chain.is_empty() || !self.voices_held.is_idle() || !self.into_held.is_idle() || self.sends.iter().any(|s| !s.1.is_idle())
    }

    /// Whether nothing comes out of it until something goes in.
    pub(super) fn rests(&self, rate: u32) -> bool {
        let quiet = self.quiet as f32 * BLOCK as f32 / rate as f32;
        !self.works() || quiet > REST && quiet > REST + self.chain.iter().map(Slot::longest_gap).sum::<f32>()
    }

    /// Whether it rests and nothing went in of late: what goes into one that is shut does not come out either.
    fn is_empty(&self, rate: u32) -> bool {
        self.quiet > 1 && self.rests(rate)
    }

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
            moved: Fade::at(1.0),
            balance: [f32::NAN; 2],
            left: [0.0; BLOCK],
            right: [0.0; BLOCK],
            sum: [[0.0; BLOCK]; 2],
            edited: false,
            fed: false,
            quiet: u32::MAX,
            peak: [0.0; 2],
            amplitude: 0.0,
            square: 0.0,
            chain,
            filters: BusFilters::new(),
            sends: bus.sends.iter().map(|s| (f32::NAN, HeldBack::by(s.delay))).collect(),
            unsent: 0,
            voices_held: HeldBack::by(bus.voice_delay),
            into_held: HeldBack::by(bus.into_delay),
            last: [[0.0; BLOCK]; 2],
        }
    }

    /// Goes on where `old` is. Effects that are still there keep what they have heard; what is new fades in, what is gone out.
    pub(crate) fn take_over(&mut self, old: &mut BusState, (new_spec, old_spec): (&Bus, &Bus), same_return: impl Fn(BusIndex, BusIndex) -> bool, rate: u32) {
        (self.muted, self.soloed, self.gate, self.direct, self.moved) = (old.muted, old.soloed, old.gate, old.direct, old.moved);
        (self.ducked, self.player, self.gain, self.balance, self.quiet) = (old.ducked, old.player, old.gain, old.balance, old.quiet);
        (self.left, self.right, self.sum, self.fed) = (old.left, old.right, old.sum, old.fed);
        (self.peak, self.amplitude, self.square, self.last) = (old.peak, old.amplitude, old.square, old.last);
        self.edited = true;
        std::mem::swap(&mut self.filters, &mut old.filters);
        self.voices_held.take_over(&mut old.voices_held, rate);
        self.into_held.take_over(&mut old.into_held, rate);
        for (at, send) in new_spec.sends.iter().enumerate() {
            let before = old_spec.sends.iter().position(|s| same_return(send.to, s.to) && s.before == send.before);
            self.unsent |= before.map_or(0, |b| u64::from(old.leaves_out(b)) << at.min(63));
            match before {
                Some(before) => {
                    self.sends[at].0 = old.sends[before].0;
                    self.sends[at].1.take_over(&mut old.sends[before].1, rate);
                }
                // A new send rises from nothing.
                None => self.sends[at].0 = 0.0,
            }
        }
        // Effects are told apart by name, kind and what is fixed; those that changed places count as new.
        let mut least = 0;
        for at in 0..self.chain.len() {
            let slot = &mut self.chain[at];
            match old.chain.iter().enumerate().skip(least).find(|(_, o)| slot.is_same(o)).map(|(i, _)| i) {
                Some(before) => {
                    std::mem::swap(slot, &mut old.chain[before]);
                    // This one marks a place that is taken.
                    old.chain[before].is_taken();
                    least = before + 1;
                }
                // It fades in from the dry sound.
                None => slot.comes(rate),
            }
        }
        // What is gone keeps its place in the row.
        for at in (0..old.chain.len()).rev() {
            if old.chain[at].finished() || self.chain.len() == self.chain.capacity() {
                continue;
            }
            let mut slot = old.chain.remove(at);
            slot.goes(rate);
            let place = at.min(self.chain.len());
            self.chain.insert(place, slot);
        }
    }

    /// What is led here by an edit goes over into it from the sound as it was without.
    pub(crate) fn comes(&mut self, rate: u32) {
        self.edited = true;
        self.chain.iter_mut().for_each(|slot| slot.comes(rate));
        self.voices_held.begin_from_none(rate);
        self.into_held.begin_from_none(rate);
    }

    /// Is where edits lead it: nothing comes through that would go over.
    pub(super) fn settle(&mut self) {
        if std::mem::take(&mut self.edited) {
            self.moved = Fade::at(1.0);
            self.chain.iter_mut().for_each(Slot::settle);
            self.voices_held.settle();
            self.into_held.settle();
            self.sends.iter_mut().for_each(|(_, held)| held.settle());
        }
    }

    /// Brings together what voices and other buses have added.
    pub(crate) fn gather(&mut self) {
        self.voices_held.pass(&mut self.left, &mut self.right);
        let [sum_left, sum_right] = &mut self.sum;
        for i in 0..BLOCK {
            self.left[i] += sum_left[i];
            self.right[i] += sum_right[i];
        }
        self.sum = [[0.0; BLOCK]; 2];
    }
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
    pub(crate) fn new(spec: &GeneratorSpec, cells: &ByIndex<CellIndex, Cell>) -> GeneratorState {
        let mut values = [0.0; MOST_CONTROLS];
        for (value, cell) in values.iter_mut().zip(cells.run(spec.first, spec.controls.len())) {
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
    pub(crate) buses: ByIndex<BusIndex, BusState>,
    pub(crate) cells: ByIndex<CellIndex, CellState>,
    pub(crate) generators: Vec<GeneratorState>,
    pub(crate) snapshots: ByIndex<SnapshotIndex, SnapshotState>,
    pub(crate) ducks: Vec<DuckState>,
    /// Player levels from 0 to 10.
    pub(crate) player: Vec<f32>,
    /// Share of the way that values go in a block after an edit.
    pub(super) glide: f32,
    rate: u32,
}

/// By how much more than `is` something has to be so loud as it was, 24 dB at most; 1 where nothing is heard then.
pub(crate) fn louder(was: f32, is: f32) -> f32 {
    if is > 0.0 { (was / is).min(16.0) } else { 1.0 }
}

/// Edits of a value are followed to 90 % in this time, in seconds.
const EDIT_GLIDE: f64 = 0.03;

impl MixState {
    pub(crate) fn new(mix: &Mix, rate: u32) -> MixState {
        MixState {
            buses: mix.buses.iter().map(|b| BusState::new(b, rate)).collect(),
            cells: mix.cells.iter().map(|c| CellState::at(c.rest)).collect(),
            generators: mix.generators.iter().map(|g| GeneratorState::new(g, &mix.cells)).collect(),
            snapshots: mix.snapshots.iter().map(|_| SnapshotState::new()).collect(),
            ducks: vec![DuckState::default(); mix.ducks.len()],
            player: vec![crate::mixer::spec::FULL_PLAYER_LEVEL; mix.player_levels.len()],
            glide: block_coefficient(EDIT_GLIDE, BLOCK, rate),
            rate,
        }
    }

    /// The gain of levels and mutes on the way from a bus, itself included, to the output.
    pub(crate) fn way(&self, mix: &Mix, from: BusIndex) -> f32 {
        let (mut gain, mut at) = (1.0, from);
        loop {
            let (spec, bus) = (&mix.buses[at], &self.buses[at]);
            // One that has not sounded yet begins with its level.
            gain *= if bus.gain.is_nan() { Decibels(self.cells[spec.cells[0]].now).gain() } else { bus.gain };
            gain *= bus.gate.gain();
            if at == BusIndex::ROOT {
                return gain;
            }
            gain *= bus.moved.gain();
            at = spec.into;
        }
    }

    /// The same for what was heard before, as loud as `was`, and is led there: where nothing else goes by, it fades out as what is shut closes once
    /// more, and does not end at once.
    pub(crate) fn way_of_led(&mut self, mix: &Mix, from: BusIndex, was: f32) -> f32 {
        let way = self.way(mix, from);
        if way > 0.0 || was <= 0.0 {
            return way;
        }
        let on_it = || std::iter::successors(Some(from), |at| (*at != BusIndex::ROOT).then(|| mix.buses[*at].into));
        if on_it().any(|at| self.buses[at].gate.gain() == 0.0 && !self.buses[at].is_empty(self.rate)) {
            return way;
        }
        for at in on_it() {
            let gate = &mut self.buses[at].gate;
            if gate.gain() == 0.0 {
                *gate = Fade::at(1.0);
            }
        }
        self.way(mix, from)
    }

    /// Goes on where `old` is. Does not allocate.
    pub(crate) fn take_over(&mut self, old: &mut MixState, new: &Mix, before: &Mix) {
        for (at, bus) in new.buses.with_places() {
            let Some(earlier) = before.find_bus.get(bus.key) else {
                self.buses[at].comes(self.rate);
                continue;
            };
            let same = |to: BusIndex, from: BusIndex| new.buses[to].key == before.buses[from].key;
            self.buses[at].take_over(&mut old.buses[earlier], (bus, &before.buses[earlier]), same, self.rate);
        }
        // A bus comes after the one that it runs into, whose own way is known by then.
        for (at, bus) in new.buses.with_places().skip(1) {
            let Some(earlier) = before.find_bus.get(bus.key).filter(|earlier| *earlier != BusIndex::ROOT) else { continue };
            let into = before.buses[earlier].into;
            if before.buses[into].key != new.buses[bus.into].key {
                let was = old.buses[earlier].moved.gain() * old.way(before, into);
                self.buses[at].moved = Fade::over(louder(was, self.way_of_led(new, bus.into, was)), 1.0, cross_frames(self.rate));
            }
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
