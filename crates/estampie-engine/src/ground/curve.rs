//! Curves: points with a shape between each and the next.

use std::fmt;

/// How a curve goes from one point to the next. All stay between the two points' values.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Shape {
    /// A straight line.
    Straight,
    /// Level at both ends: 3t² − 2t³.
    Smooth,
    /// The value of the first point until the next is reached.
    Held,
    /// tⁿ, for n from 0.05 to 20: above 1 it starts slowly, below 1 quickly.
    Power(f32),
    /// sin(πt/2), and cos(πt/2) falling: two fades of music that cross keep their power. Only for fades of gain.
    EqualPower,
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
            Shape::EqualPower => (t * std::f32::consts::FRAC_PI_2).sin(),
        }
    }

    /// What is left (1 to 0) of a gain that falls, when `t` of the stretch is behind.
    #[must_use]
    pub fn left_at(self, t: f32) -> f32 {
        match self {
            Shape::EqualPower => (t * std::f32::consts::FRAC_PI_2).cos().max(0.0),
            _ => 1.0 - self.at(t),
        }
    }

    /// Reads a shape's words: linear, smooth, stepped, or power with a number from 0.05 to 20.
    #[must_use]
    pub fn read(text: &str) -> Option<Shape> {
        match text {
            "linear" => Some(Shape::Straight),
            "smooth" => Some(Shape::Smooth),
            "stepped" => Some(Shape::Held),
            _ => {
                let power: f32 = text.strip_prefix("power")?.trim().parse().ok()?;
                (0.05..=20.0).contains(&power).then_some(Shape::Power(power))
            }
        }
    }
}

/// A point of a curve, and the shape of the way to the next point.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
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
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
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

impl fmt::Display for Shape {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Shape::Straight => f.write_str("linear"),
            Shape::Smooth => f.write_str("smooth"),
            Shape::Held => f.write_str("stepped"),
            Shape::Power(n) => write!(f, "power {n}"),
            Shape::EqualPower => f.write_str("equal power"),
        }
    }
}
