//! Curves as written: what they move, and their points as text.

use super::fault::Place;
use crate::curve::{Point, Shape};
use crate::dsp::effects::Unit;
use crate::units::{Decibels, Hertz, OPEN_HIGH_PASS, OPEN_LOW_PASS, Octaves, Pan, Quantity, Seconds, Semitones, Share, split_number};

/// What a modulation can move, with the unit its contributions add up in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
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
}

impl Property {
    /// All, with the words they are written with.
    pub const ALL: [(Property, &'static str); 13] = [
        (Property::Level, "level"),
        (Property::Pitch, "pitch"),
        (Property::LowPass, "low-pass"),
        (Property::HighPass, "high-pass"),
        (Property::Pan, "pan"),
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
        matches!(self, Property::Level | Property::Pitch | Property::LowPass | Property::HighPass | Property::Pan)
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
    pub fn read(self, text: &str) -> Result<f32, String> {
        match self {
            Property::Level => Decibels::read(text).map(|v| v.0.max(-120.0)).map_err(|e| e.to_string()),
            Property::Pitch | Property::Transposition => Semitones::read(text).map(|v| v.0).map_err(|e| e.to_string()),
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
            Property::Every => signed(text, |t| Seconds::read(t).map(|v| v.0 as f32).map_err(|e| e.to_string())),
            Property::Chance | Property::Sweep | Property::Tempo | Property::Density | Property::Amount => {
                Share::read(text).map(|v| v.0).map_err(|e| e.to_string())
            }
            Property::Pan => Pan::read(text).map(|v| v.0).map_err(|e| e.to_string()),
            Property::Setting(unit) => unit.read(text),
            Property::Each | Property::All => {
                split_number(text).filter(|(_, unit)| unit.is_empty()).map(|(n, _)| n as f32).ok_or_else(|| format!("\"{text}\" is not a count, like 3"))
            }
        }
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
            Property::Chance | Property::Sweep | Property::Tempo | Property::Density | Property::Amount => Share(value).to_string(),
            Property::Pan => Pan(value).to_string(),
            Property::Setting(unit) => unit.print(value),
            Property::Each | Property::All => format!("{value:.0}"),
        }
    }
}

fn not_a_cutoff(text: &str) -> String {
    format!("\"{text}\" is not a cutoff, like 2 kHz, or a difference, like -1 oct")
}

/// Reads a quantity that is never negative by itself with a sign before it.
fn signed(text: &str, read: impl Fn(&str) -> Result<f32, String>) -> Result<f32, String> {
    match text.trim().strip_prefix(['-', '−']) {
        Some(rest) => read(rest).map(|v| -v),
        None => read(text),
    }
}

/// Writes a point so that [`read_point`] reads it again; `unit` is the parameter's.
#[must_use]
pub fn print_point(point: &Point, unit: &str, property: Property) -> String {
    let x = format!("{:.4}", point.x);
    let x = x.trim_end_matches('0').trim_end_matches('.');
    let x = if x == "-0" { "0" } else { x };
    let space = if unit.is_empty() { "" } else { " " };
    let shape = if point.shape == Shape::Straight { String::new() } else { format!(", {}", point.shape) };
    format!("{x}{space}{unit}: {}{shape}", property.print(point.y))
}

/// Reads a point such as `40 m: -3 dB, smooth`. The `x` may carry `unit`.
///
/// # Errors
/// With what is wrong, as a sentence.
pub fn read_point(text: &str, unit: &str, property: Property) -> Result<Point, String> {
    let (x, rest) = text.split_once(':').ok_or_else(|| format!("\"{text}\" is not a point, like \"0.5: -6 dB\""))?;
    let (x, own) = split_number(x).ok_or_else(|| format!("\"{}\" is not a number", x.trim()))?;
    if !own.is_empty() && own != unit {
        return Err(format!("\"{own}\" is not the unit of the parameter, which is {}", if unit.is_empty() { "none" } else { unit }));
    }
    let (y, shape) = match rest.split_once(',') {
        Some((y, shape)) => {
            let shape = shape.trim();
            (y, Shape::read(shape).ok_or_else(|| format!("\"{shape}\" is not a shape: linear, smooth, stepped, or power with a number"))?)
        }
        None => (rest, Shape::Straight),
    };
    Ok(Point { x: x as f32, y: property.read(y.trim())?, shape })
}

/// The points of a curve as written, with the place of each, before the parameter's unit is known.
pub type WrittenCurve = Vec<(String, Place)>;

#[cfg(test)]
mod tests {
    use super::*;
    use crate::curve::Curve;
    use proptest::prelude::*;

    fn shapes() -> impl Strategy<Value = Shape> {
        prop_oneof![Just(Shape::Straight), Just(Shape::Smooth), Just(Shape::Held), (0.05f32..20.0).prop_map(Shape::Power)]
    }

    proptest! {
        #[test]
        fn a_curve_never_leaves_its_ends(points in prop::collection::vec((-100.0f32..100.0, -60.0f32..20.0, shapes()), 1..8), x in -200.0f32..200.0) {
            let mut points: Vec<Point> = points.into_iter().map(|(x, y, shape)| Point { x, y, shape }).collect();
            points.sort_by(|a, b| a.x.total_cmp(&b.x));
            let curve = Curve::new(points);
            let low = curve.points().iter().map(|p| p.y).fold(f32::INFINITY, f32::min);
            let high = curve.points().iter().map(|p| p.y).fold(f32::NEG_INFINITY, f32::max);
            let y = curve.at(x);
            prop_assert!(y >= low && y <= high, "{y} not in {low}..{high}");
            for p in curve.points() {
                prop_assert_eq!(curve.at(p.x), p.y);
            }
        }

        #[test]
        fn no_point_text_panics(text in ".{0,24}") {
            let _ = read_point(&text, "m", Property::LowPass);
        }
    }

    #[test]
    fn shapes_are_what_they_say() {
        let make = |shape| Curve::new([Point { x: 0.0, y: 0.0, shape }, Point { x: 2.0, y: 10.0, shape: Shape::Straight }]);
        assert_eq!(make(Shape::Straight).at(0.5), 2.5);
        assert_eq!(make(Shape::Held).at(1.99), 0.0);
        assert_eq!(make(Shape::Power(2.0)).at(1.0), 2.5);
        assert_eq!(make(Shape::Smooth).at(1.0), 5.0);
        assert_eq!(make(Shape::Held).at(2.0), 10.0);
    }

    #[test]
    fn points_are_read_with_their_units() {
        let point = read_point("40 m: -3 dB, smooth", "m", Property::Level);
        assert_eq!(point, Ok(Point { x: 40.0, y: -3.0, shape: Shape::Smooth }));
        let point = read_point("0: 10 kHz, power 0.5", "m", Property::LowPass);
        assert_eq!(point, Ok(Point { x: 0.0, y: -1.0, shape: Shape::Power(0.5) }));
        assert!(read_point("40 km: -3 dB", "m", Property::Level).unwrap_err().contains("unit"));
        assert!(read_point("40: -3 dB, curly", "m", Property::Level).unwrap_err().contains("shape"));
        assert!(read_point("40", "m", Property::Level).is_err());
    }
}
