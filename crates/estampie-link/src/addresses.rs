//! The table of addresses: what a game can say, and how its arguments are read.

use rosc::OscType;

/// What a message says.
#[derive(Debug, Clone, PartialEq)]
pub enum Said {
    /// A moment, perhaps of an emitter.
    Event {
        /// Its name.
        name: String,
        /// The emitter.
        emitter: Option<String>,
    },
    /// A number, perhaps of an emitter.
    Parameter {
        /// Its name.
        name: String,
        /// The value; it may be no number, which the engine tells.
        value: f32,
        /// The emitter.
        emitter: Option<String>,
    },
    /// A named value.
    State {
        /// Its name.
        name: String,
        /// The value's name.
        value: String,
        /// The emitter, if one was given: states are of all, so that it is told.
        emitter: Option<String>,
    },
    /// An emitter is somewhere.
    Emitter {
        /// Its name.
        id: String,
        /// What kind it is; empty is as before.
        kind: String,
        /// Metres to the east, to the north, and up.
        at: [f32; 3],
        /// Degrees clockwise from north.
        yaw: Option<f32>,
    },
    /// The listener is somewhere.
    Listener {
        /// Metres to the east, to the north, and up.
        at: [f32; 3],
        /// Degrees clockwise from north.
        yaw: Option<f32>,
    },
    /// An emitter is gone.
    Remove {
        /// Its name.
        id: String,
    },
    /// A game introduces itself, and wants to be answered.
    Hello {
        /// How it calls itself.
        game: String,
    },
}

/// Why a message is not understood.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Wrong {
    /// Not a packet of Open Sound Control.
    #[error("no packet of Open Sound Control: {0}")]
    Packet(&'static str),
    /// An address that is not in the table.
    #[error("unknown address {address}{}", did_you_mean(address))]
    Address {
        /// What was sent.
        address: String,
    },
    /// An argument is of the wrong type.
    #[error("{address}: {what} must be {wanted}, and {got} was sent")]
    Type {
        /// The address.
        address: &'static str,
        /// Which argument.
        what: &'static str,
        /// What it must be.
        wanted: &'static str,
        /// What was sent.
        got: &'static str,
    },
    /// An argument is missing.
    #[error("{address}: {what} is missing; its arguments are: {arguments}")]
    Missing {
        /// The address.
        address: &'static str,
        /// Which argument.
        what: &'static str,
        /// All arguments, in words.
        arguments: &'static str,
    },
    /// More arguments than there are.
    #[error("{address}: too many arguments; they are: {arguments}")]
    TooMany {
        /// The address.
        address: &'static str,
        /// All arguments, in words.
        arguments: &'static str,
    },
    /// A place that is no number.
    #[error("{address}: {what} is no number; the message is left out")]
    NotFinite {
        /// The address.
        address: &'static str,
        /// Which argument.
        what: &'static str,
    },
    /// A name that cannot be one.
    #[error("{address}: {what} is empty, longer than 120 letters, or has control characters")]
    Name {
        /// The address.
        address: &'static str,
        /// Which argument.
        what: &'static str,
    },
    /// A state that was sent for an emitter.
    #[error("/estampie/state: {name} was sent for an emitter, but states are of all; it is taken so")]
    OfAll {
        /// The state.
        name: String,
    },
    /// A time tag too far ahead.
    #[error("a time tag lies more than a minute ahead; the bundle is left out (say hello in a tagged bundle if your clock is another)")]
    TooEarly,
}

/// The nearest address, in words.
fn did_you_mean(address: &str) -> String {
    let near = ADDRESSES.iter().map(|a| (strsim::damerau_levenshtein(a.path, address), a.path)).min();
    near.filter(|(distance, _)| *distance <= 4).map_or_else(String::new, |(_, path)| format!("; did you mean {path}?"))
}

