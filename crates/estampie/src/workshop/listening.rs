//! Listening sets: what is soloed and muted just now (buses, sounds, layers, an emitter), kept under a name and called by a key while it
//! plays. They are for who listens: kept in `listening.toml` beside the project, never in its mix.

use super::app::{App, Mode};
use super::text_field::TextField;
use super::view::Ask;
use crate::aside;
use estampie_engine::engine::InputKind;
use estampie_engine::names::NameKey;
use estampie_project::document::Refusal;
use estampie_project::door;
use std::collections::{BTreeMap, BTreeSet};
use std::io;
use std::path::Path;
use toml_edit::{DocumentMut, Item, Value};

/// The file's name.
const FILE: &str = "listening.toml";
/// So many are called by keys, F1 and on.
pub(crate) const KEYS: usize = 8;

/// One set, by the names of what it is about.
#[derive(Debug, Clone, Default, PartialEq)]
pub(crate) struct ListeningSet {
    pub(crate) name: String,
    solo_buses: BTreeSet<String>,
    mute_buses: BTreeSet<String>,
    solo_sounds: BTreeSet<String>,
    mute_sounds: BTreeSet<String>,
    emitter: Option<String>,
    /// Layers that are in or out by hand.
    layers: BTreeMap<String, bool>,
}

impl ListeningSet {
    fn is_empty(&self) -> bool {
        *self == ListeningSet { name: self.name.clone(), ..ListeningSet::default() }
    }

    /// What it does, in words.
    pub(crate) fn words(&self) -> String {
        let list = |word: &str, names: &BTreeSet<String>| {
            let names: Vec<&str> = names.iter().map(String::as_str).collect();
            (!names.is_empty()).then(|| format!("{word} {}", names.join(", ")))
        };
        let layers: Vec<String> = self.layers.iter().map(|(name, on)| format!("{name} {}", if *on { "in" } else { "out" })).collect();
        let parts = [
            list("solo", &self.solo_buses),
            list("solo", &self.solo_sounds),
            list("mute", &self.mute_buses),
            list("mute", &self.mute_sounds),
            self.emitter.as_ref().map(|e| format!("solo {e}")),
            (!layers.is_empty()).then(|| layers.join(", ")),
        ];
        parts.into_iter().flatten().collect::<Vec<_>>().join("; ")
    }
}

/// Reads the sets of a project; what is wrong with the file is said, and what is sound in it counts.
pub(crate) fn read(root: &Path) -> (Vec<ListeningSet>, Option<String>) {
    let text = match door::readable(root, FILE).and_then(std::fs::read_to_string) {
        Ok(text) => text,
        Err(error) if error.kind() == io::ErrorKind::NotFound => return (Vec::new(), None),
        Err(error) => return (Vec::new(), Some(format!("{FILE} cannot be read ({error}); there are no listening sets"))),
    };
    let Ok(toml) = text.parse::<DocumentMut>() else {
        return (Vec::new(), Some(format!("{FILE} is broken; there are no listening sets, and keeping one writes it anew")));
    };
    let names = |item: Option<&Item>| -> BTreeSet<String> {
        item.and_then(Item::as_array).into_iter().flatten().filter_map(|v| v.as_str().map(str::to_owned)).collect()
    };
    let one = |(name, item): (&str, &Item)| {
        let table = item.as_table_like()?;
        let layers = table.get("layers").and_then(Item::as_table_like).map(|t| t.iter().filter_map(|(k, v)| Some((k.to_owned(), v.as_bool()?))).collect());
        Some(ListeningSet {
            name: name.to_owned(),
            solo_buses: names(table.get("solo-buses")),
            mute_buses: names(table.get("mute-buses")),
            solo_sounds: names(table.get("solo-sounds")),
            mute_sounds: names(table.get("mute-sounds")),
            emitter: table.get("solo-emitter").and_then(Item::as_str).map(str::to_owned),
            layers: layers.unwrap_or_default(),
        })
    };
    (toml.iter().filter_map(one).collect(), None)
}

