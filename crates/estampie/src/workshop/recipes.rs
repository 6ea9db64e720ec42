//! Recipes put into the project from the finder: what they ask for stands on the last line, with what it is if nothing is said.

use super::app::{App, Mode};
use super::painter::Painter;
use super::playthroughs;
use super::text_field::TextField;
use super::theme::Role;
use super::view::Ask;
use estampie_project::document::Refusal;
use estampie_project::recipes::{Recipe, all, changed, new_lines};
use ratatui::layout::Rect;
use ratatui::widgets::{Clear, Widget as _};

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
        let files = changed(&app.workspace, &self.0, &said)?;
        app.scroll = 0;
        let lines = new_lines(&app.workspace, &files);
        app.mode = Mode::Recipe(Box::new(Looked { recipe: self.0.clone(), said, lines }));
        Ok(())
    }
}

/// A recipe that was asked about, and what it would write.
#[derive(Debug, Clone)]
pub(crate) struct Looked {
    recipe: Recipe,
    said: Vec<(String, String)>,
    lines: Vec<String>,
}

impl App {
    /// What a recipe would write, before it does.
    pub(super) fn draw_recipe(&self, painter: &mut Painter<'_>, area: Rect, looked: &Looked) {
        Clear.render(area, painter.buffer);
        painter.buffer.set_style(area, self.theme.ground());
        painter.heading(1, area.y, area.width - 2, &format!("recipe {}", looked.recipe.name), "what it would write");
        let rows = usize::from(area.height.saturating_sub(3));
        let from = self.scroll.min(looked.lines.len().saturating_sub(rows));
        for (row, line) in looked.lines.iter().skip(from).take(rows).enumerate() {
            let role = if line.starts_with("---") { Role::Active } else { Role::Text };
            painter.text(2, area.y + 2 + row as u16, area.width - 4, line, role);
        }
        painter.more(Rect { y: area.y + 2, height: rows as u16, ..area }, from, looked.lines.len().saturating_sub(from + rows));
    }

    pub(super) fn key_recipe(&mut self, name: &str, looked: Box<Looked>) {
        match name {
            "enter" | "y" => return self.put_recipe(&looked.recipe, &looked.said),
            "esc" | "n" | "q" | "ctrl-c" => return self.say(format!("recipe {}: nothing was written", looked.recipe.name)),
            "down" | "j" => self.scroll = (self.scroll + 1).min(looked.lines.len()),
            "up" | "k" => self.scroll = self.scroll.saturating_sub(1),
            "page-down" => self.scroll = (self.scroll + 20).min(looked.lines.len()),
            "page-up" => self.scroll = self.scroll.saturating_sub(20),
            _ => {}
        }
        self.mode = Mode::Recipe(looked);
    }

    fn put_recipe(&mut self, recipe: &Recipe, said: &[(String, String)]) {
        self.workspace.begin_anew();
        let files = match self.workspace.put_recipe(recipe, said) {
            Ok(files) => files,
            Err(why) => return self.alarm(why.to_string()),
        };
        self.recompile();
        let shown = files.iter().find_map(|file| file.strip_prefix("playthroughs/")?.strip_suffix(".play"));
        if let Some(name) = shown {
            self.show(playthroughs::NAME);
            self.playthroughs.choose(name);
        }
        self.say(format!("recipe {}: enter replays what shows it, u takes all of it back", recipe.name));
    }

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
        // What it would write is shown first; nothing is written yet, nor if one goes back.
        let page = desk.page();
        assert!(page.contains("what it would write") && page.contains("--- sounds/plate.toml") && page.contains("enter put it in"), "{page}");
        assert!(!desk.text("reactions.est").contains("hull.hit"));
        desk.keys("down esc");
        assert!(desk.page().contains("nothing was written") && !desk.text("reactions.est").contains("hull.hit"));
        desk.keys(":");
        desk.type_text("recipe impacts");
        desk.keys("enter ctrl-u");
        desk.type_text("place=plate event=hull.hit");
        desk.keys("enter enter");
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
