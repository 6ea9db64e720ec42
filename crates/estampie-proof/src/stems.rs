//! Stems: each bus that runs into main by itself, and the rest, so that all of them sum to the mix to the bit of the rest.

use crate::offline::{Rendering, heard, inputs};
use estampie_engine::engine::{Engine, Input, InputKind, Options, Prepared, Remote};
use estampie_engine::index::BusIndex;
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::units::Seconds;
use estampie_project::language::Playthrough;
use rtrb::Consumer;
use std::sync::Arc;

/// Frames that are rendered at a time.
const PART: usize = 4_800;

/// What is left of the mix when all stems are taken out: what plays on main itself, and what main's level, effects and ceiling do.
pub const REST: &str = "rest";

/// An engine with one bus tapped.
struct Tapped {
    engine: Engine,
    remote: Remote,
    tap: Consumer<f32>,
    /// Frames that are to be left out: those that come unheard.
    unheard: usize,
    /// Samples that the engine has told and nobody has taken yet.
    pending: Vec<f32>,
}

/// A playthrough being rendered into stems.
pub struct Stems {
    names: Vec<String>,
    mix: Rendering,
    tapped: Vec<Tapped>,
}

impl Stems {
    /// Begins; `seed` is the playthrough's own unless given, `levels` are those of the player.
    #[must_use]
    pub fn new(program: &Arc<Program>, playthrough: &Playthrough, seed: Option<u64>, levels: &[(NameKey, f32)]) -> Stems {
        let mix = Rendering::with_levels(program, playthrough, seed, Seconds(0.0), levels);
        let unheard = heard(playthrough, program.rate).0 as usize;
        let buses = program.mix.buses.iter().skip(1).filter(|bus| bus.into == BusIndex::ROOT);
        let (mut names, mut tapped) = (Vec::new(), Vec::new());
        for bus in buses {
            names.push(program.names.get(bus.key).to_owned());
            let mut schedule = vec![Input { frame: 0, what: InputKind::Tap { bus: bus.key } }];
            schedule.extend(inputs(playthrough, program.rate));
            let prepared = Prepared::new(Arc::clone(program), seed.unwrap_or_else(|| playthrough.seed())).with_player_levels(levels);
            let options = Options { schedule: schedule.into(), tap_frames: 2 * PART, status_every: u32::MAX, ..Options::default() };
            let (engine, mut remote) = Engine::new(prepared, options);
            let tap = remote.take_tap();
            tapped.push(Tapped { engine, remote, tap, unheard, pending: Vec::new() });
        }
        names.push(REST.to_owned());
        Stems { names, mix, tapped }
    }

    /// The names of the stems: those of the buses, and [`REST`].
    #[must_use]
    pub fn names(&self) -> &[String] {
        &self.names
    }

    /// Frames that are left.
    #[must_use]
    pub fn left(&self) -> u64 {
        self.mix.left()
    }

    /// Renders up to a second more: a list of samples (two interleaved channels) for each stem, in the order of the names; empty at the end.
    pub fn next(&mut self, frames: u64) -> Vec<Vec<f32>> {
        let mut rest = Vec::new();
        self.mix.next(frames, &mut rest, |_| {});
        let wanted = rest.len();
        let mut all: Vec<Vec<f32>> = Vec::new();
        std::thread::scope(|scope| {
            let parts: Vec<_> = self.tapped.iter_mut().map(|tapped| scope.spawn(move || tapped.next(wanted))).collect();
            all.extend(parts.into_iter().map(|part| part.join().unwrap_or_default()));
        });
        for stem in &all {
            rest.iter_mut().zip(stem).for_each(|(rest, stem)| *rest -= stem);
        }
        all.push(rest);
        all
    }
}

impl Tapped {
    fn next(&mut self, samples: usize) -> Vec<f32> {
        let mut out = [0.0f32; 2 * PART];
        while self.pending.len() < samples {
            self.engine.render(&mut out);
            while self.remote.happening().is_some() {}
            let count = self.tap.slots();
            if let Ok(chunk) = self.tap.read_chunk(count) {
                self.pending.extend(chunk);
            }
            let skip = (2 * self.unheard).min(self.pending.len());
            self.pending.drain(..skip);
            self.unheard -= skip / 2;
        }
        let rest = self.pending.split_off(samples);
        std::mem::replace(&mut self.pending, rest)
    }
}
