//! How the game is played, for made-up play: `explore.toml`. What it does not say is guessed from the rest of the project.

use super::fields::{Fields, Located, Reading, parse_toml};
use super::registry;
use crate::fault::Place;
use estampie_engine::units::{Metres, Seconds, Share, Span, ValueError};

/// `explore.toml`.
#[derive(Debug, Clone, PartialEq)]
pub struct ExploreDoc {
    /// How long one made-up play is.
    pub length: Seconds,
    /// Of how many of its seconds nothing is done.
    pub idle: f64,
    /// How often whoever sends something sends it again and again.
    pub spam: f64,
    /// How fast the listener walks, in metres a second.
    pub walk: Span<Seconds>,
    /// How long he stays where he went.
    pub stays: Span<Seconds>,
    /// How long it may be silent, and music may play nothing while it should.
    pub silence: Seconds,
    /// How long music may wait for its moment.
    pub waits: Seconds,
    /// The share of a core that a second may take; nothing is measured if it is not said.
    pub load: Option<f64>,
    /// How events come.
    pub events: Vec<MadeEvent>,
    /// How parameters move.
    pub parameters: Vec<MadeParameter>,
    /// How states change.
    pub states: Vec<MadeState>,
    /// How emitters move.
    pub emitters: Vec<MadeEmitter>,
    /// Problems that are accepted.
    pub accepted: Vec<AcceptedProblem>,
}

impl Default for ExploreDoc {
    fn default() -> ExploreDoc {
        let span = |low, high| Span { low: Seconds(low), high: Seconds(high) };
        ExploreDoc {
            length: Seconds(90.0),
            idle: 0.1,
            spam: 0.02,
            walk: span(1.0, 5.0),
            stays: span(2.0, 10.0),
            silence: Seconds(10.0),
            waits: Seconds(30.0),
            load: None,
            events: Vec::new(),
            parameters: Vec::new(),
            states: Vec::new(),
            emitters: Vec::new(),
            accepted: Vec::new(),
        }
    }
}

/// `[[event]]`.
#[derive(Debug, Clone, PartialEq)]
pub struct MadeEvent {
    /// Which.
    pub event: Located<String>,
    /// How long it is from one to the next.
    pub every: Option<Span<Seconds>>,
    /// Of which emitters; one is drawn each time.
    pub on: Vec<String>,
    /// The event that it follows.
    pub after: Option<Located<String>>,
    /// How long after that.
    pub within: Span<Seconds>,
    /// Whether it never comes.
    pub never: bool,
}

/// `[[parameter]]`.
#[derive(Debug, Clone, PartialEq)]
pub struct MadeParameter {
    /// Which.
    pub parameter: Located<String>,
    /// Between which values.
    pub range: Option<(f64, f64)>,
    /// How fast, in its unit a second.
    pub speed: Option<(f64, f64)>,
    /// How often it jumps instead.
    pub jumps: Option<f64>,
    /// The parameter that it goes with: at the same share of its range.
    pub with: Option<Located<String>>,
    /// Whether it never moves.
    pub never: bool,
}

/// Values, each with its weight.
pub type Weights = Vec<(String, f64)>;

/// `[[state]]`.
#[derive(Debug, Clone, PartialEq)]
pub struct MadeState {
    /// Which.
    pub state: Located<String>,
    /// How long a value lasts.
    pub lasts: Option<Span<Seconds>>,
    /// From a value to which others, each with its weight.
    pub goes: Vec<(Located<String>, Weights)>,
    /// Whether the game never sets it.
    pub never: bool,
}

/// `[[emitter]]`.
#[derive(Debug, Clone, PartialEq)]
pub struct MadeEmitter {
    /// Its name.
    pub emitter: Located<String>,
    /// Its kind.
    pub kind: Option<Located<String>>,
    /// How far from the listener it goes, in metres.
    pub within: Span<Metres>,
    /// How fast, in metres a second.
    pub speed: (f64, f64),
}

