//! A voice: one recipe being played, from its samples to its bus.
//!
//! The source is a stream without seams: parts follow each other and rounds close inside [`Source::read`], so the
//! interpolator never sees a border. What it needs from before is kept as history.

use crate::dsp::{Fade, Interpolator, LEAD, LowPass, LowPassCoefficients, ONE, TAPS};
use crate::engine::{BLOCK, Cause};
use crate::names::NameKey;
use crate::program::{MOST_NESTED, Part, Recipe};
use std::sync::Arc;

/// The most source samples that one block can need: 16 times the block, and the history.
pub(crate) const WINDOW: usize = BLOCK * 16 + TAPS + 8;

/// Scratch memory shared by all voices.
pub(crate) struct Scratch {
    pub(crate) window: [[f32; WINDOW]; 2],
    pub(crate) out: [[f32; BLOCK]; 2],
    pub(crate) dry: [f32; BLOCK],
}

impl Default for Scratch {
    fn default() -> Self {
        Scratch { window: [[0.0; WINDOW]; 2], out: [[0.0; BLOCK]; 2], dry: [0.0; BLOCK] }
    }
}

/// Where a voice is in its recipe.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Source {
    part: usize,
    at: usize,
    /// Rounds are completed and not begun again.
    pub(crate) finishing: bool,
    ended: bool,
}

impl Source {
    /// Reads the next samples of all channels; silence after the end. Returns how many were silence.
    fn read(&mut self, recipe: &Recipe, out: &mut [[f32; WINDOW]; 2], from: usize, count: usize) -> usize {
        let mut done = 0;
        while done < count {
            let Some(part) = recipe.parts.get(self.part).filter(|_| !self.ended) else { break };
            let taken = self.read_part(part, recipe.stereo, out, from + done, count - done);
            if taken == 0 {
                self.next_part(recipe);
            }
            done += taken;
        }
        for channel in out.iter_mut() {
            channel[from + done..from + count].fill(0.0);
        }
        count - done
    }

    fn read_part(&mut self, part: &Part, stereo: bool, out: &mut [[f32; WINDOW]; 2], from: usize, count: usize) -> usize {
        let frames = part.clip.frames();
        if let Some((start, end)) = part.round
            && self.at >= end
            && !self.finishing
        {
            self.at = start;
        }
        // A round that is being finished goes on to the end of the file: what follows the loop is its tail.
        let until = part.round.filter(|_| !self.finishing).map_or(frames, |(_, end)| end);
        let taken = count.min(until.saturating_sub(self.at));
        let range = self.at..self.at + taken;
        let first = &part.clip.channels[0];
        out[0][from..from + taken].copy_from_slice(&first[range.clone()]);
        if stereo {
            let second = part.clip.channels.get(1).unwrap_or(first);
            out[1][from..from + taken].copy_from_slice(&second[range]);
        }
        self.at += taken;
        taken
    }

    fn next_part(&mut self, recipe: &Recipe) {
        self.part += 1;
        self.at = 0;
        self.ended = self.part >= recipe.parts.len();
    }
}

/// Why a voice is on its way out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Leaving {
    No,
    For(Cause),
}

/// What a voice keeps of a sound that is no longer in the project.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Frozen {
    pub(crate) level: f32,
    pub(crate) pitch: f32,
    pub(crate) low_pass: f32,
}

/// One recipe being played.
#[derive(Debug)]
pub(crate) struct Voice {
    pub(crate) id: u64,
    /// The sounds from the one asked for to the one whose take this is.
    pub(crate) path: [u32; MOST_NESTED],
    pub(crate) depth: usize,
    pub(crate) vary_level: [f32; MOST_NESTED],
    pub(crate) vary_pitch: [f32; MOST_NESTED],
    pub(crate) sound: NameKey,
    pub(crate) emitter: NameKey,
    pub(crate) bus: u32,
    pub(crate) recipe: Option<Arc<Recipe>>,
    pub(crate) source: Source,
    pub(crate) started: u64,
    /// Frames into the present block at which it starts; 0 once it sounds.
    pub(crate) offset: usize,
    pub(crate) fade: Fade,
    /// A fade to silence that is yet to begin: so many frames into the present block, over so many frames.
    let_go: Option<(usize, u64)>,
    pub(crate) leaving: Leaving,
    pub(crate) frozen: Option<Frozen>,
    /// Level of this block's terms in dB, and its gain; the gain of the block before.
    pub(crate) level: f32,
    pub(crate) gain: f32,
    pub(crate) pitch: f32,
    pub(crate) advance: u64,
    pub(crate) octaves: f32,
    coefficients: Option<LowPassCoefficients>,
    /// The cutoff that `coefficients` were made for.
    made_for: f32,
    filters: [LowPass; 2],
    history: [[f32; TAPS]; 2],
    fraction: u64,
    primed: bool,
    silence: usize,
    pub(crate) ended: bool,
    /// Mean power of the audio before and after the low-pass, followed over about 100 ms.
    pub(crate) power: f32,
    pub(crate) filtered: f32,
}

