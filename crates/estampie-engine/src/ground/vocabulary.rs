//! Words that the texts of a project and the engine have in common: each is one of a few, with the word it is written with.

use crate::ground::index::SectionIndex;
use std::fmt;

/// How often a part of a chain is played.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Rounds {
    /// So many times: a number drawn between the two each time; 1 and 1 is once.
    Times(u32, u32),
    /// Until let go or finished.
    Loop,
}

/// What a sound does when it is asked for while it plays at the same emitter.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Again {
    /// Both play.
    #[default]
    Overlap,
    /// The one that plays fades in 5 ms and it begins anew.
    Restart,
    /// The new one is refused.
    Ignore,
}

impl Again {
    /// All, with the words they are written with.
    pub const ALL: [(Again, &'static str); 3] = [(Again::Overlap, "overlap"), (Again::Restart, "restart"), (Again::Ignore, "ignore")];

    /// The word it is written with.
    #[must_use]
    pub fn word(self) -> &'static str {
        Again::ALL.iter().find(|(a, _)| *a == self).map_or("", |(_, word)| word)
    }
}

/// What a sound does when the game removes the emitter at which it plays.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum WhenGone {
    /// It ends by itself, heard from where the emitter was last.
    Stays,
    /// It goes on, and goes where the emitter goes if the game places it again.
    Follows,
    /// It is let go.
    Fades,
}

impl WhenGone {
    /// All, with the words they are written with.
    pub const ALL: [(WhenGone, &'static str); 3] = [(WhenGone::Stays, "stays"), (WhenGone::Follows, "follows"), (WhenGone::Fades, "fades")];

    /// The word it is written with.
    #[must_use]
    pub fn word(self) -> &'static str {
        WhenGone::ALL.iter().find(|(a, _)| *a == self).map_or("", |(_, word)| word)
    }
}

/// Who yields when a limit is reached. The new one is among those compared, except for the oldest; of equal ones the older yields.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum WhenFull {
    /// The one that has sounded longest.
    #[default]
    Oldest,
    /// The one with the lowest level just now.
    Quietest,
    /// The one whose emitter is farthest from the listener.
    Farthest,
    /// The one with the lowest priority.
    LeastImportant,
    /// The new one is refused.
    Refuse,
}

impl WhenFull {
    /// All, with the words they are written with.
    pub const ALL: [(WhenFull, &'static str); 5] = [
        (WhenFull::Oldest, "oldest"),
        (WhenFull::Quietest, "quietest"),
        (WhenFull::Farthest, "farthest"),
        (WhenFull::LeastImportant, "least important"),
        (WhenFull::Refuse, "refuse"),
    ];

    /// The words it is written with.
    #[must_use]
    pub fn word(self) -> &'static str {
        WhenFull::ALL.iter().find(|(w, _)| *w == self).map_or("", |(_, word)| word)
    }
}

/// When a moved tempo or key takes its new value.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Step {
    /// On every beat.
    Beat,
    /// On every bar.
    #[default]
    Bar,
    /// All the time: tempo on every twelfth of a beat, key in every block.
    Gliding,
}

impl Step {
    /// All, with the words they are written with.
    pub const ALL: [(Step, &'static str); 3] = [(Step::Beat, "beat"), (Step::Bar, "bar"), (Step::Gliding, "gliding")];
}

/// The most sections that a piece has.
pub const MOST_SECTIONS: usize = 64;

/// How a number is compared.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Comparison {
    /// Greater than.
    Over,
    /// Less than.
    Under,
    /// Greater or equal.
    AtLeast,
    /// Less or equal.
    AtMost,
}

impl Comparison {
    /// Whether `left` compares so with `right`.
    #[must_use]
    pub fn holds(self, left: f32, right: f32) -> bool {
        match self {
            Comparison::Over => left > right,
            Comparison::Under => left < right,
            Comparison::AtLeast => left >= right,
            Comparison::AtMost => left <= right,
        }
    }
}

impl fmt::Display for Comparison {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Comparison::Over => "over",
            Comparison::Under => "under",
            Comparison::AtLeast => "at least",
            Comparison::AtMost => "at most",
        })
    }
}

/// How soon a line is said.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Urgency {
    /// After those that wait already.
    #[default]
    InTurn,
    /// Before all that wait.
    First,
    /// At once: the line that is being said fades.
    CutIn,
}

/// The most that can be counted.
pub const MOST_NTH: u32 = 16;

/// The least time from one beat of a clock to the next, in seconds: fifty a second.
pub const LEAST_INTERVAL: f64 = 0.02;

/// An operation of two values.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Binary {
    /// `+`
    Add,
    /// `-`
    Subtract,
    /// `*`
    Multiply,
    /// `/`
    Divide,
    /// `<`: 1 if so, else 0
    Less,
    /// `>`
    More,
    /// `<=`
    AtMost,
    /// `>=`
    AtLeast,
    /// `and`: 1 if both are not 0
    And,
    /// `or`: 1 if one is not 0
    Or,
}

