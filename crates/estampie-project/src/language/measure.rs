//! Measured parameters: what the engine works out from positions, other parameters and events, without game code.
//!
//! ```text
//! distance to eel          bearing of eel          speed of bell         height of listener
//! turning of listener      approach of eel
//! distance                 (without a name: of each emitter by itself)
//! count of shrimp within 20 m                      rate of depth         time since hull.struck
//! walls left within 8 m
//! ```

use super::Word;
use super::lex::{Cursor, Parsed, print_number};
use std::fmt;

/// A side of the listener, as he looks.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    /// Where he looks.
    Ahead,
    /// At his right.
    Right,
    /// Behind him.
    Behind,
    /// At his left.
    Left,
}

impl Side {
    /// All, with their words.
    pub const ALL: [(Side, &'static str); 4] = [(Side::Ahead, "ahead"), (Side::Right, "right"), (Side::Behind, "behind"), (Side::Left, "left")];

    /// Degrees clockwise from where he looks.
    #[must_use]
    pub fn degrees(self) -> f32 {
        self as u8 as f32 * 90.0
    }
}

/// What is measured. Where an emitter can be named and is not, every emitter has a value of its own.
#[derive(Debug, Clone, PartialEq)]
pub enum Measure {
    /// From the listener, in metres.
    Distance(Option<Word>),
    /// From where the listener looks, in degrees, −180 to 180, to the right above 0.
    Bearing(Option<Word>),
    /// Metres in a second.
    Speed(Option<Word>),
    /// Degrees in a second by which it turns, whichever way round.
    Turning(Option<Word>),
    /// Metres in a second by which it and the listener come nearer; below 0 when they part.
    Approach(Option<Word>),
    /// Metres up.
    Height(Option<Word>),
    /// How many emitters of a kind are within so many metres of the listener.
    Count(Word, f64),
    /// How near walls are on a side: 1 at one, 0 if none is within so many metres.
    Walls(Side, f64),
    /// Change of a parameter in a second.
    Rate(Word),
    /// Seconds since an event last came; the greatest value of the range before it ever did.
    Since(Word),
}

impl Measure {
    /// The range of values and the unit when nothing else is said.
    #[must_use]
    pub fn usual(&self) -> (f32, f32, &'static str) {
        match self {
            Measure::Distance(_) => (0.0, 1000.0, "m"),
            Measure::Bearing(_) => (-180.0, 180.0, "°"),
            Measure::Speed(_) => (0.0, 100.0, "m/s"),
            Measure::Turning(_) => (0.0, 720.0, "°/s"),
            Measure::Approach(_) => (-100.0, 100.0, "m/s"),
            Measure::Height(_) => (-1000.0, 1000.0, "m"),
            Measure::Count(..) => (0.0, 100.0, ""),
            Measure::Walls(..) => (0.0, 1.0, ""),
            Measure::Rate(_) => (-10_000.0, 10_000.0, ""),
            Measure::Since(_) => (0.0, 3600.0, "s"),
        }
    }

    /// Whether every emitter has a value of its own.
    #[must_use]
    pub fn of_each(&self) -> bool {
        use Measure::{Approach, Bearing, Distance, Height, Speed, Turning};
        matches!(self, Distance(None) | Bearing(None) | Speed(None) | Turning(None) | Approach(None) | Height(None))
    }

    /// Whether it is a motion, whose value itself is followed by the parameter's rise and fall (100 ms if unsaid): from block to block it
    /// would be as uneven as what the game tells.
    #[must_use]
    pub fn is_motion(&self) -> bool {
        matches!(self, Measure::Speed(_) | Measure::Turning(_) | Measure::Approach(_))
    }
}

/// Parses what is measured.
///
/// # Errors
/// With place and fix.
pub fn parse(file: &str, line: u32, text: &str) -> Parsed<Measure> {
    let mut cursor = Cursor::new(file, line, text);
    let cursor = &mut cursor;
    let of = |cursor: &mut Cursor<'_>, word: &str| {
        if cursor.take(&[word]) { Ok(Some(cursor.name("the name of an emitter")?)) } else { Ok(None) }
    };
    let measure = if cursor.take(&["distance"]) {
        Measure::Distance(of(cursor, "to")?)
    } else if cursor.take(&["bearing"]) {
        Measure::Bearing(of(cursor, "of")?)
    } else if cursor.take(&["speed"]) {
        Measure::Speed(of(cursor, "of")?)
    } else if cursor.take(&["turning"]) {
        Measure::Turning(of(cursor, "of")?)
    } else if cursor.take(&["approach"]) {
        Measure::Approach(of(cursor, "of")?)
    } else if cursor.take(&["height"]) {
        Measure::Height(of(cursor, "of")?)
    } else if cursor.take(&["count", "of"]) {
        let kind = cursor.name("a kind of emitter")?;
        cursor.expect("within")?;
        let (radius, unit) = cursor.number("a distance, like 20 m")?;
        if unit.is_empty() {
            cursor.take(&["m"]);
        }
        Measure::Count(kind, radius)
    } else if cursor.take(&["walls"]) {
        let side = Side::ALL.iter().find(|(_, word)| cursor.take(&[word])).map(|(side, _)| *side);
        let side = side.ok_or_else(|| cursor.fault("the side is not said", "write \"walls ahead within 8 m\"; or right, behind, left"))?;
        cursor.expect("within")?;
        let (reach, unit) = cursor.number("a distance, like 8 m")?;
        if unit.is_empty() {
            cursor.take(&["m"]);
        }
        Measure::Walls(side, reach)
    } else if cursor.take(&["rate", "of"]) {
        Measure::Rate(cursor.name("a parameter")?)
    } else if cursor.take(&["time", "since"]) {
        Measure::Since(cursor.name("an event")?)
    } else {
        let what = format!("\"{}\" is nothing that can be measured", cursor.peek());
        return Err(cursor.fault(
            what,
            "write distance to, bearing of, speed of, turning of, approach of, height of, \"count of KIND within 20 m\", \"walls ahead within 8 m\", rate of, or time since",
        ));
    };
    for (measured, wrong, right) in
        [("distance", "of", "to"), ("distance", "from", "to"), ("bearing", "to", "of"), ("speed", "to", "of"), ("approach", "to", "of")]
    {
        if measure.to_string() == measured && cursor.peek() == wrong {
            return Err(cursor.fault(format!("\"{measured} {wrong}\" is not understood"), format!("write \"{measured} {right}\" and the emitter's name")));
        }
    }
    cursor.end("nothing follows what is measured")?;
    Ok(measure)
}

impl fmt::Display for Measure {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let named = |f: &mut fmt::Formatter<'_>, what: &str, link: &str, name: &Option<Word>| match name {
            Some(name) => write!(f, "{what} {link} {name}"),
            None => f.write_str(what),
        };
        match self {
            Measure::Distance(name) => named(f, "distance", "to", name),
            Measure::Bearing(name) => named(f, "bearing", "of", name),
            Measure::Speed(name) => named(f, "speed", "of", name),
            Measure::Turning(name) => named(f, "turning", "of", name),
            Measure::Approach(name) => named(f, "approach", "of", name),
            Measure::Height(name) => named(f, "height", "of", name),
            Measure::Count(kind, radius) => write!(f, "count of {kind} within {} m", print_number(*radius)),
            Measure::Walls(side, reach) => {
                let word = Side::ALL[*side as usize].1;
                write!(f, "walls {word} within {} m", print_number(*reach))
            }
            Measure::Rate(name) => write!(f, "rate of {name}"),
            Measure::Since(name) => write!(f, "time since {name}"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_printed_is_read_again() {
        for text in [
            "distance",
            "distance to eel",
            "bearing of eel",
            "speed of listener",
            "turning of listener",
            "approach of eel",
            "approach",
            "height",
            "count of shrimp within 20 m",
            "rate of depth",
            "time since hull.struck",
            "walls behind within 7.5 m",
        ] {
            assert_eq!(parse("game.toml", 1, text).unwrap().to_string(), text);
        }
        assert!(parse("game.toml", 3, "distance from eel").unwrap_err().to_string().starts_with("game.toml:3:10: \"distance from\" is not understood"));
        assert!(parse("game.toml", 3, "weather").unwrap_err().what.contains("nothing that can be measured"));
        assert!(parse("game.toml", 3, "count of shrimp within x").is_err());
    }
}
