//! Playthroughs: timed inputs as text, recorded or written by hand.
//!
//! ```text
//! seed 7
//! 0.0   place is quay
//! 1.5   send winch.start on winch
//! 2.0   depth 0 to 40 over 12 s
//! 20.0  end
//! ```

use super::Word;
use super::expect::{Expected, expected};
use super::lex::{Cursor, Parsed, print_number, print_time};
use crate::fault::{Fault, Place};
use estampie_engine::units::Seconds;
use std::fmt;

/// What happens at a moment.
#[derive(Debug, Clone, PartialEq)]
pub enum StepAction {
    /// A state takes a value.
    State(Word, Word),
    /// A parameter takes a value.
    Parameter(Word, f64),
    /// A parameter goes to a value over a time, from a value or from where it is.
    Glide {
        /// The parameter.
        parameter: Word,
        /// Where it begins; where it is if `None`.
        from: Option<f64>,
        /// Where it ends.
        to: f64,
        /// How long it takes.
        over: Seconds,
    },
    /// A parameter of one emitter takes a value.
    ParameterOn(Word, Word, f64),
    /// The listener or an emitter is somewhere, or goes there.
    Place(Placing),
    /// The listener (or an emitter) goes somewhere at a steady speed.
    Walk(Walking),
    /// An emitter is gone.
    Remove(Word),
    /// An event, perhaps of an emitter.
    Send(Word, Option<Word>),
    /// The player of the game sets a level, from 0 to 10.
    PlayerLevel(Word, f64),
    /// From this moment on something is expected; nothing is said to the engine.
    Expect(Box<Expected>),
    /// Everything is let go over half a second, and the playthrough is over.
    End,
}

/// Where something is.
#[derive(Debug, Clone, PartialEq)]
pub struct Placing {
    /// The emitter; the listener if `None`.
    pub emitter: Option<Word>,
    /// What kind of emitter it is.
    pub kind: Option<Word>,
    /// Metres to the east, to the north, and up.
    pub at: [f64; 3],
    /// Where it looks, in degrees clockwise from north; as before if unsaid.
    pub facing: Option<f64>,
    /// How long the way takes, in a straight line.
    pub over: Option<Seconds>,
}

/// A way at a steady speed.
#[derive(Debug, Clone, PartialEq)]
pub struct Walking {
    /// The emitter; the listener if `None`.
    pub emitter: Option<Word>,
    /// Metres to the east, to the north, and up.
    pub to: [f64; 3],
    /// Metres in a second, above 0.
    pub speed: f64,
}

/// A moment and what happens then.
#[derive(Debug, Clone, PartialEq)]
pub struct Step {
    /// Seconds from the start.
    pub at: Seconds,
    /// What happens.
    pub action: StepAction,
}

/// A straight way from a place to another.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Way {
    /// The step that says so, by its place among [`Playthrough::steps`].
    pub step: usize,
    /// Metres east, north, up.
    pub from: [f64; 3],
    /// Metres east, north, up.
    pub to: [f64; 3],
    /// In seconds.
    pub begin: f64,
    /// In seconds.
    pub end: f64,
}

impl Way {
    /// Where one is at a time, in seconds.
    #[must_use]
    pub fn at(&self, seconds: f64) -> [f64; 3] {
        let t = if self.end > self.begin { ((seconds - self.begin) / (self.end - self.begin)).clamp(0.0, 1.0) } else { 1.0 };
        std::array::from_fn(|i| self.from[i] + (self.to[i] - self.from[i]) * t)
    }
}

/// A line of a playthrough.
#[derive(Debug, Clone, PartialEq)]
pub enum PlaythroughLine {
    /// A comment, without the `#`.
    Comment(String),
    /// The seed of all random draws.
    Seed(u64),
    /// The moment from which on it is heard: what lies before happens all the same, unheard.
    From(Seconds),
    /// A timed step, with its place.
    Step(Step, super::PlaceOf),
}

/// A playthrough as written: its lines in order.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Playthrough {
    /// The lines; blank ones are not kept.
    pub lines: Vec<PlaythroughLine>,
}

