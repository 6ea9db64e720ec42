//! Convolution with the impulse response of a real (or invented) room.
//!
//! Uniformly partitioned, without latency (W. Gardner, *Efficient Convolution without Input-Output Delay*, J. Audio Eng.
//! Soc. 43 (1995)): the first part of the response is worked out sample by sample, the rest in the frequency domain
//! (overlap-save), each part when the block before it is complete.

use super::delay::DelayLine;
use super::{Around, Crossing, Effect, Kind, Making, Ramp, Setting, Takes, Unit, gain_of, share_left};
use realfft::num_complex::Complex;
use realfft::{ComplexToReal, RealFftPlanner, RealToComplex};
use std::fmt;
use std::sync::Arc;

pub(super) const CONVOLUTION: Kind = Kind {
    word: "convolution",
    says: "a room from an impulse response in a file",
    settings: &[Setting::new("level", Unit::Decibels, (-40.0, 12.0), 0.0), Setting::new("pre-delay", Unit::Seconds, (0.0, 0.250), 0.0)],
    wet_alone: true,
    takes: Takes { file: true, ..Takes::NOTHING },
    make: |making: &Making| Box::new(Convolver::new(making)),
    ..Kind::PLAIN
};

/// Frames of a partition, and of the part that is worked out sample by sample.
const PART: usize = 512;
/// The longest response, in seconds.
const LONGEST: usize = 10;

/// An impulse response made ready: the head as it is, the rest as spectra. Its energy is 1, so that noise comes out as
/// strong as it went in.
pub struct Impulse {
    head: [Vec<f32>; 2],
    spectra: [Vec<Vec<Complex<f32>>>; 2],
    /// Frames in all.
    pub frames: usize,
}

impl fmt::Debug for Impulse {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Impulse of {} frames", self.frames)
    }
}

impl Impulse {
    /// Of one or two channels at the project's rate; what is longer than ten seconds is left out.
    #[must_use]
    pub fn new(left: &[f32], right: &[f32], rate: u32) -> Impulse {
        let frames = left.len().min(right.len()).min(LONGEST * rate as usize);
        let energy: f64 = left[..frames].iter().chain(&right[..frames]).map(|s| f64::from(*s).powi(2)).sum::<f64>() / 2.0;
        let scale = if energy > 0.0 { (1.0 / energy.sqrt()) as f32 } else { 0.0 };
        let scaled = [left, right].map(|channel| channel[..frames].iter().map(|s| s * scale).collect::<Vec<f32>>());
        let forward = RealFftPlanner::<f32>::new().plan_fft_forward(2 * PART);
        let spectra = [&scaled[0], &scaled[1]].map(|channel| {
            channel
                .get(PART..)
                .unwrap_or_default()
                .chunks(PART)
                .map(|part| {
                    let mut time = vec![0.0; 2 * PART];
                    time[..part.len()].copy_from_slice(part);
                    let mut spectrum = forward.make_output_vec();
                    // The lengths are right by construction.
                    let _ = forward.process(&mut time, &mut spectrum);
                    spectrum
                })
                .collect::<Vec<_>>()
        });
        let head = scaled.map(|mut channel| {
            channel.resize(PART, 0.0);
            channel.reverse();
            channel
        });
        Impulse { head, spectra, frames }
    }
}

struct Channel {
    /// The last partition and what came since; the newest at the end of the written part.
    past: Vec<f32>,
    /// Spectra of the last blocks, in a ring.
    blocks: Vec<Vec<Complex<f32>>>,
    tail: Vec<f32>,
    sum: Vec<Complex<f32>>,
    time: Vec<f32>,
}

struct Convolver {
    impulse: Option<Arc<Impulse>>,
    forward: Arc<dyn RealToComplex<f32>>,
    back: Arc<dyn ComplexToReal<f32>>,
    scratch: Vec<Complex<f32>>,
    channels: [Channel; 2],
    used: usize,
    newest: usize,
    pre: [DelayLine; 2],
    pre_delay: Crossing<usize>,
    level: Ramp,
    rate: f32,
}

impl fmt::Debug for Convolver {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Convolver with {:?}", self.impulse)
    }
}

