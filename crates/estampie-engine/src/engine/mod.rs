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
//! `estampie-proof` opens with an example: a project's text, compiled and played.

mod inputs;
mod metronome;
mod output;
mod prepared;
mod remote;
mod report;
mod status;

pub use crate::director::input::{Input, InputKind, NOW};
pub use crate::ground::ledger::{Term, TermKind};
pub use crate::ground::telemetry::{Cause, Draws, Happening, Notice, Reason, What};
pub use crate::ground::time::BLOCK;
pub use crate::world::emitters::{CAMERA_NAME, LISTENER_NAME, MOST_EMITTERS};
pub use prepared::Prepared;
pub use remote::{Answers, Elsewhere, Full, Message, Remote, Watch};
pub use status::{
    BusStatus, EmitterStatus, LayerStatus, LineStatus, ParameterStatus, PieceStatus, ReactionStatus, SnapshotStatus, Status, StingerStatus, VoiceStatus,
    ZoneStatus,
};

use crate::director::{Directing, Director, Scene, VoiceSends, sums};
use crate::dsp::generators::Pool;
use crate::ground::index::{BusIndex, SoundIndex};
use crate::ground::outlets::Outlets;
use crate::ground::pages::Pages;
use crate::ground::reads::AtOnce;
use crate::ground::units::Seconds;
use crate::mixer::Mixer;
use crate::mixer::mixing::Mixing;
use crate::mixer::paging::Paging;
use crate::mixer::state::louder;
use crate::mixer::voice::{Cue, Voice};
use crate::music::band::{MOST_BANDS, MOST_TONES};
use crate::world::emitters::World;
use inputs::Inputs;
use output::Output;
use rtrb::{Consumer, Producer, RingBuffer};
use std::sync::Arc;

/// How much an engine has room for, whatever program it plays. It is all allocated when the engine is made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Capacity {
    /// Slots for voices, those that fade out included (1 to 65,535): beyond it nothing starts. A project may ask for 4,096 that sound.
    pub voices: usize,
    /// Layers of notes at once (1 to 255).
    pub bands: usize,
    /// Notes that sound at once in all layers (1 to 255).
    pub notes: usize,
    /// Generators of each kind at once: takes that are made instead of recorded.
    pub generators: usize,
    /// Whether none of them are made beforehand: for one program alone, which brings what it needs ([`Prepared::lean`]).
    pub lean: bool,
    /// Sounds at once that repeat themselves.
    pub repeats: usize,
    /// Messages on their way to the engine; who sends more than it takes in a block is told so.
    pub messages: usize,
    /// Things that the engine is done with and that wait to be dropped outside; what finds no room waits inside.
    pub retired: usize,
    /// Inputs that wait for their frame (1 and more); those beyond are left out, counted and told.
    pub inputs: usize,
    /// Emitters that are somewhere (1 to 8,192); what plays at one beyond them is not placed, and told.
    pub emitters: usize,
    /// Happenings that wait to be taken; those beyond are lost, and counted.
    pub happenings: usize,
    /// Statuses on their way; 0 for whoever looks at none.
    pub statuses: usize,
}

impl Default for Capacity {
    /// Room for the largest project, as a workshop needs it.
    fn default() -> Self {
        Capacity {
            voices: 4096 + 256,
            bands: MOST_BANDS,
            notes: MOST_TONES,
            generators: 256,
            lean: false,
            repeats: 1024,
            messages: 4096,
            retired: 1 << 13,
            inputs: 4096,
            emitters: MOST_EMITTERS,
            happenings: 1 << 15,
            statuses: 4,
        }
    }
}

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
    /// How much there is room for.
    pub capacity: Capacity,
}

impl Default for Options {
    fn default() -> Self {
        Options { soft_start: Seconds(0.0), schedule: Arc::from([]), status_every: 25, tap_frames: 0, capacity: Capacity::default() }
    }
}

