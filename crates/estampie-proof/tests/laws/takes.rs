//! Takes of recordings: loops, where they begin, and where they are heard.

use crate::sounds::{key, play, sounds};
use crate::support::Bench;
use estampie_engine::engine::{InputKind, NOW};
use proptest::prelude::*;

#[test]
fn loops_of_unequal_length_run_free_and_takes_start_when_they_should() {
    let text = "[a]\nloop = true\npick = \"together\"\ntakes = [\"audio/intro.wav\", \"audio/body.wav, after 10 ms, level -6 dB, from 0.05 s\"]\n";
    let program = sounds(text);
    let mut bench = Bench::new(&program, 1);
    play(&mut bench, NOW, "a", "");
    let (out, _) = bench.render(48_000 * 3);
    let clips: Vec<Vec<f32>> = {
        let sine = crate::support::tone(480.0, 0.25, 24_000);
        vec![sine[..9_137].to_vec(), sine[9_137..9_137 + 12_000].to_vec()]
    };
    let gain = 10f32.powf(-6.0 / 20.0);
    for at in (0..48_000 * 3).step_by(997) {
        let first = clips[0][at % 9_137];
        let second = at.checked_sub(480).map_or(0.0, |t| clips[1][(t + 2400) % 12_000] * gain);
        // Where neither loop is near its seam, which the interpolator rounds off.
        let clear = |t: usize, length: usize| (8..length - 8).contains(&(t % length));
        if clear(at, 9_137) && (at < 470 || at > 500 && clear(at - 480 + 2400, 12_000)) {
            assert!((out[at] - first - second).abs() < 2e-3, "at {at}: {} instead of {}", out[at], first + second);
        }
    }
}

#[test]
fn a_loop_that_begins_a_day_into_its_audio_begins_at_once_in_the_right_place() {
    // 80,000 s are whole rounds of one second; a quarter of a second further is a quarter of a round.
    let out = |from: &str| {
        let mut bench = Bench::new(&sounds(&format!("[a]\nloop = true\ntakes = [\"audio/one.wav, from {from}\"]\n")), 1);
        play(&mut bench, NOW, "a", "");
        bench.render(9_600).0
    };
    assert_eq!(out("80000 s"), out("0 s"));
    let (far, near) = (out("80000.25 s"), out("0.25 s"));
    assert!(far.iter().zip(&near).all(|(a, b)| (a - b).abs() < 2e-2), "to the precision of a second's fraction");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]
    /// One take that is heard from a moment on is that take from there; and where it is heard is told, also when it goes round.
    #[test]
    fn a_take_is_heard_from_a_moment_on_and_says_where_it_is(moment in 0.0f32..3.0, pitch in -12i32..12, blocks in 1usize..600) {
        let program = sounds(&format!("[a]\nloop = true\npitch = \"{pitch} st\"\ntakes = [\"audio/one.wav\", \"audio/body.wav\"]\n"));
        let mut bench = Bench::new(&program, 1);
        bench.send(NOW, InputKind::PlayTake { sound: key("a"), group: 0, take: 1, from_seconds: moment });
        bench.render(64 * blocks);
        let voice = bench.status.as_ref().unwrap().voices[0];
        prop_assert_eq!(voice.take, key("audio/body.wav"));
        // The recording has 12,000 frames.
        let speed = 2f64.powf(f64::from(pitch) / 12.0);
        let wanted = (f64::from(moment) * 48_000.0 + 64.0 * blocks as f64 * speed) % 12_000.0;
        let off = (f64::from(voice.at) - wanted).rem_euclid(12_000.0);
        prop_assert!(off.min(12_000.0 - off) < 64.0 * speed + 32.0, "at {} instead of {wanted}", voice.at);
    }
}

#[test]
fn a_moment_beyond_all_sense_is_none() {
    let program = sounds("[a]\ntakes = [\"audio/one.wav\"]\n");
    for (from_seconds, heard) in [(-5.0, true), (f32::NAN, true), (0.5, true), (2.0, false), (f32::INFINITY, false)] {
        let mut bench = Bench::new(&program, 1);
        bench.send(NOW, InputKind::PlayTake { sound: key("a"), group: 0, take: 0, from_seconds });
        let (out, _) = bench.render(9_600);
        assert_eq!(out.iter().any(|s| s.abs() > 0.1), heard, "from {from_seconds}");
        assert!(out.iter().all(|s| s.is_finite()));
    }
}
