//! A Standard MIDI file with everything that is in it, as a list of events that can be edited and as a text.
//!
//! A project holds its notes as such a text, so that they are edited, undone, compared, merged and kept like all its other texts; on disk they are
//! Standard MIDI files. The text has a line for each event:
//!
//! ```text
//! midi 1 960
//! track
//! 0 name lead
//! 0 program 1 12
//! 0 note 1 62 96 480
//! 480 control 1 64 127
//! 3840 end
//! ```
//!
//! First the tick, of which the first line says how many make a quarter note; channels count from 1, programs from 0. A note says its channel, pitch,
//! velocity and length in ticks, and how fast it is let go where that is not 64. What has no word of its own is kept by its bytes.

use super::{Score, ScoreError, ScoreNote};
use estampie_engine::music::Metre;
use estampie_engine::music::exact::Beats;
use midly::num::{u4, u7, u14, u15, u24, u28};
use midly::{Format, Header, MetaMessage, MidiMessage, PitchBend, Smf, Timing, TrackEvent, TrackEventKind};
use std::fmt::Write as _;

/// What happens in a track. Channels are from 0.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum What {
    /// The track's name.
    Name(String),
    /// Microseconds of a quarter note from here on.
    Tempo(u32),
    /// A metre from here on: how many of which note, MIDI clocks of a click, thirty-seconds of a quarter.
    Metre(u8, u8, u8, u8),
    /// Sharps (less than 0: flats), and whether it is minor.
    Key(i8, bool),
    /// A channel's program.
    Program(u8, u8),
    /// A note: channel, pitch, velocity, length in ticks, and the velocity with which it is let go.
    Note {
        /// The channel.
        channel: u8,
        /// The pitch in MIDI semitones.
        pitch: u8,
        /// 1 to 127.
        velocity: u8,
        /// Ticks.
        length: u32,
        /// How fast it is let go, 0 to 127.
        off: u8,
    },
    /// A note that is never let go: channel, pitch, velocity.
    On(u8, u8, u8),
    /// A note that never began is let go: channel, pitch, velocity.
    Off(u8, u8, u8),
    /// A controller's value: channel, controller, value.
    Control(u8, u8, u8),
    /// A channel's wheel, −8192 to 8191.
    Bend(u8, i16),
    /// Pressure on a key: channel, pitch, pressure.
    Aftertouch(u8, u8, u8),
    /// Pressure on a channel.
    Pressure(u8, u8),
    /// Another event of the file, by its kind.
    Meta(u8, Vec<u8>),
    /// System exclusive bytes.
    SysEx(Vec<u8>),
    /// Any other bytes that are sent as they are.
    Escape(Vec<u8>),
}

/// An event.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Event {
    /// Its tick.
    pub time: u32,
    /// What happens.
    pub what: What,
}

/// A track.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct FileTrack {
    /// What happens, by tick; what happens on one tick keeps its order.
    pub events: Vec<Event>,
    /// The tick on which it ends.
    pub end: u32,
}

/// A file with everything in it. See the module's page.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ScoreFile {
    /// Whether all channels share one track (format 0).
    pub single: bool,
    /// Ticks of a quarter note, 1 to 32,767.
    pub division: u16,
    /// Its tracks.
    pub tracks: Vec<FileTrack>,
}

/// The velocity with which a note is let go if nothing is said.
const PLAIN_OFF: u8 = 64;
/// The ticks of a quarter note in files that are made here: two, three, four, five, six and sixty-four parts of it are whole.
pub const DIVISION: u16 = 960;
/// The latest tick.
const LAST: u32 = (1 << 28) - 1;

impl FileTrack {
    /// Its name as it is written, if it has one.
    #[must_use]
    pub fn name(&self) -> Option<String> {
        let names = self.events.iter().filter_map(|e| match &e.what {
            What::Name(name) => Some(name.trim().to_owned()),
            What::Meta(3, bytes) => Some(String::from_utf8_lossy(bytes).trim().to_owned()),
            _ => None,
        });
        names.into_iter().find(|name| !name.is_empty())
    }

    fn put(&mut self, tick: u32, what: What) {
        let at = self.events.partition_point(|e| e.time <= tick);
        self.events.insert(at, Event { time: tick, what });
        self.end = self.end.max(tick);
    }
}

impl ScoreFile {
    /// A file without tracks.
    #[must_use]
    pub fn new() -> ScoreFile {
        ScoreFile { single: false, division: DIVISION, tracks: Vec::new() }
    }

