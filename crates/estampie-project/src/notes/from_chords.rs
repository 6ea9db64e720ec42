//! Lines made from chords: a bass, a pad, a broken chord, as something to begin with.

use super::{Chord, kept};
use crate::midi::ScoreNote;
use estampie_engine::music::Map;
use estampie_engine::music::exact::Beats;

/// What is made from chords.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Figure {
    /// The lowest tone on every bar and its fifth in the middle of it.
    Bass,
    /// All tones, held as long as the chord, each as near as can be to where it was.
    Pad,
    /// The tones one after another, a step each.
    Broken,
    /// All tones, short, on every beat but the first.
    Offbeat,
}

/// All of them, with their words.
pub const FIGURES: [(Figure, &str); 4] = [(Figure::Bass, "bass"), (Figure::Pad, "pad"), (Figure::Broken, "broken"), (Figure::Offbeat, "offbeat")];

/// Notes over the chords of a section, each from a position on; `step` is the length of a step in quarter notes, `around` the pitch they lie about.
#[must_use]
pub fn from_chords(figure: Figure, chords: &[(Beats, Chord)], map: &Map, step: Beats, around: u8) -> Vec<ScoreNote> {
    let end = map.length();
    let mut notes = Vec::new();
    let mut last: Vec<i32> = Vec::new();
    for (n, (from, chord)) in chords.iter().enumerate() {
        let until = chords.get(n + 1).map_or(end, |(at, _)| *at).min(end);
        if until <= *from {
            continue;
        }
        let voices = voiced(chord, &last, i32::from(around));
        let mut put = |at: Beats, length: Beats, pitch: i32, velocity: u8| notes.push(ScoreNote { at, length, pitch: kept(pitch), velocity, channel: 0 });
        match figure {
            Figure::Pad => voices.iter().for_each(|p| put(*from, until - *from, *p, 72)),
            Figure::Broken => {
                let mut at = *from;
                let mut tone = 0;
                while at < until {
                    let strong = map.bar_beat(at).2 == Beats::from_integer(0);
                    put(at, step.min(until - at), voices[tone % voices.len()], if strong { 92 } else { 74 });
                    (at, tone) = (at + step, tone + 1);
                }
            }
            Figure::Bass | Figure::Offbeat => {
                let low = near(i32::from(chord.bass), i32::from(around));
                for bar in 0..map.bars() {
                    let (start, metre) = (map.bar_start(bar), map.metre(bar));
                    let inside = |at: Beats| at >= *from && at < until;
                    if figure == Figure::Offbeat {
                        let beats = (metre.bar() / metre.beat()).to_integer();
                        for at in (1..beats).map(|b| start + metre.beat() * b).filter(|at| inside(*at)) {
                            voices.iter().for_each(|p| put(at, step.min(until - at), *p, 70));
                        }
                        continue;
                    }
                    let half = start + metre.beat() * ((metre.bar() / metre.beat()) / 2).ceil();
                    // A chord that begins within a bar says its lowest tone where it begins.
                    let first = start.max(*from);
                    if inside(first) && first < start + metre.bar() {
                        let length = if first < half && inside(half) { half - first } else { (start + metre.bar()).min(until) - first };
                        put(first, length, low, 100);
                    }
                    if inside(half) && half > first {
                        put(half, (start + metre.bar()).min(until) - half, fifth(chord, low), 84);
                    }
                }
            }
        }
        last = voices;
    }
    notes
}

/// The pitch of a tone (0 to 11) that is nearest to another.
fn near(tone: i32, around: i32) -> i32 {
    around + (tone - around + 6).rem_euclid(12) - 6
}

/// The fifth above a chord's root next to its lowest tone, or the root itself if it has none.
fn fifth(chord: &Chord, low: i32) -> i32 {
    let fifth = chord.tones.iter().find(|t| (6..=8).contains(*t)).map_or(0, |t| i32::from(*t));
    near((i32::from(chord.root) + fifth).rem_euclid(12), low + 4)
}

/// A chord's tones, each near to one of those before; about a pitch if there are none.
fn voiced(chord: &Chord, last: &[i32], around: i32) -> Vec<i32> {
    let middle = if last.is_empty() { around } else { last.iter().sum::<i32>() / last.len() as i32 };
    // Of all turns of the chord the one that moves least as a whole.
    let tones: Vec<i32> = chord.tones.iter().map(|t| (i32::from(chord.root) + i32::from(*t)).rem_euclid(12)).collect();
    let turn = |first: usize, base: i32| {
        let mut list = Vec::with_capacity(tones.len());
        let mut at = near(tones[first], base);
        for n in 0..tones.len() {
            let tone = tones[(first + n) % tones.len()];
            at += (tone - at).rem_euclid(12);
            list.push(at);
        }
        list
    };
    let far = |list: &[i32]| {
        let sum = list.iter().sum::<i32>() / list.len() as i32;
        let moved: i32 = last.iter().map(|l| list.iter().map(|p| (p - l).abs()).min().unwrap_or(0)).sum();
        moved * 4 + (sum - middle).abs() + (sum - around).abs() / 3
    };
    let turns = (0..tones.len()).flat_map(|first| [-12, -7, -4, 0].map(|off| turn(first, middle + off)));
    turns.min_by_key(|list| far(list)).unwrap_or_default()
}
