//! What the view *Replay* asks on the last line.

use super::{file_of, file_of_new};
use crate::workshop::app::App;
use crate::workshop::view::{Ask, owned};
use estampie_project::complete::after_expect;
use estampie_project::document::Refusal;
use estampie_project::language::playthrough::parse;

/// A line of a playthrough: instead of another, or a new one.
#[derive(Debug)]
pub(super) struct LinePrompt {
    pub(super) instead: Option<usize>,
}

impl Ask for LinePrompt {
    fn words(&self, _app: &App) -> String {
        if self.instead.is_some() { "the line".into() } else { "new line".into() }
    }

    fn offers(&self, app: &App) -> Vec<String> {
        let document = app.document();
        let words = ["send", "is", "over", "on", "to", "at", "facing", "listener", "walk", "emitter", "remove", "player level", "expect", "end", "seed"];
        let emitters = document.world.things().into_iter().map(|thing| thing.id.name).chain(document.emitters.iter().map(|e| e.name.clone()));
        let states = document.states.iter().flat_map(|s| std::iter::once(s.name.clone()).chain(s.values.iter().map(|v| v.value.clone())));
        let events = document.events.iter().map(|e| e.name.clone());
        let parameters = document.parameters.iter().map(|p| p.name.clone());
        let levels = document.player_levels.iter().map(|l| l.name.clone());
        owned(words).into_iter().chain(events).chain(states).chain(parameters).chain(emitters).chain(levels).collect()
    }

    fn offers_after(&self, app: &App, before: &str) -> Option<Vec<String>> {
        let words: Vec<&str> = before.split_whitespace().collect();
        match words.as_slice() {
            [_, "expect", rest @ ..] => Some(after_expect(app.document(), rest)),
            _ => None,
        }
    }

    fn hint(&self, _app: &App) -> Option<String> {
        Some(
            "TIME, then send EVENT · depth 0 to 40 over 12 s · deck is mesh · walk listener to 4, 12 at 1.4 m/s · expect hull/creak heard within 1 s · end"
                .into(),
        )
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        let row = text.trim();
        if row.is_empty() {
            return Err("write a time and what happens then; D takes a line out".into());
        }
        let (lines, faults) = parse("", row);
        if let Some(fault) = faults.first() {
            return Err(format!("{}; {}", fault.what, fault.fix).into());
        }
        // As others are written: the times under each other.
        let row = lines.to_string().lines().next().map_or_else(|| row.to_owned(), str::to_owned);
        // What follows a # is for people and stays.
        let row = match text.split_once('#') {
            Some((step, note)) if !step.trim().is_empty() => format!("{row}   #{note}"),
            _ => row,
        };
        app.put_step(if self.instead.is_some() { "words of a line" } else { "new line" }, self.instead, row.trim_end());
        // From another view it is not seen where it went.
        if !app.shows(super::NAME) {
            app.say(format!("it is in the playthrough {} now: 9 shows it, u takes it back", app.playthroughs.chosen));
        }
        Ok(())
    }
}

/// What a name is asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Names {
    New,
    Copy,
    Rename,
}

/// The name of a playthrough.
#[derive(Debug)]
pub(super) struct NamePrompt(pub(super) Names);

impl Ask for NamePrompt {
    fn words(&self, _app: &App) -> String {
        match self.0 {
            Names::New => "new playthrough: its name".into(),
            Names::Copy => "the copy is called".into(),
            Names::Rename => "the playthrough is called".into(),
        }
    }

    fn hint(&self, _app: &App) -> Option<String> {
        Some("letters, digits, - and .; its file is playthroughs/NAME.play".into())
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        let name = text.trim();
        let old = app.playthrough_chosen().map(|at| app.document().playthroughs[at].0.clone());
        if self.0 == Names::Rename && old.as_deref() == Some(name) {
            return Ok(());
        }
        let file = file_of_new(app, name)?;
        let text = match self.0 {
            Names::New => "seed 1\n10        end\n".to_owned(),
            _ => app.step_text(),
        };
        app.workspace.begin_anew();
        let (what, said) = match self.0 {
            Names::New => (format!("new playthrough {name}"), format!("new playthrough {name}; n makes its lines")),
            Names::Copy => (format!("playthrough {name}, a copy"), format!("{name} is a copy")),
            Names::Rename => (format!("playthrough renamed to {name}"), format!("it is called {name} now")),
        };
        let mut files = vec![(file, Some(text))];
        if let (Names::Rename, Some(old)) = (self.0, &old) {
            files.push((file_of(old), None));
        }
        app.workspace.change(&what, files);
        app.compile();
        // What is replayed just now is the same under another name.
        if let (Names::Rename, Some(replay)) = (self.0, app.rehearsal.replay.as_mut().filter(|r| Some(&r.name) == old.as_ref())) {
            name.clone_into(&mut replay.name);
        }
        let line = if self.0 == Names::Rename { app.playthroughs.line } else { 0 };
        (app.playthroughs.chosen, app.playthroughs.line) = (name.to_owned(), line);
        if self.0 == Names::New {
            app.playthroughs.column = super::Column::Lines;
        }
        app.say(said);
        Ok(())
    }
}
