//! Limits: who may play, and who yields.

use super::Directing;
use super::{By, sums};
use crate::ground::index::SoundIndex;
use crate::ground::names::NameKey;
use crate::ground::property::Property;
use crate::ground::telemetry::{Cause, Reason};
use crate::ground::vocabulary::WhenFull;
use crate::mixer::voice::{Leaving, Route, Voice};
use crate::program::{Limit, Program};

/// A playing that a limit counts.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Playing {
    instance: u64,
    emitter: NameKey,
    level: f32,
    distance: f32,
    priority: f32,
}

/// What a limit is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Limited {
    Sound(SoundIndex),
    Group(u32),
}

/// A voice that yields is gone in this time.
pub(crate) fn steal_frames(rate: u32) -> u64 {
    u64::from(rate) / 200
}

/// The place on the way at which something limited stands first.
fn position(program: &Program, route: &Route, what: Limited) -> Option<usize> {
    route.sounds().iter().position(|s| match what {
        Limited::Sound(sound) => *s == sound,
        Limited::Group(group) => program.sounds[*s].group == Some(group),
    })
}

/// The most important of the sounds on the way counts.
pub(crate) fn priority(program: &Program, route: &Route, distance: Option<f32>) -> f32 {
    route.sounds().iter().map(|s| program.sounds[*s].priority.over(distance.unwrap_or(0.0))).fold(f32::NEG_INFINITY, f32::max)
}

