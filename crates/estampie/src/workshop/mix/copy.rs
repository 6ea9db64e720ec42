//! Copies, order and amount in the view Mix: what is put down elsewhere, moved, or taken into a snapshot.

use super::super::app::{App, Mode};
use super::super::rehearsal::Only;
use super::super::sounds::SoundsPrompt;
use super::super::text_field::TextField;
use super::Focus;
use estampie_engine::names::NameKey;
use estampie_project::assets::Assets;
use estampie_project::compile;
use estampie_project::document::{ClippingKind, Document, Refusal};
use estampie_proof::compare;

impl App {
    pub(super) fn copy_mix(&mut self) {
        let Some(bus) = self.bus_name(self.bus) else { return };
        let clipped = match (self.mix.focus, self.effect_doc().map(|(i, _)| i.name.clone()), self.snapshot_doc().map(|s| s.name.clone())) {
            (Focus::Effect, Some(effect), _) => self.workspace.clip_effect(&bus, &effect),
            (Focus::Snapshots, _, Some(snapshot)) => self.workspace.clip_snapshot(&snapshot),
            _ => self.workspace.clip_bus(&bus),
        };
        match clipped {
            Ok(clipping) => {
                let what = match clipping.kind {
                    ClippingKind::Bus => "the settings of bus",
                    ClippingKind::Effect => "the effect",
                    ClippingKind::Snapshot => "what snapshot",
                };
                let where_to = match clipping.kind {
                    ClippingKind::Bus => "copied: p puts them on another bus",
                    ClippingKind::Effect => "copied: p puts it on a bus, or over an effect whose settings are open",
                    ClippingKind::Snapshot => "holds is copied: p puts it into another snapshot",
                };
                self.say(format!("{what} {} {where_to}", clipping.name));
                self.mix.clipping = Some(clipping);
            }
            Err(why) => self.alarm(why.to_string()),
        }
    }

    pub(super) fn paste_mix(&mut self) {
        let Some(bus) = self.bus_name(self.bus) else { return };
        let Some(clipping) = self.mix.clipping.clone() else { return self.say("nothing is copied; y copies the effect, the snapshot or the bus") };
        let done = match clipping.kind {
            ClippingKind::Bus => self.workspace.paste_bus(&bus, &clipping).map(|()| format!("{bus} is set like {}", clipping.name)),
            ClippingKind::Effect => {
                let over = if self.mix.focus == Focus::Effect { self.effect_doc().map(|(i, _)| i.name.clone()) } else { None };
                self.workspace.paste_effect(&bus, &clipping, over.as_deref()).map(|name| format!("{name} on {bus} is as copied"))
            }
            ClippingKind::Snapshot => match self.snapshot_doc().map(|s| s.name.clone()) {
                Some(snapshot) => {
                    self.workspace.paste_snapshot(&snapshot, &clipping).map(|()| format!("snapshot {snapshot} holds what {} held", clipping.name))
                }
                None => Err("there is no snapshot to put it into; S makes one".into()),
            },
        };
        self.said(done);
    }

    /// After an edit: what it came to, or why not.
    fn said(&mut self, done: Result<String, Refusal>) {
        match done {
            Ok(text) => {
                self.recompile();
                self.say(text);
            }
            Err(why) => self.alarm(why.to_string()),
        }
    }

    pub(super) fn duplicate_in_mix(&mut self) {
        if self.mix.focus != Focus::Snapshots {
            return self.say("choose a snapshot with tab: d copies its column");
        }
        let Some(name) = self.snapshot_doc().map(|s| s.name.clone()) else { return };
        let made = self.workspace.duplicate_snapshot(&name);
        if let Ok(made) = &made {
            self.mix.snapshot = self.document().snapshots.iter().position(|s| s.name == *made).unwrap_or(self.mix.snapshot);
        }
        self.said(made.map(|made| format!("{made} holds what {name} holds; nothing raises it yet")));
    }

    /// Moves the chosen effect earlier or later.
    pub(super) fn move_effect(&mut self, by: isize) {
        let Some((bus, effect)) = self.bus_name(self.bus).zip(self.effect_doc().map(|(i, _)| i.name.clone())) else {
            return self.say("there is no effect on this bus");
        };
        let done = self.workspace.move_effect(&bus, &effect, by);
        self.edited(done);
        self.mix.effect = self.bus_doc().and_then(|b| b.effects.iter().position(|i| i.name == effect)).unwrap_or(self.mix.effect);
    }

    /// More or less of the chosen snapshot by hand, by tenths; from what there is of it now.
    pub(super) fn nudge_hand(&mut self, by: i16) {
        let Some(name) = self.snapshot_doc().map(|s| s.name.clone()) else { return self.say("there is no snapshot; S makes one") };
        let key = NameKey::of(&name);
        let status = self.rehearsal.status_program().zip(self.rehearsal.status.as_ref());
        let share = status.and_then(|(p, s)| s.snapshots.get(p.mix.snapshots.iter().position(|s| s.key == key)?)).map_or(0.0, |s| s.share);
        let now = self.rehearsal.only.by_hand.get(&key).copied().unwrap_or((share * 100.0).round() as u8);
        let next = (i16::from(now) + by).clamp(0, 100) as u8;
        self.rehearsal.change_only(|only: &mut Only| {
            only.by_hand.insert(key, next);
        });
        self.say(format!("{name} is at {next} % by hand (temporary); enter on it gives it back to its reasons"));
    }

    /// Types a setting of the shared effect behind the chosen one, for all that are like it.
    pub(super) fn edit_shared_effect(&mut self) {
        let Some((effect, kind)) = self.effect_doc() else { return self.say("there is no effect on this bus") };
        let Some(like) = effect.like.as_ref().map(|l| l.value.clone()) else {
            return self.say("this effect is like no shared one; e types its own setting");
        };
        let key = kind.settings.get(self.mix.setting).map_or("wet", |s| s.word).to_owned();
        self.mode = Mode::typing(SoundsPrompt::Shared { kind: "effect".into(), name: like, key }, TextField::default());
    }

    /// Makes a snapshot of what is unsaved in the mix.
    pub(super) fn take_unsaved(&mut self, name: &str) -> Result<usize, Refusal> {
        let saved = self.workspace.saved().clone();
        let (document, _) = Document::read(&saved, self.workspace.audio());
        // Values of the mix do not depend on what is in audio files.
        let (before, _) = compile::compile(&document, &Assets::default());
        let (now, _) = compile::compile(self.workspace.document(), &Assets::default());
        let count = self.workspace.take_into_snapshot(name, &saved, &compare::moved(&before, &now))?;
        self.mix.snapshot = self.document().snapshots.iter().position(|s| s.name == name).unwrap_or(0);
        self.mix.focus = Focus::Snapshots;
        Ok(count)
    }
}
