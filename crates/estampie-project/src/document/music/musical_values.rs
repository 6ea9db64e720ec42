//! The words in which music is written: lengths, moments, places to arrive at, slopes.

use crate::document::Located;
use estampie_engine::curve::Shape;
use estampie_engine::music::exact::{Beats, read};
use estampie_engine::units::ValueError;
use estampie_engine::units::{Quantity as _, Seconds};
use std::fmt;

use super::MOST_BARS;

/// A length in musical or other time.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Length {
    /// Beats, as the metre says.
    Beats(Beats),
    /// Bars.
    Bars(Beats),
    /// Seconds.
    Time(Seconds),
}

impl Length {
    /// No time at all.
    pub const NONE: Length = Length::Time(Seconds(0.0));

    /// Reads `2 beats`, `1 bar`, `0.5 s`, `80 ms` or `at once`.
    ///
    /// # Errors
    /// With what is wrong, as a sentence.
    pub fn read(text: &str) -> Result<Length, ValueError> {
        let text = text.trim();
        if text == "at once" {
            return Ok(Length::NONE);
        }
        let wrong = || ValueError::not(text, "a length, like 2 beats, 1 bar or 0.5 s");
        for (words, of) in [(["beats", "beat"], Length::Beats as fn(Beats) -> Length), (["bars", "bar"], Length::Bars as fn(Beats) -> Length)] {
            if let Some(number) = words.iter().find_map(|w| text.strip_suffix(w)) {
                let number = read(number).ok_or_else(wrong)?;
                let fine = number >= Beats::from_integer(0) && number <= Beats::from_integer(256);
                return if fine { Ok(of(number)) } else { Err(wrong()) };
            }
        }
        Seconds::read(text).ok().filter(|s| (0.0..=120.0).contains(&s.0)).map(Length::Time).ok_or_else(wrong)
    }
}

impl fmt::Display for Length {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let plural = |n: &Beats| if *n == Beats::from_integer(1) { "" } else { "s" };
        match self {
            Length::Beats(n) => write!(f, "{n} beat{}", plural(n)),
            Length::Bars(n) => write!(f, "{n} bar{}", plural(n)),
            Length::Time(Seconds(0.0)) => f.write_str("at once"),
            Length::Time(time) => write!(f, "{time}"),
        }
    }
}

/// What is played between the old section and the new one.
#[derive(Debug, Clone, PartialEq, Default)]
pub enum Between {
    /// Nothing.
    #[default]
    Straight,
    /// Another section, once.
    Section(Located<String>),
    /// The old section's close ending.
    CloseEnding,
}

impl fmt::Display for Between {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Between::Straight => f.write_str("nothing"),
            Between::Section(name) => f.write_str(&name.value),
            Between::CloseEnding => f.write_str("close ending"),
        }
    }
}

/// Where the new section begins.
#[derive(Debug, Clone, PartialEq, Default)]
pub enum Arrive {
    /// At its start, with its pick-up.
    #[default]
    Start,
    /// At the bar that the old one would have reached.
    SameBar,
    /// At the beat that the old one would have reached.
    SameBeat,
    /// At a marker.
    Marker(String),
    /// Where it was left.
    LeftOff,
}

impl Arrive {
    /// What can be written.
    pub const EXPECTED: &str = "start, same bar, same beat, where it left off, or marker and its name";

    /// Reads `start`, `same bar`, `same beat`, `where it left off` or `marker NAME`.
    ///
    /// # Errors
    /// With what is wrong, as a sentence.
    pub fn read(text: &str) -> Result<Arrive, ValueError> {
        Ok(match text.trim() {
            "start" => Arrive::Start,
            "same bar" => Arrive::SameBar,
            "same beat" => Arrive::SameBeat,
            "where it left off" => Arrive::LeftOff,
            other => match other.strip_prefix("marker ") {
                Some(name) if !name.trim().is_empty() => Arrive::Marker(name.trim().to_owned()),
                _ => return Err(ValueError::not(other, "a place to arrive at")),
            },
        })
    }
}

impl fmt::Display for Arrive {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Arrive::Start => f.write_str("start"),
            Arrive::SameBar => f.write_str("same bar"),
            Arrive::SameBeat => f.write_str("same beat"),
            Arrive::Marker(name) => write!(f, "marker {name}"),
            Arrive::LeftOff => f.write_str("where it left off"),
        }
    }
}

