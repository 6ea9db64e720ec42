//! What plays, and how loud: parameters, states, reactions, picks, limits and modulation, block by block.

pub mod actions;
mod bands;
pub(crate) mod generators;
pub mod input;
mod limits;
mod lines;
mod measure;
pub(crate) mod memory;
mod music;
mod places;
mod play;
mod react;
mod repeat;
mod snapshots;
mod stingers;
mod voices;

use crate::ground::index::{BusIndex, CellIndex, PieceIndex, SoundIndex};
use crate::ground::ledger::{Term, TermKind};
use crate::ground::names::NameKey;
use crate::ground::outlets::Outlets;
use crate::ground::property::{PerProperty, Property, SOUND_PROPERTIES};
use crate::ground::units::Decibels;
use crate::mixer::Mixer;
use crate::mixer::mixing::Sends;
use crate::mixer::pan::{Placement, default_width};
use crate::mixer::state::MixState;
use crate::mixer::voice::{NOWHERE, Voice};
use crate::music::Happens;
use crate::program::{Choice, Program};
use crate::world::emitters::World;
use crate::world::geometry::length;
use crate::world::propagation::TAKERS;
use crate::world::spec::MOST_ROOMS;
use limits::Playing;
use memory::{Memory, across};
use music::{MOST_WANTED, WantedAt};
use react::{Deferred, MOST_DEFERRED, Work};
use repeat::Repeater;
use stingers::MOST_WAITING;

pub(crate) use music::{LayerState, PieceState, layer_term, transposition};
pub(crate) use places::Places;
pub(crate) use play::{bus_of, sends, start_of};
pub(crate) use react::By;
pub(crate) use stingers::{PlaylistState, StingerState, Waiting};

/// What the rehearsal alone changes; never saved.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Rehearsed {
    /// Waits are multiplied by this.
    pub(crate) waits: f32,
    /// Chances are always or never taken.
    pub(crate) chances: Option<bool>,
    /// A sound that always picks one take.
    pub(crate) forced: Option<(NameKey, u16)>,
    /// Whether any sound is heard alone.
    pub(crate) solo: bool,
    /// Whether any sound is heard alone or silent.
    pub(crate) gates: bool,
    /// Whether a click is heard on every beat.
    pub(crate) metronome: bool,
    /// Whether returns are silent while other buses are heard alone.
    pub(crate) solo_dry: bool,
    /// The emitter (or kind) that is heard alone, or none.
    pub(crate) only_emitter: NameKey,
    /// Whether placed sounds are heard with a head, if the rehearsal says.
    pub(crate) head: Option<bool>,
}

impl Default for Rehearsed {
    fn default() -> Self {
        Rehearsed {
            waits: 1.0,
            chances: None,
            forced: None,
            solo: false,
            gates: false,
            metronome: false,
            solo_dry: false,
            only_emitter: NameKey::NONE,
            head: None,
        }
    }
}

/// What the director has under way, whatever program is played.
pub(crate) struct Director {
    /// What reactions still have to answer.
    work: Vec<Work>,
    deferred: Vec<Deferred>,
    pub(crate) repeaters: Vec<Repeater>,
    /// What is asked of music in this block.
    wanted: Vec<WantedAt>,
    /// Stingers that wait for their moment.
    pub(crate) waiting: Vec<Waiting>,
    /// Scratch for what happens in a piece.
    happens: Vec<Happens>,
    /// Scratch for limits.
    playings: Vec<Playing>,
    pub(crate) rehearsed: Rehearsed,
    /// The metronome's last beat: its frame, and whether it begins a bar.
    pub(crate) beat: Option<(u64, bool)>,
    next_instance: u64,
    /// The block in which the voices of each sound were last counted.
    counted: Option<u64>,
    /// Quarter notes in a second, for what goes with the music.
    tempo: f32,
}

