//! Standard MIDI files (formats 0 and 1) as notes: positions in quarter notes, exactly as written. [`ScoreFile`] has all that is in a file, and writes it.

mod file;
#[cfg(test)]
mod tests;

pub use file::{DIVISION, Event, FileTrack, ScoreFile, What, metre_event};

use crate::door;
use crate::guard;
use estampie_engine::music::Metre;
use estampie_engine::music::exact::Beats;
use estampie_engine::music::spec::Bend;
use midly::{Format, MetaMessage, MidiMessage, Smf, Timing, TrackEventKind};
use std::collections::BTreeMap;
use std::path::Path;

/// A note of a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ScoreNote {
    /// Where it begins, in quarter notes from the file's start.
    pub at: Beats,
    /// How long it is, in quarter notes.
    pub length: Beats,
    /// Its pitch: 60 is middle C.
    pub pitch: u8,
    /// How hard it is struck, 1 to 127.
    pub velocity: u8,
    /// The channel it came on, from 0: its pitch bends with that one's wheel.
    pub channel: u8,
}

/// A track of a file; of a file of format 0, the notes of one channel.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Track {
    /// Its name; `track 2` or `channel 10` if it has none.
    pub name: String,
    /// Its notes, by position and then pitch. One that is let go while the pedal is down lasts until the pedal comes up.
    pub notes: Vec<ScoreNote>,
    /// How the pitch wheel is moved, by position.
    pub bends: Vec<Bend>,
}

/// The wheel and the pedal of a channel while a track is read.
#[derive(Debug, Clone, Copy)]
struct Channel {
    /// Whether the sustain pedal is down.
    pedal: bool,
    /// How far the wheel reaches to either side, in semitones; 2 until the file says otherwise.
    reach: f32,
    /// The registered parameter that is being set: 0 is the wheel's reach (RP-001).
    parameter: (u8, u8),
    /// Where the wheel is, −1 to 1.
    wheel: f32,
}

const AT_REST: Channel = Channel { pedal: false, reach: 2.0, parameter: (127, 127), wheel: 0.0 };

/// Controllers that have a name of their own in the standard and are not taken.
const CONTROLLERS: [(u8, &str); 9] = [
    (1, "modulation"),
    (5, "portamento time"),
    (7, "volume"),
    (10, "pan"),
    (11, "expression"),
    (65, "portamento"),
    (67, "soft pedal"),
    (91, "reverb send"),
    (93, "chorus send"),
];

/// Why a file's notes cannot be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ScoreError {
    /// It is something else, or broken.
    #[error("this is not a Standard MIDI file: {0}")]
    Unknown(String),
    /// Its times have nothing to do with beats.
    #[error("its times are in frames of film, not in beats; export it with a metrical division")]
    Frames,
    /// A file of patterns that follow each other.
    #[error("it is of format 2 (patterns of their own); export it as format 0 or 1")]
    Sequential,
    /// There is no note in it.
    #[error("it has no notes")]
    NoNotes,
    /// It is longer than any file of notes.
    #[error("it is too long for a MIDI file")]
    TooLong,
    /// It cannot be opened or read.
    #[error("{0}")]
    File(String),
    /// Its text has a line that means nothing.
    #[error("line {0} of its text means nothing; take the file as it was kept, or from another program")]
    Line(usize),
}

/// No MIDI file of a piece is longer than this, in bytes.
pub(crate) const LONGEST: u64 = 2 << 20;

/// Whether a path is that of a MIDI file.
#[must_use]
pub fn is_score(name: &str) -> bool {
    let ending = name.rsplit('.').next().unwrap_or_default().to_ascii_lowercase();
    ending == "mid" || ending == "midi"
}

/// Reads a MIDI file.
///
/// # Errors
/// With the reason why it cannot be read.
pub fn read_score(path: &Path) -> Result<Score, ScoreError> {
    let file = |e: std::io::Error| ScoreError::File(e.to_string());
    door::regular(path).map_err(file)?;
    if std::fs::metadata(path).map_err(file)?.len() > LONGEST {
        return Err(ScoreError::TooLong);
    }
    Score::read(&std::fs::read(path).map_err(file)?)
}

