//! Rendering without a device: a playthrough in, samples and a trace out, as fast as the machine can.

use estampie_engine::engine::{Engine, Input, InputKind, Options, Prepared, Remote};
use estampie_engine::names::{NameKey, Names};
use estampie_engine::program::Program;
use estampie_engine::telemetry::{Happening, What};
use estampie_engine::units::Seconds;
use estampie_engine::world::emitters::LISTENER_NAME;
use estampie_project::language::PlaceOf;
use estampie_project::language::lex::is_name;
use estampie_project::language::playthrough::{Placing, PlaythroughLine, Walking};
use estampie_project::language::{Playthrough, Step, StepAction, Word};
use std::collections::HashSet;
use std::sync::Arc;

/// After `end` everything fades for so long.
pub const END_FADE: Seconds = Seconds(0.5);
/// Without an `end`, so much is rendered after the last input, and then it ends.
pub const TAIL: Seconds = Seconds(2.0);

/// The inputs that a playthrough comes to, in the order of their frames.
#[must_use]
pub fn inputs(playthrough: &Playthrough, rate: u32) -> Vec<Input> {
    let mut list = Vec::new();
    let mut ended = false;
    for (step, _) in playthrough.steps() {
        // What comes after the end does not come.
        if ended {
            break;
        }
        ended = step.action == StepAction::End;
        let what = match &step.action {
            StepAction::PlayerLevel(level, value) => InputKind::PlayerLevel { level: NameKey::of(&level.text), value: *value as f32 },
            StepAction::State(state, value) => InputKind::State { state: NameKey::of(&state.text), value: NameKey::of(&value.text) },
            StepAction::Parameter(parameter, value) => {
                InputKind::Parameter { parameter: NameKey::of(&parameter.text), value: *value as f32, emitter: NameKey::NONE }
            }
            StepAction::ParameterOn(parameter, emitter, value) => {
                InputKind::Parameter { parameter: NameKey::of(&parameter.text), value: *value as f32, emitter: NameKey::of(&emitter.text) }
            }
            StepAction::Place(placing) => InputKind::Place {
                emitter: NameKey::of(placing.emitter.as_ref().map_or(LISTENER_NAME, |e| &e.text)),
                kind: placing.kind.as_ref().map_or(NameKey::NONE, |k| NameKey::of(&k.text)),
                at: placing.at.map(|v| v as f32),
                facing: placing.facing.map(|f| f as f32),
                frames: placing.over.map_or(0, |t| t.frames(rate)),
            },
            StepAction::Walk(walking) => InputKind::Walk {
                emitter: NameKey::of(walking.emitter.as_ref().map_or(LISTENER_NAME, |e| &e.text)),
                to: walking.to.map(|v| v as f32),
                speed: walking.speed as f32,
            },
            StepAction::Remove(emitter) => InputKind::Remove { emitter: NameKey::of(&emitter.text) },
            StepAction::Glide { parameter, from, to, over } => {
                InputKind::Glide { parameter: NameKey::of(&parameter.text), from: from.map(|f| f as f32), to: *to as f32, frames: over.frames(rate) }
            }
            StepAction::Send(event, emitter) => {
                InputKind::Event { event: NameKey::of(&event.text), emitter: emitter.as_ref().map_or(NameKey::NONE, |e| NameKey::of(&e.text)) }
            }
            // That is for whoever listens.
            StepAction::Expect(_) => continue,
            StepAction::End => InputKind::StopAll { frames: END_FADE.frames(rate) },
        };
        list.push(Input { frame: step.at.frames(rate), what });
    }
    list.sort_by_key(|input| input.frame);
    list
}

/// How many frames a playthrough is to be rendered for.
#[must_use]
pub fn frames(playthrough: &Playthrough, rate: u32) -> u64 {
    let last = playthrough.length().frames(rate);
    last + if playthrough.ends() { END_FADE.frames(rate) } else { TAIL.frames(rate) }
}

/// How many frames of it come unheard, and how many are heard after them.
#[must_use]
pub fn heard(playthrough: &Playthrough, rate: u32) -> (u64, u64) {
    let all = frames(playthrough, rate);
    let unheard = playthrough.heard_from().frames(rate).min(all);
    (unheard, all - unheard)
}

/// The names that occur in a playthrough, known to the project or not, for whoever writes of them.
#[must_use]
pub fn names_in(playthrough: &Playthrough) -> Names {
    let mut names = Names::default();
    for (step, _) in playthrough.steps() {
        match &step.action {
            StepAction::State(state, value) => {
                names.add(&state.text);
                names.add(&value.text);
            }
            StepAction::Parameter(parameter, _) | StepAction::Glide { parameter, .. } => {
                names.add(&parameter.text);
            }
            StepAction::ParameterOn(parameter, emitter, _) => {
                names.add(&parameter.text);
                names.add(&emitter.text);
            }
            StepAction::Place(placing) => {
                for word in [&placing.emitter, &placing.kind].into_iter().flatten() {
                    names.add(&word.text);
                }
            }
            StepAction::Walk(walking) => {
                names.add(walking.emitter.as_ref().map_or(LISTENER_NAME, |e| &e.text));
            }
            StepAction::Remove(emitter) | StepAction::PlayerLevel(emitter, _) => {
                names.add(&emitter.text);
            }
            StepAction::Send(event, emitter) => {
                names.add(&event.text);
                if let Some(emitter) = emitter {
                    names.add(&emitter.text);
                }
            }
            StepAction::Expect(_) | StepAction::End => {}
        }
    }
    names
}

