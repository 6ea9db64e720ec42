//! A tone: sine, triangle, saw or pulse, alone or with partials that can be put out of tune, and glides from pitch to pitch.

use super::stepped::{GRID, Line, Phase, Stepped, Steps, values};
use super::waves::{WAVES, Wave, waves};
use super::{Beginning, Controls, GeneratorKind, Preset, gain_of, levelled};
use crate::dsp::effects::Setting;
use crate::ground::property::Unit;

/// The most partials.
const MOST: usize = 8;
/// The most looks that are made up for while it glides: 2.7 s at 48 kHz.
const MOST_LOOKS: usize = 4096;
/// Where each partial goes as it is put out of tune, as a share of what is said: to both sides, and none as far as another.
const APART: [f32; MOST] = [0.0, 0.55, -0.65, 0.9, -0.4, 0.75, -1.0, 0.3];

/// The kind.
pub(super) const TONE: GeneratorKind = GeneratorKind {
    word: "tone",
    says: "a tone: sine, triangle, saw or pulse, with partials, gliding",
    settings: &[
        Setting::choice("wave", WAVES),
        Setting::new("frequency", Unit::Hertz, (20.0, 12_000.0), 440.0),
        Setting::new("pulse-width", Unit::Share, (0.05, 0.95), 0.5),
        Setting::new("partials", Unit::Number, (1.0, MOST as f32), 1.0),
        Setting::new("slope", Unit::Decibels, (-24.0, 0.0), -6.0),
        Setting::new("detune", Unit::Semitones, (0.0, 2.0), 0.0),
        Setting::new("bend", Unit::Semitones, (-48.0, 48.0), 0.0),
        Setting::new("glide", Unit::Seconds, (0.0, 5.0), 0.0),
    ],
    presets: &[
        Preset {
            name: "deck lamp",
            says: "a lamp that sings",
            set: &[("wave", "triangle"), ("frequency", "1.9 kHz"), ("partials", "4"), ("slope", "-9 dB"), ("detune", "0.04 st")],
        },
        Preset {
            name: "harpoon gun",
            says: "a shot of current that falls",
            set: &[("wave", "saw"), ("frequency", "110 Hz"), ("bend", "36 st"), ("glide", "250 ms")],
        },
        Preset { name: "organ pipe", says: "a stopped pipe", set: &[("wave", "triangle"), ("frequency", "196 Hz"), ("partials", "5"), ("slope", "-12 dB")] },
        Preset {
            name: "two engines",
            says: "a beat between two that do not agree",
            set: &[("wave", "saw"), ("frequency", "55 Hz"), ("partials", "3"), ("detune", "0.3 st")],
        },
    ],
    make: |_| {
        // Worked out now, and not while it sounds.
        waves();
        Box::new(Stepped::<Tone>::default())
    },
    ..GeneratorKind::PLAIN
};

#[derive(Debug, Default)]
struct Tone {
    rate: f32,
    wave: usize,
    /// Where its frequency is on its way, in octaves over 1 Hz.
    pitch: f32,
    width: Line,
    /// Samples since the last look.
    gone: usize,
    partials: [Partial; MOST],
    /// Where its controls and its pitch were at the last look, and what they come to.
    known: ([f32; 8], f32),
    wanted: [(f64, f32); MOST],
    /// How many sound, on their way in and out included.
    sounding: usize,
}

#[derive(Debug, Clone, Copy, Default)]
struct Partial {
    phase: Phase,
    /// What it moves by a sample now, and by how much that changes from sample to sample.
    step: u64,
    change: i64,
    to: u64,
    gain: Line,
    wave: Wave,
}

