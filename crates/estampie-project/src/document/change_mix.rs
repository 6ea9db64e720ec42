//! Changes of the mix: sends, effects and their settings, snapshots and what they hold.

use super::Refusal;
use super::edit::NewValue;
use super::{EffectDoc, ROOT_BUS, Workspace, kind_of, property_of, read_held, read_send, read_setting};
use crate::language::lex::is_plain_name;
use estampie_engine::dsp::effects;
use estampie_engine::dsp::effects::KINDS;
use estampie_engine::property::Property;
use estampie_engine::units::{Decibels, Pan, Quantity as _};

const FILE: &str = "mix.toml";

impl Workspace {
    fn set_mix(&mut self, name: &str, path: Vec<&str>, text: &str) -> Result<(), Refusal> {
        let value = if text.trim().is_empty() { NewValue::Nothing } else { NewValue::Text(text.trim().replace('−', "-")) };
        self.set_if_read(name, &[(FILE, path, value)])
    }

    /// Sets the pan of a bus, as one edit; an empty text takes it out.
    ///
    /// # Errors
    /// When the text is no pan, or the file cannot be edited; then nothing is changed.
    pub fn set_bus_pan(&mut self, bus: &str, text: &str) -> Result<(), Refusal> {
        if !text.trim().is_empty() {
            Pan::read(&text.replace('−', "-")).map_err(|e| e.to_string())?;
        }
        self.set_mix(&format!("pan of {bus}"), vec!["buses", bus, "pan"], text)
    }

    /// Sets what a bus sends to a return, as one edit; an empty text takes the send out. A new send that gives no level begins
    /// in silence.
    ///
    /// # Errors
    /// When the text is no level, the route would feed back, or the file cannot be edited; then nothing is changed.
    pub fn set_send(&mut self, bus: &str, to: &str, text: &str) -> Result<(), Refusal> {
        if !text.trim().is_empty() {
            read_send(&text.replace('−', "-"))?;
            if let Some(way) = self.would_feed_back(bus, to) {
                return Err(format!("this send would feed back: {way}; send to a return that does not come back").into());
            }
        }
        self.set_mix(&format!("send of {bus} to {to}"), vec!["buses", bus, "send", to], text)
    }

    /// The loop that a send would close, in words.
    #[must_use]
    pub fn would_feed_back(&self, bus: &str, to: &str) -> Option<String> {
        let document = self.document();
        let next = |name: &str| {
            let doc = document.buses.iter().find(|b| b.name == name);
            doc.into_iter().flat_map(|d| d.into.iter().map(|i| i.value.clone()).chain(d.sends.iter().map(|s| s.to.value.clone()))).collect::<Vec<_>>()
        };
        let mut ways: Vec<Vec<String>> = vec![vec![bus.to_owned(), to.to_owned()]];
        let mut seen: Vec<String> = Vec::new();
        while let Some(way) = ways.pop() {
            let last = way.last()?.clone();
            if last == bus {
                return Some(way.join(" ⟶ "));
            }
            if !seen.contains(&last) {
                seen.push(last.clone());
                ways.extend(next(&last).into_iter().map(|n| way.iter().cloned().chain([n]).collect()));
            }
        }
        None
    }

    fn effect_of(&self, bus: &str, effect: &str) -> Result<EffectDoc, Refusal> {
        let document = self.document();
        let found = document.buses.iter().find(|b| b.name == bus).and_then(|b| b.effects.iter().find(|i| i.name == effect));
        found.cloned().ok_or_else(|| format!("{bus} has no effect {effect}").into())
    }

    /// Sets a setting of an effect (or `wet`), as one edit; an empty text takes it back to its rest value.
    ///
    /// # Errors
    /// When there is no such effect or setting, or the text is no such value; then nothing is changed.
    pub fn set_effect(&mut self, bus: &str, effect: &str, word: &str, text: &str) -> Result<(), Refusal> {
        let doc = self.effect_of(bus, effect)?;
        let kind = kind_of(&self.document().shared.effect, &doc).ok_or_else(|| format!("{effect} is no known effect"))?;
        if let Some(setting) = kind.settings.iter().find(|s| s.word == word) {
            if !text.trim().is_empty() {
                read_setting(setting, &text.replace('−', "-"))?;
            }
        } else if !["wet", "preset", "file", "sidechain", "like"].contains(&word) {
            return Err(format!("{} has no setting {word}", kind.word).into());
        }
        self.set_mix(&format!("{word} of {effect} on {bus}"), vec!["buses", bus, "effect", effect, word], text)
    }

