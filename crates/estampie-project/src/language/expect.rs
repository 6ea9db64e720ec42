//! Expectations: what has to be heard, in words that a machine can hold a playthrough against.
//!
//! ```text
//! 4.0   expect hull/creak heard within 1 s
//! 4.0   expect tidewalk in pursuit within 2 bars
//! ```
//!
//! In `checks.est` they hold for every playthrough, from its beginning: `always expect true peak under -1 dBTP`.

use super::Word;
use super::lex::{Cursor, Parsed, print_number, print_time};
use crate::fault::{Fault, Place};
use estampie_engine::units::Seconds;
use std::fmt;

/// What is expected, from the moment at which it stands.
#[derive(Debug, Clone, PartialEq)]
pub enum Expected {
    /// A sound begins to be heard, within a time or before the end.
    Heard(Word, Option<Seconds>),
    /// It does not, for a time or to the end.
    NeverHeard(Word, Option<Seconds>),
    /// No two beginnings of it lie nearer together than this.
    NotAgain(Word, Seconds),
    /// At least so many of a sound's takes are heard before the end.
    Takes(u32, Word),
    /// Never more than so many playings at once: of a sound, of all sounds in a folder of names, or of a group.
    AtMost(u32, Word),
    /// While it is heard a sound is louder than a bus by so many dB.
    Over(Word, Word, f64),
    /// A bus is silent to the last bit, for a time or to the end.
    Silent(Word, Option<Seconds>),
    /// A bus is quieter than another by so many dB, on the whole, for a time or to the end.
    Quieter(Word, Word, f64, Option<Seconds>),
    /// Loudness stays between two values, in LUFS; while nothing is heard it does not count.
    Loudness(Loudness, f64, f64),
    /// No true peak reaches so many dBTP.
    TruePeak(f64),
    /// A piece comes to be in a section, within a time.
    Section(Word, Word, Span),
    /// A stinger comes, within a time or before the end; with a grid: each time on it.
    Stinger(Word, Stung),
    /// There is so much of a snapshot (0 to 1) within a time, or at once.
    Snapshot(Word, f64, Option<Seconds>),
    /// No click is heard: no step from sample to sample that stands out, unless a recording sounds that has one of its own.
    NoClick,
    /// Nothing is heard for no longer than this.
    NoSilence(Seconds),
    /// Level or pitch of a sound goes with a parameter: each grows, or falls.
    Follows {
        /// The sound.
        sound: Word,
        /// Whether its level rises.
        rises: bool,
        /// The parameter; `distance` is how far away the sound is.
        parameter: Word,
        /// While the parameter grows.
        grows: bool,
    },
}

/// Over how long loudness is measured (EBU Tech 3341).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Loudness {
    /// 0.4 s.
    Momentary,
    /// 3 s.
    ShortTerm,
    /// Everything, gated.
    Integrated,
}

impl Loudness {
    const ALL: [(Loudness, &str); 3] = [(Loudness::Momentary, "momentary"), (Loudness::ShortTerm, "short-term"), (Loudness::Integrated, "integrated")];

    /// The word for it.
    #[must_use]
    pub fn word(self) -> &'static str {
        Loudness::ALL.iter().find(|(l, _)| *l == self).map_or("", |(_, word)| word)
    }
}

/// A time, or so many bars of what plays.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Span {
    /// A time.
    Time(Seconds),
    /// Bars of the piece.
    Bars(f64),
}

/// What is expected of a stinger.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Stung {
    /// It comes within a time.
    Within(Option<Seconds>),
    /// Each time it comes on a beat.
    OnTheBeat,
    /// Each time it comes on the first beat of a bar.
    OnTheBar,
}

/// The forms there are, each with an example: for help, and for who types one.
pub const FORMS: [(&str, &str); 16] = [
    ("hull/creak heard within 1 s", "the sound begins to be heard within this time; without \"within\" before the end"),
    ("hull/creak never heard within 5 s", "it does not, for this time; without \"within\" to the end"),
    ("hull/creak not heard again within 5 s", "no two beginnings of it lie nearer together"),
    ("at least 3 takes of step/grate heard", "so many of its takes are heard before the end"),
    ("never more than 4 of creatures", "no more at once: of a sound, of all sounds whose names begin so, or of a group"),
    ("dispatcher/warn over music by 3 dB", "while it is heard the sound is louder than the bus"),
    ("music silent within 2 s", "the bus is silent to the last bit for this time; without \"within\" to the end"),
    ("streets quieter than nave by 6 dB", "of two buses, on the whole"),
    ("loudness short-term between -24 and -14 LUFS", "momentary, short-term or integrated; silence does not count"),
    ("true peak under -1 dBTP", "of the output"),
    ("tidewalk in pursuit within 2 bars", "the piece is in the section by then; a time may stand there, too"),
    ("stinger dread within 3 s", "it comes; \"on the beat\" or \"on the bar\": each time on it"),
    ("snapshot flooded at 100 % within 2 s", "there is so much of it by then"),
    ("no click", "no step from sample to sample that stands out, other than those of recordings"),
    ("no silence over 4 s", "something is heard again by then"),
    ("level of boiler/loop falls while distance grows", "rises or falls, while a parameter grows or falls"),
];

