//! Prompt values and the finder: what is typed on the last line, and what it does.

use super::app::{App, Column, Item, Mode, Prompt};
use super::finder::{self, Found};
use super::keys::View;
use super::text_field::TextField;
use crate::player::device;
use estampie_engine::engine::InputKind;
use estampie_engine::names::NameKey;
use estampie_engine::units::{Decibels, Pan, Quantity as _, Seconds, read_number};

impl App {
    pub(super) fn key_typing(&mut self, name: &str, typed: Prompt, mut text: TextField) {
        match name {
            "esc" | "ctrl-c" => {
                match typed {
                    Prompt::Filter => self.sounds.filter.clear(),
                    Prompt::Point(editor) => self.mode = Mode::Curve(*editor),
                    _ => {}
                }
                return;
            }
            "enter" => match self.set_confirmed(&typed, &text.text) {
                Ok(()) => return,
                Err(why) => self.alarm(why),
            },
            "tab" => {
                let word = text.word().to_owned();
                if let Some(found) = self.completions(&typed, &word).into_iter().next() {
                    text.complete(&found);
                    text.key("backspace");
                }
            }
            _ => {
                text.key(name);
            }
        }
        if typed == Prompt::Filter {
            self.set_filter(&text.text);
        }
        self.mode = Mode::Typing(typed, text);
    }

    /// Does what was typed, unless it names what there is not, or else is at fault only together with all the rest: then it is told, and
    /// entering the same again keeps it. One may name first and make later.
    fn set_confirmed(&mut self, typed: &Prompt, text: &str) -> Result<(), String> {
        let again = self.unconfirmed.take().is_some_and(|told| told == text);
        let known: Vec<String> = self.faults.iter().map(|f| f.what.clone()).collect();
        let edits = self.workspace.edits();
        self.workspace.begin_anew();
        self.set_typed(typed, text)?;
        let new = self.faults.iter().find(|f| !known.contains(&f.what)).map(|f| format!("{}; {}", f.what, f.fix));
        let Some(fault) = new.filter(|_| !again && self.workspace.edits() > edits) else { return Ok(()) };
        self.workspace.take_back();
        self.compile();
        self.unconfirmed = Some(text.to_owned());
        Err(format!("{fault} (enter again keeps it so)"))
    }

    /// Names that can stand in what is typed and begin with `word`.
    pub(crate) fn completions(&self, typed: &Prompt, word: &str) -> Vec<String> {
        let document = self.document();
        let mut names: Vec<&str> = Vec::new();
        let parameters = document.parameters.iter().map(|p| p.name.as_str());
        let states = document.states.iter().map(|s| s.name.as_str());
        match typed {
            Prompt::NewThing => {
                names.extend(estampie_project::document::TABLES.iter().map(|(_, word, _)| *word));
                names.extend(document.sounds.iter().map(|s| s.name.as_str()));
                names.extend(document.world.zones.iter().map(|z| z.name.as_str()));
            }
            Prompt::Thing(_) => {
                names.extend([
                    "at", "outline", "line", "path", "radius", "height", "margin", "order", "sets", "snapshot", "ambience", "plays", "facing", "open", "reach",
                    "kind",
                ]);
                names.extend(["inside.level", "inside.low-pass", "inside.time", "outside.level", "outside.low-pass", "outside.time", "closed.level", "note"]);
                names.extend(document.sounds.iter().map(|s| s.name.as_str()).chain(parameters));
            }
            Prompt::Field(_, "bus") => names.extend(document.buses.iter().map(|b| b.name.as_str())),
            Prompt::Field(_, key) if key.ends_with(".like") => names.extend(document.shared.names(key.split('.').next().unwrap_or_default())),
            Prompt::Field(_, "group") => names.extend(document.shared.names("group")),
            Prompt::Field(_, "pick") => {
                names.extend(["shuffle", "weighted", "cycle", "together", "by", "across"]);
                names.extend(parameters.chain(states));
            }
            Prompt::Field(_, "re-trigger") => names.extend(["overlap", "restart", "ignore"]),
            Prompt::Field(_, "limit.when-full") => names.extend(["oldest", "quietest", "farthest", "least important", "refuse"]),
            Prompt::Field(_, "when-refused") | Prompt::Wire(_) => names.extend(document.events.iter().map(|e| e.name.as_str())),
            Prompt::Field(_, "takes" | "chain") | Prompt::Takes(..) => {
                names.extend(self.workspace.audio().iter().map(String::as_str));
                names.extend(document.sounds.iter().map(|s| s.name.as_str()));
            }
            Prompt::NewModulation => {
                names.extend(parameters);
                names.extend(document.sounds.iter().map(|s| s.name.as_str()));
                names.extend(["moves", "bus", "snapshot", "send", "amount", "piece", "layer", "group"]);
                names.extend(document.buses.iter().map(|b| b.name.as_str()));
                names.extend(document.snapshots.iter().map(|s| s.name.as_str()));
                names.extend(document.music.pieces.iter().map(|p| p.name.as_str()));
                names.extend(document.buses.iter().flat_map(|b| b.effects.iter().map(|i| i.name.as_str())));
                for effect in document.buses.iter().flat_map(|b| &b.effects) {
                    let kind = estampie_project::document::kind_of(&document.shared.effect, effect);
                    names.extend(kind.into_iter().flat_map(|k| k.settings.iter().map(|s| s.word)));
                }
                names.extend(estampie_engine::property::Property::ALL.map(|(_, w)| w));
            }
            Prompt::Formula(_) => {
                names.extend(parameters.chain(states));
                names.extend(estampie_engine::vocabulary::Function::ALL.map(|(_, n, _)| n));
            }
            Prompt::Transition { field, .. } => match *field {
                "leave" => names.extend(["at once", "next beat", "next bar", "every 2 bars", "phrase end", "section end", "open ending", "marker"]),
                "by-way-of" => {
                    names.extend(["nothing", "close ending"]);
                    names.extend(self.piece_doc().into_iter().flat_map(|p| p.sections.iter().map(|s| s.name.as_str())));
                }
                "arrive" => names.extend(["start", "same bar", "same beat", "where it left off", "marker"]),
                "allowed" => names.extend(["yes", "no"]),
                _ => {}
            },
            _ => names.extend(self.mix_words(typed)),
        }
        names.into_iter().filter(|n| !word.is_empty() && n.starts_with(word) && *n != word).map(str::to_owned).collect()
    }

