//! Chords as they are written, and notes that go along when the chord is another one.

use super::kept;
use estampie_engine::music::spec::Mode;
use estampie_engine::music::{degree, pitch_of, read_key};

/// A chord: its root, 0 (C) to 11, its tones in semitones above the root, and the tone in the bass if it is not the root.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Chord {
    /// The root, 0 (C) to 11 (B).
    pub root: u8,
    /// Semitones above the root, ascending; the root is the first.
    pub tones: Vec<u8>,
    /// The lowest tone, 0 (C) to 11 (B).
    pub bass: u8,
}

/// What can follow a root, and the tones that it means.
const KINDS: [(&str, &[u8]); 24] = [
    ("", &[0, 4, 7]),
    ("maj", &[0, 4, 7]),
    ("m", &[0, 3, 7]),
    ("min", &[0, 3, 7]),
    ("dim", &[0, 3, 6]),
    ("°", &[0, 3, 6]),
    ("aug", &[0, 4, 8]),
    ("+", &[0, 4, 8]),
    ("5", &[0, 7]),
    ("sus2", &[0, 2, 7]),
    ("sus4", &[0, 5, 7]),
    ("6", &[0, 4, 7, 9]),
    ("m6", &[0, 3, 7, 9]),
    ("7", &[0, 4, 7, 10]),
    ("m7", &[0, 3, 7, 10]),
    ("maj7", &[0, 4, 7, 11]),
    ("mmaj7", &[0, 3, 7, 11]),
    ("dim7", &[0, 3, 6, 9]),
    ("m7b5", &[0, 3, 6, 10]),
    ("ø", &[0, 3, 6, 10]),
    ("7sus4", &[0, 5, 7, 10]),
    ("add9", &[0, 2, 4, 7]),
    ("madd9", &[0, 2, 3, 7]),
    ("9", &[0, 2, 4, 7, 10]),
];

/// Reads `Dm`, `C`, `B♭7`, `F#m7b5`, `C/G`.
#[must_use]
pub fn read_chord(text: &str) -> Option<Chord> {
    let (chord, bass) = text.trim().split_once('/').map_or((text.trim(), None), |(c, b)| (c, Some(b)));
    // The letter is a capital, so that no word is taken for a chord.
    let letter = chord.chars().next().filter(char::is_ascii_uppercase)?;
    let signs = chord[1..].chars().take_while(|c| matches!(c, '#' | '♯' | 'b' | '♭')).map(char::len_utf8).sum::<usize>();
    let root = read_key(&chord[..letter.len_utf8() + signs])?.tonic;
    let kind = chord[letter.len_utf8() + signs..].replace('♭', "b").replace('M', "maj");
    let (_, tones) = KINDS.iter().find(|(word, _)| *word == kind)?;
    let bass = match bass {
        Some(bass) => read_key(bass).filter(|_| !bass.contains(' '))?.tonic,
        None => root,
    };
    Some(Chord { root, tones: tones.to_vec(), bass })
}

/// How notes go along when the chord is another one than that which they were written for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Follow {
    /// With the root: what was its third is the third of the other.
    Root,
    /// To the nearest tone of the other chord, so that the line stays where it is.
    Nearest,
}

impl Chord {
    fn has(&self, pitch: i32) -> bool {
        self.tones.iter().any(|t| (pitch - i32::from(self.root) - i32::from(*t)).rem_euclid(12) == 0)
    }

    /// The scale over it: the mode's steps, each tone of the chord in the place of the step that is nearest to it.
    fn scale(&self, mode: Mode) -> Mode {
        let mut steps = [false; 12];
        let tonic = i32::from(self.root);
        for (semitone, step) in steps.iter_mut().enumerate() {
            *step = mode.steps[(tonic + semitone as i32 - i32::from(mode.tonic)).rem_euclid(12) as usize];
        }
        for tone in &self.tones {
            let at = usize::from(*tone) % 12;
            if !steps[at] {
                steps[at] = true;
                // The neighbour gives way, unless it is a tone of the chord itself.
                let near = [(at + 1) % 12, (at + 11) % 12].into_iter().find(|n| steps[*n] && !self.tones.iter().any(|t| usize::from(*t) % 12 == *n));
                if let Some(near) = near {
                    steps[near] = false;
                }
            }
        }
        Mode { tonic: self.root, steps }
    }
}

/// The pitch that a note which was written for one chord has over another one, in a mode.
#[must_use]
pub fn through(pitch: u8, from: &Chord, to: &Chord, mode: Mode, follow: Follow) -> u8 {
    if from == to {
        return pitch;
    }
    let here = i32::from(pitch);
    match follow {
        Follow::Root => {
            let (step, outside) = degree(from.scale(mode), here);
            // The root goes the shorter way.
            let way = (i32::from(to.root) - i32::from(from.root) + 5).rem_euclid(12) - 5;
            let steps = |chord: &Chord| estampie_engine::music::steps_of(chord.scale(mode));
            let octave = (here - i32::from(from.root)).div_euclid(12);
            let within = step - octave * steps(from);
            let to_scale = to.scale(mode);
            let root = octave * 12 + i32::from(from.root) + way;
            let (base, _) = degree(to_scale, root);
            kept(pitch_of(to_scale, base + within) + outside)
        }
        Follow::Nearest => {
            // A tone of the chord goes to a tone of the other, what passes between them to a step of its scale.
            let scale = to.scale(mode);
            let fits = |p: i32| if from.has(here) { to.has(p) } else { degree(scale, p).1 == 0 };
            let near = (0..12).flat_map(|off| [here - off, here + off]).find(|p| fits(*p));
            kept(near.unwrap_or(here))
        }
    }
}
