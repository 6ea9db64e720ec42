//! What can be set, drawn, moved and held, with the unit its contributions add up in.

use super::random::Draw;
use super::units::{Decibels, Hertz, OPEN_HIGH_PASS, OPEN_LOW_PASS, Octaves, Pan, Quantity, Seconds, Semitones, Share, Span, Spread, ValueError, split_number};

/// What a modulation can move, with the unit its contributions add up in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Property {
    /// Level, in decibels.
    Level,
    /// Pitch, in semitones.
    Pitch,
    /// Cutoff of the low-pass, in octaves from the open low-pass (20 kHz).
    LowPass,
    /// Cutoff of the high-pass, in octaves from the open high-pass (20 Hz).
    HighPass,
    /// The place between the speakers, from −1 (left) to 1 (right).
    Pan,
    /// How far its two channels lie apart, added to what is recorded: −1 is mono, 1 twice as wide.
    Width,
    /// The interval of a repeat, in seconds.
    Every,
    /// The chance of a sound, as a share of 1.
    Chance,
    /// The most playings of one emitter.
    Each,
    /// The most playings in all.
    All,
    /// How much of its sweeps is followed, as a share of 1.
    Sweep,
    /// How fast a piece goes, as a share of what is written.
    Tempo,
    /// How far a piece's notes are moved, in semitones.
    Transposition,
    /// How many notes of a layer are played, as a share of 1.
    Density,
    /// How much of a snapshot there is, as a share of 1.
    Amount,
    /// A setting of an effect, in its own unit; its curve gives the value itself.
    Setting(Unit),
    /// A control of generators, by its unit and whether it moves by octaves: what is added to it is in octaves then, else in its unit. The number is its place
    /// among all controls ([`crate::dsp::generators::controls`]).
    Control(u8, Unit, bool),
}

/// A property that every sound has: it is set, varied each time, swept, moved by parameters, and added up for each voice.
#[derive(Debug, Clone, Copy)]
pub struct SoundProperty {
    /// Which one.
    pub property: Property,
    /// What it is set to where nothing is written; it adds nothing.
    pub neutral: f32,
    /// The least and the greatest that it can be set to, in the unit in which it adds up.
    pub ends: (f32, f32),
    /// Whether *why* tells what it is set to even where that is neutral.
    pub always_told: bool,
    /// What can be written, from the least to the greatest.
    pub expected: &'static str,
    /// What one looks like.
    pub example: &'static str,
    /// Reads what it is set to, as a project's files write it.
    pub read: fn(&str) -> Result<f32, ValueError>,
    /// Prints what it is set to, so that it is read again.
    pub print: fn(f32) -> String,
    /// Reads a range of which something is drawn that is added to it, as a project's files write it.
    pub read_range: fn(&str) -> Result<Drawn, ValueError>,
}

/// A range of which something is drawn each time, with its ends as people read them.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Drawn {
    /// The range, in the unit in which the property adds up.
    pub draw: Draw,
    /// Its ends, as they are written.
    pub ends: [String; 2],
    /// All of it, as it is written.
    pub text: String,
}

/// Reads a range of a quantity, each end by what it adds up to.
fn range<T: Quantity>(text: &str, value: impl Fn(T) -> f32) -> Result<Drawn, ValueError> {
    let spread = Spread::<T>::read(text)?;
    let Span { low, high } = spread.ends;
    Ok(Drawn { draw: Draw { ends: (value(low), value(high)), centred: spread.centred }, ends: [low.to_string(), high.to_string()], text: spread.to_string() })
}

/// How many properties every sound has.
pub const OF_SOUNDS: usize = 6;

