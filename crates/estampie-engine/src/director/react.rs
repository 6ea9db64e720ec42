//! Inputs and what they call: events, changes of parameters and states, reactions and their actions.

use super::Directing;
use super::actions::ACTIONS;
use super::input::{Input, InputKind};
use super::memory::holds;
use super::play::Body;
use crate::ground::index::{EventIndex, ReactionIndex, SoundIndex};
use crate::ground::names::NameKey;
use crate::ground::telemetry::{Cause, Notice, Reason, What};
use crate::ground::test::Test;
use crate::ground::time::BLOCK;
use crate::ground::vocabulary::LEAST_INTERVAL;
use crate::mixer::spec::player_level;
use crate::mixer::voice::{NOWHERE, Route};
use crate::program::{Act, Edge, Filled, Interval, Nth, Trigger, ValueFrom, Watch};
use crate::world::emitters::LISTENER_NAME;

/// Who asks: a reaction or, if none, the game; with the emitter of the event at the root of it.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct By {
    pub(crate) reaction: NameKey,
    pub(crate) emitter: NameKey,
}

/// Something yet to be answered by reactions.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Work {
    Event(EventIndex, By),
    /// A parameter was the first and is the second.
    Parameter(usize, f32, f32, By),
    /// A state was the first and is the second.
    State(usize, u16, u16, By),
    /// The listener enters a zone, or leaves it.
    Zone(u32, bool),
}

/// An action that waits.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Deferred {
    pub(crate) reaction: ReactionIndex,
    pub(crate) action: u16,
    pub(crate) due: u64,
    pub(crate) by: By,
}

/// The most actions that wait.
pub(crate) const MOST_DEFERRED: usize = 1024;

/// The most happenings that one input may call by way of reactions.
const MOST_WORK: usize = 64;
/// Nothing begins later within its audio, in seconds.
const DAY: f32 = 86_400.0;

