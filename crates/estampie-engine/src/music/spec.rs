//! Music, compiled: pieces, sections, the rule for every change, layers, stingers, playlists.

use crate::ground::clip::Clip;
use crate::ground::curve::Shape;
use crate::ground::index::{ByIndex, PieceIndex, SectionIndex, SoundIndex};
use crate::ground::lookup::Lookup;
use crate::ground::names::NameKey;
pub use crate::ground::scale::Mode;
use crate::ground::test::Test;
use crate::ground::vocabulary::Step;
use crate::music::exact::{Beats, Frames, wide};
use crate::music::{InstrumentSettings, Map, Point};
use std::sync::Arc;

/// A musical moment.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum When {
    /// Now.
    AtOnce,
    /// The next beat.
    Beat,
    /// The next bar.
    Bar,
    /// The next bar that is a whole number of so many bars from the start.
    Bars(u32),
    /// The end of the phrase.
    Phrase,
    /// The end of the section.
    End,
    /// The start of the open ending.
    OpenEnding,
    /// A marker, by name.
    Marker(NameKey),
}

/// A length in music or time.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Long {
    /// Beats.
    Beats(Beats),
    /// Bars.
    Bars(Beats),
    /// Frames.
    Frames(u64),
}

/// A rise or fall.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Ramp {
    /// How long.
    pub over: Long,
    /// The curve of the way.
    pub curve: Shape,
}

/// Where the new section begins.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum ArriveAt {
    /// At its start.
    Start,
    /// At the same bar.
    SameBar,
    /// At the same beat.
    SameBeat,
    /// At a position.
    At(Beats),
    /// Where it was left.
    LeftOff,
}

/// How one section goes over into another.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Rule {
    /// When the old one is left.
    pub leave: When,
    /// A section that is played once in between.
    pub way: Option<SectionIndex>,
    /// Where the new one begins.
    pub arrive: ArriveAt,
    /// How the old one falls; `None` lets it ring if it is left at its end, and else falls in 30 ms.
    pub falls: Option<Ramp>,
    /// How the new one rises.
    pub rises: Ramp,
    /// How long the old one goes on before it falls.
    pub overlap: Long,
    /// Whether it may be gone.
    pub allowed: bool,
    /// Why what a check finds here is accepted; no name if it is not.
    pub accepted: NameKey,
    /// Its place among the transitions as written; `None` if none fits.
    pub written: Option<u32>,
}

/// What comes after a section by itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Next {
    /// It goes round.
    Loop,
    /// Another section.
    Section(SectionIndex),
    /// Silence.
    End,
}

/// Chords in the place of a section's own, by the values of a state.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct ChordLines {
    /// The state.
    pub state: usize,
    /// For each of its values the line: 0 is the section's own chords, others are counted from 1.
    pub of: Vec<u16>,
    /// Lines, each with its chords from positions on.
    pub lines: Vec<Vec<(Beats, NameKey)>>,
}

/// A section.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Section {
    /// Its name's key.
    pub key: NameKey,
    /// Bars, beats, tempos.
    pub map: Map,
    /// Quarter notes before the first bar.
    pub pick_up: Beats,
    /// Bars of a phrase.
    pub phrase: u32,
    /// Bars of the open ending; 0 if there is none.
    pub open: u32,
    /// What comes after it.
    pub next: Next,
    /// Markers by name.
    pub markers: Vec<(NameKey, Beats)>,
    /// Chords from positions on.
    pub chords: Vec<(Beats, NameKey)>,
    /// Other chords for values of a state.
    pub lines: Option<ChordLines>,
    /// Its layers, as indices into [`Music::layers`].
    pub layers: Vec<u32>,
}

impl Section {
    /// Frames of the pick-up.
    #[must_use]
    pub fn pick_up_time(&self) -> Frames {
        self.map.time(Beats::from_integer(0)) - self.map.time(-self.pick_up)
    }

    /// Whether a point is such a moment. The section's start is its end: there a new pass begins.
    #[must_use]
    pub fn is(&self, when: When, point: &Point) -> bool {
        match when {
            When::AtOnce => true,
            When::Beat => point.on_beat,
            When::Bar => point.on_bar,
            When::Bars(n) => point.on_bar && point.bar.is_multiple_of(n.max(1)),
            When::Phrase => point.on_bar && point.bar.is_multiple_of(self.phrase.max(1)),
            When::OpenEnding => self.open > 0 && point.on_bar && point.bar == self.map.bars().saturating_sub(self.open),
            When::Marker(key) => self.markers.iter().any(|(k, at)| *k == key && *at == point.at),
            When::End => point.on_bar && point.bar == 0,
        }
    }

