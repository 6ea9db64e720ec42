//! Each effect against what it is said to do: analytic responses, time constants, published methods.

#![allow(clippy::unwrap_used)]

mod echoes;

use super::*;
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};

const RATE: u32 = 48_000;

/// Runs blocks of two channels through an effect whose settings are told by name; others are at rest.
struct Bench {
    kind: &'static Kind,
    effect: Box<dyn Effect>,
    values: [f32; MOST_SETTINGS],
}

impl Bench {
    fn new(word: &str, set: &[(&str, f32)]) -> Bench {
        Bench::with(word, set, None)
    }

    fn with(word: &str, set: &[(&str, f32)], impulse: Option<Arc<Impulse>>) -> Bench {
        let kind = kind(word).unwrap();
        let mut values = at_rest(kind);
        for (name, value) in set {
            values[kind.settings.iter().position(|s| s.word == *name).unwrap()] = *value;
        }
        Bench { kind, effect: (kind.make)(&Making { rate: RATE, values, impulse }), values }
    }

    fn run(&mut self, left: &mut [f32], right: &mut [f32]) {
        self.run_with(None, left, right);
    }

    fn run_with(&mut self, key: Option<&[f32]>, left: &mut [f32], right: &mut [f32]) {
        for (i, (l, r)) in left.chunks_mut(64).zip(right.chunks_mut(64)).enumerate() {
            let n = l.len();
            let key = key.map(|k| [&k[i * 64..i * 64 + n]; 2]);
            self.effect.process(&Around { to: &self.values, key, quarters_per_second: 2.0 }, l, r);
        }
    }

    /// The same in both channels; gives the left.
    fn mono(&mut self, samples: &[f32]) -> Vec<f32> {
        let (mut left, mut right) = (samples.to_vec(), samples.to_vec());
        self.run(&mut left, &mut right);
        left
    }

    fn late(&self) -> usize {
        (self.kind.latency)(&Making { rate: RATE, values: self.values, impulse: None })
    }
}

fn tone(frequency: f64, amplitude: f32, frames: usize) -> Vec<f32> {
    (0..frames).map(|i| amplitude * (TAU * frequency * i as f64 / f64::from(RATE)).sin() as f32).collect()
}

fn noise(seed: u64, frames: usize) -> Vec<f32> {
    let mut state = seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) | 1;
    (0..frames)
        .map(|_| {
            state ^= state << 13;
            state ^= state >> 7;
            state ^= state << 17;
            (state >> 40) as f32 / (1u64 << 23) as f32 - 1.0
        })
        .collect()
}

/// The amplitude of a frequency in samples, with a Hann window.
fn amplitude(samples: &[f32], frequency: f64) -> f64 {
    let (mut s, mut c, mut w) = (0.0, 0.0, 0.0);
    for (i, sample) in samples.iter().enumerate() {
        let hann = 0.5 - 0.5 * (TAU * i as f64 / samples.len() as f64).cos();
        let phase = TAU * frequency * i as f64 / f64::from(RATE);
        s += hann * f64::from(*sample) * phase.sin();
        c += hann * f64::from(*sample) * phase.cos();
        w += hann;
    }
    2.0 * (s * s + c * c).sqrt() / w
}

fn db(ratio: f64) -> f64 {
    20.0 * ratio.max(1e-12).log10()
}

/// The level that an effect gives a tone, in dB.
fn gain_at(word: &str, set: &[(&str, f32)], frequency: f64) -> f64 {
    let out = Bench::new(word, set).mono(&tone(frequency, 0.25, 72_000));
    db(amplitude(&out[24_000..], frequency) / 0.25)
}

fn power(samples: &[f32]) -> f64 {
    samples.iter().map(|s| f64::from(*s).powi(2)).sum::<f64>() / samples.len().max(1) as f64
}

