//! Reactions: *When* event or change, under conditions, *do* actions.
//!
//! ```text
//! When hull.struck and strain over 0.6
//!   play hull/groan-deep at the emitter, chance 70 %
//!
//! When hull.struck otherwise
//!   play hull/struck at the emitter
//! ```

use super::actions::{Act, act};
use super::lex::{Cursor, Parsed, is_name, value};
#[cfg(test)]
use super::print::print;
use super::{PlaceOf, Word};
use crate::fault::{Fault, Place};
use estampie_engine::units::{Quantity as _, Seconds, Span};
use estampie_engine::vocabulary::{Comparison, LEAST_INTERVAL, MOST_NTH};

/// What a state or parameter is tested for.
#[derive(Debug, Clone, PartialEq)]
pub enum Test {
    /// Compared with a number (and the unit it was written with).
    Compare(Comparison, f64, String),
    /// Equal to a value: a state's value, or a number as text.
    Is(Word),
    /// Not equal to a value.
    IsNot(Word),
    /// From one number to another, both included (and the unit they were written with).
    Between(f64, f64, String),
}

/// What calls a reaction.
#[derive(Debug, Clone, PartialEq)]
pub enum Trigger {
    /// An event arrives.
    Event(Word),
    /// A state or parameter comes to pass a test that it did not pass before.
    Becomes(Word, Test),
    /// A parameter crosses a number: `rises over` (or `falls under`), with the unit it was written with.
    Crosses(Word, bool, f64, String),
    /// The listener enters a zone (or leaves it).
    Zone(Word, bool),
    /// A clock: again and again, as long as the conditions hold.
    Every(Interval),
}

/// From one beat of a clock to the next.
#[derive(Debug, Clone, PartialEq)]
pub enum Interval {
    /// A time between two, drawn each time; at least 20 ms.
    Between(Span<Seconds>),
    /// What a parameter that is a time says now.
    Of(Word),
}

/// Which of several calls counts.
#[derive(Debug, Clone, PartialEq)]
pub struct Nth {
    /// Which one, from 1.
    pub n: u32,
    /// All of them within this time; without it, every n-th.
    pub within: Option<Seconds>,
}

/// A further condition.
#[derive(Debug, Clone, PartialEq)]
pub struct Condition {
    /// The state or parameter.
    pub subject: Word,
    /// What it is tested for.
    pub test: Test,
}

/// One reaction.
#[derive(Debug, Clone, PartialEq)]
pub struct Reaction {
    /// Comment lines before it, without the `#`.
    pub comments: Vec<String>,
    /// What calls it.
    pub trigger: Trigger,
    /// Whether it is switched off.
    pub off: bool,
    /// The change must last so long before it counts; after an event, so long must have passed since it.
    pub hold: Option<Seconds>,
    /// Which of several calls counts.
    pub nth: Option<Nth>,
    /// What must hold besides.
    pub conditions: Vec<Condition>,
    /// It acts once, and again only after this has held.
    pub until: Option<Condition>,
    /// Whether it holds only if no earlier reaction to the same trigger did.
    pub otherwise: bool,
    /// What is done, in order.
    pub actions: Vec<Act>,
    /// Where its `When` stands.
    pub place: PlaceOf,
}

