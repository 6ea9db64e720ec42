//! `sounds/*.toml`: recipes that can be played.

use super::fields::{Fields, Located, Reading};
use super::game::named_tables;
use super::{Place, did_you_mean};
use crate::units::{Decibels, Hertz, OPEN_LOW_PASS, Seconds, Semitones, Span, split_number};
use std::collections::BTreeSet;

/// Who yields when a limit is reached.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum WhenFull {
    /// The voice that has sounded longest fades out.
    #[default]
    Oldest,
    /// The new one is refused.
    Refuse,
}

/// One variation as written.
#[derive(Debug, Clone, PartialEq)]
pub enum TakeDoc {
    /// An audio file of the project.
    File(String),
    /// Another sound.
    Sound(String),
}

/// A part of a chain.
#[derive(Debug, Clone)]
pub struct PartDoc {
    /// The audio file.
    pub file: Located<String>,
    /// Whether it goes round until let go.
    pub looped: bool,
}

/// How a take is picked.
#[derive(Debug, Clone)]
pub enum PickDoc {
    /// At random, never one of the last n.
    Shuffle(u32),
    /// By the value of a state; within a value, shuffled without the last one.
    ByState(Located<String>),
}

/// Takes for one value of a state (its name and place), or for all.
pub type TakeGroup = (Option<Located<String>>, Vec<Located<TakeDoc>>);

/// A sound as written.
#[derive(Debug, Clone)]
pub struct SoundDoc {
    /// Its name, a path.
    pub name: String,
    /// The bus; `None` leaves it to the sound that plays this one, or to the root.
    pub bus: Option<Located<String>>,
    /// The takes: by value of a state (the value's name and place), or one group without a name.
    pub groups: Vec<TakeGroup>,
    /// The parts of a chain, instead of takes.
    pub chain: Vec<PartDoc>,
    /// How a take is picked.
    pub pick: PickDoc,
    /// Whether the take goes round until let go.
    pub looped: bool,
    /// Level.
    pub level: Decibels,
    /// Pitch.
    pub pitch: Semitones,
    /// Cutoff of the low-pass; open if it filters nothing.
    pub low_pass: Hertz,
    /// Range of level drawn each time.
    pub vary_level: Span<Decibels>,
    /// Range of pitch drawn each time.
    pub vary_pitch: Span<Semitones>,
    /// Fade at the start.
    pub fade_in: Seconds,
    /// Fade when stopped, at least 2 ms.
    pub fade_out: Seconds,
    /// The most voices of one emitter.
    pub each: Option<u32>,
    /// The most voices in all.
    pub all: Option<u32>,
    /// Who yields.
    pub when_full: WhenFull,
    /// What it is for.
    pub note: String,
    /// Where it is written.
    pub place: Place,
}

pub(super) fn read_sounds(reading: &Reading<'_>, audio: &BTreeSet<String>, sounds: &mut Vec<SoundDoc>) {
    named_tables(reading, "sound", |name, fields| {
        let place = fields.place.clone();
        let sound = sound(reading, audio, name, fields);
        if let Some(first) = sounds.iter().find(|s| s.name == sound.name) {
            reading.fault(
                &place,
                format!("there is a sound {} already, at {}", sound.name, first.place),
                "give one of them another name; the first one counts",
            );
        } else {
            sounds.push(sound);
        }
    });
}

