//! `music/*.toml`: pieces with their sections, layers and transitions; stingers; playlists.

mod musical_values;
mod read;

pub use musical_values::{Arrive, Between, Length, Slope, Spot};
pub(super) use read::read_music;

use super::Place;
use super::fields::Located;
use crate::language::{Condition, Moment};
use crate::notes::{Follow, print_pitch, read_pitch};
use estampie_engine::music::exact::Beats;
use estampie_engine::music::{InstrumentSettings, Metre};
use estampie_engine::units::{Decibels, Pan, Seconds, Share, Span};
use estampie_engine::vocabulary::Step;
use std::fmt;

/// The row and column of a piece's transitions that stands for all sections.
pub const ANY: &str = "any";
/// The most bars that a section has.
pub const MOST_BARS: u32 = 512;

/// What the sections of a piece go by.
#[derive(Debug, Clone)]
pub struct FollowsDoc {
    /// The state or parameter.
    pub subject: Located<String>,
    /// Its values (or ranges), each with the section that it asks for.
    pub sections: Vec<(Located<String>, Located<String>)>,
}

/// A piece that another one ducks while it plays.
#[derive(Debug, Clone)]
pub struct HoldDoc {
    /// The piece that is ducked.
    pub piece: Located<String>,
    /// By how much; less than 0.
    pub by: Decibels,
    /// In this time 90 % of the way down is gone.
    pub attack: Seconds,
    /// In this time 90 % of the way up is gone.
    pub release: Seconds,
}

/// A piece as written.
#[derive(Debug, Clone)]
pub struct PieceDoc {
    /// Its name.
    pub name: String,
    /// Beats a minute.
    pub tempo: Beats,
    /// Its metre.
    pub metre: Metre,
    /// Its key, such as `D dorian`.
    pub key: Option<Located<String>>,
    /// Its bus.
    pub bus: Option<Located<String>>,
    /// Its level.
    pub level: Decibels,
    /// The section it starts with if nothing else is said.
    pub first: Option<Located<String>>,
    /// What its sections go by.
    pub follows: Option<FollowsDoc>,
    /// Whether what it follows only moves it while it plays: something else begins it.
    pub waits: bool,
    /// Pieces that it ducks while it plays.
    pub holds: Vec<HoldDoc>,
    /// When a moved tempo or key is taken.
    pub step: Step,
    /// Whether a moved key stays within the mode.
    pub in_mode: bool,
    /// Its sections, in the order of the file.
    pub sections: Vec<SectionDoc>,
    /// Its transitions, in the order of the file.
    pub transitions: Vec<TransitionDoc>,
    /// What it is for.
    pub note: String,
    /// The file it is in.
    pub file: String,
    /// Where it is written.
    pub place: Place,
}

/// What comes after a section that nothing else was asked of.
#[derive(Debug, Clone, PartialEq, Default)]
pub enum Then {
    /// It loops.
    #[default]
    Loop,
    /// Another section.
    Section(Located<String>),
    /// Nothing: its tail rings out.
    End,
}

impl fmt::Display for Then {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Then::Loop => f.write_str("loop"),
            Then::Section(name) => f.write_str(&name.value),
            Then::End => f.write_str("end"),
        }
    }
}

/// A section as written.
#[derive(Debug, Clone)]
pub struct SectionDoc {
    /// Its name.
    pub name: String,
    /// Its length in bars.
    pub bars: u32,
    /// Tempos from bars on (from 1); empty if the piece's holds.
    pub tempo: Vec<(u32, Beats)>,
    /// Metres from bars on (from 1); empty if the piece's holds.
    pub metre: Vec<(u32, Metre)>,
    /// Beats before the first bar.
    pub pick_up: Beats,
    /// Length of a phrase in bars.
    pub phrase: u32,
    /// How many bars at its end are the open ending.
    pub open: u32,
    /// The section that is its close ending.
    pub close: Option<Located<String>>,
    /// What comes after it.
    pub then: Then,
    /// Named places.
    pub markers: Vec<(String, Located<Spot>)>,
    /// Chords, each from a place on.
    pub chords: Vec<ChordDoc>,
    /// A state, and for its values chords in the place of those.
    pub chords_by: Option<ChordsByDoc>,
    /// Its layers, in the order of the file.
    pub layers: Vec<LayerDoc>,
    /// Where it is written.
    pub place: Place,
}

