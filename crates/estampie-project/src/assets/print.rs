//! What a recording sounds like in a few bytes, whatever its level, format and edges: so that one that came in twice is found though no sample of both is the same.
//!
//! The sound (without the silence around it) is cut into [`SLICES`] of equal length; of each the power in [`BANDS`] bands, a third of an octave to an octave wide, is kept in half
//! decibels below the loudest of all. A copy at another level, of another rate, packed with loss or trimmed differs by a tenth of a decibel; two takes of one thing by several.

use serde::{Deserialize, Serialize};

/// Slices in time.
const SLICES: usize = 16;
/// Bands in frequency.
const BANDS: usize = 12;
/// The lowest and the highest frequency that count, in Hz: what is above is the first that is lost in packing.
const LOW: f64 = 90.0;
const HIGH: f64 = 8_000.0;
/// How far below the loudest is still looked at, in dB.
const DEPTH: f64 = 45.0;
/// The length of one transform, in seconds: the same at every rate.
const FRAME: f64 = 1_024.0 / 48_000.0;
/// What is so far below the peak at head and tail is silence around the sound, as a factor.
const EDGE: f32 = 0.01;

/// What a recording sounds like.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Print {
    /// Half decibels below the loudest cell, slice by slice.
    cells: Vec<u8>,
    /// How long the sound is without the silence around it, in ms.
    pub(crate) ms: u32,
}

/// Closer than so many dB on average is the same recording; of what is shorter than [`SHORT`] ms less, since a click has little to tell it by.
const SAME: f64 = 0.75;
const SAME_SHORT: f64 = 0.3;
const SHORT: u32 = 150;
/// Whose bands are farther apart on average, in dB, are surely two: far more than two exports of one recording ever are.
const COARSE: f32 = 1.2;
/// Lengths may differ by so much: as a share of it, and in ms.
const LENGTH: f64 = 0.02;
const LENGTH_MS: u32 = 6;

impl Print {
    /// Of channels of one length, at a rate in Hz; `None` if there is nothing to hear, or too little to tell by.
    #[must_use]
    pub fn of(channels: &[Vec<f32>], rate: u32) -> Option<Print> {
        let frames = channels.first().map_or(0, Vec::len);
        let mut mono: Vec<f32> = (0..frames).map(|i| channels.iter().map(|c| c[i]).sum()).collect();
        let peak = mono.iter().fold(0.0f32, |p, s| p.max(s.abs()));
        let loud = |s: &f32| s.abs() >= peak * EDGE;
        let (first, last) = (mono.iter().position(loud)?, mono.iter().rposition(loud)?);
        let frame = ((FRAME * f64::from(rate) / 2.0).round() as usize * 2).max(16);
        if peak < 1e-5 || last - first < frame / 4 {
            return None;
        }
        let length = last + 1 - first;
        // Room for whole transforms around the first and the last frame.
        let mut sound = vec![0.0f32; frame / 2];
        sound.extend(mono.drain(first..=last));
        sound.resize(sound.len() + frame, 0.0);
        let plan = estampie_generics::forward(frame);
        let (mut input, mut output) = (plan.make_input_vec(), plan.make_output_vec());
        let window: Vec<f32> = (0..frame).map(|i| 0.5 - 0.5 * (std::f32::consts::TAU * i as f32 / frame as f32).cos()).collect();
        let band_of = |bin: usize| -> Option<usize> {
            let hz = bin as f64 * f64::from(rate) / frame as f64;
            let at = (hz / LOW).ln() / (HIGH / LOW).ln();
            (0.0..1.0).contains(&at).then_some((at * BANDS as f64) as usize)
        };
        let bands: Vec<Option<usize>> = (0..output.len()).map(band_of).collect();
        let mut powers = vec![0.0f64; SLICES * BANDS];
        // As many transforms as each slice needs to be looked at all over, and at least two.
        let hop = (length / (2 * SLICES)).clamp(1, frame / 2);
        for centre in (0..length).step_by(hop) {
            for (i, value) in input.iter_mut().enumerate() {
                *value = sound[centre + i] * window[i];
            }
            if plan.process(&mut input, &mut output).is_err() {
                return None;
            }
            let slice = centre * SLICES / length;
            for (bin, value) in output.iter().enumerate() {
                if let Some(band) = bands[bin] {
                    powers[slice * BANDS + band] += f64::from(value.norm_sqr());
                }
            }
        }
        let most = powers.iter().copied().fold(0.0, f64::max);
        let cell = |power: &f64| ((-10.0 * (power / most).max(1e-12).log10()).min(DEPTH) * 2.0).round() as u8;
        (most > 0.0).then(|| Print { cells: powers.iter().map(cell).collect(), ms: (length as u64 * 1_000 / u64::from(rate.max(1))) as u32 })
    }

