//! What hands do on the Stage and in the Mix: levels, solo and mute, rest values, replaying and recording.

use super::{Column, Item, StagePrompt};
use crate::workshop::app::{App, Mode};
use crate::workshop::keys::Do;
use crate::workshop::rehearsal::{SoloStep, is_member};
use crate::workshop::text_field::TextField;
use estampie_engine::engine::{InputKind, VoiceStatus};
use estampie_engine::names::NameKey;
use estampie_engine::property::Property;
use estampie_engine::units::Decibels;

/// Half a decibel, or a tenth for a fine step.
fn level_step(by: f32) -> f32 {
    if by.abs() < 1.0 { by.signum() * 0.1 } else { by * 0.5 }
}

impl App {
    /// Does what a key means on the Stage, the map aside.
    pub(super) fn act_stage(&mut self, does: Do) -> bool {
        match does {
            Do::Left => self.nudge(-1.0),
            Do::Right => self.nudge(1.0),
            Do::FineLeft => self.nudge(-0.1),
            Do::FineRight => self.nudge(0.1),
            Do::NextColumn | Do::PreviousColumn => {
                let columns: &[Column] = match (self.game.shown, self.map_shown()) {
                    (true, _) => &[Column::Index, Column::Game, Column::Sounding],
                    (false, true) => &[Column::Index, Column::Map, Column::Sounding],
                    (false, false) => &[Column::Index, Column::Sounding],
                };
                let at = columns.iter().position(|c| *c == self.stage.column).unwrap_or(0);
                let by = if does == Do::NextColumn { 1 } else { columns.len() - 1 };
                self.stage.column = columns[(at + by) % columns.len()];
            }
            Do::Main => self.main_thing(),
            Do::Edit => self.begin_typing(),
            Do::Rest => self.rest(),
            Do::Filter => self.mode = Mode::typing(StagePrompt::Filter, TextField::new(&self.stage.filter)),
            Do::Fold => self.fold_stage(),
            Do::LearnMidi => self.learn_chosen(),
            Do::Back if self.end_learning() => self.say("nothing is learned"),
            Do::Back if !self.stage.filter.is_empty() => self.filter_stage(""),
            _ => return false,
        }
        true
    }

    /// The chosen parameter or event learns what moves or sends it.
    fn learn_chosen(&mut self) {
        match self.selected_item().filter(|_| self.stage.column == Column::Index) {
            Some(Item::Parameter(at)) => {
                let name = self.document().parameters[at].name.clone();
                self.begin_learning(&name, false);
            }
            Some(Item::Event(at)) => {
                let name = self.document().events[at].name.clone();
                self.begin_learning(&name, true);
            }
            _ => self.say("choose a parameter or an event in the list first"),
        }
    }

    /// Goes so many lines down in the list that has the keys.
    pub(super) fn go_stage(&mut self, by: isize) {
        let step = |at: usize, count: usize| at.saturating_add_signed(by).min(count.saturating_sub(1));
        match self.stage.column {
            Column::Index => self.stage.item = step(self.stage.item, self.items().len()),
            Column::Map => {}
            Column::Game => self.go_game(by),
            Column::Sounding => {
                let voices = self.sounding();
                let at = voices.iter().position(|v| Some(v.voice) == self.stage.voice).unwrap_or(0);
                self.stage.voice = voices.get(step(at, voices.len())).map(|v| v.voice);
            }
        }
    }

    /// What sounds now, loudest first.
    pub(crate) fn sounding(&self) -> Vec<VoiceStatus> {
        let mut voices = self.rehearsal.status.as_ref().map_or_else(Vec::new, |s| s.voices.clone());
        voices.sort_by(|a, b| b.heard_db.total_cmp(&a.heard_db));
        // Of a flock the loudest stands for all.
        let mut seen: Vec<NameKey> = Vec::new();
        let program = self.program();
        voices.retain(|v| {
            let again = is_member(program, v.emitter) && seen.contains(&v.sound);
            if !again {
                seen.push(v.sound);
            }
            !again
        });
        voices.extend(self.rehearsal.ended_lately().map(|e| e.voice));
        voices
    }

    /// How many voices of a flock or one-shots one stands for.
    pub(crate) fn crowd(&self, voice: &VoiceStatus) -> usize {
        let program = self.program();
        if !is_member(program, voice.emitter) {
            return 1;
        }
        self.rehearsal.status.as_ref().map_or(1, |s| s.voices.iter().filter(|v| v.sound == voice.sound && is_member(program, v.emitter)).count())
    }

    /// The selected voice, or the loudest.
    pub(crate) fn selected_voice(&self) -> Option<VoiceStatus> {
        let voices = self.sounding();
        // What has ended is shown only to who asks for it.
        let first = voices.first().filter(|v| self.stage.column == Column::Sounding || self.rehearsal.ended(v.voice).is_none());
        voices.iter().find(|v| Some(v.voice) == self.stage.voice).or(first).copied()
    }

    pub(crate) fn selected_item(&self) -> Option<Item> {
        self.items().get(self.stage.item).copied()
    }

