//! Compressor, and expander or gate.
//!
//! Feed-forward with the gain computer and the smooth, decoupled detector in decibels of D. Giannoulis, M. Massberg and
//! J. Reiss, *Digital Dynamic Range Compressor Design*, J. Audio Eng. Soc. 60 (2012). Attack and release are the times in
//! which 63 % of a change are done. Both channels are turned down alike.

use super::{Around, Effect, Grip, Kind, Making, Picture, Ramp, Setting, Takes, Unit, db_of, gain_of};

const DETECT: &[&str] = &["peak", "rms"];
/// So far below the threshold an expander's ratio is taken hold of, in dB: where the widest knee ends.
const BELOW: f32 = 12.0;
/// RMS is the root of the mean square followed with this time constant.
const RMS_TIME: f64 = 0.010;

const fn time(word: &'static str, ends: (f32, f32), rest: f32) -> Setting {
    Setting::new(word, Unit::Seconds, ends, rest)
}

pub(super) const COMPRESSOR: Kind = Kind {
    word: "compressor",
    says: "turns down what is over a threshold",
    settings: &[
        Setting::new("threshold", Unit::Decibels, (-80.0, 0.0), 0.0),
        Setting::new("ratio", Unit::Number, (1.0, 100.0), 3.0),
        Setting::new("knee", Unit::Decibels, (0.0, 24.0), 6.0),
        time("attack", (0.0001, 1.0), 0.010),
        time("release", (0.005, 5.0), 0.150),
        Setting::new("make-up", Unit::Decibels, (0.0, 24.0), 0.0),
        Setting::choice("detect", DETECT),
    ],
    takes: Takes { sidechain: true, ..Takes::NOTHING },
    picture: Some(Picture::Transfer(|to, level| level + compressed(level - to[0], to[1], to[2]) + to[5])),
    grips: &[
        Grip { setting: 0, at: |to| (to[0], to[0] + compressed(0.0, to[1], to[2]) + to[5]), put: |to, (level, _)| to[0] = level },
        // The ratio, by what comes of full scale: beyond the knee it is a straight line.
        Grip {
            setting: 1,
            at: |to| (0.0, compressed(-to[0], to[1], to[2]) + to[5]),
            put: |to, (_, level)| {
                let over = -to[0];
                if 2.0 * over > to[2] {
                    let share = (1.0 + (level - to[5]) / over).max(0.005);
                    to[1] = 1.0 / share;
                }
            },
        },
    ],
    make: |making: &Making| Box::new(Dynamics::new(making, false)),
    ..Kind::PLAIN
};

pub(super) const EXPANDER: Kind = Kind {
    word: "expander",
    says: "turns down what is under a threshold; a gate at a high ratio",
    settings: &[
        Setting::new("threshold", Unit::Decibels, (-96.0, 0.0), -96.0),
        Setting::new("ratio", Unit::Number, (1.0, 100.0), 2.0),
        Setting::new("knee", Unit::Decibels, (0.0, 24.0), 6.0),
        time("attack", (0.0001, 1.0), 0.002),
        time("release", (0.005, 5.0), 0.200),
        Setting::new("range", Unit::Decibels, (-96.0, 0.0), -60.0),
        Setting::choice("detect", DETECT),
        time("hold", (0.0, 2.0), 0.020),
    ],
    takes: Takes { sidechain: true, ..Takes::NOTHING },
    picture: Some(Picture::Transfer(|to, level| level + expanded(level - to[0], to[1], to[2], to[5]))),
    grips: &[
        Grip { setting: 0, at: |to| (to[0], to[0] + expanded(0.0, to[1], to[2], to[5])), put: |to, (level, _)| to[0] = level },
        // The ratio, by what comes of a level as far below the threshold as the widest knee reaches.
        Grip {
            setting: 1,
            at: |to| (to[0] - BELOW, to[0] - BELOW + expanded(-BELOW, to[1], to[2], to[5])),
            // The range ends it: deeper than that no ratio reaches, and one that is cut off already stays.
            put: |to, (_, level)| {
                let (down, most) = (to[0] - BELOW - level, -to[5]);
                if down < most || expanded(-BELOW, to[1], to[2], f32::NEG_INFINITY) > to[5] {
                    to[1] = 1.0 + down.min(most) / BELOW;
                }
            },
        },
    ],
    make: |making: &Making| Box::new(Dynamics::new(making, true)),
    ..Kind::PLAIN
};

