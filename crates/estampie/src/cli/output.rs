//! What commands write for people: lines.

use crate::workshop::theme::Colours;
use estampie_project::document::Fault;
use std::io::{IsTerminal as _, Write};

/// A text without what could steer a terminal: names come from files that anybody may have written.
pub(crate) fn plain(text: &str) -> String {
    text.chars().map(|c| if c.is_control() && c != '\n' && c != '\t' { '\u{fffd}' } else { c }).collect()
}

/// Writes a line to standard output. Whoever reads it may have gone, which is no fault; a full disk is one.
pub(crate) fn line(text: &str) {
    bytes((plain(text) + "\n").as_bytes());
}

/// Writes bytes to standard output likewise, as they are.
pub(crate) fn bytes(bytes: &[u8]) {
    let mut out = std::io::stdout().lock();
    let Err(error) = out.write_all(bytes).and_then(|()| out.flush()) else { return };
    if error.kind() == std::io::ErrorKind::BrokenPipe {
        std::process::exit(0);
    }
    tell(&format!("estampie: standard output cannot be written: {error}"));
    std::process::exit(1);
}

/// Writes a line to standard error.
pub(crate) fn tell(text: &str) {
    let _ = writeln!(std::io::stderr(), "{}", plain(text));
}

/// Says why a command ends as it does; on a terminal that has colours, in one.
pub(crate) fn fail(what: &str) {
    let coloured = std::io::stderr().is_terminal() && Colours::of_environment() != Colours::None;
    let (on, off) = if coloured { ("\u{1b}[1;31m", "\u{1b}[0m") } else { ("", "") };
    let _ = writeln!(std::io::stderr(), "{on}estampie:{off} {}", plain(what));
}

/// Prints faults to standard error, each with place and fix.
pub(crate) fn print_faults(faults: &[Fault]) {
    for fault in faults {
        tell(&format!("{}: {}", fault.place, fault.what));
        tell(&format!("  fix: {}", fault.fix));
    }
}

/// Writes a formatted line to standard output.
macro_rules! out {
    ($($what:tt)*) => { crate::cli::output::line(&format!($($what)*)) };
}
pub(crate) use out;

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_cannot_steer_a_terminal() {
        assert_eq!(plain("a\u{1b}[31mred\r\nb\tc\u{7}"), "a\u{fffd}[31mred\u{fffd}\nb\tc\u{fffd}");
    }
}
