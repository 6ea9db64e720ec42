//! The project as written: text files in, typed descriptions and faults out.
//!
//! A project is a set of texts ([`Sources`]). Reading them gives a [`Document`] of all that is sound and a list of
//! [`Fault`]s for the rest, all of them at once. An edit changes a text, keeping comments and order ([`Workspace`]).

mod alike;
mod available;
mod bundles;
mod change;
mod change_generators;
mod change_mix;
mod change_music;
mod change_notes;
mod change_takes;
pub(crate) use change::{appended, quoted};
mod change_world;
mod copy_mix;
mod curve;
mod describe;
mod difference;
pub(crate) mod edit;
mod effects;
mod explore;
mod fields;
mod game;
mod generators;
mod midi_controls;
mod mix;
mod music;
pub(crate) mod patterns;
mod reader;
pub mod registry;
mod saving;
pub mod schema;
mod settings;
mod snapshots;
mod sounds;
mod sources;
mod world;

pub use crate::fault::{Fault, Place, did_you_mean, nearest};
pub use crate::language::{Moment, SILENCE};
pub use crate::refusal::Refusal;
pub use alike::differ_in_values;
pub use bundles::{BudgetDoc, BundlePartDoc, EncodingDoc, Over, StoredAs, read_size, storing_of};
pub(crate) use bundles::{PIECE, holds_any};
pub use change::{sharers, uses_of, uses_of_all};
pub use change_music::{TRANSITION_FIELDS, ends, unsaid_of_transition};
pub use change_notes::{MadeNotes, track_layers};
pub use change_world::{MapThing, TABLES, ThingId};
pub use copy_mix::{Clipping, ClippingKind};
pub use curve::{WrittenCurve, print_point, read_point};
pub use describe::{Field, Origin, describe, pick_text, source_text};
pub use difference::{Difference, differences};
pub use edit::{Copied, Edit, Keep, Look, NewValue, SaveError, Stamps, Unsaved, Workspace};
pub(crate) use effects::read_octaves;
pub use effects::{EffectDoc, SendDoc, read_send, read_setting};
pub use explore::{AcceptedProblem, ExploreDoc, MadeEmitter, MadeEvent, MadeParameter, MadeState, Weights};
pub use fields::Located;
pub use game::{EventDoc, GameName, Manifest, PADS, ParameterDoc, StateDoc, TARGET_WITHIN, ValueOf, read_target};
pub use generators::{GeneratorDoc, MOST_PLACES, print_drawing, print_tune, read_drawing, read_vary};
pub use midi_controls::{MidiControl, MidiDoc};
pub use mix::{BusDoc, ModulationDoc, Moved, ROOT_BUS, kind_of, property_of};
pub use music::{
    ANY, Arrive, Between, ChanceDoc, ChanceOf, ChordDoc, ChordsByDoc, DuckDoc, FollowsDoc, HoldDoc, InstrumentDoc, KeyZoneDoc, LayerDoc, LayerOf, Length,
    MOST_BARS, MusicDoc, NotesDoc, PieceDoc, PlaylistDoc, PlaylistOrder, SectionDoc, Slope, Spot, StingerDoc, Then, TransitionDoc,
};
pub use patterns::matches as fits;
pub use reader::Reader;
pub use settings::{AngleCurve, DistanceCurve, FalloffDoc, LimitDoc, LinesDoc, Named, SendCurves, Setting, ShapeDoc, Shared, VaryDoc, WhenFullDoc, YesNo};
pub use snapshots::{Going, HeldDoc, HoldDownDoc, PlayerLevelDoc, SnapshotDoc, read_held};
pub use sounds::{PartDoc, PickDoc, PriorityDoc, RepeatDoc, SoundDoc, TakeDoc, TakeGroup, TakeLine};
pub use sources::{Sources, list_audio};
pub use world::{
    AmountDoc, Candidates, DoorwayDoc, EmitterDoc, FlockDoc, MuffleDoc, OneShotsDoc, PassDoc, Position, StandDoc, WallDoc, WorldDoc, ZoneDoc, print_position,
    read_position,
};

