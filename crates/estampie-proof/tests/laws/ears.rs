//! What ears are spared: whatever is edited, muted or put into the mix while it sounds, nothing goes beyond the ceiling, and no level
//! jumps by more than 6 dB in a millisecond.

use crate::support::{Bench, program};
use estampie_engine::engine::{InputKind, Prepared};
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use proptest::prelude::*;
use std::sync::{Arc, LazyLock};

const SOUND: &str = "[a]\nloop = true\nbus = \"hull\"\ntakes = [\"audio/one.wav\"]\n";
const START: &str = "When hit\n  play a\n";

/// The same project as it is edited: levels, filters, effects, buses that come and go, and the sound itself taken out. The first is the one that begins.
static EDITED: LazyLock<Vec<Arc<Program>>> = LazyLock::new(|| {
    let sounds = |more: &str| format!("{SOUND}{more}");
    let mixes = [
        "[buses.hull]\n",
        "[buses.hull]\nlevel = \"-30 dB\"\n",
        "[buses.hull]\nlevel = \"12 dB\"\n",
        "[buses.hull]\n[buses.hull.effect.eq]\nlow-gain = \"6 dB\"\n",
        "[buses.hull]\n[buses.hull.effect.low-pass]\ncutoff = \"200 Hz\"\n",
        "[buses.hull]\n[buses.hull.effect.reverb]\n[buses.hull.effect.saturation]\n",
        "[buses.deck]\nlevel = \"-18 dB\"\n[buses.hull]\ninto = \"deck\"\n",
    ];
    let mut all: Vec<Arc<Program>> = mixes.iter().map(|mix| program(SOUND, mix, "", START)).collect();
    let edits = ["level = \"-24 dB\"\n", "pan = \"-100 %\"\n", "low-pass = \"300 Hz\"\n", "pitch = \"7 st\"\n"];
    all.extend(edits.iter().map(|edit| program(&sounds(edit), mixes[0], "", START)));
    all.push(program("[b]\ntakes = [\"audio/two.wav\"]\n", "", "", "When hit\n  play b\n"));
    all
});

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    #[test]
    fn no_edit_is_a_step(edits in prop::collection::vec((any::<prop::sample::Index>(), 1usize..12_000, 0u8..4), 1..6)) {
        let mut bench = Bench::new(&EDITED[0], 1);
        bench.event(0, "hit");
        bench.render(4_800);
        let (mut left, mut right) = bench.render(2_400);
        for (to, frames, mute) in &edits {
            let edited = &EDITED[to.index(EDITED.len())];
            bench.remote.program(Box::new(Prepared::new(Arc::clone(edited), 1))).unwrap();
            if *mute < 2 {
                bench.send(estampie_engine::engine::NOW, InputKind::Mute { bus: NameKey::of("hull"), on: *mute == 1 });
            }
            let (l, r) = bench.render(*frames);
            left.extend(l);
            right.extend(r);
        }
        let (l, r) = bench.render(4_800);
        left.extend(l);
        right.extend(r);
        prop_assert!(left.iter().chain(&right).all(|s| s.abs() <= 1.0 + 1e-6), "beyond the ceiling");
        // A millisecond is one round of the tone: what it sums up to is its level.
        let levels: Vec<f32> = left.chunks_exact(48).zip(right.chunks_exact(48))
            .map(|(l, r)| (l.iter().chain(r).map(|s| s * s).sum::<f32>() / 96.0).sqrt()).collect();
        let begun = levels[0];
        prop_assert!(begun > 0.1);
        for (at, pair) in levels.windows(2).enumerate() {
            let (less, more) = (pair[0].min(pair[1]), pair[0].max(pair[1]));
            // The last of a fade is below hearing beside what was.
            prop_assert!(more < 2.0 * less || more < 0.08 * begun, "from {} to {} at {} ms of {:?}", pair[0], pair[1], at, edits);
        }
    }
}
