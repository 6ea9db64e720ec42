//! Curves: points with a shape between each and the next.

use super::fault::Place;
use crate::units::{Decibels, Hertz, OPEN_LOW_PASS, Octaves, Quantity, Semitones, split_number};

/// How a curve goes from one point to the next. All stay between the two points' values.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Shape {
    /// A straight line.
    Straight,
    /// Level at both ends: 3t² − 2t³.
    Smooth,
    /// The value of the first point until the next is reached.
    Held,
    /// tⁿ, for n from 0.05 to 20: above 1 it starts slowly, below 1 quickly.
    Power(f32),
}

impl Shape {
    /// The way done (0 to 1) when `t` of the stretch is behind, for `t` from 0 to 1.
    #[must_use]
    pub fn at(self, t: f32) -> f32 {
        match self {
            Shape::Straight => t,
            Shape::Smooth => t * t * (3.0 - 2.0 * t),
            Shape::Held => 0.0,
            Shape::Power(n) => t.powf(n),
        }
    }

    fn read(text: &str) -> Option<Shape> {
        match text {
            "straight" => Some(Shape::Straight),
            "smooth" => Some(Shape::Smooth),
            "held" => Some(Shape::Held),
            _ => {
                let power: f32 = text.strip_prefix("power")?.trim().parse().ok()?;
                (0.05..=20.0).contains(&power).then_some(Shape::Power(power))
            }
        }
    }
}

/// A point of a curve, and the shape of the way to the next point.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Point {
    /// Where, in the parameter's unit.
    pub x: f32,
    /// The value, in the unit of what is moved (dB, semitones, or octaves below the open low-pass).
    pub y: f32,
    /// The way to the next point.
    pub shape: Shape,
}

/// A function given by points; before the first and after the last it stays level.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Curve {
    points: Vec<Point>,
}

impl Curve {
    /// A curve through points whose `x` rise. Points that do not rise or are not finite are left out.
    #[must_use]
    pub fn new(points: impl IntoIterator<Item = Point>) -> Curve {
        let mut kept: Vec<Point> = Vec::new();
        for point in points {
            if point.x.is_finite() && point.y.is_finite() && kept.last().is_none_or(|last| point.x > last.x) {
                kept.push(point);
            }
        }
        Curve { points: kept }
    }

    /// The points.
    #[must_use]
    pub fn points(&self) -> &[Point] {
        &self.points
    }

    /// The value at `x`; 0 for a curve without points.
    #[must_use]
    pub fn at(&self, x: f32) -> f32 {
        let next = self.points.partition_point(|p| p.x <= x);
        match (next.checked_sub(1).and_then(|i| self.points.get(i)), self.points.get(next)) {
            (Some(from), Some(to)) => {
                let t = ((x - from.x) / (to.x - from.x)).clamp(0.0, 1.0);
                let way = from.shape.at(t);
                // Written so that rounding cannot leave the two ends.
                (from.y * (1.0 - way) + to.y * way).clamp(from.y.min(to.y), from.y.max(to.y))
            }
            (Some(last), None) => last.y,
            (None, Some(first)) => first.y,
            (None, None) => 0.0,
        }
    }
}

/// What a modulation can move, with the unit its contributions add up in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Property {
    /// Level, in decibels.
    Level,
    /// Pitch, in semitones.
    Pitch,
    /// Cutoff of the low-pass, in octaves below the open low-pass (20 kHz).
    LowPass,
}

impl Property {
    /// All, with the words they are written with.
    pub const ALL: [(Property, &'static str); 3] = [(Property::Level, "level"), (Property::Pitch, "pitch"), (Property::LowPass, "low-pass")];

    /// The word it is written with.
    #[must_use]
    pub fn word(self) -> &'static str {
        Property::ALL.iter().find(|(p, _)| *p == self).map_or("", |(_, w)| w)
    }

    /// Reads a curve's value in this property's unit.
    ///
    /// # Errors
    /// When the text is no such quantity; the error says what one looks like.
    pub fn read(self, text: &str) -> Result<f32, String> {
        match self {
            Property::Level => Decibels::read(text).map(|v| v.0.max(-120.0)).map_err(|e| e.to_string()),
            Property::Pitch => Semitones::read(text).map(|v| v.0).map_err(|e| e.to_string()),
            Property::LowPass => Octaves::read(text)
                .ok()
                .filter(|_| text.contains("oct"))
                .or_else(|| Hertz::read(text).ok().map(|hz| Hertz(hz.0.min(OPEN_LOW_PASS.0)).below_open()))
                .map(|v| v.0)
                .ok_or_else(|| format!("\"{text}\" is not a cutoff, like 2 kHz, or a difference, like -1 oct")),
        }
    }

    /// Prints a value with its unit.
    #[must_use]
    pub fn print(self, value: f32) -> String {
        match self {
            Property::Level => Decibels(value).to_string(),
            Property::Pitch => Semitones(value).to_string(),
            Property::LowPass => Octaves(value).to_string(),
        }
    }
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
            (y, Shape::read(shape).ok_or_else(|| format!("\"{shape}\" is not a shape: straight, smooth, held, or power with a number"))?)
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
