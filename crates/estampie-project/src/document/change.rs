//! Changes that know what they touch: fields of sounds, one or many at once; new sounds from files; renaming everywhere.

use super::Refusal;
use super::edit::NewValue;
use super::{Document, Located, Place, SoundDoc, TakeDoc, Workspace};
use crate::language::Trigger;
use crate::language::actions::SlotKind;
use crate::language::lex::is_name;
use std::collections::{BTreeMap, BTreeSet, HashMap};

/// Fields of sounds that are whole numbers, and those that are true or false.
const WHOLE: [&str; 4] = ["limit.each", "limit.in-all", "priority", "lines.rank"];
const YES: [&str; 3] = ["loop", "lines.stays", "lines.cuts-in"];

/// What was typed for a field of sounds, as it is written.
fn field_value(field: &str, text: &str) -> Result<NewValue, Refusal> {
    Ok(match text {
        "" => NewValue::Nothing,
        _ if WHOLE.contains(&field) => NewValue::Whole(text.parse().map_err(|_| format!("\"{text}\" is not a whole number"))?),
        "yes" | "true" if YES.contains(&field) => NewValue::Yes(true),
        "no" | "false" if YES.contains(&field) => NewValue::Yes(false),
        _ if YES.contains(&field) => return Err(format!("\"{text}\" is neither yes nor no").into()),
        _ if field.starts_with("falloff.") || field == "takes" || field == "chain" => {
            NewValue::List(text.split(';').map(|p| p.trim().to_owned()).filter(|p| !p.is_empty()).collect())
        }
        _ => NewValue::Text(text.replace('−', "-")),
    })
}

/// Takes as they are written for one value, range or point, or for all.
type WrittenTakes = (Option<String>, Vec<String>);

/// The takes of a sound in the form that a rule of picking needs, if they have another: a table by the values of a state, or by ranges or points
/// of a parameter, in which each has all of them to begin with; or one list of all of them.
fn takes_for_pick(document: &Document, toml: &toml_edit::DocumentMut, sound: &str, pick: &str) -> Option<Vec<WrittenTakes>> {
    let written = toml.get(sound)?.get("takes")?;
    let texts = |item: &toml_edit::Item| item.as_array().map(|list| list.iter().filter_map(|t| Some(t.as_str()?.to_owned())).collect::<Vec<String>>());
    let rule = pick.split(',').next().unwrap_or_default().trim();
    let subject = rule.strip_prefix("by ").map(|name| (name.trim(), false)).or_else(|| rule.strip_prefix("across ").map(|name| (name.trim(), true)));
    let Some((name, across)) = subject else {
        let table = written.as_table_like()?;
        let mut all: Vec<String> = Vec::new();
        for take in table.iter().filter_map(|(_, item)| texts(item)).flatten() {
            let name = |text: &str| text.split(',').next().unwrap_or_default().trim().to_owned();
            if !all.iter().any(|known| name(known) == name(&take)) {
                all.push(take);
            }
        }
        return Some(vec![(None, all)]);
    };
    let list = texts(written)?;
    let state = document.states.iter().find(|s| s.name == name).filter(|_| !across);
    let parameter = document.parameters.iter().find(|p| p.name == name);
    let keys: Vec<String> = match (state, parameter) {
        (Some(state), _) => state.values.iter().map(|v| v.value.clone()).collect(),
        (None, Some(p)) if across => vec![p.low.to_string(), p.high.to_string()],
        (None, Some(p)) => {
            let middle = f32::midpoint(p.low, p.high);
            vec![format!("{}..{middle}", p.low), format!("{middle}..{}", p.high)]
        }
        (None, None) => return None,
    };
    Some(keys.into_iter().map(|key| (Some(key), list.clone())).collect())
}

impl Workspace {
    /// Sets a field (as `level` or `vary.pitch`) of sounds to what was typed, as one edit; an empty text takes the field out.
    ///
    /// # Errors
    /// When the text is no such value, or a file cannot be edited; then nothing is changed.
    pub fn set_sounds(&mut self, sounds: &[String], field: &str, text: &str) -> Result<(), Refusal> {
        self.set_fields_of_sounds(sounds, &[(field, text)])
    }

