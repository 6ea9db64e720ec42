//! Generators: what makes samples without a file, and the list of them.
//!
//! A generator is one file here and one line in [`GENERATORS`]. A voice reads from it as it reads from a recording: pitch, filters, level
//! and place are the voice's business. It is as repeatable as a recording, too: the same seed gives the same samples, and what comes after
//! skipping is what would have come after reading.

mod noise;
mod tone;

use super::effects::Setting;
use std::fmt;

/// The most settings of a generator.
pub const MOST_CONTROLS: usize = 12;

/// All generators are about as loud as each other at their usual settings: their RMS, in dB below full scale.
pub const LOUDNESS: f32 = -18.0;

/// What a generator begins from.
#[derive(Debug, Clone, Copy)]
pub struct Beginning {
    /// Frames a second.
    pub rate: u32,
    /// The values of its settings, in the order of its kind.
    pub values: [f32; MOST_CONTROLS],
    /// What its draws begin from.
    pub seed: u64,
}

/// A generator at work.
pub trait Generator: Send + Sync + fmt::Debug {
    /// Begins anew. Allocates nothing.
    fn begin(&mut self, beginning: &Beginning);
    /// Makes the next samples of both sides, of equal length. One of one channel leaves the second side as it is.
    fn fill(&mut self, left: &mut [f32], right: &mut [f32]);
    /// Goes on as if so many samples had been made. Takes no longer for many than for a few thousand.
    fn skip(&mut self, count: usize);
    /// Whether nothing more comes of it.
    fn ended(&self) -> bool {
        false
    }
}

/// A kind of generator.
pub struct GeneratorKind {
    /// Its word.
    pub word: &'static str,
    /// What it makes, in a few words.
    pub says: &'static str,
    /// Its settings. They stand from its beginning to its end.
    pub settings: &'static [Setting],
    /// Whether it makes two channels, by the values of its settings.
    pub stereo: fn(&[f32]) -> bool,
    /// Makes one, which has yet to begin.
    pub make: fn() -> Box<dyn Generator>,
}

impl fmt::Debug for GeneratorKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.word)
    }
}

/// All kinds of generators.
pub const GENERATORS: &[GeneratorKind] = &[noise::NOISE, tone::TONE];

/// The place of a kind in [`GENERATORS`], by its word.
#[must_use]
pub fn generator(word: &str) -> Option<usize> {
    GENERATORS.iter().position(|kind| kind.word == word)
}

/// The values of a kind's settings when nothing is said.
#[must_use]
pub fn usual(kind: &GeneratorKind) -> [f32; MOST_CONTROLS] {
    let mut values = [0.0; MOST_CONTROLS];
    for (value, setting) in values.iter_mut().zip(kind.settings) {
        *value = setting.rest;
    }
    values
}

/// The factor that brings what has such an RMS to [`LOUDNESS`].
fn levelled(rms: f32) -> f32 {
    (LOUDNESS * (std::f32::consts::LOG2_10 / 20.0)).exp2() / rms
}

/// Generators that wait to be used, made beforehand: as many of each kind.
#[derive(Debug)]
pub(crate) struct Pool {
    waiting: Vec<Vec<Box<dyn Generator>>>,
    of_each: usize,
}

impl Pool {
    /// Makes so many of each kind.
    pub(crate) fn new(of_each: usize) -> Pool {
        Pool { waiting: GENERATORS.iter().map(|kind| (0..of_each).map(|_| (kind.make)()).collect()).collect(), of_each }
    }

    /// How many there are of each kind, those that are in use included.
    pub(crate) fn of_each(&self) -> usize {
        self.of_each
    }

    /// Takes one of a kind, by its place; `None` if all are in use.
    pub(crate) fn take(&mut self, kind: usize) -> Option<Box<dyn Generator>> {
        self.waiting.get_mut(kind)?.pop()
    }