use crate::language::{Always, Playthrough, Reaction};
use crate::midi::Score;
use crate::stock::Stock;
use std::collections::BTreeSet;
use std::sync::Arc;

/// A project as written, without what is at fault.
#[derive(Debug, Clone, Default)]
pub struct Document {
    /// `estampie.toml`.
    pub manifest: Manifest,
    /// Events that the game sends.
    pub events: Vec<EventDoc>,
    /// Emitters that the game places, as far as they are declared.
    pub emitters: Vec<EventDoc>,
    /// Names under which the game sends what is called otherwise here.
    pub from_game: Vec<GameName>,
    /// The letters that send events in the view Stage, as far as they are laid out.
    pub pads: Vec<(char, Located<String>)>,
    /// What knobs and pads of MIDI devices do in the workshop.
    pub midi: Vec<MidiDoc>,
    /// Numbers that the game sends.
    pub parameters: Vec<ParameterDoc>,
    /// Named values that the game sends.
    pub states: Vec<StateDoc>,
    /// Settings that sounds share, and groups of sounds.
    pub shared: Shared,
    /// All sounds, by file and then in the order of the file.
    pub sounds: Vec<Arc<SoundDoc>>,
    /// Pieces, stingers and playlists.
    pub music: MusicDoc,
    /// The notes of MIDI files, by path.
    pub scores: Vec<(String, Arc<Score>)>,
    /// All buses; the first is the root, `main`.
    pub buses: Vec<BusDoc>,
    /// Snapshots, in the order of the file.
    pub snapshots: Vec<SnapshotDoc>,
    /// What holds a bus down.
    pub ducks: Vec<HoldDownDoc>,
    /// Levels that the player sets.
    pub player_levels: Vec<PlayerLevelDoc>,
    /// Zones, doorways, walls, and what sounds where.
    pub world: WorldDoc,
    /// How it is played, for made-up play.
    pub explore: ExploreDoc,
    /// All modulations.
    pub modulations: Vec<ModulationDoc>,
    /// All reactions in order.
    pub reactions: Vec<Arc<Reaction>>,
    /// The playthroughs by name (the file's name without ending).
    pub playthroughs: Vec<(String, Arc<Playthrough>)>,
    /// What is expected of all of them: `checks.est`.
    pub checks: Vec<Always>,
    /// What the game will need: `stock.csv`.
    pub stock: Arc<Stock>,
}

impl Document {
    /// Reads a project's texts. `audio` lists the audio files there are, as paths relative to the project.
    #[must_use]
    pub fn read(sources: &Sources, audio: &BTreeSet<String>) -> (Document, Vec<Fault>) {
        Reader::default().read(sources, audio)
    }

    /// The notes of a MIDI file.
    #[must_use]
    pub fn score(&self, file: &str) -> Option<&Score> {
        self.scores.iter().find(|(name, _)| name == file).map(|(_, score)| &**score)
    }

    /// Gives faults the fixes that only the whole project knows.
    pub(crate) fn improve(&self, faults: &mut [Fault]) {
        for fault in faults {
            // What is at fault stands in quotes: perhaps it is only called otherwise.
            if let Some(fix) = fault.what.split('"').nth(1).and_then(fields::called_otherwise) {
                fault.fix = fix;
                continue;
            }
            // A value alone, where a condition should stand: it tells of which state it is.
            let alone = fault.what.strip_prefix("it is not said what ").and_then(|rest| rest.strip_suffix(" is tested for"));
            if let Some(state) = alone.and_then(|value| self.states.iter().find(|s| s.values.iter().any(|v| v.value == value))) {
                fault.fix = format!("write \"{} is {}\"", state.name, alone.unwrap_or_default());
            }
        }
    }
}
