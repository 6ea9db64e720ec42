//! How each emitter is heard in a block: its way, what takes of it, its direction, its movement, each followed from what was before.

use super::emitters::{CAMERA_NAME, Emitter, World, bearing, spread};
use super::geometry::{Ground, length};
use super::hearing::Hearing;
use super::propagation::{DOPPLER, WALL, Within, doppler, follow, target, walled};
use crate::ground::names::NameKey;
use crate::ground::time::BLOCK;
use crate::world::spec::{MOST_ROOMS, Stand, World as Spec};

/// Walls are looked for again after so many blocks.
const LOOK: u64 = 4;
/// After so many blocks unheard everything is at once as it is.
const FORGOTTEN: u64 = 64;
/// A way round is followed over this time, in seconds, by no more than so many metres in a block.
const DETOUR: (f64, f32) = (0.3, 0.12);

impl World {
    /// Works out how the emitter at a place is heard in the block at `frame`, once. `near` are the listener's zones.
    pub(crate) fn hear(&mut self, spec: &Spec, (open, near): (&[f32], &Within), place: u16, frame: u64, rate: u32) {
        let at = usize::from(place);
        let block = frame / BLOCK as u64 + 1;
        if self.ears.block != block {
            self.look_around(open, block, rate);
        }
        let Some(emitter) = self.emitters.get(at).filter(|e| e.present || e.stays) else { return };
        let camera = self.ears.camera.filter(|c| *c != at);
        let hearing = &mut self.hearings[at];
        if hearing.block == block {
            return;
        }
        let passed = block.saturating_sub(hearing.block);
        // What is worked out from the same as before, and has come to where it goes, is not worked out again.
        let from = (emitter.at, emitter.facing, emitter.source);
        let same = passed == 1 && self.ears.changed != block && hearing.from == from && emitter.before == emitter.at;
        if same && u64::from(hearing.still) >= LOOK {
            hearing.block = block;
            return;
        }
        hearing.from = from;
        let before = same.then(|| hearing.clone());
        let fresh = hearing.block == 0 || passed > FORGOTTEN || self.leapt && passed > 1;
        hearing.block = block;
        if hearing.zoned != emitter.at {
            (hearing.zones, hearing.zoned) = (Within::at(spec, emitter.at), emitter.at);
        }
        let far = hearing.zones;
        let ear = &self.listener;
        let mut found = target(spec, open, (ear.at, near), (emitter.at, &far));
        if fresh || (block + u64::from(place)).is_multiple_of(LOOK) {
            hearing.walled = walled(spec, ear.at, emitter.at);
        }
        let mut wall = hearing.walled;
        (wall.level_db, wall.low_pass_octaves) = (wall.level_db * (1.0 - found.through), wall.low_pass_octaves * (1.0 - found.through));
        found.taken[WALL] = wall;
        hearing.through = found.through;
        if fresh {
            hearing.taken = found.taken;
        } else {
            for _ in 0..passed {
                follow(&mut hearing.taken, &found.taken);
            }
        }
        let stand = emitter.source.and_then(|s| spec.sources.get(usize::from(s))).map(|s| &s.stand);
        hearing.spread = stand.map_or(0.0, |s| spread(s, ear.ground()));
        // A way round appears all at once, where a zone ends: it is followed.
        let straight = length(&emitter.at, &ear.at);
        let ahead = [emitter.at[0] - ear.at[0], emitter.at[1] - ear.at[1]];
        let (detour, turn) = (found.metres - straight, bearing(found.direction, bearing(ahead, 0.0)));
        let (share, doppler_share) = self.ears.shares;
        for _ in 0..if fresh { 0 } else { passed } {
            hearing.detour += ((detour - hearing.detour) * share).clamp(-DETOUR.1, DETOUR.1);
            hearing.turn += bearing_step(turn - hearing.turn) * share;
        }
        if fresh {
            (hearing.detour, hearing.turn) = (detour, turn);
        }
        hearing.distance = match stand {
            Some(Stand::Points(points)) => together(points, ear.at),
            _ => straight + hearing.detour,
        };
        // Where the player stands says how far things are, the camera, if the game places one, where they are heard.
        let eye = camera.map_or(ear, |at| &self.emitters[at]);
        let seen = [emitter.at[0] - eye.at[0], emitter.at[1] - eye.at[1]];
        hearing.bearing = bearing_step(bearing(seen, eye.facing) + hearing.turn);
        hearing.off_axis = off_axis(emitter, found.direction);
        let shift = shift(spec.sound_metres_per_second, emitter, ear, rate);
        hearing.doppler = if fresh { shift } else { hearing.doppler + (shift - hearing.doppler) * doppler_share };
        // Half a hundredth of a cent is nothing; it would go on to become less for seconds.
        if shift == 0.0 && hearing.doppler.abs() < 5e-5 {
            hearing.doppler = 0.0;
        }
        hearing.rooms = [0.0; MOST_ROOMS];
        if found.through > 0.0 {
            // What comes through a doorway brings its own room with it.
            for zone in far.zones().iter().filter(|z| !near.zones().contains(z)) {
                for (room, gain) in &spec.zones[usize::from(*zone)].reverb {
                    hearing.rooms[usize::from(*room)] += gain * found.through;
                }
            }
        }
        let still = before.is_some_and(|before| Hearing { block, still: hearing.still, ..before } == *hearing);
        hearing.still = if still { hearing.still.saturating_add(1) } else { 0 };
    }

