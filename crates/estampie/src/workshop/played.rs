//! What is played on MIDI devices: knobs move parameters, pads send events, and both learn what they do by being moved; keys play into open notes.

use super::app::App;
use super::music;
use crate::midi::{MidiIn, News, Played};
use estampie_engine::engine::InputKind;
use estampie_engine::music::exact::Beats;
use estampie_engine::names::NameKey;
use estampie_project::document::MidiControl;

/// What the workshop remembers of devices.
pub(crate) struct PlayedIn {
    midi: MidiIn,
    /// The parameter or event that waits for something to be moved or struck.
    learning: Option<Learning>,
    /// Keys that are down and heard.
    pub(super) down: Vec<KeyDown>,
}

/// A key of a MIDI device that is down.
#[derive(Debug, Clone, Copy)]
pub(crate) struct KeyDown {
    pub(crate) pitch: u8,
    pub(crate) velocity: u8,
    /// The layer on whose instrument it is heard.
    pub(crate) layer: NameKey,
    /// Where the piece was when it went down, if it is played in time.
    pub(crate) at: Option<Beats>,
    /// Whether it was put step by step.
    pub(crate) stepped: bool,
}

/// A note that never comes up is let go after so many seconds.
const HELD_AT_MOST: f64 = 20.0;

/// What is learned.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Learning {
    name: String,
    /// Whether it is an event, which is struck.
    event: bool,
}

impl PlayedIn {
    pub(crate) fn new(midi: MidiIn) -> PlayedIn {
        PlayedIn { midi, learning: None, down: Vec::new() }
    }

    /// Whether something can be played, so that it must not wait for the next picture.
    pub(crate) fn any(&self) -> bool {
        self.midi.any()
    }
}

impl App {
    /// Takes in what was played; true if there is something new to show.
    pub(crate) fn poll_played(&mut self) -> bool {
        let mut news = false;
        while let Some(heard) = self.played.midi.heard() {
            news = true;
            match heard {
                News::Came(name) => self.say(format!("MIDI: {name} can be played")),
                News::Went(name) => {
                    // Nobody says any more that its keys come up.
                    std::mem::take(&mut self.played.down).iter().for_each(|key| self.hear(key, 0.0));
                    self.say(format!("MIDI: {name} is gone"));
                }
                News::Played(played) => self.take_played(played),
            }
        }
        news
    }

    fn take_played(&mut self, played: Played) {
        if let Played::Off { pitch } = played {
            return self.key_up(pitch);
        }
        if self.played.learning.is_some() {
            return self.learn(played);
        }
        let notes_open = self.shows(music::NAME) && self.music.score.is_some();
        match played {
            Played::On { pitch, velocity } if notes_open => self.key_down(pitch, velocity),
            Played::On { pitch, .. } => {
                if let Some(event) = self.does(MidiControl::Note(pitch)) {
                    self.rehearsal.event(&event);
                }
            }
            Played::Off { .. } => {}
            Played::Moved(control, share) => {
                let Some(name) = self.does(control) else { return };
                let Some(doc) = self.document().parameters.iter().find(|p| p.name == name) else { return };
                let value = doc.low + (doc.high - doc.low) * share;
                self.rehearsal.parameter(NameKey::of(&name), value);
            }
        }
    }

    /// A key goes down, into the notes that are open: it is heard for as long as it is down.
    fn key_down(&mut self, pitch: u8, velocity: u8) {
        let Some(key) = self.played_in(pitch, velocity) else { return };
        self.hear(&key, HELD_AT_MOST);
        self.played.down.push(key);
    }

    /// A key comes up, whatever is open by now.
    fn key_up(&mut self, pitch: u8) {
        let Some(which) = self.played.down.iter().position(|key| key.pitch == pitch) else { return };
        let key = self.played.down.remove(which);
        self.hear(&key, 0.0);
        self.put_played(&key, self.played.down.is_empty());
    }

