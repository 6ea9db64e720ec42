//! Compiling generators: their kinds, presets, controls, drawings and what each playing draws.

use super::{Compiler, frames_of};
use crate::document::{GeneratorDoc, Place, did_you_mean, read_drawing, read_vary, registry};
use estampie_engine::curve::Curve;
use estampie_engine::dsp::generators::{self, GENERATORS, GeneratorKind, PLAYED};
use estampie_engine::index::CellIndex;
use estampie_engine::mixer::spec::{GeneratorSpec, Made, Recipe};
use estampie_engine::music::{InstrumentSettings, Kind};
use estampie_engine::property::Property;
use estampie_engine::random::Draw;
use std::sync::Arc;

impl Compiler<'_> {
    /// What a generator makes.
    pub(super) fn made_by(&mut self, name: &str, place: &Place) -> Option<Arc<Recipe>> {
        let found = self.made.get(name).cloned();
        if found.is_none() {
            let known = self.document.shared.names(registry::GENERATOR.name);
            let fix = did_you_mean(name, known, &format!("add [generator.{name}] to shared.toml, or name another"));
            self.fault(place, format!("there is no generator {name}"), fix);
        }
        found?
    }

    /// All generators, used or not: what is wrong with one is told in its own place.
    pub(super) fn generators(&mut self) {
        for doc in &self.document.shared.generator {
            let recipe = self.generator(doc);
            self.made.insert(doc.name.clone(), recipe);
        }
    }

    fn generator(&mut self, doc: &GeneratorDoc) -> Option<Arc<Recipe>> {
        let Some((kind, of)) = doc.kind() else {
            let (word, place) = doc.kind.as_ref().map_or((doc.name.as_str(), &doc.place), |k| (k.value.as_str(), &k.place));
            let known: Vec<&str> = GENERATORS.iter().map(|k| k.word).collect();
            let fix = did_you_mean(word, known.iter().copied(), &format!("write kind = and one of {}", known.join(", ")));
            self.fault(place, format!("there is no kind of generator {word}"), fix);
            return None;
        };
        self.look_at_preset(doc, of);
        let instrument = self.instrument_played(doc, of);
        let mut values = doc.values(of);
        // It was called so before kinds had lengths of their own.
        let has_length = of.settings.iter().any(|s| s.word == "length");
        for (_, text) in doc.set.iter().filter(|(word, _)| *word == "length" && !has_length) {
            self.fault(&text.place, format!("{} has no length", of.word), format!("write ends-after = \"{}\"", text.value));
        }
        let set: Vec<_> = doc.set.iter().filter(|(word, _)| *word != "length" || has_length).cloned().collect();
        self.settings((of.word, &doc.name), of.settings, &set, &mut values);
        let drawings = self.drawings(doc, of);
        let vary = self.varied_controls(doc, of);
        let key = self.program.names.add(&format!("generator {}", doc.name));
        let first = CellIndex::new(self.program.mix.cells.len());
        let mut controls = Vec::new();
        for (setting, value) in of.settings.iter().zip(values) {
            let name = format!("generator {} {}", doc.name, setting.word);
            self.cell(&name, Property::Setting(setting.unit), value, (setting.low, setting.high), setting.by_octaves());
            controls.extend(generators::controls().iter().find(|c| c.word == setting.word).map(|c| c.property));
        }
        self.program.mix.generators.push(GeneratorSpec { key, kind, first, controls, vary, local: Vec::new() });
        let made = Made { key, kind, values, drawings, instrument, frames: doc.length.map(|length| frames_of(length, self.program.rate)) };
        Some(Arc::new(Recipe { name: key, parts: Vec::new(), made: Some(made), stereo: (of.stereo)(&values) }))
    }

    /// The instrument of the music that a generator plays; says when there is none, or it cannot be played so.
    fn instrument_played(&mut self, doc: &GeneratorDoc, of: &GeneratorKind) -> Option<InstrumentSettings> {
        let plays = doc.plays.as_ref()?;
        if !of.plays() {
            self.fault(&plays.place, format!("{} plays no instrument", of.word), "take it out, or write kind = \"notes\"");
            return None;
        }
        let document = self.document;
        let Some(found) = document.music.instruments.iter().find(|i| i.name == plays.value) else {
            let known = document.music.instruments.iter().map(|i| i.name.as_str());
            let fix = did_you_mean(&plays.value, known, "name an instrument of the music, or take it out");
            self.fault(&plays.place, format!("there is no instrument {}", plays.value), fix);
            return None;
        };
        if !PLAYED.iter().any(|(kind, _)| *kind == found.patch.kind) {
            let what = if found.patch.kind == Kind::Takes { "recordings" } else { "strokes" };
            self.fault(
                &plays.place,
                format!("{} is made of {what}, and a tune needs pitches", plays.value),
                "name another instrument; recordings are takes by themselves",
            );
            return None;
        }
        Some(found.patch)
    }

    /// Says when a generator has a preset that its kind has not.
    fn look_at_preset(&mut self, doc: &GeneratorDoc, of: &'static GeneratorKind) {
        let Some(written) = doc.preset.as_ref().filter(|_| doc.preset_of(of).is_none()) else { return };
        let known: Vec<&str> = of.presets.iter().map(|p| p.name).collect();
        let otherwise = if known.is_empty() { "take it out".to_owned() } else { format!("write one of {}", known.join(", ")) };
        let fix = did_you_mean(&written.value, known, &otherwise);
        self.fault(&written.place, format!("{} has no preset {}", of.word, written.value), fix);
    }

    /// The drawings of a generator as curves: its own, or its preset's, or what is usual.
    fn drawings(&mut self, doc: &GeneratorDoc, of: &'static GeneratorKind) -> Vec<Curve> {
        for (word, texts) in &doc.drawings {
            if of.drawings.iter().all(|d| d.word != *word)
                && let Some(text) = texts.first()
            {
                self.fault(&text.place, format!("{} has no {word} to be drawn", of.word), "take it out");
            }
        }
        let mut curves = Vec::new();
        for drawing in of.drawings {
            let written = doc.drawings.iter().find(|(word, _)| *word == drawing.word).map(|(_, texts)| texts);
            let own = written.and_then(|texts| {
                let plain: Vec<String> = texts.iter().map(|t| t.value.clone()).collect();
                match read_drawing(drawing.form, &plain) {
                    Ok(curves) => Some(curves),
                    Err((at, what)) => {
                        let place = texts.get(at).or(texts.first()).map_or(&doc.place, |t| &t.place).clone();
                        let fix = format!("write {}", drawing.rest.iter().map(|t| format!("\"{t}\"")).collect::<Vec<_>>().join(", "));
                        self.fault(&place, format!("{} of {}: {what}", drawing.word, doc.name), fix);
                        None
                    }
                }
            });
            curves.extend(own.unwrap_or_else(|| {
                // Not its own, which is wrong if it has one.
                let usual = || drawing.rest.iter().map(|t| (*t).to_owned()).collect();
                let texts = if written.is_some() { usual() } else { doc.drawing_texts(of, drawing.word) };
                read_drawing(drawing.form, &texts).unwrap_or_default()
            }));
        }
        curves
    }

    /// What each playing draws for the controls of a generator.
    fn varied_controls(&mut self, doc: &GeneratorDoc, of: &GeneratorKind) -> Vec<(u8, Draw)> {
        let mut vary = Vec::new();
        for (word, text) in &doc.vary {
            let Some(at) = of.settings.iter().position(|s| s.word == word.value) else {
                let fix = did_you_mean(&word.value, of.settings.iter().map(|s| s.word), "take it out");
                self.fault(&word.place, format!("{} has no control {}", of.word, word.value), fix);
                continue;
            };
            let Some(control) = generators::control(&word.value).filter(|_| !of.settings[at].fixed) else {
                self.fault(&word.place, format!("{} is fixed and cannot be drawn", word.value), "vary another control");
                continue;
            };
            match read_vary(control, &text.value) {
                Ok(draw) => vary.push((at as u8, draw)),
                Err(what) => self.fault(
                    &text.place,
                    what.to_string(),
                    if of.settings[at].by_octaves() { "write a range like \"-2..2 st\"" } else { "write a range like \"-2..2\", in its unit" },
                ),
            }
        }
        vary
    }

    /// The generator and the control that a value of the mix belongs to, by their places.
    pub(super) fn control_of(&self, cell: CellIndex) -> Option<(usize, u8)> {
        let found = self.program.mix.generators.iter().enumerate().find(|(_, g)| (g.first..g.first.plus(g.controls.len())).contains(&cell))?;
        Some((found.0, (cell.at() - found.1.first.at()) as u8))
    }

    /// Whether a value of the mix is a control that stands from beginning to end.
    pub(super) fn is_fixed_control(&self, cell: CellIndex) -> bool {
        self.control_of(cell).is_some_and(|(of, control)| {
            let kind = &GENERATORS[self.program.mix.generators[of].kind];
            kind.settings[usize::from(control)].fixed
        })
    }
}