    /// How far two are apart, in dB on average over what is heard of either, by how loud that is; `None` if they are not of one length, or surely apart.
    #[must_use]
    pub fn apart(&self, other: &Print) -> Option<f64> {
        let slack = ((f64::from(self.ms.max(other.ms)) * LENGTH) as u32).max(LENGTH_MS);
        if self.ms.abs_diff(other.ms) > slack {
            return None;
        }
        // The first and the last slice are where a fade or a trim is.
        let within = BANDS..(SLICES - 1) * BANDS;
        let (Some(ours), Some(theirs)) = (self.cells.get(within.clone()), other.cells.get(within)) else { return None };
        // What is loud counts for more: at a faint edge a coarser format is heard least.
        let pairs = || {
            ours.iter().zip(theirs).map(|(a, b)| {
                let (a, b) = (f64::from(*a) / 2.0, f64::from(*b) / 2.0);
                (a - b, DEPTH - a.min(b))
            })
        };
        let weight: f64 = pairs().map(|(_, weight)| weight).sum();
        if weight <= 0.0 {
            return None;
        }
        // Where the loudest moment was faded all the rest is louder against it by as much, and that is no difference.
        let shift = pairs().map(|(apart, weight)| apart * weight).sum::<f64>() / weight;
        Some(pairs().map(|(apart, weight)| (apart - shift).abs() * weight).sum::<f64>() / weight)
    }

    /// How loud each band is on average against all of them, in dB; the first and the last slice left out.
    fn bands(&self) -> [f32; BANDS] {
        let mut bands = [0.0; BANDS];
        for slice in self.cells.chunks(BANDS).skip(1).take(SLICES - 2) {
            bands.iter_mut().zip(slice).for_each(|(band, cell)| *band += f32::from(*cell) / 2.0 / (SLICES - 2) as f32);
        }
        let mean = bands.iter().sum::<f32>() / BANDS as f32;
        bands.map(|band| band - mean)
    }

    /// Whether two are the same recording, by what is heard.
    #[must_use]
    pub fn same(&self, other: &Print) -> bool {
        let limit = if self.ms < SHORT { SAME_SHORT } else { SAME };
        self.apart(other).is_some_and(|db| db < limit)
    }
}