/// A file.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Score {
    /// Its tracks that have notes.
    pub tracks: Vec<Track>,
    /// The names of tracks that have a name and no notes.
    pub empty: Vec<String>,
    /// Microseconds of a quarter note, each from a position on.
    pub tempos: Vec<(Beats, u32)>,
    /// Metres, each from a position on.
    pub metres: Vec<(Beats, Metre)>,
    /// The position of the last event.
    pub length: Beats,
    /// What the file holds besides, which is not taken, and how often.
    pub ignored: BTreeMap<String, u32>,
}

/// What a file's bytes are, by a reader of others that must not take the program with it.
fn parsed(bytes: &[u8]) -> Result<Smf<'_>, ScoreError> {
    match guard::caught(|| Smf::parse(bytes)) {
        Some(read) => read.map_err(|e| ScoreError::Unknown(e.to_string())),
        None => Err(ScoreError::Unknown("its reader broke off".into())),
    }
}

impl Score {
    /// Reads a file's bytes.
    ///
    /// # Errors
    /// With what is wrong; that it has no notes is.
    pub fn read(bytes: &[u8]) -> Result<Score, ScoreError> {
        let score = Score::of_bytes(bytes)?;
        if score.tracks.is_empty() { Err(ScoreError::NoNotes) } else { Ok(score) }
    }

    /// Reads a file's bytes, also if there are no notes in them.
    ///
    /// # Errors
    /// With what is wrong.
    pub fn of_bytes(bytes: &[u8]) -> Result<Score, ScoreError> {
        let smf = parsed(bytes)?;
        let Timing::Metrical(division) = smf.header.timing else {
            return Err(ScoreError::Frames);
        };
        if smf.header.format == Format::Sequential {
            return Err(ScoreError::Sequential);
        }
        let division = i64::from(division.as_int().max(1));
        let mut score = Score::default();
        for (index, events) in smf.tracks.iter().enumerate() {
            score.read_track(events, index, division, smf.header.format == Format::SingleTrack);
        }
        score.tempos.sort_by_key(|(at, _)| *at);
        score.metres.sort_by_key(|(at, _)| *at);
        score.tracks.retain(|t| !t.notes.is_empty());
        Ok(score)
    }

