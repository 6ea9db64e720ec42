//! What the director remembers of one program: made aside with it, filled from the one before when it takes over.

use super::{By, LayerState, PieceState, Places, PlaylistState, StingerState};
use crate::dsp::block_coefficient;
use crate::ground::index::{ByIndex, EventIndex, PieceIndex, ReactionIndex, SoundIndex};
use crate::ground::property::{PerProperty, Property};
use crate::ground::random::Stream;
use crate::ground::telemetry::Reason;
use crate::ground::test::Test;
use crate::ground::time::BLOCK;
use crate::ground::units::Decibels;
use crate::ground::vocabulary::{MOST_NTH, Urgency};
use crate::mixer::voice::NOWHERE;
use crate::program::{Choice, Group, Parameter, PickOrder, Program};
use crate::world::emitters::MOST_EMITTERS;

/// A parameter in motion.
#[derive(Debug, Clone, Copy)]
pub(crate) struct ParameterState {
    /// Where it is, or where a glide began.
    value: f32,
    to: f32,
    begin: u64,
    end: u64,
    pub(crate) smooth: f32,
    /// The value that reactions have seen last.
    pub(crate) watched: f32,
    /// The value that the rehearsal holds a worked-out parameter at.
    pub(crate) held: Option<f32>,
    /// Whether it has been said that its formula gives no number just now.
    pub(crate) faulty: bool,
    /// What a measured rate was worked out from last.
    pub(crate) rate_from: Option<f32>,
}

impl ParameterState {
    pub(crate) fn at_rest(rest: f32) -> Self {
        ParameterState { value: rest, to: rest, begin: 0, end: 0, smooth: rest, watched: rest, held: None, faulty: false, rate_from: None }
    }

    fn clamp(&mut self, low: f32, high: f32) {
        for value in [&mut self.value, &mut self.to, &mut self.smooth, &mut self.watched] {
            *value = value.clamp(low, high);
        }
    }

    /// Without smoothing it is there at once, so that what starts on the same frame has it.
    pub(crate) fn jump(&mut self, parameter: &Parameter, frame: u64) {
        let value = self.at(frame);
        if (if value > self.smooth { parameter.rise_per_block } else { parameter.fall_per_block }) >= 1.0 {
            self.smooth = value;
        }
    }

    /// Follows its value through a block that begins at `frame`.
    pub(crate) fn follow(&mut self, parameter: &Parameter, frame: u64) {
        let value = self.at(frame);
        if value != self.smooth {
            let share = if value > self.smooth { parameter.rise_per_block } else { parameter.fall_per_block };
            self.smooth += (value - self.smooth) * share;
            // Close enough is there: otherwise the last bit of the way would take for ever.
            if (value - self.smooth).abs() < (parameter.high - parameter.low).min(1e4) * 1e-6 {
                self.smooth = value;
            }
        }
        self.settle(frame);
    }

    /// Goes towards a value that changes from block to block, by its rise and fall: that is its value then.
    pub(crate) fn set_followed(&mut self, value: f32, parameter: &Parameter) {
        self.smooth = self.to;
        self.set(value);
        self.follow(parameter, 0);
        self.set(self.smooth);
    }

    pub(crate) fn set(&mut self, value: f32) {
        (self.value, self.to, self.begin, self.end) = (value, value, 0, 0);
    }

    pub(crate) fn glide(&mut self, from: f32, to: f32, begin: u64, frames: u64) {
        (self.value, self.to, self.begin, self.end) = (from, to, begin, begin + frames);
        if frames == 0 {
            self.set(to);
        }
    }

    pub(crate) fn gliding(&self) -> bool {
        self.end > self.begin
    }

    /// The value at a frame.
    pub(crate) fn at(&self, frame: u64) -> f32 {
        if frame >= self.end {
            self.to
        } else if frame <= self.begin {
            self.value
        } else {
            let share = (frame - self.begin) as f64 / (self.end - self.begin) as f64;
            self.value + (self.to - self.value) * share as f32
        }
    }

