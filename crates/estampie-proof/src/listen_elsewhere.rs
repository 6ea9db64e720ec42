//! What would be heard somewhere else: the levels of what sounds now, worked out for another place without going there.

use estampie_engine::engine::Status;
use estampie_engine::index::SoundIndex;
use estampie_engine::ledger::TermKind;
use estampie_engine::names::NameKey;
use estampie_engine::program::{Falloff, Program, TakeOf};
use estampie_engine::property::Property;
use estampie_engine::world::geometry::Ground;
use estampie_engine::world::propagation::{Within, target, walled};

/// A sound as it would be heard.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct WouldHear {
    /// The voice.
    pub voice: u64,
    /// Its sound.
    pub sound: NameKey,
    /// Its emitter.
    pub emitter: NameKey,
    /// Its level there, in dB, with all that does not depend on place as it is now.
    pub heard_db: f32,
    /// Metres by the way that it would take.
    pub metres: f32,
}

/// What place does, besides distance.
const BY_PLACE: [TermKind; 7] = [TermKind::Distance, TermKind::Cone, TermKind::Outside, TermKind::Inside, TermKind::Shelter, TermKind::Doorway, TermKind::Wall];

/// The sound that has the falloff of a sound: itself, or the first among its takes that has one.
fn owner(program: &Program, sound: SoundIndex, depth: usize) -> Option<SoundIndex> {
    let spec = &program.sounds[sound];
    if spec.falloff.is_some() {
        return Some(sound);
    }
    let mut inner = spec.groups.iter().flat_map(|g| &g.takes).filter_map(|t| if let TakeOf::Sound(next) = t.of { Some(next) } else { None });
    if depth < estampie_engine::mixer::spec::MOST_NESTED { inner.find_map(|next| owner(program, next, depth + 1)) } else { None }
}

/// The curves that distance has for a sound.
#[must_use]
pub fn falloff(program: &Program, sound: NameKey) -> Option<&Falloff> {
    program.sounds[owner(program, program.find_sound.get(sound)?, 0)?].falloff.as_ref()
}

/// The sound of which those curves are: itself, or one among its takes.
#[must_use]
pub fn falloff_of(program: &Program, sound: NameKey) -> Option<NameKey> {
    Some(program.sounds[owner(program, program.find_sound.get(sound)?, 0)?].key)
}

/// What sounds placed now, as it would be heard at `at` (metres east and north; as high as the listener is), the loudest first.
#[must_use]
pub fn would_hear(program: &Program, status: &Status, at: Ground) -> Vec<WouldHear> {
    let Some(listener) = status.emitters.first() else { return Vec::new() };
    let ear = [at[0], at[1], listener.at[2]];
    let near = Within::at(&program.world, ear);
    let mut list: Vec<WouldHear> = status
        .voices
        .iter()
        .filter(|v| v.placement.is_some())
        .filter_map(|voice| {
            let emitter = status.emitters.iter().find(|e| e.emitter == voice.emitter)?;
            let falloff = falloff(program, voice.sound)?;
            let far = Within::at(&program.world, emitter.at);
            let found = target(&program.world, &status.open, (ear, &near), (emitter.at, &far));
            let wall = walled(&program.world, ear, emitter.at).level_db * (1.0 - found.through);
            let taken: f32 = found.taken.iter().map(|t| t.level_db).sum::<f32>() + wall;
            let away = estampie_engine::world::emitters::bearing([-found.direction[0], -found.direction[1]], emitter.facing_degrees).abs();
            let there = falloff.level.as_ref().map_or(0.0, |c| c.at(found.metres)) + falloff.cone.as_ref().map_or(0.0, |c| c.at(away)) + taken;
            let now: f32 = status.terms_of(voice).iter().filter(|t| t.property == Property::Level && BY_PLACE.contains(&t.kind)).map(|t| t.value).sum();
            Some(WouldHear { voice: voice.voice, sound: voice.sound, emitter: voice.emitter, heard_db: voice.heard_db - now + there, metres: found.metres })
        })
        .collect();
    list.sort_by(|a, b| b.heard_db.total_cmp(&a.heard_db));
    list
}
