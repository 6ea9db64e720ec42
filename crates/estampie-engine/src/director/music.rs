//! Music in the engine: what is asked of pieces, layers and stingers, and the voices that come of it.
//!
//! The sequencer of each piece says what happens on which frame; here that is turned into voices. Layers are voices like
//! all others, so their levels are ledgers too; they only begin, fall and fade together.

use super::input::InputKind;
use super::memory::{Memory, holds};
use super::play::{Begin, Body};
use super::{By, Directing};
use crate::dsp::Swell;
use crate::ground::curve::Shape;
use crate::ground::index::{PieceIndex, SectionIndex, SoundIndex};
use crate::ground::ledger::{Term, TermKind};
use crate::ground::names::NameKey;
use crate::ground::property::Property;
use crate::ground::telemetry::{Cause, Notice, What};
use crate::ground::time::BLOCK;
use crate::ground::units::Decibels;
use crate::ground::vocabulary::{Answer, Arrival, Step};
use crate::mixer::voice::{Cue, Leaving, NOWHERE, Route, Voice};
use crate::music::exact::{Frames, frames, narrow, nearest};
use crate::music::spec::{Follows, Piece, Section, When};
use crate::music::{Ask, Happens, PassBegins, PassFalls, Point, Sequencer};
use crate::program::Program;

/// The most that is asked of music in one block.
pub(crate) const MOST_WANTED: usize = 256;
/// Frames in which one round of a recording hands over to the next.
const HAND_OVER: u64 = 96;
/// So near to its end a recording is told whether its section goes round: what one block of a sleeping voice or a fast one reads.
const NEAR_END: usize = BLOCK * 24;

/// What is asked of music.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Wanted {
    /// A piece goes to a section, on a moment, with a rise of so many frames.
    Go(PieceIndex, Option<SectionIndex>, Option<When>, Option<u64>),
    /// A piece jumps to a bar of a section.
    Jump(PieceIndex, SectionIndex, u32),
    List(u16, bool),
    Sting(u16, Option<When>),
    Switch(u32, bool),
    /// It has been answered already.
    Answered,
}

/// What is asked, on which frame, by whom.
#[derive(Debug, Clone, Copy)]
pub(crate) struct WantedAt {
    pub(super) frame: u64,
    pub(super) what: Wanted,
    pub(super) by: By,
}

/// A piece in the engine.
#[derive(Debug, Clone, Copy)]
pub(crate) struct PieceState {
    pub(crate) sequencer: Sequencer,
    /// Set level in dB, gliding after edits.
    pub(crate) level: f32,
    /// What its state or parameter asked for last.
    followed: Option<Option<SectionIndex>>,
    /// dB by which another piece holds it down, and which.
    pub(crate) held: f32,
    pub(crate) held_by: NameKey,
    /// dB by which a stinger holds it down, and which.
    pub(crate) ducked: f32,
    pub(crate) ducked_by: NameKey,
    /// Semitones by which its notes are moved, as last taken.
    pub(crate) moved: f32,
    /// A section, and the line of its chords, as last taken.
    pub(crate) line: (SectionIndex, u16),
}

impl PieceState {
    pub(crate) fn new(piece: &Piece) -> PieceState {
        let none = NameKey::NONE;
        PieceState {
            sequencer: Sequencer::default(),
            level: piece.level_db,
            followed: None,
            line: (SectionIndex::new(0), 0),
            held: 0.0,
            held_by: none,
            ducked: 0.0,
            ducked_by: none,
            moved: 0.0,
        }
    }

    pub(crate) fn take_over(&mut self, old: &PieceState, old_piece: &Piece, piece: &Piece, frame: u64) {
        let followed = old.followed.and_then(|f| match f {
            None => Some(None),
            Some(section) => piece.section(old_piece.sections[section].key).map(Some),
        });
        self.sequencer.take_over(&old.sequencer, old_piece, piece, frame);
        let line = old_piece.sections.of(old.line.0).and_then(|s| piece.section(s.key)).map_or(self.line, |section| (section, old.line.1));
        *self = PieceState { sequencer: self.sequencer, followed, line, ..*old };
    }