    pub(crate) fn settle(&mut self, frame: u64) {
        if self.gliding() && frame >= self.end {
            self.set(self.to);
        }
    }
}

/// The last takes picked from a group.
#[derive(Debug, Clone)]
pub(crate) struct PickMemory {
    takes: usize,
    recent: Vec<u16>,
    next: usize,
}

impl PickMemory {
    fn new(group: &Group) -> Self {
        PickMemory { takes: group.takes.len(), recent: Vec::with_capacity(group.not_last), next: 0 }
    }

    /// Picks one of the group's takes that is not among the last.
    pub(crate) fn pick(&mut self, group: &Group, stream: &mut Stream) -> usize {
        let takes = &group.takes;
        if group.order == PickOrder::Cycle {
            let chosen = self.next % takes.len().max(1);
            self.next = chosen + 1;
            return chosen;
        }
        let weight = |at: usize| if group.order == PickOrder::Weighted { takes[at].weight } else { 1.0 };
        let free = |at: usize, recent: &Vec<u16>| !recent.contains(&(at as u16)) && weight(at) > 0.0;
        let mut chosen = 0;
        if group.order == PickOrder::Weighted {
            let total: f32 = (0..takes.len()).filter(|at| free(*at, &self.recent)).map(weight).sum();
            let mut left = stream.unit() * total;
            for at in (0..takes.len()).filter(|at| free(*at, &self.recent)) {
                chosen = at;
                left -= weight(at);
                if left < 0.0 {
                    break;
                }
            }
        } else {
            let count = (0..takes.len()).filter(|at| free(*at, &self.recent)).count();
            let nth = stream.below(count.max(1));
            chosen = (0..takes.len()).filter(|at| free(*at, &self.recent)).nth(nth).unwrap_or(0);
        }
        if self.recent.len() < self.recent.capacity().min(group.not_last) {
            self.recent.push(chosen as u16);
        } else if let Some(oldest) = self.recent.get_mut(self.next) {
            *oldest = chosen as u16;
            self.next = (self.next + 1) % self.recent.len();
        }
        chosen
    }
}

#[derive(Debug, Clone)]
pub(crate) struct SoundState {
    /// What the sound is set to, gliding after edits.
    pub(crate) set: PerProperty<f32>,
    /// The block in which it last glided; a sound that did not sound meanwhile jumps.
    pub(crate) block: u64,
    pub(crate) picks: Vec<PickMemory>,
    pub(crate) pick: Stream,
    pub(crate) vary: Stream,
    pub(crate) chance: Stream,
    /// When it last began.
    pub(crate) began: Option<u64>,
    /// Rehearsal only.
    pub(crate) muted: bool,
    pub(crate) soloed: bool,
}

/// A line that waits to be said.
#[derive(Debug, Clone, Copy)]
pub(crate) struct QueuedLine {
    pub(crate) sound: SoundIndex,
    pub(crate) by: By,
    pub(crate) asked: u64,
    pub(crate) urgency: Urgency,
    /// The value of the state that the sound is picked by, when it was asked for.
    pub(crate) value: u16,
}

/// The most lines that wait for one speaker.
pub(crate) const MOST_LINES: usize = 16;

/// One who speaks lines.
#[derive(Debug, Clone)]
pub(crate) struct Speaker {
    pub(crate) queue: Vec<QueuedLine>,
    /// The playing that is being said; 0 if none.
    pub(crate) speaking: u64,
    /// The sound of that playing.
    pub(crate) sound: SoundIndex,
    /// The next line is not said before this frame.
    pub(crate) free: u64,
    pub(crate) gap: Stream,
}

/// The last calls that a counter has counted.
#[derive(Debug, Clone)]
pub(crate) struct Counter {
    pub(crate) times: [u64; MOST_NTH as usize],
    pub(crate) count: u32,
}

