//! What knobs and pads of MIDI devices do in the workshop, as written in `game.toml`: `[midi]`, `"cc 21" = "depth"`.

use super::edit::NewValue;
use super::fields::{Fields, Located, Reading};
use super::{Document, Refusal, Workspace, did_you_mean};
use std::fmt;

/// The file that has them, and the table.
const FILE: &str = "game.toml";
const TABLE: &str = "midi";

/// Something on a MIDI device that is moved or struck.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum MidiControl {
    /// A control change, by its number, 0 to 119.
    Cc(u8),
    /// A key or pad, by its note number, 0 to 127.
    Note(u8),
    /// The wheel that bends.
    Bend,
    /// The pressure on all keys.
    Pressure,
}

impl MidiControl {
    /// Reads `cc 21`, `note 36`, `bend` or `pressure`.
    #[must_use]
    pub fn read(text: &str) -> Option<MidiControl> {
        let number = |text: &str| text.trim().parse::<u8>().ok().filter(|n| *n < 128);
        match text.trim() {
            "bend" => Some(MidiControl::Bend),
            "pressure" => Some(MidiControl::Pressure),
            text => match text.split_once(' ')? {
                ("cc", n) => number(n).filter(|n| *n < 120).map(MidiControl::Cc),
                ("note", n) => number(n).map(MidiControl::Note),
                _ => None,
            },
        }
    }

    /// Whether it is struck, and sends an event; what is moved goes to a parameter.
    #[must_use]
    pub fn strikes(self) -> bool {
        matches!(self, MidiControl::Note(_))
    }
}

impl fmt::Display for MidiControl {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            MidiControl::Cc(n) => write!(f, "cc {n}"),
            MidiControl::Note(n) => write!(f, "note {n}"),
            MidiControl::Bend => f.write_str("bend"),
            MidiControl::Pressure => f.write_str("pressure"),
        }
    }
}

/// What one of them does.
#[derive(Debug, Clone)]
pub struct MidiDoc {
    /// What is moved or struck.
    pub control: MidiControl,
    /// The parameter that it moves over its range, or the event that it sends.
    pub does: Located<String>,
}

/// The table of `game.toml`.
pub(super) fn read_midi(reading: &Reading<'_>, document: &mut Document, fields: &Fields<'_>) {
    for (written, item, place) in fields.entries(TABLE) {
        let Some(control) = MidiControl::read(&written) else {
            let fix = "write \"cc 0\" to \"cc 119\", \"note 0\" to \"note 127\", \"bend\" or \"pressure\"";
            reading.fault(&place, format!("\"{written}\" is nothing on a MIDI device"), fix);
            continue;
        };
        let inside = reading.place(item.span());
        let name = item.as_str().unwrap_or_default();
        match refused(document, control, name) {
            None => document.midi.push(MidiDoc { control, does: Located { value: name.to_owned(), place: inside } }),
            Some((what, fix)) => reading.fault(&inside, what, fix),
        }
    }
}

/// Why a control cannot do what is said, and how to mend it.
fn refused(document: &Document, control: MidiControl, name: &str) -> Option<(String, String)> {
    if control.strikes() {
        let known = || document.events.iter().map(|e| e.name.as_str());
        return (!known().any(|n| n == name))
            .then(|| (format!("there is no event {name} for {control}"), did_you_mean(name, known(), "write the name of an event in quotes")));
    }
    let known = || document.parameters.iter().map(|p| p.name.as_str());
    match document.parameters.iter().find(|p| p.name == name) {
        None => Some((format!("there is no parameter {name} for {control}"), did_you_mean(name, known(), "write the name of a parameter in quotes"))),
        Some(p) if !bounded(p.low, p.high) => {
            Some((format!("{name} has no range that {control} could go over"), format!("give {name} a range, like \"0..100\"")))
        }
        Some(_) => None,
    }
}

/// Whether a knob can go over a range.
fn bounded(low: f32, high: f32) -> bool {
    low.is_finite() && high.is_finite() && high > low && high - low < 1e6
}

