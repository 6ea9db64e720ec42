//! A sound by itself: played again and again without its mix, for whoever wants recordings of what is made in the project.

use estampie_engine::engine::{Capacity, Engine, Input, InputKind, Options, Prepared};
use estampie_engine::names::NameKey;
use estampie_engine::program::Program;
use estampie_engine::units::{Decibels, OPEN_HIGH_PASS, OPEN_LOW_PASS, Pan, Seconds};
use estampie_project::document::{Document, Sources};
use std::collections::BTreeSet;
use std::sync::Arc;

/// What is quieter than this at the end of a playing is left out: −100 dB.
const SILENCE: f32 = 1e-5;
/// What goes on for ever is let go, and has this long to fade after its own release began, in seconds.
const LONGEST_RELEASE: f64 = 30.0;

/// A document whose buses do nothing, whose sounds send nothing, and in which nothing sounds by itself: no world, and nothing that reacts. What is left
/// is what the sounds themselves are.
#[must_use]
pub fn without_mix_and_world(document: &Document) -> Document {
    let mut plain = document.clone();
    for bus in &mut plain.buses {
        (bus.level, bus.pan) = (Decibels(0.0), Pan(0.0));
        (bus.low_pass, bus.high_pass) = (OPEN_LOW_PASS, OPEN_HIGH_PASS);
        bus.effects.clear();
        bus.sends.clear();
    }
    plain.ducks.clear();
    plain.snapshots.iter_mut().for_each(|snapshot| snapshot.during.clear());
    let (nothing, _) = Document::read(&Sources::from_texts([("estampie.toml", "format = 1\n")]), &BTreeSet::new());
    plain.world = nothing.world;
    plain.reactions.clear();
    plain.checks.clear();
    plain
}

/// The name of the one sound of [`made`]: none of a project can be called so.
pub const MADE: &str = "made alone";

/// A document of one sound, [`MADE`], that plays a generator of another document and nothing else; parameters and what they move of the generator stay.
#[must_use]
pub fn made(document: &Document, generator: &str) -> Document {
    let text = format!("[x]\ntakes = [\"generator {generator}\"]\n");
    let (mut alone, _) = Document::read(&Sources::from_texts([("sounds/x.toml", text.as_str())]), &BTreeSet::new());
    if let Some(sound) = alone.sounds.first_mut() {
        MADE.clone_into(&mut Arc::make_mut(sound).name);
    }
    alone.manifest.clone_from(&document.manifest);
    alone.parameters.clone_from(&document.parameters);
    alone.states.clone_from(&document.states);
    alone.shared.clone_from(&document.shared);
    alone.music.instruments.clone_from(&document.music.instruments);
    let whole = format!("generator {generator} ");
    alone.modulations = document.modulations.iter().filter(|m| m.target.value.starts_with(&whole)).cloned().collect();
    alone
}

/// Plays a sound once from a seed, with parameters as they are given: samples of two interleaved channels up to where it has ended. What goes on for
/// longer than `longest` is let go then.
#[must_use]
pub fn play(program: &Arc<Program>, sound: NameKey, parameters: &[(NameKey, f32)], seed: u64, longest: Seconds) -> Vec<f32> {
    let rate = program.rate;
    let longest = longest.frames(rate);
    let set = parameters.iter().map(|(parameter, value)| InputKind::Parameter { parameter: *parameter, value: *value, emitter: NameKey::NONE });
    let mut schedule: Vec<Input> = set.map(|what| Input { frame: 0, what }).collect();
    // A moment later: parameters have arrived where they are.
    let begins = u64::from(rate);
    schedule.push(Input { frame: begins, what: InputKind::Play { sound, emitter: NameKey::NONE } });
    schedule.push(Input { frame: begins + longest, what: InputKind::Stop { sound } });
    let capacity = Capacity { voices: 64, bands: 4, notes: 16, generators: 32, emitters: 16, ..Capacity::default() };
    let options = Options { soft_start: Seconds(0.0), schedule: schedule.into(), capacity, ..Options::default() };
    let (mut engine, mut remote) = Engine::new(Prepared::new(Arc::clone(program), seed), options);
    let mut unheard = vec![0.0; 2 * begins as usize];
    engine.render(&mut unheard);
    let mut samples = Vec::new();
    let most = longest + Seconds(LONGEST_RELEASE).frames(rate);
    let mut part = vec![0.0; 2 * (rate as usize / 20)];
    while (samples.len() as u64) < 2 * most {
        engine.render(&mut part);
        samples.extend_from_slice(&part);
        while remote.happening().is_some() {}
        let Some(status) = remote.status() else { continue };
        let over = status.voices.is_empty() && status.playing_repeats == 0;
        remote.give_back(status);
        if over && samples.len() > 2 * part.len() {
            break;
        }
    }
    let frames = samples.chunks_exact(2).rposition(|frame| frame.iter().any(|s| s.abs() > SILENCE)).map_or(0, |last| last + 1);
    samples.truncate(2 * frames);
    samples
}

#[cfg(test)]
mod tests {
    use super::*;
    use estampie_project::assets::Assets;
    use estampie_project::compile::compile;

    #[test]
    fn a_sound_alone_is_heard_without_what_sounds_by_itself() {
        let sources = Sources::from_texts([
            ("estampie.toml", "format = 1\n"),
            ("sounds/a.toml", "[a]\ntakes = [\"generator tone\"]\nlevel = \"-6 dB\"\n[hum]\ntakes = [\"generator noise\"]\n"),
            ("shared.toml", "[generator.tone]\nends-after = \"300 ms\"\n[generator.noise]\n"),
            ("mix.toml", "[buses.main]\nlevel = \"-20 dB\"\n"),
            ("world.toml", "[zones.hall]\nat = [0, 0]\nradius = \"50 m\"\nambience = \"hum\"\n"),
            ("reactions.est", "When begin\n  play hum\n"),
        ]);
        let (document, _) = Document::read(&sources, &BTreeSet::new());
        let seconds = |document: &Document| {
            let (program, _) = compile(document, &Assets::default());
            let samples = play(&Arc::new(program), NameKey::of("a"), &[], 1, Seconds(2.0));
            let loud = samples.iter().fold(0.0f32, |m, s| m.max(s.abs()));
            (samples.len() as f64 / 96_000.0, loud)
        };
        let (long, loud) = seconds(&without_mix_and_world(&document));
        assert!((0.25..0.4).contains(&long), "{long} s");
        assert!(loud > 0.07, "the bus does nothing: {loud}");
    }
}
