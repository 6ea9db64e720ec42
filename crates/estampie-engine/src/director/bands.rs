//! Layers of notes in the engine: bands begin, go on from round to round, and end.

use super::music::transposition;
use super::play::Begin;
use super::{Directing, sums};
use crate::dsp::{Envelope, Shaping};
use crate::ground::curve::Shape;
use crate::ground::index::PieceIndex;
use crate::ground::names::NameKey;
use crate::ground::property::Property;
use crate::ground::telemetry::{Notice, What};
use crate::ground::time::BLOCK;
use crate::ground::vocabulary::Step;
use crate::mixer::voice::{Cue, NOWHERE, Route, Voice};
use crate::music::PassBegins;
use crate::music::band::Manner;
use crate::music::spec::{Layer, Notes, Variation};

impl Directing<'_> {
    /// Begins the layers of notes of a pass: new bands, or the old ones that go round.
    pub(super) fn begin_notes(&mut self, index: PieceIndex, &PassBegins { number: pass, section, frame, line, rise, round, .. }: &PassBegins) {
        let program = self.program;
        let spec = &program.music.pieces[index].sections[section];
        if !round {
            self.take_harmony(index, section);
        }
        for layer in &spec.layers {
            let place = &program.music.layers[*layer as usize];
            let Some(notes) = place.notes.and_then(|n| program.music.notes.get(n as usize)) else { continue };
            let going = self.mixer.voices.active().iter().copied().find(|slot| {
                let voice = &self.mixer.voices[*slot];
                voice.cue.is_some_and(|c| c.layer == *layer) && voice.stays() && voice.band.is_some_and(|b| self.mixer.bands[usize::from(b)].goes_on())
            });
            let slot = match going.filter(|_| round) {
                Some(slot) => slot,
                None => match self.begin_band(place, notes, Begin { cue: Cue { piece: index, layer: *layer, pass }, skip: 0, rise }, frame) {
                    Some(slot) => slot,
                    None => continue,
                },
            };
            let voice = &mut self.mixer.voices[slot];
            voice.cue = Some(Cue { piece: index, layer: *layer, pass });
            let Some(band) = voice.band else { continue };
            let drawn = self.mixer.bands[usize::from(band)].draw(notes.patterns.len());
            let pattern = self.variation(notes).unwrap_or(drawn).min(notes.patterns.len().saturating_sub(1) as u16);
            let list = notes.patterns.get(usize::from(pattern)).map_or(&[][..], |p| p);
            // Notes of the pick-up lie before the first bar; asked for late, those that are past are left out.
            self.mixer.bands[usize::from(band)].follow((pass, line), spec, pattern, list, frame);
        }
    }

    fn variation(&self, notes: &Notes) -> Option<u16> {
        let program = self.program;
        match &notes.variation {
            Variation::Random => None,
            Variation::State(state, list) => Some(list[usize::from(self.state.states[*state])].unwrap_or(0)),
            Variation::Range(parameter, ranges) => {
                let value = self.state.smooth(program, *parameter, NOWHERE);
                Some(ranges.iter().position(|(low, high)| value >= *low && value <= *high).unwrap_or(0) as u16)
            }
        }
    }

    fn begin_band(&mut self, layer: &Layer, notes: &Notes, begin: Begin, frame: u64) -> Option<u16> {
        let program = self.program;
        let band = self.mixer.bands.iter().position(|b| !b.used)?;
        let (slot, id) = self.mixer.voices.reserve()?;
        self.mixer.bands[band].begin(notes.key, self.state.seed, begin.cue.pass);
        self.director.next_instance += 1;
        let mut voice = Voice::idle();
        let mut route = Route { depth: 1, ..Route::START };
        (route.path[0], route.instances[0]) = (layer.sound, self.director.next_instance);
        voice.id = id;
        voice.sound = program.sounds[layer.sound].key;
        voice.bus = super::bus_of(program, route.sounds());
        voice.route = route;
        voice.cue = Some(begin.cue);
        voice.band = Some(band as u8);
        voice.wait = frame.saturating_sub(self.frame);
        voice.started = self.frame + voice.wait;
        let plain = Shaping::plain(u64::from(program.rate) / 50);
        voice.envelope = Envelope::new(Shaping { attack: begin.rise.0, curve: begin.rise.1, ..plain });
        super::glide_sound(program, &mut *self.state, layer.sound, self.frame / BLOCK as u64);
        voice.level = sums(self.scene(), &voice)[Property::Level];
        if voice.wait < BLOCK as u64 {
            self.tell_start(&mut voice);
        }
        self.count_begun(&voice.route);
        self.mixer.voices.begin(slot, voice);
        Some(slot)
    }

    /// A note on what plays a layer: a band of its own that ends with it.
    pub(super) fn strike(&mut self, layer: NameKey, (pitch, velocity): (u8, u8), frames: u64, frame: u64) {
        let program = self.program;
        let found = program.music.layers.iter().position(|l| program.sounds[l.sound].key == layer);
        let place = found.map(|at| (at, &program.music.layers[at]));
        let notes = place.and_then(|(_, place)| program.music.notes.get(place.notes? as usize));
        let (Some((at, place)), Some(notes)) = (place, notes) else { return self.outlets.tell(frame, What::Notice(Notice::UnknownMusic(layer))) };
        let Some(instrument) = program.music.instruments.get(notes.instrument as usize) else { return };
        if frames == 0 {
            return self.let_go_of(at as u32, pitch);
        }
        // No pass has this number: nothing that happens to the piece is for it.
        let begin = Begin { cue: Cue { piece: place.piece, layer: at as u32, pass: u64::MAX }, skip: 0, rise: (0, Shape::Straight) };
        let Some(band) = self.begin_band(place, notes, begin, frame).and_then(|slot| self.mixer.voices[slot].band) else { return };
        self.mixer.bands[usize::from(band)].strike(
            &mut self.mixer.tones,
            instrument,
            (pitch, velocity),
            (frame.saturating_sub(self.frame), frames),
            program.rate,
        );
    }

    /// Lets go of struck notes of a layer.
    fn let_go_of(&mut self, layer: u32, pitch: u8) {
        for at in 0..self.mixer.voices.active().len() {
            let voice = &self.mixer.voices[self.mixer.voices.active()[at]];
            if let (Some(band), Some(cue)) = (voice.band, voice.cue)
                && (cue.layer, cue.pass) == (layer, u64::MAX)
            {
                self.mixer.bands[usize::from(band)].let_go(&mut self.mixer.tones, pitch);
            }
        }
    }

    /// Lets all bands make their block.
    pub(crate) fn play_bands(&mut self) {
        let program = self.program;
        for at in 0..self.mixer.voices.active().len() {
            let slot = self.mixer.voices.active()[at];
            let voice = &self.mixer.voices[slot];
            let (Some(band), Some(cue)) = (voice.band, voice.cue) else { continue };
            let Some(layer) = program.music.layers.get(cue.layer as usize) else { continue };
            let piece = &program.music.pieces[layer.piece];
            let now = &self.state.pieces[layer.piece];
            let glides = piece.step == Step::Gliding;
            let notes = layer.notes.and_then(|n| program.music.notes.get(n as usize));
            let density = notes.map_or(1.0, |n| {
                let asked = program.sounds[layer.sound].asked.iter().filter(|m| program.modulations[**m as usize].property == Property::Density);
                let moved: f32 = asked.map(|m| self.state.modulation(program, *m as usize, NOWHERE)).product();
                (n.density * moved).clamp(0.0, 1.0)
            });
            let moved = if glides { transposition(self.program, self.state, layer.piece) } else { now.moved };
            let section = &piece.sections[layer.section];
            let line = if glides { Some(self.line_of(section)) } else { Some(now.line).filter(|(of, _)| *of == layer.section).map(|(_, line)| line) };
            let manner = Manner { density, moved, mode: piece.mode.filter(|_| piece.in_mode), glides: glides && !piece.in_mode, line };
            let band = &mut self.mixer.bands[usize::from(band)];
            if let Some(pass) = now.sequencer.pass() {
                band.bend(pass.number, pass.line);
            }
            let instrument = notes.and_then(|n| program.music.instruments.get(n.instrument as usize));
            let retired = &mut self.outlets;
            band.render(&mut self.mixer.tones, (notes, section, instrument), manner, (self.frame, program.rate), |clip| retired.retire(clip));
            let layer = program.sounds[layer.sound].key;
            for (wait, pitch, velocity, length) in band.begun() {
                self.outlets.tell(self.frame + wait, What::Note { layer, pitch: *pitch, velocity: *velocity, length: *length });
            }
            if band.done(self.frame) {
                self.mixer.voices[slot].ended = true;
            }
        }
        // A band whose voice has ended before its notes is given back once they are silent.
        for (index, band) in self.mixer.bands.iter_mut().enumerate().filter(|(_, b)| b.used) {
            let held = self.mixer.voices.sounding().any(|voice| voice.band == Some(index as u8));
            if !held {
                band.leave(0);
                band.hush(&mut self.mixer.tones);
                let outlets = &mut self.outlets;
                band.drain(&mut self.mixer.tones, program.rate, |clip| outlets.retire(clip));
                band.used = !band.done(0);
            }
        }
    }

    /// After an edit: bands find their place in new notes.
    pub(crate) fn find_bands(&mut self) {
        let program = self.program;
        for voice in self.mixer.voices.sounding() {
            let (Some(band), Some(cue)) = (voice.band, voice.cue) else { continue };
            let Some(layer) = program.music.layers.get(cue.layer as usize) else { continue };
            let section = &program.music.pieces[layer.piece].sections[layer.section];
            if let Some(notes) = layer.notes.and_then(|n| program.music.notes.get(n as usize)) {
                self.mixer.bands[usize::from(band)].find_place(notes, section, self.frame);
            }
        }
    }
}
