//! MIDI that is played: keyboards, pads and knobs, found as they come and go, on a thread of their own.
//!
//! The workshop asks [`MidiIn::heard`] what has come; what it means there is the workshop's business. Where MIDI comes from is a [`Ports`], so that
//! all of this is tested without a device.

mod device;

pub(crate) use device::{BUILT_IN, list};

use estampie_project::document::MidiControl;
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::sync::{Arc, Mutex};
use std::time::Duration;

/// Inputs are looked for again after this time.
const AGAIN: Duration = Duration::from_secs(2);

/// What is played (MIDI 1.0, detailed specification, channel voice messages). The channel is left out: whoever has several devices plays all of them.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Played {
    /// A key or pad goes down: its pitch in MIDI semitones, and the velocity, 1 to 127.
    On { pitch: u8, velocity: u8 },
    /// It comes up.
    Off { pitch: u8 },
    /// A knob, wheel or pressure moves: which, and where it is, 0 to 1.
    Moved(MidiControl, f32),
}

/// Reads one whole message; `None` for what is not played: clocks, programs, exclusive messages, and what is cut off.
pub(crate) fn read(bytes: &[u8]) -> Option<Played> {
    let (&status, data) = bytes.split_first()?;
    let data = |at: usize| data.get(at).copied().filter(|b| *b < 128);
    let share = |value: u8| f32::from(value) / 127.0;
    match status & 0xf0 {
        0x90 => match (data(0)?, data(1)?) {
            (pitch, 0) => Some(Played::Off { pitch }),
            (pitch, velocity) => Some(Played::On { pitch, velocity }),
        },
        0x80 => data(1).and(data(0)).map(|pitch| Played::Off { pitch }),
        // From 120 on they are no controls but commands to a synth: all notes off, reset, local.
        0xb0 => Some((data(0)?, data(1)?)).filter(|(number, _)| *number < 120).map(|(number, value)| Played::Moved(MidiControl::Cc(number), share(value))),
        0xd0 => Some(Played::Moved(MidiControl::Pressure, share(data(0)?))),
        0xe0 => {
            let (low, high) = (data(0)?, data(1)?);
            Some(Played::Moved(MidiControl::Bend, f32::from(u16::from(high) << 7 | u16::from(low)) / 16_383.0))
        }
        _ => None,
    }
}

/// Where whole messages go.
pub(crate) type Sink = Box<dyn FnMut(&[u8]) + Send>;

/// Inputs that there are.
pub(crate) trait Ports: Send {
    /// Their names, as they are now.
    ///
    /// # Errors
    /// With why there can be none, as a sentence.
    fn names(&mut self) -> Result<Vec<String>, String>;
    /// Opens one; it is open until what is given back is dropped.
    ///
    /// # Errors
    /// With why it cannot be.
    fn open(&mut self, name: &str, sink: Sink) -> Result<Box<dyn Send>, String>;
}

/// Which inputs are meant.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(crate) enum Wanted {
    /// All that there are.
    #[default]
    All,
    /// None.
    Nothing,
    /// Those whose names hold this text.
    Named(String),
}

impl Wanted {
    /// As it is said on the command line.
    pub(crate) fn of(text: Option<&str>) -> Wanted {
        match text.map(str::trim) {
            None | Some("" | "all") => Wanted::All,
            Some("none") => Wanted::Nothing,
            Some(name) => Wanted::Named(name.to_owned()),
        }
    }

    fn means(&self, name: &str) -> bool {
        match self {
            Wanted::All => true,
            Wanted::Nothing => false,
            Wanted::Named(part) => name.to_lowercase().contains(&part.to_lowercase()),
        }
    }
}

/// What has come.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum News {
    /// Something was played.
    Played(Played),
    /// An input was opened.
    Came(String),
    /// One is there no more.
    Went(String),
}

/// How it stands with inputs.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Standing {
    /// Those that are open.
    pub(crate) open: Vec<String>,
    /// Why there are none, or not all, as a sentence.
    pub(crate) why: Option<String>,
}

/// Inputs at work.
pub(crate) struct MidiIn {
    news: Receiver<News>,
    standing: Arc<Mutex<Standing>>,
    /// Dropped, it ends the thread.
    _stays: Sender<()>,
}

