//! Everything but the music: hull, winch, thruster, steps, sonar, boiler, water, breath, relics, creatures.

use crate::craft::{Biquad, Noise, RATE, add, finish, frames, round_noise, strike, struck, swell, tone};
use crate::write::Group;
use std::f64::consts::TAU;

/// All files of this module.
pub(crate) fn all() -> Vec<Group> {
    let mut groups = Vec::new();
    for n in 1..=4 {
        groups.push(Group::one(format!("hull/groan-deep_{n:02}"), -20.0, groan(n)));
        groups.push(Group::one(format!("hull/creak_{n:02}"), -24.0, creak(n)));
        groups.push(Group::one(format!("breath/valve_{n:02}"), -25.0, breath(n)));
    }
    for n in 1..=5 {
        groups.push(Group::one(format!("hull/knock_{n:02}"), -20.0, knock(n)));
        groups.push(Group::one(format!("step/plank_{n:02}"), -23.0, plank(n)));
        groups.push(Group::one(format!("step/grate_{n:02}"), -23.0, grate(n)));
        groups.push(Group::one(format!("step/silt_{n:02}"), -25.0, silt(n)));
        groups.push(Group::one(format!("creatures/snap_{n:02}"), -27.0, snap(n)));
    }
    for n in 1..=3 {
        groups.push(Group::one(format!("relic/chime_{n:02}"), -20.0, chime(n)));
        groups.push(Group::one(format!("creatures/eel_{n:02}"), -22.0, eel(n)));
    }
    for n in 1..=2 {
        groups.push(Group::one(format!("sonar/ping_{n:02}"), -20.0, ping(n)));
    }
    groups.push(winch());
    groups.push(Group::one("thruster/loop", -22.0, thruster()));
    groups.push(Group::one("boiler/loop", -24.0, boiler()));
    groups.push(Group::one("water/quay", -26.0, quay()));
    groups.push(Group::one("water/streets", -26.0, streets()));
    groups.push(Group::one("hatch/open", -21.0, hatch()));
    groups
}

/// A plate under load: low partials that bend while a rough bow sets them going.
fn groan(n: u64) -> Vec<f64> {
    let mut noise = Noise::new(100 + n);
    let length = 2.6 + 0.35 * n as f64;
    let root = [46.2, 41.2, 51.9, 36.7][(n - 1) as usize];
    let bend = noise.between(-0.10, -0.04);
    let mut phase = 0.0;
    let mut wobble = 0.0;
    let mut bowed: Vec<f64> = tone(length, |t| {
        wobble += (noise.next() - wobble) * 0.0009;
        phase += root * (1.0 + bend * t / length + wobble * 0.55) / RATE;
        let stick: f64 = (1..=9).map(|h| (TAU * phase * f64::from(h)).sin() / f64::from(h).powf(1.25)).sum();
        stick * (0.72 + 0.28 * (TAU * 5.3 * t + wobble * 30.0).sin()) * swell(t, length, 0.35, 1.3)
    });
    let mut plates = vec![0.0; bowed.len()];
    for (frequency, q, gain) in [(root * 4.1, 12.0, 0.9), (root * 6.7, 18.0, 0.6), (root * 11.3, 22.0, 0.35)] {
        let mut band = Biquad::band(frequency, q);
        for (out, x) in plates.iter_mut().zip(&bowed) {
            *out += band.step(*x) * gain * 3.0;
        }
    }
    add(&mut bowed, &plates, 0.0, 0.8);
    Biquad::low(900.0, 0.7).run(&mut bowed);
    finish(bowed, 0.02, 0.4)
}

/// Timber and rivets easing: a train of small resonant slips.
fn creak(n: u64) -> Vec<f64> {
    let mut noise = Noise::new(200 + n);
    let mut out = vec![0.0; frames(1.6)];
    let mut at = 0.03;
    let mut gap = noise.between(0.034, 0.05);
    let root = noise.between(310.0, 420.0);
    while at < 1.0 {
        let slip = struck(0.25, 0.0008, &[(root * (1.0 + at * 0.18), 0.6, 0.07), (root * 2.63, 0.35, 0.05), (root * 4.2, 0.2, 0.03)]);
        add(&mut out, &slip, at, swell(at, 1.05, 0.35, 0.5) * noise.between(0.7, 1.0));
        at += gap;
        gap *= noise.between(0.93, 1.04);
    }
    Biquad::low(3200.0, 0.7).run(&mut out);
    finish(out, 0.01, 0.3)
}