/// The greatest amplitude as ITU-R BS.1770-5, annex 2, finds it: four times the rate by its table of twelve taps for each phase.
fn peak_by_the_standard(samples: &[f32]) -> f64 {
    const FIRST: [f64; 12] = [
        0.001_708_984_375,
        0.010_986_328_125,
        -0.019_653_320_312_5,
        0.033_203_125,
        -0.059_448_242_187_5,
        0.137_329_101_562_5,
        0.972_167_968_75,
        -0.102_294_921_875,
        0.047_607_421_875,
        -0.026_611_328_125,
        0.014_892_578_125,
        -0.008_300_781_25,
    ];
    const SECOND: [f64; 12] = [
        -0.029_174_804_687_5,
        0.029_296_875,
        -0.051_757_812_5,
        0.089_111_328_125,
        -0.166_503_906_25,
        0.465_087_890_625,
        0.779_785_156_25,
        -0.200_317_382_812_5,
        0.101_562_5,
        -0.058_227_539_062_5,
        0.033_081_054_687_5,
        -0.018_920_898_437_5,
    ];
    let dot = |taps: &mut dyn Iterator<Item = &f64>, seen: &[f32]| taps.zip(seen).map(|(tap, sample)| tap * f64::from(*sample)).sum::<f64>().abs();
    let phases =
        |seen: &[f32]| [dot(&mut FIRST.iter(), seen), dot(&mut FIRST.iter().rev(), seen), dot(&mut SECOND.iter(), seen), dot(&mut SECOND.iter().rev(), seen)];
    samples.windows(12).flat_map(phases).fold(0.0, f64::max)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]
    #[test]
    fn slopes_are_those_of_butterworth(choice in 0usize..8, cutoff in 60.0f64..15_000.0, octaves in -3.0f64..3.0, high in any::<bool>()) {
        let order = [2, 1, 3, 4, 5, 6, 7, 8][choice];
        let frequency = (cutoff * octaves.exp2()).clamp(30.0, 21_000.0);
        let ratio = (PI * frequency / f64::from(RATE)).tan() / (PI * cutoff / f64::from(RATE)).tan();
        let ratio = if high { 1.0 / ratio } else { ratio };
        let expected = -10.0 * (1.0 + ratio.powi(2 * order)).log10();
        prop_assume!(expected > -70.0);
        let word = if high { "high-pass" } else { "low-pass" };
        let set = [("cutoff", cutoff as f32), ("slope", choice as f32)];
        let measured = gain_at(word, &set, frequency);
        prop_assert!((measured - expected).abs() < 0.05, "{word} of order {order} at {cutoff:.0}: {measured:.3} for {expected:.3} at {frequency:.0}");
        let bench = Bench::new(word, &set);
        let drawn = f64::from(response(word, &bench.values, frequency as f32, RATE).unwrap());
        prop_assert!((drawn - expected).abs() < 0.05, "drawn {drawn:.3} for {expected:.3}");
    }

    /// The bands against the analogue prototypes, written out here once more with complex numbers.
    #[test]
    fn the_equaliser_is_the_sum_of_its_bands(
        levels in prop::collection::vec(-18.0f64..18.0, 6), places in prop::collection::vec(0.0f64..1.0, 6),
        qs in prop::collection::vec(0.3f64..6.0, 4), frequency in 40.0f64..20_000.0,
    ) {
        use estampie_generics::num_complex::Complex64 as C;
        let at: Vec<f64> = places.iter().map(|p| 40.0 * (400.0f64).powf(*p)).collect();
        let t = |f: f64| (PI * f / f64::from(RATE)).tan();
        let mut expected = 0.0;
        for band in 0..6 {
            let a = 10f64.powf(levels[band] / 40.0);
            let s = C::new(0.0, t(frequency) / t(at[band]));
            let h = match band {
                0 => (s * s + s * (2.0 * a).sqrt() + a) / (s * s * a + s * (2.0 * a).sqrt() + 1.0) * a,
                5 => (s * s * a + s * (2.0 * a).sqrt() + 1.0) / (s * s + s * (2.0 * a).sqrt() + a) * a,
                n => (s * s + s * (a / qs[n - 1]) + 1.0) / (s * s + s / (a * qs[n - 1]) + 1.0),
            };
            expected += db(h.norm());
        }
        let v = |x: f64| x as f32;
        let set = [
            ("low-freq", v(at[0])), ("low-gain", v(levels[0])), ("band-1-freq", v(at[1])), ("band-1-gain", v(levels[1])), ("band-1-q", v(qs[0])),
            ("band-2-freq", v(at[2])), ("band-2-gain", v(levels[2])), ("band-2-q", v(qs[1])), ("band-3-freq", v(at[3])), ("band-3-gain", v(levels[3])), ("band-3-q", v(qs[2])),
            ("band-4-freq", v(at[4])), ("band-4-gain", v(levels[4])), ("band-4-q", v(qs[3])), ("high-freq", v(at[5])), ("high-gain", v(levels[5])),
        ];
        let measured = gain_at("eq", &set, frequency);
        prop_assert!((measured - expected).abs() < 0.05, "{measured:.3} for {expected:.3} at {frequency:.0}");
        let drawn = f64::from(response("eq", &Bench::new("eq", &set).values, frequency as f32, RATE).unwrap());
        prop_assert!((drawn - expected).abs() < 0.05, "drawn {drawn:.3} for {expected:.3}");
    }

    #[test]
    fn the_compressor_keeps_to_its_static_curve(level in -60.0f32..0.0, threshold in -50.0f32..-6.0, ratio in 1.0f32..20.0, knee in 0.0f32..18.0) {
        // A square wave has one level for peak and RMS alike.
        let amplitude = gain_of(level);
        let square: Vec<f32> = (0..48_000).map(|i| if i % 96 < 48 { amplitude } else { -amplitude }).collect();
        let over = level - threshold;
        let expected = if 2.0 * over < -knee { level }
            else if 2.0 * over > knee { threshold + over / ratio }
            else { level + (1.0 / ratio - 1.0) * (over + knee / 2.0).powi(2) / (2.0 * knee) };
        for detect in [0.0, 1.0] {
            let out = Bench::new("compressor", &[("threshold", threshold), ("ratio", ratio), ("knee", knee), ("detect", detect)]).mono(&square);
            let got = db_of(out[47_999].abs());
            prop_assert!((got - expected).abs() < 0.1, "{got:.2} for {expected:.2} dB");
        }
    }

    #[test]
    fn the_expander_keeps_to_its_static_curve(level in -70.0f32..0.0, threshold in -50.0f32..-6.0, ratio in 1.0f32..8.0, range in -60.0f32..-3.0) {
        let amplitude = gain_of(level);
        let square: Vec<f32> = (0..96_000).map(|i| if i % 96 < 48 { amplitude } else { -amplitude }).collect();
        let set = [("threshold", threshold), ("ratio", ratio), ("knee", 0.0), ("range", range), ("hold", 0.0), ("release", 0.05)];
        let out = Bench::new("expander", &set).mono(&square);
        let over = level - threshold;
        let expected = level + if over >= 0.0 { 0.0 } else { (over * (ratio - 1.0)).max(range) };
        let got = db_of(out[95_999].abs());
        prop_assert!((got - expected).abs() < 0.1, "{got:.2} for {expected:.2} dB");
    }

    #[test]
    fn no_true_peak_passes_the_limiter(seed in 0u64..1000, ceiling in -12.0f32..0.0, shape in 0u8..8, ahead in 0.002f32..0.010, loud in 1.0f32..60.0, release in 0.005f32..0.5) {
        let n = 24_000;
        let raw = noise(seed, n);
        let input: Vec<f32> = match shape {
            // Noise of full scale and beyond; bursts; random signs; a tone near half the rate whose peaks lie between samples; clicks.
            0 => raw.iter().map(|s| s * 3.0).collect(),
            1 => raw.iter().enumerate().map(|(i, s)| if (i / 700) % 3 == 0 { s * 4.0 } else { s * 0.1 }).collect(),
            2 => raw.iter().map(|s| s.signum()).collect(),
            5 => raw.iter().map(|s| s * loud).collect(),
            6 => raw.iter().enumerate().map(|(i, s)| s * if (i / 37) % 5 == 0 { loud } else { 0.3 }).collect(),
            7 => raw.iter().zip(noise(seed + 1, n)).map(|(s, t)| s.signum() * (t * 9.0).exp2().min(loud)).collect(),
            3 => (0..n).map(|i| 1.4 * (TAU * 11_999.0 * i as f64 / f64::from(RATE) + PI / 4.0).sin() as f32).collect(),
            _ => raw.iter().enumerate().map(|(i, s)| if i % 397 == 0 { s.signum() * 2.0 } else { 0.0 }).collect(),
        };
        let mut bench = Bench::new("limiter", &[("ceiling", ceiling), ("look-ahead", ahead), ("release", release)]);
        let mut right: Vec<f32> = input.iter().rev().copied().collect();
        let mut left = input;
        bench.run(&mut left, &mut right);
        let mut meter = ebur128::EbuR128::new(2, RATE, ebur128::Mode::TRUE_PEAK).unwrap();
        meter.add_frames_planar_f32(&[&left, &right]).unwrap();
        for channel in 0..2 {
            let peak = db(meter.true_peak(channel).unwrap());
            prop_assert!(peak <= f64::from(ceiling) + 1e-3, "{peak:.3} dBTP over {ceiling:.3}, shape {shape}");
        }
        for samples in [&left, &right] {
            let peak = db(peak_by_the_standard(samples));
            prop_assert!(peak <= f64::from(ceiling) + 1e-3, "{peak:.3} dBTP over {ceiling:.3} by the standard's own kernel, shape {shape}");
        }
    }

    /// Any setting, moved anywhere in each block: finite, bounded, and no step that the sound itself does not have.
    #[test]
    fn no_setting_clicks_or_breaks(at in 0usize..KINDS.len(), moves in prop::collection::vec((0usize..MOST_SETTINGS, 0.0f32..1.0), 1..24)) {
        let kind = &KINDS[at];
        let mut bench = Bench::with(kind.word, &[], Some(Arc::new(Impulse::new(&noise(3, 2000), &noise(4, 2000), RATE))));
        let (mut left, mut right) = (tone(220.0, 0.25, 64 * 40 * moves.len()), tone(331.0, 0.25, 64 * 40 * moves.len()));
        let mut targets = bench.values;
        let mut values = bench.values;
        for (i, (l, r)) in left.chunks_mut(64).zip(right.chunks_mut(64)).enumerate() {
            if i % 40 == 0 {
                let (setting, share) = moves[i / 40];
                if let Some(setting) = kind.settings.get(setting).filter(|s| !s.fixed) {
                    let place = kind.settings.iter().position(|s| s.word == setting.word).unwrap();
                    targets[place] = if setting.by_octaves() { setting.low * (setting.high / setting.low).powf(share) } else { setting.low + (setting.high - setting.low) * share };
                }
            }
            for (value, to) in values.iter_mut().zip(targets) {
                *value += (to - *value) * 0.1;
            }
            bench.effect.process(&Around { to: &values, key: None, quarters_per_second: 0.0 }, l, r);
            prop_assert!(l.iter().chain(r.iter()).all(|s| s.is_finite() && s.abs() < 400.0), "{} {:?}", kind.word, values);
        }
    }
}