    /// Sets some fields of sounds to what was typed, as one edit; an empty text takes a field out.
    ///
    /// # Errors
    /// When a text is no such value, or a file cannot be edited; then nothing is changed.
    pub fn set_fields_of_sounds(&mut self, sounds: &[String], fields: &[(&str, &str)]) -> Result<(), Refusal> {
        let document = self.document().clone();
        let mut values = Vec::new();
        // Another rule of picking needs takes of another form: they go along with it.
        let mut takes = BTreeMap::new();
        if let Some((_, pick)) = fields.iter().find(|(field, _)| *field == "pick") {
            for doc in document.sounds.iter().filter(|s| sounds.contains(&s.name)) {
                takes.insert(doc.name.as_str(), takes_for_pick(&document, &self.toml(&doc.place.file)?, &doc.name, pick.trim()));
            }
        }
        for name in sounds {
            let doc = document.sounds.iter().find(|s| s.name == *name).ok_or_else(|| Refusal::missing("sound", name))?;
            let file = doc.place.file.as_str();
            let mut opened = BTreeSet::new();
            if let Some(Some(groups)) = takes.get(name.as_str()) {
                values.push((file, vec![name.as_str(), "takes"], NewValue::Nothing));
                for (key, list) in groups {
                    let path = [Some(name.as_str()), Some("takes"), key.as_deref()];
                    values.push((file, path.into_iter().flatten().collect(), NewValue::List(list.clone())));
                }
            }
            for (field, text) in fields {
                let value = field_value(field, text.trim())?;
                let Some((top, inner)) = field.split_once('.') else {
                    values.push((file, vec![name.as_str(), *field], value));
                    continue;
                };
                // A shared setting by name becomes a table that is like it, so that one field can be its own.
                if let Some(like) = like_of(doc, top)
                    && self.toml(file)?.get(name).and_then(|s| s.get(top)).is_some_and(toml_edit::Item::is_str)
                    && opened.insert(top)
                {
                    values.push((file, vec![name.as_str(), top], NewValue::Nothing));
                    values.push((file, vec![name.as_str(), top, "like"], NewValue::Text(like.value.clone())));
                }
                values.push((file, vec![name.as_str(), top, inner], value));
            }
        }
        let fields: Vec<&str> = fields.iter().map(|(field, _)| *field).collect();
        let name = match sounds {
            [one] => format!("{} of {one}", fields.join(", ")),
            many => format!("{} of {} sounds", fields.join(", "), many.len()),
        };
        // A typed mistake stays in the line where it is typed.
        self.set_if_read(&name, &values)
    }

    /// Sets the takes of a sound that are for one value, range or point, as one edit.
    ///
    /// # Errors
    /// As [`Workspace::set_sounds`].
    pub fn set_takes(&mut self, sound: &str, value: &str, takes: &[String]) -> Result<(), Refusal> {
        let document = self.document().clone();
        let doc = document.sounds.iter().find(|s| s.name == sound).ok_or_else(|| Refusal::missing("sound", sound))?;
        let file = doc.place.file.as_str();
        let list = NewValue::List(takes.to_vec());
        self.set_if_read(&format!("takes of {sound} for {value}"), &[(file, vec![sound, "takes", value], list)])
    }

    /// Makes a sound of audio files, as one edit, in the file of the sounds that share its first part, and gives its name.
    /// The name is what the files have in common.
    ///
    /// # Errors
    /// When no files are given, or the file cannot be edited.
    pub fn new_sound(&mut self, files: &[String]) -> Result<String, Refusal> {
        if files.is_empty() {
            return Err("choose audio files first".into());
        }
        let name = self.free_name(&common_name(files));
        let takes = with_stars(files);
        let mut text = format!("[{}]\ntakes = [{}]\n", quoted(&name), takes.iter().map(|t| format!("\"{t}\"")).collect::<Vec<_>>().join(", "));
        if files.len() > 2 {
            text.push_str("pick  = \"shuffle, not the last 1\"\n");
        }
        self.append(&format!("new sound {name}"), &self.file_for(&name), &text);
        Ok(name)
    }

