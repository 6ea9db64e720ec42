//! What the deep is full of: the dispatcher's wordless voice, leaks in four grades, organ pipes, rigging, pumps, sirens.

use crate::craft::{Biquad, Noise, RATE, add, finish, frames, round_noise, strike, struck, swell, tone};
use crate::write::Group;
use std::f64::consts::TAU;

/// All files of this module.
pub(crate) fn all() -> Vec<Group> {
    let mut groups = Vec::new();
    for (mood, name) in MOODS.iter().zip(["calm", "busy", "worried", "alarmed", "relieved"]) {
        for n in 1..=4 {
            groups.push(Group::one(format!("dispatcher/{name}_{n:02}"), mood.loudness, dispatcher(mood, name, n)));
        }
    }
    for (grade, name) in ["drip", "trickle", "stream", "gush"].iter().enumerate() {
        groups.push(Group::one(format!("leak/{name}"), [-29.5, -28.0, -26.0, -23.0][grade], leak(grade)));
    }
    for (n, root) in [73.42, 87.31, 98.0, 110.0].iter().enumerate() {
        groups.push(Group::one(format!("organ/pipe_{:02}", n + 1), -23.0, pipe(n as u64, *root)));
    }
    for n in 1..=3 {
        groups.push(Group::one(format!("hull/rivet_{n:02}"), -26.0, rivet(n)));
        groups.push(Group::one(format!("creatures/wake_{n:02}"), -24.0, wake(n)));
    }
    for (n, up) in [true, false].iter().enumerate() {
        groups.push(Group::one(format!("step/servo_{:02}", n + 1), -29.0, servo(n as u64, *up)));
    }
    groups.push(Group::one("quay/rope", -29.5, rope()));
    groups.push(Group::one("quay/buoy", -29.0, buoy()));
    groups.push(Group::one("cable/hum", -28.0, cable()));
    groups.push(Group::one("siren/loop", -25.0, siren()));
    groups.push(Group::one("thruster/burst", -21.0, burst()));
    groups.push(Group::one("interface/denied", -26.0, denied()));
    groups.push(Group::one("step/scrape", -26.0, scrape()));
    groups.push(pump());
    groups
}

/// How the dispatcher speaks.
struct Mood {
    pitch: f64,
    /// Syllables in a second.
    pace: f64,
    /// How far the pitch goes up and down, as a share.
    range: f64,
    /// Where a phrase goes: above 0 it rises like a question.
    turn: f64,
    syllables: (f64, f64),
    loudness: f64,
}

const MOODS: [Mood; 5] = [
    Mood { pitch: 176.0, pace: 4.2, range: 0.10, turn: -0.12, syllables: (4.0, 7.0), loudness: -23.0 },
    Mood { pitch: 188.0, pace: 5.4, range: 0.14, turn: -0.05, syllables: (5.0, 9.0), loudness: -22.5 },
    Mood { pitch: 196.0, pace: 4.6, range: 0.18, turn: 0.16, syllables: (4.0, 7.0), loudness: -22.0 },
    Mood { pitch: 232.0, pace: 6.0, range: 0.22, turn: 0.05, syllables: (3.0, 6.0), loudness: -20.5 },
    Mood { pitch: 168.0, pace: 3.4, range: 0.16, turn: -0.25, syllables: (3.0, 6.0), loudness: -23.0 },
];

/// First three formants of vowels, in Hz (rounded from the classic measurements of spoken vowels).
const VOWELS: [[f64; 3]; 6] =
    [[700.0, 1220.0, 2600.0], [530.0, 1840.0, 2480.0], [390.0, 1990.0, 2550.0], [570.0, 840.0, 2410.0], [440.0, 1020.0, 2240.0], [640.0, 1190.0, 2390.0]];