impl Director {
    /// With room for the limits of so many voices, and for so many repeats.
    pub(crate) fn new(voices: usize, repeats: usize) -> Director {
        Director {
            work: Vec::with_capacity(64),
            deferred: Vec::with_capacity(MOST_DEFERRED),
            repeaters: Vec::with_capacity(repeats),
            wanted: Vec::with_capacity(MOST_WANTED),
            waiting: Vec::with_capacity(MOST_WAITING),
            happens: Vec::with_capacity(512),
            playings: Vec::with_capacity(voices),
            rehearsed: Rehearsed::default(),
            beat: None,
            next_instance: 0,
            counted: None,
            tempo: 0.0,
        }
    }

    /// Finds what is under way in a program that is about to take over.
    pub(crate) fn find_again(&mut self, new: &Program, old: &Program) {
        self.counted = None;
        let find = |index: SoundIndex| new.find_sound.get(old.sounds[index].key);
        for repeater in &mut self.repeaters {
            match repeater.route.moved(find) {
                Some(route) if new.sounds[route.path[route.depth - 1]].repeat.is_some() => repeater.route = route,
                _ => repeater.done = true,
            }
        }
        self.waiting.retain_mut(|w| {
            let stinger = new.music.find_stinger.get(old.music.stingers[usize::from(w.stinger)].key);
            let piece = new.music.find_piece.get(old.music.pieces[w.piece].key);
            let (Some(stinger), Some(piece)) = (stinger, piece) else { return false };
            (w.stinger, w.piece) = (stinger as u16, piece);
            true
        });
        self.deferred.retain_mut(|d| {
            let found = new.find_reaction.get(old.reactions[d.reaction].key);
            d.reaction = found.unwrap_or(d.reaction);
            found.is_some_and(|n| usize::from(d.action) < new.reactions[n].actions.len())
        });
    }
}

/// The director at work on one block: what it plays by, what it remembers, and whom it speaks to.
pub(crate) struct Directing<'a> {
    pub(crate) program: &'a Program,
    /// The first frame of the block.
    pub(crate) frame: u64,
    pub(crate) state: &'a mut Memory,
    pub(crate) director: &'a mut Director,
    pub(crate) mix: &'a mut MixState,
    pub(crate) mixer: &'a mut Mixer,
    pub(crate) world: &'a mut World,
    pub(crate) outlets: &'a mut Outlets,
}

impl Directing<'_> {
    /// What goes on by itself, before the inputs of this block.
    pub(crate) fn begin_block(&mut self) {
        self.watch_glides();
        self.derive();
        self.do_waiting();
    }

    /// All that is to be started, followed and ended in this block, after its inputs.
    pub(crate) fn direct(&mut self) {
        self.director.work.clear();
        self.repeat();
        self.follow_places();
        self.follow_lines();
        self.work_off(0);
        self.play_music();
        self.follow_parameters();
        self.play_bands();
        self.follow_snapshots();
    }

    /// Goes on after another program has taken over from `old`, which had the memory `before`.
    pub(crate) fn take_over(&mut self, old: &Program, before: &Memory) {
        self.look_at_gates();
        self.find_bands();
        self.settle_world();
        self.place_voices();
        self.end_plays(old, &before.places);
        self.join_layers(old);
    }

    /// Follows the parameters and works out every modulation for this block.
    pub(crate) fn follow_parameters(&mut self) {
        let state = &mut *self.state;
        for (parameter, now) in self.program.parameters.iter().zip(&mut state.parameters) {
            now.follow(parameter, self.frame);
        }
        self.follow_locals();
        let state = &mut *self.state;
        for (modulation, now) in self.program.modulations.iter().zip(&mut state.modulations) {
            if modulation.local {
                continue;
            }
            let target = modulation.curve.at(state.parameters[modulation.parameter].smooth);
            *now += (target - *now) * modulation.smooth_per_block;
            if (target - *now).abs() < 1e-4 {
                *now = target;
            }
        }
    }
}

