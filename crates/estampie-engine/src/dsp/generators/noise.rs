//! Noise: white, pink, brown and velvet, through a filter.
//!
//! White noise is drawn from a counter, so that any sample can be made without those before it. Pink noise falls by 3 dB an octave: a sum of
//! low-passes of the first order, an octave apart, each by the inverse root of its corner (after R. Voss and J. Clarke, *"1/f noise" in music*,
//! 1978, with filters instead of held draws). Brown noise falls by 6 dB an octave above 20 Hz. Velvet noise is single samples, up or down, one in
//! each period of its density, at a drawn place (M. Karjalainen and H. Järveläinen, *Reverberation modeling using velvet noise*, 2007).

use super::stepped::{Line, Phase, Resonator, Stepped, Steps, bits, draw, to_one, unit, values};
use super::{Beginning, Controls, GeneratorKind, Preset, levelled};
use crate::dsp::effects::Setting;
use crate::ground::property::Unit;
use std::f32::consts::TAU;

const COLOURS: &[&str] = &["white", "pink", "brown", "velvet"];
const CHANNELS: &[&str] = &["mono", "stereo"];
const FILTERS: &[&str] = &["none", "low-pass", "band-pass", "high-pass"];
const PINK: usize = 1;
const BROWN: usize = 2;
const VELVET: usize = 3;

/// Corners of the low-passes of pink noise: the first in Hz, each of the others twice the one before.
const LOWEST: f32 = 10.0;
const POLES: usize = 12;
/// The corner of brown noise, in Hz.
const BROWN_CORNER: f32 = 20.0;
/// After a third of a second a filter of 10 Hz has forgotten all before, to less than one in a thousand million.
const MEMORY: u32 = 3;
/// How much the low-passes of two neighbouring octaves have in common: 2 √(a b) ÷ (a + b).
const SHARED: f32 = 0.942_809;
/// RMS of what is drawn evenly between −1 and 1.
pub(super) const EVEN: f32 = 0.577_350_3;
/// A band is raised by so much at most, as a factor.
const MOST_RAISED: f32 = 16.0;
/// A single sample is no higher than this.
const HIGHEST: f32 = 0.9;

/// The kind.
pub(super) const NOISE: GeneratorKind = GeneratorKind {
    word: "noise",
    says: "white, pink (-3 dB an octave), brown (-6 dB an octave) or velvet noise, through a filter",
    settings: &[
        Setting::choice("colour", COLOURS),
        Setting::choice("channels", CHANNELS),
        Setting::choice("filter", FILTERS),
        Setting::new("cutoff", Unit::Hertz, (20.0, 20_000.0), 1_000.0),
        Setting::new("sharpness", Unit::Number, (0.3, 60.0), 0.71),
        Setting::new("density", Unit::Number, (20.0, 10_000.0), 2_000.0),
    ],
    presets: &[
        Preset { name: "steam", says: "a valve that leaks", set: &[("colour", "white"), ("filter", "high-pass"), ("cutoff", "3 kHz")] },
        Preset {
            name: "water under the keel",
            says: "dull, wide",
            set: &[("colour", "pink"), ("channels", "stereo"), ("filter", "low-pass"), ("cutoff", "500 Hz")],
        },
        Preset {
            name: "pipe that whistles",
            says: "a narrow band",
            set: &[("colour", "white"), ("filter", "band-pass"), ("cutoff", "1.2 kHz"), ("sharpness", "25")],
        },
        Preset { name: "bad radio", says: "single ticks", set: &[("colour", "velvet"), ("density", "120")] },
    ],
    stereo: |values| values[1] > 0.5,
    make: |_| Box::new(Stepped::<Noise>::default()),
    ..GeneratorKind::PLAIN
};

#[derive(Debug, Default)]
struct Noise {
    rate: f32,
    seeds: [u64; 2],
    at: u64,
    stereo: bool,
    colour: usize,
    filter: usize,
    /// How many of the low-passes are used; 0 for white.
    poles: usize,
    shares: [f32; POLES],
    gains: [f32; POLES],
    gain: Line,
    /// Samples after which its filters have forgotten what was before.
    memory: usize,
    held: [[f32; POLES]; 2],
    filters: [Resonator; 2],
    /// Where velvet is within its period, by how much it goes on, and which period it is.
    phase: Phase,
    step: u64,
    period: u64,
}

