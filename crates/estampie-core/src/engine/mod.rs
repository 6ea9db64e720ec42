//! The engine: inputs in, samples and telemetry out.
//!
//! # The contract
//!
//! [`Engine::render`] may be called from an audio thread. It **never allocates, frees, locks, waits or logs**:
//!
//! - Inputs and new programs come through a wait-free ring ([`Remote::send`]); when it is full the sender is told,
//!   nothing is overwritten.
//! - Happenings leave through another; when nobody takes them they are lost and counted ([`Status::lost`]).
//! - A [`Status`] is written into a box that the other side gave; if there is none, none is written.
//! - Programs and recipes that are done with go back through a ring and are dropped by the other side. If that is
//!   full, a voice keeps its slot and a new program waits, until there is room.
//!
//! Everything is made in [`Engine::new`], except the memory of a program, which is made with it ([`Prepared::new`]).
//!
//! # Time
//!
//! Sound is made in blocks of [`BLOCK`] frames. An input acts on its own frame: an event on frame 1000 starts its sound at
//! sample 1000. Levels, pitches and cutoffs are worked out once a block; gains go from one block's value to the next
//! in a straight line, sample by sample. `render` may be asked for any number of frames; it gives the same samples however the
//! calls are cut.
//!
//! ```
//! use estampie_core::engine::{Engine, Input, InputKind, NOW, Options, Prepared};
//! use estampie_core::{document, names::NameKey, program};
//! use std::sync::Arc;
//!
//! let sources = document::Sources::from_texts([("estampie.toml", "format = 1"), ("game.toml", "[events]\nstep = \"a foot\"\n")]);
//! let (document, _faults) = document::Document::read(&sources, &Default::default());
//! let (program, _faults) = program::compile(&document, &Default::default());
//! let prepared = Prepared::new(Arc::new(program), 7);
//! let (mut engine, mut remote) = Engine::new(prepared, Options::default());
//! remote.input(Input { frame: NOW, what: InputKind::Event { event: NameKey::of("step"), emitter: NameKey::NONE } }).unwrap();
//! let mut out = [0.0; 2 * 480];
//! engine.render(&mut out);
//! assert_eq!(engine.frame(), 480);
//! ```

mod click;
mod input;
mod remote;
mod report;
mod state;
mod status;
mod telemetry;

pub use input::{Input, InputKind, Message, NOW};
pub use remote::{Full, Remote};
pub use state::Prepared;
pub use status::{
    BusStatus, EmitterStatus, LayerStatus, LineStatus, ParameterStatus, PieceStatus, ReactionStatus, Retired, SnapshotStatus, Status, StingerStatus, Term,
    TermKind, VoiceStatus, ZoneStatus,
};
pub use telemetry::{Cause, Draws, Happening, Notice, Reason, What};

pub use crate::world::emitters::{CAMERA_NAME, LISTENER_NAME, MOST_EMITTERS};

pub(crate) use crate::world::emitters::World;
pub(crate) use remote::Outlets;
pub(crate) use state::{Line, MOST_LINES, State, Stream, across, chosen_group, holds};

use crate::director::{
    Deferred, MOST_DEFERRED, MOST_REPEATERS, MOST_WAITING, MOST_WANTED, Playing, Rehearsed, Repeater, Scene, Waiting, WantedAt, Work, aim_of, glide_sound,
    sent_by_distance, sums,
};
use crate::dsp::{Fade, Interpolator, Limiter, add_ramped, advance_of};
use crate::mixer::buses::send_gain;
use crate::mixer::voice::{Cue, Leaving, Scratch, Voice};
use crate::music::band::{Band, MOST_BANDS, MOST_TONES};
use crate::music::{Happens, Tone};
use crate::names::NameKey;
use crate::program::Program;
use crate::units::{Decibels, Seconds, Semitones};
use rtrb::{Consumer, RingBuffer};
use std::sync::Arc;

/// Frames of a block.
pub const BLOCK: usize = 64;

