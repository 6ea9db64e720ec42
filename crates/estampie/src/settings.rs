//! What a person has set for themselves, whatever the project: `settings.toml` in the folder for settings.
//!
//! The command line goes before the file, and the file before what is so without it.

use crate::arguments::{BUFFER, Page, Sound};
use crate::folders;
use crate::midi::Wanted;
use crate::workshop::Options;
use estampie_engine::units::{Quantity as _, Seconds};
use estampie_project::document::did_you_mean;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use toml_edit::{DocumentMut, Item};

/// What is set; `None` where nothing is said.
#[derive(Debug, Clone, Default, PartialEq)]
pub(crate) struct Settings {
    light: Option<bool>,
    device: Option<String>,
    midi: Option<String>,
    buffer_ms: Option<u32>,
    reduced_motion: Option<bool>,
    patient: Option<bool>,
    /// What is set as it is written, by the words of the settings.
    written: BTreeMap<&'static str, String>,
    /// Keys that are pressed, and the ones that they stand for.
    pub(crate) keys: Vec<(String, String)>,
}

/// One thing that can be set.
struct Setting {
    word: &'static str,
    /// What is so where nothing is said.
    usual: &'static str,
    /// What is to be written, with an example.
    expected: &'static str,
    says: &'static str,
    /// Takes a text; false if it is not what is expected.
    take: fn(&mut Settings, &str) -> bool,
    /// What the command line says of it.
    said: fn(&Sound, &Page) -> Option<String>,
}

/// Takes one of two words.
fn either(slot: &mut Option<bool>, text: &str, [no, yes]: [&str; 2]) -> bool {
    *slot = if text == yes { Some(true) } else { (text == no).then_some(false) };
    slot.is_some()
}

const SETTINGS: &[Setting] = &[
    Setting {
        word: "theme",
        usual: "dark",
        expected: "dark or light",
        says: "the colours of the page",
        take: |s, text| either(&mut s.light, text, ["dark", "light"]),
        said: |_, page| if page.light { Some("light".into()) } else { page.dark.then(|| "dark".into()) },
    },
    Setting {
        word: "device",
        usual: "the system's own",
        expected: "a device's name, or none for the silent clock",
        says: "what the sound comes from; estampie doctor lists them",
        take: |s, text| s.device.insert(text.to_owned()).len() < 1_000,
        said: |sound, _| sound.device.clone(),
    },
    Setting {
        word: "midi",
        usual: "all of them",
        expected: "part of a name, or none",
        says: "the MIDI inputs that are played; estampie doctor lists them",
        take: |s, text| s.midi.insert(text.to_owned()).len() < 1_000,
        said: |sound, _| sound.midi.clone(),
    },
    Setting {
        word: "buffer",
        usual: "30 ms",
        expected: "5 ms to 500 ms",
        says: "how much sound is made ahead: less answers sooner, more stands more",
        take: |s, text| {
            let ms = Seconds::read(text).ok().map(|time| (time.0 * 1000.0).round() as u32).filter(|ms| BUFFER.1.contains(ms));
            s.buffer_ms = ms;
            ms.is_some()
        },
        said: |sound, _| sound.buffer.map(|ms| format!("{ms} ms")),
    },
    Setting {
        word: "motion",
        usual: "full",
        expected: "full or reduced",
        says: "reduced draws four pictures a second instead of thirty while no key is pressed: meters and positions move in steps",
        take: |s, text| either(&mut s.reduced_motion, text, ["full", "reduced"]),
        said: |_, page| page.reduced_motion.then(|| "reduced".into()),
    },
    Setting {
        word: "messages",
        usual: "pass",
        expected: "pass or stay",
        says: "whether messages pass after some seconds, or stay until the next key",
        take: |s, text| either(&mut s.patient, text, ["pass", "stay"]),
        said: |_, page| page.patient.then(|| "stay".into()),
    },
];

/// The file of this person.
pub(crate) fn file() -> Option<PathBuf> {
    Some(folders::settings()?.join("settings.toml"))
}