    /// Copies sounds under new names, as one edit, and gives the names, in their order.
    ///
    /// # Errors
    /// When one of them is none, or its file cannot be edited; then nothing is changed.
    pub fn duplicate_sounds(&mut self, sounds: &[String]) -> Result<Vec<String>, Refusal> {
        let document = self.document().clone();
        let (mut names, mut texts): (Vec<String>, BTreeMap<String, String>) = Default::default();
        for sound in sounds {
            let doc = document.sounds.iter().find(|s| s.name == *sound).ok_or_else(|| Refusal::missing("sound", sound))?;
            let file = &doc.place.file;
            let toml = self.toml(file)?;
            let item = toml.get(sound).ok_or_else(|| format!("{sound} is not a table in {file}"))?;
            let taken = |name: &String| document.sounds.iter().any(|s| s.name == *name) || names.contains(name);
            let name = (2..).map(|n| format!("{sound}-{n}")).find(|name| !taken(name)).unwrap_or_default();
            let mut copy = toml_edit::DocumentMut::new();
            copy.insert(&name, item.clone());
            if let Some(table) = copy.get_mut(&name).and_then(toml_edit::Item::as_table_mut) {
                table.set_position(None);
                table.decor_mut().clear();
            }
            let before = texts.remove(file).or_else(|| self.sources().get(file).map(ToString::to_string)).unwrap_or_default();
            texts.insert(file.clone(), appended(&before, copy.to_string().trim_start()));
            names.push(name);
        }
        let name = if let [one] = sounds { format!("copy of {one}") } else { format!("copies of {} sounds", sounds.len()) };
        self.change(&name, texts.into_iter().map(|(file, text)| (file, Some(text))).collect());
        Ok(names)
    }

    /// Takes sounds out, as one edit. What names them stays and is a fault until it is fixed.
    ///
    /// # Errors
    /// When a file cannot be edited.
    pub fn delete_sounds(&mut self, sounds: &[String]) -> Result<(), Refusal> {
        let document = self.document().clone();
        let docs = document.sounds.iter().filter(|s| sounds.contains(&s.name));
        let values: Vec<_> = docs.map(|s| (s.place.file.as_str(), vec![s.name.as_str()], NewValue::Nothing)).collect();
        let name = if let [one] = sounds { format!("deletion of {one}") } else { format!("deletion of {} sounds", sounds.len()) };
        self.set_values(&name, &values)
    }

    /// Gives an event another name wherever reactions and playthroughs name it (and its declaration, if `declared`), as one edit.
    ///
    /// # Errors
    /// When the new name is none.
    pub fn rename_event(&mut self, old: &str, new: &str, declared: bool) -> Result<(), Refusal> {
        if !is_name(new) {
            return Err(Refusal::BadName(new.to_owned()));
        }
        let document = self.document().clone();
        let mut places: Vec<Place> = Vec::new();
        for reaction in &document.reactions {
            if let Trigger::Event(word) = &reaction.trigger
                && word.text == old
            {
                places.push(word.place.clone());
            }
            for act in &reaction.actions {
                places.extend(act.action.name(SlotKind::Event).filter(|event| event.text == old).map(|event| event.place.clone()));
            }
        }
        for (_, playthrough) in &document.playthroughs {
            for (step, _) in playthrough.steps() {
                if let crate::language::StepAction::Send(event, _) = &step.action
                    && event.text == old
                {
                    places.push(event.place.clone());
                }
            }
        }
        if declared {
            places.extend(document.events.iter().filter(|e| e.name == old).map(|e| e.place.clone()));
        }
        self.replace_names(&format!("{old} renamed to {new}"), &places, old, new)
    }

    /// Replaces the points of a modulation (by its place in the file), as one edit called `name`.
    ///
    /// # Errors
    /// When the file cannot be edited or there is no such modulation.
    pub fn set_curve(&mut self, name: &str, written: usize, points: &[String]) -> Result<(), Refusal> {
        self.edit_modulation(name, written, |table| {
            table.insert("curve", toml_edit::value(points.iter().map(String::as_str).collect::<toml_edit::Array>()));
        })
    }