/// `[[accepted]]`.
#[derive(Debug, Clone, PartialEq)]
pub struct AcceptedProblem {
    /// Its kind and what it is about, as explore tells it.
    pub problem: Located<String>,
    /// Why.
    pub reason: String,
}

/// Reads two numbers, as `0.5..6`, or one for both; a unit may follow.
fn read_numbers(text: &str) -> Result<(f64, f64), ValueError> {
    let number = |text: &str| text.trim().trim_end_matches(|c: char| !c.is_ascii_digit() && c != '.').parse::<f64>().ok().filter(|n| n.is_finite());
    let wrong = || ValueError::not(text, "two numbers, like 0.5..6");
    let (low, high) = match text.split_once("..") {
        Some((low, high)) => (number(low).ok_or_else(wrong)?, number(high).ok_or_else(wrong)?),
        None => {
            let one = number(text).ok_or_else(wrong)?;
            (one, one)
        }
    };
    if low <= high { Ok((low, high)) } else { Err(wrong()) }
}

/// Reads `hunted 2, calm` as values with weights.
fn read_weights(text: &str) -> Result<Weights, ValueError> {
    let wrong = || ValueError::not(text, "values with weights, like \"hunted 2, calm\"");
    text.split(',')
        .map(|part| {
            let mut words = part.split_whitespace();
            let name = words.next().ok_or_else(wrong)?.to_owned();
            let weight = words.next().map_or(Ok(1.0), |w| w.parse::<f64>().map_err(|_| wrong()))?;
            if weight <= 0.0 || !weight.is_finite() || words.next().is_some() { Err(wrong()) } else { Ok((name, weight)) }
        })
        .collect()
}

fn share(fields: &Fields<'_>, field: &'static str, unsaid: f64) -> f64 {
    fields.limited(field, Share(0.0), Share(1.0)).map_or(unsaid, |s| f64::from(s.0))
}

fn times(fields: &Fields<'_>, field: &'static str) -> Option<Span<Seconds>> {
    let found = fields.span::<Seconds>(field)?;
    if found.value.low.0 < 0.0 || found.value.high.0 > 3_600.0 {
        fields.reading().fault(&found.place, format!("{field} of {} is no time", fields.of()), "write a range like \"2..10 s\"");
        return None;
    }
    Some(found.value)
}

/// The tables of a list `[[…]]`.
fn each<'a, T>(top: &Fields<'a>, field: &'static str, read: impl Fn(Fields<'a>) -> Option<T>) -> Vec<T> {
    let Some((item, place)) = top.item(field) else { return Vec::new() };
    let Some(tables) = item.as_array_of_tables() else {
        top.reading().fault(&place, format!("{field} is not a list of tables"), format!("write each below a line [[{field}]]"));
        return Vec::new();
    };
    let one = |(at, table): (usize, &'a toml_edit::Table)| {
        read(Fields::new(top.reading(), top.kind_in(field), table, format!("{field} {}", at + 1), top.reading().place(table.span())))
    };
    tables.iter().enumerate().filter_map(one).collect()
}

/// A name that must be there.
fn named(fields: &Fields<'_>, field: &'static str) -> Option<Located<String>> {
    let found = fields.text(field);
    if found.is_none() && fields.item(field).is_none() {
        fields.reading().fault(&fields.place, format!("{} does not say which {field}", fields.of()), format!("write {field} = and a name"));
    }
    found
}

fn event(fields: Fields<'_>) -> Option<MadeEvent> {
    let event = named(&fields, "event");
    let every = times(&fields, "every");
    let on = fields.texts("on").unwrap_or_default().into_iter().map(|o| o.value).collect();
    let after = fields.text("after");
    let within = times(&fields, "within").unwrap_or(Span { low: Seconds(0.5), high: Seconds(4.0) });
    let never = fields.yes("never").is_some_and(|n| n.value);
    fields.finish();
    Some(MadeEvent { event: event?, every, on, after, within, never })
}