/// A rise or a fall: how long, and in which curve.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Slope {
    /// How long it takes.
    pub over: Length,
    /// The curve of the way.
    pub curve: Shape,
}

impl Slope {
    /// Reads `2 beats`, `0.5 s, smooth` or `at once`.
    ///
    /// # Errors
    /// With what is wrong, as a sentence.
    pub fn read(text: &str) -> Result<Slope, ValueError> {
        let (over, curve) = text.split_once(',').unwrap_or((text, "linear"));
        let over = over.trim().strip_prefix("over ").unwrap_or(over);
        let curve = match curve.trim() {
            "equal power" => Shape::EqualPower,
            word => Shape::read(word).ok_or_else(|| ValueError::not(word, "a shape: linear, smooth, equal power, stepped, or power with a number"))?,
        };
        Ok(Slope { over: Length::read(over)?, curve })
    }
}

impl fmt::Display for Slope {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}", self.over)?;
        if self.curve == Shape::Straight { Ok(()) } else { write!(f, ", {}", self.curve) }
    }
}

/// A bar and a beat, both from 1, as in `7` or `7.3`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Spot {
    /// The bar, from 1.
    pub bar: u32,
    /// The beat, from 1; a fraction lies within a beat.
    pub beat: Beats,
}

impl Spot {
    /// Reads `7`, `7.3`, or `7.3 1/2` for half a beat further.
    ///
    /// # Errors
    /// With what is wrong, as a sentence.
    pub fn read(text: &str) -> Result<Spot, ValueError> {
        let wrong = || ValueError::not(text, "a place in the music, like 7 or 7.3 (bar 7, beat 3)");
        let (head, part) = text.trim().split_once(' ').unwrap_or((text.trim(), "0"));
        let (bar, beat) = head.split_once('.').unwrap_or((head, "1"));
        let spot = Spot { bar: bar.parse().map_err(|_| wrong())?, beat: read(beat).ok_or_else(wrong)? + read(part).ok_or_else(wrong)? };
        let one = Beats::from_integer(1);
        if (1..=MOST_BARS).contains(&spot.bar) && spot.beat >= one && spot.beat < Beats::from_integer(33) { Ok(spot) } else { Err(wrong()) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::language::Moment;
    use proptest::prelude::*;

    #[test]
    fn lengths_and_spots_are_read_as_people_write_them() {
        assert_eq!(Length::read("2 beats"), Ok(Length::Beats(Beats::from_integer(2))));
        assert_eq!(Length::read("1/2 bar"), Ok(Length::Bars(Beats::new(1, 2))));
        assert_eq!(Length::read("80ms"), Ok(Length::Time(Seconds(0.08))));
        assert!(Length::read("-1 beat").is_err() && Length::read("soon").is_err() && Length::read("999 bars").is_err());
        assert_eq!(Spot::read("7.3"), Ok(Spot { bar: 7, beat: Beats::from_integer(3) }));
        assert_eq!(Spot::read("7.3 1/2"), Ok(Spot { bar: 7, beat: Beats::new(7, 2) }));
        assert!(Spot::read("0").is_err() && Spot::read("1.0").is_err() && Spot::read("one").is_err());
    }

    proptest! {
        #[test]
        fn moments_print_as_they_are_read(n in 1u32..=64, name in "[a-z]{1,8}") {
            for moment in [Moment::AtOnce, Moment::Beat, Moment::Bar, Moment::Bars(n), Moment::Phrase, Moment::End, Moment::OpenEnding, Moment::Marker(name.clone())] {
                prop_assert_eq!(Moment::read(&moment.to_string()), Ok(moment));
            }
            for arrive in [Arrive::Start, Arrive::SameBar, Arrive::SameBeat, Arrive::LeftOff, Arrive::Marker(name.clone())] {
                prop_assert_eq!(Arrive::read(&arrive.to_string()), Ok(arrive));
            }
            for length in [Length::Beats(Beats::new(i64::from(n), 4)), Length::Bars(Beats::from_integer(2)), Length::NONE, Length::Time(Seconds(f64::from(n) / 8.0))] {
                for curve in [Shape::Smooth, Shape::EqualPower] {
                    let slope = Slope { over: length, curve };
                    prop_assert_eq!(Slope::read(&slope.to_string()), Ok(slope));
                }
            }
        }
    }
}
