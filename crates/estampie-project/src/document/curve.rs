//! Curves as written: what they move, and their points as text.

use crate::fault::Place;
use estampie_engine::curve::{Point, Shape};
use estampie_engine::property::Property;
use estampie_engine::units::ValueError;
use estampie_engine::units::split_number;

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
pub fn read_point(text: &str, unit: &str, property: Property) -> Result<Point, ValueError> {
    let (x, rest) = text.split_once(':').ok_or_else(|| ValueError::not(text, "a point, like \"0.5: -6 dB\""))?;
    let (x, own) = split_number(x).ok_or_else(|| ValueError::not(x.trim(), "a number"))?;
    if !own.is_empty() && own != unit {
        return Err(format!("\"{own}\" is not the unit of the parameter, which is {}", if unit.is_empty() { "none" } else { unit }).into());
    }
    let (y, shape) = match rest.split_once(',') {
        Some((y, shape)) => {
            let shape = shape.trim();
            (y, Shape::read(shape).ok_or_else(|| ValueError::not(shape, "a shape: linear, smooth, stepped, or power with a number"))?)
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
    use estampie_engine::curve::Curve;
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
        assert!(read_point("40 km: -3 dB", "m", Property::Level).unwrap_err().to_string().contains("unit"));
        assert!(read_point("40: -3 dB, curly", "m", Property::Level).unwrap_err().to_string().contains("shape"));
        assert!(read_point("40", "m", Property::Level).is_err());
    }
}
