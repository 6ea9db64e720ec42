//! Where a voice stands in stereo: by its bearing, at constant power, wide near the listener.

use crate::dsp::{add_ramped, add_to_both};
use crate::ground::time::BLOCK;

/// Where something is heard.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Placement {
    /// Degrees from where the listener looks, to the right above 0.
    pub(crate) bearing: f32,
    /// In metres.
    pub(crate) distance: f32,
    /// From 0, a point, to 1, all around.
    pub(crate) width: f32,
}

/// Gains from each of two channels to the left and to the right; of one channel the second is not used.
pub(crate) type Gains = [[f32; 2]; 2];

/// Gains with a further one.
pub(crate) fn times(gains: Gains, by: f32) -> Gains {
    gains.map(|sides| sides.map(|gain| gain * by))
}

/// How a block of a voice is added to the two sides of a bus: gains that go in straight lines.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Ramps {
    pub(crate) channels: usize,
    /// The frame of the block on which it begins.
    pub(crate) offset: usize,
    /// The gains before its first frame and at its last one.
    pub(crate) begin: Gains,
    pub(crate) end: Gains,
}

impl Ramps {
    /// Adds channels that begin at their first frame to both sides, with a further gain at the beginning and at the end.
    pub(crate) fn add(&self, from: &[[f32; BLOCK]; 2], (begin, end): (f32, f32), left: &mut [f32; BLOCK], right: &mut [f32; BLOCK]) {
        let (left, right) = (&mut left[self.offset..], &mut right[self.offset..]);
        for (channel, samples) in from[..self.channels].iter().enumerate() {
            let samples = &samples[..left.len()];
            let [from_left, from_right] = self.begin[channel].map(|gain| gain * begin);
            let [to_left, to_right] = self.end[channel].map(|gain| gain * end);
            match ((from_left, to_left) == (0.0, 0.0), (from_right, to_right) == (0.0, 0.0)) {
                (false, false) => add_to_both(left, right, samples, [(from_left, to_left), (from_right, to_right)]),
                (false, true) => add_ramped(left, samples, from_left, to_left),
                (true, false) => add_ramped(right, samples, from_right, to_right),
                (true, true) => {}
            }
        }
    }
}

/// A voice that is not placed: one channel to both sides, or two as they are.
pub(crate) fn plain(channels: usize) -> Gains {
    if channels == 1 { [[1.0, 1.0], [0.0, 0.0]] } else { [[1.0, 0.0], [0.0, 1.0]] }
}

/// A voice that is not placed but panned, from −1 (left) to 1 (right).
///
/// One channel at constant power, as loud in the middle as if it were not panned; of two the other side is taken back (balance).
pub(crate) fn panned(channels: usize, pan: f32) -> Gains {
    if pan == 0.0 {
        plain(channels)
    } else if channels == 1 {
        [at(pan).map(|gain| gain * std::f32::consts::SQRT_2), [0.0, 0.0]]
    } else {
        let [left, right] = balance(pan);
        [[left, 0.0], [0.0, right]]
    }
}

/// The gains of two sides for a pan from −1 to 1: the one that it goes away from falls as a cosine, the other stays.
pub(crate) fn balance(pan: f32) -> [f32; 2] {
    let fallen = (pan.abs().min(1.0) * std::f32::consts::FRAC_PI_2).cos().max(0.0);
    if pan > 0.0 { [fallen, 1.0] } else { [1.0, fallen] }
}

/// The width where no curve says otherwise: all around at the listener, 15 % at 3 m, 5 % from 15 m on.
pub(crate) fn default_width(distance: f32) -> f32 {
    if distance < 3.0 { 1.0 - 0.85 * distance / 3.0 } else { (0.15 - 0.1 * (distance - 3.0) / 12.0).max(0.05) }
}

/// The left and right gain of a place from −1 (left) to 1 (right): the sum of their squares is always 1.
fn at(place: f32) -> [f32; 2] {
    let angle = (place.clamp(-1.0, 1.0) + 1.0) * std::f32::consts::FRAC_PI_4;
    [angle.cos(), angle.sin()]
}

