//! All that a sound is set to, field by field: what is written, where it comes from, and what counts when nothing is.

use super::registry::{self, Holds};
use super::settings::{Setting, Shared};
use super::{Document, PickDoc, SoundDoc, ValueOf};
use estampie_engine::property::{Property, SOUND_PROPERTIES, SoundProperty};
use estampie_engine::units::Pan;
use estampie_engine::vocabulary::Again;

/// Where a field's value comes from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Origin {
    /// Nothing is written: the default counts.
    Default,
    /// The sound says it.
    Own,
    /// A shared setting says it.
    Shared(String),
}

/// One field of a sound.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Field {
    /// What it is called in the file, as `level` or `vary.pitch`.
    pub key: &'static str,
    /// What counts, as text that can be typed; for a default that is nothing, words for that.
    pub value: String,
    /// Where it comes from.
    pub origin: Origin,
}

/// All fields of a sound, in an order that reads well.
#[must_use]
pub fn describe(document: &Document, sound: &SoundDoc) -> Vec<Field> {
    let mut list = Vec::new();
    let said = |key: &str| sound.said.iter().any(|s| s == key);
    let mut own = |key: &'static str, value: String| {
        let top = key.split('.').next().unwrap_or(key);
        list.push(Field { key, value, origin: if said(top) { Origin::Own } else { Origin::Default } });
    };
    let named = |name: &Option<super::Located<String>>, none: &str| name.as_ref().map_or_else(|| none.to_owned(), |n| n.value.clone());
    own("bus", named(&sound.bus, "what plays it, or main"));
    let set = |row: &SoundProperty| (row.property.word(), (row.print)(sound.set[row.property]));
    for (word, text) in SOUND_PROPERTIES.iter().filter(|p| p.property != Property::Pan).map(set) {
        own(word, text);
    }
    if sound.chain.is_empty() {
        own("pick", pick_text(&sound.pick));
    }
    own("loop", yes(sound.looped));
    shared(&document.shared, &sound.vary, &mut list, &registry::VARY);
    shared(&document.shared, &sound.shape, &mut list, &registry::SHAPE);
    shared(&document.shared, &sound.limit, &mut list, &registry::LIMIT);
    shared(&document.shared, &sound.falloff, &mut list, &registry::FALLOFF);
    let mut own = |key: &'static str, value: String| {
        let top = key.split('.').next().unwrap_or(key);
        list.push(Field { key, value, origin: if said(top) { Origin::Own } else { Origin::Default } });
    };
    own("pan", Pan(sound.set[Property::Pan]).to_string());
    own("group", named(&sound.group, "none"));
    own("priority", sound.priority.to_string());
    let always: Vec<String> = sound.always.iter().map(|c| format!("{} {}", c.subject, c.test)).collect();
    own("chance", if always.is_empty() { sound.chance.to_string() } else { format!("{}, always when {}", sound.chance, always.join(" and ")) });
    own("cooldown", sound.again_after.to_string());
    own("re-trigger", Again::word(sound.again).to_owned());
    own("when-refused", named(&sound.when_refused, "nothing is sent"));
    own("stop-if-younger", sound.stop_if_younger.map_or_else(|| "any age".into(), |t| t.to_string()));
    own("when-emitter-goes", sound.when_gone.map_or_else(|| "loops fade, the rest stays".into(), |w| w.word().to_owned()));
    let repeat = sound.repeat;
    own("repeat.every", repeat.map_or_else(|| "no".into(), |r| r.every.to_string()));
    if let Some(repeat) = repeat {
        own(
            "repeat.times",
            repeat.times.map_or_else(|| "until let go".into(), |(low, high)| if low == high { low.to_string() } else { format!("{low}..{high}") }),
        );
        own("repeat.length", repeat.length.map_or_else(|| "whole".into(), |l| l.to_string()));
    }
    if let Some(lines) = &sound.lines {
        shared(&document.shared, lines, &mut list, &registry::LINES);
    }
    list.push(Field { key: "note", value: sound.note.clone(), origin: if said("note") { Origin::Own } else { Origin::Default } });
    list
}