    /// Reads a file's bytes.
    ///
    /// # Errors
    /// With what is wrong.
    pub fn of_bytes(bytes: &[u8]) -> Result<ScoreFile, ScoreError> {
        let smf = super::parsed(bytes)?;
        let Timing::Metrical(division) = smf.header.timing else { return Err(ScoreError::Frames) };
        if smf.header.format == Format::Sequential {
            return Err(ScoreError::Sequential);
        }
        let tracks = smf.tracks.iter().map(|events| read_track(events)).collect();
        Ok(ScoreFile { single: smf.header.format == Format::SingleTrack, division: division.as_int().max(1), tracks })
    }

    /// Its bytes as a Standard MIDI file.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let format = if self.single { Format::SingleTrack } else { Format::Parallel };
        let header = Header::new(format, Timing::Metrical(u15::new(self.division.clamp(1, 32_767))));
        let lists: Vec<Vec<(u32, TrackEventKind<'_>)>> = self.tracks.iter().map(played).collect();
        let mut smf = Smf::new(header);
        for (track, list) in self.tracks.iter().zip(&lists) {
            let mut events = Vec::with_capacity(list.len() + 1);
            let mut now = 0;
            for (tick, kind) in list {
                events.push(TrackEvent { delta: u28::new((tick - now).min(LAST)), kind: *kind });
                now = *tick;
            }
            let rest = track.end.max(now) - now;
            events.push(TrackEvent { delta: u28::new(rest.min(LAST)), kind: TrackEventKind::Meta(MetaMessage::EndOfTrack) });
            smf.tracks.push(events);
        }
        let mut bytes = Vec::new();
        // Writing to memory does not fail, and what is longer than a chunk can be is refused as it is read.
        let _ = smf.write_std(&mut bytes);
        bytes
    }

    /// Its notes, as they are played.
    ///
    /// # Errors
    /// None that what was read here can have.
    pub fn score(&self) -> Result<Score, ScoreError> {
        Score::of_bytes(&self.to_bytes())
    }

    /// A file of notes.
    #[must_use]
    pub fn of(score: &Score) -> ScoreFile {
        let mut file = ScoreFile::new();
        let mut first = FileTrack::default();
        for (at, tempo) in &score.tempos {
            let tick = file.fit(*at);
            first.put(tick, What::Tempo(*tempo));
        }
        for (at, metre) in &score.metres {
            let tick = file.fit(*at);
            first.put(tick, metre_event(*metre));
        }
        file.tracks.push(first);
        for track in &score.tracks {
            file.add_track(&track.name);
            // The least power of two that reaches as far: what is written as whole semitones stays so.
            let far = track.bends.iter().map(|b| b.semitones.abs()).fold(2.0, f32::max);
            let reach = (far.ceil() as u32).next_power_of_two().min(64) as u8;
            let last = file.tracks.len() - 1;
            for channel in track.bends.iter().map(|b| b.channel).collect::<std::collections::BTreeSet<u8>>() {
                for (controller, value) in [(101, 0), (100, 0), (6, reach), (38, 0)] {
                    file.tracks[last].put(0, What::Control(channel, controller, value));
                }
            }
            for bend in &track.bends {
                let tick = file.fit(bend.at);
                let wheel = (bend.semitones / f32::from(reach) * 8192.0).round().clamp(-8192.0, 8191.0) as i16;
                file.tracks[last].put(tick, What::Bend(bend.channel, wheel));
            }
            file.set_notes(last, &track.notes);
        }
        let end = file.fit(score.length);
        file.tracks[0].end = file.tracks[0].end.max(end);
        file
    }

    /// Where a track of a name is, as its notes are found by: of a file of format 0, `channel 10` and the like are not tracks of their own.
    #[must_use]
    pub fn track(&self, name: &str) -> Option<usize> {
        self.tracks.iter().enumerate().position(|(at, track)| match track.name() {
            Some(own) => own == name,
            None => name == format!("track {}", at + 1),
        })
    }