impl Directing<'_> {
    /// Collects the playings of something that are not on their way out, each once, into `self.director.playings`, in the order of their beginning.
    pub(crate) fn collect(&mut self, what: Limited) {
        let program = self.program;
        let mut playings = std::mem::take(&mut self.director.playings);
        playings.clear();
        let mut note = |instance: u64, emitter: NameKey, level: f32, distance: Option<f32>, route: &Route| {
            if playings.len() < playings.capacity() {
                playings.push(Playing { instance, emitter, level, distance: distance.unwrap_or(0.0), priority: priority(program, route, distance) });
            }
        };
        for voice in self.mixer.voices.all() {
            if voice.stays()
                && let Some(at) = position(program, &voice.route, what)
            {
                note(voice.route.instances[at], voice.emitter, voice.level, self.world.distance_at(voice.place), &voice.route);
            }
        }
        for repeater in self.director.repeaters.iter().filter(|r| !r.done) {
            if let Some(at) = position(program, &repeater.route, what) {
                note(repeater.route.instances[at], repeater.by.emitter, f32::NEG_INFINITY, self.world.distance_at(repeater.place), &repeater.route);
            }
        }
        // Voices of one playing come to lie side by side: its level is that of the loudest.
        playings.sort_unstable_by_key(|p| p.instance);
        playings.dedup_by(|next, kept| {
            let same = next.instance == kept.instance;
            if same {
                kept.level = kept.level.max(next.level);
            }
            same
        });
        self.director.playings = playings;
    }

    /// How many voices and repeats of a sound there are at most: counted once a block, and as they begin; what ends meanwhile is left in.
    fn at_most(&mut self, sound: SoundIndex) -> u32 {
        if self.director.counted != Some(self.frame) {
            self.director.counted = Some(self.frame);
            let counts = &mut self.state.counts;
            counts.fill(0);
            let voices = self.mixer.voices.all().filter(|v| v.frozen.is_none()).map(Voice::sounds);
            for sound in voices.chain(self.director.repeaters.iter().filter(|r| !r.done).map(|r| r.route.sounds())).flatten() {
                counts[*sound] += 1;
            }
        }
        self.state.counts[sound]
    }

    /// Counts what begins.
    pub(super) fn count_begun(&mut self, route: &Route) {
        if self.director.counted == Some(self.frame) {
            for sound in route.sounds() {
                self.state.counts[*sound] += 1;
            }
        }
    }

    /// How many playings of a sound there are: of one emitter, and in all.
    pub(crate) fn sounding(&mut self, sound: SoundIndex, emitter: NameKey) -> (usize, usize) {
        self.collect(Limited::Sound(sound));
        (self.director.playings.iter().filter(|p| p.emitter == emitter).count(), self.director.playings.len())
    }

    /// Lets others yield until there is room for one more, or says why there is none.
    pub(crate) fn admit(&mut self, what: Limited, limit: Limit, route: &Route, offset: u64, by: By) -> Result<(), Reason> {
        let program = self.program;
        if !limit.any() {
            return Ok(());
        }
        // Most are far from full: then nobody needs to be gone through.
        if let Limited::Sound(sound) = what
            && self.at_most(sound) < limit.each.min(limit.all)
        {
            return Ok(());
        }
        self.collect(what);
        loop {
            let mine = |p: &Playing| p.emitter == by.emitter;
            let of_emitter = self.director.playings.iter().filter(|p| mine(p)).count() as u32;
            let (full, each) = if of_emitter >= limit.each { (true, true) } else { (self.director.playings.len() as u32 >= limit.all, false) };
            if !full {
                return Ok(());
            }
            let reason = match what {
                Limited::Group(group) => Reason::Group { group: program.groups[group as usize].key, limit: if each { limit.each } else { limit.all } },
                Limited::Sound(_) if each => Reason::Each { limit: limit.each },
                Limited::Sound(_) => Reason::All { limit: limit.all },
            };
            let victim = self.victim(limit.when_full, route, by, |p| !each || mine(p)).ok_or(reason)?;
            self.steal(victim, offset);
            self.director.playings.retain(|p| p.instance != victim);
        }
    }

    /// Who yields; `None` if it is the new one.
    fn victim(&self, when_full: WhenFull, route: &Route, by: By, fits: impl Fn(&Playing) -> bool) -> Option<u64> {
        let program = self.program;
        let worth: fn(&Playing) -> f32 = match when_full {
            WhenFull::Refuse => return None,
            // They are in the order of their beginning.
            WhenFull::Oldest => return self.director.playings.iter().find(|p| fits(p)).map(|p| p.instance),
            WhenFull::Quietest => |p| p.level,
            WhenFull::Farthest => |p| -p.distance,
            WhenFull::LeastImportant => |p| p.priority,
        };
        let place = self.place_of(by.emitter);
        let distance = self.world.distance_at(place);
        let level = if when_full == WhenFull::Quietest {
            let mut voice = Voice::idle();
            (voice.route, voice.emitter, voice.place) = (*route, by.emitter, place);
            sums(self.scene(), &voice)[Property::Level]
        } else {
            0.0
        };
        let new = Playing { instance: u64::MAX, emitter: by.emitter, level, distance: distance.unwrap_or(0.0), priority: priority(program, route, distance) };
        let least = self.director.playings.iter().filter(|p| fits(p)).min_by(|a, b| worth(a).total_cmp(&worth(b)))?;
        (worth(least) <= worth(&new)).then_some(least.instance)
    }

    /// Fades all that belongs to a playing.
    pub(crate) fn steal(&mut self, instance: u64, offset: u64) {
        let program = self.program;
        let frames = steal_frames(program.rate);
        self.mixer.voices.each(|voice| {
            if voice.leaving == Leaving::No && voice.route.belongs_to(instance) {
                voice.leave(Cause::Stolen, offset, frames);
            }
        });
        for repeater in &mut self.director.repeaters {
            repeater.done |= repeater.route.belongs_to(instance);
        }
    }

    /// Makes room for one more voice among all: the least important yields, of equal ones the oldest.
    pub(crate) fn admit_voice(&mut self, route: &Route, offset: u64, by: By) -> Result<(), Reason> {
        let program = self.program;
        // Mostly there is room even with those that are leaving: then nobody needs to be counted.
        if self.mixer.voices.active().len() < program.voices {
            return Ok(());
        }
        let sounding = self.mixer.voices.sounding().filter(|v| v.leaving == Leaving::No).count();
        if sounding < program.voices {
            return Ok(());
        }
        let mine = priority(program, route, self.world.distance_at(self.place_of(by.emitter)));
        let mut least: Option<(f32, u16)> = None;
        for slot in self.mixer.voices.active().iter().copied() {
            let voice = &self.mixer.voices[slot];
            if voice.leaving != Leaving::No {
                continue;
            }
            let its = if voice.frozen.is_some() { 0.0 } else { priority(program, &voice.route, self.world.distance_at(voice.place)) };
            if least.is_none_or(|(l, _)| its < l) {
                least = Some((its, slot));
            }
        }
        match least {
            Some((its, slot)) if its <= mine => {
                self.mixer.voices[slot].leave(Cause::Stolen, offset, steal_frames(program.rate));
                Ok(())
            }
            _ => Err(Reason::Unimportant { priority: mine }),
        }
    }
}
