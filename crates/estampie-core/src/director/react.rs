//! Inputs and what they call: events, changes of parameters and states, reactions and their actions.

use crate::engine::{Cause, Engine, Input, InputKind, Notice, Reason, What, holds};
use crate::mixer::voice::Leaving;
use crate::names::NameKey;
use crate::program::{Action, At, Program, Test, Trigger};

/// Who asks: a reaction or, if none, the game; with the emitter of the event at the root of it.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct By {
    pub(crate) reaction: NameKey,
    pub(crate) emitter: NameKey,
}

/// Something yet to be answered by reactions.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Work {
    Event(u32, By),
    Parameter(usize, By),
    State(usize, u16, By),
}

/// The most happenings that one input may call by way of reactions.
const MOST_WORK: usize = 64;

impl Engine {
    /// Answers one input, `offset` frames into the present block.
    pub(crate) fn answer(&mut self, program: &Program, input: Input, offset: usize) {
        let frame = self.frame + offset as u64;
        self.work.clear();
        let by = By::default();
        match input.what {
            InputKind::Event { event, emitter } => {
                self.outlets.tell(frame, What::Event { event, emitter, by: NameKey::NONE });
                match program.find_event.get(event) {
                    Some(index) => self.work.push(Work::Event(index as u32, By { emitter, ..by })),
                    None => self.outlets.tell(frame, What::Notice(Notice::UnknownEvent(event))),
                }
            }
            InputKind::Parameter { parameter, value } => match program.find_parameter.get(parameter) {
                Some(index) => self.set_parameter(program, index, value, frame, by),
                None => self.outlets.tell(frame, What::Notice(Notice::UnknownParameter(parameter))),
            },
            InputKind::Glide { parameter, from, to, frames } => match program.find_parameter.get(parameter) {
                Some(index) => self.glide_parameter(program, index, (from, to, frames), frame),
                None => self.outlets.tell(frame, What::Notice(Notice::UnknownParameter(parameter))),
            },
            InputKind::State { state, value } => match program.find_state.get(state) {
                Some(index) => match program.states[index].value(value) {
                    Some(value) => self.set_state(program, index, value, frame, by),
                    None => self.outlets.tell(frame, What::Notice(Notice::UnknownValue { state, value })),
                },
                None => self.outlets.tell(frame, What::Notice(Notice::UnknownState(state))),
            },
            InputKind::Play { sound, emitter } => match program.find_sound.get(sound) {
                Some(index) => self.play(program, index as u32, offset, By { emitter, ..by }),
                None => self.outlets.tell(frame, What::Notice(Notice::UnknownSound(sound))),
            },
            InputKind::Stop { sound } => match program.find_sound.get(sound) {
                Some(index) => self.stop(program, index as u32, None, None, offset),
                None => self.outlets.tell(frame, What::Notice(Notice::UnknownSound(sound))),
            },
            InputKind::StopAll { frames } => {
                for at in 0..self.active.len() {
                    let slot = usize::from(self.active[at]);
                    self.voices[slot].leave(Cause::Stopped, offset, frames);
                }
            }
            InputKind::Mute { bus, on } => match program.find_bus.get(bus) {
                Some(index) => self.now.state.buses[index].muted = on,
                None => self.outlets.tell(frame, What::Notice(Notice::UnknownBus(bus))),
            },
            InputKind::Solo { bus, on } => match program.find_bus.get(bus) {
                Some(index) => self.now.state.buses[index].soloed = on,
                None => self.outlets.tell(frame, What::Notice(Notice::UnknownBus(bus))),
            },
        }
        self.work_off(program, offset);
    }

    /// Looks whether parameters that glide have come to pass a test.
    pub(crate) fn watch_glides(&mut self, program: &Program) {
        for index in 0..program.parameters.len() {
            if self.now.state.parameters[index].gliding() && !program.parameters[index].reactions.is_empty() {
                self.work.clear();
                self.work.push(Work::Parameter(index, By::default()));
                self.work_off(program, 0);
            }
        }
    }

    fn work_off(&mut self, program: &Program, offset: usize) {
        let mut at = 0;
        while let Some(work) = self.work.get(at).copied() {
            at += 1;
            match work {
                Work::Event(event, by) => self.react(program, &program.events[event as usize].reactions, offset, by, |_, _| true),
                Work::Parameter(index, by) => {
                    self.react(program, &program.parameters[index].reactions, offset, by, |engine, reaction| engine.comes_to_hold(program, reaction, offset));
                }
                Work::State(index, value, by) => self.react(
                    program,
                    &program.states[index].reactions,
                    offset,
                    by,
                    |_, reaction| matches!(program.reactions[reaction].trigger, Trigger::Becomes(Test::State(_, wanted, is)) if (wanted == value) == is),
                ),
            }
        }
        self.work.clear();
    }

    fn comes_to_hold(&mut self, program: &Program, reaction: usize, offset: usize) -> bool {
        let Trigger::Becomes(test) = program.reactions[reaction].trigger else { return false };
        let now = holds(&self.now.state, test, self.frame + offset as u64);
        !std::mem::replace(&mut self.now.state.reactions[reaction].held, now) && now
    }