    /// Gives one back.
    pub(crate) fn give_back(&mut self, kind: usize, generator: Box<dyn Generator>) {
        // There is room: it was taken from here.
        if let Some(waiting) = self.waiting.get_mut(kind) {
            waiting.push(generator);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const RATE: u32 = 48_000;

    fn begun(kind: &GeneratorKind, values: [f32; MOST_CONTROLS], seed: u64) -> Box<dyn Generator> {
        let mut generator = (kind.make)();
        generator.begin(&Beginning { rate: RATE, values, seed });
        generator
    }

    fn made(generator: &mut dyn Generator, count: usize) -> [Vec<f32>; 2] {
        let mut sides = [vec![0.0; count], vec![0.0; count]];
        let [left, right] = &mut sides;
        generator.fill(left, right);
        sides
    }

    /// The usual values with one setting changed by its word.
    pub(super) fn with(kind: &GeneratorKind, changes: &[(&str, f32)]) -> [f32; MOST_CONTROLS] {
        let mut values = usual(kind);
        for (word, value) in changes {
            values[kind.settings.iter().position(|s| s.word == *word).unwrap()] = *value;
        }
        values
    }

    pub(super) fn samples(kind: &GeneratorKind, changes: &[(&str, f32)], seed: u64, count: usize) -> [Vec<f32>; 2] {
        made(&mut *begun(kind, with(kind, changes), seed), count)
    }

    pub(super) fn rms(samples: &[f32]) -> f32 {
        10.0 * (samples.iter().map(|s| f64::from(s * s)).sum::<f64>() / samples.len() as f64).log10() as f32
    }

    /// All values that the settings of a kind can have at their ends, those of choices each.
    fn corners(kind: &GeneratorKind) -> Vec<[f32; MOST_CONTROLS]> {
        let mut all = vec![usual(kind)];
        for (at, setting) in kind.settings.iter().enumerate() {
            let steps = match setting.unit {
                crate::ground::property::Unit::Choice(words) => (0..words.len()).map(|w| w as f32).collect(),
                _ => vec![setting.low, setting.rest, setting.high],
            };
            all = all
                .iter()
                .flat_map(|values| {
                    steps.iter().map(move |step| {
                        let mut values = *values;
                        values[at] = *step;
                        values
                    })
                })
                .collect();
        }
        all
    }

    #[test]
    fn every_generator_has_settings_within_their_limits_and_is_found_by_its_word() {
        for (at, kind) in GENERATORS.iter().enumerate() {
            assert_eq!(generator(kind.word), Some(at));
            assert!(kind.settings.len() <= MOST_CONTROLS && !kind.says.is_empty(), "{}", kind.word);
            assert!(kind.settings.iter().all(|s| s.low <= s.rest && s.rest <= s.high && s.fixed), "{}", kind.word);
        }
        assert_eq!(generator("gale"), None);
    }

    #[test]
    fn every_generator_is_finite_bounded_and_about_as_loud_as_the_others() {
        for kind in GENERATORS {
            for values in corners(kind) {
                let [left, right] = made(&mut *begun(kind, values, 3), 48_000);
                for side in [&left, &right] {
                    assert!(side.iter().all(|s| s.is_finite() && s.abs() < 1.0), "{} {values:?}", kind.word);
                }
                // Where a period has few samples, most of the partials of a pulse lie beyond what there is.
                if kind.word != "tone" || values[1] < 4_000.0 {
                    assert!((rms(&left) - LOUDNESS).abs() < 1.0, "{} {values:?}: {} dB", kind.word, rms(&left));
                }
                assert_eq!((kind.stereo)(&values), right.iter().any(|s| *s != 0.0), "{} {values:?}", kind.word);
            }
        }
    }

    #[test]
    fn all_of_a_pool_can_be_taken_and_no_more() {
        let mut pool = Pool::new(3);
        let taken: Vec<_> = (0..3).map(|_| pool.take(0).unwrap()).collect();
        assert!(pool.take(0).is_none() && pool.take(1).is_some() && pool.take(99).is_none());
        taken.into_iter().for_each(|generator| pool.give_back(0, generator));
        assert!(pool.take(0).is_some());
        assert_eq!(pool.of_each(), 3);
    }

    proptest! {
        #[test]
        fn what_comes_after_skipping_is_what_would_have_come(which in 0..GENERATORS.len(), corner in any::<prop::sample::Index>(), parts in prop::collection::vec((any::<bool>(), 1usize..700), 1..12), seed in any::<u64>()) {
            let kind = &GENERATORS[which];
            let all = corners(kind);
            let values = all[corner.index(all.len())];
            let whole = made(&mut *begun(kind, values, seed), parts.iter().map(|p| p.1).sum());
            let mut generator = begun(kind, values, seed);
            let mut at = 0;
            for (read, count) in parts {
                if read {
                    let part = made(&mut *generator, count);
                    prop_assert_eq!(&part[0][..], &whole[0][at..at + count]);
                    prop_assert_eq!(&part[1][..], &whole[1][at..at + count]);
                } else {
                    generator.skip(count);
                }
                at += count;
            }
        }

        #[test]
        fn after_a_long_skip_it_is_where_it_would_be(which in 0..GENERATORS.len(), corner in any::<prop::sample::Index>(), count in 40_000usize..90_000, seed in any::<u64>()) {
            let kind = &GENERATORS[which];
            let all = corners(kind);
            let values = all[corner.index(all.len())];
            let whole = made(&mut *begun(kind, values, seed), count + 64);
            let mut generator = begun(kind, values, seed);
            generator.skip(count);
            let part = made(&mut *generator, 64);
            for (side, whole) in part.iter().zip(&whole) {
                for (a, b) in side.iter().zip(&whole[count..]) {
                    prop_assert!((a - b).abs() < 1e-6, "{} against {}", a, b);
                }
            }
        }

        #[test]
        fn another_seed_gives_other_noise(seed in any::<u64>()) {
            let noise = &GENERATORS[generator("noise").unwrap()];
            let [first, _] = samples(noise, &[], seed, 64);
            let [other, _] = samples(noise, &[], seed.wrapping_add(1), 64);
            prop_assert_ne!(first, other);
        }
    }
}
