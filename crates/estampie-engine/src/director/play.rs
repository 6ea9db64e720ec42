//! Starting: from the sound asked for through chances, limits and picks to voices.

use super::Directing;
use super::limits::{Limited, steal_frames};
use super::memory::{chosen_group, holds};
use super::{By, Work, sums};
use crate::dsp::{Envelope, Shaping};
use crate::ground::curve::Shape;
use crate::ground::index::{BusIndex, EventIndex, SoundIndex};
use crate::ground::names::NameKey;
use crate::ground::property::{PerProperty, Property};
use crate::ground::random::Stream;
use crate::ground::telemetry::{Cause, Reason, What};
use crate::ground::time::BLOCK;
use crate::ground::vocabulary::Again;
use crate::mixer::source::{Playing, Source};
use crate::mixer::spec::{MOST_NESTED, Recipe};
use crate::mixer::voice::{Cue, Leaving, NOWHERE, Route, Voice};
use crate::program::{Choice, Limit, Program, TakeOf};
use crate::world::emitters::World;
use std::sync::Arc;

/// How what a sound comes to is started.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Body {
    pub(crate) by: By,
    /// Each voice is let go after so many frames; 0 if not.
    pub(crate) length: u64,
    /// The layer of a piece that begins, if one does.
    pub(crate) cue: Option<Begin>,
}

/// How a layer begins.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Begin {
    pub(crate) cue: Cue,
    /// Frames into the audio.
    pub(crate) skip: u64,
    /// Frames of its rise, and the curve.
    pub(crate) rise: (u64, Shape),
}

