//! Each kind of fault with a code and a page: what it means, what the project does meanwhile, how it is put right, and what leads to it.
//!
//! A fault says in its own words what is wrong and what to write; which page it belongs to is found by these words. One more is a row of [`PAGES`] (`pages.rs`); a test
//! takes every sentence that the sources hold and looks for its row.

mod pages;

pub use pages::{OTHER, PAGES};

use crate::fault::Fault;
use std::fmt::Write as _;
use std::sync::LazyLock;

/// The page of a kind of fault.
#[derive(Debug)]
pub struct Page {
    /// Its code, as E203.
    pub code: &'static str,
    /// What it is called.
    pub title: &'static str,
    /// How its faults are told, with `*` for what differs; after `fix: ` it is their fix, after `in: ` their file.
    told: &'static [&'static str],
    /// What it means and what to do.
    pub text: &'static str,
    /// The file that the example is from; empty if there is none.
    pub file: &'static str,
    /// What is written wrongly in it, and what rightly; both may be empty.
    pub wrong: &'static str,
    /// See there.
    pub right: &'static str,
}

/// Whether a text is as a pattern with `*` for any letters has it.
fn is_like(text: &str, pattern: &str) -> bool {
    let mut parts = pattern.split('*');
    let Some(mut rest) = parts.next().and_then(|first| text.strip_prefix(first)) else { return false };
    let mut parts = parts.peekable();
    if parts.peek().is_none() {
        return rest.is_empty();
    }
    while let Some(part) = parts.next() {
        if parts.peek().is_none() {
            return rest.ends_with(part);
        }
        let Some(at) = rest.find(part) else { return false };
        rest = &rest[at + part.len()..];
    }
    true
}

/// A way in which faults are told.
struct Way {
    pattern: &'static str,
    page: &'static Page,
}

impl Way {
    fn tells(&self, fault: &Fault) -> bool {
        match self.pattern.split_once(": ") {
            Some(("fix", pattern)) => is_like(&fault.fix, pattern),
            Some(("in", file)) => fault.place.file == file,
            _ => is_like(&fault.what, self.pattern),
        }
    }

    /// How closely it tells a fault: by how many letters all faults of it share.
    fn close(&self) -> usize {
        self.pattern.chars().filter(|c| *c != '*').count()
    }
}

/// All ways, the closest first; of those that are as close the one that stands first.
static WAYS: LazyLock<Vec<Way>> = LazyLock::new(|| {
    let mut ways: Vec<Way> = PAGES.iter().flat_map(|page| page.told.iter().map(move |pattern| Way { pattern, page })).collect();
    ways.sort_by_key(|way| std::cmp::Reverse(way.close()));
    ways
});

impl Page {
    /// The page as text of lines that are at most so wide, in characters.
    #[must_use]
    pub fn lines(&self, width: usize) -> Vec<String> {
        let mut lines = vec![String::new()];
        for word in self.text.split_whitespace() {
            let last = lines.len() - 1;
            if !lines[last].is_empty() && lines[last].chars().count() + 1 + word.chars().count() > width {
                lines.push(word.to_owned());
            } else {
                if !lines[last].is_empty() {
                    lines[last].push(' ');
                }
                lines[last].push_str(word);
            }
        }
        for (head, example) in [(format!("in {}, instead of", self.file), self.wrong), ("write".to_owned(), self.right)] {
            if !example.is_empty() {
                lines.extend([String::new(), head]);
                lines.extend(example.lines().map(|line| format!("    {line}")));
            }
        }
        lines
    }
}

impl Fault {
    /// The page that says more of it.
    #[must_use]
    pub fn page(&self) -> &'static Page {
        WAYS.iter().find(|way| way.tells(self)).map_or(&OTHER, |way| way.page)
    }
}

/// The page of a code, written in any case, with its letter or without.
#[must_use]
pub fn page(code: &str) -> Option<&'static Page> {
    let digits = code.trim_start_matches(['e', 'E']);
    PAGES.iter().chain([&OTHER]).find(|page| page.code[1..] == *digits)
}

/// All pages in Markdown.
#[must_use]
pub fn as_markdown() -> String {
    let mut text = "# Faults\n\nEvery kind of fault with its code: what it means, what the project does meanwhile, and how it is put right. `estampie explain E203` prints a page, and in the workshop\n`enter` on a \
                    fault (`!`) opens it. This page is written by `estampie explain --markdown`.\n"
        .to_owned();
    for page in PAGES.iter().chain([&OTHER]) {
        let _ = write!(text, "\n## {} {}\n\n{}\n", page.code, page.title, page.text);
        for (head, example) in [(format!("In {}, instead of", page.file), page.wrong), ("write".to_owned(), page.right)] {
            if !example.is_empty() {
                let _ = write!(text, "\n{head}\n\n```\n{example}\n```\n");
            }
        }
    }
    text
}

#[cfg(test)]
mod tests;