/// A line of the table.
pub struct Address {
    /// The address.
    pub path: &'static str,
    /// Its arguments, in words; those in brackets may be left out.
    pub arguments: &'static str,
    /// What it says, in one line.
    pub says: &'static str,
    read: fn(&mut Arguments<'_>) -> Result<Said, Wrong>,
}

/// All that a game can say. A new one is a line here and a variant of [`Said`].
pub static ADDRESSES: [Address; 7] = [
    Address {
        path: "/estampie/event",
        arguments: "name [emitter]",
        says: "something happens",
        read: |a| Ok(Said::Event { name: a.name("the name")?, emitter: a.emitter()? }),
    },
    Address {
        path: "/estampie/parameter",
        arguments: "name value [emitter]",
        says: "a number is so much",
        read: |a| Ok(Said::Parameter { name: a.name("the name")?, value: a.number("the value")?, emitter: a.emitter()? }),
    },
    Address {
        path: "/estampie/state",
        arguments: "name value",
        says: "a state has a value",
        read: |a| Ok(Said::State { name: a.name("the name")?, value: a.word("the value")?, emitter: a.emitter()? }),
    },
    Address {
        path: "/estampie/emitter",
        arguments: "id kind x y z [yaw]",
        says: "an emitter is there: metres to the east, to the north, up; degrees clockwise from north",
        read: |a| Ok(Said::Emitter { id: a.id("the id")?, kind: a.kind()?, at: a.place()?, yaw: a.angle("the yaw")? }),
    },
    Address {
        path: "/estampie/listener",
        arguments: "x y z yaw [pitch]",
        says: "the listener is there; the pitch is taken and not used",
        read: |a| {
            let said = Said::Listener { at: a.place()?, yaw: a.angle("the yaw")? };
            a.angle("the pitch")?;
            Ok(said)
        },
    },
    Address { path: "/estampie/remove", arguments: "id", says: "an emitter is gone", read: |a| Ok(Said::Remove { id: a.id("the id")? }) },
    Address {
        path: "/estampie/hello",
        arguments: "game",
        says: "who sends; it is answered, and told what does not fit",
        read: |a| Ok(Said::Hello { game: a.name("the name")? }),
    },
];

/// Reads a message.
pub(crate) fn read(address: &str, arguments: &[OscType]) -> Result<Said, Wrong> {
    let Some(of) = ADDRESSES.iter().find(|a| a.path == address) else {
        return Err(Wrong::Address { address: shortened(address, 60) });
    };
    let mut flat = Vec::with_capacity(arguments.len());
    flatten(arguments, &mut flat);
    let mut arguments = Arguments { of, rest: flat.into_iter() };
    let said = (of.read)(&mut arguments)?;
    match arguments.rest.next() {
        None => Ok(said),
        Some(_) => Err(Wrong::TooMany { address: of.path, arguments: of.arguments }),
    }
}

/// A text from outside, cut, without what would disturb a line.
pub(crate) fn shortened(text: &str, most: usize) -> String {
    text.chars().map(|c| if c.is_control() { '·' } else { c }).take(most).collect()
}

/// Numbers may stand in arrays: `[x y z]` is `x y z`.
fn flatten<'a>(arguments: &'a [OscType], flat: &mut Vec<&'a OscType>) {
    for argument in arguments {
        match argument {
            OscType::Array(array) => flatten(&array.content, flat),
            other => flat.push(other),
        }
    }
}

/// The longest name that is taken.
const LONGEST: usize = 120;

/// What is left of a message's arguments.
struct Arguments<'a> {
    of: &'static Address,
    rest: std::vec::IntoIter<&'a OscType>,
}

