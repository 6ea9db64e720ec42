//! Which tempo and how many bars a recording may have: from its length, which says which are possible, and from its onsets, which say
//! how likely each of them is.

use estampie_engine::music::Metre;
use estampie_engine::music::exact::Beats;
use std::ops::Range;

/// Tempos, in beats a minute, that are proposed.
const TEMPOS: std::ops::RangeInclusive<f64> = 40.0..=220.0;

/// The most bars that are proposed.
const MOST_BARS: u32 = 64;

/// So many hundredths of a second are listened to: a tempo that is asked for on the screen is there at once, however long the file is.
pub(crate) const HEARD: usize = 3_000;

/// A recording as long as its section, to this many seconds, is taken for as long: a file's length is rounded to frames, and by some
/// programs to milliseconds.
const NEAR: f64 = 0.002;

/// A tempo and a number of bars that a recording can have.
#[derive(Debug, Clone, PartialEq)]
pub struct Fit {
    /// Beats a minute, exactly.
    pub tempo: Beats,
    /// How many bars it is long.
    pub bars: u32,
    /// How much of what is struck in it lies on beats and half beats, from 0 (as chance has it) to 1 (all of it); `None` if nothing is struck.
    pub on_beats: Option<f64>,
}

/// Tempos and bars for a recording of so many frames that is as long as its section and its pick-up, the likeliest first. `rises` are those of
/// [`crate::onsets::Heard`].
///
/// `pick_up` is in quarter notes. The length alone leaves several: of those the likelier has its onsets on beats and half beats, more of its beats struck, a tempo
/// that can be said in few digits, four, eight or sixteen bars, and a tempo near 100, in this order of weight.
#[must_use]
pub fn fits(rises: &[f32], frames: usize, rate: u32, metre: Metre, pick_up: Beats) -> Vec<Fit> {
    let rises = &rises[..rises.len().min(HEARD)];
    let heard = rises.len() as f64 / 100.0;
    let mut list: Vec<(f64, Fit)> = Vec::new();
    for bars in 1..=MOST_BARS {
        let beats = (metre.bar() * Beats::from_integer(i64::from(bars)) + pick_up) / metre.beat();
        let Some((tempo, digits)) = simplest(beats, frames as i64, rate) else { continue };
        let per_minute = number(tempo);
        if !TEMPOS.contains(&per_minute) {
            continue;
        }
        // The first beat lies on the first frame, whether it is of the pick-up or of the first bar.
        let on_beats = on_grid(rises, 30.0 * 100.0 / per_minute, heard);
        let filled = if on_beats.is_some() { struck_lines(rises, 60.0 * 100.0 / per_minute, heard) } else { 0.0 };
        let round = match bars {
            4 | 8 | 16 => 0.5,
            2 | 12 | 24 | 32 => 0.3,
            _ => 0.0,
        };
        let score = 2.0 * on_beats.unwrap_or(0.5) + 0.6 * filled + [1.0, 0.6, 0.3, 0.0][digits.min(3)] + round - (per_minute / 100.0).log2().abs() * 0.5;
        list.push((score, Fit { tempo, bars, on_beats }));
    }
    list.sort_by(|a, b| b.0.total_cmp(&a.0));
    list.into_iter().map(|(_, fit)| fit).collect()
}

fn number(beats: Beats) -> f64 {
    *beats.numer() as f64 / *beats.denom() as f64
}

/// The tempo with the fewest digits after the point that makes so many beats as long as so many frames, and how many digits it has;
/// 3 for one that can only be said as a fraction. `None` for a recording without length.
fn simplest(beats: Beats, frames: i64, rate: u32) -> Option<(Beats, usize)> {
    if frames < i64::from(rate) / 100 {
        return None;
    }
    let exact = beats * Beats::new(60 * i64::from(rate), frames);
    let seconds = frames as f64 / f64::from(rate);
    for (digits, scale) in [1i64, 10, 100].into_iter().enumerate() {
        let rounded = Beats::new((number(exact) * scale as f64).round() as i64, scale);
        if *rounded.numer() > 0 && (number(beats) * 60.0 / number(rounded) - seconds).abs() <= NEAR {
            return Some((rounded, digits));
        }
    }
    Some((exact, 3))
}

/// The hundredths that belong to a line of a grid: struck one early or late, it still is on the line.
fn near(line: usize, step: f64) -> Range<usize> {
    let at = (line as f64 * step).floor() as usize;
    at.saturating_sub(1)..at + 2
}

/// How many of the lines of a grid of so many hundredths of a second have an onset, from 0 to 1.
fn struck_lines(rises: &[f32], step: f64, seconds: f64) -> f64 {
    let least = rises.iter().copied().fold(0.0, f32::max) * 0.01;
    let lines = ((seconds * 100.0 / step).round() as usize).max(1);
    let is_struck = |line: &usize| near(*line, step).any(|at| rises.get(at).is_some_and(|r| *r > least));
    (0..lines).filter(is_struck).count() as f64 / lines as f64
}