/// Writes the sets, whole or not at all.
fn write(root: &Path, sets: &[ListeningSet]) -> io::Result<()> {
    let mut toml = DocumentMut::new();
    for set in sets {
        let mut table = toml_edit::Table::new();
        for (key, names) in
            [("solo-buses", &set.solo_buses), ("mute-buses", &set.mute_buses), ("solo-sounds", &set.solo_sounds), ("mute-sounds", &set.mute_sounds)]
        {
            if !names.is_empty() {
                table.insert(key, toml_edit::value(names.iter().map(String::as_str).collect::<Value>()));
            }
        }
        if let Some(emitter) = &set.emitter {
            table.insert("solo-emitter", toml_edit::value(emitter.as_str()));
        }
        if !set.layers.is_empty() {
            let layers: toml_edit::InlineTable = set.layers.iter().map(|(name, on)| (name.as_str(), Value::from(*on))).collect();
            table.insert("layers", toml_edit::value(layers));
        }
        toml.insert(&set.name, Item::Table(table));
    }
    let path = door::inside(root, FILE)?;
    aside::put(&path, format!("# What the workshop's keys F1 and on let one hear alone; no part of the mix.\n{toml}").as_bytes())
}

impl App {
    /// What is soloed and muted now, under a name.
    fn listening_now(&self, name: &str) -> ListeningSet {
        let rehearsal = &self.rehearsal;
        let names = |keys: &BTreeSet<NameKey>| keys.iter().map(|k| rehearsal.names.get(*k).to_owned()).collect();
        ListeningSet {
            name: name.to_owned(),
            solo_buses: names(&rehearsal.soloed),
            mute_buses: names(&rehearsal.muted),
            solo_sounds: names(&rehearsal.only.soloed_sounds),
            mute_sounds: names(&rehearsal.only.muted_sounds),
            emitter: rehearsal.only.alone.map(|e| rehearsal.names.get(e).to_owned()),
            layers: rehearsal.only.switched.iter().map(|(layer, on)| (rehearsal.names.get(*layer).to_owned(), *on)).collect(),
        }
    }

    /// Calls the set of a key, counted from 0; again it ends.
    pub(super) fn listen(&mut self, at: usize) {
        let Some(set) = self.listening.get(at).cloned() else {
            return self.say(format!("F{} has no listening set: solo and mute, then ctrl-k keeps that", at + 1));
        };
        let on = self.listening_now(&set.name) != set;
        let nothing = ListeningSet::default();
        self.hear_set(if on { &set } else { &nothing });
        self.say(if on { format!("F{} {}: {}", at + 1, set.name, set.words()) } else { format!("{} is over: everything is heard", set.name) });
    }

    fn hear_set(&mut self, set: &ListeningSet) {
        let keys = |names: &BTreeSet<String>| names.iter().map(|n| NameKey::of(n)).collect::<BTreeSet<NameKey>>();
        let (solo, mute) = (keys(&set.solo_buses), keys(&set.mute_buses));
        let rehearsal = &mut self.rehearsal;
        for (now, then, what) in [
            (rehearsal.soloed.clone(), &solo, (|bus, on| InputKind::Solo { bus, on }) as fn(NameKey, bool) -> InputKind),
            (rehearsal.muted.clone(), &mute, |bus, on| InputKind::Mute { bus, on }),
        ] {
            let off = now.difference(then).map(|bus| what(*bus, false));
            let on = then.difference(&now).map(|bus| what(*bus, true));
            for input in off.chain(on) {
                rehearsal.say(input);
            }
        }
        (rehearsal.soloed, rehearsal.muted) = (solo, mute);
        for (layer, on) in rehearsal.only.switched.clone() {
            if !set.layers.contains_key(rehearsal.names.get(layer)) {
                rehearsal.switch(layer, !on);
            }
        }
        for (layer, on) in &set.layers {
            rehearsal.switch(NameKey::of(layer), *on);
        }
        let (solo, mute, alone) = (keys(&set.solo_sounds), keys(&set.mute_sounds), set.emitter.as_deref().map(NameKey::of));
        rehearsal.change_only(|only| (only.soloed_sounds, only.muted_sounds, only.alone) = (solo, mute, alone));
    }

    /// Asks under which name what is soloed and muted is to be kept.
    pub(super) fn ask_to_keep_listening(&mut self) {
        if self.listening_now("").is_empty() {
            return self.say("nothing is soloed or muted that could be kept: s and m do that to what is selected");
        }
        self.mode = Mode::typing(KeepPrompt, TextField::default());
    }

    fn keep_listening(&mut self, name: &str) -> Result<(), Refusal> {
        if name.is_empty() {
            return Err("write a name, as \"only the creatures\"".into());
        }
        let mut sets = self.listening.clone();
        let set = self.listening_now(name);
        let at = sets.iter().position(|s| s.name == name).unwrap_or(sets.len());
        if at == sets.len() {
            sets.push(set);
        } else {
            sets[at] = set;
        }
        self.write_listening(sets)?;
        let key = if at < KEYS { format!("F{}", at + 1) } else { format!(": and listen to {name}") };
        self.say(format!("{key} lets one hear {name} from now on: {}", self.listening[at].words()));
        Ok(())
    }

