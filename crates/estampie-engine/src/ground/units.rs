//! Quantities with their units: typed in the code, written by people as `-6 dB`, `80ms`, `2k`.

use std::fmt;
use std::str::FromStr;

/// Why a text is not the value that is wanted.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ValueError {
    /// It is something else.
    #[error("\"{text}\" is not {expected}")]
    Not {
        /// The text as written.
        text: String,
        /// What was expected, as in "a level, like -6 dB".
        expected: &'static str,
    },
    /// It is none of the words that can stand there.
    #[error("\"{text}\" is none of {}", words.join(", "))]
    NoneOf {
        /// The text as written.
        text: String,
        /// The words.
        words: &'static [&'static str],
    },
    /// It is such a value, but cannot be that one; in words.
    #[error("{0}")]
    Refused(String),
}

impl ValueError {
    /// What a text is not, as in "a level, like -6 dB".
    #[must_use]
    pub fn not(text: &str, expected: &'static str) -> ValueError {
        ValueError::Not { text: text.to_owned(), expected }
    }
}

impl From<ValueError> for String {
    fn from(error: ValueError) -> String {
        error.to_string()
    }
}

impl From<String> for ValueError {
    fn from(words: String) -> ValueError {
        ValueError::Refused(words)
    }
}

/// A number followed by an optional unit word, as people write it; the minus may be `-` or `−`.
///
/// Returns the number and the unit word without the space between; `None` if there is no number at the start.
#[must_use]
pub fn split_number(text: &str) -> Option<(f64, &str)> {
    let text = text.trim();
    let mut end = 0;
    for (at, c) in text.char_indices() {
        let sign = at == 0 && matches!(c, '-' | '−' | '+');
        if sign || c.is_ascii_digit() || c == '.' {
            end = at + c.len_utf8();
        } else {
            break;
        }
    }
    let number = text[..end].replace('−', "-");
    let value: f64 = number.parse().ok()?;
    value.is_finite().then(|| (value, text[end..].trim()))
}

/// A number without needless digits, with the true minus sign left to the screen.
fn tidy(value: f64, decimals: usize) -> String {
    let mut text = format!("{value:.decimals$}");
    if text.contains('.') {
        while text.ends_with('0') {
            text.pop();
        }
        if text.ends_with('.') {
            text.pop();
        }
    }
    if text == "-0" {
        text = "0".into();
    }
    text
}

/// A type whose values people write with a unit.
pub trait Quantity: Sized + Copy + PartialOrd + fmt::Display {
    /// What is expected, with an example, for errors.
    const EXPECTED: &'static str;
    /// Reads a number with the unit word that followed it (empty if none).
    fn from_parts(value: f64, unit: &str) -> Option<Self>;
    /// Words that stand for a value without a number, as `off`.
    fn from_word(_word: &str) -> Option<Self> {
        None
    }
    /// Reads a text such as `-6 dB`.
    ///
    /// # Errors
    /// When there is no number or the unit is not one of this quantity.
    fn read(text: &str) -> Result<Self, ValueError> {
        let fail = || ValueError::not(text, Self::EXPECTED);
        if let Some(value) = Self::from_word(text.trim()) {
            return Ok(value);
        }
        let (value, unit) = split_number(text).ok_or_else(fail)?;
        Self::from_parts(value, unit).ok_or_else(fail)
    }
}

