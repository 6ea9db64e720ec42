//! The compiled project: dense, immutable, all names resolved to indices.
//!
//! It gathers what the rooms below describe ([`crate::music::spec`], [`crate::world::spec`], [`crate::mixer::spec`]) and adds what
//! plays by them: sounds, parameters, states, events, modulations and reactions. The engine only reads it; an edit makes a new one.

mod action;
mod distance;
mod formula;

pub use action::{Act, Action, At, Filled, MOST_SLOTS};
pub use distance::{Falloff, Priority};
pub use formula::{Formula, Op};

use crate::dsp::Shaping;
use crate::ground::clip::Clip;
use crate::ground::curve::Curve;
use crate::ground::index::{BusIndex, ByIndex, CellIndex, EventIndex, PieceIndex, ReactionIndex, SnapshotIndex, SoundIndex};
use crate::ground::lookup::Lookup;
use crate::ground::names::{NameKey, Names};
use crate::ground::pages::HEAD;
use crate::ground::property::{PerProperty, Property};
use crate::ground::random::Draw;
use crate::ground::reads::{Reads, held};
use crate::ground::telemetry::Reason;
use crate::ground::test::Test;
use crate::ground::vocabulary::{Again, WhenFull, WhenGone};
use crate::mixer::spec::{Mix, Recipe, SoundSend};
use crate::music::spec::Music;
use crate::world::spec::World;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// A number from the game, or one that is worked out.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Parameter {
    /// Its name's key.
    pub key: NameKey,
    /// The least value.
    pub low: f32,
    /// The greatest value.
    pub high: f32,
    /// The value before the game says anything.
    pub rest: f32,
    /// Share of the way upwards followed in a block.
    pub rise_per_block: f32,
    /// Share of the way downwards followed in a block.
    pub fall_per_block: f32,
    /// The game's own range, mapped onto `low` to `high`.
    pub from_game: Option<(f32, f32)>,
    /// Where its value comes from.
    pub source: ValueFrom,
    /// Its place among those of which every emitter has a value of its own, if it is one.
    pub local: Option<u16>,
    /// What waits for its changes.
    pub watches: Vec<Watch>,
}

impl Parameter {
    /// A value as the game would send it: in its own range, if it has one.
    #[must_use]
    pub fn to_game(&self, value: f32) -> f32 {
        self.from_game.map_or(value, |(from, to)| from + (value - self.low) / (self.high - self.low) * (to - from))
    }
}

/// Where a parameter's value comes from.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum ValueFrom {
    /// The game tells it.
    Game,
    /// It is measured.
    Measured(Measured),
    /// A formula gives it.
    Formula(Formula),
}

/// Whose distance, bearing, speed or height.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Who {
    /// That of each emitter by itself.
    Each,
    /// That of a named one (the listener's name is `listener`).
    Named(NameKey),
}

/// What is measured.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Measured {
    /// Metres from the listener.
    Distance(Who),
    /// Degrees from where the listener looks.
    Bearing(Who),
    /// Metres in a second.
    Speed(Who),
    /// Degrees in a second, whichever way round.
    Turning(Who),
    /// Metres in a second nearer to the listener.
    Approach(Who),
    /// Metres up.
    Height(Who),
    /// How many emitters of a kind are within so many metres.
    Count(NameKey, f32),
    /// How near walls are (1 at one, 0 none within so many metres) at so many degrees from where the listener looks.
    Walls(f32, f32),
    /// Change of a parameter (by index) in a second.
    Rate(usize),
    /// Seconds since an event.
    Since(EventIndex),
}

/// What waits for a change of a parameter or state.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Watch {
    /// The reaction.
    pub reaction: ReactionIndex,
    /// What it waits for.
    pub edge: Edge,
    /// Whether it makes a reaction that acts once ready again, instead of calling it.
    pub readies: bool,
}

