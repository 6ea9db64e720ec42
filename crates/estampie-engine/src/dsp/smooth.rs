//! Values that follow others smoothly, and fades.

/// 1, 2, 3 …: how far a block is at the end of each of its frames. A table, since processors turn whole numbers of 64 bits into
/// fractions only one at a time.
pub(super) const FRAMES: [f32; 64] = {
    let mut frames = [0.0; 64];
    let mut at = 0;
    while at < 64 {
        frames[at] = (at + 1) as f32;
        at += 1;
    }
    frames
};

/// Adds `from` to `to` with a gain that goes from `begin` to `end` in a straight line and is `end` at the last frame; at most 64 frames.
#[inline(always)]
pub(crate) fn add_ramped(to: &mut [f32], from: &[f32], begin: f32, end: f32) {
    let step = (end - begin) / from.len().max(1) as f32;
    if step == 0.0 {
        to.iter_mut().zip(from).for_each(|(to, from)| *to += from * end);
    } else {
        to.iter_mut().zip(from).zip(&FRAMES).for_each(|((to, from), frame)| *to += from * (begin + step * frame));
    }
}

/// The share of the way that a one-pole follower goes in `frames` frames if 90 % take `time` seconds; 1 for no time.
#[must_use]
pub fn block_coefficient(time: f64, frames: usize, rate: u32) -> f32 {
    if time <= 0.0 {
        return 1.0;
    }
    (1.0 - (-std::f64::consts::LN_10 * frames as f64 / (time * f64::from(rate))).exp()) as f32
}

/// A gain on its way from one value to another in a straight line.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Fade {
    now: f32,
    target: f32,
    step: f32,
    left: u64,
}

impl Fade {
    /// Stays at `gain`.
    #[must_use]
    pub fn at(gain: f32) -> Fade {
        Fade { now: gain, target: gain, step: 0.0, left: 0 }
    }

    /// From `from` to `to` in `frames` frames; at once if there are none.
    #[must_use]
    pub fn over(from: f32, to: f32, frames: u64) -> Fade {
        if frames == 0 { Fade::at(to) } else { Fade { now: from, target: to, step: (to - from) / frames as f32, left: frames } }
    }

    /// From where it is now to `to` in `frames` frames.
    #[must_use]
    pub fn towards(self, to: f32, frames: u64) -> Fade {
        Fade::over(self.now, to, frames)
    }

    /// The gain now.
    #[must_use]
    pub fn gain(&self) -> f32 {
        self.now
    }

    /// Where it goes, or where it is.
    #[must_use]
    pub fn target(&self) -> f32 {
        self.target
    }

    /// Frames until it is there.
    #[must_use]
    pub fn left(&self) -> u64 {
        self.left
    }

    /// Whether it has arrived.
    #[must_use]
    pub fn arrived(&self) -> bool {
        self.left == 0
    }

    /// Goes on by one frame and gives the gain of that frame.
    #[inline]
    pub fn next_gain(&mut self) -> f32 {
        let gain = self.now;
        if self.left > 0 {
            self.left -= 1;
            // Rounding must not carry it past its end.
            self.now = if self.left == 0 {
                self.target
            } else if self.step >= 0.0 {
                (self.now + self.step).min(self.target)
            } else {
                (self.now + self.step).max(self.target)
            };
        }
        gain
    }
}

/// A gain that goes from one value to another between two frames, the same for all who ask for a frame.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Swell {
    from: f32,
    to: f32,
    start: u64,
    frames: u64,
    curve: crate::ground::curve::Shape,
}

impl Swell {
    /// Stays at `gain`.
    #[must_use]
    pub fn at_rest(gain: f32) -> Swell {
        Swell { from: gain, to: gain, start: 0, frames: 0, curve: crate::ground::curve::Shape::Straight }
    }

    /// Goes from where this one is at frame `start` to `to` within `frames`.
    #[must_use]
    pub fn towards(self, to: f32, start: u64, frames: u64, curve: crate::ground::curve::Shape) -> Swell {
        Swell { from: self.at(start), to, start, frames, curve }
    }

    /// The gain at a frame.
    #[must_use]
    pub fn at(&self, frame: u64) -> f32 {
        if frame >= self.start + self.frames {
            return self.to;
        }
        if frame <= self.start {
            return self.from;
        }
        let t = (frame - self.start) as f32 / self.frames as f32;
        if self.to < self.from && self.curve == crate::ground::curve::Shape::EqualPower {
            return self.to + (self.from - self.to) * self.curve.left_at(t);
        }
        self.from + (self.to - self.from) * self.curve.at(t)
    }

    /// Where it goes.
    #[must_use]
    pub fn target(&self) -> f32 {
        self.to
    }

    /// The gain, if it is the same from a frame on for so many frames.
    #[must_use]
    pub fn steady(&self, frame: u64, count: u64) -> Option<f32> {
        if frame >= self.start + self.frames {
            Some(self.to)
        } else if frame + count <= self.start {
            Some(self.from)
        } else {
            None
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_ramp_ends_where_it_should() {
        let (mut out, ones) = ([0.5f32; 64], [1.0f32; 64]);
        add_ramped(&mut out, &ones, 0.0, 1.0);
        assert!((out[0] - 0.5 - 1.0 / 64.0).abs() < 1e-6 && out[63] == 1.5);
        assert!(out.windows(2).all(|w| (w[1] - w[0] - 1.0 / 64.0).abs() < 1e-6), "in even steps");
        let mut short = [0.0f32; 10];
        add_ramped(&mut short, &ones[..10], 2.0, 1.0);
        assert!((short[9] - 1.0).abs() < 1e-6 && (short[0] - 1.9).abs() < 1e-6);
        add_ramped(&mut short, &ones[..10], 3.0, 3.0);
        assert!((short[9] - 4.0).abs() < 1e-6);
    }
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_fade_arrives_when_it_should_and_never_overshoots(from in 0.0f32..2.0, to in 0.0f32..2.0, frames in 1u64..5000) {
            let mut fade = Fade::over(from, to, frames);
            for _ in 0..frames + 2 {
                let gain = fade.next_gain();
                prop_assert!(gain >= from.min(to) && gain <= from.max(to));
            }
            prop_assert!(fade.arrived());
            prop_assert_eq!(fade.gain(), to);
        }
    }

    #[test]
    fn ninety_percent_are_done_in_the_time_given() {
        let coefficient = block_coefficient(0.1, 64, 48_000);
        let mut value = 0.0f32;
        for _ in 0..75 {
            value += (1.0 - value) * coefficient;
        }
        assert!((value - 0.9).abs() < 1e-3, "{value}");
        assert_eq!(block_coefficient(0.0, 64, 48_000), 1.0);
    }
}