/// Pairs that are the same recording, each found once: of the later one in the list its place and that of the first it is like.
#[must_use]
pub fn alike(prints: &[&Print]) -> Vec<(usize, usize)> {
    // Only what is about as long is looked at: sorted by length, each with those a little longer.
    let mut by_length: Vec<usize> = (0..prints.len()).collect();
    by_length.sort_by_key(|at| (prints[*at].ms, *at));
    // Most pairs are told apart by their bands alone, in a tenth of the time.
    let coarse: Vec<[f32; BANDS]> = prints.iter().map(|print| print.bands()).collect();
    let near = |a: &[f32; BANDS], b: &[f32; BANDS]| {
        let mut apart = 0.0;
        a.iter().zip(b).all(|(a, b)| {
            apart += (a - b).abs();
            apart < COARSE * BANDS as f32
        })
    };
    let mut found: std::collections::BTreeMap<usize, usize> = std::collections::BTreeMap::new();
    for (place, at) in by_length.iter().enumerate() {
        let far = prints[*at].ms + ((f64::from(prints[*at].ms) * LENGTH * 1.05) as u32).max(LENGTH_MS);
        for other in by_length[place + 1..].iter().take_while(|o| prints[**o].ms <= far) {
            if near(&coarse[*at], &coarse[*other]) && prints[*at].same(prints[*other]) {
                let (first, later) = (*at.min(other), *at.max(other));
                found.entry(later).and_modify(|of| *of = (*of).min(first)).or_insert(first);
            }
        }
    }
    found.into_iter().collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::assets::{Decoded, Goes, Notes, decode::convert};
    use rand::{Rng as _, SeedableRng as _};
    use rand_pcg::Pcg64Mcg;

    /// A made-up thing that is struck: partials that die away, with noise at its beginning. Each seed is another take of it.
    fn struck(seed: u64, seconds: f64) -> Vec<f32> {
        let mut random = Pcg64Mcg::seed_from_u64(seed);
        let partials: Vec<(f64, f64, f64)> =
            (1..9).map(|n| (170.0 * f64::from(n) * random.random_range(0.97..1.03), random.random_range(0.1..1.0), random.random_range(4.0..16.0))).collect();
        (0..(seconds * 48_000.0) as usize)
            .map(|i| {
                let t = i as f64 / 48_000.0;
                let tones: f64 = partials.iter().map(|(hz, gain, fall)| gain * (-fall * t).exp() * (std::f64::consts::TAU * hz * t).sin()).sum();
                (0.1 * tones + 0.2 * random.random_range(-1.0..1.0) * (-40.0 * t).exp()) as f32
            })
            .collect()
    }

    #[test]
    fn a_copy_is_known_whatever_was_done_to_it_and_another_take_is_none() {
        for seed in 0..12 {
            let one = struck(seed, 0.4);
            let of = |samples: Vec<f32>| Print::of(&[samples], 48_000).unwrap();
            let print = of(one.clone());
            let softer: Vec<f32> = one.iter().map(|s| s * 0.3).collect();
            let late: Vec<f32> = std::iter::repeat_n(0.0, 777).chain(one.iter().copied()).chain(std::iter::repeat_n(0.0, 5_000)).collect();
            let coarse: Vec<f32> = one.iter().map(|s| (s * 1_024.0).round() / 1_024.0).collect();
            let file = Decoded { rate: 48_000, channels: vec![one.clone()], loop_points: None, kind: "WAV", bits: None, notes: Notes::default() };
            let other_rate = Print::of(&convert(file, 32_000, &Goes::Once).unwrap().channels, 32_000).unwrap();
            let mut faded = one.clone();
            (0..240).for_each(|i| faded[i] *= i as f32 / 240.0);
            for (name, copy) in [("faded", of(faded)), ("softer", of(softer)), ("late", of(late)), ("coarse", of(coarse)), ("rate", other_rate)] {
                assert!(print.same(&copy), "{seed} {name}: {:?} dB", print.apart(&copy));
            }
            let stereo = Print::of(&[one.clone(), one.clone()], 48_000).unwrap();
            assert!(print.same(&stereo));
            for other in (seed + 1)..12 {
                let take = of(struck(other, 0.4));
                assert!(!print.same(&take), "{seed} and {other}: {:?} dB", print.apart(&take));
            }
            // The same with another end is another recording.
            assert!(!print.same(&of(one[..14_000].to_vec())));
        }
    }

    #[test]
    fn nothing_to_hear_has_no_print_and_pairs_are_found_as_by_looking_at_all() {
        assert_eq!(Print::of(&[vec![0.0; 9_000]], 48_000), None);
        assert_eq!(Print::of(&[vec![0.5; 100]], 48_000), None);
        assert_eq!(Print::of(&[], 48_000), None);
        let prints: Vec<Print> = [0, 1, 0, 2, 1, 0].iter().map(|seed| Print::of(&[struck(*seed, 0.3)], 48_000).unwrap()).collect();
        let all: Vec<&Print> = prints.iter().collect();
        assert_eq!(alike(&all), [(2, 0), (4, 1), (5, 0)]);
        // Many, with copies at other levels and rates among them: as if each had been looked at with each.
        let file = |seed| Decoded { rate: 48_000, channels: vec![struck(seed, 0.2)], loop_points: None, kind: "WAV", bits: None, notes: Notes::default() };
        let copy = |seed| Print::of(&convert(file(seed), 44_100, &Goes::Once).unwrap().channels, 44_100).unwrap();
        let prints: Vec<Print> = (0..40).map(|seed| Print::of(&file(seed).channels, 48_000).unwrap()).chain((0..20).map(copy)).collect();
        let all: Vec<&Print> = prints.iter().collect();
        let pairs = (1..all.len()).filter_map(|later| Some((later, (0..later).find(|first| all[*first].same(all[later]))?)));
        assert_eq!(alike(&all), pairs.collect::<Vec<_>>());
        assert_eq!(alike(&all).len(), 20);
    }
}