/// A change that counts.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Edge {
    /// A test comes to hold that did not before.
    Holds(Test),
    /// A parameter (by index) comes over a number (or under it).
    Crosses(usize, bool, f32),
}

/// A named value from the game.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct State {
    /// Its name's key.
    pub key: NameKey,
    /// The keys of its values.
    pub values: Vec<NameKey>,
    /// The value at the start.
    pub start: u16,
    /// The game's names for the values, sorted by key.
    pub dictionary: Vec<(NameKey, u16)>,
    /// What waits for its changes.
    pub watches: Vec<Watch>,
}

impl State {
    /// The index of a value by our name or the game's.
    #[must_use]
    pub fn value(&self, key: NameKey) -> Option<u16> {
        let ours = self.values.iter().position(|v| *v == key).map(|v| v as u16);
        ours.or_else(|| self.dictionary.binary_search_by_key(&key, |(k, _)| *k).ok().map(|at| self.dictionary[at].1))
    }
}

/// A moment from the game.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Event {
    /// Its name's key.
    pub key: NameKey,
    /// The reactions to it, in order.
    pub reactions: Vec<ReactionIndex>,
}

/// What a take is.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum TakeOf {
    /// Audio.
    Recipe(Arc<Recipe>),
    /// Another sound, by index.
    Sound(SoundIndex),
}

/// One variation.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Take {
    /// What it is.
    pub of: TakeOf,
    /// How often it is picked against the others.
    pub weight: f32,
    /// Its own level in dB.
    pub level_db: f32,
    /// Its own pitch in semitones.
    pub pitch_semitones: f32,
    /// Ends of its wait before the start, in seconds.
    pub after: (f32, f32),
    /// Where in the audio it starts, in seconds.
    pub from_seconds: f32,
}

/// Takes of which one is picked (or all).
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Group {
    /// The takes.
    pub takes: Vec<Take>,
    /// How many of the last picked are not picked again; less than there are takes.
    pub not_last: usize,
    /// How they are picked.
    pub order: PickOrder,
}

/// How a take of a group is picked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum PickOrder {
    /// Each as likely as the others.
    Even,
    /// By weight.
    Weighted,
    /// One after another.
    Cycle,
    /// All of them.
    Together,
}

/// How the group is chosen.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Choice {
    /// There is one group.
    Only,
    /// By a state: the group for each of its values.
    ByState {
        /// The state's index.
        state: usize,
        /// Index of the group for each value; `None` if no take is for it.
        groups: Vec<Option<u16>>,
    },
    /// By ranges of a parameter: the first that holds its value.
    ByRange {
        /// The parameter's index.
        parameter: usize,
        /// The ends of each group's range.
        ranges: Vec<(f32, f32)>,
    },
    /// All groups at once, cross-faded between neighbours.
    Across {
        /// The parameter's index.
        parameter: usize,
        /// Where each group is alone; rising.
        points: Vec<f32>,
        /// Whether powers add up to one, instead of gains.
        equal_power: bool,
    },
}

/// What is drawn each time.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Vary {
    /// For each property, in the unit in which it adds up.
    pub of: PerProperty<Draw>,
    /// Seconds before the start.
    pub after: Draw,
    /// Seconds into the audio.
    pub from: Draw,
}

/// The most playings, and who yields.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Limit {
    /// Of one emitter.
    pub each: u32,
    /// In all.
    pub all: u32,
    /// Who yields.
    pub when_full: WhenFull,
}

impl Limit {
    /// No limit.
    pub const NONE: Limit = Limit { each: u32::MAX, all: u32::MAX, when_full: WhenFull::Oldest };

    /// Whether it limits anything.
    #[must_use]
    pub fn any(&self) -> bool {
        self.each != u32::MAX || self.all != u32::MAX
    }
}

/// A group of sounds with a limit of its own.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct SoundGroup {
    /// Its name's key.
    pub key: NameKey,
    /// Its limit.
    pub limit: Limit,
}