/// Something hard against the bell's wall.
fn knock(n: u64) -> Vec<f64> {
    let mut noise = Noise::new(300 + n);
    let root = noise.between(92.0, 128.0);
    let partials: Vec<(f64, f64, f64)> = [(1.0, 1.0, 0.9), (2.76, 0.6, 0.75), (5.4, 0.4, 0.5), (8.93, 0.22, 0.32), (13.3, 0.12, 0.2)]
        .iter()
        .map(|(ratio, gain, decay)| (root * ratio * noise.between(0.985, 1.015), gain * noise.between(0.8, 1.1), decay * noise.between(0.85, 1.2)))
        .collect();
    let mut out = struck(1.3, 0.0012, &partials);
    let mut hit = Noise::new(330 + n).buffer(frames(0.06));
    for (i, s) in hit.iter_mut().enumerate() {
        *s *= strike(0.0008, 0.035, i as f64 / RATE);
    }
    Biquad::low(1800.0, 0.8).run(&mut hit);
    add(&mut out, &hit, 0.0, 0.9);
    finish(out, 0.0006, 0.3)
}

fn step_noise(seed: u64, attack: f64, decay: f64, low: f64, high: f64, length: f64) -> Vec<f64> {
    let mut out = Noise::new(seed).buffer(frames(length));
    for (i, s) in out.iter_mut().enumerate() {
        *s *= strike(attack, decay, i as f64 / RATE);
    }
    Biquad::low(high, 0.7).run(&mut out);
    Biquad::high(low, 0.7).run(&mut out);
    out
}

/// A boot on wet planks: a thud, a hollow body, a little grit.
fn plank(n: u64) -> Vec<f64> {
    let mut noise = Noise::new(400 + n);
    let body = noise.between(118.0, 150.0);
    let mut out = struck(0.55, 0.002, &[(body, 1.0, 0.16), (body * 2.2, 0.5, 0.12), (body * 3.7, 0.25, 0.08)]);
    add(&mut out, &step_noise(410 + n, 0.001, 0.05, 300.0, 2600.0, 0.2), 0.0, 0.45);
    add(&mut out, &step_noise(420 + n, 0.012, 0.09, 900.0, 5200.0, 0.3), noise.between(0.05, 0.09), 0.16);
    finish(out, 0.0008, 0.15)
}

/// A boot on an iron grate: a clank that rings shortly.
fn grate(n: u64) -> Vec<f64> {
    let mut noise = Noise::new(500 + n);
    let root = noise.between(405.0, 470.0);
    let partials: Vec<(f64, f64, f64)> = [(0.31, 0.8, 0.16), (1.0, 0.55, 0.34), (1.71, 0.42, 0.3), (2.93, 0.3, 0.24), (4.37, 0.2, 0.18), (6.1, 0.12, 0.12)]
        .iter()
        .map(|(r, g, d)| (root * r * noise.between(0.98, 1.02), *g, d * noise.between(0.8, 1.25)))
        .collect();
    let mut out = struck(0.62, 0.0009, &partials);
    add(&mut out, &step_noise(510 + n, 0.0008, 0.03, 500.0, 4200.0, 0.15), 0.0, 0.35);
    let second: Vec<(f64, f64, f64)> = partials.iter().map(|(f, g, d)| (f * 1.037, g * 0.35, d * 0.7)).collect();
    add(&mut out, &struck(0.4, 0.001, &second), noise.between(0.055, 0.085), 1.0);
    finish(out, 0.0006, 0.15)
}

/// A boot into silt: soft, with a slow suck as it leaves.
fn silt(n: u64) -> Vec<f64> {
    let mut noise = Noise::new(600 + n);
    let mut out = vec![0.0; frames(0.75)];
    add(&mut out, &step_noise(610 + n, 0.012, 0.16, 70.0, 700.0, 0.5), 0.0, 1.0);
    let at = noise.between(0.2, 0.26);
    let mut bubble = 0.0;
    let rise = noise.between(240.0, 330.0);
    let suck = tone(0.2, |t| {
        bubble += rise * (1.0 + t * 4.0) / RATE;
        (TAU * bubble).sin() * swell(t, 0.2, 0.06, 0.12)
    });
    add(&mut out, &suck, at, 0.16);
    add(&mut out, &step_noise(620 + n, 0.05, 0.2, 300.0, 1600.0, 0.4), at - 0.04, 0.35);
    finish(out, 0.004, 0.2)
}

