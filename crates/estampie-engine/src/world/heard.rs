//! How each emitter is heard in a block: its way, what takes of it, its direction, its movement, each followed from what was before.

use super::emitters::{CAMERA_NAME, Emitter, World, bearing, spread};
use super::geometry::{Ground, length};
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
        let Some(emitter) = self.emitters.get(at).filter(|e| e.present || e.stays) else { return };
        let camera = self.find(NameKey::of(CAMERA_NAME)).filter(|c| self.emitters[*c].present && *c != at);
        let block = frame / BLOCK as u64 + 1;
        let hearing = &mut self.hearings[at];
        if hearing.block == block {
            return;
        }
        let passed = block.saturating_sub(hearing.block);
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
        let share = crate::dsp::block_coefficient(DETOUR.0, BLOCK, rate);
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
        let share = crate::dsp::block_coefficient(DOPPLER.0, BLOCK, rate);
        hearing.doppler = if fresh { shift } else { hearing.doppler + (shift - hearing.doppler) * share };
        hearing.rooms = [0.0; MOST_ROOMS];
        if found.through > 0.0 {
            // What comes through a doorway brings its own room with it.
            for zone in far.zones().iter().filter(|z| !near.zones().contains(z)) {
                for (room, gain) in &spec.zones[usize::from(*zone)].reverb {
                    hearing.rooms[usize::from(*room)] += gain * found.through;
                }
            }
        }
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
