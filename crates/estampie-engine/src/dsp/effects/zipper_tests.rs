//! No setting of any effect clicks when it is moved while something sounds.

#![allow(clippy::unwrap_used)]

use super::*;
use crate::dsp::block_coefficient;
use proptest::prelude::*;
use std::f64::consts::TAU;

const RATE: u32 = 48_000;
/// A tone that has nothing up high by itself; what is found there was put there.
const TONE: f64 = 150.0;
/// −8 dBFS.
const AMPLITUDE: f64 = 0.398;
const WINDOW: usize = 512;
/// What lies above is looked at, in Hz.
const HIGH: f64 = 9_000.0;

/// The greatest amplitude above [`HIGH`] in any window of some frames.
fn up_high(samples: &[f32]) -> f64 {
    let fft = estampie_generics::forward(WINDOW);
    let mut out = fft.make_output_vec();
    let first = (HIGH * WINDOW as f64 / f64::from(RATE)) as usize;
    let mut greatest = 0.0f64;
    for window in samples.windows(WINDOW).step_by(WINDOW / 4) {
        let mut input: Vec<f32> = window
            .iter()
            .enumerate()
            .map(|(i, s)| {
                let x = TAU * i as f64 / WINDOW as f64;
                // Blackman and Harris: the tone itself is 90 dB down elsewhere.
                s * (0.35875 - 0.48829 * x.cos() + 0.14128 * (2.0 * x).cos() - 0.01168 * (3.0 * x).cos()) as f32
            })
            .collect();
        fft.process(&mut input, &mut out).unwrap();
        let power: f64 = out[first..].iter().map(|c| f64::from(c.norm_sqr())).sum();
        greatest = greatest.max((power * 2.0).sqrt() / (WINDOW as f64 * 0.2580).sqrt() / (WINDOW as f64).sqrt());
    }
    greatest
}

fn rms(samples: &[f32]) -> f64 {
    (samples.iter().map(|s| f64::from(*s).powi(2)).sum::<f64>() / samples.len() as f64).sqrt()
}

/// Moves one setting of a kind from one value to another, as an edit does or at once, and gives the level, in dB of full scale, of
/// what is up high meanwhile and not before, after, or at values between.
fn click(kind: &'static Kind, base: &[f32; MOST_SETTINGS], at: usize, from: f32, to: f32, jumps: bool) -> f64 {
    let impulse = Arc::new(Impulse::new(&[1.0, 0.5, 0.25], &[1.0, 0.5, 0.25], RATE));
    let mut values = *base;
    values[at] = from;
    let mut effect = (kind.make)(&Making { rate: RATE, values, impulse: Some(impulse) });
    let glide = if jumps { 1.0 } else { block_coefficient(0.03, 64, RATE) };
    let by_octaves = kind.settings[at].by_octaves();
    let mut frame = 0usize;
    let mut run = |values: &mut [f32; MOST_SETTINGS], goes: bool, blocks: usize| {
        let mut all = Vec::new();
        for _ in 0..blocks {
            if goes {
                let value = &mut values[at];
                *value = if by_octaves { *value * (to / *value).powf(glide) } else { *value + (to - *value) * glide };
            }
            let mut left: Vec<f32> = (0..64).map(|i| (AMPLITUDE * (TAU * TONE * (frame + i) as f64 / f64::from(RATE)).sin()) as f32).collect();
            let mut right = left.clone();
            frame += 64;
            effect.process(&Around { to: values, key: None, quarters_per_second: 0.0 }, &mut left, &mut right);
            all.extend(left);
        }
        all
    };
    let before = run(&mut values, false, 60);
    let during = run(&mut values, true, 80);
    values[at] = to;
    let after = run(&mut values, false, 60);
    assert!(before.iter().chain(&during).chain(&after).all(|s| s.is_finite()), "{} {}", kind.word, kind.settings[at].word);
    // Half of what came before lets the effect begin.
    let steady = up_high(&before[before.len() / 2..]).max(up_high(&after[after.len() / 2..])).max(on_the_way(kind, base, at, from, to));
    // What makes the tone louder makes its clicks louder too.
    let signal = rms(&before).max(rms(&during)).max(rms(&after)).max(AMPLITUDE / 2f64.sqrt()) / (AMPLITUDE / 2f64.sqrt());
    // Steps that crushing makes on purpose add up by chance where several fall into one window.
    let allowed = if kind.word == "crush" { 3.0 } else { 1.5 };
    let over = (up_high(&during) - allowed * steady).max(1e-9);
    20.0 * (over / signal).log10()
}

