//! Snapshots by hand: one that is open to be edited, what it holds, heard with it and without.

use super::{App, Focus, NAME, stepped};
use crate::workshop::rehearsal::Only;
use estampie_engine::names::NameKey;
use estampie_engine::property::Unit;
use estampie_engine::units::Decibels;
use std::time::{Duration, Instant};

/// A held key comes again within this.
const REPEATS: Duration = Duration::from_millis(110);
/// A held key that has not come again for so long was let go.
const LET_GO: Duration = Duration::from_millis(220);

impl App {
    /// Moves what a snapshot holds: from nothing it begins as an offset of 0 dB, or as the value that is there.
    pub(super) fn nudge_held(&mut self, snapshot: &str, what: &str, by: f32) {
        let held = self.document().snapshots.iter().find(|s| s.name == snapshot).and_then(|s| App::held_text(s, what)).map(|(by, v)| (by, v.value.clone()));
        let text = if what.ends_with(" level") && what.split(' ').count() == 3 || what.contains(" send ") {
            match held {
                Some((offset, text)) => {
                    let level: Decibels = text.parse().unwrap_or(Decibels::SILENCE);
                    let level = if level.0 == f32::NEG_INFINITY { -60.0 } else { ((level.0 + by * 0.5) * 10.0).round() / 10.0 };
                    format!("{} {}", if offset { "by" } else { "to" }, Decibels(level.clamp(-80.0, 24.0)))
                }
                None => format!("by {}", Decibels((by * 5.0).round() / 10.0)),
            }
        } else {
            let Some((_, kind)) = self.effect_doc() else { return };
            let setting = kind.settings.get(self.mix.setting);
            let unit = setting.map_or(Unit::Share, |s| s.unit);
            let now = held.and_then(|(_, t)| unit.read(&t).ok()).or_else(|| self.mix_rest(what)).unwrap_or(0.0);
            let next = setting.map_or(((now + by * 0.05) * 100.0).round().clamp(0.0, 100.0) / 100.0, |s| stepped(s, now, by));
            format!("to {}", unit.print(next))
        };
        let done = self.workspace.set_held(snapshot, what, &text);
        self.edited(done);
        self.say_unheard(snapshot);
    }

    /// What is changed in a snapshot that is down is not heard: one is told how it would be.
    pub(super) fn say_unheard(&mut self, snapshot: &str) {
        let risen = self.risen().iter().any(|(name, _)| name == snapshot);
        if !self.message.as_ref().is_some_and(|m| m.alarm) && !risen && !self.rehearsal.only.by_hand.contains_key(&NameKey::of(snapshot)) {
            self.say(format!("{snapshot} is down, so this is not heard yet: enter raises it by hand, ) by tenths"));
        }
    }

    /// Shows the mix with a snapshot open to be edited.
    pub(in crate::workshop) fn open_snapshot(&mut self, name: &str) {
        self.show(NAME);
        if let Some(at) = self.document().snapshots.iter().position(|s| s.name == name) {
            if self.mix.target.is_some() {
                self.leave_target();
            }
            self.mix.snapshot = at;
            self.target_snapshot();
        }
    }

    /// The chosen snapshot becomes what is edited, and is heard.
    pub(super) fn target_snapshot(&mut self) {
        if self.mix.target.is_some() {
            return self.leave_target();
        }
        let Some(name) = self.snapshot_doc().map(|s| s.name.clone()) else {
            return self.say("there is no snapshot yet; S makes one");
        };
        self.by_hand(&name, Some(1.0));
        self.mix.without = false;
        self.mix.target = Some(name);
        if self.mix.focus == Focus::Snapshots {
            self.mix.focus = Focus::Levels;
        }
    }

    pub(super) fn leave_target(&mut self) {
        if let Some(name) = self.mix.target.take() {
            self.by_hand(&name, None);
            self.say(format!("back to the mix; snapshot {name} is as its reasons say"));
        }
    }

    /// A tap turns over to the mix without the snapshot and back; held down, it is without until the key is let go. A terminal
    /// tells of a held key only by repeating it: presses that follow each other faster than a hand does are one.
    pub(super) fn hear_without(&mut self) {
        let held = self.mix.pressed.is_some_and(|(at, _)| at.elapsed() < REPEATS);
        self.mix.pressed = Some((Instant::now(), held));
        self.set_without(held || !self.mix.without);
    }

    pub(super) fn set_without(&mut self, without: bool) {
        let Some(name) = self.mix.target.clone().filter(|_| self.mix.without != without) else { return };
        self.mix.without = without;
        self.by_hand(&name, Some(if without { 0.0 } else { 1.0 }));
    }

    /// Ends what lasts while a key is held down; true if that was now.
    pub(crate) fn poll_held_key(&mut self) -> bool {
        if !self.mix.pressed.is_some_and(|(at, held)| held && at.elapsed() > LET_GO) {
            return false;
        }
        self.mix.pressed = None;
        self.set_without(false);
        true
    }

    /// Hears the chosen snapshot whatever the game says, or no longer.
    pub(super) fn audition(&mut self) {
        let Some(name) = self.snapshot_doc().map(|s| s.name.clone()) else { return };
        let on = !self.rehearsal.only.by_hand.contains_key(&NameKey::of(&name));
        self.by_hand(&name, on.then_some(1.0));
        self.say(if on { format!("{name} is up by hand (temporary)") } else { format!("{name} is as its reasons say") });
    }

    pub(super) fn by_hand(&mut self, name: &str, share: Option<f32>) {
        let key = NameKey::of(name);
        self.rehearsal.change_only(|only: &mut Only| {
            match share {
                Some(share) => only.by_hand.insert(key, (share * 100.0).round() as u8),
                None => only.by_hand.remove(&key),
            };
        });
    }
}