/// Parses a file of reactions. What is wrong is left out and given as a fault.
#[must_use]
pub fn parse(file: &str, text: &str) -> (Vec<Reaction>, Vec<Fault>) {
    let mut list: Vec<Reaction> = Vec::new();
    let mut faults = Vec::new();
    let mut comments: Vec<String> = Vec::new();
    // Whether actions belong to the last reaction; not after a head that could not be read.
    let mut open = false;
    let mut head_failed = false;
    // Lines of reactions that an action was written for, if not as it should be.
    let mut tried: Vec<u32> = Vec::new();
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
            match act(&mut line) {
                Ok(act) if open => {
                    if let Some(reaction) = list.last_mut() {
                        reaction.actions.push(act);
                    }
                }
                Ok(_) if head_failed => {}
                Ok(_) => faults.push(Fault::new(&place, "this action belongs to no reaction", "write a line \"When …\" above it, at the left edge")),
                Err(fault) => {
                    tried.extend(list.last().filter(|_| open).map(|r| r.place.0.line));
                    faults.push(fault);
                }
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
    for reaction in list.iter().filter(|r| r.actions.is_empty() && !tried.contains(&r.place.0.line)) {
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
    let off = line.take(&["Off:"]) || line.take(&["off:"]);
    if !line.take(&["When"]) && !line.take(&["when"]) {
        return Err(line.fault(
            format!("a reaction begins with \"When\", not \"{}\"", line.peek()),
            "begin with \"When\" and an event, or put two spaces before an action",
        ));
    }
    let trigger = trigger(line)?;
    let hold = match trigger {
        Trigger::Becomes(..) | Trigger::Crosses(..) if line.take(&["for"]) => Some(line.time()?),
        Trigger::Event(..) if line.take(&["since"]) => Some(line.time()?),
        _ => None,
    };
    let nth = nth(line)?;
    let mut conditions = Vec::new();
    let clock = matches!(trigger, Trigger::Every(_));
    while line.take(&["and"]) || (clock && conditions.is_empty() && line.take(&["while"])) {
        conditions.push(condition(line)?);
    }
    if clock && line.peek() == "otherwise" {
        return Err(line.fault("a clock has no \"otherwise\": nothing calls it before", "write a second clock, with \"while\" and the opposite condition"));
    }
    let otherwise = line.take(&["otherwise"]);
    let until = if line.take(&["once", "until"]) { Some(condition(line)?) } else { None };
    line.end("a reaction goes on with \"and\" and a condition, \"otherwise\", or \"once until\" and a condition")?;
    Ok(Reaction { comments: Vec::new(), trigger, off, hold, nth, conditions, until, otherwise, actions: Vec::new(), place: PlaceOf(place) })
}

fn trigger(line: &mut Cursor<'_>) -> Parsed<Trigger> {
    if line.take(&["entering"]) {
        return Ok(Trigger::Zone(line.name("a zone")?, true));
    }
    if line.take(&["leaving"]) {
        return Ok(Trigger::Zone(line.name("a zone")?, false));
    }
    if line.take(&["every"]) {
        return Ok(Trigger::Every(interval(line)?));
    }
    let subject = line.name("an event, a state or a parameter")?;
    if line.take(&["becomes"]) {
        let test = match comparison(line)? {
            Some(test) => test,
            None => Test::Is(value(line, "a value")?),
        };
        return Ok(Trigger::Becomes(subject, test));
    }
    let rises = line.take(&["rises", "over"]);
    if rises || line.take(&["falls", "under"]) {
        let (number, unit) = number_with_unit(line)?;
        return Ok(Trigger::Crosses(subject, rises, number, unit));
    }
    if let Some(wrong) = almost(line, &subject) {
        return Err(wrong);
    }
    Ok(Trigger::Event(subject))
}

/// Signs for comparisons, with the words that are meant.
const SIGNS: [(&str, &str); 8] =
    [("<=", "at most"), (">=", "at least"), ("≤", "at most"), ("≥", "at least"), ("<", "under"), (">", "over"), ("==", "is"), ("=", "is")];

/// The words for a sign at the front of a token, with what follows it in the same token.
fn sign(token: &str) -> Option<(&'static str, &str)> {
    SIGNS.iter().find_map(|(sign, word)| Some((*word, token.strip_prefix(sign)?)))
}

/// The fault of a head that compares where it should say when the comparison comes to hold.
fn almost(line: &mut Cursor<'_>, subject: &Word) -> Option<Fault> {
    let place = line.place();
    let (words, inside) = match sign(line.peek()) {
        Some((words, inside)) => (words, inside.to_owned()),
        None => {
            let words = ["over", "under", "is", "at least", "at most", "between"].into_iter().find(|w| {
                let words: Vec<&str> = w.split(' ').collect();
                line.take(&words)
            })?;
            (words, String::new())
        }
    };
    if sign(line.peek()).is_some() {
        let taken = line.peek().to_owned();
        line.take(&[&taken]);
    }
    let mut value = inside;
    while !matches!(line.peek(), "" | "and" | "otherwise" | "once" | "for" | "at" | "every" | ",") {
        let word = line.peek().to_owned();
        line.take(&[&word]);
        value = if value.is_empty() { word } else { format!("{value} {word}") };
    }
    let value = if value.is_empty() { "0.5".to_owned() } else { value };
    let fix = match words {
        "is" => format!("write \"When {subject} becomes {value}\""),
        "over" => format!("write \"When {subject} becomes over {value}\", or \"{subject} rises over {value}\" for each way up through it"),
        "under" => format!("write \"When {subject} becomes under {value}\", or \"{subject} falls under {value}\" for each way down through it"),
        _ => format!("write \"When {subject} becomes {words} {value}\""),
    };
    Some(Fault::new(&place, format!("a reaction is called when something comes to hold, not as long as {subject} is so"), fix))
}

fn interval(line: &mut Cursor<'_>) -> Parsed<Interval> {
    if is_name(line.peek()) {
        return Ok(Interval::Of(line.name("a time or a parameter")?));
    }
    let place = line.place();
    let span = if line.peek().contains("..") {
        let mut text = line.peek().to_owned();
        line.take(&[&text.clone()]);
        if Seconds::from_parts(1.0, line.peek()).is_some() && !line.done() {
            let unit = line.peek().to_owned();
            line.take(&[&unit]);
            text = format!("{text} {unit}");
        }
        Span::<Seconds>::read(&text).map_err(|error| Fault::new(&place, error.to_string(), "write a time like 10 s, or a range like 8..12 s"))?
    } else {
        let time = line.time()?;
        Span { low: time, high: time }
    };
    if span.low.0 < LEAST_INTERVAL {
        return Err(Fault::new(&place, format!("{} is too short for a clock", span.low), "write 20 ms or more"));
    }
    Ok(Interval::Between(span))
}

fn nth(line: &mut Cursor<'_>) -> Parsed<Option<Nth>> {
    let windowed = line.take(&["at", "the"]);
    if !windowed && !line.take(&["every"]) {
        return Ok(None);
    }
    let text = line.peek().to_owned();
    let digits = text.trim_end_matches(char::is_alphabetic);
    let n = digits.parse::<u32>().ok().filter(|n| (1..=MOST_NTH).contains(n) && ["st", "nd", "rd", "th"].contains(&&text[digits.len()..]));
    let Some(n) = n else {
        return Err(line.fault(format!("\"{text}\" is not which one"), format!("write 2nd, 3rd, 4th, up to {MOST_NTH}th")));
    };
    line.take(&[&text]);
    let within = if windowed {
        line.expect("within")?;
        Some(line.time()?)
    } else {
        None
    };
    Ok(Some(Nth { n, within }))
}

fn condition(line: &mut Cursor<'_>) -> Parsed<Condition> {
    let subject = line.name("a state or a parameter")?;
    let test = match comparison(line)? {
        Some(test) => test,
        None if line.take(&["is", "not"]) => Test::IsNot(value(line, "a value")?),
        None if line.take(&["is"]) => Test::Is(value(line, "a value")?),
        None if sign(line.peek()).is_some() => {
            let (words, inside) = sign(line.peek()).unwrap_or_default();
            let what = format!("\"{}\" is not understood", line.peek());
            return Err(line.fault(what, format!("write \"{subject} {words} {}\"", if inside.is_empty() { "…" } else { inside })));
        }
        None => {
            let fix = "write over, under, at least, at most, between, is, or is not";
            return Err(line.fault(format!("it is not said what {subject} is tested for"), fix));
        }
    };
    Ok(Condition { subject, test })
}

/// Reads conditions joined by `and`, as they stand in a field that begins at `place`.
///
/// # Errors
/// With place and fix.
pub fn read_conditions(place: &Place, text: &str) -> Parsed<Vec<Condition>> {
    let mut line = Cursor::new(&place.file, place.line, text);
    let mut list = vec![condition(&mut line)?];
    while line.take(&["and"]) {
        list.push(condition(&mut line)?);
    }
    line.end("conditions are joined by \"and\"")?;
    Ok(list)
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
    } else if line.take(&["between"]) {
        let (low, own) = number_with_unit(line)?;
        line.expect("and")?;
        let (high, unit) = number_with_unit(line)?;
        if low > high {
            return Err(line.fault(format!("{low} is more than {high}"), "write the lower number first"));
        }
        return Ok(Some(Test::Between(low, high, if unit.is_empty() { own } else { unit })));
    } else {
        return Ok(None);
    };
    let (number, unit) = number_with_unit(line)?;
    Ok(Some(Test::Compare(comparison, number, unit)))
}

/// A number and the unit word after it, if there is one.
fn number_with_unit(line: &mut Cursor<'_>) -> Parsed<(f64, String)> {
    let (number, mut unit) = line.number("a number")?;
    if unit.is_empty() && !line.done() && !matches!(line.peek(), "and" | "otherwise" | "for" | "at" | "every" | "once" | "since" | "while" | ",") {
        unit = line.peek().to_owned();
        let taken = unit.clone();
        line.take(&[&taken]);
    }
    Ok((number, unit))
}

#[cfg(test)]
mod tests {
    use super::super::Moment;
    use super::super::actions::{ACTIONS, Action, Said, Slot, SlotKind, Where};
    use super::super::lex::print_number;
    use super::*;
    use estampie_engine::curve::Shape;
    use estampie_engine::property::Property;
    use estampie_engine::vocabulary::Urgency;
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
        let between = (number(), number(), prop_oneof![Just(String::new()), Just("m".into())]).prop_map(|(a, b, u)| Test::Between(a.min(b), a.max(b), u));
        prop_oneof![compare(), value().prop_map(Test::Is), value().prop_map(Test::IsNot), between]
    }
    fn time() -> impl Strategy<Value = Seconds> {
        (0u64..100_000_000).prop_map(|us| Seconds(us as f64 / 1e6))
    }
    fn moment() -> impl Strategy<Value = Moment> {
        let known = prop::sample::select(super::super::actions::MOMENTS.map(|(m, _)| m).to_vec());
        prop_oneof![known, word().prop_map(|w| Moment::Marker(w.text))]
    }
    /// Anything that can be written in a slot.
    fn said(slot: &Slot) -> BoxedStrategy<Said> {
        let some = match slot.holds {
            SlotKind::Where | SlotKind::Whose => {
                prop_oneof![Just(Where::Sender), Just(Where::Listener), word().prop_map(Where::Named)].prop_map(Said::Where).boxed()
            }
            SlotKind::Urgency => prop_oneof![Just(Urgency::First), Just(Urgency::CutIn)].prop_map(Said::Urgency).boxed(),
            SlotKind::Time => time().prop_map(Said::Time).boxed(),
            SlotKind::Property => prop_oneof![Just(Property::Pitch), Just(Property::Level), Just(Property::LowPass)].prop_map(Said::Property).boxed(),
            // Read with the unit that belongs to the property: see below.
            SlotKind::PropertyValue => (20i32..48).prop_map(|n| Said::Written(n.to_string())).boxed(),
            SlotKind::Shape => prop_oneof![Just(Shape::Smooth), (1u8..9).prop_map(|n| Shape::Power(f32::from(n) / 2.0))].prop_map(Said::Shape).boxed(),
            SlotKind::LetGo => Just(Said::LetGo).boxed(),
            SlotKind::SubjectValue => value().prop_map(Said::Word).boxed(),
            SlotKind::Number => number().prop_map(Said::Number).boxed(),
            SlotKind::Moment => moment().prop_map(Said::Moment).boxed(),
            _ => word().prop_map(Said::Word).boxed(),
        };
        if slot.optional { prop_oneof![Just(Said::Nothing), some].boxed() } else { some }
    }
    fn any_action() -> impl Strategy<Value = Action> {
        (0..ACTIONS.len()).prop_flat_map(|at| {
            let kind = ACTIONS[at];
            kind.slots.iter().map(said).collect::<Vec<_>>().prop_map(move |mut said| {
                let unit = said.iter().find_map(|s| if let Said::Property(property) = s { Some(*property) } else { None });
                for said in &mut said {
                    if let Said::Written(text) = said {
                        text.push_str(match unit {
                            Some(Property::Pitch) => " st",
                            Some(Property::LowPass) => " Hz",
                            _ => " dB",
                        });
                    }
                }
                Action { kind, said }
            })
        })
    }
    fn act() -> impl Strategy<Value = Act> {
        let chance = prop::option::of((0u32..=1000).prop_map(|p| f64::from(p) / 10.0));
        (any_action(), chance, prop::option::of(time())).prop_map(|(action, chance, after)| Act { action, chance, after, place: PlaceOf::default() })
    }
    fn reaction() -> impl Strategy<Value = Reaction> {
        let unit = || prop_oneof![Just(String::new()), Just("m".into())];
        let trigger = prop_oneof![
            word().prop_map(Trigger::Event),
            (word(), prop_oneof![compare(), value().prop_map(Test::Is)]).prop_map(|(s, t)| Trigger::Becomes(s, t)),
            (word(), any::<bool>(), number(), unit()).prop_map(|(s, rises, n, u)| Trigger::Crosses(s, rises, n, u)),
            (word(), any::<bool>()).prop_map(|(zone, entering)| Trigger::Zone(zone, entering)),
            word().prop_map(|parameter| Trigger::Every(Interval::Of(parameter))),
            (20_000u32..90_000_000, 0u32..9_000_000).prop_map(|(low, more)| {
                let time = |us: u32| Seconds(f64::from(us) / 1e6);
                Trigger::Every(Interval::Between(Span { low: time(low), high: time(low + more) }))
            }),
        ];
        let condition = || (word(), test()).prop_map(|(subject, test)| Condition { subject, test });
        let head = (prop::collection::vec("[a-z]{1,6}( [a-z]{1,6})?", 0..2), trigger, any::<bool>(), prop::option::of(time()));
        let nth = prop::option::of((1u32..=MOST_NTH, prop::option::of(time())).prop_map(|(n, within)| Nth { n, within }));
        (head, nth, prop::collection::vec(condition(), 0..3), prop::option::of(condition()), any::<bool>(), prop::collection::vec(act(), 1..4)).prop_map(
            |((comments, trigger, off, hold), nth, conditions, until, otherwise, actions)| {
                let hold = hold.filter(|_| matches!(trigger, Trigger::Becomes(..) | Trigger::Crosses(..) | Trigger::Event(_)));
                let otherwise = otherwise && !matches!(trigger, Trigger::Every(_));
                Reaction { comments, trigger, off, hold, nth, conditions, until, otherwise, actions, place: PlaceOf::default() }
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
        fn no_text_panics(text in "(When |and |over |play |sweep |every |while |since |once until |between |at the |for |at |, |%|[0-9.]{1,3}|\n  |\n|.{0,3}){0,30}") {
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
        let stop = &list[2].actions[1].action;
        assert_eq!((stop.kind.verb, &stop.said), ("stop", &vec![Said::Word(Word::new("step")), Said::Nothing, Said::Time(Seconds(0.3))]));
    }

    #[test]
    fn every_mistake_is_told_with_its_place_and_a_fix() {
        let text = "When hull.struck and strain ovr 0.6\n  play a\nWhen b\n  ply c\n  play d, chance 700 %\n  stop e over soon\nplay f\n";
        let (list, faults) = parse("reactions.est", text);
        let told: Vec<String> = faults.iter().map(ToString::to_string).collect();
        assert_eq!(list.len(), 1);
        assert!(told[0].starts_with("reactions.est:1:29: it is not said what strain is tested for"), "{told:?}");
        assert!(told[1].starts_with("reactions.est:4:3: \"ply\" is not an action; play?"), "{told:?}");
        assert!(told[2].starts_with("reactions.est:5:18: 700 is not a chance"), "{told:?}");
        assert!(told[3].starts_with("reactions.est:6:15: \"soon\" stands where a time"), "{told:?}");
        assert!(told[4].starts_with("reactions.est:7:1: a reaction begins with \"When\""), "{told:?}");
        // What was tried is a mistake of its own; only what nothing was written for does nothing.
        assert_eq!(told.len(), 5, "{told:?}");
        assert!(parse("r", "When a\nWhen b\n  play c\n").1[0].to_string().starts_with("r:1:1: this reaction does nothing"));
    }
}
