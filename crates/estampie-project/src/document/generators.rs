//! Generators, as written in `shared.toml`: takes that are made instead of recorded.

use super::Place;
use super::fields::{Fields, Located, Reading};
use super::game::well_named;
use super::registry;
use estampie_engine::dsp::generators::{GENERATORS, GeneratorKind};
use estampie_engine::units::Seconds;
use std::fmt;

/// What a take begins with that is a generator instead of a file or a sound.
const WORD: &str = "generator ";

/// A generator as written.
#[derive(Debug, Clone)]
pub struct GeneratorDoc {
    /// Its name, by which takes name it.
    pub name: String,
    /// What it makes; if not said, its name tells.
    pub kind: Option<Located<String>>,
    /// It ends after this time; unsaid, it goes on until it is let go.
    pub length: Option<Seconds>,
    /// Settings as written.
    pub set: Vec<(&'static str, Located<String>)>,
    /// Where it is written.
    pub place: Place,
}

impl GeneratorDoc {
    /// Its kind, with its place in the list of kinds; `None` if there is no such one.
    #[must_use]
    pub fn kind(&self) -> Option<(usize, &'static GeneratorKind)> {
        let word = self.kind.as_ref().map_or(self.name.as_str(), |kind| kind.value.as_str());
        GENERATORS.iter().enumerate().find(|(_, kind)| kind.word == word)
    }
}

impl fmt::Display for GeneratorDoc {
    /// Its kind with what is said of it: "noise, colour pink, length 2 s".
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.kind.as_ref().map_or(&self.name, |kind| &kind.value))?;
        for (word, text) in &self.set {
            write!(f, ", {word} {}", text.value)?;
        }
        self.length.map_or(Ok(()), |length| write!(f, ", length {length}"))
    }
}

/// The name of the generator that a take is, if it is one.
pub(super) fn generator_of(take: &str) -> Option<&str> {
    take.strip_prefix(WORD).map(str::trim)
}

/// The settings of all kinds, each once.
fn settings() -> Vec<&'static str> {
    let mut words: Vec<&'static str> = GENERATORS.iter().flat_map(|kind| kind.settings.iter().map(|s| s.word)).collect();
    words.sort_unstable();
    words.dedup();
    words
}

/// The generators of `shared.toml`.
pub(super) fn read_generators(reading: &Reading<'_>, top: &Fields<'_>) -> Vec<GeneratorDoc> {
    let mut list = Vec::new();
    for (name, item, place) in top.entries(registry::GENERATOR.name) {
        if well_named(reading, &name, &place)
            && let Some(fields) = top.inside(registry::GENERATOR.name, item, format!("the generator {name}"), place.clone())
        {
            let written = fields.names();
            let set = settings().into_iter().filter(|word| written.iter().any(|n| n == word));
            let generator = GeneratorDoc {
                kind: fields.text("kind"),
                length: fields.limited("length", Seconds(0.005), Seconds(3600.0)),
                set: set.filter_map(|word| Some((word, fields.text(word)?))).collect(),
                place,
                name,
            };
            fields.text("note");
            fields.finish();
            list.push(generator);
        }
    }
    list
}