    /// Sets how long a modulation takes to follow, as one edit; an empty text takes it out.
    ///
    /// # Errors
    /// As [`Workspace::set_curve`].
    pub fn set_smooth(&mut self, name: &str, written: usize, text: &str) -> Result<(), Refusal> {
        self.edit_modulation(name, written, |table| {
            if text.is_empty() {
                table.remove("smooth");
            } else {
                table.insert("smooth", toml_edit::value(text));
            }
        })
    }

    fn edit_modulation(&mut self, name: &str, written: usize, edit: impl FnOnce(&mut toml_edit::Table)) -> Result<(), Refusal> {
        let mut toml = self.toml("modulation.toml")?;
        let table = toml.get_mut("modulation").and_then(toml_edit::Item::as_array_of_tables_mut).and_then(|list| list.get_mut(written));
        edit(table.ok_or_else(|| Refusal::Gone("the modulation".to_owned()))?);
        self.replace(name, "modulation.toml", &toml.to_string());
        Ok(())
    }

    /// Adds a modulation at the end, as one edit.
    ///
    /// # Errors
    /// When the file cannot be edited.
    pub fn add_modulation(&mut self, from: &str, moves: &str, points: &[String]) -> Result<(), Refusal> {
        self.toml("modulation.toml")?;
        let points: Vec<String> = points.iter().map(|p| format!("\"{p}\"")).collect();
        let text = format!("[[modulation]]\nfrom   = \"{from}\"\nmoves  = \"{moves}\"\ncurve  = [{}]\n", points.join(", "));
        self.append(&format!("{from} moves {moves}"), "modulation.toml", &text);
        Ok(())
    }

    /// Takes a modulation out, as one edit.
    ///
    /// # Errors
    /// When the file cannot be edited.
    pub fn delete_modulation(&mut self, name: &str, written: usize) -> Result<(), Refusal> {
        let mut toml = self.toml("modulation.toml")?;
        if let Some(list) = toml.get_mut("modulation").and_then(toml_edit::Item::as_array_of_tables_mut)
            && written < list.len()
        {
            list.remove(written);
        }
        self.replace(name, "modulation.toml", &toml.to_string());
        Ok(())
    }

    /// Adds a reaction at the end of `reactions.est`, as one edit.
    pub fn add_reaction(&mut self, name: &str, text: &str) {
        self.append(name, "reactions.est", text);
    }

    /// Declares an event in `game.toml`, as one edit.
    ///
    /// # Errors
    /// When the file cannot be edited.
    pub fn declare_event(&mut self, event: &str) -> Result<(), Refusal> {
        self.set_values(&format!("declaration of {event}"), &[("game.toml", vec!["events", event], NewValue::Text("sent by the game".into()))])
    }

    /// Puts `new` where `old` stands at places, in all files at once.
    fn replace_names(&mut self, name: &str, places: &[Place], old: &str, new: &str) -> Result<(), Refusal> {
        let mut by_file: BTreeMap<&str, Vec<&Place>> = BTreeMap::new();
        for place in places {
            by_file.entry(&place.file).or_default().push(place);
        }
        let mut files = Vec::new();
        for (file, mut places) in by_file {
            let text = self.sources().get(file).ok_or_else(|| Refusal::Gone((*file).to_owned()))?.clone();
            let mut lines: Vec<String> = text.split('\n').map(str::to_owned).collect();
            // From the back, so that columns before stay what they were.
            places.sort_by_key(|p| std::cmp::Reverse((p.line, p.column)));
            places.dedup();
            for place in places {
                let line = lines.get_mut(place.line as usize - 1).ok_or_else(|| format!("{place} is gone"))?;
                let from: usize = line.chars().take(place.column as usize - 1).map(char::len_utf8).sum();
                let at = line[from..].find(old).map(|at| at + from).ok_or_else(|| format!("{old} does not stand at {place} any more"))?;
                let head = line[..at].trim_end();
                // A key without quotes gets them if its new name needs them.
                let bare = file.ends_with(".toml") && (head.is_empty() || head.ends_with('['));
                let put = if bare { quoted(new) } else { new.to_owned() };
                line.replace_range(at..at + old.len(), &put);
            }
            files.push((file.to_owned(), Some(lines.join("\n"))));
        }
        self.change(name, files);
        Ok(())
    }

    fn append(&mut self, name: &str, file: &str, text: &str) {
        let before = self.sources().get(file).map_or(String::new(), ToString::to_string);
        self.replace(name, file, &appended(&before, text));
    }