#[derive(Debug, Clone)]
pub(crate) struct ReactionState {
    pub(crate) chance: Stream,
    /// It has acted and waits for its `once until`.
    pub(crate) spent: bool,
    /// When its change will have lasted long enough, and whose it is.
    pub(crate) due: u64,
    pub(crate) by: By,
    /// Of a clock: the frame of its last beat, or on which it began; `u64::MAX` while it stands.
    pub(crate) beat: u64,
    /// Where its next interval lies between its ends, 0 to 1.
    pub(crate) drawn: f32,
}

/// All memory of a program.
#[derive(Debug)]
pub(crate) struct Memory {
    pub(crate) parameters: Vec<ParameterState>,
    /// Those that every emitter has by itself: for each emitter's place, all of them.
    pub(crate) locals: Vec<ParameterState>,
    pub(crate) states: Vec<u16>,
    pub(crate) modulations: Vec<f32>,
    pub(crate) sounds: ByIndex<SoundIndex, SoundState>,
    pub(crate) pieces: ByIndex<PieceIndex, PieceState>,
    pub(crate) layers: Vec<LayerState>,
    /// Whether each switch of layers is in.
    pub(crate) switches: Vec<bool>,
    pub(crate) stingers: Vec<StingerState>,
    pub(crate) playlists: Vec<PlaylistState>,
    /// When each state last changed.
    pub(crate) changed: Vec<u64>,
    pub(crate) reactions: ByIndex<ReactionIndex, ReactionState>,
    /// How often each condition was asked for and failed, and held: those of the first reaction, then those of the next.
    pub(crate) weighed: Vec<[u32; 2]>,
    /// Where those of each reaction begin.
    pub(crate) weighed_from: ByIndex<ReactionIndex, u32>,
    /// Reactions whose change has to last.
    pub(crate) holding: Vec<ReactionIndex>,
    pub(crate) counters: Vec<Counter>,
    pub(crate) rates: Vec<Option<f32>>,
    pub(crate) speakers: Vec<Speaker>,
    /// When each event last came.
    pub(crate) events: ByIndex<EventIndex, Option<u64>>,
    /// Zones, rooms, what plays by itself.
    pub(crate) places: Places,
    /// Share of the way that levels go in a block after an edit.
    pub(crate) glide: f32,
    /// How many voices each sound has at most, in the block that was counted.
    pub(crate) counts: ByIndex<SoundIndex, u32>,
    /// Of all random draws.
    pub(crate) seed: u64,
}

impl Memory {
    /// What belongs to an emitter, for what stays where it was.
    pub(crate) fn stay(&mut self, locals: usize, at: usize, place: usize) {
        self.locals.copy_within(at * locals..(at + 1) * locals, place * locals);
    }

    /// The value of a parameter, followed: that of an emitter if every one has its own.
    pub(crate) fn smooth(&self, program: &Program, parameter: usize, place: u16) -> f32 {
        match program.parameters[parameter].local {
            None => self.parameters[parameter].smooth,
            Some(local) => self.local(program, local, place).map_or(program.parameters[parameter].rest, |p| p.smooth),
        }
    }

    /// The value of a parameter as it is at a frame.
    pub(crate) fn value(&self, program: &Program, parameter: usize, place: u16, frame: u64) -> f32 {
        match program.parameters[parameter].local {
            None => self.parameters[parameter].at(frame),
            Some(local) => self.local(program, local, place).map_or(program.parameters[parameter].rest, |p| p.at(frame)),
        }
    }

    fn local(&self, program: &Program, local: u16, place: u16) -> Option<&ParameterState> {
        if place == NOWHERE { None } else { self.locals.get(usize::from(place) * program.locals + usize::from(local)) }
    }