    /// Forgets a set.
    pub(super) fn forget_listening(&mut self, name: &str) {
        let sets = self.listening.iter().filter(|s| s.name != name).cloned().collect();
        match self.write_listening(sets) {
            Ok(()) => self.say(format!("the listening set {name} is forgotten")),
            Err(why) => self.alarm(why),
        }
    }

    fn write_listening(&mut self, sets: Vec<ListeningSet>) -> Result<(), Refusal> {
        if let Some(why) = self.workspace.only_read() {
            return Err(why.into());
        }
        write(self.workspace.root(), &sets).map_err(|e| format!("{FILE} cannot be written: {e}"))?;
        self.listening = sets;
        Ok(())
    }
}

/// The name under which what is soloed and muted is kept.
#[derive(Debug)]
struct KeepPrompt;

impl Ask for KeepPrompt {
    fn words(&self, app: &App) -> String {
        format!("keep {} as", app.listening_now("").words())
    }

    fn offers(&self, app: &App) -> Vec<String> {
        app.listening.iter().map(|s| s.name.clone()).collect()
    }

    fn hint(&self, _app: &App) -> Option<String> {
        Some("a name; that of another set takes its place".into())
    }

    fn answer(&self, app: &mut App, text: &str) -> Result<(), Refusal> {
        app.keep_listening(text.trim())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::workshop::view_tests::Desk;

    #[test]
    fn what_is_soloed_and_muted_is_kept_called_and_ended() {
        let mut desk = Desk::new();
        desk.keys("ctrl-k");
        assert!(desk.page().contains("nothing is soloed or muted"));
        // The bus hull alone, and without the sound groan.
        desk.keys("5 down s 3 m ctrl-k");
        desk.type_text("hull bare");
        desk.keys("enter");
        let set = desk.app.listening[0].clone();
        assert_eq!(set.words(), "solo hull; mute hull/groan");
        let file = desk.app.workspace.root().join(FILE);
        let text = std::fs::read_to_string(&file).unwrap();
        assert!(text.contains("[\"hull bare\"]\nsolo-buses = [\"hull\"]\nmute-sounds = [\"hull/groan\"]\n"), "{text}");
        assert_eq!(read(desk.app.workspace.root()), (vec![set.clone()], None));
        desk.keys("\\");
        assert!(desk.app.listening_now("").is_empty());
        desk.keys("f1");
        assert_eq!(desk.app.listening_now("hull bare"), set);
        assert!(desk.page().contains("temporary: solo hull"));
        // Another one in its place, a third by the finder, and the first again ends it.
        desk.keys("5 down m ctrl-k");
        desk.type_text("no steps");
        desk.keys("enter f1 f2");
        assert!(desk.app.listening_now("no steps") == desk.app.listening[1] && desk.app.rehearsal.muted.len() == 1);
        desk.keys("f2");
        assert!(desk.app.listening_now("").is_empty() && desk.page().contains("everything is heard"));
        desk.keys(": l i s t e n space h u l l enter");
        assert_eq!(desk.app.listening_now("hull bare"), set);
        desk.keys(": f o r g e t space h u l l enter");
        assert_eq!(desk.app.listening.len(), 1);
        // The project itself knows nothing of it.
        assert_eq!(desk.app.workspace.unsaved(), 0);
    }

    #[test]
    fn a_broken_file_is_said_and_strange_entries_are_left_out() {
        let folder = tempfile::tempdir().unwrap();
        assert_eq!(read(folder.path()), (Vec::new(), None));
        std::fs::write(folder.path().join(FILE), "= 3").unwrap();
        assert!(read(folder.path()).1.unwrap().contains("is broken"));
        std::fs::write(folder.path().join(FILE), "a = 1\n[b]\nsolo-buses = [\"x\", 3]\nlayers = { \"p l\" = false, q = 2 }\n").unwrap();
        let (sets, notice) = read(folder.path());
        assert!(notice.is_none() && sets.len() == 1);
        assert_eq!(sets[0].words(), "solo x; p l out");
        write(folder.path(), &sets).unwrap();
        assert_eq!(read(folder.path()).0, sets);
    }
}
