//! Reactions: *When* event or change, under conditions, *do* actions.
//!
//! ```text
//! When hull.struck and strain over 0.6
//!   play hull/groan-deep at the emitter, chance 70 %
//!
//! When hull.struck otherwise
//!   play hull/struck at the emitter
//! ```

use super::Word;
use super::lex::{Cursor, Parsed, print_number, print_time};
use crate::document::{Fault, Place, did_you_mean};
use crate::units::Seconds;
use std::fmt;

/// How a number is compared.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
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

/// What a state or parameter is tested for.
#[derive(Debug, Clone, PartialEq)]
pub enum Test {
    /// Compared with a number (and the unit it was written with).
    Compare(Comparison, f64, String),
    /// Equal to a value: a state's value, or a number as text.
    Is(Word),
    /// Not equal to a value.
    IsNot(Word),
}

/// What calls a reaction.
#[derive(Debug, Clone, PartialEq)]
pub enum Trigger {
    /// An event arrives.
    Event(Word),
    /// A state or parameter comes to pass a test that it did not pass before.
    Becomes(Word, Test),
}

/// A further condition.
#[derive(Debug, Clone, PartialEq)]
pub struct Condition {
    /// The state or parameter.
    pub subject: Word,
    /// What it is tested for.
    pub test: Test,
}

/// At which emitter an action happens.
#[derive(Debug, Clone, PartialEq, Default)]
pub enum Where {
    /// Not said: the emitter that the event came from, if any.
    #[default]
    Unsaid,
    /// `at the emitter`: the same, said.
    Sender,
    /// `at NAME`: a named one.
    Named(Word),
}

/// What is done.
#[derive(Debug, Clone, PartialEq)]
pub enum Action {
    /// Plays a sound, perhaps only by chance (0 to 100 %).
    Play {
        /// The sound.
        sound: Word,
        /// Where.
        at: Where,
        /// Chance in percent; `None` is always.
        chance: Option<f64>,
    },
    /// Fades out all voices of a sound (of one emitter if said), over a time or as the sound says.
    Stop {
        /// The sound.
        sound: Word,
        /// Whose voices; all if unsaid.
        at: Where,
        /// The fade.
        over: Option<Seconds>,
    },
    /// Lets the loop of a sound complete its round; what comes after it in its chain plays, then it ends.
    Finish {
        /// The sound.
        sound: Word,
        /// Whose voices; all if unsaid.
        at: Where,
    },
    /// Sets a state or parameter.
    Set {
        /// The state or parameter.
        subject: Word,
        /// The value: a state's value or a number as text.
        to: Word,
    },
    /// Sends an event.
    Send {
        /// The event.
        event: Word,
        /// From which emitter.
        at: Where,
    },
}

/// One reaction.
#[derive(Debug, Clone, PartialEq)]
pub struct Reaction {
    /// Comment lines before it, without the `#`.
    pub comments: Vec<String>,
    /// What calls it.
    pub trigger: Trigger,
    /// What must hold besides.
    pub conditions: Vec<Condition>,
    /// Whether it holds only if no earlier reaction to the same trigger did.
    pub otherwise: bool,
    /// What is done, in order, each with its place.
    pub actions: Vec<(Action, PlaceOf)>,
    /// Where its `When` stands.
    pub place: PlaceOf,
}

/// A place that does not count in comparisons.
#[derive(Debug, Clone, Default)]
pub struct PlaceOf(pub Place);

impl PartialEq for PlaceOf {
    fn eq(&self, _: &Self) -> bool {
        true
    }
}

const ACTIONS: [&str; 5] = ["play", "stop", "finish", "set", "send"];

