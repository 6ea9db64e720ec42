//! Copies within the mix: effects, buses and snapshots put down elsewhere, effects in another order, and what is unsaved of
//! the mix taken into a snapshot.

use super::Refusal;
use super::{Sources, Workspace};
use crate::language::lex::is_plain_name;
use toml_edit::{DocumentMut, Item, Table, TableLike};

const FILE: &str = "mix.toml";

/// Something of the mix that was copied, as it was written then.
#[derive(Debug, Clone)]
pub struct Clipping {
    /// What it is.
    pub kind: ClippingKind,
    /// Its name.
    pub name: String,
    fields: Table,
}

/// What a [`Clipping`] is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ClippingKind {
    /// The level, filters, effects and sends of a bus.
    Bus,
    /// An effect with its settings.
    Effect,
    /// What a snapshot holds, and how it rises and falls.
    Snapshot,
}

/// The table at a path, in whatever form it is written.
fn table_at<'a>(toml: &'a DocumentMut, path: &[&str]) -> Option<&'a dyn TableLike> {
    path.iter().try_fold(toml.as_item(), |item, key| item.get(key))?.as_table_like()
}

fn table_at_mut<'a>(toml: &'a mut DocumentMut, path: &[&str]) -> Option<&'a mut dyn TableLike> {
    path.iter().try_fold(toml.as_item_mut(), |item, key| item.get_mut(key))?.as_table_like_mut()
}

/// An item without its place in the file and without the comments around it.
fn bare(item: &Item) -> Item {
    match item {
        Item::Table(table) => Item::Table(bare_table(table)),
        Item::Value(value) => Item::Value(value.clone().decorated(" ", "")),
        other => other.clone(),
    }
}

fn bare_table(table: &dyn TableLike) -> Table {
    let mut made = Table::new();
    for (key, item) in table.iter() {
        made.insert(key, bare(item));
    }
    made
}

impl Workspace {
    fn clip(&self, kind: ClippingKind, name: &str, path: &[&str]) -> Result<Clipping, Refusal> {
        let toml = self.toml(FILE)?;
        let fields = table_at(&toml, path).map(bare_table).ok_or_else(|| format!("{name} is not written in {FILE}"))?;
        Ok(Clipping { kind, name: name.to_owned(), fields })
    }

    /// Copies a bus: its level, filters, effects and sends.
    ///
    /// # Errors
    /// When it is not written in the file, or the file cannot be read.
    pub fn clip_bus(&self, bus: &str) -> Result<Clipping, Refusal> {
        let mut clipping = self.clip(ClippingKind::Bus, bus, &["buses", bus])?;
        for of_its_own in ["into", "return", "note"] {
            clipping.fields.remove(of_its_own);
        }
        Ok(clipping)
    }

    /// Copies an effect with its settings.
    ///
    /// # Errors
    /// As [`Workspace::clip_bus`].
    pub fn clip_effect(&self, bus: &str, effect: &str) -> Result<Clipping, Refusal> {
        let mut clipping = self.clip(ClippingKind::Effect, effect, &["buses", bus, "effect", effect])?;
        if !clipping.fields.contains_key("kind") && !clipping.fields.contains_key("like") {
            // Its name says what it is; elsewhere it may be called otherwise.
            clipping.fields.insert("kind", toml_edit::value(effect));
        }
        Ok(clipping)
    }

    /// Copies a snapshot: what it holds, how it rises and falls.
    ///
    /// # Errors
    /// As [`Workspace::clip_bus`].
    pub fn clip_snapshot(&self, snapshot: &str) -> Result<Clipping, Refusal> {
        self.clip(ClippingKind::Snapshot, snapshot, &["snapshots", snapshot])
    }

    /// Puts a copied bus's settings onto another, as one edit. Where it runs into and whether it is a return stays.
    ///
    /// # Errors
    /// When a send of the copy would feed back from there (its loop is named), or the file cannot be edited; then nothing is changed.
    pub fn paste_bus(&mut self, bus: &str, clipping: &Clipping) -> Result<(), Refusal> {
        for to in clipping.fields.get("send").and_then(Item::as_table_like).into_iter().flat_map(|sends| sends.iter().map(|(to, _)| to)) {
            if let Some(way) = self.would_feed_back(bus, to) {
                return Err(format!("a send of {} would feed back from {bus}: {way}", clipping.name).into());
            }
        }
        self.edit_mix(&format!("settings of {} on {bus}", clipping.name), |toml| {
            let table = table_at_mut(toml, &["buses", bus]).ok_or_else(|| format!("{bus} is not written in {FILE}"))?;
            let old: Vec<String> = table.iter().map(|(key, _)| key.to_owned()).filter(|k| !["into", "return", "note"].contains(&k.as_str())).collect();
            for key in old {
                table.remove(&key);
            }
            for (key, item) in &clipping.fields {
                table.insert(key, item.clone());
            }
            Ok(())
        })
    }