#[test]
fn attack_and_release_take_their_time() {
    for (attack, release) in [(0.005f32, 0.08f32), (0.02, 0.2), (0.1, 0.4)] {
        // From silence of the gain computer to 20 dB over and back; the gain is read off a square wave.
        let level = |i: usize| if (48_000..144_000).contains(&i) { 1.0f32 } else { 0.001 };
        let input: Vec<f32> = (0..288_000).map(|i| if i % 2 == 0 { level(i) } else { -level(i) }).collect();
        let set = [("threshold", -20.0), ("ratio", 100.0), ("knee", 0.0), ("attack", attack), ("release", release)];
        let out = Bench::new("compressor", &set).mono(&input);
        let change: Vec<f32> = out.iter().zip(&input).map(|(o, i)| db_of((o / i).abs())).collect();
        let full = change[143_000];
        let reached = |from: usize, share: f32| change[from..].iter().position(|c| if share < 0.5 { c / full < share } else { c / full > share }).unwrap();
        let rise = reached(48_000, 0.632) as f32 / RATE as f32;
        assert!((rise / attack - 1.0).abs() < 0.05, "attack {rise} for {attack}");
        // After the end the slow follower leads; with an attack much shorter it alone is seen.
        if attack * 10.0 < release {
            let fall = reached(144_000, 0.368) as f32 / RATE as f32 - attack;
            assert!((fall / release - 1.0).abs() < 0.05, "release {fall} for {release}");
        }
    }
}