/// Parses a file of reactions. What is wrong is left out and given as a fault.
#[must_use]
pub fn parse(file: &str, text: &str) -> (Vec<Reaction>, Vec<Fault>) {
    let mut list: Vec<Reaction> = Vec::new();
    let mut faults = Vec::new();
    let mut comments: Vec<String> = Vec::new();
    // Whether actions belong to the last reaction; not after a head that could not be read.
    let mut open = false;
    let mut head_failed = false;
    for (at, row) in text.lines().enumerate() {
        let mut line = Cursor::new(file, at as u32 + 1, row);
        if line.done() {
            if let Some(comment) = row.trim().strip_prefix('#') {
                comments.push(comment.trim().to_owned());
            }
            continue;
        }
        if row.starts_with(char::is_whitespace) {
            let place = line.place();
            match action(&mut line) {
                Ok(action) if open => {
                    if let Some(reaction) = list.last_mut() {
                        reaction.actions.push((action, PlaceOf(place)));
                    }
                }
                Ok(_) if head_failed => {}
                Ok(_) => faults.push(Fault::new(&place, "this action belongs to no reaction", "write a line \"When …\" above it, at the left edge")),
                Err(fault) => faults.push(fault),
            }
        } else {
            match head(&mut line) {
                Ok(mut reaction) => {
                    reaction.comments = std::mem::take(&mut comments);
                    list.push(reaction);
                    (open, head_failed) = (true, false);
                }
                Err(fault) => {
                    faults.push(fault);
                    (open, head_failed) = (false, true);
                }
            }
        }
    }
    for reaction in list.iter().filter(|r| r.actions.is_empty()) {
        faults.push(Fault::new(
            &reaction.place.0,
            "this reaction does nothing",
            "write its actions below it, each on a line of its own that begins with two spaces",
        ));
    }
    (list, faults)
}

fn head(line: &mut Cursor<'_>) -> Parsed<Reaction> {
    let place = line.place();
    if !line.take(&["When"]) && !line.take(&["when"]) {
        return Err(line.fault(
            format!("a reaction begins with \"When\", not \"{}\"", line.peek()),
            "begin with \"When\" and an event, or put two spaces before an action",
        ));
    }
    let subject = line.name("an event, a state or a parameter")?;
    let trigger = if line.take(&["becomes"]) {
        let test = match comparison(line)? {
            Some(test) => test,
            None => Test::Is(value(line, "a value")?),
        };
        Trigger::Becomes(subject, test)
    } else {
        Trigger::Event(subject)
    };
    let mut conditions = Vec::new();
    while line.take(&["and"]) {
        let subject = line.name("a state or a parameter")?;
        let test = match comparison(line)? {
            Some(test) => test,
            None if line.take(&["is", "not"]) => Test::IsNot(value(line, "a value")?),
            None if line.take(&["is"]) => Test::Is(value(line, "a value")?),
            None => {
                let mend = "write over, under, at least, at most, is, or is not";
                return Err(line.fault(format!("it is not said what {subject} is tested for"), mend));
            }
        };
        conditions.push(Condition { subject, test });
    }
    let otherwise = line.take(&["otherwise"]);
    line.end("a reaction goes on with \"and\" and a condition, or with \"otherwise\"")?;
    Ok(Reaction { comments: Vec::new(), trigger, conditions, otherwise, actions: Vec::new(), place: PlaceOf(place) })
}

fn comparison(line: &mut Cursor<'_>) -> Parsed<Option<Test>> {
    let comparison = if line.take(&["over"]) {
        Comparison::Over
    } else if line.take(&["under"]) {
        Comparison::Under
    } else if line.take(&["at", "least"]) {
        Comparison::AtLeast
    } else if line.take(&["at", "most"]) {
        Comparison::AtMost
    } else {
        return Ok(None);
    };
    let (number, mut unit) = line.number("a number")?;
    if unit.is_empty() && !line.done() && !matches!(line.peek(), "and" | "otherwise") {
        unit = line.peek().to_owned();
        let taken = unit.clone();
        line.take(&[&taken]);
    }
    Ok(Some(Test::Compare(comparison, number, unit)))
}

/// A state's value or a number, as a word.
fn value(line: &mut Cursor<'_>, wanted: &str) -> Parsed<Word> {
    let place = line.place();
    if let Ok((number, unit)) = line.number(wanted) {
        return Ok(Word { text: format!("{}{unit}", print_number(number)), place });
    }
    line.name(wanted)
}

fn whereabouts(line: &mut Cursor<'_>) -> Parsed<Where> {
    if line.take(&["at", "the", "emitter"]) {
        return Ok(Where::Sender);
    }
    if line.take(&["at"]) {
        return Ok(Where::Named(line.name("the name of an emitter, or \"the emitter\"")?));
    }
    Ok(Where::Unsaid)
}

