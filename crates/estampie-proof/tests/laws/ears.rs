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

const MIXES: [&str; 7] = [
    "[buses.hull]\n",
    "[buses.hull]\nlevel = \"-30 dB\"\n",
    "[buses.hull]\nlevel = \"12 dB\"\n",
    "[buses.hull]\n[buses.hull.effect.eq]\nlow-gain = \"6 dB\"\n",
    "[buses.hull]\n[buses.hull.effect.low-pass]\ncutoff = \"200 Hz\"\n",
    "[buses.hull]\n[buses.hull.effect.reverb]\nwet = \"15 %\"\n[buses.hull.effect.saturation]\n",
    "[buses.deck]\nlevel = \"-18 dB\"\n[buses.hull]\ninto = \"deck\"\n",
];

/// Effects that come late: they hold back what goes by beside them, and one on a bus that is put into the way what is led there.
const LATE: [&str; 2] =
    ["[buses.hull]\n[buses.other]\n[buses.other.effect.saturation]\n", "[buses.deck]\n[buses.deck.effect.saturation]\n[buses.hull]\ninto = \"deck\"\n"];

/// The same project as it is edited: levels, filters, effects, buses that come and go. The first is the one that begins.
static STAYS: LazyLock<Vec<Arc<Program>>> = LazyLock::new(|| {
    let mut all: Vec<Arc<Program>> = MIXES.iter().chain(&LATE).map(|mix| program(SOUND, mix, "", START)).collect();
    let edits = ["level = \"-24 dB\"\n", "pan = \"-100 %\"\n", "low-pass = \"300 Hz\"\n", "pitch = \"7 st\"\n"];
    all.extend(edits.iter().map(|edit| program(&format!("{SOUND}{edit}"), MIXES[0], "", START)));
    all
});

/// The sound on another bus, or gone, with its bus and without. What it is led past then, an effect and how late that is, it loses at once; only levels are made up for.
static GOES: LazyLock<Vec<Arc<Program>>> = LazyLock::new(|| {
    let mut all: Vec<Arc<Program>> = [0, 1, 2, 6].map(|at| program(SOUND, MIXES[at], "", START)).to_vec();
    all.push(program(&SOUND.replace("hull", "deck"), MIXES[6], "", START));
    all.extend([MIXES[6], ""].map(gone));
    all
});

fn gone(mix: &str) -> Arc<Program> {
    program("[b]\ntakes = [\"audio/two.wav\"]\n", mix, "", "When hit\n  play b\n")
}

#[test]
fn what_is_led_to_a_bus_that_is_muted_fades_out_there() {
    let [hull, deck] = ["hull", "deck"].map(|bus| program(&SOUND.replace("hull", bus), "[buses.hull]\n[buses.deck]\n", "", START));
    let mut bench = Bench::new(&deck, 1);
    bench.event(0, "hit");
    bench.send(0, InputKind::Mute { bus: NameKey::of("hull"), on: true });
    bench.render(9_600);
    bench.remote.program(Box::new(Prepared::new(hull, 1))).unwrap();
    let heard = bench.render(4_800).0;
    let level = |at: usize| crate::support::level(&heard[at..][..48]);
    let levels: Vec<f32> = (0..20).map(|ms| level(48 * ms)).collect();
    assert!(level(48) > level(0) - 3.0 && level(48) > -20.0, "it goes on as it was: {} dB", level(48));
    assert!(levels[..11].is_sorted_by(|before, after| before > after) && levels[10] < -100.0, "and fades out over 10 ms: {levels:?}");
}

#[test]
fn what_still_fades_goes_on_when_its_bus_goes_too() {
    let mut bench = Bench::new(&GOES[3], 1);
    bench.event(0, "hit");
    bench.render(4_800);
    for edited in [gone(MIXES[6]), gone("")] {
        bench.remote.program(Box::new(Prepared::new(edited, 1))).unwrap();
        bench.render(64);
    }
    let heard = crate::support::level(&bench.render(64).0);
    assert!((-40.0..-20.0).contains(&heard), "as quiet as it was by way of deck, on its way out: {heard} dB");
    assert!(crate::support::level(&bench.render(4_800).0[1_000..]) < -100.0);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    #[test]
    fn no_edit_is_a_step(goes: bool, edits in prop::collection::vec((any::<prop::sample::Index>(), 1usize..12_000, 0u8..4), 1..6)) {
        let all = if goes { &GOES } else { &STAYS };
        let mut bench = Bench::new(&all[0], 1);
        bench.event(0, "hit");
        bench.render(4_800);
        let (mut left, mut right) = bench.render(2_400);
        for (to, frames, mute) in &edits {
            let edited = &all[to.index(all.len())];
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
        prop_assert!(levels.iter().any(|level| *level > 0.1));
        for (at, pair) in levels.windows(2).enumerate() {
            let (less, more) = (pair[0].min(pair[1]), pair[0].max(pair[1]));
            // A straight fade of 10 ms, the shortest that there is, goes by a tenth of the loudest mix (0.7) in each, and something else moves too.
            prop_assert!(more < 2.0 * less || more - less < 0.1, "from {} to {} at {} ms of {goes} {:?}", pair[0], pair[1], at, edits);
        }
    }
}
