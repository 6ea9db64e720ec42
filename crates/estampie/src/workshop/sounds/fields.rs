//! Settings of a sound by hand: typed, moved by steps, copied from one to others, and shared.

use super::inputs::SoundsPrompt;
use super::{Column, takes_of};
use crate::workshop::app::{App, Mode};
use crate::workshop::text_field::TextField;
use estampie_project::document::{Field, NewValue, Origin, Refusal, Setting as _, sharers};

impl App {
    pub(crate) fn current_field(&self) -> Option<Field> {
        self.fields().into_iter().nth(self.sounds.field)
    }

    pub(super) fn edit_field(&mut self, name: &str) {
        if self.sounds.column == Column::Index {
            self.sounds.column = Column::Settings;
            return;
        }
        if self.sounds.column == Column::Takes {
            return self.edit_takes(name);
        }
        let Some(field) = self.current_field() else { return };
        let text = if field.origin == Origin::Default { String::new() } else { field.value };
        self.mode = Mode::typing(SoundsPrompt::Field(self.targets(), field.key), TextField::offer(&text));
    }

    /// Types the takes (or the chain) of a sound as they are written, told apart by semicolons.
    pub(super) fn edit_takes(&mut self, name: &str) {
        let Some(doc) = self.document().sounds.iter().find(|s| s.name == name) else { return };
        let key = if doc.chain.is_empty() { "takes" } else { "chain" };
        // Told apart by value: those for the value of the selected take.
        let value = takes_of(doc).get(self.sounds.take).map(|t| t.aside.clone());
        if let Some(value) = value.filter(|_| doc.groups.iter().any(|(value, _)| value.is_some())) {
            let list = self.workspace.list_in(&doc.place.file, &[name, "takes", &value]).unwrap_or_default();
            self.mode = Mode::typing(SoundsPrompt::Takes(name.to_owned(), value), TextField::new(&list.join("; ")));
            return;
        }
        match self.workspace.list_in(&doc.place.file, &[name, key]) {
            Some(list) => self.mode = Mode::typing(SoundsPrompt::Field(vec![name.to_owned()], key), TextField::new(&list.join("; "))),
            None => self.alarm(format!("{} cannot be edited until it is fixed", doc.place.file)),
        }
    }

    /// Moves the number of the selected field, in the index the level.
    pub(super) fn nudge_field(&mut self, by: f32) {
        let fields = self.fields();
        let key = if self.sounds.column == Column::Index { "level" } else { fields.get(self.sounds.field).map_or("", |f| f.key) };
        let Some(field) = fields.iter().find(|f| f.key == key) else { return };
        let Some(text) = nudged(field.key, &field.value, by) else {
            return self.say(format!("{} is typed with e", field.key));
        };
        let targets = self.targets();
        let done = self.workspace.set_sounds(&targets, field.key, &text);
        self.edited(done);
    }

    pub(super) fn edit_shared(&mut self) {
        let Some(field) = self.current_field() else { return };
        let Origin::Shared(name) = field.origin else { return self.say(format!("{} is not shared; e edits it", field.key)) };
        let (kind, key) = field.key.split_once('.').unwrap_or((field.key, ""));
        self.mode = Mode::typing(SoundsPrompt::Shared { kind: kind.to_owned(), name, key: key.to_owned() }, TextField::offer(&field.value));
    }

    /// Sets a field of a shared setting.
    pub(super) fn set_shared(&mut self, kind: &str, name: &str, key: &str, text: &str) -> Result<(), Refusal> {
        let value = match (kind, key) {
            (_, "each" | "in-all") => NewValue::Whole(text.trim().parse().map_err(|_| format!("\"{text}\" is not a whole number"))?),
            ("falloff", _) => NewValue::List(text.split(';').map(|p| p.trim().to_owned()).collect()),
            _ => NewValue::Text(text.trim().replace('−', "-")),
        };
        let before = self.workspace.faults().len();
        self.workspace.set_values(&format!("{key} of the shared {kind} {name}"), &[("shared.toml", vec![kind, name, key], value)])?;
        if self.workspace.faults().len() > before {
            let new = self.workspace.faults().iter().find(|f| f.place.file == "shared.toml").cloned();
            let _ = self.workspace.undo();
            return Err(new.map_or_else(|| "it cannot be so".into(), Refusal::from));
        }
        let touched = sharers(self.document(), kind, name).join(", ");
        self.recompile();
        self.say(format!("changed for all that share {name}: {touched}"));
        Ok(())
    }