    /// Puts a copied effect onto a bus, as one edit: over the effect `over` (which keeps its name and place), or at the end
    /// under a name that is free. Gives its name.
    ///
    /// # Errors
    /// When the file cannot be edited, or the effect does not fit; then nothing is changed.
    pub fn paste_effect(&mut self, bus: &str, clipping: &Clipping, over: Option<&str>) -> Result<String, Refusal> {
        let document = self.document().clone();
        let doc = document.buses.iter().find(|b| b.name == bus).ok_or_else(|| Refusal::missing("bus", bus))?;
        let taken = |name: &str| doc.effects.iter().any(|i| i.name == name);
        let name = match over {
            Some(name) => name.to_owned(),
            None if !taken(&clipping.name) => clipping.name.clone(),
            None => (2..).map(|n| format!("{}-{n}", clipping.name)).find(|n| !taken(n)).unwrap_or_default(),
        };
        self.edit_mix(&format!("{} on {bus} as copied", name), |toml| {
            let buses = toml.entry("buses").or_insert_with(implicit).as_table_like_mut().ok_or_else(|| Refusal::NoTable("buses".to_owned()))?;
            let table = buses.entry(bus).or_insert_with(implicit).as_table_like_mut().ok_or_else(|| Refusal::NoTable("a bus".to_owned()))?;
            let effects = table.entry("effect").or_insert_with(implicit).as_table_like_mut().ok_or_else(|| Refusal::NoTable("effect".to_owned()))?;
            match effects.get_mut(&name).and_then(Item::as_table_like_mut) {
                Some(old) => {
                    let keys: Vec<String> = old.iter().map(|(key, _)| key.to_owned()).collect();
                    for key in keys {
                        old.remove(&key);
                    }
                    for (key, item) in &clipping.fields {
                        old.insert(key, item.clone());
                    }
                }
                None => {
                    effects.insert(&name, Item::Table(clipping.fields.clone()));
                }
            }
            Ok(())
        })?;
        Ok(name)
    }

    /// Lets a snapshot hold what a copied one holds, and nothing else, as one edit. How it rises and falls stays.
    ///
    /// # Errors
    /// When the file cannot be edited.
    pub fn paste_snapshot(&mut self, snapshot: &str, clipping: &Clipping) -> Result<(), Refusal> {
        self.edit_mix(&format!("what {} holds in {snapshot}", clipping.name), |toml| {
            let table = table_at_mut(toml, &["snapshots", snapshot]).ok_or_else(|| Refusal::missing("snapshot", snapshot))?;
            table.remove("hold");
            if let Some(hold) = clipping.fields.get("hold") {
                table.insert("hold", hold.clone());
            }
            Ok(())
        })
    }

    /// Copies a snapshot under a name that is free, as one edit, and gives the name. What raises the old one does not raise it.
    ///
    /// # Errors
    /// When there is no such snapshot, or the file cannot be edited.
    pub fn duplicate_snapshot(&mut self, snapshot: &str) -> Result<String, Refusal> {
        let mut clipping = self.clip_snapshot(snapshot)?;
        clipping.fields.remove("while");
        let document = self.document().clone();
        let name = (2..).map(|n| format!("{snapshot}-{n}")).find(|n| !document.snapshots.iter().any(|s| s.name == *n)).unwrap_or_default();
        self.edit_mix(&format!("copy of snapshot {snapshot}"), |toml| {
            let snapshots = toml.get_mut("snapshots").and_then(Item::as_table_like_mut).ok_or_else(|| Refusal::NoTable("snapshots".to_owned()))?;
            snapshots.insert(&name, Item::Table(clipping.fields.clone()));
            Ok(())
        })?;
        Ok(name)
    }

    /// Moves an effect on its bus, as one edit: `by` −1 earlier, 1 later. Nothing happens at the ends.
    ///
    /// # Errors
    /// When there is no such effect, or the file cannot be edited.
    pub fn move_effect(&mut self, bus: &str, effect: &str, by: isize) -> Result<(), Refusal> {
        let document = self.document().clone();
        let names: Vec<&str> = document.buses.iter().find(|b| b.name == bus).map(|b| b.effects.iter().map(|i| i.name.as_str()).collect()).unwrap_or_default();
        let at = names.iter().position(|n| *n == effect).ok_or_else(|| format!("{bus} has no effect {effect}"))?;
        let Some(other) = at.checked_add_signed(by).and_then(|to| names.get(to).copied()) else { return Ok(()) };
        self.edit_mix(&format!("order of {effect} on {bus}"), |toml| {
            let effects = table_at_mut(toml, &["buses", bus, "effect"]).ok_or_else(|| Refusal::NoTable("effect".to_owned()))?;
            let keys: Vec<String> = effects.iter().map(|(key, _)| key.to_owned()).collect();
            let mut items: Vec<(String, Item)> = keys.into_iter().filter_map(|key| Some((key.clone(), effects.remove(&key)?))).collect();
            let place = |items: &[(String, Item)], name: &str| items.iter().position(|(key, _)| key == name);
            let (Some(from), Some(to)) = (place(&items, effect), place(&items, other)) else { return Err("the effects moved meanwhile".into()) };
            // Tables are written where they were read: they change places in the file as well.
            let of = |item: &Item| item.as_table().and_then(Table::position);
            let (first, second) = (of(&items[from].1), of(&items[to].1));
            for (item, position) in [(from, second), (to, first)] {
                if let Some(table) = items[item].1.as_table_mut() {
                    table.set_position(position);
                }
            }
            items.swap(from, to);
            for (key, item) in items {
                effects.insert(&key, item);
            }
            Ok(())
        })
    }