/// The properties of sounds. One more is a row here, and what it does to samples in `mixer::voice`.
///
/// New ones come last: what is drawn for them is drawn after all others, so that no project sounds otherwise.
pub const SOUND_PROPERTIES: [SoundProperty; OF_SOUNDS] = [
    SoundProperty {
        property: Property::Level,
        neutral: 0.0,
        ends: (-120.0, 24.0),
        always_told: true,
        expected: "-120 dB to 24 dB",
        example: Decibels::EXPECTED,
        read: |t| Decibels::read(t).map(|v| v.0),
        print: |v| Decibels(v).to_string(),
        read_range: |t| range(t, |v: Decibels| v.0),
    },
    SoundProperty {
        property: Property::Pitch,
        neutral: 0.0,
        ends: (-48.0, 48.0),
        always_told: true,
        expected: "-48 st to 48 st",
        example: Semitones::EXPECTED,
        read: |t| Semitones::read(t).map(|v| v.0),
        print: |v| Semitones(v).to_string(),
        read_range: |t| range(t, |v: Semitones| v.0),
    },
    SoundProperty {
        property: Property::LowPass,
        neutral: 0.0,
        ends: (-9.965_784, 0.0),
        always_told: true,
        expected: "20 Hz to 20 kHz",
        example: Hertz::EXPECTED,
        read: |t| if t.trim() == "off" { Ok(0.0) } else { Hertz::read(t).map(|v| v.below_open().0) },
        print: |v| if v >= 0.0 { "off".into() } else { Octaves(v).from_open().to_string() },
        read_range: |t| range(t, |v: Hertz| v.below_open().0.min(0.0)),
    },
    SoundProperty {
        property: Property::HighPass,
        neutral: 0.0,
        ends: (0.0, 9.965_784),
        always_told: false,
        expected: "20 Hz to 20 kHz",
        example: Hertz::EXPECTED,
        read: |t| if t.trim() == "off" { Ok(0.0) } else { Hertz::read(t).map(|v| v.above_open().0) },
        print: |v| if v <= 0.0 { "off".into() } else { Octaves(v).above_open().to_string() },
        read_range: |t| range(t, |v: Hertz| v.above_open().0.max(0.0)),
    },
    SoundProperty {
        property: Property::Pan,
        neutral: 0.0,
        ends: (-1.0, 1.0),
        always_told: false,
        expected: "a place like 30 % left, 30 % right or centre",
        example: Pan::EXPECTED,
        read: |t| Pan::read(t).map(|v| v.0),
        print: |v| Pan(v).to_string(),
        read_range: |t| range(t, |v: Pan| v.0),
    },
    SoundProperty {
        property: Property::Width,
        neutral: 0.0,
        ends: (-1.0, 1.0),
        always_told: false,
        expected: "0 % to 200 %",
        example: Share::EXPECTED,
        read: |t| Share::read(t).map(|v| v.0 - 1.0),
        print: |v| Share(v + 1.0).to_string(),
        read_range: |t| range(t, |v: Share| v.0),
    },
];

/// Something for each property of sounds.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub struct PerProperty<T>([T; OF_SOUNDS]);

impl<T> PerProperty<T> {
    /// The same for all.
    #[must_use]
    pub const fn all(value: T) -> Self
    where
        T: Copy,
    {
        PerProperty([value; OF_SOUNDS])
    }

    /// Made one by one, in the order of the table.
    #[must_use]
    pub fn from_fn(mut make: impl FnMut(Property) -> T) -> Self {
        PerProperty(std::array::from_fn(|at| make(SOUND_PROPERTIES[at].property)))
    }

    /// Each with its property.
    pub fn iter(&self) -> impl Iterator<Item = (Property, &T)> {
        SOUND_PROPERTIES.iter().map(|p| p.property).zip(&self.0)
    }

    /// Each with its property, to be changed.
    pub fn iter_mut(&mut self) -> impl Iterator<Item = (Property, &mut T)> {
        SOUND_PROPERTIES.iter().map(|p| p.property).zip(&mut self.0)
    }

    /// That of a property, if every sound has it.
    #[must_use]
    pub fn get(&self, property: Property) -> Option<&T> {
        property.place_of_sounds().map(|at| &self.0[at])
    }

    /// The same, to be changed.
    pub fn get_mut(&mut self, property: Property) -> Option<&mut T> {
        property.place_of_sounds().map(|at| &mut self.0[at])
    }
}

impl<T: Default> Default for PerProperty<T> {
    fn default() -> Self {
        PerProperty::from_fn(|_| T::default())
    }
}

impl<T> std::ops::Index<Property> for PerProperty<T> {
    type Output = T;

    /// # Panics
    /// For a property that sounds do not have.
    fn index(&self, property: Property) -> &T {
        &self.0[property.place_of_sounds().expect("a property of sounds")]
    }
}

impl<T> std::ops::IndexMut<Property> for PerProperty<T> {
    fn index_mut(&mut self, property: Property) -> &mut T {
        &mut self.0[property.place_of_sounds().expect("a property of sounds")]
    }
}