    /// Gives each channel of a file of format 0 a track of its own, called as its notes are found by.
    pub fn split(&mut self) {
        if !self.single {
            return;
        }
        self.single = false;
        let Some(whole) = self.tracks.pop() else { return };
        let mut tracks: Vec<FileTrack> = (0..17).map(|_| FileTrack { events: Vec::new(), end: whole.end }).collect();
        for event in whole.events {
            let of = event.what.channel().map_or(0, |c| usize::from(c) + 1);
            tracks[of].events.push(event);
        }
        for (at, track) in tracks.iter_mut().enumerate().skip(1) {
            if !track.events.is_empty() {
                track.events.retain(|e| !matches!(e.what, What::Name(_)));
                track.events.insert(0, Event { time: 0, what: What::Name(format!("channel {at}")) });
            }
        }
        tracks.retain(|t| !t.events.is_empty());
        self.tracks = tracks;
    }

    /// Adds a track.
    pub fn add_track(&mut self, name: &str) {
        self.tracks.push(FileTrack { events: vec![Event { time: 0, what: What::Name(name.to_owned()) }], end: 0 });
    }

    /// The tick of a position. Where that is none, as many ticks are made of a quarter note as it needs; what needs more than there can be is put
    /// on the nearest.
    pub fn fit(&mut self, at: Beats) -> u32 {
        let at = at.max(Beats::from_integer(0));
        let division = i64::from(self.division);
        let needs = *(at * division).denom();
        if needs > 1 && division * needs <= 32_767 {
            self.division *= needs as u16;
            for event in self.tracks.iter_mut().flat_map(|t| {
                t.end = t.end.saturating_mul(needs as u32);
                &mut t.events
            }) {
                event.time = event.time.saturating_mul(needs as u32);
                if let What::Note { length, .. } = &mut event.what {
                    *length = length.saturating_mul(needs as u32);
                }
            }
        }
        u32::try_from((at * i64::from(self.division)).round().to_integer()).unwrap_or(LAST).min(LAST)
    }

    /// The notes of a track as they are written, by position and pitch; the pedal makes none of them longer here.
    #[must_use]
    pub fn notes(&self, track: usize) -> Vec<ScoreNote> {
        let beats = |ticks: u32| Beats::new(i64::from(ticks), i64::from(self.division));
        let mut notes: Vec<ScoreNote> = self
            .tracks
            .get(track)
            .map_or(&[][..], |t| &t.events)
            .iter()
            .filter_map(|e| match e.what {
                What::Note { channel, pitch, velocity, length, .. } => Some(ScoreNote { at: beats(e.time), length: beats(length), pitch, velocity, channel }),
                _ => None,
            })
            .collect();
        notes.sort_by_key(|n| (n.at, n.pitch));
        notes
    }

    /// Writes other notes into a track in the place of all that it has. One that begins while the same pitch sounds on its channel ends that; of two
    /// that begin together the longer one stays. What else there is in the track stays as it is.
    pub fn set_notes(&mut self, track: usize, notes: &[ScoreNote]) {
        let beats = |ticks: u32| Beats::new(i64::from(ticks), i64::from(self.division));
        let Some(events) = self.tracks.get(track).map(|t| &t.events) else { return };
        // How a note was let go is kept as long as it stays what it is.
        let own: std::collections::HashMap<_, u8> = events
            .iter()
            .filter_map(|e| match e.what {
                What::Note { channel, pitch, velocity, length, off } if off != PLAIN_OFF => {
                    Some(((beats(e.time), beats(length), pitch, velocity, channel), off))
                }
                _ => None,
            })
            .collect();
        let off_of = |n: &ScoreNote| own.get(&(n.at, n.length, n.pitch, n.velocity, n.channel)).copied().unwrap_or(PLAIN_OFF);
        let offs: Vec<u8> = notes.iter().map(off_of).collect();
        // All positions first: each may change what a tick is.
        for note in notes {
            self.fit(note.at);
            self.fit(note.at + note.length);
        }
        let mut list: Vec<(u32, u32, ScoreNote, u8)> = Vec::with_capacity(notes.len());
        for (note, off) in notes.iter().zip(offs) {
            let (tick, end) = (self.fit(note.at), self.fit(note.at + note.length));
            list.push((tick, (end.max(tick + 1) - tick).min(LAST - tick), *note, off));
        }
        list.sort_by_key(|(tick, length, note, _)| (*tick, note.pitch, note.channel, std::cmp::Reverse(*length)));
        list.dedup_by_key(|(tick, _, note, _)| (*tick, note.pitch, note.channel));
        let mut last: std::collections::HashMap<(u8, u8), usize> = std::collections::HashMap::new();
        for at in 0..list.len() {
            let (tick, _, note, _) = list[at];
            if let Some(before) = last.insert((note.channel, note.pitch), at) {
                list[before].1 = list[before].1.min(tick - list[before].0);
            }
        }
        let events = &mut self.tracks[track].events;
        events.retain(|e| !matches!(e.what, What::Note { .. }));
        events.extend(list.into_iter().map(|(tick, length, n, off)| Event {
            time: tick,
            what: What::Note { channel: n.channel & 15, pitch: n.pitch & 127, velocity: n.velocity.clamp(1, 127), length, off },
        }));
        events.sort_by_key(|e| e.time);
        let end = events.iter().map(|e| if let What::Note { length, .. } = e.what { e.time + length } else { e.time }).max().unwrap_or(0);
        self.tracks[track].end = self.tracks[track].end.max(end);
    }