#[test]
fn a_key_turns_down_another() {
    let mut bench = Bench::new("compressor", &[("threshold", -40.0), ("ratio", 4.0), ("knee", 0.0), ("attack", 0.001)]);
    let key = vec![0.1f32; 9_600];
    let (mut left, mut right) = (tone(300.0, 0.001, 9_600), tone(300.0, 0.001, 9_600));
    bench.run_with(Some(&key), &mut left, &mut right);
    // −20 dB is 20 over: 15 dB down.
    assert!((db(amplitude(&left[4_800..], 300.0) / 0.001) + 15.0).abs() < 0.1);
    assert!((bench.effect.reduction().unwrap() + 15.0).abs() < 0.1);
}

#[test]
fn saturation_does_not_fold_back() {
    for (frequency, drive) in [(997.0, 24.0f32), (3_001.0, 18.0), (5_003.0, 24.0)] {
        let out = Bench::new("saturation", &[("drive", drive), ("bias", 0.5)]).mono(&tone(frequency, 0.9, 96_000));
        let out = &out[48_000..];
        let whole = db(amplitude(out, frequency));
        // Everything between the harmonics below half the rate is what folded back (the window's own skirts are far down there).
        let mut worst = f64::NEG_INFINITY;
        for k in 1..400 {
            let f = 59.0 * f64::from(k) + 13.0;
            let near = (f / frequency - (f / frequency).round()).abs() * frequency;
            if near > 40.0 && f < 20_000.0 {
                worst = worst.max(db(amplitude(out, f)) - whole);
            }
        }
        // And where harmonics above half the rate would fold to.
        for h in 2..60 {
            let folded = (f64::from(h) * frequency).rem_euclid(48_000.0);
            let folded = folded.min(48_000.0 - folded);
            if f64::from(h) * frequency > 24_000.0 && (20.0..20_000.0).contains(&folded) {
                worst = worst.max(db(amplitude(out, folded)) - whole);
            }
        }
        assert!(worst < -70.0, "{frequency} Hz with {drive} dB: {worst:.1} dB");
    }
}

#[test]
fn soft_sounds_pass_saturation_as_they_are_only_later() {
    let mut bench = Bench::new("saturation", &[("drive", 6.0)]);
    let input = tone(440.0, 0.001, 9_600);
    let out = bench.mono(&input);
    let late = bench.late();
    let error = power(&out[4_800..].iter().zip(&input[4_800 - late..]).map(|(o, i)| o - i).collect::<Vec<_>>());
    assert!(10.0 * (error / power(&input)).log10() < -60.0, "{error}");
}

