//! The last of the way: the root's sum through the soft start, the metronome and the ceiling, into the block that is handed out.

use super::metronome;
use crate::dsp::{Fade, Limiter};
use crate::ground::time::BLOCK;
use crate::mixer::buses::greatest;
use crate::mixer::state::BusState;

/// The output at work.
pub(super) struct Output {
    limiter: Limiter,
    soft: Fade,
    pub(super) block: [[f32; BLOCK]; 2],
    /// The greatest amplitude of each side since it was last taken.
    pub(super) peak: [f32; 2],
    /// The least gain of the ceiling since it was last taken, and that of the last block.
    pub(super) least_gain: f32,
    pub(super) last_gain: f32,
}

impl Output {
    /// With a ceiling as a factor of full scale, rising over so many frames.
    pub(super) fn new(ceiling: f32, soft_frames: u64, rate: u32) -> Output {
        Output {
            limiter: Limiter::new(ceiling, rate),
            soft: if soft_frames == 0 { Fade::at(1.0) } else { Fade::over(0.0, 1.0, soft_frames) },
            block: [[0.0; BLOCK]; 2],
            peak: [0.0; 2],
            least_gain: 1.0,
            last_gain: 1.0,
        }
    }

    /// Rises once more, over so many frames.
    pub(super) fn soften(&mut self, frames: u64) {
        self.soft = Fade::over(0.0, 1.0, frames.max(1));
    }

    pub(super) fn set_ceiling(&mut self, ceiling: f32) {
        self.limiter.set_ceiling(ceiling);
    }

    /// Where the soft start is, before it is squared.
    pub(super) fn soft(&self) -> f32 {
        self.soft.gain()
    }

    /// Takes the root's sum of the block that begins at `frame`. `beat` is the metronome's last: its frame, and whether it begins a bar.
    pub(super) fn take(&mut self, root: &mut BusState, beat: Option<(u64, bool)>, frame: u64, rate: u32) {
        let [left, right] = &mut self.block;
        std::mem::swap(left, &mut root.left);
        std::mem::swap(right, &mut root.right);
        root.left.fill(0.0);
        root.right.fill(0.0);
        if !(self.soft.arrived() && self.soft.gain() == 1.0) {
            for (l, r) in left.iter_mut().zip(right.iter_mut()) {
                let gain = self.soft.next_gain();
                // Squared, it rises as evenly for the ear as for the hand.
                *l *= gain * gain;
                *r *= gain * gain;
            }
        }
        if let Some((began, strong)) = beat {
            metronome::add(frame, began, strong, rate, left, right);
        }
        self.last_gain = self.limiter.process(left, right);
        self.least_gain = self.least_gain.min(self.last_gain);
        for (channel, peak) in self.block.iter().zip(&mut self.peak) {
            *peak = peak.max(greatest(channel));
        }
    }
}
