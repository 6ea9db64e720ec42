//! Envelopes: how a sound's level rises, stays and falls, to the sample.

use crate::ground::curve::Shape;

/// Times in frames, and the curve of what moves.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Shaping {
    /// Silence before it begins.
    pub delay: u64,
    /// Rise from 0 to 1.
    pub attack: u64,
    /// How long it stays at 1.
    pub hold: u64,
    /// Fall to the sustained gain.
    pub decay: u64,
    /// The sustained gain, 0 to 1.
    pub sustain: f32,
    /// Fall to 0 when let go.
    pub release: u64,
    /// The curve of attack, decay and release.
    pub curve: Shape,
}

impl Shaping {
    /// At full gain from the first frame on, with a release of so many frames.
    #[must_use]
    pub fn plain(release: u64) -> Shaping {
        Shaping { delay: 0, attack: 0, hold: 0, decay: 0, sustain: 1.0, release, curve: Shape::Straight }
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum EnvelopeStage {
    Delay,
    Attack,
    Hold,
    Decay,
    Sustain,
    Release,
    Gone,
}

/// An envelope under way.
#[derive(Debug, Clone, Copy)]
pub struct Envelope {
    shaping: Shaping,
    stage: EnvelopeStage,
    /// Frames spent in the stage.
    at: u64,
    gain: f32,
    /// Where the release began, and how long it takes.
    from: f32,
    release: u64,
    /// The curve of the release.
    falling: Shape,
    /// A release that begins so many frames from now, over so many frames.
    pending: Option<(u64, u64)>,
}

impl Envelope {
    /// Begins.
    #[must_use]
    pub fn new(shaping: Shaping) -> Envelope {
        let mut envelope = Envelope { shaping, stage: EnvelopeStage::Delay, at: 0, gain: 0.0, from: 0.0, release: 0, falling: shaping.curve, pending: None };
        envelope.settle();
        envelope
    }

    /// The gain of the frame to come.
    #[must_use]
    pub fn gain(&self) -> f32 {
        self.gain
    }

    /// The gain, if it stays until it is let go.
    #[must_use]
    pub fn steady(&self) -> Option<f32> {
        (self.stage == EnvelopeStage::Sustain && self.pending.is_none()).then_some(self.gain)
    }

    /// Whether it has come to its end.
    #[must_use]
    pub fn gone(&self) -> bool {
        self.stage == EnvelopeStage::Gone
    }

    /// Whether it is about to begin to fall, or falls.
    #[must_use]
    pub fn released(&self) -> bool {
        self.pending.is_some() || matches!(self.stage, EnvelopeStage::Release | EnvelopeStage::Gone)
    }

    /// The frames of its release as set.
    #[must_use]
    pub fn release_frames(&self) -> u64 {
        self.shaping.release
    }

    /// Falls to 0 over `frames`, from `wait` frames on. A fall under way is only made shorter.
    pub fn let_go(&mut self, wait: u64, frames: u64) {
        let left = match (self.pending, self.stage) {
            (Some((wait, frames)), _) => wait + frames,
            (None, EnvelopeStage::Release) => self.release - self.at,
            (None, EnvelopeStage::Gone) => 0,
            _ => u64::MAX,
        };
        if wait + frames < left {
            self.pending = Some((wait, frames));
        }
    }

    /// As [`Envelope::let_go`], with a curve of its own.
    pub fn let_go_in(&mut self, wait: u64, frames: u64, curve: Shape) {
        if !self.released() {
            self.falling = curve;
        }
        self.let_go(wait, frames);
    }

    /// Goes through stages of no length, and works out the gain.
    fn settle(&mut self) {
        loop {
            let (length, next) = match self.stage {
                EnvelopeStage::Delay => (self.shaping.delay, EnvelopeStage::Attack),
                EnvelopeStage::Attack => (self.shaping.attack, EnvelopeStage::Hold),
                EnvelopeStage::Hold => (self.shaping.hold, EnvelopeStage::Decay),
                EnvelopeStage::Decay => (self.shaping.decay, EnvelopeStage::Sustain),
                EnvelopeStage::Release => (self.release, EnvelopeStage::Gone),
                EnvelopeStage::Sustain | EnvelopeStage::Gone => break,
            };
            if self.at < length {
                break;
            }
            (self.stage, self.at) = (next, 0);
        }
        let way = |length: u64| self.shaping.curve.at(self.at as f32 / length as f32);
        self.gain = match self.stage {
            EnvelopeStage::Delay | EnvelopeStage::Gone => 0.0,
            EnvelopeStage::Attack => way(self.shaping.attack),
            EnvelopeStage::Hold => 1.0,
            EnvelopeStage::Decay => 1.0 + (self.shaping.sustain - 1.0) * way(self.shaping.decay),
            EnvelopeStage::Sustain => self.shaping.sustain,
            EnvelopeStage::Release => self.from * self.falling.left_at(self.at as f32 / self.release as f32),
        };
    }

    /// Gives the gain of the next frame and goes on by one.
    pub fn next_gain(&mut self) -> f32 {
        if let Some((wait, frames)) = self.pending {
            if wait == 0 {
                self.pending = None;
                (self.from, self.release, self.stage, self.at) = (self.gain, frames, EnvelopeStage::Release, 0);
                self.settle();
            } else {
                self.pending = Some((wait - 1, frames));
            }
        }
        let gain = self.gain;
        if !matches!(self.stage, EnvelopeStage::Sustain | EnvelopeStage::Gone) {
            self.at += 1;
            self.settle();
        }
        gain
    }

    /// Goes on by many frames, for a voice that is not heard.
    pub fn skip(&mut self, frames: u64) {
        for _ in 0..frames {
            if self.steady().is_some() || self.gone() {
                break;
            }
            self.next_gain();
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn shaping() -> impl Strategy<Value = Shaping> {
        let curve = prop_oneof![Just(Shape::Straight), Just(Shape::Smooth), (0.2f32..4.0).prop_map(Shape::Power)];
        (0u64..100, 0u64..200, 0u64..100, 0u64..200, 0.0f32..=1.0, 1u64..300, curve).prop_map(|(delay, attack, hold, decay, sustain, release, curve)| Shaping {
            delay,
            attack,
            hold,
            decay,
            sustain,
            release,
            curve,
        })
    }

    proptest! {
        #[test]
        fn every_stage_takes_its_time_and_nothing_jumps_over(s in shaping(), let_go in 0u64..900) {
            let mut envelope = Envelope::new(s);
            for frame in 0..let_go {
                let gain = envelope.next_gain();
                prop_assert!((0.0..=1.0).contains(&gain));
                let full = s.delay + s.attack;
                if frame < s.delay {
                    prop_assert_eq!(gain, 0.0);
                } else if frame >= full && frame < full + s.hold {
                    prop_assert_eq!(gain, 1.0);
                } else if frame >= full + s.hold + s.decay {
                    prop_assert_eq!(gain, s.sustain);
                    prop_assert_eq!(envelope.steady(), Some(s.sustain));
                }
            }
            envelope.let_go(0, s.release);
            let mut last = f32::INFINITY;
            for _ in 0..s.release {
                prop_assert!(!envelope.gone());
                let gain = envelope.next_gain();
                prop_assert!(gain <= last + 1e-6);
                last = gain;
            }
            prop_assert!(envelope.gone() && envelope.next_gain() == 0.0);
        }

        #[test]
        fn a_later_longer_release_does_not_lengthen_the_first(s in shaping(), first in 2u64..50, second in 60u64..200) {
            let mut envelope = Envelope::new(s);
            envelope.let_go(3, first);
            envelope.let_go(0, second);
            for _ in 0..first + 3 {
                envelope.next_gain();
            }
            prop_assert!(envelope.gone());
        }
    }
}