    /// Goes through reactions in order. `otherwise` holds when none before it to the same trigger did.
    fn react(&mut self, program: &Program, reactions: &[u32], offset: usize, by: By, called: impl Fn(&mut Engine, usize) -> bool) {
        let frame = self.frame + offset as u64;
        let mut held: Option<Trigger> = None;
        for index in reactions {
            let index = *index as usize;
            let reaction = &program.reactions[index];
            if !called(self, index) || (reaction.otherwise && held == Some(reaction.trigger)) {
                continue;
            }
            if !reaction.conditions.iter().all(|test| holds(&self.now.state, *test, frame)) {
                continue;
            }
            held = Some(reaction.trigger);
            self.outlets.tell(frame, What::Reaction { reaction: reaction.key });
            for action in &reaction.actions {
                self.act(program, index, *action, offset, By { reaction: reaction.key, ..by });
            }
        }
    }

    fn act(&mut self, program: &Program, reaction: usize, action: Action, offset: usize, by: By) {
        let frame = self.frame + offset as u64;
        let whose = |at| match at {
            At::Any => None,
            At::Sender => Some(by.emitter),
            At::Named(name) => Some(name),
        };
        match action {
            Action::Play { sound, at, chance } => {
                let by = By { emitter: whose(at).unwrap_or_default(), ..by };
                if chance < 1.0 {
                    let drawn = self.now.state.reactions[reaction].chance.unit();
                    let key = program.sounds[sound as usize].key;
                    if drawn >= chance {
                        let reason = Reason::Chance { drawn, needed: chance };
                        self.outlets.tell(frame, What::Refused { sound: key, emitter: by.emitter, reason, by: by.reaction });
                        return;
                    }
                    self.outlets.tell(frame, What::Chance { sound: key, drawn, needed: chance });
                }
                self.play(program, sound, offset, by);
            }
            Action::Stop { sound, at, frames } => self.stop(program, sound, whose(at), frames, offset),
            Action::Finish { sound, at } => {
                let whose = whose(at);
                self.each_voice_of(sound, whose, |voice| voice.source.finishing = true);
            }
            Action::SetParameter(index, value) => self.set_parameter(program, index, value, frame, by),
            Action::SetState(index, value) => self.set_state(program, index, value, frame, by),
            Action::Send(event, at) => {
                let by = By { emitter: whose(at).unwrap_or_default(), ..by };
                let key = program.events[event as usize].key;
                self.outlets.tell(frame, What::Event { event: key, emitter: by.emitter, by: by.reaction });
                self.add_work(Work::Event(event, by), frame);
            }
        }
    }

    fn add_work(&mut self, work: Work, frame: u64) {
        let by = match work {
            Work::Event(_, by) | Work::Parameter(_, by) | Work::State(_, _, by) => by,
        };
        if self.work.len() < MOST_WORK {
            self.work.push(work);
        } else {
            self.outlets.tell(frame, What::Notice(Notice::Endless { reaction: by.reaction }));
        }
    }

    fn set_parameter(&mut self, program: &Program, index: usize, asked: f32, frame: u64, by: By) {
        let Some(value) = self.in_range(program, index, asked, frame) else { return };
        self.now.state.parameters[index].set(value);
        self.outlets.tell(frame, What::Parameter { parameter: program.parameters[index].key, value, by: by.reaction });
        self.add_work(Work::Parameter(index, by), frame);
    }

    fn glide_parameter(&mut self, program: &Program, index: usize, (from, to, frames): (Option<f32>, f32, u64), frame: u64) {
        let from = from.unwrap_or_else(|| self.now.state.parameters[index].at(frame));
        let (Some(from), Some(to)) = (self.in_range(program, index, from, frame), self.in_range(program, index, to, frame)) else { return };
        self.now.state.parameters[index].glide(from, to, frame, frames);
        self.outlets.tell(frame, What::Glide { parameter: program.parameters[index].key, from, to, frames });
        self.add_work(Work::Parameter(index, By::default()), frame);
    }

    /// Clamps and says so; a value that is no number is refused and said.
    fn in_range(&mut self, program: &Program, index: usize, asked: f32, frame: u64) -> Option<f32> {
        let spec = &program.parameters[index];
        let finite = asked.is_finite() || asked.is_infinite();
        let used = if finite { asked.clamp(spec.low, spec.high) } else { self.now.state.parameters[index].at(frame) };
        if used != asked {
            self.outlets.tell(frame, What::Notice(Notice::Clamped { parameter: spec.key, asked, used }));
        }
        finite.then_some(used)
    }

    fn set_state(&mut self, program: &Program, index: usize, value: u16, frame: u64, by: By) {
        let before = std::mem::replace(&mut self.now.state.states[index], value);
        let spec = &program.states[index];
        let name = |value: u16| spec.values[usize::from(value)];
        self.outlets.tell(frame, What::State { state: spec.key, value: name(value), before: name(before), by: by.reaction });
        if before != value {
            self.add_work(Work::State(index, value, by), frame);
        }
    }

    fn stop(&mut self, program: &Program, sound: u32, whose: Option<NameKey>, frames: Option<u64>, offset: usize) {
        let frames = frames.unwrap_or(program.sounds[sound as usize].fade_out);
        self.each_voice_of(sound, whose, |voice| voice.leave(Cause::Stopped, offset, frames));
    }

    fn each_voice_of(&mut self, sound: u32, whose: Option<NameKey>, mut each: impl FnMut(&mut crate::mixer::voice::Voice)) {
        for at in 0..self.active.len() {
            let voice = &mut self.voices[usize::from(self.active[at])];
            let his = whose.is_none_or(|emitter| voice.emitter == emitter);
            if his && voice.leaving == Leaving::No && voice.frozen.is_none() && voice.sounds().contains(&sound) {
                each(voice);
            }
        }
    }
}
