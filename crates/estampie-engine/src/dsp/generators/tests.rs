//! What all generators have in common.

use super::*;
use crate::ground::curve::{Point, Shape};
use crate::ground::property::Unit;
use proptest::prelude::*;

pub(super) const RATE: u32 = 48_000;

/// The drawings of a kind: a way from left to right, a pace, all steps of a pattern on.
pub(super) fn drawings(kind: &GeneratorKind) -> Vec<Curve> {
    let points = |list: &[(f32, f32)]| Curve::new(list.iter().map(|(x, y)| Point { x: *x, y: *y, shape: Shape::Straight }));
    let mut curves = Vec::new();
    for drawing in kind.drawings {
        match drawing.form {
            Form::Path => curves.extend([points(&[(0.0, -6.0), (1.0, 0.0), (2.0, 6.0)]), points(&[(0.0, 2.0), (1.0, 0.5), (2.0, 2.0)])]),
            Form::Curve => curves.push(points(&[(0.0, 0.5), (0.5, 1.0), (1.0, 0.4)])),
            Form::Steps => curves.push(points(&[(0.0, 2.0), (1.0, 0.0), (2.0, 1.0)])),
            Form::Tune => curves.extend(tune_curves(&notes::tests::tune())),
        }
    }
    curves
}

pub(super) fn begun(kind: &GeneratorKind, values: &[f32; MOST_CONTROLS], seed: u64) -> Box<dyn Generator> {
    let mut generator = (kind.make)(RATE);
    generator.begin(&Beginning { rate: RATE, controls: Controls { values, drawings: &drawings(kind) }, seed, instrument: None });
    generator
}

pub(super) fn made(kind: &GeneratorKind, generator: &mut dyn Generator, values: &[f32; MOST_CONTROLS], count: usize) -> [Vec<f32>; 2] {
    let mut sides = [vec![0.0; count], vec![0.0; count]];
    let [left, right] = &mut sides;
    generator.fill(&Controls { values, drawings: &drawings(kind) }, left, right);
    sides
}

/// The usual values with some changed by their words.
pub(super) fn with(kind: &GeneratorKind, changes: &[(&str, f32)]) -> [f32; MOST_CONTROLS] {
    let mut values = usual(kind);
    for (word, value) in changes {
        values[kind.settings.iter().position(|s| s.word == *word).unwrap()] = *value;
    }
    values
}

pub(super) fn samples(kind: &GeneratorKind, changes: &[(&str, f32)], seed: u64, count: usize) -> [Vec<f32>; 2] {
    let values = with(kind, changes);
    made(kind, &mut *begun(kind, &values, seed), &values, count)
}

pub(super) fn rms(samples: &[f32]) -> f32 {
    10.0 * (samples.iter().map(|s| f64::from(s * s)).sum::<f64>() / samples.len() as f64).log10() as f32
}

/// The amplitude at a frequency, by correlation over whole periods.
pub(super) fn strength(samples: &[f32], hertz: f64) -> f64 {
    let (mut re, mut im) = (0.0, 0.0);
    for (i, s) in samples.iter().enumerate() {
        let angle = std::f64::consts::TAU * hertz * i as f64 / 48_000.0;
        re += f64::from(*s) * angle.cos();
        im += f64::from(*s) * angle.sin();
    }
    2.0 * (re * re + im * im).sqrt() / samples.len() as f64
}

/// Power by frequency, averaged over many pieces: bins of 48 000 ÷ size Hz.
pub(super) fn spectrum(samples: &[f32], size: usize) -> Vec<f64> {
    let plan = estampie_generics::forward_64(size);
    let mut power = vec![0.0f64; size / 2 + 1];
    let window = |i: usize| {
        let t = std::f64::consts::TAU * i as f64 / size as f64;
        // Blackman and Harris 1978, four terms: side lobes 92 dB down.
        0.358_75 - 0.488_29 * t.cos() + 0.141_28 * (2.0 * t).cos() - 0.011_68 * (3.0 * t).cos()
    };
    let starts = (0..).map(|i| i * size / 2).take_while(|from| from + size <= samples.len());
    for from in starts {
        let mut input: Vec<f64> = samples[from..from + size].iter().enumerate().map(|(i, s)| f64::from(*s) * window(i)).collect();
        let mut output = plan.make_output_vec();
        plan.process(&mut input, &mut output).unwrap();
        power.iter_mut().zip(&output).for_each(|(sum, bin)| *sum += bin.norm_sqr());
    }
    power
}