/// A rendering under way.
pub struct Rendering {
    engine: Engine,
    remote: Remote,
    /// Frames that are still to come unheard.
    unheard: u64,
    left: u64,
    /// The most voices that were seen to sound at once.
    voices: usize,
}

impl Rendering {
    /// Begins to render `playthrough` with `program`; `seed` is the playthrough's own unless given.
    #[must_use]
    pub fn new(program: &Arc<Program>, playthrough: &Playthrough, seed: Option<u64>, soft_start: Seconds) -> Rendering {
        Rendering::with_levels(program, playthrough, seed, soft_start, &[])
    }

    /// The same with player levels (by name, 0 to 10) that are in force before the first sample.
    #[must_use]
    pub fn with_levels(program: &Arc<Program>, playthrough: &Playthrough, seed: Option<u64>, soft_start: Seconds, levels: &[(NameKey, f32)]) -> Rendering {
        let rate = program.rate;
        let schedule = inputs(playthrough, rate).into();
        let prepared = Prepared::new(Arc::clone(program), seed.unwrap_or_else(|| playthrough.seed())).with_player_levels(levels);
        let (engine, remote) = Engine::new(prepared, Options { soft_start, schedule, ..Options::default() });
        let (unheard, left) = heard(playthrough, rate);
        Rendering { engine, remote, unheard, left, voices: 0 }
    }

    /// Renders up to `frames` more into `samples` (two interleaved channels, replaced); empty at the end. Calls `happened` for each happening, those of
    /// what comes unheard too.
    pub fn next(&mut self, frames: u64, samples: &mut Vec<f32>, mut happened: impl FnMut(&Happening)) {
        while self.unheard > 0 {
            samples.resize(2 * self.unheard.min(4800) as usize, 0.0);
            self.part(samples, &mut happened);
            self.unheard -= samples.len() as u64 / 2;
        }
        let frames = frames.min(self.left);
        samples.clear();
        samples.resize(frames as usize * 2, 0.0);
        // In parts, so that no ring runs over.
        for part in samples.chunks_mut(2 * 4800) {
            self.part(part, &mut happened);
        }
        self.left -= frames;
    }

    fn part(&mut self, part: &mut [f32], happened: &mut impl FnMut(&Happening)) {
        self.engine.render(part);
        while let Some(happening) = self.remote.happening() {
            happened(&happening);
        }
        if let Some(status) = self.remote.status() {
            self.voices = self.voices.max(status.voices.iter().filter(|v| !v.asleep).count());
            self.remote.give_back(status);
        }
    }

    /// Frames that are left.
    #[must_use]
    pub fn left(&self) -> u64 {
        self.left
    }
}

/// The most voices that sound at once in a playthrough, looked at every 10 ms.
#[must_use]
pub fn most_voices(program: &Arc<Program>, playthrough: &Playthrough) -> usize {
    let mut rendering = Rendering::new(program, playthrough, None, Seconds(0.0));
    let mut samples = Vec::new();
    let step = u64::from(program.rate / 100).max(1);
    while rendering.left() > 0 {
        rendering.next(step, &mut samples, |_| {});
    }
    rendering.voices
}

/// Renders a whole playthrough: samples of two interleaved channels, and all that happened.
#[must_use]
pub fn render(program: &Arc<Program>, playthrough: &Playthrough, seed: Option<u64>) -> (Vec<f32>, Vec<Happening>) {
    let mut rendering = Rendering::new(program, playthrough, seed, Seconds(0.0));
    let (mut all, mut part, mut happenings) = (Vec::new(), Vec::new(), Vec::new());
    while rendering.left() > 0 {
        rendering.next(48_000, &mut part, |h| happenings.push(*h));
        all.extend_from_slice(&part);
    }
    (all, happenings)
}

/// What lasts of a step: what it sets, by a name of its own, with a glide or a way taken at its end. Events do not last.
pub(crate) fn lasting(action: &StepAction) -> Option<(String, StepAction)> {
    Some(match action {
        StepAction::State(state, _) => (format!("state {}", state.text), action.clone()),
        StepAction::Parameter(parameter, _) => (format!("parameter {}", parameter.text), action.clone()),
        StepAction::Glide { parameter, to, .. } => (format!("parameter {}", parameter.text), StepAction::Parameter(parameter.clone(), *to)),
        StepAction::ParameterOn(parameter, emitter, _) => (format!("parameter {} on {}", parameter.text, emitter.text), action.clone()),
        StepAction::Place(placing) => {
            (format!("place {:?}", placing.emitter.as_ref().map(|e| &e.text)), StepAction::Place(Placing { over: None, ..placing.clone() }))
        }
        StepAction::Walk(Walking { emitter, to, .. }) => {
            let there = Placing { emitter: emitter.clone(), kind: None, at: *to, facing: None, over: None };
            (format!("place {:?}", emitter.as_ref().map(|e| &e.text)), StepAction::Place(there))
        }
        StepAction::PlayerLevel(level, _) => (format!("player level {}", level.text), action.clone()),
        StepAction::Remove(_) | StepAction::Send(..) | StepAction::Expect(_) | StepAction::End => return None,
    })
}