impl Playthrough {
    /// The seed; 1 unless a line says otherwise.
    #[must_use]
    pub fn seed(&self) -> u64 {
        self.lines.iter().find_map(|l| if let PlaythroughLine::Seed(s) = l { Some(*s) } else { None }).unwrap_or(1)
    }

    /// The moment from which on it is heard; the beginning unless a line says otherwise.
    #[must_use]
    pub fn heard_from(&self) -> Seconds {
        self.lines.iter().find_map(|l| if let PlaythroughLine::From(at) = l { Some(*at) } else { None }).unwrap_or(Seconds(0.0))
    }

    /// The steps by time; those of one time in the order of the lines.
    #[must_use]
    pub fn steps(&self) -> Vec<(&Step, &Place)> {
        let mut steps: Vec<_> = self.lines.iter().filter_map(|l| if let PlaythroughLine::Step(s, p) = l { Some((s, &p.0)) } else { None }).collect();
        steps.sort_by(|a, b| a.0.at.0.total_cmp(&b.0.at.0));
        steps
    }

    /// When it is over: the first `end`, whatever still moves then; or else the last input or end of a glide.
    #[must_use]
    pub fn length(&self) -> Seconds {
        if let Some((end, _)) = self.steps().into_iter().find(|(s, _)| s.action == StepAction::End) {
            return end.at;
        }
        let until = |step: &Step| match &step.action {
            StepAction::Glide { over, .. } => step.at.0 + over.0,
            StepAction::Place(Placing { over: Some(over), .. }) => step.at.0 + over.0,
            // It goes on until it is decided.
            StepAction::Expect(expected) => step.at.0 + expected.within().map_or(0.0, |w| w.0),
            _ => step.at.0,
        };
        let placed = self.steps().iter().map(|(s, _)| until(s)).fold(0.0, f64::max);
        Seconds(self.walks().iter().map(|w| w.1).fold(placed, f64::max))
    }

    /// Every walk, as the index of its step with the time when it is done: how long it takes depends on where it begins.
    #[must_use]
    pub fn walks(&self) -> Vec<(usize, f64)> {
        let steps = self.steps();
        let walks = self.ways().into_iter().filter(|way| matches!(steps[way.step].0.action, StepAction::Walk(_)));
        walks.map(|way| (way.step, way.end)).collect()
    }

    /// Every way from a place to another, in the order of the steps: those of no length too.
    #[must_use]
    pub fn ways(&self) -> Vec<Way> {
        let mut ways: std::collections::HashMap<Option<&str>, Way> = std::collections::HashMap::new();
        let mut done = Vec::new();
        for (index, (step, _)) in self.steps().iter().enumerate() {
            let now = step.at.0;
            let (who, to, over) = match &step.action {
                StepAction::Place(p) => (p.emitter.as_ref(), p.at, p.over.map_or(0.0, |o| o.0)),
                StepAction::Walk(w) => (w.emitter.as_ref(), w.to, f64::NAN),
                _ => continue,
            };
            let who = who.map(|w| w.text.as_str());
            let from = ways.get(&who).map_or(to, |way| way.at(now));
            let over = match &step.action {
                StepAction::Walk(w) => (0..3).map(|i| (to[i] - from[i]).powi(2)).sum::<f64>().sqrt() / w.speed,
                _ => over,
            };
            let way = Way { step: index, from, to, begin: now, end: now + over };
            ways.insert(who, way);
            done.push(way);
        }
        done
    }

    /// Whether an `end` is written.
    #[must_use]
    pub fn ends(&self) -> bool {
        self.steps().iter().any(|(s, _)| s.action == StepAction::End)
    }
}

/// The time of a line of a playthrough, in seconds; `None` if it is no step, or at fault.
#[must_use]
pub fn time_of(row: &str) -> Option<Seconds> {
    match line(&mut Cursor::new("", 1, row)) {
        Ok(PlaythroughLine::Step(step, _)) => Some(step.at),
        _ => None,
    }
}

/// A line with another time, and the rest of it as it was written; `None` if it is no step, or at fault. Less than 0 is 0.
#[must_use]
pub fn with_time(row: &str, at: Seconds) -> Option<String> {
    time_of(row)?;
    let rest = row.trim_start().split_once(char::is_whitespace)?.1.trim_start();
    Some(format!("{:<9} {rest}", print_time(Seconds((at.0.max(0.0) * 1e3).round() / 1e3))))
}