impl Arguments<'_> {
    fn missing(&self, what: &'static str) -> Wrong {
        Wrong::Missing { address: self.of.path, what, arguments: self.of.arguments }
    }

    fn not(&self, what: &'static str, wanted: &'static str, got: &OscType) -> Wrong {
        Wrong::Type { address: self.of.path, what, wanted, got: type_word(got) }
    }

    fn checked(&self, what: &'static str, text: &str) -> Result<String, Wrong> {
        let fine = !text.is_empty() && text.chars().count() <= LONGEST && !text.chars().any(char::is_control);
        if fine { Ok(text.to_owned()) } else { Err(Wrong::Name { address: self.of.path, what }) }
    }

    fn name(&mut self, what: &'static str) -> Result<String, Wrong> {
        match self.rest.next() {
            Some(OscType::String(text)) => self.checked(what, text),
            Some(other) => Err(self.not(what, "a text", other)),
            None => Err(self.missing(what)),
        }
    }

    /// A value's name; whole numbers and yes or no, as games have them for states, count as their text.
    fn word(&mut self, what: &'static str) -> Result<String, Wrong> {
        match self.rest.next() {
            Some(OscType::String(text)) => self.checked(what, text),
            Some(OscType::Int(number)) => Ok(number.to_string()),
            Some(OscType::Long(number)) => Ok(number.to_string()),
            Some(OscType::Bool(yes)) => Ok(yes.to_string()),
            Some(other) => Err(self.not(what, "a text or a whole number", other)),
            None => Err(self.missing(what)),
        }
    }

    /// The kind of an emitter; an empty text is as before.
    fn kind(&mut self) -> Result<String, Wrong> {
        match self.rest.next() {
            Some(OscType::String(text)) if text.is_empty() => Ok(String::new()),
            Some(OscType::String(text)) => self.checked("the kind", text).map(|kind| tidy(&kind)),
            Some(other) => Err(self.not("the kind", "a text", other)),
            None => Err(self.missing("the kind")),
        }
    }

    /// An emitter's own name, or its number.
    fn id(&mut self, what: &'static str) -> Result<String, Wrong> {
        match self.rest.next() {
            Some(OscType::String(text)) => self.checked(what, text).map(|id| tidy(&id)),
            Some(OscType::Int(number)) => Ok(format!("id-{number}")),
            Some(OscType::Long(number)) => Ok(format!("id-{number}")),
            Some(other) => Err(self.not(what, "a text or a whole number", other)),
            None => Err(self.missing(what)),
        }
    }

    /// An emitter that may be left out; an empty text is none.
    fn emitter(&mut self) -> Result<Option<String>, Wrong> {
        match self.rest.as_slice().first() {
            None => Ok(None),
            Some(OscType::String(text)) if text.is_empty() => {
                self.rest.next();
                Ok(None)
            }
            Some(_) => self.id("the emitter").map(Some),
        }
    }

    fn number(&mut self, what: &'static str) -> Result<f32, Wrong> {
        match self.rest.next() {
            Some(OscType::Float(number)) => Ok(*number),
            Some(OscType::Double(number)) => Ok(*number as f32),
            Some(OscType::Int(number)) => Ok(*number as f32),
            Some(OscType::Long(number)) => Ok(*number as f32),
            Some(OscType::Bool(yes)) => Ok(f32::from(u8::from(*yes))),
            Some(other) => Err(self.not(what, "a number", other)),
            None => Err(self.missing(what)),
        }
    }

    fn finite(&mut self, what: &'static str) -> Result<f32, Wrong> {
        let number = self.number(what)?;
        if number.is_finite() { Ok(number) } else { Err(Wrong::NotFinite { address: self.of.path, what }) }
    }

    fn place(&mut self) -> Result<[f32; 3], Wrong> {
        Ok([self.finite("x")?, self.finite("y")?, self.finite("z")?])
    }

    fn angle(&mut self, what: &'static str) -> Result<Option<f32>, Wrong> {
        if self.rest.as_slice().is_empty() { Ok(None) } else { self.finite(what).map(Some) }
    }
}

/// What the standard calls a type, in words.
fn type_word(of: &OscType) -> &'static str {
    match of {
        OscType::Int(_) | OscType::Long(_) => "a whole number",
        OscType::Float(_) | OscType::Double(_) => "a number",
        OscType::String(_) => "a text",
        OscType::Bool(_) => "true or false",
        OscType::Blob(_) => "a blob",
        OscType::Time(_) => "a time tag",
        OscType::Char(_) => "a letter",
        OscType::Color(_) => "a colour",
        OscType::Midi(_) => "a MIDI message",
        OscType::Array(_) => "an array",
        OscType::Nil => "nil",
        OscType::Inf => "infinitum",
    }
}