    /// Looks, once in a block, from where emitters are heard, and whether that is as it was.
    fn look_around(&mut self, open: &[f32], block: u64, rate: u32) {
        let camera = self.find(NameKey::of(CAMERA_NAME)).filter(|c| self.emitters[*c].present);
        let ear = &self.listener;
        let eye = camera.map_or(([0.0; 3], 0.0), |at| (self.emitters[at].at, self.emitters[at].facing));
        let doors = open.iter().fold(open.len() as u64, |hash, open| (hash ^ u64::from(open.to_bits())).wrapping_mul(0x9e37_79b9_7f4a_7c15).rotate_left(29));
        let seen = (ear.at, ear.before, ear.facing, eye.0, eye.1, doors);
        let ears = &mut self.ears;
        if ears.rate != rate {
            (ears.rate, ears.shares) = (rate, [DETOUR.0, DOPPLER.0].map(|time| crate::dsp::block_coefficient(time, BLOCK, rate)).into());
        }
        if ears.seen != seen || ears.camera != camera || ears.block + 1 != block || self.leapt {
            ears.changed = block;
        }
        (ears.seen, ears.camera, ears.block) = (seen, camera, block);
    }
}

/// A difference of angles by the shorter way, −180 to 180 degrees.
fn bearing_step(degrees: f32) -> f32 {
    (degrees + 180.0).rem_euclid(360.0) - 180.0
}

/// The distance of several points that are heard as one: where one alone would be as loud, were sound to fall by inverse squares.
fn together(points: &[[f32; 3]], ear: [f32; 3]) -> f32 {
    let power: f32 = points.iter().map(|p| length(p, &ear).max(0.1).powi(-2)).sum();
    power.max(1e-12).powf(-0.5)
}

/// Degrees between where an emitter looks and the way of its sound to the listener, 0 to 180.
fn off_axis(emitter: &Emitter, direction: Ground) -> f32 {
    bearing([-direction[0], -direction[1]], emitter.facing).abs()
}

/// The Doppler shift between two that move.
fn shift(speed_of_sound: f32, emitter: &Emitter, ear: &Emitter, rate: u32) -> f32 {
    let far = length(&emitter.at, &ear.at);
    if far < 0.01 {
        return 0.0;
    }
    let (a, b) = (emitter.velocity(rate), ear.velocity(rate));
    let away = |v: [f32; 3]| (0..3).map(|i| v[i] * (emitter.at[i] - ear.at[i]) / far).sum::<f32>();
    if a == [0.0; 3] && b == [0.0; 3] { 0.0 } else { doppler(speed_of_sound, away(a), -away(b)) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::world::emitters::MOST_EMITTERS;
    use proptest::prelude::*;

    const NO_ONE: fn(&crate::world::spec::Amount) -> f32 = |_| 0.0;

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]
        #[test]
        fn what_stands_still_is_heard_as_if_it_were_worked_out_in_every_block(
            moves in prop::collection::vec((0u64..400, 0usize..4, -20.0f32..20.0, -20.0f32..20.0, 0u64..9000), 1..6)
        ) {
            // The same world twice; one of them believes in every block that something has changed.
            let names = ["one", "two", "three"].map(NameKey::of);
            let mut worlds = [World::new(MOST_EMITTERS), World::new(MOST_EMITTERS)];
            let (spec, mut rested) = (Spec::default(), 0);
            for world in &mut worlds {
                world.place(None, [0.0; 3], Some(0.0), (0, 0), 48_000);
                for (n, name) in names.iter().enumerate() {
                    let place = world.find_or_make(*name, |_| {}).map(|(at, _)| at);
                    world.place(place, [n as f32 * 3.0, 2.0, 0.0], Some(10.0), (0, 0), 48_000);
                }
            }
            for block in 0..600u64 {
                for world in &mut worlds {
                    for (_, who, x, y, frames) in moves.iter().filter(|m| m.0 == block) {
                        let place = names.get(*who).and_then(|name| world.find(*name));
                        if place.is_some() || *who == 3 {
                            world.place(place, [*x, *y, 0.0], Some(x * y), (block * 64, *frames), 48_000);
                        }
                    }
                    world.follow((block + 1) * 64, 48_000, &spec, NO_ONE);
                }
                let near = Within::at(&spec, [worlds[0].listener.at[0], worlds[0].listener.at[1], 0.0]);
                for at in 0..3u16 {
                    for (n, world) in worlds.iter_mut().enumerate() {
                        if n == 1 && at == 0 {
                            world.look_around(&[], block + 1, 48_000);
                            world.ears.changed = block + 1;
                        }
                        world.hear(&spec, (&[], &near), at, block * 64, 48_000);
                    }
                    let [quick, slow] = [0, 1].map(|n| worlds[n].hearings[usize::from(at)].clone());
                    rested += usize::from(u64::from(quick.still) >= LOOK);
                    prop_assert_eq!(u64::from(slow.still), 0);
                    let what = |h: Hearing| Hearing { still: 0, ..h };
                    prop_assert_eq!(what(quick), what(slow), "in block {}", block);
                }
            }
            prop_assert!(rested > 100, "{} times at rest", rested);
        }
    }
}