/// Slots for voices: the most that a project may ask for, and some that are fading out.
const SLOTS: usize = 4096 + 256;
const MESSAGES: usize = 4096;
const HAPPENINGS: usize = 1 << 15;
const RETIRED: usize = 1 << 13;
const PENDING: usize = 4096;
/// Buses beyond these never let their voices sleep.
const MOST_BUSES: usize = 1024;
/// A voice whose level all the way to the output is below this sleeps, in dB.
const SLEEP: f32 = -84.0;
/// A sleeping voice wakes at this level.
const WAKE: f32 = -81.0;
/// A sleeping voice is looked after every so many blocks (21 ms at 48 kHz).
const NAP: u64 = 16;

/// How an engine is made.
#[derive(Debug, Clone)]
pub struct Options {
    /// The rehearsal starts softly: the output rises over this time.
    pub soft_start: Seconds,
    /// Inputs known beforehand, in the order of their frames.
    pub schedule: Arc<[Input]>,
    /// A status is written every so many blocks (25: 30 times a second at 48 kHz).
    pub status_every: u32,
    /// How many frames of the tapped bus ([`InputKind::Tap`]) wait at most to be taken; 0: no bus can be tapped.
    pub tap_frames: usize,
}

impl Default for Options {
    fn default() -> Self {
        Options { soft_start: Seconds(0.0), schedule: Arc::from([]), status_every: 25, tap_frames: 0 }
    }
}

/// The engine. See the module's page for its contract.
pub struct Engine {
    pub(crate) now: Box<Prepared>,
    pub(crate) frame: u64,
    pub(crate) voices: Vec<Voice>,
    /// Slots of voices that sound, in the order in which they started.
    pub(crate) active: Vec<u16>,
    /// Slots of voices far below hearing.
    pub(crate) asleep: Vec<u16>,
    pub(crate) free: Vec<u16>,
    pub(crate) next_voice: u64,
    pub(crate) next_instance: u64,
    pub(crate) work: Vec<Work>,
    pub(crate) deferred: Vec<Deferred>,
    pub(crate) repeaters: Vec<Repeater>,
    /// What is asked of music in this block.
    pub(crate) wanted: Vec<WantedAt>,
    /// Stingers that wait for their moment.
    pub(crate) waiting: Vec<Waiting>,
    /// Scratch for what happens in a piece.
    pub(crate) happens: Vec<Happens>,
    /// The notes of layers.
    pub(crate) bands: Vec<Band>,
    pub(crate) tones: Vec<Tone>,
    /// The metronome's last beat: its frame, and whether it begins a bar.
    pub(crate) click: Option<(u64, bool)>,
    /// Scratch for limits.
    pub(crate) playings: Vec<Playing>,
    pub(crate) world: World,
    pub(crate) rehearsed: Rehearsed,
    /// Level in dB from each bus to the output, worked out once a block.
    pub(crate) down: Vec<f32>,
    pub(crate) outlets: Outlets,
    messages: Consumer<Message>,
    pending: Vec<Input>,
    schedule: Arc<[Input]>,
    scheduled: usize,
    interpolator: &'static Interpolator,
    pub(crate) scratch: Box<Scratch>,
    limiter: Limiter,
    soft: Fade,
    block: [[f32; BLOCK]; 2],
    used: usize,
    peak: [f32; 2],
    least_gain: f32,
    last_gain: f32,
    status_every: u32,
    until_status: u32,
    /// Quarter notes in a second, for what goes with the music.
    pub(crate) tempo: f32,
}

