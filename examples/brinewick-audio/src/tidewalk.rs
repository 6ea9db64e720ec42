//! *Tidewalk*: an estampie of our own in D dorian at ♩ = 92, as an intro and a round.
//!
//! The last two bars of the intro are those of the round, so that what rings into the round is what rings at its end.

use crate::craft::{Biquad, Noise, RATE, add, frames, strike, struck, swell, tone};
use crate::write::Group;
use std::f64::consts::TAU;

const BEAT: f64 = 60.0 / 92.0;
const BARS: usize = 8;

/// A note of a line: beat in the round, length in beats, semitones above D3.
type Note = (f64, f64, f64);

/// The plucked line: an open and a close ending, four bars each.
const PLUCKED: &[Note] = &[
    (0.0, 1.0, 12.0),
    (1.0, 0.5, 14.0),
    (1.5, 0.5, 15.0),
    (2.0, 1.0, 19.0),
    (3.0, 0.5, 17.0),
    (3.5, 0.5, 15.0),
    (4.0, 1.0, 14.0),
    (5.0, 0.5, 12.0),
    (5.5, 0.5, 10.0),
    (6.0, 1.5, 12.0),
    (7.5, 0.5, 14.0),
    (8.0, 1.0, 15.0),
    (9.0, 0.5, 17.0),
    (9.5, 0.5, 19.0),
    (10.0, 1.0, 21.0),
    (11.0, 0.5, 19.0),
    (11.5, 0.5, 17.0),
    (12.0, 1.0, 15.0),
    (13.0, 1.0, 17.0),
    (14.0, 2.0, 14.0),
    (16.0, 1.0, 12.0),
    (17.0, 0.5, 14.0),
    (17.5, 0.5, 15.0),
    (18.0, 1.0, 19.0),
    (19.0, 0.5, 17.0),
    (19.5, 0.5, 15.0),
    (20.0, 1.0, 14.0),
    (21.0, 0.5, 12.0),
    (21.5, 0.5, 10.0),
    (22.0, 1.0, 12.0),
    (23.0, 1.0, 9.0),
    (24.0, 0.5, 10.0),
    (24.5, 0.5, 12.0),
    (25.0, 1.0, 14.0),
    (26.0, 0.5, 12.0),
    (26.5, 0.5, 10.0),
    (27.0, 1.0, 9.0),
    (28.0, 0.5, 10.0),
    (28.5, 0.5, 9.0),
    (29.0, 1.0, 7.0),
    (30.0, 2.0, 12.0),
];

/// The viols: a drone on D and A, and a slow voice above.
const VIOLS: &[Note] = &[
    (0.0, 8.0, 0.0),
    (0.0, 8.0, 7.0),
    (0.0, 4.0, 12.0),
    (4.0, 4.0, 10.0),
    (8.0, 8.0, 0.0),
    (8.0, 8.0, 7.0),
    (8.0, 4.0, 15.0),
    (12.0, 4.0, 14.0),
    (16.0, 8.0, 0.0),
    (16.0, 8.0, 7.0),
    (16.0, 4.0, 12.0),
    (20.0, 4.0, 10.0),
    (24.0, 7.5, 0.0),
    (24.0, 7.5, 7.0),
    (24.0, 4.0, 9.0),
    (28.0, 3.5, 5.0),
];

/// The tabor: beat and strength.
const TABOR: &[(f64, f64)] = &[(0.0, 1.0), (1.5, 0.4), (2.0, 0.7), (3.0, 0.45), (3.5, 0.35)];

fn pitch(semitones: f64) -> f64 {
    146.83 * (semitones / 12.0).exp2()
}

/// A plucked string (K. Karplus and A. Strong 1983), its pluck the same for every note of one pitch.
fn plucked(semitones: f64, length: f64) -> Vec<f64> {
    // The mean of two neighbours in the loop is half a sample late.
    let period = RATE / pitch(semitones) - 0.5;
    let whole = period.floor() as usize;
    let mut line = Noise::new(2000 + semitones as u64).buffer(whole + 1);
    Biquad::low(2600.0, 0.7).run(&mut line);
    let fraction = period - whole as f64;
    let mut at = 0;
    let mut last = 0.0;
    let mut tuned = 0.0;
    let allpass = (1.0 - fraction) / (1.0 + fraction);
    let mut before = 0.0;
    tone((length * BEAT + 0.9).min(2.2), |t| {
        let out = line[at];
        let damped = 0.5 * (out + last) * 0.9965;
        last = out;
        // A first-order allpass takes up the fraction of a sample.
        tuned = allpass * (damped - tuned) + before;
        before = damped;
        line[at] = tuned;
        at = (at + 1) % whole;
        out * swell(t, (length * BEAT + 0.9).min(2.2), 0.002, 0.5)
    })
}

