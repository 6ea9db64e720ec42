//! Gain, and the width of the stereo image.

use super::{Around, Effect, Kind, Making, Ramp, Setting, Unit, gain_of};

pub(super) const GAIN: Kind = Kind {
    word: "gain",
    says: "makes louder or softer",
    settings: &[Setting::new("level", Unit::Decibels, (-96.0, 24.0), 0.0)],
    make: |_: &Making| Box::new(Gain { level: Ramp::NEW }),
    ..Kind::PLAIN
};

pub(super) const WIDTH: Kind = Kind {
    word: "width",
    says: "narrows or widens the stereo image",
    settings: &[Setting::new("width", Unit::Share, (0.0, 2.0), 1.0)],
    make: |_: &Making| Box::new(Width { width: Ramp::NEW }),
    ..Kind::PLAIN
};

#[derive(Debug)]
struct Gain {
    level: Ramp,
}

impl Effect for Gain {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let (mut gain, step) = self.level.steps(gain_of(around.to[0]), left.len());
        for (l, r) in left.iter_mut().zip(right) {
            gain += step;
            *l *= gain;
            *r *= gain;
        }
    }

    fn clear(&mut self) {}
}

/// The difference of the channels is scaled, their sum is not: 0 is mono, 1 leaves all as it is.
#[derive(Debug)]
struct Width {
    width: Ramp,
}

impl Effect for Width {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let (mut width, step) = self.width.steps(around.to[0], left.len());
        for (l, r) in left.iter_mut().zip(right) {
            width += step;
            let (middle, side) = (0.5 * (*l + *r), 0.5 * (*l - *r) * width);
            (*l, *r) = (middle + side, middle - side);
        }
    }

    fn clear(&mut self) {}
}
