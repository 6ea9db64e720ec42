//! Writing the status: everything as it is, now and then, into a box that the other side gave.

use super::status::{
    BusStatus, EmitterStatus, LayerStatus, LineStatus, ParameterStatus, PieceStatus, ReactionStatus, SnapshotStatus, Status, StingerStatus, VoiceStatus,
    ZoneStatus,
};
use super::{Engine, Prepared};
use crate::director::generators::control_terms;
use crate::director::{Scene, Waiting, gate_term, layer_term, transposition, voice_terms};
use crate::ground::index::{BusIndex, SoundIndex};
use crate::ground::ledger::{Term, TermKind};
use crate::ground::names::NameKey;
use crate::ground::property::Property;
use crate::ground::units::Decibels;
use crate::mixer::buses::bus_terms;
use crate::mixer::values::MixScene;
use crate::mixer::voice::{Leaving, Voice};
use crate::program::Program;

/// A status with room for every program of usual size; larger ones show their first things only.
pub(super) fn roomy_status(program: &Program) -> Box<Status> {
    let room = |n: usize| (n * 2).max(256);
    Box::new(Status::with_room(
        room(program.parameters.len()),
        room(program.states.len()),
        room(program.mix.buses.len()),
        room(program.modulations.len()),
        1024,
        1024 * 12,
    ))
}

impl Engine {
    /// What speakers, reactions and emitters have in mind.
    fn write_memory(&self, status: &mut Status) {
        let program = &*self.now.program;
        let state = &self.now.state;
        for (key, speaker) in program.speakers.iter().zip(&state.speakers) {
            let line = |sound: SoundIndex, asked, urgency, speaking| {
                let spec = &program.sounds[sound];
                LineStatus { speaker: *key, sound: spec.key, asked, worth: spec.lines.map_or(0, |l| l.worth), urgency, speaking }
            };
            let said = (speaker.speaking != 0).then(|| line(speaker.sound, 0, Default::default(), true));
            for line in said.into_iter().chain(speaker.queue.iter().map(|l| line(l.sound, l.asked, l.urgency, false))) {
                if status.lines.len() < status.lines.capacity() {
                    status.lines.push(line);
                }
            }
        }
        for (at, (spec, now)) in program.reactions.iter().zip(&state.reactions).enumerate() {
            let counted = spec.nth.map_or(0, |n| state.counters[n.counter as usize].count);
            if (now.spent || now.due != u64::MAX || counted > 0) && status.reactions.len() < status.reactions.capacity() {
                let due = (now.due != u64::MAX).then(|| now.due.saturating_sub(self.frame));
                status.reactions.push(ReactionStatus { reaction: at as u32, spent: now.spent, due, counted });
            }
        }
        self.write_music(status);
        let emitters = std::iter::once(&self.world.listener).chain(self.world.emitters.iter().filter(|e| e.present));
        for emitter in emitters.take(status.emitters.capacity()) {
            status.emitters.push(EmitterStatus {
                emitter: emitter.key,
                kind: emitter.kind,
                of_project: emitter.source.is_some(),
                at: emitter.at,
                metres: self.world.distance(emitter),
                facing_degrees: emitter.facing,
            });
        }
        let places = &self.now.state.places;
        let room = status.zones.capacity();
        status.zones.extend(places.zones.iter().map(|z| ZoneStatus { inside: z.inside, share: z.share }).take(room));
        let room = status.open.capacity();
        status.open.extend(places.open.iter().copied().take(room));
        let room = status.rooms.capacity().min(program.world.rooms.len());
        status.rooms.extend_from_slice(&places.rooms[..room]);
    }

    fn write_music(&self, status: &mut Status) {
        let program = &*self.now.program;
        let state = &self.now.state;
        status.pieces.clear();
        status.layers.clear();
        status.switches.clear();
        status.playlists.clear();
        status.stingers.clear();
        for (at, now) in state.pieces.with_places().take(status.pieces.capacity()) {
            let gliding = program.music.pieces[at].step == crate::ground::vocabulary::Step::Gliding;
            let transposition = if gliding { transposition(program, state, at) } else { now.moved };
            status.pieces.push(PieceStatus { sequencer: now.sequencer, held_db: now.held, ducked_db: now.ducked, transposition_semitones: transposition });
        }
        for now in state.layers.iter().take(status.layers.capacity()) {
            status.layers.push(LayerStatus { on: now.on, gain: now.swell.at(self.frame), waits: now.waits.is_some() });
        }
        let room = status.switches.capacity();
        status.switches.extend(state.switches.iter().take(room));
        let room = status.playlists.capacity();
        status.playlists.extend(state.playlists.iter().map(|p| (p.on, p.piece)).take(room));
        for waiting in self.director.waiting.iter().take(status.stingers.capacity()) {
            let Waiting { stinger, piece, on, asked, .. } = *waiting;
            status.stingers.push(StingerStatus { stinger, piece, on, asked });
        }
    }