/// How much of what rises does so on a grid of so many hundredths of a second, against what chance would put there.
fn on_grid(rises: &[f32], step: f64, seconds: f64) -> Option<f64> {
    let all: f64 = rises.iter().map(|r| f64::from(r.sqrt())).sum();
    let struck = rises.iter().copied().fold(0.0, f32::max);
    // A sound that is only there, and hum, have nothing that is struck.
    if struck <= 0.0 || rises.iter().filter(|r| **r > struck * 0.25).count() < 4 {
        return None;
    }
    let lines = (seconds * 100.0 / step).round() as usize;
    let mut covered = vec![false; rises.len()];
    for line in 0..lines {
        for at in near(line, step) {
            if let Some(covered) = covered.get_mut(at) {
                *covered = true;
            }
        }
    }
    let share = covered.iter().filter(|c| **c).count() as f64 / covered.len() as f64;
    let on: f64 = rises.iter().zip(&covered).filter(|(_, covered)| **covered).map(|(r, _)| f64::from(r.sqrt())).sum();
    (share < 0.9).then(|| ((on / all - share) / (1.0 - share)).clamp(0.0, 1.0))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::onsets::{hop, rises};
    use estampie_engine::clip::Clip;

    fn fits(clip: &Clip, rate: u32, metre: Metre, pick_up: Beats) -> Vec<Fit> {
        super::fits(&rises(clip, hop(rate)), clip.frames(), rate, metre, pick_up)
    }

    /// A recording of so many seconds that is struck (a short noise that dies away) at these seconds.
    fn struck(seconds: f64, at: impl Iterator<Item = f64>) -> Clip {
        let mut samples = vec![0.0f32; (seconds * 48_000.0).round() as usize];
        for time in at {
            let from = (time * 48_000.0).round() as usize;
            for (n, sample) in samples.iter_mut().skip(from).take(4_000).enumerate() {
                *sample += ((n * 7919 % 331) as f32 / 331.0 - 0.5) * (-(n as f32) / 900.0).exp();
            }
        }
        Clip::new("x", vec![samples], None)
    }

    const FOUR: Metre = Metre { count: 4, note: 4 };

    #[test]
    fn eight_bars_with_a_stroke_on_each_beat_are_found_at_any_tempo() {
        for tempo in [64.0f64, 72.0, 92.0, 93.7, 100.0, 128.0, 140.0] {
            let beat = 60.0 / tempo;
            let clip = struck(32.0 * beat, (0..32).map(|n| f64::from(n) * beat));
            let first = &fits(&clip, 48_000, FOUR, Beats::from_integer(0))[0];
            assert_eq!((number(first.tempo), first.bars), (tempo, 8), "{tempo}");
            assert!(first.on_beats.unwrap() > 0.95, "{first:?}");
        }
    }

    #[test]
    fn what_lies_beside_the_beats_counts_against_them() {
        // Seven strokes in the time of eight beats: seven quarters in a bar fit, four do not.
        let clip = struck(8.0, (0..14).map(|n| f64::from(n) * 8.0 / 14.0));
        let seven = fits(&clip, 48_000, Metre { count: 7, note: 4 }, Beats::from_integer(0));
        let four = fits(&clip, 48_000, FOUR, Beats::from_integer(0));
        let at = |list: &[Fit], tempo: f64| list.iter().find(|f| (number(f.tempo) - tempo).abs() < 1e-9).and_then(|f| f.on_beats);
        assert!(at(&seven, 105.0).unwrap() > 0.95, "{seven:?}");
        assert!(at(&four, 60.0).unwrap() < 0.4, "{four:?}");
    }

    #[test]
    fn each_that_is_proposed_is_as_long_as_the_recording_with_its_pick_up() {
        for frames in [1_001_739usize, 480_000, 777_777, 96_001] {
            let clip = Clip::new("x", vec![vec![0.1; frames]], None);
            for (metre, pick_up) in [(FOUR, 0), (Metre { count: 6, note: 8 }, 0), (Metre { count: 3, note: 4 }, 1)] {
                let list = fits(&clip, 48_000, metre, Beats::from_integer(pick_up));
                assert!(!list.is_empty(), "{frames} {metre}");
                for fit in &list {
                    let quarters = number(metre.bar()) * f64::from(fit.bars) + pick_up as f64;
                    let seconds = quarters / number(metre.beat()) * 60.0 / number(fit.tempo);
                    assert!((seconds - frames as f64 / 48_000.0).abs() <= NEAR, "{frames} {metre} {fit:?}");
                    assert!(fit.on_beats.is_none(), "nothing is struck in a hum");
                }
            }
        }
        // 92 beats a minute rounded to frames is 92 again, and not a fraction.
        let clip = Clip::new("x", vec![vec![0.1; 1_001_739]], None);
        assert_eq!(fits(&clip, 48_000, FOUR, Beats::from_integer(0))[0], Fit { tempo: Beats::from_integer(92), bars: 8, on_beats: None });
    }

    #[test]
    fn without_length_nothing_is_proposed() {
        assert!(fits(&Clip::new("x", vec![vec![0.0; 100]], None), 48_000, FOUR, Beats::from_integer(0)).is_empty());
        assert!(fits(&Clip::new("x", vec![], None), 48_000, FOUR, Beats::from_integer(0)).is_empty());
    }
}