fn parameter(fields: Fields<'_>) -> Option<MadeParameter> {
    let parameter = named(&fields, "parameter");
    let range = fields.read("range", "a range like 0..80", read_numbers).map(|r| r.value);
    let speed = fields.read("speed", "two numbers, like 0.5..6", read_numbers).map(|r| r.value);
    let jumps = fields.item("jumps").is_some().then(|| share(&fields, "jumps", 0.1));
    let with = fields.text("with");
    let never = fields.yes("never").is_some_and(|n| n.value);
    fields.finish();
    Some(MadeParameter { parameter: parameter?, range, speed, jumps, with, never })
}

fn state(fields: Fields<'_>) -> Option<MadeState> {
    let state = named(&fields, "state");
    let lasts = times(&fields, "lasts");
    let mut goes = Vec::new();
    for (from, item, place) in fields.entries("goes") {
        match item.as_str().map(read_weights) {
            Some(Ok(to)) => goes.push((Located { value: from, place }, to)),
            Some(Err(error)) => fields.reading().fault(&place, format!("goes of {}: {error}", fields.of()), "write calm = \"stalked 2, hunted\""),
            None => fields.reading().fault(&place, format!("goes of {} is no text", fields.of()), "write calm = \"stalked 2, hunted\""),
        }
    }
    let never = fields.yes("never").is_some_and(|n| n.value);
    fields.finish();
    Some(MadeState { state: state?, lasts, goes, never })
}

fn emitter(fields: Fields<'_>) -> Option<MadeEmitter> {
    let emitter = named(&fields, "emitter");
    let kind = fields.text("kind");
    let within = fields.span::<Metres>("within").map_or(Span { low: Metres(1.0), high: Metres(80.0) }, |s| s.value);
    let speed = fields.read("speed", "two numbers, like 0.5..6", read_numbers).map_or((0.5, 5.0), |s| s.value);
    fields.finish();
    Some(MadeEmitter { emitter: emitter?, kind, within, speed })
}

fn accepted(fields: Fields<'_>) -> Option<AcceptedProblem> {
    let problem = named(&fields, "problem");
    let reason = fields.text("reason");
    if reason.as_ref().is_none_or(|r| r.value.trim().is_empty()) {
        fields.reading().fault(&fields.place, "what is accepted has no reason", "write reason = \"why it may stay\"");
    }
    fields.finish();
    Some(AcceptedProblem { problem: problem?, reason: reason?.value })
}