    /// The sum of what a sound's modulations of one property come to.
    pub(crate) fn asked(&self, program: &Program, sound: SoundIndex, property: Property, place: u16) -> f32 {
        let mut sum = 0.0;
        for index in &program.sounds[sound].asked {
            let modulation = &program.modulations[*index as usize];
            if modulation.property == property {
                sum += self.modulation(program, *index as usize, place);
            }
        }
        sum
    }

    /// What a modulation comes to for an emitter.
    pub(crate) fn modulation(&self, program: &Program, index: usize, place: u16) -> f32 {
        let modulation = &program.modulations[index];
        if modulation.local || modulation.smooth_per_block >= 1.0 {
            modulation.curve.at(self.smooth(program, modulation.parameter, place))
        } else {
            self.modulations[index]
        }
    }
}

/// Edits of a level are followed to 90 % in this time.
const EDIT_GLIDE: f64 = 0.03;

impl Memory {
    /// Makes the memory of a program; all that allocates happens here, aside.
    pub(crate) fn new(program: &Program, seed: u64) -> Memory {
        Memory {
            parameters: program.parameters.iter().map(|p| ParameterState::at_rest(p.rest)).collect(),
            locals: locals(program),
            states: program.states.iter().map(|s| s.start).collect(),
            modulations: program.modulations.iter().map(|m| m.curve.at(program.parameters[m.parameter].rest)).collect(),
            sounds: program
                .sounds
                .iter()
                .map(|s| SoundState {
                    set: s.set,
                    block: 0,
                    picks: s.groups.iter().map(PickMemory::new).collect(),
                    pick: Stream::new(seed, s.key, 1),
                    vary: Stream::new(seed, s.key, 2),
                    chance: Stream::new(seed, s.key, 4),
                    began: None,
                    muted: false,
                    soloed: false,
                })
                .collect(),
            pieces: program.music.pieces.iter().map(PieceState::new).collect(),
            layers: program.music.layers.iter().map(|_| LayerState::default()).collect(),
            switches: program.music.switches.iter().map(|s| s.on).collect(),
            stingers: program.music.stingers.iter().map(|_| StingerState::default()).collect(),
            playlists: program.music.lists.iter().map(|p| PlaylistState::new(p, seed)).collect(),
            changed: vec![0; program.states.len()],
            reactions: program
                .reactions
                .iter()
                .map(|r| ReactionState { chance: Stream::new(seed, r.key, 3), spent: false, due: u64::MAX, by: By::default(), beat: u64::MAX, drawn: 0.0 })
                .collect(),
            weighed: vec![[0; 2]; program.reactions.iter().map(|r| r.conditions.len()).sum()],
            weighed_from: program.reactions.iter().scan(0, |next, r| Some(std::mem::replace(next, *next + r.conditions.len() as u32))).collect(),
            holding: Vec::with_capacity(program.reactions.iter().filter(|r| r.hold > 0).count()),
            counters: vec![Counter { times: [0; MOST_NTH as usize], count: 0 }; program.counters],
            rates: vec![None; program.rates],
            speakers: program
                .speakers
                .iter()
                .map(|key| Speaker { queue: Vec::with_capacity(MOST_LINES), speaking: 0, sound: SoundIndex::new(0), free: 0, gap: Stream::new(seed, *key, 5) })
                .collect(),
            events: vec![None; program.events.len()].into(),
            places: Places::new(program, seed),
            glide: block_coefficient(EDIT_GLIDE, BLOCK, program.rate),
            counts: vec![0; program.sounds.len()].into(),
            seed,
        }
    }

