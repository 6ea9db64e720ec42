//! Every kind of instrument: in tune, as loud as the others, begun on its frame, bounded.

use super::set::{STROKES, stroke_name};
use super::*;
use crate::ground::time::BLOCK;
use proptest::prelude::*;

fn render(patch: &InstrumentSettings, pitch: f32, length: u64, frames: usize) -> Vec<f32> {
    render_at(patch, pitch, length, frames, 48_000)[0].clone()
}

fn render_at(patch: &InstrumentSettings, pitch: f32, length: u64, frames: usize, rate: u32) -> [Vec<f32>; 2] {
    let mut tone = Tone::new(rate);
    let clip = Arc::new(Clip::new("c", vec![(0..96_000).map(|i| (TAU * 440.0 * i as f32 / 48_000.0).sin()).collect()], None));
    let clip = (patch.kind == Kind::Takes).then_some((clip, 69.0));
    tone.start(patch, Stroke { pitch, velocity: 0.8, wait: 100, length, seed: 7 }, clip, rate);
    let mut out = [Vec::new(), Vec::new()];
    while out[0].len() < frames {
        let mut block = [[0.0; BLOCK]; 2];
        let [left, right] = &mut block;
        tone.render([left, right], rate);
        out.iter_mut().zip(&block).for_each(|(all, part)| all.extend(part));
    }
    out.map(|mut side| {
        side.truncate(frames);
        side
    })
}

/// The frequency between `low` and `high` at which the sum of its first partials is strongest.
fn strongest(samples: &[f32], low: f32, high: f32) -> f32 {
    let windowed: Vec<f64> = samples.iter().enumerate().map(|(i, s)| f64::from(s * (0.5 - 0.5 * (TAU * i as f32 / samples.len() as f32).cos()))).collect();
    let power = |hertz: f32| {
        let (mut re, mut im) = (0.0f64, 0.0f64);
        let angle = f64::from(TAU) * f64::from(hertz) / 48_000.0;
        let (sin, cos) = angle.sin_cos();
        // Turned from sample to sample: far cheaper than a sine for each.
        let (mut x, mut y) = (1.0f64, 0.0f64);
        for s in &windowed {
            (re, im) = (re + s * x, im + s * y);
            (x, y) = (x * cos - y * sin, x * sin + y * cos);
        }
        re * re + im * im
    };
    (0..=200).map(|i| low * (high / low).powf(i as f32 / 200.0)).max_by(|a, b| power(*a).total_cmp(&power(*b))).unwrap()
}

#[test]
fn every_kind_is_in_tune_and_about_as_loud_as_the_others() {
    // A drum set has a stroke for each pitch, and a test of its own.
    for (kind, word) in Kind::ALL.into_iter().filter(|(kind, _)| *kind != Kind::Set) {
        for pitch in [50.0, 62.0, 74.0] {
            let out = render(&InstrumentSettings { detune_cents: 0.0, ..InstrumentSettings::usual(kind) }, pitch, 48_000, 48_000);
            let loud: f32 = out[4800..24_000].iter().map(|s| s * s).sum::<f32>() / 19_200.0;
            let db = 10.0 * loud.log10();
            assert!((-34.0..-3.0).contains(&db), "{word} at {pitch}: {db} dB");
            if kind != Kind::Drum {
                let wanted = frequency(pitch);
                let found = strongest(&out[9600..40_000], wanted * 0.97, wanted * 1.03);
                let cents = 1200.0 * (found / wanted).log2();
                // The grid of the search is half a cent.
                assert!(cents.abs() < 3.0, "{word} at {pitch}: {cents} cents off");
            }
        }
    }
}