fn action(line: &mut Cursor<'_>) -> Parsed<Action> {
    let verb = line.peek().to_owned();
    let action = if line.take(&["play"]) {
        let sound = line.name("a sound")?;
        let at = whereabouts(line)?;
        let mut chance = None;
        if line.take(&[",", "chance"]) || line.take(&["chance"]) {
            let place = line.place();
            let (percent, unit) = line.number("a chance, like 70 %")?;
            line.take(&["%"]);
            if !unit.is_empty() || !(0.0..=100.0).contains(&percent) {
                return Err(Fault::new(&place, format!("{percent}{unit} is not a chance"), "write 0 % to 100 %"));
            }
            chance = Some(percent);
        }
        Action::Play { sound, at, chance }
    } else if line.take(&["stop"]) {
        let sound = line.name("a sound")?;
        let at = whereabouts(line)?;
        let over = if line.take(&["over"]) { Some(line.time()?) } else { None };
        Action::Stop { sound, at, over }
    } else if line.take(&["finish"]) {
        Action::Finish { sound: line.name("a sound")?, at: whereabouts(line)? }
    } else if line.take(&["set"]) {
        let subject = line.name("a state or a parameter")?;
        line.expect("to")?;
        let to = value(line, "a value")?;
        Action::Set { subject, to }
    } else if line.take(&["send"]) {
        Action::Send { event: line.name("an event")?, at: whereabouts(line)? }
    } else {
        let mend = did_you_mean(&verb, ACTIONS, "an action begins with play, stop, finish, set or send");
        return Err(line.fault(format!("\"{verb}\" is not an action"), mend));
    };
    line.end("an action ends here; the next one begins a line of its own")?;
    Ok(action)
}

impl fmt::Display for Test {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Test::Compare(comparison, number, unit) if unit.is_empty() => write!(f, "{comparison} {}", print_number(*number)),
            Test::Compare(comparison, number, unit) => write!(f, "{comparison} {} {unit}", print_number(*number)),
            Test::Is(value) => write!(f, "is {value}"),
            Test::IsNot(value) => write!(f, "is not {value}"),
        }
    }
}

impl fmt::Display for Where {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Where::Unsaid => Ok(()),
            Where::Sender => f.write_str(" at the emitter"),
            Where::Named(name) => write!(f, " at {name}"),
        }
    }
}

impl fmt::Display for Action {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Action::Play { sound, at, chance: None } => write!(f, "play {sound}{at}"),
            Action::Play { sound, at, chance: Some(percent) } => write!(f, "play {sound}{at}, chance {} %", print_number(*percent)),
            Action::Stop { sound, at, over: None } => write!(f, "stop {sound}{at}"),
            Action::Stop { sound, at, over: Some(time) } => write!(f, "stop {sound}{at} over {} s", print_time(*time)),
            Action::Finish { sound, at } => write!(f, "finish {sound}{at}"),
            Action::Set { subject, to } => write!(f, "set {subject} to {to}"),
            Action::Send { event, at } => write!(f, "send {event}{at}"),
        }
    }
}