    pub(crate) fn free_name(&self, wanted: &str) -> String {
        let taken = |name: &str| self.document().sounds.iter().any(|s| s.name == name);
        if !taken(wanted) {
            return wanted.to_owned();
        }
        (2..).map(|n| format!("{wanted}-{n}")).find(|name| !taken(name)).unwrap_or_default()
    }

    /// The file with most of the sounds whose names begin like `name`, or one of its own.
    pub(crate) fn file_for(&self, name: &str) -> String {
        let head = name.split('/').next().unwrap_or(name);
        let mut files: BTreeMap<&str, usize> = BTreeMap::new();
        for sound in &self.document().sounds {
            if sound.name.split('/').next() == Some(head) {
                *files.entry(&sound.place.file).or_default() += 1;
            }
        }
        files.into_iter().max_by_key(|(_, n)| *n).map_or_else(|| format!("sounds/{head}.toml"), |(file, _)| file.to_owned())
    }
}

/// A text with another below it, and an empty line between them.
pub(crate) fn appended(before: &str, text: &str) -> String {
    let gap = match before {
        "" => "",
        b if b.ends_with("\n\n") => "",
        b if b.ends_with('\n') => "\n",
        _ => "\n\n",
    };
    format!("{before}{gap}{text}")
}

/// A key as TOML has it: in quotes if need be.
pub(crate) fn quoted(name: &str) -> String {
    if name.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, '-' | '_')) { name.to_owned() } else { format!("\"{name}\"") }
}

/// A file's path without ending and without the number at its end.
fn stem(file: &str) -> &str {
    let path = file.strip_prefix("audio/").unwrap_or(file);
    let path = path.rsplit_once('.').map_or(path, |(stem, _)| stem);
    path.trim_end_matches(|c: char| c.is_ascii_digit()).trim_end_matches(['_', '-', ' '])
}

/// The name of a sound made of files: what they have in common.
fn common_name(files: &[String]) -> String {
    let first = stem(&files[0]);
    let mut common = first.to_owned();
    for file in files {
        let same = common.char_indices().zip(stem(file).chars()).take_while(|((_, a), b)| a == b).last().map_or(0, |((at, c), _)| at + c.len_utf8());
        common.truncate(same);
    }
    // Cut within a word it would be no name: back to where a word ends.
    if common != first {
        common.truncate(common.rfind(['/', '-', '_', '.', ' ']).unwrap_or(0));
    }
    let name: String = common.to_lowercase().chars().map(|c| if c.is_alphanumeric() || matches!(c, '/' | '-' | '.') { c } else { '-' }).collect();
    let name = name.trim_matches(['-', '/', '.']).to_owned();
    if is_name(&name) { name } else { "new-sound".into() }
}

/// Files that differ in the number at their end as one path with a star, others as they are.
fn with_stars(files: &[String]) -> Vec<String> {
    let mut list: Vec<String> = Vec::new();
    for file in files {
        let numbered = stem(file).len() < file.strip_prefix("audio/").unwrap_or(file).rsplit_once('.').map_or(0, |(s, _)| s.len());
        let group: Vec<&String> = files.iter().filter(|f| stem(f) == stem(file)).collect();
        let text = match (file.rsplit_once('.'), numbered && group.len() > 1) {
            (Some((path, ending)), true) => format!("{}*.{ending}", path.trim_end_matches(|c: char| c.is_ascii_digit())),
            _ => file.clone(),
        };
        if !list.contains(&text) {
            list.push(text);
        }
    }
    list
}

/// Where a sound is named: what is at stake when it is deleted, and where to look when it is not heard.
#[must_use]
pub fn uses_of(document: &Document, sound: &str) -> Vec<(String, Place)> {
    let mut list = Vec::new();
    for reaction in &document.reactions {
        for act in &reaction.actions {
            if act.action.sound().is_some_and(|w| w.text == sound) {
                list.push((reaction.head(), reaction.place.0.clone()));
            }
        }
    }
    for other in &document.sounds {
        let takes = other.groups.iter().flat_map(|(_, t)| t);
        if takes.clone().any(|t| matches!(&t.value.take, TakeDoc::Sound(s) if s == sound)) {
            list.push((format!("take of {}", other.name), other.place.clone()));
        }
    }
    for modulation in document.modulations.iter().filter(|m| m.kind == super::Moved::Sound && m.target.value == sound) {
        list.push((format!("moved by {}", modulation.from.value), modulation.place.clone()));
    }
    let others = document.music.sounds().into_iter().chain(document.world.sounds());
    list.extend(others.filter(|(s, _)| s.value == sound).map(|(s, what)| (what, s.place.clone())));
    list.extend(named_in_mix(document, sound));
    list
}