/// A chord from a place on.
#[derive(Debug, Clone, PartialEq)]
pub struct ChordDoc {
    /// Where it begins.
    pub at: Spot,
    /// What it is called.
    pub name: Located<String>,
}

/// Chords in the place of a section's own.
#[derive(Debug, Clone, PartialEq)]
pub struct ChordsByDoc {
    /// The state that they go by.
    pub state: Located<String>,
    /// Its values, each with its chords.
    pub lines: Vec<(Located<String>, Vec<ChordDoc>)>,
}

/// What a layer plays.
#[derive(Debug, Clone, PartialEq)]
pub enum LayerOf {
    /// An audio file.
    File(Located<String>),
    /// A sound, once each time the section begins.
    Sound(Located<String>),
    /// Notes of a MIDI file, played by an instrument.
    Notes(Box<NotesDoc>),
    /// Nothing, because what was written is at fault.
    Nothing,
}

/// Notes as written.
#[derive(Debug, Clone, PartialEq)]
pub struct NotesDoc {
    /// The MIDI file.
    pub file: Located<String>,
    /// Its tracks; of more than one, each is a variation.
    pub tracks: Vec<Located<String>>,
    /// The state or parameter that chooses the variation; at random if there is none.
    pub by: Option<Located<String>>,
    /// For `by`: the values or ranges, in the order of the tracks.
    pub values: Vec<Located<String>>,
    /// The instrument.
    pub instrument: Located<String>,
    /// The bar of the file (from 1) at which the section begins.
    pub from_bar: u32,
    /// How much of it is played: at 1 all, at less only what carries the metre.
    pub density: Share,
    /// Chances of single notes.
    pub chances: Vec<ChanceDoc>,
    /// How far every second of two such lengths (in quarter notes) is late: the share of the pair that the first takes, 0.5 to 0.8.
    pub swing: Option<(f32, Beats)>,
    /// How they go along with the section's chords, if they do.
    pub follow: Option<Located<Follow>>,
}

/// A chance of notes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ChanceDoc {
    /// Of notes softer than this velocity (1 to 127), or of notes at a place.
    pub of: ChanceOf,
    /// From 0 to 1.
    pub chance: f32,
}

/// Which notes have a chance of their own.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum ChanceOf {
    /// Those softer than a velocity.
    Softer(u8),
    /// Those within the beat at a place of the section.
    At(Spot),
    /// The one of a pitch that begins just at a place of the section.
    Note(Spot, u8),
}

/// A layer as written.
#[derive(Debug, Clone)]
pub struct LayerDoc {
    /// Its name; layers of one name in several sections are switched together.
    pub name: String,
    /// What it plays.
    pub of: LayerOf,
    /// Its bus; the piece's if `None`.
    pub bus: Option<Located<String>>,
    /// Its level.
    pub level: Decibels,
    /// Where it stands between the speakers.
    pub pan: Pan,
    /// It sounds while all of these hold.
    pub when: Vec<Condition>,
    /// Whether it is out until a reaction brings it in.
    pub off: bool,
    /// How it rises and falls when it is switched.
    pub fade: Slope,
    /// On which moment it is switched.
    pub on: Moment,
    /// Where it is written.
    pub place: Place,
}