/// A voice without words, over a radio: pulses through moving formants, breathed on, narrowed.
fn dispatcher(mood: &Mood, name: &str, n: u64) -> Vec<f64> {
    let mut noise = Noise::new(name.bytes().map(u64::from).sum::<u64>() * 31 + n);
    let syllables = noise.between(mood.syllables.0, mood.syllables.1).round() as usize;
    let mut starts = vec![0.12];
    let mut vowels = vec![VOWELS[(noise.between(0.0, 5.99)) as usize]];
    for _ in 1..syllables {
        starts.push(starts[starts.len() - 1] + noise.between(0.75, 1.3) / mood.pace);
        vowels.push(VOWELS[(noise.between(0.0, 5.99)) as usize]);
    }
    let length = starts[syllables - 1] + 1.4 / mood.pace + 0.15;
    let accents: Vec<f64> = (0..syllables).map(|_| noise.between(-mood.range, mood.range)).collect();
    let mut bands = [Biquad::band(500.0, 6.0), Biquad::band(1500.0, 9.0), Biquad::band(2500.0, 10.0)];
    let mut formants = vowels[0];
    let (mut phase, mut bend) = (0.0, 0.0);
    let mut out = tone(length, |t| {
        let at = starts.iter().rposition(|s| *s <= t).unwrap_or(0);
        let (from, until) = (starts[at], starts.get(at + 1).copied().unwrap_or(length - 0.15));
        // A closure between two syllables: the voice dips and the mouth goes to the next vowel.
        let open = if t < starts[0] { 0.0 } else { swell(t - from, until - from, 0.05, 0.07).max(0.0) };
        for (formant, target) in formants.iter_mut().zip(vowels[at]) {
            *formant += (target - *formant) * 0.0012;
        }
        let line = 1.0 + mood.turn * (t / length - 0.4);
        bend += (accents[at] - bend) * 0.0008;
        let pitch = mood.pitch * (line + bend) * (1.0 + 0.008 * (TAU * 5.2 * t).sin());
        phase += pitch / RATE;
        // A pulse train with falling partials.
        let voice: f64 = (1..=14).map(|h| (TAU * phase * f64::from(h)).sin() / f64::from(h).powf(1.05)).sum();
        let source = voice * 0.6 + noise.next() * 0.05;
        let mut sum = 0.0;
        for ((band, formant), (q, gain)) in bands.iter_mut().zip(formants).zip([(5.0, 1.0), (9.0, 0.6), (11.0, 0.35)]) {
            let next = Biquad::band(formant, q);
            band.retune(&next);
            sum += band.step(source) * gain;
        }
        sum * open
    });
    // The radio: narrow, a little driven, with the click of the key at both ends.
    Biquad::high(330.0, 0.8).run(&mut out);
    Biquad::low(2900.0, 0.9).run(&mut out);
    for sample in &mut out {
        *sample = (*sample * 3.0).tanh();
    }
    let mut hiss = Noise::new(77 + n).buffer(out.len());
    Biquad::band(1800.0, 0.6).run(&mut hiss);
    for (i, (s, h)) in out.iter_mut().zip(&hiss).enumerate() {
        *s += h * 0.03 * swell(i as f64 / RATE, length, 0.02, 0.02);
    }
    let click = struck(0.05, 0.0004, &[(1300.0, 0.35, 0.02), (2100.0, 0.2, 0.015)]);
    add(&mut out, &click, 0.02, 0.8);
    add(&mut out, &click, length - 0.09, 0.7);
    finish(out, 0.004, 0.02)
}

/// A round of water, from single drops to a rush.
fn leak(grade: usize) -> Vec<f64> {
    let length = [7.0, 6.0, 5.0, 5.0][grade];
    let count = frames(length);
    let mut noise = Noise::new(1700 + grade as u64);
    let mut out = vec![0.0; count];
    let drops = [7, 46, 90, 60][grade];
    for _ in 0..drops {
        let root = noise.between(520.0, 1500.0);
        let rise = noise.between(1.2, 1.9);
        let mut phase = 0.0;
        let size = noise.between(0.4, 1.0);
        let drop = tone(0.09, |t| {
            phase += root * (1.0 + (rise - 1.0) * t / 0.09) / RATE;
            (TAU * phase).sin() * strike(0.002, 0.06, t)
        });
        // Past the end it goes on at the start: the file goes round.
        let at = frames(noise.between(0.0, length));
        for (i, s) in drop.iter().enumerate() {
            out[(at + i) % count] += s * size * 0.6;
        }
    }
    if grade >= 1 {
        let (centre, q, gain) = [(0.0, 1.0, 0.0), (2300.0, 1.4, 0.10), (1500.0, 0.9, 0.35), (800.0, 0.5, 1.0)][grade];
        let wash = round_noise(1750 + grade as u64, length, |n| {
            Biquad::band(centre, q).run(n);
            Biquad::high(120.0, 0.7).run(n);
        });
        for (i, (o, w)) in out.iter_mut().zip(&wash).enumerate() {
            // Whole turns a round, so that the seam is none.
            let turn = TAU * i as f64 / count as f64;
            *o += w * gain * (0.82 + 0.12 * (turn * 5.0).sin() + 0.06 * (turn * 13.0).cos());
        }
    }
    out
}