macro_rules! quantity {
    ($(#[$doc:meta])* $name:ident($inner:ty)) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, PartialOrd, Default)]
        pub struct $name(pub $inner);
        impl FromStr for $name {
            type Err = ValueError;
            fn from_str(text: &str) -> Result<Self, ValueError> { Self::read(text) }
        }
    };
}

quantity!(
    /// A level or gain in decibels of amplitude (20 log10); minus infinity is silence.
    Decibels(f32)
);
quantity!(
    /// A difference of pitch in equal-tempered semitones.
    Semitones(f32)
);
quantity!(
    /// A difference of frequency in octaves.
    Octaves(f32)
);
quantity!(
    /// A frequency in hertz, above 0.
    Hertz(f32)
);
quantity!(
    /// A time in seconds.
    Seconds(f64)
);
quantity!(
    /// A share or chance, 1 being the whole; people write percent.
    Share(f32)
);
quantity!(
    /// A place between the speakers: −1 is left, 0 the centre, 1 right; people write percent and the side.
    Pan(f32)
);
quantity!(
    /// A length in the world in metres, 0 or more.
    Metres(f32)
);

impl Decibels {
    /// No sound at all.
    pub const SILENCE: Decibels = Decibels(f32::NEG_INFINITY);

    /// The factor of amplitude; exactly 0 for silence.
    #[must_use]
    pub fn gain(self) -> f32 {
        if self.0 == f32::NEG_INFINITY { 0.0 } else { exp2(self.0 * (std::f32::consts::LOG2_10 / 20.0)) }
    }

    /// The level of an amplitude factor (its sign does not matter).
    #[must_use]
    pub fn of_gain(gain: f32) -> Decibels {
        Decibels(20.0 * gain.abs().log10())
    }
}

fn exp2(x: f32) -> f32 {
    x.exp2()
}

impl Semitones {
    /// The factor of frequency.
    #[must_use]
    pub fn ratio(self) -> f64 {
        (f64::from(self.0) / 12.0).exp2()
    }
}

/// The low-pass is *open* here: a cutoff at or above it filters nothing.
pub const OPEN_LOW_PASS: Hertz = Hertz(20_000.0);
/// The high-pass is *open* here: a cutoff at or below it filters nothing.
pub const OPEN_HIGH_PASS: Hertz = Hertz(20.0);

impl Hertz {
    /// How far this cutoff lies below the open low-pass, in octaves (0 or less when it filters).
    #[must_use]
    pub fn below_open(self) -> Octaves {
        Octaves((self.0 / OPEN_LOW_PASS.0).log2())
    }

    /// How far this cutoff lies above the open high-pass, in octaves (0 or more when it filters).
    #[must_use]
    pub fn above_open(self) -> Octaves {
        Octaves((self.0 / OPEN_HIGH_PASS.0).log2())
    }
}

impl Octaves {
    /// The cutoff of a high-pass that lies this far above the open one.
    #[must_use]
    pub fn above_open(self) -> Hertz {
        Hertz(OPEN_HIGH_PASS.0 * self.0.exp2())
    }

    /// The cutoff that lies this far from the open low-pass.
    #[must_use]
    pub fn from_open(self) -> Hertz {
        Hertz(OPEN_LOW_PASS.0 * self.0.exp2())
    }
}

impl Seconds {
    /// The nearest whole number of frames at `rate` frames a second; 0 for times before 0.
    #[must_use]
    pub fn frames(self, rate: u32) -> u64 {
        (self.0 * f64::from(rate)).round().max(0.0) as u64
    }

    /// The time of a frame at `rate` frames a second.
    #[must_use]
    pub fn of_frames(frames: u64, rate: u32) -> Seconds {
        Seconds(frames as f64 / f64::from(rate))
    }
}

impl Quantity for Decibels {
    const EXPECTED: &'static str = "a level, like -6 dB";
    fn from_parts(value: f64, unit: &str) -> Option<Self> {
        matches!(unit.to_ascii_lowercase().as_str(), "" | "db").then_some(Decibels(value as f32))
    }
    fn from_word(word: &str) -> Option<Self> {
        matches!(word.to_ascii_lowercase().as_str(), "silent" | "-inf" | "-inf db" | "-∞" | "−∞" | "-∞ db" | "−∞ db").then_some(Self::SILENCE)
    }
}

impl Quantity for Semitones {
    const EXPECTED: &'static str = "a pitch difference, like -1.5 st";
    fn from_parts(value: f64, unit: &str) -> Option<Self> {
        match unit.to_ascii_lowercase().as_str() {
            "" | "st" | "semitone" | "semitones" => Some(Semitones(value as f32)),
            "ct" | "cent" | "cents" => Some(Semitones((value / 100.0) as f32)),
            "oct" | "octave" | "octaves" => Some(Semitones((value * 12.0) as f32)),
            _ => None,
        }
    }
}

impl Quantity for Octaves {
    const EXPECTED: &'static str = "a difference in octaves, like -2 oct";
    fn from_parts(value: f64, unit: &str) -> Option<Self> {
        matches!(unit.to_ascii_lowercase().as_str(), "" | "oct" | "octave" | "octaves").then_some(Octaves(value as f32))
    }
}

impl Quantity for Hertz {
    const EXPECTED: &'static str = "a frequency, like 2 kHz";
    fn from_parts(value: f64, unit: &str) -> Option<Self> {
        let factor = match unit.to_ascii_lowercase().as_str() {
            "" | "hz" => 1.0,
            "k" | "khz" => 1000.0,
            _ => return None,
        };
        (value > 0.0).then_some(Hertz((value * factor) as f32))
    }
    fn from_word(word: &str) -> Option<Self> {
        (word == "off").then_some(OPEN_LOW_PASS)
    }
}

impl Quantity for Share {
    const EXPECTED: &'static str = "a share, like 70 %";
    fn from_parts(value: f64, unit: &str) -> Option<Self> {
        matches!(unit, "" | "%").then_some(Share((value / 100.0) as f32))
    }
}

impl Quantity for Pan {
    const EXPECTED: &'static str = "a pan, like 30 % left, 30 % right or centre";
    fn from_parts(value: f64, unit: &str) -> Option<Self> {
        let side = match unit.trim_start_matches('%').trim() {
            "" | "right" => 1.0,
            "left" => -1.0,
            _ => return None,
        };
        ((-100.0..=100.0).contains(&value)).then_some(Pan((side * value / 100.0) as f32))
    }
    fn from_word(word: &str) -> Option<Self> {
        match word {
            "centre" => Some(Pan(0.0)),
            "left" => Some(Pan(-1.0)),
            "right" => Some(Pan(1.0)),
            _ => None,
        }
    }
}

impl Pan {
    /// Whether a text is meant as a pan and not as a level: it has a side, the centre, or percent.
    #[must_use]
    pub fn is_meant(text: &str) -> bool {
        ["left", "right", "centre", "%"].iter().any(|word| text.contains(word))
    }
}

impl Quantity for Metres {
    const EXPECTED: &'static str = "a distance, like 40 m";
    fn from_parts(value: f64, unit: &str) -> Option<Self> {
        let factor = match unit {
            "" | "m" => 1.0,
            "km" => 1000.0,
            _ => return None,
        };
        (value >= 0.0).then_some(Metres((value * factor) as f32))
    }
}

/// The longest time that can be written, in seconds: a day.
pub const LONGEST_TIME: f64 = 86_400.0;

impl Quantity for Seconds {
    const EXPECTED: &'static str = "a time up to a day, like 80 ms or 1.5 s";
    fn from_parts(value: f64, unit: &str) -> Option<Self> {
        let factor = match unit.to_ascii_lowercase().as_str() {
            "" | "s" | "second" | "seconds" => 1.0,
            "ms" => 0.001,
            "min" | "minute" | "minutes" => 60.0,
            _ => return None,
        };
        // No time in a project is longer than a day.
        (0.0..=LONGEST_TIME).contains(&(value * factor)).then_some(Seconds(value * factor))
    }
}

impl fmt::Display for Decibels {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.0 == f32::NEG_INFINITY { f.write_str("silent") } else { write!(f, "{} dB", tidy(f64::from(self.0), 2)) }
    }
}
impl fmt::Display for Semitones {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} st", tidy(f64::from(self.0), 2))
    }
}
impl fmt::Display for Octaves {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} oct", tidy(f64::from(self.0), 2))
    }
}
impl fmt::Display for Hertz {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.0 >= 1000.0 {
            write!(f, "{} kHz", tidy(f64::from(self.0) / 1000.0, 2))
        } else {
            write!(f, "{} Hz", tidy(f64::from(self.0), if self.0 < 100.0 { 2 } else { 0 }))
        }
    }
}
impl fmt::Display for Share {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} %", tidy(f64::from(self.0) * 100.0, 2))
    }
}
impl fmt::Display for Pan {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match tidy(f64::from(self.0.abs()) * 100.0, 2).as_str() {
            "0" => f.write_str("centre"),
            share => write!(f, "{share} % {}", if self.0 < 0.0 { "left" } else { "right" }),
        }
    }
}
impl fmt::Display for Metres {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} m", tidy(f64::from(self.0), 2))
    }
}
impl fmt::Display for Seconds {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.0 > 0.0 && self.0 < 1.0 { write!(f, "{} ms", tidy(self.0 * 1000.0, 1)) } else { write!(f, "{} s", tidy(self.0, 3)) }
    }
}

