//! The actions of reactions, one to a line: how they are read, printed and completed, by the slots of
//! [`ACTIONS`](estampie_engine::director::actions::ACTIONS).

use super::lex::{Cursor, Parsed, print_number, print_time, value};
use super::{Moment, PlaceOf, Word};
use crate::fault::{Fault, did_you_mean};
use estampie_engine::curve::Shape;
pub use estampie_engine::director::actions::{ACTIONS, ActionKind, Slot, SlotKind};
use estampie_engine::dsp::generators::{control, controls, word_of};
use estampie_engine::property::{Property, Unit};
use estampie_engine::units::Seconds;
use estampie_engine::vocabulary::Urgency;
use std::fmt;

/// At which emitter an action happens.
#[derive(Debug, Clone, PartialEq)]
pub enum Where {
    /// `at the emitter`: the one that the event came from.
    Sender,
    /// `at the listener`.
    Listener,
    /// `at NAME`: a named one.
    Named(Word),
}

/// What is written in one slot of an action.
#[derive(Debug, Clone, PartialEq, Default)]
pub enum Said {
    /// Nothing.
    #[default]
    Nothing,
    /// A name, or the value of a state or parameter.
    Word(Word),
    /// An emitter.
    Where(Where),
    /// How soon.
    Urgency(Urgency),
    /// A time.
    Time(Seconds),
    /// A property.
    Property(Property),
    /// A value of the property, as written.
    Written(String),
    /// The curve of a way.
    Shape(Shape),
    /// `then let go`.
    LetGo,
    /// A number.
    Number(f64),
    /// A musical moment.
    Moment(Moment),
}

/// What is done.
#[derive(Debug, Clone, PartialEq)]
pub struct Action {
    /// Which of the [`ACTIONS`].
    pub kind: &'static ActionKind,
    /// What is written in each of its slots.
    pub said: Vec<Said>,
}

/// An action with what is said of it besides.
#[derive(Debug, Clone, PartialEq)]
pub struct Act {
    /// What is done.
    pub action: Action,
    /// The chance in percent, drawn each time; `None` is always.
    pub chance: Option<f64>,
    /// How long it waits.
    pub after: Option<Seconds>,
    /// Where it stands.
    pub place: PlaceOf,
}

impl Action {
    /// The slots with what is written in them.
    pub fn slots(&self) -> impl Iterator<Item = (&'static Slot, &Said)> {
        self.kind.slots.iter().zip(&self.said)
    }

    /// The names that it uses, with what each is a name of: [`SlotKind::Where`] for emitters.
    pub fn names(&self) -> impl Iterator<Item = (SlotKind, &Word)> {
        self.slots().filter_map(|(slot, said)| match said {
            Said::Word(word) if slot.holds != SlotKind::SubjectValue => Some((slot.holds, word)),
            Said::Where(Where::Named(word)) => Some((SlotKind::Where, word)),
            _ => None,
        })
    }

    /// The name that it uses of something of this kind.
    #[must_use]
    pub fn name(&self, of: SlotKind) -> Option<&Word> {
        self.names().find(|(holds, _)| *holds == of).map(|(_, word)| word)
    }

    /// The sound that it names.
    #[must_use]
    pub fn sound(&self) -> Option<&Word> {
        self.name(SlotKind::Sound).or_else(|| self.name(SlotKind::Spoken))
    }
}

/// What a name is called when it is missing.
fn wanted(holds: SlotKind) -> &'static str {
    match holds {
        SlotKind::Sound => "a sound",
        SlotKind::Spoken => "a sound with lines",
        SlotKind::Subject => "a state or a parameter",
        SlotKind::Parameter => "a parameter",
        SlotKind::Event => "an event",
        SlotKind::Piece => "a piece or a playlist",
        SlotKind::Section => "the name of a section or silence",
        SlotKind::Stinger => "a stinger",
        SlotKind::Layers => "a piece and its layer, like tidewalk/reed",
        SlotKind::Snapshot => "a snapshot",
        SlotKind::Where | SlotKind::Whose => "the name of an emitter, \"the emitter\" or \"the listener\"",
        SlotKind::Number => "a number",
        SlotKind::SubjectValue => "a value",
        SlotKind::Time => "a time",
        SlotKind::Property => "a property",
        SlotKind::PropertyValue => "a value of the property",
        SlotKind::Urgency => "how soon",
        SlotKind::Shape => "a curve",
        SlotKind::LetGo => "\"then let go\"",
        SlotKind::Moment => "a musical moment",
    }
}