/// A way from one section to another as written.
#[derive(Debug, Clone)]
pub struct TransitionDoc {
    /// The section that is left, `any` or `silence`.
    pub from: Located<String>,
    /// The section that comes, `any` or `silence`.
    pub to: Located<String>,
    /// When it leaves; `None` is the next bar, or the open ending if it goes by way of the close ending.
    pub leave: Option<Moment>,
    /// By way of what.
    pub way: Between,
    /// Where it arrives.
    pub arrive: Arrive,
    /// How the old one falls; `None` lets a section that has ended ring, and else falls in 30 ms.
    pub falls: Option<Slope>,
    /// How the new one rises.
    pub rises: Slope,
    /// How long the old one goes on before it falls.
    pub overlap: Length,
    /// Whether it may be gone at all.
    pub allowed: bool,
    /// Why what a check finds here is as it should be.
    pub accepted: Option<String>,
    /// Its place among the transitions of the piece.
    pub written: usize,
    /// Where it is written.
    pub place: Place,
}

/// What a stinger ducks.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct DuckDoc {
    /// By how much; less than 0.
    pub by: Decibels,
    /// In this time 90 % of the way down is gone.
    pub attack: Seconds,
    /// In this time 90 % of the way up is gone.
    pub release: Seconds,
}

/// A stinger as written.
#[derive(Debug, Clone)]
pub struct StingerDoc {
    /// Its name.
    pub name: String,
    /// The sound, if nothing in `by` fits.
    pub sound: Option<Located<String>>,
    /// Sounds by section or chord.
    pub by: Vec<(Located<String>, Located<String>)>,
    /// When it sounds.
    pub on: Moment,
    /// By which piece's clock; whichever plays if `None`.
    pub piece: Option<Located<String>>,
    /// How far it holds the piece down.
    pub duck: Option<DuckDoc>,
    /// How many may wait or sound.
    pub limit: u32,
    /// It is dropped within this time after it last sounded.
    pub again_after: Seconds,
    /// Whether it sounds at once if no music plays.
    pub anyway: bool,
    /// What it is for.
    pub note: String,
    /// Where it is written.
    pub place: Place,
}

/// The order of a playlist.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PlaylistOrder {
    /// At random, never one of the last n.
    Shuffle(u32),
    /// One after another, from the first again.
    InOrder,
}

/// Pieces one after another.
#[derive(Debug, Clone)]
pub struct PlaylistDoc {
    /// Its name.
    pub name: String,
    /// The pieces.
    pub pieces: Vec<Located<String>>,
    /// Their order.
    pub order: PlaylistOrder,
    /// Silence between two, drawn each time.
    pub gap: Span<Seconds>,
    /// Silence before the first.
    pub start: Seconds,
    /// How the first one rises.
    pub fade_in: Seconds,
    /// A section that goes round is left after so many rounds.
    pub rounds: u32,
    /// Where it is written.
    pub place: Place,
}

/// An instrument as written.
#[derive(Debug, Clone)]
pub struct InstrumentDoc {
    /// Its name.
    pub name: String,
    /// How it is set.
    pub patch: InstrumentSettings,
    /// How many notes sound at once at most.
    pub polyphony: u32,
    /// Recordings, each for some keys and velocities.
    pub takes: Vec<KeyZoneDoc>,
    /// Where it is written.
    pub place: Place,
}

/// A recording of an instrument as written: `audio/….flac, D3, C3..F3, velocity 1..80`.
#[derive(Debug, Clone)]
pub struct KeyZoneDoc {
    /// The file.
    pub file: Located<String>,
    /// The pitch it was recorded at, in MIDI semitones.
    pub root: u8,
    /// The lowest and the highest key that it is for.
    pub keys: (u8, u8),
    /// The least and the greatest velocity that it is for.
    pub velocities: (u8, u8),
}

impl KeyZoneDoc {
    /// All keys, and all velocities.
    pub const ALL_KEYS: (u8, u8) = (0, 127);
    /// See [`KeyZoneDoc::ALL_KEYS`].
    pub const ALL_VELOCITIES: (u8, u8) = (1, 127);