/// Two ends of a range, the lower first, written `-2..2 dB` (the unit may stand at either or both ends).
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Span<T> {
    /// The lower end.
    pub low: T,
    /// The upper end; not below the lower one.
    pub high: T,
}

impl<T: Quantity> Span<T> {
    /// Reads `low..high unit`, or one value that stands for both ends.
    ///
    /// # Errors
    /// When an end is no such quantity, or the ends are the wrong way round.
    pub fn read(text: &str) -> Result<Self, ValueError> {
        let fail = || ValueError::not(text, T::EXPECTED);
        let Some((low, high)) = text.split_once("..") else {
            let value = T::read(text)?;
            return Ok(Span { low: value, high: value });
        };
        let (high_value, unit) = split_number(high).ok_or_else(fail)?;
        let (low_value, own) = split_number(low).ok_or_else(fail)?;
        let own = if own.is_empty() { unit } else { own };
        let low = T::from_parts(low_value, own).ok_or_else(fail)?;
        let high = T::from_parts(high_value, unit).ok_or_else(fail)?;
        if low > high {
            return Err(ValueError::not(text, "a range from the lower to the higher end, like -2..2"));
        }
        Ok(Span { low, high })
    }
}

/// A range of which a value is drawn each time.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Spread<T> {
    /// Its ends.
    pub ends: Span<T>,
    /// Whether values in the middle are likelier: the mean of three even draws instead of one.
    pub centred: bool,
}

