//! Plane geometry of the map: distances, outlines, ways through a gap. Lengths are metres.

/// A place on the map: metres to the east and to the north.
pub type Ground = [f32; 2];

/// How far two places are from each other.
#[must_use]
pub fn apart(a: Ground, b: Ground) -> f32 {
    (a[0] - b[0]).hypot(a[1] - b[1])
}

/// The distance between two points.
pub(crate) fn length(a: &[f32; 3], b: &[f32; 3]) -> f32 {
    a.iter().zip(b).map(|(a, b)| (a - b) * (a - b)).sum::<f32>().sqrt()
}

/// The place a share of the way from one to another.
#[must_use]
pub fn between(a: Ground, b: Ground, share: f32) -> Ground {
    [a[0] + (b[0] - a[0]) * share, a[1] + (b[1] - a[1]) * share]
}

/// The share of the way from `a` to `b` that is nearest to `p`.
fn share_nearest(p: Ground, a: Ground, b: Ground) -> f32 {
    let (x, y) = (b[0] - a[0], b[1] - a[1]);
    let square = x * x + y * y;
    if square == 0.0 { 0.0 } else { (((p[0] - a[0]) * x + (p[1] - a[1]) * y) / square).clamp(0.0, 1.0) }
}

/// The place on a segment that is nearest to `p`.
#[must_use]
pub fn nearest_on_segment(p: Ground, a: Ground, b: Ground) -> Ground {
    between(a, b, share_nearest(p, a, b))
}

/// The sides of a line of points; of a closed one the last leads back to the first.
pub fn sides(points: &[Ground], closed: bool) -> impl Iterator<Item = (Ground, Ground)> + '_ {
    let back = if closed && points.len() > 2 { points.last().copied().zip(points.first().copied()) } else { None };
    points.windows(2).map(|w| (w[0], w[1])).chain(back)
}

/// The place on a line of points that is nearest to `p`; `p` itself of an empty one.
#[must_use]
pub fn nearest_on(points: &[Ground], closed: bool, p: Ground) -> Ground {
    let first = points.first().copied().unwrap_or(p);
    sides(points, closed)
        .map(|(a, b)| nearest_on_segment(p, a, b))
        .fold((first, apart(first, p)), |best, q| {
            let far = apart(q, p);
            if far < best.1 { (q, far) } else { best }
        })
        .0
}

/// The length of a line of points.
#[must_use]
pub fn length_of(points: &[Ground], closed: bool) -> f32 {
    sides(points, closed).map(|(a, b)| apart(a, b)).sum()
}

/// The place so many metres along a line of points.
#[must_use]
pub fn along(points: &[Ground], closed: bool, metres: f32) -> Ground {
    let mut left = metres.max(0.0);
    let mut last = points.first().copied().unwrap_or_default();
    for (a, b) in sides(points, closed) {
        let far = apart(a, b);
        if left <= far && far > 0.0 {
            return between(a, b, left / far);
        }
        left -= far;
        last = b;
    }
    last
}

/// Where on the way from `a` to `b` (0 to 1) the segment from `c` to `d` is crossed.
#[must_use]
pub fn crossing(a: Ground, b: Ground, c: Ground, d: Ground) -> Option<f32> {
    let (r, s) = ([b[0] - a[0], b[1] - a[1]], [d[0] - c[0], d[1] - c[1]]);
    let cross = r[0] * s[1] - r[1] * s[0];
    if cross == 0.0 {
        return None;
    }
    let to = [c[0] - a[0], c[1] - a[1]];
    let t = (to[0] * s[1] - to[1] * s[0]) / cross;
    let u = (to[0] * r[1] - to[1] * r[0]) / cross;
    ((0.0..=1.0).contains(&t) && (0.0..=1.0).contains(&u)).then_some(t)
}