impl Engine {
    /// Makes an engine at frame 0, and the other end of its rings.
    #[must_use]
    pub fn new(prepared: Prepared, options: Options) -> (Engine, Remote) {
        let (message_in, messages) = RingBuffer::new(MESSAGES);
        let (happenings, happening_out) = RingBuffer::new(HAPPENINGS);
        let (retired, retired_out) = RingBuffer::new(RETIRED);
        let (mut empty_in, empty) = RingBuffer::new(8);
        let (full, full_out) = RingBuffer::new(8);
        for _ in 0..4 {
            let _ = empty_in.push(report::roomy_status(&prepared.program));
        }
        let (tap, tap_out) = RingBuffer::new(options.tap_frames * 2);
        let rate = prepared.program.rate;
        let soft_frames = options.soft_start.frames(rate);
        let mut engine = Engine {
            frame: 0,
            voices: (0..SLOTS).map(|_| Voice::idle()).collect(),
            active: Vec::with_capacity(SLOTS),
            asleep: Vec::with_capacity(SLOTS),
            free: (0..SLOTS as u16).rev().collect(),
            next_voice: 0,
            next_instance: 0,
            work: Vec::with_capacity(64),
            deferred: Vec::with_capacity(MOST_DEFERRED),
            repeaters: Vec::with_capacity(MOST_REPEATERS),
            wanted: Vec::with_capacity(MOST_WANTED),
            waiting: Vec::with_capacity(MOST_WAITING),
            happens: Vec::with_capacity(512),
            bands: (0..MOST_BANDS).map(|_| Band::new()).collect(),
            tones: (0..MOST_TONES).map(|_| Tone::new(rate)).collect(),
            click: None,
            playings: Vec::with_capacity(SLOTS),
            world: World::new(),
            rehearsed: Rehearsed::default(),
            down: Vec::with_capacity(MOST_BUSES),
            outlets: Outlets { happenings, retired, empty, full, tap, tapped: NameKey::NONE, lost: 0 },
            messages,
            pending: Vec::with_capacity(PENDING),
            schedule: options.schedule,
            scheduled: 0,
            interpolator: Interpolator::shared(),
            scratch: Box::default(),
            limiter: Limiter::new(prepared.program.ceiling, rate),
            soft: if soft_frames == 0 { Fade::at(1.0) } else { Fade::over(0.0, 1.0, soft_frames) },
            block: [[0.0; BLOCK]; 2],
            used: BLOCK,
            peak: [0.0; 2],
            least_gain: 1.0,
            last_gain: 1.0,
            status_every: options.status_every.max(1),
            until_status: options.status_every.max(1),
            tempo: 0.0,
            now: Box::new(prepared),
        };
        let program = Arc::clone(&engine.now.program);
        engine.settle_world(&program);
        let remote = Remote { messages: message_in, happenings: happening_out, retired: retired_out, empty: empty_in, full: full_out, tap: tap_out };
        (engine, remote)
    }

    /// The frame of the next sample.
    #[must_use]
    pub fn frame(&self) -> u64 {
        self.frame + self.used as u64 - BLOCK as u64
    }

    /// How many voices sound, those that fade out included.
    #[must_use]
    pub fn voices(&self) -> usize {
        self.active.len()
    }

    /// How many voices are far below hearing and only kept in step.
    #[must_use]
    pub fn asleep(&self) -> usize {
        self.asleep.len()
    }

    /// Fills `out` with frames of two interleaved channels. An odd last sample is set to 0.
    pub fn render(&mut self, out: &mut [f32]) {
        for frame in out.chunks_mut(2) {
            if self.used == BLOCK {
                self.render_block();
                self.used = 0;
            }
            match frame {
                [left, right] => (*left, *right) = (self.block[0][self.used], self.block[1][self.used]),
                [odd] => {
                    *odd = 0.0;
                    continue;
                }
                _ => {}
            }
            self.used += 1;
        }
    }

    fn render_block(&mut self) {
        self.take_messages();
        let program = Arc::clone(&self.now.program);
        self.watch_glides(&program);
        self.derive(&program);
        self.do_waiting(&program);
        self.take_inputs(&program);
        self.work.clear();
        self.repeat(&program);
        self.follow_places(&program);
        self.follow_lines(&program);
        self.work_off(&program, 0);
        self.play_music(&program);
        self.follow_parameters(&program);
        self.play_bands(&program);
        self.prepare_buses(&program);
        self.render_voices(&program);
        self.sum_buses(&program);
        self.finish_block();
        self.until_status -= 1;
        if self.until_status == 0 {
            self.until_status = self.status_every;
            self.write_status(&program);
        }
        self.frame += BLOCK as u64;
    }

