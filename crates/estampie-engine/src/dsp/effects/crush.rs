//! Fewer bits and a lower rate, on purpose.

use super::{Around, Effect, Kind, Making, Ramp, Setting, Unit};

pub(super) const CRUSH: Kind = Kind {
    word: "crush",
    says: "fewer bits and a lower rate",
    settings: &[Setting::new("bits", Unit::Number, (1.0, 24.0), 24.0), Setting::new("rate", Unit::Hertz, (200.0, 48_000.0), 48_000.0)],
    make: |making: &Making| Box::new(Crush { rate: making.rate as f32, bits: Ramp::NEW, share: Ramp::NEW, phase: 1.0, held: [0.0; 2] }),
    ..Kind::PLAIN
};

/// Samples are held until the next of the lower rate, and rounded to steps of 2^(1−bits).
#[derive(Debug)]
struct Crush {
    rate: f32,
    bits: Ramp,
    share: Ramp,
    phase: f32,
    held: [f32; 2],
}

impl Effect for Crush {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let n = left.len();
        let (mut steps, bit_step) = self.bits.steps((around.to[0] - 1.0).exp2(), n);
        let (mut share, share_step) = self.share.steps((around.to[1] / self.rate).min(1.0), n);
        for (l, r) in left.iter_mut().zip(right) {
            steps += bit_step;
            share += share_step;
            if self.phase >= 1.0 {
                self.phase -= 1.0;
                self.held = [*l, *r].map(|s| (s * steps).round() / steps);
            }
            self.phase += share;
            (*l, *r) = (self.held[0], self.held[1]);
        }
    }

    fn clear(&mut self) {
        (self.phase, self.held) = (1.0, [0.0; 2]);
    }
}
