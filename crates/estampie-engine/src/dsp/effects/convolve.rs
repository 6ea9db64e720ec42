//! Convolution with the impulse response of a real (or invented) room.
//!
//! Uniformly partitioned, without latency (W. Gardner, *Efficient Convolution without Input-Output Delay*, J. Audio Eng.
//! Soc. 43 (1995)): the first part of the response is worked out sample by sample, the rest in the frequency domain
//! (overlap-save), each part when the block before it is complete.
//!
//! Of a new partition only its product with the first part of the response has to wait until it is complete. The products
//! of those before it are worked out little by little while it fills, so that a response of ten seconds costs each block
//! about the same and never one of them nearly all of its time.

use super::delay::DelayLine;
use super::{Around, Crossing, Effect, Kind, Making, Ramp, Setting, Takes, Unit, gain_of, share_left};
use crate::names::NameKey;
use estampie_generics::num_complex::Complex;
use estampie_generics::{ComplexToReal, RealToComplex};
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
    /// The same for the same samples at the same rate, whatever file they come from.
    pub key: NameKey,
}

/// How it is written in a bundle: spectra as pairs of numbers.
#[cfg(feature = "bundle")]
mod written {
    use super::Impulse;
    use crate::ground::names::NameKey;
    use estampie_generics::num_complex::Complex;
    use serde::{Deserialize, Deserializer, Serialize, Serializer};

    #[derive(Serialize, Deserialize)]
    struct Written {
        head: [Vec<f32>; 2],
        spectra: [Vec<Vec<(f32, f32)>>; 2],
        frames: usize,
        key: NameKey,
    }

    impl Serialize for Impulse {
        fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
            let spectra = self.spectra.each_ref().map(|all| all.iter().map(|s| s.iter().map(|c| (c.re, c.im)).collect()).collect());
            Written { head: self.head.clone(), spectra, frames: self.frames, key: self.key }.serialize(serializer)
        }
    }

    impl<'de> Deserialize<'de> for Impulse {
        fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Impulse, D::Error> {
            let Written { head, spectra, frames, key } = Written::deserialize(deserializer)?;
            let spectra = spectra.map(|all| all.into_iter().map(|s| s.into_iter().map(|(re, im)| Complex { re, im }).collect()).collect());
            Ok(Impulse { head, spectra, frames, key })
        }
    }
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
        let key = scaled.iter().flatten().fold(NameKey(frames as u64).with(u64::from(rate)), |key, s| key.with(u64::from(s.to_bits())));
        let forward = estampie_generics::forward(2 * PART);
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
        Impulse { head, spectra, frames, key }
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
    /// How much of the partition is filled.
    used: usize,
    newest: usize,
    /// The partitions of the response whose products are in the sum for the next one; the first comes last.
    summed: usize,
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
        let (forward, back) = (estampie_generics::forward(2 * PART), estampie_generics::inverse(2 * PART));
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
            summed: 1,
            pre: [DelayLine::new(room), DelayLine::new(room)],
            pre_delay: Crossing::new(0.040, making.rate),
            level: Ramp::NEW,
            rate: making.rate as f32,
        }
    }

    /// Brings what earlier partitions give into the sum, up to a partition of the response.
    fn sum_up_to(&mut self, impulse: &Impulse, to: usize) {
        let parts = impulse.spectra[0].len();
        for part in self.summed..to.min(parts) {
            let block = (self.newest + parts - part) % parts;
            for (channel, spectra) in self.channels.iter_mut().zip(&impulse.spectra) {
                add_product(&mut channel.sum, &channel.blocks[block], &spectra[part]);
            }
        }
        self.summed = self.summed.max(to);
    }

    /// A partition is complete: works out what the rest of the response gives during the next.
    fn turn(&mut self, impulse: &Impulse) {
        let parts = impulse.spectra[0].len();
        self.sum_up_to(impulse, parts);
        for (channel, spectra) in self.channels.iter_mut().zip(&impulse.spectra) {
            if parts > 0 {
                channel.time.copy_from_slice(&channel.past);
                let into = &mut channel.blocks[self.newest];
                let _ = self.forward.process_with_scratch(&mut channel.time, into, &mut self.scratch);
                add_product(&mut channel.sum, into, &spectra[0]);
                // The inverse wants these real; rounding may not leave them so.
                channel.sum[0].im = 0.0;
                channel.sum[PART].im = 0.0;
                let _ = self.back.process_with_scratch(&mut channel.sum, &mut channel.time, &mut self.scratch);
                for (tail, sample) in channel.tail.iter_mut().zip(&channel.time[PART..]) {
                    *tail = sample / (2 * PART) as f32;
                }
                channel.sum.fill(Complex::default());
            }
            channel.past.copy_within(PART.., 0);
        }
        self.newest = if parts > 0 { (self.newest + 1) % parts } else { 0 };
        (self.used, self.summed) = (0, 1);
    }
}

fn add_product(sum: &mut [Complex<f32>], a: &[Complex<f32>], b: &[Complex<f32>]) {
    for ((sum, a), b) in sum.iter_mut().zip(a).zip(b) {
        *sum += a * b;
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
        // As much of the response as of the partition.
        let parts = impulse.spectra[0].len();
        self.sum_up_to(&impulse, 1 + parts.saturating_sub(1) * self.used / PART);
    }

    fn longest_gap(&self) -> f32 {
        // A response may begin, or be silent within, for as long as it is.
        0.25 + self.impulse.as_ref().map_or(0.0, |i| i.frames as f32 / self.rate)
    }

    fn clear(&mut self) {
        for channel in &mut self.channels {
            channel.past.fill(0.0);
            channel.tail.fill(0.0);
            channel.sum.fill(Complex::default());
            channel.blocks.iter_mut().for_each(|b| b.fill(Complex::default()));
        }
        self.pre.iter_mut().for_each(DelayLine::clear);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_long_response_costs_each_block_about_the_same() {
        let response: Vec<f32> = (0..48_000u32).map(|n| f32::from((n * 7919 % 101) as u8) / 50.0 - 1.0).collect();
        let impulse = Arc::new(Impulse::new(&response, &response, 48_000));
        let parts = impulse.spectra[0].len();
        let mut values = [0.0; super::super::MOST_SETTINGS];
        values[0] = 0.0;
        let mut effect = Convolver::new(&Making { rate: 48_000, values, impulse: Some(impulse) });
        let mut most = 0;
        for block in 0..40 {
            let before = effect.summed;
            let mut side = [0.5; 64];
            effect.process(&Around { to: &values, key: None, quarters_per_second: 2.0 }, &mut side, &mut [0.5; 64]);
            // At the end of a partition the last of the eight shares is done, and the sum begins anew.
            let done = if (block + 1) % 8 == 0 { parts - before } else { effect.summed - before };
            assert!(done > 0, "block {block} did nothing");
            most = most.max(done);
        }
        assert!(most <= parts.div_ceil(8) + 1, "{most} of {parts} in one block");
    }

    #[test]
    fn a_key_is_that_of_the_samples() {
        let noise: Vec<f32> = (0..2_000u32).map(|n| f32::from((n * 7919 % 101) as u8)).collect();
        let mut other = noise.clone();
        other[1_000] += 1.0;
        let key = |left: &[f32], right: &[f32]| Impulse::new(left, right, 48_000).key;
        assert_eq!(key(&noise, &noise), key(&noise, &noise.clone()));
        assert!(key(&noise, &noise) != key(&noise, &other) && key(&noise, &other) != key(&other, &noise));
        assert!(key(&noise, &noise) != key(&noise[..1_999], &noise));
    }
}