    /// Takes over what `old` remembers of things that are still there. Does not allocate.
    pub(crate) fn take_over(&mut self, old: &mut Memory, (new_program, old_program): (&Program, &Program), frame: u64, emitters: usize) {
        self.take_over_music(old, (new_program, old_program), frame);
        for (at, parameter) in new_program.parameters.iter().enumerate() {
            if let Some(before) = old_program.find_parameter.get(parameter.key) {
                let mut kept = old.parameters[before];
                kept.clamp(parameter.low, parameter.high);
                self.parameters[at] = kept;
                if let (Some(new), Some(earlier)) = (parameter.local, old_program.parameters[before].local) {
                    for place in 0..emitters.min(MOST_EMITTERS) {
                        let mut kept = old.locals[place * old_program.locals + usize::from(earlier)];
                        kept.clamp(parameter.low, parameter.high);
                        self.locals[place * new_program.locals + usize::from(new)] = kept;
                    }
                }
            }
        }
        for (at, state) in new_program.states.iter().enumerate() {
            if let Some(before) = old_program.find_state.get(state.key) {
                let value = old_program.states[before].values[usize::from(old.states[before])];
                self.changed[at] = old.changed[before];
                if let Some(kept) = state.values.iter().position(|v| *v == value) {
                    self.states[at] = kept as u16;
                }
            }
        }
        for (at, modulation) in new_program.modulations.iter().enumerate() {
            self.modulations[at] = match old_program.find_modulation.get(modulation.key) {
                Some(before) => old.modulations[before],
                None => modulation.curve.at(self.parameters[modulation.parameter].smooth),
            };
        }
        for (at, sound) in new_program.sounds.with_places() {
            let Some(before) = old_program.find_sound.get(sound.key) else { continue };
            let (kept, fresh) = (&mut old.sounds[before], &mut self.sounds[at]);
            (fresh.set, fresh.block) = (kept.set, kept.block);
            (fresh.began, fresh.muted, fresh.soloed) = (kept.began, kept.muted, kept.soloed);
            std::mem::swap(&mut fresh.chance, &mut kept.chance);
            std::mem::swap(&mut fresh.pick, &mut kept.pick);
            std::mem::swap(&mut fresh.vary, &mut kept.vary);
            for (new, old) in fresh.picks.iter_mut().zip(&mut kept.picks) {
                if new.takes == old.takes && new.recent.capacity() == old.recent.capacity() {
                    std::mem::swap(new, old);
                }
            }
        }
        self.places.take_over(&old.places, new_program, old_program);
        for (at, reaction) in new_program.reactions.with_places() {
            let Some(before) = old_program.find_reaction.get(reaction.key) else { continue };
            let kept = old.reactions[before].clone();
            if kept.due != u64::MAX && reaction.hold > 0 && !reaction.off {
                self.holding.push(at);
            }
            self.reactions[at] = kept;
            if let (Some(new), Some(earlier)) = (reaction.nth, old_program.reactions[before].nth) {
                self.counters[new.counter as usize] = old.counters[earlier.counter as usize].clone();
            }
        }
        for (at, event) in new_program.events.with_places() {
            if let Some(before) = old_program.find_event.get(event.key) {
                self.events[at] = old.events[before];
            }
        }
        for (at, speaker) in new_program.speakers.iter().enumerate() {
            let Some(before) = old_program.speakers.iter().position(|s| s == speaker) else { continue };
            let (kept, fresh) = (&mut old.speakers[before], &mut self.speakers[at]);
            let sound = |index: SoundIndex| new_program.find_sound.get(old_program.sounds[index].key).filter(|s| new_program.sounds[*s].lines.is_some());
            for line in &kept.queue {
                if let Some(sound) = sound(line.sound) {
                    fresh.queue.push(QueuedLine { sound, ..*line });
                }
            }
            (fresh.speaking, fresh.free) = (kept.speaking, kept.free);
            fresh.sound = Some(kept.sound).filter(|_| kept.speaking != 0).and_then(sound).unwrap_or(SoundIndex::new(0));
            std::mem::swap(&mut fresh.gap, &mut kept.gap);
        }
    }
}

