//! Compiling actions: what is written in each slot becomes an index or a number, whatever the action.

use super::Compiler;
use crate::document::{Located, SILENCE, ValueOf, did_you_mean};
use crate::language::Word;
use crate::language::actions::{ACTIONS, Act, Action, Said, SlotKind, Where};
use estampie_engine::names::NameKey;
use estampie_engine::program::{self, At, Filled, MOST_SLOTS};
use estampie_engine::units::split_number;
use estampie_engine::world::emitters::LISTENER_NAME;

impl Compiler<'_> {
    pub(super) fn act(&mut self, act: &Act) -> Option<program::Act> {
        let action = self.action(&act.action)?;
        let chance = act.chance.map_or(1.0, |percent| (percent / 100.0) as f32);
        Some(program::Act { action, chance, after: act.after.map_or(0, |t| t.frames(self.program.rate)) })
    }

    fn action(&mut self, action: &Action) -> Option<program::Action> {
        let kind = ACTIONS.iter().position(|k| *k == action.kind)? as u8;
        let mut slots = [Filled::Nothing; MOST_SLOTS];
        for (at, (slot, said)) in action.slots().enumerate() {
            slots[at] = self.filled(slot.holds, said, (action, &slots[..at]))?;
        }
        Some(program::Action { kind, slots })
    }

    /// What one slot comes to, after those before it.
    fn filled(&mut self, holds: SlotKind, said: &Said, (action, before): (&Action, &[Filled])) -> Option<Filled> {
        Some(match (holds, said) {
            (SlotKind::Where, Said::Nothing) => Filled::At(At::Sender),
            (SlotKind::Whose, Said::Nothing) => Filled::At(At::Any),
            (_, Said::Nothing) => Filled::Nothing,
            (_, Said::Where(at)) => Filled::At(self.at(at)),
            (_, Said::Urgency(urgency)) => Filled::Urgency(*urgency),
            (_, Said::Time(time)) => Filled::Frames(time.frames(self.program.rate)),
            (_, Said::Property(property)) => Filled::Property(*property),
            (_, Said::Written(text)) => {
                let property = before.iter().find_map(|f| if let Filled::Property(property) = f { Some(*property) } else { None })?;
                Filled::Value(property.read(text).unwrap_or_default())
            }
            (_, Said::Shape(shape)) => Filled::Shape(*shape),
            (_, Said::LetGo) => Filled::LetGo,
            (_, Said::Number(number)) => Filled::Value(*number as f32),
            (_, Said::Moment(moment)) => Filled::When(super::music::when(moment)),
            (holds, Said::Word(word)) => self.named(holds, word, (action, before))?,
        })
    }

    /// What a name or a value comes to.
    fn named(&mut self, holds: SlotKind, word: &Word, (action, before): (&Action, &[Filled])) -> Option<Filled> {
        Some(match holds {
            SlotKind::Sound => Filled::Sound(self.sound_named(&word.text, &word.place)?),
            SlotKind::Spoken => {
                let index = self.sound_named(&word.text, &word.place)?;
                if self.program.sounds[index].lines.is_none() {
                    self.fault(&word.place, format!("{word} has no lines to say"), "write \"play\", or give the sound lines = { gap = \"1..2 s\" }");
                    return None;
                }
                Filled::Sound(index)
            }
            SlotKind::Event => Filled::Event(self.event(word)?),
            SlotKind::Parameter => Filled::Parameter(self.settable(word)?),
            SlotKind::Subject => match self.found.states.get(word.text.as_str()).copied() {
                Some(state) => Filled::State(state),
                None => Filled::Parameter(self.settable(word)?),
            },
            SlotKind::SubjectValue => match before.last() {
                Some(Filled::State(state)) => Filled::StateValue(self.state_value(*state, word)?),
                Some(Filled::Parameter(parameter)) => Filled::Value(self.parameter_value(*parameter, word)?),
                _ => return None,
            },
            SlotKind::Piece => match self.program.music.find_playlist.get(NameKey::of(&word.text)) {
                Some(list) => Filled::Playlist(list as u16),
                None => Filled::Piece(self.piece_named(&word.text, &word.place)?),
            },
            SlotKind::Section => self.section_wanted(word, (action, before))?,
            SlotKind::Stinger => Filled::Stinger(self.stinger(word)?),
            SlotKind::Layers => Filled::Layers(self.switch_named(&word.text, &word.place)?),
            SlotKind::Snapshot => Filled::Snapshot(self.snapshot_named(&word.text, &word.place)?),
            // The other slots hold no names.
            SlotKind::Where
            | SlotKind::Whose
            | SlotKind::Urgency
            | SlotKind::Time
            | SlotKind::Property
            | SlotKind::PropertyValue
            | SlotKind::Shape
            | SlotKind::LetGo
            | SlotKind::Number
            | SlotKind::Moment => Filled::Nothing,
        })
    }

    fn at(&mut self, at: &Where) -> At {
        match at {
            Where::Sender => At::Sender,
            Where::Listener => At::Named(NameKey::of(LISTENER_NAME)),
            Where::Named(name) => {
                self.look_for_emitter(name);
                At::Named(self.program.names.add(&name.text))
            }
        }
    }

    /// A parameter that the game tells, to be set or added to.
    fn settable(&mut self, name: &Word) -> Option<usize> {
        let parameter = self.parameter(&name.text, &name.place)?;
        if self.document.parameters[parameter].source != ValueOf::Game {
            self.fault(&name.place, format!("{} is worked out and cannot be set", name.text), "set what it is worked out from");
            return None;
        }
        self.one_for_all(parameter, &name.place).map(|()| parameter)
    }

    /// A number for a parameter, in its range.
    fn parameter_value(&mut self, parameter: usize, to: &Word) -> Option<f32> {
        let doc = &self.document.parameters[parameter];
        let number = split_number(&to.text).filter(|(_, unit)| unit.is_empty() || *unit == doc.unit).map(|(n, _)| n as f32);
        let fits = number.filter(|n| (doc.low..=doc.high).contains(n));
        if fits.is_none() {
            let fix = format!("write a number from {} to {}", doc.low, doc.high);
            self.fault(&to.place, format!("{} cannot be set to {}", doc.name, to.text), fix);
        }
        fits
    }

    /// A section of the piece that the action names, or silence; a playlist can only be told to fall silent.
    fn section_wanted(&mut self, to: &Word, (action, before): (&Action, &[Filled])) -> Option<Filled> {
        let of = action.name(SlotKind::Piece)?;
        match before.last() {
            Some(Filled::Playlist(_)) if to.text == SILENCE => Some(Filled::Section(None)),
            Some(Filled::Playlist(_)) => {
                self.fault(&to.place, format!("{of} is a playlist and has no sections"), "write \"go PLAYLIST\" or \"go PLAYLIST to silence\"");
                None
            }
            _ => {
                let piece = self.document.music.piece(&of.text)?;
                self.section_of(piece, &Located { value: to.text.clone(), place: to.place.clone() }).map(Filled::Section)
            }
        }
    }

    fn stinger(&mut self, name: &Word) -> Option<u16> {
        let found = self.program.music.find_stinger.get(NameKey::of(&name.text));
        if found.is_none() {
            let known = self.document.music.stingers.iter().map(|s| s.name.as_str());
            let fix = did_you_mean(&name.text, known, "add it to a file in music/, or name another");
            self.fault(&name.place, format!("there is no stinger {name}"), fix);
        }
        found.map(|s| s as u16)
    }
}
