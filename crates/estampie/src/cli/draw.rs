//! `estampie draw`: drawings of a project for the team.

use super::output::out;
use crate::aside::Aside;
use crate::failure::Failure;
use crate::project;
use estampie_proof::check;
use estampie_proof::draw;
use estampie_proof::draw::Drawing;
use std::io::Write as _;
use std::path::PathBuf;

/// What can be drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum What {
    /// All modulation curves and falloffs
    Curves,
    /// Every way between sections, as it sounds
    Transitions,
    /// Buses, where they run and what they send
    Routing,
    /// Where everything is
    Map,
    /// A playthrough over time, with all lanes of the view Trace
    Timeline,
    /// How loud every playthrough is over time
    Loudness,
    /// What the playthroughs come by, and what none does
    Coverage,
}

#[derive(clap::Args, Debug)]
pub(crate) struct Arguments {
    /// The project's folder
    project: PathBuf,
    /// What to draw
    what: What,
    /// The file: its ending, .svg or .pdf, says which
    #[arg(short, long, value_name = "FILE")]
    out: PathBuf,
    /// The playthrough of the timeline, by name or as a file; the first of the project if unsaid
    #[arg(short, long, value_name = "NAME")]
    playthrough: Option<String>,
}

pub(crate) fn run(arguments: &Arguments) -> Result<(), Failure> {
    let ending = arguments.out.extension().and_then(|e| e.to_str()).unwrap_or_default().to_ascii_lowercase();
    if !matches!(ending.as_str(), "svg" | "pdf") {
        return Err(Failure::Use(format!("{} ends neither in .svg nor in .pdf; write -o curves.svg or -o curves.pdf", arguments.out.display())));
    }
    let loaded = project::load(&arguments.project)?;
    super::output::print_faults(&loaded.faults);
    let document = loaded.workspace.document();
    let (drawing, what, where_from) = match arguments.what {
        What::Curves => (Drawing::Panels(draw::curves(document, &loaded.program)), "curves", "modulation.toml holds them"),
        What::Transitions => (Drawing::Panels(draw::seams(&loaded.program)), "transitions", "the files in music/ hold them"),
        What::Routing => (Drawing::Routing(draw::routing(document, &loaded.program)), "routing", "mix.toml holds them"),
        What::Timeline => {
            let known = &document.playthroughs;
            let found = match &arguments.playthrough {
                Some(name) => Some(super::render::find(known, name)?),
                None => known.first().map(|(_, first)| estampie_project::language::Playthrough::clone(first)),
            };
            let Some(playthrough) = found else { return Err(Failure::Fault("the project has no playthrough to draw; R in the workshop records one".into())) };
            (Drawing::Timeline(Box::new(draw::timeline(&loaded.program, &playthrough))), "timeline", "a playthrough has one")
        }
        What::Loudness => (Drawing::Panels(draw::loudness(&loaded.program, document)), "loudness", "playthroughs/ holds what can be measured"),
        What::Coverage => (Drawing::Coverage(Box::new(check::coverage(&loaded.program, document, |_| true))), "coverage", "it has nothing that could be heard"),
        What::Map => (Drawing::Map(Box::new(draw::map(&document.world).unwrap_or_default())), "map", "world.toml holds it"),
    };
    if drawing.count() == 0 {
        return Err(Failure::Fault(format!("the project has no {what} to draw; {where_from}")));
    }
    let of = arguments
        .playthrough
        .as_ref()
        .filter(|_| arguments.what == What::Timeline)
        .or_else(|| document.playthroughs.first().map(|(name, _)| name).filter(|_| arguments.what == What::Timeline));
    let title = format!("{}: {}", document.manifest.name, of.map_or(what, |name| name.trim_end_matches(".play")));
    let failed = |error: draw::DrawError| Failure::Fault(error.to_string());
    let bytes = if ending == "svg" { draw::svg(&title, &drawing).map_err(failed)?.into_bytes() } else { draw::pdf(&title, &drawing).map_err(failed)? };
    let mut file = Aside::create(&arguments.out, &["svg", "pdf"], Some(&arguments.project), false)?;
    file.write_all(&bytes)?;
    file.finish()?;
    let counted = match what {
        "routing" => "buses",
        "map" | "coverage" => "things",
        "timeline" => "lanes",
        "loudness" => "playthroughs",
        _ => what,
    };
    out!("{}: {} {counted}", arguments.out.display(), drawing.count());
    Ok(())
}
