//! Reactions as text again, so that parsing the print gives the same tree.

use super::Moment;
use super::actions::MOMENTS;
use super::lex::{print_number, print_time};
use super::reactions::{Act, Action, Interval, Reaction, Test, Trigger, Where};
use estampie_engine::curve::Shape;
use estampie_engine::vocabulary::Urgency;
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

impl fmt::Display for Where {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Where::Unsaid => Ok(()),
            Where::Sender => f.write_str(" at the emitter"),
            Where::Listener => f.write_str(" at the listener"),
            Where::Named(name) => write!(f, " at {name}"),
        }
    }
}

impl fmt::Display for Action {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Action::Play { sound, at } => write!(f, "play {sound}{at}"),
            Action::Say { sound, at, urgency: Urgency::InTurn } => write!(f, "say {sound}{at}"),
            Action::Say { sound, at, urgency: Urgency::First } => write!(f, "say {sound}{at}, first"),
            Action::Say { sound, at, urgency: Urgency::CutIn } => write!(f, "say {sound}{at}, cutting in"),
            Action::Sweep { sound, at, property, to, over, curve, let_go } => {
                write!(f, "sweep {sound}{at} {} to {to} over {} s", property.word(), print_time(*over))?;
                if *curve != Shape::Straight {
                    write!(f, ", {curve}")?;
                }
                f.write_str(if *let_go { " then let go" } else { "" })
            }
            Action::Add { subject, by } => write!(f, "add {} to {subject}", print_number(*by)),
            Action::Stop { sound, at, over: None } => write!(f, "stop {sound}{at}"),
            Action::Stop { sound, at, over: Some(time) } => write!(f, "stop {sound}{at} over {} s", print_time(*time)),
            Action::Finish { sound, at } => write!(f, "finish {sound}{at}"),
            Action::Set { subject, to } => write!(f, "set {subject} to {to}"),
            Action::Send { event, at } => write!(f, "send {event}{at}"),
            Action::Go { piece, to, on } => {
                write!(f, "go {piece}")?;
                if let Some(to) = to {
                    write!(f, " to {to}")?;
                }
                print_moment(on.as_ref(), f)
            }
            Action::Sting { stinger, on } => {
                write!(f, "sting {stinger}")?;
                print_moment(on.as_ref(), f)
            }
            Action::Raise { snapshot, over: None } => write!(f, "raise {snapshot}"),
            Action::Raise { snapshot, over: Some(over) } => write!(f, "raise {snapshot} for {} s", print_time(*over)),
            Action::Lower { snapshot } => write!(f, "lower {snapshot}"),
            Action::Switch { layer, on } => write!(f, "{} {layer}", if *on { "fade in" } else { "fade out" }),
        }
    }
}

fn print_moment(on: Option<&Moment>, f: &mut fmt::Formatter<'_>) -> fmt::Result {
    match on {
        None => Ok(()),
        Some(Moment::Marker(name)) => write!(f, " at marker {name}"),
        Some(moment) => write!(f, " {}", MOMENTS.iter().find(|(m, _)| m == moment).map_or("", |(_, w)| w)),
    }
}

impl fmt::Display for Act {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}", self.action)?;
        if let Some(percent) = self.chance {
            write!(f, ", chance {} %", print_number(percent))?;
        }
        if let Some(time) = self.after {
            write!(f, ", after {} s", print_time(time))?;
        }
        Ok(())
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
