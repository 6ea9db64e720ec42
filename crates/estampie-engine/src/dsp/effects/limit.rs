//! The look-ahead limiter: no true peak passes its ceiling.
//!
//! Peaks are looked for between samples at eight times the rate and as meters do (ITU-R BS.1770-5, annex 2). The gain that each peak needs
//! is spread over the look-ahead by a running least and then a running mean a little shorter, so that it is there, and
//! has gone there in a smooth line, when the peak comes. It recovers exponentially.

use super::delay::DelayLine;
use super::oversample::{HALF, TruePeak};
use super::{Around, Effect, Grip, Kind, MOST_FRAMES, Making, Picture, Setting, Unit, gain_of};

pub(super) const LIMITER: Kind = Kind {
    word: "limiter",
    says: "lets no true peak pass a ceiling",
    settings: &[
        Setting::new("ceiling", Unit::Decibels, (-40.0, 0.0), 0.0),
        Setting::new("release", Unit::Seconds, (0.005, 2.0), 0.100),
        Setting::new("look-ahead", Unit::Seconds, (0.002, 0.010), 0.003).fixed(),
        Setting::new("drive", Unit::Decibels, (0.0, 24.0), 0.0),
    ],
    picture: Some(Picture::Transfer(|to, level| (level + to[3]).min(to[0] - MARGIN))),
    grips: &[
        Grip { setting: 0, at: |to| (0.0, to[3].min(to[0] - MARGIN)), put: |to, (_, level)| to[0] = level + MARGIN },
        // The drive, where it would lie if nothing were limited.
        Grip { setting: 3, at: |to| (SOFT, SOFT + to[3]), put: |to, (_, level)| to[3] = level - SOFT },
    ],
    latency: ahead_of,
    make: |making: &Making| Box::new(LookAhead::new(making)),
    ..Kind::PLAIN
};

/// Left between the ceiling and what is aimed at, in dB: what the kernels of other meters see more (0.34 by the table of the standard), and what
/// the moving gain adds.
const MARGIN: f32 = 0.6;
/// The level at which the drive is taken hold of, in dB.
const SOFT: f32 = -48.0;
/// The gain is the same this many frames before and after a peak: what lies between samples is made of all of these.
const AROUND: usize = HALF;
/// The gain goes down over so many frames at least.
const SLOPE: usize = 48;

/// Frames that it looks ahead, by its fixed setting; so late is what comes out, since a peak is found half a kernel late and the gain is there as
/// much earlier.
fn ahead_of(making: &Making) -> usize {
    ((f64::from(making.values[2]) * f64::from(making.rate)) as usize).max(2 * AROUND + SLOPE)
}

#[derive(Debug)]
struct LookAhead {
    rate: f64,
    ahead: usize,
    peaks: [TruePeak; 2],
    lines: [DelayLine; 2],
    /// The least of the window, kept as a falling list of places (a monotone queue in a ring).
    queue: Vec<(u64, f32)>,
    head: usize,
    len: usize,
    frame: u64,
    mean: Vec<f32>,
    sum: f64,
    gain: f32,
    drive: f32,
    least: f32,
}

impl LookAhead {
    fn new(making: &Making) -> LookAhead {
        let ahead = ahead_of(making);
        let mean = ahead - 2 * AROUND;
        LookAhead {
            rate: f64::from(making.rate),
            ahead,
            peaks: [TruePeak::default(), TruePeak::default()],
            lines: [DelayLine::new(2 * ahead + HALF + 2), DelayLine::new(2 * ahead + HALF + 2)],
            queue: vec![(0, 1.0); ahead + 2],
            head: 0,
            len: 0,
            frame: 0,
            mean: vec![1.0; mean],
            sum: mean as f64,
            gain: 1.0,
            drive: f32::NAN,
            least: 1.0,
        }
    }

    /// The least gain wanted within the window that ends with this one.
    fn least_of_window(&mut self, wanted: f32) -> f32 {
        let size = self.queue.len();
        while self.len > 0 && self.queue[(self.head + self.len - 1) % size].1 >= wanted {
            self.len -= 1;
        }
        self.queue[(self.head + self.len) % size] = (self.frame, wanted);
        self.len += 1;
        while self.queue[self.head].0 + (self.ahead as u64) < self.frame {
            self.head = (self.head + 1) % size;
            self.len -= 1;
        }
        self.queue[self.head].1
    }
}

impl Effect for LookAhead {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let n = left.len();
        let ceiling = gain_of(around.to[0] - MARGIN);
        let recover = 1.0 - (-1.0 / (f64::from(around.to[1]) * self.rate)).exp() as f32;
        let to = gain_of(around.to[3]);
        let from = if self.drive.is_nan() { to } else { self.drive };
        self.drive = to;
        let step = (to - from) / n.max(1) as f32;
        let mut drive = from;
        for (l, r) in left.iter_mut().zip(right.iter_mut()) {
            drive += step;
            *l *= drive;
            *r *= drive;
        }
        let mut around_peaks = [[0.0f32; MOST_FRAMES]; 2];
        self.peaks[0].around(left, ceiling, &mut around_peaks[0][..n]);
        self.peaks[1].around(right, ceiling, &mut around_peaks[1][..n]);
        self.least = 1.0;
        let place = self.mean.len();
        for i in 0..n {
            let peak = around_peaks[0][i].max(around_peaks[1][i]);
            let wanted = if peak > ceiling { ceiling / peak } else { 1.0 };
            let least = self.least_of_window(wanted);
            // Down at once, up by the release; the mean below turns the step into a line.
            self.gain = least.min(self.gain + (least - self.gain) * recover);
            let at = (self.frame % place as u64) as usize;
            self.sum += f64::from(self.gain) - f64::from(self.mean[at]);
            self.mean[at] = self.gain;
            self.frame += 1;
            if at == 0 {
                // Rounding does not add up for ever.
                self.sum = self.mean.iter().map(|g| f64::from(*g)).sum();
            }
            let gain = ((self.sum / place as f64) as f32).min(1.0);
            self.least = self.least.min(gain);
            self.lines[0].write(left[i]);
            self.lines[1].write(right[i]);
            // The peak seen now lies HALF frames back; the window holds it until it comes out.
            let back = self.ahead - AROUND + HALF + 1;
            left[i] = self.lines[0].at(back) * gain;
            right[i] = self.lines[1].at(back) * gain;
        }
    }

    fn reduction(&self) -> Option<f32> {
        Some(super::db_of(self.least))
    }

    fn clear(&mut self) {
        self.peaks.iter_mut().for_each(TruePeak::clear);
        self.lines.iter_mut().for_each(DelayLine::clear);
        self.mean.fill(1.0);
        (self.sum, self.gain, self.len, self.head) = (self.mean.len() as f64, 1.0, 0, 0);
    }
}
