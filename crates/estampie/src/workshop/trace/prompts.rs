//! What the view *Trace* asks on the last line.

use crate::workshop::app::App;
use crate::workshop::playthroughs;
use crate::workshop::view::Ask;
use estampie_engine::units::Seconds;
use estampie_project::document::Refusal;
use estampie_project::language::lex::print_time;
use estampie_proof::keep::From;

/// The letters of the filter.
#[derive(Debug)]
pub(super) struct FilterPrompt;

impl Ask for FilterPrompt {
    fn words(&self, _app: &App) -> String {
        "lines with".into()
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        self.changed(app, text);
        Ok(())
    }

    fn changed(&self, app: &mut App, text: &str) {
        (app.trace.filter, app.trace.chosen) = (text.trim().to_lowercase(), None);
    }

    fn given_up(&self, app: &mut App) {
        app.trace.filter.clear();
    }
}

/// The name under which what was said from a moment on is kept.
#[derive(Debug)]
pub(super) struct KeepPrompt {
    pub(super) from: From,
    pub(super) frame: u64,
}

impl Ask for KeepPrompt {
    fn words(&self, app: &App) -> String {
        let at = Seconds((self.frame as f64 / f64::from(app.program().rate) * 1e3).round() / 1e3);
        format!("keep from {} s on as", print_time(at))
    }

    fn hint(&self, app: &App) -> Option<String> {
        let edited = if app.rehearsal.is_of_one_piece() { "" } else { "; the project was edited meanwhile: it will sound as it is now" };
        Some(match self.from {
            From::Here => format!("a playthrough whose first lines are what stands at that moment{edited}"),
            From::Beginning => format!("all that was said, heard from that moment on: the same samples{edited}"),
        })
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        let name = text.trim();
        let file = playthroughs::file_of_new(app, name)?;
        let kept = app.rehearsal.keep_from(self.frame, self.from);
        let steps = kept.steps().len();
        app.workspace.begin_anew();
        app.workspace.change(&format!("playthrough {name}, kept"), vec![(file, Some(kept.to_string()))]);
        app.compile();
        app.playthroughs.choose(name);
        app.say(format!("kept as {name}: {steps} lines; 9 shows it"));
        Ok(())
    }
}
