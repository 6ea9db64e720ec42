//! Pictures of effects, and what can be taken hold of in them.

use super::{KINDS, MOST_SETTINGS, Picture, Setting, Unit};
use proptest::prelude::*;

const RATE: u32 = 48_000;

fn at_rest(kind: &super::Kind) -> [f32; MOST_SETTINGS] {
    let mut values = [0.0; MOST_SETTINGS];
    values.iter_mut().zip(kind.settings).for_each(|(value, setting)| *value = setting.rest);
    values
}

#[test]
fn every_picture_can_be_drawn_at_the_ends_of_all_settings() {
    for kind in KINDS {
        let Some(picture) = kind.picture else { continue };
        for end in [|s: &Setting| s.low, |s: &Setting| s.rest, |s: &Setting| s.high] {
            let mut values = at_rest(kind);
            values.iter_mut().zip(kind.settings).for_each(|(value, setting)| *value = end(setting));
            let fine = match picture {
                Picture::Frequency(of) => [20.0, 1_000.0, 20_000.0].iter().all(|f| of(&values, *f, RATE).is_finite()),
                Picture::Transfer(of) => [-90.0, -30.0, 0.0].iter().all(|level| of(&values, *level).is_finite()),
                Picture::Strokes(of) => [0.0, 0.4, 8.0].iter().all(|tempo| of(&values, *tempo).iter().all(|(t, l)| t.is_finite() && l.is_finite())),
                Picture::Decay(of) => of(&values).1.iter().all(|t| *t > 0.0),
            };
            assert!(fine, "{}", kind.word);
        }
    }
}

/// The least and the greatest place of a picture's axes.
fn ends(picture: Picture) -> [(f32, f32); 2] {
    match picture {
        Picture::Frequency(_) => [(20.0, 20_000.0), (-24.0, 24.0)],
        Picture::Transfer(_) => [(-60.0, 0.0), (-60.0, 0.0)],
        Picture::Strokes(_) => [(0.0, 4.0), (-60.0, 0.0)],
        Picture::Decay(_) => [(0.0, 20.0), (-60.0, 0.0)],
    }
}

#[test]
fn what_has_a_picture_can_be_taken_hold_of_and_each_grip_is_for_a_setting() {
    for kind in KINDS {
        assert_eq!(kind.picture.is_some(), !kind.grips.is_empty(), "{}", kind.word);
        let mut settings: Vec<usize> = kind.grips.iter().map(|g| g.setting).collect();
        settings.dedup();
        assert!(settings.len() == kind.grips.len() && settings.iter().all(|s| *s < kind.settings.len()), "{}", kind.word);
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(20_000))]
    /// Wherever a grip is moved, the settings stay within their limits; where it is put within reach, it lies; and put where it lies it changes nothing.
    #[test]
    fn a_grip_lies_where_it_was_put(
        which in any::<prop::sample::Index>(), grip in any::<prop::sample::Index>(),
        shares in prop::collection::vec(0.0f32..1.0, MOST_SETTINGS), to in (0.0f32..1.0, 0.0f32..1.0)
    ) {
        let kinds: Vec<&super::Kind> = KINDS.iter().filter(|k| k.picture.is_some()).collect();
        let kind = kinds[which.index(kinds.len())];
        let grip = &kind.grips[grip.index(kind.grips.len())];
        let mut values = at_rest(kind);
        for ((value, setting), share) in values.iter_mut().zip(kind.settings).zip(&shares) {
            let exact = setting.low + (setting.high - setting.low) * share;
            *value = if matches!(setting.unit, Unit::Choice(_)) { exact.round() } else { exact };
        }
        let [x, y] = ends(kind.picture.unwrap());
        let along = |(low, high): (f32, f32), share: f32| if low > 0.0 { low * (high / low).powf(share) } else { low + (high - low) * share };
        let place = (along(x, to.0), along(y, to.1));
        let next = kind.moved(&values, grip, place);
        for (value, setting) in next.iter().zip(kind.settings) {
            prop_assert!(*value >= setting.low && *value <= setting.high, "{} {}: {value}", kind.word, setting.word);
        }
        // Moved there again, nothing moves.
        let again = kind.moved(&next, grip, (grip.at)(&next));
        for ((a, b), setting) in again.iter().zip(&next).zip(kind.settings) {
            prop_assert!((a - b).abs() <= 2e-3 * (setting.high - setting.low), "{} {}: {b} becomes {a}", kind.word, setting.word);
        }
        // What can be reached is: no setting that it moves stands at a limit.
        let moved: Vec<usize> = (0..kind.settings.len()).filter(|i| next[*i] != values[*i]).collect();
        let free = moved.iter().all(|i| next[*i] > kind.settings[*i].low && next[*i] < kind.settings[*i].high);
        if free && !moved.is_empty() {
            let (at, wide) = ((grip.at)(&next), (x.1 - x.0, y.1 - y.0));
            let near = ((at.0 - place.0) / wide.0).abs() < 2e-3 || ((at.1 - place.1) / wide.1).abs() < 2e-3;
            // Or another setting ends it on the way, as the range of an expander does: then no value of its own would bring it nearer.
            let far = |values: &[f32]| {
                let at = (grip.at)(values);
                ((at.0 - place.0) / wide.0).abs() + ((at.1 - place.1) / wide.1).abs()
            };
            let setting = &kind.settings[grip.setting];
            let nearest = (0..=100).map(|i| {
                let mut tried = next;
                tried[grip.setting] = setting.low + (setting.high - setting.low) * i as f32 / 100.0;
                far(&tried)
            });
            prop_assert!(near || nearest.fold(f32::MAX, f32::min) > far(&next) - 2e-3, "{}: at {at:?} instead of {place:?}", kind.word);
        }
        prop_assert_eq!(kind.moved(&values, grip, (f32::NAN, 0.0)), values, "what is no number moves nothing");
    }
}

#[test]
fn grips_lie_on_what_is_drawn() {
    for kind in KINDS {
        let Some(picture) = kind.picture else { continue };
        let mut values = at_rest(kind);
        // Settings that do something.
        for (word, value) in [("threshold", -30.0), ("low-gain", 0.0), ("ceiling", -12.0), ("cutoff", 1_000.0)] {
            if let Some(at) = kind.settings.iter().position(|s: &Setting| s.word == word) {
                values[at] = value;
            }
        }
        for grip in kind.grips {
            let (x, y) = (grip.at)(&values);
            match picture {
                Picture::Transfer(of) => assert!((of(&values, x) - y).abs() < 1e-3, "{} {x}: {y}", kind.word),
                Picture::Frequency(of) => assert!((of(&values, x, RATE) - y).abs() < 0.2, "{} at {x}: {y} and {}", kind.word, of(&values, x, RATE)),
                Picture::Strokes(of) => assert!(of(&values, 0.0).iter().any(|(t, l)| (t - x).abs() < 1e-4 && (l - y).abs() < 1e-3), "{} {x} {y}", kind.word),
                Picture::Decay(of) => {
                    let (begins, falls) = of(&values);
                    assert!(y == 0.0 && x == begins || falls.iter().any(|t| (x - begins - t * y / -60.0).abs() < 1e-4), "{} {x} {y}", kind.word);
                }
            }
        }
    }
}