    pub(super) fn copy_fields(&mut self) {
        let fields = self.fields();
        let one = self.sounds.column == Column::Settings;
        let chosen = fields
            .into_iter()
            .enumerate()
            .filter(|(at, f)| if one { *at == self.sounds.field } else { f.origin == Origin::Own && !matches!(f.key, "note" | "pick") });
        self.sounds.copied = chosen.map(|(_, f)| (f.key.to_owned(), f.value)).collect();
        let names: Vec<&str> = self.sounds.copied.iter().map(|(k, _)| k.as_str()).collect();
        let text = format!("copied: {}", names.join(", "));
        self.say(text);
    }

    pub(super) fn paste_fields(&mut self) {
        let targets = self.targets();
        if self.sounds.copied.is_empty() {
            return self.say("nothing is copied; y copies a field, or in the index all settings");
        }
        for (key, value) in self.sounds.copied.clone() {
            if let Err(why) = self.workspace.set_sounds(&targets, &key, &value) {
                return self.alarm(why);
            }
        }
        self.recompile();
        self.say(format!("pasted into {}", targets.join(", ")));
    }

    /// Varies the marked sounds, or the selected one, as one edit; those that vary in pitch or level already are as they were recorded again.
    pub(super) fn vary_a_little(&mut self) {
        let targets = self.targets();
        let document = self.document();
        let varied = document.sounds.iter().any(|s| targets.contains(&s.name) && s.vary.said().iter().any(|(_, said)| said.is_some()));
        let (pitch, level) = if varied { ("", "") } else { ("-1..1 st", "-2..2 dB") };
        let done = self.workspace.set_fields_of_sounds(&targets, &[("vary.pitch", pitch), ("vary.level", level)]);
        self.edited(done);
        let which = if let [one] = targets.as_slice() { one.clone() } else { format!("{} sounds", targets.len()) };
        self.say(if varied {
            format!("{which}: pitch and level as they were recorded")
        } else {
            format!("{which}: pitch −1 to 1 st, level −2 to 2 dB, drawn each time")
        });
    }
}

/// A field's text with its number moved by a step that suits its unit; `None` if it is no single number.
fn nudged(key: &str, text: &str, by: f32) -> Option<String> {
    if text == "centre" {
        return Some(estampie_engine::units::Pan(by * 0.05).to_string());
    }
    let (number, unit) = estampie_engine::units::split_number(text)?;
    let unit = unit.trim();
    if unit.contains(['.', ',']) {
        return None;
    }
    let number = number as f32;
    let next = match unit {
        "dB" => ((number + if by.abs() < 1.0 { by } else { by * 0.5 }) * 10.0).round() / 10.0,
        "st" => ((number + by * 0.5) * 100.0).round() / 100.0,
        "Hz" | "kHz" => {
            let raised = number * (by / 6.0).exp2();
            let scale = if unit == "kHz" { 100.0 } else { 1.0 };
            (raised * scale).round() / scale
        }
        "ms" => (number + by * 10.0).max(0.0),
        "s" => ((number + by * 0.1).max(0.0) * 1000.0).round() / 1000.0,
        "%" => (number + by * 5.0).clamp(0.0, 100.0),
        "% left" | "% right" => {
            let pan = number * if unit == "% left" { -1.0 } else { 1.0 } + by * 5.0;
            return Some(estampie_engine::units::Pan(pan.clamp(-100.0, 100.0) / 100.0).to_string());
        }
        "" if matches!(key, "limit.each" | "limit.in-all" | "priority") => (number + by.signum()).max(1.0),
        "of 100" => (number + by * 5.0).clamp(0.0, 100.0).round(),
        _ => return None,
    };
    Some(if matches!(unit, "" | "of 100") { format!("{next}") } else { format!("{next} {unit}") })
}

#[cfg(test)]
mod nudges {
    use super::*;

    #[test]
    fn numbers_move_by_steps_that_suit_their_units() {
        assert_eq!(nudged("level", "-6 dB", 1.0).as_deref(), Some("-5.5 dB"));
        assert_eq!(nudged("level", "-6 dB", -0.1).as_deref(), Some("-6.1 dB"));
        assert_eq!(nudged("pan", "centre", -1.0).as_deref(), Some("5 % left"));
        assert_eq!(nudged("pan", "5 % left", 1.0).as_deref(), Some("centre"));
        assert_eq!(nudged("pan", "97 % right", 1.0).as_deref(), Some("100 % right"));
        assert_eq!(nudged("pitch", "0 st", 1.0).as_deref(), Some("0.5 st"));
        assert_eq!(nudged("cooldown", "5 ms", -1.0).as_deref(), Some("0 ms"));
        assert_eq!(nudged("limit.in-all", "3", 1.0).as_deref(), Some("4"));
        assert_eq!(nudged("priority", "50 of 100", -1.0).as_deref(), Some("45"));
        assert_eq!(nudged("vary.level", "-2..2 dB", 1.0), None);
        assert_eq!(nudged("bus", "steps", 1.0), None);
    }
}