/// How a sound repeats itself.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Repeat {
    /// Ends of the time from start to start, in seconds.
    pub every: (f32, f32),
    /// Ends of the number of times; `None` is until let go.
    pub times: Option<(u32, u32)>,
    /// Each is let go after so many frames.
    pub length: Option<u64>,
}

/// How lines are spoken.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Lines {
    /// The speaker's index.
    pub speaker: u32,
    /// Ends of the silence between two lines, in seconds.
    pub gap: (f32, f32),
    /// A line that has waited for more frames is dropped.
    pub worth: u64,
    /// Whether it stays worth saying when the state it is picked by has changed.
    pub stays: bool,
    /// How much it matters, 0 to 100.
    pub rank: u8,
    /// Whether it cuts into a line of lower rank.
    pub cuts_in: bool,
}

/// A sound.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Sound {
    /// Its name's key.
    pub key: NameKey,
    /// The bus it asks for.
    pub bus: Option<BusIndex>,
    /// What it sends to returns.
    pub sends: Vec<SoundSend>,
    /// The group it is limited with.
    pub group: Option<u32>,
    /// What it is set to, for each property in the unit in which it adds up.
    pub set: PerProperty<f32>,
    /// What is drawn each time.
    pub vary: Vary,
    /// How it rises and falls; `None` leaves it to what plays it.
    pub shape: Option<Shaping>,
    /// How many may play together.
    pub limit: Limit,
    /// How important it is.
    pub priority: Priority,
    /// What distance does.
    pub falloff: Option<Falloff>,
    /// The chance from 0 to 1 that it plays.
    pub chance: f32,
    /// If there are any and all hold, it plays in any case.
    pub always: Vec<Test>,
    /// Frames after a start in which it is refused.
    pub again_after: u64,
    /// The event that is sent when it is refused by a limit or `again_after`.
    pub when_refused: Option<EventIndex>,
    /// When it plays already.
    pub again: Again,
    /// How it repeats itself.
    pub repeat: Option<Repeat>,
    /// How its lines are spoken.
    pub lines: Option<Lines>,
    /// What it does when its emitter is removed.
    pub when_gone: Option<WhenGone>,
    /// A stop only reaches playings younger than so many frames.
    pub stop_if_younger: Option<u64>,
    /// The groups of takes; empty if there is nothing to play.
    pub groups: Vec<Group>,
    /// How the group is chosen.
    pub choice: Choice,
    /// Modulations of what its voices do in every block.
    pub modulations: Vec<u32>,
    /// Modulations of its interval, chance, limits and sweeps.
    pub asked: Vec<u32>,
    /// Whether some of its audio has yet to be loaded.
    pub loading: bool,
    /// Whether the part of the bundle that it is in is not loaded.
    #[cfg_attr(feature = "bundle", serde(skip))]
    pub absent: bool,
    /// The layer of a piece that it is, if it is one.
    pub layer: Option<LayerPlace>,
}

/// Which layer of which piece.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct LayerPlace {
    /// The piece's index.
    pub piece: PieceIndex,
    /// The layer's index among all.
    pub layer: u32,
}

impl Sound {
    /// Why it is refused where it has nothing to play.
    pub(crate) fn why_nothing(&self) -> Reason {
        match (self.absent, self.loading) {
            (true, _) => Reason::NotLoaded,
            (false, true) => Reason::Loading,
            (false, false) => Reason::Nothing,
        }
    }
}

/// What a modulation moves.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Target {
    /// A sound, by index.
    Sound(SoundIndex),
    /// A bus, by index.
    Bus(BusIndex),
    /// A piece, by index.
    Piece(PieceIndex),
    /// A value of the mix, by index.
    Cell(CellIndex),
    /// A snapshot's amount, by index.
    Snapshot(SnapshotIndex),
}

