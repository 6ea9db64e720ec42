//! Musical moments, as they are written.

use estampie_engine::units::ValueError;
use std::fmt;

/// The word for no section at all.
pub const SILENCE: &str = "silence";

/// A musical moment that something waits for.
#[derive(Debug, Clone, PartialEq, Default)]
pub enum Moment {
    /// Now.
    AtOnce,
    /// The next beat.
    Beat,
    /// The next bar.
    #[default]
    Bar,
    /// The next bar that is a whole number of so many bars from the section's start.
    Bars(u32),
    /// The end of the phrase.
    Phrase,
    /// The end of the section.
    End,
    /// Where the section's open ending begins.
    OpenEnding,
    /// A marker.
    Marker(String),
}

impl Moment {
    /// Reads `at once`, `next beat`, `next bar`, `every 2 bars`, `phrase end`, `section end`, `open ending` or `marker NAME`.
    ///
    /// # Errors
    /// With what is wrong, as a sentence.
    pub fn read(text: &str) -> Result<Moment, ValueError> {
        Ok(match text.trim() {
            "at once" => Moment::AtOnce,
            "next beat" | "beat" => Moment::Beat,
            "next bar" | "bar" => Moment::Bar,
            "phrase end" => Moment::Phrase,
            "section end" => Moment::End,
            "open ending" => Moment::OpenEnding,
            other => {
                let bars = other.strip_prefix("every ").and_then(|r| r.strip_suffix(" bars")).and_then(|n| n.trim().parse::<u32>().ok());
                match (bars, other.strip_prefix("marker ")) {
                    (Some(n @ 1..=64), _) => Moment::Bars(n),
                    (_, Some(name)) if !name.trim().is_empty() => Moment::Marker(name.trim().to_owned()),
                    _ => return Err(ValueError::not(other, "a musical moment")),
                }
            }
        })
    }

    /// What can be written.
    pub const EXPECTED: &str = "at once, next beat, next bar, every 2 bars, phrase end, section end, open ending, or marker and its name";
}

impl fmt::Display for Moment {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Moment::AtOnce => f.write_str("at once"),
            Moment::Beat => f.write_str("next beat"),
            Moment::Bar => f.write_str("next bar"),
            Moment::Bars(n) => write!(f, "every {n} bars"),
            Moment::Phrase => f.write_str("phrase end"),
            Moment::End => f.write_str("section end"),
            Moment::OpenEnding => f.write_str("open ending"),
            Moment::Marker(name) => write!(f, "marker {name}"),
        }
    }
}