    fn take_messages(&mut self) {
        let mut dropped = 0;
        loop {
            // A program is adopted only when there is room to retire the one before it.
            if matches!(self.messages.peek(), Ok(Message::Program(_))) && self.outlets.retired.slots() == 0 {
                break;
            }
            match self.messages.pop() {
                Ok(Message::Input(input)) if self.pending.len() < PENDING => self.pending.push(input),
                Ok(Message::Input(_)) => dropped += 1,
                Ok(Message::Program(prepared)) => self.adopt(prepared),
                Err(_) => break,
            }
        }
        if dropped > 0 {
            self.outlets.tell(self.frame, What::Notice(Notice::TooManyInputs(dropped)));
        }
    }

    /// Answers all inputs of this block in the order of their frames; those of one frame in the order in which they came.
    fn take_inputs(&mut self, program: &Program) {
        let end = self.frame + BLOCK as u64;
        loop {
            let next_scheduled = self.schedule.get(self.scheduled).filter(|i| i.frame < end).copied();
            // The first of the earliest: `min_by_key` keeps the order in which inputs came.
            let next_pending =
                self.pending.iter().enumerate().filter(|(_, i)| i.frame < end).min_by_key(|(_, i)| i.frame.max(self.frame)).map(|(at, i)| (at, *i));
            let input = match (next_scheduled, next_pending) {
                (Some(s), Some((_, p))) if s.frame <= p.frame.max(self.frame) => {
                    self.scheduled += 1;
                    s
                }
                (Some(s), None) => {
                    self.scheduled += 1;
                    s
                }
                (_, Some((at, p))) => {
                    self.pending.remove(at);
                    p
                }
                (None, None) => break,
            };
            let offset = input.frame.saturating_sub(self.frame) as usize;
            self.answer(program, input, offset);
        }
    }

    fn adopt(&mut self, mut prepared: Box<Prepared>) {
        prepared.take_over(&mut self.now, self.frame, self.world.emitters.len());
        let old_program = Arc::clone(&self.now.program);
        let removed = u64::from(prepared.program.rate) / 50;
        let find = |index: u32| prepared.program.find_sound.get(old_program.sounds[index as usize].key).map(|new| new as u32);
        for slot in self.active.iter().chain(&self.asleep) {
            let slot = usize::from(*slot);
            if self.voices[slot].frozen.is_some() {
                continue;
            }
            let found = moved_way(&self.voices[slot].way, find);
            let old_bus = old_program.buses[self.voices[slot].bus as usize].key;
            match found {
                Some(way) => {
                    let voice = &mut self.voices[slot];
                    voice.way = way;
                    voice.bus = crate::director::bus_of(&prepared.program, way.sounds());
                    voice.sends = crate::director::sends(&prepared.program, way.sounds());
                    // A layer of the same name goes on, wherever it stands now.
                    voice.cue = voice.cue.and_then(|c| {
                        let place = prepared.program.sounds[way.path[0] as usize].layer?;
                        Some(Cue { piece: place.piece, layer: place.layer, ..c })
                    });
                }
                None => {
                    let scene = Scene { program: &old_program, state: &self.now.state, world: &self.world, frame: self.frame };
                    let frozen = sums(scene, &self.voices[slot]);
                    let voice = &mut self.voices[slot];
                    voice.frozen = Some(frozen);
                    if let Some(band) = voice.band {
                        // Its layer is gone: no further note of whatever stands in its place now.
                        self.bands[usize::from(band)].leave(self.frame);
                    }
                    voice.bus = prepared.program.find_bus.get(old_bus).unwrap_or(0) as u32;
                    voice.leave(Cause::Removed, 0, removed);
                }
            }
        }
        for repeater in &mut self.repeaters {
            match moved_way(&repeater.way, find) {
                Some(way) if prepared.program.sounds[way.path[way.depth - 1] as usize].repeat.is_some() => repeater.way = way,
                _ => repeater.done = true,
            }
        }
        self.deferred.retain_mut(|d| {
            let new = prepared.program.find_reaction.get(old_program.reactions[d.reaction as usize].key);
            let same = new.is_some_and(|n| usize::from(d.action) < prepared.program.reactions[n].actions.len());
            d.reaction = new.unwrap_or(0) as u32;
            same
        });
        self.limiter.set_ceiling(prepared.program.ceiling);
        let id = prepared.program.id;
        let old = std::mem::replace(&mut self.now, prepared);
        self.look_at_gates();
        self.find_bands();
        let program = Arc::clone(&self.now.program);
        self.settle_world(&program);
        self.end_plays(&program, &old);
        self.join_layers(&program, &old.program);
        // There is room: it was looked for before the message was taken.
        if let Err(rtrb::PushError::Full(lost)) = self.outlets.retired.push(Retired::Program(old)) {
            std::mem::forget(lost);
        }
        self.outlets.tell(self.frame, What::Notice(Notice::Program(id)));
    }