impl Directing<'_> {
    /// The place of an emitter in the world.
    pub(crate) fn place_of(&self, emitter: NameKey) -> u16 {
        self.world.find(emitter).map_or(NOWHERE, |at| at as u16)
    }

    /// Plays a sound `offset` frames into the present block, or says why not.
    pub(crate) fn play(&mut self, sound: SoundIndex, offset: usize, by: By) {
        let program = self.program;
        if program.sounds[sound].lines.is_some() {
            self.say(sound, crate::ground::vocabulary::Urgency::InTurn, offset as u64, by);
        } else if let Err(reason) = self.start(sound, offset as u64, by) {
            self.refuse(sound, offset as u64, by, reason);
        }
    }

    /// Says why a sound does not play, and sends the event that it may have for that.
    pub(crate) fn refuse(&mut self, sound: SoundIndex, offset: u64, by: By, reason: Reason) {
        let program = self.program;
        let spec = &program.sounds[sound];
        let frame = self.frame + offset;
        self.outlets.tell(frame, What::Refused { sound: spec.key, emitter: by.emitter, reason, by: by.reaction });
        let limited = matches!(
            reason,
            Reason::Each { .. } | Reason::All { .. } | Reason::Group { .. } | Reason::AgainAfter { .. } | Reason::Playing | Reason::Unimportant { .. }
        );
        if let Some(event) = spec.when_refused.filter(|_| limited) {
            self.send_event(event, by, frame);
        }
    }

    pub(crate) fn send_event(&mut self, event: EventIndex, by: By, frame: u64) {
        let program = self.program;
        self.outlets.tell(frame, What::Event { event: program.events[event].key, emitter: by.emitter, by: by.reaction });
        self.state.events[event] = Some(frame);
        self.add_work(Work::Event(event, by), frame);
    }

    /// Plays a sound from the start of the way.
    pub(crate) fn start(&mut self, sound: SoundIndex, offset: u64, by: By) -> Result<(), Reason> {
        self.ask(Route::START, sound, offset, Body { by, length: 0, cue: None })
    }

    /// Whether a sound has anything that could play now.
    fn has_something(&self, sound: SoundIndex, place: u16) -> Result<(), Reason> {
        let program = self.program;
        let spec = &program.sounds[sound];
        let index = chosen_group(program, &*self.state, sound, place)?;
        let nothing = spec.why_nothing();
        spec.groups.get(index).filter(|g| !g.takes.is_empty()).map(|_| ()).ok_or(nothing)
    }

    /// Goes on to `sound`: its chance, its waits and limits, its draws, and then what it comes to.
    fn ask(&mut self, mut route: Route, sound: SoundIndex, offset: u64, body: Body) -> Result<(), Reason> {
        let program = self.program;
        let by = body.by;
        let spec = &program.sounds[sound];
        if route.depth >= MOST_NESTED {
            return Err(Reason::Nothing);
        }
        let place = self.place_of(by.emitter);
        let frame = self.frame + offset;
        self.has_something(sound, place)?;
        self.take_chance(sound, place, frame)?;
        if let Some(began) = self.state.sounds[sound].began.filter(|_| spec.again_after > 0) {
            let wait = (spec.again_after as f64 * f64::from(self.director.rehearsed.waits)) as u64;
            if frame < began + wait {
                return Err(Reason::AgainAfter { left: (began + wait - frame) as f32 / program.rate as f32 });
            }
        }
        (route.path[route.depth], route.instances[route.depth]) = (sound, 0);
        route.depth += 1;
        self.again(spec.again, sound, offset, by)?;
        self.admit(Limited::Sound(sound), self.limit_now(sound, place), &route, offset, by)?;
        if let Some(group) = spec.group
            && !route.path[..route.depth - 1].iter().any(|s| program.sounds[*s].group == Some(group))
        {
            self.admit(Limited::Group(group), program.groups[group as usize].limit, &route, offset, by)?;
        }
        self.director.next_instance += 1;
        route.instances[route.depth - 1] = self.director.next_instance;
        let state = &mut self.state.sounds[sound];
        state.began = Some(frame);
        if spec.repeat.is_some() {
            return if self.begin_repeat(route, offset, by) { Ok(()) } else { Err(Reason::Queue { limit: self.director.repeaters.capacity() as u32 }) };
        }
        self.body(route, offset, body)
    }

    fn take_chance(&mut self, sound: SoundIndex, place: u16, frame: u64) -> Result<(), Reason> {
        let program = self.program;
        let spec = &program.sounds[sound];
        if spec.chance >= 1.0 && spec.asked.is_empty() {
            return Ok(());
        }
        let needed = (spec.chance + self.state.asked(program, sound, Property::Chance, place)).clamp(0.0, 1.0);
        if needed >= 1.0 || (!spec.always.is_empty() && spec.always.iter().all(|t| holds(program, &*self.state, *t, place, frame))) {
            return Ok(());
        }
        // Drawn even when the rehearsal decides, so that later draws stay the same.
        let drawn = self.state.sounds[sound].chance.unit();
        let yes = self.director.rehearsed.chances.unwrap_or(drawn < needed);
        if yes {
            self.outlets.tell(frame, What::Chance { sound: spec.key, drawn, needed });
            Ok(())
        } else {
            Err(Reason::Chance { drawn, needed })
        }
    }

    /// What it does when it plays at the emitter already.
    fn again(&mut self, again: Again, sound: SoundIndex, offset: u64, by: By) -> Result<(), Reason> {
        let program = self.program;
        if again == Again::Overlap || self.sounding(sound, by.emitter).0 == 0 {
            return Ok(());
        }
        if again == Again::Ignore {
            return Err(Reason::Playing);
        }
        let frames = steal_frames(program.rate);
        self.each_voice_of(sound, Some(by.emitter), |voice| voice.leave(Cause::Restarted, offset, frames));
        self.drop_repeaters(sound, Some(by.emitter), u64::MAX);
        Ok(())
    }

    /// The limit of a sound with what the game adds to it.
    fn limit_now(&self, sound: SoundIndex, place: u16) -> Limit {
        let program = self.program;
        let mut limit = program.sounds[sound].limit;
        let moved = |property| self.state.asked(program, sound, property, place).round();
        for (value, property) in [(&mut limit.each, Property::Each), (&mut limit.all, Property::All)] {
            let moved = moved(property);
            if moved != 0.0 {
                // Without a limit of its own, what the game says is the limit.
                let base = if *value == u32::MAX { 0.0 } else { *value as f32 };
                *value = (base + moved).max(0.0) as u32;
            }
        }
        limit
    }

    /// Draws, and plays what the last sound of the way comes to.
    pub(crate) fn body(&mut self, mut route: Route, offset: u64, body: Body) -> Result<(), Reason> {
        let program = self.program;
        let depth = route.depth - 1;
        let sound = route.path[depth];
        let spec = &program.sounds[sound];
        let place = self.place_of(body.by.emitter);
        let vary = &mut self.state.sounds[sound].vary;
        route.drawn[depth] = PerProperty::from_fn(|property| vary.draw(spec.vary.of[property]));
        (route.drawn_after, route.drawn_from) = (vary.draw(spec.vary.after), vary.draw(spec.vary.from));
        route.delay += frames(route.drawn_after, program.rate);
        route.from += route.drawn_from;
        super::glide_sound(program, &mut *self.state, sound, self.frame / BLOCK as u64);
        if let Choice::Across { points, .. } = &spec.choice {
            let mut started = Err(Reason::Nothing);
            for group in 0..points.len().min(spec.groups.len()) {
                route.across[depth] = group as u8 + 1;
                started = either(started, self.play_group(route, group, offset, body));
            }
            return started;
        }
        let group = chosen_group(program, &*self.state, sound, place)?;
        self.play_group(route, group, offset, body)
    }

    fn play_group(&mut self, route: Route, index: usize, offset: u64, body: Body) -> Result<(), Reason> {
        let program = self.program;
        let sound = route.path[route.depth - 1];
        let spec = &program.sounds[sound];
        let nothing = spec.why_nothing();
        let group = spec.groups.get(index).filter(|g| !g.takes.is_empty()).ok_or(nothing)?;
        if group.order == crate::program::PickOrder::Together {
            let mut started = Err(nothing);
            for take in 0..group.takes.len() {
                started = either(started, self.play_take(route, (index, take), offset, body));
            }
            return started;
        }
        let state = &mut self.state.sounds[sound];
        let mut take = state.picks[index].pick(group, &mut state.pick);
        if let Some((forced, wanted)) = self.director.rehearsed.forced
            && forced == spec.key
        {
            take = usize::from(wanted).min(group.takes.len() - 1);
        }
        self.play_take(route, (index, take), offset, body)
    }

    pub(crate) fn play_take(&mut self, mut route: Route, (group, take): (usize, usize), offset: u64, body: Body) -> Result<(), Reason> {
        let program = self.program;
        let sound = route.path[route.depth - 1];
        let take = program.sounds[sound].groups.get(group).and_then(|g| g.takes.get(take)).ok_or(Reason::Nothing)?;
        route.take_level += take.level_db;
        route.take_pitch += take.pitch_semitones;
        route.delay += frames(self.state.sounds[sound].vary.between(take.after), program.rate);
        route.from += take.from_seconds;
        match &take.of {
            TakeOf::Recipe(recipe) => self.start_voice(route, recipe, offset, body),
            TakeOf::Sound(next) => self.ask(route, *next, offset, body),
        }
    }

    fn start_voice(&mut self, mut route: Route, recipe: &Arc<Recipe>, offset: u64, body: Body) -> Result<(), Reason> {
        let program = self.program;
        let by = body.by;
        // Music is never what yields: its layers would no longer be together.
        if body.cue.is_none() {
            self.admit_voice(&route, offset + route.delay, by)?;
        }
        let limit = program.voices as u32;
        let (slot, id) = self.mixer.voices.reserve().ok_or(Reason::Voices { limit })?;
        let mut playing = None;
        if let Some(made) = &recipe.made {
            playing = Playing::take(made, &mut self.mixer.generators);
            if playing.is_none() {
                self.mixer.voices.give_back(slot);
                return Err(Reason::Generators { limit: self.mixer.generators.of_each() as u32 });
            }
        }
        // The outermost sound that says how it rises and falls counts.
        let shaping = route.sounds().iter().find_map(|s| program.sounds[*s].shape).unwrap_or(Shaping::plain(u64::from(program.rate) / 50));
        let shaping = body.cue.map_or(shaping, |begin| Shaping { delay: 0, attack: begin.rise.0, curve: begin.rise.1, ..shaping });
        route.delay += shaping.delay;
        route.skip = body.cue.map_or(0, |begin| begin.skip);
        let asked = &program.sounds[route.path[0]];
        let mut voice = Voice::idle();
        voice.id = id;
        voice.sound = asked.key;
        (voice.emitter, voice.place, voice.by) = (by.emitter, self.place_of(by.emitter), by.reaction);
        voice.bus = bus_of(program, route.sounds());
        voice.sends = sends(program, route.sounds());
        voice.wait = offset + route.delay;
        voice.started = self.frame + voice.wait;
        voice.envelope = Envelope::new(Shaping { delay: 0, ..shaping });
        voice.length = body.length;
        voice.source = Source::new(Some(recipe), Stream::new(self.state.seed, asked.key, 1_000_000 + id));
        voice.recipe = Some(Arc::clone(recipe));
        voice.route = route;
        voice.cue = body.cue.map(|begin| begin.cue);
        self.world.forget_gone(voice.place);
        if let (Some(made), Some(playing)) = (&recipe.made, playing) {
            self.begin_generator(&mut voice, made, playing);
        }
        self.hear(voice.place);
        let totals = sums(self.scene(), &voice);
        voice.take_sums(&totals);
        if voice.wait < BLOCK as u64 {
            self.tell_start(&mut voice);
        }
        self.count_begun(&voice.route);
        self.mixer.voices.begin(slot, voice);
        Ok(())
    }

    /// Tells that a voice starts.
    pub(crate) fn tell_start(&mut self, voice: &mut Voice) {
        voice.told = true;
        let what = start_of(self.program, self.world, voice);
        self.outlets.tell(voice.started, what);
    }

    /// Lets go all playings of a sound (of an emitter, if said) that the sound lets a stop reach; gives how many voices.
    pub(crate) fn stop(&mut self, sound: SoundIndex, whose: Option<NameKey>, frames: Option<u64>, offset: u64) -> u32 {
        let program = self.program;
        let spec = &program.sounds[sound];
        let oldest = spec.stop_if_younger.map_or(0, |age| (self.frame + offset).saturating_sub(age));
        let mut count = 0;
        self.each_voice_of(sound, whose, |voice| {
            if voice.started >= oldest {
                let release = frames.unwrap_or(voice.envelope.release_frames());
                voice.leave(Cause::Stopped, offset, release);
                count += 1;
            }
        });
        count + self.drop_repeaters(sound, whose, oldest)
    }

    /// Lets loops complete their round, and repeats end; gives how many.
    pub(crate) fn finish(&mut self, sound: SoundIndex, whose: Option<NameKey>) -> u32 {
        let mut count = 0;
        self.each_voice_of(sound, whose, |voice| {
            voice.source.finishing = true;
            if voice.made_endless() {
                voice.leave(Cause::Stopped, 0, voice.envelope.release_frames());
            }
            count += 1;
        });
        count + self.drop_repeaters(sound, whose, 0)
    }

    /// Ends repeats that began at `oldest` or later (`u64::MAX`: all).
    fn drop_repeaters(&mut self, sound: SoundIndex, whose: Option<NameKey>, oldest: u64) -> u32 {
        let mut count = 0;
        for repeater in &mut self.director.repeaters {
            let young = oldest == u64::MAX || repeater.started >= oldest;
            if !repeater.done && young && whose.is_none_or(|w| repeater.by.emitter == w) && repeater.route.sounds().contains(&sound) {
                repeater.done = true;
                count += 1;
            }
        }
        count
    }

    pub(crate) fn each_voice_of(&mut self, sound: SoundIndex, whose: Option<NameKey>, mut each: impl FnMut(&mut Voice)) {
        self.mixer.voices.each(|voice| {
            let his = whose.is_none_or(|emitter| voice.emitter == emitter);
            if his && voice.leaving == Leaving::No && voice.frozen.is_none() && voice.sounds().contains(&sound) {
                each(voice);
            }
        });
    }
}

