//! The MIDI inputs of this machine, by the system's own way (on Linux the sequencer of ALSA).

use super::{Ports, Sink};

/// Whether inputs were built in.
pub(crate) const BUILT_IN: bool = cfg!(feature = "device");

/// What the system calls this program.
#[cfg(feature = "device")]
const CLIENT: &str = "estampie";

/// The inputs of this machine.
pub(super) fn ports() -> Box<dyn Ports> {
    Box::new(Machine)
}

/// Their names.
///
/// # Errors
/// With why there can be none.
pub(crate) fn list() -> Result<Vec<String>, String> {
    Machine.names()
}

struct Machine;

/// Where Linux has its sequencer. Opening one that is not there would write to the log at every look.
#[cfg(all(feature = "device", target_os = "linux"))]
const SEQUENCER: &str = "/dev/snd/seq";

#[cfg(feature = "device")]
fn input() -> Result<midir::MidiInput, String> {
    #[cfg(target_os = "linux")]
    if !std::path::Path::new(SEQUENCER).exists() {
        return Err(format!("{SEQUENCER} is not there; the kernel's module snd-seq makes it"));
    }
    midir::MidiInput::new(CLIENT).map_err(|error| error.to_string())
}

#[cfg(feature = "device")]
impl Ports for Machine {
    fn names(&mut self) -> Result<Vec<String>, String> {
        let input = input()?;
        // One that goes while it is asked has no name any more.
        let mut names: Vec<String> = input.ports().iter().filter_map(|port| input.port_name(port).ok()).collect();
        names.retain(|name| !name.starts_with("Midi Through") && !name.starts_with(CLIENT));
        names.dedup();
        Ok(names)
    }

    fn open(&mut self, name: &str, mut sink: Sink) -> Result<Box<dyn Send>, String> {
        let input = input()?;
        let port = input.ports().into_iter().find(|port| input.port_name(port).is_ok_and(|n| n == name)).ok_or("it is gone")?;
        let connection = input.connect(&port, CLIENT, move |_, bytes, ()| sink(bytes), ()).map_err(|error| error.to_string())?;
        Ok(Box::new(connection))
    }
}

#[cfg(not(feature = "device"))]
impl Ports for Machine {
    fn names(&mut self) -> Result<Vec<String>, String> {
        Err("built without devices".into())
    }

    fn open(&mut self, _name: &str, _sink: Sink) -> Result<Box<dyn Send>, String> {
        Err("built without devices".into())
    }
}
