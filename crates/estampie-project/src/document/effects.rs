//! Effects on buses, and sends, as written in `mix.toml`; effects that several buses share in `shared.toml`.

use super::Place;
use super::fields::{Fields, Located, Reading};
use super::game::well_named;
use estampie_engine::dsp::effects::Setting;
use estampie_engine::units::ValueError;
use estampie_engine::units::{Decibels, Octaves, Quantity as _, Share};

/// An effect as written.
#[derive(Debug, Clone)]
pub struct EffectDoc {
    /// Its name, by which it is moved and held.
    pub name: String,
    /// What kind of effect it is; if not said, the shared one's, or its name.
    pub kind: Option<Located<String>>,
    /// The shared effect it is like.
    pub like: Option<Located<String>>,
    /// A reverb ready made.
    pub preset: Option<Located<String>>,
    /// An impulse response, for convolution.
    pub file: Option<Located<String>>,
    /// The bus whose level counts instead of its own, for compressor and expander.
    pub key: Option<Located<String>>,
    /// How much of it is heard, from 0 to 1.
    pub wet: Option<Share>,
    /// Whether it is left out.
    pub off: Option<bool>,
    /// Settings as written.
    pub set: Vec<(&'static str, Located<String>)>,
    /// Where it is written.
    pub place: Place,
}

/// A send as written.
#[derive(Debug, Clone)]
pub struct SendDoc {
    /// The return.
    pub to: Located<String>,
    /// The level, −120 to +24 dB.
    pub level: Decibels,
    /// Whether it leaves before the level of the bus.
    pub before: bool,
}

/// Settings of effects that had another name, with the one that they have.
const RENAMED: [(&str, &str); 22] = [
    ("low-at", "low-freq"),
    ("low", "low-gain"),
    ("a-at", "band-1-freq"),
    ("a", "band-1-gain"),
    ("a-q", "band-1-q"),
    ("b-at", "band-2-freq"),
    ("b", "band-2-gain"),
    ("b-q", "band-2-q"),
    ("c-at", "band-3-freq"),
    ("c", "band-3-gain"),
    ("c-q", "band-3-q"),
    ("d-at", "band-4-freq"),
    ("d", "band-4-gain"),
    ("d-q", "band-4-q"),
    ("high-at", "high-freq"),
    ("high", "high-gain"),
    ("speed", "rate"),
    ("lean", "bias"),
    ("way", "mode"),
    ("low-below", "low-crossover"),
    ("high-above", "high-crossover"),
    ("volume", "level"),
];

pub(super) fn read_effect(reading: &Reading<'_>, fields: Fields<'_>, name: String) -> EffectDoc {
    let mut words: Vec<&'static str> = super::registry::settings_of_effects().collect();
    words.sort_unstable();
    words.dedup();
    let written = fields.names();
    let effect = EffectDoc {
        kind: fields.text("kind"),
        like: fields.text("like"),
        preset: fields.text("preset"),
        file: fields.text("file"),
        key: fields.text("sidechain"),
        wet: fields.limited("wet", Share(0.0), Share(1.0)),
        off: fields.yes("off").map(|o| o.value),
        set: words.into_iter().filter(|w| written.iter().any(|n| n == w)).filter_map(|w| Some((w, fields.text(w)?))).collect(),
        place: fields.place.clone(),
        name,
    };
    fields.text("note");
    for (old, new) in RENAMED.iter().filter(|(old, _)| written.iter().any(|n| n == old) && !effect.set.iter().any(|(word, _)| word == old)) {
        if let Some(text) = fields.text(old) {
            reading.fault(&text.place, format!("{old} of {} is called {new}", fields.of()), format!("write {new}"));
        }
    }
    fields.finish();
    effect
}

/// The effects of a table, in the order of the file.
pub(super) fn read_effects(reading: &Reading<'_>, fields: &Fields<'_>, field: &'static str, of: &str) -> Vec<EffectDoc> {
    let mut list = Vec::new();
    for (name, item, place) in fields.entries(field) {
        if well_named(reading, &name, &place)
            && let Some(inner) = fields.inside(field, item, format!("the effect {name}{of}"), place)
        {
            list.push(read_effect(reading, inner, name));
        }
    }
    list
}

/// Sends: names of returns with levels, as `"-12 dB"` or `"-12 dB, pre-fader"`.
pub(super) fn read_sends(reading: &Reading<'_>, fields: &Fields<'_>) -> Vec<SendDoc> {
    let mut list = Vec::new();
    for (name, item, place) in fields.entries("send") {
        let Some(text) = item.as_str() else {
            reading.fault(&place, format!("the send to {name} is not a text"), "write its level, like \"-12 dB\"");
            continue;
        };
        match read_send(text) {
            Ok((level, before)) => list.push(SendDoc { to: Located { value: name, place }, level, before }),
            Err(what) => reading.fault(&place, what, "write a level, like \"-12 dB\" or \"-12 dB, pre-fader\""),
        }
    }
    list
}

/// Reads a send's level and whether it leaves before the level of its bus.
///
/// # Errors
/// With what is wrong, as a sentence.
pub fn read_send(text: &str) -> Result<(Decibels, bool), ValueError> {
    let (level, before) = match text.split_once(',') {
        None => (text, false),
        Some((level, rest)) if rest.trim() == "pre-fader" => (level, true),
        Some((_, rest)) => return Err(ValueError::not(rest.trim(), "a known of a send")),
    };
    let level = Decibels::read(level)?;
    if level.0 > 24.0 {
        return Err(format!("a send of {level} is too much: at most 24 dB").into());
    }
    Ok((if level.0 < -120.0 { Decibels::SILENCE } else { level }, before))
}

/// Reads a setting's value and holds it against its range.
///
/// # Errors
/// With what is wrong, as a sentence.
pub fn read_setting(setting: &Setting, text: &str) -> Result<f32, ValueError> {
    let value = setting.unit.read(text)?;
    if value < setting.low || value > setting.high {
        return Err(format!(
            "{} of {} is out of range: {} to {}",
            setting.unit.print(value),
            setting.word,
            setting.unit.print(setting.low),
            setting.unit.print(setting.high)
        )
        .into());
    }
    Ok(value)
}

/// Reads octaves, for what is moved by octaves.
pub(crate) fn read_octaves(text: &str) -> Option<f32> {
    Octaves::read(text).ok().filter(|_| text.contains("oct")).map(|o| o.0)
}
