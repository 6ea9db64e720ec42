//! Keys and modes: which notes belong, and how to move within them.

/// A scale: steps of the octave that belong to it, from its tonic.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct Mode {
    /// The tonic, 0 (C) to 11 (B).
    pub tonic: u8,
    /// For each semitone above the tonic, whether it belongs.
    pub steps: [bool; 12],
}

/// The steps of the modes that can be named, in semitones from the tonic.
const MODES: [(&str, [u8; 7]); 11] = [
    ("major", [0, 2, 4, 5, 7, 9, 11]),
    ("ionian", [0, 2, 4, 5, 7, 9, 11]),
    ("dorian", [0, 2, 3, 5, 7, 9, 10]),
    ("phrygian", [0, 1, 3, 5, 7, 8, 10]),
    ("lydian", [0, 2, 4, 6, 7, 9, 11]),
    ("mixolydian", [0, 2, 4, 5, 7, 9, 10]),
    ("minor", [0, 2, 3, 5, 7, 8, 10]),
    ("aeolian", [0, 2, 3, 5, 7, 8, 10]),
    ("locrian", [0, 1, 3, 5, 6, 8, 10]),
    ("harmonic minor", [0, 2, 3, 5, 7, 8, 11]),
    ("melodic minor", [0, 2, 3, 5, 7, 9, 11]),
];

/// Scales by their words, each with its steps in semitones from the tonic.
pub(crate) const NAMED_SCALES: [(&str, &[u8]); 10] = [
    ("major", &MODES[0].1),
    ("minor", &MODES[6].1),
    ("dorian", &MODES[2].1),
    ("phrygian", &MODES[3].1),
    ("lydian", &MODES[4].1),
    ("mixolydian", &MODES[5].1),
    ("harmonic minor", &MODES[9].1),
    ("melodic minor", &MODES[10].1),
    ("pentatonic", &[0, 2, 4, 7, 9]),
    ("chromatic", &[0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11]),
];

/// Reads `D dorian`, `B♭ minor`, `F# major`; a tonic alone is major.
#[must_use]
pub fn read_key(text: &str) -> Option<Mode> {
    let text = text.trim();
    let (tonic, mode) = text.split_once(' ').unwrap_or((text, "major"));
    let mut letters = tonic.chars();
    let natural = match letters.next()?.to_ascii_uppercase() {
        'C' => 0,
        'D' => 2,
        'E' => 4,
        'F' => 5,
        'G' => 7,
        'A' => 9,
        'B' => 11,
        _ => return None,
    };
    let moved: i32 = letters
        .map(|c| match c {
            '#' | '♯' => Some(1),
            'b' | '♭' => Some(-1),
            _ => None,
        })
        .sum::<Option<i32>>()?;
    let (_, degrees) = MODES.iter().find(|(name, _)| *name == mode.trim().to_lowercase())?;
    let mut steps = [false; 12];
    for degree in degrees {
        steps[usize::from(*degree)] = true;
    }
    Some(Mode { tonic: (natural + moved).rem_euclid(12) as u8, steps })
}

/// Which step of a mode a pitch (in MIDI semitones) is, counted from the tonic of the lowest octave, and how many semitones it lies above that
/// step; 0 if it belongs to the mode.
#[must_use]
pub fn degree(mode: Mode, pitch: i32) -> (i32, i32) {
    let steps = Steps::of(mode);
    let octave = (pitch - i32::from(mode.tonic)).div_euclid(12);
    let above = (pitch - i32::from(mode.tonic)).rem_euclid(12);
    let step = steps.below(above);
    (octave * steps.count + step, above - steps.at(step))
}

/// The pitch of a step of a mode, counted as [`degree`] does.
#[must_use]
pub fn pitch_of(mode: Mode, degree: i32) -> i32 {
    let steps = Steps::of(mode);
    i32::from(mode.tonic) + 12 * degree.div_euclid(steps.count) + steps.at(degree.rem_euclid(steps.count))
}

/// How many steps an octave of a mode has, 1 to 12.
#[must_use]
pub fn steps_of(mode: Mode) -> i32 {
    Steps::of(mode).count
}

/// A pitch (in MIDI semitones) moved by so many semitones within a mode: it goes as many steps of the scale as lie within
/// the interval above the tonic, so a note of the mode stays in the mode. A note outside keeps its distance to the
/// step below.
#[must_use]
pub fn within(mode: Mode, pitch: i32, semitones: i32) -> i32 {
    let steps = Steps::of(mode);
    let (step, outside) = degree(mode, pitch);
    let way = steps.count * semitones.div_euclid(12) + steps.below(semitones.rem_euclid(12));
    pitch_of(mode, step + way) + outside
}

/// The steps of a mode in a list that needs no memory of its own.
struct Steps {
    list: [i32; 12],
    count: i32,
}

impl Steps {
    fn of(mode: Mode) -> Steps {
        let mut steps = Steps { list: [0; 12], count: 0 };
        for (semitone, there) in mode.steps.iter().enumerate() {
            if *there {
                steps.list[steps.count as usize] = semitone as i32;
                steps.count += 1;
            }
        }
        steps.count = steps.count.max(1);
        steps
    }

    fn at(&self, step: i32) -> i32 {
        self.list[step.clamp(0, 11) as usize]
    }

    /// The highest step that is not above so many semitones.
    fn below(&self, semitones: i32) -> i32 {
        self.list[..self.count as usize].iter().rposition(|s| *s <= semitones).unwrap_or(0) as i32
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn keys_are_read() {
        assert_eq!(read_key("D dorian").map(|m| m.tonic), Some(2));
        assert_eq!(read_key("B♭ minor").map(|m| m.tonic), Some(10));
        assert_eq!(read_key("f# major").map(|m| m.tonic), Some(6));
        assert!(read_key("H major").is_none() && read_key("D happy").is_none() && read_key("").is_none());
    }

    #[test]
    fn a_step_up_in_dorian_is_the_next_note_of_the_mode() {
        let dorian = read_key("D dorian").unwrap();
        // D E F G A B C: up by a whole tone is one step.
        let moved: Vec<i32> = [62, 64, 65, 67, 69, 71, 72].iter().map(|p| within(dorian, *p, 2)).collect();
        assert_eq!(moved, [64, 65, 67, 69, 71, 72, 74]);
        assert_eq!(within(dorian, 62, 12), 74);
        assert_eq!(within(dorian, 62, -2), 60, "a step down is C");
    }

    proptest! {
        #[test]
        fn notes_of_the_mode_stay_in_it(tonic in 0u8..12, which in 0usize..11, pitch in 20i32..100, by in -24i32..=24) {
            let mut mode = read_key(&format!("C {}", MODES[which].0)).unwrap();
            mode.tonic = tonic;
            let belongs = |p: i32| mode.steps[(p - i32::from(tonic)).rem_euclid(12) as usize];
            if belongs(pitch) {
                let moved = within(mode, pitch, by);
                prop_assert!(belongs(moved), "{pitch} by {by} gave {moved}");
                prop_assert!((moved - pitch - by).abs() <= 2, "{pitch} by {by} gave {moved}");
            }
        }
    }
}
