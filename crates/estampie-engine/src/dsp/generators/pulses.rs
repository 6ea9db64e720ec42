//! Pulses in a row: clicks, beeps, the stroke of a pump.

use super::stepped::{GRID, Line, Phase, Stepped, Steps, draw, unit, values};
use super::waves::{WAVES, Wave, waves};
use super::{Beginning, Controls, Drawing, Form, GeneratorKind, Preset, levelled};
use crate::dsp::effects::Setting;
use crate::ground::curve::Curve;
use crate::ground::property::Unit;

/// A pulse comes and goes within these times, in seconds.
const EDGES: (f32, f32) = (0.0003, 0.0015);
/// A step that is not accented is so much lower, as a factor.
const PLAIN: f32 = 0.56;
/// The most steps of a pattern.
pub(super) const MOST_STEPS: usize = 64;

/// The kind.
pub(super) const PULSES: GeneratorKind = GeneratorKind {
    word: "pulses",
    says: "clicks and beeps in a pattern, at an interval",
    settings: &[
        Setting::choice("wave", WAVES),
        Setting::new("interval", Unit::Seconds, (0.01, 10.0), 0.5),
        Setting::new("length", Unit::Seconds, (0.002, 2.0), 0.08),
        Setting::new("frequency", Unit::Hertz, (20.0, 12_000.0), 880.0),
        Setting::new("step", Unit::Semitones, (-12.0, 12.0), 0.0),
        Setting::new("bend", Unit::Semitones, (-48.0, 48.0), 0.0),
        Setting::new("decay", Unit::Share, (0.0, 1.0), 0.4),
        Setting::new("noise", Unit::Share, (0.0, 1.0), 0.0),
        Setting::new("jitter", Unit::Share, (0.0, 1.0), 0.0),
    ],
    drawings: &[Drawing { word: "pattern", says: "x a pulse, X an accented one, . none", form: Form::Steps, rest: &["X"] }],
    presets: &[
        Preset {
            name: "bilge pump",
            says: "two strokes and a rest",
            set: &[
                ("wave", "triangle"),
                ("interval", "380 ms"),
                ("length", "260 ms"),
                ("frequency", "70 Hz"),
                ("bend", "-9 st"),
                ("decay", "70 %"),
                ("noise", "35 %"),
                ("jitter", "6 %"),
                ("pattern", "Xx."),
            ],
        },
        Preset {
            name: "depth alarm",
            says: "three beeps that rise",
            set: &[
                ("wave", "pulse"),
                ("interval", "140 ms"),
                ("length", "90 ms"),
                ("frequency", "990 Hz"),
                ("step", "3 st"),
                ("decay", "10 %"),
                ("pattern", "xxX..."),
            ],
        },
        Preset {
            name: "relay",
            says: "dry clicks",
            set: &[
                ("interval", "250 ms"),
                ("length", "8 ms"),
                ("frequency", "2.6 kHz"),
                ("decay", "90 %"),
                ("noise", "70 %"),
                ("jitter", "10 %"),
                ("pattern", "Xx"),
            ],
        },
        Preset {
            name: "counter",
            says: "as of something that counts rays",
            set: &[
                ("interval", "60 ms"),
                ("length", "4 ms"),
                ("frequency", "3.4 kHz"),
                ("decay", "100 %"),
                ("noise", "50 %"),
                ("jitter", "100 %"),
                ("pattern", "x"),
            ],
        },
    ],
    make: |_| {
        // Worked out now, and not while it sounds.
        waves();
        Box::new(Stepped::<Pulses>::default())
    },
    ..GeneratorKind::PLAIN
};

#[derive(Debug, Default)]
struct Pulses {
    rate: f32,
    seed: u64,
    at: u64,
    /// Where it is within an interval, by how much it goes on, and which interval it is.
    phase: Phase,
    step: u64,
    interval: u64,
    pulse: Pulse,
    /// Where in this interval a pulse starts.
    start: u64,
    /// Where its controls were at the last look.
    wave: usize,
    length: f32,
    /// Samples that a pulse lasts.
    lasting: f32,
    /// The share of a pulse that is kept from sample to sample.
    keep: f32,
    jitter: f32,
    pitch: [f32; 3],
    noise: Line,
    gone: usize,
    pattern: Pattern,
}