impl Binary {
    /// The sign or word it is written with.
    #[must_use]
    pub fn sign(self) -> &'static str {
        match self {
            Binary::Add => "+",
            Binary::Subtract => "-",
            Binary::Multiply => "*",
            Binary::Divide => "/",
            Binary::Less => "<",
            Binary::More => ">",
            Binary::AtMost => "<=",
            Binary::AtLeast => ">=",
            Binary::And => "and",
            Binary::Or => "or",
        }
    }

    /// How tightly it binds; more is tighter.
    #[must_use]
    pub fn rank(self) -> u8 {
        match self {
            Binary::Or => 1,
            Binary::And => 2,
            Binary::Less | Binary::More | Binary::AtMost | Binary::AtLeast => 3,
            Binary::Add | Binary::Subtract => 4,
            Binary::Multiply | Binary::Divide => 5,
        }
    }

    /// The value for two operands.
    #[must_use]
    pub fn of(self, a: f32, b: f32) -> f32 {
        let truth = |t: bool| if t { 1.0 } else { 0.0 };
        match self {
            Binary::Add => a + b,
            Binary::Subtract => a - b,
            Binary::Multiply => a * b,
            Binary::Divide => a / b,
            Binary::Less => truth(a < b),
            Binary::More => truth(a > b),
            Binary::AtMost => truth(a <= b),
            Binary::AtLeast => truth(a >= b),
            Binary::And => truth(a != 0.0 && b != 0.0),
            Binary::Or => truth(a != 0.0 || b != 0.0),
        }
    }
}

/// A function with its number of arguments.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Function {
    /// The lesser of two.
    Min,
    /// The greater of two.
    Max,
    /// The first, held between the second and the third.
    Clamp,
    /// From the first to the second by the third (0 to 1; beyond, it goes on).
    Mix,
    /// 0 up to the first, 1 from the second on, between them 3t² − 2t³ of the third.
    SmoothStep,
    /// Without its sign.
    Abs,
    /// Square root.
    Sqrt,
    /// The first to the power of the second.
    Power,
    /// Change in a second.
    Rate,
    /// The second if the first is not 0, else the third.
    If,
    /// 1 for 0, else 0.
    Not,
}

impl Function {
    /// All, with names and numbers of arguments.
    pub const ALL: [(Function, &'static str, usize); 11] = [
        (Function::Min, "min", 2),
        (Function::Max, "max", 2),
        (Function::Clamp, "clamp", 3),
        (Function::Mix, "mix", 3),
        (Function::SmoothStep, "smooth-step", 3),
        (Function::Abs, "abs", 1),
        (Function::Sqrt, "sqrt", 1),
        (Function::Power, "power", 2),
        (Function::Rate, "rate", 1),
        (Function::If, "if", 3),
        (Function::Not, "not", 1),
    ];

    /// The name it is written with.
    #[must_use]
    pub fn name(self) -> &'static str {
        Function::ALL.iter().find(|(f, ..)| *f == self).map_or("", |(_, name, _)| name)
    }

    /// The value for arguments; `rate` has a memory and is worked out by the engine.
    #[must_use]
    pub fn of(self, x: [f32; 3]) -> f32 {
        let [a, b, c] = x;
        // What is no number stays none: it must not be hidden by the other operand.
        if matches!(self, Function::Min | Function::Max | Function::Clamp) && x.iter().any(|v| v.is_nan()) {
            return f32::NAN;
        }
        match self {
            Function::Min => a.min(b),
            Function::Max => a.max(b),
            // Not `clamp`, which refuses ends the wrong way round.
            Function::Clamp => a.max(b).min(c),
            Function::Mix => a + (b - a) * c,
            Function::SmoothStep => {
                let t = ((c - a) / (b - a)).clamp(0.0, 1.0);
                t * t * (3.0 - 2.0 * t)
            }
            Function::Abs => a.abs(),
            Function::Sqrt => a.sqrt(),
            Function::Power => a.powf(b),
            Function::Rate => 0.0,
            Function::If => {
                if a != 0.0 {
                    b
                } else {
                    c
                }
            }
            Function::Not => {
                if a == 0.0 {
                    1.0
                } else {
                    0.0
                }
            }
        }
    }
}

/// What was answered to an ask.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Answer {
    /// It waits.
    Waits,
    /// It waits instead of another.
    Replaces(Option<SectionIndex>),
    /// What waited is given up.
    Cancels(Option<SectionIndex>),
    /// It plays or waits already.
    Nothing,
    /// The rule does not allow it.
    NotAllowed,
}

/// Why a section began.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Arrival {
    /// It went round.
    Round,
    /// It follows the one before.
    Follows,
    /// It was asked for.
    Asked,
    /// It leads to what was asked for.
    Between,
}