/// Reads `explore.toml`.
pub(super) fn read_explore(reading: &Reading<'_>) -> ExploreDoc {
    let toml = parse_toml(reading.file, reading.text, reading.faults);
    let top = Fields::new(reading, &registry::EXPLORE, toml.as_table(), "explore.toml", Place::whole(reading.file));
    let usual = ExploreDoc::default();
    let speeds = top.read("walk", "two speeds, like 1..5 m/s", read_numbers).map(|s| s.value);
    let found = ExploreDoc {
        length: top.limited("length", Seconds(5.0), Seconds(3_600.0)).unwrap_or(usual.length),
        idle: share(&top, "idle", usual.idle),
        spam: share(&top, "spam", usual.spam),
        walk: speeds.map_or(usual.walk, |(low, high)| Span { low: Seconds(low), high: Seconds(high) }),
        stays: times(&top, "stays").unwrap_or(usual.stays),
        silence: top.limited("silence", Seconds(0.5), Seconds(600.0)).unwrap_or(usual.silence),
        waits: top.limited("waits", Seconds(0.5), Seconds(600.0)).unwrap_or(usual.waits),
        load: top.limited("load", Share(0.0001), Share(1.0)).map(|s| f64::from(s.0)),
        events: each(&top, "event", event),
        parameters: each(&top, "parameter", parameter),
        states: each(&top, "state", state),
        emitters: each(&top, "emitter", emitter),
        accepted: each(&top, "accepted", accepted),
    };
    top.finish();
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::document::{Document, Sources};

    fn read(text: &str) -> (ExploreDoc, Vec<String>) {
        let (document, faults) = Document::read(&Sources::from_texts([("estampie.toml", "format = 1"), ("explore.toml", text)]), &Default::default());
        (document.explore, faults.iter().map(|f| format!("{} {}", f.place.line, f.what)).collect())
    }

    #[test]
    fn how_it_is_played_is_read() {
        let (found, faults) = read(
            "length = \"60 s\"\nidle = \"20 %\"\nwalk = \"1..4.5 m/s\"\n[[event]]\nevent = \"hit\"\nevery = \"2..8 s\"\non = [\"bell\", \"winch\"]\n[[event]]\nevent = \"stop\"\nafter = \"hit\"\nwithin = \"1..2 s\"\n[[parameter]]\nparameter = \"depth\"\nrange = \"0..80\"\nspeed = \"0.5..6\"\njumps = \"5 %\"\n[[state]]\nstate = \"threat\"\nlasts = \"5..9 s\"\ngoes = { calm = \"stalked 2, hunted\" }\n[[emitter]]\nemitter = \"eel\"\nwithin = \"2..30 m\"\n[[accepted]]\nproblem = \"loud main\"\nreason = \"it is a storm\"\n",
        );
        assert_eq!(faults, Vec::<String>::new());
        assert_eq!((found.length, found.idle as f32, found.walk.high.0), (Seconds(60.0), 0.2, 4.5));
        assert_eq!((found.events[0].on.len(), found.events[0].every.unwrap().high), (2, Seconds(8.0)));
        assert_eq!((found.events[1].after.as_ref().unwrap().value.as_str(), found.events[1].within.low), ("hit", Seconds(1.0)));
        let depth = &found.parameters[0];
        assert_eq!((depth.range, depth.speed, depth.jumps), (Some((0.0, 80.0)), Some((0.5, 6.0)), Some(f64::from(0.05f32))));
        assert_eq!(found.states[0].goes[0].1, [("stalked".to_owned(), 2.0), ("hunted".to_owned(), 1.0)]);
        assert_eq!((found.emitters[0].within.high.0, found.emitters[0].speed), (30.0, (0.5, 5.0)));
        assert_eq!(found.accepted[0].reason, "it is a storm");
    }

    #[test]
    fn what_is_wrong_is_said_with_its_place() {
        let (_, faults) = read(
            "length = \"2 s\"\nwalk = \"5..1\"\n[[event]]\nevery = \"9..2 s\"\n[[state]]\nstate = \"x\"\ngoes = { calm = \"a b c\" }\n[[accepted]]\nproblem = \"y\"\n[[parameter]]\nparameter = \"p\"\nsped = \"1..2\"\n",
        );
        for words in [
            "1 length of explore.toml: 2 s is too little",
            "2 walk of explore.toml",
            "event 1 does not say which event",
            "4 every of event 1",
            "7 goes of state 1",
            "what is accepted has no reason",
            "sped",
        ] {
            assert!(faults.iter().any(|f| f.contains(words)), "{words}: {faults:?}");
        }
    }

    #[test]
    fn numbers_and_weights_are_read_as_people_write_them() {
        assert_eq!((read_numbers("1..5 m/s"), read_numbers("-3"), read_numbers("0.5 .. 2")), (Ok((1.0, 5.0)), Ok((-3.0, -3.0)), Ok((0.5, 2.0))));
        for text in ["", "a", "5..1", "1..", "nan"] {
            assert!(read_numbers(text).is_err(), "{text}");
        }
        for text in ["", "a,", "a 0", "a -1", "a 1 b", "a x"] {
            assert!(read_weights(text).is_err(), "{text}");
        }
    }
}