fn within(cursor: &mut Cursor<'_>) -> Parsed<Option<Seconds>> {
    if cursor.take(&["within"]) { Ok(Some(cursor.time()?)) } else { Ok(None) }
}

/// A number with a unit that may stand beside it.
fn quantity(cursor: &mut Cursor<'_>, unit: &str) -> Parsed<f64> {
    let (value, attached) = cursor.number(&format!("a number of {unit}"))?;
    if attached.is_empty() {
        cursor.expect(unit)?;
    } else if attached != unit {
        return Err(cursor.fault(format!("{attached} is not {unit}"), format!("write the number in {unit}")));
    }
    Ok(value)
}

fn count(cursor: &mut Cursor<'_>) -> Parsed<u32> {
    let (value, unit) = cursor.number("a whole number")?;
    if unit.is_empty() && value >= 0.0 && value.fract() == 0.0 && value < 1e6 {
        return Ok(value as u32);
    }
    Err(cursor.fault(format!("{value}{unit} is not a whole number"), "write a whole number, like 3"))
}

/// One of two words: true for the first.
fn either(cursor: &mut Cursor<'_>, first: &str, second: &str) -> Parsed<bool> {
    if cursor.take(&[first]) {
        return Ok(true);
    }
    if cursor.take(&[second]) {
        return Ok(false);
    }
    Err(cursor.fault(format!("\"{}\" stands where \"{first}\" or \"{second}\" should stand", cursor.peek()), format!("write {first} or {second}")))
}

/// Parses what stands after `expect`.
///
/// # Errors
/// When it is none of the forms.
pub(super) fn expected(cursor: &mut Cursor<'_>) -> Parsed<Expected> {
    if cursor.take(&["no", "click"]) {
        return Ok(Expected::NoClick);
    }
    if cursor.take(&["no", "silence", "over"]) {
        return Ok(Expected::NoSilence(cursor.time()?));
    }
    if cursor.take(&["true", "peak", "under"]) {
        return Ok(Expected::TruePeak(quantity(cursor, "dBTP")?));
    }
    if cursor.take(&["loudness"]) {
        let found = Loudness::ALL.into_iter().find(|(_, word)| cursor.take(&[word]));
        let (which, _) =
            found.ok_or_else(|| cursor.fault(format!("\"{}\" is no way to measure loudness", cursor.peek()), "write momentary, short-term or integrated"))?;
        cursor.expect("between")?;
        let low = cursor.number("LUFS")?.0;
        cursor.take(&["LUFS"]);
        cursor.expect("and")?;
        let high = quantity(cursor, "LUFS")?;
        if low > high {
            return Err(cursor.fault(format!("{low} is more than {high}"), "write the quieter of the two first"));
        }
        return Ok(Expected::Loudness(which, low, high));
    }
    if cursor.take(&["at", "least"]) {
        let takes = count(cursor)?;
        cursor.expect("takes")?;
        cursor.expect("of")?;
        let sound = cursor.name("a sound")?;
        cursor.expect("heard")?;
        return Ok(Expected::Takes(takes, sound));
    }
    if cursor.take(&["never", "more", "than"]) {
        let most = count(cursor)?;
        cursor.expect("of")?;
        return Ok(Expected::AtMost(most, cursor.name("a sound, or how the names of several begin")?));
    }
    if cursor.take(&["level", "of"]) {
        let sound = cursor.name("a sound")?;
        let rises = either(cursor, "rises", "falls")?;
        cursor.expect("while")?;
        let parameter = cursor.name("a parameter, or distance")?;
        return Ok(Expected::Follows { sound, rises, parameter, grows: either(cursor, "grows", "falls")? });
    }
    if cursor.take(&["stinger"]) {
        let stinger = cursor.name("a stinger")?;
        let stung = if cursor.take(&["on", "the", "beat"]) {
            Stung::OnTheBeat
        } else if cursor.take(&["on", "the", "bar"]) {
            Stung::OnTheBar
        } else {
            Stung::Within(within(cursor)?)
        };
        return Ok(Expected::Stinger(stinger, stung));
    }
    if cursor.take(&["snapshot"]) {
        let snapshot = cursor.name("a snapshot")?;
        cursor.expect("at")?;
        let (percent, attached) = cursor.number("a share, like 100 %")?;
        if attached != "%" {
            cursor.expect("%")?;
        }
        if !(0.0..=100.0).contains(&percent) {
            return Err(cursor.fault(format!("{percent} % is no share"), "write 0 % to 100 %"));
        }
        return Ok(Expected::Snapshot(snapshot, percent / 100.0, within(cursor)?));
    }
    let subject = cursor.name("what is expected")?;
    of_subject(cursor, subject)
}