/// The steady sound at values on the way: what an effect does to samples on purpose is no click.
fn on_the_way(kind: &'static Kind, base: &[f32; MOST_SETTINGS], at: usize, from: f32, to: f32) -> f64 {
    let steps = if kind.word == "crush" { 24 } else { 0 };
    let of = |step: i32| {
        let value = from + (to - from) * step as f32 / steps as f32;
        let mut values = *base;
        values[at] = if kind.settings[at].by_octaves() { from * (to / from).powf(step as f32 / steps as f32) } else { value };
        let mut effect = (kind.make)(&Making { rate: RATE, values, impulse: None });
        let mut samples = tone(60 * 64);
        for part in samples.chunks_mut(64) {
            let mut right = part.to_vec();
            effect.process(&Around { to: &values, key: None, quarters_per_second: 0.0 }, part, &mut right);
        }
        up_high(&samples[30 * 64..])
    };
    (0..steps).map(of).fold(0.0, f64::max)
}

fn tone(frames: usize) -> Vec<f32> {
    (0..frames).map(|i| (AMPLITUDE * (TAU * TONE * i as f64 / f64::from(RATE)).sin()) as f32).collect()
}

/// A value of a setting by its share of the range.
fn value(setting: &Setting, share: f32) -> f32 {
    if setting.by_octaves() { setting.low * (setting.high / setting.low).powf(share) } else { setting.low + (setting.high - setting.low) * share }
}

#[test]
fn a_click_would_be_found() {
    // 6 dB down within a sample, at a peak and at half of it.
    for (at, least) in [(3 * 1024 + 64, -32.0), (3 * 1024 + 20, -37.0)] {
        let mut samples = tone(8192);
        samples[at..].iter_mut().for_each(|s| *s *= 0.5);
        let found = 20.0 * (up_high(&samples) / rms(&samples)).log10();
        assert!(found > least, "{found}");
    }
    let clean = 20.0 * (up_high(&tone(8192)) / rms(&tone(8192))).log10();
    assert!(clean < -90.0, "{clean}");
}

#[test]
fn no_setting_clicks_from_end_to_end() {
    let mut all = Vec::new();
    for kind in KINDS {
        for (at, setting) in kind.settings.iter().enumerate().filter(|(_, s)| !s.fixed) {
            let mut base = at_rest(kind);
            for (value, setting) in base.iter_mut().zip(kind.settings).filter(|(_, s)| !s.fixed) {
                *value = self::value(setting, 0.6);
            }
            for (from, to) in [(0.0, 1.0), (1.0, 0.0), (0.45, 0.55)] {
                let (from, to) = (value(setting, from), value(setting, to));
                for jumps in [false, true] {
                    let found = click(kind, &base, at, from, to, jumps);
                    if found >= -60.0 {
                        all.push(format!("{} {} from {from} to {to}{}: {found:.1} dBFS", kind.word, setting.word, if jumps { " at once" } else { "" }));
                    }
                }
            }
        }
    }
    assert!(all.is_empty(), "{all:#?}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(120))]

    #[test]
    fn no_setting_clicks(at in 0usize..KINDS.len(), setting in 0usize..MOST_SETTINGS, shares in prop::collection::vec(0.0f32..1.0, MOST_SETTINGS), from in 0.0f32..1.0, to in 0.0f32..1.0, jumps in any::<bool>()) {
        let kind = &KINDS[at];
        let at = setting % kind.settings.len();
        prop_assume!(!kind.settings[at].fixed);
        let mut base = at_rest(kind);
        for ((value, setting), share) in base.iter_mut().zip(kind.settings).zip(shares).filter(|((_, s), _)| !s.fixed) {
            *value = self::value(setting, share);
        }
        let (from, to) = (value(&kind.settings[at], from), value(&kind.settings[at], to));
        let found = click(kind, &base, at, from, to, jumps);
        prop_assert!(found < -60.0, "{} {} from {} to {} among {:?}: {:.1} dBFS", kind.word, kind.settings[at].word, from, to, base, found);
    }
}