    pub(super) fn key_finder(&mut self, name: &str, mut query: String, mut at: usize) {
        match name {
            "esc" | "ctrl-c" => return,
            "enter" => {
                let found = finder::find(self, &query);
                if let Some(entry) = found.into_iter().nth(at) {
                    self.follow(entry.found);
                }
                return;
            }
            "down" | "tab" => at = (at + 1).min(finder::find(self, &query).len().saturating_sub(1)),
            "up" | "backtab" => at = at.saturating_sub(1),
            "backspace" => {
                query.pop();
                at = 0;
            }
            "space" => query.push(' '),
            _ if name.chars().count() == 1 => {
                query.push_str(name);
                at = 0;
            }
            _ => {}
        }
        self.mode = Mode::Finder { query, at };
    }

    pub(super) fn begin_typing(&mut self) {
        let typed = match (self.view, self.column, self.selected_item()) {
            (View::Stage, Column::Index, Some(Item::Parameter(index))) => Some(Prompt::Parameter(self.document().parameters[index].name.clone())),
            (View::Stage, Column::Sounding, _) => self.selected_voice().map(|v| Prompt::SoundLevel(self.rehearsal.names.get(v.sound).to_owned())),
            _ => None,
        };
        match typed {
            Some(typed) => self.mode = Mode::Typing(typed, TextField::default()),
            None => self.say("choose a parameter, a sound or a bus to type a value for"),
        }
    }