/// A snapping shrimp: a dry click with a tiny cavity behind it.
fn snap(n: u64) -> Vec<f64> {
    let mut noise = Noise::new(700 + n);
    let root = noise.between(2300.0, 3600.0);
    let mut out = struck(0.5, 0.0004, &[(root, 0.8, 0.03), (root * 1.53, 0.5, 0.022), (root * 0.42, 0.5, 0.05)]);
    add(&mut out, &step_noise(710 + n, 0.0005, 0.02, 1200.0, 7000.0, 0.1), 0.0, 0.5);
    for echo in 1..=3 {
        let late = out.clone();
        add(&mut out, &late[..frames(0.06)], 0.031 * f64::from(echo) + noise.between(0.0, 0.006), 0.12 / f64::from(echo));
    }
    finish(out, 0.0004, 0.15)
}

/// Breath through a valve: in with a hiss, a click, out with bubbles.
fn breath(n: u64) -> Vec<f64> {
    let mut noise = Noise::new(800 + n);
    let length = noise.between(2.3, 2.8);
    let mut air = Noise::new(810 + n).buffer(frames(length));
    let (mut throat, mut hiss) = (Biquad::band(noise.between(520.0, 640.0), 1.1), Biquad::band(2600.0, 0.9));
    for (i, s) in air.iter_mut().enumerate() {
        let t = i as f64 / RATE;
        let inward = swell(t, 1.0, 0.35, 0.3) * f64::from(t < 1.0);
        let outward = swell(t - 1.25, length - 1.3, 0.12, 0.8) * f64::from(t > 1.25);
        let x = *s;
        *s = throat.step(x) * (0.5 * inward + outward) + hiss.step(x) * (0.55 * inward + 0.14 * outward);
    }
    add(&mut air, &struck(0.08, 0.0006, &[(1450.0, 0.25, 0.02), (730.0, 0.2, 0.03)]), 1.06, 0.6);
    for _ in 0..11 {
        let pitch = noise.between(380.0, 900.0);
        let mut phase = 0.0;
        let bubble = tone(0.09, |t| {
            phase += pitch * (1.0 + t * 5.0) / RATE;
            (TAU * phase).sin() * strike(0.006, 0.07, t)
        });
        add(&mut air, &bubble, noise.between(1.35, length - 0.35), noise.between(0.05, 0.12));
    }
    finish(air, 0.03, 0.3)
}

/// A salvaged bell-glass: tuned to D, its partials those of a struck bowl.
fn chime(n: u64) -> Vec<f64> {
    let root = [587.33, 698.46, 880.0][(n - 1) as usize];
    let mut out = struck(
        3.6,
        0.002,
        &[(root, 1.0, 3.2), (root * 1.003, 0.5, 2.9), (root * 2.71, 0.5, 1.9), (root * 5.2, 0.22, 1.0), (root * 8.4, 0.1, 0.5), (root * 0.5, 0.25, 2.4)],
    );
    let answer = struck(2.6, 0.003, &[(root * 1.5, 0.5, 2.2), (root * 1.5 * 2.71, 0.2, 1.2)]);
    add(&mut out, &answer, 0.36, 0.55);
    finish(out, 0.001, 0.6)
}

/// Something long and pale, far off: a call that falls, with a rough second voice.
fn eel(n: u64) -> Vec<f64> {
    let mut noise = Noise::new(900 + n);
    let root = [73.42, 82.41, 65.41][(n - 1) as usize];
    let length = 3.2;
    let (mut one, mut two, mut drift) = (0.0, 0.0, 0.0);
    let mut out = tone(length, |t| {
        drift += (noise.next() - drift) * 0.0006;
        let fall = 1.12 - 0.2 * (t / length).powf(0.7) + drift * 0.4;
        one += root * fall / RATE;
        two += root * 1.498 * (fall + 0.01 * (TAU * 4.1 * t).sin()) / RATE;
        let voice = |phase: f64, bright: f64| (1..=7).map(|h| (TAU * phase * f64::from(h)).sin() * bright.powi(h)).sum::<f64>();
        (voice(one, 0.72) + 0.5 * voice(two, 0.55)) * swell(t, length, 0.7, 1.6)
    });
    Biquad::low(760.0, 0.9).run(&mut out);
    finish(out, 0.05, 0.5)
}