/// What a pattern has at each of its steps.
#[derive(Debug, Clone, Copy)]
struct Pattern {
    steps: [u8; MOST_STEPS],
    count: usize,
}

impl Default for Pattern {
    fn default() -> Self {
        Pattern { steps: [2; MOST_STEPS], count: 1 }
    }
}

impl Pattern {
    fn of(curve: Option<&Curve>) -> Pattern {
        let Some(curve) = curve.filter(|c| !c.points().is_empty()) else { return Pattern::default() };
        let count = curve.points().len().min(MOST_STEPS);
        let mut pattern = Pattern { steps: [0; MOST_STEPS], count };
        pattern.steps.iter_mut().zip(curve.points()).for_each(|(to, point)| *to = point.y.clamp(0.0, 2.0) as u8);
        pattern
    }

    /// Gain of a step, and how many pulses come before it in its round; `None` if there is none.
    fn at(&self, interval: u64) -> Option<(f32, usize)> {
        let place = (interval % self.count as u64) as usize;
        let before = self.steps[..place].iter().filter(|s| **s > 0).count();
        match self.steps[place] {
            0 => None,
            1 => Some((PLAIN, before)),
            _ => Some((1.0, before)),
        }
    }
}

/// The pulse that is heard.
#[derive(Debug, Clone, Copy, Default)]
struct Pulse {
    /// The interval it belongs to, counted from 1; 0 if there has been none.
    of: u64,
    /// Samples since its start.
    since: u64,
    gain: f32,
    /// What is left of it as it dies away, as a factor.
    fallen: f32,
    /// Pulses before it in its round.
    before: usize,
    phase: Phase,
    by: u64,
    wave: Wave,
}

impl Pulses {
    fn go_by(controls: &Controls<'_>, rate: f32) -> u64 {
        Phase::step(f64::from(1.0 / (controls.values[1].max(0.01) * rate)))
    }

    /// Where in its interval a pulse starts: half of it later at most.
    fn start_of(&self, interval: u64, jitter: f32) -> u64 {
        let share = f64::from(0.5 * jitter * unit(!self.seed, interval));
        (share * 18_446_744_073_709_551_615.0) as u64
    }

    /// Begins the pulse of the interval that it is in.
    fn begin_pulse(&mut self) {
        self.pulse.of = self.interval + 1;
        (self.pulse.since, self.pulse.phase, self.pulse.gain, self.pulse.fallen) = (0, Phase(0), 0.0, 1.0);
        if let Some((gain, before)) = self.pattern.at(self.interval) {
            (self.pulse.gain, self.pulse.before) = (gain, before);
            let by = self.by();
            self.pulse.by = Phase::step(by);
            self.pulse.wave = Wave::begin(self.wave, by as f32);
        }
    }

    fn take(&mut self, controls: &Controls<'_>) {
        let [_, _, length, frequency, step, bend, decay, _, jitter] = values::<9>(controls.values);
        (self.length, self.jitter, self.pitch) = (length, jitter, [frequency, step, bend]);
        self.step = Pulses::go_by(controls, self.rate);
        self.lasting = self.lasts();
        // With all of its decay it falls by 60 dB.
        self.keep = (-6.9 * decay / self.lasting).exp();
    }

    /// Samples that a pulse lasts: no longer than its interval leaves room for.
    fn lasts(&self) -> f32 {
        let interval = 18_446_744_073_709_551_616.0 / self.step.max(1) as f64;
        (self.length * self.rate).min(0.98 * interval as f32).max(4.0)
    }

    /// How the pulse comes and goes so many samples after its start, as a factor.
    fn edges(&self, since: u64) -> f32 {
        let lasts = self.lasting;
        let edge = |seconds: f32| (seconds * self.rate).min(0.3 * lasts).max(1.0);
        let t = since as f32;
        if t >= lasts {
            return 0.0;
        }
        let into = (t / edge(EDGES.0)).min((lasts - t) / edge(EDGES.1)).clamp(0.0, 1.0);
        into * into * (3.0 - 2.0 * into)
    }

