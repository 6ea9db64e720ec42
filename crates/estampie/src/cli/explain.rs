//! `estampie explain CODE`: the page of a kind of fault.

use super::output::out;
use crate::failure::Failure;
use estampie_project::explain::{OTHER, PAGES, as_markdown, page};

#[derive(clap::Args)]
pub(super) struct Arguments {
    /// The code that stands behind a fault, like E203; without one all are listed
    code: Option<String>,
    /// All pages in Markdown instead
    #[arg(long, conflicts_with = "code")]
    markdown: bool,
}

pub(super) fn run(arguments: &Arguments) -> Result<(), Failure> {
    if arguments.markdown {
        out!("{}", as_markdown().trim_end());
        return Ok(());
    }
    let Some(code) = &arguments.code else {
        PAGES.iter().chain([&OTHER]).for_each(|page| out!("{}  {}", page.code, page.title));
        return Ok(());
    };
    let page = page(code).ok_or_else(|| Failure::Use(format!("there is no fault {code}; estampie explain lists them all")))?;
    out!("{}: {}\n", page.code, page.title);
    page.lines(100).iter().for_each(|line| out!("{line}"));
    Ok(())
}