impl Voice {
    pub(crate) fn idle() -> Voice {
        Voice {
            id: 0,
            path: [0; MOST_NESTED],
            depth: 0,
            vary_level: [0.0; MOST_NESTED],
            vary_pitch: [0.0; MOST_NESTED],
            sound: NameKey::NONE,
            emitter: NameKey::NONE,
            bus: 0,
            recipe: None,
            source: Source::default(),
            started: 0,
            offset: 0,
            fade: Fade::at(1.0),
            let_go: None,
            leaving: Leaving::No,
            frozen: None,
            level: 0.0,
            gain: f32::NAN,
            pitch: 0.0,
            advance: ONE,
            octaves: 0.0,
            coefficients: None,
            made_for: 0.0,
            filters: [LowPass::default(); 2],
            history: [[0.0; TAPS]; 2],
            fraction: 0,
            primed: false,
            silence: 0,
            ended: false,
            power: 0.0,
            filtered: 0.0,
        }
    }

    /// The sounds of its path.
    pub(crate) fn sounds(&self) -> &[u32] {
        &self.path[..self.depth]
    }

    pub(crate) fn take(&self) -> NameKey {
        self.recipe.as_ref().map_or(NameKey::NONE, |r| r.name)
    }

    /// Lets it fade out from `offset` frames into the present block on; a fade under way is only made shorter.
    pub(crate) fn leave(&mut self, cause: Cause, offset: usize, frames: u64) {
        let ends_later = self.let_go.map_or(self.fade.left(), |(_, frames)| frames);
        if self.leaving == Leaving::No || frames < ends_later {
            self.let_go = Some((offset.max(self.offset), frames));
        }
        if self.leaving == Leaving::No {
            self.leaving = Leaving::For(cause);
        }
    }