/// Lets what a sound is set to glide after an edit; once a block, and at once if it was silent before.
fn glide_sound(program: &Program, state: &mut Memory, sound: SoundIndex, block: u64) {
    let share = state.glide;
    let (spec, now) = (&program.sounds[sound], &mut state.sounds[sound]);
    if now.block == block {
        return;
    }
    let silent_before = now.block + 1 < block;
    now.block = block;
    for (property, value) in now.set.iter_mut() {
        let target = spec.set[property];
        if silent_before || (*value - target).abs() < 0.005 {
            *value = target;
        } else {
            *value += (target - *value) * share;
        }
    }
}

/// What the terms of a voice are worked out from.
#[derive(Clone, Copy)]
pub(crate) struct Scene<'a> {
    pub(crate) program: &'a Program,
    pub(crate) state: &'a Memory,
    pub(crate) mix: &'a MixState,
    pub(crate) world: &'a World,
    pub(crate) frame: u64,
}

/// The terms of a voice's level, pitch and cutoffs before its bus, given to `sink` one by one.
///
/// The mixer adds them up and *why* prints them: there is no other way to a voice's level.
#[inline(always)]
pub(crate) fn voice_terms(scene: Scene<'_>, voice: &Voice, sink: &mut impl FnMut(Term)) {
    let Scene { program, state, frame, .. } = scene;
    if let Some(frozen) = voice.frozen {
        for (property, value) in frozen.iter() {
            sink(Term { property, kind: TermKind::Set, of: voice.sound, value: *value });
        }
        return;
    }
    for depth in 0..voice.sounds().len() {
        sound_terms(scene, voice, depth, sink);
    }
    place_terms(scene, voice, sink);
    if let Some(cue) = voice.cue {
        piece_terms(scene, cue.piece, sink);
    }
    for (property, value) in [(Property::Level, voice.route.take_level), (Property::Pitch, voice.route.take_pitch)] {
        if value != 0.0 {
            sink(Term { property, kind: TermKind::Take, of: voice.take(), value });
        }
    }
    if voice.swept.iter().any(|(_, s)| s.is_some()) {
        let asked: f32 = voice.sounds().iter().map(|s| state.asked(program, *s, Property::Sweep, voice.place)).sum();
        for (property, swept) in voice.swept.iter() {
            if let Some(swept) = swept {
                sink(Term { property, kind: TermKind::Swept, of: voice.sound, value: swept.at(frame) * (1.0 + asked).clamp(0.0, 2.0) });
            }
        }
    }
}

