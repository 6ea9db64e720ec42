//! Tests of parameters and states: what conditions come to.

use super::vocabulary::Comparison;

/// A test of a parameter's or state's value.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Test {
    /// A parameter compared with a number.
    Compare(usize, Comparison, f32),
    /// A parameter equal (or not) to a number.
    Equals(usize, f32, bool),
    /// A parameter from one number to another.
    Between(usize, f32, f32),
    /// A state equal (or not) to a value.
    State(usize, u16, bool),
}

impl Test {
    /// The parameter it is about.
    #[must_use]
    pub fn parameter(&self) -> Option<usize> {
        match self {
            Test::Compare(p, ..) | Test::Equals(p, ..) | Test::Between(p, ..) => Some(*p),
            Test::State(..) => None,
        }
    }

    /// Whether a parameter's value passes it.
    #[must_use]
    pub fn passes(&self, value: f32) -> bool {
        match *self {
            Test::Compare(_, comparison, number) => comparison.holds(value, number),
            Test::Equals(_, number, is) => (value == number) == is,
            Test::Between(_, low, high) => value >= low && value <= high,
            Test::State(..) => false,
        }
    }
}