/// A text with a line put in the place of another (counted from 0), or put in anew; gives it with the place where the line stands then.
///
/// A step comes behind all steps of its time and before, so that a text in order of time stays so; what is no step stays where it was, or
/// comes behind `near`.
#[must_use]
pub fn put_line(text: &str, instead: Option<usize>, near: usize, row: &str) -> (String, usize) {
    let mut rows: Vec<&str> = text.lines().collect();
    let before = instead.filter(|at| *at < rows.len()).map(|at| (at, rows.remove(at)));
    let times: Vec<Option<f64>> = rows.iter().map(|r| time_of(r).map(|t| t.0)).collect();
    let at = match time_of(row) {
        // Of the same time as before, or still between its neighbours, it keeps its place.
        Some(now) if before.is_some_and(|(at, _)| times[..at].iter().flatten().all(|t| *t <= now.0) && times[at..].iter().flatten().all(|t| *t >= now.0)) => {
            before.map_or(0, |(at, _)| at)
        }
        Some(now) => {
            let behind = times.iter().rposition(|t| t.is_some_and(|t| t <= now.0)).map(|at| at + 1);
            behind.unwrap_or_else(|| times.iter().position(Option::is_some).unwrap_or(rows.len()))
        }
        None => before.map_or((near + 1).min(rows.len()), |(at, _)| at),
    };
    rows.insert(at, row);
    (rows.iter().map(|row| format!("{row}\n")).collect(), at)
}

/// A text without a line, counted from 0.
#[must_use]
pub fn without_line(text: &str, line: usize) -> String {
    text.lines().enumerate().filter(|(at, _)| *at != line).map(|(_, row)| format!("{row}\n")).collect()
}

/// Parses a playthrough. What is wrong is left out and given as a fault.
#[must_use]
pub fn parse(file: &str, text: &str) -> (Playthrough, Vec<Fault>) {
    let mut playthrough = Playthrough::default();
    let mut faults = Vec::new();
    for (at, row) in text.lines().enumerate() {
        let mut cursor = Cursor::new(file, at as u32 + 1, row);
        if cursor.done() {
            if let Some(comment) = row.trim().strip_prefix('#') {
                playthrough.lines.push(PlaythroughLine::Comment(comment.trim().to_owned()));
            }
            continue;
        }
        match line(&mut cursor) {
            Ok(line) => playthrough.lines.push(line),
            Err(fault) => faults.push(fault),
        }
    }
    (playthrough, faults)
}

fn line(cursor: &mut Cursor<'_>) -> Parsed<PlaythroughLine> {
    let place = cursor.place();
    if cursor.take(&["seed"]) {
        let seed = cursor.peek().parse().map_err(|_| cursor.fault("a seed is a whole number of 0 or more", "write a line like \"seed 7\""))?;
        let taken = cursor.peek().to_owned();
        cursor.take(&[&taken]);
        cursor.end("nothing follows the seed")?;
        return Ok(PlaythroughLine::Seed(seed));
    }
    if cursor.take(&["from"]) {
        let (at, unit) = cursor.number("the moment from which on it is heard, like 84.3")?;
        if !(0.0..=86_400.0).contains(&at) || !(unit.is_empty() || unit == "s") {
            return Err(Fault::new(&place, format!("{at}{unit} is not a time in seconds from 0 to 86400"), "write a line like \"from 84.3\""));
        }
        cursor.end("nothing follows the moment from which on it is heard")?;
        return Ok(PlaythroughLine::From(Seconds(at)));
    }
    let (at, unit) = cursor.number("a time in seconds, like 2.5")?;
    if at < 0.0 || !(unit.is_empty() || unit == "s") || at > 86_400.0 {
        return Err(Fault::new(&place, format!("{at}{unit} is not a time in seconds from 0 to 86400"), "begin the line with seconds from the start, like 2.5"));
    }
    let action = action(cursor)?;
    cursor.end("this step ends here; the next one begins a line of its own")?;
    Ok(PlaythroughLine::Step(Step { at: Seconds(at), action }, super::PlaceOf(place)))
}