impl Tone {
    /// Steps and gains of all partials by the controls, at the pitch that it has.
    fn wanted(&self, controls: &Controls<'_>) -> [(f64, f32); MOST] {
        let [_, _, width, count, slope, detune, ..] = values::<8>(controls.values);
        let frequency = f64::from(self.pitch).exp2();
        let mut wanted = [(0.0, 0.0); MOST];
        let mut power = 0.0;
        for (at, (by, gain)) in wanted.iter_mut().enumerate() {
            let apart = f64::from(detune * APART[at] / 12.0).exp2();
            *by = frequency * (at + 1) as f64 * apart / f64::from(self.rate);
            // Where there is no room for it, it is gone before it would turn round.
            let room = ((0.45 - *by as f32) / 0.02).clamp(0.0, 1.0);
            *gain = gain_of(slope * ((at + 1) as f32).log2()) * (count - at as f32).clamp(0.0, 1.0);
            power += *gain * *gain;
            *gain *= room;
        }
        let level = levelled(Wave::rms(self.wave, width)) / power.sqrt();
        wanted.map(|(by, gain)| (by, gain * level))
    }

    /// Follows the pitch that is wanted, over so many samples.
    fn follow(&mut self, controls: &Controls<'_>, samples: u64) {
        let [_, frequency, .., glide] = values::<8>(controls.values);
        let to = frequency.log2();
        // 90 % of the way in the time that it glides.
        let left = if glide > 0.0 { (-std::f64::consts::LN_10 * samples as f64 / f64::from(glide * self.rate)).exp() as f32 } else { 0.0 };
        self.pitch = to + (self.pitch - to) * left;
    }
}

impl Steps for Tone {
    fn begin(&mut self, beginning: &Beginning<'_>) {
        let [wave, frequency, width, .., bend, glide] = values::<8>(beginning.controls.values);
        *self = Tone { rate: beginning.rate as f32, wave: wave as usize, width: Line::at(width), ..Tone::default() };
        self.pitch = frequency.log2() + if glide > 0.0 { bend / 12.0 } else { 0.0 };
        let wanted = self.wanted(&beginning.controls);
        for (partial, (by, gain)) in self.partials.iter_mut().zip(wanted) {
            let step = Phase::step(by);
            *partial = Partial { phase: Phase(0), step, change: 0, to: step, gain: Line::at(gain), wave: Wave::begin(wave as usize, by as f32) };
        }
    }

    fn look(&mut self, controls: &Controls<'_>, at: u64) {
        self.gone = 0;
        self.width.set_out(controls.values[2].clamp(0.05, 0.95));
        if at > 0 {
            self.follow(controls, GRID as u64);
        }
        let now = (values::<8>(controls.values), self.pitch);
        if self.known != now {
            (self.known, self.wanted) = (now, self.wanted(controls));
        }
        let wanted = self.wanted;
        self.sounding = 0;
        for (at, (partial, (by, gain))) in self.partials.iter_mut().zip(wanted).enumerate() {
            partial.step = partial.to;
            partial.to = Phase::step(by);
            partial.change = (partial.to as i64 - partial.step as i64) / GRID as i64;
            partial.gain.set_out(gain);
            partial.wave.set_out(by as f32);
            if gain > 0.0 || !partial.gain.still() {
                self.sounding = at + 1;
            }
        }
    }

    fn run(&mut self, left: &mut [f32], _right: &mut [f32]) {
        left.fill(0.0);
        let (sounding, silent) = self.partials.split_at_mut(self.sounding);
        for partial in sounding {
            let mut width = self.width;
            let Partial { mut phase, mut step, change, mut gain, wave, .. } = *partial;
            let share = || {
                let here = phase;
                phase.go(step);
                step = step.wrapping_add_signed(change);
                here
            };
            wave.each(self.gone, left.len(), share, || width.next(), |i, value| left[i] += value * gain.next());
            (partial.phase, partial.step, partial.gain) = (phase, step, gain);
        }
        // What is not heard goes on, so that it comes back where it belongs.
        silent.iter_mut().for_each(|partial| partial.pass(left.len() as u64));
        for _ in 0..left.len() {
            self.width.next();
        }
        self.gone += left.len();
    }