    /// The first position after `from` that is such a moment and for which `fits` holds; the section's end counts for
    /// all but markers, since there the next bar begins.
    #[must_use]
    pub fn next(&self, when: When, from: Frames, fits: impl Fn(Beats) -> bool) -> Option<Beats> {
        let length = self.map.length();
        let points = self.map.points();
        let first = points.partition_point(|p| wide(p.at) <= from);
        let found = points[first..].iter().find(|p| self.is(when, p) && fits(p.at));
        let at_end = match when {
            When::Marker(_) => false,
            When::OpenEnding => self.open == 0,
            _ => true,
        };
        found.map(|p| p.at).or((at_end && wide(length) > from && fits(length)).then_some(length))
    }

    /// The chord of a line at a position; line 0 is the section's own.
    #[must_use]
    pub fn chord(&self, line: u16, at: Beats) -> Option<NameKey> {
        let other = usize::from(line).checked_sub(1).and_then(|line| self.lines.as_ref()?.lines.get(line));
        other.unwrap_or(&self.chords).iter().rev().find(|(from, _)| *from <= at).map(|(_, key)| *key)
    }

    /// Frames of a length that begins at a position, as written.
    #[must_use]
    pub fn long(&self, long: Long, at: Beats) -> u64 {
        let quarters = match long {
            Long::Frames(frames) => return frames,
            Long::Beats(n) => n * self.map.metre(self.map.bar_beat(at).0).beat(),
            Long::Bars(n) => n * self.map.metre(self.map.bar_beat(at).0).bar(),
        };
        crate::music::exact::nearest(self.map.time(at + quarters) - self.map.time(at))
    }
}

/// What the sections go by.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Follows {
    /// A state: for each value the section (`None` is not said, `Some(None)` silence).
    State(usize, Vec<Option<Option<SectionIndex>>>),
    /// A parameter: ranges, each with its section.
    Parameter(usize, Vec<((f32, f32), Option<SectionIndex>)>),
}

/// A piece that is ducked.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Hold {
    /// Which piece.
    pub piece: PieceIndex,
    /// By how many dB; less than 0.
    pub by_db: f32,
    /// Share of the way down in a block.
    pub attack_per_block: f32,
    /// Share of the way up in a block.
    pub release_per_block: f32,
}

/// A piece.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Piece {
    /// Its name's key.
    pub key: NameKey,
    /// Level in dB.
    pub level_db: f32,
    /// Modulations of its level.
    pub modulations: Vec<u32>,
    /// Modulations of its tempo.
    pub tempo: Vec<u32>,
    /// Modulations of its key.
    pub transposition: Vec<u32>,
    /// Its sections.
    pub sections: ByIndex<SectionIndex, Section>,
    /// The section that it starts with.
    pub first: SectionIndex,
    /// The rule from each section (or silence, first) to each: row by row.
    pub rules: Vec<Rule>,
    /// What its sections go by.
    pub follows: Option<Follows>,
    /// Whether what it follows only moves it while it plays.
    pub waits: bool,
    /// What it holds down while it plays.
    pub holds: Vec<Hold>,
    /// When moved tempo and key are taken.
    pub step: Step,
    /// The scale that a moved key stays in.
    pub mode: Option<Mode>,
    /// Whether a moved key stays within the scale.
    pub in_mode: bool,
}

impl Piece {
    /// The rule from a section to another; `None` stands for silence.
    #[must_use]
    pub fn rule(&self, from: Option<SectionIndex>, to: Option<SectionIndex>) -> &Rule {
        let index = |s: Option<SectionIndex>| s.map_or(0, |s| s.at() + 1);
        &self.rules[index(from) * (self.sections.len() + 1) + index(to)]
    }

    /// The index of a section by its name's key.
    #[must_use]
    pub fn section(&self, key: NameKey) -> Option<SectionIndex> {
        self.sections.find(|s| s.key == key)
    }

    /// The name's key of a section, or none for silence.
    #[must_use]
    pub fn key_of(&self, section: Option<SectionIndex>) -> NameKey {
        section.and_then(|s| self.sections.of(s)).map_or(NameKey::NONE, |s| s.key)
    }
}

/// A layer of a section. Its audio is a sound that no one else can play.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Layer {
    /// Its name's key, without piece and section.
    pub key: NameKey,
    /// Its piece.
    pub piece: PieceIndex,
    /// Its section.
    pub section: SectionIndex,
    /// The sound that plays it.
    pub sound: SoundIndex,
    /// The switch that reactions move: one for all layers of the piece with this name.
    pub switch: u32,
    /// It sounds while all hold.
    pub when: Vec<Test>,
    /// How it rises and falls.
    pub fade: Ramp,
    /// On which moment it is switched.
    pub on: When,
    /// Whether its file ends with the section, so that its end is bridged with its own start.
    pub round: bool,
    /// The notes that it plays, if it has any, by index.
    pub notes: Option<u32>,
}