/// The forms that begin with a name.
fn of_subject(cursor: &mut Cursor<'_>, subject: Word) -> Parsed<Expected> {
    if cursor.take(&["heard"]) {
        return Ok(Expected::Heard(subject, within(cursor)?));
    }
    if cursor.take(&["never", "heard"]) {
        return Ok(Expected::NeverHeard(subject, within(cursor)?));
    }
    if cursor.take(&["not", "heard", "again"]) {
        cursor.expect("within")?;
        return Ok(Expected::NotAgain(subject, cursor.time()?));
    }
    if cursor.take(&["over"]) {
        let bus = cursor.name("a bus")?;
        cursor.expect("by")?;
        return Ok(Expected::Over(subject, bus, quantity(cursor, "dB")?));
    }
    if cursor.take(&["silent"]) {
        return Ok(Expected::Silent(subject, within(cursor)?));
    }
    if cursor.take(&["quieter", "than"]) {
        let than = cursor.name("a bus")?;
        cursor.expect("by")?;
        let decibels = quantity(cursor, "dB")?;
        return Ok(Expected::Quieter(subject, than, decibels, within(cursor)?));
    }
    if cursor.take(&["in"]) {
        let section = cursor.name("a section, or silence")?;
        cursor.expect("within")?;
        let mark = cursor.mark();
        let (value, unit) = cursor.number("a time, or a number of bars")?;
        if unit.is_empty() && value >= 0.0 && (cursor.take(&["bars"]) || cursor.take(&["bar"])) {
            return Ok(Expected::Section(subject, section, Span::Bars(value)));
        }
        cursor.back_to(mark);
        return Ok(Expected::Section(subject, section, Span::Time(cursor.time()?)));
    }
    Err(cursor.fault(
        format!("it is not understood what is expected of {subject}"),
        "go on with heard, never heard, not heard again within, over, silent, quieter than, or in",
    ))
}

impl Expected {
    /// How long after its moment it is decided, where that does not need the end.
    #[must_use]
    pub fn within(&self) -> Option<Seconds> {
        match self {
            Expected::Heard(_, within) | Expected::NeverHeard(_, within) | Expected::Silent(_, within) | Expected::Quieter(.., within) => *within,
            Expected::Snapshot(.., within) => Some(within.unwrap_or(Seconds(0.0))),
            Expected::Stinger(_, Stung::Within(within)) => *within,
            Expected::Section(.., Span::Time(within)) => Some(*within),
            _ => None,
        }
    }

    /// Its names, each with what it is.
    #[must_use]
    pub fn names(&self) -> Vec<(Named, &Word)> {
        match self {
            Expected::Heard(sound, _) | Expected::NeverHeard(sound, _) | Expected::NotAgain(sound, _) | Expected::Takes(_, sound) => {
                vec![(Named::Sound, sound)]
            }
            Expected::AtMost(_, of) => vec![(Named::Sounds, of)],
            Expected::Over(sound, bus, _) => vec![(Named::Sound, sound), (Named::Bus, bus)],
            Expected::Silent(bus, _) => vec![(Named::Bus, bus)],
            Expected::Quieter(bus, than, ..) => vec![(Named::Bus, bus), (Named::Bus, than)],
            Expected::Section(piece, section, _) => vec![(Named::Piece, piece), (Named::SectionOfIt, section)],
            Expected::Stinger(stinger, _) => vec![(Named::Stinger, stinger)],
            Expected::Snapshot(snapshot, ..) => vec![(Named::Snapshot, snapshot)],
            Expected::Follows { sound, parameter, .. } => vec![(Named::Sound, sound), (Named::Parameter, parameter)],
            Expected::Loudness(..) | Expected::TruePeak(_) | Expected::NoClick | Expected::NoSilence(_) => Vec::new(),
        }
    }
}

