//! The words for contributions and happenings: what *why* and the log show.

use super::{cause_word, reason_text, section_name};
use estampie_engine::dsp::generators::word_of;
use estampie_engine::ledger::{Term, TermKind};
use estampie_engine::names::Names;
use estampie_engine::property::Property;
use estampie_engine::telemetry::{Happening, Notice, Reason, What};
use estampie_engine::vocabulary::Answer;
use estampie_project::stock::take_words;

/// Where a line gets its meaning from, so that a screen can colour it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Label {
    /// From the project.
    Plain,
    /// From the game.
    Game,
    /// Something that was refused or is wrong.
    Attention,
    /// Something that was refused because the project wants it so: by chance, or so soon after it began.
    Declined,
    /// Of lesser weight.
    Aside,
}

impl Label {
    /// Whether it says that something is not heard, or is wrong.
    #[must_use]
    pub fn refuses(self) -> bool {
        matches!(self, Label::Attention | Label::Declined)
    }
}

/// The words for one contribution. `value_of` gives a parameter's present value as text, unit and all.
#[must_use]
pub fn label(term: &Term, names: &Names, value_of: impl Fn(estampie_engine::names::NameKey) -> String) -> (String, Label) {
    let name = names.get(term.of);
    match term.kind {
        TermKind::Recorded => ("the audio itself just now".into(), Label::Plain),
        TermKind::Set => (format!("{name} is set to"), Label::Plain),
        TermKind::Varied => ("varied this time".into(), Label::Plain),
        TermKind::Take => ("this take's own".into(), Label::Plain),
        TermKind::Across => (format!("cross-faded by {name} {}", value_of(term.of)), Label::Game),
        TermKind::Distance => (format!("distance of {name}"), Label::Game),
        TermKind::Cone => (format!("{name} looks elsewhere"), Label::Game),
        TermKind::Doppler => (format!("{name} and you move"), Label::Game),
        TermKind::Outside => (format!("outside, heard in {name}"), Label::Attention),
        TermKind::Inside => (format!("inside {name}, heard outside"), Label::Attention),
        TermKind::Shelter => (format!("shelter {name}"), Label::Attention),
        TermKind::Doorway => (format!("through {name}"), Label::Attention),
        TermKind::Wall => (format!("behind {name}"), Label::Attention),
        TermKind::Depth => (format!("how much there is of {name}"), Label::Game),
        TermKind::Swept => ("swept".into(), Label::Plain),
        TermKind::GatedSound => (format!("{name} is muted, or another solo"), Label::Attention),
        TermKind::Moved => (format!("{name} {} ⟶ curve", value_of(term.of)), Label::Game),
        TermKind::Filtered => ("low-pass takes away".into(), Label::Plain),
        TermKind::Fading => ("fading".into(), Label::Aside),
        TermKind::Piece => (format!("piece {name}"), Label::Plain),
        TermKind::Layer => (format!("layer {name} is faded"), Label::Aside),
        TermKind::DuckedByPiece => (format!("ducked by {name}"), Label::Attention),
        TermKind::Ducked => (format!("ducked by stinger {name}"), Label::Attention),
        TermKind::Bus => (format!("bus {name}"), Label::Plain),
        TermKind::Snapshot => (format!("snapshot {name}"), Label::Plain),
        TermKind::DuckedBus => (format!("ducked by {name}"), Label::Attention),
        TermKind::Player => (format!("player level {name}"), Label::Plain),
        TermKind::Group => (format!("group {name}"), Label::Plain),
        TermKind::Gated => (format!("bus {name} is muted, or another solo"), Label::Attention),
        TermKind::SoftStart => ("soft start".into(), Label::Aside),
        TermKind::Ceiling => ("held under the ceiling".into(), Label::Attention),
    }
}

/// The sum of all terms of one property.
#[must_use]
pub fn total(terms: &[Term], property: Property) -> f32 {
    terms.iter().filter(|t| t.property == property).map(|t| t.value).sum()
}

/// A contribution's value with its sign, as in `+2.1` or `−∞`.
#[must_use]
pub fn print_value(value: f32) -> String {
    if value == f32::NEG_INFINITY {
        return "−∞".into();
    }
    let rounded = (value * 10.0).round() / 10.0;
    if rounded == 0.0 {
        "0.0".into()
    } else if rounded < 0.0 {
        format!("−{:.1}", -rounded)
    } else {
        format!("+{rounded:.1}")
    }
}