/// A bowed string: partials that set in one after another, with a slow vibrato.
fn bowed(semitones: f64, length: f64) -> Vec<f64> {
    let root = pitch(semitones - 12.0);
    let seconds = length * BEAT + 0.35;
    let mut phase = 0.0;
    let mut out = tone(seconds, |t| {
        let vibrato = 1.0 + 0.0028 * (TAU * 4.6 * t).sin() * (t / 0.8).min(1.0);
        phase += root * vibrato / RATE;
        (1..=12)
            .map(|h| {
                let h = f64::from(h);
                (TAU * phase * h).sin() / h.powf(1.15) * (t / (0.05 * h)).min(1.0)
            })
            .sum::<f64>()
            * swell(t, seconds, 0.22, 0.45)
    });
    Biquad::low(1700.0, 0.7).run(&mut out);
    out
}

fn tabor(strength: f64) -> Vec<f64> {
    let mut out = struck(0.5, 0.002, &[(98.0, 1.0, 0.3), (157.0, 0.5, 0.2), (233.0, 0.25, 0.14)]);
    let mut skin = Noise::new(2100).buffer(frames(0.1));
    for (i, s) in skin.iter_mut().enumerate() {
        *s *= strike(0.001, 0.05, i as f64 / RATE);
    }
    Biquad::low(2400.0, 0.7).run(&mut skin);
    add(&mut out, &skin, 0.0, 0.35);
    out.iter().map(|s| s * strength).collect()
}

/// Lays notes whose beats lie in `from..to` into two channels, beginning at `at` seconds.
fn lay(left: &mut [f64], right: &mut [f64], at: f64, from: f64, to: f64, melody: bool) {
    let mut both = |samples: &[f64], beat: f64, gain: f64, pan: f64| {
        let time = at + (beat - from) * BEAT;
        let angle = (pan + 1.0) * TAU / 8.0;
        add(left, samples, time, gain * angle.cos());
        add(right, samples, time, gain * angle.sin());
    };
    for (beat, length, note) in PLUCKED.iter().filter(|n| melody && (from..to).contains(&n.0)) {
        both(&plucked(*note, *length), *beat, 0.62, -0.25);
    }
    for (beat, length, note) in VIOLS.iter().filter(|n| (from..to).contains(&n.0)) {
        both(&bowed(*note, *length), *beat, 0.15, 0.3);
    }
    for bar in 0..BARS {
        for (beat, strength) in TABOR {
            let beat = bar as f64 * 4.0 + beat;
            if melody && (from..to).contains(&beat) {
                both(&tabor(*strength), beat, 0.42, 0.05);
            }
        }
    }
}

/// Intro and round.
pub(crate) fn files() -> Vec<Group> {
    let round = BARS as f64 * 4.0 * BEAT;
    let count = frames(round);
    let lead = 4.0 * 4.0 * BEAT;
    let total = frames(lead) + 2 * count + frames(4.0);
    let (mut left, mut right) = (vec![0.0; total], vec![0.0; total]);
    lay(&mut left, &mut right, 0.0, 16.0, 24.0, false);
    lay(&mut left, &mut right, 8.0 * BEAT, 24.0, 32.0, true);
    let begin = frames(lead);
    for time in [begin, begin + count] {
        lay(&mut left, &mut right, time as f64 / RATE, 0.0, 32.0, true);
    }
    let cut = |from: usize, to: usize| vec![left[from..to].to_vec(), right[from..to].to_vec()];
    let files = vec![("music/tidewalk_intro".to_owned(), cut(0, begin)), ("music/tidewalk_loop".to_owned(), cut(begin + count, begin + 2 * count))];
    vec![Group { loudness: -20.0, files }]
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The period of a sound by autocorrelation, in frames, parabola between samples.
    fn period(samples: &[f64], near: f64) -> f64 {
        let score = |lag: usize| samples.windows(lag + 1).take(12_000).map(|w| w[0] * w[lag]).sum::<f64>();
        let range = (near * 0.94) as usize..(near * 1.06) as usize;
        let best = range.max_by(|a, b| score(*a).total_cmp(&score(*b))).unwrap();
        let (a, b, c) = (score(best - 1), score(best), score(best + 1));
        best as f64 + 0.5 * (a - c) / (a - 2.0 * b + c)
    }

    #[test]
    fn plucked_strings_are_in_tune() {
        for note in [0.0, 5.0, 12.0, 15.0, 21.0] {
            let string = plucked(note, 2.0);
            let wanted = RATE / pitch(note);
            let cents = 1200.0 * (wanted / period(&string[4_800..], wanted)).log2();
            assert!(cents.abs() < 4.0, "{note}: {cents:.1} cents off");
        }
    }

    #[test]
    fn the_lines_stay_in_the_round_and_in_the_mode() {
        // D dorian: D E F G A B C.
        for (beat, length, note) in PLUCKED.iter().chain(VIOLS) {
            assert!(*beat >= 0.0 && beat + length <= BARS as f64 * 4.0, "beat {beat}");
            assert!([0, 2, 3, 5, 7, 9, 10].contains(&((*note as i32).rem_euclid(12))), "note {note}");
        }
    }
}
