//! What the director hands down to voices in each block: what their terms come to, where they are heard, whether the rehearsal lets them.

use super::{Directing, Scene, glide_sound, placement_of, start_of, sums};
use crate::dsp::Fade;
use crate::ground::telemetry::Cause;
use crate::ground::time::BLOCK;
use crate::mixer::voice::{NOWHERE, Voice};

impl Directing<'_> {
    /// What terms are worked out from.
    pub(crate) fn scene(&self) -> Scene<'_> {
        Scene { program: self.program, state: self.state, mix: self.mix, world: self.world, frame: self.frame }
    }

    /// Notes whether any sound is soloed or muted, so that no block has to ask all of them.
    pub(super) fn look_at_gates(&mut self) {
        let (sounds, rehearsed) = (&self.state.sounds, &mut self.director.rehearsed);
        rehearsed.solo = sounds.iter().any(|s| s.soloed);
        rehearsed.gates = rehearsed.solo || !rehearsed.only_emitter.is_none() || sounds.iter().any(|s| s.muted);
    }

    /// Whether the rehearsal lets a voice be heard.
    fn heard(&self, voice: &Voice) -> bool {
        let (sounds, rehearsed) = (&self.state.sounds, &self.director.rehearsed);
        let of = |mark: fn(&super::memory::SoundState) -> bool| voice.frozen.is_none() && voice.sounds().iter().any(|s| mark(&sounds[*s]));
        let only = rehearsed.only_emitter;
        let chosen = only.is_none() || voice.emitter == only || self.world.emitters.get(usize::from(voice.place)).is_some_and(|e| e.kind == only);
        chosen && !of(|s| s.muted) && (!rehearsed.solo || of(|s| s.soloed))
    }

    /// Works out all voices that sound.
    pub(crate) fn work_out_voices(&mut self) {
        let gates = self.director.rehearsed.gates;
        for at in 0..self.mixer.voices.active().len() {
            let slot = self.mixer.voices.active()[at];
            self.work_out(slot);
            self.steer_gate(slot, gates);
        }
    }

    /// Works out a voice that sleeps.
    pub(crate) fn work_out_sleeper(&mut self, slot: u16) {
        self.work_out(slot);
        // Its gate is where it belongs at once: nobody hears it move.
        let heard = !self.director.rehearsed.gates || self.heard(&self.mixer.voices[slot]);
        self.mixer.voices[slot].gate = Fade::at(if heard { 1.0 } else { 0.0 });
    }

    /// Tells of those that have begun in this block.
    pub(crate) fn tell_starts(&mut self) {
        for at in 0..self.mixer.voices.active().len() {
            let slot = self.mixer.voices.active()[at];
            let voice = &mut self.mixer.voices[slot];
            if !voice.told && voice.started < self.frame + BLOCK as u64 && voice.frozen.is_none() {
                voice.told = true;
                let what = start_of(self.program, self.world, voice);
                self.outlets.tell(voice.started, what);
            }
        }
    }

    /// What plays at an emitter that the world did not know is placed once it does.
    pub(super) fn place_voices(&mut self) {
        let world = &self.world;
        self.mixer.voices.each(|voice| {
            if voice.place == NOWHERE {
                voice.place = world.find(voice.emitter).map_or(NOWHERE, |at| at as u16);
            }
        });
    }

    /// Works out how an emitter is heard in this block.
    pub(super) fn hear(&mut self, place: u16) {
        if place != NOWHERE {
            let places = &self.state.places;
            self.world.hear(&self.program.world, (&places.open, &places.near), place, self.frame, self.program.rate);
        }
    }

    /// Works out what the terms of a voice come to.
    fn work_out(&mut self, slot: u16) {
        let block = self.frame / BLOCK as u64;
        let voice = &self.mixer.voices[slot];
        if voice.frozen.is_none() {
            for sound in voice.sounds() {
                glide_sound(self.program, self.state, *sound, block);
            }
        }
        let place = voice.place;
        self.hear(place);
        let voice = &self.mixer.voices[slot];
        let totals = sums(self.scene(), voice);
        let placement = placement_of(self.program, self.world, voice);
        let gone = voice.frozen.is_some() || self.world.distance_at(place).is_none();
        self.move_controls(slot);
        let voice = &mut self.mixer.voices[slot];
        // One whose emitter or sound has gone stays where it was while it fades.
        voice.placement = placement.or(voice.placement.filter(|_| gone));
        voice.with_head = self.director.rehearsed.head.unwrap_or(self.program.world.head);
        voice.swell = voice.cue.and_then(|c| self.state.layers.get(c.layer as usize)).map(|l| (l.swell, self.frame));
        voice.take_sums(&totals);
        if let Some(on) = voice.let_go_on.filter(|on| *on < self.frame + BLOCK as u64) {
            let release = voice.envelope.release_frames();
            voice.leave(Cause::Stopped, on.saturating_sub(self.frame), release);
            voice.let_go_on = None;
        }
    }

    /// Opens or closes the gate that solo and mute of sounds move, over 10 ms.
    fn steer_gate(&mut self, slot: u16, gates: bool) {
        let voice = &self.mixer.voices[slot];
        if !gates && voice.gate.target() == 1.0 {
            return;
        }
        let target = if self.heard(voice) { 1.0 } else { 0.0 };
        if voice.gate.target() != target {
            let gate = voice.gate.towards(target, u64::from(self.program.rate) / 100);
            self.mixer.voices[slot].gate = gate;
        }
    }
}