impl Placement {
    /// The gains for a voice of one or two channels.
    ///
    /// One channel is as loud in power as if it were not placed; two channels stand as far apart as it is wide. What is behind
    /// is heard from its side.
    pub(crate) fn gains(&self, channels: usize) -> Gains {
        let place = self.bearing.to_radians().sin() * (1.0 - self.width);
        if channels == 1 {
            let [left, right] = at(place);
            let both = std::f32::consts::SQRT_2;
            [[left * both, right * both], [0.0, 0.0]]
        } else {
            [at(place - self.width), at(place + self.width)]
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_block_is_added_by_straight_lines_from_its_first_frame_on(
            begin in prop::array::uniform2(prop::array::uniform2(0.0f32..2.0)), end in prop::array::uniform2(prop::array::uniform2(0.0f32..2.0)),
            still in any::<bool>(), silent in 0usize..3, channels in 1usize..3, offset in 0usize..BLOCK, further in (0.0f32..2.0, 0.0f32..2.0)
        ) {
            let mut ramps = Ramps { channels, offset, begin, end: if still { begin } else { end } };
            if silent < 2 {
                // A side that hears nothing of it, as of two channels that lie as they are.
                (ramps.begin[0][silent], ramps.end[0][silent]) = (0.0, 0.0);
            }
            let from: [[f32; BLOCK]; 2] = std::array::from_fn(|channel| std::array::from_fn(|i| (channel * 31 + i * 7) as f32 / 100.0 - 2.0));
            let mut sides = [[0.25f32; BLOCK]; 2];
            let [left, right] = &mut sides;
            ramps.add(&from, further, left, right);
            for (side, out) in sides.iter().enumerate() {
                for (i, out) in out.iter().enumerate() {
                    let mut expected = 0.25;
                    if let Some(frame) = i.checked_sub(offset) {
                        let t = (frame + 1) as f32 / (BLOCK - offset) as f32;
                        for (channel, samples) in from.iter().enumerate().take(channels) {
                            let (a, b) = (ramps.begin[channel][side] * further.0, ramps.end[channel][side] * further.1);
                            expected += samples[frame] * (a + (b - a) * t);
                        }
                    }
                    prop_assert!((out - expected).abs() < 1e-4, "side {side}, frame {i}: {out} for {expected}");
                }
            }
        }

        #[test]
        fn panned_mono_keeps_its_power_and_stereo_its_near_side(pan in -1.0f32..1.0) {
            let [[left, right], _] = panned(1, pan);
            prop_assert!((left * left + right * right - 2.0).abs() < 1e-5);
            let expected = 20.0 * ((pan + 1.0) * std::f32::consts::FRAC_PI_4).tan().log10();
            prop_assert!((20.0 * (right / left).log10() - expected).abs() < 1e-3 || pan.abs() > 0.999);
            let [[left, across], [back, right]] = panned(2, pan);
            prop_assert_eq!((across, back, left.max(right)), (0.0, 0.0, 1.0));
            prop_assert!((left - right) * pan <= 0.0);
        }

        #[test]
        fn power_is_constant_whatever_the_bearing(bearing in -180.0f32..180.0, width in 0.0f32..1.0) {
            let placement = Placement { bearing, distance: 1.0, width };
            for channels in [1, 2] {
                let power: f32 = placement.gains(channels).iter().flatten().map(|g| g * g).sum();
                let db = 10.0 * (power / 2.0).log10();
                prop_assert!(db.abs() < 0.05, "{db} dB with {channels} channels");
            }
            let [[left, right], _] = placement.gains(1);
            prop_assert!((right - left) * bearing.to_radians().sin() >= -1e-6, "it is on the side where it is");
            let [[mirrored_left, mirrored_right], _] = Placement { bearing: -bearing, ..placement }.gains(1);
            prop_assert!((left - mirrored_right).abs() < 1e-5 && (right - mirrored_left).abs() < 1e-5);
        }
    }

    #[test]
    fn what_is_all_around_is_as_it_was_recorded() {
        for bearing in [-90.0, 0.0, 135.0] {
            let placement = Placement { bearing, distance: 0.0, width: 1.0 };
            for (gains, plain) in [(placement.gains(1), plain(1)), (placement.gains(2), plain(2))] {
                assert!(gains.iter().flatten().zip(plain.iter().flatten()).all(|(a, b)| (a - b).abs() < 1e-6), "{gains:?}");
            }
        }
        let point = Placement { bearing: 90.0, distance: 9.0, width: 0.0 };
        assert!(point.gains(2).iter().all(|[l, r]| l.abs() < 1e-6 && (r - 1.0).abs() < 1e-6), "a point has no sides of its own");
        assert_eq!((default_width(0.0), default_width(100.0)), (1.0, 0.05));
        assert!((default_width(3.0) - 0.15).abs() < 1e-6);
    }
}
