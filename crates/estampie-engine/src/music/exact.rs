//! Exact numbers: musical positions and frames as fractions, so that nothing drifts.
//!
//! A position in a section is a [`Place`](Beats): quarter notes as a fraction of two whole numbers. A moment in time is
//! a fraction of frames. Both stay exact under everything that the clock does; only what is started is rounded, to the
//! nearest frame, and the rounding is never carried on.
//!
//! The one exception is a tempo that is moved while the piece plays: with every new tempo the common denominator of
//! all moments so far would grow. [`settle`] rounds such a moment to 2⁻³² of a frame once its denominator is beyond 2⁴⁰,
//! which after an hour of a new tempo on every beat is less than a millionth of a frame.

use num_rational::Ratio;

/// Quarter notes from the start of a section, or a length in quarter notes.
pub type Beats = Ratio<i64>;

/// Frames since the engine began, or a length in frames.
pub type Frames = Ratio<i128>;

/// A whole number of frames.
#[must_use]
pub fn frames(count: u64) -> Frames {
    Frames::from_integer(i128::from(count))
}

/// The nearest frame; a half is rounded up, and what lies before frame 0 is 0.
#[must_use]
pub fn nearest(moment: Frames) -> u64 {
    let (n, d) = (*moment.numer(), *moment.denom());
    u64::try_from((2 * n + d).div_euclid(2 * d)).unwrap_or(0)
}

/// Quarter notes as a fraction of wider numbers, to be multiplied with frames.
#[must_use]
pub fn wide(beats: Beats) -> Frames {
    Frames::new(i128::from(*beats.numer()), i128::from(*beats.denom()))
}

/// The position of a wide fraction, rounded to 2⁻²⁰ of a quarter note if it is too fine to be kept.
#[must_use]
pub fn narrow(position: Frames) -> Beats {
    match (i64::try_from(*position.numer()), i64::try_from(*position.denom())) {
        (Ok(n), Ok(d)) if d < 1 << 20 => Beats::new(n, d),
        _ => {
            let scale = 1i128 << 20;
            let n = (*position.numer() * scale).div_euclid(*position.denom());
            Beats::new(i64::try_from(n).unwrap_or(i64::MAX >> 24), 1 << 20)
        }
    }
}

/// Keeps a moment's denominator within bounds. See the module's page.
#[must_use]
pub fn settle(moment: Frames) -> Frames {
    if *moment.denom() < 1 << 40 {
        return moment;
    }
    let scale = 1i128 << 32;
    let whole = moment.numer().div_euclid(*moment.denom());
    let rest = moment.numer().rem_euclid(*moment.denom());
    // The denominator may be too wide to be multiplied; its upper bits are enough for the rest.
    let mut d = *moment.denom();
    let mut r = rest;
    while d >= 1 << 90 {
        d >>= 1;
        r >>= 1;
    }
    Frames::new(whole * scale + (r * scale + d / 2) / d, scale)
}

/// A fraction as a number, for those who show it.
#[must_use]
pub fn number(fraction: Frames) -> f64 {
    let whole = fraction.numer().div_euclid(*fraction.denom());
    let rest = fraction.numer().rem_euclid(*fraction.denom());
    whole as f64 + rest as f64 / *fraction.denom() as f64
}

/// Reads a number such as `92`, `93.7` or `3/2` exactly.
#[must_use]
pub fn read(text: &str) -> Option<Beats> {
    let text = text.trim();
    if let Some((n, d)) = text.split_once('/') {
        let (n, d): (i64, i64) = (n.trim().parse().ok()?, d.trim().parse().ok()?);
        return (d > 0 && d <= 1 << 20 && n.abs() < 1 << 32).then(|| Beats::new(n, d));
    }
    let (whole, part) = text.split_once('.').unwrap_or((text, ""));
    if part.len() > 6 || whole.len() > 9 || !part.chars().all(|c| c.is_ascii_digit()) {
        return None;
    }
    let scale = 10i64.pow(part.len() as u32);
    let whole_number: i64 = whole.parse().ok()?;
    let rest: i64 = if part.is_empty() { 0 } else { part.parse().ok()? };
    let rest = if whole.starts_with('-') { -rest } else { rest };
    Some(Beats::new(whole_number * scale + rest, scale))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn numbers_are_read_exactly() {
        assert_eq!(read("93.7"), Some(Beats::new(937, 10)));
        assert_eq!(read(" 3/2 "), Some(Beats::new(3, 2)));
        assert_eq!(read("-0.25"), Some(Beats::new(-1, 4)), "the sign counts for what follows the point too");
        assert_eq!((read("a"), read("1/0"), read("1.2.3"), read("")), (None, None, None, None));
    }

    proptest! {
        #[test]
        fn the_nearest_frame_is_within_half_a_frame(n in 0i128..1 << 60, d in 1i128..1 << 30) {
            let rounded = nearest(Frames::new(n, d));
            let off = Frames::new(n, d) - frames(rounded);
            prop_assert!(off >= Frames::new(-1, 2) && off < Frames::new(1, 2) + Frames::new(1, 1 << 40));
        }

        #[test]
        fn settling_moves_by_less_than_a_billionth(whole in 0i128..1 << 40, n in 0i128..1 << 80, bits in 41u32..80) {
            let d = (1i128 << bits) + 1;
            let moment = Frames::from_integer(whole) + Frames::new(n % d, d);
            let settled = settle(moment);
            prop_assert!(*settled.denom() < 1 << 40);
            prop_assert!((number(settled - Frames::from_integer(whole)) - (n % d) as f64 / d as f64).abs() < 1e-9);
        }
    }
}