    /// Moves the selected value by `by` steps.
    fn nudge(&mut self, by: f32) {
        if self.stage.column == Column::Sounding {
            return self.nudge_sound(by);
        }
        match self.selected_item() {
            Some(Item::Parameter(index)) => self.nudge_parameter(index, by),
            Some(Item::State(index)) => self.nudge_state(index, by),
            _ => {}
        }
    }

    /// The document's bus behind the selected line of the Mix.
    pub(crate) fn bus_name(&self, bus: usize) -> Option<String> {
        self.program().mix.buses.get(bus).map(|b| self.program().names.get(b.key).to_owned())
    }

    pub(crate) fn bus_level(&self, name: &str) -> f32 {
        self.document().buses.iter().find(|b| b.name == name).map_or(0.0, |b| b.level.0)
    }

    pub(crate) fn nudge_bus(&mut self, by: f32) {
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

    pub(crate) fn nudge_sound(&mut self, by: f32) {
        let Some(voice) = self.selected_voice() else { return };
        let name = self.rehearsal.names.get(voice.sound).to_owned();
        let Some(level) = self.document().sounds.iter().find(|s| s.name == name).map(|s| s.set[Property::Level]) else { return };
        self.stage.voice = Some(voice.voice);
        self.set_sound_level(&name, level + level_step(by));
    }

    pub(crate) fn set_sound_level(&mut self, name: &str, level: f32) {
        let Some(file) = self.document().sounds.iter().find(|s| s.name == name).map(|s| s.place.file.clone()) else { return };
        let level = Decibels(((level * 10.0).round() / 10.0).clamp(-120.0, 24.0));
        let done = self.workspace.set_value(&format!("level of {name}"), &file, &[name, "level"], &level.to_string());
        self.edited(done);
    }

    pub(crate) fn gate(&mut self, solo: bool) {
        let bus = self.view().bus(self);
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

    pub(crate) fn rest(&mut self) {
        match (self.stage.column, self.selected_item()) {
            (Column::Index, Some(Item::Parameter(index))) => {
                let rest = self.document().parameters[index].rest;
                self.set_parameter(index, rest);
            }
            (Column::Index, Some(Item::State(index))) => {
                let start = self.document().states[index].start;
                self.set_state(index, start);
            }
            (Column::Sounding, _) => {
                if let Some(voice) = self.selected_voice() {
                    let name = self.rehearsal.names.get(voice.sound).to_owned();
                    self.set_sound_level(&name, 0.0);
                }
            }
            _ => {}
        }
    }

    pub(crate) fn main_thing(&mut self) {
        if self.stage.column == Column::Sounding {
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
            Some(Item::Folded(group)) => self.unfold(group),
            None => {}
        }
    }

    pub(crate) fn replay(&mut self, index: usize) {
        let Some((name, playthrough)) = self.document().playthroughs.get(index).cloned() else { return };
        if self.only_here("a replay") {
            return;
        }
        self.rehearsal.replay(&name, &playthrough);
        self.say(format!("replaying {name} from a fresh start"));
    }

    /// The number and the file of the next recording.
    pub(crate) fn next_take(&self) -> (usize, String) {
        let file = |n: usize| format!("playthroughs/take-{n}.play");
        let taken = |n: &usize| self.workspace.sources().get(&file(*n)).is_some();
        let number = (1..).find(|n| !taken(n)).unwrap_or(1);
        (number, file(number))
    }

    pub(crate) fn record(&mut self) {
        if let Some(playthrough) = self.rehearsal.end_recording() {
            let (number, file) = self.next_take();
            self.workspace.replace(&format!("recording of take-{number}"), &file, &playthrough.to_string());
            self.compile();
            self.say(format!("recorded as take-{number}; it is in the list of playthroughs"));
        } else {
            self.rehearsal.record();
            let from = if self.rehearsal.visiting() { "from this moment of the game" } else { "from a fresh start" };
            self.say(format!("recording {from}; R again ends it"));
        }
    }

    pub(crate) fn begin_typing(&mut self) {
        let ask = match (self.stage.column, self.selected_item()) {
            (Column::Index, Some(Item::Parameter(index))) => Some(StagePrompt::Parameter(self.document().parameters[index].name.clone())),
            (Column::Index, Some(Item::Event(index))) => {
                let event = self.document().events[index].name.clone();
                let laid = self.document().pads.iter().find(|(_, of)| of.value == event).map_or_else(String::new, |(pad, _)| pad.to_string());
                self.mode = Mode::typing(StagePrompt::Pad(event), TextField::offer(&laid));
                return;
            }
            (Column::Sounding, _) => self.selected_voice().map(|v| StagePrompt::SoundLevel(self.rehearsal.names.get(v.sound).to_owned())),
            _ => None,
        };
        match (ask, self.selected_item()) {
            (Some(ask), _) => self.mode = Mode::typing(ask, TextField::default()),
            (None, Some(Item::Playthrough(at))) if self.stage.column == Column::Index => self.show_playthrough(at),
            _ => self.say("choose a parameter, a sound or a bus to type a value for"),
        }
    }
}
