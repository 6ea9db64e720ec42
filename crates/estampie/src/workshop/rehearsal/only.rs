//! What is changed for the rehearsal alone, and never saved: soloed and muted, bypassed, held by hand, switched.

use super::{Rehearsal, SoloStep};
use estampie_engine::engine::{Input, InputKind, NOW};
use estampie_engine::names::NameKey;
use std::collections::{BTreeMap, BTreeSet};

/// What is changed for the rehearsal alone, besides muted and soloed buses. Never saved.
#[derive(Debug, Clone, Default, PartialEq)]
pub(crate) struct Only {
    /// Waits are a tenth.
    pub(crate) short_waits: bool,
    /// Chances are always (or never) taken.
    pub(crate) chances: Option<bool>,
    /// A sound that always picks one take.
    pub(crate) forced: Option<(NameKey, u16)>,
    /// Parameters that are worked out and held by hand.
    pub(crate) held: BTreeSet<NameKey>,
    pub(crate) muted_sounds: BTreeSet<NameKey>,
    pub(crate) soloed_sounds: BTreeSet<NameKey>,
    /// A click on every beat.
    pub(crate) metronome: bool,
    /// While buses are heard alone, returns are silent.
    pub(crate) solo_dry: bool,
    /// Effects that are bypassed, by bus and name; none is all of them.
    pub(crate) bypassed: BTreeSet<NameKey>,
    /// Snapshots of which there is so much (in percent), whatever the game says.
    pub(crate) by_hand: BTreeMap<NameKey, u8>,
    /// Layers brought in or taken out by hand, against how they begin.
    pub(crate) switched: BTreeMap<NameKey, bool>,
    /// The emitter that is heard alone.
    pub(crate) alone: Option<NameKey>,
    /// Placed sounds are heard with a head between the ears, or without, against what the project says.
    pub(crate) head: Option<bool>,
}

impl Rehearsal {
    /// All that is temporary, as inputs.
    pub(super) fn only_inputs(&self) -> Vec<InputKind> {
        let only = &self.only;
        let mut list = vec![
            InputKind::Waits { factor: if only.short_waits { 0.1 } else { 1.0 } },
            InputKind::Chances { always: only.chances },
            InputKind::Metronome { on: only.metronome },
            InputKind::SoloDry { on: only.solo_dry },
        ];
        list.extend(self.muted.iter().map(|bus| InputKind::Mute { bus: *bus, on: true }));
        list.extend(self.soloed.iter().map(|bus| InputKind::Solo { bus: *bus, on: true }));
        list.extend(only.switched.iter().map(|(layer, on)| InputKind::Switch { layer: *layer, on: *on }));
        list.extend(only.bypassed.iter().map(|effect| InputKind::Bypass { effect: *effect, on: true }));
        list.extend(only.by_hand.iter().map(|(snapshot, percent)| InputKind::ByHand { snapshot: *snapshot, share: Some(f32::from(*percent) / 100.0) }));
        list.push(InputKind::SoloEmitter { emitter: only.alone.unwrap_or(NameKey::NONE) });
        list.push(InputKind::Head { on: only.head });
        let (sound, take) = only.forced.unwrap_or((NameKey::NONE, 0));
        list.push(InputKind::ForceTake { sound, take });
        for (sounds, solo) in [(&only.muted_sounds, false), (&only.soloed_sounds, true)] {
            list.extend(sounds.iter().map(|sound| InputKind::GateSound { sound: *sound, solo, on: true }));
        }
        list
    }

    /// Tells the engine all that is temporary.
    pub(super) fn say_only(&mut self) {
        // Layers are switched when they are, once.
        for what in self.only_inputs().into_iter().filter(|w| !matches!(w, InputKind::Switch { .. })) {
            self.say(what);
        }
    }

    /// Changes what is temporary.
    pub(crate) fn change_only(&mut self, change: impl FnOnce(&mut Only)) {
        let before = self.only.clone();
        change(&mut self.only);
        for (was, is, solo) in [(&before.muted_sounds, &self.only.muted_sounds, false), (&before.soloed_sounds, &self.only.soloed_sounds, true)] {
            let gone: Vec<NameKey> = was.difference(is).copied().collect();
            for sound in gone {
                let _ = self.remote.input(Input { frame: NOW, what: InputKind::GateSound { sound, solo, on: false } });
            }
        }
        for effect in before.bypassed.difference(&self.only.bypassed) {
            let _ = self.remote.input(Input { frame: NOW, what: InputKind::Bypass { effect: *effect, on: false } });
        }
        for snapshot in before.by_hand.keys().filter(|s| !self.only.by_hand.contains_key(s)) {
            let _ = self.remote.input(Input { frame: NOW, what: InputKind::ByHand { snapshot: *snapshot, share: None } });
        }
        for parameter in before.held.difference(&self.only.held) {
            let _ = self.remote.input(Input { frame: NOW, what: InputKind::Hold { parameter: *parameter, value: None } });
        }
        self.say_only();
    }

    /// Ends all that is temporary; true if there was anything.
    pub(crate) fn clear_only(&mut self) -> bool {
        let any = self.only != Only::default() || !self.muted.is_empty() || !self.soloed.is_empty();
        for (layer, on) in std::mem::take(&mut self.only.switched) {
            self.say(InputKind::Switch { layer, on: !on });
        }
        self.change_only(|only| *only = Only::default());
        for bus in std::mem::take(&mut self.muted) {
            self.say(InputKind::Mute { bus, on: false });
        }
        for bus in std::mem::take(&mut self.soloed) {
            self.say(InputKind::Solo { bus, on: false });
        }
        any
    }

    pub(crate) fn toggle_mute(&mut self, bus: NameKey) -> bool {
        let on = !self.muted.remove(&bus);
        if on {
            self.muted.insert(bus);
        }
        self.say(InputKind::Mute { bus, on });
        on
    }

    /// Hears a bus alone with what it has in the returns, then without, then no longer.
    pub(crate) fn step_solo(&mut self, bus: NameKey) -> SoloStep {
        let (now, next) = match (self.soloed.contains(&bus), self.only.solo_dry) {
            (false, _) => (SoloStep::InPlace, false),
            (true, false) => (SoloStep::Dry, true),
            (true, true) => (SoloStep::No, false),
        };
        let on = now != SoloStep::No;
        if on {
            self.soloed.insert(bus);
        } else {
            self.soloed.remove(&bus);
        }
        self.say(InputKind::Solo { bus, on });
        self.change_only(|only| only.solo_dry = next);
        now
    }
}
