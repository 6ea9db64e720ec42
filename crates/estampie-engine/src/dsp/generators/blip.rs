//! A blip: the little sound of a key, a switch, a message, made from a few numbers; another number, another one like it.

use super::stepped::{GRID, Phase, Stepped, Steps, draw, values};
use super::waves::{WAVES, Wave, sine, waves};
use super::{Beginning, Controls, GeneratorKind, Preset, levelled};
use crate::dsp::effects::Setting;
use crate::ground::property::Unit;

/// It goes out within this time, in seconds, however it is set.
const EDGE: f32 = 0.002;

/// The kind.
pub(super) const BLIP: GeneratorKind = GeneratorKind {
    word: "blip",
    says: "a little sound for a key, a switch, a message; another number, another one like it",
    settings: &[
        Setting::choice("wave", WAVES),
        Setting::new("frequency", Unit::Hertz, (40.0, 10_000.0), 660.0),
        Setting::new("bend", Unit::Semitones, (-36.0, 36.0), 0.0),
        Setting::new("leap", Unit::Semitones, (-24.0, 24.0), 0.0),
        Setting::new("turn", Unit::Share, (0.05, 0.95), 0.4),
        Setting::new("length", Unit::Seconds, (0.01, 2.0), 0.14),
        Setting::new("attack", Unit::Share, (0.0, 1.0), 0.02),
        Setting::new("decay", Unit::Share, (0.0, 1.0), 0.6),
        Setting::new("vibrato", Unit::Semitones, (0.0, 6.0), 0.0),
        Setting::new("noise", Unit::Share, (0.0, 1.0), 0.0),
        Setting::new("variety", Unit::Share, (0.0, 1.0), 0.35).fixed(),
        Setting::new("another", Unit::Number, (0.0, 9_999.0), 0.0).fixed(),
    ],
    presets: &[
        Preset {
            name: "accepted",
            says: "up a fifth",
            set: &[("wave", "triangle"), ("frequency", "620 Hz"), ("leap", "7 st"), ("turn", "45 %"), ("length", "180 ms"), ("decay", "50 %")],
        },
        Preset {
            name: "refused",
            says: "down, rough",
            set: &[("wave", "pulse"), ("frequency", "240 Hz"), ("leap", "-5 st"), ("turn", "40 %"), ("length", "260 ms"), ("decay", "25 %"), ("noise", "8 %")],
        },
        Preset {
            name: "key",
            says: "a dry tick",
            set: &[("frequency", "2.2 kHz"), ("bend", "-12 st"), ("length", "25 ms"), ("attack", "0 %"), ("decay", "90 %"), ("noise", "35 %")],
        },
        Preset {
            name: "message",
            says: "it wants to be read",
            set: &[
                ("wave", "triangle"),
                ("frequency", "990 Hz"),
                ("leap", "5 st"),
                ("turn", "30 %"),
                ("length", "420 ms"),
                ("decay", "75 %"),
                ("vibrato", "0.3 st"),
            ],
        },
        Preset {
            name: "sonar",
            says: "one high drop that hangs",
            set: &[("frequency", "1.4 kHz"), ("bend", "-1 st"), ("length", "1.2 s"), ("attack", "1 %"), ("decay", "80 %")],
        },
        Preset {
            name: "bolt",
            says: "a shot of current",
            set: &[("wave", "saw"), ("frequency", "1.8 kHz"), ("bend", "-30 st"), ("length", "320 ms"), ("decay", "45 %"), ("noise", "12 %")],
        },
    ],
    ends: |_| true,
    make: |_| {
        // Worked out now, and not while it sounds.
        waves();
        Box::new(Stepped::<Blip>::default())
    },
    ..GeneratorKind::PLAIN
};

#[derive(Debug, Default)]
struct Blip {
    rate: f32,
    seed: u64,
    at: u64,
    shape: usize,
    phase: Phase,
    step: u64,
    wave: Wave,
    gone: usize,
    /// What another number changes: pitch, bend, leap, turn, length, vibrato.
    own: [f32; 6],
    now: Now,
    /// What is left of it as it dies away, as a factor.
    fallen: f32,
    ended: bool,
}