/// Values of a kind as shares of their ranges say, one for each; an end is as likely as the usual value and what lies between.
pub(super) fn drawn(kind: &GeneratorKind, shares: &[(u8, f32)]) -> [f32; MOST_CONTROLS] {
    let mut values = usual(kind);
    for ((value, setting), (which, share)) in values.iter_mut().zip(kind.settings).zip(shares) {
        let within = setting.low + (setting.high - setting.low) * share;
        *value = match (which % 4, setting.unit) {
            (_, Unit::Choice(words)) => (share * words.len() as f32).min(words.len() as f32 - 1.0).floor(),
            (0, _) => setting.low,
            (1, _) => setting.high,
            (2, _) => setting.rest,
            _ => within,
        };
    }
    values
}

pub(super) fn shares() -> impl Strategy<Value = Vec<(u8, f32)>> {
    prop::collection::vec((any::<u8>(), 0.0f32..1.0), MOST_CONTROLS)
}

#[test]
fn every_generator_has_settings_within_their_limits_and_is_found_by_its_word() {
    for (at, kind) in GENERATORS.iter().enumerate() {
        assert_eq!(generator(kind.word), Some(at));
        assert!(kind.settings.len() <= MOST_CONTROLS && !kind.says.is_empty(), "{}", kind.word);
        assert!(kind.settings.iter().all(|s| s.low <= s.rest && s.rest <= s.high), "{}", kind.word);
        for (i, setting) in kind.settings.iter().enumerate() {
            assert!(kind.settings[..i].iter().all(|s| s.word != setting.word), "{} has {} twice", kind.word, setting.word);
        }
    }
    assert_eq!(generator("gale"), None);
}

#[test]
fn every_preset_has_a_name_of_its_own_and_names_what_is_there() {
    for kind in GENERATORS {
        for (i, preset) in kind.presets.iter().enumerate() {
            assert!(kind.presets[..i].iter().all(|p| p.name != preset.name), "{} {}", kind.word, preset.name);
            for (word, text) in preset.set {
                let setting = kind.settings.iter().find(|s| s.word == *word);
                assert!(setting.is_some() || kind.drawings.iter().any(|d| d.word == *word), "{} of {}", word, preset.name);
                if let Some(setting) = setting {
                    let value = setting.unit.read(text).unwrap();
                    assert!(value >= setting.low && value <= setting.high, "{word} of {}: {text}", preset.name);
                }
            }
        }
    }
}

#[test]
fn every_generator_is_about_as_loud_as_the_others_at_its_usual_settings() {
    for kind in GENERATORS {
        let values = usual(kind);
        let [left, right] = made(kind, &mut *begun(kind, &values, 3), &values, 4 * 48_000);
        // What ends by itself, or has pauses, by its loudest tenth of a second.
        let whole = rms(&left);
        let loudest = left.chunks(4_800).map(rms).fold(f32::MIN, f32::max);
        let steady = !(kind.ends)(&values) && kind.word != "pulses" && kind.word != "crackle";
        let loud = if steady { whole } else { loudest };
        if kind.word == "crackle" {
            // Grains are short: their peaks count.
            let peak = 20.0 * left.iter().fold(0.0f32, |m, s| m.max(s.abs())).log10();
            assert!((-14.0..-3.0).contains(&peak), "crackle: {peak} dB");
            continue;
        }
        assert!((loud - LOUDNESS).abs() < if steady { 1.5 } else { 5.0 }, "{}: {loud} dB", kind.word);
        assert_eq!((kind.stereo)(&values), right.iter().any(|s| *s != 0.0), "{}", kind.word);
    }
}

#[test]
fn all_of_a_pool_can_be_taken_and_no_more() {
    let mut pool = Pool::new(3, RATE);
    let taken: Vec<_> = (0..3).map(|_| pool.take(0).unwrap()).collect();
    assert!(pool.take(0).is_none() && pool.take(1).is_some() && pool.take(99).is_none());
    taken.into_iter().for_each(|generator| pool.give_back(0, generator));
    assert!(pool.take(0).is_some());
    assert_eq!(pool.of_each(), 3);
}