impl<T: Quantity> Spread<T> {
    /// Reads `-2..2 dB` or `-2..2 dB, centred`.
    ///
    /// # Errors
    /// When the range is none, or another word follows it.
    pub fn read(text: &str) -> Result<Self, ValueError> {
        let (range, how) = text.split_once(',').unwrap_or((text, ""));
        let centred = match how.trim() {
            "" | "even" => false,
            "centred" => true,
            _ => return Err(ValueError::not(text, "a range, perhaps with \", centred\"")),
        };
        Ok(Spread { ends: Span::read(range)?, centred })
    }
}

impl<T: Quantity> fmt::Display for Span<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.low == self.high { self.low.fmt(f) } else { Spread { ends: *self, centred: false }.fmt(f) }
    }
}

impl<T: Quantity> fmt::Display for Spread<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (low, high) = (self.ends.low.to_string(), self.ends.high.to_string());
        let unit = |text: &str| text.split_once(' ').map_or(String::new(), |(_, u)| u.to_owned());
        let low = if unit(&low) == unit(&high) { low.split(' ').next().unwrap_or_default().to_owned() } else { low };
        write!(f, "{low}..{high}{}", if self.centred { ", centred" } else { "" })
    }
}

/// A plain number with an optional unit word, as parameters have them: `40`, `40 m`.
///
/// # Errors
/// When there is no number, or its unit is neither absent nor `unit`.
pub fn read_number(text: &str, unit: &str) -> Result<f64, ValueError> {
    match split_number(text) {
        Some((value, own)) if own.is_empty() || own == unit => Ok(value),
        _ => Err(ValueError::not(text, "a number in the parameter's own unit")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn quantities_are_read_as_people_write_them() {
        assert_eq!("-6".parse(), Ok(Decibels(-6.0)));
        assert_eq!("−6 dB".parse(), Ok(Decibels(-6.0)));
        assert_eq!("+1.5dB".parse(), Ok(Decibels(1.5)));
        assert_eq!("silent".parse(), Ok(Decibels::SILENCE));
        assert_eq!("80ms".parse(), Ok(Seconds(0.08)));
        assert_eq!("1.5 s".parse(), Ok(Seconds(1.5)));
        assert_eq!("2k".parse(), Ok(Hertz(2000.0)));
        assert_eq!("off".parse(), Ok(OPEN_LOW_PASS));
        assert_eq!("150 cents".parse(), Ok(Semitones(1.5)));
        for wrong in ["", "dB", "6 m", "--6", "1.2.3", "six", "inf", "NaN", "1e999"] {
            assert!(Decibels::read(wrong).is_err(), "{wrong}");
        }
        assert!(Hertz::read("-3").is_err());
        assert!(Seconds::read("-3 s").is_err());
    }

    #[test]
    fn ranges_take_the_unit_from_the_upper_end() {
        assert_eq!(Span::<Decibels>::read("-2..2 dB"), Ok(Span { low: Decibels(-2.0), high: Decibels(2.0) }));
        assert_eq!(Span::<Seconds>::read("0..20 ms"), Ok(Span { low: Seconds(0.0), high: Seconds(0.02) }));
        assert_eq!(Span::<Hertz>::read("900 Hz..2 kHz"), Ok(Span { low: Hertz(900.0), high: Hertz(2000.0) }));
        assert!(Span::<Decibels>::read("2..-2 dB").is_err());
    }

    proptest! {
        #[test]
        fn what_is_printed_is_read_again(hundredths in -9_000i32..9_000) {
            let level = Decibels(hundredths as f32 / 100.0);
            let back: Decibels = level.to_string().parse().unwrap();
            prop_assert!((back.0 - level.0).abs() < 0.006);
            let time = Seconds(f64::from(hundredths.abs()) / 100.0);
            let back: Seconds = time.to_string().parse().unwrap();
            prop_assert!((back.0 - time.0).abs() < 0.0006);
        }

        #[test]
        fn gain_and_level_undo_each_other(level in -120.0f32..40.0) {
            prop_assert!((Decibels::of_gain(Decibels(level).gain()).0 - level).abs() < 1e-3);
        }

        #[test]
        fn no_text_makes_reading_panic(text in ".{0,20}") {
            let _ = (Decibels::read(&text), Seconds::read(&text), Hertz::read(&text), Span::<Semitones>::read(&text));
        }
    }
}