/// How a slot is written, for documents: capitals stand for what one puts in.
fn written(slot: &Slot) -> String {
    let inner = match slot.holds {
        SlotKind::Sound | SlotKind::Spoken => "SOUND",
        SlotKind::Subject => "STATE or PARAMETER",
        SlotKind::SubjectValue | SlotKind::PropertyValue => "VALUE",
        SlotKind::Parameter => "PARAMETER",
        SlotKind::Number => "NUMBER",
        SlotKind::Event => "EVENT",
        SlotKind::Piece => "PIECE or PLAYLIST",
        SlotKind::Section => "SECTION or silence",
        SlotKind::Stinger => "STINGER",
        SlotKind::Layers => "PIECE/LAYER",
        SlotKind::Snapshot => "SNAPSHOT",
        SlotKind::Where | SlotKind::Whose => "at EMITTER",
        SlotKind::Time => "TIME",
        SlotKind::Property => "PROPERTY",
        SlotKind::Urgency => ", first or , cutting in",
        SlotKind::Shape => ", smooth or , power NUMBER",
        SlotKind::LetGo => "then let go",
        SlotKind::Moment => "MOMENT",
    };
    let text = if slot.lead.is_empty() { inner.to_owned() } else { format!("{} {inner}", slot.lead) };
    if slot.optional { format!("[{text}]") } else { text }
}

/// How an action is written, for documents: capitals stand for what one puts in, brackets for what can be left out.
#[must_use]
pub fn form(kind: &ActionKind) -> String {
    std::iter::once(kind.verb.to_owned()).chain(kind.slots.iter().map(written)).collect::<Vec<_>>().join(" ")
}

pub(super) fn act(line: &mut Cursor<'_>) -> Parsed<Act> {
    let place = PlaceOf(line.place());
    let action = action(line)?;
    let (mut chance, mut after) = (None, None);
    loop {
        if line.take(&[",", "chance"]) || line.take(&["chance"]) {
            let place = line.place();
            let (percent, unit) = line.number("a chance, like 70 %")?;
            line.take(&["%"]);
            if !unit.is_empty() || !(0.0..=100.0).contains(&percent) {
                return Err(Fault::new(&place, format!("{percent}{unit} is not a chance"), "write 0 % to 100 %"));
            }
            chance = Some(percent);
        } else if line.take(&[",", "after"]) || line.take(&["after"]) {
            after = Some(line.time()?);
        } else {
            break;
        }
    }
    line.end("an action ends here, or goes on with \", chance 70 %\" or \", after 0.5 s\"; the next one begins a line of its own")?;
    Ok(Act { action, chance, after, place })
}