#[test]
fn what_needs_much_memory_comes_with_the_program_that_uses_it() {
    let notes = generator("notes").unwrap();
    let mut pool = Pool::new(2, RATE);
    assert!(pool.take(notes).is_none());
    let mut brought = Brought::of([0, notes, notes].into_iter(), RATE);
    pool.take_in(&mut brought);
    let taken = pool.take(notes).unwrap();
    assert!(pool.take(notes).is_some() && pool.take(notes).is_none(), "no more than there may be at once");
    pool.give_back(notes, taken);
    // The next program's are not needed, and stay with it.
    let mut more = Brought::of(std::iter::once(notes), RATE);
    pool.take_in(&mut more);
    assert_eq!(more.0[0].1.len(), 64);
    assert!(pool.take(notes).is_some());
}

#[test]
fn what_plays_one_program_alone_makes_what_that_uses() {
    let notes = generator("notes").unwrap();
    let (strings, usual_one) = (GENERATORS[notes].strings, usual(&GENERATORS[notes]));
    let plucked = InstrumentSettings::usual(crate::dsp::instrument::Kind::Plucked);
    assert!(!strings(&usual_one, None) && strings(&usual_one, Some(&plucked)));
    for (kind, word) in PLAYED {
        let mut values = usual_one;
        values[0] = PLAYED.iter().position(|(k, _)| k == kind).unwrap() as f32;
        assert_eq!(strings(&values, None), ["plucked string", "plucked bass"].contains(word), "{word}");
    }
    // The same to the bit without strings where none are played.
    let (mut with_them, mut without) = ((GENERATORS[notes].make)(RATE), GENERATORS[notes].stringless.unwrap()(RATE));
    let drawings = drawings(&GENERATORS[notes]);
    let controls = Controls { values: &usual_one, drawings: &drawings };
    let played = [&mut with_them, &mut without].map(|generator| {
        generator.begin(&Beginning { rate: RATE, controls, seed: 7, instrument: None });
        made(&GENERATORS[notes], &mut **generator, &usual_one, 40_000)
    });
    assert!(rms(&played[0][0]) > -60.0 && played[0] == played[1]);
    // Two of each kind that is used, and none of the others.
    let mut pool = Pool::empty(2);
    pool.take_in(&mut Brought::lean([1, notes, 1].into_iter(), 2, false, RATE));
    assert!(pool.take(0).is_none());
    for kind in [1, notes] {
        assert!(pool.take(kind).is_some() && pool.take(kind).is_some() && pool.take(kind).is_none());
    }
}