fn action(cursor: &mut Cursor<'_>) -> Parsed<StepAction> {
    if cursor.take(&["end"]) {
        return Ok(StepAction::End);
    }
    if cursor.take(&["expect"]) {
        return Ok(StepAction::Expect(Box::new(expected(cursor)?)));
    }
    if cursor.take(&["send"]) {
        let event = cursor.name("an event")?;
        let emitter = if cursor.take(&["on"]) { Some(cursor.name("the name of an emitter")?) } else { None };
        return Ok(StepAction::Send(event, emitter));
    }
    if cursor.take(&["player", "level"]) {
        let level = cursor.name("a player level")?;
        let value = number_with_unit(cursor)?;
        if !(0.0..=10.0).contains(&value) {
            return Err(cursor.fault(format!("{value} is no player level"), "write a number from 0 to 10"));
        }
        return Ok(StepAction::PlayerLevel(level, value));
    }
    if cursor.take(&["remove"]) {
        return Ok(StepAction::Remove(cursor.name("the name of an emitter")?));
    }
    if cursor.take(&["listener", "walks"]) || cursor.take(&["listener", "goes"]) {
        return Err(cursor.fault("the listener does not walk by himself here", "write \"walk listener to 4, 12 at 1.4 m/s\""));
    }
    if cursor.take(&["listener"]) {
        return Ok(StepAction::Place(placing(cursor, None, None)?));
    }
    if cursor.take(&["walk"]) {
        let who = cursor.name("\"listener\" or the name of an emitter")?;
        cursor.expect("to")?;
        let to = coordinates(cursor)?;
        cursor.expect("at")?;
        let (speed, unit) = cursor.number("a speed, like 1.4 m/s")?;
        if unit.is_empty() {
            cursor.take(&["m/s"]);
        }
        if speed <= 0.0 || !(unit.is_empty() || unit == "m/s") {
            return Err(cursor.fault(format!("{speed} {unit} is not a speed to walk at"), "write a speed above 0, like 1.4 m/s"));
        }
        let emitter = (who.text != estampie_engine::world::emitters::LISTENER_NAME).then_some(who);
        return Ok(StepAction::Walk(Walking { emitter, to, speed }));
    }
    if cursor.take(&["emitter"]) {
        let emitter = cursor.name("the name of an emitter")?;
        let kind = if cursor.take(&["a"]) || cursor.take(&["an"]) { Some(cursor.name("a kind of emitter")?) } else { None };
        return Ok(StepAction::Place(placing(cursor, Some(emitter), kind)?));
    }
    let subject = cursor.name("a state, a parameter, \"listener\", \"walk\", \"emitter\", \"send\" or \"end\"")?;
    if cursor.done() {
        return Err(cursor.fault(
            format!("it is not said what {subject} does"),
            format!("write \"send {subject}\" if it is an event; \"is VALUE\" after a state, a number after a parameter"),
        ));
    }
    if cursor.peek() == "walks" || cursor.peek() == "goes" {
        return Err(cursor.fault(format!("\"{subject} {}\" is not understood", cursor.peek()), format!("write \"walk {subject} to 4, 12 at 1.4 m/s\"")));
    }
    if cursor.take(&["on"]) {
        let emitter = cursor.name("the name of an emitter")?;
        if cursor.done() {
            return Err(cursor.fault(
                format!("it is not said what {subject} is on {emitter}"),
                format!("write \"send {subject} on {emitter}\" if it is an event, or a number"),
            ));
        }
        return Ok(StepAction::ParameterOn(subject, emitter, number_with_unit(cursor)?));
    }
    if cursor.take(&["is"]) {
        return Ok(StepAction::State(subject, cursor.name("a value of the state")?));
    }
    let from = if cursor.peek() == "to" { None } else { Some(number_with_unit(cursor)?) };
    if cursor.take(&["to"]) {
        let to = number_with_unit(cursor)?;
        cursor.expect("over")?;
        let over = cursor.time()?;
        return Ok(StepAction::Glide { parameter: subject, from, to, over });
    }
    match from {
        Some(value) => Ok(StepAction::Parameter(subject, value)),
        None => Err(cursor.fault(format!("it is not said what {subject} does"), "write \"is VALUE\", a number, or \"A to B over T s\"")),
    }
}

