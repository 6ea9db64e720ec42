//! The meters against the published test signals, made here from their definitions (EBU Tech 3341 v4, Tech 3342 v4), and
//! against what follows from the definitions of RMS, correlation and spectrum.

use estampie_proof::measure::{BANDS, Meter, Reading, edge};
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};

const RATE: u32 = 48_000;

fn frames(seconds: f64) -> usize {
    (seconds * f64::from(RATE)).round() as usize
}

fn gain(db: f64) -> f64 {
    10f64.powf(db / 20.0)
}

/// Stereo tones of 1 kHz one after the other, level in dBFS (silence if not finite) and seconds; their phase runs on.
fn tones(parts: &[(f64, f64)]) -> Vec<f32> {
    let (mut samples, mut at) = (Vec::new(), 0usize);
    for (level, seconds) in parts {
        for _ in 0..frames(*seconds) {
            let value = (gain(*level) * (TAU * 1000.0 * at as f64 / f64::from(RATE)).sin()) as f32;
            samples.extend([value, value]);
            at += 1;
        }
    }
    samples
}

fn measured(samples: &[f32]) -> Reading {
    let mut meter = Meter::new(2, RATE).unwrap();
    meter.add(samples);
    meter.reading()
}

/// All readings, one for each tenth of a second.
fn readings(samples: &[f32]) -> Vec<Reading> {
    let mut meter = Meter::new(2, RATE).unwrap();
    samples
        .chunks_exact(frames(0.1) * 2)
        .map(|part| {
            assert_eq!(meter.add(part), 1);
            meter.reading()
        })
        .collect()
}

fn near(value: f64, wanted: f64, by: f64, what: &str) {
    assert!((value - wanted).abs() <= by, "{what}: {value:.3} instead of {wanted:.1} ± {by}");
}

#[test]
fn steady_tones_have_their_loudness_in_all_three_measures() {
    // Cases 1 and 2.
    for level in [-23.0, -33.0] {
        let now = measured(&tones(&[(level, 20.0)]));
        for (value, what) in [(now.momentary, "momentary"), (now.short_term, "short-term"), (now.integrated, "integrated")] {
            near(value, level, 0.1, what);
        }
    }
}

#[test]
fn what_is_quiet_is_left_out_of_the_whole() {
    // Cases 3, 4 and 5.
    let cases: [&[(f64, f64)]; 3] = [
        &[(-36.0, 10.0), (-23.0, 60.0), (-36.0, 10.0)],
        &[(-72.0, 10.0), (-36.0, 10.0), (-23.0, 60.0), (-36.0, 10.0), (-72.0, 10.0)],
        &[(-26.0, 20.0), (-20.0, 20.1), (-26.0, 20.0)],
    ];
    for case in cases {
        near(measured(&tones(case)).integrated, -23.0, 0.1, "integrated");
    }
}

#[test]
fn five_channels_are_weighed_as_the_standard_says() {
    // Case 6: left, right, centre, surrounds.
    let levels = [-28.0, -28.0, -24.0, -30.0, -30.0].map(gain);
    let sine = |i: usize| (TAU * 1000.0 * i as f64 / f64::from(RATE)).sin();
    let samples: Vec<f32> = (0..frames(20.0)).flat_map(|i| levels.map(|l| (l * sine(i)) as f32)).collect();
    let mut meter = Meter::new(5, RATE).unwrap();
    meter.add(&samples);
    near(meter.reading().integrated, -23.0, 0.1, "integrated");
}

#[test]
fn short_term_loudness_is_steady_over_tones_that_fill_its_window() {
    // Case 9: it may not waver once three seconds are full.
    let samples = tones(&[(-20.0, 1.34), (-30.0, 1.66)].repeat(5));
    for (at, now) in readings(&samples).iter().enumerate().skip(30) {
        near(now.short_term, -23.0, 0.1, &format!("at {:.1} s", at as f64 / 10.0));
    }
}