/// Samples after which a kind at some values has forgotten all that a jump does not know; `None` if that is longer than it remembers.
fn forgets(kind: &GeneratorKind, values: &[f32; MOST_CONTROLS]) -> bool {
    let of = |word: &str| kind.settings.iter().position(|s| s.word == word).map(|at| values[at]).unwrap();
    // A filter that rings for longer than two seconds is not made up for.
    match kind.word {
        "noise" => stepped::Resonator::rings(of("cutoff"), of("sharpness"), 48_000.0) < 96_000,
        "wind" => stepped::Resonator::rings(of("slit") * 0.34, 22.0, 48_000.0) < 96_000,
        "pass-by" => {
            // At its slowest it is a tenth as high.
            let band = |n: usize| (of(&format!("centre-{n}")), of(&format!("sharpness-{n}")), of(&format!("strength-{n}")));
            (1..=8).map(band).all(|(centre, sharpness, strength)| strength <= -60.0 || stepped::Resonator::rings(centre / 10.0, sharpness, 48_000.0) < 96_000)
        }
        "notes" => {
            let release = InstrumentSettings::usual(PLAYED[of("instrument") as usize].0).release_seconds;
            // Two steps are held on at the most.
            of("length") + 2.0 * of("interval") + 1.4 * release * of("longer") < 2.0
        }
        _ => true,
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(600))]
    #[test]
    fn every_generator_is_finite_and_bounded(which in 0..GENERATORS.len(), shares in shares(), seed in any::<u64>()) {
        let kind = &GENERATORS[which];
        let values = drawn(kind, &shares);
        let [left, right] = made(kind, &mut *begun(kind, &values, seed), &values, 12_000);
        for side in [&left, &right] {
            // Eight bands at their strongest, all at one place, come to more than one of them.
            let most = if kind.word == "pass-by" { 8.0 } else { 2.0 };
            let peak = side.iter().fold(0.0f32, |m, s| m.max(s.abs()));
            prop_assert!(side.iter().all(|s| s.is_finite()) && peak < most, "{} {values:?}: {peak}", kind.word);
        }
    }

    #[test]
    fn what_comes_after_skipping_is_what_would_have_come(which in 0..GENERATORS.len(), shares in shares(), parts in prop::collection::vec((any::<bool>(), 1usize..700), 1..12), seed in any::<u64>()) {
        let kind = &GENERATORS[which];
        let values = drawn(kind, &shares);
        let drawings = drawings(kind);
        let whole = made(kind, &mut *begun(kind, &values, seed), &values, parts.iter().map(|p| p.1).sum());
        let mut generator = begun(kind, &values, seed);
        let mut at = 0;
        for (read, count) in parts {
            if read {
                let part = made(kind, &mut *generator, &values, count);
                for side in 0..2 {
                    for (i, (a, b)) in part[side].iter().zip(&whole[side][at..]).enumerate() {
                        prop_assert!((a - b).abs() < 2e-5, "{} at {}: {a} against {b}", kind.word, at + i);
                    }
                }
            } else {
                generator.skip(&Controls { values: &values, drawings: &drawings }, count);
            }
            at += count;
        }
    }

    #[test]
    fn in_how_many_parts_it_is_made_does_not_matter(which in 0..GENERATORS.len(), shares in shares(), parts in prop::collection::vec(1usize..300, 1..12), seed in any::<u64>()) {
        let kind = &GENERATORS[which];
        let values = drawn(kind, &shares);
        let whole = made(kind, &mut *begun(kind, &values, seed), &values, parts.iter().sum());
        let mut generator = begun(kind, &values, seed);
        let mut at = 0;
        for count in parts {
            let part = made(kind, &mut *generator, &values, count);
            prop_assert_eq!(&part[0][..], &whole[0][at..at + count]);
            prop_assert_eq!(&part[1][..], &whole[1][at..at + count]);
            at += count;
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]
    #[test]
    fn after_a_long_skip_it_is_where_it_would_be(which in 0..GENERATORS.len(), shares in shares(), count in 40_000usize..110_000, seed in any::<u64>()) {
        let kind = &GENERATORS[which];
        let values = drawn(kind, &shares);
        prop_assume!(forgets(kind, &values));
        let whole = made(kind, &mut *begun(kind, &values, seed), &values, count + 64);
        let mut generator = begun(kind, &values, seed);
        generator.skip(&Controls { values: &values, drawings: &drawings(kind) }, count);
        let part = made(kind, &mut *generator, &values, 64);
        for (side, whole) in part.iter().zip(&whole) {
            for (a, b) in side.iter().zip(&whole[count..]) {
                prop_assert!((a - b).abs() < 1e-4, "{} {values:?}: {} against {}", kind.word, a, b);
            }
        }
    }

    /// Controls that are moved from one place to any other, once in a block, leave no step: what is between two samples is no more than at either end.
    #[test]
    fn a_control_that_is_moved_makes_no_click(which in 0..GENERATORS.len(), at in any::<prop::sample::Index>(), seed in any::<u64>(), to in 0.0f32..1.0) {
        let kind = &GENERATORS[which];
        let free: Vec<usize> = (0..kind.settings.len()).filter(|i| !kind.settings[*i].fixed).collect();
        let moved = free[at.index(free.len())];
        let setting = &kind.settings[moved];
        let values = usual(kind);
        let mut after = values;
        after[moved] = setting.low + (setting.high - setting.low) * to;
        // Levels of grains and pulses are theirs from their beginnings, and a leap is one.
        prop_assume!(!["crackle", "pulses", "blip"].contains(&kind.word));
        let mut generator = begun(kind, &values, seed);
        let before = made(kind, &mut *generator, &values, 4_800);
        // In steps of a block, as modulations come, over a tenth of a second.
        let mut moving = Vec::new();
        for block in 1..=75 {
            let mut now = values;
            now[moved] += (after[moved] - values[moved]) * block as f32 / 75.0;
            moving.extend(made(kind, &mut *generator, &now, 64)[0].clone());
        }
        let then = made(kind, &mut *generator, &after, 9_600);
        // The greatest change of slope: a step in the signal would stand far above what the signal itself has.
        let bend = |side: &[f32]| side.windows(3).map(|w| (w[2] - 2.0 * w[1] + w[0]).abs()).fold(0.0f32, f32::max);
        // On its way it has what it would have if it stood there: partials that rise come by where they bend most.
        let standing = (1..8).map(|eighth| {
            let mut there = values;
            there[moved] += (after[moved] - values[moved]) * eighth as f32 / 8.0;
            bend(&made(kind, &mut *begun(kind, &there, seed), &there, 4_800)[0])
        });
        let most = standing.fold(bend(&before[0]).max(bend(&then[0])), f32::max);
        prop_assert!(bend(&moving) < 2.2 * most + 0.02, "{} {}: {} where it is {} at most", kind.word, setting.word, bend(&moving), most);
    }

    #[test]
    fn another_seed_gives_other_noise(seed in any::<u64>()) {
        let noise = &GENERATORS[generator("noise").unwrap()];
        let [first, _] = samples(noise, &[], seed, 64);
        let [other, _] = samples(noise, &[], seed.wrapping_add(1), 64);
        prop_assert_ne!(first, other);
    }
}