/// What a name in an expectation is of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Named {
    /// A sound.
    Sound,
    /// A sound, sounds whose names begin so, or a group.
    Sounds,
    /// A bus.
    Bus,
    /// A piece.
    Piece,
    /// A section of the piece before it, or silence.
    SectionOfIt,
    /// A stinger.
    Stinger,
    /// A snapshot.
    Snapshot,
    /// A parameter, or `distance`.
    Parameter,
}

impl Named {
    /// What it is called.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Named::Sound => "sound",
            Named::Sounds => "sound, group or beginning of names",
            Named::Bus => "bus",
            Named::Piece => "piece",
            Named::SectionOfIt => "section",
            Named::Stinger => "stinger",
            Named::Snapshot => "snapshot",
            Named::Parameter => "parameter",
        }
    }
}

/// The word for how far away a sound is.
pub const DISTANCE: &str = "distance";

impl fmt::Display for Expected {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let within = |f: &mut fmt::Formatter<'_>, time: &Option<Seconds>| match time {
            Some(time) => write!(f, " within {} s", print_time(*time)),
            None => Ok(()),
        };
        let word = |yes: bool, a: &'static str, b: &'static str| if yes { a } else { b };
        match self {
            Expected::Heard(sound, time) => {
                write!(f, "{sound} heard")?;
                within(f, time)
            }
            Expected::NeverHeard(sound, time) => {
                write!(f, "{sound} never heard")?;
                within(f, time)
            }
            Expected::NotAgain(sound, time) => write!(f, "{sound} not heard again within {} s", print_time(*time)),
            Expected::Takes(count, sound) => write!(f, "at least {count} takes of {sound} heard"),
            Expected::AtMost(count, of) => write!(f, "never more than {count} of {of}"),
            Expected::Over(sound, bus, decibels) => write!(f, "{sound} over {bus} by {} dB", print_number(*decibels)),
            Expected::Silent(bus, time) => {
                write!(f, "{bus} silent")?;
                within(f, time)
            }
            Expected::Quieter(bus, than, decibels, time) => {
                write!(f, "{bus} quieter than {than} by {} dB", print_number(*decibels))?;
                within(f, time)
            }
            Expected::Loudness(which, low, high) => write!(f, "loudness {} between {} and {} LUFS", which.word(), print_number(*low), print_number(*high)),
            Expected::TruePeak(peak) => write!(f, "true peak under {} dBTP", print_number(*peak)),
            Expected::Section(piece, section, Span::Time(time)) => write!(f, "{piece} in {section} within {} s", print_time(*time)),
            Expected::Section(piece, section, Span::Bars(bars)) => write!(f, "{piece} in {section} within {} bars", print_number(*bars)),
            Expected::Stinger(stinger, Stung::Within(time)) => {
                write!(f, "stinger {stinger}")?;
                within(f, time)
            }
            Expected::Stinger(stinger, Stung::OnTheBeat) => write!(f, "stinger {stinger} on the beat"),
            Expected::Stinger(stinger, Stung::OnTheBar) => write!(f, "stinger {stinger} on the bar"),
            Expected::Snapshot(snapshot, share, time) => {
                write!(f, "snapshot {snapshot} at {} %", print_number((share * 1e6).round() / 1e4))?;
                within(f, time)
            }
            Expected::NoClick => f.write_str("no click"),
            Expected::NoSilence(time) => write!(f, "no silence over {} s", print_time(*time)),
            Expected::Follows { sound, rises, parameter, grows } => {
                write!(f, "level of {sound} {} while {parameter} {}", word(*rises, "rises", "falls"), word(*grows, "grows", "falls"))
            }
        }
    }
}

/// An expectation of every playthrough: a line of `checks.est`.
#[derive(Debug, Clone, PartialEq)]
pub struct Always {
    /// What is expected.
    pub expected: Expected,
    /// Where it is written.
    pub place: Place,
}

