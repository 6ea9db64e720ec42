//! Reactions as text again, so that parsing the print gives the same tree.

use super::lex::{print_number, print_time};
use super::reactions::{Interval, Reaction, Test, Trigger};
use std::fmt;

impl fmt::Display for Test {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Test::Compare(comparison, number, unit) if unit.is_empty() => write!(f, "{comparison} {}", print_number(*number)),
            Test::Compare(comparison, number, unit) => write!(f, "{comparison} {} {unit}", print_number(*number)),
            Test::Is(value) => write!(f, "is {value}"),
            Test::IsNot(value) => write!(f, "is not {value}"),
            Test::Between(low, high, unit) => {
                let space = if unit.is_empty() { "" } else { " " };
                write!(f, "between {} and {}{space}{unit}", print_number(*low), print_number(*high))
            }
        }
    }
}

impl Reaction {
    /// The first line, `When …`.
    #[must_use]
    pub fn head(&self) -> String {
        let mut text = String::from(if self.off { "Off: When " } else { "When " });
        match &self.trigger {
            Trigger::Zone(zone, true) => text.push_str(&format!("entering {zone}")),
            Trigger::Zone(zone, false) => text.push_str(&format!("leaving {zone}")),
            Trigger::Crosses(subject, rises, number, unit) => {
                let (verb, space) = (if *rises { "rises over" } else { "falls under" }, if unit.is_empty() { "" } else { " " });
                text.push_str(&format!("{subject} {verb} {}{space}{unit}", print_number(*number)));
            }
            Trigger::Every(Interval::Of(parameter)) => text.push_str(&format!("every {parameter}")),
            Trigger::Every(Interval::Between(span)) if span.low == span.high => text.push_str(&format!("every {} s", print_time(span.low))),
            Trigger::Every(Interval::Between(span)) => text.push_str(&format!("every {}..{} s", print_time(span.low), print_time(span.high))),
            Trigger::Event(event) => text.push_str(&event.text),
            Trigger::Becomes(subject, Test::Is(value)) => text.push_str(&format!("{subject} becomes {value}")),
            Trigger::Becomes(subject, test) => text.push_str(&format!("{subject} becomes {test}")),
        }
        if let Some(time) = self.hold {
            let word = if matches!(self.trigger, Trigger::Event(_)) { "since" } else { "for" };
            text.push_str(&format!(" {word} {} s", print_time(time)));
        }
        if let Some(nth) = &self.nth {
            let suffix = match nth.n {
                1 => "st",
                2 => "nd",
                3 => "rd",
                _ => "th",
            };
            match nth.within {
                Some(time) => text.push_str(&format!(" at the {}{suffix} within {} s", nth.n, print_time(time))),
                None => text.push_str(&format!(" every {}{suffix}", nth.n)),
            }
        }
        for (at, condition) in self.conditions.iter().enumerate() {
            let word = if at == 0 && matches!(self.trigger, Trigger::Every(_)) { "while" } else { "and" };
            text.push_str(&format!(" {word} {} {}", condition.subject, condition.test));
        }
        if self.otherwise {
            text.push_str(" otherwise");
        }
        if let Some(until) = &self.until {
            text.push_str(&format!(" once until {} {}", until.subject, until.test));
        }
        text
    }
}

impl fmt::Display for Reaction {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for comment in &self.comments {
            writeln!(f, "# {comment}")?;
        }
        writeln!(f, "{}", self.head())?;
        for act in &self.actions {
            writeln!(f, "  {act}")?;
        }
        Ok(())
    }
}

/// Prints a whole file of reactions.
#[must_use]
pub fn print(reactions: &[Reaction]) -> String {
    reactions.iter().map(ToString::to_string).collect::<Vec<_>>().join("\n")
}
