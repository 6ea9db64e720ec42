//! Transients: the beginnings of sounds, and what rings after them, louder or softer, whatever their level.
//!
//! A quick follower of the amplitude and one that rises slowly after it lie apart only where a sound begins; one that falls slowly lies over the quick
//! one only while it rings. How far apart they lie, in dB, says how much of the settings is heard.

use super::{Around, Effect, Kind, Making, Ramp, Setting, Unit, gain_of};

pub(super) const TRANSIENT: Kind = Kind {
    word: "transient",
    says: "the beginnings of sounds, and what rings after them, louder or softer",
    settings: &[Setting::new("attack", Unit::Decibels, (-24.0, 24.0), 0.0), Setting::new("sustain", Unit::Decibels, (-24.0, 24.0), 0.0)],
    make: |making: &Making| Box::new(Transient::new(making.rate)),
    ..Kind::PLAIN
};

/// Times to 63 % in seconds: the quick and the slow rise, the fall of those two, and the slow fall.
const QUICK: f32 = 0.001;
const SLOW: f32 = 0.030;
const FALL: f32 = 0.060;
const SLOW_FALL: f32 = 0.400;
/// So far apart, in dB, nothing of a setting is heard yet (the followers ripple with the waves of a steady tone), and all of it.
const NOTHING: f32 = 1.2;
const WHOLE: f32 = 9.0;
/// Below this amplitude (−100 dB) there is nothing to shape.
const FLOOR: f32 = 1e-5;

/// An amplitude followed with a rise and a fall, as shares of the way in a frame.
#[derive(Debug, Clone, Copy)]
struct Follower {
    rise: f32,
    fall: f32,
    now: f32,
}

impl Follower {
    fn new(rise: f32, fall: f32, rate: u32) -> Follower {
        let share = |time: f32| 1.0 - (-1.0 / (time * rate as f32)).exp();
        Follower { rise: share(rise), fall: share(fall), now: 0.0 }
    }

    fn next(&mut self, amplitude: f32) -> f32 {
        self.now += (amplitude - self.now) * if amplitude > self.now { self.rise } else { self.fall };
        self.now
    }
}

#[derive(Debug)]
struct Transient {
    attack: Ramp,
    ring: Ramp,
    quick: Follower,
    slow: Follower,
    ringing: Follower,
    /// The gain in dB, followed so that the ripple of low tones is not heard.
    level: f32,
    smooth: f32,
}

impl Transient {
    fn new(rate: u32) -> Transient {
        Transient {
            attack: Ramp::NEW,
            ring: Ramp::NEW,
            quick: Follower::new(QUICK, FALL, rate),
            slow: Follower::new(SLOW, FALL, rate),
            ringing: Follower::new(QUICK, SLOW_FALL, rate),
            level: 0.0,
            smooth: 1.0 - (-1.0 / (0.000_5 * rate as f32)).exp(),
        }
    }
}

/// How far the first lies over the second, as a share of what counts in full.
fn over(above: f32, below: f32) -> f32 {
    ((20.0 * ((above + FLOOR) / (below + FLOOR)).log10() - NOTHING) / (WHOLE - NOTHING)).clamp(0.0, 1.0)
}

impl Effect for Transient {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let (mut attack, attack_step) = self.attack.steps(around.to[0], left.len());
        let (mut ring, ring_step) = self.ring.steps(around.to[1], left.len());
        for (l, r) in left.iter_mut().zip(right) {
            attack += attack_step;
            ring += ring_step;
            let amplitude = l.abs().max(r.abs());
            // The others follow the quick one, which holds over the waves of a tone: a steady tone then moves none of them apart.
            let quick = self.quick.next(amplitude);
            let (slow, ringing) = (self.slow.next(quick), self.ringing.next(quick));
            let wanted = attack * over(quick, slow) + ring * over(ringing, quick);
            self.level += (wanted - self.level) * self.smooth;
            // At rest it passes bit for bit.
            if self.level.abs() < 1e-6 && wanted == 0.0 {
                self.level = 0.0;
                continue;
            }
            let gain = gain_of(self.level);
            *l *= gain;
            *r *= gain;
        }
    }

    fn clear(&mut self) {
        (self.quick.now, self.slow.now, self.ringing.now, self.level) = (0.0, 0.0, 0.0, 0.0);
    }
}