#[test]
fn short_term_loudness_finds_a_tone_of_three_seconds_wherever_it_begins() {
    // Cases 10 (tones of one level, each measured by itself) and 11 (tones a decibel louder each).
    for i in 0..20 {
        let lead = 0.15 * f64::from(i);
        let greatest = |samples: &[f32]| readings(samples).iter().map(|r| r.short_term).fold(f64::NEG_INFINITY, f64::max);
        near(greatest(&tones(&[(f64::NEG_INFINITY, lead), (-23.0, 3.0), (f64::NEG_INFINITY, 1.0)])), -23.0, 0.1, &format!("tone {i} of case 10"));
    }
    let mut meter = Meter::new(2, RATE).unwrap();
    for i in 0..20 {
        let (lead, level) = (0.15 * f64::from(i), -38.0 + f64::from(i));
        let part = tones(&[(f64::NEG_INFINITY, lead), (level, 3.0), (f64::NEG_INFINITY, 3.0 - lead)]);
        let mut greatest = f64::NEG_INFINITY;
        for tenth in part.chunks(frames(0.1) * 2) {
            meter.add(tenth);
            greatest = greatest.max(meter.reading().short_term);
        }
        near(greatest, level, 0.1, &format!("tone {i} of case 11"));
    }
}

#[test]
fn momentary_loudness_is_steady_and_finds_short_tones() {
    // Case 12: steady after a second. Cases 13 and 14: a tone of 0.4 s, wherever it begins.
    let samples = tones(&[(-20.0, 0.18), (-30.0, 0.22)].repeat(25));
    for now in readings(&samples).iter().skip(10) {
        near(now.momentary, -23.0, 0.1, "momentary");
    }
    for i in 0..20 {
        let tone = tones(&[(f64::NEG_INFINITY, 0.02 * f64::from(i)), (-23.0, 0.4), (f64::NEG_INFINITY, 1.0)]);
        near(measured(&tone).loudest, -23.0, 0.1, &format!("tone {i} of case 13"));
    }
    // Each tone is a decibel louder than all before it, so the greatest so far is its own.
    let mut meter = Meter::new(2, RATE).unwrap();
    for i in 0..20 {
        let (lead, level) = (0.02 * f64::from(i), -38.0 + f64::from(i));
        meter.add(&tones(&[(f64::NEG_INFINITY, lead), (level, 0.4), (f64::NEG_INFINITY, 0.4 - lead)]));
        near(meter.reading().loudest, level, 0.1, &format!("tone {i} of case 14"));
    }
}

/// A sine in the left channel: a divisor of the rate, a phase in degrees, an amplitude. It comes in over 20 ms: one that
/// begins with a step has a higher peak there.
fn sine(divisor: f64, phase: f64, amplitude: f64) -> Vec<f32> {
    let rise = |i: usize| (i as f64 / frames(0.02) as f64).min(1.0);
    (0..frames(1.0)).flat_map(|i| [(rise(i) * amplitude * (TAU * i as f64 / divisor + phase.to_radians()).sin()) as f32, 0.0]).collect()
}

#[test]
fn true_peaks_between_samples_are_found() {
    // Cases 15 to 19: − 0.4, + 0.2 dB.
    for (divisor, phase, amplitude, wanted) in
        [(4.0, 0.0, 0.5, -6.0), (4.0, 45.0, 0.5, -6.0), (6.0, 60.0, 0.5, -6.0), (8.0, 67.5, 0.5, -6.0), (4.0, 45.0, 1.41, 3.0)]
    {
        let peak = measured(&sine(divisor, phase, amplitude)).true_peak;
        assert!((wanted - 0.4..=wanted + 0.2).contains(&peak), "rate / {divisor}, {phase}°: {peak:.2} instead of {wanted}");
    }
}