/// What one sound of a voice's way is set to, draws, and is given by distance, its group and parameters.
#[inline(always)]
fn sound_terms(Scene { program, state, mix, world, .. }: Scene<'_>, voice: &Voice, depth: usize, sink: &mut impl FnMut(Term)) {
    let index = voice.sounds()[depth];
    let (spec, now) = (&program.sounds[index], &state.sounds[index]);
    let mut tell = |property, kind, of, value| sink(Term { property, kind, of, value });
    let drawn = &voice.route.drawn[depth];
    for row in &SOUND_PROPERTIES {
        let value = now.set[row.property];
        if row.always_told || value != row.neutral {
            tell(row.property, TermKind::Set, spec.key, value);
        }
        if spec.vary.of[row.property].ends != (0.0, 0.0) {
            tell(row.property, TermKind::Varied, spec.key, drawn[row.property]);
        }
    }
    if let (group @ 1.., Choice::Across { parameter, points, equal_power }) = (voice.route.across[depth], &spec.choice)
        && usize::from(group) <= points.len()
    {
        let value = state.smooth(program, *parameter, voice.place);
        tell(Property::Level, TermKind::Across, program.parameters[*parameter].key, across(points, *equal_power, usize::from(group) - 1, value));
    }
    if let Some(falloff) = &spec.falloff
        && let Some(hearing) = world.heard(voice.place)
    {
        let distance = hearing.distance;
        for (curve, property) in [(&falloff.level, Property::Level), (&falloff.low_pass, Property::LowPass), (&falloff.high_pass, Property::HighPass)] {
            if let Some(curve) = curve {
                let value = match world.points(&program.world, voice.place).filter(|_| property == Property::Level) {
                    Some(points) => all_together(curve, points, world.listener.at),
                    None => curve.at(distance),
                };
                tell(property, TermKind::Distance, voice.emitter, value);
            }
        }
        for (curve, property) in [(&falloff.cone, Property::Level), (&falloff.cone_low_pass, Property::LowPass)] {
            if let Some(value) = curve.as_ref().map(|c| c.at(hearing.off_axis)).filter(|v| *v != 0.0) {
                tell(property, TermKind::Cone, voice.emitter, value);
            }
        }
        if falloff.doppler > 0.0 && hearing.doppler != 0.0 {
            tell(Property::Pitch, TermKind::Doppler, voice.emitter, hearing.doppler * falloff.doppler);
        }
    }
    if let Some(group) = spec.group.and_then(|g| program.mix.groups.get(g as usize)) {
        let now = mix.cells[*group].now;
        if now != 0.0 {
            let of = program.groups[spec.group.unwrap_or(0) as usize].key;
            tell(Property::Level, TermKind::Group, of, if now <= -120.0 { f32::NEG_INFINITY } else { now });
        }
    }
    for modulation in &spec.modulations {
        let moved = &program.modulations[*modulation as usize];
        let value = if moved.local { state.modulation(program, *modulation as usize, voice.place) } else { state.modulations[*modulation as usize] };
        tell(moved.property, TermKind::Moved, program.parameters[moved.parameter].key, value);
    }
}

/// What zones, doorways, shelters and walls take from a voice, and how much there is of the zone whose ambience it is.
#[inline(always)]
fn place_terms(Scene { program, state, world, .. }: Scene<'_>, voice: &Voice, sink: &mut impl FnMut(Term)) {
    if voice.place != NOWHERE
        && let Some(hearing) = world.heard(voice.place).filter(|_| voice.sounds().iter().any(|s| program.sounds[*s].falloff.is_some()))
    {
        for (kind, taken) in TAKERS.into_iter().zip(&hearing.taken) {
            for (property, value) in [(Property::Level, taken.level_db), (Property::LowPass, taken.low_pass_octaves)] {
                // What comes by an open doorway loses nothing, and yet comes by it.
                let comes_by = kind == TermKind::Doorway && property == Property::Level && hearing.through > 0.0;
                if value != 0.0 || comes_by {
                    sink(Term { property, kind, of: taken.of, value });
                }
            }
        }
    }
    let zone = if voice.place == NOWHERE {
        if program.world.zones.is_empty() { None } else { program.world.find_zone.get(voice.emitter) }
    } else {
        world.fades_with(&program.world, voice.place)
    };
    if let Some(zone) = zone {
        let share = state.places.zones[zone].share;
        if share != 1.0 {
            let value = if share <= 1e-4 { f32::NEG_INFINITY } else { Decibels::of_gain(share).0 };
            sink(Term { property: Property::Level, kind: TermKind::Depth, of: voice.emitter, value });
        }
    }
}

/// What distance adds to what one of a voice's sounds sends to a return, in dB.
fn sent_by_distance(program: &Program, world: &World, voice: &Voice, sound: SoundIndex, to: BusIndex) -> f32 {
    let Some(falloff) = &program.sounds[sound].falloff else { return 0.0 };
    let curve = falloff.sends.iter().find(|(bus, _)| *bus == to).map(|(_, c)| c).or(falloff.send.as_ref());
    curve.and_then(|c| Some(c.at(world.heard(voice.place)?.distance))).unwrap_or(0.0)
}