/// The place on the segment from `c` to `d` by which the way from `a` to `b` is shortest.
///
/// On a line, heights over it and places along it give the crossing of the straight way, `b` being mirrored if both are on one side;
/// the way grows to both sides of it, so the nearest place of the segment is the best.
#[must_use]
pub fn through(a: Ground, b: Ground, c: Ground, d: Ground) -> Ground {
    let far = apart(c, d);
    if far == 0.0 {
        return c;
    }
    let along = [(d[0] - c[0]) / far, (d[1] - c[1]) / far];
    let on = |p: Ground| (p[0] - c[0]) * along[0] + (p[1] - c[1]) * along[1];
    let over = |p: Ground| ((p[0] - c[0]) * along[1] - (p[1] - c[1]) * along[0]).abs();
    let (ha, hb) = (over(a), over(b));
    let place = if ha + hb == 0.0 { on(a) } else { (on(a) * hb + on(b) * ha) / (ha + hb) };
    between(c, d, (place / far).clamp(0.0, 1.0))
}

/// What a zone covers on the map.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "bundle", derive(serde::Serialize, serde::Deserialize))]
pub enum Form {
    /// Within an outline of three points or more.
    Outline(Vec<Ground>),
    /// Within so many metres of a place.
    Circle(Ground, f32),
}

impl Form {
    /// Whether a place is inside (even-odd for outlines that cross themselves).
    #[must_use]
    pub fn contains(&self, p: Ground) -> bool {
        match self {
            Form::Circle(centre, radius) => apart(*centre, p) <= *radius,
            Form::Outline(points) => {
                let mut inside = false;
                for (a, b) in sides(points, true) {
                    if (a[1] > p[1]) != (b[1] > p[1]) && p[0] < (b[0] - a[0]) * (p[1] - a[1]) / (b[1] - a[1]) + a[0] {
                        inside = !inside;
                    }
                }
                inside
            }
        }
    }

    /// How far a place is from the edge, on either side.
    #[must_use]
    pub fn to_edge(&self, p: Ground) -> f32 {
        match self {
            Form::Circle(centre, radius) => (apart(*centre, p) - radius).abs(),
            Form::Outline(points) => apart(nearest_on(points, true, p), p),
        }
    }

    /// The place of the edge that is nearest.
    #[must_use]
    pub fn edge(&self, p: Ground) -> Ground {
        match self {
            Form::Circle(centre, radius) => {
                let far = apart(*centre, p);
                if far == 0.0 { [centre[0], centre[1] + radius] } else { between(*centre, p, radius / far) }
            }
            Form::Outline(points) => nearest_on(points, true, p),
        }
    }

    /// Whether a straight way from one place outside to another leads through it.
    #[must_use]
    pub fn between(&self, a: Ground, b: Ground) -> bool {
        match self {
            Form::Circle(centre, radius) => {
                let share = share_nearest(*centre, a, b);
                share > 0.0 && share < 1.0 && apart(between(a, b, share), *centre) < *radius
            }
            Form::Outline(points) => {
                // Where it comes in first and goes out last; a way that only touches the edge has no way between.
                let crossings = || sides(points, true).filter_map(|(c, d)| crossing(a, b, c, d));
                let (first, last) = (crossings().fold(f32::INFINITY, f32::min), crossings().fold(f32::NEG_INFINITY, f32::max));
                last > first && crossings().filter(|t| *t > first).any(|t| self.contains(between(a, b, f32::midpoint(first, t))))
            }
        }
    }

    /// Its corners in the south-west and north-east.
    #[must_use]
    pub fn bounds(&self) -> (Ground, Ground) {
        match self {
            Form::Circle([x, y], r) => ([x - r, y - r], [x + r, y + r]),
            Form::Outline(points) => bounds(points),
        }
    }

    /// Its area in square metres.
    #[must_use]
    pub fn area(&self) -> f32 {
        match self {
            Form::Circle(_, r) => std::f32::consts::PI * r * r,
            Form::Outline(points) => sides(points, true).map(|(a, b)| a[0] * b[1] - b[0] * a[1]).sum::<f32>().abs() / 2.0,
        }
    }

    /// A place for its name: the middle of its bounds.
    #[must_use]
    pub fn middle(&self) -> Ground {
        let (low, high) = self.bounds();
        between(low, high, 0.5)
    }
}

