//! Melodies as text, Standard MIDI files, and recordings of them by the instruments of the engine.
//!
//! A line is written as notes with lengths: `D4/1 E4/.5 -/.5 D3+A3/2` is a quarter, an eighth, an eighth's rest and a
//! half with two notes, if lengths are in quarters. `!` after a note is a hard stroke, `?` a soft one; `|` stands between bars.

use estampie_engine::music::exact::{Beats, read};
use estampie_engine::music::{InstrumentSettings, Stroke, Tone, read_key};
use midly::num::{u4, u7, u15, u24, u28};
use midly::{Format, Header, MetaMessage, MidiMessage, Smf, Timing, TrackEvent, TrackEventKind};
use std::path::Path;

/// A note: position and length in quarters, pitch, velocity.
pub(crate) type Note = (Beats, Beats, u8, u8);

/// A track: its name and notes.
pub(crate) struct Part {
    pub(crate) name: &'static str,
    pub(crate) notes: Vec<Note>,
}

fn pitch(name: &str) -> u8 {
    let digits = name.find(|c: char| c.is_ascii_digit()).unwrap_or(name.len());
    let key = read_key(&name[..digits]).map_or(0, |k| k.tonic);
    let octave: u8 = name[digits..].parse().unwrap_or(4);
    (octave + 1) * 12 + key
}

/// Reads a line whose lengths are in `unit` quarters; it begins at `from` quarters.
pub(crate) fn line(text: &str, unit: Beats, from: Beats) -> Vec<Note> {
    let mut at = from;
    let mut notes = Vec::new();
    for word in text.split_whitespace().filter(|w| *w != "|") {
        let (names, length) = word.split_once('/').unwrap_or((word, "1"));
        let length = if length.starts_with('.') { read(&format!("0{length}")) } else { read(length) };
        let length = length.unwrap_or_else(|| Beats::from_integer(1)) * unit;
        for name in names.split('+').filter(|n| *n != "-") {
            let velocity = if name.ends_with('!') {
                112
            } else if name.ends_with('?') {
                56
            } else {
                // The first note of every bar of four is a little stronger.
                if (at / Beats::from_integer(4)).is_integer() { 98 } else { 86 }
            };
            notes.push((at, length, pitch(name.trim_end_matches(['!', '?'])), velocity));
        }
        at += length;
    }
    notes
}

/// Quarters that a line lasts.
#[cfg(test)]
pub(crate) fn length(text: &str) -> Beats {
    let rests = format!("{text} C0/1");
    line(&rests, Beats::from_integer(1), Beats::from_integer(0)).last().map_or(Beats::from_integer(0), |n| n.0)
}

const DIVISION: i64 = 480;

/// Writes a file of format 1: a track of tempo and metre, then one for each part.
pub(crate) fn write(path: &Path, tempo: u32, metre: (u8, u8), parts: &[Part]) -> Result<(), String> {
    let ticks = |at: Beats| (at * DIVISION).round().to_integer() as u32;
    let meta = |kind| TrackEvent { delta: u28::new(0), kind: TrackEventKind::Meta(kind) };
    let mut smf = Smf::new(Header { format: Format::Parallel, timing: Timing::Metrical(u15::new(DIVISION as u16)) });
    smf.tracks.push(vec![
        meta(MetaMessage::TimeSignature(metre.0, metre.1.trailing_zeros() as u8, 24, 8)),
        meta(MetaMessage::Tempo(u24::new(tempo))),
        meta(MetaMessage::EndOfTrack),
    ]);
    for (channel, part) in parts.iter().enumerate() {
        let mut events: Vec<(u32, bool, u8, u8)> = Vec::new();
        for (at, length, pitch, velocity) in &part.notes {
            events.push((ticks(*at), true, *pitch, *velocity));
            // A sixteenth of the note is air, so that one pitch can be struck again.
            events.push((ticks(*at + *length * Beats::new(15, 16)), false, *pitch, 0));
        }
        events.sort_by_key(|(at, on, pitch, _)| (*at, *on, *pitch));
        let mut track = vec![meta(MetaMessage::TrackName(part.name.as_bytes()))];
        let mut last = 0;
        for (at, on, pitch, velocity) in events {
            let (key, vel) = (u7::new(pitch), u7::new(velocity));
            let message = if on { MidiMessage::NoteOn { key, vel } } else { MidiMessage::NoteOff { key, vel } };
            track.push(TrackEvent { delta: u28::new(at - last), kind: TrackEventKind::Midi { channel: u4::new(channel as u8), message } });
            last = at;
        }
        track.push(meta(MetaMessage::EndOfTrack));
        smf.tracks.push(track);
    }
    if let Some(folder) = path.parent() {
        std::fs::create_dir_all(folder).map_err(|e| format!("{}: {e}", folder.display()))?;
    }
    smf.save(path).map_err(|e| format!("{}: {e}", path.display()))
}

/// Plays notes that lie in `from..to` quarters with an instrument, at so many quarters a minute: one channel that begins with
/// `from` and rings on until it is silent.
pub(crate) fn play(notes: &[Note], (from, to): (Beats, Beats), tempo: f64, patch: &InstrumentSettings) -> Vec<f64> {
    const RATE: u32 = 48_000;
    let frame = |at: Beats| {
        let quarters = *at.numer() as f64 / *at.denom() as f64;
        (quarters * 60.0 / tempo * f64::from(RATE)).round() as usize
    };
    let mut out = vec![0.0f32; frame(to - from) + RATE as usize * 6];
    for (index, (at, length, pitch, velocity)) in notes.iter().enumerate().filter(|(_, n)| n.0 >= from && n.0 < to) {
        let mut tone = Tone::new(RATE);
        let length = frame(*length * Beats::new(15, 16)) as u64;
        let stroke = Stroke { pitch: f32::from(*pitch), velocity: f32::from(*velocity) / 127.0, wait: 0, length, seed: index as u32 * 7919 + 1 };
        tone.start(patch, stroke, None, RATE);
        for block in out[frame(*at - from)..].chunks_mut(64) {
            if tone.gone() {
                break;
            }
            let mut sides = [[0.0; 64]; 2];
            let [left, right] = &mut sides;
            tone.render([left, right], RATE);
            block.iter_mut().zip(&sides[0]).for_each(|(out, left)| *out += left);
        }
    }
    let end = out.iter().rposition(|s| s.abs() > 1e-4).map_or(0, |at| at + 480).max(frame(to - from));
    out.truncate(end.min(out.len()));
    // It comes to rest in its last hundredth of a second.
    let tail = 480.min(out.len());
    let start = out.len() - tail;
    for (i, s) in out[start..].iter_mut().enumerate() {
        *s *= 1.0 - (i + 1) as f32 / tail as f32;
    }
    out.into_iter().map(f64::from).collect()
}
