//! What happened, and why, in words and as JSON Lines.

pub mod differ;
pub mod kept;
pub mod lanes;
mod why;
mod would;

pub use why::{Label, label, print_value, sentence, tidy, total};
pub use would::{Verdict, would};

use estampie_engine::names::Names;
use estampie_engine::telemetry::{Cause, Happening, Reason, What};
use estampie_engine::vocabulary::Answer;
use serde_json::{Map, Value, json};
use std::io::{self, Write};

/// Writes happenings as JSON Lines: one object a happening, each with `frame` and `what`. See `docs/trace.md`.
pub struct TraceWriter<W: Write> {
    out: W,
}

impl<W: Write> TraceWriter<W> {
    /// A writer into `out`.
    pub fn new(out: W) -> Self {
        TraceWriter { out }
    }

    /// Writes one happening.
    ///
    /// # Errors
    /// When `out` refuses.
    pub fn write(&mut self, happening: &Happening, names: &Names) -> io::Result<()> {
        serde_json::to_writer(&mut self.out, &to_json(happening, names))?;
        self.out.write_all(b"\n")
    }

    /// Flushes.
    ///
    /// # Errors
    /// When `out` refuses.
    pub fn finish(mut self) -> io::Result<W> {
        self.out.flush()?;
        Ok(self.out)
    }
}

/// A number without the noise of its binary form.
fn number(value: f32) -> Value {
    if value.is_finite() { json!((f64::from(value) * 1e4).round() / 1e4) } else { Value::Null }
}