    /// Reads what stands behind the file: its pitch, and perhaps keys and velocities.
    #[must_use]
    pub fn read(file: Located<String>, text: &str) -> Option<KeyZoneDoc> {
        let mut parts = text.split(',').map(str::trim);
        let mut zone = KeyZoneDoc { file, root: read_pitch(parts.next()?)?, keys: KeyZoneDoc::ALL_KEYS, velocities: KeyZoneDoc::ALL_VELOCITIES };
        for part in parts {
            if let Some(range) = part.strip_prefix("velocity ") {
                let (low, high) = range.split_once("..")?;
                let number = |text: &str| text.trim().parse::<u8>().ok().filter(|v| (1..=127).contains(v));
                zone.velocities = (number(low)?, number(high)?);
            } else {
                let (low, high) = part.split_once("..")?;
                zone.keys = (read_pitch(low.trim())?, read_pitch(high.trim())?);
            }
        }
        (zone.keys.0 <= zone.keys.1 && zone.velocities.0 <= zone.velocities.1).then_some(zone)
    }
}

impl fmt::Display for KeyZoneDoc {
    /// As it is written.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}, {}", self.file.value, print_pitch(self.root))?;
        if self.keys != KeyZoneDoc::ALL_KEYS {
            write!(f, ", {}..{}", print_pitch(self.keys.0), print_pitch(self.keys.1))?;
        }
        if self.velocities != KeyZoneDoc::ALL_VELOCITIES {
            write!(f, ", velocity {}..{}", self.velocities.0, self.velocities.1)?;
        }
        Ok(())
    }
}

/// All music as written.
#[derive(Debug, Clone, Default)]
pub struct MusicDoc {
    /// Pieces.
    pub pieces: Vec<PieceDoc>,
    /// Stingers.
    pub stingers: Vec<StingerDoc>,
    /// Playlists.
    pub lists: Vec<PlaylistDoc>,
    /// Instruments.
    pub instruments: Vec<InstrumentDoc>,
}

impl MusicDoc {
    /// All sounds that music names, each with what names it.
    #[must_use]
    pub fn sounds(&self) -> Vec<(&Located<String>, String)> {
        let mut list = Vec::new();
        for piece in &self.pieces {
            for layer in piece.sections.iter().flat_map(|s| &s.layers) {
                if let LayerOf::Sound(sound) = &layer.of {
                    list.push((sound, format!("layer {}/{}", piece.name, layer.name)));
                }
            }
        }
        for stinger in &self.stingers {
            let by = stinger.by.iter().map(|(_, sound)| sound);
            list.extend(stinger.sound.iter().chain(by).map(|sound| (sound, format!("stinger {}", stinger.name))));
        }
        list
    }

    /// All states and parameters that music goes by.
    #[must_use]
    pub fn subjects(&self) -> Vec<&str> {
        let mut list: Vec<&str> = Vec::new();
        for piece in &self.pieces {
            list.extend(piece.follows.as_ref().map(|f| f.subject.value.as_str()));
            list.extend(piece.sections.iter().filter_map(|s| Some(s.chords_by.as_ref()?.state.value.as_str())));
            for layer in piece.sections.iter().flat_map(|s| &s.layers) {
                list.extend(layer.when.iter().map(|c| c.subject.text.as_str()));
                if let LayerOf::Notes(notes) = &layer.of {
                    list.extend(notes.by.as_ref().map(|b| b.value.as_str()));
                }
            }
        }
        list
    }

    /// The piece of a name.
    #[must_use]
    pub fn piece(&self, name: &str) -> Option<&PieceDoc> {
        self.pieces.iter().find(|p| p.name == name)
    }
}

impl PieceDoc {
    /// The section of a name.
    #[must_use]
    pub fn section(&self, name: &str) -> Option<&SectionDoc> {
        self.sections.iter().find(|s| s.name == name)
    }
}