    /// Lets a key be heard for so many seconds; 0 lets it go.
    fn hear(&mut self, key: &KeyDown, seconds: f64) {
        let frames = (seconds * f64::from(self.program().rate)) as u64;
        self.rehearsal.say(InputKind::Strike { layer: key.layer, pitch: key.pitch, velocity: key.velocity, frames });
    }

    /// What something on a device does.
    fn does(&self, control: MidiControl) -> Option<String> {
        self.document().midi.iter().find(|m| m.control == control).map(|m| m.does.value.clone())
    }

    /// What moves a parameter or sends an event, in words, if something does.
    pub(crate) fn midi_of(&self, name: &str) -> Option<String> {
        let all: Vec<String> = self.document().midi.iter().filter(|m| m.does.value == name).map(|m| m.control.to_string()).collect();
        (!all.is_empty()).then(|| all.join(", "))
    }

    /// Waits for something to be moved (for a parameter) or struck (for an event); asked again, what there is is taken away.
    pub(crate) fn begin_learning(&mut self, name: &str, event: bool) {
        if self.played.learning.as_ref().is_some_and(|l| l.name == name) {
            self.played.learning = None;
            let done = self.workspace.take_midi(name);
            let words = match &done {
                Ok(true) => format!("nothing on a MIDI device {} {name} any more", if event { "sends" } else { "moves" }),
                _ => format!("{name} waits no more"),
            };
            self.say(words);
            return self.edited(done.map(|_| ()));
        }
        let asked = if event { format!("strike a pad or key for {name}") } else { format!("move a knob for {name}") };
        let standing = self.played.midi.standing();
        let of = match (standing.open.as_slice(), standing.why) {
            ([], Some(why)) => format!("no MIDI device is there yet: {why}"),
            ([], None) => "no MIDI device is there yet; it is found when it is plugged in".to_owned(),
            (open, _) => open.join(", "),
        };
        let now = self.midi_of(name).map_or_else(String::new, |now| format!("; ctrl-l again takes {now} away"));
        self.played.learning = Some(Learning { name: name.to_owned(), event });
        self.say(format!("{asked} ({of}); esc leaves it{now}"));
    }

    /// Nothing is learned any more; false if nothing was.
    pub(crate) fn end_learning(&mut self) -> bool {
        self.played.learning.take().is_some()
    }