/// A happening as a JSON object; names that are none are left out.
#[must_use]
pub fn to_json(happening: &Happening, names: &Names) -> Value {
    let mut object = Map::new();
    object.insert("frame".into(), json!(happening.frame));
    let name = |key| names.get(key).to_owned();
    let mut put = |what: &str, fields: &[(&str, Value)]| {
        object.insert("what".into(), json!(what));
        for (field, value) in fields {
            if *value != json!("") {
                object.insert((*field).into(), value.clone());
            }
        }
    };
    match happening.what {
        What::Event { event, emitter, by } => put("event", &[("event", json!(name(event))), ("emitter", json!(name(emitter))), ("by", json!(name(by)))]),
        What::Parameter { parameter, value, emitter, by } => {
            put("parameter", &[("parameter", json!(name(parameter))), ("value", number(value)), ("emitter", json!(name(emitter))), ("by", json!(name(by)))]);
        }
        What::Place { emitter, kind, at, facing, frames } => put(
            "place",
            &[
                ("emitter", json!(name(emitter))),
                ("kind", json!(name(kind))),
                ("at", json!(at.map(number))),
                ("facing", facing.map_or(json!(""), number)),
                ("frames", if frames == 0 { json!("") } else { json!(frames) }),
            ],
        ),
        What::Walk { emitter, to, speed } => put("walk", &[("emitter", json!(name(emitter))), ("to", json!(to.map(number))), ("speed", number(speed))]),
        What::Remove { emitter } => put("remove", &[("emitter", json!(name(emitter)))]),
        What::LetGo { sound, count, finish, by } => {
            put(if finish { "finish" } else { "stop" }, &[("sound", json!(name(sound))), ("count", json!(count)), ("by", json!(name(by)))]);
        }
        What::Sweep { sound, property, to, frames, count, by } => put(
            "sweep",
            &[
                ("sound", json!(name(sound))),
                ("property", json!(estampie_engine::dsp::generators::word_of(property))),
                ("to", number(to)),
                ("frames", json!(frames)),
                ("count", json!(count)),
                ("by", json!(name(by))),
            ],
        ),
        What::Line { sound, before, by } => put("line", &[("sound", json!(name(sound))), ("before", json!(before)), ("by", json!(name(by)))]),
        What::Glide { parameter, from, to, frames } => {
            put("parameter", &[("parameter", json!(name(parameter))), ("from", number(from)), ("to", number(to)), ("frames", json!(frames))]);
        }
        What::State { state, value, before, by } => {
            put("state", &[("state", json!(name(state))), ("value", json!(name(value))), ("before", json!(name(before))), ("by", json!(name(by)))]);
        }
        What::Reaction { reaction } => put("reaction", &[("reaction", json!(name(reaction)))]),
        What::Chance { sound, drawn, needed } => put("chance", &[("sound", json!(name(sound))), ("drawn", number(drawn)), ("below", number(needed))]),
        What::Note { layer, pitch, velocity, length } => {
            put("note", &[("layer", json!(name(layer))), ("pitch", number(pitch)), ("velocity", json!(velocity)), ("frames", json!(length))]);
        }
        What::VoiceStart { voice, sound, leaf, take, emitter, at, level, pitch, by, .. } => put(
            "voice-start",
            &[
                ("voice", json!(voice)),
                ("sound", json!(name(sound))),
                ("leaf", if leaf == sound { json!("") } else { json!(name(leaf)) }),
                ("take", json!(name(take))),
                ("emitter", json!(name(emitter))),
                ("at", at.map_or_else(|| json!(""), |at| json!(at.map(number)))),
                ("level", number(level)),
                ("pitch", number(pitch)),
                ("by", json!(name(by))),
            ],
        ),
        What::VoiceEnd { voice, sound, cause } => {
            put("voice-end", &[("voice", json!(voice)), ("sound", json!(name(sound))), ("cause", json!(cause_word(cause)))]);
        }
        What::Refused { sound, emitter, reason, by } => put(
            "refused",
            &[("sound", json!(name(sound))), ("emitter", json!(name(emitter))), ("reason", json!(reason_text(&reason, names))), ("by", json!(name(by)))],
        ),
        What::Asked { piece, to, answer, before, leaves, by } => put(
            "music-asked",
            &[
                ("piece", json!(name(piece))),
                ("to", json!(section_name(to, names))),
                ("answer", json!(answer_word(answer))),
                ("instead-of", json!(name(before))),
                ("leaves", leaves.map_or(json!(""), |f| json!(f))),
                ("by", json!(name(by))),
            ],
        ),
        What::Section { piece, section, before, bar, by, .. } => put(
            "music",
            &[
                ("piece", json!(name(piece))),
                ("section", json!(section_name(section, names))),
                ("before", json!(section_name(before, names))),
                ("bar", if section.is_none() { json!("") } else { json!(bar + 1) }),
                ("by", json!(name(by))),
            ],
        ),
        What::Layer { layer, on, by } => {
            put("layer", &[("layer", json!(name(layer))), ("in", json!(on)), ("by", json!(name(by)))]);
        }
        What::Waits { stinger, by } => put("stinger-waits", &[("stinger", json!(name(stinger))), ("by", json!(name(by)))]),
        What::Zone { zone, entered } => put(if entered { "entered" } else { "left" }, &[("zone", json!(name(zone)))]),
        What::Snapshot { snapshot, up, by } => {
            put("snapshot", &[("snapshot", json!(name(snapshot))), ("up", json!(up)), ("by", json!(name(by)))]);
        }
        What::Sting { stinger, piece, at: (bar, beat), by } => put(
            "stinger",
            &[
                ("stinger", json!(name(stinger))),
                ("piece", json!(name(piece))),
                ("at", if piece.is_none() { json!("") } else { json!(format!("{}.{}", bar + 1, beat + 1)) }),
                ("by", json!(name(by))),
            ],
        ),
        What::List { list, piece } => put("playlist", &[("playlist", json!(name(list))), ("piece", json!(name(piece)))]),
        What::Notice(notice) => put("notice", &[("text", json!(notice.text(names)))]),
    }
    Value::Object(object)
}

/// The name of a section; `silence` for none.
#[must_use]
pub fn section_name(section: estampie_engine::names::NameKey, names: &Names) -> &str {
    if section.is_none() { estampie_project::document::SILENCE } else { names.get(section) }
}

/// What was answered when a piece was asked to go somewhere, in a word or two.
#[must_use]
pub fn answer_word(answer: Answer) -> &'static str {
    match answer {
        Answer::Waits => "waits",
        Answer::Replaces(_) => "replaces",
        Answer::Cancels(_) => "cancels",
        Answer::Nothing => "nothing to do",
        Answer::NotAllowed => "not allowed",
    }
}

