//! Echoes: when they come, what is drawn of them, and what they have room for.

use super::*;

#[test]
fn an_echo_of_beats_is_never_cut() {
    // Four beats at 20 in a minute, and a beat moved beyond what there is room for: it comes twice as often.
    let first = |beats: f32, moved: f32, tempo: f32| {
        let mut bench = Bench::new("echo", &[("beats", beats), ("feedback", 0.0), ("low-pass", 20_000.0), ("high-pass", 20.0)]);
        bench.values[1] = moved;
        let mut out = Vec::new();
        for block in 0..(14 * 750) {
            let (mut l, mut r) = ([0.0f32; 64], [0.0f32; 64]);
            l[0] = if block == 0 { 1.0 } else { 0.0 };
            bench.effect.process(&Around { to: &bench.values, key: None, quarters_per_second: tempo }, &mut l, &mut r);
            out.extend(l);
        }
        out.iter().position(|s| s.abs() > 0.1).unwrap()
    };
    assert_eq!(first(4.0, 4.0, 1.0 / 3.0), 576_000);
    assert_eq!(first(1.0, 3.0, 1.0), 144_000);
    assert_eq!(first(0.0, 3.0, 1.0), 72_000);
    // There is room for those that are set at the slowest tempo, for twice as many at twice that, and not for all that could be.
    assert_eq!([0.75, 0.88, 1.7, 3.6].map(|beats| first(beats, beats, 1.0 / 3.0)), [108_000, 126_720, 244_800, 518_400]);
    assert_eq!(first(0.75, 1.5, 2.0 / 3.0), 108_000);
    assert_eq!(first(0.75, 1.5, 1.0 / 3.0), 108_000);
    let remembers = |beats: f32| {
        let Bench { kind, mut values, .. } = Bench::new("echo", &[]);
        values[1] = beats;
        (kind.remembers)(&Making { rate: RATE, values, impulse: None })
    };
    assert_eq!([0.0, 0.75, 0.88, 0.9, 1.8, 2.0, 3.6, 4.0].map(remembers), [0, 88, 88, 180, 180, 360, 360, 400]);
}

#[test]
fn what_is_drawn_of_an_echo_is_what_comes_back() {
    for (mode, feedback, beats) in [(0.0f32, 0.5f32, 0.0f32), (1.0, 0.7, 0.0), (0.0, 0.8, 0.5)] {
        let set = [("time", 0.2), ("beats", beats), ("feedback", feedback), ("mode", mode), ("low-pass", 20_000.0), ("high-pass", 20.0)];
        let mut bench = Bench::new("echo", &set);
        let Some(Picture::Strokes(drawn)) = bench.kind.picture else { panic!("an echo has strokes") };
        // The bench goes at two quarter notes a second.
        let strokes = drawn(&bench.values, 2.0);
        assert_eq!(strokes[0], (if beats > 0.0 { 0.25 } else { 0.2 }, 0.0));
        let mut input = vec![0.0f32; 3 * RATE as usize];
        input[..32].iter_mut().enumerate().for_each(|(i, s)| *s = (i as f32 * 0.6).sin());
        let energy = |samples: &[f32]| samples.iter().map(|s| s * s).sum::<f32>();
        let (mut left, mut right) = (input.clone(), input.clone());
        bench.run(&mut left, &mut right);
        let at = |seconds: f32| {
            let begins = (seconds * RATE as f32).round() as usize;
            10.0 * ((energy(&left[begins..begins + 64]) + energy(&right[begins..begins + 64])) / (2.0 * energy(&input))).log10()
        };
        // Across, a stroke is on one side alone: 3 dB less in both together.
        let alone = if mode > 0.5 { 3.01 } else { 0.0 };
        for (seconds, level) in strokes.iter().take(6) {
            assert!((at(*seconds) + alone - level).abs() < 0.7, "mode {mode} {seconds} s: {} dB instead of {level}", at(*seconds) + alone);
            assert!(at(seconds + 0.05) < -50.0, "nothing between");
        }
        assert!(strokes.iter().all(|(_, level)| *level >= -60.0) && strokes.len() > 3);
    }
}

#[test]
fn an_echo_comes_when_it_should_and_keeps_the_beat() {
    for (set, expected) in [(vec![("time", 0.25)], 12_000), (vec![("beats", 1.5)], 36_000)] {
        let mut input = vec![0.0f32; 48_000];
        input[100] = 1.0;
        let mut with = vec![("feedback", 0.5), ("low-pass", 20_000.0), ("high-pass", 20.0)];
        with.extend(set);
        let out = Bench::new("echo", &with).mono(&input);
        let first = out.iter().position(|s| s.abs() > 0.01).unwrap();
        assert_eq!(first, 100 + expected);
        assert!((out[first] - 1.0).abs() < 1e-6);
    }
    let mut left = vec![0.0f32; 24_000];
    left[0] = 1.0;
    let mut right = vec![0.0f32; 24_000];
    Bench::new("echo", &[("time", 0.1), ("mode", 1.0), ("low-pass", 20_000.0), ("high-pass", 20.0)]).run(&mut left, &mut right);
    assert!(left[4_800] > 0.4 && right[4_800] == 0.0 && right[9_600] > 0.2 && left[9_600].abs() < 1e-6, "from side to side");
}
