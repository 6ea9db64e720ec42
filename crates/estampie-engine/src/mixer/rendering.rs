//! One block of the mix: voices into their buses, sleepers looked after, buses into the output.

use super::Mixer;
use super::buses::send_gain;
use super::mixing::{Mixing, Sends};
use super::pan::Ramps;
use super::state::{BusState, MixState};
use super::voice::{Leaving, MOST_SENT, NOWHERE, Voice};
use crate::ground::time::BLOCK;
use crate::ground::units::Decibels;
use crate::music::band::Band;
use crate::world::spec::MOST_ROOMS;

/// A voice whose level all the way to the output is below this sleeps, in dB.
const SLEEP: f32 = -84.0;
/// A sleeping voice wakes at this level.
const WAKE: f32 = -81.0;
/// A sleeping voice is looked after every so many blocks (21 ms at 48 kHz).
const NAP: u64 = 16;

impl Mixing<'_> {
    /// Renders the voices that sound into their buses; what can no longer be heard falls asleep.
    pub(crate) fn render_voices(&mut self, sends: &impl Sends) {
        let Mixing { rate, frame, state, mixer, .. } = self;
        let Mixer { voices, bands, down, interpolator, scratch, .. } = &mut **mixer;
        voices.keep_sounding(|voice| {
            let below = super::audibility::level_below(state, down, voice, sends);
            let quiet = below < SLEEP
                && voice.band.is_none()
                && voice.told
                && voice.leaving == Leaving::No
                && (voice.gain.is_nan() || voice.gain < 1e-4 || below == f32::NEG_INFINITY && voice.gate.gain() == 0.0);
            if quiet && !voice.ended {
                voice.sleep(*frame, scratch, *rate);
                return false;
            }
            let bus = &mut state.buses[voice.bus];
            let target = Decibels(voice.level).gain() * bus.direct.gain() * voice.moved.next_gain();
            bus.fed = true;
            if voice.ended {
                return true;
            }
            let band = voice.band.and_then(|b| bands.get(usize::from(b))).map(Band::out);
            let Some(ramps) = voice.render(interpolator, *rate, scratch, (band, target)) else { return true };
            ramps.add(&scratch.out, (1.0, 1.0), &mut bus.left, &mut bus.right);
            let rooms = voice.placement.is_some() && !sends.rooms().0.is_empty();
            if (voice.sends || rooms) && voice.frozen.is_none() {
                send_voice(state, voice, sends, rooms, (&ramps, &scratch.out));
            }
            true
        });
        for bus in self.state.buses.iter_mut().filter(|b| !b.direct.arrived()) {
            for _ in 0..BLOCK {
                bus.direct.next_gain();
            }
        }
    }

    /// The place in the list of sleepers of the first that is looked after in this block.
    pub(crate) fn first_sleeper(frame: u64) -> usize {
        ((frame / BLOCK as u64) % NAP) as usize
    }

    /// Looks after the sleeper at a place of their list: goes on to the end of this block, and wakes it if it is heard again. Gives the place
    /// of the next one, and whether this one has ended.
    pub(crate) fn look_after(&mut self, at: usize, sends: &impl Sends) -> (usize, bool) {
        let Some(slot) = self.mixer.voices.asleep().get(at).copied() else { return (at + NAP as usize, false) };
        let room = self.mixer.voices.active().len() < self.limit;
        let voice = &mut self.mixer.voices[slot];
        if !voice.ended {
            voice.doze(self.frame + BLOCK as u64, &mut self.mixer.scratch.paging);
        }
        if voice.ended {
            return (at + NAP as usize, true);
        }
        if room && super::audibility::level_below(self.state, &self.mixer.down, voice, sends) > WAKE {
            voice.wake(&mut self.mixer.scratch, self.rate);
            self.mixer.voices.wake(at);
            return (at, false);
        }
        (at + NAP as usize, false)
    }

    /// Gives the slots of voices that have ended back.
    pub(crate) fn release(&mut self, sleepers: bool) {
        let Mixer { voices, generators, .. } = &mut *self.mixer;
        voices.release(sleepers, generators, self.outlets, self.frame + BLOCK as u64);
    }
}

/// Adds what a voice gives to the returns that its sounds and its rooms send to.
fn send_voice(state: &mut MixState, voice: &mut Voice, sends: &impl Sends, rooms: bool, (ramps, out): (&Ramps, &[[f32; BLOCK]; 2])) {
    let MixState { buses, cells, .. } = state;
    let add = |to: &mut BusState, before: f32, gain: f32| {
        ramps.add(out, (before, gain), &mut to.left, &mut to.right);
        to.fed = true;
    };
    let mut sent: [f32; MOST_SENT] = voice.sent;
    let mut place = 0;
    sends.each(voice, |to, cell, farther| {
        let gain = send_gain(cells[cell].now + farther);
        let before = sent.get_mut(place).map_or(gain, |sent| std::mem::replace(sent, gain));
        let before = if before.is_nan() { gain } else { before };
        place += 1;
        if before > 0.0 || gain > 0.0 {
            add(&mut buses[to], before, gain);
        }
    });
    voice.sent = sent;
    if !rooms {
        return;
    }
    let own = if voice.place == NOWHERE { [0.0; MOST_ROOMS] } else { sends.own_rooms(voice.place) };
    let (to, gains) = sends.rooms();
    for (at, bus) in to.iter().enumerate() {
        let gain = gains[at] + own[at];
        let before = std::mem::replace(&mut voice.roomed[at], gain);
        let before = if before.is_nan() { gain } else { before };
        if before > 1e-5 || gain > 1e-5 {
            add(&mut buses[*bus], before, gain);
        }
    }
}
