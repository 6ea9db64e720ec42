//! The click of the metronome, for the rehearsal only.

use super::BLOCK;

/// Frames of a click of the metronome.
pub(super) const LENGTH: u64 = 2400;

/// Adds a metronome's click to the block that begins at `now`: a tone that dies away, higher where a bar begins.
pub(super) fn add(now: u64, frame: u64, strong: bool, rate: u32, left: &mut [f32; BLOCK], right: &mut [f32; BLOCK]) {
    let hertz = if strong { 1760.0 } else { 1174.7 };
    for i in 0..BLOCK {
        let Some(at) = (now + i as u64).checked_sub(frame).filter(|at| *at < LENGTH) else { continue };
        let seconds = at as f32 / rate as f32;
        let sample = 0.25 * (-seconds * 90.0).exp() * (std::f32::consts::TAU * hertz * seconds).sin();
        left[i] += sample;
        right[i] += sample;
    }
}