/// Parameter, curve, property.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Modulation {
    /// A key of the whole.
    pub key: NameKey,
    /// Its place among the modulations as written.
    pub written: u32,
    /// The parameter's index.
    pub parameter: usize,
    /// What the parameter comes to.
    pub curve: Curve,
    /// What is moved.
    pub property: Property,
    /// Of what.
    pub target: Target,
    /// Share of the way followed in a block.
    pub smooth_per_block: f32,
    /// Whether every emitter has a value of its own; then it is worked out for each voice.
    pub local: bool,
}

/// What calls a reaction.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Trigger {
    /// An event, by index.
    Event(EventIndex),
    /// A change.
    Change(Edge),
    /// The listener enters a zone (by index), or leaves it.
    Zone(u32, bool),
    /// Again and again, as long as the conditions hold.
    Clock(Interval),
}

/// From one beat of a clock to the next.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Interval {
    /// Seconds between two ends, drawn each time.
    Between(f32, f32),
    /// A parameter by index, and the seconds that its unit is.
    Of(usize, f32),
}

/// Which of several calls counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Nth {
    /// Which one.
    pub n: u32,
    /// All of them within so many frames; `None` is every n-th.
    pub within: Option<u64>,
    /// Its place among the program's counters.
    pub counter: u32,
}

/// A reaction.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Reaction {
    /// A key of its sentence.
    pub key: NameKey,
    /// Its place among the reactions as written.
    pub written: u32,
    /// Whether it is switched off: then nothing calls it.
    pub off: bool,
    /// What calls it.
    pub trigger: Trigger,
    /// Frames that the change must last, or that must have passed since the event; 0 counts at once.
    pub hold: u64,
    /// Which of several calls counts.
    pub nth: Option<Nth>,
    /// What must hold besides.
    pub conditions: Vec<Test>,
    /// It acts once, and again only after this has held.
    pub until: Option<Test>,
    /// Whether it holds only if none before it did.
    pub otherwise: bool,
    /// What it does, in order.
    pub actions: Vec<Act>,
}

/// The compiled project.
#[derive(Debug, Clone, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Program {
    /// A number that no other program of this process has.
    pub id: u64,
    /// Frames a second.
    pub rate: u32,
    /// The most voices at once.
    pub voices: usize,
    /// What no sample exceeds, as a factor of full scale.
    pub ceiling_gain: f32,
    /// Parameters.
    pub parameters: Vec<Parameter>,
    /// States.
    pub states: Vec<State>,
    /// Events.
    pub events: ByIndex<EventIndex, Event>,
    /// Sounds.
    pub sounds: ByIndex<SoundIndex, Sound>,
    /// Groups of sounds.
    pub groups: Vec<SoundGroup>,
    /// Keys of those who speak lines.
    pub speakers: Vec<NameKey>,
    /// Parameters that are worked out, each after those it is worked out from.
    pub derived: Vec<u32>,
    /// How many parameters every emitter has by itself.
    pub locals: usize,
    /// Those parameters, in order.
    pub local_parameters: Vec<u32>,
    /// How many counters the reactions need.
    pub counters: usize,
    /// How many rates the formulas remember.
    pub rates: usize,
    /// Pieces, stingers, playlists.
    pub music: Music,
    /// Buses, and all that can be set, moved and held in them.
    pub mix: Mix,
    /// Zones, doorways, walls, and what sounds where.
    pub world: World,
    /// Modulations.
    pub modulations: Vec<Modulation>,
    /// Reactions, in order.
    pub reactions: ByIndex<ReactionIndex, Reaction>,
    /// Those of them that are clocks.
    pub clocks: Vec<ReactionIndex>,
    /// Indices of parameters by key.
    pub find_parameter: Lookup,
    /// Indices of states by key.
    pub find_state: Lookup,
    /// Indices of events by key.
    pub find_event: Lookup<EventIndex>,
    /// Indices of sounds by key.
    pub find_sound: Lookup<SoundIndex>,
    /// Indices of modulations by key.
    pub find_modulation: Lookup,
    /// Indices of reactions by key.
    pub find_reaction: Lookup<ReactionIndex>,
    /// The names of all keys above.
    pub names: Names,
    /// Where its streamed audio is read, if it has any. A bundle has its own.
    #[cfg_attr(feature = "bundle", serde(skip))]
    pub reads: Option<Arc<dyn Reads>>,
}