impl Reaction {
    /// The first line, `When …`.
    #[must_use]
    pub fn head(&self) -> String {
        let mut text = String::from("When ");
        match &self.trigger {
            Trigger::Event(event) => text.push_str(&event.text),
            Trigger::Becomes(subject, Test::Is(value)) => text.push_str(&format!("{subject} becomes {value}")),
            Trigger::Becomes(subject, test) => text.push_str(&format!("{subject} becomes {test}")),
        }
        for condition in &self.conditions {
            text.push_str(&format!(" and {} {}", condition.subject, condition.test));
        }
        if self.otherwise {
            text.push_str(" otherwise");
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
        for (action, _) in &self.actions {
            writeln!(f, "  {action}")?;
        }
        Ok(())
    }
}

/// Prints a whole file of reactions.
#[must_use]
pub fn print(reactions: &[Reaction]) -> String {
    reactions.iter().map(ToString::to_string).collect::<Vec<_>>().join("\n")
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn word() -> impl Strategy<Value = Word> {
        // No word of the grammar itself: names begin with a letter that none of those has.
        "z[a-z0-9]{0,4}([./-][a-z][a-z0-9]{0,4})?".prop_map(|text| Word::new(&text))
    }
    fn number() -> impl Strategy<Value = f64> {
        (-100_000i64..100_000).prop_map(|n| n as f64 / 64.0)
    }
    fn value() -> impl Strategy<Value = Word> {
        prop_oneof![word(), number().prop_map(|n| Word::new(&print_number(n)))]
    }
    fn compare() -> impl Strategy<Value = Test> {
        let ops = prop_oneof![Just(Comparison::Over), Just(Comparison::Under), Just(Comparison::AtLeast), Just(Comparison::AtMost)];
        (ops, number(), prop_oneof![Just(String::new()), Just("m".into())]).prop_map(|(c, n, u)| Test::Compare(c, n, u))
    }
    fn test() -> impl Strategy<Value = Test> {
        prop_oneof![compare(), value().prop_map(Test::Is), value().prop_map(Test::IsNot)]
    }
    fn place() -> impl Strategy<Value = Where> {
        prop_oneof![Just(Where::Unsaid), Just(Where::Sender), word().prop_map(Where::Named)]
    }
    fn time() -> impl Strategy<Value = Seconds> {
        (0u64..100_000_000).prop_map(|us| Seconds(us as f64 / 1e6))
    }
    fn any_action() -> impl Strategy<Value = Action> {
        prop_oneof![
            (word(), place(), prop::option::of((0u32..=1000).prop_map(|p| f64::from(p) / 10.0))).prop_map(|(sound, at, chance)| Action::Play {
                sound,
                at,
                chance
            }),
            (word(), place(), prop::option::of(time())).prop_map(|(sound, at, over)| Action::Stop { sound, at, over }),
            (word(), place()).prop_map(|(sound, at)| Action::Finish { sound, at }),
            (word(), value()).prop_map(|(subject, to)| Action::Set { subject, to }),
            (word(), place()).prop_map(|(event, at)| Action::Send { event, at }),
        ]
    }
    fn reaction() -> impl Strategy<Value = Reaction> {
        let trigger = prop_oneof![
            word().prop_map(Trigger::Event),
            (word(), prop_oneof![compare(), value().prop_map(Test::Is)]).prop_map(|(s, t)| Trigger::Becomes(s, t))
        ];
        let conditions = prop::collection::vec((word(), test()).prop_map(|(subject, test)| Condition { subject, test }), 0..3);
        let comments = prop::collection::vec("[a-z]{1,6}( [a-z]{1,6})?", 0..2);
        (comments, trigger, conditions, any::<bool>(), prop::collection::vec(any_action(), 1..4)).prop_map(
            |(comments, trigger, conditions, otherwise, actions)| Reaction {
                comments,
                trigger,
                conditions,
                otherwise,
                actions: actions.into_iter().map(|a| (a, PlaceOf::default())).collect(),
                place: PlaceOf::default(),
            },
        )
    }

    proptest! {
        #[test]
        fn parsing_what_was_printed_gives_the_same(list in prop::collection::vec(reaction(), 0..5)) {
            let text = print(&list);
            let (back, faults) = parse("reactions.est", &text);
            prop_assert_eq!(&faults, &vec![], "{}", text);
            prop_assert_eq!(back, list);
        }

        #[test]
        fn no_text_panics(text in "(When |and |over |play |at |, |%|[0-9.]{1,3}|\n  |\n|.{0,3}){0,30}") {
            let _ = parse("reactions.est", &text);
        }
    }

    #[test]
    fn the_sentences_of_the_manual_are_understood() {
        let text = "# the hull\nWhen hull.struck and strain over 0.6\n  play hull/groan-deep at the emitter, chance 70 %\n\nWhen hull.struck otherwise\n  play hull/struck at bell # dry\n\nWhen threat becomes hunted and depth at least 40 m\n  set lamp to off\n  stop step over 300 ms\n";
        let (list, faults) = parse("reactions.est", text);
        assert_eq!(faults, vec![]);
        assert_eq!(list.len(), 3);
        assert_eq!(list[0].comments, vec!["the hull"]);
        assert!(list[1].otherwise);
        assert_eq!(list[2].actions.len(), 2);
        assert_eq!(list[2].actions[1].0, Action::Stop { sound: Word::new("step"), at: Where::Unsaid, over: Some(Seconds(0.3)) });
    }

    #[test]
    fn every_mistake_is_told_with_its_place_and_a_mend() {
        let text = "When hull.struck and strain ovr 0.6\n  play a\nWhen b\n  ply c\n  play d, chance 700 %\n  stop e over soon\nplay f\n";
        let (list, faults) = parse("reactions.est", text);
        let told: Vec<String> = faults.iter().map(ToString::to_string).collect();
        assert_eq!(list.len(), 1);
        assert!(told[0].starts_with("reactions.est:1:29: it is not said what strain is tested for"), "{told:?}");
        assert!(told[1].starts_with("reactions.est:4:3: \"ply\" is not an action; play?"), "{told:?}");
        assert!(told[2].starts_with("reactions.est:5:18: 700 is not a chance"), "{told:?}");
        assert!(told[3].starts_with("reactions.est:6:15: \"soon\" stands where a time"), "{told:?}");
        assert!(told[4].starts_with("reactions.est:7:1: a reaction begins with \"When\""), "{told:?}");
        assert!(told[5].contains("does nothing"), "{told:?}");
    }
}
