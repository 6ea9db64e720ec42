//! Prompt values and the finder: what is typed on the last line, and what it does.

use super::app::{App, Mode};
use super::finder::{self, Found};
use super::stage::Item;
use super::text_field::TextField;
use super::view::Prompt;
use super::{mix, sounds};
use crate::player::device;
use estampie_engine::engine::InputKind;
use estampie_engine::names::NameKey;
use estampie_project::document::Refusal;

impl App {
    pub(super) fn key_typing(&mut self, name: &str, typed: Prompt, mut text: TextField) {
        // What was wrong with the text stays in sight while it is mended, and no longer.
        if matches!(name, "esc" | "ctrl-c" | "enter") {
            self.message.take_if(|m| m.alarm);
        }
        match name {
            "esc" | "ctrl-c" => {
                typed.given_up(self);
                return;
            }
            "y" | "n" if typed.one_key() => match self.set_confirmed(&typed, name) {
                Ok(()) => return,
                Err(why) => self.alarm(why),
            },
            "enter" => match self.set_confirmed(&typed, &text.text) {
                Ok(()) => return,
                Err(why) => self.alarm(why.to_string()),
            },
            "tab" => {
                if let Some(found) = self.completions(&typed, &text).into_iter().next() {
                    text.complete(&found);
                    text.key("backspace");
                }
            }
            _ => {
                text.key(name);
            }
        }
        typed.changed(self, &text.text);
        self.mode = Mode::Typing(typed, text);
    }

    /// Does what was typed, unless it names what there is not, or else is at fault only together with all the rest: then it is told, and
    /// entering the same again keeps it. One may name first and make later.
    fn set_confirmed(&mut self, typed: &Prompt, text: &str) -> Result<(), Refusal> {
        let again = self.unconfirmed.take().is_some_and(|told| told == text);
        let known: Vec<String> = self.faults.iter().map(|f| f.what.clone()).collect();
        let edits = self.workspace.edits();
        self.workspace.begin_anew();
        typed.answer(self, text)?;
        let new = self.faults.iter().find(|f| !known.contains(&f.what)).map(|f| format!("{}; {}", f.what, f.fix));
        let Some(fault) = new.filter(|_| !again && !typed.said_before() && self.workspace.edits() > edits) else { return Ok(()) };
        self.workspace.take_back();
        self.compile();
        self.unconfirmed = Some(text.to_owned());
        Err(format!("{fault} (enter again keeps it so)").into())
    }

    /// Words that can stand in what is typed where it is typed, and begin as it does.
    pub(crate) fn completions(&self, typed: &Prompt, text: &TextField) -> Vec<String> {
        let word = text.word();
        // What follows in the order of its words is offered before it is begun.
        let (mut names, in_order) = match typed.offers_after(self, &text.before()[..text.before().len() - word.len()]) {
            Some(names) => (names, true),
            None => (typed.offers(self), false),
        };
        names.retain(|n| (in_order || !word.is_empty()) && n.starts_with(word) && n != word);
        names
    }

    pub(super) fn key_finder(&mut self, name: &str, mut query: String, mut at: usize) {
        match name {
            "esc" | "ctrl-c" => return,
            "enter" => {
                if let Some(entry) = finder::find(self, &query).get(at) {
                    self.finder.borrow_mut().chose(&entry.text);
                    self.follow(entry.found.clone());
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

    /// Goes where a find of the finder leads, or does it.
    pub(super) fn follow(&mut self, found: Found) {
        match found {
            Found::Do(does) => self.act(does),
            Found::Item(item) => {
                self.select(item);
                if let Item::Playthrough(index) = item {
                    self.replay(index);
                }
            }
            Found::Send(name) => self.rehearsal.event(&name),
            Found::Listen(at) => self.listen(at),
            Found::Lines(at) => self.show_playthrough(at),
            Found::Forget(name) => self.forget_listening(&name),
            Found::Hear(name) => {
                self.rehearsal.say(InputKind::Play { sound: NameKey::of(&name), emitter: NameKey::NONE });
            }
            Found::Sound(name) => {
                self.show(sounds::NAME);
                self.sounds.selected = name;
            }
            Found::Reaction(line) => self.go_to_reaction(line),
            Found::Curve(written) => {
                self.go_to_modulation(written);
                self.begin_curve(written);
            }
            Found::Bus(index) => {
                self.show(mix::NAME);
                self.bus = index;
            }
            Found::Thing(thing) => self.go_to_thing(thing, false),
            Found::Stand(thing) => self.go_to_thing(thing, true),
            Found::Fields(thing) => self.go_to_fields(thing),
            Found::Recipe(name) => self.ask_for_recipe(&name),
            Found::New(kind) => self.begin_new_thing(kind),
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
                Err(why) => self.alarm(why.to_string()),
            },
        }
    }
}