fn sound(reading: &Reading<'_>, audio: &BTreeSet<String>, name: String, fields: Fields<'_>) -> SoundDoc {
    let bus = fields.text("bus");
    let chain = fields.texts("chain").unwrap_or_default();
    let pick = fields.text("pick");
    let looped = fields.yes("loop").is_some_and(|l| l.value);
    let groups = groups(reading, audio, &name, &fields);
    let mut sound = SoundDoc {
        bus,
        groups,
        chain: Vec::new(),
        pick: PickDoc::Shuffle(1),
        looped,
        level: limited(reading, &name, fields.quantity("level"), Decibels(0.0), Decibels(-120.0), Decibels(24.0)),
        pitch: limited(reading, &name, fields.quantity("pitch"), Semitones(0.0), Semitones(-48.0), Semitones(48.0)),
        low_pass: limited(reading, &name, fields.quantity("low-pass"), OPEN_LOW_PASS, Hertz(20.0), OPEN_LOW_PASS),
        vary_level: Span::default(),
        vary_pitch: Span::default(),
        fade_in: limited(reading, &name, fields.quantity("fade-in"), Seconds(0.0), Seconds(0.0), Seconds(120.0)),
        fade_out: limited(reading, &name, fields.quantity("fade-out"), Seconds(0.02), Seconds(0.002), Seconds(120.0)),
        each: None,
        all: None,
        when_full: WhenFull::Oldest,
        note: fields.text("note").map_or_else(String::new, |n| n.value),
        place: fields.place.clone(),
        name,
    };
    if let Some((item, place)) = fields.item("vary")
        && let Some(vary) = Fields::of_item(reading, item, format!("vary of the sound {}", sound.name), place)
    {
        sound.vary_level = vary.span("level").map_or_else(Span::default, |s| s.value);
        sound.vary_pitch = vary.span("pitch").map_or_else(Span::default, |s| s.value);
        vary.finish();
    }
    if let Some((item, place)) = fields.item("limit")
        && let Some(limit) = Fields::of_item(reading, item, format!("limit of the sound {}", sound.name), place)
    {
        sound.each = limit.whole("each", 1, 4096).map(|n| n.value as u32);
        sound.all = limit.whole("all", 1, 4096).map(|n| n.value as u32);
        if let Some(who) = limit.text("when-full") {
            match who.value.as_str() {
                "oldest" => sound.when_full = WhenFull::Oldest,
                "refuse" => sound.when_full = WhenFull::Refuse,
                other => reading.fault(
                    &who.place,
                    format!("\"{other}\" is nobody who could yield"),
                    did_you_mean(other, ["oldest", "refuse"], "write \"oldest\" or \"refuse\""),
                ),
            }
        }
        limit.finish();
    }
    for part in chain {
        sound.chain.extend(self::part(reading, audio, &part));
    }
    if let Some(pick) = pick {
        match read_pick(&pick) {
            Some(pick) => sound.pick = pick,
            None => reading.fault(
                &pick.place,
                format!("\"{}\" is not a way to pick a take", pick.value),
                "write \"shuffle\", \"shuffle, not the last 2\", or \"by\" and a state",
            ),
        }
    }
    check_body(reading, &sound);
    fields.finish();
    sound
}

fn check_body(reading: &Reading<'_>, sound: &SoundDoc) {
    let named = sound.groups.iter().any(|(value, _)| value.is_some());
    match (&sound.pick, named) {
        (PickDoc::ByState(state), false) if !sound.groups.is_empty() => {
            reading.fault(
                &state.place,
                format!("the takes of {} are not told apart by {}", sound.name, state.value),
                "write takes = { value = [\"…\"], … } with the state's values",
            );
        }
        (PickDoc::Shuffle(_), true) => {
            reading.fault(&sound.place, format!("{} has takes by value, but no state to pick by", sound.name), "write pick = \"by\" and a state");
        }
        _ => {}
    }
    if !sound.chain.is_empty() && !sound.groups.is_empty() {
        reading.fault(&sound.place, format!("{} has both takes and a chain", sound.name), "keep one of them; the chain counts");
    }
    if sound.chain.is_empty() && sound.groups.iter().all(|(_, takes)| takes.is_empty()) {
        reading.fault(&sound.place, format!("{} has nothing to play", sound.name), "write takes = [\"audio/…\"]");
    }
}

/// A value held to its range; what lies outside is a fault and becomes the nearest end.
fn limited<T: crate::units::Quantity>(reading: &Reading<'_>, name: &str, value: Option<Located<T>>, unsaid: T, low: T, high: T) -> T {
    let Some(value) = value else { return unsaid };
    if value.value < low {
        reading.fault(&value.place, format!("{name}: {} is too little", value.value), format!("write {low} to {high}"));
        low
    } else if value.value > high {
        reading.fault(&value.place, format!("{name}: {} is too much", value.value), format!("write {low} to {high}"));
        high
    } else {
        value.value
    }
}

fn read_pick(pick: &Located<String>) -> Option<PickDoc> {
    let text = pick.value.trim();
    if let Some(state) = text.strip_prefix("by ") {
        return Some(PickDoc::ByState(Located { value: state.trim().to_owned(), place: pick.place.clone() }));
    }
    let rest = text.strip_prefix("shuffle")?.trim();
    if rest.is_empty() {
        return Some(PickDoc::Shuffle(1));
    }
    let count = rest.strip_prefix(',')?.trim().strip_prefix("not the last")?.trim();
    if count.is_empty() {
        return Some(PickDoc::Shuffle(1));
    }
    let (number, unit) = split_number(count)?;
    (unit.is_empty() && (0.0..=64.0).contains(&number) && number.fract() == 0.0).then_some(PickDoc::Shuffle(number as u32))
}

