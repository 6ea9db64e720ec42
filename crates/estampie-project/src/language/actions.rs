//! The actions of reactions, one to a line: how they are read.

use super::Moment;
use super::lex::{Cursor, Parsed};
use super::reactions::{Act, Action, PlaceOf, Where, value};
use crate::fault::{Fault, did_you_mean};
use estampie_engine::curve::Shape;
use estampie_engine::property::Property;
use estampie_engine::vocabulary::Urgency;

/// The words that actions begin with.
pub(crate) const ACTIONS: [&str; 14] = ["play", "say", "stop", "finish", "sweep", "set", "add", "send", "go", "sting", "fade in", "fade out", "raise", "lower"];

fn whereabouts(line: &mut Cursor<'_>) -> Parsed<Where> {
    if line.take(&["at", "the", "emitter"]) {
        return Ok(Where::Sender);
    }
    if line.take(&["at", "the", "listener"]) {
        return Ok(Where::Listener);
    }
    if line.take(&["at"]) {
        return Ok(Where::Named(line.name("the name of an emitter, \"the emitter\" or \"the listener\"")?));
    }
    Ok(Where::Unsaid)
}

pub(super) fn act(line: &mut Cursor<'_>) -> Parsed<Act> {
    let place = PlaceOf(line.place());
    let action = action(line)?;
    let (mut chance, mut after) = (None, None);
    loop {
        if line.take(&[",", "chance"]) || line.take(&["chance"]) {
            let place = line.place();
            let (percent, unit) = line.number("a chance, like 70 %")?;
            line.take(&["%"]);
            if !unit.is_empty() || !(0.0..=100.0).contains(&percent) {
                return Err(Fault::new(&place, format!("{percent}{unit} is not a chance"), "write 0 % to 100 %"));
            }
            chance = Some(percent);
        } else if line.take(&[",", "after"]) || line.take(&["after"]) {
            after = Some(line.time()?);
        } else {
            break;
        }
    }
    line.end("an action ends here, or goes on with \", chance 70 %\" or \", after 0.5 s\"; the next one begins a line of its own")?;
    Ok(Act { action, chance, after, place })
}

fn action(line: &mut Cursor<'_>) -> Parsed<Action> {
    let verb = line.peek().to_owned();
    Ok(if line.take(&["play"]) {
        Action::Play { sound: line.name("a sound")?, at: whereabouts(line)? }
    } else if line.take(&["say"]) {
        let sound = line.name("a sound with lines")?;
        let at = whereabouts(line)?;
        let urgency = if line.take(&[",", "first"]) {
            Urgency::First
        } else if line.take(&[",", "cutting", "in"]) {
            Urgency::CutIn
        } else {
            Urgency::InTurn
        };
        Action::Say { sound, at, urgency }
    } else if line.take(&["stop"]) {
        let sound = line.name("a sound")?;
        let at = whereabouts(line)?;
        let over = if line.take(&["over"]) { Some(line.time()?) } else { None };
        Action::Stop { sound, at, over }
    } else if line.take(&["finish"]) {
        Action::Finish { sound: line.name("a sound")?, at: whereabouts(line)? }
    } else if line.take(&["sweep"]) {
        sweep(line)?
    } else if line.take(&["set"]) {
        let subject = line.name("a state or a parameter")?;
        line.expect("to")?;
        let to = value(line, "a value")?;
        Action::Set { subject, to }
    } else if line.take(&["add"]) {
        let (by, _) = line.number("a number")?;
        line.expect("to")?;
        Action::Add { subject: line.name("a parameter")?, by }
    } else if line.take(&["send"]) {
        Action::Send { event: line.name("an event")?, at: whereabouts(line)? }
    } else if line.take(&["go"]) {
        let piece = line.name("a piece or a playlist")?;
        let to = if line.take(&["to"]) { Some(line.name("a section or silence")?) } else { None };
        Action::Go { piece, to, on: moment(line)? }
    } else if line.take(&["sting"]) {
        Action::Sting { stinger: line.name("a stinger")?, on: moment(line)? }
    } else if line.take(&["fade", "in"]) {
        Action::Switch { layer: line.name("a piece and its layer, like tidewalk/reed")?, on: true }
    } else if line.take(&["fade", "out"]) {
        Action::Switch { layer: line.name("a piece and its layer, like tidewalk/reed")?, on: false }
    } else if line.take(&["raise"]) {
        line.take(&["snapshot"]);
        let snapshot = line.name("a snapshot")?;
        let over = if line.take(&["for"]) { Some(line.time()?) } else { None };
        Action::Raise { snapshot, over }
    } else if line.take(&["lower"]) {
        line.take(&["snapshot"]);
        Action::Lower { snapshot: line.name("a snapshot")? }
    } else {
        let usual = "an action begins with play, say, stop, finish, sweep, set, add, send, go, sting, fade in, fade out, raise or lower";
        let fix = match verb.as_str() {
            "bring" | "take" => {
                format!("{} is called fade {}", if verb == "bring" { "bring in" } else { "take out" }, if verb == "bring" { "in" } else { "out" })
            }
            "When" | "when" => "begin it at the left edge: only actions are set in".to_owned(),
            _ => did_you_mean(&verb, ACTIONS, usual),
        };
        return Err(line.fault(format!("\"{verb}\" is not an action"), fix));
    })
}

