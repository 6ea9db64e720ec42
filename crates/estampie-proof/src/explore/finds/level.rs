//! Too loud, and too much work.

use super::Session;
use estampie_engine::names::NameKey;
use std::collections::BTreeMap;

/// What the ceiling may take away, in dB, for one look (11 ms).
const TAKES: f32 = -3.0;

/// The ceiling takes away too much, twice in a row.
pub(super) fn ceiling(session: &Session<'_>) -> Vec<(f64, String, String)> {
    let over = session.seen.samples.windows(2).find(|w| w.iter().all(|s| s.ceiling_db < TAKES));
    let Some([_, sample]) = over.map(|w| [&w[0], &w[1]]) else { return Vec::new() };
    let buses = session.program.mix.buses.iter().zip(&sample.powers_db).skip(1);
    let loudest = buses.max_by(|a, b| a.1.total_cmp(b.1)).map_or_else(|| "main".to_owned(), |(bus, _)| session.name(bus.key));
    let worst = session.seen.samples.iter().map(|s| s.ceiling_db).fold(0.0, f32::min);
    vec![(session.seconds(sample.frame), loudest, format!("the ceiling takes away {:.1} dB", -worst))]
}

/// The true peak is over full scale.
pub(super) fn true_peak(session: &Session<'_>) -> Vec<(f64, String, String)> {
    let tenths = session.seen.tenths.iter().enumerate();
    tenths
        .filter(|(_, t)| t.true_peak > 0.0)
        .map(|(at, t)| (at as f64 / 10.0, "output".to_owned(), format!("a true peak of {:.2} dBTP", t.true_peak)))
        .collect()
}

/// A second takes more of a core than it may.
pub(super) fn load(session: &Session<'_>) -> Vec<(f64, String, String)> {
    let Some(most) = session.plan.load else { return Vec::new() };
    let seen = session.seen;
    let Some((second, load)) = seen.loads.iter().enumerate().find(|(_, load)| f64::from(**load) > most) else { return Vec::new() };
    let (from, to) = (session.frames(second as f64), session.frames(second as f64 + 1.0));
    let mut voices: BTreeMap<NameKey, usize> = BTreeMap::new();
    for (voice, _) in seen.spans.iter().filter(|(_, (began, ended))| *began < to && *ended > from) {
        if let Some((sound, ..)) = seen.voices.get(voice) {
            *voices.entry(*sound).or_default() += 1;
        }
    }
    let about = voices.into_iter().max_by_key(|(key, count)| (*count, session.name(*key))).map_or_else(|| "buses".to_owned(), |(key, _)| session.name(key));
    vec![(second as f64, about, format!("this second takes {:.1} % of a core", load * 100.0))]
}