/// What is told when a voice starts.
pub(crate) fn start_of(program: &Program, world: &World, voice: &Voice) -> What {
    let route = &voice.route;
    let sum = |property| route.sounds().iter().zip(&route.drawn).map(|(s, d)| program.sounds[*s].set[property] + d[property]).sum::<f32>();
    let leaf = route.depth.saturating_sub(1);
    let drawn = &route.drawn[leaf];
    What::VoiceStart {
        voice: voice.id,
        sound: voice.sound,
        leaf: program.sounds[route.path[leaf]].key,
        take: voice.take(),
        emitter: voice.emitter,
        at: world.emitters.get(usize::from(voice.place)).filter(|e| e.present || e.stays).map(|e| e.at),
        level: sum(Property::Level) + route.take_level,
        pitch: sum(Property::Pitch) + route.take_pitch,
        drawn: crate::ground::telemetry::Draws { of: *drawn, after_seconds: route.drawn_after, from_seconds: route.drawn_from },
        by: voice.by,
    }
}

fn frames(seconds: f32, rate: u32) -> u64 {
    (f64::from(seconds.max(0.0)) * f64::from(rate)).round() as u64
}

/// Well if one of the two is.
fn either(a: Result<(), Reason>, b: Result<(), Reason>) -> Result<(), Reason> {
    if a.is_ok() { a } else { b }
}

/// The bus of the first sound on the way that asks for one.
pub(crate) fn bus_of(program: &Program, path: &[SoundIndex]) -> BusIndex {
    path.iter().find_map(|index| program.sounds[*index].bus).unwrap_or(BusIndex::ROOT)
}

/// Whether any sound of a path sends to a return.
pub(crate) fn sends(program: &Program, path: &[SoundIndex]) -> bool {
    path.iter().any(|index| !program.sounds[*index].sends.is_empty())
}