    /// What the pulse moves by a sample at a moment of it.
    fn by(&self) -> f64 {
        let [frequency, step, bend] = self.pitch;
        let gone = (self.pulse.since as f32 / self.lasts()).min(1.0);
        let moved = step * self.pulse.before as f32 + bend * gone;
        f64::from(frequency) * f64::from(moved / 12.0).exp2() / f64::from(self.rate)
    }
}

impl Steps for Pulses {
    fn begin(&mut self, beginning: &Beginning<'_>) {
        let controls = &beginning.controls;
        let rate = beginning.rate as f32;
        *self = Pulses { rate, seed: beginning.seed, noise: Line::at(controls.values[7]), ..Pulses::default() };
        self.wave = controls.values[0] as usize;
        self.pattern = Pattern::of(controls.drawings.first());
        self.take(controls);
        self.start = self.start_of(0, self.jitter);
    }

    fn look(&mut self, controls: &Controls<'_>, _at: u64) {
        self.take(controls);
        self.gone = 0;
        self.noise.set_out(controls.values[7]);
        let by = self.by();
        self.pulse.by = Phase::step(by);
        self.pulse.wave.set_out(by as f32);
    }

    fn run(&mut self, left: &mut [f32], _right: &mut [f32]) {
        let level = levelled(0.42);
        for (i, sample) in left.iter_mut().enumerate() {
            if self.pulse.of != self.interval + 1 && self.phase.0 >= self.start {
                self.begin_pulse();
            }
            let noise = self.noise.next();
            let Pulse { gain, wave, phase, .. } = self.pulse;
            *sample = if gain > 0.0 && (self.pulse.since as f32) < self.lasting {
                let mut tone = 0.0;
                wave.each(self.gone + i, 1, || phase, || 0.5, |_, value| tone = value);
                let white = if noise > 0.0 { draw(self.seed, self.at) } else { 0.0 };
                (tone + (white * 1.2 - tone) * noise) * gain * level * self.edges(self.pulse.since) * self.pulse.fallen
            } else {
                0.0
            };
            self.at += 1;
            self.pulse.since += 1;
            self.pulse.fallen *= self.keep;
            self.pulse.phase.go(self.pulse.by);
            if self.phase.go(self.step) {
                self.interval += 1;
                self.start = self.start_of(self.interval, self.jitter);
            }
        }
        self.gone += left.len();
    }

    fn jump(&mut self, controls: &Controls<'_>, from: u64, to: u64) {
        self.take(controls);
        self.noise = Line::at(controls.values[7]);
        // To where the pulse that is heard then began, and on from there.
        let mut arrived = (self.phase, self.interval);
        arrived.1 += arrived.0.jump(self.step, to - from);
        let since = |interval: u64, phase: u128| (phase - u128::from(self.start_of(interval, self.jitter)).min(phase)) / u128::from(self.step.max(1));
        let begun = arrived.0.0 >= self.start_of(arrived.1, self.jitter);
        let ago = if begun || arrived.1 == 0 { since(arrived.1, u128::from(arrived.0.0)) } else { since(arrived.1 - 1, u128::from(arrived.0.0) + (1 << 64)) };
        let ago = ago.min(2 * self.lasts() as u128 + 2 * GRID as u128) as u64 + 1;
        let back = ago.div_ceil(GRID as u64) * GRID as u64;
        let mut at = from.max(to.saturating_sub(back));
        self.interval += self.phase.jump(self.step, at - from);
        self.at += at - from;
        self.start = self.start_of(self.interval, self.jitter);
        // If it is no jump at all, what sounds goes on.
        if at > from {
            (self.pulse.gain, self.pulse.of) = (0.0, if self.phase.0 >= self.start { self.interval + 1 } else { 0 });
        }
        let mut unheard = [0.0; GRID];
        while at < to {
            self.look(controls, at);
            self.run(&mut unheard, &mut []);
            at += GRID as u64;
        }
    }
}
