//! Rate conversion of what goes round: as a circle, so that the seam is as good as any other place.
//!
//! A loop of N frames becomes one of exactly M: its spectrum (which a circle has without any window) is cut or filled up, and moved
//! by less than a frame where the loop begins between two frames of the new rate. So no round ends a part of a frame early.

use estampie_generics::num_complex::Complex;

/// Loops up to here are converted in one piece.
pub(super) const LONGEST: usize = 1 << 23;

/// Converts a loop to `frames` frames; the first one is what the loop is `shift` frames (of its own) after its first.
pub(super) fn convert(samples: &[f32], frames: usize, shift: f64) -> Vec<f32> {
    let before = samples.len();
    if before == 0 || frames == 0 {
        return vec![0.0; frames];
    }
    let (forward, back) = (estampie_generics::forward(before), estampie_generics::inverse(frames));
    let mut time = samples.to_vec();
    let mut spectrum = forward.make_output_vec();
    // The lengths are right by construction.
    let _ = forward.process(&mut time, &mut spectrum);
    let mut out = back.make_input_vec();
    // What lies at half of either rate belongs to both of its ends, and is left out.
    let kept = before.div_ceil(2).min(frames.div_ceil(2));
    let scale = 1.0 / before as f32;
    for (at, (to, from)) in out.iter_mut().zip(&spectrum).take(kept).enumerate() {
        let angle = std::f64::consts::TAU * (at as f64 * shift / before as f64).fract();
        *to = from * Complex::new(angle.cos() as f32, angle.sin() as f32) * scale;
    }
    out[0].im = 0.0;
    let mut result = back.make_output_vec();
    let _ = back.process(&mut out, &mut result);
    result
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::TAU;

    #[test]
    fn a_loop_stays_what_it_is_all_the_way_round() {
        for (before, after) in [(441, 480), (1_000, 1_088), (977, 1_063), (4_800, 4_410), (100, 100)] {
            for shift in [0.0, 0.37] {
                let wave = |at: f64| 0.5 * (TAU * 7.0 * at).sin() + 0.3 * (TAU * 20.0 * at).cos();
                let samples: Vec<f32> = (0..before).map(|i| wave(f64::from(i) / f64::from(before)) as f32).collect();
                let out = convert(&samples, after as usize, shift);
                for (i, sample) in out.iter().enumerate() {
                    let expected = wave(i as f64 / f64::from(after) + shift / f64::from(before));
                    assert!((f64::from(*sample) - expected).abs() < 1e-5, "{before} to {after}, {i}: {sample} for {expected}");
                }
            }
        }
    }
}
