//! Starting a voice: from the sound asked for through picks and limits to a recipe.

use super::{By, sums};
use crate::document::WhenFull;
use crate::dsp::{Fade, advance_of};
use crate::engine::{BLOCK, Cause, Engine, Reason, What, chosen_group};
use crate::mixer::voice::{Leaving, Voice};
use crate::names::NameKey;
use crate::program::{MOST_NESTED, Program, Recipe, Take};
use crate::units::Semitones;
use std::sync::Arc;

/// A voice that yields is gone in this time.
fn yield_frames(rate: u32) -> u64 {
    u64::from(rate) / 200
}

impl Engine {
    /// Plays a sound `offset` frames into the present block, or says why not.
    pub(crate) fn play(&mut self, program: &Program, sound: u32, offset: usize, by: By) {
        if let Err(reason) = self.try_play(program, sound, offset, by) {
            let sound = program.sounds[sound as usize].key;
            self.outlets.tell(self.frame + offset as u64, What::Refused { sound, emitter: by.emitter, reason, by: by.reaction });
        }
    }

    fn try_play(&mut self, program: &Program, sound: u32, offset: usize, by: By) -> Result<(), Reason> {
        let mut path = [0u32; MOST_NESTED];
        let mut depth = 0;
        let recipe = self.pick(program, sound, &mut path, &mut depth)?;
        let path_now = &path[..depth];
        for index in path_now {
            self.refuse_if_full(program, *index, by.emitter)?;
        }
        // Nothing refuses it any more: now others yield.
        for index in path_now {
            self.make_room(program, *index, by.emitter, offset);
        }
        let sounding = self.active.iter().filter(|slot| self.voices[usize::from(**slot)].leaving == Leaving::No).count();
        if sounding >= program.voices {
            self.let_oldest_yield(program.rate, offset, |_| true);
        }
        let limit = program.voices as u32;
        let slot = self.free.pop().ok_or(Reason::Voices { limit })?;
        self.next_voice += 1;
        let mut voice = Voice::idle();
        voice.id = self.next_voice;
        (voice.path, voice.depth) = (path, depth);
        for (at, index) in path_now.iter().enumerate() {
            let vary = &mut self.now.state.sounds[*index as usize].vary;
            voice.vary_level[at] = vary.between(program.sounds[*index as usize].vary_level);
            voice.vary_pitch[at] = vary.between(program.sounds[*index as usize].vary_pitch);
            super::glide_sound(program, &mut self.now.state, *index as usize, self.frame / BLOCK as u64);
        }
        let asked = &program.sounds[sound as usize];
        voice.sound = asked.key;
        voice.emitter = by.emitter;
        voice.bus = bus_of(program, path_now);
        voice.offset = offset;
        voice.started = self.frame + offset as u64;
        // The longest fade on the way counts: a sound fades in even if what plays it does not say so.
        let fade_in = path_now.iter().map(|i| program.sounds[*i as usize].fade_in).max().unwrap_or(0);
        voice.fade = if fade_in == 0 { Fade::at(1.0) } else { Fade::over(0.0, 1.0, fade_in) };
        voice.recipe = Some(recipe);
        let totals = sums(program, &self.now.state, &voice);
        voice.pitch = totals.pitch;
        voice.advance = advance_of(Semitones(totals.pitch).ratio());
        voice.octaves = totals.low_pass;
        let drawn = |values: &[f32]| values[..depth].iter().sum::<f32>();
        let set = |of: fn(&crate::program::Sound) -> f32| path_now.iter().map(|i| of(&program.sounds[*i as usize])).sum::<f32>();
        let what = What::VoiceStart {
            voice: voice.id,
            sound: asked.key,
            take: voice.take(),
            emitter: by.emitter,
            level: set(|s| s.level) + drawn(&voice.vary_level),
            pitch: set(|s| s.pitch) + drawn(&voice.vary_pitch),
            by: by.reaction,
        };
        self.outlets.tell(voice.started, what);
        self.voices[usize::from(slot)] = voice;
        self.active.push(slot);
        Ok(())
    }

    /// Picks takes from sound to sound until one is audio.
    fn pick(&mut self, program: &Program, sound: u32, path: &mut [u32; MOST_NESTED], depth: &mut usize) -> Result<Arc<Recipe>, Reason> {
        let mut here = sound;
        loop {
            let spec = &program.sounds[here as usize];
            path[*depth] = here;
            *depth += 1;
            let index = chosen_group(program, &self.now.state, here as usize).map_err(|(state, value)| Reason::NoTake { state, value })?;
            let nothing = if spec.loading { Reason::Loading } else { Reason::Nothing };
            let group = spec.groups.get(index).filter(|g| !g.takes.is_empty()).ok_or(nothing)?;
            let state = &mut self.now.state.sounds[here as usize];
            let take = state.picks[index].pick(&mut state.pick);
            match &group.takes[take] {
                Take::Recipe(recipe) => return Ok(Arc::clone(recipe)),
                Take::Sound(next) if *depth < MOST_NESTED => here = *next,
                Take::Sound(_) => return Err(Reason::Nothing),
            }
        }
    }

    /// How many voices of a sound are not on their way out: of one emitter, and in all.
    fn sounding(&self, sound: u32, emitter: NameKey) -> (u32, u32) {
        let mut counts = (0, 0);
        for slot in &self.active {
            let voice = &self.voices[usize::from(*slot)];
            if voice.leaving == Leaving::No && voice.frozen.is_none() && voice.sounds().contains(&sound) {
                counts.1 += 1;
                if voice.emitter == emitter {
                    counts.0 += 1;
                }
            }
        }
        counts
    }

    fn refuse_if_full(&self, program: &Program, sound: u32, emitter: NameKey) -> Result<(), Reason> {
        let spec = &program.sounds[sound as usize];
        if spec.when_full != WhenFull::Refuse || (spec.each == u32::MAX && spec.all == u32::MAX) {
            return Ok(());
        }
        let (each, all) = self.sounding(sound, emitter);
        if each >= spec.each {
            return Err(Reason::Each { limit: spec.each });
        }
        if all >= spec.all { Err(Reason::All { limit: spec.all }) } else { Ok(()) }
    }

    fn make_room(&mut self, program: &Program, sound: u32, emitter: NameKey, offset: usize) {
        let spec = &program.sounds[sound as usize];
        if spec.each == u32::MAX && spec.all == u32::MAX {
            return;
        }
        loop {
            let (each, all) = self.sounding(sound, emitter);
            let its = |voice: &Voice| voice.frozen.is_none() && voice.sounds().contains(&sound);
            let gone = if each >= spec.each {
                self.let_oldest_yield(program.rate, offset, |voice| its(voice) && voice.emitter == emitter)
            } else if all >= spec.all {
                self.let_oldest_yield(program.rate, offset, its)
            } else {
                return;
            };
            if !gone {
                return;
            }
        }
    }

    /// Fades the oldest voice that fits; `active` is in the order of starting.
    fn let_oldest_yield(&mut self, rate: u32, offset: usize, fits: impl Fn(&Voice) -> bool) -> bool {
        let oldest = self.active.iter().map(|s| usize::from(*s)).find(|s| self.voices[*s].leaving == Leaving::No && fits(&self.voices[*s]));
        if let Some(slot) = oldest {
            self.voices[slot].leave(Cause::Yielded, offset, yield_frames(rate));
        }
        oldest.is_some()
    }
}

/// The bus of the first sound on the way that asks for one.
pub(crate) fn bus_of(program: &Program, path: &[u32]) -> u32 {
    path.iter().find_map(|index| program.sounds[*index as usize].bus).unwrap_or(0)
}