/// What reactions switch: all layers of one name of a piece.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Switch {
    /// A key of piece and name.
    pub key: NameKey,
    /// Whether it is in at the start.
    pub on: bool,
}

/// A note of a pattern.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Note {
    /// Where it begins, in quarter notes from the section's first bar.
    pub at: Beats,
    /// How long it is, in quarter notes.
    pub length: Beats,
    /// Its pitch in MIDI semitones.
    pub pitch: u8,
    /// 1 to 127.
    pub velocity: u8,
    /// The channel whose wheel bends it.
    pub channel: u8,
    /// It is played if the density is at least this, 0 to 1.
    pub needs: f32,
    /// The chance that it is played.
    pub chance: f32,
}

/// How a variation is chosen.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Variation {
    /// At random, for each pass.
    Random,
    /// By a state: the pattern for each of its values.
    State(usize, Vec<Option<u16>>),
    /// By ranges of a parameter.
    Range(usize, Vec<(f32, f32)>),
}

/// What a layer of notes plays.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Notes {
    /// The layer's key, for its draws.
    pub key: NameKey,
    /// Variations, each with its notes by position.
    pub patterns: Vec<Vec<Note>>,
    /// How the wheel is moved in each of them, by position from the section's first bar.
    pub bends: Vec<Vec<Bend>>,
    /// How a variation is chosen.
    pub variation: Variation,
    /// The instrument, by index.
    pub instrument: u32,
    /// How much is played, 0 to 1.
    pub density: f32,
    /// The pitches of all notes of each variation over the other chords of the section, line by line from line 1 on; none if they do not follow chords.
    pub pitches: Vec<Vec<Vec<u8>>>,
}

/// An instrument.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Instrument {
    /// Its name's key.
    pub key: NameKey,
    /// How it is set.
    pub patch: InstrumentSettings,
    /// How many notes sound at once at most.
    pub polyphony: u32,
    /// Recordings, each for some keys and velocities.
    pub takes: Vec<KeyZone>,
}

/// A recording of an instrument, and what it is for.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct KeyZone {
    /// The recording.
    pub clip: Arc<Clip>,
    /// The pitch that it was recorded at, in MIDI semitones.
    pub root: u8,
    /// The lowest and the highest key, both included.
    pub keys: (u8, u8),
    /// The least and the greatest velocity, both included.
    pub velocities: (u8, u8),
}

impl Instrument {
    /// Whether what it plays has two sides that differ.
    #[must_use]
    pub fn wide(&self) -> bool {
        self.patch.width > 0.0 || self.patch.pan != 0.0 || self.takes.iter().any(|zone| zone.clip.channels.len() > 1)
    }

    /// The recording for a pitch and a velocity (1 to 127), and the pitch it was recorded at: of those that are for both the one recorded nearest;
    /// where none is for the pitch, or for the velocity, one that is for the other. Of several that are as good `draw` chooses, so that what was
    /// recorded several times does not sound alike.
    #[must_use]
    pub fn take(&self, pitch: f32, velocity: u8, draw: u32) -> Option<(Arc<Clip>, f32)> {
        let at = self.zone(pitch, velocity, draw)?;
        self.takes.get(at).map(|zone| (Arc::clone(&zone.clip), f32::from(zone.root)))
    }

    /// The place of that recording.
    #[must_use]
    pub fn zone(&self, pitch: f32, velocity: u8, draw: u32) -> Option<usize> {
        let rank = |zone: &KeyZone| {
            let (low, high) = zone.keys;
            let beside = pitch < f32::from(low) - 0.5 || pitch > f32::from(high) + 0.5;
            let otherwise = velocity < zone.velocities.0 || velocity > zone.velocities.1;
            (beside, otherwise, ((f32::from(zone.root) - pitch).abs() * 100.0) as i32)
        };
        let best = self.takes.iter().map(rank).min()?;
        let as_good = || (0..self.takes.len()).filter(|at| rank(&self.takes[*at]) == best);
        as_good().nth(draw as usize % as_good().count())
    }
}

/// A stinger.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Stinger {
    /// Its name's key.
    pub key: NameKey,
    /// The sound, if no other fits.
    pub sound: Option<SoundIndex>,
    /// Sounds by section or chord.
    pub by: Vec<(NameKey, SoundIndex)>,
    /// When it sounds.
    pub on: When,
    /// By which piece's clock; any that plays if `None`.
    pub piece: Option<PieceIndex>,
    /// dB by which the piece is held down, and shares of the way down and up in a block.
    pub duck: Option<(f32, f32, f32)>,
    /// How many may wait or sound.
    pub limit: u32,
    /// Frames after it began in which it is dropped.
    pub again_after: u64,
    /// Whether it sounds at once if no music plays.
    pub anyway: bool,
}