impl Property {
    /// All, with the words they are written with.
    pub const ALL: [(Property, &'static str); 14] = [
        (Property::Level, "level"),
        (Property::Pitch, "pitch"),
        (Property::LowPass, "low-pass"),
        (Property::HighPass, "high-pass"),
        (Property::Pan, "pan"),
        (Property::Width, "width"),
        (Property::Every, "every"),
        (Property::Chance, "chance"),
        (Property::Each, "each"),
        (Property::All, "in-all"),
        (Property::Sweep, "sweep"),
        (Property::Tempo, "tempo"),
        (Property::Transposition, "transposition"),
        (Property::Density, "density"),
    ];

    /// Whether it is worked out for every voice in every block, or only when something is asked for.
    #[must_use]
    pub fn of_voices(self) -> bool {
        self.place_of_sounds().is_some()
    }

    /// Its place in [`SOUND_PROPERTIES`], if every sound has it.
    #[must_use]
    pub const fn place_of_sounds(self) -> Option<usize> {
        match self {
            Property::Level => Some(0),
            Property::Pitch => Some(1),
            Property::LowPass => Some(2),
            Property::HighPass => Some(3),
            Property::Pan => Some(4),
            Property::Width => Some(5),
            _ => None,
        }
    }

    /// The word it is written with.
    #[must_use]
    pub fn word(self) -> &'static str {
        Property::ALL.iter().find(|(p, _)| *p == self).map_or(if self == Property::Amount { "amount" } else { "setting" }, |(_, w)| w)
    }

    /// Reads a curve's value in this property's unit.
    ///
    /// # Errors
    /// When the text is no such quantity; the error says what one looks like.
    pub fn read(self, text: &str) -> Result<f32, ValueError> {
        match self {
            Property::Level => Decibels::read(text).map(|v| v.0.max(-120.0)),
            Property::Pitch | Property::Transposition => Semitones::read(text).map(|v| v.0),
            Property::LowPass => Octaves::read(text)
                .ok()
                .filter(|_| text.contains("oct"))
                .or_else(|| Hertz::read(text).ok().map(|hz| Hertz(hz.0.min(OPEN_LOW_PASS.0)).below_open()))
                .map(|v| v.0)
                .ok_or_else(|| not_a_cutoff(text)),
            Property::HighPass => Octaves::read(text)
                .ok()
                .filter(|_| text.contains("oct"))
                .or_else(|| Hertz::read(text).ok().map(|hz| Hertz(hz.0.max(OPEN_HIGH_PASS.0)).above_open()))
                .map(|v| v.0)
                .ok_or_else(|| not_a_cutoff(text)),
            Property::Every => signed(text, |t| Seconds::read(t).map(|v| v.0 as f32)),
            Property::Chance | Property::Sweep | Property::Tempo | Property::Density | Property::Amount | Property::Width => Share::read(text).map(|v| v.0),
            Property::Pan => Pan::read(text).map(|v| v.0),
            Property::Setting(unit) => unit.read(text),
            Property::Control(_, _, true) => Octaves::read(text)
                .map(|v| v.0)
                .or_else(|_| Semitones::read(text).map(|v| v.0 / 12.0))
                .map_err(|_| ValueError::not(text, "a difference, like 7 st or -1 oct")),
            Property::Control(_, unit, false) => signed(text, |t| unit.read(t)),
            Property::Each | Property::All => {
                split_number(text).filter(|(_, unit)| unit.is_empty()).map(|(n, _)| n as f32).ok_or_else(|| ValueError::not(text, "a count, like 3"))
            }
        }
    }

    /// Prints what it is set to with its unit; the same as any other value, but for controls that move by octaves.
    #[must_use]
    pub fn print_set(self, value: f32) -> String {
        if let Property::Control(_, unit, true) = self { unit.print(value.exp2()) } else { self.print(value) }
    }

    /// Prints a value with its unit.
    #[must_use]
    pub fn print(self, value: f32) -> String {
        match self {
            Property::Level => Decibels(value).to_string(),
            Property::Pitch | Property::Transposition => Semitones(value).to_string(),
            Property::LowPass | Property::HighPass => Octaves(value).to_string(),
            Property::Every if value < 0.0 => format!("-{}", Seconds(f64::from(-value))),
            Property::Every => Seconds(f64::from(value)).to_string(),
            Property::Chance | Property::Sweep | Property::Tempo | Property::Density | Property::Amount | Property::Width => Share(value).to_string(),
            Property::Pan => Pan(value).to_string(),
            Property::Setting(unit) | Property::Control(_, unit, false) => unit.print(value),
            Property::Control(_, _, true) => Octaves(value).to_string(),
            Property::Each | Property::All => format!("{value:.0}"),
        }
    }
}

fn not_a_cutoff(text: &str) -> ValueError {
    ValueError::not(text, "a cutoff, like 2 kHz, or a difference, like -1 oct")
}

