//! The same keys in every list: `n` a new one, `r` another name, `d` a copy, `D` out with it, for whatever is selected in the view that is
//! shown. Views with a use of their own for one of them take it first.

use super::app::{App, Mode};
use super::keys::Do;
use super::project;
use super::project::prompts::{DeletePrompt, NewPrompt, RenamePrompt};
use super::text_field::TextField;
use estampie_project::document::Refusal;
use estampie_project::things::{Thing, ThingKind, kind_of};

impl App {
    /// The thing that is selected in the view that is shown.
    pub(super) fn selected_thing(&self) -> Option<Thing> {
        let (kind, name) = self.view().selected(self)?;
        self.workspace.thing_named(kind_of(kind)?, &name)
    }

    /// What `n`, `r`, `d` and `D` do to what is selected.
    pub(super) fn act_on_selected(&mut self, does: Do) {
        if does == Do::New {
            return match self.view().makes(self).and_then(kind_of) {
                Some(kind) => self.ask_for_new(kind),
                None => self.say("choose what the new one is to be like, or go by : and new"),
            };
        }
        let Some(thing) = self.selected_thing() else { return self.say("nothing is selected here that could be named, copied or deleted") };
        match does {
            Do::Rename => self.ask_new_name_of(thing),
            Do::Duplicate => self.duplicate_thing(&thing),
            _ => self.delete_asked(thing),
        }
    }

    /// Asks for the name of a new thing; it belongs to what is selected, or to what that belongs to.
    pub(super) fn ask_for_new(&mut self, kind: &'static ThingKind) {
        let chosen = self.selected_thing();
        let above = chosen.as_ref().and_then(|thing| self.workspace.owner_of(thing));
        self.ask_for_new_of(kind, [chosen, above].into_iter().flatten().collect());
    }

    /// The same, belonging to the first that it can belong to: one of these, or else the first there is.
    pub(super) fn ask_for_new_of(&mut self, kind: &'static ThingKind, owners: Vec<Thing>) {
        if !kind.several() {
            return self.say(format!("there is only one {}", kind.word));
        }
        let owner = kind.owner().and_then(|of| {
            let found = owners.into_iter().find(|thing| thing.kind == of);
            found.or_else(|| self.workspace.things(of).into_iter().next())
        });
        if let (Some(of), None) = (kind.owner(), &owner) {
            return self.alarm(format!("a {} belongs to a {}: make one first", kind.word, of.word));
        }
        if kind.named() {
            self.mode = Mode::typing(NewPrompt { kind, owner }, TextField::default());
        } else {
            self.make_thing(kind, owner.as_ref(), "").unwrap_or_else(|why| self.alarm(why));
        }
    }

    /// Makes a thing and selects it.
    pub(super) fn make_thing(&mut self, kind: &'static ThingKind, owner: Option<&Thing>, name: &str) -> Result<(), Refusal> {
        let thing = self.workspace.make(kind, owner, name)?;
        self.compile();
        self.load_missing();
        let called = self.workspace.called(&thing);
        let elsewhere = if self.shows(project::NAME) { "" } else { "; ctrl-e shows all that it can be set to" };
        self.say(format!("new {called}{elsewhere}"));
        self.select_thing(thing);
        Ok(())
    }

    /// Selects a thing in the view that is shown, if it is shown there.
    pub(super) fn select_thing(&mut self, thing: Thing) {
        if self.shows(project::NAME) {
            return self.go_to_fields(thing);
        }
        let (kind, name) = (thing.kind.word, thing.whole_name());
        self.view().select(self, kind, &name);
    }

    pub(super) fn ask_new_name_of(&mut self, thing: Thing) {
        if !thing.kind.named() {
            return self.say(format!("a {} has no name", thing.kind.word));
        }
        let name = thing.name();
        self.mode = Mode::typing(RenamePrompt { thing }, TextField::new(&name));
    }

    pub(super) fn duplicate_thing(&mut self, thing: &Thing) {
        match self.workspace.duplicate(thing) {
            Ok(copy) => {
                self.compile();
                self.say(format!("{} is a copy of {}", self.workspace.called(&copy), self.workspace.called(thing)));
                self.chosen_or_selected(copy);
            }
            Err(why) => self.alarm(why.to_string()),
        }
    }

    /// Deletes a thing, or says first what names it, in the view that can show that.
    pub(super) fn delete_asked(&mut self, thing: Thing) {
        if !thing.kind.several() {
            return self.say(format!("{} cannot be deleted", thing.kind.many));
        }
        let uses = self.uses_of(&thing);
        if uses.is_empty() {
            return self.delete_thing_now(&thing);
        }
        self.project.back = (!self.shows(project::NAME)).then(|| self.view().face().name);
        let count = uses.len();
        self.show_uses_of(&thing, uses);
        self.mode = Mode::typing(DeletePrompt { thing, uses: count }, TextField::default());
    }

    /// After what was asked about a deletion: back to where it was asked.
    pub(super) fn leave_uses(&mut self) {
        self.project.uses = None;
        if let Some(view) = self.project.back.take() {
            self.show(view);
        }
    }
}