impl Convolver {
    fn new(making: &Making) -> Convolver {
        let mut planner = RealFftPlanner::<f32>::new();
        let (forward, back) = (planner.plan_fft_forward(2 * PART), planner.plan_fft_inverse(2 * PART));
        let parts = making.impulse.as_ref().map_or(0, |i| i.spectra[0].len());
        let channel = || Channel {
            past: vec![0.0; 2 * PART],
            blocks: (0..parts).map(|_| forward.make_output_vec()).collect(),
            tail: vec![0.0; PART],
            sum: forward.make_output_vec(),
            time: vec![0.0; 2 * PART],
        };
        let room = (0.26 * f64::from(making.rate)) as usize;
        Convolver {
            impulse: making.impulse.clone(),
            scratch: vec![Complex::default(); forward.get_scratch_len().max(back.get_scratch_len())],
            channels: [channel(), channel()],
            forward,
            back,
            used: 0,
            newest: 0,
            pre: [DelayLine::new(room), DelayLine::new(room)],
            pre_delay: Crossing::new(0.040, making.rate),
            level: Ramp::NEW,
            rate: making.rate as f32,
        }
    }

    /// A partition is complete: works out what the rest of the response gives during the next.
    fn turn(&mut self, impulse: &Impulse) {
        let parts = impulse.spectra[0].len();
        for (channel, spectra) in self.channels.iter_mut().zip(&impulse.spectra) {
            if parts > 0 {
                channel.time.copy_from_slice(&channel.past);
                let into = &mut channel.blocks[self.newest];
                let _ = self.forward.process_with_scratch(&mut channel.time, into, &mut self.scratch);
                channel.sum.fill(Complex::default());
                for (part, response) in spectra.iter().enumerate() {
                    let block = &channel.blocks[(self.newest + parts - part) % parts];
                    for ((sum, a), b) in channel.sum.iter_mut().zip(block).zip(response) {
                        *sum += a * b;
                    }
                }
                // The inverse wants these real; rounding may not leave them so.
                channel.sum[0].im = 0.0;
                channel.sum[PART].im = 0.0;
                let _ = self.back.process_with_scratch(&mut channel.sum, &mut channel.time, &mut self.scratch);
                for (tail, sample) in channel.tail.iter_mut().zip(&channel.time[PART..]) {
                    *tail = sample / (2 * PART) as f32;
                }
            }
            channel.past.copy_within(PART.., 0);
        }
        self.newest = if parts > 0 { (self.newest + 1) % parts } else { 0 };
        self.used = 0;
    }
}

impl Effect for Convolver {
    fn process(&mut self, around: &Around<'_>, left: &mut [f32], right: &mut [f32]) {
        let n = left.len();
        let Some(impulse) = self.impulse.clone() else {
            left.fill(0.0);
            right.fill(0.0);
            return;
        };
        let (mut level, step) = self.level.steps(gain_of(around.to[0]), n);
        let (pre, leaving) = self.pre_delay.go((around.to[1] * self.rate).round() as usize, n);
        for i in 0..n {
            level += step;
            for (channel, sample) in [&mut left[i], &mut right[i]].into_iter().enumerate() {
                self.pre[channel].write(*sample);
                let part = &mut self.channels[channel];
                let now = self.pre[channel].at(1 + pre);
                let of_old = leaving.map_or(0.0, |(old, share, step)| (self.pre[channel].at(1 + old) - now) * share_left((share, step), i));
                part.past[PART + self.used] = now + of_old;
                let window = &part.past[self.used + 1..=self.used + PART];
                let mut lanes = [0.0f32; 8];
                for (a, b) in window.chunks_exact(8).zip(impulse.head[channel].chunks_exact(8)) {
                    for k in 0..8 {
                        lanes[k] += a[k] * b[k];
                    }
                }
                *sample = level * (lanes.iter().sum::<f32>() + part.tail[self.used]);
            }
            self.used += 1;
            if self.used == PART {
                self.turn(&impulse);
            }
        }
    }

    fn longest_gap(&self) -> f32 {
        // A response may begin, or be silent within, for as long as it is.
        0.25 + self.impulse.as_ref().map_or(0.0, |i| i.frames as f32 / self.rate)
    }

    fn clear(&mut self) {
        for channel in &mut self.channels {
            channel.past.fill(0.0);
            channel.tail.fill(0.0);
            channel.blocks.iter_mut().for_each(|b| b.fill(Complex::default()));
        }
        self.pre.iter_mut().for_each(DelayLine::clear);
    }
}