fn of(word: &str) -> &'static GeneratorKind {
    &GENERATORS[generator(word).unwrap()]
}

/// Power in a band, in dB, of a spectrum of 48 kHz.
fn band(power: &[f64], low: f64, high: f64) -> f64 {
    let bin = |hertz: f64| (hertz * 2.0 * (power.len() - 1) as f64 / 48_000.0) as usize;
    10.0 * power[bin(low)..bin(high).max(bin(low) + 1)].iter().sum::<f64>().max(1e-30).log10()
}

#[test]
fn tones_and_hums_have_nothing_that_is_no_partial_below_15_khz() {
    // Frequencies that are no whole number of bins, so that what is folded back falls between partials.
    for (word, control, wave, hertz) in [
        ("tone", "frequency", 1.0, 1_234.5f32),
        ("tone", "frequency", 2.0, 987.6),
        ("tone", "frequency", 2.0, 3_210.9),
        ("tone", "frequency", 2.0, 9_876.5),
        ("tone", "frequency", 3.0, 2_345.6),
        ("tone", "frequency", 3.0, 7_654.3),
        ("hum", "revolutions", 0.0, 432.1),
        ("hum", "revolutions", 0.0, 577.7),
    ] {
        let kind = of(word);
        let mut changes = vec![(control, hertz)];
        changes.extend(if word == "tone" { vec![("wave", wave)] } else { vec![("roughness", 0.0), ("air", 0.0), ("load", 1.0), ("strokes", 2.0)] });
        let hertz = f64::from(hertz) * if word == "hum" { 2.0 } else { 1.0 };
        let [left, _] = samples(kind, &changes, 1, 48_000);
        let power = spectrum(&left, 16_384);
        let first = power.iter().fold(0.0f64, |m, p| m.max(*p));
        let width = 48_000.0 / 16_384.0;
        for (bin, p) in power.iter().enumerate() {
            let at = bin as f64 * width;
            let from_partial = (at / hertz - (at / hertz).round()).abs() * hertz;
            if at > 30.0 && at < 15_000.0 && from_partial > 8.0 * width {
                assert!(10.0 * (p / first).log10() < -80.0, "{word} {hertz} Hz wave {wave}: {} dB at {at} Hz", 10.0 * (p / first).log10());
            }
        }
    }
}

#[test]
fn hums_and_pulses_and_blips_are_in_tune() {
    let [hum, _] = samples(of("hum"), &[("revolutions", 50.0), ("roughness", 0.0), ("air", 0.0)], 1, 480_000);
    // Within a cent: at 50.03 Hz nothing is left of ten seconds.
    assert!(strength(&hum, 50.0) > 0.1 && strength(&hum, 50.1) < 0.01 * strength(&hum, 50.0), "{}", strength(&hum, 50.1));
    let [beep, _] = samples(of("pulses"), &[("interval", 10.0), ("length", 2.0), ("decay", 0.0), ("frequency", 1_000.0)], 1, 90_000);
    let passes: Vec<usize> = (1_000..80_000).filter(|i| beep[i - 1] < 0.0 && beep[*i] >= 0.0).collect();
    let measured = (passes.len() - 1) as f64 * 48_000.0 / (passes[passes.len() - 1] - passes[0]) as f64;
    assert!((1_200.0 * (measured / 1_000.0).log2()).abs() < 1.0, "{measured}");
}