    fn jump(&mut self, controls: &Controls<'_>, from: u64, to: u64) {
        let mut at = from;
        // While it glides it is followed from look to look, but for no longer than some seconds; after that it stands.
        for _ in 0..MOST_LOOKS {
            if at >= to || self.pitch == controls.values[1].log2() {
                break;
            }
            self.look(controls, at);
            self.partials.iter_mut().for_each(|partial| partial.pass(GRID as u64));
            at += GRID as u64;
        }
        self.follow(controls, to - at);
        self.width = Line::at(controls.values[2]);
        let wanted = self.wanted(controls);
        for (partial, (by, gain)) in self.partials.iter_mut().zip(wanted) {
            partial.to = Phase::step(by);
            partial.phase.jump(partial.to, to - at);
            (partial.step, partial.change) = (partial.to, 0);
            partial.gain = Line::at(gain);
            partial.wave.set_out(by as f32);
        }
    }
}

impl Partial {
    /// Goes on for so many samples, unheard.
    fn pass(&mut self, count: u64) {
        let climbs = self.change.wrapping_mul((count * count.saturating_sub(1) / 2) as i64);
        self.phase.0 = self.phase.0.wrapping_add(self.step.wrapping_mul(count)).wrapping_add_signed(climbs);
        self.step = self.step.wrapping_add_signed(self.change.wrapping_mul(count as i64));
        for _ in 0..count {
            self.gain.next();
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::{samples, strength};
    use super::*;

    #[test]
    fn each_wave_has_the_partials_that_it_should_have() {
        // Partials of 500 Hz against the first: of a sine none, of a triangle 1 ÷ n² of the odd ones, of a saw 1 ÷ n, of a pulse of a quarter
        // sin(n π ÷ 4) ÷ n.
        let quarter = |n: f64| (n * std::f64::consts::FRAC_PI_4).sin().abs() / n / std::f64::consts::FRAC_PI_4.sin();
        let wanted: [&dyn Fn(f64) -> f64; 4] = [&|n| f64::from(n == 1.0), &|n| if n % 2.0 == 1.0 { 1.0 / (n * n) } else { 0.0 }, &|n| 1.0 / n, &quarter];
        for (wave, wanted) in wanted.iter().enumerate() {
            let [left, _] = samples(&TONE, &[("wave", wave as f32), ("frequency", 500.0), ("pulse-width", 0.25)], 1, 48_000);
            let first = strength(&left, 500.0);
            for n in 1..8 {
                let n = f64::from(n);
                let found = strength(&left, 500.0 * n) / first;
                assert!((found - wanted(n)).abs() < 0.03, "{} partial {n}: {found} instead of {}", WAVES[wave], wanted(n));
            }
            assert!(strength(&left, 0.0) < 1e-3, "{} holds no constant", WAVES[wave]);
        }
    }

    #[test]
    fn it_is_in_tune_and_begins_where_it_passes_0() {
        for frequency in [20.0f32, 55.5, 1_234.5, 9_000.0] {
            let [left, _] = samples(&TONE, &[("frequency", frequency)], 1, 480_000);
            // Whole periods within ten seconds, counted by rising passes through 0.
            let passes: Vec<usize> = (1..left.len()).filter(|i| left[i - 1] < 0.0 && left[*i] >= 0.0).collect();
            let measured = (passes.len() - 1) as f64 * 48_000.0 / (passes[passes.len() - 1] - passes[0]) as f64;
            let cents = 1_200.0 * (measured / f64::from(frequency)).log2();
            assert!(cents.abs() < 1.0, "{frequency} Hz: {cents} cents");
        }
        for (wave, word) in WAVES.iter().enumerate().take(3) {
            let [left, _] = samples(&TONE, &[("wave", wave as f32), ("frequency", 100.0)], 1, 2);
            assert!(left[0].abs() < 0.02, "{word}: {}", left[0]);
        }
    }
}