    fn read_track(&mut self, events: &[midly::TrackEvent<'_>], index: usize, division: i64, by_channel: bool) {
        let mut name = String::new();
        let mut ticks = 0i64;
        let mut channels: Vec<Track> = (0..if by_channel { 16 } else { 1 }).map(|_| Track::default()).collect();
        // Notes that sound: channel, pitch, and their place in the track; and those that only the pedal holds.
        let mut open: Vec<(u8, u8, usize, usize)> = Vec::new();
        let mut held: Vec<(u8, u8, usize, usize)> = Vec::new();
        let mut wheels = [AT_REST; 16];
        for event in events {
            ticks += i64::from(event.delta.as_int());
            let at = Beats::new(ticks, division);
            self.length = self.length.max(at);
            match event.kind {
                TrackEventKind::Meta(MetaMessage::TrackName(text)) if name.is_empty() => name = String::from_utf8_lossy(text).trim().to_owned(),
                TrackEventKind::Meta(MetaMessage::Tempo(microseconds)) => self.tempos.push((at, microseconds.as_int())),
                TrackEventKind::Meta(MetaMessage::TimeSignature(count, note, ..)) => {
                    if let Some(metre) = 1u32.checked_shl(u32::from(note)).and_then(|note| Metre::read(&format!("{count}/{note}"))) {
                        self.metres.push((at, metre));
                    }
                }
                TrackEventKind::Midi { channel, message } => {
                    let track = if by_channel { usize::from(channel.as_int()) } else { 0 };
                    let channel = channel.as_int();
                    let wheel = &mut wheels[usize::from(channel)];
                    let (pitch, velocity) = match message {
                        MidiMessage::NoteOn { key, vel } => (key.as_int(), vel.as_int()),
                        MidiMessage::NoteOff { key, .. } => (key.as_int(), 0),
                        MidiMessage::PitchBend { bend } => {
                            wheel.wheel = bend.as_f32();
                            channels[track].bends.push(Bend { at, channel, semitones: wheel.wheel * wheel.reach });
                            continue;
                        }
                        MidiMessage::Controller { controller, value } => {
                            let (controller, value) = (controller.as_int(), value.as_int());
                            if controller == 64 {
                                wheel.pedal = value >= 64;
                                if !wheel.pedal {
                                    let_go(&mut held, &mut channels, at, |c, _| c == channel);
                                }
                            } else if !wheel.set(controller, value) {
                                self.ignore(controller_name(controller));
                            } else if matches!(controller, 6 | 38) && wheel.wheel != 0.0 {
                                channels[track].bends.push(Bend { at, channel, semitones: wheel.wheel * wheel.reach });
                            }
                            continue;
                        }
                        MidiMessage::ProgramChange { .. } => {
                            self.ignore("program change".to_owned());
                            continue;
                        }
                        MidiMessage::Aftertouch { .. } | MidiMessage::ChannelAftertouch { .. } => {
                            self.ignore("aftertouch".to_owned());
                            continue;
                        }
                    };
                    if velocity > 0 {
                        // Struck again, what the pedal still holds of it ends.
                        let_go(&mut held, &mut channels, at, |c, p| (c, p) == (channel, pitch));
                        open.push((channel, pitch, track, channels[track].notes.len()));
                        channels[track].notes.push(ScoreNote { at, length: Beats::from_integer(0), pitch, velocity, channel });
                    } else if let Some(found) = open.iter().position(|(c, p, ..)| (*c, *p) == (channel, pitch)) {
                        let note = open.remove(found);
                        held.push(note);
                        if !wheel.pedal {
                            let_go(&mut held, &mut channels, at, |c, p| (c, p) == (channel, pitch));
                        }
                    }
                }
                TrackEventKind::SysEx(_) => self.ignore("system exclusive".to_owned()),
                _ => {}
            }
        }
        let end = Beats::new(ticks, division);
        for (.., track, note) in open.into_iter().chain(held) {
            // A note that is never let go ends with the track.
            let note = &mut channels[track].notes[note];
            note.length = end - note.at;
        }
        if !by_channel && !name.is_empty() && channels[0].notes.is_empty() {
            self.empty.push(name.clone());
        }
        for (channel, mut track) in channels.into_iter().enumerate() {
            track.notes.sort_by_key(|n| (n.at, n.pitch));
            track.name = match (by_channel, name.is_empty()) {
                (true, _) => format!("channel {}", channel + 1),
                (false, true) => format!("track {}", index + 1),
                (false, false) => name.clone(),
            };
            self.tracks.push(track);
        }
    }

    fn ignore(&mut self, what: String) {
        *self.ignored.entry(what).or_default() += 1;
    }

    /// What the file holds that is not taken, in words; empty if there is nothing.
    #[must_use]
    pub fn not_taken(&self) -> String {
        let list: Vec<String> = self.ignored.iter().map(|(what, count)| if *count == 1 { what.clone() } else { format!("{what} ({count} times)") }).collect();
        list.join(", ")
    }

    /// The track of a name.
    #[must_use]
    pub fn track(&self, name: &str) -> Option<&Track> {
        self.tracks.iter().find(|t| t.name == name)
    }

    /// Where a bar (from 0) begins, as the file's metres say; 4/4 where they say nothing.
    #[must_use]
    pub fn bar_start(&self, bar: u32) -> Beats {
        let mut at = Beats::from_integer(0);
        for _ in 0..bar {
            let metre = self.metres.iter().rev().find(|(from, _)| *from <= at).map_or(Metre { count: 4, note: 4 }, |(_, m)| *m);
            at += metre.bar();
        }
        at
    }
}

impl Channel {
    /// Takes a controller that sets how far the wheel reaches; false if it is none of those.
    fn set(&mut self, controller: u8, value: u8) -> bool {
        let reach = self.parameter == (0, 0);
        match controller {
            101 => self.parameter.0 = value,
            100 => self.parameter.1 = value,
            // What is not registered is none of ours until a registered one is chosen.
            98 | 99 => self.parameter = (127, 127),
            6 if reach => self.reach = f32::from(value) + self.reach.fract(),
            38 if reach => self.reach = self.reach.trunc() + f32::from(value) / 100.0,
            _ => return false,
        }
        true
    }
}

fn controller_name(controller: u8) -> String {
    CONTROLLERS.iter().find(|(number, _)| *number == controller).map_or_else(|| format!("controller {controller}"), |(_, name)| (*name).to_owned())
}

/// Ends those of the notes that the pedal holds which are meant.
fn let_go(held: &mut Vec<(u8, u8, usize, usize)>, channels: &mut [Track], at: Beats, meant: impl Fn(u8, u8) -> bool) {
    held.retain(|(channel, pitch, track, note)| {
        let ends = meant(*channel, *pitch);
        if ends {
            let note = &mut channels[*track].notes[*note];
            note.length = at - note.at;
        }
        !ends
    });
}