    /// Renders this block and adds it to `left` and `right`.
    ///
    /// `target` is the gain at the block's end; the way to it is a straight line.
    pub(crate) fn render(
        &mut self,
        interpolator: &Interpolator,
        rate: u32,
        scratch: &mut Scratch,
        target: f32,
        left: &mut [f32; BLOCK],
        right: &mut [f32; BLOCK],
    ) {
        let Some(recipe) = self.recipe.as_ref() else {
            self.ended = true;
            return;
        };
        let channels = if recipe.stereo { 2 } else { 1 };
        let offset = self.offset;
        let count = BLOCK - offset;
        if !self.primed {
            self.silence = self.source.read(recipe, &mut scratch.window, LEAD, TAPS - LEAD);
            for (history, window) in self.history.iter_mut().zip(&scratch.window) {
                history[LEAD..].copy_from_slice(&window[LEAD..TAPS]);
            }
            self.primed = true;
            self.coefficients = self.wanted(rate);
            self.made_for = self.octaves;
        }
        let whole = ((self.fraction + self.advance * count as u64) >> 32) as usize;
        for (window, history) in scratch.window.iter_mut().zip(&self.history).take(channels) {
            window[..TAPS].copy_from_slice(history);
        }
        let silent = self.source.read(recipe, &mut scratch.window, TAPS, whole);
        self.silence = if silent > 0 { self.silence + silent } else { self.silence.min(TAPS) };
        let mut position = self.fraction;
        for channel in 0..channels {
            position = interpolator.fill(&scratch.window[channel][..whole + TAPS], self.fraction, self.advance, &mut scratch.out[channel][..count]);
            self.history[channel].copy_from_slice(&scratch.window[channel][whole..whole + TAPS]);
        }
        self.fraction = position & (ONE - 1);
        let power = scratch.out[..channels].iter().map(|c| mean_square(&c[..count])).sum::<f32>() / channels as f32;
        self.power += (power - self.power) * follow(self.power);
        let filtered = if self.filter(rate, scratch, channels, count) {
            scratch.out[..channels].iter().map(|c| mean_square(&c[..count])).sum::<f32>() / channels as f32
        } else {
            power
        };
        self.filtered += (filtered - self.filtered) * follow(self.filtered);
        let start = if self.gain.is_nan() { target } else { self.gain };
        let second = channels - 1;
        if self.fade.arrived() && start == target && self.let_go.is_none() {
            let gain = target * self.fade.gain();
            for (i, (l, r)) in left[offset..].iter_mut().zip(&mut right[offset..]).enumerate() {
                *l += scratch.out[0][i] * gain;
                *r += scratch.out[second][i] * gain;
            }
        } else {
            let slope = (target - start) / count as f32;
            for i in 0..count {
                if let Some((at, frames)) = self.let_go
                    && offset + i >= at
                {
                    self.fade = self.fade.towards(0.0, frames);
                    self.let_go = None;
                }
                let gain = (start + slope * (i + 1) as f32) * self.fade.next_gain();
                left[offset + i] += scratch.out[0][i] * gain;
                right[offset + i] += scratch.out[second][i] * gain;
            }
        }
        self.gain = target;
        self.offset = 0;
        let gone = self.leaving != Leaving::No && self.fade.arrived();
        // The filter's tail rings on after the source; 40 ms are enough for the lowest cutoff that is heard.
        let ringing = if self.coefficients.is_some() { rate as usize / 25 } else { 0 };
        self.ended = gone || self.silence > TAPS + ringing;
    }

    /// The low-pass for the present cutoff; none if it is open.
    fn wanted(&self, rate: u32) -> Option<LowPassCoefficients> {
        (self.octaves < 0.0).then(|| LowPassCoefficients::new(crate::units::Octaves(self.octaves).from_open(), rate))
    }

    /// Applies the low-pass if it filters. Going over between filtering and not is a cross-fade of one block.
    fn filter(&mut self, rate: u32, scratch: &mut Scratch, channels: usize, count: usize) -> bool {
        let wanted = if self.octaves == self.made_for && self.coefficients.is_some() { self.coefficients } else { self.wanted(rate) };
        self.made_for = self.octaves;
        let (from, to, crossing) = match (self.coefficients, wanted) {
            (None, None) => return false,
            (Some(from), Some(to)) => (from, to, 0.0),
            (None, Some(to)) => (to, to, 1.0),
            (Some(from), None) => (from, from, -1.0),
        };
        for channel in 0..channels {
            let out = &mut scratch.out[channel][..count];
            if crossing != 0.0 {
                scratch.dry[..count].copy_from_slice(out);
            }
            self.filters[channel].process(out, from, to);
            if !self.filters[channel].heal() {
                out.fill(0.0);
            }
            if crossing != 0.0 {
                for (i, (wet, dry)) in out.iter_mut().zip(&scratch.dry).enumerate() {
                    let t = (i + 1) as f32 / count as f32;
                    let share = if crossing > 0.0 { t } else { 1.0 - t };
                    *wet = *dry + (*wet - *dry) * share;
                }
            }
        }
        if wanted.is_none() {
            self.filters = [LowPass::default(); 2];
        }
        self.coefficients = wanted;
        true
    }
}

/// How quickly measured power is followed: at once at first, then over about 100 ms.
fn follow(before: f32) -> f32 {
    if before == 0.0 { 1.0 } else { 0.03 }
}

pub(crate) fn mean_square(samples: &[f32]) -> f32 {
    let mut lanes = [0.0f32; 8];
    let chunks = samples.chunks_exact(8);
    let rest: f32 = chunks.remainder().iter().map(|s| s * s).sum();
    for chunk in chunks {
        for i in 0..8 {
            lanes[i] += chunk[i] * chunk[i];
        }
    }
    (lanes.iter().sum::<f32>() + rest) / samples.len().max(1) as f32
}