#[test]
fn a_single_louder_period_is_found_whatever_the_offset() {
    // Cases 20 to 23: made at four times the rate, a tone of 0.5 with one period of 1.0 within; each offset gives its own signal.
    let long = 4 * 4096;
    let slow: Vec<f64> = (0..long)
        .map(|i| {
            // Rate / 6 at four times the rate: a period has 24 samples.
            let period = i / 24;
            (if period == long / 48 { 1.0 } else { 0.5 }) * (TAU * i as f64 / 24.0).sin()
        })
        .collect();
    // A low-pass below half the rate, by a long windowed sinc.
    let taps = 4 * 64;
    let kernel: Vec<f64> = (-taps..=taps)
        .map(|i: i32| {
            let x = f64::from(i) / 4.0;
            let sinc = if i == 0 { 1.0 } else { (PI * x).sin() / (PI * x) };
            sinc / 4.0 * (0.5 + 0.5 * (PI * f64::from(i) / f64::from(taps + 1)).cos())
        })
        .collect();
    let smooth: Vec<f64> =
        (0..long).map(|at| kernel.iter().enumerate().map(|(k, c)| c * slow.get((at + taps as usize).wrapping_sub(k)).copied().unwrap_or(0.0)).sum()).collect();
    let reference = 20.0 * smooth[4 * taps as usize..long - 4 * taps as usize].iter().fold(0.0f64, |p, s| p.max(s.abs())).log10();
    near(reference, 0.0, 0.2, "the signal's own peak");
    for offset in 0..4 {
        let samples: Vec<f32> = smooth.iter().skip(offset).step_by(4).flat_map(|s| [*s as f32, 0.0]).collect();
        let mut meter = Meter::new(2, RATE).unwrap();
        meter.add(&samples);
        meter.add(&[0.0; 9600]);
        let peak = meter.reading().greatest;
        assert!((-0.4..=0.2).contains(&peak), "offset {offset}: {peak:.2}");
    }
}

#[test]
fn loudness_range_is_that_of_the_published_signals() {
    // Tech 3342, cases 1 to 4: ± 1 LU.
    let cases: [(&[f64], f64); 4] = [(&[-20.0, -30.0], 10.0), (&[-20.0, -15.0], 5.0), (&[-40.0, -20.0], 20.0), (&[-50.0, -35.0, -20.0, -35.0, -50.0], 15.0)];
    for (levels, wanted) in cases {
        let parts: Vec<(f64, f64)> = levels.iter().map(|l| (*l, 20.0)).collect();
        near(measured(&tones(&parts)).range, wanted, 1.0, "range");
    }
}

#[test]
fn silence_has_no_level_and_no_correlation() {
    let now = measured(&vec![0.0; 2 * frames(4.0)]);
    for value in [now.momentary, now.short_term, now.integrated, now.true_peak, now.sample_peak, now.rms] {
        assert_eq!(value, f64::NEG_INFINITY);
    }
    assert_eq!((now.correlation, now.range), (None, 0.0));
    assert!(now.spectrum.iter().all(|l| *l == f32::NEG_INFINITY));
}

#[test]
fn peaks_are_held_for_three_seconds() {
    let mut samples = vec![0.0f32; 2 * frames(0.1)];
    samples[100] = 0.5;
    let mut meter = Meter::new(2, RATE).unwrap();
    meter.add(&samples);
    meter.add(&vec![0.0; 2 * frames(2.9)]);
    near(meter.reading().sample_peak, -6.02, 0.01, "held");
    meter.add(&vec![0.0; 2 * frames(0.1)]);
    assert_eq!(meter.reading().sample_peak, f64::NEG_INFINITY, "and let go");
    assert!(meter.reading().greatest > -6.1, "the greatest of all stays");
}