impl Noise {
    /// The next sample of velvet noise, of both sides.
    fn velvet(&mut self) -> [f32; 2] {
        let before = self.phase.share();
        let next = self.phase.go(self.step);
        let ends = [(self.period, before, if next { 1.0 } else { self.phase.share() }), (self.period + 1, 0.0, self.phase.share())];
        self.period += u64::from(next);
        let mut out = [0.0; 2];
        for (out, seed) in out.iter_mut().zip(self.seeds) {
            for (period, from, to) in &ends[..1 + usize::from(next)] {
                let place = unit(seed, *period);
                if place >= *from && place < *to {
                    *out += if bits(!seed, *period) & 1 == 0 { 1.0 } else { -1.0 };
                }
            }
        }
        out
    }

    fn next(&mut self, side: usize) -> f32 {
        let white = draw(self.seeds[side], self.at);
        if self.poles == 0 {
            return white;
        }
        let mut sum = 0.0;
        let held = &mut self.held[side];
        for (held, (share, gain)) in held.iter_mut().zip(self.shares.iter().zip(&self.gains)).take(self.poles) {
            *held += (white - *held) * share;
            sum += *held * gain;
        }
        sum
    }

    fn filtered(&mut self, side: usize, sample: f32) -> f32 {
        if self.filter == 0 { sample } else { self.filters[side].next(sample)[self.filter - 1] }
    }

    /// RMS of what comes out of the filters, from the correlation of each with each.
    fn rms(&self) -> f32 {
        if self.poles == 0 {
            return EVEN;
        }
        let mut power = 0.0f64;
        for i in 0..self.poles {
            for j in 0..self.poles {
                let (a, b) = (f64::from(self.shares[i]), f64::from(self.shares[j]));
                power += f64::from(self.gains[i] * self.gains[j]) * a * b / (a + b - a * b);
            }
        }
        power.sqrt() as f32 * EVEN
    }

    /// What brings it to where all are loud. A narrow band is as loud as a wide one, as far as it can be; what a sharp filter adds at its edge is taken
    /// away again.
    fn level(&self, controls: &Controls<'_>) -> f32 {
        let [.., cutoff, sharpness, density] = values::<6>(controls.values);
        let level = if self.colour == VELVET { levelled((density / self.rate).sqrt()).min(HIGHEST) } else { levelled(self.rms()) };
        level
            * match self.filter {
                0 => 1.0,
                // Pink noise has as much in each of its ten octaves; brown has nearly all in its lowest.
                2 if self.colour == PINK => (4.6 * sharpness).sqrt().clamp(1.0, MOST_RAISED),
                2 if self.colour == BROWN => 1.0,
                2 => to_one(1.0, cutoff, sharpness, self.rate).min(MOST_RAISED),
                _ => sharpness.max(1.0).sqrt().recip(),
            }
    }
}

impl Steps for Noise {
    fn begin(&mut self, beginning: &Beginning<'_>) {
        let [colour, channels, filter, cutoff, sharpness, density] = values::<6>(beginning.controls.values);
        let colour = colour as usize;
        let rate = beginning.rate as f32;
        *self = Noise { rate, colour, seeds: [beginning.seed, beginning.seed ^ 0x5bf0_3635_dcd1_4cd3], stereo: channels > 0.5, ..Noise::default() };
        self.filter = filter as usize;
        self.poles = match colour {
            PINK => POLES,
            BROWN => 1,
            _ => 0,
        };
        for pole in 0..self.poles {
            let corner = if colour == BROWN { BROWN_CORNER } else { LOWEST * (1 << pole) as f32 };
            self.shares[pole] = 1.0 - (-TAU * corner / rate).exp();
            self.gains[pole] = corner.powf(-0.5);
        }
        self.gain = Line::at(self.level(&beginning.controls));
        self.step = Phase::step(f64::from(density / rate));
        // What rings for longer than two seconds is not made up for: it is the same noise, but not the same samples.
        let rings = if self.filter > 0 { Resonator::rings(cutoff, sharpness, rate) } else { 0 };
        self.memory = ((beginning.rate / MEMORY) as usize * usize::from(self.poles > 0)).max(rings.min(2 * beginning.rate as usize));
        self.filters = [Resonator::begin(cutoff, sharpness, rate); 2];
        // It begins as if it had always been there, so that low frequencies do not have to grow.
        for side in 0..2 {
            let mut chain = 0.0;
            for pole in 0..self.poles {
                let drawn = draw(!self.seeds[side], pole as u64);
                chain = if pole == 0 { drawn } else { SHARED * chain + (1.0 - SHARED * SHARED).sqrt() * drawn };
                let share = self.shares[pole];
                self.held[side][pole] = chain * (share / (2.0 - share)).sqrt();
            }
        }
    }