    /// The channel that a track plays on; the first free one (never the tenth) if it has nothing yet.
    #[must_use]
    pub fn channel(&self, track: usize) -> u8 {
        let own = self.tracks.get(track).and_then(|t| t.events.iter().find_map(|e| e.what.channel()));
        own.unwrap_or_else(|| {
            let taken: Vec<u8> = self.tracks.iter().flat_map(|t| t.events.iter().filter_map(|e| e.what.channel())).collect();
            (0..16).find(|c| *c != 9 && !taken.contains(c)).unwrap_or(0)
        })
    }

    /// Says a tempo, metre or key at the beginning, unless one is said anywhere.
    pub fn begin_with(&mut self, what: What) {
        let same = |other: &What| std::mem::discriminant(other) == std::mem::discriminant(&what);
        if self.tracks.iter().flat_map(|t| &t.events).any(|e| same(&e.what)) {
            return;
        }
        if self.tracks.is_empty() {
            self.tracks.push(FileTrack::default());
        }
        self.tracks[0].put(0, what);
    }

    /// Says which program a track's channel has, unless it is said.
    pub fn program(&mut self, track: usize, channel: u8, program: u8) {
        let Some(track) = self.tracks.get_mut(track) else { return };
        if !track.events.iter().any(|e| matches!(e.what, What::Program(..))) {
            track.put(0, What::Program(channel, program));
        }
    }

    /// It as a text. See the module's page.
    #[must_use]
    pub fn to_text(&self) -> String {
        let mut text = format!("midi {} {}\n", u8::from(!self.single), self.division);
        for track in &self.tracks {
            text.push_str("track\n");
            for event in &track.events {
                // Writing to a string does not fail.
                let _ = writeln!(text, "{} {}", event.time, print(&event.what));
            }
            let _ = writeln!(text, "{} end", track.end);
        }
        text
    }

    /// Reads what [`ScoreFile::to_text`] writes.
    ///
    /// # Errors
    /// With the line (from 1) and what is wrong there.
    pub fn of_text(text: &str) -> Result<ScoreFile, ScoreError> {
        let mut lines = text.lines().enumerate();
        let head: Vec<&str> = lines.next().map_or(Vec::new(), |(_, l)| l.split(' ').collect());
        let bad = |at: usize| ScoreError::Line(at + 1);
        let (single, division) = match head[..] {
            ["midi", format @ ("0" | "1"), division] => (format == "0", division.parse().ok().filter(|d| (1..=32_767).contains(d)).ok_or_else(|| bad(0))?),
            _ => return Err(bad(0)),
        };
        let mut file = ScoreFile { single, division, tracks: Vec::new() };
        for (at, line) in lines {
            if line == "track" {
                file.tracks.push(FileTrack::default());
                continue;
            }
            let (tick, rest) = line.split_once(' ').ok_or_else(|| bad(at))?;
            let tick: u32 = tick.parse().ok().filter(|t| *t <= LAST).ok_or_else(|| bad(at))?;
            let track = file.tracks.last_mut().ok_or_else(|| bad(at))?;
            if rest == "end" {
                track.end = track.end.max(tick);
            } else {
                let what = read(rest).ok_or_else(|| bad(at))?;
                track.put(tick, what);
            }
        }
        Ok(file)
    }
}

impl Default for ScoreFile {
    fn default() -> Self {
        ScoreFile::new()
    }
}