/// The engine. See the module's page for its contract.
pub struct Engine {
    now: Box<Prepared>,
    frame: u64,
    director: Director,
    mixer: Mixer,
    world: World,
    outlets: Outlets,
    inputs: Inputs,
    output: Output,
    /// Frames of the present block that have been handed out.
    used: usize,
    /// Boxes for statuses: empty ones that the other side gave, and full ones for it.
    empty: Consumer<Box<Status>>,
    full: Producer<Box<Status>>,
    status_every: u32,
    until_status: u32,
}

impl Engine {
    /// Makes an engine at frame 0, and the other end of its rings.
    #[must_use]
    pub fn new(prepared: Prepared, options: Options) -> (Engine, Remote) {
        let Capacity { voices, bands, notes, generators, lean, repeats, messages, retired, inputs, emitters, happenings, statuses } = options.capacity;
        let (message_in, messages) = RingBuffer::new(messages.max(64));
        let (outlets, inlets) = Outlets::new(happenings.max(64), retired.max(64), options.tap_frames);
        let (mut empty_in, empty) = RingBuffer::new(8);
        let (full, full_out) = RingBuffer::new(8);
        for _ in 0..statuses.min(8) {
            let _ = empty_in.push(report::roomy_status(&prepared.program));
        }
        let (rate, ceiling) = (prepared.program.rate, prepared.program.ceiling_gain);
        let mut engine = Engine {
            frame: 0,
            director: Director::new(voices, repeats.max(1)),
            mixer: Mixer::new(
                voices.max(1),
                bands.clamp(1, 255),
                notes.clamp(1, 255),
                if lean { Pool::empty(generators) } else { Pool::new(generators, rate) },
                rate,
            ),
            world: World::new(emitters.clamp(1, MOST_EMITTERS)),
            outlets,
            inputs: Inputs::new(messages, inputs.max(1), options.schedule),
            output: Output::new(ceiling, options.soft_start.frames(rate), rate),
            used: BLOCK,
            empty,
            full,
            status_every: options.status_every.max(1),
            until_status: options.status_every.max(1),
            now: Box::new(prepared),
        };
        // Until somebody else reads for it.
        if let Some(reads) = &engine.now.program.reads {
            engine.mixer.scratch.paging = Paging::growing(Box::new(AtOnce::of(reads.reader())));
        }
        engine.mixer.generators.take_in(&mut engine.now.brought);
        engine.directing().settle_world();
        (engine, Remote::new(message_in, inlets, empty_in, full_out))
    }

    /// Who fills the pages of streamed audio, how many pages of [`PAGE`](crate::pages::PAGE) frames there are, and how many there may come to be
    /// where [`Pages::more`] gives some: a voice that streams needs four. What was read before by another reader of the same audio stays. Without anybody only the heads of such audio are heard. It allocates: to be said before anything is rendered.
    pub fn stream_from(&mut self, pages: Box<dyn Pages>, room: usize, most: usize) {
        self.mixer.scratch.paging.read_by(pages, room, most);
    }

    /// The frame of the next sample.
    #[must_use]
    pub fn frame(&self) -> u64 {
        self.frame + self.used as u64 - BLOCK as u64
    }

    /// Lets the output rise from silence, as at a soft start: for an engine that was rendered up to here without being heard.
    pub fn soften(&mut self, rise: Seconds) {
        self.output.soften(rise.frames(self.now.program.rate));
    }

    /// How many voices sound, those that fade out included.
    #[must_use]
    pub fn voices(&self) -> usize {
        self.mixer.voices.active().len()
    }

    /// How many voices are far below hearing and only kept in step.
    #[must_use]
    pub fn asleep(&self) -> usize {
        self.mixer.voices.asleep().len()
    }

    /// How often the conditions of the program's reactions failed and held, when they were asked one after the other until one failed: those of the
    /// first reaction in their order, then those of the next. Counted anew after each edit.
    #[must_use]
    pub fn weighed(&self) -> &[[u32; 2]] {
        &self.now.state.weighed
    }

    /// Fills `out` with frames of two interleaved channels. An odd last sample is set to 0.
    pub fn render(&mut self, out: &mut [f32]) {
        for frame in out.chunks_mut(2) {
            if self.used == BLOCK {
                self.render_block();
                self.used = 0;
            }
            match frame {
                [left, right] => (*left, *right) = (self.output.block[0][self.used], self.output.block[1][self.used]),
                [odd] => {
                    *odd = 0.0;
                    continue;
                }
                _ => {}
            }
            self.used += 1;
        }
    }