/// A playlist.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Playlist {
    /// Its name's key.
    pub key: NameKey,
    /// The pieces.
    pub pieces: Vec<PieceIndex>,
    /// How many of the last are not drawn again; `None` is one after another.
    pub not_last: Option<u32>,
    /// Ends of the silence between two, in seconds.
    pub gap: (f32, f32),
    /// Frames before the first.
    pub start: u64,
    /// Frames in which the first rises.
    pub fade_in: u64,
    /// Rounds of a section that goes round.
    pub rounds: u32,
}

/// All music.
#[derive(Debug, Clone, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Music {
    /// Pieces.
    pub pieces: ByIndex<PieceIndex, Piece>,
    /// Layers of all sections.
    pub layers: Vec<Layer>,
    /// What layers of notes play.
    pub notes: Vec<Notes>,
    /// Instruments.
    pub instruments: Vec<Instrument>,
    /// What reactions switch.
    pub switches: Vec<Switch>,
    /// Stingers.
    pub stingers: Vec<Stinger>,
    /// Playlists.
    pub lists: Vec<Playlist>,
    /// Indices of pieces by key.
    pub find_piece: Lookup<PieceIndex>,
    /// Indices of stingers by key.
    pub find_stinger: Lookup,
    /// Indices of playlists by key.
    pub find_playlist: Lookup,
    /// Indices of switches by key.
    pub find_switch: Lookup,
    /// The first sound that belongs to a layer: those before it are the project's own.
    pub first_sound: u32,
}

/// The pitch wheel of a channel is moved.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Bend {
    /// Where, in quarter notes from the file's start.
    pub at: Beats,
    /// The channel, from 0.
    pub channel: u8,
    /// Semitones by which its notes are bent from here on.
    pub semitones: f32,
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::music::Kind;
    use proptest::prelude::*;

    /// Root, keys and velocities.
    type Of = (u8, (u8, u8), (u8, u8));

    fn instrument(zones: &[Of]) -> Instrument {
        let clip = Arc::new(Clip::new("a", vec![vec![0.0; 8]], None));
        let takes =
            zones.iter().map(|(root, keys, velocities)| KeyZone { clip: Arc::clone(&clip), root: *root, keys: *keys, velocities: *velocities }).collect();
        Instrument { key: NameKey::of("i"), patch: InstrumentSettings::usual(Kind::Takes), polyphony: 8, takes }
    }

    #[test]
    fn a_note_is_played_by_what_is_for_its_key_and_velocity_recorded_nearest() {
        let all = (1, 127);
        let i = instrument(&[(48, (0, 59), (1, 80)), (48, (0, 59), (81, 127)), (72, (60, 127), all), (60, (60, 127), all)]);
        for (pitch, velocity, zone) in [(50.0, 40, 0), (50.0, 81, 1), (61.0, 100, 3), (70.0, 100, 2), (59.4, 80, 0)] {
            assert_eq!(i.zone(pitch, velocity, 0), Some(zone), "{pitch} {velocity}");
        }
        // Of what is as good a draw chooses.
        let i = instrument(&[(48, (0, 127), all); 3]);
        assert_eq!([0, 1, 2, 3].map(|draw| i.zone(48.0, 9, draw)), [Some(0), Some(1), Some(2), Some(0)]);
        assert_eq!(instrument(&[]).zone(48.0, 9, 0), None);
    }

    proptest! {
        #[test]
        fn what_is_for_a_note_is_played_before_what_is_not(zones in prop::collection::vec((0u8..128, (0u8..128, 0u8..128), (1u8..128, 1u8..128)), 1..8), pitch in 0u8..128, velocity in 1u8..128, draw in any::<u32>()) {
            let sorted: Vec<Of> = zones.iter().map(|(root, k, v)| (*root, (k.0.min(k.1), k.0.max(k.1)), (v.0.min(v.1), v.0.max(v.1)))).collect();
            let i = instrument(&sorted);
            let fits = |z: &KeyZone| (z.keys.0..=z.keys.1).contains(&pitch) && (z.velocities.0..=z.velocities.1).contains(&velocity);
            let found = &i.takes[i.zone(f32::from(pitch), velocity, draw).unwrap()];
            prop_assert_eq!(fits(found), i.takes.iter().any(fits));
            let far = |z: &KeyZone| z.root.abs_diff(pitch);
            if fits(found) {
                prop_assert!(i.takes.iter().filter(|z| fits(z)).all(|z| far(z) >= far(found)));
            }
        }
    }
}