#[test]
fn a_shifted_tone_has_the_pitch_it_should() {
    for semitones in [-12.0f32, -7.0, -3.3, -0.5, 0.5, 4.0, 7.0, 12.0] {
        for frequency in [110.0, 440.0, 1_318.5] {
            let out = Bench::new("pitch-shift", &[("pitch", semitones)]).mono(&tone(frequency, 0.5, 240_000));
            let expected = frequency * (f64::from(semitones) / 12.0).exp2();
            // The phase of the expected frequency must stand still: its drift over seconds is the error of the pitch.
            let phase = |from: usize| {
                let (mut s, mut c) = (0.0, 0.0);
                for (i, sample) in out[from..from + 24_000].iter().enumerate() {
                    let hann = 0.5 - 0.5 * (TAU * i as f64 / 24_000.0).cos();
                    let p = TAU * expected * (from + i) as f64 / f64::from(RATE);
                    s += hann * f64::from(*sample) * p.sin();
                    c += hann * f64::from(*sample) * p.cos();
                }
                s.atan2(c)
            };
            let mut drift = 0.0f64;
            let mut last = phase(48_000);
            for step in 1..=6 {
                let now = phase(48_000 + step * 24_000);
                drift += (now - last + PI).rem_euclid(TAU) - PI;
                last = now;
            }
            let found = expected + drift / TAU / (6.0 * 0.5);
            let cents = 1200.0 * (found / expected).log2();
            assert!(cents.abs() < 2.0, "{frequency} Hz by {semitones}: {cents:.2} cents");
        }
    }
}

#[test]
fn a_shifted_tone_is_clean() {
    // What is left when the wanted tone is taken out, from splice to splice.
    for semitones in [-12.0f32, -7.0, -3.0, 3.0, 7.0, 12.0] {
        for frequency in [220.0, 1_000.0, 3_000.0] {
            let out = Bench::new("pitch-shift", &[("pitch", semitones)]).mono(&tone(frequency, 0.5, 96_000));
            let expected = frequency * (f64::from(semitones) / 12.0).exp2();
            let out = &out[24_000..72_000];
            let (mut s, mut c) = (0.0, 0.0);
            let angle = |i: usize| TAU * expected * i as f64 / f64::from(RATE);
            for (i, sample) in out.iter().enumerate() {
                s += f64::from(*sample) * angle(i).sin() / 24_000.0;
                c += f64::from(*sample) * angle(i).cos() / 24_000.0;
            }
            let rest: f64 = out.iter().enumerate().map(|(i, x)| (f64::from(*x) - s * angle(i).sin() - c * angle(i).cos()).powi(2)).sum::<f64>() / 48_000.0;
            let clean = 10.0 * ((s * s + c * c) / 2.0 / rest).log10();
            assert!(clean > 45.0, "{frequency} Hz by {semitones}: {clean:.1} dB of tone to rest");
        }
    }
}

#[test]
fn what_is_shifted_up_does_not_fold_back() {
    for frequency in [13_000.0, 15_000.0, 17_500.0] {
        let out = Bench::new("pitch-shift", &[("pitch", 12.0)]).mono(&tone(frequency, 1.0, 48_000));
        let folded = (2.0 * frequency - 48_000.0f64).abs();
        assert!(folded > 15_000.0 || db(amplitude(&out[24_000..], folded)) < -60.0, "{frequency}: {:.1}", db(amplitude(&out[24_000..], folded)));
    }
}

#[test]
fn an_expander_holds_from_where_the_sound_fell_under_the_threshold() {
    for (detect, slack) in [(0.0, 0.003), (1.0, 0.06)] {
        for hold in [0.1f32, 0.5] {
            let set = [
                ("threshold", -30.0),
                ("ratio", 20.0),
                ("knee", 0.0),
                ("range", -60.0),
                ("attack", 0.001),
                ("release", 0.005),
                ("hold", hold),
                ("detect", detect),
            ];
            // Open for a second, which is longer than it holds; then far below.
            let input: Vec<f32> = (0..144_000).map(|i| if i % 2 == 0 { 1.0 } else { -1.0 } * if i < 48_000 { 0.5 } else { 0.001 }).collect();
            let out = Bench::new("expander", &set).mono(&input);
            let closed = (48_000..144_000).find(|i| (out[*i] / input[*i]).abs() < 0.5).unwrap();
            let held = (closed - 48_000) as f32 / RATE as f32;
            assert!(held > hold && held < hold + slack + 0.006, "{held} s for {hold} s, detect {detect}");
        }
    }
}

#[test]
fn a_room_is_no_copy_of_itself() {
    for (name, _, values) in kind("reverb").unwrap().presets {
        for side in 0..2 {
            let mut bench = Bench::new("reverb", &[]);
            bench.values[..10].copy_from_slice(values);
            // The tail of a long and even room: nothing but the lines.
            for (at, value) in [(0, 8.0), (1, 8.0), (2, 8.0), (8, -60.0)] {
                bench.values[at] = value;
            }
            let mut channels = [vec![0.0f32; 96_000], vec![0.0f32; 96_000]];
            channels[side][0] = 1.0;
            let [left, right] = &mut channels;
            bench.run(left, right);
            let tail = [&channels[0][24_000..], &channels[1][24_000..]];
            let n = 65_536;
            let (forward, back) = (estampie_generics::forward_64(2 * n), estampie_generics::inverse_64(2 * n));
            let spectrum = |samples: &[f32]| {
                let mut time: Vec<f64> = samples[..n].iter().map(|s| f64::from(*s)).chain(std::iter::repeat_n(0.0, n)).collect();
                let mut out = forward.make_output_vec();
                forward.process(&mut time, &mut out).unwrap();
                out
            };
            let (a, b) = (spectrum(tail[0]), spectrum(tail[1]));
            for (what, x, y, from) in [("left with itself", &a, &a, 64), ("right with itself", &b, &b, 64), ("left with right", &a, &b, 0)] {
                let mut product: Vec<_> = x.iter().zip(y).map(|(x, y)| x * y.conj()).collect();
                let mut time = back.make_output_vec();
                back.process(&mut product, &mut time).unwrap();
                let energy = |x: &[_]| x.iter().map(|c: &estampie_generics::num_complex::Complex64| c.norm_sqr()).sum::<f64>();
                // The mean over the inner bins, twice, for both halves of the spectrum.
                let scale = 2.0 * (energy(x) * energy(y)).sqrt();
                let (at, worst) =
                    time[from..9_600].iter().enumerate().map(|(i, t)| (i + from, t / scale)).max_by(|a, b| a.1.abs().total_cmp(&b.1.abs())).unwrap();
                assert!(worst.abs() < 0.08, "{name}: {what} {worst:.3} at {:.1} ms", at as f64 / 48.0);
            }
        }
    }
}