impl MidiIn {
    /// Looks for inputs from now on. Nothing that comes is waited for.
    pub(crate) fn begin(ports: Box<dyn Ports>, wanted: Wanted) -> MidiIn {
        MidiIn::begin_every(ports, wanted, AGAIN)
    }

    /// The same, looking again after such a time.
    fn begin_every(ports: Box<dyn Ports>, wanted: Wanted, again: Duration) -> MidiIn {
        let (tell, news) = channel();
        let (stays, over) = channel();
        let standing = Arc::new(Mutex::new(Standing::default()));
        let shared = Arc::clone(&standing);
        if wanted != Wanted::Nothing {
            std::thread::spawn(move || watch(ports, &wanted, (&tell, &over), &shared, again));
        }
        MidiIn { news, standing, _stays: stays }
    }

    /// The inputs of this machine.
    pub(crate) fn of_machine(wanted: Wanted) -> MidiIn {
        MidiIn::begin(device::ports(), wanted)
    }

    /// The next that has come.
    pub(crate) fn heard(&self) -> Option<News> {
        self.news.try_recv().ok()
    }

    /// How it stands with inputs.
    pub(crate) fn standing(&self) -> Standing {
        self.standing.lock().map(|s| s.clone()).unwrap_or_default()
    }

    /// Whether any is open.
    pub(crate) fn any(&self) -> bool {
        self.standing.lock().is_ok_and(|s| !s.open.is_empty())
    }
}

