//! What commands write for people: lines.

use crate::workshop::theme::Colours;
use estampie_project::document::Fault;
use serde_json::{Value, json};
use std::io::{IsTerminal as _, Write};
use std::sync::atomic::{AtomicBool, Ordering};

/// A text without what could steer a terminal: names come from files that anybody may have written.
pub(crate) fn plain(text: &str) -> String {
    text.chars().map(|c| if c.is_control() && c != '\n' && c != '\t' { '\u{fffd}' } else { c }).collect()
}

/// Whether a machine reads standard output: then lines for people are left out, and what is asked for is one JSON value.
static FOR_A_MACHINE: AtomicBool = AtomicBool::new(false);

/// From now on standard output is for a machine, or not.
pub(crate) fn for_a_machine(yes: bool) {
    FOR_A_MACHINE.store(yes, Ordering::Relaxed);
}

/// Writes a JSON value to standard output.
pub(crate) fn json(value: &Value) {
    // What has only texts as keys can always be written.
    let text = serde_json::to_string_pretty(value).unwrap_or_default();
    bytes((text + "\n").as_bytes());
}

/// A fault as a machine reads it.
pub(crate) fn fault_json(fault: &Fault) -> Value {
    let place = &fault.place;
    json!({ "code": fault.page().code, "file": place.file, "line": place.line, "column": place.column, "what": fault.what, "fix": fault.fix })
}

/// Writes a line to standard output, unless a machine reads it. Whoever reads it may have gone, which is no fault; a full disk is one.
pub(crate) fn line(text: &str) {
    if FOR_A_MACHINE.load(Ordering::Relaxed) {
        return;
    }
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

/// Prints faults to standard error, each with place, code and fix.
pub(crate) fn print_faults(faults: &[Fault]) {
    for fault in faults {
        tell(&format!("{}: {} [{}]", fault.place, fault.what, fault.page().code));
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