#[test]
fn an_effect_says_how_long_it_can_be_silent() {
    let gap = |word: &str, set: &[(&str, f32)]| {
        let mut bench = Bench::with(word, set, Some(Arc::new(Impulse::new(&[0.0, 1.0], &[1.0; 240_000], RATE))));
        bench.mono(&[1.0; 640]);
        bench.effect.longest_gap()
    };
    assert!((gap("echo", &[("time", 1.5)]) - 1.5).abs() < 0.01 && gap("echo", &[("beats", 4.0)]) > 1.9);
    assert!(gap("reverb", &[("pre-delay", 0.25)]) > 0.3 && gap("expander", &[("hold", 2.0)]) > 2.0 && gap("gain", &[]) == 0.0);
}

#[test]
fn convolution_is_the_direct_sum() {
    for frames in [1usize, 63, 512, 513, 2_500] {
        let (a, b) = (noise(5, frames), noise(6, frames));
        let impulse = Impulse::new(&a, &b, RATE);
        let energy = (power(&a) + power(&b)) * frames as f64 / 2.0;
        let mut bench = Bench::with("convolution", &[], Some(Arc::new(impulse)));
        let input = noise(9, 4_000);
        let (mut left, mut right) = (input.clone(), input.clone());
        bench.run(&mut left, &mut right);
        let (mut error, mut whole) = (0.0, 0.0);
        for n in 0..input.len() {
            let direct: f64 = (0..frames.min(n + 1)).map(|k| f64::from(a[k]) * f64::from(input[n - k])).sum::<f64>() / energy.sqrt();
            error += (direct - f64::from(left[n])).powi(2);
            whole += direct * direct;
        }
        assert!(10.0 * (error / whole).log10() < -100.0, "{frames}: {:.1} dB", 10.0 * (error / whole).log10());
    }
}

/// The time in which the sound of a band falls by 60 dB, from the slope between −5 and −35 dB of the integrated decay
/// (M. Schroeder 1965, as in ISO 3382-1).
fn decay(samples: &[f32], low: f32, high: f32) -> f64 {
    let mut band = samples.to_vec();
    let mut other = band.clone();
    for _ in 0..2 {
        Bench::new("high-pass", &[("cutoff", low), ("slope", 3.0)]).run(&mut band, &mut other);
        Bench::new("low-pass", &[("cutoff", high), ("slope", 3.0)]).run(&mut band, &mut other);
    }
    let mut left = vec![0.0f64; band.len() + 1];
    for i in (0..band.len()).rev() {
        left[i] = left[i + 1] + f64::from(band[i]).powi(2);
    }
    let at = |level: f64| left.iter().position(|e| 10.0 * (e / left[0]).log10() <= level).unwrap() as f64 / f64::from(RATE);
    2.0 * (at(-35.0) - at(-5.0))
}

#[test]
fn what_is_drawn_of_dynamics_is_what_comes_out() {
    let cases: [(&str, &[(&str, f32)]); 5] = [
        ("compressor", &[("threshold", -30.0), ("ratio", 4.0), ("knee", 12.0), ("make-up", 5.0)]),
        ("compressor", &[("threshold", -12.0), ("ratio", 100.0), ("knee", 0.0)]),
        ("expander", &[("threshold", -24.0), ("ratio", 3.0), ("knee", 6.0), ("range", -30.0)]),
        ("expander", &[("threshold", -40.0), ("ratio", 100.0), ("knee", 0.0), ("range", -96.0)]),
        ("limiter", &[("ceiling", -14.0), ("drive", 6.0)]),
    ];
    for (word, set) in cases {
        for level in [-60.0f32, -44.0, -38.0, -31.0, -26.0, -20.0, -13.0, -6.0] {
            let mut bench = Bench::new(word, set);
            let Some(Picture::Transfer(drawn)) = bench.kind.picture else { panic!("{word} has no such picture") };
            let wanted = drawn(&bench.values, level);
            // What stays: a constant, long after attack and release.
            let out = bench.mono(&vec![gain_of(level); 4 * RATE as usize]);
            let found = db_of(out[out.len() - 1]);
            assert!((found - wanted).abs() < 0.15 || (found < -110.0 && wanted < -110.0), "{word} at {level} dB: {found} dB instead of {wanted}");
        }
    }
}