/// Opens what comes and lets go what has gone, until nobody asks any more.
fn watch(mut ports: Box<dyn Ports>, wanted: &Wanted, (tell, over): (&Sender<News>, &Receiver<()>), standing: &Mutex<Standing>, again: Duration) {
    let mut open: Vec<(String, Box<dyn Send>)> = Vec::new();
    loop {
        let found = ports.names();
        let mut why = found.as_ref().err().cloned();
        let names: Vec<String> = found.unwrap_or_default().into_iter().filter(|name| wanted.means(name)).collect();
        open.retain(|(name, _)| {
            let there = names.contains(name);
            if !there {
                let _ = tell.send(News::Went(name.clone()));
            }
            there
        });
        for name in names {
            if open.iter().any(|(known, _)| *known == name) {
                continue;
            }
            let tell_of = tell.clone();
            let sink: Sink = Box::new(move |bytes| {
                if let Some(played) = read(bytes) {
                    let _ = tell_of.send(News::Played(played));
                }
            });
            match ports.open(&name, sink) {
                Ok(connection) => {
                    let _ = tell.send(News::Came(name.clone()));
                    open.push((name, connection));
                }
                Err(what) => why = Some(format!("{name} cannot be opened: {what}")),
            }
        }
        if let Ok(mut now) = standing.lock() {
            *now = Standing { open: open.iter().map(|(name, _)| name.clone()).collect(), why };
        }
        if over.recv_timeout(again) != Err(RecvTimeoutError::Timeout) {
            return;
        }
    }
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::time::Instant;

    /// Inputs of a test: their names, and where to play.
    #[derive(Clone, Default)]
    pub(crate) struct Made(Arc<Mutex<(Vec<String>, Opened)>>);

    /// Those that are open, and where what is played on them goes.
    type Opened = Vec<(String, Sink)>;

    impl Made {
        pub(crate) fn with(names: &[&str]) -> Made {
            let made = Made::default();
            made.set(names);
            made
        }

        fn set(&self, names: &[&str]) {
            self.0.lock().unwrap().0 = names.iter().map(|n| (*n).to_owned()).collect();
        }

        /// Plays a message on every input that is open.
        pub(crate) fn play(&self, bytes: &[u8]) {
            self.0.lock().unwrap().1.iter_mut().for_each(|(_, sink)| sink(bytes));
        }

        pub(crate) fn is_open(&self) -> bool {
            !self.0.lock().unwrap().1.is_empty()
        }
    }

    struct Connection(Made, String);

    impl Drop for Connection {
        fn drop(&mut self) {
            self.0.0.lock().unwrap().1.retain(|(name, _)| *name != self.1);
        }
    }

    impl Ports for Made {
        fn names(&mut self) -> Result<Vec<String>, String> {
            Ok(self.0.lock().unwrap().0.clone())
        }

        fn open(&mut self, name: &str, sink: Sink) -> Result<Box<dyn Send>, String> {
            if name.contains("taken") {
                return Err("another program has it".into());
            }
            self.0.lock().unwrap().1.push((name.to_owned(), sink));
            Ok(Box::new(Connection(self.clone(), name.to_owned())))
        }
    }

    fn until<T>(mut so: impl FnMut() -> Option<T>) -> T {
        let begun = Instant::now();
        loop {
            if let Some(found) = so() {
                return found;
            }
            assert!(begun.elapsed() < Duration::from_secs(20), "it never came");
            std::thread::sleep(Duration::from_millis(2));
        }
    }

    #[test]
    fn messages_are_read_as_the_standard_has_them() {
        for (bytes, played) in [
            (&[0x90, 60, 100][..], Some(Played::On { pitch: 60, velocity: 100 })),
            (&[0x93, 60, 0], Some(Played::Off { pitch: 60 })),
            (&[0x8f, 60, 64], Some(Played::Off { pitch: 60 })),
            (&[0xb0, 21, 127], Some(Played::Moved(MidiControl::Cc(21), 1.0))),
            (&[0xb0, 123, 0], None),
            (&[0xd2, 0], Some(Played::Moved(MidiControl::Pressure, 0.0))),
            (&[0xe0, 0x7f, 0x7f], Some(Played::Moved(MidiControl::Bend, 1.0))),
            (&[0xe0, 0x00, 0x40], Some(Played::Moved(MidiControl::Bend, 8_192.0 / 16_383.0))),
            (&[0xc0, 5], None),
            (&[0xf8], None),
            (&[0x90, 60], None),
            (&[0x90, 200, 3], None),
            (&[], None),
        ] {
            assert_eq!(read(bytes), played, "{bytes:?}");
        }
    }

    #[test]
    fn inputs_are_opened_as_they_come_and_told_when_they_go() {
        let made = Made::with(&["keys", "pads"]);
        let midi = MidiIn::begin_every(Box::new(made.clone()), Wanted::All, Duration::from_millis(5));
        let mut came: Vec<News> = (0..2).map(|_| until(|| midi.heard())).collect();
        came.sort_by_key(|n| format!("{n:?}"));
        assert_eq!(came, [News::Came("keys".into()), News::Came("pads".into())]);
        made.play(&[0x90, 62, 80]);
        assert_eq!(until(|| midi.heard()), News::Played(Played::On { pitch: 62, velocity: 80 }));
        assert_eq!(until(|| midi.heard()), News::Played(Played::On { pitch: 62, velocity: 80 }), "by both");
        made.set(&["pads", "a taken one"]);
        assert_eq!(until(|| midi.heard()), News::Went("keys".into()));
        let standing = until(|| Some(midi.standing()).filter(|s| s.why.is_some()));
        assert_eq!(standing.open, ["pads"]);
        assert!(standing.why.unwrap().contains("another program has it"));
        // Nobody asks any more: all is closed.
        drop(midi);
        until(|| (!made.is_open()).then_some(()));
    }

    #[test]
    fn only_those_that_are_meant_are_opened() {
        let made = Made::with(&["Small keys", "pads"]);
        let midi = MidiIn::begin_every(Box::new(made.clone()), Wanted::of(Some("KEYS")), Duration::from_millis(5));
        assert_eq!(until(|| midi.heard()), News::Came("Small keys".into()));
        assert!(midi.any() && midi.standing().open == ["Small keys"]);
        let none = MidiIn::begin_every(Box::new(made), Wanted::of(Some("none")), Duration::from_millis(5));
        std::thread::sleep(Duration::from_millis(30));
        assert!(none.heard().is_none() && !none.any());
        assert_eq!((Wanted::of(None), Wanted::of(Some("all"))), (Wanted::All, Wanted::All));
    }

    proptest! {
        #[test]
        fn no_bytes_break_it(bytes in prop::collection::vec(any::<u8>(), 0..6)) {
            match read(&bytes) {
                Some(Played::On { pitch, velocity }) => prop_assert!(pitch < 128 && (1..128).contains(&velocity)),
                Some(Played::Off { pitch }) => prop_assert!(pitch < 128),
                Some(Played::Moved(_, share)) => prop_assert!((0.0..=1.0).contains(&share)),
                None => {}
            }
        }
    }
}