/// A sonar ping on A, with the walls of a flooded street behind it.
fn ping(n: u64) -> Vec<f64> {
    let root = [880.0, 783.99][(n - 1) as usize];
    let ping = struck(1.4, 0.006, &[(root, 1.0, 0.9), (root * 2.0, 0.22, 0.5), (root * 3.01, 0.08, 0.3)]);
    let mut out = vec![0.0; frames(3.0)];
    add(&mut out, &ping, 0.0, 1.0);
    let mut noise = Noise::new(1000 + n);
    let mut dark = ping;
    Biquad::low(1500.0, 0.7).run(&mut dark);
    for echo in 1..14 {
        let late = 0.19 * f64::from(echo) * noise.between(0.86, 1.1);
        if late < 1.55 {
            add(&mut out, &dark, late, 0.34 * 0.72f64.powi(echo));
        }
    }
    finish(out, 0.002, 0.7)
}

/// The winch as one stretch of time, cut in three: it runs up, goes round, runs down.
fn winch() -> Group {
    let (up, around, down) = (1.3, 2.0, 1.5);
    let grind = round_noise(1100, around, |n| {
        Biquad::band(1150.0, 1.4).run(n);
    });
    let voice = |phase: f64| (1..=8).map(|h| (TAU * phase * f64::from(h)).sin() / f64::from(h).powf(1.1)).sum::<f64>() * 0.3;
    // A tooth of the gear every fifth turn, as a train of partials so that it closes on itself.
    let tooth = |phase: f64| {
        let x = (phase / 5.0).rem_euclid(1.0) * 5.0 / 55.0;
        strike(0.0015, 0.05, x) * ((TAU * 660.0 * x).sin() + 0.6 * (TAU * 1490.0 * x).sin()) * 0.5
    };
    // Phase counts turns at 55 a second and is 0 where the round begins.
    let make = |seconds: f64, speed: &dyn Fn(f64) -> f64, phase_at: &dyn Fn(f64) -> f64, from: f64| {
        tone(seconds, |t| {
            let s = speed(t);
            let rough = grind[(((t + from) * RATE).round() as i64).rem_euclid(grind.len() as i64) as usize];
            (voice(phase_at(t)) + tooth(phase_at(t)) + rough * 0.5 * s) * s.powf(0.6)
        })
    };
    // Speed rises as 3x² − 2x³ of the time; its integral is known.
    let integral = |x: f64| x.powi(3) - x.powi(4) / 2.0;
    let smooth = |x: f64| x * x * (3.0 - 2.0 * x);
    let start = make(up, &|t| smooth(t / up), &|t| 55.0 * up * (integral(t / up) - 0.5), -up);
    let round = make(around, &|_| 1.0, &|t| 55.0 * t, 0.0);
    let stop = make(down, &|t| smooth(1.0 - t / down), &|t| 55.0 * down * (0.5 - integral(1.0 - t / down)), 0.0);
    Group { loudness: -21.0, files: vec![("winch/start".into(), vec![start]), ("winch/loop".into(), vec![round]), ("winch/stop".into(), vec![stop])] }
}

/// The thruster: blades through water, 4 s that close on themselves.
fn thruster() -> Vec<f64> {
    let length = 4.0;
    let wash = round_noise(1200, length, |n| {
        Biquad::band(420.0, 0.6).run(n);
        Biquad::low(1900.0, 0.7).run(n);
    });
    let mut hum = tone(length, |t| (1..=6).map(|h| (TAU * 82.5 * f64::from(h) * t + f64::from(h * h)).sin() / f64::from(h)).sum::<f64>() * 0.22);
    for (i, (h, w)) in hum.iter_mut().zip(&wash).enumerate() {
        let t = i as f64 / RATE;
        let blades = 0.62 + 0.38 * (TAU * 13.75 * t).sin();
        *h = *h * (0.8 + 0.2 * (TAU * 27.5 * t).sin()) + w * blades * 1.6;
    }
    hum
}

