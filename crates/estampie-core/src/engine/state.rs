//! The memory that belongs to one program: made aside with it, filled from the one before when it takes over.

use super::BLOCK;
use crate::dsp::{Fade, block_coefficient};
use crate::names::NameKey;
use crate::program::{Choice, Program, Test};
use rand::RngCore as _;
use rand_pcg::Pcg32;
use std::sync::Arc;

/// A stream of random draws of its own.
#[derive(Debug, Clone)]
pub(crate) struct Stream(Pcg32);

impl Stream {
    pub(crate) fn new(seed: u64, key: NameKey, purpose: u64) -> Stream {
        Stream(Pcg32::new(seed ^ key.with(purpose).0, key.with(purpose.wrapping_add(1000)).0))
    }

    /// From 0 up to but not including 1.
    pub(crate) fn unit(&mut self) -> f32 {
        (self.0.next_u32() >> 8) as f32 / (1u32 << 24) as f32
    }

    /// Between two ends.
    pub(crate) fn between(&mut self, (low, high): (f32, f32)) -> f32 {
        if low == high { low } else { low + (high - low) * self.unit() }
    }

    /// A whole number below `n`, each as likely as the others (Lemire 2019, with rejection).
    pub(crate) fn below(&mut self, n: usize) -> usize {
        let n = n.clamp(1, u32::MAX as usize) as u32;
        let threshold = n.wrapping_neg() % n;
        loop {
            let product = u64::from(self.0.next_u32()) * u64::from(n);
            if product as u32 >= threshold {
                return (product >> 32) as usize;
            }
        }
    }
}

/// A parameter in motion.
#[derive(Debug, Clone, Copy)]
pub(crate) struct ParameterState {
    /// Where it is, or where a glide began.
    value: f32,
    to: f32,
    begin: u64,
    end: u64,
    pub(crate) smooth: f32,
}

impl ParameterState {
    pub(crate) fn at_rest(rest: f32) -> Self {
        ParameterState { value: rest, to: rest, begin: 0, end: 0, smooth: rest }
    }

    pub(crate) fn set(&mut self, value: f32) {
        (self.value, self.to, self.begin, self.end) = (value, value, 0, 0);
    }

    pub(crate) fn glide(&mut self, from: f32, to: f32, begin: u64, frames: u64) {
        (self.value, self.to, self.begin, self.end) = (from, to, begin, begin + frames);
        if frames == 0 {
            self.set(to);
        }
    }

    pub(crate) fn gliding(&self) -> bool {
        self.end > self.begin
    }

    /// The value at a frame.
    pub(crate) fn at(&self, frame: u64) -> f32 {
        if frame >= self.end {
            self.to
        } else if frame <= self.begin {
            self.value
        } else {
            let share = (frame - self.begin) as f64 / (self.end - self.begin) as f64;
            self.value + (self.to - self.value) * share as f32
        }
    }

    pub(crate) fn settle(&mut self, frame: u64) {
        if self.gliding() && frame >= self.end {
            self.set(self.to);
        }
    }
}

/// The last takes picked from a group.
#[derive(Debug, Clone)]
pub(crate) struct PickMemory {
    takes: usize,
    recent: Vec<u16>,
    next: usize,
}

impl PickMemory {
    fn new(takes: usize, not_last: usize) -> Self {
        PickMemory { takes, recent: Vec::with_capacity(not_last), next: 0 }
    }

    /// Picks one of `takes` that is not among the last.
    pub(crate) fn pick(&mut self, stream: &mut Stream) -> usize {
        let free = self.takes - self.recent.len().min(self.takes.saturating_sub(1));
        let mut nth = stream.below(free.max(1));
        let mut chosen = 0;
        for take in 0..self.takes {
            if self.recent.contains(&(take as u16)) {
                continue;
            }
            chosen = take;
            if nth == 0 {
                break;
            }
            nth -= 1;
        }
        if self.recent.len() < self.recent.capacity() {
            self.recent.push(chosen as u16);
        } else if let Some(oldest) = self.recent.get_mut(self.next) {
            *oldest = chosen as u16;
            self.next = (self.next + 1) % self.recent.len();
        }
        chosen
    }
}