/// The corners in the south-west and north-east of what holds all points; both 0 without any.
#[must_use]
pub fn bounds(points: &[Ground]) -> (Ground, Ground) {
    let first = points.first().copied().unwrap_or_default();
    points.iter().fold((first, first), |(low, high), p| ([low[0].min(p[0]), low[1].min(p[1])], [high[0].max(p[0]), high[1].max(p[1])]))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn place() -> impl Strategy<Value = Ground> {
        (-50.0f32..50.0, -50.0f32..50.0).prop_map(|(x, y)| [x, y])
    }

    proptest! {
        #[test]
        fn no_place_tried_is_nearer_than_the_nearest(points in prop::collection::vec(place(), 2..7), closed: bool, p in place()) {
            let best = apart(nearest_on(&points, closed, p), p);
            let whole = length_of(&points, closed);
            for n in 0..=400 {
                let tried = along(&points, closed, whole * n as f32 / 400.0);
                prop_assert!(apart(tried, p) >= best - 1e-3, "{tried:?} of {points:?}");
            }
        }

        #[test]
        fn no_way_through_a_gap_is_shorter_than_the_one_given(a in place(), b in place(), c in place(), d in place()) {
            let by = |q: Ground| apart(a, q) + apart(q, b);
            let best = by(through(a, b, c, d));
            for n in 0..=200 {
                prop_assert!(by(between(c, d, n as f32 / 200.0)) >= best - 2e-3);
            }
            if crossing(a, b, c, d).is_some() {
                prop_assert!((best - apart(a, b)).abs() < 2e-3, "a way that goes through is straight");
            }
        }

        #[test]
        fn what_is_inside_agrees_with_a_half_plane_count_of_convex_outlines(p in place(), radius in 5.0f32..40.0, corners in 3usize..9) {
            let points: Vec<Ground> = (0..corners).map(|n| {
                let angle = std::f32::consts::TAU * n as f32 / corners as f32;
                [radius * angle.cos(), radius * angle.sin()]
            }).collect();
            let form = Form::Outline(points.clone());
            let left = sides(&points, true).map(|(a, b)| (b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0]));
            let least = left.fold(f32::INFINITY, f32::min);
            prop_assume!(least.abs() > 1e-2);
            prop_assert_eq!(form.contains(p), least > 0.0);
            prop_assert!((apart(form.edge(p), p) - form.to_edge(p)).abs() < 1e-3);
            // The area of a regular polygon.
            let n = corners as f32;
            let expected = 0.5 * n * radius * radius * (std::f32::consts::TAU / n).sin();
            prop_assert!((form.area() - expected).abs() < expected * 1e-4);
        }

        #[test]
        fn a_way_through_has_a_place_inside_and_no_other_has(a in place(), b in place(), centre in place(), radius in 1.0f32..20.0) {
            let form = Form::Circle(centre, radius);
            let nearest = (0..=500).map(|n| apart(between(a, b, n as f32 / 500.0), centre)).fold(f32::INFINITY, f32::min);
            prop_assume!((nearest - radius).abs() > 0.2 && !form.contains(a) && !form.contains(b));
            prop_assert_eq!(form.between(a, b), nearest < radius);
            let square = Form::Outline([[-1.0, -1.0], [1.0, -1.0], [1.0, 1.0], [-1.0, 1.0]].map(|[x, y]| [centre[0] + x * radius, centre[1] + y * radius]).into());
            let inside = (1..500).any(|n| square.contains(between(a, b, n as f32 / 500.0)));
            prop_assume!(!square.contains(a) && !square.contains(b));
            prop_assert!(square.between(a, b) || !inside, "what goes through is seen");
        }
    }

    #[test]
    fn a_line_is_walked_by_its_length() {
        let line = [[0.0, 0.0], [3.0, 4.0], [3.0, 10.0]];
        assert_eq!(length_of(&line, false), 11.0);
        assert_eq!(along(&line, false, 5.0), [3.0, 4.0]);
        assert_eq!(along(&line, false, 8.0), [3.0, 7.0]);
        assert_eq!(along(&line, false, 99.0), [3.0, 10.0]);
        assert!((length_of(&line, true) - 11.0 - 109f32.sqrt()).abs() < 1e-5);
        assert_eq!(bounds(&line), ([0.0, 0.0], [3.0, 10.0]));
    }
}