/// What the sounds of voices send to returns, for the mixer.
pub(crate) struct VoiceSends<'a> {
    pub(crate) program: &'a Program,
    /// What placed sounds send to the returns of rooms, as gains.
    pub(crate) rooms: &'a [f32; MOST_ROOMS],
    pub(crate) world: &'a World,
}

impl Sends for VoiceSends<'_> {
    fn each(&self, voice: &Voice, mut send: impl FnMut(BusIndex, CellIndex, f32)) {
        for sound in voice.sounds() {
            for to in &self.program.sounds[*sound].sends {
                send(to.to, to.cell, sent_by_distance(self.program, self.world, voice, *sound, to.to));
            }
        }
    }

    fn rooms(&self) -> (&[BusIndex], &[f32; MOST_ROOMS]) {
        (&self.program.world.rooms, self.rooms)
    }

    fn own_rooms(&self, place: u16) -> [f32; MOST_ROOMS] {
        self.world.hearings.get(usize::from(place)).map_or([0.0; MOST_ROOMS], |h| h.rooms)
    }
}

/// Where a voice is heard, if it is placed: a sound with a falloff at an emitter that is somewhere. The width is that of the
/// innermost sound that has one.
fn placement_of(program: &Program, world: &World, voice: &Voice) -> Option<Placement> {
    if voice.frozen.is_some() {
        return None;
    }
    let falloffs = || voice.sounds().iter().filter_map(|s| program.sounds[*s].falloff.as_ref());
    falloffs().next()?;
    let hearing = world.heard(voice.place)?;
    let distance = hearing.distance;
    let width = falloffs().filter_map(|f| f.width.as_ref()).next_back().map_or_else(|| default_width(distance), |c| c.at(distance));
    Some(Placement { bearing: hearing.bearing, distance, width: width.clamp(0.0, 1.0).max(hearing.spread) })
}

/// The level of several points together, in dB, by a curve over distance.
fn all_together(curve: &crate::ground::curve::Curve, points: &[[f32; 3]], ear: [f32; 3]) -> f32 {
    let power: f32 = points.iter().map(|p| 10f32.powf(curve.at(length(p, &ear)) / 10.0)).sum();
    10.0 * power.max(1e-12).log10()
}

/// What a piece adds to all of its layers.
fn piece_terms(scene: Scene<'_>, piece: PieceIndex, sink: &mut impl FnMut(Term)) {
    let Scene { program, state, .. } = scene;
    let (Some(spec), Some(now)) = (program.music.pieces.of(piece), state.pieces.of(piece)) else { return };
    let mut tell = |kind, of, value| sink(Term { property: Property::Level, kind, of, value });
    tell(TermKind::Piece, spec.key, now.level);
    for modulation in &spec.modulations {
        let moved = &program.modulations[*modulation as usize];
        tell(TermKind::Moved, program.parameters[moved.parameter].key, state.modulations[*modulation as usize]);
    }
    if now.held != 0.0 {
        tell(TermKind::DuckedByPiece, now.held_by, now.held);
    }
    if now.ducked != 0.0 {
        tell(TermKind::Ducked, now.ducked_by, now.ducked);
    }
}

/// The sums of a voice's terms: level in dB, pitch in semitones, cutoffs in octaves.
pub(crate) fn sums(scene: Scene<'_>, voice: &Voice) -> PerProperty<f32> {
    let mut sums = PerProperty::all(0.0);
    voice_terms(scene, voice, &mut |term| {
        if let Some(sum) = sums.get_mut(term.property) {
            *sum += term.value;
        }
    });
    sums
}

/// The term of a voice's own gate, if it is not open.
pub(crate) fn gate_term(voice: &Voice) -> Option<Term> {
    let gain = voice.gate.gain();
    (gain != 1.0).then(|| Term { property: Property::Level, kind: TermKind::GatedSound, of: voice.sound, value: Decibels::of_gain(gain).0 })
}
