//! `estampie draw`: drawings of a project for the team.

use super::output::out;
use crate::aside::Aside;
use crate::failure::Failure;
use crate::project;
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
        What::Map => (Drawing::Map(Box::new(draw::map(&document.world).unwrap_or_default())), "map", "world.toml holds it"),
    };
    if drawing.count() == 0 {
        return Err(Failure::Fault(format!("the project has no {what} to draw; {where_from}")));
    }
    let title = format!("{}: {what}", document.manifest.name);
    let failed = |error: draw::DrawError| Failure::Fault(error.to_string());
    let bytes = if ending == "svg" { draw::svg(&title, &drawing).map_err(failed)?.into_bytes() } else { draw::pdf(&title, &drawing).map_err(failed)? };
    let mut file = Aside::create(&arguments.out, &["svg", "pdf"], Some(&arguments.project), false)?;
    file.write_all(&bytes)?;
    file.finish()?;
    let counted = match what {
        "routing" => "buses",
        "map" => "things",
        _ => what,
    };
    out!("{}: {} {counted}", arguments.out.display(), drawing.count());
    Ok(())
}