#[derive(Debug, Clone)]
pub(crate) struct SoundState {
    /// What the sound is set to, gliding after edits.
    pub(crate) level: f32,
    pub(crate) pitch: f32,
    pub(crate) low_pass: f32,
    /// The block in which it last glided; a sound that did not sound meanwhile jumps.
    pub(crate) block: u64,
    pub(crate) picks: Vec<PickMemory>,
    pub(crate) pick: Stream,
    pub(crate) vary: Stream,
}

#[derive(Debug, Clone)]
pub(crate) struct BusState {
    /// Set level in dB, gliding after edits; −120 and less is silence.
    pub(crate) level: f32,
    pub(crate) moved: f32,
    pub(crate) muted: bool,
    pub(crate) soloed: bool,
    /// 1, or 0 when muted; moves over 10 ms.
    pub(crate) gate: Fade,
    /// 0 for voices directly on this bus when another is soloed.
    pub(crate) direct: Fade,
    /// The gain at the end of the last block.
    pub(crate) gain: f32,
    pub(crate) left: [f32; BLOCK],
    pub(crate) right: [f32; BLOCK],
    /// Whether anything was added in this block.
    pub(crate) fed: bool,
    pub(crate) peak: [f32; 2],
}

#[derive(Debug, Clone)]
pub(crate) struct ReactionState {
    /// Whether the test it waits for held last time.
    pub(crate) held: bool,
    pub(crate) chance: Stream,
}

/// All memory of a program.
#[derive(Debug)]
pub(crate) struct State {
    pub(crate) parameters: Vec<ParameterState>,
    pub(crate) states: Vec<u16>,
    pub(crate) modulations: Vec<f32>,
    pub(crate) sounds: Vec<SoundState>,
    pub(crate) buses: Vec<BusState>,
    pub(crate) reactions: Vec<ReactionState>,
    /// Share of the way that levels go in a block after an edit.
    pub(crate) glide: f32,
}

/// A program and its memory, ready to take over.
#[derive(Debug)]
pub struct Prepared {
    pub(crate) program: Arc<Program>,
    pub(crate) state: State,
}

/// Edits of a level are followed to 90 % in this time.
const EDIT_GLIDE: f64 = 0.03;

impl Prepared {
    /// Makes the memory of a program; all that allocates happens here, aside.
    #[must_use]
    pub fn new(program: Arc<Program>, seed: u64) -> Prepared {
        let state = State {
            parameters: program.parameters.iter().map(|p| ParameterState::at_rest(p.rest)).collect(),
            states: program.states.iter().map(|s| s.start).collect(),
            modulations: program.modulations.iter().map(|m| m.curve.at(program.parameters[m.parameter].rest)).collect(),
            sounds: program
                .sounds
                .iter()
                .map(|s| SoundState {
                    level: s.level,
                    pitch: s.pitch,
                    low_pass: s.low_pass,
                    block: 0,
                    picks: s.groups.iter().map(|g| PickMemory::new(g.takes.len(), g.not_last)).collect(),
                    pick: Stream::new(seed, s.key, 1),
                    vary: Stream::new(seed, s.key, 2),
                })
                .collect(),
            buses: program
                .buses
                .iter()
                .map(|b| BusState {
                    level: b.level.max(-120.0),
                    moved: 0.0,
                    muted: false,
                    soloed: false,
                    gate: Fade::at(1.0),
                    direct: Fade::at(1.0),
                    gain: f32::NAN,
                    left: [0.0; BLOCK],
                    right: [0.0; BLOCK],
                    fed: false,
                    peak: [0.0; 2],
                })
                .collect(),
            reactions: program.reactions.iter().map(|r| ReactionState { held: false, chance: Stream::new(seed, r.key, 3) }).collect(),
            glide: block_coefficient(EDIT_GLIDE, BLOCK, program.rate),
        };
        let mut prepared = Prepared { program, state };
        prepared.hold_now();
        prepared
    }