#[test]
fn impossible_meters_are_refused() {
    assert!(Meter::new(0, RATE).is_err() && Meter::new(2, 0).is_err() && Meter::new(2, 49).is_err());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn rms_and_correlation_follow_their_definitions(level in -60.0f64..0.0, turn in 0.0f64..TAU, cut in 1usize..9000) {
        // Two sines of one frequency with an angle between them: their correlation is its cosine.
        let sine = |i: usize, turn: f64| (gain(level) * (TAU * 440.0 * i as f64 / f64::from(RATE) + turn).sin()) as f32;
        let samples: Vec<f32> = (0..frames(0.5)).flat_map(|i| [sine(i, 0.0), sine(i, turn)]).collect();
        let mut meter = Meter::new(2, RATE).unwrap();
        let mut count = 0;
        for part in samples.chunks(cut * 2) {
            count += meter.add(part);
        }
        prop_assert_eq!(count, 5);
        let now = meter.reading();
        prop_assert!((now.rms - (level - 3.0103)).abs() < 0.02, "{}", now.rms);
        prop_assert!((now.correlation.unwrap() - turn.cos()).abs() < 0.01);
    }

    #[test]
    fn a_sine_stands_in_its_own_band(frequency in 60.0f64..18_000.0, level in -40.0f64..0.0) {
        let samples: Vec<f32> = (0..frames(0.4)).flat_map(|i| { let s = (gain(level) * (TAU * frequency * i as f64 / f64::from(RATE)).sin()) as f32; [s, s] }).collect();
        let spectrum = measured(&samples).spectrum;
        let highest = (0..BANDS).max_by(|a, b| spectrum[*a].total_cmp(&spectrum[*b])).unwrap();
        // Narrow bands at the low end share bins; a sine on an edge stands in both.
        let bin = f64::from(RATE) / 4096.0;
        prop_assert!(frequency > edge(highest) - 1.5 * bin && frequency < edge(highest + 1) + 1.5 * bin, "{} Hz in {} to {}", frequency, edge(highest), edge(highest + 1));
        let around: f64 = spectrum[highest.saturating_sub(1)..(highest + 2).min(BANDS)].iter().map(|l| 10f64.powf(f64::from(*l) / 10.0)).sum();
        // Bands below 250 Hz are narrower than a bin, and each takes its nearest whole: there the sum counts some twice.
        let loose = if frequency < 300.0 { 6.0 } else { 0.6 };
        prop_assert!((10.0 * around.log10() - level).abs() < loose, "{} Hz at {}: {}", frequency, level, 10.0 * around.log10());
    }
}

#[test]
fn what_is_not_there_is_not_in_the_spectrum() {
    // After the start, which is a step, has fallen away.
    let samples: Vec<f32> = (0..frames(6.0)).flat_map(|i| [0.5 * (TAU * 1000.0 * i as f64 / f64::from(RATE)).sin() as f32; 2]).collect();
    let spectrum = measured(&samples).spectrum;
    for (band, level) in spectrum.iter().enumerate() {
        let apart = (edge(band).max(1000.0) / edge(band + 1).min(1000.0)).log2();
        assert!(apart < 0.5 || *level < -66.0, "band {band} from {:.0} Hz has {level} dB", edge(band));
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(8))]
    /// After ten seconds of silence nothing is measured until there is something again: no reading differs from that of a meter that never rests.
    #[test]
    fn a_meter_that_rested_reads_as_one_that_did_not(
        before in 1usize..90_000, silence in 400_000usize..900_000, level in -40.0f64..-10.0, pieces in prop::collection::vec(1usize..30_000, 1..6)
    ) {
        let tone = |from: usize, count: usize, level: f64| {
            (from..from + count).flat_map(move |i| [(gain(level) * (TAU * 997.0 * i as f64 / f64::from(RATE)).sin()) as f32; 2]).collect::<Vec<f32>>()
        };
        let [mut rests, mut goes_on] = [0, 1].map(|_| Meter::new(2, RATE).unwrap());
        let mut rested = false;
        // What is far below all that a meter shows keeps one of them at work.
        for (samples, silent) in [(tone(0, before, -20.0), false), (vec![0.0; 2 * silence], true), (tone(7, 96_000, level), false)] {
            let faint = if silent { vec![1e-20; samples.len()] } else { samples.clone() };
            let mut at = 0;
            for piece in pieces.iter().cycle() {
                let to = (at + 2 * piece).min(samples.len());
                prop_assert_eq!(rests.add(&samples[at..to]), goes_on.add(&faint[at..to]));
                let (a, b) = (rests.reading(), goes_on.reading());
                for (a, b) in [(a.momentary, b.momentary), (a.short_term, b.short_term), (a.integrated, b.integrated), (a.loudest, b.loudest), (a.true_peak, b.true_peak), (a.range, b.range)] {
                    prop_assert!(a == b || (a - b).abs() < 1e-3 || a < -100.0 && b < -100.0, "{} {}", a, b);
                }
                at = to;
                if at == samples.len() {
                    break;
                }
            }
            rested |= silent;
        }
        prop_assert!(rested);
    }
}