/// A stopped wooden pipe that speaks under water: odd partials, a breath before, a slow fall.
fn pipe(n: u64, root: f64) -> Vec<f64> {
    let length = 3.2;
    let mut noise = Noise::new(1800 + n);
    let mut out = tone(length, |t| {
        let shake = 1.0 + 0.0025 * (TAU * 3.1 * t).sin() * (t / 1.0).min(1.0);
        let partials = [(1.0, 1.0), (3.0, 0.22), (5.0, 0.07), (2.0, 0.05)];
        partials.iter().map(|(h, g)| g * (TAU * root * h * shake * t).sin()).sum::<f64>() * swell(t, length, 0.14, 1.6)
    });
    let mut chiff = noise.buffer(frames(0.4));
    for (i, s) in chiff.iter_mut().enumerate() {
        *s *= strike(0.03, 0.2, i as f64 / RATE);
    }
    Biquad::band(root * 6.0, 3.0).run(&mut chiff);
    add(&mut out, &chiff, 0.0, 0.35);
    finish(out, 0.01, 0.3)
}

/// A rivet that lets go of a little tension.
fn rivet(n: u64) -> Vec<f64> {
    let mut noise = Noise::new(1900 + n);
    let root = noise.between(1250.0, 1900.0);
    finish(struck(0.7, 0.0005, &[(root, 0.7, 0.35), (root * 1.47, 0.5, 0.28), (root * 2.09, 0.3, 0.2), (root * 0.31, 0.5, 0.1)]), 0.0004, 0.15)
}

/// Something long goes by in the water.
fn wake(n: u64) -> Vec<f64> {
    let mut noise = Noise::new(2000 + n);
    let length = 1.7 + 0.25 * n as f64;
    let peak = noise.between(0.4, 0.55);
    let (mut a, mut b) = (Biquad::band(300.0, 1.2), Biquad::band(700.0, 2.0));
    let mut out = tone(length, |t| {
        let x = t / length;
        let near = (-((x - peak) / 0.2).powi(2)).exp();
        a.retune(&Biquad::band(180.0 + 320.0 * near, 1.2));
        b.retune(&Biquad::band(420.0 + 900.0 * near, 2.0));
        let w = noise.next();
        (a.step(w) + 0.5 * b.step(w)) * (0.05 + near)
    });
    Biquad::low(2400.0, 0.7).run(&mut out);
    finish(out, 0.2, 0.5)
}

/// A joint of the diving suit: a short whirr, up or down.
fn servo(n: u64, up: bool) -> Vec<f64> {
    let mut noise = Noise::new(2100 + n);
    let length = 0.45;
    let mut phase = 0.0;
    let mut out = tone(length, |t| {
        let x = if up { t / length } else { 1.0 - t / length };
        phase += (210.0 + 170.0 * x) / RATE;
        let teeth: f64 = (1..=6).map(|h| (TAU * phase * f64::from(h)).sin() / f64::from(h)).sum();
        (teeth * 0.7 + noise.next() * 0.1) * swell(t, length, 0.03, 0.08)
    });
    Biquad::band(1100.0, 0.8).run(&mut out);
    finish(out, 0.005, 0.03)
}

/// Adds `from` at `at` seconds, past the end going on at the start.
fn add_round(into: &mut [f64], from: &[f64], at: f64, gain: f64) {
    let count = into.len();
    let at = frames(at);
    for (i, s) in from.iter().enumerate() {
        into[(at + i) % count] += s * gain;
    }
}

/// A mooring rope that works: slow strains, 7.3 s round.
fn rope() -> Vec<f64> {
    let mut out = vec![0.0; frames(7.3)];
    let mut noise = Noise::new(2200);
    for at in [0.4, 2.9, 5.2] {
        let root = noise.between(150.0, 210.0);
        let mut slip = 0.0;
        for _ in 0..26 {
            slip += noise.between(0.02, 0.05);
            let tick = struck(0.12, 0.001, &[(root, 0.6, 0.06), (root * 2.3, 0.4, 0.04), (root * 4.9, 0.2, 0.02)]);
            add_round(&mut out, &tick, at + slip, noise.between(0.2, 0.8));
        }
    }
    Biquad::low(2200.0, 0.7).run(&mut out);
    out
}

/// A bell buoy on a lazy swell, 5.1 s round.
fn buoy() -> Vec<f64> {
    let mut out = vec![0.0; frames(5.1)];
    let bell = struck(3.5, 0.002, &[(587.3, 0.6, 2.2), (880.0, 0.35, 1.6), (1396.9, 0.2, 1.0), (293.7, 0.3, 2.6)]);
    add_round(&mut out, &bell, 0.6, 0.8);
    add_round(&mut out, &bell, 2.35, 0.45);
    out
}

/// The cable along the street: a taut hum that beats.
fn cable() -> Vec<f64> {
    // Whole turns in four seconds: it goes round without a seam.
    let hum = [(49.0, 0.8), (49.5, 0.6), (98.0, 0.5), (147.25, 0.35), (196.5, 0.2), (294.0, 0.12)];
    tone(4.0, |t| hum.iter().map(|(f, g)| g * (TAU * f * t).sin()).sum())
}