fn part(reading: &Reading<'_>, audio: &BTreeSet<String>, text: &Located<String>) -> Option<PartDoc> {
    let (path, how) = text.value.split_once(',').unwrap_or((&text.value, ""));
    let looped = match how.trim() {
        "" | "once" => false,
        "loop" => true,
        other => {
            reading.fault(&text.place, format!("\"{other}\" is not a way to play a part"), "write \"loop\" after the comma, or nothing");
            false
        }
    };
    let files = expand(reading, audio, path.trim(), &text.place);
    if files.len() > 1 {
        reading.fault(&text.place, format!("\"{}\" means {} files, but a part is one", path.trim(), files.len()), "name one file");
    }
    let file = files.into_iter().next()?;
    Some(PartDoc { file: Located { value: file, place: text.place.clone() }, looped })
}

fn groups(reading: &Reading<'_>, audio: &BTreeSet<String>, name: &str, fields: &Fields<'_>) -> Vec<TakeGroup> {
    let Some((item, place)) = fields.item("takes") else { return Vec::new() };
    if let Some(table) = item.as_table_like() {
        return super::fields::entries(reading, table)
            .into_iter()
            .map(|(value, item, at)| {
                let texts = fields.texts_of("takes", item, &at);
                (Some(Located { value, place: at }), takes(reading, audio, name, texts))
            })
            .collect();
    }
    let texts = fields.texts_of("takes", item, &place);
    vec![(None, takes(reading, audio, name, texts))]
}

fn takes(reading: &Reading<'_>, audio: &BTreeSet<String>, name: &str, texts: Vec<Located<String>>) -> Vec<Located<TakeDoc>> {
    let mut list: Vec<Located<TakeDoc>> = Vec::new();
    for text in texts {
        let path = text.value.trim();
        // Only files have an ending; sounds are paths without one.
        if path.starts_with("audio/") || path.contains(['.', '*', '\\']) || path.starts_with('/') {
            for file in expand(reading, audio, path, &text.place) {
                list.push(Located { value: TakeDoc::File(file), place: text.place.clone() });
            }
        } else if path == name {
            reading.fault(&text.place, format!("{name} has itself as a take"), "take it out");
        } else {
            list.push(Located { value: TakeDoc::Sound(path.to_owned()), place: text.place.clone() });
        }
    }
    list
}

/// The audio files that a path with `*` means; says what is wrong if there is none.
fn expand(reading: &Reading<'_>, audio: &BTreeSet<String>, path: &str, place: &Place) -> Vec<String> {
    if path.starts_with('/') || path.contains('\\') || path.contains(':') || path.split('/').any(|part| part == "..") {
        reading.fault(
            place,
            format!("\"{path}\" leads out of the project"),
            "put the file into the project's folder audio/ and name it from there, like \"audio/step.wav\"",
        );
        return Vec::new();
    }
    if !path.contains('*') {
        if audio.contains(path) {
            return vec![path.to_owned()];
        }
        let mend = did_you_mean(path, audio.iter().map(String::as_str), "put it there, or name another");
        reading.fault(place, format!("there is no file {path}"), mend);
        return Vec::new();
    }
    let found: Vec<String> = audio.iter().filter(|file| matches(path, file)).cloned().collect();
    if found.is_empty() {
        reading.fault(place, format!("no file is named like {path}"), "put such files there, or mend the pattern");
    }
    found
}

/// Whether `text` fits `pattern`, in which `*` is any number of characters within one folder.
fn matches(pattern: &str, text: &str) -> bool {
    match pattern.split_once('*') {
        None => pattern == text,
        Some((head, tail)) => text.strip_prefix(head).is_some_and(|rest| {
            let folder = rest.find('/').unwrap_or(rest.len());
            (0..=folder).filter(|at| rest.is_char_boundary(*at)).any(|at| matches(tail, &rest[at..]))
        }),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn stars_stand_for_characters_of_one_folder() {
        assert!(matches("audio/step/grate_*.flac", "audio/step/grate_01.flac"));
        assert!(matches("audio/*/grate*.flac", "audio/step/grate_01.flac"));
        assert!(!matches("audio/*.flac", "audio/step/grate_01.flac"));
        assert!(!matches("audio/step/grate_*.flac", "audio/step/plank_01.flac"));
    }

    #[test]
    fn picks_are_sentences() {
        let read = |text: &str| read_pick(&Located { value: text.into(), place: Place::default() });
        assert!(matches!(read("shuffle, not the last 2"), Some(PickDoc::Shuffle(2))));
        assert!(matches!(read("shuffle"), Some(PickDoc::Shuffle(1))));
        assert!(matches!(read("by deck"), Some(PickDoc::ByState(state)) if state.value == "deck"));
        assert!(read("shuffle 2").is_none());
        assert!(read("shuffle, not the last 1.5").is_none());
    }
}
