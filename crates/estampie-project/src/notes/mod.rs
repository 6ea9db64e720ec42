//! What is done with notes that are written here: moved, turned round, thinned out, varied, made from chords. All of it is worked out from a list of
//! notes and gives another; nothing here knows of files or screens.
//!
//! Positions are in quarter notes from the beginning of the section.

mod chord;
mod from_chords;
#[cfg(test)]
mod tests;

pub use chord::{Chord, Follow, read_chord, through};
pub use from_chords::{FIGURES, Figure, from_chords};

use crate::midi::ScoreNote;
use estampie_engine::music::exact::Beats;
use estampie_engine::music::spec::Mode;
use estampie_engine::music::{degree, pitch_of, read_key};
use rand::{Rng as _, SeedableRng as _};
use rand_pcg::Pcg32;

/// The scale of no key: all twelve semitones.
pub const CHROMATIC: Mode = Mode { tonic: 0, steps: [true; 12] };

/// The names of the twelve pitches of an octave.
const NAMES: [&str; 12] = ["C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B"];

/// Reads a pitch such as `D3`, `F#4`, `B♭2` or `62`: C4 is 60.
#[must_use]
pub fn read_pitch(text: &str) -> Option<u8> {
    if let Ok(number) = text.parse::<u8>() {
        return Some(number).filter(|n| *n < 128);
    }
    let digits = text.find(|c: char| c.is_ascii_digit() || c == '-')?;
    let key = read_key(&text[..digits])?;
    let octave: i32 = text[digits..].parse().ok()?;
    u8::try_from((octave + 1) * 12 + i32::from(key.tonic)).ok().filter(|n| *n < 128)
}

/// A pitch as [`read_pitch`] reads it.
#[must_use]
pub fn print_pitch(pitch: u8) -> String {
    format!("{}{}", NAMES[usize::from(pitch % 12)], i32::from(pitch / 12) - 1)
}

fn kept(pitch: i32) -> u8 {
    pitch.clamp(0, 127) as u8
}

/// Moves notes by so many steps of a mode; what does not belong to it keeps its distance to the step below. A note that would leave the keyboard
/// stays on its edge.
pub fn transpose(notes: &mut [ScoreNote], mode: Mode, steps: i32) {
    for note in notes {
        let (step, outside) = degree(mode, i32::from(note.pitch));
        note.pitch = kept(pitch_of(mode, step + steps) + outside);
    }
}

/// Turns notes upside down within a mode: what went up from the first goes as many steps down.
pub fn invert(notes: &mut [ScoreNote], mode: Mode) {
    let Some(first) = notes.iter().min_by_key(|n| (n.at, n.pitch)).map(|n| degree(mode, i32::from(n.pitch)).0) else { return };
    for note in notes {
        let (step, outside) = degree(mode, i32::from(note.pitch));
        note.pitch = kept(pitch_of(mode, 2 * first - step) - outside);
    }
}

/// Leaves out the weakest: all notes whose place is as weak as the weakest there is, by `weakness` (0 is the strongest). Where all are alike nothing
/// is left out.
#[must_use]
pub fn thinned(notes: &[ScoreNote], weakness: impl Fn(&ScoreNote) -> f32) -> Vec<ScoreNote> {
    let weak = |n: &ScoreNote| (weakness(n) * 1_000.0).round() as i32;
    let (least, most) = notes.iter().map(weak).fold((i32::MAX, i32::MIN), |(l, m), w| (l.min(w), m.max(w)));
    notes.iter().filter(|n| least == most || weak(n) < most).copied().collect()
}

/// The nearest line of a grid of so many quarter notes; a half goes on.
#[must_use]
pub fn nearest_line(at: Beats, grid: Beats) -> Beats {
    (at / grid + Beats::new(1, 2)).floor() * grid
}

/// Moves where notes begin towards the nearest line of a grid, by a share of the way from 0 to 1 in hundredths.
pub fn quantise(notes: &mut [ScoreNote], grid: Beats, share: f32) {
    let share = Beats::new((share.clamp(0.0, 1.0) * 100.0).round() as i64, 100);
    for note in notes {
        note.at += (nearest_line(note.at, grid) - note.at) * share;
    }
}

/// Gives notes velocities that go evenly from one to another, by their positions; 1 to 127.
pub fn velocities(notes: &mut [ScoreNote], from: u8, to: u8) {
    let ends = notes.iter().map(|n| n.at).min().zip(notes.iter().map(|n| n.at).max());
    let Some((first, last)) = ends else { return };
    let number = |b: Beats| *b.numer() as f32 / *b.denom() as f32;
    for note in notes {
        let share = if last > first { number((note.at - first) / (last - first)) } else { 0.0 };
        note.velocity = (f32::from(from) + (f32::from(to) - f32::from(from)) * share).round().clamp(1.0, 127.0) as u8;
    }
}

/// Lets each note last until the next one begins, the last until `end`: slurred. Those of a chord stay together.
pub fn slur(notes: &mut [ScoreNote], end: Beats) {
    let mut onsets: Vec<Beats> = notes.iter().map(|n| n.at).collect();
    onsets.sort_unstable();
    for note in notes {
        let next = onsets.get(onsets.partition_point(|at| *at <= note.at)).copied().unwrap_or(end);
        if next > note.at {
            note.length = next - note.at;
        }
    }
}

/// A note as so many strokes of equal length, each a little softer or louder than the one before: a ratchet.
#[must_use]
pub fn ratchet(note: ScoreNote, count: u8) -> Vec<ScoreNote> {
    let count = i64::from(count.max(1));
    (0..count).map(|n| ScoreNote { at: note.at + note.length * Beats::new(n, count), length: note.length / count, ..note }).collect()
}

/// Another pattern like this, the same for the same seed: it keeps its rhythm where the bar is strong, moves some of the other notes by a step or
/// two of the mode, swaps velocities, and lets a few go or come.
#[must_use]
pub fn varied(notes: &[ScoreNote], mode: Mode, step: Beats, seed: u64, weakness: impl Fn(&ScoreNote) -> f32) -> Vec<ScoreNote> {
    let mut random = Pcg32::seed_from_u64(seed);
    let mut list: Vec<ScoreNote> = Vec::with_capacity(notes.len());
    for note in notes {
        let mut note = *note;
        let weak = weakness(&note).clamp(0.0, 1.0);
        let drawn: [f32; 4] = std::array::from_fn(|_| random.random());
        if weak > 0.3 && drawn[0] < 0.1 * weak {
            continue;
        }
        if drawn[1] < 0.35 * weak {
            let by = *[-2, -1, 1, 2].get((drawn[2] * 4.0) as usize).unwrap_or(&1);
            transpose(std::slice::from_mut(&mut note), mode, by);
        }
        note.velocity = (f32::from(note.velocity) + (drawn[3] - 0.5) * 24.0 * weak).round().clamp(1.0, 127.0) as u8;
        list.push(note);
        // A passing note in the second half of a long weak one.
        if weak > 0.3 && note.length >= step * 2 && drawn[2] < 0.15 {
            let half = nearest_line(note.length / 2, step).max(step);
            let last = list.len() - 1;
            let whole = std::mem::replace(&mut list[last].length, half);
            let mut more = ScoreNote { at: note.at + half, length: whole - half, ..note };
            if more.length > Beats::from_integer(0) {
                transpose(std::slice::from_mut(&mut more), mode, if drawn[0] < 0.5 { 1 } else { -1 });
                more.velocity = (more.velocity / 4 * 3).max(1);
                list.push(more);
            }
        }
    }
    list
}