/// Takes the words that an action begins with.
fn verb(line: &mut Cursor<'_>) -> Option<&'static ActionKind> {
    ACTIONS.into_iter().find(|kind| {
        let words: Vec<&str> = kind.verb.split(' ').collect();
        line.take(&words)
    })
}

fn action(line: &mut Cursor<'_>) -> Parsed<Action> {
    let first = line.peek().to_owned();
    let Some(kind) = verb(line) else {
        let known: Vec<&str> = ACTIONS.iter().map(|k| k.verb).collect();
        let usual = format!("an action begins with {} or {}", known[..known.len() - 1].join(", "), known[known.len() - 1]);
        let fix = match first.as_str() {
            "bring" | "take" => {
                format!("{} is called fade {}", if first == "bring" { "bring in" } else { "take out" }, if first == "bring" { "in" } else { "out" })
            }
            "When" | "when" => "begin it at the left edge: only actions are set in".to_owned(),
            _ => did_you_mean(&first, known, &usual),
        };
        return Err(line.fault(format!("\"{first}\" is not an action"), fix));
    };
    let mut said = Vec::with_capacity(kind.slots.len());
    for slot in kind.slots {
        let read = read(line, slot, &said)?;
        said.push(read);
    }
    Ok(Action { kind, said })
}

/// Reads what stands in a slot, after what was said before it.
fn read(line: &mut Cursor<'_>, slot: &Slot, before: &[Said]) -> Parsed<Said> {
    if !slot.lead.is_empty() && !line.take(&[slot.lead]) {
        if slot.optional {
            return Ok(Said::Nothing);
        }
        line.expect(slot.lead)?;
    }
    Ok(match slot.holds {
        SlotKind::Sound
        | SlotKind::Spoken
        | SlotKind::Subject
        | SlotKind::Parameter
        | SlotKind::Event
        | SlotKind::Piece
        | SlotKind::Section
        | SlotKind::Stinger
        | SlotKind::Layers => Said::Word(line.name(wanted(slot.holds))?),
        SlotKind::Snapshot => {
            line.take(&["snapshot"]);
            Said::Word(line.name(wanted(slot.holds))?)
        }
        SlotKind::SubjectValue => Said::Word(value(line, wanted(slot.holds))?),
        SlotKind::Number => Said::Number(line.number(wanted(slot.holds))?.0),
        SlotKind::Time => Said::Time(line.time()?),
        SlotKind::Where | SlotKind::Whose => whereabouts(line)?.map_or(Said::Nothing, Said::Where),
        SlotKind::Urgency if line.take(&[",", "first"]) => Said::Urgency(Urgency::First),
        SlotKind::Urgency if line.take(&[",", "cutting", "in"]) => Said::Urgency(Urgency::CutIn),
        SlotKind::Urgency => Said::Nothing,
        SlotKind::Moment => moment(line)?.map_or(Said::Nothing, Said::Moment),
        SlotKind::Property => Said::Property(property(line)?),
        SlotKind::PropertyValue => property_value(line, before)?,
        SlotKind::Shape => shape(line)?,
        SlotKind::LetGo => let_go(line)?,
    })
}

fn whereabouts(line: &mut Cursor<'_>) -> Parsed<Option<Where>> {
    Ok(if line.take(&["at", "the", "emitter"]) {
        Some(Where::Sender)
    } else if line.take(&["at", "the", "listener"]) {
        Some(Where::Listener)
    } else if line.take(&["at"]) {
        if line.peek() == "the" {
            return Err(
                line.fault("\"the\" stands before \"emitter\" and \"listener\" alone", "write \"at the emitter\", \"at the listener\", or at and a name")
            );
        }
        Some(Where::Named(line.name(wanted(SlotKind::Where))?))
    } else {
        None
    })
}

/// The moments that can be said in an action, with the words for them.
pub(crate) const MOMENTS: [(Moment, &str); 6] = [
    (Moment::AtOnce, "at once"),
    (Moment::Beat, "on the next beat"),
    (Moment::Bar, "on the next bar"),
    (Moment::Phrase, "at the phrase end"),
    (Moment::End, "at the section end"),
    (Moment::OpenEnding, "at the open ending"),
];

fn moment(line: &mut Cursor<'_>) -> Parsed<Option<Moment>> {
    for (moment, words) in MOMENTS {
        let words: Vec<&str> = words.split(' ').collect();
        let after_comma: Vec<&str> = [","].into_iter().chain(words.iter().copied()).collect();
        if line.take(&words) || line.take(&after_comma) {
            return Ok(Some(moment));
        }
    }
    if line.take(&["at", "marker"]) || line.take(&[",", "at", "marker"]) {
        return Ok(Some(Moment::Marker(line.name("a marker")?.text)));
    }
    if line.peek() == "on" || line.peek() == "at" {
        let known: Vec<&str> = MOMENTS.iter().map(|(_, w)| *w).collect();
        return Err(line.fault("this is not a musical moment", format!("write {}, or at marker and its name", known.join(", "))));
    }
    Ok(None)
}

/// The words of the properties that can be moved while a sound is heard.
fn movable() -> impl Iterator<Item = &'static str> {
    Property::ALL.iter().filter(|(p, _)| p.of_voices()).map(|(_, word)| *word)
}