impl What {
    /// The channel that it is for.
    #[must_use]
    pub fn channel(&self) -> Option<u8> {
        match self {
            What::Program(c, _)
            | What::On(c, ..)
            | What::Off(c, ..)
            | What::Control(c, ..)
            | What::Bend(c, _)
            | What::Aftertouch(c, ..)
            | What::Pressure(c, _) => Some(*c),
            What::Note { channel, .. } => Some(*channel),
            _ => None,
        }
    }
}

/// A metre as an event.
#[must_use]
pub fn metre_event(metre: Metre) -> What {
    // A click on each beat: 24 MIDI clocks make a quarter note.
    let clocks = (metre.beat() * 24).round().to_integer().clamp(1, 255) as u8;
    What::Metre(metre.count.min(255) as u8, metre.note.max(1).trailing_zeros() as u8, clocks, 8)
}

fn read_track(events: &[TrackEvent<'_>]) -> FileTrack {
    let mut track = FileTrack::default();
    let mut tick = 0u32;
    // Notes that sound: channel, pitch, and their place.
    let mut open: Vec<(u8, u8, usize)> = Vec::new();
    for event in events {
        tick = tick.saturating_add(event.delta.as_int()).min(LAST);
        let what = match event.kind {
            TrackEventKind::Midi { channel, message } => {
                let channel = channel.as_int();
                match message {
                    MidiMessage::NoteOn { key, vel } if vel.as_int() > 0 => {
                        open.push((channel, key.as_int(), track.events.len()));
                        What::On(channel, key.as_int(), vel.as_int())
                    }
                    MidiMessage::NoteOn { key, .. } | MidiMessage::NoteOff { key, .. } => {
                        let off = if let MidiMessage::NoteOff { vel, .. } = message { vel.as_int() } else { PLAIN_OFF };
                        if let Some(found) = open.iter().position(|(c, p, _)| (*c, *p) == (channel, key.as_int())) {
                            let (channel, pitch, at) = open.remove(found);
                            let begun = &mut track.events[at];
                            if let What::On(_, _, velocity) = begun.what {
                                begun.what = What::Note { channel, pitch, velocity, length: tick - begun.time, off };
                            }
                            track.end = track.end.max(tick);
                            continue;
                        }
                        What::Off(channel, key.as_int(), off)
                    }
                    MidiMessage::Controller { controller, value } => What::Control(channel, controller.as_int(), value.as_int()),
                    MidiMessage::ProgramChange { program } => What::Program(channel, program.as_int()),
                    MidiMessage::PitchBend { bend } => What::Bend(channel, bend.as_int()),
                    MidiMessage::Aftertouch { key, vel } => What::Aftertouch(channel, key.as_int(), vel.as_int()),
                    MidiMessage::ChannelAftertouch { vel } => What::Pressure(channel, vel.as_int()),
                }
            }
            TrackEventKind::Meta(MetaMessage::EndOfTrack) => {
                track.end = track.end.max(tick);
                continue;
            }
            TrackEventKind::Meta(meta) => read_meta(meta),
            TrackEventKind::SysEx(bytes) => What::SysEx(bytes.to_vec()),
            TrackEventKind::Escape(bytes) => What::Escape(bytes.to_vec()),
        };
        track.events.push(Event { time: tick, what });
    }
    track.end = track.end.max(tick);
    track
}

fn read_meta(meta: MetaMessage<'_>) -> What {
    match meta {
        MetaMessage::TrackName(name) => match std::str::from_utf8(name) {
            // What would not come back as it was is kept by its bytes.
            Ok(text) if !text.contains(['\n', '\r']) && text == text.trim() => What::Name(text.to_owned()),
            _ => What::Meta(3, name.to_vec()),
        },
        MetaMessage::Tempo(microseconds) => What::Tempo(microseconds.as_int()),
        MetaMessage::TimeSignature(count, note, clocks, parts) => What::Metre(count, note, clocks, parts),
        MetaMessage::KeySignature(sharps, minor) => What::Key(sharps, minor),
        MetaMessage::TrackNumber(number) => What::Meta(0, number.map_or(Vec::new(), |n| n.to_be_bytes().to_vec())),
        MetaMessage::Text(bytes) => What::Meta(1, bytes.to_vec()),
        MetaMessage::Copyright(bytes) => What::Meta(2, bytes.to_vec()),
        MetaMessage::InstrumentName(bytes) => What::Meta(4, bytes.to_vec()),
        MetaMessage::Lyric(bytes) => What::Meta(5, bytes.to_vec()),
        MetaMessage::Marker(bytes) => What::Meta(6, bytes.to_vec()),
        MetaMessage::CuePoint(bytes) => What::Meta(7, bytes.to_vec()),
        MetaMessage::ProgramName(bytes) => What::Meta(8, bytes.to_vec()),
        MetaMessage::DeviceName(bytes) => What::Meta(9, bytes.to_vec()),
        MetaMessage::MidiChannel(channel) => What::Meta(0x20, vec![channel.as_int()]),
        MetaMessage::MidiPort(port) => What::Meta(0x21, vec![port.as_int()]),
        MetaMessage::SmpteOffset(time) => {
            let fps = match time.fps() {
                midly::Fps::Fps24 => 0,
                midly::Fps::Fps25 => 1,
                midly::Fps::Fps29 => 2,
                midly::Fps::Fps30 => 3,
            };
            What::Meta(0x54, vec![(fps << 5) | time.hour(), time.minute(), time.second(), time.frame(), time.subframe()])
        }
        MetaMessage::SequencerSpecific(bytes) => What::Meta(0x7f, bytes.to_vec()),
        MetaMessage::Unknown(kind, bytes) => What::Meta(kind, bytes.to_vec()),
        MetaMessage::EndOfTrack => What::Meta(0x2f, Vec::new()),
    }
}

/// A track's events as they are sent: a note as its beginning and its end, and what ends before what begins on the same tick.
fn played(track: &FileTrack) -> Vec<(u32, TrackEventKind<'_>)> {
    let midi = |channel: u8, message: MidiMessage| TrackEventKind::Midi { channel: u4::new(channel & 15), message };
    let seven = |value: u8| u7::new(value & 127);
    let mut list: Vec<(u32, u8, TrackEventKind<'_>)> = Vec::with_capacity(track.events.len() * 2);
    for event in &track.events {
        let kind = match &event.what {
            What::Note { channel, pitch, velocity, length, off } => {
                let end = event.time.saturating_add(*length).min(LAST);
                list.push((event.time, 1, midi(*channel, MidiMessage::NoteOn { key: seven(*pitch), vel: seven((*velocity).max(1)) })));
                list.push((end, if *length > 0 { 0 } else { 1 }, midi(*channel, MidiMessage::NoteOff { key: seven(*pitch), vel: seven(*off) })));
                continue;
            }
            What::On(channel, pitch, velocity) => midi(*channel, MidiMessage::NoteOn { key: seven(*pitch), vel: seven((*velocity).max(1)) }),
            What::Off(channel, pitch, velocity) => midi(*channel, MidiMessage::NoteOff { key: seven(*pitch), vel: seven(*velocity) }),
            What::Control(channel, controller, value) => midi(*channel, MidiMessage::Controller { controller: seven(*controller), value: seven(*value) }),
            What::Program(channel, program) => midi(*channel, MidiMessage::ProgramChange { program: seven(*program) }),
            What::Bend(channel, wheel) => {
                let wheel = (i32::from(*wheel).clamp(-8192, 8191) + 8192) as u16;
                midi(*channel, MidiMessage::PitchBend { bend: PitchBend(u14::new(wheel)) })
            }
            What::Aftertouch(channel, pitch, pressure) => midi(*channel, MidiMessage::Aftertouch { key: seven(*pitch), vel: seven(*pressure) }),
            What::Pressure(channel, pressure) => midi(*channel, MidiMessage::ChannelAftertouch { vel: seven(*pressure) }),
            What::Name(name) => TrackEventKind::Meta(MetaMessage::TrackName(name.as_bytes())),
            What::Tempo(microseconds) => TrackEventKind::Meta(MetaMessage::Tempo(u24::new((*microseconds).min((1 << 24) - 1)))),
            What::Metre(count, note, clocks, parts) => TrackEventKind::Meta(MetaMessage::TimeSignature(*count, *note, *clocks, *parts)),
            What::Key(sharps, minor) => TrackEventKind::Meta(MetaMessage::KeySignature(*sharps, *minor)),
            What::Meta(kind, bytes) => TrackEventKind::Meta(MetaMessage::Unknown(*kind, bytes)),
            What::SysEx(bytes) => TrackEventKind::SysEx(bytes),
            What::Escape(bytes) => TrackEventKind::Escape(bytes),
        };
        list.push((event.time, 1, kind));
    }
    list.sort_by_key(|(tick, rank, _)| (*tick, *rank));
    list.into_iter().map(|(tick, _, kind)| (tick, kind)).collect()
}

fn hex(bytes: &[u8]) -> String {
    bytes.iter().fold(String::new(), |mut text, byte| {
        let _ = write!(text, "{byte:02x}");
        text
    })
}

fn unhex(text: &str) -> Option<Vec<u8>> {
    (text.is_ascii() && text.len().is_multiple_of(2)).then_some(())?;
    (0..text.len()).step_by(2).map(|at| u8::from_str_radix(&text[at..at + 2], 16).ok()).collect()
}

fn print(what: &What) -> String {
    match what {
        What::Name(name) => format!("name {name}"),
        What::Tempo(microseconds) => format!("tempo {microseconds}"),
        What::Metre(count, note, clocks, parts) => format!("metre {count} {note} {clocks} {parts}"),
        What::Key(sharps, minor) => format!("key {sharps} {}", if *minor { "minor" } else { "major" }),
        What::Program(channel, program) => format!("program {} {program}", channel + 1),
        What::Note { channel, pitch, velocity, length, off: PLAIN_OFF } => format!("note {} {pitch} {velocity} {length}", channel + 1),
        What::Note { channel, pitch, velocity, length, off } => format!("note {} {pitch} {velocity} {length} {off}", channel + 1),
        What::On(channel, pitch, velocity) => format!("on {} {pitch} {velocity}", channel + 1),
        What::Off(channel, pitch, velocity) => format!("off {} {pitch} {velocity}", channel + 1),
        What::Control(channel, controller, value) => format!("control {} {controller} {value}", channel + 1),
        What::Bend(channel, wheel) => format!("bend {} {wheel}", channel + 1),
        What::Aftertouch(channel, pitch, pressure) => format!("aftertouch {} {pitch} {pressure}", channel + 1),
        What::Pressure(channel, pressure) => format!("pressure {} {pressure}", channel + 1),
        What::Meta(kind, bytes) => format!("meta {kind} {}", hex(bytes)),
        What::SysEx(bytes) => format!("sysex {}", hex(bytes)),
        What::Escape(bytes) => format!("escape {}", hex(bytes)),
    }
}

fn read(text: &str) -> Option<What> {
    let (word, rest) = text.split_once(' ').unwrap_or((text, ""));
    if word == "name" {
        return Some(What::Name(rest.to_owned()));
    }
    let parts: Vec<&str> = rest.split(' ').collect();
    let channel = || parts.first()?.parse::<u8>().ok().filter(|c| (1..=16).contains(c)).map(|c| c - 1);
    let seven = |at: usize| parts.get(at)?.parse::<u8>().ok().filter(|v| *v < 128);
    let any = |at: usize| parts.get(at)?.parse::<u8>().ok();
    let most = |count: usize| (parts.len() <= count).then_some(());
    let what = match word {
        "tempo" => What::Tempo(rest.parse().ok().filter(|t| *t < 1 << 24)?),
        "metre" => What::Metre(any(0)?, any(1)?, any(2)?, any(3)?),
        "key" => What::Key(
            parts.first()?.parse().ok()?,
            match *parts.get(1)? {
                "minor" => true,
                "major" => false,
                _ => return None,
            },
        ),
        "program" => What::Program(channel()?, seven(1)?),
        "note" => {
            let length = parts.get(3)?.parse().ok().filter(|l| *l <= LAST)?;
            let off = if parts.len() > 4 { seven(4)? } else { PLAIN_OFF };
            What::Note { channel: channel()?, pitch: seven(1)?, velocity: seven(2).filter(|v| *v > 0)?, length, off }
        }
        "on" => What::On(channel()?, seven(1)?, seven(2).filter(|v| *v > 0)?),
        "off" => What::Off(channel()?, seven(1)?, seven(2)?),
        "control" => What::Control(channel()?, seven(1)?, seven(2)?),
        "bend" => What::Bend(channel()?, parts.get(1)?.parse().ok().filter(|w| (-8192..8192).contains(w))?),
        "aftertouch" => What::Aftertouch(channel()?, seven(1)?, seven(2)?),
        "pressure" => What::Pressure(channel()?, seven(1)?),
        "meta" => What::Meta(any(0)?, unhex(parts.get(1).copied().unwrap_or(""))?),
        "sysex" => What::SysEx(unhex(rest)?),
        "escape" => What::Escape(unhex(rest)?),
        _ => return None,
    };
    most(5)?;
    Some(what)
}