    /// Notes whether any sound is heard alone or silent, so that no block has to ask all of them.
    pub(crate) fn look_at_gates(&mut self) {
        let sounds = &self.now.state.sounds;
        self.rehearsed.solo = sounds.iter().any(|s| s.soloed);
        self.rehearsed.gates = self.rehearsed.solo || !self.rehearsed.only_emitter.is_none() || sounds.iter().any(|s| s.muted);
    }

    /// Whether the rehearsal lets a voice be heard.
    fn heard(&self, voice: &Voice) -> bool {
        let sounds = &self.now.state.sounds;
        let of = |mark: fn(&state::SoundState) -> bool| voice.frozen.is_none() && voice.sounds().iter().any(|s| mark(&sounds[*s as usize]));
        let only = self.rehearsed.only_emitter;
        let chosen = only.is_none() || voice.emitter == only || self.world.emitters.get(usize::from(voice.place)).is_some_and(|e| e.kind == only);
        chosen && !of(|s| s.muted) && (!self.rehearsed.solo || of(|s| s.soloed))
    }

    /// Works out what the terms of a voice come to.
    fn work_out(&mut self, program: &Program, slot: usize) {
        let block = self.frame / BLOCK as u64;
        if self.voices[slot].frozen.is_none() {
            for depth in 0..self.voices[slot].way.depth {
                glide_sound(program, &mut self.now.state, self.voices[slot].way.path[depth] as usize, block);
            }
        }
        self.hear(program, self.voices[slot].place);
        let totals = sums(self.scene(program), &self.voices[slot]);
        let aim = aim_of(program, &self.world, &self.voices[slot]);
        let gone = self.voices[slot].frozen.is_some() || self.world.distance_at(self.voices[slot].place).is_none();
        let voice = &mut self.voices[slot];
        // One whose emitter or sound has gone stays where it was while it fades.
        voice.aim = aim.or(voice.aim.filter(|_| gone));
        voice.with_head = self.rehearsed.head.unwrap_or(program.world.head);
        voice.swell = voice.cue.and_then(|c| self.now.state.layers.get(c.layer as usize)).map(|l| (l.swell, self.frame));
        voice.level = totals.level;
        if totals.pitch != voice.pitch {
            voice.pitch = totals.pitch;
            voice.advance = advance_of(Semitones(totals.pitch).ratio());
        }
        voice.octaves = totals.low_pass;
        voice.octaves_up = totals.high_pass;
        voice.pan = totals.pan;
        if let Some(on) = voice.let_go_on.filter(|on| *on < self.frame + BLOCK as u64) {
            let release = voice.envelope.release_frames();
            voice.leave(Cause::Stopped, on.saturating_sub(self.frame), release);
            voice.let_go_on = None;
        }
    }

