//! One period of the plain waves, with most of their aliasing taken away (polynomial step correction: V. Välimäki and A. Huovilainen,
//! *Antialiasing oscillators in subtractive synthesis*, 2007).
//!
//! `phase` is the share of the period, 0 to 1; `by` is what it moves by a sample.

/// The correction of a step at phase 0.
fn step_correction(phase: f32, by: f32) -> f32 {
    if phase < by {
        let t = phase / by;
        t + t - t * t - 1.0
    } else if phase > 1.0 - by {
        let t = (phase - 1.0) / by;
        t * t + t + t + 1.0
    } else {
        0.0
    }
}

/// A sawtooth that rises from −1 to 1.
pub(crate) fn saw(phase: f32, by: f32) -> f32 {
    2.0 * phase - 1.0 - step_correction(phase, by)
}

/// A pulse that is up for a share of the period, without its constant part.
pub(crate) fn pulse(phase: f32, by: f32, width: f32) -> f32 {
    let other = (phase - width).rem_euclid(1.0);
    let square = if phase < width { 1.0 } else { -1.0 };
    square + step_correction(phase, by) - step_correction(other, by) - (2.0 * width - 1.0)
}