/// A parameter, the game's range and ours.
type Mapped = (NameKey, (f32, f32), (f32, f32));

/// Makes a playthrough of what is said to an engine from its first frame on.
#[derive(Debug, Default, Clone)]
pub struct Recorder {
    rate: u32,
    lines: Vec<PlaythroughLine>,
    /// Parameters with a range of the game's: what was sent is in that range.
    mapped: Vec<Mapped>,
}

impl Recorder {
    /// A recorder for an engine of `program` that was made with `seed`.
    #[must_use]
    pub fn new(program: &Program, seed: u64) -> Recorder {
        let mapped = program.parameters.iter().filter_map(|p| Some((p.key, p.from_game?, (p.low, p.high)))).collect();
        Recorder { rate: program.rate, lines: vec![PlaythroughLine::Seed(seed)], mapped }
    }

    /// The value as the game would send it.
    fn to_game(&self, parameter: NameKey, value: f32) -> f32 {
        let found = self.mapped.iter().find(|(key, ..)| *key == parameter);
        found.map_or(value, |(_, (from, to), (low, high))| from + (value - low) / (high - low) * (to - from))
    }

    /// Takes note of a happening if it is something that was said from outside.
    pub fn note(&mut self, happening: &Happening, names: &Names) {
        let word = |key: NameKey| Word::new(names.get(key));
        // The shortest text of an f32 reads back as the same f32.
        let number = |value: f32| value.to_string().parse().unwrap_or(f64::from(value));
        let action = match happening.what {
            // What is not known here may be called anything by the game.
            What::Event { event, by, .. } if by.is_none() && !is_name(names.get(event)) => return,
            What::Event { event, emitter, by } if by.is_none() => StepAction::Send(word(event), (!emitter.is_none()).then(|| word(emitter))),
            What::Parameter { parameter, value, emitter, by } if by.is_none() && emitter.is_none() => {
                StepAction::Parameter(word(parameter), number(self.to_game(parameter, value)))
            }
            What::Parameter { parameter, value, emitter, by } if by.is_none() => {
                StepAction::ParameterOn(word(parameter), word(emitter), number(self.to_game(parameter, value)))
            }
            What::Place { emitter, kind, at, facing, frames } => StepAction::Place(Placing {
                emitter: (emitter != NameKey::of(LISTENER_NAME)).then(|| word(emitter)),
                kind: (!kind.is_none()).then(|| word(kind)),
                at: at.map(number),
                facing: facing.map(number),
                over: (frames > 0).then(|| Seconds::of_frames(frames, self.rate)),
            }),
            What::Walk { emitter, to, speed } => {
                StepAction::Walk(Walking { emitter: (emitter != NameKey::of(LISTENER_NAME)).then(|| word(emitter)), to: to.map(number), speed: number(speed) })
            }
            What::Remove { emitter } => StepAction::Remove(word(emitter)),
            What::Glide { parameter, from, to, frames } => {
                StepAction::Glide { parameter: word(parameter), from: Some(number(from)), to: number(to), over: Seconds::of_frames(frames, self.rate) }
            }
            What::State { state, value, by, .. } if by.is_none() => StepAction::State(word(state), word(value)),
            _ => return,
        };
        let at = Seconds::of_frames(happening.frame, self.rate);
        self.lines.push(PlaythroughLine::Step(Step { at, action }, PlaceOf::default()));
    }

    /// How many things it has taken note of.
    #[must_use]
    pub fn count(&self) -> usize {
        self.lines.len()
    }

    /// Forgets what happened before a moment; of what was set then, the last value stays, on its own moment.
    pub fn forget(&mut self, before: Seconds) {
        let mut seen = HashSet::new();
        // From the newest to the oldest: the first of a name is its last value.
        let mut kept: Vec<PlaythroughLine> = std::mem::take(&mut self.lines)
            .into_iter()
            .rev()
            .filter(|line| match line {
                PlaythroughLine::Step(step, _) if step.at.0 < before.0 => lasting(&step.action).is_some_and(|(name, _)| seen.insert(name)),
                _ => true,
            })
            .collect();
        kept.reverse();
        self.lines = kept;
    }

    /// Ends the playthrough at `frame`.
    #[must_use]
    pub fn finish(mut self, frame: u64) -> Playthrough {
        let at = Seconds::of_frames(frame, self.rate);
        self.lines.push(PlaythroughLine::Step(Step { at, action: StepAction::End }, PlaceOf::default()));
        Playthrough { lines: self.lines }
    }
}
