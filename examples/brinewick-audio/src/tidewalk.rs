//! *Tidewalk*: an estampie of our own in D dorian at ♩ = 92. Written as notes, and recorded layer by layer.
//!
//! Bars in the file: *drift* 1–8 (its open ending is 7–8), its close ending 9–10, *pursuit* 11–14, the *fill* 15,
//! the bridge *ebb* 16–17, *surfaced* 18–23.

use crate::craft::frames;
use crate::score::{Note, Part, line, play};
use crate::write::Group;
use estampie_engine::music::exact::Beats;
use estampie_engine::music::{InstrumentSettings, Kind};

const TEMPO: f64 = 92.0;

/// A section: its name, its first bar in the file (from 0) and its length in bars.
const SECTIONS: [(&str, i64, i64); 6] = [("drift", 0, 8), ("drift-close", 8, 2), ("pursuit", 10, 4), ("fill", 14, 1), ("ebb", 15, 2), ("surfaced", 17, 6)];

const PULSE: [&str; 6] = [
    "D4/1 E4/.5 F4/.5 A4/1 G4/.5 F4/.5 | E4/1 D4/.5 C4/.5 D4/1.5 E4/.5 | F4/1 G4/.5 A4/.5 B4/1 A4/.5 G4/.5 | F4/1 G4/1 E4/2 | D4/1 E4/.5 F4/.5 A4/1 G4/.5 F4/.5 | E4/1 D4/.5 C4/.5 D4/1 B3/1 | C4/.5 D4/.5 E4/1 D4/.5 C4/.5 B3/1 | C4/.5 B3/.5 A3/1 E4/2",
    "C4/.5 D4/.5 E4/1 D4/.5 C4/.5 A3/1 | C4/.5 E4/.5 D4/3",
    "D4!/.5 D4/.5 A4/.5 D4/.5 C5!/.5 A4/.5 G4/.5 E4/.5 | D4!/.5 D4/.5 A4/.5 D4/.5 B4!/.5 A4/.5 F4/.5 E4/.5 | D4!/.5 D4/.5 F4/.5 G4/.5 A4!/.5 C5/.5 A4/.5 G4/.5 | F4!/.5 F4/.5 G4/.5 E4/.5 C4!/.5 E4/.5 D4/.5 C4/.5",
    "A3!/.5 B3/.5 C4/.5 D4/.5 E4!/.5 F4/.5 G4/.5 A4!/.5",
    "D4/1 C4/1 A3/1 C4/1 | B3/1.5 A3/.5 A3/2",
    "D4?/1 F4/1 A4/2 | C5/1 B4/.5 A4/.5 G4/2 | A4/1 F4/1 E4/1 D4/1 | F4/1 E4/.5 D4/.5 C4/2 | D4/1 E4/.5 F4/.5 G4/1 E4/1 | D4/4",
];

const VIOLS: [&str; 6] = [
    "D3+A3+D4/4 | D3+A3+C4/4 | D3+A3+F4/4 | D3+A3+E4/4 | D3+A3+D4/4 | D3+A3+C4/4 | C3+G3+B3/4 | A2+E3+C4/4",
    "C3+G3+E4/4 | D3+A3+D4/4",
    "D3!+A3!/.5 D3+A3/.5 -/.5 D3+A3/.5 C3!+G3!/.5 C3+G3/.5 -/1 | D3!+A3!/.5 D3+A3/.5 -/.5 D3+A3/.5 B2!+F3!/.5 B2+F3/.5 -/1 | D3!+A3!/.5 D3+A3/.5 -/.5 D3+A3/.5 F3!+C4!/.5 F3+C4/.5 -/1 | F3!+C4!/.5 F3+C4/.5 -/.5 F3+C4/.5 C3!+G3!/.5 C3+G3/.5 G3/1",
    "A2!+E3!/2 C3+G3/1 E3!+A3!/1",
    "D3+A3/4 | C3+G3/2 D3+A3/2",
    "D3+A3+F4/4 | C3+G3+E4/4 | D3+A3+F4/4 | B2+F3+D4/4 | C3+G3+C4/2 A2+E3+C4/2 | D3+A3+D4/4",
];