/// A happening as a line of the log; `None` for those that need no line.
#[must_use]
pub fn sentence(happening: &Happening, names: &Names) -> Option<(String, Label)> {
    let name = |key| names.get(key);
    let on = |emitter: estampie_engine::names::NameKey| if emitter.is_none() { String::new() } else { format!(" on {}", names.get(emitter)) };
    Some(match happening.what {
        What::Event { event, emitter, by } if by.is_none() => (format!("{}{}", name(event), on(emitter)), Label::Game),
        What::Event { event, emitter, .. } => (format!("  sends {}{}", name(event), on(emitter)), Label::Plain),
        What::Parameter { parameter, value, emitter, by } if by.is_none() => (format!("{}{} is {}", name(parameter), on(emitter), tidy(value)), Label::Game),
        What::Place { frames: 0, .. } => return None,
        What::Place { emitter, at: [east, north, _], .. } => (format!("{} goes to {}, {}", name(emitter), tidy(east), tidy(north)), Label::Game),
        What::Walk { emitter, to: [east, north, _], speed } => {
            (format!("{} walks to {}, {} at {} m/s", name(emitter), tidy(east), tidy(north), tidy(speed)), Label::Game)
        }
        What::Remove { emitter } => (format!("{} is gone", name(emitter)), Label::Game),
        What::LetGo { sound, count: 0, finish, .. } => {
            (format!("  {} {}: it does not sound", if finish { "finish" } else { "stop" }, name(sound)), Label::Aside)
        }
        What::LetGo { sound, finish: true, .. } => (format!("  {} finishes its round", name(sound)), Label::Plain),
        What::LetGo { .. } => return None,
        What::Sweep { sound, count: 0, .. } => (format!("  sweep {}: it does not sound", name(sound)), Label::Aside),
        What::Sweep { sound, property, to, .. } => (format!("  sweeps {} {} to {}", name(sound), word_of(property), property.print(to)), Label::Plain),
        What::Line { sound, before: 0, .. } => (format!("  {} is to say a line", name(sound)), Label::Aside),
        What::Line { sound, before, .. } => (format!("  {} waits behind {before}", name(sound)), Label::Aside),
        What::Parameter { parameter, value, .. } => (format!("  sets {} to {}", name(parameter), tidy(value)), Label::Plain),
        What::Glide { parameter, from, to, .. } => (format!("{} goes from {} to {}", name(parameter), tidy(from), tidy(to)), Label::Game),
        What::State { state, value, before, by } if by.is_none() && value == before => (format!("{} stays {}", name(state), name(value)), Label::Aside),
        What::State { state, value, before, by } if by.is_none() => (format!("{} {} ⟶ {}", name(state), name(before), name(value)), Label::Game),
        What::State { state, value, .. } => (format!("  sets {} to {}", name(state), name(value)), Label::Plain),
        What::Reaction { .. } | What::Note { .. } => return None,
        What::Chance { drawn, needed, .. } => (format!("  chance {:.0} %: drew {drawn:.2}, yes", needed * 100.0), Label::Aside),
        What::Asked { answer: Answer::Nothing, .. } => return None,
        What::Asked { piece, to, answer: Answer::NotAllowed, .. } => {
            (format!("{} does not go to {}: not allowed from here", name(piece), section_name(to, names)), Label::Attention)
        }
        What::Asked { piece, to, answer: Answer::Cancels(_), before, .. } => {
            (format!("{} stays {}: {} is given up", name(piece), section_name(to, names), section_name(before, names)), Label::Plain)
        }
        What::Asked { piece, to, .. } => (format!("{} is to go to {}", name(piece), section_name(to, names)), Label::Plain),
        What::Section { piece, section, before, .. } if section.is_none() => {
            (format!("{} comes to rest after {}", name(piece), section_name(before, names)), Label::Plain)
        }
        What::Section { piece, section, before, bar, .. } => {
            let at = if bar == 0 { String::new() } else { format!(", bar {}", bar + 1) };
            (format!("{} {} ⟶ {}{at}", name(piece), section_name(before, names), name(section)), Label::Plain)
        }
        What::Layer { layer, on, .. } => (format!("  {} {}", name(layer), if on { "comes in" } else { "goes out" }), Label::Plain),
        What::Waits { stinger, .. } => (format!("  ♪ {} waits", name(stinger)), Label::Aside),
        What::Sting { stinger, piece, .. } if piece.is_none() => (format!("  ♪ {} without music", name(stinger)), Label::Plain),
        What::Sting { stinger, at: (bar, beat), .. } => (format!("  ♪ {} at {}.{}", name(stinger), bar + 1, beat + 1), Label::Plain),
        What::Zone { zone, entered } => (format!("{} {}", if entered { "entered" } else { "left" }, name(zone)), Label::Game),
        What::Snapshot { snapshot, up, .. } => (format!("  snapshot {} {}", name(snapshot), if up { "rises" } else { "falls" }), Label::Plain),
        What::List { list, piece } if piece.is_none() => (format!("{} ends", name(list)), Label::Plain),
        What::List { list, piece } => (format!("{} goes on to {}", name(list), name(piece)), Label::Plain),
        // Layers begin and end with their section, which has a line of its own.
        What::VoiceStart { sound, .. } | What::VoiceEnd { sound, .. } if name(sound).contains(' ') => return None,
        What::VoiceStart { sound, take, by, .. } => {
            let file = take_words(name(take));
            let indent = if by.is_none() { "" } else { "  " };
            (format!("{indent}plays {}, {file}", name(sound)), Label::Plain)
        }
        What::VoiceEnd { cause: estampie_engine::telemetry::Cause::Done, .. } => return None,
        What::VoiceEnd { sound, cause, .. } => (format!("{} {}", name(sound), cause_word(cause)), Label::Aside),
        What::Refused { sound, reason, .. } => {
            let meant = matches!(reason, Reason::Chance { .. } | Reason::AgainAfter { .. } | Reason::Playing);
            (format!("{} refused: {}", name(sound), reason_text(&reason, names)), if meant { Label::Declined } else { Label::Attention })
        }
        What::Notice(Notice::Program(_)) => return None,
        What::Notice(notice) => (notice.text(names), Label::Attention),
    })
}

/// A number to two decimals, without zeros at its end.
#[must_use]
pub fn tidy(value: f32) -> String {
    let text = format!("{value:.2}");
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}