#[test]
fn a_low_string_is_in_tune_at_any_rate() {
    for rate in [44_100u32, 96_000, 192_000] {
        for pitch in [23.0, 28.0, 45.0] {
            let out = &render_at(&InstrumentSettings::usual(Kind::Plucked), pitch, u64::from(rate), rate as usize, rate)[0];
            // Its second half a second, as at 48 kHz.
            let wanted = frequency(pitch);
            let scale = rate as f32 / 48_000.0;
            let found = strongest(&out[(4_800.0 * scale) as usize..], wanted / scale * 0.85, wanted / scale * 1.15) * scale;
            let cents = 1200.0 * (found / wanted).log2();
            assert!(cents.abs() < 12.0, "{pitch} at {rate}: {cents} cents off");
        }
    }
}

#[test]
fn width_sets_notes_apart_at_the_same_power() {
    let power = |side: &[f32]| side.iter().map(|s| s * s).sum::<f32>();
    for (kind, word) in Kind::ALL.into_iter().filter(|(kind, _)| *kind != Kind::Set) {
        for pitch in [50.0, 62.0, 74.0] {
            let usual = InstrumentSettings { detune_cents: 9.0, ..InstrumentSettings::usual(kind) };
            let narrow = render_at(&usual, pitch, 24_000, 24_000, 48_000);
            assert_eq!(narrow[0], narrow[1], "{word}: without width both sides are alike");
            let [left, right] = render_at(&InstrumentSettings { width: 1.0, ..usual }, pitch, 24_000, 24_000, 48_000);
            let change = 10.0 * ((power(&left) + power(&right)) / (2.0 * power(&narrow[0]))).log10();
            assert!(change.abs() < 3.2, "{word} at {pitch}: {change} dB");
            let lean = 10.0 * (power(&right) / power(&left)).log10();
            assert!(
                if pitch < 60.0 {
                    lean < -6.0
                } else if pitch > 64.0 {
                    lean > 6.0
                } else {
                    lean.abs() < 3.0
                } || kind == Kind::Synth,
                "{word} at {pitch}: {lean} dB"
            );
        }
    }
}

#[test]
fn a_recording_in_stereo_keeps_both_its_sides() {
    let mut tone = Tone::new(48_000);
    let clip = Arc::new(Clip::new("c", vec![vec![0.25; 9_000], vec![-0.5; 9_000]], None));
    tone.start(
        &InstrumentSettings { attack_seconds: 0.0, ..InstrumentSettings::usual(Kind::Takes) },
        Stroke { pitch: 69.0, velocity: 1.0, wait: 0, length: 9_000, seed: 7 },
        Some((clip, 69.0)),
        48_000,
    );
    let mut block = [[0.0; BLOCK]; 2];
    let [left, right] = &mut block;
    tone.render([left, right], 48_000);
    assert!((block[0][60] - 0.25).abs() < 1e-6 && (block[1][60] + 0.5).abs() < 1e-6, "{block:?}");
}

#[test]
fn a_note_begins_on_its_frame_and_dies_away_when_let_go() {
    for (kind, word) in Kind::ALL {
        let patch = InstrumentSettings::usual(kind);
        let release = (patch.release_seconds * 48_000.0 * 2.5) as usize;
        let out = render(&patch, 62.0, 12_000, 12_100 + release + 4800);
        assert!(out[..100].iter().all(|s| *s == 0.0), "{word} is early");
        assert!(out[100..2500].iter().any(|s| s.abs() > 1e-3), "{word} is late");
        assert!(out[12_100 + release..].iter().all(|s| s.abs() < 2e-3), "{word} goes on");
    }
}

proptest! {
    #[test]
    fn nothing_that_can_be_set_makes_it_blow_up(
        kind in prop::sample::select(Kind::ALL.to_vec()), wave in prop::sample::select(Wave::ALL.to_vec()), pitch in 0.0f32..127.0, bright in 0.0f32..=1.0,
        attack in 0.0f32..2.0, decay in 0.0f32..5.0, sustain in 0.0f32..=1.0, release in 0.0f32..2.0, detune in 0.0f32..100.0
    ) {
        let patch = InstrumentSettings { kind: kind.0, attack_seconds: attack, decay_seconds: decay, sustain, release_seconds: release, brightness: bright, detune_cents: detune, wave: wave.0, width: detune / 100.0, pan: 0.0, gain: 1.0 };
        let out = render(&patch, pitch, 9_000, 24_000);
        prop_assert!(out.iter().all(|s| s.is_finite() && s.abs() < 8.0), "{:?}", out.iter().fold(0.0f32, |p, s| p.max(s.abs())));
    }
}

