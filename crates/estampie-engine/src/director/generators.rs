//! The controls of what voices play that is made by generators: what all voices of one have in common comes from the mix, the rest is worked out here.

use super::{Directing, Scene};
use crate::ground::ledger::{Term, TermKind};
use crate::ground::names::NameKey;
use crate::ground::property::Property;
use crate::mixer::controls::Adding;
use crate::mixer::source::Playing;
use crate::mixer::spec::Made;
use crate::mixer::swept::Swept;
use crate::mixer::values::MixScene;
use crate::mixer::voice::Voice;

/// What the controls of a voice are worked out from.
fn adding<'a>(scene: Scene<'a>, voice: &'a Voice) -> Adding<'a, impl Fn(u32) -> f32 + use<'a>, impl Fn(u32) -> NameKey + use<'a>> {
    let Scene { program, state, mix, frame, .. } = scene;
    let place = voice.place;
    let asked: f32 = voice.sounds().iter().map(|s| state.asked(program, *s, Property::Sweep, place)).sum();
    Adding {
        mixed: MixScene { mix: &program.mix, state: mix, modulations: &state.modulations },
        frame,
        sweep: (1.0 + asked).clamp(0.0, 2.0),
        local: move |modulation| state.modulation(program, modulation as usize, place),
        name_of: |modulation: u32| program.parameters[program.modulations[modulation as usize].parameter].key,
    }
}

/// What the controls of a voice's generator are made of, as far as anything but what is set has a part in them.
pub(crate) fn control_terms(scene: Scene<'_>, voice: &Voice, sink: &mut impl FnMut(Term)) {
    let Some((playing, of)) = voice.source.playing().and_then(|p| Some((p, p.of?))) else { return };
    if voice.frozen.is_some() {
        return;
    }
    let adding = adding(scene, voice);
    for (at, property) in scene.program.mix.generators[of as usize].controls.iter().enumerate() {
        if adding.moved(of as usize, playing, at as u8) {
            adding.terms(of as usize, playing, at as u8, |kind: TermKind, of, value| sink(Term { property: *property, kind, of, value }));
        }
    }
}

impl Directing<'_> {
    /// Begins what a generator makes for a voice that stands at its place.
    pub(super) fn begin_generator(&mut self, voice: &mut Voice, made: &Made, mut playing: Playing) {
        let seed = voice.source.seed();
        let mix = &self.program.mix;
        playing.of = mix.generator(made.key, made.kind).map(|of| of as u32);
        if let Some(of) = playing.of {
            for (control, draw) in &mix.generators[of as usize].vary {
                playing.drawn[usize::from(*control)] = voice.source.draw(*draw);
            }
            playing.values = adding(self.scene(), voice).values(of as usize, &playing);
        }
        voice.source.begin(made, playing, self.program.rate, seed);
    }

    /// Works out where the controls of a voice are to be at the end of this block.
    pub(super) fn move_controls(&mut self, slot: u16) {
        let voice = &self.mixer.voices[slot];
        let Some((playing, of)) = voice.source.playing().and_then(|p| Some((p, p.of?))) else { return };
        if voice.frozen.is_some() {
            return;
        }
        let values = adding(self.scene(), voice).values(of as usize, playing);
        if let Some(playing) = self.mixer.voices[slot].source.playing_mut() {
            playing.values = values;
        }
    }
}

/// Lets a control of a voice go so much further; false if what it plays has none of the kind, or too many are on their way.
pub(crate) fn sweep_control(program: &crate::program::Program, voice: &mut Voice, property: Property, make: impl Fn(f32) -> Swept, frame: u64) -> bool {
    let Some(playing) = voice.source.playing_mut() else { return false };
    let Some(of) = playing.of else { return false };
    let Some(control) = program.mix.generators[of as usize].controls.iter().position(|c| *c == property) else { return false };
    let control = control as u8;
    let place = playing.swept.iter().position(|s| s.is_some_and(|(c, _)| c == control)).or_else(|| playing.swept.iter().position(Option::is_none));
    let Some(place) = place else { return false };
    let from = playing.swept[place].map_or(0.0, |(_, s)| s.at(frame));
    playing.swept[place] = Some((control, make(from)));
    true
}