#[test]
fn a_room_falls_as_it_is_set() {
    for (decay_set, low, high, size) in [(1.5f32, 2.2f32, 0.8f32, 1.0f32), (0.6, 0.6, 0.6, 0.5), (3.5, 2.5, 1.6, 1.4)] {
        let set = [("decay", decay_set), ("low-decay", low), ("high-decay", high), ("low-crossover", 500.0), ("size", size), ("early", -60.0)];
        let mut bench = Bench::new("reverb", &set);
        let mut input = vec![0.0f32; (f64::from(decay_set.max(low)) * 1.3 * f64::from(RATE)) as usize / 64 * 64];
        input[0] = 1.0;
        let Some(Picture::Decay(drawn)) = bench.kind.picture else { panic!("a room has a decay") };
        assert_eq!(drawn(&bench.values), (0.012, [low, decay_set, high]));
        let out = bench.mono(&input);
        for (name, wanted, from, to) in [("low", low, 60.0, 180.0), ("middle", decay_set, 1_200.0, 1_800.0), ("high", high, 10_000.0, 14_000.0)] {
            let found = decay(&out, from, to);
            assert!((found / f64::from(wanted) - 1.0).abs() < 0.10, "{name}: {found:.3} s for {wanted} s at size {size}");
        }
    }
}

#[test]
fn no_mode_of_a_room_rings_out() {
    for (name, _, values) in kind("reverb").unwrap().presets {
        // The spectrum of what is left after a while. Any one way through a room has peaks by chance; a mode that rings is
        // in all four, from left and right to left and right.
        let mut energy: Vec<f64> = Vec::new();
        for side in 0..2 {
            let mut bench = Bench::new("reverb", &[]);
            bench.values[..10].copy_from_slice(values);
            let mut channels = [vec![0.0f32; 64 * 1400], vec![0.0f32; 64 * 1400]];
            channels[side][0] = 1.0;
            let [left, right] = &mut channels;
            bench.run(left, right);
            let start = (0.25 * f64::from(values[0]) * f64::from(RATE)) as usize;
            let frames = 32_768;
            let fft = estampie_generics::forward(frames);
            for channel in &channels {
                let mut time: Vec<f32> = channel[start..start + frames].to_vec();
                let mut spectrum = fft.make_output_vec();
                fft.process(&mut time, &mut spectrum).unwrap();
                energy.resize(spectrum.len(), 0.0);
                energy.iter_mut().zip(&spectrum).for_each(|(e, c)| *e += f64::from(c.norm_sqr()));
            }
        }
        let mut worst: f64 = 0.0;
        for k in 100..energy.len() / 2 {
            let (a, b) = ((k as f64 * 0.94) as usize, (k as f64 * 1.06) as usize);
            let mean = energy[a..=b].iter().sum::<f64>() / (b - a + 1) as f64;
            worst = worst.max(10.0 * (energy[k] / mean).log10());
        }
        assert!(worst < 10.0, "{name}: {worst:.1} dB over its neighbours");
    }
}

#[test]
fn a_long_room_is_as_loud_as_a_short_one() {
    let level = |decay: f32| {
        let set = [("decay", decay), ("low-decay", decay), ("high-decay", decay), ("early", -60.0)];
        let (mut left, mut right) = (noise(1, 384_000), noise(2, 384_000));
        Bench::new("reverb", &set).run(&mut left, &mut right);
        10.0 * (power(&left[288_000..]) / power(&noise(1, 96_000))).log10()
    };
    for decay in [0.3, 1.0, 4.0] {
        assert!(level(decay).abs() < 3.0, "{decay} s: {:.1} dB", level(decay));
    }
}

#[test]
fn panning_keeps_the_power() {
    let (mut left, mut right) = (vec![1.0f32; 96_000], vec![1.0f32; 96_000]);
    Bench::new("auto-pan", &[("depth", 1.0), ("rate", 3.0)]).run(&mut left, &mut right);
    for (l, r) in left.iter().zip(&right) {
        assert!((10.0 * ((l * l + r * r) / 2.0).log10()).abs() < 0.05);
    }
    assert!(left.iter().any(|l| *l < 0.01) && right.iter().any(|r| *r < 0.01), "it goes all the way");
}