/// Reads a file of settings; none if there is none. Gives what is wrong with it too: that is left out, the rest counts.
pub(crate) fn read(path: &Path) -> (Settings, Vec<String>) {
    match std::fs::read_to_string(path) {
        Ok(text) => of_text(&text),
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => (Settings::default(), Vec::new()),
        Err(error) => (Settings::default(), vec![format!("{} cannot be read: {error}", path.display())]),
    }
}

/// The settings of this person.
pub(crate) fn of_person() -> (Settings, Vec<String>) {
    file().map_or_else(Default::default, |path| read(&path))
}

fn of_text(text: &str) -> (Settings, Vec<String>) {
    let mut settings = Settings::default();
    let file: DocumentMut = match text.parse() {
        Ok(file) => file,
        Err(error) => return (settings, vec![format!("settings.toml is not TOML: {}", error.to_string().trim_end().replace('\n', " "))]),
    };
    let mut wrong = Vec::new();
    for (word, item) in file.iter() {
        if word == "keys" {
            wrong.extend(read_keys(&mut settings, item));
            continue;
        }
        let Some(setting) = SETTINGS.iter().find(|s| s.word == word) else {
            let known: Vec<&str> = SETTINGS.iter().map(|s| s.word).chain(["keys"]).collect();
            wrong.push(format!("nothing is set by {word}; {}", did_you_mean(word, known.iter().copied(), &format!("write one of {}", known.join(", ")))));
            continue;
        };
        let mut with = settings.clone();
        match item.as_str() {
            Some(text) if (setting.take)(&mut with, text) => {
                with.written.insert(setting.word, text.to_owned());
                settings = with;
            }
            _ => wrong.push(format!("{word} is not what it may be; write {word} = \"…\", with {}", setting.expected)),
        }
    }
    (settings, wrong)
}

fn read_keys(settings: &mut Settings, item: &Item) -> Vec<String> {
    let Some(table) = item.as_table_like() else {
        return vec!["keys is no table; write below a line [keys] what each key stands for, like \"ctrl-y\" = \"ctrl-r\"".into()];
    };
    let mut wrong = Vec::new();
    for (pressed, meant) in table.iter() {
        match meant.as_str() {
            Some(meant) => settings.keys.push((pressed.to_owned(), meant.to_owned())),
            None => wrong.push(format!("the key {pressed} stands for nothing; write a key in quotes, like \"{pressed}\" = \"ctrl-r\"")),
        }
    }
    wrong
}

impl Settings {
    /// How the workshop is opened: by the command line, and where that says nothing by what is set.
    pub(crate) fn options(&self, sound: &Sound, page: &Page) -> Options {
        Options {
            device: sound.device.clone().or_else(|| self.device.clone()),
            midi: Wanted::of(sound.midi.as_deref().or(self.midi.as_deref())),
            buffer_ms: sound.buffer.or(self.buffer_ms).unwrap_or(BUFFER.0),
            light: page.light || (!page.dark && self.light == Some(true)),
            reduced_motion: page.reduced_motion || self.reduced_motion == Some(true),
            keys: self.keys.clone(),
            wrong: Vec::new(),
            listen: page.listen,
            join: page.join,
            token: page.token.clone().unwrap_or_default(),
            allow: page.allow.clone(),
            patient: page.patient || self.patient == Some(true),
            state: folders::state(),
            cache: folders::cache(),
        }
    }
}

impl Settings {
    /// All settings as they stand, by a command line too.
    pub(crate) fn standing(&self, sound: &Sound, page: &Page) -> Vec<Standing> {
        let of = |setting: &Setting| {
            let said = (setting.said)(sound, page).map(|value| (value, "the command line"));
            let set = || self.written.get(setting.word).map(|value| (value.clone(), "settings.toml"));
            let (value, from) = said.or_else(set).unwrap_or_else(|| (setting.usual.to_owned(), "default"));
            Standing { word: setting.word, value, from, says: setting.says }
        };
        SETTINGS.iter().map(of).collect()
    }
}