fn property(line: &mut Cursor<'_>) -> Parsed<Property> {
    let word = line.peek().to_owned();
    let of_sounds = Property::ALL.iter().find(|(p, w)| *w == word && p.of_voices()).map(|(property, _)| *property);
    let Some(property) = of_sounds.or_else(|| control(&word)) else {
        let known: Vec<&str> = movable().collect();
        let usual = format!("write {}, {}, or a control of the generator that it plays", known[..known.len() - 1].join(", "), known[known.len() - 1]);
        let controls = controls().iter().filter(|c| !c.fixed).map(|c| c.word);
        return Err(line.fault(format!("\"{word}\" cannot be swept"), did_you_mean(&word, known.iter().copied().chain(controls), &usual)));
    };
    line.take(&[&word]);
    Ok(property)
}

/// A value of the property that was said, as it is written, up to the word `over`.
fn property_value(line: &mut Cursor<'_>, before: &[Said]) -> Parsed<Said> {
    let property = before.iter().find_map(|s| if let Said::Property(property) = s { Some(*property) } else { None }).unwrap_or(Property::Level);
    let place = line.place();
    let mut to = String::new();
    while !matches!(line.peek(), "over" | "") {
        let word = line.peek().to_owned();
        line.take(&[&word]);
        to = if to.is_empty() { word } else { format!("{to} {word}") };
    }
    property.read(&to).map_err(|what| Fault::new(&place, what, format!("write a value such as {}", example(property))))?;
    Ok(Said::Written(to))
}

/// A value of a property, as an example.
fn example(property: Property) -> String {
    property.print(match property {
        Property::Pan | Property::Width | Property::Control(_, Unit::Share, false) => -0.3,
        Property::Control(_, _, true) => -1.0,
        _ => -3.0,
    })
}

fn shape(line: &mut Cursor<'_>) -> Parsed<Said> {
    if line.take(&[",", "smooth"]) {
        return Ok(Said::Shape(Shape::Smooth));
    }
    if line.take(&[",", "power"]) {
        let place = line.place();
        let (n, _) = line.number("a power, like 2")?;
        let wrong = || Fault::new(&place, format!("{n} is not a power"), "write 0.05 to 20");
        return Some(Said::Shape(Shape::Power(n as f32))).filter(|_| (0.05..=20.0).contains(&n)).ok_or_else(wrong);
    }
    Ok(Said::Nothing)
}

fn let_go(line: &mut Cursor<'_>) -> Parsed<Said> {
    let then = matches!(line.peek(), "then") || line.peek() == ",";
    let before = line.place();
    if line.take(&["then", "let", "go"]) || line.take(&[",", "then", "let", "go"]) {
        return Ok(Said::LetGo);
    }
    if !line.take(&["then", "stay"]) && !line.take(&[",", "then", "stay"]) && then && (line.take(&["then"]) || line.take(&[",", "then"])) {
        let what = format!("\"then {}\" is not understood at the end of a sweep", line.peek());
        return Err(Fault::new(&before, what, "write \"then let go\", or \"then stay\""));
    }
    Ok(Said::Nothing)
}

/// What completion asks a project for: the names there are of a kind, after what was said before in the action.
pub(crate) type NamesOf<'a> = &'a dyn Fn(SlotKind, &[Said]) -> Vec<String>;

/// The words that can come next in an action whose line is `before` so far.
pub(crate) fn offers(before: &str, names: NamesOf<'_>) -> Vec<String> {
    let mut line = Cursor::new("", 1, before);
    let Some(kind) = verb(&mut line) else {
        return rest_of(&line.rest(), ACTIONS.iter().map(|k| k.verb.to_owned()));
    };
    let mut said: Vec<Said> = Vec::new();
    let mut open: Vec<String> = Vec::new();
    for slot in kind.slots {
        let rest = line.rest();
        let start = line.mark();
        let here = || phrases(slot, &said, names);
        match read(&mut line, slot, &said) {
            // The line ends within the slot, or nobody knows what this is.
            Err(_) => {
                open.extend(rest_of(&rest, here()));
                line.back_to(start);
                if !slot.optional {
                    return open;
                }
                said.push(Said::Nothing);
            }
            Ok(read) => {
                // What is said closes what could have been said before it; it may be the beginning of something longer.
                if read != Said::Nothing {
                    open.clear();
                }
                if read == Said::Nothing || line.done() {
                    open.extend(rest_of(&rest, here()));
                }
                said.push(read);
            }
        }
    }
    let options = [", chance 70 %", ", after 0.5 s"].map(str::to_owned);
    open.extend(if line.done() { options.to_vec() } else { rest_of(&line.rest(), options) });
    open
}