#[test]
fn modulations_do_what_they_say() {
    // A ring modulator makes sum and difference; a tremolo's least level is its depth.
    let out = Bench::new("ring", &[("tone", 300.0), ("depth", 1.0)]).mono(&tone(1_000.0, 0.5, 96_000));
    assert!((amplitude(&out[48_000..], 1_300.0) - 0.25).abs() < 1e-3 && (amplitude(&out[48_000..], 700.0) - 0.25).abs() < 1e-3);
    assert!(db(amplitude(&out[48_000..], 1_000.0)) < -60.0);
    let out = Bench::new("tremolo", &[("depth", 0.5), ("rate", 2.0)]).mono(&vec![1.0; 48_000]);
    let (low, high) = out.iter().fold((9.0f32, 0.0f32), |(l, h), s| (l.min(*s), h.max(*s)));
    assert!((low - 0.5).abs() < 1e-3 && (high - 1.0).abs() < 1e-3);
    // Eight bits: steps of 2/256; a quarter of the rate: each sample four times.
    let out = Bench::new("crush", &[("bits", 8.0), ("rate", 12_000.0)]).mono(&tone(100.0, 0.8, 4_800));
    assert!(out.iter().all(|s| (s * 128.0 - (s * 128.0).round()).abs() < 1e-4));
    assert!(out.chunks(4).skip(1).all(|c| c.iter().all(|s| *s == c[0])));
    // A comb's first notch lies where the delay is half a period.
    let out = gain_at("flanger", &[("depth", 0.0), ("delay", 0.001), ("feedback", 0.0)], 500.0);
    assert!(out < -50.0, "{out}");
    // Width 0 is mono, 2 doubles the difference.
    let (mut left, mut right) = (vec![1.0f32; 640], vec![0.0f32; 640]);
    Bench::new("width", &[("width", 0.0)]).run(&mut left, &mut right);
    assert_eq!((left[639], right[639]), (0.5, 0.5));
}

#[test]
fn a_radio_lets_only_its_band_through() {
    let set = [("from", 400.0), ("to", 3_000.0), ("grit", 0.0)];
    for (frequency, least, most) in [(1_000.0, -1.0, 1.0), (100.0, -60.0, -40.0), (12_000.0, -70.0, -40.0)] {
        let level = gain_at("radio", &set, frequency);
        assert!(level > least && level < most, "{frequency}: {level:.1} dB");
    }
}

#[test]
fn beginnings_and_ringing_are_shaped_whatever_their_level() {
    // A stroke: it begins at once and rings for half a second.
    let stroke = |level: f32| -> Vec<f32> {
        let ringing = |i: usize| if i < 4_800 { 0.0 } else { (-(i as f32 - 4_800.0) / 9_600.0).exp() * level };
        tone(900.0, 1.0, 48_000).iter().enumerate().map(|(i, s)| s * ringing(i)).collect()
    };
    let change = |set: &[(&str, f32)], level: f32| {
        let before = stroke(level);
        let after = Bench::new("transient", set).mono(&before);
        let of = |from: usize, to: usize| 10.0 * (power(&after[from..to]) / power(&before[from..to])).log10();
        (of(4_800, 5_100), of(14_400, 24_000))
    };
    for level in [0.9, 0.05] {
        let (beginning, ringing) = change(&[("attack", 9.0)], level);
        assert!((4.0..9.1).contains(&beginning) && ringing.abs() < 0.5, "{level}: {beginning} {ringing}");
        let (beginning, ringing) = change(&[("attack", -12.0)], level);
        assert!(beginning < -5.0 && ringing.abs() < 0.5, "{level}: {beginning} {ringing}");
        let (beginning, ringing) = change(&[("sustain", -12.0)], level);
        assert!(beginning.abs() < 1.5 && ringing < -5.0, "{level}: {beginning} {ringing}");
        let (beginning, ringing) = change(&[("sustain", 9.0)], level);
        assert!(beginning.abs() < 1.5 && ringing > 4.0, "{level}: {beginning} {ringing}");
    }
    // A steady tone is neither, and at rest nothing is touched.
    let steady = tone(300.0, 0.5, 48_000);
    let out = Bench::new("transient", &[("attack", 24.0), ("sustain", -24.0)]).mono(&steady);
    assert!((10.0 * (power(&out[24_000..]) / power(&steady[24_000..])).log10()).abs() < 1.0);
    assert_eq!(Bench::new("transient", &[]).mono(&stroke(0.7)), stroke(0.7));
}

#[test]
fn every_kind_at_rest_starts_where_it_does_no_harm() {
    for kind in KINDS {
        let mut bench = Bench::with(kind.word, &[], Some(Arc::new(Impulse::new(&noise(3, 2000), &noise(4, 2000), RATE))));
        let (mut left, mut right) = (noise(1, 48_000), noise(2, 48_000));
        let before = power(&left);
        bench.run(&mut left, &mut right);
        let change = 10.0 * (power(&left[24_000..]) / before).log10();
        assert!(change < 4.0, "{}: {change:.1} dB louder", bench.kind.word);
        assert!(kind.settings.len() <= MOST_SETTINGS && kind.settings.iter().all(|s| s.rest >= s.low && s.rest <= s.high), "{}", kind.word);
        bench.effect.clear();
        let (mut left, mut right) = (vec![0.0f32; 48_000], vec![0.0f32; 48_000]);
        bench.run(&mut left, &mut right);
        assert!(left.iter().chain(&right).all(|s| s.abs() < 1e-6), "{} forgets", kind.word);
    }
}