/// What the controls come to.
#[derive(Debug, Clone, Copy, Default)]
struct Now {
    length: f32,
    attack: f32,
    /// The share that is kept from sample to sample as it dies away.
    keep: f32,
    noise: f32,
}

impl Blip {
    fn take(&mut self, controls: &Controls<'_>) {
        let [_, _, _, _, _, length, attack, decay, _, noise, ..] = values::<12>(controls.values);
        let length = (length * self.own[4].exp2()).max(0.01) * self.rate;
        // With all of its decay it falls by 60 dB.
        self.now = Now { length, attack, keep: (-6.9 * decay / length).exp(), noise };
    }

    /// What it moves by a sample.
    fn by(&self, controls: &Controls<'_>) -> f64 {
        let [_, frequency, bend, leap, turn, _, _, _, vibrato, ..] = values::<12>(controls.values);
        let t = (self.at as f32 / self.now.length).min(1.0);
        let turn = (turn + self.own[3]).clamp(0.05, 0.95);
        let shaken = vibrato * (1.0 + self.own[5]) * sine(self.at as f32 * 7.0 / self.rate);
        let moved = self.own[0] + (bend + self.own[1]) * t + if t >= turn { leap + self.own[2] } else { 0.0 } + shaken;
        f64::from(frequency) * f64::from(moved / 12.0).exp2() / f64::from(self.rate)
    }

    /// How it comes and goes at a sample of it, as a factor.
    fn edges(&self, at: f32) -> f32 {
        let Now { length, attack, .. } = self.now;
        if at >= length {
            return 0.0;
        }
        let rises = (attack * length).max(0.001 * self.rate);
        let into = (at / rises).min((length - at) / (EDGE * self.rate)).clamp(0.0, 1.0);
        into * into * (3.0 - 2.0 * into)
    }
}

impl Steps for Blip {
    fn begin(&mut self, beginning: &Beginning<'_>) {
        let controls = &beginning.controls;
        let [variety, another] = [controls.values[10], controls.values[11]];
        // The first is as it is set. A number stands for the same one for ever, whatever else is drawn.
        let own = |which: u64, far: f32| if another < 0.5 { 0.0 } else { variety * far * draw(another as u64 * 97 + 13, which) };
        *self = Blip { rate: beginning.rate as f32, seed: beginning.seed, shape: controls.values[0] as usize, fallen: 1.0, ..Blip::default() };
        self.own = [own(0, 9.0), own(1, 10.0), own(2, 9.0).round(), own(3, 0.4), own(4, 1.0), own(5, 1.0)];
        self.take(controls);
        self.wave = Wave::begin(self.shape, self.by(controls) as f32);
    }

    fn look(&mut self, controls: &Controls<'_>, _at: u64) {
        self.take(controls);
        let by = self.by(controls);
        self.step = Phase::step(by);
        self.wave.set_out(by as f32);
        self.gone = 0;
        self.ended = self.at as f32 >= self.now.length;
    }

    fn run(&mut self, left: &mut [f32], _right: &mut [f32]) {
        let level = levelled(0.3);
        for (i, sample) in left.iter_mut().enumerate() {
            let phase = self.phase;
            let mut tone = 0.0;
            self.wave.each(self.gone + i, 1, || phase, || 0.5, |_, value| tone = value);
            let white = if self.now.noise > 0.0 { draw(self.seed, self.at) } else { 0.0 };
            *sample = (tone + (1.2 * white - tone) * self.now.noise) * level * self.edges(self.at as f32) * self.fallen;
            self.fallen *= self.now.keep;
            self.phase.go(self.step);
            self.at += 1;
        }
        self.gone += left.len();
    }

    fn jump(&mut self, controls: &Controls<'_>, from: u64, to: u64) {
        let mut at = from;
        let mut unheard = [0.0; GRID];
        // It is short: it is gone through, and after it there is nothing.
        while at < to && !self.ended {
            self.look(controls, at);
            self.run(&mut unheard, &mut []);
            at += GRID as u64;
        }
        self.at = to;
    }

    fn ended(&self) -> bool {
        self.ended
    }
}