/// `at EAST, NORTH` or `at EAST, NORTH, UP`, perhaps `facing DEGREES`, perhaps `over TIME`.
fn placing(cursor: &mut Cursor<'_>, emitter: Option<Word>, kind: Option<Word>) -> Parsed<Placing> {
    cursor.expect("at")?;
    let at = coordinates(cursor)?;
    let facing = if cursor.take(&["facing"]) { Some(cursor.number("degrees clockwise from north")?.0) } else { None };
    let over = if cursor.take(&["over"]) { Some(cursor.time()?) } else { None };
    Ok(Placing { emitter, kind, at, facing, over })
}

/// `EAST, NORTH` or `EAST, NORTH, UP`.
fn coordinates(cursor: &mut Cursor<'_>) -> Parsed<[f64; 3]> {
    let mut at = [0.0; 3];
    at[0] = number_with_unit(cursor)?;
    cursor.expect(",")?;
    at[1] = number_with_unit(cursor)?;
    if cursor.take(&[","]) {
        at[2] = number_with_unit(cursor)?;
    }
    Ok(at)
}

/// A number; a unit may follow it and is not kept, since the parameter knows its own.
fn number_with_unit(cursor: &mut Cursor<'_>) -> Parsed<f64> {
    let (value, unit) = cursor.number("\"is\", a number, or \"to\"")?;
    if unit.is_empty() && !cursor.done() && !matches!(cursor.peek(), "to" | "over" | "facing" | "at" | ",") {
        let word = cursor.peek().to_owned();
        cursor.take(&[&word]);
    }
    Ok(value)
}

impl fmt::Display for StepAction {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            StepAction::State(state, value) => write!(f, "{state} is {value}"),
            StepAction::Parameter(parameter, value) => write!(f, "{parameter} {}", print_number(*value)),
            StepAction::Glide { parameter, from: Some(from), to, over } => {
                write!(f, "{parameter} {} to {} over {} s", print_number(*from), print_number(*to), print_time(*over))
            }
            StepAction::Glide { parameter, from: None, to, over } => write!(f, "{parameter} to {} over {} s", print_number(*to), print_time(*over)),
            StepAction::ParameterOn(parameter, emitter, value) => write!(f, "{parameter} on {emitter} {}", print_number(*value)),
            StepAction::Remove(emitter) => write!(f, "remove {emitter}"),
            StepAction::Walk(walking) => {
                let [east, north, up] = walking.to.map(print_number);
                let who = walking.emitter.as_ref().map_or(estampie_engine::world::emitters::LISTENER_NAME, |e| &e.text);
                write!(f, "walk {who} to {east}, {north}")?;
                if walking.to[2] != 0.0 {
                    write!(f, ", {up}")?;
                }
                write!(f, " at {} m/s", print_number(walking.speed))
            }
            StepAction::Place(placing) => {
                match (&placing.emitter, &placing.kind) {
                    (None, _) => f.write_str("listener")?,
                    (Some(emitter), None) => write!(f, "emitter {emitter}")?,
                    (Some(emitter), Some(kind)) => write!(f, "emitter {emitter} a {kind}")?,
                }
                let [east, north, up] = placing.at.map(print_number);
                write!(f, " at {east}, {north}")?;
                if placing.at[2] != 0.0 {
                    write!(f, ", {up}")?;
                }
                if let Some(facing) = placing.facing {
                    write!(f, " facing {}", print_number(facing))?;
                }
                if let Some(over) = placing.over {
                    write!(f, " over {} s", print_time(over))?;
                }
                Ok(())
            }
            StepAction::Send(event, None) => write!(f, "send {event}"),
            StepAction::Send(event, Some(emitter)) => write!(f, "send {event} on {emitter}"),
            StepAction::PlayerLevel(level, value) => write!(f, "player level {level} {}", print_number(*value)),
            StepAction::Expect(expected) => write!(f, "expect {expected}"),
            StepAction::End => f.write_str("end"),
        }
    }
}