    /// Makes a snapshot of what is unsaved in the mix, as one edit: of each of `moved` (the value's name, and what is held of
    /// it, as `by -3 dB`) that is written otherwise than in `saved`, the mix goes back to what is saved and the snapshot holds
    /// the difference. Gives how many it holds.
    ///
    /// # Errors
    /// When the name is none or is taken, nothing differs, or a file cannot be edited; then nothing is changed.
    pub fn take_into_snapshot(&mut self, name: &str, saved: &Sources, moved: &[(String, String)]) -> Result<usize, Refusal> {
        if !is_plain_name(name) {
            return Err(Refusal::BadName(name.to_owned()));
        }
        if self.document().snapshots.iter().any(|s| s.name == name) {
            return Err(Refusal::taken("snapshot", name));
        }
        let saved: DocumentMut = saved.get(FILE).map_or("", |t| t).parse().map_err(|_| format!("{FILE} on disk cannot be read"))?;
        let mut held = Table::new();
        let mut toml = self.toml(FILE)?;
        for (what, text) in moved {
            let words: Vec<&str> = what.split(' ').collect();
            let path = match words.as_slice() {
                ["bus", bus, field @ ("level" | "low-pass" | "high-pass" | "pan")] => vec!["buses", *bus, *field],
                ["bus", bus, "send", to] => vec!["buses", *bus, "send", *to],
                ["bus", bus, effect, setting] => vec!["buses", *bus, "effect", *effect, *setting],
                _ => continue,
            };
            let (field, way) = (path[path.len() - 1], &path[..path.len() - 1]);
            let written = |toml: &DocumentMut| table_at(toml, way).and_then(|t| t.get(field).map(bare));
            let (before, now) = (written(&saved), written(&toml));
            if before.as_ref().map(ToString::to_string) == now.as_ref().map(ToString::to_string) {
                continue;
            }
            let Some(table) = table_at_mut(&mut toml, way) else { continue };
            match (before, table.get_mut(field).and_then(Item::as_value_mut)) {
                (Some(Item::Value(before)), Some(now)) => {
                    let decor = now.decor().clone();
                    *now = before;
                    *now.decor_mut() = decor;
                }
                (Some(before), _) => {
                    table.insert(field, before);
                }
                (None, _) => {
                    table.remove(field);
                }
            }
            held.insert(what, toml_edit::value(text));
        }
        let count = held.len();
        if count == 0 {
            return Err("nothing of the mix is unsaved that a snapshot could hold".into());
        }
        let mut made = Table::new();
        made.insert("rise", toml_edit::value("0.5 s"));
        made.insert("hold", Item::Table(held));
        toml.entry("snapshots")
            .or_insert_with(implicit)
            .as_table_like_mut()
            .ok_or_else(|| Refusal::NoTable("snapshots".to_owned()))?
            .insert(name, Item::Table(made));
        self.change_if_read(&format!("what was unsaved in snapshot {name}"), vec![(FILE.to_owned(), Some(toml.to_string()))])?;
        Ok(count)
    }

    /// Goes back to texts that were kept, as one edit.
    pub fn restore(&mut self, name: &str, kept: &Sources) {
        let gone = self.sources().texts().filter(|(file, _)| kept.get(file).is_none()).map(|(file, _)| (file.to_owned(), None));
        let files = gone.chain(kept.texts().map(|(file, text)| (file.to_owned(), Some(text.to_owned())))).collect();
        self.change(name, files);
    }

    fn edit_mix(&mut self, name: &str, edit: impl FnOnce(&mut DocumentMut) -> Result<(), Refusal>) -> Result<(), Refusal> {
        let mut toml = self.toml(FILE)?;
        edit(&mut toml)?;
        self.change_if_read(name, vec![(FILE.to_owned(), Some(toml.to_string()))])
    }
}

/// A table without a heading of its own.
fn implicit() -> Item {
    let mut table = Table::new();
    table.set_implicit(true);
    Item::Table(table)
}