    /// Sets several settings of an effect on a bus together, each by its word, as one edit; a hand that goes on moving them makes one edit of it.
    ///
    /// # Errors
    /// When a setting cannot have that value, there is no such effect, or the file cannot be edited; then nothing is changed.
    pub fn shape_effect(&mut self, bus: &str, effect: &str, settings: &[(&str, String)]) -> Result<(), Refusal> {
        let doc = self.effect_of(bus, effect)?;
        let kind = kind_of(&self.document().shared.effect, &doc).ok_or_else(|| format!("{effect} is no known effect"))?;
        let mut values = Vec::new();
        for (word, text) in settings {
            let setting = kind.settings.iter().find(|s| s.word == *word).ok_or_else(|| format!("{} has no setting {word}", kind.word))?;
            let text = text.replace('−', "-");
            read_setting(setting, &text)?;
            values.push((FILE, vec!["buses", bus, "effect", effect, *word], NewValue::Text(text)));
        }
        self.set_if_read(&format!("shape of {effect} on {bus}"), &values)
    }

    /// Lets a snapshot hold several values of the mix together, as one edit.
    ///
    /// # Errors
    /// When one is no such value, or the file cannot be edited; then nothing is changed.
    pub fn shape_held(&mut self, snapshot: &str, held: &[(String, String)]) -> Result<(), Refusal> {
        let mut values = Vec::new();
        for (what, text) in held {
            let text = self.read_held_of(what, text)?;
            values.push((FILE, vec!["snapshots", snapshot, "hold", what.as_str()], NewValue::Text(text)));
        }
        self.set_if_read(&format!("shape held by snapshot {snapshot}"), &values)
    }

    /// Leaves an effect out, or no longer, as one edit.
    ///
    /// # Errors
    /// When there is no such effect, or the file cannot be edited.
    pub fn set_effect_off(&mut self, bus: &str, effect: &str, off: bool) -> Result<(), Refusal> {
        self.effect_of(bus, effect)?;
        let value = if off { NewValue::Yes(true) } else { NewValue::Nothing };
        let name = format!("{effect} on {bus} {}", if off { "left out" } else { "in again" });
        self.set_if_read(&name, &[(FILE, vec!["buses", bus, "effect", effect, "off"], value)])
    }

    /// Puts an effect at the end of a bus, as one edit, and gives its name. It begins where it does as little as it can.
    ///
    /// # Errors
    /// When there is no such kind or bus, or the file cannot be edited.
    pub fn add_effect(&mut self, bus: &str, word: &str) -> Result<String, Refusal> {
        let document = self.document().clone();
        let doc = document.buses.iter().find(|b| b.name == bus).ok_or_else(|| Refusal::missing("bus", bus))?;
        let shared = document.shared.effect.iter().find(|e| e.name == word);
        if effects::kind(word).is_none() && shared.is_none() {
            let known: Vec<&str> = KINDS.iter().map(|k| k.word).collect();
            return Err(format!("there is no effect {word}; there are {}", known.join(", ")).into());
        }
        let taken = |name: &str| doc.effects.iter().any(|i| i.name == name);
        let name = if taken(word) { (2..).map(|n| format!("{word}-{n}")).find(|n| !taken(n)).unwrap_or_default() } else { word.to_owned() };
        let path = |field| vec!["buses", bus, "effect", name.as_str(), field];
        let mut values = vec![match shared {
            Some(_) => (FILE, path("like"), NewValue::Text(word.to_owned())),
            None => (FILE, path("kind"), NewValue::Text(word.to_owned())),
        }];
        // On a return wet is all there is to hear; elsewhere what adds to the sound begins unheard.
        if !doc.returns && effects::kind(word).is_some_and(|k| k.wet_alone) {
            values.push((FILE, path("wet"), NewValue::Text("0 %".into())));
        }
        self.set_if_read(&format!("{name} on {bus}"), &values)?;
        Ok(name)
    }