#[test]
fn pulses_come_at_their_interval_to_the_sample_and_by_their_pattern() {
    let [left, _] = samples(of("pulses"), &[("interval", 0.1), ("length", 0.02), ("decay", 0.0)], 1, 48_000);
    // The pattern of the tests: X.x, an accented one, none, a plain one.
    let starts: Vec<usize> = (0..left.len()).filter(|i| left[*i] != 0.0 && (i.saturating_sub(400)..*i).all(|before| left[before] == 0.0)).collect();
    assert_eq!(starts.iter().map(|s| s / 4_800).collect::<Vec<_>>(), [0, 2, 3, 5, 6, 8, 9]);
    assert!(starts.iter().all(|s| s % 4_800 <= 2), "{starts:?}");
    let loud = |at: usize| rms(&left[at * 4_800..at * 4_800 + 960]);
    assert!((loud(0) - loud(2) - 5.04).abs() < 0.1, "a plain one is 5 dB lower: {}", loud(0) - loud(2));
}

#[test]
fn wind_is_the_same_after_an_hour_and_never_comes_round() {
    let kind = of("wind");
    let values = with(kind, &[("gust", 1.0)]);
    let drawings = drawings(kind);
    let half_a_minute = |skipped: usize| {
        let mut generator = begun(kind, &values, 9);
        generator.skip(&Controls { values: &values, drawings: &drawings }, skipped);
        made(kind, &mut *generator, &values, 30 * 48_000)[0].clone()
    };
    let (first, later) = (half_a_minute(0), half_a_minute(3_600 * 48_000));
    assert!((rms(&first) - rms(&later)).abs() < 1.0, "{} and {} dB", rms(&first), rms(&later));
    let (a, b) = (spectrum(&first, 4_096), spectrum(&later, 4_096));
    for octave in 0..7 {
        let low = 60.0 * f64::from(1 << octave);
        let change = band(&a, low, 2.0 * low) - band(&b, low, 2.0 * low);
        assert!(change.abs() < 2.0, "{low} Hz: {change} dB");
    }
    let common: f64 = first.iter().zip(&later).map(|(a, b)| f64::from(a * b)).sum::<f64>() / first.iter().map(|s| f64::from(s * s)).sum::<f64>();
    assert!(common.abs() < 0.02, "{common}");
}

#[test]
fn wind_rises_with_its_speed_and_howls_where_its_slits_say() {
    let kind = of("wind");
    let loud = |speed: f32| rms(&samples(kind, &[("speed", speed), ("gustiness", 0.0)], 3, 96_000)[0]);
    assert!(loud(0.0) < -100.0 && loud(3.0) < loud(6.0) - 4.0 && loud(6.0) < loud(12.0) - 1.5 && loud(40.0) < -14.0);
    let [left, _] = samples(kind, &[("speed", 14.0), ("gustiness", 0.0), ("howl", 1.0), ("rumble", 0.0), ("slit", 800.0)], 3, 480_000);
    let power = spectrum(&left, 8_192);
    // Eddies leave as often as the speed to the power of 0.9 says.
    let wanted = 800.0 * 1.4f64.powf(0.9);
    let peak = (170..2_000).max_by(|a, b| power[*a].total_cmp(&power[*b])).unwrap() as f64 * 48_000.0 / 8_192.0;
    assert!((peak / wanted - 1.0).abs() < 0.04, "{peak} Hz instead of {wanted} Hz");
}

/// A straight way past the ear at an even pace, from 60 m on the left to 60 m on the right, a metre ahead.
fn straight() -> Vec<Curve> {
    let line = |list: &[(f32, f32)]| Curve::new(list.iter().map(|(x, y)| Point { x: *x, y: *y, shape: Shape::Straight }));
    vec![line(&[(0.0, -60.0), (1.0, 60.0)]), line(&[(0.0, 1.0), (1.0, 1.0)]), line(&[(0.0, 1.0), (1.0, 1.0)])]
}

fn passing(changes: &[(&str, f32)], seconds: f32) -> [Vec<f32>; 2] {
    let kind = of("pass-by");
    let values = with(kind, changes);
    let drawings = straight();
    let controls = Controls { values: &values, drawings: &drawings };
    let mut generator = (kind.make)(RATE);
    generator.begin(&Beginning { rate: RATE, controls, seed: 5, instrument: None });
    let count = (seconds * 48_000.0) as usize;
    let mut sides = [vec![0.0; count], vec![0.0; count]];
    let [left, right] = &mut sides;
    generator.fill(&controls, left, right);
    sides
}