    pub(super) fn set_typed(&mut self, typed: &Prompt, text: &str) -> Result<(), String> {
        match typed {
            Prompt::Parameter(name) => {
                let index = self.document().parameters.iter().position(|p| p.name == *name).ok_or("it is gone")?;
                let doc = &self.document().parameters[index];
                let value = read_number(text, &doc.unit).map_err(|_| format!("\"{text}\" is not a number; write {} to {} {}", doc.low, doc.high, doc.unit))?;
                if !(doc.low..=doc.high).contains(&(value as f32)) {
                    return Err(format!("{name} goes from {} to {} {}", doc.low, doc.high, doc.unit));
                }
                self.rehearsal.parameter(NameKey::of(name), value as f32);
            }
            Prompt::BusLevel(name) if Pan::is_meant(text) => {
                self.workspace.set_bus_pan(name, text)?;
                self.recompile();
                self.say(format!("{name} pan {}", text.trim()));
            }
            Prompt::BusLevel(name) => {
                let level = Decibels::read(text).map_err(|e| e.to_string())?;
                if level.0 > 24.0 {
                    return Err("a level goes up to 24 dB".into());
                }
                self.set_bus_level(name, level.0);
            }
            Prompt::SoundLevel(name) => {
                let level = Decibels::read(text).map_err(|e| e.to_string())?;
                if !(-120.0..=24.0).contains(&level.0) {
                    return Err("a sound's level goes from -120 dB to 24 dB".into());
                }
                self.set_sound_level(name, level.0);
            }
            Prompt::Field(sounds, field) => {
                self.workspace.set_sounds(sounds, field, text)?;
                self.recompile();
                if sounds.len() > 1 {
                    self.say(format!("{field} of {} sounds", sounds.len()));
                }
            }
            Prompt::Takes(sound, value) => {
                let takes: Vec<String> = text.split(';').map(|t| t.trim().to_owned()).filter(|t| !t.is_empty()).collect();
                self.workspace.set_takes(sound, value, &takes)?;
                self.recompile();
            }
            Prompt::Shared { kind, name, key } => self.set_shared(kind, name, key, text)?,
            Prompt::Rename(name) => {
                let new = text.trim();
                if new != name {
                    self.workspace.rename_sound(name, new)?;
                    self.sounds.selected = new.to_owned();
                    self.sounds.marked.remove(name);
                    self.recompile();
                    self.say(format!("{name} is {new} wherever it was named"));
                }
            }
            Prompt::Thing(thing) => self.set_thing_typed(thing, text)?,
            Prompt::NewThing => self.begin_thing(text)?,
            Prompt::Filter => self.set_filter(text),
            Prompt::Wire(sound) => self.wire(sound, text)?,
            Prompt::NewModulation => self.new_modulation(text)?,
            Prompt::Formula(name) => self.set_formula(name, text)?,
            Prompt::Smooth(written) => {
                if !text.trim().is_empty() {
                    Seconds::read(text).map_err(|e| e.to_string())?;
                }
                let done = self.workspace.set_smooth("smoothing of a modulation", *written, text.trim());
                self.edited(done);
            }
            Prompt::Transition { piece, from, to, field } => {
                self.workspace.set_transition(piece, from, to, field, text)?;
                self.recompile();
            }
            Prompt::LayerLevel { piece, section, layer } if Pan::is_meant(text) => {
                Pan::read(&text.replace('−', "-")).map_err(|e| e.to_string())?;
                self.workspace.set_layer(piece, section, layer, "pan", text.trim())?;
                self.recompile();
            }
            Prompt::LayerLevel { piece, section, layer } => {
                let level = Decibels::read(text).map_err(|e| e.to_string())?;
                if !(-120.0..=24.0).contains(&level.0) {
                    return Err("a layer's level goes from -120 dB to 24 dB".into());
                }
                self.workspace.set_layer(piece, section, layer, "level", &level.to_string())?;
                self.recompile();
            }
            Prompt::Point(editor) => self.set_point(editor, text)?,
            _ => self.set_typed_mix(typed, text)?,
        }
        Ok(())
    }

    /// Goes where a find of the finder leads, or does it.
    pub(super) fn follow(&mut self, found: Found) {
        match found {
            Found::Do(does) => self.act(does),
            Found::Item(item) => {
                self.view = View::Stage;
                self.column = Column::Index;
                self.item = self.items().iter().position(|i| *i == item).unwrap_or(0);
                if let Item::Playthrough(index) = item {
                    self.replay(index);
                }
            }
            Found::Send(name) => self.rehearsal.event(&name),
            Found::Hear(name) => {
                self.rehearsal.say(InputKind::Play { sound: NameKey::of(&name), emitter: NameKey::NONE });
            }
            Found::Sound(name) => {
                self.view = View::Sounds;
                self.sounds.selected = name;
            }
            Found::Reaction(line) => self.go_to_reaction(line),
            Found::Curve(written) => {
                self.go_to_modulation(written);
                self.begin_curve(written);
            }
            Found::Bus(index) => {
                self.view = View::Mix;
                self.bus = index;
            }
            Found::Thing(thing) => self.go_to_thing(thing, false),
            Found::Stand(thing) => self.go_to_thing(thing, true),
            Found::Device(name) => {
                self.rehearsal.player.choose_device(&name);
                self.say(format!("going over to {name}"));
            }
            Found::Devices => match device::list() {
                Ok(devices) if devices.is_empty() => self.say("this machine has no sound device"),
                Ok(devices) => {
                    let names: Vec<String> = devices.into_iter().map(|(name, _)| name).collect();
                    self.say(format!("devices: {}; choose one with : and \"device\"", names.join(", ")));
                }
                Err(why) => self.alarm(why),
            },
        }
    }
}