    /// Adds a return with one effect, all of it wet, to which a bus sends at -12 dB, as one edit.
    ///
    /// # Errors
    /// When the name is none or is taken, when there is no such effect or bus, or the file cannot be edited.
    pub fn add_return(&mut self, name: &str, effect: &str, from: &str) -> Result<(), Refusal> {
        if !is_plain_name(name) {
            return Err(Refusal::BadName(name.to_owned()));
        }
        let document = self.document();
        if document.buses.iter().any(|b| b.name == name) {
            return Err(Refusal::taken("bus", name));
        }
        if effects::kind(effect).is_none() {
            let known: Vec<&str> = KINDS.iter().map(|k| k.word).collect();
            return Err(format!("there is no effect {effect}; there are {}", known.join(", ")).into());
        }
        // The whole output cannot be sent into itself: then nothing sends to it yet.
        let sends = document.buses.iter().any(|b| b.name == from && b.name != ROOT_BUS && !b.returns);
        let mut values = vec![
            (FILE, vec!["buses", name, "return"], NewValue::Yes(true)),
            (FILE, vec!["buses", name, "effect", effect, "wet"], NewValue::Text("100 %".into())),
        ];
        if sends {
            values.push((FILE, vec!["buses", from, "send", name], NewValue::Text("-12 dB".into())));
        }
        self.set_if_read(&format!("new return {name}"), &values)
    }

    /// Adds a snapshot that holds nothing yet, as one edit.
    ///
    /// # Errors
    /// When the name is none or is taken.
    pub fn add_snapshot(&mut self, name: &str) -> Result<(), Refusal> {
        if !is_plain_name(name) {
            return Err(Refusal::BadName(name.to_owned()));
        }
        if self.document().snapshots.iter().any(|s| s.name == name) {
            return Err(Refusal::taken("snapshot", name));
        }
        self.set_mix(&format!("new snapshot {name}"), vec!["snapshots", name, "rise"], "0.5 s")
    }

    /// Adds a snapshot of the name of a zone, which raises it while one is there, as one edit; gives its name.
    ///
    /// # Errors
    /// When there is no such zone, when it raises one already, or the file cannot be edited.
    pub fn add_zone_snapshot(&mut self, zone: &str) -> Result<String, Refusal> {
        let document = self.document();
        let doc = document.world.zones.iter().find(|z| z.name == zone).ok_or_else(|| Refusal::missing("zone", zone))?;
        if let Some(raised) = &doc.snapshot {
            return Err(format!("{zone} raises the snapshot {} already", raised.value).into());
        }
        let taken = |name: &str| document.snapshots.iter().any(|s| s.name == name);
        let name = if taken(zone) { (2..).map(|n| format!("{zone}-{n}")).find(|n| !taken(n)).unwrap_or_default() } else { zone.to_owned() };
        let values = [
            (FILE, vec!["snapshots", name.as_str(), "rise"], NewValue::Text("0.5 s".into())),
            ("world.toml", vec!["zones", zone, "snapshot"], NewValue::Text(name.clone())),
        ];
        self.set_if_read(&format!("snapshot of {zone}"), &values)?;
        Ok(name)
    }

    /// Sets a field of a snapshot (`rise`, `fall`, `amount`, `while`, `order`), as one edit.
    ///
    /// # Errors
    /// When the text is no such value, or the file cannot be edited; then nothing is changed.
    pub fn set_snapshot(&mut self, snapshot: &str, field: &str, text: &str) -> Result<(), Refusal> {
        let name = format!("{field} of snapshot {snapshot}");
        if field == "order" {
            let order = text.trim().parse().map_err(|_| format!("\"{text}\" is not a whole number"))?;
            return self.set_if_read(&name, &[(FILE, vec!["snapshots", snapshot, field], NewValue::Whole(order))]);
        }
        self.set_mix(&name, vec!["snapshots", snapshot, field], text)
    }

    /// Sets what a snapshot holds of a value of the mix (`by -3 dB`, `to 900 Hz`), as one edit; an empty text holds nothing of it.
    /// A value without `by` or `to` is taken as `to`.
    ///
    /// # Errors
    /// When the text is no such value, or the file cannot be edited; then nothing is changed.
    pub fn set_held(&mut self, snapshot: &str, what: &str, text: &str) -> Result<(), Refusal> {
        let text = if text.trim().is_empty() { String::new() } else { self.read_held_of(what, text)? };
        self.set_mix(&format!("{what} in snapshot {snapshot}"), vec!["snapshots", snapshot, "hold", what], &text)
    }

    /// What is typed to be held of a value of the mix, as it is written.
    fn read_held_of(&self, what: &str, text: &str) -> Result<String, Refusal> {
        let text = text.trim().replace('−', "-");
        let text = if read_held(&text).is_ok() { text } else { format!("to {text}") };
        let (by, value) = read_held(&text)?;
        let words: Vec<&str> = what.split(' ').collect();
        let property = property_of(self.document(), &words).ok_or_else(|| format!("there is no {what} in the mix"))?;
        if property == Property::Level && !by {
            Decibels::read(value).map_err(|e| e.to_string())?;
        } else {
            property.read(value)?;
        }
        Ok(text)
    }
}