#[test]
fn what_passes_is_higher_as_it_comes_and_lower_as_it_goes() {
    // 120 m in 4 s: 30 m/s, so 343 ÷ (343 ∓ 30).
    let [left, _] = passing(
        &[("duration", 4.0), ("centre-1", 1_000.0), ("sharpness-1", 60.0), ("strength-2", -60.0), ("strength-3", -60.0), ("dullness", 0.0), ("near", 20.0)],
        4.0,
    );
    let peak = |part: &[f32]| {
        let power = spectrum(part, 16_384);
        let (low, high) = (200, 500);
        let weight: f64 = power[low..high].iter().sum();
        power[low..high].iter().enumerate().map(|(i, p)| (low + i) as f64 * p).sum::<f64>() / weight * 48_000.0 / 16_384.0
    };
    let (comes, goes) = (peak(&left[9_600..81_600]), peak(&left[110_400..182_400]));
    assert!((comes / (1_000.0 * 343.0 / 313.0) - 1.0).abs() < 0.01, "{comes}");
    assert!((goes / (1_000.0 * 343.0 / 373.0) - 1.0).abs() < 0.01, "{goes}");
}

#[test]
fn what_passes_is_as_loud_as_its_distance_says_and_moves_from_side_to_side() {
    let [left, right] = passing(&[("channels", 1.0), ("duration", 4.0), ("dullness", 0.0), ("near", 1.0), ("doppler", 0.0)], 4.0);
    // Half a second each, 30 m and 15 m away: 6 dB.
    let at = |metres: f32| {
        let middle = ((60.0 + metres) / 120.0 * 192_000.0) as usize;
        let part = |side: &[f32]| rms(&side[middle - 6_000..middle + 6_000]);
        10.0 * (10f32.powf(part(&left) / 10.0) + 10f32.powf(part(&right) / 10.0)).log10()
    };
    assert!((at(-15.0) - at(-30.0) - 6.0).abs() < 1.2, "{}", at(-15.0) - at(-30.0));
    assert!(rms(&left[4_800..48_000]) > rms(&right[4_800..48_000]) + 20.0 && rms(&right[144_000..187_000]) > rms(&left[144_000..187_000]) + 20.0);
    assert!(left[..2].iter().all(|s| s.abs() < 1e-3) && left[191_900..].iter().all(|s| s.abs() < 1e-3), "it comes and goes");
}

#[test]
fn the_resonances_of_what_passes_lie_where_they_are_said() {
    let bands = [(300.0f32, 8.0f32, 0.0f32), (1_200.0, 12.0, -6.0), (4_800.0, 16.0, -12.0)];
    let mut changes = vec![("duration", 20.0), ("doppler", 0.0), ("follow", 0.0), ("dullness", 0.0), ("near", 20.0)];
    for (at, (centre, sharpness, strength)) in bands.iter().enumerate() {
        let words = [["centre-1", "sharpness-1", "strength-1"], ["centre-2", "sharpness-2", "strength-2"], ["centre-3", "sharpness-3", "strength-3"]][at];
        changes.extend([(words[0], *centre), (words[1], *sharpness), (words[2], *strength)]);
    }
    let [left, _] = passing(&changes, 20.0);
    let power = spectrum(&left[48_000..912_000], 16_384);
    let first = band(&power, 200.0, 450.0);
    for (centre, _, strength) in bands {
        let centre = f64::from(centre);
        let own = band(&power, centre * 0.75, centre * 1.33);
        assert!((own - first - f64::from(strength)).abs() < 1.0, "{centre} Hz: {} dB", own - first);
        // A single band by its formula: 1 ÷ (1 + Q² (f ÷ c − c ÷ f)²) of its power.
        let bin = |hertz: f64| (hertz * 16_384.0 / 48_000.0) as usize;
        let top = power[bin(centre * 0.97)..bin(centre * 1.03)].iter().fold(0.0f64, |m, p| m.max(*p));
        assert!(power[bin(centre) - 2..bin(centre) + 3].iter().any(|p| *p > 0.3 * top), "{centre} Hz has no peak");
    }
}