    fn render_voices(&mut self, program: &Program) {
        self.work_out_down(program);
        let gates = self.rehearsed.gates;
        let mut kept = 0;
        for at in 0..self.active.len() {
            let active = self.active[at];
            let slot = usize::from(active);
            self.work_out(program, slot);
            self.steer_gate(program, slot, gates);
            let voice = &self.voices[slot];
            let below = self.level_below(program, voice);
            let quiet = below < SLEEP
                && voice.band.is_none()
                && voice.told
                && voice.leaving == Leaving::No
                && (voice.gain.is_nan() || voice.gain < 1e-4 || below == f32::NEG_INFINITY && voice.gate.gain() == 0.0);
            let voice = &mut self.voices[slot];
            if !voice.told && voice.wait < BLOCK as u64 && voice.frozen.is_none() {
                voice.told = true;
                let what = crate::director::start_of(program, &self.world, voice);
                self.outlets.tell(voice.started, what);
            }
            if quiet && !voice.ended {
                voice.sleep(self.frame, &mut self.scratch, program.rate);
                self.asleep.push(active);
                continue;
            }
            self.sound_voice(program, slot);
            self.active[kept] = active;
            kept += 1;
        }
        self.active.truncate(kept);
        for bus in self.now.state.buses.iter_mut().filter(|b| !b.direct.arrived()) {
            for _ in 0..BLOCK {
                bus.direct.next_gain();
            }
        }
        self.look_after_sleepers(program, gates);
        release_voices(&mut self.active, &mut self.voices, &mut self.free, &mut self.outlets, self.frame + BLOCK as u64);
    }

    /// Adds a voice to its bus, and to the returns that its sounds send to.
    fn sound_voice(&mut self, program: &Program, slot: usize) {
        let state = &mut self.now.state;
        let voice = &mut self.voices[slot];
        let bus = &mut state.buses[voice.bus as usize];
        let target = Decibels(voice.level).gain() * bus.direct.gain();
        bus.fed = true;
        if voice.ended {
            return;
        }
        let band = voice.band.and_then(|b| self.bands.get(usize::from(b))).map(Band::out);
        let rooms = voice.aim.is_some() && !program.world.rooms.is_empty();
        if !(voice.sends || rooms) || voice.frozen.is_some() {
            voice.render(self.interpolator, program.rate, &mut self.scratch, (band, target), &mut bus.left, &mut bus.right);
            return;
        }
        let [mut left, mut right] = [[0.0; BLOCK]; 2];
        voice.render(self.interpolator, program.rate, &mut self.scratch, (band, target), &mut left, &mut right);
        add_ramped(&mut bus.left, &left, 1.0, 1.0);
        add_ramped(&mut bus.right, &right, 1.0, 1.0);
        let sounds = voice.way.path;
        let mut place = 0;
        for sound in &sounds[..voice.way.depth] {
            for send in &program.sounds[*sound as usize].sends {
                let farther = sent_by_distance(program, &self.world, voice, *sound, send.to);
                let gain = send_gain(state.mix.cells[send.cell as usize].now + farther);
                let before = voice.sent.get_mut(place).map_or(gain, |sent| std::mem::replace(sent, gain));
                let before = if before.is_nan() { gain } else { before };
                place += 1;
                let to = &mut state.buses[send.to as usize];
                if before > 0.0 || gain > 0.0 {
                    add_ramped(&mut to.left, &left, before, gain);
                    add_ramped(&mut to.right, &right, before, gain);
                    to.fed = true;
                }
            }
        }
        if rooms {
            let own = self.world.hearings.get(usize::from(voice.place)).map_or([0.0; crate::program::MOST_ROOMS], |h| h.rooms);
            for (at, bus) in program.world.rooms.iter().enumerate() {
                let gain = state.places.rooms[at] + own[at];
                let before = std::mem::replace(&mut voice.roomed[at], gain);
                let before = if before.is_nan() { gain } else { before };
                let to = &mut state.buses[*bus as usize];
                if before > 1e-5 || gain > 1e-5 {
                    add_ramped(&mut to.left, &left, before, gain);
                    add_ramped(&mut to.right, &right, before, gain);
                    to.fed = true;
                }
            }
        }
    }

    /// Works out how an emitter is heard in this block.
    pub(crate) fn hear(&mut self, program: &Program, place: u16) {
        if place != crate::mixer::voice::NOWHERE {
            let places = &self.now.state.places;
            self.world.hear(&program.world, (&places.open, &places.near), place, self.frame, program.rate);
        }
    }

    /// Opens or closes the gate that solo and mute of sounds move, over 10 ms.
    fn steer_gate(&mut self, program: &Program, slot: usize, gates: bool) {
        let voice = &self.voices[slot];
        if !gates && voice.gate.target() == 1.0 {
            return;
        }
        let target = if self.heard(voice) { 1.0 } else { 0.0 };
        if voice.gate.target() != target {
            let gate = voice.gate.towards(target, u64::from(program.rate) / 100);
            self.voices[slot].gate = gate;
        }
    }