const REED: [&str; 6] = [
    "-/4 | A4?/2 G4/1 F4/1 | -/4 | D5?/1.5 C5/.5 B4/1 A4/1 | -/4 | A4?/1 B4/1 C5/1 A4/1 | G4/3 -/1 | E4/2 -/2",
    "-/2 E4?/2 | D4/3 -/1",
    "D5!/1 -/1 C5/.5 D5/.5 A4/1 | D5!/1 -/1 B4/.5 C5/.5 A4/1 | D5!/1 F5/1 E5/.5 D5/.5 C5/1 | C5!/1.5 D5/.5 E5/2",
    "-/2 E5?/.5 F5/.5 G5!/1",
    "A4/2 G4/2 | F4/2 E4?/2",
    "-/4 | E5?/2 D5/2 | -/4 | D5?/2 C5/1 B4/1 | C5/2 -/2 | A4?/4",
];

/// Strokes of the tabor: A2 is its skin, E3 its rim.
const TABOR: [&str; 6] = [
    "A2!/1.5 E3?/.5 A2/1 E3?/.5 E3?/.5 | A2!/1.5 E3?/.5 A2/1 E3/1 | A2!/1.5 E3?/.5 A2/1 E3?/.5 E3?/.5 | A2!/1 E3/.5 E3?/.5 A2/1 E3/1 | A2!/1.5 E3?/.5 A2/1 E3?/.5 E3?/.5 | A2!/1.5 E3?/.5 A2/1 E3/1 | A2!/1.5 E3?/.5 A2/1 E3?/.5 E3?/.5 | A2!/1 E3?/.5 E3?/.5 E3/.5 E3/.5 A2/1",
    "A2!/1.5 E3?/.5 A2/1 E3/1 | A2!/4",
    "A2!/.5 E3/.25 E3?/.25 A2/.5 E3/.5 A2!/.5 E3/.5 A2/.5 E3/.5 | A2!/.5 E3/.25 E3?/.25 A2/.5 E3/.5 A2!/.5 E3/.5 A2/.25 E3/.25 E3/.5 | A2!/.5 E3/.25 E3?/.25 A2/.5 E3/.5 A2!/.5 E3/.5 A2/.5 E3/.5 | A2!/.5 E3/.5 A2/.5 E3/.5 A2!/.25 E3/.25 E3/.25 E3/.25 A2/.5 E3/.5",
    "A2!/.25 E3?/.25 E3?/.25 E3?/.25 A2/.25 E3/.25 E3/.25 E3/.25 A2!/.25 E3/.25 A2/.25 E3/.25 A2!/.5 A2!/.5",
    "A2!/2 E3?/1 E3?/1 | A2/2 -/2",
    "-/4 | -/4 | A2?/2 E3?/2 | A2?/2 E3?/2 | A2?/2 E3?/2 | A2/4",
];

fn lay(lines: &[&str; 6]) -> Vec<Note> {
    let bars = SECTIONS.iter().zip(lines);
    bars.flat_map(|((_, bar, _), text)| line(text, Beats::from_integer(1), Beats::from_integer(bar * 4))).collect()
}

/// The parts of the file.
pub(crate) fn parts() -> Vec<Part> {
    let part = |name, lines| Part { name, notes: lay(lines) };
    vec![part("pulse", &PULSE), part("viols", &VIOLS), part("reed", &REED), part("tabor", &TABOR)]
}