impl Memory {
    /// Music keeps its place, its switches and what waits.
    fn take_over_music(&mut self, old: &mut Memory, (new, before): (&Program, &Program), frame: u64) {
        for (at, piece) in new.music.pieces.with_places() {
            if let Some(earlier) = before.music.find_piece.get(piece.key) {
                self.pieces[at].take_over(&old.pieces[earlier], &before.music.pieces[earlier], piece, frame);
            }
        }
        for (at, layer) in new.music.layers.iter().enumerate() {
            let earlier = before.find_sound.get(new.sounds[layer.sound].key).and_then(|s| before.sounds[s].layer);
            if let Some(earlier) = earlier {
                self.layers[at] = old.layers[earlier.layer as usize];
            }
        }
        for (at, switch) in new.music.switches.iter().enumerate() {
            if let Some(earlier) = before.music.find_switch.get(switch.key).filter(|e| before.music.switches[*e].on == switch.on) {
                self.switches[at] = old.switches[earlier];
            }
        }
        let piece = |p: PieceIndex| new.music.find_piece.get(before.music.pieces[p].key);
        for (at, stinger) in new.music.stingers.iter().enumerate() {
            if let Some(earlier) = before.music.find_stinger.get(stinger.key) {
                self.stingers[at] = old.stingers[earlier].moved(piece);
            }
        }
        for (at, list) in new.music.lists.iter().enumerate() {
            if let Some(earlier) = before.music.find_playlist.get(list.key) {
                self.playlists[at].take_over(&mut old.playlists[earlier], piece);
            }
        }
    }
}

fn locals(program: &Program) -> Vec<ParameterState> {
    let mut rests: Vec<ParameterState> = vec![ParameterState::at_rest(0.0); program.locals];
    for parameter in &program.parameters {
        if let Some(local) = parameter.local {
            rests[usize::from(local)] = ParameterState::at_rest(parameter.rest);
        }
    }
    rests.repeat(MOST_EMITTERS)
}

/// Whether a test holds at a frame, for an emitter.
pub(crate) fn holds(program: &Program, state: &Memory, test: Test, place: u16, frame: u64) -> bool {
    match (test, test.parameter()) {
        (Test::State(index, value, is), _) => (state.states[index] == value) == is,
        (_, Some(parameter)) => test.passes(state.value(program, parameter, place, frame)),
        _ => false,
    }
}

/// The group of takes that a sound's choice comes to for an emitter, or the state or parameter for which it has none.
pub(crate) fn chosen_group(program: &Program, state: &Memory, sound: SoundIndex, place: u16) -> Result<usize, Reason> {
    match &program.sounds[sound].choice {
        Choice::Only | Choice::Across { .. } => Ok(0),
        Choice::ByState { state: index, groups } => {
            let value = state.states[*index];
            let none = || Reason::NoTake { state: program.states[*index].key, value: program.states[*index].values[usize::from(value)] };
            groups.get(usize::from(value)).copied().flatten().map(usize::from).ok_or_else(none)
        }
        Choice::ByRange { parameter, ranges } => {
            let value = state.smooth(program, *parameter, place);
            let found = ranges.iter().position(|(low, high)| value >= *low && value <= *high);
            found.ok_or(Reason::NoRange { parameter: program.parameters[*parameter].key, value })
        }
    }
}

/// What a group of a cross-faded sound adds to the level, in dB: 0 alone, −∞ where only others are heard.
pub(crate) fn across(points: &[f32], equal_power: bool, group: usize, value: f32) -> f32 {
    let here = points[group];
    let towards = if value >= here { points.get(group + 1) } else { group.checked_sub(1).and_then(|g| points.get(g)) };
    // Beyond the outermost point it stays alone.
    let Some(next) = towards else { return 0.0 };
    let t = ((value - here) / (next - here)).clamp(0.0, 1.0);
    let gain = if equal_power { (t * std::f32::consts::FRAC_PI_2).cos() } else { 1.0 - t };
    if t >= 1.0 { f32::NEG_INFINITY } else { Decibels::of_gain(gain).0 }
}