/// An emitter's name or kind as a playthrough can have it: in lower case, a letter first, with `-` for what no name has.
fn tidy(text: &str) -> String {
    let mut name: String = text.to_lowercase().chars().map(|c| if c.is_alphanumeric() || "-./".contains(c) { c } else { '-' }).collect();
    if !name.starts_with(char::is_alphabetic) {
        name.insert_str(0, "id-");
    }
    name
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rosc::OscArray;

    fn text(text: &str) -> OscType {
        OscType::String(text.into())
    }

    #[test]
    fn every_address_reads_what_its_line_says() {
        let place = OscType::Array(OscArray { content: vec![OscType::Float(1.0), OscType::Double(-2.5), OscType::Int(3)] });
        let cases = [
            ("event", vec![text("hull.struck"), text("Bell 2")], Said::Event { name: "hull.struck".into(), emitter: Some("bell-2".into()) }),
            ("event", vec![text("hull.struck"), text("")], Said::Event { name: "hull.struck".into(), emitter: None }),
            ("parameter", vec![text("depth"), OscType::Double(12.5)], Said::Parameter { name: "depth".into(), value: 12.5, emitter: None }),
            (
                "parameter",
                vec![text("lamp"), OscType::Bool(true), OscType::Int(7)],
                Said::Parameter { name: "lamp".into(), value: 1.0, emitter: Some("id-7".into()) },
            ),
            ("state", vec![text("deck"), text("Oak Floor")], Said::State { name: "deck".into(), value: "Oak Floor".into(), emitter: None }),
            ("state", vec![text("deck"), OscType::Int(3)], Said::State { name: "deck".into(), value: "3".into(), emitter: None }),
            (
                "emitter",
                vec![OscType::Long(9), text("eel"), place.clone()],
                Said::Emitter { id: "id-9".into(), kind: "eel".into(), at: [1.0, -2.5, 3.0], yaw: None },
            ),
            ("listener", vec![place, OscType::Float(90.0), OscType::Float(-10.0)], Said::Listener { at: [1.0, -2.5, 3.0], yaw: Some(90.0) }),
            ("remove", vec![text("_eel")], Said::Remove { id: "id--eel".into() }),
            ("hello", vec![text("Brinewick")], Said::Hello { game: "Brinewick".into() }),
        ];
        for (address, arguments, said) in cases {
            assert_eq!(read(&format!("/estampie/{address}"), &arguments), Ok(said), "{address} {arguments:?}");
        }
    }

    #[test]
    fn the_manual_has_every_address() {
        let manual = include_str!("../../../docs/link.md");
        for of in &ADDRESSES {
            let line = format!("| `{}` | `{}` | {} |", of.path, of.arguments, of.says);
            assert!(manual.contains(&line), "{line}");
        }
        assert_eq!(manual.matches("| `/estampie/").count(), ADDRESSES.len(), "and no other");
    }

    #[test]
    fn what_is_wrong_is_said_with_the_fix() {
        let wrong = |address: &str, arguments: &[OscType]| read(address, arguments).unwrap_err().to_string();
        assert_eq!(wrong("/estampie/evnt", &[text("a")]), "unknown address /estampie/evnt; did you mean /estampie/event?");
        assert_eq!(wrong("/pool/ball", &[]), "unknown address /pool/ball");
        assert_eq!(wrong("/estampie/event", &[OscType::Float(1.0)]), "/estampie/event: the name must be a text, and a number was sent");
        assert_eq!(wrong("/estampie/parameter", &[text("depth")]), "/estampie/parameter: the value is missing; its arguments are: name value [emitter]");
        assert_eq!(wrong("/estampie/remove", &[text("a"), text("b")]), "/estampie/remove: too many arguments; they are: id");
        let place = [text("eel"), text(""), OscType::Float(f32::NAN), OscType::Float(0.0), OscType::Float(0.0)];
        assert_eq!(wrong("/estampie/emitter", &place), "/estampie/emitter: x is no number; the message is left out");
        assert!(wrong("/estampie/event", &[text(&"x".repeat(121))]).contains("longer than 120 letters"));
        assert!(wrong("/estampie/event", &[text("a\nb")]).contains("control characters"));
        assert!(!wrong("/estampie/a\x1b[2J", &[]).contains('\x1b'), "nothing of it reaches a terminal");
    }

    proptest! {
        #[test]
        fn a_tidy_name_is_one_that_a_playthrough_can_have(name in "\\PC{1,40}") {
            let tidy = tidy(&name);
            prop_assert!(tidy.starts_with(char::is_alphabetic));
            prop_assert!(tidy.chars().all(|c| c.is_alphanumeric() || "-./".contains(c)), "{}", tidy);
            prop_assert_eq!(super::tidy(&tidy), tidy.clone());
        }
    }
}