    /// Whether it plays or is about to.
    pub(super) fn plays(&self) -> bool {
        self.sequencer.pass().is_some()
    }
}

/// A layer in the engine.
#[derive(Debug, Clone, Copy)]
pub(crate) struct LayerState {
    pub(crate) swell: Swell,
    /// Whether it is (or waits to be) in.
    pub(crate) on: bool,
    /// It waits for its moment since this frame.
    pub(crate) waits: Option<u64>,
}

impl Default for LayerState {
    fn default() -> Self {
        LayerState { swell: Swell::at_rest(1.0), on: true, waits: None }
    }
}

/// The term of a layer's fade, if it is not fully in.
pub(crate) fn layer_term(program: &Program, voice: &Voice, frame: u64) -> Option<Term> {
    let (cue, (swell, _)) = (voice.cue?, voice.swell?);
    let gain = swell.at(frame);
    let of = program.music.layers.get(cue.layer as usize).map_or(NameKey::NONE, |l| l.key);
    (gain != 1.0).then(|| Term { property: Property::Level, kind: TermKind::Layer, of, value: Decibels::of_gain(gain).0 })
}

impl Directing<'_> {
    /// Notes something asked of music, to be answered in this block.
    pub(crate) fn want(&mut self, frame: u64, what: Wanted, by: By) {
        if self.director.wanted.len() < MOST_WANTED {
            self.director.wanted.push(WantedAt { frame, what, by });
        } else {
            self.outlets.tell(frame, What::Notice(Notice::TooMuchWaits(by.reaction)));
        }
    }

    /// Answers an input for music.
    pub(crate) fn answer_of_music(&mut self, what: InputKind, frame: u64) {
        let program = self.program;
        let music = &program.music;
        let (key, wanted) = match what {
            InputKind::Go { piece, section, on } => {
                let found = music.find_piece.get(piece).and_then(|p| {
                    let to = if section.is_none() { Some(None) } else { music.pieces[p].section(section).map(Some) };
                    to.map(|to| Wanted::Go(p, to, on, None))
                });
                (piece, found)
            }
            InputKind::Jump { piece, section, bar } => {
                (piece, music.find_piece.get(piece).and_then(|p| music.pieces[p].section(section).map(|s| Wanted::Jump(p, s, bar))))
            }
            InputKind::Sting { stinger } => (stinger, music.find_stinger.get(stinger).map(|s| Wanted::Sting(s as u16, None))),
            InputKind::Switch { layer, on } => (layer, music.find_switch.get(layer).map(|s| Wanted::Switch(s as u32, on))),
            InputKind::List { list, on } => (list, music.find_playlist.get(list).map(|l| Wanted::List(l as u16, on))),
            _ => return,
        };
        match wanted {
            Some(wanted) => self.want(frame, wanted, By::default()),
            None => self.outlets.tell(frame, What::Notice(Notice::UnknownMusic(key))),
        }
    }

    /// All pieces come to rest at once; their voices are let go by whoever calls this.
    pub(crate) fn still_music(&mut self, frame: u64) {
        let program = self.program;
        self.director.wanted.clear();
        self.director.waiting.clear();
        for list in &mut self.state.playlists {
            (list.on, list.piece) = (false, None);
        }
        for (spec, piece) in program.music.pieces.iter().zip(&mut self.state.pieces) {
            if let Some(pass) = piece.sequencer.pass() {
                let before = spec.key_of(Some(pass.section));
                let what = What::Section { piece: spec.key, section: NameKey::NONE, before, bar: 0, cause: Arrival::Asked, by: NameKey::NONE };
                self.outlets.tell(frame, what);
            }
            piece.sequencer = piece.sequencer.stopped();
        }
    }

    /// All that music does in this block.
    pub(crate) fn play_music(&mut self) {
        let program = self.program;
        if program.music.pieces.is_empty() {
            self.director.wanted.clear();
            return;
        }
        self.follow_music();
        self.follow_lists();
        // By frame, those of one frame as they came: an insertion sort, since the library's stable one may allocate.
        for at in 1..self.director.wanted.len() {
            let mut here = at;
            while here > 0 && self.director.wanted[here - 1].frame > self.director.wanted[here].frame {
                self.director.wanted.swap(here - 1, here);
                here -= 1;
            }
        }
        for at in 0..self.director.wanted.len() {
            let wanted = self.director.wanted[at];
            match wanted.what {
                Wanted::List(list, on) => self.turn_list(list, on, wanted),
                Wanted::Switch(switch, on) => {
                    self.state.switches[switch as usize] = on;
                    self.outlets.tell(wanted.frame, What::Layer { layer: program.music.switches[switch as usize].key, on, by: wanted.by.reaction });
                }
                _ => {}
            }
        }
        self.sting_without_music();
        for piece in program.music.pieces.places() {
            self.play_piece(piece);
            self.close_rounds(piece);
        }
        self.director.wanted.clear();
        self.drop_stingers();
        for piece in program.music.pieces.places() {
            self.switch_layers(piece);
        }
        self.hold_down();
        self.duck();
    }

    /// Asks for what the states and parameters that pieces follow have come to.
    fn follow_music(&mut self) {
        let program = self.program;
        let state = &mut *self.state;
        for (index, piece) in program.music.pieces.with_places() {
            let Some(follows) = &piece.follows else { continue };
            let (frame, by) = match follows {
                Follows::State(at, _) => (state.changed[*at].max(self.frame), program.states[*at].key),
                Follows::Parameter(at, _) => (self.frame, program.parameters[*at].key),
            };
            let Some(section) = followed(follows, state).filter(|s| state.pieces[index].followed != Some(*s)) else { continue };
            let first = state.pieces[index].followed.is_none();
            state.pieces[index].followed = Some(section);
            // At rest, and asked to be (or to wait for someone else): nothing to say.
            let waits = piece.waits && !state.pieces[index].plays() && state.pieces[index].sequencer.waits().is_none();
            if first && section.is_none() || waits {
                continue;
            }
            if self.director.wanted.len() < MOST_WANTED {
                let by = By { reaction: by, emitter: NameKey::NONE };
                self.director.wanted.push(WantedAt { frame, what: Wanted::Go(index, section, None, None), by });
            }
        }
    }

    /// The section with which a piece begins: that which what it follows asks for, or its first.
    pub(crate) fn begins_with(&self, piece: PieceIndex) -> SectionIndex {
        let program = self.program;
        let spec = &program.music.pieces[piece];
        let asked = spec.follows.as_ref().and_then(|follows| followed(follows, &*self.state));
        asked.flatten().unwrap_or(spec.first)
    }

    fn play_piece(&mut self, index: PieceIndex) {
        let program = self.program;
        let piece = &program.music.pieces[index];
        let now = &self.state.pieces[index];
        let asked = self.director.wanted.iter().any(|w| match w.what {
            Wanted::Go(p, ..) | Wanted::Jump(p, ..) => p == index,
            Wanted::Sting(..) => true,
            _ => false,
        });
        if !asked && !now.plays() && now.sequencer.waits().is_none() {
            return;
        }
        self.glide_piece(piece, index);
        let mut sequencer = self.state.pieces[index].sequencer;
        let end = self.frame + BLOCK as u64;
        self.set_tempo(piece, &mut sequencer);
        for at in 0..self.director.wanted.len() {
            let WantedAt { frame, what, by } = self.director.wanted[at];
            let frame = frame.clamp(self.frame, end - 1);
            match what {
                Wanted::Go(p, to, leave, rise) if p == index => {
                    self.run(index, &mut sequencer, frame);
                    let ask = Ask { leave, rise, ..Sequencer::want(to, by.reaction, frame) };
                    let answer = sequencer.ask(piece, ask);
                    let before = match answer {
                        Answer::Replaces(before) | Answer::Cancels(before) => piece.key_of(before),
                        _ => NameKey::NONE,
                    };
                    let leaves = sequencer.leaves(piece);
                    self.outlets.tell(frame, What::Asked { piece: piece.key, to: piece.key_of(to), answer, before, leaves, by: by.reaction });
                }
                Wanted::Jump(p, section, bar) if p == index => {
                    self.run(index, &mut sequencer, frame);
                    let at = piece.sections[section].map.bar_start(bar);
                    let mut happens = std::mem::take(&mut self.director.happens);
                    sequencer.jump(piece, program.rate, section, at, frame, &mut |what| push(&mut happens, what));
                    self.take_happens(index, &mut happens);
                    self.director.happens = happens;
                }
                Wanted::Sting(stinger, on) if self.clock_of(stinger) == Some(index) => {
                    self.run(index, &mut sequencer, frame);
                    self.state.pieces[index].sequencer = sequencer;
                    self.ask_sting(stinger, on, Some(index), frame, by);
                    // Should this piece end in this block, no other is asked for it.
                    self.director.wanted[at].what = Wanted::Answered;
                }
                _ => {}
            }
        }
        self.run(index, &mut sequencer, end);
        self.state.pieces[index].sequencer = sequencer;
    }

    /// Lets a sequencer go on to a frame, and does what happens until then.
    fn run(&mut self, index: PieceIndex, sequencer: &mut Sequencer, until: u64) {
        let program = self.program;
        let piece = &program.music.pieces[index];
        let mut happens = std::mem::take(&mut self.director.happens);
        sequencer.advance(piece, program.rate, until, &mut |what| push(&mut happens, what));
        self.take_happens(index, &mut happens);
        self.director.happens = happens;
    }

    fn take_happens(&mut self, index: PieceIndex, happens: &mut Vec<Happens>) {
        for what in happens.drain(..) {
            self.happen(index, what);
        }
    }

    fn glide_piece(&mut self, piece: &Piece, index: PieceIndex) {
        let share = self.state.glide;
        let now = &mut self.state.pieces[index];
        now.level = if !now.plays() || (now.level - piece.level_db).abs() < 0.005 { piece.level_db } else { now.level + (piece.level_db - now.level) * share };
    }

    /// Quarter notes in a second of the piece that sounds and began first in the file; 0 if none does. Looked up every eighth block, as
    /// fractions are not cheap and echoes glide to a new tempo anyway.
    pub(crate) fn tempo_now(&mut self) -> f32 {
        let program = self.program;
        if !program.mix.wants_tempo {
            return 0.0;
        }
        if (self.frame / BLOCK as u64).is_multiple_of(8) {
            let mut pieces = program.music.pieces.iter().zip(&self.state.pieces);
            self.director.tempo = pieces.find_map(|(spec, now)| now.sequencer.quarters_a_second(spec, self.frame, program.rate)).unwrap_or(0.0);
        }
        self.director.tempo
    }

    /// The tempo as parameters move it, in steps of a hundredth of a percent.
    fn set_tempo(&mut self, piece: &Piece, sequencer: &mut Sequencer) {
        let program = self.program;
        if piece.tempo.is_empty() {
            return;
        }
        let moved: f32 = piece.tempo.iter().map(|m| self.state.modulation(program, *m as usize, NOWHERE)).product();
        let steps = (f64::from(moved.clamp(0.25, 4.0)) * 10_000.0).round() as i128;
        sequencer.set_factor(Frames::new(steps, 10_000));
        if piece.step == Step::Gliding && self.frame.is_multiple_of(BLOCK as u64 * 8) {
            sequencer.take_factor(piece, self.frame);
        }
    }

    fn happen(&mut self, index: PieceIndex, what: Happens) {
        let program = self.program;
        let piece = &program.music.pieces[index];
        match what {
            Happens::Begin(pass) => {
                self.begin(index, &pass);
                self.begin_notes(index, &pass);
            }
            Happens::Fall(pass) => self.fall(index, &pass),
            Happens::Enter { section, before, frame, from, cause, by, .. } => {
                if cause != Arrival::Round {
                    let (bar, ..) = piece.sections[section].map.bar_beat(from);
                    let key = |s| piece.key_of(s);
                    let what = What::Section { piece: piece.key, section: key(Some(section)), before: key(before), bar, cause, by };
                    self.outlets.tell(frame, what);
                }
            }
            Happens::Silence { before, frame, by } => {
                let before = piece.key_of(before);
                self.outlets.tell(frame, What::Section { piece: piece.key, section: NameKey::NONE, before, bar: 0, cause: Arrival::Follows, by });
            }
            Happens::Point { point, section, frame } => self.reach(index, section, point, frame),
        }
    }

    /// Begins the layers of a pass on their frame.
    fn begin(&mut self, index: PieceIndex, &PassBegins { number: pass, section, frame, skip, rise, round, .. }: &PassBegins) {
        let program = self.program;
        let piece = &program.music.pieces[index];
        for layer in &piece.sections[section].layers {
            let spec = &program.music.layers[*layer as usize];
            if !round {
                // A section that begins has its layers as they should be from its first sample on.
                let on = self.layer_wanted(*layer);
                self.state.layers[*layer as usize] = LayerState { swell: Swell::at_rest(if on { 1.0 } else { 0.0 }), on, waits: None };
            }
            let rise = if round && spec.round { (HAND_OVER, Shape::Straight) } else { rise };
            let cue = Cue { piece: index, layer: *layer, pass };
            self.begin_layer(spec.sound, frame, Begin { cue, skip, rise });
        }
    }

    /// After an edit, or when a file has been loaded: layers of a section that plays which had no audio until now join it where it is.
    pub(crate) fn join_layers(&mut self, old: &Program) {
        let program = self.program;
        let rise = (u64::from(program.rate) / 50, Shape::Straight);
        for (index, piece) in program.music.pieces.with_places() {
            let Some(pass) = self.state.pieces[index].sequencer.pass().copied() else { continue };
            let section = &piece.sections[pass.section];
            let begun = pass.line.moment(section, -section.pick_up);
            let skip = nearest((Frames::from_integer(i128::from(self.frame)) - begun).max(Frames::from_integer(0)));
            for layer in &section.layers {
                let spec = &program.music.layers[*layer as usize];
                let playable = |sound: &crate::program::Sound| sound.groups.iter().any(|g| !g.takes.is_empty());
                let earlier = old.find_sound.get(program.sounds[spec.sound].key).map(|s| &old.sounds[s]);
                if !playable(&program.sounds[spec.sound]) || earlier.is_some_and(playable) || spec.notes.is_some() || skip == 0 {
                    continue;
                }
                let on = self.layer_wanted(*layer);
                self.state.layers[*layer as usize] = LayerState { swell: Swell::at_rest(if on { 1.0 } else { 0.0 }), on, waits: None };
                let cue = Cue { piece: index, layer: *layer, pass: pass.number };
                self.begin_layer(spec.sound, self.frame, Begin { cue, skip, rise });
            }
        }
    }

    fn begin_layer(&mut self, sound: SoundIndex, frame: u64, begin: Begin) {
        let program = self.program;
        let offset = frame.saturating_sub(self.frame);
        if program.sounds[sound].groups[0].takes.is_empty() {
            return;
        }
        self.director.next_instance += 1;
        let mut route = Route { depth: 1, ..Route::START };
        (route.path[0], route.instances[0]) = (sound, self.director.next_instance);
        super::glide_sound(program, &mut *self.state, sound, self.frame / BLOCK as u64);
        let by = By::default();
        if let Err(reason) = self.play_take(route, (0, 0), offset, Body { by, length: 0, cue: Some(begin) }) {
            self.outlets.tell(frame, What::Refused { sound: program.sounds[sound].key, emitter: NameKey::NONE, reason, by: NameKey::NONE });
        }
    }

    /// Lets the layers of a pass fall, or ring.
    fn fall(&mut self, index: PieceIndex, &PassFalls { number: pass, frame, after, over, round }: &PassFalls) {
        let program = self.program;
        let offset = frame.saturating_sub(self.frame);
        let bands = &mut self.mixer.bands;
        self.mixer.voices.each(|voice| {
            let Some(cue) = voice.cue.filter(|c| c.piece == index && c.pass == pass) else { return };
            if let Some(band) = voice.band
                && !round
            {
                let until = frame + over.map_or(0, |(frames, _)| after + frames);
                bands[usize::from(band)].leave(until);
                if over.is_none() {
                    return;
                }
            }
            if voice.leaving != Leaving::No || voice.frozen.is_some() {
                return;
            }
            let whole = program.music.layers.get(cue.layer as usize).is_some_and(|l| l.round);
            match over {
                _ if round && whole => voice.leave(Cause::Done, offset, HAND_OVER),
                // Asked for in the very last moment, when the next round had begun already: what there is of it fades.
                None if whole && voice.source.wrapped => voice.leave(Cause::Left, offset, HAND_OVER),
                None if whole => voice.source.finishing = true,
                _ if round => {}
                None => {}
                Some((frames, curve)) => {
                    voice.envelope.let_go_in((offset + after).saturating_sub(voice.wait), frames, curve);
                    voice.leave(Cause::Left, offset + after, frames);
                }
            }
        });
        for repeater in &mut self.director.repeaters {
            let whose = program.sounds.of(repeater.route.path[0]).and_then(|s| s.layer);
            repeater.done |= whose.is_some_and(|l| l.piece == index);
        }
    }

    /// A recording as long as its section goes on into the next round only where the section goes round.
    fn close_rounds(&mut self, index: PieceIndex) {
        let program = self.program;
        let piece = &program.music.pieces[index];
        let sequencer = &self.state.pieces[index].sequencer;
        let Some((pass, section)) = sequencer.pass().map(|p| (p.number, p.section)) else { return };
        let layers = &program.music.layers;
        if !piece.sections[section].layers.iter().any(|l| layers[*l as usize].round) {
            return;
        }
        let mut round = None;
        self.mixer.voices.each(|voice| {
            let Some(cue) = voice.cue.filter(|c| c.piece == index && c.pass == pass) else { return };
            let Some(recipe) = voice.recipe.as_ref().filter(|_| voice.frozen.is_none()) else { return };
            if program.music.layers.get(cue.layer as usize).is_some_and(|l| l.round) && voice.source.left(recipe) <= NEAR_END {
                voice.source.finishing = !*round.get_or_insert_with(|| sequencer.goes_round(piece));
            }
        });
    }

    /// Takes how far the notes of a piece are moved now, and the chords that a section is played over.
    pub(super) fn take_harmony(&mut self, index: PieceIndex, section: SectionIndex) {
        let moved = transposition(self.program, self.state, index);
        let line = self.line_of(&self.program.music.pieces[index].sections[section]);
        let piece = &mut self.state.pieces[index];
        (piece.moved, piece.line) = (moved, (section, line));
    }

    /// The line of a section's chords that its state asks for now.
    pub(super) fn line_of(&self, section: &Section) -> u16 {
        section.lines.as_ref().and_then(|l| l.of.get(usize::from(*self.state.states.get(l.state)?)).copied()).unwrap_or(0)
    }

    /// A beat or marker is reached: stingers and layers that wait for it begin.
    fn reach(&mut self, index: PieceIndex, section: SectionIndex, point: Point, frame: u64) {
        let program = self.program;
        let spec = &program.music.pieces[index].sections[section];
        let step = match program.music.pieces[index].step {
            Step::Beat => point.on_beat,
            Step::Bar => point.on_bar,
            Step::Gliding => false,
        };
        if step {
            self.take_harmony(index, section);
        }
        if self.director.rehearsed.metronome && point.on_beat {
            self.director.beat = Some((frame, point.on_bar));
        }
        for at in 0..spec.layers.len() {
            let layer = spec.layers[at];
            let due = self.state.layers[layer as usize].waits.is_some_and(|since| since <= frame);
            if due && spec.is(program.music.layers[layer as usize].on, &point) {
                self.fade_layer(layer, frame);
            }
        }
        let mut at = 0;
        while let Some(waiting) = self.director.waiting.get(at).copied() {
            if waiting.piece == index && waiting.asked <= frame && spec.is(waiting.on, &point) {
                self.director.waiting.remove(at);
                self.sting(waiting.stinger, Some((index, section, point)), frame, waiting.by);
            } else {
                at += 1;
            }
        }
    }

    /// Whether a layer should be in.
    fn layer_wanted(&self, layer: u32) -> bool {
        let program = self.program;
        let spec = &program.music.layers[layer as usize];
        let at = self.frame + BLOCK as u64 - 1;
        self.state.switches[spec.switch as usize] && spec.when.iter().all(|t| holds(program, &*self.state, *t, NOWHERE, at))
    }

    /// Looks whether layers of what plays should come in or go out.
    fn switch_layers(&mut self, index: PieceIndex) {
        let program = self.program;
        let piece = &program.music.pieces[index];
        let Some(section) = self.state.pieces[index].sequencer.pass().map(|p| p.section) else { return };
        for at in 0..piece.sections[section].layers.len() {
            let layer = piece.sections[section].layers[at];
            let wanted = self.layer_wanted(layer);
            let now = &mut self.state.layers[layer as usize];
            if now.on == wanted {
                continue;
            }
            now.on = wanted;
            // Wanted back before its moment came: nothing to wait for.
            if now.swell.target() == if wanted { 1.0 } else { 0.0 } {
                now.waits = None;
                continue;
            }
            now.waits = Some(self.frame);
            if program.music.layers[layer as usize].on == When::AtOnce {
                self.fade_layer(layer, self.frame);
            }
        }
    }

    /// Fades a layer to where it should be, from a frame on.
    fn fade_layer(&mut self, layer: u32, frame: u64) {
        let program = self.program;
        let spec = &program.music.layers[layer as usize];
        let section = &program.music.pieces[spec.piece].sections[spec.section];
        let sequencer = &self.state.pieces[spec.piece].sequencer;
        let at = sequencer.pass().map_or(Default::default(), |p| narrow(p.line.position(section, frames(frame))));
        let length = section.long(spec.fade.over, at.max(Default::default())).max(u64::from(program.rate) / 200);
        let now = &mut self.state.layers[layer as usize];
        (now.swell, now.waits) = (now.swell.towards(if now.on { 1.0 } else { 0.0 }, frame, length, spec.fade.curve), None);
        if now.on {
            self.wake_layer(layer);
        }
    }

    /// Voices of a layer that comes in must not sleep through its first beat.
    fn wake_layer(&mut self, layer: u32) {
        self.mixer.wake(self.frame, self.program.rate, |voice| voice.cue.is_some_and(|c| c.layer == layer));
    }

    /// Lets pieces hold each other down, while they play.
    fn hold_down(&mut self) {
        let program = self.program;
        for piece in program.music.pieces.places() {
            let mut deepest: Option<(f32, f32, NameKey)> = None;
            let mut release = 1.0;
            for (other, spec) in program.music.pieces.with_places() {
                let Some(hold) = spec.holds.iter().find(|h| h.piece == piece) else { continue };
                if self.state.pieces[piece].held_by == spec.key {
                    release = hold.release_per_block;
                }
                if self.state.pieces[other].plays() && deepest.is_none_or(|(d, ..)| hold.by_db < d) {
                    deepest = Some((hold.by_db, hold.attack_per_block, spec.key));
                }
            }
            let now = &mut self.state.pieces[piece];
            let (target, share) = deepest.map_or((0.0, release), |(by, attack, _)| (by, attack));
            now.held_by = deepest.map_or(now.held_by, |(.., key)| key);
            approach(&mut now.held, target, share);
        }
    }
}

/// How far the notes of a piece are moved, in semitones.
pub(crate) fn transposition(program: &Program, state: &Memory, piece: PieceIndex) -> f32 {
    program.music.pieces[piece].transposition.iter().map(|m| state.modulation(program, *m as usize, NOWHERE)).sum()
}

/// What the present state or parameter asks for: nothing said, silence, or a section.
fn followed(follows: &Follows, state: &Memory) -> Option<Option<SectionIndex>> {
    match follows {
        Follows::State(at, list) => list.get(usize::from(state.states[*at])).copied().flatten(),
        Follows::Parameter(at, ranges) => {
            let value = state.parameters[*at].smooth;
            ranges.iter().find(|((low, high), _)| value >= *low && value <= *high).map(|(_, section)| *section)
        }
    }
}

fn push(happens: &mut Vec<Happens>, what: Happens) {
    if happens.len() < happens.capacity() {
        happens.push(what);
    }
}

pub(super) fn approach(now: &mut f32, target: f32, share: f32) {
    *now += (target - *now) * share;
    if (*now - target).abs() < 0.01 {
        *now = target;
    }
}
