//! The plain language: reactions, formulas, measures, playthroughs and expectations, from text to trees and back.
//!
//! Every parser goes on after a mistake and gives all faults with line, column and fix; every tree prints itself so
//! that parsing the print gives the same tree.

pub mod actions;
pub mod expect;
pub mod formula;
pub mod lex;
pub mod measure;
mod moment;
pub mod playthrough;
pub mod print;
pub mod reactions;

pub use actions::{Act, Action, Where};
pub use expect::{Always, Expected};
pub use formula::Expression;
pub use measure::Measure;
pub use moment::{Moment, SILENCE};
pub use playthrough::{Playthrough, Step, StepAction};
pub use reactions::{Condition, Interval, Reaction, Test, Trigger};

use crate::fault::Place;
use std::fmt;

/// A name in a sentence, with its place. Two are equal when their texts are.
#[derive(Debug, Clone)]
pub struct Word {
    /// The name.
    pub text: String,
    /// Where it stands.
    pub place: Place,
}

impl Word {
    /// A name that was not read from a file.
    #[must_use]
    pub fn new(text: &str) -> Word {
        Word { text: text.to_owned(), place: Place::default() }
    }
}

impl PartialEq for Word {
    fn eq(&self, other: &Self) -> bool {
        self.text == other.text
    }
}

impl fmt::Display for Word {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

/// A place that does not count in comparisons.
#[derive(Debug, Clone, Default)]
pub struct PlaceOf(pub Place);

impl PartialEq for PlaceOf {
    fn eq(&self, _: &Self) -> bool {
        true
    }
}
