//! A host that plays another rate than the bundle's hears the same, on time.
#![allow(clippy::unwrap_used, missing_docs)]

use assert_no_alloc::{AllocDisabler, assert_no_alloc};
use estampie_bundle::{Info, write};
use estampie_engine::clip::Clip;
use estampie_project::assets::Assets;
use estampie_project::compile;
use estampie_project::document::{Document, Sources};
use estampie_runtime::{Control, LoadError, NOW, Options, Player, load_bytes};
use std::f64::consts::TAU;
use std::sync::Arc;

#[global_allocator]
static ALLOCATOR: AllocDisabler = AllocDisabler;

const RATE: f64 = 48_000.0;

/// A bundle of a tone of 1 kHz without end, and of a short pulse around its sample 480.
fn bundle() -> Vec<u8> {
    let sources = Sources::from_texts([
        ("estampie.toml", "format = 1\nrate = 48000\nceiling = \"0 dB\""),
        ("sounds/a.toml", "[tone]\nloop = true\ntakes = [\"audio/tone.wav\"]\n\n[pulse]\ntakes = [\"audio/pulse.wav\"]\n"),
        ("game.toml", "[events]\ntone = \"it begins\"\npulse = \"a pulse\"\n"),
        ("reactions.est", "When tone\n  play tone\n\nWhen pulse\n  play pulse\n"),
    ]);
    let tone: Vec<f32> = (0..48_000).map(|i| (0.5 * (TAU * 1000.0 * f64::from(i) / RATE).sin()) as f32).collect();
    let pulse: Vec<f32> = (0..960).map(|i| (0.5 * (-((f64::from(i) - 480.0) / 12.0).powi(2)).exp()) as f32).collect();
    let clips = [("audio/tone.wav", tone), ("audio/pulse.wav", pulse)];
    let (document, faults) = Document::read(&sources, &clips.iter().map(|(name, _)| (*name).to_owned()).collect());
    assert_eq!(faults, vec![]);
    let mut assets = Assets::default();
    for (name, samples) in clips {
        assets.insert(name, Ok(Arc::new(Clip::new(name, vec![samples], None))));
    }
    let (program, faults) = compile::compile(&document, &assets);
    assert_eq!(faults, vec![]);
    let mut out = std::io::Cursor::new(Vec::new());
    write(&program, &Info { project: "Slipway".into(), sources: "0".into(), names: Vec::new(), parts: Vec::new(), storing: Default::default() }, &mut out)
        .unwrap();
    out.into_inner()
}

fn at(rate: u32, channels: u32) -> (Player, Control) {
    load_bytes(bundle(), &Options { rate, channels, ..Options::default() }).unwrap()
}

/// The left channel of so many frames, in parts of any size.
fn left(player: &mut Player, frames: usize, part: usize) -> Vec<f32> {
    let mut out = vec![0.0; 2 * frames];
    for part in out.chunks_mut(2 * part) {
        assert_no_alloc(|| player.render(part));
    }
    out.into_iter().step_by(2).collect()
}

#[test]
fn a_tone_is_the_same_tone_without_images_and_as_loud() {
    for rate in [44_100u32, 96_000, 32_000, 48_000, 22_050, 192_000] {
        let (mut player, mut control) = at(rate, 2);
        assert_eq!(control.rate(), rate);
        let tone = control.key("tone");
        control.event(NOW, tone, None).unwrap();
        let all = left(&mut player, rate as usize, 333);
        assert_eq!(player.frame(), u64::from(rate));
        let steady = &all[rate as usize / 2..];
        // What is no tone of 1 kHz, found by taking that away.
        let (mut sine, mut cosine) = (0.0, 0.0);
        let angle = |i: usize| TAU * 1000.0 * i as f64 / f64::from(rate);
        for (i, s) in steady.iter().enumerate() {
            sine += f64::from(*s) * angle(i).sin() * 2.0 / steady.len() as f64;
            cosine += f64::from(*s) * angle(i).cos() * 2.0 / steady.len() as f64;
        }
        let rest: f64 = steady.iter().enumerate().map(|(i, s)| (f64::from(*s) - sine * angle(i).sin() - cosine * angle(i).cos()).powi(2)).sum();
        let (level, rest) = (20.0 * sine.hypot(cosine).log10(), 10.0 * (rest / steady.len() as f64).log10());
        assert!((level - 20.0 * 0.5f64.log10()).abs() < 0.02, "{rate}: {level} dB");
        assert!(rest < -95.0, "{rate}: {rest} dB beside the tone");
    }
}

#[test]
fn what_is_said_for_a_frame_is_heard_on_it() {
    for rate in [44_100u32, 96_000, 22_050, 48_000] {
        let (mut player, mut control) = at(rate, 2);
        let pulse = control.key("pulse");
        let frame = u64::from(rate) / 2 + 77;
        control.event(frame, pulse, None).unwrap();
        let all = left(&mut player, rate as usize, 64);
        let weight: f64 = all.iter().map(|s| f64::from(*s)).sum();
        let middle = all.iter().enumerate().map(|(i, s)| i as f64 * f64::from(*s)).sum::<f64>() / weight;
        let wanted = frame as f64 + 480.0 / RATE * f64::from(rate);
        // To a frame of the engine, which is at most two of the host here, and the kernel's half frame.
        let apart = (middle - wanted).abs() / f64::from(rate) * RATE;
        assert!(apart <= 1.5, "{rate}: {middle} instead of {wanted}, {apart} frames of the engine");
    }
}

#[test]
fn the_samples_are_the_same_however_the_calls_are_cut_and_one_channel_is_both() {
    let (mut whole, mut control) = at(44_100, 2);
    let tone = control.key("tone");
    control.event(NOW, tone, None).unwrap();
    let once = left(&mut whole, 10_000, 10_000);
    for part in [1, 63, 64, 65, 441] {
        let (mut player, mut control) = at(44_100, 2);
        control.event(NOW, tone, None).unwrap();
        assert_eq!(left(&mut player, 10_000, part), once, "in parts of {part}");
    }
    let (mut mono, mut control) = at(44_100, 1);
    control.event(NOW, tone, None).unwrap();
    let mut one = vec![0.0; 10_000];
    one.chunks_mut(777).for_each(|part| mono.render(part));
    // The tone is in the middle: both sides are it.
    assert!(one.iter().zip(&once).all(|(a, b)| (a - b).abs() < 1e-6));
}

#[test]
fn rates_beyond_reason_are_refused() {
    for rate in [1, 7_999, 384_001, u32::MAX] {
        let error = load_bytes(bundle(), &Options { rate, ..Options::default() }).err().unwrap();
        assert!(matches!(error, LoadError::Rate(r) if r == rate) && error.to_string().contains("8000 to 384000"), "{error}");
    }
}