/// The number of the next program.
static NEXT_ID: AtomicU64 = AtomicU64::new(1);

impl Program {
    /// A number that no other program of this process has.
    #[must_use]
    pub fn next_id() -> u64 {
        NEXT_ID.fetch_add(1, Ordering::Relaxed)
    }

    /// How many things it has, and names: what it takes in memory goes by that.
    #[must_use]
    pub fn things(&self) -> usize {
        self.names.count() + self.sounds.len() + self.reactions.len() + self.modulations.len()
    }

    /// A clip of it with its first frames in memory, so many at least or all that it has: what is streamed is read.
    ///
    /// # Errors
    /// With the reason why it cannot be read.
    pub fn held(&self, clip: &Arc<Clip>, frames: usize) -> Result<Arc<Clip>, String> {
        match &self.reads {
            Some(reads) => held(&**reads, clip, frames),
            None if clip.streamed.is_none() || frames <= HEAD => Ok(Arc::clone(clip)),
            None => Err(format!("{} is streamed, and nobody reads it", clip.name)),
        }
    }

    /// Each piece of audio that it plays, wherever it stands.
    pub fn each_clip(&self, mut look: impl FnMut(&Arc<Clip>)) {
        for take in self.sounds.iter().flat_map(|s| &s.groups).flat_map(|g| &g.takes) {
            if let TakeOf::Recipe(recipe) = &take.of {
                recipe.parts.iter().flat_map(|p| &p.clips).for_each(|(clip, _)| look(clip));
            }
        }
        for clip in self.music.instruments.iter().flat_map(|i| &i.takes).map(|zone| &zone.clip) {
            look(clip);
        }
    }

    /// Puts audio in the place of what was written by name alone. What `give` has not stays as it is: without a sample.
    pub fn fill_clips(&mut self, mut give: impl FnMut(&str) -> Option<Arc<Clip>>) {
        let mut fill = |clip: &mut Arc<Clip>| {
            if let Some(found) = give(&clip.name) {
                *clip = found;
            }
        };
        for take in self.sounds.iter_mut().flat_map(|s| &mut s.groups).flat_map(|g| &mut g.takes) {
            if let TakeOf::Recipe(recipe) = &mut take.of
                && let Some(recipe) = Arc::get_mut(recipe)
            {
                recipe.parts.iter_mut().flat_map(|p| &mut p.clips).for_each(|(clip, _)| fill(clip));
            }
        }
        self.music.instruments.iter_mut().flat_map(|i| &mut i.takes).for_each(|zone| fill(&mut zone.clip));
    }

    /// Takes out what plays audio that is not `there`: such a sound is refused as not loaded, such a note is not played.
    pub fn leave_out(&mut self, there: impl Fn(&str) -> bool) {
        for sound in &mut self.sounds {
            let recipes = sound.groups.iter().flat_map(|g| &g.takes).filter_map(|t| if let TakeOf::Recipe(recipe) = &t.of { Some(recipe) } else { None });
            if !recipes.flat_map(|r| &r.parts).flat_map(|p| &p.clips).all(|(clip, _)| there(&clip.name)) {
                sound.absent = true;
                // Groups stay, since they are counted; what they would pick is gone, but for what needs no audio: a generator may be the only one of its kind.
                sound.groups.iter_mut().for_each(|g| g.takes.retain(|take| matches!(&take.of, TakeOf::Recipe(recipe) if recipe.made.is_some())));
            }
        }
        for instrument in &mut self.music.instruments {
            instrument.takes.retain(|zone| there(&zone.clip.name));
        }
    }
}