/// What plays each sound, in words: reactions that begin it, music, and the world; for all sounds at once.
#[must_use]
pub fn uses_of_all(document: &Document) -> HashMap<String, Vec<String>> {
    let mut all: HashMap<String, Vec<String>> = HashMap::new();
    let mut add = |sound: &str, by: String| {
        let of = all.entry(sound.to_owned()).or_default();
        if !of.contains(&by) {
            of.push(by);
        }
    };
    for reaction in document.reactions.iter().filter(|r| !r.off) {
        for act in reaction.actions.iter().filter(|act| act.action.kind.begins) {
            if let Some(word) = act.action.sound() {
                add(&word.text, reaction.head());
            }
        }
    }
    for (sound, by) in document.music.sounds().into_iter().chain(document.world.sounds()) {
        add(&sound.value, by);
    }
    all
}

/// Where the mix names a sound: as the key of a duck, and where a snapshot holds what it sends.
fn named_in_mix(document: &Document, sound: &str) -> Vec<(String, Place)> {
    let names = |text: &str| {
        let mut words = text.split_whitespace();
        words.next() == Some("sound") && words.next() == Some(sound)
    };
    let ducks = document.ducks.iter().filter(|d| names(&d.key.value)).map(|d| (format!("ducks {}", d.ducks.value), d.key.place.clone()));
    let held = document.snapshots.iter().flat_map(|s| s.holds.iter().map(move |h| (s, h)));
    let held = held.filter(|(_, h)| names(&h.what.value)).map(|(s, h)| (format!("snapshot {}", s.name), h.what.place.clone()));
    ducks.chain(held).collect()
}

/// The shared setting of a kind that a sound is like, or the group it is in.
fn like_of<'a>(sound: &'a SoundDoc, kind: &str) -> Option<&'a Located<String>> {
    match kind {
        "vary" => sound.vary.like.as_ref(),
        "shape" => sound.shape.like.as_ref(),
        "limit" => sound.limit.like.as_ref(),
        "falloff" => sound.falloff.like.as_ref(),
        "lines" => sound.lines.as_ref().and_then(|l| l.like.as_ref()),
        "group" => sound.group.as_ref(),
        _ => None,
    }
}

/// The sounds that are like a shared setting, or in a group; of an effect, the buses.
#[must_use]
pub fn sharers<'a>(document: &'a Document, kind: &str, name: &str) -> Vec<&'a str> {
    if kind == "effect" {
        let like = |bus: &&super::BusDoc| bus.effects.iter().any(|i| i.like.as_ref().is_some_and(|l| l.value == name));
        return document.buses.iter().filter(like).map(|b| b.name.as_str()).collect();
    }
    document.sounds.iter().filter(|s| like_of(s, kind).is_some_and(|l| l.value == name)).map(|s| s.name.as_str()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn files_give_names_and_stars() {
        let files: Vec<String> = (1..=5).map(|n| format!("audio/step/Wet Grate_0{n}.wav")).collect();
        assert_eq!(common_name(&files), "step/wet-grate");
        assert_eq!(with_stars(&files), ["audio/step/Wet Grate_*.wav"]);
        let other = ["audio/a/start.wav".to_owned(), "audio/a/stop.wav".to_owned()];
        assert_eq!(common_name(&other), "a", "no name is cut within a word");
        assert_eq!(common_name(&["audio/boiler/loop.wav".to_owned(), "audio/breath/valve_01.wav".to_owned()]), "new-sound");
        assert_eq!(with_stars(&other), other);
        assert_eq!(common_name(&["audio/01.wav".to_owned()]), "new-sound");
    }
}