#[test]
fn modes_lie_where_their_material_says_and_no_two_strokes_are_alike() {
    let [left, _] =
        samples(of("modal"), &[("frequency", 500.0), ("ring", 8.0), ("scatter", 0.0), ("knock", 0.0), ("damping", 0.0), ("hardness", 0.9)], 1, 96_000);
    // A free bar: 2.756, 5.404 and 8.933 times its lowest.
    for times in [1.0, 2.756, 5.404, 8.933] {
        let at = strength(&left[4_800..], 500.0 * times);
        assert!(at > 4.0 * strength(&left[4_800..], 500.0 * times * 1.05) && at > 4.0 * strength(&left[4_800..], 500.0 * times * 0.95), "{times}: {at}");
    }
    let strokes: Vec<Vec<f32>> = (0..10).map(|seed| samples(of("modal"), &[("scatter", 0.5)], seed, 9_600)[0].clone()).collect();
    for (i, a) in strokes.iter().enumerate() {
        for b in &strokes[..i] {
            let apart: f64 = a.iter().zip(b).map(|(a, b)| f64::from((a - b) * (a - b))).sum();
            assert!(apart > 0.02 * a.iter().map(|s| f64::from(s * s)).sum::<f64>());
        }
    }
}

#[test]
fn a_struck_thing_falls_by_60_db_in_its_ring_and_ends() {
    let kind = of("modal");
    let changes = [("ring", 0.5f32), ("frequency", 400.0), ("knock", 0.0), ("scatter", 0.0), ("damping", 0.0), ("material", 5.0)];
    // The lowest mode of wood alone is left after a while: its fall is that of the ring.
    let changes: Vec<_> = changes.iter().map(|(w, v)| if *w == "material" { (*w, 3.0) } else { (*w, *v) }).collect();
    let [left, _] = samples(kind, &changes, 2, 24_000);
    let loud = |at: f32| rms(&left[(at * 48_000.0) as usize..((at + 0.02) * 48_000.0) as usize]);
    let fall = (loud(0.2) - loud(0.4)) / 0.2 * 0.5;
    assert!((fall - 60.0).abs() < 3.0, "{fall} dB");
    let values = with(kind, &changes);
    let mut generator = begun(kind, &values, 2);
    made(kind, &mut *generator, &values, 60_000);
    assert!(generator.ended());
}

#[test]
fn grains_come_as_often_as_they_are_asked_for() {
    for density in [5.0f32, 20.0] {
        let [left, _] = samples(
            of("crackle"),
            &[("density", density), ("length", 0.002), ("bed", 0.0), ("range", 0.0), ("resonance", 0.0), ("spread", 0.0)],
            7,
            48_000 * 60,
        );
        // A grain begins where nothing was heard for 10 ms; those that come sooner after another are not seen.
        let begins = (480..left.len()).filter(|i| left[*i].abs() > 1e-4 && left[i - 480..*i].iter().all(|s| s.abs() <= 1e-4)).count() as f32;
        let dead = 0.010 + 0.016;
        let wanted = 60.0 * density * (-density * dead).exp();
        assert!((begins - wanted).abs() < 4.0 * wanted.sqrt(), "{density} a second: {begins} instead of {wanted}");
    }
}

#[test]
fn another_number_gives_another_blip_and_the_same_number_the_same() {
    let of_number = |n: f32, seed| samples(of("blip"), &[("another", n), ("variety", 0.5)], seed, 4_800)[0].clone();
    assert_eq!(of_number(12.0, 1), of_number(12.0, 1));
    assert_eq!(of_number(12.0, 1), of_number(12.0, 99), "a number stands for the same one whatever else is drawn");
    assert_ne!(of_number(12.0, 1), of_number(13.0, 1));
}

#[test]
fn a_glide_arrives_in_its_time() {
    let [left, _] = samples(of("tone"), &[("frequency", 500.0), ("bend", 12.0), ("glide", 0.2)], 1, 48_000);
    let period = |from: usize| {
        let passes: Vec<usize> = (from..from + 2_400).filter(|i| left[i - 1] < 0.0 && left[*i] >= 0.0).collect();
        (passes[passes.len() - 1] - passes[0]) as f64 / (passes.len() - 1) as f64
    };
    // 90 % of the octave are gone after the glide's time, all of it soon after.
    let hertz = 48_000.0 / period(9_600 - 1_200);
    assert!((12.0 * (hertz / 500.0).log2() - 1.2).abs() < 0.5, "{hertz}");
    assert!((48_000.0 / period(44_000) - 500.0).abs() < 1.5);
}