    pub(super) fn write_status(&mut self) {
        let Ok(mut status) = self.empty.pop() else { return };
        let Prepared { program, state, mix, .. } = &mut *self.now;
        let program = &**program;
        status.frame = self.frame;
        status.program = program.id;
        status.parameters.clear();
        status.states.clear();
        status.buses.clear();
        status.reductions.clear();
        status.cells.clear();
        status.snapshots.clear();
        status.player.clear();
        status.modulations.clear();
        status.voices.clear();
        status.terms.clear();
        for parameter in state.parameters.iter().take(status.parameters.capacity()) {
            status.parameters.push(ParameterStatus { value: parameter.at(self.frame), smooth: parameter.smooth });
        }
        status.lines.clear();
        status.reactions.clear();
        status.emitters.clear();
        status.zones.clear();
        status.open.clear();
        status.rooms.clear();
        let room = status.states.capacity();
        status.states.extend(state.states.iter().take(room));
        let room = status.modulations.capacity();
        // One that every emitter has by itself has no value for all: it shows what it comes to at rest.
        let value = |(spec, now): (&crate::program::Modulation, &f32)| {
            if spec.local { spec.curve.at(program.parameters[spec.parameter].rest) } else { *now }
        };
        status.modulations.extend(program.modulations.iter().zip(&state.modulations).map(value).take(room));
        let room = status.cells.capacity();
        status.cells.extend(program.mix.cells.iter().zip(&mix.cells).map(|(c, n)| c.unscaled(n.now)).take(room));
        let room = status.snapshots.capacity();
        status.snapshots.extend(mix.snapshots.iter().map(|s| SnapshotStatus { share: s.share, up: s.up, by_hand: s.by_hand.is_some() }).take(room));
        let room = status.player.capacity();
        status.player.extend(mix.player.iter().copied().take(room));
        for bus in mix.buses.iter_mut().take(status.buses.capacity()) {
            let peak = std::mem::take(&mut bus.peak);
            let spec = &program.mix.buses[BusIndex::new(status.buses.len())];
            let cell = &mix.cells[spec.cells[0]];
            let level = if cell.now <= -120.0 { f32::NEG_INFINITY } else { cell.now + bus.ducked + bus.player };
            status.buses.push(BusStatus {
                peak,
                level_db: level,
                moved_db: cell.moved,
                held_db: cell.held,
                ducked_db: bus.ducked,
                player_db: bus.player,
                rms_db: 10.0 * bus.square.max(1e-12).log10(),
                muted: bus.muted,
                soloed: bus.soloed,
            });
            for slot in &bus.chain {
                if let Some(reduction) = slot.reduction().filter(|_| status.reductions.len() < status.reductions.capacity()) {
                    status.reductions.push((slot.key, reduction));
                }
            }
        }
        let scene = Scene { program, state, mix, world: &self.world, frame: self.frame };
        for voice in self.mixer.voices.all() {
            if status.voices.len() == status.voices.capacity() {
                break;
            }
            write_voice(&mut status, scene, voice, self.output.soft(), self.output.last_gain);
        }
        self.write_memory(&mut status);
        status.peak = std::mem::take(&mut self.output.peak);
        status.playing_repeats = self.director.repeaters.len() as u32;
        status.ceiling_db = Decibels::of_gain(std::mem::replace(&mut self.output.least_gain, 1.0)).0;
        status.lost = self.outlets.lost;
        let _ = self.full.push(status);
    }
}

fn write_voice(status: &mut Status, scene: Scene<'_>, voice: &Voice, soft: f32, ceiling: f32) {
    let Scene { program, state, mix, .. } = scene;
    let first = status.terms.len();
    let mut heard = 0.0;
    let terms = &mut status.terms;
    let mut tell = |term: Term| {
        if term.property == Property::Level {
            heard += term.value;
        }
        if terms.len() < terms.capacity() {
            terms.push(term);
        }
    };
    let level = |kind, of, value| Term { property: Property::Level, kind, of, value };
    let power = |p: f32| 10.0 * p.max(1e-12).log10();
    tell(level(TermKind::Recorded, voice.take(), power(voice.power)));
    voice_terms(scene, voice, &mut tell);
    control_terms(scene, voice, &mut tell);
    if (voice.octaves < 0.0 || voice.octaves_up > 0.0) && !voice.asleep {
        tell(level(TermKind::Filtered, voice.sound, power(voice.filtered) - power(voice.power)));
    }
    if voice.envelope.gain() != 1.0 {
        tell(level(TermKind::Fading, voice.sound, Decibels::of_gain(voice.envelope.gain()).0));
    }
    for term in gate_term(voice).into_iter().chain(layer_term(program, voice, scene.frame)) {
        tell(term);
    }
    let direct = mix.buses[voice.bus].direct.gain();
    if direct != 1.0 {
        tell(level(TermKind::Gated, program.mix.buses[voice.bus].key, Decibels::of_gain(direct).0));
    }
    let mixed = MixScene { mix: &program.mix, state: mix, modulations: &state.modulations };
    let name_of = |m: u32| program.parameters[program.modulations[m as usize].parameter].key;
    bus_terms(mixed, voice.bus, name_of, &mut tell);
    if soft != 1.0 {
        tell(level(TermKind::SoftStart, NameKey::NONE, Decibels::of_gain(soft * soft).0));
    }
    if ceiling != 1.0 {
        tell(level(TermKind::Ceiling, NameKey::NONE, Decibels::of_gain(ceiling).0));
    }
    let count = (terms.len() - first) as u32;
    status.voices.push(VoiceStatus {
        voice: voice.id,
        sound: voice.sound,
        take: voice.take(),
        emitter: voice.emitter,
        started: voice.started,
        at: voice.source.at() as u32,
        heard_db: heard,
        rms_db: 10.0 * voice.filtered.max(1e-12).log10(),
        placement: voice.placement.map(|a| (a.bearing, a.distance, a.width)),
        leaving: voice.leaving != Leaving::No,
        asleep: voice.asleep,
        first: first as u32,
        count,
    });
}