    /// Looks after every sixteenth sleeping voice: goes on to the end of this block, and wakes it if it is heard again.
    fn look_after_sleepers(&mut self, program: &Program, gates: bool) {
        let next = self.frame + BLOCK as u64;
        let mut at = ((self.frame / BLOCK as u64) % NAP) as usize;
        let mut ended = false;
        while let Some(slot) = self.asleep.get(at).copied() {
            let slot = usize::from(slot);
            self.work_out(program, slot);
            let voice = &mut self.voices[slot];
            if !voice.ended {
                voice.doze(next);
            }
            ended |= voice.ended;
            // Its gate is where it belongs at once: nobody hears it move.
            let heard = !gates || self.heard(&self.voices[slot]);
            self.voices[slot].gate = Fade::at(if heard { 1.0 } else { 0.0 });
            let room = self.active.len() < program.voices;
            if !self.voices[slot].ended && room && self.level_below(program, &self.voices[slot]) > WAKE {
                self.voices[slot].wake(&mut self.scratch, program.rate);
                self.active.push(slot as u16);
                self.asleep.swap_remove(at);
            } else {
                at += NAP as usize;
            }
        }
        if ended {
            release_voices(&mut self.asleep, &mut self.voices, &mut self.free, &mut self.outlets, next);
        }
    }

    /// The root's sum through the soft start and the ceiling.
    fn finish_block(&mut self) {
        let [left, right] = &mut self.block;
        let Some(root) = self.now.state.buses.first_mut() else { return };
        std::mem::swap(left, &mut root.left);
        std::mem::swap(right, &mut root.right);
        root.left.fill(0.0);
        root.right.fill(0.0);
        if !(self.soft.arrived() && self.soft.gain() == 1.0) {
            for (l, r) in left.iter_mut().zip(right.iter_mut()) {
                let gain = self.soft.next_gain();
                // Squared, it rises as evenly for the ear as for the hand.
                *l *= gain * gain;
                *r *= gain * gain;
            }
        }
        if let Some((frame, strong)) = self.click {
            click::add(self.frame, frame, strong, self.now.program.rate, left, right);
            if self.frame > frame + click::LENGTH {
                self.click = None;
            }
        }
        self.last_gain = self.limiter.process(left, right);
        self.least_gain = self.least_gain.min(self.last_gain);
        for (channel, peak) in self.block.iter().zip(&mut self.peak) {
            *peak = peak.max(crate::mixer::buses::greatest(channel));
        }
    }
}

/// The way with its sounds found again in another program.
fn moved_way(way: &crate::mixer::voice::Way, find: impl Fn(u32) -> Option<u32>) -> Option<crate::mixer::voice::Way> {
    let mut moved = *way;
    for index in &mut moved.path[..way.depth] {
        *index = find(*index)?;
    }
    Some(moved)
}

/// Gives ended voices' slots back, keeping the order of the others.
fn release_voices(list: &mut Vec<u16>, voices: &mut [Voice], free: &mut Vec<u16>, outlets: &mut Outlets, frame: u64) {
    let mut kept = 0;
    for at in 0..list.len() {
        let slot = list[at];
        let voice = &mut voices[usize::from(slot)];
        let mut gone = false;
        if voice.ended {
            gone = match voice.recipe.take() {
                None => true,
                Some(recipe) => match outlets.retired.push(Retired::Recipe(recipe)) {
                    Ok(()) => true,
                    Err(rtrb::PushError::Full(Retired::Recipe(recipe))) => {
                        voice.recipe = Some(recipe);
                        false
                    }
                    Err(_) => false,
                },
            };
        }
        if gone {
            let cause = if let Leaving::For(cause) = voice.leaving { cause } else { Cause::Done };
            if voice.told {
                outlets.tell(frame, What::VoiceEnd { voice: voice.id, sound: voice.sound, cause });
            }
            free.push(slot);
        } else {
            list[kept] = slot;
            kept += 1;
        }
    }
    list.truncate(kept);
}