impl Directing<'_> {
    /// Answers one input, `offset` frames into the present block.
    pub(crate) fn answer(&mut self, input: Input, offset: usize) {
        let program = self.program;
        let frame = self.frame + offset as u64;
        self.director.work.clear();
        let by = By::default();
        if input.what.comes_from_the_game() {
            self.state.places.stir();
        }
        match input.what {
            InputKind::Event { event, emitter } => {
                let found = program.find_event.get(event);
                // The game may call it otherwise.
                let named = found.map_or(event, |index| program.events[index].key);
                self.outlets.tell(frame, What::Event { event: named, emitter, by: NameKey::NONE });
                match found {
                    Some(index) => {
                        self.state.events[index] = Some(frame);
                        self.director.work.push(Work::Event(index, By { emitter, ..by }));
                    }
                    None => self.notice(frame, Notice::UnknownEvent(event)),
                }
            }
            InputKind::Parameter { parameter, value, emitter } => match program.find_parameter.get(parameter) {
                Some(index) => self.receive_parameter(index, value, frame, emitter),
                None => self.notice(frame, Notice::UnknownParameter(parameter)),
            },
            InputKind::Glide { parameter, from, to, frames } => match program.find_parameter.get(parameter) {
                Some(index) => self.glide_parameter(index, (from, to, frames), frame),
                None => self.notice(frame, Notice::UnknownParameter(parameter)),
            },
            InputKind::State { state, value } => match program.find_state.get(state) {
                Some(index) => match program.states[index].value(value) {
                    Some(value) => self.set_state(index, value, frame, by),
                    None => self.notice(frame, Notice::UnknownValue { state, value }),
                },
                None => self.notice(frame, Notice::UnknownState(state)),
            },
            InputKind::Place { emitter, kind, at, facing, frames } => self.place(emitter, kind, (at, facing, frames), frame),
            InputKind::Walk { emitter, to, speed } => self.walk(emitter, to, speed, frame),
            InputKind::Remove { emitter } => {
                self.remove(emitter, offset as u64);
                self.outlets.tell(frame, What::Remove { emitter });
            }
            InputKind::StopAll { frames } => self.stop_all(frames, offset as u64),
            InputKind::Play { sound, .. } | InputKind::Stop { sound } | InputKind::PlayTake { sound, .. } | InputKind::GateSound { sound, .. } => {
                match program.find_sound.get(sound) {
                    Some(index) => self.answer_of_sound(input.what, index, offset),
                    None => self.notice(frame, Notice::UnknownSound(sound)),
                }
            }
            InputKind::Mute { bus, on } => match program.mix.find_bus.get(bus) {
                Some(index) => self.mix.buses[index].muted = on,
                None => self.notice(frame, Notice::UnknownBus(bus)),
            },
            InputKind::PlayerLevel { level, value } => match program.mix.player_levels.iter().position(|l| l.key == level) {
                Some(index) => self.mix.player[index] = player_level(value),
                None => self.notice(frame, Notice::UnknownLevel(level)),
            },
            InputKind::ByHand { snapshot, share } => self.hold_snapshots(snapshot, share),
            InputKind::Bypass { effect, on } => self.bypass(effect, on),
            InputKind::Solo { bus, on } => match program.mix.find_bus.get(bus) {
                Some(index) => self.mix.buses[index].soloed = on,
                None => self.notice(frame, Notice::UnknownBus(bus)),
            },
            InputKind::SoloEmitter { emitter } => {
                self.director.rehearsed.only_emitter = emitter;
                self.look_at_gates();
            }
            InputKind::Head { on } => self.director.rehearsed.head = on,
            InputKind::SoloDry { on } => self.director.rehearsed.solo_dry = on,
            InputKind::Tap { bus } => self.outlets.tapped = bus,
            InputKind::Hold { parameter, value } => match program.find_parameter.get(parameter) {
                Some(index) => self.state.parameters[index].held = value.filter(|v| v.is_finite()),
                None => self.notice(frame, Notice::UnknownParameter(parameter)),
            },
            InputKind::Go { .. } | InputKind::Jump { .. } | InputKind::Sting { .. } | InputKind::Switch { .. } | InputKind::List { .. } => {
                self.answer_of_music(input.what, frame);
            }
            InputKind::Strike { layer, pitch, velocity, frames } => self.strike(layer, (pitch, velocity), frames, frame),
            InputKind::Metronome { on } => self.director.rehearsed.metronome = on,
            InputKind::Waits { factor } => self.director.rehearsed.waits = if factor.is_finite() { factor.clamp(0.01, 1.0) } else { 1.0 },
            InputKind::Chances { always } => self.director.rehearsed.chances = always,
            InputKind::ForceTake { sound, take } => self.director.rehearsed.forced = (!sound.is_none()).then_some((sound, take)),
        }
        self.work_off(offset);
    }

    fn notice(&mut self, frame: u64, notice: Notice) {
        self.outlets.tell(frame, What::Notice(notice));
    }

    /// Lets all that sounds go, and forgets all that waits to sound.
    fn stop_all(&mut self, frames: u64, offset: u64) {
        self.mixer.voices.each(|voice| voice.leave(Cause::Stopped, offset, frames));
        self.director.repeaters.clear();
        self.director.deferred.clear();
        self.still_music(self.frame + offset);
        self.state.places.still();
        for speaker in &mut self.state.speakers {
            speaker.queue.clear();
        }
    }

    /// Holds one snapshot, or all of them, at a share by hand; `None` gives them back to the game.
    fn hold_snapshots(&mut self, snapshot: NameKey, share: Option<f32>) {
        let share = share.filter(|s| s.is_finite()).map(|s| s.clamp(0.0, 1.0));
        for (spec, now) in self.program.mix.snapshots.iter().zip(&mut self.mix.snapshots) {
            if snapshot.is_none() || spec.key == snapshot {
                now.by_hand = share;
            }
        }
    }

    /// Takes one effect or send out of the way, or all effects, or brings them back.
    fn bypass(&mut self, effect: NameKey, on: bool) {
        for slot in self.mix.buses.iter_mut().flat_map(|b| &mut b.chain) {
            if effect.is_none() || slot.key == effect {
                slot.bypassed = on;
            }
        }
        for (bus, spec) in self.mix.buses.iter_mut().zip(&self.program.mix.buses) {
            for (at, send) in spec.sends.iter().enumerate().take(64) {
                if self.program.mix.cells[send.cell].key == effect {
                    bus.unsent = bus.unsent & !(1 << at) | u64::from(on) << at;
                }
            }
        }
    }

    fn answer_of_sound(&mut self, what: InputKind, sound: SoundIndex, offset: usize) {
        let by = By::default();
        match what {
            InputKind::Play { emitter, .. } => self.play(sound, offset, By { emitter, ..by }),
            InputKind::PlayTake { group, take, from_seconds, .. } => {
                self.director.next_instance += 1;
                let mut route = Route { depth: 1, from: from_seconds.clamp(0.0, DAY).max(0.0), ..Route::START };
                (route.path[0], route.instances[0]) = (sound, self.director.next_instance);
                if let Err(reason) = self.play_take(route, (usize::from(group), usize::from(take)), offset as u64, Body { by, length: 0, cue: None }) {
                    self.refuse(sound, offset as u64, by, reason);
                }
            }
            InputKind::GateSound { solo, on, .. } => {
                let state = &mut self.state.sounds[sound];
                if solo {
                    state.soloed = on;
                } else {
                    state.muted = on;
                }
                self.look_at_gates();
            }
            _ => {
                self.stop(sound, None, None, offset as u64);
            }
        }
    }

    /// The place of an emitter in the world, made if need be; says so when there is no room.
    pub(super) fn make_place(&mut self, emitter: NameKey, frame: u64) -> Option<usize> {
        let voices = &self.mixer.voices;
        let found = self.world.find_or_make(emitter, |used| voices.all().for_each(|voice| used.add(voice.place)));
        match found {
            Some((place, true)) => {
                // What plays at it already is placed from now on. What begins later finds its place by itself.
                self.mixer.voices.each(|voice| {
                    if voice.emitter == emitter && !voice.stayed {
                        voice.place = place as u16;
                    }
                });
            }
            Some(_) => {}
            None => self.notice(frame, Notice::NoPlace(emitter)),
        }
        found.map(|(place, _)| place)
    }

    fn place(&mut self, emitter: NameKey, kind: NameKey, (at, facing, frames): ([f32; 3], Option<f32>, u64), frame: u64) {
        if self.go_there(emitter, kind, (at, facing, frames), frame) {
            self.outlets.tell(frame, What::Place { emitter, kind, at, facing, frames });
        }
    }

    /// Places something; gives whether it could be.
    fn go_there(&mut self, emitter: NameKey, kind: NameKey, (at, facing, frames): ([f32; 3], Option<f32>, u64), frame: u64) -> bool {
        if !at.iter().chain(&facing).all(|v| v.is_finite()) {
            return false;
        }
        let listener = emitter == NameKey::of(LISTENER_NAME);
        let place = if listener {
            None
        } else {
            match self.make_place(emitter, frame) {
                Some(place) => Some(place),
                None => return false,
            }
        };
        self.world.place(place, at, facing, (frame, frames), self.program.rate);
        if let Some(place) = place
            && !kind.is_none()
        {
            self.world.emitters[place].kind = kind;
        }
        true
    }

    /// Goes from where it is to a place, and looks where it goes.
    fn walk(&mut self, emitter: NameKey, to: [f32; 3], speed: f32, frame: u64) {
        if !to.iter().all(|v| v.is_finite()) || !speed.is_finite() || speed <= 0.0 {
            return;
        }
        let from = self.world.named(emitter).map_or(to, |e| e.at);
        let route = crate::world::geometry::length(&from, &to);
        let frames = (f64::from(route / speed) * f64::from(self.program.rate)).round() as u64;
        let ground = [to[0] - from[0], to[1] - from[1]];
        let facing = (ground != [0.0; 2]).then(|| crate::world::emitters::bearing(ground, 0.0));
        if frames > 0 {
            self.go_there(emitter, NameKey::NONE, (to, facing, frames), frame);
        }
        self.outlets.tell(frame, What::Walk { emitter, to, speed });
    }

    /// Looks whether parameters that glide have come to pass a test.
    pub(crate) fn watch_glides(&mut self) {
        for index in 0..self.program.parameters.len() {
            let now = &self.state.parameters[index];
            if now.gliding() || now.at(self.frame) != now.watched {
                self.watch(index);
            }
        }
    }

    /// Does what waited for this block, and calls reactions whose change has lasted.
    pub(crate) fn do_waiting(&mut self) {
        let program = self.program;
        let end = self.frame + BLOCK as u64;
        let mut at = 0;
        while let Some(deferred) = self.director.deferred.get(at).copied() {
            if deferred.due >= end {
                at += 1;
                continue;
            }
            self.director.deferred.remove(at);
            let offset = deferred.due.saturating_sub(self.frame) as usize;
            self.director.work.clear();
            if let Some(act) = program.reactions[deferred.reaction].actions.get(usize::from(deferred.action)) {
                self.act(&act.action, offset, deferred.by);
            }
            self.work_off(offset);
        }
        for clock in &program.clocks {
            self.beat(*clock);
        }
        let mut at = 0;
        while let Some(index) = self.state.holding.get(at).copied() {
            let due = self.state.reactions[index].due;
            if due >= end {
                at += 1;
                continue;
            }
            self.state.holding.swap_remove(at);
            self.state.reactions[index].due = u64::MAX;
            let offset = due.saturating_sub(self.frame) as usize;
            let by = self.state.reactions[index].by;
            self.director.work.clear();
            let place = self.place_of(by.emitter);
            if self.weigh(index, place, due) {
                self.hold_and_act(index, offset, by);
            }
            self.work_off(offset);
        }
    }

    /// Lets a clock go on by a block: it stands while its conditions do not hold, and begins anew with them.
    fn beat(&mut self, index: ReactionIndex) {
        let program = self.program;
        let reaction = &program.reactions[index];
        let Trigger::Clock(interval) = reaction.trigger else { return };
        let end = self.frame + BLOCK as u64;
        loop {
            let frame = self.frame;
            let stands = self.state.reactions[index].beat == u64::MAX;
            let failing = |test: &Test| !holds(program, &*self.state, *test, NOWHERE, frame);
            let fails = reaction.conditions.iter().any(failing);
            // It is asked in every block: what counts is the first answer, and each time when it changes.
            let asked = self.state.weighed.get(self.state.weighed_from[index] as usize).is_some_and(|counts| *counts != [0; 2]);
            if fails != stands || !asked {
                self.weigh(index, NOWHERE, frame);
            }
            if fails {
                self.state.reactions[index].beat = u64::MAX;
                return;
            }
            let now = &mut self.state.reactions[index];
            if now.beat == u64::MAX {
                (now.beat, now.drawn) = (frame, now.chance.unit());
            }
            let seconds = match interval {
                Interval::Between(low, high) => low + (high - low) * now.drawn,
                // What it says now counts at once.
                Interval::Of(parameter, unit) => self.state.parameters[parameter].at(frame) * unit,
            };
            let seconds = f64::from(seconds * self.director.rehearsed.waits).max(LEAST_INTERVAL);
            let now = &mut self.state.reactions[index];
            let due = now.beat.saturating_add((seconds * f64::from(program.rate)).round() as u64);
            if due >= end {
                return;
            }
            (now.beat, now.drawn) = (due.max(frame), now.chance.unit());
            let offset = due.saturating_sub(frame) as usize;
            self.director.work.clear();
            self.hold_and_act(index, offset, By::default());
            self.work_off(offset);
        }
    }

    pub(crate) fn work_off(&mut self, offset: usize) {
        let program = self.program;
        let mut at = 0;
        while let Some(work) = self.director.work.get(at).copied() {
            at += 1;
            match work {
                Work::Event(event, by) => {
                    let mut held = None;
                    for reaction in &program.events[event].reactions {
                        self.call(*reaction, offset, by, &mut held);
                    }
                }
                Work::Zone(zone, enters) => {
                    let zone = &program.world.zones[zone as usize];
                    let mut held = None;
                    for reaction in if enters { &zone.entering } else { &zone.leaving } {
                        self.call(*reaction, offset, By::default(), &mut held);
                    }
                }
                Work::Parameter(index, before, after, by) => {
                    self.see(&program.parameters[index].watches, offset, by, |edge| match edge {
                        Edge::Crosses(_, true, number) => (before <= number && after > number, after <= number),
                        Edge::Crosses(_, false, number) => (before >= number && after < number, after >= number),
                        Edge::Holds(test) => (!test.passes(before) && test.passes(after), !test.passes(after)),
                    });
                }
                Work::State(index, before, after, by) => self.see(&program.states[index].watches, offset, by, |edge| {
                    let Edge::Holds(Test::State(_, wanted, is)) = edge else { return (false, false) };
                    let passes = |value| (value == wanted) == is;
                    (!passes(before) && passes(after), !passes(after))
                }),
            }
        }
        self.director.work.clear();
    }

    /// Goes through what waits for a change: `edge` tells whether it has come, and whether what it came to has ended.
    fn see(&mut self, watches: &[Watch], offset: usize, by: By, edge: impl Fn(Edge) -> (bool, bool)) {
        let mut held = None;
        for watch in watches {
            let (came, ended) = edge(watch.edge);
            let index = watch.reaction;
            if watch.readies {
                if came {
                    self.state.reactions[index].spent = false;
                }
            } else if came {
                self.call(index, offset, by, &mut held);
            } else if ended && self.state.reactions[index].due != u64::MAX {
                self.state.reactions[index].due = u64::MAX;
                self.state.holding.retain(|r| *r != watch.reaction);
            }
        }
    }

    /// Calls a reaction. `otherwise` holds when none before it to the same trigger did.
    fn call(&mut self, index: ReactionIndex, offset: usize, by: By, held: &mut Option<Trigger>) {
        let program = self.program;
        let reaction = &program.reactions[index];
        if reaction.otherwise && *held == Some(reaction.trigger) {
            return;
        }
        let frame = self.frame + offset as u64;
        let place = self.place_of(by.emitter);
        // Of what is called some time after an event, the conditions count then.
        let later = reaction.hold > 0 && matches!(reaction.trigger, Trigger::Event(_));
        if !later && !self.weigh(index, place, frame) {
            return;
        }
        if reaction.hold > 0 {
            let wait = (reaction.hold as f64 * f64::from(self.director.rehearsed.waits)) as u64;
            let state = &mut *self.state;
            if state.reactions[index].due == u64::MAX && state.holding.len() < state.holding.capacity() {
                state.holding.push(index);
            }
            (state.reactions[index].due, state.reactions[index].by) = (frame + wait, by);
            return;
        }
        if self.hold_and_act(index, offset, by) {
            *held = Some(reaction.trigger);
        }
    }

    /// Whether all conditions of a reaction hold, asked one after the other until one fails; how each came out is counted.
    fn weigh(&mut self, index: ReactionIndex, place: u16, frame: u64) -> bool {
        let program = self.program;
        let first = self.state.weighed_from[index] as usize;
        for (at, test) in program.reactions[index].conditions.iter().enumerate() {
            let held = holds(program, &*self.state, *test, place, frame);
            let count = &mut self.state.weighed[first + at][usize::from(held)];
            *count = count.saturating_add(1);
            if !held {
                return false;
            }
        }
        true
    }

    /// Counts, looks whether it has acted already, and acts; false if it does not.
    fn hold_and_act(&mut self, index: ReactionIndex, offset: usize, by: By) -> bool {
        let program = self.program;
        let reaction = &program.reactions[index];
        let frame = self.frame + offset as u64;
        if let Some(nth) = reaction.nth
            && !self.count(nth, frame)
        {
            return false;
        }
        if reaction.until.is_some() && std::mem::replace(&mut self.state.reactions[index].spent, true) {
            return false;
        }
        self.outlets.tell(frame, What::Reaction { reaction: reaction.key });
        for (at, act) in reaction.actions.iter().enumerate() {
            self.take_act((index, at), *act, offset, By { reaction: reaction.key, ..by });
        }
        true
    }

    /// Counts a call; true if it is the one that counts.
    fn count(&mut self, nth: Nth, frame: u64) -> bool {
        let counter = &mut self.state.counters[nth.counter as usize];
        let len = counter.times.len();
        counter.times[counter.count as usize % len] = frame;
        counter.count += 1;
        let full = match nth.within {
            None => counter.count >= nth.n,
            Some(within) => {
                let first = counter.count.checked_sub(nth.n).map(|at| counter.times[at as usize % len]);
                first.is_some_and(|first| frame - first <= within)
            }
        };
        if full {
            counter.count = 0;
        }
        full
    }

    fn take_act(&mut self, (reaction, at): (ReactionIndex, usize), act: Act, offset: usize, by: By) {
        let program = self.program;
        let frame = self.frame + offset as u64;
        let begins = ACTIONS.get(usize::from(act.action.kind)).is_some_and(|kind| kind.begins);
        let sound = match act.action.slots[0] {
            Filled::Sound(sound) if begins => program.sounds[sound].key,
            _ => NameKey::NONE,
        };
        if act.chance < 1.0 {
            let drawn = self.state.reactions[reaction].chance.unit();
            if !self.director.rehearsed.chances.unwrap_or(drawn < act.chance) {
                let reason = Reason::Chance { drawn, needed: act.chance };
                self.outlets.tell(frame, What::Refused { sound, emitter: by.emitter, reason, by: by.reaction });
                return;
            }
            self.outlets.tell(frame, What::Chance { sound, drawn, needed: act.chance });
        }
        if act.after == 0 {
            self.act(&act.action, offset, by);
        } else if self.director.deferred.len() < MOST_DEFERRED {
            let due = frame + (act.after as f64 * f64::from(self.director.rehearsed.waits)) as u64;
            self.director.deferred.push(Deferred { reaction, action: at as u16, due, by });
        } else {
            self.notice(frame, Notice::TooMuchWaits(by.reaction));
        }
    }

    pub(super) fn tell_let_go(&mut self, sound: SoundIndex, count: u32, finish: bool, frame: u64, by: By) {
        let program = self.program;
        self.outlets.tell(frame, What::LetGo { sound: program.sounds[sound].key, count, finish, by: by.reaction });
    }

    pub(crate) fn add_work(&mut self, work: Work, frame: u64) {
        let by = match work {
            Work::Event(_, by) | Work::Parameter(.., by) | Work::State(.., by) => by,
            Work::Zone(..) => By::default(),
        };
        if self.director.work.len() < MOST_WORK {
            self.director.work.push(work);
        } else {
            self.notice(frame, Notice::Endless { reaction: by.reaction });
        }
    }

    /// Takes a parameter from outside: mapped from the game's range, for all or for an emitter.
    fn receive_parameter(&mut self, index: usize, asked: f32, frame: u64, emitter: NameKey) {
        let program = self.program;
        let spec = &program.parameters[index];
        if spec.source != ValueFrom::Game {
            return self.notice(frame, Notice::WorkedOut(spec.key));
        }
        let mut value = asked;
        if let Some((low, high)) = spec.from_game {
            value = spec.low + (asked - low) / (high - low) * (spec.high - spec.low);
        }
        let Some(local) = spec.local else {
            if !emitter.is_none() {
                self.notice(frame, Notice::ForAll(spec.key));
            }
            return self.set_parameter(index, value, frame, By::default());
        };
        if emitter.is_none() {
            return self.notice(frame, Notice::NeedsEmitter(spec.key));
        }
        let Some(place) = self.make_place(emitter, frame) else { return };
        let Some(value) = self.in_range(index, value, frame) else { return };
        let now = &mut self.state.locals[place * program.locals + usize::from(local)];
        now.set(value);
        now.jump(&program.parameters[index], frame);
        let before = std::mem::replace(&mut now.watched, value);
        self.outlets.tell(frame, What::Parameter { parameter: spec.key, value, emitter, by: NameKey::NONE });
        self.add_work(Work::Parameter(index, before, value, By { emitter, ..By::default() }), frame);
    }

    pub(super) fn set_parameter(&mut self, index: usize, asked: f32, frame: u64, by: By) {
        let program = self.program;
        let Some(value) = self.in_range(index, asked, frame) else { return };
        let now = &mut self.state.parameters[index];
        now.set(value);
        now.jump(&program.parameters[index], frame);
        let before = std::mem::replace(&mut now.watched, value);
        self.outlets.tell(frame, What::Parameter { parameter: program.parameters[index].key, value, emitter: NameKey::NONE, by: by.reaction });
        self.add_work(Work::Parameter(index, before, value, by), frame);
    }

    fn glide_parameter(&mut self, index: usize, (from, to, frames): (Option<f32>, f32, u64), frame: u64) {
        let program = self.program;
        let spec = &program.parameters[index];
        if spec.source != ValueFrom::Game {
            return self.notice(frame, Notice::WorkedOut(spec.key));
        }
        if spec.local.is_some() {
            return self.notice(frame, Notice::NeedsEmitter(spec.key));
        }
        let from = from.unwrap_or_else(|| self.state.parameters[index].at(frame));
        let (Some(from), Some(to)) = (self.in_range(index, from, frame), self.in_range(index, to, frame)) else { return };
        let now = &mut self.state.parameters[index];
        now.glide(from, to, frame, frames);
        now.jump(spec, frame);
        let value = now.at(frame);
        let before = std::mem::replace(&mut now.watched, value);
        self.outlets.tell(frame, What::Glide { parameter: spec.key, from, to, frames });
        self.add_work(Work::Parameter(index, before, value, By::default()), frame);
    }

    /// Clamps and says so; a value that is no number is refused and said.
    fn in_range(&mut self, index: usize, asked: f32, frame: u64) -> Option<f32> {
        let program = self.program;
        let spec = &program.parameters[index];
        let finite = !asked.is_nan();
        let used = if finite { asked.clamp(spec.low, spec.high) } else { self.state.parameters[index].at(frame) };
        if used != asked {
            self.notice(frame, Notice::Clamped { parameter: spec.key, asked, used });
        }
        finite.then_some(used)
    }

    pub(super) fn set_state(&mut self, index: usize, value: u16, frame: u64, by: By) {
        let program = self.program;
        let before = std::mem::replace(&mut self.state.states[index], value);
        self.state.places.outside[index] = value;
        let spec = &program.states[index];
        let name = |value: u16| spec.values[usize::from(value)];
        self.outlets.tell(frame, What::State { state: spec.key, value: name(value), before: name(before), by: by.reaction });
        if before != value {
            self.state.changed[index] = frame;
            self.add_work(Work::State(index, before, value, by), frame);
        }
    }
}
