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

#[cfg(test)]
mod tests {
    use crate::workshop::view_tests::Desk;

    fn title(desk: &Desk) -> &'static str {
        desk.app.view().face().name
    }

    #[test]
    fn buses_and_snapshots_are_made_renamed_copied_and_deleted_in_the_mix() {
        let mut desk = Desk::new();
        desk.keys("5 n c r y p t enter");
        assert!(desk.text("mix.toml").contains("[buses.crypt]"));
        assert_eq!(desk.app.view().selected(&desk.app), Some(("bus", "crypt".to_owned())), "what is new is selected");
        desk.keys("r ctrl-u v a u l t enter d");
        assert!(
            desk.text("mix.toml").contains("[buses.vault]") && desk.text("mix.toml").contains("[buses.vault-2]") && !desk.text("mix.toml").contains("crypt")
        );
        assert_eq!(desk.app.view().selected(&desk.app), Some(("bus", "vault-2".to_owned())));
        desk.keys("D");
        assert!(!desk.text("mix.toml").contains("vault-2"), "nothing names it: it is deleted at once");
        desk.keys("u");
        assert!(desk.text("mix.toml").contains("vault-2"));
        // A return that a bus sends to, by one key.
        desk.keys("v");
        desk.type_text("well echo");
        desk.keys("enter");
        assert!(desk.text("mix.toml").contains("[buses.well.effect.echo]"));
        // The snapshot beside them.
        desk.keys("tab n d i m enter");
        assert!(desk.text("mix.toml").contains("[snapshots.dim]"));
        desk.keys("D");
        assert!(!desk.text("mix.toml").contains("[snapshots.dim]") && title(&desk) == "Mix");
    }

    #[test]
    fn what_is_named_is_shown_before_it_is_deleted_and_one_comes_back() {
        let mut desk = Desk::new();
        desk.keys("5 down D");
        let page = desk.page();
        assert!(title(&desk) == "Project" && page.contains("delete bus hull all the same?"), "{page}");
        assert!(page.contains("sounds/all.toml"), "where it is named stands there: {page}");
        desk.keys("esc");
        assert!(title(&desk) == "Mix" && desk.text("mix.toml").contains("[buses.hull]"));
        desk.keys("D y");
        assert!(title(&desk) == "Mix" && !desk.text("mix.toml").contains("[buses.hull]"));
        desk.keys("u");
        assert!(desk.text("mix.toml").contains("[buses.hull]") && desk.app.faults.is_empty());
    }

    #[test]
    fn pieces_sections_and_layers_are_made_renamed_copied_and_deleted_in_the_music() {
        let mut desk = Desk::new();
        desk.keys("4 tab r ctrl-u l u l l enter");
        let music = desk.text("music/deck.toml");
        assert!(music.contains("[piece.deck.section.lull]") && music.contains("from = \"lull\""), "the transition follows: {music}");
        desk.keys("n s t o r m enter");
        assert_eq!(desk.app.view().selected(&desk.app), Some(("section", "deck/storm".to_owned())));
        desk.keys("o");
        desk.type_text("b.wav");
        desk.keys("enter");
        assert!(desk.text("music/deck.toml").contains("[piece.deck.section.storm.layer.b]\nfile = \"audio/b.wav\""), "{}", desk.text("music/deck.toml"));
        assert_eq!(desk.app.view().selected(&desk.app), Some(("layer", "deck/storm/b".to_owned())));
        desk.keys("d D");
        assert!(!desk.text("music/deck.toml").contains("layer.b-2"));
        desk.app.view().select(&mut desk.app, "section", "deck/storm");
        desk.keys("d");
        assert!(desk.text("music/deck.toml").contains("[piece.deck.section.storm-2"), "{}", desk.text("music/deck.toml"));
        assert!(desk.app.faults.is_empty(), "{:?}", desk.app.faults);
        // A piece from the index, and its first layer.
        desk.keys("backtab n");
        desk.type_text("tide");
        desk.keys("enter o");
        desk.type_text("a.wav");
        desk.keys("enter");
        assert!(desk.text("music/tide.toml").contains("audio/a.wav"), "{}", desk.text("music/tide.toml"));
        // What is no file, and what is too many.
        desk.keys("o");
        desk.type_text("wav");
        desk.keys("enter");
        assert!(desk.page().contains("2 files have that in their name"));
    }

    #[test]
    fn events_parameters_and_states_are_made_renamed_and_deleted_in_the_wiring() {
        let mut desk = Desk::new();
        desk.keys("2 n r a i n enter");
        assert!(desk.text("game.toml").contains("rain = "));
        desk.keys("r ctrl-u h a i l enter");
        assert!(desk.text("game.toml").contains("hail = ") && !desk.text("game.toml").contains("\nrain = "));
        desk.keys("d D");
        assert!(!desk.text("game.toml").contains("hail-2") && desk.text("game.toml").contains("hail = "));
        while desk.app.view().selected(&desk.app) != Some(("parameter", "strain".to_owned())) {
            desk.keys("down");
        }
        desk.keys("r ctrl-u f o r c e enter");
        assert!(desk.text("reactions.est").contains("force over 0.5") && desk.text("modulation.toml").contains("from = \"force\""));
        desk.keys("n c o l d enter");
        assert!(desk.text("game.toml").contains("[parameters.cold]") && desk.app.faults.is_empty());
        // In the centre the same keys are for sentences.
        desk.keys("tab n");
        assert!(desk.page().contains("When"));
    }

    #[test]
    fn a_sound_is_varied_and_moved_by_one_key_each() {
        let mut desk = Desk::new();
        desk.keys("3 v");
        let sounds = desk.text("sounds/all.toml");
        assert!(sounds.contains("pitch = \"-1..1 st\"") && sounds.contains("level = \"-2..2 dB\""), "{sounds}");
        desk.keys("v");
        assert!(!desk.text("sounds/all.toml").contains("-1..1 st"));
        desk.keys("u u");
        assert!(!desk.text("sounds/all.toml").contains("vary"));
        desk.keys("M");
        desk.type_text("depth pitch");
        desk.keys("enter esc");
        assert!(desk.text("modulation.toml").contains("moves  = \"hull/groan pitch\""), "{}", desk.text("modulation.toml"));
        // One that is not there is declared only with a second enter.
        desk.keys("M");
        desk.type_text("cold");
        desk.keys("enter");
        assert!(!desk.text("game.toml").contains("cold") && desk.page().contains("there is no parameter cold"));
        desk.keys("enter esc");
        assert!(desk.text("game.toml").contains("[parameters.cold]") && desk.text("modulation.toml").contains("from   = \"cold\""));
    }
}