/// Parses `checks.est`. What is wrong is left out and given as a fault.
#[must_use]
pub fn parse(file: &str, text: &str) -> (Vec<Always>, Vec<Fault>) {
    let (mut list, mut faults) = (Vec::new(), Vec::new());
    for (at, row) in text.lines().enumerate() {
        let mut cursor = Cursor::new(file, at as u32 + 1, row);
        if cursor.done() {
            continue;
        }
        let place = cursor.place();
        let mut line = || {
            if !cursor.take(&["always", "expect"]) {
                return Err(cursor.fault("a line of checks begins with \"always expect\"", "write one like \"always expect true peak under -1 dBTP\""));
            }
            let expected = expected(&mut cursor)?;
            cursor.end("this expectation ends here; the next one begins a line of its own")?;
            Ok(expected)
        };
        match line() {
            Ok(expected) => list.push(Always { expected, place }),
            Err(fault) => faults.push(fault),
        }
    }
    (list, faults)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn one(text: &str) -> Parsed<Expected> {
        let mut cursor = Cursor::new("checks.est", 1, text);
        let expected = expected(&mut cursor)?;
        cursor.end("")?;
        Ok(expected)
    }

    #[test]
    fn each_form_is_read_and_written_as_it_was() {
        for (form, _) in FORMS {
            let text = one(form).unwrap_or_else(|fault| panic!("{form}: {fault}")).to_string();
            assert_eq!(text, form);
        }
        for (given, written) in [
            ("hull/creak heard", "hull/creak heard"),
            ("a heard within 800ms", "a heard within 0.8 s"),
            ("snapshot deep at 35.5% within 1s", "snapshot deep at 35.5 % within 1 s"),
            ("snapshot deep at 0 %", "snapshot deep at 0 %"),
            ("tidewalk in silence within 3 s", "tidewalk in silence within 3 s"),
            ("tidewalk in drift within 1 bar", "tidewalk in drift within 1 bars"),
            ("stinger dread on the bar", "stinger dread on the bar"),
            ("loudness integrated between -24 LUFS and -18LUFS", "loudness integrated between -24 and -18 LUFS"),
            ("level of a rises while depth falls", "level of a rises while depth falls"),
        ] {
            assert_eq!(one(given).map(|e| e.to_string()), Ok(written.to_owned()), "{given}");
        }
    }

    #[test]
    fn what_is_wrong_is_told_with_its_place_and_a_fix() {
        for (text, column, what) in [
            ("hull/creak herd", 12, "not understood what is expected of hull/creak"),
            ("a heard within", 15, "where a time"),
            ("at least 2.5 takes of a heard", 14, "not a whole number"),
            ("loudness loud between -20 and -10 LUFS", 10, "no way to measure loudness"),
            ("loudness momentary between -10 and -20 LUFS", 44, "-10 is more than -20"),
            ("true peak under -1 LUFS", 20, "\"dBTP\""),
            ("snapshot a at 120 %", 20, "no share"),
            ("level of a climbs while b grows", 12, "\"rises\" or \"falls\""),
            ("no clicks", 1, "not understood what is expected of no"),
            ("a heard within 1 s or so", 20, "\"or\" is not understood"),
            ("", 1, "what is expected"),
        ] {
            let fault = one(text).expect_err(text);
            assert!(fault.what.contains(what), "{text}: {fault}");
            assert!(!fault.fix.is_empty() || text.ends_with("so"), "{text}");
            assert!(fault.place.column == column || text == "no clicks", "{text}: {fault}");
        }
        let (list, faults) = parse("checks.est", "# for all\nalways expect no click\nexpect no click\n\nalways expect a heard\n");
        assert_eq!((list.len(), list[1].place.line, faults.len()), (2, 5, 1));
        assert!(faults[0].to_string().starts_with("checks.est:3:1: a line of checks begins"), "{}", faults[0]);
    }

    #[test]
    fn every_form_says_its_names() {
        for (form, _) in FORMS {
            let expected = one(form).unwrap();
            for (_, word) in expected.names() {
                assert!(form.contains(&word.text), "{form}: {word}");
            }
        }
        let two = one("streets quieter than nave by 6 dB").unwrap();
        assert_eq!(two.names().iter().map(|(of, w)| (*of, w.text.as_str())).collect::<Vec<_>>(), [(Named::Bus, "streets"), (Named::Bus, "nave")]);
    }

    proptest! {
        #[test]
        fn any_text_is_read_or_refused(text in "[a-z0-9 .%/-]{0,60}", form in 0usize..16, at in any::<prop::sample::Index>(), with in "[a-z0-9 %]{0,3}") {
            let _ = one(&text);
            let mut damaged = FORMS[form].0.to_owned();
            let at = at.index(damaged.len());
            damaged.replace_range(at..=at, &with);
            if let Ok(read) = one(&damaged) {
                // What is understood is written so that it is understood the same.
                let (a, b) = (read.to_string(), one(&read.to_string()).map(|e| e.to_string()));
                prop_assert_eq!(Ok(a), b);
            }
        }
    }
}
