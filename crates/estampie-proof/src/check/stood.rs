//! What stands so for a while in a playthrough: what something is heard through, and what is at work. Each while counts once.

use estampie_engine::engine::Status;
use estampie_engine::ledger::TermKind;
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use std::collections::{BTreeSet, HashMap};

/// What is quieter than this is not heard, in dB below full scale.
pub(crate) const HEARD: f32 = -70.0;

/// What turns down by less is not at work, in dB.
const AT_WORK_DB: f32 = -0.5;

/// Something that stands so for a while.
pub(crate) struct Standing {
    /// Its place in [`ALL`].
    at: usize,
    /// The key of each that does, from a status.
    now: fn(&Program, &Status) -> Vec<NameKey>,
}

/// Doorways by which something is heard.
pub(crate) static DOORWAYS: Standing = Standing {
    at: 0,
    now: |_, status| {
        let heard = status.voices.iter().filter(|v| !v.asleep && v.heard_db > HEARD);
        let terms = heard.flat_map(|v| status.terms.get(v.first as usize..(v.first + v.count) as usize).unwrap_or(&[]));
        terms.filter(|t| t.kind == TermKind::Doorway).map(|t| t.of).collect()
    },
};

/// Effects at work: what turns down while it does, everything else while its bus is heard.
pub(crate) static EFFECTS: Standing = Standing {
    at: 1,
    now: |program, status| {
        let buses = program.mix.buses.iter().zip(&status.buses);
        let at_work = buses.flat_map(|(spec, bus)| {
            let heard = bus.rms_db > HEARD;
            spec.effects.iter().filter(move |e| {
                let turns_down = status.reductions.iter().find(|(key, _)| *key == e.key);
                !e.off && turns_down.map_or(heard, |(_, db)| *db <= AT_WORK_DB)
            })
        });
        at_work.map(|e| e.key).collect()
    },
};

/// All of them.
static ALL: [&Standing; 2] = [&DOORWAYS, &EFFECTS];

/// What stood for a while in a playthrough, and how the conditions of reactions came out.
#[derive(Debug, Clone, Default)]
pub(crate) struct Stood {
    whiles: [Whiles; ALL.len()],
    /// As in [`Engine::weighed`](estampie_engine::engine::Engine::weighed).
    pub(crate) asked: Vec<[u32; 2]>,
}

/// Of one kind, what stands so now, and how often each began to.
#[derive(Debug, Clone, Default)]
struct Whiles {
    now: BTreeSet<NameKey>,
    counts: HashMap<NameKey, u64>,
}

impl Stood {
    /// Looks at a moment.
    pub(crate) fn look(&mut self, program: &Program, status: &Status) {
        for (standing, whiles) in ALL.iter().zip(&mut self.whiles) {
            let now: BTreeSet<NameKey> = (standing.now)(program, status).into_iter().collect();
            for key in now.difference(&whiles.now) {
                *whiles.counts.entry(*key).or_default() += 1;
            }
            whiles.now = now;
        }
    }

    /// How often one of them began to stand so.
    pub(crate) fn count(&self, of: &Standing, key: NameKey) -> u64 {
        self.whiles[of.at].counts.get(&key).copied().unwrap_or(0)
    }
}
