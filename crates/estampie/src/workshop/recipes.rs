//! Recipes put into the project from the finder: what they ask for stands on the last line, with what it is if nothing is said.

use super::app::{App, Mode};
use super::playthroughs;
use super::text_field::TextField;
use super::view::Ask;
use estampie_project::document::Refusal;
use estampie_project::recipes::{Recipe, all};

/// The names that a recipe asks for.
#[derive(Debug)]
struct RecipePrompt(Recipe);

impl Ask for RecipePrompt {
    fn words(&self, _app: &App) -> String {
        format!("recipe {}", self.0.name)
    }

    fn hint(&self, _app: &App) -> Option<String> {
        Some(self.0.asks.iter().map(|ask| format!("{}: {}", ask.name, ask.says)).collect::<Vec<_>>().join(" · "))
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        let pair = |word: &str| word.split_once('=').map(|(name, value)| (name.to_owned(), value.to_owned()));
        let said: Option<Vec<_>> = text.split_whitespace().map(pair).collect();
        let said = said.ok_or("write NAME=VALUE, with spaces between them")?;
        app.workspace.begin_anew();
        let files = app.workspace.put_recipe(&self.0, &said)?;
        app.recompile();
        let shown = files.iter().find_map(|file| file.strip_prefix("playthroughs/")?.strip_suffix(".play"));
        if let Some(name) = shown {
            app.show(playthroughs::NAME);
            app.playthroughs.choose(name);
        }
        app.say(format!("recipe {}: enter replays what shows it, u takes all of it back ({})", self.0.name, files.join(", ")));
        Ok(())
    }
}

impl App {
    /// All recipes, by name and what each is.
    pub(super) fn recipes(&self) -> Vec<(String, String)> {
        all(Some(&self.workspace)).0.into_iter().map(|recipe| (recipe.name, recipe.says)).collect()
    }

    /// Asks for what a recipe asks for.
    pub(super) fn ask_for_recipe(&mut self, name: &str) {
        let Some(recipe) = all(Some(&self.workspace)).0.into_iter().find(|recipe| recipe.name == name) else { return };
        let names: Vec<String> = recipe.asks.iter().map(|ask| format!("{}={}", ask.name, ask.unsaid)).collect();
        self.mode = Mode::typing(RecipePrompt(recipe), TextField::new(&names.join(" ")));
    }
}

#[cfg(test)]
mod tests {
    use crate::workshop::view_tests::Desk;

    #[test]
    fn a_recipe_is_found_asked_about_put_in_heard_and_taken_back_by_one_step() {
        let mut desk = Desk::new();
        desk.keys(":");
        desk.type_text("recipe impacts");
        assert!(desk.page().contains("recipe impacts: Impacts by how fast"), "{}", desk.page());
        desk.keys("enter");
        let page = desk.page();
        assert!(page.contains("place=impact event=impact speed=impact-speed") && page.contains("event: the event of each impact"), "{page}");
        // A name that cannot be is said, and it stays open.
        desk.keys("ctrl-u");
        desk.type_text("place=Hull event=hull.hit");
        desk.keys("enter");
        assert!(desk.page().contains("\"Hull\" cannot be a name"), "{}", desk.page());
        desk.keys("ctrl-u");
        desk.type_text("place=plate event=hull.hit");
        desk.keys("enter");
        assert!(desk.app.shows("Replay") && desk.page().contains("¶ impacts"), "{}", desk.page());
        assert!(
            desk.text("reactions.est").contains("When hull.hit and impact-speed over 0.3\n  play plate/any at the emitter\n"),
            "{}",
            desk.text("reactions.est")
        );
        assert!(desk.app.faults.is_empty(), "{:?}", desk.app.faults);
        let standing = |app: &crate::workshop::app::App| app.playthrough_chosen().map(|at| app.standing(at));
        desk.poll_until("what it expects is kept", |app| standing(app) == Some(crate::workshop::checks::Standing::Kept(4)));
        desk.keys("u");
        assert!(!desk.text("reactions.est").contains("hull.hit") && desk.app.document().playthroughs.is_empty());
    }
}
