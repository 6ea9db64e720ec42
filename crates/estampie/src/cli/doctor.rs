//! `estampie doctor`: what this machine has for sound and screen.

use super::Failure;
use crate::player::device;
use crate::workshop::theme::Colours;
use std::io::IsTerminal as _;

pub(super) fn run() -> Result<(), Failure> {
    println!("sound");
    if device::BUILT_IN {
        match device::list() {
            Ok(devices) if devices.is_empty() => println!("  no output device; the workshop plays on the silent clock"),
            Ok(devices) => {
                for (name, default) in devices {
                    println!("  {name}{}", if default { "  (used unless another is named)" } else { "" });
                }
            }
            Err(error) => println!("  devices cannot be listed: {error}; the workshop plays on the silent clock"),
        }
    } else {
        println!("  built without sound devices; the workshop plays on the silent clock");
        println!("  mend: install ALSA's headers (Debian: libasound2-dev) and build again");
    }
    println!("terminal");
    let variable = |name: &str| std::env::var(name).unwrap_or_else(|_| "not set".into());
    println!("  TERM {}, COLORTERM {}, NO_COLOR {}", variable("TERM"), variable("COLORTERM"), variable("NO_COLOR"));
    println!("  colours: {}", Colours::of_environment().name());
    if std::io::stdout().is_terminal() {
        let (columns, rows) = ratatui::crossterm::terminal::size()?;
        let enough = columns >= 100 && rows >= 30;
        println!("  size {columns} × {rows}: {}", if enough { "enough" } else { "too small; make it 100 × 30 or larger" });
    } else {
        println!("  no terminal here: run this in the one you work in");
    }
    println!("fonts");
    println!("  each of these should look as it is called:");
    println!("  braille ⠁⠃⠇⣿   blocks ▁▂▃▄▅▆▇█   lozenges ◆ ◇   notes ♩ ♪   leaf ❧   arrow ⟶   minus −");
    Ok(())
}