#[test]
fn the_new_kinds_are_in_tune_from_octave_to_octave() {
    for (kind, low, high) in [(Kind::Organ, 36, 96), (Kind::Bar, 36, 96), (Kind::Voices, 36, 84), (Kind::Bass, 24, 60)] {
        for pitch in (low..=high).step_by(12) {
            let out = render(&InstrumentSettings { detune_cents: 0.0, ..InstrumentSettings::usual(kind) }, pitch as f32, 48_000, 48_000);
            let wanted = frequency(pitch as f32);
            let found = strongest(&out[2_400..43_200], wanted * 0.985, wanted * 1.015);
            let cents = 1200.0 * (found / wanted).log2();
            assert!(cents.abs() <= 3.0, "{kind:?} at {pitch}: {cents} cents");
        }
    }
}

/// The strength of a band, in dB.
fn band(samples: &[f32], low: f32, high: f32) -> f32 {
    let (mut filter, mut top) = (Variable::default(), Variable::default());
    let g = |hertz: f32| (PI * hertz / 48_000.0).tan();
    let sum: f32 = samples
        .iter()
        .map(|s| {
            let (below, middle) = filter.next(*s, g(low), 1.4);
            let above = s - below - 1.4 * middle;
            let (kept, _) = top.next(above, g(high), 1.4);
            kept * kept
        })
        .sum();
    10.0 * (sum / samples.len() as f32).max(1e-12).log10()
}

#[test]
fn the_twelve_strokes_of_a_set_are_what_they_are_called() {
    let stroke = |pitch: u8| render(&InstrumentSettings::usual(Kind::Set), f32::from(pitch), 4_800, 48_000);
    let named = |name: &str| stroke(*STROKES.iter().find(|p| stroke_name(**p) == Some(name)).unwrap());
    assert!(STROKES.windows(2).all(|w| w[0] < w[1]));
    // Skins lie low, in their order; metal lies high.
    let mut before = 0.0;
    for (name, to) in [("kick", 48.0), ("low tom", 82.0), ("mid tom", 122.0), ("high tom", 178.0)] {
        let out = named(name);
        let found = strongest(&out[7_200..16_800], to * 0.8, to * 1.3);
        assert!((found / to - 1.0).abs() < 0.06 && found > before, "{name}: {found} Hz");
        before = found;
        assert!(band(&out, 30.0, 400.0) > band(&out, 4_000.0, 16_000.0) + 10.0, "{name}");
    }
    for name in ["closed hat", "open hat", "crash", "ride"] {
        let out = named(name);
        assert!(band(&out, 4_000.0, 18_000.0) > band(&out, 30.0, 1_000.0) + if name == "crash" { 8.0 } else { 15.0 }, "{name}");
    }
    // A closed hat is gone when an open one still sounds; a crash lasts longest.
    let late = |name: &str| band(&named(name)[9_600..14_400], 30.0, 18_000.0);
    assert!(late("open hat") > late("closed hat") + 30.0 && late("crash") > late("open hat"));
    // A clap comes in bursts: within its first 40 ms it rises more than once.
    let clap = named("clap");
    let steps: Vec<f32> = clap[100..2_020].chunks(96).map(|c| c.iter().map(|s| s * s).sum::<f32>()).collect();
    let rises = steps.windows(2).filter(|w| w[1] > w[0] * 2.0).count();
    assert!((2..=4).contains(&rises), "{rises}: {steps:?}");
    for pitch in STROKES {
        let peak = 20.0 * stroke(pitch).iter().fold(0.0f32, |p, s| p.max(s.abs())).log10();
        assert!((-16.0..0.0).contains(&peak), "{pitch}: {peak} dB");
    }
    // What has no stroke of its own is the nearest one.
    assert_eq!(stroke(35), stroke(36));
}