impl Workspace {
    /// Lets something on a MIDI device move a parameter or send an event, and nothing else on it, as one edit. Gives how the name is moved or sent from now on.
    ///
    /// # Errors
    /// When there is no such parameter or event, the control is not of its kind, or the file cannot be edited; then nothing is changed.
    pub fn assign_midi(&mut self, control: MidiControl, name: &str) -> Result<(), Refusal> {
        let document = self.document().clone();
        if let Some((what, fix)) = refused(&document, control, name) {
            return Err(format!("{what}; {fix}").into());
        }
        let written = control.to_string();
        let before: Vec<String> = document.midi.iter().filter(|m| m.does.value == name && m.control != control).map(|m| m.control.to_string()).collect();
        let mut values: Vec<_> = before.iter().map(|old| (FILE, vec![TABLE, old.as_str()], NewValue::Nothing)).collect();
        values.push((FILE, vec![TABLE, written.as_str()], NewValue::Text(name.to_owned())));
        self.set_values(&format!("{control} for {name}"), &values)
    }

    /// Takes away what moves a parameter or sends an event, as one edit; false if nothing does.
    ///
    /// # Errors
    /// When the file cannot be edited; then nothing is changed.
    pub fn take_midi(&mut self, name: &str) -> Result<bool, Refusal> {
        let before: Vec<String> = self.document().midi.iter().filter(|m| m.does.value == name).map(|m| m.control.to_string()).collect();
        if before.is_empty() {
            return Ok(false);
        }
        let values: Vec<_> = before.iter().map(|old| (FILE, vec![TABLE, old.as_str()], NewValue::Nothing)).collect();
        self.set_values(&format!("no MIDI for {name}"), &values)?;
        Ok(true)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::document::Sources;
    use proptest::prelude::*;
    use std::collections::BTreeSet;

    fn read(midi: &str) -> (Document, Vec<String>) {
        let game = format!("[events]\nbang = \"it bangs\"\n[parameters.depth]\nrange = \"0..300\"\n[formulas]\nfree = \"depth * 2\"\n[midi]\n{midi}");
        let (document, faults) = Document::read(&Sources::from_texts([("estampie.toml", "format = 1\n"), ("game.toml", game.as_str())]), &BTreeSet::new());
        (document, faults.iter().map(ToString::to_string).collect())
    }

    #[test]
    fn knobs_move_parameters_and_pads_send_events() {
        let (document, faults) = read("\"cc 21\" = \"depth\"\n\"note 36\" = \"bang\"\nbend = \"depth\"\n");
        assert!(faults.is_empty(), "{faults:?}");
        let of: Vec<(MidiControl, &str)> = document.midi.iter().map(|m| (m.control, m.does.value.as_str())).collect();
        assert_eq!(of, [(MidiControl::Cc(21), "depth"), (MidiControl::Note(36), "bang"), (MidiControl::Bend, "depth")]);
    }

    #[test]
    fn what_does_not_fit_is_told_with_its_fix() {
        for (midi, what, fix) in [
            ("\"cc 120\" = \"depth\"\n", "nothing on a MIDI device", "cc 119"),
            ("\"knob\" = \"depth\"\n", "nothing on a MIDI device", "pressure"),
            ("\"cc 3\" = \"depht\"\n", "there is no parameter depht for cc 3", "depth"),
            ("\"cc 3\" = \"bang\"\n", "there is no parameter bang for cc 3", "parameter"),
            ("\"note 3\" = \"depth\"\n", "there is no event depth for note 3", "event"),
            ("\"cc 3\" = \"free\"\n", "has no range", "give free a range"),
            ("\"cc 3\" = 4\n", "there is no parameter", "in quotes"),
        ] {
            let faults = read(midi).1;
            assert!(faults.iter().any(|f| f.contains("game.toml:8") && f.contains(what) && f.contains(fix)), "{midi}: {faults:?}");
        }
    }

    proptest! {
        #[test]
        fn controls_are_read_as_they_were_printed(number in 0u8..128, which in 0..4) {
            let control = match which {
                0 => MidiControl::Cc(number.min(119)),
                1 => MidiControl::Note(number),
                2 => MidiControl::Bend,
                _ => MidiControl::Pressure,
            };
            prop_assert_eq!(MidiControl::read(&control.to_string()), Some(control));
        }

        #[test]
        fn no_text_breaks_it(text in ".{0,12}") {
            let _ = MidiControl::read(&text);
        }
    }
}