impl fmt::Display for Playthrough {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for line in &self.lines {
            match line {
                PlaythroughLine::Comment(text) => writeln!(f, "# {text}")?,
                PlaythroughLine::Seed(seed) => writeln!(f, "seed {seed}")?,
                PlaythroughLine::From(at) => writeln!(f, "from {}", print_time(*at))?,
                PlaythroughLine::Step(step, _) => writeln!(f, "{:<9} {}", print_time(step.at), step.action)?,
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn word() -> impl Strategy<Value = Word> {
        "z[a-z0-9]{0,4}([.-][a-z][a-z0-9]{0,4})?".prop_map(|text| Word::new(&text))
    }
    fn number() -> impl Strategy<Value = f64> {
        (-100_000i64..100_000).prop_map(|n| n as f64 / 64.0)
    }
    fn time() -> impl Strategy<Value = Seconds> {
        (0u64..1_000_000_000).prop_map(|us| Seconds(us as f64 / 1e6))
    }
    fn any_line() -> impl Strategy<Value = PlaythroughLine> {
        let step = prop_oneof![
            (word(), word()).prop_map(|(s, v)| StepAction::State(s, v)),
            (word(), number()).prop_map(|(p, v)| StepAction::Parameter(p, v)),
            (word(), prop::option::of(number()), number(), time()).prop_map(|(parameter, from, to, over)| StepAction::Glide { parameter, from, to, over }),
            (word(), prop::option::of(word())).prop_map(|(e, m)| StepAction::Send(e, m)),
            (word(), 0u32..=40).prop_map(|(level, quarters)| StepAction::PlayerLevel(level, f64::from(quarters) / 4.0)),
            (prop::option::of(word()), number(), number(), prop::bool::ANY, 1u32..900).prop_map(|(emitter, x, y, up, speed)| {
                StepAction::Walk(Walking { emitter, to: [x, y, if up { 2.5 } else { 0.0 }], speed: f64::from(speed) / 8.0 })
            }),
            Just(StepAction::End),
        ];
        prop_oneof![
            any::<u64>().prop_map(PlaythroughLine::Seed),
            time().prop_map(PlaythroughLine::From),
            "[a-z]{1,6}( [a-z]{1,6})?".prop_map(PlaythroughLine::Comment),
            (time(), step).prop_map(|(at, action)| PlaythroughLine::Step(Step { at, action }, Default::default())),
        ]
    }

    #[test]
    fn a_line_gets_another_time_and_keeps_its_words() {
        let time = |row: &str, at: f64| with_time(row, Seconds(at));
        assert_eq!(time("8.4       depth 0 to 40 over 3 s   # slowly", 9.25).as_deref(), Some("9.25      depth 0 to 40 over 3 s   # slowly"));
        assert_eq!(time("  2.5 send hatch.open", 0.1234).as_deref(), Some("0.123     send hatch.open"));
        assert_eq!(time("2 s 0.5", 3.0).as_deref(), Some("3         s 0.5"), "a parameter of that name is no unit");
        assert_eq!(time("2.5s send hatch.open", -4.0).as_deref(), Some("0         send hatch.open"));
        assert_eq!((time("# a note", 1.0), time("seed 4", 1.0), time("2 sned x y", 1.0)), (None, None, None));
    }

    #[test]
    fn lines_are_put_where_their_time_is() {
        let text = "# a dive\nseed 3\n0 depth 4\n2 send a\n2 send b\n# later\n5 end\n";
        let put = |instead, near, row: &str| put_line(text, instead, near, row);
        assert_eq!(put(None, 0, "2 send c"), ("# a dive\nseed 3\n0 depth 4\n2 send a\n2 send b\n2 send c\n# later\n5 end\n".into(), 5));
        assert_eq!(put(Some(3), 0, "2 send c"), ("# a dive\nseed 3\n0 depth 4\n2 send c\n2 send b\n# later\n5 end\n".into(), 3), "it keeps its place");
        assert_eq!(put(Some(3), 0, "9 send a").1, 6);
        assert_eq!(put(Some(6), 0, "1 end"), ("# a dive\nseed 3\n0 depth 4\n1 end\n2 send a\n2 send b\n# later\n".into(), 3));
        assert_eq!(put(None, 1, "# note").1, 2, "what is no step comes behind the line that is chosen");
        assert_eq!(put(Some(0), 5, "# another dive").1, 0);
        assert_eq!(put_line("", None, 0, "0 end"), ("0 end\n".into(), 0));
        assert_eq!(put_line("seed 2\n", None, 0, "1 end"), ("seed 2\n1 end\n".into(), 1));
        assert_eq!(without_line(text, 1).lines().count(), 6);
    }

    proptest! {
        #[test]
        fn a_text_in_order_of_time_stays_so(times in prop::collection::vec(0u32..50, 1..12), at in any::<prop::sample::Index>(), to in 0u32..60, new in any::<bool>()) {
            let mut times = times;
            times.sort_unstable();
            let text: String = times.iter().map(|t| format!("{t} send x{t}\n")).collect();
            let instead = (!new).then(|| at.index(times.len()));
            let (put, place) = put_line(&text, instead, 0, &format!("{to} send moved"));
            let after: Vec<f64> = put.lines().map(|row| time_of(row).unwrap().0).collect();
            prop_assert!(after.windows(2).all(|w| w[0] <= w[1]), "{:?}", after);
            prop_assert_eq!(after.len(), times.len() + usize::from(new));
            prop_assert!(put.lines().nth(place).unwrap().ends_with("send moved"));
        }

        #[test]
        fn parsing_what_was_printed_gives_the_same(lines in prop::collection::vec(any_line(), 0..12)) {
            let playthrough = Playthrough { lines };
            let text = playthrough.to_string();
            let (back, faults) = parse("p.play", &text);
            prop_assert_eq!(&faults, &vec![], "{}", text);
            prop_assert_eq!(back, playthrough);
        }

        #[test]
        fn no_text_panics(text in "([0-9.]{1,3} |seed |to |over |is |send |on |end|\n|.{0,3}){0,30}") {
            let _ = parse("p.play", &text);
        }
    }

    #[test]
    fn frames_survive_the_text() {
        for frame in [0u64, 1, 47_999, 48_001, 123_456_789, 4_147_199_999] {
            let step = Step { at: Seconds::of_frames(frame, 48_000), action: StepAction::End };
            let text = Playthrough { lines: vec![PlaythroughLine::Step(step, Default::default())] }.to_string();
            assert_eq!(parse("p", &text).0.length().frames(48_000), frame, "{text}");
        }
    }

    #[test]
    fn the_end_ends_whatever_still_moves() {
        let (play, faults) = parse("p", "0 depth 0 to 40 over 60 s\n1 walk listener to 900, 0 at 1 m/s\n3 end\n5 send late\n");
        assert_eq!((play.length(), faults), (Seconds(3.0), vec![]));
        let told = parse("p", "1 player level music 11\n").1[0].to_string();
        assert!(told.contains("0 to 10"), "{told}");
    }

    #[test]
    fn a_walk_takes_as_long_as_its_way() {
        let text = "0 listener at 0, 0\n1 walk listener to 30, 40 at 2 m/s\n11 walk listener to 30, 40 at 100 m/s\n2 walk bell to 9, 9 at 1\n";
        let (play, faults) = parse("p", text);
        assert_eq!(faults, vec![]);
        // 50 m at 2 m/s; after ten of the 25 seconds 30 m are left. The bell was nowhere before: it is there at once.
        assert_eq!(play.walks(), vec![(1, 26.0), (2, 2.0), (3, 11.3)]);
        assert_eq!(play.length(), Seconds(26.0));
        assert!(parse("p", "1 walk listener to 3, 4 at 0\n").1[0].to_string().contains("not a speed to walk at"));
    }

    #[test]
    fn mistakes_have_a_place_and_a_fix() {
        let (kept, faults) = parse("p.play", "0.0 depth\n-1 send a\n2 send\n3 depth 0 to 4\n4 depth 40 m\n5 depth 0 m to 4 m over 2 s\n");
        let told: Vec<String> = faults.iter().map(ToString::to_string).collect();
        assert_eq!(kept.steps().len(), 2, "{told:?}");
        assert!(told[0].starts_with("p.play:1:10: it is not said what depth does"), "{told:?}");
        assert!(told[1].starts_with("p.play:2:1: -1 is not a time"), "{told:?}");
        assert!(told[2].starts_with("p.play:3:7: the line ends where an event should stand"), "{told:?}");
        assert!(told[3].contains("\"over\""), "{told:?}");
    }
}
