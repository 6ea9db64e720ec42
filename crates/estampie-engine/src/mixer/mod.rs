//! Voices into buses, buses into the output.
//!
//! The mixer knows nothing of sounds, reactions or pieces. Whoever directs it starts voices ([`voices::Voices`]), writes into each
//! what its terms come to, and says what keeps snapshots up; the mixer does the rest ([`mixing::Mixing`]). What the sounds of a voice
//! send to returns it asks by [`mixing::Sends`].

mod audibility;
pub(crate) mod buses;
mod cell;
pub(crate) mod controls;
pub(crate) mod fading_filter;
pub(crate) mod head;
pub(crate) mod held;
pub(crate) mod mixing;
pub(crate) mod paging;
pub(crate) mod pan;
mod rendering;
pub(crate) mod slot;
pub(crate) mod source;
pub mod spec;
pub(crate) mod state;
pub(crate) mod swept;
pub(crate) mod values;
pub(crate) mod voice;
pub(crate) mod voices;

use crate::dsp::generators::Pool;
use crate::dsp::{Fade, Interpolator};
use crate::ground::index::{BusIndex, ByIndex};
use crate::music::Tone;
use crate::music::band::Band;
use voice::{Scratch, Voice};
use voices::Voices;

/// Buses beyond these never let their voices sleep.
const MOST_BUSES: usize = 1024;

/// What makes sound, whatever program is played.
pub(crate) struct Mixer {
    pub(crate) voices: Voices,
    /// The notes of layers.
    pub(crate) bands: Vec<Band>,
    pub(crate) tones: Vec<Tone>,
    /// Generators that wait to be used.
    pub(crate) generators: Pool,
    /// Level in dB from each bus to the output, worked out once a block.
    down: ByIndex<BusIndex, f32>,
    interpolator: &'static Interpolator,
    pub(crate) scratch: Box<Scratch>,
}

impl Mixer {
    /// Makes room for so many voices, bands and notes; generators are there.
    pub(crate) fn new(voices: usize, bands: usize, tones: usize, generators: Pool, rate: u32) -> Mixer {
        Mixer {
            voices: Voices::new(voices),
            bands: (0..bands).map(|_| Band::new()).collect(),
            tones: (0..tones).map(|_| Tone::new(rate)).collect(),
            generators,
            down: Vec::with_capacity(MOST_BUSES).into(),
            interpolator: Interpolator::shared(),
            scratch: Box::default(),
        }
    }

    /// Wakes the sleepers that are chosen, for the block that begins at `frame`, at full level: something else lets them rise.
    pub(crate) fn wake(&mut self, frame: u64, rate: u32, chosen: impl Fn(&Voice) -> bool) {
        let mut at = 0;
        while let Some(slot) = self.voices.asleep().get(at).copied() {
            let voice = &mut self.voices[slot];
            if !chosen(voice) || voice.ended {
                at += 1;
                continue;
            }
            voice.doze(frame, &mut self.scratch.paging);
            if voice.ended {
                at += 1;
                continue;
            }
            voice.wake(&mut self.scratch, rate);
            voice.gate = Fade::at(1.0);
            self.voices.wake(at);
        }
    }
}