/// The moments that can be said in an action, with the words for them.
pub(crate) const MOMENTS: [(Moment, &str); 6] = [
    (Moment::AtOnce, "at once"),
    (Moment::Beat, "on the next beat"),
    (Moment::Bar, "on the next bar"),
    (Moment::Phrase, "at the phrase end"),
    (Moment::End, "at the section end"),
    (Moment::OpenEnding, "at the open ending"),
];

fn moment(line: &mut Cursor<'_>) -> Parsed<Option<Moment>> {
    for (moment, words) in MOMENTS {
        let words: Vec<&str> = words.split(' ').collect();
        let after_comma: Vec<&str> = [","].into_iter().chain(words.iter().copied()).collect();
        if line.take(&words) || line.take(&after_comma) {
            return Ok(Some(moment));
        }
    }
    if line.take(&["at", "marker"]) || line.take(&[",", "at", "marker"]) {
        return Ok(Some(Moment::Marker(line.name("a marker")?.text)));
    }
    if line.peek() == "on" || line.peek() == "at" {
        let known: Vec<&str> = MOMENTS.iter().map(|(_, w)| *w).collect();
        return Err(line.fault("this is not a musical moment", format!("write {}, or at marker and its name", known.join(", "))));
    }
    Ok(None)
}

fn sweep(line: &mut Cursor<'_>) -> Parsed<Action> {
    let sound = line.name("a sound")?;
    let at = whereabouts(line)?;
    let word = line.peek().to_owned();
    let Some((property, _)) = Property::ALL.iter().find(|(p, w)| *w == word && p.of_voices()) else {
        let known = Property::ALL.iter().filter(|(p, _)| p.of_voices()).map(|(_, w)| *w);
        return Err(line.fault(format!("\"{word}\" cannot be swept"), did_you_mean(&word, known, "write level, pitch, low-pass, high-pass, pan or width")));
    };
    line.take(&[&word]);
    line.expect("to")?;
    let place = line.place();
    let mut to = String::new();
    while !matches!(line.peek(), "over" | "") {
        let word = line.peek().to_owned();
        line.take(&[&word]);
        to = if to.is_empty() { word } else { format!("{to} {word}") };
    }
    property.read(&to).map_err(|what| {
        Fault::new(
            &place,
            what,
            format!("write a value such as {}", property.print(if matches!(property, Property::Pan | Property::Width) { -0.3 } else { -3.0 })),
        )
    })?;
    line.expect("over")?;
    let over = line.time()?;
    let mut curve = Shape::Straight;
    if line.take(&[",", "smooth"]) {
        curve = Shape::Smooth;
    } else if line.take(&[",", "power"]) {
        let place = line.place();
        let (n, _) = line.number("a power, like 2")?;
        let wrong = || Fault::new(&place, format!("{n} is not a power"), "write 0.05 to 20");
        curve = Some(Shape::Power(n as f32)).filter(|_| (0.05..=20.0).contains(&n)).ok_or_else(wrong)?;
    }
    let then = matches!(line.peek(), "then") || line.peek() == ",";
    let before = line.place();
    let let_go = line.take(&["then", "let", "go"]) || line.take(&[",", "then", "let", "go"]);
    if !let_go && !line.take(&["then", "stay"]) && !line.take(&[",", "then", "stay"]) && then && (line.take(&["then"]) || line.take(&[",", "then"])) {
        let what = format!("\"then {}\" is not understood at the end of a sweep", line.peek());
        return Err(Fault::new(&before, what, "write \"then let go\", or \"then stay\""));
    }
    Ok(Action::Sweep { sound, at, property: *property, to, over, curve, let_go })
}