    fn learn(&mut self, played: Played) {
        let Some(learning) = self.played.learning.clone() else { return };
        let control = match (played, learning.event) {
            (Played::On { pitch, .. }, true) => MidiControl::Note(pitch),
            (Played::Moved(control, _), false) => control,
            // Pressure comes with a stroke.
            (Played::Off { .. }, _) | (Played::Moved(MidiControl::Pressure, _), true) => return,
            (Played::Moved(..), true) => return self.say(format!("an event is sent by a key or a pad: strike one for {}", learning.name)),
            (Played::On { .. }, false) => return self.say(format!("a parameter is moved by a knob or a wheel: move one for {}", learning.name)),
        };
        self.played.learning = None;
        let done = self.workspace.assign_midi(control, &learning.name);
        let fine = done.is_ok();
        self.edited(done);
        if fine {
            self.say(format!("{control} {} {}", if learning.event { "sends" } else { "moves" }, learning.name));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::midi::Wanted;
    use crate::midi::tests::Made;
    use crate::workshop::stage::Item;
    use crate::workshop::view_tests::Desk;

    /// A desk with a device on it, the first parameter with a range selected.
    fn desk() -> (Desk, Made, String) {
        let mut desk = Desk::new();
        let device = Made::with(&["knobs"]);
        desk.app.played = PlayedIn::new(MidiIn::begin(Box::new(device.clone()), Wanted::All));
        desk.poll_until("it is found", |app| app.message.as_ref().is_some_and(|m| m.text.contains("MIDI: knobs can be played")));
        let at = desk.app.document().parameters.iter().position(|p| p.high - p.low < 1e5).unwrap();
        let name = desk.app.document().parameters[at].name.clone();
        desk.keys("1");
        desk.app.select(Item::Parameter(at));
        (desk, device, name)
    }

    fn said(desk: &Desk, words: &str) -> bool {
        desk.app.message.as_ref().is_some_and(|m| m.text.contains(words))
    }

    #[test]
    fn a_knob_learns_the_parameter_it_moves_and_moves_it_over_its_range() {
        let (mut desk, device, name) = desk();
        desk.keys("ctrl-l");
        assert!(said(&desk, &format!("move a knob for {name} (knobs)")), "{}", desk.page());
        device.play(&[0x90, 40, 10]);
        desk.poll_until("a pad is not a knob", |app| app.message.as_ref().is_some_and(|m| m.text.contains("by a knob or a wheel")));
        device.play(&[0xb0, 21, 64]);
        desk.poll_until("it is learned", |app| !app.document().midi.is_empty());
        assert!(said(&desk, &format!("cc 21 moves {name}")));
        assert!(desk.text("game.toml").contains(&format!("\"cc 21\" = \"{name}\"")), "{}", desk.text("game.toml"));
        device.play(&[0xb0, 21, 127]);
        let doc = desk.app.document().parameters.iter().find(|p| p.name == name).unwrap().clone();
        let at = desk.app.document().parameters.iter().position(|p| p.name == name).unwrap();
        desk.poll_until("it is at its end", |app| (app.value(at) - doc.high).abs() < 1e-3);
        device.play(&[0xb0, 21, 0]);
        desk.poll_until("and at its beginning", |app| (app.value(at) - doc.low).abs() < 1e-3);
        // It is shown, learned anew by another knob, taken away, and undone.
        desk.keys("e");
        assert!(desk.page().contains("cc 21 moves it"), "{}", desk.page());
        desk.keys("esc ctrl-l");
        device.play(&[0xe0, 0, 0x20]);
        desk.poll_until("the wheel", |app| app.document().midi.iter().any(|m| m.control == MidiControl::Bend));
        assert_eq!(desk.app.document().midi.len(), 1, "one thing moves it");
        desk.keys("ctrl-l ctrl-l");
        assert!(desk.app.document().midi.is_empty() && said(&desk, "any more"));
        desk.keys("u u");
        assert_eq!(desk.app.document().midi[0].control, MidiControl::Cc(21));
    }

    #[test]
    fn a_pad_learns_the_event_it_sends() {
        let (mut desk, device, _) = desk();
        let event = NameKey::of(&desk.app.document().events[0].name);
        desk.app.select(Item::Event(0));
        desk.keys("ctrl-l");
        device.play(&[0xb0, 1, 1]);
        desk.poll_until("a knob is not a pad", |app| app.message.as_ref().is_some_and(|m| m.text.contains("by a key or a pad")));
        device.play(&[0x99, 36, 100]);
        desk.poll_until("it is learned", |app| app.document().midi.iter().any(|m| m.control == MidiControl::Note(36)));
        let sent = |app: &App| app.rehearsal.history.events.contains_key(&event);
        assert!(!sent(&desk.app), "the stroke that teaches sends nothing");
        device.play(&[0x89, 36, 0]);
        device.play(&[0x99, 36, 100]);
        desk.poll_until("it is sent", sent);
    }

    #[test]
    fn learning_is_left_by_esc_and_says_when_there_is_no_device() {
        let (mut desk, device, _) = desk();
        desk.keys("ctrl-l esc");
        device.play(&[0xb0, 21, 64]);
        device.play(&[0xb0, 21, 65]);
        desk.poll_until("it has come", |app| app.played.midi.heard().is_none());
        assert!(desk.app.document().midi.is_empty());
        desk.app.played = PlayedIn::new(MidiIn::begin(Box::new(Made::default()), Wanted::All));
        desk.keys("ctrl-l");
        assert!(said(&desk, "no MIDI device is there yet"), "{}", desk.page());
    }
}