    /// The program.
    #[must_use]
    pub fn program(&self) -> &Arc<Program> {
        &self.program
    }

    /// Notes which tests hold already, so that only a change calls reactions.
    fn hold_now(&mut self) {
        for at in 0..self.program.reactions.len() {
            if let crate::program::Trigger::Becomes(test) = self.program.reactions[at].trigger {
                self.state.reactions[at].held = holds(&self.state, test, u64::MAX);
            }
        }
    }

    /// Takes over what `old` remembers of things that are still there. Does not allocate.
    pub(crate) fn take_over(&mut self, old: &mut Prepared) {
        let (new_program, old_program) = (Arc::clone(&self.program), Arc::clone(&old.program));
        for (at, parameter) in new_program.parameters.iter().enumerate() {
            if let Some(before) = old_program.find_parameter.get(parameter.key) {
                let mut kept = old.state.parameters[before];
                kept.value = kept.value.clamp(parameter.low, parameter.high);
                kept.to = kept.to.clamp(parameter.low, parameter.high);
                kept.smooth = kept.smooth.clamp(parameter.low, parameter.high);
                self.state.parameters[at] = kept;
            }
        }
        for (at, state) in new_program.states.iter().enumerate() {
            if let Some(before) = old_program.find_state.get(state.key) {
                let value = old_program.states[before].values[usize::from(old.state.states[before])];
                if let Some(kept) = state.values.iter().position(|v| *v == value) {
                    self.state.states[at] = kept as u16;
                }
            }
        }
        for (at, modulation) in new_program.modulations.iter().enumerate() {
            self.state.modulations[at] = match old_program.find_modulation.get(modulation.key) {
                Some(before) => old.state.modulations[before],
                None => modulation.curve.at(self.state.parameters[modulation.parameter].smooth),
            };
        }
        for (at, sound) in new_program.sounds.iter().enumerate() {
            let Some(before) = old_program.find_sound.get(sound.key) else { continue };
            let (kept, fresh) = (&mut old.state.sounds[before], &mut self.state.sounds[at]);
            (fresh.level, fresh.pitch, fresh.low_pass, fresh.block) = (kept.level, kept.pitch, kept.low_pass, kept.block);
            std::mem::swap(&mut fresh.pick, &mut kept.pick);
            std::mem::swap(&mut fresh.vary, &mut kept.vary);
            for (new, old) in fresh.picks.iter_mut().zip(&mut kept.picks) {
                if new.takes == old.takes && new.recent.capacity() == old.recent.capacity() {
                    std::mem::swap(new, old);
                }
            }
        }
        for (at, bus) in new_program.buses.iter().enumerate() {
            let Some(before) = old_program.find_bus.get(bus.key) else { continue };
            self.state.buses[at] = old.state.buses[before].clone();
        }
        for (at, reaction) in new_program.reactions.iter().enumerate() {
            let Some(before) = old_program.find_reaction.get(reaction.key) else { continue };
            std::mem::swap(&mut self.state.reactions[at].chance, &mut old.state.reactions[before].chance);
        }
        self.hold_now();
    }
}

/// Whether a test holds at a frame.
pub(crate) fn holds(state: &State, test: Test, frame: u64) -> bool {
    match test {
        Test::Compare(parameter, comparison, number) => comparison.holds(state.parameters[parameter].at(frame), number),
        Test::Equals(parameter, number, is) => (state.parameters[parameter].at(frame) == number) == is,
        Test::State(index, value, is) => (state.states[index] == value) == is,
    }
}

/// The group of takes that a sound's choice comes to, or the state and value for which it has none.
pub(crate) fn chosen_group(program: &Program, state: &State, sound: usize) -> Result<usize, (NameKey, NameKey)> {
    match &program.sounds[sound].choice {
        Choice::Only => Ok(0),
        Choice::ByState { state: index, groups } => {
            let value = state.states[*index];
            let none = || (program.states[*index].key, program.states[*index].values[usize::from(value)]);
            groups.get(usize::from(value)).copied().flatten().map(usize::from).ok_or_else(none)
        }
    }
}