    fn look(&mut self, controls: &Controls<'_>, _at: u64) {
        let [_, _, _, cutoff, sharpness, density] = values::<6>(controls.values);
        self.step = Phase::step(f64::from(density / self.rate));
        self.gain.set_out(self.level(controls));
        if self.filter > 0 {
            self.filters.iter_mut().for_each(|f| f.set_out(cutoff, sharpness, self.rate));
        }
    }

    fn run(&mut self, left: &mut [f32], right: &mut [f32]) {
        for (left, right) in left.iter_mut().zip(right) {
            let [first, second] = if self.colour == VELVET {
                self.velvet()
            } else {
                let first = self.next(0);
                [first, if self.stereo { self.next(1) } else { 0.0 }]
            };
            let gain = self.gain.next();
            *left = self.filtered(0, first) * gain;
            if self.stereo {
                *right = self.filtered(1, second) * gain;
            }
            self.at += 1;
        }
    }

    fn memory(&self) -> usize {
        self.memory
    }

    fn jump(&mut self, controls: &Controls<'_>, from: u64, to: u64) {
        let density = controls.values[5];
        self.at += to - from;
        self.step = Phase::step(f64::from(density / self.rate));
        self.period += self.phase.jump(self.step, to - from);
        self.gain = Line::at(self.level(controls));
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::samples;
    use super::*;

    /// Power in the octaves around 62.5 Hz to 16 kHz, in dB, by averaged spectra.
    fn octaves(samples: &[f32]) -> Vec<f64> {
        const SIZE: usize = 8192;
        let plan = estampie_generics::forward(SIZE);
        let mut power = vec![0.0f64; SIZE / 2 + 1];
        for chunk in samples.chunks_exact(SIZE) {
            let mut input: Vec<f32> = chunk.iter().enumerate().map(|(i, s)| s * (0.5 - 0.5 * (TAU * i as f32 / SIZE as f32).cos())).collect();
            let mut output = plan.make_output_vec();
            plan.process(&mut input, &mut output).unwrap();
            power.iter_mut().zip(&output).for_each(|(sum, bin)| *sum += f64::from(bin.norm_sqr()));
        }
        let bin = |hertz: f64| (hertz * SIZE as f64 / 48_000.0) as usize;
        (0..9)
            .map(|octave| {
                let centre = 62.5 * f64::from(1 << octave);
                let (low, high) = (bin(centre / 2.0f64.sqrt()), bin(centre * 2.0f64.sqrt()).min(power.len()));
                10.0 * (power[low..high].iter().sum::<f64>() / (high - low) as f64).log10()
            })
            .collect()
    }

    #[test]
    fn each_colour_falls_by_as_much_in_an_octave_as_it_is_said() {
        for (colour, slope) in [(0, 0.0), (PINK, -3.01), (BROWN, -6.02)] {
            let [left, _] = samples(&NOISE, &[("colour", colour as f32)], 11, 48_000 * 40);
            let measured = octaves(&left);
            // The last octave lies at the end of what there is, where filters of a digital signal turn flat.
            for (octave, pair) in measured.windows(2).enumerate().take(if colour == BROWN { 6 } else { 7 }) {
                let fall = pair[1] - pair[0];
                assert!((fall - slope).abs() < 0.5, "{} octave {octave}: {fall} dB instead of {slope}", COLOURS[colour]);
            }
        }
    }

    #[test]
    fn two_channels_have_nothing_in_common() {
        for (colour, word) in COLOURS.iter().enumerate() {
            let [left, right] = samples(&NOISE, &[("colour", colour as f32), ("channels", 1.0)], 5, 480_000);
            let power: f64 = left.iter().map(|s| f64::from(s * s)).sum();
            let common: f64 = left.iter().zip(&right).map(|(a, b)| f64::from(a * b)).sum();
            // What is slow has fewer independent values to average over.
            let most = if colour == BROWN { 0.15 } else { 0.05 };
            assert!((common / power).abs() < most, "{word}: {}", common / power);
        }
    }

    #[test]
    fn it_begins_as_loud_as_it_goes_on() {
        for (colour, word) in COLOURS.iter().enumerate() {
            let power = |from: usize| -> f64 {
                let seeds = 0..200u64;
                seeds.map(|seed| samples(&NOISE, &[("colour", colour as f32)], seed, from + 480)[0][from..].iter().map(|s| f64::from(s * s)).sum::<f64>()).sum()
            };
            let change = 10.0 * (power(0) / power(9_600)).log10();
            assert!(change.abs() < 1.5, "{word}: {change} dB");
        }
    }
}
