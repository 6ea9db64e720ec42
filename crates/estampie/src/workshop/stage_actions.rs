//! What hands do on the Stage and in the Mix: levels, solo and mute, rest values, replaying and recording.

use super::app::{App, Column, Item};
use super::keys::View;
use super::rehearsal::SoloStep;
use estampie_engine::engine::InputKind;
use estampie_engine::units::Decibels;

/// Half a decibel, or a tenth for a fine step.
fn level_step(by: f32) -> f32 {
    if by.abs() < 1.0 { by.signum() * 0.1 } else { by * 0.5 }
}

impl App {
    /// The document's bus behind the selected line of the Mix.
    pub(crate) fn bus_name(&self, bus: usize) -> Option<String> {
        self.program().mix.buses.get(bus).map(|b| self.program().names.get(b.key).to_owned())
    }

    pub(crate) fn bus_level(&self, name: &str) -> f32 {
        self.document().buses.iter().find(|b| b.name == name).map_or(0.0, |b| b.level.0)
    }

    pub(super) fn nudge_bus(&mut self, by: f32) {
        let Some(name) = self.bus_name(self.bus) else { return };
        let level = self.bus_level(&name);
        // Out of silence one comes in at the quiet end.
        let level = if level == f32::NEG_INFINITY { -60.0 } else { level + level_step(by) };
        self.set_bus_level(&name, level);
    }

    pub(crate) fn set_bus_level(&mut self, name: &str, level: f32) {
        let level = if level < -80.0 { Decibels::SILENCE } else { Decibels(((level * 10.0).round() / 10.0).min(24.0)) };
        let done = self.workspace.set_value(&format!("level of {name}"), "mix.toml", &["buses", name, "level"], &level.to_string());
        self.edited(done);
    }

    pub(super) fn nudge_sound(&mut self, by: f32) {
        let Some(voice) = self.selected_voice() else { return };
        let name = self.rehearsal.names.get(voice.sound).to_owned();
        let Some(level) = self.document().sounds.iter().find(|s| s.name == name).map(|s| s.level.0) else { return };
        self.voice = Some(voice.voice);
        self.set_sound_level(&name, level + level_step(by));
    }

    pub(super) fn set_sound_level(&mut self, name: &str, level: f32) {
        let Some(file) = self.document().sounds.iter().find(|s| s.name == name).map(|s| s.place.file.clone()) else { return };
        let level = Decibels(((level * 10.0).round() / 10.0).clamp(-120.0, 24.0));
        let done = self.workspace.set_value(&format!("level of {name}"), &file, &[name, "level"], &level.to_string());
        self.edited(done);
    }

    pub(super) fn gate(&mut self, solo: bool) {
        let bus = match self.view {
            View::Mix => self.program().mix.buses.get(self.bus).map(|b| b.key),
            // On the Stage: the bus of the selected voice, by its ledger.
            View::Stage => self.selected_voice().and_then(|v| {
                let status = self.rehearsal.status.as_ref()?;
                status.terms_of(&v).iter().find(|t| t.kind == estampie_engine::ledger::TermKind::Bus).map(|t| t.of)
            }),
            View::Sounds | View::Wiring | View::Music => None,
        };
        let Some(bus) = bus else { return self.say("nothing sounds; choose a bus in the view Mix") };
        let word = if solo {
            match self.rehearsal.step_solo(bus) {
                SoloStep::InPlace => "is soloed, in its returns as well; s again: without them",
                SoloStep::Dry => "is soloed, without the returns; s again ends it",
                SoloStep::No => "is no longer soloed",
            }
        } else if self.rehearsal.toggle_mute(bus) {
            "is silent"
        } else {
            "is heard again"
        };
        let text = format!("bus {} {word} (temporary)", self.rehearsal.names.get(bus));
        self.say(text);
    }

    pub(super) fn rest(&mut self) {
        match (self.view, self.column, self.selected_item()) {
            (View::Stage, Column::Index, Some(Item::Parameter(index))) => {
                let rest = self.document().parameters[index].rest;
                self.set_parameter(index, rest);
            }
            (View::Stage, Column::Index, Some(Item::State(index))) => {
                let start = self.document().states[index].start;
                self.set_state(index, start);
            }
            (View::Stage, Column::Sounding, _) => {
                if let Some(voice) = self.selected_voice() {
                    let name = self.rehearsal.names.get(voice.sound).to_owned();
                    self.set_sound_level(&name, 0.0);
                }
            }
            _ => {}
        }
    }

    pub(super) fn main_thing(&mut self) {
        if self.column == Column::Sounding {
            if let Some(voice) = self.selected_voice() {
                self.rehearsal.say(InputKind::Play { sound: voice.sound, emitter: voice.emitter });
            }
            return;
        }
        match self.selected_item() {
            Some(Item::Event(index)) => {
                let name = self.document().events[index].name.clone();
                self.rehearsal.event(&name);
            }
            Some(Item::Playthrough(index)) => self.replay(index),
            Some(Item::State(index)) => {
                let count = self.document().states[index].values.len();
                self.set_state(index, (self.latest_state(index) + 1) % count.max(1));
            }
            Some(Item::Parameter(_)) => self.begin_typing(),
            None => {}
        }
    }

    pub(super) fn replay(&mut self, index: usize) {
        let Some((name, playthrough)) = self.document().playthroughs.get(index).cloned() else { return };
        self.rehearsal.replay(&name, &playthrough);
        self.say(format!("replaying {name} from a fresh start"));
    }

    /// The number and the file of the next recording.
    pub(super) fn next_take(&self) -> (usize, String) {
        let file = |n: usize| format!("playthroughs/take-{n}.play");
        let taken = |n: &usize| self.workspace.sources().get(&file(*n)).is_some();
        let number = (1..).find(|n| !taken(n)).unwrap_or(1);
        (number, file(number))
    }

    pub(super) fn record(&mut self) {
        if let Some(playthrough) = self.rehearsal.end_recording() {
            let (number, file) = self.next_take();
            self.workspace.replace(&format!("recording of take-{number}"), &file, &playthrough.to_string());
            self.compile();
            self.say(format!("recorded as take-{number}; it is in the list of playthroughs"));
        } else {
            self.rehearsal.record();
            self.say("recording from a fresh start; R again ends it");
        }
    }
}