/// A setting as it stands.
#[derive(Debug, PartialEq)]
pub(crate) struct Standing {
    pub(crate) word: &'static str,
    pub(crate) value: String,
    /// Where it comes from.
    pub(crate) from: &'static str,
    pub(crate) says: &'static str,
}

/// A file of settings in which every default stands as a comment, to be changed.
pub(crate) fn example() -> String {
    let mut text = "# What is set here counts for every project; estampie config tells how all stands.\n".to_owned();
    for setting in SETTINGS {
        text += &format!("\n# {}: {}.\n# {} = \"{}\"\n", setting.says, setting.expected, setting.word, setting.usual);
    }
    text + "\n# A key that is pressed, and the one that it stands for on the pages.\n# [keys]\n# \"ctrl-y\" = \"ctrl-r\"\n"
}

#[cfg(test)]
mod tests {
    use super::*;
    use clap::Parser;

    #[derive(Parser)]
    struct Line {
        #[command(flatten)]
        sound: Sound,
        #[command(flatten)]
        page: Page,
    }

    fn line(words: &[&str]) -> Line {
        Line::parse_from(["estampie"].iter().chain(words))
    }

    #[test]
    fn what_is_set_counts_unless_the_command_line_says_otherwise() {
        let text = "theme = \"light\"\nbuffer = \"80 ms\"\ndevice = \"none\"\nmotion = \"reduced\"\nmessages = \"stay\"\n[keys]\n\"ctrl-y\" = \"ctrl-r\"\n";
        let (settings, wrong) = of_text(text);
        assert_eq!(wrong, Vec::<String>::new());
        let line1 = line(&[]);
        let options = settings.options(&line1.sound, &line1.page);
        assert!(options.light && options.reduced_motion && options.patient);
        assert_eq!((options.buffer_ms, options.device.as_deref()), (80, Some("none")));
        assert_eq!(options.keys, [("ctrl-y".to_owned(), "ctrl-r".to_owned())]);
        let line2 = line(&["--dark", "--buffer", "20", "--device", "Hall"]);
        let options = settings.options(&line2.sound, &line2.page);
        assert_eq!((options.light, options.buffer_ms, options.device.as_deref()), (false, 20, Some("Hall")));
        let from: Vec<(&str, String, &str)> = settings.standing(&line2.sound, &line2.page).into_iter().map(|s| (s.word, s.value, s.from)).collect();
        assert_eq!(from[0], ("theme", "dark".into(), "the command line"));
        assert_eq!(from[2], ("midi", "all of them".into(), "default"));
        assert_eq!(from[4], ("motion", "reduced".into(), "settings.toml"));
    }

    #[test]
    fn what_is_wrong_is_said_and_the_rest_counts() {
        let (settings, wrong) = of_text("theme = \"blue\"\nbufer = 30\nbuffer = \"2 s\"\nmidi = \"none\"\nmotion = 3\n[keys]\na = 1\n");
        assert_eq!(settings, Settings { midi: Some("none".into()), written: [("midi", "none".to_owned())].into(), ..Settings::default() });
        assert_eq!(wrong.len(), 5, "{wrong:?}");
        assert!(
            wrong[0].contains("dark or light") && wrong[1].contains("buffer?") && wrong[2].contains("5 ms to 500 ms") && wrong[4].contains("the key a"),
            "{wrong:?}"
        );
        assert!(of_text("theme = ").1[0].contains("is not TOML"));
        assert!(of_text("keys = 3").1[0].contains("is no table"));
    }

    #[test]
    fn the_example_changes_nothing_and_each_line_of_it_may_be_said() {
        assert_eq!(of_text(&example()), (Settings::default(), Vec::new()));
        let said: String =
            example().lines().filter_map(|l| l.strip_prefix("# ")).filter(|l| l.contains(" = \"") || l.starts_with('[')).map(|l| format!("{l}\n")).collect();
        assert_eq!(of_text(&said).1, Vec::<String>::new(), "{said}");
    }
}