/// What is left of those phrases that begin with the words of `taken`.
fn rest_of(taken: &[String], phrases: impl IntoIterator<Item = String>) -> Vec<String> {
    let left = |phrase: String| {
        let words = super::lex::tokens(&phrase);
        if words.len() <= taken.len() || !words.iter().zip(taken).all(|(word, taken)| word.text == *taken) {
            return None;
        }
        Some(if taken.is_empty() { phrase } else { words[taken.len()..].iter().map(|t| t.text.as_str()).collect::<Vec<_>>().join(" ") })
    };
    phrases.into_iter().filter_map(left).collect()
}

/// What can be written in a slot, with its lead.
fn phrases(slot: &Slot, before: &[Said], names: NamesOf<'_>) -> Vec<String> {
    let some = |words: &[&str]| words.iter().map(|w| (*w).to_owned()).collect::<Vec<_>>();
    let list = match slot.holds {
        SlotKind::Where | SlotKind::Whose => {
            let named = names(SlotKind::Where, before).into_iter().map(|name| format!("at {name}"));
            some(&["at the emitter", "at the listener"]).into_iter().chain(named).collect()
        }
        SlotKind::Urgency => some(&[", first", ", cutting in"]),
        SlotKind::Time => some(&["1 s"]),
        SlotKind::Property => movable().map(str::to_owned).collect(),
        SlotKind::PropertyValue => {
            let property = before.iter().find_map(|s| if let Said::Property(property) = s { Some(*property) } else { None });
            property.map(|p| format!("{} over 1 s", example(p))).into_iter().collect()
        }
        SlotKind::Shape => some(&[", smooth"]),
        SlotKind::LetGo => some(&["then let go"]),
        SlotKind::Moment => MOMENTS.iter().map(|(_, words)| (*words).to_owned()).collect(),
        SlotKind::Number => some(&["1"]),
        holds => names(holds, before),
    };
    if slot.lead.is_empty() {
        return list;
    }
    if list.is_empty() {
        return vec![slot.lead.to_owned()];
    }
    list.iter().map(|words| format!("{} {words}", slot.lead)).collect()
}

impl fmt::Display for Where {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Where::Sender => f.write_str(" at the emitter"),
            Where::Listener => f.write_str(" at the listener"),
            Where::Named(name) => write!(f, " at {name}"),
        }
    }
}

impl fmt::Display for Action {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.kind.verb)?;
        for (slot, said) in self.slots() {
            if *said != Said::Nothing && !slot.lead.is_empty() {
                write!(f, " {}", slot.lead)?;
            }
            match said {
                Said::Nothing | Said::Urgency(Urgency::InTurn) | Said::Shape(Shape::Straight) => {}
                Said::Word(word) => write!(f, " {word}")?,
                Said::Where(at) => write!(f, "{at}")?,
                Said::Urgency(Urgency::First) => f.write_str(", first")?,
                Said::Urgency(Urgency::CutIn) => f.write_str(", cutting in")?,
                Said::Time(time) => write!(f, " {} s", print_time(*time))?,
                Said::Property(property) => write!(f, " {}", word_of(*property))?,
                Said::Written(text) => write!(f, " {text}")?,
                Said::Shape(shape) => write!(f, ", {shape}")?,
                Said::LetGo => f.write_str(" then let go")?,
                Said::Number(number) => write!(f, " {}", print_number(*number))?,
                Said::Moment(Moment::Marker(name)) => write!(f, " at marker {name}")?,
                Said::Moment(moment) => write!(f, " {}", MOMENTS.iter().find(|(m, _)| m == moment).map_or("", |(_, w)| w))?,
            }
        }
        Ok(())
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_manual_lists_every_action_as_it_is_written_with_what_it_does() {
        let manual = include_str!("../../../../docs/language.md");
        let rows: Vec<&str> = manual.lines().skip_while(|l| !l.starts_with("| action |")).skip(2).take_while(|l| l.starts_with('|')).collect();
        let wanted: Vec<String> = ACTIONS.iter().map(|kind| format!("| `{}` | {} |", form(kind), kind.does)).collect();
        assert_eq!(rows, wanted, "the table in docs/language.md should be:\n{}", wanted.join("\n"));
    }
}
