//! *Customs House*, a quick dance in 6/8 that is only notes, and a lullaby for eels.

use crate::score::{Part, line};
use estampie_engine::music::exact::Beats;

/// Lengths are in eighths.
const PIPE: &str = "D5/2 E5/1 F5/1 E5/1 D5/1 | A4/2 D5/1 C5/2 A4/1 | D5/2 E5/1 F5/1 G5/1 A5/1 | G5/1 F5/1 E5/1 D5/3 | F5/2 G5/1 A5/1 G5/1 F5/1 | E5/2 C5/1 G4/2 C5/1 | D5/1 E5/1 F5/1 E5/1 D5/1 C5/1 | D5/3 A4/3";
const PLUCK: &str =
    "D3+A3/3 D3+A3/3 | D3+A3/3 C3+G3/3 | D3+A3/3 F3+C4/3 | C3+G3/3 D3+A3/3 | F3+C4/3 F3+C4/3 | C3+G3/3 C3+G3/3 | B2+F3/3 C3+G3/3 | D3+A3/3 A2+E3/3";
const CALM: &str = "A2!/3 A2/2 E3?/1 | A2!/3 A2/2 E3?/1 | A2!/3 A2/2 E3?/1 | A2!/3 A2/1 E3?/1 E3?/1 | A2!/3 A2/2 E3?/1 | A2!/3 A2/2 E3?/1 | A2!/3 A2/2 E3?/1 | A2!/2 E3/1 A2/1 E3/1 E3/1";
const URGENT: &str = "A2!/1 E3?/1 E3/1 A2!/1 E3?/1 E3/1 | A2!/1 E3?/1 E3/1 A2!/1 E3/.5 E3/.5 E3/1 | A2!/1 E3?/1 E3/1 A2!/1 E3?/1 E3/1 | A2!/1 E3/.5 E3/.5 E3/1 A2!/1 E3/1 E3/1 | A2!/1 E3?/1 E3/1 A2!/1 E3?/1 E3/1 | A2!/1 E3?/1 E3/1 A2!/1 E3/.5 E3/.5 E3/1 | A2!/1 E3?/1 E3/1 A2!/1 E3?/1 E3/1 | A2!/.5 E3/.5 A2/.5 E3/.5 A2/.5 E3/.5 A2!/1 A2!/1 A2!/1";
const BELLS: &str = "A5/1 D6?/1 A5?/1 F5/1 A5?/1 D6?/1 | E5/1 A5?/1 E5?/1 C6/1 G5?/1 E5?/1 | A5/1 D6?/1 A5?/1 F5/1 A5?/1 C6?/1 | G5/1 C6?/1 G5?/1 F5/1 A5?/1 D6?/1 | A5/1 C6?/1 F6?/1 A5/1 C6?/1 F6?/1 | G5/1 C6?/1 E6?/1 G5/1 C6?/1 E6?/1 | F5/1 B5?/1 D6?/1 G5/1 C6?/1 E6?/1 | A5/1 D6?/1 F6?/1 E6/1 C6?/1 A5?/1";

/// Lengths are in quarters, in 3/4.
const LULLABY: &str = "A3/2 C4/1 | D4/3 | E4/2 C4/1 | A3/3 | G3/2 A3/1 | C4/2 B3/1 | A3/3 | -/3";
const WATER: &str = "D2+A2/12 | D2+A2/6 | C2+G2/6";

/// The parts of the dance.
pub(crate) fn customs() -> Vec<Part> {
    let eighth = Beats::new(1, 2);
    let part = |name, text| Part { name, notes: line(text, eighth, Beats::from_integer(0)) };
    vec![part("pipe", PIPE), part("pluck", PLUCK), part("drum-calm", CALM), part("drum-urgent", URGENT), part("bells", BELLS)]
}

/// The parts of the lullaby.
pub(crate) fn lullaby() -> Vec<Part> {
    let part = |name, text| Part { name, notes: line(text, Beats::from_integer(1), Beats::from_integer(0)) };
    vec![part("pipe", LULLABY), part("water", WATER)]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::score::length;

    #[test]
    fn every_line_fills_its_bars() {
        for text in [PIPE, PLUCK, CALM, URGENT, BELLS] {
            assert_eq!(length(text), Beats::from_integer(8 * 6), "{text}");
        }
        for text in [LULLABY, WATER] {
            assert_eq!(length(text), Beats::from_integer(24), "{text}");
        }
    }
}