/// Reads a quantity that is never negative by itself with a sign before it.
fn signed(text: &str, read: impl Fn(&str) -> Result<f32, ValueError>) -> Result<f32, ValueError> {
    match text.trim().strip_prefix(['-', '−']) {
        Some(rest) => read(rest).map(|v| -v),
        None => read(text),
    }
}

/// What a setting counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Unit {
    /// Decibels.
    Decibels,
    /// Hertz; moved in octaves.
    Hertz,
    /// Seconds; moved in octaves where it has no 0.
    Seconds,
    /// A share from 0 to 1, written in percent.
    Share,
    /// Semitones.
    Semitones,
    /// A plain number.
    Number,
    /// One of some words, by its place among them; never moved.
    Choice(&'static [&'static str]),
}

impl Unit {
    /// Reads a value in this unit.
    ///
    /// # Errors
    /// When the text is none; the error says what one looks like.
    pub fn read(self, text: &str) -> Result<f32, ValueError> {
        match self {
            Unit::Decibels => Decibels::read(text).map(|v| v.0.max(-120.0)),
            Unit::Hertz => Hertz::read(text).map(|v| v.0),
            Unit::Seconds => Seconds::read(text).map(|v| v.0 as f32),
            Unit::Share => Share::read(text).map(|v| v.0),
            Unit::Semitones => Semitones::read(text).map(|v| v.0),
            Unit::Number => split_number(text.trim_end_matches(": 1").trim_end_matches(":1"))
                .filter(|(_, unit)| unit.is_empty())
                .map(|(n, _)| n as f32)
                .ok_or_else(|| ValueError::not(text, "a number, like 3")),
            Unit::Choice(words) => {
                words.iter().position(|w| *w == text.trim()).map(|at| at as f32).ok_or_else(|| ValueError::NoneOf { text: text.to_owned(), words })
            }
        }
    }

    /// Prints a value with its unit, so that [`Unit::read`] reads it again.
    #[must_use]
    pub fn print(self, value: f32) -> String {
        match self {
            Unit::Decibels => Decibels(value).to_string(),
            Unit::Hertz => Hertz(value).to_string(),
            Unit::Seconds => Seconds(f64::from(value)).to_string(),
            Unit::Share => Share(value).to_string(),
            Unit::Semitones => Semitones(value).to_string(),
            Unit::Number => {
                let text = format!("{value:.2}");
                text.trim_end_matches('0').trim_end_matches('.').to_owned()
            }
            Unit::Choice(words) => words.get(value.max(0.0) as usize).copied().unwrap_or_default().to_owned(),
        }
    }
}

/// How a unit is written in a bundle: without the words of a choice, which are for people who set it.
#[cfg(feature = "bundle")]
mod written {
    use super::Unit;
    use serde::{Deserialize, Deserializer, Serialize, Serializer};

    #[derive(Serialize, Deserialize)]
    enum Written {
        Decibels,
        Hertz,
        Seconds,
        Share,
        Semitones,
        Number,
        Choice,
    }

    impl Serialize for Unit {
        fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
            let written = match self {
                Unit::Decibels => Written::Decibels,
                Unit::Hertz => Written::Hertz,
                Unit::Seconds => Written::Seconds,
                Unit::Share => Written::Share,
                Unit::Semitones => Written::Semitones,
                Unit::Number => Written::Number,
                Unit::Choice(_) => Written::Choice,
            };
            written.serialize(serializer)
        }
    }

    impl<'de> Deserialize<'de> for Unit {
        fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Unit, D::Error> {
            Ok(match Written::deserialize(deserializer)? {
                Written::Decibels => Unit::Decibels,
                Written::Hertz => Unit::Hertz,
                Written::Seconds => Unit::Seconds,
                Written::Share => Unit::Share,
                Written::Semitones => Unit::Semitones,
                Written::Number => Unit::Number,
                Written::Choice => Unit::Choice(&[]),
            })
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_property_of_sounds_stands_at_its_place_and_reads_what_it_prints() {
        for (at, row) in SOUND_PROPERTIES.iter().enumerate() {
            assert_eq!(row.property.place_of_sounds(), Some(at));
            for value in [row.neutral, row.ends.0, row.ends.1] {
                let text = (row.print)(value);
                let again = if text == "off" { row.neutral } else { (row.read)(&text).unwrap() };
                assert!((again - value).abs() < 0.02, "{:?}: {text} is read as {again}", row.property);
            }
        }
        assert_eq!(Property::Every.place_of_sounds(), None);
    }
}