fn yes(yes: bool) -> String {
    if yes { "yes".into() } else { "no".into() }
}

/// What counts where nothing is written, in words.
fn unsaid(field: &registry::Field) -> &'static str {
    match (field.unsaid, field.holds) {
        ("", _) => "none",
        ("false", Holds::YesNo) => "no",
        ("true", Holds::YesNo) => "yes",
        (words, _) => words,
    }
}

fn shared<T: Setting>(shared: &Shared, own: &T, list: &mut Vec<Field>, table: &'static registry::Table)
where
    Shared: super::settings::Holds<T>,
{
    let whole = shared.whole(own);
    let origin = if own.like().is_some() { Origin::Own } else { Origin::Default };
    let value = own.like().map_or_else(|| "nothing shared".to_owned(), |l| l.value.clone());
    let key = |field: &str| registry::key_of(table.name, field);
    list.extend(key("like").map(|key| Field { key, value, origin }));
    for ((name, value), (_, mine)) in whole.said().into_iter().zip(own.said()) {
        let Some((key, field)) = key(name).zip(table.field(name)) else { continue };
        let origin = match (&value, mine, own.like()) {
            (None, ..) => Origin::Default,
            (_, None, Some(like)) => Origin::Shared(like.value.clone()),
            _ => Origin::Own,
        };
        list.push(Field { key, value: value.unwrap_or_else(|| unsaid(field).to_owned()), origin });
    }
}

/// A pick as it is written.
#[must_use]
pub fn pick_text(pick: &PickDoc) -> String {
    let last = |how: &str, n: u32| if n == 0 { how.to_owned() } else { format!("{how}, not the last {n}") };
    match pick {
        PickDoc::Shuffle(n) => last("shuffle", *n),
        PickDoc::Weighted(n) => last("weighted", *n),
        PickDoc::Cycle => "cycle".into(),
        PickDoc::Together => "together".into(),
        PickDoc::By(of) => format!("by {}", of.value),
        PickDoc::Across(of, power) => format!("across {}, equal {}", of.value, if *power { "power" } else { "gain" }),
    }
}

/// What a parameter is worked out from, in words; empty for one that the game tells.
#[must_use]
pub fn source_text(source: &ValueOf) -> String {
    match source {
        ValueOf::Game => String::new(),
        ValueOf::Measure(measure) => measure.value.to_string(),
        ValueOf::Formula(formula) => formula.value.to_string(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::document::Sources;

    #[test]
    fn every_field_says_where_it_comes_from() {
        let shared = "[vary.boots]\nlevel = \"-2..2 dB\"\npitch = \"-1..1 st\"\n";
        let sounds = "[a]\ntakes = [\"audio/a.wav\"]\nvary = { like = \"boots\", pitch = \"-3..3 st, centred\" }\nlevel = \"-6 dB\"\n[b]\ntakes = [\"audio/a.wav\"]\nvary = \"boots\"\n";
        let sources = Sources::from_texts([("estampie.toml", "format = 1"), ("shared.toml", shared), ("sounds/a.toml", sounds)]);
        let (document, faults) = Document::read(&sources, &["audio/a.wav".to_owned()].into());
        assert_eq!(faults, vec![]);
        let field =
            |sound: usize, key: &str| describe(&document, &document.sounds[sound]).into_iter().find(|f| f.key == key).map(|f| (f.value, f.origin)).unwrap();
        assert_eq!(field(0, "level"), ("-6 dB".into(), Origin::Own));
        assert_eq!(field(0, "vary.level"), ("-2..2 dB".into(), Origin::Shared("boots".into())));
        assert_eq!(field(0, "vary.pitch"), ("-3..3 st, centred".into(), Origin::Own));
        assert_eq!(field(1, "vary.pitch"), ("-1..1 st".into(), Origin::Shared("boots".into())));
        assert_eq!(field(1, "pitch"), ("0 st".into(), Origin::Default));
        assert_eq!(super::super::sharers(&document, "vary", "boots"), ["a", "b"]);
    }
}