/// The boiler: a low roar, a hum on D, water ticking in the pipes; 6 s that close on themselves.
fn boiler() -> Vec<f64> {
    let length = 6.0;
    let mut roar = round_noise(1300, length, |n| {
        Biquad::low(210.0, 0.8).run(n);
        Biquad::low(420.0, 0.7).run(n);
    });
    let hum = tone(length, |t| {
        (1..=4).map(|h| (TAU * 36.5 * 2.0 * f64::from(h) * t).sin() / f64::from(h).powf(1.6)).sum::<f64>() * (0.85 + 0.15 * (TAU * t / 3.0).sin())
    });
    add(&mut roar, &hum, 0.0, 0.11);
    let mut noise = Noise::new(1310);
    let count = roar.len();
    for _ in 0..16 {
        let pitch = noise.between(700.0, 1500.0);
        let tick = struck(0.12, 0.001, &[(pitch, 1.0, 0.06), (pitch * 2.4, 0.4, 0.04)]);
        let at = frames(noise.between(0.0, length));
        let gain = noise.between(0.015, 0.05);
        for (i, s) in tick.iter().enumerate() {
            roar[(at + i) % count] += s * gain;
        }
    }
    roar
}

/// Water at the quay: slow waves against stone; 12 s that close on themselves.
fn quay() -> Vec<f64> {
    let length = 12.0;
    let mut low = round_noise(1400, length, |n| Biquad::low(420.0, 0.6).run(n));
    let wash = round_noise(1401, length, |n| Biquad::band(1500.0, 0.5).run(n));
    for (i, (l, w)) in low.iter_mut().zip(&wash).enumerate() {
        let t = i as f64 / RATE;
        // Waves of 4 s and 3 s: both fit twelve.
        let wave = (0.5 - 0.5 * (TAU * t / 4.0).cos()).powi(2) + 0.5 * (0.5 - 0.5 * (TAU * t / 3.0 + 1.0).cos()).powi(3);
        *l = *l * (0.5 + 0.5 * wave) + w * 0.32 * wave;
    }
    low
}

/// Water in the streets: deep and slow, with far drops; 12 s that close on themselves.
fn streets() -> Vec<f64> {
    let length = 12.0;
    let mut bed = round_noise(1500, length, |n| {
        Biquad::low(160.0, 0.7).run(n);
        Biquad::low(600.0, 0.6).run(n);
    });
    let moan =
        tone(length, |t| ((TAU * 73.5 * t).sin() + 0.6 * (TAU * 110.0 * t).sin() * (0.5 - 0.5 * (TAU * t / 6.0).cos())) * (0.6 + 0.4 * (TAU * t / 12.0).cos()));
    add(&mut bed, &moan, 0.0, 0.03);
    let mut noise = Noise::new(1510);
    let count = bed.len();
    for _ in 0..22 {
        let pitch = noise.between(500.0, 1150.0);
        let mut phase = 0.0;
        let drop = tone(0.2, |t| {
            phase += pitch * (1.0 + 1.8 * t) / RATE;
            (TAU * phase).sin() * strike(0.004, 0.14, t)
        });
        let at = frames(noise.between(0.0, length));
        let gain = noise.between(0.01, 0.035);
        for (i, s) in drop.iter().enumerate() {
            bed[(at + i) % count] += s * gain;
        }
    }
    bed
}

/// The bell's hatch: a wheel, bolts, and the weight of the lid.
fn hatch() -> Vec<f64> {
    let mut noise = Noise::new(1600);
    let mut out = vec![0.0; frames(2.6)];
    for turn in 0..9 {
        let at = 0.02 + f64::from(turn) * 0.095 + noise.between(0.0, 0.012);
        let tick = struck(0.2, 0.001, &[(610.0 * noise.between(0.97, 1.03), 0.5, 0.09), (1730.0, 0.25, 0.05)]);
        add(&mut out, &tick, at, 0.35 + f64::from(turn) * 0.03);
    }
    add(&mut out, &struck(1.4, 0.002, &[(86.0, 1.0, 0.7), (237.0, 0.6, 0.5), (466.0, 0.35, 0.35), (771.0, 0.2, 0.22)]), 1.0, 1.0);
    add(&mut out, &step_noise(1610, 0.09, 0.7, 200.0, 2400.0, 1.2), 1.08, 0.4);
    finish(out, 0.002, 0.5)
}