/// The bell's siren: two tones that slide into each other, four times a round.
fn siren() -> Vec<f64> {
    // The phase is the integral of the frequency 440 + 90 sin, whole over two seconds.
    tone(2.0, |t| {
        let phase = 440.0 * t - 90.0 / (TAU * 2.0) * (TAU * 2.0 * t).cos();
        [(1.0, 0.7), (2.0, 0.3), (3.0, 0.22), (5.0, 0.08)].iter().map(|(h, g)| g * (TAU * phase * h).sin()).sum()
    })
}

/// The thruster pushed hard: a rush that opens and falls.
fn burst() -> Vec<f64> {
    let mut noise = Noise::new(2500);
    let length = 1.6;
    let mut band = Biquad::low(400.0, 0.8);
    let mut phase = 0.0;
    let mut out = tone(length, |t| {
        let push = strike(0.05, 1.3, t);
        band.retune(&Biquad::low(260.0 + 2600.0 * push, 0.8));
        phase += (52.0 + 60.0 * push) / RATE;
        let blades: f64 = (1..=5).map(|h| (TAU * phase * f64::from(h)).sin() / f64::from(h)).sum();
        band.step(noise.next() * 0.8 + blades * 0.6) * (push + 0.05)
    });
    Biquad::high(40.0, 0.7).run(&mut out);
    finish(out, 0.01, 0.4)
}

/// Not now: two low, soft notes downwards.
fn denied() -> Vec<f64> {
    let mut out = vec![0.0; frames(0.5)];
    add(&mut out, &struck(0.3, 0.003, &[(220.0, 0.8, 0.14), (440.0, 0.25, 0.1)]), 0.0, 1.0);
    add(&mut out, &struck(0.3, 0.003, &[(174.6, 0.8, 0.16), (349.2, 0.25, 0.1)]), 0.11, 1.0);
    finish(out, 0.002, 0.1)
}

/// Iron dragged over stone, two seconds to take grains from.
fn scrape() -> Vec<f64> {
    let mut out = round_noise(2700, 2.4, |n| {
        let mut high = n.clone();
        Biquad::band(900.0, 1.4).run(n);
        Biquad::band(2900.0, 2.2).run(&mut high);
        for (a, b) in n.iter_mut().zip(&high) {
            *a += b * 0.5;
        }
    });
    let mut grit = Noise::new(2710);
    let mut level = 0.5;
    for sample in &mut out {
        level += (grit.between(0.0, 1.0) - level) * 0.004;
        *sample *= 0.3 + level * 1.4;
    }
    finish(out, 0.01, 0.02)
}

/// The bilge pump: a stroke to begin, strokes, and the last one.
fn pump() -> Group {
    let stroke = |seed: u64, length: f64, valve: f64| {
        let mut noise = Noise::new(seed);
        let mut band = Biquad::band(420.0, 1.5);
        let mut out = tone(length, |t| {
            let x = t / length;
            band.retune(&Biquad::band(300.0 + 500.0 * x, 1.5));
            band.step(noise.next()) * swell(t, length, 0.12, 0.18) * 1.6
        });
        let thud = struck(0.2, 0.002, &[(82.0, 0.7, 0.12), (141.0, 0.4, 0.09)]);
        add(&mut out, &thud, valve, 0.9);
        finish(out, 0.01, 0.05)
    };
    Group {
        loudness: -25.0,
        files: vec![
            ("pump/first".into(), vec![stroke(2801, 0.9, 0.1)]),
            ("pump/stroke_01".into(), vec![stroke(2802, 0.62, 0.04)]),
            ("pump/stroke_02".into(), vec![stroke(2803, 0.62, 0.05)]),
            ("pump/stroke_03".into(), vec![stroke(2804, 0.62, 0.03)]),
            ("pump/last".into(), vec![stroke(2805, 1.1, 0.06)]),
        ],
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rounds_have_no_step_at_their_seam() {
        for (name, samples) in [("cable", cable()), ("siren", siren()), ("gush", leak(3))] {
            let inside = samples.windows(2).map(|w| (w[1] - w[0]).abs()).fold(0.0, f64::max);
            let seam = (samples[0] - samples[samples.len() - 1]).abs();
            assert!(seam <= inside * 1.01, "{name}: {seam} at the seam, {inside} inside");
        }
    }

    #[test]
    fn no_two_lines_of_the_dispatcher_are_alike() {
        let lines: Vec<Vec<f64>> =
            MOODS.iter().zip(["calm", "busy", "worried", "alarmed", "relieved"]).flat_map(|(m, name)| (1..=4).map(move |n| dispatcher(m, name, n))).collect();
        for (at, line) in lines.iter().enumerate() {
            assert!(line.iter().all(|s| s.is_finite()) && line.len() > frames(0.4));
            assert!(lines[..at].iter().all(|other| other != line));
        }
    }
}
