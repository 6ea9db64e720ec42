//! `estampie schema`: every field of a project's files, for editors and for people.

use super::output::out;
use crate::aside::Aside;
use crate::failure::Failure;
use estampie_project::document::registry::{FILES, as_markdown};
use estampie_project::document::schema::schema;
use std::io::Write as _;
use std::path::PathBuf;

#[derive(clap::Args, Debug)]
pub(crate) struct Arguments {
    /// The kind of file: project, game, sounds, shared, mix, world, modulation, music
    #[arg(required_unless_present = "markdown", value_parser = clap::builder::PossibleValuesParser::new(FILES.iter().map(|(name, _)| *name)))]
    kind: Option<String>,
    /// All fields of all files as a page in Markdown instead
    #[arg(long, conflicts_with = "kind")]
    markdown: bool,
    /// The file; printed if left out
    #[arg(short, long, value_name = "FILE")]
    out: Option<PathBuf>,
}

pub(crate) fn run(arguments: &Arguments) -> Result<(), Failure> {
    let text = match &arguments.kind {
        None => as_markdown(),
        Some(kind) => {
            let schema = schema(kind).ok_or_else(|| Failure::Use(format!("there is no kind of file {kind}")))?;
            serde_json::to_string_pretty(&schema).map_err(|e| Failure::Fault(e.to_string()))? + "\n"
        }
    };
    match &arguments.out {
        None => {
            let mut out = std::io::stdout().lock();
            out.write_all(text.as_bytes())?;
        }
        Some(path) => {
            let mut aside = Aside::create(path, &["json", "md"], None, false)?;
            aside.write_all(text.as_bytes())?;
            aside.finish()?;
            out!("{} is written", path.display());
        }
    }
    Ok(())
}