fn patch(name: &str) -> (InstrumentSettings, f64, f64) {
    // The patch, its gain among the others, and where it stands from left to right.
    match name {
        "pulse" => (InstrumentSettings { brightness: 0.55, decay_seconds: 2.4, ..InstrumentSettings::usual(Kind::Plucked) }, 0.8, -0.25),
        "viols" => (InstrumentSettings { attack_seconds: 0.14, release_seconds: 0.45, ..InstrumentSettings::usual(Kind::Bowed) }, 0.34, 0.3),
        "reed" => (InstrumentSettings { brightness: 0.35, ..InstrumentSettings::usual(Kind::Reed) }, 0.36, -0.1),
        _ => (InstrumentSettings { decay_seconds: 0.4, ..InstrumentSettings::usual(Kind::Drum) }, 0.6, 0.08),
    }
}

/// All layers of all sections, and the stingers; one gain for all, so that they fit each other.
pub(crate) fn files() -> Vec<Group> {
    let mut files = Vec::new();
    for (name, bar, bars) in SECTIONS {
        for part in parts() {
            let range = (Beats::from_integer(bar * 4), Beats::from_integer((bar + bars) * 4));
            if !part.notes.iter().any(|n| n.0 >= range.0 && n.0 < range.1) {
                continue;
            }
            let (patch, gain, pan) = patch(part.name);
            let mono = play(&part.notes, range, TEMPO, &patch);
            let angle = (pan + 1.0) * std::f64::consts::FRAC_PI_4;
            let side = |share: f64| mono.iter().map(|s| s * gain * share).collect::<Vec<f64>>();
            files.push((format!("music/{name}_{}", part.name), vec![side(angle.cos()), side(angle.sin())]));
        }
    }
    let mut groups = vec![Group { loudness: -23.0, files }];
    let sting = |text: &str, kind, gain: f64| -> Vec<f64> {
        let notes = line(text, Beats::from_integer(1), Beats::from_integer(0));
        play(&notes, (Beats::from_integer(0), Beats::from_integer(8)), TEMPO, &InstrumentSettings::usual(kind)).iter().map(|s| s * gain).collect()
    };
    let both = |a: Vec<f64>, b: Vec<f64>| {
        let count = a.len().max(b.len()).min(frames(5.0));
        let at = |v: &[f64], i: usize| v.get(i).copied().unwrap_or(0.0);
        let fade = |i: usize| ((count - i) as f64 / frames(0.4) as f64).min(1.0);
        (0..count).map(|i| (at(&a, i) + at(&b, i)) * fade(i)).collect::<Vec<f64>>()
    };
    let dread = both(sting("D2!+Ab2!/3 D2+Ab2/1", Kind::Drone, 0.7), sting("-/1 Eb4!+D4!/3", Kind::Bowed, 0.7));
    let relic_d = both(sting("A4!/.5 D5!/.5 F5!/.5 A5!/2.5", Kind::Bells, 0.7), sting("D3+A3/3", Kind::Bowed, 0.3));
    let relic_c = both(sting("G4!/.5 C5!/.5 E5!/.5 G5!/2.5", Kind::Bells, 0.7), sting("C3+G3/3", Kind::Bowed, 0.3));
    let hatch = sting("D3!+A3!/.5 A2!/.5", Kind::Drum, 0.9);
    for (name, samples) in [("sting-dread", dread), ("sting-relic_d", relic_d), ("sting-relic_c", relic_c), ("sting-hatch", hatch)] {
        groups.push(Group::one(format!("music/{name}"), -22.0, samples));
    }
    groups
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::score::length;

    #[test]
    fn every_line_fills_its_bars() {
        for lines in [&PULSE, &VIOLS, &REED, &TABOR] {
            for ((name, _, bars), text) in SECTIONS.iter().zip(lines) {
                assert_eq!(length(text), Beats::from_integer(bars * 4), "{name}: {text}");
            }
        }
    }

    #[test]
    fn the_lines_stay_in_the_mode() {
        // D dorian: D E F G A B C.
        for part in parts().iter().filter(|p| p.name != "tabor") {
            for (at, _, pitch, _) in &part.notes {
                assert!([2, 4, 5, 7, 9, 11, 0].contains(&(pitch % 12)), "{} at {at}: {pitch}", part.name);
            }
        }
    }
}