/// Why a voice ended, in a word or two.
#[must_use]
pub fn cause_word(cause: Cause) -> &'static str {
    match cause {
        Cause::Done => "done",
        Cause::Stopped => "stopped",
        Cause::Stolen => "stolen",
        Cause::Removed => "removed",
        Cause::Gone => "fades: its emitter is gone",
        Cause::Restarted => "restarted",
        Cause::CutInto => "cut into",
        Cause::Left => "left",
    }
}

/// Why something asked for does not sound, in words.
#[must_use]
pub fn reason_text(reason: &Reason, names: &Names) -> String {
    match *reason {
        Reason::Each { limit } => format!("{limit} of its emitter {} playing, limit {limit}", if limit == 1 { "is" } else { "are" }),
        Reason::All { limit } => format!("{limit} {} playing, limit {limit}", if limit == 1 { "is" } else { "are" }),
        Reason::Voices { limit } => format!("all {limit} voices sound"),
        Reason::Generators { limit } => format!("all {limit} generators of its kind sound"),
        Reason::Chance { drawn, needed } => format!("chance {:.0} %: drew {drawn:.2}, no", needed * 100.0),
        Reason::AgainAfter { left } => format!("it began just now; again in {left:.2} s"),
        Reason::Playing => "it is playing already, and ignores being asked again".into(),
        Reason::Group { group, limit } => format!("group {}: {limit} {} playing, limit {limit}", names.get(group), if limit == 1 { "is" } else { "are" }),
        Reason::Unimportant { priority } => format!("all voices sound, and none has a priority of {priority:.0} or less"),
        Reason::Stale { age } => format!("the line waited {age:.1} s, longer than it is worth"),
        Reason::Passed { state, was } => format!("the moment has passed: {} was {}", names.get(state), names.get(was)),
        Reason::Queue { limit } => format!("{limit} wait already"),
        Reason::NoRange { parameter, value } => format!("no take for {} {value:.2}", names.get(parameter)),
        Reason::NoMusic => "no music plays".into(),
        Reason::Stingers { limit: 1 } => "it waits or sounds already".into(),
        Reason::Stingers { limit } => format!("{limit} of it wait or sound already"),
        Reason::Nothing => "it has nothing to play".into(),
        Reason::Loading => "its audio is still being loaded".into(),
        Reason::NotLoaded => "the part of the bundle that it is in is not loaded".into(),
        Reason::NoTake { state, value } => format!("no take for {} {}", names.get(state), names.get(value)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn happenings_become_one_object_a_line() {
        let mut names = Names::default();
        let (sound, take) = (names.add("step/grate"), names.add("audio/step/grate_01.flac"));
        let mut writer = TraceWriter::new(Vec::new());
        let none = estampie_engine::names::NameKey::NONE;
        writer
            .write(
                &Happening {
                    frame: 64,
                    what: What::VoiceStart {
                        voice: 3,
                        sound,
                        leaf: sound,
                        take,
                        emitter: none,
                        at: Some([1.0, 2.5, 0.0]),
                        level: -6.1,
                        pitch: 0.25,
                        drawn: Default::default(),
                        by: none,
                    },
                },
                &names,
            )
            .unwrap();
        writer.write(&Happening { frame: 70, what: What::Refused { sound, emitter: none, reason: Reason::All { limit: 1 }, by: none } }, &names).unwrap();
        let text = String::from_utf8(writer.finish().unwrap()).unwrap();
        assert_eq!(
            text,
            "{\"frame\":64,\"what\":\"voice-start\",\"voice\":3,\"sound\":\"step/grate\",\"take\":\"audio/step/grate_01.flac\",\"at\":[1.0,2.5,0.0],\"level\":-6.1,\"pitch\":0.25}\n\
             {\"frame\":70,\"what\":\"refused\",\"sound\":\"step/grate\",\"reason\":\"1 is playing, limit 1\"}\n"
        );
    }
}