/// By how much a level over or under the threshold is changed, in dB (0 or less).
///
/// `over` is the level above the threshold in dB. The knee is a parabola that touches both straight parts.
pub(super) fn compressed(over: f32, ratio: f32, knee: f32) -> f32 {
    let slope = 1.0 / ratio.max(1.0) - 1.0;
    if 2.0 * over < -knee {
        0.0
    } else if 2.0 * over.abs() <= knee && knee > 0.0 {
        slope * (over + knee / 2.0).powi(2) / (2.0 * knee)
    } else {
        slope * over
    }
}

pub(super) fn expanded(over: f32, ratio: f32, knee: f32, range: f32) -> f32 {
    let slope = ratio.max(1.0) - 1.0;
    let change = if 2.0 * over > knee {
        0.0
    } else if 2.0 * over.abs() <= knee && knee > 0.0 {
        -slope * (over - knee / 2.0).powi(2) / (2.0 * knee)
    } else {
        slope * over
    };
    change.max(range)
}

#[derive(Debug)]
struct Dynamics {
    rate: f64,
    below: bool,
    rms: bool,
    square: f32,
    /// What the gain computer asks for, with instant attack and slow release; then smoothed by the attack.
    held: f32,
    change: f32,
    hold_left: u32,
    make_up: Ramp,
    least: f32,
    /// Seconds until it has gone back to where it is in silence.
    settles: f32,
}

impl Dynamics {
    fn new(making: &Making, below: bool) -> Dynamics {
        Dynamics {
            rate: f64::from(making.rate),
            below,
            rms: making.values[6] >= 0.5,
            square: 0.0,
            held: 0.0,
            change: 0.0,
            hold_left: 0,
            make_up: Ramp::NEW,
            least: 0.0,
            settles: 0.0,
        }
    }

    /// The share kept from one frame to the next for a time constant.
    fn keep(&self, time: f32) -> f32 {
        (-1.0 / (f64::from(time).max(1e-5) * self.rate)).exp() as f32
    }

    /// What is wanted goes through two followers: for a compressor release, then attack; an expander opens by its attack and
    /// closes by its release, once it has been under the threshold for as long as it holds.
    fn follow(&mut self, wanted: f32, attack: f32, release: f32) {
        if self.below {
            if wanted > self.change {
                self.change = wanted + (self.change - wanted) * attack;
            } else if self.hold_left == 0 {
                self.change = wanted + (self.change - wanted) * release;
            }
        } else {
            let slow = wanted + (self.held - wanted) * release;
            self.held = wanted.min(slow);
            self.change = self.held + (self.change - self.held) * attack;
        }
        if self.change.abs() < 1e-6 {
            self.change = 0.0;
        }
        if self.held.abs() < 1e-6 {
            self.held = 0.0;
        }
    }
}

impl Effect for Dynamics {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let to = around.to;
        let (threshold, ratio, knee) = (to[0], to[1], to[2]);
        let (attack, release) = (self.keep(to[3]), self.keep(to[4]));
        let follow = 1.0 - self.keep(RMS_TIME as f32);
        let hold = if self.below { (f64::from(to[7]) * self.rate) as u32 } else { 0 };
        let (mut make_up, step) = self.make_up.steps(if self.below { 1.0 } else { gain_of(to[5]) }, left.len());
        self.least = 0.0;
        self.settles = 5.0 * to[4] + if self.below { to[7] } else { 0.0 };
        for i in 0..left.len() {
            let (a, b) = around.key.map_or((left[i], right[i]), |[l, r]| (l[i], r[i]));
            let level = if self.rms {
                self.square += (a.mul_add(a, b * b) * 0.5 - self.square) * follow;
                10.0 * self.square.max(1e-16).log10()
            } else {
                db_of(a.abs().max(b.abs()))
            };
            let over = level - threshold;
            let wanted = if self.below { expanded(over, ratio, knee, to[5]) } else { compressed(over, ratio, knee) };
            self.hold_left = if over >= 0.0 { hold } else { self.hold_left.saturating_sub(1) };
            self.follow(wanted, attack, release);
            self.least = self.least.min(self.change);
            make_up += step;
            let gain = gain_of(self.change) * make_up;
            left[i] *= gain;
            right[i] *= gain;
        }
        if self.square < 1e-20 {
            self.square = 0.0;
        }
    }

    fn longest_gap(&self) -> f32 {
        // What it has come to is followed to its end, or the next sound would begin turned down.
        self.settles
    }

    fn reduction(&self) -> Option<f32> {
        Some(self.least)
    }

    fn clear(&mut self) {
        (self.square, self.held, self.change, self.hold_left) = (0.0, 0.0, 0.0, 0);
    }
}