    /// Takes an input from the thread that renders, as [`Remote::input`] does from another: what comes to that thread on a way of its own.
    /// False if too many wait; the input is left out and told then.
    pub fn input(&mut self, input: Input) -> bool {
        let kept = self.inputs.keep(input, self.frame);
        if !kept {
            self.outlets.tell(self.frame, What::Notice(Notice::TooManyInputs(1)));
        }
        kept
    }

    /// How many inputs more have room to wait for their frames.
    #[must_use]
    pub fn input_room(&self) -> usize {
        self.inputs.room()
    }

    /// The director, for this block.
    fn directing(&mut self) -> Directing<'_> {
        let Prepared { program, state, mix, .. } = &mut *self.now;
        Directing {
            program,
            frame: self.frame,
            state,
            director: &mut self.director,
            mix,
            mixer: &mut self.mixer,
            world: &mut self.world,
            outlets: &mut self.outlets,
        }
    }

    /// The mixer, for this block, and what it asks about what voices send.
    fn mixing(&mut self) -> (Mixing<'_>, VoiceSends<'_>) {
        let Prepared { program, state, mix, .. } = &mut *self.now;
        let sends = VoiceSends { program, rooms: &state.places.rooms, world: &self.world };
        let mixing = Mixing {
            mix: &program.mix,
            rate: program.rate,
            frame: self.frame,
            limit: program.voices,
            state: mix,
            mixer: &mut self.mixer,
            outlets: &mut self.outlets,
        };
        (mixing, sends)
    }

    fn render_block(&mut self) {
        self.take_messages();
        self.mixer.scratch.paging.begin_block();
        self.directing().begin_block();
        while let Some((input, offset)) = self.inputs.next(self.frame) {
            self.directing().answer(input, offset);
        }
        self.directing().direct();
        let dry = self.director.rehearsed.solo_dry;
        let Prepared { program, state, mix, .. } = &mut *self.now;
        let (mix, mixer, outlets) = (&mut *mix, &mut self.mixer, &mut self.outlets);
        Mixing { mix: &program.mix, rate: program.rate, frame: self.frame, limit: program.voices, state: mix, mixer, outlets }.prepare(&state.modulations, dry);
        self.directing().work_out_voices();
        let (mut mixing, sends) = self.mixing();
        mixing.render_voices(&sends);
        self.directing().tell_starts();
        self.look_after_sleepers();
        if let Some(late) = self.mixer.scratch.paging.missed() {
            self.outlets.tell(self.frame, What::Notice(Notice::Late(late)));
        }
        let tempo = self.directing().tempo_now();
        let (mut mixing, _) = self.mixing();
        mixing.release(false);
        mixing.sum_buses(tempo);
        if let Some(root) = self.now.mix.buses.first_mut() {
            self.output.take(root, self.director.beat, self.frame, self.now.program.rate);
        }
        if self.director.beat.is_some_and(|(began, _)| self.frame > began + metronome::LENGTH) {
            self.director.beat = None;
        }
        self.until_status -= 1;
        if self.until_status == 0 {
            self.until_status = self.status_every;
            self.write_status();
        }
        self.frame += BLOCK as u64;
    }

    /// Looks after every sixteenth sleeping voice.
    fn look_after_sleepers(&mut self) {
        let mut at = Mixing::first_sleeper(self.frame);
        let mut any_ended = false;
        while let Some(slot) = self.mixer.voices.asleep().get(at).copied() {
            self.directing().work_out_sleeper(slot);
            let (mut mixing, sends) = self.mixing();
            let (next, ended) = mixing.look_after(at, &sends);
            any_ended |= ended;
            at = next;
        }
        if any_ended {
            self.mixing().0.release(true);
        }
    }

    fn take_messages(&mut self) {
        if let Some(mut own) = self.inputs.messages.take() {
            self.take_from(&mut own);
            self.inputs.messages = Some(own);
        }
    }

    /// Takes what waits in a ring besides the remote's own, as from that: inputs and programs of another thread. A program takes effect at
    /// once, so this is called between two calls of [`Engine::render`], by the thread that renders.
    pub fn take_from(&mut self, messages: &mut Consumer<Message>) {
        let mut dropped = 0;
        loop {
            // A program is adopted only when there is room to retire the one before it.
            if matches!(messages.peek(), Ok(Message::Program(_))) && !self.outlets.has_room() {
                break;
            }
            match messages.pop() {
                Ok(Message::Input(input)) => dropped += u32::from(!self.inputs.keep(input, self.frame)),
                Ok(Message::Program(prepared)) => self.adopt(prepared),
                Err(_) => break,
            }
        }
        if dropped > 0 {
            self.outlets.tell(self.frame, What::Notice(Notice::TooManyInputs(dropped)));
        }
    }

    /// Goes over to another program, between two blocks.
    fn adopt(&mut self, mut prepared: Box<Prepared>) {
        prepared.take_over(&mut self.now, self.frame, self.world.emitters.len());
        self.mixer.generators.take_in(&mut prepared.brought);
        // What is not needed goes back with the old program.
        std::mem::swap(&mut prepared.brought, &mut self.now.brought);
        self.move_voices(&mut prepared);
        self.director.find_again(&prepared.program, &self.now.program);
        self.output.set_ceiling(prepared.program.ceiling_gain);
        let id = prepared.program.id;
        let old = std::mem::replace(&mut self.now, prepared);
        self.directing().take_over(&old.program, &old.state);
        // There is room: it was looked for before the message was taken.
        if let Some(lost) = self.outlets.retire_owned(old) {
            std::mem::forget(lost);
        }
        self.outlets.tell(self.frame, What::Notice(Notice::Program(id)));
    }

    /// Gives each voice its sounds in a program that is about to take over; what is gone fades out as it is.
    fn move_voices(&mut self, next: &mut Prepared) {
        let (new, new_mix) = (&*next.program, &mut next.mix);
        let Prepared { program: old, state, mix, .. } = &*self.now;
        let removed = crate::mixer::held::cross_frames(new.rate);
        let find = |index: SoundIndex| new.find_sound.get(old.sounds[index].key);
        let scene = Scene { program: old, state, mix, world: &self.world, frame: self.frame };
        let (frame, bands) = (self.frame, &mut self.mixer.bands);
        self.mixer.voices.each(|voice| {
            let key = old.mix.buses[voice.bus].key;
            // What is on another bus then goes over from as loud as it was.
            let mut move_to = |voice: &mut Voice, bus: BusIndex| {
                if new.mix.buses[bus].key == key {
                    voice.bus = bus;
                    return;
                }
                let was = mix.way(&old.mix, voice.bus);
                voice.move_to(bus, louder(was, new_mix.way_of_led(&new.mix, bus, was)), removed);
            };
            let own = new.mix.find_bus.get(key).unwrap_or(BusIndex::ROOT);
            if voice.frozen.is_some() {
                return move_to(voice, own);
            }
            if let Some(playing) = voice.source.playing_mut() {
                playing.of = new.mix.generator(playing.key, playing.kind()).map(|of| of as u32);
            }
            match voice.route.moved(find) {
                Some(route) => {
                    voice.route = route;
                    move_to(voice, crate::director::bus_of(new, route.sounds()));
                    voice.sends = crate::director::sends(new, route.sounds());
                    // A layer of the same name goes on, wherever it stands now.
                    voice.cue = voice.cue.and_then(|c| {
                        let place = new.sounds[route.path[0]].layer?;
                        Some(Cue { piece: place.piece, layer: place.layer, ..c })
                    });
                }
                None => {
                    voice.frozen = Some(sums(scene, voice));
                    if let Some(band) = voice.band {
                        // Its layer is gone: no further note of whatever stands in its place now.
                        bands[usize::from(band)].leave(frame);
                    }
                    move_to(voice, own);
                    voice.leave(Cause::Removed, 0, removed);
                }
            }
        });
    }
}
